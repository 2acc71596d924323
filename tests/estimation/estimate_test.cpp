// SPDX-License-Identifier: Apache-2.0
// The engine: scale, bounds, held parameters, gaps, statuses, many jobs, what is refused; check and
// simulate.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <map>
#include <sstream>

#include "brace/diagnosis/check.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "brace/series/split.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

Series sample(const char* line, std::vector<double> theta, std::size_t n,
              std::uint64_t stream = 0) {
  Series y = simulate(parse_model(line), theta, n, {.seed = 77, .stream = stream});
  y.kind = SeriesKind::log_return;
  return y;
}
Series returns(std::size_t n = 1500) {
  return sample("const / garch / student", {.03, .03, .08, .89, 6}, n);
}

const Parameter& parameter(const Fit& fit, const std::string& name) {
  for (const Parameter& p : fit.parameters)
    if (p.name == name) return p;
  throw std::out_of_range(name);
}

bool warned(const std::vector<Warning>& warnings, WarningCode code) {
  for (const Warning& w : warnings)
    if (w.code == code) return true;
  return false;
}

// Fitting c y gives the same fit rescaled; z to 1e-6, the rest by the powers of c.
TEST(Estimate, ScaleDoesNotMatter) {
  for (const char* line :
       {"const / garch / student", "const ar1 ma1 / garch", "zero / arch e1,2", "const ar1,5"}) {
    const Series y = returns();
    const Fit one = estimate(line, y);
    ASSERT_EQ(one.convergence.status, FitStatus::converged) << line;
    for (const double c : {1e-6, 1e-3, 1e3, 1e6}) {
      Series scaled = y;
      for (double& v : scaled.values) v *= c;
      const Fit other = estimate(line, scaled);
      ASSERT_EQ(other.convergence.status, FitStatus::converged) << line << " times " << c;
      const Series z = one.standardised(), w = other.standardised();
      for (std::size_t t = 0; t < z.size(); ++t)
        ASSERT_NEAR(z.values[t], w.values[t], 1e-6) << line << " times " << c << ", row " << t;
      for (std::size_t j = 0; j < one.parameters.size(); ++j) {
        const Parameter &a = one.parameters[j], &b = other.parameters[j];
        const double unit = a.name == "mu"                            ? c
                            : a.name == "omega" || a.name == "sigma2" ? c * c
                                                                      : 1;
        // Two climbs end within 1e-6 of a standard error of the same maximum.
        EXPECT_NEAR(b.estimate / unit, a.estimate, 1e-6 * (std::abs(a.estimate) + *a.se)) << a.name;
        EXPECT_NEAR(*b.se / unit / *a.se, 1, 1e-5) << a.name;
      }
      EXPECT_NEAR(*other.log_likelihood + static_cast<double>(one.n) * std::log(c),
                  *one.log_likelihood, 1e-6 * static_cast<double>(one.n));
    }
  }
}

// A mu that is held is the centre that an estimated one finds for itself.
TEST(Estimate, AHeldMeanMayLieFarFromZero) {
  Series y =
      simulate(parse_model("const / garch / student"), {0, .05, .1, .85, 6}, 600, {.seed = 7});
  for (const char* line : {"const mu=0 / garch / student", "const mu=0 ar1 / gjr"}) {
    const Fit here = estimate(line, y);
    for (const double mean : {1e2, 1e4, -1e6}) {
      Series far = y;
      for (double& v : far.values) v += mean;
      Model model = parse_model(line);
      model.held[0].value = mean;
      const Fit there = estimate(model, far);
      EXPECT_EQ(there.convergence.status, here.convergence.status) << there;
      // Values near 1e6 keep ten digits of a shock.
      EXPECT_NEAR(*there.log_likelihood, *here.log_likelihood, 1e-5) << there;
    }
  }
}

