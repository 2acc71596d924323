// SPDX-License-Identifier: Apache-2.0
// Columns by name, by kind and by role. Covered by tests/io/table_test.cpp.
#include "io/column_choice.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <set>

#include "io/date_reader.hpp"

namespace brace::inline v0 {
namespace {

// Cells of a column tried as dates.
constexpr std::size_t kCellsTried = 20;

// From so many rows on numbers that go up by one are those of the rows.
constexpr std::size_t kRowsOfACount = 10;

// Names of the column that prices or values stand in.
const std::vector<std::string> kCloses{"close", "settle", "last", "price", "value"};

std::string lower(std::string text) {
  for (char& c : text)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return text;
}

class ColumnChooser {
 public:
  explicit ColumnChooser(const ColumnQuestion& question)
      : path_(question.file),
        names_(question.names),
        tried_(question.rows),
        cells_(question.cells),
        options_(question.options),
        purpose_(question.purpose) {}

  ColumnChoice choose() {
    choose_where();
    if (purpose_.each) chosen_.each = column(*purpose_.each);
    chosen_.date = date_column();
    chosen_.time = time_column();
    chosen_.values = value_columns();
    choose_roles(chosen_.values);
    if (options_.drop_zero) chosen_.zero = column(*options_.drop_zero);
    require_dates_for_a_window();
    choose_kind_of_series();
    return std::move(chosen_);
  }

 private:
  // ---- By name ----
  std::size_t column(const std::string& name) const {
    std::vector<std::size_t> same, alike;
    for (std::size_t c = 0; c < names_.size(); ++c) {
      if (names_[c] == name) same.push_back(c);
      if (lower(names_[c]) == lower(name)) alike.push_back(c);
    }
    if (same.empty() && alike.size() == 1) return alike.front();
    if (same.size() == 1) return same.front();
    if (same.size() > 1)
      throw Error(
          ErrorCode::column_missing,
          fmt::format("{}: {} columns are called '{}'; name one by its position, such as {}", path_,
                      same.size(), name, same.back() + 1));
    std::size_t position = 0;
    const auto [end, error] = std::from_chars(name.data(), name.data() + name.size(), position);
    if (error == std::errc() && end == name.data() + name.size() && position >= 1 &&
        position <= names_.size())
      return position - 1;
    const auto near = text::nearest(name, names_);
    throw Error(ErrorCode::column_missing,
                fmt::format("{}: there is no column '{}'{}; its columns are {}", path_, name,
                            near ? fmt::format(" (did you mean '{}'?)", *near) : "",
                            text::some_of(names_)));
  }

  // ---- By what its cells hold ----
  // The tried cells of a column that hold something, of the rows that --where keeps.
  std::vector<std::string_view> cells_of(std::size_t c) const {
    std::vector<std::string_view> out;
    for (const TriedRow& row : tried_)
      if (!cells_.is_missing(row.texts[c]) && passes(row)) out.push_back(row.texts[c]);
    return out;
  }

  bool passes(const TriedRow& row) const {
    return std::all_of(chosen_.where.begin(), chosen_.where.end(), [&](const auto& condition) {
      return text::trimmed(row.texts[condition.first]) == condition.second;
    });
  }

  bool reads_as_dates(std::size_t c) const {
    std::vector<std::string_view> cells = cells_of(c);
    if (cells.size() > kCellsTried) cells.resize(kCellsTried);
    // One that reads is enough: a bad date among good ones is an error later, not a reason to do
    // without dates.
    return std::any_of(cells.begin(), cells.end(), looks_like_date);
  }

  // Whole numbers of four digits, each later than the one before it, or each earlier.
  bool holds_years(std::size_t c) const {
    const std::vector<std::string_view> cells = cells_of(c);
    return !cells.empty() && std::all_of(cells.begin(), cells.end(), looks_like_year);
  }

  bool is_numeric(std::size_t c) const {
    const auto cells = cells_of(c);
    const auto numbers = static_cast<std::size_t>(
        std::count_if(cells.begin(), cells.end(),
                      [&](std::string_view text) { return cells_.number(text).has_value(); }));
    return 2 * numbers > cells.size();
  }

  // Where the numbers of the rows begin that stand in the first column: whole, and each one more
  // than the one before it.
  std::optional<double> row_numbers_from() const {
    if (tried_.size() < kRowsOfACount) return std::nullopt;
    const std::optional<double> first = cells_.number(tried_.front().texts.front());
    if (!first || *first != std::floor(*first)) return std::nullopt;
    for (std::size_t r = 0; r < tried_.size(); ++r) {
      const std::string& text = tried_[r].texts.front();
      if (!cells_.is_missing(text) && cells_.number(text) != *first + static_cast<double>(r))
        return std::nullopt;
    }
    return first;
  }

