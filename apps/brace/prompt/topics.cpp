// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/prompt_test.cpp.
#include "prompt/topics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <regex>
#include <sstream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "prompt/help_pages.hpp"
#include "prompt/terminal.hpp"

namespace brace::app {
namespace {

std::string_view page_of(const std::string& topic) {
  if (topic == "files") return assets::kFiles;
  if (topic == "model-line") return assets::kModelLine;
  if (topic == "verdicts") return assets::kVerdicts;
  return assets::kWarnings;
}

// Without the marks of links, code and weight.
std::string plain(const std::string& text) {
  static const std::regex link(R"re(!?\[([^\]]*)\]\([^)]*\))re"), weight(R"re(\*\*)re"),
      code("`([^`]*)`");
  return std::regex_replace(std::regex_replace(std::regex_replace(text, link, "$1"), weight, ""),
                            code, "$1");
}

std::string paragraph(const std::string& text, std::size_t width, std::size_t indent = 0,
                      const std::string& mark = "") {
  std::string out = text::wrap(plain(text), width, std::string(indent, ' '));
  if (!mark.empty()) out.replace(indent - mark.size(), mark.size(), mark);
  return out.ends_with('\n') ? out : out + '\n';
}

// Cells between bars that are not within code.
std::vector<std::string> cells_of(const std::string& row) {
  std::vector<std::string> cells;
  std::string cell;
  bool code = false;
  for (std::size_t i = 1; i < row.size(); ++i) {
    if (row[i] == '`') code = !code;
    if (row[i] == '|' && !code) {
      cells.push_back(plain(std::string(text::trimmed(cell))));
      cell.clear();
    } else {
      cell += row[i];
    }
  }
  return cells;
}

// Columns side by side where they fit; else each row's first cell, and the others after it by name.
std::string table(const std::vector<std::string>& lines, std::size_t width) {
  std::vector<std::vector<std::string>> rows;
  for (const std::string& line : lines)
    if (line.find_first_not_of("|-: ") != std::string::npos) rows.push_back(cells_of(line));
  if (rows.empty()) return "";
  std::vector<std::size_t> widths(rows[0].size());
  for (auto& row : rows) {
    row.resize(widths.size());
    for (std::size_t c = 0; c < row.size(); ++c) widths[c] = std::max(widths[c], row[c].size());
  }
  std::size_t before_last = 2;
  for (std::size_t c = 0; c + 1 < widths.size(); ++c) before_last += widths[c] + 2;
  std::string out;
  constexpr std::size_t kLeastOfLast = 24;
  if (before_last + std::min(widths.back(), kLeastOfLast) <= width) {
    for (const auto& row : rows) {
      std::string line =
          text::wrap(row.back().empty() ? "-" : row.back(), width, std::string(before_last, ' '));
      std::size_t at = 2;
      for (std::size_t c = 0; c + 1 < row.size(); at += widths[c++] + 2)
        line.replace(at, row[c].size(), row[c]);
      out += line + (line.ends_with('\n') ? "" : "\n");
    }
    return out;
  }
  for (std::size_t r = 1; r < rows.size(); ++r) {
    out += paragraph(rows[r][0], width, 2);
    for (std::size_t c = 1; c < rows[r].size(); ++c)
      if (!rows[r][c].empty())
        out += paragraph((rows[0][c].empty() ? "" : rows[0][c] + ": ") + rows[r][c], width, 6);
  }
  return out;
}

// A warning's paragraph, or an error's row.
std::string of_code(const std::string& code, std::size_t width) {
  const std::string page(assets::kWarnings);
  if (const auto at = page.find("**" + code + "**"); at != std::string::npos)
    return laid_out(page.substr(at, page.find("\n\n", at) - at), width);
  std::istringstream lines(page);
  for (std::string line; std::getline(lines, line);) {
    const std::vector<std::string> cells =
        line.starts_with("| `") ? cells_of(line) : std::vector<std::string>{};
    if (cells.size() == 3 && cells[0] == code)
      return paragraph(fmt::format("{}: an error, exit status {}: {}.", code, cells[1], cells[2]),
                       width);
  }
  const auto near = text::nearest(code, warning_and_error_codes());
  throw Error(ErrorCode::bad_option,
              fmt::format("brace help warnings {}: no such code{}; 'brace help warnings' has all",
                          code, near ? " (did you mean '" + *near + "'?)" : ""));
}

// The part of a page whose heading has this word, up to the next of its rank.
std::string part_of(const std::string& topic, const std::string& word, std::size_t width) {
  std::istringstream lines{std::string(page_of(topic))};
  std::string part;
  std::vector<std::string> headings;
  const auto lowered = [](std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
  };
  std::size_t rank = 0;
  for (std::string line; std::getline(lines, line);) {
    const std::size_t marks = line.find_first_not_of('#');
    const bool heading = marks != std::string::npos && marks >= 2 && line[marks] == ' ';
    if (heading) headings.push_back(line.substr(marks + 1));
    if (heading && rank > 0 && marks <= rank) break;
    if (heading && rank == 0 && lowered(line).find(lowered(word)) != std::string::npos)
      rank = marks;
    if (rank > 0) part += line + '\n';
  }
  if (part.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("brace help {} {}: no heading has that word; there are: {}", topic,
                            word, fmt::join(headings, "; ")));
  return laid_out(part, width);
}

}  // namespace

const std::vector<Topic>& topics() {
  static const std::vector<Topic> all{
      {"files", "what is read, and how a file that is not kind is read"},
      {"model-line", "how a model is written"},
      {"verdicts", "the words in which results are summed up, and what each means"},
      {"warnings", "what each warning and error code means and how to remove its cause"}};
  return all;
}

std::string topic_text(const std::string& topic, const std::string& part, std::size_t width) {
  if (part.empty()) return laid_out(page_of(topic), width);
  return topic == "warnings" ? of_code(part, width) : part_of(topic, part, width);
}

std::vector<std::string> warning_and_error_codes() {
  static const std::regex code(R"re((?:^|\n)(?:\*\*([a-z-]+)\*\*|\| `([a-z-]+)` \|))re");
  const std::string page(assets::kWarnings);
  std::vector<std::string> codes;
  for (std::sregex_iterator it(page.begin(), page.end(), code), end; it != end; ++it)
    codes.push_back((*it)[1].matched ? (*it)[1] : (*it)[2]);
  return codes;
}

std::string laid_out(std::string_view page, std::size_t width) {
  std::istringstream lines{std::string(page)};
  std::string out, text;
  std::vector<std::string> rows;
  std::size_t indent = 0;
  std::string mark;
  bool code = false;
  const auto end_block = [&] {
    if (!text.empty()) out += paragraph(text, width, indent, mark);
    if (!rows.empty()) out += table(rows, width);
    text.clear();
    rows.clear();
    indent = 0;
    mark.clear();
  };
  for (std::string line; std::getline(lines, line);) {
    if (line.starts_with("```")) {
      end_block();
      code = !code;
    } else if (code || (text.empty() && line.starts_with("    "))) {
      end_block();
      out += (code ? "    " : "") + line + '\n';
    } else if (line.starts_with('#')) {
      end_block();
      out += weighty(plain(line.substr(line.find_first_not_of('#') + 1))) + '\n';
    } else if (line.starts_with('|')) {
      if (rows.empty()) end_block();
      rows.push_back(line);
    } else if (line.starts_with("- ")) {
      end_block();
      indent = 2;
      mark = "- ";
      text = line.substr(2);
    } else if (line.empty()) {
      end_block();
      if (!out.ends_with("\n\n")) out += '\n';
    } else {
      text += (text.empty() ? "" : " ") + std::string(text::trimmed(line));
    }
  }
  end_block();
  while (out.ends_with("\n\n")) out.pop_back();
  return out;
}

}  // namespace brace::app
