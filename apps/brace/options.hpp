// SPDX-License-Identifier: Apache-2.0
// Options that mean the same in every command, and how a command gets its data from them.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <iosfwd>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/executor.hpp"
#include "brace/brace.hpp"
#include "command.hpp"

namespace brace::app {

class Ranks;

// How the series is read, and what is made of it.
struct SeriesWords {
  ReadOptions read;
  std::vector<std::string> missing, roles;
  std::string column_mark, every, rows, regroup, returns = "none", unit = "percent", transform,
                                                 overnight = "keep", hold_out, absent = "auto";
};
struct ModelWords {
  std::string line, fix, errors = "automatic", likelihood = "automatic";
  std::vector<std::string> lines;  // where several are compared
  std::vector<std::string> profiles;
  std::string wald;
  std::optional<int> starts;  // left out: as the engine thinks fit
  bool equation = false, outliers = false, mean_beside = false, target_variance = false;
};
struct SearchWords {
  int most_ar = 5, most_ma = 5, most_sar = 1, most_sma = 1;
  std::optional<int> differences, season_differences;
  std::string constant = "both", walk = "automatic", criterion, terms;
  bool sparse = false;
  std::vector<std::string> variances, laws, means;
};
struct TestWords {
  std::string deterministic, lags, of = "values", band = "robust", bandwidth,
                                   model_of_break = "both", at;
  std::vector<std::string> named;
  std::vector<int> periods;
  std::optional<int> breaks;
  std::optional<double> trim;
  std::optional<double> level;  // of the critical values of Q that are shown
};
struct SeasonWords {
  int span = 11;
  std::string method = "loess", form = "automatic";
};
// Of `forecast`, and of the forecasts of `backtest`.
struct AheadWords {
  std::optional<int> horizon;
  int draws = 2000;
  std::vector<double> intervals{50, 95};
  std::string method = "full", future, back = "median";
  std::vector<double> tails{1, 5}, suppose;
  std::optional<double> start_volatility, per_year;
  std::optional<int> refits;
  int windows = 0;  // of `forecast --windows`; 0: none are averaged
  std::optional<std::size_t> shortest_window;
};
struct BacktestWords {
  std::size_t window = 1000, refit_every = 1;
  std::optional<std::size_t> origins;
  bool expanding = false;
  std::string proxy = "squared", journal;
  double threshold = 0;
  std::vector<std::string> baselines;
};
struct SimulateWords {
  std::size_t length = 2500;
  std::vector<std::string> changes;
  std::string columns;  // file of the rows that `simulate` makes
};
struct OutputWords {
  bool json = false, quiet = false;
  std::ostream* json_too = nullptr;  // of a study: the result as JSON beside the text
  std::string out, save, chart, shape, roots, residuals, report;
  bool is_folder = false;  // `out` of `demo`, which writes several files
};

// Of `study` and `report`.
struct StudyWords {
  bool start = false, again = false;
  std::vector<std::string> records;
};

// An option as it was typed: no values for a flag.
struct TypedOption {
  const Option* option;
  std::vector<std::string> values;
};

// Of `batch`.
struct BatchWords {
  std::optional<std::string> each;
  std::string store, against, save_to;
  std::vector<std::string> steps;
  bool from_last = false;
};

// Of `help`.
struct HelpWords {
  std::string topic, part;
};

// What a command line may say. Each command fills the parts that it takes.
struct Options {
  std::string file;
  std::string newer;               // of `update`: the file with the new rows
  std::string study;               // file of the options that the command line leaves out
  std::vector<TypedOption> typed;  // of how the series is read and made, as it was typed
  SeriesWords series;
  ModelWords model;
  SearchWords search;
  TestWords test;
  SeasonWords season;
  AheadWords ahead;
  BacktestWords backtest;
  SimulateWords simulate;
  OutputWords output;
  StudyWords study_words;
  BatchWords batch;
  HelpWords help;
  Ranks* ranks = nullptr;              // of `batch`, where the tool was started as several
  std::vector<TypedOption> all_typed;  // whatever was typed
  std::optional<int> period;
  std::uint64_t seed = 1;
  int threads = 0;
};

// Headings of the help that a study file goes by.
inline constexpr const char* kReadingHeading = "Reading the file";
inline constexpr const char* kMakingHeading = "Transformations, applied in this order";
inline constexpr const char* kModelHeading = "The model";

// Whether an option is of how the series is read and made.
[[nodiscard]] inline bool is_of_reading(const Option& o) {
  return o.heading == kReadingHeading || o.heading == kMakingHeading;
}

// ---- What a command takes; each adds its options to `command` ----
void add_series_options(
    Command& command, Options& o,
    const std::string& what = "CSV file with a header row, '-' for standard input");
void add_model_options(Command& command, Options& o);
void add_output_options(Command& command, Options& o);
void add_level_option(Command& command, Options& o);

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
// What a command takes besides the values: bars, or changes of the level that it makes itself.
enum class Takes { values, bars, changes };
[[nodiscard]] Loaded load(const Options& o, Takes takes = Takes::values);
// The two halves of it: the series of the file, and what the options make of one.
[[nodiscard]] Series level_of(const Options& o);
[[nodiscard]] Loaded made_of(const Options& o, Loaded data);
// Whether a forecast of the values may be carried back to the level: without links there is no other
// scale, overnight returns do not lead back to prices, and from a missing level nothing goes on.
[[nodiscard]] bool leads_back(const Options& o, const Loaded& data);
// The file's warnings after those of what was found in it.
template <class Result>
[[nodiscard]] Result with_warnings_of(const Loaded& data, Result result) {
  result.warnings.insert(result.warnings.end(), data.warnings.begin(), data.warnings.end());
  return result;
}
// How the file is read, with the columns that regressors name; and what is to be modelled of a
// series so read.
[[nodiscard]] ReadOptions reading_of(const Options& o);
[[nodiscard]] Loaded made_of_read(const Options& o, Series level);
// Every numeric column of the file.
[[nodiscard]] Table read_whole_table(const Options& o);
// The return that --returns would make of a level: log returns where all values are positive, else
// differences.
[[nodiscard]] Series change_of(const Series& level, const Options& o);
// The option that makes as much: " --returns log" or " --transform diff1".
[[nodiscard]] std::string making_of(const Series& level);
// With as many threads as --threads says; 0 is all there are.
[[nodiscard]] Executor executor_of(const Options& o);

// What a command line asks of each step of the job.
[[nodiscard]] EstimateOptions estimate_options(const Options& o);
[[nodiscard]] SearchOptions search_options(const Options& o);
[[nodiscard]] VarianceSearchOptions variance_search_options(const Options& o);
[[nodiscard]] CheckOptions check_options(const Options& o);
[[nodiscard]] FindBreaksOptions breaks_options(const Options& o);
[[nodiscard]] ForecastOptions forecast_options(const Options& o);  // 10 steps where none are given
[[nodiscard]] BacktestOptions backtest_options(const Options& o);

// A saved model, or the model line fitted to the file, whose series `data` then holds.
[[nodiscard]] Fit load_or_fit(const Options& o, Loaded* data = nullptr);
// The model lines of a comparison; Error where two are one model.
[[nodiscard]] std::vector<Model> models_of_lines(const std::vector<std::string>& lines);
// The model line with what --fix holds; Error where there is none.
[[nodiscard]] Model model_of(const Options& o);
// "beta1=0.9,nu=6", `option` being where it was written.
[[nodiscard]] std::vector<Held> held_values(const std::string& words, const std::string& option);
// Coming values of the columns that the fit's regressors name, from --future.
[[nodiscard]] std::vector<Companion> read_future(const Options& o);

// --lags as a whole number from 1; 0 where it was not given.
[[nodiscard]] std::optional<int> lag_count(const Options& o);

// --lags as a list, '1,5,12'; empty where it was not given. Throws Error (bad_option).
[[nodiscard]] std::vector<int> lag_list(const Options& o);

// --bandwidth: a number from 0, or 'auto' for that of Newey and West.
[[nodiscard]] hypothesis::Bandwidth bandwidth_of(const Options& o);

// "2,598 days, 2014-01-06 to 2024-03-28; 11 rows dropped (volume is 0), 4 values missing." and what
// was assumed on the way.
[[nodiscard]] std::string account(const Series& series);
// The same after an empty line, wrapped and indented.
void print_account(const Series& series);

// The options that were typed and are `taken`, each with a space before it.
[[nodiscard]] std::string typed_words(const Options& o,
                                      const std::function<bool(const Option&)>& taken);
// The options that name the series again, for the `Next:` line.
[[nodiscard]] std::string series_words(const Options& o);
// The same with --returns where it was given.
[[nodiscard]] std::string modelled_words(const Options& o);
// The same with a model line, and how it was fitted where that was given.
[[nodiscard]] std::string fitted_words(const Options& o, const std::string& line);

// Where the result goes as JSON; none where it is not asked for. And whether it is told in text.
[[nodiscard]] std::ostream* json_stream(const Options& o);
[[nodiscard]] bool shows_text(const Options& o);

// A word as a shell takes it, in quotes where it must be.
[[nodiscard]] std::string shell_word(const std::string& text);

// Prints the `Next:` line, which ends every text output.
void print_next(const Options& o, const std::string& command);

// `o.out` as CSV, whole or not at all, with a word on stderr.
void write_table(const Options& o, const std::vector<std::vector<std::string>>& rows);
// A word on stderr about a file written.
void say_written(const Options& o, const std::string& path);

// --residuals of the commands that have a fit, and what it asks for: a table of every row, CSV or,
// for a name that ends in .json, JSON.
void add_residuals_option(Command& command, Options& o);
void write_residuals(const Options& o, const Fit& fit);

// A number for CSV: shortest text that reads back to the same double; empty where absent.
[[nodiscard]] std::string cell(std::optional<double> x);

// 0, or 3 with the warning on stderr for a fit that must not be used.
[[nodiscard]] int status_of(const Fit& fit);

// ---- The commands; their options write into `o` ----
[[nodiscard]] Command inspect_command(Options& o);
[[nodiscard]] Command unitroot_command(Options& o);
[[nodiscard]] Command breaks_command(Options& o);
[[nodiscard]] Command lags_command(Options& o);
[[nodiscard]] Command season_command(Options& o);
[[nodiscard]] Command fit_command(Options& o);
[[nodiscard]] Command search_command(Options& o);
[[nodiscard]] Command compare_command(Options& o);
[[nodiscard]] Command check_command(Options& o);
[[nodiscard]] Command forecast_command(Options& o);
[[nodiscard]] Command update_command(Options& o);
[[nodiscard]] Command backtest_command(Options& o);
[[nodiscard]] Command simulate_command(Options& o);
[[nodiscard]] Command demo_command(Options& o);
[[nodiscard]] Command study_command(Options& o);
[[nodiscard]] Command report_command(Options& o);
[[nodiscard]] Command batch_command(Options& o);
[[nodiscard]] Command help_command(Options& o);

// Those of the job in its order, each with Options of its own, added to `targets`.
[[nodiscard]] std::deque<Command> job_commands(std::deque<Options>& targets);
// All that the tool has, in the order of the help.
[[nodiscard]] std::deque<Command> all_commands(std::deque<Options>& targets);

// The series that goes on from the end of another with these values, dated by its clock.
[[nodiscard]] Series supposed(const Series& series, const std::vector<double>& values);

// --method as the library names it.
[[nodiscard]] ForecastMethod method_of(const Options& o);

// The forecast as a CSV table, one row a step.
[[nodiscard]] std::vector<std::vector<std::string>> forecast_table(const Forecast& ahead);

}  // namespace brace::app
