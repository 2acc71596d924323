// SPDX-License-Identifier: Apache-2.0
// Covered by tests/forecast/methods_test.cpp; coverage in docs/coverage.md.
#include "forecast/draws.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "maths/dense.hpp"
#include "process/admissible.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// After so many refusals in a row the draws say nothing any more.
constexpr int kMostRedraws = 1000;
// Refits of one draw that may fail before the estimates stand in.
constexpr int kMostRefits = 10;
// Starts of a refit that finds no maximum from what made its data.
constexpr int kMoreStarts = 6;

// From a normal law around the estimates, draws outside the admissible region drawn again.
class NormalDraws final : public ParameterDraws {
 public:
  NormalDraws(const Fit& fit, maths::RandomStream& stream)
      : rules_(fit.model), centre_(fit.estimates()), stream_(stream) {
    // Where no covariance is known draws are the estimates themselves.
    const auto k = static_cast<Index>(centre_.size());
    root_ = MatrixXd::Zero(k, k);
    if (fit.covariance.empty()) return;
    // The symmetric root also serves a singular covariance (held and pinned parameters), and does
    // not turn with the signs and the order of eigenvectors: estimates that differ in their last
    // digits are drawn around alike. That of the correlations: of values near 1e9 the variances of
    // sigma2 and of an ar differ by more digits than a number has.
    const MatrixXd V = maths::to_eigen(fit.covariance);
    const VectorXd se = V.diagonal().cwiseMax(0).cwiseSqrt();
    const VectorXd per_se = se.unaryExpr([](double s) { return s > 0 ? 1 / s : 0; });
    const auto [values, vectors] =
        maths::symmetric_eigen(per_se.asDiagonal() * V * per_se.asDiagonal());
    root_ = se.asDiagonal() * maths::sandwich(vectors, values.cwiseMax(0).cwiseSqrt().asDiagonal());
  }

  bool next(std::vector<double>& theta) override {
    for (int attempt = 0; attempt < kMostRedraws; ++attempt) {
      VectorXd z(root_.cols());
      for (double& v : z) v = stream_.normal();
      const VectorXd shift = maths::product(root_, z);
      for (std::size_t j = 0; j < centre_.size(); ++j)
        theta[j] = centre_[j] + shift(static_cast<Index>(j));
      if (!rules_.broken_by(theta)) return true;
      ++refused_;
    }
    return false;
  }

 private:
  AdmissionRules rules_;
  std::vector<double> centre_;
  MatrixXd root_;
  maths::RandomStream& stream_;
};

class SampledDraws final : public ParameterDraws {
 public:
  SampledDraws(const LikelihoodSample& sample, maths::RandomStream& stream, std::size_t part)
      : sample_(sample), stream_(stream), part_(part) {}
  bool next(std::vector<double>& theta) override {
    sample_.draw(stream_, part_, theta);
    return true;
  }

 private:
  const LikelihoodSample& sample_;
  maths::RandomStream& stream_;
  std::size_t part_;
};

// Series made by the fitted model with the shocks that were seen, fitted again (Pascual, Romo and
// Ruiz 2006).
class Refits final : public ParameterDraws {
 public:
  Refits(const Fit& fit, const ShockSource& shocks, maths::RandomStream& stream)
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
      shocks_.fill(stream_, shape, z);
      Stepper step(fit_.model, theta_, past);
      for (std::size_t t = 0; t < rows; ++t) {
        const auto row = static_cast<Index>(t);
        const double mu = step.regression(data_.columns, row),
                     columns = step.variance_regression(data_.variance_columns, row);
        const double v = step.advance(z[t], mu, columns).y;
        if (!std::isnan(y[t + lost])) made.values[t + lost] = v;
      }
      EstimateOptions options{
          .errors = fit_.errors,
          .likelihood = fit_.exact ? LikelihoodKind::exact : LikelihoodKind::conditional,
          .start = theta_,
          .from = ClimbFrom::near_start,
          .hessian_errors_only = true};
      Fit again = estimate(fit_.model, made, options);
      if (!again.usable()) {
        // On few rows the maximum may lie far from what made them.
        options.from = ClimbFrom::everywhere;
        options.starts = kMoreStarts;
        again = estimate(fit_.model, made, options);
      }
      if (again.usable()) {
        theta = again.estimates();
        last_ = {.fit = std::move(again), .end = step.past()};
        return true;
      }
      ++refused_;
    }
    return false;
  }

  [[nodiscard]] const Refitted* refitted() const override { return &last_; }

 private:
  const Fit& fit_;
  const ShockSource& shocks_;
  maths::RandomStream& stream_;
  MeanData data_;
  std::vector<double> theta_;
  Refitted last_;
};

}  // namespace

