// SPDX-License-Identifier: Apache-2.0
// Relations between models of one series: what contains another is not below it, one line has one
// maximum in every command, a mirrored series mirrors the model, a split run is the whole one.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "brace/base/machine.hpp"
#include "brace/brace.hpp"
#include "relations/parts.hpp"
#include "support/dressed.hpp"
#include "support/in_process.hpp"
#include "support/same_answer.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;

Series returns_of(const MadeRows& rows, Unit unit = Unit::percent) {
  Series level = make_series(rows.prices, "price");
  level.times.assign(rows.dates.begin(), rows.dates.end());
  level.clock = infer_clock(level.times);
  return log_returns(level, unit);
}

double value(const Fit& fit, const std::string& name) {
  for (const Parameter& p : fit.parameters)
    if (p.name == name) return p.estimate;
  ADD_FAILURE() << fit.model << " has no " << name;
  return 0;
}

Json answer(std::vector<std::string> words) {
  words.emplace_back("--json");
  const Outcome outcome = in_process(std::move(words));
  EXPECT_THAT(outcome.status, testing::AnyOf(0, 3)) << outcome.err;
  return outcome.out.empty() ? Json() : Json::parse(outcome.out)["result"];
}

using Models = OnEachSeries;

// The likelihood's rounding, and how close to a maximum a climb stops, are far below this.
constexpr double kSameHeight = 1e-5;

TEST_P(Models, OnesThatContainAnotherAreNotBelowIt) {
  static const std::vector<std::pair<const char*, const char*>> chains[] = {
      {{"const / arch", "const / garch"},
       {"const / garch", "const / gjr"},
       {"const / garch", "const / garch e1,2"}},
      {{"const / garch", "const / garch / student"},
       {"const / garch / student", "const / garch / skew-student"}},
      {{"const / garch", "const / aparch"}, {"const / gjr", "const / gjr / student"}},
      {{"const / egarch", "const / egarch / student"}, {"const / steady", "const / twocomp"}},
      {{"const", "const ar1"},
       {"const ar1", "const ar1 ma1"},
       {"const", "const / arch"},
       {"const ar1", "const ar1 / garch"}},
  };
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 2)) return;
    const Series y = returns_of(rows);
    for (const auto& [small, large] : chains[s / 2 % std::size(chains)]) {
      const EstimateOptions options{.likelihood = LikelihoodKind::conditional};
      const Fit inner = estimate(small, y, options), outer = estimate(large, y, options);
      if (!inner.log_likelihood || !outer.log_likelihood) continue;
      // Student's law stops at nu = 1,000, where a row with shock z has (z^4 - 6 z^2 + 3) / (4 nu)
      // more than under the normal law: in the mean no less than -2 / (4 nu).
      const double slack =
          std::string(large).ends_with("student") ? static_cast<double>(inner.n) / 2000 : 0;
      EXPECT_GE(*outer.log_likelihood, *inner.log_likelihood - slack - kSameHeight)
          << small << " (" << to_string(inner.convergence.status) << "), " << large << " ("
          << to_string(outer.convergence.status) << ')';
    }
  });
}

// The persistence of igarch is one, that of garch just below it, and where variances grow from
// nothing the likelihood is steep there: garch is not below its own likelihood next to igarch's
// maximum. Nor is twocomp below its own with the components of garch about a level that hardly
// moves from where the sample begins, which is not garch's.
TEST_P(Models, AreNotBelowThemselvesNextToTheMaximumOfAnother) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 5)) return;
    const Series y = returns_of(rows);
    const Fit igarch = estimate("const / igarch", y), garch = estimate("const / garch", y);
    if (!igarch.log_likelihood || !garch.log_likelihood) return;
    const auto expect_not_below = [&](const Fit& fit, const std::vector<double>& beside) {
      Evaluator of(fit.model, y, LikelihoodKind::conditional);
      EXPECT_GE(*fit.log_likelihood, of.value(beside) - kSameHeight) << fit;
    };
    constexpr double kInside = 2e-5;  // twice as far below one as the bound of garch
    const double alpha = value(igarch, "alpha1"), beta = 1 - alpha - kInside;
    expect_not_below(garch, {value(igarch, "mu"), std::max(value(igarch, "omega"), 1e-12),
                             alpha + std::min(beta, 0.0), std::max(beta, 0.0)});
    const double persistence = value(garch, "alpha1") + value(garch, "beta1"), rho = .9999;
    if (persistence > .999) return;
    expect_not_below(estimate("const / twocomp", y),
                     {value(garch, "mu"), (1 - rho) * value(garch, "omega") / (1 - persistence),
                      value(garch, "alpha1"), value(garch, "beta1"), rho, 0});
  });
}

