// SPDX-License-Identifier: Apache-2.0
// The power that makes a positive series' spread even: Box and Cox (1964).
//
//   brace::BoxCoxLambda power = brace::box_cox_lambda(prices);
//   double y = brace::box_cox(x, power.lambda);    // inverse: brace::box_cox_inverse(y, lambda)
#pragma once

#include "brace/series/series.hpp"

namespace brace {

// (x^lambda - 1)/lambda, and ln x at lambda = 0, without loss of digits near it. x > 0.
[[nodiscard]] double box_cox(double x, double lambda);
// NaN where no x gives that y: 1 + lambda y <= 0. Where x^lambda is far below 1 the digits of x are
// gone already in y: a relative error of about eps x^-lambda.
[[nodiscard]] double box_cox_inverse(double y, double lambda);

struct BoxCoxLambda {
  double lambda = 1;
  double low = 1,
         high = 1;       // 95 % interval: where 2 (L_max - L) <= 3.84; ends at the search's ends
  bool at_edge = false;  // lambda lies at an end of the search, -2 or 3
};

// Maximum likelihood with normal errors around a line in time, and around the means of the months
// or quarters where that is the clock (Box and Cox 1964, section 3). Values present only. Throws
// Error (not_positive) or, below ten values, (too_few_observations).
[[nodiscard]] BoxCoxLambda box_cox_lambda(const Series& series);

}  // namespace brace
