// SPDX-License-Identifier: Apache-2.0
// How wide a column of labels must be, so that no row of a table is pushed to the right.
//
//   auto width = brace::label_width(candidates, shown, [](const Candidate& c) { return ...; });
#pragma once

#include <algorithm>
#include <cstddef>

namespace brace::inline v0 {

// The longest label of the items that `shown(i)` admits, and at least 30.
template <class Items, class Shown, class Label>
[[nodiscard]] std::size_t label_width(const Items& items, Shown&& shown, Label&& label) {
  std::size_t width = 30;
  for (std::size_t i = 0; i < items.size(); ++i)
    if (shown(i)) width = std::max(width, label(items[i]).size());
  return width;
}

}  // namespace brace::inline v0
