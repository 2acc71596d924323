// SPDX-License-Identifier: Apache-2.0
// brace search: which mean equation?
#include <fmt/format.h>
#include <unistd.h>

#include <iostream>

#include "options.hpp"

namespace brace::app {
namespace {

// A word on a terminal's stderr while candidates are fitted.
void show_progress(std::size_t done, std::size_t of) {
  if (::isatty(2) == 0) return;
  std::clog << fmt::format("\r{} of {} candidates", done, of) << (done == of ? "\r\033[K" : "")
            << std::flush;
}

// Variance equations, laws and means by name.
int run_variances(const Options& o, const Loaded& data) {
  VarianceSearchOptions options;
  options.criterion = criterion_from(o.criterion).value_or(Criterion::bic);
  for (const std::string& line : o.means) {
    const Model model = parse_model(line);
    options.means.emplace_back(model.mean, model.held);
  }
  for (const std::string& words : o.variances) {
    if (words != "all") {
      const Model model = parse_model("const / " + words);
      options.variances.emplace_back(model.variance, model.held);
    } else if (o.variances.size() > 1) {
      throw Error(ErrorCode::bad_option, "--variance all: stands alone; leave the others out");
    }
  }
  for (const std::string& law : o.laws) {
    const Model model = parse_model("const / steady / " + law);
    options.laws.emplace_back(model.shocks, model.held);
  }
  if (!o.quiet) options.progress = show_progress;
  const VarianceSearch found =
      with_warnings_of(data, search_variances(data.values, options, Executor(o.threads)));
  const VarianceCandidate& chosen = found.candidates[found.chosen];
  if (o.json) {
    std::cout << json_document("search", found);
  } else {
    std::cout << found;
    print_account(data.values);
    print_next(o, fmt::format("check {} --model '{}'", modelled_words(o), to_string(chosen.model)));
  }
  if (!o.save.empty()) {
    save_model(found.best(), o.save);
    say_written(o, o.save);
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
  if (!o.variances.empty()) return run_variances(o, data);
  if (!o.laws.empty() || !o.means.empty())
    throw Error(ErrorCode::bad_option,
                "--law and --mean are of a search over variance equations: give --variance too, "
                "such as --variance all");
  SearchOptions options;
  options.most_ar = o.most_ar;
  options.most_ma = o.most_ma;
  options.most_seasonal_ar = o.most_sar;
  options.most_seasonal_ma = o.most_sma;
  options.period = o.period;
  options.differences = o.differences;
  options.seasonal_differences = o.season_differences;
  options.constant = o.constant == "always"  ? SearchOptions::Constant::always
                     : o.constant == "never" ? SearchOptions::Constant::never
                                             : SearchOptions::Constant::both;
  options.walk = o.walk == "full"       ? SearchOptions::Walk::full
                 : o.walk == "stepwise" ? SearchOptions::Walk::stepwise
                                        : SearchOptions::Walk::automatic;
  options.criterion = criterion_from(o.criterion).value_or(Criterion::aicc);
  options.sparse = o.sparse;
  if (!o.terms.empty()) {
    const Model kept = parse_model("const " + o.terms);
    if (!kept.mean.ar.empty() || !kept.mean.ma.empty() || !kept.mean.differences.empty())
      throw Error(
          ErrorCode::bad_option,
          fmt::format("--terms '{}': lags and differences are what is searched; give trend, "
                      "harmonics or with",
                      o.terms));
    options.kept = kept.mean;
    options.held = kept.held;
  }
  const Search found = with_warnings_of(data, search(data.values, options, Executor(o.threads)));
  if (o.json) {
    std::cout << json_document("search", found);
  } else {
    std::cout << found;
    print_account(data.values);
    const std::string line = mean_part(found.candidates[found.chosen].model);
    print_next(o, fmt::format("check {} --model '{}'", modelled_words(o), line));
  }
  if (!o.save.empty()) {
    save_model(found.best(), o.save);
    say_written(o, o.save);
  }
  std::vector<std::vector<std::string>> rows{
      {"rank",   "model",  "aic",     "aicc",    "bic",          "hqc",        "log_likelihood",
       "k",      "status", "white_p", "arch_p",  "nearest_root", "cancelling", "on_circle",
       "chosen", "lag",    "acf",     "band_95", "gain",         "p_value"}};
  for (std::size_t i = 0; i < found.candidates.size(); ++i) {
    const Candidate& c = found.candidates[i];
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

void add_search(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand("search",
                                   "Rank mean equations, or variance equations and laws, of a "
                                   "stated set");
  add_series_options(*c, o);
  const char* set = "The set";
  const auto order = [&](const char* name, int& value, const char* what) {
    c->add_option(name, value, what)->check(CLI::Range(0, 24))->option_text("N")->group(set);
  };
  order("--most-ar", o.most_ar, "highest AR order (default: 5)");
  order("--most-ma", o.most_ma, "highest MA order (default: 5)");
  c->add_option("--season", o.period, "rows in a season: seasonal orders are searched too")
      ->check(CLI::Range(2, 10000))
      ->option_text("N")
      ->group(set);
  order("--most-sar", o.most_sar, "highest seasonal AR order (default: 1)");
  order("--most-sma", o.most_sma, "highest seasonal MA order (default: 1)");
  const auto times = [&](const char* name, auto& value, const char* what) {
    c->add_option(name, value, what)->check(CLI::Range(0, 2))->option_text("N")->group(set);
  };
  times("--differences", o.differences, "how often differenced (default: tests say)");
  times("--season-differences", o.season_differences,
        "how often over a season (default: tests say)");
  c->add_option("--constant", o.constant, "both, always or never (default: both where differenced)")
      ->check(CLI::IsMember({"both", "always", "never"}))
      ->option_text("WORD")
      ->group(set);
  c->add_option("--terms", o.terms, "terms that all keep: 'trend harmonics 24:2 with volume'")
      ->group(set);
  c->add_flag("--sparse", o.sparse, "single lags too: weak ones dropped, conspicuous ones tried")
      ->group(set);
  const char* variance = "Variance equations instead";
  c->add_option("--variance", o.variances,
                "search over variance equations: all, or one such as 'gjr e1,2' (may repeat)")
      ->group(variance);
  c->add_option("--law", o.laws, "normal, student, ged, skew-student (may repeat; default: all)")
      ->group(variance);
  c->add_option("--mean", o.means, "their mean equation (may repeat; default: const)")
      ->group(variance);
  const char* how = "How";
  c->add_option("--criterion", o.criterion,
                "aic, aicc, bic or hqc (default: aicc; of variance equations bic)")
      ->check(CLI::IsMember({"aic", "aicc", "bic", "hqc"}))
      ->option_text("WORD")
      ->group(how);
  c->add_option("--walk", o.walk, "full or stepwise (default: full where it takes about a second)")
      ->check(CLI::IsMember({"full", "stepwise"}))
      ->option_text("WORD")
      ->group(how);
  c->add_option("--threads", o.threads, "0 takes all (default); results do not depend on it")
      ->check(CLI::NonNegativeNumber)
      ->group(how);
  // Alone they would do nothing.
  for (const char* option : {"--most-sar", "--most-sma", "--season-differences"})
    c->get_option(option)->needs("--season");
  add_output_options(*c, o);
  c->add_option("--out", o.out, "all candidates as CSV")->group("Output");
  c->add_option("--save", o.save, "the chosen model with its series")->group("Output");
  c->footer(
      "Examples:\n  brace search data/lamp-oil.csv --transform log --season 12\n"
      "  brace search data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "--variance all");
  c->callback([&run] { run = run_search; });
}

}  // namespace brace::app
