// SPDX-License-Identifier: Apache-2.0
// brace backtest: would these forecasts have worked, and against which simple alternative?
#include <fmt/format.h>
#include <unistd.h>

#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {

BacktestOptions backtest_options(const Options& o) {
  BacktestOptions options;
  options.window = o.backtest.window;
  options.expanding = o.backtest.expanding;
  options.refit_every = o.backtest.refit_every;
  options.origins = o.backtest.origins;
  options.horizon = o.ahead.horizon.value_or(1);
  options.intervals = o.ahead.intervals;
  options.tails = o.ahead.tails;
  options.method = method_of(o);
  options.paths = o.ahead.draws;
  options.seed = o.seed;
  options.baselines = o.backtest.baselines;
  options.threshold = o.backtest.threshold;
  return options;
}

namespace {

// Variances of the rows of `values` by range, in its unit squared.
std::vector<double> range_proxy(const Options& o, const Loaded& data) {
  if (o.backtest.proxy == "squared") return {};
  if (!data.bars)
    throw Error(ErrorCode::bad_option,
                fmt::format("--proxy {}: {} has no columns of open, high, low and close that make "
                            "sense; name them with --role, or leave --proxy squared",
                            o.backtest.proxy, o.file));
  if (!is_return(data.values.kind))
    throw Error(ErrorCode::bad_option,
                fmt::format("--proxy {}: a range measures the variance of returns, and {} is not "
                            "made of returns here; add --returns log, or leave --proxy squared",
                            o.backtest.proxy, data.values.name));
  RangeEstimator estimator = RangeEstimator::parkinson;
  for (const RangeEstimator e : {RangeEstimator::garman_klass, RangeEstimator::rogers_satchell})
    if (to_string(e) == o.backtest.proxy) estimator = e;
  std::vector<double> proxy = range_variances(*data.bars, estimator);
  // Rows of the level; returns lack the first.
  proxy.erase(proxy.begin(),
              proxy.begin() + static_cast<std::ptrdiff_t>(proxy.size() - data.values.size()));
  if (o.series.unit == "decimal")
    for (double& v : proxy) v /= 1e4;
  return proxy;
}

// Takes off the chain what is estimated, and all that follows: that is for each window alone.
std::vector<Transform> take_estimated(Options& o) {
  const Unit unit = o.series.unit == "decimal" ? Unit::decimal : Unit::percent;
  std::vector<Transform> chain = parse_chain(o.series.transform, unit);
  const auto estimated = std::find_if(chain.begin(), chain.end(), [](const Transform& link) {
    const auto* power = std::get_if<transforms::PowerTransform>(&link);
    return std::holds_alternative<transforms::Centre>(link) ||
           std::holds_alternative<transforms::DivideByProfile>(link) || (power && !power->power);
  });
  o.series.transform.clear();
  for (auto link = chain.begin(); link != estimated; ++link)
    o.series.transform += (o.series.transform.empty() ? "" : " ") + to_string(*link);
  chain.erase(chain.begin(), estimated);
  return chain;
}

int run_backtest(const Options& given) {
  Options o = given;
  const std::vector<Transform> chain = take_estimated(o);
  const Loaded data = load(o, o.backtest.proxy == "squared" ? Takes::values : Takes::bars);
  const std::vector<Model> models = models_of_lines(o.model.lines);
  BacktestOptions options = backtest_options(o);
  options.chain = chain;
  options.proxy = range_proxy(o, data);
  std::optional<BacktestJournal> journal;
  if (!o.backtest.journal.empty()) {
    std::string setup = fmt::format(
        "{} of {} rows to {}; window {}{}, refit every {}, {} origins, horizon {}, {}, {} paths, "
        "seed {}, intervals {}, tails {}, proxy {}, threshold {}",
        data.values.name, data.values.size(), data.values.when(data.values.size() - 1),
        o.backtest.window, o.backtest.expanding ? " growing" : "", o.backtest.refit_every,
        o.backtest.origins.value_or(0), options.horizon, o.ahead.method, o.ahead.draws, o.seed,
        fmt::join(o.ahead.intervals, " "), fmt::join(o.ahead.tails, " "), o.backtest.proxy,
        o.backtest.threshold);
    for (const Model& m : models) setup += "; " + to_string(canonical(m));
    for (const std::string& words : o.backtest.baselines) setup += "; " + words;
    for (const Transform& link : chain) setup += "; " + to_string(link);
    journal.emplace(o.backtest.journal, setup, data.values);
    options.known = journal->known();
    if (!options.known.empty() && !o.output.quiet)
      std::cerr << fmt::format("{}: {} records are there already\n", o.backtest.journal,
                               text::count(options.known.size()));
  }
  const bool show = !o.output.quiet && ::isatty(2) != 0;
  if (journal) options.keep = [&](const BacktestRecord& record) { journal->add(record); };
  if (show)
    options.progress.report = [](std::size_t done, std::size_t all) {
      if (done % 20 == 0 || done == all)
        std::clog << fmt::format("\r{} of {} forecasts", done, all)
                  << (done == all ? "\r\033[K" : "") << std::flush;
    };
  const Backtest b = with_warnings_of(data, backtest(models, data.values, options, executor_of(o)));
  if (std::ostream* json = json_stream(o)) *json << json_document("backtest", b);
  if (shows_text(o)) {
    std::cout << b;
    print_account(data.values);
    const auto best = std::min_element(
        b.entrants.begin(), b.entrants.end(), [](const Entrant& x, const Entrant& y) {
          return x.scores.front().volatility.qlike < y.scores.front().volatility.qlike;
        });
    if (has_warning(b.warnings, WarningCode::level_modelled))
      print_next(o, fmt::format("unitroot {}", series_words(given)));
    else if (best->kind == Entrant::Kind::model)
      print_next(o, fmt::format("forecast {}", fitted_words(given, best->label)));
  }
  if (!o.output.out.empty()) write_table(o, backtest_table(b));
  if (!o.output.chart.empty()) {
    draw_backtest(b, o.output.chart);
    say_written(o, o.output.chart);
  }
  return 0;
}

}  // namespace

