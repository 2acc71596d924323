// SPDX-License-Identifier: Apache-2.0
// Maxima on a rule that is no linear bound: longmem's lambdas must not be negative.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "brace/estimation/estimate.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "estimation/coordinates.hpp"
#include "families/long_memory.hpp"
#include "process/admissible.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Family = LongMemoryFamily;

// One recursion gives all weights as numbers, the other one of them with its derivatives.
TEST(Wall, WeightHasItsDerivatives) {
  constexpr double phi = .25, d = .4, beta = .55, step = 1e-5;
  for (const std::size_t lag : {1u, 2u, 3u, 10u, 200u}) {
    const Family::Weight w = Family::weight(lag, phi, d, beta);
    EXPECT_NEAR(w.value, Family::weights(phi, d, beta)[lag - 1], 1e-15);
    for (Index i = 0; i < 3; ++i) {
      const Eigen::Vector3d by = step * Eigen::Vector3d::Unit(i);
      const Family::Weight more = Family::weight(lag, phi + by(0), d + by(1), beta + by(2)),
                           less = Family::weight(lag, phi - by(0), d - by(1), beta - by(2));
      EXPECT_NEAR(w.slope(i), (more.value - less.value) / (2 * step), 1e-9) << lag;
      EXPECT_LT((w.bend.col(i) - (more.slope - less.slope) / (2 * step)).cwiseAbs().maxCoeff(),
                1e-8)
          << lag;
    }
    EXPECT_EQ(w.bend(0, 0), 0) << "linear in phi1";
  }
}

// On the wall phi1 follows from d and beta1: the derivatives of the coordinates are those
// of their own map, and every point of it keeps that lambda at 0.
TEST(Wall, CoordinatesFollowIt) {
  const Model model = canonical(parse_model("const / longmem / student"));
  const std::vector<double> theta{.02, .02, .43, .42, .78, 9};  // mu, omega, phi1, d, beta1, nu
  const auto wall = Family::wall(std::span(theta).subspan(1, 4));
  ASSERT_TRUE(wall);
  EXPECT_NE(wall->name.find("lag 2"), std::string::npos) << wall->name;
  const std::vector<std::optional<double>> none(6);
  const Coordinates coordinates(model, none, Coordinates::Kind::bounded, {}, wall);
  ASSERT_EQ(coordinates.size(), 5);
  const WorkingPoint x = coordinates.working(ScaledParameters(theta));
  const MatrixXd J = coordinates.jacobian(x);
  constexpr double step = 1e-6;
  // A function of all parameters, gradient g0 + H theta.
  maths::RandomStream u(8, 0);
  MatrixXd H = MatrixXd::NullaryExpr(6, 6, [&](Index, Index) { return u.normal(); });
  H = (H + H.transpose()).eval();
  const VectorXd g0 = VectorXd::NullaryExpr(6, [&](Index) { return u.normal(); });
  const auto gradient = [&](const WorkingPoint& at) -> VectorXd {
    return coordinates.jacobian(at).transpose() * (g0 + H * coordinates.scaled(at));
  };
  const MatrixXd pulled = coordinates.pull_hessian(x, g0 + H * coordinates.scaled(x), H);
  for (Index i = 0; i < 5; ++i) {
    const WorkingPoint more(x + step * VectorXd::Unit(5, i)), less(x - step * VectorXd::Unit(5, i));
    const VectorXd slope = (coordinates.scaled(more) - coordinates.scaled(less)) / (2 * step);
    EXPECT_LT((slope - J.col(i)).cwiseAbs().maxCoeff(), 1e-7 * (1 + J.col(i).cwiseAbs().maxCoeff()))
        << i;
    const VectorXd bend = (gradient(more) - gradient(less)) / (2 * step);
    EXPECT_LT((bend - pulled.col(i)).cwiseAbs().maxCoeff(),
              1e-6 * (1 + pulled.col(i).cwiseAbs().maxCoeff()))
        << i;
    const VectorXd there = coordinates.scaled(WorkingPoint(x + .02 * VectorXd::Unit(5, i)));
    EXPECT_NEAR(Family::weights(there(2), there(3), there(4))[1], 0, 1e-15);
  }
}

