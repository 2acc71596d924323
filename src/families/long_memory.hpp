// SPDX-License-Identifier: Apache-2.0
// The variance kernel of longmem, fractionally integrated (Baillie, Bollerslev and Mikkelsen 1996,
// cut off after 1,000 lags):
//   h[t] = omega / (1 - beta) + sum_{k=1..1000} lambda_k e[t-k]^2 + x[t]'vwith
//   lambda_1 = phi1 - beta + d,   lambda_k = beta lambda_{k-1} + ((k-1-d)/k - phi1) delta_{k-1}
//   delta_1 = d,                  delta_k = delta_{k-1} (k-1-d)/k
// Every lambda must be >= 0. Before the sample e^2 is m in all 1,000 lags; where e is missing its
// square is h. Tests: tests/likelihood/likelihood_test.cpp.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <limits>
#include <numeric>
#include <type_traits>

#include "families/variance_family.hpp"
#include "families/variance_stage.hpp"

namespace brace::inline v0 {

inline constexpr std::size_t kMemory = 1000;
// Below this a lambda is negative, above it rounding of one that is zero.
inline constexpr double kLeastLambda = -1e-12;

template <class T>
class LongMemoryStage final : public FamilyStage<LongMemoryStage<T>, T> {
  using Base = FamilyStage<LongMemoryStage<T>, T>;

 public:
  LongMemoryStage(const Model&, const StageSetup& setup)
      : Base(setup),
        width_(std::max(setup.mean + setup.variance, setup.shock_width)),
        news_width_(setup.shock_width) {
    this->own(h_, 1, width_);
    this->own(q_, kMemory, news_width_);
    this->own_scratch(width_);
    lambda_.resize(0, kMemory, 3);
    delta_.resize(0, kMemory, 3);
  }

  // Shocks do not depend on h, so that the sums of all lags of a block's rows are formed at once.
  bool run(Order order, const ShockBlock<T>& block) override {
    if constexpr (std::is_same_v<T, double>)
      if (setup_.slide && !setup_.gaps)
        return with_order(order, [&]<Order O>() {
          for (std::size_t row = 0; row < block.rows; ++row) this->template take<O>(block, row);
          slide_all<O>(block.rows);
          slid_ = true;
          bool admitted = true;
          for (std::size_t row = 0; admitted && row < block.rows; ++row)
            admitted = this->template step<O>(block, row);
          slid_ = false;
          return admitted;
        });
    return Base::run(order, block);
  }

  void shift(Order order, std::size_t rows) override {
    Base::shift(order, rows);
    for (std::ptrdiff_t& gap : gaps_) gap -= static_cast<std::ptrdiff_t>(rows);
  }

  template <Order O>
  void start(const Row<T>& m) {
    gaps_.clear();
    gap_first_.clear();
    gap_second_.clear();
    this->template fill_before<O>(h_, m);
    this->template fill_before<O>(q_, m);
    const T phi = theta_[1], d = theta_[2], beta = theta_[3];
    // Parameters of the weights: phi1, d, beta.
    lambda_.template clear<O>(0);
    delta_.template clear<O>(0);
    lambda_.at(0) = phi - beta + d;
    delta_.at(0) = d;
    if constexpr (O != Order::value) {
      lambda_.d(0)[0] = lambda_.d(0)[1] = delta_.d(0)[1] = T(1);
      lambda_.d(0)[2] = T(-1);
    }
    admitted_ = !(lambda_.at(0) < T(kLeastLambda));
    for (std::ptrdiff_t i = 1; i < static_cast<std::ptrdiff_t>(kMemory); ++i) {
      const auto k = static_cast<double>(i + 1);
      lambda_.template clear<O>(i);
      delta_.template clear<O>(i);
      const T share = (k - 1 - d) / k;
      add_scaled<O>(delta_.row(i), share, delta_.row(i - 1), 3);
      add_slope<O>(delta_.row(i), 1, -1 / k, delta_.row(i - 1), 3);
      add_term<O>(lambda_.row(i), 2, beta, lambda_.row(i - 1), 3);
      add_scaled<O>(lambda_.row(i), T(share - phi), delta_.row(i - 1), 3);
      add_slope<O>(lambda_.row(i), 1, -1 / k, delta_.row(i - 1), 3);
      add_slope<O>(lambda_.row(i), 0, -1, delta_.row(i - 1), 3);
      if (lambda_.at(i) < T(kLeastLambda)) admitted_ = false;
    }
    // By weight, newest lag last, so that sums run along both arrays.
    const std::size_t kinds = O == Order::value ? 1 : O == Order::hessian ? 10 : 4;
    weights_.resize(kinds);
    for (std::size_t kind = 0; kind < kinds; ++kind) {
      weights_[kind].resize(kMemory);
      for (std::size_t k = 0; k < kMemory; ++k) {
        const auto i = static_cast<std::ptrdiff_t>(k);
        weights_[kind][kMemory - 1 - k] = kind == 0  ? lambda_.at(i)
                                          : kind < 4 ? lambda_.d(i)[kind - 1]
                                                     : lambda_.d2(i)[kind - 4];
      }
    }
  }

