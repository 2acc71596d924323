// SPDX-License-Identifier: Apache-2.0
// Dates of unknown form, parsed by Hinnant's library. Covered by tests/io/dates_test.cpp.
#include "io/date_reader.hpp"

#include <date/date.h>
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <set>
#include <span>
#include <sstream>

#include "brace/base/text.hpp"

namespace brace::inline v0 {
namespace {

using std::chrono::days;
using std::chrono::minutes;
using std::chrono::seconds;
using std::chrono::sys_days;

// Forms of a day that are recognised. %Y and %G ask for four digits and %y for two. A quarter,
// which strptime does not know, is written %Q here.
constexpr const char* kForms[] = {
    "%Y-%m-%d", "%Y/%m/%d", "%Y.%m.%d",  "%Y%m%d",   "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y",
    "%m-%d-%Y", "%d.%m.%Y", "%m.%d.%Y",  "%d/%m/%y", "%m/%d/%y", "%y/%m/%d", "%d-%m-%y",
    "%m-%d-%y", "%y-%m-%d", "%d.%m.%y",  "%m.%d.%y", "%y.%m.%d", "%d %b %Y", "%d-%b-%Y",
    "%d-%b-%y", "%d %b %y", "%b %d, %Y", "%b %d %Y", "%y%m%d",   "%Y-%j",
};
// Months, quarters, weeks and years.
constexpr const char* kFormsWithoutDay[] = {
    "%b %Y",  "%b-%Y",  "%b %y",  "%b-%y", "%Y-%m",  "%Y/%m",  "%m/%Y",  "%YM%m",
    "%Ym%m",  "%Y:%m",  "%Y%m",   "%Y %b", "%Y-%b",  "%Y-%Q",  "%Y:%Q",  "%YQ%Q",
    "%Y-Q%Q", "%Y Q%Q", "%yQ%Q",  "%QQ%Y", "%QQ%y",  "Q%Q %Y", "Q%Q-%Y", "Q%Q/%Y",
    "Q%Q %y", "Q%Q-%y", "Q%Q/%y", "%GW%V", "%G-W%V", "%Y",
};
// Behind a day of the week, which must be that of the date.
constexpr const char* kFormsWithWeekday[] = {
    "%a %d %b %Y", "%a, %d %b %Y", "%a %b %d %Y", "%a, %b %d, %Y",
    "%a %Y-%m-%d", "%a %d/%m/%Y",  "%a %m/%d/%Y",
};

bool is_digit(char c) {
  return c >= '0' && c <= '9';
}

std::size_t longest_digits(std::string_view text) {
  std::size_t best = 0, run = 0;
  for (const char c : text) best = std::max(best, run = is_digit(c) ? run + 1 : 0);
  return best;
}

template <class T>
std::optional<T> parsed_as(const std::string& text, const std::string& form) {
  std::istringstream in(text);
  T value{};
  in >> date::parse(form, value);
  if (in.fail()) return std::nullopt;
  return in.peek() == std::char_traits<char>::eof() ? std::optional(value) : std::nullopt;
}

// "9:30", "09:30:05", either with AM or PM: digits after each colon, and nothing but digits, colons
// and those letters. The library takes other signs for a number that is not one before it refuses.
bool has_digits_of_a_clock(std::string_view text) {
  if (text.empty() || !is_digit(text.front())) return false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == ':' && (i + 1 == text.size() || !is_digit(text[i + 1]))) return false;
    if (!is_digit(text[i]) && std::string_view(": APMapm").find(text[i]) == std::string_view::npos)
      return false;
  }
  return true;
}

bool is_digits(std::string_view text) {
  return !text.empty() && std::all_of(text.begin(), text.end(), is_digit);
}

// "0930" or "093000", and without the zero that numbers lose: hours and minutes, or seconds too.
std::string with_colons(std::string_view digits) {
  std::string out(digits);
  out.insert(out.size() - 2, ":");
  if (digits.size() > 4) out.insert(out.size() - 5, ":");
  return out;
}