namespace {
// Newest first. Only an exact fit can go on from one that is missing.
std::vector<double> last_levels(const Fit& fit, std::size_t lost) {
  const std::span<const double> y = fit.data();
  std::vector<double> levels;
  for (std::size_t l = 0; l < lost; ++l) {
    levels.push_back(y[y.size() - 1 - l]);
    if (std::isnan(levels.back()) && !fit.exact)
      throw Error(ErrorCode::too_few_observations,
                  fmt::format("a forecast of '{}' would go on from a missing value; end {} at a "
                              "value that is present (`to`)",
                              to_string(fit.model), fit.series->name));
  }
  return levels;
}
}  // namespace

Past end_of_path(const Fit& fit) {
  const auto rows = [&](const auto& all) { return std::span(all).subspan(fit.lost); };
  return Past::after(fit.model, fit.estimates(), rows(fit.deviations), rows(fit.shocks),
                     rows(fit.variances), rows(fit.counted), fit.presample,
                     last_levels(fit, fit.lost));
}

OriginRows::OriginRows(const Fit& fit)
    : data(mean_data(fit.model, fit.window())), levels(last_levels(fit, data.lost)) {
  constexpr std::size_t kOften = 20000;
  constexpr double kForgotten = 1e-12;
  const std::size_t n = data.change.size();
  for (std::size_t k = kOften; !fit.exact && 2 * k < n; k *= 4) {
    const auto rows = static_cast<Index>(k);
    MeanData last;
    last.lost = data.lost;
    last.change.assign(data.change.end() - rows, data.change.end());
    last.columns = data.columns.bottomRows(std::min(rows, data.columns.rows()));
    last.variance_columns =
        data.variance_columns.bottomRows(std::min(rows, data.variance_columns.rows()));
    JointLikelihood<double> likelihood(fit.model, last, Order::value);
    JointLikelihood<double>::Path path;
    if (!likelihood.path(fit.estimates(), path, fit.presample)) break;
    // As far back as any term of a model reaches, and a little more.
    bool same = true;
    for (std::size_t i = 1; same && i <= k / 2; ++i)
      same = std::abs(path.h[k - i] - fit.variances[fit.variances.size() - i]) <=
                 kForgotten * path.h[k - i] &&
             (std::isnan(last.change[k - i]) ||
              std::abs(path.e[k - i] - fit.shocks[fit.shocks.size() - i]) <=
                  kForgotten * std::sqrt(path.h[k - i]));
    if (!same) continue;
    data = std::move(last);
    break;
  }
  for (const double v : data.change) counted.push_back(std::isnan(v) ? 0 : 1);
}

Origin::Origin(const Fit& fit, std::shared_ptr<const OriginRows> rows)
    : fit_(fit), rows_(std::move(rows)), conditional_(fit.model, rows_->data, Order::value) {
  if (fit.exact) exact_.emplace(fit.model, rows_->data);
}

bool Origin::at(std::span<const double> theta, Past& past) {
  if (fit_.exact) {
    if (!exact_->state_at_end(theta, end_)) return false;
    past = Past::after(fit_.model, theta, end_, theta[mean_positions(fit_.model).count]);
    return true;
  }
  if (!conditional_.path(theta, path_)) return false;
  past = Past::after(fit_.model, theta, path_.dev, path_.e, path_.h, rows_->counted,
                     path_.presample, rows_->levels);
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
  return end_of_path(fit_);
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

void ShockSource::fill(maths::RandomStream& stream, std::span<const double> shape,
                       std::span<double> z) const {
  if (residuals_.empty()) return law_.draw_many(stream, shape, z);
  for (double& v : z)
    v = residuals_[static_cast<std::size_t>(stream.uniform() *
                                            static_cast<double>(residuals_.size()))];
}

void ShockSource::fill_paths(maths::RandomStream& stream, std::span<const double> shape,
                             std::size_t paths, std::span<double> z) const {
  const bool mirrored = residuals_.empty() && law_.symmetric;
  const std::size_t drawn = mirrored ? (paths + 1) / 2 : paths;
  for (; !z.empty(); z = z.subspan(paths)) {
    fill(stream, shape, z.first(drawn));
    for (std::size_t p = drawn; p < paths; ++p) z[p] = -z[p - drawn];
  }
}

std::unique_ptr<ParameterDraws> make_parameter_draws(const Fit& fit, ForecastMethod method,
                                                     const ShockSource& shocks,
                                                     const LikelihoodSample* sample,
                                                     maths::RandomStream& stream,
                                                     std::size_t part) {
  if (method == ForecastMethod::refit) return std::make_unique<Refits>(fit, shocks, stream);
  if (sample) return std::make_unique<SampledDraws>(*sample, stream, part);
  return std::make_unique<NormalDraws>(fit, stream);
}

double share_refused(const Fit& fit, std::uint64_t seed) {
  constexpr int kDraws = 1000;
  maths::RandomStream stream(seed, 0);
  NormalDraws draws(fit, stream);
  std::vector<double> theta = fit.estimates();
  for (int i = 0; i < kDraws; ++i)
    if (!draws.next(theta)) return 1;
  const auto refused = static_cast<double>(draws.refused());
  return refused / (refused + kDraws);
}

}  // namespace brace::inline v0
