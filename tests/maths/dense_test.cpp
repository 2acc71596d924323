// SPDX-License-Identifier: Apache-2.0
// Matrices out of line: each answer put back into its equation.
#include "maths/dense.hpp"

#include <gtest/gtest.h>

#include <Eigen/Dense>

#include "brace/maths/random.hpp"
#include "maths/regression.hpp"
#include "maths/triangle.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kRounding = 1e-12;

MatrixXd made(Index rows, Index cols, std::uint64_t number) {
  maths::RandomStream stream(91, number);
  return MatrixXd::NullaryExpr(rows, cols, [&](Index, Index) { return stream.normal(); });
}

MatrixXd positive(Index size, std::uint64_t number) {
  const MatrixXd A = made(size, size, number);
  return A * A.transpose() + MatrixXd::Identity(size, size);
}

double apart(const MatrixXd& a, const MatrixXd& b) {
  return (a - b).cwiseAbs().maxCoeff();
}

// Longer than a block of rows.
TEST(LagProducts, AreTheSumsOfProducts) {
  constexpr Index kLags = 4, kRows = 2500;
  const MatrixXd u = made(kRows + kLags, 1, 4);
  const MatrixXd G = maths::lag_products(u.data() + kLags, kRows, kLags);
  for (Index i = 0; i <= kLags; ++i)
    for (Index j = i; j <= kLags; ++j)
      EXPECT_NEAR(G(j, i),
                  u.middleRows(kLags - i, kRows).cwiseProduct(u.middleRows(kLags - j, kRows)).sum(),
                  1e-10)
          << j << ' ' << i;
}

TEST(Dense, MatricesComeBackAsTheyWere) {
  const MatrixXd A = made(3, 5, 0);
  const Matrix M = maths::to_matrix(A);
  ASSERT_EQ(M.rows(), 3U);
  ASSERT_EQ(M.cols(), 5U);
  EXPECT_EQ(M(2, 1), A(2, 1));
  EXPECT_EQ(M.values()[5], A(1, 0)) << "row by row";
  EXPECT_EQ(maths::to_eigen(M), A);
  EXPECT_EQ(maths::to_eigen(Matrix()).size(), 0);
}

TEST(Dense, Products) {
  const MatrixXd A = made(4, 3, 1), B = made(3, 2, 2), C = made(4, 2, 3), S = positive(3, 4);
  const VectorXd x = made(3, 1, 5), y = made(4, 1, 6);
  EXPECT_LT(apart(maths::product(A, B), A * B), kRounding);
  EXPECT_LT(apart(maths::product(A, x), A * x), kRounding);
  EXPECT_LT(apart(maths::cross(A, C), A.transpose() * C), kRounding);
  EXPECT_LT(apart(maths::cross(A, y), A.transpose() * y), kRounding);
  EXPECT_LT(apart(maths::outer(A), A * A.transpose()), kRounding);
  EXPECT_LT(apart(maths::sandwich(A, S), A * S * A.transpose()), kRounding);
}

TEST(Dense, SolutionsSolve) {
  const MatrixXd S = positive(4, 7), A = made(4, 4, 8), one = MatrixXd::Identity(4, 4);
  const VectorXd b = made(4, 1, 9);
  EXPECT_LT(apart(S * maths::inverse_of_positive(S), one), 1e-10);
  EXPECT_LT(apart(A * maths::inverse(A), one), 1e-10);
  EXPECT_LT(apart(S * maths::solve_positive(S, b), b), 1e-10);
  EXPECT_LT(apart(S * maths::solve_symmetric(S, b), b), 1e-10);
  EXPECT_LT(apart(S * maths::solve_symmetric(S, one), one), 1e-10);
  const auto L = maths::lower_root(S);
  ASSERT_TRUE(L);
  EXPECT_LT(apart(*L * L->transpose(), S), 1e-11);
  EXPECT_LT(apart(*L * maths::solve_lower(*L, b), b), 1e-10);
  EXPECT_FALSE(maths::lower_root(-S));
  ASSERT_TRUE(maths::inverse_of_symmetric(S, 1e-14));
  EXPECT_LT(apart(S * *maths::inverse_of_symmetric(S, 1e-14), one), 1e-10);
  EXPECT_FALSE(maths::inverse_of_symmetric(S, .9)) << "the condition asked for is not met";
  EXPECT_FALSE(maths::inverse_of_symmetric(-S, 1e-14));
}

