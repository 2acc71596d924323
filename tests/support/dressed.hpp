// SPDX-License-Identifier: Apache-2.0
// Random series of Port Merrow and the dresses in which one series may come as a file: its rows
// stay the same, whatever the marks, order, encoding and dates.
//
//   const std::string text = dressed(made_rows(7, 0), {.mark = ';', .decimal_comma = true});
#pragma once

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>
#include <string>
#include <vector>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"

namespace brace::test {

struct MadeRows {
  std::string kind;
  std::vector<std::chrono::sys_days> dates;
  std::vector<double> prices;  // NaN where it is missing
  [[nodiscard]] std::size_t size() const { return prices.size(); }
};

// The kinds in turn: heavy tails, memory, missing values, ticks, months, few rows, jumps, leverage.
inline constexpr std::uint64_t kKindsOfRows = 8;
inline MadeRows made_rows(std::uint64_t seed, std::uint64_t number) {
  static const struct {
    const char *name, *line;
    std::vector<double> theta;
    std::size_t rows;
  } kinds[kKindsOfRows] = {
      {"heavy tails", "const / garch / student", {.03, .05, .08, .88, 5}, 262},
      {"memory", "const ar1", {.02, .35, 1}, 160},
      {"missing values", "const / garch", {.02, .1, .1, .8}, 200},
      {"ticks", "const", {.0, 1}, 256},
      {"months", "const ma1", {.2, .3, 9}, 130},
      {"few rows", "const", {.05, 1}, 64},
      {"jumps", "const ar1 / garch", {.0, .1, .05, .05, .9}, 258},
      {"leverage", "const / gjr / student", {.02, .05, .02, .12, .86, 8}, 300},
  };
  const auto& kind = kinds[number % kKindsOfRows];
  const Series y =
      simulate(parse_model(kind.line), kind.theta, kind.rows, {.seed = seed, .stream = number});
  maths::RandomStream stream(seed + 1, number);
  MadeRows out{kind.name, {}, {}};
  using namespace std::chrono;
  sys_days day{year{2016} / 1 / 4};  // a Monday
  double level = 40 + 100 * stream.uniform();
  for (std::size_t t = 0; t <= y.size(); ++t) {
    const bool monthly = number % kKindsOfRows == 4;
    if (monthly) {
      out.dates.push_back(sys_days{(year{2005} / 1 + months{static_cast<int>(t)}) / last});
    } else {
      out.dates.push_back(day);
      do day += days{1};
      while (weekday{day} == Saturday || weekday{day} == Sunday);
    }
    if (t > 0) level *= std::exp(y.values[t - 1] / 100);
    if (number % kKindsOfRows == 6 && t % 70 == 40) level *= 1.09;
    double price = std::round(level * 1e4) / 1e4;
    if (number % kKindsOfRows == 3) price = std::round(level * 2) / 2;
    if (number % kKindsOfRows == 2 && t % 31 == 17)
      price = std::numeric_limits<double>::quiet_NaN();
    out.prices.push_back(price);
  }
  return out;
}

enum class Encoding { utf8, utf8_with_mark, western };

struct Dress {
  char mark = ',';
  bool decimal_comma = false, quoted = false, carriage_returns = false;
  std::string dates = "{:%Y-%m-%d}";
  Encoding encoding = Encoding::utf8;
  bool columns_turned = false, unused_column = false, newest_first = false;
  bool spaced = false, blank_lines = false;  // around cells; between rows and at the end
  bool without_missing_rows = false;         // left out, instead of an empty cell
  double times = 1;
  int weeks = 0;
  // What the reader must be told of it.
  [[nodiscard]] std::vector<std::string> words() const {
    std::vector<std::string> told;
    if (decimal_comma) told.emplace_back("--decimal-comma");
    if (without_missing_rows) told.insert(told.end(), {"--absent", "missing"});
    return told;
  }
};

inline std::string dressed(const MadeRows& rows, const Dress& dress = {}) {
  const auto number = [&](double x) {
    if (std::isnan(x)) return std::string();
    std::string text = fmt::format("{}", x);
    if (dress.decimal_comma) std::replace(text.begin(), text.end(), '.', ',');
    return text;
  };
  std::vector<std::string> lines;
  const auto add = [&](std::vector<std::string> cells) {
    for (std::string& cell : cells) {
      if (dress.quoted) cell = '"' + cell + '"';
      if (dress.spaced) cell = ' ' + cell + ' ';
    }
    if (dress.columns_turned) std::reverse(cells.begin(), cells.end());
    lines.push_back(fmt::format("{}", fmt::join(cells, std::string(1, dress.mark))));
  };
  std::vector<std::string> head{"date", "price", "lots"};
  if (dress.encoding == Encoding::western) head[2] = "caf\xE9";  // Windows-1252
  if (dress.unused_column) head.emplace_back("berth");
  add(head);
  for (std::size_t t = 0; t < rows.size(); ++t) {
    if (dress.without_missing_rows && std::isnan(rows.prices[t])) continue;
    std::vector<std::string> cells{
        fmt::format(fmt::runtime(dress.dates), rows.dates[t] + std::chrono::weeks{dress.weeks}),
        number(rows.prices[t] * dress.times), fmt::format("{}", 100 + t * 37 % 91)};
    if (dress.unused_column) cells.push_back(fmt::format("{}", t * 13 % 7));
    add(cells);
  }
  if (dress.newest_first) std::reverse(lines.begin() + 1, lines.end());
  std::string text;
  const std::string end = dress.carriage_returns ? "\r\n" : "\n";
  for (std::size_t i = 0; i < lines.size(); ++i) {
    text += lines[i] + end;
    if (dress.blank_lines && (i % 50 == 49 || i + 1 == lines.size())) text += end;
  }
  if (dress.encoding == Encoding::utf8_with_mark) text.insert(0, "\xEF\xBB\xBF");
  return text;
}

// Several of them at once, as the stream has it.
inline Dress any_dress(maths::RandomStream& stream, const MadeRows& rows) {
  const auto one_of = [&](auto... choices) {
    const std::common_type_t<decltype(choices)...> all[] = {choices...};
    return all[static_cast<std::size_t>(stream.uniform() * sizeof...(choices))];
  };
  const auto maybe = [&] { return stream.uniform() < .5; };
  Dress d;
  d.mark = one_of(',', ';', '\t');
  d.decimal_comma = d.mark != ',' && maybe();
  d.quoted = maybe();
  d.carriage_returns = maybe();
  d.dates = one_of("{:%Y-%m-%d}", "{:%d.%m.%Y}", "{:%Y/%m/%d}", "{:%Y%m%d}");
  d.encoding = one_of(Encoding::utf8, Encoding::utf8_with_mark, Encoding::western);
  d.columns_turned = maybe();
  d.unused_column = maybe();
  d.newest_first = maybe();
  d.spaced = !d.quoted && maybe();
  d.blank_lines = maybe();
  const bool missing = std::any_of(rows.prices.begin(), rows.prices.end(),
                                   [](double price) { return std::isnan(price); });
  d.without_missing_rows = missing && maybe();
  return d;
}

}  // namespace brace::test
