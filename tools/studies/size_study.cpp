// SPDX-License-Identifier: Apache-2.0
// How often the tests reject at nominal 5 %: under the null, and against stated alternatives.
//   size_study [SHARE] [GROUP] > docs/sizes.md      GROUP: roots, breaks, variance, law, verdict,
//                                                   or words of a null
// SHARE scales the number of series (1 makes the table of the docs). `--check` after them exits 1
// where a size under the null lies outside its limits by more than its own sampling error allows.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <iostream>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"

namespace {

using namespace brace;

constexpr std::uint64_t kSeed = 41;

// One row of the table: series by number, and tests on each that give a p-value.
struct Case {
  std::string group, null, alternative;
  std::vector<int> sizes;
  int series;
  double least, most;  // percent: the limits under the null
  std::vector<std::string> tests;
  std::function<Series(std::uint64_t number, int n, bool null)> make;
  std::function<std::vector<double>(const Series&)> p_values;
};

Series walk(std::uint64_t number, int n, double a, double drift = 0) {
  maths::RandomStream random(kSeed, number * 10000 + static_cast<std::uint64_t>(n));
  std::vector<double> y(static_cast<std::size_t>(n));
  double x = 0;
  for (std::size_t t = 0; t < y.size(); ++t) {
    x = a * x + random.normal();
    y[t] = x + drift * static_cast<double>(t);
  }
  return make_series(std::move(y), "y");
}

Series seasonal_walk(std::uint64_t number, int n, int period, double a) {
  maths::RandomStream random(kSeed, number * 10000 + static_cast<std::uint64_t>(n));
  const auto S = static_cast<std::size_t>(period);
  std::vector<double> y(static_cast<std::size_t>(n));
  for (std::size_t t = 0; t < y.size(); ++t) y[t] = random.normal() + (t < S ? 0 : a * y[t - S]);
  return make_series(std::move(y), "y");
}

// White noise whose mean rises by `shift` standard deviations at mid-sample.
Series shifted(std::uint64_t number, int n, double shift) {
  Series y = walk(number, n, 0);
  for (std::size_t t = y.size() / 2; t < y.size(); ++t) y.values[t] += shift;
  return y;
}

// GARCH(1,1) with Student shocks, unit variance; twice the variance in the second half where asked.
Series garch(std::uint64_t number, int n, double alpha, double persistence, double nu,
             double factor = 1) {
  Series y =
      simulate(parse_model("zero / garch / student"),
               {1 - persistence, alpha, persistence - alpha, nu}, static_cast<std::size_t>(n),
               {.seed = kSeed * 1000003 + number * 7 + static_cast<std::uint64_t>(n)});
  for (std::size_t t = y.size() / 2; t < y.size(); ++t) y.values[t] *= std::sqrt(factor);
  return y;
}

double p(const TestResult& test) {
  return *test.p_value;
}

// A series of a model line.
Series made(const char* line, std::uint64_t number, int n, std::vector<double> theta) {
  return simulate(parse_model(line), theta, static_cast<std::size_t>(n),
                  {.seed = kSeed * 7919 + static_cast<std::uint64_t>(n), .stream = number});
}

// Pearson's test on transforms in equal cells, one for each 50 rows: knows nothing of estimates.
double binned(const Fit& fit) {
  const std::vector<double> u = probability_transforms(fit);
  const auto n = static_cast<double>(u.size());
  const int cells = std::clamp(static_cast<int>(n / 50), 10, 40);
  std::vector<double> counts(static_cast<std::size_t>(cells), 0.0);
  for (const double v : u)
    ++counts[std::min(static_cast<std::size_t>(v * cells), counts.size() - 1)];
  double statistic = 0;
  for (const double c : counts) statistic += (c - n / cells) * (c - n / cells) / (n / cells);
  return laws::chi_squared_tail(statistic, cells - 1);
}

// The law of the shocks of a GARCH model's fit; a fit that must not be used rejects nothing.
std::vector<double> law_tests(const char* line, const Series& y) {
  const Fit fit = estimate(line, y);
  if (!fit.usable()) return {1, 1, 1};
  const LawFit judged = law_fit(fit);
  return {p(judged.anderson_darling), p(judged.cramer_von_mises), binned(fit)};
}

std::vector<Case> cases() {
  std::vector<Case> out;
  const Deterministic trend = Deterministic::trend;
  out.push_back(
      {"roots",
       "random walk",
       "AR(1) with ar1 .95",
       {250, 1000},
       4000,
       4,
       6,
       {"adf, constant", "adf, constant, t rule", "pp", "pp rho", "df-gls", "ng-perron MZa",
        "ng-perron MZt", "ng-perron MSB", "ng-perron MPT", "point-optimal"},
       [](auto i, int n, bool null) { return walk(i, n, null ? 1 : .95); },
       [=](const Series& y) {
         const auto m = hypothesis::ng_perron(y);
         return std::vector{p(hypothesis::adf(y)),
                            p(hypothesis::adf(y, {.rule = hypothesis::LagRule::t})),
                            p(hypothesis::phillips_perron(y)),
                            p(hypothesis::phillips_perron(y, {.rho = true})),
                            p(hypothesis::df_gls(y)),
                            p(m[0]),
                            p(m[1]),
                            p(m[2]),
                            p(m[3]),
                            p(hypothesis::point_optimal(y))};
       }});
  out.push_back({"roots",
                 "random walk with drift",
                 "AR(1) with ar1 .9 around a trend",
                 {250, 1000},
                 4000,
                 4,
                 6,
                 {"adf, trend", "pp, trend", "df-gls, trend", "ng-perron MZt, trend",
                  "point-optimal, trend", "zivot-andrews, both", "zivot-andrews, intercept"},
                 [](auto i, int n, bool null) { return walk(i, n, null ? 1 : .9, .1); },
                 [=](const Series& y) {
                   return std::vector{p(hypothesis::adf(y, {.deterministic = trend})),
                                      p(hypothesis::phillips_perron(y, {.deterministic = trend})),
                                      p(hypothesis::df_gls(y, {.deterministic = trend})),
                                      p(hypothesis::ng_perron(y, {.deterministic = trend})[1]),
                                      p(hypothesis::point_optimal(y, {.deterministic = trend})),
                                      p(hypothesis::zivot_andrews(y)),
                                      p(hypothesis::zivot_andrews(
                                          y, {.model = hypothesis::BreakModel::intercept}))};
                 }});
  out.push_back({"roots",
                 "random walk",
                 "AR(1) with ar1 .8",
                 {250},
                 1500,
                 4,
                 6,
                 {"two-breaks, both", "two-breaks, intercept"},
                 [](auto i, int n, bool null) { return walk(i, n, null ? 1 : .8); },
                 [](const Series& y) {
                   return std::vector{
                       p(hypothesis::two_breaks(y)),
                       p(hypothesis::two_breaks(y, {.model = hypothesis::BreakModel::intercept}))};
                 }});
  out.push_back({"roots",
                 "seasonal random walk, 12",
                 "seasonal AR with sar12 .8",
                 {240, 600},
                 2000,
                 4,
                 6,
                 {"seasonal-roots, zero", "seasonal-roots, first pair", "seasonal-roots, season"},
                 [](auto i, int n, bool null) { return seasonal_walk(i, n, 12, null ? 1 : .8); },
                 [](const Series& y) {
                   const auto tests = hypothesis::seasonal_roots(y);
                   return std::vector{p(tests[0]), p(tests[1]), p(tests[tests.size() - 2])};
                 }});
  out.push_back(
      {"roots",
       "white noise",
       "random walk",
       {250, 1000},
       4000,
       3,
       7,
       {"kpss, level", "kpss, trend", "kpss, automatic bandwidth"},
       [](auto i, int n, bool null) { return walk(i, n, null ? 0 : 1); },
       [](const Series& y) {
         return std::vector{
             p(hypothesis::kpss(y)), p(hypothesis::kpss(y, {.with_trend = true})),
             p(hypothesis::kpss(y, {.bandwidth = hypothesis::Bandwidth::Rule::newey_west}))};
       }});
  out.push_back({"roots",
                 "random walk of GARCH steps",
                 "steps with ar1 .1",
                 {250, 1000},
                 1000,
                 3,
                 7,
                 {"variance-ratio, 2", "variance-ratio, 10", "variance-ratio, joint"},
                 [](auto i, int n, bool null) {
                   Series y = garch(i, n, .1, .95, 6);
                   double sum = 0, step = 0;
                   for (double& v : y.values) v = sum += step = v + (null ? 0 : .1) * step;
                   return y;
                 },
                 [](const Series& y) {
                   const auto r = hypothesis::variance_ratio(y, {.draws = 399});
                   return std::vector{p(r.tests[0]), p(r.tests[2]), p(r.tests[3])};
                 }});
  const hypothesis::BreakRegression one_lag{.lags = 1};
  out.push_back({"breaks",
                 "white noise",
                 "mean shift of .4 sd",
                 {250, 1000},
                 4000,
                 4,
                 6,
                 {"sup-f", "exp-f", "ave-f", "bai-perron UDmax", "bai-perron WDmax",
                  "bai-perron F, 2 breaks"},
                 [](auto i, int n, bool null) { return shifted(i, n, null ? 0 : .4); },
                 [](const Series& y) {
                   const auto f = hypothesis::sup_f(y);
                   const auto b = hypothesis::bai_perron(y).tests;
                   return std::vector{p(f[0]), p(f[1]), p(f[2]), p(b[5]), p(b[6]), p(b[1])};
                 }});
  out.push_back({"breaks",
                 "AR(1) with ar1 .3",
                 "mean shift of .4 sd",
                 {250, 1000},
                 4000,
                 4,
                 6,
                 {"sup-f, one lag", "exp-f, one lag", "ave-f, one lag"},
                 [](auto i, int n, bool null) {
                   Series y = walk(i, n, .3);
                   for (std::size_t t = y.size() / 2; t < y.size() && !null; ++t) y.values[t] += .4;
                   return y;
                 },
                 [=](const Series& y) {
                   const auto f = hypothesis::sup_f(y, one_lag);
                   return std::vector{p(f[0]), p(f[1]), p(f[2])};
                 }});
  out.push_back(
      {"breaks",
       "white noise",
       "mean shift of .4 sd",
       {250, 1000},
       4000,
       3,
       7,
       {"cusum", "cusum-ols", "cusum-squares", "chow at the middle", "bai-perron UDmax, long-run"},
       [](auto i, int n, bool null) { return shifted(i, n, null ? 0 : .4); },
       [](const Series& y) {
         return std::vector{p(hypothesis::cusum(y)), p(hypothesis::cusum_ols(y)),
                            p(hypothesis::cusum_squares(y)), p(hypothesis::chow(y, y.size() / 2)),
                            p(hypothesis::bai_perron(y, {.long_run = true}).tests[5])};
       }});
  out.push_back(
      {"variance",
       "white noise",
       "variance doubles",
       {250, 1000},
       4000,
       3,
       7,
       {"cumulative-squares", "fourth moment", "cumulative-squares-robust"},
       [](auto i, int n, bool null) {
         Series y = walk(i, n, 0);
         for (std::size_t t = y.size() / 2; t < y.size() && !null; ++t)
           y.values[t] *= std::sqrt(2.0);
         return y;
       },
       [](const Series& y) {
         return std::vector{
             p(hypothesis::cumulative_squares(y, {.scale = hypothesis::SquaresScale::normal})),
             p(hypothesis::cumulative_squares(y, {.scale = hypothesis::SquaresScale::fourth})),
             p(hypothesis::cumulative_squares(y))};
       }});
  for (const double persistence : {.90, .95, .98, .99})
    out.push_back(
        {"variance",
         fmt::format("GARCH-Student(10), alpha .05, persistence {:.2f}", persistence),
         "variance doubles",
         {1000, 2500},
         2000,
         0,
         persistence <= .95 ? 8.0 : 100.0,
         {"cumulative-squares-robust", "Bartlett, for comparison"},
         [=](auto i, int n, bool null) { return garch(i, n, .05, persistence, 10, null ? 1 : 2); },
         [](const Series& y) {
           return std::vector{
               p(hypothesis::cumulative_squares(y)),
               p(hypothesis::cumulative_squares(y, {.scale = hypothesis::SquaresScale::bartlett}))};
         }});
  const auto law_case = [&](const char* null, const char* alternative, const char* fitted,
                            auto&& make, int series = 4000) {
    out.push_back({"law",
                   null,
                   alternative,
                   {500, 2500},
                   series,
                   4,
                   6,
                   {"anderson-darling", "cramer-von-mises", "binned, for comparison"},
                   make,
                   [fitted](const Series& y) { return law_tests(fitted, y); }});
  };
  const char *normal = "const / garch", *student = "const / garch / student",
             *ged = "const / garch / ged", *skewed = "const / garch / skew-student";
  law_case("GARCH with normal shocks", "Student shocks, nu 5, fitted as normal", normal,
           [=](auto i, int n, bool null) {
             return null ? made(normal, i, n, {0, .05, .1, .85})
                         : made(student, i, n, {0, .05, .1, .85, 5});
           });
  law_case("GARCH with Student shocks, nu 6", "skewed Student shocks, skew -.1, fitted as Student",
           student, [=](auto i, int n, bool null) {
             return null ? made(student, i, n, {0, .05, .1, .85, 6})
                         : made(skewed, i, n, {0, .05, .1, .85, 6, -.1});
           });
  law_case("GARCH with generalised error shocks, nu 1.3", "Student shocks, nu 5, fitted as ged",
           ged, [=](auto i, int n, bool null) {
             return null ? made(ged, i, n, {0, .05, .1, .85, 1.3})
                         : made(student, i, n, {0, .05, .1, .85, 5});
           });
  law_case("GARCH with skewed Student shocks, nu 7, skew -.2",
           "generalised error shocks, nu 1, fitted as skewed Student", skewed,
           [=](auto i, int n, bool null) {
             return null ? made(skewed, i, n, {0, .05, .1, .85, 7, -.2})
                         : made(ged, i, n, {0, .05, .1, .85, 1});
           });
  law_case(
      "EGARCH with normal shocks", "Student shocks, nu 8, fitted as normal", "const / egarch",
      [=](auto i, int n, bool null) {
        return null ? made("const / egarch", i, n, {0, 0, .2, -.1, .95})
                    : made("const / egarch / student", i, n, {0, 0, .2, -.1, .95, 8});
      },
      1000);
  out.push_back({"verdict",
                 "GARCH-Student(8), alpha .07, persistence .95",
                 "variance doubles",
                 {1500},
                 1000,
                 0,
                 7,
                 {"breaks: any kind, Holm", "mean: UDmax", "variance: cumulated squares",
                  "variance: likelihood ratio", "parameters: nyblom"},
                 [](auto i, int n, bool null) { return garch(i, n, .07, .95, 8, null ? 1 : 2); },
                 [](const Series& y) {
                   const BreakReport r = find_breaks(y);
                   return std::vector{r.breaks.empty() ? 1.0 : 0.0, p(r.tests[0]), p(r.tests[1]),
                                      p(r.tests[2]), p(r.tests[3])};
                 }});
  return out;
}

// Share of rejections at 5 %, percent, of each test.
std::vector<double> shares(const Case& c, int n, int series, bool null, const Executor& executor) {
  std::vector<std::vector<double>> p_values(static_cast<std::size_t>(series));
  executor.for_each(p_values.size(),
                    [&](std::size_t i) { p_values[i] = c.p_values(c.make(i, n, null)); });
  std::vector<double> out(c.tests.size());
  for (const auto& row : p_values)
    for (std::size_t j = 0; j < out.size(); ++j) out[j] += 100.0 * (row[j] < .05) / series;
  return out;
}

}  // namespace

