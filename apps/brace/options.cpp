// SPDX-License-Identifier: Apache-2.0
#include "options.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <iostream>

namespace brace::app {

void add_series_options(CLI::App& command, Options& o, const std::string& what) {
  command.add_option("FILE", o.file, what)->required();
  const auto in = [](CLI::Option* option, const char* group) { return option->group(group); };
  const char* reading = "Reading the file";
  in(command.add_option(
         "--value", o.read.value,
         "column of the values, by name or position (default: the only numeric one)"),
     reading);
  in(command.add_option("--date", o.read.date,
                        "column of the dates (default: the first that reads as one)"),
     reading);
  in(command.add_option("--time", o.read.time, "column of the time of day, where it stands apart"),
     reading);
  in(command.add_option(
         "--date-format", o.read.date_format,
         "form of the dates, such as %d/%m/%Y (default: recognised where only one fits)"),
     reading);
  in(command
         .add_option("--where", o.read.where, "keep rows of one series: symbol=KELP (may repeat)")
         ->allow_extra_args(false),
     reading);
  in(command.add_option("--query", o.read.query, "of an SQLite database: the select to read"),
     reading);
  in(command.add_option("--roles", o.roles, "columns of open=, high=, low=, close=, volume=")
         ->delimiter(','),
     reading);
  in(command
         .add_option("--column-mark", o.column_mark,
                     "what stands between cells: comma, semicolon, tab (default: recognised)")
         ->check(CLI::IsMember({"comma", "semicolon", "tab"}))
         ->option_text("WORD"),
     reading);
  in(command.add_flag("--decimal-comma", o.read.decimal_comma, "numbers are written 1,5"), reading);
  in(command.add_flag("--grouped", o.read.grouped, "numbers are written 1,234.5 (or 1.234,5)"),
     reading);
  in(command.add_option("--missing", o.missing, "more marks of a missing cell")->delimiter(','),
     reading);
  in(command.add_option("--drop-zero", o.read.drop_zero,
                        "drop rows where this column is 0, before returns"),
     reading);
  in(command.add_flag("--drop-flat", o.read.drop_flat,
                      "drop rows that only repeat the last close in open, high, low, close"),
     reading);
  in(command.add_option("--from", o.read.from, "first date kept"), reading);
  in(command.add_option("--to", o.read.to, "last date kept"), reading);
  in(command
         .add_option("--every", o.every,
                     "the clock: minute, hour, day, business-day, week, month, quarter, year "
                     "(default: inferred)")
         ->check(CLI::IsMember(
             {"minute", "hour", "day", "business-day", "week", "month", "quarter", "year", "auto"}))
         ->option_text("WORD"),
     reading);
  in(command
         .add_option("--absent", o.absent,
                     "dates that the clock has and the file has not: keep them absent, or add them "
                     "as missing (default: missing where the clock can be trusted)")
         ->check(CLI::IsMember({"auto", "keep", "missing"}))
         ->option_text("WORD"),
     reading);
  in(command.add_option("--zone", o.read.zone,
                        "zone that times are local to, such as Europe/Berlin, where rows go on "
                        "through a change of its clocks"),
     reading);

  const char* making = "What is made of it, in this order";
  in(command.add_option("--rows", o.rows, "rows kept, such as 1..500 or 20%..100%"), making);
  in(command.add_option(
         "--regroup", o.regroup,
         "a slower clock: week:last, month:mean, quarter:sum (prices last, returns sum)"),
     making);
  in(command
         .add_option("--returns", o.returns,
                     "turn prices into returns: log, simple, none (default: none)")
         ->check(CLI::IsMember({"log", "simple", "none"}))
         ->option_text("WORD"),
     making);
  in(command
         .add_option("--unit", o.unit, "unit of the returns: percent, decimal (default: percent)")
         ->check(CLI::IsMember({"percent", "decimal"}))
         ->option_text("WORD"),
     making);
  in(command
         .add_option(
             "--overnight", o.overnight,
             "returns over a pause of the session: keep, mark (as missing), drop (default: keep)")
         ->check(CLI::IsMember({"keep", "mark", "drop"}))
         ->option_text("WORD"),
     making);
  in(command.add_option(
         "--transform", o.transform,
         "log, boxcox, boxcox=P, diff1, diff12, centre, hours, weekdays; several by blanks"),
     making);
  in(command.add_option("--hold-out", o.hold_out,
                        "keep back the end: rows (250), a share (20%) or from a date (2023-01-02)"),
     making);
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
  command
      .add_option("--likelihood", o.likelihood,
                  "exact or conditional (default: exact for a mean equation alone)")
      ->check(CLI::IsMember({"automatic", "exact", "conditional"}))
      ->option_text("WORD")
      ->group(group);
}

void add_output_options(CLI::App& command, Options& o) {
  const char* group = "Output";
  command.add_flag("--json", o.json, "the result as JSON on standard output")->group(group);
  command.add_flag("--quiet", o.quiet, "no next step, no words on standard error but errors")
      ->group(group);
}

namespace {

ReadOptions read_options(const Options& o, bool with_bars) {
  ReadOptions read = o.read;
  read.missing.insert(read.missing.end(), o.missing.begin(), o.missing.end());
  if (!o.every.empty() && o.every != "auto") read.every = clock_from(o.every);
  if (o.absent == "keep") read.absent = Absent::keep;
  if (o.absent == "missing") read.absent = Absent::missing;
  if (o.column_mark == "comma") read.column_mark = ',';
  if (o.column_mark == "semicolon") read.column_mark = ';';
  if (o.column_mark == "tab") read.column_mark = '\t';
  read.with_bars = with_bars;
  for (const std::string& role : o.roles) {
    const std::size_t equals = role.find('=');
    const std::string name = role.substr(0, equals);
    std::string* slot = name == "open"     ? &read.roles.open
                        : name == "high"   ? &read.roles.high
                        : name == "low"    ? &read.roles.low
                        : name == "close"  ? &read.roles.close
                        : name == "volume" ? &read.roles.volume
                                           : nullptr;
    if (!slot || equals == std::string::npos || equals + 1 == role.size())
      throw Error(
          ErrorCode::bad_option,
          fmt::format("--roles {}: write open=COLUMN, high=, low=, close= or volume=", role));
    *slot = role.substr(equals + 1);
  }
  return read;
}

HoldOut hold_out_from(const std::string& text) {
  HoldOut hold_out;
  try {
    std::size_t read = 0;
    if (const auto date = parse_date(text)) {
      hold_out.from = date;
      return hold_out;
    }
    const double number = std::stod(text, &read);
    if (text.substr(read) == "%") {
      hold_out.share = number / 100;
      return hold_out;
    }
    if (read == text.size() && number >= 1 && number == std::floor(number) && number < 1e15) {
      hold_out.count = static_cast<std::size_t>(number);
      return hold_out;
    }
  } catch (const std::exception&) {
  }
  throw Error(
      ErrorCode::bad_option,
      fmt::format("--hold-out {}: write rows (250), a share (20%) or a date (2023-01-02)", text));
}

// --regroup CLOCK:HOW.
std::pair<Clock, Aggregate> regroup_from(const std::string& text) {
  const std::size_t colon = text.find(':');
  const auto clock = clock_from(text.substr(0, colon));
  const auto how =
      colon == std::string::npos ? std::nullopt : aggregate_from(text.substr(colon + 1));
  if (!clock || !how)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("--regroup {}: write a clock (day, week, month, quarter) and last, mean or "
                    "sum, such as week:last",
                    text));
  return {*clock, *how};
}

void cut_bars(std::optional<Bars>& bars, std::size_t begin, std::size_t end) {
  if (!bars) return;
  for (std::vector<double>* prices : {&bars->open, &bars->high, &bars->low, &bars->close})
    *prices = {prices->begin() + static_cast<std::ptrdiff_t>(begin),
               prices->begin() + static_cast<std::ptrdiff_t>(end)};
}

// Rows A..B of the level, and of its bars.
void cut_rows(Loaded& data, const std::string& rows) {
  const Transformed part = transform(data.level, parse_chain("rows=" + rows));
  const std::size_t begin = part.links[0].head.size();
  data.level = part.series;
  cut_bars(data.bars, begin, begin + data.level.size());
}

void refuse_impossible_bars(Loaded& data) {
  if (!data.bars) return;
  const auto bad = first_impossible(*data.bars);
  if (!bad) return;
  data.warnings.push_back(
      {WarningCode::impossible_bar,
       fmt::format(
           "at {} the high lies below the low, open or close, the low above one of them, or a "
           "price is not positive; range-based volatility is left out, mend the row",
           data.level.when(*bad))});
  data.bars.reset();
}

// Of dates that are absent and were not added as missing rows (a clock that cannot be trusted, or
// --absent keep), and of a clock that does not hold.
void judge_clock(Loaded& data) {
  constexpr double kIrregular = 0.05;  // share of steps beyond which the clock is no clock
  const Series& s = data.level;
  const Calendar calendar = learn_calendar(s.times, s.clock);
  const std::size_t places = irregular_steps(calendar, s.times).size(),
                    absent = absent_dates(calendar, s.times).places.size();
  if (static_cast<double>(places) > kIrregular * static_cast<double>(s.size()))
    data.warnings.push_back(
        {WarningCode::clock_irregular,
         fmt::format(
             "{} of {} steps do not follow the {} clock; name another with --every, or put the "
             "series on a slower one with --regroup",
             text::count(places), text::count(s.size() - 1), to_string(s.clock))});
  else if (absent > 0)
    data.warnings.push_back(
        {WarningCode::clock_irregular,
         fmt::format("{} that the clock has {} absent, so that lags and seasons, which count rows, "
                     "fall out of step; --absent missing adds them as missing rows",
                     text::plural(absent, "date", "dates"), absent == 1 ? "is" : "are")});
}

}  // namespace

