// SPDX-License-Identifier: Apache-2.0
// From a monthly price to a series that may be modelled, and back to prices.
//   example_season_and_back data/lamp-oil.csv
#include <algorithm>
#include <brace/brace.hpp>
#include <cmath>
#include <iostream>

int main(int argc, char** argv) {
  try {
    const brace::Series price = brace::read_csv(argc > 1 ? argv[1] : "data/lamp-oil.csv");
    std::cout << brace::decompose(price) << '\n';

    // The last two years are kept back: the power of Box and Cox is learnt from the rest.
    const std::size_t held_out = brace::rows_held_out(price, {.count = 24});
    const brace::Transformed changes =
        brace::transform(price, brace::parse_chain("boxcox diff1 diff12"), price.size() - held_out);
    const brace::PowerEstimate power = *changes.links[0].estimated;
    std::cout << "Box-Cox power " << brace::text::fixed(power.power, 2) << ", 95 % from "
              << brace::text::fixed(power.low, 2) << " to " << brace::text::fixed(power.high, 2)
              << '\n';

    // The way back gives the prices again, the missing month still missing.
    const brace::Series again = changes.inverse(changes.series.values);
    double worst = 0;
    for (std::size_t t = 0; t < price.size(); ++t)
      if (!std::isnan(price.values[t]))
        worst = std::max(worst, std::abs(again.values[t] / price.values[t] - 1));
    std::cout << again.present() << " of " << price.present()
              << " prices back, worst relative error " << brace::text::significant(worst, 1)
              << '\n';

    // The next two months if nothing unusual happens: no change of the season, on the scale of
    // prices.
    const std::vector<double> ahead = changes.inverse_ahead(std::vector<double>{0, 0});
    const brace::Calendar calendar = brace::learn_calendar(price.times, price.clock);
    const auto dates = brace::dates_after(calendar, price.times.back(), ahead.size());
    for (std::size_t i = 0; i < ahead.size(); ++i)
      std::cout << brace::format_date(dates[i]) << "  " << brace::text::fixed(ahead[i], 2) << '\n';
    return 0;
  } catch (const brace::Error& error) {
    std::cerr << error.what() << '\n';
    return brace::exit_status(error);
  }
}
