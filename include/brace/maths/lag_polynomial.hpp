// SPDX-License-Identifier: Apache-2.0
// Lag polynomials 1 - c_1 B - ... - c_p B^p: partial autocorrelations, roots, persistence.
//
//   auto pacf = brace::maths::partial_autocorrelations(std::vector{1.2, -.35});  // stationary
//   auto back = brace::maths::coefficients_from_partials(*pacf);                 // {1.2, -.35}
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <complex>
#include <optional>
#include <span>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::maths {

// The step-down recursion (Monahan 1984, inverse of his equation 2): coefficients c_1..c_p to
// partial autocorrelations r_1..r_p. Stationary if and only if all |r_k| < 1; empty as soon as one
// is not.
[[nodiscard]] std::optional<std::vector<double>> partial_autocorrelations(
    std::span<const double> c);

// The step-up (Durbin-Levinson) recursion, which always gives a stationary polynomial:
//   c_k^(k) = r_k,   c_i^(k) = c_i^(k-1) - r_k c_{k-i}^(k-1)
[[nodiscard]] std::vector<double> coefficients_from_partials(std::span<const double> r);

// The same polynomial as a product of sections of degree two, (1 - r_1 (1 - r_2) B - r_2 B^2) ...,
// each by its two partial autocorrelations, and one of degree one, 1 - r B, where the degree is
// odd. Empty where the polynomial is not stationary. Terms of an AR and an MA polynomial that
// cancel lie on straight lines here.
[[nodiscard]] std::optional<std::vector<double>> sections_from_coefficients(
    std::span<const double> c);

// The product written out.
[[nodiscard]] std::vector<double> coefficients_from_sections(std::span<const double> r);

// The inverse roots, found as eigenvalues of the companion matrix.
[[nodiscard]] std::vector<std::complex<double>> inverse_roots(std::span<const double> c);

// The largest modulus of the inverse roots: how much
// of a shock is left after one step in the long run. 0 for an empty polynomial.
[[nodiscard]] double largest_inverse_root(std::span<const double> c);

}  // namespace brace::inline v0::maths
BRACE_API_END
