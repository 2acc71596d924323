// SPDX-License-Identifier: Apache-2.0
// Covered by tests/forecast/methods_test.cpp; coverage in docs/coverage.md.
#include "forecast/likelihood_sample.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "brace/hypothesis/moments.hpp"
#include "families/shock_law.hpp"
#include "forecast/draws.hpp"
#include "likelihood/log_likelihood.hpp"
#include "maths/dense.hpp"
#include "maths/log_mean_exp.hpp"
#include "process/admissible.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// A multivariate Student law, from which proposals are drawn.
struct Proposal {
  static constexpr double kDegrees = 4;  // tails that no likelihood beats
  VectorXd mean;
  MatrixXd root;  // lower triangular
  double log_scale = 0;
  // Draws made and those of them that were admitted: the law is that of the latter.
  std::size_t drawn = 0, admitted = 0;

  Proposal(VectorXd centre, const MatrixXd& spread) : mean(std::move(centre)) {
    root = maths::lower_root(spread).value();  // a spread is positive definite
    log_scale = root.diagonal().array().log().sum();
  }
  [[nodiscard]] VectorXd draw(maths::RandomStream& stream) const {
    VectorXd z(mean.size());
    for (double& v : z) v = stream.normal();
    // chi-squared over its degrees of freedom
    const double over = 2 * stream.quick_gamma(kDegrees / 2) / kDegrees;
    return mean + maths::product(root, z) / std::sqrt(over);
  }
  // Of an admitted point, up to a constant that all proposals share.
  [[nodiscard]] double log_density(const VectorXd& x) const {
    const VectorXd z = maths::solve_lower(root, x - mean);
    return std::log(static_cast<double>(drawn) / static_cast<double>(admitted)) - log_scale -
           0.5 * (kDegrees + static_cast<double>(z.size())) *
               std::log1p(z.squaredNorm() / kDegrees);
  }
};

struct Moments {
  VectorXd mean;
  MatrixXd spread;
};

// SampleCoordinates in which the likelihood is nearer to a Student law: the logarithm of the level,
// shapes as the engine has them; held parameters left out.
class SampleCoordinates {
 public:
  explicit SampleCoordinates(const Fit& fit) : model_(fit.model), centre_(fit.estimates()) {
    const ParameterNames names = parameter_names(model_);
    first_shape_ = names.mean.size() + names.variance.size();
    for (const Bound& bound : variance_family(model_.variance).bounds(model_))
      if (bound.of_level) level_ = names.mean.size() + bound.terms.front().first;
    for (std::size_t j = 0; j < fit.parameters.size(); ++j)
      if (!fit.parameters[j].held) free_.push_back(static_cast<Index>(j));
  }

  [[nodiscard]] const std::vector<Index>& free() const { return free_; }
  [[nodiscard]] const ShapeCoordinate* shape(Index j) const {
    const auto at = static_cast<std::size_t>(j);
    return at < first_shape_ ? nullptr : &shock_law(model_.shocks).shapes[at - first_shape_];
  }
  [[nodiscard]] bool is_level(Index j) const { return static_cast<std::size_t>(j) == level_; }

  [[nodiscard]] VectorXd working(const std::vector<double>& theta) const {
    VectorXd x(static_cast<Index>(free_.size()));
    for (Index i = 0; i < x.size(); ++i) {
      const Index j = free_[static_cast<std::size_t>(i)];
      const double v = theta[static_cast<std::size_t>(j)];
      const ShapeCoordinate* s = shape(j);
      x(i) = s ? s->working(v) : is_level(j) ? std::log(v) : v;
    }
    return x;
  }
  [[nodiscard]] std::vector<double> parameters(const VectorXd& x) const {
    std::vector<double> theta = centre_;
    for (Index i = 0; i < x.size(); ++i) {
      const Index j = free_[static_cast<std::size_t>(i)];
      const ShapeCoordinate* s = shape(j);
      theta[static_cast<std::size_t>(j)] = s ? s->shape(x(i)) : is_level(j) ? std::exp(x(i)) : x(i);
    }
    return theta;
  }
  // Of the parameters by the working ones.
  [[nodiscard]] VectorXd slopes(const VectorXd& x) const {
    VectorXd slope = VectorXd::Ones(x.size());
    for (Index i = 0; i < x.size(); ++i) {
      const Index j = free_[static_cast<std::size_t>(i)];
      if (const ShapeCoordinate* s = shape(j)) slope(i) = s->slope(x(i));
      if (is_level(j)) slope(i) = std::exp(x(i));
    }
    return slope;
  }
  // Shapes beyond these describe no law.
  [[nodiscard]] bool admits(const VectorXd& x) const {
    for (Index i = 0; i < x.size(); ++i)
      if (const ShapeCoordinate* s = shape(free_[static_cast<std::size_t>(i)]))
        if (x(i) < s->low || x(i) > s->high) return false;
    return true;
  }

