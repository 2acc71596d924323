// SPDX-License-Identifier: Apache-2.0
// The series that a command works on: read from the file, cut and made as the options say. Covered
// by tests/tool/real_files_test.cpp and commands_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "options.hpp"

namespace brace::app {

namespace {

ReadOptions read_options(const Options& o, bool with_bars) {
  ReadOptions read = o.series.read;
  read.missing.insert(read.missing.end(), o.series.missing.begin(), o.series.missing.end());
  if (!o.series.every.empty() && o.series.every != "auto") read.every = clock_from(o.series.every);
  if (o.series.absent == "keep") read.absent = Absent::keep;
  if (o.series.absent == "missing") read.absent = Absent::missing;
  if (o.series.column_mark == "comma") read.column_mark = ',';
  if (o.series.column_mark == "semicolon") read.column_mark = ';';
  if (o.series.column_mark == "tab") read.column_mark = '\t';
  if (o.series.column_mark == "bar") read.column_mark = '|';
  read.with_bars = with_bars;
  for (const std::string& role : o.series.roles) {
    const std::size_t equals = role.find('=');
    const std::string name = role.substr(0, equals);
    std::optional<std::string>* slot = name == "open"     ? &read.roles.open
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
           "price is not positive; range-based volatility is left out, correct the row",
           data.level.when(*bad))});
  data.bars.reset();
}

// The row after the longest gap between the dates, 0 without one.
std::size_t after_longest_gap(const std::vector<Timestamp>& times) {
  std::size_t at = 0;
  for (std::size_t i = 1; i < times.size(); ++i)
    if (times[i] - times[i - 1] > kLongestClosing &&
        (at == 0 || times[i] - times[i - 1] > times[at] - times[at - 1]))
      at = i;
  return at;
}

// Of dates that are absent and were not added as missing rows (a clock that cannot be trusted, or
// --absent keep), of a gap that is no holiday, and of a clock that does not hold.
void judge_clock(Loaded& data) {
  constexpr double kIrregular = 0.05;  // share of steps beyond which the clock is no clock
  const Series& s = data.level;
  const Calendar calendar = learn_calendar(s.times, s.clock);
  const std::size_t places = irregular_steps(calendar, s.times).size(),
                    absent = s.clock == Clock::business_day  // days on which it was closed
                                 ? 0
                                 : absent_dates(calendar, s.times).places.size();
  if (static_cast<double>(places) > kIrregular * static_cast<double>(s.size()))
    data.warnings.push_back(
        {WarningCode::clock_irregular,
         fmt::format(
             "{} of {} steps do not follow the {} clock; name another with --every, or put the "
             "series on a slower one with --regroup",
             text::count(places), text::count(s.size() - 1), to_string(s.clock))});
  else if (const std::size_t gap = s.clock == Clock::business_day ? after_longest_gap(s.times) : 0)
    data.warnings.push_back(
        {WarningCode::clock_irregular,
         fmt::format(
             "there are no rows between {} and {}, too long for a holiday, and what follows "
             "counts as the next row; correct the date if it is wrong, keep one side with "
             "--from or --to, or add the dates between as missing rows with --absent missing",
             format_date(s.times[gap - 1]), format_date(s.times[gap]))});
  else if (absent > 0)
    data.warnings.push_back(
        {WarningCode::clock_irregular,
         fmt::format("{} that the clock has {} absent, so that lags and seasons, which count rows, "
                     "fall out of step; --absent missing adds them as missing rows",
                     text::plural(absent, "date", "dates"), absent == 1 ? "is" : "are")});
}