TEST(Dense, EigenvaluesAndTheLowestInAMetric) {
  const MatrixXd S = positive(5, 10), B = positive(5, 11);
  const auto [values, vectors] = maths::symmetric_eigen(S);
  EXPECT_LT(apart(S * vectors, vectors * values.asDiagonal()), 1e-10);
  EXPECT_LT(apart(maths::symmetric_eigenvalues(S), values), 1e-10);
  const auto lowest = maths::lowest_in_metric(S, B);
  ASSERT_TRUE(lowest);
  EXPECT_NEAR(lowest->vector.dot(B * lowest->vector), 1, 1e-10);
  EXPECT_LT(apart(S * lowest->vector, lowest->value * (B * lowest->vector)), 1e-10);
}

TEST(Dense, OneFactorisationServesTheSmallerRegressions) {
  const MatrixXd X = made(30, 4, 12);
  const VectorXd y = made(30, 1, 13);
  const maths::Qr qr(X);
  const MatrixXd Q = qr.thin_q();
  EXPECT_LT(apart(Q.transpose() * Q, MatrixXd::Identity(4, 4)), kRounding);
  const VectorXd rotated = qr.rotated(y);
  EXPECT_NEAR(rotated.norm(), y.norm(), kRounding);
  for (const Index columns : {2, 4}) {
    const VectorXd b = qr.upper()
                           .topLeftCorner(columns, columns)
                           .triangularView<Eigen::Upper>()
                           .solve(rotated.head(columns));
    EXPECT_LT(apart(b, maths::regress(X.leftCols(columns), y).coefficients), 1e-11) << columns;
  }
  // (X'X)^-1 of the last two is R_22^-1 R_22^-T.
  const MatrixXd last = qr.inverse_of_last(2);
  EXPECT_LT(apart(last * last.transpose(), (X.transpose() * X).inverse().bottomRightCorner(2, 2)),
            1e-11);
  EXPECT_EQ(maths::Qr(MatrixXd(30, 0)).rotated(y), y);
}

TEST(Dense, ColumnsThatAddNothingGetNoRank) {
  MatrixXd X = made(20, 3, 14);
  X.col(2) = X.col(0) - X.col(1);
  EXPECT_EQ(maths::pivoted_rank(X), 2);
  const MatrixXd Y = made(20, 2, 15);
  const maths::PivotedFit fit = maths::pivoted_fit(X, Y);
  EXPECT_EQ(fit.rank, 2);
  EXPECT_LT(apart(X.transpose() * (Y - X * fit.coefficients), MatrixXd::Zero(3, 2)), 1e-11);
}

// Rows that say one thing twice, and a column without any: the equation holds, and nothing moves
// that need not.
TEST(ShortestSolution, MeetsEquationsThatRepeat) {
  MatrixXd J = made(3, 5, 12);
  J.row(2) = J.row(0) + J.row(1);
  J.col(4).setZero();
  VectorXd b = made(3, 1, 13);
  b(2) = b(0) + b(1);
  const VectorXd x = maths::shortest_solution(J, b);
  EXPECT_LT(apart(J * x, b), kRounding);
  EXPECT_EQ(x(4), 0);
  // Any other solution is longer, measured where columns have length 1.
  const VectorXd lengths = J.colwise().norm().transpose();
  const MatrixXd scaled = J.leftCols(4) * lengths.head(4).cwiseInverse().asDiagonal();
  const VectorXd other =
      scaled.transpose() * (scaled * scaled.transpose()).completeOrthogonalDecomposition().solve(b);
  EXPECT_LT(apart(x.head(4).cwiseProduct(lengths.head(4)), other), kRounding);
}

}  // namespace
}  // namespace brace
