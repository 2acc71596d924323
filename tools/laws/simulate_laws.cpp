// SPDX-License-Identifier: Apache-2.0
// Simulates the laws of the unit-root statistics and fits quantile surfaces in the sample size.
//   simulate_laws rho|gls|gls_maic|two_breaks|bai_perron|quarter|month [SHARE] >
//   tools/laws/NAME.json
// Shocks are standard normal draws of RandomStream(20261126, group and sample size); the statistics
// are the library's own, without lags. SHARE scales the replications (1 makes the file that is
// checked in; a test runs a small share and compares).
#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <functional>
#include <iostream>
#include <nlohmann/json.hpp>

#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"
#include "hypothesis/mean_segments.hpp"
#include "hypothesis/unit_root_statistics.hpp"

namespace {

using namespace brace;
using Json = nlohmann::ordered_json;
using Statistics = std::vector<double>;

struct Size {
  int n;  // points of the series
  int T;  // what the law is indexed by
  int replications;
};

struct Group {
  std::string what;
  std::vector<std::string> names;
  std::vector<Size> sizes, held_out;
  std::vector<double> exponents;
  std::function<void(const std::vector<double>& shocks, Statistics& out)> statistics;
};

std::vector<double> levels() {
  std::vector<double> p{.0005, .001, .002, .003, .005, .0075, .01, .015, .02, .025, .03,  .035,
                        .04,   .045, .05,  .055, .06,  .07,   .08, .09,  .1,  .11,  .125, .15};
  const std::vector<double> low = p;
  for (double q = .175; q < .83; q += .025) p.push_back(std::round(q * 1000) / 1000);
  for (auto q = low.rbegin(); q != low.rend(); ++q) p.push_back(1 - *q);
  return p;
}

std::vector<double> walk(const std::vector<double>& shocks, std::size_t step) {
  std::vector<double> y = shocks;
  for (std::size_t t = step; t < y.size(); ++t) y[t] += y[t - step];
  return y;
}

constexpr Deterministic kTerms[] = {Deterministic::constant, Deterministic::trend};

void rho(const std::vector<double>& shocks, Statistics& out) {
  // Rows are n - 1; without terms the first value is a shock, as after a start at 0.
  const std::vector<double> y = walk(shocks, 1);
  for (const Deterministic terms :
       {Deterministic::none, Deterministic::constant, Deterministic::trend})
    out.push_back(hypothesis::unit_root::phillips_perron(y, terms, 0).rho);
}

void gls(const std::vector<double>& shocks, Statistics& out) {
  const std::vector<double> y = walk(shocks, 1);
  for (const Deterministic terms : kTerms) {
    const double a =
        1 + hypothesis::unit_root::local_alternative(terms) / static_cast<double>(y.size());
    const auto detrended = hypothesis::unit_root::gls_detrend(y, terms, a);
    const double spectrum = hypothesis::unit_root::spectrum_at_zero(
        hypothesis::unit_root::autoregress(detrended.y, 0, Deterministic::none, 0));
    const auto m = hypothesis::unit_root::ng_perron(detrended.y, terms, spectrum);
    out.insert(
        out.end(),
        {m.mza, m.mzt, m.msb, m.mpt,
         (detrended.ssr - a * hypothesis::unit_root::gls_detrend(y, terms, 1).ssr) / spectrum});
  }
}

// The same with lags by maic, as the tests choose them.
void gls_maic(const std::vector<double>& shocks, Statistics& out) {
  const std::vector<double> y = walk(shocks, 1);
  for (const Deterministic terms : kTerms) {
    const double a =
        1 + hypothesis::unit_root::local_alternative(terms) / static_cast<double>(y.size());
    const auto detrended = hypothesis::unit_root::gls_detrend(y, terms, a);
    const int k = hypothesis::unit_root::choose_lags(
        hypothesis::unit_root::gls_detrend(y, terms, 0).y, Deterministic::none,
        hypothesis::LagRule::maic, hypothesis::unit_root::most_lags(y.size()));
    const auto fit = hypothesis::unit_root::autoregress(detrended.y, k, Deterministic::none, k);
    const double spectrum = hypothesis::unit_root::spectrum_at_zero(fit);
    const auto m = hypothesis::unit_root::ng_perron(detrended.y, terms, spectrum);
    out.insert(out.end(), {fit.t(), m.mza, m.mzt, m.msb, m.mpt,
                           hypothesis::unit_root::point_optimal(y, terms, spectrum)});
  }
}

void two_breaks(const std::vector<double>& shocks, Statistics& out) {
  const std::vector<double> y = walk(shocks, 1);
  for (const hypothesis::BreakModel model :
       {hypothesis::BreakModel::intercept, hypothesis::BreakModel::trend,
        hypothesis::BreakModel::both})
    out.push_back(hypothesis::unit_root::two_breaks(y, 0, model, 0.15).t);
}

void bai_perron(const std::vector<double>& shocks, Statistics& out) {
  const std::size_t n = shocks.size();
  const auto found = hypothesis::breaks::statistics(
      hypothesis::breaks::best_partitions(
          hypothesis::breaks::MeanSegments(shocks), n,
          static_cast<std::size_t>(hypothesis::breaks::kTrim * static_cast<double>(n)), 5),
      n);
  out = found.F;
  out.insert(out.end(), {found.ud, found.wd});
}

void seasons(const std::vector<double>& shocks, int period, Statistics& out) {
  const std::vector<double> y = walk(shocks, static_cast<std::size_t>(period));
  for (const bool with_trend : {false, true}) {
    const auto s = hypothesis::unit_root::seasonal_roots(y, period, with_trend, 0);
    out.insert(out.end(), {s.zero, *s.alternating, s.pairs.front(), s.seasonal, s.all});
  }
}

Group group_of(const std::string& name) {
  if (name == "rho")
    return {"Phillips and Perron's rho statistic N (a - 1); T = rows of the regression.",
            {"rho_none", "rho_constant", "rho_trend"},
            {{21, 20, 400000},
             {26, 25, 400000},
             {36, 35, 400000},
             {51, 50, 400000},
             {76, 75, 400000},
             {101, 100, 400000},
             {151, 150, 400000},
             {251, 250, 400000},
             {501, 500, 300000},
             {1001, 1000, 200000},
             {2001, 2000, 100000}},
            {{61, 60, 200000}, {301, 300, 200000}},
            {0, 1, 2, 3},
            rho};
  if (name == "gls")
    return {
        "Ng and Perron's M statistics and Elliott, Rothenberg and Stock's P_T after GLS "
        "detrending; T = points of the series.",
        {"mza_constant", "mzt_constant", "msb_constant", "mpt_constant", "point_optimal_constant",
         "mza_trend", "mzt_trend", "msb_trend", "mpt_trend", "point_optimal_trend"},
        {{25, 25, 400000},
         {35, 35, 400000},
         {50, 50, 400000},
         {75, 75, 400000},
         {100, 100, 400000},
         {150, 150, 400000},
         {250, 250, 400000},
         {500, 500, 200000},
         {1000, 1000, 120000},
         {2000, 2000, 60000}},
        {{60, 60, 200000}, {300, 300, 200000}},
        {0, 1, 2, 3, 4, 5},
        gls};
  if (name == "gls_maic") {
    Group group{
        "DF-GLS, Ng and Perron's M statistics and P_T with lags by maic among 0 .. floor(12 "
        "(n/100)^(1/4)); T = points of the series.",
        {},
        {{75, 75, 150000},
         {100, 100, 150000},
         {150, 150, 150000},
         {250, 250, 120000},
         {400, 400, 60000},
         {700, 700, 30000},
         {1200, 1200, 12000},
         {2000, 2000, 5000}},
        {{90, 90, 60000}, {300, 300, 60000}},
        {0, .5, 1, 2},
        gls_maic};
    for (const char* terms : {"constant", "trend"})
      for (const char* which : {"df_gls", "mza", "mzt", "msb", "mpt", "point_optimal"})
        group.names.push_back(fmt::format("maic_{}_{}", which, terms));
    return group;
  }
  if (name == "two_breaks")
    return {
        "Lumsdaine and Papell's least t over two breaks, 15 % trimmed and apart; T = rows of the "
        "regression.",
        {"two_breaks_intercept", "two_breaks_trend", "two_breaks_both"},
        {{41, 40, 40000},
         {51, 50, 40000},
         {76, 75, 40000},
         {101, 100, 40000},
         {151, 150, 40000},
         {251, 250, 25000},
         {501, 500, 8000},
         {1001, 1000, 2500}},
        {{126, 125, 20000}, {301, 300, 10000}},
        {0, .5, 1, 2},
        two_breaks};
  // Sizes are multiples of 20, so that the least segment floor(.15 n) is .15 n.
  if (name == "bai_perron")
    return {
        "Bai and Perron's F of 1 to 5 breaks in a mean, UDmax and WDmax (weights in "
        "src/hypothesis/mean_segments.hpp), trimming .15; T = observations.",
        {"bai_perron_f1", "bai_perron_f2", "bai_perron_f3", "bai_perron_f4", "bai_perron_f5",
         "bai_perron_udmax", "bai_perron_wdmax"},
        {{60, 60, 120000},
         {80, 80, 120000},
         {100, 100, 120000},
         {160, 160, 120000},
         {240, 240, 100000},
         {400, 400, 80000},
         {700, 700, 50000},
         {1000, 1000, 40000},
         {2000, 2000, 10000}},
        {{200, 200, 40000}, {500, 500, 30000}},
        {0, .5, 1, 2},
        bai_perron};
  if (name != "quarter" && name != "month")
    throw std::invalid_argument("rho, gls, gls_maic, two_breaks, bai_perron, quarter or month");
  const int period = name == "quarter" ? 4 : 12;
  Group group{
      fmt::format("Hylleberg, Engle, Granger and Yoo's statistics, period {}; T = rows of the "
                  "regression.",
                  period),
      {},
      {},
      {},
      {0, 1, 2, 3},
      [period](const std::vector<double>& shocks, Statistics& out) {
        seasons(shocks, period, out);
      }};
  for (const char* terms : {"constant", "trend"})
    for (const char* which : {"zero", "alternating", "pair", "seasonal", "all"})
      group.names.push_back(fmt::format("{}_{}_{}", name, which, terms));
  // Rows from the least that leave some degrees of freedom.
  const std::vector<int> rows = period == 4 ? std::vector<int>{24, 32, 40, 60, 100, 160, 300, 600}
                                            : std::vector<int>{60, 72, 96, 132, 180, 240, 360, 600};
  for (const int T : rows)
    group.sizes.push_back({T + period, T, period == 4 ? 200000 : T <= 240 ? 100000 : 60000});
  group.held_out = {{80 + period, 80, 60000}, {200 + period, 200, 60000}};
  return group;
}

// Sorted draws of each statistic at one size.
std::vector<std::vector<double>> draw(const Group& group, const Size& size, double share) {
  const auto replications = static_cast<std::size_t>(std::max(200.0, size.replications * share));
  std::vector<std::vector<double>> draws(group.names.size());
  maths::RandomStream random(20261126,
                             static_cast<std::uint64_t>(size.n) * 1000 + group.names.size());
  std::vector<double> shocks(static_cast<std::size_t>(size.n));
  Statistics out;
  for (std::size_t r = 0; r < replications; ++r) {
    for (double& e : shocks) e = random.normal();
    out.clear();
    group.statistics(shocks, out);
    for (std::size_t s = 0; s < out.size(); ++s) draws[s].push_back(out[s]);
  }
  for (auto& d : draws) std::sort(d.begin(), d.end());
  return draws;
}

double sample_quantile(const std::vector<double>& sorted, double p) {
  const double at = p * static_cast<double>(sorted.size()) - 0.5;
  const auto low =
      static_cast<std::size_t>(std::clamp(at, 0.0, static_cast<double>(sorted.size()) - 2));
  const double part = std::clamp(at - static_cast<double>(low), 0.0, 1.0);
  return sorted[low] + part * (sorted[low + 1] - sorted[low]);
}

double rounded(double x) {
  return std::stod(fmt::format("{:.7g}", x));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) {
    std::cerr
        << "usage: simulate_laws rho|gls|gls_maic|two_breaks|bai_perron|quarter|month [SHARE]\n";
    return 2;
  }
  const Group group = group_of(argv[1]);
  const double share = argc > 2 ? std::stod(argv[2]) : 1;
  const std::vector<double> p = levels();

