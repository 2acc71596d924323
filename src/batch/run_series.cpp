// SPDX-License-Identifier: Apache-2.0
// The work on one series of a batch, from its rows to the rows of the results. Covered by
// tests/batch/batch_test.cpp.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>

#include "base/missing.hpp"
#include "brace/base/digest.hpp"
#include "brace/base/version.hpp"
#include "brace/batch/plan.hpp"
#include "brace/io/saved_model.hpp"
#include "brace/model/model_line.hpp"

namespace brace::inline v0 {
namespace {

Maybe finite(std::optional<double> x) {
  return x && std::isfinite(*x) ? x : std::nullopt;
}
std::string date_or_nothing(const std::optional<Timestamp>& when) {
  return when ? format_date(*when) : "";
}

std::string covariance_text(const Matrix& m) {
  nlohmann::json rows = nlohmann::json::array();
  for (std::size_t i = 0; i < m.rows(); ++i) {
    nlohmann::json row = nlohmann::json::array();
    for (std::size_t j = 0; j < m.cols(); ++j) row.push_back(m(i, j));
    rows.push_back(std::move(row));
  }
  return rows.dump();
}

Matrix matrix_from(const std::string& text) {
  const auto rows = nlohmann::json::parse(text);
  Matrix out(rows.size(), rows.empty() ? 0 : rows[0].size());
  for (std::size_t i = 0; i < out.rows(); ++i)
    for (std::size_t j = 0; j < out.cols(); ++j) out(i, j) = rows[i][j].get<double>();
  return out;
}

// The fits of an earlier run that may be kept.
struct Known {
  KnownFit fit;
  std::int64_t estimated_rows = 0;
};
std::vector<Known> known_fits(const SeriesResult& found) {
  std::vector<Known> out;
  for (const FitRow& f : found.fits) {
    if (f.status != to_string(FitStatus::converged)) continue;
    KnownFit known{
        .model = parse_model(f.model),
        .parameters = {},
        .covariance = matrix_from(f.covariance),
        .errors = StandardErrors::robust,
        .convergence = {.status = FitStatus::converged,
                        .why = f.why,
                        .gradient_norm = f.gradient_norm,
                        .iterations = static_cast<int>(f.iterations),
                        .evaluations = static_cast<int>(f.evaluations),
                        .starts = static_cast<int>(f.starts)},
        .presample = f.presample,
        .likelihood = f.likelihood == "exact" ? LikelihoodKind::exact : LikelihoodKind::conditional,
        .warnings = {}};
    for (const StandardErrors kind : {StandardErrors::hessian, StandardErrors::opg})
      if (f.errors == to_string(kind)) known.errors = kind;
    for (const ParameterRow& p : found.parameters)
      if (p.model == f.model)
        known.parameters.push_back({.name = p.name,
                                    .estimate = p.estimate,
                                    .se_hessian = p.se_hessian,
                                    .se_opg = p.se_opg,
                                    .se_robust = p.se_robust,
                                    .se = p.se,
                                    .t = p.t,
                                    .p_value = p.p_value,
                                    .held = p.held,
                                    .at_bound = p.at_bound});
    for (const WarningRow& w : found.warnings)
      if (w.model == f.model)
        if (const auto code = warning_code_from(w.code)) known.warnings.push_back({*code, w.text});
    out.push_back({std::move(known), f.estimated_rows});
  }
  return out;
}

// How far the maximum is thought to have moved since the parameters were estimated, in standard
// errors: the length of a scoring step measured by their covariance.
double moved(const KnownFit& known, const Series& values) {
  std::vector<double> theta;
  for (const Parameter& p : known.parameters) theta.push_back(p.estimate);
  const std::vector<double> g = evaluate(known.model, values, theta, known.likelihood).gradient;
  double square = 0;
  for (std::size_t i = 0; i < g.size(); ++i)
    for (std::size_t j = 0; j < g.size(); ++j) square += g[i] * known.covariance(i, j) * g[j];
  return std::sqrt(std::max(square, 0.0));
}

class SeriesWork {
 public:
  SeriesWork(const std::string& name, const BatchPlan& plan,
             const std::optional<SeriesResult>& earlier, std::stop_token stop)
      : plan_(plan), stop_(std::move(stop)) {
    out_.series.name = name;
    if (earlier) earlier_ = known_fits(*earlier);
  }

