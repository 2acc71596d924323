// SPDX-License-Identifier: Apache-2.0
// The estimation engine. It reads as an outline: scale the data, find starts, climb, judge, write
// the estimates, put errors to them. Covered by tests/model/estimate_test.cpp, reference_test.cpp
// and study_test.cpp.
#include "model/engine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/regression.hpp"
#include "brace/model/model_line.hpp"
#include "model/chart.hpp"
#include "model/families.hpp"
#include "model/likelihood.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Scoring steps from each starting point before they are compared. In the study of
// docs/estimation.md no step at all misses 3 of 500 maxima, one step 1, three steps 1.
constexpr int kPolish = 1;

MatrixXd unpack(const std::vector<double>& lower, Index k) {
  MatrixXd full(k, k);
  for (Index j = 0; j < k; ++j)
    for (Index i = 0; i <= j; ++i)
      full(j, i) = full(i, j) =
          lower[packed(static_cast<std::size_t>(j), static_cast<std::size_t>(i))];
  return full;
}

std::span<const double> span_of(const VectorXd& v) {
  return {v.data(), static_cast<std::size_t>(v.size())};
}

// The unit of a parameter as a power of the data's: mu 1, omega and sigma2 2, pure numbers 0.
int unit_power(const std::string& name) {
  if (name == "mu") return 1;
  return name == "omega" || name == "sigma2" ? 2 : 0;
}

// Parameters for which zero is no hypothesis.
bool has_t(const std::string& name) {
  return name != "nu" && name != "sigma2" && name != "omega";
}

// y on the scale on which the optimiser works: divided by its standard deviation, and centred where
// a free mu absorbs the centre. theta_natural = centre shift + scale^power * theta_scaled.
struct Scaled {
  std::vector<double> y;
  double centre = 0, scale = 1;
  std::size_t observed = 0;
};

Scaled scale_data(std::span<const double> y, bool centre) {
  Scaled s;
  double sum = 0, squares = 0;
  for (const double v : y)
    if (!std::isnan(v)) {
      sum += v;
      ++s.observed;
    }
  const auto n = static_cast<double>(s.observed);
  if (centre) s.centre = sum / n;
  for (const double v : y)
    if (!std::isnan(v)) squares += (v - s.centre) * (v - s.centre);
  s.scale = std::sqrt(squares / n);
  s.y.reserve(y.size());
  for (const double v : y) s.y.push_back((v - s.centre) / s.scale);
  return s;
}

// One model on one window, from data to Fit.
class Engine {
 public:
  Engine(const Model& model, std::span<const double> y, const EstimateOptions& options)
      : model_(model),
        names_(parameter_names(model).all()),
        options_(options),
        scaled_(scale_data(y, model.mean.constant && !held_value("mu"))),
        likelihood_(model, scaled_.y),
        chart_(model, held_scaled()) {}

  void run(Fit& fit) {
    climb();
    judge(fit.convergence);
    write_estimates(fit);
    if (fit.usable()) write_errors(fit);
  }

 private:
  [[nodiscard]] std::optional<double> held_value(const std::string& name) const {
    for (const Held& held : model_.held)
      if (held.name == name) return held.value;
    return std::nullopt;
  }

  [[nodiscard]] double unit(const std::string& name) const {
    return std::pow(scaled_.scale, unit_power(name));
  }

  [[nodiscard]] std::vector<std::optional<double>> held_scaled() const {
    std::vector<std::optional<double>> held;
    for (const std::string& name : names_) {
      held.push_back(held_value(name));
      if (held.back()) *held.back() /= unit(name);
    }
    return held;
  }

  // ---- Starting points ----

