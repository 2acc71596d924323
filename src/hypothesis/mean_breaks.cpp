// SPDX-License-Identifier: Apache-2.0
// Breaks of level and regression. Covered by tests/hypothesis/mean_breaks_test.cpp.
#include "brace/hypothesis/mean_breaks.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <boost/math/quadrature/exp_sinh.hpp>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/laws/change.hpp"
#include "brace/laws/simulated.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "hypothesis/by_law.hpp"
#include "hypothesis/mean_segments.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis {
namespace {

using breaks::kTrim;
using breaks::MeanSegments;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// y on its regressors; row i belongs to observation i + offset (0-based).
struct Design {
  Series series;  // gaps closed
  MatrixXd X;
  VectorXd y;
  Index offset = 0;

  [[nodiscard]] std::size_t last_before(Index rows) const {
    return static_cast<std::size_t>(rows + offset);
  }
};

Design design_of(const Series& series, const BreakRegression& regression, const std::string& task) {
  if (regression.lags < 0)
    throw Error(ErrorCode::bad_option, fmt::format("lags = {} is negative", regression.lags));
  const int k = regression.coefficients();
  require_usable(series, static_cast<std::size_t>(4 * k + 16 + regression.lags), task);
  Design d;
  d.series = without_gaps(series);
  d.offset = regression.lags;
  const auto n = static_cast<Index>(d.series.size()) - d.offset;
  const Eigen::Map<const VectorXd> all(d.series.values.data(), static_cast<Index>(d.series.size()));
  d.y = all.tail(n);
  d.X.resize(n, k);
  d.X.col(0).setOnes();
  for (int j = 1; j <= regression.lags; ++j) d.X.col(j) = all.segment(d.offset - j, n);
  if (regression.with_trend) d.X.col(k - 1) = VectorXd::LinSpaced(n, -1, 1);
  return d;
}

TestResult test_of(const std::string& id, const std::string& variant, const std::string& null,
                   double statistic, Index rows) {
  TestResult test;
  test.test = id;
  test.variant = variant;
  test.null = null;
  test.statistic = statistic;
  test.observations = static_cast<std::size_t>(rows);
  return test;
}

void read(TestResult& test, double p, const char* rejected, const char* kept) {
  test.p_value = p;
  test.reading = *test.rejects() ? rejected : kept;
}

// Critical values of a tail that falls in x.
template <class Tail>
CriticalValues critical_values(const Tail& tail) {
  const auto at = [&](double p) {
    double high = 1;
    while (tail(high) > p) high *= 2;
    boost::math::tools::eps_tolerance<double> close(30);
    std::uintmax_t steps = 100;
    const auto [a, b] = boost::math::tools::toms748_solve([&](double x) { return tail(x) - p; },
                                                          1e-6, high, close, steps);
    return (a + b) / 2;
  };
  return {at(0.01), at(0.05), at(0.10)};
}

// Standardised one-step errors of least squares as the sample grows, from row k on (Brown, Durbin
// and Evans 1975, equation 2), by updating (X'X)^-1.
VectorXd recursive_residuals(const Design& d) {
  const Index n = d.y.size(), k = d.X.cols();
  // The first k rows alone may be collinear (a level's lags repeat): start where they are not.
  Index start = k;
  while (start < n / 2 && maths::pivoted_rank(d.X.topRows(start)) < k) ++start;
  const MatrixXd first = d.X.topRows(start);
  MatrixXd inverse =
      maths::solve_symmetric(maths::cross(first, first), MatrixXd(MatrixXd::Identity(k, k)));
  VectorXd b = maths::product(inverse, maths::cross(first, VectorXd(d.y.head(start))));
  VectorXd w(n - start);
  for (Index t = start; t < n; ++t) {
    const VectorXd x = d.X.row(t).transpose();
    const VectorXd gain = maths::product(inverse, x);
    const double f = 1 + x.dot(gain);
    const double error = d.y(t) - x.dot(b);
    w(t - start) = error / std::sqrt(f);
    b += gain * (error / f);
    inverse -= gain * gain.transpose() / f;
  }
  return w;
}

// Of residuals around a mean: by BIC, since an order too many costs size in short series.
double level_spectrum(std::span<const double> u) {
  return maths::spectral_variance(u, {}, true).value;
}

constexpr const char* kConstant = "the coefficients are constant";

// F of a break at every date from `first` to `last` rows, by updating the cross products one row at
// a time and factorising k x k.
std::vector<double> f_by_date(const Design& d, Index first, Index last, double* ssr_whole) {
  const Index n = d.y.size(), k = d.X.cols();
  // An orthonormal basis keeps the products well conditioned; F does not depend on the basis.
  const MatrixXd Q = maths::Qr(d.X).thin_q();
  const VectorXd u = d.y - maths::product(Q, maths::cross(Q, d.y));
  const double whole = u.squaredNorm();
  *ssr_whole = whole;
  MatrixXd A = MatrixXd::Zero(k, k);
  VectorXd c = VectorXd::Zero(k);
  std::vector<double> out;
  const auto freedom = static_cast<double>(n - 2 * k);
  for (Index t = 0; t < last; ++t) {
    const VectorXd q = Q.row(t).transpose();
    A += q * q.transpose();
    c += u(t) * q;
    if (t + 1 < first) continue;
    // Products of the first part are A; of the second I - A; u is orthogonal to the whole.
    const double gain = c.dot(maths::solve_symmetric(A - maths::product(A, A), c));
    out.push_back(gain / static_cast<double>(k) / ((whole - gain) / freedom));
  }
  return out;
}

}  // namespace

