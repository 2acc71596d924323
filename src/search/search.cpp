// SPDX-License-Identifier: Apache-2.0
// Search over mean equations. Covered by tests/search/search_test.cpp.
#include "brace/search/search.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/model_line.hpp"
#include "estimation/fit_warnings.hpp"
#include "model/lag_product.hpp"
#include "search/label_width.hpp"

namespace brace::inline v0 {
namespace {

// What takes about three seconds on one core, in the unit of Searcher::run.
constexpr double kPatience = 6e7;
// |t| below this drops a lag.
constexpr double kSignificant = 1.96;
// Roots nearer to the circle, and AR and MA roots nearer to one another, are told.
constexpr double kNearCircle = 1.02, kCancelling = 0.1;
// A lag is taken where chance would put the largest of all lags there less often than this.
constexpr double kChance = 0.05;
// Behind the best by no more than this is about as good.
constexpr double kAboutAsGood = 4;

// Orders of a candidate; the differences are the same for all.
struct Orders {
  int ar = 0, ma = 0, seasonal_ar = 0, seasonal_ma = 0;
  bool constant = true;
  auto operator<=>(const Orders&) const = default;  // NOLINT(modernize-use-nullptr): tidy errs
  [[nodiscard]] int size() const {
    return ar + ma + seasonal_ar + seasonal_ma + (constant ? 1 : 0);
  }
};

Lags up_to(int most, int step = 1) {
  Lags lags;
  for (int l = 1; l <= most; ++l) lags.push_back(l * step);
  return lags;
}

class Searcher {
 public:
  Searcher(const Series& series, const SearchOptions& options, const Executor& executor)
      : options_(options), executor_(executor), series_(std::make_shared<Series>(series)) {
    validate();
    out_.criterion = options.criterion;
    out_.series = series;
    out_.kept = options.kept;
    out_.likelihood = options.likelihood;
  }

  Search run() {
    choose_differences();
    const std::vector<Orders> all = whole_set();
    // About what the fits cost: passes over the rows, and the start of long lag sets.
    double work = 0;
    for (const Orders& o : all) {
      const double k = 1 + o.size(), n = static_cast<double>(series_->size());
      const double reach =
          std::max(o.ar + o.seasonal_ar * period(), o.ma + o.seasonal_ma * period());
      work += k * (4 * n * (3 + k) + reach * reach * std::min(n, 500.0));
    }
    out_.stepwise = options_.walk == SearchOptions::Walk::stepwise ||
                    (options_.walk == SearchOptions::Walk::automatic && work > kPatience);
    if (out_.stepwise)
      walk_stepwise(all);
    else
      walk_full(all);
    rank();
    propose_lags();
    if (options_.sparse) thin_out();
    warn();
    return std::move(out_);
  }

 private:
  void validate() const {
    const auto refuse = [](const std::string& what) { throw Error(ErrorCode::bad_option, what); };
    for (const auto& [name, order] :
         {std::pair{"most_ar", options_.most_ar}, std::pair{"most_ma", options_.most_ma},
          std::pair{"most_seasonal_ar", options_.most_seasonal_ar},
          std::pair{"most_seasonal_ma", options_.most_seasonal_ma}})
      if (order < 0 || order > 24)
        refuse(fmt::format("{} = {}: must lie between 0 and 24", name, order));
    if (options_.period && *options_.period < 2)
      refuse(fmt::format("period = {}: from 2, or left out for none", *options_.period));
    for (const auto& d : {options_.differences, options_.seasonal_differences})
      if (d && (*d < 0 || *d > 2))
        refuse(fmt::format("differences = {}: must lie between 0 and 2", *d));
  }

  // ---- The set ----

  void choose_differences() {
    int plain = options_.differences.value_or(0),
        seasonal = options_.seasonal_differences.value_or(0);
    if (!options_.differences || (options_.period.has_value() && !options_.seasonal_differences)) {
      out_.differences = hypothesis::suggest_differences(*series_, options_.period);
      plain = options_.differences.value_or(out_.differences.regular);
      seasonal = options_.seasonal_differences.value_or(out_.differences.seasonal);
    }
    for (int d = 0; d < plain; ++d) differences_.push_back(1);
    if (options_.period.has_value())
      for (int d = 0; d < seasonal; ++d) differences_.push_back(period());
  }

