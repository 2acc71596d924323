// SPDX-License-Identifier: Apache-2.0
// Dates: what reads as one is written and read as the same.
#include "brace/base/date.hpp"
#include "promises.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  return fuzz::answers([&] {
    const auto day = brace::parse_date(fuzz::text_of(data, size));
    if (!day) return;
    const std::string text = brace::format_date(*day);
    if (brace::parse_date(text) != day) fuzz::broken("a date that is written is another");
  });
}