 private:
  const Model& model_;
  std::vector<double> centre_;
  std::size_t first_shape_ = 0;
  std::size_t level_ = std::numeric_limits<std::size_t>::max();  // none: no such index
  std::vector<Index> free_;
};

// How much wider than the Hessian's errors those asked for are, as a factor on the log-likelihood.
double flattening(const Fit& fit) {
  double sum = 0, count = 0;
  for (const Parameter& p : fit.parameters)
    if (p.se && p.se_hessian && *p.se_hessian > 0) {
      sum += (*p.se / *p.se_hessian) * (*p.se / *p.se_hessian);
      ++count;
    }
  return count > 0 ? std::min(1.0, count / sum) : 1;
}

// The first proposal: the normal law of the estimates, made wider; parameters on a bound or a kink,
// whose covariance is zero, by rough sizes.
Proposal first_proposal(const Fit& fit, const SampleCoordinates& coordinates, double sd) {
  constexpr double kWider = 2, kShareOfRange = 0.15, kCoefficient = 0.15, kLeastEigenvalue = 0.1;
  const double mean_error = sd / std::sqrt(static_cast<double>(fit.n));
  const VectorXd x = coordinates.working(fit.estimates()), slope = coordinates.slopes(x);
  const auto first_variance = static_cast<Index>(parameter_names(fit.model).mean.size());
  const std::vector<Index>& free = coordinates.free();
  MatrixXd spread = maths::to_eigen(fit.covariance)(free, free);
  spread.array() /= (slope * slope.transpose()).array();
  for (Index i = 0; i < x.size(); ++i) {
    const Index j = free[static_cast<std::size_t>(i)];
    if (spread(i, i) > 0) continue;
    spread.row(i).setZero();
    spread.col(i).setZero();
    const ShapeCoordinate* s = coordinates.shape(j);
    const double size = s                         ? kShareOfRange * (s->high - s->low)
                        : coordinates.is_level(j) ? 1
                        : j < first_variance      ? mean_error
                                                  : kCoefficient;
    spread(i, i) = size * size;
  }
  // A bound on a sum leaves a direction without any spread: there a share of the errors stands in.
  const VectorXd size = spread.diagonal().cwiseSqrt();
  const MatrixXd correlation =
      size.cwiseInverse().asDiagonal() * spread * size.cwiseInverse().asDiagonal();
  const auto [values, vectors] = maths::symmetric_eigen(correlation);
  const MatrixXd root =
      size.asDiagonal() * vectors * values.cwiseMax(kLeastEigenvalue).cwiseSqrt().asDiagonal();
  spread = maths::outer(root);
  return {x, kWider * spread};
}

// What is sampled: the flattened likelihood times the prior, in working coordinates.
class Target {
 public:
  // `data` outlives the target.
  Target(const Fit& fit, const MeanData& data, const SampleCoordinates& coordinates)
      : model_(fit.model),
        names_(parameter_names(fit.model)),
        coordinates_(coordinates),
        rules_(fit.model),
        power_(flattening(fit)),
        likelihood_(make_log_likelihood(fit.model, data, false)) {}

