// SPDX-License-Identifier: Apache-2.0
// Is what says `converged` the maximum? Simulated and awkward series of every variance family, each
// fit compared with twenty climbs from random starting points.
//   estimation_study awkward [SERIES]      2000 make the table of docs/estimation.md
//   estimation_study equity [SERIES]       the same of series as equity returns are
//   estimation_study KIND one NUMBER       that series alone, every fit in full
//   estimation_study KIND some NUMBER...   these alone, a line each
// Awkward ones: persistence to .999, an outlier of 15 sd, a constant stretch, a break of variance.
// Equity-like ones lie on bounds and kinks: rises hardly move the variance, falls do, shocks are
// skewed and heavy-tailed, half of the series have an outlier of 10 sd or a change of variance.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <map>
#include <sstream>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "process/admissible.hpp"

namespace {

using namespace brace;

constexpr std::uint64_t kSeed = 71;
constexpr int kStarts = 20;

const char* const kFamilies[] = {"garch",     "gjr",    "egarch", "aparch",     "twocomp",
                                 "arch e1,2", "igarch", "ewma",   "garch e1,2", "longmem"};
const char* const kLaws[] = {"normal", "student", "ged", "skew-student"};
const char* const kShapes[] = {"plain", "near one", "outlier", "flat stretch", "variance break"};

// Random admissible parameters for data of unit variance; `persistence` is aimed at.
std::vector<double> random_point(const Model& model, maths::RandomStream& u, double persistence) {
  const bool log = std::holds_alternative<Egarch>(model.variance);
  const bool two = std::holds_alternative<TwoComponents>(model.variance);
  for (;;) {
    std::vector<double> theta;
    const double alpha = persistence * (.02 + .3 * u.uniform() * u.uniform());
    for (const std::string& name : parameter_names(model).all()) {
      const double x = u.uniform();
      theta.push_back(
          name == "mu"       ? .1 * u.normal()
          : name == "omega"  ? (log ? 0 : (1.01 - persistence) * (.5 + x))
          : name == "alpha1" ? (log ? .05 + .3 * x : alpha * (two ? .5 : 1))
          : name == "alpha2" ? alpha * x
          : name == "gamma1" ? (log                                           ? -.2 * x
                                : std::holds_alternative<Gjr>(model.variance) ? 2 * alpha * (x - .3)
                                                                              : .8 * x)
          : name == "beta1"  ? (log ? persistence : (two ? persistence * .8 : persistence - alpha))
          : name == "delta"  ? 1 + x
          : name == "rho"    ? persistence
          : name == "phi"    ? .08 * x
          : name == "phi1"   ? .3 * x
          : name == "d"      ? .2 + .4 * x
          : name == "weight" ? .8 + .19 * x
          : name == "skew"   ? .4 * (x - .5)
          : std::holds_alternative<Ged>(model.shocks) ? 1.1 + x
                                                      : 3 + 10 * x);
    }
    if (std::holds_alternative<LongMemory>(model.variance))
      theta[parameter_names(model).mean.size() + 3] *= .5;
    if (!broken_rule(model, theta)) return theta;
    persistence *= .98;
  }
}

struct Trial {
  std::string family, law, shape;
  std::size_t n = 0;
  int evaluations = 0;
  double seconds = 0;
  FitStatus status = FitStatus::not_run;
  bool earned = true;
  double gradient = 0;
  double shortfall = 0;
};

// The fit against climbs from random points.
void judge(Trial& out, const Model& model, const Series& y, maths::RandomStream& u, bool tell) {
  const auto begin = std::chrono::steady_clock::now();
  const Fit fit = estimate(model, y);
  out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  out.status = fit.convergence.status;
  out.evaluations = fit.convergence.evaluations;
  if (tell) fmt::print("{}\n", (std::ostringstream() << fit).str());
  if (!fit.usable()) return;
  out.gradient = *fit.convergence.gradient_norm;
  out.earned = out.gradient < kConverged;
  for (const Parameter& p : fit.parameters)
    out.earned = out.earned && (p.held || p.at_bound || p.se_hessian);
  const double sd = moments(y).sd;
  const std::vector<std::string> names = parameter_names(model).all();
  const bool log = std::holds_alternative<Egarch>(model.variance);
  for (int start = 0; start < kStarts; ++start) {
    std::vector<double> theta = random_point(model, u, .3 + .699 * u.uniform());
    // In the unit of the data.
    for (std::size_t j = 0; j < names.size(); ++j) {
      if (names[j] == "mu") theta[j] *= sd;
      if (names[j] == "omega" && !log) theta[j] *= sd * sd;
      if (names[j] == "omega" && log) theta[j] += (1 - theta[4]) * 2 * std::log(sd);
    }
    EstimateOptions options;
    options.start = theta;
    options.from = ClimbFrom::start;
    options.hessian_errors_only = true;
    const Fit other = estimate(model, y, options);
    if (tell && other.usable()) fmt::print("{}\n", (std::ostringstream() << other).str());
    if (other.usable())
      out.shortfall = std::max(out.shortfall, *other.log_likelihood - *fit.log_likelihood);
  }
}

Trial equity_like(std::uint64_t number, bool tell) {
  maths::RandomStream u(kSeed, 1000000 + number);
  Trial out;
  constexpr const char* kOnBounds[] = {"gjr", "egarch", "aparch"};
  out.family = kOnBounds[number % 3];
  out.law = kLaws[(number / 3) % std::size(kLaws)];
  constexpr std::size_t kRows[] = {1000, 1500, 2500, 5000};
  out.n = kRows[static_cast<std::size_t>(u.uniform() * 4)];
  const double persistence = .97 + .028 * u.uniform(), gamma = .1 + .15 * u.uniform(),
               alpha = u.uniform() < .5 ? 0 : .03 * u.uniform(), nu = 4 + 6 * u.uniform(),
               skew = -.25 * u.uniform();
  std::vector<double> theta{.03};
  std::string made = "const / " + out.family + " / skew-student";
  if (out.family == "gjr") {
    theta.insert(theta.end(), {1 - persistence, alpha, gamma, persistence - alpha - gamma / 2});
  } else if (out.family == "egarch") {
    theta.insert(theta.end(), {0, alpha + .05 * u.uniform(), -gamma, persistence});
  } else {
    theta.insert(theta.end(), {1 - persistence, .05 + .4 * gamma, .7 + .299 * u.uniform(),
                               persistence - .06 - .4 * gamma, .9 + .8 * u.uniform()});
  }
  theta.insert(theta.end(), {nu, skew});
  Series y = simulate(parse_model(made), theta, out.n, {.seed = kSeed + 2, .stream = number});
  const std::size_t kind = (number / 12) % 4;
  out.shape = kind == 0 ? "outlier" : kind == 1 ? "variance change" : "plain";
  if (kind == 0) y.values[out.n / 3] -= 10 * moments(y).sd;
  if (kind == 1)
    std::for_each(y.values.begin() + static_cast<std::ptrdiff_t>(out.n / 2), y.values.end(),
                  [](double& v) { v *= 1.7; });
  judge(out, parse_model(fmt::format("const / {} / {}", out.family, out.law)), y, u, tell);
  return out;
}

Trial awkward(std::uint64_t number, bool tell) {
  maths::RandomStream u(kSeed, number);
  Trial out;
  out.family = kFamilies[number % std::size(kFamilies)];
  out.law = kLaws[(number / std::size(kFamilies)) % std::size(kLaws)];
  out.shape = kShapes[(number / 40) % std::size(kShapes)];
  constexpr std::size_t kRows[] = {250, 500, 1000, 2500, 5000};
  out.n = kRows[static_cast<std::size_t>(u.uniform() * 5)];
  if (out.family == "longmem") out.n = std::min<std::size_t>(out.n, 1000);
  const Model model = parse_model(fmt::format("const / {} / {}", out.family, out.law));
  const double persistence =
      out.shape == "near one" ? .99 + .009 * u.uniform() : .5 + .48 * u.uniform();
  // An ewma without a level dies out: its series are made by a garch.
  const Model made =
      out.family == "ewma" ? parse_model(fmt::format("const / garch / {}", out.law)) : model;
  Series y = simulate(made, random_point(made, u, persistence), out.n,
                      {.seed = kSeed + 1, .stream = number});
  const auto half = static_cast<std::ptrdiff_t>(out.n / 2);
  if (out.shape == "outlier") y.values[out.n / 3] += 15;
  if (out.shape == "flat stretch")
    std::fill_n(y.values.begin() + half, out.n / 20, y.values[out.n / 2]);
  if (out.shape == "variance break")
    std::for_each(y.values.begin() + half, y.values.end(), [](double& v) { v *= 2; });

  judge(out, model, y, u, tell);
  return out;
}

std::string line(std::size_t number, const Trial& o) {
  return fmt::format("  {:5} {} / {}, {}, n {}: {}{}{}\n", number, o.family, o.law, o.shape, o.n,
                     to_string(o.status),
                     o.shortfall > 1e-3 ? fmt::format(", short by {:.3g}", o.shortfall) : "",
                     o.earned ? "" : fmt::format(", not earned (gradient {:.1g})", o.gradient));
}

}  // namespace

