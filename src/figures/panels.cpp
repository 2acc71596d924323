// SPDX-License-Identifier: Apache-2.0
// Shared parts of figures. Covered by tests/figures/figure_test.cpp.
#include "figures/panels.hpp"

#include <date/date.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace brace::inline v0 {
namespace {

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

}  // namespace

std::vector<double> x_of(const Series& s) {
  std::vector<double> x;
  for (std::size_t i = 0; i < s.size(); ++i)
    x.push_back(s.times.empty() ? static_cast<double>(i + 1)
                                : static_cast<double>(s.times[i].time_since_epoch().count()));
  return x;
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

std::string caption(const Series& s) {
  return s.unit ? fmt::format("{}, {}", s.name, s.unit_a_period()) : s.name;
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

LagBars lag_bars(const LagTable& table, const LagPrint& options) {
  LagBars out;
  for (const LagRow& row : table.rows) {
    out.lag.push_back(row.lag);
    out.bar.push_back(row.acf);
    out.dot.push_back(row.pacf);
    out.band.push_back(band_of(table, row, options.band));
  }
  out.white_band = options.band == LagBand::white ? 0 : table.band_95;
  out.season = options.season.value_or(0);
  return out;
}

std::vector<double> heights(const LagBars& bars) {
  std::vector<double> all;
  for (const std::vector<double>* part : {&bars.bar, &bars.dot})
    all.insert(all.end(), part->begin(), part->end());
  for (const double b : bars.band) {
    all.push_back(b);
    all.push_back(-b);
  }
  return all;
}

void lag_panel(Gnuplot& plot, const LagBars& bars, std::pair<double, double> y, const Place& place,
               const std::string& title) {
  // The ribbon in steps, each as wide as its lag.
  std::vector<double> edge, low, high;
  for (std::size_t i = 0; i < bars.lag.size(); ++i)
    for (const double side : {-0.5, 0.5}) {
      edge.push_back(bars.lag[i] + side);
      low.push_back(-bars.band[i]);
      high.push_back(bars.band[i]);
    }
  const std::string ribbon = plot.data({edge, low, high});
  const bool dots = !bars.dot.empty();
  const std::string d = plot.data({bars.lag, bars.bar, dots ? bars.dot : bars.bar});
  const double last = bars.lag.back();
  plot.panel(place.left, place.right, place.bottom, place.top, title);
  set_x_axis(plot, false, 0, last + 1);
  const bool seasonal = bars.season > 1 && 2 * bars.season <= last;
  plot.add(fmt::format("set xtics 0,{} nomirror out; set boxwidth 0.55", seasonal    ? bars.season
                                                                         : last > 60 ? 20
                                                                                     : 5));
  plot.add(fmt::format("set yrange [{}:{}]; set ytics autofreq nomirror out", y.first, y.second));
  std::string command =
      fmt::format("plot {} using 1:2:3 with filledcurves lc rgb '{}', 0 lc rgb '{}' lw 1", ribbon,
                  palette::fog, palette::ink);
  if (bars.white_band > 0)
    command += fmt::format(", {0:.8g} dt 3 lw 1 lc rgb '{1}', {2:.8g} dt 3 lw 1 lc rgb '{1}'",
                           bars.white_band, palette::ink, -bars.white_band);
  command += fmt::format(", {} using 1:2 with boxes lc rgb '{}'", d, palette::kelp);
  if (dots)
    command +=
        fmt::format(", {} using 1:3 with points pt 6 ps 0.9 lw 1.6 lc rgb '{}'", d, palette::brass);
  plot.add(command);
}

void foot_note(Gnuplot& plot, const std::string& text) {
  plot.add(fmt::format(
      "set label 2 {} at screen 0.985,0.018 right font 'DejaVu Sans,10' textcolor rgb '{}'",
      Gnuplot::quote(text), palette::ink));
  plot.add(
      "set xrange [0:1]; set yrange [0:1]; unset border; unset tics; unset object; unset label 1");
  plot.add("unset logscale; plot NaN");
}

void page_frame(Gnuplot& plot, const std::string& headline, const std::string& note) {
  plot.add("unset label");
  plot.add(fmt::format(
      "set label 3 {} at screen 0.06,0.965 font 'DejaVu Sans,12' textcolor rgb '{}' noenhanced",
      Gnuplot::quote(headline), palette::tide));
  foot_note(plot, note);
}

}  // namespace brace::inline v0
