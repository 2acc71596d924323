// SPDX-License-Identifier: Apache-2.0
// Search over variance equations and laws. Covered by tests/search/variance_search_test.cpp.
#include "brace/search/variance_search.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/diagnosis/law_fit.hpp"
#include "brace/diagnosis/variance_check.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/model/model_line.hpp"
#include "estimation/fit_warnings.hpp"
#include "search/label_width.hpp"

namespace brace::inline v0 {
namespace {

// How far behind the best of all a clean candidate may be and still be proposed.
constexpr double kWorthIt = 10;
// Candidates between two words of progress.
constexpr std::size_t kBatch = 8;

VarianceCandidate candidate_of(const Fit& fit) {
  VarianceCandidate c{scored(fit), fit.persistence, std::nullopt, std::nullopt};
  if (!fit.usable()) return c;
  // Each where the rows allow it.
  const auto p_of = [](auto&& make) -> std::optional<double> {
    try {
      return make();
    } catch (const Error&) {
      return std::nullopt;
    }
  };
  if (!std::holds_alternative<Steady>(fit.model.variance))
    c.arch_p = p_of([&] { return li_mak(fit).p_value; });
  c.sign_p = p_of([&] { return sign_bias(fit).back().p_value; });
  c.law_p = p_of([&] {
    const TestResult judged = law_fit(fit).anderson_darling;
    c.law_p_floor = judged.p_floor.value_or(0);
    return judged.p_value;
  });
  return c;
}

std::string note_of(const VarianceCandidate& c) {
  if (c.status == FitStatus::failed) return "failed";
  return c.status == FitStatus::boundary ? "bound" : "";
}

// In a column of seven.
std::string short_p(std::optional<double> p, double floor = 0) {
  constexpr double kSmall = 1e-99;
  if (p && *p <= floor) return fmt::format("<{:g}", floor);
  return p && *p < kSmall ? fmt::format("<{:g}", kSmall) : text::p_value(p);
}

}  // namespace

bool VarianceCandidate::clean() const {
  for (const auto* p : {&whiteness_p, &arch_p, &sign_p, &law_p})
    if (*p && **p < 0.05) return false;
  return place() == 0;
}

std::vector<Variance> default_variances() {
  return {Steady{},
          Arch{{1, 2, 3, 4, 5}},
          Garch{},
          Garch{{1, 2}, {1}},
          Garch{{1}, {1, 2}},
          Garch{{1, 2}, {1, 2}},
          Igarch{},
          Gjr{},
          Gjr{{1, 2}, {1}},
          Egarch{},
          Egarch{{1, 2}, {1}},
          Aparch{},
          TwoComponents{},
          LongMemory{},
          Ewma{}};
}

VarianceSearch search_variances(const Series& series, const VarianceSearchOptions& options,
                                const Executor& executor) {
  std::vector<Holding<Mean>> means = options.means;
  std::vector<Holding<Variance>> variances = options.variances;
  std::vector<Holding<Shocks>> laws = options.laws;
  if (means.empty()) means.emplace_back(Mean{});
  if (variances.empty())
    for (const Variance& variance : default_variances()) variances.emplace_back(variance);
  if (laws.empty()) laws = {Normal{}, Student{}, Ged{}, SkewStudent{}};
  VarianceSearch out;
  out.criterion = options.criterion;
  out.series = series;
  const auto shared = std::make_shared<const Series>(series);
  std::vector<FitJob> jobs;
  for (const auto& mean : means)
    for (const auto& variance : variances)
      for (const auto& law : laws) {
        Model model{.mean = mean.part, .variance = variance.part, .shocks = law.part};
        for (const auto* held : {&mean.held, &variance.held, &law.held})
          model.held.insert(model.held.end(), held->begin(), held->end());
        FitJob job{.model = canonical(std::move(model)), .series = shared};
        job.options.likelihood = LikelihoodKind::conditional;
        const bool known = std::any_of(jobs.begin(), jobs.end(), [&](const FitJob& other) {
          return other.model == job.model;
        });
        if (!known) jobs.push_back(std::move(job));
      }
  for (std::size_t at = 0; at < jobs.size(); at += kBatch) {
    const std::size_t count = std::min(kBatch, jobs.size() - at);
    const std::vector<FitJob> batch(jobs.begin() + static_cast<std::ptrdiff_t>(at),
                                    jobs.begin() + static_cast<std::ptrdiff_t>(at + count));
    if (options.progress.stop.stop_requested()) break;
    const std::vector<Fit> fits = values_of(fit_many(batch, {}, executor));
    std::vector<VarianceCandidate> found(count);
    executor.for_each(count, [&](std::size_t i) { found[i] = candidate_of(fits[i]); });
    std::move(found.begin(), found.end(), std::back_inserter(out.candidates));
    if (options.progress.report) options.progress.report(at + count, jobs.size());
  }
  if (out.candidates.empty())
    throw Error(ErrorCode::stopped, "search_variances: stopped before a candidate was fitted");
  const auto score = [&](const VarianceCandidate& c) {
    return c.value(out.criterion).value_or(1e300);
  };
  std::stable_sort(out.candidates.begin(), out.candidates.end(),
                   [&](const VarianceCandidate& a, const VarianceCandidate& b) {
                     return std::pair(a.place(), score(a)) < std::pair(b.place(), score(b));
                   });
  for (std::size_t i = 0; i < out.candidates.size(); ++i) {
    const VarianceCandidate& c = out.candidates[i];
    if (c.place() > 0 || score(c) > score(out.candidates.front()) + kWorthIt) break;
    if (c.clean()) {
      out.chosen = i;
      break;
    }
  }
  out.warnings = data_warnings({out.candidates[out.chosen].model}, series);
  if (out.candidates.front().place() > 0)
    out.warnings.push_back({WarningCode::not_converged,
                            "no candidate has a maximum to propose; look at the data first "
                            "(brace inspect, brace breaks)"});
  return out;
}

Fit VarianceSearch::best() const {
  EstimateOptions options;
  options.likelihood = LikelihoodKind::conditional;
  options.start = candidates.at(chosen).estimates;
  options.from = ClimbFrom::start;  // so that it is the same maximum
  return estimate(candidates.at(chosen).model, series, options);
}

std::ostream& operator<<(std::ostream& out, const VarianceSearch& s) {
  const VarianceCandidate& chosen = s.candidates.at(s.chosen);
  const std::optional<double> best = s.candidates.front().value(s.criterion);
  const std::string label = to_string(chosen.model);
  std::string head =
      s.chosen == 0
          ? fmt::format("{} is the best of {} by {}{}", label,
                        text::plural(s.candidates.size(), "candidate", "candidates"),
                        to_string(s.criterion),
                        chosen.clean() ? " and leaves nothing behind."
                                       : "; no candidate near it leaves nothing behind.")
          : fmt::format("{} is proposed of {}: those ahead of it by {} leave something behind.",
                        label, text::plural(s.candidates.size(), "candidate", "candidates"),
                        to_string(s.criterion));
  const auto near = static_cast<std::size_t>(
      std::count_if(s.candidates.begin(), s.candidates.end(), [&](const VarianceCandidate& c) {
        const std::optional<double> value = c.value(s.criterion);
        return &c != &chosen && c.place() == 0 && value &&
               *value < chosen.value(s.criterion).value_or(0) + 2;
      }));
  if (near > 0)
    head += fmt::format(" {} within 2 of it, not a material difference.",
                        near == 1 ? "One other lies" : fmt::format("{} others lie", near));
  out << text::wrap(head) << '\n';
  constexpr std::size_t kShown = 12;
  const auto shown = [&](std::size_t i) { return i < kShown || i == s.chosen; };
  const std::size_t width = label_width(
      s.candidates, shown, [](const VarianceCandidate& c) { return to_string(c.model); });
  out << fmt::format("  {:>4}  {:<{}}{:>9}{:>8}{:>4}{:>7}{:>7}{:>7}{:>7}\n", "rank", "model", width,
                     to_string(s.criterion), "behind", "k", "white", "arch", "sign", "law");
  for (std::size_t i = 0; i < s.candidates.size(); ++i) {
    if (!shown(i)) continue;
    const VarianceCandidate& c = s.candidates[i];
    const std::optional<double> value = c.value(s.criterion);
    std::string line =
        fmt::format("  {:>4}{} {:<{}}{:>9}{:>8}{:>4}{:>7}{:>7}{:>7}{:>7}  {}", i + 1,
                    i == s.chosen && c.place() == 0 ? '>' : ' ', to_string(c.model), width,
                    text::fixed(value, 1), value && best ? text::fixed(*value - *best, 1) : "-",
                    c.estimated, short_p(c.whiteness_p), short_p(c.arch_p), short_p(c.sign_p),
                    short_p(c.law_p, c.law_p_floor), note_of(c));
    line.erase(line.find_last_not_of(' ') + 1);
    out << line << '\n';
  }
  out << text::wrap(
      "p of four nulls, a small one is evidence against the model: white: no memory in z "
      "(Ljung-Box); "
      "arch: none in z^2 (Li-Mak); sign: rises and falls weigh the same (sign bias); law: the "
      "shocks follow it (Anderson-Darling).",
      100, "  ");
  print_warnings(out, s.warnings);
  return out;
}

}  // namespace brace::inline v0
