// SPDX-License-Identifier: Apache-2.0
// Figures of mean equations: fitted over actual, residuals, roots, forecasts of a hold-out side by
// side. Covered by tests/figures/figure_test.cpp; looked at in docs/screenshots.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/law_fit.hpp"
#include "brace/figures/figure.hpp"
#include "brace/model/model_line.hpp"
#include "figures/gnuplot.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
namespace {

void require_fit(const Fit& fit) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' is {}: there is nothing to draw ({})", to_string(fit.model),
                            to_string(fit.convergence.status), fit.convergence.why));
  require_path(fit, "a figure");
}

// z in time, with the range that normal shocks keep in 95 of 100 rows.
void residual_panel(Gnuplot& plot, const Series& z, const Place& place) {
  const std::string d = plot.data({x_of(z), z.values});
  const std::vector<double> x = x_of(z);
  plot.panel(place.left, place.right, place.bottom, place.top,
             "standardised residuals; ribbon: 95 of 100 if normal");
  set_x_axis(plot, !z.times.empty(), x.front(), x.back());
  free_y(plot);
  const std::string ribbon = plot.data({{x.front(), x.back()}, {-1.96, -1.96}, {1.96, 1.96}});
  plot.add(fmt::format(
      "plot {} using 1:2:3 with filledcurves lc rgb '{}', 0 lc rgb '{}' lw 0.5, {} using 1:2 with "
      "impulses lw 1 lc rgb '{}'",
      ribbon, palette::fog, palette::ink, d, palette::tide));
}

// Ordered z against the quantiles that shocks of the fitted law would have.
void quantile_panel(Gnuplot& plot, const Fit& fit, const Series& z, const Place& place) {
  std::vector<double> ordered = z.present_values(), expected;
  std::sort(ordered.begin(), ordered.end());
  const auto n = static_cast<double>(ordered.size());
  for (std::size_t i = 0; i < ordered.size(); ++i)
    expected.push_back(shock_quantile(fit, (static_cast<double>(i) + 0.5) / n));
  const std::string d = plot.data({expected, ordered});
  plot.panel(place.left, place.right, place.bottom, place.top,
             fmt::format("quantiles of z against the {} law's", law_name(fit.model.shocks)));
  set_x_axis(plot, false, 1.05 * expected.front(), 1.05 * expected.back());
  free_y(plot);
  plot.add(fmt::format("plot x lc rgb '{}' lw 1, {} using 1:2 with points pt 6 ps 0.5 lc rgb '{}'",
                       palette::ink, d, palette::tide));
}

// P of whiteness up to each lag, with the degrees of freedom that the fitted terms leave.
void whiteness_panel(Gnuplot& plot, const LagTable& table, int fitted, const Place& place) {
  constexpr double kLeast = 1e-4;
  std::vector<double> lag, p;
  for (const LagRow& row : table.rows)
    if (row.p_value) {
      lag.push_back(row.lag);
      p.push_back(std::max(*row.p_value, kLeast));
    }
  plot.panel(place.left, place.right, place.bottom, place.top,
             fmt::format("p of no memory up to each lag{}",
                         fitted > 0 ? fmt::format(" ({} fitted)", fitted) : ""));
  if (lag.empty()) lag = p = {kNaN};
  const std::string d = plot.data({lag, p});
  set_x_axis(plot, false, 0, static_cast<double>(table.rows.size()) + 1);
  plot.add("set xtics 0,5 nomirror out; set logscale y");
  plot.add(fmt::format(
      "set yrange [{}:1.6]; set ytics nomirror out ('1' 1, '.10' 0.1, '.05' 0.05, '.01' 0.01, "
      "'≤1e-4' 1e-4)",
      kLeast / 1.6));
  plot.add(fmt::format(
      "plot 0.1 dt 3 lw 1 lc rgb '{0}', 0.05 dt 2 lw 1 lc rgb '{0}', 0.01 dt 1 lw 1 lc rgb '{0}', "
      "{1} using 1:2 with linespoints pt 7 ps 0.5 lw 1.6 lc rgb '{2}'",
      palette::ink, d, palette::kelp));
  plot.add("unset logscale y");
}

}  // namespace

