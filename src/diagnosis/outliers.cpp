// SPDX-License-Identifier: Apache-2.0
// Outliers of a fit, after Chen and Liu (1993). Covered by tests/diagnosis/outliers_test.cpp.
#include "brace/diagnosis/outliers.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <ostream>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/model_line.hpp"
#include "maths/dense.hpp"
#include "model/lag_product.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::array kKinds{OutlierKind::additive, OutlierKind::level_shift,
                            OutlierKind::temporary_change};

// What a unit outlier of this kind leaves in the residuals from its row on: the filter
// a(B) difference(B) / b(B) of a pulse, a step or a fading pulse.
std::vector<double> effect(const Model& model, std::span<const double> theta, OutlierKind kind,
                           std::size_t rows, bool differenced = true) {
  std::vector<double> x(rows, 0.0);
  for (std::size_t t = 0; t < rows; ++t)
    x[t] = kind == OutlierKind::level_shift ? 1
           : kind == OutlierKind::additive  ? (t == 0 ? 1 : 0)
                                            : std::pow(kFade, static_cast<double>(t));
  const auto convolve = [&](const std::vector<double>& weights) {  // weights[0] stands for lag 0
    std::vector<double> y(rows, 0.0);
    for (std::size_t l = 0; l < weights.size(); ++l)
      if (weights[l] != 0)
        for (std::size_t t = l; t < rows; ++t) y[t] += weights[l] * x[t - l];
    x = std::move(y);
  };
  if (differenced) convolve(difference_weights(model.mean.differences));
  std::vector<double> a = ar_product(model).dense(theta);
  for (double& v : a) v = -v;
  a.insert(a.begin(), 1.0);
  convolve(a);
  const std::vector<double> b = ma_product(model).dense(theta);
  for (std::size_t t = 0; t < rows; ++t)
    for (std::size_t l = 1; l <= b.size() && l <= t; ++l) x[t] -= b[l - 1] * x[t - l];
  return x;
}

double robust_scale(std::vector<double> values) {
  for (double& v : values) v = std::abs(v);
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return 1.4826 * *middle;
}

struct Found {
  OutlierKind kind;
  std::size_t row;
};

class Finder {
 public:
  Finder(const Fit& fit, const OutlierOptions& options) : fit_(fit), n_(fit.count) {
    for (std::size_t t = 0; t < n_; ++t) {
      weight_.push_back(fit.counted[t] ? 1 / std::sqrt(fit.variances[t]) : 0);
      z_.push_back(fit.shocks[t] * weight_[t]);
      present_ += fit.counted[t];
    }
    critical_ = given_or(options.critical,
                         laws::normal_quantile(1 - 0.05 / (6 * static_cast<double>(present_))),
                         "critical", 0.1);
    const std::vector<double> theta = fit.estimates();
    for (const OutlierKind kind : kKinds) {
      effects_.push_back(effect(fit.model, theta, kind, n_));
      settled_.push_back(settling(effects_.back()));
    }
    // A shift moves the mean that was fitted, so the constant is fitted again beside each effect.
    if (fit.model.mean.constant) {
      constant_ = effect(fit.model, theta, OutlierKind::level_shift, n_, false);
      for (std::size_t t = 0; t < n_; ++t) constant_[t] *= weight_[t];
      constant_after_ = sums_after(constant_);
      constant_size_ = dot(constant_, constant_);
    }
    weight_after_ = sums_after(weight_);
  }
  [[nodiscard]] double critical() const { return critical_; }

