// SPDX-License-Identifier: Apache-2.0
// The exact likelihood: known answers, a second formulation, derivatives, gaps, edges, scale.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <numeric>

#include "brace/estimation/estimate.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "brace/series/split.hpp"
#include "brace/series/transform.hpp"
#include "likelihood/exact_likelihood.hpp"
#include "likelihood/innovations.hpp"
#include "support/known_answers.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

// Each counted row's term of the log-likelihood, whose sum is the exact one.
bool row_terms(const Model& model, const MeanData& data, std::span<const double> theta,
               std::vector<double>& terms) {
  Innovations found;
  const double sigma2 = theta[mean_positions(model).count];
  if (!(sigma2 > 0) || !filter(model, data, theta, found)) return false;
  terms.assign(found.error.size(), 0.0);
  const double of_one = std::log(2 * std::numbers::pi * sigma2);  // most rows have spread 1
  for (std::size_t t = 0; t < terms.size(); ++t)
    if (const double h = sigma2 * found.spread[t]; h > 0)
      terms[t] = -0.5 * (of_one + (found.spread[t] == 1 ? 0 : std::log(found.spread[t])) +
                         found.error[t] * found.error[t] / h);
  return true;
}

using test::Case;
using test::Json;

// ---- Known answers ----

class Exact : public test::KnownAnswer {
 protected:
  Series y = series();

  Series series() const {
    Series s = test::series_of(answer);
    const Table table =
        read_table((test::reference_folder() / answer.at("data").get<std::string>()).string(), {});
    for (const Column& c : table.columns)
      if (c.name != "value") s.companions.push_back({c.name, c.values});
    return s;
  }
  // Where the file has a parameter; it numbers seasonal lags in seasons and keeps another order.
  std::size_t place(const std::string& name) const {
    const std::string theirs = name == "sma12" ? "sma1" : name;
    const auto at = std::find(want["names"].begin(), want["names"].end(), theirs);
    EXPECT_NE(at, want["names"].end()) << name;
    return static_cast<std::size_t>(at - want["names"].begin());
  }
};

TEST_P(Exact, LikelihoodAtGivenParameters) {
  const Json& fixed = want["at_fixed_parameters"];
  std::vector<double> theta;
  for (const std::string& name : parameter_names(model).all())
    theta.push_back(fixed["parameters"].at(name == "sma12" ? "sma1" : name));
  const Evaluation got = evaluate(model, y, theta);
  EXPECT_NEAR(got.log_likelihood, fixed["loglik"].get<double>(), tolerance("loglik_at_fixed_abs"));
  if (fixed.contains("gradient"))
    for (std::size_t j = 0; j < theta.size(); ++j)
      test::expect_close(got.gradient[j], fixed["gradient"][place(parameter_names(model).all()[j])],
                         1e-6, tolerance("gradient_at_fixed_rel"), "gradient");
}

TEST_P(Exact, MaximumPathAndForecasts) {
  const Fit fit = estimate(model, y);
  ASSERT_EQ(fit.convergence.status, FitStatus::converged) << fit;
  EXPECT_TRUE(fit.exact);
  EXPECT_LT(*fit.convergence.gradient_norm, kConverged);
  EXPECT_NEAR(*fit.log_likelihood, want["loglik"].get<double>(), tolerance("loglik_abs"));
  EXPECT_EQ(fit.n, want["n"].get<std::size_t>());
  EXPECT_EQ(fit.estimated, want["k"].get<int>());
  EXPECT_NEAR(*fit.aic, want["aic"].get<double>(), tolerance("information_criteria_abs"));
  EXPECT_NEAR(*fit.bic, want["bic"].get<double>(), tolerance("information_criteria_abs"));
  const bool three = want.contains("se_hessian");  // all three kinds of error are given
  const Json& se = three ? want["se_hessian"] : want["se"];
  for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
    const Parameter& p = fit.parameters[j];
    const std::size_t i = place(p.name);
    EXPECT_NEAR(p.estimate, want["estimate"][i].get<double>(),
                tolerance("estimate_in_units_of_se") * se[i].get<double>())
        << p.name;
    EXPECT_NEAR(*p.se_hessian / se[i].get<double>(), 1, tolerance("se_rel")) << p.name;
    if (!three) continue;
    EXPECT_NEAR(*p.se_opg / want["se_opg"][i].get<double>(), 1, tolerance("se_rel")) << p.name;
    EXPECT_NEAR(*p.se_robust / want["se_sandwich"][i].get<double>(), 1, tolerance("se_rel"))
        << p.name;
  }
  if (three) return;  // its forecasts need the coming values of x: below
  for (std::size_t i = 0, t = 0; i < 5; ++i, ++t) {
    while (!fit.counted[t]) ++t;
    EXPECT_NEAR(fit.shocks[t], want["innovations_first5"][i].get<double>(),
                tolerance("innovations_abs"));
    EXPECT_NEAR(fit.variances[t] / want["innovation_variance_first5"][i].get<double>(), 1, 1e-3);
  }
  const Forecast ahead =
      forecast(fit, {.horizon = 12, .method = ForecastMethod::plug_in, .draws = 100, .paths = 1});
  for (std::size_t i = 0; i < 12; ++i) {
    const double sd = want["forecast"]["se"][i];
    EXPECT_NEAR(ahead.steps[i].mean, want["forecast"]["mean"][i].get<double>(),
                tolerance("forecast_in_units_of_forecast_se") * sd);
    EXPECT_NEAR(ahead.steps[i].sd / sd, 1, tolerance("forecast_se_rel"));
  }
}