Command backtest_command(Options& o) {
  Command c("backtest", "Forecast from one origin after another and compare with realised outcomes",
            run_backtest);
  o.ahead.method = "plug-in";
  add_series_options(c, o);
  c.option("--model", o.model.lines, "a model line; give the option once for each")
      .model_line()
      .once_for_each()
      .group("The models");
  c.option("--baseline", o.backtest.baselines,
           "mean, walk, drift, 'season 12', smooth, 'smooth damped season 12'...; give the "
           "option once for each")
      .once_for_each()
      .group("The models");
  const char* group = "The origins";
  c.option("--window", o.backtest.window, "rows in each estimation window (default: 1000)")
      .group(group);
  c.option("--expanding", o.backtest.expanding, "expanding instead of rolling windows")
      .group(group);
  c.option("--refit-every", o.backtest.refit_every,
           "number of forecasts between refits (default: 1)")
      .positive()
      .group(group);
  c.option("--origins", o.backtest.origins,
           "use only this number of the latest origins (default: all)")
      .group(group);
  const char* what = "What is forecast";
  c.option("--horizon", o.ahead.horizon, "steps ahead (default: 1)").group(what);
  c.option("--intervals", o.ahead.intervals, "percent (default: 50,95)").list().group(what);
  c.option("--tails", o.ahead.tails, "percent of the value-at-risk (default: 1,5)")
      .list()
      .group(what);
  c.option("--method", o.ahead.method,
           "plug-in, full, resampled or refit (default: plug-in, the quickest)")
      .words({"full", "plug-in", "resampled", "refit"})
      .group(what);
  c.option("--draws", o.ahead.draws, "paths of each forecast (default: 2000)").group(what);
  const char* judged = "How it is judged";
  c.option("--proxy", o.backtest.proxy,
           "proxy of the realised variance: squared (errors, default), parkinson, garman-klass or "
           "rogers-satchell")
      .words({"squared", "parkinson", "garman-klass", "rogers-satchell"})
      .group(judged);
  c.option("--threshold", o.backtest.threshold,
           "size beyond which a value counts as up or down (default: 0)")
      .not_negative()
      .group(judged);
  const char* how = "How";
  c.option("--journal", o.backtest.journal,
           "file that records every forecast; an interrupted run continues from it")
      .group(how)
      .path();
  c.option("--seed", o.seed, "random seed of the paths (default: 1)").group(how);
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative()
      .group(how);
  add_output_options(c, o);
  c.option("--out", o.output.out, "every forecast as CSV").group("Output").path();
  c.option("--chart", o.output.chart, "forecast and outcome, losses, coverage, .png .svg .pdf")
      .group("Output")
      .path();
  c.footer =
      "Example:\n  brace backtest data/kelp-fibre.csv --value settle --drop-zero volume --returns "
      "log \\\n      --model 'const / garch / student' --model 'const / gjr / student' --horizon 5 "
      "--chart backtest.png";
  return c;
}

}  // namespace brace::app
