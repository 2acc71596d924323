// SPDX-License-Identifier: Apache-2.0
// A Fit: estimates with their errors, and the certificate that says whether they may be believed.
//
//   brace::Fit fitted = brace::estimate("const ar1 / garch / student", returns);
//   if (fitted.usable()) std::cout << fitted;
//
// Threads: a plain value; reading one from several threads at once is safe.
#pragma once

#include <iosfwd>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/matrix.hpp"
#include "brace/base/progress.hpp"
#include "brace/base/warning.hpp"
#include "brace/model/model.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class FitStatus {
  not_run,    // parameters are empty
  converged,  // gradient_norm < kConverged after a last Newton step, -H positive definite: the
              // maximum
  boundary,   // the maximum lies on a bound, which `why` names; pinned parameters have no errors
  failed,     // neither; the numbers are the best point seen and must not be used
};
[[nodiscard]] std::string_view to_string(FitStatus status);

// Largest sqrt(g' (-H)^-1 g) over the free parameters that counts as converged.
inline constexpr double kConverged = 1e-6;

enum class StandardErrors {
  automatic,  // robust with a variance equation or another law than the normal, else hessian
  hessian,    // (-H)^-1
  opg,        // (S'S)^-1, S the n x k scores
  robust,     // (-H)^-1 S'S (-H)^-1 (Bollerslev and Wooldridge 1992): right under a wrong shock law
};
[[nodiscard]] std::string_view to_string(StandardErrors kind);

enum class LikelihoodKind {
  automatic,    // exact for steady models with normal shocks, else conditional
  exact,        // Gaussian, missing values skipped exactly
  conditional,  // deviations and shocks before the sample are 0: all models on the same footing
};

enum class ClimbFrom {
  everywhere,  // many starts, and more of them where the maximum is not beyond doubt
  start,       // EstimateOptions::start alone, and where that climb stalls the highest kink around
  near_start,  // the same where the start is the maximum of nearly the same data (the window
               // before) or what made them: the first kink found will do
};

struct EstimateOptions {
  // Which errors stand beside the estimates; all three are computed.
  StandardErrors errors = StandardErrors::automatic;

  // Exact asked of a model with a variance equation or another law than the normal is refused.
  LikelihoodKind likelihood = LikelihoodKind::automatic;

  // Parameters of a fit nearby, in the order of parameter_names: one more point to climb from.
  std::vector<double> start{};

  // Where the maximum is looked for; from a start alone only where one is given.
  ClimbFrom from = ClimbFrom::everywhere;

  // Variance targeting: omega is what makes the long-run variance that of the sample, and the
  // others are estimated given it; of arch, garch and gjr under a symmetric law with at most a
  // constant mean. Errors are robust ones that know the target to be estimated (Francq, Horvath and
  // Zakoian 2011).
  bool target_variance = false;

  // Only the Hessian's errors where the kind asked for allows it: a search needs no others.
  bool hessian_errors_only = false;

  // How many starting points of a model with a variance equation or another law are polished before
  // the highest are climbed to their end: beyond those that the family knows, points scattered
  // between and around them, and one in four climbed. Left out: below 1,000 observations all that
  // the family knows, else the likeliest 3 (garch) or 4; and where the maximum is not beyond doubt
  // all of them and 64 scattered ones. More of them find higher hills, if there are.
  std::optional<int> starts{};

  // Cap on Newton steps from one start.
  int max_iterations = 200;

  // Whether the Fit holds its path (Fit::shocks, variances...), five numbers a row. Without it the
  // estimates and their errors are all there is: what needs the path says so, and restore() of
  // known_of() computes it again.
  bool keep_path = true;

  // `done` counts passes over the data, of which nobody knows how many there will be: `all` is 0.
  // Once a stop is asked for no more are made, and the Fit is the best until then: the highest
  // maximum with WarningCode::fit_stopped or, where no climb had ended, the highest point with
  // FitStatus::failed.
  Progress progress{};
};

struct Parameter {
  std::string name{};
  double estimate = 0;
  std::optional<double> se_hessian{}, se_opg{}, se_robust{};  // absent: held, pinned, fit failed
  std::optional<double> se{};       // the kind asked for
  std::optional<double> t{};        // estimate / se; absent where zero is no hypothesis (nu, sigma2)
  std::optional<double> p_value{};  // two-sided, normal
  bool held = false;
  bool at_bound = false;
};