INSTANTIATE_TEST_SUITE_P(Cases, Exact,
                         testing::Values(Case{"o11", "const ar1 ma1"}, Case{"o12", "const ar1,2"},
                                         Case{"o13", "diff1 ar1 ma1"},
                                         Case{"o14", "diff1 diff12 ma1 sma12"},
                                         Case{"o15", "const ar1 ma9"}, Case{"o16", "const ar1 ma1"},
                                         Case{"o49b", "const ar1 harmonics 12:1 with x"}),
                         [](const auto& i) { return i.param.id; });

// The coming values of a regressor enter the forecast; the joint likelihood takes it too.
TEST(Regressor, KnownAnswersOfItsForecastsAndOfTheJointFit) {
  for (const auto& [id, line] :
       {std::pair{"o49b", "const ar1 harmonics 12:1 with x"},
        std::pair{"o49", "const ar1 harmonics 12:1 with x / garch / normal"}}) {
    const Json answer = test::known_answer(id);
    const Json& want = answer["expected"];
    const Series y = test::series_of(answer);
    const Fit fit = estimate(line, y);
    ASSERT_TRUE(fit.usable()) << fit;
    // Another optimiser's maximum, to its own tolerance.
    EXPECT_NEAR(*fit.log_likelihood, want["loglik"].get<double>(), 1e-4);
    for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
      const auto at =
          std::find(want["names"].begin(), want["names"].end(), fit.parameters[j].name) -
          want["names"].begin();
      const auto i = static_cast<std::size_t>(at);
      // A thousandth of a standard error.
      EXPECT_NEAR(fit.parameters[j].estimate, want["estimate"][i].get<double>(),
                  1e-3 * want["se_hessian"][i].get<double>())
          << fit.parameters[j].name;
    }
    ForecastOptions options{.horizon = 10, .method = ForecastMethod::plug_in};
    EXPECT_NE(
        std::string(test::error_of([&] { (void)forecast(fit, options); }).what()).find("`future`"),
        std::string::npos);
    options.future = {{"x", answer["inputs"]["future_x"].get<std::vector<double>>()}};
    const Forecast ahead = forecast(fit, options);
    for (std::size_t i = 0; i < 10; ++i)
      // Estimates of another optimiser.
      EXPECT_NEAR(ahead.steps[i].mean, want["mean_forecast"][i].get<double>(), 2e-3) << id << i;
  }
}

// ---- A second formulation: the density of a normal vector, from psi-weights alone ----