TestResult chow(const Series& series, std::size_t rows_before, const BreakRegression& regression) {
  const Design d = design_of(series, regression, "a Chow test");
  const auto at = static_cast<Index>(rows_before) - d.offset;
  const Index n = d.y.size(), k = d.X.cols();
  if (at <= k || n - at <= k)
    throw Error(ErrorCode::bad_option,
                fmt::format("a Chow test at observation {}: each side needs more than {} of the {} "
                            "observations",
                            rows_before, k + d.offset, d.series.size()));
  const double whole = maths::regress(d.X, d.y).ssr;
  const double parts = maths::regress(d.X.topRows(at), d.y.head(at)).ssr +
                       maths::regress(d.X.bottomRows(n - at), d.y.tail(n - at)).ssr;
  const auto freedom = static_cast<double>(n - 2 * k);
  TestResult test = test_of("chow", "F", "the coefficients are the same on both sides",
                            (whole - parts) / static_cast<double>(k) / (parts / freedom), n);
  test.dof = {static_cast<double>(k), freedom};
  test.break_at = unit_root::break_at(d.series, rows_before);
  read(test, laws::f_tail(test.statistic, test.dof[0], test.dof[1]),
       "the coefficients differ between the sides", "no sign that the sides differ");
  return test;
}

TestResult cusum(const Series& series, const BreakRegression& regression) {
  const Design d = design_of(series, regression, "a CUSUM test");
  const VectorXd w = recursive_residuals(d);
  const auto m = static_cast<double>(w.size());
  const double sigma = std::sqrt(w.squaredNorm() / m);
  double sum = 0, most = 0;
  Index where = 0;
  for (Index t = 0; t < w.size(); ++t) {
    sum += w(t) / sigma;
    const double at = static_cast<double>(t + 1) / m;
    const double height = std::abs(sum) / (std::sqrt(m) * (1 + 2 * at));
    if (height > most) {
      most = height;
      where = t;
    }
  }
  const int steps = static_cast<int>(w.size());
  TestResult test = test_of("cusum", "recursive residuals", kConstant, most, w.size());
  read(test, laws::cusum_tail(most, steps), "the coefficients change", "no sign of a change");
  test.critical = critical_values([&](double a) { return laws::cusum_tail(a, steps); });
  test.break_at = unit_root::break_at(
      d.series, d.series.size() - static_cast<std::size_t>(w.size() - 1 - where));
  return test;
}

TestResult cusum_ols(const Series& series, const BreakRegression& regression) {
  const Design d = design_of(series, regression, "a CUSUM test");
  const maths::Regression fit = maths::regress(d.X, d.y);
  const auto n = d.y.size();
  const double sigma = std::sqrt(fit.ssr / static_cast<double>(n - d.X.cols()));
  double sum = 0, most = 0;
  Index where = 0;
  for (Index t = 0; t < n; ++t) {
    sum += fit.residuals(t);
    if (std::abs(sum) > most) {
      most = std::abs(sum);
      where = t;
    }
  }
  most /= sigma * std::sqrt(static_cast<double>(n));
  TestResult test = test_of("cusum-ols", "residuals", kConstant, most, n);
  const int steps = static_cast<int>(n);
  read(test, laws::bridge_tail(most, steps), "the coefficients change", "no sign of a change");
  test.critical = critical_values([&](double x) { return laws::bridge_tail(x, steps); });
  test.break_at = unit_root::break_at(d.series, d.last_before(where + 1));
  return test;
}

