// SPDX-License-Identifier: Apache-2.0
// Do intervals hold what they promise? Simulated series, each fitted and forecast; the table of
// docs/coverage.md.
//   coverage_study [SERIES [EVERY [ROWS [PROCESS]]]] > table
//                                SERIES: 4000 make the table; refits on each EVERY-th, 10, 0: none;
//                                ROWS: 250 and 1000 when left out or 0; PROCESS 1 .. 9, the first
//                                six when left out: 7 to 9 lie on a bound or next to one
// Exit status 1 where `full` is out of its band by more than three Monte Carlo errors.
// For returns the coverage of a series is the probability of its interval under the true law of the
// row to come, given the true variance: no chance of the outcome is in it. For later steps and for
// volatility the outcome is drawn.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <map>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "brace/process/simulate.hpp"
#include "families/shock_law.hpp"
#include "process/stepper.hpp"

namespace {

using namespace brace;

constexpr std::uint64_t kSeed = 90;
constexpr int kSteps[] = {1, 5, 20};
constexpr ForecastMethod kMethods[] = {ForecastMethod::plug_in, ForecastMethod::full,
                                       ForecastMethod::refit};

struct Design {
  const char* line;
  std::vector<double> theta;
};
const Design kDesigns[] = {{"const / garch / normal", {.03, .04, .08, .88}},
                           {"const / garch / student", {.03, .04, .08, .88, 7}},
                           {"const / gjr / normal", {.03, .04, .03, .09, .88}},
                           {"const / gjr / student", {.03, .04, .03, .09, .88, 7}},
                           {"const / egarch / normal", {.03, .01, .15, -.08, .96}},
                           {"const / egarch / student", {.03, .01, .15, -.08, .96, 7}},
                           {"const / gjr / normal", {.03, .02, 0, .12, .92}},
                           {"const / garch / normal", {.03, .005, .06, .935}},
                           {"const / egarch / normal", {.03, 0, .12, -.08, .985}}};
constexpr std::size_t kOfTheTable = 6;

// Sums over series, for the share and its error.
struct Share {
  double sum = 0, square = 0, n = 0;
  void add(double v) {
    sum += v;
    square += v * v;
    ++n;
  }
  [[nodiscard]] double mean() const { return sum / n; }
  [[nodiscard]] double error() const {
    return std::sqrt(std::max(0.0, square / n - mean() * mean()) / n);
  }
};

// [method][step][0: 80 %, 1: 95 %][0: return, 1: volatility]
struct Cells {
  Share at[3][3][2][2];
  Share above[3], below[3];  // misses of the 80 % volatility interval of `full`, by step
  int unusable = 0;
};

void run(const Design& design, std::size_t n, std::uint64_t number, bool with_refit, Cells& cells) {
  const Model model = canonical(parse_model(design.line));
  constexpr std::size_t kBurn = 500;
  Series y = simulate(model, design.theta, n + kBurn, {.seed = kSeed, .stream = number});
  // The true state at the end, by a pass at the true parameters.
  KnownFit known;
  known.model = model;
  for (const double v : design.theta) {
    Parameter p;
    p.estimate = v;
    known.parameters.push_back(p);
  }
  const std::vector<std::string> names = parameter_names(model).all();
  for (std::size_t j = 0; j < names.size(); ++j) known.parameters[j].name = names[j];
  known.convergence.status = FitStatus::converged;
  const Fit truth = restore(known, std::make_shared<Series>(y));
  // One future.
  const std::vector<unsigned char> counted(y.size(), 1);
  Stepper step(model, design.theta,
               Past::after(model, design.theta, truth.deviations, truth.shocks, truth.variances,
                           counted, truth.presample, {}));
  maths::RandomStream u(kSeed + 1, number);
  const ParameterNames parts = parameter_names(model);
  const std::vector<double> shape(
      design.theta.begin() + static_cast<std::ptrdiff_t>(parts.mean.size() + parts.variance.size()),
      design.theta.end());
  const ShockLaw& law = shock_law(model.shocks);
  std::vector<double> returns, variances;
  for (int k = 0; k < kSteps[2]; ++k) {
    const Stepper::Row row = step.advance(law.draw(u, shape), design.theta[0]);
    returns.push_back(row.y);
    variances.push_back(row.h);
  }
  Series sample = rows_between(y, kBurn, y.size());
  const Fit fit = estimate(model, sample);
  if (!fit.usable()) {
    ++cells.unusable;
    return;
  }
  for (std::size_t m = 0; m < std::size(kMethods); ++m) {
    if (kMethods[m] == ForecastMethod::refit && !with_refit) continue;
    const Forecast ahead = forecast(fit, {.horizon = kSteps[2],
                                          .intervals = {80, 95},
                                          .method = kMethods[m],
                                          .tails = {},
                                          .draws = 400,
                                          .paths = 10,
                                          .refits = 100,
                                          .seed = kSeed + number});
    for (std::size_t s = 0; s < std::size(kSteps); ++s) {
      const auto k = static_cast<std::size_t>(kSteps[s]) - 1;
      for (std::size_t level = 0; level < 2; ++level) {
        const PredictionInterval& r = ahead.steps[k].return_interval[level];
        if (std::isnan(r.low) || std::isnan(r.high) || std::isnan(variances[k])) {
          fmt::print(stderr, "NaN: {} n {} series {} method {} step {} v {}\n", design.line, n,
                     number, to_string(kMethods[m]), k + 1, variances[k]);
          for (const Parameter& p : fit.parameters)
            fmt::print(stderr, " {} {}", p.name, p.estimate);
          fmt::print(stderr, " {}\n", fit.convergence.why);
          continue;
        }
        const auto cdf = [&](double v) {
          return law.cdf((v - design.theta[0]) / std::sqrt(variances[k]), shape);
        };
        // Given the variance of that row the rest of the chance is the last shock's.
        cells.at[m][s][level][0].add(cdf(r.high) - cdf(r.low));
        if (ahead.steps[k].volatility_interval.empty()) continue;
        const PredictionInterval& v = ahead.steps[k].volatility_interval[level];
        const double sd = std::sqrt(variances[k]);
        cells.at[m][s][level][1].add(v.low <= sd && sd <= v.high ? 1 : 0);
        if (level == 0 && kMethods[m] == ForecastMethod::full) {
          cells.above[s].add(sd > v.high ? 1 : 0);
          cells.below[s].add(sd < v.low ? 1 : 0);
        }
      }
    }
  }
}

}  // namespace

