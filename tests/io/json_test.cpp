// SPDX-License-Identifier: Apache-2.0
// The JSON contract and saved models.
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "brace/base/version.hpp"
#include "brace/brace.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using Json = nlohmann::json;
using test::Folder;

Fit fitted(bool gaps = false) {
  Series y = simulate(parse_model("const ar1 / garch / student"), {.05, .2, .05, .1, .85, 6}, 900,
                      {.seed = 3});
  y.name = "log return of settle";
  y.unit = Unit::percent;
  y.kind = SeriesKind::log_return;
  y.times = dates_after(*parse_date("2020-01-01"), Clock::business_day, y.size());
  y.clock = Clock::business_day;
  if (gaps)
    for (const std::size_t t : {std::size_t{5}, std::size_t{400}, std::size_t{899}})
      y.values[t] = std::numeric_limits<double>::quiet_NaN();
  return estimate("const ar1 / garch / student", y);
}

void expect_keys(const Json& object, std::initializer_list<const char*> keys) {
  for (const char* key : keys)
    EXPECT_TRUE(object.contains(key)) << key << " is missing in " << object.dump().substr(0, 200);
}

void expect_test(const Json& t) {
  expect_keys(
      t, {"test", "variant", "null", "statistic", "p_value", "p_floor", "dof", "lags", "bandwidth",
          "observations", "critical", "deterministic", "break", "reject_5pct", "reading"});
  EXPECT_TRUE(t["dof"].is_array());
  EXPECT_TRUE(t["statistic"].is_number());
}

TEST(Contract, Fit) {
  const Fit fit = fitted();
  const Json doc = Json::parse(json_document("fit", fit));
  EXPECT_EQ(doc["brace"], version());
  EXPECT_EQ(doc["command"], "fit");
  EXPECT_EQ(doc["series"], Json({{"file", nullptr},
                                 {"name", "log return of settle"},
                                 {"unit", "percent"},
                                 {"n", 900},
                                 {"first", "2020-01-02"},
                                 {"last", fit.series->when(899)},
                                 {"missing", 0},
                                 {"every", "business-day"}}));
  const Json& r = doc["result"];
  expect_keys(
      r, {"model", "n", "likelihood", "log_likelihood", "aic", "aicc", "bic", "hqc", "parameters",
          "convergence", "persistence", "half_life", "unconditional_variance", "last"});
  EXPECT_EQ(r["model"], "const ar1 / garch e1 h1 / student");
  EXPECT_EQ(r["likelihood"], "conditional");
  EXPECT_EQ(r["convergence"]["status"], "converged");
  expect_keys(r["convergence"], {"status", "gradient_norm", "iterations", "evaluations", "why"});
  ASSERT_EQ(r["parameters"].size(), 6u);
  for (const Json& p : r["parameters"])
    expect_keys(p, {"name", "estimate", "se_hessian", "se_opg", "se_robust", "se", "t", "p_value",
                    "held", "at_bound"});
  EXPECT_EQ(r["parameters"][1]["estimate"].get<double>(), fit.parameters[1].estimate)
      << "full precision";
  EXPECT_TRUE(r["parameters"][5]["t"].is_null()) << "zero is no hypothesis for nu";
  EXPECT_EQ(r["last"]["variance"].get<double>(), fit.variances.back());
  EXPECT_TRUE(doc["warnings"].is_array());
}

