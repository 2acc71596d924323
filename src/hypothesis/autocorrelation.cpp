// SPDX-License-Identifier: Apache-2.0
// ACF, PACF and the lag table. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "brace/hypothesis/autocorrelation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/laws/standard.hpp"
#include "brace/series/transform.hpp"
#include "maths/deviations.hpp"

namespace brace::inline v0 {
namespace {

constexpr double kNormal95 = 1.959963984540054;  // two-sided

void judge(LagTable& table) {
  table.lags = static_cast<int>(table.rows.size());
  if (table.rows.empty()) return;
  const auto share = [](const LagRow& r) {
    return r.band_robust > 0 ? std::abs(r.acf) / r.band_robust : 0;
  };
  const auto largest =
      std::max_element(table.rows.begin(), table.rows.end(),
                       [&](const LagRow& a, const LagRow& b) { return share(a) < share(b); });
  table.largest = largest->lag;
  // A single lag that chance would not put there among so many: where there is no memory they are
  // independent of one another.
  const double clear =
      laws::normal_quantile(.5 + .5 * std::pow(.95, 1 / static_cast<double>(table.rows.size())));
  table.verdict = table.rows.back().p_robust.value_or(1) < 0.05 ? LagVerdict::memory
                  : share(*largest) * kNormal95 > clear         ? LagVerdict::one_lag
                                                                : LagVerdict::none;
}

}  // namespace

LagTable lag_table(const Series& series, int lags, int fitted) {
  LagTable table;
  std::size_t present = 0;
  const std::vector<double> d = maths::deviations_from_mean(series.values, present);
  const std::vector<double> r = maths::autocorrelations(series.values, lags);
  const std::vector<double> partials = maths::partial_from_autocorrelations(r);
  const auto n = static_cast<double>(present);
  table.of = series.name;
  table.observations = present;
  table.band_95 = kNormal95 / std::sqrt(n);
  double total = 0, squared_sum = 0;
  for (const double v : d) total += v * v;
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
               .p_robust = {},
               .band_robust = total > 0 ? kNormal95 * std::sqrt(spread) / total : 0,
               .band_widening = table.band_95 * std::sqrt(1 + 2 * squared_sum)};
    squared_sum += r[k - 1] * r[k - 1];
    if (row.dof >= 1) {
      row.p_value = laws::chi_squared_tail(q, row.dof);
      row.p_robust = laws::chi_squared_tail(q_robust, row.dof);
    }
    table.rows.push_back(row);
  }
  judge(table);
  return table;
}

std::string_view to_string(LagVerdict verdict) {
  switch (verdict) {
    case LagVerdict::memory: return "memory";
    case LagVerdict::one_lag: return "one-lag";
    case LagVerdict::none: return "none";
  }
  return "none";
}

void keep_lags(LagTable& table, const std::vector<int>& lags) {
  for (const int lag : lags)
    if (lag < 1 || lag > table.lags)
      throw Error(ErrorCode::bad_option,
                  fmt::format("lag {}: must lie between 1 and {}", lag, table.lags));
  std::erase_if(table.rows, [&](const LagRow& row) {
    return std::find(lags.begin(), lags.end(), row.lag) == lags.end();
  });
}

std::string q_at(double level) {
  return "Q at " + fmt::format("{:g}", level).substr(1);
}

std::optional<double> critical_q(const LagRow& row, double level) {
  if (row.dof < 1 || !(level > 0 && level < 1)) return std::nullopt;
  return laws::chi_squared_quantile(1 - level, row.dof);
}

