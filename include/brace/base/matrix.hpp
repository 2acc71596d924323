// SPDX-License-Identifier: Apache-2.0
// A dense matrix as results carry it: rows x cols numbers, row by row, and nothing else.
//
//   const brace::Matrix& V = fitted.covariance;
//   double se = std::sqrt(V(2, 2));
//
// It knows no arithmetic, so that it needs no third party's type, whose layout would depend on the
// flags a program is built with. docs/library.md shows how a linear algebra library reads it.
//
// Threads: a plain value; reading one from several threads at once is safe.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

class Matrix {
 public:
  Matrix() = default;
  Matrix(std::size_t rows, std::size_t cols) : rows_(rows), cols_(cols), values_(rows * cols) {}

  [[nodiscard]] std::size_t rows() const { return rows_; }
  [[nodiscard]] std::size_t cols() const { return cols_; }
  [[nodiscard]] bool empty() const { return values_.empty(); }

  // Both from 0, below rows() and cols(): not checked.
  double& operator()(std::size_t row, std::size_t col) { return values_[row * cols_ + col]; }
  double operator()(std::size_t row, std::size_t col) const { return values_[row * cols_ + col]; }

  // All numbers, row by row.
  [[nodiscard]] std::span<const double> values() const { return values_; }
  [[nodiscard]] std::span<double> values() { return values_; }

  friend bool operator==(const Matrix&, const Matrix&) = default;

 private:
  std::size_t rows_ = 0, cols_ = 0;
  std::vector<double> values_;
};

}  // namespace brace::inline v0
BRACE_API_END