// The start of the time of day within "2019-05-02T14:30:05": the sign after the day. It stands
// after eight digits where all are digits, as in "20190502 143005" and "20190502143005".
std::size_t time_begins(std::string_view text) {
  constexpr std::size_t kDay = 8, kYear = 4;
  if (text.size() > kYear + 1 && text.size() <= kYear + 3 && text[kYear] == ':' &&
      is_digits(text.substr(0, kYear)) && is_digits(text.substr(kYear + 1)))
    return text.size();  // 2005:03, a month
  if (text.size() > kDay && is_digits(text.substr(0, kDay))) {
    std::string_view tail = text.substr(kDay);
    if (tail.front() == ' ' || tail.front() == 'T') tail.remove_prefix(1);
    if ((tail.size() == 4 || tail.size() == 6) && is_digits(tail)) return text.size() - tail.size();
  }
  const auto colon = text.find(':');
  if (colon == std::string_view::npos) return text.size();
  std::size_t at = colon;
  while (at > 0 && colon - at < 2 && is_digit(text[at - 1])) --at;
  return at;
}

// "00:00:00 2014", of "Thu Jan 02 00:00:00 2014": the year behind a time of day; else empty.
std::string_view year_behind(std::string_view tail) {
  constexpr std::size_t kYear = 4;
  if (tail.size() <= kYear || tail[tail.size() - kYear - 1] != ' ') return {};
  const std::string_view year = tail.substr(tail.size() - kYear);
  return is_digits(year) ? year : std::string_view();
}

// The first day of a quarter in a form of %Y or %y and %Q, with other signs as they are, in
// either case.
std::optional<sys_days> read_quarter(std::string_view text, std::string_view form) {
  int year = 0, quarter = 0;
  for (std::size_t i = 0; i < form.size(); ++i) {
    if (form[i] != '%') {
      if (text.empty() || std::toupper(static_cast<unsigned char>(text.front())) != form[i])
        return std::nullopt;
      text.remove_prefix(1);
      continue;
    }
    const char letter = form[++i];
    int& number = letter == 'Q' ? quarter : year;
    for (int digits = letter == 'Y' ? 4 : letter == 'y' ? 2 : 1; digits > 0; --digits) {
      if (text.empty() || !is_digit(text.front())) return std::nullopt;
      number = 10 * number + (text.front() - '0');
      text.remove_prefix(1);
    }
  }
  if (!text.empty() || quarter < 1 || quarter > 4) return std::nullopt;
  constexpr int kLastOf2000 = 68;  // of two digits, as POSIX has it for %y
  if (form.find("%y") != std::string_view::npos) year += year <= kLastOf2000 ? 2000 : 1900;
  return sys_days(std::chrono::year(year) / (3 * quarter - 2) / 1);
}

// Months as the press shortens them, "Sept" and "Jan.", as the library knows them.
std::string with_plain_month(const std::string& text) {
  const auto letter = [&](std::size_t i) {
    return i < text.size() && std::isalpha(static_cast<unsigned char>(text[i])) != 0;
  };
  std::string out;
  std::size_t word = 0;  // letters in a row before this place
  for (std::size_t i = 0; i < text.size(); word = letter(i) ? word + 1 : 0, ++i) {
    const bool sept = word == 3 && (text[i] == 't' || text[i] == 'T') && !letter(i + 1) &&
                      parsed_as<date::month>(text.substr(i - 3, 3), "%b") == date::month(9);
    const bool dot = word >= 3 && text[i] == '.';
    if (!sept && !dot) out += text[i];
  }
  return out;
}

bool has_time_letters(std::string_view format) {
  for (std::size_t i = 0; i + 1 < format.size(); ++i)
    if (format[i] == '%' &&
        std::string_view("HIMSTRrXpzZcE").find(format[i + 1]) != std::string_view::npos)
      return true;
  return false;
}

}  // namespace

std::optional<sys_days> read_day(const std::string& text, const char* form) {
  const std::string_view letters(form);
  const auto has = [&](std::string_view what) {
    return letters.find(what) != std::string_view::npos;
  };
  const char* const long_year = has("%Y") ? "%Y" : has("%G") ? "%G" : nullptr;
  // Forms of digits alone have them all in one.
  const std::size_t compact = letters == "%Y%m%d"                        ? 8
                              : letters == "%Y%m" || letters == "%y%m%d" ? 6
                                                                         : 0;
  const std::size_t digits = longest_digits(text);
  if (compact > 0 ? (digits != compact || text.size() != compact)
      : long_year ? digits != 4
                  : digits > 2)
    return std::nullopt;
  if (letters == "%Y") {  // its first day
    if (!looks_like_year(text)) return std::nullopt;
    return sys_days(std::chrono::year(std::stoi(text)) / 1 / 1);
  }
  if (has("%Q")) return read_quarter(text, letters);
  constexpr std::size_t kYearAndDay = 8;  // "2014-002": with fewer digits it would be a month
  if (has("%j") && text.size() != kYearAndDay) return std::nullopt;
  // A month alone is its first day, and a week its Monday.
  const char* const rest = has("%d") || has("%j") ? "" : has("%V") ? " %u" : " %d";
  const std::string known = has("%b") ? with_plain_month(text) : text;
  const auto day =
      parsed_as<sys_days>(*rest == '\0' ? known : known + " 1", std::string(form) + rest);
  // The library would take "Jan 2000" for the twentieth of January of the year 00, and "Jan-2000"
  // for a year before our era.
  if (day && std::chrono::year_month_day(*day).year() < std::chrono::year(0)) return std::nullopt;
  if (day && long_year && text.find(date::format(long_year, *day)) == std::string::npos)
    return std::nullopt;
  return day;
}

