// SPDX-License-Identifier: Apache-2.0
// Maximum likelihood, one model or many. Everything in Brace that estimates comes through fit_many.
//
//   brace::Fit fitted = brace::estimate("const / garch / student", returns);
//   auto fits = brace::fit_many(jobs, {}, brace::Executor(2));   // of each a Fit or an Error
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <memory>
#include <optional>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/outcome.hpp"
#include "brace/base/progress.hpp"
#include "brace/estimation/fit.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Maxima found for the models of one mean, orders apart, on the same rows.
class SmallerModels;

// One model on one window of a series.
struct FitJob {
  Model model;
  std::shared_ptr<const Series> series;
  std::size_t first = 0;
  std::optional<std::size_t> count{};  // left out: all rows from `first`
  EstimateOptions options{};
  // Shared by jobs of the same rows whose means differ in their lags alone, so that none fits a
  // smaller model that another fitted; what comes out does not depend on it.
  std::shared_ptr<SmallerModels> smaller{};
};
[[nodiscard]] std::shared_ptr<SmallerModels> share_smaller_models();

// Maximum likelihood: exact for a mean equation alone ('/ steady / normal'), joint and conditional
// for the mean, the variance and the shape of the shocks together. Equations in docs/numerics.md.
// Throws Error for a model that is not built, fewer observations than it needs, a constant series;
// a fit that does not converge is a result whose status says so.
[[nodiscard]] Fit estimate(const Model& model, const Series& series,
                           const EstimateOptions& options = {});
[[nodiscard]] Fit estimate(std::string_view model_line, const Series& series,
                           const EstimateOptions& options = {});

// Each job by itself, as estimate() would: a Fit, or the Error that estimate() would throw, which
// costs no other job its result; after a stop Errors (stopped). They stand in the order of the jobs
// and do not depend on the number of threads. values_of() makes them Fits or throws.
[[nodiscard]] std::vector<Outcome<Fit>> fit_many(const std::vector<FitJob>& jobs,
                                                 const Progress& progress = {},
                                                 const Executor& executor = serial());

// Rows that have a term in the likelihood of a model on a series (Fit::n), without a fit.
[[nodiscard]] std::size_t counted_rows(const Model& model, const Series& series,
                                       LikelihoodKind kind = LikelihoodKind::automatic);

// The log-likelihood, variance path and gradient of a model at given parameters, nothing estimated:
// to check a formula, or to carry a model over to other data.
struct Evaluation {
  double log_likelihood = 0;
  std::vector<double> gradient;  // k, by the parameters in natural units
  std::vector<double> shocks, variances;
};
[[nodiscard]] Evaluation evaluate(const Model& model, const Series& series,
                                  const std::vector<double>& parameters,
                                  LikelihoodKind kind = LikelihoodKind::automatic);

// A Fit from parameters that are known, such as those of a saved model: path, criteria and derived
// figures are computed, nothing is estimated. `covariance` is k x k in the order of the parameters.
struct KnownFit {
  Model model{};
  std::vector<Parameter> parameters{};
  Matrix covariance{};
  StandardErrors errors = StandardErrors::robust;
  Convergence convergence{};
  std::optional<double> presample{};  // empty: that of the series
  LikelihoodKind likelihood = LikelihoodKind::automatic;
  std::vector<Warning> warnings{};
};
// What is known of a fit, to restore it on other rows.
[[nodiscard]] KnownFit known_of(const Fit& fit);
[[nodiscard]] Fit restore(KnownFit known, std::shared_ptr<const Series> series);

// The same fit with more rows behind it, nothing estimated: the path goes on under the old
// parameters from the old presample value, so a forecast starts from the new end. `more` holds the
// rows that follow, with the companions that the model names. Throws Error (dates_out_of_order)
// where they do not come later, (bad_option) for an unusable fit or where the fit's rows are not
// the last of its series.
[[nodiscard]] Fit update(const Fit& fit, const Series& more);

}  // namespace brace::inline v0
BRACE_API_END
