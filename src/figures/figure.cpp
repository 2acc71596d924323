// SPDX-License-Identifier: Apache-2.0
// The first look and the forecast. Covered by tests/figures/figure_test.cpp; looked at in
// docs/screenshots.
#include "brace/figures/figure.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/series/transform.hpp"
#include "figures/gnuplot.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
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
  // Returns are strokes from zero, and levels lines.
  plot.add(counts_from_zero(values)
               ? fmt::format("plot 0 lc rgb '{}' lw 0.5, {} using 1:2 with impulses lw 0.8 lc rgb "
                             "'{}'",
                             palette::ink, d, palette::tide)
               : fmt::format("plot {} using 1:2 with lines lw 1.4 lc rgb '{}'", d, palette::ink));

  // One scale for both, since the pair is what decides.
  const LagBars bars = lag_bars(of_values, {}), square_bars = lag_bars(of_squares, {});
  std::vector<double> all = heights(bars);
  const std::vector<double> more = heights(square_bars);
  all.insert(all.end(), more.begin(), more.end());
  const auto y = padded_range(all);
  const std::string noun = is_return(values.kind) ? "return" : "value";
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

namespace {

// One quantity in time: what was, what is forecast, and what happened.
struct Outlook {
  std::string title;
  std::vector<double> x, past;  // the tail of the data
  std::vector<double> fx, centre;
  std::vector<std::vector<double>> low, high;  // of each interval, narrowest first
  std::vector<double> actual;                  // of the rows ahead; NaN where it is not known
  bool strokes = false, from_zero = false;
  std::optional<double> level;  // dotted
  std::string_view colour;
};

std::vector<std::string_view> band_colours(std::size_t count) {
  std::vector<std::string_view> colours(count, palette::slate);
  if (count > 1) colours[count - 2] = palette::haze;
  colours.back() = palette::fog;
  return colours;
}

// The times that the panels share: what is drawn, a row wider on both sides, and where what is
// known ends.
struct Span {
  double from, to, now;
};

Span span_of(const Outlook& values, const Outlook& volatility) {
  const std::vector<double>& fx = values.fx;
  const double step = fx.size() > 1         ? fx[1] - fx[0]
                      : values.x.size() > 1 ? values.x[1] - values.x[0]
                                            : 1;
  return {std::min(values.x.front(), volatility.x.front()) - step, fx.back() + step,
          (values.x.back() + fx.front()) / 2};
}

void outlook_panel(Gnuplot& plot, const Outlook& o, const Span& span, bool dated,
                   const Place& place) {
  const std::string past = plot.data({o.x, o.past}), centre = plot.data({o.fx, o.centre});
  std::string terms;
  // Outermost interval first, so that narrower ones are drawn over it.
  const std::vector<std::string_view> colours = band_colours(o.low.size());
  for (std::size_t i = o.low.size(); i-- > 0;)
    terms += fmt::format("{} using 1:2:3 with filledcurves lc rgb '{}', ",
                         plot.data({o.fx, o.low[i], o.high[i]}), colours[i]);
  plot.panel(place.left, place.right, place.bottom, place.top, o.title);
  set_x_axis(plot, dated, span.from, span.to);
  if (o.from_zero)
    plot.add("set yrange [0:*]; set ytics autofreq nomirror out");
  else
    free_y(plot);
  plot.add(
      fmt::format("set arrow 1 from first {0:.10g}, graph 0 to first {0:.10g}, graph 1 nohead dt "
                  "3 lc rgb '{1}'",
                  span.now, palette::ink));
  if (o.strokes) terms += fmt::format("0 lc rgb '{}' lw 0.5, ", palette::ink);
  terms += fmt::format("{} using 1:2 with {} lw {} lc rgb '{}', ", past,
                       o.strokes ? "impulses" : "lines", o.strokes ? 1.6 : 1.8, o.colour);
  // A single step is a point: a line of one point is not seen.
  terms += fmt::format("{} using 1:2 with {} dt 2 lw 2 lc rgb '{}'", centre,
                       o.fx.size() > 1 ? "lines" : "points pt 7 ps 0.9", palette::coral);
  if (std::any_of(o.actual.begin(), o.actual.end(), [](double v) { return !std::isnan(v); })) {
    const std::string actual = plot.data({o.fx, o.actual});
    terms += o.strokes ? fmt::format(", {} using 1:2 with points pt 6 ps 0.8 lw 1.6 lc rgb '{}'",
                                     actual, palette::ink)
                       : fmt::format(
                             ", {} using 1:2 with linespoints pt 6 ps 0.7 lw 1.6 lc rgb "
                             "'{}'",
                             actual, palette::ink);
  }
  if (o.level) terms += fmt::format(", {:.10g} dt 3 lw 1.6 lc rgb '{}'", *o.level, palette::brass);
  plot.add("plot " + terms);
  plot.add("unset arrow 1");
}

// Joined to the last value that is known, so that line and fan do not hang in the air.
void join_to_past(Outlook& o) {
  if (o.strokes || o.past.empty() || std::isnan(o.past.back())) return;
  const double last = o.past.back();
  o.fx.insert(o.fx.begin(), o.x.back());
  o.centre.insert(o.centre.begin(), last);
  o.actual.insert(o.actual.begin(), last);
  for (auto* side : {&o.low, &o.high})
    for (std::vector<double>& ends : *side) ends.insert(ends.begin(), last);
}

void add_tail(Outlook& o, const Series& series, const std::vector<double>& values, bool dated,
              std::size_t rows) {
  const std::vector<double> x = x_of(series);
  for (std::size_t t = series.size() - std::min(rows, series.size()); t < series.size(); ++t) {
    o.x.push_back(dated ? x[t] : static_cast<double>(t + 1));
    o.past.push_back(values[t]);
  }
}

}  // namespace

