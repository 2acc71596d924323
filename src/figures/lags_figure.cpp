// SPDX-License-Identifier: Apache-2.0
// The figure of lags. Covered by tests/figures/figure_test.cpp.
#include <fmt/format.h>

#include <algorithm>

#include "brace/figures/figure.hpp"
#include "brace/series/transform.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {

void draw_lags(const Series& values, int lags, const LagPrint& options, const std::string& path) {
  require_usable(values, 20, "a figure of lags");
  Gnuplot plot(path);
  const auto bars_for = [&](const Series& series) {
    return lag_bars(lag_table(series, lags), options);
  };
  const LagBars of_values = bars_for(values), of_squares = bars_for(squares(values)),
                of_sizes = bars_for(absolute_values(values));
  LagBars leverage;
  for (const LeverageRow& row : leverage_table(values, lags).rows) {
    leverage.lag.push_back(row.lag);
    leverage.bar.push_back(row.correlation);
    leverage.band.push_back(row.band_robust);
  }
  leverage.season = options.season.value_or(0);
  // One scale for all: what is small beside the rest looks small.
  std::vector<double> all;
  for (const LagBars* bars :
       std::initializer_list<const LagBars*>{&of_values, &of_squares, &of_sizes, &leverage}) {
    const std::vector<double> part = heights(*bars);
    all.insert(all.end(), part.begin(), part.end());
  }
  const auto y = padded_range(all);
  const std::string noun = is_return(values.kind) ? "return" : "value";
  lag_panel(plot, of_values, y, {0.06, 0.49, 0.57, 0.93},
            fmt::format("memory of {}, by lag", values.name));
  lag_panel(plot, of_squares, y, {0.555, 0.985, 0.57, 0.93}, "memory of its square");
  lag_panel(plot, leverage, y, {0.06, 0.49, 0.08, 0.44},
            fmt::format("{} with the square that comes later", noun));
  lag_panel(plot, of_sizes, y, {0.555, 0.985, 0.08, 0.44}, "memory of its size");
  constexpr const char* kBands[] = {
      "a white series whose volatility may cluster; dotted: of one that is even",
      "a white series of even volatility",
      "a moving average that ends one lag before; dotted: of a white series"};
  foot_note(plot, fmt::format("bar: ACF   ring: PACF   band: 95 % of one lag of {}{}",
                              kBands[static_cast<std::size_t>(options.band)],
                              options.season && 2 * *options.season <= lags
                                  ? fmt::format("   marks: multiples of {}", *options.season)
                                  : ""));
  plot.draw();
}

}  // namespace brace::inline v0
