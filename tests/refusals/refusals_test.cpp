// SPDX-License-Identifier: Apache-2.0
// What the library refuses: each call that cannot be answered ends in an Error that names the
// series, term or option and says what is wanted.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <limits>

#include "brace/brace.hpp"
#include "brace/figures/figure.hpp"
#include "brace/process/simulate.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::HasSubstr;

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

Series noise(std::size_t n, std::uint64_t stream = 0) {
  return simulate(parse_model("const"), {.1, 1}, n, {.seed = 21, .stream = stream});
}

Series daily(std::size_t n) {
  Series y = noise(n);
  y.name = "kelp";
  y.clock = Clock::day;
  for (std::size_t t = 0; t < n; ++t)
    y.times.push_back(*parse_date("2024-01-01") + std::chrono::days(t));
  return y;
}

Series with_column(Series y, std::vector<double> values) {
  y.companions.push_back({"x", std::move(values)});
  return y;
}

// A fit that is no maximum.
Fit failed() {
  EstimateOptions options;
  options.max_iterations = 1;
  options.start = {3, 2, .5, .3};
  options.from = ClimbFrom::start;
  Fit fit = estimate("const / garch",
                     simulate(parse_model("const / garch"), {.1, .05, .1, .85}, 600, {.seed = 3}),
                     options);
  EXPECT_EQ(fit.convergence.status, FitStatus::failed) << fit;
  return fit;
}

const Fit& good() {
  static const Fit fit = estimate("const / garch", simulate(parse_model("const / garch"),
                                                            {.1, .05, .1, .85}, 600, {.seed = 3}));
  return fit;
}

struct Refused {
  const char* name;
  std::function<void()> call;
  ErrorCode code;
  const char* says;
};
void PrintTo(const Refused& r, std::ostream* out) {
  *out << r.name;
}

class Refusal : public testing::TestWithParam<Refused> {};

TEST_P(Refusal, SaysWhatIsWanted) {
  const Error error = test::error_of(GetParam().call);
  EXPECT_EQ(error.code(), GetParam().code) << error.what();
  EXPECT_THAT(error.what(), HasSubstr(GetParam().says));
}

std::string name_of(const testing::TestParamInfo<Refused>& info) {
  return info.param.name;
}

INSTANTIATE_TEST_SUITE_P(
    Series, Refusal,
    testing::Values(
        Refused{"window_without_dates", [] { (void)dates_between(noise(30), {}, {}); },
                ErrorCode::bad_option, "has no dates"},
        Refused{"window_beside_the_series",
                [] { (void)dates_between(daily(30), parse_date("2031-01-01"), {}); },
                ErrorCode::bad_option, "it runs from 2024-01-01 to 2024-01-30"},
        Refused{"rows_beyond_the_end", [] { (void)rows_between(daily(30), 10, 31); },
                ErrorCode::bad_option, "kelp has rows 1 to 30"},
        Refused{"hold_out_by_date_without_dates",
                [] { (void)split(noise(30), {.from = parse_date("2024-01-10")}); },
                ErrorCode::bad_option, "has no dates"},
        Refused{"hold_out_in_two_ways", [] { (void)split(daily(30), {.count = 3, .share = .2}); },
                ErrorCode::bad_option, "give one of count, share and from"},
        Refused{"hold_out_of_all", [] { (void)split(daily(30), {.count = 30}); },
                ErrorCode::bad_option, "leave at least one on each side"},
        Refused{"regroup_without_dates",
                [] { (void)regroup(noise(30), Clock::week, Aggregate::last); },
                ErrorCode::bad_option, "needs dates"},
        Refused{"regroup_to_a_faster_clock",
                [] { (void)regroup(daily(30), Clock::hour, Aggregate::last); },
                ErrorCode::bad_option, "choose a clock slower than that"},
        Refused{"overnight_of_days",
                [] { (void)without_overnight(daily(30), daily(30), Overnight::drop); },
                ErrorCode::bad_option, "has no times of day"},
        Refused{"profile_of_one_time",
                [] { (void)volatility_profile(daily(30), ProfileBy::time_of_day); },
                ErrorCode::bad_option, "has one time of day only"},
        Refused{"profile_of_a_flat_slot",
                [] {
                  Series y = daily(70);
                  for (std::size_t row = 0; row < 70; row += 7) y.values[row] = 1;
                  (void)volatility_profile(y, ProfileBy::weekday);
                },
                ErrorCode::bad_option, "at Monday are all 1"},
        Refused{"inverse_of_another_length",
                [] {
                  const Transformed made = transform(daily(30), parse_chain("diff1"));
                  (void)made.inverse(std::vector<double>(7, 0.0));
                },
                ErrorCode::bad_option, "give one a row"},
        Refused{"transform_window_without_dates",
                [] { (void)transform(noise(30), parse_chain("dates=2024-01-03..2024-01-09")); },
                ErrorCode::bad_option, "has no dates"},
        Refused{"centre_of_nothing",
                [] {
                  (void)transform(make_series(std::vector<double>(30, kNaN)),
                                  parse_chain("centre"));
                },
                ErrorCode::too_few_observations, "no values to take a mean of"}),
    name_of);

