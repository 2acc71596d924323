// SPDX-License-Identifier: Apache-2.0
// The conditional log-likelihood of a model on one series, with analytic first and second
// derivatives, in one pass over the data for each stage.
//
//   brace::JointLikelihood<double> likelihood(model, mean_data(model, series));
//   brace::Derivatives<double> d = likelihood.evaluate(theta, brace::Order::hessian);
//
// Deviations and shocks before the sample are 0, e^2 and h before it are the mean of e^2 at the
// current parameters, all n observations count (docs/numerics.md). The number type is a template
// parameter so that tests can run the same text with a differentiating type.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "brace/model/model.hpp"
#include "families/variance_stage.hpp"
#include "likelihood/log_likelihood.hpp"
#include "model/lag_product.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

// A law as the likelihood runs it; the table of all is in joint_passes.hpp.
template <class T>
struct LawKernel {
  void (*pass[4])(LawBlock<T>&);
  LawInformation<T> (*information)(const T* shape);
};

template <class T>
class JointLikelihood {
 public:
  // The model must be canonical and built; the data must hold at least one value. Rows are those of
  // the differenced series.
  // `most` is the highest order that will be asked of it: what that does not need is not stored.
  JointLikelihood(const Model& model, const MeanData& data, Order most = Order::hessian);
  // y without regressors or differences.
  JointLikelihood(const Model& model, std::span<const double> y)
      : JointLikelihood(model, mean_data(model, y)) {}

  [[nodiscard]] std::size_t parameters() const { return km_ + kv_ + ks_; }
  [[nodiscard]] std::size_t rows() const { return y_.size(); }
  [[nodiscard]] std::size_t observed() const { return observed_; }

  [[nodiscard]] Derivatives<T> evaluate(std::span<const T> theta, Order order) {
    Derivatives<T> out;
    evaluate(theta, order, out);
    return out;
  }

  // The same into storage that is used again.
  void evaluate(std::span<const T> theta, Order order, Derivatives<T>& out);

  // From here on with |z| and |e| rounded over so much wherever they make a kink: the peak of the
  // law (families/ged.hpp) and the sizes of the variance (families/variance_stage.hpp).
  void round_kinks(const T& over) {
    law_block_.rounding = over;
    stage_->round_sizes(over);
  }

  // Gradient of each row's term, n x k row by row; zeros where y is missing.
  [[nodiscard]] std::vector<T> scores(std::span<const T> theta);

  // e and h of each row with their derivatives, n x k row by row; false when not admitted.
  struct Slopes {
    std::vector<T> e, h, de, dh;
  };
  [[nodiscard]] bool slopes(std::span<const T> theta, Slopes& out);

  struct Path {
    std::vector<T> dev;  // y_t - mu; its forecast where y is missing
    std::vector<T> e;    // 0 where missing
    std::vector<T> h;
    std::vector<T> state;  // of a family with a second one; else empty
    T presample = T(0);    // mean of e^2
    T log_likelihood = T(0);
  };

  // The filtered path, into storage that is used again; false when the parameters are not admitted.
  // A presample value given (that of a saved model) takes the place of the mean of e^2.
  [[nodiscard]] bool path(std::span<const T> theta, Path& path, std::optional<T> presample = {});

 private:
  //   dev[t] = y[t] - x[t]'beta
  //   inner[t] = dev[t] - sum sar_I dev[t-I]
  //   outer[t] = inner[t] - sum ar_i inner[t-i] - sum ma_j outer[t-j]
  //   e[t] = outer[t] - sum sma_J e[t-J]
  // Where y[t] is missing e[t] is 0 and the others follow from it: dev[t] is its forecast. Without
  // seasonal terms inner is dev and outer is e. Fills m_ = mean of e^2 over the values present, and
  // its derivatives. With volatility in the mean dev[t] has a term in h[t]: then rows of mean and
  // variance take turns, and m_ is the constant mean (y - ybar)^2.
  template <Order O>
  void run_mean(std::span<const T> theta);
  template <Order O>
  void run_constant(const T& mu);
  template <Order O>
  void mean_row(std::span<const T> theta, std::size_t row, const Row<T>* h);

  // The variance before the sample and of a block.
  void start_variance(Order order, std::span<const T> theta);
  template <Order O>
  bool run_variance(std::span<const T> theta, const ShockBlock<T>& block);
  ShockBlock<T> shock_block(std::size_t from);

  // The law's terms over a block, whose variances the stage holds.
  void begin_law(std::span<const T> theta, bool want_scores);
  template <Order O>
  void run_law(const ShockBlock<T>& block);

  template <Order O>
  void pass(std::span<const T> theta, Derivatives<T>& out, T* scores);

  // Chain rule from the law's derivatives in e and h to the parameters, over one block.
  template <Order O, std::size_t KM, std::size_t K>
  void accumulate(const ShockBlock<T>& block, std::span<const T> theta, Derivatives<T>& out,
                  T* scores);
  template <Order O>
  void accumulate(const ShockBlock<T>& block, std::span<const T> theta, Derivatives<T>& out,
                  T* scores);

  std::vector<double> y_;
  std::vector<unsigned char> present_;
  std::size_t observed_ = 0;
  bool gaps_ = false;
  MeanPositions at_;
  std::vector<T> columns_;  // of the regression, row by row
  bool plain_ = false;      // no lags, no column but the constant's
  std::vector<int> ar_, ma_, seasonal_ar_, seasonal_ma_;
  std::optional<RiskTerm> risk_;
  std::vector<double> variance_columns_;  // row by row
  std::unique_ptr<VarianceStage<T>> stage_;
  LawKernel<T> law_;
  std::size_t km_ = 0, kv_ = 0, ks_ = 0;  // parameters of mean, variance, shocks
  std::size_t ke_ = 0;                    // derivatives of e that may be non-zero
  Rows<T> dev_, inner_, outer_, e_;       // whole series
  T m_ = T(0);                            // e^2 before the sample and its derivatives
  std::vector<T> m1_, m2_;
  std::vector<T> risk_d_, risk_d2_;  // of the volatility in a row's mean
  LawBlock<T> law_block_;
};

extern template class JointLikelihood<double>;

// The conditional likelihood as the engine takes it.
class PlainLikelihood final : public LogLikelihood {
 public:
  PlainLikelihood(const Model& model, const MeanData& data) : likelihood_(model, data) {}
  void evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) override {
    likelihood_.evaluate(theta, order, out);
  }
  [[nodiscard]] std::vector<double> scores(std::span<const double> theta) override {
    return likelihood_.scores(theta);
  }
  [[nodiscard]] std::size_t rows() const override { return likelihood_.rows(); }
  void round_kinks(double over) { likelihood_.round_kinks(over); }

 private:
  JointLikelihood<double> likelihood_;
};

}  // namespace brace::inline v0
