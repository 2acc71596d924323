// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/two_lag_likelihood.hpp"

#include <algorithm>
#include <cmath>

#include "families/shock_law.hpp"
#include "likelihood/lanes/lane_likelihood.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

using namespace two_lag_place;

bool two_at_most(const Lags* lags) {
  return !lags || lags->empty() || lags->back() <= 2;
}

}  // namespace

bool TwoLagLikelihood::serves(const Model& model, const MeanData& data) {
  const Variance& variance = model.variance;
  const bool linear =
      std::holds_alternative<Garch>(variance) || std::holds_alternative<Arch>(variance);
  return (std::holds_alternative<TwoComponents>(variance) ||
          (linear && two_at_most(shock_lags(variance)) && two_at_most(variance_lags(variance)))) &&
         lanes_may_serve(model, data);
}

TwoLagLikelihood::TwoLagLikelihood(const Model& model, const MeanData& data,
                                   const LaneKernels& kernels)
    : InLanes(model, data, kernels),
      first_(model.mean.constant ? 1 : 0),
      // The rows that are left over go first.
      series_(in_lanes(std::span(data.change)
                           .subspan(data.change.size() % static_cast<std::size_t>(kernels.width)),
                       static_cast<std::size_t>(kernels.width))),
      storage_(4 * rows_of_work(data.change.size())),
      work_{.rows = storage_.data(), .each = rows_of_work(data.change.size()), .starts = {}} {}

void TwoLagLikelihood::add(std::size_t to, std::size_t a, double c) {
  point_.theta[to] += c * x_[a];
  J_(static_cast<Index>(to), static_cast<Index>(first_ + a)) += c;
}

void TwoLagLikelihood::add(std::size_t to, std::size_t a, std::size_t b, double c) {
  point_.theta[to] += c * x_[a] * x_[b];
  J_(static_cast<Index>(to), static_cast<Index>(first_ + a)) += c * x_[b];
  J_(static_cast<Index>(to), static_cast<Index>(first_ + b)) += c * x_[a];
  bends_.push_back({to, first_ + a, first_ + b, c});
}

void TwoLagLikelihood::add_presample(std::size_t to, std::size_t a, double c) {
  point_.theta[to] += c * x_[a] * m_.m;
  J_(static_cast<Index>(to), static_cast<Index>(first_ + a)) += c * m_.m;
  if (first_ == 0) return;
  J_(static_cast<Index>(to), 0) += c * x_[a] * m_.m1;
  bends_.push_back({to, first_ + a, 0, c * m_.m1});
  bends_.push_back({to, 0, 0, c * x_[a] * m_.m2});
}

void TwoLagLikelihood::add_presample(std::size_t to, std::size_t a, std::size_t b, double c) {
  point_.theta[to] += c * x_[a] * x_[b] * m_.m;
  J_(static_cast<Index>(to), static_cast<Index>(first_ + a)) += c * x_[b] * m_.m;
  J_(static_cast<Index>(to), static_cast<Index>(first_ + b)) += c * x_[a] * m_.m;
  bends_.push_back({to, first_ + a, first_ + b, c * m_.m});
  if (first_ == 0) return;
  J_(static_cast<Index>(to), 0) += c * x_[a] * x_[b] * m_.m1;
  bends_.push_back({to, first_ + a, 0, c * x_[b] * m_.m1});
  bends_.push_back({to, first_ + b, 0, c * x_[a] * m_.m1});
  bends_.push_back({to, 0, 0, c * x_[a] * x_[b] * m_.m2});
}

// e^2 and h before the first row are m.
void TwoLagLikelihood::map_garch(std::span<const double> theta) {
  x_ = theta.subspan(first_);
  add(kA0, 0, 1);
  add(kFirstH, 0, 1);
  std::size_t p = 1;
  for (const auto& [lags, of_one, of_two] :
       {std::tuple{shock_lags(model_.variance), kA1, kA2},
        std::tuple{variance_lags(model_.variance), kB1, kB2}}) {
    if (!lags) continue;
    for (const int lag : *lags) {
      add(lag == 1 ? of_one : of_two, p, 1);
      add_presample(kFirstH, p, 1);
      if (lag == 2) add_presample(kFirstV, p, 1);
      ++p;
    }
  }
}

