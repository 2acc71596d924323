// SPDX-License-Identifier: Apache-2.0
// The lane kernels give what the plain likelihood gives, on every instruction set of this machine.
#include "likelihood/lanes/lane_likelihood.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <string>

#include "brace/base/machine.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "likelihood/lanes/state_likelihood.hpp"
#include "likelihood/lanes/two_lag_likelihood.hpp"
#include "likelihood/lanes/vector.hpp"

namespace brace {
namespace {

std::string name_of(const testing::TestParamInfo<const LaneKernels*>& info) {
  std::string name = info.param->name;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
}

class Lanes : public testing::TestWithParam<const LaneKernels*> {};
INSTANTIATE_TEST_SUITE_P(, Lanes, testing::ValuesIn(runnable_lane_kernels()), name_of);

// Relative to the size of what is summed, which for a derivative may be far above the sum: 1e-12 of
// the largest, since a sum of n rounded terms is right to about n / 4 times 1e-16.
void expect_near(const std::vector<double>& found, const std::vector<double>& plain,
                 const std::string& what) {
  ASSERT_EQ(found.size(), plain.size()) << what;
  double size = 0;
  for (const double v : plain) size = std::max(size, std::abs(v));
  for (std::size_t i = 0; i < plain.size(); ++i)
    EXPECT_NEAR(found[i], plain[i], 1e-12 * size + 1e-11 * std::abs(plain[i])) << what << " " << i;
}

// Value, derivatives of each order and products of gradients.
void expect_plain(LogLikelihood& lanes, LogLikelihood& plain, const std::vector<double>& theta,
                  const std::string& what) {
  for (const Order order : {Order::value, Order::gradient, Order::scoring, Order::hessian}) {
    Derivatives<double> found, expected;
    lanes.evaluate(theta, order, found);
    plain.evaluate(theta, order, expected);
    const std::string at = what + " order " + std::to_string(static_cast<int>(order));
    ASSERT_TRUE(found.admitted && expected.admitted) << at;
    EXPECT_NEAR(found.log_likelihood, expected.log_likelihood,
                1e-12 * std::abs(expected.log_likelihood) + 1e-10)
        << at;
    if (order != Order::value) expect_near(found.gradient, expected.gradient, at);
    if (order == Order::scoring) expect_near(found.information, expected.information, at);
    if (order == Order::hessian) expect_near(found.hessian, expected.hessian, at);
  }
  const auto k = static_cast<Eigen::Index>(theta.size());
  const Eigen::MatrixXd all = Eigen::MatrixXd::Identity(k, k),
                        products = lanes.score_products(theta, all),
                        expected = plain.score_products(theta, all);
  EXPECT_LT((products - expected).norm(), 1e-11 * expected.norm()) << what;
}

TEST_P(Lanes, AreThePlainLikelihood) {
  for (const char* line :
       {"zero / garch / normal", "const / garch / normal", "zero / garch / student",
        "const / garch / student", "zero / gjr / normal", "const / gjr / normal",
        "zero / gjr / student", "const / gjr / student"}) {
    const Model model = parse_model(line);
    const bool gjr = std::holds_alternative<Gjr>(model.variance);
    const bool constant = model.mean.constant;
    const bool student = std::holds_alternative<Student>(model.shocks);
    // Rows that all lanes share, that leave some over, and the fewest.
    for (const std::size_t n : {std::size_t{2496}, std::size_t{1003}, LaneLikelihood::kFewest}) {
      const Series y = simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 7}, n,
                                {.seed = 40 + n});
      const MeanData data = mean_data(model, y);
      ASSERT_TRUE(LaneLikelihood::serves(model, data));
      LaneLikelihood lanes(model, data, *GetParam());
      PlainLikelihood plain(model, data);
      for (const auto& [alpha, beta] : {std::pair{.08, .9},
                                        {0., .5},
                                        {.3, 0.},
                                        {0., 0.},
                                        {.02, .9799},
                                        {.4, .55},
                                        {1e-9, .999}})
        for (const double nu : {2.1, 6., 300.}) {
          std::vector<double> theta{.04, alpha, beta};
          // Falls may weigh more or less.
          if (gjr) theta.insert(theta.begin() + 2, n % 2 == 0 ? .07 : -.6 * alpha);
          if (constant) theta.insert(theta.begin(), -.03);
          if (student) theta.push_back(nu);
          expect_plain(lanes, plain, theta,
                       std::string(line) + " n " + std::to_string(n) + " alpha " +
                           std::to_string(alpha) + " beta " + std::to_string(beta));
          if (!student) break;
        }
    }
  }
}