  std::vector<std::vector<std::vector<double>>> draws;  // size, statistic
  for (const Size& size : group.sizes) {
    draws.push_back(draw(group, size, share));
    std::cerr << fmt::format("T = {}\n", size.T);
  }
  const auto m = static_cast<Eigen::Index>(group.sizes.size());
  const auto e = static_cast<Eigen::Index>(group.exponents.size());
  Eigen::MatrixXd X(m, e);
  Eigen::VectorXd weight(m);
  for (Eigen::Index i = 0; i < m; ++i) {
    const Size& size = group.sizes[static_cast<std::size_t>(i)];
    weight(i) = std::sqrt(size.replications);
    for (Eigen::Index j = 0; j < e; ++j)
      X(i, j) = weight(i) * std::pow(size.T, -group.exponents[static_cast<std::size_t>(j)]);
  }
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(X);

  Json out;
  out["what"] = group.what;
  out["provenance"] =
      "tools/laws/simulate_laws.cpp, seed 20261126; least squares in 1/T weighted by replications; "
      "held_out: largest error in p over the levels at sizes that the fit has not seen, and the "
      "5 % point of that error from sampling alone (1.36 / sqrt(replications)).";
  out["levels"] = p;
  std::vector<std::vector<std::vector<double>>> held;
  for (const Size& size : group.held_out) held.push_back(draw(group, size, share));
  for (std::size_t s = 0; s < group.names.size(); ++s) {
    Json surface;
    surface["T_range"] = {group.sizes.front().T, group.sizes.back().T};
    surface["floor"] = 1e-4;
    surface["exponents"] = group.exponents;
    std::vector<Eigen::VectorXd> coefficients;
    for (const double level : p) {
      Eigen::VectorXd q(m);
      for (Eigen::Index i = 0; i < m; ++i)
        q(i) = weight(i) * sample_quantile(draws[static_cast<std::size_t>(i)][s], level);
      coefficients.emplace_back(qr.solve(q));
      Json row = Json::array();
      for (const double c : coefficients.back()) row.push_back(rounded(c));
      surface["coef"].push_back(std::move(row));
    }
    for (std::size_t h = 0; h < held.size(); ++h) {
      double worst = 0;
      const std::vector<double>& sample = held[h][s];
      for (std::size_t i = 0; i < p.size(); ++i) {
        double q = 0;
        for (Eigen::Index j = 0; j < e; ++j)
          q += coefficients[i](j) *
               std::pow(group.held_out[h].T, -group.exponents[static_cast<std::size_t>(j)]);
        const auto below =
            static_cast<double>(std::lower_bound(sample.begin(), sample.end(), q) - sample.begin());
        worst = std::max(worst, std::abs(below / static_cast<double>(sample.size()) - p[i]));
      }
      surface["held_out"][std::to_string(group.held_out[h].T)] = {
          {"replications", sample.size()},
          {"max_abs_p_error", rounded(worst)},
          {"sampling_5pct", rounded(1.36 / std::sqrt(static_cast<double>(sample.size())))}};
    }
    Json by_size;
    for (const Size& size : group.sizes) by_size[std::to_string(size.T)] = size.replications;
    surface["replications"] = by_size;
    out["surfaces"][group.names[s]] = std::move(surface);
  }
  std::cout << out.dump() << '\n';
  return 0;
}