int main(int argc, char** argv) {
  const std::size_t series = argc > 1 ? static_cast<std::size_t>(std::atoi(argv[1])) : 4000;
  const std::size_t every = argc > 2 ? static_cast<std::size_t>(std::atoi(argv[2])) : 10;
  const std::size_t rows = argc > 3 ? static_cast<std::size_t>(std::atoi(argv[3])) : 0;
  const std::size_t process = argc > 4 ? static_cast<std::size_t>(std::atoi(argv[4])) : 0;
  bool kept = true;
  fmt::print(
      "{} series; refits on one in {} of them; percent covered, Monte Carlo error in brackets\n",
      series, every);
  for (const std::size_t n :
       rows == 0 ? std::vector<std::size_t>{250, 1000} : std::vector<std::size_t>{rows}) {
    fmt::print(
        "\n| n = {} | step | plug-in 80 | full 80 | refit 80 | plug-in 95 | full 95 | refit 95 | "
        "full "
        "80: above | below |\n|---|---|---|---|---|---|---|---|---|---|\n",
        n);
    for (const Design& design : kDesigns) {
      const auto number = static_cast<std::size_t>(&design - kDesigns) + 1;
      if (process != 0 ? number != process : number > kOfTheTable) continue;
      // Eight cells of work, whatever the threads, summed in order.
      std::vector<Cells> parts(8);
      Executor::all_cores().for_each(parts.size(), [&](std::size_t part) {
        for (std::size_t s = part; s < series; s += parts.size())
          run(design, n, s, every > 0 && s % every == 0, parts[part]);
      });
      Cells all;
      const auto join = [](Share& to, const Share& from) {
        to.sum += from.sum;
        to.square += from.square;
        to.n += from.n;
      };
      for (const Cells& part : parts) {
        all.unusable += part.unusable;
        for (std::size_t s = 0; s < 3; ++s) {
          join(all.above[s], part.above[s]);
          join(all.below[s], part.below[s]);
        }
        for (std::size_t m = 0; m < 3; ++m)
          for (std::size_t s = 0; s < 3; ++s)
            for (std::size_t level = 0; level < 2; ++level)
              for (std::size_t what = 0; what < 2; ++what)
                join(all.at[m][s][level][what], part.at[m][s][level][what]);
      }
      for (const std::size_t what : {0U, 1U})
        for (std::size_t s = 0; s < 3; ++s) {
          std::string line = fmt::format("| {}, {} | {} |", design.line + 8,
                                         what == 0 ? "return" : "volatility", kSteps[s]);
          for (std::size_t level = 0; level < 2; ++level)
            for (std::size_t m = 0; m < 3; ++m) {
              const Share& share = all.at[m][s][level][what];
              line += share.n == 0 ? " none |"
                                   : fmt::format(" {:.1f} ({:.1f}) |", 100 * share.mean(),
                                                 100 * share.error());
              const double promised = level == 0 ? .80 : .95, allowed = n >= 1000 ? .015 : .04;
              if (m == 1 && share.n > 0 &&
                  std::abs(share.mean() - promised) > allowed + 3 * share.error())
                kept = false;
            }
          line += what == 0 ? " | |"
                            : fmt::format(" {:.1f} | {:.1f} |", 100 * all.above[s].mean(),
                                          100 * all.below[s].mean());
          fmt::print("{}\n", line);
          std::fflush(stdout);
        }
      if (all.unusable > 0)
        fmt::print("\n{}, n = {}: {} fits not usable, left out\n\n", design.line, n, all.unusable);
    }
  }
  if (!kept) fmt::print("\n`full` is out of its band\n");
  return kept ? 0 : 1;
}