// Every family of one state under every law, at points that are mild, that remember long, on bounds
// and with news of one sign.
TEST_P(Lanes, OfOneStateAreThePlainLikelihood) {
  const std::vector<std::pair<std::string, std::vector<std::vector<double>>>> families = {
      {"garch", {{.05, .08, .9}, {.02, 0, .97}, {.5, .4, 0}}},
      {"gjr", {{.05, .05, .07, .88}, {.02, 0, .15, .9}, {.1, .3, -.3, .6}, {.01, .01, .03, .974}}},
      {"egarch", {{.005, .16, -.07, .965}, {0, .05, -.05, .995}, {.1, .3, .2, .3}, {0, 0, 0, .5}}},
      {"aparch",
       {{.04, .08, .3, .88, 1.3},
        {.02, .05, -.9, .93, .5},
        {.3, .1, 0, 0, 3},
        {.1, 0, .4, .9, 2}}}};
  const std::vector<std::pair<std::string, std::vector<std::vector<double>>>> laws = {
      {"normal", {{}}},
      {"student", {{2.1}, {6.5}, {250.}}},
      {"skew-student", {{3.5, -.6}, {7, -.1}, {40, .3}}},
      {"ged", {{.8}, {1.4}, {2}, {3.2}}}};
  for (const std::size_t n : {std::size_t{2000}, std::size_t{1003}, LaneLikelihood::kFewest}) {
    Series y = simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 7}, n,
                        {.seed = 60 + n});
    y.values[n / 2] = .04;  // a shock of 0 at mu = .04
    for (const auto& [family, points] : families)
      for (const auto& [law, shapes] : laws) {
        const std::string line = "const / " + family + " / " + law;
        const Model model = parse_model(line);
        const MeanData data = mean_data(model, y);
        ASSERT_TRUE(StateLikelihood::serves(model, data)) << line;
        StateLikelihood lanes(model, data, *GetParam());
        PlainLikelihood plain(model, data);
        for (const std::vector<double>& point : points)
          for (const std::vector<double>& shape : shapes) {
            std::vector<double> theta{.04};
            theta.insert(theta.end(), point.begin(), point.end());
            theta.insert(theta.end(), shape.begin(), shape.end());
            expect_plain(lanes, plain, theta, line + " n " + std::to_string(n));
          }
      }
  }
}

// Two lags, and two components in parameters of their own: with a constant, whose presample values
// move with mu, and without.
TEST_P(Lanes, OfTwoLagsAreThePlainLikelihood) {
  const std::vector<std::pair<std::string, std::vector<std::vector<double>>>> families = {
      {"garch e1,2 h1", {{.05, .08, .03, .86}, {.5, .2, 0, .1}}},
      {"garch e1 h1,2", {{.05, .08, .5, .36}, {.02, 0, 0, .97}}},
      {"garch e1,2 h1,2", {{.05, .08, .02, .5, .36}}},
      {"garch e2 h2", {{.05, .08, .86}}},
      {"arch e1,2", {{.5, .28, .2}}},
      {"twocomp", {{.01, .08, .7, .99, .04}, {.001, 0, .3, .999, .02}, {.05, .05, .9, .96, 0}}}};
  const std::vector<std::pair<std::string, std::vector<double>>> laws = {
      {"normal", {}}, {"student", {6.5}}, {"skew-student", {5, -.2}}, {"ged", {1.3}}};
  for (const std::size_t n : {std::size_t{2000}, std::size_t{1003}, LaneLikelihood::kFewest}) {
    const Series y = simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 7}, n,
                              {.seed = 80 + n});
    for (const char* mean : {"const", "zero"})
      for (const auto& [family, points] : families)
        for (const auto& [law, shape] : laws) {
          const std::string line = std::string(mean) + " / " + family + " / " + law;
          const Model model = parse_model(line);
          const MeanData data = mean_data(model, y);
          ASSERT_TRUE(TwoLagLikelihood::serves(model, data)) << line;
          TwoLagLikelihood lanes(model, data, *GetParam());
          PlainLikelihood plain(model, data);
          for (const std::vector<double>& point : points) {
            std::vector<double> theta;
            if (model.mean.constant) theta.push_back(.04);
            theta.insert(theta.end(), point.begin(), point.end());
            theta.insert(theta.end(), shape.begin(), shape.end());
            expect_plain(lanes, plain, theta, line + " n " + std::to_string(n));
          }
        }
  }
  // A variance that turns negative is refused by both.
  const Model model = parse_model("zero / garch e1,2 h1 / normal");
  const Series y = simulate(parse_model("zero / garch / normal"), {.05, .1, .85}, 500, {.seed = 4});
  const MeanData data = mean_data(model, y);
  Derivatives<double> found;
  TwoLagLikelihood(model, data, *GetParam())
      .evaluate(std::vector{.05, .3, -.29, .5}, Order::gradient, found);
  Derivatives<double> expected;
  PlainLikelihood(model, data).evaluate(std::vector{.05, .3, -.29, .5}, Order::gradient, expected);
  EXPECT_EQ(found.admitted, expected.admitted);
}

