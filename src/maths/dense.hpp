// SPDX-License-Identifier: Apache-2.0
// Eigen's products, decompositions and conversions for small matrices, out of line.
//
//   Eigen::MatrixXd V = inverse_of_positive(hessian);
//   fit.covariance = to_matrix(sandwich(G, V));       // G V G'
//
// Each of these takes a compiler seconds to expand; called from here they are expanded once. Loops
// over rows of data use Eigen itself.
#pragma once

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <Eigen/QR>
#include <optional>

#include "brace/base/matrix.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0::maths {

// Between the public type and Eigen's.
[[nodiscard]] Eigen::MatrixXd to_eigen(const Matrix& matrix);
[[nodiscard]] Matrix to_matrix(const Eigen::MatrixXd& matrix);

[[nodiscard]] Eigen::MatrixXd product(const Eigen::MatrixXd& A, const Eigen::MatrixXd& B);  // A B
[[nodiscard]] Eigen::MatrixXd cross(const Eigen::MatrixXd& A, const Eigen::MatrixXd& B);    // A' B
[[nodiscard]] Eigen::VectorXd product(const Eigen::MatrixXd& A, const Eigen::VectorXd& x);  // A x
[[nodiscard]] Eigen::VectorXd cross(const Eigen::MatrixXd& A, const Eigen::VectorXd& x);    // A' x
[[nodiscard]] Eigen::MatrixXd outer(const Eigen::MatrixXd& A);                              // A A'
[[nodiscard]] Eigen::MatrixXd sandwich(const Eigen::MatrixXd& G,
                                       const Eigen::MatrixXd& A);  // G A G'

// By Cholesky's decomposition, of a positive definite matrix.
[[nodiscard]] Eigen::LLT<Eigen::MatrixXd> cholesky(const Eigen::MatrixXd& A);
[[nodiscard]] Eigen::MatrixXd inverse_of_positive(const Eigen::MatrixXd& A);
[[nodiscard]] Eigen::VectorXd solve_positive(const Eigen::MatrixXd& A, const Eigen::VectorXd& b);
// Lower L with A = L L'; empty where A is not positive definite. And L^-1 b.
[[nodiscard]] std::optional<Eigen::MatrixXd> lower_root(const Eigen::MatrixXd& A);
[[nodiscard]] Eigen::VectorXd solve_lower(const Eigen::MatrixXd& L, const Eigen::VectorXd& b);
// By the pivoted LDL', of a symmetric matrix; the inverse is empty where A is not positive or its
// reciprocal condition is not above `least_condition`.
[[nodiscard]] std::optional<Eigen::MatrixXd> inverse_of_symmetric(const Eigen::MatrixXd& A,
                                                                  double least_condition);
[[nodiscard]] Eigen::VectorXd solve_symmetric(const Eigen::MatrixXd& A, const Eigen::VectorXd& b);
[[nodiscard]] Eigen::MatrixXd solve_symmetric(const Eigen::MatrixXd& A, const Eigen::MatrixXd& B);
// By LU with partial pivoting.
[[nodiscard]] Eigen::MatrixXd inverse(const Eigen::MatrixXd& A);
// J x = b in the least squares, the shortest of those where each column has length 1.
[[nodiscard]] Eigen::VectorXd shortest_solution(Eigen::MatrixXd J, const Eigen::VectorXd& b);

// A = V diag(values) V', values ascending; and the values alone.
struct Eigensystem {
  Eigen::VectorXd values;
  Eigen::MatrixXd vectors;
};
[[nodiscard]] Eigensystem symmetric_eigen(const Eigen::MatrixXd& A);
[[nodiscard]] Eigen::VectorXd symmetric_eigenvalues(const Eigen::MatrixXd& A);

// The v of length one in the metric B for which v' A v is least, and that number; B is positive
// definite. Empty where the decomposition fails.
struct Lowest {
  double value;
  Eigen::VectorXd vector;
};
[[nodiscard]] std::optional<Lowest> lowest_in_metric(const Eigen::MatrixXd& A,
                                                     const Eigen::MatrixXd& B);

// X = Q R by Householder's reflections, n x k with n >= k. The leading columns of one factorisation
// are those of the smaller regressions.
class Qr {
 public:
  explicit Qr(const Eigen::MatrixXd& X) : qr_(factorised(X)) {}

  [[nodiscard]] Eigen::MatrixXd thin_q() const;                           // n x k
  [[nodiscard]] Eigen::VectorXd rotated(const Eigen::VectorXd& y) const;  // Q' y, n
  [[nodiscard]] Eigen::MatrixXd upper() const;                            // R, k x k
  // Inverse of R's last `count` rows and columns.
  [[nodiscard]] Eigen::MatrixXd inverse_of_last(Eigen::Index count) const;

 private:
  static Eigen::HouseholderQR<Eigen::MatrixXd> factorised(const Eigen::MatrixXd& X);
  Eigen::HouseholderQR<Eigen::MatrixXd> qr_;
};

}  // namespace brace::inline v0::maths