INSTANTIATE_TEST_SUITE_P(
    Tests, Refusal,
    testing::Values(
        Refused{"leverage_beyond_the_rows", [] { (void)leverage_table(noise(30), 40); },
                ErrorCode::bad_option, "must lie between 1 and 29"},
        Refused{"lags_below_zero", [] { (void)hypothesis::sup_f(noise(100), {.lags = -1}); },
                ErrorCode::bad_option, "lags = -1 is negative"},
        Refused{"trim_that_leaves_nothing",
                [] { (void)hypothesis::sup_f(noise(100), {.lags = 6}, {.trim = .05}); },
                ErrorCode::too_few_observations, "give a longer series"},
        Refused{"equal_tails",
                [] {
                  std::vector<double> v(200, 1.);
                  for (std::size_t row = 0; row < 150; ++row)
                    v[row] = .001 * static_cast<double>(row);
                  (void)tail_index(make_series(v, "kelp"), TailSide::right, 20);
                },
                ErrorCode::constant_series, "largest values of kelp are equal"},
        Refused{"variance_ratio_without_periods",
                [] { (void)hypothesis::variance_ratio(noise(200), {.periods = {}}); },
                ErrorCode::bad_option, "one period or more"},
        Refused{"variance_ratio_of_a_long_period",
                [] { (void)hypothesis::variance_ratio(noise(200), {.periods = {150}}); },
                ErrorCode::bad_option, "150"},
        Refused{"confidence_set_of_nothing", [] { (void)model_confidence_set({}); },
                ErrorCode::bad_option, "give the losses of a model"},
        Refused{"seasonal_roots_with_many_lags",
                [] {
                  (void)hypothesis::seasonal_roots(
                      noise(120), {.period = 12, .rule = hypothesis::LagRule::fixed, .lags = 90});
                },
                ErrorCode::bad_option, "lags = 90"}),
    name_of);