TestResult cusum_squares(const Series& series, const BreakRegression& regression) {
  const Design d = design_of(series, regression, "a CUSUM of squares");
  const VectorXd w2 = recursive_residuals(d).cwiseAbs2();
  const auto m = static_cast<double>(w2.size());
  const double mean = w2.mean();
  const double scale = std::sqrt((w2.array() - mean).square().sum());
  double sum = 0, most = 0;
  Index where = 0;
  for (Index t = 0; t < w2.size(); ++t) {
    sum += w2(t) - mean;
    if (std::abs(sum) > most) {
      most = std::abs(sum);
      where = t;
    }
  }
  TestResult test = test_of("cusum-squares", "recursive residuals",
                            "the variance of the residuals is constant", most / scale, w2.size());
  const int steps = static_cast<int>(m);
  read(test, laws::bridge_tail(test.statistic, steps), "the variance changes",
       "no sign that the variance changes");
  test.critical = critical_values([&](double x) { return laws::bridge_tail(x, steps); });
  test.break_at = unit_root::break_at(
      d.series, d.series.size() - static_cast<std::size_t>(w2.size() - 1 - where));
  return test;
}

std::vector<TestResult> sup_f(const Series& series, const BreakRegression& regression,
                              const ChangeOptions& options) {
  if (!(options.trim >= 0.02 && options.trim <= 0.4))
    throw Error(ErrorCode::bad_option, fmt::format("trim = {} is not in .02 to .4", options.trim));
  if (options.long_run && regression.coefficients() > 1)
    throw Error(ErrorCode::bad_option,
                "a long-run variance is for the level alone; with lags the plain F will do");
  const Design d = design_of(series, regression, "a sup-F test");
  const Index n = d.y.size(), k = d.X.cols();
  const auto N = static_cast<double>(n);
  const auto first = static_cast<Index>(std::ceil(options.trim * N - 1e-9));
  const auto last = static_cast<Index>(std::floor((1 - options.trim) * N + 1e-9));
  if (first <= k)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("a trim of {} leaves {} observations on a side for {} coefficients; "
                            "give a longer series",
                            options.trim, first, k));
  double whole = 0;
  std::vector<double> F = f_by_date(d, first, last, &whole);
  const auto best = std::max_element(F.begin(), F.end());
  const Index rows = first + (best - F.begin());
  if (options.long_run) {
    VectorXd u = d.y;
    u.head(rows).array() -= d.y.head(rows).mean();
    u.tail(n - rows).array() -= d.y.tail(n - rows).mean();
    const double ratio =
        u.squaredNorm() / N / level_spectrum({u.data(), static_cast<std::size_t>(n)});
    for (double& f : F) f *= ratio;
  }
  const int p = static_cast<int>(k), dates = static_cast<int>(n);
  // p F in the chi-squared scale of its limit, to order 1/n^2 (Box 1949).
  const double freedom = N - 2 * p;
  const auto wald = [&](double f) { return (freedom + p / 2.0 - 1) * std::log1p(p * f / freedom); };
  const double count = static_cast<double>(F.size()), most_wald = wald(*best);
  double mean = 0, mean_exp = 0, mean_wald = 0, mean_exp_wald = 0;
  for (const double f : F) {
    const double w = wald(f);
    mean += f / count;
    mean_wald += w / count;
    // Against the largest, so that nothing overflows.
    mean_exp += std::exp(p * (f - *best) / 2) / count;
    mean_exp_wald += std::exp((w - most_wald) / 2) / count;
  }
  const double log_mean_exp = p * *best / 2 + std::log(mean_exp);

  std::vector<TestResult> tests{test_of("sup-f", "largest F", kConstant, *best, n),
                                test_of("exp-f", "ln mean exp(W/2)", kConstant, log_mean_exp, n),
                                test_of("ave-f", "mean F", kConstant, mean, n)};
  for (TestResult& test : tests) {
    test.dof = {static_cast<double>(p)};
    test.break_at = unit_root::break_at(d.series, d.last_before(rows));
  }
  const char* changed = "the coefficients change";
  const char* kept = "no sign of a change";
  read(tests[0], laws::sup_wald_tail(most_wald, p, options.trim, dates), changed, kept);
  const bool tabled = std::abs(options.trim - 0.15) < 1e-9;
  if (tabled && p <= 5) {
    const auto law =
        static_cast<laws::SimulatedLaw>(static_cast<int>(laws::SimulatedLaw::exp_f_1) + p - 1);
    tests[1].p_floor = laws::floor_of(law);
    read(tests[1],
         std::max(laws::upper_tail(law, most_wald / 2 + std::log(mean_exp_wald), dates),
                  *tests[1].p_floor),
         changed, kept);
    tests[1].critical =
        CriticalValues{laws::quantile(law, 0.99, dates), laws::quantile(law, 0.95, dates),
                       laws::quantile(law, 0.90, dates)};
  } else {
    tests[1].reading = "no p-value: its law is known for a trim of .15 and 5 coefficients at most";
  }
  if (tabled && p <= laws::kMostBroken) {
    read(tests[2], laws::ave_wald_tail(mean_wald, p), changed, kept);
  } else {
    tests[2].reading = "no p-value: its law is known for a trim of .15 and 10 coefficients at most";
  }
  return tests;
}