  template <Order O>
  void next(std::ptrdiff_t t, const ShockBlock<T>& block, std::size_t at) {
    h_.template clear<O>(t);
    const Row<T> out = h_.row(t);
    if (!admitted_) return;  // h = 0 says so
    const T over = 1 / (1 - theta_[3]);
    const std::size_t first = setup_.mean, omega = first, of_weights = first + 1, beta = first + 3;
    const auto oldest = t - static_cast<std::ptrdiff_t>(kMemory);
    // Sums of all lags of e^2, of its derivative j, and of its second derivative r.
    const auto sum = [&](std::size_t kind, std::size_t of) {
      return slid_ ? sums_[kind * sources() + of][at] : dot(weights_[kind], oldest, of);
    };
    *out.value = theta_[0] * over + sum(0, 0);
    if constexpr (O != Order::value) {
      out.d[omega] += over;
      out.d[beta] += theta_[0] * over * over;
      for (std::size_t a = 0; a < 3; ++a) out.d[of_weights + a] += sum(1 + a, 0);
      for (std::size_t j = 0; j < news_width_; ++j) out.d[j] += sum(0, 1 + j);
    }
    if constexpr (O == Order::hessian) {
      out.d2[packed(beta, omega)] += over * over;
      out.d2[packed(beta, beta)] += 2 * theta_[0] * over * over * over;
      for (std::size_t a = 0, r = 0; a < 3; ++a)
        for (std::size_t b = 0; b <= a; ++b, ++r)
          out.d2[packed(of_weights + a, of_weights + b)] += sum(4 + r, 0);
      for (std::size_t a = 0; a < 3; ++a)
        for (std::size_t j = 0; j < news_width_; ++j) {
          const std::size_t p = of_weights + a;
          out.d2[p >= j ? packed(p, j) : packed(j, p)] += (p == j ? 2 : 1) * sum(1 + a, 1 + j);
        }
      const std::size_t pairs = packed_size(news_width_);
      for (std::size_t r = 0; r < pairs; ++r) out.d2[r] += sum(0, 1 + news_width_ + r);
    }
    add_gaps<O>(out, oldest);
    if (setup_.columns > 0) this->template add_columns<O>(out, block, at);
  }

  template <Order O>
  void learn(std::ptrdiff_t t, const Row<T>& shock) {
    this->template square<O>(q_.row(t), shock, news_width_);
  }

  template <Order O>
  void skip(std::ptrdiff_t t) {
    q_.template clear<O>(t);
    q_.at(t) = h_.at(t);
    if constexpr (O != Order::value) {
      gaps_.push_back(t);
      gap_first_.insert(gap_first_.end(), h_.d(t), h_.d(t) + width_);
    }
    if constexpr (O == Order::hessian)
      gap_second_.insert(gap_second_.end(), h_.d2(t), h_.d2(t) + packed_size(width_));
  }

 private:
  using Base::h_, Base::setup_, Base::theta_;

  // What rows without a shock add: their h moves with every parameter, others' e^2 with the mean's
  // alone, which is why they stand apart.
  template <Order O>
  void add_gaps(const Row<T>& out, std::ptrdiff_t oldest) const {
    if constexpr (O == Order::value) return;
    for (std::size_t g = 0; g < gaps_.size(); ++g) {
      if (gaps_[g] < oldest) continue;
      const auto lag = static_cast<std::size_t>(gaps_[g] - oldest);
      const T *d = gap_first_.data() + g * width_, weight = weights_[0][lag];
      for (std::size_t j = 0; j < width_; ++j) out.d[j] += weight * d[j];
      if constexpr (O == Order::hessian) {
        const std::size_t pairs = packed_size(width_);
        const T* d2 = gap_second_.data() + g * pairs;
        for (std::size_t r = 0; r < pairs; ++r) out.d2[r] += weight * d2[r];
        for (std::size_t a = 0; a < 3; ++a)
          for (std::size_t j = 0, p = setup_.mean + 1 + a; j < width_; ++j)
            out.d2[p >= j ? packed(p, j) : packed(j, p)] +=
                (p == j ? 2 : 1) * weights_[1 + a][lag] * d[j];
      }
    }
  }

