// SPDX-License-Identifier: Apache-2.0
// Questions to a results file, each one query. Covered by tests/batch/batch_test.cpp.
#include "brace/batch/summary.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "batch/database.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::size_t kExamples = 3;
constexpr std::size_t kLargest = 10;

// Calls take(row) for each row of a query whose only mark is the run.
template <class Take>
void each(const ResultStore::Database& db, std::int64_t run, const std::string& query, Take take) {
  Statement rows = db.prepare(query);
  rows.bind(run);
  while (rows.next()) take(rows);
}

// Names of the rows of "FROM ... WHERE m.run = ? ..." over run_series m.
Named named(const ResultStore::Database& db, std::int64_t run, const std::string& from) {
  Named out;
  each(db, run,
       "SELECT DISTINCT m.place, m.series_name FROM run_series m " + from +
           " ORDER BY m.place, m.series_name",
       [&](Statement& rows) {
         (void)rows.whole();
         std::string name;
         rows.read(name);
         if (out.examples.size() < kExamples) out.examples.push_back(std::move(name));
         ++out.count;
       });
  return out;
}

std::size_t count(const ResultStore::Database& db, std::int64_t run, const std::string& from) {
  std::size_t out = 0;
  each(db, run, "SELECT count(*) FROM run_series m " + from,
       [&](Statement& rows) { out = static_cast<std::size_t>(rows.whole()); });
  return out;
}

void how_it_went(const ResultStore::Database& db, BatchSummary& s) {
  const std::int64_t run = s.run.run;
  each(db, run,
       "SELECT s.outcome, count(*) FROM run_series m JOIN series s USING (series) WHERE m.run = ? "
       "GROUP BY s.outcome",
       [&](Statement& rows) {
         std::string outcome;
         rows.read(outcome);
         const auto n = static_cast<std::size_t>(rows.whole());
         s.series += n;
         (outcome == "converged"  ? s.converged
          : outcome == "boundary" ? s.boundary
          : outcome == "refused"  ? s.refused
                                  : s.failed) += n;
       });
  s.fits = count(db, run, "JOIN fits f USING (series) WHERE m.run = ?");
  s.kept = count(db, run, "JOIN fits f USING (series) WHERE m.run = ? AND f.how = 'kept'");
  // By step and code, the commonest first; those of the same step and code share a line.
  each(
      db, run,
      "SELECT f.step, f.code, count(DISTINCT m.series_name) AS times, min(m.place) FROM run_series "
      "m JOIN failures f USING (series) WHERE m.run = ? GROUP BY f.step, f.code ORDER BY times "
      "DESC, min(m.place)",
      [&](Statement& kinds) {
        BatchSummary::Failure f;
        kinds.read(f.step), kinds.read(f.code);
        const std::string from = fmt::format(
            "JOIN failures f USING (series) WHERE m.run = ? AND f.step = '{}' AND f.code = '{}'",
            f.step, f.code);
        f.names = named(db, run, from);
        each(db, run,
             "SELECT f.message FROM run_series m " + from + " ORDER BY m.place, f.rowid LIMIT 1",
             [&](Statement& first) { first.read(f.message); });
        s.failures.push_back(std::move(f));
      });
  each(db, run,
       "SELECT f.model, count(*) AS times FROM run_series m JOIN fits f USING (series) WHERE m.run "
       "= ? AND f.chosen GROUP BY f.model ORDER BY times DESC, f.model",
       [&](Statement& models) {
         BatchSummary::Model m;
         models.read(m.model);
         m.chosen = static_cast<std::size_t>(models.whole());
         s.models.push_back(std::move(m));
       });
}

// Of the series itself and of the model that was chosen; of all where none could be.
constexpr const char* kOfTheChosen =
    "(w.model = '' OR w.model = coalesce((SELECT f.model FROM fits f WHERE f.series = w.series AND "
    "f.chosen), w.model))";

