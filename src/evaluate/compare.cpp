// SPDX-License-Identifier: Apache-2.0
// Comparison of models and baselines. Covered by tests/evaluate/evaluate_test.cpp.
#include "brace/evaluate/compare.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <ostream>

#include "base/given_or.hpp"
#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/model_line.hpp"
#include "brace/series/split.hpp"
#include "estimation/fit_warnings.hpp"
#include "evaluate/accuracy_words.hpp"

namespace brace::inline v0 {
namespace {

bool alone(const Model& model) {
  return std::holds_alternative<Steady>(model.variance) &&
         std::holds_alternative<Normal>(model.shocks);
}

[[noreturn]] void refuse_comparison(const std::string& what) {
  throw Error(ErrorCode::bad_option, "compare: " + what);
}

void require_same_differences(const std::vector<Model>& models) {
  for (const Model& m : models)
    if (m.mean.differences != models.front().mean.differences)
      refuse_comparison(fmt::format(
          "'{}' and '{}' are differenced differently, so their likelihoods are of "
          "different data; choose the differences first (`unit_root_battery`), or compare "
          "their forecasts one at a time",
          mean_part(models.front()), mean_part(m)));
}

// Criteria compare on the same rows only: told before anything is fitted.
void require_same_rows(const std::vector<Model>& models, const Series& training,
                       LikelihoodKind kind) {
  std::optional<std::size_t> first;
  for (const Model& model : models) {
    const std::size_t rows = counted_rows(model, training, kind);
    if (first && rows != *first)
      refuse_comparison(fmt::format(
          "'{}' uses {} rows and '{}' {}: criteria of other rows do not compare; cut "
          "the series so that all of them have every term (`from`)",
          mean_part(canonical(models.front())), *first, mean_part(canonical(model)), rows));
    if (!first) first = rows;
  }
}

// Whether every parameter of `small` is one of `large`, with the same family and law, and none is
// held that the other estimates.
bool is_nested(const Model& small, const Model& large) {
  const std::vector<std::string> few = parameter_names(small).all(),
                                 many = parameter_names(large).all();
  return small.variance.index() == large.variance.index() &&
         small.shocks.index() == large.shocks.index() && small.held == large.held &&
         few.size() < many.size() &&
         std::all_of(few.begin(), few.end(), [&](const std::string& name) {
           return std::find(many.begin(), many.end(), name) != many.end();
         });
}

// A walk is the baseline; directions are of changes, and of returns their signs.
AccuracyOptions accuracy_options(const Series& series, std::span<const double> training,
                                 std::span<const double> before, int step) {
  return {.training = training,
          .baseline = before,
          .from = counts_from_zero(series) ? std::span<const double>() : before,
          .step = step};
}

// Of the forecasts made at the start of the hold-out.
void judge_all_ahead(const Series& training, const Series& future, HoldOutForecast& out) {
  const std::vector<double> at_start(future.size(), last_present(training.values));
  out.accuracy =
      accuracy(future.values, out.mean, accuracy_options(training, training.values, at_start, 0));
  for (std::size_t i = 0; i < out.intervals.front().size(); ++i) {
    double inside = 0, n = 0;
    for (std::size_t t = 0; t < future.size(); ++t)
      if (const double y = future.values[t]; !std::isnan(y)) {
        const PredictionInterval& interval = out.intervals[t][i];
        inside += y >= interval.low && y <= interval.high ? 1 : 0;
        ++n;
      }
    out.accuracy.coverage.push_back({out.intervals.front()[i].percent, inside / n});
  }
}

// And of those from the row before.
void judge(const Series& training, const Series& future, HoldOutForecast& out) {
  judge_all_ahead(training, future, out);
  const std::vector<double> before = last_before(future.values, last_present(training.values));
  out.one_step_accuracy =
      accuracy(future.values, out.one_step, accuracy_options(training, training.values, before, 1));
}

void judge_residuals(const Fit& fit, Compared& out) {
  if (!fit.usable()) return;
  const ResidualP p = residual_p(fit);
  out.whiteness_p = p.whiteness;
  out.arch_p = p.arch;
  out.normality_p = hypothesis::jarque_bera(fit.standardised()).p_value;
  const std::vector<double> f = fitted_values(fit);
  const std::span<const double> y = fit.data();
  double n = 0, my = 0, mf = 0;
  for (std::size_t t = 0; t < y.size(); ++t)
    if (!std::isnan(f[t])) {
      ++n;
      my += y[t];
      mf += f[t];
    }
  double yy = 0, ff = 0, yf = 0;
  for (std::size_t t = 0; t < y.size(); ++t)
    if (!std::isnan(f[t])) {
      yy += std::pow(y[t] - my / n, 2);
      ff += std::pow(f[t] - mf / n, 2);
      yf += (y[t] - my / n) * (f[t] - mf / n);
    }
  if (ff > 1e-20 * yy) out.correlation = yf / std::sqrt(yy * ff);
  const std::vector<double> before = last_before(y, kNaN);
  out.in_sample = accuracy(y, f, accuracy_options(*fit.series, y, before, 1));
}

}  // namespace

std::vector<double> fitted_values(const Fit& fit) {
  std::vector<double> f(fit.count, kNaN);
  for (std::size_t t = 0; t < fit.count; ++t)
    if (fit.counted[t]) f[t] = fit.data()[t] - fit.shocks[t];
  return f;
}

HoldOutForecast forecast_hold_out(const Fit& fit, const Series& future,
                                  const std::vector<double>& intervals) {
  HoldOutForecast out;
  // Where levels have a closed form only their spread is taken from the forecast.
  const ForecastOptions options{.horizon = static_cast<int>(future.size()),
                                .intervals = intervals,
                                .method = ForecastMethod::plug_in,
                                .future = future.companions,
                                .draws = fit.exact ? 100 : 400,
                                .paths = fit.exact ? 1 : 25,
                                .simulation_errors = false};
  const Forecast ahead = forecast(fit, options);
  for (const ForecastStep& s : ahead.steps) {
    out.mean.push_back(s.mean);
    out.intervals.push_back(s.return_interval);
    if (fit.exact)
      for (PredictionInterval& i : out.intervals.back()) {
        const double reach = s.sd * laws::normal_quantile(.5 + i.percent / 200.);
        i = {i.percent, s.mean - reach, s.mean + reach};
      }
  }
  const Series training = fit.window();
  // One step at a time: the same parameters filter the whole series.
  auto whole = std::make_shared<Series>(training);
  whole->append(future);
  const std::vector<double> all = fitted_values(restore(known_of(fit), std::move(whole)));
  out.one_step.assign(all.begin() + static_cast<std::ptrdiff_t>(training.size()), all.end());
  judge(training, future, out);
  return out;
}

HoldOutForecast judge_original(const Forecast& ahead, const Series& level, const Series& future) {
  if (ahead.original.size() < future.size())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}': the forecast has {} of {} rows on the file's scale; give it the "
                            "chain of transforms and the whole horizon",
                            ahead.model, ahead.original.size(), future.size()));
  HoldOutForecast out;
  for (std::size_t k = 0; k < future.size(); ++k) {
    const OriginalStep& s = ahead.original[k];
    out.mean.push_back(ahead.back == BackTransform::median ? s.median : s.mean);
    out.intervals.push_back(s.interval);
  }
  judge_all_ahead(level, future, out);
  return out;
}