namespace {

// Columns that the regressors of the model lines name.
std::vector<std::string> regressor_columns(const Options& o) {
  std::vector<std::string> lines = o.models, names;
  if (!o.model.empty()) lines.push_back(o.model);
  if (!o.terms.empty()) lines.push_back("const " + o.terms);
  for (const std::string& line : lines) {
    const Model model = parse_model(line);
    for (const auto* terms : {&model.mean.regressors, &model.variance_regressors})
      for (const Regressor& r : *terms)
        if (r.source == Regressor::Source::column &&
            std::find(names.begin(), names.end(), r.column) == names.end())
          names.push_back(r.column);
  }
  return names;
}

Series read_with_companions(const Options& o, ReadOptions read,
                            const std::vector<std::string>& columns) {
  if (read.value.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("--value is missing: with regressors the file has several columns, and "
                            "{} must not be the one that is modelled",
                            columns.front()));
  const std::string value = read.value;
  read.values = {value};
  read.value.clear();
  for (const std::string& name : columns)
    if (name != value) read.values.push_back(name);
  const Table table = read_table(o.file, read);
  Series series = table.series(table.columns.front().name);
  for (const std::string& name : columns)
    for (const Column& c : table.columns)
      if (c.name == name) series.companions.push_back({c.name, c.values});
  return series;
}

}  // namespace

