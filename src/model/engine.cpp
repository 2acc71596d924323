// SPDX-License-Identifier: Apache-2.0
// The estimation engine. It reads as an outline: scale the data, find starts, climb, judge, write
// the estimates, put errors to them. Covered by tests/model/estimate_test.cpp, reference_test.cpp
// and study_test.cpp.
#include "model/engine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "model/chart.hpp"
#include "model/families.hpp"
#include "model/lag_product.hpp"
#include "model/likelihood.hpp"
#include "model/standard_errors.hpp"
#include "model/surface.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Scoring steps from each starting point before they are compared. In the study of
// docs/estimation.md no step at all misses 3 of 500 maxima, one step 1, three steps 1.
constexpr int kPolish = 1;
// Where several hills are likely: steps from each guess, how many are climbed to their end, how
// near to an end the same hill is meant, and how far below the highest a hill is given up.
constexpr int kPolishHills = 3;
constexpr std::size_t kFinished = 4;
constexpr double kSameHill = 0.02, kHopeless = 12;
// A maximum is beyond doubt where no climb ended at another height, coefficients of the variance
// are known better than to kUnknown and every alpha is so many standard errors from 0; a point on
// its slope lies at most so far below it.
constexpr double kSameTop = 1e-5, kUnknown = 0.1, kFelt = 2.5, kSlope = 2;
// Rows from which one hill is the rule for the simplest families; how many starts the others
// polish.
constexpr std::size_t kManyRows = 1000, kPolishedOfMany = 4;
// More points where the maximum is not beyond doubt: how many, and how far their mu lies from
// the mean in standard deviations. One in four is climbed to its end.
constexpr std::size_t kScattered = 64;
constexpr int kShapeSteps = 8;
constexpr double kScatterMean = 0.1, kScatterBeyond = 3;
constexpr std::uint64_t kScatterSeed = 20;
// Values of the series next to a stalled mu that are looked at as kinks, the likeliest of them that
// are climbed, and how often the look goes on from a higher one.
constexpr std::size_t kKinksSeen = 48, kKinks = 8;
constexpr int kKinkRounds = 4;
// Steps of a climb that may stall on one.
constexpr int kKinkedSteps = 50;
// How far beside a kink its slopes are taken, and by how many times its bend a slope must be too
// steep for a maximum before no climb is worth while.
constexpr double kBeside = 1e-9, kPlainly = 2;
// A kink whose likelihood is so little below that of a smooth maximum is climbed to its end.
constexpr double kNearKink = 0.01;

// The exact climb scores until Newton's method doubles the digits, at most so often; then it needs
// the Hessian, which costs several scoring steps.
constexpr int kExactScoring = 12;
constexpr double kScoredEnough = 1e-1;
// Steps in natural coordinates before the bounds are brought in: a climb that is not done by then
// runs along an edge.
constexpr int kValleySteps = 25;
constexpr int kEdgeSteps = 12;
// Steps of a glance at another start, how far below the best it may lie after them, and how near to
// it they are the same.
constexpr int kGlance = 3;
constexpr double kAsHigh = 0.5, kSamePlace = 0.05, kFarBelow = 25;
// How far a model may end below one that it contains, in log-likelihood.
constexpr double kNestedSlack = 1e-5;
// Rough steps of a climb from there.
constexpr int kNestedSteps = 80;
// Next to the unit circle, and the step of differences there as a share of the distance to it.
constexpr double kNearEdge = 0.01, kEdgeStep = 0.003;
// Exact steps after rough ones: near an edge each costs as much as forty passes.
constexpr int kFinishSteps = 60;

std::span<const double> span_of(const VectorXd& v) {
  return {v.data(), static_cast<std::size_t>(v.size())};
}

// The data on the scale on which the optimiser works: changes divided by their standard deviation,
// and centred where a free mu absorbs the centre; regression columns divided by their size.
struct Scaled {
  MeanData data;
  double centre = 0, scale = 1;
  Eigen::VectorXd column_scales{}, variance_column_scales{};
  std::size_t observed = 0;
};

Scaled scale_data(const MeanData& data, bool centre, bool scale, std::size_t pure_columns) {
  Scaled s{.data = data};
  double sum = 0, squares = 0;
  for (const double v : data.change)
    if (!std::isnan(v)) {
      sum += v;
      ++s.observed;
    }
  const auto n = static_cast<double>(s.observed);
  // Levels that fill a gap between differences would have to be tilted by the centre: left alone.
  if (centre && (data.lost == 0 || data.missing.empty())) s.centre = sum / n;
  for (const double v : data.change)
    if (!std::isnan(v)) squares += (v - s.centre) * (v - s.centre);
  if (scale) s.scale = std::sqrt(squares / n);
  for (double& v : s.data.change) v = (v - s.centre) / s.scale;
  for (double& v : s.data.filled) v = (v - s.centre) / s.scale;
  for (double& v : s.data.level) v /= s.scale;
  s.column_scales = Eigen::VectorXd::Ones(data.columns.cols());
  for (auto j = static_cast<Index>(pure_columns); j < data.columns.cols(); ++j) {
    s.column_scales(j) = data.columns.col(j).norm() / std::sqrt(n);
    s.data.columns.col(j) /= s.column_scales(j);
  }
  s.variance_column_scales = Eigen::VectorXd::Ones(data.variance_columns.cols());
  for (Index j = 0; j < data.variance_columns.cols(); ++j)
    if (const double size = data.variance_columns.col(j).norm() / std::sqrt(n); size > 0) {
      s.variance_column_scales(j) = size;
      s.data.variance_columns.col(j) /= size;
    }
  return s;
}

// One model on one window, from data to Fit.
class Engine {
 public:
  Engine(const Model& model, const MeanData& data, const EstimateOptions& options, bool exact)
      : model_(model),
        parts_(parameter_names(model)),
        names_(parts_.all()),
        at_(mean_positions(model)),
        options_(options),
        exact_(exact),
        scaled_(scale_data(data, model.mean.constant && !held_value("mu"), may_scale(),
                           model.mean.constant ? 1 : 0)),
        units_(units()),
        tie_(tie()),
        chart_(make_chart(held_scaled())),
        surface_(make_surface(model_, scaled_.data, exact)) {}

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

