// SPDX-License-Identifier: Apache-2.0
// NLopt behind a front of our own. Covered by tests/maths/newton_test.cpp.
#include "brace/maths/bounded.hpp"

#include <nlopt.h>

#include <cmath>
#include <memory>

namespace brace::inline v0::maths {
namespace {

// What f may call infinite: NLopt compares values, and two infinities do not compare.
constexpr double kHuge = 1e300;

double call(unsigned n, const double* x, double* /*gradient*/, void* f) {
  const auto& objective = *static_cast<const std::function<double(std::span<const double>)>*>(f);
  const double value = objective({x, n});
  return std::isfinite(value) ? value : kHuge;
}

}  // namespace

BoundedResult minimise_bounded(const std::function<double(std::span<const double>)>& f,
                               std::vector<double> start, const std::vector<double>& low,
                               const std::vector<double>& high, const BoundedOptions& options) {
  const auto n = static_cast<unsigned>(start.size());
  const std::unique_ptr<nlopt_opt_s, decltype(&nlopt_destroy)> search(
      nlopt_create(NLOPT_LN_SBPLX, n), &nlopt_destroy);
  auto objective = f;
  nlopt_set_min_objective(search.get(), call, &objective);
  nlopt_set_lower_bounds(search.get(), low.data());
  nlopt_set_upper_bounds(search.get(), high.data());
  nlopt_set_xtol_rel(search.get(), options.relative);
  nlopt_set_maxeval(search.get(), options.max_evaluations);
  BoundedResult out;
  out.x = std::move(start);
  const nlopt_result result = nlopt_optimize(search.get(), out.x.data(), &out.f);
  out.evaluations = nlopt_get_numevals(search.get());
  out.converged = result > 0 && result != NLOPT_MAXEVAL_REACHED;
  return out;
}

}  // namespace brace::inline v0::maths
