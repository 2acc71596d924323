// SPDX-License-Identifier: Apache-2.0
// brace backtest: would these forecasts have worked, and against which simple alternative?
#include <fmt/format.h>
#include <unistd.h>

#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

// Variances of the rows of `values` by range, in its unit squared.
std::vector<double> range_proxy(const Options& o, const Loaded& data) {
  if (o.proxy == "squared") return {};
  if (!data.bars)
    throw Error(ErrorCode::bad_option,
                fmt::format("--proxy {}: {} has no columns of open, high, low and close that make "
                            "sense; name them with --role, or leave --proxy squared",
                            o.proxy, o.file));
  RangeEstimator estimator = RangeEstimator::parkinson;
  for (const RangeEstimator e : {RangeEstimator::garman_klass, RangeEstimator::rogers_satchell})
    if (to_string(e) == o.proxy) estimator = e;
  std::vector<double> proxy = range_variances(*data.bars, estimator);
  // Rows of the level; returns lack the first.
  proxy.erase(proxy.begin(),
              proxy.begin() + static_cast<std::ptrdiff_t>(proxy.size() - data.values.size()));
  if (o.unit == "decimal")
    for (double& v : proxy) v /= 1e4;
  return proxy;
}

// Takes off the chain what is estimated, and all that follows: that is for each window alone.
std::vector<Transform> take_estimated(Options& o) {
  const ReturnUnit unit = o.unit == "decimal" ? ReturnUnit::decimal : ReturnUnit::percent;
  std::vector<Transform> chain = parse_chain(o.transform, unit);
  const auto estimated = std::find_if(chain.begin(), chain.end(), [](const Transform& link) {
    const auto* power = std::get_if<PowerTransform>(&link);
    return std::holds_alternative<Centre>(link) || std::holds_alternative<DivideByProfile>(link) ||
           (power && !power->power);
  });
  o.transform.clear();
  for (auto link = chain.begin(); link != estimated; ++link)
    o.transform += (o.transform.empty() ? "" : " ") + to_string(*link);
  chain.erase(chain.begin(), estimated);
  return chain;
}

int run_backtest(const Options& given) {
  Options o = given;
  const std::vector<Transform> chain = take_estimated(o);
  const Loaded data = load(o, o.proxy != "squared");
  std::vector<Model> models;
  for (const std::string& line : o.models) models.push_back(parse_model(line));
  BacktestOptions options;
  options.chain = chain;
  options.window = o.window;
  options.expanding = o.expanding;
  options.refit_every = o.refit_every;
  options.origins = o.origins;
  options.horizon = o.horizon.value_or(1);
  options.intervals = o.intervals;
  options.tails = o.tails;
  options.method = method_of(o);
  options.paths = o.draws;
  options.seed = o.seed;
  options.baselines = o.baselines;
  options.threshold = o.threshold;
  options.proxy = range_proxy(o, data);
  std::optional<BacktestJournal> journal;
  if (!o.journal.empty()) {
    std::string setup = fmt::format(
        "{} of {} rows to {}; window {}{}, refit every {}, {} origins, horizon {}, {}, {} paths, "
        "seed {}, intervals {}, tails {}, proxy {}, threshold {}",
        data.values.name, data.values.size(), data.values.when(data.values.size() - 1), o.window,
        o.expanding ? " growing" : "", o.refit_every, o.origins, options.horizon, o.method, o.draws,
        o.seed, fmt::join(o.intervals, " "), fmt::join(o.tails, " "), o.proxy, o.threshold);
    for (const Model& m : models) setup += "; " + to_string(canonical(m));
    for (const std::string& words : o.baselines) setup += "; " + words;
    for (const Transform& link : chain) setup += "; " + to_string(link);
    journal.emplace(o.journal, setup, data.values);
    options.known = journal->known();
    if (!options.known.empty() && !o.quiet)
      std::cerr << fmt::format("{}: {} records are there already\n", o.journal,
                               text::count(options.known.size()));
  }
  const bool show = !o.quiet && ::isatty(2) != 0;
  options.progress = [&](const BacktestRecord& record, std::size_t done, std::size_t all) {
    if (journal) journal->add(record);
    if (show && (done % 20 == 0 || done == all))
      std::clog << fmt::format("\r{} of {} forecasts", done, all) << (done == all ? "\r\033[K" : "")
                << std::flush;
    return true;
  };
  const Backtest b =
      with_warnings_of(data, backtest(models, data.values, options, Executor(o.threads)));
  if (o.json) {
    std::cout << json_document("backtest", b);
  } else {
    std::cout << b;
    print_account(data.values);
    const auto best = std::min_element(
        b.entrants.begin(), b.entrants.end(), [](const Entrant& x, const Entrant& y) {
          return x.scores.front().volatility.qlike < y.scores.front().volatility.qlike;
        });
    if (best->kind == Entrant::Kind::model)
      print_next(o, fmt::format("forecast {} --model '{}'", modelled_words(given), best->label));
  }
  if (!o.out.empty()) write_table(o, backtest_table(b));
  if (!o.chart.empty()) {
    draw_backtest(b, o.chart);
    say_written(o, o.chart);
  }
  return 0;
}

}  // namespace

