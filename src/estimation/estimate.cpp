// SPDX-License-Identifier: Apache-2.0
// fit_many and what it makes of the engine's result: likelihood and path in data units,
// criteria, dynamics, warnings. Covered by tests/estimation/estimate_test.cpp, reference_test.cpp
// and study_test.cpp.
#include "brace/estimation/estimate.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/progress_counter.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/model/model_line.hpp"
#include "brace/series/split.hpp"
#include "brace/series/transform.hpp"
#include "estimation/engine.hpp"
#include "estimation/fit_warnings.hpp"
#include "estimation/smaller_models.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "likelihood/exact_likelihood.hpp"
#include "likelihood/innovations.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "maths/regression.hpp"
#include "model/lag_product.hpp"
#include "model/spelling.hpp"
#include "process/admissible.hpp"

namespace brace::inline v0 {

bool is_exact(const Model& model, LikelihoodKind kind) {
  const bool alone = std::holds_alternative<Steady>(model.variance) &&
                     std::holds_alternative<Normal>(model.shocks);
  if (kind == LikelihoodKind::exact && !alone)
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}': the exact likelihood is that of '/ steady / normal'; leave it "
                            "to the model or ask for the conditional one",
                            to_string(model)));
  return alone && kind != LikelihoodKind::conditional;
}

