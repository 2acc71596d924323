// SPDX-License-Identifier: Apache-2.0
// A law at its shape, as the kernels take it, and what of the likelihood depends on the shape
// alone.
//
//   LawTerms law = law_terms(model.shocks, shape, /*information=*/false);
#pragma once

#include <array>

#include "brace/model/model.hpp"
#include "likelihood/lanes/kernels.hpp"

namespace brace::inline v0 {

struct LawTerms {
  LawNumbers at{};
  // Of a row: constant of ln f, its slopes and second derivatives (packed), and the expected
  // information of the shape.
  double constant = 0;
  std::array<double, 2> slope{};
  std::array<double, 3> bend{}, information{};
};

[[nodiscard]] StateLaw state_law(const Shocks& shocks);
// `information`: where it will be asked for, which costs a quadrature.
[[nodiscard]] LawTerms law_terms(const Shocks& shocks, const double* shape, bool information);

}  // namespace brace::inline v0
