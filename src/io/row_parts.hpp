// SPDX-License-Identifier: Apache-2.0
// Rows of a file that is too long to be held, cut by the names of their series into parts that are
// not, in temporary files that nobody else sees.
//
//   RowParts parts(8);
//   parts.add("KELP", number, cells);              // for all rows
//   parts.read(0, [&](std::size_t number, const std::vector<Cell>& cells) { ... });
#pragma once

#include <cstdint>
#include <cstdio>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "io/rows.hpp"

namespace brace::inline v0 {

class RowParts {
 public:
  // Throws Error (cannot_write) here and in add() where there is no room.
  explicit RowParts(std::size_t count);

  [[nodiscard]] std::size_t count() const { return files_.size(); }
  // All rows of one name go to one part.
  void add(std::string_view name, std::size_t number, const std::vector<Cell>& cells);
  // Those of one part in the order in which they were added; its file is gone afterwards.
  void read(std::size_t part,
            const std::function<void(std::size_t number, const std::vector<Cell>& cells)>& row);

 private:
  struct Close {
    void operator()(std::FILE* file) const { std::fclose(file); }
  };
  void put(std::FILE* file, const void* bytes, std::size_t count);

  std::vector<std::unique_ptr<std::FILE, Close>> files_;
  std::string buffer_;
};

}  // namespace brace::inline v0
