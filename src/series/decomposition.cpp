// SPDX-License-Identifier: Apache-2.0
// Classical and LOESS decomposition. Covered by tests/series/decomposition_test.cpp.
#include "brace/series/decomposition.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <ostream>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/series/power.hpp"
#include "brace/series/split.hpp"
#include "brace/series/transform.hpp"

namespace brace::inline v0 {
namespace {

using Values = std::vector<double>;

int next_odd(double x) {
  const int up = static_cast<int>(std::ceil(x));
  return up % 2 == 1 ? up : up + 1;
}

double variance(const Values& x) {
  double sum = 0, squares = 0, n = 0;
  for (const double v : x)
    if (!std::isnan(v)) {
      sum += v;
      squares += v * v;
      ++n;
    }
  return n > 1 ? (squares - sum * sum / n) / (n - 1) : 0;
}

// Averages over `span` neighbours; the result is span - 1 shorter.
Values moving_average(const Values& x, std::size_t span) {
  Values out;
  double sum = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    sum += x[i];
    if (i >= span) sum -= x[i - span];
    if (i + 1 >= span) out.push_back(sum / static_cast<double>(span));
  }
  return out;
}

struct Parts {
  Values trend, season;
};

// Trend by a centred average over one period, its two ends at half weight where the period is even.
// Missing values are left out and the other weights scaled up. NaN where the window sticks out.
Values centred_average(const Values& y, int period) {
  const int half = period / 2;
  const bool even = period % 2 == 0;
  Values out(y.size(), kNaN);
  for (int t = half; t + half < static_cast<int>(y.size()); ++t) {
    double sum = 0, weights = 0;
    for (int k = -half; k <= half; ++k) {
      const double v = y[static_cast<std::size_t>(t + k)];
      const double w = even && std::abs(k) == half ? 0.5 : 1;
      if (std::isnan(v)) continue;
      sum += w * v;
      weights += w;
    }
    if (2 * weights >= period) out[static_cast<std::size_t>(t)] = sum / weights;
  }
  return out;
}

// Means of `x` at each place in the period, less the mean of those means.
Values seasonal_means(const Values& x, int period) {
  Values means(static_cast<std::size_t>(period)), counts(means.size());
  for (std::size_t t = 0; t < x.size(); ++t)
    if (!std::isnan(x[t])) {
      means[t % means.size()] += x[t];
      ++counts[t % means.size()];
    }
  double overall = 0;
  for (std::size_t p = 0; p < means.size(); ++p) {
    means[p] = counts[p] > 0 ? means[p] / counts[p] : 0;
    overall += means[p] / period;
  }
  for (double& m : means) m -= overall;
  return means;
}

Parts by_averages(const Values& y, int period) {
  Parts parts;
  parts.trend = centred_average(y, period);
  Values left(y.size());
  for (std::size_t t = 0; t < y.size(); ++t) left[t] = y[t] - parts.trend[t];
  const Values means = seasonal_means(left, period);
  for (std::size_t t = 0; t < y.size(); ++t) parts.season.push_back(means[t % means.size()]);
  return parts;
}

// Season by place in the period (step 2 of the inner loop), one period longer at either end.
Values smoothed_subseries(const Values& detrended, const Values& weights, int period, int span) {
  const auto p = static_cast<std::size_t>(period), n = detrended.size();
  Values out(n + 2 * p, 0);
  for (std::size_t place = 0; place < p; ++place) {
    Values sub, w;
    for (std::size_t t = place; t < n; t += p) {
      sub.push_back(detrended[t]);
      w.push_back(weights[t]);
    }
    Values smooth;
    if (span == 0) {
      double sum = 0, total = 0;
      for (std::size_t i = 0; i < sub.size(); ++i)
        if (!std::isnan(sub[i])) {
          sum += w[i] * sub[i];
          total += w[i];
        }
      smooth.assign(sub.size() + 2, total > 0 ? sum / total : 0);
    } else {
      smooth = loess(sub, span, w, 1);
    }
    for (std::size_t i = 0; i < smooth.size(); ++i)
      if (place + i * p < out.size()) out[place + i * p] = smooth[i];
  }
  return out;
}

// Bisquare weights from the remainders (the outer loop).
Values robustness(const Values& remainder) {
  Values sizes;
  for (const double r : remainder)
    if (!std::isnan(r)) sizes.push_back(std::abs(r));
  const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
  std::nth_element(sizes.begin(), middle, sizes.end());
  const double reach = 6 * *middle;
  Values weights(remainder.size(), 1);
  for (std::size_t t = 0; t < remainder.size(); ++t) {
    if (std::isnan(remainder[t]) || !(reach > 0)) continue;
    const double u = std::abs(remainder[t]) / reach;
    weights[t] = u >= 1 ? 0 : (1 - u * u) * (1 - u * u);
  }
  return weights;
}

// Cleveland, Cleveland, McRae and Terpenning (1990), with their spans of trend and low-pass filter.
Parts by_loess(const Values& y, int period, const DecompositionOptions& options) {
  const std::size_t n = y.size();
  const auto p = static_cast<std::size_t>(period);
  // A season that does not change stands for a very long span.
  const double season_span = options.season_span > 0 ? options.season_span : 1e6;
  const int trend_span = next_odd(1.5 * period / (1 - 1.5 / season_span)),
            low_span = next_odd(period);
  const int outer = options.robust ? 15 : 1, inner = options.robust ? 1 : 2;
  Parts parts{Values(n, 0), Values(n, 0)};
  Values weights(n, 1);
  for (int o = 0; o < outer; ++o) {
    for (int i = 0; i < inner + (o == 0 ? 1 : 0); ++i) {
      Values detrended(n);
      for (std::size_t t = 0; t < n; ++t) detrended[t] = y[t] - parts.trend[t];
      const Values cycle = smoothed_subseries(detrended, weights, period, options.season_span);
      const Values low =
          loess(moving_average(moving_average(moving_average(cycle, p), p), 3), low_span);
      Values without(n);
      for (std::size_t t = 0; t < n; ++t) {
        parts.season[t] = cycle[t + p] - low[t];
        without[t] = y[t] - parts.season[t];
      }
      parts.trend = loess(without, trend_span, weights);
    }
    if (o + 1 == outer) break;
    Values remainder(n);
    for (std::size_t t = 0; t < n; ++t) remainder[t] = y[t] - parts.trend[t] - parts.season[t];
    weights = robustness(remainder);
  }
  return parts;
}

// Whether a place in the period is a day of the week.
bool by_weekday(const Series& series, int period) {
  return !series.times.empty() && ((series.clock == Clock::business_day && period == 5) ||
                                   (series.clock == Clock::day && period == 7));
}

// Business days with missing rows for weekdays that the file has not, holidays included, so that
// every fifth row is the same weekday. As it is where a row lies on a weekend.
Series on_every_weekday(const Series& series) {
  const auto on_weekend = [](Timestamp when) {
    return std::chrono::weekday(std::chrono::floor<std::chrono::days>(when)).iso_encoding() > 5;
  };
  if (std::ranges::any_of(series.times, on_weekend)) return series;
  const std::vector<AbsentDates::Place> absent =
      absent_dates(Calendar{.clock = Clock::business_day}, series.times).places;
  // No trend leads over a gap of weeks: of that the last rows alone, which keep step.
  std::vector<AbsentDates::Place> added;
  for (std::size_t begin = 0; begin < absent.size();) {
    std::size_t end = begin;
    while (end < absent.size() && absent[end].before == absent[begin].before) ++end;
    const bool gap = absent[end - 1].when - absent[begin].when > kLongestClosing;
    const std::size_t kept = gap ? (end - begin) % 5 : end - begin;
    added.insert(added.end(), absent.begin() + static_cast<std::ptrdiff_t>(end - kept),
                 absent.begin() + static_cast<std::ptrdiff_t>(end));
    begin = end;
  }
  Series out = series;
  std::vector<std::vector<double>*> columns{&out.values};
  for (Companion& companion : out.companions) columns.push_back(&companion.values);
  add_missing_rows(added, out.times, columns);
  return out;
}

std::vector<std::string> places_of(const Series& series, int period) {
  std::vector<std::string> names;
  for (int p = 0; p < period; ++p) {
    if (by_weekday(series, period)) {
      const unsigned first =
          std::chrono::weekday(std::chrono::floor<std::chrono::days>(series.times[0]))
              .iso_encoding();
      names.emplace_back(weekday_name(
          ((first - 1 + static_cast<unsigned>(p)) % static_cast<unsigned>(period) + 1) % 7));
      continue;
    }
    const bool named = !series.times.empty() && ((series.clock == Clock::month && period == 12) ||
                                                 (series.clock == Clock::quarter && period == 4));
    if (!named) {
      names.push_back(std::to_string(p + 1));
      continue;
    }
    const std::chrono::year_month_day first(std::chrono::floor<std::chrono::days>(series.times[0]));
    const unsigned month = static_cast<unsigned>(first.month()) - 1;
    const auto at = static_cast<unsigned>(p);
    names.push_back(period == 12 ? std::string(month_name((month + at) % 12 + 1))
                                 : fmt::format("quarter {}", (month / 3 + at) % 4 + 1));
  }
  return names;
}

void choose_form(const Series& series, Decomposition& out) {
  if (!all_positive(series)) {
    out.form = DecompositionForm::additive;
    out.form_because = "some values are not positive";
    return;
  }
  const PowerEstimate power = estimate_power(series);
  out.form = power.power < 0.5 ? DecompositionForm::multiplicative : DecompositionForm::additive;
  const bool by_level = power.power < 0.5;
  const std::string nearer = by_level ? "nearer to 0 than to 1" : "nearer to 1 than to 0";
  const char* so = power.low <= 0 && power.high >= 1 ? ", though both are within its interval"
                   : by_level                        ? ": the spread grows with the level"
                                                     : ": the spread is even";
  out.form_because = fmt::format("Box-Cox power {} ({} to {}), {}{}", text::fixed(power.power, 2),
                                 text::fixed(power.low, 2), text::fixed(power.high, 2), nearer, so);
}

}  // namespace