  SeriesResult run(const Outcome<Series>& level) {
    const auto begin = std::chrono::steady_clock::now();
    if (step("read", "", [&] { take_level(level.value()); }) &&
        step("make", "", [&] { make(level.value()); })) {
      fit();
      if (chosen_) ask();
    }
    judge();
    out_.series.seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return std::move(out_);
  }

 private:
  // Whether it went well; what did not is a failure.
  template <class Body>
  bool step(const char* name, const std::string& model, Body body) {
    try {
      body();
      return true;
    } catch (const Error& error) {
      fail(name, model, std::string(to_string(error.code())), error.what());
    } catch (const std::bad_alloc&) {
      fail(name, model, "memory", "memory ran out; give fewer rows, draws or threads at once");
    } catch (const std::exception& error) {
      fail(name, model, "unexpected", error.what());
    }
    return false;
  }
  void fail(const char* step, const std::string& model, std::string code,
            const std::string& message) {
    out_.failures.push_back({step, model, std::move(code), in_words(message)});
  }
  [[nodiscard]] std::string in_words(const std::string& message) const {
    return plan_.words ? plan_.words(message) : message;
  }
  void warn(const std::string& model, const std::vector<Warning>& warnings) {
    for (const Warning& w : warnings) {
      WarningRow row{model, std::string(to_string(w.code)), in_words(w.text)};
      const bool told =
          std::any_of(out_.warnings.begin(), out_.warnings.end(), [&](const WarningRow& r) {
            return r.model == row.model && r.code == row.code && r.text == row.text;
          });
      if (!told) out_.warnings.push_back(std::move(row));
    }
  }

  // ---- The series ----
  void take_level(const Series& level) {
    out_.series.level_rows = static_cast<std::int64_t>(level.size());
    out_.series.dropped = static_cast<std::int64_t>(level.account.rows_dropped());
  }
  void make(const Series& level) {
    made_ = plan_.make ? plan_.make(level) : Made{.values = level};
    series_ = std::make_shared<const Series>(std::move(made_.values));
    const Series& values = *series_;
    SeriesRow& row = out_.series;
    row.made = values.name;
    row.unit = values.unit ? std::string(to_string(*values.unit)) : "";
    row.clock = std::string(to_string(values.clock));
    row.rows = static_cast<std::int64_t>(values.size());
    row.missing = static_cast<std::int64_t>(values.missing());
    if (values.size() > 0 && !values.times.empty()) {
      row.first = format_date(values.times.front());
      row.last = format_date(values.times.back());
    }
    warn("", made_.warnings);
  }

  // ---- Models ----
  void fit() {
    std::vector<Fit> fits;
    const bool searches = plan_.models.empty();
    if (searches) {
      if (auto kept = keep_what_was_chosen()) {
        fits.push_back(std::move(*kept));
      } else {
        step("search", "", [&] { fits.push_back(searched()); });
      }
    }
    for (const Model& model : plan_.models) {
      const std::string line = to_string(canonical(model));
      step("fit", line, [&] {
        if (auto kept = keep(line))
          fits.push_back(std::move(*kept));
        else
          fits.push_back(estimated(model));
      });
    }
    for (std::size_t i = 0; i < fits.size(); ++i) {
      const auto value = value_of(fits[i], plan_.criterion);
      if (fits[i].usable() &&
          (!chosen_ ||
           value.value_or(1e300) < value_of(fits[*chosen_], plan_.criterion).value_or(1e300)))
        chosen_ = i;
    }
    for (std::size_t i = 0; i < fits.size(); ++i) add(fits[i], i == chosen_);
    if (chosen_) fit_ = std::move(fits[*chosen_]);
  }
  Fit estimated(const Model& model) {
    EstimateOptions options = plan_.estimate;
    options.progress.stop = stop_;
    return values_of(fit_many({{.model = model, .series = series_, .options = options}})).front();
  }
  Fit searched() {
    if (plan_.variance_search) {
      const VarianceSearch found = search_variances(*series_, *plan_.variance_search);
      warn("", found.warnings);
      return found.best();
    }
    if (!plan_.search)
      throw Error(ErrorCode::bad_option,
                  "nothing is to be fitted: the plan has neither models nor a search");
    const Search found = search(*series_, *plan_.search);
    warn("", found.warnings);
    return found.best();
  }

