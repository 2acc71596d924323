// SPDX-License-Identifier: Apache-2.0
// Which mean equation? Every candidate of a stated set is fitted by exact likelihood and ranked;
// the runners-up stay, with what speaks against each.
//
//   brace::Search found = brace::search(returns, {.most_ar = 5, .most_ma = 5});
//   std::cout << found;       brace::Fit best = found.best();
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <concepts>
#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/progress.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/hypothesis/seasonal_roots.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class Criterion { aic, aicc, bic, hqc };
[[nodiscard]] std::string_view to_string(Criterion criterion);
[[nodiscard]] std::optional<Criterion> criterion_from(std::string_view name);
// Of a fit; empty where it has none.
[[nodiscard]] std::optional<double> value_of(const Fit& fit, Criterion criterion);

// A part of the model line with the values that it holds: 'gjr alpha1=0'.
template <class Part>
struct Holding {
  Part part;
  std::vector<Held> held{};
  template <class From>
  requires std::convertible_to<From, Part>
  Holding(                                         // NOLINT(bugprone-forwarding-reference-overload)
      From&& from, std::vector<Held> values = {})  // NOLINT: a part alone holds nothing
      : part(std::forward<From>(from)), held(std::move(values)) {}
};

struct SearchOptions {
  // ---- The set: all orders from 0 to these ----
  int most_ar = 5, most_ma = 5;
  int most_seasonal_ar = 1, most_seasonal_ma = 1;  // with a period
  std::optional<int> period{};                     // rows in a season; left out: no seasonal terms

  // Differences, plain and of the period; empty lets tests say (suggest_differences).
  std::optional<int> differences{}, seasonal_differences{};

  enum class Constant { both, always, never };
  Constant constant = Constant::both;  // both: without too where the series is differenced

  // Terms that every candidate keeps: trend, harmonics, regressors; and values that are held of
  // them.
  Mean kept{};
  std::vector<Held> held{};

  // Single lags too: those of the best candidate that are not significant are dropped one by one,
  // and those where its residuals stand out are tried; one is taken where its likelihood ratio is
  // significant for the largest of all the lags looked at (Bonferroni).
  bool sparse = false;

  // ---- How it is gone through ----
  Criterion criterion = Criterion::aicc;
  enum class Walk {
    automatic,  // full where that is about a second's work, else stepwise
    full,
    stepwise,  // from small models to better neighbours until there is none
  };
  Walk walk = Walk::automatic;

  // In candidates; `all` is 0, since a walk cannot tell. After a stop search throws Error
  // (stopped).
  Progress progress{};

  // Score by the conditional likelihood, for comparison with models that have a variance equation.
  LikelihoodKind likelihood = LikelihoodKind::automatic;
};

// What every search keeps of a fit.
struct Scored {
  Model model;
  FitStatus status = FitStatus::not_run;
  std::optional<double> log_likelihood, aic, aicc, bic, hqc;
  int estimated = 0;
  // Ljung-Box on the residuals (in its robust form where their squares have memory) and McLeod-Li
  // on their squares.
  std::optional<double> whiteness_p, arch_p;
  std::vector<double> estimates;

  // Whether a lag of the mean has its root on the unit circle, where the likelihood is no longer
  // quadratic and criteria do not compare. Any other bound is an inequality that holds (alpha1 = 0
  // where only falls raise volatility): such a maximum is ranked among the others.
  bool on_circle = false;

  [[nodiscard]] std::optional<double> value(Criterion criterion) const;
  // Ranked by the criterion; apart from them, on the circle; failed: 0, 1, 2.
  [[nodiscard]] int place() const;
};
// `period`: rows in a season, as in CheckOptions.
[[nodiscard]] Scored scored(const Fit& fit, std::optional<int> period = {});

struct MeanCandidate : Scored {
  // Modulus of the AR or MA root nearest to the unit circle, and the smallest distance between an
  // AR and an MA root: near zero the two cancel.
  std::optional<double> nearest_root, cancelling;

  [[nodiscard]] bool white() const { return whiteness_p.value_or(0) > 0.05; }
  // Where terms cancel, apart too.
  [[nodiscard]] int place() const;
};

// A lag at which the residuals of the chosen model stand out.
struct LagProposal {
  int lag = 0;
  double autocorrelation = 0, band = 0;  // 95 %, robust to volatility that clusters
  Model model;                           // with that lag added
  std::optional<double> gain;            // fall of the criterion; negative where it rises
  // Of its likelihood ratio, times the lags looked at.
  std::optional<double> p_value;
};

struct Search {
  Criterion criterion = Criterion::aicc;
  bool stepwise = false;
  Series series;
  Mean kept;  // terms that every candidate has
  // Best first, those with a root on the circle or terms that cancel after all others, failed ones
  // last.
  std::vector<MeanCandidate> candidates;
  // Position of the best one whose roots keep off the unit circle (1.02), if it lies within 4 of
  // the best; else 0. One that stands apart is proposed only where all do, which proposes() tells.
  std::size_t chosen = 0;
  [[nodiscard]] bool proposes() const { return candidates.at(chosen).place() == 0; }
  LikelihoodKind likelihood = LikelihoodKind::automatic;  // of all candidates
  hypothesis::DifferencesSuggested differences;  // what the tests said, where they were asked
  std::vector<LagProposal> proposals;
  int lags_looked_at = 0;  // for the proposals; chance alone gives one in twenty
  std::vector<Warning> warnings;

  // The chosen model fitted again, whole.
  [[nodiscard]] Fit best() const;
};

// Throws Error for an empty set or too few observations. The result does not depend on the number
// of threads.
[[nodiscard]] Search search(const Series& series, const SearchOptions& options = {},
                            const Executor& executor = serial());

// Verdict, the ten best, proposals.
std::ostream& operator<<(std::ostream& out, const Search& search);

}  // namespace brace::inline v0
BRACE_API_END
