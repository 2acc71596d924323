// SPDX-License-Identifier: Apache-2.0
// Jobs and results between processes, as CBOR: numbers keep all their bits. Covered by
// tests/batch/batch_test.cpp.
#include <algorithm>
#include <bit>
#include <nlohmann/json.hpp>

#include "batch/fields.hpp"
#include "brace/batch/batch.hpp"

namespace brace::inline v0 {
namespace {

using Cbor = nlohmann::json;

// ---- Lists of numbers as they lie in memory ----
template <class T>
Cbor packed(const std::vector<T>& values) {
  const auto* bytes = reinterpret_cast<const std::uint8_t*>(values.data());
  return Cbor::binary({bytes, bytes + values.size() * sizeof(T)});
}
template <class T>
std::vector<T> unpacked(const Cbor& json) {
  const auto& bytes = json.get_binary();
  std::vector<T> out(bytes.size() / sizeof(T));
  std::copy(bytes.begin(), bytes.end(), reinterpret_cast<std::uint8_t*>(out.data()));
  return out;
}

// ---- One field of a row ----
void put(Cbor& to, const std::string& x) {
  to.push_back(x);
}
void put(Cbor& to, std::int64_t x) {
  to.push_back(x);
}
void put(Cbor& to, bool x) {
  to.push_back(x);
}
// As bits: an infinity has no place in JSON, and none may be lost on the way.
void put(Cbor& to, double x) {
  to.push_back(std::bit_cast<std::int64_t>(x));
}
template <class T>
void put(Cbor& to, const std::optional<T>& x) {
  if (x)
    put(to, *x);
  else
    to.push_back(nullptr);
}
void take(const Cbor& from, std::string& x) {
  x = from.get<std::string>();
}
void take(const Cbor& from, std::int64_t& x) {
  x = from.get<std::int64_t>();
}
void take(const Cbor& from, bool& x) {
  x = from.get<bool>();
}
void take(const Cbor& from, double& x) {
  x = std::bit_cast<double>(from.get<std::int64_t>());
}
template <class T>
void take(const Cbor& from, std::optional<T>& x) {
  x.reset();
  if (!from.is_null()) take(from, x.emplace());
}

template <class Row>
Cbor of_row(Row& row) {
  Cbor out = Cbor::array();
  each_field(row, [&](const char*, auto& value) { put(out, value); });
  return out;
}
template <class Row>
void to_row(const Cbor& json, Row& row) {
  std::size_t i = 0;
  each_field(row, [&](const char*, auto& value) { take(json.at(i++), value); });
}

Cbor of_result(SeriesResult result) {
  Cbor out{{"series", of_row(result.series)}};
  each_table(result, [&](const char* table, auto& rows) {
    Cbor& all = out[table] = Cbor::array();
    for (auto& row : rows) all.push_back(of_row(row));
  });
  return out;
}
SeriesResult to_result(const Cbor& json) {
  SeriesResult out;
  to_row(json.at("series"), out.series);
  each_table(out, [&](const char* table, auto& rows) {
    for (const Cbor& one : json.at(table)) to_row(one, rows.emplace_back());
  });
  return out;
}

Cbor of_series(const Series& s) {
  Cbor companions = Cbor::array(), dropped = Cbor::array();
  for (const Companion& c : s.companions)
    companions.push_back({{"name", c.name}, {"values", packed(c.values)}});
  for (const DataAccount::Dropped& d : s.account.dropped) dropped.push_back({d.because, d.rows});
  Cbor out{{"name", s.name},
           {"unit", s.unit ? Cbor(static_cast<int>(*s.unit)) : Cbor(nullptr)},
           {"kind", static_cast<int>(s.kind)},
           {"clock", static_cast<int>(s.clock)},
           {"times", packed(s.times)},
           {"values", packed(s.values)},
           {"companions", std::move(companions)},
           {"file", s.file},
           {"rows_read", s.account.rows_read},
           {"dropped", std::move(dropped)},
           {"notes", s.account.notes}};
  return out;
}
Series to_series(const Cbor& j) {
  Series s;
  s.name = j.at("name");
  if (!j.at("unit").is_null()) s.unit = static_cast<Unit>(j.at("unit").get<int>());
  s.kind = static_cast<SeriesKind>(j.at("kind").get<int>());
  s.clock = static_cast<Clock>(j.at("clock").get<int>());
  s.times = unpacked<Timestamp>(j.at("times"));
  s.values = unpacked<double>(j.at("values"));
  for (const Cbor& c : j.at("companions"))
    s.companions.push_back({c.at("name"), unpacked<double>(c.at("values"))});
  s.file = j.at("file");
  s.account.rows_read = j.at("rows_read");
  for (const Cbor& d : j.at("dropped")) s.account.dropped.push_back({d.at(0), d.at(1)});
  s.account.notes = j.at("notes").get<std::vector<std::string>>();
  return s;
}

std::string text_of(const Cbor& json) {
  std::string out;
  Cbor::to_cbor(json, out);
  return out;
}

}  // namespace

std::string bytes_of(const BatchJob& job) {
  Cbor out{{"place", job.place},
           {"name", job.name},
           {"digest", job.digest},
           {"level_digest", job.level_digest},
           {"kept_digest", job.kept_digest}};
  if (job.level)
    out["level"] = of_series(*job.level);
  else
    out["error"] = {static_cast<int>(job.level.error().code()), job.level.error().what()};
  if (job.earlier) out["earlier"] = of_result(*job.earlier);
  if (!job.result.series.name.empty()) out["result"] = of_result(job.result);
  return text_of(out);
}
BatchJob job_from(const std::string& bytes) {
  const Cbor j = Cbor::from_cbor(bytes);
  BatchJob job;
  job.place = j.at("place");
  job.name = j.at("name");
  job.digest = j.at("digest");
  job.level_digest = j.at("level_digest");
  job.kept_digest = j.at("kept_digest");
  if (j.contains("level"))
    job.level = to_series(j.at("level"));
  else
    job.level = Error(static_cast<ErrorCode>(j.at("error").at(0).get<int>()),
                      j.at("error").at(1).get<std::string>());
  if (j.contains("earlier")) job.earlier = to_result(j.at("earlier"));
  if (j.contains("result")) job.result = to_result(j.at("result"));
  return job;
}

}  // namespace brace::inline v0