// Covariance over sigma2 of the stationary part at lags 0 .. n - 1, by a long sum of psi-weights.
double by_definition(const Model& model, const std::vector<double>& theta,
                     const std::vector<double>& y) {
  constexpr std::size_t kLong = 4000;
  Model stationary = model;
  stationary.mean.differences.clear();
  const std::vector<double> psi = psi_weights(stationary, theta, kLong);
  const MeanData data = mean_data(model, y);
  const MeanPositions at = mean_positions(model);
  std::vector<Eigen::Index> rows;
  for (std::size_t t = 0; t < data.change.size(); ++t)
    if (!std::isnan(data.change[t])) rows.push_back(static_cast<Eigen::Index>(t));
  const auto n = static_cast<Eigen::Index>(rows.size());
  Eigen::MatrixXd V(n, n);
  Eigen::VectorXd e(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const Eigen::Index row = rows[static_cast<std::size_t>(i)];
    e(i) = data.change[static_cast<std::size_t>(row)];
    for (std::size_t j = 0; j < at.regression.size(); ++j)
      e(i) -= theta[at.regression[j]] * data.columns(row, static_cast<Eigen::Index>(j));
    for (Eigen::Index k = 0; k <= i; ++k) {
      const auto lag = static_cast<std::size_t>(row - rows[static_cast<std::size_t>(k)]);
      double g = 0;
      for (std::size_t l = 0; l + lag < kLong; ++l) g += psi[l] * psi[l + lag];
      V(i, k) = V(k, i) = theta[at.count] * g;
    }
  }
  const Eigen::LLT<Eigen::MatrixXd> llt(V);
  double log_det = 0;
  for (Eigen::Index i = 0; i < n; ++i) log_det += 2 * std::log(llt.matrixLLT()(i, i));
  return -0.5 *
         (static_cast<double>(n) * std::log(2 * std::numbers::pi) + log_det + e.dot(llt.solve(e)));
}

struct Point {
  const char* name;
  const char* line;
  std::vector<double> theta;
  bool gaps;
  bool dense;  // by_definition applies: no gap in a differenced series
};
void PrintTo(const Point& p, std::ostream* out) {
  *out << p.line << (p.gaps ? " with gaps" : "");
}

class ExactAt : public testing::TestWithParam<Point> {
 protected:
  Model model = canonical(parse_model(GetParam().line));
  std::vector<double> theta = GetParam().theta;
  std::vector<double> y = series();

  std::vector<double> series() const {
    std::vector<double> values =
        simulate(parse_model("const ar1 ma1"), {1, .6, .4, .8}, 160, {.seed = 11}).values;
    if (!model.mean.differences.empty())
      for (std::size_t t = 1; t < values.size(); ++t) values[t] += values[t - 1];
    if (GetParam().gaps)
      for (const std::size_t t : {20U, 47U, 48U, 49U, 120U, 159U})
        values[t] = std::numeric_limits<double>::quiet_NaN();
    return values;
  }
  double value(const std::vector<double>& at) const {
    Derivatives<double> d;
    ExactLikelihood(model, mean_data(model, y)).evaluate(at, Order::value, d);
    return d.log_likelihood;
  }
};

TEST_P(ExactAt, EqualsTheDensityAndThePredictionErrors) {
  std::vector<double> terms;
  ASSERT_TRUE(row_terms(model, mean_data(model, y), theta, terms));
  double sum = 0;
  for (const double term : terms) sum += term;
  const double got = value(theta);
  EXPECT_NEAR(sum, got, 1e-9 * std::abs(got));
  if (GetParam().dense) {
    EXPECT_NEAR(by_definition(model, theta, y), got, 1e-9 * std::abs(got));
  }
}

// Against differences of five points, whose error is step^4 and rounding over step: 1e-8 of the
// derivative's size.
TEST_P(ExactAt, DerivativesAreThoseOfTheValue) {
  ExactLikelihood likelihood(model, mean_data(model, y));
  Derivatives<double> d, side;
  likelihood.evaluate(theta, Order::hessian, d);
  const double root_n = std::sqrt(static_cast<double>(y.size()));
  constexpr double kStep = 1e-4;
  const auto at = [&](std::size_t j, double steps) {
    std::vector<double> moved = theta;
    moved[j] += steps * kStep;
    likelihood.evaluate(moved, Order::gradient, side);
    return std::pair(side.log_likelihood, side.gradient);
  };
  for (std::size_t j = 0; j < theta.size(); ++j) {
    const auto [f1, g1] = at(j, 1);
    const auto [f2, g2] = at(j, -1);
    const auto [f3, g3] = at(j, 2);
    const auto [f4, g4] = at(j, -2);
    const double slope = (8 * (f1 - f2) - (f3 - f4)) / (12 * kStep);
    // Central differences of a long sum.
    EXPECT_NEAR(d.gradient[j], slope, 1e-7 * std::max(std::abs(slope), root_n)) << j;
    for (std::size_t i = 0; i <= j; ++i) {
      const double bend = (8 * (g1[i] - g2[i]) - (g3[i] - g4[i])) / (12 * kStep);
      EXPECT_NEAR(d.hessian[packed(j, i)], bend,
                  1e-5 * std::max(std::abs(bend), static_cast<double>(y.size())))
          << j << ", " << i;
    }
  }
}