HoldOutForecast forecast_hold_out(const Baseline& baseline, const Series& future,
                                  const std::vector<double>& intervals) {
  HoldOutForecast out;
  for (BaselineStep& s : forecast(baseline, static_cast<int>(future.size()), intervals)) {
    out.mean.push_back(s.mean);
    out.intervals.push_back(std::move(s.interval));
  }
  Series whole = baseline.series;
  whole.append(future);
  whole.companions.clear();
  out.one_step = one_step(baseline, whole, baseline.series.size());
  judge(baseline.series, future, out);
  return out;
}

Comparison compare(const std::vector<Model>& models, const Series& series,
                   const CompareOptions& options, const Executor& executor) {
  if (models.empty()) refuse_comparison("no model is given; give two or more");
  require_same_differences(models);
  Comparison out;
  out.training = series;
  if (options.hold_out > 0) {
    HoldOutSplit parts = split(series, {.count = options.hold_out});
    out.training = std::move(parts.training);
    out.held_out = std::move(parts.held_out);
    if (options.horizon && *options.horizon < out.held_out.size())
      out.held_out =
          rows_between(out.held_out, 0, given_or<std::size_t>(options.horizon, 1, "horizon"));
  }
  out.conditional = !std::all_of(models.begin(), models.end(), alone);
  const auto training = std::make_shared<const Series>(out.training);
  std::vector<FitJob> jobs;
  for (const Model& model : models) {
    FitJob job{.model = model, .series = training};
    if (out.conditional) job.options.likelihood = LikelihoodKind::conditional;
    jobs.push_back(std::move(job));
  }
  require_same_rows(models, out.training,
                    out.conditional ? LikelihoodKind::conditional : LikelihoodKind::automatic);
  const std::vector<Fit> fits = values_of(fit_many(jobs, {}, executor));
  out.models.resize(fits.size());
  executor.for_each(fits.size(), [&](std::size_t i) {
    Compared& c = out.models[i];
    c.label = to_string(fits[i].model);
    c.fit = fits[i];
    judge_residuals(fits[i], c);
    if (options.hold_out > 0 && fits[i].usable())
      c.hold_out = forecast_hold_out(fits[i], out.held_out, options.intervals);
  });
  for (const std::string& words : options.baselines) {
    if (options.hold_out == 0) break;
    Compared c;
    const Baseline baseline = fit_baseline(words, out.training);
    c.label = baseline.label;
    c.hold_out = forecast_hold_out(baseline, out.held_out, options.intervals);
    out.baselines.push_back(std::move(c));
  }
  for (std::size_t i = 0; i < fits.size(); ++i)
    for (std::size_t j = 0; j < fits.size(); ++j) {
      if (!fits[i].usable() || !fits[j].usable() || !is_nested(fits[i].model, fits[j].model))
        continue;
      Nested n{.small = i, .large = j, .test = {}};
      n.test.test = "likelihood-ratio";
      n.test.null = fmt::format("'{}' holds against '{}'", to_string(fits[i].model),
                                to_string(fits[j].model));
      n.test.statistic = 2 * (*fits[j].log_likelihood - *fits[i].log_likelihood);
      n.test.dof = {static_cast<double>(fits[j].estimated - fits[i].estimated)};
      n.test.observations = fits[i].n;
      n.test.p_value = laws::chi_squared_tail(std::max(0.0, n.test.statistic), n.test.dof[0]);
      // Both are maxima: below rounding the ratio is zero, and never less.
      n.test.statistic = std::max(0.0, n.test.statistic);
      n.test.reading = *n.test.rejects() ? "the added terms are needed" : "the added terms may go";
      out.nested.push_back(std::move(n));
    }
  const auto best = std::min_element(
      out.models.begin(), out.models.end(), [](const Compared& a, const Compared& b) {
        return a.fit->bic.value_or(1e300) < b.fit->bic.value_or(1e300);
      });
  out.reading = fmt::format("{} is ahead by bic", best->label);
  if (options.hold_out > 0) {
    const Compared* nearest = nullptr;
    for (const std::vector<Compared>* rows : {&out.models, &out.baselines})
      for (const Compared& c : *rows)
        if (c.hold_out &&
            (!nearest || c.hold_out->accuracy.rmse < nearest->hold_out->accuracy.rmse))
          nearest = &c;
    if (nearest)
      out.reading += nearest == &*best
                         ? " and nearest on the hold-out"
                         : fmt::format("; {} is nearest on the hold-out", nearest->label);
  }
  out.warnings = data_warnings(models, out.training);
  for (const Fit& fit : fits)
    if (!fit.usable())
      out.warnings.push_back({WarningCode::not_converged,
                              fmt::format("{}: {}", to_string(fit.model), fit.convergence.why)});
  return out;
}

