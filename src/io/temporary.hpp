// SPDX-License-Identifier: Apache-2.0
// Temporary files and folders by name, so that they go when the program is ended by a signal.
//
//   const Temporary registered(path);     // until it goes; the file itself is its owner's to
//   remove
#pragma once

#include <cstddef>
#include <string>

#include "brace/base/api.hpp"

// Shown by a shared brace::io: brace::figures writes through it.
BRACE_API_BEGIN
namespace brace::inline v0 {

class Temporary {
 public:
  explicit Temporary(const std::string& path);
  ~Temporary();
  Temporary(const Temporary&) = delete;
  Temporary& operator=(const Temporary&) = delete;

 private:
  std::size_t slot_;
};

}  // namespace brace::inline v0
BRACE_API_END