// The scores' sum is the gradient.
TEST_P(ExactAt, ScoresAddUpToTheGradient) {
  ExactLikelihood likelihood(model, mean_data(model, y));
  Derivatives<double> d;
  likelihood.evaluate(theta, Order::gradient, d);
  const std::vector<double> scores = likelihood.scores(theta);
  for (std::size_t j = 0; j < theta.size(); ++j) {
    double sum = 0;
    for (std::size_t t = 0; t < likelihood.rows(); ++t) sum += scores[t * theta.size() + j];
    EXPECT_NEAR(sum, d.gradient[j], 1e-5 * std::max(1.0, std::abs(d.gradient[j])));
  }
  // And row by row that of its own term, the start as well as what follows it.
  const MeanData data = mean_data(model, y);
  std::vector<double> moved = theta, up, down;
  for (std::size_t j = 0; j < theta.size(); ++j) {
    const double step = 1e-5 * std::max(1.0, std::abs(theta[j]));
    moved[j] = theta[j] + step;
    ASSERT_TRUE(row_terms(model, data, moved, up));
    moved[j] = theta[j] - step;
    ASSERT_TRUE(row_terms(model, data, moved, down));
    moved[j] = theta[j];
    for (std::size_t t = 0; t < likelihood.rows(); ++t) {
      const double slope = (up[t] - down[t]) / (2 * step);
      ASSERT_NEAR(scores[t * theta.size() + j], slope, 1e-5 * (1 + std::abs(slope)))
          << "row " << t << ", parameter " << j;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(
    Points, ExactAt,
    testing::Values(
        Point{"arma11", "const ar1 ma1", {.9, .5, .3, .8}, false, true},
        Point{"arma11_gaps", "const ar1 ma1", {.9, .5, .3, .8}, true, true},
        Point{"ar2", "zero ar1,2", {.5, -.3, .8}, false, true},
        Point{"sparse", "const ma1,9", {.9, .5, -.2, .8}, false, true},
        Point{"arma23", "const ar1,2 ma1..3", {.9, .5, .1, .3, .2, -.1, .8}, false, true},
        Point{"seasonal", "const ar1 ma1 sar12 sma12", {.9, .5, .2, .3, -.4, .8}, false, true},
        Point{"regression_gaps",
              "const trend ar1 ma1 sar12 sma12 harmonics 12:1",
              {.9, .001, .5, .2, .3, -.4, .1, .2, .8},
              true,
              true},
        Point{"difference", "diff1 ar1 ma1", {.5, .3, .8}, false, true},
        Point{"difference_gaps", "const diff1 ar1 ma1", {1, .5, .3, .8}, true, false},
        Point{"seasonal_difference", "diff1 diff12 ma1 sma12", {-.5, -.3, .8}, true, false},
        Point{"near_circle", "const ma1", {.9, -.97, .8}, false, true},
        Point{"near_unit_root", "const ar1", {.9, .97, .8}, false, true}),
    [](const auto& i) { return std::string(i.param.name); });

// A gap in a differenced series leaves the same information as one row that spans it: for a random
// walk a step of k rows has variance k sigma2.
TEST(ExactGaps, OfARandomWalkAreLongerSteps) {
  std::vector<double> y = simulate(parse_model("diff1"), {1.0}, 60, {.seed = 3}).values;
  double want = 0;
  for (std::size_t t = 1; t < y.size(); ++t)
    if (t < 20 || t > 24)
      want -= 0.5 * (std::log(2 * std::numbers::pi) + std::pow(y[t] - y[t - 1], 2));
  want -= 0.5 * (std::log(2 * std::numbers::pi * 5) + std::pow(y[24] - y[19], 2) / 5);
  for (std::size_t t = 20; t < 24; ++t) y[t] = std::numeric_limits<double>::quiet_NaN();
  EXPECT_NEAR(evaluate(parse_model("diff1"), make_series(y), {1.0}).log_likelihood, want, 1e-10);
}

// Missing at the very start, where the level is not known: a diffuse start forgets those rows.
TEST(ExactGaps, AtTheStartOfADifferencedSeriesCostTheRowsTheyTouch) {
  std::vector<double> y = simulate(parse_model("diff1"), {1.0}, 60, {.seed = 3}).values;
  const std::vector<double> later(y.begin() + 2, y.end());
  y[0] = y[1] = std::numeric_limits<double>::quiet_NaN();
  const auto value = [](const std::vector<double>& v) {
    return evaluate(parse_model("diff1 ma1"), make_series(v), {.3, 1.2}).log_likelihood;
  };
  EXPECT_NEAR(value(y), value(later), 1e-9);
}

// ---- Whole fits ----

TEST(ExactFit, ScaleDoesNotMatter) {
  const Series y = simulate(parse_model("const ar1 ma1"), {.2, .6, .3, 1}, 400, {.seed = 5});
  const Fit one = estimate("const trend ar1 ma1", y);
  for (const double c : {1e-6, 1e6}) {
    Series scaled = y;
    for (double& v : scaled.values) v *= c;
    const Fit other = estimate("const trend ar1 ma1", scaled);
    for (std::size_t j = 0; j < one.parameters.size(); ++j) {
      const std::string& name = one.parameters[j].name;
      const double unit = name == "sigma2" ? c * c : name == "mu" || name == "trend" ? c : 1;
      // The same climb in another unit, to a millionth of a standard error; opg is a product of two
      // scores.
      EXPECT_NEAR(other.parameters[j].estimate / unit, one.parameters[j].estimate,
                  1e-6 * *one.parameters[j].se)
          << name;
      EXPECT_NEAR(*other.parameters[j].se / unit / *one.parameters[j].se, 1, 1e-6) << name;
      EXPECT_NEAR(*other.parameters[j].se_opg / unit / *one.parameters[j].se_opg, 1, 1e-4) << name;
    }
  }
}

// Closed forms: a mean and variance; a trend by least squares; a random walk's variance.
TEST(ExactFit, ClosedForms) {
  const Series y = simulate(parse_model("zero"), {2.0}, 200, {.seed = 8});
  const Fit trend = estimate("const trend", y);
  double sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (std::size_t t = 0; t < y.size(); ++t) {
    const auto x = static_cast<double>(t + 1);
    sx += x;
    sy += y.values[t];
    sxx += x * x;
    sxy += x * y.values[t];
  }
  const double slope = (200 * sxy - sx * sy) / (200 * sxx - sx * sx);
  EXPECT_NEAR(trend.parameters[1].estimate, slope, 1e-12);
  EXPECT_NEAR(trend.parameters[0].estimate, (sy - slope * sx) / 200, 1e-10);
}

TEST(ExactFit, AnOverDifferencedSeriesIsNamedAtTheEdge) {
  const Series y = simulate(parse_model("zero"), {1.0}, 300, {.seed = 4});
  const Fit fit = estimate("diff1 ma1", y);
  EXPECT_EQ(fit.convergence.status, FitStatus::boundary) << fit;
  EXPECT_NE(fit.convergence.why.find("ma1 inside the unit circle (root 1.0"), std::string::npos)
      << fit.convergence.why;
  EXPECT_FALSE(fit.parameters[0].se);
  const auto warned = std::any_of(fit.warnings.begin(), fit.warnings.end(), [](const Warning& w) {
    return w.code == WarningCode::over_differenced;
  });
  EXPECT_TRUE(warned);
}

TEST(ExactFit, ConditionalIsAskedForByName) {
  const Series y = simulate(parse_model("const ar1"), {0, .5, 1}, 300, {.seed = 6});
  const Fit exact = estimate("const ar1", y);
  const Fit conditional = estimate("const ar1", y, {.likelihood = LikelihoodKind::conditional});
  EXPECT_TRUE(exact.exact);
  EXPECT_FALSE(conditional.exact);
  EXPECT_NE(*exact.log_likelihood, *conditional.log_likelihood);
  // The first row counts once in 300.
  EXPECT_NEAR(exact.parameters[1].estimate, conditional.parameters[1].estimate, .02);
  EXPECT_EQ(test::error_of([&] {
              (void)estimate("const / garch", y, {.likelihood = LikelihoodKind::exact});
            }).code(),
            ErrorCode::bad_option);
}

TEST(ExactFit, RefusesTermsThatAddNothing) {
  Series y = simulate(parse_model("zero"), {1.0}, 100, {.seed = 4});
  y.companions = {{"flat", std::vector<double>(100, 3.0)}};
  EXPECT_NE(std::string(test::error_of([&] { (void)estimate("const with flat", y); }).what())
                .find("with:flat adds nothing"),
            std::string::npos);
  EXPECT_NE(std::string(test::error_of([&] { (void)estimate("const with volume", y); }).what())
                .find("no column 'volume'"),
            std::string::npos);
}

// Sparse sets have no coordinates of their own: whatever the data, the estimate lies inside, and
// the likelihood is refused just outside.
TEST(ExactFit, SparseSetsStayStationaryAndInvertible) {
  for (const char* line : {"const ar1,9", "const ma9", "zero ar2,5 ma1,7", "const ar1 sma12,24"}) {
    const Model model = canonical(parse_model(line));
    for (std::uint64_t s = 0; s < 12; ++s) {
      // Near a unit root on one side, over-differenced on the other: both push to the edge.
      Series y = simulate(parse_model("const ar1"), {0, .97, 1}, 180, {.seed = 14, .stream = s});
      if (s % 2 == 1) y = differences(differences(y));
      const Fit fit = estimate(model, y);
      if (!fit.usable()) continue;
      const std::vector<double> theta = fit.estimates();
      std::vector<double> b = ma_product(model).dense(theta);
      for (double& v : b) v = -v;
      EXPECT_TRUE(maths::partial_autocorrelations(ar_product(model).dense(theta))) << line << s;
      EXPECT_TRUE(maths::partial_autocorrelations(b)) << line << s;
    }
  }
  const Series y = simulate(parse_model("const"), {0, 1}, 100, {.seed = 1});
  EXPECT_EQ(test::error_of([&] {
              (void)evaluate(parse_model("zero ar1,9"), y, {.8, .3, 1});
            }).code(),
            ErrorCode::bad_option)
      << "a root inside the unit circle";
}

// A window of a longer series is the same fit as that window alone; warm starts end where cold ones
// do.
TEST(ExactFit, OfAWindowAndFromAStart) {
  const auto y = std::make_shared<Series>(
      simulate(parse_model("const ar1 ma1"), {1, .6, .3, 1}, 500, {.seed = 13}));
  const Model model = parse_model("const ar1 ma1");
  const Fit part = values_of(fit_many({{.model = model, .series = y, .first = 100, .count = 300}},
                                      {}, Executor(1)))
                       .front();
  const Fit alone = estimate(model, rows_between(*y, 100, 400));
  EXPECT_EQ(part.log_likelihood, alone.log_likelihood);
  EXPECT_EQ(part.estimates(), alone.estimates());
  const Fit warm = estimate(model, rows_between(*y, 100, 400), {.start = {.5, .1, .1, 2}});
  for (std::size_t j = 0; j < 4; ++j)
    // A warm and a cold climb.
    EXPECT_NEAR(warm.estimates()[j], alone.estimates()[j], 1e-5 * *alone.parameters[j].se);
  EXPECT_STREQ(test::error_of([&] {
                 (void)estimate(model, *y, {.start = {1, 2}});
               }).what(),
               "the start has 2 numbers; 'const ar1 ma1 / steady / normal' has 4 "
               "parameters");
}

// Dummies are written out for what occurs, and count from the dates.
TEST(Regressor, DummiesOfDatesAreWrittenOut) {
  Series y = simulate(parse_model("zero"), {1.0}, 250, {.seed = 12});
  y.times.push_back(*parse_date("2021-01-04"));
  y.clock = Clock::business_day;
  for (const Timestamp t : dates_after(y.times[0], Clock::business_day, 249)) y.times.push_back(t);
  for (std::size_t t = 0; t < y.size(); ++t) {
    const auto day = std::chrono::weekday(std::chrono::floor<std::chrono::days>(y.times[t]));
    if (day == std::chrono::Friday) y.values[t] += 5;
    if (t >= 100) y.values[t] += 3;
  }
  const Fit fit = estimate("const with weekday,step:" + y.when(100), y);
  EXPECT_EQ(to_string(fit.model),
            "const with step:" + y.when(100) +
                ",weekday:tue,weekday:wed,weekday:thu,weekday:fri / steady / normal");
  for (const Parameter& p : fit.parameters) {
    if (p.name == "with:weekday:fri") {
      // Four standard errors.
      EXPECT_NEAR(p.estimate, 5, 4 * *p.se);
    }
    if (p.name.starts_with("with:step")) {
      EXPECT_NEAR(p.estimate, 3, 4 * *p.se);
    }
  }
  const Forecast ahead = forecast(fit, {.horizon = 5, .method = ForecastMethod::plug_in});
  for (const ForecastStep& s : ahead.steps) {
    const auto day = std::chrono::weekday(std::chrono::floor<std::chrono::days>(*s.date));
    EXPECT_GT(s.mean, day == std::chrono::Friday ? 6.5 : 1.5);
    EXPECT_LT(s.mean, day == std::chrono::Friday ? 9.5 : 4.5);
  }
}

// Two ways to the same state: the unknowns' own law, and row by row.
TEST(Exact, TheStateAtTheEndIsTheFilters) {
  struct Line {
    const char* line;
    std::vector<double> theta;
    std::vector<std::size_t> missing;  // of 120 rows
  };
  for (const Line& c :
       {Line{"const ar1 ma1", {1, .6, .3, 2}, {}},
        Line{"const ar1 ma1", {1, .6, .3, 2}, {0, 5, 6, 7, 118}},
        Line{"const ar1 ma1", {1, .6, .3, 2}, {119}}, Line{"diff1 ma1", {-.4, 1}, {30, 31, 119}},
        Line{"diff1 diff12 ma1 sma12", {-.4, -.7, 1}, {50, 51, 110, 113, 119}},
        Line{"const diff1 ar2 sar12", {.1, .3, .4, 1}, {40, 107, 108}}}) {
    Series y = simulate(parse_model("const ar1"), {5, .9, 1}, 120, {.seed = 3});
    for (const std::size_t t : c.missing) y.values[t] = std::nan("");
    const Model model = canonical(parse_model(c.line));
    const MeanData data = mean_data(model, y);
    Innovations rows;
    ASSERT_TRUE(filter(model, data, c.theta, rows));
    ArmaState end;
    ASSERT_TRUE(ExactLikelihood(model, data).state_at_end(c.theta, end));
    ASSERT_EQ(end.mean.size(), rows.end.mean.size()) << c.line;
    // The filter's diffuse levels leave eight digits.
    EXPECT_LT((end.mean - rows.end.mean).norm(), 1e-6 * (1 + rows.end.mean.norm())) << c.line;
    EXPECT_LT((end.covariance - rows.end.covariance).norm(), 1e-5) << c.line;
  }
}

// A third of the rows missing: the same maximum as row by row would find, at a price that grows
// with the rows, not with the cube of the gaps (a bench keeps the time).
TEST(Exact, ManyMissingValuesAreCheap) {
  Series y = simulate(parse_model("const ar1 ma1"), {0, .7, .3, 1}, 3000, {.seed = 6});
  maths::RandomStream stream(9, 1);
  for (double& v : y.values)
    if (stream.uniform() < 1. / 3) v = std::nan("");
  const Fit fit = estimate("const ar1 ma1", y);
  ASSERT_EQ(fit.convergence.status, FitStatus::converged);
  EXPECT_NEAR(fit.parameters[1].estimate, .7, .1);
  // Its likelihood is that of the prediction errors.
  const MeanData data = mean_data(fit.model, y);
  std::vector<double> terms;
  ASSERT_TRUE(row_terms(fit.model, data, fit.estimates(), terms));
  EXPECT_NEAR(std::accumulate(terms.begin(), terms.end(), 0.0), *fit.log_likelihood, 1e-6);
}

}  // namespace
}  // namespace brace
