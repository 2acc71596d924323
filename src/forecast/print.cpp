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

namespace brace::inline v0 {
namespace {

// A number to so many decimals. Of values in millions and more (`decimals` is negative then), or
// below a millionth, as many digits by an exponent, so that columns hold them.
std::string figure(double x, int decimals) {
  constexpr int kMillions = -4, kMillionths = 8;
  if ((decimals > kMillions && decimals <= kMillionths) || !std::isfinite(x) || x == 0)
    return text::fixed(x, std::max(0, decimals));
  const int magnitude = static_cast<int>(std::floor(std::log10(std::abs(x))));
  return text::significant(x, std::clamp(magnitude + decimals + 1, 2, 9));
}

std::string spell(const PredictionInterval& i, int digits) {
  return fmt::format("{} to {}", figure(i.low, digits), figure(i.high, digits));
}

// Decimals that show three digits of a volatility; that of paths which explode is no number.
int decimals_for(double volatility) {
  if (!(volatility > 0) || !std::isfinite(volatility)) return 2;
  return 2 - static_cast<int>(std::floor(std::log10(volatility)));
}

// Ends of simulated intervals have a Monte Carlo error of about one percent of their width: one
// decimal less.
int interval_decimals(double volatility) {
  const int decimals = decimals_for(volatility);
  return decimals > 0 ? decimals - 1 : decimals;
}

bool has_returns(const Forecast& f) {
  return is_return(f.kind);
}

// What one value is called.
const char* noun(const Forecast& f) {
  return has_returns(f) ? "return" : "value";
}

// Where a level goes.
std::string level_headline(const Forecast& f) {
  const ForecastStep& last = f.steps.back();
  const int digits = decimals_for(last.sd);
  const std::string range =
      last.return_interval.empty()
          ? ""
          : fmt::format(" ({} at {} %)", spell(last.return_interval.back(), digits),
                        last.return_interval.back().percent);
  const auto at = [&](const ForecastStep& step) {
    return fmt::format("{} in {}", figure(step.mean, digits),
                       text::plural(static_cast<std::size_t>(step.step), f.period, f.period + "s"));
  };
  const std::string first = f.steps.size() > 1 ? at(f.steps.front()) + " and " : "";
  return fmt::format("{} is forecast at {}{}{}.", f.name, first, at(last), range);
}

std::string when(const ForecastStep& s) {
  return s.date ? format_date(*s.date) : fmt::format("+{}", s.step);
}

// Widest last in the forecast, first here; as many side by side as fit beside what stands left.
constexpr std::size_t kRoom = 98, kEnds = 26;
std::vector<std::vector<std::size_t>> groups_of(const Forecast& f, std::size_t left,
                                                std::size_t width) {
  std::vector<std::vector<std::size_t>> groups;
  const std::size_t fit = std::max<std::size_t>(1, (kRoom - left) / width);
  for (std::size_t i = f.intervals.size(); i-- > 0;) {
    if (groups.empty() || groups.back().size() == fit) groups.emplace_back();
    groups.back().push_back(i);
  }
  if (groups.empty()) groups.emplace_back();  // no interval: the table without them
  return groups;
}

void print_levels(std::ostream& out, const Forecast& f) {
  const int digits = decimals_for(f.steps.front().sd);
  bool first = true;
  for (const auto& group : groups_of(f, 45, kEnds)) {
    out << fmt::format("{}  {:<17}{:>14}{:>12}", first ? "" : "\n", f.period, "mean", "sd");
    for (const std::size_t i : group)
      out << fmt::format("{:>{}}", fmt::format("{} % of values", f.intervals[i]), kEnds);
    out << '\n';
    for (const ForecastStep& s : f.steps) {
      out << fmt::format("  {:<17}{:>14}{:>12}", when(s), figure(s.mean, digits),
                         figure(s.sd, digits + 1));
      for (const std::size_t i : group)
        out << fmt::format("{:>{}}", spell(s.return_interval[i], digits), kEnds);
      out << '\n';
    }
    first = false;
  }
}

void print_original(std::ostream& out, const Forecast& f) {
  if (f.original.empty()) return;
  const OriginalStep& next = f.original.front();
  const int digits = decimals_for(next.interval.empty()
                                      ? std::sqrt(next.variance)
                                      : (next.interval.back().high - next.interval.back().low) / 4);
  out << "\n  on the scale of the file:\n";
  for (const auto& group : groups_of(f, 33, kEnds)) {
    out << fmt::format("  {:<17}{:>14}", f.original_name, to_string(f.back));
    for (const std::size_t i : group)
      out << fmt::format("{:>{}}", fmt::format("{} % of values", f.intervals[i]), kEnds);
    out << '\n';
    for (std::size_t k = 0; k < f.steps.size(); ++k) {
      const OriginalStep& s = f.original[k];
      out << fmt::format("  {:<17}{:>14}", when(f.steps[k]),
                         figure(f.back == BackTransform::median ? s.median : s.mean, digits));
      for (const std::size_t i : group)
        out << fmt::format("{:>{}}", spell(s.interval[i], digits), kEnds);
      out << '\n';
    }
  }
}

// The intervals narrower than the widest, which stands beside the volatility.
void print_narrower(std::ostream& out, const Forecast& f, int ends) {
  if (f.intervals.size() < 2) return;
  for (std::size_t i = f.intervals.size() - 1; i-- > 0;) {
    out << fmt::format("\n  {:<27}{:>22}{:>34}\n", f.period,
                       fmt::format("{} % of {}s", f.intervals[i], noun(f)),
                       fmt::format("{} % of volatility", f.intervals[i]));
    for (const ForecastStep& s : f.steps)
      out << fmt::format(
          "  {:<27}{:>22}{:>34}\n", when(s), spell(s.return_interval[i], ends),
          s.volatility_interval.empty() ? "taken as known" : spell(s.volatility_interval[i], ends));
  }
}

// One line a step: the value and the volatility, each with its widest interval where there is one.
void print_steps(std::ostream& out, const Forecast& f, int digits, int ends) {
  const bool ranges = !f.intervals.empty();
  const auto line = [&](const std::string& step, const std::string& mean, const std::string& range,
                        const std::string& volatility, const std::string& its_range) {
    out << fmt::format("  {:<17}{:>10}", step, mean);
    if (ranges) out << fmt::format("{:>22}", range);
    out << fmt::format("{:>14}", volatility);
    if (ranges) out << fmt::format("{:>20}", its_range);
    out << '\n';
  };
  line(f.period, noun(f), ranges ? fmt::format("{} % of {}s", f.intervals.back(), noun(f)) : "",
       "volatility", ranges ? fmt::format("its {} %", f.intervals.back()) : "");
  for (const ForecastStep& s : f.steps)
    line(when(s), figure(s.mean, digits), ranges ? spell(s.return_interval.back(), ends) : "",
         figure(std::sqrt(s.shown_variance()), digits),
         s.volatility_interval.empty() ? "taken as known"
                                       : spell(s.volatility_interval.back(), ends));
}

void print_volatility(std::ostream& out, const Forecast& f) {
  const int digits = decimals_for(std::sqrt(f.steps.front().shown_variance()));
  const int ends = interval_decimals(std::sqrt(f.steps.front().shown_variance()));
  print_steps(out, f, digits, ends);
  print_narrower(out, f, ends);
  out << '\n';
  if (f.horizon_total) {
    const HorizonTotal& total = *f.horizon_total;
    out << fmt::format("  {} {}",
                       f.of_change      ? "change over the horizon"
                       : has_returns(f) ? "total return"
                                        : "total",
                       figure(total.mean, digits));
    if (!f.intervals.empty())
      out << fmt::format(", {} % from {}", f.intervals.back(),
                         spell(total.return_interval.back(), ends));
    out << '\n';
  }
  const std::string lowest = has_returns(f) ? "worst returns" : "lowest values";
  const auto tail = [&](const std::string& of, const std::vector<TailRisk>& tails) {
    std::string line = of + ":";
    for (const TailRisk& t : tails)
      line += fmt::format(
          "{} {:g} % below {} ({})", &t == tails.data() ? "" : ",", t.percent,
          figure(t.value_at_risk, ends + 1),
          t.shortfall ? "their mean " + figure(*t.shortfall, ends + 1) : "their mean is infinite");
    return text::wrap(line, 100, "  ");
  };
  if (!f.steps.front().tails.empty()) {
    out << tail(lowest + " of the first step", f.steps.front().tails);
    if (f.steps.size() > 1 && f.horizon_total)
      out << tail(f.of_change      ? "lowest changes over the horizon"
                  : has_returns(f) ? "worst returns of the whole"
                                   : "lowest totals",
                  f.horizon_total->tails);
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
                     f.period, figure(a.volatility, year_digits));
  if (!a.volatility_interval.empty())
    out << fmt::format(" ({})",
                       spell(a.volatility_interval.back(), interval_decimals(a.volatility)));
  if (a.long_run_volatility)
    out << fmt::format(", in the long run {}", figure(*a.long_run_volatility, year_digits));
  out << '\n';
}

const char* what_is_left_out(ForecastMethod method) {
  switch (method) {
    case ForecastMethod::plug_in:
      return "Intervals (plug-in) cover future shocks only and treat the estimates as known; "
             "`method` full adds their uncertainty.";
    case ForecastMethod::full:
      return "Intervals (full) cover future shocks and the uncertainty of the estimates; they "
             "assume that the model is right.";
    case ForecastMethod::resampled:
      return "Intervals (resampled) cover future shocks, drawn from those of the sample, and the "
             "uncertainty of the estimates; they assume that the equations are right and that no "
             "shock exceeds the largest of the sample.";
    case ForecastMethod::refit:
      return "Intervals (refit) cover future shocks, drawn from those of the sample, and the "
             "uncertainty of the estimates, measured by refitting simulated series; for volatility "
             "by the forecast errors on those series. They assume that the equations are right and "
             "that no shock exceeds the largest of the sample.";
  }
  return "";
}

// How the parameters behind the intervals were had, where that is not the common way.
std::string where_from(const Forecast& f) {
  std::string text;
  if (f.effective_draws)
    text += fmt::format(
        " The normal law of the estimates is rough here: {} from the likelihood itself (worth {:.0f} "
        "independent draws).",
        f.method == ForecastMethod::refit ? "the spread of volatility comes"
                                          : "parameters are drawn",
        *f.effective_draws);
  if (!f.windows.empty())
    text += fmt::format(" Averaged over fits to the last {} rows.", fmt::join(f.windows, ", "));
  return text;
}

std::string volatility_headline(const Forecast& f) {
  const double now = std::sqrt(f.steps.front().shown_variance()),
               then = std::sqrt(f.steps.back().shown_variance());
  const int digits = decimals_for(now);
  const std::string unit = f.unit ? " " + unit_a_period(f.unit, f.period) : "";
  std::string text;
  const double change = then / now - 1;
  if (std::abs(change) < 0.005 || figure(now, digits) == figure(then, digits))
    text = fmt::format("Volatility stays near {}{}", figure(now, digits), unit);
  else
    text = fmt::format("Volatility {} from {} to {}{}", change > 0 ? "rises" : "falls",
                       figure(now, digits), figure(then, digits), unit);
  if (f.long_run_variance)
    text += fmt::format(" (its long run is {})", figure(std::sqrt(*f.long_run_variance), digits));
  if (!f.horizon_total) return text + ".";
  const HorizonTotal& total = *f.horizon_total;
  text += fmt::format("; over {} it is {}", text::plural(f.steps.size(), f.period, f.period + "s"),
                      figure(total.sd, decimals_for(total.sd)));
  if (!total.volatility_interval.empty()) {
    const PredictionInterval& widest = total.volatility_interval.back();
    text +=
        fmt::format(" ({} at {} %)", spell(widest, interval_decimals(total.sd)), widest.percent);
  }
  return text + ".";
}

// Of returns their volatility is the point, of a level where it goes as well.
std::string headline(const Forecast& f) {
  if (!f.volatility_varies) return level_headline(f);
  return (f.of_level ? level_headline(f) + " " : "") + volatility_headline(f);
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Forecast& f) {
  out << text::wrap(headline(f)) << '\n';
  if (f.volatility_varies)
    print_volatility(out, f);
  else
    print_levels(out, f);
  print_original(out, f);
  out << '\n';
  out << text::wrap(what_is_left_out(f.method) + where_from(f), 100, "  ");
  print_warnings(out, f.warnings);
  return out;
}

}  // namespace brace::inline v0
