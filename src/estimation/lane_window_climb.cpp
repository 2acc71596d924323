// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp and rolling_test.cpp.
#include "estimation/lane_window_climb.hpp"
#include "maths/dense.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>

namespace brace::inline v0 {
namespace {

// A window next to one that was fitted needs three or four; what needs more is climbed alone.
constexpr int kMostSteps = 10;
// f is a sum of thousands of terms: differences below this share of it are rounding.
constexpr double kRounding = 1e-12;

constexpr auto kMost = static_cast<Eigen::Index>(kLaneParameters);
// No larger than six: nothing is allocated in the loop.
using Vector = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, kMost, 1>;
using LaneMatrix = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, kMost, kMost>;

}  // namespace

struct LaneWindowClimb::Lane {
  Vector theta;  // scaled
  double mean = 0, square = 0;
  double f = std::numeric_limits<double>::infinity();
  LaneMatrix curvature;  // -H by the scaled parameters
  double norm = std::numeric_limits<double>::infinity();
  bool done = false, good = false;
};

LaneWindowClimb::LaneWindowClimb(const Model& model, std::span<const double> y, std::size_t stride,
                                 const LaneKernels& kernels)
    : kernels_(kernels),
      stride_(stride),
      of_{*lane_family(model.variance), *lane_law(model.shocks), model.mean.constant},
      coordinates_(model, std::vector<std::optional<double>>(of_.parameters())),
      y_(y.begin(), y.end()) {
  const auto n = static_cast<double>(y_.size());
  double sum = 0, squares = 0;
  for (const double v : y_) sum += v;
  if (of_.constant) centre_ = sum / n;
  for (const double v : y_) squares += (v - centre_) * (v - centre_);
  scale_ = std::sqrt(squares / n);
  sums_.assign(1, 0);
  squares_.assign(1, 0);
  for (double& v : y_) {
    v = (v - centre_) / scale_;
    sums_.push_back(sums_.back() + v);
    squares_.push_back(squares_.back() + v * v);
  }
  y_.resize(y_.size() + kMostLanes * stride, 0.0);
}

bool LaneWindowClimb::step(Lane& lane, std::size_t n, const double* sums) const {
  const auto k = static_cast<Eigen::Index>(of_.parameters());
  thread_local Derivatives<double> d;
  const bool student = of_.law == LaneLaw::student;
  of_.finish(sums, width(), n, student ? lane.theta(k - 1) : 8, LaneOrder::hessian, d);
  const double f = -d.log_likelihood;
  lane.done = true;
  if (!d.admitted || f > lane.f + kRounding * std::abs(f)) return true;
  lane.f = f;
  Vector g(k);
  lane.curvature.resize(k, k);
  for (Eigen::Index j = 0; j < k; ++j) {
    g(j) = -d.gradient[static_cast<std::size_t>(j)];
    for (Eigen::Index i = 0; i <= j; ++i)
      lane.curvature(j, i) = lane.curvature(i, j) =
          -d.hessian[packed(static_cast<std::size_t>(j), static_cast<std::size_t>(i))];
  }
  // The climb is made in 1/nu, as everywhere.
  LaneMatrix B = lane.curvature;
  if (student) {
    const double nu = lane.theta(k - 1), slope = -nu * nu, g_nu = g(k - 1);
    g(k - 1) *= slope;
    B.row(k - 1) *= slope;
    B.col(k - 1) *= slope;
    B(k - 1, k - 1) += 2 * nu * nu * nu * g_nu;
  }
  const Eigen::LLT<LaneMatrix> factor(B);
  if (factor.info() != Eigen::Success) return true;
  const Vector move = -factor.solve(g);
  lane.norm = std::sqrt(std::max(0.0, -g.dot(move)));
  if (!(lane.norm < 1e3)) return true;
  if (lane.norm < kConverged) {
    lane.good = true;
    return true;
  }
  Vector x = lane.theta;
  if (student) x(k - 1) = 1 / x(k - 1);
  x += move;
  const maths::LinearConstraints& bounds = coordinates_.constraints();
  for (Eigen::Index i = 0; i < bounds.d.size(); ++i)
    if (bounds.C.row(i).dot(x) >= bounds.d(i)) return true;
  if (student) x(k - 1) = 1 / x(k - 1);
  lane.theta = x;
  lane.done = false;
  return false;
}

void LaneWindowClimb::run(std::size_t first, std::size_t n, const std::vector<double>& start,
                          std::span<RollingFit> found) const {
  const std::size_t W = width(), k = of_.parameters();
  std::array<Lane, kMostLanes> lanes;
  const auto rows = static_cast<double>(n);
  for (std::size_t c = 0; c < W; ++c) {
    Lane& lane = lanes[c];
    // A lane without a window runs along with the first's parameters, and nobody looks.
    lane.done = c >= found.size();
    const std::size_t begin = first + (lane.done ? 0 : c) * stride_;
    lane.mean = (sums_[begin + n] - sums_[begin]) / rows;
    lane.square = (squares_[begin + n] - squares_[begin]) / rows;
    lane.theta.resize(static_cast<Eigen::Index>(k));
    for (std::size_t j = 0; j < k; ++j) lane.theta(static_cast<Eigen::Index>(j)) = start[j];
    if (of_.constant) lane.theta(0) = (start[0] - centre_) / scale_;
    lane.theta(static_cast<Eigen::Index>(of_.omega())) /= scale_ * scale_;
  }
  std::array<double, kLaneParameters * kMostLanes> theta{};
  std::array<LanePresample, kMostLanes> presample{};
  std::array<double, kLaneSums * kMostLanes> sums{};
  for (int count = 0; count < kMostSteps; ++count) {
    for (std::size_t c = 0; c < W; ++c) {
      const Lane& lane = lanes[c];
      theta[4 * W + c] = 8;
      for (std::size_t j = 0; j < k; ++j)
        theta[of_.place(j) * W + c] = lane.theta(static_cast<Eigen::Index>(j));
      const double mu = of_.constant ? lane.theta(0) : 0;
      presample[c] = {lane.square - mu * (2 * lane.mean - mu), -2 * (lane.mean - mu), 2};
    }
    kernels_.side_by_side(of_.family, of_.law, LaneOrder::hessian, {y_.data() + first, n, stride_},
                          theta.data(), presample.data(), sums.data());
    bool all = true;
    for (std::size_t c = 0; c < W; ++c)
      if (!lanes[c].done) all = step(lanes[c], n, sums.data() + c) && all;
    if (all) break;
  }
  for (std::size_t c = 0; c < W; ++c)
    if (lanes[c].good) write(lanes[c], n, found[c]);
}

void LaneWindowClimb::write(const Lane& lane, std::size_t n, RollingFit& found) const {
  const auto k = static_cast<Eigen::Index>(of_.parameters());
  Vector unit = Vector::Ones(k);
  if (of_.constant) unit(0) = scale_;
  unit(static_cast<Eigen::Index>(of_.omega())) = scale_ * scale_;
  const Vector estimates = lane.theta.cwiseProduct(unit);
  found.status = FitStatus::converged;
  found.gradient_norm = lane.norm;
  found.estimates.assign(estimates.begin(), estimates.end());
  if (of_.constant) found.estimates[0] += centre_;
  found.log_likelihood = -lane.f - static_cast<double>(n) * std::log(scale_);
  const LaneMatrix inverse = lane.curvature.llt().solve(LaneMatrix::Identity(k, k));
  found.covariance = maths::to_matrix(unit.asDiagonal() * inverse * unit.asDiagonal());
}

}  // namespace brace::inline v0
