// SPDX-License-Identifier: Apache-2.0
// Starts from smaller models. Covered by tests/search/one_maximum_test.cpp.
#include "estimation/smaller_models.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <unsupported/Eigen/FFT>

#include "brace/maths/autocorrelations.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "brace/model/model_line.hpp"
#include "estimation/climbs/exact_climb.hpp"
#include "likelihood/innovations.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::Matrix2d;
using Eigen::Vector2d;
using Eigen::VectorXd;

// Autocorrelations that the search for pairs looks at.
constexpr int kLooked = 160, kLookedOfFew = 48;
// Terms from which smaller models are climbed first.
constexpr int kMany = 3;
// Pairs that are tried, of one root and of two.
constexpr std::size_t kPairs = 2, kTwoRootPairs = 4;
// The factor that is let go is kept this far inside the unit circle.
constexpr double kInside = 0.995;
// Factors on the circle, as far as they are admitted with room to move.
constexpr double kOnCircle = 0.9999, kAlmostOnCircle = 0.999;
// Waves that are tried.
constexpr std::size_t kWaves = 2;
// Pairs at the circle are looked at by their value: so many are kept, and none that lies so far
// below the model without it.
constexpr std::size_t kKeptAtCircle = 2, kKeptOfFew = 1;
constexpr double kMuchWorse = 10, kFarBelow = 25;

using Set = Lags Mean::*;
constexpr std::array<Set, 2> kSets{&Mean::ar, &Mean::ma};

// The model without the last `count` lags of a set, and without what was held of them.
std::optional<Model> without_last(Model model, Set set, std::size_t count) {
  Lags& lags = model.mean.*set;
  if (lags.size() < count) return std::nullopt;
  lags.resize(lags.size() - count);
  const std::vector<std::string> names = parameter_names(model).all();
  for (const Held& held : model.held)
    if (std::find(names.begin(), names.end(), held.name) == names.end()) return std::nullopt;
  return model;
}

// Whether a set is 1, 2, .. times its first lag.
bool is_full(const Lags& lags) {
  for (std::size_t i = 0; i < lags.size(); ++i)
    if (lags[i] != lags[0] * static_cast<int>(i + 1)) return false;
  return !lags.empty();
}

// What stands before a pair that cancels and the AR factor once it is let go, both as coefficients
// of  1 - c_1 B - c_2 B^2.
struct Pair {
  double gain;
  std::vector<double> ma, ar;
};

// The highest points of a curve, best first.
std::vector<Pair> highest(const std::vector<Pair>& curve, std::size_t most) {
  std::vector<Pair> tops;
  for (std::size_t i = 0; i < curve.size(); ++i)
    if ((i == 0 || curve[i].gain > curve[i - 1].gain) &&
        (i + 1 == curve.size() || curve[i].gain >= curve[i + 1].gain))
      tops.push_back(curve[i]);
  std::stable_sort(tops.begin(), tops.end(),
                   [](const Pair& a, const Pair& b) { return a.gain > b.gain; });
  tops.resize(std::min(tops.size(), most));
  return tops;
}

// Pairs of one root: e_t less d (e_{t-1} + m e_{t-2} + m^2 e_{t-3} ..) is least at
// d = (1 - m^2) sum m^{k-1} r_k.
std::vector<Pair> one_root(const std::vector<double>& r) {
  std::vector<Pair> curve;
  for (int i = -24; i <= 24; ++i) {
    const double m = std::tanh(i / 9.0);  // up to .99, closer together towards the circle
    double sum = 0, power = 1;
    for (const double rk : r) {
      sum += power * rk;
      power *= m;
    }
    const double d = (1 - m * m) * sum;
    curve.push_back({d * sum, {m}, {std::clamp(m + d, -kInside, kInside)}});
  }
  return highest(curve, kPairs);
}

