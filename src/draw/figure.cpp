// SPDX-License-Identifier: Apache-2.0
// The two figures of the slice. Covered by tests/draw/figure_test.cpp; looked at in
// docs/screenshots.
#include "brace/draw/figure.hpp"

#include <date/date.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/series/transform.hpp"
#include "draw/gnuplot.hpp"

namespace brace {
namespace {

constexpr int kLagsShown = 30;

// Seconds since 1970, or the row number where there are no dates.
std::vector<double> x_of(const Series& s) {
  std::vector<double> x;
  for (std::size_t i = 0; i < s.size(); ++i)
    x.push_back(s.times.empty() ? static_cast<double>(i + 1)
                                : static_cast<double>(s.times[i].time_since_epoch().count()));
  return x;
}

// About six marks at round dates: the start of years or months, or midnights.
std::string date_marks(double low, double high) {
  using namespace std::chrono;
  const auto at = [](double x) { return sys_seconds(seconds(static_cast<long>(x))); };
  const double days_shown = (high - low) / 86400;
  const bool years = days_shown > 3 * 365, months_shown = !years && days_shown > 100;
  const int step = std::max(1, static_cast<int>(std::lround(days_shown /
                                                            (years          ? 365.25
                                                             : months_shown ? 30.4
                                                                            : 1) /
                                                            6)));
  year_month_day mark(floor<days>(at(low)));
  if (years) mark = mark.year() / January / 1;
  if (months_shown) mark = mark.year() / mark.month() / 1;
  std::string marks;
  for (;;) {
    const auto x = static_cast<double>(sys_seconds(sys_days(mark)).time_since_epoch().count());
    if (x > high) return marks;
    if (x >= low) {
      const std::string label = date::format(years          ? "%Y"
                                             : months_shown ? "%b %Y"
                                                            : "%d %b",
                                             sys_days(mark));
      marks += fmt::format("{}{} {:.10g}", marks.empty() ? "" : ", ", Gnuplot::quote(label), x);
    }
    if (years)
      mark += std::chrono::years(step);
    else if (months_shown)
      mark += months(step);
    else
      mark = sys_days(mark) + days(step);
  }
}

void set_x_axis(Gnuplot& plot, bool dated, double low, double high) {
  plot.add(fmt::format("set xrange [{:.10g}:{:.10g}]", low, high));
  if (dated)
    plot.add(fmt::format("set xtics nomirror out ({})", date_marks(low, high)));
  else
    plot.add("set xtics autofreq nomirror out");
}

void free_y(Gnuplot& plot) {
  plot.add("set yrange [*:*]; set ytics autofreq nomirror out");
}

// "log return of settle, percent a day".
std::string caption(const Series& s) {
  return s.unit.empty() ? s.name : fmt::format("{}, {} a {}", s.name, s.unit, s.period());
}

std::pair<double, double> padded_range(const std::vector<double>& values) {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (const double v : values)
    if (std::isfinite(v)) {
      low = std::min(low, v);
      high = std::max(high, v);
    }
  const double pad = 0.04 * (high - low);
  return {low - pad, high + pad};
}

// ACF as bars, PACF as open dots, the band of white noise as a fog ribbon.
void lag_panel(Gnuplot& plot, const LagTable& table, std::pair<double, double> y, double bottom,
               double top, const std::string& title) {
  std::vector<double> lag, acf, pacf;
  for (const LagRow& row : table.rows) {
    lag.push_back(row.lag);
    acf.push_back(row.acf);
    pacf.push_back(row.pacf);
  }
  const std::string d = plot.data({lag, acf, pacf});
  plot.panel(0.66, 0.985, bottom, top, title);
  set_x_axis(plot, false, 0, static_cast<double>(lag.size()) + 1);
  plot.add("set xtics 0,5 nomirror out; set boxwidth 0.55");
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", y.first, y.second));
  plot.add(fmt::format(
      "set object 1 rectangle from graph 0, first {} to graph 1, first {} fc rgb '{}' fs solid "
      "noborder behind",
      -table.band_95, table.band_95, palette::fog));
  plot.add(fmt::format(
      "plot 0 lc rgb '{0}' lw 1, {1} using 1:2 with boxes lc rgb '{2}', {1} using 1:3 with points "
      "pt 6 ps 0.9 lw 1.6 lc rgb '{3}'",
      palette::ink, d, palette::kelp, palette::brass));
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
  std::vector<double> all{of_values.band_95, -of_values.band_95};
  for (const LagTable* table : {&of_values, &of_squares})
    for (const LagRow& row : table->rows) {
      all.push_back(row.acf);
      all.push_back(row.pacf);
    }
  const auto y = padded_range(all);
  const bool returns = values.kind == Kind::log_return || values.kind == Kind::simple_return;
  const std::string noun = returns ? "return" : "value";
  lag_panel(plot, of_values, y, 0.57, top, fmt::format("memory of the {}, by lag", noun));
  lag_panel(plot, of_squares, y, split, 0.45, "memory of its square");
  plot.add(fmt::format(
      "set label 2 {} at screen 0.985,0.018 right font 'DejaVu Sans,10' textcolor rgb '{}'",
      Gnuplot::quote("bar: ACF   ring: PACF   band: 95 % of white noise"), palette::ink));
  plot.add(
      "set xrange [0:1]; set yrange [0:1]; unset border; unset tics; unset object; unset label 1");
  plot.add("plot NaN");
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
    point.push_back(std::sqrt(s.variance));
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
