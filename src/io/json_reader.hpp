// SPDX-License-Identifier: Apache-2.0
// A JSON value that knows where it stands, so that what is wrong with it can be told by its field.
//
//   JsonReader file(json);
//   double nu = file["parameters"][3]["estimate"].number();    // "parameters[3].estimate is ..."
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <cstddef>
#include <limits>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

#include "base/missing.hpp"
#include "io/json_values.hpp"

namespace brace::inline v0 {

// All throw std::invalid_argument naming the field.
class JsonReader {
 public:
  explicit JsonReader(const Json& value, std::string field = "")
      : value_(&value), field_(std::move(field)) {}

  [[noreturn]] void refuse(const std::string& what) const {
    throw std::invalid_argument(
        fmt::format("field '{}' {}", field_.empty() ? "of the whole file" : field_, what));
  }

  [[nodiscard]] bool has(const char* key) const {
    return value_->is_object() && value_->contains(key);
  }
  [[nodiscard]] JsonReader operator[](const char* key) const {
    const std::string name = field_.empty() ? key : fmt::format("{}.{}", field_, key);
    if (!value_->is_object()) refuse("is not an object");
    const auto found = value_->find(key);
    if (found == value_->end())
      throw std::invalid_argument(fmt::format("field '{}' is missing", name));
    return JsonReader(*found, name);
  }

  // The elements of a list, of `count` of them where that is given.
  [[nodiscard]] std::vector<JsonReader> list(std::optional<std::size_t> count = {}) const {
    if (!value_->is_array()) refuse("is not a list");
    if (count && value_->size() != *count)
      refuse(fmt::format("has {} elements and needs {}", value_->size(), *count));
    std::vector<JsonReader> out;
    for (std::size_t i = 0; i < value_->size(); ++i)
      out.emplace_back((*value_)[i], fmt::format("{}[{}]", field_, i));
    return out;
  }

  [[nodiscard]] bool is_null() const { return value_->is_null(); }
  [[nodiscard]] double number() const {
    if (!value_->is_number()) refuse("is not a number");
    const double x = value_->get<double>();
    if (!std::isfinite(x)) refuse("is not finite");
    return x;
  }
  [[nodiscard]] std::optional<double> number_or_null() const {
    return is_null() ? std::nullopt : std::optional(number());
  }
  [[nodiscard]] double number_or_nan() const { return number_or_null().value_or(kNaN); }
  // A whole number from 0.
  [[nodiscard]] std::size_t count(
      std::size_t most = std::numeric_limits<std::uint32_t>::max()) const {
    if (!value_->is_number_integer() || value_->get<double>() < 0 ||
        value_->get<double>() > static_cast<double>(most))
      refuse(fmt::format("is not a whole number from 0 to {}", most));
    return value_->get<std::size_t>();
  }
  [[nodiscard]] bool flag() const {
    if (!value_->is_boolean()) refuse("is neither true nor false");
    return value_->get<bool>();
  }
  [[nodiscard]] std::string text() const {
    if (!value_->is_string()) refuse("is not a text");
    return value_->get<std::string>();
  }

 private:
  const Json* value_;
  std::string field_;
};

}  // namespace brace::inline v0
