// SPDX-License-Identifier: Apache-2.0
// Covered by tests/evaluate/backtest_test.cpp.
#include "evaluate/backtest_scores.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <ostream>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "evaluate/accuracy_words.hpp"
#include "evaluate/rows.hpp"
#include "maths/deviations.hpp"

namespace brace::inline v0 {
namespace {

// Rows before an origin whose variance says whether times are calm or rough.
constexpr std::size_t kTrailing = 20;
// Share of origins with old parameters that deserves a word.
constexpr double kManyStale = 0.01;

// The rows of one horizon at which every entrant has a forecast and something came.
struct ScoredRows {
  std::vector<std::size_t> origins;
  std::size_t step;
};

ScoredRows rows_of(const Backtest& b, std::size_t step) {
  ScoredRows rows{{}, step};
  for (std::size_t i = 0; i < b.origins.size(); ++i) {
    const bool complete = std::all_of(b.entrants.begin(), b.entrants.end(), [&](const Entrant& e) {
      return e.steps[i].size() > step && !std::isnan(e.steps[i][step].actual) &&
             !std::isnan(e.steps[i][step].proxy);
    });
    if (complete) rows.origins.push_back(i);
  }
  return rows;
}

template <class F>
std::vector<double> collect(const Entrant& e, const ScoredRows& rows, F value) {
  std::vector<double> out;
  for (const std::size_t i : rows.origins) out.push_back(value(e.steps[i][rows.step]));
  return out;
}

// Whether the variance of the rows before each origin lies below its median.
std::vector<unsigned char> calm_times(const Backtest& b, const ScoredRows& rows) {
  std::vector<double> trailing;
  for (const std::size_t i : rows.origins) {
    const std::size_t end = b.origins[i] + 1, begin = end - std::min(end, kTrailing);
    std::size_t n = 0;
    double squares = 0;
    for (const double d :
         maths::deviations_from_mean(std::span(b.series.values).subspan(begin, end - begin), n))
      squares += d * d;
    trailing.push_back(n > 0 ? squares / static_cast<double>(n) : 0);
  }
  std::vector<double> sorted = trailing;
  std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2),
                   sorted.end());
  // Ties, as ticks have them, differ by rounding.
  constexpr double kTied = 1e-9;
  const double median = sorted[sorted.size() / 2];
  std::vector<unsigned char> calm;
  for (const double v : trailing) calm.push_back(v < median * (1 - kTied));
  return calm;
}

// The value that each origin knew: a walk's forecast at every step.
std::vector<double> known_values(const Backtest& b) {
  const std::span<const double> values = b.series.values;
  std::vector<double> known;
  for (const std::size_t origin : b.origins)
    known.push_back(last_present(values.first(origin + 1)));
  return known;
}

// Over all origins, those that are not scored missing, so that lags of errors are rows.
Accuracy mean_accuracy(const Backtest& b, const Entrant& e, const ScoredRows& rows) {
  std::vector<double> actual(b.origins.size(), kNaN), mean(b.origins.size(), kNaN);
  for (const std::size_t i : rows.origins) {
    actual[i] = e.steps[i][rows.step].actual;
    mean[i] = e.steps[i][rows.step].mean;
  }
  const std::vector<double> known = known_values(b);
  return accuracy(actual, mean,
                  {.training = std::span(b.series.values).first(b.origins.front() + 1),
                   .baseline = known,
                   .from = counts_from_zero(b.series) ? std::span<const double>() : known,
                   .step = static_cast<int>(rows.step) + 1});
}

// Calls of direction: of values, or of changes from what each origin knew.
Directions directions_of(const Backtest& b, const ScoredRows& rows, std::vector<double> actual,
                         std::vector<double> forecast, double threshold) {
  if (!counts_from_zero(b.series)) {
    const std::vector<double> known = known_values(b);
    for (std::size_t i = 0; i < rows.origins.size(); ++i) {
      actual[i] -= known[rows.origins[i]];
      forecast[i] -= known[rows.origins[i]];
    }
  }
  return directions(actual, forecast, threshold);
}