namespace {

// P(the argmax lies beyond x after the break): the two sides are Brownian motions with drift
// towards it, unit variance and drift mu after it; the largest value before it is exponential with
// rate r in the same scale. Density at t: the value m is first reached at t and never passed, and
// the other side stays below m.
double beyond(double x, double mu, double r) {
  const auto density = [&](double t) {
    const double root = std::sqrt(t), nu = mu + r;
    // Gaussian weight times m, integrated over m > 0, with and without exp(-r m); the common
    // exp(-mu^2 t / 2) is taken out and the rest written with the scaled complementary error
    // function's expansion where it would overflow.
    const auto part = [&](double v) {
      const double z = v * root;
      const double mills =
          z < 30 ? laws::normal_cdf(-z) * std::exp(z * z / 2) * std::sqrt(2 * std::numbers::pi)
                 : 1 / z * (1 - 1 / (z * z) + 3 / (z * z * z * z));
      return root * (1 - z * mills) / std::sqrt(2 * std::numbers::pi);
    };
    return 2 * mu / t * std::exp(-mu * mu * t / 2) * (part(mu) - part(nu));
  };
  boost::math::quadrature::exp_sinh<double> rule;
  return rule.integrate(density, x, std::numeric_limits<double>::infinity(), 1e-8);
}

double reach(double mu, double r) {
  const auto over = [&](double x) { return beyond(x, mu, r) - 0.025; };
  const double unit = 1 / (mu * mu);
  if (over(1e-6 * unit) < 0) return 0;
  double high = unit;
  while (over(high) > 0) high *= 2;
  boost::math::tools::eps_tolerance<double> close(20);
  std::uintmax_t steps = 60;
  const auto [a, b] = boost::math::tools::toms748_solve(over, 1e-6 * unit, high, close, steps);
  return (a + b) / 2;
}

}  // namespace

Reach date_interval(double delta, double before, double after) {
  const double d = std::abs(delta), most = std::max(before, after);
  // No change, or one whose interval, some s^2 / d^2 rows, holds any sample: nothing tells the
  // date.
  constexpr double kLeastChange = 1e-8;
  if (!(d > kLeastChange * std::sqrt(most)))
    return {std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity()};
  if (!(most > 0)) return {0, 0};  // no noise: nothing hides it
  // A side without noise has a little of the other's, so that what follows has numbers.
  constexpr double kLeast = 1e-8;
  before = std::max(before, kLeast * most);
  after = std::max(after, kLeast * most);
  // Values of the objective have drift delta^2 / 2 an observation and variance delta^2 s^2.
  const double s1 = std::sqrt(before), s2 = std::sqrt(after);
  return {.earlier = reach(d / (2 * s2), d * s2 / before),
          .later = reach(d / (2 * s1), d * s1 / after)};
}