  // The parameters of an earlier run, where they will still do.
  std::optional<Fit> keep(const std::string& line) {
    for (const Known& known : earlier_)
      if (to_string(known.fit.model) == line) return keep(known);
    return std::nullopt;
  }
  std::optional<Fit> keep_what_was_chosen() {
    return earlier_.empty() ? std::nullopt : keep(earlier_.front());
  }
  std::optional<Fit> keep(const Known& earlier) {
    const KnownFit& known = earlier.fit;
    const bool pinned = std::any_of(known.parameters.begin(), known.parameters.end(),
                                    [](const Parameter& p) { return p.at_bound; });
    if (pinned) return std::nullopt;  // a gradient says little where it may not be followed
    const double distance = moved(known, *series_);
    if (!(distance <= kKeptWithin)) return std::nullopt;
    Fit fit = restore(known, series_);
    if (!fit.usable()) return std::nullopt;
    kept_[to_string(fit.model)] = {distance, earlier.estimated_rows};
    return fit;
  }

  void add(const Fit& fit, bool chosen) {
    const std::string line = to_string(fit.model);
    FitRow row;
    row.model = line;
    row.chosen = chosen;
    row.status = std::string(to_string(fit.convergence.status));
    row.why = in_words(fit.convergence.why);
    const auto kept = kept_.find(line);
    row.how = kept == kept_.end() ? "estimated" : "kept";
    row.estimated_rows = kept == kept_.end() ? out_.series.level_rows : kept->second.rows;
    if (kept != kept_.end()) row.moved = kept->second.distance;
    row.n = static_cast<std::int64_t>(fit.n);
    row.likelihood = fit.exact ? "exact" : "conditional";
    row.errors = std::string(to_string(fit.errors));
    row.log_likelihood = finite(fit.log_likelihood);
    row.aic = finite(fit.aic), row.aicc = finite(fit.aicc);
    row.bic = finite(fit.bic), row.hqc = finite(fit.hqc);
    row.persistence = finite(fit.persistence), row.half_life = finite(fit.half_life);
    row.unconditional_variance = finite(fit.unconditional_variance);
    row.typical_variance = finite(fit.typical_variance);
    if (!fit.variances.empty()) row.last_variance = finite(fit.variances.back());
    row.gradient_norm = finite(fit.convergence.gradient_norm);
    row.iterations = fit.convergence.iterations;
    row.evaluations = fit.convergence.evaluations;
    row.starts = fit.convergence.starts;
    row.presample = fit.presample;
    row.covariance = covariance_text(fit.covariance);
    out_.fits.push_back(std::move(row));
    for (const Parameter& p : fit.parameters)
      out_.parameters.push_back({line, p.name, p.estimate, finite(p.se), finite(p.se_hessian),
                                 finite(p.se_opg), finite(p.se_robust), finite(p.t),
                                 finite(p.p_value), p.held, p.at_bound});
    warn(line, fit.warnings);
    if (!fit.usable())
      fail("fit", line, std::string(to_string(WarningCode::not_converged)), fit.convergence.why);
  }