std::uint32_t ParsedDays::number_of(std::string_view text) {
  if (const auto known = texts_.find(text)) return *known;
  parsed_.emplace_back();
  return texts_.add(std::string(text));
}

std::optional<sys_days> ParsedDays::read(std::uint32_t number, const char* form) {
  for (const Parsed& p : parsed_[number])
    if (p.form == form) return p.day;
  return parsed_[number].emplace_back(Parsed{form, read_day(text(number), form)}).day;
}

DateReader::DateReader(std::optional<std::string> format, std::shared_ptr<ParsedDays> parsed)
    : format_(std::move(format)),
      parsed_(parsed ? std::move(parsed) : std::make_shared<ParsedDays>()) {
  whole_ =
      format_ == "seconds" || format_ == "milliseconds" || (format_ && has_time_letters(*format_));
  if (format_)
    alive_ = {format_->c_str()};
  else
    for (const std::span<const char* const> forms :
         {std::span<const char* const>(kForms), std::span<const char* const>(kFormsWithoutDay),
          std::span<const char* const>(kFormsWithWeekday)})
      alive_.insert(alive_.end(), forms.begin(), forms.end());
}

bool DateReader::refuse(std::string why) {
  complaint_ = std::move(why);
  return false;
}

bool DateReader::add(std::string_view date, std::string_view time) {
  date = text::trimmed(date);
  if (whole_) return add_whole(date);
  const std::size_t split = time_begins(date);
  std::string_view day = date.substr(0, split), tail = date.substr(split);
  std::string around;
  if (const std::string_view year = year_behind(tail); !year.empty()) {
    tail = text::trimmed(tail.substr(0, tail.size() - year.size()));
    around = fmt::format("{}{}", day, year);
    day = around;
  }
  while (!day.empty() && (day.back() == ' ' || day.back() == 'T')) day.remove_suffix(1);
  if (tail.empty()) tail = text::trimmed(time);
  if (day.size() == 10 && day.ends_with(".0") && is_digits(day.substr(0, 8)))
    day.remove_suffix(2);  // a number that a table's program wrote

  const auto number = day_number(day);
  if (!number) return false;
  TimeOfDay at{0, std::nullopt};
  if (!tail.empty()) {
    const auto read = time_of_day(tail);
    if (!read) return refuse("has no time of day that reads as 14:30 or 14:30:05");
    at = *read;
  }
  if (at.offset.has_value() != !offsets_.empty() && !stamps_.empty())
    return refuse(at.offset ? "has a zone offset, and the rows before have none"
                            : "has no zone offset, and the rows before have one");
  if (at.offset) offsets_.push_back(*at.offset);
  stamps_.push_back({*number, at.seconds});
  return true;
}

bool DateReader::add_whole(std::string_view text) {
  std::optional<Timestamp> when;
  if (format_ == "seconds" || format_ == "milliseconds") {
    long long count = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), count);
    // The years 1 to 9999 in seconds; anything else is not a time.
    constexpr long long kLeast = -62135596800, kMost = 253402300799;
    if (error == std::errc() && end == text.data() + text.size()) {
      if (format_ == "milliseconds") count = count >= 0 ? count / 1000 : (count - 999) / 1000;
      if (count >= kLeast && count <= kMost) when = Timestamp(seconds(count));
    }
  } else if (const auto precise = parsed_as<std::chrono::sys_time<std::chrono::microseconds>>(
                 std::string(text), *format_)) {
    when = std::chrono::floor<seconds>(*precise);
    fractions_cut_ = fractions_cut_ || *when != *precise;
  }
  if (!when) return refuse(fmt::format("is not a date in the form {}", *format_));
  whole_times_.push_back(*when);
  return true;
}

