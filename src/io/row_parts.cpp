// SPDX-License-Identifier: Apache-2.0
// Covered by tests/io/universe_test.cpp.
#include "io/row_parts.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

// A row before its cells' texts; each cell has a Size before its own.
struct Head {
  std::uint64_t number;
  std::uint32_t cells;
};
struct Size {
  std::uint32_t bytes;
  std::uint32_t has_number;
  double value;
};

[[noreturn]] void refuse(const char* why) {
  throw Error(ErrorCode::cannot_write,
              fmt::format("{}: temporary files cannot be written there ({}); name another folder "
                          "in TMPDIR, or sort the file by its series, which then needs none",
                          std::filesystem::temp_directory_path().string(), why));
}

template <class T>
bool get(std::FILE* file, T& out) {
  return std::fread(&out, sizeof(T), 1, file) == 1;
}

}  // namespace

RowParts::RowParts(std::size_t count) {
  const std::string pattern =
      (std::filesystem::temp_directory_path() / "brace-rows-XXXXXX").string();
  for (std::size_t i = 0; i < count; ++i) {
    std::string path = pattern;
    const int descriptor = ::mkstemp(path.data());
    if (descriptor < 0) refuse(std::strerror(errno));
    ::unlink(path.c_str());  // gone with the process, however it ends
    files_.emplace_back(::fdopen(descriptor, "w+b"));
    if (!files_.back()) refuse(std::strerror(errno));
  }
}

void RowParts::put(std::FILE* file, const void* bytes, std::size_t count) {
  if (std::fwrite(bytes, 1, count, file) != count) refuse(std::strerror(errno));
}

void RowParts::add(std::string_view name, std::size_t number, const std::vector<Cell>& cells) {
  std::FILE* file = files_[std::hash<std::string_view>{}(name) % files_.size()].get();
  const auto append = [&](const auto& part) {
    buffer_.append(reinterpret_cast<const char*>(&part), sizeof(part));
  };
  buffer_.clear();
  append(Head{number, static_cast<std::uint32_t>(cells.size())});
  for (const Cell& cell : cells) {
    append(Size{static_cast<std::uint32_t>(cell.text.size()), cell.number ? 1u : 0u,
                cell.number.value_or(0)});
    buffer_.append(cell.text);
  }
  put(file, buffer_.data(), buffer_.size());
}

void RowParts::read(
    std::size_t part,
    const std::function<void(std::size_t number, const std::vector<Cell>& cells)>& row) {
  std::FILE* file = files_[part].get();
  if (std::fflush(file) != 0) refuse(std::strerror(errno));
  std::rewind(file);
  Head head{};
  std::vector<std::string> texts;
  std::vector<Cell> cells;
  while (get(file, head)) {
    texts.resize(head.cells);
    cells.resize(head.cells);
    for (std::size_t c = 0; c < head.cells; ++c) {
      Size size{};
      if (!get(file, size)) refuse("cut short");
      texts[c].resize(size.bytes);
      if (size.bytes > 0 && std::fread(texts[c].data(), size.bytes, 1, file) != 1)
        refuse("cut short");
      cells[c] = {texts[c], size.has_number != 0 ? std::optional(size.value) : std::nullopt};
    }
    row(static_cast<std::size_t>(head.number), cells);
  }
  files_[part].reset();
}

}  // namespace brace::inline v0