  // ---- What is asked of the chosen fit ----
  void ask() {
    const std::string line = to_string(fit_.model);
    if (plan_.check) step("check", line, [&] { add(check(fit_, *plan_.check)); });
    if (plan_.breaks) step("breaks", line, [&] { add_breaks(line); });
    if (plan_.forecast) step("forecast", line, [&] { add_forecast(); });
    if (plan_.backtest) step("backtest", "", [&] { add_backtest(); });
    if (!plan_.save_to.empty())
      step("save", line, [&] { save_model(fit_, saved_path(plan_.save_to, out_.series.name)); });
  }

  void add(const Check& c) {
    CheckRow row{.model = c.model,
                 .verdict = std::string(to_string(c.verdict)),
                 .reading = c.reading,
                 .mean = {},
                 .variance = {},
                 .law = {},
                 .constancy = {}};
    for (const CheckGroup& g : c.groups) {
      std::string& answer = g.question == CheckQuestion::mean       ? row.mean
                            : g.question == CheckQuestion::variance ? row.variance
                            : g.question == CheckQuestion::law      ? row.law
                                                                    : row.constancy;
      answer = std::string(to_string(g.answer));
      for (const TestResult& t : g.tests)
        add(c.model, "check", std::string(to_string(g.question)), t);
    }
    out_.checks.push_back(std::move(row));
    warn(c.model, c.warnings);
  }
  void add(const std::string& model, const char* step, const std::string& question,
           const TestResult& t) {
    if (!std::isfinite(t.statistic)) return;
    out_.tests.push_back({model, step, question, t.test, t.variant, t.statistic, finite(t.p_value),
                          finite(t.p_floor),
                          t.lags ? std::optional<std::int64_t>(*t.lags) : std::nullopt, t.rejects(),
                          t.null, t.reading});
  }

  void add_breaks(const std::string& line) {
    FindBreaksOptions options = *plan_.breaks;
    if (options.model.empty()) options.model = line;
    const BreakReport found = find_breaks(*series_, options);
    for (const TestResult& t : found.tests) add(options.model, "breaks", "", t);
    for (const BreakReport::Found& b : found.breaks)
      out_.breaks.push_back({std::string(to_string(b.kind)), date_or_nothing(b.at.date),
                             date_or_nothing(b.at.low_date), date_or_nothing(b.at.high_date),
                             static_cast<std::int64_t>(b.at.row) + 1});
    warn("", found.warnings);  // of the series, whatever model looked for them
  }

  void add_forecast() {
    ForecastOptions options = *plan_.forecast;
    if (!options.transformed) options.transformed = made_.transformed;
    const Forecast ahead = forecast(fit_, options);
    const std::string method(to_string(ahead.method));
    for (const ForecastStep& s : ahead.steps) {
      ForecastRow row{.model = ahead.model,
                      .method = method,
                      .step = s.step,
                      .date = date_or_nothing(s.date),
                      .mean = s.mean,
                      .sd = s.sd,
                      .variance = finite(s.variance),
                      .typical_variance = s.typical_variance,
                      .volatility = std::sqrt(s.shown_variance()),
                      .level_median = {},
                      .level_mean = {}};
      add_intervals(ahead.model, "return", s.step, s.return_interval);
      add_intervals(ahead.model, "volatility", s.step, s.volatility_interval);
      if (!ahead.original.empty()) {
        const OriginalStep& there = ahead.original[static_cast<std::size_t>(s.step) - 1];
        row.level_median = finite(there.median);
        row.level_mean = finite(there.mean);
        add_intervals(ahead.model, "level", s.step, there.interval);
      }
      for (const TailRisk& t : s.tails)
        out_.tails.push_back(
            {ahead.model, s.step, t.percent, t.value_at_risk, finite(t.shortfall)});
      out_.forecasts.push_back(std::move(row));
    }
    warn(ahead.model, ahead.warnings);
  }
  void add_intervals(const std::string& model, const char* of, int step,
                     const std::vector<PredictionInterval>& intervals) {
    for (const PredictionInterval& i : intervals)
      out_.intervals.push_back({model, of, step, i.percent, i.low, i.high});
  }

