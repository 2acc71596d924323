// SPDX-License-Identifier: Apache-2.0
// Chains of transforms. Covered by tests/series/chain_test.cpp.
#include "brace/series/chain.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/series/split.hpp"

namespace brace::inline v0 {
namespace {

template <class... F>
struct Overloaded : F... {
  using F::operator()...;
};
template <class... F>
Overloaded(F...) -> Overloaded<F...>;  // older compilers do not deduce it for aggregates

double scale_of(Unit unit) {
  return unit == Unit::percent ? 100 : 1;
}

// ---- Words ----

std::optional<double> number_in(std::string_view text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  return error == std::errc() && end == text.data() + text.size() && std::isfinite(value)
             ? std::optional(value)
             : std::nullopt;
}

[[noreturn]] void refuse(std::string_view word, const std::string& why) {
  throw Error(ErrorCode::bad_option, fmt::format("transform '{}': {}", word, why));
}

transforms::Window window_from(std::string_view word, std::string_view range, bool dates) {
  const auto dots = range.find("..");
  if (dots == std::string_view::npos)
    refuse(word, "write the two ends as A..B; an end may be left out");
  transforms::Window window;
  const auto read = [&](std::string_view end, auto& date, auto& row, auto& share) {
    if (end.empty()) return;
    if (dates) {
      date = parse_date(end);
      if (!date) refuse(word, "write dates as 2019-05-02");
    } else if (end.ends_with('%')) {
      const auto percent = number_in(end.substr(0, end.size() - 1));
      if (!percent || *percent < 0 || *percent > 100)
        refuse(word, "a share lies between 0% and 100%");
      share = *percent / 100;
    } else {
      const auto count = number_in(end);
      if (!count || *count < 1 || *count != std::floor(*count) || *count > 1e15)
        refuse(word, "rows are whole numbers from 1");
      row = static_cast<std::size_t>(*count) - 1;  // in words the first is 1
    }
  };
  read(range.substr(0, dots), window.first_date, window.first_row, window.first_share);
  read(range.substr(dots + 2), window.last_date, window.last_row, window.last_share);
  return window;
}

Transform link_from(std::string_view word, Unit unit) {
  if (word == "log") return transforms::Log{};
  if (word == "boxcox") return transforms::PowerTransform{};
  if (word == "log-return") return transforms::LogReturn{unit};
  if (word == "simple-return") return transforms::SimpleReturn{unit};
  if (word == "centre") return transforms::Centre{};
  if (word == "hours") return transforms::DivideByProfile{ProfileBy::time_of_day};
  if (word == "weekdays") return transforms::DivideByProfile{ProfileBy::weekday};
  if (word.starts_with("boxcox=")) {
    const auto power = number_in(word.substr(7));
    if (!power || std::abs(*power) > 10)
      refuse(word, "the power is a number between -10 and 10, such as boxcox=0.5");
    return transforms::PowerTransform{power};
  }
  if (word.starts_with("diff")) {
    const auto lag = number_in(word.substr(4));
    if (!lag || *lag < 1 || *lag != std::floor(*lag) || *lag > 1e6)
      refuse(word, "write the lag, such as diff1 or diff12");
    return transforms::Difference{static_cast<int>(*lag)};
  }
  if (word.starts_with("rows=")) return window_from(word, word.substr(5), false);
  if (word.starts_with("dates=")) return window_from(word, word.substr(6), true);
  const auto near = text::nearest(word, {"log", "boxcox", "log-return", "simple-return", "diff1",
                                         "centre", "rows", "dates", "hours", "weekdays"});
  refuse(word,
         fmt::format("is not known{}; there are log, boxcox, boxcox=P, log-return, simple-return, "
                     "diffN, centre, rows=A..B, dates=A..B, hours, weekdays",
                     near ? fmt::format(" (did you mean '{}'?)", *near) : ""));
}

// ---- Forward ----

// What is being transformed: its rows, and how many of them may be learnt from.
struct Work {
  Series series;
  std::size_t training;
};

std::size_t lag_of(const Transform& link) {
  const auto* difference = std::get_if<transforms::Difference>(&link);
  return difference ? static_cast<std::size_t>(difference->lag) : 1;
}

// y_t = change(x_{t-lag}, x_t); keeps what the way back needs.
template <class F>
void take_changes(Work& work, AppliedTransform& applied, F change) {
  const std::size_t lag = lag_of(applied.link), n = work.series.size();
  if (n <= lag)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("transform '{}': {} has {}; a difference at lag {} needs more",
                            to_string(applied.link), work.series.name,
                            text::plural(n, "row", "rows"), lag));
  const std::vector<double>& x = work.series.values;
  std::vector<double> y(n - lag);
  for (std::size_t t = 0; t < n; ++t) {
    if (!std::isnan(x[t]) && (t < lag || std::isnan(x[t - lag])))
      applied.anchors.push_back({t, x[t]});
    if (t >= lag) y[t - lag] = change(x[t - lag], x[t]);
  }
  applied.last.assign(x.end() - static_cast<std::ptrdiff_t>(lag), x.end());
  work.series.keep_rows(lag, n);
  work.series.values = std::move(y);
  work.training = work.training > lag ? work.training - lag : 0;
}

double change_between(const Transform& link, double from, double to) {
  return std::visit(
      Overloaded{
          [&](const transforms::LogReturn& r) { return scale_of(r.unit) * std::log(to / from); },
          [&](const transforms::SimpleReturn& r) { return scale_of(r.unit) * (to / from - 1); },
          [&](const auto&) { return to - from; }},
      link);
}

Series training_part(const Work& work, const Transform& link) {
  if (work.training == 0)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("transform '{}': the training part of {} is used up by the transforms "
                            "before; give it more rows",
                            to_string(link), work.series.name));
  return rows_between(work.series, 0, std::min(work.training, work.series.size()));
}

