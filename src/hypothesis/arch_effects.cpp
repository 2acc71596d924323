// SPDX-License-Identifier: Apache-2.0
// Engle's LM test. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "brace/hypothesis/arch_effects.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/given_or.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/laws/standard.hpp"
#include "brace/series/transform.hpp"
#include "hypothesis/own_lags.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis {

TestResult arch_lm(const Series& series, const ArchLmOptions& options) {
  require_usable(series, 10, "an ARCH-LM test");
  int m = given_or(options.lags, default_whiteness_lags(series.present()), "lags");
  const OwnLags memory = own_lags(series.values, options.mean_lags);
  const auto mean_lags = static_cast<std::size_t>(memory.coefficients.size());
  std::vector<double> e2 = without(memory, series.values);
  if (mean_lags == 0 && options.demean)
    e2 = squares(series).values;
  else
    for (double& v : e2) v *= v;
  std::vector<std::size_t> rows = rows_with_lags(e2, m);
  // Gaps in a short series may leave too few rows for the lags that were not asked for by name.
  while (!options.lags && m > 1 && rows.size() < 3 * static_cast<std::size_t>(m + 1))
    rows = rows_with_lags(e2, --m);
  const auto [X, y] = lag_columns(e2, rows, m);
  const auto N = static_cast<double>(rows.size());
  const maths::Regression fit = maths::regress(X, y);
  // Squares that never vary (a series of +1 and -1) have nothing to explain.
  const double total = (y.array() - y.mean()).square().sum();
  const double r2 = total > 0 ? std::max(0.0, 1 - fit.ssr / total) : 0;

  TestResult test;
  test.test = "arch-lm";
  test.variant = options.f_form ? "F" : "LM";
  test.null = fmt::format("no ARCH effects up to lag {}", m);
  if (mean_lags > 0) test.null += " beside " + text::plural(mean_lags, "own lag", "own lags");
  test.lags = m;
  test.observations = rows.size();
  if (options.f_form) {
    const double rest = N - m - 1;
    test.statistic = (r2 / m) / ((1 - r2) / rest);
    test.dof = {static_cast<double>(m), rest};
    test.p_value = laws::f_tail(test.statistic, m, rest);
  } else {
    test.statistic = N * r2;
    test.dof = {static_cast<double>(m)};
    test.p_value = laws::chi_squared_tail(test.statistic, m);
  }
  test.reading = *test.rejects() ? "volatility clusters: large moves follow large moves"
                                 : "no sign of volatility clustering";
  return test;
}

}  // namespace brace::inline v0::hypothesis
