// SPDX-License-Identifier: Apache-2.0
// Many series from files, each handed on as soon as it is whole. Covered by
// tests/io/universe_test.cpp.
#include "brace/io/universe.hpp"

#include <fmt/format.h>
#include <glob.h>

#include <algorithm>
#include <deque>
#include <filesystem>
#include <map>
#include <unordered_set>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "io/encoding.hpp"
#include "io/file_rows.hpp"
#include "io/row_parts.hpp"

namespace brace::inline v0 {
namespace {

namespace fs = std::filesystem;

// A long file whose series are interleaved is held in memory up to this many bytes of it, and cut
// into parts of half as many beyond.
constexpr std::size_t kHeldInMemory = 256u << 20;

// ---- A column of names ----

// A name stands in more than one place of a file that was taken to hold each series in one piece.
struct Interleaved {};

class LongRows final : public FileRows, public std::enable_shared_from_this<LongRows> {
 public:
  enum class Order { unknown, in_pieces, interleaved };

  LongRows(const std::string& path, const ReadOptions& options, const std::string& each,
           Order order)
      : FileRows(path, options, {.one_value = true, .every_column = false, .each = each}),
        order_(order) {}

  // What is whole so far.
  std::optional<SeriesFound> pop() {
    if (ready_.empty() && at_end_) load_more();
    if (ready_.empty()) return std::nullopt;
    Ready next = std::move(ready_.front());
    ready_.pop_front();
    return found(std::move(next));
  }
  void finish() {
    end();
    at_end_ = true;
  }
  // The columns are chosen, so that what is wrong with the file as a whole is known.
  [[nodiscard]] bool has_begun() const { return is_chosen(); }
  // Of series in one piece each: where they are not, the rows come first and the work later.
  [[nodiscard]] std::optional<double> share() const {
    return order_ == Order::in_pieces && share_read() > 0 ? std::optional(share_read())
                                                          : std::nullopt;
  }
  // Known once all rows are held.
  [[nodiscard]] std::optional<std::size_t> series() const {
    return at_end_ && order_ == Order::interleaved && !parts_ ? std::optional(groups_.size())
                                                              : std::nullopt;
  }

 private:
  struct Group {
    Group(std::string called, const FileShape& shape, const CellReader& cells,
          const std::shared_ptr<ParsedDays>& days)
        : name(std::move(called)), rows(shape, cells, days) {}
    std::string name;
    SeriesRows rows;
    std::optional<Error> error;  // the first
  };
  // A series that waits to be asked for: its rows, or why there are none.
  struct Ready {
    std::string name;
    std::shared_ptr<RowsRead> rows;
    std::optional<Error> error;
  };

  void begin() override {
    days_ = std::make_shared<ParsedDays>();
    if (order_ == Order::unknown) order_ = order_of_first_rows();
    for (const auto& [cells, error] : misfits_) {
      std::vector<Cell> views(cells.size());
      for (std::size_t c = 0; c < cells.size(); ++c) views[c].text = cells[c];
      take_misfit(views, error);
    }
    misfits_.clear();
    std::error_code none;
    const std::size_t bytes = shape().path == "-" ? 16 * kHeldInMemory
                              : shape().options.query
                                  ? 0
                                  : static_cast<std::size_t>(fs::file_size(shape().path, none));
    if (order_ == Order::interleaved && !none && bytes > kHeldInMemory)
      parts_.emplace(bytes / (kHeldInMemory / 2) + 1);
  }

  [[nodiscard]] Order order_of_first_rows() const {
    if (shape().path == "-") return Order::interleaved;  // there is no second look
    const std::size_t each = *shape().chosen.each;
    std::unordered_set<std::string> seen;
    std::string before;
    for (const TriedRow& row : tried()) {
      const std::string name(text::trimmed(row.texts[each]));
      if (name != before && !seen.insert(name).second) return Order::interleaved;
      before = name;
    }
    return Order::in_pieces;
  }