namespace {

// Largest reduction by one more break inside a segment trimmed by .15 at each end, over s2.
double best_split(const MeanSegments& segments, std::size_t from, std::size_t to, double s2) {
  const auto length = static_cast<double>(to - from);
  const auto low = from + static_cast<std::size_t>(std::ceil(kTrim * length));
  const auto high = from + static_cast<std::size_t>(std::floor((1 - kTrim) * length));
  const double whole = segments.ssr(from, to);
  double most = 0;
  for (std::size_t i = std::max(low, from + 1); i <= std::min(high, to - 1); ++i)
    most = std::max(most, whole - segments.ssr(from, i) - segments.ssr(i, to));
  return most / s2;
}

std::vector<std::size_t> edges_of(const std::vector<std::size_t>& breaks, std::size_t n) {
  std::vector<std::size_t> edges{0};
  edges.insert(edges.end(), breaks.begin(), breaks.end());
  edges.push_back(n);
  return edges;
}

}  // namespace

namespace {

// The steps of Bai and Perron on one series; each writes its part of the result.
class BaiPerronSteps {
 public:
  BaiPerronSteps(const Series& series, const BaiPerronOptions& options)
      : options_(options), closed_(without_gaps(series)), n_(closed_.size()), segments_(y()) {
    out_.partitions = breaks::best_partitions(
        segments_, n_, static_cast<std::size_t>(kTrim * static_cast<double>(n_)), options.most);
    if (options.long_run)
      ratio_ = out_.partitions[1].ssr / static_cast<double>(n_) /
               level_spectrum(residuals(out_.partitions[1].breaks));
  }

  BaiPerron run() {
    test_against_none();
    test_one_more();
    choose_by_criteria();
    date_breaks();
    return std::move(out_);
  }

 private:
  [[nodiscard]] const std::vector<double>& y() const { return closed_.values; }
  [[nodiscard]] int most() const { return static_cast<int>(out_.partitions.size()) - 1; }
  [[nodiscard]] static std::string of_breaks(int k) {
    return text::plural(static_cast<std::size_t>(k), "break", "breaks");
  }

  [[nodiscard]] std::vector<double> residuals(const std::vector<std::size_t>& breaks) const {
    std::vector<double> u = y();
    const auto edges = edges_of(breaks, n_);
    for (std::size_t s = 0; s + 1 < edges.size(); ++s) {
      const double mean =
          std::accumulate(y().begin() + static_cast<std::ptrdiff_t>(edges[s]),
                          y().begin() + static_cast<std::ptrdiff_t>(edges[s + 1]), 0.0) /
          static_cast<double>(edges[s + 1] - edges[s]);
      for (std::size_t t = edges[s]; t < edges[s + 1]; ++t) u[t] -= mean;
    }
    return u;
  }

  TestResult& add(const std::string& variant, const std::string& null, double statistic, double p,
                  std::optional<double> floor) {
    TestResult test = test_of("bai-perron", variant, null, statistic, static_cast<Index>(n_));
    test.p_floor = floor;
    read(test, floor ? std::max(p, *floor) : p, "the mean changes",
         "no sign that the mean changes");
    return out_.tests.emplace_back(std::move(test));
  }
  // By a law of an F of k breaks against none.
  TestResult& add_simulated(const std::string& variant, double F, laws::SimulatedLaw law) {
    return add(variant, "no break in the mean", F, laws::upper_tail(law, F, static_cast<int>(n_)),
               laws::floor_of(law));
  }

  // k breaks against none, and the largest of these.
  void test_against_none() {
    using laws::SimulatedLaw;
    const breaks::Statistics found = breaks::statistics(out_.partitions, n_);
    for (int k = 1; k <= most(); ++k) {
      const auto law =
          static_cast<SimulatedLaw>(static_cast<int>(SimulatedLaw::bai_perron_f1) + k - 1);
      TestResult& test = add_simulated(fmt::format("F, {}", of_breaks(k)),
                                       ratio_ * found.F[static_cast<std::size_t>(k) - 1], law);
      if (k == 1) test.break_at = unit_root::break_at(closed_, out_.partitions[1].breaks.front());
    }
    const TestResult& ud =
        add_simulated("UDmax", ratio_ * found.ud, SimulatedLaw::bai_perron_udmax);
    out_.by_sequence = *ud.p_value < options_.significance ? 1 : 0;
    add_simulated("WDmax", ratio_ * found.wd, SimulatedLaw::bai_perron_wdmax);
  }