std::vector<double> loess(const std::vector<double>& y, int span,
                          const std::vector<double>& weights, int beyond) {
  const int n = static_cast<int>(y.size());
  std::vector<double> out;
  out.reserve(y.size() + 2 * static_cast<std::size_t>(std::max(beyond, 0)));
  // Tricube weights by distance; they change where the window meets an end.
  std::vector<double> tricube;
  double of_reach = -1;
  for (int at = -beyond; at < n + beyond; ++at) {
    // The window of `span` positions nearest to `at`; a span longer than the data widens the
    // tricube instead, as the paper has it.
    const int width = std::min(span, n);
    const int left = std::clamp(at - width / 2, 0, n - width);
    double reach = std::max(at - left, left + width - 1 - at);
    // Whole positions, as in the paper's own program.
    if (span > n) reach += std::floor((span - n) / 2.0);
    if (reach != of_reach) {
      of_reach = reach;
      tricube.resize(
          static_cast<std::size_t>(std::max(std::abs(left - at), std::abs(left + width - 1 - at))) +
          1);
      for (std::size_t d = 0; d < tricube.size(); ++d) {
        const double u = static_cast<double>(d) / std::max(reach, 1.0);
        tricube[d] = u >= 0.999 ? 0 : u <= 0.001 ? 1 : std::pow(1 - u * u * u, 3);
      }
    }
    double sw = 0, sx = 0, sxx = 0, sy = 0, sxy = 0;
    for (int i = left; i < left + width; ++i) {
      const auto at_i = static_cast<std::size_t>(i);
      if (std::isnan(y[at_i])) continue;
      double w = tricube[static_cast<std::size_t>(std::abs(i - at))];
      if (!weights.empty()) w *= weights[at_i];
      const double x = i - at;
      sw += w;
      sx += w * x;
      sxx += w * x * x;
      sy += w * y[at_i];
      sxy += w * x * y[at_i];
    }
    if (!(sw > 0)) {
      out.push_back(kNaN);
      continue;
    }
    // The line's value at 0, or the mean where all the weight lies at one position.
    const double spread = sxx - sx * sx / sw;
    const double slope = spread > 1e-9 * sw ? (sxy - sx * sy / sw) / spread : 0;
    out.push_back((sy - slope * sx) / sw);
  }
  return out;
}

