// SPDX-License-Identifier: Apache-2.0
// The figure of breaks. Covered by tests/figures/figure_test.cpp.
#include <fmt/format.h>

#include <cmath>

#include "brace/base/text.hpp"
#include "brace/figures/figure.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
namespace {

// Cumulated squares less their straight line, in shares of the whole: a corner is a break.
std::vector<double> deviation_of_squares(const std::vector<double>& y) {
  double mean = 0, total = 0;
  for (const double v : y) mean += v / static_cast<double>(y.size());
  for (const double v : y) total += (v - mean) * (v - mean);
  std::vector<double> out;
  double sum = 0;
  for (std::size_t t = 0; t < y.size(); ++t) {
    sum += (y[t] - mean) * (y[t] - mean);
    out.push_back(100 * (sum / total - static_cast<double>(t + 1) / static_cast<double>(y.size())));
  }
  return out;
}

}  // namespace

void draw_breaks(const Series& values, const BreakReport& report, const std::string& path) {
  // Indices of breaks count the values that are present.
  const Series series = without_gaps(values);
  Gnuplot plot(path);
  const std::vector<double> x = x_of(series);
  const bool dated = !series.times.empty();
  const auto at = [&](std::size_t row) { return x[row]; };
  const auto [low, high] = padded_range(series.values);
  // Every other segment on fog; the intervals of the dates darker, from foot to top.
  const auto shades = [&](double bottom, double top) {
    std::string terms;
    for (std::size_t s = 1; s < report.segments.size(); s += 2) {
      const double from = at(report.segments[s].first), to = at(report.segments[s].last);
      terms += fmt::format("{} using 1:2:3 with filledcurves lc rgb '{}', ",
                           plot.data({{from, to}, {bottom, bottom}, {top, top}}), palette::fog);
    }
    for (const auto& f : report.breaks)
      if (f.at.low < f.at.high)
        terms +=
            fmt::format("{} using 1:2:3 with filledcurves lc rgb '{}', ",
                        plot.data({{at(f.at.low), at(f.at.high)}, {bottom, bottom}, {top, top}}),
                        palette::haze);
    return terms;
  };
  // Mean and two standard deviations of each segment, a line of its own each.
  std::string levels;
  for (const auto& s : report.segments) {
    const auto twice = [](double v) { return std::vector<double>{v, v}; };
    const std::string line = plot.data({{at(s.first), at(s.last)},
                                        twice(s.mean),
                                        twice(s.mean + 2 * s.sd),
                                        twice(s.mean - 2 * s.sd)});
    levels += fmt::format(
        ", {0} using 1:2 with lines lw 1.6 lc rgb '{1}', {0} using 1:3 with lines lw 1.8 dt 2 lc "
        "rgb '{2}', {0} using 1:4 with lines lw 1.8 dt 2 lc rgb '{2}'",
        line, palette::ink, palette::kelp);
  }
  const auto break_lines = [&] {
    plot.add("unset arrow");
    for (std::size_t i = 0; i < report.breaks.size(); ++i)
      plot.add(
          fmt::format("set arrow {0} from first {1:.10g}, graph 0 to first {1:.10g}, graph 1 "
                      "nohead front lw 1.6 lc rgb '{2}'",
                      i + 1, at(report.breaks[i].at.row), palette::coral));
  };
  const std::string d = plot.data({x, series.values});
  const std::string upper_shades = shades(low, high);
  plot.panel(
      0.06, 0.985, 0.47, 0.87,
      fmt::format("{}; lines: mean and two standard deviations of each segment", caption(series)));
  plot.add(fmt::format(
      "set label 3 {} at screen 0.06,0.965 font 'DejaVu Sans,12' textcolor rgb '{}' noenhanced",
      Gnuplot::quote(text::sentence(report.reading)), palette::tide));
  set_x_axis(plot, dated, x.front(), x.back());
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", low, high));
  break_lines();
  plot.add(fmt::format("plot {}{} using 1:2 with impulses lw 0.8 lc rgb '{}'{}", upper_shades, d,
                       palette::tide, levels));

  const std::vector<double> squares = deviation_of_squares(series.values);
  const auto [least, most] = padded_range(squares);
  const std::string c = plot.data({x, squares});
  const std::string lower_shades = shades(least, most);
  plot.panel(
      0.06, 0.985, 0.08, 0.35,
      "cumulated squares less their straight line, percent of the whole: a lasting corner is "
      "a break of variance");
  set_x_axis(plot, dated, x.front(), x.back());
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", least, most));
  break_lines();
  plot.add(fmt::format("plot {}0 lc rgb '{}' lw 0.5, {} using 1:2 with lines lw 1.6 lc rgb '{}'",
                       lower_shades, palette::ink, c, palette::brass));
  if (!report.breaks.empty())
    foot_note(plot, "vertical line: break   dark: its 95 % interval   light: every other segment");
  plot.draw();
}

}  // namespace brace::inline v0
