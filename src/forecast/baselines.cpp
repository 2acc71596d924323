// SPDX-License-Identifier: Apache-2.0
// Baselines and exponential smoothing. Covered by tests/forecast/baselines_test.cpp.
#include "brace/forecast/baselines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>
#include <numeric>
#include <sstream>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/bounded.hpp"
#include "brace/maths/random.hpp"
#include "brace/series/transform.hpp"

namespace brace::inline v0 {
namespace {

using Method = BaselineKind::Method;

constexpr int kPaths = 5000;
// Seasons longer than this start from their averages; shorter ones are estimated with the rest.
constexpr int kMostSeasonsEstimated = 12;

[[noreturn]] void refuse(std::string_view text, const std::string& why) {
  throw Error(ErrorCode::bad_option, fmt::format("baseline '{}': {}", text, why));
}

// ---- Smoothing: one state for all forms ----

struct Gains {
  double alpha = 0, beta = 0, gamma = 0, phi = 1;
};

struct State {
  double level = 0, slope = 0;
  std::vector<double> seasons;  // the next row's first
  std::size_t next = 0;         // position of the next row's season

  [[nodiscard]] double trend(const Gains& g) const { return level + g.phi * slope; }
  [[nodiscard]] double forecast(const BaselineKind& kind, const Gains& g) const {
    if (kind.season == SmoothSeason::none) return trend(g);
    return kind.season == SmoothSeason::additive ? trend(g) + seasons[next]
                                                 : trend(g) * seasons[next];
  }
  void update(const BaselineKind& kind, const Gains& g, double e) {
    const double before = trend(g);
    double of_trend = e;
    if (kind.season != SmoothSeason::none) {
      double& s = seasons[next];
      if (kind.season == SmoothSeason::multiplicative) {
        of_trend = e / s;
        s += g.gamma * e / before;
      } else {
        s += g.gamma * e;
      }
      next = (next + 1) % seasons.size();
    }
    level = before + g.alpha * of_trend;
    slope = g.phi * slope + g.beta * of_trend;
  }
};

// One-step errors of a form through the data; missing rows only move the state on.
double run(const BaselineKind& kind, const Gains& g, State& state, std::span<const double> y,
           std::vector<double>* fitted) {
  double squares = 0;
  for (const double v : y) {
    const double f = state.forecast(kind, g);
    if (fitted) fitted->push_back(f);
    const double e = std::isnan(v) ? 0 : v - f;
    squares += e * e;
    state.update(kind, g, e);
  }
  return squares;
}

// Which numbers a form estimates, as one vector for the optimiser.
class Smoother {
 public:
  Smoother(const BaselineKind& kind, const Series& series) : kind_(kind), y_(series.values) {
    const auto period = static_cast<std::size_t>(std::max(1, kind.period));
    const std::vector<double> present = series.present_values();
    if (present.size() < std::max<std::size_t>(8, 2 * period + 3))
      throw Error(
          ErrorCode::too_few_observations,
          fmt::format("baseline '{}': {} observations are too few; it needs {}", to_string(kind),
                      present.size(), std::max<std::size_t>(8, 2 * period + 3)));
    if (kind.season == SmoothSeason::multiplicative)
      require_positive(series, "multiplicative season");
    first_season(period);
    seasons_free_ = kind.season != SmoothSeason::none && kind.period <= kMostSeasonsEstimated;
  }