Comparison compare(const std::vector<std::string>& lines, const Series& series,
                   const CompareOptions& options, const Executor& executor) {
  std::vector<Model> models;
  for (const std::string& line : lines) models.push_back(parse_model(line));
  return compare(models, series, options, executor);
}

Comparison compare(std::initializer_list<std::string_view> lines, const Series& series,
                   const CompareOptions& options, const Executor& executor) {
  return compare(std::vector<std::string>(lines.begin(), lines.end()), series, options, executor);
}

namespace {

// Parameters of all models in the order of the parts, and in each as they first appear; a lag
// stands with its kind.
std::vector<std::string> all_names(const std::vector<Compared>& models) {
  std::vector<std::string> names;
  const auto stem = [](const std::string& name) {
    return name.substr(0, name.find_first_of("0123456789"));
  };
  for (std::vector<std::string> ParameterNames::*part :
       {&ParameterNames::mean, &ParameterNames::variance, &ParameterNames::shocks}) {
    const auto begin = static_cast<std::ptrdiff_t>(names.size());
    for (const Compared& m : models) {
      const ParameterNames of_model = parameter_names(m.fit->model);
      for (const std::string& name : of_model.*part) {
        if (std::find(names.begin() + begin, names.end(), name) != names.end()) continue;
        auto at = names.end();
        bool known = false;
        for (auto other = names.begin() + begin; other != names.end(); ++other)
          if (stem(*other) == stem(name)) {
            at = other + 1;
            known = true;
          }
        // AR terms stand before MA terms whichever model comes first.
        if (!known && stem(name) == "ar")
          at = std::find_if(names.begin() + begin, names.end(), [&](const std::string& n) {
            return stem(n) != "mu" && stem(n) != "trend";
          });
        names.insert(at, name);
      }
    }
  }
  return names;
}

}  // namespace

