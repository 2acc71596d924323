// SPDX-License-Identifier: Apache-2.0
// Profiles by Lagrange's multiplier: the maximum of l + lambda g over all parameters lies on the
// profile of g, and every point of a concave profile is one for some lambda. So an interval's end
// is a root in lambda, each value of which is one short climb. Covered by
// tests/diagnosis/inference_test.cpp.
#include "brace/diagnosis/inference.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/model_line.hpp"
#include "estimation/problem.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kInfinite = std::numeric_limits<double>::infinity();
// The fall of the likelihood is met to this share of it.
constexpr double kFall = 1e-6;
constexpr std::string_view kPersistence = "persistence";
// Estimates lie no further below the maximum than this.
constexpr double kSameMaximum = 1e-4;
constexpr int kMostRoots = 60;
// Steps of the differences of g, as a share of each coordinate's error.
constexpr double kProfileStep = 1e-3;

[[noreturn]] void refuse(const std::string& text) {
  throw Error(ErrorCode::bad_option, text);
}

// The likelihood along one quantity g, a parameter or the persistence in the units of the data: the
// maximum of l + lambda g over all parameters, for the multiplier lambda at which l has fallen.
class LikelihoodProfile {
 public:
  LikelihoodProfile(const Fit& fit, std::string quantity)
      : fit_(fit),
        quantity_(std::move(quantity)),
        data_(mean_data(fit.model, fit.window())),
        problem_(fit.model, data_, options_, fit.exact) {}

  // Climbs to the maximum again. Throws Error (bad_option) where that is not the fit's.
  void begin() {
    const Coordinates& in = problem_.coordinates;
    const WorkingPoint x =
        problem_.feasible(in.working(problem_.to_scaled(DataParameters(fit_.estimates()))));
    const double at_estimates = problem_.value(in, x);
    best_ = maths::minimise(objective(0), in.constraints(), x, {.scoring_steps = 0});
    if (best_.stop != maths::NewtonStop::optimum)
      refuse(fmt::format("'{}': no profile, since its maximum could not be reached again",
                         to_string(fit_.model)));
    // As with a targeted variance, whose profile would be that of other estimates.
    if (at_estimates > best_.f + kSameMaximum)
      refuse(
          fmt::format("'{}': no profile, since its estimates are no maximum of the likelihood "
                      "(was the variance targeted?)",
                      to_string(fit_.model)));
    const Index k = best_.x.size();
    const MatrixXd V = maths::solve_symmetric(best_.hessian, MatrixXd(MatrixXd::Identity(k, k)));
    errors_ = V.diagonal().cwiseAbs().cwiseSqrt().cwiseMin(1.0);
    const VectorXd slope = gradient_of_g(WorkingPoint(best_.x));
    error_ = std::sqrt(std::max(1e-16, slope.dot(maths::product(V, slope))));
  }

  // The end of the interval on one side (-1 or +1) where l has fallen by `fall`; the first is empty
  // where it does not before a bound, which then is the second.
  std::pair<std::optional<double>, double> end(int side, double fall) {
    double below = 0, lambda = std::sqrt(2 * fall) / error_, above = kInfinite;
    VectorXd start = best_.x;
    double reached = estimate();
    for (int root = 0; root < kMostRoots; ++root) {
      const maths::NewtonResult r =
          maths::minimise(objective(side * lambda), problem_.coordinates.constraints(), start,
                          {.scoring_steps = 0, .damping = true, .max_iterations = 100});
      const WorkingPoint x(r.x);
      const double fell = problem_.value(problem_.coordinates, x) - best_.f, there = g(x);
      // Where g stands on a bound no multiplier moves it further.
      const bool stuck = root > 3 && std::abs(there - reached) < 1e-9 * error_ && fell < fall;
      reached = there;
      if (stuck) return {std::nullopt, there};
      if (std::abs(fell - fall) < kFall * fall) return {there, there};
      (fell < fall ? below : above) = lambda;
      if (fell < fall) start = r.x;
      const double guess = lambda * std::sqrt(fall / std::max(fell, 1e-3 * fall));
      const bool inside = guess > below && guess < above;
      const double middle = std::isfinite(above) ? 0.5 * (below + above) : 4 * lambda;
      lambda = inside && root < 12 ? guess : middle;
      if (std::isfinite(above) && above - below < 1e-12 * above) break;
    }
    // A profile that is not concave there jumps: the value beyond the jump holds everything.
    return {reached, reached};
  }

  [[nodiscard]] double estimate() const { return g(WorkingPoint(best_.x)); }

 private:
  [[nodiscard]] double g(const WorkingPoint& x) const {
    const DataParameters theta = problem_.to_data(problem_.coordinates.scaled(x));
    const std::vector<std::string>& names = problem_.names;
    if (quantity_ != kPersistence)
      return theta(std::find(names.begin(), names.end(), quantity_) - names.begin());
    const std::span<const double> variance = span_of(theta).subspan(problem_.parts.mean.size());
    const std::size_t count = problem_.parts.variance.size();
    return variance_family(fit_.model.variance)
        .dynamics(fit_.model, variance.first(count), variance.subspan(count))
        .persistence.value_or(1);
  }