// Pieces of egarch begin where those of the parameters before began: the numbers must not tell.
TEST_P(Lanes, DoNotRememberThePointBefore) {
  const Model model = parse_model("const / egarch / student");
  const Series y = simulate(model, {.05, .005, .16, -.07, .965, 7}, 1500, {.seed = 9});
  const MeanData data = mean_data(model, y);
  StateLikelihood lanes(model, data, *GetParam());
  maths::RandomStream u(5, 0);
  const std::vector<double> at{.05, .005, .16, -.07, .965, 7};
  Derivatives<double> first, again, elsewhere;
  lanes.evaluate(at, Order::hessian, first);
  for (int k = 0; k < 20; ++k) {
    lanes.evaluate(std::vector{.1 * u.normal(), .1 * u.normal(), .4 * u.uniform(),
                               .3 * u.uniform() - .2, u.uniform(), 3 + 9 * u.uniform()},
                   Order::value, elsewhere);
    lanes.evaluate(at, Order::hessian, again);
    EXPECT_NEAR(again.log_likelihood, first.log_likelihood, 1e-9);
    expect_near(again.gradient, first.gradient, "gradient");
    expect_near(again.hessian, first.hessian, "hessian");
  }
}

// A filter that does not forget where it began has no pieces that meet, and a variance far outside
// is not to be trusted to the kernel: both go to the plain likelihood, whose numbers they are.
TEST_P(Lanes, LeaveWhatDoesNotForgetToThePlainLikelihood) {
  const Model model = parse_model("const / egarch / normal");
  const Series y = simulate(model, {.05, .005, .16, -.07, .965}, 800, {.seed = 9});
  const MeanData data = mean_data(model, y);
  StateLikelihood lanes(model, data, *GetParam());
  PlainLikelihood plain(model, data);
  int admitted = 0;
  for (const std::vector<double>& theta : {std::vector{.05, -8., 0., 4., .9},
                                           {.05, 0., 6., -5.9, .999},
                                           {.05, -30., .1, 0., .97},
                                           {.05, 60., .1, 0., .97},
                                           {.05, -.1, .05, .6, .98},
                                           {.05, -.3, 0., 1.2, .8},
                                           {.05, 0., 1.5, -1., .5}}) {
    Derivatives<double> found, expected;
    lanes.evaluate(theta, Order::gradient, found);
    plain.evaluate(theta, Order::gradient, expected);
    EXPECT_EQ(found.admitted, expected.admitted);
    if (!expected.admitted) continue;
    ++admitted;
    EXPECT_NEAR(found.log_likelihood, expected.log_likelihood,
                1e-11 * std::abs(expected.log_likelihood) + 1e-9);
  }
  EXPECT_GT(admitted, 0);
}

