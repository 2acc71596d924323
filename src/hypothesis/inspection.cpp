// SPDX-License-Identifier: Apache-2.0
// The first look. Covered by tests/hypothesis/first_look_test.cpp.
#include "brace/hypothesis/inspection.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/few_rows.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/series/transform.hpp"
#include "hypothesis/by_law.hpp"

namespace brace::inline v0 {
namespace {

// Share of exact zeros from which a return series looks flat or filled.
constexpr double kManyZeros = 0.10;
// Of random walks of n rows, from 30 to 100, 94 to 97 in 100 have a first autocorrelation above
// 1 - 15/n, and of longer ones more have one above this.
constexpr double kLevelLike = 0.9;
constexpr std::size_t kFewestForLevel = 30;
// Share of flat candles that is no accident of a quiet market.
constexpr double kFlatShare = 0.002;

// Lags shown in the table of p-values; the figure shows each.
constexpr int kLagsTabled[] = {1, 2, 3, 5, 10, 15, 20, 30};
// A step in |returns| whose memory parameter is above this lingers for months.
constexpr double kLingers = 0.2;

bool memory_of(const Inspection& i) {
  // The robust form decides: the plain one takes clustering for memory.
  return *test_of(i.tests, "ljung-box-robust").rejects();
}

bool clusters(const Inspection& i) {
  return *test_of(i.tests, "arch-lm").rejects();
}

std::string read(const Inspection& i, const FewRows& few) {
  if (!few.rows.empty() && !few.of_changes)
    return fmt::format(
        "{}: {} most of the variance, and the tests see little else", i.name,
        few.rows.size() == 1 ? "one row makes" : fmt::format("{} rows make", few.rows.size()));
  const std::string_view tails =
      i.moments.excess_kurtosis > 1 ? "heavy tails" : "tails near the normal";
  return fmt::format("{}: {}, {} from one {} to the next, {}", i.name, tails,
                     memory_of(i) ? "memory" : "no clear memory", i.period,
                     clusters(i) ? "and volatility that clusters" : "and steady volatility");
}

std::vector<Inspection::WhitenessRow> whiteness_by_lag(const Series& series, int lags) {
  std::vector<Inspection::WhitenessRow> rows;
  const LagTable values = lag_table(series, lags), of_squares = lag_table(squares(series), lags);
  for (std::size_t k = 0; k < values.rows.size(); ++k)
    rows.push_back({values.rows[k].lag, values.rows[k].p_value, values.rows[k].p_robust,
                    of_squares.rows[k].p_value});
  return rows;
}

std::vector<std::string> advise(const Inspection& i, const Series& series, const FewRows& few) {
  std::vector<std::string> advice;
  if (has_warning(i.warnings, WarningCode::level_modelled)) {
    advice.emplace_back(
        "This is a level: its tests reject regardless of its returns. `unit_root_battery` "
        "says which series may be modelled; inspect that one.");
    return advice;
  }
  if (!few.rows.empty() && !few.of_changes) {
    advice.emplace_back(
        "Look at what few-rows-decide names before anything else: no test here tells of the other "
        "rows.");
    return advice;
  }
  const bool plain = *test_of(i.tests, "ljung-box").rejects(), robust = memory_of(i);
  if (robust)
    advice.emplace_back(
        "There is memory: lags shows at which lags, and each asks for an ar or ma term.");
  else if (plain)
    advice.emplace_back(
        "The plain Ljung-Box rejects and the robust one does not: that is clustering volatility, "
        "not "
        "memory. A constant mean will do.");
  else
    advice.emplace_back("No memory to model in the mean: a constant will do.");
  if (clusters(i))
    advice.push_back(fmt::format("Volatility clusters: give the variance an equation (garch){}.",
                                 i.moments.excess_kurtosis > 1
                                     ? " and, the tails being heavy, the shocks a Student law"
                                     : ""));
  else if (test_of(i.tests, "mcleod-li").rejects().value_or(false))
    advice.emplace_back(
        robust
            ? "The squares are autocorrelated because the values are: without that memory "
              "(arch-lm) volatility does not cluster."
            : "mcleod-li finds the squares autocorrelated and arch-lm does not: volatility may "
              "cluster weakly; check the fit of a steady variance before giving it an equation.");
  // Of a level, or of values of one sign, no row is a fall or a rise.
  if (i.leverage_p && *i.leverage_p < 0.05 && counts_from_zero(series))
    advice.emplace_back(
        "Returns predict the volatility that follows (leverage): `leverage_table` shows which "
        "side; a symmetric variance equation misses it.");
  if (!i.tails.empty() && i.tails[0].alpha - 1.96 * i.tails[0].se < 4)
    advice.push_back(
        fmt::format("The tail index is {}: a fourth moment may not exist, so kurtosis and "
                    "tests on squares are rough guides.",
                    text::fixed(i.tails[0].alpha, 1)));
  // Sizes of a level are its heights.
  if (i.memory.size() == 2 && i.memory[1].d - 1.96 * i.memory[1].se > kLingers && !lingers(series))
    advice.push_back(
        fmt::format("The sizes remember for long (d {}): a lasting change of variance looks "
                    "the same, so test for one before a long-memory model.",
                    text::fixed(i.memory[1].d, 2)));
  if (series.missing() > 0)
    advice.push_back(
        fmt::format("{} missing: nothing is filled; models skip them, and tests close or "
                    "drop them.",
                    text::plural(series.missing(), "value is", "values are")));
  return advice;
}

}  // namespace

const TestResult& test_of(const std::vector<TestResult>& tests, std::string_view id) {
  const auto at =
      std::find_if(tests.begin(), tests.end(), [&](const TestResult& t) { return t.test == id; });
  if (at == tests.end())
    throw Error(ErrorCode::bad_option, fmt::format("no test '{}' among the results", id));
  return *at;
}

Inspection inspect(const Series& series, const InspectOptions& options) {
  require_usable(series, 20, "a first look");
  Inspection out;
  out.name = series.name;
  out.unit = series.unit;
  out.period = series.period();
  out.moments = moments(series);
  out.lags = given_or(options.lags, default_whiteness_lags(series.present()), "lags");
  const std::optional<int> lags = options.lags;
  out.tests = {hypothesis::mean_zero_test(series),
               hypothesis::symmetry_test(series),
               hypothesis::kurtosis_test(series),
               hypothesis::jarque_bera(series),
               hypothesis::ljung_box(series, {.lags = lags}),
               hypothesis::ljung_box_robust(series, {.lags = lags}),
               hypothesis::mcleod_li(series, {.lags = lags}),
               hypothesis::arch_lm(series, {.lags = lags})};
  // Where the values have memory their squares have it too: what is left without it decides.
  if (memory_of(out))
    out.tests.back() = hypothesis::arch_lm(series, {.lags = lags, .mean_lags = {}});
  for (const int at : options.at) {
    out.tests.push_back(hypothesis::ljung_box(series, {.lags = at}));
    out.tests.push_back(hypothesis::ljung_box_robust(series, {.lags = at}));
  }
  const int quarter = static_cast<int>(series.present() / 4);
  out.whiteness = whiteness_by_lag(series, std::max(out.lags, std::min(30, quarter)));
  out.extremes = extremes(series, options.extremes);
  if (series.present() >= 50) {
    out.memory = {local_whittle(series), local_whittle(absolute_values(series))};
    out.leverage_p = leverage_table(series, 5).p_value;
  }
  if (series.present() >= 100)
    for (const TailSide tail : {TailSide::both, TailSide::left, TailSide::right}) {
      try {
        out.tails.push_back(tail_index(series, tail));
      } catch (const Error&) {
        // A side with too few values, or equal ones, has no index; neither has the series then.
        out.tails.clear();
        break;
      }
    }
  if (options.bars)
    for (const RangeEstimator estimator :
         {RangeEstimator::close_to_close, RangeEstimator::yang_zhang, RangeEstimator::parkinson,
          RangeEstimator::garman_klass, RangeEstimator::rogers_satchell})
      if (const auto variance = mean_variance(*options.bars, estimator))
        out.range_volatility.push_back({estimator, std::sqrt(*variance)});
  const FewRows few = rows_that_decide(series);
  out.reading = read(out, few);
  out.warnings = data_warnings(series);
  if (options.bars)
    if (const std::size_t flat = flat_bars(*options.bars);
        static_cast<double>(flat) > kFlatShare * static_cast<double>(options.bars->close.size()))
      out.warnings.push_back(
          {WarningCode::flat_bars,
           fmt::format(
               "{} only repeat the last close in open, high, low and close, as holidays kept in "
               "the file do; drop them with `drop_flat`, or `drop_zero` with the volume",
               text::plural(flat, "row", "rows"))});
  out.advice = advise(out, series, few);
  return out;
}

bool lingers(const Series& series) {
  constexpr double kLikeTheOneBefore = 0.5;
  if (series.kind != SeriesKind::values) return !is_return(series.kind);
  return series.present() < 2 || maths::autocorrelations(series.values, 1)[0] >= kLikeTheOneBefore;
}

bool counts_from_zero(const Series& series) {
  if (lingers(series)) return false;
  const auto some = [&](auto side) { return std::ranges::any_of(series.values, side); };
  return series.kind != SeriesKind::values ||
         (some([](double v) { return v < 0; }) && some([](double v) { return v > 0; }));
}

std::vector<Warning> data_warnings(const Series& series) {
  std::vector<Warning> warnings;
  const std::size_t n = series.present();
  if (!is_return(series.kind) && n >= kFewestForLevel &&
      maths::autocorrelations(series.values, 1)[0] >
          std::min(kLevelLike, 1 - 15 / static_cast<double>(n))) {
    const Series latest = hypothesis::unit_root::latest_rows(series);
    TestResult level;
    bool trend = false;
    try {
      level = hypothesis::adf(latest);
      trend = level.p_value.value_or(0) > 0.10 && hypothesis::unit_root::drifts(latest);
      if (trend) level = hypothesis::adf(latest, {.deterministic = Deterministic::trend});
    } catch (const Error&) {
      // Without noise, as on an exact line, the test has nothing to regress: no warning from it.
    }
    const std::string p = "p " + text::p_value(level.p_value, level.p_floor);
    if (level.p_value.value_or(0) > 0.10)
      warnings.push_back(
          {WarningCode::level_modelled,
           fmt::format("a unit root in {} is not rejected (adf {}), and then tests and models of "
                       "it mean little; take {}, or first run `unit_root_battery`",
                       series.name, p,
                       all_positive(series) ? "returns with `returns` log"
                                            : "its difference with `transform` diff1")});
    else if (trend)
      warnings.push_back(
          {WarningCode::level_modelled,
           fmt::format("{} moves around a trend (adf with a trend rejects a unit root, {}), and "
                       "tests and models of it without that trend mean little; write trend in the "
                       "model line, or first run `unit_root_battery`",
                       series.name, p)});
  }
  const auto zeros =
      static_cast<std::size_t>(std::count(series.values.begin(), series.values.end(), 0.0));
  if (static_cast<double>(zeros) > kManyZeros * static_cast<double>(n))
    warnings.push_back(
        {WarningCode::zero_returns_many,
         fmt::format("{} of {} values are exactly 0; where these are days without trading, drop "
                     "them by the column of their volume (`drop_zero`), if there is one",
                     text::count(zeros), text::count(n))});
  if (auto few = few_rows_decide(series)) warnings.push_back(std::move(*few));
  return warnings;
}

namespace {

void print_whiteness(std::ostream& out, const Inspection& i) {
  std::string head = "  p up to lag    ", robust = "  values, robust ", plain = "  values, plain  ",
              of_squares = "  squares        ";
  for (const int lag : kLagsTabled) {
    if (static_cast<std::size_t>(lag) > i.whiteness.size()) break;
    const Inspection::WhitenessRow& row = i.whiteness[static_cast<std::size_t>(lag) - 1];
    head += fmt::format("{:>9}", lag);
    robust += fmt::format("{:>9}", text::p_value(row.values_robust));
    plain += fmt::format("{:>9}", text::p_value(row.values));
    of_squares += fmt::format("{:>9}", text::p_value(row.squares));
  }
  out << '\n' << head << '\n' << robust << '\n' << plain << '\n' << of_squares << '\n';
}

void print_extremes(std::ostream& out, const Inspection& i) {
  std::string head = "  extremes       ", values = "  value          ", sizes = "  robust sizes   ";
  for (const ExtremeRow& e : i.extremes) {
    const std::string when = e.date ? format_date(*e.date) : fmt::format("row {}", e.index + 1);
    const std::size_t width = when.size() + 2;
    if (head.size() + width > 100) break;
    head += fmt::format("{:>{}}", when, width);
    values += fmt::format("{:>{}}", text::significant(e.value, 4), width);
    sizes += fmt::format("{:>{}}", text::fixed(e.sizes, 1), width);
  }
  out << '\n' << head << '\n' << values << '\n' << sizes << "\n\n";
}

void print_memory_and_tails(std::ostream& out, const Inspection& i) {
  if (i.memory.size() == 2)
    out << text::wrap(
        fmt::format("memory d (local Whittle, error {}): values {}, {}; sizes {}, {}",
                    text::fixed(i.memory[0].se, 2), text::fixed(i.memory[0].d, 2),
                    i.memory[0].reading, text::fixed(i.memory[1].d, 2), i.memory[1].reading),
        100, "  ");
  const auto index = [](const TailIndex& t) {
    constexpr double kNoTail = 1000;  // equal extremes
    return t.alpha < kNoTail ? fmt::format("{} ({})", text::fixed(t.alpha, 1), text::fixed(t.se, 1))
                             : fmt::format("above {:g}", kNoTail);
  };
  if (i.tails.size() == 3)
    out << fmt::format("  tail index (Hill, {} values): {}; falls {}, rises {}\n", i.tails[0].k,
                       index(i.tails[0]), index(i.tails[1]), index(i.tails[2]));
  if (i.range_volatility.empty()) return;
  std::string whole, session;
  for (const Inspection::RangeVolatility& r : i.range_volatility) {
    const bool of_day =
        r.estimator == RangeEstimator::close_to_close || r.estimator == RangeEstimator::yang_zhang;
    std::string& list = of_day ? whole : session;
    list += fmt::format("{}{} {}", list.empty() ? "" : ", ", to_string(r.estimator),
                        text::significant(r.sd, 3));
  }
  out << text::wrap(fmt::format("volatility by range, percent a {}: {}; from open to close: {}",
                                i.period, whole, session),
                    100, "  ");
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Inspection& inspection) {
  const Moments& m = inspection.moments;
  out << text::wrap(text::sentence(inspection.reading) + ".") << '\n'
      << fmt::format(
             "  {} observations{}: mean {}, median {}, standard deviation {}\n", text::count(m.n),
             inspection.unit ? " in " + unit_a_period(inspection.unit, inspection.period) : "",
             text::significant(m.mean, 3), text::significant(m.median, 3),
             text::significant(m.sd, 4))
      << fmt::format("  least {}, most {}; skewness {}, excess kurtosis {}\n\n",
                     text::significant(m.min, 4), text::significant(m.max, 4),
                     text::fixed(m.skewness, 2), text::fixed(m.excess_kurtosis, 2));
  for (const TestResult& test : inspection.tests)
    out << fmt::format("  {:<17}{:>9}  p {:<9}null: {}\n", test.test,
                       text::significant(test.statistic, 4),
                       text::p_value(test.p_value, test.p_floor), test.null);
  print_whiteness(out, inspection);
  print_extremes(out, inspection);
  print_memory_and_tails(out, inspection);
  out << '\n';
  for (const std::string& advice : inspection.advice) out << text::wrap(advice, 100, "  ");
  print_warnings(out, inspection.warnings);
  return out;
}

}  // namespace brace::inline v0
