// SPDX-License-Identifier: Apache-2.0
#include "options.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <iostream>

#include "interruptible.hpp"

namespace brace::app {

void add_series_options(Command& command, Options& o, const std::string& what) {
  command.option("FILE", o.file, what).required().path();
  const auto in = [](Option& option, const char* group) { option.group(group); };
  const char* reading = kReadingHeading;
  in(command.option("--value", o.series.read.value,
                    "column of the values, by name or position (default: the only numeric one)").column(),
     reading);
  in(command
         .option("--date", o.series.read.date,
                 "column of the dates, or none (default: one called so, or the first that reads as "
                 "one)")
         .column(),
     reading);
  in(command.option("--time", o.series.read.time,
                    "column of the time of day, if separate from the date").column(),
     reading);
  in(command.option("--date-format", o.series.read.date_format,
                    "date format, such as %d/%m/%Y (default: detected if only one format fits)"),
     reading);
  in(command
         .option("--where", o.series.read.where,
                 "keep only rows with this value in a column: symbol=KELP (may repeat)")
         .once_for_each(),
     reading);
  in(command.option("--query", o.series.read.query, "SELECT statement for an SQLite database"),
     reading);
  in(command
         .option("--roles", o.series.roles,
                 "price and volume columns: open=, high=, low=, close=, volume=")
         .list(),
     reading);
  in(command
         .option("--column-mark", o.series.column_mark,
                 "field separator: comma, semicolon, tab, bar (default: detected)")
         .words({"comma", "semicolon", "tab", "bar"}),
     reading);
  in(command.option("--decimal-comma", o.series.read.decimal_comma,
                    "numbers have a decimal comma: 1,5"),
     reading);
  in(command.option("--grouped", o.series.read.grouped,
                    "numbers have thousands separators: 1,234.5 (or 1.234,5)"),
     reading);
  in(command
         .option("--drop-signs", o.series.read.drop_signs,
                 "signs to leave out of numbers, such as % or $")
         .list(),
     reading);
  in(command.option("--missing", o.series.missing, "additional codes for missing values").list(),
     reading);
  in(command.option("--drop-zero", o.series.read.drop_zero,
                    "drop rows where this column is 0, before returns are computed").column(),
     reading);
  in(command.option("--drop-flat", o.series.read.drop_flat,
                    "drop rows whose open, high, low and close all equal the previous close"),
     reading);
  in(command.option("--from", o.series.read.from, "first date to keep"), reading);
  in(command.option("--to", o.series.read.to, "last date to keep"), reading);
  in(command
         .option("--every", o.series.every,
                 "frequency: minute, hour, day, business-day, week, month, quarter, year "
                 "(default: inferred)")
         .words(
             {"minute", "hour", "day", "business-day", "week", "month", "quarter", "year", "auto"}),
     reading);
  in(command
         .option("--absent", o.series.absent,
                 "expected dates that the file lacks: keep them absent, or add them as missing "
                 "values (default: missing where the clock can be trusted)")
         .words({"auto", "keep", "missing"}),
     reading);
  in(command.option(
         "--zone", o.series.read.zone,
         "time zone of local times, such as Europe/Berlin, if rows span a daylight-saving change"),
     reading);

  const char* making = kMakingHeading;
  in(command.option("--rows", o.series.rows, "rows to keep, such as 1..500 or 20%..100%"), making);
  in(command.option("--regroup", o.series.regroup,
                    "aggregate to a lower frequency: week:last, month:mean, quarter:sum (last for "
                    "prices, sum for returns)"),
     making);
  in(command
         .option("--returns", o.series.returns,
                 "turn prices into returns: log, simple, none (default: none)")
         .words({"log", "simple", "none"}),
     making);
  in(command
         .option("--unit", o.series.unit,
                 "unit of the returns: percent, decimal (default: percent)")
         .words({"percent", "decimal"}),
     making);
  in(command
         .option(
             "--overnight", o.series.overnight,
             "overnight returns of intraday data: keep, mark (as missing), drop (default: keep)")
         .words({"keep", "mark", "drop"}),
     making);
  in(command.option(
         "--transform", o.series.transform,
         "log, boxcox, boxcox=P, diff1, diff12, centre, hours, weekdays; separated by spaces"),
     making);
  in(command.option(
         "--hold-out", o.series.hold_out,
         "hold out the end of the sample: rows (250), a share (20%) or from a date (2023-01-02)"),
     making);
}

void add_model_options(Command& command, Options& o) {
  const char* group = kModelHeading;
  command
      .option("--model", o.model.line,
              "model line: mean / variance / shocks, such as 'const ar1 / garch / student'")
      .model_line()
      .group(group);
  command.option("--fix", o.model.fix, "fix parameters at values: beta1=0.9,nu=6").group(group);
  command
      .option("--errors", o.model.errors,
              "hessian, opg or robust (default: robust with a variance equation)")
      .words({"automatic", "hessian", "opg", "robust"})
      .group(group);
  command
      .option("--likelihood", o.model.likelihood,
              "exact or conditional (default: exact for a mean equation alone)")
      .words({"automatic", "exact", "conditional"})
      .group(group);
  command
      .option("--target-variance", o.model.target_variance,
              "variance targeting: omega follows from the sample variance (arch, garch, gjr)")
      .group(group);
  command
      .option("--starts", o.model.starts,
              "number of starting points; more may find a higher maximum (default: 4 to "
              "76, by model and rows)")
      .range(1, 10000)
      .group(group);
}

void add_output_options(Command& command, Options& o) {
  const char* group = "Output";
  command.option("--json", o.output.json, "the result as JSON on standard output").group(group);
  command
      .option("--study", o.study,
              "study file (TOML) of the options that are left out here; see brace study --help")
      .group(group);
  command.option("--report", o.output.report, "the result as one HTML page, a chapter of a study")
      .group(group)
      .path();
  command
      .option("--quiet", o.output.quiet,
              "omit the suggested next command and all messages but errors")
      .group(group);
}

Executor executor_of(const Options& o) {
  return o.threads == 0 ? Executor::all_cores() : Executor(o.threads);
}

Series change_of(const Series& level, const Options& o) {
  const Unit unit = o.series.unit == "decimal" ? Unit::decimal : Unit::percent;
  if (o.series.returns == "simple") return simple_returns(level, unit);
  if (o.series.returns == "log") return log_returns(level, unit);
  return all_positive(level) ? log_returns(level, unit) : differences(level);
}

std::string making_of(const Series& level) {
  return all_positive(level) ? " --returns log" : " --transform diff1";
}

std::vector<Held> held_values(const std::string& words, const std::string& option) {
  std::vector<Held> held;
  for (std::size_t at = 0; at < words.size();) {
    const std::size_t comma = std::min(words.find(',', at), words.size());
    const std::string term = words.substr(at, comma - at);
    const std::size_t equals = term.find('=');
    try {
      std::size_t read = 0;
      const double value = std::stod(term.substr(equals + 1), &read);
      if (equals == 0 || equals == std::string::npos || equals + 1 + read != term.size())
        throw std::invalid_argument("");
      held.push_back({term.substr(0, equals), value});
    } catch (const std::exception&) {
      throw Error(ErrorCode::bad_option,
                  fmt::format("{} {}: write name=number, such as beta1=0.9", option, term));
    }
    at = comma + 1;
  }
  return held;
}

std::vector<Model> models_of_lines(const std::vector<std::string>& lines) {
  std::vector<Model> models;
  for (const std::string& line : lines) {
    models.push_back(parse_model(line));
    for (std::size_t i = 0; i + 1 < models.size(); ++i)
      if (canonical(models[i]) == canonical(models.back()))
        throw Error(
            ErrorCode::bad_option,
            fmt::format("--model: '{}' and '{}' are one model; give each once", lines[i], line));
  }
  return models;
}

Model model_of(const Options& o) {
  if (o.model.line.empty())
    throw Error(ErrorCode::bad_option,
                "--model is missing: give a model line, such as 'const / garch / student'");
  Model model = parse_model(o.model.line);
  for (Held& held : held_values(o.model.fix, "--fix")) model.held.push_back(std::move(held));
  return model;
}

EstimateOptions estimate_options(const Options& o) {
  EstimateOptions options;
  for (const StandardErrors kind :
       {StandardErrors::hessian, StandardErrors::opg, StandardErrors::robust})
    if (to_string(kind) == o.model.errors) options.errors = kind;
  if (o.model.likelihood == "exact") options.likelihood = LikelihoodKind::exact;
  if (o.model.likelihood == "conditional") options.likelihood = LikelihoodKind::conditional;
  options.target_variance = o.model.target_variance;
  options.starts = o.model.starts;
  return options;
}

Fit load_or_fit(const Options& o, Loaded* data) {
  if (is_saved_model(o.file)) {
    if (!o.model.line.empty() || !o.model.fix.empty() || o.series.returns != "none" ||
        o.series.read.value || !o.series.transform.empty())
      throw Error(
          ErrorCode::bad_option,
          fmt::format(
              "{}: is a saved model, which holds its series and model line; leave --model, --fix, "
              "--value, --returns and --transform out",
              o.file));
    return load_model(o.file);
  }
  const Model model = model_of(o);
  EstimateOptions options = estimate_options(o);
  Loaded loaded = load(o);
  const Interruptible interruptible(options.progress, o.output.quiet);
  Fit fit = with_warnings_of(loaded, estimate(model, loaded.values, options));
  if (data) *data = std::move(loaded);
  return fit;
}

std::vector<Companion> read_future(const Options& o) {
  std::vector<Companion> future;
  if (o.ahead.future.empty()) return future;
  // Written like the file that it goes on from.
  const ReadOptions like = reading_of(o);
  ReadOptions read;
  read.column_mark = like.column_mark;
  read.decimal_comma = like.decimal_comma;
  read.grouped = like.grouped;
  read.drop_signs = like.drop_signs;
  read.missing = like.missing;
  for (const Column& c : read_table(o.ahead.future, read).columns)
    future.push_back({c.name, c.values});
  return future;
}

void add_level_option(Command& command, Options& o) {
  command
      .option("--level", o.test.level,
              "show the critical value of Q at this significance level, such as .01")
      .range(1e-12, 0.5)
      .shown_as("P")
      .group("Tests");
}

std::optional<int> lag_count(const Options& o) {
  if (o.test.lags.empty()) return std::nullopt;
  try {
    std::size_t read = 0;
    const int lags = std::stoi(o.test.lags, &read);
    if (read == o.test.lags.size() && lags >= 1) return lags;
  } catch (const std::exception&) {
  }
  throw Error(ErrorCode::bad_option,
              fmt::format("--lags {}: must be a whole number from 1", o.test.lags));
}

std::vector<int> lag_list(const Options& o) {
  std::vector<int> lags;
  for (std::size_t at = 0; at < o.test.lags.size();) {
    const std::size_t end = std::min(o.test.lags.find(',', at), o.test.lags.size());
    Options one;
    one.test.lags = o.test.lags.substr(at, end - at);
    const std::optional<int> lag = lag_count(one);
    if (!lag) throw Error(ErrorCode::bad_option, "--lags " + o.test.lags + ": a lag is missing");
    lags.push_back(*lag);
    at = end + 1;
  }
  return lags;
}

hypothesis::Bandwidth bandwidth_of(const Options& o) {
  if (o.test.bandwidth.empty()) return {};
  if (o.test.bandwidth == "auto") return hypothesis::Bandwidth::Rule::newey_west;
  int bandwidth = 0;
  const char* end = o.test.bandwidth.data() + o.test.bandwidth.size();
  const auto read = std::from_chars(o.test.bandwidth.data(), end, bandwidth);
  if (read.ec != std::errc{} || read.ptr != end || bandwidth < 0)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("--bandwidth {}: must be a whole number from 0, or auto", o.test.bandwidth));
  return bandwidth;
}

