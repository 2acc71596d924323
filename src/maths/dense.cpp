// SPDX-License-Identifier: Apache-2.0
// Small matrices, out of line. Covered by tests/maths/dense_test.cpp.
#include "maths/dense.hpp"

#include <Eigen/Dense>

namespace brace::inline v0::maths {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
using ByRows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
}

MatrixXd to_eigen(const Matrix& matrix) {
  return Eigen::Map<const ByRows>(matrix.values().data(), static_cast<Eigen::Index>(matrix.rows()),
                                  static_cast<Eigen::Index>(matrix.cols()));
}

Matrix to_matrix(const MatrixXd& matrix) {
  Matrix out(static_cast<std::size_t>(matrix.rows()), static_cast<std::size_t>(matrix.cols()));
  Eigen::Map<ByRows>(out.values().data(), matrix.rows(), matrix.cols()) = matrix;
  return out;
}

MatrixXd product(const MatrixXd& A, const MatrixXd& B) {
  return A * B;
}

MatrixXd cross(const MatrixXd& A, const MatrixXd& B) {
  return A.transpose() * B;
}

VectorXd product(const MatrixXd& A, const VectorXd& x) {
  return A * x;
}

VectorXd cross(const MatrixXd& A, const VectorXd& x) {
  return A.transpose() * x;
}

MatrixXd outer(const MatrixXd& A) {
  return A * A.transpose();
}

MatrixXd sandwich(const MatrixXd& G, const MatrixXd& A) {
  return G * A * G.transpose();
}

Eigen::LLT<MatrixXd> cholesky(const MatrixXd& A) {
  return Eigen::LLT<MatrixXd>(A);
}

MatrixXd inverse_of_positive(const MatrixXd& A) {
  return A.llt().solve(MatrixXd::Identity(A.rows(), A.cols()));
}

VectorXd solve_positive(const MatrixXd& A, const VectorXd& b) {
  return A.llt().solve(b);
}

std::optional<MatrixXd> lower_root(const MatrixXd& A) {
  const Eigen::LLT<MatrixXd> root(A);
  if (root.info() != Eigen::Success) return std::nullopt;
  return root.matrixL();
}

VectorXd solve_lower(const MatrixXd& L, const VectorXd& b) {
  return L.triangularView<Eigen::Lower>().solve(b);
}

std::optional<MatrixXd> inverse_of_symmetric(const MatrixXd& A, double least_condition) {
  const Eigen::LDLT<MatrixXd> of_A(A);
  if (!of_A.isPositive() || !(of_A.rcond() > least_condition)) return std::nullopt;
  return of_A.solve(MatrixXd::Identity(A.rows(), A.cols()));
}

VectorXd solve_symmetric(const MatrixXd& A, const VectorXd& b) {
  return A.ldlt().solve(b);
}

MatrixXd solve_symmetric(const MatrixXd& A, const MatrixXd& B) {
  return A.ldlt().solve(B);
}

MatrixXd inverse(const MatrixXd& A) {
  return A.inverse();
}

Eigensystem symmetric_eigen(const MatrixXd& A) {
  const Eigen::SelfAdjointEigenSolver<MatrixXd> solver(A);
  return {solver.eigenvalues(), solver.eigenvectors()};
}

VectorXd symmetric_eigenvalues(const MatrixXd& A) {
  return Eigen::SelfAdjointEigenSolver<MatrixXd>(A, Eigen::EigenvaluesOnly).eigenvalues();
}

std::optional<Lowest> lowest_in_metric(const MatrixXd& A, const MatrixXd& B) {
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> solver(A, B);
  if (solver.info() != Eigen::Success) return std::nullopt;
  return Lowest{solver.eigenvalues()(0), solver.eigenvectors().col(0)};
}

Eigen::HouseholderQR<MatrixXd> Qr::factorised(const MatrixXd& X) {
  return Eigen::HouseholderQR<MatrixXd>(X);
}

MatrixXd Qr::thin_q() const {
  return qr_.householderQ() * MatrixXd::Identity(qr_.rows(), qr_.cols());
}

VectorXd Qr::rotated(const VectorXd& y) const {
  VectorXd out = y;
  if (qr_.cols() > 0) out.applyOnTheLeft(qr_.householderQ().setLength(qr_.cols()).adjoint());
  return out;
}

MatrixXd Qr::upper() const {
  return qr_.matrixQR().topRows(qr_.cols()).triangularView<Eigen::Upper>();
}

MatrixXd Qr::inverse_of_last(Index count) const {
  const Index from = qr_.cols() - count;
  return qr_.matrixQR()
      .block(from, from, count, count)
      .triangularView<Eigen::Upper>()
      .solve(MatrixXd::Identity(count, count));
}

VectorXd shortest_solution(MatrixXd J, const VectorXd& b) {
  VectorXd lengths = J.colwise().norm().transpose();
  for (Index j = 0; j < J.cols(); ++j) {
    if (lengths(j) == 0) lengths(j) = 1;
    J.col(j) /= lengths(j);
  }
  const Eigensystem of = symmetric_eigen(cross(J, J));
  const double least = 1e-12 * of.values.cwiseAbs().maxCoeff();
  VectorXd c = cross(of.vectors, cross(J, b));
  for (Index j = 0; j < c.size(); ++j) c(j) = of.values(j) > least ? c(j) / of.values(j) : 0;
  return product(of.vectors, c).cwiseQuotient(lengths);
}

}  // namespace brace::inline v0::maths
