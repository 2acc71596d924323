// SPDX-License-Identifier: Apache-2.0
// The likelihood against second formulations: derivatives against a differentiating type, values
// against the definition written out, the fast kernel against the general one.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "families/variance_family.hpp"
#include "likelihood/joint_passes.hpp"
#include "support/dual.hpp"

namespace brace::inline v0 {

BRACE_STAGES_OF(Dual);

}  // namespace brace::inline v0

namespace brace {
namespace {

struct Case {
  const char* name;
  const char* line;
  bool gaps;
};
void PrintTo(const Case& c, std::ostream* out) {
  *out << c.line << (c.gaps ? " with gaps" : "");
}

class Derivative : public testing::TestWithParam<Case> {
 protected:
  static constexpr std::size_t kRows = 400;

  // Some data with volatility of its own; the parameters need not fit it.
  static std::vector<double> data(bool gaps) {
    std::vector<double> y =
        simulate(parse_model("const / garch / student"), {.1, .05, .1, .85, 6}, kRows, {.seed = 8})
            .values;
    if (gaps)
      for (const std::size_t t : {std::size_t{0}, std::size_t{63}, std::size_t{64}, std::size_t{65},
                                  std::size_t{200}, kRows - 1})
        y[t] = std::numeric_limits<double>::quiet_NaN();
    return y;
  }

