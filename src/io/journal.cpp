// SPDX-License-Identifier: Apache-2.0
// Covered by tests/io/json_test.cpp.
#include "brace/io/journal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/crc.hpp>
#include <cmath>
#include <filesystem>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/io/files.hpp"
#include "io/json_reader.hpp"
#include "io/json_values.hpp"

namespace brace::inline v0 {
namespace {

// Checksums of the data's rows (dates, values, companions) in blocks, at most this many of them.
constexpr std::size_t kBlocks = 20000;

std::size_t block_of(std::size_t rows) {
  return (rows + kBlocks - 1) / kBlocks;
}

std::string digest_of(const Series& data) {
  std::string out;
  const std::size_t block = std::max<std::size_t>(1, block_of(data.size()));
  for (std::size_t from = 0; from < data.size(); from += block) {
    boost::crc_32_type sum;
    const auto add = [&](const auto& x) { sum.process_bytes(&x, sizeof x); };
    // One pattern for all missing values.
    const auto add_value = [&](double v) { add(std::isnan(v) ? kNaN : v); };
    for (std::size_t t = from; t < std::min(from + block, data.size()); ++t) {
      if (!data.times.empty()) add(data.times[t].time_since_epoch().count());
      add_value(data.values[t]);
      for (const Companion& c : data.companions) add_value(c.values[t]);
    }
    out += fmt::format("{:08x}", sum.checksum());
  }
  return out;
}

Json to_line(const BacktestRecord& record) {
  Json steps = Json::array();
  for (const BacktestStep& s : record.steps) {
    Json intervals = Json::array(), tails = Json::array();
    for (const PredictionInterval& i : s.return_interval)
      intervals.push_back({i.percent, i.low, i.high});
    for (const TailRisk& t : s.tails) tails.push_back({t.percent, t.value_at_risk, number(t.shortfall)});
    steps.push_back({{"mean", s.mean},
                     {"variance", s.variance},
                     {"intervals", std::move(intervals)},
                     {"tails", std::move(tails)},
                     {"actual", number(s.actual)},
                     {"transform", number(s.transform)},
                     {"log_score", number(s.log_score)},
                     {"crps", number(s.crps)}});
  }
  return {{"entrant", record.entrant},
          {"origin", record.origin},
          {"stale", record.stale},
          {"steps", std::move(steps)}};
}

BacktestRecord from_line(const JsonReader& j) {
  BacktestRecord record{.entrant = j["entrant"].count(),
                        .origin = j["origin"].count(),
                        .stale = j["stale"].flag(),
                        .steps = {}};
  for (const JsonReader& s : j["steps"].list()) {
    BacktestStep step;
    step.mean = s["mean"].number();
    step.variance = s["variance"].number();
    if (step.variance <= 0) s["variance"].refuse("is not positive");
    for (const JsonReader& i : s["intervals"].list()) {
      const std::vector<JsonReader> parts = i.list(3);
      step.return_interval.push_back({parts[0].number(), parts[1].number(), parts[2].number()});
    }
    for (const JsonReader& t : s["tails"].list()) {
      const std::vector<JsonReader> parts = t.list(3);
      const double shortfall = parts[2].number_or_nan();
      step.tails.push_back({parts[0].number(), parts[1].number(),
                            std::isnan(shortfall) ? std::nullopt : std::optional(shortfall)});
    }
    step.actual = s["actual"].number_or_nan();
    step.transform = s["transform"].number_or_nan();
    step.log_score = s["log_score"].number_or_nan();
    step.crps = s["crps"].number_or_nan();
    record.steps.push_back(std::move(step));
  }
  return record;
}

// The header says what the records depend on.
void require_same_run(const std::string& path, const Json& header, const std::string& setup,
                      const std::string& digest, const Series& data) {
  const auto text = [&](const char* key) {
    return header.is_object() && header.contains(key) && header[key].is_string()
               ? header[key].get<std::string>()
               : std::string();
  };
  if (text("setup").empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: is no journal of a backtest; name another file", path));
  if (text("setup") != setup)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("{}: is the journal of another backtest ({}), not of this one ({}); name "
                    "another file",
                    path, text("setup"), setup));
  const std::string there = text("data");
  if (there == digest) return;
  constexpr std::size_t kSum = 8;  // letters of a checksum
  std::size_t block = 0;
  while ((block + 1) * kSum <= std::min(there.size(), digest.size()) &&
         there.compare(block * kSum, kSum, digest, block * kSum, kSum) == 0)
    ++block;
  const std::size_t row =
      std::min(block * std::max<std::size_t>(1, block_of(data.size())), data.size() - 1);
  throw Error(
      ErrorCode::bad_option,
      fmt::format("{}: is the journal of a backtest on other data, which differ from {} on; "
                  "name another file",
                  path, data.when(row)));
}

}  // namespace

BacktestJournal::BacktestJournal(std::string path, const std::string& setup, const Series& data)
    : path_(std::move(path)), lock_(std::make_unique<WriterLock>(path_)) {
  std::string kept;
  const std::string digest = digest_of(data);
  {
    const std::string text = read_whole(path_);
    std::size_t number = 0;
    for (std::size_t at = 0; at < text.size();) {
      const std::size_t end = text.find('\n', at);
      if (end == std::string::npos) break;  // cut off
      const Json line = Json::parse(text.substr(at, end - at), nullptr, false);
      ++number;
      if (number == 1)
        require_same_run(path_, line, setup, digest, data);
      else
        try {
          if (line.is_discarded()) throw std::invalid_argument("it is not JSON");
          known_.push_back(from_line(JsonReader(line)));
        } catch (const std::invalid_argument& e) {
          throw Error(
              ErrorCode::bad_option,
              fmt::format("{} line {}: is no record of a backtest ({}); take the line out, or "
                          "name another file",
                          path_, number, e.what()));
        }
      kept += text.substr(at, end - at + 1);
      at = end + 1;
    }
  }
  // What was cut off goes; what is kept is never written anew.
  std::error_code error;
  std::filesystem::resize_file(path_, kept.size(), error);
  if (error) refuse();
  out_.open(path_, std::ios::app);
  if (kept.empty()) out_ << Json{{"setup", setup}, {"data", digest}}.dump() << '\n' << std::flush;
  if (!out_) refuse();
}

void BacktestJournal::refuse() const {
  throw Error(ErrorCode::cannot_write,
              fmt::format("{}: cannot be written; is the disk full?", path_));
}

void BacktestJournal::add(const BacktestRecord& record) {
  out_ << to_line(record).dump() << '\n' << std::flush;
  if (!out_) refuse();
}

}  // namespace brace::inline v0