  void add_backtest() {
    std::vector<Model> models = plan_.models;
    if (models.empty()) models = {fit_.model};
    BacktestOptions options = *plan_.backtest;
    options.progress.stop = stop_;
    const Backtest b = backtest(models, *series_, options);
    for (const Entrant& e : b.entrants) {
      const char* kind = e.kind == Entrant::Kind::model      ? "model"
                         : e.kind == Entrant::Kind::baseline ? "baseline"
                                                             : "combination";
      for (const HorizonScore& s : e.scores) {
        out_.scores.push_back({e.label, kind, s.step, static_cast<std::int64_t>(s.n),
                               static_cast<std::int64_t>(e.stale), finite(s.volatility.qlike),
                               finite(s.volatility.mse), finite(s.mean.rmse), finite(s.log_score),
                               finite(s.crps)});
        for (const IntervalCoverage& c : s.intervals)
          out_.coverages.push_back(
              {e.label, "interval", s.step, c.percent, c.covered, finite(c.frequency.p_value)});
        for (const TailCoverage& c : s.tails)
          out_.coverages.push_back(
              {e.label, "tail", s.step, c.percent, c.hits, finite(c.frequency.p_value)});
      }
    }
    warn("", b.warnings);
  }

  void judge() {
    SeriesRow& row = out_.series;
    row.outcome = "failed";
    if (chosen_)
      row.outcome = std::string(to_string(fit_.convergence.status));
    else if (out_.fits.empty())
      row.outcome = "refused";
  }