// Pairs of two complex roots of modulus and angle, on the best modulus of each angle.
std::vector<Pair> two_roots(const std::vector<double>& r) {
  std::vector<Pair> curve;
  constexpr int kAngles = 48;
  for (int i = 1; i < kAngles; ++i) {
    const double angle = std::numbers::pi * i / kAngles;
    Pair best{-1, {}, {}};
    for (const double modulus : {0.5, 0.8, 0.92, 0.97, 0.99}) {
      const double c1 = 2 * modulus * std::cos(angle), c2 = -modulus * modulus;
      // x_t = e_{t-1} / (1 - c1 B - c2 B^2), whose weights are g.
      Vector2d with(0, 0);
      double g = 1, before = 0;
      for (std::size_t k = 0; k < r.size(); ++k) {
        with(0) += g * r[k];
        if (k + 1 < r.size()) with(1) += g * r[k + 1];
        const double next = c1 * g + c2 * before;
        before = g;
        g = next;
      }
      const double variance = (1 - c2) / ((1 + c2) * ((1 - c2) * (1 - c2) - c1 * c1)),
                   neighbour = c1 / (1 - c2) * variance;
      Matrix2d moments;
      moments << variance, neighbour, neighbour, variance;
      const Vector2d d = moments.inverse() * with;
      const double gain = d.dot(with);
      if (gain <= best.gain) continue;
      double share = 1;
      std::vector<double> ar;
      for (int attempt = 0; attempt < 12; ++attempt, share *= 0.7) {
        ar = {c1 + share * d(0), c2 + share * d(1)};
        if (maths::largest_inverse_root(ar) < kInside) break;
      }
      best = {gain, {c1, c2}, ar};
    }
    curve.push_back(std::move(best));
  }
  return highest(curve, kTwoRootPairs);
}

// The coefficients of a factor with a pair of roots.
std::vector<double> two_root_factor(double modulus, double angle) {
  return {2 * modulus * std::cos(angle), -modulus * modulus};
}

// Where the score test is blind, since its terms die away within the sample: pairs that draw a
// narrow trough (the MA factor on the circle, as in a series differenced once too often) or a
// narrow peak (the AR factor there) at either end of the spectrum,
std::vector<Pair> one_root_at_ends() {
  std::vector<Pair> pairs;
  for (const double sign : {1.0, -1.0})
    for (const double inner : {0.99, 0.95}) {
      pairs.push_back({0, {sign * kOnCircle}, {sign * inner}});
      pairs.push_back({0, {sign * inner}, {sign * kAlmostOnCircle}});
    }
  return pairs;
}

// and peaks where a wave goes through the whole sample, which the periodogram shows (2 n
// frequencies or more, so that none falls between two of them).
std::vector<Pair> two_roots_at_peaks(const std::vector<double>& e) {
  const auto n = static_cast<double>(e.size());
  std::size_t length = 1;
  while (length < 2 * e.size()) length *= 2;
  std::vector<double> padded(length, 0.0);
  std::copy(e.begin(), e.end(), padded.begin());
  Eigen::FFT<double> fft;
  std::vector<std::complex<double>> spectrum;
  fft.fwd(spectrum, padded);
  std::vector<Pair> heights;
  double square = 0;
  for (const double v : e) square += v * v;
  for (std::size_t k = 1; k < length / 2; ++k)
    heights.push_back({std::norm(spectrum[k]) / square, {}, {}});
  for (std::size_t k = 0; k < heights.size(); ++k)
    heights[k].ar = {2 * std::numbers::pi * static_cast<double>(k + 1) /
                     static_cast<double>(length)};
  std::vector<Pair> pairs;
  for (const Pair& peak : highest(heights, kWaves)) {
    // The highest of n / 2 ordinates of white noise exceeds log(n / 2) + 3 in one series of twenty.
    if (peak.gain < std::log(n / 2) + 3) break;
    for (const double width : {3.0, 12.0, 50.0})
      pairs.push_back({peak.gain, two_root_factor(std::max(0.0, 1 - width / n), peak.ar[0]),
                       two_root_factor(1 - std::min(0.5, 1 / n), peak.ar[0])});
  }
  return pairs;
}

// (1 - a_1 B - ..)(1 - b_1 B - ..) as coefficients.
std::vector<double> product(const std::vector<double>& a, const std::vector<double>& b) {
  std::vector<double> c(a.size() + b.size(), 0.0);
  for (std::size_t i = 0; i < a.size(); ++i) c[i] += a[i];
  for (std::size_t j = 0; j < b.size(); ++j) c[j] += b[j];
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t j = 0; j < b.size(); ++j) c[i + j + 1] -= a[i] * b[j];
  return c;
}

// Of a model on the rows of a problem, with or without their gaps filled.
std::string key_of(const Problem& problem, const Model& model) {
  return (problem.data.missing.empty() ? "" : "gaps: ") + to_string(model);
}