  // e^2, its first and its second derivatives: how many they are, where those of row t begin, and
  // how far apart those of two rows are.
  [[nodiscard]] std::size_t sources() const { return 1 + news_width_ + packed_size(news_width_); }
  struct Source {
    const T* first;
    std::size_t stride;
  };
  [[nodiscard]] Source source(std::ptrdiff_t t, std::size_t of) {
    if (of == 0) return {&q_.at(t), 1};
    if (of <= news_width_) return {q_.d(t) + (of - 1), news_width_};
    return {q_.d2(t) + (of - 1 - news_width_), packed_size(news_width_)};
  }
  T dot(const std::vector<T>& w, std::ptrdiff_t oldest, std::size_t of) {
    const auto [q, stride] = source(oldest, of);
    return stride == 1 ? dot_by<1>(w.data(), q, 1) : dot_by<0>(w.data(), q, stride);
  }
  template <Order O>
  void slide_all(std::size_t rows) {
    if (!admitted_) return;
    sums_.resize(weights_.size() * sources());
    const std::size_t most = O == Order::value     ? 1
                             : O == Order::hessian ? sources()
                                                   : 1 + news_width_;
    for (std::size_t of = 0; of < most; ++of) {
      const auto [q, stride] = source(-static_cast<std::ptrdiff_t>(kMemory), of);
      const T* x = q;
      if (stride > 1) {
        column_.resize(kMemory + rows);
        for (std::size_t i = 0; i < column_.size(); ++i) column_[i] = q[i * stride];
        x = column_.data();
      }
      // All weights meet e^2, the first derivatives of both each other.
      const std::size_t kinds = of == 0                                    ? weights_.size()
                                : of <= news_width_ && O == Order::hessian ? 4
                                                                           : 1;
      for (std::size_t kind = 0; kind < kinds; ++kind)
        if constexpr (std::is_same_v<T, double>)
          setup_.slide(weights_[kind].data(), kMemory, x, rows,
                       sums_[kind * sources() + of].data());
    }
  }
  // Eight chains, so that an addition need not wait for the one before it; a stride of 1 that the
  // compiler knows fills vector registers.
  template <std::size_t Stride>
  static T dot_by(const T* w, const T* q, std::size_t stride) {
    constexpr std::size_t kChains = 8;
    static_assert(kMemory % kChains == 0);
    std::array<T, kChains> sum{};
    for (std::size_t k = 0; k < kMemory; k += kChains)
#pragma GCC unroll 8
      for (std::size_t chain = 0; chain < kChains; ++chain)
        sum[chain] += w[k + chain] * q[(k + chain) * (Stride == 0 ? stride : Stride)];
    return ((sum[0] + sum[1]) + (sum[2] + sum[3])) + ((sum[4] + sum[5]) + (sum[6] + sum[7]));
  }

  std::size_t width_, news_width_;
  Rows<T> q_, lambda_, delta_;
  // Rows without a shock, and the derivatives of their h, width_ and packed_size(width_) each.
  std::vector<std::ptrdiff_t> gaps_;
  std::vector<T> gap_first_, gap_second_;
  std::vector<std::vector<T>> weights_;  // lambda, its 3 first and 6 second derivatives
  bool admitted_ = true;
  // Sums of a block, by weight and source, a number a row.
  bool slid_ = false;
  std::vector<std::array<T, kBlock>> sums_;
  std::vector<T> column_;
};

// longmem for the engine.
struct LongMemoryFamily : FamilyDefaults {
  // What fades by a power is known worse than what fades by a factor.
  static constexpr double kUnknown = 0.15;
  static constexpr double kWork = 40;  // a thousand lags

  template <class T>
  using Stage = LongMemoryStage<T>;

  static constexpr std::size_t kOmega = 0, kPhi = 1, kD = 2, kBeta = 3;

  static std::vector<double> weights(double phi, double d, double beta) {
    std::vector<double> lambda(kMemory);
    double delta = d;
    lambda[0] = phi - beta + d;
    for (std::size_t i = 1; i < kMemory; ++i) {
      const auto k = static_cast<double>(i + 1);
      const double share = (k - 1 - d) / k;
      lambda[i] = beta * lambda[i - 1] + (share - phi) * delta;
      delta *= share;
    }
    return lambda;
  }

