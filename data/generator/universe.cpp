// SPDX-License-Identifier: Apache-2.0
// A universe of made-up instruments.
//
// What is planted, by the place of a series in its dozen, so that what Brace finds can be judged:
//   0  garch; shocks here and where nothing is said are Student with 6 degrees of freedom
//   1  garch with more reaction and normal shocks
//   2  gjr: volatility rises more after falls; Student with 5
//   3  egarch (the logarithm of the variance follows the shocks); Student with 7
//   4  an autoregression of .15 in the mean, garch
//   5  garch with a lasting rise of volatility by half at two thirds of the sample
//   6  constant variance and normal shocks: a plain random walk
//   7  ticks of a twentieth of the price, so that most returns are zero
//   8  one close in forty unrecorded, and one date in sixty absent altogether
//   9  listed late: 180 rows
//   10 dead: its rows end at three quarters of the sample
//   11 garch, Student with 4, and a jump of 15 standard deviations
// And of every thirty the third from the end cannot be read (a word among the prices), the last but
// one has a price of zero, which has no logarithm, and the last holds one row alone.
#include "universe.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <stdexcept>
#include <vector>

#include "brace/base/date.hpp"
#include "brace/maths/random.hpp"
#include "calendar.hpp"

namespace brace::demo {
namespace {

using namespace std::chrono;

constexpr sys_days kFirstDay = 2014y / January / 6;
constexpr std::array<const char*, 12> kGoods{"KELP", "FREIGHT", "OIL",  "TAR",  "ROPE",   "SALT",
                                             "ICE",  "CORK",    "HEMP", "WOOL", "COPPER", "TEA"};

struct Row {
  std::size_t day;    // position among the trading days
  std::string price;  // empty: unrecorded
};
struct Instrument {
  std::string symbol;
  std::vector<Row> rows;
};

std::vector<std::string> trading_days(std::size_t count) {
  std::vector<std::string> out;
  for (sys_days day = kFirstDay; out.size() < count; day += days(1))
    if (!is_holiday(day)) out.push_back(format_date(day));
  return out;
}

// One trading day after another of a log price, in percent.
class Walk {
 public:
  Walk(std::size_t kind, std::size_t number) : kind_(kind), stream_(/*seed=*/82, 100 + number) {
    scale_ = .6 + 1.2 * stream_.uniform();  // average daily volatility
    const double wander = .02 * (stream_.uniform() - .5);
    alpha_ = (kind == 1 ? .12 : .06) + wander;
    beta_ = (kind == 1 ? .80 : .91) - wander;
    h_ = scale_ * scale_;
  }

  double step(double share) {
    const double nu = kind_ == 2 ? 5 : kind_ == 3 ? 7 : kind_ == 11 ? 4 : 6;
    const double z = kind_ == 1 || kind_ == 6 ? stream_.normal() : stream_.student(nu);
    const double e = std::sqrt(h_) * z;
    const double lifted = kind_ == 5 && share > 2. / 3 ? 2.25 : 1;
    const double long_run = scale_ * scale_ * lifted;
    if (kind_ == 3) {
      log_h_ = .97 * log_h_ + .12 * (std::abs(z) - .75) - .06 * z;
      h_ = long_run * std::exp(log_h_);
    } else if (kind_ == 2) {
      h_ = long_run * (1 - .02 - .05 - .90) + (.02 + (e < 0 ? .10 : 0)) * e * e + .90 * h_;
    } else if (kind_ != 6) {
      h_ = long_run * (1 - alpha_ - beta_) + alpha_ * e * e + beta_ * h_;
    }
    const double change = .01 + (kind_ == 4 ? .15 * before_ : 0) + e;
    before_ = change;
    return change;
  }
  double uniform() { return stream_.uniform(); }
  [[nodiscard]] double scale() const { return scale_; }

