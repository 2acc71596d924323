// SPDX-License-Identifier: Apache-2.0
// How fast are files read, as multiples of a plain scan of the same bytes in memory (counting line
// ends), and of libcsv alone handing its cells to nobody.
//   brace_reader_bench            a table of ratios
//   brace_reader_bench --limit    exit status 1 where a ratio exceeds its limit
#include <csv.h>
#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>

#include "brace/base/date.hpp"
#include "brace/io/files.hpp"
#include "brace/io/table.hpp"
#include "brace/maths/random.hpp"
#include "ratios.hpp"

namespace {

constexpr int kRows = 200'000;

// Minutes of a made-up market: time, open, high, low, close, volume.
class MadeUpFile {
 public:
  MadeUpFile()
      : path_(
            (std::filesystem::temp_directory_path() / fmt::format("brace-bench-{}.csv", ::getpid()))
                .string()) {
    brace::maths::RandomStream stream(7, 0);
    std::string text = "time,open,high,low,close,volume\n";
    brace::Timestamp when = *brace::parse_date("2020-01-01");
    double price = 100;
    for (int i = 0; i < kRows; ++i, when += std::chrono::minutes(1)) {
      price *= 1 + 1e-4 * stream.normal();
      text += fmt::format(
          "{}:00,{:.4f},{:.4f},{:.4f},{:.4f},{:.0f}\n",
          i % 1440 == 0 ? brace::format_date(when) + " 00:00" : brace::format_date(when), price,
          1.001 * price, 0.999 * price, 1.0002 * price, 9000 * stream.uniform());
    }
    brace::write_whole(path_, text);
    text_ = std::move(text);
  }
  ~MadeUpFile() {
    std::error_code ignored;
    std::filesystem::remove(path_, ignored);
  }
  MadeUpFile(const MadeUpFile&) = delete;
  MadeUpFile& operator=(const MadeUpFile&) = delete;
  [[nodiscard]] const std::string& path() const { return path_; }
  [[nodiscard]] const std::string& text() const { return text_; }

 private:
  std::string path_, text_;
};

void scan(benchmark::State& state, const MadeUpFile& file) {
  for (auto _ : state) {
    std::size_t lines = 0;
    for (const char c : file.text()) lines += c == '\n';
    benchmark::DoNotOptimize(lines);
  }
}

void parser_alone(benchmark::State& state, const MadeUpFile& file) {
  for (auto _ : state) {
    csv_parser parser;
    csv_init(&parser, CSV_STRICT);
    std::size_t cells = 0;
    csv_parse(
        &parser, file.text().data(), file.text().size(),
        [](void*, std::size_t, void* data) { ++*static_cast<std::size_t*>(data); }, nullptr,
        &cells);
    csv_free(&parser);
    benchmark::DoNotOptimize(cells);
  }
}

void whole_table(benchmark::State& state, const MadeUpFile& file) {
  for (auto _ : state) {
    const brace::Table table = brace::read_table(file.path());
    if (table.rows() != kRows || table.columns.size() != 5) state.SkipWithError("not all was read");
  }
}

void one_series(benchmark::State& state, const MadeUpFile& file) {
  for (auto _ : state)
    if (brace::read_series(file.path(), {.value = "close"}).size() != kRows)
      state.SkipWithError("not all was read");
}

}  // namespace

int main(int argc, char** argv) {
  const MadeUpFile file;
  benchmark::RegisterBenchmark("scan", scan, std::cref(file));
  benchmark::RegisterBenchmark("parser alone", parser_alone, std::cref(file));
  benchmark::RegisterBenchmark("series", one_series, std::cref(file));
  benchmark::RegisterBenchmark("table", whole_table, std::cref(file));
  const std::string rows = "200,000 rows of 6, in ";
  return brace::bench::run(argc, argv,
                           {{"parser alone", rows + "parser alone", {{"series", 4}, {"table", 5}}},
                            {"scan",
                             rows + "scans of the bytes",
                             {{"parser alone", {}}, {"series", {}}, {"table", {}}}}});
}
