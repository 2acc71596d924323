// SPDX-License-Identifier: Apache-2.0
// brace demo: the whole job on the shipped data, as the shipped study states it, saying at each
// step what is asked and what was found.
#include <fmt/format.h>
#include <unistd.h>

#include <cstdlib>
#include <filesystem>

#include "options.hpp"
#include "study_run.hpp"

namespace brace::app {
namespace {

namespace fs = std::filesystem;

constexpr const char* kStudy = "kelp-fibre.toml";

// The shipped study: beside the working directory, or installed with the tool.
std::string find_study(const Options& o) {
  if (!o.file.empty()) return o.file;
  std::error_code ignored;
  const fs::path tool = fs::read_symlink("/proc/self/exe", ignored);
  for (const fs::path& place :
       {fs::path("data"), tool.parent_path().parent_path() / "share/brace/data",
        fs::path(BRACE_DATA_FOLDER)})
    if (fs::exists(place / kStudy)) return (place / kStudy).string();
  throw Error(
      ErrorCode::file_missing,
      fmt::format("{} is neither in ./data nor installed beside the tool; name it: brace demo FILE",
                  kStudy));
}

// Where files may be written: beside where the user is, else at home, else where temporary files go.
fs::path folder_of(const Options& o) {
  if (!o.output.out.empty()) return o.output.out;
  constexpr const char* kFolder = "brace-demo";
  const char* home = std::getenv("HOME");
  std::error_code ignored;
  for (const fs::path& place : {fs::path("."), fs::path(home ? home : ""),
                                fs::temp_directory_path(ignored)})
    if (!place.empty() && ::access(place.c_str(), W_OK | X_OK) == 0)
      return place == "." ? fs::path(kFolder) : place / kFolder;
  return kFolder;
}

int run_demo(const Options& o) {
  const fs::path folder = folder_of(o);
  return run_study({.file = find_study(o),
                    .results = folder.string(),
                    .report = (folder / "report.html").string(),
                    .quiet = o.output.quiet,
                    .guided = true,
                    .json = o.output.json,
                    .threads = o.threads});
}

}  // namespace

Command demo_command(Options& o) {
  Command c("demo", "The whole job on the shipped kelp-fibre data", run_demo);
  o.output.is_folder = true;
  c.option("FILE", o.file,
           "the study (default: data/kelp-fibre.toml, or the copy installed with the tool)");
  c.option("--out", o.output.out,
           "folder for the page, charts, tables and the saved model "
           "(default: brace-demo here, or at home where nothing may be written here)");
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative();
  c.option("--json", o.output.json, "the record of the run as JSON on standard output");
  c.option("--quiet", o.output.quiet, "write the files, print nothing");
  c.footer = "Example:\n  brace demo --out brace-demo";
  return c;
}

}  // namespace brace::app
