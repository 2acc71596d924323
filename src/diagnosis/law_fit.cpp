// SPDX-License-Identifier: Apache-2.0
// Covered by tests/diagnosis/law_fit_test.cpp.
#include "brace/diagnosis/law_fit.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/model/model_line.hpp"
#include "families/shock_law.hpp"
#include "families/shock_moments.hpp"
#include "laws/transforms.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::RowVectorXd;
using Eigen::VectorXd;

constexpr std::size_t kFewestRows = 30;
// A departure is named from this many standard errors on.
constexpr double kClear = 2;

std::vector<double> shape_of(const Fit& fit) {
  const std::vector<double> theta = fit.estimates();
  return {theta.end() - static_cast<std::ptrdiff_t>(parameter_names(fit.model).shocks.size()),
          theta.end()};
}

// f'(x) by central differences of fourth order.
template <class F>
double slope(const F& f, double x, double h) {
  return (8 * (f(x + h) - f(x - h)) - (f(x + 2 * h) - f(x - 2 * h))) / (12 * h);
}

// The law with its derivatives in three directions: location (by -e), log variance, and each shape
// parameter.
class LawInDirections {
 public:
  LawInDirections(const Shocks& shocks, std::vector<double> shape)
      : law_(shock_law(shocks)), shape_(std::move(shape)), scales_(shape_scales(shocks, shape_)) {
    for (double& s : scales_) s *= kStep;
  }

  [[nodiscard]] Index directions() const { return 2 + static_cast<Index>(shape_.size()); }
  [[nodiscard]] double quantile(double u) const { return law_.quantile(u, shape_); }
  [[nodiscard]] double cdf(double z) const { return law_.cdf(z, shape_); }

  // Scores of one shock: -g', -(1 + z g') / 2 and dg/dshape, where g = ln f.
  [[nodiscard]] RowVectorXd scores(double z) const {
    const double by_z =
        slope([&](double v) { return law_.log_density(v, shape_); }, z, kStep * (1 + std::abs(z)));
    RowVectorXd out(directions());
    out(0) = -by_z;
    out(1) = -(1 + z * by_z) / 2;
    by_shape([&](std::span<const double> s) { return law_.log_density(z, s); }, out);
    return out;
  }

  // Integrals of the scores up to the quantile z: -f, -z f / 2, dF/dshape.
  [[nodiscard]] RowVectorXd effects(double z) const {
    const double f = std::exp(law_.log_density(z, shape_));
    RowVectorXd out(directions());
    out(0) = -f;
    out(1) = -z * f / 2;
    by_shape([&](std::span<const double> s) { return law_.cdf(z, s); }, out);
    return out;
  }

 private:
  static constexpr double kStep = 1e-3;

  template <class F>
  void by_shape(const F& f, RowVectorXd& out) const {
    for (std::size_t j = 0; j < shape_.size(); ++j)
      out(2 + static_cast<Index>(j)) = slope(
          [&](double v) {
            std::vector<double> moved = shape_;
            moved[j] = v;
            return f(moved);
          },
          shape_[j], scales_[j]);
  }

  const ShockLaw& law_;
  std::vector<double> shape_, scales_;
};

// Of the slopes R_t of a row in each direction by the free parameters (dmu/sqrt h, dh/h, and ones
// for the shape): their means (k x q), and the information sum_ab J_ab mean(R_a R_b') (k x k).
struct RowSlopes {
  MatrixXd mean, information;
};

RowSlopes row_slopes(const Fit& fit, const MatrixXd& J) {
  require_path(fit, "law-fit");
  const std::vector<double> theta = fit.estimates();
  const std::size_t k = theta.size(), shapes = parameter_names(fit.model).shocks.size();
  JointLikelihood<double> likelihood(fit.model, mean_data(fit.model, fit.window()),
                                     Order::gradient);
  JointLikelihood<double>::Slopes found;
  if (!likelihood.slopes(theta, found))
    throw Error(ErrorCode::bad_option,
                fmt::format("law-fit: the likelihood of '{}' has no slopes at its estimates",
                            to_string(fit.model)));
  const auto size = static_cast<Index>(k), q = J.rows();
  RowSlopes out{MatrixXd::Zero(size, q), MatrixXd::Zero(size, size)};
  MatrixXd R = MatrixXd::Zero(size, q);
  for (std::size_t s = 0; s < shapes; ++s)
    R(static_cast<Index>(k - shapes + s), 2 + static_cast<Index>(s)) = 1;
  double n = 0;
  for (std::size_t t = 0; t < likelihood.rows(); ++t) {
    if (!fit.counted[fit.lost + t]) continue;
    const double h = found.h[t], root = std::sqrt(h);
    for (Index j = 0; j < size - static_cast<Index>(shapes); ++j) {
      const std::size_t at = t * k + static_cast<std::size_t>(j);
      R(j, 0) = -found.de[at] / root;
      R(j, 1) = found.dh[at] / h;
    }
    out.mean += R;
    out.information += maths::sandwich(R, J);
    ++n;
  }
  out.mean /= n;
  out.information /= n;
  return out;
}

