// SPDX-License-Identifier: Apache-2.0
// brace update: appends new rows to a saved model, whose parameters stay fixed.
#include <fmt/format.h>

#include <cmath>
#include <filesystem>
#include <iostream>
#include <memory>

#include "options.hpp"

namespace brace::app {
namespace {

[[noreturn]] void refuse(const Options& o, const std::string& what) {
  throw Error(ErrorCode::bad_option, fmt::format("{}: {}", o.newer, what));
}

void require_same_kind(const Options& o, const Series& window, const Series& values) {
  if (values.kind != window.kind || values.unit != window.unit)
    refuse(
        o,
        "these rows are not of the kind or unit that the model was fitted to; give --returns and "
        "--unit as then");
  if (window.times.empty() != values.times.empty())
    refuse(o, fmt::format("the model's rows {} dates, and these {}",
                          window.times.empty() ? "have no" : "have",
                          values.times.empty() ? "have none" : "have them"));
}

// The options that made the model's rows; what is typed again must say the same.
Options as_then(const Options& o, const Series& window, const Provenance& made) {
  Options then = o;
  then.file = o.newer;
  using Word = std::optional<std::string>;
  const auto require_same = [&](const char* option, const Word& typed, const Word& kept) {
    if (typed && typed != kept)
      refuse(o, fmt::format("{} {} is asked for, and the model was fitted {}", option, *typed,
                            kept ? fmt::format("with {}", *kept) : "without it"));
  };
  const auto unless = [](const char* none, const std::string& word) {
    return word == none ? std::nullopt : Word(word);
  };
  require_same("--value", then.series.read.value, made.column);
  require_same("--drop-zero", then.series.read.drop_zero, made.drop_zero);
  require_same("--overnight", unless("keep", then.series.overnight),
               unless("keep", made.overnight));
  then.series.read.value = made.column;
  then.series.read.drop_zero = made.drop_zero;
  then.series.overnight = made.overnight;
  std::string chain, returns = "none";
  for (const Transform& link : parse_chain(made.chain)) {
    if (std::holds_alternative<transforms::Centre>(link) ||
        std::holds_alternative<transforms::DivideByProfile>(link) ||
        std::holds_alternative<transforms::Window>(link))
      refuse(o, fmt::format("the model's rows were made by '{}', whose numbers belong to the rows "
                            "they were estimated from; fit the model again",
                            to_string(link)));
    if (chain.empty() && returns == "none" && std::holds_alternative<transforms::LogReturn>(link))
      returns = "log";
    else if (chain.empty() && returns == "none" &&
             std::holds_alternative<transforms::SimpleReturn>(link))
      returns = "simple";
    else
      chain += (chain.empty() ? "" : " ") + to_string(link);
  }
  require_same("--returns", unless("none", then.series.returns), unless("none", returns));
  require_same("--transform", unless("", then.series.transform), unless("", chain));
  then.series.returns = returns;
  then.series.transform = chain;
  if (window.unit && returns != "none") {
    const std::string unit(to_string(*window.unit));
    if (o.series.unit != "percent" && o.series.unit != unit)
      refuse(o, fmt::format("--unit {} is asked for, and the model's returns are in {}",
                            o.series.unit, unit));
    then.series.unit = unit;
  }
  then.series.hold_out.clear();
  return then;
}

// Rows of `values` that the model holds too must be the same.
void require_agreement(const Options& o, const Series& window, const Series& values) {
  std::size_t i = 0;
  for (std::size_t t = 0; t < values.size(); ++t) {
    while (i < window.size() && window.times[i] < values.times[t]) ++i;
    if (i == window.size()) return;
    const double there = window.values[i], here = values.values[t];
    if (window.times[i] != values.times[t] || std::isnan(there) || std::isnan(here)) continue;
    if (std::abs(there - here) > 1e-7 * (1 + std::abs(there)))
      refuse(o,
             fmt::format("{} is {} at {}, where the model holds {}; these rows are not those that "
                         "it was fitted to",
                         values.name, text::significant(here, 6), values.when(t),
                         text::significant(there, 6)));
  }
}

// Dates between the model's last row and the first new one, beyond what its own rows ever skipped.
void require_no_gap(const Options& o, const Series& window, Timestamp first) {
  if (window.clock == Clock::row || window.times.empty()) return;
  const Calendar calendar = learn_calendar(window.times, window.clock);
  std::size_t usual = 0;
  for (const IrregularStep& step : irregular_steps(calendar, window.times))
    usual = std::max(usual, step.skipped);
  const std::vector<Timestamp> between{window.times.back(), first};
  for (const IrregularStep& step : irregular_steps(calendar, between))
    if (step.skipped > usual)
      refuse(o,
             fmt::format("the model ends at {} and these rows begin at {}: {} are absent between "
                         "them; give the rows in between too",
                         window.when(window.size() - 1), format_date(first),
                         text::plural(step.skipped, std::string(window.period()),
                                      std::string(window.period()) + "s")));
}

// The column's rows of the new file that follow the model's, behind the last ones that it knows.
Series joined(const Options& o, const Series& window, const Provenance& made, Series level) {
  if (level.times.size() >= 8)  // fewer do not tell a clock
    if (const Clock clock = infer_clock(level.times);
        clock != window.clock && o.series.every.empty())
      refuse(o, fmt::format("its rows keep the {} clock, and the model's the {} clock",
                            to_string(clock), to_string(window.clock)));
  level.clock = window.clock;
  std::size_t from = 0;
  if (!window.times.empty()) {
    while (from < level.size() && level.times[from] <= window.times.back()) ++from;
    if (from == level.size())
      throw Error(ErrorCode::too_few_observations,
                  fmt::format("{}: no row comes after {}, where the model ends", o.newer,
                              window.when(window.size() - 1)));
    require_no_gap(o, window, level.times[from]);
    // The last rows of the column, which the model knows.
    for (std::size_t t = 0; t < from; ++t)
      for (std::size_t i = 0; i < made.times.size(); ++i)
        if (made.times[i] == level.times[t] &&
            std::abs(made.values[i] - level.values[t]) > 1e-9 * (1 + std::abs(made.values[i])))
          refuse(o, fmt::format("{} is {} at {}, where the model holds {}", level.name,
                                text::significant(level.values[t], 8), level.when(t),
                                text::significant(made.values[i], 8)));
  }
  Series out = rows_between(level, from, level.size());
  out.values.insert(out.values.begin(), made.values.begin(), made.values.end());
  if (!out.times.empty()) out.times.insert(out.times.begin(), made.times.begin(), made.times.end());
  for (Companion& c : out.companions)
    c.values.insert(c.values.begin(), made.values.size(), std::nan(""));
  return out;
}

Series after(const Series& values, const Series& window) {
  std::size_t from = 0;
  while (from < values.times.size() && values.times[from] <= window.times.back()) ++from;
  return rows_between(values, from, values.size());
}

Loaded made_from(const Options& o, Series level) {
  Loaded data;
  data.level = std::move(level);
  return made_of(o, std::move(data));
}

// The rows of the new file that follow the model's last one, made as the model's rows were.
Loaded rows_since(const Fit& fit, const Options& o) {
  const Series window = fit.window();
  if (!window.provenance) {  // saved by a version that did not keep it
    Options newer = o;
    newer.file = o.newer;
    Loaded data = load(newer);
    require_same_kind(o, window, data.values);
    if (!window.times.empty() &&
        (data.values.times.empty() || data.values.times.back() <= window.times.back()))
      throw Error(ErrorCode::too_few_observations,
                  fmt::format("{}: no row comes after {}, where the model ends", o.newer,
                              window.when(window.size() - 1)));
    data.values = after(data.values, window);
    return data;
  }
  const Provenance& made = *window.provenance;
  Options then = as_then(o, window, made);
  then.model.lines = {to_string(fit.model)};  // so that the columns of its regressors are read
  if (then.series.every.empty()) then.series.every = std::string(to_string(window.clock));
  if (then.series.every == "row") then.series.every.clear();
  const Series level = level_of(then);
  if (!window.times.empty() && !level.times.empty() && level.times.front() <= window.times.back() &&
      level.size() > made.values.size() + 1) {
    const Loaded alone = made_from(then, level);
    require_same_kind(o, window, alone.values);
    require_agreement(o, window, alone.values);
  }
  if (window.times.empty() != level.times.empty()) require_same_kind(o, window, level);
  Loaded data = made_from(then, joined(o, window, made, level));
  require_same_kind(o, window, data.values);
  if (!window.times.empty()) data.values = after(data.values, window);
  return data;
}

// The old file stands until the new one has been written and read back.
void replace_model(const Fit& fit, const std::string& target) {
  if (std::filesystem::is_regular_file(target)) {
    const std::string trial = target + ".new";
    save_model(fit, trial);
    try {
      (void)load_model(trial);
    } catch (const Error&) {
      std::filesystem::remove(trial);
      throw;
    }
    std::filesystem::remove(trial);
  }
  save_model(fit, target);
}

int run_update(const Options& o) {
  if (!is_saved_model(o.file))
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: is no saved model; fit one with --save first", o.file));
  const Fit before = load_model(o.file);
  const Loaded since = rows_since(before, o);
  const Series& more = since.values;
  Fit fit = update(before, more);
  if (fit.series->provenance) {  // of the last rows there are now
    auto series = std::make_shared<Series>(*fit.series);
    series->provenance = since.values.provenance;
    fit.series = std::move(series);
  }
  const std::string target = o.output.save.empty() ? o.file : o.output.save;
  replace_model(fit, target);
  say_written(o, target);
  write_residuals(o, fit);
  if (std::ostream* json = json_stream(o)) *json << json_document("update", fit);
  if (!shows_text(o)) return 0;
  const Forecast next = forecast(fit, {.horizon = 1, .method = ForecastMethod::plug_in});
  const std::string period(fit.series->period());
  std::cout << text::wrap(fmt::format(
      "{} added, to {}. Volatility of the next {} is {}, after {}; the parameters are those "
      "of {} {}s.",
      text::plural(more.size(), period, period + "s"), fit.series->when(fit.count - 1), period,
      text::significant(std::sqrt(next.steps.front().shown_variance()), 3),
      text::significant(std::sqrt(before.variances.back()), 3), text::count(before.n), period));
  print_next(o, fmt::format("forecast {}", shell_word(target)));
  return 0;
}

}  // namespace

Command update_command(Options& o) {
  Command c("update", "Append new rows to a saved model; parameters stay fixed", run_update);
  add_series_options(c, o, "saved model");
  c.option("--new", o.newer,
           "CSV file with the new rows, alone or after the old ones, which must equal those of the "
           "model; column, returns and transforms are those of the model")
      .required()
      .group("The new rows");
  add_output_options(c, o);
  add_residuals_option(c, o);
  c.option("--save", o.output.save, "file for the updated model (default: overwrite the old one)")
      .group("Output")
      .path();
  c.footer = "Example:\n  brace update kelp.json --new data/kelp-fibre.csv";
  return c;
}

}  // namespace brace::app
