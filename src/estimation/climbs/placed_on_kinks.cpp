// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/rounded_kinks_test.cpp.
//
//   Gauss and Newton on e_t = 0 over the rows whose shock is next to 0; where they are fewer than
//   the terms, the shortest step
#include "estimation/climbs/placed_on_kinks.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

#include "likelihood/joint_likelihood.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// In standard deviations of its row: a shock so small lies on a kink, a term that moves none by
// more than this is 0.
constexpr double kBeside = 1e-6, kNothing = 1e-13;
constexpr int kSteps = 6;

}  // namespace

void place_on_kinks(const Model& model, const MeanData& data, const std::vector<std::size_t>& terms,
                    std::span<double> theta) {
  JointLikelihood<double> likelihood(model, data, Order::gradient);
  JointLikelihood<double>::Slopes at;
  std::vector<std::size_t> rows;
  std::vector<double> before(theta.begin(), theta.end());
  double off = std::numeric_limits<double>::infinity();
  for (int step = 0; step <= kSteps; ++step) {
    if (!likelihood.slopes(theta, at)) break;
    const std::size_t k = theta.size();
    if (step == 0)
      for (std::size_t t = 0; t < at.e.size(); ++t)
        if (std::abs(at.e[t]) < kBeside * std::sqrt(at.h[t]) &&
            std::any_of(terms.begin(), terms.end(),
                        [&](std::size_t j) { return at.de[t * k + j] != 0; }))
          rows.push_back(t);
    if (rows.empty()) return;
    MatrixXd J(static_cast<Index>(rows.size()), static_cast<Index>(terms.size()));
    VectorXd b(static_cast<Index>(rows.size()));
    for (std::size_t r = 0; r < rows.size(); ++r) {
      b(static_cast<Index>(r)) = -at.e[rows[r]];
      for (std::size_t j = 0; j < terms.size(); ++j)
        J(static_cast<Index>(r), static_cast<Index>(j)) = at.de[rows[r] * k + terms[j]];
    }
    const double here = b.cwiseAbs().maxCoeff();
    if (here >= off) break;
    off = here;
    std::copy(theta.begin(), theta.end(), before.begin());
    if (off == 0) break;
    const VectorXd by = maths::shortest_solution(J, b);
    for (std::size_t j = 0; j < terms.size(); ++j) theta[terms[j]] += by(static_cast<Index>(j));
  }
  std::copy(before.begin(), before.end(), theta.begin());
  if (!likelihood.slopes(theta, at)) return;
  for (const std::size_t j : terms) {
    double most = 0;
    for (std::size_t t = 0; t < at.e.size(); ++t)
      most = std::max(most, std::abs(at.de[t * theta.size() + j]) / std::sqrt(at.h[t]));
    if (std::abs(theta[j]) * most < kNothing) theta[j] = 0;
  }
}

}  // namespace brace::inline v0
