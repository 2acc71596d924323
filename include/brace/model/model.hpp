// SPDX-License-Identifier: Apache-2.0
// A model as a value: mean equation, variance equation, shock law. The model line is its label.
//
//   brace::Model m{.mean = {.ar = {1}}, .variance = brace::Garch{}, .shocks = brace::Student{}};
//   brace::to_string(m);     // "const ar1 / garch e1 h1 / student"
//
// Threads: a plain value; reading one from several threads at once is safe.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

using Lags = std::vector<int>;  // positive; canonical() sorts them and drops repeats

// ---- Mean:  y_t - mu_t = sum ar_i (y_{t-i} - mu_{t-i}) + e_t + sum ma_j e_{t-j} ----

struct Harmonics {
  int period = 0;                                      // observations in a season
  int pairs = 0;                                       // cosine and sine pairs, at most period / 2
  auto operator<=>(const Harmonics&) const = default;  // NOLINT(modernize-use-nullptr): tidy errs
};

struct Regressor {
  enum class Source { column, step, pulse, fade, weekday, month };
  Source source = Source::column;
  std::string column;    // source == column
  int rows_earlier = 0;  // column@rows_earlier
  // step: 1 from this date on; pulse: 1 on it; fade: 1 on it, then .7, .49, .343...
  std::optional<Timestamp> at;
  // weekday: 0 Sunday .. 6, month: 1 .. 12; left out: all there are but the first, until resolved()
  // names them.
  std::optional<int> category{};
  auto operator<=>(const Regressor&) const = default;  // NOLINT(modernize-use-nullptr): the same
};

enum class RiskTerm { sd, variance };  // volatility in the mean

struct Mean {
  bool constant = true;
  bool trend = false;
  Lags differences{};  // each (1 - B^d)
  Lags ar{}, ma{};
  Lags seasonal_ar{}, seasonal_ma{};  // one multiplicative factor each
  std::vector<Harmonics> harmonics{};
  std::vector<Regressor> regressors{};
  std::optional<RiskTerm> risk{};
  bool operator==(const Mean&) const = default;
};

// ---- Variance:  e = shock, h = variance; `e` and `h` are the lags of each, as in the model line
// ("garch e1 h1"), `word` is what that says, `parameters` are named where lags do not name them
// ----

struct Steady {
  static constexpr std::string_view word = "steady";
  static constexpr std::array<std::string_view, 1> parameters{"sigma2"};
  bool operator==(const Steady&) const = default;
};
struct Arch {
  static constexpr std::string_view word = "arch";
  Lags e{1};
  bool operator==(const Arch&) const = default;
};
struct Garch {
  static constexpr std::string_view word = "garch";
  Lags e{1}, h{1};
  bool operator==(const Garch&) const = default;
};
struct Igarch {
  static constexpr std::string_view word = "igarch";
  Lags e{1}, h{1};
  bool operator==(const Igarch&) const = default;
};
struct Gjr {
  static constexpr std::string_view word = "gjr";
  Lags e{1}, h{1};
  bool operator==(const Gjr&) const = default;
};
struct Egarch {
  static constexpr std::string_view word = "egarch";
  Lags e{1}, h{1};
  bool operator==(const Egarch&) const = default;
};
struct Aparch {
  static constexpr std::string_view word = "aparch";
  Lags e{1}, h{1};
  bool operator==(const Aparch&) const = default;
};
struct TwoComponents {
  static constexpr std::string_view word = "twocomp";
  static constexpr std::array<std::string_view, 5> parameters{"omega", "alpha1", "beta1", "rho",
                                                              "phi"};
  bool operator==(const TwoComponents&) const = default;
};
struct LongMemory {
  static constexpr std::string_view word = "longmem";
  static constexpr std::array<std::string_view, 4> parameters{"omega", "phi1", "d", "beta1"};
  bool operator==(const LongMemory&) const = default;
};
struct Ewma {
  static constexpr std::string_view word = "ewma";
  static constexpr std::array<std::string_view, 1> parameters{"weight"};
  bool operator==(const Ewma&) const = default;
};

using Variance =
    std::variant<Steady, Arch, Garch, Igarch, Gjr, Egarch, Aparch, TwoComponents, LongMemory, Ewma>;

// ---- Shocks: unit-variance laws ----

struct Normal {
  static constexpr std::string_view word = "normal";
  static constexpr std::array<std::string_view, 0> parameters{};
  bool operator==(const Normal&) const = default;
};
struct Student {
  static constexpr std::string_view word = "student";
  static constexpr std::array<std::string_view, 1> parameters{"nu"};
  bool operator==(const Student&) const = default;
};
struct Ged {
  static constexpr std::string_view word = "ged";
  static constexpr std::array<std::string_view, 1> parameters{"nu"};
  bool operator==(const Ged&) const = default;
};
struct SkewStudent {
  static constexpr std::string_view word = "skew-student";
  static constexpr std::array<std::string_view, 2> parameters{"nu", "skew"};
  bool operator==(const SkewStudent&) const = default;
};

using Shocks = std::variant<Normal, Student, Ged, SkewStudent>;

// A parameter held at a value instead of estimated.
struct Held {
  std::string name;
  double value = 0;
  bool operator==(const Held&) const = default;
};

struct Model {
  Mean mean{};
  Variance variance = Steady{};
  std::vector<Regressor> variance_regressors{};
  Shocks shocks = Normal{};
  std::vector<Held> held{};
  bool operator==(const Model&) const = default;
};

// The same model with lags sorted and merged, repeats dropped and held parameters in the order of
// parameter_names. Throws Error (bad_model_line) on contradictions, such as a lag of 0, or a held
// parameter that the model does not have.
[[nodiscard]] Model canonical(Model model);

// AR and MA coefficients of all factors, which tests of residuals take from their degrees of
// freedom.
[[nodiscard]] int arma_terms(const Model& model);

// "garch", "student": the family's word in the model line.
[[nodiscard]] std::string_view family_name(const Variance& variance);
[[nodiscard]] std::string_view law_name(const Shocks& shocks);

// Lags of e and of h in the variance equation; null where the family has none.
[[nodiscard]] const Lags* shock_lags(const Variance& variance);
[[nodiscard]] const Lags* variance_lags(const Variance& variance);

// Parameters of a canonical model in the order of every vector and table in Brace: mean, variance,
// shocks. Held ones are included.
struct ParameterNames {
  std::vector<std::string> mean, variance, shocks;
  [[nodiscard]] std::vector<std::string> all() const;
};
[[nodiscard]] ParameterNames parameter_names(const Model& model);

// The same model with 'weekday' and 'month' written out as one dummy for each that occurs in
// `series` but the first ("weekday:tue,weekday:wed"). Throws Error (bad_model_line) where the
// series has no dates, or no column of that name among its companions.
[[nodiscard]] Model resolved(Model model, const Series& series);

}  // namespace brace::inline v0
BRACE_API_END
