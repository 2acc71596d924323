// SPDX-License-Identifier: Apache-2.0
// A hundred thousand fits of series that are not kind: short, tied, full of zeros, with jumps,
// missing values, explosive, nearly constant, in units from 1e-9 to 1e9, of every clock; every
// family under every law. Is a status ever unearned, a number not finite, an exception not ours, a
// fit out of all proportion?
//   many_fits FILE [FITS [FIRST]]     100000 make the table of docs/reliability.md
//   many_fits one NUMBER              that fit alone, in full
// FILE keeps a line of JSON a fit, written as soon as it is there: what it has is not run again, so
// that a run may be interrupted, or made longer on another day. The tables are of all it has. One
// fit in fifty is checked from outside: slopes by differences of the likelihood, and twenty climbs
// from random points.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <iostream>
#include <limits>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"

namespace {

using namespace brace;

constexpr std::uint64_t kSeed = 281;
constexpr std::uint64_t kChecked = 50;  // one in so many
constexpr int kClimbs = 20;

const char* const kVariances[] = {"steady", "garch", "gjr",        "egarch",  "aparch", "arch e1,2",
                                  "igarch", "ewma",  "garch e1,2", "twocomp", "longmem"};
const char* const kLaws[] = {"normal", "student", "ged", "skew-student"};
const char* const kMeans[] = {"const",     "zero",          "const ar1",
                              "const ma1", "const ar1 ma1", "const trend"};
const char* const kKinds[] = {"plain", "short",   "tied",      "zeros",
                              "jumps", "missing", "explosive", "nearly constant"};
const Clock kClocks[] = {Clock::month, Clock::week,   Clock::business_day,
                         Clock::hour,  Clock::minute, Clock::row};

struct Tried {
  std::string mean, family, law, kind,
      said;  // said: the code of a refusal, or what broke a promise
  std::size_t n = 0;
  FitStatus status = FitStatus::not_run;
  int evaluations = 0;
  double seconds = 0;
  bool refused = false, checked = false, not_finite = false, foreign = false;
  double slope = 0;      // the largest, in standard errors of its parameter
  double shortfall = 0;  // of the best of twenty
};
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Tried, mean, family, law, kind, said, n, status, evaluations,
                                   seconds, refused, checked, not_finite, foreign, slope, shortfall)

// The fits that a file has; a last line cut short is none.
std::map<std::uint64_t, Tried> read_fits(const std::string& path) {
  std::map<std::uint64_t, Tried> fits;
  std::ifstream in(path);
  for (std::string line; std::getline(in, line);) {
    const nlohmann::json row = nlohmann::json::parse(line, nullptr, false);
    if (!row.is_discarded()) fits[row.at("number")] = row.at("fit").get<Tried>();
  }
  return fits;
}

Series series_of(std::uint64_t number, const std::string& kind, std::size_t n,
                 maths::RandomStream& u) {
  Series y = simulate(parse_model("const ar1 / garch / student"),
                      {.05, .3 * u.uniform(), .05, .1, .85, 4 + 8 * u.uniform()}, n,
                      {.seed = kSeed, .stream = number});
  std::vector<double>& v = y.values;
  if (kind == "tied")
    for (double& x : v) x = std::round(2 * x) / 2;
  if (kind == "zeros")
    for (double& x : v)
      if (u.uniform() < .4) x = 0;
  if (kind == "jumps")
    for (double& x : v)
      if (u.uniform() < .02) x += 20 * u.normal();
  if (kind == "missing")
    for (double& x : v)
      if (u.uniform() < .15) x = std::numeric_limits<double>::quiet_NaN();
  if (kind == "explosive")
    for (std::size_t t = 1; t < n; ++t) v[t] += 1.01 * v[t - 1];
  if (kind == "nearly constant")
    for (double& x : v) x = 100 + 1e-7 * x;
  const double unit = std::pow(10, -9 + 18 * u.uniform());
  for (double& x : v) x *= unit;
  y.clock = kClocks[number % std::size(kClocks)];
  Timestamp when = *parse_date("2001-01-01");
  if (y.clock != Clock::row) {
    y.times = {when};
    for (const Timestamp next : dates_after(when, y.clock, n - 1)) y.times.push_back(next);
  }
  return y;
}

