// SPDX-License-Identifier: Apache-2.0
// Running programs as a user does: a command through the shell, its output, errors and exit status.
#pragma once

#include <sys/wait.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>

namespace brace::test {

// A folder that is new for each test and gone after it.
class Folder {
 public:
  Folder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "brace-test-XXXXXX").string();
    path_ = ::mkdtemp(pattern.data());
  }
  ~Folder() { std::filesystem::remove_all(path_); }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  [[nodiscard]] std::string operator/(const std::string& name) const {
    return (path_ / name).string();
  }
  // Writes a file into it and returns its path.
  [[nodiscard]] std::string file(const std::string& name, const std::string& content) const {
    std::ofstream(path_ / name, std::ios::binary) << content;
    return *this / name;
  }
  [[nodiscard]] std::size_t entries() const {
    return static_cast<std::size_t>(std::distance(std::filesystem::directory_iterator(path_),
                                                  std::filesystem::directory_iterator()));
  }

 private:
  std::filesystem::path path_;
};

inline std::string content_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

struct Outcome {
  int status;
  std::string out, err;
};

// `command` runs in the source folder, so that data/kelp-fibre.csv is found.
inline Outcome run(const std::string& command) {
  const Folder folder;
  const std::string whole = "cd '" BRACE_SOURCE_DIR "' && { " + command + "\n} > '" +
                            (folder / "out") + "' 2> '" + (folder / "err") + "'";
  const int status = std::system(whole.c_str());
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, content_of(folder / "out"),
          content_of(folder / "err")};
}

// The demo's main series, as a price and as returns.
inline const std::string kKelp = "data/kelp-fibre.csv --value settle --drop-zero volume";
inline const std::string kKelpReturns = kKelp + " --returns log";

inline Outcome brace(const std::string& arguments) {
  return run("'" BRACE_TOOL "' " + arguments);
}

}  // namespace brace::test
