// SPDX-License-Identifier: Apache-2.0
// Tail probabilities and quantiles of the textbook laws, over Boost.Math.
//
//   double p = brace::laws::chi_squared_tail(18.3, 10);      // .05
//   double z = brace::laws::normal_quantile(.975);           // 1.96
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::laws {

[[nodiscard]] double normal_cdf(double x);
[[nodiscard]] double normal_quantile(double p);
[[nodiscard]] double normal_two_sided(double z);              // P(|Z| > |z|)
[[nodiscard]] double chi_squared_tail(double x, double dof);  // P(X > x)
[[nodiscard]] double chi_squared_quantile(double p, double dof);
[[nodiscard]] double f_tail(double x, double dof1, double dof2);

[[nodiscard]] double beta_quantile(double p, double a, double b);

// Student with nu > 2 scaled to unit variance.
[[nodiscard]] double unit_student_cdf(double x, double nu);
[[nodiscard]] double unit_student_quantile(double p, double nu);

}  // namespace brace::inline v0::laws
BRACE_API_END
