// SPDX-License-Identifier: Apache-2.0
// Runs the job that a study file states. Covered by tests/tool/study_test.cpp.
#include "study_run.hpp"

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <iostream>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "brace/base/digest.hpp"
#include "brace/base/version.hpp"
#include "brace/report/report.hpp"
#include "prompt/command_line.hpp"
#include "options.hpp"
#include "study_file.hpp"
#include "tool_words.hpp"

namespace brace::app {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

std::string digest_of(const std::vector<std::string>& texts) {
  Digest sum;
  for (const std::string& text : texts) sum.add(text);
  return sum.text();
}

// What one command says, caught: its text and its JSON in the words of the tool.
struct Said {
  int status = 0;
  std::string text, document;
};
Said run_caught(const Command& command, Options& options) {
  std::ostringstream text, json;
  options.output.json_too = &json;
  struct Caught {
    explicit Caught(std::streambuf* to) : before(std::cout.rdbuf(to)) {}
    ~Caught() { std::cout.rdbuf(before); }
    std::streambuf* before;
  };
  Said said;
  {
    const Caught caught(text.rdbuf());
    const InToolWords words(std::cout), words_of_json(json);
    said.status = command.run(options);
  }
  said.text = text.str();
  said.document = json.str();
  return said;
}

// Steps that rest on a model which is fitted.
bool needs_model(const std::string& step) {
  return step == "fit" || step == "check" || step == "forecast" || step == "compare" ||
         step == "backtest";
}

std::string figure_title(const std::string& step) {
  return step == "inspect"    ? "The level, the series to be modelled, and what decides the model"
         : step == "lags"     ? "Memory of the values, their squares and their sizes"
         : step == "season"   ? "Trend, season and what is left"
         : step == "breaks"   ? "The series with its segments"
         : step == "fit"      ? "Returns within the range expected of them, and their volatility"
         : step == "check"    ? "Standardised residuals, their memory and their quantiles"
         : step == "forecast" ? "What was, and what is ahead with its intervals"
         : step == "compare"  ? "Forecasts of the rows held out, and what happened"
                              : "Forecasts and outcomes";
}

ReportPanel panel_of(const Series& series, const std::string& title) {
  return {.title = title,
          .unit = series.unit ? std::string(to_string(*series.unit)) : "",
          .dates = series.times,
          .lines = {{.name = series.name, .values = series.values}}};
}

void add_series_panels(const Options& o, ReportChapter& chapter) {
  const Loaded data = load(o);
  chapter.panels.push_back(panel_of(data.level, data.level.name));
  if (data.values.name != data.level.name)
    chapter.panels.push_back(panel_of(data.values, data.values.name));
}

ReportFigure figure_of(const ReportChapter& chapter, const std::string& path) {
  const std::string title = figure_title(chapter.step);
  return {.title = title,
          .alternative = fmt::format("{}. {}", title, verdict_of(chapter)),
          .svg = read_whole(path)};
}

std::string time_now() {
  return fmt::format(
      "{:%Y-%m-%d %H:%M} UTC",
      fmt::gmtime(std::chrono::system_clock::to_time_t(std::chrono::system_clock::now())));
}

class Study {
 public:
  explicit Study(const StudyRun& asked) : asked_(asked), file_(asked.file) {
    settings_ = file_.settings();
    if (!asked.results.empty()) settings_.results = asked.results;
    if (!asked.report.empty()) settings_.report = asked.report;
    record_.title = settings_.title;
    record_.version = std::string(version());
    record_.file = file_.text();
    record_.leave_out = settings_.leave_out;
    if (fs::exists(record_path())) before_ = read_record(record_path());
  }

  [[nodiscard]] const StudyRecord& record() const { return record_; }

  int run() {
    if (file_.steps().empty())
      throw Error(ErrorCode::bad_option,
                  file_.path() + ": states no step; add a table such as [inspect] or [fit]");
    require_series();
    std::error_code error;
    fs::create_directories(settings_.results, error);
    if (error)
      throw Error(ErrorCode::cannot_write, fmt::format("{}: the folder cannot be made ({})",
                                                       settings_.results, error.message()));
    // Two runs at once would mix their results.
    const WriterLock lock(settings_.results);
    say(file_.path() + "\n");
    for (const std::string& step : file_.steps()) take(step);
    finish();
    return status_;
  }

