// SPDX-License-Identifier: Apache-2.0
// The evaluator gives the likelihood of evaluate() and of a fit, with derivatives that agree with
// differences, and never throws for a bad point.
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <vector>

#include "brace/estimation/estimate.hpp"
#include "brace/estimation/evaluator.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

struct PointOfModel {
  const char* line;
  std::vector<double> at;
};
const PointOfModel kPointsOfModels[] = {
    {"const / garch / normal", {.03, .02, .08, .9}},
    {"const / garch / student", {.03, .02, .08, .9, 6}},
    {"const ar1 ma1 / garch e1,2 h1 / ged", {.03, .3, -.1, .02, .05, .04, .88, 1.4}},
    {"const / gjr / skew-student", {.03, .02, .04, .08, .88, 7, -.1}},
    {"const / egarch / normal", {.03, -.02, .15, -.06, .97}},
    {"const ar1 ma1 / steady / normal", {.4, .6, .3, 1.2}},
};

TEST(Evaluator, IsTheLikelihoodWithItsDerivatives) {
  for (const PointOfModel& c : kPointsOfModels) {
    const Model model = parse_model(c.line);
    const Series y = simulate(model, c.at, 600, {.seed = 4});
    Evaluator of(model, y);
    const std::size_t k = c.at.size();
    ASSERT_EQ(of.names(), parameter_names(model).all());
    std::vector<double> gradient(k), hessian(k * k), up(k), down(k);
    const double value = of.hessian(c.at, gradient, hessian);
    const Evaluation once = evaluate(model, y, c.at);
    EXPECT_NEAR(value, once.log_likelihood, 1e-9 * std::abs(value)) << c.line;
    EXPECT_NEAR(of.value(c.at), value, 1e-9 * std::abs(value));
    for (std::size_t j = 0; j < k; ++j) {
      // Sums in another order.
      EXPECT_NEAR(gradient[j], once.gradient[j], 1e-7 * (1 + std::abs(gradient[j]))) << c.line;
      std::vector<double> moved = c.at;
      const double h = 1e-5 * (1 + std::abs(c.at[j]));
      moved[j] = c.at[j] + h;
      const double above = of.gradient(moved, up);
      moved[j] = c.at[j] - h;
      const double below = of.gradient(moved, down);
      // Central differences with their own error, of order h squared.
      EXPECT_NEAR((above - below) / (2 * h), gradient[j], 1e-4 * (1 + std::abs(gradient[j])))
          << c.line << ' ' << of.names()[j];
      for (std::size_t i = 0; i < k; ++i) {
        EXPECT_NEAR((up[i] - down[i]) / (2 * h), hessian[i * k + j],
                    1e-4 * (1 + std::abs(hessian[i * k + j])))
            << c.line << ' ' << of.names()[i] << ' ' << of.names()[j];
        EXPECT_EQ(hessian[i * k + j], hessian[j * k + i]);
      }
    }
  }
}

TEST(Evaluator, ABadPointIsMinusInfinityAndLeavesTheRestAlone) {
  const Series y =
      simulate(parse_model("const / garch / normal"), {.03, .02, .08, .9}, 300, {.seed = 4});
  Evaluator of(parse_model("const / garch / normal"), y);
  std::vector<double> gradient(4, 7.0), hessian(16, 7.0);
  constexpr double kMinus = -std::numeric_limits<double>::infinity();
  for (const std::vector<double>& bad : {std::vector<double>{.03, -1, .08, .5},
                                         {.03, .02, .08, std::nan("")},
                                         {std::numeric_limits<double>::infinity(), .02, .08, .9}}) {
    EXPECT_EQ(of.value(bad), kMinus);
    EXPECT_EQ(of.hessian(bad, gradient, hessian), kMinus);
    EXPECT_EQ(gradient, std::vector<double>(4, 7.0));
    EXPECT_EQ(hessian, std::vector<double>(16, 7.0));
  }
  Evaluator exact(parse_model("const ar1 / steady / normal"), y);
  EXPECT_EQ(exact.value(std::vector<double>{0, 1.2, 1}), kMinus);
  test::expect_error(ErrorCode::bad_option, "2 parameters given where the model has 4", [&] {
    (void)of.value(std::vector<double>{1, 2});
  });
  EXPECT_TRUE(std::isfinite(of.value(std::vector<double>{.03, .02, .08, .9})));
}

// Shapes that are no law, met by a search of one's own, are outside; nothing is thrown.
TEST(Evaluator, IsMinusInfinityWhereAShapeIsNoLaw) {
  const Series y = simulate(parse_model("const / garch"), {0, .1, .1, .8}, 300, {.seed = 6});
  for (const auto& [line, theta] : {std::pair<const char*, std::vector<double>>{
                                        "const / garch / student", {0, .1, .1, .8, 1.9}},
                                    {"const / garch / student", {0, .1, .1, .8, -.2}},
                                    {"const / egarch / skew-student", {0, 0, .1, 0, .9, -.2, .1}},
                                    {"const / egarch / skew-student", {0, 0, .1, 0, .9, 6, 1.2}},
                                    {"const / garch / ged", {0, .1, .1, .8, 0}}}) {
    Evaluator of(parse_model(line), y);
    EXPECT_EQ(of.value(theta), -std::numeric_limits<double>::infinity()) << line;
  }
}

// On few rows the model with plainer shocks is climbed too, which a start of all parameters does
// not fit.
TEST(Start, OfAllParametersMayBeGivenOnFewRows) {
  const Series y = simulate(parse_model("const / garch"), {0, .1, .1, .8}, 200, {.seed = 6});
  const Fit fit = estimate("const / garch / skew-student", y),
            again = estimate("const / garch / skew-student", y, {.start = fit.estimates()});
  EXPECT_GE(*again.log_likelihood, *fit.log_likelihood - 1e-6);
}

}  // namespace
}  // namespace brace
