// SPDX-License-Identifier: Apache-2.0
// A Series: values in time order with their dates, unit, clock and origin. NaN marks a missing
// value, here and nowhere else in Brace.
//
//   brace::Series returns = brace::make_series({.1, -.4, .3}, "kelp return", brace::Unit::percent);
//   returns.present();   // 3
//
// Threads: a plain value; reading one from several threads at once is safe, and so are the
// functions.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"
#include "brace/series/calendar.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// What the values are, which decides how they are tested and spoken of.
enum class SeriesKind {
  values,      // anything: nothing is assumed
  log_level,   // the logarithm of a price
  log_return,  // difference of log prices
  simple_return,
};
[[nodiscard]] bool is_return(SeriesKind kind);

// What values are measured in, where that is known.
enum class Unit { percent, decimal };
[[nodiscard]] std::string_view to_string(Unit unit);
// "percent a day"; empty for no unit.
[[nodiscard]] std::string unit_a_period(std::optional<Unit> unit, std::string_view period);

// What became of a file's rows on the way to a series.
struct DataAccount {
  struct Dropped {
    std::string because;  // "volume is 0"
    std::size_t rows = 0;
  };
  std::size_t rows_read = 0;  // below the header; 0 for series made in code
  std::vector<Dropped> dropped;
  // What was assumed or changed, each a phrase: "dates read as day/month/year".
  std::vector<std::string> notes;

  [[nodiscard]] std::size_t rows_dropped() const;
  void drop(std::size_t rows, const std::string& because);
};

// Another column of the same rows, for regressors: as long as the values, NaN where missing.
struct Companion {
  std::string name;
  std::vector<double> values;
};

// How a series came from a column of a file, so that rows that come later can be made in the same
// way (apps: brace update).
struct Provenance {
  std::string column;
  std::string chain;              // its transforms as parse_chain reads them, estimates filled in
  std::string overnight{"keep"};  // returns over a pause: "keep", "mark" or "drop"
  std::optional<std::string> drop_zero;  // a column: rows where it is 0 were dropped
  // The column's last rows, as many as the chain reaches back.
  std::vector<Timestamp> times;
  std::vector<double> values;
};

// Values beyond it are refused, since their squares are no numbers.
inline constexpr double kLargest = 1e100;

struct Series {
  std::string name;          // column or what was made of it, such as "settle"
  std::optional<Unit> unit;  // left out where nothing is known
  SeriesKind kind = SeriesKind::values;
  Clock clock = Clock::row;
  std::vector<Timestamp> times;  // as long as values, or empty
  std::vector<double> values;    // NaN where missing
  std::vector<Companion> companions;

  // Where the values came from; empty for series made in code.
  std::string file;
  DataAccount account;
  std::optional<Provenance> provenance;

  [[nodiscard]] std::size_t size() const { return values.size(); }
  [[nodiscard]] std::size_t present() const;
  [[nodiscard]] std::size_t missing() const { return size() - present(); }

  // Date of value i (0-based) as text, or "row 17" where there are no dates.
  [[nodiscard]] std::string when(std::size_t i) const;

  // The values that are present, gaps closed.
  [[nodiscard]] std::vector<double> present_values() const;

  // Keeps rows begin .. end-1 (0-based) of values, dates and companions.
  void keep_rows(std::size_t begin, std::size_t end);

  // Adds the rows of a series that goes on where this one ends.
  void append(const Series& next);

  // "row": the noun for one observation's period, as in "percent a day".
  [[nodiscard]] std::string_view period() const { return period_noun(clock); }

  // "percent a day"; empty where the unit is not known.
  [[nodiscard]] std::string unit_a_period() const { return v0::unit_a_period(unit, period()); }

  // Rows a year, by the clock and its session; empty where there is no clock.
  [[nodiscard]] std::optional<double> rows_per_year() const;
};

// A series without dates, which is as good as one with them but for terms and tables that need
// them; and one with, whose clock is what the dates say (infer_clock). Values are copied. Throws
// Error (bad_option, dates_out_of_order, date_repeated) unless there is a date for each value, each
// later than the one before.
[[nodiscard]] Series make_series(std::vector<double> values, std::string name = "value",
                                 std::optional<Unit> unit = {});
[[nodiscard]] Series make_series(std::span<const double> values, std::span<const Timestamp> times,
                                 std::string name = "value", std::optional<Unit> unit = {});

// The values that are present with their dates; a gap leaves no trace but in the dates.
[[nodiscard]] Series without_gaps(const Series& series);

// Throws Error unless the values are finite or missing, dates (if any) increase, at least
// `observations` values are present and they are not all equal. `task` names what they are for.
void require_usable(const Series& series, std::size_t observations, const std::string& task);

}  // namespace brace::inline v0
BRACE_API_END
