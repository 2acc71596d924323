// SPDX-License-Identifier: Apache-2.0
// ACF, PACF and the lag table. Covered by tests/hypothesis/autocorrelation_test.cpp.
#include "brace/hypothesis/autocorrelation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/laws/standard.hpp"

namespace brace {
namespace {

// Deviations from the mean of the values present; 0 where missing, which drops the pair from each
// sum.
std::vector<double> deviations(std::span<const double> y, std::size_t& present) {
  double sum = 0;
  present = 0;
  for (const double v : y)
    if (!std::isnan(v)) {
      sum += v;
      ++present;
    }
  const double mean = sum / static_cast<double>(present);
  std::vector<double> d(y.begin(), y.end());
  for (double& v : d) v = std::isnan(v) ? 0 : v - mean;
  return d;
}

}  // namespace

std::vector<double> autocorrelations(std::span<const double> y, int lags) {
  std::size_t present = 0;
  const std::vector<double> d = deviations(y, present);
  if (lags < 1 || static_cast<std::size_t>(lags) >= present)
    throw Error(ErrorCode::bad_option,
                fmt::format("lags = {}: must lie between 1 and {} for {} observations", lags,
                            present > 0 ? present - 1 : 0, text::count(present)));
  double total = 0;
  for (const double v : d) total += v * v;
  std::vector<double> r;
  r.reserve(static_cast<std::size_t>(lags));
  for (std::size_t k = 1; k <= static_cast<std::size_t>(lags); ++k) {
    double sum = 0;
    for (std::size_t t = k; t < d.size(); ++t) sum += d[t] * d[t - k];
    r.push_back(total > 0 ? sum / total : 0);
  }
  return r;
}

std::vector<double> partial_from_autocorrelations(std::span<const double> r) {
  std::vector<double> partials, phi, before;
  double error = 1;  // one-step prediction variance in units of the series' variance
  for (std::size_t k = 0; k < r.size(); ++k) {
    double numerator = r[k];
    for (std::size_t i = 0; i < k; ++i) numerator -= phi[i] * r[k - 1 - i];
    const double reflection = error > 0 ? numerator / error : 0;
    before = phi;
    for (std::size_t i = 0; i < k; ++i) phi[i] = before[i] - reflection * before[k - 1 - i];
    phi.push_back(reflection);
    partials.push_back(reflection);
    error *= 1 - reflection * reflection;
  }
  return partials;
}

LagTable lag_table(const Series& series, int lags, int fitted) {
  LagTable table;
  std::size_t present = 0;
  const std::vector<double> d = deviations(series.values, present);
  const std::vector<double> r = autocorrelations(series.values, lags);
  const std::vector<double> partials = partial_from_autocorrelations(r);
  const auto n = static_cast<double>(present);
  table.of = series.name;
  table.observations = present;
  table.band_95 = laws::normal_quantile(0.975) / std::sqrt(n);
  double q = 0, q_robust = 0;
  for (std::size_t k = 1; k <= r.size(); ++k) {
    // Under a white but heteroskedastic null sum d_t d_{t-k} has variance sum d_t^2 d_{t-k}^2.
    double product = 0, spread = 0;
    for (std::size_t t = k; t < d.size(); ++t) {
      const double pair = d[t] * d[t - k];
      product += pair;
      spread += pair * pair;
    }
    q += n * (n + 2) * r[k - 1] * r[k - 1] / (n - static_cast<double>(k));
    q_robust += spread > 0 ? product * product / spread : 0;
    LagRow row{.lag = static_cast<int>(k),
               .acf = r[k - 1],
               .pacf = partials[k - 1],
               .q = q,
               .dof = static_cast<int>(k) - fitted,
               .p_value = {},
               .q_robust = q_robust,
               .p_robust = {}};
    if (row.dof >= 1) {
      row.p_value = laws::chi_squared_tail(q, row.dof);
      row.p_robust = laws::chi_squared_tail(q_robust, row.dof);
    }
    table.rows.push_back(row);
  }
  return table;
}

std::ostream& operator<<(std::ostream& out, const LagTable& table) {
  const LagRow& last = table.rows.back();
  std::size_t outside = 0;
  for (const LagRow& row : table.rows) outside += std::abs(row.acf) > table.band_95;
  const bool memory = last.p_robust.value_or(1) < 0.05;
  // The bars' scale: the least round number that holds them all.
  double scale = 1;
  for (const double round : {0.5, 0.2, 0.1})
    if (std::all_of(table.rows.begin(), table.rows.end(),
                    [&](const LagRow& r) { return std::abs(r.acf) <= round; }))
      scale = round;
  out << text::wrap(fmt::format("{}: {} over {} lags (robust p {}); beyond the 95 % band: {} of "
                                "{}, where chance alone gives "
                                "about {}.",
                                text::sentence(table.of), memory ? "memory" : "no clear memory",
                                table.rows.size(), text::p_value(last.p_robust), outside,
                                table.rows.size(),
                                text::fixed(0.05 * static_cast<double>(table.rows.size()), 1)))
      << '\n'
      << fmt::format("  {:>4}{:>8}{:>8}   {:<21}{:>9}{:>9}{:>10}{:>9}\n", "lag", "acf", "pacf",
                     fmt::format("{:<10}0{:>10}", -scale, scale), "Q", "p", "robust Q", "p");
  for (const LagRow& row : table.rows) {
    // Ten cells a side; '|' is zero. Bars beyond the band are drawn fuller.
    const char cell = std::abs(row.acf) > table.band_95 ? '#' : '=';
    std::string bar(21, ' ');
    const int reach = static_cast<int>(std::lround(std::clamp(row.acf / scale, -1.0, 1.0) * 10));
    for (int c = std::min(0, reach); c <= std::max(0, reach); ++c)
      bar[static_cast<std::size_t>(10 + c)] = cell;
    bar[10] = '|';
    out << fmt::format("  {:>4}{:>8}{:>8}   {}{:>9}{:>9}{:>10}{:>9}\n", row.lag,
                       text::fixed(row.acf, 3), text::fixed(row.pacf, 3), bar,
                       text::fixed(row.q, 1), text::p_value(row.p_value),
                       text::fixed(row.q_robust, 1), text::p_value(row.p_robust));
  }
  out << fmt::format(
      "\n  # beyond +-{}, the 95 % band of one lag of a white series; {} observations.\n"
      "  Null of each p: no autocorrelation up to that lag. The robust form allows for clustering\n"
      "  volatility, which the plain one takes for memory.\n",
      text::fixed(table.band_95, 3), text::count(table.observations));
  return out;
}

int default_whiteness_lags(std::size_t observations) {
  return std::max(1, static_cast<int>(std::min<std::size_t>(10, observations / 5)));
}

}  // namespace brace
