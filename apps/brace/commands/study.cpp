// SPDX-License-Identifier: Apache-2.0
// brace study: the whole job as its file states it, or a first such file. brace report: several
// studies in one page. Covered by tests/tool/study_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <iostream>

#include "brace/report/report.hpp"
#include "options.hpp"
#include "study_run.hpp"

namespace brace::app {
namespace {

namespace fs = std::filesystem;

std::string toml_text(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    if (static_cast<unsigned char>(c) < 0x20)
      out += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    else
      out += c;
  }
  return out + "\"";
}

std::string toml_value(const TypedOption& typed) {
  if (typed.values.empty()) return "true";
  const bool text = std::holds_alternative<std::string*>(typed.option->target) ||
                    std::holds_alternative<std::optional<std::string>*>(typed.option->target) ||
                    std::holds_alternative<std::vector<std::string>*>(typed.option->target);
  std::vector<std::string> values;
  for (const std::string& value : typed.values) values.push_back(text ? toml_text(value) : value);
  return values.size() == 1 ? values[0] : fmt::format("[{}]", fmt::join(values, ", "));
}

// `breaks` asks for as many observations.
constexpr std::size_t kFewestForBreaks = 250;

// A first study from what `inspect` and `unitroot` find.
int start_study(const Options& o) {
  Options reading = o;
  const Loaded data = load(reading, Takes::changes);
  std::string making, why;
  Series values = data.values;
  const std::vector<Series> levels = all_positive(data.level)
                                         ? std::vector<Series>{data.level, log_level(data.level)}
                                         : std::vector<Series>{data.level};
  const UnitRootReport roots = compare_unit_roots(levels, change_of(data.level, o));
  why = roots.reading;
  const UnitRootBattery& of_level = roots.batteries[levels.size() - 1];
  bool trend = false;
  if (o.series.returns == "none" && o.series.transform.empty()) {
    if (asks_for_difference(of_level)) {
      values = change_of(data.level, o);
      making = all_positive(data.level) ? "returns = \"log\"\n" : "transform = \"diff1\"\n";
    } else {
      values = levels.back();
      making = levels.size() > 1 ? "transform = \"log\"\n" : "";
      trend = of_level.verdict == StationarityVerdict::trend_stationary;
    }
  }
  const Inspection look = inspect(values);
  const auto rejected = [&](const char* test) {
    for (const TestResult& t : look.tests)
      if (t.test == test) return t.p_value < .05;
    return false;
  };
  const bool memory = rejected("ljung-box-robust"), clusters = rejected("arch-lm"),
             heavy = look.moments.excess_kurtosis > 1;
  const std::string terms = fmt::format("{}{}", trend ? " trend" : "", memory ? " ar1" : "");
  const std::string model = fmt::format("const{} / {} / {}", terms, clusters ? "garch" : "steady",
                                        heavy ? "student" : "normal");
  const auto rows = values.size();
  std::string out =
      text::wrap(account(data.level), 100, "# ") +
      fmt::format(
          "#\n# `brace study FILE` runs it. A table is a step of the job; its keys are "
          "the options of that step's\n# command (`brace fit --help`), without the dashes. "
          "Paths are taken from this file's folder.\n\n");
  out += fmt::format(
      "[study]\ntitle = {}\n# insist = true        # model a level that has a unit "
      "root\n# leave-out = [\"lags\"]  # chapters that the report does without\n\n",
      toml_text(data.values.name + " of " + fs::path(o.file).stem().string()));
  out += fmt::format("[series]\nfile = {}\n", toml_text(o.file));
  for (const TypedOption& typed : o.typed)
    out += fmt::format("{} = {}\n", typed.option->name.substr(2), toml_value(typed));
  out += text::wrap(text::sentence(why), 100, "# ") + making;
  out += fmt::format("\n[inspect]\n{}\n[unitroot]\n\n[lags]\n\n{}",
                     text::wrap(text::sentence(look.reading) + ".", 100, "# "),
                     values.present() >= kFewestForBreaks ? "[breaks]\n\n" : "");
  std::string why_model =
      fmt::format("{}; {}; {}.", memory ? "The mean has memory" : "No clear memory in the mean",
                  clusters ? "volatility clusters" : "volatility does not cluster",
                  heavy ? "shocks are heavy-tailed" : "tails are not heavy");
  if (const auto few = few_rows_decide(values)) why_model += " Before that: " + few->text + ".";
  out += fmt::format("[fit]\n{}model = \"{}\"\n\n[check]\n\n", text::wrap(why_model, 100, "# "),
                     model);
  out += "[forecast]\nhorizon = 10\n";
  if (clusters && rows > 700)
    out += fmt::format(
        "\n[compare]\nmodel = [\"{0}\",\n         \"const{1} / gjr / {2}\"]\n\n[backtest]\nmodel = "
        "[\"{0}\",\n         \"const{1} / gjr / {2}\"]\nwindow = {3}\norigins = {4}\nrefit-every = "
        "5\n",
        model, terms, heavy ? "student" : "normal", rows > 1500 ? 1000 : 500,
        std::min<std::size_t>(250, rows - (rows > 1500 ? 1000 : 500)));
  std::cout << out;
  return 0;
}

int run_study_command(const Options& o) {
  if (o.study_words.start) return start_study(o);
  if (!o.typed.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: belongs to --start; write {} = {} into [series] of {}",
                            o.typed[0].option->name, o.typed[0].option->name.substr(2),
                            toml_value(o.typed[0]), o.file));
  return run_study({.file = o.file,
                    .report = o.output.report,
                    .again = o.study_words.again,
                    .quiet = o.output.quiet,
                    .json = o.output.json,
                    .threads = o.threads});
}

int run_report(const Options& o) {
  std::vector<StudyRecord> records;
  for (const std::string& path : o.study_words.records) records.push_back(read_record(path));
  write_whole(o.output.out, html_report(records));
  if (o.output.json)
    std::cout << json_document("report", records);
  else
    say_written(o, o.output.out);
  return 0;
}

}  // namespace

Command study_command(Options& o) {
  Command c("study", "The whole job as a file states it, into results and one HTML page",
            run_study_command);
  add_series_options(c, o, "study file (TOML) or, with --start, the CSV file of the series");
  for (Option& option : c.options)
    if (option.name != "FILE") option.what += " (with --start)";
  const char* group = "The study";
  c.option(
       "--start", o.study_words.start,
       "write a commented first study of FILE to standard output, from what inspect and unitroot "
       "find")
      .group(group);
  c.option("--again", o.study_words.again, "run every step, also those that have not changed")
      .group(group);
  c.option("--report", o.output.report, "the page (default: beside the study, by its name)")
      .group(group)
      .path();
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative()
      .group(group);
  c.option("--json", o.output.json, "the record of the run as JSON on standard output").group(group);
  c.option("--quiet", o.output.quiet, "no word but errors").group(group);
  c.footer =
      "Example:\n  brace study --start data/kelp-fibre.csv --value settle --drop-zero volume > "
      "kelp.toml\n  brace study kelp.toml";
  return c;
}

Command report_command(Options& o) {
  Command c("report", "One HTML page of several studies that were run", run_report);
  o.output.out = "report.html";
  c.option("RECORD", o.study_words.records, "study.json of the results of each").required();
  c.option("--out", o.output.out, "the page (default: report.html)").path();
  c.option("--json", o.output.json, "the records, one list, as JSON on standard output");
  c.option("--quiet", o.output.quiet, "no word about the file written");
  c.footer =
      "Example:\n  brace report kelp-results/study.json oil-results/study.json --out both.html";
  return c;
}

}  // namespace brace::app
