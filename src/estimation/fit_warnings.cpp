// SPDX-License-Identifier: Apache-2.0
// Warnings of a fit: rows that came too late, where the maximum lies, what the estimates mean, the
// data themselves. Covered by tests/estimation/estimate_test.cpp and unit_ma_root_test.cpp.
#include "estimation/fit_warnings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "brace/base/text.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/few_rows.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/autocorrelations.hpp"
#include "brace/series/split.hpp"
#include "brace/series/transform.hpp"
#include "estimation/unit_ma_root.hpp"

namespace brace::inline v0 {
namespace {

// Persistence from which the fit is called near-integrated.
constexpr double kNearOne = 0.99;
// Fewer observations than this and a variance equation rests on little.
constexpr std::size_t kFewForVariance = 250;
// Standard deviations between the values and 0 from which a mean of zero is the matter.
constexpr double kFarFromZero = 100;

void warn(Fit& fit, WarningCode code, std::string text) {
  fit.warnings.push_back({code, std::move(text)});
}

bool is_lag_term(std::string_view name) {
  return name.starts_with("ar") || name.starts_with("ma") || name.starts_with("sar") ||
         name.starts_with("sma");
}

// McLeod and Li's test at 5 %, its statistic alone.
bool squares_have_memory(const Series& z) {
  const std::vector<double> squared = squares(z).values;
  const auto n = static_cast<double>(z.present());
  const int lags = default_whiteness_lags(z.present());
  const std::vector<double> r = maths::autocorrelations(squared, lags);
  double q = 0;
  for (int k = 1; k <= lags; ++k)
    q += n * (n + 2) * std::pow(r[static_cast<std::size_t>(k) - 1], 2) / (n - k);
  return laws::chi_squared_tail(q, lags) < 0.05;
}

void warn_of_late_start(Fit& fit) {
  for (const Regressor& r : fit.model.variance_regressors)
    if (r.rows_earlier > 0)
      warn(fit, WarningCode::gaps_dropped,
           fmt::format(
               "'vwith {}@{}' has no value before the sample, so that the fit starts at {}",
               r.column, r.rows_earlier,
               fit.series->when(std::min(fit.first + static_cast<std::size_t>(r.rows_earlier),
                                         fit.series->size() - 1))));
}

// What to do where no maximum was found. Where the mean is held at 0 far from the values, a skewed
// law that puts its mode there climbs without end.
std::string what_to_try(const Fit& fit) {
  if (fit.convergence.stopped) return "let it run longer";
  if (fit.model.mean == Mean{.constant = false}) {
    const Moments of_values = moments(fit.window());
    const double away = std::abs(of_values.mean) / of_values.sd;
    if (away > kFarFromZero)
      return fmt::format(
          "the values lie {} standard deviations from 0, where a mean of zero cannot follow: give "
          "it a constant (const)",
          text::significant(away, 2));
  }
  return "try fewer terms or more data";
}

// Where the climbs ended.
void warn_of_convergence(Fit& fit, const MeanData& data) {
  const Convergence& c = fit.convergence;
  if (c.status == FitStatus::failed)
    warn(fit, WarningCode::not_converged,
         fmt::format("no maximum was found: {}. Do not use these numbers; {}", c.why,
                     what_to_try(fit)));
  else if (c.stopped)
    warn(fit, WarningCode::fit_stopped,
         fmt::format("stopped as asked after {} passes over the data: the highest maximum found "
                     "until then; there may be a higher one. Let it run to its end",
                     text::count(static_cast<std::size_t>(c.evaluations))));
  // A root that the likelihood does not tell from one, whether it stands there or near.
  std::optional<UnitMaRoot> over = unit_ma_root(fit, data);
  if (over && over->rejected()) over.reset();
  if (over)
    warn(fit, WarningCode::over_differenced,
         fmt::format(
             "an MA root ({}) is not significantly different from one (likelihood ratio {}, 5 % "
             "rejects above {}) and cancels a difference: the series is differenced once "
             "too often, or its season is fixed; drop a diff and use trend or harmonics",
             text::fixed(1 / over->inverse_root, 3), text::fixed(over->statistic, 2),
             text::fixed(over->critical, 2)));
  if (c.status == FitStatus::boundary) {
    bool root = false, ma_root = false;
    for (const Parameter& p : fit.parameters) {
      if (std::find(c.on_kinks.begin(), c.on_kinks.end(), p.name) != c.on_kinks.end()) continue;
      root = root || (p.at_bound && is_lag_term(p.name));
      ma_root = ma_root || (p.at_bound && (p.name.starts_with("ma") || p.name.starts_with("sma")));
    }
    if (!(ma_root && over))
      warn(fit, root ? WarningCode::root_at_edge : WarningCode::parameter_at_bound,
           fmt::format("{}; parameters on it have no error. {}", c.why,
                       c.on_kinks.empty() ? "Try a model without that term"
                       : std::holds_alternative<Ged>(fit.model.shocks)
                           ? "Values that are rounded or repeat do this; with student shocks the "
                             "likelihood has no such kinks"
                           : "gjr has no such kinks"));
  }
}

// What the estimates say about themselves.
void warn_of_estimates(Fit& fit) {
  const bool variance_equation = !std::holds_alternative<Steady>(fit.model.variance);
  const bool by_design = std::holds_alternative<Igarch>(fit.model.variance) ||
                         std::holds_alternative<Ewma>(fit.model.variance);
  if (fit.persistence && *fit.persistence > kNearOne && !by_design)
    warn(fit, WarningCode::persistence_near_one,
         fmt::format(
             "persistence is {:.4f}: shocks to volatility hardly fade. A break in its level has "
             "the same effect; fit the later part on its own with `from` and compare",
             *fit.persistence));
  if (variance_equation && fit.n < kFewForVariance)
    warn(fit, WarningCode::few_observations,
         fmt::format(
             "{} observations are few for a variance equation; below {} its errors are rough",
             text::count(fit.n), kFewForVariance));
  for (const Parameter& p : fit.parameters)
    if (p.name == "nu" && p.estimate <= 4 && !std::holds_alternative<Ged>(fit.model.shocks))
      warn(fit, WarningCode::no_fourth_moment,
           fmt::format(
               "nu is {:.1f}: shocks have no fourth moment, so tests on their squares and the "
               "errors of the variance terms are rough",
               p.estimate));
  if (!variance_equation && arma_terms(fit.model) > 0 && fit.n >= 50 &&
      squares_have_memory(fit.standardised()))
    warn(fit, WarningCode::variance_ignored,
         "volatility clusters in the residuals, so the errors of the mean terms are too small or "
         "too "
         "large; add a variance equation, such as '/ garch', before judging them");
}

// Whether the mean has a dummy of its own for each row that outweighs the others; of changes, for
// it or for the row before, from which a wrong figure goes back.
bool takes_up_few_rows(const Mean& mean, const Series& series) {
  if (series.times.empty()) return false;
  const auto has_dummy = [&](Timestamp when) {
    return std::any_of(mean.regressors.begin(), mean.regressors.end(),
                       [&](const Regressor& r) { return r.at && *r.at == when; });
  };
  const FewRows few = rows_that_decide(series);
  return std::all_of(few.rows.begin(), few.rows.end(), [&](std::size_t row) {
    return has_dummy(series.times[row]) ||
           (few.of_changes && row > 0 && has_dummy(series.times[row - 1]));
  });
}

void warn_of_data(Fit& fit, const Series& window, const MeanData& data) {
  // What is fitted is the difference, and a trend is no unit root.
  std::optional<Series> difference;
  if (fit.lost > 0) {
    difference = rows_between(window, fit.lost, window.size());
    difference->values = data.change;
    difference->name = fmt::format("the difference of {}", window.name);
  }
  const Series& fitted = difference ? *difference : window;
  for (Warning& warning : data_warnings(fitted)) {
    if (warning.code == WarningCode::level_modelled && fit.model.mean.trend) continue;
    if (warning.code == WarningCode::few_rows_decide && takes_up_few_rows(fit.model.mean, fitted))
      continue;
    fit.warnings.push_back(std::move(warning));
  }
}

}  // namespace

std::vector<Warning> data_warnings(const std::vector<Model>& models, const Series& series) {
  std::vector<Warning> warnings = data_warnings(series);
  const bool level_taken = std::any_of(models.begin(), models.end(), [](const Model& m) {
    return !m.mean.trend && m.mean.differences.empty();
  });
  if (!level_taken)
    std::erase_if(warnings, [](const Warning& w) { return w.code == WarningCode::level_modelled; });
  if (has_warning(warnings, WarningCode::few_rows_decide) &&
      std::all_of(models.begin(), models.end(),
                  [&](const Model& m) { return takes_up_few_rows(m.mean, series); }))
    std::erase_if(warnings,
                  [](const Warning& w) { return w.code == WarningCode::few_rows_decide; });
  return warnings;
}

void add_warnings(Fit& fit, const Series& window, const MeanData& data) {
  warn_of_late_start(fit);
  warn_of_convergence(fit, data);
  if (!fit.usable()) return;
  warn_of_estimates(fit);
  warn_of_data(fit, window, data);
}

}  // namespace brace::inline v0