  void take(std::size_t number, const std::vector<Cell>& cells) override {
    // Series of which no row is kept are not there.
    for (const auto& [c, text] : shape().chosen.where)
      if (text::trimmed(cells[c].text) != text) return;
    const std::string_view name = text::trimmed(cells[*shape().chosen.each].text);
    if (order_ == Order::interleaved) {
      if (parts_)
        parts_->add(name, number, cells);
      else
        add(gathered(name), number, cells);
      return;
    }
    if (!current_ || current_->name != name) {
      if (current_) hand_on(std::move(current_));
      if (!names_.emplace(name).second) throw Interleaved();
      current_ = group(name);
    }
    add(*current_, number, cells);
  }

  void take_misfit(const std::vector<Cell>& cells, const Error& error) override {
    if (!is_chosen()) {
      std::vector<std::string> texts;
      for (const Cell& cell : cells) texts.emplace_back(cell.text);
      misfits_.emplace_back(std::move(texts), error);
      return;
    }
    const std::size_t each = *shape().chosen.each;
    const std::string name(each < cells.size() ? text::trimmed(cells[each].text) : "");
    if (order_ == Order::in_pieces && (!current_ || current_->name != name) &&
        names_.contains(name))
      throw Interleaved();  // it was handed on as if it were whole
    refused_.emplace(name, error);
  }

  [[nodiscard]] std::unique_ptr<Group> group(std::string_view name) const {
    return std::make_unique<Group>(std::string(name), shape(), cells(), days_);
  }
  static void add(Group& group, std::size_t number, const std::vector<Cell>& cells) {
    if (group.error) return;
    try {
      group.rows.take(number, cells);
    } catch (const Error& error) {
      group.error = error;
    }
  }
  Group& gathered(std::string_view name) {
    const auto known = numbers_.find(name);
    if (known) return *groups_[*known];
    numbers_.add(std::string(name));
    return *groups_.emplace_back(group(name));
  }

  void hand_on(std::unique_ptr<Group> group) {
    std::optional<Error> error = std::move(group->error);
    if (const auto refused = refused_.find(group->name); refused != refused_.end()) {
      if (!error) error = refused->second;
      refused_.erase(refused);
    }
    auto rows = std::make_shared<RowsRead>();
    if (!error) try {
        *rows = group->rows.finish();
      } catch (const Error& ambiguous) {
        error = ambiguous;
      }
    ready_.push_back({shown(group->name), std::move(rows), std::move(error)});
  }

  // What is handed out needs the file's shape, and holds on to it; what waits here does not, or the
  // one would keep the other for ever where a reading is given up.
  SeriesFound found(Ready ready) {
    return {std::move(ready.name), [self = shared_from_this(), rows = std::move(ready.rows),
                                    error = std::move(ready.error)] {
              if (error) throw *error;
              const FileShape& shape = self->shape();
              return series_of(in_order({shape.path, shape.options, shape.chosen, shape.names},
                                        std::move(*rows)),
                               shape.options.companions);
            }};
  }

  // After the last row: what is left, one piece at a time.
  void load_more() {
    if (current_) hand_on(std::move(current_));
    if (next_group_ == groups_.size() && parts_) {
      groups_.clear();
      numbers_ = {};
      next_group_ = 0;
      while (groups_.empty() && next_part_ < parts_->count())
        parts_->read(next_part_++, [&](std::size_t number, const std::vector<Cell>& cells) {
          add(gathered(text::trimmed(cells[*shape().chosen.each].text)), number, cells);
        });
    }
    if (next_group_ < groups_.size()) {
      hand_on(std::move(groups_[next_group_++]));
    } else if (ready_.empty()) {
      // Names of which no row could be read.
      for (const auto& [name, error] : refused_) ready_.push_back({shown(name), nullptr, error});
      refused_.clear();
    }
  }
  static std::string shown(const std::string& name) {
    if (name.empty()) return "(no name)";
    return is_utf8(name) ? name : from_latin(name);
  }