void draw_fit(const Fit& fit, const std::string& path) {
  require_fit(fit);
  Gnuplot plot(path);
  const Series window = fit.window(), z = fit.standardised();
  const std::vector<double> x = x_of(window);
  std::vector<double> fitted(window.size(), kNaN);
  for (std::size_t t = 0; t < window.size(); ++t)
    if (fit.counted[t]) fitted[t] = window.values[t] - fit.shocks[t];
  // Long series are drawn by their last rows: two lines over thousands of rows are one blot.
  constexpr std::size_t kShown = 400;
  const std::size_t first = window.size() > kShown ? window.size() - kShown : 0;
  const std::string d = plot.data({x, window.values, fitted});
  plot.panel(0.06, 0.985, 0.40, 0.87,
             fmt::format("{}; solid: actual, dashed: fitted one step ahead{}", caption(window),
                         first > 0 ? fmt::format(" (last {} rows)", kShown) : ""));
  set_x_axis(plot, !window.times.empty(), x[first], x.back());
  const auto [low, high] = padded_range(
      {window.values.begin() + static_cast<std::ptrdiff_t>(first), window.values.end()});
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", low, high));
  plot.add(fmt::format(
      "plot {0} using 1:2 with lines lw 1.6 lc rgb '{1}', {0} using 1:3 with lines dt 2 lw 1.6 lc "
      "rgb '{2}'",
      d, palette::ink, palette::coral));
  residual_panel(plot, z, {0.06, 0.985, 0.08, 0.28});
  page_frame(
      plot, to_string(fit.model),
      "fitted: the forecast from the rows before; residual: actual less fitted, over its sd");
  plot.draw();
}

void draw_check(const Fit& fit, const Check& check, const std::string& path) {
  require_fit(fit);
  Gnuplot plot(path);
  const Series z = fit.standardised();
  const int fitted = arma_terms(fit.model);
  const int lags = std::min(static_cast<int>(z.present()) / 4, std::max(30, check.lags_looked_at));
  residual_panel(plot, z, {0.06, 0.60, 0.56, 0.87});
  const LagTable table = lag_table(z, lags, fitted);
  const LagBars bars = lag_bars(table, {});
  lag_panel(plot, bars, padded_range(heights(bars)), {0.06, 0.60, 0.09, 0.43},
            "memory of z by lag; bar: ACF, ring: PACF, band: 95 %");
  quantile_panel(plot, fit, z, {0.67, 0.985, 0.56, 0.87});
  const Place last{0.67, 0.985, 0.09, 0.43};
  const bool variance = !std::holds_alternative<Steady>(fit.model.variance);
  if (variance) {
    Series z2 = z;
    for (double& v : z2.values) v *= v;
    const LagBars squares = lag_bars(lag_table(z2, lags), {.band = LagBand::white});
    lag_panel(plot, squares, padded_range(heights(squares)), last, "memory of z^2 by lag");
  } else {
    whiteness_panel(plot, table, fitted, last);
  }
  page_frame(plot,
             fmt::format("{}: {}", variance ? to_string(fit.model) : mean_part(fit.model),
                         to_string(check.verdict)),
             variance
                 ? "a variance equation should leave no bar of z^2 outside the band"
                 : "p by Ljung-Box, degrees of freedom less the fitted terms; lines: .10, .05, "
                   ".01");
  plot.draw();
}

void draw_roots(const Fit& fit, const Check& check, const std::string& path) {
  require_fit(fit);
  if (check.roots.empty())
    throw Error(
        ErrorCode::bad_option,
        fmt::format("'{}' has no ARMA terms, so it has no roots to draw", to_string(fit.model)));
  Gnuplot plot(path);
  std::vector<std::vector<double>> ar(2), ma(2);
  double nearest = 0;
  for (const InverseRoot& r : check.roots) {
    auto& side = r.ar ? ar : ma;
    side[0].push_back(r.value.real());
    side[1].push_back(r.value.imag());
    nearest = std::max(nearest, std::abs(r.value));
  }
  for (auto* side : {&ar, &ma})
    if ((*side)[0].empty()) *side = {{kNaN}, {kNaN}};
  std::vector<double> cx, cy, ex, ey;
  for (int i = 0; i <= 360; ++i) {
    cx.push_back(std::cos(i * 0.017453292519943295));
    cy.push_back(std::sin(i * 0.017453292519943295));
    ex.push_back(0.95 * cx.back());
    ey.push_back(0.95 * cy.back());
  }
  const std::string circle = plot.data({cx, cy}), inner = plot.data({ex, ey}), a = plot.data(ar),
                    m = plot.data(ma);
  plot.panel(
      0.20, 0.80, 0.10, 0.87,
      fmt::format("inverse roots; dot: AR, ring: MA; dotted: .95 of the unit circle; largest "
                  "{}",
                  text::fixed(nearest, 3)));
  plot.add("set size ratio -1; set xrange [-1.15:1.15]; set yrange [-1.15:1.15]");
  plot.add("set xtics -1,0.5,1 nomirror out; set ytics -1,0.5,1 nomirror out");
  plot.add(fmt::format(
      "plot {0} using 1:2 with lines lw 1.6 lc rgb '{1}', {2} using 1:2 with lines dt 3 lw 1.2 lc "
      "rgb '{1}', 0 lw 0.5 lc rgb '{6}', {3} using 1:2 with points pt 7 ps 1.6 lc rgb '{4}', {5} "
      "using 1:2 with points pt 6 ps 1.8 lw 2 lc rgb '{7}'",
      circle, palette::ink, inner, a, palette::kelp, m, palette::fog, palette::brass));
  page_frame(
      plot, to_string(fit.model),
      "inside: stationary, invertible; a dot in a ring: two terms that cancel; near the circle: a "
      "root at the edge");
  plot.draw();
}

