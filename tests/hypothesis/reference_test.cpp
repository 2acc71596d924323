// SPDX-License-Identifier: Apache-2.0
// Tests and moments against the known answers.
#include <gtest/gtest.h>

#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/memory.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/series/transform.hpp"
#include "support/known_answers.hpp"

namespace brace {
namespace {

using test::expect_close;
using test::Json;
using test::terms_of;
using test::Tolerance;

TEST(Reference, AutocorrelationsAndPortmanteau) {
  const Json answer = test::known_answer("o01");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  const LagTable table = lag_table(y, answer["options"]["lags"]);
  for (std::size_t k = 0; k < table.rows.size(); ++k) {
    expect_close(table.rows[k].acf, answer["expected"]["acf"][k], tol.abs, tol.rel, "acf");
    expect_close(table.rows[k].pacf, answer["expected"]["pacf"][k], tol.abs, tol.rel, "pacf");
  }
  for (const Json& c : answer["expected"]["portmanteau"]) {
    const hypothesis::WhitenessOptions options{.lags = c["lag"], .fitted = c["fitted"]};
    const TestResult lb = hypothesis::ljung_box(y, options),
                     bp = hypothesis::box_pierce(y, options);
    EXPECT_EQ(lb.dof[0], c["dof"].get<double>());
    expect_close(lb.statistic, c["ljung_box"], tol.abs, tol.rel, "ljung-box");
    expect_close(*lb.p_value, c["ljung_box_p"], tol.abs, tol.rel, "ljung-box p");
    expect_close(bp.statistic, c["box_pierce"], tol.abs, tol.rel, "box-pierce");
    expect_close(*bp.p_value, c["box_pierce_p"], tol.abs, tol.rel, "box-pierce p");
  }
  for (const Json& c : answer["expected"]["mcleod_li"]) {
    const TestResult ml = hypothesis::mcleod_li(y, {.lags = c["lag"]});
    expect_close(ml.statistic, c["statistic"], tol.abs, tol.rel, "mcleod-li");
    expect_close(*ml.p_value, c["p"], tol.abs, tol.rel, "mcleod-li p");
  }
}

TEST(Reference, LocalWhittle) {
  const Json answer = test::known_answer("o52");
  const Tolerance tol(answer);
  Series sizes = test::series_of(answer);
  const Series demeaned_first = absolute_values(sizes);
  for (double& v : sizes.values) v = std::abs(v);
  for (const auto& [name, series] : {std::pair{"local_whittle", sizes},
                                     std::pair{"local_whittle_y_demeaned_first", demeaned_first}}) {
    const Json& want = answer["expected"][name];
    const MemoryEstimate got = local_whittle(series);
    EXPECT_EQ(got.bandwidth, want["m"].get<int>());
    EXPECT_EQ(got.observations, want["n"].get<std::size_t>());
    EXPECT_NEAR(got.d, want["d"], answer["tolerance"]["d_abs"]) << name;
    expect_close(got.se, want["se"], tol.abs, tol.rel, "se");
    expect_close(got.objective, want["objective"], tol.abs, tol.rel, "objective");
  }
}

TEST(Reference, Moments) {
  const Json answer = test::known_answer("o02");
  const Tolerance tol(answer);
  const Json& want = answer["expected"];
  const Series y = test::series_of(answer);
  const Moments m = moments(y);
  EXPECT_EQ(m.n, want["n"].get<std::size_t>());
  for (const auto& [name, got] :
       {std::pair{"mean", m.mean}, std::pair{"sd", m.sd}, std::pair{"min", m.min},
        std::pair{"max", m.max}, std::pair{"median", m.median}, std::pair{"skewness", m.skewness},
        std::pair{"excess_kurtosis", m.excess_kurtosis},
        std::pair{"jarque_bera", hypothesis::jarque_bera(y).statistic},
        std::pair{"jarque_bera_p", *hypothesis::jarque_bera(y).p_value}})
    expect_close(got, want[name], tol.abs, tol.rel, name);
}

TEST(Reference, ArchLm) {
  const Json answer = test::known_answer("o03");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"]) {
    const TestResult lm = hypothesis::arch_lm(y, {.lags = c["lag"]}),
                     f = hypothesis::arch_lm(y, {.lags = c["lag"], .f_form = true});
    EXPECT_EQ(lm.observations, c["N"].get<std::size_t>());
    expect_close(lm.statistic, c["lm"], tol.abs, tol.rel, "LM");
    expect_close(*lm.p_value, c["lm_p"], tol.abs, tol.rel, "LM p");
    expect_close(f.statistic, c["f"], tol.abs, tol.rel, "F");
    expect_close(*f.p_value, c["f_p"], tol.abs, tol.rel, "F p");
    EXPECT_EQ(f.dof[1], c["f_dof"][1].get<double>());
  }
}

// The file's p-values and critical values are MacKinnon's, ours come from the surfaces: .005 apart
// at most.
void expect_adf(const TestResult& got, const Json& want, const Tolerance& tol) {
  const std::string what =
      want["det"].get<std::string>() + " k " + std::to_string(want["k"].get<int>());
  EXPECT_EQ(got.lags, want["k"].get<int>()) << what;
  EXPECT_EQ(got.observations, want["N"].get<std::size_t>()) << what;
  expect_close(got.statistic, want["tau"], tol.abs, tol.rel, what);
  EXPECT_NEAR(*got.p_value, want["p"].get<double>(), .005) << what;
  EXPECT_NEAR(got.critical->at_1, want["crit"]["1%"].get<double>(), .005) << what;
  // Another response surface of the same law: the third decimal differs.
  EXPECT_NEAR(got.critical->at_5, want["crit"]["5%"].get<double>(), .005) << what;
  EXPECT_NEAR(got.critical->at_10, want["crit"]["10%"].get<double>(), .005) << what;
}

TEST(Reference, AdfWithFixedLags) {
  const Json answer = test::known_answer("o04");
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"])
    expect_adf(
        hypothesis::adf(
            y, {.deterministic = terms_of(c), .rule = hypothesis::LagRule::fixed, .lags = c["k"]}),
        c, Tolerance(answer));
}

TEST(Reference, AdfWithChosenLags) {
  const Json answer = test::known_answer("o05");
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"])
    expect_adf(hypothesis::adf(y, {.deterministic = terms_of(c),
                                   .rule = c["criterion"] == "AIC" ? hypothesis::LagRule::aic
                                                                   : hypothesis::LagRule::bic}),
               c, Tolerance(answer));
}

TEST(Reference, Kpss) {
  const Json answer = test::known_answer("o07");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"]["tests"]) {
    const TestResult t = hypothesis::kpss(
        y, {.with_trend = c["kind"] == "trend", .bandwidth = c["bandwidth"].get<int>()});
    EXPECT_EQ(t.variant, c["kind"]);
    expect_close(t.statistic, c["eta"], tol.abs, tol.rel, "eta");
    EXPECT_NEAR(*t.p_value, c["p"].get<double>(), answer["tolerance"]["p_abs"].get<double>());
  }
}

}  // namespace
}  // namespace brace
