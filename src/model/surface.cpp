// SPDX-License-Identifier: Apache-2.0
#include "model/surface.hpp"

#include "model/exact_likelihood.hpp"
#include "model/likelihood.hpp"

namespace brace {

std::unique_ptr<Surface> make_surface(const Model& model, const MeanData& data, bool exact) {
  if (exact) return std::make_unique<ExactLikelihood>(model, data);
  return std::make_unique<ConditionalSurface>(model, data);
}

}  // namespace brace
