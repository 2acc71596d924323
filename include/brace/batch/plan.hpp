// SPDX-License-Identifier: Apache-2.0
// What is done to each series of a batch, and the work on one of them.
//
//   brace::BatchPlan plan{.make = brace::log_returns_made(), .models = {model}};
//   brace::SeriesResult result = brace::run_series("KELP", prices, plan);
//
// Threads: a BatchPlan is a plain value, read from several threads at once; so may its functions be
// called. run_series() may be called from several threads at once.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/batch/result.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/diagnosis/find_breaks.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/evaluate/backtest.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/io/universe.hpp"
#include "brace/search/search.hpp"
#include "brace/search/variance_search.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// What is modelled of a series, and what there is to say of the way there.
struct Made {
  Series values;
  std::vector<Warning> warnings{};
  // How the values came from what was read: with it forecasts are carried back.
  std::shared_ptr<const Transformed> transformed{};
};

struct BatchPlan {
  // ---- From what was read to what is modelled ----
  // Left out: it is modelled as it is. `made` says in words what `make` does, since two runs are
  // the same only where they make the same.
  std::function<Made(Series level)> make{};
  std::string made{};

  // ---- What is fitted ----
  // Models, each fitted; or, where there are none, the choice of a search.
  std::vector<Model> models{};
  std::optional<SearchOptions> search{};
  std::optional<VarianceSearchOptions> variance_search{};
  EstimateOptions estimate{};
  // Which of several usable fits is checked and forecast.
  Criterion criterion = Criterion::bic;

  // ---- What is asked of the chosen fit; left out: not done ----
  std::optional<CheckOptions> check = CheckOptions{.advice = false};
  std::optional<FindBreaksOptions> breaks{};  // with the chosen model where `model` is empty
  std::optional<ForecastOptions> forecast{};
  std::optional<BacktestOptions> backtest{};  // of all models

  // ---- What is kept beside the rows ----
  std::string save_to{};  // folder for the chosen fit of each series as NAME.json; empty: none
  // How messages are put; left out: as the library words them.
  std::function<std::string(const std::string& message)> words{};
};

// The returns of a level in percent, for BatchPlan::make.
[[nodiscard]] std::function<Made(Series level)> log_returns_made();

// All that the numbers depend on but for the rows, in one line.
[[nodiscard]] std::string described(const BatchPlan& plan);

// Standard errors that a maximum may be thought to have moved before a fit of an
// earlier run is estimated again.
inline constexpr double kKeptWithin = 0.5;

// Of the first `rows` rows of a series: dates, values, companions.
[[nodiscard]] std::string digest_of_rows(const Series& level, std::size_t rows);
// Of all that the numbers of a series depend on: its name, the digest of its rows, the plan.
[[nodiscard]] std::string digest_of_work(const std::string& name, const Series& level,
                                         const std::string& level_digest,
                                         const std::string& described);

// Everything, on one series; whatever goes wrong is a row of `failures`, never an exception. With
// `earlier`, of a run whose rows begin those of `level`, a fit is kept where its maximum is thought
// to have moved by less than kKeptWithin standard errors: sqrt(g' V g) with the gradient g of all
// rows at the old parameters and their covariance V.
[[nodiscard]] SeriesResult run_series(const std::string& name, const Outcome<Series>& level,
                                      const BatchPlan& plan,
                                      const std::optional<SeriesResult>& earlier = {},
                                      std::stop_token stop = {});

// Where BatchPlan::save_to has the fit of a series.
[[nodiscard]] std::string saved_path(const std::string& folder, const std::string& name);

}  // namespace brace::inline v0
BRACE_API_END