struct Convergence {
  FitStatus status = FitStatus::not_run;
  std::string why = "estimate() has not been called";
  std::optional<double> gradient_norm;
  int iterations = 0;   // Newton steps from the start that won
  int evaluations = 0;  // likelihood passes in all
  int starts = 0;       // starting points polished
  bool stopped = false;  // as asked, before all starts had been climbed
  // Terms of the mean that kinks of the likelihood hold where shocks are exactly 0; they are at_bound.
  std::vector<std::string> on_kinks{};
};

struct Fit {
  Model model;

  // The data: rows first .. first + count - 1 of a series that many fits may share.
  std::shared_ptr<const Series> series;
  std::size_t first = 0, count = 0;

  std::size_t n = 0;                     // observations present: the n of the criteria
  bool exact = false;                    // exact or conditional likelihood
  std::optional<double> log_likelihood;  // with all constants, natural log
  int estimated = 0;                     // k: parameters that were not held
  std::optional<double> aic, aicc, bic, hqc;

  std::vector<Parameter> parameters;               // in the order of parameter_names(model)
  StandardErrors errors = StandardErrors::robust;  // what was used
  Matrix covariance;  // k_all x k_all of that kind; zero rows: held or pinned
  Convergence convergence;

  std::optional<double> persistence;             // absent for steady
  std::optional<double> half_life;               // periods until half of a shock to h is left
  std::optional<double> unconditional_variance;  // mean of h; unit of the data squared
  // Where the recursion runs in another scale than h's: exp(E ln h) of egarch, (E
  // s^delta)^(2/delta) of aparch.
  std::optional<double> typical_variance;
  // Errors of the four by the delta method from `covariance`; empty where it or they do not exist.
  std::optional<double> persistence_error, half_life_error, unconditional_variance_error,
      typical_variance_error;

  // The filtered path, `count` long. Shocks are errors of the one-step forecasts and 0 where
  // missing; variances are theirs. `counted` tells which rows have a term in the likelihood: not
  // the `lost` first ones, which differencing takes, nor missing ones.
  std::vector<double> deviations, shocks, variances;
  std::vector<unsigned char> counted;
  std::size_t lost = 0;
  double presample = 0;  // mean of e^2, which stands before the sample

  std::vector<Warning> warnings;

  // Converged, or rightly at a boundary.
  [[nodiscard]] bool usable() const;

  // fit["beta1"].estimate: a parameter by its name, as in the model's table. Throws Error
  // (bad_option) with the names that there are.
  [[nodiscard]] const Parameter& operator[](std::string_view name) const;
  [[nodiscard]] bool has(std::string_view name) const;
  [[nodiscard]] std::vector<double> estimates() const;  // in the order of `parameters`

  // The rows that were fitted; none in an empty Fit.
  [[nodiscard]] std::span<const double> data() const {
    if (!series) return {};
    return {series->values.data() + first, count};
  }
  // The window of the series that was fitted, as a Series of its own.
  [[nodiscard]] Series window() const;

  // Whether what is fitted adds up over time, as returns and differences do and a level does not:
  // only then is there a volatility of a year, or of a horizon.
  [[nodiscard]] bool adds_up() const;
  // z_t = e_t / sqrt(h_t), NaN where y is missing.
  [[nodiscard]] Series standardised() const;
};

// Throws Error (bad_option) where the fit does not hold its path; `task` names what it is for.
void require_path(const Fit& fit, std::string_view task);

// What a fit says of each row of its window. Where y is missing, or differencing takes the row,
// only the volatility is there, or nothing.
struct FittedRow {
  std::optional<Timestamp> date;
  std::optional<double> actual, fitted, residual;  // fitted: the forecast from the rows before
  std::optional<double> volatility;                // sd of the residual, known the row before
  std::optional<double> standardised;              // residual / volatility
};
[[nodiscard]] std::vector<FittedRow> fitted_rows(const Fit& fit);

// The fitted equations written out, then each coefficient read in a plain sentence.
[[nodiscard]] std::string equation(const Fit& fit);

// Verdict, estimates with errors, what is doubtful, the certificate.
std::ostream& operator<<(std::ostream& out, const Fit& fit);

}  // namespace brace::inline v0
BRACE_API_END
