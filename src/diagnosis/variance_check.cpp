// SPDX-License-Identifier: Apache-2.0
// Tests of a variance equation and its law. Covered by tests/diagnosis/variance_check_test.cpp.
#include "brace/diagnosis/variance_check.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/model_line.hpp"
#include "families/variance_family.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Of the counted rows: w = z^2 - 1, slopes of h and of the mean, scores, each by parameters that
// are measured by how the likelihood curves in them.
struct CheckRows {
  VectorXd w;
  MatrixXd slopes;  // (dh/dtheta) / h, rows x k
  MatrixXd means;   // (dmu/dtheta) / sqrt h
  MatrixXd scores;
  MatrixXd influence;  // n (-H)^-1 scores over the free parameters, zero elsewhere
};

// Columns of parameters that were estimated, from `first` on.
std::vector<Index> free_from(const Fit& fit, std::size_t first, std::size_t last) {
  std::vector<Index> free;
  for (std::size_t j = first; j < last; ++j)
    if (!fit.parameters[j].held && !fit.parameters[j].at_bound)
      free.push_back(static_cast<Index>(j));
  return free;
}

CheckRows rows_of(const Fit& fit, const char* test) {
  if (!fit.usable() || fit.exact)
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: '{}' {}", test, to_string(fit.model),
                            fit.exact ? "was fitted by exact likelihood, without a variance "
                                        "equation to test"
                                      : "must not be used: " + fit.convergence.why));
  require_path(fit, test);
  const std::vector<double> theta = fit.estimates();
  const auto k = static_cast<Index>(theta.size());
  JointLikelihood<double> likelihood(fit.model, mean_data(fit.model, fit.window()));
  JointLikelihood<double>::Slopes found;
  if (!likelihood.slopes(theta, found))
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: the likelihood of '{}' has no slopes at its estimates", test,
                            to_string(fit.model)));
  const std::vector<double> scores = likelihood.scores(theta);
  std::vector<std::size_t> rows;
  for (std::size_t t = 0; t < likelihood.rows(); ++t)
    if (fit.counted[fit.lost + t]) rows.push_back(t);
  CheckRows out;
  const auto n = static_cast<Index>(rows.size());
  out.w.resize(n);
  out.slopes.resize(n, k);
  out.means.resize(n, k);
  out.scores.resize(n, k);
  for (Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    const double h = found.h[t], e = found.e[t];
    out.w(i) = e * e / h - 1;
    for (Index j = 0; j < k; ++j) {
      const std::size_t at = t * theta.size() + static_cast<std::size_t>(j);
      out.slopes(i, j) = found.dh[at] / h;
      out.means(i, j) = -found.de[at] / std::sqrt(h);
      out.scores(i, j) = scores[at];
    }
  }
  const std::vector<Index> free = free_from(fit, 0, theta.size());
  const Derivatives<double> d = likelihood.evaluate(theta, Order::hessian);
  MatrixXd minus_H(static_cast<Index>(free.size()), static_cast<Index>(free.size()));
  for (std::size_t a = 0; a < free.size(); ++a)
    for (std::size_t b = 0; b <= a; ++b)
      minus_H(static_cast<Index>(a), static_cast<Index>(b)) = minus_H(static_cast<Index>(b),
                                                                      static_cast<Index>(a)) =
          -d.hessian[packed(static_cast<std::size_t>(free[a]), static_cast<std::size_t>(free[b]))];
  // Each parameter on the scale of the diagonal, so that units do not matter.
  const VectorXd scale = minus_H.diagonal().cwiseAbs().cwiseSqrt().cwiseInverse();
  for (MatrixXd* rows_by_parameter : {&out.slopes, &out.means, &out.scores})
    for (std::size_t a = 0; a < free.size(); ++a)
      rows_by_parameter->col(free[a]) *= scale(static_cast<Index>(a));
  const MatrixXd scaled = scale.asDiagonal() * minus_H * scale.asDiagonal();
  const MatrixXd inverse =
      maths::solve_symmetric(scaled, MatrixXd(MatrixXd::Identity(scaled.rows(), scaled.cols())));
  out.influence = MatrixXd::Zero(n, k);
  out.influence(Eigen::all, free) =
      static_cast<double>(n) * maths::product(out.scores(Eigen::all, free), inverse);
  return out;
}