int main(int argc, char** argv) {
  const std::string_view kind = argc > 1 ? argv[1] : "awkward", what = argc > 2 ? argv[2] : "";
  const auto run = [&](std::uint64_t number, bool tell) {
    return kind == "equity" ? equity_like(number, tell) : awkward(number, tell);
  };
  if (what == "one" || what == "some") {
    for (int i = 3; i < argc; ++i) {
      const auto number = static_cast<std::size_t>(std::atoi(argv[i]));
      fmt::print("{}", line(number, run(number, what == "one")));
    }
    return 0;
  }
  const std::size_t series = argc > 2 ? static_cast<std::size_t>(std::atoi(argv[2])) : 2000;
  std::vector<Trial> outcomes(series);
  Executor::all_cores().for_each(series, [&](std::size_t s) { outcomes[s] = run(s, false); });
  struct Row {
    std::size_t n = 0, converged = 0, boundary = 0, failed = 0, wrong = 0, short_of = 0;
    std::vector<int> evaluations;
  };
  const auto print = [&](const char* by, auto key) {
    std::map<std::string, Row> rows;
    for (const Trial& o : outcomes) {
      Row& row = rows[key(o)];
      ++row.n;
      ++(o.status == FitStatus::converged  ? row.converged
         : o.status == FitStatus::boundary ? row.boundary
                                           : row.failed);
      row.wrong += o.earned ? 0 : 1;
      row.short_of += o.shortfall > 1e-3 ? 1 : 0;
      row.evaluations.push_back(o.evaluations);
    }
    fmt::print(
        "\n| {} | series | converged | boundary | failed | not earned | short of the best of "
        "{} | evaluations: median | 99 % |\n|---|---|---|---|---|---|---|---|---|\n",
        by, kStarts);
    for (auto& [name, r] : rows) {
      std::sort(r.evaluations.begin(), r.evaluations.end());
      fmt::print("| {} | {} | {} | {} | {} | {} | {} | {} | {} |\n", name, r.n, r.converged,
                 r.boundary, r.failed, r.wrong, r.short_of, r.evaluations[r.n / 2],
                 r.evaluations[std::min(r.n - 1, r.n * 99 / 100)]);
    }
  };
  print("family", [](const Trial& o) { return o.family; });
  print("law", [](const Trial& o) { return o.law; });
  print("series", [](const Trial& o) { return o.shape; });
  print("rows", [](const Trial& o) { return fmt::format("{:5}", o.n); });
  print("all", [](const Trial&) { return std::string("all"); });
  fmt::print("\nShort by more than 1e-3, failed, or not earned:\n");
  for (std::size_t s = 0; s < series; ++s) {
    const Trial& o = outcomes[s];
    if (o.shortfall > 1e-3 || o.status == FitStatus::failed || !o.earned)
      fmt::print("{}", line(s, o));
  }
  std::vector<std::size_t> slowest(series);
  for (std::size_t s = 0; s < series; ++s) slowest[s] = s;
  std::sort(slowest.begin(), slowest.end(), [&](std::size_t a, std::size_t b) {
    return outcomes[a].seconds > outcomes[b].seconds;
  });
  slowest.resize(std::min<std::size_t>(series, 10));
  fmt::print("\nSlowest:\n");
  for (const std::size_t s : slowest)
    fmt::print("{:6.2f} s, {:5} evaluations{}", outcomes[s].seconds, outcomes[s].evaluations,
               line(s, outcomes[s]));
}
