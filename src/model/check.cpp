// SPDX-License-Identifier: Apache-2.0
// Residual check of a fit. Covered by tests/model/estimate_test.cpp.
#include "brace/model/check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/text.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/model/model_line.hpp"

namespace brace {
namespace {

// The lag whose autocorrelation stands out most.
std::string largest_lag(const Series& series, int lags) {
  const std::vector<double> r = autocorrelations(series.values, lags);
  const auto most = std::max_element(r.begin(), r.end(),
                                     [](double a, double b) { return std::abs(a) < std::abs(b); });
  return fmt::format("most at lag {} ({})", most - r.begin() + 1, text::fixed(*most, 2));
}

Series squared(Series z) {
  for (double& v : z.values) v *= v;
  return z;
}

}  // namespace

std::string_view to_string(CheckVerdict verdict) {
  switch (verdict) {
    case CheckVerdict::clean: return "clean";
    case CheckVerdict::memory_in_mean: return "memory-in-mean";
    case CheckVerdict::memory_in_variance: return "memory-in-variance";
    case CheckVerdict::memory_in_both: return "memory-in-both";
    case CheckVerdict::not_judged: return "not-judged";
  }
  return "not-judged";
}

Check check(const Fit& fit, const CheckOptions& options) {
  Check out;
  out.model = to_string(fit.model);
  out.warnings = fit.warnings;
  if (!fit.usable()) {
    out.reading = fmt::format("{} is {}: its residuals are not judged", out.model,
                              to_string(fit.convergence.status));
    return out;
  }
  const Series z = fit.standardised();
  const Series z2 = squared(z);
  const int fitted = static_cast<int>(fit.model.mean.ar.size() + fit.model.mean.ma.size());
  const int lags =
      options.lags > 0 ? options.lags : std::max(default_whiteness_lags(z.present()), fitted + 1);

  TestResult of_mean = ljung_box(z, {.lags = lags, .fitted = fitted});
  of_mean.variant = "z";
  of_mean.null = fmt::format("no autocorrelation in z up to lag {}", lags);
  TestResult of_mean_robust = ljung_box_robust(z, {.lags = lags, .fitted = fitted});
  of_mean_robust.variant = "z";
  of_mean_robust.null = of_mean.null;
  TestResult of_squares = ljung_box(z2, {.lags = lags});
  of_squares.test = "mcleod-li";
  of_squares.variant = "z^2, plain";
  of_squares.null = fmt::format("no autocorrelation in z^2 up to lag {}", lags);
  TestResult of_arch = arch_lm(z, {.lags = options.lags, .demean = false});
  of_arch.variant = "z, plain";
  of_arch.null = fmt::format("no ARCH effects in z up to lag {}", *of_arch.lags);
  TestResult of_law = jarque_bera(z);
  of_law.variant = "z";
  of_law.null = "z is normal";

  const bool variance_left = 2 * std::min(*of_squares.p_value, *of_arch.p_value) < 0.05;
  // The plain form takes clustering that is left for memory, so the robust one judges there.
  const bool mean_left = (variance_left ? of_mean_robust : of_mean).rejects().value_or(false);
  out.tests = {std::move(of_mean), std::move(of_mean_robust), std::move(of_squares),
               std::move(of_arch), std::move(of_law)};
  out.verdict = mean_left && variance_left ? CheckVerdict::memory_in_both
                : mean_left                ? CheckVerdict::memory_in_mean
                : variance_left            ? CheckVerdict::memory_in_variance
                                           : CheckVerdict::clean;
  std::vector<std::string> found;
  if (mean_left)
    found.push_back(fmt::format("the residuals still have memory, {}: a lag is missing in the mean",
                                largest_lag(z, lags)));
  if (variance_left)
    found.push_back(
        fmt::format("their squares still have memory, {}: the variance equation misses it",
                    largest_lag(z2, lags)));
  out.reading = found.empty() ? fmt::format("{} leaves no memory in its residuals or their squares",
                                            out.model)
                              : fmt::format("{}: {}", out.model, fmt::join(found, "; "));
  return out;
}

std::ostream& operator<<(std::ostream& out, const Check& check) {
  out << text::wrap(check.reading + ".") << '\n';
  for (const TestResult& test : check.tests)
    out << fmt::format("  {:<18}{:<12}{:>9}  p {:<9}null: {}\n", test.test, test.variant,
                       text::significant(test.statistic, 4),
                       text::p_value(test.p_value, test.p_floor), test.null);
  if (!check.tests.empty()) {
    out << "\n  A small p speaks against the null of its row. Plain forms reject too seldom after "
           "a\n"
           "  variance equation; jarque-bera informs, it does not enter the verdict.\n";
  }
  for (const Warning& warning : check.warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