  [[nodiscard]] std::vector<Found> search(int most) const {
    std::vector<Found> found;
    std::vector<double> z = z_;
    while (found.size() < static_cast<std::size_t>(most)) {
      std::vector<double> counted;
      for (std::size_t t = 0; t < n_; ++t)
        if (weight_[t] > 0) counted.push_back(z[t]);
      const double scale = robust_scale(counted);
      Found best{};
      double largest = 0, size = 0;
      const double along_constant = dot(z, constant_);
      const std::vector<double> z_after = sums_after(z);
      for (std::size_t row = 0; row < n_; ++row)
        for (std::size_t k = 0; k < kKinds.size(); ++k) {
          if (weight_[row] == 0 && k == 0) continue;
          if (row < kEdge && k == 1) continue;  // a shift at the start is the level itself
          const auto [along, length] = project(z, z_after, along_constant, k, row);
          if (!(length > 1e-12)) continue;
          const double t = std::abs(along) / std::sqrt(length) / scale;
          if (t > largest) {
            largest = t;
            size = along / length;
            best = {kKinds[k], row};
          }
        }
      if (largest < critical_) break;
      const auto k = static_cast<std::size_t>(best.kind);
      for (std::size_t t = best.row; t < n_; ++t)
        z[t] -= size * effects_[k][t - best.row] * weight_[t];
      const bool again = std::any_of(found.begin(), found.end(), [&](const Found& f) {
        return f.kind == best.kind && f.row == best.row;
      });
      if (again) break;
      found.push_back(best);
    }
    return found;
  }

  // Sizes and t of all together, by least squares on the residuals.
  [[nodiscard]] std::vector<Outlier> together(const std::vector<Found>& found) const {
    const auto rows = static_cast<Eigen::Index>(n_), k = static_cast<Eigen::Index>(found.size());
    Eigen::MatrixXd X = Eigen::MatrixXd::Zero(rows, k + (constant_.empty() ? 0 : 1));
    if (!constant_.empty()) X.col(k) = Eigen::Map<const Eigen::VectorXd>(constant_.data(), rows);
    for (Eigen::Index j = 0; j < k; ++j) {
      const Found& f = found[static_cast<std::size_t>(j)];
      for (std::size_t t = f.row; t < n_; ++t)
        X(static_cast<Eigen::Index>(t), j) =
            effects_[static_cast<std::size_t>(f.kind)][t - f.row] * weight_[t];
    }
    const Eigen::Map<const Eigen::VectorXd> z(z_.data(), rows);
    const Eigen::MatrixXd of_products = maths::inverse(maths::cross(X, X));
    const Eigen::VectorXd size = maths::product(of_products, maths::cross(X, Eigen::VectorXd(z)));
    const Eigen::VectorXd left = z - maths::product(X, size);
    std::vector<double> counted;
    for (std::size_t t = 0; t < n_; ++t)
      if (weight_[t] > 0) counted.push_back(left(static_cast<Eigen::Index>(t)));
    const double scale = robust_scale(counted);
    std::vector<Outlier> out;
    for (Eigen::Index j = 0; j < k; ++j) {
      const Found& f = found[static_cast<std::size_t>(j)];
      Outlier o;
      o.kind = f.kind;
      o.index = f.row;
      o.size = size(j);
      o.t = size(j) / (scale * std::sqrt(of_products(j, j)));
      const std::size_t row = fit_.first + f.row;
      if (row < fit_.series->times.size()) o.date = fit_.series->times[row];
      out.push_back(o);
    }
    return out;
  }

 private:
  static constexpr std::size_t kEdge = 3;

  static double dot(const std::vector<double>& x, const std::vector<double>& y) {
    return std::inner_product(y.begin(), y.end(), x.begin(), 0.0);  // y may be empty
  }

  // The first row from which an effect stays where it ends: 0 of a pulse, more of a shift.
  static std::size_t settling(const std::vector<double>& x) {
    constexpr double kStays = 1e-10;
    std::size_t from = x.size();
    while (from > 0 && std::abs(x[from - 1] - x.back()) <= kStays) --from;
    return from;
  }

  // Of x times the weights from each row to the end; n + 1 of them.
  [[nodiscard]] std::vector<double> sums_after(const std::vector<double>& x) const {
    std::vector<double> after(n_ + 1, 0.0);
    for (std::size_t t = n_; t-- > 0;) after[t] = after[t + 1] + x[t] * weight_[t];
    return after;
  }