  // By differences along each coordinate's error.
  [[nodiscard]] VectorXd gradient_of_g(const WorkingPoint& x) const {
    VectorXd slope(x.size());
    WorkingPoint moved = x;
    for (Index j = 0; j < x.size(); ++j) {
      const double step = kProfileStep * errors_(j);
      moved(j) = x(j) + step;
      const double up = g(moved);
      moved(j) = x(j) - step;
      slope(j) = (up - g(moved)) / (2 * step);
      moved(j) = x(j);
    }
    return slope;
  }

  [[nodiscard]] MatrixXd hessian_of_g(const WorkingPoint& x) const {
    MatrixXd bend(x.size(), x.size());
    WorkingPoint moved = x;
    for (Index j = 0; j < x.size(); ++j) {
      const double step = kProfileStep * errors_(j);
      moved(j) = x(j) + step;
      const VectorXd up = gradient_of_g(moved);
      moved(j) = x(j) - step;
      bend.col(j) = (up - gradient_of_g(moved)) / (2 * step);
      moved(j) = x(j);
    }
    return 0.5 * (bend + bend.transpose());
  }

  // -l - lambda g
  [[nodiscard]] maths::Objective objective(double lambda) {
    const maths::Objective of_l = problem_.objective_in(problem_.coordinates);
    if (lambda == 0) return of_l;
    return {.value =
                [this, lambda, of_l](const VectorXd& x) {
                  const double f = of_l.value(x);
                  return std::isfinite(f) ? f - lambda * g(WorkingPoint(x)) : f;
                },
            .derivatives =
                [this, lambda, of_l](const VectorXd& x, maths::Curvature kind, VectorXd& gradient,
                                     MatrixXd& curvature) {
                  const double f = of_l.derivatives(x, kind, gradient, curvature);
                  if (!std::isfinite(f)) return f;
                  const WorkingPoint at(x);
                  gradient -= lambda * gradient_of_g(at);
                  if (kind == maths::Curvature::hessian) curvature -= lambda * hessian_of_g(at);
                  return f - lambda * g(at);
                }};
  }

  const Fit& fit_;
  std::string quantity_;
  EstimateOptions options_{};
  MeanData data_;
  Problem problem_;
  maths::NewtonResult best_;
  VectorXd errors_;   // of the working coordinates
  double error_ = 0;  // of the quantity
};

std::string known_quantities(const Fit& fit) {
  std::string names;
  for (const Parameter& p : fit.parameters)
    if (!p.held) names += p.name + ", ";
  return names + (fit.persistence ? "persistence" : "nothing else");
}

void require_usable_fit(const Fit& fit, const char* what) {
  if (!fit.usable())
    refuse(
        fmt::format("'{}' did not converge, so {} cannot be computed", to_string(fit.model), what));
}

}  // namespace

ProfileInterval profile_interval(const Fit& fit, std::string_view quantity, double percent) {
  require_usable_fit(fit, "an interval");
  if (!(percent > 0 && percent < 100))
    refuse(fmt::format("an interval covers between 0 and 100 percent, not {}", percent));
  ProfileInterval out;
  out.quantity = quantity;
  out.percent = percent;
  const auto parameter = std::find_if(fit.parameters.begin(), fit.parameters.end(),
                                      [&](const Parameter& p) { return p.name == quantity; });
  const bool persistence = quantity == kPersistence && fit.persistence;
  if (!persistence && (parameter == fit.parameters.end() || parameter->held))
    refuse(fmt::format("no profile of '{}' in '{}': it has {}", quantity, to_string(fit.model),
                       known_quantities(fit)));
  const std::optional<double> error = persistence ? fit.persistence_error : parameter->se;
  LikelihoodProfile profile(fit, out.quantity);
  profile.begin();
  out.estimate = profile.estimate();
  const double z = laws::normal_quantile(0.5 + percent / 200);
  if (error) {
    out.symmetric_low = out.estimate - z * *error;
    out.symmetric_high = out.estimate + z * *error;
  }
  // The quantile of chi-squared with one degree of freedom is that of the normal law squared.
  const double fall = 0.5 * z * z;
  const auto [low, lowest] = profile.end(-1, fall);
  const auto [high, highest] = profile.end(1, fall);
  out.low = low;
  out.high = high;
  if (!low) out.bound_low = lowest;
  if (!high) out.bound_high = highest;
  return out;
}

std::ostream& operator<<(std::ostream& out, const ProfileInterval& i) {
  const auto end = [](const std::optional<double>& value, const std::optional<double>& bound) {
    return value ? text::significant(*value, 4)
                 : fmt::format("the bound {}", text::significant(bound.value_or(0), 4));
  };
  out << fmt::format("  {:<12} {:>10}   {:.4g} % by likelihood: {} to {}", i.quantity,
                     text::significant(i.estimate, 4), i.percent, end(i.low, i.bound_low),
                     end(i.high, i.bound_high));
  if (i.symmetric_low)
    out << fmt::format("; by its error: {} to {}", text::significant(*i.symmetric_low, 4),
                       text::significant(*i.symmetric_high, 4));
  return out << '\n';
}

