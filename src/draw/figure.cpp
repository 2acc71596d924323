// SPDX-License-Identifier: Apache-2.0
// The first look and the forecast. Covered by tests/draw/figure_test.cpp; looked at in
// docs/screenshots.
#include "brace/draw/figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/series/transform.hpp"
#include "draw/gnuplot.hpp"
#include "draw/panels.hpp"

namespace brace {
namespace {

constexpr int kLagsShown = 30;

// P-values of whiteness up to each lag, on a scale of powers of ten down to one in a million.
// The default number of lags is marked.
void p_value_panel(Gnuplot& plot, const LagTable& values, const LagTable& of_squares,
                   const Place& place) {
  const int marked = default_whiteness_lags(values.observations);
  constexpr double kLeast = 1e-6;
  std::vector<double> lag, robust, plain, squared;
  const auto shown = [&](std::optional<double> p) {
    return p ? std::max(*p, kLeast) : std::numeric_limits<double>::quiet_NaN();
  };
  for (std::size_t k = 0; k < values.rows.size(); ++k) {
    lag.push_back(values.rows[k].lag);
    robust.push_back(shown(values.rows[k].p_robust));
    plain.push_back(shown(values.rows[k].p_value));
    squared.push_back(shown(of_squares.rows[k].p_value));
  }
  const std::string d = plot.data({lag, robust, plain, squared});
  plot.panel(place.left, place.right, place.bottom, place.top,
             fmt::format("p of no memory up to each lag (default {})", marked));
  set_x_axis(plot, false, 0, lag.back() + 1);
  plot.add("set xtics 0,5 nomirror out; set logscale y");
  plot.add(
      fmt::format("set yrange [{}:1.6]; set ytics nomirror out ('1' 1, '0.05' 0.05, '1e-3' 1e-3, "
                  "'≤1e-6' 1e-6)",
                  kLeast / 1.6));
  plot.add(
      fmt::format("set arrow 1 from {0}, graph 0 to {0}, graph 1 nohead dt 3 lw 1 lc rgb '{1}'",
                  marked, palette::ink));
  const auto key = [&](int number, double y, std::string_view text, std::string_view colour) {
    plot.add(fmt::format(
        "set label {} {} at graph 0.985, graph {} right font 'DejaVu Sans,9' textcolor rgb '{}'",
        number, Gnuplot::quote(text), y, colour));
  };
  key(11, 0.34, "solid: values, robust", palette::kelp);
  key(12, 0.22, "dashed: values, plain", palette::brass);
  key(13, 0.10, "ringed: squares", palette::coral);
  plot.add(
      fmt::format("plot 0.05 dt 3 lw 1 lc rgb '{0}', {1} using 1:2 with lines lw 2 lc rgb '{2}', "
                  "{1} using 1:3 with "
                  "lines dt 2 lw 1.6 lc rgb '{3}', {1} using 1:4 with linespoints pt 6 ps 0.6 lw 1 "
                  "lc rgb '{4}'",
                  palette::ink, d, palette::kelp, palette::brass, palette::coral));
  plot.add("unset logscale y; unset arrow");
}

}  // namespace

void draw_first_look(const Series& values, const std::string& path,
                     const std::optional<Series>& level) {
  require_usable(values, 20, "a first look");
  Gnuplot plot(path);
  const int lags = std::min<int>(kLagsShown, static_cast<int>(values.present()) / 4);
  const LagTable of_values = lag_table(values, lags), of_squares = lag_table(squares(values), lags);
  const std::vector<double> x = x_of(values);
  const bool dated = !values.times.empty();
  const double split = 0.07, top = 0.93;
  if (level) {
    const std::vector<double> lx = x_of(*level);
    const std::string d = plot.data({lx, level->values});
    plot.panel(0.06, 0.60, 0.57, top, fmt::format("{}, as in the file", level->name));
    set_x_axis(plot, dated, lx.front(), lx.back());
    free_y(plot);
    plot.add(fmt::format("plot {} using 1:2 with lines lw 1.4 lc rgb '{}'", d, palette::ink));
  }
  const std::string d = plot.data({x, values.values});
  plot.panel(0.06, 0.60, split, level ? 0.45 : top, caption(values));
  set_x_axis(plot, dated, x.front(), x.back());
  free_y(plot);
  plot.add(fmt::format("plot 0 lc rgb '{}' lw 0.5, {} using 1:2 with impulses lw 0.8 lc rgb '{}'",
                       palette::ink, d, palette::tide));

  // One scale for both, since the pair is what decides.
  const LagBars bars = lag_bars(of_values, {}), square_bars = lag_bars(of_squares, {});
  std::vector<double> all = heights(bars);
  const std::vector<double> more = heights(square_bars);
  all.insert(all.end(), more.begin(), more.end());
  const auto y = padded_range(all);
  const bool returns = values.kind == Kind::log_return || values.kind == Kind::simple_return;
  const std::string noun = returns ? "return" : "value";
  lag_panel(plot, bars, y, {0.66, 0.985, 0.735, top},
            fmt::format("memory of the {}, by lag", noun));
  lag_panel(plot, square_bars, y, {0.66, 0.985, 0.42, 0.615}, "memory of its square");
  p_value_panel(plot, of_values, of_squares, {0.66, 0.985, split, 0.30});
  foot_note(plot,
            "bar: ACF   ring: PACF   band: 95 % of one lag of a white series whose volatility may "
            "cluster; "
            "dotted: of one that is even");
  plot.draw();
}

void draw_forecast(const Fit& fit, const Forecast& ahead, const std::string& path) {
  Gnuplot plot(path);
  const Series window = fit.window();
  const bool dated = !window.times.empty() && ahead.steps.front().date.has_value();
  // Enough of the past to judge the forecast by: six times the horizon, 60 to 250 rows.
  const std::size_t tail =
      std::min(window.size(), std::clamp<std::size_t>(6 * ahead.steps.size(), 60, 250));
  const std::size_t first = window.size() - tail;
  std::vector<double> x, y, sd;
  const std::vector<double> all_x = x_of(window);
  for (std::size_t t = first; t < window.size(); ++t) {
    x.push_back(dated ? all_x[t] : static_cast<double>(t + 1));
    y.push_back(window.values[t]);
    sd.push_back(std::sqrt(fit.variances[t]));
  }
  std::vector<double> fx, mean, point;
  // Outermost interval first, so that narrower ones are drawn over it.
  std::vector<std::vector<double>> return_low(ahead.intervals.size()),
      return_high = return_low, volatility_low = return_low, volatility_high = return_low;
  for (const ForecastStep& s : ahead.steps) {
    fx.push_back(dated ? static_cast<double>(s.date->time_since_epoch().count())
                       : static_cast<double>(window.size() + static_cast<std::size_t>(s.step)));
    mean.push_back(s.mean);
    point.push_back(std::sqrt(s.shown_variance()));
    for (std::size_t i = 0; i < ahead.intervals.size(); ++i) {
      return_low[i].push_back(s.return_interval[i].low);
      return_high[i].push_back(s.return_interval[i].high);
      const bool known = s.volatility_interval.empty();
      volatility_low[i].push_back(known ? point.back() : s.volatility_interval[i].low);
      volatility_high[i].push_back(known ? point.back() : s.volatility_interval[i].high);
    }
  }
  const double step = fx.size() > 1 ? fx[1] - fx[0] : (x.size() > 1 ? x[1] - x[0] : 1);
  const double low = x.front() - step, high = fx.back() + step;
  std::string levels;
  for (const int percent : ahead.intervals)
    levels += fmt::format("{}{}", levels.empty() ? "" : " and ", percent);
  const auto band_colour = [&](std::size_t i) {
    return i + 1 == ahead.intervals.size() ? palette::fog : palette::haze;
  };
  const auto bands = [&](const std::vector<std::vector<double>>& lows,
                         const std::vector<std::vector<double>>& highs) {
    std::string terms;
    for (std::size_t i = ahead.intervals.size(); i-- > 0;)
      terms += fmt::format("{} using 1:2:3 with filledcurves lc rgb '{}', ",
                           plot.data({fx, lows[i], highs[i]}), band_colour(i));
    return terms;
  };
  const auto origin_mark = [&] {
    plot.add(
        fmt::format("set arrow 1 from first {0:.10g}, graph 0 to first {0:.10g}, graph 1 nohead dt "
                    "3 lc rgb '{1}'",
                    (x.back() + fx.front()) / 2, palette::ink));
  };

  const std::string data = plot.data({x, y}), filtered = plot.data({x, sd});
  const std::string means = plot.data({fx, mean}), points = plot.data({fx, point});
  const std::string return_bands = bands(return_low, return_high);
  const std::string volatility_bands = bands(volatility_low, volatility_high);
  plot.panel(0.06, 0.985, 0.56, 0.87,
             fmt::format("{}; shaded: where the next ones lie with {} %; dashed: their mean",
                         caption(window), levels));
  plot.add(fmt::format(
      "set label 3 {} at screen 0.06,0.965 font 'DejaVu Sans,12' textcolor rgb '{}' noenhanced",
      Gnuplot::quote(ahead.model), palette::tide));
  set_x_axis(plot, dated, low, high);
  free_y(plot);
  origin_mark();
  plot.add(
      fmt::format("plot {}0 lc rgb '{}' lw 0.5, {} using 1:2 with impulses lw 1.6 lc rgb '{}', {} "
                  "using 1:2 with "
                  "lines dt 2 lw 1.6 lc rgb '{}'",
                  return_bands, palette::ink, data, palette::tide, means, palette::coral));
  plot.panel(
      0.06, 0.985, 0.09, 0.43,
      fmt::format("volatility{}: filtered, then forecast; shaded: where it lies with {} % ({}){}",
                  window.unit.empty() ? "" : fmt::format(", {} a {}", window.unit, window.period()),
                  levels, to_string(ahead.method),
                  ahead.long_run_variance ? "; dotted: its long run" : ""));
  set_x_axis(plot, dated, low, high);
  // From zero: a volatility is a size.
  plot.add("set yrange [0:*]; set ytics autofreq nomirror out");
  origin_mark();
  std::string command = fmt::format(
      "plot {}{} using 1:2 with lines lw 1.8 lc rgb '{}', {} using 1:2 with lines dt 2 lw 2 lc rgb "
      "'{}'",
      volatility_bands, filtered, palette::kelp, points, palette::coral);
  if (ahead.long_run_variance)
    command += fmt::format(", {:.10g} dt 3 lw 1.6 lc rgb '{}'", std::sqrt(*ahead.long_run_variance),
                           palette::brass);
  plot.add(command);
  plot.draw();
}

}  // namespace brace
