// SPDX-License-Identifier: Apache-2.0
// Relations between runs that must hold whatever the series: the same question in another dress
// gets the same digits, and one line has one maximum in every command. Fifty random series a run;
// the library asks most of it, the tool the rest.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "brace/brace.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;
constexpr std::uint64_t kSeries = 50;

Outcome tool(const std::string& words) {
  return run("'" BRACE_TOOL "' " + words);
}

// Prices of a made-up harbour: log returns of a garch with heavy tails, on business days.
Series prices(std::uint64_t number, std::size_t rows = 400) {
  const Series returns =
      simulate(parse_model("const ar1 / garch / student"), {.02, .1, .05, .08, .88, 6}, rows,
               {.seed = 121, .stream = number});
  std::vector<double> level{100};
  for (const double r : returns.values) level.push_back(level.back() * std::exp(r / 100));
  Series out = make_series(std::move(level), "settle");
  Timestamp day = *parse_date("2015-01-01");
  for (std::size_t t = 0; t < out.size(); ++t) {
    out.times.push_back(day);
    day += std::chrono::hours(24);
  }
  out.clock = Clock::day;
  return out;
}

void expect_same(const Fit& a, const Fit& b, double relative) {
  ASSERT_EQ(a.parameters.size(), b.parameters.size());
  EXPECT_EQ(a.convergence.status, b.convergence.status);
  EXPECT_NEAR(*a.log_likelihood, *b.log_likelihood, relative * std::abs(*b.log_likelihood));
  for (std::size_t j = 0; j < a.parameters.size(); ++j)
    EXPECT_NEAR(a.parameters[j].estimate, b.parameters[j].estimate,
                relative * (1 + std::abs(b.parameters[j].estimate)))
        << a.parameters[j].name;
}

// Prices in another unit have the same log returns.
TEST(Relations, PricesTimesAThousandGiveTheSameModel) {
  for (std::uint64_t s = 0; s < kSeries; ++s) {
    const Series level = prices(s);
    Series thousand = level;
    for (double& v : thousand.values) v *= 1000;
    for (const char* line : {"const ar1", "const / garch"})
      expect_same(estimate(line, log_returns(level)), estimate(line, log_returns(thousand)), 1e-6);
  }
}

// Percent and decimals: the same shape, a log-likelihood that differs by n ln 100.
TEST(Relations, PercentAndDecimalsAgree) {
  for (std::uint64_t s = 0; s < kSeries; ++s) {
    const Series level = prices(s);
    const Fit percent = estimate("const ar1 / garch", log_returns(level)),
              decimal = estimate("const ar1 / garch", log_returns(level, Unit::decimal));
    EXPECT_NEAR(*decimal.log_likelihood - *percent.log_likelihood,
                static_cast<double>(percent.n) * std::log(100.), 1e-4);
    for (const std::size_t j : {1u, 3u, 4u})  // ar1, alpha1, beta1
      EXPECT_NEAR(percent.parameters[j].estimate, decimal.parameters[j].estimate, 1e-4);
  }
}

// The order in which models stand changes no score.
TEST(Relations, TheOrderOfModelsMovesNoScore) {
  for (std::uint64_t s = 0; s < kSeries; s += 5) {
    const Series y = log_returns(prices(s, 330));
    const std::vector<std::string> lines{"const", "const / garch", "const ar1 / ewma"},
        other{lines[2], lines[0], lines[1]};
    const BacktestOptions options{.window = 250, .refit_every = 20, .horizon = 2};
    const Backtest a = backtest(lines, y, options, Executor(2)),
                   b = backtest(other, y, options, Executor(2));
    for (const Entrant& one : a.entrants)
      for (const Entrant& two : b.entrants) {
        if (one.label != two.label || one.kind != two.kind) continue;
        for (std::size_t k = 0; k < one.scores.size(); ++k) {
          if (one.kind == Entrant::Kind::model) {
            EXPECT_EQ(one.scores[k].volatility.qlike, two.scores[k].volatility.qlike);
            EXPECT_EQ(one.scores[k].mean.rmse, two.scores[k].mean.rmse);
          } else {  // sums in another order
            EXPECT_NEAR(one.scores[k].volatility.qlike, two.scores[k].volatility.qlike, 1e-9);
          }
        }
      }
  }
}