  // l + 1 breaks against l, as long as both this and k breaks against none see them: a short
  // episode inside a segment counts for F(l+1|l) but makes no partition.
  void test_one_more() {
    bool going = out_.by_sequence > 0;
    for (int l = 1; l < most(); ++l) {
      const BaiPerron::Partition& part = out_.partitions[static_cast<std::size_t>(l)];
      const double s2 = part.ssr / (static_cast<double>(n_) - l - 1);
      const auto edges = edges_of(part.breaks, n_);
      double F = 0;
      for (std::size_t s = 0; s + 1 < edges.size(); ++s)
        F = std::max(F, ratio_ * best_split(segments_, edges[s], edges[s + 1], s2));
      const double inside = 1 - laws::sup_wald_tail(F, 1, kTrim, static_cast<int>(n_) / (l + 1));
      const TestResult& test = add(fmt::format("F({}|{})", l + 1, l),
                                   fmt::format("no more than {} in the mean", of_breaks(l)), F,
                                   1 - std::pow(inside, l + 1), {});
      going = going && *test.p_value < options_.significance &&
              *out_.tests[static_cast<std::size_t>(l)].p_value < options_.significance;
      if (going) out_.by_sequence = l + 1;
    }
  }

  // Yao (1988): a break costs a mean and a date; Liu, Wu and Zidek (1997) with c0 = .299, d0 = .1.
  void choose_by_criteria() {
    const auto N = static_cast<double>(n_);
    double least_bic = std::numeric_limits<double>::infinity(), least_lwz = least_bic;
    for (int k = 0; k <= most(); ++k) {
      BaiPerron::Partition& part = out_.partitions[static_cast<std::size_t>(k)];
      const double terms = 2.0 * k + 1;
      part.bic = std::log(part.ssr / N) + terms * std::log(N) / N;
      part.lwz = std::log(part.ssr / (N - terms)) + terms * 0.299 * std::pow(std::log(N), 2.1) / N;
      if (part.bic < least_bic) {
        least_bic = part.bic;
        out_.by_bic = k;
      }
      if (part.lwz < least_lwz) {
        least_lwz = part.lwz;
        out_.by_lwz = k;
      }
    }
  }

  void date_breaks() {
    const int chosen = std::min(given_or(options_.number, out_.by_sequence, "number", 0), most());
    const std::vector<std::size_t>& dated =
        out_.partitions[static_cast<std::size_t>(chosen)].breaks;
    const auto edges = edges_of(dated, n_);
    const std::vector<double> u = residuals(dated);
    const auto variance_of_segment = [&](std::size_t s) {
      const std::span<const double> part(u.data() + edges[s], edges[s + 1] - edges[s]);
      return options_.long_run ? level_spectrum(part)
                               : std::inner_product(part.begin(), part.end(), part.begin(), 0.0) /
                                     static_cast<double>(part.size());
    };
    for (std::size_t b = 0; b < dated.size(); ++b) {
      const double delta = (y()[edges[b + 1]] - u[edges[b + 1]]) - (y()[edges[b]] - u[edges[b]]);
      out_.breaks.push_back(
          dated_break(closed_, dated[b],
                      date_interval(delta, variance_of_segment(b), variance_of_segment(b + 1))));
    }
  }

  const BaiPerronOptions& options_;
  Series closed_;
  std::size_t n_;
  MeanSegments segments_;
  double ratio_ = 1;  // long-run over plain variance of what one break leaves
  BaiPerron out_;
};

}  // namespace

BaiPerron bai_perron(const Series& series, const BaiPerronOptions& options) {
  if (options.most < 1 || options.most > 5 || options.number.value_or(0) > options.most)
    throw Error(ErrorCode::bad_option,
                fmt::format("breaks: 1 to 5 are searched, and at most that many asked for "
                            "(most = {}, number = {})",
                            options.most, options.number.value_or(0)));
  require_usable(series, 50, "a Bai-Perron test");
  return BaiPerronSteps(series, options).run();
}

BreakDate dated_break(const Series& series, std::size_t rows_before, const Reach& reach) {
  BreakDate out;
  out.row = rows_before - 1;
  const auto row = static_cast<double>(out.row), last = static_cast<double>(series.size()) - 2;
  // One more observation on each side, since dates are whole (Bai 1997).
  out.low = static_cast<std::size_t>(std::max(0.0, row - std::floor(reach.earlier) - 1));
  out.high = static_cast<std::size_t>(std::min(last, row + std::floor(reach.later) + 1));
  if (!series.times.empty()) {
    out.date = series.times[out.row];
    out.low_date = series.times[out.low];
    out.high_date = series.times[out.high];
  }
  return out;
}

}  // namespace brace::inline v0::hypothesis