// What the estimates take out of each direction: mean' information^-1 mean over the parameters that
// were estimated, those at a bound apart. Directions without information, such as beta's where
// alpha is 0, are left out.
MatrixXd taken_out(const Fit& fit, const RowSlopes& slopes) {
  std::vector<Index> free;
  for (std::size_t j = 0; j < fit.parameters.size(); ++j)
    if (!fit.parameters[j].held && !fit.parameters[j].at_bound &&
        slopes.information(static_cast<Index>(j), static_cast<Index>(j)) > 0)
      free.push_back(static_cast<Index>(j));
  if (free.empty()) return MatrixXd::Zero(slopes.mean.cols(), slopes.mean.cols());
  const MatrixXd I = slopes.information(free, free), mean = slopes.mean(free, Eigen::all);
  // On the scale of its diagonal, so that units do not matter.
  const VectorXd scale = I.diagonal().cwiseSqrt().cwiseInverse();
  const MatrixXd scaled = scale.asDiagonal() * I * scale.asDiagonal();
  const MatrixXd scaled_mean = scale.asDiagonal() * mean;
  const maths::Eigensystem solved = maths::symmetric_eigen(scaled);
  constexpr double kNoInformation = 1e-10;
  MatrixXd W = MatrixXd::Zero(mean.cols(), mean.cols());
  for (Index j = 0; j < scaled.rows(); ++j)
    if (const double value = solved.values(j); value > kNoInformation) {
      const VectorXd along = maths::cross(scaled_mean, VectorXd(solved.vectors.col(j)));
      W += along * along.transpose() / value;
    }
  return W;
}

// The departures of the sorted transforms: the clearer tail, the other one, the centre.
std::vector<LawDeparture> departures(const std::vector<double>& u, const LawInDirections& law,
                                     const MatrixXd& W) {
  const auto n = static_cast<double>(u.size());
  const auto below = [&](double p) {
    return static_cast<double>(std::lower_bound(u.begin(), u.end(), p) - u.begin()) / n;
  };
  const auto covariance = [&](double a, double b) {
    return std::min(a, b) - a * b -
           law.effects(law.quantile(a)) * W * law.effects(law.quantile(b)).transpose();
  };
  using Where = LawDeparture::Where;
  std::vector<LawDeparture> found;
  const auto add = [&](Where where, double expected, double share, double variance) {
    if (!(variance > 1e-9)) return;  // the estimates make it hold
    found.push_back({where, expected, share, (share - expected) / std::sqrt(variance / n)});
  };
  std::vector<LawDeparture> out;
  // The farthest out that is clear: what an outcome beyond the quantiles costs is decided there. A
  // tail that is thin at 5 % and heavy farther out, as under a peaked law, is not called light.
  const auto keep_first = [&] {
    for (const LawDeparture& d : found) {
      if ((d.score > 0) != (found.front().score > 0)) break;
      if (std::abs(d.score) < kClear) continue;
      out.push_back(d);
      break;
    }
    found.clear();
  };
  for (const double p : {.01, .025, .05}) add(Where::lower_tail, p, below(p), covariance(p, p));
  keep_first();
  for (const double p : {.01, .025, .05})
    add(Where::upper_tail, p, 1 - below(1 - p), covariance(1 - p, 1 - p));
  keep_first();
  if (out.size() == 2 && std::abs(out[1].score) > std::abs(out[0].score)) std::swap(out[0], out[1]);
  add(Where::centre, .5, below(.75) - below(.25),
      covariance(.75, .75) + covariance(.25, .25) - covariance(.25, .75) - covariance(.75, .25));
  keep_first();
  return out;
}