INSTANTIATE_TEST_SUITE_P(
    Models, Refusal,
    testing::Values(
        Refused{"lag_of_zero",
                [] {
                  Model model = parse_model("const ar1");
                  model.mean.ar = {0};
                  (void)canonical(model);
                },
                ErrorCode::bad_model_line, "'ar0': a lag is a whole number from 1"},
        Refused{"difference_of_zero",
                [] {
                  Model model;
                  model.mean.differences = {0};
                  (void)canonical(model);
                },
                ErrorCode::bad_model_line, "'diff0': the span"},
        Refused{"arch_without_lags",
                [] {
                  Model model;
                  model.variance = Arch{.e = {}};
                  (void)canonical(model);
                },
                ErrorCode::bad_model_line, "at least one shock lag"},
        Refused{"igarch_without_variance_lags",
                [] {
                  Model model;
                  model.variance = Igarch{.e = {1}, .h = {}};
                  (void)canonical(model);
                },
                ErrorCode::bad_model_line, "at least one variance lag"},
        Refused{"held_at_nothing",
                [] {
                  Model model = parse_model("const / garch");
                  model.held.push_back({"beta1", kNaN});
                  (void)canonical(model);
                },
                ErrorCode::bad_model_line, "'beta1' must be held at a finite number"},
        Refused{"differences_of_all_rows", [] { (void)estimate("diff12 ar1", noise(13)); },
                ErrorCode::too_few_observations, "13"},
        Refused{"variance_with_a_constant",
                [] {
                  (void)estimate("const / garch vwith x",
                                 with_column(daily(300), std::vector<double>(300, 5.)));
                },
                ErrorCode::bad_model_line, "vwith:x adds nothing"},
        Refused{"variance_with_zeros",
                [] {
                  (void)estimate("const / egarch vwith x",
                                 with_column(daily(300), std::vector<double>(300, 0.)));
                },
                ErrorCode::bad_model_line, "vwith:x adds nothing"},
        Refused{"variance_with_a_gap",
                [] {
                  std::vector<double> x(300, 1.);
                  for (std::size_t row = 0; row < 300; row += 2) x[row] = 2;
                  x[40] = kNaN;
                  (void)estimate("const / garch vwith x", with_column(daily(300), x));
                },
                ErrorCode::bad_model_line, "is missing at 2024-02-10"},
        Refused{"variance_with_a_negative_value",
                [] {
                  std::vector<double> x(300, 1.);
                  for (std::size_t row = 0; row < 300; row += 2) x[row] = 2;
                  x[40] = -3;
                  (void)estimate("const / garch vwith x", with_column(daily(300), x));
                },
                ErrorCode::bad_model_line, "its value at 2024-02-10 is -3"},
        Refused{"regressor_without_its_future",
                [] {
                  std::vector<double> x(300);
                  for (std::size_t row = 0; row < 300; ++row)
                    x[row] = std::sin(static_cast<double>(row));
                  (void)forecast(estimate("const with x", with_column(daily(300), x)),
                                 {.horizon = 3});
                },
                ErrorCode::bad_option, "needs its coming values"},
        Refused{"targeting_with_a_moving_mean",
                [] { (void)estimate("const ar1 / garch", noise(300), {.target_variance = true}); },
                ErrorCode::bad_option, "only under a constant mean"},
        Refused{"rows_in_the_wrong_number",
                [] {
                  (void)simulate(parse_model("const with x / garch"), {.1, .2, .05, .1, .85}, 30,
                                 {.rows = with_column(daily(20), std::vector<double>(20, 1.))});
                },
                ErrorCode::bad_option, "holds 20 rows, and 30 are to be made"},
        Refused{"breaks_out_of_order",
                [] {
                  const std::vector<double> theta{.1, .05, .1, .85};
                  (void)simulate(parse_model("const / garch"), theta, 30,
                                 {.breaks = {{20, theta}, {10, theta}}});
                },
                ErrorCode::bad_option, "rows must ascend"},
        Refused{"news_impact_of_one_point", [] { (void)news_impact(good(), 4, 1); },
                ErrorCode::bad_option, "three points or more"},
        Refused{"variance_break_on_few_rows",
                [] {
                  (void)variance_break_test(
                      estimate("const / garch", rows_between(good().window(), 0, 250)));
                },
                ErrorCode::too_few_observations, "on 250 observations"},
        Refused{"tails_beyond_the_middle", [] { (void)forecast(good(), {.tails = {60}}); },
                ErrorCode::bad_option, "above 0 and below 50 percent"},
        Refused{"baseline_of_few_rows", [] { (void)fit_baseline("smooth", noise(6)); },
                ErrorCode::too_few_observations, "too few"}),
    name_of);

// Nothing rests on a fit that is no maximum.
INSTANTIATE_TEST_SUITE_P(FailedFit, Refusal,
                         testing::Values(Refused{"forecast", [] { (void)forecast(failed()); },
                                                 ErrorCode::bad_option, "failed"},
                                         Refused{"sign_bias", [] { (void)sign_bias(failed()); },
                                                 ErrorCode::bad_option, "must not be used"},
                                         Refused{"law_fit", [] { (void)law_fit(failed()); },
                                                 ErrorCode::bad_option, "must not be used"},
                                         Refused{"profile",
                                                 [] { (void)profile_interval(failed(), "beta1"); },
                                                 ErrorCode::bad_option, "did not converge, so"},
                                         Refused{"update", [] { (void)update(failed(), noise(3)); },
                                                 ErrorCode::bad_option, "estimate it again"},
                                         Refused{"outliers", [] { (void)find_outliers(failed()); },
                                                 ErrorCode::bad_option, "failed"},
                                         Refused{"draw", [] { draw_fit(failed(), "nowhere.png"); },
                                                 ErrorCode::bad_option, "nothing to draw"}),
                         name_of);

}  // namespace
}  // namespace brace
