// SPDX-License-Identifier: Apache-2.0
// The figure of a backtest: forecasts against outcomes, losses as they add up, coverage by
// level, and where the hits fell. Covered by tests/figures/figure_test.cpp; looked at in
// docs/screenshots.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/figures/figure.hpp"
#include "figures/gnuplot.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
namespace {

// Lines that can be told apart.
constexpr std::size_t kMostLines = 6;
constexpr std::string_view kColours[] = {palette::tide, palette::coral, palette::brass,
                                         palette::kelp, palette::ink,   palette::haze};

// The same in every panel.
std::string_view colour_of(std::size_t entrant) {
  return kColours[entrant % std::size(kColours)];
}

// The forecast rows of step 1.
std::vector<double> dates_of(const Backtest& b) {
  const std::vector<double> all = x_of(b.series);
  std::vector<double> x;
  for (const std::size_t origin : b.origins) x.push_back(all[origin + 1]);
  return x;
}

std::size_t best_of(const Backtest& b) {
  std::size_t best = 0;
  for (std::size_t m = 1; m < b.entrants.size(); ++m)
    if (b.entrants[m].scores.front().volatility.qlike <
        b.entrants[best].scores.front().volatility.qlike)
      best = m;
  return best;
}

void realised_panel(Gnuplot& plot, const Backtest& b, const Entrant& e, const Place& place) {
  const std::vector<double> x = dates_of(b);
  std::vector<double> low(x.size(), kNaN), high = low, inside = low, outside = low;
  std::optional<double> percent;
  for (std::size_t i = 0; i < x.size(); ++i) {
    if (e.steps[i].empty()) continue;
    const BacktestStep& s = e.steps[i].front();
    if (!s.return_interval.empty()) {
      percent = s.return_interval.back().percent;
      low[i] = s.return_interval.back().low;
      high[i] = s.return_interval.back().high;
    }
    (s.actual < low[i] || s.actual > high[i] ? outside : inside)[i] = s.actual;
  }
  const std::string d = plot.data({x, low, high, inside, outside});
  plot.panel(
      place.left, place.right, place.bottom, place.top,
      caption(b.series) +
          (percent ? fmt::format("; ribbon: the {} % range forecast the row before; cross: a miss",
                                 *percent)
                   : ""));
  set_x_axis(plot, !b.series.times.empty(), x.front(), x.back());
  std::vector<double> all = inside;
  all.insert(all.end(), outside.begin(), outside.end());
  all.insert(all.end(), low.begin(), low.end());
  all.insert(all.end(), high.begin(), high.end());
  const auto [least, most] = padded_range(all);
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", least, most));
  plot.add(fmt::format(
      "plot {0} using 1:2:3 with filledcurves lc rgb '{1}', {0} using 1:4 with points pt 7 ps 0.25 "
      "lc rgb '{2}', {0} using 1:5 with points pt 2 ps 0.6 lw 1.4 lc rgb '{3}'",
      d, palette::fog, palette::tide, palette::coral));
}

// QLIKE of every entrant less the best one's, added up: a line that rises loses ground.
void losses_panel(Gnuplot& plot, const Backtest& b, std::size_t best, const Place& place) {
  const std::vector<double> x = dates_of(b);
  std::vector<std::vector<double>> columns{x};
  std::vector<std::size_t> drawn;
  std::vector<double> all{0};
  for (std::size_t m = 0; m < std::min(kMostLines, b.entrants.size()); ++m) {
    if (m == best) continue;
    std::vector<double> sum;
    double running = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
      if (!b.entrants[m].steps[i].empty() && !b.entrants[best].steps[i].empty()) {
        const BacktestStep &s = b.entrants[m].steps[i].front(),
                           &r = b.entrants[best].steps[i].front();
        if (!std::isnan(s.proxy))
          running +=
              std::log(s.variance / r.variance) + s.proxy / s.variance - s.proxy / r.variance;
      }
      sum.push_back(running);
    }
    all.insert(all.end(), sum.begin(), sum.end());
    columns.push_back(std::move(sum));
    drawn.push_back(m);
  }
  const std::string d = plot.data(columns);
  plot.panel(place.left, place.right, place.bottom, place.top,
             "QLIKE lost to the best, added up; a rising line loses ground");
  set_x_axis(plot, !b.series.times.empty(), x.front(), x.back());
  const auto [least, most] = padded_range(all);
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", least, most));
  plot.add("set key top left Left reverse samplen 1.5 font ',9'");
  std::string command = "plot ";
  for (std::size_t i = 0; i < drawn.size(); ++i)
    command += fmt::format("{} using 1:{} with lines lw 1.6 dt {} lc rgb '{}' title {}, ", d, i + 2,
                           drawn[i] / 3 + 1, colour_of(drawn[i]),
                           Gnuplot::quote(b.entrants[drawn[i]].label));
  plot.add(command + fmt::format("0 lc rgb '{}' lw 1.6 title {}", colour_of(best),
                                 Gnuplot::quote(b.entrants[best].label + " (best)")));
  plot.add("unset key");
}

