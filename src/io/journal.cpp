// SPDX-License-Identifier: Apache-2.0
// Covered by tests/io/json_test.cpp.
#include "brace/io/journal.hpp"

#include <fmt/format.h>

#include <cmath>
#include <filesystem>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/io/files.hpp"
#include "io/json_values.hpp"

namespace brace {
namespace {

double read_number(const Json& j) {
  return j.is_null() ? std::numeric_limits<double>::quiet_NaN() : j.get<double>();
}

Json to_line(const BacktestRecord& record) {
  Json steps = Json::array();
  for (const BacktestStep& s : record.steps) {
    Json intervals = Json::array(), tails = Json::array();
    for (const Interval& i : s.return_interval) intervals.push_back({i.percent, i.low, i.high});
    for (const TailRisk& t : s.tails) tails.push_back({t.percent, t.value_at_risk, t.shortfall});
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

BacktestRecord from_line(const Json& j) {
  BacktestRecord record{
      .entrant = j.at("entrant"), .origin = j.at("origin"), .stale = j.at("stale"), .steps = {}};
  for (const Json& s : j.at("steps")) {
    BacktestStep step;
    step.mean = s.at("mean");
    step.variance = s.at("variance");
    for (const Json& i : s.at("intervals")) step.return_interval.push_back({i[0], i[1], i[2]});
    for (const Json& t : s.at("tails")) step.tails.push_back({t[0], t[1], t[2]});
    step.actual = read_number(s.at("actual"));
    step.transform = read_number(s.at("transform"));
    step.log_score = read_number(s.at("log_score"));
    step.crps = read_number(s.at("crps"));
    record.steps.push_back(std::move(step));
  }
  return record;
}

}  // namespace

BacktestJournal::BacktestJournal(std::string path, const std::string& setup)
    : path_(std::move(path)) {
  std::string kept;
  if (std::filesystem::exists(path_)) {
    const std::string text = read_whole(path_);
    for (std::size_t at = 0; at < text.size();) {
      const std::size_t end = text.find('\n', at);
      if (end == std::string::npos) break;  // cut off
      const Json line = Json::parse(text.substr(at, end - at), nullptr, false);
      if (at == 0) {
        const std::string there =
            line.is_object() && line.contains("setup") ? line["setup"].get<std::string>() : "";
        if (there != setup)
          throw Error(ErrorCode::bad_option,
                      there.empty()
                          ? fmt::format("{}: is no journal of a backtest; name another file", path_)
                          : fmt::format("{}: is the journal of another backtest ({}), not of this "
                                        "one ({}); name another file",
                                        path_, there, setup));
      } else if (line.is_discarded()) {
        break;
      } else {
        known_.push_back(from_line(line));
      }
      kept += text.substr(at, end - at + 1);
      at = end + 1;
    }
  }
  if (kept.empty()) kept = Json{{"setup", setup}}.dump() + '\n';
  write_whole(path_, kept);
  out_.open(path_, std::ios::app);
}

void BacktestJournal::add(const BacktestRecord& record) {
  out_ << to_line(record).dump() << '\n' << std::flush;
  if (!out_)
    throw Error(ErrorCode::cannot_write,
                fmt::format("{}: cannot be written; is the disk full?", path_));
}

}  // namespace brace