LeverageTable leverage_table(const Series& series, int lags) {
  require_usable(series, 20, "a leverage table");
  LeverageTable table;
  std::size_t present = 0;
  const std::vector<double> d = maths::deviations_from_mean(series.values, present);
  const std::vector<double> s = maths::deviations_from_mean(squares(series).values, present);
  if (lags < 1 || static_cast<std::size_t>(lags) >= present)
    throw Error(ErrorCode::bad_option,
                fmt::format("lags = {}: must lie between 1 and {}", lags, present - 1));
  double size_d = 0, size_s = 0;
  for (std::size_t t = 0; t < d.size(); ++t) {
    size_d += d[t] * d[t];
    size_s += s[t] * s[t];
  }
  const double scale = std::sqrt(size_d * size_s);
  table.of = series.name;
  table.observations = present;
  for (std::size_t k = 1; k <= static_cast<std::size_t>(lags); ++k) {
    double product = 0, spread = 0;
    for (std::size_t t = k; t < d.size(); ++t) {
      const double pair = d[t - k] * s[t];
      product += pair;
      spread += pair * pair;
    }
    // Squares that never vary have nothing to lean on.
    const bool defined = scale > 0 && spread > 0;
    table.rows.push_back({static_cast<int>(k), defined ? product / scale : 0,
                          defined ? kNormal95 * std::sqrt(spread) / scale : 0});
    table.statistic += defined ? product * product / spread : 0;
  }
  table.p_value = laws::chi_squared_tail(table.statistic, lags);
  return table;
}

namespace {

// The least round number that no bar exceeds.
template <class Rows, class F>
double scale_of(const Rows& rows, F value) {
  for (const double round : {0.1, 0.2, 0.5})
    if (std::all_of(rows.begin(), rows.end(),
                    [&](const auto& r) { return std::abs(value(r)) <= round; }))
      return round;
  return 1;
}

// Ten cells a side; '|' is zero and ':' the ends of the robust band. Bars beyond it are drawn
// fuller.
std::string bar(double value, double band, double scale) {
  const auto cell_at = [&](double x) {
    return 10 + static_cast<int>(std::lround(std::clamp(x / scale, -1.0, 1.0) * 10));
  };
  std::string text(21, ' ');
  if (band < scale)
    for (const double end : {-band, band}) text[static_cast<std::size_t>(cell_at(end))] = ':';
  const int reach = cell_at(value);
  for (int c = std::min(10, reach); c <= std::max(10, reach); ++c)
    text[static_cast<std::size_t>(c)] = std::abs(value) > band ? '#' : '=';
  text[10] = '|';
  return text;
}

}  // namespace

double band_of(const LagTable& table, const LagRow& row, LagBand band) {
  switch (band) {
    case LagBand::robust: return row.band_robust;
    case LagBand::white: return table.band_95;
    case LagBand::widening: return row.band_widening;
  }
  return table.band_95;
}