TEST(Estimate, SteadyNormalIsTheSampleMomentsInClosedForm) {
  const Series y = returns(500);
  const Moments m = moments(y);
  const Fit fit = estimate("const", y);
  const double n = static_cast<double>(m.n), s2 = m.sd * m.sd * (n - 1) / n;
  EXPECT_NEAR(parameter(fit, "mu").estimate, m.mean, 1e-10);
  EXPECT_NEAR(parameter(fit, "sigma2").estimate, s2, 1e-10);
  EXPECT_NEAR(*parameter(fit, "mu").se, std::sqrt(s2 / n), 1e-10);
  EXPECT_NEAR(*parameter(fit, "sigma2").se_hessian, s2 * std::sqrt(2 / n), 1e-9);
  EXPECT_NEAR(*fit.log_likelihood, -n / 2 * (std::log(2 * M_PI * s2) + 1), 1e-8);
  EXPECT_EQ(fit.errors, StandardErrors::hessian);
  EXPECT_FALSE(fit.persistence);
}

TEST(Estimate, RecoversSparseAndMixedModels) {
  struct Process {
    const char* line;
    std::vector<double> theta;
  };
  // Each estimate within 4.4 of its own errors: two-sided p 1e-5.
  for (const Process& c :
       {Process{"const ar1,9 / garch / student", {.1, .2, .15, .05, .08, .87, 7}},
        Process{"zero ma2 / arch e1,3", {.3, .5, .2, .2}},
        Process{"const ar1..3 ma1 / steady / student", {1, .4, -.2, .1, .5, 2, 5}},
        Process{"const / garch e1,2 h1 / normal", {0, .1, .05, .1, .75}}}) {
    const Fit fit = estimate(c.line, sample(c.line, c.theta, 8000));
    ASSERT_EQ(fit.convergence.status, FitStatus::converged) << c.line << '\n' << fit;
    for (std::size_t j = 0; j < c.theta.size(); ++j)
      EXPECT_NEAR(fit.parameters[j].estimate, c.theta[j], 4.4 * *fit.parameters[j].se)
          << c.line << " " << fit.parameters[j].name;
  }
}

TEST(Estimate, WithoutArchEffectsSaysBoundaryAndWithholdsErrors) {
  int boundary = 0;
  for (std::uint64_t s = 0; s < 10; ++s) {
    const Fit fit = estimate("const / arch e1,2", sample("const", {0, 1}, 600, s));
    ASSERT_TRUE(fit.usable()) << fit;
    if (fit.convergence.status != FitStatus::boundary) continue;
    ++boundary;
    bool pinned = false;
    for (const Parameter& p : fit.parameters)
      if (p.at_bound) {
        pinned = true;
        EXPECT_EQ(p.estimate, 0) << p.name;
        EXPECT_FALSE(p.se || p.p_value) << p.name;
        EXPECT_NE(fit.convergence.why.find(p.name), std::string::npos)
            << "the parameter is named: " << fit.convergence.why;
      }
    EXPECT_TRUE(pinned);
    EXPECT_TRUE(warned(fit.warnings, WarningCode::parameter_at_bound));
  }
  EXPECT_GE(boundary, 5) << "with true zeros at least one of two is at its bound in 3 of 4 samples";
}

TEST(Estimate, AUnitRootLandsOnTheEdgeAndIsNamed) {
  maths::RandomStream stream(3, 0);
  std::vector<double> level{100};
  for (int t = 1; t < 800; ++t) level.push_back(level.back() + .5 + stream.normal());
  const Fit fit = estimate("const ar1", make_series(level, "price"));
  EXPECT_EQ(fit.convergence.status, FitStatus::boundary) << fit;
  EXPECT_TRUE(parameter(fit, "ar1").at_bound);
  EXPECT_TRUE(warned(fit.warnings, WarningCode::root_at_edge));
  EXPECT_TRUE(warned(fit.warnings, WarningCode::level_modelled));
}

TEST(Estimate, NormalShocksUnderAStudentLawGiveTheBoundaryItsName) {
  int named = 0;
  for (std::uint64_t s = 0; s < 8; ++s) {
    const Fit fit =
        estimate("const / garch / student", sample("const / garch", {0, .05, .1, .85}, 2000, s));
    ASSERT_TRUE(fit.usable()) << fit;
    if (fit.convergence.status == FitStatus::boundary && parameter(fit, "nu").at_bound) {
      ++named;
      EXPECT_NE(fit.convergence.why.find("as good as normal"), std::string::npos);
    }
  }
  EXPECT_GE(named, 1);
}