TEST_P(Models, HaveOneMaximumInEveryCommand) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 5)) return;
    const Folder folder;
    const std::string file = folder.file("prices.csv", dressed(rows));
    const auto of = [&](const std::string& command, std::vector<std::string> more) {
      std::vector<std::string> words{command, file, "--value", "price", "--returns", "log"};
      words.insert(words.end(), more.begin(), more.end());
      return answer(words);
    };
    // Of means: exact likelihood in all three.
    const Json ranked = of("search", {"--most-ar", "1", "--most-ma", "1", "--differences", "0"}),
               beside = of("compare", {"--model", "const", "--model", "const ar1"});
    for (const Json& candidate : ranked["candidates"]) {
      if (candidate["log_likelihood"].is_null()) continue;
      const std::string line = candidate["model"];
      const Json alone = of("fit", {"--model", line});
      EXPECT_EQ(alone["log_likelihood"], candidate["log_likelihood"]) << line;
      EXPECT_EQ(alone["convergence"]["status"], candidate["status"]) << line;
      EXPECT_EQ(alone["model"], line) << "the canonical line is read as itself";
      for (const Json& model : beside["models"])
        if (model["model"] == line) {
          EXPECT_EQ(model["log_likelihood"], candidate["log_likelihood"]) << line;
        }
    }
    // Of variances.
    const Json variances =
        of("search", {"--variance", "garch", "--law", "normal", "--law", "student"});
    for (const Json& candidate : variances["candidates"]) {
      if (candidate["log_likelihood"].is_null()) continue;
      const std::string line = candidate["model"];
      const Json alone = of("fit", {"--model", line, "--likelihood", "conditional"});
      EXPECT_NEAR(alone["log_likelihood"].get<double>(), candidate["log_likelihood"].get<double>(),
                  kSameHeight)
          << line;
    }
  });
}

TEST_P(Models, AreTheSameTypedCanonicalAndReadBack) {
  static const char* const lines[] = {"const ar1 / garch / student", "const ma1", "const / gjr",
                                      "zero ar1,2 / egarch", "const / garch / ged"};
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 7)) return;
    const Folder folder;
    const std::string file = folder.file("prices.csv", dressed(rows)), saved = folder / "m.json";
    const std::string line = lines[s % std::size(lines)];
    const std::vector<std::string> reading{file, "--value", "price", "--returns", "log"};
    const auto of = [&](const char* command, std::vector<std::string> more) {
      more.insert(more.begin(), reading.begin(), reading.end());
      more.insert(more.begin(), command);
      return answer(more);
    };
    const Json typed = of("fit", {"--model", line, "--save", saved});
    if (typed["convergence"]["status"] == "failed") return;
    EXPECT_EQ(difference(typed, of("fit", {"--model", typed["model"]}), {}), "") << line;
    EXPECT_EQ(difference(of("check", {"--model", line}), answer({"check", saved}), {}), "") << line;
    const std::vector<std::string> ahead{"--horizon", "4", "--draws", "200"};
    std::vector<std::string> by_line{"--model", line}, by_file{"forecast", saved};
    by_line.insert(by_line.end(), ahead.begin(), ahead.end());
    by_file.insert(by_file.end(), ahead.begin(), ahead.end());
    EXPECT_EQ(difference(of("forecast", by_line), answer(by_file), {}), "") << line;
  });
}

