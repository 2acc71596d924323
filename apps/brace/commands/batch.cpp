// SPDX-License-Identifier: Apache-2.0
// brace batch: the job on every series of a universe, into one results file. Covered by
// tests/tool/batch_test.cpp.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <iostream>

#include "brace/batch/batch.hpp"
#include "brace/batch/summary.hpp"
#include "prompt/command_line.hpp"
#include "options.hpp"
#include "ranks.hpp"
#include "stop_on_signal.hpp"
#include "study_file.hpp"
#include "tool_words.hpp"

namespace brace::app {
namespace {

using Clock = std::chrono::steady_clock;

// Draws of a forecast where neither a study nor the command line says; 25 paths from each.
constexpr int kDraws = 1000;

bool is_typed(const Options& o, const std::string& option) {
  return std::any_of(o.all_typed.begin(), o.all_typed.end(),
                     [&](const TypedOption& t) { return t.option->name == option; });
}

// The options of one step of the job, as its own command would have them: what the study says,
// then what was typed.
class StepOptions {
 public:
  StepOptions(const Options& o, const std::optional<StudyFile>& study)
      : o_(o), study_(study), commands_(job_commands(targets_)) {}

  const Options& of(const std::string& step) {
    for (std::size_t i = 0; i < commands_.size(); ++i)
      if (commands_[i].name == step) {
        read_words(commands_[i], words_of(commands_[i]));
        return targets_[i];
      }
    return o_;
  }

  // The models of a step of the study; none where it names none.
  std::vector<std::string> models_of(const std::string& step) {
    std::vector<std::string> lines;
    if (!study_) return lines;
    constexpr std::string_view kOption = "--model=";
    for (const Command& c : commands_)
      if (c.name == step)
        for (const Given& given : study_->given(c))
          for (const std::string& word : given.words)
            if (word.starts_with(kOption)) lines.push_back(word.substr(kOption.size()));
    return lines;
  }

 private:
  [[nodiscard]] std::vector<std::string> words_of(const Command& command) const {
    const auto takes = [&](const std::string& name) {
      return std::any_of(command.options.begin(), command.options.end(),
                         [&](const Option& option) { return option.name == name; });
    };
    // --model is the plan's; a horizon typed is that of the forecast.
    const auto left_out = [&](const std::string& name) {
      return name == "FILE" || name == "--model" || name == "--study" ||
             (name == "--horizon" && command.name == "backtest");
    };
    std::vector<std::string> words{o_.file.empty() ? "-" : o_.file};
    // Without a study thousands of forecasts are wanted quickly.
    if (command.name == "forecast" && !study_ && !is_typed(o_, "--method"))
      words.emplace_back("--method=plug-in");
    if (command.name == "forecast" && !study_ && !is_typed(o_, "--draws"))
      words.emplace_back(fmt::format("--draws={}", kDraws));
    if (study_)
      for (const Given& given : study_->given(command))
        if (!left_out(given.option) && !is_typed(o_, given.option))
          words.insert(words.end(), given.words.begin(), given.words.end());
    if (study_ && command.name == "backtest")
      for (const Given& given : study_->given(command))
        if (given.option == "--horizon")
          words.insert(words.end(), given.words.begin(), given.words.end());
    for (const TypedOption& typed : o_.all_typed) {
      const std::string& name = typed.option->name;
      if (left_out(name) || !takes(name)) continue;
      if (typed.values.empty()) words.push_back(name);
      for (const std::string& value : typed.values)
        words.push_back(fmt::format("{}={}", name, value));
    }
    return words;
  }

