// SPDX-License-Identifier: Apache-2.0
// Covered by tests/report/report_test.cpp.
#include "report/inline_svg.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cstdio>
#include <regex>

namespace brace::inline v0 {
namespace {

void replace_all(std::string& text, const std::string& what, const std::string& by) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
    text.replace(at, what.size(), by);
}

// "123.45" becomes "123.4" in the paths, where a twentieth of a pixel is not seen.
std::string with_one_decimal(const std::string& svg) {
  std::string out;
  out.reserve(svg.size());
  for (std::size_t i = 0; i < svg.size(); ++i) {
    out += svg[i];
    if (svg[i] != '.' || i + 2 >= svg.size() || i == 0) continue;
    const auto digit = [&](std::size_t at) {
      return at < svg.size() && std::isdigit(static_cast<unsigned char>(svg[at])) != 0;
    };
    if (!digit(i - 1) || !digit(i + 1) || !digit(i + 2) || digit(i + 3)) continue;
    out += svg[i + 1];
    i += 2;
  }
  return out;
}

// Thousands of filled circles, an element each, as one path with round ends: a tenth of the size.
std::string with_circles_as_paths(const std::string& svg) {
  const std::string open = "<use xlink:href='#gpPt6' transform='translate(";
  std::string out, style, path;
  const auto close_path = [&] {
    if (!path.empty()) out += "<path d=\"" + path + "\" " + style + "/>\n";
    path.clear();
  };
  for (std::size_t at = 0; at < svg.size();) {
    const std::size_t end = std::min(svg.find('\n', at), svg.size() - 1) + 1;
    const std::size_t from = svg.find_first_not_of("\t ", at);
    double x = 0, y = 0, scale = 0;
    char colour[64] = "";
    if (from < end && svg.compare(from, open.size(), open) == 0 &&
        std::sscanf(svg.substr(from + open.size(), end - from - open.size()).c_str(),
                    "%lf,%lf) scale(%lf)' color='%63[^']'/>", &x, &y, &scale, colour) == 4) {
      const std::string drawn = fmt::format(
          "stroke=\"{}\" stroke-width=\"{:.2f}\" stroke-linecap=\"round\" fill=\"none\"", colour,
          2 * scale);
      if (drawn != style) close_path();
      style = drawn;
      path += fmt::format("M{:.1f},{:.1f}h0", x, y);
    } else {
      close_path();
      out.append(svg, at, end - at);
    }
    at = end;
  }
  close_path();
  return out;
}

}  // namespace

std::string inline_svg(std::string svg, const std::string& prefix,
                       const std::string& alternative) {
  svg.erase(0, svg.find("<svg"));
  // What the drawing program says of itself; the figure has words of its own.
  static const std::regex title("<title>[^<]*</title>|<desc>[^<]*</desc>");
  svg = std::regex_replace(svg, title, "");
  svg = with_one_decimal(with_circles_as_paths(svg));
  for (const char* quote : {"'", "\""}) {
    const std::string q(quote);
    replace_all(svg, "id=" + q, "id=" + q + prefix + "-");
    replace_all(svg, "href=" + q + "#", "href=" + q + "#" + prefix + "-");
  }
  replace_all(svg, "url(#", "url(#" + prefix + "-");
  // Colours by what they stand for, so that a dark page has its own. The first is the ground.
  struct Colour {
    const char *drawn, *shown;
  };
  for (const auto& [drawn, shown] :
       {Colour{"rgb( 34,  48,  60)", "var(--ink)"}, Colour{"rgb(34,48,60)", "var(--ink)"},
        Colour{"rgb( 47, 111, 143)", "var(--blue)"}, Colour{"rgb(47,111,143)", "var(--blue)"},
        Colour{"rgb( 62, 125,  90)", "var(--green)"}, Colour{"rgb(62,125,90)", "var(--green)"},
        Colour{"rgb(196,  82,  58)", "var(--red)"}, Colour{"rgb(196,82,58)", "var(--red)"},
        Colour{"rgb(184, 134,  43)", "var(--gold)"}, Colour{"rgb(184,134,43)", "var(--gold)"},
        Colour{"rgb(221, 227, 230)", "var(--line)"}, Colour{"#ffffff", "var(--ground)"},
        Colour{"#FFFFFF", "var(--ground)"}, Colour{"\"black\"", "\"var(--ink)\""}})
    replace_all(svg, drawn, shown);
  std::string words;
  for (const char c : alternative)
    words += c == '&' ? "&amp;" : c == '<' ? "&lt;" : c == '"' ? "&quot;" : std::string(1, c);
  const std::size_t open = svg.find('>');
  return svg.substr(0, open) + " role=\"img\" aria-label=\"" + words + "\"" + svg.substr(open);
}

}  // namespace brace::inline v0