TEST(Estimate, HeldParametersStayAndAreNotCounted) {
  const Series y = returns();
  const Fit free = estimate("const / garch", y), held = estimate("const / garch beta1=0.9", y);
  ASSERT_EQ(held.convergence.status, FitStatus::converged) << held;
  EXPECT_EQ(parameter(held, "beta1").estimate, .9);
  EXPECT_TRUE(parameter(held, "beta1").held);
  EXPECT_FALSE(parameter(held, "beta1").se);
  EXPECT_EQ(held.estimated, free.estimated - 1);
  EXPECT_LT(*held.log_likelihood, *free.log_likelihood);
  // Held at the maximum itself, the rest is the maximum too.
  Model model = parse_model("const / garch");
  model.held = {{"mu", parameter(free, "mu").estimate},
                {"alpha1", parameter(free, "alpha1").estimate}};
  const Fit same = estimate(model, y);
  EXPECT_NEAR(*same.log_likelihood, *free.log_likelihood, 1e-9);
  EXPECT_NEAR(parameter(same, "beta1").estimate, parameter(free, "beta1").estimate, 1e-6);
}

TEST(Estimate, AModelMayBeHeldAsAWholeButNotAgainstItsBounds) {
  const Series y = returns();
  const Fit held =
      estimate("const mu=0.03 / garch omega=0.03 alpha1=0.08 beta1=0.89 / student nu=6", y);
  EXPECT_EQ(held.convergence.status, FitStatus::converged) << held;
  EXPECT_EQ(held.estimated, 0);
  EXPECT_NEAR(
      *held.log_likelihood,
      evaluate(parse_model("const / garch / student"), y, {.03, .03, .08, .89, 6}).log_likelihood,
      1e-9);
  const auto message = [&](const char* line) {
    return std::string(test::error_of([&] { (void)estimate(line, y); }).what());
  };
  EXPECT_EQ(message("const / garch beta1=1.2"),
            "model line: 'const / garch e1 h1 beta1=1.2 / normal': the held parameters leave no "
            "room for alpha1 + beta1 < 1");
  EXPECT_EQ(message("zero / garch omega=0.1 alpha1=0.3 beta1=0.8"),
            "model line: 'zero / garch e1 h1 omega=0.1 alpha1=0.3 beta1=0.8 / normal': the held "
            "parameters break the rule "
            "alpha1 + beta1 < 1");
}

TEST(Estimate, GapsCostOnlyTheirTerms) {
  Series y = returns(2000);
  const Fit whole = estimate("const ar1 / garch", y);
  for (std::size_t t = 100; t < 1900; t += 97)
    y.values[t] = std::numeric_limits<double>::quiet_NaN();
  const Fit gaps = estimate("const ar1 / garch", y);
  ASSERT_EQ(gaps.convergence.status, FitStatus::converged);
  EXPECT_EQ(gaps.n, y.present());
  for (std::size_t j = 0; j < whole.parameters.size(); ++j)
    EXPECT_NEAR(gaps.parameters[j].estimate, whole.parameters[j].estimate, *whole.parameters[j].se)
        << "1 % of the rows moves an estimate by less than its error";
  const Series z = gaps.standardised();
  EXPECT_TRUE(std::isnan(z.values[100]));
  for (const double h : gaps.variances) EXPECT_GT(h, 0);
}

TEST(Estimate, ManyJobsAreTheSameWhateverTheThreads) {
  const auto shared = std::make_shared<Series>(returns(1200));
  std::vector<FitJob> jobs;
  for (std::size_t i = 0; i < 12; ++i)
    jobs.push_back({.model = parse_model(i % 2 ? "const / garch" : "const ar1 / garch / student"),
                    .series = shared,
                    .first = 10 * i,
                    .count = 1000});
  const std::vector<Fit> one = values_of(fit_many(jobs, {}, Executor(1))),
                         two = values_of(fit_many(jobs, {}, Executor(2)));
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    EXPECT_EQ(one[i].estimates(), two[i].estimates()) << "bit for bit, job " << i;
    EXPECT_EQ(one[i].log_likelihood, two[i].log_likelihood);
    EXPECT_EQ(one[i].count, 1000u);
    EXPECT_EQ(one[i].window().values.front(), shared->values[10 * i]);
  }
}