  const Options& o_;
  const std::optional<StudyFile>& study_;
  std::deque<Options> targets_;
  std::deque<Command> commands_;
};

bool searches(const Options& o, const std::optional<StudyFile>& study) {
  for (const char* option : {"--variance", "--law", "--mean", "--most-ar", "--most-ma", "--season"})
    if (is_typed(o, option)) return true;
  if (!study) return false;
  const std::vector<std::string> steps = study->steps();
  return std::find(steps.begin(), steps.end(), "search") != steps.end();
}

std::vector<std::string> steps_asked(const Options& o, const std::optional<StudyFile>& study) {
  if (!o.batch.steps.empty()) return o.batch.steps;
  if (study) return study->steps();
  return {"check", "forecast"};
}

// What is made of a level, in words: two runs with the same words make the same.
std::string made_words(const Options& o) {
  return fmt::format("{}|{}|{}|{}|{}|{}", o.series.rows, o.series.regroup, o.series.returns,
                     o.series.unit, o.series.overnight, o.series.transform);
}

std::vector<Model> models_of(const Options& o, StepOptions& steps,
                             const std::optional<StudyFile>& study) {
  std::vector<std::string> lines = o.model.lines;
  if (!is_typed(o, "--model") && study)
    if (const std::vector<std::string> compared = steps.models_of("compare"); !compared.empty())
      lines = compared;
  std::vector<Model> models = models_of_lines(lines);
  for (Model& model : models)
    for (Held& held : held_values(o.model.fix, "--fix")) model.held.push_back(std::move(held));
  return models;
}

BatchPlan plan_of(const Options& o) {
  std::optional<StudyFile> study;
  if (!o.study.empty()) study.emplace(o.study);
  StepOptions steps(o, study);
  const std::vector<std::string> asked = steps_asked(o, study);
  const auto wants = [&](const char* step) {
    return std::find(asked.begin(), asked.end(), step) != asked.end();
  };
  if (!o.series.hold_out.empty())
    throw Error(ErrorCode::bad_option,
                "--hold-out: a batch forecasts from the last row there is; cut the end off with "
                "--to");
  BatchPlan plan;
  plan.make = [o](Series level) {
    Loaded data = made_of_read(o, std::move(level));
    Made made{.values = std::move(data.values), .warnings = std::move(data.warnings)};
    if (leads_back(o, data))
      made.transformed = std::make_shared<const Transformed>(std::move(data.transformed));
    return made;
  };
  plan.made = made_words(o);
  plan.words = in_tool_words;
  const bool search = searches(o, study);
  if (!(search && !is_typed(o, "--model"))) plan.models = models_of(o, steps, study);
  if (plan.models.empty() && !search)
    throw Error(ErrorCode::bad_option,
                "nothing is to be fitted: give --model (may repeat), or a search such as "
                "--variance all");
  if (plan.models.empty()) {
    const Options& found = steps.of("search");
    if (!found.search.variances.empty())
      plan.variance_search = variance_search_options(found);
    else
      plan.search = search_options(found);
  }
  plan.criterion = criterion_from(o.search.criterion).value_or(Criterion::bic);
  plan.estimate = estimate_options(steps.of("fit"));
  plan.check.reset();
  if (wants("check")) {
    plan.check = check_options(steps.of("check"));
    plan.check->advice = false;  // as many fits again, for series that nobody may look at
  }
  if (wants("breaks")) {
    plan.breaks = breaks_options(steps.of("breaks"));
    plan.breaks->model.clear();  // that of the chosen fit
  }
  if (wants("forecast")) plan.forecast = forecast_options(steps.of("forecast"));
  if (wants("backtest")) plan.backtest = backtest_options(steps.of("backtest"));
  plan.save_to = o.batch.save_to;
  return plan;
}

// "1,204 of 10,000 series, 212 a second, 41 s left" on a terminal.
class Show {
 public:
  explicit Show(const Universe& universe) : universe_(universe) {}
  ~Show() { clear(); }
  void clear() {
    if (shown_) std::clog << "\r\033[K" << std::flush;
    shown_ = false;
  }
  Show(const Show&) = delete;
  Show& operator=(const Show&) = delete;

  void operator()(std::size_t done, std::size_t all) {
    const Clock::time_point now = Clock::now();
    if (now - last_ < std::chrono::milliseconds(250)) return;
    last_ = now;
    shown_ = true;
    const double seconds = std::chrono::duration<double>(now - begin_).count(),
                 rate = static_cast<double>(done) / seconds;
    std::string line = all > 0
                           ? fmt::format("\r{} of {} series, {:.0f} a second", text::count(done),
                                         text::count(all), rate)
                           : fmt::format("\r{} series, {:.0f} a second", text::count(done), rate);
    if (all > done)
      line += fmt::format(", {:.0f} s left", static_cast<double>(all - done) / rate);
    else if (const auto share = universe_.share_read(); all == 0 && share && *share > 0)
      line += fmt::format(", {:.0f} s left", seconds * (1 / *share - 1));
    std::clog << line << "\033[K" << std::flush;
  }