  [[nodiscard]] std::vector<Orders> whole_set() const {
    std::vector<Orders> all;
    const bool seasons = options_.period.has_value();
    const bool trended = options_.kept.trend;
    for (int P = 0; P <= (seasons ? options_.most_seasonal_ar : 0); ++P)
      for (int Q = 0; Q <= (seasons ? options_.most_seasonal_ma : 0); ++Q)
        for (int p = 0; p <= options_.most_ar; ++p)
          for (int q = 0; q <= options_.most_ma; ++q)
            for (const bool constant : {false, true}) {
              if (constant && options_.constant == SearchOptions::Constant::never) continue;
              if (!constant && options_.constant == SearchOptions::Constant::always) continue;
              // A level without a mean is no candidate unless asked for; two differences leave no
              // drift.
              if (!constant && options_.constant == SearchOptions::Constant::both &&
                  differences_.empty())
                continue;
              if (constant && differences_.size() > 1 &&
                  options_.constant != SearchOptions::Constant::always)
                continue;
              if (constant && trended && !differences_.empty()) continue;
              all.push_back({p, q, P, Q, constant});
            }
    if (all.empty())
      throw Error(ErrorCode::bad_option, "search: the bounds leave no candidate; widen one");
    return all;
  }

  [[nodiscard]] Model model_of(const Orders& o) const {
    Model m;
    m.mean = options_.kept;
    m.held = options_.held;
    m.mean.constant = o.constant;
    m.mean.differences = differences_;
    m.mean.ar = up_to(o.ar);
    m.mean.ma = up_to(o.ma);
    m.mean.seasonal_ar = up_to(o.seasonal_ar, period());
    m.mean.seasonal_ma = up_to(o.seasonal_ma, period());
    return canonical(std::move(m));
  }

  // ---- Fitting ----

  [[nodiscard]] FitJob job_of(const Model& model) const {
    FitJob job{.model = model, .series = series_};
    job.smaller = smaller_;
    job.options.hessian_errors_only = true;
    job.options.likelihood = options_.likelihood;
    return job;
  }

  [[nodiscard]] int period() const { return options_.period.value_or(0); }

  static MeanCandidate candidate_of(const Fit& fit, std::optional<int> period) {
    MeanCandidate c{scored(fit, period), std::nullopt, std::nullopt};
    if (fit.usable()) judge_roots(fit, c);
    return c;
  }

  static void judge_roots(const Fit& fit, MeanCandidate& c) {
    const std::vector<InverseRoot> roots = inverse_roots(fit);
    for (const InverseRoot& root : roots)
      if (const double modulus = 1 / std::abs(root.value); modulus < c.nearest_root.value_or(1e9))
        c.nearest_root = modulus;
    for (const InverseRoot& one : roots)
      for (const InverseRoot& other : roots)
        if (one.ar && !other.ar)
          c.cancelling = std::min(c.cancelling.value_or(1e9), std::abs(one.value - other.value));
  }

  void fit_all(const std::vector<Orders>& batch) {
    std::vector<FitJob> jobs;
    for (const Orders& o : batch) jobs.push_back(job_of(model_of(o)));
    std::vector<MeanCandidate> fitted = candidates_of(jobs);
    for (std::size_t i = 0; i < batch.size(); ++i) done_.emplace(batch[i], std::move(fitted[i]));
  }

  [[nodiscard]] std::vector<MeanCandidate> candidates_of(const std::vector<FitJob>& jobs) const {
    std::vector<MeanCandidate> out(jobs.size());
    const std::vector<Fit> fits =
        values_of(fit_many(jobs, {.stop = options_.progress.stop}, executor_));
    if (options_.progress.report) options_.progress.report(done_.size() + jobs.size(), 0);
    executor_.for_each(jobs.size(),
                       [&](std::size_t i) { out[i] = candidate_of(fits[i], options_.period); });
    return out;
  }

  // Candidates of the same number of terms depend on none of their kind: they go together.
  void walk_full(std::vector<Orders> all) {
    std::stable_sort(all.begin(), all.end(),
                     [](const Orders& a, const Orders& b) { return a.size() < b.size(); });
    for (std::size_t at = 0; at < all.size();) {
      std::vector<Orders> batch;
      for (const int size = all[at].size(); at < all.size() && all[at].size() == size; ++at)
        batch.push_back(all[at]);
      fit_all(batch);
    }
  }

