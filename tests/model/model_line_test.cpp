// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include "brace/model/model.hpp"
#include "brace/model/model_line.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

struct Line {
  const char* name;
  const char* typed;
  const char* canonical;
};
void PrintTo(const Line& line, std::ostream* out) {
  *out << line.typed;
}

class ModelLine : public testing::TestWithParam<Line> {};

TEST_P(ModelLine, PrintsCanonicallyAndReadsBack) {
  const Model model = parse_model(GetParam().typed);
  EXPECT_EQ(to_string(model), GetParam().canonical);
  EXPECT_EQ(parse_model(to_string(model)), model) << "what is printed means the same";
}

INSTANTIATE_TEST_SUITE_P(
    Grammar, ModelLine,
    testing::Values(
        Line{"default_parts", "const", "const / steady / normal"},
        Line{"example", "const ar1 ma9 / gjr", "const ar1 ma9 / gjr e1 h1 / normal"},
        Line{"const_by_default", "ar1", "const ar1 / steady / normal"},
        Line{"no_const_with_diff", "diff1 ma1", "diff1 ma1 / steady / normal"},
        Line{"drift", "const diff1 diff12", "const diff1 diff12 / steady / normal"},
        Line{"diff_twice", "diff1 diff1", "diff1 diff1 / steady / normal"},
        Line{"trend_has_height", "trend", "const trend / steady / normal"},
        Line{"lags_merge", "ma3 ar5 ar1..3,2", "const ar1..3,5 ma3 / steady / normal"},
        Line{"pairs_stay_pairs", "zero ar1..2,9", "zero ar1,2,9 / steady / normal"},
        Line{"seasonal", "diff12 sma12 sar24,12 ma1",
             "diff12 ma1 sar12,24 sma12 / steady / normal"},
        Line{"harmonics", "harmonics 168:2 harmonics 24:3",
             "const harmonics 24:3 harmonics 168:2 / steady / normal"},
        Line{"regressors", "with volume@1,'open interest',step:2019-05-02,weekday",
             "const with 'open interest',volume@1,step:2019-05-02,weekday / steady / normal"},
        Line{"dummies", "with weekday:tue,month:feb,fade:2020-03-16T14:30",
             "const with fade:2020-03-16T14:30,weekday:tue,month:feb / steady / normal"},
        Line{"risk", "const risk sd / garch", "const risk sd / garch e1 h1 / normal"},
        Line{"arch", "zero / arch e1..3", "zero / arch e1..3 / normal"},
        Line{"orders", "const / garch h2 e1 e3 / ged", "const / garch e1,3 h2 / ged"},
        Line{"variance_regressor", "const / garch vwith volume@1 / student",
             "const / garch e1 h1 vwith volume@1 / student"},
        Line{"held", "const / aparch delta=1 / student nu=8",
             "const / aparch e1 h1 delta=1 / student nu=8"},
        Line{"ewma", "zero / ewma weight=0.94", "zero / ewma weight=0.94 / normal"},
        Line{"held_mean", "const mu=0.05 / garch beta1=0.9",
             "const mu=0.05 / garch e1 h1 beta1=0.9 / normal"},
        Line{"others", "zero / twocomp / skew-student", "zero / twocomp / skew-student"},
        Line{"longmem", "zero / longmem", "zero / longmem / normal"}),
    [](const auto& i) { return i.param.name; });

struct Bad {
  const char* name;
  const char* typed;
  const char* message;  // first line, without the repeated line
};
void PrintTo(const Bad& bad, std::ostream* out) {
  *out << bad.typed;
}

class BadModelLine : public testing::TestWithParam<Bad> {};

TEST_P(BadModelLine, SaysWhatIsWrongAndTheMend) {
  const Error error = test::error_of([] { (void)parse_model(GetParam().typed); });
  EXPECT_EQ(error.code(), ErrorCode::bad_model_line);
  const std::string what = error.what();
  EXPECT_TRUE(what.starts_with(std::string("model line: ") + GetParam().message)) << what;
}

INSTANTIATE_TEST_SUITE_P(
    Grammar, BadModelLine,
    testing::Values(
        Bad{"variance_typo", "const ar1 / grach",
            "'grach' is not a variance term (did you mean 'garch'?)"},
        Bad{"mean_typo", "cnst", "'cnst' is not a mean term (did you mean 'const'?)"},
        Bad{"law_typo", "const / garch / studnet",
            "'studnet' is not a shock term (did you mean 'student'?)"},
        Bad{"far_off", "banana", "'banana' is not a mean term; these are: zero, const"},
        Bad{"empty", "", "it is empty; the simplest model is 'const'"},
        Bad{"empty_part", "const / / normal", "the part before this '/' is empty"},
        Bad{"open_end", "const /", "the part after the last '/' is empty"},
        Bad{"four_parts", "const / garch / normal / x", "a model has three parts"},
        Bad{"no_lags", "ar", "'ar' needs its lags, such as ar1"},
        Bad{"zero_lag", "ar0", "'0' is not a set of lags"},
        Bad{"backwards", "ar3..1", "'3..1' is not a set of lags"},
        Bad{"hanging_comma", "ar1,", "a lag is missing after the comma"},
        Bad{"contradiction", "zero const", "'zero' leaves no room for 'const' or 'trend'"},
        Bad{"arch_without_h", "const / arch h1", "'arch' has no variance lags to choose"},
        Bad{"ewma_lags", "const / ewma e2", "'ewma' has no shock lags to choose"},
        Bad{"quote", "with 'open interest", "a quote is opened and not closed"},
        Bad{"bad_date", "with step:02/05/2019", "after 'step:' comes a date, such as 2019-05-02"},
        Bad{"held_text", "const mu=high", "after '=' comes a number"},
        Bad{"held_unknown", "const / garch beta2=0.9",
            "'beta2' is not a parameter of this model (did you mean 'beta1'?)"},
        Bad{"held_twice", "const / garch beta1=0.9 beta1=0.8",
            "'beta1' is held at two values; keep one"},
        Bad{"harmonic_pairs", "harmonics 4:3",
            "'harmonics 4:3': pairs lie between 1 and half the period"}),
    [](const auto& i) { return i.param.name; });