void cut(Work& work, AppliedTransform& applied, const transforms::Window& window) {
  Series& s = work.series;
  const std::size_t n = s.size();
  std::size_t begin = 0, end = n;
  if ((window.first_date || window.last_date) && s.times.empty())
    refuse(to_string(applied.link), fmt::format("{} has no dates", s.name));
  if (window.first_date)
    begin = static_cast<std::size_t>(
        std::lower_bound(s.times.begin(), s.times.end(), *window.first_date) - s.times.begin());
  if (window.last_date)
    end = static_cast<std::size_t>(
        std::upper_bound(s.times.begin(), s.times.end(), *window.last_date) - s.times.begin());
  if (window.first_row) begin = *window.first_row;
  if (window.last_row) end = std::min(n, *window.last_row + 1);
  if (window.first_share)
    begin = static_cast<std::size_t>(*window.first_share * static_cast<double>(n));
  if (window.last_share)
    end = static_cast<std::size_t>(*window.last_share * static_cast<double>(n));
  if (begin >= end)
    refuse(to_string(applied.link), fmt::format("no row of {} lies in it; it has {}", s.name,
                                                text::plural(n, "row", "rows")));
  const auto at = [&](std::size_t i) { return s.values.begin() + static_cast<std::ptrdiff_t>(i); };
  applied.head.assign(at(0), at(begin));
  applied.tail.assign(at(end), at(n));
  s = rows_between(s, begin, end);
  work.training = std::min(work.training, end);
  work.training = work.training > begin ? work.training - begin : 0;
}

template <class F>
void each(Series& series, F f) {
  for (double& v : series.values) v = f(v);
}