TEST_P(Models, MirrorTheSeries) {
  struct Mirror {
    const char* line;
    std::vector<std::string> turned;  // parameters that change their sign, the mean aside
  };
  static const Mirror mirrors[] = {{"const ar1 / garch / student", {}},
                                   {"const / gjr", {}},
                                   {"const / egarch", {"gamma1"}},
                                   {"const / aparch", {"gamma1"}},
                                   {"const / garch / skew-student", {"skew"}},
                                   {"const ma1", {}}};
  each([](const MadeRows& rows, std::uint64_t s) {
    const Series y = returns_of(rows);
    Series turned = y;
    for (double& v : turned.values) v = -v;
    const Mirror& mirror = mirrors[s % std::size(mirrors)];
    const bool aparch = std::string(mirror.line) == "const / aparch";  // half a second a fit
    if (aparch && !has_turn(s / std::size(mirrors), 3)) return;
    const Fit a = estimate(mirror.line, y), b = estimate(mirror.line, turned);
    ASSERT_EQ(a.log_likelihood.has_value(), b.log_likelihood.has_value()) << mirror.line;
    if (!a.log_likelihood) return;
    const std::string told =
        fmt::format("{}: {} and {}", mirror.line, to_string(a.convergence.status),
                    to_string(b.convergence.status));
    // aparch has a cusp at every value of the series once delta is below 1, and as many hills: on a
    // bound and few rows the mirrored search may end on another (docs/estimation.md).
    const bool other_hill = aparch && a.convergence.status == FitStatus::boundary;
    EXPECT_NEAR(*a.log_likelihood, *b.log_likelihood, other_hill ? .5 : kSameHeight) << told;
    if (a.convergence.status != FitStatus::converged ||
        b.convergence.status != FitStatus::converged)
      return;
    // A parameter is as sure as its likelihood is curved: to a thousandth of its standard error.
    for (const Parameter& p : a.parameters) {
      const double slack = 1e-3 * p.se.value_or(1) + 1e-6 * std::abs(p.estimate) + 1e-9;
      double want = p.estimate;
      if (p.name == "mu" ||
          std::find(mirror.turned.begin(), mirror.turned.end(), p.name) != mirror.turned.end())
        want = -want;
      if (std::string(mirror.line) == "const / gjr") {
        if (p.name == "gamma1") want = -want;
        if (p.name == "alpha1") want += value(a, "gamma1");
      }
      EXPECT_NEAR(value(b, p.name), want, slack) << told << ", " << p.name;
    }
  });
}

TEST_P(Models, KeepTheAutocorrelationsOfASeriesReversed) {
  each([](const MadeRows& rows, std::uint64_t) {
    const Series y = returns_of(rows);
    Series back = y;
    std::reverse(back.values.begin(), back.values.end());
    const LagTable a = lag_table(y, 10), b = lag_table(back, 10);
    ASSERT_EQ(a.rows.size(), b.rows.size());
    for (std::size_t k = 0; k < a.rows.size(); ++k) {
      // Sums in the other order.
      EXPECT_NEAR(a.rows[k].acf, b.rows[k].acf, 1e-13);
      EXPECT_NEAR(a.rows[k].pacf, b.rows[k].pacf, 1e-12);
      EXPECT_NEAR(a.rows[k].q, b.rows[k].q, 1e-11 * (1 + a.rows[k].q));
      EXPECT_NEAR(a.rows[k].q_robust, b.rows[k].q_robust, 1e-10 * (1 + a.rows[k].q_robust));
    }
  });
}