// What must be finite in a fit that may be used.
bool all_finite(const Fit& fit) {
  bool finite =
      std::isfinite(*fit.log_likelihood) && std::isfinite(*fit.aic) && std::isfinite(*fit.bic);
  for (const Parameter& p : fit.parameters)
    finite = finite && std::isfinite(p.estimate) && std::isfinite(p.se.value_or(0)) &&
             std::isfinite(p.p_value.value_or(0));
  for (const double h : fit.variances) finite = finite && std::isfinite(h) && h > 0;
  return finite;
}

// From outside: slopes by differences, and climbs from other points.
void check_from_outside(Tried& out, const Model& model, const Series& y, const Fit& fit,
                        maths::RandomStream& u) {
  out.checked = true;
  const LikelihoodKind kind = fit.exact ? LikelihoodKind::exact : LikelihoodKind::conditional;
  Evaluator of(model, y, kind);
  std::vector<double> top;
  for (const Parameter& p : fit.parameters) top.push_back(p.estimate);
  if (fit.convergence.status == FitStatus::converged)
    for (std::size_t j = 0; j < top.size(); ++j) {
      if (!fit.parameters[j].se_hessian || *fit.parameters[j].se_hessian == 0) continue;
      const double step = 1e-4 * *fit.parameters[j].se_hessian;
      std::vector<double> a = top, b = top;
      a[j] += step, b[j] -= step;
      const double up = of.value(a), down = of.value(b);
      if (std::isfinite(up) && std::isfinite(down))
        out.slope = std::max(out.slope, std::abs(up - down) / 2e-4);
    }
  for (int climb = 0; climb < kClimbs; ++climb) {
    EstimateOptions options;
    options.start = top;
    for (std::size_t j = 0; j < top.size(); ++j) {
      const double size = fit.parameters[j].se_hessian.value_or(std::abs(top[j]) * .3);
      options.start[j] += 3 * size * u.normal();
    }
    if (!std::isfinite(of.value(options.start))) continue;
    options.from = ClimbFrom::start;
    options.likelihood = kind;
    options.hessian_errors_only = true;
    const Fit other = estimate(model, y, options);
    if (other.usable())
      out.shortfall = std::max(out.shortfall, *other.log_likelihood - *fit.log_likelihood);
  }
}

Tried run(std::uint64_t number, bool tell) {
  maths::RandomStream u(kSeed + 1, number);
  Tried out;
  out.family = kVariances[number % std::size(kVariances)];
  out.law = kLaws[number / std::size(kVariances) % std::size(kLaws)];
  out.kind = kKinds[number / 44 % std::size(kKinds)];
  out.mean = kMeans[static_cast<std::size_t>(u.uniform() * 6)];
  out.n = out.kind == "short" ? 5 + static_cast<std::size_t>(60 * u.uniform())
                              : 100 + static_cast<std::size_t>(500 * u.uniform() * u.uniform());
  const Series y = series_of(number, out.kind, out.n, u);
  const Model model = parse_model(fmt::format("{} / {} / {}", out.mean, out.family, out.law));
  try {
    const auto begin = std::chrono::steady_clock::now();
    const Fit fit = estimate(model, y);
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    if (tell) std::cout << fit << '\n';
    out.status = fit.convergence.status;
    out.evaluations = fit.convergence.evaluations;
    if (fit.usable()) {
      out.not_finite = !all_finite(fit);
      if (number % kChecked == 0) check_from_outside(out, model, y, fit, u);
    }
  } catch (const Error& error) {
    if (tell) fmt::print("{}\n", error.what());
    out.refused = true;
    out.said = to_string(error.code());
  } catch (const std::exception& error) {
    out.foreign = true;
    out.said = error.what();
  }
  return out;
}

std::string line(std::uint64_t number, const Tried& o) {
  return fmt::format(
      "  {:6} {} / {} / {}, {}, n {}: {}, {} evaluations, {:.2f} s{}{} {}\n", number, o.mean,
      o.family, o.law, o.kind, o.n, o.refused ? "refused" : to_string(o.status), o.evaluations,
      o.seconds, o.shortfall > 1e-3 ? fmt::format(", short by {:.3g}", o.shortfall) : "",
      o.slope > 1e-3 ? fmt::format(", slope {:.2g} a standard error", o.slope) : "", o.said);
}