// No admitted point near by is higher.
void expect_none_higher_beside(const Fit& fit, const Series& y, std::uint64_t seed) {
  const std::vector<double> top = fit.estimates();
  EXPECT_FALSE(broken_rule(fit.model, top)) << seed;
  maths::RandomStream u(45, seed);
  std::size_t beside = 0;
  for (int draw = 0; draw < 4000 && beside < 100; ++draw) {
    std::vector<double> theta = top;
    for (double& v : theta) v *= 1 + .003 * u.normal();
    if (broken_rule(fit.model, theta)) continue;
    ++beside;
    EXPECT_LE(evaluate(fit.model, y, theta).log_likelihood, *fit.log_likelihood + 1e-9) << seed;
  }
  EXPECT_EQ(beside, 100u);
}

// Where the maximum lies on it the fit says so, no admitted point near by is higher, and no climb
// from elsewhere ends above it.
TEST(Wall, MaximaOnItAreFoundAndNamed) {
  const Model model = canonical(parse_model("zero / longmem"));
  std::size_t on_wall = 0;
  // Of 12 series three of the four whose maximum lies there, and another.
  for (const std::uint64_t s : {2u, 3u, 4u, 7u}) {
    const Series y = simulate(model, {.05, .38, .42, .74}, 800, {.seed = 44, .stream = s});
    const Fit fit = estimate(model, y);
    ASSERT_TRUE(fit.usable()) << s << fit;
    if (fit.convergence.why.find("phi1 where lambda") == std::string::npos) continue;
    ++on_wall;
    EXPECT_EQ(fit.convergence.status, FitStatus::boundary);
    EXPECT_TRUE(fit.parameters[1].at_bound && !fit.parameters[1].se) << fit;
    EXPECT_TRUE(fit.parameters[2].se && fit.parameters[3].se) << fit;
    EXPECT_EQ(fit.estimated, 4);
    expect_none_higher_beside(fit, y, s);
    for (const double phi : {.1, .3}) {
      EstimateOptions from;
      from.start = {.2, phi, .3, .4};
      from.from = ClimbFrom::start;
      const Fit other = estimate(model, y, from);
      const double there = other.usable() ? *other.log_likelihood : *fit.log_likelihood;
      EXPECT_LE(there, *fit.log_likelihood + 1e-3) << s;
    }
  }
  EXPECT_EQ(on_wall, 3u);
  fmt::print("  {} of 6 maxima lie on the wall\n", on_wall);
}

// Two values of five are 0, which the heaviest tails explain best: with them on their bound the
// maximum may lie on the wall all the same.
TEST(Wall, MaximaOnItAndOnABoundAreFound) {
  for (const std::uint64_t s : {27u, 34u, 43u}) {
    Series y = simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 5}, 240,
                        {.seed = 46, .stream = s});
    maths::RandomStream u(47, s);
    for (double& v : y.values)
      if (u.uniform() < .4) v = 0;
    const Fit fit = estimate("const / longmem / student", y);
    ASSERT_EQ(fit.convergence.status, FitStatus::boundary) << s << fit;
    EXPECT_NE(fit.convergence.why.find("phi1 where lambda"), std::string::npos) << s << fit;
    EXPECT_NE(fit.convergence.why.find("nu: the tails"), std::string::npos) << s << fit;
    EXPECT_TRUE(fit.parameters[2].at_bound && fit.parameters.back().at_bound) << s << fit;
    expect_none_higher_beside(fit, y, s);
  }
}

// The first two lambdas may be 0 at once, a bound and a wall: one free direction is left.
TEST(Wall, MaximaWhereItMeetsABoundAreFound) {
  const Model model = canonical(parse_model("zero / longmem"));
  const Series y = simulate(model, {.05, .2, .6, .8 - 1e-12}, 300, {.seed = 93, .stream = 7});
  const Fit fit = estimate(model, y);
  ASSERT_EQ(fit.convergence.status, FitStatus::boundary) << fit;
  EXPECT_NE(fit.convergence.why.find("lambdas of lags 1 and 2"), std::string::npos) << fit;
  EXPECT_NE(fit.convergence.why.find("beta1 <= phi1 + d"), std::string::npos) << fit;
  const double phi = fit["phi1"].estimate, d = fit["d"].estimate, beta = fit["beta1"].estimate;
  const std::vector<double> lambda = Family::weights(phi, d, beta);
  EXPECT_NEAR(lambda[0], 0, 1e-12);
  EXPECT_NEAR(lambda[1], 0, 1e-12);
  EXPECT_TRUE(fit["d"].se) << "along it d is free";
  expect_none_higher_beside(fit, y, 7);
  // Held elsewhere on the line where both are 0, and beside it.
  for (const double other : {d - .05, d + .05}) {
    const std::vector<double> there{fit["omega"].estimate, (1 - other) / 2, other,
                                    (1 + other) / 2 - 1e-15};
    EXPECT_LT(evaluate(model, y, there).log_likelihood, *fit.log_likelihood);
  }
}