// n steps at once are n times one step: the mean with its own forecast as the next row, the
// variance with its expectation as the next square.
TEST_P(Models, ForecastStepByStepWhatTheyForecastAtOnce) {
  each([](const MadeRows& rows, std::uint64_t) {
    const Series y = returns_of(rows);
    const ForecastOptions one{.horizon = 1, .method = ForecastMethod::plug_in, .draws = 100},
        six{.horizon = 6, .method = ForecastMethod::plug_in, .draws = 100};
    const Fit fit =
        estimate("const ar1 ma1 / steady", y, {.likelihood = LikelihoodKind::conditional});
    if (fit.usable()) {
      const Forecast whole = forecast(fit, six);
      Fit stepped = fit;
      for (std::size_t k = 0; k < 6; ++k) {
        const Forecast next = forecast(stepped, one);
        EXPECT_NEAR(next.steps[0].mean, whole.steps[k].mean, 1e-9) << k;
        Series row = rows_between(y, y.size() - 1, y.size());
        row.values = {next.steps[0].mean};
        row.times =
            next.steps[0].date ? std::vector{*next.steps[0].date} : std::vector<Timestamp>{};
        stepped = update(stepped, row);
      }
    }
    const Fit garch = estimate("const / garch", y);
    if (!garch.usable()) return;
    const Forecast ahead = forecast(garch, six);
    const double omega = value(garch, "omega"),
                 sum = value(garch, "alpha1") + value(garch, "beta1");
    for (std::size_t k = 1; k < 6; ++k)
      EXPECT_NEAR(*ahead.steps[k].variance, omega + sum * *ahead.steps[k - 1].variance,
                  1e-10 * *ahead.steps[k].variance);
  });
}

// What is said of tomorrow does not depend on how many days are asked for.
TEST_P(Models, ForecastAStepTheSameWhateverTheHorizon) {
  static const std::pair<const char*, ForecastMethod> asked[] = {
      {"const / garch / student", ForecastMethod::full},
      {"const ar1 / gjr / skew-student", ForecastMethod::plug_in},
      {"const ar1", ForecastMethod::resampled},
      {"const / egarch", ForecastMethod::plug_in}};
  const auto numbers_of = [](const ForecastStep& step) {
    std::vector<double> out{step.mean, step.sd, step.shown_variance()};
    for (const auto& intervals : {step.return_interval, step.volatility_interval})
      for (const PredictionInterval& i : intervals) out.insert(out.end(), {i.low, i.high});
    for (const TailRisk& t : step.tails)
      out.insert(out.end(), {t.value_at_risk, t.shortfall.value_or(0)});
    return out;
  };
  each([&](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s + 2, 4)) return;
    const auto& [line, method] = asked[s / 4 % std::size(asked)];
    const Fit fit = estimate(line, returns_of(rows), {.likelihood = LikelihoodKind::conditional});
    if (!fit.usable()) return;
    const auto ahead = [&](int horizon) {
      return forecast(fit, {.horizon = horizon, .method = method, .draws = 100}).steps;
    };
    const std::vector<ForecastStep> two = ahead(2), seven = ahead(7);
    for (std::size_t k = 0; k < two.size(); ++k)
      EXPECT_EQ(numbers_of(two[k]), numbers_of(seven[k])) << line << ", step " << k + 1;
  });
}

