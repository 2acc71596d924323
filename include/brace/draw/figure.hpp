// SPDX-License-Identifier: Apache-2.0
// Figures through gnuplot: PNG, SVG or PDF by the ending of the file name.
//
//   brace::draw_first_look(returns, "first-look.png", prices);
//   brace::draw_forecast(fitted, ahead, "forecast.svg");
#pragma once

#include <optional>
#include <string>

#include "brace/forecast/forecast.hpp"
#include "brace/model/fit.hpp"
#include "brace/series/series.hpp"

namespace brace {

// Left: the level (where there is one) over the values to be modelled; right: what decides the
// model, the memory of the values and of their squares, each as one panel with ACF as bars, PACF as
// open dots and the white-noise band. Throws Error (cannot_draw, cannot_write).
void draw_first_look(const Series& values, const std::string& path,
                     const std::optional<Series>& level = std::nullopt);

// Top: the tail of the data and the return intervals ahead. Bottom: the volatility filtered so far,
// its forecast and the interval of the volatility itself. Titled by the model line.
void draw_forecast(const Fit& fit, const Forecast& ahead, const std::string& path);

}  // namespace brace
