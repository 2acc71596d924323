// SPDX-License-Identifier: Apache-2.0
// CSV through libcsv, in blocks. Covered by tests/io/csv_test.cpp and fuzz/read_table_fuzz.cpp.
#include "brace/io/csv.hpp"

#include <csv.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <memory>
#include <utility>
#include <vector>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "io/rows.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::string_view kByteOrderMark = "\xEF\xBB\xBF";

// Collects the cells of one row and hands it on.
class RowCollector {
 public:
  explicit RowCollector(RowSink& sink) : sink_(sink) {}

  void cell(std::string_view text) {
    if (used_ == ends_.size()) ends_.push_back(0);
    if (used_ >= wanted_.size() || wanted_[used_]) bytes_.append(text);
    ends_[used_++] = bytes_.size();
  }

  // `ending` is the sign that ended the row. A CR and its LF end one row between them; a line
  // without cells is counted and passed over.
  void row(int ending) {
    const bool second_half = used_ == 0 && ending == '\n' && last_ending_ == '\r';
    last_ending_ = ending;
    if (second_half) return;
    ++rows_;
    if (used_ == 0) return;
    cells_.resize(used_);
    std::size_t begin = 0;
    for (std::size_t c = 0; c < used_; ++c) {
      cells_[c].text = std::string_view(bytes_).substr(begin, ends_[c] - begin);
      begin = ends_[c];
    }
    sink_.row(rows_, cells_);
    if (wanted_.empty()) wanted_ = sink_.wanted();
    bytes_.clear();
    used_ = 0;
  }

  [[nodiscard]] std::size_t rows() const { return rows_; }
  [[nodiscard]] std::size_t held() const { return bytes_.size() + used_; }

 private:
  RowSink& sink_;
  std::vector<bool> wanted_;
  std::string bytes_;
  std::vector<std::size_t> ends_;
  std::vector<Cell> cells_;
  std::size_t used_ = 0, rows_ = 0;
  int last_ending_ = 0;
};

// libcsv is C: an exception must not pass through it, so it is kept and thrown on the other side.
struct Bridge {
  RowCollector* collector;
  std::exception_ptr thrown;
};

template <class F>
void guarded(void* data, F call) {
  auto* bridge = static_cast<Bridge*>(data);
  if (bridge->thrown) return;
  try {
    call(*bridge->collector);
  } catch (...) {
    bridge->thrown = std::current_exception();
  }
}

void on_cell(void* cell, std::size_t size, void* data) {
  guarded(data, [&](RowCollector& c) { c.cell({static_cast<const char*>(cell), size}); });
}

void on_row(int ending, void* data) {
  guarded(data, [&](RowCollector& c) { c.row(ending); });
}

constexpr std::string_view kMarks = ",;\t|";
using MarkCounts = std::array<std::size_t, kMarks.size()>;

// How often each mark stands outside quotes in the first lines that have one.
std::vector<MarkCounts> marks_of_lines(std::string_view text, std::size_t lines) {
  std::vector<MarkCounts> out;
  MarkCounts counts{};
  bool quoted = false;
  for (const char c : text) {
    if (c == '"') quoted = !quoted;
    if (quoted) continue;
    if (c == '\n' || c == '\r') {
      if (counts != MarkCounts{}) out.push_back(std::exchange(counts, {}));
      if (out.size() == lines) return out;
    } else if (const auto at = kMarks.find(c); at != std::string_view::npos) {
      ++counts[at];
    }
  }
  if (out.empty()) out.push_back(counts);  // one line, and no end to it
  return out;
}

// Whether the first line with a comma is a number alone, below one without a comma: a column of
// decimals and its name.
bool begins_in_numbers(std::string_view text) {
  const std::size_t comma = text.find(',');
  if (comma == std::string_view::npos) return false;
  const std::size_t begin = text.find_last_of("\r\n", comma);
  if (begin == std::string_view::npos) return false;
  const std::string_view line =
      text.substr(begin + 1, text.find_first_of("\r\n", comma) - begin - 1);
  return line.find_first_not_of(" +-.,0123456789") == std::string_view::npos;
}

// The mark that stands most often in the first line, a comma where none does. Where the lines below
// differ in it and agree in another, which the first has not, that is a title with a comma in it.
// Commas that stand below the header alone may be those of decimals.
char recognise_mark(std::string_view text, bool decimal_comma) {
  constexpr std::size_t kLines = 20, kFewest = 4;
  const std::vector<MarkCounts> lines = marks_of_lines(text, kLines);
  const MarkCounts& first = lines.front();
  const auto of_first =
      static_cast<std::size_t>(std::max_element(first.begin(), first.end()) - first.begin());
  const auto agree = [&](std::size_t mark, std::size_t from) {
    return lines[from][mark] > 0 &&
           std::all_of(lines.begin() + static_cast<std::ptrdiff_t>(from), lines.end(),
                       [&](const MarkCounts& line) { return line[mark] == lines[from][mark]; });
  };
  if (lines.size() >= kFewest && !agree(of_first, 0))
    for (std::size_t other = 0; other < kMarks.size(); ++other)
      if (first[other] == 0 && agree(other, 1)) return kMarks[other];
  return decimal_comma && kMarks[of_first] == ',' && begins_in_numbers(text) ? ';'
                                                                             : kMarks[of_first];
}

