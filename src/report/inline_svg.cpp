// SPDX-License-Identifier: Apache-2.0
// Covered by tests/report/report_test.cpp.
#include "report/inline_svg.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <regex>

namespace brace::inline v0 {
namespace {

void replace_all(std::string& text, const std::string& what, const std::string& by) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
    text.replace(at, what.size(), by);
}

// A number of tenths without what may be left out: "12", "-.3".
void append_tenths(std::string& out, long tenths, bool may_touch) {
  if (tenths >= 0 && !may_touch) out += ' ';
  if (tenths < 0) out += '-';
  const long size = std::labs(tenths);
  if (size >= 10 || size == 0) out += std::to_string(size / 10);
  if (size % 10 != 0) out += '.', out += static_cast<char>('0' + size % 10);
}

// The same lines in tenths of a pixel and by their steps, which is half as long; as it is where it
// holds more than moves and lines.
std::string with_steps(const std::string& path) {
  std::string out;
  long x = 0, y = 0;
  const char* at = path.c_str();
  const char* const end = at + path.size();
  const auto skip = [&] {
    while (at < end && (std::isspace(static_cast<unsigned char>(*at)) != 0 || *at == ',')) ++at;
  };
  for (skip(); at < end; skip()) {
    const char command = *at++;
    if (command == 'Z' || command == 'z') {
      out += 'z';
      continue;
    }
    if (command != 'M' && command != 'L') return path;
    long place[2];
    for (long& coordinate : place) {
      skip();
      char* after = nullptr;
      coordinate = std::lround(10 * std::strtod(at, &after));
      if (after == at) return path;
      at = after;
    }
    if (command == 'M') {
      out += 'M';
      append_tenths(out, place[0], true);
      append_tenths(out, place[1], false);
    } else {
      out += 'l';
      append_tenths(out, place[0] - x, true);
      append_tenths(out, place[1] - y, false);
    }
    x = place[0];
    y = place[1];
  }
  return out;
}

std::string with_short_paths(const std::string& svg) {
  std::string out;
  std::size_t done = 0;
  for (std::size_t at = 0; (at = svg.find(" d='", at)) != std::string::npos;) {
    const std::size_t from = at + 4, to = svg.find('\'', from);
    if (to == std::string::npos) break;
    out.append(svg, done, from - done);
    out += with_steps(svg.substr(from, to - from));
    done = at = to;
  }
  return out.append(svg, done);
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

std::string inline_svg(std::string svg, const std::string& prefix, const std::string& alternative) {
  svg.erase(0, svg.find("<svg"));
  // What the drawing program says of itself; the figure has words of its own.
  static const std::regex title("<title>[^<]*</title>|<desc>[^<]*</desc>");
  svg = std::regex_replace(svg, title, "");
  svg = with_short_paths(with_circles_as_paths(svg));
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
       {Colour{"rgb( 34,  48,  60)", "ink"}, Colour{"rgb(34,48,60)", "ink"},
        Colour{"rgb( 47, 111, 143)", "blue"}, Colour{"rgb(47,111,143)", "blue"},
        Colour{"rgb( 62, 125,  90)", "green"}, Colour{"rgb(62,125,90)", "green"},
        Colour{"rgb(196,  82,  58)", "red"}, Colour{"rgb(196,82,58)", "red"},
        Colour{"rgb(184, 134,  43)", "gold"}, Colour{"rgb(184,134,43)", "gold"},
        Colour{"rgb(221, 227, 230)", "line"}, Colour{"rgb(185, 198, 204)", "shade"},
        Colour{"#ffffff", "ground"}, Colour{"#FFFFFF", "ground"}})
    replace_all(svg, drawn, fmt::format("var({}{})", "--", shown));
  replace_all(svg, "\"black\"", "\"currentColor\"");
  std::string words;
  for (const char c : alternative)
    words += c == '&' ? "&amp;" : c == '<' ? "&lt;" : c == '"' ? "&quot;" : std::string(1, c);
  const std::size_t open = svg.find('>');
  return svg.substr(0, open) + " role=\"img\" aria-label=\"" + words + "\"" + svg.substr(open);
}

}  // namespace brace::inline v0