void print_accuracy(std::ostream& out, const std::vector<Compared>& rows) {
  constexpr std::size_t kLabel = 19;
  const Accuracy* any = nullptr;
  for (const Compared& c : rows)
    if (c.hold_out && !any) any = &c.hold_out->accuracy;
  if (!any) return;
  const double widest = any->coverage.back().percent;
  out << fmt::format("  {:<{}}{:<10}{:>8}{:>7}{:>9}{:>8}{:>16}{:>14}{:>7}\n", "", kLabel,
                     "forecast", "/ walk", "mase", "rmse", "mape %", "bias (error)", "right %",
                     fmt::format("in {}%", widest));
  for (const Compared& c : rows) {
    if (!c.hold_out) continue;
    const auto row = [&](const std::string& label, const char* kind, const Accuracy& a) {
      std::string line = fmt::format(
          "  {:<{}}{:<10}{:>8}{:>7}{:>9}{:>8}{:>16}{:>14}{:>7}", label, kLabel, kind,
          ratio_in_words(a), text::fixed(a.mase, 2), text::significant(a.rmse, 4),
          a.mape ? text::fixed(a.mape, 2) : "-", bias_in_words(a), directions_in_words(a),
          a.coverage.empty() ? "" : text::fixed(100 * a.coverage.back().inside, 1));
      line.erase(line.find_last_not_of(' ') + 1);
      out << line << '\n';
    };
    const std::string label = c.fit && c.fit->exact ? mean_part(c.fit->model) : c.label;
    if (label.size() >= kLabel) out << "  " << label << '\n';
    row(label.size() < kLabel ? label : "", "all ahead", c.hold_out->accuracy);
    if (!c.hold_out->one_step.empty()) row("", "one step", c.hold_out->one_step_accuracy);
  }
  const bool of_change = std::any_of(rows.begin(), rows.end(), [](const Compared& c) {
    return c.hold_out && c.hold_out->accuracy.directions &&
           c.hold_out->accuracy.directions->of_change;
  });
  out << text::wrap(
      fmt::format("/ walk: rmse over that of the value last known; below 1 is better. right %: of "
                  "{}, and beside it what naming the commoner one always would get.{}",
                  of_change ? "the directions of changes" : "the signs",
                  any->no_percent.empty()
                      ? ""
                      : fmt::format(" mape has no meaning here: {}.", any->no_percent)),
      100, "  ");
}

