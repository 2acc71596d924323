// SPDX-License-Identifier: Apache-2.0
// What the page is made of: the files of page/ and the packaged charting library, put into the
// program when it is built (cmake/embed.cmake).
#pragma once

#include <string_view>

namespace brace::inline v0::assets {

extern const std::string_view kTemplate, kStyle, kScript, kChartLibrary;

}  // namespace brace::inline v0::assets
