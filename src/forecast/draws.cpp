// SPDX-License-Identifier: Apache-2.0
// Covered by tests/forecast/methods_test.cpp; coverage in docs/coverage.md.
#include "forecast/draws.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/model/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "model/admissible.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// After so many refusals in a row the draws say nothing any more.
constexpr int kMostRedraws = 1000;
// Refits of one draw that may fail before the estimates stand in.
constexpr int kMostRefits = 10;

// From a normal law around the estimates, draws outside the admissible region drawn again.
class NormalDraws final : public ParameterDraws {
 public:
  NormalDraws(const Fit& fit, RandomStream& stream)
      : rules_(fit.model), centre_(fit.estimates()), stream_(stream) {
    // Where no covariance is known draws are the estimates themselves.
    const auto k = static_cast<Index>(centre_.size());
    root_ = MatrixXd::Zero(k, k);
    if (fit.covariance.size() == 0) return;
    // The symmetric root also serves a singular covariance (held and pinned parameters).
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(fit.covariance);
    root_ = eigen.eigenvectors() * eigen.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal();
  }

  bool next(std::vector<double>& theta) override {
    for (int attempt = 0; attempt < kMostRedraws; ++attempt) {
      const VectorXd shift = step();
      for (std::size_t j = 0; j < centre_.size(); ++j)
        theta[j] = centre_[j] + shift(static_cast<Index>(j));
      if (!rules_.broken_by(theta)) return true;
      ++refused_;
    }
    return false;
  }

  // A step away from the estimates.
  VectorXd step() {
    VectorXd z(root_.cols());
    for (double& v : z) v = stream_.normal();
    return root_ * z;
  }

 private:
  AdmissionRules rules_;
  std::vector<double> centre_;
  MatrixXd root_;
  RandomStream& stream_;
};

// From the likelihood itself times a prior that says little: walkers that stretch towards one
// another, so that no law of the estimates is needed, and a bound is no obstacle (Goodman and Weare
// 2010, algorithm of equation 7). The prior is flat in the coefficients, in ln omega and in 1/nu;
// persistence p, which is the autoregressive root of e^2, has (1 - p^2)^(-1/2) (Berger and Yang
// 1994, equation 7). Where errors are wider than the Hessian's because the law is wrong, the
// log-likelihood is flattened in their ratio (Pauli, Racugno and Ventura 2011).
class LikelihoodDraws final : public ParameterDraws {
 public:
  LikelihoodDraws(const Fit& fit, Origin& origin, RandomStream& stream)
      : model_(fit.model),
        names_(parameter_names(fit.model)),
        rules_(fit.model),
        origin_(origin),
        stream_(stream),
        power_(power(fit)) {
    const std::vector<double> centre = fit.estimates();
    const double sd = moments(fit.window()).sd;
    least_level_ = std::log(kLeastOmega * sd * sd);
    for (const Bound& bound : variance_family(model_.variance).bounds(model_))
      if (bound.of_level) level_ = names_.mean.size() + bound.terms.front().first;
    std::size_t free = 0;
    for (const Parameter& p : fit.parameters) free += p.held ? 0 : 1;
    dimension_ = static_cast<double>(free);
    if (const auto top = density(centre)) begin(fit, centre, *top, sd);
    for (int sweep = 0; started() && sweep < kBurnIn; ++sweep) move_all();
  }

  // Whether the likelihood at the estimates could be had.
  [[nodiscard]] bool started() const { return !walkers_.empty(); }

  bool next(std::vector<double>& theta) override {
    if (next_ == walkers_.size()) {
      for (int sweep = 0; sweep < kThin; ++sweep) move_all();
      next_ = 0;
    }
    theta = natural(walkers_[next_++].x);
    return true;
  }