  // lambda of lag k, with its derivatives by phi1, d and beta1, in which order they stand in theta
  // behind omega. It is linear in phi1.
  struct Weight {
    double value;
    Eigen::Vector3d slope;
    Eigen::Matrix3d bend;
  };
  static Weight weight(std::size_t lag, double phi, double d, double beta) {
    const auto both = [](const Eigen::Vector3d& a, const Eigen::Vector3d& b) -> Eigen::Matrix3d {
      return a * b.transpose() + b * a.transpose();
    };
    const Eigen::Vector3d by_phi = Eigen::Vector3d::UnitX(), by_d = Eigen::Vector3d::UnitY(),
                          by_beta = Eigen::Vector3d::UnitZ();
    Weight lambda{phi - beta + d, by_phi + by_d - by_beta, Eigen::Matrix3d::Zero()},
        delta{d, by_d, Eigen::Matrix3d::Zero()};
    for (std::size_t i = 2; i <= lag; ++i) {
      const auto k = static_cast<double>(i);
      const double share = (k - 1 - d) / k, left = share - phi;
      const Eigen::Vector3d of_share = -by_d / k, of_left = of_share - by_phi;
      lambda = {
          beta * lambda.value + left * delta.value,
          beta * lambda.slope + lambda.value * by_beta + left * delta.slope + delta.value * of_left,
          beta * lambda.bend + both(by_beta, lambda.slope) + left * delta.bend +
              both(of_left, delta.slope)};
      delta = {share * delta.value, share * delta.slope + delta.value * of_share,
               share * delta.bend + both(of_share, delta.slope)};
    }
    return lambda;
  }

  // lambda_k = 0 of the lag whose weight is least beside delta_k, by which weights die out, solved
  // for phi1.
  static std::optional<Wall> wall(std::span<const double> theta) {
    const std::vector<double> lambda = weights(theta[kPhi], theta[kD], theta[kBeta]);
    std::size_t lag = 0;
    double least = std::numeric_limits<double>::infinity(), delta = theta[kD];
    for (std::size_t k = 2; k <= kMemory && delta > 0; ++k) {
      delta *= (static_cast<double>(k) - 1 - theta[kD]) / static_cast<double>(k);
      if (const double ratio = lambda[k - 1] / delta; ratio < least) {
        least = ratio;
        lag = k;
      }
    }
    if (lag == 0) return std::nullopt;
    return Wall{
        .name = fmt::format("phi1 where lambda of lag {} is 0 (every one must be >= 0)", lag),
        .parameter = kPhi,
        .at = [lag](std::span<const double> at) { return on_wall(lag, at); }};
  }

  static Wall::Point on_wall(std::size_t lag, std::span<const double> theta) {
    const Weight level = weight(lag, 0, theta[kD], theta[kBeta]);
    const double phi = -level.value / level.slope(0);
    const Weight w = weight(lag, phi, theta[kD], theta[kBeta]);
    // The function phi(d, beta) that keeps w at 0 (w has no second derivative by phi).
    const double by_phi = w.slope(0);
    const Eigen::Vector2d slope = -w.slope.tail<2>() / by_phi;
    const Eigen::Vector2d mixed = w.bend.block<2, 1>(1, 0);
    const Eigen::Matrix2d bend = -(w.bend.bottomRightCorner<2, 2>() + mixed * slope.transpose() +
                                   slope * mixed.transpose()) /
                                 by_phi;
    const auto k = static_cast<Eigen::Index>(theta.size());
    Wall::Point out{phi, Eigen::VectorXd::Zero(k), Eigen::MatrixXd::Zero(k, k),
                    by_phi > 0 ? 1.0 : -1.0};
    out.slope.segment<2>(kD) = slope;
    out.bend.block<2, 2>(kD, kD) = bend;
    return out;
  }

  // With lambda_1 = 0, which is a bound, lambda_2 is ((1 - d) / 2 - phi1) d.
  static std::optional<Wall> wall_at_bound(std::span<const double> theta) {
    constexpr double kNear = 1e-3;
    if (theta[kPhi] - theta[kBeta] + theta[kD] > kNear ||
        std::abs((1 - theta[kD]) / 2 - theta[kPhi]) > kNear)
      return std::nullopt;
    return Wall{.name = "phi1 where the lambdas of lags 1 and 2 are 0 (every one must be >= 0)",
                .parameter = kPhi,
                .at =
                    [](std::span<const double> at) {
                      const auto k = static_cast<Eigen::Index>(at.size());
                      return Wall::Point{(1 - at[kD]) / 2, -.5 * Eigen::VectorXd::Unit(k, kD),
                                         Eigen::MatrixXd::Zero(k, k), -1.0};
                    },
                .plane = true};
  }

