// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/rolling_test.cpp.
#include "brace/estimation/rolling.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "base/progress_counter.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/series/split.hpp"
#include "estimation/lane_window_climb.hpp"

namespace brace::inline v0 {
namespace {

// Windows from one fresh start to the next, which also are what one thread does at a time.
constexpr std::size_t kRun = 64;
// Windows that start from the same estimates, whatever the lanes of the machine.
constexpr std::size_t kGroup = 8;

std::vector<RollingFit> windows_of(const Series& series, const RollingOptions& o) {
  const std::size_t first_end = o.first_end.value_or(o.window),
                    last_end = o.last_end.value_or(series.size());
  if (o.window == 0 || o.every == 0)
    throw Error(ErrorCode::bad_option, "a rolling fit needs a window and a step of at least 1 row");
  if (first_end < o.window || last_end > series.size() || first_end > last_end)
    throw Error(ErrorCode::bad_option,
                fmt::format("windows of {} that end at rows {} to {} are asked of a series of {}",
                            text::plural(o.window, "row", "rows"), first_end, last_end,
                            text::plural(series.size(), "row", "rows")));
  std::vector<RollingFit> fits;
  for (std::size_t end = first_end; end <= last_end; end += o.every) {
    RollingFit f;
    f.first = o.expanding ? first_end - o.window : end - o.window;
    f.count = end - f.first;
    fits.push_back(std::move(f));
  }
  return fits;
}

class Roll {
 public:
  Roll(const Model& model, const Series& series, const RollingOptions& options)
      : model_(canonical(model)),
        series_(std::make_shared<Series>(series)),
        options_(options),
        fits_(windows_of(series, options)),
        count_(options.progress, fits_.size()) {
    const bool complete = std::none_of(series.values.begin(), series.values.end(),
                                       [](double v) { return std::isnan(v); });
    if (options.lanes && !options.expanding && !options.prepare && complete &&
        model_.held.empty() && lanes_serve(model_) && options.window >= LaneLikelihood::kFewest)
      lanes_.emplace(model_, std::span(series_->values), options.every);
  }

  std::vector<RollingFit> run(const Executor& executor) {
    const std::size_t runs = (fits_.size() + kRun - 1) / kRun;
    executor.for_each(
        runs, [&](std::size_t r) { run_from(r * kRun, std::min(fits_.size(), (r + 1) * kRun)); });
    return std::move(fits_);
  }

 private:
  void run_from(std::size_t from, std::size_t to) {
    std::vector<double> start;  // of the last window that may be believed
    for (std::size_t i = from; i < to && !count_.stopped();) {
      std::size_t count = 1;
      if (lanes_ && !start.empty()) {
        count = std::min(kGroup, to - i);
        for (std::size_t c = 0; c < count; c += lanes_->width())
          lanes_->run(fits_[i + c].first, options_.window, start,
                      std::span(fits_).subspan(i + c, std::min(lanes_->width(), count - c)));
      }
      for (std::size_t c = i; c < i + count; ++c) {
        if (fits_[c].status == FitStatus::not_run) climb_alone(fits_[c], start);
        if (fits_[c].status != FitStatus::failed) start = fits_[c].estimates;
      }
      i += count;
      count_.add(count);
    }
  }

  // From the window before or, where that is none or leads nowhere, from everywhere.
  void climb_alone(RollingFit& into, const std::vector<double>& start) const {
    const Executor here(1);
    FitJob job{.model = model_, .series = series_, .first = into.first, .count = into.count};
    if (options_.prepare) {
      job.series = std::make_shared<Series>(
          options_.prepare(rows_between(*series_, into.first, into.first + into.count)));
      job.first = 0;
      job.count.reset();
    }
    const auto fit_from = [&](EstimateOptions options) {
      options.hessian_errors_only = true;
      options.errors = StandardErrors::hessian;
      return std::move(values_of(fit_many({{.model = job.model,
                                            .series = job.series,
                                            .first = job.first,
                                            .count = job.count,
                                            .options = std::move(options)}},
                                          {}, here))
                           .front());
    };
    into.cold = start.empty();
    Fit fit = fit_from(
        {.start = start, .from = start.empty() ? ClimbFrom::everywhere : ClimbFrom::near_start});
    if (!fit.usable() && !start.empty()) {
      fit = fit_from({.start = start});
      into.cold = true;
    }
    into.status = fit.convergence.status;
    into.estimates = fit.estimates();
    into.log_likelihood = fit.log_likelihood.value_or(0);
    into.gradient_norm =
        fit.convergence.gradient_norm.value_or(std::numeric_limits<double>::infinity());
    into.covariance = std::move(fit.covariance);
  }

  Model model_;
  std::shared_ptr<const Series> series_;
  const RollingOptions& options_;
  std::vector<RollingFit> fits_;
  std::optional<LaneWindowClimb> lanes_;
  ProgressCounter count_;
};

}  // namespace

std::vector<RollingFit> fit_rolling(const Model& model, const Series& series,
                                    const RollingOptions& options, const Executor& executor) {
  return Roll(model, series, options).run(executor);
}

}  // namespace brace::inline v0
