// SPDX-License-Identifier: Apache-2.0
// brace search: which mean equation?
#include <fmt/format.h>
#include <unistd.h>

#include <iostream>

#include "options.hpp"

namespace brace::app {

SearchOptions search_options(const Options& o) {
  SearchOptions options;
  options.most_ar = o.search.most_ar;
  options.most_ma = o.search.most_ma;
  options.most_seasonal_ar = o.search.most_sar;
  options.most_seasonal_ma = o.search.most_sma;
  options.period = o.period;
  options.differences = o.search.differences;
  options.seasonal_differences = o.search.season_differences;
  options.constant = o.search.constant == "always"  ? SearchOptions::Constant::always
                     : o.search.constant == "never" ? SearchOptions::Constant::never
                                                    : SearchOptions::Constant::both;
  options.walk = o.search.walk == "full"       ? SearchOptions::Walk::full
                 : o.search.walk == "stepwise" ? SearchOptions::Walk::stepwise
                                               : SearchOptions::Walk::automatic;
  options.criterion = criterion_from(o.search.criterion).value_or(Criterion::aicc);
  options.sparse = o.search.sparse;
  if (!o.search.terms.empty()) {
    const Model kept = parse_model("const " + o.search.terms);
    if (!kept.mean.ar.empty() || !kept.mean.ma.empty() || !kept.mean.differences.empty())
      throw Error(
          ErrorCode::bad_option,
          fmt::format("--terms '{}': lags and differences are what is searched; give trend, "
                      "harmonics or with",
                      o.search.terms));
    options.kept = kept.mean;
    options.held = kept.held;
  }
  return options;
}

VarianceSearchOptions variance_search_options(const Options& o) {
  VarianceSearchOptions options;
  options.criterion = criterion_from(o.search.criterion).value_or(Criterion::bic);
  for (const std::string& line : o.search.means) {
    const Model model = parse_model(line);
    options.means.emplace_back(model.mean, model.held);
  }
  for (const std::string& words : o.search.variances) {
    if (words != "all") {
      const Model model = parse_model("const / " + words);
      options.variances.emplace_back(model.variance, model.held);
    } else if (o.search.variances.size() > 1) {
      throw Error(ErrorCode::bad_option, "--variance all: stands alone; leave the others out");
    }
  }
  for (const std::string& law : o.search.laws) {
    const Model model = parse_model("const / steady / " + law);
    options.laws.emplace_back(model.shocks, model.held);
  }
  return options;
}

namespace {

// A word on a terminal's stderr while candidates are fitted.
void show_progress(std::size_t done, std::size_t of) {
  if (::isatty(2) == 0) return;
  std::clog << fmt::format("\r{} of {} candidates", done, of) << (done == of ? "\r\033[K" : "")
            << std::flush;
}

int run_variances(const Options& o, const Loaded& data) {
  VarianceSearchOptions options = variance_search_options(o);
  if (!o.output.quiet) options.progress.report = show_progress;
  const VarianceSearch found =
      with_warnings_of(data, search_variances(data.values, options, executor_of(o)));
  const VarianceCandidate& chosen = found.candidates[found.chosen];
  if (std::ostream* json = json_stream(o)) *json << json_document("search", found);
  if (shows_text(o)) {
    std::cout << found;
    print_account(data.values);
    print_next(o, fmt::format("check {}", fitted_words(o, to_string(chosen.model))));
  }
  if (!o.output.save.empty()) {
    save_model(found.best(), o.output.save);
    say_written(o, o.output.save);
  }
  std::vector<std::vector<std::string>> rows{{"rank", "model", "aic", "aicc", "bic", "hqc",
                                              "log_likelihood", "k", "status", "persistence",
                                              "white_p", "arch_p", "sign_p", "law_p"}};
  for (std::size_t i = 0; i < found.candidates.size(); ++i) {
    const VarianceCandidate& c = found.candidates[i];
    rows.push_back({std::to_string(i + 1), to_string(c.model), cell(c.aic), cell(c.aicc),
                    cell(c.bic), cell(c.hqc), cell(c.log_likelihood), std::to_string(c.estimated),
                    std::string(to_string(c.status)), cell(c.persistence), cell(c.whiteness_p),
                    cell(c.arch_p), cell(c.sign_p), cell(c.law_p)});
  }
  write_table(o, rows);
  return chosen.place() == 0 ? 0 : 3;
}

int run_search(const Options& o) {
  const Loaded data = load(o);
  if (!o.search.variances.empty()) return run_variances(o, data);
  if (!o.search.laws.empty() || !o.search.means.empty())
    throw Error(ErrorCode::bad_option,
                "--law and --mean are of a search over variance equations: give --variance too, "
                "such as --variance all");
  const Search found =
      with_warnings_of(data, search(data.values, search_options(o), executor_of(o)));
  if (std::ostream* json = json_stream(o)) *json << json_document("search", found);
  if (shows_text(o)) {
    std::cout << found;
    print_account(data.values);
    const std::string line = mean_part(found.candidates[found.chosen].model);
    print_next(o, fmt::format("check {}", fitted_words(o, line)));
  }
  if (!o.output.save.empty()) {
    save_model(found.best(), o.output.save);
    say_written(o, o.output.save);
  }
  std::vector<std::vector<std::string>> rows{
      {"rank",   "model",  "aic",     "aicc",    "bic",          "hqc",        "log_likelihood",
       "k",      "status", "white_p", "arch_p",  "nearest_root", "cancelling", "on_circle",
       "chosen", "lag",    "acf",     "band_95", "gain",         "p_value"}};
  for (std::size_t i = 0; i < found.candidates.size(); ++i) {
    const MeanCandidate& c = found.candidates[i];
    rows.push_back({std::to_string(i + 1),
                    to_string(c.model),
                    cell(c.aic),
                    cell(c.aicc),
                    cell(c.bic),
                    cell(c.hqc),
                    cell(c.log_likelihood),
                    std::to_string(c.estimated),
                    std::string(to_string(c.status)),
                    cell(c.whiteness_p),
                    cell(c.arch_p),
                    cell(c.nearest_root),
                    cell(c.cancelling),
                    c.on_circle ? "yes" : "no",
                    i == found.chosen && found.proposes() ? "yes" : "no",
                    "",
                    "",
                    "",
                    "",
                    ""});
  }
  // Below the candidates the lags that are proposed, whose rank is empty.
  for (const LagProposal& p : found.proposals) {
    std::vector<std::string> row(rows.front().size());
    row[1] = to_string(p.model);
    std::vector<std::string> told{std::to_string(p.lag), cell(p.autocorrelation), cell(p.band),
                                  cell(p.gain), cell(p.p_value)};
    std::move(told.begin(), told.end(), row.end() - 5);
    rows.push_back(std::move(row));
  }
  write_table(o, rows);
  return found.proposes() ? 0 : 3;
}

}  // namespace

Command search_command(Options& o) {
  Command c("search", "Rank candidate mean equations, or variance equations and shock laws",
            run_search);
  add_series_options(c, o);
  const char* set = "The set";
  const auto order = [&](const char* name, int& value, const char* what) {
    c.option(name, value, what).range(0, 24).shown_as("N").group(set);
  };
  order("--most-ar", o.search.most_ar, "highest AR order (default: 5)");
  order("--most-ma", o.search.most_ma, "highest MA order (default: 5)");
  c.option("--season", o.period, "seasonal period; seasonal orders are searched too")
      .range(2, 10000)
      .shown_as("N")
      .group(set);
  order("--most-sar", o.search.most_sar, "highest seasonal AR order (default: 1)");
  order("--most-sma", o.search.most_sma, "highest seasonal MA order (default: 1)");
  const auto times = [&](const char* name, auto& value, const char* what) {
    c.option(name, value, what).range(0, 2).shown_as("N").group(set);
  };
  times("--differences", o.search.differences, "number of differences (default: chosen by tests)");
  times("--season-differences", o.search.season_differences,
        "number of seasonal differences (default: chosen by tests)");
  c.option("--constant", o.search.constant,
           "both, always or never (default: both where differenced)")
      .words({"both", "always", "never"})
      .group(set);
  c.option("--terms", o.search.terms,
           "terms in every candidate: 'trend harmonics 24:2 with volume'")
      .group(set);
  c.option("--sparse", o.search.sparse,
           "also drop insignificant lags and try lags where residuals are correlated")
      .group(set);
  const char* variance = "Variance equations instead";
  c.option("--variance", o.search.variances,
           "search over variance equations: all, or one such as 'gjr e1,2' (may repeat)")
      .group(variance);
  c.option("--law", o.search.laws, "normal, student, ged, skew-student (may repeat; default: all)")
      .group(variance);
  c.option("--mean", o.search.means, "their mean equation (may repeat; default: const)")
      .group(variance);
  const char* how = "How";
  c.option("--criterion", o.search.criterion,
           "aic, aicc, bic or hqc (default: aicc; of variance equations bic)")
      .words({"aic", "aicc", "bic", "hqc"})
      .group(how);
  c.option("--walk", o.search.walk,
           "full or stepwise (default: full where it takes about a second)")
      .words({"full", "stepwise"})
      .group(how);
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative()
      .group(how);
  // Alone they would do nothing.
  for (Option& option : c.options)
    if (option.name == "--most-sar" || option.name == "--most-sma" ||
        option.name == "--season-differences")
      option.needs("--season");
  add_output_options(c, o);
  c.option("--out", o.output.out, "all candidates as CSV").group("Output").path();
  c.option("--save", o.output.save, "the chosen model with its series").group("Output").path();
  c.footer =
      "Examples:\n  brace search data/lamp-oil.csv --transform log --season 12\n"
      "  brace search data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "--variance all";
  return c;
}

}  // namespace brace::app
