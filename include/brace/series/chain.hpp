// SPDX-License-Identifier: Apache-2.0
// Chains of transforms that know their inverse: from prices to what may be modelled, and back.
//
//   auto chain = brace::parse_chain("boxcox diff1 diff12");
//   brace::Transformed y = brace::transform(prices, chain, /*training rows=*/ 200);
//   brace::Series again = y.inverse(y.series.values);              // the prices
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/series/power.hpp"
#include "brace/series/profile.hpp"
#include "brace/series/series.hpp"
#include "brace/series/transform.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// The links of a chain.
namespace transforms {

struct Log {};                    // ln x
struct PowerTransform {           // of Box and Cox
  std::optional<double> power{};  // estimated where empty
  // Rows in a season, for that estimate; left out: of months and quarters.
  std::optional<int> period{};
};
struct LogReturn {
  Unit unit = Unit::percent;
};
struct SimpleReturn {
  Unit unit = Unit::percent;
};
struct Difference {
  int lag = 1;  // 12: x_t - x_{t-12}
};
struct Centre {};  // less the mean, which is estimated
struct Window {    // rows kept
  // By date or by row, both ends included, or by share of the rows.
  std::optional<Timestamp> first_date{}, last_date{};
  std::optional<std::size_t> first_row{}, last_row{};
  std::optional<double> first_share{}, last_share{};
};
struct DivideByProfile {  // over the volatility profile, which is estimated
  ProfileBy by = ProfileBy::time_of_day;
};

}  // namespace transforms

using Transform = std::variant<transforms::Log, transforms::PowerTransform, transforms::LogReturn,
                               transforms::SimpleReturn, transforms::Difference, transforms::Centre,
                               transforms::Window, transforms::DivideByProfile>;

// "log diff1 centre", the words separated by blanks or commas: log, boxcox, boxcox=0.3, log-return,
// simple-return, diffN, centre, rows=A..B (numbers or shares such as 20%), dates=A..B, hours,
// weekdays. Returns are in `unit`. Throws Error (bad_option) naming the word.
[[nodiscard]] std::vector<Transform> parse_chain(std::string_view text, Unit unit = Unit::percent);
// The word of one link, with its estimated number where it has one.
[[nodiscard]] std::string to_string(const Transform& link);

// What a link did to a series: its estimated numbers, and what its inverse needs.
struct AppliedTransform {
  Transform link;                            // a PowerTransform with its power filled in
  std::optional<PowerEstimate> estimated{};  // where the power was
  double mean = 0;                           // Centre
  VolatilityProfile profile{};               // DivideByProfile
  // Differences and returns: values that no difference leads to, by 0-based row: the first rows and
  // each row after a gap.
  struct Anchor {
    std::size_t row;
    double value;
  };
  std::vector<Anchor> anchors{};
  std::vector<double> last{};          // the last `lag` values, for going on
  std::vector<double> head{}, tail{};  // Window: the rows cut off
};

struct Transformed {
  Series series;
  std::vector<AppliedTransform> links;
  Series original;  // names, dates and unit of what went in; no values

  // The series that went in, for `values` in place of series.values (as many). Missing stays
  // missing. For the values that came out it gives back what went in, to some 1e-12 of its size.
  [[nodiscard]] Series inverse(std::span<const double> values) const;

  // Whether every value that differences and returns go on from is present.
  [[nodiscard]] bool goes_on() const;

  // Values that come after the end, back on the scale of what went in: `ahead` follow the series at
  // `dates` (needed by DivideByProfile only). Throws Error (too_few_observations) unless goes_on().
  [[nodiscard]] std::vector<double> inverse_ahead(std::span<const double> ahead,
                                                  std::span<const Timestamp> dates = {}) const;
};

// Applies the links in order. Numbers that are estimated (power, mean, profile) come from the
// first `training_rows` rows of what goes in, so that nothing is learnt from a hold-out; left out:
// all.
[[nodiscard]] Transformed transform(const Series& series, const std::vector<Transform>& chain,
                                    std::optional<std::size_t> training_rows = {});

// The way back to the file's own scale of a series that keeps its provenance, such as that of a
// saved model: inverse_ahead of what comes back leads on from its end. Empty where it keeps none,
// where nothing was done to the file's values, or where the chain has numbers of its own rows
// (centre, a profile, a cut).
[[nodiscard]] std::optional<Transformed> way_back(const Series& series);

}  // namespace brace::inline v0
BRACE_API_END