TEST(Estimate, RefusesWhatItCannotDo) {
  const auto message = [](const char* line, const Series& y) {
    return std::string(test::error_of([&] { (void)estimate(line, y); }).what());
  };
  EXPECT_EQ(message("const / garch / student", make_series({1, 2, 1, 3, 2}, "x")),
            "series 'x': 5 observations for 'const / garch e1 h1 / student', which needs at least "
            "11; give a longer series");
  EXPECT_EQ(message("const", make_series(std::vector<double>(50, 2.5), "x")),
            "series 'x': every value is 2.5, so there is nothing to estimate or test; is it "
            "the right column?");
  EXPECT_EQ(test::error_of([] { (void)evaluate(parse_model("const"), returns(300), {1}); }).code(),
            ErrorCode::bad_option);
}

TEST(Estimate, JobsNameWindowsThatDoNotExist) {
  const auto shared = std::make_shared<Series>(returns(300));
  const auto message = [&](FitJob job) {
    return std::string(
        test::error_of([&] { (void)values_of(fit_many({job}, {}, Executor(1))); }).what());
  };
  EXPECT_EQ(message({.model = parse_model("const"), .series = shared, .first = 200, .count = 200}),
            "FitJob: rows 200 to 400 are asked of a series of 300");
  EXPECT_EQ(message({.model = parse_model("const"), .series = nullptr}),
            "a fit without a series: give one");
}

// A skewed law may put its mode where the values are, and ever more weight there: no maximum.
TEST(Estimate, AMeanOfZeroFarFromTheValuesIsToldFromAModelTooLarge) {
  Series y =
      simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 6}, 120, {.seed = 48});
  for (double& v : y.values) v = 100 + 1e-7 * v;
  const Fit zero = estimate("zero / gjr / skew-student", y);
  ASSERT_EQ(zero.convergence.status, FitStatus::failed) << zero;
  ASSERT_TRUE(warned(zero.warnings, WarningCode::not_converged));
  EXPECT_THAT(zero.warnings.front().text, testing::HasSubstr("give it a constant (const)"));
  EXPECT_TRUE(estimate("const / gjr / skew-student", y).usable()) << "the advice helps";
}

TEST(Estimate, AFitThatDoesNotConvergeIsAResultThatSaysSo) {
  const Fit fit =
      estimate("const / garch / student", returns(), {.starts = 1, .max_iterations = 1});
  EXPECT_EQ(fit.convergence.status, FitStatus::failed);
  EXPECT_FALSE(fit.usable());
  EXPECT_TRUE(warned(fit.warnings, WarningCode::not_converged));
  for (const Parameter& p : fit.parameters)
    EXPECT_FALSE(p.se) << "no errors for numbers that are no estimates";
  std::ostringstream out;
  out << fit;
  EXPECT_NE(out.str().find("did not converge: these are not estimates"), std::string::npos);
  EXPECT_EQ(check(fit).verdict, CheckVerdict::not_judged);
}

TEST(Estimate, WarnsOfWhatAnAnalystMustKnow) {
  EXPECT_TRUE(warned(
      estimate("const ar1", sample("const / garch / student", {0, .02, .2, .78, 5}, 1500)).warnings,
      WarningCode::variance_ignored));
  EXPECT_TRUE(
      warned(estimate("const / garch", returns(200)).warnings, WarningCode::few_observations));
  EXPECT_TRUE(warned(
      estimate("const / steady / student", sample("const / steady / student", {0, 1, 3}, 2000))
          .warnings,
      WarningCode::no_fourth_moment));
  Series near = sample("const / garch", {0, .002, .05, .949}, 3000);
  EXPECT_TRUE(warned(estimate("const / garch", near).warnings, WarningCode::persistence_near_one));
  EXPECT_TRUE(estimate("const / garch / student", returns()).warnings.empty());
}

