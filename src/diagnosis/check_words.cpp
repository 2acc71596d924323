// SPDX-License-Identifier: Apache-2.0
// The sentences and the table of a check. Covered by tests/estimation/estimate_test.cpp and
// tests/tool/verdicts_test.cpp.
#include "diagnosis/check_words.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <ostream>
#include <span>

#include "brace/base/text.hpp"
#include "brace/hypothesis/autocorrelation.hpp"

namespace brace::inline v0 {

std::string_view to_string(CheckQuestion question) {
  switch (question) {
    case CheckQuestion::mean: return "mean";
    case CheckQuestion::variance: return "variance";
    case CheckQuestion::law: return "law";
    case CheckQuestion::constancy: return "constancy";
  }
  return "mean";
}

std::string_view to_string(CheckAnswer answer) {
  switch (answer) {
    case CheckAnswer::holds: return "holds";
    case CheckAnswer::doubtful: return "doubtful";
    case CheckAnswer::fails: return "fails";
  }
  return "holds";
}

std::string_view to_string(CheckVerdict verdict) {
  switch (verdict) {
    case CheckVerdict::clean: return "clean";
    case CheckVerdict::memory_in_mean: return "memory-in-mean";
    case CheckVerdict::memory_in_variance: return "memory-in-variance";
    case CheckVerdict::memory_in_both: return "memory-in-both";
    case CheckVerdict::asymmetry_left: return "asymmetry-left";
    case CheckVerdict::law_departs: return "law-departs";
    case CheckVerdict::not_constant: return "not-constant";
    case CheckVerdict::not_judged: return "not-judged";
  }
  return "not-judged";
}

namespace {

std::string spikes_in_words(const std::vector<Spike>& spikes) {
  std::vector<std::string> words;
  for (const Spike& s : spikes)
    words.push_back(fmt::format("{}{} ({})", s.lag, s.seasonal ? ", of the season" : "",
                                text::fixed(s.acf, 2)));
  return fmt::format("{}", fmt::join(words, ", "));
}

std::string in_words(const LargestLag& largest) {
  return fmt::format("most at lag {} ({})", largest.lag, text::fixed(largest.correlation, 2));
}

// "'..' lowers bic by 3.1", or that none of those tried does; empty where none was.
std::string in_words(const Advice& advice) {
  if (advice.better)
    return fmt::format("'{}' lowers bic by {}", *advice.better, text::fixed(advice.gained, 1));
  if (advice.tried.empty()) return "";
  std::vector<std::string> labels;
  for (const std::string& line : advice.tried) labels.push_back(fmt::format("'{}'", line));
  return fmt::format("{} {} not lower bic", fmt::join(labels, ", "),
                     labels.size() == 1 ? "does" : "do");
}

// What a test is called in a sentence.
std::string spoken(const TestResult& test) {
  if (test.test == "sign-bias" || test.test == "nyblom" || test.test == "breusch-pagan")
    return fmt::format("{} {}", test.test, test.variant);
  return test.test;
}

// Of a question that fails `if_fails`, else `if_holds` and the rows that say otherwise.
void tell(CheckGroup& group, const std::string& if_fails, const std::string& if_holds) {
  if (group.answer == CheckAnswer::fails) {
    group.reading = group.finding = if_fails;
    return;
  }
  std::vector<std::string> dissent;
  for (const TestResult& test : group.tests)
    if (test.rejects().value_or(false))
      dissent.push_back(
          fmt::format("{} (p {})", spoken(test), text::p_value(test.p_value, test.p_floor)));
  group.reading = if_holds;
  if (!dissent.empty())
    group.reading +=
        fmt::format(", but {} of {} rows {} at 5 %: {}", dissent.size(), group.tests.size(),
                    dissent.size() == 1 ? "rejects" : "reject", fmt::join(dissent, ", "));
}

void tell(const Findings::OfMean& found, CheckGroup& group) {
  const std::string season = found.seasonal.empty() ? ""
                                                    : fmt::format("a season is left at lag {}",
                                                                  spikes_in_words(found.seasonal));
  std::vector<std::string> left;
  const std::string advice = in_words(found.advice);
  if (found.memory)
    left.push_back(
        fmt::format("the residuals still have memory, {}: a lag is missing in the mean{}",
                    in_words(found.largest), advice.empty() ? "" : "; " + advice));
  if (found.season_left) left.push_back(season);
  tell(group, fmt::format("{}", fmt::join(left, "; ")),
       found.clustering ? "the residuals have no memory by the robust form, which decides where "
                          "clustering is left"
                        : "the residuals have no memory");
  if (!found.season_left && !found.seasonal.empty())
    group.reading += fmt::format(
        "{} {}", group.answer == CheckAnswer::fails ? "; perhaps" : ", but perhaps", season);
}

void tell(const Findings::OfVariance& found, CheckGroup& group) {
  std::vector<std::string> left;
  if (found.memory)
    left.push_back(fmt::format(
        "the squares of the residuals still have memory, {}: {}{}", in_words(found.largest),
        found.has_equation ? "the variance equation misses it; " : "it needs a variance equation: ",
        in_words(found.advice)));
  if (found.asymmetry)
    left.push_back(found.has_signs
                       ? std::string("falls and rises still differ in what they do to volatility")
                       : fmt::format("falls and rises of one size differ in what they do to "
                                     "volatility: {}",
                                     in_words(found.on_signs)));
  tell(group, fmt::format("{}", fmt::join(left, "; ")),
       found.has_equation ? "the variance equation leaves no memory and no asymmetry"
                          : "the squares of the residuals have no memory");
}

void tell(const Findings::OfLaw& found, CheckGroup& group) {
  const std::string advice = in_words(found.advice);
  const auto told = [&](const std::vector<LawDeparture>& where) {
    return fmt::format("the shocks do not follow the {} law{}{}", found.name,
                       where.empty() ? "" : fmt::format(": {}", words(where)),
                       advice.empty() ? "" : fmt::format("; {}", advice));
  };
  tell(group, told(found.departures), fmt::format("the shocks follow the {} law", found.name));
  std::vector<LawDeparture> first = found.departures;
  if (first.size() > 1) first.resize(1);
  if (found.departs) group.finding = told(first);
}

void tell(const Findings::OfConstancy& found, CheckGroup& group) {
  tell(group,
       found.halves ? fmt::format("the two halves do not agree: {}", *found.halves)
                    : "the parameters do not seem constant: see brace breaks",
       found.halves ? "the two halves agree" : "the parameters are constant together");
}

std::string in_doubt(const CheckGroup& group) {
  const auto rejecting = std::count_if(group.tests.begin(), group.tests.end(),
                                       [](const auto& t) { return t.rejects().value_or(false); });
  const std::string name = fmt::format("the {}", to_string(group.question));
  return rejecting == 0 ? name
                        : fmt::format("{} ({} of {} rows {})", name, rejecting, group.tests.size(),
                                      rejecting == 1 ? "rejects" : "reject");
}

// What fails, then what is in doubt; where nothing fails, what holds.
std::string reading_of(const Check& check) {
  std::vector<std::string> failed, doubtful;
  for (const CheckGroup& group : check.groups) {
    if (group.answer == CheckAnswer::fails) failed.push_back(group.finding);
    if (group.answer == CheckAnswer::doubtful) doubtful.push_back(in_doubt(group));
  }
  const std::string doubt =
      doubtful.empty() ? "" : fmt::format("; in doubt: {}", fmt::join(doubtful, ", "));
  if (!failed.empty()) return fmt::format("{}: {}{}", check.model, fmt::join(failed, "; "), doubt);
  const auto holds = [&](CheckQuestion question) {
    return std::any_of(check.groups.begin(), check.groups.end(), [&](const CheckGroup& g) {
      return g.question == question && g.answer == CheckAnswer::holds;
    });
  };
  std::vector<std::string> held;
  if (holds(CheckQuestion::law)) held.emplace_back("its law holds");
  if (holds(CheckQuestion::constancy)) held.emplace_back("its parameters are constant");
  return fmt::format("{} leaves no memory in its residuals or their squares{}{}{}{}", check.model,
                     doubt.empty() ? "" : " by the tests that decide", held.empty() ? "" : "; ",
                     fmt::join(held, " and "), doubt);
}

}  // namespace

void put_into_words(const Findings& found, Check& check) {
  for (CheckGroup& group : check.groups) switch (group.question) {
      case CheckQuestion::mean: tell(found.mean, group); break;
      case CheckQuestion::variance: tell(found.variance, group); break;
      case CheckQuestion::law: tell(found.law, group); break;
      case CheckQuestion::constancy: tell(found.constancy, group); break;
    }
  check.reading = reading_of(check);
}

namespace {

void print_groups(std::ostream& out, const Check& check) {
  for (const CheckGroup& group : check.groups) {
    out << '\n'
        << text::wrap(fmt::format("{} {}: {}.", to_string(group.question),
                                  group.answer == CheckAnswer::doubtful ? "is in doubt"
                                                                        : to_string(group.answer),
                                  group.reading),
                      100, "  ");
    for (const TestResult& test : group.tests)
      out << fmt::format("    {:<17}{:<14}{:>8}  p {:<8} null: {}\n", test.test, test.variant,
                         text::significant(test.statistic, 4),
                         text::p_value(test.p_value, test.p_floor), test.null);
  }
}

void print_whiteness(std::ostream& out, const Check& check) {
  constexpr std::size_t kAcross = 8;  // columns of nine
  for (std::size_t first = 0; first < check.whiteness.size(); first += kAcross) {
    const std::span<const TestResult> part =
        std::span(check.whiteness)
            .subspan(first, std::min(kAcross, check.whiteness.size() - first));
    out << "\n  Ljung-Box on z up to lag";
    for (const TestResult& t : part) out << fmt::format("{:>9}", *t.lags);
    out << "\n  degrees of freedom      ";
    for (const TestResult& t : part) out << fmt::format("{:>9}", static_cast<int>(t.dof[0]));
    out << "\n  Q                       ";
    for (const TestResult& t : part) out << fmt::format("{:>9}", text::significant(t.statistic, 4));
    if (!check.whiteness_limits.empty()) {
      out << fmt::format("\n  {:<24}", q_at(*check.significance));
      for (std::size_t i = first; i < first + part.size(); ++i)
        out << fmt::format("{:>9}", text::significant(check.whiteness_limits[i], 4));
    }
    out << "\n  p                       ";
    for (const TestResult& t : part) out << fmt::format("{:>9}", text::p_value(t.p_value));
    out << "\n  white at 90 / 95 / 99 % ";
    for (const TestResult& t : part) {
      std::string verdicts;
      for (const double level : {.10, .05, .01}) verdicts += *t.p_value < level ? "n" : "y";
      out << fmt::format("{:>9}", verdicts);
    }
    out << '\n';
  }
}

void print_spikes(std::ostream& out, const Check& check) {
  if (check.lags_looked_at > 0)
    out << text::wrap(
        fmt::format("Of {} lags of z {} outside the 95 % band{}; chance alone gives {}.",
                    check.lags_looked_at,
                    check.spikes.empty()       ? "none lies"
                    : check.spikes.size() == 1 ? "one lies"
                                               : fmt::format("{} lie", check.spikes.size()),
                    check.spikes.empty() ? "" : ": " + spikes_in_words(check.spikes),
                    text::fixed(0.05 * check.lags_looked_at, 1)),
        100, "  ");
}

void print_roots(std::ostream& out, const Check& check) {
  if (check.roots.empty()) return;
  std::vector<std::string> words;
  for (const InverseRoot& r : check.roots)
    if (r.value.imag() >= 0)
      words.push_back(fmt::format("{} {}", r.ar ? "ar" : "ma", text::fixed(std::abs(r.value), 3)));
  constexpr std::size_t kMostTold = 12;
  if (words.size() > kMostTold) {
    words.resize(kMostTold);
    words.emplace_back("...");
  }
  out << text::wrap(fmt::format("Inverse roots by modulus (1 is the unit circle; one of each "
                                "complex pair): {}.",
                                fmt::join(words, ", ")),
                    100, "  ");
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Check& check) {
  out << text::wrap(check.reading + ".");
  print_groups(out, check);
  print_whiteness(out, check);
  print_spikes(out, check);
  print_roots(out, check);
  if (!check.groups.empty())
    out << "\n"
        << text::wrap(
               "A small p is evidence against the null of its row; the head of each group gives "
               "the "
               "verdict of its rows, by the rules in docs/variance.md.",
               100, "  ");
  print_warnings(out, check.warnings);
  return out;
}

}  // namespace brace::inline v0