  void fit(Baseline& out) {
    const auto n = static_cast<double>(
        std::count_if(y_.begin(), y_.end(), [](double v) { return !std::isnan(v); }));
    // Levels on the scale of the data's own steps, so that the optimiser's steps suit all.
    std::vector<double> x, low, high;
    const auto add = [&](double start, double least, double most) {
      x.push_back(start);
      low.push_back(least);
      high.push_back(most);
    };
    add(.3, 1e-4, .9999);                                       // alpha
    if (kind_.trend != SmoothTrend::none) add(.1, 0, 1);        // beta / alpha
    if (kind_.season != SmoothSeason::none) add(.1, 0, 1);      // gamma / (1 - alpha)
    if (kind_.trend == SmoothTrend::damped) add(.95, .8, .98);  // phi
    add(0, -50, 50);                                            // level, in sd from its start
    if (kind_.trend != SmoothTrend::none) add(0, -10, 10);      // slope
    if (seasons_free_)
      for (std::size_t s = 1; s < seasons_.size(); ++s) add(0, -10, 10);
    const auto objective = [&](std::span<const double> at) {
      State state;
      const Gains g = gains(at, state);
      return 0.5 * n * std::log(run(kind_, g, state, y_, nullptr) / n);
    };
    const maths::BoundedResult best = maths::minimise_bounded(objective, x, low, high);
    State state;
    const Gains g = gains(best.x, state);
    const double squares = run(kind_, g, state, y_, &out.fitted);
    out.sigma2 = squares / n;
    out.log_likelihood = -0.5 * n * (std::log(2 * std::numbers::pi * out.sigma2) + 1);
    out.aic = -2 * *out.log_likelihood + 2 * (static_cast<double>(x.size()) + 1);
    out.converged = best.converged;
    out.level = state.level;
    out.slope = state.slope;
    std::rotate(state.seasons.begin(),
                state.seasons.begin() + static_cast<std::ptrdiff_t>(state.next),
                state.seasons.end());
    out.seasons = state.seasons;
    out.parameters.emplace_back("alpha", g.alpha);
    if (kind_.trend != SmoothTrend::none) out.parameters.emplace_back("beta", g.beta);
    if (kind_.season != SmoothSeason::none) out.parameters.emplace_back("gamma", g.gamma);
    if (kind_.trend == SmoothTrend::damped) out.parameters.emplace_back("phi", g.phi);
  }

 private:
  // Averages of each place in the season over the first cycles, and the level there.
  void first_season(std::size_t period) {
    const std::size_t cycles = std::clamp<std::size_t>(y_.size() / period, 1, 3);
    const std::size_t rows =
        std::max<std::size_t>(std::min<std::size_t>(y_.size(), 8), cycles * period);
    double sum = 0, squares = 0, count = 0;
    for (std::size_t t = 0; t < rows; ++t)
      if (!std::isnan(y_[t])) {
        sum += y_[t];
        ++count;
      }
    level_ = sum / std::max(1.0, count);
    double all = 0, total = 0;
    for (const double v : y_)
      if (!std::isnan(v)) {
        all += v;
        ++total;
      }
    for (const double v : y_)
      if (!std::isnan(v)) squares += (v - all / total) * (v - all / total);
    sd_ = std::sqrt(squares / total);
    if (kind_.season == SmoothSeason::none) return;
    const bool multiplicative = kind_.season == SmoothSeason::multiplicative;
    for (std::size_t s = 0; s < period; ++s) {
      double of_place = 0, found = 0;
      for (std::size_t t = s; t < rows; t += period)
        if (!std::isnan(y_[t])) {
          of_place += multiplicative ? y_[t] / level_ : y_[t] - level_;
          ++found;
        }
      seasons_.push_back(found > 0 ? of_place / found : (multiplicative ? 1 : 0));
    }
    const double mean = std::accumulate(seasons_.begin(), seasons_.end(), 0.0) /
                        static_cast<double>(seasons_.size());
    for (double& s : seasons_) s = multiplicative ? s / mean : s - mean;
  }