// One line has one maximum, whoever asks for it, on one thread or two.
TEST(Relations, SearchFitAndCompareNameOneMaximum) {
  for (std::uint64_t s = 0; s < kSeries; s += 5) {
    const Series y = log_returns(prices(s));
    const SearchOptions options{.most_ar = 2, .most_ma = 2, .differences = 0};
    const Search one = search(y, options, Executor(1)), two = search(y, options, Executor(2));
    ASSERT_EQ(one.candidates.size(), two.candidates.size());
    for (std::size_t i = 0; i < one.candidates.size(); ++i) {
      EXPECT_EQ(one.candidates[i].model, two.candidates[i].model);
      EXPECT_EQ(one.candidates[i].log_likelihood, two.candidates[i].log_likelihood);
      const Fit alone = estimate(one.candidates[i].model, y);
      EXPECT_EQ(alone.log_likelihood, one.candidates[i].log_likelihood)
          << to_string(one.candidates[i].model);
    }
    const Comparison c = compare({"const ar1", "const ar1 ma1"}, y);
    for (const Compared& m : c.models)
      for (const MeanCandidate& k : one.candidates)
        if (k.model == m.fit->model) {
          EXPECT_EQ(k.log_likelihood, m.fit->log_likelihood);
        }
    for (const Nested& n : c.nested) EXPECT_GE(n.test.statistic, 0);
  }
}

// A joint model never lies below one that it contains.
TEST(Relations, AJointModelIsNotBelowOneThatItContains) {
  for (std::uint64_t s = 0; s < kSeries; s += 5) {
    const Series y = log_returns(prices(s));
    const auto height = [&](const char* line) {
      return *estimate(line, y, {.likelihood = LikelihoodKind::conditional}).log_likelihood;
    };
    const double garch = height("const / garch");
    EXPECT_GE(height("const ar1 / garch"), garch - 1e-4) << s;
    EXPECT_GE(height("const / gjr"), garch - 1e-4) << s;
    EXPECT_GE(height("const / garch / student"), garch - 1e-2) << s << ": nu stops at 1,000";
    EXPECT_GE(garch, height("const / arch") - 1e-4) << s;
    EXPECT_GE(garch, height("const") - 1e-4) << s;
  }
}

// Rows at once, and rows by update: the same forecast; a model saved, the same as one in memory.
TEST(Relations, UpdatedAndSavedModelsForecastTheSame) {
  const Folder folder;
  for (std::uint64_t s = 0; s < kSeries; s += 5) {
    const Series y = log_returns(prices(s));
    const Series first = rows_between(y, 0, 350), rest = rows_between(y, 350, y.size());
    const Fit fit = estimate("const / garch", first);
    const Fit later = update(fit, rest);
    Fit step = fit;
    for (std::size_t t = 350; t < y.size(); t += 10)
      step = update(step, rows_between(y, t, std::min(t + 10, y.size())));
    const ForecastOptions options{.horizon = 3, .method = ForecastMethod::plug_in};
    save_model(later, (folder / "m.json"));
    const Forecast a = forecast(later, options), b = forecast(step, options),
                   c = forecast(load_model((folder / "m.json")), options);
    for (std::size_t k = 0; k < 3; ++k) {
      EXPECT_EQ(a.steps[k].sd, b.steps[k].sd);
      EXPECT_EQ(a.steps[k].sd, c.steps[k].sd);
      EXPECT_EQ(a.steps[k].return_interval[0].low, c.steps[k].return_interval[0].low);
    }
  }
}

// Each origin of a backtest is the forecast of the fit on the rows that it knows.
TEST(Relations, ABacktestForecastsFromTheFitOfItsWindow) {
  for (std::uint64_t s = 0; s < kSeries; s += 10) {
    const Series y = log_returns(prices(s, 320));
    for (const char* line : {"const ar1 ma1", "const / garch"}) {
      const Backtest b = backtest({line}, y, {.window = 300, .refit_every = 7}, Executor(2));
      const std::size_t last = b.origins.front() + 1;
      const Fit fit = estimate(line, rows_between(y, last - 300, last));
      const Forecast ahead = forecast(fit, {.horizon = 1, .method = ForecastMethod::plug_in});
      EXPECT_NEAR(b.entrants[0].steps[0][0].mean, ahead.steps[0].mean, 1e-9) << line;
      ASSERT_TRUE(ahead.steps[0].variance);
      EXPECT_NEAR(b.entrants[0].steps[0][0].variance / *ahead.steps[0].variance, 1, 1e-9) << line;
    }
  }
}

