// SPDX-License-Identifier: Apache-2.0
// Covered by tests/model/estimate_test.cpp, reference_test.cpp and inference_test.cpp.
#include "model/standard_errors.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/laws/standard.hpp"
#include "model/likelihood.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// The error stands; t and p follow where zero is a hypothesis about the parameter.
void set_error(Parameter& p, std::optional<double> se) {
  p.se = se;
  const bool no_hypothesis =
      p.name == "nu" || p.name == "sigma2" || p.name == "omega" || p.name == "delta";
  if (!se || no_hypothesis) return;
  p.t = p.estimate / *se;
  p.p_value = laws::normal_two_sided(*p.t);
}

void clear(MatrixXd& covariance, Index j) {
  covariance.row(j).setZero();
  covariance.col(j).setZero();
}

MatrixXd inverse(const MatrixXd& positive) {
  return positive.llt().solve(MatrixXd::Identity(positive.rows(), positive.cols()));
}

}  // namespace

void write_errors(const Maximum& m, bool hessian_only, Fit& fit) {
  const auto k = static_cast<Index>(fit.parameters.size());
  const Index r = m.free.cols();
  if (r == 0) {
    fit.covariance = MatrixXd::Zero(k, k);
    return;
  }
  const MatrixXd G = m.chart.jacobian(m.x) * m.free;
  const MatrixXd A = inverse(m.free.transpose() * m.hessian * m.free);
  MatrixXd opg, sandwich;
  if (!hessian_only || fit.errors != ErrorKind::hessian) {
    const MatrixXd B = m.surface.score_products(span_of(m.theta), G);
    const Eigen::LDLT<MatrixXd> of_B(B);
    if (of_B.isPositive() && of_B.rcond() > 1e-14) opg = of_B.solve(MatrixXd::Identity(r, r));
    sandwich = A * B * A;
  }
  const MatrixXd N = m.to_natural * G;
  const auto natural = [&](const MatrixXd& C) -> MatrixXd {
    if (C.size() == 0) return {};
    return N * C * N.transpose();
  };
  const MatrixXd by_hessian = natural(A), by_opg = natural(opg), by_sandwich = natural(sandwich);
  const auto error = [&](const MatrixXd& V, Index j) -> std::optional<double> {
    const Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
    if (V.size() == 0 || p.held || p.at_bound || !(V(j, j) > 0)) return std::nullopt;
    return std::sqrt(V(j, j));
  };
  for (Index j = 0; j < k; ++j) {
    Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
    p.se_hessian = error(by_hessian, j);
    p.se_opg = error(by_opg, j);
    p.se_robust = error(by_sandwich, j);
    set_error(p, fit.errors == ErrorKind::hessian ? p.se_hessian
                 : fit.errors == ErrorKind::opg   ? p.se_opg
                                                  : p.se_robust);
  }
  fit.covariance = fit.errors == ErrorKind::hessian ? by_hessian
                   : fit.errors == ErrorKind::opg   ? by_opg
                                                    : by_sandwich;
  if (fit.covariance.size() == 0) fit.covariance = MatrixXd::Zero(k, k);
  for (Index j = 0; j < k; ++j)
    if (const Parameter& p = fit.parameters[static_cast<std::size_t>(j)]; p.held || p.at_bound)
      clear(fit.covariance, j);
}

void write_targeted_errors(const Model& model, const MeanData& data, const Tie& tie,
                           const std::vector<std::optional<double>>& held, const Maximum& m,
                           Fit& fit) {
  const auto k = static_cast<Index>(fit.parameters.size());
  if (m.free.cols() == 0) {
    fit.covariance = MatrixXd::Zero(k, k);
    return;
  }
  const auto n = static_cast<double>(std::count_if(data.change.begin(), data.change.end(),
                                                   [](double v) { return !std::isnan(v); }));
  const MatrixXd G = m.chart.jacobian(m.x) * m.free;
  const MatrixXd A = inverse(m.free.transpose() * m.hessian * m.free);
  Derivatives<double> derivatives;
  const auto gradient_at = [&](double level) -> VectorXd {
    Tie moved = tie;
    moved.level = level;
    const Chart chart(model, held, Chart::Coordinates::bounded, moved);
    const VectorXd theta = chart.natural(m.x);
    m.surface.evaluate(span_of(theta), Order::gradient, derivatives);
    return m.free.transpose() * chart.jacobian(m.x).transpose() *
           Eigen::Map<const VectorXd>(derivatives.gradient.data(), k);
  };
  constexpr double kStep = 1e-4;
  const VectorXd C = (gradient_at(1 + kStep) - gradient_at(1 - kStep)) / (2 * kStep);
  const std::vector<double> by_row = m.surface.scores(span_of(m.theta));
  const Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> S(
      by_row.data(), static_cast<Index>(m.surface.rows()), k);
  Likelihood<double> likelihood(model, data, Order::value);
  Likelihood<double>::Path path;
  if (!likelihood.path(span_of(m.theta), path)) return;
  const ParameterNames names = parameter_names(model);
  double betas = 0;
  for (std::size_t j = 0; j < names.variance.size(); ++j)
    if (names.variance[j].starts_with("beta"))
      betas += m.theta(static_cast<Index>(names.mean.size() + j));
  const double share = tie.share(m.theta);
  VectorXd of_target = VectorXd::Zero(k);
  of_target(static_cast<Index>(tie.parameter)) = share;
  const MatrixXd along = S * G;
  MatrixXd V = MatrixXd::Zero(k, k);
  for (Index t = 0; t < S.rows(); ++t) {
    const auto row = static_cast<std::size_t>(t);
    const double xi = std::isnan(data.change[row])
                          ? 0
                          : (1 - betas) / share * (path.e[row] * path.e[row] - path.h[row]) / n;
    const VectorXd influence = G * (A * (along.row(t).transpose() + C * xi)) + of_target * xi;
    V += influence * influence.transpose();
  }
  fit.errors = ErrorKind::robust;
  fit.covariance = m.to_natural * V * m.to_natural.transpose();
  for (Index j = 0; j < k; ++j) {
    Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
    if (p.held || p.at_bound || !(fit.covariance(j, j) > 0)) {
      clear(fit.covariance, j);
      continue;
    }
    p.se_robust = std::sqrt(fit.covariance(j, j));
    set_error(p, p.se_robust);
  }
}

}  // namespace brace