  // ---- Roles ----
  std::optional<std::size_t> date_column() const {
    const bool any_none = std::find(names_.begin(), names_.end(), "none") != names_.end();
    if (options_.date == "none" && !any_none) return std::nullopt;
    if (options_.date) return column(*options_.date);
    // Contracts and days of expiry read as dates too.
    const std::vector<std::string> called{"date", "datetime", "timestamp", "day", "time", "month"};
    const auto may_be = [&](std::size_t c) {
      return !options_.date_format && c != chosen_.each && reads_as_dates(c);
    };
    for (const std::string& name : called)
      for (std::size_t c = 0; c < names_.size(); ++c)
        if (lower(names_[c]) == name && may_be(c)) return c;
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (may_be(c)) return c;
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (!options_.date_format && lower(names_[c]) == "year" && holds_years(c)) return c;
    // A column that is called a date and does not read as one is a mistake, not a value; and with a
    // form given the dates are expected. Numbers of the rows are none, but those that begin
    // elsewhere may be days as spreadsheets count them.
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (std::find(called.begin(), called.end(), lower(names_[c])) != called.end()) {
        const bool counts = c == 0 && begins_a_count(row_numbers_from());
        if (options_.date_format || !counts) return c;
      }
    if (options_.date_format) return 0;
    return std::nullopt;
  }

  std::optional<std::size_t> time_column() const {
    if (options_.time) return column(*options_.time);
    if (!chosen_.date) return std::nullopt;
    for (std::size_t c = 0; c < names_.size(); ++c) {
      if (c == *chosen_.date || lower(names_[c]) != "time") continue;
      auto times = cells_of(c);
      const auto days = cells_of(*chosen_.date);
      if (times.size() > kCellsTried) times.resize(kCellsTried);
      if (!times.empty() && std::all_of(times.begin(), times.end(), looks_like_time) &&
          days.front().find(':') == std::string_view::npos)
        return c;
    }
    return std::nullopt;
  }

  void choose_where() {
    for (const std::string& condition : options_.where) {
      const auto equals = condition.find('=');
      if (equals == std::string::npos || equals == 0)
        throw Error(ErrorCode::bad_option,
                    fmt::format("`where` {}: write column=text, such as symbol=KELP", condition));
      chosen_.where.emplace_back(
          column(condition.substr(0, equals)),
          std::string(text::trimmed(std::string_view(condition).substr(equals + 1))));
    }
  }

  std::vector<std::size_t> value_columns() {
    std::vector<std::size_t> numeric;
    const auto taken = [&](std::size_t c) {
      return c == chosen_.date || c == chosen_.time || c == chosen_.each ||
             std::any_of(chosen_.where.begin(), chosen_.where.end(),
                         [&](const auto& w) { return w.first == c; });
    };
    if (purpose_.one_value && options_.value) {
      numeric.push_back(column(*options_.value));
      for (const std::string& name : options_.companions)
        if (const std::size_t c = column(name); c != numeric.front()) numeric.push_back(c);
      return numeric;
    }
    if (purpose_.one_value && !options_.companions.empty())
      throw Error(ErrorCode::bad_option,
                  fmt::format("{}: name the column that is modelled with `value`, since {} is to "
                              "be read beside it",
                              path_, options_.companions.front()));
    if (!purpose_.one_value && !options_.values.empty()) {
      for (const std::string& name : options_.values) numeric.push_back(column(name));
      return numeric;
    }
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (!taken(c) && (purpose_.every_column || (is_numeric(c) && !cells_of(c).empty())))
        numeric.push_back(c);
    leave_row_numbers_aside(numeric);
    if (purpose_.every_column) return numeric;
    std::vector<std::string> names;
    for (const std::size_t c : numeric) names.push_back(names_[c]);
    if (numeric.empty())
      throw Error(ErrorCode::column_missing,
                  fmt::format("{}: no column holds numbers; its columns are {}{}", path_,
                              text::some_of(names_), what_would_read()));
    if (purpose_.one_value && numeric.size() > 1)
      throw Error(ErrorCode::column_missing,
                  fmt::format("{}: several columns hold numbers ({}); choose one with `value` {}",
                              path_, text::some_of(names), likeliest(names)));
    return numeric;
  }

  // Numbers of the rows are no values, where there are others.
  void leave_row_numbers_aside(std::vector<std::size_t>& columns) {
    if (columns.size() < 2 || columns.front() != 0 || !row_numbers_from()) return;
    columns.erase(columns.begin());
    chosen_.notes.push_back(fmt::format("column {} numbers the rows and is left aside",
                                        names_.front().empty() ? "1" : names_.front()));
  }

