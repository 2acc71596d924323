// SPDX-License-Identifier: Apache-2.0
// A program outside the project: finds the installed library, simulates, estimates, forecasts.
#include <brace/brace.hpp>

int main() {
  const brace::Model model = brace::parse_model("const / garch / student");
  const brace::Series y = brace::simulate(model, {.03, .03, .08, .89, 6}, 1500, {.seed = 3});
  const brace::Fit fitted = brace::estimate(model, y);
  return fitted.usable() && brace::forecast(fitted, {.horizon = 2}).steps.size() == 2 ? 0 : 1;
}