namespace {

// ---- What follows from the parameters ----

// Likelihood and path at the estimates, in the units of the data, by the same steps for a new fit
// and for one read from a file, so that both give the same bits.
void fill_path(Fit& fit, const MeanData& data, std::optional<double> presample) {
  const std::vector<double> theta = fit.estimates();
  const std::size_t rows = data.change.size();
  fit.lost = data.lost;
  fit.counted.assign(fit.count, 0);
  const auto aligned = [&](std::vector<double> part, double before) {
    part.insert(part.begin(), fit.lost, before);
    return part;
  };
  if (fit.exact) {
    ExactLikelihood likelihood(fit.model, data);
    Derivatives<double> d;
    likelihood.evaluate(theta, Order::value, d);
    if (d.admitted) fit.log_likelihood = d.log_likelihood;
    fit.n = likelihood.counted();
    Innovations found;
    if (!filter(fit.model, data, theta, found)) return;
    const double sigma2 = theta[mean_positions(fit.model).count];
    for (std::size_t t = 0; t < rows; ++t) {
      fit.counted[fit.lost + t] = found.spread[t] > 0;
      found.spread[t] = sigma2 * (found.spread[t] > 0 ? found.spread[t] : 1);
    }
    fit.shocks = aligned(std::move(found.error), 0);
    fit.variances = aligned(std::move(found.spread), sigma2);
    fit.deviations.assign(fit.count, 0.0);
    fit.presample = sigma2;
    return;
  }
  JointLikelihood<double> likelihood(fit.model, data, Order::value);
  fit.n = likelihood.observed();
  JointLikelihood<double>::Path path;
  if (!likelihood.path(theta, path, presample)) return;
  if (std::isfinite(path.log_likelihood)) fit.log_likelihood = path.log_likelihood;
  for (std::size_t t = 0; t < rows; ++t) fit.counted[fit.lost + t] = !std::isnan(data.change[t]);
  fit.deviations = aligned(std::move(path.dev), 0);
  fit.shocks = aligned(std::move(path.e), 0);
  fit.variances = aligned(std::move(path.h), path.presample);
  fit.presample = path.presample;
}

void fill_criteria(Fit& fit) {
  if (!fit.log_likelihood) return;
  const double n = static_cast<double>(fit.n), k = fit.estimated,
               deviance = -2 * *fit.log_likelihood;
  fit.aic = deviance + 2 * k;
  if (n - k - 1 > 0) fit.aicc = *fit.aic + 2 * k * (k + 1) / (n - k - 1);
  fit.bic = deviance + std::log(n) * k;
  fit.hqc = deviance + 2 * std::log(std::log(n)) * k;
}

// The delta method: error of f at the estimates, by central differences along each parameter's
// error; empty where f does not exist there.
template <class F>
std::optional<double> delta_error(const Fit& fit, const std::vector<double>& theta, F&& f) {
  if (fit.covariance.empty() || !fit.usable()) return std::nullopt;
  const std::size_t k = theta.size();
  std::vector<double> slope(k, 0.0), moved = theta;
  for (std::size_t j = 0; j < k; ++j) {
    const double error = std::sqrt(fit.covariance(j, j));
    if (!(error > 0)) continue;
    const double step = 1e-4 * error;
    moved[j] = theta[j] + step;
    const std::optional<double> up = f(moved);
    moved[j] = theta[j] - step;
    const std::optional<double> down = f(moved);
    moved[j] = theta[j];
    if (!up || !down) return std::nullopt;
    slope[j] = (*up - *down) / (2 * step);
  }
  double variance = 0;
  for (std::size_t i = 0; i < k; ++i)
    for (std::size_t j = 0; j < k; ++j) variance += slope[i] * fit.covariance(i, j) * slope[j];
  return variance > 0 ? std::optional(std::sqrt(variance)) : std::nullopt;
}

// Without `errors` the delta method, which costs more than many a fit, is left out.
void fill_dynamics(Fit& fit, bool errors) {
  const ParameterNames names = parameter_names(fit.model);
  const std::size_t first = names.mean.size(), count = names.variance.size();
  const auto dynamics_at = [&](const std::vector<double>& theta) {
    const std::span<const double> all(theta);
    return variance_family(fit.model.variance)
        .dynamics(fit.model, all.subspan(first, count), all.subspan(first + count));
  };
  const std::vector<double> theta = fit.estimates();
  Dynamics found = dynamics_at(theta);
  // On the bound just below one the process has no long run to speak of.
  if (found.persistence && *found.persistence > kMostPersistence - 1e-8)
    found = {.persistence = found.persistence,
             .half_life = {},
             .unconditional_variance = {},
             .typical_variance = {}};
  fit.persistence = found.persistence;
  fit.half_life = found.half_life;
  fit.unconditional_variance = found.unconditional_variance;
  fit.typical_variance = found.typical_variance;
  if (!errors) return;
  for (const auto& [of, error] :
       {std::pair{&Dynamics::persistence, &Fit::persistence_error},
        std::pair{&Dynamics::half_life, &Fit::half_life_error},
        std::pair{&Dynamics::unconditional_variance, &Fit::unconditional_variance_error},
        std::pair{&Dynamics::typical_variance, &Fit::typical_variance_error}})
    if (found.*of)
      fit.*error = delta_error(
          fit, theta, [&, of = of](const std::vector<double>& at) { return dynamics_at(at).*of; });
}

// The estimate may not need more than this to be defined.
std::size_t least_observations(const Model& model, std::size_t k) {
  int longest = std::max(ar_product(model).longest(), ma_product(model).longest());
  for (const Lags* lags : {shock_lags(model.variance), variance_lags(model.variance)})
    if (lags && !lags->empty()) longest = std::max(longest, lags->back());
  return difference_weights(model.mean.differences).size() - 1 +
         std::max<std::size_t>(2 * k, k + static_cast<std::size_t>(longest) + 5);
}

// A model whose parameters are all held is estimated by nobody: its values must describe a process.
void require_admissible_where_held(const Model& model) {
  std::vector<double> theta;
  for (const Held& held : model.held) theta.push_back(held.value);
  if (theta.size() < parameter_names(model).all().size()) return;
  if (const auto rule = broken_rule(model, theta))
    throw Error(ErrorCode::bad_model_line,
                fmt::format("model line: '{}': the held parameters break the rule {}",
                            to_string(model), *rule));
}

// Each held value by itself: within the range of its family or law, and of a size whose square is a
// number.
void require_held_in_range(const Model& model) {
  const auto refuse = [&](const Held& held, const std::string& rule) {
    throw Error(ErrorCode::bad_model_line,
                fmt::format("model line: '{}': {} is held at {}, against the rule {}",
                            to_string(model), held.name, held.value, rule));
  };
  const ParameterNames names = parameter_names(model);
  const std::vector<Bound> bounds = variance_family(model.variance).bounds(model);
  const std::vector<ShapeCoordinate>& shapes = shock_law(model.shocks).shapes;
  for (const Held& held : model.held) {
    constexpr double kMost = 1e50;
    if (std::abs(held.value) > kMost) refuse(held, "that sizes are below 1e50");
    if (held.name == "sigma2" && !(held.value > 0)) refuse(held, "sigma2 > 0");
    for (std::size_t j = 0; j < names.variance.size(); ++j)
      for (const Bound& bound : bounds)
        // A level's bound is one for data of unit variance; in other units it is 0.
        if (names.variance[j] == held.name && bound.terms.size() == 1 &&
            bound.terms[0].first == j &&
            bound.terms[0].second * held.value >
                (bound.of_level ? 0 : bound.limit + 1e-12 * std::abs(bound.limit)))
          refuse(held, bound.name);
    for (std::size_t j = 0; j < names.shocks.size(); ++j)
      if (names.shocks[j] == held.name && !shapes[j].admits(held.value))
        refuse(held, shapes[j].rule);
  }
}

// Of the variance's regressors one that is constant says what its level says, and no maximum tells
// them apart.
void require_variance_terms_of_their_own(const Model& model, const MeanData& data) {
  const Eigen::MatrixXd& given = data.variance_columns;
  if (given.cols() == 0) return;
  const bool level_is_free = std::none_of(model.held.begin(), model.held.end(), [](const Held& h) {
    return h.name == "omega" || h.name == "sigma2";
  });
  const Eigen::Index first = level_is_free ? 1 : 0;
  Eigen::MatrixXd X = Eigen::MatrixXd::Ones(given.rows(), first + given.cols());
  X.rightCols(given.cols()) = given;
  for (Eigen::Index c = 0; c < given.cols(); ++c)
    if (const Eigen::Index terms = first + c + 1; maths::pivoted_rank(X.leftCols(terms)) < terms)
      throw Error(
          ErrorCode::bad_model_line,
          fmt::format("model line: '{}': vwith:{} adds nothing to the terms of the variance before "
                      "it on these rows (it is constant{}); drop it",
                      to_string(model),
                      spell(model.variance_regressors[static_cast<std::size_t>(c)]),
                      c > 0 ? " or a sum of them" : ""));
}

Fit run_job(const FitJob& job) {
  Fit fit;
  if (!job.series) throw Error(ErrorCode::bad_option, "a fit without a series: give one");
  const std::size_t rows = job.series->size();
  const std::size_t count = job.count.value_or(rows - std::min(job.first, rows));
  if (job.first > rows || count > rows - job.first)
    throw Error(ErrorCode::bad_option,
                fmt::format("FitJob: rows {} to {} are asked of a series of {}", job.first,
                            job.first + count, rows));
  fit.series = job.series;
  fit.first = job.first;
  fit.count = count;
  std::optional<Series> part;  // copied only where the window is not the whole
  if (fit.count != job.series->size()) part = fit.window();
  const Series& window = part ? *part : *job.series;
  fit.model = canonical(job.model);
  const std::string line = to_string(fit.model);
  std::size_t k = parameter_names(fit.model).all().size();
  require_usable(window, least_observations(fit.model, k), fmt::format("'{}'", line));
  fit.model = resolved(fit.model, window);
  k = parameter_names(fit.model).all().size();
  require_held_in_range(fit.model);
  require_admissible_where_held(fit.model);
  const MeanData data = mean_data(fit.model, window);
  require_variance_terms_of_their_own(fit.model, data);
  // Without differences or regressors that is the window itself.
  if (data.lost > 0 || data.missing.size() > window.missing()) {
    Series left = make_series(
        data.change, fmt::format("{} after the terms of '{}'", window.name, mean_part(fit.model)));
    left.file = window.file;
    require_usable(left, k + 1, "the rest of the model");
  }
  fit.exact = is_exact(fit.model, job.options.likelihood);
  if (!job.options.start.empty() && job.options.start.size() != k)
    throw Error(ErrorCode::bad_option,
                fmt::format("the start has {} numbers; '{}' has {} parameters",
                            job.options.start.size(), line, k));
  fit.errors = job.options.errors;
  if (fit.errors == StandardErrors::automatic)
    fit.errors = std::holds_alternative<Steady>(fit.model.variance) &&
                         std::holds_alternative<Normal>(fit.model.shocks)
                     ? StandardErrors::hessian
                     : StandardErrors::robust;
  SmallerModels smaller;
  run_engine(fit.model, data, job.options, fit, job.smaller ? *job.smaller : smaller);
  fill_path(fit, data, std::nullopt);
  if (fit.usable() && !fit.log_likelihood) {
    fit.convergence.status = FitStatus::failed;
    fit.convergence.why =
        "the likelihood does not exist at the point found, in the unit of the data";
  }
  fill_criteria(fit);
  fill_dynamics(fit, !job.options.hessian_errors_only);
  add_warnings(fit, window, data);
  if (!job.options.keep_path) fit.deviations = fit.shocks = fit.variances = {}, fit.counted = {};
  return fit;
}

}  // namespace