void require_rows(Index n, int lags, const char* test) {
  if (lags < 1 || n < Index{5} * (lags + 1))
    throw Error(ErrorCode::too_few_observations,
                fmt::format("{}: {} lags on {} observations; one lag or more is needed, and five "
                            "observations for each",
                            test, lags, n));
}

TestResult chi_squared(const char* test, const char* variant, std::string null, double statistic,
                       int dof, Index n) {
  TestResult out;
  out.test = test;
  out.variant = variant;
  out.null = std::move(null);
  out.statistic = statistic;
  out.dof = {static_cast<double>(dof)};
  out.observations = static_cast<std::size_t>(n);
  out.p_value = laws::chi_squared_tail(statistic, dof);
  return out;
}

}  // namespace

TestResult li_mak(const Fit& fit, int lags) {
  const CheckRows rows = rows_of(fit, "li-mak");
  const Index n = rows.w.size(), m = lags;
  require_rows(n, lags, "li-mak");
  const double c0 = rows.w.squaredNorm() / static_cast<double>(n);
  VectorXd r(m);
  MatrixXd X(m, rows.slopes.cols());
  for (Index k = 1; k <= m; ++k) {
    const auto before = rows.w.head(n - k);
    r(k - 1) = before.dot(rows.w.tail(n - k)) / rows.w.squaredNorm();
    X.row(k - 1) = maths::cross(rows.slopes.bottomRows(n - k), VectorXd(before)).transpose() /
                   static_cast<double>(n);
  }
  const std::vector<Index> free = free_from(fit, 0, fit.parameters.size());
  MatrixXd V(m, m);
  if (std::holds_alternative<Normal>(fit.model.shocks)) {
    const MatrixXd Xf = X(Eigen::all, free), S = rows.slopes(Eigen::all, free),
                   M = rows.means(Eigen::all, free);
    const MatrixXd G = (maths::cross(S, S) / 2 + maths::cross(M, M)) / static_cast<double>(n);
    V = MatrixXd::Identity(m, m) -
        maths::product(Xf, maths::solve_symmetric(G, MatrixXd(Xf.transpose()))) / 4;
  } else {
    // sqrt n r = n^-1/2 sum of psi_t: products of w less X / c0 times the estimates' influence.
    MatrixXd psi(n, m);
    for (Index k = 1; k <= m; ++k) {
      psi.col(k - 1) = maths::product(rows.influence, VectorXd(X.row(k - 1).transpose())) / -c0;
      psi.col(k - 1).tail(n - k) += rows.w.tail(n - k).cwiseProduct(rows.w.head(n - k)) / c0;
    }
    V = maths::cross(psi, psi) / static_cast<double>(n);
  }
  TestResult out =
      chi_squared("li-mak", "z^2", fmt::format("no memory in z^2 up to lag {}", lags),
                  static_cast<double>(n) * r.dot(maths::solve_symmetric(V, r)), lags, n);
  out.lags = lags;
  out.reading = *out.rejects() ? "volatility clusters beyond the variance equation"
                               : "the variance equation leaves no memory in z^2";
  return out;
}