struct Row {
  std::size_t n = 0, converged = 0, boundary = 0, failed = 0, refused = 0, checked = 0,
              unearned = 0, short_of = 0, broken = 0;
};

}  // namespace

int main(int argc, char** argv) {
  if (argc > 2 && std::string(argv[1]) == "one") {
    const std::uint64_t number = std::strtoull(argv[2], nullptr, 10);
    fmt::print("{}", line(number, run(number, true)));
    return 0;
  }
  if (argc < 2) {
    fmt::print(stderr, "many_fits FILE [FITS [FIRST]], or many_fits one NUMBER\n");
    return 2;
  }
  const std::string path = argv[1];
  const std::uint64_t fits = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 100000,
                      first = argc > 3 ? std::strtoull(argv[3], nullptr, 10) : 0;
  std::map<std::uint64_t, Tried> all = read_fits(path);
  std::vector<std::uint64_t> missing;
  for (std::uint64_t number = first; number < first + fits; ++number)
    if (!all.contains(number)) missing.push_back(number);
  std::ofstream file(path, std::ios::app);
  std::mutex writing;
  // Begins on a line of its own, whatever an interrupted run left behind.
  if (!all.empty()) file << '\n';
  Executor::all_cores().for_each(missing.size(), [&](std::size_t i) {
    Tried tried = run(missing[i], false);
    const std::lock_guard lock(writing);
    file << nlohmann::json{{"number", missing[i]}, {"fit", tried}}.dump() << std::endl;
    all[missing[i]] = std::move(tried);
  });
  if (!file) {
    fmt::print(stderr, "{} could not be written\n", path);
    return 1;
  }
  const auto print = [&](const char* by, auto key) {
    std::map<std::string, Row> rows;
    for (const auto& [number, o] : all) {
      Row& r = rows[key(o)];
      ++r.n;
      r.refused += o.refused;
      r.converged += o.status == FitStatus::converged;
      r.boundary += o.status == FitStatus::boundary;
      r.failed += o.status == FitStatus::failed;
      r.checked += o.checked;
      r.unearned += o.slope > 1e-3;
      r.short_of += o.shortfall > 1e-3;
      r.broken += o.not_finite || o.foreign;
    }
    fmt::print(
        "\n| {} | fits | converged | boundary | failed | refused | checked | slope left | short of "
        "the best | not finite, or not ours |\n"
        "|---|---|---|---|---|---|---|---|---|---|\n",
        by);
    for (const auto& [name, r] : rows)
      fmt::print("| {} | {} | {} | {} | {} | {} | {} | {} | {} | {} |\n", name, r.n, r.converged,
                 r.boundary, r.failed, r.refused, r.checked, r.unearned, r.short_of, r.broken);
  };
  print("kind", [](const Tried& o) { return o.kind; });
  print("family", [](const Tried& o) { return o.family; });
  print("law", [](const Tried& o) { return o.law; });
  print("all", [](const Tried&) { return std::string("all"); });
  std::map<std::string, std::vector<double>> times;
  for (const auto& [number, o] : all)
    if (!o.refused)
      times[fmt::format("{} / {}, {}", o.family, o.law, o.kind)].push_back(o.evaluations);
  for (auto& [key, t] : times) std::sort(t.begin(), t.end());
  std::size_t slow = 0;
  double most = 0;
  fmt::print(
      "\nFailed, unearned, short, not finite, not ours, or above 20 times the median of its "
      "kind:\n");
  for (const auto& [number, o] : all) {
    double ratio = 0;
    if (!o.refused) {
      const std::vector<double>& t = times[fmt::format("{} / {}, {}", o.family, o.law, o.kind)];
      ratio = o.evaluations / std::max(1., t[t.size() / 2]);
      most = std::max(most, ratio);
      slow += ratio > 20;
    }
    if (o.status == FitStatus::failed || o.slope > 1e-3 || o.shortfall > 1e-3 || o.not_finite ||
        o.foreign || ratio > 20)
      fmt::print("{}", line(number, o));
  }
  fmt::print(
      "\n{} fits took more than 20 times the median of their kind in evaluations; the most {:.1f} "
      "times\n",
      slow, most);
}
