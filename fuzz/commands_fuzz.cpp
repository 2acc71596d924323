// SPDX-License-Identifier: Apache-2.0
// Whole commands, with options and a series that the bytes choose: an answer by an exit status that
// is documented, and no number that is none.
#include <fmt/format.h>

#include <iostream>
#include <sstream>
#include <vector>

#include "brace/io/files.hpp"
#include "promises.hpp"
#include "tool.hpp"

namespace {

class Bytes {
 public:
  Bytes(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}
  int next() { return at_ < size_ ? data_[at_++] : 0; }
  int below(int n) { return next() % n; }
  const char* one_of(const std::vector<const char*>& words) {
    return words[static_cast<std::size_t>(next()) % words.size()];
  }

 private:
  const std::uint8_t* data_;
  std::size_t size_, at_ = 0;
};

// 10 to 120 rows; steps, ties, gaps and jumps as the bytes say.
std::string series(Bytes& bytes) {
  std::string text = "date,price,lots\n";
  double price = 1 + bytes.next();
  const int rows = 10 + bytes.below(111), kind = bytes.below(6), step = kind == 5 ? 30 : 1;
  for (int t = 0; t < rows; ++t) {
    const int b = bytes.next();
    price *= 1 + (b - 127) / (kind == 1 ? 200. : 20000.);
    const std::string value = kind == 2 && b % 7 == 0    ? ""
                              : kind == 3                ? fmt::format("{}", 100 + b / 64)
                              : kind == 4 && b % 50 == 0 ? fmt::format("{}", price * 1e6)
                                                         : fmt::format("{}", price);
    const int day = t * step;
    text += fmt::format("{}-{:02}-{:02},{},{}\n", 2015 + day / 336, 1 + day / 28 % 12, 1 + day % 28,
                        value, b);
  }
  return text;
}

std::vector<std::string> words_of(Bytes& bytes, const std::string& path) {
  const std::string command =
      bytes.one_of({"inspect", "unitroot", "lags", "season", "breaks", "search", "fit", "check",
                    "compare", "forecast", "backtest"});
  std::vector<std::string> words{command, path, "--value",
                                 bytes.one_of({"price", "price", "price", "lots", "2", "date"})};
  const auto add = [&](std::vector<std::string> more) {
    words.insert(words.end(), more.begin(), more.end());
  };
  if (bytes.below(3) > 0)
    add({bytes.one_of({"--returns", "--returns", "--transform"}),
         bytes.one_of({"log", "simple", "diff1", "boxcox", "log diff1"})});
  if (bytes.below(6) == 0) add({"--hold-out", bytes.one_of({"1", "5", ".2", "2016-01-01", "200"})});
  if (bytes.below(6) == 0) add({"--rows", bytes.one_of({"5..50", "1..", "..20", "40..10"})});
  if (bytes.below(6) == 0) add({"--every", bytes.one_of({"day", "month", "business-day", "hour"})});
  if (bytes.below(8) == 0)
    add({"--regroup", bytes.one_of({"week:last", "month:mean", "quarter:sum"})});
  if (bytes.below(8) == 0) add({"--absent", bytes.one_of({"keep", "missing", "automatic"})});
  const char* line = bytes.one_of(
      {"const", "const ar1", "zero ma1", "const trend ar1 ma1", "const / garch",
       "const / gjr / student", "const / egarch / ged", "const / aparch / skew-student",
       "const / arch e1,2", "const ar1 / ewma", "const / igarch", "const / twocomp", "diff1 ar1",
       "const sar1 season 5", "const with lots", "const / garch with lots",
       "const / garch e1 h1 beta1=.9", "const risk sqrt / garch"});
  if (command == "fit" || command == "check" || command == "forecast" || command == "compare" ||
      command == "backtest")
    add({"--model", line});
  if (command == "forecast")
    add({"--draws", "100", "--horizon", bytes.one_of({"1", "3", "40"}), "--method",
         bytes.one_of({"plug-in", "full", "resampled"})});
  if (command == "backtest")
    add({"--window", bytes.one_of({"30", "40", "90"}), "--origins", "4", "--draws", "200"});
  if (command == "search") add({"--most-ar", "1", "--most-ma", "1"});
  if (command == "season" && bytes.below(2) == 0)
    add({"--period", bytes.one_of({"2", "5", "7", "12"})});
  if (command == "lags" || command == "check")
    add({"--lags", bytes.one_of({"1", "5", "10", "1,2,3", "60"})});
  if (bytes.below(2) == 0) add({"--json"});
  return words;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  Bytes bytes(data, size);
  const std::string& path = fuzz::own_file("prices.csv");
  std::vector<std::string> words = words_of(bytes, path);
  brace::write_whole(path, series(bytes));
  words.insert(words.begin(), "brace");
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  std::ostringstream out, err;
  std::streambuf* const was_out = std::cout.rdbuf(out.rdbuf());
  std::streambuf* const was_err = std::cerr.rdbuf(err.rdbuf());
  const int status = brace::app::run_tool(static_cast<int>(words.size()), arguments.data());
  std::cout.rdbuf(was_out);
  std::cerr.rdbuf(was_err);
  const auto tell = [&](const char* promise) {
    for (const std::string& word : words) std::fprintf(stderr, "'%s' ", word.c_str());
    std::fprintf(stderr, "\n%s\n%s\n", out.str().substr(0, 3000).c_str(), err.str().c_str());
    fuzz::broken(promise);
  };
  if (status < 0 || status > 3) tell("an exit status that is not documented");
  if (status == 1 && err.str().empty()) tell("bad data, and no word of it");
  if (err.str().find("unexpected") != std::string::npos) tell("an error that nobody expected");
  for (const char* none : {" nan", " inf", "-nan", "-inf", ":nan", ":inf"})
    if (out.str().find(none) != std::string::npos &&
        out.str().find(std::string(none) + "o") == std::string::npos)
      tell("a number that is none");
  return 0;
}
