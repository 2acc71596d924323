// SPDX-License-Identifier: Apache-2.0
// Options that mean the same in every command, and how a command gets its data from them.
#pragma once

#include <CLI/CLI.hpp>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "brace/brace.hpp"

namespace brace::app {

struct Options {
  std::string file;
  // The series: how it is read, and what is made of it
  ReadOptions read;
  std::vector<std::string> missing, roles;
  std::string column_mark, every, rows, regroup, returns = "none", unit = "percent", transform,
                                                 overnight = "keep", hold_out, absent = "auto";
  std::optional<double> per_year;
  // The model
  std::string model, fix, errors = "automatic", likelihood = "automatic";
  std::vector<std::string> models, baselines;
  std::vector<std::string> profiles;
  std::string wald;
  int starts = 0;  // of a joint fit; 0: as the engine thinks fit
  bool equation = false, outliers = false, mean_beside = false, target_variance = false;
  // The search
  int most_ar = 5, most_ma = 5, most_sar = 1, most_sma = 1;
  std::optional<int> differences, season_differences;
  std::string constant = "both", walk = "automatic", criterion, terms;
  bool sparse = false;
  std::vector<std::string> variances, laws, means;
  // Tests
  std::string deterministic, lags, of = "values", band = "robust", bandwidth_words,
                                   model_of_break = "both", at;
  std::vector<std::string> tests;
  std::vector<int> periods;
  int number_of_breaks = -1;
  std::optional<double> trim;
  double level = 0;  // of the critical values of Q; 0: none are shown
  // The season
  int period = 0, season_span = 11;
  std::string method_of_season = "loess", form = "automatic";
  // The forecast
  std::optional<int> horizon;
  int draws = 2000;
  std::vector<int> intervals{50, 95};
  std::string method = "full", future, back = "median", newer;
  std::vector<double> tails{1, 5}, suppose;
  std::optional<double> start_volatility;
  std::optional<int> refits;
  int windows = 0;  // of `forecast --windows`; 0: none are averaged
  std::optional<std::size_t> shortest_window;
  // The backtest
  std::size_t window = 1000, refit_every = 1, origins = 0;
  bool expanding = false;
  std::string proxy = "squared", journal;
  double threshold = 0;
  // Output
  // Simulation
  std::size_t length = 2500;
  std::vector<std::string> changes;
  std::string columns;  // file of the rows that `simulate` makes
  bool json = false, quiet = false;
  std::string out, save, chart, shape, roots, residuals;
  bool out_is_folder = false;  // of `demo`, which writes several files
  std::uint64_t seed = 1;
  int threads = 0;
};

// ---- What a command takes; each adds its options to `command` ----
void add_series_options(
    CLI::App& command, Options& o,
    const std::string& what = "CSV file with a header row, '-' for standard input");
void add_model_options(CLI::App& command, Options& o);
void add_output_options(CLI::App& command, Options& o);
void add_level_option(CLI::App& command, Options& o);

// The series of the file as it stands, and what is to be modelled: its returns, what --transform
// makes of them, or the same again; both without the rows that --hold-out keeps back.
struct Loaded {
  Series level, values;
  // What follows the two and was kept back by --hold-out, made in the same way.
  Series held_out, level_held_out;
  std::optional<Bars> bars;  // of the rows of `level`, where the file has them and they make sense
  Transformed transformed;   // how `values` came from `level`
  std::vector<Warning> warnings;  // about the file: impossible bars, a clock that does not hold
};
[[nodiscard]] Loaded load(const Options& o, bool with_bars = false);
// The two halves of it: the series of the file, and what the options make of one.
[[nodiscard]] Series level_of(const Options& o);
[[nodiscard]] Loaded made_of(const Options& o, Loaded data);
// The file's warnings after those of what was found in it.
template <class Result>
[[nodiscard]] Result with_warnings_of(const Loaded& data, Result result) {
  result.warnings.insert(result.warnings.end(), data.warnings.begin(), data.warnings.end());
  return result;
}
// Every numeric column of the file.
[[nodiscard]] Table read_whole_table(const Options& o);
// The return that --returns would make of a level: log returns where all values are positive, else
// differences.
[[nodiscard]] Series change_of(const Series& level, const Options& o);

// A saved model, or the model line fitted to the file, whose series `data` then holds.
[[nodiscard]] Fit load_or_fit(const Options& o, Loaded* data = nullptr);
// The model line with what --fix holds; Error where there is none.
[[nodiscard]] Model model_of(const Options& o);
// "beta1=0.9,nu=6", `option` being where it was written.
[[nodiscard]] std::vector<Held> held_values(const std::string& words, const std::string& option);
// Coming values of the columns that the fit's regressors name, from --future.
[[nodiscard]] std::vector<Companion> read_future(const Options& o);

// --lags as a whole number from 1; 0 where it was not given.
[[nodiscard]] int lag_count(const Options& o);

// --lags as a list, '1,5,12'; empty where it was not given. Throws Error (bad_option).
[[nodiscard]] std::vector<int> lag_list(const Options& o);

// --bandwidth as a number from 0, kBandwidthAutomatic for 'auto', kBandwidthRule where not given.
[[nodiscard]] int bandwidth_of(const Options& o);

// "2,598 days, 2014-01-06 to 2024-03-28; 11 rows dropped (volume is 0), 4 values missing." and what
// was assumed on the way.
[[nodiscard]] std::string account(const Series& series);
// The same after an empty line, wrapped and indented.
void print_account(const Series& series);

// The options that name the series again, for the `Next:` line.
[[nodiscard]] std::string series_words(const Options& o);
// The same with --returns where it was given.
[[nodiscard]] std::string modelled_words(const Options& o);

// Prints the `Next:` line, which ends every text output.
void print_next(const Options& o, const std::string& command);

// `o.out` as CSV, whole or not at all, with a word on stderr.
void write_table(const Options& o, const std::vector<std::vector<std::string>>& rows);
// A word on stderr about a file written.
void say_written(const Options& o, const std::string& path);

// --residuals of the commands that have a fit, and what it asks for: a table of every row, CSV or,
// for a name that ends in .json, JSON.
void add_residuals_option(CLI::App& command, Options& o);
void write_residuals(const Options& o, const Fit& fit);

// A number for CSV: shortest text that reads back to the same double; empty where absent.
[[nodiscard]] std::string cell(std::optional<double> x);

// 0, or 3 with the warning on stderr for a fit that must not be used.
[[nodiscard]] int status_of(const Fit& fit);

// ---- The commands; each returns its exit status ----
using Run = int (*)(const Options&);
void add_inspect(CLI::App& app, Options& o, Run& run);
void add_unitroot(CLI::App& app, Options& o, Run& run);
void add_breaks(CLI::App& app, Options& o, Run& run);
void add_lags(CLI::App& app, Options& o, Run& run);
void add_season(CLI::App& app, Options& o, Run& run);
void add_fit(CLI::App& app, Options& o, Run& run);
void add_search(CLI::App& app, Options& o, Run& run);
void add_compare(CLI::App& app, Options& o, Run& run);
void add_check(CLI::App& app, Options& o, Run& run);
void add_forecast(CLI::App& app, Options& o, Run& run);
void add_update(CLI::App& app, Options& o, Run& run);
void add_backtest(CLI::App& app, Options& o, Run& run);
void add_simulate(CLI::App& app, Options& o, Run& run);
void add_demo(CLI::App& app, Options& o, Run& run);

// The series that goes on from the end of another with these values, dated by its clock.
[[nodiscard]] Series supposed(const Series& series, const std::vector<double>& values);

// --method as the library names it.
[[nodiscard]] ForecastMethod method_of(const Options& o);

// The forecast as a CSV table, one row a step.
[[nodiscard]] std::vector<std::vector<std::string>> forecast_table(const Forecast& ahead);

}  // namespace brace::app
