// SPDX-License-Identifier: Apache-2.0
// The records of a backtest as they are made, one JSON object a line, so that a run which is
// interrupted loses nothing.
//
//   brace::BacktestJournal journal("run.jsonl", "const / garch, window 1000", returns);
//   options.known = journal.known();
//
// Threads: a BacktestJournal belongs to one backtest at a time, which never calls it from two
// threads at once.
#pragma once

#include <fstream>
#include <memory>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/evaluate/backtest.hpp"
#include "brace/io/files.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

class BacktestJournal {
 public:
  // Reads what is there; a last line that was cut off is left out. `setup` says all that the
  // records depend on but for the data, of which the file holds a digest by rows. Throws Error
  // (bad_option) where the file was written under another setup, naming both, or on other data,
  // naming the first date that differs; for a record that is none, naming line and field; and
  // (cannot_write), also where another backtest writes to it.
  BacktestJournal(std::string path, const std::string& setup, const Series& data);

  [[nodiscard]] const std::vector<BacktestRecord>& known() const { return known_; }
  void add(const BacktestRecord& record);

 private:
  [[noreturn]] void refuse() const;

  std::string path_;
  std::unique_ptr<WriterLock> lock_;
  std::vector<BacktestRecord> known_;
  std::ofstream out_;
};

}  // namespace brace::inline v0
BRACE_API_END
