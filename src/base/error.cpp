// SPDX-License-Identifier: Apache-2.0
// Names and exit statuses of the error codes. Covered by tests/base/base_test.cpp.
#include "brace/base/error.hpp"

namespace brace::inline v0 {

std::string_view to_string(ErrorCode code) {
  switch (code) {
    case ErrorCode::file_missing: return "file-missing";
    case ErrorCode::file_empty: return "file-empty";
    case ErrorCode::column_missing: return "column-missing";
    case ErrorCode::not_a_number: return "not-a-number";
    case ErrorCode::not_finite: return "not-finite";
    case ErrorCode::bad_date: return "bad-date";
    case ErrorCode::date_ambiguous: return "date-ambiguous";
    case ErrorCode::dates_out_of_order: return "dates-out-of-order";
    case ErrorCode::date_repeated: return "date-repeated";
    case ErrorCode::not_positive: return "not-positive";
    case ErrorCode::constant_series: return "constant-series";
    case ErrorCode::too_few_observations: return "too-few-observations";
    case ErrorCode::bad_query: return "bad-query";
    case ErrorCode::bad_saved_model: return "bad-saved-model";
    case ErrorCode::cannot_write: return "cannot-write";
    case ErrorCode::cannot_draw: return "cannot-draw";
    case ErrorCode::bad_option: return "bad-option";
    case ErrorCode::bad_model_line: return "bad-model-line";
    case ErrorCode::not_built: return "not-built";
    case ErrorCode::stopped: return "stopped";
  }
  return "unknown";
}

int exit_status(const Error& error) {
  return error.code() >= ErrorCode::bad_option ? 2 : 1;
}

}  // namespace brace::inline v0