  // A level that is held is a number on the optimiser's scale only where nothing else moves it.
  [[nodiscard]] bool may_scale() const {
    const bool bent = std::holds_alternative<Egarch>(model_.variance) ||
                      std::holds_alternative<Aparch>(model_.variance);
    return !bent || std::none_of(model_.held.begin(), model_.held.end(), [](const Held& h) {
      return h.name == "omega" || h.name.starts_with("vwith:");
    });
  }

  // Parameters on the optimiser's scale in natural units or, with `back`, the other way round; and
  // the derivatives of the one by the other.
  [[nodiscard]] VectorXd convert(VectorXd theta, bool back, MatrixXd* derivatives = nullptr) const {
    const auto first = static_cast<Index>(parts_.mean.size()),
               count = static_cast<Index>(parts_.variance.size());
    MatrixXd J;
    const auto columns = static_cast<Index>(model_.variance_regressors.size());
    auto of_columns = theta.segment(first + count - columns, columns);
    if (back) of_columns.array() *= scaled_.variance_column_scales.array();
    variance_family(model_.variance)
        .rescale(model_, back ? 1 / scaled_.scale : scaled_.scale,
                 {theta.data() + first, static_cast<std::size_t>(count)}, J);
    if (!back) of_columns.array() /= scaled_.variance_column_scales.array();
    if (derivatives) {
      *derivatives = units_.asDiagonal();
      derivatives->block(first, first, count, count) = J;
      for (Index c = 0; c < columns; ++c) {
        const Index at = first + count - columns + c;
        derivatives->row(at) /= scaled_.variance_column_scales(c);
      }
    }
    if (back)
      theta = theta.cwiseQuotient(units_);
    else
      theta = theta.cwiseProduct(units_);
    return theta;
  }

  // What one unit of each parameter on the optimiser's scale is in natural units; 1 for those of
  // the variance, which convert() treats.
  [[nodiscard]] VectorXd units() const {
    VectorXd u = VectorXd::Ones(static_cast<Index>(names_.size()));
    for (std::size_t j = 0; j < at_.regression.size(); ++j)
      u(static_cast<Index>(at_.regression[j])) =
          scaled_.scale / scaled_.column_scales(static_cast<Index>(j));
    if (model_.mean.risk == RiskTerm::variance)
      u(static_cast<Index>(at_.count) - 1) = 1 / scaled_.scale;
    return u;
  }

  [[nodiscard]] Chart make_chart(std::vector<std::optional<double>> held) const {
    return {model_, std::move(held), Chart::Coordinates::bounded, tie_};
  }

  // Omega of a targeted variance; on the optimiser's scale the sample's variance is 1.
  [[nodiscard]] std::optional<Tie> tie() const {
    if (!options_.target_variance) return std::nullopt;
    const bool gjr = std::holds_alternative<Gjr>(model_.variance);
    const auto refuse = [&](const char* why) {
      throw Error(ErrorCode::bad_option,
                  fmt::format("'{}': no variance targeting, since {}", to_string(model_), why));
    };
    if (!gjr && !std::holds_alternative<Arch>(model_.variance) &&
        !std::holds_alternative<Garch>(model_.variance))
      refuse("it is for arch, garch and gjr");
    if (!model_.variance_regressors.empty() || model_.mean.risk)
      refuse("the variance has regressors, or stands in the mean");
    if (gjr && !shock_law(model_.shocks).symmetric) refuse("gjr needs a symmetric law for it");
    if (held_value("omega")) refuse("omega is held");
    if (at_.count > (model_.mean.constant ? 1 : 0) || !model_.mean.differences.empty())
      refuse("the sample's variance is that of the shocks only under a constant mean");
    Tie out{.parameter = parts_.mean.size(), .level = 1, .weights = {}};
    for (std::size_t j = 1; j < parts_.variance.size(); ++j)
      out.weights.emplace_back(parts_.mean.size() + j,
                               parts_.variance[j].starts_with("gamma") ? 0.5 : 1.0);
    return out;
  }

  [[nodiscard]] std::vector<std::optional<double>> held_scaled() const {
    std::vector<std::optional<double>> held(names_.size());
    if (model_.held.empty()) return held;
    // Parameters that are not held have no part in it: 1 stands for them.
    VectorXd theta = VectorXd::Ones(static_cast<Index>(names_.size()));
    for (std::size_t j = 0; j < names_.size(); ++j)
      if (const auto value = held_value(names_[j])) theta(static_cast<Index>(j)) = *value;
    theta = convert(std::move(theta), true);
    for (std::size_t j = 0; j < names_.size(); ++j)
      if (held_value(names_[j])) held[j] = theta(static_cast<Index>(j));
    return held;
  }

  // ---- Starting points ----

  // Regression coefficients by least squares, then AR and MA coefficients by Hannan and Rissanen
  // (1982): a long autoregression gives shocks, y is then regressed on its lags and theirs. Shrunk
  // until stationary and invertible; zeros where even that fails.
  [[nodiscard]] std::vector<double> mean_start() const {
    std::vector<double> start(at_.count, 0.0);
    std::vector<double> y = scaled_.data.change;
    for (double& v : y)
      if (std::isnan(v)) v = 0;
    Eigen::Map<VectorXd> rows(y.data(), static_cast<Index>(y.size()));
    if (const MatrixXd& X = scaled_.data.columns;
        X.cols() > 1 || (X.cols() == 1 && (scaled_.centre == 0 || !model_.mean.constant))) {
      const VectorXd beta = (X.transpose() * X).ldlt().solve(X.transpose() * rows);
      rows -= X * beta;
      for (std::size_t j = 0; j < at_.regression.size(); ++j)
        start[at_.regression[j]] = beta(static_cast<Index>(j));
    }
    const Mean& m = model_.mean;
    Lags ar = m.ar, ma = m.ma;
    ar.insert(ar.end(), m.seasonal_ar.begin(), m.seasonal_ar.end());
    ma.insert(ma.end(), m.seasonal_ma.begin(), m.seasonal_ma.end());
    if (ar.empty() && ma.empty()) return start;
    const std::vector<double> coefficients = hannan_rissanen(y, ar, ma);
    if (coefficients.empty()) return start;
    double shrink = 1;
    for (int attempt = 0; attempt < 20; ++attempt, shrink *= 0.8) {
      VectorXd theta = VectorXd::Zero(static_cast<Index>(names_.size()));
      for (std::size_t i = 0; i < coefficients.size(); ++i)
        theta(static_cast<Index>(lag_parameter(i))) = shrink * coefficients[i];
      if (chart_.admits(theta) && factors_inside(theta)) {
        for (std::size_t i = 0; i < coefficients.size(); ++i)
          start[lag_parameter(i)] = theta(static_cast<Index>(lag_parameter(i)));
        break;
      }
    }
    return start;
  }