TEST(Estimate, EachKindOfErrorCanBeAskedFor) {
  const Series y = returns();
  const Fit robust = estimate("const / garch / student", y),
            hessian = estimate("const / garch / student", y, {.errors = StandardErrors::hessian});
  EXPECT_EQ(robust.errors, StandardErrors::robust) << "the default with a variance equation";
  EXPECT_EQ(hessian.parameters[3].se, hessian.parameters[3].se_hessian);
  EXPECT_EQ(robust.parameters[3].se, robust.parameters[3].se_robust);
  EXPECT_NEAR(robust.covariance(3, 3), std::pow(*robust.parameters[3].se_robust, 2), 1e-12);
}

TEST(Check, FindsWhatAModelMisses) {
  const Series y = sample("const ar1 / garch / student", {.05, .2, .03, .1, .85, 8}, 3000);
  EXPECT_EQ(check(estimate("const ar1 / garch / student", y)).verdict, CheckVerdict::clean);
  EXPECT_EQ(check(estimate("const / garch / student", y)).verdict, CheckVerdict::memory_in_mean);
  EXPECT_EQ(check(estimate("const ar1", y)).verdict, CheckVerdict::memory_in_variance);
  EXPECT_EQ(check(estimate("const", y)).verdict, CheckVerdict::memory_in_both);
  const Check checked = check(estimate("const ar1 / garch / student", y));
  EXPECT_EQ(checked.groups[0].tests[0].dof[0], 9) << "lags less the one fitted term";
  EXPECT_EQ(checked.groups[1].tests[0].dof[0], 10);
}

// Whatever the model and the series, right or wrong: `holds` has no row that rejects, `doubtful`
// has one, `fails` names what fails in the first sentence, and the verdict is clean only where none
// fails.
TEST(Check, AnswersAgreeWithEveryRow) {
  for (const char* made : {"const / steady / normal", "const ar1 / gjr / student",
                           "const / egarch / normal", "const ma1 / garch / skew-student"})
    for (const char* fitted : {"const", "const ar1 ma1", "const / garch",
                               "const ar1 / gjr / student", "const / steady / ged"}) {
      const std::map<std::string, std::vector<double>> theta{
          {"const / steady / normal", {0, 1}},
          {"const ar1 / gjr / student", {0, .1, .05, .02, .1, .86, 5}},
          {"const / egarch / normal", {0, 0, .2, -.1, .95}},
          {"const ma1 / garch / skew-student", {0, .2, .05, .1, .85, 6, -.3}}};
      const Check c =
          check(estimate(fitted, simulate(parse_model(made), theta.at(made), 900, {.seed = 17})));
      if (c.verdict == CheckVerdict::not_judged) continue;
      bool fails = false;
      for (const CheckGroup& group : c.groups) {
        const bool rejects =
            std::any_of(group.tests.begin(), group.tests.end(),
                        [](const TestResult& t) { return t.rejects().value_or(false); });
        if (group.answer == CheckAnswer::holds) {
          EXPECT_FALSE(rejects) << fitted << group.reading;
        }
        if (group.answer == CheckAnswer::doubtful) {
          EXPECT_TRUE(rejects || !c.spikes.empty()) << fitted << group.reading;
          EXPECT_NE(c.reading.find("in doubt"), std::string::npos) << c.reading;
        }
        if (group.answer != CheckAnswer::fails) continue;
        fails = true;
        EXPECT_NE(c.reading.find(group.finding), std::string::npos) << c.reading;
      }
      EXPECT_EQ(c.verdict == CheckVerdict::clean, !fails) << c.reading;
    }
}

TEST(Simulate, IsReproducibleAndHasItsMoments) {
  const Model model = parse_model("const ar1 / garch / student");
  const std::vector<double> theta{.5, .3, .1, .1, .8, 8};
  const Series a = simulate(model, theta, 100, {.seed = 4}),
               b = simulate(model, theta, 100, {.seed = 4});
  EXPECT_EQ(a.values, b.values);
  EXPECT_NE(a.values, simulate(model, theta, 100, {.seed = 4, .stream = 1}).values);
  // Mean mu, variance of e omega/(1 - persistence) = 1, of y 1/(1 - ar^2): bands of about four
  // errors.
  const Moments m = moments(simulate(model, theta, 200000, {.seed = 5}));
  EXPECT_NEAR(m.mean, .5, 4 * std::sqrt(1 / (.7 * .7) / 200000));
  EXPECT_NEAR(m.sd * m.sd, 1 / (1 - .09), .03);
  const Simulated path = simulate_path(model, theta, 50, {.seed = 6});
  const Evaluation filtered = evaluate(model, path.series, theta);
  EXPECT_NEAR(path.next_mean.value(), .5 + .3 * (path.series.values.back() - .5), 1e-12);
  EXPECT_GT(path.next_variance, .1);
  EXPECT_EQ(filtered.variances.size(), 50u);
}