namespace {

// Returns over a pause of the session are of another kind than those within it.
void warn_of_overnight(const Options& o, Loaded& data) {
  if (o.returns == "none" || o.overnight != "keep") return;
  const Calendar calendar = learn_calendar(data.level.times, data.level.clock);
  if (!calendar.within_day() || calendar.round_the_clock()) return;
  data.warnings.push_back(
      {WarningCode::overnight_returns,
       "returns over the pause of the session stand among those within it, and are larger; mark "
       "them as missing with --overnight mark"});
}

// How many rows back a chain reaches.
std::size_t reach_of(const std::vector<AppliedTransform>& links) {
  std::size_t reach = 0;
  for (const AppliedTransform& link : links) {
    if (const auto* d = std::get_if<Difference>(&link.link))
      reach += static_cast<std::size_t>(d->lag);
    if (std::holds_alternative<LogReturn>(link.link) ||
        std::holds_alternative<SimpleReturn>(link.link))
      ++reach;
  }
  return reach;
}

// What `update` must know to make the same of rows that come later.
Provenance provenance_of(const Options& o, const Loaded& data) {
  Provenance out;
  out.column = data.level.name;
  out.overnight = o.overnight;
  out.drop_zero = o.read.drop_zero;
  const auto add = [&](const std::string& word) {
    out.chain += (out.chain.empty() ? "" : " ") + word;
  };
  std::size_t reach = reach_of(data.transformed.links);
  if (o.overnight != "keep" && o.returns != "none") {  // the return stands before the links then
    add(o.returns == "log" ? "log-return" : "simple-return");
    ++reach;
  }
  for (const AppliedTransform& link : data.transformed.links) add(to_string(link.link));
  const std::size_t n = data.level.size(), from = n - std::min(n, reach);
  if (!data.level.times.empty())
    out.times.assign(data.level.times.begin() + static_cast<std::ptrdiff_t>(from),
                     data.level.times.end());
  out.values.assign(data.level.values.begin() + static_cast<std::ptrdiff_t>(from),
                    data.level.values.end());
  return out;
}

}  // namespace

