// SPDX-License-Identifier: Apache-2.0
// Breaks of every kind and their report. Covered by tests/diagnosis/stability_test.cpp.
#include "brace/diagnosis/find_breaks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/first_model.hpp"
#include "brace/diagnosis/stability.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/model/model_line.hpp"
#include "diagnosis/break_words.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::size_t kLeastForPersistence = 250;
// Breaks of two kinds nearer than this are one change seen twice: no segment between them.
constexpr std::size_t kSameChange = 100;
// Fewer rows after the last break are no sample for a model of their own.
constexpr std::size_t kLeastOfItsOwn = 100;

std::vector<double> holm(const std::vector<double>& p) {
  std::vector<std::size_t> order(p.size());
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return p[a] < p[b]; });
  std::vector<double> out(p.size());
  double most = 0;
  for (std::size_t i = 0; i < order.size(); ++i) {
    most = std::max(most, std::min(1.0, static_cast<double>(p.size() - i) * p[order[i]]));
    out[order[i]] = most;
  }
  return out;
}

void add_segments(const Series& closed, const std::vector<BreakReport::Found>& breaks,
                  BreakReport& report, const Model& model, const Executor& executor) {
  std::vector<std::size_t> edges{0};
  const BreakReport::Found* last = nullptr;
  for (const auto& found : breaks) {
    if (last && found.kind != last->kind && found.at.row < last->at.row + kSameChange) continue;
    edges.push_back(found.at.row + 1);
    last = &found;
  }
  edges.push_back(closed.size());
  const auto shared = std::make_shared<Series>(closed);
  std::vector<FitJob> jobs;
  // Long enough for the model, and its rows move.
  const auto fitted = [&](const BreakReport::Segment& s) {
    constexpr double kRounding = 1e-12;
    return s.n >= kLeastForPersistence && edges.size() > 2 && s.sd > kRounding * std::abs(s.mean);
  };
  for (std::size_t s = 0; s + 1 < edges.size(); ++s) {
    BreakReport::Segment segment;
    segment.first = edges[s];
    segment.last = edges[s + 1] - 1;
    segment.n = edges[s + 1] - edges[s];
    if (!closed.times.empty()) {
      segment.first_date = closed.times[segment.first];
      segment.last_date = closed.times[segment.last];
    }
    double sum = 0, squares = 0;
    for (std::size_t t = edges[s]; t < edges[s + 1]; ++t) sum += closed.values[t];
    segment.mean = sum / static_cast<double>(segment.n);
    for (std::size_t t = edges[s]; t < edges[s + 1]; ++t)
      squares += std::pow(closed.values[t] - segment.mean, 2);
    segment.sd = std::sqrt(squares / static_cast<double>(segment.n - 1));
    report.segments.push_back(segment);
    if (fitted(segment)) jobs.push_back({model, shared, edges[s], segment.n, {}});
  }
  const std::vector<Fit> fits = values_of(fit_many(jobs, {}, executor));
  std::size_t next = 0;
  for (BreakReport::Segment& segment : report.segments)
    if (fitted(segment)) {
      const Fit& fit = fits[next++];
      if (fit.usable()) segment.persistence = fit.persistence;
    }
}

// Each segment's mean taken out, the whole's put back.
Series without_means(const Series& closed, const std::vector<hypothesis::BreakDate>& breaks) {
  Series out = closed;
  const double whole =
      std::accumulate(out.values.begin(), out.values.end(), 0.0) / static_cast<double>(out.size());
  std::size_t from = 0;
  for (std::size_t b = 0; b <= breaks.size(); ++b) {
    const std::size_t to = b < breaks.size() ? breaks[b].row + 1 : out.size();
    const auto first = out.values.begin() + static_cast<std::ptrdiff_t>(from),
               last = out.values.begin() + static_cast<std::ptrdiff_t>(to);
    const double mean = std::accumulate(first, last, 0.0) / static_cast<double>(to - from);
    std::for_each(first, last, [&](double& v) { v += whole - mean; });
    from = to;
  }
  return out;
}

// What the breaks mean for the model: its terms, where its last segment begins, and what
// persistence is left within segments.
void take_up(const Series& closed, BreakReport& report) {
  double weighted = 0, total = 0;
  for (const auto& s : report.segments)
    if (s.persistence) {
      weighted += static_cast<double>(s.n) * *s.persistence;
      total += static_cast<double>(s.n);
    }
  if (total > 0) report.persistence_within = weighted / total;
  if (closed.times.empty()) return;
  for (auto& f : report.breaks) {
    if (f.at.row + 1 >= closed.size()) continue;
    report.from = closed.times[f.at.row + 1];
    f.term = "step:" + format_date(*report.from);
    report.terms.push_back(f.term);
  }
  if (!last_date_is_known(report) || rows_after_breaks(report) < kLeastOfItsOwn)
    report.from.reset();
}

// The steps of the search; each writes its part of the report.
class BreakSearch {
 public:
  BreakSearch(const Series& series, const FindBreaksOptions& options, const Executor& executor)
      : series_(series), closed_(without_gaps(series)), options_(options), executor_(executor) {
    if (!options.model.empty()) model_ = parse_model(options.model);
    report_.of = series.name;
    report_.significance = options.significance;
    report_.unit = series.unit_a_period();
  }

  BreakReport run() {
    test_mean();
    test_variance();
    test_parameters();
    judge();
    date_breaks();
    compare_with_others();
    tell();
    return std::move(report_);
  }