TEST(Simulate, RefusesWhatIsNoProcess) {
  const auto message = [](const char* line, std::vector<double> theta) {
    return std::string(
        test::error_of([&] { (void)simulate(parse_model(line), theta, 10); }).what());
  };
  EXPECT_EQ(message("const / garch", {0, .1, .3, .8}),
            "parameters of 'const / garch e1 h1 / normal': the rule is alpha1 + beta1 < 1");
  EXPECT_EQ(message("const / garch", {0, .1}),
            "2 parameters given; 'const / garch e1 h1 / normal' has 4: mu, omega, alpha1, beta1");
  EXPECT_EQ(message("zero ar1", {1.1, 1}),
            "parameters of 'zero ar1 / steady / normal': the rule is ar is stationary");
  EXPECT_EQ(message("zero / steady / student", {1, 2}),
            "parameters of 'zero / steady / student': the rule is nu is at least 2.05");
}

// Estimates on a bound, given back as a start, are a start.
TEST(Estimate, StartsOnABoundAreStarts) {
  const Series y =
      simulate(parse_model("const / garch / normal"), {.03, .04, .08, .88}, 400, {.seed = 5});
  int on_bound = 0;
  for (std::size_t from = 0; from + 250 <= 400; from += 25) {
    const Series part = rows_between(y, from, from + 250);
    for (const char* line :
         {"const / garch / student", "const / garch / ged", "const / garch / skew-student"}) {
      const Fit fit = estimate(line, part);
      ASSERT_TRUE(fit.usable());
      on_bound += fit.convergence.status == FitStatus::boundary;
      const Fit again = estimate(line, part, {.start = fit.estimates(), .from = ClimbFrom::start});
      ASSERT_TRUE(again.usable()) << line << " " << from;
      EXPECT_NEAR(*again.log_likelihood, *fit.log_likelihood, 1e-6) << line << " " << from;
    }
  }
  EXPECT_GT(on_bound, 0);
}

// Beside the maximum of nearly the same data the first kink found is as good as the highest around,
// but for what lies between kinks next to one another, in no more passes.
TEST(Estimate, NearAMaximumOneKinkWillDo) {
  const Series y =
      simulate(parse_model("const / garch / student"), {.03, .04, .08, .88, 7}, 760, {.seed = 5});
  std::vector<double> start =
      estimate("const / egarch / student", rows_between(y, 0, 600)).estimates();
  int kinks = 0, near_passes = 0, passes = 0;
  for (std::size_t from = 1; from + 600 <= y.size(); from += 2) {
    const Series window = rows_between(y, from, from + 600);
    const auto fit_from = [&](ClimbFrom where) {
      return estimate("const / egarch / student", window, {.start = start, .from = where});
    };
    const Fit near = fit_from(ClimbFrom::near_start);
    ASSERT_TRUE(near.usable()) << from << ' ' << near.convergence.why;
    if (near.parameters[0].at_bound) {
      const Fit around = fit_from(ClimbFrom::start);
      ++kinks;
      near_passes += near.convergence.evaluations;
      passes += around.convergence.evaluations;
      EXPECT_LT(*around.log_likelihood - *near.log_likelihood, .1) << from;
    }
    start = near.estimates();
  }
  EXPECT_GE(kinks, 3);
  EXPECT_LE(near_passes, passes);
  EXPECT_LE(near_passes, 20 * kinks);
}

// Whole-data evaluations of a fit, every one counted, on series that tell what their process is.
struct Passes {
  const char* family;
  std::vector<double> variance;
  // Two components stand in for one another at this size: their likelihood has several tops, and
  // more starting points are tried.
  int times_garch = 3;
  std::uint64_t series = 5;  // fewer where each row looks far back
};
void PrintTo(const Passes& p, std::ostream* out) {
  *out << p.family;
}

