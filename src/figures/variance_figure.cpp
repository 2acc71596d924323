// SPDX-License-Identifier: Apache-2.0
// The figure of a variance equation: what it expected of each row, its volatility, and what a shock
// does to it. Covered by tests/figures/figure_test.cpp; looked at in docs/screenshots.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/law_fit.hpp"
#include "brace/diagnosis/news_impact.hpp"
#include "brace/figures/figure.hpp"
#include "brace/model/model_line.hpp"
#include "figures/gnuplot.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
namespace {

void returns_panel(Gnuplot& plot, const Fit& fit, const Series& window, const Place& place) {
  std::vector<double> low(window.size(), kNaN), high = low, inside = low, outside = low;
  const double left = shock_quantile(fit, 0.025), right = shock_quantile(fit, 0.975);
  for (std::size_t t = fit.lost; t < window.size(); ++t) {
    const double sd = std::sqrt(fit.variances[t]);
    // A missing row has no mean to stand around: its range is drawn around the last one's.
    const double mean = fit.counted[t] ? window.values[t] - fit.shocks[t] : 0;
    low[t] = mean + left * sd;
    high[t] = mean + right * sd;
    const double y = window.values[t];
    if (!std::isnan(y)) (y < low[t] || y > high[t] ? outside : inside)[t] = y;
  }
  const std::vector<double> x = x_of(window);
  const std::string d = plot.data({x, low, high, inside, outside});
  plot.panel(place.left, place.right, place.bottom, place.top,
             fmt::format("{}; ribbon: the 95 % range expected the row before", caption(window)));
  set_x_axis(plot, !window.times.empty(), x.front(), x.back());
  const auto [least, most] = padded_range(window.values);
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", least, most));
  plot.add(fmt::format(
      "plot {0} using 1:2:3 with filledcurves lc rgb '{1}', {0} using 1:4 with points pt 7 ps 0.25 "
      "lc rgb '{2}', {0} using 1:5 with points pt 2 ps 0.6 lw 1.4 lc rgb '{3}'",
      d, palette::fog, palette::tide, palette::coral));
}

void volatility_panel(Gnuplot& plot, const Fit& fit, const Series& window, const Place& place) {
  std::vector<double> sd(window.size(), kNaN);
  for (std::size_t t = fit.lost; t < window.size(); ++t) sd[t] = std::sqrt(fit.variances[t]);
  const std::vector<double> x = x_of(window);
  const std::string d = plot.data({x, sd});
  const bool typical = !fit.unconditional_variance && fit.typical_variance;
  const std::optional<double> level = typical ? fit.typical_variance : fit.unconditional_variance;
  const std::string unit = window.unit ? ", " + window.unit_a_period() : "";
  plot.panel(place.left, place.right, place.bottom, place.top,
             fmt::format("volatility{}{}", unit,
                         !level    ? ""
                         : typical ? "; dotted: its typical level"
                                   : "; dotted: its long run"));
  set_x_axis(plot, !window.times.empty(), x.front(), x.back());
  plot.add(
      fmt::format("set yrange [0:{}]; set ytics autofreq nomirror out", padded_range(sd).second));
  std::string command =
      fmt::format("plot {} using 1:2 with lines lw 1.4 lc rgb '{}'", d, palette::kelp);
  if (level)
    command += fmt::format(", {:.10g} dt 3 lw 1.6 lc rgb '{}'", std::sqrt(*level), palette::ink);
  plot.add(command);
}

void impact_panel(Gnuplot& plot, const Fit& fit, const Series& window, const Place& place) {
  const NewsImpact curve = news_impact(fit);
  const std::string d = plot.data({curve.shock, curve.volatility});
  plot.panel(place.left, place.right, place.bottom, place.top,
             fmt::format("volatility the {} after a shock of each size", window.period()));
  set_x_axis(plot, false, curve.shock.front(), curve.shock.back());
  const auto [least, most] = padded_range(curve.volatility);
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out",
                       std::min(least, 0.9 * curve.level), most));
  plot.add(fmt::format("set arrow 1 from 0, graph 0 to 0, graph 1 nohead dt 3 lw 1 lc rgb '{}'",
                       palette::ink));
  plot.add(
      fmt::format("plot {:.10g} dt 3 lw 1 lc rgb '{}', {} using 1:2 with lines lw 2.2 lc rgb '{}'",
                  curve.level, palette::ink, d, palette::brass));
  plot.add("unset arrow 1");
}

}  // namespace

void draw_volatility(const Fit& fit, const std::string& path) {
  if (!fit.usable() || fit.exact || std::holds_alternative<Steady>(fit.model.variance))
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' {}", to_string(fit.model),
                            fit.usable() ? "has a steady variance: there is no volatility to draw"
                                         : "must not be used: " + fit.convergence.why));
  require_path(fit, "a figure");
  Gnuplot plot(path);
  const Series window = fit.window();
  returns_panel(plot, fit, window, {0.06, 0.985, 0.55, 0.87});
  volatility_panel(plot, fit, window, {0.06, 0.60, 0.09, 0.43});
  impact_panel(plot, fit, window, {0.67, 0.985, 0.09, 0.43});
  page_frame(plot, to_string(fit.model),
             "cross: a return outside its range; 5 in 100 are meant to be");
  plot.draw();
}

}  // namespace brace::inline v0
