// SPDX-License-Identifier: Apache-2.0
// Errors of the caller's making: one type, one code, one line that names the place and the mend.
//
//   try { auto prices = brace::read_csv("prices.csv"); }
//   catch (const brace::Error& error) { std::cerr << error.what(); }
//
// Threads: a plain value; reading one from several threads at once is safe.
#pragma once

#include <stdexcept>
#include <string>
#include <string_view>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// What went wrong. A fit that does not converge is not among them: it is a result with a status.
enum class ErrorCode {
  // ---- The data (exit status 1) ----
  file_missing,          // no such file, or it cannot be read
  file_empty,            // no rows
  column_missing,        // the message lists the columns there are
  not_a_number,          // a cell that should hold a number holds something else
  not_finite,            // an infinite value
  bad_date,              // a cell that should hold a date does not read as one
  date_ambiguous,        // several forms fit every date; the message lists them
  dates_out_of_order,    // a date earlier than the one before it
  date_repeated,         // the same date twice
  not_positive,          // a logarithm was asked of a value <= 0
  constant_series,       // nothing varies, so nothing can be estimated
  too_few_observations,  // fewer than the task needs; the message says how many
  bad_query,             // the database refuses the query
  bad_saved_model,       // a file that is not a saved model of a version we read
  cannot_write,          // the output could not be written; nothing was left half-written
  cannot_draw,           // the plotting program failed
  // ---- The call (exit status 2) ----
  bad_option,      // an option out of its range, or two that exclude each other
  bad_model_line,  // the model line does not parse; the message points at the term
  not_built,       // a term of the grammar that this version does not estimate
  stopped,         // the caller asked for a stop before this was done
};

// The code as written in documents and logs, such as "dates-out-of-order".
[[nodiscard]] std::string_view to_string(ErrorCode code);

class Error : public std::runtime_error {
 public:
  Error(ErrorCode code, const std::string& message) : std::runtime_error(message), code_(code) {}
  [[nodiscard]] ErrorCode code() const { return code_; }

 private:
  ErrorCode code_;
};

// 1 for bad data, 2 for a wrong call.
[[nodiscard]] int exit_status(const Error& error);

}  // namespace brace::inline v0
BRACE_API_END