class PassesOfAFamily : public testing::TestWithParam<Passes> {
 protected:
  static int median(const char* family, const std::vector<double>& variance, const char* law) {
    const Model model = parse_model(fmt::format("const / {} / {}", family, law));
    std::vector<double> theta{0.02};
    theta.insert(theta.end(), variance.begin(), variance.end());
    const std::size_t shapes = parameter_names(model).shocks.size();
    if (shapes > 0) theta.push_back(std::string_view(law) == "ged" ? 1.4 : 7);
    if (shapes > 1) theta.push_back(-0.2);
    std::vector<int> passes;
    for (std::uint64_t s = 0; s < GetParam().series; ++s) {
      const Fit fit = estimate(model, simulate(model, theta, 2500, {.seed = 91, .stream = s}));
      EXPECT_TRUE(fit.usable());
      passes.push_back(fit.convergence.evaluations);
    }
    const auto middle = passes.begin() + std::ssize(passes) / 2;
    std::nth_element(passes.begin(), middle, passes.end());
    return *middle;
  }
};

TEST_P(PassesOfAFamily, AreFewTimesThoseOfGarch) {
  for (const char* law : {"normal", "student", "ged", "skew-student"}) {
    const int garch = median("garch", {.02, .08, .90}, law);
    const bool dear = GetParam().times_garch > 3;
    if (dear && std::string_view(law) != "normal") continue;
    const int own = median(GetParam().family, GetParam().variance, law);
    fmt::print("  {} / {}: {} passes, garch {}\n", GetParam().family, law, own, garch);
    EXPECT_LE(own, GetParam().times_garch * garch) << law;
  }
}

INSTANTIATE_TEST_SUITE_P(Families, PassesOfAFamily,
                         testing::Values(Passes{"arch", {.6, .4}}, Passes{"igarch", {.02, .08}},
                                         Passes{"gjr", {.02, .04, .1, .88}},
                                         Passes{"egarch", {0, .15, -.08, .97}},
                                         Passes{"aparch", {.02, .08, .4, .9, 1.3}},
                                         Passes{"twocomp", {.01, .08, .8, .99, .04}, 50},
                                         Passes{"longmem", {.1, .2, .45, .5}, 3, 3},
                                         Passes{"ewma", {.94}}),
                         [](const auto& i) { return std::string(i.param.family); });

// Where shocks hardly move the variance the likelihood is a ridge with several tops: no climb from
// anywhere ends above the one that is found.
TEST(Estimate, LooksFurtherWhereTheMaximumIsNotBeyondDoubt) {
  const auto made = [](const char* line, const std::vector<double>& theta, std::uint64_t stream) {
    return simulate(parse_model(line), theta, 1000, {.seed = 57, .stream = stream});
  };
  EXPECT_EQ(estimate("const / garch / normal", made("const / garch / normal", {0, .02, .1, .88}, 0))
                .convergence.starts,
            3);
  const std::pair<const char*, std::vector<double>> weak[] = {
      {"const / garch / normal", {0, .7, .02, .28}},
      {"const / gjr / student", {0, .6, .01, .03, .38, 7}},
      {"const / arch e1,2 / skew-student", {0, .9, .05, .02, 7, -.2}},
      {"const / igarch / normal", {0, .001, .01}}};
  for (const auto& [line, theta] : weak)
    for (std::uint64_t stream = 0; stream < 4; ++stream) {
      const Series y = made(line, theta, stream);
      const Fit found = estimate(line, y);
      ASSERT_TRUE(found.usable()) << line << ' ' << stream;
      const bool beyond_doubt = found.convergence.starts <= 4;
      maths::RandomStream u(58, stream);
      for (int climb = 0; climb < 20; ++climb) {
        std::vector<double> start = theta;
        const double alpha = .3 * u.uniform(), beta = (.99 - alpha) * u.uniform();
        start[1] = 1 - alpha - beta;
        start[2] = alpha;
        if (theta.size() > 3 && line[8] != 'a' && line[8] != 'i')
          start[line[8] == 'g' && line[9] == 'j' ? 4 : 3] = beta;
        const Fit other = estimate(line, y, {.start = start, .from = ClimbFrom::start});
        if (other.usable()) {
          EXPECT_LT(*other.log_likelihood, *found.log_likelihood + 1e-3)
              << line << ' ' << stream << (beyond_doubt ? ", from few starts" : "");
        }
      }
    }
}

