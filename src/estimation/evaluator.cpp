// SPDX-License-Identifier: Apache-2.0
// The engine's likelihood behind a public door. Covered by tests/estimation/evaluator_test.cpp.
#include "brace/estimation/evaluator.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "brace/base/error.hpp"
#include "estimation/engine.hpp"
#include "families/shock_law.hpp"
#include "likelihood/log_likelihood.hpp"

namespace brace::inline v0 {

struct Evaluator::State {
  Model model;  // the likelihood may refer to it and to the data
  MeanData data;
  std::vector<std::string> names;
  std::unique_ptr<LogLikelihood> likelihood;
  Derivatives<double> at;

  // The likelihood, or -infinity where there is none.
  double evaluate(std::span<const double> theta, Order order) {
    require(theta.size(), names.size(), "parameters");
    if (!std::all_of(theta.begin(), theta.end(), [](double v) { return std::isfinite(v); }))
      return -std::numeric_limits<double>::infinity();
    // A shape that describes no law has no density to be asked for.
    const std::vector<ShapeCoordinate>& shapes = shock_law(model.shocks).shapes;
    for (std::size_t j = 0; j < shapes.size(); ++j)
      if (!shapes[j].admits(theta[theta.size() - shapes.size() + j]))
        return -std::numeric_limits<double>::infinity();
    likelihood->evaluate(theta, order, at);
    return at.admitted && std::isfinite(at.log_likelihood)
               ? at.log_likelihood
               : -std::numeric_limits<double>::infinity();
  }

  static void require(std::size_t given, std::size_t wanted, const char* what) {
    if (given != wanted)
      throw Error(ErrorCode::bad_option,
                  fmt::format("{} {} given where the model has {}", given, what, wanted));
  }
};

Evaluator::Evaluator(const Model& model, const Series& series, LikelihoodKind kind)
    : state_(std::make_unique<State>()) {
  require_usable(series, 1, "a likelihood");
  State& s = *state_;
  s.model = resolved(canonical(model), series);
  s.data = mean_data(s.model, series);
  s.names = parameter_names(s.model).all();
  s.likelihood = make_log_likelihood(s.model, s.data, is_exact(s.model, kind));
}

Evaluator::~Evaluator() = default;
Evaluator::Evaluator(Evaluator&&) noexcept = default;
Evaluator& Evaluator::operator=(Evaluator&&) noexcept = default;

const std::vector<std::string>& Evaluator::names() const {
  return state_->names;
}

double Evaluator::value(std::span<const double> theta) {
  return state_->evaluate(theta, Order::value);
}

double Evaluator::gradient(std::span<const double> theta, std::span<double> gradient) {
  State::require(gradient.size(), state_->names.size(), "places for the gradient");
  const double value = state_->evaluate(theta, Order::gradient);
  if (std::isfinite(value))
    std::copy(state_->at.gradient.begin(), state_->at.gradient.end(), gradient.begin());
  return value;
}

double Evaluator::hessian(std::span<const double> theta, std::span<double> gradient,
                          std::span<double> hessian) {
  const std::size_t k = state_->names.size();
  State::require(gradient.size(), k, "places for the gradient");
  State::require(hessian.size(), k * k, "places for the Hessian");
  const double value = state_->evaluate(theta, Order::hessian);
  if (!std::isfinite(value)) return value;
  std::copy(state_->at.gradient.begin(), state_->at.gradient.end(), gradient.begin());
  for (std::size_t i = 0; i < k; ++i)
    for (std::size_t j = 0; j < k; ++j)
      hessian[i * k + j] = state_->at.hessian[i >= j ? packed(i, j) : packed(j, i)];
  return value;
}

}  // namespace brace::inline v0
