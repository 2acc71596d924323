// SPDX-License-Identifier: Apache-2.0
// Trend, season and remainder of a series, by centred averages or by LOESS.
//
//   brace::Decomposition parts = brace::decompose(prices, {.period = 12});
//   brace::Series adjusted = parts.adjusted();
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class DecompositionMethod {
  averages,  // trend by a centred average over one period; one figure a season for all years
  loess,     // trend and season by local regression; the season may change (Cleveland et al. 1990)
};
enum class DecompositionForm {
  additive,        // y = trend + season + remainder
  multiplicative,  // y = trend x season x remainder; all values positive
  automatic,  // multiplicative where the values are positive and their Box-Cox power lies nearer
              // to 0 than to 1: the spread grows with the level
};

struct DecompositionOptions {
  // Rows in a period; left out: the clock's: month 12, quarter 4, week 52, day 7, business day 5.
  std::optional<int> period{};
  DecompositionMethod method = DecompositionMethod::loess;
  DecompositionForm form = DecompositionForm::automatic;

  // ---- LOESS ----
  // Years (odd, at least 7) over which the season is smoothed; 0 is one season for all years.
  int season_span = 11;
  // Weigh outlying rows down.
  bool robust = true;
};

struct Decomposition {
  Series series;  // what was decomposed: the one given, with rows for dates that it skips
  int period = 0;
  DecompositionMethod method = DecompositionMethod::loess;
  DecompositionForm form = DecompositionForm::additive;  // the one used
  std::string form_because;                              // why, where it was chosen
  // As long as the series. NaN: trend and remainder by averages in the first and last half period,
  // remainder where the value is missing.
  std::vector<double> trend, season, remainder;
  // max(0, 1 - var(remainder) / var(remainder + trend)), and so for the season, on the log scale
  // where multiplicative (Wang, Smith and Hyndman 2006): the share of the variance that is not the
  // other part's. 0 is none, 1 is nothing else.
  double trend_share = 0, season_share = 0;
  // Mean season at each place in the period, the first for the first row's place.
  std::vector<double> typical_season;
  std::vector<std::string> places;  // "January", or "1" where there is no name

  // The series less its season, or over it; missing stays missing.
  [[nodiscard]] Series adjusted() const;
};

// Throws Error: bad_option for a period below 2 or unknown, too_few_observations for less than two
// whole periods (LOESS three), not_positive for a multiplicative form.
[[nodiscard]] Decomposition decompose(const Series& series,
                                      const DecompositionOptions& options = {});

// The rows of one period of the clock: month 12, quarter 4, week 52, day 7, business day 5, hour
// the hours of its session; 0 where there is none.
[[nodiscard]] int season_length(const Series& series);

// Local linear regression with tricube weights at each of 0 .. n-1 + beyond (Cleveland 1979): y
// over positions 0 .. n-1, NaN skipped, each weighed by `weights` (empty: all 1). The `span`
// nearest positions count; positions from -`beyond` to n-1+`beyond` are evaluated.
[[nodiscard]] std::vector<double> loess(const std::vector<double>& y, int span,
                                        const std::vector<double>& weights = {}, int beyond = 0);

// Verdict, how it was done, the typical season place by place.
std::ostream& operator<<(std::ostream& out, const Decomposition& parts);

[[nodiscard]] std::string_view to_string(DecompositionMethod method);
[[nodiscard]] std::string_view to_string(DecompositionForm form);

}  // namespace brace::inline v0
BRACE_API_END
