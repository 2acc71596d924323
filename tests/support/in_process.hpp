// SPDX-License-Identifier: Apache-2.0
// The tool within the test's own process: the whole command line, without the cost of a start.
//
//   const Outcome o = in_process({"fit", path, "--model", "const ar1", "--json"});
#pragma once

#include <iostream>
#include <sstream>
#include <string>
#include <vector>

#include "support/run.hpp"
#include "tool.hpp"

namespace brace::test {

// Where a stream writes, for as long as this lives.
class Captured {
 public:
  explicit Captured(std::ostream& stream) : stream_(stream), before_(stream.rdbuf(&text_)) {}
  ~Captured() {
    stream_.rdbuf(before_);
    stream_.clear();
  }
  Captured(const Captured&) = delete;
  Captured& operator=(const Captured&) = delete;
  [[nodiscard]] std::string text() const { return text_.str(); }

 private:
  std::ostream& stream_;
  std::stringbuf text_;
  std::streambuf* before_;
};

inline Outcome in_process(std::vector<std::string> words) {
  words.insert(words.begin(), "brace");
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  const Captured out(std::cout), err(std::cerr);
  const int status = app::run_tool(static_cast<int>(words.size()), arguments.data());
  return {status, out.text(), err.text()};
}

}  // namespace brace::test
