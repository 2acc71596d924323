// SPDX-License-Identifier: Apache-2.0
// The equation written out, and the fuller check of mean models.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <regex>
#include <string>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::HasSubstr;

TEST(Equation, IsTheFittedOne) {
  const Series y = simulate(parse_model("diff1 diff12 ma1 sma12"), {-.4, -.5, 1}, 200, {.seed = 4});
  const Fit fit = estimate("diff1 diff12 ma1 ma1=-0.4 sma12 sma12=-0.5 / steady sigma2=2", y);
  EXPECT_EQ(equation(fit),
            "  (1 - B) (1 - B^12) y[t] = u[t]\n"
            "  u[t] = (1 - 0.400000 B)(1 - 0.500000 B^12) e[t]\n"
            "  e[t] normal, variance 2.00000\n"
            "  y: simulated; B y[t] = y[t-1]\n\n"
            "  ma1: -0.4000 of the surprise of 1 row ago still shows (held).\n"
            "  sma12: -0.5000 of the surprise of 12 rows ago comes back (held).\n"
            "  sigma2: surprises have a standard deviation of 1.41 (held).\n");
}

TEST(Equation, ReadsEveryKindOfTerm) {
  Series y = simulate(parse_model("const ar1 / garch / student"), {1, .3, .1, .1, .8, 6}, 800,
                      {.seed = 4});
  y.companions = {{"x", {}}};
  for (std::size_t t = 0; t < y.size(); ++t)
    y.companions[0].values.push_back(std::sin(static_cast<double>(t)));
  const std::string text =
      equation(estimate("const trend ar1 sar12 harmonics 12:1 with x / garch / student", y));
  for (const char* part :
       {"(1 - ", "cos(2 pi t / 12)", " x[t] + u[t]", "B^12)", "h[t] = ", "e[t-1]^2", "h[t-1]",
        "z student, nu", "t = 1 at row 1", "trend: each row adds", "one more of x goes with",
        "of the squared surprise of 1 row ago enters the variance",
        "of the variance of 1 row ago is carried on"})
    EXPECT_THAT(text, HasSubstr(part));
}

// A line of the printed equation, evaluated: numbers, names such as e[t-1], E|z|, sums, products
// written side by side, powers, |x|, ln x and (x < 0).
class PrintedLine {
 public:
  using Values = std::map<std::string, std::vector<double>>;
  PrintedLine(std::string text, const Values& values, std::size_t t, double expected_size)
      : text_(std::move(text)), values_(values), t_(t), size_(expected_size) {}
  double value() {
    const double v = sum();
    EXPECT_EQ(at_, text_.size()) << text_;
    return v;
  }

 private:
  void blanks() {
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
  }
  bool take(std::string_view word) {
    blanks();
    if (!std::string_view(text_).substr(at_).starts_with(word)) return false;
    at_ += word.size();
    return true;
  }
  double sum() {
    double v = product();
    for (;;) {
      if (take("+ "))
        v += product();
      else if (take("- "))
        v -= product();
      else
        return v;
    }
  }
  bool starts_factor() {
    blanks();
    if (at_ >= text_.size()) return false;
    const char c = text_[at_];
    return std::isalnum(static_cast<unsigned char>(c)) || c == '(' || (c == '|' && !inside_);
  }
  double product() {
    double v = power();
    while (starts_factor()) v *= power();
    return v;
  }
  double power() {
    const double v = primary();
    return take("^") ? std::pow(v, primary()) : v;
  }
  double primary() {
    if (take("E|z|")) return size_;
    if (take("ln ")) return std::log(primary());
    if (take("(")) {
      const double v = sum();
      const bool compared = take("< 0");
      EXPECT_TRUE(take(")")) << text_.substr(at_);
      return compared ? (v < 0 ? 1 : 0) : v;
    }
    if (take("|")) {
      inside_ = true;
      const double v = sum();
      inside_ = false;
      EXPECT_TRUE(take("|"));
      return std::abs(v);
    }
    blanks();
    if (std::isalpha(static_cast<unsigned char>(text_[at_]))) {
      const std::string name(1, text_[at_]);
      const std::size_t end = text_.find(']', at_);
      const std::string inside = text_.substr(at_ + 2, end - at_ - 2);
      at_ = end + 1;
      const std::size_t back = inside == "t" ? 0 : std::stoul(inside.substr(2));
      return values_.at(name).at(t_ - back);
    }
    std::size_t read = 0;
    const double v = std::stod(text_.substr(at_), &read);
    at_ += read;
    return v;
  }