// Decimals for percent, and units far from those of returns: numbers move with the unit, and what
// is said of them stays.
TEST_P(Models, SayTheSameInAnotherUnitInScaledFigures) {
  static const char* const lines[] = {"const ar1", "const / garch", "const ar1 / garch / student",
                                      "const / egarch"};
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s + 1, 2)) return;
    const char* const line = lines[s / 2 % std::size(lines)];
    const bool egarch = std::string(line) == "const / egarch";
    const Series y = returns_of(rows);
    const auto expect_same_in = [&](const Series& other, double unit) {
      const Fit a = estimate(line, y), b = estimate(line, other);
      const std::string told =
          fmt::format("{} in units of {}: {} and {}", line, unit, to_string(a.convergence.status),
                      to_string(b.convergence.status));
      ASSERT_EQ(a.log_likelihood.has_value(), b.log_likelihood.has_value()) << told;
      if (!a.log_likelihood) return;
      EXPECT_NEAR(*b.log_likelihood + static_cast<double>(b.n) * std::log(unit), *a.log_likelihood,
                  kSameHeight)
          << told;
      EXPECT_EQ(a.convergence.status, b.convergence.status) << told;
      if (!a.usable() || !b.usable() || a.convergence.status != FitStatus::converged) return;
      const ForecastOptions options{.horizon = 3, .method = ForecastMethod::plug_in, .draws = 400};
      const Forecast f = forecast(a, options), g = forecast(b, options);
      for (std::size_t k = 0; k < 3; ++k) {
        // Two climbs in other units end within 1e-6 standard errors.
        EXPECT_NEAR(g.steps[k].sd / unit, f.steps[k].sd, 1e-5 * f.steps[k].sd) << told;
        EXPECT_NEAR(g.steps[k].mean / unit, f.steps[k].mean, 1e-5 * f.steps[k].sd) << told;
      }
      const LagTable l = lag_table(y, 8), m = lag_table(other, 8);
      for (std::size_t k = 0; k < l.rows.size(); ++k)
        EXPECT_NEAR(l.rows[k].q, m.rows[k].q, 1e-9 * (1 + l.rows[k].q));
      const std::vector<TestResult> c = check(a).tests(), d = check(b).tests();
      ASSERT_EQ(c.size(), d.size());
      for (std::size_t t = 0; t < c.size(); ++t)
        // In another unit omega of egarch becomes omega + 2 (1 - beta) ln of it, so that beta's own
        // score becomes another; the joint one stays.
        if (c[t].p_value && d[t].p_value &&
            !(egarch && c[t].test == "nyblom" && c[t].variant == "beta1")) {
          EXPECT_NEAR(*c[t].p_value, *d[t].p_value, 1e-4) << told << ' ' << c[t].test;
        }
    };
    if (s % 4 == 1) return expect_same_in(returns_of(rows, Unit::decimal), .01);
    const double unit = s % 8 == 3 ? 1e-9 : 1e9;
    Series other = y;
    for (double& v : other.values) v *= unit;
    expect_same_in(other, unit);
  });
}

TEST_P(Models, AreUpdatedRowByRowToWhatTheyAreAtOnce) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 7)) return;
    const Folder folder;
    MadeRows first = rows;
    const std::size_t held = 6, n = rows.size() - held;
    first.prices.resize(n), first.dates.resize(n);
    const std::string whole = folder.file("prices.csv", dressed(rows)),
                      start = folder.file("first.csv", dressed(first));
    const auto ask = [&](std::vector<std::string> words) { return in_process(std::move(words)); };
    const std::string by_row = folder / "by-row.json", at_once = folder / "at-once.json";
    const Outcome fitted = ask({"fit", start, "--value", "price", "--returns", "log", "--model",
                                "const ar1 / garch", "--save", by_row});
    if (fitted.status != 0) return;  // it must not be used, and is not saved
    std::filesystem::copy_file(by_row, at_once);
    for (std::size_t t = 0; t < held; ++t) {
      MadeRows next{rows.kind, {rows.dates[n + t]}, {rows.prices[n + t]}};
      const Outcome o = ask({"update", by_row, "--new", folder.file("next.csv", dressed(next))});
      ASSERT_EQ(o.status, 0) << o.err;
    }
    ASSERT_EQ(ask({"update", at_once, "--new", whole}).status, 0);
    const auto ahead = [&](const std::string& model) {
      return answer({"forecast", model, "--horizon", "3", "--draws", "200"});
    };
    EXPECT_EQ(difference(ahead(by_row), ahead(at_once), {}), "");
  });
}