HorizonScore score(const Backtest& b, const Entrant& e, const ScoredRows& rows,
                   const BacktestOptions& options) {
  HorizonScore s;
  s.step = static_cast<int>(rows.step) + 1;
  s.n = rows.origins.size();
  const bool first = rows.step == 0;
  const std::vector<double> actual =
                                collect(e, rows, [](const BacktestStep&x) { return x.actual; }),
                            mean = collect(e, rows, [](const BacktestStep&x) { return x.mean; }),
                            h = collect(e, rows, [](const BacktestStep&x) { return x.variance; }),
                            proxy = collect(e, rows, [](const BacktestStep&x) { return x.proxy; });
  s.mean = mean_accuracy(b, e, rows);
  s.volatility = volatility_losses(proxy, h);
  s.fair = mincer_zarnowitz(proxy, h);
  const std::vector<double> loss = qlike_by_row(proxy, h);
  const std::vector<unsigned char> calm = calm_times(b, rows);
  double sums[2] = {}, counts[2] = {};
  for (std::size_t t = 0; t < loss.size(); ++t) {
    sums[calm[t]] += loss[t];
    ++counts[calm[t]];
  }
  if (counts[1] > 0) s.qlike_calm = sums[1] / counts[1];
  if (counts[0] > 0) s.qlike_rough = sums[0] / counts[0];
  for (std::size_t i = 0; i < options.intervals.size(); ++i) {
    std::vector<unsigned char> outside;
    for (const std::size_t o : rows.origins) {
      const BacktestStep& x = e.steps[o][rows.step];
      outside.push_back(x.actual < x.return_interval[i].low ||
                        x.actual > x.return_interval[i].high);
    }
    IntervalCoverage c;
    c.percent = e.steps[rows.origins.front()][rows.step].return_interval[i].percent;
    const double expected = 1 - c.percent / 100.0;
    c.covered = 1 - std::accumulate(outside.begin(), outside.end(), 0.0) /
                        static_cast<double>(outside.size());
    c.frequency = hit_frequency_test(outside, expected);
    if (first) {
      c.independence = hit_independence_test(outside);
      c.conditional = conditional_coverage(outside, expected);
    }
    s.mean.coverage.push_back({c.percent, c.covered});
    s.intervals.push_back(std::move(c));
  }
  const std::vector<double> transforms =
      collect(e, rows, [](const BacktestStep& x) { return x.transform; });
  const bool densities = first && std::none_of(transforms.begin(), transforms.end(),
                                               [](double u) { return std::isnan(u); });
  for (std::size_t i = 0; i < options.tails.size(); ++i) {
    std::vector<unsigned char> hits;
    std::vector<double> quantile;
    for (const std::size_t o : rows.origins) {
      const BacktestStep& x = e.steps[o][rows.step];
      hits.push_back(x.actual < x.tails[i].value_at_risk);
      quantile.push_back(x.tails[i].value_at_risk);
    }
    TailCoverage c;
    c.percent = options.tails[i];
    const double expected = c.percent / 100;
    c.hits = std::accumulate(hits.begin(), hits.end(), 0.0) / static_cast<double>(hits.size());
    c.frequency = hit_frequency_test(hits, expected);
    if (first) {
      c.conditional = conditional_coverage(hits, expected);
      if (hits.size() >= 20) c.dynamic = dynamic_quantile(hits, quantile, expected);
      if (densities && transforms.size() >= 20) {
        c.shortfall = shortfall_frequency_test(transforms, expected);
        c.shortfall_memory = shortfall_independence_test(transforms, expected);
      }
    }
    s.tails.push_back(std::move(c));
  }
  s.directions = directions_of(b, rows, actual, mean, options.threshold);
  if (!densities) return s;
  const auto average = [](const std::vector<double>& v) {
    return std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
  };
  s.log_score = average(collect(e, rows, [](const BacktestStep& x) { return x.log_score; }));
  const double crps = average(collect(e, rows, [](const BacktestStep& x) { return x.crps; }));
  if (!std::isnan(crps)) s.crps = crps;  // combinations have none
  s.berkowitz = berkowitz(transforms);
  return s;
}