  [[nodiscard]] bool admits(const VectorXd& x) const {
    return coordinates_.admits(x) && !rules_.broken_by(coordinates_.parameters(x));
  }
  // The logarithm of the density at an admitted point, up to a constant; -infinity where the
  // likelihood or the determinant of the information has no value.
  double operator()(const VectorXd& x) {
    constexpr double kNone = -std::numeric_limits<double>::infinity();
    const std::vector<double> theta = coordinates_.parameters(x);
    likelihood_->evaluate(theta, Order::scoring, at_);
    if (!at_.admitted || !std::isfinite(at_.log_likelihood)) return kNone;
    const MatrixXd information = unpack(at_.information)(coordinates_.free(), coordinates_.free());
    const std::optional<MatrixXd> root = maths::lower_root(information);
    if (!root) return kNone;
    return power_ * at_.log_likelihood + root->diagonal().array().log().sum() +
           coordinates_.slopes(x).array().abs().log().sum() + for_persistence(theta);
  }

 private:
  // ln (1 - p^2)^(-1/2), or 0 where there is no persistence below 1.
  [[nodiscard]] double for_persistence(std::span<const double> theta) const {
    const std::size_t shape = names_.mean.size() + names_.variance.size();
    const std::optional<double> p =
        variance_family(model_.variance)
            .persistence(model_, theta.subspan(names_.mean.size(), names_.variance.size()),
                         theta.subspan(shape));
    return p && std::abs(*p) < 1 ? -0.5 * std::log1p(-*p * *p) : 0;
  }

  const Model& model_;
  ParameterNames names_;
  const SampleCoordinates& coordinates_;
  AdmissionRules rules_;
  double power_;
  std::unique_ptr<LogLikelihood> likelihood_;
  Derivatives<double> at_;
};

// One proposal that was weighed.
struct Point {
  VectorXd x;
  double log_target;
  double weight = 0;
};

class Sampler {
 public:
  Sampler(const Fit& fit, std::uint64_t seed)
      : fit_(fit),
        seed_(seed),
        data_(mean_data(fit.model, fit.window())),
        each_(std::clamp(kEach * kManyRows / std::max<std::size_t>(1, data_.change.size()),
                         kFewestEach, kEach)),
        coordinates_(fit),
        parts_(maths::kRandomStreams) {
    proposals_.push_back(first_proposal(fit, coordinates_, moments(fit.window()).sd));
  }

  void run(const Executor& executor) {
    for (int round = 0; round < kMost && (round < kFewest || effective_ < kEnough); ++round) {
      draw_round(round, executor);
      const Proposal& proposal = proposals_.back();
      if (proposal.admitted == 0) return;
      const std::optional<Moments> found = weigh();
      if (!found) return;
      // The last spread keeps a poor round from closing in on a few points.
      const MatrixXd last = maths::outer(proposal.root);
      const double trust =
          std::min(1.0, effective_ / (kTrusted * static_cast<double>(found->mean.size())));
      proposals_.emplace_back(found->mean,
                              trust * kWider * found->spread + (1 - trust + 1e-6) * last);
    }
  }

  [[nodiscard]] const std::vector<std::vector<Point>>& parts() const { return parts_; }
  [[nodiscard]] const SampleCoordinates& coordinates() const { return coordinates_; }
  [[nodiscard]] double effective() const { return effective_; }

 private:
  // Rounds, and the points of each part in one of them.
  static constexpr int kFewest = 4, kMost = 12;
  static constexpr std::size_t kEach = 64;
  // On so many rows the likelihood is near to a normal law, and fewer points do.
  static constexpr std::size_t kManyRows = 20000, kFewestEach = 16;
  static constexpr double kEnough = 300;            // effective points
  static constexpr double kWider = 1.3;             // than the moments so far
  static constexpr double kTrusted = 10;            // effective points a parameter for that
  static constexpr std::size_t kMostDrawn = 20000;  // by each part in a round, refused ones too

  void draw_round(int round, const Executor& executor) {
    Proposal& proposal = proposals_.back();
    std::vector<std::size_t> drawn(parts_.size(), 0), admitted(parts_.size(), 0);
    executor.for_each(parts_.size(), [&](std::size_t part) {
      // Streams apart from those of the paths.
      maths::RandomStream stream(
          seed_, static_cast<std::uint64_t>((round + 1) * maths::kRandomStreams) + part);
      Target target(fit_, data_, coordinates_);
      while (admitted[part] < each_ && drawn[part] < kMostDrawn) {
        const VectorXd x = proposal.draw(stream);
        ++drawn[part];
        if (!target.admits(x)) continue;
        parts_[part].push_back({x, target(x)});
        ++admitted[part];
      }
    });
    proposal.drawn = std::accumulate(drawn.begin(), drawn.end(), std::size_t{0});
    proposal.admitted = std::accumulate(admitted.begin(), admitted.end(), std::size_t{0});
  }

