// SPDX-License-Identifier: Apache-2.0
// What became of one job of many: a value, or the Error that kept it from being made.
//
//   for (const auto& outcome : brace::fit_many(jobs))
//     if (outcome) use(*outcome); else std::cerr << outcome.error().what();
//
// Threads: a plain value; reading one from several threads at once is safe.
#pragma once

#include <utility>
#include <variant>
#include <vector>

#include "brace/base/error.hpp"

namespace brace::inline v0 {

template <class T>
class Outcome {
 public:
  // Until it is given something: an Error (stopped).
  Outcome() : held_(Error(ErrorCode::stopped, "not run: a stop was asked for before it began")) {}
  Outcome(T value) : held_(std::move(value)) {}      // NOLINT: a value is an outcome
  Outcome(Error error) : held_(std::move(error)) {}  // NOLINT: and so is an error

  [[nodiscard]] explicit operator bool() const { return std::holds_alternative<T>(held_); }

  // The value; throws the Error where there is none.
  [[nodiscard]] const T& value() const& {
    if (!*this) throw Error(error());
    return std::get<T>(held_);
  }
  [[nodiscard]] T&& value() && {
    if (!*this) throw Error(error());
    return std::get<T>(std::move(held_));
  }
  const T& operator*() const { return value(); }
  const T* operator->() const { return &value(); }

  // The Error; throws std::bad_variant_access where there is a value.
  [[nodiscard]] const Error& error() const { return std::get<Error>(held_); }

 private:
  std::variant<T, Error> held_;
};

// The values of all; throws the first Error where one has none.
template <class T>
[[nodiscard]] std::vector<T> values_of(std::vector<Outcome<T>> outcomes) {
  std::vector<T> values;
  values.reserve(outcomes.size());
  for (Outcome<T>& outcome : outcomes) values.push_back(std::move(outcome).value());
  return values;
}

}  // namespace brace::inline v0
