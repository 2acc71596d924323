// SPDX-License-Identifier: Apache-2.0
// The filter in innovations form. Covered by tests/likelihood/exact_test.cpp.
#include "likelihood/innovations.hpp"

#include <algorithm>
#include <cmath>

#include "likelihood/arma_start.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Uncertainty of the state below which it is known: it changes no digit of a variance of 1.
constexpr double kKnown = 1e-15;

// Variance, over that of the changes, of a first level that is missing: it leaves eight digits to
// the rows after, and rows whose forecast rests on it do not count.
constexpr double kDiffuse = 1e8;

// T, K and the observation of the state (s, levels); products by their structure.
class Transition {
 public:
  Transition(const Model& model, std::span<const double> theta, bool levels) {
    a_ = ar_product(model).dense(theta);
    b_ = ma_product(model).dense(theta);
    r_ = static_cast<Index>(std::max(a_.size(), b_.size()));
    a_.resize(static_cast<std::size_t>(r_), 0.0);
    b_.resize(static_cast<std::size_t>(r_), 0.0);
    if (levels) weights_ = difference_weights(model.mean.differences);
    lost_ = weights_.empty() ? 0 : static_cast<Index>(weights_.size()) - 1;
    gain_ = VectorXd::Zero(size());
    for (Index i = 0; i < r_; ++i) gain_(i) = a_[at(i)] + b_[at(i)];
    if (lost_ > 0) gain_(r_) = 1;
  }
  [[nodiscard]] Index size() const { return r_ + lost_; }
  [[nodiscard]] Index start() const { return r_; }
  [[nodiscard]] const VectorXd& gain() const { return gain_; }

  // The forecast of y from the state, regression apart; of each column of M.
  template <class M>
  [[nodiscard]] Eigen::RowVectorXd observe(const M& state) const {
    Eigen::RowVectorXd y = Eigen::RowVectorXd::Zero(state.cols());
    if (r_ > 0) y += state.row(0);
    for (Index l = 1; l <= lost_; ++l)
      if (weights_[at(l)] != 0) y -= weights_[at(l)] * state.row(r_ + l - 1);
    return y;
  }
  // T times each column.
  template <class M>
  [[nodiscard]] MatrixXd move(const M& state) const {
    MatrixXd next(size(), state.cols());
    for (Index i = 0; i < r_; ++i) {
      next.row(i) = a_[at(i)] * state.row(0);
      if (i + 1 < r_) next.row(i) += state.row(i + 1);
    }
    if (lost_ > 0) {
      next.row(r_) = observe(state);
      next.bottomRows(lost_ - 1) = state.middleRows(r_, lost_ - 1);
    }
    return next;
  }
  // T P T' + K K' - M M' / F into `next`, without levels: what the structure of T leaves of it.
  void move_covariance(const MatrixXd& P, const VectorXd* M, double F, MatrixXd& next) const {
    next.resize(r_, r_);
    for (Index j = 0; j < r_; ++j) {
      const bool inner_j = j + 1 < r_;
      const double first = a_[at(j)] * P(0, 0) + (inner_j ? P(0, j + 1) : 0);
      const double shrink = M ? (*M)(j) / F : 0;
      for (Index i = j; i < r_; ++i) {
        double v = a_[at(i)] * first + gain_(i) * gain_(j);
        if (i + 1 < r_) v += a_[at(j)] * P(i + 1, 0) + (inner_j ? P(i + 1, j + 1) : 0);
        if (M) v -= (*M)(i)*shrink;
        next(i, j) = next(j, i) = v;
      }
    }
  }

  // s forward by one row whose value is z and whose shock is e, once all is known.
  void shift(VectorXd& s, double z, double e) const {
    for (Index i = 0; i < r_; ++i)
      s(i) = (i + 1 < r_ ? s(i + 1) : 0) + a_[at(i)] * z + b_[at(i)] * e;
  }
  // The levels forward by a row of level y.
  void shift_levels(VectorXd& s, double y) const {
    for (Index l = lost_; l-- > 1;) s(r_ + l) = s(r_ + l - 1);
    if (lost_ > 0) s(r_) = y;
  }
  // What the state says of the next row.
  [[nodiscard]] double forecast(const VectorXd& s) const {
    double y = r_ > 0 ? s(0) : 0;
    for (Index l = 1; l <= lost_; ++l) y -= weights_[at(l)] * s(r_ + l - 1);
    return y;
  }

