// SPDX-License-Identifier: Apache-2.0
// The tables of families and laws: a new member is one line here and one in likelihood.hpp.
#include "model/families.hpp"

#include <algorithm>
#include <stdexcept>

namespace brace {

extern const VarianceFamily kLinearFamily;
extern const ShockLaw kNormalLaw, kStudentLaw;

void push_front(std::vector<double>& newest_first, double value) {
  if (newest_first.empty()) return;
  std::copy_backward(newest_first.begin(), newest_first.end() - 1, newest_first.end());
  newest_first.front() = value;
}

void VarianceHistory::push(double new_q, double new_h) {
  push_front(q, new_q);
  push_front(h, new_h);
}

const VarianceFamily& variance_family(const Variance& variance) {
  if (std::holds_alternative<Steady>(variance) || std::holds_alternative<Arch>(variance) ||
      std::holds_alternative<Garch>(variance))
    return kLinearFamily;
  throw std::logic_error("variance_family: unbuilt family");
}

const ShockLaw& shock_law(const Shocks& shocks) {
  if (std::holds_alternative<Normal>(shocks)) return kNormalLaw;
  if (std::holds_alternative<Student>(shocks)) return kStudentLaw;
  throw std::logic_error("shock_law: unbuilt law");
}

}  // namespace brace