 private:
  // Sweeps before the first walkers count and between those that do.
  static constexpr int kBurnIn = 40, kThin = 8;
  static constexpr std::size_t kLeastWalkers = 16;
  // The stretch goes from 1 / kStretch to kStretch.
  static constexpr double kStretch = 2;
  // A walker begins where the log-likelihood is at most so much below its maximum; each attempt
  // that is not is made nearer to it.
  static constexpr double kFarBelow = 6, kNearer = 0.85;
  static constexpr int kAttempts = 100;
  // First steps of parameters that have no error, on a bound or a kink: as a share of a shape's
  // range, and for coefficients.
  static constexpr double kShareOfRange = 0.05, kPinnedStep = 0.02;

  struct Walker {
    VectorXd x;
    double density;
  };

  // How much wider the errors asked for are than the Hessian's, in variance.
  static double power(const Fit& fit) {
    double sum = 0, count = 0;
    for (const Parameter& p : fit.parameters)
      if (p.se && p.se_hessian && *p.se_hessian > 0) {
        sum += (*p.se / *p.se_hessian) * (*p.se / *p.se_hessian);
        ++count;
      }
    return count > 0 ? std::min(1.0, count / sum) : 1;
  }

  [[nodiscard]] const ShapeCoordinate* shape(std::size_t j) const {
    const std::size_t first = names_.mean.size() + names_.variance.size();
    return j < first ? nullptr : &shock_law(model_.shocks).shapes[j - first];
  }

  // Working coordinates: the logarithm of the level, shapes as the engine has them.
  [[nodiscard]] VectorXd working(const std::vector<double>& theta) const {
    VectorXd x = Eigen::Map<const VectorXd>(theta.data(), static_cast<Index>(theta.size()));
    for (std::size_t j = 0; j < theta.size(); ++j) {
      const auto at = static_cast<Index>(j);
      if (const ShapeCoordinate* s = shape(j)) x(at) = s->working(theta[j]);
      if (j == level_) x(at) = std::log(theta[j]);
    }
    return x;
  }
  [[nodiscard]] std::vector<double> natural(const VectorXd& x) const {
    std::vector<double> theta(x.begin(), x.end());
    for (std::size_t j = 0; j < theta.size(); ++j) {
      if (const ShapeCoordinate* s = shape(j)) theta[j] = s->natural(theta[j]);
      if (j == level_) theta[j] = std::exp(theta[j]);
    }
    return theta;
  }

  // The logarithm; empty where the parameters are not admitted.
  std::optional<double> density(const std::vector<double>& theta) {
    if (rules_.broken_by(theta)) return std::nullopt;
    if (level_ < theta.size() && std::log(theta[level_]) < least_level_) return std::nullopt;
    const std::optional<double> log_likelihood = origin_.log_likelihood(theta);
    if (!log_likelihood || !std::isfinite(*log_likelihood)) return std::nullopt;
    const auto first = theta.begin() + static_cast<std::ptrdiff_t>(names_.mean.size());
    const std::span<const double> variance(first, names_.variance.size()),
        shapes(first + static_cast<std::ptrdiff_t>(variance.size()), theta.end());
    const double p =
        variance_family(model_.variance).persistence(model_, variance, shapes).value_or(0);
    const double prior = std::abs(p) < kMostPersistence ? -0.5 * std::log1p(-p * p) : 0;
    return power_ * *log_likelihood + prior;
  }

  void begin(const Fit& fit, const std::vector<double>& centre, double top, double sd) {
    const std::size_t count =
        std::max(kLeastWalkers, 2 * (static_cast<std::size_t>(dimension_) + 1));
    NormalDraws normal(fit, stream_);
    const VectorXd x0 = working(centre);
    for (std::size_t w = 0; w < count; ++w) {
      double scale = 1;
      for (int attempt = 0; attempt < kAttempts; ++attempt, scale *= kNearer) {
        const VectorXd step = scale * normal.step();
        std::vector<double> theta = centre;
        for (std::size_t j = 0; j < theta.size(); ++j) theta[j] += step(static_cast<Index>(j));
        for (std::size_t j = 0; j < theta.size(); ++j) {
          const Parameter& p = fit.parameters[j];
          if (p.held || p.se) continue;
          const double z = scale * stream_.normal();
          if (const ShapeCoordinate* s = shape(j))
            theta[j] = s->natural(std::clamp(
                s->working(centre[j]) + kShareOfRange * (s->high - s->low) * z, s->low, s->high));
          else if (j == level_)
            theta[j] += std::abs(z) * kPinnedStep * sd * sd;
          else if (j < names_.mean.size())
            theta[j] += z * sd / std::sqrt(static_cast<double>(fit.n));
          else
            theta[j] += z * kPinnedStep;
        }
        const auto there = density(theta);
        if (!there || *there < top - kFarBelow) continue;
        walkers_.push_back({working(theta), *there});
        break;
      }
      if (walkers_.size() <= w) walkers_.push_back({x0, top});
    }
    next_ = 0;
  }

