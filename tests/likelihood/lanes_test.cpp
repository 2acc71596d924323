// SPDX-License-Identifier: Apache-2.0
// The lane kernels give what the plain likelihood gives, on every instruction set of this machine.
#include "likelihood/lanes/lane_likelihood.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <string>

#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"

namespace brace {
namespace {

std::string name_of(const testing::TestParamInfo<const LaneKernels*>& info) {
  std::string name = info.param->name;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
}

class Lanes : public testing::TestWithParam<const LaneKernels*> {};
INSTANTIATE_TEST_SUITE_P(, Lanes, testing::ValuesIn(runnable_lane_kernels()), name_of);

// Relative to the size of what is summed, which for a derivative may be far above the sum.
void expect_near(const std::vector<double>& found, const std::vector<double>& plain,
                 const std::string& what) {
  ASSERT_EQ(found.size(), plain.size()) << what;
  double size = 0;
  for (const double v : plain) size = std::max(size, std::abs(v));
  for (std::size_t i = 0; i < plain.size(); ++i)
    EXPECT_NEAR(found[i], plain[i], 1e-12 * size + 1e-11 * std::abs(plain[i])) << what << " " << i;
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
          for (const Order order :
               {Order::value, Order::gradient, Order::scoring, Order::hessian}) {
            Derivatives<double> found, expected;
            lanes.evaluate(theta, order, found);
            plain.evaluate(theta, order, expected);
            const std::string what = std::string(line) + " n " + std::to_string(n) + " alpha " +
                                     std::to_string(alpha) + " beta " + std::to_string(beta) +
                                     " order " + std::to_string(static_cast<int>(order));
            ASSERT_TRUE(found.admitted && expected.admitted) << what;
            EXPECT_NEAR(found.log_likelihood, expected.log_likelihood,
                        1e-12 * std::abs(expected.log_likelihood) + 1e-10)
                << what;
            if (order != Order::value) expect_near(found.gradient, expected.gradient, what);
            if (order == Order::scoring) expect_near(found.information, expected.information, what);
            if (order == Order::hessian) expect_near(found.hessian, expected.hessian, what);
          }
          const auto k = static_cast<Eigen::Index>(theta.size());
          const Eigen::MatrixXd all = Eigen::MatrixXd::Identity(k, k),
                                products = lanes.score_products(theta, all),
                                expected = plain.score_products(theta, all);
          EXPECT_LT((products - expected).norm(), 1e-11 * expected.norm()) << line;
          if (!student) break;
        }
    }
  }
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
  EXPECT_NEAR(found.log_likelihood, expected.log_likelihood, 1e-6);
}

TEST(LaneChoice, IsTheWidestThatTheMachineRuns) {
  const auto& runnable = runnable_lane_kernels();
  ASSERT_FALSE(runnable.empty());
  EXPECT_STREQ(runnable.front()->name, "x86-64");
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