  std::string text_;
  const Values& values_;
  std::size_t t_, at_ = 0;
  double size_;
  bool inside_ = false;
};

// What stands right of the sign in the line that begins with `left`.
std::string right_of(const std::string& equation, const std::string& left) {
  const std::size_t at = equation.find("  " + left);
  EXPECT_NE(at, std::string::npos) << left << " in\n" << equation;
  const std::size_t sign = equation.find(" = ", at) + 3;
  return equation.substr(sign, equation.find('\n', at) - sign);
}

// The printed equation of every family gives the path of the variance, by each law.
TEST(Equation, GivesTheVariancePathOfEveryFamily) {
  const Series y = simulate(parse_model("const / gjr / student"), {.05, .1, .06, .08, .84, 6}, 900,
                            {.seed = 14});
  int checked = 0;
  for (const char* family : {"arch e1,3", "garch", "garch e1,2 h1", "igarch", "gjr", "egarch",
                             "egarch e1,2 h1", "aparch", "twocomp", "longmem", "ewma"})
    for (const char* law : {"normal", "student", "ged", "skew-student"}) {
      const std::string line = fmt::format("const / {} / {}", family, law);
      const Fit fit = estimate(line, y);
      if (!fit.usable()) continue;
      ++checked;
      const std::string text = equation(fit);
      PrintedLine::Values v{
          {"e", fit.shocks}, {"h", fit.variances}, {"z", {}}, {"s", {}}, {"q", {}}};
      for (std::size_t t = 0; t < fit.count; ++t) {
        v["z"].push_back(fit.shocks[t] / std::sqrt(fit.variances[t]));
        v["s"].push_back(std::sqrt(fit.variances[t]));
        v["q"].push_back(fit.presample);
      }
      const bool logs = text.find("ln h[t]") != std::string::npos,
                 power = text.find("s[t]^") != std::string::npos,
                 parts = text.find("q[t] = ") != std::string::npos;
      const double size = logs ? std::stod(right_of(text, "E|z|")) : 0;
      if (text.find("sum of w(k)") != std::string::npos) {
        // Weights by their printed rule: w(1), then w(k) from w(k-1) and v(k-1).
        const std::regex rule(
            R"(h\[t\] = (\S+) \+ [^]*w\(1\) = (\S+); w\(k\) = (\S+) w[^]*- 1 - (\S+)\) / k - (\S+)\) v\(k-1\))");
        std::smatch part;
        ASSERT_TRUE(std::regex_search(text, part, rule)) << text;
        const double level = std::stod(part[1]), beta = std::stod(part[3]), d = std::stod(part[4]),
                     phi = std::stod(part[5]);
        std::vector<double> w{std::stod(part[2])}, fade{d};
        for (int k = 2; k <= 1000; ++k) {
          w.push_back(beta * w.back() + ((k - 1 - d) / k - phi) * fade.back());
          fade.push_back(fade.back() * (k - 1 - d) / k);
        }
        for (std::size_t t = 0; t < fit.count; t += 50) {
          double h = level;
          for (std::size_t k = 1; k <= 1000; ++k)
            h += w[k - 1] * (k <= t ? std::pow(fit.shocks[t - k], 2) : fit.presample);
          // The text prints four digits of each coefficient.
          EXPECT_NEAR(h, fit.variances[t], 1e-3 * h) << line;
        }
        continue;
      }
      for (std::size_t t = 3; t < fit.count; ++t) {
        if (parts && t == 3)  // the component up to here
          for (std::size_t u = 1; u <= 3; ++u)
            v["q"][u] = PrintedLine(right_of(text, "q[t]"), v, u, size).value();
        if (parts) v["q"][t] = PrintedLine(right_of(text, "q[t]"), v, t, size).value();
        const double right = PrintedLine(right_of(text, logs    ? "ln h[t]"
                                                        : power ? "s[t]^"
                                                                : "h[t]"),
                                         v, t, size)
                                 .value();
        const double h = logs    ? std::exp(right)
                         : power ? std::pow(right, 2 / fit.parameters[5].estimate)
                                 : right;
        ASSERT_NEAR(h, fit.variances[t], 1e-3 * h) << line << " row " << t << '\n' << text;
      }
    }
  EXPECT_GE(checked, 43) << "of 44";
}

