// SPDX-License-Identifier: Apache-2.0
// Products of lag polynomials. Covered by tests/model/lag_product_test.cpp.
#include "model/lag_product.hpp"

#include <algorithm>

namespace brace::inline v0 {
namespace {

LagProduct product(const Lags& plain, std::size_t first, const Lags& seasonal,
                   std::size_t first_seasonal, double cross) {
  LagProduct out;
  for (const int i : plain) out.lags.push_back(i);
  for (const int I : seasonal) {
    out.lags.push_back(I);
    for (const int i : plain) out.lags.push_back(i + I);
  }
  std::sort(out.lags.begin(), out.lags.end());
  out.lags.erase(std::unique(out.lags.begin(), out.lags.end()), out.lags.end());
  const auto at = [&](int lag) {
    return static_cast<std::size_t>(std::lower_bound(out.lags.begin(), out.lags.end(), lag) -
                                    out.lags.begin());
  };
  for (std::size_t i = 0; i < plain.size(); ++i)
    out.terms.push_back({at(plain[i]), first + i, std::nullopt, 1});
  for (std::size_t I = 0; I < seasonal.size(); ++I) {
    out.terms.push_back({at(seasonal[I]), first_seasonal + I, std::nullopt, 1});
    for (std::size_t i = 0; i < plain.size(); ++i)
      out.terms.push_back({at(plain[i] + seasonal[I]), first + i, first_seasonal + I, cross});
  }
  return out;
}

}  // namespace

MeanPositions mean_positions(const Model& model) {
  const Mean& m = model.mean;
  MeanPositions p;
  std::size_t next = 0;
  for (int i = 0; i < (m.constant ? 1 : 0) + (m.trend ? 1 : 0); ++i) p.regression.push_back(next++);
  p.ar = next;
  p.ma = p.ar + m.ar.size();
  p.seasonal_ar = p.ma + m.ma.size();
  p.seasonal_ma = p.seasonal_ar + m.seasonal_ar.size();
  next = p.seasonal_ma + m.seasonal_ma.size();
  p.count = parameter_names(model).mean.size();
  for (; next + (m.risk ? 1 : 0) < p.count; ++next) p.regression.push_back(next);
  return p;
}

void LagProduct::coefficients(std::span<const double> theta, std::vector<double>& c) const {
  c.assign(lags.size(), 0.0);
  for (const Term& t : terms)
    c[t.at] += t.sign * theta[t.first] * (t.second ? theta[*t.second] : 1);
}

std::vector<double> LagProduct::coefficients(std::span<const double> theta) const {
  std::vector<double> c;
  coefficients(theta, c);
  return c;
}

std::vector<double> LagProduct::dense(std::span<const double> theta) const {
  std::vector<double> all(static_cast<std::size_t>(longest()), 0.0);
  const std::vector<double> c = coefficients(theta);
  for (std::size_t i = 0; i < lags.size(); ++i) all[static_cast<std::size_t>(lags[i]) - 1] = c[i];
  return all;
}

Eigen::MatrixXd LagProduct::jacobian(std::span<const double> theta, std::size_t parameters) const {
  using Eigen::Index;
  Eigen::MatrixXd J =
      Eigen::MatrixXd::Zero(static_cast<Index>(lags.size()), static_cast<Index>(parameters));
  for (const Term& t : terms) {
    const auto row = static_cast<Index>(t.at);
    J(row, static_cast<Index>(t.first)) += t.sign * (t.second ? theta[*t.second] : 1);
    if (t.second) J(row, static_cast<Index>(*t.second)) += t.sign * theta[t.first];
  }
  return J;
}

void LagProduct::add_curvature(std::span<const double> g, Eigen::MatrixXd& H) const {
  for (const Term& t : terms) {
    if (!t.second) continue;
    const auto i = static_cast<Eigen::Index>(t.first), j = static_cast<Eigen::Index>(*t.second);
    H(i, j) += t.sign * g[t.at];
    H(j, i) += t.sign * g[t.at];
  }
}

LagProduct ar_product(const Model& model) {
  const MeanPositions p = mean_positions(model);
  return product(model.mean.ar, p.ar, model.mean.seasonal_ar, p.seasonal_ar, -1);
}

LagProduct ma_product(const Model& model) {
  const MeanPositions p = mean_positions(model);
  return product(model.mean.ma, p.ma, model.mean.seasonal_ma, p.seasonal_ma, 1);
}

std::vector<double> difference_weights(const Lags& differences) {
  std::vector<double> weights{1};
  for (const int d : differences) {
    std::vector<double> next(weights.size() + static_cast<std::size_t>(d), 0.0);
    for (std::size_t l = 0; l < weights.size(); ++l) {
      next[l] += weights[l];
      next[l + static_cast<std::size_t>(d)] -= weights[l];
    }
    weights = std::move(next);
  }
  return weights;
}

std::vector<double> psi_weights(const Model& model, std::span<const double> theta,
                                std::size_t count) {
  const LagProduct ar = ar_product(model), ma = ma_product(model);
  const std::vector<double> a = ar.coefficients(theta), b = ma.coefficients(theta);
  const std::vector<double> difference = difference_weights(model.mean.differences);
  std::vector<double> change(count, 0.0), psi(count, 0.0);
  for (std::size_t i = 0; i < count; ++i) {
    double w = i == 0 ? 1 : 0;
    for (std::size_t l = 0; l < a.size(); ++l)
      if (const auto lag = static_cast<std::size_t>(ar.lags[l]); lag <= i)
        w += a[l] * change[i - lag];
    for (std::size_t l = 0; l < b.size(); ++l)
      if (static_cast<std::size_t>(ma.lags[l]) == i) w += b[l];
    change[i] = w;
    psi[i] = w;
    for (std::size_t l = 1; l < difference.size() && l <= i; ++l)
      psi[i] -= difference[l] * psi[i - l];
  }
  return psi;
}

}  // namespace brace::inline v0