void draw_forecast(const Fit& fit, const Forecast& ahead, const std::string& path,
                   const ForecastSurroundings& around) {
  require_path(fit, "a figure");
  Gnuplot plot(path);
  const Series window = fit.window();
  const bool dated = !window.times.empty() && ahead.steps.front().date.has_value();
  // Levels on the file's own scale where it is known; returns stay what was modelled.
  const bool on_file = !is_return(window.kind) && around.level && !ahead.original.empty();
  const bool strokes = !on_file && !ahead.of_level;
  const Series& shown = on_file ? *around.level : window;
  // Enough of the past to judge the forecast by: six times the horizon, 60 to 250 rows.
  const std::size_t tail =
      std::min(shown.size(), std::clamp<std::size_t>(6 * ahead.steps.size(), 60, 250));
  Outlook values, volatility;
  values.strokes = strokes;
  values.colour = strokes ? palette::tide : palette::ink;
  volatility.from_zero = true;  // a volatility is a size
  volatility.colour = palette::kelp;
  add_tail(values, shown, shown.values, dated, tail);
  std::vector<double> sd;
  for (const double h : fit.variances) sd.push_back(std::sqrt(h));
  add_tail(volatility, window, sd, dated, tail);
  for (Outlook* o : {&values, &volatility}) {
    o->low.resize(ahead.intervals.size());
    o->high.resize(ahead.intervals.size());
  }
  const Series& happened = on_file ? around.level_held_out : around.held_out;
  const auto last_row = static_cast<double>(shown.size());
  for (std::size_t k = 0; k < ahead.steps.size(); ++k) {
    const ForecastStep& s = ahead.steps[k];
    const double at =
        dated ? static_cast<double>(s.date->time_since_epoch().count()) : last_row + s.step;
    values.fx.push_back(at);
    volatility.fx.push_back(at);
    const OriginalStep* there = on_file ? &ahead.original[k] : nullptr;
    values.centre.push_back(!there                                ? s.mean
                            : ahead.back == BackTransform::median ? there->median
                                                                  : there->mean);
    values.actual.push_back(k < happened.size() ? happened.values[k] : kNaN);
    volatility.centre.push_back(std::sqrt(s.shown_variance()));
    for (std::size_t i = 0; i < ahead.intervals.size(); ++i) {
      const PredictionInterval& interval = there ? there->interval[i] : s.return_interval[i];
      values.low[i].push_back(interval.low);
      values.high[i].push_back(interval.high);
      const bool known = s.volatility_interval.empty();
      volatility.low[i].push_back(known ? volatility.centre.back() : s.volatility_interval[i].low);
      volatility.high[i].push_back(known ? volatility.centre.back()
                                         : s.volatility_interval[i].high);
    }
  }
  std::vector<std::string> levels;
  for (const double percent : ahead.intervals) levels.push_back(fmt::format("{:g}", percent));
  const bool known = std::any_of(values.actual.begin(), values.actual.end(),
                                 [](double v) { return !std::isnan(v); });
  values.title = on_file ? fmt::format("{}, as in the file", around.level->name) : caption(window);
  const Span span = span_of(values, volatility);
  join_to_past(values);
  const bool varies = ahead.volatility_varies;
  outlook_panel(plot, values, span, dated, {0.06, 0.985, varies ? 0.56 : 0.09, 0.87});
  if (varies) {
    volatility.title = fmt::format("volatility{}: filtered, then forecast",
                                   window.unit ? ", " + window.unit_a_period() : "");
    if (ahead.long_run_variance) volatility.level = std::sqrt(*ahead.long_run_variance);
    outlook_panel(plot, volatility, span, dated, {0.06, 0.985, 0.09, 0.43});
  }
  page_frame(plot, ahead.model,
             fmt::format("shaded: where it lies with {} % ({})   dashed: {}{}{}",
                         fmt::join(levels, ", "), to_string(ahead.method),
                         on_file ? to_string(ahead.back) : std::string_view("mean"),
                         known ? "   ring: what happened" : "",
                         varies && ahead.long_run_variance ? "   dotted: long run" : ""));
  plot.draw();
}

}  // namespace brace::inline v0
