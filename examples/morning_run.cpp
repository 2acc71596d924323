// SPDX-License-Identifier: Apache-2.0
// A daily risk run: updates a saved model with the new prices and writes the risk forecast as CSV.
// Parameters are not estimated again.
//   example_morning_run data/kelp-fibre.csv risk.csv
#include <brace/brace.hpp>
#include <cmath>
#include <iostream>

namespace {

// Done rarely: estimate the model on all days but the last ten and save it.
void prepare(const brace::Series& returns, const std::string& path) {
  const brace::Fit fitted = brace::estimate("const / gjr / student",
                                            brace::rows_between(returns, 0, returns.size() - 10));
  if (!fitted.usable()) throw brace::Error(brace::ErrorCode::bad_option, fitted.convergence.why);
  brace::save_model(fitted, path);
}

}  // namespace

int main(int argc, char** argv) {
  try {
    const std::string path = argc > 1 ? argv[1] : "data/kelp-fibre.csv",
                      out = argc > 2 ? argv[2] : "risk.csv", saved = out + ".model.json";
    const brace::Series prices = brace::read_csv(path, {.value = "settle", .drop_zero = "volume"});
    const brace::Series returns = brace::log_returns(prices);  // percent
    prepare(returns, saved);

    // The daily run: read the model, append the new rows, forecast.
    const brace::Fit old = brace::load_model(saved);
    const brace::Fit now =
        brace::update(old, brace::rows_between(returns, old.count, returns.size()));
    brace::save_model(now, saved);
    const brace::Forecast ahead =
        brace::forecast(now, {.horizon = 5, .intervals = {80, 95}, .tails = {1, 5}});

    std::vector<std::vector<std::string>> rows{
        {"date", "volatility", "low_95", "high_95", "value_at_risk_1", "shortfall_1"}};
    for (const brace::ForecastStep& s : ahead.steps)
      rows.push_back({brace::format_date(*s.date), brace::text::fixed(std::sqrt(*s.variance), 4),
                      brace::text::fixed(s.return_interval[1].low, 4),
                      brace::text::fixed(s.return_interval[1].high, 4),
                      brace::text::fixed(s.tails[0].value_at_risk, 4),
                      brace::text::fixed(s.tails[0].shortfall, 4)});
    brace::write_whole(out, brace::csv_text(rows));
    std::cout << now.count - old.count << " days taken, to " << now.series->when(now.count - 1)
              << "\nnext day: volatility " << rows[1][1] << " percent, one day in a hundred below "
              << rows[1][4] << "\nwritten to " << out << '\n';
    return 0;
  } catch (const brace::Error& error) {
    std::cerr << error.what() << '\n';
    return brace::exit_status(error);
  }
}