  [[nodiscard]] double score(const Orders& o) const {
    const MeanCandidate& c = done_.at(o);
    return c.place() == 0 ? score(c) : 1e300;
  }
  [[nodiscard]] double score(const MeanCandidate& c) const {
    return c.value(options_.criterion).value_or(1e300);
  }

  void walk_stepwise(const std::vector<Orders>& all) {
    const auto fit_new = [&](std::vector<Orders> batch) {
      std::sort(batch.begin(), batch.end(), [](const Orders& a, const Orders& b) {
        return std::pair(a.size(), a) < std::pair(b.size(), b);
      });
      std::vector<Orders> fresh;
      for (const Orders& o : batch)
        if (!done_.contains(o) && std::find(all.begin(), all.end(), o) != all.end())
          fresh.push_back(o);
      fresh.erase(std::unique(fresh.begin(), fresh.end()), fresh.end());
      fit_all(fresh);
    };
    std::vector<Orders> seeds;
    for (const bool constant : {false, true})
      for (const int p : {0, 1, 2})
        for (const int s : {0, 1}) seeds.push_back({p, p, s, s, constant});
    for (const bool constant : {false, true}) {
      seeds.push_back({1, 0, 1, 0, constant});
      seeds.push_back({0, 1, 0, 1, constant});
      seeds.push_back({0, 0, 0, 0, constant});
      seeds.push_back({1, 0, 0, 0, constant});
      seeds.push_back({0, 1, 0, 0, constant});
    }
    fit_new(seeds);
    for (;;) {
      Orders best = done_.begin()->first;
      for (const auto& [o, c] : done_)
        if (score(o) < score(best)) best = o;
      std::vector<Orders> around;
      for (int dp = -1; dp <= 1; ++dp)
        for (int dq = -1; dq <= 1; ++dq)
          around.push_back(
              {best.ar + dp, best.ma + dq, best.seasonal_ar, best.seasonal_ma, best.constant});
      for (int dP = -1; dP <= 1; ++dP)
        for (int dQ = -1; dQ <= 1; ++dQ)
          around.push_back(
              {best.ar, best.ma, best.seasonal_ar + dP, best.seasonal_ma + dQ, best.constant});
      around.push_back({best.ar, best.ma, best.seasonal_ar, best.seasonal_ma, !best.constant});
      const std::size_t before = done_.size();
      fit_new(around);
      if (done_.size() == before) return;
    }
  }

  // ---- What comes of it ----

  void rank() {
    if (out_.candidates.empty())
      for (auto& [o, c] : done_) out_.candidates.push_back(c);
    std::stable_sort(out_.candidates.begin(), out_.candidates.end(),
                     [&](const MeanCandidate& a, const MeanCandidate& b) {
                       return std::pair(a.place(), score(a)) < std::pair(b.place(), score(b));
                     });
    // A root all but on the circle is fitted noise where a model without it is about as good.
    out_.chosen = 0;
    const double limit = score(out_.candidates.front()) + kAboutAsGood;
    for (std::size_t i = 0; i < out_.candidates.size(); ++i) {
      const MeanCandidate& c = out_.candidates[i];
      if (c.place() > 0 || score(c) > limit) break;
      if (c.nearest_root.value_or(9) > kNearCircle) {
        out_.chosen = i;
        break;
      }
    }
  }

  // Lags at which the chosen model's residuals stand out, each tried as an AR or, in a model of MA
  // terms only, an MA term.
  void propose_lags() {
    const MeanCandidate chosen = out_.candidates[out_.chosen];
    if (!out_.proposes()) return;
    const Series z = out_.best().standardised();
    const auto n = static_cast<int>(z.present());
    const int most =
        std::min(n / 4, std::max(24, options_.period.has_value() ? 2 * period() + 2 : 0));
    if (most < 2) return;
    out_.lags_looked_at = most;
    const LagTable table = lag_table(z, most);
    std::vector<FitJob> jobs;
    for (const LagRow& row : table.rows) {
      if (std::abs(row.acf) <= row.band_robust) continue;
      LagProposal proposal;
      proposal.lag = row.lag;
      proposal.autocorrelation = row.acf;
      proposal.band = row.band_robust;
      proposal.model = chosen.model;
      Mean& mean = proposal.model.mean;
      const bool only_ma = mean.ar.empty() && !mean.ma.empty();
      Lags& lags = only_ma ? mean.ma : mean.ar;
      if (std::find(lags.begin(), lags.end(), row.lag) != lags.end()) continue;
      lags.push_back(row.lag);
      proposal.model = canonical(proposal.model);
      jobs.push_back(job_of(proposal.model));
      out_.proposals.push_back(std::move(proposal));
    }
    std::vector<MeanCandidate> tried = candidates_of(jobs);
    for (std::size_t i = 0; i < tried.size(); ++i)
      if (tried[i].status == FitStatus::converged) {
        LagProposal& proposal = out_.proposals[i];
        proposal.gain = score(chosen) - score(tried[i]);
        proposal.p_value = std::min(
            1.0,
            most * laws::chi_squared_tail(
                       std::max(0.0, 2 * (*tried[i].log_likelihood - *chosen.log_likelihood)), 1));
        if (options_.sparse && *proposal.p_value < kChance) add(std::move(tried[i]));
      }
    if (options_.sparse) rank();
  }