// Whether the mean and the variance are all there is.
bool is_mean_alone(const Model& model) {
  return arma_terms(model) == 0 && model.mean.constant && mean_positions(model).count == 1;
}

// One-step errors divided by their spread, 0 where a row is missing; empty where theta is not
// admitted.
std::vector<double> scaled_errors(const Model& model, const MeanData& data,
                                  const ScaledParameters& theta) {
  if (is_mean_alone(model) && data.missing.empty()) {
    std::vector<double> e = data.change;
    for (double& v : e) v -= theta(0);
    return e;
  }
  Innovations found;
  if (!filter(model, data, span_of(theta), found)) return {};
  for (std::size_t t = 0; t < found.error.size(); ++t)
    found.error[t] = found.spread[t] > 0 ? found.error[t] / std::sqrt(found.spread[t]) : 0;
  return std::move(found.error);
}

// The parameters of a smaller model by name; what it has not is 0.
ScaledParameters carried(const Model& from, const ScaledParameters& theta,
                         const std::vector<std::string>& names) {
  const std::vector<std::string> had = parameter_names(from).all();
  auto out = all_equal<ScaledParameters>(static_cast<Index>(names.size()), 0);
  for (std::size_t j = 0; j < names.size(); ++j)
    if (const auto at = std::find(had.begin(), had.end(), names[j]); at != had.end())
      out(static_cast<Index>(j)) = theta(at - had.begin());
  return out;
}

// The same in working coordinates. One lag more is a zero at the end of its factor's coordinates:
// a section takes the single root in, or a new single root begins at zero.
WorkingPoint carried(const Model& from, const SmallerModels::Top& top, const Problem& problem) {
  auto x = all_equal<WorkingPoint>(problem.coordinates.size(), 0);
  for (Index i = 0; i < x.size(); ++i) {
    const std::size_t parameter = problem.coordinates.parameter(i);
    const auto at = top.working.find(problem.names[parameter]);
    if (at == top.working.end()) continue;
    // A lag alone goes by its coefficient, a section by the polynomial's, whose sign is the other.
    const bool turned =
        problem.coordinates.section(i) == Coordinates::Section::ma && from.mean.ma.size() == 1;
    x(i) = turned ? -at->second : at->second;
  }
  return x;
}

SmallerModels::Top top_at(const Problem& problem, const Coordinates& coordinates,
                          const WorkingPoint& x) {
  SmallerModels::Top top{coordinates.scaled(x), {}};
  for (Index i = 0; i < x.size(); ++i) top.working[problem.names[coordinates.parameter(i)]] = x(i);
  return top;
}

}  // namespace

bool SmallerModels::help(const Model& model) {
  return arma_terms(model) > 1 && model.mean.seasonal_ar.empty() && model.mean.seasonal_ma.empty();
}

void SmallerModels::keep(const Problem& problem, const WorkingPoint& x) {
  // The mean and the variance alone need no climb: they are the same wherever they come from.
  if (arma_terms(problem.model) == 0) return;
  Top top = top_at(problem, problem.coordinates, x);
  const std::lock_guard lock(guard_);
  known_.emplace(key_of(problem, problem.model), std::move(top));
}

std::optional<SmallerModels::Top> SmallerModels::maximum(const Problem& problem,
                                                         const Model& model) {
  {
    const std::lock_guard lock(guard_);
    if (const auto at = known_.find(key_of(problem, model)); at != known_.end()) return at->second;
  }
  // The mean and the variance of the scaled data are 0 and 1.
  if (is_mean_alone(model) && problem.scaled.centre != 0)
    return Top{ScaledParameters(VectorXd::Unit(2, 1)), {{"mu", 0}, {"sigma2", 1}}};
  EstimateOptions options;
  options.max_iterations = problem.options.max_iterations;
  options.progress = problem.options.progress;
  Problem smaller(model, problem.data, options, true);
  std::optional<Top> found;
  if (smaller.coordinates.size() > 0) {
    const Peak peak = climb_exact(smaller, *this);
    if (peak.top.x.size() > 0 && std::isfinite(peak.top.f))
      found = top_at(smaller, peak.coordinates, WorkingPoint(peak.top.x));
  }
  const std::lock_guard lock(guard_);
  return known_.emplace(key_of(problem, model), std::move(found)).first->second;
}