Contest contest(const Backtest& b, const ScoredRows& rows, const BacktestOptions& options) {
  Contest c;
  c.step = static_cast<int>(rows.step) + 1;
  std::vector<std::vector<double>> qlike, squared;
  for (const Entrant& e : b.entrants) {
    const std::vector<double> h = collect(e, rows, [](const BacktestStep&x) { return x.variance; }),
                              p = collect(e, rows, [](const BacktestStep&x) { return x.proxy; });
    qlike.push_back(qlike_by_row(p, h));
    squared.emplace_back();
    for (std::size_t t = 0; t < p.size(); ++t) squared.back().push_back(std::pow(p[t] - h[t], 2));
  }
  const std::size_t count = b.entrants.size();
  c.pairs.assign(count, std::vector<std::optional<TestResult>>(count));
  for (std::size_t i = 0; i < count; ++i)
    for (std::size_t j = 0; j < count; ++j)
      if (i != j) c.pairs[i][j] = diebold_mariano(qlike[i], qlike[j], c.step);
  const ConfidenceSetOptions set{.alpha = options.alpha, .horizon = c.step, .seed = options.seed};
  c.by_qlike = model_confidence_set(qlike, set);
  c.by_mse = model_confidence_set(squared, set);
  return c;
}

std::string reading_of(const Backtest& b) {
  const auto qlike = [](const Entrant& e) { return e.scores.front().volatility.qlike; };
  const auto best =
      std::min_element(b.entrants.begin(), b.entrants.end(),
                       [&](const Entrant& a, const Entrant& c) { return qlike(a) < qlike(c); });
  std::string text =
      b.entrants.size() == 1
          ? std::string()
          : fmt::format("'{}' forecasts the variance of the next row best (QLIKE {}). ",
                        best->label, text::significant(qlike(*best), 4));
  if (b.entrants.size() > 1 && !b.contests.empty()) {
    const ConfidenceSet& set = b.contests.front().by_qlike;
    const auto within =
        static_cast<std::size_t>(std::accumulate(set.within.begin(), set.within.end(), 0));
    text += within == 1
                ? "Nothing else is as good at 90 %. "
                : fmt::format("{} of {} may be as good at 90 %. ", within, b.entrants.size());
  }
  const HorizonScore& s = best->scores.front();
  if (s.intervals.empty()) return text;
  const IntervalCoverage& widest = s.intervals.back();
  text +=
      fmt::format("Its {:g} % intervals cover {:.1f} %: {}", widest.percent, 100 * widest.covered,
                  *widest.frequency.rejects() ? "not what they promise" : "as promised");
  if (widest.independence && *widest.independence->rejects())
    text += ", but misses come in clusters";
  return text + ".";
}

}  // namespace

void judge(Backtest& b, const BacktestOptions& options) {
  std::vector<ScoredRows> rows;
  for (int k = 0; k < b.horizon; ++k) rows.push_back(rows_of(b, static_cast<std::size_t>(k)));
  if (rows.front().origins.size() < kFewestRows || rows.back().origins.size() < kFewestRows) {
    b.reading = "Too few forecasts are done to be judged.";
    if (!b.stopped)
      throw Error(ErrorCode::too_few_observations,
                  fmt::format("backtest: {} rows of {} have a value to be judged by; at least {} "
                              "are needed",
                              rows.front().origins.size(), b.series.name, kFewestRows));
    return;
  }
  for (Entrant& e : b.entrants) {
    for (const ScoredRows& r : rows) e.scores.push_back(score(b, e, r, options));
    if (static_cast<double>(e.stale) > kManyStale * static_cast<double>(b.origins.size()))
      b.warnings.push_back(
          {WarningCode::not_converged,
           fmt::format("'{}': {} of {} origins went on with the parameters of an earlier window, "
                       "since the fit of theirs did not converge",
                       e.label, e.stale, b.origins.size())});
  }
  if (b.entrants.size() > 1) b.contests.push_back(contest(b, rows.front(), options));
  if (b.entrants.size() > 1 && b.horizon > 1)
    b.contests.push_back(contest(b, rows.back(), options));
  b.reading = reading_of(b);
}

