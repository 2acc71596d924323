// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/estimate_test.cpp, reference_test.cpp and inference_test.cpp.
#include "estimation/standard_errors.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/laws/standard.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "maths/dense.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {
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

void clear(Matrix& covariance, std::size_t j) {
  for (std::size_t i = 0; i < covariance.rows(); ++i) covariance(i, j) = covariance(j, i) = 0;
}

// What the products of scores lack of what the Hessian expects, along each coefficient that fits a
// few rows; `G`, the Hessian and the products by the free directions.
MatrixXd lacking_products(const Maximum& m, const MatrixXd& G, const MatrixXd& hessian,
                          const MatrixXd& products) {
  MatrixXd lacking = MatrixXd::Zero(products.rows(), products.cols());
  for (const std::size_t j : m.of_few_rows) {
    const VectorXd g = G.row(static_cast<Index>(j)).transpose();
    const double length = g.squaredNorm();
    if (!(length > 0)) continue;  // held
    const double expected = g.dot(hessian * g), seen = g.dot(products * g);
    lacking += std::max(0.0, expected - seen) / (length * length) * g * g.transpose();
  }
  return lacking;
}

}  // namespace

std::vector<std::size_t> fits_few_rows(const Model& model, const MeanData& data) {
  constexpr double kFew = 5;
  std::vector<std::size_t> out;
  const std::vector<std::size_t> positions = mean_positions(model).regression;
  for (std::size_t j = 0; j < positions.size(); ++j) {
    // Rows of equal size that would have these moments: 1 of a pulse, 2.9 of one that fades.
    double squares = 0, fourths = 0;
    for (const double c : data.columns.col(static_cast<Index>(j)))
      if (!std::isnan(c)) {
        squares += c * c;
        fourths += c * c * c * c;
      }
    if (squares * squares < kFew * fourths) out.push_back(positions[j]);
  }
  return out;
}

void write_errors(const Maximum& m, bool hessian_only, Fit& fit) {
  const auto k = static_cast<Index>(fit.parameters.size());
  const Index r = m.free.cols();
  if (r == 0) {
    fit.covariance = Matrix(fit.parameters.size(), fit.parameters.size());
    return;
  }
  const MatrixXd G = maths::product(m.coordinates.jacobian(m.x), m.free);
  const MatrixXd H = maths::sandwich(m.free.transpose(), m.hessian);
  const MatrixXd A = maths::inverse_of_positive(H);
  MatrixXd opg, robust;
  if (!hessian_only || fit.errors != StandardErrors::hessian) {
    MatrixXd B = m.likelihood.score_products(span_of(m.theta), G);
    B += lacking_products(m, G, H, B);
    opg = maths::inverse_of_symmetric(B, 1e-14).value_or(MatrixXd());
    robust = maths::sandwich(A, B);
  }
  const MatrixXd N = maths::product(m.data_by_scaled, G);
  const auto in_data_units = [&](const MatrixXd& C) -> MatrixXd {
    if (C.size() == 0) return {};
    return maths::sandwich(N, C);
  };
  const MatrixXd by_hessian = in_data_units(A), by_opg = in_data_units(opg),
                 by_robust = in_data_units(robust);
  const auto error = [&](const MatrixXd& V, Index j) -> std::optional<double> {
    const Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
    if (V.size() == 0 || p.held || p.at_bound || !(V(j, j) > 0)) return std::nullopt;
    return std::sqrt(V(j, j));
  };
  for (Index j = 0; j < k; ++j) {
    Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
    p.se_hessian = error(by_hessian, j);
    p.se_opg = error(by_opg, j);
    p.se_robust = error(by_robust, j);
    set_error(p, fit.errors == StandardErrors::hessian ? p.se_hessian
                 : fit.errors == StandardErrors::opg   ? p.se_opg
                                                       : p.se_robust);
  }
  const MatrixXd& chosen = fit.errors == StandardErrors::hessian ? by_hessian
                           : fit.errors == StandardErrors::opg   ? by_opg
                                                                 : by_robust;
  fit.covariance = maths::to_matrix(chosen.size() > 0 ? chosen : MatrixXd(MatrixXd::Zero(k, k)));
  for (std::size_t j = 0; j < fit.parameters.size(); ++j)
    if (const Parameter& p = fit.parameters[j]; p.held || p.at_bound) clear(fit.covariance, j);
}

