// SPDX-License-Identifier: Apache-2.0
// The log-likelihood of a model on a series as a function: made once, evaluated at many points, for
// optimisers and samplers of one's own.
//
//   brace::Evaluator of(brace::parse_model("const / garch / student"), returns);
//   double l = of.value({{.03, .02, .08, .9, 6}});     // -infinity outside the admissible region
//
//
// Threads: an Evaluator belongs to one thread at a time: it keeps its buffers. Make one for each.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

class Evaluator {
 public:
  // Throws Error as estimate() does, for a model that is not built or a series that is not usable.
  Evaluator(const Model& model, const Series& series,
            LikelihoodKind kind = LikelihoodKind::automatic);
  ~Evaluator();
  Evaluator(Evaluator&&) noexcept;
  Evaluator& operator=(Evaluator&&) noexcept;

  // The names of the k parameters, in the order of every vector here.
  [[nodiscard]] const std::vector<std::string>& names() const;

  // The log-likelihood at `theta` (k, in the units of the data), with all constants, natural
  // logarithm. Where the parameters give no likelihood (a variance that is not positive, a mean
  // that is not stationary under the exact likelihood) it is -infinity, and gradient (k) and
  // hessian (k x k, row by row) are left as they were. Nothing is thrown but Error (bad_option) for
  // spans of another length.
  [[nodiscard]] double value(std::span<const double> theta);
  double gradient(std::span<const double> theta, std::span<double> gradient);
  double hessian(std::span<const double> theta, std::span<double> gradient,
                 std::span<double> hessian);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace brace::inline v0
BRACE_API_END