 private:
  // A series that cannot be read is told once, before anything is written.
  void require_series() {
    std::deque<Options> targets;
    const std::deque<Command> commands = job_commands(targets);
    for (std::size_t i = 0; i < commands.size(); ++i)
      if (commands[i].name == file_.steps().front()) {
        read_words(commands[i], words_of(commands[i]));
        if (targets[i].file == "-")
          throw Error(ErrorCode::bad_option,
                      file_.path() +
                          ": a study reads its series once a step, which standard input "
                          "does not allow; name a file");
        (void)load(targets[i]);
      }
  }

  [[nodiscard]] std::string result(const std::string& name) const {
    return (fs::path(settings_.results) / name).string();
  }
  [[nodiscard]] std::string record_path() const { return result("study.json"); }
  void say(const std::string& text) const {
    if (!asked_.quiet && !asked_.json) std::cout << text << std::flush;
  }

  // The words of a step's command: what the file gives, and where its results go.
  std::vector<std::string> words_of(const Command& command) {
    std::vector<std::string> words, named;
    for (const Given& given : file_.given(command)) {
      words.insert(words.end(), given.words.begin(), given.words.end());
      named.push_back(given.option);
    }
    const auto takes = [&](const char* option) {
      return std::find(named.begin(), named.end(), option) == named.end() &&
             std::any_of(command.options.begin(), command.options.end(),
                         [&](const Option& o) { return o.name == option; });
    };
    if (takes("FILE"))
      throw Error(ErrorCode::bad_option,
                  file_.path() + ": [series] names no file; add file = \"prices.csv\"");
    if (!chosen_.empty() && takes("--model")) words.push_back("--model=" + chosen_);
    const bool hold_out =
        std::find(named.begin(), named.end(), std::string("--hold-out")) != named.end();
    if (takes("--chart") && (command.name != "compare" || hold_out))
      words.push_back("--chart=" + result(command.name + ".svg"));
    if (takes("--out")) words.push_back("--out=" + result(command.name + ".csv"));
    if (takes("--save") && command.name == "fit") words.push_back("--save=" + result("model.json"));
    if (asked_.threads > 0 && takes("--threads"))
      words.push_back(fmt::format("--threads={}", asked_.threads));
    return words;
  }

  // What it is made from: the version, the words, and the content of every file that they name.
  static std::string digest_of_step(const Command& command, const Options& o,
                                    const std::vector<std::string>& words) {
    std::vector<std::string> parts{std::string(version()), command.name};
    for (const std::string& word : words)
      if (!word.starts_with("--threads")) parts.push_back(word);
    for (const std::string* path : {&o.file, &o.ahead.future, &o.simulate.columns})
      if (!path->empty() && fs::is_regular_file(*path)) parts.push_back(read_whole(*path));
    return digest_of(parts);
  }

  void take(const std::string& step) {
    const auto begin = std::chrono::steady_clock::now();
    std::deque<Options> targets;
    const std::deque<Command> commands = job_commands(targets);
    const std::size_t i =
        static_cast<std::size_t>(std::find_if(commands.begin(), commands.end(),
                                              [&](const Command& c) { return c.name == step; }) -
                                 commands.begin());
    ReportChapter chapter{
        .step = step,
        .command = fmt::format("brace {} --study {}", step, shell_word(file_.path())),
        .document = {},
        .text = {},
        .stopped = stopped_by(step)};
    bool reused = false;
    if (chapter.stopped.empty()) {
      try {
        const std::vector<std::string> words = words_of(commands[i]);
        if (!chosen_.empty() && needs_model(step) &&
            std::find(words.begin(), words.end(), "--model=" + chosen_) != words.end())
          chapter.command += " --model " + shell_word(chosen_);
        read_words(commands[i], words);
        chapter.digest = digest_of_step(commands[i], targets[i], words);
        reused = reuse(chapter, targets[i]);
        if (!reused) run(commands[i], targets[i], chapter);
      } catch (const Error& error) {
        chapter.stopped = in_tool_words(error.what());
        failed_[step] = true;
        if (status_ == 0) status_ = exit_status(error);
      }
    }
    if (!reused) anything_new_ = true;
    learn(chapter);
    record_.chapters.push_back(std::move(chapter));
    const ReportChapter& done = record_.chapters.back();
    if (!reused && !done.document.empty()) write_whole(result(step + ".json"), done.document);
    const double seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    const std::string how = reused                  ? "reused"
                            : done.document.empty() ? "not run"
                                                    : fmt::format("{:.1f} s", seconds);
    if (asked_.guided)
      guide(done);
    else
      tell(done, how);
    // Kept after each step, so that what is interrupted goes on from here.
    if (anything_new_) write_whole(record_path(), to_json(whole_record()));
  }

