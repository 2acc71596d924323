// SPDX-License-Identifier: Apache-2.0
// A digest (SHA-1) of texts and numbers: whether two things are the same, without keeping both.
//
//   std::string id = brace::Digest().add("log returns").add(series.values).text();
//
// Threads: a Digest belongs to one thread.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Every part is taken with its length, so that "ab", "c" is not "a", "bc".
class Digest {
 public:
  Digest();
  ~Digest();
  Digest(Digest&&) noexcept;
  Digest& operator=(Digest&&) noexcept;

  Digest& add(std::string_view text);
  Digest& add(std::span<const double> values);  // every NaN is one NaN
  Digest& add(std::span<const Timestamp> times);

  // Forty signs, 0-9 and a-f. Nothing is to be added afterwards.
  [[nodiscard]] std::string text();

 private:
  struct Sum;  // hides Boost
  std::unique_ptr<Sum> sum_;
};

}  // namespace brace::inline v0
BRACE_API_END
