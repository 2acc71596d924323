// SPDX-License-Identifier: Apache-2.0
// Whether parameters in data units describe a process: variance bounds, stationarity,
// invertibility, shape.
//
//   AdmissionRules rules(model);                 // built once,
//   if (auto rule = rules.broken_by(theta)) ...  // asked often: "alpha1 + beta1 < 1"
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "brace/model/model.hpp"
#include "families/variance_family.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {

class AdmissionRules {
 public:
  // The model must outlive the rules.
  explicit AdmissionRules(const Model& model);

  // Empty when admissible, else the rule that is broken.
  [[nodiscard]] std::optional<std::string> broken_by(std::span<const double> theta) const;

 private:
  const Model& model_;
  MeanPositions at_;
  std::size_t first_variance_, first_shape_;
  std::vector<Bound> bounds_;
};

// The same for one look.
[[nodiscard]] inline std::optional<std::string> broken_rule(const Model& model,
                                                            std::span<const double> theta) {
  return AdmissionRules(model).broken_by(theta);
}

}  // namespace brace::inline v0
