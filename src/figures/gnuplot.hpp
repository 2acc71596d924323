// SPDX-License-Identifier: Apache-2.0
// Running gnuplot without a shell. Text reaches it in octal escapes and data as numbers, so that
// nothing in a file's column names can be read as a command or as markup.
//
//   Gnuplot plot("out.png");
//   plot.add("set title " + Gnuplot::quote(series.name));
//   plot.draw();
#pragma once

#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

namespace brace::inline v0 {

// The palette of the house, on white; a line style or marker always tells the same as the colour.
namespace palette {
inline constexpr std::string_view ink = "#22303C", tide = "#2F6F8F", kelp = "#3E7D5A",
                                  brass = "#B8862B", coral = "#C4523A", fog = "#DDE3E6",
                                  haze = "#B9C6CC", slate = "#97A9B2";
}

class Gnuplot {
 public:
  // The format follows the ending: .png, .svg or .pdf; another throws Error (bad_option).
  explicit Gnuplot(std::string path);

  void add(std::string_view line);

  // Columns of equal length as a data block; NaN cells are gaps. Returns its name, such as "$d0".
  std::string data(const std::vector<std::vector<double>>& columns);

  // The right-hand ends and left-hand starts of a panel, in shares of the page.
  void panel(double left, double right, double bottom, double top, std::string_view title);

  // Runs gnuplot into a temporary file and moves it into place.
  void draw();

  // A literal of gnuplot in which every sign but letters and blanks is an octal escape; digits too,
  // since gnuplot takes all that follow an escape into it. (Doubling the quotes of a single-quoted
  // literal is not enough: gnuplot 5.4 ends a literal that begins with two.)
  [[nodiscard]] static std::string quote(std::string_view text);

 private:
  std::string path_, terminal_, script_;
  int blocks_ = 0;
};

}  // namespace brace::inline v0
