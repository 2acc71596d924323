// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/state_likelihood.hpp"

#include <algorithm>
#include <cmath>

#include "families/shock_law.hpp"
#include "likelihood/lanes/lane_likelihood.hpp"

namespace brace::inline v0 {
namespace {

using namespace state_place;

std::optional<StateFamily> state_family(const Variance& variance) {
  if (variance == Variance(Gjr{})) return StateFamily::gjr;
  if (variance == Variance(Egarch{})) return StateFamily::egarch;
  if (variance == Variance(Aparch{})) return StateFamily::aparch;
  for (const Variance& garch : {Variance(Garch{}), Variance(Steady{}), Variance(Arch{}),
                                Variance(Igarch{}), Variance(Ewma{})})
    if (variance == garch) return StateFamily::garch;
  return std::nullopt;
}

std::vector<std::size_t> places_of(const Model& model) {
  std::vector<std::size_t> at;
  if (model.mean.constant) at.push_back(kMu);
  const Variance& variance = model.variance;
  if (std::holds_alternative<Ewma>(variance)) {
    at.push_back(kBeta);
  } else {
    at.push_back(kOmega);
    if (!std::holds_alternative<Steady>(variance)) at.push_back(kAlpha);
    const std::optional<StateFamily> family = state_family(variance);
    if (family != StateFamily::garch) at.push_back(kGamma);
    if (family != StateFamily::garch || std::holds_alternative<Garch>(variance))
      at.push_back(kBeta);
    if (family == StateFamily::aparch) at.push_back(kDelta);
  }
  const std::size_t shapes = shock_law(model.shocks).shapes.size();
  for (std::size_t i = 0; i < shapes; ++i) at.push_back(kShape + i);
  return at;
}

}  // namespace

bool StateLikelihood::serves(const Model& model, const MeanData& data) {
  return state_family(model.variance) && lanes_may_serve(model, data);
}

StateLikelihood::StateLikelihood(const Model& model, const MeanData& data,
                                 const LaneKernels& kernels)
    : InLanes(model, data, kernels),
      family_(*state_family(model.variance)),
      law_(state_law(model.shocks)),
      places_(places_of(model)),
      // The rows that are left over go first.
      series_(in_lanes(std::span(data.change)
                           .subspan(data.change.size() % static_cast<std::size_t>(kernels.width)),
                       static_cast<std::size_t>(kernels.width))),
      storage_(8 * rows_of_work(data.change.size())),
      work_{.rows = storage_.data(), .each = rows_of_work(data.change.size()), .starts = {}} {
  if (std::holds_alternative<Igarch>(model.variance)) complement_ = {.is = kBeta, .of = kAlpha};
  if (std::holds_alternative<Ewma>(model.variance)) complement_ = {.is = kAlpha, .of = kBeta};
}

// The presample values are m, the mean of e^2: of h and e^2 in garch and gjr, where half of it
// fell; of both powers in aparch, as m^(delta/2); ln h is ln m in egarch, whose news are 0.
void StateLikelihood::set_first_state() {
  const auto [m, m1, m2] = presample(point_.theta[kMu]);
  const double omega = point_.theta[kOmega], alpha = point_.theta[kAlpha],
               beta = point_.theta[kBeta], gamma = point_.theta[kGamma],
               delta = point_.theta[kDelta];
  std::fill(std::begin(point_.D), std::end(point_.D), 0.0);
  std::fill(std::begin(point_.D2), std::end(point_.D2), 0.0);
  // v(m, delta), that which beta (and, in all but egarch, alpha) multiplies.
  double v = m, vm = 1, vmm = 0, vd = 0, vdd = 0, vmd = 0, weight = alpha + beta;
  if (family_ == StateFamily::gjr) weight += 0.5 * gamma;
  if (family_ == StateFamily::egarch) {
    weight = beta;
    v = std::log(m);
    vm = 1 / m;
    vmm = -vm * vm;
  } else if (family_ == StateFamily::aparch) {
    const double ln = std::log(m);
    v = std::exp(0.5 * delta * ln);
    vm = 0.5 * delta * v / m;
    vmm = (0.5 * delta - 1) * vm / m;
    vd = 0.5 * ln * v;
    vdd = 0.5 * ln * vd;
    vmd = 0.5 * v / m * (1 + 0.5 * delta * ln);
  }
  point_.x = omega + weight * v;
  double* const D = point_.D;
  double* const D2 = point_.D2;
  D[kMu] = weight * vm * m1;
  D[kOmega] = 1;
  D[kBeta] = v;
  D[kDelta] = weight * vd;
  D2[packed(kMu, kMu)] = weight * (vmm * m1 * m1 + vm * m2);
  D2[packed(kBeta, kMu)] = vm * m1;
  D2[packed(kDelta, kMu)] = weight * vmd * m1;
  D2[packed(kDelta, kBeta)] = vd;
  D2[packed(kDelta, kDelta)] = weight * vdd;
  if (family_ != StateFamily::egarch) {
    D[kAlpha] = v;
    D2[packed(kAlpha, kMu)] = vm * m1;
    D2[packed(kDelta, kAlpha)] = vd;
  }
  if (family_ == StateFamily::gjr) {
    D[kGamma] = 0.5 * m;
    D2[packed(kGamma, kMu)] = 0.5 * m1;
  }
}

bool StateLikelihood::set_point(std::span<const double> theta, LaneOrder order) {
  std::fill(std::begin(point_.theta), std::end(point_.theta), 0.0);
  for (std::size_t i = 0; i < theta.size(); ++i) point_.theta[places_[i]] = theta[i];
  if (complement_) point_.theta[complement_->is] = 1 - point_.theta[complement_->of];
  const double omega = point_.theta[kOmega], alpha = point_.theta[kAlpha],
               beta = point_.theta[kBeta], gamma = point_.theta[kGamma];
  // Without these a variance may be negative, which the kernel asks of no row.
  if (family_ != StateFamily::egarch && !(omega >= 0 && alpha >= 0 && beta >= 0)) return false;
  if (family_ == StateFamily::gjr && !(alpha + gamma >= 0)) return false;
  if (family_ == StateFamily::aparch && !(std::abs(gamma) < 1 && point_.theta[kDelta] > 0))
    return false;
  const double* const shape = point_.theta + kShape;
  terms_ = law_terms(model_.shocks, shape, order == LaneOrder::scoring);
  point_.law = terms_.at;
  if (family_ == StateFamily::egarch) {
    const std::size_t shapes =
        model_.shocks.index() == 0 ? 0 : (law_ == StateLaw::skew_student ? 2 : 1);
    if (order == LaneOrder::value || shapes == 0) {
      point_.size = mean_absolute(model_.shocks, std::span(shape, shapes));
    } else {
      const Moment<double> size = law_moment<double>(mean_absolute, model_.shocks, shape, shapes);
      point_.size = size.value;
      std::copy_n(size.d.begin(), 2, point_.size1);
      std::copy_n(size.d2.begin(), 3, point_.size2);
    }
  }
  set_first_state();
  return std::isfinite(point_.x);
}

bool StateLikelihood::run(std::span<const double> theta, LaneOrder order,
                          Derivatives<double>& out) {
  if (!set_point(theta, order)) return false;
  std::array<double, kStateSums> sums;
  const std::size_t n = data_.change.size();
  if (!kernels_.one_state(family_, law_, order, {series_.data(), data_.change.data(), n}, point_,
                          work_, sums.data()))
    return false;
  const auto rows = static_cast<double>(n);
  out.log_likelihood = sums[0] + rows * terms_.constant;
  // Products over many rows may leave the range of a double where their logarithms do not.
  out.admitted = std::isfinite(out.log_likelihood);
  if (order == LaneOrder::value || !out.admitted) return out.admitted;
  const std::size_t k = theta.size();
  out.gradient.resize(k);
  const auto moved_with = [&](std::size_t at) {  // by the parameter at this place
    return complement_ && complement_->of == at ? std::optional(complement_->is) : std::nullopt;
  };
  for (std::size_t j = 0; j < k; ++j) {
    const std::size_t at = places_[j];
    out.gradient[j] = sums[1 + at] + (at >= kShape ? rows * terms_.slope[at - kShape] : 0);
    if (const auto other = moved_with(at)) out.gradient[j] -= sums[1 + *other];
  }
  if (order == LaneOrder::gradient) return true;
  std::vector<double>& second = order == LaneOrder::scoring ? out.information : out.hessian;
  second.resize(packed_size(k));
  const auto sum_at = [&](std::size_t a, std::size_t b) {
    return sums[1 + kStateParameters + packed(std::max(a, b), std::min(a, b))];
  };
  for (std::size_t j = 0; j < k; ++j)
    for (std::size_t i = 0; i <= j; ++i) {
      const std::size_t row = std::max(places_[j], places_[i]),
                        column = std::min(places_[j], places_[i]);
      double& sum = second[packed(j, i)] = sum_at(row, column);
      const auto with_row = moved_with(row), with_column = moved_with(column);
      if (with_row) sum -= sum_at(*with_row, column);
      if (with_column) sum -= sum_at(row, *with_column);
      if (with_row && with_column) sum += sum_at(*with_row, *with_column);
      if (column < kShape || order == LaneOrder::products) continue;
      const std::size_t r = packed(row - kShape, column - kShape);
      sum += rows * (order == LaneOrder::hessian ? terms_.bend[r] : terms_.information[r]);
    }
  return true;
}

bool StateLikelihood::rows_at(std::span<const double> theta, std::vector<double>& h,
                              std::vector<double>& slopes) {
  Derivatives<double> out;
  if (!run(theta, LaneOrder::hessian, out)) return false;
  // As the sweeps left them: 1 / sd of each row, and lambda in the place of the law's slope.
  const std::size_t n = rows(), width = static_cast<std::size_t>(kernels_.width), left = n % width,
                    pieces = n / width;
  const double* const over_sd = work_.rows + work_.each;
  const double* const lambda = work_.rows + 4 * work_.each;
  const double alpha = point_.theta[kAlpha];
  h.resize(n);
  slopes.resize(n);
  for (std::size_t t = 0; t < n; ++t) {
    const std::size_t at =
        t < left ? work_.each - kMostLanes + t : (t - left) % pieces * width + (t - left) / pieces;
    const double s = over_sd[at];
    h[t] = 1 / (s * s);
    slopes[t] = alpha * lambda[at] * (family_ == StateFamily::egarch ? s : 1);
  }
  return true;
}

}  // namespace brace::inline v0
