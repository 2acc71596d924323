// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/law_terms.hpp"

#include <algorithm>
#include <cmath>

#include "families/ged.hpp"
#include "families/normal.hpp"
#include "families/skew_student.hpp"
#include "families/student.hpp"

namespace brace::inline v0 {

StateLaw state_law(const Shocks& shocks) {
  if (std::holds_alternative<Student>(shocks)) return StateLaw::student;
  if (std::holds_alternative<SkewStudent>(shocks)) return StateLaw::skew_student;
  if (std::holds_alternative<Ged>(shocks)) return StateLaw::ged;
  return StateLaw::normal;
}

LawTerms law_terms(const Shocks& shocks, const double* shape, bool information) {
  LawTerms out;
  LawInformation<double> expected;
  const auto set = [&](std::initializer_list<double> numbers) {
    std::copy(numbers.begin(), numbers.end(), out.at.numbers);
  };
  switch (state_law(shocks)) {
    case StateLaw::normal:
      out.constant = -0.5 * kLogTwoPi;
      expected = normal_information<double>(nullptr);
      break;
    case StateLaw::student: {
      const StudentConstant<double> c = student_constant<Order::hessian>(shape[0]);
      set({shape[0]});
      out.constant = c.value;
      out.slope[0] = c.slope;
      out.bend[0] = c.curvature;
      if (information) expected = student_information<double>(shape);
      break;
    }
    case StateLaw::skew_student: {
      const SkewStudentDensity<double> density(shape);
      const SkewStudentDensity<double>::Numbers& n = density.numbers();
      set({shape[0], shape[1], n.a, n.b, n.a1[0], n.a1[1], n.b1[0], n.b1[1], n.a2[0], n.a2[1],
           n.a2[2], n.b2[0], n.b2[1], n.b2[2]});
      out.constant = std::log(n.b) + n.log_c;
      out.slope = {n.b1[0] / n.b + n.log_c1, n.b1[1] / n.b};
      out.bend = {n.log_b2[0] + n.log_c2, n.log_b2[1], n.log_b2[2]};
      if (information)
        expected = standardised_information<SkewStudentDensity<double>, double>(shape);
      break;
    }
    case StateLaw::ged: {
      const GedDensity<double> density(shape);
      const GedDensity<double>::Numbers& n = density.numbers();
      set({shape[0], n.lambda, n.lambda1, n.lambda2});
      out.constant = n.c;
      out.slope[0] = n.c1;
      out.bend[0] = n.c2;
      if (information) expected = standardised_information<GedDensity<double>, double>(shape);
      break;
    }
  }
  std::copy(out.slope.begin(), out.slope.end(), out.at.slope);
  out.at.ee = expected.ee;
  out.at.hh = expected.hh;
  std::copy_n(expected.hs.begin(), 2, out.at.hs);
  std::copy_n(expected.ss.begin(), 3, out.information.begin());
  return out;
}

}  // namespace brace::inline v0
