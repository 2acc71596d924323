// SPDX-License-Identifier: Apache-2.0
// Decomposition panels and volatility profiles. Covered by tests/figures/figure_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "brace/base/text.hpp"
#include "brace/figures/figure.hpp"
#include "brace/series/transform.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
namespace {

// Marks with names along x, thinned to about `most`.
std::string named_marks(const std::vector<std::string>& names, std::size_t most) {
  const std::size_t step = (names.size() + most - 1) / most;
  std::string marks;
  for (std::size_t i = 0; i < names.size(); i += step)
    marks += fmt::format("{}{} {}", marks.empty() ? "" : ", ", Gnuplot::quote(names[i]), i + 1);
  return marks;
}

std::vector<double> counting(std::size_t n) {
  std::vector<double> x;
  for (std::size_t i = 1; i <= n; ++i) x.push_back(static_cast<double>(i));
  return x;
}

}  // namespace

void draw_decomposition(const Decomposition& parts, const std::string& path) {
  Gnuplot plot(path);
  const Series& s = parts.series;
  const bool dated = !s.times.empty(), ratio = parts.form == DecompositionForm::multiplicative;
  const std::vector<double> x = x_of(s);
  const Series adjusted = parts.adjusted();
  // Multiplicative parts as percent away from 1, which is what one reads off them.
  const auto shown = [&](std::vector<double> part) {
    if (ratio)
      for (double& v : part) v = 100 * (v - 1);
    return part;
  };
  const std::string d = plot.data(
      {x, s.values, parts.trend, shown(parts.season), shown(parts.remainder), adjusted.values});
  const auto axis = [&] { set_x_axis(plot, dated, x.front(), x.back()); };
  const std::string unit = ratio     ? ", percent of the trend"
                           : !s.unit ? ""
                                     : fmt::format(", {}", to_string(*s.unit));
  plot.panel(0.06, 0.66, 0.60, 0.93,
             fmt::format("{}: thin; seasonally adjusted: dashed; trend: bold", s.name));
  axis();
  free_y(plot);
  plot.add(fmt::format(
      "plot {0} using 1:2 with lines lw 1 lc rgb '{1}', {0} using 1:6 with lines dt 2 lw 1.3 lc "
      "rgb '{2}', {0} using 1:3 with lines lw 2.4 lc rgb '{3}'",
      d, palette::ink, palette::brass, palette::tide));
  plot.panel(0.06, 0.66, 0.335, 0.505, fmt::format("season{}", unit));
  axis();
  free_y(plot);
  plot.add(fmt::format("plot 0 lc rgb '{}' lw 0.5, {} using 1:4 with lines lw 1.4 lc rgb '{}'",
                       palette::ink, d, palette::kelp));
  plot.panel(0.06, 0.66, 0.07, 0.24, fmt::format("remainder{}", unit));
  axis();
  free_y(plot);
  plot.add(fmt::format("plot 0 lc rgb '{}' lw 0.5, {} using 1:5 with impulses lw 1.4 lc rgb '{}'",
                       palette::ink, d, palette::coral));

  const std::string typical =
      plot.data({counting(parts.places.size()), shown(parts.typical_season)});
  std::vector<std::string> names;
  for (const std::string& place : parts.places)
    // "Jan", "Mon", "quarter 1", "17".
    names.push_back(
        place.starts_with("quarter")
            ? place
            : place.substr(0, std::isdigit(static_cast<unsigned char>(place.front())) ? 12 : 3));
  plot.panel(0.725, 0.985, 0.335, 0.93, fmt::format("typical season{}", unit));
  set_x_axis(plot, false, 0.3, static_cast<double>(names.size()) + 0.7);
  plot.add(fmt::format("set xtics nomirror out ({}); set boxwidth 0.7", named_marks(names, 6)));
  free_y(plot);
  plot.add(fmt::format("plot 0 lc rgb '{}' lw 1, {} using 1:2 with boxes lc rgb '{}'", palette::ink,
                       typical, palette::kelp));
  const auto word = [&](int number, double y, const std::string& text) {
    plot.add(
        fmt::format("set label {} {} at screen 0.725,{} font 'DejaVu Sans,11' textcolor rgb '{}'",
                    number, Gnuplot::quote(text), y, palette::ink));
  };
  word(11, 0.205, fmt::format("share of the trend {}", text::fixed(parts.trend_share, 2)));
  word(12, 0.170, fmt::format("share of the season {}", text::fixed(parts.season_share, 2)));
  word(13, 0.135,
       fmt::format("{}, by {}, period {}", to_string(parts.form), to_string(parts.method),
                   parts.period));
  foot_note(plot, "share: of the variance that is not the other part's");
  plot.draw();
}

void draw_profile(const Series& values, const std::vector<VolatilityProfile>& profiles,
                  const std::string& path) {
  Gnuplot plot(path);
  const double gap = 0.075, width = (0.925 - gap * static_cast<double>(profiles.size() - 1)) /
                                    static_cast<double>(profiles.size());
  double left = 0.06;
  for (const VolatilityProfile& profile : profiles) {
    std::vector<double> factor, low, length;
    std::vector<std::string> names;
    for (const VolatilityProfile::Slot& slot : profile.slots) {
      factor.push_back(slot.factor);
      low.push_back(slot.factor - 1.96 * slot.error);
      length.push_back(2 * 1.96 * slot.error);
      names.push_back(profile.by == ProfileBy::weekday ? slot.label.substr(0, 3) : slot.label);
    }
    const std::string d = plot.data({counting(names.size()), factor, low, length});
    plot.panel(left, left + width, 0.57, 0.93,
               fmt::format("volatility by {}, average 1",
                           profile.by == ProfileBy::weekday ? "weekday" : "time of day"));
    set_x_axis(plot, false, 0.3, static_cast<double>(names.size()) + 0.7);
    plot.add(fmt::format("set xtics nomirror out ({}); set boxwidth 0.7", named_marks(names, 8)));
    plot.add("set yrange [0:*]; set ytics autofreq nomirror out");
    plot.add(
        fmt::format("plot {0} using 1:2 with boxes lc rgb '{1}', 1 dt 3 lw 1.4 lc rgb '{2}', {0} "
                    "using 1:3:(0):4 "
                    "with vectors nohead lw 1.6 lc rgb '{2}'",
                    d, palette::tide, palette::ink));
    left += width + gap;
  }
  // What dividing does: the daily wave in the memory of sizes goes.
  const Series divided = divided_by(values, profiles.front());
  const int season = std::max(2, season_length(values));
  const int lags = std::min(5 * season, static_cast<int>(values.present() / 4));
  const LagPrint options{.season = season};
  const LagBars before = lag_bars(lag_table(absolute_values(values), lags), options),
                after = lag_bars(lag_table(absolute_values(divided), lags), options);
  std::vector<double> all = heights(before);
  const std::vector<double> more = heights(after);
  all.insert(all.end(), more.begin(), more.end());
  const auto y = padded_range(all);
  lag_panel(plot, before, y, {0.06, 0.485, 0.08, 0.44},
            fmt::format("memory of the size of {}, by lag", values.name));
  lag_panel(plot, after, y, {0.56, 0.985, 0.08, 0.44},
            fmt::format("the same after division by the {} profile",
                        profiles.front().by == ProfileBy::weekday ? "weekday" : "time-of-day"));
  foot_note(plot,
            "whisker: 95 %   bar: ACF   ring: PACF   band: 95 % of a white series whose "
            "volatility may cluster");
  plot.draw();
}

}  // namespace brace::inline v0