std::ostream& operator<<(std::ostream& out, const Comparison& c) {
  out << text::wrap(c.reading + ".") << '\n';
  for (std::size_t i = 0; i < c.models.size(); ++i)
    out << fmt::format("  {}  {}{}\n", i + 1, c.models[i].label,
                       c.models[i].fit->usable() ? "" : "  (did not converge)");
  constexpr std::size_t kColumn = 13;
  const auto row = [&](std::string_view name, auto cell) {
    std::string line = fmt::format("  {:<20}", name);
    for (const Compared& m : c.models) line += fmt::format("{:>{}}", cell(m), kColumn);
    line.erase(line.find_last_not_of(' ') + 1);
    out << line << '\n';
  };
  out << fmt::format("\n  {:<20}", "");
  for (std::size_t i = 0; i < c.models.size(); ++i) out << fmt::format("{:>{}}", i + 1, kColumn);
  out << '\n';
  const std::vector<std::string> names = all_names(c.models);
  for (const std::string& name : names) {
    const auto find = [&](const Compared& m) -> const Parameter* {
      for (const Parameter& p : m.fit->parameters)
        if (p.name == name) return &p;
      return nullptr;
    };
    row(name.size() > 19 ? name.substr(0, 18) + "~" : name, [&](const Compared& m) -> std::string {
      const Parameter* p = find(m);
      return p ? text::estimate(p->estimate, p->se) : "";
    });
    row("", [&](const Compared& m) -> std::string {
      const Parameter* p = find(m);
      return p && p->se ? fmt::format("({})", text::estimate(*p->se, *p->se)) : p ? "(-)" : "";
    });
  }
  row("log-likelihood", [](const Compared& m) { return text::fixed(m.fit->log_likelihood, 2); });
  row("aic", [](const Compared& m) { return text::fixed(m.fit->aic, 1); });
  row("aicc", [](const Compared& m) { return text::fixed(m.fit->aicc, 1); });
  row("bic", [](const Compared& m) { return text::fixed(m.fit->bic, 1); });
  row("white residuals p", [](const Compared& m) { return text::p_value(m.whiteness_p); });
  row("no ARCH left p", [](const Compared& m) { return text::p_value(m.arch_p); });
  row("normal p", [](const Compared& m) { return text::p_value(m.normality_p); });
  row("fitted to actual r", [](const Compared& m) { return text::fixed(m.correlation, 3); });
  row("one-step rmse", [](const Compared& m) -> std::string {
    return m.in_sample ? text::significant(m.in_sample->rmse, 4) : "-";
  });
  out << text::wrap(
      fmt::format("{} likelihood on {} observations; errors in brackets.",
                  c.conditional ? "Conditional" : "Exact", text::count(c.models.front().fit->n)),
      100, "  ");
  for (const Nested& n : c.nested)
    out << text::wrap(
        fmt::format("{} in {}: likelihood ratio {} on {}, p {}: {}.", n.small + 1, n.large + 1,
                    text::significant(n.test.statistic, 4), static_cast<int>(n.test.dof[0]),
                    text::p_value(n.test.p_value), n.test.reading),
        100, "  ");
  if (c.held_out.size() > 0) {
    out << fmt::format("\n  Hold-out of {}\n", text::plural(c.held_out.size(), "row", "rows"));
    std::vector<Compared> all = c.models;
    all.insert(all.end(), c.baselines.begin(), c.baselines.end());
    print_accuracy(out, all);
  }
  print_warnings(out, c.warnings);
  return out;
}

}  // namespace brace::inline v0