AppliedTransform apply(const Transform& link, Work& work) {
  AppliedTransform applied;
  applied.link = link;
  Series& s = work.series;
  const auto change_of_link = [&](double from, double to) {
    return change_between(link, from, to);
  };
  std::visit(
      Overloaded{
          [&](const transforms::Log&) { s = log_level(s); },
          [&](const transforms::PowerTransform& given) {
            require_positive(s, "power or logarithm");
            if (!given.power) {
              applied.estimated = estimate_power(training_part(work, link), given.period);
              applied.link = transforms::PowerTransform{applied.estimated->power, given.period};
            }
            const double power = *std::get<transforms::PowerTransform>(applied.link).power;
            each(s, [&](double v) { return power_transform(v, power); });
            s.name = fmt::format("Box-Cox {} of {}", text::fixed(power, 2), s.name);
            s.unit.reset();
            s.kind = SeriesKind::values;
          },
          [&](const transforms::LogReturn& r) {
            Series named = log_returns(s, r.unit);
            take_changes(work, applied, change_of_link);
            named.values = std::move(s.values);
            s = std::move(named);
          },
          [&](const transforms::SimpleReturn& r) {
            Series named = simple_returns(s, r.unit);
            take_changes(work, applied, change_of_link);
            named.values = std::move(s.values);
            s = std::move(named);
          },
          [&](const transforms::Difference& d) {
            take_changes(work, applied, change_of_link);
            s.name = d.lag == 1 ? "change of " + s.name
                                : fmt::format("change over {} of {}", d.lag, s.name);
            s.kind = SeriesKind::values;
          },
          [&](const transforms::Centre&) {
            const std::vector<double> kept = training_part(work, link).present_values();
            if (kept.empty())
              throw Error(
                  ErrorCode::too_few_observations,
                  fmt::format("transform 'centre': {} has no values to take a mean of", s.name));
            applied.mean =
                std::accumulate(kept.begin(), kept.end(), 0.0) / static_cast<double>(kept.size());
            each(s, [&](double v) { return v - applied.mean; });
            s.name = "centred " + s.name;
          },
          [&](const transforms::Window& window) { cut(work, applied, window); },
          [&](const transforms::DivideByProfile& d) {
            applied.profile = volatility_profile(training_part(work, link), d.by);
            s = divided_by(s, applied.profile);
            s.name = fmt::format("{} over its {} profile", s.name,
                                 d.by == ProfileBy::weekday ? "weekday" : "time-of-day");
          }},
      link);
  return applied;
}

// ---- Back ----

// The way from change to level: x_t from x_{t-lag} and y_t. The rounding of every step stays in all
// the later ones: a whole series goes in long double, the few steps of a path ahead do not.
template <class Real>
Real level_after(const Transform& link, Real before, double change) {
  return std::visit(
      Overloaded{[&](const transforms::LogReturn& r) {
                   return before * std::exp(change / static_cast<Real>(scale_of(r.unit)));
                 },
                 [&](const transforms::SimpleReturn& r) {
                   return before * (1 + change / static_cast<Real>(scale_of(r.unit)));
                 },
                 [&](const auto&) { return before + change; }},
      link);
}

std::vector<double> undo_changes(const AppliedTransform& applied, std::vector<double> y) {
  const std::size_t lag = lag_of(applied.link), n = y.size() + lag;
  std::vector<long double> x(n, kNaN);
  auto anchor = applied.anchors.begin();
  for (std::size_t t = 0; t < n; ++t) {
    if (anchor != applied.anchors.end() && anchor->row == t)
      x[t] = (anchor++)->value;
    else if (t >= lag)
      x[t] = level_after(applied.link, x[t - lag], y[t - lag]);
  }
  return {x.begin(), x.end()};
}