void print(std::ostream& out, const LagTable& table, const LagPrint& options) {
  const LagRow& last = table.rows.back();
  const bool all = static_cast<int>(table.rows.size()) == table.lags;
  const bool critical = options.significance.has_value();
  const int narrow = critical ? 7 : 8;
  const auto band = [&](const LagRow& row) { return band_of(table, row, options.band); };
  std::size_t outside = 0;
  for (const LagRow& row : table.rows) outside += std::abs(row.acf) > band(row);
  const auto largest = std::find_if(table.rows.begin(), table.rows.end(),
                                    [&](const LagRow& r) { return r.lag == table.largest; });
  const std::string acf =
      largest == table.rows.end() ? "" : fmt::format(" ({})", text::fixed(largest->acf, 2));
  const std::string what =
      table.verdict == LagVerdict::memory ? "memory"
      : table.verdict == LagVerdict::one_lag
          ? fmt::format("lag {} stands out{}, though there is no clear memory", *table.largest, acf)
          : "no clear memory";
  const double scale = scale_of(table.rows, [](const LagRow& r) { return r.acf; });
  const std::string_view word = options.band == LagBand::robust  ? "robust"
                                : options.band == LagBand::white ? "white"
                                                                 : "widening";
  out << text::wrap(all ? fmt::format("{}: {} over {} lags (robust p {}); beyond the {} 95 % band: "
                                      "{} of {}, where "
                                      "chance alone gives about {}.",
                                      text::sentence(table.of), what, table.lags,
                                      text::p_value(last.p_robust), word, outside, table.lags,
                                      text::fixed(0.05 * table.lags, 1))
                        : fmt::format("{}: {} over {} lags, of which {} shown.",
                                      text::sentence(table.of), what, table.lags,
                                      table.rows.size() == 1
                                          ? "one is"
                                          : fmt::format("{} are", table.rows.size())))
      << '\n'
      << fmt::format("  {:>4} {:>{}}{:>{}}   {:<21}{:>{}}{:>9}{}{:>9}{:>10}{:>9}\n", "lag", "acf",
                     narrow, "pacf", narrow, fmt::format("{:<10}0{:>10}", -scale, scale), "band",
                     narrow, "Q", critical ? fmt::format("{:>9}", q_at(*options.significance)) : "",
                     "p", "robust Q", "p");
  const int season = options.season.value_or(0);
  for (const LagRow& row : table.rows)
    out << fmt::format(
        "  {:>4}{}{:>{}}{:>{}}   {}{:>{}}{:>9}{}{:>9}{:>10}{:>9}\n", row.lag,
        season > 1 && row.lag % season == 0 ? '*' : ' ', text::fixed(row.acf, 3), narrow,
        text::fixed(row.pacf, 3), narrow, bar(row.acf, band(row), scale), text::fixed(band(row), 3),
        narrow, text::fixed(row.q, 1),
        critical ? fmt::format("{:>9}", text::fixed(critical_q(row, *options.significance), 1))
                 : "",
        text::p_value(row.p_value), text::fixed(row.q_robust, 1), text::p_value(row.p_robust));
  constexpr std::string_view kMeanings[] = {
      "a white series whose volatility may cluster", "a white series of even volatility",
      "a moving average that ends one lag before (Bartlett's widening band)"};
  out << '\n'
      << text::wrap(
             fmt::format(
                 "# beyond the band, ':', which holds the ACF of one lag in 95 % of cases for "
                 "{}. {} observations.{}",
                 kMeanings[static_cast<std::size_t>(options.band)], text::count(table.observations),
                 season > 1 ? fmt::format(" * marks multiples of the season, {}.", season) : ""),
             100, "  ")
      << (critical
              ? text::wrap(fmt::format("{}: what either Q must exceed to reject at that level.",
                                       q_at(*options.significance)),
                           100, "  ")
              : "")
      << "  Null of each p: no autocorrelation up to that lag. The plain form takes clustering\n"
         "  volatility for memory; the robust one does not.\n";
}

std::ostream& operator<<(std::ostream& out, const LagTable& table) {
  print(out, table);
  return out;
}

std::ostream& operator<<(std::ostream& out, const LeverageTable& table) {
  const double scale = scale_of(table.rows, [](const LeverageRow& r) { return r.correlation; });
  double sum = 0;
  for (const LeverageRow& row : table.rows) sum += row.correlation;
  const bool rejects = table.p_value.value_or(1) < 0.05;
  out << text::wrap(fmt::format(
             "{}: {} (p {}; null: a return says nothing about the squares of the next {}).",
             text::sentence(table.of),
             !rejects ? "no clear leverage"
             : sum < 0
                 ? "leverage: falls raise the volatility that follows more than rises do"
                 : "reversed leverage: rises raise the volatility that follows more than falls do",
             text::p_value(table.p_value), table.rows.size()))
      << '\n'
      << fmt::format("  {:>4}{:>13}   {:<21}{:>8}\n", "lag", "correlation",
                     fmt::format("{:<10}0{:>10}", -scale, scale), "band");
  for (const LeverageRow& row : table.rows)
    out << fmt::format("  {:>4}{:>13}   {}{:>8}\n", row.lag, text::fixed(row.correlation, 3),
                       bar(row.correlation, row.band_robust, scale),
                       text::fixed(row.band_robust, 3));
  out << fmt::format(
      "\n  Correlation of the return of a row with the square of the row that comes lag rows "
      "later.\n"
      "  # beyond the robust 95 % band. {} observations.\n",
      text::count(table.observations));
  return out;
}

int default_whiteness_lags(std::size_t observations) {
  return std::max(1, static_cast<int>(std::min<std::size_t>(10, observations / 5)));
}

}  // namespace brace::inline v0