int season_length(const Series& series) {
  switch (series.clock) {
    case Clock::month: return 12;
    case Clock::quarter: return 4;
    case Clock::week: return 52;
    case Clock::day: return 7;
    case Clock::business_day: return 5;
    case Clock::minute:
    case Clock::hour: {
      const Calendar calendar = learn_calendar(series.times, series.clock);
      // The commonest length of a day in session.
      std::map<std::size_t, int> days;
      for (const std::vector<int>& slots : calendar.session)
        if (!slots.empty()) ++days[slots.size()];
      const auto commonest =
          std::max_element(days.begin(), days.end(),
                           [](const auto& a, const auto& b) { return a.second < b.second; });
      return static_cast<int>(commonest == days.end() ? std::size_t(86400 / calendar.step.count())
                                                      : commonest->first);
    }
    case Clock::year:
    case Clock::row: break;
  }
  return 0;
}

Decomposition decompose(const Series& series, const DecompositionOptions& options) {
  Decomposition out;
  // A place in the period is a place in the year or the week only while no row is skipped. Hours,
  // and business days in other periods, have pauses of their own.
  const int period = options.period.value_or(season_length(series));
  const bool keeps_step = series.clock == Clock::hour || series.clock == Clock::minute ||
                          series.clock == Clock::business_day;
  if (keeps_step)
    out.series = by_weekday(series, period) ? on_every_weekday(series) : series;
  else
    out.series = with_absent_rows(series, /*whatever_the_clock=*/true);
  const Series& rows = out.series;
  out.method = options.method;
  out.period = period;
  if (out.period < 2)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("a decomposition of {}: its clock has no period of its own; give one of at "
                    "least 2 with `period`",
                    rows.name));
  if (options.season_span != 0 && (options.season_span < 7 || options.season_span % 2 == 0))
    throw Error(
        ErrorCode::bad_option,
        fmt::format("season_span = {}: must be odd and at least 7, or 0", options.season_span));
  const int periods = options.method == DecompositionMethod::loess ? 3 : 2;
  const auto p = static_cast<std::size_t>(out.period);
  require_usable(rows, static_cast<std::size_t>(periods) * p,
                 fmt::format("a decomposition with period {}", out.period));
  out.form = options.form;
  if (options.form == DecompositionForm::automatic) choose_form(rows, out);
  const bool multiplicative = out.form == DecompositionForm::multiplicative;
  const Series scale = multiplicative ? log_level(rows) : rows;

  Parts parts = options.method == DecompositionMethod::loess
                    ? by_loess(scale.values, out.period, options)
                    : by_averages(scale.values, out.period);
  Values remainder(rows.size()), with_trend(rows.size()), with_season(rows.size());
  Values sums(p), counts(p);
  for (std::size_t t = 0; t < rows.size(); ++t) {
    remainder[t] = scale.values[t] - parts.trend[t] - parts.season[t];
    with_trend[t] = remainder[t] + parts.trend[t];
    with_season[t] = remainder[t] + parts.season[t];
    sums[t % p] += parts.season[t];
    ++counts[t % p];
  }
  const double left = variance(remainder);
  const auto share = [&](const Values& with) {
    const double all = variance(with);
    return all > 0 ? std::max(0.0, 1 - left / all) : 0;
  };
  out.trend_share = share(with_trend);
  out.season_share = share(with_season);
  for (std::size_t i = 0; i < p; ++i) out.typical_season.push_back(sums[i] / counts[i]);
  out.places = places_of(rows, out.period);
  out.trend = std::move(parts.trend);
  out.season = std::move(parts.season);
  out.remainder = std::move(remainder);
  if (multiplicative)
    for (Values* part : {&out.trend, &out.season, &out.remainder, &out.typical_season})
      for (double& v : *part) v = std::exp(v);
  return out;
}