class CsvStream : public RowStream {
 public:
  CsvStream(const std::string& path, const ReadOptions& options, RowSink& sink)
      : path_(path),
        mark_(options.column_mark),
        decimal_comma_(options.decimal_comma),
        sink_(sink),
        collector_(sink),
        bridge_{&collector_, nullptr} {
    open();
    if (csv_init(&parser_, CSV_STRICT | CSV_STRICT_FINI | CSV_REPALL_NL) != 0)
      throw Error(ErrorCode::file_missing, fmt::format("{}: out of memory while reading", path));
  }
  ~CsvStream() override { csv_free(&parser_); }
  CsvStream(const CsvStream&) = delete;
  CsvStream& operator=(const CsvStream&) = delete;

  bool advance() override {
    std::istream& in = path_ == "-" ? std::cin : file_;
    in.read(block_.data(), static_cast<std::streamsize>(block_.size()));
    std::string_view content(block_.data(), static_cast<std::size_t>(in.gcount()));
    if (content.empty()) {
      require_unchanged();
      check(csv_fini(&parser_, on_cell, on_row, &bridge_) == 0);
      return false;
    }
    if (bytes_ == 0) look_at_first(content);
    bytes_ += static_cast<std::size_t>(in.gcount());
    check(csv_parse(&parser_, content.data(), content.size(), on_cell, on_row, &bridge_) ==
          content.size());
    sink_.progress(bytes_, total_);
    return true;
  }

  [[nodiscard]] std::string note() const override {
    if (mark_.value_or(',') == ',') return "";
    return fmt::format("cells are separated by {}", mark_ == ';'   ? "semicolons"
                                                    : mark_ == '|' ? "vertical bars"
                                                                   : "tabs");
  }

 private:
  void open() {
    if (path_ == "-") return;
    std::error_code none;
    if (std::filesystem::is_directory(path_, none))
      throw Error(ErrorCode::file_missing,
                  fmt::format("{}: is a folder; name a file in it", path_));
    file_.open(path_, std::ios::binary);
    if (!file_)
      throw Error(ErrorCode::file_missing, fmt::format("{}: {}; check the name", path_,
                                                       errno == ENOENT   ? "there is no such file"
                                                       : errno == EACCES ? "may not be read"
                                                                         : std::strerror(errno)));
    total_ = std::filesystem::file_size(path_, none);
    if (none) total_ = 0;
    written_ = std::filesystem::last_write_time(path_, none);
  }

  // What is written to while it is read may hold half a row, or halves of two files.
  void require_unchanged() const {
    std::error_code none;
    if (total_ == 0 || !std::filesystem::is_regular_file(path_, none)) return;
    if (bytes_ != total_ || std::filesystem::last_write_time(path_, none) != written_)
      throw Error(ErrorCode::file_missing,
                  fmt::format("{}: was changed while it was read; start again when it is written, "
                              "or read a copy of it",
                              path_));
  }

  void look_at_first(std::string_view& content) {
    if (content.starts_with(kByteOrderMark)) content.remove_prefix(kByteOrderMark.size());
    if (content.find('\0') != std::string_view::npos)
      throw Error(ErrorCode::not_a_number,
                  fmt::format("{}: holds zero bytes, so it is no CSV text in UTF-8; save it as "
                              "CSV (UTF-8) first",
                              path_));
    if (!mark_) mark_ = recognise_mark(content, decimal_comma_);
    csv_set_delim(&parser_, static_cast<unsigned char>(*mark_));
  }

  void check(bool parsed) {
    if (bridge_.thrown) std::rethrow_exception(bridge_.thrown);
    if (!parsed)
      throw Error(
          ErrorCode::not_a_number,
          fmt::format("{} row {}: the quotes of a cell do not match; one inside a quoted cell is "
                      "written twice",
                      path_, text::count(collector_.rows() + 1)));
    if (csv_get_buffer_size(&parser_) > kLongestRow || collector_.held() > kLongestRow)
      throw Error(ErrorCode::not_a_number,
                  fmt::format("{} row {}: is longer than a million signs; is a quote left open, or "
                              "is it no CSV file?",
                              path_, text::count(collector_.rows() + 1)));
  }

  std::string path_;
  std::optional<char> mark_;
  bool decimal_comma_;
  RowSink& sink_;
  RowCollector collector_;
  Bridge bridge_;
  csv_parser parser_{};
  std::ifstream file_;
  std::vector<char> block_ = std::vector<char>(1 << 16);
  std::size_t bytes_ = 0, total_ = 0;
  std::filesystem::file_time_type written_;
};

}  // namespace

std::unique_ptr<RowStream> csv_stream(const std::string& path, const ReadOptions& options,
                                      RowSink& sink) {
  return std::make_unique<CsvStream>(path, options, sink);
}

Series read_csv(const std::string& path, const ReadOptions& options) {
  return read_series(path, options);
}

std::string csv_text(const std::vector<std::vector<std::string>>& rows) {
  std::string out;
  for (const auto& row : rows) {
    for (std::size_t c = 0; c < row.size(); ++c) {
      if (c > 0) out += ',';
      if (row[c].find_first_of(",\"\r\n") == std::string::npos) {
        out += row[c];
        continue;
      }
      std::string quoted(2 * row[c].size() + 2, '\0');
      quoted.resize(csv_write(quoted.data(), quoted.size(), row[c].data(), row[c].size()));
      out += quoted;
    }
    out += '\n';
  }
  return out;
}

}  // namespace brace::inline v0