  void tell(const ReportChapter& done, const std::string& how) const {
    std::string block = text::wrap(verdict_of(done) + " (" + how + ")", 100, "             ");
    block.replace(2, done.step.size(), done.step);
    say(block);
  }

  // What is asked, how, and what was found; the model, its forecast and its trial in full.
  void guide(const ReportChapter& done) const {
    say(fmt::format("\n{}. {}\n   $ {}\n", record_.chapters.size(), question_of(done.step),
                    done.command));
    if (done.step == "fit" || done.step == "forecast" || done.step == "backtest") {
      say("\n" + done.text);
      return;
    }
    std::string block = text::wrap(verdict_of(done), 100, "            ");
    block.replace(3, 5, "found");
    say(block);
  }

  // The record with those steps of the run before that are still to come: they may be reused.
  [[nodiscard]] StudyRecord whole_record() const {
    StudyRecord whole = record_;
    if (!before_) return whole;
    for (const ReportChapter& old : before_->chapters)
      if (std::none_of(whole.chapters.begin(), whole.chapters.end(),
                       [&](const ReportChapter& c) { return c.step == old.step; }))
        whole.chapters.push_back(old);
    whole.changes = before_->changes;
    whole.written = before_->written;
    return whole;
  }

  bool reuse(ReportChapter& chapter, const Options& o) {
    if (asked_.again || !before_) return false;
    for (const std::string* path : {&o.output.out, &o.output.chart, &o.output.save})
      if (!path->empty() && !fs::exists(*path)) return false;
    for (const ReportChapter& old : before_->chapters)
      if (old.step == chapter.step && old.digest == chapter.digest && !old.document.empty()) {
        chapter = old;
        return true;
      }
    return false;
  }

  void run(const Command& command, Options& o, ReportChapter& chapter) {
    o.output.quiet = true;
    Said said = run_caught(command, o);
    if (said.status != 0 && status_ == 0) status_ = said.status;
    chapter.text = std::move(said.text);
    chapter.document = std::move(said.document);
    if (o.output.chart.ends_with(".svg") && fs::exists(o.output.chart))
      chapter.figures.push_back(figure_of(chapter, o.output.chart));
    if (command.name == "inspect") add_series_panels(o, chapter);
    if (command.name == "fit" && said.status == 0) add_volatility_panel(o, chapter);
    if (command.name == "forecast") add_forecast_panel(chapter);
  }

  void add_volatility_panel(const Options& o, ReportChapter& chapter) const {
    if (o.output.save.empty()) return;
    const Fit fit = load_model(o.output.save);
    ReportPanel panel{.title = "Volatility by " + to_string(fit.model),
                      .unit = fit.series->unit ? std::string(to_string(*fit.series->unit)) : "",
                      .dates = {},
                      .lines = {{.name = "volatility", .values = {}}}};
    std::vector<std::vector<std::string>> rows{
        {"date", "actual", "fitted", "residual", "volatility", "standardised"}};
    for (const FittedRow& r : fitted_rows(fit)) {
      if (r.date) panel.dates.push_back(*r.date);
      panel.lines[0].values.push_back(
          r.volatility.value_or(std::numeric_limits<double>::quiet_NaN()));
      rows.push_back({r.date ? format_date(*r.date) : "", cell(r.actual), cell(r.fitted),
                      cell(r.residual), cell(r.volatility), cell(r.standardised)});
    }
    write_whole(result("rows.csv"), csv_text(rows));
    if (!std::holds_alternative<Steady>(fit.model.variance))
      chapter.panels.push_back(std::move(panel));
  }