TEST(Equation, ReadsEachCoefficientInItsFamily) {
  const Series y = simulate(parse_model("const / garch"), {0, .1, .1, .8}, 900, {.seed = 14});
  for (const auto& [line, part] :
       {std::pair{"const risk sd / egarch", "one more of the volatility of a row goes with"},
        {"const / egarch", "raises the log of the variance by"},
        {"const / gjr", "of its square more than a rise does"},
        {"const / ewma", "the rest is the last squared surprise"},
        {"const / twocomp", "of the long-run component is carried on"},
        {"const / aparch", "volatility moves in its power of"},
        {"const / longmem", "fall like a power of their lag"},
        {"const / garch / ged", "2 is normal, less has heavier tails"}}) {
    std::string text = equation(estimate(line, y));
    std::replace(text.begin(), text.end(), '\n', ' ');
    while (text.find("   ") != std::string::npos) text.erase(text.find("   "), 2);
    EXPECT_EQ(text.find("the law of the shocks has"), std::string::npos) << text;
    // A sentence may be wrapped.
    std::string joined;
    for (const char c : text)
      if (c != ' ' || joined.empty() || joined.back() != ' ') joined += c;
    EXPECT_THAT(joined, HasSubstr(part)) << line;
  }
}

TEST(CheckOfMeans, NamesWhatIsLeft) {
  const Series y = simulate(parse_model("const ar1 sar12"), {0, .4, .6, 1}, 400, {.seed = 4});
  const Check left = check(estimate("const ar1", y), {.period = 12});
  EXPECT_EQ(left.verdict, CheckVerdict::memory_in_mean);
  EXPECT_THAT(left.reading, HasSubstr("a season is left at lag 12, of the season"));
  const Check clean = check(estimate("const ar1 sar12", y));
  EXPECT_EQ(clean.groups.at(0).answer, CheckAnswer::holds) << clean;
  EXPECT_NE(clean.groups.at(1).answer, CheckAnswer::fails) << clean;
  ASSERT_FALSE(clean.whiteness.empty());
  EXPECT_EQ(*clean.whiteness[0].lags, 3) << "two terms and one degree of freedom";
  EXPECT_EQ(clean.whiteness[0].dof[0], 1);
  EXPECT_EQ(clean.roots.size(), 13u) << "of (1 - ar B)(1 - sar B^12)";
  for (const InverseRoot& r : clean.roots) EXPECT_LT(std::abs(r.value), 1);
}

// Sizes at 5 % over 400 series: a binomial share lies within .05 +- .033 with probability .997.
TEST(CheckOfMeans, TestsOfVarianceAndHalvesKeepTheirSizeAndSeeWhatTheyShould) {
  std::size_t fitted = 0, white = 0, halves = 0;
  for (std::uint64_t s = 0; s < 400; ++s) {
    const Fit fit = estimate("const ar1", simulate(parse_model("const ar1"), {0, .5, 1}, 400,
                                                   {.seed = 31, .stream = s}));
    fitted += *breusch_pagan(fit).rejects();
    white += *breusch_pagan(fit, true).rejects();
    halves += *two_halves_test(fit).rejects();
  }
  for (const std::size_t count : {fitted, white, halves}) {
    EXPECT_GE(count, 7u);
    EXPECT_LE(count, 33u);
  }
  Series loud = simulate(parse_model("const ar1"), {0, .8, 1}, 400, {.seed = 3});
  const std::vector<double> before = loud.values;
  maths::RandomStream stream(4, 0);
  for (std::size_t t = 0; t < loud.size(); ++t)
    loud.values[t] = std::exp(before[t] / 3) * (1 + .3 * stream.normal()) * 100;
  EXPECT_TRUE(*breusch_pagan(estimate("const ar1", loud)).rejects());
  Series changed = simulate(parse_model("const ar1"), {0, .8, 1}, 200, {.seed = 3});
  changed.append(simulate(parse_model("const ar1"), {0, -.5, 1}, 200, {.seed = 4}));
  const TestResult test = two_halves_test(estimate("const ar1", changed));
  EXPECT_TRUE(*test.rejects());
  EXPECT_EQ(test.reading, "the halves differ, most in ar1");
}

}  // namespace
}  // namespace brace