  // AR and MA coefficients by Hannan and Rissanen (1982): a long autoregression gives shocks, y is
  // then regressed on its lags and theirs. Shrunk until stationary and invertible; zeros where even
  // that fails.
  [[nodiscard]] std::vector<double> mean_start() const {
    const Lags &ar = model_.mean.ar, &ma = model_.mean.ma;
    const std::size_t constant = model_.mean.constant ? 1 : 0;
    std::vector<double> start(constant + ar.size() + ma.size(), 0.0);
    if (ar.empty() && ma.empty()) return start;
    std::vector<double> y = scaled_.y;
    for (double& v : y)
      if (std::isnan(v)) v = 0;
    std::vector<double> shocks(y.size(), 0.0);
    const int longest = std::max(ar.empty() ? 0 : ar.back(), ma.empty() ? 0 : ma.back());
    const auto n = static_cast<int>(y.size());
    if (!ma.empty()) {
      const int order = std::min(std::max(10, longest + 5), n / 4);
      std::vector<int> all(static_cast<std::size_t>(order));
      std::iota(all.begin(), all.end(), 1);
      if (!regress_on_lags(y, y, all, {}, shocks, nullptr)) return start;
    }
    std::vector<double> coefficients;
    if (!regress_on_lags(y, shocks, ar, ma, shocks, &coefficients)) return start;
    double shrink = 1;
    for (int attempt = 0; attempt < 20; ++attempt, shrink *= 0.8) {
      VectorXd theta = VectorXd::Zero(static_cast<Index>(names_.size()));
      for (std::size_t i = 0; i < coefficients.size(); ++i)
        theta(static_cast<Index>(constant + i)) = shrink * coefficients[i];
      if (chart_.admits(theta) && factors_inside(theta)) {
        for (std::size_t i = 0; i < coefficients.size(); ++i)
          start[constant + i] = theta(static_cast<Index>(constant + i));
        break;
      }
    }
    return start;
  }

  [[nodiscard]] bool factors_inside(const VectorXd& theta) const {
    const VectorXd x = chart_.working(theta);
    return chart_.at_edge(chart_.natural(x)).empty() &&
           (chart_.natural(x) - with_held(theta)).cwiseAbs().head(first_variance()).maxCoeff() <
               1e-8;
  }

  [[nodiscard]] VectorXd with_held(VectorXd theta) const {
    for (std::size_t j = 0; j < names_.size(); ++j)
      if (const auto held = held_value(names_[j]))
        theta(static_cast<Index>(j)) = *held / unit(names_[j]);
    return theta;
  }

  [[nodiscard]] Index first_variance() const {
    return static_cast<Index>(parameter_names(model_).mean.size());
  }

  static bool regress_on_lags(const std::vector<double>& y, const std::vector<double>& e,
                              const Lags& ar, const Lags& ma, std::vector<double>& residuals,
                              std::vector<double>* coefficients) {
    const int longest = std::max(ar.empty() ? 0 : ar.back(), ma.empty() ? 0 : ma.back());
    const auto rows = static_cast<Index>(y.size()) - longest;
    const auto k = static_cast<Index>(ar.size() + ma.size());
    if (rows < k + 2) return false;
    MatrixXd X(rows, k);
    VectorXd target(rows);
    for (Index i = 0; i < rows; ++i) {
      const auto t = static_cast<std::size_t>(i + longest);
      Index column = 0;
      target(i) = y[t];
      for (const int lag : ar) X(i, column++) = y[t - static_cast<std::size_t>(lag)];
      for (const int lag : ma) X(i, column++) = e[t - static_cast<std::size_t>(lag)];
    }
    const Regression fit = regress(X, target);
    std::vector<double> left(y.size(), 0.0);
    for (Index i = 0; i < rows; ++i) left[static_cast<std::size_t>(i + longest)] = fit.residuals(i);
    if (coefficients) coefficients->assign(fit.coefficients.begin(), fit.coefficients.end());
    residuals = std::move(left);
    return true;
  }