TestResult remaining_arch_test(const Fit& fit, int lags, bool robust) {
  const CheckRows rows = rows_of(fit, "arch-left");
  const Index n = rows.w.size(), m = lags, N = n - m;
  require_rows(n, lags, "arch-left");
  const ParameterNames names = parameter_names(fit.model);
  const std::vector<Index> free =
      free_from(fit, names.mean.size(), names.mean.size() + names.variance.size());
  MatrixXd X(N, static_cast<Index>(free.size()) + m);
  X.leftCols(static_cast<Index>(free.size())) = rows.slopes(Eigen::all, free).bottomRows(N);
  const auto lagged = X.rightCols(m);
  for (Index k = 1; k <= m; ++k)
    X.col(static_cast<Index>(free.size()) + k - 1) =
        rows.w.segment(m - k, N).array() + 1;  // z^2 of k rows before
  const VectorXd w = rows.w.tail(N);
  double statistic = 0;
  if (robust) {
    // What the slopes leave of each lag, times w: 1 regressed on these.
    const MatrixXd slopes = X.leftCols(static_cast<Index>(free.size()));
    MatrixXd products = lagged;
    if (slopes.cols() > 0)
      products -= maths::product(slopes, maths::pivoted_fit(slopes, lagged).coefficients);
    products.array().colwise() *= w.array();
    const VectorXd ones = VectorXd::Ones(N);
    statistic = static_cast<double>(N) - maths::regress(products, ones).ssr;
  } else {
    const double before = w.squaredNorm();
    statistic = static_cast<double>(N) * (before - maths::regress(X, w).ssr) / before;
  }
  TestResult out = chi_squared("arch-left", robust ? "robust" : "plain",
                               fmt::format("no ARCH left up to lag {}", lags), statistic, lags, N);
  out.lags = lags;
  out.reading = *out.rejects() ? "ARCH is left that the variance equation does not take up"
                               : "no ARCH is left";
  return out;
}

std::vector<TestResult> sign_bias(const Fit& fit) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("sign-bias: the fit of '{}' must not be used ({})",
                            to_string(fit.model), fit.convergence.why));
  std::vector<double> z;
  for (const double v : fit.standardised().values)
    if (!std::isnan(v)) z.push_back(v);
  return sign_bias_of(z);
}

std::vector<TestResult> sign_bias_of(std::span<const double> z) {
  const auto N = static_cast<Index>(z.size()) - 1;
  require_rows(N, 3, "sign-bias");
  const auto falls_before = std::count_if(z.begin(), z.end() - 1, [](double v) { return v < 0; });
  constexpr std::ptrdiff_t kFewest = 3;  // of either sign: two slopes are to be told apart
  if (falls_before < kFewest || N - falls_before < kFewest)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("sign-bias: {} of {} residuals are negative; at least {} of each sign "
                            "are needed",
                            falls_before, N, kFewest));
  MatrixXd X(N, 4);
  VectorXd y(N);
  for (Index t = 0; t < N; ++t) {
    const double before = z[static_cast<std::size_t>(t)], now = z[static_cast<std::size_t>(t) + 1];
    const double falls = before < 0 ? 1 : 0;
    X.row(t) << 1, falls, falls * before, (1 - falls) * before;
    y(t) = now * now;
  }
  std::vector<TestResult> out;
  const std::array<const char*, 3> variants{"sign", "size of falls", "size of rises"};
  for (Index j = 1; j <= 3; ++j) {
    MatrixXd two(N, 2);
    two << X.col(0), X.col(j);
    const maths::Regression r = maths::regress(two, y);
    TestResult test;
    test.test = "sign-bias";
    test.variant = variants[static_cast<std::size_t>(j) - 1];
    test.null = fmt::format("z^2 free of the {} before", j == 1 ? "sign" : test.variant);
    test.statistic = r.coefficients(1) / r.errors(1);
    test.dof = {static_cast<double>(N - 2)};
    test.observations = static_cast<std::size_t>(N);
    test.p_value = laws::f_tail(test.statistic * test.statistic, 1, static_cast<double>(N - 2));
    test.reading = *test.rejects() ? "the model misses an asymmetry" : "no asymmetry is missed";
    out.push_back(std::move(test));
  }
  const double total = (y.array() - y.mean()).square().sum();
  out.push_back(chi_squared("sign-bias", "joint", "rises and falls weigh the same",
                            static_cast<double>(N) * (1 - maths::regress(X, y).ssr / total), 3, N));
  out.back().reading =
      *out.back().rejects() ? "the model misses an asymmetry" : "no asymmetry is missed";
  return out;
}

}  // namespace brace::inline v0