  Gains gains(std::span<const double> x, State& state) const {
    std::size_t at = 0;
    Gains g;
    g.alpha = x[at++];
    if (kind_.trend != SmoothTrend::none) g.beta = x[at++] * g.alpha;
    if (kind_.season != SmoothSeason::none) g.gamma = x[at++] * (1 - g.alpha);
    if (kind_.trend == SmoothTrend::damped) g.phi = x[at++];
    state.level = level_ + sd_ * x[at++];
    if (kind_.trend != SmoothTrend::none) state.slope = 0.1 * sd_ * x[at++];
    state.seasons = seasons_;
    if (seasons_free_) {
      // The last one keeps the sum: only differences between seasons are identified.
      const double unit =
          kind_.season == SmoothSeason::multiplicative ? 0.1 * sd_ / std::abs(level_) : 0.1 * sd_;
      for (std::size_t s = 1; s < seasons_.size(); ++s) {
        state.seasons[s - 1] += unit * x[at];
        state.seasons.back() -= unit * x[at++];
      }
    }
    return g;
  }

  const BaselineKind& kind_;
  const std::vector<double>& y_;
  double level_ = 0, sd_ = 1;
  std::vector<double> seasons_;
  bool seasons_free_ = false;
};

double last_present(std::span<const double> y) {
  for (std::size_t t = y.size(); t-- > 0;)
    if (!std::isnan(y[t])) return y[t];
  return kNaN;
}

// Forecasts one row ahead at each row, by the simple rules.
std::vector<double> by_rule(const Baseline& b, std::span<const double> y) {
  std::vector<double> fitted(y.size(), kNaN);
  double last = kNaN;
  const auto period = static_cast<std::size_t>(std::max(1, b.kind.period));
  for (std::size_t t = 0; t < y.size(); ++t) {
    switch (b.kind.method) {
      case Method::mean: fitted[t] = b.level; break;
      case Method::walk: fitted[t] = last; break;
      case Method::drift: fitted[t] = last + b.slope; break;
      case Method::season:
        for (std::size_t back = period; back <= t && std::isnan(fitted[t]); back += period)
          fitted[t] = y[t - back];
        break;
      case Method::smooth: break;
    }
    if (!std::isnan(y[t]))
      last = y[t];
    else if (b.kind.method == Method::drift)
      last += b.slope;
  }
  return fitted;
}

void set_rule(Baseline& b, const std::vector<double>& y) {
  const std::vector<double> present = b.series.present_values();
  b.level = b.kind.method == Method::mean ? std::accumulate(present.begin(), present.end(), 0.0) /
                                                static_cast<double>(present.size())
                                          : last_present(y);
  if (b.kind.method == Method::drift) {
    std::size_t first = 0, last = y.size() - 1;
    while (std::isnan(y[first])) ++first;
    while (std::isnan(y[last])) --last;
    b.slope = (y[last] - y[first]) / static_cast<double>(last - first);
    b.level += b.slope * static_cast<double>(y.size() - 1 - last);
    b.parameters.emplace_back("drift", b.slope);
  }
  if (b.kind.method == Method::mean) b.parameters.emplace_back("mean", b.level);
  if (b.kind.method == Method::season)
    for (int s = 0; s < b.kind.period; ++s) {
      double value = kNaN;
      for (auto back = static_cast<std::size_t>(b.kind.period - s);
           back <= y.size() && std::isnan(value); back += static_cast<std::size_t>(b.kind.period))
        value = y[y.size() - back];
      b.seasons.push_back(value);
    }
  b.fitted = by_rule(b, y);
  double squares = 0, n = 0;
  for (std::size_t t = 0; t < y.size(); ++t)
    if (const double e = y[t] - b.fitted[t]; !std::isnan(e)) {
      squares += e * e;
      ++n;
    }
  b.sigma2 = squares / n;
}

Gains gains_of(const Baseline& b) {
  Gains g;
  for (const auto& [name, value] : b.parameters) {
    if (name == "alpha") g.alpha = value;
    if (name == "beta") g.beta = value;
    if (name == "gamma") g.gamma = value;
    if (name == "phi") g.phi = value;
  }
  return g;
}

State state_of(const Baseline& b) {
  State state;
  state.level = b.level;
  state.slope = b.slope;
  state.seasons = b.seasons;
  return state;
}

// Variance over sigma2 of the forecast h steps ahead of the additive forms:
// 1 + sum_{j<h} c_j^2, c_j = alpha + beta (phi + .. + phi^j) / phi-free form + gamma at seasons.
std::vector<double> spreads(const Baseline& b, int horizon) {
  std::vector<double> out;
  const Gains g = gains_of(b);
  double sum = 1, damping = 0, power = 1;
  const auto n = static_cast<double>(b.series.present());
  for (int h = 1; h <= horizon; ++h) {
    const auto steps = static_cast<double>(h);
    switch (b.kind.method) {
      case Method::mean: out.push_back(1 + 1 / n); continue;
      case Method::walk: out.push_back(steps); continue;
      case Method::drift: out.push_back(steps * (1 + steps / (n - 1))); continue;
      case Method::season: out.push_back(std::floor((steps - 1) / b.kind.period) + 1); continue;
      case Method::smooth: break;
    }
    out.push_back(sum);
    power *= g.phi;
    damping += power;
    double c = g.alpha + g.beta * damping;
    if (b.kind.season == SmoothSeason::additive && h % b.kind.period == 0) c += g.gamma;
    sum += c * c;
  }
  return out;
}

}  // namespace

BaselineKind parse_baseline(std::string_view text) {
  std::istringstream words{std::string(text)};
  std::string word;
  BaselineKind kind;
  if (!(words >> word)) refuse(text, "it is empty; the simplest is 'walk'");
  constexpr std::pair<std::string_view, Method> kMethods[] = {{"mean", Method::mean},
                                                              {"walk", Method::walk},
                                                              {"drift", Method::drift},
                                                              {"season", Method::season},
                                                              {"smooth", Method::smooth}};
  const auto* known = std::find_if(std::begin(kMethods), std::end(kMethods),
                                   [&](const auto& m) { return m.first == word; });
  if (known == std::end(kMethods))
    refuse(text,
           fmt::format("'{}' is none; these are: mean, walk, drift, season 12, smooth", word));
  kind.method = known->second;
  const auto read_period = [&] {
    if (!(words >> word) || word.find_first_not_of("0123456789") != std::string::npos ||
        std::from_chars(word.data(), word.data() + word.size(), kind.period).ec != std::errc{} ||
        kind.period < 2 || kind.period > 10000)
      refuse(text, "the period is missing: rows in a season, from 2, such as 12");
  };
  if (kind.method == Method::season) read_period();
  while (words >> word) {
    if (kind.method != Method::smooth)
      refuse(text, fmt::format("'{}' does not belong there", word));
    if (word == "trend") {
      kind.trend = SmoothTrend::additive;
    } else if (word == "damped") {
      kind.trend = SmoothTrend::damped;
    } else if (word == "season" || word == "times") {
      kind.season = word == "season" ? SmoothSeason::additive : SmoothSeason::multiplicative;
      read_period();
    } else {
      refuse(text, fmt::format("'{}' is none of trend, damped, season 12, times 12", word));
    }
  }
  return kind;
}

std::string to_string(const BaselineKind& kind) {
  switch (kind.method) {
    case Method::mean: return "mean";
    case Method::walk: return "walk";
    case Method::drift: return "drift";
    case Method::season: return fmt::format("season {}", kind.period);
    case Method::smooth: break;
  }
  std::string text = "smooth";
  if (kind.trend != SmoothTrend::none)
    text += kind.trend == SmoothTrend::damped ? " damped" : " trend";
  if (kind.season != SmoothSeason::none)
    text += fmt::format(" {} {}", kind.season == SmoothSeason::additive ? "season" : "times",
                        kind.period);
  return text;
}

Baseline fit_baseline(const BaselineKind& kind, const Series& series) {
  require_usable(series,
                 kind.method == Method::season ? static_cast<std::size_t>(kind.period) + 2 : 3,
                 fmt::format("baseline '{}'", to_string(kind)));
  Baseline b;
  b.kind = kind;
  b.label = to_string(kind);
  b.series = series;
  if (kind.method == Method::smooth)
    Smoother(b.kind, b.series).fit(b);
  else
    set_rule(b, series.values);
  return b;
}

Baseline fit_baseline(std::string_view kind, const Series& series) {
  return fit_baseline(parse_baseline(kind), series);
}

std::vector<BaselineStep> forecast(const Baseline& b, int horizon,
                                   const std::vector<double>& intervals, std::uint64_t seed) {
  const auto steps = static_cast<std::size_t>(std::max(0, horizon));
  std::vector<BaselineStep> ahead(steps);
  if (!b.series.times.empty()) {
    const std::vector<Timestamp> dates =
        dates_after(learn_calendar(b.series.times, b.series.clock), b.series.times.back(), steps);
    for (std::size_t h = 0; h < dates.size(); ++h) ahead[h].date = dates[h];
  }
  const Gains g = gains_of(b);
  State state = state_of(b);
  const std::vector<double> spread = spreads(b, horizon);
  for (std::size_t h = 0; h < steps; ++h) {
    switch (b.kind.method) {
      case Method::mean:
      case Method::walk: ahead[h].mean = b.level; break;
      case Method::drift: ahead[h].mean = b.level + b.slope * static_cast<double>(h + 1); break;
      case Method::season: ahead[h].mean = b.seasons[h % b.seasons.size()]; break;
      case Method::smooth:
        ahead[h].mean = state.forecast(b.kind, g);
        state.update(b.kind, g, 0);
        break;
    }
    ahead[h].sd = std::sqrt(b.sigma2 * spread[h]);
    for (const double percent : intervals) {
      const double reach = ahead[h].sd * laws::normal_quantile(0.5 + percent / 200.0);
      ahead[h].interval.push_back({percent, ahead[h].mean - reach, ahead[h].mean + reach});
    }
  }
  if (b.kind.season != SmoothSeason::multiplicative) return ahead;
  std::vector<std::vector<double>> paths(steps, std::vector<double>(kPaths));
  maths::RandomStream stream(seed, 0);
  for (int p = 0; p < kPaths; ++p) {
    State walk = state_of(b);
    for (std::size_t h = 0; h < steps; ++h) {
      const double e = std::sqrt(b.sigma2) * stream.normal();
      paths[h][static_cast<std::size_t>(p)] = walk.forecast(b.kind, g) + e;
      walk.update(b.kind, g, e);
    }
  }
  for (std::size_t h = 0; h < steps; ++h) {
    std::vector<double>& values = paths[h];
    std::sort(values.begin(), values.end());
    double mean = 0, squares = 0;
    for (const double v : values) mean += v / kPaths;
    for (const double v : values) squares += (v - mean) * (v - mean) / kPaths;
    ahead[h].sd = std::sqrt(squares);
    for (PredictionInterval& i : ahead[h].interval) {
      const double tail = (1 - i.percent / 100.0) / 2;
      i.low = values[static_cast<std::size_t>(tail * (kPaths - 1))];
      i.high = values[static_cast<std::size_t>((1 - tail) * (kPaths - 1))];
    }
  }
  return ahead;
}

std::vector<double> one_step(const Baseline& b, const Series& whole, std::size_t from) {
  const std::span<const double> y(whole.values);
  if (b.kind.method != Method::smooth) {
    const std::vector<double> all = by_rule(b, y);
    return {all.begin() + static_cast<std::ptrdiff_t>(from), all.end()};
  }
  State state = state_of(b);
  std::vector<double> fitted;
  run(b.kind, gains_of(b), state, y.subspan(from), &fitted);
  return fitted;
}

}  // namespace brace::inline v0
