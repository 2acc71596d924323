// SPDX-License-Identifier: Apache-2.0
// One row after another. Covered by tests/forecast/tracker_test.cpp.
#include "brace/forecast/tracker.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <optional>

#include "brace/base/error.hpp"
#include "brace/model/model_line.hpp"
#include "families/variance_family.hpp"
#include "forecast/draws.hpp"
#include "likelihood/innovations.hpp"
#include "process/stepper.hpp"

namespace brace::inline v0 {
namespace {

// The parts of a row that only its date or columns would tell.
void require_values_alone(const Fit& fit) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' is {}: there is nothing to go on from ({})", to_string(fit.model),
                            to_string(fit.convergence.status), fit.convergence.why));
  require_path(fit, "tracker");
  const Mean& mean = fit.model.mean;
  if (mean.trend || !mean.harmonics.empty() || !mean.regressors.empty() ||
      !fit.model.variance_regressors.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' needs more of a coming row than its value (a trend, a season, "
                            "dates or columns): take update() and forecast()",
                            to_string(fit.model)));
}

// What the mean adds to every row: the constant, which stands first.
double constant_of(const Fit& fit) {
  return fit.model.mean.constant ? fit.parameters.front().estimate : 0;
}

}  // namespace

struct Tracker::State {
  Model model;
  std::vector<double> theta;
  bool exact;
  double constant;
  double sigma2 = 0;  // of an exact fit
  std::optional<Stepper> step;
  std::optional<LevelFilter> filter;
  Stepper::Row ahead{};
  NextRow next;
  std::size_t rows = 0;

  // Of a shock: the quantile of p and the mean below it.
  struct Tail {
    double p, quantile, mean;
  };
  std::vector<Tail> tails{};

  explicit State(const Fit& fit)
      : model(fit.model), theta(fit.estimates()), exact(fit.exact), constant(constant_of(fit)) {
    const ParameterNames names = parameter_names(model);
    const auto shapes = static_cast<std::ptrdiff_t>(names.shocks.size());
    next = {.shocks = model.shocks,
            .parts = {{.mean = 0, .variance = 0, .shape = {theta.end() - shapes, theta.end()}}}};
    if (exact) {
      sigma2 = theta[names.mean.size()];
      Origin origin(fit);
      (void)origin.at_estimates();
      filter.emplace(model, theta, origin.end());
    } else {
      step.emplace(model, theta, end_of_path(fit));
    }
    look_ahead();
  }

  // The stepper refers to the model and the parameters beside it.
  State(const State& other)
      : model(other.model),
        theta(other.theta),
        exact(other.exact),
        constant(other.constant),
        sigma2(other.sigma2),
        filter(other.filter),
        ahead(other.ahead),
        next(other.next),
        rows(other.rows),
        tails(other.tails) {
    if (other.step) step.emplace(model, theta, other.step->past());
  }

  void look_ahead() {
    NextRow::Part& part = next.parts.front();
    if (exact) {
      part.mean = constant + filter->mean();
      part.variance = sigma2 * filter->spread();
      return;
    }
    ahead = step->ahead(constant);
    part.mean = ahead.mean;
    part.variance = ahead.h;
  }

  const Tail& tail(double p) {
    for (const Tail& known : tails)
      if (known.p == p) return known;
    // Beyond a few levels the oldest makes room: a loop may ask for another each time.
    constexpr std::size_t kKept = 16;
    if (tails.size() == kKept) tails.erase(tails.begin());
    const NextRow unit{.shocks = next.shocks, .parts = {{0, 1, next.parts.front().shape}}};
    tails.push_back({p, unit.quantile(p), unit.shortfall(100 * p)});
    return tails.back();
  }
  [[nodiscard]] double scaled(double z) const {
    const NextRow::Part& part = next.parts.front();
    return part.mean + std::sqrt(part.variance) * z;
  }

  void take(double y) {
    if (exact)
      filter->push(y, constant);
    else if (std::isnan(y))
      step->expect(constant);
    else
      step->accept(ahead, y);
    ++rows;
    look_ahead();
  }
};

Tracker::Tracker(const Fit& fit) {
  require_values_alone(fit);
  state_ = std::make_unique<State>(fit);
}

Tracker::~Tracker() = default;
Tracker::Tracker(const Tracker& other) : state_(std::make_unique<State>(*other.state_)) {}
Tracker& Tracker::operator=(const Tracker& other) {
  if (this != &other) state_ = std::make_unique<State>(*other.state_);
  return *this;
}
Tracker::Tracker(Tracker&&) noexcept = default;
Tracker& Tracker::operator=(Tracker&&) noexcept = default;

const NextRow& Tracker::next() const {
  return state_->next;
}

const NextRow& Tracker::push(double y) {
  if (std::isinf(y) || std::abs(y) > kLargest)
    throw Error(ErrorCode::not_finite,
                fmt::format("row {} after the fit is {}: beyond {}, where squares are no numbers",
                            state_->rows, y, kLargest));
  if (std::isnan(y) && !state_->exact && !state_->model.mean.differences.empty())
    throw Error(
        ErrorCode::too_few_observations,
        fmt::format("row {} after the fit is missing, and the differences of '{}' cannot go "
                    "on from it",
                    state_->rows, to_string(state_->model)));
  state_->take(y);
  return state_->next;
}

double Tracker::quantile(double p) const {
  return state_->scaled(state_->tail(p).quantile);
}

double Tracker::value_at_risk(double percent) const {
  return state_->scaled(state_->tail(percent / 100).quantile);
}

double Tracker::shortfall(double percent) const {
  return state_->scaled(state_->tail(percent / 100).mean);
}

std::size_t Tracker::rows() const {
  return state_->rows;
}

std::vector<double> variance_path(const Fit& fit, std::size_t horizon) {
  require_values_alone(fit);
  const VarianceFamily& family = variance_family(fit.model.variance);
  if (family.mean_by_paths && horizon > 1)
    throw Error(ErrorCode::bad_option,
                fmt::format("the mean of the variance of '{}' has no closed form: forecast() "
                            "simulates it",
                            to_string(fit.model)));
  const std::vector<double> theta = fit.estimates();
  const ParameterNames names = parameter_names(fit.model);
  const std::span<const double> variance =
      std::span(theta).subspan(names.mean.size(), names.variance.size());
  if (fit.exact) return std::vector<double>(horizon, variance.front());
  const std::vector<std::optional<double>> factors =
      family.mean_factors(fit.model, variance, std::span(theta).last(names.shocks.size()), horizon);
  Stepper step(fit.model, theta, end_of_path(fit));
  const double constant = constant_of(fit);
  std::vector<double> path;
  for (std::size_t k = 0; k < horizon; ++k) {
    const double h = step.expect(constant).h;
    path.push_back(factors[k] ? h * *factors[k] : std::numeric_limits<double>::infinity());
  }
  return path;
}

}  // namespace brace::inline v0
