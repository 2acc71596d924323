// SPDX-License-Identifier: Apache-2.0
// Rows that make most of the variance. Covered by tests/hypothesis/first_look_test.cpp.
#include "brace/hypothesis/few_rows.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "brace/base/text.hpp"
#include "brace/hypothesis/inspection.hpp"

namespace brace::inline v0 {
namespace {

// Of fewer values one in fifty is no exception.
constexpr std::size_t kEnough = 50;
// One in so many rows may decide, and at most this many.
constexpr std::size_t kOneIn = 100, kMost = 5;
constexpr double kHalf = 0.5;

// What is judged of each row: the value, or the change to it, which has none where one is missing.
std::vector<double> judged(const Series& series, bool changes) {
  std::vector<double> out = series.values;
  if (!changes) return out;
  for (std::size_t t = out.size(); t-- > 1;) out[t] -= out[t - 1];
  if (!out.empty()) out[0] = std::nan("");
  return out;
}

std::string share_in_words(double share) {
  return share > .995 ? "more than 99 %" : fmt::format("{:.0f} %", 100 * share);
}

}  // namespace

FewRows rows_that_decide(const Series& series) {
  FewRows out;
  if (series.present() < kEnough) return out;
  out.of_changes = lingers(series);
  std::vector<double> x = judged(series, out.of_changes);
  double sum = 0, squares = 0, farthest = 0;
  std::size_t n = 0;
  for (const double v : x)
    if (!std::isnan(v)) sum += v, ++n;
  if (n < kEnough) return out;
  const double mean = sum / static_cast<double>(n);
  for (double& v : x)
    if (!std::isnan(v)) {
      v -= mean;
      squares += v * v;
      farthest = std::max(farthest, v * v);
    }
  const std::size_t most = std::clamp<std::size_t>(n / kOneIn, 1, kMost);
  const double half = kHalf * squares;
  // Each may come with an opposite one beside it.
  if (!(2 * static_cast<double>(most) * farthest > half)) return out;

  std::vector<std::size_t> by_size;
  for (std::size_t t = 0; t < x.size(); ++t)
    if (!std::isnan(x[t])) by_size.push_back(t);
  const auto end = by_size.begin() + static_cast<std::ptrdiff_t>(2 * most);
  std::partial_sort(by_size.begin(), end, by_size.end(), [&](std::size_t a, std::size_t b) {
    return std::abs(x[a]) != std::abs(x[b]) ? std::abs(x[a]) > std::abs(x[b]) : a < b;
  });
  double held = 0;
  std::size_t events = 0;
  for (auto row = by_size.begin(); row != end && !(held > half); ++row) {
    const bool comes_back = std::any_of(out.rows.begin(), out.rows.end(), [&](std::size_t other) {
      return (other + 1 == *row || *row + 1 == other) && x[other] * x[*row] < 0;
    });
    if (!comes_back) ++events;
    held += x[*row] * x[*row];
    out.rows.push_back(*row);
  }
  if (!(held > half) || events > most) {
    out.rows.clear();
    return out;
  }
  std::sort(out.rows.begin(), out.rows.end());
  for (const std::size_t row : out.rows) out.values.push_back(x[row] + mean);
  out.share = held / squares;
  return out;
}

std::optional<Warning> few_rows_decide(const Series& series) {
  const FewRows few = rows_that_decide(series);
  if (few.rows.empty()) return std::nullopt;
  std::vector<std::string> named;
  for (std::size_t i = 0; i < few.rows.size(); ++i)
    named.push_back(
        fmt::format("{} ({})", series.when(few.rows[i]), text::significant(few.values[i], 4)));
  std::string first = series.when(few.rows.front());
  std::replace(first.begin(), first.end(), ' ', 'T');
  const bool one = named.size() == 1;
  const std::string rows = fmt::format("{}", fmt::join(named, ", ")),
                    share = share_in_words(few.share);
  const std::string fact =
      few.of_changes
          ? fmt::format(
                "the {} of {} at {} {} {} of the variance of its changes, and models and "
                "tests for a unit root see little else",
                one ? "change" : "changes", series.name, rows, one ? "makes" : "make", share)
          : fmt::format("{} {} {} of the variance of {}, and tests and models see little else",
                        rows, one ? "makes" : "make", share, series.name);
  const std::string mend =
      few.of_changes || series.times.empty()
          ? fmt::format("judge the rows before and after {} apart", one ? "it" : "them")
      : one ? fmt::format("give the mean 'with pulse:{}'", first)
            : fmt::format("give the mean a pulse for each, 'with pulse:{},...'", first);
  return Warning{WarningCode::few_rows_decide,
                 fmt::format("{}: a wrong figure, a split, or a day like no other? Correct the "
                             "file; where {} right, {}",
                             fact, one ? "it is" : "they are", mend)};
}

}  // namespace brace::inline v0
