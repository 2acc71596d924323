// SPDX-License-Identifier: Apache-2.0
// brace demo: the whole job on the shipped data, in order, saying at each step what is asked, what
// was found and what is decided.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

constexpr const char* kDataFile = "kelp-fibre.csv";
constexpr const char* kWords = "--value settle --drop-zero volume";

// The shipped data: beside the working directory, or installed with the tool.
std::string find_data(const Options& o) {
  if (!o.file.empty()) return o.file;
  std::error_code ignored;
  const std::filesystem::path tool = std::filesystem::read_symlink("/proc/self/exe", ignored);
  for (const std::filesystem::path& place :
       {std::filesystem::path("data"), tool.parent_path().parent_path() / "share/brace/data"})
    if (std::filesystem::exists(place / kDataFile)) return (place / kDataFile).string();
  throw Error(
      ErrorCode::file_missing,
      fmt::format("{} is neither in ./data nor installed beside the tool; name it: brace demo FILE",
                  kDataFile));
}

class Guide {
 public:
  explicit Guide(bool quiet) : quiet_(quiet) {}
  void step(const std::string& question, const std::string& command) {
    if (quiet_) return;
    std::cout << fmt::format("\n{}. {}\n   $ brace {}\n", ++number_, question, command);
  }
  void found(const std::string& text) const { say("found", text); }
  void decided(const std::string& text) const { say("decided", text); }

 private:
  void say(const char* what, const std::string& text) const {
    if (quiet_) return;
    // The label stands in the indent of the first line.
    std::string block = text::wrap(text, 100, "            ");
    block.replace(3, std::string_view(what).size(), what);
    std::cout << block;
  }
  bool quiet_;
  int number_ = 0;
};

std::string p_of(const TestResult& t) {
  return "p " + text::p_value(t.p_value, t.p_floor);
}

// The mean equation that the lags ask for: an AR term at the lag that stands out most, if the
// robust test finds memory at all.
std::string mean_from(const LagTable& table, const Guide& guide) {
  const LagRow& last = table.rows.back();
  const LagRow& most = *std::max_element(
      table.rows.begin(), table.rows.end(),
      [](const LagRow& a, const LagRow& b) { return std::abs(a.acf) < std::abs(b.acf); });
  const bool memory = last.p_robust.value_or(1) < 0.05;
  guide.found(fmt::format(
      "over {} lags of the returns the robust p is {}; the lag that stands out most is {} "
      "(acf {}, band {})",
      last.lag, text::p_value(last.p_robust), most.lag, text::fixed(most.acf, 3),
      text::fixed(table.band_95, 3)));
  return memory ? fmt::format("const ar{}", most.lag) : "const";
}

// The job from the file to the backtest, a step each.
class Demo {
 public:
  explicit Demo(const Options& options)
      : options_(options),
        data_(find_data(options)),
        folder_(options.output.out.empty() ? "brace-demo" : options.output.out),
        words_(fmt::format("{} {}", data_, kWords)),
        returns_words_(words_ + " --returns log"),
        guide_(options.output.quiet) {
    std::error_code error;
    std::filesystem::create_directories(folder_, error);
    if (error)
      throw Error(ErrorCode::cannot_write, fmt::format("{}: the folder cannot be made ({})",
                                                       folder_.string(), error.message()));
  }

  void run() {
    look_at_file();
    test_level();
    test_memory();
    choose_variance();
    check_residuals();
    find_changes();
    look_ahead();
    look_back();
    say_where();
  }

 private:
  [[nodiscard]] std::string in_folder(const char* name) const { return (folder_ / name).string(); }