  // What most would choose: a price or value by its name, else the last that is no volume.
  static std::string likeliest(const std::vector<std::string>& names) {
    for (const std::string& word : kCloses)
      for (const std::string& name : names)
        if (lower(name) == word) return name;
    const auto last = std::find_if(names.rbegin(), names.rend(),
                                   [](const std::string& name) { return lower(name) != "volume"; });
    return last == names.rend() ? names.back() : *last;
  }

  // What may be wrong where nothing reads as a number.
  std::string what_would_read() const {
    for (const TriedRow& row : tried_)
      for (const std::string& text : row.texts)
        if (!cells_.number(text)) {
          const std::string mend = cells_.mend_of(text);
          if (!mend.empty()) return fmt::format("; '{}' would read {}", text.substr(0, 60), mend);
        }
    if (names_.size() == 1)
      return "; cells must be separated by commas, semicolons, tabs or vertical bars";
    for (const TriedRow& row : tried_)
      for (std::size_t c = 0; c < names_.size(); ++c)
        if (c != chosen_.date && !cells_.is_missing(row.texts[c]))
          return fmt::format("; row {} of {} is '{}'", text::count(row.number), names_[c],
                             row.texts[c].substr(0, 60));
    return "";
  }

  void choose_roles(std::vector<std::size_t>& columns) {
    struct Role {
      const std::optional<std::string>* given;
      std::vector<std::string> called;
      std::optional<std::size_t>* slot;
    };
    ColumnChoice& t = chosen_;
    const ReadOptions::Roles& given = options_.roles;
    const Role roles[] = {{&given.open, {"open"}, &t.open},
                          {&given.high, {"high"}, &t.high},
                          {&given.low, {"low"}, &t.low},
                          {&given.close, kCloses, &t.close},
                          {&given.volume, {"volume"}, &t.volume}};
    const bool all = options_.with_bars || options_.drop_flat;
    for (const Role& role : roles) {
      std::optional<std::size_t> found;
      if (*role.given) {
        found = column(**role.given);
      } else {
        for (const std::string& word : role.called)
          for (std::size_t c = 0; c < names_.size() && !found; ++c)
            if (lower(names_[c]) == word) found = c;
      }
      if (!found) continue;
      auto at = std::find(columns.begin(), columns.end(), *found);
      if (at == columns.end()) {
        // A column of text is no volume, unless it is named.
        if (!all || (!*role.given && !is_numeric(*found))) continue;
        at = columns.insert(columns.end(), *found);
      }
      *role.slot = static_cast<std::size_t>(at - columns.begin());
    }
    if (options_.drop_flat && !(t.open && t.high && t.low && t.close))
      throw Error(ErrorCode::bad_option,
                  fmt::format("`drop_flat`: {} has no columns of open, high, low and close; name "
                              "them with `roles`",
                              path_));
  }

  void require_dates_for_a_window() const {
    if (chosen_.date || (!options_.from && !options_.to)) return;
    const bool is_to = !options_.from;
    throw Error(ErrorCode::bad_option,
                fmt::format("`{}` {}: {} has no column of dates", is_to ? "to" : "from",
                            is_to ? *options_.to : *options_.from, path_));
  }

  // Which column tells several series of a long file apart, for the error on repeated dates.
  void choose_kind_of_series() {
    const std::vector<bool> wanted = chosen_.wanted(names_.size());
    for (std::size_t c = 0; c < names_.size() && chosen_.series_column.empty(); ++c) {
      if (wanted[c]) continue;
      const auto cells = cells_of(c);
      const std::set<std::string_view> distinct(cells.begin(), cells.end());
      if (distinct.empty() || distinct.size() > 50 || 2 * distinct.size() > cells.size() ||
          is_numeric(c))
        continue;
      chosen_.series_column = names_[c];
      for (const std::string_view text : distinct) chosen_.series_names.emplace_back(text);
    }
  }

  const std::string& path_;
  const std::vector<std::string>& names_;
  const std::vector<TriedRow>& tried_;
  const CellReader& cells_;
  const ReadOptions& options_;
  const ColumnQuestion::Purpose& purpose_;
  ColumnChoice chosen_;
};

}  // namespace

std::vector<bool> ColumnChoice::wanted(std::size_t columns) const {
  std::vector<bool> flags(columns, false);
  for (const std::size_t c : values) flags[c] = true;
  for (const auto& condition : where) flags[condition.first] = true;
  for (const auto& c : {date, time, zero, each})
    if (c) flags[*c] = true;
  return flags;
}

ColumnChoice choose_columns(const ColumnQuestion& question) {
  return ColumnChooser(question).choose();
}

}  // namespace brace::inline v0