  // The end of the volatility so far and what is ahead.
  void add_forecast_panel(ReportChapter& chapter) const {
    constexpr std::size_t kTail = 120;
    const Json r = Json::parse(chapter.document)["result"];
    ReportPanel panel{.title = "Volatility so far and ahead", .unit = {}, .dates = {}, .lines = {}};
    ReportPanel::Line past{.name = "so far", .values = {}}, next{.name = "ahead", .values = {}};
    constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
    for (const ReportChapter& c : record_.chapters)
      if (c.step == "fit" && !c.panels.empty()) {
        const ReportPanel& all = c.panels.front();
        const std::vector<double>& values = all.lines[0].values;
        panel.unit = all.unit;
        for (std::size_t t = values.size() - std::min(kTail, values.size()); t < values.size();
             ++t) {
          if (!all.dates.empty()) panel.dates.push_back(all.dates[t]);
          past.values.push_back(values[t]);
          next.values.push_back(kNone);
        }
      }
    const bool dated = past.values.empty() || !panel.dates.empty();
    next.low = next.high = std::vector<double>(next.values.size(), kNone);
    for (const Json& s : r["steps"]) {
      if (dated) {
        const auto date =
            s["date"].is_string() ? parse_date(s["date"].get<std::string>()) : std::nullopt;
        if (!date) return;
        panel.dates.push_back(*date);
      }
      past.values.push_back(kNone);
      next.values.push_back(s["sd"].is_number() ? s["sd"].get<double>() : kNone);
      double low = kNone, high = kNone, widest = 0;
      if (s.contains("volatility_interval") && s["volatility_interval"].is_object())
        for (const auto& [level, ends] : s["volatility_interval"].items())
          if (std::stod(level) > widest && ends.is_array() && ends[0].is_number()) {
            widest = std::stod(level);
            low = ends[0];
            high = ends[1];
          }
      next.low.push_back(low);
      next.high.push_back(high);
    }
    panel.lines = {std::move(past), std::move(next)};
    chapter.panels.push_back(std::move(panel));
  }

  // What later steps rest on.
  void learn(const ReportChapter& chapter) {
    if (chapter.document.empty()) return;
    const Json document = Json::parse(chapter.document);
    const Json& r = document["result"];
    if (chapter.step == "unitroot" && r.contains("verdict"))
      level_wanders_ = r["verdict"] == "unit-root";
    if (chapter.step == "search" && file_names_no_model()) chosen_ = r["chosen"].get<std::string>();
    if (chapter.step == "fit") {
      if (r["convergence"]["status"] == "failed") failed_["fit"] = true;
      for (const Json& w : document["warnings"])
        if (w["code"] == "level-modelled") level_wanders_ = true;
    }
  }

  [[nodiscard]] bool file_names_no_model() const {
    std::deque<Options> targets;
    for (const Command& c : job_commands(targets))
      if (c.name == "fit")
        for (const Given& g : file_.given(c))
          if (g.option == "--model") return false;
    return true;
  }

  // Whether what is modelled is the level as the file has it, undifferenced.
  [[nodiscard]] bool models_the_level() const {
    std::deque<Options> targets;
    const std::deque<Command> commands = job_commands(targets);
    for (const Command& command : commands) {
      if (command.name != "fit") continue;
      for (const Given& g : file_.given(command)) {
        if (g.option == "--returns" && !g.words[0].ends_with("=none")) return false;
        if (g.option == "--transform" && g.words[0].find("diff") != std::string::npos) return false;
        if (g.option == "--model" && !parse_model(g.words[0].substr(8)).mean.differences.empty())
          return false;
      }
    }
    return true;
  }

  // Why a step may not run; empty where it may.
  [[nodiscard]] std::string stopped_by(const std::string& step) const {
    const bool models = needs_model(step) || step == "search";
    if (models && level_wanders_ && !settings_.insist && models_the_level())
      return "Not run: the level has a unit root and is not to be modelled. State returns = "
             "\"log\" or transform = \"diff1\" in [series], or insist = true in [study].";
    for (const char* before : {"search", "fit"})
      if (failed_.contains(before) && step != before && needs_model(step) &&
          (step == "check" || step == "forecast" ||
           (std::string_view(before) == "search" && file_names_no_model())))
        return fmt::format("Not run: {} gave no model to go on with.", before);
    return "";
  }

