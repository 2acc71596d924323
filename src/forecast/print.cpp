// SPDX-License-Identifier: Apache-2.0
// The printed forecast: verdict, one line a step, totals. Covered by
// tests/forecast/forecast_test.cpp.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/text.hpp"
#include "brace/forecast/forecast.hpp"

namespace brace {
namespace {

std::string spell(const Interval& i, int digits) {
  return fmt::format("{} to {}", text::fixed(i.low, digits), text::fixed(i.high, digits));
}

// Decimals that show three digits of a volatility.
int decimals_for(double volatility) {
  return std::clamp(2 - static_cast<int>(std::floor(std::log10(volatility))), 0, 8);
}

// Ends of simulated intervals have a Monte Carlo error of about one percent of their width: one
// decimal less.
int interval_decimals(double volatility) {
  return std::max(0, decimals_for(volatility) - 1);
}

// Of a model whose point is the level: where it goes.
std::string level_headline(const Forecast& f) {
  const ForecastStep& last = f.steps.back();
  const int digits = decimals_for(last.sd);
  const Interval& widest = last.return_interval.back();
  return fmt::format("{} is forecast at {} in {} and {} in {} ({} at {} %).", f.name,
                     text::fixed(f.steps.front().mean, digits),
                     text::plural(1, f.period, f.period + "s"), text::fixed(last.mean, digits),
                     text::plural(f.steps.size(), f.period, f.period + "s"), spell(widest, digits),
                     widest.percent);
}

std::string when(const ForecastStep& s) {
  return s.date ? format_date(*s.date) : fmt::format("+{}", s.step);
}

void print_levels(std::ostream& out, const Forecast& f, std::size_t widest) {
  const int digits = decimals_for(f.steps.front().sd);
  out << fmt::format("  {:<17}{:>14}{:>12}{:>26}\n", f.period, "mean", "sd",
                     fmt::format("{} % of values", f.intervals[widest]));
  for (const ForecastStep& s : f.steps)
    out << fmt::format("  {:<17}{:>14}{:>12}{:>26}\n", when(s), text::fixed(s.mean, digits),
                       text::fixed(s.sd, digits + 1), spell(s.return_interval[widest], digits));
}

void print_original(std::ostream& out, const Forecast& f, std::size_t widest) {
  if (f.original.empty()) return;
  const Interval& first = f.original.front().interval[widest];
  const int digits = decimals_for((first.high - first.low) / 4);
  out << fmt::format("\n  on the scale of the file:\n  {:<17}{:>14}{:>26}\n", f.original_name,
                     to_string(f.back), fmt::format("{} % of values", f.intervals[widest]));
  for (std::size_t k = 0; k < f.steps.size(); ++k) {
    const OriginalStep& s = f.original[k];
    out << fmt::format("  {:<17}{:>14}{:>26}\n", when(f.steps[k]),
                       text::fixed(f.back == BackTransform::median ? s.median : s.mean, digits),
                       spell(s.interval[widest], digits));
  }
}

void print_volatility(std::ostream& out, const Forecast& f, std::size_t widest) {
  const int digits = decimals_for(std::sqrt(f.steps.front().shown_variance()));
  const int ends = interval_decimals(std::sqrt(f.steps.front().shown_variance()));
  const int percent = f.intervals[widest];
  out << fmt::format("  {:<17}{:>10}{:>22}{:>14}{:>20}\n", f.period, "return",
                     fmt::format("{} % of returns", percent), "volatility",
                     fmt::format("its {} %", percent));
  for (const ForecastStep& s : f.steps)
    out << fmt::format("  {:<17}{:>10}{:>22}{:>14}{:>20}\n", when(s), text::fixed(s.mean, digits),
                       spell(s.return_interval[widest], ends),
                       text::fixed(std::sqrt(s.shown_variance()), digits),
                       s.volatility_interval.empty() ? "taken as known"
                                                     : spell(s.volatility_interval[widest], ends));
  out << '\n'
      << fmt::format("  total return {}, {} % from {}\n", text::fixed(f.horizon_total.mean, digits),
                     percent, spell(f.horizon_total.return_interval[widest], ends));
  const auto tail = [&](const char* of, const std::vector<TailRisk>& tails) {
    std::string line = fmt::format("worst returns of {}:", of);
    for (const TailRisk& t : tails)
      line += fmt::format("{} {:g} % below {} (their mean {})", &t == tails.data() ? "" : ",",
                          t.percent, text::fixed(t.value_at_risk, ends + 1),
                          text::fixed(t.shortfall, ends + 1));
    return text::wrap(line, 100, "  ");
  };
  if (!f.horizon_total.tails.empty()) {
    out << tail("the first step", f.steps.front().tails);
    if (f.steps.size() > 1) out << tail("the whole", f.horizon_total.tails);
  }
  if (f.half_way && f.steps.front().gap_left)
    out << fmt::format(
        "  half of the way to the long run is gone after {} {}s; {:.0f} % of it is left at "
        "the end\n",
        text::significant(*f.half_way, 2), f.period, 100 * f.steps.back().gap_left.value_or(0));
  if (!f.annualised) return;
  const Annualised& a = *f.annualised;
  const int year_digits = decimals_for(a.volatility);
  out << fmt::format("  a year of {} {}s: volatility {}", fmt::format("{:.6g}", a.periods_per_year),
                     f.period, text::fixed(a.volatility, year_digits));
  if (!a.volatility_interval.empty())
    out << fmt::format(" ({})",
                       spell(a.volatility_interval[widest], interval_decimals(a.volatility)));
  if (a.long_run_volatility)
    out << fmt::format(", in the long run {}", text::fixed(*a.long_run_volatility, year_digits));
  out << '\n';
}

const char* what_is_left_out(ForecastMethod method) {
  switch (method) {
    case ForecastMethod::plug_in:
      return "Intervals (plug-in) hold the shocks to come only and take the estimates as known; "
             "--method full adds their uncertainty.";
    case ForecastMethod::full:
      return "Intervals (full) hold the shocks to come and the uncertainty of the estimates; they "
             "take the model itself as right.";
    case ForecastMethod::resampled:
      return "Intervals (resampled) hold the shocks to come, as the sample saw them, and the "
             "uncertainty of the estimates; they take the equations as right, and no shock beyond "
             "the largest seen.";
    case ForecastMethod::refit:
      return "Intervals (refit) hold the shocks to come, as the sample saw them, and the "
             "estimates' own law by fitting made series again, for volatility by how far its "
             "forecasts were off on those; they take the equations as right, and no shock beyond "
             "the largest seen.";
  }
  return "";
}

// How the parameters behind the intervals were had, where that is not the common way.
std::string where_from(const Forecast& f) {
  std::string text;
  if (f.effective_draws)
    text += fmt::format(
        " The sample is short: {} from the likelihood itself, not from the normal law of the "
        "estimates (worth {:.0f} independent draws).",
        f.method == ForecastMethod::refit ? "how widely volatility is spread comes"
                                          : "parameters are drawn",
        *f.effective_draws);
  if (!f.windows.empty())
    text += fmt::format(" Averaged over fits to the last {} rows.", fmt::join(f.windows, ", "));
  return text;
}

std::string headline(const Forecast& f) {
  const double now = std::sqrt(f.steps.front().shown_variance()),
               then = std::sqrt(f.steps.back().shown_variance());
  const int digits = decimals_for(now);
  const std::string unit = f.unit.empty() ? "" : fmt::format(" {} a {}", f.unit, f.period);
  std::string text;
  const double change = then / now - 1;
  if (std::abs(change) < 0.005)
    text = fmt::format("Volatility stays near {}{}", text::fixed(now, digits), unit);
  else
    text = fmt::format("Volatility {} from {} to {}{}", change > 0 ? "rises" : "falls",
                       text::fixed(now, digits), text::fixed(then, digits), unit);
  if (f.long_run_variance)
    text +=
        fmt::format(" (its long run is {})", text::fixed(std::sqrt(*f.long_run_variance), digits));
  text += fmt::format("; over {} it is {}", text::plural(f.steps.size(), f.period, f.period + "s"),
                      text::fixed(f.horizon_total.sd, decimals_for(f.horizon_total.sd)));
  if (!f.horizon_total.volatility_interval.empty()) {
    const Interval& widest = f.horizon_total.volatility_interval.back();
    text += fmt::format(" ({} at {} %)", spell(widest, interval_decimals(f.horizon_total.sd)),
                        widest.percent);
  }
  return text + ".";
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Forecast& f) {
  out << text::wrap(f.volatility_varies ? headline(f) : level_headline(f)) << '\n';
  // The widest interval in the table; the others are in JSON, CSV and the chart.
  const std::size_t widest = f.intervals.size() - 1;
  if (f.volatility_varies)
    print_volatility(out, f, widest);
  else
    print_levels(out, f, widest);
  print_original(out, f, widest);
  out << '\n';
  out << text::wrap(what_is_left_out(f.method) + where_from(f), 100, "  ");
  for (const Warning& warning : f.warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
