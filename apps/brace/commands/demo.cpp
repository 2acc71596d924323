// SPDX-License-Identifier: Apache-2.0
// brace demo: the whole job on the shipped data, as the shipped study states it, saying at each
// step what is asked and what was found.
#include <fmt/format.h>

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
       {fs::path("data"), tool.parent_path().parent_path() / "share/brace/data"})
    if (fs::exists(place / kStudy)) return (place / kStudy).string();
  throw Error(
      ErrorCode::file_missing,
      fmt::format("{} is neither in ./data nor installed beside the tool; name it: brace demo FILE",
                  kStudy));
}

int run_demo(const Options& o) {
  const fs::path folder = o.output.out;
  return run_study({.file = find_study(o),
                    .results = folder.string(),
                    .report = (folder / "report.html").string(),
                    .quiet = o.output.quiet,
                    .guided = true,
                    .threads = o.threads});
}

}  // namespace

Command demo_command(Options& o) {
  Command c("demo", "The whole job on the shipped kelp-fibre data", run_demo);
  o.output.is_folder = true;
  o.output.out = "brace-demo";
  c.option("FILE", o.file,
           "the study (default: data/kelp-fibre.toml, or the copy installed with the tool)");
  c.option("--out", o.output.out,
           "folder for the page, charts, tables and the saved model "
           "(default: brace-demo)");
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative();
  c.option("--quiet", o.output.quiet, "write the files, print nothing");
  c.footer = "Example:\n  brace demo --out brace-demo";
  return c;
}

}  // namespace brace::app
