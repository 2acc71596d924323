// SPDX-License-Identifier: Apache-2.0
// The targets without clang's fuzzer, for every change: each file of the corpus, then random
// changes of them by a seed until the time is over.
//   read_table_by_seed CORPUS SECONDS [SEED]
// An input that breaks a promise is left in the folder of the run as broken-SEED.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>
#include <vector>

#include "brace/maths/random.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

namespace {

std::string input, kept_as;  // for the handler

extern "C" void keep_input(int) {
  std::ofstream(kept_as, std::ios::binary) << input;
  std::_Exit(1);
}

// What readers know, and what they should not trip over.
const char* const kWords[] = {
    "\n",     ",",    ";",     "\t", "\"",   "-",    "1e400", "nan",
    "-0",     "\r\n", "/",     "{",  "}",    "[",    "]",     "null",
    "1e-320", ":",    "2024-", "..", "\xff", "\xc3", "@",     "=",
    " / ",    "ar",   "garch", "e1", "log",  "99",   "true",  "9999999999999999999"};

class Changes {
 public:
  explicit Changes(std::uint64_t seed) : u_(seed, 0) {}

  std::string of(const std::vector<std::string>& corpus) {
    std::string text = corpus[below(corpus.size())];
    for (std::size_t edits = 1 + below(6); edits > 0; --edits) edit(text, corpus);
    text.resize(std::min<std::size_t>(text.size(), 1 << 15));
    return text;
  }

 private:
  std::size_t below(std::size_t n) {
    return std::min(n - 1, static_cast<std::size_t>(u_.uniform() * static_cast<double>(n)));
  }
  void edit(std::string& text, const std::vector<std::string>& corpus) {
    const std::size_t at = below(text.size() + 1), length = below(16);
    switch (below(6)) {
      case 0:
        if (at < text.size()) text[at] = static_cast<char>(below(256));
        break;
      case 1: text.erase(at, length); break;
      case 2: text.insert(at, kWords[below(std::size(kWords))]); break;
      case 3: text.insert(below(text.size() + 1), text.substr(at, length)); break;
      case 4: text.replace(at, length, kWords[below(std::size(kWords))]); break;
      case 5: {
        const std::string& other = corpus[below(corpus.size())];
        text = text.substr(0, at) + other.substr(below(other.size() + 1));
        break;
      }
    }
  }
  brace::maths::RandomStream u_;
};

void ask(std::string text) {
  input = std::move(text);
  // A copy without room behind it.
  const std::vector<std::uint8_t> exact(input.begin(), input.end());
  LLVMFuzzerTestOneInput(exact.data(), exact.size());
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  const std::uint64_t seed = argc > 3 ? std::strtoull(argv[3], nullptr, 10) : 1;
  kept_as = fmt::format("broken-{}", seed);
  for (const int fault : {SIGABRT, SIGSEGV, SIGFPE, SIGILL}) std::signal(fault, keep_input);
  std::vector<std::string> corpus;
  std::vector<std::filesystem::path> files;
  for (const auto& entry : std::filesystem::directory_iterator(argv[1]))
    files.push_back(entry.path());
  std::sort(files.begin(), files.end());
  for (const auto& path : files) {
    std::ifstream file(path, std::ios::binary);
    corpus.emplace_back(std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>());
    ask(corpus.back());
  }
  if (corpus.empty()) return 2;
  Changes changes(seed);
  const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(std::atol(argv[2]));
  std::size_t inputs = 0;
  for (; std::chrono::steady_clock::now() < end; ++inputs) ask(changes.of(corpus));
  fmt::print("{} inputs of seed {}\n", inputs, seed);
  return 0;
}
