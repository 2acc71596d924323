// SPDX-License-Identifier: Apache-2.0
// Breaks of variance. Covered by tests/hypothesis/mean_breaks_test.cpp.
#include "brace/hypothesis/variance_breaks.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>

#include "base/given_or.hpp"
#include "brace/laws/change.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "hypothesis/by_law.hpp"

namespace brace::inline v0::hypothesis {
namespace {

double mean_of(std::span<const double> x) {
  return std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(x.size());
}

std::vector<double> less_mean(std::span<const double> x) {
  const double mean = mean_of(x);
  std::vector<double> out(x.begin(), x.end());
  for (double& v : out) v -= mean;
  return out;
}

// AIC stops too early where squares remember faintly and for long: not below half the greatest
// order, where that says more.
maths::SpectralVariance of_squares(const std::vector<double>& u) {
  const maths::SpectralVariance by_aic = maths::spectral_variance(u);
  const int half = maths::most_spectral_order(u.size()) / 2;
  if (half <= by_aic.order) return by_aic;
  const double wider = maths::spectral_variance_of_order(u, half);
  return wider > by_aic.value ? maths::SpectralVariance{wider, half} : by_aic;
}

struct Deviation {
  double statistic = 0, p_value = 1;
  std::size_t rows_before = 0;  // the largest deviation
  std::optional<int> bandwidth, order;
};

Deviation deviation_of(std::span<const double> squares, const CumulativeSquaresOptions& options) {
  const std::vector<double> u = less_mean(squares);
  const auto n = static_cast<double>(u.size());
  Deviation out;
  double scale = 0;
  switch (options.scale) {
    case SquaresScale::normal: scale = 2 * std::pow(mean_of(squares), 2); break;
    case SquaresScale::fourth: scale = maths::long_run_variance(u, 0); break;
    case SquaresScale::spectral:
    case SquaresScale::robust: {
      const maths::SpectralVariance s =
          options.scale == SquaresScale::robust ? of_squares(u) : maths::spectral_variance(u);
      scale = s.value;
      out.order = s.order;
      break;
    }
    case SquaresScale::bartlett:
      out.bandwidth = given_or(options.bandwidth, static_cast<int>(4 * std::pow(n / 100, 2.0 / 9)),
                               "bandwidth", 0);
      scale = maths::long_run_variance(u, *out.bandwidth);
      break;
  }
  double sum = 0, most = 0;
  for (std::size_t t = 0; t < u.size(); ++t) {
    sum += u[t];
    if (std::abs(sum) > most) {
      most = std::abs(sum);
      out.rows_before = t + 1;
    }
  }
  out.statistic = most / std::sqrt(n * scale);
  out.p_value = laws::bridge_tail(out.statistic, static_cast<int>(u.size()));
  return out;
}

std::vector<double> squares_of(const Series& closed, bool centred) {
  std::vector<double> e = centred ? less_mean(closed.values) : closed.values;
  for (double& v : e) v *= v;
  return e;
}

// The iterated search on squares.
class Iteration {
 public:
  Iteration(const std::vector<double>& squares, const VarianceBreaksOptions& options)
      : squares_(squares), options_(options) {}

  std::vector<std::size_t> run() {
    search(0, squares_.size());
    std::sort(found_.begin(), found_.end());
    // Each date again between its neighbours: it may move, and it may fall.
    for (int pass = 0; pass < 20; ++pass) {
      const std::vector<std::size_t> before = found_;
      std::vector<std::size_t> kept;
      for (std::size_t i = 0; i < before.size(); ++i) {
        const std::size_t from = i == 0 ? 0 : before[i - 1];
        const std::size_t to = i + 1 < before.size() ? before[i + 1] : squares_.size();
        if (const auto at = break_in(from, to)) kept.push_back(*at);
      }
      std::sort(kept.begin(), kept.end());
      kept.erase(std::unique(kept.begin(), kept.end()), kept.end());
      found_ = kept;
      if (found_ == before) break;
    }
    return found_;
  }

 private:
  [[nodiscard]] std::optional<std::size_t> break_in(std::size_t from, std::size_t to) const {
    if (to - from < 2 * options_.least) return std::nullopt;
    const Deviation d =
        deviation_of(std::span(squares_).subspan(from, to - from), options_.squares);
    if (!(d.p_value < options_.significance)) return std::nullopt;
    const std::size_t at = from + d.rows_before;
    // A date so near an edge leaves no segment to speak of.
    if (at - from < options_.least / 2 || to - at < options_.least / 2) return std::nullopt;
    return at;
  }

  void search(std::size_t from, std::size_t to) {
    if (static_cast<int>(found_.size()) >= options_.most) return;
    const auto at = break_in(from, to);
    if (!at) return;
    found_.push_back(*at);
    search(from, *at);
    search(*at, to);
  }

  const std::vector<double>& squares_;
  const VarianceBreaksOptions& options_;
  std::vector<std::size_t> found_;
};

// A break at `at` between the edges of its two segments.
BreakDate dated(const Series& closed, const std::vector<double>& squares, std::size_t from,
                std::size_t at, std::size_t to) {
  const std::span<const double> left(squares.data() + from, at - from),
      right(squares.data() + at, to - at);
  return dated_break(
      closed, at,
      date_interval(mean_of(right) - mean_of(left), of_squares(less_mean(left)).value,
                    of_squares(less_mean(right)).value));
}

}  // namespace

std::string_view to_string(SquaresScale scale) {
  switch (scale) {
    case SquaresScale::normal: return "normal";
    case SquaresScale::fourth: return "fourth moment";
    case SquaresScale::spectral: return "AR spectrum, aic";
    case SquaresScale::robust: return "AR spectrum";
    case SquaresScale::bartlett: return "Bartlett";
  }
  return "AR spectrum";
}

TestResult cumulative_squares(const Series& series, const CumulativeSquaresOptions& options) {
  require_usable(series, 40, "a test of cumulated squares");
  const Series closed = without_gaps(series);
  const Deviation d = deviation_of(squares_of(closed, options.centred), options);
  TestResult test;
  test.test =
      options.scale == SquaresScale::normal ? "cumulative-squares" : "cumulative-squares-robust";
  test.variant = to_string(options.scale);
  test.null = "the variance is constant";
  test.statistic = d.statistic;
  test.p_value = d.p_value;
  test.bandwidth = d.bandwidth;
  test.lags = d.order;
  test.observations = closed.size();
  test.break_at = unit_root::break_at(closed, d.rows_before);
  test.reading =
      *test.rejects() ? "the variance changed for good" : "no sign of a lasting change of variance";
  return test;
}

VarianceBreaks variance_breaks(const Series& series, const VarianceBreaksOptions& options) {
  VarianceBreaks out;
  out.test = cumulative_squares(series, options.squares);
  const Series closed = without_gaps(series);
  const std::vector<double> squares = squares_of(closed, options.squares.centred);
  const std::vector<std::size_t> at = Iteration(squares, options).run();
  for (std::size_t b = 0; b < at.size(); ++b)
    out.breaks.push_back(dated(closed, squares, b == 0 ? 0 : at[b - 1], at[b],
                               b + 1 < at.size() ? at[b + 1] : squares.size()));
  return out;
}

BreakDate variance_break_at(const Series& series, std::size_t rows_before) {
  const Series closed = without_gaps(series);
  return dated(closed, squares_of(closed, true), 0, rows_before, closed.size());
}

}  // namespace brace::inline v0::hypothesis
