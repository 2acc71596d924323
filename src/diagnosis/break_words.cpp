// SPDX-License-Identifier: Apache-2.0
// The sentences and the tables of a search for breaks. Covered by
// tests/diagnosis/stability_test.cpp and tests/tool/verdicts_test.cpp.
#include "diagnosis/break_words.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/text.hpp"

namespace brace::inline v0 {
namespace {

std::string date_text(const std::optional<Timestamp>& date, std::size_t row) {
  return date ? format_date(*date) : fmt::format("observation {}", text::count(row + 1));
}

std::string date_text(const hypothesis::BreakDate& at) {
  return date_text(at.date, at.row);
}

// "step:2021-03-04 in the variance of the model", of the breaks of which `wanted` holds.
template <class Wanted>
std::string terms_in(const BreakReport& report, const char* where, Wanted wanted) {
  std::vector<std::string> terms;
  for (const auto& f : report.breaks)
    if (wanted(f.kind) && !f.term.empty()) terms.push_back(f.term);
  return terms.empty() ? ""
                       : fmt::format("{} in the {} of the model", fmt::join(terms, " "), where);
}

// Parameters that change where no break was dated: the scan that dates them was left out.
bool changes_undated(const BreakReport& report) {
  return report.breaks.empty() && report.holm.parameters.value_or(1) < report.significance;
}

}  // namespace

std::string_view to_string(BreakKind kind) {
  switch (kind) {
    case BreakKind::mean: return "mean";
    case BreakKind::variance: return "variance";
    case BreakKind::parameters: return "parameters";
  }
  return "parameters";
}

bool last_date_is_known(const BreakReport& report) {
  constexpr double kSaysNothing = 0.8;
  const hypothesis::BreakDate& last = report.breaks.back().at;
  const auto rows = static_cast<double>(report.segments.back().last + 1);
  return static_cast<double>(last.high - last.low) <= kSaysNothing * rows;
}

std::size_t rows_after_breaks(const BreakReport& report) {
  return report.segments.back().last - report.breaks.back().at.row;
}

std::string reading_of(const BreakReport& report) {
  if (changes_undated(report))
    return fmt::format(
        "{}: the parameters of {} change within the sample, at a date that the tests cannot give.",
        report.of, report.model);
  if (report.breaks.empty())
    return fmt::format("No lasting break in {} at {:g} %, all kinds together.", report.of,
                       100 * report.significance);
  std::vector<std::string> names;
  for (const auto& f : report.breaks)
    names.push_back(fmt::format("{} near {}", to_string(f.kind), date_text(f.at)));
  return fmt::format("{}: {} ({}).", report.of, text::plural(names.size(), "break", "breaks"),
                     fmt::join(names, ", "));
}

std::vector<std::string> advice_of(const BreakReport& report) {
  if (changes_undated(report))
    return {
        "A rolling window takes up what changes; a date known from elsewhere goes into the model as "
        "step:DATE."};
  if (report.breaks.empty()) return {"Model the whole sample."};
  std::vector<std::string> advice;
  if (report.persistence && report.persistence_within)
    advice.push_back(fmt::format(
        "Persistence is {:.3f} on the whole and {:.3f} within segments: {}.", *report.persistence,
        *report.persistence_within,
        *report.persistence > *report.persistence_within + 0.01 ? "part of it is only the break"
                                                                : "the break does not explain it"));
  if (report.terms.empty()) return advice;
  if (!last_date_is_known(report)) {
    advice.emplace_back(
        "The date of the last break is not known: its interval covers most of the sample, so that "
        "cutting there is not advised.");
    return advice;
  }
  const std::string mean =
      terms_in(report, "mean", [](BreakKind kind) { return kind == BreakKind::mean; });
  const std::string variance =
      terms_in(report, "variance", [](BreakKind kind) { return kind != BreakKind::mean; });
  advice.push_back(fmt::format(
      "To model it: {}{}{}{}.", mean, mean.empty() || variance.empty() ? "" : ", ", variance,
      report.from ? fmt::format(", or the last segment on its own with `from` {}",
                                format_date(*report.from))
                  : fmt::format("; the {} rows after the last break are too few for a model of "
                                "their own",
                                rows_after_breaks(report))));
  return advice;
}

std::ostream& operator<<(std::ostream& out, const BreakReport& report) {
  out << text::wrap(text::sentence(report.reading)) << '\n';
  out << fmt::format("  {:<26}{:<13}{:>8}  {:<10}{:<6}{}\n", "test", "", "", "", "Holm", "null");
  for (const TestResult& t : report.tests) {
    const bool plain = t.variant == "z of model";
    const std::optional<double> adjusted =
        t.test == "bai-perron" ? std::optional(report.holm.mean)
        : t.test == "variance-break" || (t.test == "cumulative-squares-robust" && !plain)
            ? std::optional(report.holm.variance)
        : t.test == "nyblom" ? report.holm.parameters
                             : std::nullopt;
    out << fmt::format("  {:<26}{:<13}{:>8}  p {:<8}{:<6}{}\n", t.test, t.variant,
                       text::significant(t.statistic, 4), text::p_value(t.p_value, t.p_floor),
                       adjusted ? text::p_value(adjusted) : "", t.null);
  }
  if (!report.breaks.empty()) {
    out << "\n  break in      last day before   95 % interval\n";
    for (const auto& f : report.breaks)
      out << fmt::format("  {:<14}{:<18}{}\n", to_string(f.kind), date_text(f.at),
                         f.at.low == f.at.high
                             ? "none"
                             : fmt::format("{} to {}", date_text(f.at.low_date, f.at.low),
                                           date_text(f.at.high_date, f.at.high)));
  }
  const auto span = [](const BreakReport::Segment& s) {
    return fmt::format("{} to {}", date_text(s.first_date, s.first),
                       date_text(s.last_date, s.last));
  };
  std::size_t width = 26;
  for (const auto& s : report.segments) width = std::max(width, span(s).size());
  const auto line = [&](const std::string& what, const std::string& n, const std::string& mean,
                        const std::string& sd, const std::string& persistence) {
    out << fmt::format("  {:<{}}{:>8}{:>12}{:>13}{:>14}\n", what, width, n, mean, sd, persistence);
  };
  out << '\n';
  line("segment", "n", "mean", "volatility", "persistence");
  const auto row = [&](const std::string& what, std::size_t n, double mean, double sd,
                       std::optional<double> persistence) {
    line(what, text::count(n), text::significant(mean, 2), text::significant(sd, 3),
         text::fixed(persistence, 3));
  };
  std::size_t n = 0;
  double mean = 0;
  for (const auto& s : report.segments) {
    n += s.n;
    mean += static_cast<double>(s.n) * s.mean;
  }
  mean /= static_cast<double>(n);
  double squares = 0;
  for (const auto& s : report.segments)
    squares += static_cast<double>(s.n - 1) * s.sd * s.sd +
               static_cast<double>(s.n) * (s.mean - mean) * (s.mean - mean);
  row("whole", n, mean, std::sqrt(squares / static_cast<double>(n - 1)), report.persistence);
  if (report.segments.size() > 1)
    for (const auto& s : report.segments) row(span(s), s.n, s.mean, s.sd, s.persistence);
  out << fmt::format("  persistence by {}{}\n\n", report.model,
                     report.unit.empty() ? "" : fmt::format("; {}", report.unit));
  for (const std::string& sentence : report.advice) out << text::wrap(sentence, 100, "  ");
  print_warnings(out, report.warnings);
  return out;
}

}  // namespace brace::inline v0