// A level that explodes: the news of the last row are all that counts, and where phi1 is at its
// most and d and beta1 are 0 all walls meet. No climb within them gets there.
TEST(Wall, MaximaInACornerOfTheLambdasAreFound) {
  for (const std::uint64_t s : {2u, 5u, 9u}) {
    Series y = simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 6}, 60,
                        {.seed = 91, .stream = s});
    for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += 1.05 * y.values[t - 1];
    EstimateOptions options;
    options.starts = 2;  // more would take seconds and end no higher here
    const Fit fit = estimate(parse_model("const / longmem"), y, options);
    ASSERT_EQ(fit.convergence.status, FitStatus::boundary) << s << fit;
    EXPECT_NE(fit.convergence.why.find("d in a corner of the lambdas"), std::string::npos) << fit;
    EXPECT_EQ(fit.estimated, 5) << "d is counted, as any term on a bound";
    for (const char* name : {"phi1", "d", "beta1"})
      EXPECT_TRUE(fit[name].at_bound && !fit[name].se) << name << fit;
    EXPECT_TRUE(fit["mu"].se && fit["omega"].se) << fit;
    // It contains garch without memory, and steps that the rules leave open lead down.
    const Fit without = estimate("const / longmem d=0", y);
    EXPECT_NEAR(*fit.log_likelihood, *without.log_likelihood, 1e-7) << s;
    const std::vector<double> top = fit.estimates();
    maths::RandomStream u(48, s);
    int beside = 0;
    for (int draw = 0; draw < 2000; ++draw) {
      std::vector<double> theta = top;
      const double size = std::pow(10, -5 + 4 * u.uniform());
      theta[0] += size * u.normal();
      theta[1] *= 1 + size * u.normal();
      theta[2] -= size * std::abs(u.normal());
      // Next to this corner the rules hardly admit any d, further off they do.
      if (draw % 2 == 0) theta[2] = .9 * u.uniform(), theta[3] = .5 * u.uniform();
      theta[4] += size * std::abs(u.normal());
      if (broken_rule(fit.model, theta)) continue;
      ++beside;
      EXPECT_LE(evaluate(fit.model, y, theta).log_likelihood, *fit.log_likelihood + 1e-9) << s;
    }
    EXPECT_GT(beside, 200);
  }
}

// Where no news move the short component its beta1 moves nothing, and the Hessian has no curvature
// along it: the maximum is that of the long component alone.
TEST(Wall, AComponentThatMovesNothingIsNamed) {
  const Series y = simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 6}, 48,
                            {.seed = 96, .stream = 21});
  EstimateOptions options;
  options.starts = 2;
  const Fit fit = estimate(parse_model("const ma1 / twocomp"), y, options);
  ASSERT_EQ(fit.convergence.status, FitStatus::boundary) << fit;
  EXPECT_NE(fit.convergence.why.find("beta1 at 0, which alone moves nothing"), std::string::npos)
      << fit;
  for (const char* name : {"alpha1", "beta1", "phi"})
    EXPECT_TRUE(fit[name].at_bound && !fit[name].se) << name << fit;
  EXPECT_EQ(fit.estimated, 7) << "terms on a bound are counted";
  std::vector<double> theta = fit.estimates();
  for (const double beta : {.2, .5}) {
    theta[4] = beta;
    EXPECT_NEAR(evaluate(fit.model, y, theta).log_likelihood, *fit.log_likelihood, 1e-8);
  }
}

}  // namespace
}  // namespace brace