TEST(LaneMaths, IsRightToTheLastPlaces) {
  using V = LaneVector<2>::type;
  maths::RandomStream u(8, 0);
  double worst_exp = 0, worst_log = 0;
  for (int k = 0; k < 200000; ++k) {
    const double x = (u.uniform() - .5) * (k % 3 == 0 ? 1400 : 40),
                 y = std::exp((u.uniform() - .5) * (k % 3 == 0 ? 1200 : .5));
    const auto places = [](double found, long double exact) {
      return static_cast<double>(std::abs(static_cast<long double>(found) - exact) /
                                 std::abs(exact) / 0x1p-53L);
    };
    worst_exp = std::max(
        worst_exp, places(lane(exp_of(all<V>(x)), k % 2), std::exp(static_cast<long double>(x))));
    if (std::abs(y - 1) > 1e-3)
      worst_log = std::max(
          worst_log, places(lane(log_of(all<V>(y)), k % 2), std::log(static_cast<long double>(y))));
  }
  EXPECT_LT(worst_exp, 2.6);  // 1.3 units in the last place, which is one to two of 2^-53
  EXPECT_LT(worst_log, 2.6);
}

TEST_P(Lanes, WindowsSideBySideAreEachWindowAlone) {
  const LaneKernels& kernels = *GetParam();
  const auto W = static_cast<std::size_t>(kernels.width);
  const Series y =
      simulate(parse_model("const / garch / student"), {.05, .05, .1, .85, 7}, 600, {.seed = 3});
  for (const LaneFamily family : {LaneFamily::garch, LaneFamily::gjr})
    for (const std::size_t stride : {0U, 1U, 7U}) {
      const Model model = parse_model(family == LaneFamily::gjr ? "const / gjr / student"
                                                                : "const / garch / student");
      const LaneModel of{family, LaneLaw::student, true};
      std::vector<double> theta(kLaneParameters * W), sums(kLaneSums * W),
          at{.02, .04, .08, .88, 6, .05};
      std::vector<LanePresample> presample;
      for (std::size_t c = 0; c < W; ++c) {
        // Another point in each lane.
        for (std::size_t i = 0; i < kLaneParameters; ++i)
          theta[i * W + c] = at[i] * (1 + .01 * static_cast<double>(c));
        double square = 0, mean = 0;
        const double mu = theta[c];
        for (std::size_t t = 0; t < 400; ++t) {
          const double e = y.values[c * stride + t] - mu;
          square += e * e / 400;
          mean += e / 400;
        }
        presample.push_back({square, -2 * mean, 2});
      }
      kernels.side_by_side(family, LaneLaw::student, LaneOrder::hessian,
                           {y.values.data(), 400, stride}, theta.data(), presample.data(),
                           sums.data());
      for (std::size_t c = 0; c < W; ++c) {
        Series part = y;
        part.values = {y.values.begin() + static_cast<std::ptrdiff_t>(c * stride),
                       y.values.begin() + static_cast<std::ptrdiff_t>(c * stride + 400)};
        JointLikelihood<double> plain(model, part.values);
        std::vector<double> here;
        for (std::size_t i = 0; i < of.parameters(); ++i)
          here.push_back(theta[of.place(i) * W + c]);
        const Derivatives<double> expected = plain.evaluate(here, Order::hessian);
        Derivatives<double> found;
        of.finish(sums.data() + c, W, 400, here.back(), LaneOrder::hessian, found);
        EXPECT_NEAR(found.log_likelihood, expected.log_likelihood, 1e-9);
        expect_near(found.gradient, expected.gradient, "gradient");
        expect_near(found.hessian, expected.hessian, "hessian");
      }
    }
}