  // Position among all parameters of the i-th of ar, sar, ma, sma.
  [[nodiscard]] std::size_t lag_parameter(std::size_t i) const {
    const Mean& m = model_.mean;
    for (const auto& [first, count] :
         {std::pair{at_.ar, m.ar.size()}, std::pair{at_.seasonal_ar, m.seasonal_ar.size()},
          std::pair{at_.ma, m.ma.size()}}) {
      if (i < count) return first + i;
      i -= count;
    }
    return at_.seasonal_ma + i;
  }

  [[nodiscard]] bool factors_inside(const VectorXd& theta) const {
    const VectorXd x = chart_.working(theta);
    return chart_.at_edge(chart_.natural(x)).empty() &&
           (chart_.natural(x) - with_held(theta)).cwiseAbs().head(first_variance()).maxCoeff() <
               1e-8;
  }

  [[nodiscard]] VectorXd with_held(VectorXd theta) const {
    if (model_.held.empty()) return theta;
    const std::vector<std::optional<double>> held = held_scaled();
    for (std::size_t j = 0; j < names_.size(); ++j)
      if (held[j]) theta(static_cast<Index>(j)) = *held[j];
    return theta;
  }

  [[nodiscard]] Index first_variance() const { return static_cast<Index>(parts_.mean.size()); }

  // Coefficients of the lags of y, then of those of the shocks; empty where too few rows are there.
  static std::vector<double> hannan_rissanen(const std::vector<double>& y, const Lags& ar,
                                             const Lags& ma) {
    int longest = 0;
    for (const Lags* lags : {&ar, &ma})
      for (const int lag : *lags) longest = std::max(longest, lag);
    const auto n = static_cast<int>(y.size()), k = static_cast<int>(ar.size() + ma.size());
    if (n - longest < k + 2) return {};
    std::vector<double> shocks = y;
    if (!ma.empty()) {
      const int order = std::min(std::max(10, longest + 5), n / 4);
      const std::vector<double> a =
          coefficients_from_partials(partial_from_autocorrelations(autocorrelations(y, order)));
      for (int l = 1; l <= order; ++l)
        for (int t = l; t < n; ++t)
          shocks[static_cast<std::size_t>(t)] -=
              a[static_cast<std::size_t>(l - 1)] * y[static_cast<std::size_t>(t - l)];
    }
    const Index rows = n - longest;
    MatrixXd X(rows, k);
    Index column = 0;
    const std::vector<double>* const shocks_at = &shocks;
    for (const auto& [lags, from] : {std::pair{&ar, &y}, std::pair{&ma, shocks_at}})
      for (const int lag : *lags)
        X.col(column++) = Eigen::Map<const VectorXd>(from->data() + longest - lag, rows);
    const VectorXd c =
        (X.transpose() * X)
            .ldlt()
            .solve(X.transpose() * Eigen::Map<const VectorXd>(y.data() + longest, rows));
    if (!c.allFinite()) return {};
    return {c.begin(), c.end()};
  }

