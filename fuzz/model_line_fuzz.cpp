// SPDX-License-Identifier: Apache-2.0
// Model lines: what parses is written as a line that parses to the same model.
#include "brace/model/model_line.hpp"
#include "promises.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  return fuzz::answers([&] {
    const brace::Model model = brace::parse_model(fuzz::text_of(data, size));
    const std::string line = brace::to_string(model);
    if (!(brace::parse_model(line) == model)) fuzz::broken("the canonical line is another model");
    if (brace::to_string(brace::parse_model(line)) != line) fuzz::broken("a line that changes");
  });
}
