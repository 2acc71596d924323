// SPDX-License-Identifier: Apache-2.0
// Makes the demo data: kelp-fibre futures on the exchange of Port Merrow, a town that does not
// exist.
//   make_demo_data > data/kelp-fibre.csv
// The same bytes on every run (tests/data/generator_test.cpp).
//
// What is planted, so that what Brace finds can be judged:
//   - daily log returns with a small mean, Student shocks with 6 degrees of freedom, and a variance
//   that
//     rises more after falls:  h = omega + (alpha + gamma [e < 0]) e^2 + beta h
//   - omega is 3.2 times as large from 2019-05-02 on: a lasting rise of volatility
//   - days without trading (volume 0, the price of the day before), missing closes (empty cells)
//   - no trading at weekends, on 1 January, 25 and 26 December, and on Harbour Day, the first
//   Monday of June
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "brace/base/date.hpp"
#include "brace/maths/random.hpp"

namespace {

using namespace std::chrono;

constexpr int kTradingDays = 2609;
constexpr sys_days kFirstDay = 2014y / January / 6;
constexpr sys_days kBreak = 2019y / May / 2;

struct Recursion {
  double mean = .02, omega = .040, alpha = .02, gamma = .08, beta = .90, nu = 6;  // percent
  double omega_factor = 3.2;  // from the break on
};

bool is_holiday(sys_days day) {
  const year_month_day d(day);
  const weekday w(day);
  if (w == Saturday || w == Sunday) return true;
  if (d.month() == January && d.day() == 1d) return true;
  if (d.month() == December && (d.day() == 25d || d.day() == 26d)) return true;
  return d.month() == June && w == Monday && d.day() <= 7d;
}

// The highest and lowest point of a day that goes from 0 to `change`: a bridge over twenty-four
// steps whose size follows the day's own volatility.
std::array<double, 2> excursion(brace::RandomStream& stream, double change, double volatility) {
  constexpr int kSteps = 24;
  std::array<double, kSteps + 1> walk{};
  for (int i = 1; i <= kSteps; ++i)
    walk[i] = walk[i - 1] + stream.normal() * volatility / std::sqrt(kSteps);
  double low = std::min(0.0, change), high = std::max(0.0, change);
  for (int i = 0; i <= kSteps; ++i) {
    const double at = walk[i] + (change - walk[kSteps]) * i / kSteps;
    low = std::min(low, at);
    high = std::max(high, at);
  }
  return {low, high};
}

}  // namespace

int main() {
  const Recursion r;
  brace::RandomStream stream(/*seed=*/82, /*number=*/0);
  double h = r.omega / (1 - r.alpha - r.gamma / 2 - r.beta), price = 61.40, interest = 4200;
  fmt::print("date,open,high,low,settle,volume\n");
  sys_days day = kFirstDay;
  for (int count = 0; count < kTradingDays; day += days(1)) {
    if (is_holiday(day)) continue;
    ++count;
    const double uniform = stream.uniform();
    // A calm day in forty weeks or so sees no trade; a close in six hundred goes unrecorded.
    const bool idle = uniform < 1.0 / 230 && count > 20 && count < kTradingDays;
    const bool unrecorded = uniform > 1 - 1.0 / 600 && count > 20 && count < kTradingDays;
    const std::string date = brace::format_date(day);
    if (idle) {
      fmt::print("{},{:.2f},{:.2f},{:.2f},{:.2f},0\n", date, price, price, price, price);
      continue;
    }
    const double e = std::sqrt(h) * stream.student(r.nu);
    const double change = r.mean + e;
    const double overnight = 0.3 * std::sqrt(h) * stream.normal();
    const auto [low, high] = excursion(stream, change - overnight, 0.8 * std::sqrt(h));
    const double open = price * std::exp(overnight / 100);
    const double settle = price * std::exp(change / 100);
    interest += 40 * stream.normal() + 0.02 * (4200 - interest);
    const double volume = std::max(25.0, interest * (0.6 + 0.4 * std::abs(e) / std::sqrt(h)) *
                                             std::exp(0.25 * stream.normal()) / 4);
    fmt::print("{},{:.2f},{:.2f},{:.2f},{},{:.0f}\n", date, open,
               std::max({open * std::exp(high / 100), open, settle}),
               std::min({open * std::exp(low / 100), open, settle}),
               unrecorded ? "" : fmt::format("{:.2f}", settle), volume);
    const double omega = r.omega * (day >= kBreak ? r.omega_factor : 1);
    h = omega + (r.alpha + (e < 0 ? r.gamma : 0)) * e * e + r.beta * h;
    price = settle;
  }
  return 0;
}