  void move_all() {
    for (Walker& walker : walkers_) {
      const auto other = static_cast<std::size_t>(stream_.uniform() *
                                                  static_cast<double>(walkers_.size() - 1));
      const auto self = static_cast<std::size_t>(&walker - walkers_.data());
      const VectorXd& towards = walkers_[other < self ? other : other + 1].x;
      const double root = 1 / std::sqrt(kStretch) +
                          (std::sqrt(kStretch) - 1 / std::sqrt(kStretch)) * stream_.uniform();
      const double z = root * root;
      const VectorXd x = towards + z * (walker.x - towards);
      const double chance = std::log(stream_.uniform());
      const auto there = density(natural(x));
      if (!there || chance >= (dimension_ - 1) * std::log(z) + *there - walker.density) continue;
      walker = {x, *there};
    }
  }

  const Model& model_;
  ParameterNames names_;
  AdmissionRules rules_;
  Origin& origin_;
  RandomStream& stream_;
  double power_;
  double least_level_ = 0, dimension_ = 0;
  std::size_t level_ = std::numeric_limits<std::size_t>::max();  // of theta; none: no such index
  std::vector<Walker> walkers_;
  std::size_t next_ = 0;
};

// Series made by the fitted model with the shocks that were seen, fitted again (Pascual, Romo and
// Ruiz 2006).
class Refits final : public ParameterDraws {
 public:
  Refits(const Fit& fit, const ShockSource& shocks, RandomStream& stream)
      : fit_(fit),
        shocks_(shocks),
        stream_(stream),
        data_(mean_data(fit.model, fit.window())),
        theta_(fit.estimates()) {}

  // False when none of several refits converged.
  bool next(std::vector<double>& theta) override {
    const std::span<const double> y = fit_.data();
    const std::size_t lost = data_.lost, rows = data_.change.size();
    Past past = Past::before_sample(fit_.model, theta_, fit_.presample);
    for (std::size_t l = 0; l < lost; ++l)
      past.levels[l] = std::isnan(y[lost - 1 - l]) ? 0 : y[lost - 1 - l];
    const ParameterNames names = parameter_names(fit_.model);
    const std::span<const double> shape =
        std::span(theta_).subspan(names.mean.size() + names.variance.size());
    std::vector<double> z(rows);
    Series made = fit_.window();
    for (int attempt = 0; attempt < kMostRefits; ++attempt) {
      shocks_.fill(stream_, shape, 0, z);
      Stepper step(fit_.model, theta_, past);
      for (std::size_t t = 0; t < rows; ++t) {
        const auto row = static_cast<Index>(t);
        const double mu = data_.columns.cols() > 0 ? step.regression(data_.columns.row(row)) : 0;
        const double columns = data_.variance_columns.cols() > 0
                                   ? step.variance_regression(data_.variance_columns.row(row))
                                   : 0;
        const double v = step.advance(z[t], mu, columns).y;
        if (!std::isnan(y[t + lost])) made.values[t + lost] = v;
      }
      const Fit again =
          estimate(fit_.model, made,
                   {.errors = ErrorKind::hessian,
                    .likelihood = fit_.exact ? LikelihoodKind::exact : LikelihoodKind::conditional,
                    .start = theta_,
                    .start_only = true,
                    .hessian_errors_only = true});
      if (again.usable()) {
        theta = again.estimates();
        return true;
      }
      ++refused_;
    }
    return false;
  }

