// SPDX-License-Identifier: Apache-2.0
// Figures through gnuplot: PNG, SVG or PDF by the ending of the file name.
//
//   brace::draw_first_look(returns, "first-look.png", prices);
//   brace::draw_forecast(fitted, ahead, "forecast.svg");
//
// Threads: calls that draw different files may run at once.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/diagnosis/find_breaks.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/evaluate/backtest.hpp"
#include "brace/evaluate/compare.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/series/decomposition.hpp"
#include "brace/series/profile.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Left: the level (where there is one) over the values to be modelled; right: what decides the
// model: the memory of the values and of their squares, and the p-values of whiteness up to each
// lag. Throws Error (cannot_draw, cannot_write), as all do here.
void draw_first_look(const Series& values, const std::string& path,
                     const std::optional<Series>& level = std::nullopt);

// Left: histogram with the fitted normal and Student laws. Right: sizes of rises and falls against
// those the fitted Student law expects, with its 95 % band (the normal law's where no Student
// fits).
void draw_shape(const Series& values, const std::string& path);

// Memory of the values, their squares and their sizes, and of returns with later squares, each lag
// with its band; multiples of the season are marked.
void draw_lags(const Series& values, int lags, const LagPrint& options, const std::string& path);

// Left: the series with its trend and its seasonally adjusted form, season, remainder; right: the
// typical season.
void draw_decomposition(const Decomposition& parts, const std::string& path);

// Factors by the hour and the weekday with their errors, and the memory of sizes before and after
// the series is divided by the first profile.
void draw_profile(const Series& values, const std::vector<VolatilityProfile>& profiles,
                  const std::string& path);

// Top: fitted one step ahead over actual; bottom: the standardised residuals. Titled by the model
// line, as all figures of a fit are.
void draw_fit(const Fit& fit, const std::string& path);

// Of a variance equation: returns within the range it expected of them, its volatility, and the
// news-impact curve. Throws Error (bad_option) where the variance is steady.
void draw_volatility(const Fit& fit, const std::string& path);

// Left: standardised residuals in time, their memory by lag; right: their quantiles against the
// fitted law's, the p-values of whiteness up to each lag.
void draw_check(const Fit& fit, const Check& check, const std::string& path);

// The inverse roots of the ARMA equation in the unit circle.
void draw_roots(const Fit& fit, const Check& check, const std::string& path);

// Small multiples on the same axes: the forecast of the hold-out by each model and baseline (nine
// at most), with its 95 % band, over what happened. Needs a comparison with a hold-out.
void draw_comparison(const Comparison& comparison, const std::string& path);

// What is known beside a forecast: the series as the file has it, for the scale of
// Forecast::original, and what followed the origin, on either scale.
struct ForecastSurroundings {
  std::optional<Series> level{};
  Series held_out{}, level_held_out{};
};
// The tail of the data and every interval ahead, over which stands what happened where it is known:
// returns as strokes, levels as a line, on the file's own scale where the forecast has it. Where
// volatility varies, below: the volatility filtered so far, its forecast and its intervals. Titled
// by the model line.
void draw_forecast(const Fit& fit, const Forecast& ahead, const std::string& path,
                   const ForecastSurroundings& around = {});

// Top: the outcomes in the range that the best entrant forecast of them the row before. Bottom: the
// losses of the others against its, added up, and the shares covered less those promised.
void draw_backtest(const Backtest& backtest, const std::string& path);

// The series with its segments shaded, the dates of its breaks and their intervals; below, the
// cumulated squares, whose corners the breaks of variance are. Titled by the verdict.
void draw_breaks(const Series& values, const BreakReport& report, const std::string& path);

}  // namespace brace::inline v0
BRACE_API_END
