// SPDX-License-Identifier: Apache-2.0
// A drawing made fit to stand in a page: names of its own, colours of the page, one digit less.
//
//   page += inline_svg(svg, "fit-1", "volatility and its forecast");
#pragma once

#include <string>

namespace brace::inline v0 {

// `prefix` keeps the names that the drawing gives its parts apart from those of others.
[[nodiscard]] std::string inline_svg(std::string svg, const std::string& prefix,
                                     const std::string& alternative);

}  // namespace brace::inline v0
