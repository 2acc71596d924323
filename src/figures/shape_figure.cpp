// SPDX-License-Identifier: Apache-2.0
// Histogram and folded quantiles. Covered by tests/figures/figure_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <boost/math/special_functions/gamma.hpp>
#include <cmath>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/figures/figure.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/laws/standard.hpp"
#include "figures/panels.hpp"

namespace brace::inline v0 {
namespace {

// A normal or Student law with its centre and standard deviation.
struct Law {
  double mean, sd;
  std::optional<double> nu;  // empty: normal

  [[nodiscard]] double quantile(double p) const {
    return mean + sd * (nu ? laws::unit_student_quantile(p, *nu) : laws::normal_quantile(p));
  }
  [[nodiscard]] double density(double x) const {
    const double z = (x - mean) / sd;
    if (!nu) return std::exp(-z * z / 2) / (sd * std::sqrt(2 * M_PI));
    const double scale = sd * std::sqrt((*nu - 2) / *nu), t = (x - mean) / scale;
    return std::exp(boost::math::lgamma((*nu + 1) / 2) - boost::math::lgamma(*nu / 2) -
                    (*nu + 1) / 2 * std::log1p(t * t / *nu)) /
           (scale * std::sqrt(*nu * M_PI));
  }
};

std::optional<Law> student_law(const Series& values) {
  try {
    const Fit fit = estimate("const / steady / student", values);
    // At the upper bound of nu the law is the normal one.
    if (fit.convergence.status != FitStatus::converged) return std::nullopt;
    const std::vector<double> theta = fit.estimates();
    return Law{theta[0], std::sqrt(theta[1]), theta[2]};
  } catch (const Error&) {
    return std::nullopt;
  }
}

// Freedman and Diaconis (1981), kept between 20 and 120 bins over the range shown.
int bins_for(std::size_t n, double quartile_range, double width) {
  const double bin = 2 * quartile_range / std::cbrt(static_cast<double>(n));
  return bin > 0 ? std::clamp(static_cast<int>(width / bin), 20, 120) : 40;
}

void histogram(Gnuplot& plot, const Series& values, const std::vector<double>& sorted,
               const Law& normal, const std::optional<Law>& student) {
  const std::size_t n = sorted.size();
  const double range = sorted[3 * n / 4] - sorted[n / 4];
  const double centre = sorted[n / 2];
  // The tails are the other panel's business: here the body, and a word on what lies outside.
  const double reach =
      range > 0 ? std::min(4 * range, std::max(sorted.back() - centre, centre - sorted.front()))
                : std::max(sorted.back() - centre, centre - sorted.front());
  const double low = centre - reach, high = centre + reach;
  const int bins = bins_for(n, range, high - low);
  const double width = (high - low) / bins;
  std::vector<double> at, density(static_cast<std::size_t>(bins));
  for (int b = 0; b < bins; ++b) at.push_back(low + (b + 0.5) * width);
  std::size_t outside = 0;
  for (const double v : sorted) {
    const double place = (v - low) / width;
    if (place < 0 || place > bins) {
      ++outside;
      continue;
    }
    density[static_cast<std::size_t>(std::min(bins - 1, static_cast<int>(place)))] +=
        1 / (static_cast<double>(n) * width);
  }
  std::vector<double> x, of_normal, of_student;
  for (int i = 0; i <= 400; ++i) {
    x.push_back(low + (high - low) * i / 400);
    of_normal.push_back(normal.density(x.back()));
    of_student.push_back(student ? student->density(x.back())
                                 : std::numeric_limits<double>::quiet_NaN());
  }
  const std::string boxes = plot.data({at, density}),
                    curves = plot.data({x, of_normal, of_student});
  plot.panel(0.06, 0.47, 0.09, 0.93, caption(values));
  set_x_axis(plot, false, low, high);
  // Room above for the words.
  const double peak = std::max(*std::max_element(density.begin(), density.end()),
                               *std::max_element(of_normal.begin(), of_normal.end()));
  plot.add(fmt::format("set yrange [0:{}]; set ytics autofreq nomirror out", 1.22 * peak));
  plot.add(fmt::format("set boxwidth {}", 0.92 * width));
  const auto label = [&](int number, double y, const std::string& text, std::string_view colour) {
    plot.add(fmt::format(
        "set label {} {} at graph 0.99, graph {} right font 'DejaVu Sans,10' textcolor rgb '{}'",
        number, Gnuplot::quote(text), y, colour));
  };
  label(11, 0.96, fmt::format("dashed: normal, sd {}", text::significant(normal.sd, 3)),
        palette::coral);
  if (student)
    label(12, 0.915,
          fmt::format("solid: Student, {} degrees of freedom", text::significant(*student->nu, 3)),
          palette::tide);
  if (outside > 0)
    label(13, 0.87, fmt::format("{} of {} lie outside", outside, text::count(n)), palette::ink);
  std::string command = fmt::format(
      "plot {} using 1:2 with boxes lc rgb '{}', {} using 1:2 with lines dt 2 lw 2 lc rgb '{}'",
      boxes, palette::haze, curves, palette::coral);
  if (student)
    command += fmt::format(", {} using 1:3 with lines lw 2.2 lc rgb '{}'", curves, palette::tide);
  plot.add(command);
}

// Order statistics to draw: all of the outer ones, then ever fewer towards the middle.
std::vector<std::size_t> ranks_drawn(std::size_t half) {
  std::vector<std::size_t> ranks;
  for (std::size_t k = 1; k <= half;) {
    ranks.push_back(k);
    k += std::max<std::size_t>(1, k / 60);
  }
  return ranks;
}

void folded_quantiles(Gnuplot& plot, const std::vector<double>& sorted, const Law& law,
                      const Law& normal) {
  const std::size_t n = sorted.size();
  std::vector<double> expected, rise, fall, low, high, of_normal;
  for (const std::size_t k : ranks_drawn(n / 2)) {
    // The k-th largest rise and fall, as distances from the centre of the law.
    const double p = 1 - (static_cast<double>(k) - 0.5) / static_cast<double>(n);
    const auto a = static_cast<double>(n - k + 1), b = static_cast<double>(k);
    expected.push_back(law.quantile(p) - law.mean);
    rise.push_back(sorted[n - k] - law.mean);
    fall.push_back(law.mean - sorted[k - 1]);
    low.push_back(law.quantile(laws::beta_quantile(0.025, a, b)) - law.mean);
    high.push_back(law.quantile(laws::beta_quantile(0.975, a, b)) - law.mean);
    of_normal.push_back(normal.quantile(p) - normal.mean);
  }
  const std::string d = plot.data({expected, rise, fall, low, high, of_normal});
  const double reach = 1.04 * expected.front();
  double top = reach;
  for (const std::vector<double>* sizes : {&rise, &fall})
    top = std::max(top, 1.04 * sizes->front());
  plot.panel(0.55, 0.985, 0.09, 0.93,
             fmt::format("sizes of moves, against those that the {} law expects",
                         law.nu ? "Student" : "normal"));
  set_x_axis(plot, false, 0, reach);
  // The band of the largest value runs far up under heavy tails; the points set the scale.
  plot.add(fmt::format("set yrange [0:{}]; set ytics autofreq nomirror out",
                       std::max(top, 1.25 * expected.front())));
  std::string command = fmt::format(
      "plot {0} using 1:4:5 with filledcurves lc rgb '{1}', x lw 1 lc rgb '{2}', {0} using 1:2 "
      "with points pt 7 "
      "ps 0.7 lc rgb '{3}', {0} using 1:3 with points pt 8 ps 0.9 lw 1.4 lc rgb '{4}'",
      d, palette::fog, palette::ink, palette::kelp, palette::coral);
  if (law.nu)
    command += fmt::format(", {} using 1:6 with lines dt 2 lw 1.6 lc rgb '{}'", d, palette::brass);
  plot.add(command);
  foot_note(plot, fmt::format(
                      "disc: rise   triangle: fall   band: 95 % of each size if the law is right{}",
                      law.nu ? "   dashed: sizes under a normal law" : ""));
}

}  // namespace

void draw_shape(const Series& values, const std::string& path) {
  require_usable(values, 20, "a figure of the law");
  Gnuplot plot(path);
  std::vector<double> sorted = values.present_values();
  std::sort(sorted.begin(), sorted.end());
  const Moments m = moments(values);
  const Law normal{m.mean, m.sd, std::nullopt};
  const std::optional<Law> student = student_law(values);
  histogram(plot, values, sorted, normal, student);
  folded_quantiles(plot, sorted, student.value_or(normal), normal);
  plot.draw();
}

}  // namespace brace::inline v0