// Covered shares against those promised, intervals and tails alike.
void coverage_panel(Gnuplot& plot, const Backtest& b, const Place& place) {
  plot.panel(place.left, place.right, place.bottom, place.top,
             "points off the promise; bar: chance, 95 %");
  std::vector<std::string> names;  // marks are formats: a percent sign is written twice
  std::vector<double> position, band_low, band_high;
  const HorizonScore& any = b.entrants.front().scores.front();
  const auto n = static_cast<double>(any.n);
  const auto add_level = [&](std::string name, double share) {
    position.push_back(static_cast<double>(names.size()));
    names.push_back(std::move(name));
    const double reach = 196 * std::sqrt(share * (1 - share) / n);
    band_low.push_back(-reach);
    band_high.push_back(reach);
  };
  for (const TailCoverage& t : any.tails)
    add_level(fmt::format("below {:g} %%", t.percent), t.percent / 100);
  for (const IntervalCoverage& c : any.intervals)
    add_level(fmt::format("in {:g} %%", c.percent), c.percent / 100.0);
  std::vector<double> all = band_low;
  all.insert(all.end(), band_high.begin(), band_high.end());
  const std::string band = plot.data({position, band_low, band_high});
  std::string command = fmt::format(
      "plot {} using 1:2:(0):($3-$2) with vectors nohead lw 9 lc rgb '{}', 0 lc rgb '{}' lw 0.7",
      band, palette::fog, palette::ink);
  const std::size_t lines = std::min(kMostLines, b.entrants.size());
  for (std::size_t m = 0; m < lines; ++m) {
    const HorizonScore& s = b.entrants[m].scores.front();
    std::vector<double> x, y;
    for (const TailCoverage& t : s.tails) y.push_back(100 * t.hits - t.percent);
    for (const IntervalCoverage& c : s.intervals) y.push_back(100 * c.covered - c.percent);
    for (std::size_t i = 0; i < y.size(); ++i)
      x.push_back(static_cast<double>(i) +
                  0.5 * (static_cast<double>(m) + 0.5 - static_cast<double>(lines) / 2) /
                      static_cast<double>(lines));
    all.insert(all.end(), y.begin(), y.end());
    command += fmt::format(", {} using 1:2 with points pt {} ps 0.9 lw 1.5 lc rgb '{}'",
                           plot.data({x, y}), m % 2 == 0 ? 7 : 6, colour_of(m));
  }
  std::string marks;
  for (std::size_t i = 0; i < names.size(); ++i)
    marks += fmt::format("{}{} {}", i == 0 ? "" : ", ", Gnuplot::quote(names[i]), i);
  plot.add(fmt::format("set xdata; set xrange [-0.6:{}]; set xtics ({}) nomirror out",
                       static_cast<double>(names.size()) - 0.4, marks));
  const auto [least, most] = padded_range(all);
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", least, most));
  plot.add(command);
}

}  // namespace

void draw_backtest(const Backtest& b, const std::string& path) {
  if (b.entrants.empty() || b.entrants.front().scores.empty())
    throw Error(ErrorCode::bad_option, "a backtest without scores has nothing to draw");
  const std::size_t best = best_of(b);
  Gnuplot plot(path);
  realised_panel(plot, b, b.entrants[best], {0.06, 0.985, 0.56, 0.87});
  if (b.entrants.size() > 1) {
    losses_panel(plot, b, best, {0.06, 0.60, 0.09, 0.44});
    coverage_panel(plot, b, {0.67, 0.985, 0.09, 0.44});
  } else {
    coverage_panel(plot, b, {0.06, 0.985, 0.09, 0.44});
  }
  page_frame(plot,
             fmt::format("{}: {} forecasts of the next {}, each from the {} before it",
                         b.entrants[best].label, text::count(b.origins.size()), b.series.period(),
                         text::plural(b.window, "row", "rows")),
             b.entrants.size() > 1
                 ? "dots have the colours of the lines; the promise of an interval is its level"
                 : "the promise of an interval is its level");
  plot.draw();
}

}  // namespace brace::inline v0