// Terms that count time keep their place between refits: with parameters of a window before, the
// errors grow by no more than estimation does.
TEST(Relations, TermsThatCountTimeHoldBetweenRefits) {
  for (std::uint64_t s = 0; s < kSeries; s += 10) {
    Series y = simulate(parse_model("zero ar1"), {.3, 1}, 420, {.seed = 141, .stream = s});
    for (std::size_t t = 0; t < y.size(); ++t) {
      const double x = static_cast<double>(t);
      y.values[t] += .05 * x + 3 * std::sin(2 * M_PI * x / 12) + (t >= 200 ? 4 : 0);
    }
    y.times = prices(s, 419).times;
    y.clock = Clock::day;
    const std::string step = "with step:" + format_date(y.times[200]);
    for (const std::string& line : {"const trend harmonics 12:1 ar1 " + step,
                                    std::string("const trend ar1 harmonics 12:1")}) {
      const auto rmse = [&](std::size_t every) {
        return backtest({line}, y, {.window = 260, .refit_every = every}, Executor(2))
            .entrants[0]
            .scores[0]
            .mean.rmse;
      };
      const double each = rmse(1), seldom = rmse(24);
      EXPECT_LT(std::abs(seldom / each - 1), .05) << line << ": " << each << ", " << seldom;
      EXPECT_LT(each, 1.3) << line;
    }
  }
}

// The first sentence and the rows below it: the mean fails where, and only where, its deciding rows
// reject (the decision table of docs/variance.md).
TEST(Relations, TheVerdictOfACheckAgreesWithItsRows) {
  for (std::uint64_t s = 0; s < kSeries; ++s) {
    const Check checked = check(estimate("const", log_returns(prices(s))));
    bool any = false;
    for (const CheckGroup& g : checked.groups) {
      any = any || g.answer == CheckAnswer::fails;
      if (g.answer == CheckAnswer::holds) {
        for (const TestResult& t : g.tests)
          EXPECT_FALSE(t.rejects().value_or(false)) << t.test << '\n' << checked;
      }
      if (g.answer == CheckAnswer::fails) {
        EXPECT_THAT(checked.reading, HasSubstr(g.finding.substr(0, 30)));
      }
    }
    EXPECT_EQ(any, checked.verdict != CheckVerdict::clean) << checked;
  }
}

// ---- The tool ----

TEST(Residuals, AreTheSameRowsInCsvAndJsonAndAddUp) {
  const Folder folder;
  const std::string series = "data/kelp-fibre.csv --value settle --drop-zero volume --returns log";
  for (const char* line : {"const ar1 / garch / student", "const ar1"}) {
    const Outcome csv = tool(fmt::format("fit {} --model '{}' --residuals {}", series, line,
                                         (folder / "r.csv"))),
                  json = tool(fmt::format("check {} --model '{}' --residuals {}", series, line,
                                          (folder / "r.json")));
    ASSERT_EQ(csv.status, 0) << csv.err;
    ASSERT_EQ(json.status, 0) << json.err;
    const Json rows = Json::parse(content_of((folder / "r.json")))["result"]["rows"];
    std::istringstream in(content_of((folder / "r.csv")));
    std::string text;
    std::getline(in, text);
    EXPECT_EQ(text, "date,actual,fitted,residual,volatility,standardised");
    std::size_t n = 0, present = 0;
    for (; std::getline(in, text); ++n) {
      const Json& row = rows[n];
      EXPECT_EQ(text.substr(0, 10), row["date"]);
      if (row["residual"].is_null()) continue;
      ++present;
      EXPECT_NEAR(row["fitted"].get<double>() + row["residual"].get<double>(),
                  row["actual"].get<double>(), 1e-12);
      EXPECT_NEAR(row["standardised"].get<double>() * row["volatility"].get<double>(),
                  row["residual"].get<double>(), 1e-12);
    }
    EXPECT_EQ(n, rows.size());
    EXPECT_EQ(present, 2589u) << "every return that is there";
  }
}

