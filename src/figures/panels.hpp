// SPDX-License-Identifier: Apache-2.0
// What the figures share: axes in time, ranges, captions, the panel of lags.
//
//   const std::string d = plot.data({x_of(series), series.values});
//   plot.panel(0.06, 0.6, 0.1, 0.9, caption(series));
//   set_x_axis(plot, !series.times.empty(), low, high);
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/series/series.hpp"
#include "figures/gnuplot.hpp"

namespace brace::inline v0 {

// Seconds since 1970, or the row number where there are no dates.
[[nodiscard]] std::vector<double> x_of(const Series& series);

// From low to high, with about six marks at round dates, or numbers where not dated.
void set_x_axis(Gnuplot& plot, bool dated, double low, double high);
void free_y(Gnuplot& plot);

// "log return of settle, percent a day".
[[nodiscard]] std::string caption(const Series& series);

// Least and greatest finite value with a margin of 4 %.
[[nodiscard]] std::pair<double, double> padded_range(const std::vector<double>& values);

// Where a panel lies, in shares of the page.
struct Place {
  double left, right, bottom, top;
};

// Bars over a fog ribbon, the band they are judged by, with open dots where there is a second
// value.
struct LagBars {
  std::vector<double> lag, bar, dot, band;  // dot may be empty
  double white_band = 0;                    // dotted lines, where above 0
  int season = 0;                           // marks at its multiples
};
[[nodiscard]] LagBars lag_bars(const LagTable& table, const LagPrint& options);
// All that the bars show, for a scale that several panels share.
[[nodiscard]] std::vector<double> heights(const LagBars& bars);
void lag_panel(Gnuplot& plot, const LagBars& bars, std::pair<double, double> y, const Place& place,
               const std::string& title);

// A line at the foot of the page, right.
void foot_note(Gnuplot& plot, const std::string& text);

// What the page is of, above its panels, and how to read it, below them.
void page_frame(Gnuplot& plot, const std::string& headline, const std::string& note);

}  // namespace brace::inline v0