  void finish() {
    std::vector<std::string> parts{record_.version, record_.file};
    for (const ReportChapter& c : record_.chapters) parts.push_back(c.digest);
    record_.digest = digest_of(parts);
    if (!anything_new_ && before_ && before_->digest == record_.digest &&
        fs::exists(settings_.report)) {
      say(fmt::format("\n  Nothing has changed since {}: {} and {} stand as they are.\n",
                      before_->written, settings_.report, settings_.results));
      return;
    }
    record_.written = time_now();
    if (before_) record_.changes = changes_between(*before_, record_);
    write_whole(record_path(), to_json(record_));
    write_whole(result("tidy.csv"), tidy_csv(record_));
    write_whole(settings_.report, html_report({record_}));
    if (record_.changes) {
      say("\n  Since the last run:\n");
      if (record_.changes->empty()) say("    nothing.\n");
      for (const std::string& change : *record_.changes) say(text::wrap(change, 100, "    "));
    }
    say(fmt::format("\n  Written: {}, and the numbers in {}\n", settings_.report,
                    settings_.results));
  }

  const StudyRun& asked_;
  StudyFile file_;
  StudySettings settings_;
  StudyRecord record_;
  std::optional<StudyRecord> before_;
  std::string chosen_;  // by the search
  std::map<std::string, bool> failed_;
  bool level_wanders_ = false, anything_new_ = false;
  int status_ = 0;
};

}  // namespace

int run_study(const StudyRun& asked) {
  Study study(asked);
  const int status = study.run();
  if (asked.json)
    std::cout << json_document(asked.guided ? "demo" : "study",
                               std::vector<StudyRecord>{study.record()});
  return status;
}

std::vector<std::string> changes_since_study(const Options& o, const Fit& fit,
                                             const Forecast& ahead) {
  if (o.study.empty()) return {};
  const std::string path =
      (fs::path(StudyFile(o.study).settings().results) / "study.json").string();
  if (!fs::exists(path)) return {};
  const StudyRecord before = read_record(path);
  const auto made = [](const std::string& step, const std::string& document) {
    return ReportChapter{
        .step = step, .command = {}, .document = document, .text = {}, .stopped = {}};
  };
  StudyRecord now;
  now.chapters = {made("fit", json_document("fit", fit)),
                  made("forecast", json_document("forecast", fit, ahead))};
  StudyRecord then;
  for (const ReportChapter& c : before.chapters)
    if (c.step == "fit" || c.step == "forecast") then.chapters.push_back(made(c.step, c.document));
  return changes_between(then, now);
}

int run_with_report(const Command& command, Options& o, const std::string& typed) {
  const bool as_json = o.output.json;
  Options own = o;
  const fs::path folder =
      fs::temp_directory_path() / fmt::format("brace-report-{}", static_cast<long>(::getpid()));
  const std::string chart = (folder / "figure.svg").string();
  const bool drawn = std::any_of(command.options.begin(), command.options.end(),
                                 [](const Option& option) { return option.name == "--chart"; }) &&
                     command.name != "compare";
  if (drawn && o.output.chart.empty()) {
    fs::create_directories(folder);
    own.output.chart = chart;
  }
  ReportChapter chapter{
      .step = command.name, .command = typed, .document = {}, .text = {}, .stopped = {}};
  struct Gone {
    fs::path folder;
    ~Gone() {
      std::error_code none;
      fs::remove_all(folder, none);
    }
  } const gone{folder};
  own.output.quiet = true;
  Said said = run_caught(command, own);
  chapter.text = said.text;
  chapter.document = said.document;
  if (drawn && own.output.chart.ends_with(".svg"))
    chapter.figures.push_back(figure_of(chapter, own.output.chart));
  if (command.name == "inspect") add_series_panels(own, chapter);
  std::cout << (as_json ? said.document : said.text);
  const StudyRecord record{.title = fs::path(o.file).stem().string(),
                           .version = std::string(version()),
                           .written = time_now(),
                           .digest = digest_of({std::string(version()), said.document}),
                           .file = {},
                           .chapters = {chapter}};
  write_whole(o.output.report, html_report({record}));
  say_written(o, o.output.report);
  return said.status;
}

}  // namespace brace::app