// 'weekday' and 'month' stand for what occurs but the first, Monday before Sunday.
TEST(Model, DummiesAreWrittenOutForWhatOccurs) {
  Series daily = make_series(std::vector<double>(10, 1.0), "y");
  daily.times = dates_after(*parse_date("2024-01-04"), Clock::day, 10);
  EXPECT_EQ(to_string(resolved(parse_model("const with weekday"), daily)),
            "const with weekday:sun,weekday:tue,weekday:wed,weekday:thu,weekday:fri,weekday:sat / "
            "steady / normal");
  Series monthly = daily;
  monthly.times = dates_after(*parse_date("2024-01-31"), Clock::month, 10);
  EXPECT_EQ(parameter_names(resolved(parse_model("const with month"), monthly)).mean.size(), 10u)
      << "a constant and nine of ten months";
  const auto message = [](const char* line, const Series& y) {
    return std::string(test::error_of([&] { (void)resolved(parse_model(line), y); }).what());
  };
  daily.times.resize(1);
  daily.values.resize(1);
  EXPECT_EQ(message("const with weekday", daily),
            "model line: 'with weekday': all rows of y fall on the same one");
  EXPECT_EQ(message("const with step:2024-01-01", make_series({1, 2}, "y")),
            "model line: 'with step:2024-01-01' needs dates, and y has none");
  EXPECT_EQ(message("const with tide", monthly),
            "model line: 'with tide': there is no column 'tide' beside y");
}

TEST(Model, ATrendBesideItsDifferenceIsRefused) {
  EXPECT_EQ(std::string(test::error_of([] { (void)parse_model("const trend diff1"); }).what()),
            "model line: 'trend' beside 'const' and a difference is what 'const' is there; drop "
            "'trend'");
  EXPECT_EQ(to_string(parse_model("trend diff1")), "trend diff1 / steady / normal");
}

TEST(ModelLine, PointsAtTheTerm) {
  const Error error = test::error_of([] { (void)parse_model("const ar1 / grach / student"); });
  const std::string what = error.what(), first = what.substr(0, what.find('\n'));
  EXPECT_EQ(first,
            "model line: 'grach' is not a variance term (did you mean 'garch'?)   const ar1 / "
            "grach / student");
  EXPECT_EQ(what.substr(first.size() + 1), std::string(first.rfind("grach"), ' ') + "^^^^^");
}

TEST(Model, IsAPlainValue) {
  const Model model{.mean = {.ar = {1}}, .variance = Gjr{}, .shocks = Student{}};
  EXPECT_EQ(to_string(canonical(model)), "const ar1 / gjr e1 h1 / student");
  EXPECT_EQ(parse_model("const ar1 / gjr / student"), model);
}

TEST(Model, NamesItsParametersInOrder) {
  const auto names = [](const char* line) { return parameter_names(parse_model(line)).all(); };
  using Names = std::vector<std::string>;
  EXPECT_EQ(names("const ar1 ma9 / garch e1,2 h1 / student"),
            (Names{"mu", "ar1", "ma9", "omega", "alpha1", "alpha2", "beta1", "nu"}));
  EXPECT_EQ(names("zero"), (Names{"sigma2"}));
  EXPECT_EQ(names("zero / igarch"), (Names{"omega", "alpha1"})) << "the last beta is derived";
  EXPECT_EQ(names("zero harmonics 4:2 with x / gjr vwith x / skew-student"),
            (Names{"cos4.1", "sin4.1", "cos4.2", "with:x", "omega", "alpha1", "gamma1", "beta1",
                   "vwith:x", "nu", "skew"}));
}

TEST(Model, RefusesTermsThatMeanNothingTogether) {
  const auto message = [](const char* line) {
    return std::string(test::error_of([&] { (void)parse_model(line); }).what());
  };
  EXPECT_NE(message("diff1 risk sd / garch").find("'risk' beside a difference"), std::string::npos);
  EXPECT_NE(message("const risk sd").find("'risk' needs a variance that moves"), std::string::npos);
}

}  // namespace
}  // namespace brace