TEST(Contract, TestsLagsUnitRootsAndForecasts) {
  const Fit fit = fitted(true);
  const Series y = fit.window();
  const Json look = Json::parse(json_document("inspect", y, inspect(y), y));
  expect_keys(look["result"]["moments"],
              {"n", "mean", "sd", "min", "max", "skewness", "excess_kurtosis"});
  EXPECT_EQ(look["series"]["missing"], 3);
  for (const Json& t : look["result"]["tests"]) expect_test(t);

  const Json lags = Json::parse(json_document("lags", y, lag_table(y, 5), "values"))["result"];
  EXPECT_EQ(lags["of"], "values");
  ASSERT_EQ(lags["lags"].size(), 5u);
  expect_keys(lags["lags"][0],
              {"lag", "acf", "pacf", "q", "dof", "p_value", "q_robust", "p_robust"});

  const Json roots =
      Json::parse(json_document("unitroot", y, compare_unit_roots({y}, differences(y))));
  EXPECT_EQ(roots["result"]["verdict"], "stationary");
  ASSERT_EQ(roots["result"]["tests"].size(), 14u) << "seven on the level, seven on the difference";
  for (const Json& t : roots["result"]["tests"]) {
    expect_test(t);
    expect_keys(t["critical"], {"1%", "5%", "10%"});
  }

  const Json broken = Json::parse(json_document("breaks", y, find_breaks(y)))["result"];
  expect_keys(broken, {"tests", "holm", "breaks", "segments", "model", "persistence", "terms",
                       "from", "reading", "advice"});
  for (const Json& t : broken["tests"]) expect_test(t);
  EXPECT_TRUE(broken["breaks"].empty());
  expect_keys(broken["segments"].at(0), {"first", "last", "n", "mean", "sd", "persistence"});

  const Json checked = Json::parse(json_document("check", fit, check(fit)))["result"];
  EXPECT_EQ(checked["verdict"], "clean");
  for (const Json& t : checked["tests"]) expect_test(t);

  const Json ahead = Json::parse(json_document(
      "forecast", fit,
      forecast(fit, {.horizon = 2, .method = ForecastMethod::plug_in, .draws = 100})))["result"];
  EXPECT_EQ(ahead["method"], "plug-in");
  EXPECT_EQ(ahead["intervals"], Json({50, 95}));
  ASSERT_EQ(ahead["steps"].size(), 2u);
  expect_keys(ahead["steps"][0], {"step", "date", "mean", "sd", "variance", "typical_variance",
                                  "return_interval", "volatility_interval"});
  EXPECT_TRUE(ahead["steps"][0]["volatility_interval"].is_null()) << "a point is no interval";
  EXPECT_GT(ahead["steps"][1]["return_error"]["95"].get<double>(), 0);
  EXPECT_GT(ahead["steps"][1]["volatility_error"]["95"].get<double>(), 0);
  EXPECT_EQ(ahead["steps"][0]["return_error"]["95"], 0) << "the law of the first step is known";
  EXPECT_EQ(ahead["steps"][1]["volatility_interval"]["95"].size(), 2u);
  EXPECT_EQ(ahead["annualised"]["periods_per_year"], 252);
}

TEST(Contract, NothingThatIsNotDefinedIsANumberOrAString) {
  const Series y = simulate(parse_model("const"), {0, 1}, 300, {.seed = 2});
  const std::string text = json_document("fit", estimate("const", y));
  EXPECT_EQ(text.find("nan"), std::string::npos);
  EXPECT_EQ(text.find("inf"), std::string::npos);
  const Json r = Json::parse(text)["result"];
  EXPECT_TRUE(r["persistence"].is_null());
  EXPECT_TRUE(r["half_life"].is_null());
}

TEST(SavedModel, ReadsBackToTheSameNumbers) {
  const Folder folder;
  for (const bool gaps : {false, true}) {
    const Fit fit = fitted(gaps);
    const std::string path = folder / "m.json";
    save_model(fit, path);
    EXPECT_TRUE(is_saved_model(path));
    const Fit again = load_model(path);
    EXPECT_EQ(to_string(again.model), to_string(fit.model));
    EXPECT_EQ(again.estimates(), fit.estimates());
    EXPECT_EQ(again.log_likelihood, fit.log_likelihood);
    EXPECT_EQ(again.variances, fit.variances);
    EXPECT_EQ(again.shocks, fit.shocks);
    EXPECT_EQ(again.presample, fit.presample);
    EXPECT_EQ(again.bic, fit.bic);
    EXPECT_EQ(again.covariance, fit.covariance);
    EXPECT_EQ(json_document("fit", again), json_document("fit", fit));
    EXPECT_EQ(json_document("check", again, check(again)), json_document("check", fit, check(fit)));
    const ForecastOptions options{.horizon = 3, .draws = 200};
    EXPECT_EQ(json_document("forecast", again, forecast(again, options)),
              json_document("forecast", fit, forecast(fit, options)));
  }
}

TEST(SavedModel, RefusesWhatItCannotTrust) {
  const Folder folder;
  const std::string path = folder / "m.json";
  save_model(fitted(), path);
  const Json good = Json::parse(test::content_of(path));
  const auto message = [&](const Json& j) {
    const Error error =
        test::error_of([&] { (void)load_model(folder.file("bad.json", j.dump())); });
    EXPECT_EQ(error.code(), ErrorCode::bad_saved_model);
    return std::string(error.what());
  };
  Json newer = good;
  newer["version"] = 2;
  EXPECT_NE(message(newer).find("version 2, this program reads 1"), std::string::npos);
  Json changed = good;
  changed["series"]["values"][450] = 30;
  EXPECT_NE(message(changed).find("field 'state' is not what its data and parameters give"),
            std::string::npos);
  Json other = good;
  other["model"] = "const / garch / student";
  EXPECT_NE(message(other).find("field 'parameters' has"), std::string::npos);
  Json torn = good;
  torn.erase("covariance");
  EXPECT_NE(message(torn).find("is not a saved model"), std::string::npos);
  EXPECT_NE(message(Json::array()).find("is not a saved model"), std::string::npos);
  EXPECT_EQ(test::error_of([&] {
              (void)load_model(folder.file("half.json", good.dump().substr(0, 500)));
            }).code(),
            ErrorCode::bad_saved_model);
  EXPECT_FALSE(is_saved_model(folder.file("a.csv", "date,x\n")));
}

