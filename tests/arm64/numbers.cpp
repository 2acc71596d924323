// SPDX-License-Identifier: Apache-2.0
// Numbers of every kind, one a line with its name, to be compared between machines (scripts/arm64):
// fits of each family under each law, tests, breaks and forecasts of simulated series.
#include <cstdio>
#include <string>

#include "brace/core.hpp"

namespace {

using namespace brace;

void tell(const std::string& name, double value) {
  std::printf("%-44s %.17g\n", name.c_str(), value);
}

}  // namespace

int main() {
  const Series y = simulate(parse_model("const ar1 / garch / student"), {.03, .1, .05, .08, .87, 6},
                            1200, {.seed = 9});
  for (const double v : {y.values[0], y.values[600], y.values[1199]}) tell("simulated", v);
  for (const char* family : {"garch", "gjr", "egarch", "aparch", "igarch", "ewma", "arch e1,2",
                             "garch e1,2", "twocomp", "longmem"})
    for (const char* law : {"normal", "student", "ged", "skew-student"}) {
      const std::string line = std::string("const / ") + family + " / " + law;
      if (std::string(family) == "longmem" && std::string(law) != "normal") continue;
      const Fit fit = estimate(line, y);
      tell(line + ": l", fit.log_likelihood.value_or(0));
      // Where a fit ends on a ridge, its height is what two machines share.
      if (fit.convergence.status == FitStatus::converged)
        for (const Parameter& p : fit.parameters) tell(line + ": " + p.name, p.estimate);
    }
  for (const char* line : {"const", "const ar1", "const ar1 ma1", "const ar1,2 ma1", "diff1 ma1"}) {
    const Fit fit = estimate(line, y);
    tell(std::string(line) + ": l", fit.log_likelihood.value_or(0));
  }
  Series level = y;
  for (std::size_t t = 1; t < level.size(); ++t) level.values[t] += level.values[t - 1];
  for (const TestResult& t : unit_root_battery(level).tests)
    tell(t.test + " " + t.variant, t.statistic);
  for (const TestResult& t : find_breaks(y).tests) tell(t.test + " " + t.variant, t.statistic);
  const Fit fit = estimate("const / garch / student", y);
  for (const TestResult& t : check(fit).tests()) tell("check " + t.test + " " + t.variant, t.statistic);
  const Forecast ahead = forecast(fit, {.horizon = 5, .method = ForecastMethod::plug_in});
  for (const ForecastStep& s : ahead.steps) {
    tell("forecast mean", s.mean);
    tell("forecast sd", s.sd);
    tell("forecast low", s.return_interval[1].low);
    tell("forecast tail", s.tails[0].value_at_risk);
  }
}
