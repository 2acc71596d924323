// SPDX-License-Identifier: Apache-2.0
// The JSON contract (docs/json.md): one object for each command's result.
//
//   std::cout << brace::json_document("fit", fitted);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/diagnosis/find_breaks.hpp"
#include "brace/diagnosis/inference.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/evaluate/backtest.hpp"
#include "brace/evaluate/compare.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/hypothesis/seasonal_roots.hpp"
#include "brace/io/table.hpp"
#include "brace/process/simulate.hpp"
#include "brace/search/search.hpp"
#include "brace/search/variance_search.hpp"
#include "brace/series/decomposition.hpp"
#include "brace/series/profile.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// {brace, command, series, result, warnings}, two-space indented, a newline at the end. Numbers in
// full precision; what is not defined is null. `series` is the one the result was computed from,
// `of_file` what is doubtful about its file, beside the result's own warnings.
[[nodiscard]] std::string json_document(std::string_view command, const Fit& fit,
                                        const Inference& more = {});
// Each row of a fit, as fitted_rows() has it: {brace, command: "residuals", series, result: {model,
// rows: [...]}, warnings}.
[[nodiscard]] std::string json_rows(const Fit& fit);
[[nodiscard]] std::string json_document(std::string_view command, const Fit& fit,
                                        const Check& check);
// Forecasts of a hold-out, the fit's own and baselines', and what happened.
struct Judged {
  std::vector<Compared> rows;
  Series actual;
};
// `judged` on the model's scale and, where there is one, on the file's own.
[[nodiscard]] std::string json_document(std::string_view command, const Fit& fit,
                                        const Forecast& ahead, const Judged& judged = {},
                                        const Judged& original = {});
[[nodiscard]] std::string json_document(std::string_view command, const Search& found);
[[nodiscard]] std::string json_document(std::string_view command, const VarianceSearch& found);
[[nodiscard]] std::string json_document(std::string_view command, const Comparison& comparison);
[[nodiscard]] std::string json_document(std::string_view command, const Backtest& backtest);
// `level` is what the file held, with its account and clock, where `series` was made from it.
[[nodiscard]] std::string json_document(std::string_view command, const Series& series,
                                        const Inspection& inspection, const Series& level);
// What each column of a file holds.
[[nodiscard]] std::string json_document(std::string_view command, const Table& table);
[[nodiscard]] std::string json_document(
    std::string_view command, const Series& series, const UnitRootReport& report,
    const std::vector<TestResult>& more = {},
    const std::optional<hypothesis::DifferencesSuggested>& suggested = {},
    const std::vector<Warning>& of_file = {});
[[nodiscard]] std::string json_document(std::string_view command, const Series& series,
                                        const BreakReport& report);
// `of` says what the table was computed from: "values", "squares" or "absolute".
[[nodiscard]] std::string json_document(std::string_view command, const Series& series,
                                        const LagTable& table, std::string_view of,
                                        std::optional<double> level = {},
                                        const std::vector<Warning>& of_file = {});

[[nodiscard]] std::string json_document(std::string_view command, const Series& series,
                                        const LeverageTable& table,
                                        const std::vector<Warning>& of_file = {});
[[nodiscard]] std::string json_document(std::string_view command, const Series& series,
                                        const Decomposition& parts, const TestResult& test,
                                        const std::vector<Warning>& of_file = {});
// One test a profile.
[[nodiscard]] std::string json_document(std::string_view command, const Series& series,
                                        const std::vector<VolatilityProfile>& profiles,
                                        const std::vector<TestResult>& tests,
                                        const std::vector<Warning>& of_file = {});
// A simulated series with the process that it is of, whose parameters are in the order of
// parameter_names(model).
[[nodiscard]] std::string json_document(std::string_view command, const Model& model,
                                        const std::vector<double>& parameters, std::uint64_t seed,
                                        const Simulated& made);

}  // namespace brace::inline v0
BRACE_API_END
