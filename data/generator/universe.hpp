// SPDX-License-Identifier: Apache-2.0
// All that the exchange of Port Merrow lists, as one file or as a folder of them.
//
//   write_universe({.series = 500, .rows = 2500});
#pragma once

#include <cstddef>
#include <string>

namespace brace::demo {

struct UniverseSize {
  std::size_t series = 30, rows = 700;
  std::string into{};        // folder of a file a series; empty: one long file on standard output
  bool wide = false;         // on standard output a column a series
  bool interleaved = false;  // a long file in the order of its dates
  bool sound = false;        // none that cannot be read
};

// The same bytes on every run, and the first series of a larger universe are those of a smaller.
void write_universe(const UniverseSize& size);

}  // namespace brace::demo
