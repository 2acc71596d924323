// SPDX-License-Identifier: Apache-2.0
// DF-GLS, M tests, point-optimal test. Covered by tests/hypothesis/unit_root_test.cpp.
#include "brace/hypothesis/gls_unit_root.hpp"

#include <fmt/format.h>

#include "brace/base/error.hpp"
#include "hypothesis/by_law.hpp"
#include "hypothesis/unit_root_statistics.hpp"

namespace brace::inline v0::hypothesis {
namespace {

using laws::SimulatedLaw;

struct Prepared {
  std::vector<double> values;     // gaps closed
  std::vector<double> detrended;  // by GLS
  unit_root::Autoregression fit;  // of the detrended values
  int lags = 0;
  int n = 0;
};

Prepared prepare(const Series& series, const GlsOptions& options, const std::string& test) {
  require_usable(series, 28, test + " test");
  if (options.deterministic == Deterministic::none)
    throw Error(ErrorCode::bad_option,
                fmt::format("deterministic = none: {} test takes constant or trend", test));
  Prepared p;
  p.values = series.present_values();
  p.n = static_cast<int>(p.values.size());
  // a = 0 makes the GLS detrending an ordinary one.
  const std::vector<double> plain = unit_root::gls_detrend(p.values, options.deterministic, 0).y;
  p.lags = unit_root::lags_for(plain, Deterministic::none, options.rule, options.lags,
                               options.max_lags, test);
  const double a = 1 + unit_root::local_alternative(options.deterministic) / p.n;
  p.detrended = unit_root::gls_detrend(p.values, options.deterministic, a).y;
  p.fit = unit_root::autoregress(p.detrended, p.lags, Deterministic::none, p.lags);
  if (!(p.fit.error > 0) || !(unit_root::spectrum_at_zero(p.fit) > 0))
    throw Error(ErrorCode::constant_series,
                fmt::format("{}: the regression of {} test is collinear; take fewer lags",
                            series.name, test));
  return p;
}

// The law of lags as given, and that of lags by maic with the default bound, from `least` points.
struct Laws {
  SimulatedLaw constant, trend, maic_constant, maic_trend;
};

TestResult result(const std::string& id, const std::string& variant, double statistic,
                  const Laws& laws, const Prepared& p, const GlsOptions& options) {
  const SimulatedLaw with_maic =
      unit_root::law_with(laws.maic_constant, laws.maic_trend, options.deterministic);
  const bool maic =
      options.rule == LagRule::maic && !options.max_lags && p.n >= laws::least_T(with_maic);
  TestResult test = unit_root::by_law(
      id, variant, statistic,
      maic ? with_maic : unit_root::law_with(laws.constant, laws.trend, options.deterministic),
      p.n);
  test.observations = p.fit.rows;
  test.lags = p.lags;
  test.deterministic = options.deterministic;
  return test;
}

}  // namespace

TestResult df_gls(const Series& series, const GlsOptions& options) {
  const Prepared p = prepare(series, options, "a DF-GLS");
  using enum SimulatedLaw;
  return result("df-gls", "t", p.fit.t(),
                {df_gls_constant, df_gls_trend, maic_df_gls_constant, maic_df_gls_trend}, p,
                options);
}

std::vector<TestResult> ng_perron(const Series& series, const GlsOptions& options) {
  const Prepared p = prepare(series, options, "an Ng-Perron");
  const unit_root::NgPerron m =
      unit_root::ng_perron(p.detrended, options.deterministic, unit_root::spectrum_at_zero(p.fit));
  using enum SimulatedLaw;
  const auto of = [&](const char* variant, double statistic, const Laws& laws) {
    return result("ng-perron", variant, statistic, laws, p, options);
  };
  return {of("MZa", m.mza, {mza_constant, mza_trend, maic_mza_constant, maic_mza_trend}),
          of("MZt", m.mzt, {mzt_constant, mzt_trend, maic_mzt_constant, maic_mzt_trend}),
          of("MSB", m.msb, {msb_constant, msb_trend, maic_msb_constant, maic_msb_trend}),
          of("MPT", m.mpt, {mpt_constant, mpt_trend, maic_mpt_constant, maic_mpt_trend})};
}

TestResult point_optimal(const Series& series, const GlsOptions& options) {
  const Prepared p = prepare(series, options, "a point-optimal");
  const double statistic =
      unit_root::point_optimal(p.values, options.deterministic, unit_root::spectrum_at_zero(p.fit));
  using enum SimulatedLaw;
  return result("point-optimal", "P_T", statistic,
                {point_optimal_constant, point_optimal_trend, maic_point_optimal_constant,
                 maic_point_optimal_trend},
                p, options);
}

}  // namespace brace::inline v0::hypothesis