 private:
  void warn(WarningCode code, std::string text) {
    report_.warnings.push_back({code, std::move(text)});
  }

  void test_mean() {
    mean_ = hypothesis::bai_perron(closed_, {.number = options_.number, .long_run = true});
    const auto ud = std::find_if(mean_.tests.begin(), mean_.tests.end(),
                                 [](const TestResult& t) { return t.variant == "UDmax"; });
    report_.tests.push_back(*ud);
    p_.push_back(*ud->p_value);
    level_ = mean_.breaks.empty() ? closed_ : without_means(closed_, mean_.breaks);
    if (options_.model.empty()) model_ = first_model(level_);
    report_.model = to_string(canonical(model_));
  }

  void test_variance() {
    hypothesis::VarianceBreaksOptions squares;
    if (options_.bandwidth)
      squares.squares = {.scale = hypothesis::SquaresScale::bartlett,
                         .bandwidth = options_.bandwidth};
    variance_ = hypothesis::variance_breaks(level_, squares);
    report_.tests.push_back(variance_.test);
    p_.push_back(*variance_.test.p_value);
  }

  // By the model, whose likelihood also scans for a break of the variance.
  void test_parameters() {
    fit_ = estimate(model_, level_);
    if (!fit_.usable()) {
      warn(WarningCode::not_converged,
           fmt::format("'{}' has no usable fit here ({}), so its parameters are "
                       "not tested; give another `model`",
                       report_.model, fit_.convergence.why));
      return;
    }
    report_.persistence = fit_.persistence;
    try {
      scan_ = variance_break_test(fit_, {}, executor_);
      report_.tests.push_back(*scan_);
      p_[1] = std::min(1.0, 2 * std::min(p_[1], *scan_->p_value));
    } catch (const Error& error) {
      // Too few rows, or rows that do not move: the other tests do without.
      warn(WarningCode::few_observations,
           fmt::format("the likelihood's scan for a break of the variance is left out ({})",
                       error.what()));
    }
    try {
      report_.tests.push_back(nyblom(fit_).front());
      p_.push_back(*report_.tests.back().p_value);
    } catch (const Error& error) {
      warn(WarningCode::few_observations,
           fmt::format("the test of constant parameters is left out ({})", error.what()));
    }
  }

  // On all kinds together.
  void judge() {
    const std::vector<double> adjusted = holm(p_);
    report_.holm = {adjusted[0], adjusted[1],
                    adjusted.size() > 2 ? std::optional(adjusted[2]) : std::nullopt};
  }

  void date_breaks() {
    if (options_.number || report_.holm.mean < options_.significance)
      for (const hypothesis::BreakDate& b : mean_.breaks)
        report_.breaks.push_back({BreakKind::mean, b});
    if (report_.holm.variance < options_.significance) {
      // A change too large for the cumulated squares still has its corner there.
      if (variance_.breaks.empty())
        variance_.breaks = {
            hypothesis::variance_break_at(level_, variance_.test.break_at->row + 1)};
      for (const hypothesis::BreakDate& b : variance_.breaks)
        report_.breaks.push_back({BreakKind::variance, b});
    }
    // Parameters: a date of its own only where nothing else was found.
    if (scan_ && report_.breaks.empty() &&
        report_.holm.parameters.value_or(1) < options_.significance) {
      const std::size_t at = scan_->break_at->row;
      const auto date = scan_->break_at->date;
      report_.breaks.push_back({BreakKind::parameters, {at, date, at, at, date, date}});
      warn(WarningCode::break_suspected,
           "the date of a change of parameters is a best guess and has no interval");
    }
    std::sort(report_.breaks.begin(), report_.breaks.end(),
              [](const auto& a, const auto& b) { return a.at.row < b.at.row; });
  }

  // Tests that inform and do not decide.
  void compare_with_others() {
    report_.tests.push_back(hypothesis::cusum_ols(closed_));
    report_.tests.push_back(
        hypothesis::cumulative_squares(level_, {.scale = hypothesis::SquaresScale::normal}));
    report_.tests.back().reading = "rejects under clustering alone: for comparison";
    if (!fit_.usable()) return;
    TestResult on_z = hypothesis::cumulative_squares(fit_.standardised());
    on_z.variant = "z of model";
    report_.tests.push_back(std::move(on_z));
  }

  void tell() {
    for (Warning& warning : data_warnings(closed_)) report_.warnings.push_back(std::move(warning));
    if (series_.missing() > 0)
      warn(WarningCode::gaps_dropped,
           fmt::format("{} missing: the tests close the gaps",
                       text::plural(series_.missing(), "value is", "values are")));
    add_segments(closed_, report_.breaks, report_, model_, executor_);
    if (!report_.breaks.empty()) take_up(closed_, report_);
    report_.reading = reading_of(report_);
    report_.advice = advice_of(report_);
  }

  const Series& series_;
  Series closed_, level_;
  const FindBreaksOptions& options_;
  const Executor& executor_;
  Model model_;
  hypothesis::BaiPerron mean_;
  hypothesis::VarianceBreaks variance_;
  Fit fit_;
  std::optional<TestResult> scan_;
  std::vector<double> p_;  // of mean, variance and, where there is a fit, parameters
  BreakReport report_;
};

}  // namespace

BreakReport find_breaks(const Series& series, const FindBreaksOptions& options,
                        const Executor& executor) {
  require_usable(series, kLeastForPersistence, "a search for breaks");
  return BreakSearch(series, options, executor).run();
}

}  // namespace brace::inline v0
