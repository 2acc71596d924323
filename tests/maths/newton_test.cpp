// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include <Eigen/QR>
#include <cmath>

#include "brace/maths/bounded.hpp"
#include "brace/maths/random.hpp"
#include "maths/newton.hpp"

namespace brace {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

// An objective from value, gradient and Hessian; its "information" is the Hessian's absolute
// diagonal.
template <class F, class G, class H>
maths::Objective objective(F f, G g, H h) {
  return {
      .value = [=](const VectorXd& x) { return f(x); },
      .derivatives =
          [=](const VectorXd& x, maths::Curvature kind, VectorXd& gradient, MatrixXd& curvature) {
            gradient = g(x);
            curvature = h(x);
            if (kind == maths::Curvature::information)
              curvature = MatrixXd(curvature.diagonal().cwiseAbs().cwiseMax(1e-3).asDiagonal());
            return f(x);
          }};
}

maths::LinearConstraints box(const VectorXd& low, const VectorXd& high) {
  const auto k = low.size();
  maths::LinearConstraints c;
  c.C.resize(2 * k, k);
  c.C << MatrixXd::Identity(k, k), -MatrixXd::Identity(k, k);
  c.d.resize(2 * k);
  c.d << high, -low;
  c.names.assign(static_cast<std::size_t>(2 * k), "box");
  return c;
}

// The banana of Rosenbrock (1960): minimum 0 at (1, 1), curved valley, indefinite Hessian on the
// way.
maths::Objective banana() {
  return objective(
      [](const VectorXd& x) {
        return 100 * std::pow(x(1) - x(0) * x(0), 2) + std::pow(1 - x(0), 2);
      },
      [](const VectorXd& x) {
        VectorXd g(2);
        g << -400 * x(0) * (x(1) - x(0) * x(0)) - 2 * (1 - x(0)), 200 * (x(1) - x(0) * x(0));
        return g;
      },
      [](const VectorXd& x) {
        MatrixXd H(2, 2);
        H << 1200 * x(0) * x(0) - 400 * x(1) + 2, -400 * x(0), -400 * x(0), 200;
        return H;
      });
}

TEST(Newton, FindsAnInteriorOptimumAndCertifiesIt) {
  const auto r = maths::minimise(banana(), box(VectorXd::Constant(2, -5), VectorXd::Constant(2, 5)),
                                 VectorXd{{-1.2, 1.0}});
  EXPECT_EQ(r.stop, maths::NewtonStop::optimum);
  // The norm promises |dx| < 1e-7 / sqrt(smallest eigenvalue of H), which is .4 here.
  EXPECT_NEAR(r.x(0), 1, 1.6e-7);
  EXPECT_NEAR(r.x(1), 1, 1.6e-7);
  EXPECT_LT(r.gradient_norm, 1e-7);
  EXPECT_EQ(r.multipliers.maxCoeff(), 0);
}

TEST(Newton, ReachesABoundExactlyWithARightSignedMultiplier) {
  // With x_0 <= .5 the optimum is (.5, .25); the gradient there pushes outwards by 1.
  const auto r = maths::minimise(banana(), box(VectorXd::Constant(2, -5), VectorXd{{.5, 5}}),
                                 VectorXd{{-1.2, 1.0}});
  EXPECT_EQ(r.stop, maths::NewtonStop::optimum);
  EXPECT_NEAR(r.x(0), .5, 1e-15);
  EXPECT_NEAR(r.x(1), .25, 1e-10);
  EXPECT_NEAR(r.multipliers(0), 1, 1e-8);
}

TEST(Newton, DoesNotCallASaddleAnOptimum) {
  const auto saddle = objective([](const VectorXd& x) { return x(0) * x(0) - x(1) * x(1); },
                                [](const VectorXd& x) {
                                  return VectorXd{{2 * x(0), -2 * x(1)}};
                                },
                                [](const VectorXd&) {
                                  return MatrixXd(VectorXd{{2.0, -2.0}}.asDiagonal());
                                });
  const auto r = maths::minimise(saddle, box(VectorXd::Constant(2, -1), VectorXd::Constant(2, 1)),
                                 VectorXd::Zero(2));
  EXPECT_NE(r.stop, maths::NewtonStop::optimum);
  EXPECT_TRUE(std::isinf(r.gradient_norm));
}

// The same saddle bounded in the falling direction: indefinite as a whole, definite where the bound
// lets it move.
TEST(Newton, ABoundMayTakeTheBadDirectionAway) {
  const auto saddle =
      objective([](const VectorXd& x) { return std::cosh(x(0) - .3) - x(1) * x(1); },
                [](const VectorXd& x) {
                  return VectorXd{{std::sinh(x(0) - .3), -2 * x(1)}};
                },
                [](const VectorXd& x) {
                  return MatrixXd(VectorXd{{std::cosh(x(0) - .3), -2.0}}.asDiagonal());
                });
  const auto r = maths::minimise(saddle, box(VectorXd::Constant(2, -1), VectorXd::Constant(2, 1)),
                                 VectorXd{{-.7, .2}});
  EXPECT_EQ(r.stop, maths::NewtonStop::optimum);
  // Convergence is quadratic: the last step is smaller than that.
  EXPECT_NEAR(r.x(0), .3, 1e-7);
  EXPECT_EQ(r.x(1), 1);
  EXPECT_NEAR(r.multipliers(1), 2, 1e-12) << "the fall that the bound on x_1 forgoes";
}

TEST(Newton, FreeDirectionsLeaveTheActiveConstraintsAlone) {
  MatrixXd C(3, 3);
  C << 1, 1, 0, 0, 0, 1, 1, 0, 0;
  const MatrixXd Z = maths::free_directions(C, {0, 1});
  ASSERT_EQ(Z.cols(), 1);
  EXPECT_NEAR((C.topRows(2) * Z).cwiseAbs().maxCoeff(), 0, 1e-15);
  EXPECT_EQ(maths::free_directions(C, {0, 1, 2}).cols(), 0);
  EXPECT_EQ(maths::free_directions(C, {}).cols(), 3);
}

TEST(Newton, SaysWhyItStopped) {
  const auto capped =
      maths::minimise(banana(), box(VectorXd::Constant(2, -5), VectorXd::Constant(2, 5)),
                      VectorXd{{-1.2, 1.0}}, {.max_iterations = 2});
  EXPECT_EQ(capped.stop, maths::NewtonStop::iteration_cap);
  EXPECT_LT(capped.f, banana().value(VectorXd{{-1.2, 1.0}})) << "the best point seen is kept";
  const auto nowhere =
      objective([](const VectorXd&) { return std::nan(""); }, [](const VectorXd& x) { return x; },
                [](const VectorXd& x) { return MatrixXd(MatrixXd::Identity(x.size(), x.size())); });
  EXPECT_EQ(maths::minimise(nowhere, box(VectorXd::Constant(2, -5), VectorXd::Constant(2, 5)),
                            VectorXd::Zero(2))
                .stop,
            maths::NewtonStop::not_finite);
}

// The quadratic programme against a search over all active sets, on random programmes.
TEST(Newton, QuadraticStepIsTheExactSolution) {
  maths::RandomStream stream(3, 0);
  for (int trial = 0; trial < 300; ++trial) {
    const int k = 2 + trial % 3, m = 4 + trial % 3;
    MatrixXd A(k, k), C(m, k);
    VectorXd g(k), slack(m);
    for (double& v : A.reshaped()) v = stream.normal();
    for (double& v : C.reshaped()) v = stream.normal();
    for (double& v : g) v = 3 * stream.normal();
    for (double& v : slack)
      v = trial % 4 == 0 ? 0 : stream.uniform();  // also with constraints met at the start
    const MatrixXd B = A * A.transpose() + .1 * MatrixXd::Identity(k, k);
    const maths::QuadraticStep step = maths::solve_quadratic(g, B.llt(), C, slack);
    const auto value = [&](const VectorXd& s) { return g.dot(s) + .5 * s.dot(B * s); };
    EXPECT_LE((C * step.s - slack).maxCoeff(), 1e-9) << "feasible, trial " << trial;
    EXPECT_GE(step.multipliers.minCoeff(), 0);
    EXPECT_NEAR((B * step.s + g + C.transpose() * step.multipliers).cwiseAbs().maxCoeff(), 0, 1e-8)
        << "stationary, trial " << trial;
    EXPECT_NEAR(step.multipliers.dot(slack - C * step.s), 0, 1e-8)
        << "complementary, trial " << trial;
    EXPECT_LE(value(step.s), 1e-12) << "no worse than staying";
  }
}

// The banana of Rosenbrock (1960), whose valley bends: with damping it is followed to its end.
TEST(Newton, DampingFollowsABentValley) {
  const auto f = [](const Eigen::VectorXd& x) {
    return 100 * std::pow(x(1) - x(0) * x(0), 2) + std::pow(1 - x(0), 2);
  };
  const maths::Objective banana{
      .value = f,
      .derivatives = [&](const Eigen::VectorXd& x, maths::Curvature kind, Eigen::VectorXd& g,
                         Eigen::MatrixXd& B) {
        const double r = x(1) - x(0) * x(0);
        g = Eigen::Vector2d(-400 * x(0) * r - 2 * (1 - x(0)), 200 * r);
        // Gauss-Newton's matrix stands for the information.
        const double bend = kind == maths::Curvature::hessian ? -400 * r : 0;
        B = Eigen::Matrix2d{{800 * x(0) * x(0) + 2 + bend, -400 * x(0)}, {-400 * x(0), 200}};
        return f(x);
      }};
  const maths::NewtonResult r = maths::minimise(
      banana, {Eigen::MatrixXd(0, 2), Eigen::VectorXd(0), {}}, Eigen::Vector2d(-1.2, 1),
      {.scoring_steps = 20, .scoring_until = 1e-2, .damping = true});
  EXPECT_EQ(r.stop, maths::NewtonStop::optimum);
  EXPECT_NEAR(r.x(0), 1, 1e-8);
  EXPECT_LT(r.iterations, 40);
}

// x^4 / 4 - x^2 / 2 + y^2 has a saddle at 0, where its gradient is nothing.
TEST(Newton, DampingLeavesASaddle) {
  const auto f = [](const Eigen::VectorXd& x) {
    return std::pow(x(0), 4) / 4 - x(0) * x(0) / 2 + x(1) * x(1);
  };
  const maths::Objective wells{
      .value = f,
      .derivatives = [&](const Eigen::VectorXd& x, maths::Curvature kind, Eigen::VectorXd& g,
                         Eigen::MatrixXd& B) {
        g = Eigen::Vector2d(std::pow(x(0), 3) - x(0), 2 * x(1));
        const double c = 3 * x(0) * x(0) - 1;
        B = Eigen::Matrix2d{{kind == maths::Curvature::hessian ? c : std::abs(c) + 1, 0}, {0, 2}};
        return f(x);
      }};
  const maths::NewtonResult r =
      maths::minimise(wells, {Eigen::MatrixXd(0, 2), Eigen::VectorXd(0), {}}, Eigen::Vector2d(0, 0),
                      {.scoring_steps = 0, .damping = true});
  EXPECT_EQ(r.stop, maths::NewtonStop::optimum);
  EXPECT_NEAR(std::abs(r.x(0)), 1, 1e-8);
}

TEST(Bounded, FindsTheLeastValueWithinItsBounds) {
  const auto f = [](std::span<const double> x) {
    return std::pow(x[0] - 3, 2) + std::pow(x[1] + 1, 2) + x[0] * x[1];
  };
  // Free: 2 (x - 3) + y = 0 and 2 (y + 1) + x = 0, so x = 14/3, y = -10/3.
  const maths::BoundedResult free = maths::minimise_bounded(f, {0, 0}, {-10, -10}, {10, 10});
  EXPECT_TRUE(free.converged);
  EXPECT_NEAR(free.x[0], 14.0 / 3, 1e-5);
  EXPECT_NEAR(free.x[1], -10.0 / 3, 1e-5);
  const maths::BoundedResult bound = maths::minimise_bounded(f, {0, 0}, {-10, -1}, {2, 10});
  EXPECT_NEAR(bound.x[0], 2, 1e-9);
  EXPECT_NEAR(bound.x[1], -1, 1e-9);
  EXPECT_FALSE(
      maths::minimise_bounded(f, {0, 0}, {-9, -9}, {9, 9}, {.max_evaluations = 5}).converged);
}

// A step keeps every constraint, however ill the curvature: the rows of two-component variances
// (0 <= phi <= beta, alpha + beta < rho < 1), which meet in corners.
TEST(QuadraticProgramme, KeepsItsConstraintsUnderAnAllButSingularCurvature) {
  maths::RandomStream stream(12, 0);
  Eigen::MatrixXd C(6, 5);
  C << -1, 0, 0, 0, 0,  //
      0, -1, 0, 0, 0,   //
      0, 0, 0, 0, -1,   //
      0, 0, -1, 0, 1,   //
      0, 1, 1, -1, 0,   //
      0, 0, 0, 1, 0;
  for (int trial = 0; trial < 2000; ++trial) {
    Eigen::MatrixXd A(5, 5);
    Eigen::VectorXd g(5), slack(6);
    for (double& v : A.reshaped()) v = stream.normal();
    for (double& v : g) v = 10 * stream.normal();
    for (double& v : slack) v = stream.uniform() < .5 ? 0 : stream.uniform();
    // Directions of curvature from 1 down to 1e-14.
    Eigen::VectorXd size(5);
    for (double& v : size) v = std::pow(10, -14 * stream.uniform());
    const Eigen::MatrixXd Q = Eigen::HouseholderQR<Eigen::MatrixXd>(A).householderQ();
    const Eigen::LLT<Eigen::MatrixXd> B(Q * size.asDiagonal() * Q.transpose());
    if (B.info() != Eigen::Success) continue;
    const maths::QuadraticStep step = maths::solve_quadratic(g, B, C, slack);
    ASSERT_TRUE(step.s.allFinite());
    EXPECT_LE((C * step.s - slack).maxCoeff(), 1e-8 * (1 + step.s.cwiseAbs().maxCoeff())) << trial;
    EXPECT_LE(g.dot(step.s), 1e-8 * (1 + step.s.norm())) << "a step goes down";
  }
}

// In a corner where many bounds meet, met already and without slack, the step is still the
// programme's solution: rounding in a coordinate that stays is no reason to stand still.
TEST(QuadraticProgramme, MovesOutOfCornersWhereManyBoundsAreMet) {
  maths::RandomStream stream(13, 0);
  constexpr Eigen::Index k = 12;
  Eigen::MatrixXd C(k + 1, k);
  C << -Eigen::MatrixXd::Identity(k, k), Eigen::RowVectorXd::Ones(k);
  int moved = 0;
  for (int trial = 0; trial < 500; ++trial) {
    Eigen::MatrixXd A(k, k);
    Eigen::VectorXd g(k), slack(k + 1), size(k);
    for (double& v : A.reshaped()) v = stream.normal();
    for (double& v : g) v = 100 * stream.normal();
    for (double& v : slack) v = stream.uniform() < .7 ? 0 : 1e-16 * stream.uniform();
    for (Eigen::Index i = 0; i < 3; ++i) slack(i) = stream.uniform();
    slack(k) = .01;
    for (double& v : size) v = std::pow(10, 4 * stream.uniform());
    const Eigen::MatrixXd Q = Eigen::HouseholderQR<Eigen::MatrixXd>(A).householderQ();
    const Eigen::MatrixXd B = Q * size.asDiagonal() * Q.transpose();
    const maths::QuadraticStep step =
        maths::solve_quadratic(g, Eigen::LLT<Eigen::MatrixXd>(B), C, slack);
    const Eigen::VectorXd left = g + B * step.s + C.transpose() * step.multipliers;
    EXPECT_LT(left.norm(), 1e-8 * g.norm()) << trial << ": multipliers explain what is left";
    EXPECT_GE(step.multipliers.minCoeff(), 0) << trial;
    EXPECT_LE((C * step.s - slack).maxCoeff(), 1e-12) << trial;
    if (g.dot(step.s) < -1e-9) ++moved;
  }
  EXPECT_GT(moved, 400);
}

}  // namespace
}  // namespace brace