  // Every starting point, best likelihood first.
  std::vector<VectorXd> starts() {
    std::vector<VectorXd> points;
    if (!options_.start_only || options_.start.empty())
      points = exact_ ? exact_starts(options_.start.empty()) : joint_starts();
    if (!options_.start.empty()) {
      VectorXd theta = Eigen::Map<const VectorXd>(options_.start.data(),
                                                  static_cast<Index>(options_.start.size()));
      if (model_.mean.constant && scaled_.centre != 0) theta(0) -= scaled_.centre;
      points.push_back(convert(std::move(theta), true));
    }
    struct Ranked {
      double f;
      bool given;
      VectorXd x;
    };
    std::vector<Ranked> ranked;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const VectorXd x = feasible(chart_.working(with_held(points[i])));
      ranked.push_back({value(x), !options_.start.empty() && i + 1 == points.size(), x});
    }
    std::stable_sort(ranked.begin(), ranked.end(),
                     [](const Ranked& a, const Ranked& b) { return a.f < b.f; });
    points.clear();
    for (Ranked& r : ranked) {
      if (r.given) given_ = points.size();
      points.push_back(std::move(r.x));
    }
    return points;
  }

  std::vector<VectorXd> joint_starts() {
    const std::vector<double> mean = mean_start();
    std::vector<VectorXd> points;
    for (const std::vector<double>& variance : variance_family(model_.variance).starts(model_)) {
      VectorXd theta(static_cast<Index>(names_.size()));
      Index at = 0;
      for (const double v : mean) theta(at++) = v;
      for (const double v : variance) theta(at++) = v;
      // Regressors of the variance begin with a small share of it.
      for (std::size_t c = 0; c < model_.variance_regressors.size(); ++c)
        theta(at++) = std::holds_alternative<Egarch>(model_.variance) ? 0 : 0.02;
      for (const ShapeCoordinate& shape : shock_law(model_.shocks).shapes)
        theta(at++) = shape.natural(shape.start);
      points.push_back(std::move(theta));
    }
    return points;
  }

  // Of the exact likelihood: the regression's answer and, where there are both AR and MA terms,
  // which may stand in for one another, half of it and none of it. sigma2 follows.
  std::vector<VectorXd> exact_starts(bool all) {
    const std::vector<double> mean = mean_start();
    const bool lags = at_.seasonal_ma + model_.mean.seasonal_ma.size() > at_.ar;
    std::vector<VectorXd> points;
    const bool few = arma_terms(model_) < 3;  // hardly another hill: one guess beside is enough
    for (const double share : {1.0, 0.5, 0.0}) {
      if (few && share == 0.5) continue;
      VectorXd theta(static_cast<Index>(names_.size()));
      for (std::size_t j = 0; j < mean.size(); ++j) {
        const bool lag = j >= at_.ar && j < at_.seasonal_ma + model_.mean.seasonal_ma.size();
        theta(static_cast<Index>(j)) = (lag ? share : 1) * mean[j];
      }
      theta(static_cast<Index>(at_.count)) = 1;
      if (chart_.admits(theta)) {
        // -2 l is linear in 1 / sigma2 but for a known logarithm: two values give its maximum.
        const auto at_variance = [&](double sigma2) {
          theta(static_cast<Index>(at_.count)) = sigma2;
          return value(chart_.working(with_held(theta)));
        };
        const double one = at_variance(1), two = at_variance(2);
        const auto n = static_cast<double>(scaled_.observed);
        const double sum = 2 * (n * std::log(2.0) - 2 * (two - one));
        theta(static_cast<Index>(at_.count)) = sum > 0 && std::isfinite(sum) ? sum / n : 1;
      }
      points.push_back(std::move(theta));
      // A start that was given takes the place of the guesses.
      if (!lags || !all) break;
    }
    return points;
  }

  // The point nearest to x that meets the bounds (held parameters may have taken the room of a
  // start).
  [[nodiscard]] VectorXd feasible(VectorXd x) const {
    // A shape that sits on its bound may lie beyond it by rounding once it went to natural units
    // and back.
    const std::vector<ShapeCoordinate>& shapes = shock_law(model_.shocks).shapes;
    for (Index i = 0; i < x.size(); ++i)
      if (const std::size_t p = chart_.parameter(i); p + shapes.size() >= names_.size()) {
        const ShapeCoordinate& shape = shapes[p + shapes.size() - names_.size()];
        x(i) = std::clamp(x(i), shape.low, shape.high);
      }
    const LinearConstraints& c = chart_.constraints();
    if (((c.d - c.C * x).array() >= 0).all()) return x;
    const Eigen::LLT<MatrixXd> identity(MatrixXd::Identity(x.size(), x.size()));
    // From an inner point the projection's slack is non-negative, as the quadratic programme asks:
    // small numbers for the variance, or one of the family's own starts.
    std::vector<std::vector<double>> guesses = variance_family(model_.variance).starts(model_);
    guesses.insert(guesses.begin(), std::vector<double>(guesses.front().size(), 1e-3));
    std::string tight;
    for (std::vector<double>& guess : guesses) {
      guess.resize(parts_.variance.size(), 1e-3);
      VectorXd inner = x;
      for (Index i = 0; i < x.size(); ++i) {
        const std::size_t p = chart_.parameter(i),
                          first = static_cast<std::size_t>(first_variance());
        if (p >= first && p < first + guess.size()) inner(i) = guess[p - first];
      }
      const VectorXd slack = c.d - c.C * inner;
      Index worst = 0;
      if (slack.minCoeff(&worst) >= 0)
        return inner + solve_quadratic(inner - x, identity, c.C, slack).s;
      if (tight.empty()) tight = c.names[static_cast<std::size_t>(worst)];
    }
    throw Error(ErrorCode::bad_model_line,
                fmt::format("model line: '{}': the held parameters leave no room for {}",
                            to_string(model_), tight));
  }

  // ---- The climb ----

  double value(const VectorXd& x) { return value(chart_, x); }

  double value(const Chart& chart, const VectorXd& x) {
    ++evaluations_;
    const VectorXd theta = chart.natural(x);
    if (!chart.admits(theta)) return std::numeric_limits<double>::infinity();
    surface_->evaluate(span_of(theta), Order::value, derivatives_);
    return derivatives_.admitted ? -derivatives_.log_likelihood
                                 : std::numeric_limits<double>::infinity();
  }

  double derivatives(const Chart& chart, bool rough, const VectorXd& x, Curvature kind,
                     VectorXd& gradient, MatrixXd& curvature) {
    ++evaluations_;
    const VectorXd theta = chart.natural(x);
    if (!chart.admits(theta)) return std::numeric_limits<double>::infinity();
    if (kind == Curvature::hessian && !rough && exact_) {
      if (const VectorXd room = chart.room(x); room.size() > 0 && room.minCoeff() < kNearEdge)
        return derivatives_near_edge(chart, x, room, gradient, curvature);
    }
    if (kind == Curvature::hessian && rough)
      surface_->evaluate_rough(span_of(theta), derivatives_);
    else
      surface_->evaluate(span_of(theta),
                         kind == Curvature::hessian ? Order::hessian : Order::scoring,
                         derivatives_);
    if (!derivatives_.admitted) return std::numeric_limits<double>::infinity();
    const auto k = static_cast<Index>(names_.size());
    const Eigen::Map<const VectorXd> g(derivatives_.gradient.data(), k);
    const MatrixXd J = chart.jacobian(x);
    gradient = -J.transpose() * g;
    if (kind == Curvature::hessian)
      curvature = -chart.pull_hessian(x, g, unpack(derivatives_.hessian));
    else
      curvature = J.transpose() * unpack(derivatives_.information) * J;
    return -derivatives_.log_likelihood;
  }

  // Next to the unit circle second derivatives by the coefficients are so large that they cancel
  // when carried to other coordinates: there they are differences of the gradient in those.
  double derivatives_near_edge(const Chart& chart, const VectorXd& x, const VectorXd& room,
                               VectorXd& gradient, MatrixXd& curvature) {
    const auto gradient_at = [&](const VectorXd& at, VectorXd& out) {
      ++evaluations_;
      const VectorXd theta = chart.natural(at);
      surface_->evaluate(span_of(theta), Order::gradient, derivatives_);
      if (!derivatives_.admitted) return false;
      out = -chart.jacobian(at).transpose() *
            Eigen::Map<const VectorXd>(derivatives_.gradient.data(), theta.size());
      return true;
    };
    constexpr double kInfinite = std::numeric_limits<double>::infinity();
    if (!gradient_at(x, gradient)) return kInfinite;
    const double f = -derivatives_.log_likelihood;
    curvature.resize(x.size(), x.size());
    for (Index j = 0; j < x.size(); ++j) {
      const double step = kEdgeStep * room(j);
      VectorXd slope = VectorXd::Zero(x.size()), moved = x, there;
      for (const auto& [moves, weight] : {std::pair{1., 8.}, {-1., -8.}, {2., -1.}, {-2., 1.}}) {
        moved(j) = x(j) + moves * step;
        if (!gradient_at(moved, there)) return kInfinite;
        slope += weight / (12 * step) * there;
      }
      curvature.col(j) = slope;
    }
    curvature = (0.5 * (curvature + curvature.transpose())).eval();
    return f;
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
    std::vector<VectorXd> points = starts();
    // One hill is the rule for garch on many rows; elsewhere every guess is looked at.
    const bool one_hill = scaled_.observed >= kManyRows && chart_.size() <= 6 &&
                          (std::holds_alternative<Garch>(model_.variance) ||
                           std::holds_alternative<Steady>(model_.variance));
    const bool many = scaled_.observed >= kManyRows;
    const std::size_t polished =
        std::min(points.size(), options_.starts > 0  ? static_cast<std::size_t>(options_.starts)
                                : exact_ || one_hill ? std::size_t{4}
                                : many               ? kPolishedOfMany
                                                     : points.size());
    const std::vector<VectorXd> all = points;
    points.resize(polished);
    starts_ = static_cast<int>(polished);
    if (exact_) {
      climb_exact(points);
      if (!settled(best_) && !options_.start.empty() &&
          !options_.start_only) {  // the guesses that the given start replaced
        given_ = std::numeric_limits<std::size_t>::max();
        std::vector<VectorXd> more;
        for (const VectorXd& theta : exact_starts(true))
          more.push_back(feasible(chart_.working(with_held(theta))));
        climb_exact(more);
      }
    } else {
      climb_joint(points, one_hill ? 1 : kFinished);
      const std::size_t asked = static_cast<std::size_t>(options_.starts),
                        scatter = asked > all.size() ? asked - all.size() : kScattered;
      if (!options_.start_only && (asked == 0 ? !clear() : asked > all.size())) {
        if (many && asked == 0) {
          starts_ = static_cast<int>(all.size());
          climb_joint(all, kFinished);
        }
        std::vector<VectorXd> more = scattered(all, scatter);
        if (!shock_law(model_.shocks).shapes.empty())
          for (std::size_t i = 0; i < more.size(); i += 2) more[i] = climbed_at_shape(more[i]);
        starts_ += static_cast<int>(more.size());
        climb_joint(more, std::max<std::size_t>(1, more.size() / 4));
      }
      look_for_kinks();
      if (on_kink_ && !(settled(best_) && best_.f <= on_kink_->top.f)) {
        kink_ = on_kink_->mu;
        chart_ = std::move(on_kink_->chart);
        best_ = std::move(on_kink_->top);
      }
    }
  }

  // Whether the starts show one hill and the data know its place: then no more is looked at. On few
  // rows there are many hills, a maximum on a bound or a kink may be a smaller one's, and where
  // shocks hardly move the variance, or what fades is hardly known, the likelihood is a ridge with
  // several tops.
  [[nodiscard]] bool clear() const {
    if (scaled_.observed < kManyRows || !settled(best_) || on_kink_ || stalled_) return false;
    if ((best_.multipliers.array() > 0).any()) return false;
    for (const End& end : ends_)
      if (std::abs(end.f - best_.f) > kSameTop) return false;
    const Eigen::LLT<MatrixXd> H(best_.hessian);
    if (H.info() != Eigen::Success) return false;
    const VectorXd errors =
        H.solve(MatrixXd::Identity(best_.x.size(), best_.x.size())).diagonal().cwiseSqrt();
    for (Index c = 0; c < best_.x.size(); ++c) {
      const std::size_t variance = chart_.parameter(c) - parts_.mean.size();
      if (variance >= parts_.variance.size()) continue;
      const std::string& name = parts_.variance[variance];
      if (name.starts_with("alpha") && std::abs(best_.x(c)) < kFelt * errors(c)) return false;
      const bool of_level = name == "omega" || name == "sigma2" || name.starts_with("vwith:");
      if (!of_level && name != "delta" && !name.starts_with("gamma") && errors(c) > kUnknown)
        return false;
    }
    return true;
  }

  // Near the maximum that is known, in standard errors, and as high as its curvature says: the same
  // hill.
  [[nodiscard]] bool on_its_slope(double f, const VectorXd& x) const {
    const VectorXd away = x - best_.x;
    const double fall = 0.5 * away.dot(best_.hessian * away);
    return fall < kSlope && std::abs(f - best_.f - fall) < 0.5 * fall;
  }

  // A few steps with the shape held where it is: far from a maximum heavy tails explain everything,
  // and a climb that is free to take them does not come back.
  VectorXd climbed_at_shape(const VectorXd& x) {
    const VectorXd theta = chart_.natural(x);
    std::vector<std::optional<double>> held = held_scaled();
    for (std::size_t j = names_.size() - shock_law(model_.shocks).shapes.size(); j < names_.size();
         ++j)
      held[j] = theta(static_cast<Index>(j));
    const Chart at_shape = make_chart(std::move(held));
    if (at_shape.size() == 0) return x;
    const NewtonResult r = minimise(
        objective_in(at_shape), at_shape.constraints(), at_shape.working(theta),
        {.scoring_steps = kShapeSteps, .max_iterations = kShapeSteps, .certificate = false});
    return std::isfinite(r.f) ? chart_.working(at_shape.natural(r.x)) : x;
  }

  // Points between the starts, with other shapes and another mu: the same on every run.
  [[nodiscard]] std::vector<VectorXd> scattered(const std::vector<VectorXd>& points,
                                                std::size_t count) const {
    RandomStream u(kScatterSeed, 0);
    const std::vector<ShapeCoordinate>& shapes = shock_law(model_.shocks).shapes;
    const std::size_t first_shape = names_.size() - shapes.size();
    const auto any = [&] {
      return points[static_cast<std::size_t>(u.uniform() * static_cast<double>(points.size()))];
    };
    std::vector<VectorXd> more;
    for (std::size_t i = 0; i < count; ++i) {
      // Every second one beyond its two starts, to where the bounds stop it.
      const double share = i % 2 == 0 ? u.uniform() : kScatterBeyond * u.uniform();
      VectorXd x = share * any() + (1 - share) * any();
      for (Index c = 0; c < x.size(); ++c) {
        const std::size_t p = chart_.parameter(c);
        if (p == 0 && model_.mean.constant) x(c) += kScatterMean * u.normal();
        if (p < first_shape) continue;
        const ShapeCoordinate& shape = shapes[p - first_shape];
        x(c) = shape.low + (shape.high - shape.low) * (.05 + .9 * u.uniform());
      }
      more.push_back(feasible(x));
    }
    return more;
  }

  // `rough` second derivatives are for steps far from the end.
  [[nodiscard]] Objective objective_in(const Chart& chart, bool rough = false) {
    return {.value = [this, &chart](const VectorXd& x) { return value(chart, x); },
            .derivatives = [this, &chart, rough](
                               const VectorXd& x, Curvature kind, VectorXd& g,
                               MatrixXd& B) { return derivatives(chart, rough, x, kind, g, B); }};
  }

  void keep_better(NewtonResult r) {
    if (!settled(r) && std::isfinite(r.f) && (!stalled_ || r.f < stalled_->f)) stalled_ = r;
    const bool better = best_.x.size() == 0 || (settled(r) && !settled(best_)) ||
                        (settled(r) == settled(best_) && r.f < best_.f);
    if (better) best_ = std::move(r);
  }

  // Terms that stand in for one another make long valleys, straight in the coefficients themselves:
  // the climb is made there where a set of lags is full, and ends in the coordinates whose bounds
  // are the edges.
  void climb_exact(const std::vector<VectorXd>& points) {
    const Chart natural(model_, held_scaled(), Chart::Coordinates::natural);
    const Objective in_natural = objective_in(natural, true), in_bounded = objective_in(chart_);
    const NewtonOptions newton{.scoring_steps = kExactScoring,
                               .scoring_until = kScoredEnough,
                               .damping = true,
                               .max_iterations = options_.max_iterations};
    if (!chart_.has_sections()) {
      for (VectorXd x : points) {
        if (settled(best_)) {  // another hill is looked at only where a few steps show it as high
          if (value(x) > best_.f + kFarBelow) continue;
          NewtonOptions glance = newton;
          glance.max_iterations = kGlance;
          glance.certificate = false;
          const NewtonResult seen = minimise(in_bounded, chart_.constraints(), x, glance);
          if (seen.f > best_.f + kAsHigh) continue;
          x = seen.x;
          if ((x - best_.x).cwiseAbs().maxCoeff() < kSamePlace) continue;
        }
        keep_better(minimise(in_bounded, chart_.constraints(), x, newton));
        if (settled(best_) && arma_terms(model_) < 2) return;
      }
      return;
    }
    struct Reached {
      double f;
      bool done, given;
      VectorXd x;
    };
    std::vector<Reached> reached;
    NewtonOptions in_valley = newton;
    in_valley.max_iterations = std::min(options_.max_iterations, kValleySteps);
    in_valley.certificate = false;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const NewtonResult r = minimise(in_natural, natural.constraints(),
                                      natural.working(chart_.natural(points[i])), in_valley);
      reached.push_back({r.f, settled(r), i == given_, chart_.working(natural.natural(r.x))});
    }
    std::stable_sort(reached.begin(), reached.end(),
                     [](const Reached& a, const Reached& b) { return a.f < b.f; });
    // A climb that stopped at an edge is gone on with where it is the higher; where another has
    // found a maximum, not for long.
    const bool any_done =
        std::any_of(reached.begin(), reached.end(), [](const Reached& r) { return r.done; });
    for (Reached& from : reached) {
      if (!from.done) {
        if (any_done && best_.x.size() > 0) continue;
        NewtonOptions along_the_edge = newton;
        along_the_edge.certificate = false;
        along_the_edge.max_iterations =
            std::min(options_.max_iterations, any_done ? kEdgeSteps : 4 * kEdgeSteps);
        from.x =
            minimise(objective_in(chart_, true), chart_.constraints(), from.x, along_the_edge).x;
      }
      NewtonOptions to_the_end = newton;
      to_the_end.max_iterations =
          std::min(options_.max_iterations, any_done ? kEdgeSteps : kFinishSteps);
      keep_better(minimise(in_bounded, chart_.constraints(), from.x, to_the_end));
      if (settled(best_)) break;
    }
    // Where a smaller model ended nothing less will do: the climb from there is made to its end.
    if (given_ < points.size()) {
      const VectorXd& start = points[given_];
      if (value(start) < best_.f - kNestedSlack) {
        NewtonOptions roughly = newton;
        roughly.certificate = false;
        roughly.max_iterations = std::min(options_.max_iterations, kNestedSteps);
        const VectorXd near =
            minimise(objective_in(chart_, true), chart_.constraints(), start, roughly).x;
        keep_better(minimise(in_bounded, chart_.constraints(), near, newton));
      }
    }
  }

  // A few scoring steps from each point show which hills are high; so many of them are climbed to
  // the end.
  void climb_joint(const std::vector<VectorXd>& points, std::size_t finished) {
    const Objective objective = objective_in(chart_);
    const int steps = finished > 1 ? kPolishHills : kPolish;
    std::vector<std::pair<double, VectorXd>> ranked;
    for (const VectorXd& x : points) {
      if (points.size() == 1) {
        ranked.emplace_back(0, x);
        break;
      }
      NewtonResult r =
          minimise(objective, chart_.constraints(), x,
                   {.scoring_steps = steps, .max_iterations = steps, .certificate = false});
      ranked.emplace_back(r.f, std::move(r.x));
    }
    std::stable_sort(ranked.begin(), ranked.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::size_t climbed = 0;
    const bool kinked = may_kink();
    for (const bool damped : {false, true}) {
      if (damped && kinked) {
        look_for_kinks();
        if (on_kink_) break;
        climbed = 0;
      }
      for (const auto& [f, x] : ranked) {
        // What climbs to a kink stalls there, from every start.
        if ((settled(best_) || (kinked && !damped)) &&
            (climbed >= finished || f > ranked.front().first + kHopeless))
          break;
        const auto same = [&x = x](const End& end) {
          return (x - end.x).cwiseAbs().maxCoeff() < kSameHill;
        };
        if (settled(best_) && std::any_of(ends_.begin(), ends_.end(), same)) continue;
        if (clear() && on_its_slope(f, x)) continue;
        NewtonOptions newton;
        newton.scoring_steps = 2;
        newton.damping = damped;
        newton.max_iterations = kinked && !damped ? std::min(options_.max_iterations, kKinkedSteps)
                                                  : options_.max_iterations;
        NewtonResult r = minimise(objective, chart_.constraints(), x, newton);
        ends_.push_back({r.f, r.x});
        ++climbed;
        keep_better(std::move(r));
      }
      if (settled(best_)) break;
    }
  }

  // The likelihood of egarch, of aparch with delta at or below 1, and of ged shocks with nu at 1
  // has a kink in mu at every mu = y_t, and its maximum may lie on one, where no gradient vanishes.
  [[nodiscard]] bool may_kink() const {
    const bool kinked = std::holds_alternative<Egarch>(model_.variance) ||
                        std::holds_alternative<Aparch>(model_.variance) ||
                        std::holds_alternative<Ged>(model_.shocks);
    return kinked && !exact_ && chart_.size() > 1 && chart_.parameter(0) == 0 &&
           model_.mean.constant && arma_terms(model_) == 0 && at_.regression.size() == 1;
  }

  // Whether there is a kink in mu where the other parameters are these.
  [[nodiscard]] bool kinks_at(const VectorXd& theta) const {
    const auto value_of = [&](const char* name) {
      const auto at = std::find(names_.begin(), names_.end(), name) - names_.begin();
      return theta(static_cast<Index>(at));
    };
    return std::holds_alternative<Egarch>(model_.variance) ||
           (std::holds_alternative<Aparch>(model_.variance) && value_of("delta") <= 1) ||
           (std::holds_alternative<Ged>(model_.shocks) && value_of("nu") <= 1);
  }

  // A maximum with mu held at a value of the series from which the likelihood falls to both sides:
  // looked for where the highest climb stalled, and beside a smooth maximum.
  void look_for_kinks() {
    if (!may_kink()) return;
    if (stalled_ && !(settled(best_) && stalled_->f > best_.f)) {
      VectorXd from = chart_.natural(stalled_->x);
      double below = stalled_->f + kNestedSlack;
      for (int round = 0; round < kKinkRounds && climb_kinks(from, below, kKinksSeen); ++round) {
        from = on_kink_->chart.natural(on_kink_->top.x);
        below = on_kink_->top.f;
      }
      stalled_.reset();
    }
    // From one given point a smooth maximum is the answer: no kink beside it is asked for.
    if (settled(best_) && !options_.start_only && kinks_at(chart_.natural(best_.x)))
      (void)climb_kinks(chart_.natural(best_.x), best_.f - kNestedSlack, kKinks, give_of_mu());
  }

  // What is left of the curvature in mu at the maximum where the others give way.
  [[nodiscard]] double give_of_mu() const {
    const MatrixXd& H = best_.hessian;
    const VectorXd column = H.ldlt().solve(VectorXd::Unit(H.rows(), 0));
    return 1 / (H(0, 0) * column(0));
  }

  // Of the `seen` values next to mu the likeliest few, the others climbed to their end with mu held
  // there. True when one is a maximum, and its f below `below` and that of kinks found before. Next
  // to a smooth maximum the slopes at a value, of which `give` is left where the others give way,
  // show whether it can be one.
  bool climb_kinks(const VectorXd& from, double below, std::size_t seen,
                   std::optional<double> give = {}) {
    if (on_kink_) below = std::min(below, on_kink_->top.f);
    std::vector<double> values;
    for (const double v : scaled_.data.change)
      if (!std::isnan(v)) values.push_back(v);
    std::sort(values.begin(), values.end());
    values.erase(std::unique(values.begin(), values.end()), values.end());
    seen = std::min(seen, values.size());
    std::partial_sort(
        values.begin(), values.begin() + static_cast<std::ptrdiff_t>(seen), values.end(),
        [&](double a, double b) { return std::abs(a - from(0)) < std::abs(b - from(0)); });
    std::vector<std::pair<double, double>> ranked;  // f, mu
    for (std::size_t i = 0; i < seen; ++i) {
      VectorXd there = from;
      there(0) = values[i];
      ++evaluations_;
      surface_->evaluate(span_of(there), Order::value, derivatives_);
      if (derivatives_.admitted && -derivatives_.log_likelihood < below + kNearKink)
        ranked.emplace_back(-derivatives_.log_likelihood, values[i]);
    }
    std::sort(ranked.begin(), ranked.end());
    ranked.resize(std::min(ranked.size(), kKinks));
    bool found = false;
    for (const auto& [f, mu] : ranked) {
      std::vector<std::optional<double>> held = held_scaled();
      held[0] = mu;
      Chart chart = make_chart(held);
      VectorXd start = from;
      start(0) = mu;
      const double beside = kBeside * (1 + std::abs(mu));
      if (give) {
        const double left = slope_in_mu(start, mu - beside),
                     right = slope_in_mu(start, mu + beside);
        if (*give * std::abs(left + right) > kPlainly * (right - left)) continue;
      }
      NewtonOptions newton;
      newton.max_iterations = options_.max_iterations;
      NewtonResult r =
          minimise(objective_in(chart), chart.constraints(), chart.working(start), newton);
      if (!settled(r) || !(r.f < below)) continue;
      const VectorXd top = chart.natural(r.x);
      if (!(slope_in_mu(top, mu - beside) < 0 && slope_in_mu(top, mu + beside) > 0)) continue;
      below = r.f;
      on_kink_.emplace(Summit{std::move(r), std::move(chart), mu});
      found = true;
    }
    return found;
  }

  // Of the minimised function; 0 where it has none.
  double slope_in_mu(VectorXd theta, double mu) {
    theta(0) = mu;
    ++evaluations_;
    surface_->evaluate(span_of(theta), Order::gradient, derivatives_);
    return derivatives_.admitted ? -derivatives_.gradient[0] : 0.0;
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
        const std::string& name = chart_.constraints().names[static_cast<std::size_t>(i)];
        if (std::find(bounds.begin(), bounds.end(), name) == bounds.end()) bounds.push_back(name);
        active_.push_back(i);
      }
    for (const Chart::Edge& edge : chart_.at_edge(theta_)) {
      edges_.push_back(edge.parameter);
      const std::string bound = fmt::format("{} inside the unit circle", edge.parameter);
      const auto said = std::find(bounds.begin(), bounds.end(), bound);
      const std::string with_root = fmt::format("{} (root {:.5f})", bound, edge.root);
      if (said == bounds.end())
        bounds.push_back(with_root);
      else
        *said = with_root;
    }
    if (kink_)
      bounds.push_back(
          fmt::format("mu on a kink of the likelihood, which has one at every value of "
                      "the series ({:.6g})",
                      *kink_ * scaled_.scale + scaled_.centre));
    c.status = bounds.empty() ? FitStatus::converged : FitStatus::boundary;
    c.why = bounds.empty()
                ? fmt::format("{}, below {}; Hessian negative definite", measured,
                              text::significant(kConverged, 1))
                : fmt::format("the maximum lies on a bound: {}", fmt::join(bounds, "; "));
    if (tie_) c.why += "; omega from the variance of the sample";
  }

  // ---- Writing the result, in the units of the data ----

  void write_estimates(Fit& fit) const {
    fit.estimated = static_cast<int>(chart_.size()) + (kink_ ? 1 : 0) + (tie_ ? 1 : 0);
    const VectorXd natural = convert(theta_, false);
    for (std::size_t j = 0; j < names_.size(); ++j) {
      Parameter p;
      p.name = names_[j];
      p.estimate = natural(static_cast<Index>(j)) + (p.name == "mu" ? scaled_.centre : 0);
      if (const auto held = held_value(p.name)) {
        p.estimate = *held;
        p.held = true;
      }
      fit.parameters.push_back(std::move(p));
    }
    for (const Index i : active_) mark_pinned(fit, i);
    if (kink_) fit.parameters[0].at_bound = true;
    for (Parameter& p : fit.parameters)
      if (std::find(edges_.begin(), edges_.end(), p.name) != edges_.end()) p.at_bound = true;
  }

  // A bound on one coordinate pins its parameter, which then sits on it exactly.
  void mark_pinned(Fit& fit, Index constraint) const {
    const auto row = chart_.constraints().C.row(constraint);
    if ((row.array() != 0).count() != 1) return;
    Index at = 0;
    row.cwiseAbs().maxCoeff(&at);
    Parameter& p = fit.parameters[chart_.pinned_parameter(at)];
    p.at_bound = true;
    if (chart_.constraints().d(constraint) == 0) p.estimate = 0;
  }

  void write_errors(Fit& fit) {
    // Bounds on sums may pin a parameter between them.
    const MatrixXd Z = free_directions(chart_.constraints().C, active_);
    for (Index i = 0; i < chart_.size(); ++i)
      if (Z.cols() == 0 || Z.row(i).norm() < 1e-10)
        fit.parameters[chart_.pinned_parameter(i)].at_bound = true;
    Maximum maximum{.chart = chart_,
                    .x = best_.x,
                    .theta = theta_,
                    .hessian = best_.hessian,
                    .free = Z,
                    .surface = *surface_,
                    .to_natural = {}};
    (void)convert(theta_, false, &maximum.to_natural);
    if (tie_)
      write_targeted_errors(model_, scaled_.data, *tie_, held_scaled(), maximum, fit);
    else
      brace::write_errors(maximum, options_.hessian_errors_only, fit);
  }

  const Model& model_;
  ParameterNames parts_;
  std::vector<std::string> names_;  // of all parts
  MeanPositions at_;
  const EstimateOptions& options_;
  bool exact_;
  Scaled scaled_;
  VectorXd units_;  // k
  std::optional<Tie> tie_;
  Chart chart_;
  std::unique_ptr<Surface> surface_;
  Derivatives<double> derivatives_;
  NewtonResult best_;
  struct End {
    double f;
    VectorXd x;
  };
  std::vector<End> ends_;           // of climbs of the joint likelihood
  VectorXd theta_;                  // natural, scaled data
  std::vector<Index> active_;       // constraints that bind
  std::vector<std::string> edges_;  // parameters of factors at the unit circle
  int evaluations_ = 0, starts_ = 0;
  // The highest climb that stalled, and the highest kink.
  std::optional<NewtonResult> stalled_;
  struct Summit {
    NewtonResult top;
    Chart chart;
    double mu;
  };
  std::optional<Summit> on_kink_;
  std::optional<double> kink_;  // mu where the maximum lies on a kink, scaled data
  // Which starting point was given by the caller; none where it is no index of one.
  std::size_t given_ = std::numeric_limits<std::size_t>::max();
};

}  // namespace

void run_engine(const Model& model, const MeanData& data, const EstimateOptions& options,
                Fit& fit) {
  Engine(model, data, options, fit.exact).run(fit);
}

}  // namespace brace