 private:
  const Fit& fit_;
  const ShockSource& shocks_;
  RandomStream& stream_;
  MeanData data_;
  std::vector<double> theta_;
};

}  // namespace

Origin::Origin(const Fit& fit)
    : fit_(fit),
      data_(mean_data(fit.model, fit.window())),
      conditional_(fit.model, data_, Order::value) {
  const std::span<const double> y = fit.data();
  for (std::size_t l = 0; l < data_.lost; ++l) {
    levels_.push_back(y[y.size() - 1 - l]);
    if (std::isnan(levels_.back()) && !fit.exact)
      throw Error(ErrorCode::too_few_observations,
                  fmt::format("a forecast of '{}' would go on from a missing value; end {} at a "
                              "value that is present (--to)",
                              to_string(fit.model), fit.series->name));
  }
  for (const double v : data_.change) counted_.push_back(std::isnan(v) ? 0 : 1);
}

bool Origin::at(std::span<const double> theta, Past& past) {
  if (fit_.exact) {
    if (!filter(fit_.model, data_, theta, found_)) return false;
    past = Past::after(fit_.model, theta, found_.end, theta[mean_positions(fit_.model).count]);
    return true;
  }
  if (!conditional_.path(theta, path_)) return false;
  past = Past::after(fit_.model, theta, path_.dev, path_.e, path_.h, counted_, path_.presample,
                     levels_);
  return true;
}

Past Origin::at_estimates() {
  const std::vector<double> theta = fit_.estimates();
  if (fit_.exact) {
    Past past;
    if (!at(theta, past))
      throw Error(ErrorCode::bad_option,
                  fmt::format("'{}': its parameters are not stationary", to_string(fit_.model)));
    return past;
  }
  const auto rows = [&](const auto& all) { return std::span(all).subspan(fit_.lost); };
  return Past::after(fit_.model, theta, rows(fit_.deviations), rows(fit_.shocks),
                     rows(fit_.variances), rows(fit_.counted), fit_.presample, levels_);
}

std::vector<double> ShockSource::of_fit(const Fit& fit) {
  std::vector<double> z = fit.standardised().present_values();
  const auto n = static_cast<double>(z.size());
  double mean = 0, square = 0;
  for (const double v : z) mean += v / n;
  for (double& v : z) {
    v -= mean;
    square += v * v / n;
  }
  for (double& v : z) v /= std::sqrt(square);
  return z;
}

void ShockSource::fill(RandomStream& stream, std::span<const double> shape, std::size_t path,
                       std::span<double> z) const {
  if (!residuals_.empty()) {
    for (double& v : z)
      v = residuals_[static_cast<std::size_t>(stream.uniform() *
                                              static_cast<double>(residuals_.size()))];
  } else if (path % 2 == 0 || !law_.symmetric) {
    law_.draw_many(stream, shape, z);
  } else {
    for (double& v : z) v = -v;
  }
}

std::optional<double> Origin::log_likelihood(std::span<const double> theta) {
  if (!conditional_.path(theta, path_)) return std::nullopt;
  return path_.log_likelihood;
}

std::unique_ptr<ParameterDraws> make_parameter_draws(const Fit& fit, ForecastMethod method,
                                                     const ShockSource& shocks, Origin& origin,
                                                     RandomStream& stream) {
  if (method == ForecastMethod::refit) return std::make_unique<Refits>(fit, shocks, stream);
  // Estimates that are no maximum, such as those of a targeted variance, have no Hessian's errors.
  const bool maximum =
      std::all_of(fit.parameters.begin(), fit.parameters.end(),
                  [](const Parameter& p) { return !p.se || p.se_hessian.has_value(); });
  if (!fit.exact && fit.n < kFewRows && fit.covariance.size() > 0 && maximum) {
    auto draws = std::make_unique<LikelihoodDraws>(fit, origin, stream);
    if (draws->started()) return draws;
  }
  return std::make_unique<NormalDraws>(fit, stream);
}

}  // namespace brace
