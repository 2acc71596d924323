// SPDX-License-Identifier: Apache-2.0
// Products of lag polynomials, the covariance of the start, differences and psi-weights, each
// against a definition that shares no code.
#include <gtest/gtest.h>

#include <cmath>

#include "brace/model/model_line.hpp"
#include "likelihood/arma_start.hpp"
#include "model/lag_product.hpp"
#include "model/mean_data.hpp"

namespace brace {
namespace {

// Coefficients of the product of two polynomials given with their leading 1.
std::vector<double> times(const std::vector<double>& a, const std::vector<double>& b) {
  std::vector<double> c(a.size() + b.size() - 1, 0.0);
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t j = 0; j < b.size(); ++j) c[i + j] += a[i] * b[j];
  return c;
}

TEST(LagProduct, IsTheProductOfItsFactors) {
  const Model model = canonical(parse_model("const ar1,3 ma2 sar4,8 sma4"));
  // mu, ar1, ar3, ma2, sar4, sar8, sma4, sigma2
  const std::vector<double> theta{9, .5, -.2, .3, .4, -.1, .6, 1};
  const std::vector<double> ar = times({1, -.5, 0, .2}, {1, 0, 0, 0, -.4, 0, 0, 0, .1});
  const std::vector<double> ma = times({1, 0, .3}, {1, 0, 0, 0, .6});
  const std::vector<double> a = ar_product(model).dense(theta), b = ma_product(model).dense(theta);
  ASSERT_EQ(a.size() + 1, ar.size());
  ASSERT_EQ(b.size() + 1, ma.size());
  for (std::size_t l = 0; l < a.size(); ++l) EXPECT_NEAR(a[l], -ar[l + 1], 1e-15) << l + 1;
  for (std::size_t l = 0; l < b.size(); ++l) EXPECT_NEAR(b[l], ma[l + 1], 1e-15) << l + 1;
}

// The products are at most quadratic, so central differences are exact but for rounding.
TEST(LagProduct, DerivativesAreItsOwn) {
  const Model model = canonical(parse_model("const ar1,2 sar2 ma1 sma12"));
  const std::vector<double> theta{0, .5, -.2, .3, .4, .6, 1};
  for (const LagProduct& product : {ar_product(model), ma_product(model)}) {
    const Eigen::MatrixXd J = product.jacobian(theta, theta.size());
    const std::vector<double> weights(product.lags.size(), 1.0);
    Eigen::MatrixXd bend = Eigen::MatrixXd::Zero(7, 7);
    product.add_curvature(weights, bend);
    for (std::size_t p = 0; p < theta.size(); ++p) {
      std::vector<double> up = theta, down = theta;
      up[p] += .5;
      down[p] -= .5;
      const std::vector<double> high = product.coefficients(up), low = product.coefficients(down);
      const auto column = static_cast<Eigen::Index>(p);
      for (std::size_t l = 0; l < high.size(); ++l)
        EXPECT_NEAR(J(static_cast<Eigen::Index>(l), column), high[l] - low[l], 1e-14);
      const Eigen::VectorXd change =
          (product.jacobian(up, 7) - product.jacobian(down, 7)).colwise().sum().transpose();
      EXPECT_LT((change - bend.col(column)).cwiseAbs().maxCoeff(), 1e-14);
    }
  }
}

TEST(LagProduct, DifferencesMultiply) {
  EXPECT_EQ(difference_weights({}), (std::vector<double>{1}));
  EXPECT_EQ(difference_weights({1, 1}), (std::vector<double>{1, -2, 1}));
  EXPECT_EQ(difference_weights({1, 3}), (std::vector<double>{1, -1, 0, -1, 1}));
}

// psi of a random walk with an MA term: 1, 1 + ma, 1 + ma, ...
TEST(LagProduct, PsiWeightsIntegrate) {
  const Model model = canonical(parse_model("diff1 ma1"));
  const std::vector<double> theta{.4, 1};
  const std::vector<double> psi = psi_weights(model, theta, 5);
  EXPECT_EQ(psi[0], 1);
  for (std::size_t i = 1; i < 5; ++i) EXPECT_NEAR(psi[i], 1.4, 1e-15);
}

// The part s_i that rows before the first take in row i, by running the recursion from a unit shock
// far enough in the past: Sigma is the sum over all past shocks.
TEST(ArmaStart, IsTheSumOverThePast) {
  for (const auto& [line, theta] :
       {std::pair{"zero ar1,2 ma1", std::vector<double>{.5, .3, .4, 1}},
        std::pair{"zero ma1,3", std::vector<double>{.5, -.4, 1}},
        std::pair{"zero ar1,4 ma2", std::vector<double>{.3, .4, .2, 1}},
        std::pair{"zero ar1 sar4 sma4", std::vector<double>{.6, .5, .3, 1}}}) {
    const Model model = canonical(parse_model(line));
    const LagProduct ar = ar_product(model), ma = ma_product(model);
    const Eigen::Index r = std::max(ar.longest(), ma.longest());
    ArmaStart start(ar.lags, ma.lags, r);
    ArmaStart::Matrix Sigma;
    ASSERT_TRUE(start.update(ar.coefficients(theta), ma.coefficients(theta), Sigma));
    const std::vector<double> a = ar.dense(theta), b = ma.dense(theta);
    constexpr int kPast = 600;
    Eigen::MatrixXd want = Eigen::MatrixXd::Zero(r, r);
    for (int m = 0; m < kPast; ++m) {
      // Rows -m .. 0 after a single shock in row -m; then what they leave for rows 1 .. r.
      std::vector<double> y(static_cast<std::size_t>(m) + 1, 0.0);
      for (std::size_t t = 0; t < y.size(); ++t) {
        y[t] = t == 0 ? 1 : 0;
        for (std::size_t l = 1; l <= a.size() && l <= t; ++l) y[t] += a[l - 1] * y[t - l];
        if (t >= 1 && t <= b.size()) y[t] += b[t - 1];
      }
      Eigen::VectorXd s = Eigen::VectorXd::Zero(r);
      for (Eigen::Index i = 1; i <= r; ++i) {
        for (std::size_t l = static_cast<std::size_t>(i); l <= a.size(); ++l)
          if (const std::size_t back = l - static_cast<std::size_t>(i); back < y.size())
            s(i - 1) += a[l - 1] * y[y.size() - 1 - back];
        const auto lag = static_cast<std::size_t>(m) + static_cast<std::size_t>(i);
        if (lag <= b.size()) s(i - 1) += b[lag - 1];
      }
      want += s * s.transpose();
    }
    EXPECT_LT((Sigma.cast<double>() - want).cwiseAbs().maxCoeff(), 1e-10) << line;
  }
}

TEST(MeanData, DifferencesDropAndFillAsTheyShould) {
  const double nan = std::numeric_limits<double>::quiet_NaN();
  Series y = make_series({1, 2, nan, 7, 11});
  y.companions = {{"x", {1, 4, 9, nan, 25}}};
  const MeanData plain = mean_data(canonical(parse_model("diff1")), y);
  EXPECT_EQ(plain.lost, 1u);
  EXPECT_EQ(plain.missing, (std::vector<std::size_t>{2}));
  EXPECT_EQ(plain.change[0], 1);
  EXPECT_TRUE(std::isnan(plain.change[1]) && std::isnan(plain.change[2]));
  EXPECT_EQ(plain.filled, (std::vector<double>{1, 0, 5, 4}));
  const MeanData with = mean_data(canonical(parse_model("diff1 with x")), y);
  EXPECT_EQ(with.missing, (std::vector<std::size_t>{2, 3})) << "a row without its regressor";
  EXPECT_EQ(with.columns(0, 0), 3);
}

}  // namespace
}  // namespace brace