TEST(HoldOut, IsToldRowByRowOnBothScalesInTextCsvAndJson) {
  const Folder folder;
  const std::string call =
      "forecast data/lamp-oil.csv --transform log --model 'diff1 ar1 harmonics 12:3' --hold-out 6 "
      "--intervals 50,80,95";
  const Outcome text = tool(call + " --out " + (folder / "f.csv"));
  ASSERT_EQ(text.status, 0) << text.err;
  for (const char* part : {"95 % of values", "80 % of values", "50 % of values",
                           "6 rows held out, on the scale of the model", "on the scale of the file",
                           "share inside:", "2023-12-31"})
    EXPECT_THAT(text.out, HasSubstr(part));
  const Json result = Json::parse(tool(call + " --json").out)["result"];
  EXPECT_EQ(result["hold_out"]["original"]["actual"].size(), 6u);
  EXPECT_GT(
      result["hold_out"]["original"]["models"][0]["hold_out"]["accuracy"]["rmse"].get<double>(), 1);
  const std::string head = content_of((folder / "f.csv"));
  EXPECT_THAT(head.substr(0, head.find('\n')), HasSubstr("original_actual,original_error"));
}

TEST(SavedModel, ForecastsOnTheScaleOfItsFile) {
  const Folder folder;
  const std::string made = "data/lamp-oil.csv --transform 'log' --model 'diff1 ar1 harmonics 12:3'";
  ASSERT_EQ(tool(fmt::format("fit {} --save {}", made, (folder / "l.json"))).status, 0);
  const Json saved = Json::parse(tool(fmt::format("forecast {} --json", (folder / "l.json"))).out),
             typed = Json::parse(tool(fmt::format("forecast {} --json", made)).out);
  EXPECT_EQ(saved["result"]["original"], typed["result"]["original"]);
  ASSERT_FALSE(saved["result"]["original"].is_null());
}

TEST(Beginners, GetTheMend) {
  const std::string fit = "fit data/kelp-fibre.csv --value settle --returns log --model ";
  for (const auto& [words, mend] :
       {std::pair<std::string, std::string>{fit + "'arma(1,1)'", "write ar1 ma1"},
        {fit + "AR1", "write it in small letters: ar1"},
        {fit + "const/garch/student", "put blanks around each /: 'const / garch / student'"},
        {fit + "const / garch / student", "put the model line in quotes"},
        {"fit data/kelp-fibre.csv --return log --model ar1", "did you mean '--returns'?"},
        {"forecast data/kelp-fibre.csv --model ar1 --steps 3", "did you mean '--horizon'?"},
        {"--json " + fit + "ar1", "options follow the command"},
        {"search data/kelp-fibre.csv --criterion BIC", "did you mean 'bic'?"},
        {"season data/lamp-oil.csv --season 12", "did you mean '--period'?"}}) {
    const Outcome outcome = tool(words);
    EXPECT_THAT(outcome.status, testing::AnyOf(1, 2)) << words;
    EXPECT_THAT(outcome.err, HasSubstr(mend)) << words;
  }
  const Outcome alone = tool(fit + "'const ar2'");
  EXPECT_THAT(alone.out, HasSubstr("ar2 is that lag alone: lag 1 is left out"));
  const Outcome level = tool("fit data/kelp-fibre.csv --value settle --model 'const / garch'");
  EXPECT_THAT(level.out.substr(0, 40), HasSubstr("has a unit root")) << "the warning leads";
}

TEST(SingleTests, AreAskedForFromTheCommandLine) {
  const std::string series = " data/kelp-fibre.csv --value settle --drop-zero volume --returns log";
  const Outcome breaks = tool("breaks" + series + " --test cusum,sup-f --trim .2 --json");
  ASSERT_EQ(breaks.status, 0) << breaks.err;
  const Json tests = Json::parse(breaks.out)["result"]["tests"];
  ASSERT_EQ(tests.size(), 4u);
  EXPECT_EQ(tests[0]["test"], "cusum");
  const Outcome look = tool("inspect" + series + " --test ljung-box --lags 1,5,12 --json");
  ASSERT_EQ(look.status, 0) << look.err;
  std::vector<int> lags;
  const Json told = Json::parse(look.out)["result"]["tests"];
  for (const Json& t : told) lags.push_back(t["lags"]);
  EXPECT_THAT(lags, testing::IsSupersetOf({1, 5, 12}));
  EXPECT_THAT(tool("breaks" + series + " --test foo").err, HasSubstr("is no test of breaks"));
  const Outcome agree = tool("unitroot" + series + " --test adf,kpss");
  EXPECT_THAT(agree.out.substr(0, 200), HasSubstr("has a unit root; its return does not"));
}

}  // namespace
}  // namespace brace::test
