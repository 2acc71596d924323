// SPDX-License-Identifier: Apache-2.0
#include "options.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iostream>

namespace brace::app {

void add_series_options(CLI::App& command, Options& o, const std::string& what) {
  command.add_option("FILE", o.file, what)->required();
  const char* group = "The series";
  command
      .add_option("--value", o.csv.value, "column of the values (default: the only numeric column)")
      ->group(group);
  command
      .add_option("--date", o.csv.date,
                  "column of the dates (default: the first that reads as one)")
      ->group(group);
  command.add_option("--date-format", o.csv.date_format, "form of the dates, such as %d/%m/%Y")
      ->group(group);
  command.add_option("--from", o.csv.from, "first date kept")->group(group);
  command.add_option("--to", o.csv.to, "last date kept")->group(group);
  command
      .add_option("--drop-zero", o.csv.drop_zero,
                  "drop rows where this column is 0, before returns")
      ->group(group);
  command.add_option("--missing", o.missing, "more marks of a missing cell")
      ->delimiter(',')
      ->group(group);
  command
      .add_option("--every", o.every,
                  "the clock: business-day, day, hour, week, month, quarter (default: inferred)")
      ->check(CLI::IsMember({"business-day", "day", "hour", "week", "month", "quarter", "auto"}))
      ->option_text("WORD")
      ->group(group);
  command
      .add_option("--returns", o.returns,
                  "turn prices into returns: log, simple, none (default: none)")
      ->check(CLI::IsMember({"log", "simple", "none"}))
      ->option_text("WORD")
      ->group(group);
  command.add_option("--unit", o.unit, "unit of the returns: percent, decimal (default: percent)")
      ->check(CLI::IsMember({"percent", "decimal"}))
      ->option_text("WORD")
      ->group(group);
}

void add_model_options(CLI::App& command, Options& o) {
  const char* group = "The model";
  command
      .add_option("--model", o.model,
                  "model line: mean / variance / shocks, such as 'const ar1 / garch / student'")
      ->group(group);
  command.add_option("--fix", o.fix, "hold parameters: beta1=0.9,nu=6")->group(group);
  command
      .add_option("--errors", o.errors,
                  "hessian, opg or robust (default: robust with a variance equation)")
      ->check(CLI::IsMember({"automatic", "hessian", "opg", "robust"}))
      ->option_text("WORD")
      ->group(group);
}

void add_output_options(CLI::App& command, Options& o) {
  const char* group = "Output";
  command.add_flag("--json", o.json, "the result as JSON on standard output")->group(group);
  command.add_flag("--quiet", o.quiet, "no next step, no words on standard error but errors")
      ->group(group);
}

Loaded load(const Options& o) {
  if (is_saved_model(o.file))
    throw Error(
        ErrorCode::bad_option,
        fmt::format(
            "{}: is a saved model; this command takes a CSV file (check and forecast take both)",
            o.file));
  CsvOptions csv = o.csv;
  csv.missing.insert(csv.missing.end(), o.missing.begin(), o.missing.end());
  if (!o.every.empty() && o.every != "auto") csv.every = clock_from(o.every);
  Loaded loaded;
  loaded.level = read_csv(o.file, csv);
  loaded.values = o.returns == "none" ? loaded.level : change_of(loaded.level, o);
  return loaded;
}

Series change_of(const Series& level, const Options& o) {
  const ReturnUnit unit = o.unit == "decimal" ? ReturnUnit::decimal : ReturnUnit::percent;
  if (o.returns == "simple") return simple_returns(level, unit);
  if (o.returns == "log") return log_returns(level, unit);
  const bool positive =
      std::none_of(level.values.begin(), level.values.end(), [](double v) { return v <= 0; });
  return positive ? log_returns(level, unit) : differences(level);
}

Fit load_or_fit(const Options& o) {
  if (is_saved_model(o.file)) {
    if (!o.model.empty() || !o.fix.empty() || o.returns != "none" || !o.csv.value.empty())
      throw Error(
          ErrorCode::bad_option,
          fmt::format(
              "{}: is a saved model, which holds its series and model line; leave --model, --fix, "
              "--value and --returns out",
              o.file));
    return load_model(o.file);
  }
  if (o.model.empty())
    throw Error(ErrorCode::bad_option,
                "--model is missing: give a model line, such as 'const / garch / student'");
  Model model = parse_model(o.model);
  for (std::size_t at = 0; at < o.fix.size();) {
    const std::size_t comma = std::min(o.fix.find(',', at), o.fix.size());
    const std::string term = o.fix.substr(at, comma - at);
    const std::size_t equals = term.find('=');
    try {
      std::size_t read = 0;
      const double value = std::stod(term.substr(equals + 1), &read);
      if (equals == 0 || equals == std::string::npos || equals + 1 + read != term.size())
        throw std::invalid_argument("");
      model.held.push_back({term.substr(0, equals), value});
    } catch (const std::exception&) {
      throw Error(ErrorCode::bad_option,
                  fmt::format("--fix {}: write name=number, such as beta1=0.9", term));
    }
    at = comma + 1;
  }
  EstimateOptions options;
  for (const ErrorKind kind : {ErrorKind::hessian, ErrorKind::opg, ErrorKind::robust})
    if (to_string(kind) == o.errors) options.errors = kind;
  return estimate(model, load(o).values, options);
}

int lag_count(const Options& o) {
  if (o.lags.empty()) return 0;
  try {
    std::size_t read = 0;
    const int lags = std::stoi(o.lags, &read);
    if (read == o.lags.size() && lags >= 1) return lags;
  } catch (const std::exception&) {
  }
  throw Error(ErrorCode::bad_option,
              fmt::format("--lags {}: must be a whole number from 1", o.lags));
}

std::string account(const Series& s) {
  const std::string noun = s.clock == Clock::row ? "row" : std::string(s.period());
  std::string line = text::plural(s.size(), noun, noun + "s");
  if (!s.times.empty()) line += fmt::format(", {} to {}", s.when(0), s.when(s.size() - 1));
  std::vector<std::string> lost;
  if (s.rows_dropped > 0)
    lost.push_back(fmt::format("{} dropped ({})", text::plural(s.rows_dropped, "row", "rows"),
                               s.dropped_because));
  if (s.missing() > 0)
    lost.push_back(fmt::format("{} missing", text::plural(s.missing(), "value", "values")));
  if (!lost.empty()) line += fmt::format("; {}", fmt::join(lost, ", "));
  return line + ".";
}

namespace {

std::string shell_word(const std::string& text) {
  if (!text.empty() &&
      text.find_first_not_of(
          "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_./-:%@") ==
          std::string::npos)
    return text;
  std::string out = "'";
  for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

}  // namespace

std::string series_words(const Options& o) {
  std::string words = shell_word(o.file);
  const auto add = [&](const char* name, const std::string& value) {
    if (!value.empty()) words += fmt::format(" {} {}", name, shell_word(value));
  };
  add("--value", o.csv.value);
  add("--date", o.csv.date);
  add("--date-format", o.csv.date_format);
  add("--from", o.csv.from);
  add("--to", o.csv.to);
  add("--drop-zero", o.csv.drop_zero);
  add("--every", o.every);
  for (const std::string& mark : o.missing) add("--missing", mark);
  if (o.unit != "percent") add("--unit", o.unit);
  return words;
}

std::string modelled_words(const Options& o) {
  return series_words(o) + (o.returns == "none" ? "" : " --returns " + o.returns);
}

void print_next(const Options& o, const std::string& command) {
  if (!o.quiet) std::cout << fmt::format("\n  Next: brace {}\n", command);
}

void say_written(const Options& o, const std::string& path) {
  if (!o.quiet) std::cerr << "brace: wrote " << path << '\n';
}

void write_table(const Options& o, const std::vector<std::vector<std::string>>& rows) {
  if (o.out.empty()) return;
  write_whole(o.out, csv_text(rows));
  say_written(o, o.out);
}

std::string cell(std::optional<double> x) {
  return x && std::isfinite(*x) ? fmt::format("{}", *x) : "";
}

int status_of(const Fit& fit) {
  if (fit.usable()) return 0;
  std::cerr << fmt::format("brace: {} did not converge ({}); these numbers are not estimates\n",
                           to_string(fit.model), fit.convergence.why);
  return 3;
}

}  // namespace brace::app
