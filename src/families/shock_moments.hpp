// SPDX-License-Identifier: Apache-2.0
// Moments of a shock law that a variance equation needs, as functions of its shape: E|z| (egarch),
// E z^2 1(z < 0) (the square of a missing shock in gjr), E |z|^delta on either side (aparch).
//
//   double kappa = negative_square(model.shocks, shape);     // one half where the law is symmetric
//   Moment<T> m = law_moment<T>(mean_absolute, model.shocks, shape);   // with derivatives by shape
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include "brace/model/model.hpp"
#include "families/stages.hpp"

namespace brace::inline v0 {

inline double value_of(double x) {
  return x;
}

[[nodiscard]] double mean_absolute(const Shocks& law, std::span<const double> shape);
[[nodiscard]] double negative_square(const Shocks& law, std::span<const double> shape);
// E |z|^delta 1(z < 0) or, not `negative`, 1(z > 0).
[[nodiscard]] double half_power(const Shocks& law, std::span<const double> shape, double delta,
                                bool negative);
// E exp(a |z| + b z); infinite for laws with tails of a power. Under ged with small a and b by the
// series in E |z|^k, which is known once for all of them, else by quadrature.
class ExponentialMoment {
 public:
  ExponentialMoment(const Shocks& law, std::span<const double> shape);
  [[nodiscard]] double operator()(double a, double b) const;

 private:
  static constexpr std::size_t kTerms = 24;
  Shocks law_;
  std::vector<double> shape_;
  std::array<double, kTerms> terms_{};  // E |z|^k / k!
};

// Density of the law at z.
[[nodiscard]] double law_density(const Shocks& law, std::span<const double> shape, double z);

// f at x with its first and second derivatives (packed) by central differences of fourth order,
// with `scales` the lengths over which f bends: good to 1e-10 of f where f is computed to rounding.
struct Differences {
  double value;
  std::array<double, 3> d{};
  std::array<double, packed_size(3)> d2{};
};
template <class F>
[[nodiscard]] Differences differences(F&& f, std::vector<double> x,
                                      const std::vector<double>& scales) {
  constexpr double kStep = 3e-3;
  Differences out{.value = f(x)};
  const auto at = [&](std::size_t i, double by_i, std::size_t j, double by_j) {
    std::vector<double> y = x;
    y[i] += kStep * scales[i] * by_i;
    y[j] += kStep * scales[j] * by_j;
    return f(y);
  };
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double h = kStep * scales[i];
    const double up = at(i, 1, i, 0), down = at(i, -1, i, 0), up2 = at(i, 2, i, 0),
                 down2 = at(i, -2, i, 0);
    out.d[i] = (8 * (up - down) - (up2 - down2)) / (12 * h);
    out.d2[packed(i, i)] = (16 * (up + down) - (up2 + down2) - 30 * out.value) / (12 * h * h);
    for (std::size_t j = 0; j < i; ++j) {
      const auto cross = [&](double by) {
        return (at(i, by, j, by) - at(i, by, j, -by) - at(i, -by, j, by) + at(i, -by, j, -by)) /
               (4 * by * by * h * kStep * scales[j]);
      };
      out.d2[packed(i, j)] = (4 * cross(1) - cross(2)) / 3;
    }
  }
  return out;
}

// The lengths over which moments bend in each shape parameter.
[[nodiscard]] std::vector<double> shape_scales(const Shocks& law, std::span<const double> shape);

// A moment and its derivatives by the shape parameters, carried to the number type.
template <class T>
struct Moment {
  T value = T(0);
  std::array<T, 3> d{};
  std::array<T, packed_size(3)> d2{};
};

// From differences at the values of `x`: the terms in x - value(x) are zero and carry only the
// derivatives of a differentiating type.
template <class T>
Moment<T> lift(const Differences& at, const std::vector<T>& x) {
  Moment<T> m;
  m.value = T(at.value);
  for (std::size_t i = 0; i < x.size(); ++i) {
    m.value += at.d[i] * (x[i] - T(value_of(x[i])));
    m.d[i] = T(at.d[i]);
    for (std::size_t j = 0; j < x.size(); ++j)
      m.d[i] += at.d2[i >= j ? packed(i, j) : packed(j, i)] * (x[j] - T(value_of(x[j])));
  }
  for (std::size_t r = 0; r < at.d2.size(); ++r) m.d2[r] = T(at.d2[r]);
  return m;
}

template <class T, class F>
Moment<T> law_moment(F&& of, const Shocks& law, const T* shape, std::size_t shapes) {
  std::vector<T> x(shape, shape + shapes);
  std::vector<double> values;
  for (const T& v : x) values.push_back(value_of(v));
  return lift(differences([&](const std::vector<double>& s) { return of(law, s); }, values,
                          shape_scales(law, values)),
              x);
}

}  // namespace brace::inline v0
