// SPDX-License-Identifier: Apache-2.0
// A summary for the terminal, and as a document. Covered by tests/batch/batch_test.cpp.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <ostream>

#include "brace/base/text.hpp"
#include "brace/base/version.hpp"
#include "brace/batch/summary.hpp"
#include "io/json_values.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::size_t kWidth = 100;

std::string list_of(const Named& n) {
  std::string out = fmt::format("{}", fmt::join(n.examples, ", "));
  if (n.count > n.examples.size()) out += ", ...";
  return out;
}

// Its beginning, no sign of more than one byte cut through.
std::string cut(const std::string& name, std::size_t bytes) {
  if (name.size() <= bytes) return name;
  while (bytes > 0 && (static_cast<unsigned char>(name[bytes]) & 0xC0) == 0x80) --bytes;
  return name.substr(0, bytes);
}

// "  memory in the mean        12  KELP-001, TAR-017, ..."
void row(std::ostream& out, const std::string& what, const Named& n) {
  std::string line = fmt::format("    {:<34}{:>7}  {}", what, text::count(n.count), list_of(n));
  if (line.size() > kWidth) line = cut(line, kWidth - 3) + "...";
  line.erase(line.find_last_not_of(' ') + 1);
  out << line << '\n';
}

std::string verdict(const BatchSummary& s) {
  const std::size_t usable = s.converged + s.boundary, without = s.failed + s.refused;
  std::string out =
      fmt::format("{} of {} {} an estimate", text::count(usable),
                  text::plural(s.series, "series", "series"), usable == 1 ? "has" : "have");
  if (s.boundary > 0) out += fmt::format(", {} of them at a bound", text::count(s.boundary));
  out += without == 0
             ? "; none failed or was refused."
             : fmt::format("; {} {} none", text::count(without), without == 1 ? "has" : "have");
  if (without > 0) {
    std::vector<std::string> why;
    if (s.refused > 0) why.push_back(fmt::format("{} refused", text::count(s.refused)));
    if (s.failed > 0) why.push_back(fmt::format("{} did not converge", text::count(s.failed)));
    out += fmt::format(" ({}).", fmt::join(why, ", "));
  }
  if (s.run.status != "complete")
    out += " The run did not end: the same command goes on from here.";
  return out;
}

void print_failures(std::ostream& out, const BatchSummary& s) {
  if (s.failures.empty()) return;
  out << "\n  What could not be done, by step and code, with the first message\n";
  for (const BatchSummary::Failure& f : s.failures) {
    row(out, fmt::format("{}: {}", f.step, f.code), f.names);
    out << text::wrap(f.message.substr(0, f.message.find('\n')), kWidth, "      ");
  }
}

void print_doubts(std::ostream& out, const BatchSummary& s) {
  if (s.checked > 0) {
    out << fmt::format("\n  What the chosen models leave, of {} checked (at 5 %)\n",
                       text::count(s.checked));
    row(out, "memory in the residuals", s.not_white);
    row(out, "memory in their squares", s.variance_left);
    row(out, "shocks that depart from the law", s.law_departs);
    row(out, "parameters that are not constant", s.not_constant);
  }
  if (s.looked_for_breaks > 0) {
    out << fmt::format("\n  Breaks, of {} looked at\n", text::count(s.looked_for_breaks));
    row(out, "with one or more", s.broken);
  }
  if (!s.warnings.empty() || s.ended_early.count > 0) {
    out << "\n  Warnings\n";
    if (s.ended_early.count > 0) row(out, "last row before " + s.last, s.ended_early);
    for (const BatchSummary::Doubt& d : s.warnings) row(out, d.code, d.names);
  }
}

void print_against(std::ostream& out, const BatchSummary& s) {
  if (!s.against) return;
  const BatchSummary::Against& a = *s.against;
  out << fmt::format("\n  Against run {}{}, of {}\n", a.run.run,
                     a.store == s.store ? "" : " of " + a.store, a.run.started);
  if (a.as_before.count > 0) row(out, "same rows, same result", a.as_before);
  if (a.kept.count > 0) row(out, "more rows, parameters kept", a.kept);
  if (a.estimated_again.count > 0) row(out, "estimated again", a.estimated_again);
  if (a.fresh.count > 0) row(out, "new", a.fresh);
  if (a.gone.count > 0) row(out, "gone", a.gone);
  if (a.newly_not_white.count > 0) row(out, "memory in the residuals, new", a.newly_not_white);
  if (a.compared == 0) return;
  out << fmt::format("    volatility forecast for the next row: {} compared, median ratio {}{}\n",
                     text::count(a.compared), text::fixed(a.median_ratio, 3),
                     a.largest.empty() ? ", none has changed" : "; the largest changes");
  for (const BatchSummary::Change& c : a.largest)
    out << fmt::format("      {:<32}{:>10} to {:<10}{:>+8.1f} %\n", cut(c.name, 31),
                       text::significant(c.before, 3), text::significant(c.now, 3),
                       100 * (c.now / c.before - 1));
}

