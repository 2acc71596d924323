// SPDX-License-Identifier: Apache-2.0
// Journals of backtests: any bytes, with or without the header of this run, whatever was cut off.
#include <filesystem>
#include <fstream>

#include "brace/io/files.hpp"
#include "brace/io/journal.hpp"
#include "promises.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  static const brace::Series series = brace::make_series({1, 2, 3, 2, 1, 4, 3, 2}, "kelp");
  const std::string& path = fuzz::own_file("journal.jsonl");
  std::filesystem::remove(path);
  if (data[0] % 2 == 0) brace::BacktestJournal(path, "const, window 4", series);
  std::ofstream(path, std::ios::app | std::ios::binary) << fuzz::text_of(data + 1, size - 1);
  return fuzz::answers([&] {
    const std::size_t known =
        brace::BacktestJournal(path, "const, window 4", series).known().size();
    if (brace::BacktestJournal(path, "const, window 4", series).known().size() != known)
      fuzz::broken("a journal that was opened holds other records");
  });
}
