// SPDX-License-Identifier: Apache-2.0
// The first look. Covered by tests/hypothesis/inspection_test.cpp.
#include "brace/hypothesis/inspection.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "brace/base/text.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/whiteness.hpp"

namespace brace {
namespace {

// Share of exact zeros from which a return series looks flat or filled.
constexpr double kManyZeros = 0.10;
// A level with a unit root has a first autocorrelation above this in any sample worth testing.
constexpr double kLevelLike = 0.9;

std::string read(const Inspection& i, bool memory, bool clusters) {
  const std::string_view tails =
      i.moments.excess_kurtosis > 1 ? "heavy tails" : "tails near the normal";
  return fmt::format("{}: {}, {} from one {} to the next, {}", i.name, tails,
                     memory ? "memory" : "no clear memory", i.period,
                     clusters ? "and volatility that clusters" : "and steady volatility");
}

}  // namespace

Inspection inspect(const Series& series, int lags) {
  require_usable(series, 20, "a first look");
  Inspection out;
  out.name = series.name;
  out.unit = series.unit;
  out.period = series.period();
  out.moments = moments(series);
  out.tests = {mean_zero(series),
               jarque_bera(series),
               ljung_box(series, {.lags = lags}),
               ljung_box_robust(series, {.lags = lags}),
               mcleod_li(series, {.lags = lags}),
               arch_lm(series, {.lags = lags})};
  // The robust form decides: the plain one takes clustering for memory.
  out.reading = read(out, *out.tests[3].rejects(), *out.tests[5].rejects());

  out.warnings = data_warnings(series);
  return out;
}

std::vector<Warning> data_warnings(const Series& series) {
  std::vector<Warning> warnings;
  const std::size_t n = series.present();
  const bool returns = series.kind == Kind::log_return || series.kind == Kind::simple_return;
  if (!returns && n >= 50 && autocorrelations(series.values, 1)[0] > kLevelLike) {
    const TestResult level = adf(series, {});
    if (*level.p_value > 0.10)
      warnings.push_back(
          {WarningCode::level_modelled,
           fmt::format(
               "a unit root in {} is not rejected (adf p {}), and then tests and models of it mean "
               "little; take returns with --returns log, or first run brace unitroot",
               series.name, text::p_value(level.p_value, level.p_floor))});
  }
  const auto zeros =
      static_cast<std::size_t>(std::count(series.values.begin(), series.values.end(), 0.0));
  if (static_cast<double>(zeros) > kManyZeros * static_cast<double>(n))
    warnings.push_back(
        {WarningCode::zero_returns_many,
         fmt::format("{} of {} values are exactly 0; days without trading should be dropped "
                     "(--drop-zero volume)",
                     text::count(zeros), text::count(n))});
  return warnings;
}

std::ostream& operator<<(std::ostream& out, const Inspection& inspection) {
  const Moments& m = inspection.moments;
  out << text::wrap(text::sentence(inspection.reading) + ".") << '\n'
      << fmt::format("  {} observations{}\n", text::count(m.n),
                     inspection.unit.empty()
                         ? ""
                         : fmt::format(", in {} a {}", inspection.unit, inspection.period))
      << fmt::format("  mean {}, median {}, standard deviation {}\n", text::significant(m.mean, 3),
                     text::significant(m.median, 3), text::significant(m.sd, 4))
      << fmt::format("  least {}, most {}; skewness {}, excess kurtosis {}\n\n",
                     text::significant(m.min, 4), text::significant(m.max, 4),
                     text::fixed(m.skewness, 2), text::fixed(m.excess_kurtosis, 2));
  for (const TestResult& test : inspection.tests)
    out << fmt::format("  {:<17}{:>9}  p {:<9}null: {}\n", test.test,
                       text::significant(test.statistic, 4),
                       text::p_value(test.p_value, test.p_floor), test.null);
  out << "\n  A small p speaks against the null of its row.\n";
  for (const Warning& warning : inspection.warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