Json to_value(const Named& n) {
  return {{"count", n.count}, {"examples", n.examples}};
}
Json to_value(const RunRow& r) {
  return {
      {"run", r.run},         {"status", r.status},
      {"started", r.started}, {"finished", r.finished.empty() ? Json(nullptr) : Json(r.finished)},
      {"source", r.source},   {"series", r.series}};
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const BatchSummary& s) {
  out << text::wrap(verdict(s), kWidth);
  print_failures(out, s);
  print_doubts(out, s);
  print_against(out, s);
  if (s.models.size() > 1) {
    out << "\n  Chosen models\n";
    for (const BatchSummary::Model& m : s.models)
      out << fmt::format("    {:<60}{:>7}\n", cut(m.model, 59), text::count(m.chosen));
  }
  std::vector<std::string> slow;
  for (const BatchSummary::Slow& one : s.slowest)
    slow.push_back(fmt::format("{} {} s", cut(one.name, 31), text::fixed(one.seconds, 2)));
  if (!slow.empty())
    out << '\n' << text::wrap(fmt::format("The slowest: {}.", fmt::join(slow, ", ")), kWidth, "  ");
  out << text::wrap(fmt::format("Run {} of {}, {}{}.", s.run.run, s.store, s.run.status,
                                s.run.finished.empty() ? "" : ", " + s.run.finished + " UTC"),
                    kWidth, "  ");
  return out;
}

std::string json_document(const BatchSummary& s) {
  Json failures = Json::array(), doubts = Json::array(), models = Json::array(),
       slowest = Json::array();
  for (const BatchSummary::Failure& f : s.failures)
    failures.push_back({{"step", f.step},
                        {"code", f.code},
                        {"message", f.message},
                        {"count", f.names.count},
                        {"examples", f.names.examples}});
  for (const BatchSummary::Doubt& d : s.warnings)
    doubts.push_back({{"code", d.code}, {"count", d.names.count}, {"examples", d.names.examples}});
  for (const BatchSummary::Model& m : s.models)
    models.push_back({{"model", m.model}, {"chosen", m.chosen}});
  for (const BatchSummary::Slow& one : s.slowest)
    slowest.push_back({{"series", one.name}, {"seconds", number(one.seconds)}});
  Json against = nullptr;
  if (s.against) {
    Json largest = Json::array();
    for (const BatchSummary::Change& c : s.against->largest)
      largest.push_back({{"series", c.name}, {"before", number(c.before)}, {"now", number(c.now)}});
    against = {{"store", s.against->store},
               {"run", to_value(s.against->run)},
               {"compared", s.against->compared},
               {"median_ratio", number(s.against->median_ratio)},
               {"largest_changes", std::move(largest)},
               {"new", to_value(s.against->fresh)},
               {"gone", to_value(s.against->gone)},
               {"as_before", to_value(s.against->as_before)},
               {"kept", to_value(s.against->kept)},
               {"estimated_again", to_value(s.against->estimated_again)},
               {"newly_not_white", to_value(s.against->newly_not_white)}};
  }
  const Json whole = {{"brace", version()},
                      {"command", "batch"},
                      {"result",
                       {{"store", s.store},
                        {"run", to_value(s.run)},
                        {"series", s.series},
                        {"converged", s.converged},
                        {"boundary", s.boundary},
                        {"failed", s.failed},
                        {"refused", s.refused},
                        {"fits", s.fits},
                        {"kept", s.kept},
                        {"failures", std::move(failures)},
                        {"models", std::move(models)},
                        {"checked", s.checked},
                        {"not_white", to_value(s.not_white)},
                        {"variance_left", to_value(s.variance_left)},
                        {"law_departs", to_value(s.law_departs)},
                        {"not_constant", to_value(s.not_constant)},
                        {"looked_for_breaks", s.looked_for_breaks},
                        {"broken", to_value(s.broken)},
                        {"warnings", std::move(doubts)},
                        {"last", s.last.empty() ? Json(nullptr) : Json(s.last)},
                        {"ended_early", to_value(s.ended_early)},
                        {"against", std::move(against)},
                        {"slowest", std::move(slowest)}}},
                      {"warnings", Json::array()}};
  return whole.dump(2, ' ', false, Json::error_handler_t::replace) + '\n';
}

}  // namespace brace::inline v0
