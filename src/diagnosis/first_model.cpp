// SPDX-License-Identifier: Apache-2.0
// The model to begin with. Covered by tests/diagnosis/stability_test.cpp.
#include "brace/diagnosis/first_model.hpp"

#include <algorithm>
#include <numeric>

#include "brace/hypothesis/whiteness.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/model/model_line.hpp"

namespace brace::inline v0 {

Model first_model(const Series& series) {
  constexpr int kMostLags = 5;
  constexpr std::size_t kLeast = 50;  // fewer rows tell no order
  Model model = parse_model("const / garch / student");
  const Series closed = without_gaps(series);
  if (closed.size() < kLeast || !hypothesis::ljung_box_robust(closed).rejects().value_or(false))
    return model;
  std::vector<double> u = closed.values;
  const double mean = std::accumulate(u.begin(), u.end(), 0.0) / static_cast<double>(u.size());
  for (double& v : u) v -= mean;
  const int most = std::min(kMostLags, maths::most_spectral_order(u.size()));
  model.mean.ar.resize(
      static_cast<std::size_t>(maths::spectral_variance(u, most, /*by_bic=*/true).order));
  std::iota(model.mean.ar.begin(), model.mean.ar.end(), 1);
  return model;
}

}  // namespace brace::inline v0