std::string account(const Series& s) {
  const std::string noun = s.clock == Clock::row ? "row" : std::string(s.period());
  std::string line = text::plural(s.size(), noun, noun + "s");
  if (!s.times.empty()) line += fmt::format(", {} to {}", s.when(0), s.when(s.size() - 1));
  std::vector<std::string> lost;
  for (const DataAccount::Dropped& d : s.account.dropped)
    lost.push_back(fmt::format("{} dropped ({})", text::plural(d.rows, "row", "rows"), d.because));
  if (s.missing() > 0)
    lost.push_back(fmt::format("{} missing", text::plural(s.missing(), "value", "values")));
  if (!lost.empty()) line += fmt::format("; {}", fmt::join(lost, ", "));
  line += ".";
  if (!s.account.notes.empty())
    line +=
        fmt::format(" {}.", text::sentence(fmt::format("{}", fmt::join(s.account.notes, "; "))));
  return line;
}

void print_account(const Series& series) {
  std::cout << '\n' << text::wrap(account(series), 100, "  ");
}

std::string shell_word(const std::string& text) {
  if (!text.empty() &&
      text.find_first_not_of(
          "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_./-:%@=") ==
          std::string::npos)
    return text;
  std::string out = "'";
  for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

std::ostream* json_stream(const Options& o) {
  if (o.output.json_too) return o.output.json_too;
  return o.output.json ? &std::cout : nullptr;
}

bool shows_text(const Options& o) {
  return !o.output.json || o.output.json_too;
}

std::string typed_words(const Options& o, const std::function<bool(const Option&)>& taken) {
  std::string words;
  for (const TypedOption& typed : o.all_typed) {
    if (typed.option->name == "FILE" || !taken(*typed.option)) continue;
    if (typed.values.empty()) words += " " + typed.option->name;
    for (const std::string& value : typed.values)
      words += " " + typed.option->name + " " + shell_word(value);
  }
  return words;
}

std::string series_words(const Options& o) {
  if (!o.study.empty()) {
    return "--study " + shell_word(o.study) +
           typed_words(o, [](const Option& option) { return is_of_reading(option); });
  }
  std::string words = shell_word(o.file);
  const auto add = [&](const char* name, const std::optional<std::string>& value) {
    if (value && !value->empty()) words += fmt::format(" {} {}", name, shell_word(*value));
  };
  add("--value", o.series.read.value);
  add("--date", o.series.read.date);
  add("--time", o.series.read.time);
  add("--date-format", o.series.read.date_format);
  for (const std::string& condition : o.series.read.where) add("--where", condition);
  add("--query", o.series.read.query);
  for (const std::string& role : o.series.roles) add("--roles", role);
  add("--column-mark", o.series.column_mark);
  if (o.series.read.decimal_comma) words += " --decimal-comma";
  if (o.series.read.grouped) words += " --grouped";
  for (const std::string& sign : o.series.read.drop_signs) add("--drop-signs", sign);
  for (const std::string& mark : o.series.missing) add("--missing", mark);
  add("--drop-zero", o.series.read.drop_zero);
  if (o.series.read.drop_flat) words += " --drop-flat";
  add("--from", o.series.read.from);
  add("--to", o.series.read.to);
  add("--every", o.series.every);
  if (o.series.absent != "auto") add("--absent", o.series.absent);
  add("--zone", o.series.read.zone);
  add("--rows", o.series.rows);
  add("--regroup", o.series.regroup);
  if (o.series.unit != "percent") add("--unit", o.series.unit);
  add("--hold-out", o.series.hold_out);
  return words;
}

std::string modelled_words(const Options& o) {
  std::string words = series_words(o);
  if (!o.study.empty()) return words;
  if (o.series.returns != "none") words += " --returns " + o.series.returns;
  if (o.series.overnight != "keep") words += " --overnight " + o.series.overnight;
  if (!o.series.transform.empty()) words += " --transform " + shell_word(o.series.transform);
  return words;
}

std::string fitted_words(const Options& o, const std::string& line) {
  const std::string words = modelled_words(o) + " --model " + shell_word(line);
  return words + typed_words(o, [](const Option& option) {
           return option.name == "--fix" || option.name == "--errors" ||
                  option.name == "--likelihood" || option.name == "--target-variance" ||
                  option.name == "--starts";
         });
}

void print_next(const Options& o, const std::string& command) {
  if (!o.output.quiet) std::cout << fmt::format("\n  Next: brace {}\n", command);
}

void say_written(const Options& o, const std::string& path) {
  if (!o.output.quiet) std::cerr << "brace: wrote " << path << '\n';
}

void write_table(const Options& o, const std::vector<std::vector<std::string>>& rows) {
  if (o.output.out.empty()) return;
  write_whole(o.output.out, csv_text(rows));
  say_written(o, o.output.out);
}

void add_residuals_option(Command& command, Options& o) {
  command
      .option("--residuals", o.output.residuals,
              "each row's actual and fitted value, residual and volatility, .csv or .json")
      .group("Output")
      .path();
}

void write_residuals(const Options& o, const Fit& fit) {
  if (o.output.residuals.empty()) return;
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("--residuals: '{}' did not converge, so that its residuals are none",
                            to_string(fit.model)));
  if (o.output.residuals.ends_with(".json")) {
    write_whole(o.output.residuals, json_rows(fit));
  } else {
    std::vector<std::vector<std::string>> rows{
        {"date", "actual", "fitted", "residual", "volatility", "standardised"}};
    for (const FittedRow& r : fitted_rows(fit))
      rows.push_back({r.date ? format_date(*r.date) : "", cell(r.actual), cell(r.fitted),
                      cell(r.residual), cell(r.volatility), cell(r.standardised)});
    write_whole(o.output.residuals, csv_text(rows));
  }
  say_written(o, o.output.residuals);
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