TEST(VarianceTargeting, LongRunIsTheSamplesAndTheRestFollows) {
  Series y = simulate(parse_model("const / gjr / student"), {.03, .05, .05, .06, .85, 7}, 3000,
                      {.seed = 15});
  const Moments m = moments(y);
  const double sample = m.sd * m.sd * (m.n - 1.0) / m.n;
  for (const char* line :
       {"const / garch / student", "const / gjr / normal", "const / arch e1,2 / normal"}) {
    const Fit targeted = estimate(line, y, {.target_variance = true}), free = estimate(line, y);
    ASSERT_TRUE(targeted.usable()) << line;
    // Targeting holds to the rounding of the standardised data.
    EXPECT_NEAR(*targeted.unconditional_variance, sample, 1e-6 * sample) << line;
    EXPECT_EQ(targeted.estimated, free.estimated);
    // Less is free, so the likelihood is lower, and hardly so on many rows.
    EXPECT_LE(*targeted.log_likelihood, *free.log_likelihood + 1e-6) << line;
    EXPECT_GT(*targeted.log_likelihood, *free.log_likelihood - 12) << line;
  }
  const auto refused = [&](const char* line) {
    return test::error_of([&] { (void)estimate(line, y, {.target_variance = true}); }).code();
  };
  for (const char* line :
       {"const / egarch / normal", "const / gjr / skew-student", "const ar1 / garch / normal"})
    EXPECT_EQ(refused(line), ErrorCode::bad_option) << line;
  Model held = parse_model("const / garch / normal");
  held.held = {{"omega", .1}};
  EXPECT_EQ(test::error_of([&] { (void)estimate(held, y, {.target_variance = true}); }).code(),
            ErrorCode::bad_option);
}

// Errors against the spread of estimates over series.
TEST(VarianceTargeting, ErrorsKnowThatTheTargetIsEstimated) {
  constexpr int kSeries = 300;
  std::vector<std::vector<double>> estimates(4), errors(4);
  for (std::uint64_t s = 0; s < kSeries; ++s) {
    const Series y =
        simulate(parse_model("const / garch / normal"), {.05, .1, .1, .8}, 3000, {.seed = 700 + s});
    const Fit fit = estimate("const / garch / normal", y, {.target_variance = true});
    for (std::size_t j = 0; j < 4; ++j) {
      estimates[j].push_back(fit.parameters[j].estimate);
      errors[j].push_back(fit.parameters[j].se.value_or(0));
    }
  }
  for (std::size_t j = 0; j < 4; ++j) {
    double mean = 0, squares = 0, told = 0;
    for (const double v : estimates[j]) mean += v / kSeries;
    for (const double v : estimates[j]) squares += (v - mean) * (v - mean) / (kSeries - 1);
    for (const double v : errors[j]) told += v / kSeries;
    // The spread of 300 is known to 4 %.
    EXPECT_NEAR(told / std::sqrt(squares), 1, .15) << j;
  }
}

// Starts that agree on tails as heavy as they may be agree on nothing: near one, where four of them
// do, the truth's own climb ends no higher.
TEST(Estimate, HeavyTailsDoNotHideTheMaximum) {
  for (std::uint64_t stream = 0; stream < 8; ++stream) {
    const std::vector<double> truth{.02, .0, .35, -.18, .998, 4};
    const Model model = parse_model("const / egarch / student");
    const Series y = simulate(model, truth, 1500, {.seed = 41, .stream = stream});
    const Fit fit = estimate(model, y);
    const Fit from_truth = estimate(model, y, {.start = truth, .from = ClimbFrom::start});
    ASSERT_TRUE(fit.usable()) << stream;
    if (from_truth.usable()) {
      EXPECT_LE(*from_truth.log_likelihood, *fit.log_likelihood + 1e-4) << stream;
    }
  }
}

}  // namespace
}  // namespace brace