 private:
  const Universe& universe_;
  Clock::time_point begin_ = Clock::now(), last_ = begin_;
  bool shown_ = false;
};

std::string typed_command(const Options& o) {
  return "brace batch" + (o.file.empty() ? "" : " " + shell_word(o.file)) +
         typed_words(o, [](const Option&) { return true; });
}

// A run of the same store, or the last one of another.
struct Other {
  std::optional<ResultStore> store;
  std::optional<RunRow> run;
};
Other run_against(const Options& o, const ResultStore& store, const RunRow& run) {
  Other out;
  const std::string& word = o.batch.against;
  if (word.empty()) {
    for (const RunRow& r : store.runs())
      if (r.run < run.run && r.status == "complete") out.run = r;
  } else if (word.find_first_not_of("0123456789") == std::string::npos) {
    out.run = store.run_called(word);
  } else {
    out.store.emplace(word, ResultStore::For::reading);
    out.run = out.store->last_run();
  }
  return out;
}

// Where to look first: at a series whose residuals are not white.
void print_next_of(const Options& o, const BatchSummary& s) {
  if (o.file.empty() || !o.batch.each || s.not_white.examples.empty() || s.models.empty()) return;
  Options one = o;
  if (*o.batch.each == kEachColumn)
    one.series.read.value = s.not_white.examples[0];
  else
    one.series.read.where.push_back(*o.batch.each + "=" + s.not_white.examples[0]);
  one.study.clear();
  print_next(o, fmt::format("check {}", fitted_words(one, s.models[0].model)));
}

int report(const Options& o, const ResultStore& store, const RunRow& run) {
  const Other other = run_against(o, store, run);
  const BatchSummary s = summarise(store, run, other.run, other.store ? &*other.store : nullptr);
  if (std::ostream* json = json_stream(o)) *json << json_document(s);
  if (shows_text(o)) {
    std::cout << s;
    print_next_of(o, s);
  }
  write_table(o, summary_table(store, run));
  return s.converged + s.boundary > 0 ? 0 : 1;
}

int run_batch_command(const Options& o) {
  if (o.file.empty()) {
    if (o.ranks && !o.ranks->leads()) return 0;
    const ResultStore store(o.batch.store, ResultStore::For::reading);
    return report(o, store, store.last_run());
  }
  const BatchPlan plan = plan_of(o);
  if (o.ranks && !o.ranks->leads()) {
    o.ranks->serve(plan);
    return 0;
  }
  const std::unique_ptr<Universe> universe = open_universe(o.file, reading_of(o), o.batch.each);
  ResultStore store(o.batch.store, ResultStore::For::writing);
  const StopOnSignal stop;
  Show show(*universe);
  BatchOptions options{.source = series_words(o), .command = typed_command(o)};
  if (!o.study.empty()) options.source = shell_word(o.file) + " " + options.source;
  if (o.batch.each) options.source += " --each " + shell_word(*o.batch.each);
  options.from_last = o.batch.from_last;
  options.progress.stop = stop.token();
  if (!o.output.quiet && ::isatty(STDERR_FILENO) != 0)
    options.progress.report = [&](std::size_t done, std::size_t all) { show(done, all); };
  const BatchRun run = o.ranks ? run_batch(*universe, plan, store, options, *o.ranks)
                               : run_batch(*universe, plan, store, options, executor_of(o));
  show.clear();
  if (run.stopped) {
    std::cerr << fmt::format(
        "brace: stopped; {} done and kept in {}, and the same command goes on from there\n",
        text::plural(run.series, "series is", "series are"), o.batch.store);
    return 1;
  }
  if (!o.output.quiet && run.as_before > 0)
    std::cerr << fmt::format("{} were there already, with the same rows and options\n",
                             text::plural(run.as_before, "series", "series"));
  const std::vector<RunRow> runs = store.runs();
  return report(o, store, *std::find_if(runs.begin(), runs.end(), [&](const RunRow& r) {
                  return r.run == run.run;
                }));
}

}  // namespace

Command batch_command(Options& o) {
  Command c("batch", "The job on every series of a universe, into one results file",
            run_batch_command);
  add_series_options(c, o,
                     "folder or pattern of CSV files, or a CSV file or database with --each; left "
                     "out: the last run is told");
  c.options.front().needed = false;
  c.option("--each", o.batch.each,
           "column that names the series of a long file, or the word column for a file with a "
           "column for each")
      .shown_as("COLUMN")
      .group(kReadingHeading);
  const char* model = kModelHeading;
  c.option("--model", o.model.lines,
           "model line, such as 'const / garch / student'; give the option once for each")
      .model_line()
      .once_for_each()
      .group(model);
  Command one_model("", "", nullptr);
  add_model_options(one_model, o);
  for (Option& option : one_model.options)
    if (option.name != "--model") c.options.push_back(std::move(option));
  c.option("--criterion", o.search.criterion,
           "aic, aicc, bic or hqc: which of several fits is checked and forecast (default: bic)")
      .words({"aic", "aicc", "bic", "hqc"})
      .group(model);
  const char* search = "A search instead of a model, for each series";
  c.option("--variance", o.search.variances,
           "variance equations: all, or one such as 'gjr e1,2' (may repeat)")
      .group(search);
  c.option("--law", o.search.laws, "normal, student, ged, skew-student (may repeat; default: all)")
      .group(search);
  c.option("--mean", o.search.means, "their mean equation (may repeat; default: const)")
      .group(search);
  c.option("--most-ar", o.search.most_ar, "mean equations: highest AR order (default: 5)")
      .range(0, 24)
      .shown_as("N")
      .group(search);
  c.option("--most-ma", o.search.most_ma, "mean equations: highest MA order (default: 5)")
      .range(0, 24)
      .shown_as("N")
      .group(search);
  const char* steps = "What is done to each";
  c.option("--do", o.batch.steps,
           "fit, check, breaks, forecast, backtest (default: check,forecast; of a study its steps)")
      .words({"fit", "check", "breaks", "forecast", "backtest"})
      .list()
      .group(steps);
  c.option("--lags", o.test.lags, "check: lags of the tests").shown_as("N|LIST").group(steps);
  c.option("--horizon", o.ahead.horizon, "forecast: steps ahead (default: 10)")
      .positive()
      .group(steps);
  c.option("--intervals", o.ahead.intervals, "forecast: percent (default: 50,95)")
      .list()
      .group(steps);
  c.option("--method", o.ahead.method,
           "forecast: plug-in, full, resampled or refit (default: plug-in, the quickest)")
      .words({"full", "plug-in", "resampled", "refit"})
      .group(steps);
  c.option("--tails", o.ahead.tails, "forecast: percent of value-at-risk (default: 1,5)")
      .list()
      .group(steps);
  c.option("--draws", o.ahead.draws, "forecast: draws, 25 paths from each (default: 1000)")
      .group(steps);
  c.option("--seed", o.seed, "forecast: random seed (default: 1)").group(steps);
  c.option("--window", o.backtest.window, "backtest: rows in each window (default: 1000)")
      .group(steps);
  c.option("--origins", o.backtest.origins, "backtest: the last so many origins (default: all)")
      .group(steps);
  c.option("--refit-every", o.backtest.refit_every,
           "backtest: forecasts between refits (default: 1)")
      .positive()
      .group(steps);
  const char* run = "The run";
  c.option("--store", o.batch.store,
           "results file (SQLite), made or gone on with; see docs/batch.md")
      .required()
      .group(run)
      .path();
  c.option("--from-last", o.batch.from_last,
           "where a series only has more rows than in the last run, keep its parameters if they "
           "will still do")
      .group(run);
  c.option("--against", o.batch.against,
           "compare with this run: its number, or another results file (default: the run before)")
      .shown_as("RUN")
      .group(run);
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative()
      .group(run);
  add_output_options(c, o);
  std::erase_if(c.options, [](const Option& option) { return option.name == "--report"; });
  c.option("--out", o.output.out, "one row a series as CSV").group("Output").path();
  c.option("--save", o.batch.save_to, "folder for the chosen model of each series")
      .group("Output")
      .path();
  c.footer =
      "Examples:\n  brace batch data/exchange.csv --each symbol --value price --returns log \\\n"
      "      --model 'const / garch / student' --horizon 10 --store run.sqlite\n"
      "  brace batch --store run.sqlite --against 1";
  return c;
}

}  // namespace brace::app
