// SPDX-License-Identifier: Apache-2.0
// Prints a table of estimates of one's own: parameters by name and in order, with errors that may
// be absent (a parameter that is held, or that lies on a bound, has none).
#include <brace/core.hpp>
#include <cstdio>

int main() {
  const brace::Series returns = brace::simulate(brace::parse_model("const / garch / student"),
                                                {.03, .02, .08, .9, 6}, 2000, {.seed = 1});
  const brace::Fit fit = brace::estimate("const / garch / student nu=6", returns);
  std::printf("%-8s %9s %9s\n", "name", "estimate", "error");
  for (const brace::Parameter& p : fit.parameters)
    if (p.se)
      std::printf("%-8s %9.4f %9.4f\n", p.name.c_str(), p.estimate, *p.se);
    else
      std::printf("%-8s %9.4f %9s\n", p.name.c_str(), p.estimate, p.held ? "held" : "on bound");

  const double persistence = fit["alpha1"].estimate + fit["beta1"].estimate;
  std::printf("alpha1 + beta1 = %.4f\n", persistence);
  if (!fit.has("gamma1")) std::printf("no leverage term in '%s'\n", to_string(fit.model).c_str());
  return fit.usable() ? 0 : 1;
}
