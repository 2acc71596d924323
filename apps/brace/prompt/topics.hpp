// SPDX-License-Identifier: Apache-2.0
// What `brace help TOPIC` shows: pages of docs/, laid out for a terminal.
//
//   show_pages(topic_text("warnings", "few-draws", 80));
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace brace::app {

struct Topic {
  std::string name, what;
};
[[nodiscard]] const std::vector<Topic>& topics();

// Of `warnings` a code may be named, of the others a word of a heading: its part alone. Throws
// Error (bad_option) for what is not there, with what may have been meant.
[[nodiscard]] std::string topic_text(const std::string& topic, const std::string& part,
                                     std::size_t width);

// Codes of warnings and errors, in the order of their page.
[[nodiscard]] std::vector<std::string> warning_and_error_codes();

// A page in the marks of docs/ as text: headings, paragraphs, lists, tables and code.
[[nodiscard]] std::string laid_out(std::string_view page, std::size_t width);

}  // namespace brace::app