// One number on its way back; the links that need no neighbours.
double undo_one(const AppliedTransform& applied, double v, const Timestamp* when) {
  return std::visit(
      Overloaded{
          [&](const transforms::Log&) { return std::exp(v); },
          [&](const transforms::PowerTransform& given) {
            // What a model says beyond the range of the transform comes back as the end of the range:
            // 0, or no end under a negative power.
            const double power = *given.power;
            if (1 + power * v <= 0)
              return power > 0 ? 0 : std::numeric_limits<double>::infinity();
            return power_inverse(v, power);
          },
          [&](const transforms::Centre&) { return v + applied.mean; },
          [&](const transforms::DivideByProfile&) {
            const std::size_t slot =
                when ? slot_of(applied.profile, *when) : applied.profile.slots.size();
            return slot < applied.profile.slots.size() ? v * applied.profile.slots[slot].factor : v;
          },
          [&](const auto&) { return v; }},
      applied.link);
}

bool is_change(const Transform& link) {
  return std::holds_alternative<transforms::Difference>(link) ||
         std::holds_alternative<transforms::LogReturn>(link) ||
         std::holds_alternative<transforms::SimpleReturn>(link);
}

}  // namespace

std::vector<Transform> parse_chain(std::string_view text, Unit unit) {
  std::vector<Transform> chain;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find_first_of(" ,", at), text.size());
    if (end > at) chain.push_back(link_from(text.substr(at, end - at), unit));
    at = end + 1;
  }
  return chain;
}

std::string to_string(const Transform& link) {
  return std::visit(
      Overloaded{[](const transforms::Log&) { return std::string("log"); },
                 [](const transforms::PowerTransform& p) {
                   return p.power ? fmt::format("boxcox={}", *p.power) : "boxcox";
                 },
                 [](const transforms::LogReturn&) { return std::string("log-return"); },
                 [](const transforms::SimpleReturn&) { return std::string("simple-return"); },
                 [](const transforms::Difference& d) { return fmt::format("diff{}", d.lag); },
                 [](const transforms::Centre&) { return std::string("centre"); },
                 [](const transforms::DivideByProfile& d) {
                   return std::string(d.by == ProfileBy::weekday ? "weekdays" : "hours");
                 },
                 [](const transforms::Window& w) {
                   const auto end = [](auto date, auto row, auto share) -> std::string {
                     if (date) return format_date(*date);
                     if (row) return std::to_string(*row + 1);
                     return share ? fmt::format("{}%", 100 * *share) : "";
                   };
                   return fmt::format("{}={}..{}", w.first_date || w.last_date ? "dates" : "rows",
                                      end(w.first_date, w.first_row, w.first_share),
                                      end(w.last_date, w.last_row, w.last_share));
                 }},
      link);
}

Transformed transform(const Series& series, const std::vector<Transform>& chain,
                      std::optional<std::size_t> training_rows) {
  Work work{series, training_rows.value_or(series.size())};
  Transformed out;
  out.original = series;
  out.original.values.clear();
  for (const Transform& link : chain) out.links.push_back(apply(link, work));
  out.series = std::move(work.series);
  return out;
}

Series Transformed::inverse(std::span<const double> values) const {
  if (values.size() != series.size())
    throw Error(ErrorCode::bad_option,
                fmt::format("inverse: {} values for {} rows; give one a row, missing ones as NaN",
                            values.size(), series.size()));
  std::vector<double> v(values.begin(), values.end());
  // Rows that later links cut off the front, so that dates are met again on the way back.
  std::size_t offset = original.times.size() - series.times.size();
  for (const AppliedTransform& applied : links)
    offset -= original.times.empty() ? 0 : applied.tail.size();
  // Clang 14 cannot read the ranges of GCC 12.
  // NOLINTNEXTLINE(modernize-loop-convert)
  for (auto link = links.rbegin(); link != links.rend(); ++link) {
    const AppliedTransform& applied = *link;
    if (is_change(applied.link)) {
      v = undo_changes(applied, std::move(v));
      if (!original.times.empty()) offset -= lag_of(applied.link);
    } else if (std::holds_alternative<transforms::Window>(applied.link)) {
      v.insert(v.begin(), applied.head.begin(), applied.head.end());
      v.insert(v.end(), applied.tail.begin(), applied.tail.end());
      if (!original.times.empty()) offset -= applied.head.size();
    } else {
      for (std::size_t i = 0; i < v.size(); ++i)
        v[i] =
            undo_one(applied, v[i], original.times.empty() ? nullptr : &original.times[offset + i]);
    }
  }
  Series out = original;
  out.values = std::move(v);
  return out;
}

