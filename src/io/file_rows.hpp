// SPDX-License-Identifier: Apache-2.0
// A file's rows on the way to numbers: its header and the choice of columns, which a file has once,
// and the rows of one series, of which a file may hold many.
//
//   class OneTable : public FileRows { void take(...) override { rows_.take(number, cells); } };
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "brace/io/table.hpp"
#include "io/cell_reader.hpp"
#include "io/column_choice.hpp"
#include "io/date_reader.hpp"
#include "io/row_cleaning.hpp"
#include "io/rows.hpp"

namespace brace::inline v0 {

// What holds for all rows of a file.
struct FileShape {
  std::string path;
  ReadOptions options;
  std::vector<std::string> names;  // of all columns
  ColumnChoice chosen;
  std::vector<std::string> notes;  // of how the file is written
};

// The rows of one series as they come.
class SeriesRows {
 public:
  // Both must outlive it.
  SeriesRows(const FileShape& shape, const CellReader& cells,
             std::shared_ptr<ParsedDays> days = {});

  // Throws Error (not_a_number, not_finite, bad_date) naming row and column. With `by_column`, one
  // for each column of values, a bad value is kept there, the first of its column, and read as
  // missing.
  using ColumnErrors = std::vector<std::optional<Error>>;
  void take(std::size_t number, const std::vector<Cell>& cells, ColumnErrors* by_column = nullptr);
  void reserve(std::size_t rows);
  [[nodiscard]] std::size_t size() const { return read_.numbers.size(); }

  // All rows with their dates, as in_order() takes them. Throws Error (date_ambiguous). The rows
  // are given up.
  [[nodiscard]] RowsRead finish();

 private:
  void count_drop(const std::string& because);
  void take_dates();

  const FileShape& shape_;
  const CellReader& cells_;
  DateReader dates_;
  std::size_t rows_read_ = 0;
  RowsRead read_;
  std::vector<std::pair<std::string, std::size_t>> dropped_;
};

class FileRows : public RowSink {
 public:
  FileRows(const std::string& path, const ReadOptions& options, ColumnQuestion::Purpose purpose);

  void row(std::size_t number, const std::vector<Cell>& cells) override;
  [[nodiscard]] const std::vector<bool>& wanted() const final { return wanted_; }
  void progress(std::size_t bytes, std::size_t total) final;

  // After the last row. Throws Error (file_empty).
  void end();
  void note(std::string text) { shape_.notes.push_back(std::move(text)); }
  // The share of the file's bytes that was read; 0 where its length is not known.
  [[nodiscard]] double share_read() const { return share_read_; }

 protected:
  // The columns are chosen; the first rows follow.
  virtual void begin() = 0;
  virtual void take(std::size_t number, const std::vector<Cell>& cells) = 0;
  // A row that has not as many cells as the header; as a rule an Error, and for good.
  virtual void take_misfit(const std::vector<Cell>& cells, const Error& error) {
    (void)cells;
    throw error;
  }
  // Of the whole file, by the length of the rows so far; called once.
  virtual void expect(double share_read) { (void)share_read; }
  [[nodiscard]] const FileShape& shape() const { return shape_; }
  [[nodiscard]] const CellReader& cells() const { return cells_; }
  [[nodiscard]] bool is_chosen() const { return is_chosen_; }
  // The first rows, while begin() runs.
  [[nodiscard]] const std::vector<TriedRow>& tried() const { return tried_; }

 private:
  void take_header(std::size_t number, const std::vector<Cell>& cells);
  void take_row(std::size_t number, const std::vector<Cell>& cells);
  [[nodiscard]] bool may_be_a_remark(const std::vector<Cell>& cells) const;
  void take_remarks_as_rows();
  void note_remarks();
  [[nodiscard]] bool has_nameless_first_column(const std::vector<Cell>& cells) const;
  [[nodiscard]] bool only_titles_before(const std::vector<Cell>& header) const;
  [[nodiscard]] bool only_a_remark_before(const std::vector<Cell>& header) const;
  [[nodiscard]] bool may_be_header(const std::vector<Cell>& cells) const;
  void note_title(std::size_t number, const std::string& title);
  void note_titles();
  void choose();

  FileShape shape_;
  ColumnQuestion::Purpose purpose_;
  CellReader cells_;
  std::vector<TriedRow> tried_;
  std::vector<TriedRow> remarks_;  // below the rows so far; rows themselves if others follow
  bool is_chosen_ = false, sized_ = false;
  std::vector<bool> wanted_;
  std::size_t taken_ = 0, header_row_ = 0;
  double share_read_ = 0;
};

// A column of it, by position, as a series, with those that `companions` names beside it.
[[nodiscard]] Series series_of(const Table& table, const std::vector<std::string>& companions,
                               std::size_t column = 0);

}  // namespace brace::inline v0