  // Random admissible parameters: a range for each name, those of the family first.
  static std::vector<double> point(const Model& model, maths::RandomStream& stream) {
    struct Range {
      const char* stem;
      double low, high;
    };
    std::vector<Range> ranges;
    if (std::holds_alternative<Gjr>(model.variance)) ranges = {{"gamma", 0, .3}};
    if (std::holds_alternative<TwoComponents>(model.variance))
      ranges = {{"alpha", .05, .15}, {"beta", .3, .6}};
    if (std::holds_alternative<LongMemory>(model.variance)) ranges = {{"beta", .2, .4}};
    if (std::holds_alternative<Ged>(model.shocks)) ranges.push_back({"nu", 1.1, 3.1});
    ranges.insert(
        ranges.end(),
        {{"mu", -.2, .2},     {"ar", -.3, .3},        {"ma", -.3, .3},       {"sar", -.3, .3},
         {"sma", -.3, .3},    {"trend", -1e-3, 1e-3}, {"cos", -.2, .2},      {"sin", -.2, .2},
         {"risk", -.1, .1},   {"omega", .02, 1.02},   {"sigma2", .02, 1.02}, {"alpha", 0, .3},
         {"beta", 0, .6},     {"gamma", -.2, .2},     {"vwith", 0, .1},      {"delta", 1.2, 2.2},
         {"rho", .9, .99},    {"phi1", .1, .2},       {"phi", 0, .2},        {"d", .4, .5},
         {"weight", .8, .99}, {"nu", 2.2, 32},        {"skew", -.3, .3}});
    std::vector<double> theta;
    for (const std::string& name : parameter_names(model).all()) {
      const auto range = std::find_if(ranges.begin(), ranges.end(),
                                      [&](const Range& r) { return name.starts_with(r.stem); });
      theta.push_back(range->low + (range->high - range->low) * stream.uniform());
    }
    return theta;
  }
};

TEST_P(Derivative, GradientAndHessianAgreeWithADifferentiatingType) {
  const Model model = parse_model(GetParam().line);
  const std::vector<double> y = data(GetParam().gaps);
  Series series = make_series(y);
  series.companions = {{"x", std::vector<double>(y.size())}};
  for (std::size_t t = 0; t < y.size(); ++t)
    series.companions[0].values[t] = t % 7 == 0 ? 1 + 0.01 * static_cast<double>(t) : 0;
  const MeanData rows = mean_data(model, series);
  JointLikelihood<double> plain(model, rows);
  JointLikelihood<Dual> differentiating(model, rows);
  const std::size_t k = plain.parameters();
  ASSERT_LE(k, Dual::kVariables);
  maths::RandomStream stream(21, 0);
  double worst = 0;
  for (int trial = 0; trial < 5; ++trial) {
    const std::vector<double> theta = point(model, stream);
    std::vector<Dual> dual;
    for (std::size_t j = 0; j < k; ++j) dual.push_back(Dual::variable(theta[j], j));
    const Derivatives<double> got = plain.evaluate(theta, Order::hessian);
    const Derivatives<Dual> value = differentiating.evaluate(dual, Order::value);
    const Derivatives<Dual> gradient = differentiating.evaluate(dual, Order::gradient);
    ASSERT_TRUE(got.admitted && value.admitted && gradient.admitted);
    const double n = static_cast<double>(plain.observed());
    EXPECT_NEAR(got.log_likelihood, value.log_likelihood.v, 1e-9 * n);
    double size = std::sqrt(n);
    for (std::size_t j = 0; j < k; ++j) size = std::max(size, std::abs(value.log_likelihood.d[j]));
    for (std::size_t j = 0; j < k; ++j) {
      EXPECT_NEAR(got.gradient[j], value.log_likelihood.d[j], 1e-7 * size) << "parameter " << j;
      worst = std::max(worst, std::abs(got.gradient[j] - value.log_likelihood.d[j]) / size);
      for (std::size_t i = 0; i <= j; ++i) {
        // Both routes sum n terms; their rounding grows with the largest of them, not with the sum.
        const double want = gradient.gradient[j].d[i];
        EXPECT_NEAR(got.hessian[packed(j, i)], want, 1e-8 * (std::abs(want) + n)) << j << "," << i;
      }
    }
    // Scores are the gradient, row by row.
    const std::vector<double> scores = plain.scores(theta);
    for (std::size_t j = 0; j < k; ++j) {
      double sum = 0;
      for (std::size_t t = 0; t < y.size(); ++t) sum += scores[t * k + j];
      EXPECT_NEAR(sum, got.gradient[j], 1e-9 * size);
    }
  }
  fmt::print("  gradient within {:.0e} max(|g|, sqrt n)\n", worst);
}

INSTANTIATE_TEST_SUITE_P(
    Models, Derivative,
    testing::Values(Case{"steady", "const", false}, Case{"zero_steady", "zero", false},
                    Case{"garch", "const / garch", false},
                    Case{"zero_garch", "zero / garch", false},
                    Case{"garch_student", "const / garch / student", false},
                    Case{"steady_student", "const / steady / student", false},
                    Case{"arch3", "const / arch e1..3", false},
                    Case{"sparse_garch", "const / garch e2,5 h1,3", false},
                    Case{"ar_garch", "const ar1 / garch / student", false},
                    Case{"arma_garch", "const ar1 ma1 / garch", false},
                    Case{"sparse_arma", "zero ar1,7 ma2 / garch / student", false},
                    Case{"arma_steady", "const ar2 ma1,3", false},
                    Case{"seasonal_garch", "const ar1 ma1 sar12 sma12 / garch", false},
                    Case{"seasonal_gaps", "const ar1 ma1 sar12 sma12 / garch", true},
                    Case{"regression_garch", "const trend ar1 harmonics 12:1 / garch", false},
                    Case{"regression_gaps", "const trend ar1 harmonics 12:1 / garch", true},
                    Case{"garch_gaps", "const / garch / student", true},
                    Case{"arma_gaps", "const ar1,2 ma1 / garch", true},
                    Case{"arch_gaps", "zero ma1 / arch e1,2 / student", true},
                    Case{"steady_gaps", "const ar1", true}, Case{"gjr", "const / gjr", false},
                    Case{"gjr_gaps", "const ar1 / gjr e1,3 h1,2 / skew-student", true},
                    Case{"igarch", "const / igarch e1,2 h1,3", false},
                    Case{"igarch_gaps", "const ma1 / igarch / student", true},
                    Case{"ewma", "const / ewma", false}, Case{"egarch", "const / egarch", false},
                    Case{"egarch_student", "const ar1 / egarch e1,2 h1 / student", false},
                    Case{"egarch_ged_gaps", "const / egarch h1,2 / ged", true},
                    Case{"egarch_skew", "zero / egarch / skew-student", true},
                    Case{"aparch", "const / aparch", false},
                    Case{"aparch_student", "const ar1 / aparch e1,2 h1 / student", false},
                    Case{"aparch_gaps", "const / aparch / ged", true},
                    Case{"aparch_skew_gaps", "zero / aparch / skew-student", true},
                    Case{"twocomp", "const / twocomp", false},
                    Case{"twocomp_gaps", "const ar1 / twocomp / student", true},
                    Case{"longmem", "const / longmem", false},
                    Case{"longmem_gaps", "const ma1 / longmem / ged", true},
                    Case{"ged", "const / garch / ged", false},
                    Case{"skew", "const ar1 / garch / skew-student", false},
                    Case{"skew_gaps", "const / garch / skew-student", true},
                    Case{"steady_skew", "const / steady / skew-student", false},
                    Case{"risk", "const risk sd / garch / student", false},
                    Case{"risk_arma", "const ar1 ma1 risk variance / gjr", false},
                    Case{"risk_gaps", "const ar1 risk sd / garch", true},
                    Case{"risk_egarch", "const risk sd / egarch / student", false},
                    Case{"risk_aparch", "const ar1 risk variance / aparch", false},
                    Case{"risk_twocomp", "zero risk sd / twocomp", false},
                    Case{"risk_longmem", "const risk sd / longmem", false},
                    Case{"columns", "const / garch vwith x / student", false},
                    Case{"columns_gaps", "const / gjr vwith x", true},
                    Case{"columns_egarch", "const / egarch vwith x", false},
                    Case{"columns_aparch", "const / aparch vwith x", false},
                    Case{"columns_twocomp", "const / twocomp vwith x", false},
                    Case{"columns_ewma", "zero / ewma vwith x", false}),
    [](const auto& i) { return i.param.name; });

// The definition, row by row, in O(n^2) where that is natural; shares nothing with the kernels.
double by_definition(const std::vector<double>& y, double mu, double ar, double ma, double omega,
                     double alpha, double beta, double nu) {
  const std::size_t n = y.size();
  std::vector<double> e(n), h(n);
  for (std::size_t t = 0; t < n; ++t)
    e[t] = (y[t] - mu) - (t > 0 ? ar * (y[t - 1] - mu) + ma * e[t - 1] : 0);
  double m = 0;
  for (const double v : e) m += v * v / static_cast<double>(n);
  double log_likelihood = 0;
  for (std::size_t t = 0; t < n; ++t) {
    // h[t] = beta^{t+1} m + sum_{j=0..t} beta^j (omega + alpha e[t-1-j]^2), e[-1]^2 = m
    h[t] = std::pow(beta, static_cast<double>(t + 1)) * m;
    for (std::size_t j = 0; j <= t; ++j)
      h[t] += std::pow(beta, static_cast<double>(j)) *
              (omega + alpha * (j == t ? m : e[t - 1 - j] * e[t - 1 - j]));
    const double scale = std::sqrt(h[t] * (nu - 2) / nu), x = e[t] / scale;
    log_likelihood += std::lgamma((nu + 1) / 2) - std::lgamma(nu / 2) - .5 * std::log(nu * M_PI) -
                      std::log(scale) - (nu + 1) / 2 * std::log1p(x * x / nu);
  }
  return log_likelihood;
}

TEST(Likelihood, IsTheDefinitionWrittenOut) {
  const std::vector<double> y =
      simulate(parse_model("const / garch / student"), {.1, .05, .1, .85, 6}, 300, {.seed = 8})
          .values;
  JointLikelihood<double> likelihood(parse_model("const ar1 ma1 / garch / student"), y);
  const std::vector<double> theta{.2, .3, -.2, .1, .15, .7, 5};
  EXPECT_NEAR(likelihood.evaluate(theta, Order::value).log_likelihood,
              by_definition(y, .2, .3, -.2, .1, .15, .7, 5), 1e-9);
}

// The kernel for garch e1 h1 against the general one, which a spare lag held at zero brings in.
TEST(Likelihood, TheFastKernelEqualsTheGeneralOne) {
  const std::vector<double> y =
      simulate(parse_model("const / garch"), {.1, .05, .1, .85}, 500, {.seed = 9}).values;
  JointLikelihood<double> fast(parse_model("const / garch"), y),
      general(parse_model("const / garch e1,2 h1"), y);
  const std::vector<double> theta{.1, .06, .12, .8}, padded{.1, .06, .12, 0, .8};
  const std::size_t at[] = {0, 1, 2, 4};
  for (const Order order : {Order::value, Order::gradient, Order::scoring, Order::hessian}) {
    const Derivatives<double> a = fast.evaluate(theta, order), b = general.evaluate(padded, order);
    EXPECT_NEAR(a.log_likelihood, b.log_likelihood, 1e-10);
    for (std::size_t j = 0; j < 4 && order != Order::value; ++j) {
      EXPECT_NEAR(a.gradient[j] / b.gradient[at[j]], 1, 1e-10);
      for (std::size_t i = 0; i <= j; ++i) {
        if (order == Order::hessian) {
          // Sums in another order.
          EXPECT_NEAR(a.hessian[packed(j, i)], b.hessian[packed(at[j], at[i])], 1e-7);
        }
        if (order == Order::scoring) {
          EXPECT_NEAR(a.information[packed(j, i)], b.information[packed(at[j], at[i])], 1e-7);
        }
      }
    }
  }
}

// At the true parameters the mean of -Hessian over many series tends to the expected information.
TEST(Likelihood, InformationIsTheMeanOfMinusTheHessian) {
  const Model model = parse_model("const / garch / student");
  const std::vector<double> theta{.05, .1, .1, .8, 7};
  constexpr int series = 60, rows = 2000, k = 5;
  std::vector<double> information(packed_size(k)), hessian(packed_size(k)), squares(packed_size(k));
  for (int s = 0; s < series; ++s) {
    JointLikelihood<double> likelihood(
        model,
        simulate(model, theta, rows, {.seed = 31, .stream = static_cast<std::uint64_t>(s)}).values);
    const auto h = likelihood.evaluate(theta, Order::hessian),
               i = likelihood.evaluate(theta, Order::scoring);
    for (std::size_t r = 0; r < information.size(); ++r) {
      const double gap = -h.hessian[r] - i.information[r];
      information[r] += i.information[r] / series;
      hessian[r] += gap / series;
      squares[r] += gap * gap / series;
    }
  }
  for (std::size_t r = 0; r < information.size(); ++r) {
    // Mean gap within 4.5 of its own Monte Carlo errors: two-sided p 7e-6 each.
    const double error = std::sqrt((squares[r] - hessian[r] * hessian[r]) / series);
    EXPECT_NEAR(hessian[r], 0, 4.5 * error + 1e-9) << "element " << r << " of " << information[r];
  }
}

TEST(LogSum, IsTheSumOfLogarithmsAtAnyScale) {
  maths::RandomStream stream(2, 0);
  for (const double exponent : {0.0, -12.0, 12.0, -60.0, 60.0, -150.0, 150.0}) {
    LogSum<double> one, four;
    double want = 0;
    for (int i = 0; i < 400; ++i) {
      double factors[4];
      for (double& f : factors) {
        f = (.5 + stream.uniform()) * std::pow(10.0, exponent * stream.uniform());
        want += std::log(f);
        one.add(f);
      }
      four.add(factors[0], factors[1], factors[2], factors[3]);
    }
    // 1,600 terms of size up to 345: rounding of the plain sum itself is the larger part.
    EXPECT_NEAR(one.total(), want, 1e-9) << exponent;
    EXPECT_NEAR(four.total(), want, 1e-9) << exponent;
  }
}

// In whatever unit the data come: c y has the log-likelihood of y less n ln c.
TEST(Likelihood, FarScalesKeepTheirDigits) {
  std::vector<double> y =
      simulate(parse_model("const / garch"), {.1, .05, .1, .85}, 300, {.seed = 9}).values;
  const std::vector<double> theta{.1, .06, .12, .8};
  const double base = JointLikelihood<double>(parse_model("const / garch"), y)
                          .evaluate(theta, Order::value)
                          .log_likelihood;
  for (const double c : {1e-30, 1e-6, 1e6, 1e30}) {
    std::vector<double> scaled = y;
    for (double& v : scaled) v *= c;
    const auto d = JointLikelihood<double>(parse_model("const / garch"), scaled)
                       .evaluate(std::vector<double>{.1 * c, .06 * c * c, .12, .8}, Order::value);
    ASSERT_TRUE(d.admitted) << c;
    EXPECT_NEAR(d.log_likelihood + 300 * std::log(c), base, 1e-9) << c;
  }
}

// A component that is left alone may be the short or the long one: parameters far apart, one
// variance.
TEST(Twins, OfTwoComponentsHaveNearlyOneLikelihood) {
  const Model model = parse_model("zero / twocomp");
  const auto twins = [&](const std::vector<double>& theta) {
    return variance_family(model.variance).twins(model, theta);
  };
  for (const std::vector<double>& theta :
       {std::vector<double>{2e-3, 0, .5, .998, .08}, {1e-5, .08, .915, .9999, 0}}) {
    const Series y = simulate(model, theta, 3000, {.seed = 19});
    ASSERT_EQ(twins(theta).size(), 1U);
    const std::vector<double> twin = twins(theta).front();
    JointLikelihood<double> likelihood(model, y.values);
    const double here = likelihood.evaluate(theta, Order::value).log_likelihood,
                 there = likelihood.evaluate(twin, Order::value).log_likelihood;
    // Twins mean nearly the same, not the same: of 3,000 rows.
    EXPECT_NEAR(here, there, 10);
    // Half of the shocks' effect is no twin.
    std::vector<double> other = theta;
    other[1] /= 2;
    other[4] /= 2;
    EXPECT_GT(here - likelihood.evaluate(other, Order::value).log_likelihood, 20);
  }
  EXPECT_TRUE(twins({.02, .05, .6, .99, .03}).empty());
  EXPECT_TRUE(variance_family(Garch{}).twins(model, std::vector<double>{.1, .1, .8}).empty());
}

TEST(Likelihood, RefusesParametersWithoutAPositiveVariance) {
  JointLikelihood<double> likelihood(parse_model("const / garch"),
                                     std::vector<double>{1, -1, 2, .5});
  EXPECT_FALSE(likelihood.evaluate(std::vector<double>{0, -1, .1, .1}, Order::hessian).admitted);
}

}  // namespace
}  // namespace brace