  Order order_;
  std::shared_ptr<ParsedDays> days_;
  std::vector<std::pair<std::vector<std::string>, Error>> misfits_;  // before the choice
  std::map<std::string, Error, std::less<>> refused_;                // by a row of theirs
  std::unique_ptr<Group> current_;
  std::unordered_set<std::string> names_;
  TextNumbers numbers_;  // of groups_
  std::vector<std::unique_ptr<Group>> groups_;
  std::optional<RowParts> parts_;
  std::size_t next_group_ = 0, next_part_ = 0;
  std::deque<Ready> ready_;
  bool at_end_ = false;
};

// Where the names of a database's table stand in one piece each.
std::string query_of_only_table(const std::string& path, const std::string& each) {
  const std::vector<std::string> tables = tables_of(path);
  if (tables.size() != 1)
    throw Error(
        ErrorCode::bad_query,
        fmt::format("{}: holds {} ({}); say what to read with `query`, such as 'select "
                    "date, {}, price from {} order by {}'",
                    path, text::plural(tables.size(), "table", "tables"), fmt::join(tables, ", "),
                    each, tables.empty() ? "t" : tables.front(), each));
  const auto quoted = [](const std::string& name) {
    std::string out = "\"";
    for (const char c : name) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
  };
  return fmt::format("select * from {} order by {}", quoted(tables.front()), quoted(each));
}

class LongUniverse final : public Universe {
 public:
  LongUniverse(std::string path, ReadOptions options, std::string each)
      : path_(std::move(path)), options_(std::move(options)), each_(std::move(each)) {
    if (!options_.query && path_ != "-" && is_database(path_))
      options_.query = query_of_only_table(path_, each_);
    open(LongRows::Order::unknown);
    while (stream_ && !rows_->has_begun()) advance();
  }

  std::optional<SeriesFound> next() override {
    while (true) {
      if (auto found = rows_->pop()) return found;
      if (!stream_) return std::nullopt;
      advance();
    }
  }
  [[nodiscard]] std::optional<std::size_t> size() const override { return rows_->series(); }
  [[nodiscard]] std::optional<double> share_read() const override { return rows_->share(); }

 private:
  void open(LongRows::Order order) {
    rows_ = std::make_shared<LongRows>(path_, options_, each_, order);
    stream_ = options_.query ? query_stream(path_, *options_.query, *rows_)
                             : csv_stream(path_, options_, *rows_);
  }

  void advance() {
    try {
      if (stream_->advance()) return;
      if (const std::string note = stream_->note(); !note.empty()) rows_->note(note);
      stream_.reset();
      rows_->finish();
    } catch (const Interleaved&) {
      // From the beginning, all series held together; those handed on are handed on again.
      open(LongRows::Order::interleaved);
    }
  }

  std::string path_;
  ReadOptions options_;
  std::string each_;
  std::shared_ptr<LongRows> rows_;
  std::unique_ptr<RowStream> stream_;
};

// Names that stand twice are told apart by a number.
class DistinctNames {
 public:
  std::string operator()(const std::string& name) {
    const std::size_t times = ++times_[name];
    return times == 1 ? name : (*this)(fmt::format("{} ({})", name, times));
  }

 private:
  std::map<std::string, std::size_t> times_;
};

// ---- A column a series ----

class WideRows final : public FileRows {
 public:
  WideRows(const std::string& path, const ReadOptions& options)
      : FileRows(path, options, {.one_value = false, .every_column = true, .each = {}}) {}

  Table finish() {
    end();
    return in_order({shape().path, shape().options, shape().chosen, shape().names},
                    rows_->finish());
  }
  [[nodiscard]] const SeriesRows::ColumnErrors& errors() const { return errors_; }

 private:
  void begin() override {
    rows_.emplace(shape(), cells());
    errors_.resize(shape().chosen.values.size());
  }
  void take(std::size_t number, const std::vector<Cell>& cells) override {
    rows_->take(number, cells, &errors_);
  }

  std::optional<SeriesRows> rows_;
  SeriesRows::ColumnErrors errors_;
};

class WideUniverse final : public Universe {
 public:
  WideUniverse(const std::string& path, const ReadOptions& options) {
    WideRows rows(path, options);
    const std::unique_ptr<RowStream> stream =
        options.query ? query_stream(path, *options.query, rows) : csv_stream(path, options, rows);
    while (stream->advance()) {
    }
    if (const std::string note = stream->note(); !note.empty()) rows.note(note);
    table_ = std::make_shared<const Table>(rows.finish());
    errors_ = rows.errors();
  }

