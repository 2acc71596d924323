// SPDX-License-Identifier: Apache-2.0
// Reads a column of dates whose form may have to be recognised. A form is taken only when every
// date of the column fits it and no other form gives other dates.
//
//   DateReader reader("");                       // or a form in strptime's letters
//   if (!reader.add("02/05/2019 14:30", "")) ... // reader.complaint() says why
//   auto times = reader.finish();                // throws Ambiguous
#pragma once

#include <chrono>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "brace/base/date.hpp"

namespace brace::inline v0 {

// The day part of a cell in one form of strptime's letters; empty where it does not fit.
[[nodiscard]] std::optional<std::chrono::sys_days> read_day(const std::string& text,
                                                            const char* form);

// Numbers distinct texts in order of appearance. What follows a text once tends to follow it again
// (the minutes of a day, the dates of the next symbol), so that is looked at before the table is.
class TextNumbers {
 public:
  [[nodiscard]] std::optional<std::uint32_t> find(std::string_view text) {
    if (texts_.empty()) return std::nullopt;
    for (const std::uint32_t guess : {last_, followers_[last_]})
      if (texts_[guess] == text) return last_ = guess;
    const auto known = numbers_.find(text);
    if (known == numbers_.end()) return std::nullopt;
    followers_[last_] = known->second;
    return last_ = known->second;
  }
  std::uint32_t add(std::string text) {
    const auto number = static_cast<std::uint32_t>(texts_.size());
    numbers_.emplace(text, number);
    texts_.push_back(std::move(text));
    followers_.push_back(number);
    if (number > 0) followers_[last_] = number;
    return last_ = number;
  }
  [[nodiscard]] const std::vector<std::string>& texts() const { return texts_; }

 private:
  struct Hash {
    using is_transparent = void;
    std::size_t operator()(std::string_view text) const {
      return std::hash<std::string_view>{}(text);
    }
  };
  std::vector<std::string> texts_;
  std::vector<std::uint32_t> followers_;
  std::unordered_map<std::string, std::uint32_t, Hash, std::equal_to<>> numbers_;
  std::uint32_t last_ = 0;
};

// Day texts by number, each parsed once in a form: series of one file have their dates in common.
class ParsedDays {
 public:
  [[nodiscard]] std::uint32_t number_of(std::string_view text);
  [[nodiscard]] const std::string& text(std::uint32_t number) const {
    return texts_.texts()[number];
  }
  // As read_day() has it.
  [[nodiscard]] std::optional<std::chrono::sys_days> read(std::uint32_t number, const char* form);

 private:
  struct Parsed {
    std::string form;
    std::optional<std::chrono::sys_days> day;
  };
  TextNumbers texts_;
  std::vector<std::vector<Parsed>> parsed_;  // by the number of the text
};

class DateReader {
 public:
  // Without a form it is recognised; "seconds" and "milliseconds" count from 1970. `parsed` is
  // shared by readers that one thread calls; left out: its own.
  explicit DateReader(std::optional<std::string> format, std::shared_ptr<ParsedDays> parsed = {});

  // One row's date and, where it stands in a column of its own, its time of day.
  [[nodiscard]] bool add(std::string_view date, std::string_view time);
  // Why the last add returned false, as the end of a sentence about the cell.
  [[nodiscard]] const std::string& complaint() const { return complaint_; }

  // Several forms fit and disagree: the row (0-based, of those added) and what it might mean.
  struct Ambiguous {
    std::size_t row;
    std::string meanings;  // "1 February 2003 (%d/%m/%y) or 2 January 2003 (%m/%d/%y)"
  };
  // All dates, or the ambiguity. The rows are given up.
  struct Result {
    std::vector<Timestamp> times;
    std::optional<Ambiguous> ambiguous;
    std::vector<std::string> notes;  // what was assumed
  };
  [[nodiscard]] Result finish();

  void reserve(std::size_t rows) { stamps_.reserve(rows); }
  [[nodiscard]] std::size_t size() const { return stamps_.size(); }
  [[nodiscard]] std::size_t capacity() const { return stamps_.capacity(); }

 private:
  // Distinct days and times of day are parsed once; a row holds its day's number and its seconds.
  struct Stamp {
    std::uint32_t day;
    std::int32_t seconds;
  };
  struct TimeOfDay {
    std::int32_t seconds;
    std::optional<std::int16_t> offset;  // minutes east of Greenwich
  };
  bool add_whole(std::string_view text);
  std::optional<std::uint32_t> day_number(std::string_view text);
  std::optional<TimeOfDay> time_of_day(std::string_view text);
  [[nodiscard]] std::string why_no_day(std::string_view text) const;
  bool refuse(std::string why);

  std::optional<std::string> format_;
  std::shared_ptr<ParsedDays> parsed_;
  bool whole_ = false;                  // the format holds the time of day: nothing to split
  std::vector<const char*> alive_;      // forms that fit every day so far
  std::vector<std::uint32_t> days_;     // distinct days in the order in which they came
  std::vector<std::uint32_t> place_;    // by number: place in days_ and one more; 0: not there
  std::vector<std::size_t> first_row_;  // of each of days_
  TextNumbers times_;                   // distinct times of day, and what they are
  std::vector<TimeOfDay> times_of_day_;
  std::vector<Stamp> stamps_;
  std::vector<Timestamp> whole_times_;
  std::vector<std::int16_t> offsets_;  // one a row, or none at all
  bool fractions_cut_ = false;
  std::string complaint_;
};

// Whether the text reads as a date in some form that is not a plain number.
// "1880": four digits, from 1000 to 2999.
[[nodiscard]] bool looks_like_year(std::string_view text);
[[nodiscard]] bool looks_like_date(std::string_view text);
// Whether it reads as a time of day, such as 14:30.
[[nodiscard]] bool looks_like_time(std::string_view text);

}  // namespace brace::inline v0