  void add(MeanCandidate c) {
    for (const MeanCandidate& had : out_.candidates)
      if (had.model == c.model) return;
    out_.candidates.push_back(std::move(c));
  }

  // Drops the least significant lag of the chosen model as long as one is not significant.
  void thin_out() {
    for (;;) {
      const MeanCandidate from = out_.candidates[out_.chosen];
      if (!out_.proposes()) return;
      const Fit fit = out_.best();
      const Parameter* weakest = nullptr;
      const MeanPositions at = mean_positions(fit.model);
      for (std::size_t j = at.ar; j < at.seasonal_ma + fit.model.mean.seasonal_ma.size(); ++j)
        if (const Parameter& p = fit.parameters[j];
            p.t && std::abs(*p.t) < kSignificant &&
            (!weakest || std::abs(*p.t) < std::abs(*weakest->t)))
          weakest = &p;
      if (!weakest) return;
      Model smaller = fit.model;
      for (Lags Mean::*set : {&Mean::ar, &Mean::ma, &Mean::seasonal_ar, &Mean::seasonal_ma})
        std::erase_if(smaller.mean.*set, [&](int lag) {
          const char* stem = set == &Mean::ar            ? "ar"
                             : set == &Mean::ma          ? "ma"
                             : set == &Mean::seasonal_ar ? "sar"
                                                         : "sma";
          return fmt::format("{}{}", stem, lag) == weakest->name;
        });
      const std::size_t before = out_.candidates.size();
      add(candidates_of({job_of(smaller)}).front());
      rank();
      if (out_.candidates.size() == before || out_.candidates[out_.chosen].model == from.model)
        return;
    }
  }

  void warn() {
    const MeanCandidate& chosen = out_.candidates[out_.chosen];
    out_.warnings = data_warnings({chosen.model}, *series_);
    if (!out_.proposes())
      out_.warnings.push_back({WarningCode::not_converged,
                               "no candidate has a maximum off the unit circle without terms that "
                               "cancel; widen or change the set, or look at the data first (brace "
                               "inspect)"});
    const auto pinned =
        static_cast<std::size_t>(std::count_if(out_.candidates.begin(), out_.candidates.end(),
                                               [](const MeanCandidate& c) { return c.on_circle; }));
    const auto better = static_cast<std::size_t>(std::count_if(
        out_.candidates.begin(), out_.candidates.end(),
        [&](const MeanCandidate& c) { return c.on_circle && score(c) < score(chosen); }));
    if (better > 0) {
      // What every candidate has is not advised.
      std::vector<std::string_view> untried;
      if (!options_.kept.trend) untried.emplace_back("'trend'");
      if (options_.kept.harmonics.empty()) untried.emplace_back("'harmonics'");
      out_.warnings.push_back(
          {WarningCode::root_at_edge,
           fmt::format("{} of {} are pinned at the unit circle, {} of them with a lower {}: a sign "
                       "of a season or trend that is fixed, or of a difference too many{}{}",
                       pinned, text::plural(out_.candidates.size(), "candidate", "candidates"),
                       better, to_string(options_.criterion),
                       untried.empty() ? "" : "; try `terms` ", fmt::join(untried, " or "))});
    }
    if (chosen.arch_p.value_or(1) < 0.05)
      out_.warnings.push_back({WarningCode::variance_ignored,
                               "volatility clusters in the residuals: orders chosen without a "
                               "variance equation tend to be too large; compare with the next "
                               "smaller ones once it is in, such as '/ garch'"});
  }

