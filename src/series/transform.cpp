// SPDX-License-Identifier: Apache-2.0
// Returns, logs, differences. Covered by tests/series/series_test.cpp.
#include "brace/series/transform.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

// value(previous, current) for each neighbouring pair; NaN in gives NaN out.
template <class F>
Series pairwise(const Series& from, F value) {
  Series to = from;
  to.keep_rows(std::min<std::size_t>(1, from.size()), from.size());
  for (std::size_t i = 0; i < to.size(); ++i)
    to.values[i] = value(from.values[i], from.values[i + 1]);
  return to;
}

template <class F>
Series of_deviation(const Series& from, const char* name, F value) {
  const std::vector<double> kept = from.present_values();
  const double mean =
      std::accumulate(kept.begin(), kept.end(), 0.0) / static_cast<double>(kept.size());
  Series to = from;
  to.name = fmt::format("{} of {}", name, from.name);
  to.unit.reset();
  to.kind = SeriesKind::values;
  for (double& v : to.values) v = value(v - mean);
  return to;
}

Series as_returns(Series returns, const char* word, SeriesKind kind, Unit unit) {
  returns.name = fmt::format("{} return of {}", word, returns.name);
  returns.unit = unit;
  returns.kind = kind;
  return returns;
}

double scale_of(Unit unit) {
  return unit == Unit::percent ? 100 : 1;
}

}  // namespace

bool all_positive(const Series& series) {
  return std::ranges::none_of(series.values, [](double v) { return v <= 0; });
}

void require_positive(const Series& prices, const std::string& what) {
  for (std::size_t i = 0; i < prices.size(); ++i)
    if (prices.values[i] <= 0)
      throw Error(ErrorCode::not_positive,
                  fmt::format("{}{}, {}: {} is not positive, so it has no {}; correct it, or model "
                              "differences instead",
                              prices.file.empty() ? "" : prices.file + ", ", prices.name,
                              prices.when(i), prices.values[i], what));
}

Series log_returns(const Series& prices, Unit unit) {
  require_positive(prices, "logarithm or return");
  const double scale = scale_of(unit);
  return as_returns(
      pairwise(prices, [=](double from, double to) { return scale * std::log(to / from); }), "log",
      SeriesKind::log_return, unit);
}

Series simple_returns(const Series& prices, Unit unit) {
  require_positive(prices, "logarithm or return");
  const double scale = scale_of(unit);
  return as_returns(
      pairwise(prices, [=](double from, double to) { return scale * (to / from - 1); }), "simple",
      SeriesKind::simple_return, unit);
}

Series log_level(const Series& prices) {
  require_positive(prices, "logarithm or return");
  Series logs = prices;
  for (double& v : logs.values) v = std::log(v);
  logs.name = "log " + prices.name;
  logs.unit.reset();
  logs.kind = SeriesKind::log_level;
  return logs;
}

Series differences(const Series& series) {
  Series changes = pairwise(series, [](double from, double to) { return to - from; });
  changes.name = "change of " + series.name;
  changes.kind = SeriesKind::values;
  return changes;
}

Series squares(const Series& series) {
  return of_deviation(series, "square", [](double d) { return d * d; });
}

Series absolute_values(const Series& series) {
  return of_deviation(series, "size", [](double d) { return std::abs(d); });
}

}  // namespace brace::inline v0