void draw_comparison(const Comparison& comparison, const std::string& path) {
  if (comparison.held_out.size() == 0)
    throw Error(ErrorCode::bad_option,
                "the figure of a comparison is of its hold-out: keep one back with `hold_out`");
  Gnuplot plot(path);
  std::vector<const Compared*> shown;
  for (const std::vector<Compared>* part : {&comparison.models, &comparison.baselines})
    for (const Compared& c : *part)
      if (c.hold_out) shown.push_back(&c);
  constexpr std::size_t kMost = 9;
  if (shown.size() > kMost) shown.resize(kMost);
  const std::size_t columns = shown.size() <= 4 ? 2 : 3;
  const std::size_t rows = (shown.size() + columns - 1) / columns;
  // Enough of the past to see where the forecasts start from.
  const Series& training = comparison.training;
  const std::size_t tail = std::min(training.size(), 2 * comparison.held_out.size());
  Series seen = training;
  seen.keep_rows(training.size() - tail, training.size());
  Series all = seen;
  all.append(comparison.held_out);
  const std::vector<double> x = x_of(all);
  const std::vector<double> ahead(x.begin() + static_cast<std::ptrdiff_t>(tail), x.end());
  std::vector<double> range = all.values;
  for (const Compared* c : shown) {
    range.insert(range.end(), c->hold_out->mean.begin(), c->hold_out->mean.end());
  }
  auto [low, high] = padded_range(range);
  // Bands may run out of the frame; the actual values and the forecasts may not.
  const double room = 0.25 * (high - low);
  low -= room;
  high += room;
  const std::string actual = plot.data({x, all.values});
  const double width = 0.93 / static_cast<double>(columns);
  const double height = 0.84 / static_cast<double>(rows);
  for (std::size_t i = 0; i < shown.size(); ++i) {
    const HoldOutForecast& f = *shown[i]->hold_out;
    const auto column = static_cast<double>(i % columns), row = static_cast<double>(i / columns);
    const double left = 0.055 + column * width;
    const double top = 0.905 - row * height;
    std::vector<double> lower, upper;  // the widest interval
    for (const std::vector<PredictionInterval>& ends : f.intervals) {
      lower.push_back(ends.empty() ? kNaN : ends.back().low);
      upper.push_back(ends.empty() ? kNaN : ends.back().high);
    }
    const std::string band = plot.data({ahead, lower, upper});
    const std::string mean = plot.data({ahead, f.mean});
    std::string label = shown[i]->fit ? mean_part(shown[i]->fit->model) : shown[i]->label;
    if (shown[i]->fit && comparison.conditional) label = shown[i]->label;
    const std::size_t most = columns == 2 ? 62 : 38;
    if (label.size() > most) label = label.substr(0, most - 1) + "~";
    plot.panel(left, left + width - 0.045, top - height + 0.075, top - 0.02, label);
    plot.add(fmt::format(
        "set label 11 {} at graph 0.02, graph 0.94 font 'DejaVu Sans,10' textcolor rgb '{}'",
        Gnuplot::quote(fmt::format("rmse {}", text::significant(f.accuracy.rmse, 3))),
        palette::coral));
    set_x_axis(plot, !all.times.empty(), x.front(), x.back());
    plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", low, high));
    plot.add(fmt::format(
        "plot {} using 1:2:3 with filledcurves lc rgb '{}', {} using 1:2 with lines lw 1.4 lc rgb "
        "'{}', {} using 1:2 with lines dt 2 lw 2 lc rgb '{}'",
        band, palette::fog, actual, palette::ink, mean, palette::coral));
  }
  const std::vector<PredictionInterval>& ends = shown.front()->hold_out->intervals.front();
  page_frame(plot,
             fmt::format("{}: each forecast of the last {} rows over what happened",
                         caption(training), comparison.held_out.size()),
             "solid: actual   dashed: forecast from the start of the hold-out" +
                 (ends.empty() ? "" : fmt::format("   shaded: its {} %", ends.back().percent)));
  plot.draw();
}

}  // namespace brace::inline v0