  // All points against the mixture of all proposals so far; empty where none bears weight.
  std::optional<Moments> weigh() {
    double top = -std::numeric_limits<double>::infinity();
    std::vector<double> of_proposals(proposals_.size());
    for (std::vector<Point>& part : parts_)
      for (Point& p : part) {
        p.weight = p.log_target;
        if (!std::isfinite(p.log_target)) continue;
        for (std::size_t q = 0; q < proposals_.size(); ++q)
          of_proposals[q] = proposals_[q].log_density(p.x);
        p.weight -= maths::log_mean_exp(of_proposals);
        top = std::max(top, p.weight);
      }
    if (!std::isfinite(top)) return std::nullopt;
    const Index k = proposals_.front().mean.size();
    Moments m{VectorXd::Zero(k), MatrixXd::Zero(k, k)};
    double sum = 0, squares = 0;
    for (std::vector<Point>& part : parts_)
      for (Point& p : part) {
        p.weight = std::exp(p.weight - top);
        sum += p.weight;
        squares += p.weight * p.weight;
        m.mean += p.weight * p.x;
      }
    m.mean /= sum;
    for (const std::vector<Point>& part : parts_)
      for (const Point& p : part)
        m.spread += p.weight / sum * (p.x - m.mean) * (p.x - m.mean).transpose();
    effective_ = sum * sum / squares;
    return m;
  }

  const Fit& fit_;
  std::uint64_t seed_;
  MeanData data_;
  std::size_t each_;  // points of a part in a round
  SampleCoordinates coordinates_;
  std::vector<Proposal> proposals_;
  std::vector<std::vector<Point>> parts_;
  double effective_ = 0;
};

// A parameter on a bound, or persistence at its own.
bool on_a_bound(const Fit& fit) {
  const std::size_t mean = parameter_names(fit.model).mean.size();
  return std::any_of(fit.parameters.begin() + static_cast<std::ptrdiff_t>(mean),
                     fit.parameters.end(),
                     [](const Parameter& p) { return p.at_bound && !p.held; });
}

}  // namespace

LikelihoodSample::LikelihoodSample(const Fit& fit, std::uint64_t seed, const Executor& executor) {
  Sampler sampler(fit, seed);
  sampler.run(executor);
  effective_ = sampler.effective();
  for (const std::vector<Point>& points : sampler.parts()) {
    Part part;
    double sum = 0;
    for (const Point& p : points) {
      part.weight_sums.push_back(sum += p.weight);
      part.theta.push_back(sampler.coordinates().parameters(p.x));
    }
    if (!(sum > 0)) effective_ = 0;
    parts_.push_back(std::move(part));
  }
}

void LikelihoodSample::draw(maths::RandomStream& stream, std::size_t number,
                            std::vector<double>& theta) const {
  const Part& part = parts_[number];
  const double at = stream.uniform() * part.weight_sums.back();
  const auto chosen = std::lower_bound(part.weight_sums.begin(), part.weight_sums.end(), at);
  theta = part.theta[static_cast<std::size_t>(chosen - part.weight_sums.begin())];
}

std::unique_ptr<LikelihoodSample> sample_likelihood(const Fit& fit, std::uint64_t seed,
                                                    const Executor& executor) {
  // Estimates that are no maximum, such as those of a targeted variance, have no Hessian's errors.
  const bool maximum =
      std::all_of(fit.parameters.begin(), fit.parameters.end(),
                  [](const Parameter& p) { return !p.se || p.se_hessian.has_value(); });
  if (fit.exact || fit.covariance.empty() || !maximum) return nullptr;
  if (fit.n >= kFewRows && !on_a_bound(fit) && share_refused(fit, seed) <= kManyRefused)
    return nullptr;
  auto sample = std::make_unique<LikelihoodSample>(fit, seed, executor);
  return sample->usable() ? std::move(sample) : nullptr;
}

}  // namespace brace::inline v0
