// SPDX-License-Identifier: Apache-2.0
// Constrained Newton: minimises a smooth function under a few linear inequalities and certifies the
// result to second order. Each step solves its quadratic programme exactly, so optima on a bound
// are reached and held, not approached.
//
//   brace::maths::NewtonResult r = brace::maths::minimise(objective, constraints, start);
//   if (r.stop == brace::maths::NewtonStop::optimum) use(r.x);
#pragma once

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <cmath>
#include <functional>
#include <limits>
#include <string>
#include <vector>

namespace brace::inline v0::maths {

// What is nearer to a limit than this meets it: less is rounding.
[[nodiscard]] inline double rounding_at(double limit) {
  return 1e-12 * (1 + std::abs(limit));
}

// C x <= d. Rows are named for messages ("alpha1 >= 0").
struct LinearConstraints {
  Eigen::MatrixXd C;               // m x k
  Eigen::VectorXd d;               // m
  std::vector<std::string> names;  // m

  // What x leaves to each limit (m); negative where one is broken.
  [[nodiscard]] Eigen::VectorXd slack(const Eigen::VectorXd& x) const;
  [[nodiscard]] bool admit(const Eigen::VectorXd& x) const;
  // The rows that x meets with equality, but for rounding.
  [[nodiscard]] std::vector<Eigen::Index> met(const Eigen::VectorXd& x) const;
};

// Which matrix stands for the curvature.
enum class Curvature {
  information,  // a positive semi-definite stand-in (scoring); cheap, good far from the optimum
  hessian,      // the second derivatives themselves; the last steps and the certificate need them
};

struct Objective {
  // f(x); +infinity where x is not admitted (the step is then shortened).
  std::function<double(const Eigen::VectorXd& x)> value;
  // f(x), its gradient (k) and the curvature (k x k) asked for.
  std::function<double(const Eigen::VectorXd& x, Curvature kind, Eigen::VectorXd& gradient,
                       Eigen::MatrixXd& curvature)>
      derivatives;
};

struct NewtonOptions {
  // The first steps use the information matrix: far from the optimum the Hessian may be indefinite.
  int scoring_steps = 3;

  // Scoring ends earlier once its own step promises as little as   sqrt(g' B^-1 g) < scoring_until:
  // Newton's method then doubles the digits each time. 0 leaves it to the count.
  double scoring_until = 0;

  // What follows a step that does not lower f enough, or an indefinite Hessian: a shorter step
  // along the same line and the information matrix or, with damping, a step from the curvature plus
  // c times its diagonal (of a Hessian: c times the information), which turns towards the gradient
  // (Marquardt 1963): better in the long bent valleys of terms that may stand in for one another.
  bool damping = false;

  // Where f has kinks: a step from the Hessian that does not lower f enough ends the climb where
  // sqrt(g' H^-1 g) is below this, as a shorter one would do no better. 0: shorter steps are tried.
  double rough_below = 0;

  // Stop once   sqrt(g' H^-1 g) < gradient_norm   over the directions that no constraint blocks,
  // with right-signed multipliers on the others. The norm is free of scale and parametrisation:
  // half its square is the gain that a quadratic model still promises.
  double gradient_norm = 1e-7;

  // Cap on steps.
  int max_iterations = 200;

  // Fill the Hessian of the result also when the search stops early; scouts from many starts need
  // not.
  bool certificate = true;
};

enum class NewtonStop {
  optimum,        // norm rule met with a Hessian positive definite on the free directions
  iteration_cap,  // x is the best point seen
  no_descent,     // no shorter step lowers f; x is the best point seen
  rounding,       // the same on a bound, where the Hessian has no digits left: given by callers
                  // that measured the slope by the information
  not_finite,     // f or its derivatives are not finite at the start; x is the start
};

struct NewtonResult {
  NewtonStop stop = NewtonStop::not_finite;
  Eigen::VectorXd x;  // k
  double f = 0;
  Eigen::VectorXd gradient;     // k, at x
  Eigen::MatrixXd hessian;      // k x k, at x
  Eigen::VectorXd multipliers;  // m; positive where a constraint holds the optimum back
  // As in NewtonOptions, at x; infinite where it was not measured or the Hessian is not definite.
  double gradient_norm = std::numeric_limits<double>::infinity();
  int iterations = 0;
  int evaluations = 0;  // of the value, with or without derivatives
  [[nodiscard]] bool is_active(Eigen::Index constraint) const {
    return multipliers(constraint) > 0;
  }
};

// `start` must satisfy the constraints. Deterministic; allocates only k- and m-sized objects.
[[nodiscard]] NewtonResult minimise(const Objective& objective,
                                    const LinearConstraints& constraints, Eigen::VectorXd start,
                                    const NewtonOptions& options = {});

// Columns span the directions along which the constraints listed stay as they are.
[[nodiscard]] Eigen::MatrixXd free_directions(const Eigen::MatrixXd& C,
                                              const std::vector<Eigen::Index>& active);

// The quadratic programme of one step: min g's + s'B s / 2 subject to C s <= slack, B positive
// definite, slack >= 0, by the dual method of Goldfarb and Idnani (1983). Finite and exact; when no
// constraint binds it costs one solve.
struct QuadraticStep {
  Eigen::VectorXd s;            // k
  Eigen::VectorXd multipliers;  // m, >= 0
};
[[nodiscard]] QuadraticStep solve_quadratic(const Eigen::VectorXd& g,
                                            const Eigen::LLT<Eigen::MatrixXd>& B,
                                            const Eigen::MatrixXd& C, const Eigen::VectorXd& slack);

}  // namespace brace::inline v0::maths