 private:
  static std::size_t at(Index i) { return static_cast<std::size_t>(i); }
  std::vector<double> a_, b_, weights_;
  Index r_ = 0, lost_ = 0;
  VectorXd gain_;
};

}  // namespace

bool filter(const Model& model, const MeanData& data, std::span<const double> theta,
            Innovations& out) {
  const bool gaps = !data.missing.empty();
  const bool levels = gaps && data.lost > 0;
  const Transition step(model, theta, levels);
  const LagProduct ar = ar_product(model), ma = ma_product(model);
  const auto n = static_cast<Index>(data.filled.size());
  const auto lost = static_cast<Index>(data.lost);
  VectorXd regression = VectorXd::Zero(n);
  const MeanPositions at = mean_positions(model);
  for (std::size_t j = 0; j < at.regression.size(); ++j)
    regression += theta[at.regression[j]] * data.columns.col(static_cast<Index>(j));

  VectorXd state = VectorXd::Zero(step.size());
  MatrixXd P = MatrixXd::Zero(step.size(), step.size());
  if (step.start() > 0) {
    ArmaStart::Matrix Sigma;
    ArmaStart start(ar.lags, ma.lags, step.start());
    if (!start.update(ar.coefficients(theta), ma.coefficients(theta), Sigma)) return false;
    P.topLeftCorner(step.start(), step.start()) = Sigma.cast<double>();
  }
  std::vector<char> is_missing(static_cast<std::size_t>(n + lost), 0);
  for (const std::size_t t : data.missing) is_missing[t] = 1;
  double diffuse = 0;
  if (levels) {
    for (const double v : data.filled) diffuse = std::max(diffuse, v * v);
    diffuse *= kDiffuse / theta[at.count];
    for (Index l = 0; l < lost; ++l) {
      const auto row = static_cast<std::size_t>(lost - 1 - l);
      if (is_missing[row])
        P(step.start() + l, step.start() + l) = diffuse;
      else
        state(step.start() + l) = data.level[row];
    }
  }
  out.error.assign(static_cast<std::size_t>(n), 0.0);
  out.spread.assign(static_cast<std::size_t>(n), 0.0);
  bool known = false;
  MatrixXd next;
  for (Index t = 0; t < n; ++t) {
    const auto row = static_cast<std::size_t>(t);
    const bool skip = gaps && is_missing[row + data.lost] != 0;
    const double mu = regression(t),
                 value = levels ? data.level[row + data.lost] : data.filled[row];
    if (known && !levels && !skip) {  // nothing left to be uncertain of
      const double e = value - mu - (step.start() > 0 ? state(0) : 0);
      out.error[row] = e;
      out.spread[row] = 1;
      step.shift(state, value - mu, e);
      continue;
    }
    if (step.size() == 0) {
      if (!skip) out.error[row] = value - mu;
      out.spread[row] = skip ? 0 : 1;
      known = true;
      continue;
    }
    const double forecast = mu + step.observe(state)(0);
    const VectorXd column = step.observe(P).transpose();  // covariance of y and the state
    const double F = 1 + step.observe(column)(0);
    const double v = skip ? 0 : value - forecast;
    const VectorXd M = step.move(column) + step.gain();
    state = step.move(state);
    if (levels) {
      state(step.start()) += mu;
      next = step.move(MatrixXd(step.move(P).transpose()));
      next.noalias() += step.gain() * step.gain().transpose();
      if (!skip) next.noalias() -= M * M.transpose() / F;
    } else {
      step.move_covariance(P, skip ? nullptr : &M, F, next);
    }
    if (!skip) {
      state += M * (v / F);
      out.error[row] = v;
      out.spread[row] = F > 1e-4 * diffuse && diffuse > 0 ? 0 : F;
    }
    P.swap(next);
    known = !skip && P.cwiseAbs().maxCoeff() < kKnown;
    if (known) P.setZero();
  }
  // The levels join the state where they were not part of it.
  const Index full = step.start() + lost;
  out.end.mean = VectorXd::Zero(full);
  out.end.covariance = MatrixXd::Zero(full, full);
  out.end.mean.head(state.size()) = state;
  out.end.covariance.topLeftCorner(P.rows(), P.cols()) = P;
  if (!levels)
    for (Index l = 0; l < lost; ++l)
      out.end.mean(step.start() + l) = data.level[static_cast<std::size_t>(n + lost - 1 - l)];
  return true;
}