  const SearchOptions& options_;
  const Executor& executor_;
  std::shared_ptr<const Series> series_;
  Lags differences_;
  std::shared_ptr<SmallerModels> smaller_ = share_smaller_models();
  std::map<Orders, MeanCandidate> done_;
  Search out_;
};

std::string root_note(const MeanCandidate& c) {
  std::vector<std::string> notes;
  if (c.on_circle)
    notes.emplace_back("circle");
  else if (c.status == FitStatus::boundary)
    notes.emplace_back("on a bound");
  else if (c.nearest_root.value_or(9) < kNearCircle)
    notes.push_back(fmt::format("root {}", text::fixed(c.nearest_root, 3)));
  if (c.cancelling.value_or(9) < kCancelling) notes.emplace_back("cancels");
  if (c.status == FitStatus::failed) notes.emplace_back("did not converge");
  return fmt::format("{}", fmt::join(notes, ", "));
}

// The mean part of a candidate less what all of them have.
std::string label_of(const MeanCandidate& c, const Mean& kept) {
  Model model = c.model;
  if (!kept.harmonics.empty()) model.mean.harmonics.clear();
  if (!kept.regressors.empty()) model.mean.regressors.clear();
  if (kept.trend) model.mean.trend = false;
  return mean_part(model);
}

std::string words_of(const Mean& kept) {
  Model model;
  model.mean = kept;
  model.mean.constant = true;
  const std::string part = mean_part(model);
  return part == "const" ? "" : part.substr(std::string_view("const ").size());
}

}  // namespace

std::string_view to_string(Criterion criterion) {
  switch (criterion) {
    case Criterion::aic: return "aic";
    case Criterion::aicc: return "aicc";
    case Criterion::bic: return "bic";
    case Criterion::hqc: return "hqc";
  }
  return "aicc";
}

std::optional<Criterion> criterion_from(std::string_view name) {
  for (const Criterion c : {Criterion::aic, Criterion::aicc, Criterion::bic, Criterion::hqc})
    if (to_string(c) == name) return c;
  return std::nullopt;
}

std::optional<double> value_of(const Fit& fit, Criterion criterion) {
  return criterion == Criterion::aic    ? fit.aic
         : criterion == Criterion::aicc ? fit.aicc
         : criterion == Criterion::bic  ? fit.bic
                                        : fit.hqc;
}

std::optional<double> Scored::value(Criterion criterion) const {
  return criterion == Criterion::aic    ? aic
         : criterion == Criterion::aicc ? aicc
         : criterion == Criterion::bic  ? bic
                                        : hqc;
}

int Scored::place() const {
  return status == FitStatus::failed || status == FitStatus::not_run ? 2 : on_circle ? 1 : 0;
}

int MeanCandidate::place() const {
  return std::max(Scored::place(), cancelling.value_or(9) < kCancelling ? 1 : 0);
}

Scored scored(const Fit& fit, std::optional<int> period) {
  Scored c;
  c.model = fit.model;
  c.status = fit.convergence.status;
  c.estimated = fit.estimated;
  c.estimates = fit.estimates();
  if (!fit.usable()) return c;
  c.log_likelihood = fit.log_likelihood;
  c.aic = fit.aic;
  c.aicc = fit.aicc;
  c.bic = fit.bic;
  c.hqc = fit.hqc;
  const MeanPositions at = mean_positions(fit.model);
  for (std::size_t j = at.ar; j < at.seasonal_ma + fit.model.mean.seasonal_ma.size(); ++j)
    c.on_circle = c.on_circle || (fit.parameters[j].at_bound && !fit.parameters[j].held);
  const ResidualP p = residual_p(fit, period);
  c.whiteness_p = p.whiteness;
  c.arch_p = p.arch;
  return c;
}

Fit Search::best() const {
  // Where it was found, so that it is the same maximum.
  EstimateOptions options;
  options.likelihood = likelihood;
  options.start = candidates.at(chosen).estimates;
  options.from = ClimbFrom::start;
  return estimate(candidates.at(chosen).model, series, options);
}

Search search(const Series& series, const SearchOptions& options, const Executor& executor) {
  return Searcher(series, options, executor).run();
}

std::ostream& operator<<(std::ostream& out, const Search& s) {
  const MeanCandidate& chosen = s.candidates.at(s.chosen);
  const std::optional<double> best = chosen.value(s.criterion);
  std::string head =
      !s.proposes() ? fmt::format(
                          "None of {} can be proposed: each has a root on the unit circle or terms "
                          "that cancel, or did not converge.",
                          text::plural(s.candidates.size(), "candidate", "candidates"))
      : s.chosen == 0
          ? fmt::format("{} is the best of {} by {}{}.", mean_part(chosen.model),
                        text::plural(s.candidates.size(), "candidate", "candidates"),
                        to_string(s.criterion), s.stepwise ? ", found stepwise" : "")
          : fmt::format(
                "{} is proposed of {}: those ahead of it by {}{} have a root next to the unit "
                "circle.",
                mean_part(chosen.model),
                text::plural(s.candidates.size(), "candidate", "candidates"),
                to_string(s.criterion), s.stepwise ? ", found stepwise," : "");
  if (s.proposes() && chosen.whiteness_p)
    head += chosen.white() ? " Its residuals are white."
                           : fmt::format(" Its residuals still have memory (p {}).",
                                         text::p_value(chosen.whiteness_p));
  std::size_t near = 0;
  for (const MeanCandidate& c : s.candidates)
    near += s.proposes() && &c != &chosen && c.place() == 0 &&
                    c.value(s.criterion).value_or(1e300) < best.value_or(0) + 2
                ? 1
                : 0;
  if (near > 0)
    head += fmt::format(" {} within 2 of it, not a material difference.",
                        near == 1 ? "One other lies" : fmt::format("{} others lie", near));
  out << text::wrap(head) << '\n';
  if (const std::string all = words_of(s.kept); !all.empty())
    out << fmt::format("  every candidate has: {}\n", all);
  const auto shown = [&](std::size_t i) { return i < 10 || i == s.chosen; };
  const std::size_t width =
      label_width(s.candidates, shown, [&](const MeanCandidate& c) { return label_of(c, s.kept); });
  out << fmt::format("  {:>4}  {:<{}}{:>9}{:>8}{:>12}{:>4}{:>9}  {}\n", "rank", "mean equation",
                     width, to_string(s.criterion), "behind", "log-lik.", "k", "white p", "");
  for (std::size_t i = 0; i < s.candidates.size(); ++i) {
    if (!shown(i)) continue;
    const MeanCandidate& c = s.candidates[i];
    const std::optional<double> value = c.value(s.criterion);
    std::string line = fmt::format(
        "  {:>4}{} {:<{}}{:>9}{:>8}{:>12}{:>4}{:>9}  {}", i + 1,
        i == s.chosen && s.proposes() ? '>' : ' ', label_of(c, s.kept), width,
        text::fixed(value, 1), value && best ? text::fixed(*value - *best, 1) : "-",
        text::fixed(c.log_likelihood, 2), c.estimated, text::p_value(c.whiteness_p), root_note(c));
    line.erase(line.find_last_not_of(' ') + 1);
    out << line << '\n';
  }
  out << "\n  White p: null no autocorrelation in the residuals (a small p is evidence against "
         "the model).\n  root: an AR or MA root next to the unit circle; circle: one on it; "
         "cancels: "
         "an AR and an MA "
         "root\n  nearly meet.\n";
  if (!s.differences.reading.empty()) out << text::wrap(s.differences.reading + ".", 100, "  ");
  if (s.lags_looked_at > 0) {
    out << text::wrap(
        fmt::format(
            "Of {} lags of its residuals {} out beyond the 95 % band; chance alone gives {}.",
            s.lags_looked_at,
            s.proposals.empty()       ? "none stands"
            : s.proposals.size() == 1 ? "one stands"
                                      : fmt::format("{} stand", s.proposals.size()),
            text::fixed(0.05 * s.lags_looked_at, 1)),
        100, "  ");
    for (const LagProposal& p : s.proposals)
      out << fmt::format(
          "    lag {:<4} {:>6} (band {})  {}\n", p.lag, text::fixed(p.autocorrelation, 2),
          text::fixed(p.band, 2),
          p.gain ? fmt::format("{}: {} {} by {}, p {}", mean_part(p.model), to_string(s.criterion),
                               *p.gain > 0 ? "falls" : "rises", text::fixed(std::abs(*p.gain), 1),
                               text::p_value(p.p_value))
                 : mean_part(p.model) + " does not converge inside its bounds");
  }
  if (!s.proposals.empty())
    out << text::wrap(
        fmt::format("p: of the likelihood ratio, times the {} lags looked at", s.lags_looked_at),
        100, "    ");
  print_warnings(out, s.warnings);
  return out;
}

}  // namespace brace::inline v0