std::shared_ptr<SmallerModels> share_smaller_models() {
  return std::make_shared<SmallerModels>();
}

std::vector<Outcome<Fit>> fit_many(const std::vector<FitJob>& jobs, const Progress& progress,
                                   const Executor& executor) {
  std::vector<Outcome<Fit>> fits(jobs.size());
  ProgressCounter count(progress, jobs.size());
  executor.for_each(jobs.size(), [&](std::size_t i) {
    if (count.stopped()) return;
    try {
      fits[i] = run_job(jobs[i]);
    } catch (const Error& error) {
      fits[i] = error;
    }
    count.add();
  });
  return fits;
}

Fit estimate(const Model& model, const Series& series, const EstimateOptions& options) {
  return run_job({.model = model, .series = std::make_shared<Series>(series), .options = options});
}

Fit estimate(std::string_view model_line, const Series& series, const EstimateOptions& options) {
  return estimate(parse_model(model_line), series, options);
}

std::size_t counted_rows(const Model& model, const Series& series, LikelihoodKind kind) {
  const Model here = resolved(canonical(model), series);
  const MeanData data = mean_data(here, series);
  if (is_exact(here, kind)) return ExactLikelihood(here, data).counted();
  return static_cast<std::size_t>(std::count_if(data.change.begin(), data.change.end(),
                                                [](double v) { return !std::isnan(v); }));
}