void what_is_doubtful(const ResultStore::Database& db, BatchSummary& s) {
  const std::int64_t run = s.run.run;
  s.checked = count(db, run, "JOIN checks c USING (series) WHERE m.run = ?");
  const auto failing = [&](const char* question) {
    return named(
        db, run,
        fmt::format("JOIN checks c USING (series) WHERE m.run = ? AND c.{} = 'fails'", question));
  };
  s.not_white = failing("mean");
  s.variance_left = failing("variance");
  s.law_departs = failing("law");
  s.not_constant = failing("constancy");
  s.broken = named(db, run, "JOIN breaks b USING (series) WHERE m.run = ?");
  s.looked_for_breaks = count(
      db, run,
      "WHERE m.run = ? AND EXISTS (SELECT 1 FROM tests t WHERE t.series = m.series AND t.step = "
      "'breaks')");
  each(
      db, run,
      fmt::format("SELECT w.code, count(DISTINCT m.series_name) AS times FROM run_series m JOIN "
                  "warnings w USING (series) WHERE m.run = ? AND {} GROUP BY w.code ORDER BY times "
                  "DESC, w.code",
                  kOfTheChosen),
      [&](Statement& codes) {
        BatchSummary::Doubt d;
        codes.read(d.code);
        d.names =
            named(db, run,
                  fmt::format("JOIN warnings w USING (series) WHERE m.run = ? AND w.code = '{}' "
                              "AND {}",
                              d.code, kOfTheChosen));
        s.warnings.push_back(std::move(d));
      });
  each(
      db, run,
      "SELECT s.last, count(*) AS times FROM run_series m JOIN series s USING (series) WHERE m.run "
      "= ? AND s.last <> '' GROUP BY s.last ORDER BY times DESC, s.last DESC LIMIT 1",
      [&](Statement& last) { last.read(s.last); });
  if (!s.last.empty())
    s.ended_early = named(
        db, run,
        fmt::format("JOIN series s USING (series) WHERE m.run = ? AND s.last <> '' AND s.last < "
                    "'{}'",
                    s.last));
  each(db, run,
       "SELECT m.series_name, s.seconds FROM run_series m JOIN series s USING (series) WHERE m.run "
       "= ? ORDER BY s.seconds DESC, m.place LIMIT 10",
       [&](Statement& slow) {
         BatchSummary::Slow one;
         slow.read(one.name), slow.read(one.seconds);
         s.slowest.push_back(std::move(one));
       });
}

// What a comparison looks at of each series.
struct Seen {
  std::int64_t place = 0;
  std::string digest;
  std::optional<double> volatility;
  bool kept = false, white = true;
};
std::map<std::string, Seen> seen_in(const ResultStore::Database& db, std::int64_t run) {
  std::map<std::string, Seen> out;
  each(
      db, run,
      "SELECT m.series_name, m.place, s.digest, (SELECT f.volatility FROM forecasts f WHERE "
      "f.series = m.series AND f.step = 1), EXISTS (SELECT 1 FROM fits f WHERE f.series = m.series "
      "AND f.how = 'kept'), NOT EXISTS (SELECT 1 FROM checks c WHERE c.series = m.series AND "
      "c.mean = 'fails') FROM run_series m JOIN series s USING (series) WHERE m.run = ?",
      [&](Statement& rows) {
        std::string name;
        Seen one;
        rows.read(name), rows.read(one.place), rows.read(one.digest), rows.read(one.volatility);
        rows.read(one.kept), rows.read(one.white);
        out.emplace(std::move(name), std::move(one));
      });
  return out;
}