  // Of the first lags: rules that are left out let more steps seem open, not fewer.
  static Eigen::MatrixXd rules_met(std::span<const double> theta) {
    constexpr std::size_t kLags = 20;
    constexpr double kMet = 1e-12;
    const auto k = static_cast<Eigen::Index>(theta.size());
    Eigen::MatrixXd met(0, k);
    for (std::size_t lag = 1; lag <= kLags; ++lag) {
      const Weight lambda = weight(lag, theta[kPhi], theta[kD], theta[kBeta]);
      if (lambda.value > kMet) continue;
      met.conservativeResize(met.rows() + 1, k);
      met.row(met.rows() - 1).setZero();
      met.row(met.rows() - 1).segment<3>(kPhi) = lambda.slope;
    }
    return met;
  }

  static std::vector<Bound> bounds(const Model& model) {
    std::vector<Bound> all{{"omega > 0", {{kOmega, -1.0}}, -kLeastOmega, true},
                           {"d >= 0", {{kD, -1.0}}, 0},
                           {"d <= 1", {{kD, 1.0}}, 1},
                           {"beta1 >= 0", {{kBeta, -1.0}}, 0},
                           {"beta1 < 1", {{kBeta, 1.0}}, 0.999},
                           {"phi1 > -1", {{kPhi, -1.0}}, 0.999},
                           {"phi1 < 1", {{kPhi, 1.0}}, 0.999},
                           {"beta1 <= phi1 + d", {{kBeta, 1.0}, {kPhi, -1.0}, {kD, -1.0}}, 0}};
    add_column_bounds(model, all);
    return all;
  }

  // Integrated, as igarch, and garch.
  static std::vector<ContainedCase> cases() {
    constexpr const char* kCorner = "d in a corner of the lambdas (every one must be >= 0)";
    return {{{{"d", 1}}, kCorner}, {{{"d", 0}}, kCorner}};
  }

  static std::vector<std::vector<double>> starts(const Model&) {
    std::vector<std::vector<double>> points;
    struct Guess {
      double phi, d, beta;
    };
    constexpr Guess kGrid[] = {{.20, .40, .50}, {.10, .30, .30}, {.30, .50, .65}, {.05, .20, .10},
                               {.20, .60, .70}, {.00, .45, .30}, {.75, .05, .65}, {.80, .28, .75},
                               {.50, .05, .40}, {.96, .01, .88}, {.93, .24, .91}};
    for (const Guess& guess : kGrid) {
      const std::vector<double> lambda = weights(guess.phi, guess.d, guess.beta);
      const double sum = std::accumulate(lambda.begin(), lambda.end(), 0.0);
      points.push_back({(1 - guess.beta) * (1 - sum), guess.phi, guess.d, guess.beta});
    }
    return points;
  }

  static std::optional<double> persistence(const Model&, std::span<const double>,
                                           std::span<const double>) {
    return std::nullopt;
  }

  static Dynamics dynamics(const Model&, std::span<const double>, std::span<const double>) {
    return {};
  }

  static double next(const StepRules& rules, const VarianceState& past, double columns) {
    const std::span<const double> theta = rules.theta;
    const double beta = theta[kBeta], d = theta[kD];
    double h = columns + theta[kOmega] / (1 - beta);
    double delta = d, lambda = theta[kPhi] - beta + d;
    for (std::size_t i = 0; i < kMemory; ++i) {
      if (i > 0) {
        const auto k = static_cast<double>(i + 1);
        const double share = (k - 1 - d) / k;
        lambda = beta * lambda + (share - theta[kPhi]) * delta;
        delta *= share;
      }
      h += lambda * (past.news[i].plus + past.news[i].minus);
    }
    return h;
  }

  static std::size_t reach(const Model&) { return kMemory; }

  static std::optional<std::string> broken(const Model&, std::span<const double> theta) {
    const std::vector<double> lambda = weights(theta[kPhi], theta[kD], theta[kBeta]);
    for (std::size_t k = 0; k < lambda.size(); ++k)
      if (lambda[k] < kLeastLambda)
        return fmt::format("every lambda >= 0, and that of lag {} is {:.2g}", k + 1, lambda[k]);
    return std::nullopt;
  }
};

}  // namespace brace::inline v0
