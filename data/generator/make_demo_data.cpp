// SPDX-License-Identifier: Apache-2.0
// Makes the demo data of the exchange of Port Merrow, a town that does not exist.
//   make_demo_data kelp-fibre > data/kelp-fibre.csv
//   make_demo_data ferry-freight > data/ferry-freight.csv
//   make_demo_data lamp-oil > data/lamp-oil.csv
//   make_demo_data universe > data/exchange.csv
//   make_demo_data universe --series 500 --rows 2500 > universe.csv
// The same bytes on every run (tests/tool/demo_test.cpp).
//
// What is planted, so that what Brace finds can be judged:
//   kelp-fibre, futures, daily
//   - log returns with a small mean, Student shocks with 6 degrees of freedom, and a variance that
//     rises more after falls:  h = omega + (alpha + gamma [e < 0]) e^2 + beta h
//   - omega is 3.2 times as large from 2019-05-02 on: a lasting rise of volatility
//   - days without trading (volume 0, the price of the day before), missing closes (empty cells)
//   - no trading at weekends and on holidays (calendar.hpp)
//   ferry-freight, index, hourly from 09:00 to 16:00 on trading days
//   - normal shocks with a daily GARCH variance, spread over the hours by a profile that is high in
//     the morning, low at noon and rises to the close (kHours)
//   - a move over night as large as two and a half average hours; two hours unrecorded
//   lamp-oil, price, monthly
//   - a growing trend, dearest in December and cheapest in June, the whole growing with the level:
//     price = trend x season x noise; one month unrecorded
//   universe, prices, daily: see universe.cpp
#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "brace/base/date.hpp"
#include "brace/maths/random.hpp"
#include "calendar.hpp"
#include "universe.hpp"

namespace {

using namespace std::chrono;

constexpr int kTradingDays = 2609;
constexpr sys_days kFirstDay = 2014y / January / 6;
constexpr sys_days kBreak = 2019y / May / 2;

struct Recursion {
  double mean = .02, omega = .040, alpha = .02, gamma = .08, beta = .90, nu = 6;  // percent
  double omega_factor = 3.2;  // from the break on
};

using brace::demo::is_holiday;

// The highest and lowest point of a day that goes from 0 to `change`: a bridge over twenty-four
// steps whose size follows the day's own volatility.
std::array<double, 2> excursion(brace::maths::RandomStream& stream, double change,
                                double volatility) {
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

void kelp_fibre() {
  const Recursion r;
  brace::maths::RandomStream stream(/*seed=*/82, /*number=*/0);
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
    // The factor makes up for the part of a path's range that twenty-four steps miss.
    const auto [low, high] = excursion(stream, change - overnight, 1.15 * std::sqrt(h));
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
}

// Typical size of a move in each hour of the session, over that of the average hour.
constexpr std::array<double, 8> kHours{1.55, 1.15, 0.90, 0.70, 0.65, 0.80, 1.00, 1.20};

void ferry_freight() {
  constexpr int kDays = 502;
  constexpr double kOmega = .04, kAlpha = .08, kBeta = .90;  // of the day's variance, percent
  brace::maths::RandomStream stream(/*seed=*/82, /*number=*/1);
  double h = kOmega / (1 - kAlpha - kBeta), index = 1240;
  fmt::print("time,index\n");
  sys_days day = 2022y / March / 1;
  for (int count = 0; count < kDays; day += days(1)) {
    if (is_holiday(day)) continue;
    ++count;
    // An average hour bears an equal share of the day, the night two and a half squared of them.
    const double hour_sd = std::sqrt(h / (8 + 2.5 * 2.5));
    double change_of_day = 2.5 * hour_sd * stream.normal();
    index *= std::exp(change_of_day / 100);
    for (std::size_t hour = 0; hour < kHours.size(); ++hour) {
      const double e = hour_sd * kHours[hour] * stream.normal();
      change_of_day += e;
      index *= std::exp(e / 100);
      const bool unrecorded = (count == 137 && hour == 3) || (count == 402 && hour == 6);
      fmt::print("{},{}\n", brace::format_date(day + hours(9 + hour)),
                 unrecorded ? "" : fmt::format("{:.2f}", index));
    }
    h = kOmega + kAlpha * change_of_day * change_of_day + kBeta * h;
  }
}

void lamp_oil() {
  constexpr int kMonths = 240, kUnrecorded = 151;
  constexpr std::array<double, 12> kSeason{.10,  .07,  .02,  -.03, -.08, -.12,
                                           -.11, -.07, -.01, .04,  .08,  .11};
  brace::maths::RandomStream stream(/*seed=*/82, /*number=*/2);
  double drift = 0, noise = 0;
  fmt::print("month,price\n");
  for (int m = 0; m < kMonths; ++m) {
    const auto month = 2004y / January + months(m);
    drift += .006 + .010 * stream.normal();
    noise = .5 * noise + .025 * stream.normal();
    const double price = 24 * std::exp(drift + kSeason[static_cast<std::size_t>(m % 12)] + noise);
    fmt::print("{},{}\n", brace::format_date(sys_days(month / last)),
               m == kUnrecorded ? "" : fmt::format("{:.2f}", price));
  }
}

}  // namespace

int main(int argc, char** argv) {
  CLI::App app("Demo data of the exchange of Port Merrow, on standard output");
  app.require_subcommand(1);
  app.add_subcommand("kelp-fibre", "futures, daily")->callback(kelp_fibre);
  app.add_subcommand("ferry-freight", "index, hourly")->callback(ferry_freight);
  app.add_subcommand("lamp-oil", "price, monthly")->callback(lamp_oil);
  brace::demo::UniverseSize size;
  CLI::App* universe = app.add_subcommand("universe", "prices of all that is listed, daily");
  universe->add_option("--series", size.series, "how many (default: 30)")
      ->check(CLI::PositiveNumber);
  universe->add_option("--rows", size.rows, "trading days (default: 700)")
      ->check(CLI::Range(300, 20000));
  universe->add_option("--into", size.into, "folder, for a file a series");
  universe->add_flag("--wide", size.wide, "a column a series");
  universe->add_flag("--interleaved", size.interleaved, "one long file in the order of its dates");
  universe->add_flag("--sound", size.sound, "none that cannot be read");
  universe->callback([&] { brace::demo::write_universe(size); });
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? 0 : 2;
  } catch (const std::exception& error) {
    fmt::print(stderr, "{}\n", error.what());
    return 1;
  }
  return 0;
}
