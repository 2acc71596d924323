// SPDX-License-Identifier: Apache-2.0
// Filters and lagged sums of the exact likelihood: series run through 1 / b(B) or a(B) from zeros.
//   filter_ma({1}, {b1}, x, y, n);          // y_t = x_t - b1 y_{t-1}
//   const double c = lagged(y, y, 2);       // sum_t y_t y_{t-2}
#pragma once

#include <Eigen/Core>
#include <vector>

namespace brace::inline v0 {

// y_t = x_t - sum b_l y_{t-l} over n rows; y may be x.
void filter_ma(const std::vector<int>& lags, const std::vector<double>& b, const double* x,
               double* y, Eigen::Index n);
// Two series at once, which costs little more than one.
void filter_ma_both(const std::vector<int>& lags, const std::vector<double>& b,
                    const Eigen::VectorXd& x1, Eigen::VectorXd& y1, const Eigen::VectorXd& x2,
                    Eigen::VectorXd& y2);
// y_t = x_t - sum a_l x_{t-l} over n rows.
void filter_ar(const std::vector<int>& lags, const std::vector<double>& a, const double* x,
               double* y, Eigen::Index n);

// sum_t x_t y_t over n rows.
[[nodiscard]] double dot(const double* x, const double* y, Eigen::Index n);
// sum_t x_t y_{t-lag} over n rows.
[[nodiscard]] double lagged(const double* x, const double* y, Eigen::Index n, Eigen::Index lag);
[[nodiscard]] double lagged(const Eigen::VectorXd& x, const Eigen::VectorXd& y, Eigen::Index lag);

// All sums  sum_t x_{t-i} y_{t-j}  of two series over n rows: those that differ in where the rows
// end alone, i - j being the same, cost one pass together.
//
//   ShiftedProducts products;
//   products.reset(u.data(), n, v.data(), n, n);
//   const double h = products(2, 1);
class ShiftedProducts {
 public:
  // The series hold x_rows and y_rows values and are 0 from there on. They must outlive this.
  void reset(const double* x, Eigen::Index x_rows, const double* y, Eigen::Index y_rows,
             Eigen::Index n);
  double operator()(Eigen::Index i, Eigen::Index j);

 private:
  struct Diagonal {  // of one i - j: the sum at min(i, j) = 0, and one that was asked for last
    Eigen::Index at = -1;
    double first = 0, last = 0;
  };
  const double *x_ = nullptr, *y_ = nullptr;
  Eigen::Index x_rows_ = 0, y_rows_ = 0, n_ = 0;
  std::vector<Diagonal> ahead_, behind_;  // i >= j by i - j, and i < j by j - i
};

}  // namespace brace::inline v0
