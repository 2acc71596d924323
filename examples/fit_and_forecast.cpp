// SPDX-License-Identifier: Apache-2.0
// Fit and forecast from code: prices in, a checked volatility forecast with intervals out.
//   example_fit_and_forecast data/kelp-fibre.csv
#include <brace/brace.hpp>
#include <iostream>

int main(int argc, char** argv) {
  try {
    const std::string path = argc > 1 ? argv[1] : "data/kelp-fibre.csv";
    const brace::Series prices = brace::read_csv(path, {.value = "settle", .drop_zero = "volume"});
    const brace::Series returns = brace::log_returns(prices);  // percent

    const brace::Fit fitted = brace::estimate("const / garch / student", returns);
    if (!fitted.usable()) {  // a fit that fails is a value: ask it before using it
      std::cerr << fitted;
      return 3;
    }
    std::cout << fitted << '\n' << brace::check(fitted) << '\n';

    const brace::Forecast ahead = brace::forecast(fitted, {.horizon = 5, .intervals = {50, 95}});
    std::cout << ahead << '\n';
    const brace::ForecastStep& tomorrow = ahead.steps.front();
    std::cout << "next day's volatility: " << brace::text::fixed(tomorrow.sd, 2) << ' '
              << to_string(*ahead.unit) << '\n';
    return 0;
  } catch (const brace::Error& error) {
    std::cerr << error.what() << '\n';
    return brace::exit_status(error);
  }
}