TestResult wald_test(const Fit& fit, const std::vector<Held>& values) {
  require_usable_fit(fit, "a test");
  if (values.empty()) refuse("a Wald test needs a value for at least one parameter");
  const auto q = static_cast<Index>(values.size());
  VectorXd distance(q);
  std::vector<Index> at;
  std::string null;
  for (const auto& [name, value] : values) {
    const auto p = std::find_if(fit.parameters.begin(), fit.parameters.end(),
                                [&n = name](const Parameter& x) { return x.name == n; });
    if (p == fit.parameters.end() || !p->se)
      refuse(fmt::format("Wald test: {} in '{}'",
                         p == fit.parameters.end() ? fmt::format("there is no '{}'", name)
                                                   : fmt::format("'{}' has no error", name),
                         to_string(fit.model)));
    const Index position = p - fit.parameters.begin();
    if (std::find(at.begin(), at.end(), position) != at.end())
      refuse(fmt::format("Wald test: '{}' is named twice", name));
    distance(static_cast<Index>(at.size())) = p->estimate - value;
    at.push_back(position);
    null += fmt::format("{}{} = {:g}", null.empty() ? "" : " and ", name, value);
  }
  const MatrixXd V = maths::to_eigen(fit.covariance)(at, at);
  TestResult test;
  test.test = "wald";
  test.variant = std::string(to_string(fit.errors));
  test.null = null;
  test.statistic = distance.dot(maths::solve_symmetric(V, distance));
  test.dof = {static_cast<double>(q)};
  test.p_value = laws::chi_squared_tail(test.statistic, static_cast<double>(q));
  test.observations = fit.n;
  test.reading = *test.rejects() ? fmt::format("the data reject {}", null)
                                 : fmt::format("no evidence against {}", null);
  return test;
}

MeanBeside mean_beside(const Fit& fit) {
  require_usable_fit(fit, "a comparison");
  const std::size_t terms = parameter_names(fit.model).mean.size();
  if (std::holds_alternative<Steady>(fit.model.variance) || terms == 0 || fit.model.mean.risk)
    refuse(fmt::format("'{}': {}", to_string(fit.model),
                       terms == 0 ? "it has no mean term to compare"
                       : fit.model.mean.risk
                           ? "its mean has volatility in it, and cannot stand alone"
                           : "it has no variance equation to compare with"));
  Model alone = fit.model;
  alone.variance = Steady{};
  alone.shocks = Normal{};
  alone.variance_regressors.clear();
  const std::vector<std::string> names = parameter_names(alone).all();
  std::erase_if(alone.held, [&](const Held& h) {
    return std::find(names.begin(), names.end(), h.name) == names.end() || h.name == "sigma2";
  });
  const Fit mean = estimate(alone, fit.window(), {.likelihood = LikelihoodKind::conditional});
  MeanBeside out;
  out.alone_status = mean.convergence.status;
  out.model = to_string(fit.model);
  out.mean_model = to_string(mean.model);
  for (std::size_t j = 0; j < terms; ++j) {
    const Parameter &a = fit.parameters[j], &b = mean.parameters[j];
    out.rows.push_back({a.name, a.estimate, b.estimate, a.se, b.se_hessian, b.se_robust});
  }
  return out;
}

std::ostream& operator<<(std::ostream& out, const MeanBeside& beside) {
  const auto shown = [](const std::optional<double>& v) {
    return v ? text::significant(*v, 4) : std::string("none");
  };
  out << fmt::format("  mean terms beside those of '{}' alone{}\n", beside.mean_model,
                     beside.alone_status == FitStatus::failed
                         ? ", which did not converge: do not use its numbers"
                         : "")
      << fmt::format("  {:<12}{:>11}{:>11}{:>13}{:>11}{:>13}\n", "", "joint", "error", "mean alone",
                     "error", "robust error");
  for (const MeanBeside::Row& r : beside.rows)
    out << fmt::format("  {:<12}{:>11}{:>11}{:>13}{:>11}{:>13}\n", r.name,
                       text::significant(r.joint, 4), shown(r.joint_error),
                       text::significant(r.alone, 4), shown(r.alone_error),
                       shown(r.alone_robust_error));
  return out;
}

std::ostream& operator<<(std::ostream& out, const Inference& inference) {
  if (!inference.intervals.empty()) out << '\n';
  for (const ProfileInterval& interval : inference.intervals) out << interval;
  if (!inference.tests.empty()) out << '\n';
  for (const TestResult& test : inference.tests) out << test;
  if (inference.beside) out << '\n' << *inference.beside;
  return out;
}

}  // namespace brace::inline v0