BatchSummary::Against compared(const std::map<std::string, Seen>& now,
                               const std::map<std::string, Seen>& before) {
  BatchSummary::Against out;
  // In the order of the run.
  std::vector<const std::pair<const std::string, Seen>*> ordered;
  for (const auto& one : now) ordered.push_back(&one);
  std::stable_sort(ordered.begin(), ordered.end(),
                   [](auto* a, auto* b) { return a->second.place < b->second.place; });
  const auto note = [](Named& to, const std::string& name) {
    if (to.examples.size() < kExamples) to.examples.push_back(name);
    ++to.count;
  };
  std::vector<double> ratios;
  for (const auto* one : ordered) {
    const auto& [name, seen] = *one;
    const auto was = before.find(name);
    if (was == before.end()) {
      note(out.fresh, name);
      continue;
    }
    note(seen.digest == was->second.digest ? out.as_before
         : seen.kept                       ? out.kept
                                           : out.estimated_again,
         name);
    if (!seen.white && was->second.white) note(out.newly_not_white, name);
    if (seen.volatility && was->second.volatility && *was->second.volatility > 0) {
      out.largest.push_back({name, *was->second.volatility, *seen.volatility});
      ratios.push_back(*seen.volatility / *was->second.volatility);
    }
  }
  for (const auto& [name, seen] : before)
    if (!now.contains(name)) note(out.gone, name);
  out.compared = ratios.size();
  if (!ratios.empty()) {
    std::sort(ratios.begin(), ratios.end());
    const std::size_t n = ratios.size();
    out.median_ratio = n % 2 == 1 ? ratios[n / 2] : (ratios[n / 2 - 1] + ratios[n / 2]) / 2;
  }
  const auto size = [](const BatchSummary::Change& c) {
    return std::abs(std::log(c.now / c.before));
  };
  std::stable_sort(out.largest.begin(), out.largest.end(),
                   [&](const auto& a, const auto& b) { return size(a) > size(b); });
  std::erase_if(out.largest, [](const auto& c) { return c.now == c.before; });
  if (out.largest.size() > kLargest) out.largest.resize(kLargest);
  return out;
}

}  // namespace

BatchSummary summarise(const ResultStore& store, const RunRow& run,
                       const std::optional<RunRow>& against, const ResultStore* other) {
  BatchSummary out;
  out.store = store.path();
  out.run = run;
  how_it_went(store.database(), out);
  what_is_doubtful(store.database(), out);
  if (against) {
    const ResultStore& there = other ? *other : store;
    out.against =
        compared(seen_in(store.database(), run.run), seen_in(there.database(), against->run));
    out.against->store = there.path();
    out.against->run = *against;
  }
  return out;
}

std::vector<std::vector<std::string>> summary_table(const ResultStore& store, const RunRow& run) {
  std::vector<std::vector<std::string>> out{
      {"series",     "outcome", "model",    "status",         "how",  "first",
       "last",       "rows",    "missing",  "log_likelihood", "bic",  "persistence",
       "volatility", "mean",    "check",    "white",          "arch", "law",
       "constancy",  "breaks",  "warnings", "failed_step",    "code", "message"}};
  Statement rows = store.database().prepare(fmt::format(
      "SELECT m.series_name, s.outcome, f.model, f.status, f.how, s.first, s.last, s.rows, "
      "s.missing, f.log_likelihood, f.bic, f.persistence, a.volatility, a.mean, c.verdict, c.mean, "
      "c.variance, c.law, c.constancy, (SELECT count(*) FROM breaks b WHERE b.series = m.series), "
      "(SELECT group_concat(code, ' ') FROM (SELECT DISTINCT code FROM warnings w WHERE w.series = "
      "m.series AND {} ORDER BY code)), e.step, e.code, e.message FROM run_series m JOIN series s "
      "USING (series) LEFT JOIN fits f ON f.series = m.series AND f.chosen LEFT JOIN forecasts a "
      "ON a.series = m.series AND a.step = 1 LEFT JOIN checks c ON c.series = m.series LEFT JOIN "
      "failures e ON e.rowid = (SELECT min(rowid) FROM failures e WHERE e.series = m.series) WHERE "
      "m.run = ? ORDER BY m.place, m.series_name",
      kOfTheChosen));
  rows.bind(run.run);
  while (rows.next()) out.push_back(rows.texts(out.front().size()));
  return out;
}

}  // namespace brace::inline v0