// With A = alpha + beta the lag polynomials of h and q multiply out to
//   h[t] = (1 - A) omega + (alpha + phi) e[t-1]^2 - (phi A + alpha rho) e[t-2]^2
//          + (rho + beta - phi) h[t-1] + (phi A - beta rho) h[t-2].
// e^2, h and q before the first row are m: its h and q are omega + rho m, and v follows from the
// second row.
void TwoLagLikelihood::map_two_components(std::span<const double> theta) {
  x_ = theta.subspan(first_);
  constexpr std::size_t kOmega = 0, kAlpha = 1, kBeta = 2, kRho = 3, kPhi = 4;
  add(kA0, kOmega, 1);
  add(kA0, kOmega, kAlpha, -1);
  add(kA0, kOmega, kBeta, -1);
  add(kA1, kAlpha, 1);
  add(kA1, kPhi, 1);
  add(kA2, kPhi, kAlpha, -1);
  add(kA2, kPhi, kBeta, -1);
  add(kA2, kAlpha, kRho, -1);
  add(kB1, kRho, 1);
  add(kB1, kBeta, 1);
  add(kB1, kPhi, -1);
  add(kB2, kPhi, kAlpha, 1);
  add(kB2, kPhi, kBeta, 1);
  add(kB2, kBeta, kRho, -1);
  add(kFirstH, kOmega, 1);
  add_presample(kFirstH, kRho, 1);
  add_presample(kFirstV, kAlpha, kRho, -1);
  add_presample(kFirstV, kBeta, kRho, -1);
}

void TwoLagLikelihood::map(std::span<const double> theta) {
  std::fill(std::begin(point_.theta), std::end(point_.theta), 0.0);
  J_.setZero(kTwoLagParameters, static_cast<Index>(theta.size()));
  bends_.clear();
  const double mu = first_ == 1 ? theta[0] : 0;
  m_ = presample(mu);
  point_.theta[kMean] = mu;
  if (first_ == 1) J_(kMean, 0) = 1;
  if (std::holds_alternative<TwoComponents>(model_.variance))
    map_two_components(theta);
  else
    map_garch(theta);
  const std::size_t shapes = shock_law(model_.shocks).shapes.size();
  for (std::size_t i = 0; i < shapes; ++i) {
    const std::size_t from = theta.size() - shapes + i;
    point_.theta[kOfLaw + i] = theta[from];
    J_(static_cast<Index>(kOfLaw + i), static_cast<Index>(from)) = 1;
  }
}

bool TwoLagLikelihood::run(std::span<const double> theta, LaneOrder order,
                           Derivatives<double>& out) {
  map(theta);
  terms_ = law_terms(model_.shocks, point_.theta + kOfLaw, order == LaneOrder::scoring);
  point_.law = terms_.at;
  std::array<double, kTwoLagSums> sums;
  const std::size_t n = data_.change.size();
  if (!(point_.theta[kFirstH] > 0) ||
      !kernels_.two_lags(state_law(model_.shocks), order, {series_.data(), data_.change.data(), n},
                         point_, work_, sums.data()))
    return false;
  const auto rows = static_cast<double>(n);
  out.log_likelihood = sums[0] + rows * terms_.constant;
  out.admitted = std::isfinite(out.log_likelihood);
  if (order == LaneOrder::value || !out.admitted) return out.admitted;
  VectorXd g = Eigen::Map<const VectorXd>(sums.data() + 1, kTwoLagParameters);
  const std::size_t shapes = shock_law(model_.shocks).shapes.size();
  for (std::size_t i = 0; i < shapes; ++i)
    g(static_cast<Index>(kOfLaw + i)) += rows * terms_.slope[i];
  const VectorXd gradient = maths::cross(J_, g);
  out.gradient.assign(gradient.begin(), gradient.end());
  if (order == LaneOrder::gradient) return true;
  MatrixXd H(kTwoLagParameters, kTwoLagParameters);
  for (std::size_t j = 0; j < kTwoLagParameters; ++j)
    for (std::size_t i = 0; i <= j; ++i) {
      double sum = sums[1 + kTwoLagParameters + packed(j, i)];
      if (i >= kOfLaw && order != LaneOrder::products)
        sum += rows * (order == LaneOrder::hessian
                           ? terms_.bend
                           : terms_.information)[packed(j - kOfLaw, i - kOfLaw)];
      H(static_cast<Index>(j), static_cast<Index>(i)) = sum;
      H(static_cast<Index>(i), static_cast<Index>(j)) = sum;
    }
  MatrixXd second = maths::sandwich(J_.transpose(), H);
  if (order == LaneOrder::hessian)
    for (const Bend& bend : bends_) {
      const auto a = static_cast<Index>(bend.a), b = static_cast<Index>(bend.b);
      const double by = g(static_cast<Index>(bend.of)) * bend.value;
      second(a, b) += by;
      if (a != b) second(b, a) += by;
    }
  std::vector<double>& packed_second = order == LaneOrder::scoring ? out.information : out.hessian;
  packed_second.clear();
  for (Index j = 0; j < second.rows(); ++j)
    for (Index i = 0; i <= j; ++i) packed_second.push_back(second(j, i));
  return true;
}

}  // namespace brace::inline v0
