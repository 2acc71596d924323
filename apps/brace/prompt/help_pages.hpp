// SPDX-License-Identifier: Apache-2.0
// The pages of docs/ that `brace help` shows, put into the program when it is built
// (cmake/embed.cmake).
#pragma once

#include <string_view>

namespace brace::inline v0::assets {

extern const std::string_view kFiles, kModelLine, kVerdicts, kWarnings;

}  // namespace brace::inline v0::assets