  void look_at_file() {
    guide_.step("What is in this file?",
                fmt::format("inspect {} --chart {}", returns_words_, in_folder("first-look.png")));
    prices_ = read_csv(data_, {.value = "settle", .drop_zero = "volume"});
    returns_ = log_returns(prices_);
    const Inspection look = inspect(returns_);
    draw_first_look(returns_, in_folder("first-look.png"), prices_);
    draw_shape(returns_, in_folder("shape.png"));
    guide_.found(account(prices_));
    guide_.found(fmt::format("{} (excess kurtosis {}, arch-lm {})", look.reading,
                             text::fixed(look.moments.excess_kurtosis, 1),
                             p_of(test_of(look.tests, "arch-lm"))));
    guide_.decided(
        "days without trading are left out before returns are formed; a missing close takes both "
        "of "
        "its "
        "returns with it");
  }

  void test_level() {
    guide_.step("Is the level stationary? Which series may be modelled?", "unitroot " + words_);
    const UnitRootReport roots = compare_unit_roots({prices_, log_level(prices_)}, returns_);
    for (const UnitRootBattery& battery : roots.batteries)
      guide_.found(fmt::format("{}: adf (null: unit root) {}, kpss (null: stationary) {}",
                               battery.of, p_of(battery.tests.front()),
                               p_of(battery.tests.back())));
    guide_.decided(roots.reading);
  }

  void test_memory() {
    guide_.step("Is there memory in the returns, and in their squares?", "lags " + returns_words_);
    mean_ = mean_from(lag_table(returns_, 20), guide_);
    const LagTable of_squares = lag_table(squares(returns_), 20);
    guide_.found(fmt::format("over 20 lags of their squares Q is {} (p {}): volatility clusters",
                             text::fixed(of_squares.rows.back().q, 0),
                             text::p_value(of_squares.rows.back().p_value)));
    const TestResult weekdays = hypothesis::profile_test(returns_, ProfileBy::weekday);
    guide_.found(fmt::format("{} (null: {}) {}", weekdays.reading, weekdays.null, p_of(weekdays)));
    draw_lags(returns_, 20, {.season = season_length(returns_)}, in_folder("lags.png"));
    guide_.decided(fmt::format("mean '{}'; the variance needs an equation of its own", mean_));
  }

  void choose_variance() {
    guide_.step("Which variance equation, which law of the shocks?",
                fmt::format("fit {} --model '{} / garch / student' --save {}", returns_words_,
                            mean_, in_folder("kelp.json")));
    const auto shared = std::make_shared<Series>(returns_);
    std::vector<FitJob> jobs;
    for (const char* rest : {" / steady / normal", " / arch e1..5 / normal", " / garch / normal",
                             " / garch / student"})
      jobs.push_back({.model = parse_model(mean_ + rest), .series = shared});
    const std::vector<Fit> fits = values_of(fit_many(jobs, {}, executor_of(options_)));
    const Fit* best = nullptr;
    std::vector<std::vector<std::string>> candidates{
        {"model", "log_likelihood", "aic", "bic", "status"}};
    for (const Fit& fit : fits) {
      const std::string status(to_string(fit.convergence.status));
      guide_.found(fmt::format("{}: log-likelihood {}, bic {}, {}", to_string(fit.model),
                               text::fixed(fit.log_likelihood, 1), text::fixed(fit.bic, 1),
                               status));
      candidates.push_back(
          {to_string(fit.model), cell(fit.log_likelihood), cell(fit.aic), cell(fit.bic), status});
      if (fit.usable() && fit.bic && (!best || *fit.bic < *best->bic)) best = &fit;
    }
    write_whole(in_folder("candidates.csv"), csv_text(candidates));
    if (!best)
      throw Error(ErrorCode::bad_option,
                  "no candidate converged on this file; try brace fit with fewer terms");
    chosen_ = *best;
    save_model(chosen_, in_folder("kelp.json"));
    guide_.decided(fmt::format("{}, which has the lowest bic", to_string(chosen_.model)));
    if (!options_.output.quiet) std::cout << '\n' << chosen_;
  }