  struct Kept {
    double distance;
    std::int64_t rows;
  };
  const BatchPlan& plan_;
  std::vector<Known> earlier_;
  std::stop_token stop_;
  SeriesResult out_;
  Made made_;
  std::shared_ptr<const Series> series_;
  std::optional<std::size_t> chosen_;
  Fit fit_;
  std::map<std::string, Kept> kept_;
};

// ---- A plan in words ----

std::string joined(const std::vector<double>& numbers) {
  return fmt::format("{}", fmt::join(numbers, ","));
}
template <class T>
std::string number_or(const std::optional<T>& x) {
  return x ? fmt::format("{}", *x) : "-";
}

std::string words_of(const EstimateOptions& o) {
  return fmt::format("estimate {} {} {} {} {} {} [{}] {}", to_string(o.errors),
                     static_cast<int>(o.likelihood), static_cast<int>(o.from), o.target_variance,
                     number_or(o.starts), o.max_iterations, joined(o.start), o.hessian_errors_only);
}
std::string words_of(const ForecastOptions& o) {
  std::string future;
  for (const Companion& c : o.future) future += fmt::format(" {}=[{}]", c.name, joined(c.values));
  return fmt::format("forecast {} [{}] {} [{}] {} {} {} {} {} {} {}{}", o.horizon,
                     joined(o.intervals), to_string(o.method), joined(o.tails),
                     number_or(o.first_variance), static_cast<int>(o.back), number_or(o.per_year),
                     o.draws, o.paths, o.refits, o.seed, future);
}
std::string words_of(const BacktestOptions& o) {
  std::vector<std::string> chain;
  for (const Transform& link : o.chain) chain.push_back(to_string(link));
  return fmt::format("backtest {} {} {} {} {} [{}] [{}] [{}] {} {} {} [{}] {} {} {} [{}]", o.window,
                     o.expanding, o.refit_every, number_or(o.origins), o.horizon,
                     fmt::join(chain, ";"), joined(o.intervals), joined(o.tails),
                     to_string(o.method), o.paths, o.seed, fmt::join(o.baselines, ";"),
                     o.combinations, o.threshold, o.alpha, joined(o.proxy));
}
std::string held_words(const std::vector<Held>& held) {
  std::string out;
  for (const Held& h : held) out += fmt::format(" {}={}", h.name, h.value);
  return out;
}
std::string words_of(const SearchOptions& o) {
  return fmt::format("search {} {} {} {} {} {} {} {} '{}{}' {} {} {} {}", o.most_ar, o.most_ma,
                     o.most_seasonal_ar, o.most_seasonal_ma, number_or(o.period),
                     number_or(o.differences), number_or(o.seasonal_differences),
                     static_cast<int>(o.constant), mean_part(Model{.mean = o.kept}),
                     held_words(o.held), o.sparse, to_string(o.criterion), static_cast<int>(o.walk),
                     static_cast<int>(o.likelihood));
}
std::string words_of(const VarianceSearchOptions& o) {
  std::string out = "variances " + std::string(to_string(o.criterion));
  for (const auto& m : o.means)
    out += fmt::format(" '{}{}'", mean_part(Model{.mean = m.part}), held_words(m.held));
  for (const auto& v : o.variances)
    out += fmt::format(" '{}{}'", variance_part(Model{.variance = v.part}), held_words(v.held));
  for (const auto& l : o.laws)
    out += fmt::format(" '{}{}'", shocks_part(Model{.shocks = l.part}), held_words(l.held));
  return out;
}

}  // namespace

std::function<Made(Series level)> log_returns_made() {
  return [](const Series& level) {
    auto transformed =
        std::make_shared<Transformed>(transform(level, {transforms::LogReturn{Unit::percent}}));
    Series values = transformed->series;
    return Made{.values = std::move(values), .warnings = {}, .transformed = transformed};
  };
}

std::string described(const BatchPlan& plan) {
  std::string out =
      fmt::format("brace {}; {}; by {}", version(), plan.made, to_string(plan.criterion));
  for (const Model& model : plan.models) out += fmt::format("; '{}'", to_string(canonical(model)));
  if (plan.models.empty() && plan.search) out += "; " + words_of(*plan.search);
  if (plan.models.empty() && plan.variance_search) out += "; " + words_of(*plan.variance_search);
  out += "; " + words_of(plan.estimate);
  if (plan.check)
    out += fmt::format("; check {} {} [{}] {}", number_or(plan.check->lags),
                       number_or(plan.check->period), fmt::join(plan.check->whiteness, ","),
                       number_or(plan.check->significance));
  if (plan.breaks)
    out += fmt::format("; breaks '{}' {} {} {}", plan.breaks->model, plan.breaks->significance,
                       number_or(plan.breaks->number), number_or(plan.breaks->bandwidth));
  if (plan.forecast) out += "; " + words_of(*plan.forecast);
  if (plan.backtest) out += "; " + words_of(*plan.backtest);
  return out;
}

std::string digest_of_rows(const Series& level, std::size_t rows) {
  const auto first = [&](const auto& all) {
    return std::span(all.data(), std::min(rows, all.size()));
  };
  Digest sum;
  sum.add(first(level.values)).add(first(level.times));
  for (const Companion& c : level.companions) sum.add(c.name).add(first(c.values));
  return sum.text();
}

std::string digest_of_work(const std::string& name, const Series& level,
                           const std::string& level_digest, const std::string& described) {
  return Digest()
      .add(described)
      .add(name)
      .add(level.name)
      .add(to_string(level.clock))
      .add(level_digest)
      .text();
}

std::string saved_path(const std::string& folder, const std::string& name) {
  std::string safe;
  for (const char c : name) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                       c == '-' || c == '_' || (c == '.' && !safe.empty());
    // Other signs by their code, so that two names never meet in one file.
    safe += plain ? std::string(1, c) : fmt::format("%{:02X}", static_cast<unsigned char>(c));
  }
  return (std::filesystem::path(folder) / (safe + ".json")).string();
}

SeriesResult run_series(const std::string& name, const Outcome<Series>& level,
                        const BatchPlan& plan, const std::optional<SeriesResult>& earlier,
                        std::stop_token stop) {
  return SeriesWork(name, plan, earlier, std::move(stop)).run(level);
}

}  // namespace brace::inline v0