struct LevelFilter::State {
  Transition step;
  VectorXd mean;
  MatrixXd covariance;
  bool known;  // nothing but the coming shock is uncertain

  [[nodiscard]] double spread() const {
    if (known || step.size() == 0) return 1;
    return 1 + step.observe(VectorXd(step.observe(covariance).transpose()))(0);
  }

  // The state as it stands before the row, with everything known.
  void push_known(double y, double mu) {
    const double e = y - mu - step.forecast(mean);
    const double z = (step.start() > 0 ? mean(0) : 0) + e;
    step.shift(mean, z, e);
    step.shift_levels(mean, y);
  }

  void push_uncertain(double y, double mu) {
    const bool skip = std::isnan(y);
    const double e = skip ? 0 : y - mu - step.forecast(mean), F = spread();
    const VectorXd M = step.move(VectorXd(step.observe(covariance).transpose())) + step.gain();
    mean = step.move(mean);
    if (step.size() > step.start()) mean(step.start()) += mu;
    MatrixXd next = step.move(MatrixXd(step.move(covariance).transpose()));
    next.noalias() += step.gain() * step.gain().transpose();
    if (!skip) {
      next.noalias() -= M * M.transpose() / F;
      mean += M * (e / F);
    }
    covariance = std::move(next);
    known = !skip && covariance.cwiseAbs().maxCoeff() < kKnown;
  }
};

LevelFilter::LevelFilter(const Model& model, std::span<const double> theta, ArmaState end)
    : state_(std::make_unique<State>(State{Transition(model, theta, true), std::move(end.mean),
                                           std::move(end.covariance), false})) {
  State& s = *state_;
  s.known = s.step.size() == 0 || s.covariance.cwiseAbs().maxCoeff() < kKnown;
}

LevelFilter::~LevelFilter() = default;
LevelFilter::LevelFilter(const LevelFilter& other)
    : state_(std::make_unique<State>(*other.state_)) {}

double LevelFilter::mean() const {
  return state_->step.forecast(state_->mean);
}

double LevelFilter::spread() const {
  return state_->spread();
}

void LevelFilter::push(double y, double mu) {
  if (state_->step.size() == 0) return;
  if (state_->known && !std::isnan(y))
    state_->push_known(y, mu);
  else
    state_->push_uncertain(y, mu);
}

std::vector<LevelAhead> levels_ahead(const Model& model, std::span<const double> theta,
                                     ArmaState end, const MatrixXd& columns) {
  const Transition step(model, theta, !model.mean.differences.empty());
  const MeanPositions at = mean_positions(model);
  const double sigma2 = theta[at.count];
  VectorXd beta(static_cast<Index>(at.regression.size()));
  for (std::size_t j = 0; j < at.regression.size(); ++j)
    beta(static_cast<Index>(j)) = theta[at.regression[j]];
  std::vector<LevelAhead> ahead;
  for (Index h = 0; h < columns.rows(); ++h) {
    const double mu = beta.size() > 0 ? columns.row(h).dot(beta) : 0;
    LevelAhead here{mu, sigma2};
    if (step.size() > 0) {
      here.mean += step.observe(end.mean)(0);
      here.variance += sigma2 * step.observe(VectorXd(step.observe(end.covariance).transpose()))(0);
      end.mean = step.move(end.mean);
      if (!model.mean.differences.empty()) end.mean(step.start()) += mu;
      end.covariance = step.move(MatrixXd(step.move(end.covariance).transpose()));
      end.covariance.noalias() += step.gain() * step.gain().transpose();
    }
    ahead.push_back(here);
  }
  return ahead;
}

}  // namespace brace::inline v0
