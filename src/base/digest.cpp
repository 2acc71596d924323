// SPDX-License-Identifier: Apache-2.0
// SHA-1 through Boost. Covered by tests/base/base_test.cpp.
#include "brace/base/digest.hpp"

#include <fmt/format.h>

#include <array>
#include <boost/uuid/detail/sha1.hpp>
#include <cmath>
#include <limits>

namespace brace::inline v0 {

struct Digest::Sum {
  boost::uuids::detail::sha1 sha1;

  void begin(std::size_t count) {
    const std::string size = std::to_string(count) + ":";
    sha1.process_bytes(size.data(), size.size());
  }
};

Digest::Digest() : sum_(std::make_unique<Sum>()) {}
Digest::~Digest() = default;
Digest::Digest(Digest&&) noexcept = default;
Digest& Digest::operator=(Digest&&) noexcept = default;

Digest& Digest::add(std::string_view text) {
  sum_->begin(text.size());
  sum_->sha1.process_bytes(text.data(), text.size());
  return *this;
}

Digest& Digest::add(std::span<const double> values) {
  sum_->begin(values.size());
  std::array<double, 512> block{};
  for (std::size_t from = 0; from < values.size(); from += block.size()) {
    const std::size_t count = std::min(block.size(), values.size() - from);
    for (std::size_t i = 0; i < count; ++i)
      block[i] = std::isnan(values[from + i]) ? std::numeric_limits<double>::quiet_NaN()
                                              : values[from + i];
    sum_->sha1.process_bytes(block.data(), count * sizeof(double));
  }
  return *this;
}

Digest& Digest::add(std::span<const Timestamp> times) {
  sum_->begin(times.size());
  sum_->sha1.process_bytes(times.data(), times.size_bytes());
  return *this;
}

std::string Digest::text() {
  boost::uuids::detail::sha1::digest_type parts;
  sum_->sha1.get_digest(parts);
  std::string out;
  for (const unsigned part : parts) out += fmt::format("{:08x}", part);
  return out;
}

}  // namespace brace::inline v0
