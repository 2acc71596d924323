// SPDX-License-Identifier: Apache-2.0
// Advice that was tried: models that might take up what a check found are fitted to the same rows,
// and the one with the lowest bic is named where it is lower than the fit's own.
//
//   Adviser adviser(fit);
//   if (const Advice a = adviser.on_law(); a.better) std::cout << *a.better << " lowers bic by " <<
//   a.gained;
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "brace/estimation/fit.hpp"

namespace brace::inline v0 {

struct Advice {
  std::vector<std::string> tried;     // model lines; none where nothing is at hand, or too few rows
  std::optional<std::string> better;  // one of them
  double gained = 0;                  // by it, in bic
};

// Fits each model once, however many questions of a check name it; the fit must outlive it.
class Adviser {
 public:
  explicit Adviser(const Fit& fit) : fit_(fit) {}
  // A lag of its own for what stands out at `lag`, as an AR and as an MA term.
  [[nodiscard]] Advice on_mean(int lag);
  // The lag of z^2 that stands out, signs, a second component; garch where there is no equation.
  [[nodiscard]] Advice on_variance(int lag);
  [[nodiscard]] Advice on_signs();
  [[nodiscard]] Advice on_law();

 private:
  struct Tried {
    bool usable = false;
    std::optional<double> bic;
  };
  [[nodiscard]] Advice best_of(const std::vector<Model>& given);
  [[nodiscard]] Model with_variance(const Variance& family) const;
  // Fits what was not yet tried; nothing where the rows are too few for one of them.
  [[nodiscard]] bool try_all(const std::vector<Model>& models);

  const Fit& fit_;
  std::map<std::string, Tried> tried_;  // by model line
};

// Whether a family tells falls from rises.
[[nodiscard]] bool has_signs(const Variance& family);

}  // namespace brace::inline v0
