// SPDX-License-Identifier: Apache-2.0
// Boost.Math behind plain functions. Covered by tests/laws/laws_test.cpp.
#include "brace/laws/standard.hpp"

#include <boost/math/distributions/beta.hpp>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>

namespace brace::inline v0::laws {

using boost::math::cdf;
using boost::math::complement;
using boost::math::quantile;

namespace {

// In doubles: to their last places, and several times as fast as in long doubles.
using Plain = boost::math::policies::policy<boost::math::policies::promote_double<false>>;

}  // namespace

double normal_cdf(double x) {
  return cdf(boost::math::normal_distribution<double, Plain>(), x);
}
double normal_quantile(double p) {
  return quantile(boost::math::normal(), p);
}
double normal_two_sided(double z) {
  return 2 * cdf(complement(boost::math::normal(), std::abs(z)));
}
double chi_squared_tail(double x, double dof) {
  return x <= 0 ? 1 : cdf(complement(boost::math::chi_squared(dof), x));
}
double chi_squared_quantile(double p, double dof) {
  return quantile(boost::math::chi_squared(dof), p);
}
double f_tail(double x, double dof1, double dof2) {
  return x <= 0 ? 1 : cdf(complement(boost::math::fisher_f(dof1, dof2), x));
}
double beta_quantile(double p, double a, double b) {
  return quantile(boost::math::beta_distribution<double>(a, b), p);
}
double unit_student_cdf(double x, double nu) {
  return cdf(boost::math::students_t_distribution<double, Plain>(nu), x * std::sqrt(nu / (nu - 2)));
}
double unit_student_quantile(double p, double nu) {
  return quantile(boost::math::students_t_distribution<double, Plain>(nu), p) *
         std::sqrt((nu - 2) / nu);
}

}  // namespace brace::inline v0::laws
