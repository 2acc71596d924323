// SPDX-License-Identifier: Apache-2.0
// What a fit says beyond its table of errors: intervals that follow the likelihood, hypotheses on
// several parameters, and what the variance equation did to the mean terms.
//
//   std::cout << brace::profile_interval(fit, "persistence");
//   std::cout << brace::wald_test(fit, {{"ar1", 0}, {"ma1", 0}});
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// All values of a quantity at which the likelihood, maximised over everything else, lies no more
// than a chi-squared quantile below its maximum (Venzon and Moolgavkar 1988): it need not be
// symmetric, and it knows the bounds.
struct ProfileInterval {
  std::string quantity;
  double percent = 95;
  double estimate = 0;
  std::optional<double> low, high;  // empty: the likelihood does not fall so far before the bound
  std::optional<double> bound_low, bound_high;  // where it ends there
  // estimate -/+ quantile x error, for comparison; empty where there is no error.
  std::optional<double> symmetric_low, symmetric_high;
};

// `quantity` is the name of a parameter that is not held, or "persistence". Throws Error
// (bad_option) for another name, an unusable fit or a percentage outside (0, 100).
[[nodiscard]] ProfileInterval profile_interval(const Fit& fit, std::string_view quantity,
                                               double percent = 95);
std::ostream& operator<<(std::ostream& out, const ProfileInterval& interval);

// Null: the parameters have the values given. Wald's statistic with the fit's covariance,
// chi-squared. Throws Error (bad_option) where a name is not a parameter, is held or on a bound.
[[nodiscard]] TestResult wald_test(const Fit& fit, const std::vector<Held>& values);

// The mean terms of a fit beside those of the same mean equation alone, both by conditional
// likelihood on the same rows.
struct MeanBeside {
  struct Row {
    std::string name;
    double joint = 0, alone = 0;
    std::optional<double> joint_error, alone_error, alone_robust_error;
  };
  std::vector<Row> rows;
  FitStatus alone_status = FitStatus::not_run;
  std::string model, mean_model;
};

// Throws Error (bad_option) where the fit has no variance equation or no mean term.
[[nodiscard]] MeanBeside mean_beside(const Fit& fit);
std::ostream& operator<<(std::ostream& out, const MeanBeside& beside);

// What was asked of a fit beyond its table.
struct Inference {
  std::vector<ProfileInterval> intervals;
  std::vector<TestResult> tests;
  std::optional<MeanBeside> beside;
};
std::ostream& operator<<(std::ostream& out, const Inference& inference);

}  // namespace brace::inline v0
BRACE_API_END