namespace {

std::string p_of(const TestResult& test) {
  return text::p_value(test.p_value, test.p_floor);
}

std::string shortened(const std::string& label, std::size_t width) {
  return label.size() <= width ? label : label.substr(0, width - 2) + "..";
}

// Labels as wide as their column, numbered where two would read the same.
std::vector<std::string> labels_of(const Backtest& b) {
  constexpr std::size_t kWide = 33;
  std::vector<std::string> labels;
  for (const Entrant& e : b.entrants) labels.push_back(shortened(e.label, kWide));
  const auto same = [&](std::size_t m) {
    return std::count(labels.begin(), labels.end(), labels[m]) > 1;
  };
  std::vector<bool> numbered;
  for (std::size_t m = 0; m < labels.size(); ++m) numbered.push_back(same(m));
  for (std::size_t m = 0; m < labels.size(); ++m)
    if (numbered[m]) labels[m] = shortened(fmt::format("{} {}", m + 1, b.entrants[m].label), kWide);
  return labels;
}

void print_variances(std::ostream& out, const Backtest& b, std::size_t k,
                     const std::vector<std::string>& labels) {
  const HorizonScore& any = b.entrants.front().scores[k];
  const Contest* contest = nullptr;
  for (const Contest& c : b.contests)
    if (c.step == any.step) contest = &c;
  std::string head = fmt::format("  {:<34}{:>9}{:>9}{:>8}{:>8}{:>9}", "variance", "qlike", "calm",
                                 "rough", "mz b", "fair p");
  if (contest) head += fmt::format("{:>9}", "set p");
  out << '\n' << head << '\n';
  for (std::size_t m = 0; m < b.entrants.size(); ++m) {
    const Entrant& e = b.entrants[m];
    const HorizonScore& s = e.scores[k];
    out << fmt::format(
        "  {:<34}{:>9}{:>9}{:>8}{:>8}{:>9}", labels[m], text::fixed(s.volatility.qlike, 4),
        text::fixed(s.qlike_calm.value_or(0), 3), text::fixed(s.qlike_rough.value_or(0), 3),
        s.fair.fair_robust.p_value ? text::fixed(s.fair.b, 2) : "none", p_of(s.fair.fair_robust));
    if (contest)
      out << fmt::format("{:>8}{}",
                         text::p_value(contest->by_qlike.p_values[m], contest->by_qlike.floor),
                         contest->by_qlike.within[m] ? "*" : "");
    out << '\n';
  }
}

void print_means(std::ostream& out, const Backtest& b, std::size_t k,
                 const std::vector<std::string>& labels) {
  out << fmt::format("\n  {:<34}{:>8}{:>7}{:>9}{:>17}{:>13}{:>9}\n", "mean", "/ walk", "mase",
                     "rmse", "bias (error)", "right %", "white p");
  for (std::size_t m = 0; m < b.entrants.size(); ++m) {
    const Accuracy& a = b.entrants[m].scores[k].mean;
    out << fmt::format("  {:<34}{:>8}{:>7}{:>9}{:>17}{:>13}{:>9}\n", labels[m], ratio_in_words(a),
                       text::fixed(a.mase, 2), text::significant(a.rmse, 4), bias_in_words(a),
                       directions_in_words(a), a.memory ? p_of(a.memory->test) : "none");
  }
}

void print_intervals(std::ostream& out, const Backtest& b, std::size_t k,
                     const std::vector<std::string>& labels) {
  const HorizonScore& any = b.entrants.front().scores[k];
  if (any.intervals.empty() && any.tails.empty()) return;
  std::string head = fmt::format("  {:<34}", "intervals");
  for (const IntervalCoverage& c : any.intervals)
    head += fmt::format("{:>8} {:>5}", fmt::format("in {:g} %", c.percent), "p");
  // Wide enough for percents with a fraction.
  std::vector<std::string> tail_heads;
  for (const TailCoverage& c : any.tails) {
    tail_heads.push_back(fmt::format("{:>11}", fmt::format("  below {:g} %", c.percent)));
    head += fmt::format("{} {:>5}", tail_heads.back(), "p");
  }
  out << '\n' << head << '\n';
  for (std::size_t m = 0; m < b.entrants.size(); ++m) {
    const HorizonScore& s = b.entrants[m].scores[k];
    std::string line = fmt::format("  {:<34}", labels[m]);
    for (const IntervalCoverage& c : s.intervals)
      line += fmt::format("{:>8} {:>5}", text::fixed(100 * c.covered, 1), p_of(c.frequency));
    for (std::size_t i = 0; i < s.tails.size(); ++i)
      line += fmt::format("{:>{}} {:>5}", text::fixed(100 * s.tails[i].hits, 1),
                          tail_heads[i].size(), p_of(s.tails[i].frequency));
    out << line << '\n';
  }
}

void print_step(std::ostream& out, const Backtest& b, std::size_t k,
                const std::vector<std::string>& labels) {
  const HorizonScore& any = b.entrants.front().scores[k];
  out << fmt::format("\n  step {}, {} forecasts\n", any.step, text::count(any.n));
  // What the series is for comes first: of returns their volatility, of levels where they go.
  if (!lingers(b.series) && b.fitted_transform.empty()) {
    print_variances(out, b, k, labels);
    print_means(out, b, k, labels);
  } else {
    print_means(out, b, k, labels);
    print_variances(out, b, k, labels);
  }
  print_intervals(out, b, k, labels);
}

void print_first(std::ostream& out, const Backtest& b, const std::vector<std::string>& labels) {
  out << fmt::format("\n  {:<34}{:>9}{:>9}{:>9}{:>9}{:>9}{:>10}\n", "next row, p of", "clusters",
                     "dyn. q.", "tail", "tail mem", "density", "crps");
  for (std::size_t m = 0; m < b.entrants.size(); ++m) {
    const HorizonScore& s = b.entrants[m].scores.front();
    const std::optional<TestResult> clusters =
        s.intervals.empty() ? std::nullopt : s.intervals.back().independence;
    const auto p = [](const std::optional<TestResult>& test) {
      return test ? p_of(*test) : std::string("none");
    };
    const TailCoverage* tail = s.tails.empty() ? nullptr : &s.tails.back();
    out << fmt::format("  {:<34}{:>9}{:>9}{:>9}{:>9}{:>9}{:>10}\n", labels[m], p(clusters),
                       tail ? p(tail->dynamic) : "none", tail ? p(tail->shortfall) : "none",
                       tail ? p(tail->shortfall_memory) : "none",
                       s.berkowitz ? p_of(s.berkowitz->all) : "none",
                       s.crps ? text::significant(*s.crps, 4) : "none");
  }
}

void print_pairs(std::ostream& out, const Backtest& b) {
  if (b.contests.empty() || b.entrants.size() < 2) return;
  const Contest& c = b.contests.front();
  out << "\n  same QLIKE at step 1, p (- row better, + column better)\n"
      << fmt::format("  {:<34}", "");
  for (std::size_t j = 0; j < b.entrants.size(); ++j)
    out << fmt::format("{:>9}", fmt::format("({})", j + 1));
  out << '\n';
  for (std::size_t i = 0; i < b.entrants.size(); ++i) {
    std::string line =
        fmt::format("  {:<34}", fmt::format("({}) {}", i + 1, shortened(b.entrants[i].label, 29)));
    for (const std::optional<TestResult>& test : c.pairs[i])
      line += fmt::format(
          "{:>9}", test ? fmt::format("{}{}", test->statistic < 0 ? '-' : '+', p_of(*test)) : "");
    out << line.substr(0, line.find_last_not_of(' ') + 1);
    out << '\n';
  }
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Backtest& b) {
  out << text::wrap(b.reading);
  out << '\n'
      << text::wrap(
             fmt::format("{} origins, {} to {}; {} {} rows, refitted every {}; intervals "
                         "{}; variances judged by the {}{}{}",
                         text::count(b.origins.size()), b.series.when(b.origins.front()),
                         b.series.when(b.origins.back()),
                         b.expanding ? "windows that grow from" : "moving windows of",
                         text::count(b.window), text::plural(b.refit_every, "row", "rows"),
                         to_string(b.method), b.proxy,
                         b.fitted_transform.empty()
                             ? ""
                             : fmt::format("; '{}' estimated in each window", b.fitted_transform),
                         b.stopped ? "; stopped before the end" : ""),
             100, "  ");
  if (b.entrants.front().scores.empty()) return out;
  const std::vector<std::string> labels = labels_of(b);
  for (std::size_t m = 0; m < labels.size(); ++m)
    if (labels[m].starts_with(fmt::format("{} ", m + 1)))
      out << fmt::format("  {} {}\n", m + 1, b.entrants[m].label);
  print_step(out, b, 0, labels);
  print_first(out, b, labels);
  print_pairs(out, b);
  if (b.horizon > 1) print_step(out, b, static_cast<std::size_t>(b.horizon) - 1, labels);
  const std::string of = counts_from_zero(b.series) ? "signs" : "directions of changes";
  out << '\n'
      << text::wrap(
             fmt::format("qlike: mean of ln h + x/h, smaller is better. calm, rough: where the 20 "
                         "rows before were. mz b: slope of outcome on forecast, 1 when fair. set "
                         "p: of leaving the set that holds the best, * in it. / walk: rmse over "
                         "that of the value that the origin knew, below 1 is better. right %: of "
                         "{}, and beside it what naming the commoner one always would get. white "
                         "p: null: the errors have no memory.",
                         of),
             100, "  ");
  print_warnings(out, b.warnings);
  return out;
}

std::vector<std::vector<std::string>> backtest_table(const Backtest& b) {
  std::vector<std::vector<std::string>> rows{
      {"entrant", "origin", "step", "date", "mean", "volatility"}};
  const auto number = [](double v) { return std::isnan(v) ? std::string() : fmt::format("{}", v); };
  const BacktestStep* any = nullptr;
  for (const Entrant& e : b.entrants)
    for (const std::vector<BacktestStep>& steps : e.steps)
      if (!any && !steps.empty()) any = &steps.front();
  if (!any) return rows;
  for (const PredictionInterval& i : any->return_interval)
    for (const char* side : {"low", "high"})
      rows[0].push_back(fmt::format("return_{:g}_{}", i.percent, side));
  for (const TailRisk& t : any->tails)
    for (const char* what : {"value_at_risk", "shortfall"})
      rows[0].push_back(fmt::format("{}_{:g}", what, t.percent));
  for (const char* name : {"actual", "proxy", "transform", "log_score", "crps"})
    rows[0].emplace_back(name);
  for (const Entrant& e : b.entrants)
    for (std::size_t i = 0; i < e.steps.size(); ++i)
      for (std::size_t k = 0; k < e.steps[i].size(); ++k) {
        const BacktestStep& s = e.steps[i][k];
        const std::size_t row = b.origins[i] + 1 + k;
        std::vector<std::string> line{
            e.label,        b.series.when(b.origins[i]),  std::to_string(k + 1), b.series.when(row),
            number(s.mean), number(std::sqrt(s.variance))};
        for (const PredictionInterval& interval : s.return_interval) {
          line.push_back(number(interval.low));
          line.push_back(number(interval.high));
        }
        for (const TailRisk& t : s.tails) {
          line.push_back(number(t.value_at_risk));
          line.push_back(t.shortfall ? number(*t.shortfall) : "");
        }
        for (const double v : {s.actual, s.proxy, s.transform, s.log_score, s.crps})
          line.push_back(number(v));
        rows.push_back(std::move(line));
      }
  return rows;
}

}  // namespace brace::inline v0
