// SPDX-License-Identifier: Apache-2.0
// Chains of transforms: what parses goes there and back on a short series.
#include <cmath>

#include "brace/series/chain.hpp"
#include "promises.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  return fuzz::answers([&] {
    const std::vector<brace::Transform> chain = brace::parse_chain(fuzz::text_of(data, size));
    std::vector<double> values;
    for (int t = 0; t < 60; ++t) values.push_back(50 + t + 5 * std::sin(.7 * t));
    const brace::Series level = brace::make_series(values, "kelp");
    const brace::Transformed made = brace::transform(level, chain);
    const brace::Series back = made.inverse(made.series.values);
    if (back.size() != level.size()) fuzz::broken("a chain that loses rows on its way back");
    for (std::size_t t = 0; t < back.size(); ++t)
      if (!(std::abs(back.values[t] - values[t]) < 1e-6 * values[t]) && !std::isnan(back.values[t]))
        fuzz::broken("a chain that does not lead back");
  });
}
