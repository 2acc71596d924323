// SPDX-License-Identifier: Apache-2.0
// Special functions of the laws, by overload, so that a differentiating type can bring its own.
#pragma once

#include <boost/math/special_functions/digamma.hpp>
#include <boost/math/special_functions/trigamma.hpp>
#include <cmath>

namespace brace::inline v0 {

inline double log_gamma(double x) {
  int sign = 0;
  return ::lgamma_r(x, &sign);  // lgamma writes its sign to a global
}
inline double digamma(double x) {
  return boost::math::digamma(x);
}
inline double trigamma(double x) {
  return boost::math::trigamma(x);
}

}  // namespace brace::inline v0