namespace {

// The series of the file as it stands.
Loaded read_level(const Options& o, bool with_bars) {
  if (is_saved_model(o.file))
    throw Error(
        ErrorCode::bad_option,
        fmt::format(
            "{}: is a saved model; this command takes a CSV file (check and forecast take both)",
            o.file));
  const ReadOptions read = read_options(o, with_bars);
  Loaded data;
  if (with_bars && !o.read.value.empty()) {
    const Table table = read_table(o.file, read);
    data.level = table.series(table.columns.front().name);
    // Bars belong to the value only where that is their close.
    if (table.close == std::size_t{0}) data.bars = table.bars();
  } else if (const std::vector<std::string> columns = regressor_columns(o); !columns.empty()) {
    data.level = read_with_companions(o, read, columns);
  } else {
    data.level = read_series(o.file, read);
  }
  if (!o.rows.empty()) cut_rows(data, o.rows);
  if (!o.regroup.empty()) {
    const auto [clock, how] = regroup_from(o.regroup);
    data.bars.reset();
    if (how == Aggregate::last) data.bars = bars_of(data.level, clock);
    data.level = regroup(data.level, clock, how);
  }
  refuse_impossible_bars(data);
  judge_clock(data);
  return data;
}

}  // namespace

Loaded load(const Options& o, bool with_bars) {
  return made_of(o, read_level(o, with_bars));
}

Series level_of(const Options& o) {
  return read_level(o, false).level;
}

Loaded made_of(const Options& o, Loaded data) {
  const std::size_t n = data.level.size();
  const std::size_t held_out =
      o.hold_out.empty() ? 0 : rows_held_out(data.level, hold_out_from(o.hold_out));
  const ReturnUnit unit = o.unit == "decimal" ? ReturnUnit::decimal : ReturnUnit::percent;
  std::vector<Transform> chain = parse_chain(o.transform, unit);
  for (Transform& link : chain)
    if (auto* power = std::get_if<PowerTransform>(&link)) power->period = o.period;
  if (held_out > 0 && std::any_of(chain.begin(), chain.end(), [](const Transform& link) {
        return std::holds_alternative<Window>(link);
      }))
    throw Error(
        ErrorCode::bad_option,
        "--transform: rows= and dates= do not go with --hold-out; cut with --rows or --from");
  // Overnight returns are told by the dates of the level, so they are seen to between the two.
  std::vector<Transform> returns;
  if (o.returns == "log") returns = {LogReturn{unit}};
  if (o.returns == "simple") returns = {SimpleReturn{unit}};
  if (o.overnight == "keep") {
    chain.insert(chain.begin(), returns.begin(), returns.end());
    data.transformed = transform(data.level, chain, n - held_out);
  } else {
    if (returns.empty())
      throw Error(ErrorCode::bad_option,
                  "--overnight: needs --returns, since only returns bridge a night");
    const Overnight how = o.overnight == "mark" ? Overnight::mark : Overnight::drop;
    const Series cleared =
        without_overnight(transform(data.level, returns).series, data.level, how);
    const auto training =
        std::count_if(cleared.times.begin(), cleared.times.end(),
                      [&](Timestamp t) { return t <= data.level.times[n - held_out - 1]; });
    data.transformed = transform(cleared, chain, static_cast<std::size_t>(training));
  }
  data.values = data.transformed.series;
  const auto note = [&](const std::string& text) {
    data.level.account.notes.push_back(text);
    data.values.account.notes.push_back(text);
  };
  if (held_out > 0) {
    const std::size_t kept = n - held_out;
    const auto is_kept = [&](std::size_t i) {
      return data.values.times.empty() ? i + held_out < data.values.size()
                                       : data.values.times[i] <= data.level.times[kept - 1];
    };
    std::size_t end = data.values.size();
    while (end > 0 && !is_kept(end - 1)) --end;
    data.held_out = rows_between(data.values, end, data.values.size());
    data.values = rows_between(data.values, 0, end);
    data.level_held_out = rows_between(data.level, kept, n);
    data.level = rows_between(data.level, 0, kept);
    // What leads back to the level must end where the training part does.
    if (o.overnight == "keep") data.transformed = transform(data.level, chain);
    cut_bars(data.bars, 0, kept);
    note(fmt::format("the last {} held out", text::plural(held_out, "row", "rows")));
  }
  for (const AppliedTransform& link : data.transformed.links)
    if (link.estimated)
      note(fmt::format("Box-Cox power {} by maximum likelihood, 95 % interval {} to {}{}",
                       text::fixed(link.estimated->power, 3), text::fixed(link.estimated->low, 3),
                       text::fixed(link.estimated->high, 3),
                       link.estimated->at_edge ? " (at the edge of its range)" : ""));
  for (const AppliedTransform& link : data.transformed.links)
    if (link.estimated && link.estimated->beyond())
      data.warnings.push_back(
          {WarningCode::parameter_at_bound,
           fmt::format("the Box-Cox power of {} {} the range that is searched, -2 to 3: the rows "
                       "hardly tell it; use --transform log, or none",
                       data.level.name,
                       link.estimated->at_edge ? "lies at an end of" : "has an interval beyond")});
  data.values.provenance = provenance_of(o, data);
  warn_of_overnight(o, data);
  return data;
}