  void check_residuals() {
    guide_.step("Are the residuals white? Are their squares?",
                fmt::format("check {}", in_folder("kelp.json")));
    const Check checked = check(chosen_);
    for (const TestResult& test : checked.tests())
      guide_.found(fmt::format("{} (null: {}) {}", test.test, test.null, p_of(test)));
    guide_.decided(checked.reading);
  }

  void find_changes() {
    guide_.step("Did the process itself change? Is the high persistence only a break?",
                fmt::format("breaks {} --chart {}", returns_words_, in_folder("breaks.png")));
    const BreakReport broken = find_breaks(returns_, {}, executor_of(options_));
    guide_.found(broken.reading);
    for (const auto& b : broken.breaks)
      guide_.found(fmt::format("{}: 95 % interval {} to {}", to_string(b.kind),
                               format_date(*b.at.low_date), format_date(*b.at.high_date)));
    draw_breaks(returns_, broken, in_folder("breaks.png"));
    guide_.decided(fmt::format("{}", fmt::join(broken.advice, " ")));
  }

  void look_ahead() {
    guide_.step("What will volatility be over the next twenty days, and how sure is that?",
                fmt::format("forecast {} --horizon 20 --chart {}", in_folder("kelp.json"),
                            in_folder("forecast.png")));
    Forecast ahead = forecast(chosen_, {.horizon = 20}, executor_of(options_));
    draw_forecast(chosen_, ahead, in_folder("forecast.png"));
    write_whole(in_folder("forecast.csv"), csv_text(forecast_table(ahead)));
    // Those of the fit are printed with it above; what the forecast adds stays.
    ahead.warnings.erase(
        ahead.warnings.begin(),
        ahead.warnings.begin() + static_cast<std::ptrdiff_t>(chosen_.warnings.size()));
    if (!options_.output.quiet) std::cout << '\n' << ahead;
  }

  void look_back() {
    const std::string line = to_string(chosen_.model), rival = mean_ + " / gjr / student",
                      flat = mean_ + " / steady / normal";
    guide_.step("Would this have worked? Against which simple alternative?",
                fmt::format("backtest {} --model '{}' --model '{}' --model '{}' --refit-every 5 "
                            "--chart {}",
                            returns_words_, line, rival, flat, in_folder("backtest.png")));
    const Backtest judged =
        backtest({line, rival, flat}, returns_, {.refit_every = 5}, executor_of(options_));
    draw_backtest(judged, in_folder("backtest.png"));
    write_whole(in_folder("backtest.csv"), csv_text(backtest_table(judged)));
    if (!options_.output.quiet) std::cout << '\n' << judged;
    guide_.decided(judged.reading);
  }

  void say_where() {
    if (!options_.output.quiet)
      std::cout
          << '\n'
          << text::wrap(fmt::format(
                 "Written to {}: first-look.png, shape.png, lags.png, candidates.csv, kelp.json "
                 "(the "
                 "saved model), breaks.png, forecast.csv, forecast.png, backtest.csv, backtest.png",
                 folder_.string()));
  }

  const Options& options_;
  std::string data_;
  std::filesystem::path folder_;
  std::string words_, returns_words_;
  Guide guide_;
  Series prices_, returns_;
  std::string mean_;
  Fit chosen_;
};

int run_demo(const Options& o) {
  Demo(o).run();
  return 0;
}

}  // namespace

Command demo_command(Options& o) {
  Command c("demo", "The whole job on the shipped kelp-fibre data", run_demo);
  o.output.is_folder = true;
  c.option("FILE", o.file,
           "the data (default: data/kelp-fibre.csv, or the copy installed with the tool)");
  c.option("--out", o.output.out,
           "folder for charts, tables and the saved model (default: brace-demo)").path();
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative();
  c.option("--quiet", o.output.quiet, "write the files, print nothing");
  c.footer = "Example:\n  brace demo --out brace-demo";
  return c;
}

}  // namespace brace::app