TEST_P(Models, AreBacktestedToTheSameFromAJournalThatWasCut) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 5)) return;
    const Folder folder;
    const std::string file = folder.file("prices.csv", dressed(rows)),
                      journal = folder / "journal.csv";
    const std::vector<std::string> words{
        "backtest",     file,        "--value",
        "price",        "--returns", "log",
        "--model",      "const ar1", "--model",
        "const / ewma", "--window",  std::to_string(rows.size() - 24),
        "--horizon",    "2",         "--journal",
        journal};
    const Json whole = answer(words);
    const std::string told = content_of(journal);
    maths::RandomStream stream(kSeed, s);
    const auto cut = static_cast<std::size_t>(stream.uniform() * static_cast<double>(told.size()));
    std::filesystem::resize_file(journal, cut);
    const Json rest = answer(words);
    EXPECT_EQ(difference(whole, rest, {}), "")
        << "cut after " << cut << " of " << told.size() << " bytes";
    const auto lines = [](const std::string& text) {  // in the order in which threads wrote them
      std::vector<std::string> out;
      std::istringstream in(text);
      for (std::string line; std::getline(in, line);) out.push_back(line);
      std::sort(out.begin(), out.end());
      return out;
    };
    EXPECT_TRUE(lines(content_of(journal)) == lines(told)) << "cut after " << cut;
  });
}

TEST_P(Models, KeepTheirScoresInWhateverOrderTheyAreListed) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 5)) return;
    const Folder folder;
    const std::string file = folder.file("prices.csv", dressed(rows));
    const std::vector<std::string> lines{"const", "const ar1", "const / ewma"};
    const auto of = [&](const std::string& command, std::vector<std::size_t> order,
                        std::vector<std::string> more) {
      std::vector<std::string> words{command, file, "--value", "price", "--returns", "log"};
      for (const std::size_t i : order) words.insert(words.end(), {"--model", lines[i]});
      words.insert(words.end(), more.begin(), more.end());
      Json models = answer(words)["models"];
      std::sort(models.begin(), models.end(), [](const Json& a, const Json& b) {
        return a["model"].get<std::string>() < b["model"].get<std::string>();
      });
      return models;
    };
    EXPECT_EQ(difference(of("compare", {0, 1, 2}, {}), of("compare", {2, 0, 1}, {}), {}), "");
    const std::vector<std::string> origins{"--window", std::to_string(rows.size() - 20), "--draws",
                                           "200"};
    // Combinations are sums in another order, of which tests of a small slope keep eight digits.
    EXPECT_EQ(difference(of("backtest", {0, 1, 2}, origins), of("backtest", {1, 2, 0}, origins),
                         {.relative = 1e-6, .absolute = 1e-12}),
              "");
  });
}

// Likelihoods in lanes of the machine's registers and one number after another.
TEST_P(Models, AreTheSameWithPlainKernels) {
  static const char* const lines[] = {"const / garch / student", "const ar1 / gjr",
                                      "const / egarch", "const / garch e1,2",
                                      "const / aparch / ged"};
  std::vector<Fit> fast;
  each([&](const MadeRows& rows, std::uint64_t s) {
    if (has_turn(s, 5)) fast.push_back(estimate(lines[s % std::size(lines)], returns_of(rows)));
  });
  use_plain_kernels();
  std::size_t at = 0;
  each([&](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 5)) return;
    const Fit &a = fast[at++], b = estimate(lines[s % std::size(lines)], returns_of(rows));
    ASSERT_EQ(a.log_likelihood.has_value(), b.log_likelihood.has_value());
    if (a.log_likelihood) {
      EXPECT_NEAR(*a.log_likelihood, *b.log_likelihood, kSameHeight)
          << a.model << ", " << to_string(a.convergence.status);
    }
    EXPECT_EQ(a.convergence.status, b.convergence.status) << a.model;
  });
}

// Hills that a search from the other side had found, up to 11 higher: beta near -1, or next to 1
// with shocks whose sign alone counts.
TEST(Egarch, EndsWhereItsMirrorEndsOnFewRows) {
  for (const std::uint64_t number : {230U, 278U, 428U, 494U, 524U, 686U, 914U}) {
    const Series y = returns_of(made_rows(kSeed, number));
    Series turned = y;
    for (double& v : turned.values) v = -v;
    EXPECT_NEAR(*estimate("const / egarch", y).log_likelihood,
                *estimate("const / egarch", turned).log_likelihood, kSameHeight)
        << number;
  }
}

INSTANTIATE_TEST_SUITE_P(Part, Models, testing::Range<std::uint64_t>(0, kParts));

}  // namespace
}  // namespace brace::test