TestResult named(const char* test, const Fit& fit, std::size_t n, double statistic, double p) {
  TestResult out;
  out.test = test;
  out.variant = "F(z)";
  out.null = fmt::format("shocks follow the {} law", law_name(fit.model.shocks));
  out.statistic = statistic;
  out.observations = n;
  out.p_value = p;
  out.p_floor = laws::kTransformFloor;
  return out;
}

}  // namespace

double shock_quantile(const Fit& fit, double p) {
  return shock_law(fit.model.shocks).quantile(p, shape_of(fit));
}

std::vector<double> probability_transforms(const Fit& fit) {
  const std::vector<double> shape = shape_of(fit);
  std::vector<double> u;
  for (const double z : fit.standardised().values)
    if (!std::isnan(z)) u.push_back(shock_law(fit.model.shocks).cdf(z, shape));
  return u;
}

LawFit law_fit(const Fit& fit) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option, fmt::format("law-fit: the fit of '{}' must not be used ({})",
                                                   to_string(fit.model), fit.convergence.why));
  std::vector<double> u = probability_transforms(fit);
  if (u.size() < kFewestRows)
    throw Error(
        ErrorCode::too_few_observations,
        fmt::format("law-fit: {} observations; at least {} are needed", u.size(), kFewestRows));
  std::sort(u.begin(), u.end());
  const auto n = static_cast<double>(u.size());
  double squares = 1 / (12 * n), logs = -n;
  for (std::size_t i = 0; i < u.size(); ++i) {
    const double odd = 2 * static_cast<double>(i) + 1;
    squares += std::pow(u[i] - odd / (2 * n), 2);
    // A shock so far out that its transform is 0 or 1 in double precision counts as the last one
    // that is not.
    const double low = std::max(u[i], 1e-300), high = std::min(u[u.size() - 1 - i], 1 - 1e-16);
    logs -= odd / n * (std::log(low) + std::log1p(-high));
  }

  const LawInDirections law(fit.model.shocks, shape_of(fit));
  const std::vector<double>&nodes = laws::transform_nodes(), &weights = laws::transform_weights();
  MatrixXd J = MatrixXd::Zero(law.directions(), law.directions());
  MatrixXd G(static_cast<Index>(nodes.size()), law.directions());
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    const double z = law.quantile(nodes[i]);
    const RowVectorXd s = law.scores(z);
    J += weights[i] * s.transpose() * s;
    G.row(static_cast<Index>(i)) = law.effects(z);
  }
  const MatrixXd W = taken_out(fit, row_slopes(fit, J));
  const laws::TransformLaw null(G, W);

  LawFit out;
  out.anderson_darling =
      named("anderson-darling", fit, u.size(), logs, null.anderson_darling(logs));
  out.cramer_von_mises =
      named("cramer-von-mises", fit, u.size(), squares, null.cramer_von_mises(squares));
  if (*out.anderson_darling.rejects() || *out.cramer_von_mises.rejects())
    out.departures = departures(u, law, W);
  const std::string where = words(out.departures);
  for (TestResult* test : {&out.anderson_darling, &out.cramer_von_mises})
    test->reading = !*test->rejects() ? "the law fits the shocks"
                    : where.empty()   ? "another law would fit the shocks better"
                                      : where;
  return out;
}

std::string words(const std::vector<LawDeparture>& departures) {
  std::vector<std::string> out;
  for (const LawDeparture& d : departures) {
    const bool more = d.share > d.expected;
    const std::string share = text::fixed(100 * d.share, 1),
                      expected = fmt::format("{:g}", 100 * d.expected);
    if (d.where == LawDeparture::Where::centre)
      out.push_back(fmt::format("{} shocks than the law gives lie in its middle half: {} %",
                                more ? "more" : "fewer", share));
    else
      out.push_back(fmt::format(
          "the {} tail is {} than the law's: {} % of the shocks lie {} its {} % quantile",
          d.where == LawDeparture::Where::lower_tail ? "lower" : "upper",
          more ? "heavier" : "lighter", share,
          d.where == LawDeparture::Where::lower_tail ? "below" : "above",
          d.where == LawDeparture::Where::lower_tail
              ? expected
              : fmt::format("{:g}", 100 - 100 * d.expected)));
  }
  return fmt::format("{}", fmt::join(out, "; "));
}

}  // namespace brace::inline v0
