// SPDX-License-Identifier: Apache-2.0
// Study files: any text is a study or is refused with its line.
#include "brace/io/files.hpp"
#include "promises.hpp"
#include "study_file.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string& path = fuzz::own_file("study.toml");
  brace::write_whole(path, fuzz::text_of(data, size));
  return fuzz::answers([&] {
    const brace::app::StudyFile study(path);
    (void)study.settings();
    for (const std::string& step : study.steps())
      if (step.empty()) fuzz::broken("a step without a name");
  });
}