  // Every starting point, best likelihood first.
  std::vector<VectorXd> starts() {
    const std::vector<double> mean = mean_start();
    std::vector<std::pair<double, VectorXd>> ranked;
    for (const std::vector<double>& variance : variance_family(model_.variance).starts(model_)) {
      VectorXd theta(static_cast<Index>(names_.size()));
      Index at = 0;
      for (const double v : mean) theta(at++) = v;
      for (const double v : variance) theta(at++) = v;
      for (const ShapeCoordinate& shape : shock_law(model_.shocks).shapes)
        theta(at++) = shape.natural(shape.start);
      const VectorXd x = feasible(chart_.working(with_held(theta)));
      ranked.emplace_back(value(x), x);
    }
    std::stable_sort(ranked.begin(), ranked.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<VectorXd> points;
    for (auto& [f, x] : ranked) points.push_back(std::move(x));
    return points;
  }

  // The point nearest to x that meets the bounds (held parameters may have taken the room of a
  // start).
  [[nodiscard]] VectorXd feasible(const VectorXd& x) const {
    const LinearConstraints& c = chart_.constraints();
    if (((c.d - c.C * x).array() >= 0).all()) return x;
    const Eigen::LLT<MatrixXd> identity(MatrixXd::Identity(x.size(), x.size()));
    // From an inner point the projection's slack is non-negative, as the quadratic programme asks.
    VectorXd inner = x;
    for (Index i = 0; i < x.size(); ++i)
      if (chart_.parameter(i) >= static_cast<std::size_t>(first_variance()) &&
          chart_.parameter(i) < names_.size() - shock_law(model_.shocks).shapes.size())
        inner(i) = 1e-3;
    const VectorXd slack = c.d - c.C * inner;
    for (Index i = 0; i < slack.size(); ++i)
      if (slack(i) < 0)
        throw Error(ErrorCode::bad_model_line,
                    fmt::format("model line: '{}': the held parameters leave no room for {}",
                                to_string(model_), c.names[static_cast<std::size_t>(i)]));
    return inner + solve_quadratic(inner - x, identity, c.C, slack).s;
  }

  // ---- The climb ----

  double value(const VectorXd& x) {
    ++evaluations_;
    const VectorXd theta = chart_.natural(x);
    if (!chart_.admits(theta)) return std::numeric_limits<double>::infinity();
    likelihood_.evaluate(span_of(theta), Order::value, derivatives_);
    return derivatives_.admitted ? -derivatives_.log_likelihood
                                 : std::numeric_limits<double>::infinity();
  }

  double derivatives(const VectorXd& x, Curvature kind, VectorXd& gradient, MatrixXd& curvature) {
    ++evaluations_;
    const VectorXd theta = chart_.natural(x);
    if (!chart_.admits(theta)) return std::numeric_limits<double>::infinity();
    likelihood_.evaluate(
        span_of(theta), kind == Curvature::hessian ? Order::hessian : Order::scoring, derivatives_);
    if (!derivatives_.admitted) return std::numeric_limits<double>::infinity();
    const auto k = static_cast<Index>(names_.size());
    const Eigen::Map<const VectorXd> g(derivatives_.gradient.data(), k);
    const MatrixXd J = chart_.jacobian(x);
    gradient = -J.transpose() * g;
    if (kind == Curvature::hessian)
      curvature = -chart_.pull_hessian(x, g, unpack(derivatives_.hessian, k));
    else
      curvature = J.transpose() * unpack(derivatives_.information, k) * J;
    return -derivatives_.log_likelihood;
  }

  void climb() {
    if (chart_.size() == 0) {  // every parameter is held: nothing to climb
      best_.x.resize(0);
      best_.f = value(best_.x);
      if (std::isfinite(best_.f)) {
        best_.gradient_norm = 0;
        best_.stop = NewtonStop::optimum;
      }
      return;
    }
    const Objective objective{
        .value = [this](const VectorXd& x) { return value(x); },
        .derivatives = [this](const VectorXd& x, Curvature kind, VectorXd& g,
                              MatrixXd& B) { return derivatives(x, kind, g, B); }};
    std::vector<VectorXd> points = starts();
    auto polished = static_cast<std::size_t>(options_.starts > 0       ? options_.starts
                                             : scaled_.observed < 1000 ? 8
                                                                       : 4);
    polished = std::min(polished, points.size());
    points.resize(polished);
    starts_ = static_cast<int>(polished);
    if (polished > 1) {  // a few scoring steps from each: they show which hill is the highest
      std::vector<std::pair<double, VectorXd>> ranked;
      for (VectorXd& x : points) {
        NewtonResult r =
            minimise(objective, chart_.constraints(), x,
                     {.scoring_steps = kPolish, .max_iterations = kPolish, .certificate = false});
        ranked.emplace_back(r.f, std::move(r.x));
      }
      std::stable_sort(ranked.begin(), ranked.end(),
                       [](const auto& a, const auto& b) { return a.first < b.first; });
      for (std::size_t i = 0; i < polished; ++i) points[i] = std::move(ranked[i].second);
    }
    NewtonOptions newton;
    newton.scoring_steps = 2;
    newton.max_iterations = options_.max_iterations;
    for (const VectorXd& x : points) {
      NewtonResult r = minimise(objective, chart_.constraints(), x, newton);
      const bool better = best_.x.size() == 0 || (settled(r) && !settled(best_)) ||
                          (settled(r) == settled(best_) && r.f < best_.f);
      if (better) best_ = std::move(r);
      // Another start that ends lower would only repeat what polishing has ruled out.
      if (settled(best_)) break;
    }
  }

  static bool settled(const NewtonResult& r) {
    return r.gradient_norm < kConverged && r.stop != NewtonStop::not_finite;
  }

  // ---- The verdict ----

  void judge(Convergence& c) {
    c.iterations = best_.iterations;
    c.evaluations = evaluations_;
    c.starts = starts_;
    if (std::isfinite(best_.gradient_norm)) c.gradient_norm = best_.gradient_norm;
    theta_ = chart_.natural(best_.x);
    const std::string measured = std::isfinite(best_.gradient_norm)
                                     ? "gradient " + text::significant(best_.gradient_norm, 1)
                                     : std::string("the Hessian is not negative definite");
    if (!settled(best_)) {
      c.status = FitStatus::failed;
      c.why = fmt::format("{} after {} steps from each of {} (asked: below {})", measured,
                          best_.iterations,
                          text::plural(static_cast<std::size_t>(starts_), "start", "starts"),
                          text::significant(kConverged, 1));
      return;
    }
    std::vector<std::string> bounds;
    for (Index i = 0; i < best_.multipliers.size(); ++i)
      if (best_.is_active(i)) {
        bounds.push_back(chart_.constraints().names[static_cast<std::size_t>(i)]);
        active_.push_back(i);
      }
    edges_ = chart_.at_edge(theta_);
    for (const std::string& name : edges_) {
      const std::string bound = fmt::format("{} inside the unit circle", name);
      if (std::find(bounds.begin(), bounds.end(), bound) == bounds.end()) bounds.push_back(bound);
    }
    c.status = bounds.empty() ? FitStatus::converged : FitStatus::boundary;
    c.why = bounds.empty()
                ? fmt::format("{}, below {}; Hessian negative definite", measured,
                              text::significant(kConverged, 1))
                : fmt::format("the maximum lies on a bound: {}", fmt::join(bounds, "; "));
  }

  // ---- Writing the result, in the units of the data ----

  void write_estimates(Fit& fit) const {
    fit.n = scaled_.observed;
    fit.estimated = static_cast<int>(chart_.size());
    for (std::size_t j = 0; j < names_.size(); ++j) {
      Parameter p;
      p.name = names_[j];
      p.estimate =
          theta_(static_cast<Index>(j)) * unit(p.name) + (p.name == "mu" ? scaled_.centre : 0);
      if (const auto held = held_value(p.name)) {
        p.estimate = *held;
        p.held = true;
      }
      fit.parameters.push_back(std::move(p));
    }
    for (const Index i : active_) mark_pinned(fit, i);
    for (Parameter& p : fit.parameters)
      if (std::find(edges_.begin(), edges_.end(), p.name) != edges_.end()) p.at_bound = true;
  }

  // A bound on one coordinate pins its parameter, which then sits on it exactly.
  void mark_pinned(Fit& fit, Index constraint) const {
    const auto row = chart_.constraints().C.row(constraint);
    if ((row.array() != 0).count() != 1) return;
    Index at = 0;
    row.cwiseAbs().maxCoeff(&at);
    Parameter& p = fit.parameters[chart_.parameter(at)];
    p.at_bound = true;
    if (chart_.constraints().d(constraint) == 0) p.estimate = 0;
  }

  // Covariances on the directions that no bound blocks, carried to natural parameters: with G = J
  // Z, G (Z' -H Z)^-1 G', and likewise from the scores.
  void write_errors(Fit& fit) {
    const auto k = static_cast<Index>(names_.size());
    const MatrixXd Z = free_directions(chart_.constraints().C, active_);
    const MatrixXd G = chart_.jacobian(best_.x) * Z;
    const auto r = Z.cols();
    if (r == 0) {
      fit.covariance = MatrixXd::Zero(k, k);
      return;
    }
    const std::vector<double> by_row = likelihood_.scores(span_of(theta_));
    const Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>
        S(by_row.data(), static_cast<Index>(likelihood_.rows()), k);
    const MatrixXd reduced_scores = S * G;
    const MatrixXd B = reduced_scores.transpose() * reduced_scores;
    const MatrixXd identity = MatrixXd::Identity(r, r);
    const MatrixXd A = (Z.transpose() * best_.hessian * Z).llt().solve(identity);
    const Eigen::LDLT<MatrixXd> of_B(B);
    const MatrixXd opg =
        of_B.isPositive() && of_B.rcond() > 1e-14 ? MatrixXd(of_B.solve(identity)) : MatrixXd();
    VectorXd units(k);
    for (Index j = 0; j < k; ++j) units(j) = unit(names_[static_cast<std::size_t>(j)]);
    const auto natural = [&](const MatrixXd& C) -> MatrixXd {
      if (C.size() == 0) return {};
      return units.asDiagonal() * (G * C * G.transpose()) * units.asDiagonal();
    };
    const MatrixXd by_hessian = natural(A), by_opg = natural(opg), by_sandwich = natural(A * B * A);
    const auto error = [&](const MatrixXd& V, Index j) -> std::optional<double> {
      const Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
      if (V.size() == 0 || p.held || p.at_bound || !(V(j, j) > 0)) return std::nullopt;
      return std::sqrt(V(j, j));
    };
    for (Index j = 0; j < k; ++j) {
      Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
      p.se_hessian = error(by_hessian, j);
      p.se_opg = error(by_opg, j);
      p.se_robust = error(by_sandwich, j);
      p.se = fit.errors == ErrorKind::hessian ? p.se_hessian
             : fit.errors == ErrorKind::opg   ? p.se_opg
                                              : p.se_robust;
      if (p.se && has_t(p.name)) {
        p.t = p.estimate / *p.se;
        p.p_value = laws::normal_two_sided(*p.t);
      }
    }
    fit.covariance = fit.errors == ErrorKind::hessian ? by_hessian
                     : fit.errors == ErrorKind::opg   ? by_opg
                                                      : by_sandwich;
    if (fit.covariance.size() == 0) fit.covariance = MatrixXd::Zero(k, k);
    for (Index j = 0; j < k; ++j)
      if (const Parameter& p = fit.parameters[static_cast<std::size_t>(j)]; p.held || p.at_bound) {
        fit.covariance.row(j).setZero();
        fit.covariance.col(j).setZero();
      }
  }

  const Model& model_;
  std::vector<std::string> names_;
  const EstimateOptions& options_;
  Scaled scaled_;
  Likelihood<double> likelihood_;
  Chart chart_;
  Derivatives<double> derivatives_;
  NewtonResult best_;
  VectorXd theta_;                  // natural, scaled data
  std::vector<Index> active_;       // constraints that bind
  std::vector<std::string> edges_;  // parameters of factors at the unit circle
  int evaluations_ = 0, starts_ = 0;
};

}  // namespace

void run_engine(const Model& model, std::span<const double> y, const EstimateOptions& options,
                Fit& fit) {
  Engine(model, y, options).run(fit);
}

}  // namespace brace