// Columns that the regressors of the model lines name.
std::vector<std::string> regressor_columns(const Options& o) {
  std::vector<std::string> lines = o.model.lines, names;
  if (!o.model.line.empty()) lines.push_back(o.model.line);
  if (!o.search.terms.empty()) lines.push_back("const " + o.search.terms);
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

// With the columns that regressors name.
ReadOptions with_companions(const Options& o, ReadOptions read) {
  read.companions = regressor_columns(o);
  if (!read.companions.empty() && !read.value)
    throw Error(ErrorCode::bad_option,
                fmt::format("--value is missing: with regressors the file has several columns, and "
                            "{} must not be the one that is modelled",
                            read.companions.front()));
  return read;
}

// Returns over a pause of the session are of another kind than those within it.
void warn_of_overnight(const Options& o, Loaded& data) {
  if (o.series.returns == "none" || o.series.overnight != "keep") return;
  const Calendar calendar = learn_calendar(data.level.times, data.level.clock);
  if (!calendar.within_day() || calendar.round_the_clock()) return;
  data.warnings.push_back(
      {WarningCode::overnight_returns,
       "overnight returns are mixed with returns within the session and are larger; set them to "
       "missing with --overnight mark"});
}

// How many rows back a chain reaches.
std::size_t reach_of(const std::vector<AppliedTransform>& links) {
  std::size_t reach = 0;
  for (const AppliedTransform& link : links) {
    if (const auto* d = std::get_if<transforms::Difference>(&link.link))
      reach += static_cast<std::size_t>(d->lag);
    if (std::holds_alternative<transforms::LogReturn>(link.link) ||
        std::holds_alternative<transforms::SimpleReturn>(link.link))
      ++reach;
  }
  return reach;
}

// What `update` must know to make the same of rows that come later.
Provenance provenance_of(const Options& o, const Loaded& data) {
  Provenance out;
  out.column = data.level.name;
  out.overnight = o.series.overnight;
  out.drop_zero = o.series.read.drop_zero;
  const auto add = [&](const std::string& word) {
    out.chain += (out.chain.empty() ? "" : " ") + word;
  };
  std::size_t reach = reach_of(data.transformed.links);
  if (o.series.overnight != "keep" &&
      o.series.returns != "none") {  // the return stands before the links then
    add(o.series.returns == "log" ? "log-return" : "simple-return");
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

// The series as it was read, cut and regrouped as asked, and what there is to say of it.
Loaded looked_at(const Options& o, Loaded data) {
  if (!o.series.rows.empty()) cut_rows(data, o.series.rows);
  if (!o.series.regroup.empty()) {
    const auto [clock, how] = regroup_from(o.series.regroup);
    data.bars.reset();
    if (how == Aggregate::last) data.bars = bars_of(data.level, clock);
    data.level = regroup(data.level, clock, how);
  }
  refuse_impossible_bars(data);
  judge_clock(data);
  return data;
}

// The series of the file as it stands.
Loaded read_level(const Options& o, bool with_bars) {
  if (is_saved_model(o.file))
    throw Error(
        ErrorCode::bad_option,
        fmt::format(
            "{}: is a saved model; this command takes a CSV file (check and forecast take both)",
            o.file));
  Loaded data;
  if (with_bars && o.series.read.value) {
    const Table table = read_table(o.file, read_options(o, with_bars));
    data.level = table.series(table.columns.front().name);
    // Bars belong to the value only where that is their close.
    if (table.close == std::size_t{0}) data.bars = table.bars();
  } else {
    data.level = read_series(o.file, with_companions(o, read_options(o, with_bars)));
  }
  return looked_at(o, std::move(data));
}

}  // namespace

ReadOptions reading_of(const Options& o) {
  return with_companions(o, read_options(o, false));
}

Loaded made_of_read(const Options& o, Series level) {
  Loaded data;
  data.level = std::move(level);
  return made_of(o, looked_at(o, std::move(data)));
}

// A unit that nothing is made in would be left out in silence.
void require_unit_taken(const Options& o, Takes takes) {
  const std::vector<Transform> chain = parse_chain(o.series.transform, Unit::decimal);
  const bool made = std::ranges::any_of(chain, [](const Transform& link) {
    return std::holds_alternative<transforms::LogReturn>(link) ||
           std::holds_alternative<transforms::SimpleReturn>(link);
  });
  if (o.series.unit == "decimal" && o.series.returns == "none" && !made && takes != Takes::changes)
    throw Error(
        ErrorCode::bad_option,
        "--unit decimal: is the unit of the returns that --returns makes; add --returns, or "
        "leave it out: values of a file stay in the unit of the file");
}

Loaded load(const Options& o, Takes takes) {
  require_unit_taken(o, takes);
  return made_of(o, read_level(o, takes == Takes::bars));
}

Series level_of(const Options& o) {
  return read_level(o, false).level;
}

Loaded made_of(const Options& o, Loaded data) {
  const std::size_t n = data.level.size();
  const std::size_t held_out =
      o.series.hold_out.empty() ? 0 : rows_held_out(data.level, hold_out_from(o.series.hold_out));
  const Unit unit = o.series.unit == "decimal" ? Unit::decimal : Unit::percent;
  std::vector<Transform> chain = parse_chain(o.series.transform, unit);
  for (Transform& link : chain)
    if (auto* power = std::get_if<transforms::PowerTransform>(&link)) power->period = o.period;
  if (held_out > 0 && std::any_of(chain.begin(), chain.end(), [](const Transform& link) {
        return std::holds_alternative<transforms::Window>(link);
      }))
    throw Error(
        ErrorCode::bad_option,
        "--transform: rows= and dates= do not go with --hold-out; cut with --rows or --from");
  // Overnight returns are told by the dates of the level, so they are seen to between the two.
  std::vector<Transform> returns;
  if (o.series.returns == "log") returns = {transforms::LogReturn{unit}};
  if (o.series.returns == "simple") returns = {transforms::SimpleReturn{unit}};
  if (o.series.overnight == "keep") {
    chain.insert(chain.begin(), returns.begin(), returns.end());
    data.transformed = transform(data.level, chain, n - held_out);
  } else {
    if (returns.empty())
      throw Error(ErrorCode::bad_option,
                  "--overnight: needs --returns, since only returns bridge a night");
    const Overnight how = o.series.overnight == "mark" ? Overnight::mark : Overnight::drop;
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
    if (o.series.overnight == "keep") data.transformed = transform(data.level, chain);
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
           fmt::format("the Box-Cox power of {} {} the range that is searched, -2 to 3: the data "
                       "hardly identify it; use --transform log, or none",
                       data.level.name,
                       link.estimated->at_edge ? "lies at an end of" : "has an interval beyond")});
  data.values.provenance = provenance_of(o, data);
  warn_of_overnight(o, data);
  return data;
}

bool leads_back(const Options& o, const Loaded& data) {
  return !data.transformed.links.empty() && o.series.overnight == "keep" &&
         data.transformed.goes_on();
}

Table read_whole_table(const Options& o) {
  return read_table(o.file, read_options(o, false));
}

}  // namespace brace::app