Series Decomposition::adjusted() const {
  Series out = series;
  out.name = series.name + ", seasonally adjusted";
  for (std::size_t t = 0; t < out.size(); ++t)
    out.values[t] = form == DecompositionForm::multiplicative ? out.values[t] / season[t]
                                                              : out.values[t] - season[t];
  return out;
}

namespace {

constexpr double kClear = .3, kStrong = .7;

std::string_view word_of(double share) {
  return share < kClear ? "weak" : share < kStrong ? "clear" : "strong";
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Decomposition& parts) {
  const bool ratio = parts.form == DecompositionForm::multiplicative;
  out << text::wrap(fmt::format("{}: a {} trend ({}) and a {} season ({}) of {} {}s.",
                                text::sentence(parts.series.name), word_of(parts.trend_share),
                                text::fixed(parts.trend_share, 2), word_of(parts.season_share),
                                text::fixed(parts.season_share, 2), parts.period,
                                parts.series.period()))
      << '\n'
      << text::wrap(
             fmt::format(
                 "{} by {}{}; in brackets the share of the variance that is not the other part's.",
                 to_string(parts.form), to_string(parts.method),
                 parts.form_because.empty() ? "" : " (" + parts.form_because + ")"),
             100, "  ");
  double reach = 0;
  for (const double v : parts.typical_season) reach = std::max(reach, std::abs(ratio ? v - 1 : v));
  constexpr std::size_t kListed = 31;  // more places than that are for the figure
  if (parts.places.size() > kListed || !(reach > 0)) return out;
  out << fmt::format("\n  typical season, {}\n",
                     ratio                ? std::string_view("percent above or below the trend")
                     : !parts.series.unit ? std::string_view("in units of the series")
                                          : to_string(*parts.series.unit));
  for (std::size_t p = 0; p < parts.places.size(); ++p) {
    const double v = ratio ? 100 * (parts.typical_season[p] - 1) : parts.typical_season[p];
    const double share = (ratio ? v / 100 : v) / reach;
    std::string bar(31, ' ');
    const int end = static_cast<int>(std::lround(15 * share));
    for (int c = std::min(0, end); c <= std::max(0, end); ++c)
      bar[static_cast<std::size_t>(15 + c)] = '=';
    bar[15] = '|';
    out << fmt::format("  {:<12}{:>9}   {}\n", parts.places[p],
                       ratio ? text::fixed(v, 1) : text::significant(v, 3), bar);
  }
  return out;
}

std::string_view to_string(DecompositionMethod method) {
  return method == DecompositionMethod::loess ? "loess" : "averages";
}

std::string_view to_string(DecompositionForm form) {
  switch (form) {
    case DecompositionForm::additive: return "additive";
    case DecompositionForm::multiplicative: return "multiplicative";
    case DecompositionForm::automatic: return "automatic";
  }
  return "unknown";
}

}  // namespace brace::inline v0