TEST(Contract, SearchAndComparison) {
  const Series y = simulate(parse_model("const ar1"), {1, .5, 1}, 200, {.seed = 3});
  const Json found = Json::parse(
      json_document("search", search(y, {.most_ar = 1, .most_ma = 1, .differences = 0})))["result"];
  expect_keys(found, {"criterion", "walk", "candidates", "chosen", "differences", "lags_looked_at",
                      "proposals"});
  ASSERT_EQ(found["candidates"].size(), 4u);
  expect_keys(found["candidates"][0],
              {"rank", "model", "log_likelihood", "aic", "aicc", "bic", "hqc", "status", "white",
               "white_p", "arch_free", "arch_p", "nearest_root", "cancelling"});
  const Json pair = Json::parse(
      json_document("compare", compare({"const", "const ar1"}, y, {.hold_out = 20})))["result"];
  expect_keys(pair, {"likelihood", "hold_out", "models", "baselines", "comparisons", "reading"});
  EXPECT_EQ(pair["likelihood"], "exact");
  EXPECT_EQ(pair["models"][1]["hold_out"]["mean"].size(), 20u);
  expect_keys(pair["models"][1]["hold_out"]["accuracy"],
              {"n", "relative", "mase", "rmse", "mae", "mape", "smape", "no_percent", "bias",
               "bias_error", "directions", "coverage", "whiteness"});
  const Json& one_step = pair["models"][1]["hold_out"]["one_step_accuracy"];
  EXPECT_TRUE(pair["models"][1]["hold_out"]["accuracy"]["whiteness"].is_null())
      << "errors of one origin are correlated under every model";
  expect_keys(one_step["whiteness"], {"lag", "autocorrelation", "test"});
  expect_test(one_step["whiteness"]["test"]);
  expect_keys(one_step["relative"], {"baseline", "rmse", "mae"});
  EXPECT_EQ(one_step["relative"]["baseline"], "walk");
  expect_keys(one_step["directions"], {"of", "n", "right", "commoner"});
  expect_keys(pair["models"][1]["hold_out"]["accuracy"]["coverage"], {"50", "95"});
  EXPECT_EQ(pair["models"][1]["hold_out"]["intervals"]["95"]["low"].size(), 20u);
  EXPECT_TRUE(pair["models"][0]["correlation"].is_null()) << "a constant moves with nothing";
  EXPECT_EQ(pair["comparisons"][0]["small"], 1);
}

TEST(Contract, CheckOfAMeanModel) {
  const Fit fit =
      estimate("const ar1", simulate(parse_model("const ar1"), {1, .5, 1}, 200, {.seed = 3}));
  const Json r = Json::parse(json_document("check", fit, check(fit)))["result"];
  expect_keys(r, {"model", "questions", "tests", "whiteness", "spikes", "lags_looked_at",
                  "inverse_roots", "verdict", "reading"});
  for (const Json& t : r["whiteness"]) expect_test(t);
  std::vector<std::string> asked;
  std::size_t told = 0;
  for (const Json& q : r["questions"]) {
    expect_keys(q, {"question", "answer", "reading", "tests"});
    asked.push_back(q["question"]);
    for (const Json& position : q["tests"]) EXPECT_EQ(position, told++);
  }
  EXPECT_EQ(asked, (std::vector<std::string>{"mean", "variance", "law", "constancy"}));
  EXPECT_EQ(told, r["tests"].size());
  ASSERT_EQ(r["inverse_roots"].size(), 1u);
  EXPECT_EQ(r["inverse_roots"][0]["side"], "ar");
  EXPECT_NEAR(r["inverse_roots"][0]["modulus"].get<double>(), fit.parameters[1].estimate, 1e-12);
}

TEST(SavedModel, KeepsRegressorsAndTheExactLikelihood) {
  const test::Folder folder;
  Series y = simulate(parse_model("const ar1"), {1, .5, 1}, 200, {.seed = 3});
  y.companions = {{"open interest", {}}};
  for (std::size_t t = 0; t < y.size(); ++t)
    y.companions[0].values.push_back(t == 7 ? std::numeric_limits<double>::quiet_NaN()
                                            : static_cast<double>(t % 9));
  const Fit fit = estimate("const ar1 with 'open interest'", y);
  save_model(fit, folder / "m.json");
  const Fit again = load_model(folder / "m.json");
  EXPECT_TRUE(again.exact);
  EXPECT_EQ(again.shocks, fit.shocks);
  EXPECT_EQ(again.log_likelihood, fit.log_likelihood);
  EXPECT_EQ(again.n, 199u) << "the row without its regressor does not count";
  ASSERT_EQ(again.series->companions.size(), 1u);
  EXPECT_TRUE(std::isnan(again.series->companions[0].values[7]));
}

}  // namespace
}  // namespace brace