 private:
  std::size_t kind_;
  maths::RandomStream stream_;
  double scale_ = 1, alpha_ = 0, beta_ = 0, h_ = 1, log_h_ = 0, before_ = 0;
};

Instrument instrument(std::size_t i, const UniverseSize& size) {
  const std::size_t kind = i % kGoods.size(), of_thirty = i % 30;
  Instrument out{.symbol = fmt::format("{}-{:03}", kGoods[(i * 5 + i / 12) % 12], i + 1),
                 .rows = {}};
  Walk walk(kind, i);
  const std::size_t n = size.rows;
  const std::size_t from = kind == 9 ? n - std::min<std::size_t>(n, 180) : 0,
                    to = kind == 10 ? n - n / 4 : n;
  double price = 20 + 180 * walk.uniform();
  const double tick = kind == 7 ? price / 20 : .01;
  for (std::size_t t = from; t < to; ++t) {
    double change = walk.step(static_cast<double>(t) / static_cast<double>(n));
    if (kind == 11 && t == n / 2) change -= 15 * walk.scale();
    price *= std::exp(change / 100);
    const double chance = kind == 8 ? walk.uniform() : 1;
    if (chance < 1. / 60 && t > 0) continue;
    const double shown = std::max(tick, std::round(price / tick) * tick);
    out.rows.push_back({t, chance < 1. / 60 + 1. / 40 ? "" : fmt::format("{:.2f}", shown)});
  }
  if (!size.sound && of_thirty == 27) out.rows[out.rows.size() / 2].price = "closed";
  if (!size.sound && of_thirty == 28) out.rows[out.rows.size() / 2].price = "0.00";
  if (!size.sound && of_thirty == 29) out.rows.resize(1);
  return out;
}

void write_folder(const UniverseSize& size, const std::vector<std::string>& days) {
  std::filesystem::create_directories(size.into);
  for (std::size_t i = 0; i < size.series; ++i) {
    const Instrument one = instrument(i, size);
    std::ofstream file(std::filesystem::path(size.into) / (one.symbol + ".csv"));
    file << "date,price\n";
    for (const Row& row : one.rows) file << days[row.day] << ',' << row.price << '\n';
    if (!file.flush()) throw std::runtime_error(size.into + ": cannot be written");
  }
}

// All of them held, for what goes by dates.
void write_by_date(const UniverseSize& size, const std::vector<std::string>& days) {
  std::vector<Instrument> all;
  for (std::size_t i = 0; i < size.series; ++i) all.push_back(instrument(i, size));
  std::vector<std::size_t> next(size.series, 0);
  std::string line = size.wide ? "date" : "symbol,date,price";
  if (size.wide)
    for (const Instrument& one : all) line += "," + one.symbol;
  fmt::print("{}\n", line);
  for (std::size_t t = 0; t < size.rows; ++t) {
    line = size.wide ? days[t] : "";
    for (std::size_t i = 0; i < size.series; ++i) {
      const std::vector<Row>& rows = all[i].rows;
      const bool here = next[i] < rows.size() && rows[next[i]].day == t;
      if (size.wide)
        line += "," + (here ? rows[next[i]].price : "");
      else if (here)
        line += fmt::format("{},{},{}\n", all[i].symbol, days[t], rows[next[i]].price);
      if (here) ++next[i];
    }
    fmt::print("{}{}", line, size.wide ? "\n" : "");
  }
}

}  // namespace

void write_universe(const UniverseSize& size) {
  const std::vector<std::string> days = trading_days(size.rows);
  if (!size.into.empty()) return write_folder(size, days);
  if (size.wide || size.interleaved) return write_by_date(size, days);
  fmt::print("symbol,date,price\n");
  for (std::size_t i = 0; i < size.series; ++i) {
    const Instrument one = instrument(i, size);
    std::string text;
    for (const Row& row : one.rows)
      text += fmt::format("{},{},{}\n", one.symbol, days[row.day], row.price);
    fmt::print("{}", text);
  }
}

}  // namespace brace::demo