int main(int argc, char** argv) {
  double share = 1;
  std::string only;
  bool check = false;
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    if (word == "--check")
      check = true;
    else if (!word.empty() && (std::isdigit(word[0]) || word[0] == '.'))
      share = std::stod(word);
    else
      only = word;
  }
  const Executor executor = Executor::all_cores();
  int outside = 0;
  std::string heading;
  for (const Case& c : cases()) {
    if (!only.empty() && c.group != only && c.null.find(only) == std::string::npos) continue;
    const int series = std::max(50, static_cast<int>(c.series * share));
    const std::string title =
        fmt::format("\nNull: {}. Alternative: {}. {} series; limits under the null {} to {} %.\n\n",
                    c.null, c.alternative, series, c.least, c.most);
    std::vector<std::vector<double>> columns;
    std::string names = "| test |", rule = "|---|";
    std::vector<int> sizes = c.sizes;
    if (check && c.group == "law") sizes.resize(1);  // fits of the longer series take minutes
    for (const int n : sizes) {
      columns.push_back(shares(c, n, series, true, executor));
      columns.push_back(shares(c, n, series, false, executor));
      names += fmt::format(" n = {}: null | alternative |", n);
      rule += "---|---|";
    }
    fmt::print("{}{}\n{}\n", title, names, rule);
    for (std::size_t j = 0; j < c.tests.size(); ++j) {
      fmt::print("| {} |", c.tests[j]);
      for (std::size_t k = 0; k < columns.size(); ++k) {
        fmt::print(" {:.1f} |", columns[k][j]);
        // Three standard errors of the share.
        const double margin = 300 * std::sqrt(.05 * .95 / series);
        const bool judged = c.tests[j].find("for comparison") == std::string::npos;
        if (k % 2 == 0 && judged &&
            (columns[k][j] < c.least - margin || columns[k][j] > c.most + margin)) {
          ++outside;
          std::cerr << fmt::format("outside: {} under '{}', n = {}: {:.1f} %\n", c.tests[j], c.null,
                                   sizes[k / 2], columns[k][j]);
        }
      }
      fmt::print("\n");
    }
    std::fflush(stdout);
  }
  return check && outside > 0 ? 1 : 0;
}
