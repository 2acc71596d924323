// SPDX-License-Identifier: Apache-2.0
// The working coordinates of a climb.
#include "estimation/coordinates.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "brace/model/model_line.hpp"

namespace brace {
namespace {

// The engine's coordinates: inverse of one another, and derivatives against differences of
// scaled().
TEST(Coordinates, DerivativesOfTheCoordinates) {
  const Model model = parse_model("const ar1..3 ma1,2 / garch / student");
  const Coordinates coordinates(
      model, std::vector<std::optional<double>>(parameter_names(model).all().size()));
  auto x = all_equal<WorkingPoint>(coordinates.size(), 0);
  x << .1, .5, -.3, .2, .4, -.6, .1, .1, .8, .15;
  EXPECT_LT((coordinates.working(coordinates.scaled(x)) - x).cwiseAbs().maxCoeff(), 1e-12);
  EXPECT_TRUE(coordinates.admits(coordinates.scaled(x)));
  const Eigen::VectorXd g = Eigen::VectorXd::LinSpaced(10, -1, 2);
  const Eigen::MatrixXd zero = Eigen::MatrixXd::Zero(10, 10),
                        bend = coordinates.pull_hessian(x, g, zero);
  // Error of a central difference ~ step^2 |f'''|/6 + eps |f|/step, least near cbrt(eps) = 6e-6.
  const double step = 6e-6;
  for (Eigen::Index j = 0; j < x.size(); ++j) {
    WorkingPoint up = x, down = x;
    up(j) += step;
    down(j) -= step;
    const Eigen::VectorXd slope = (coordinates.scaled(up) - coordinates.scaled(down)) / (2 * step);
    EXPECT_LT((slope - coordinates.jacobian(x).col(j)).cwiseAbs().maxCoeff(), 1e-6)
        << "coordinate " << j;
    const Eigen::VectorXd curvature =
        (coordinates.jacobian(up).transpose() * g - coordinates.jacobian(down).transpose() * g) /
        (2 * step);
    EXPECT_LT((curvature - bend.col(j)).cwiseAbs().maxCoeff(), 1e-4) << "coordinate " << j;
  }
}

TEST(Coordinates, SparseSetsAreJudgedInTheirOwnPowerOfB) {
  const Model model = parse_model("zero ar9");
  const Coordinates coordinates(model, std::vector<std::optional<double>>(2));
  EXPECT_TRUE(coordinates.at_edge(ScaledParameters(Eigen::VectorXd{{.99, 1}})).empty());
  const std::vector<Coordinates::Edge> edges =
      coordinates.at_edge(ScaledParameters(Eigen::VectorXd{{.9995, 1}}));
  ASSERT_EQ(edges.size(), 1u);
  EXPECT_EQ(edges[0].parameter, "ar9");
  EXPECT_NEAR(edges[0].root, std::pow(1 / .9995, 1 / 9.0), 1e-12) << "in B, not in B^9";
  const Model two = parse_model("zero ar1,9");
  const Coordinates sparse(two, std::vector<std::optional<double>>(3));
  EXPECT_TRUE(sparse.admits(ScaledParameters(Eigen::VectorXd{{.5, .3, 1}})));
  EXPECT_FALSE(sparse.admits(ScaledParameters(Eigen::VectorXd{{.8, .3, 1}})))
      << "a root inside the unit circle";
}

}  // namespace
}  // namespace brace
