// SPDX-License-Identifier: Apache-2.0
// From a vector of prices without dates to a forecast; then the same with dates, from which the
// clock is learnt.
#include <brace/core.hpp>
#include <cmath>
#include <cstdio>
#include <vector>

int main() {
  // A price in code: 1,000 closes of a made-up kelp-fibre future.
  const brace::Series made = brace::simulate(brace::parse_model("const / garch / normal"),
                                             {.03, .02, .08, .9}, 1000, {.seed = 3});
  std::vector<double> prices{80};
  for (const double percent : made.values)
    prices.push_back(prices.back() * std::exp(percent / 100));

  const brace::Series returns = brace::log_returns(brace::make_series(prices, "kelp fibre"));
  const brace::Fit fit = brace::estimate("const / garch / normal", returns);
  const brace::Forecast ahead = brace::forecast(fit, {.horizon = 1});
  std::printf("volatility %.3f %s\n", std::sqrt(*ahead.steps[0].variance),
              brace::unit_a_period(ahead.unit, ahead.period).c_str());

  const std::vector<brace::Timestamp> days = brace::dates_after(
      *brace::parse_date("2022-01-03"), brace::Clock::business_day, prices.size());
  const brace::Series dated = brace::log_returns(brace::make_series(prices, days, "kelp fibre"));
  const brace::Fit same = brace::estimate("const / garch / normal", dated);
  const brace::Forecast tomorrow = brace::forecast(same, {.horizon = 1});
  std::printf("volatility %.3f %s, on %s\n", std::sqrt(*tomorrow.steps[0].variance),
              brace::unit_a_period(tomorrow.unit, tomorrow.period).c_str(),
              brace::format_date(*tomorrow.steps[0].date).c_str());
  return 0;
}
