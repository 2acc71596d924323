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

}  // namespace brace::test
