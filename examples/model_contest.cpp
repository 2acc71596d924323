// SPDX-License-Identifier: Apache-2.0
// A contest: which variance equation would have forecast best, and are the others worse or only
// unlucky?
//   example_model_contest data/kelp-fibre.csv contest.csv
#include <brace/brace.hpp>
#include <iostream>

int main(int argc, char** argv) {
  try {
    const std::string path = argc > 1 ? argv[1] : "data/kelp-fibre.csv",
                      out = argc > 2 ? argv[2] : "contest.csv";
    const brace::Series prices = brace::read_csv(path, {.value = "settle", .drop_zero = "volume"});
    const brace::Backtest contest = brace::backtest(
        {"const / garch / student", "const / gjr / student", "const / steady / normal"},
        brace::log_returns(prices),
        {.window = 1000, .refit_every = 10, .origins = 500, .baselines = {"mean"}},
        brace::Executor::all_cores());
    std::cout << contest.reading << "\n\n";
    const brace::ConfidenceSet& set = contest.contests.front().by_qlike;
    for (std::size_t m = 0; m < contest.entrants.size(); ++m)
      std::cout << (set.within[m] ? "* " : "  ")
                << brace::text::fixed(contest.entrants[m].scores.front().volatility.qlike, 4)
                << "  " << contest.entrants[m].label << '\n';
    brace::write_whole(out, brace::csv_text(brace::backtest_table(contest)));
    std::cout << "\n* may be the best at 90 %; every forecast is in " << out << '\n';
    return 0;
  } catch (const brace::Error& error) {
    std::cerr << error.what() << '\n';
    return brace::exit_status(error);
  }
}