bool Transformed::goes_on() const {
  return std::none_of(links.begin(), links.end(), [](const AppliedTransform& link) {
    return std::any_of(link.last.begin(), link.last.end(), [](double x) { return std::isnan(x); });
  });
}

std::vector<double> Transformed::inverse_ahead(std::span<const double> ahead,
                                               std::span<const Timestamp> dates) const {
  std::vector<double> v(ahead.begin(), ahead.end());
  // Clang 14 cannot read the ranges of GCC 12.
  // NOLINTNEXTLINE(modernize-loop-convert)
  for (auto link = links.rbegin(); link != links.rend(); ++link) {
    const AppliedTransform& applied = *link;
    if (std::holds_alternative<transforms::DivideByProfile>(applied.link) &&
        dates.size() != v.size())
      throw Error(ErrorCode::bad_option,
                  "inverse_ahead: a profile needs the dates ahead, one a value");
    if (!is_change(applied.link)) {
      for (std::size_t i = 0; i < v.size(); ++i)
        v[i] = undo_one(applied, v[i], dates.empty() ? nullptr : &dates[i]);
      continue;
    }
    std::vector<double> x(applied.last.begin(), applied.last.end());
    const std::size_t lag = x.size();
    for (std::size_t i = 0; i < v.size(); ++i) {
      if (i < lag && std::isnan(x[i]))
        throw Error(
            ErrorCode::too_few_observations,
            fmt::format("'{}' would go on from a missing value; end the series at a value that is "
                        "present",
                        to_string(applied.link)));
      // A path that explodes leaves the range of numbers and stays outside: infinity times zero is
      // no number.
      const double next = level_after(applied.link, x[i], v[i]);
      x.push_back(std::isnan(next) ? x[i] : next);
    }
    v.assign(x.begin() + static_cast<std::ptrdiff_t>(lag), x.end());
  }
  return v;
}

std::optional<Transformed> way_back(const Series& series) {
  if (!series.provenance || series.provenance->overnight != "keep") return std::nullopt;
  const Provenance& made = *series.provenance;
  const std::vector<Transform> chain = parse_chain(made.chain, series.unit.value_or(Unit::percent));
  std::size_t reach = 0;
  for (const Transform& link : chain) {
    if (std::holds_alternative<transforms::Centre>(link) ||
        std::holds_alternative<transforms::DivideByProfile>(link) ||
        std::holds_alternative<transforms::Window>(link))
      return std::nullopt;
    if (is_change(link)) reach += lag_of(link);
  }
  if (chain.empty() || made.values.size() < reach) return std::nullopt;
  Transformed out;
  out.original.name = made.column;
  // Each link takes as many of the last values as it reaches back, of what the links before it made
  // of the file's.
  std::vector<double> values = made.values;
  for (const Transform& link : chain) {
    AppliedTransform applied;
    applied.link = link;
    if (is_change(link)) {
      const std::size_t lag = lag_of(link);
      applied.last.assign(values.end() - static_cast<std::ptrdiff_t>(lag), values.end());
      std::vector<double> changed;
      for (std::size_t t = lag; t < values.size(); ++t)
        changed.push_back(change_between(link, values[t - lag], values[t]));
      values = std::move(changed);
    } else if (std::holds_alternative<transforms::Log>(link)) {
      for (double& v : values) v = std::log(v);
    } else {
      for (double& v : values)
        v = power_transform(v, *std::get<transforms::PowerTransform>(link).power);
    }
    out.links.push_back(std::move(applied));
  }
  return out;
}

}  // namespace brace::inline v0