Table read_whole_table(const Options& o) {
  return read_table(o.file, read_options(o, false));
}

Series change_of(const Series& level, const Options& o) {
  const ReturnUnit unit = o.unit == "decimal" ? ReturnUnit::decimal : ReturnUnit::percent;
  if (o.returns == "simple") return simple_returns(level, unit);
  if (o.returns == "log") return log_returns(level, unit);
  const bool positive =
      std::none_of(level.values.begin(), level.values.end(), [](double v) { return v <= 0; });
  return positive ? log_returns(level, unit) : differences(level);
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

Model model_of(const Options& o) {
  if (o.model.empty())
    throw Error(ErrorCode::bad_option,
                "--model is missing: give a model line, such as 'const / garch / student'");
  Model model = parse_model(o.model);
  for (Held& held : held_values(o.fix, "--fix")) model.held.push_back(std::move(held));
  return model;
}

Fit load_or_fit(const Options& o, Loaded* data) {
  if (is_saved_model(o.file)) {
    if (!o.model.empty() || !o.fix.empty() || o.returns != "none" || !o.read.value.empty() ||
        !o.transform.empty())
      throw Error(
          ErrorCode::bad_option,
          fmt::format(
              "{}: is a saved model, which holds its series and model line; leave --model, --fix, "
              "--value, --returns and --transform out",
              o.file));
    return load_model(o.file);
  }
  const Model model = model_of(o);
  EstimateOptions options;
  for (const ErrorKind kind : {ErrorKind::hessian, ErrorKind::opg, ErrorKind::robust})
    if (to_string(kind) == o.errors) options.errors = kind;
  if (o.likelihood == "exact") options.likelihood = LikelihoodKind::exact;
  if (o.likelihood == "conditional") options.likelihood = LikelihoodKind::conditional;
  options.target_variance = o.target_variance;
  options.starts = o.starts;
  Loaded loaded = load(o);
  Fit fit = with_warnings_of(loaded, estimate(model, loaded.values, options));
  if (data) *data = std::move(loaded);
  return fit;
}

std::vector<Companion> read_future(const Options& o) {
  std::vector<Companion> future;
  if (o.future.empty()) return future;
  ReadOptions read;
  read.decimal_comma = o.read.decimal_comma;
  read.missing.insert(read.missing.end(), o.missing.begin(), o.missing.end());
  for (const Column& c : read_table(o.future, read).columns) future.push_back({c.name, c.values});
  return future;
}

void add_level_option(CLI::App& command, Options& o) {
  command
      .add_option("--level", o.level,
                  "shows what Q must exceed to reject at this level, such as .01")
      ->check(CLI::Range(1e-12, 0.5))
      ->option_text("P")
      ->group("Tests");
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

std::vector<int> lag_list(const Options& o) {
  std::vector<int> lags;
  for (std::size_t at = 0; at < o.lags.size();) {
    const std::size_t end = std::min(o.lags.find(',', at), o.lags.size());
    Options one;
    one.lags = o.lags.substr(at, end - at);
    const int lag = lag_count(one);
    if (lag == 0) throw Error(ErrorCode::bad_option, "--lags " + o.lags + ": a lag is missing");
    lags.push_back(lag);
    at = end + 1;
  }
  return lags;
}

int bandwidth_of(const Options& o) {
  if (o.bandwidth_words.empty()) return kBandwidthRule;
  if (o.bandwidth_words == "auto") return kBandwidthAutomatic;
  int bandwidth = 0;
  const char* end = o.bandwidth_words.data() + o.bandwidth_words.size();
  const auto read = std::from_chars(o.bandwidth_words.data(), end, bandwidth);
  if (read.ec != std::errc{} || read.ptr != end || bandwidth < 0)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("--bandwidth {}: must be a whole number from 0, or auto", o.bandwidth_words));
  return bandwidth;
}

std::string account(const Series& s) {
  const std::string noun = s.clock == Clock::row ? "row" : std::string(s.period());
  std::string line = text::plural(s.size(), noun, noun + "s");
  if (!s.times.empty()) line += fmt::format(", {} to {}", s.when(0), s.when(s.size() - 1));
  std::vector<std::string> lost;
  for (const Account::Dropped& d : s.account.dropped)
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

namespace {

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

}  // namespace

std::string series_words(const Options& o) {
  std::string words = shell_word(o.file);
  const auto add = [&](const char* name, const std::string& value) {
    if (!value.empty()) words += fmt::format(" {} {}", name, shell_word(value));
  };
  add("--value", o.read.value);
  add("--date", o.read.date);
  add("--time", o.read.time);
  add("--date-format", o.read.date_format);
  for (const std::string& condition : o.read.where) add("--where", condition);
  add("--query", o.read.query);
  for (const std::string& role : o.roles) add("--roles", role);
  add("--column-mark", o.column_mark);
  if (o.read.decimal_comma) words += " --decimal-comma";
  if (o.read.grouped) words += " --grouped";
  for (const std::string& mark : o.missing) add("--missing", mark);
  add("--drop-zero", o.read.drop_zero);
  if (o.read.drop_flat) words += " --drop-flat";
  add("--from", o.read.from);
  add("--to", o.read.to);
  add("--every", o.every);
  if (o.absent != "auto") add("--absent", o.absent);
  add("--zone", o.read.zone);
  add("--rows", o.rows);
  add("--regroup", o.regroup);
  if (o.unit != "percent") add("--unit", o.unit);
  add("--hold-out", o.hold_out);
  return words;
}

std::string modelled_words(const Options& o) {
  std::string words = series_words(o);
  if (o.returns != "none") words += " --returns " + o.returns;
  if (o.overnight != "keep") words += " --overnight " + o.overnight;
  if (!o.transform.empty()) words += " --transform " + shell_word(o.transform);
  return words;
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

void add_residuals_option(CLI::App& command, Options& o) {
  command
      .add_option("--residuals", o.residuals,
                  "each row's actual and fitted value, residual and volatility, .csv or .json")
      ->group("Output");
}

void write_residuals(const Options& o, const Fit& fit) {
  if (o.residuals.empty()) return;
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("--residuals: '{}' did not converge, so that its residuals are none",
                            to_string(fit.model)));
  if (o.residuals.ends_with(".json")) {
    write_whole(o.residuals, json_rows(fit));
  } else {
    std::vector<std::vector<std::string>> rows{
        {"date", "actual", "fitted", "residual", "volatility", "standardised"}};
    for (const FittedRow& r : fitted_rows(fit))
      rows.push_back({r.date ? format_date(*r.date) : "", cell(r.actual), cell(r.fitted),
                      cell(r.residual), cell(r.volatility), cell(r.standardised)});
    write_whole(o.residuals, csv_text(rows));
  }
  say_written(o, o.residuals);
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