std::string DateReader::why_no_day(std::string_view text) const {
  if (std::none_of(text.begin(), text.end(), is_digit))
    return "is no date; correct it, or take the row out";
  if (!days_.empty() || format_)
    return fmt::format(
        "is not a date in the form {}{}; correct it, or name the form with "
        "`date_format`",
        alive_.front(), !format_ ? " of the rows before" : "");
  // Counts of days from 1927 to 2173, of seconds and of milliseconds from 2001 to 2286.
  constexpr std::size_t kDigitsOfDays = 5, kDigitsOfSeconds = 10, kDigitsOfMilliseconds = 13;
  if (is_digits(text)) {
    if (text.size() == kDigitsOfDays)
      return "is not a date in a form that is recognised; if it is a spreadsheet's count of days, "
             "save the column as dates there";
    if (text.size() == kDigitsOfSeconds || text.size() == kDigitsOfMilliseconds)
      return fmt::format("counts {0} since 1970, it seems; if so, say it with `date_format` {0}",
                         text.size() == kDigitsOfSeconds ? "seconds" : "milliseconds");
    if (text.size() < kDigitsOfDays)
      return "is not a date in a form that is recognised; name its form with `date_format`, or "
             "leave dates out with `date` none";
  }
  return "is not a date in a form that is recognised; name its form with `date_format`";
}

std::optional<std::uint32_t> DateReader::day_number(std::string_view text) {
  const std::uint32_t number = parsed_->number_of(text);
  if (number < place_.size() && place_[number] > 0) return place_[number] - 1;
  std::vector<const char*> fitting;
  for (const char* form : alive_)
    if (parsed_->read(number, form)) fitting.push_back(form);
  if (fitting.empty()) {
    refuse(why_no_day(text));
    return std::nullopt;
  }
  if (fitting.size() < alive_.size()) alive_ = std::move(fitting);
  first_row_.push_back(stamps_.size());
  days_.push_back(number);
  if (place_.size() <= number) place_.resize(number + number / 4 + 1);
  place_[number] = static_cast<std::uint32_t>(days_.size());
  return place_[number] - 1;
}

std::optional<DateReader::TimeOfDay> DateReader::time_of_day(std::string_view text) {
  // A fraction of a second is cut out: what is left repeats from day to day and is parsed once.
  std::string without;
  const auto point = text.find_first_of(".,");
  if (point != std::string_view::npos) {
    std::size_t end = point + 1;
    while (end < text.size() && is_digit(text[end])) ++end;
    if (end == point + 1) return std::nullopt;
    if (text.substr(point + 1, end - point - 1).find_first_not_of('0') != std::string_view::npos)
      fractions_cut_ = true;
    without = fmt::format("{}{}", text.substr(0, point), text.substr(end));
    text = without;
  }
  if (const auto known = times_.find(text)) return times_of_day_[*known];
  std::string clock(text);
  TimeOfDay at{0, std::nullopt};
  for (const std::string_view name : {"GMT", "UTC"})
    if (const auto named = clock.find(name); named != std::string::npos) {
      const bool alone = named + name.size() == clock.size();
      clock.replace(named, name.size(), alone ? "Z" : "");
    }
  if (clock.ends_with('Z')) {
    at.offset = 0;
    clock.pop_back();
  } else if (const auto sign = clock.find_last_of("+-"); sign != std::string::npos) {
    const std::string zone = clock.substr(sign);
    // +01:00, +0100 or +01; the library is not asked about anything else.
    const std::size_t signs = zone.size();
    const bool colon = signs == 6 && zone[3] == ':';
    if ((signs != 3 && signs != 5 && !colon) ||
        static_cast<std::size_t>(std::count_if(zone.begin(), zone.end(), is_digit)) !=
            signs - (colon ? 2 : 1))
      return std::nullopt;
    // The library reads an offset as part of a date only: how far it moves one midnight.
    const std::string form = colon ? "%F %H:%M%Ez" : "%F %H:%M%z";
    const auto moved =
        parsed_as<Timestamp>("2000-01-01 00:00" + (zone.size() == 3 ? zone + "00" : zone), form);
    if (!moved) return std::nullopt;
    constexpr Timestamp kMidnight = sys_days(std::chrono::year(2000) / 1 / 1);
    at.offset = static_cast<std::int16_t>((kMidnight - *moved) / minutes(1));
    clock.resize(sign);
  }
  clock = std::string(text::trimmed(clock));
  if (is_digits(clock) && clock.size() >= 3 && clock.size() <= 6) clock = with_colons(clock);
  if (!has_digits_of_a_clock(clock)) return std::nullopt;
  std::optional<seconds> time;
  for (const char* form : {"%H:%M:%S", "%H:%M", "%I:%M:%S %p", "%I:%M %p"})
    if (!time) time = parsed_as<seconds>(clock, form);
  if (!time || *time < seconds(0) || *time > days(1)) return std::nullopt;
  at.seconds = static_cast<std::int32_t>(time->count());
  times_.add(std::string(text));
  times_of_day_.push_back(at);
  return at;
}

