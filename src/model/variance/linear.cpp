// SPDX-License-Identifier: Apache-2.0
// steady, arch and garch for the engine; the kernel is in linear.hpp. Covered by tests/model/.
#include <fmt/format.h>

#include <algorithm>

#include "model/families.hpp"

namespace brace {
namespace {

// Least omega for data of unit variance: far below any estimate, above rounding.
constexpr double kLeastOmega = 1e-7;
// Persistence is kept below one, where the unconditional variance ends.
constexpr double kMostPersistence = 1 - 1e-5;

struct Orders {
  std::vector<int> shocks, variances;
};
Orders orders(const Model& model) {
  Orders o;
  if (const Lags* lags = shock_lags(model.variance)) o.shocks = *lags;
  if (const Lags* lags = variance_lags(model.variance)) o.variances = *lags;
  return o;
}

std::vector<Bound> bounds(const Model& model) {
  const std::vector<std::string> names = parameter_names(model).variance;
  std::vector<Bound> all{{fmt::format("{} > 0", names[0]), {{0, -1.0}}, -kLeastOmega}};
  Bound persistence{"", {}, kMostPersistence};
  for (std::size_t i = 1; i < names.size(); ++i) {
    all.push_back({fmt::format("{} >= 0", names[i]), {{i, -1.0}}, 0});
    persistence.name += (i > 1 ? " + " : "") + names[i];
    persistence.terms.emplace_back(i, 1.0);
  }
  if (!persistence.terms.empty()) {
    persistence.name += " < 1";
    all.push_back(std::move(persistence));
  }
  return all;
}

std::vector<std::vector<double>> starts(const Model& model) {
  const auto [shocks, variances] = orders(model);
  std::vector<std::vector<double>> points;
  const auto add = [&points, &shocks = shocks, &variances = variances](double alpha,
                                                                       double persistence) {
    std::vector<double> theta{1 - persistence};  // variance targeting
    for (std::size_t i = 0; i < shocks.size(); ++i)
      theta.push_back(alpha / static_cast<double>(shocks.size()));
    for (std::size_t i = 0; i < variances.size(); ++i)
      theta.push_back((persistence - alpha) / static_cast<double>(variances.size()));
    points.push_back(std::move(theta));
  };
  if (shocks.empty()) {
    add(0, 0);
  } else if (variances.empty()) {
    for (const double alpha : {.05, .2, .4, .7}) add(alpha, alpha);
  } else {
    // Sum of alphas and persistence: daily data sit near (.05, .98), short or calm ones anywhere.
    constexpr std::pair<double, double> kGrid[] = {{.05, .98}, {.15, .90}, {.04, .45}, {.05, .80},
                                                   {.10, .98}, {.20, .75}, {.30, .50}, {.03, .995},
                                                   {.10, .60}, {.25, .95}, {.04, .90}, {.12, .20}};
    for (const auto& [alpha, persistence] : kGrid) add(alpha, persistence);
  }
  return points;
}

double next(const Model& model, std::span<const double> theta, const VarianceHistory& past) {
  double h = theta[0];
  std::size_t i = 1;
  if (const Lags* lags = shock_lags(model.variance))
    for (const int lag : *lags) h += theta[i++] * past.q[static_cast<std::size_t>(lag - 1)];
  if (const Lags* lags = variance_lags(model.variance))
    for (const int lag : *lags) h += theta[i++] * past.h[static_cast<std::size_t>(lag - 1)];
  return h;
}

std::vector<double> decay(const Model& model, std::span<const double> theta) {
  const auto [shocks, variances] = orders(model);
  const int longest =
      std::max(shocks.empty() ? 0 : shocks.back(), variances.empty() ? 0 : variances.back());
  std::vector<double> by_lag(static_cast<std::size_t>(longest), 0.0);
  std::size_t i = 1;
  for (const std::vector<int>* lags : {&shocks, &variances})
    for (const int lag : *lags) by_lag[static_cast<std::size_t>(lag - 1)] += theta[i++];
  return by_lag;
}

}  // namespace

extern const VarianceFamily kLinearFamily;
const VarianceFamily kLinearFamily{bounds, starts, next, decay};

}  // namespace brace
