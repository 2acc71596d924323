// SPDX-License-Identifier: Apache-2.0
// Values on their own lags. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "hypothesis/own_lags.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/given_or.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis {
namespace {

int lags_by_bic(const std::vector<double>& values) {
  std::vector<double> centred;
  std::ranges::copy_if(values, std::back_inserter(centred), [](double v) { return !std::isnan(v); });
  const double mean =
      std::accumulate(centred.begin(), centred.end(), 0.0) / static_cast<double>(centred.size());
  for (double& v : centred) v -= mean;
  return maths::spectral_variance(centred, {}, /*by_bic=*/true).order;
}

}  // namespace

std::vector<std::size_t> rows_with_lags(const std::vector<double>& values, int lags) {
  std::vector<std::size_t> rows;
  int present = 0;  // in a run that ends here
  for (std::size_t t = 0; t < values.size(); ++t) {
    present = std::isnan(values[t]) ? 0 : present + 1;
    if (present > lags) rows.push_back(t);
  }
  return rows;
}

LagColumns lag_columns(const std::vector<double>& values, const std::vector<std::size_t>& rows,
                       int lags) {
  const auto n = static_cast<Eigen::Index>(rows.size());
  LagColumns out{.X = Eigen::MatrixXd(n, lags + 1), .y = Eigen::VectorXd(n)};
  for (Eigen::Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    out.y(i) = values[t];
    out.X(i, 0) = 1;
    for (int j = 1; j <= lags; ++j) out.X(i, j) = values[t - static_cast<std::size_t>(j)];
  }
  return out;
}

OwnLags own_lags(const std::vector<double>& every, std::optional<int> given) {
  if (given && given_or(given, 0, "mean_lags", 0) == 0) return {};
  // Enough to tell a few dozen coefficients to a hundredth; of a million rows the lags alone would
  // take a gigabyte.
  constexpr std::size_t kEnough = 50'000;
  const std::vector<double> values(every.size() > kEnough ? every.end() - kEnough : every.begin(),
                                   every.end());
  const int lags = given ? *given : lags_by_bic(values);
  const std::vector<std::size_t> rows = rows_with_lags(values, lags);
  if (lags == 0 || rows.size() < 3 * static_cast<std::size_t>(lags + 1)) return {};
  const auto [X, y] = lag_columns(values, rows, lags);
  const Eigen::VectorXd b = maths::regress(X, y).coefficients;
  return {.constant = b(0), .coefficients = b.tail(lags)};
}

std::vector<double> without(const OwnLags& memory, const std::vector<double>& values) {
  const auto lags = static_cast<int>(memory.coefficients.size());
  if (lags == 0) return values;
  std::vector<double> out(values.size(), std::numeric_limits<double>::quiet_NaN());
  for (const std::size_t t : rows_with_lags(values, lags)) {
    out[t] = values[t] - memory.constant;
    for (int j = 1; j <= lags; ++j)
      out[t] -= memory.coefficients(j - 1) * values[t - static_cast<std::size_t>(j)];
  }
  return out;
}

}  // namespace brace::inline v0::hypothesis