DateReader::Result DateReader::finish() {
  Result out;
  if (fractions_cut_) out.notes.emplace_back("fractions of a second cut off");
  if (whole_) {
    out.times = std::move(whole_times_);
    return out;
  }
  if (stamps_.empty()) return out;
  // The forms that are left must agree on every day.
  std::vector<sys_days> day_of;
  for (std::size_t d = 0; d < days_.size(); ++d) {
    const sys_days day = *parsed_->read(days_[d], alive_.front());
    for (const char* other : alive_)
      if (*parsed_->read(days_[d], other) != day) {
        std::vector<std::string> meanings;
        for (const char* form : alive_)
          meanings.push_back(fmt::format(
              "{} ({})", date::format("%e %B %Y", *parsed_->read(days_[d], form)), form));
        for (std::string& m : meanings)
          if (m.starts_with(' ')) m.erase(0, 1);
        const std::string last = meanings.back();
        meanings.pop_back();
        out.ambiguous =
            Ambiguous{first_row_[d], fmt::format("{} or {}", fmt::join(meanings, ", "), last)};
        return out;
      }
    day_of.push_back(day);
  }
  if (!format_ && !std::string_view(alive_.front()).starts_with("%Y-%m-%d"))
    out.notes.push_back(fmt::format("dates read as {}", alive_.front()));

  out.times.resize(stamps_.size());
  for (std::size_t i = 0; i < stamps_.size(); ++i)
    out.times[i] = day_of[stamps_[i].day] + seconds(stamps_[i].seconds);
  if (!offsets_.empty()) {
    // Times of day are kept as written, which is what a session's hours are told by, unless the
    // local clock steps back (at the end of summer time) while time goes on.
    const std::set<std::int16_t> offsets(offsets_.begin(), offsets_.end());
    bool steps_back = false, goes_on = true;
    for (std::size_t i = 1; i < out.times.size(); ++i) {
      steps_back = steps_back || out.times[i] <= out.times[i - 1];
      goes_on = goes_on &&
                out.times[i] - minutes(offsets_[i]) > out.times[i - 1] - minutes(offsets_[i - 1]);
    }
    if (steps_back && goes_on) {
      for (std::size_t i = 0; i < out.times.size(); ++i) out.times[i] -= minutes(offsets_[i]);
      out.notes.emplace_back("times turned to UTC, since the local clock steps back");
    } else {
      std::vector<std::string> words;
      for (const std::int16_t o : offsets)
        words.push_back(
            fmt::format("{}{:02}:{:02}", o < 0 ? '-' : '+', std::abs(o) / 60, std::abs(o) % 60));
      out.notes.push_back(
          fmt::format("times kept as written, zone {} from UTC", fmt::join(words, " or ")));
    }
  }
  stamps_ = {};
  offsets_ = {};
  return out;
}

bool looks_like_year(std::string_view text) {
  text = text::trimmed(text);
  if (text.ends_with(".0")) text.remove_suffix(2);  // a number that a database holds
  return text.size() == 4 && is_digits(text) && (text.front() == '1' || text.front() == '2');
}

bool looks_like_date(std::string_view text) {
  text = text::trimmed(text);
  if (text.size() > 40) return false;
  // Digits alone may be a price; that they are dates must be said.
  if (text.find_first_not_of("0123456789.") == std::string_view::npos &&
      std::count(text.begin(), text.end(), '.') < 2)
    return false;
  return DateReader(std::nullopt).add(text, "");
}

bool looks_like_time(std::string_view text) {
  text = text::trimmed(text);
  return (text.find(':') != std::string_view::npos || is_digits(text)) && text.size() <= 32 &&
         DateReader("%Y-%m-%d").add("2000-01-01", text);
}

}  // namespace brace::inline v0