Evaluation evaluate(const Model& model, const Series& series, const std::vector<double>& parameters,
                    LikelihoodKind kind) {
  const Model tidy = canonical(model);
  require_usable(series, 1, "a likelihood");
  if (const std::size_t k = parameter_names(tidy).all().size(); parameters.size() != k)
    throw Error(ErrorCode::bad_option, fmt::format("{} parameters given, the model '{}' has {}",
                                                   parameters.size(), to_string(tidy), k));
  const Model model_here = resolved(tidy, series);
  const MeanData data = mean_data(model_here, series);
  const bool exact = is_exact(model_here, kind);
  Derivatives<double> d;
  if (exact)
    ExactLikelihood(model_here, data).evaluate(parameters, Order::gradient, d);
  else
    JointLikelihood<double>(model_here, data).evaluate(parameters, Order::gradient, d);
  Fit fit;
  fit.model = model_here;
  fit.exact = exact;
  fit.count = series.size();
  fit.parameters.resize(parameters.size());
  for (std::size_t j = 0; j < parameters.size(); ++j) fit.parameters[j].estimate = parameters[j];
  if (d.admitted) fill_path(fit, data, std::nullopt);
  if (!d.admitted || fit.variances.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("these parameters of '{}' give a variance that is not positive, or "
                            "are not stationary",
                            to_string(tidy)));
  return {d.log_likelihood, std::move(d.gradient), std::move(fit.shocks), std::move(fit.variances)};
}

Fit restore(KnownFit known, std::shared_ptr<const Series> series) {
  Fit fit;
  fit.model = canonical(std::move(known.model));
  fit.series = std::move(series);
  fit.count = fit.series->size();
  fit.parameters = std::move(known.parameters);
  fit.covariance = std::move(known.covariance);
  fit.errors = known.errors;
  fit.convergence = std::move(known.convergence);
  fit.warnings = std::move(known.warnings);
  fit.estimated = static_cast<int>(std::count_if(fit.parameters.begin(), fit.parameters.end(),
                                                 [](const Parameter& p) { return !p.held; }));
  fit.exact = is_exact(fit.model, known.likelihood);
  fill_path(fit, mean_data(fit.model, *fit.series), known.presample);
  if (fit.variances.empty()) {
    fit.convergence.status = FitStatus::failed;
    fit.convergence.why = "its parameters give a variance that is not positive on these rows";
  }
  fill_criteria(fit);
  fill_dynamics(fit, true);
  return fit;
}

KnownFit known_of(const Fit& fit) {
  return {.model = fit.model,
          .parameters = fit.parameters,
          .covariance = fit.covariance,
          .errors = fit.errors,
          .convergence = fit.convergence,
          .presample = fit.presample,
          .likelihood = fit.exact ? LikelihoodKind::exact : LikelihoodKind::conditional,
          .warnings = fit.warnings};
}

Fit update(const Fit& fit, const Series& more) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' is {}: estimate it again before it takes more rows",
                            to_string(fit.model), to_string(fit.convergence.status)));
  if (fit.first + fit.count != fit.series->size())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' was fitted to rows that others follow; give them first",
                            to_string(fit.model)));
  auto series = std::make_shared<Series>(fit.window());
  if (!series->times.empty() && !more.times.empty() && more.times.front() <= series->times.back())
    throw Error(
        ErrorCode::dates_out_of_order,
        fmt::format("{}: the new rows begin at {}, and {} ends at {}; give only later ones",
                    more.name, more.when(0), series->name, series->when(series->size() - 1)));
  series->append(more);
  require_usable(*series, 1, "an update");
  return restore(known_of(fit), std::move(series));
}

}  // namespace brace::inline v0
