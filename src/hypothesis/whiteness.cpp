// SPDX-License-Identifier: Apache-2.0
// Portmanteau tests on the lag table. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "brace/hypothesis/whiteness.hpp"

#include <fmt/format.h>

#include "base/given_or.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/laws/standard.hpp"
#include "brace/series/transform.hpp"

namespace brace::inline v0::hypothesis {
namespace {

TestResult portmanteau(const Series& series, const WhitenessOptions& options, std::string id,
                       std::string of, double (*statistic)(const LagTable&)) {
  require_usable(series, 5, "a portmanteau test");
  const int lags = given_or(options.lags, default_whiteness_lags(series.present()), "lags");
  const LagTable table = lag_table(series, lags, options.fitted);
  TestResult test;
  test.test = std::move(id);
  test.variant = of;
  test.null = fmt::format("no autocorrelation in the {} up to lag {}", of, lags);
  test.statistic = statistic(table);
  test.lags = lags;
  test.observations = table.observations;
  const int dof = lags - options.fitted;
  test.dof = {static_cast<double>(dof)};
  if (dof < 1) {
    test.reading = fmt::format("no p-value: {} fitted terms leave no degrees of freedom at lag {}",
                               options.fitted, lags);
    return test;
  }
  test.p_value = laws::chi_squared_tail(test.statistic, dof);
  test.reading = *test.rejects() ? fmt::format("there is memory in the {}", of)
                                 : fmt::format("no sign of memory in the {}", of);
  return test;
}

double q_of(const LagTable& table) {
  return table.rows.back().q;
}

}  // namespace

TestResult ljung_box(const Series& series, const WhitenessOptions& options) {
  return portmanteau(series, options, "ljung-box", "values", q_of);
}

TestResult ljung_box_robust(const Series& series, const WhitenessOptions& options) {
  return portmanteau(series, options, "ljung-box-robust", "values",
                     [](const LagTable& table) { return table.rows.back().q_robust; });
}

TestResult box_pierce(const Series& series, const WhitenessOptions& options) {
  return portmanteau(series, options, "box-pierce", "values", [](const LagTable& table) {
    double sum = 0;
    for (const LagRow& row : table.rows) sum += row.acf * row.acf;
    return static_cast<double>(table.observations) * sum;
  });
}

TestResult mcleod_li(const Series& series, const WhitenessOptions& options) {
  require_usable(series, 5, "a portmanteau test");
  return portmanteau(squares(series), options, "mcleod-li", "squares", q_of);
}

}  // namespace brace::inline v0::hypothesis
