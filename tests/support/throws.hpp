// SPDX-License-Identifier: Apache-2.0
// The message and code of the Error that a call throws; a failure when it throws none.
#pragma once

#include <gtest/gtest.h>

#include <string>

#include "brace/base/error.hpp"

namespace brace::test {

template <class F>
Error error_of(F call) {
  try {
    call();
  } catch (const Error& error) {
    return error;
  }
  ADD_FAILURE() << "no brace::Error was thrown";
  return Error(ErrorCode::bad_option, "none");
}

// The call throws an Error of that code whose message holds `words`.
template <class F>
void expect_error(ErrorCode code, const std::string& words, F call) {
  const Error error = error_of(call);
  EXPECT_EQ(to_string(error.code()), to_string(code));
  EXPECT_NE(std::string(error.what()).find(words), std::string::npos) << error.what();
}

}  // namespace brace::test