// Where a variance may turn negative the rows must be asked one by one.
TEST_P(Lanes, LeaveWhatIsNotAdmittedToThePlainLikelihood) {
  const Model model = parse_model("const / garch / normal");
  const Series y = simulate(model, {.05, .05, .1, .85}, 500, {.seed = 4});
  const MeanData data = mean_data(model, y);
  LaneLikelihood lanes(model, data, *GetParam());
  PlainLikelihood plain(model, data);
  for (const std::vector<double>& theta : {std::vector{.0, .05, -.01, .9},
                                           {.0, -.1, .1, .8},
                                           {.0, .05, .1, -.2},
                                           {.0, .02, -.5, .1}}) {
    Derivatives<double> found, expected;
    lanes.evaluate(theta, Order::gradient, found);
    plain.evaluate(theta, Order::gradient, expected);
    EXPECT_EQ(found.admitted, expected.admitted);
    if (expected.admitted) {
      EXPECT_EQ(found.log_likelihood, expected.log_likelihood);
    }
  }
  // Variances so small that the product of sixteen is no double any more.
  MeanData tiny = data;
  for (double& v : tiny.change) v *= 1e-12;
  LaneLikelihood small(model, tiny, *GetParam());
  Derivatives<double> found;
  small.evaluate(std::vector{0., 5e-26, .1, .85}, Order::hessian, found);
  ASSERT_TRUE(found.admitted);
  Derivatives<double> expected;
  PlainLikelihood(model, tiny).evaluate(std::vector{0., 5e-26, .1, .85}, Order::value, expected);
  // Logarithms of numbers near 1e-24, summed in another order.
  EXPECT_NEAR(found.log_likelihood, expected.log_likelihood, 1e-6);
}

TEST(LaneChoice, IsTheWidestThatTheMachineRuns) {
  const auto& runnable = runnable_lane_kernels();
  ASSERT_FALSE(runnable.empty());
  EXPECT_STREQ(runnable.front()->name, "plain");
  EXPECT_EQ(&lane_kernels(), runnable.back());
  for (std::size_t i = 1; i < runnable.size(); ++i)
    EXPECT_GT(runnable[i]->width, runnable[i - 1]->width);
#if defined(__x86_64__)
  const auto has = [&](const std::string& name) {
    return std::any_of(runnable.begin(), runnable.end(),
                       [&](const LaneKernels* k) { return k->name == name; });
  };
  EXPECT_EQ(has("x86-64-v3"), __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma"));
  EXPECT_EQ(has("x86-64-v4"),
            __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq"));
#endif
}

// In a process of its own: there is no way back.
TEST(LaneChoice, IsThePlainOneOnRequest) {
  GTEST_FLAG_SET(death_test_style, "threadsafe");
  EXPECT_EXIT(
      {
        use_plain_kernels();
        std::exit(&lane_kernels() == runnable_lane_kernels().front() ? 0 : 1);
      },
      testing::ExitedWithCode(0), "");
}

TEST(LaneChoice, ServesOnlyItsModel) {
  const Series y =
      simulate(parse_model("const / garch / normal"), {.05, .05, .1, .85}, 500, {.seed = 4});
  for (const char* line : {"const ar1 / garch / normal", "const / garch e1 e2 / normal",
                           "const / gjr e1,2 h1 / normal", "const / garch / ged",
                           "const / arch / normal", "const risk sd / garch / normal"}) {
    const Model model = parse_model(line);
    EXPECT_FALSE(LaneLikelihood::serves(model, mean_data(model, y))) << line;
  }
  Series gap = y;
  gap.values[100] = std::nan("");
  const Model model = parse_model("const / garch / normal");
  EXPECT_TRUE(LaneLikelihood::serves(model, mean_data(model, y)));
  EXPECT_FALSE(LaneLikelihood::serves(model, mean_data(model, gap)));
}

#ifdef BRACE_CORE_ARCHIVE
// A symbol that a kernel file shares with others might be linked from it and run on a machine that
// does not know its instructions.
TEST(LaneChoice, KernelFilesDefineNothingButTheirTables) {
#ifndef NDEBUG
  GTEST_SKIP() << "a build that does not optimise expands nothing in place";
#endif
  FILE* pipe = popen("nm -A -C --defined-only --extern-only " BRACE_CORE_ARCHIVE " 2>&1", "r");
  ASSERT_NE(pipe, nullptr);
  std::array<char, 4096> line{};
  std::vector<std::string> defined;
  while (std::fgets(line.data(), line.size(), pipe))
    if (const std::string text = line.data(); text.find("kernels_v") != std::string::npos)
      defined.push_back(text);
  EXPECT_EQ(pclose(pipe), 0);
  ASSERT_EQ(defined.size(), 2U);
  for (const std::string& symbol : defined)
    EXPECT_TRUE(symbol.find("::kV3Kernels") != std::string::npos ||
                symbol.find("::kV4Kernels") != std::string::npos)
        << symbol;
}
#endif

}  // namespace
}  // namespace brace
