// SPDX-License-Identifier: Apache-2.0
// Which mean equation? Every candidate of a stated set is fitted by exact likelihood and ranked;
// the runners-up stay, with what speaks against each.
//
//   brace::Search found = brace::search(returns, {.most_ar = 5, .most_ma = 5});
//   std::cout << found;       brace::Fit best = found.best();
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/executor.hpp"
#include "brace/hypothesis/seasonal_roots.hpp"
#include "brace/model/estimate.hpp"

namespace brace {

enum class Criterion { aic, aicc, bic, hqc };
[[nodiscard]] std::string_view to_string(Criterion criterion);
[[nodiscard]] std::optional<Criterion> criterion_from(std::string_view name);
// Of a fit; empty where it has none.
[[nodiscard]] std::optional<double> value_of(const Fit& fit, Criterion criterion);

struct SearchOptions {
  // ---- The set: all orders from 0 to these ----
  int most_ar = 5, most_ma = 5;
  int most_seasonal_ar = 1, most_seasonal_ma = 1;  // with a period
  int period = 0;                                  // rows in a season; 0: no seasonal terms

  // Differences, plain and of the period; empty lets tests say (suggest_differences).
  std::optional<int> differences{}, seasonal_differences{};

  enum class Constant { both, always, never };
  Constant constant = Constant::both;  // both: without too where the series is differenced

  // Terms that every candidate keeps: trend, harmonics, regressors.
  Mean kept{};

  // Single lags too: those of the best candidate that are not significant are dropped one by one,
  // and those where its residuals stand out are tried.
  bool sparse = false;

  // ---- How it is gone through ----
  Criterion criterion = Criterion::aicc;
  enum class Walk {
    automatic,  // full where that is about a second's work, else stepwise
    full,
    stepwise,  // from small models to better neighbours until there is none
  };
  Walk walk = Walk::automatic;

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

  [[nodiscard]] std::optional<double> value(Criterion criterion) const;
  // Inside all bounds, on one, failed: 0, 1, 2. At an edge the likelihood is no longer quadratic,
  // and criteria do not compare: those on one come after.
  [[nodiscard]] int place() const;
};
[[nodiscard]] Scored scored(const Fit& fit);

struct Candidate : Scored {
  // Modulus of the AR or MA root nearest to the unit circle, and the smallest distance between an
  // AR and an MA root: near zero the two cancel.
  std::optional<double> nearest_root, cancelling;

  [[nodiscard]] bool white() const { return whiteness_p.value_or(0) > 0.05; }
};

// A lag at which the residuals of the chosen model stand out.
struct LagProposal {
  int lag = 0;
  double autocorrelation = 0, band = 0;  // 95 %, robust to volatility that clusters
  Model model;                           // with that lag added
  std::optional<double> gain;            // fall of the criterion; negative where it rises
};

struct Search {
  Criterion criterion = Criterion::aicc;
  bool stepwise = false;
  Series series;
  Mean kept;                          // terms that every candidate has
  std::vector<Candidate> candidates;  // best first, those pinned at an edge after all others
  // Position of the best one whose terms do not cancel and whose roots keep off the unit circle, if
  // it lies within 4 of the best; else 0.
  std::size_t chosen = 0;
  DifferencesSuggested differences;  // what the tests said, where they were asked
  std::vector<LagProposal> proposals;
  int lags_looked_at = 0;  // for the proposals; chance alone gives one in twenty
  std::vector<Warning> warnings;

  // The chosen model fitted again, whole.
  [[nodiscard]] Fit best() const;
};

// Throws Error for an empty set or too few observations. The result does not depend on the number
// of threads.
[[nodiscard]] Search search(const Series& series, const SearchOptions& options = {});
[[nodiscard]] Search search(const Series& series, const SearchOptions& options,
                            const Executor& executor);

// Verdict, the ten best, proposals.
std::ostream& operator<<(std::ostream& out, const Search& search);

}  // namespace brace