  std::optional<SeriesFound> next() override {
    if (next_ == table_->columns.size()) return std::nullopt;
    const std::size_t k = next_++;
    return SeriesFound{names_(table_->columns[k].name), [table = table_, error = errors_[k], k] {
                         if (error) throw *error;
                         return series_of(*table, {}, k);
                       }};
  }
  [[nodiscard]] std::optional<std::size_t> size() const override { return table_->columns.size(); }

 private:
  std::shared_ptr<const Table> table_;
  SeriesRows::ColumnErrors errors_;
  DistinctNames names_;
  std::size_t next_ = 0;
};

// ---- A file a series ----

std::vector<std::string> files_of(const std::string& path) {
  std::vector<std::string> files;
  std::error_code none;
  if (fs::is_directory(path, none)) {
    for (const fs::directory_entry& entry : fs::directory_iterator(path))
      if (entry.is_regular_file(none) && entry.path().extension() == ".csv")
        files.push_back(entry.path().string());
    if (files.empty())
      throw Error(ErrorCode::file_missing,
                  path + ": the folder holds no .csv file; name another, or a pattern of files");
  } else if (path.find_first_of("*?[") != std::string::npos) {
    glob_t found{};
    if (glob(path.c_str(), 0, nullptr, &found) == 0)
      for (std::size_t i = 0; i < found.gl_pathc; ++i) files.emplace_back(found.gl_pathv[i]);
    globfree(&found);
    if (files.empty())
      throw Error(ErrorCode::file_missing,
                  path + ": no file is called so; check the pattern, which stands in quotes");
  } else if (!fs::exists(path, none)) {
    throw Error(ErrorCode::file_missing, path + ": there is no such file; check the name");
  } else {
    throw Error(ErrorCode::bad_option,
                path +
                    ": one file of many series needs `each`: the column of their names, or "
                    "`each` column where every column is one");
  }
  std::sort(files.begin(), files.end());
  return files;
}

class FilesUniverse final : public Universe {
 public:
  FilesUniverse(const std::string& path, ReadOptions options)
      : options_(std::move(options)), files_(files_of(path)) {
    for (const std::string& file : files_) ++stems_[fs::path(file).stem().string()];
  }

  std::optional<SeriesFound> next() override {
    if (next_ == files_.size()) return std::nullopt;
    const std::string& file = files_[next_++];
    std::string stem = fs::path(file).stem().string();
    return SeriesFound{stems_[stem] == 1 ? stem : file,
                       [file, options = options_] { return read_series(file, options); }};
  }
  [[nodiscard]] std::optional<std::size_t> size() const override { return files_.size(); }

 private:
  ReadOptions options_;
  std::vector<std::string> files_;
  std::map<std::string, std::size_t> stems_;
  std::size_t next_ = 0;
};

// ---- In memory ----

class HeldUniverse final : public Universe {
 public:
  explicit HeldUniverse(std::vector<Series> series) : series_(std::move(series)) {}
  std::optional<SeriesFound> next() override {
    if (next_ == series_.size()) return std::nullopt;
    Series& one = series_[next_++];
    return SeriesFound{names_(one.name), [held = std::make_shared<Series>(std::move(one))] {
                         return std::move(*held);
                       }};
  }
  [[nodiscard]] std::optional<std::size_t> size() const override { return series_.size(); }

 private:
  std::vector<Series> series_;
  DistinctNames names_;
  std::size_t next_ = 0;
};

}  // namespace

std::unique_ptr<Universe> open_universe(const std::string& path, const ReadOptions& options,
                                        const std::optional<std::string>& each) {
  if (!each) return std::make_unique<FilesUniverse>(path, options);
  if (*each == kEachColumn) return std::make_unique<WideUniverse>(path, options);
  return std::make_unique<LongUniverse>(path, options, *each);
}

std::unique_ptr<Universe> universe_of(std::vector<Series> series) {
  return std::make_unique<HeldUniverse>(std::move(series));
}

}  // namespace brace::inline v0