  // z'x and x'x of a unit effect at a row, both less what the constant takes of them. Once the
  // effect has settled the rest of each sum is known, so that all rows together are linear in n.
  [[nodiscard]] std::pair<double, double> project(const std::vector<double>& z,
                                                  const std::vector<double>& z_after,
                                                  double along_constant, std::size_t kind,
                                                  std::size_t row) const {
    double along = 0, length = 0, shared = 0;
    const std::vector<double>& x = effects_[kind];
    const std::size_t end = std::min(n_, row + settled_[kind]);
    for (std::size_t t = row; t < end; ++t) {
      const double v = x[t - row] * weight_[t];
      along += z[t] * v;
      length += v * v;
      if (!constant_.empty()) shared += v * constant_[t];
    }
    const double left = x.back();
    along += left * z_after[end];
    length += left * left * weight_after_[end];
    if (constant_.empty()) return {along, length};
    shared += left * constant_after_[end];
    return {along - along_constant * shared / constant_size_,
            length - shared * shared / constant_size_};
  }

  const Fit& fit_;
  std::size_t n_, present_ = 0;
  double critical_ = 0;
  std::vector<double> z_, weight_, constant_;
  std::vector<std::vector<double>> effects_;
  std::vector<std::size_t> settled_;  // of each effect
  std::vector<double> weight_after_, constant_after_;
  double constant_size_ = 0;
};

Regressor regressor_of(const Outlier& o) {
  using Source = Regressor::Source;
  Regressor r;
  r.source = o.kind == OutlierKind::additive      ? Source::pulse
             : o.kind == OutlierKind::level_shift ? Source::step
                                                  : Source::fade;
  r.at = o.date;
  return r;
}

}  // namespace

std::string_view to_string(OutlierKind kind) {
  switch (kind) {
    case OutlierKind::additive: return "additive";
    case OutlierKind::level_shift: return "level-shift";
    case OutlierKind::temporary_change: return "temporary-change";
  }
  return "additive";
}

OutlierReport find_outliers(const Fit& fit, const OutlierOptions& options) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("outliers: '{}' is {}: {}", to_string(fit.model),
                            to_string(fit.convergence.status), fit.convergence.why));
  require_path(fit, "outliers");
  const Finder finder(fit, options);
  std::vector<Found> found = finder.search(options.most);
  OutlierReport out;
  out.critical = finder.critical();
  while (!found.empty()) {
    out.outliers = finder.together(found);
    const auto weakest = std::min_element(
        out.outliers.begin(), out.outliers.end(),
        [](const Outlier& a, const Outlier& b) { return std::abs(a.t) < std::abs(b.t); });
    if (std::abs(weakest->t) >= out.critical) break;
    found.erase(found.begin() + (weakest - out.outliers.begin()));
    out.outliers.clear();
  }
  std::sort(out.outliers.begin(), out.outliers.end(),
            [](const Outlier& a, const Outlier& b) { return a.index < b.index; });
  if (out.outliers.size() == static_cast<std::size_t>(options.most))
    out.warnings.push_back(
        {WarningCode::outlier_drives_fit,
         fmt::format("{} rows stand out, as many as the search allows: heavy tails or volatility "
                     "clustering look like this; try '/ garch / student' before removing rows",
                     options.most)});
  out.model = fit.model;
  out.offered = !out.outliers.empty() && out.outliers.front().date.has_value();
  if (out.offered)
    for (const Outlier& o : out.outliers) out.model.mean.regressors.push_back(regressor_of(o));
  out.model = canonical(std::move(out.model));
  return out;
}

std::ostream& operator<<(std::ostream& out, const OutlierReport& r) {
  if (r.outliers.empty())
    return out << text::wrap(
               fmt::format("No row stands out beyond |t| {}.", text::fixed(r.critical, 1)), 100,
               "  ");
  out << fmt::format("  {} beyond |t| {}:\n",
                     text::plural(r.outliers.size(), "row stands", "rows stand") + " out",
                     text::fixed(r.critical, 1));
  for (const Outlier& o : r.outliers)
    out << fmt::format("    {:<18}{:<18}{:>12}  t {}\n", to_string(o.kind),
                       o.date ? format_date(*o.date) : fmt::format("row {}", o.index + 1),
                       text::significant(o.size, 3), text::fixed(o.t, 1));
  if (r.offered) {
    const std::string line = mean_part(r.model);
    out << text::wrap("As regressors: " + line, 100, "  ");
  }
  print_warnings(out, r.warnings);
  return out;
}

}  // namespace brace::inline v0