void add_backtest(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "backtest", "Forecast from one day after another and judge it by realised outcomes");
  add_series_options(*c, o);
  c->add_option("--model", o.models, "a model line; give the option once for each")
      ->allow_extra_args(false)
      ->group("Who forecasts");
  c->add_option("--baseline", o.baselines,
                "mean, walk, drift, 'season 12', smooth, 'smooth damped season 12'...; give the "
                "option once for each")
      ->allow_extra_args(false)
      ->group("Who forecasts");
  const char* group = "From where";
  c->add_option("--window", o.window, "rows that each fit sees (default: 1000)")->group(group);
  c->add_flag("--expanding", o.expanding, "windows that grow from the first one on")->group(group);
  c->add_option("--refit-every", o.refit_every, "forecasts from one refit to the next (default: 1)")
      ->check(CLI::PositiveNumber)
      ->group(group);
  c->add_option("--origins", o.origins, "the last so many only (default: all)")->group(group);
  const char* what = "What is forecast";
  c->add_option("--horizon", o.horizon, "steps ahead (default: 1)")->group(what);
  c->add_option("--intervals", o.intervals, "percent (default: 50,95)")
      ->delimiter(',')
      ->group(what);
  c->add_option("--tails", o.tails, "percent of the value-at-risk (default: 1,5)")
      ->delimiter(',')
      ->group(what);
  c->add_option("--method", o.method,
                "plug-in, full, resampled or refit (default: plug-in, the quickest)")
      ->check(CLI::IsMember({"full", "plug-in", "resampled", "refit"}))
      ->option_text("WORD")
      ->group(what);
  c->add_option("--draws", o.draws, "paths of each forecast (default: 2000)")->group(what);
  const char* judged = "How it is judged";
  c->add_option("--proxy", o.proxy,
                "variances are judged by: squared (errors, default), parkinson, garman-klass or "
                "rogers-satchell")
      ->check(CLI::IsMember({"squared", "parkinson", "garman-klass", "rogers-satchell"}))
      ->option_text("WORD")
      ->group(judged);
  c->add_option("--threshold", o.threshold,
                "beyond it a value is up or down, else flat (default: 0)")
      ->check(CLI::NonNegativeNumber)
      ->group(judged);
  const char* how = "How";
  c->add_option(
       "--journal", o.journal,
       "file that keeps every forecast as it is made; given again, the run goes on from it")
      ->group(how);
  c->add_option("--seed", o.seed, "of the paths (default: 1)")->group(how);
  c->add_option("--threads", o.threads, "0 takes all (default); results do not depend on it")
      ->check(CLI::NonNegativeNumber)
      ->group(how);
  add_output_options(*c, o);
  c->add_option("--out", o.out, "every forecast as CSV")->group("Output");
  c->add_option("--chart", o.chart, "forecast and outcome, losses, coverage, .png .svg .pdf")
      ->group("Output");
  c->footer(
      "Example:\n  brace backtest data/kelp-fibre.csv --value settle --drop-zero volume --returns "
      "log \\\n      --model 'const / garch / student' --model 'const / gjr / student' --horizon 5 "
      "--chart backtest.png");
  c->callback([&run, &o, c] {
    if (c->count("--method") == 0) o.method = "plug-in";
    run = run_backtest;
  });
}

}  // namespace brace::app