void write_targeted_errors(const Model& model, const MeanData& data, const Tie& tie,
                           const std::vector<std::optional<double>>& held, const Maximum& m,
                           Fit& fit) {
  const auto k = static_cast<Index>(fit.parameters.size());
  if (m.free.cols() == 0) {
    fit.covariance = Matrix(fit.parameters.size(), fit.parameters.size());
    return;
  }
  const auto n = static_cast<double>(std::count_if(data.change.begin(), data.change.end(),
                                                   [](double v) { return !std::isnan(v); }));
  const MatrixXd G = maths::product(m.coordinates.jacobian(m.x), m.free);
  const MatrixXd H = maths::sandwich(m.free.transpose(), m.hessian);
  const MatrixXd A = maths::inverse_of_positive(H);
  Derivatives<double> derivatives;
  const auto gradient_at = [&](double level) -> VectorXd {
    Tie moved = tie;
    moved.level = level;
    const Coordinates coordinates(model, held, Coordinates::Kind::bounded, moved);
    const ScaledParameters theta = coordinates.scaled(m.x);
    m.likelihood.evaluate(span_of(theta), Order::gradient, derivatives);
    const VectorXd gradient = Eigen::Map<const VectorXd>(derivatives.gradient.data(), k);
    return maths::cross(m.free, maths::cross(coordinates.jacobian(m.x), gradient));
  };
  constexpr double kStep = 1e-4;
  const VectorXd C = (gradient_at(1 + kStep) - gradient_at(1 - kStep)) / (2 * kStep);
  const std::vector<double> by_row = m.likelihood.scores(span_of(m.theta));
  const Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> S(
      by_row.data(), static_cast<Index>(m.likelihood.rows()), k);
  JointLikelihood<double> likelihood(model, data, Order::value);
  JointLikelihood<double>::Path path;
  if (!likelihood.path(span_of(m.theta), path)) return;
  const ParameterNames names = parameter_names(model);
  double betas = 0;
  for (std::size_t j = 0; j < names.variance.size(); ++j)
    if (names.variance[j].starts_with("beta"))
      betas += m.theta(static_cast<Index>(names.mean.size() + j));
  const double share = tie.share(m.theta);
  VectorXd of_target = VectorXd::Zero(k);
  of_target(static_cast<Index>(tie.parameter)) = share;
  const MatrixXd along = maths::product(S, G);
  MatrixXd V = MatrixXd::Zero(k, k);
  for (Index t = 0; t < S.rows(); ++t) {
    const auto row = static_cast<std::size_t>(t);
    const double xi = std::isnan(data.change[row])
                          ? 0
                          : (1 - betas) / share * (path.e[row] * path.e[row] - path.h[row]) / n;
    const VectorXd influence =
        maths::product(G, maths::product(A, VectorXd(along.row(t).transpose() + C * xi))) +
        of_target * xi;
    V += influence * influence.transpose();
  }
  const MatrixXd GA = maths::product(G, A);
  V += maths::sandwich(GA, lacking_products(m, G, H, maths::cross(along, along)));
  fit.errors = StandardErrors::robust;
  fit.covariance = maths::to_matrix(maths::sandwich(m.data_by_scaled, V));
  for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
    Parameter& p = fit.parameters[j];
    if (p.held || p.at_bound || !(fit.covariance(j, j) > 0)) {
      clear(fit.covariance, j);
      continue;
    }
    p.se_robust = std::sqrt(fit.covariance(j, j));
    set_error(p, p.se_robust);
  }
}

}  // namespace brace::inline v0
