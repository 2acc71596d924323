// SPDX-License-Identifier: Apache-2.0
// normal and student for the engine; the kernels are in normal.hpp and student.hpp.
#include "brace/laws/standard.hpp"
#include "model/families.hpp"

namespace brace {

extern const ShockLaw kNormalLaw, kStudentLaw;

const ShockLaw kNormalLaw{
    .shapes = {},
    .draw = [](RandomStream& stream, std::span<const double>) { return stream.normal(); },
    .quantile = [](double p, std::span<const double>) { return laws::normal_quantile(p); }};

// 1/nu instead of nu: near the normal limit the likelihood is nearly quadratic in it.
const ShockLaw kStudentLaw{
    .shapes = {{.natural = [](double w) { return 1 / w; },
                .slope = [](double w) { return -1 / (w * w); },
                .bend = [](double w) { return 2 / (w * w * w); },
                .working = [](double nu) { return 1 / nu; },
                .low = .001,
                .high = .488,
                .start = .125,
                .at_low = "the shocks are as good as normal: take normal",
                .at_high = "the tails are so heavy that the variance hardly exists"}},
    .draw = [](RandomStream& stream, std::span<const double> s) { return stream.student(s[0]); },
    .quantile = [](double p,
                   std::span<const double> s) { return laws::unit_student_quantile(p, s[0]); }};

}  // namespace brace