std::optional<WorkingPoint> SmallerModels::highest_contained(Problem& problem) {
  // Of two terms the guesses are as good as those of one are, and cost nothing.
  if (arma_terms(problem.model) < kMany) return std::nullopt;
  std::optional<WorkingPoint> highest;
  double best = std::numeric_limits<double>::infinity();
  for (const Set set : kSets) {
    const auto smaller = without_last(problem.model, set, 1);
    if (!smaller) continue;
    const auto top = maximum(problem, *smaller);
    if (!top) continue;
    WorkingPoint x = problem.feasible(carried(*smaller, *top, problem));
    const double f = problem.value(problem.coordinates, x);
    if (!highest || f < best) highest = std::move(x);
    best = std::min(f, best);
  }
  return highest;
}

std::vector<ScaledParameters> SmallerModels::pairs(Problem& problem, double reached) {
  const Model& model = problem.model;
  const std::vector<std::string>& names = problem.names;
  const bool few = arma_terms(model) < kMany;
  std::vector<ScaledParameters> points;
  // Coefficients that are held would have to move with a factor.
  const MeanPositions at = mean_positions(model);
  const std::size_t last_lag = at.seasonal_ma + model.mean.seasonal_ma.size();
  for (std::size_t j = at.ar; j < last_lag; ++j)
    if (problem.held_value(names[j])) return points;
  const auto [ar, ma] = kSets;
  if (!is_full(model.mean.*ar) || !is_full(model.mean.*ma)) return points;
  const int step = (model.mean.*ar)[0];
  if (step != (model.mean.*ma)[0]) return points;
  const std::size_t first_ar = at.ar, first_ma = at.ma;
  for (const std::size_t roots : {1u, 2u}) {
    auto smaller = without_last(model, ar, roots);
    if (smaller) smaller = without_last(*smaller, ma, roots);
    if (!smaller) continue;
    const auto top = maximum(problem, *smaller);
    if (!top) continue;
    const std::vector<double> e = scaled_errors(*smaller, problem.scaled.data, top->theta);
    if (e.empty()) continue;
    const int looked =
        std::min<int>(few ? kLookedOfFew : kLooked, static_cast<int>(e.size()) / 4 / step);
    if (looked < 2) continue;
    const std::vector<double> all = maths::autocorrelations(e, looked * step);
    std::vector<double> r;
    for (int k = 1; k <= looked; ++k) r.push_back(all[static_cast<std::size_t>(k * step) - 1]);
    const ScaledParameters base = carried(*smaller, top->theta, names);
    const std::size_t p = (model.mean.*ar).size(), q = (model.mean.*ma).size();
    std::vector<double> had_ar, had_ma;
    for (std::size_t i = 0; i + roots < p; ++i)
      had_ar.push_back(base(static_cast<Index>(first_ar + i)));
    for (std::size_t j = 0; j + roots < q; ++j)
      had_ma.push_back(-base(static_cast<Index>(first_ma + j)));
    const auto with = [&](const Pair& pair) {
      ScaledParameters start = base;
      const std::vector<double> a = product(had_ar, pair.ar), b = product(had_ma, pair.ma);
      for (std::size_t i = 0; i < p; ++i) start(static_cast<Index>(first_ar + i)) = a[i];
      for (std::size_t j = 0; j < q; ++j) start(static_cast<Index>(first_ma + j)) = -b[j];
      return start;
    };
    for (const Pair& pair : roots == 1 ? one_root(r) : two_roots(r)) points.push_back(with(pair));
    // A narrow peak or trough that costs much where it begins is not what the data ask for.
    const double without = problem.value_at(base);
    if (few && without > reached + kFarBelow) continue;
    std::vector<std::pair<double, ScaledParameters>> at_circle;
    for (const Pair& pair : roots == 1 ? one_root_at_ends() : two_roots_at_peaks(e)) {
      ScaledParameters start = with(pair);
      const double f = problem.value_at(start);
      if (f < without + kMuchWorse) at_circle.emplace_back(f, std::move(start));
    }
    std::stable_sort(at_circle.begin(), at_circle.end(),
                     [](const auto& x, const auto& y) { return x.first < y.first; });
    for (std::size_t i = 0; i < std::min(few ? kKeptOfFew : kKeptAtCircle, at_circle.size()); ++i)
      points.push_back(std::move(at_circle[i].second));
  }
  return points;
}

}  // namespace brace::inline v0
