// SPDX-License-Identifier: Apache-2.0
// The bodies of joint_likelihood.hpp, apart from it so that one file compiles them for double and
// tests can compile them for a differentiating type.
#pragma once

#include <iterator>
#include <type_traits>

#include "families/family_table.hpp"
#include "families/garch11.hpp"
#include "families/ged.hpp"
#include "families/normal.hpp"
#include "families/skew_student.hpp"
#include "families/student.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "likelihood/lanes/kernels.hpp"

namespace brace::inline v0 {

// A law is one header and one line here, in the order of Shocks.
template <class T>
const LawKernel<T>& law_kernel(const Shocks& shocks) {
  using GeneralisedError = GedDensity<T>;
  using Skewed = SkewStudentDensity<T>;
  static const LawKernel<T> laws[] = {
      {{normal_law<Order::value, T>, normal_law<Order::gradient, T>, normal_law<Order::scoring, T>,
        normal_law<Order::hessian, T>},
       normal_information<T>},
      {{student_law<Order::value, T>, student_law<Order::gradient, T>,
        student_law<Order::scoring, T>, student_law<Order::hessian, T>},
       student_information<T>},
      {{standardised_law<Order::value, GeneralisedError, T>,
        standardised_law<Order::gradient, GeneralisedError, T>,
        standardised_law<Order::scoring, GeneralisedError, T>,
        standardised_law<Order::hessian, GeneralisedError, T>},
       standardised_information<GeneralisedError, T>},
      {{standardised_law<Order::value, Skewed, T>, standardised_law<Order::gradient, Skewed, T>,
        standardised_law<Order::scoring, Skewed, T>, standardised_law<Order::hessian, Skewed, T>},
       standardised_information<Skewed, T>}};
  static_assert(std::size(laws) == std::variant_size_v<Shocks>);
  return laws[shocks.index()];
}

// The kernel of a family (family_table.hpp).
template <class T>
std::unique_ptr<VarianceStage<T>> variance_stage(const Model& model, const StageSetup& setup) {
  // The most fitted model has a kernel of its own: garch e1 h1 without gaps, zero or constant mean.
  const auto* garch = std::get_if<Garch>(&model.variance);
  if (garch && *garch == Garch{} && !setup.gaps && setup.columns == 0 && !model.mean.risk) {
    if (setup.mean == 0) return std::make_unique<Garch11Stage<0, T>>();
    if (setup.mean == 1) return std::make_unique<Garch11Stage<1, T>>();
  }
  return with_family(
      model.variance,
      [&]<class Family>(std::type_identity<Family>) -> std::unique_ptr<VarianceStage<T>> {
        return std::make_unique<typename Family::template Stage<T>>(model, setup);
      });
}

inline std::size_t longest_lag(const std::vector<int>& a, const std::vector<int>& b) {
  return static_cast<std::size_t>(std::max(a.empty() ? 0 : a.back(), b.empty() ? 0 : b.back()));
}

template <class T>
JointLikelihood<T>::JointLikelihood(const Model& model, const MeanData& data, Order most)
    : y_(data.change),
      at_(mean_positions(model)),
      ar_(model.mean.ar),
      ma_(model.mean.ma),
      seasonal_ar_(model.mean.seasonal_ar),
      seasonal_ma_(model.mean.seasonal_ma),
      risk_(model.mean.risk),
      law_(law_kernel<T>(model.shocks)) {
  const ParameterNames names = parameter_names(model);
  km_ = names.mean.size();
  kv_ = names.variance.size();
  ks_ = names.shocks.size();
  ke_ = risk_ ? parameters() : km_;
  present_.resize(y_.size());
  for (std::size_t t = 0; t < y_.size(); ++t) {
    present_[t] = !std::isnan(y_[t]);
    observed_ += present_[t];
  }
  gaps_ = observed_ < y_.size();
  for (Eigen::Index t = 0; t < data.variance_columns.rows(); ++t)
    for (Eigen::Index j = 0; j < data.variance_columns.cols(); ++j)
      variance_columns_.push_back(data.variance_columns(t, j));
  stage_ = variance_stage<T>(model, {.mean = km_,
                                     .variance = kv_,
                                     .shocks = ks_,
                                     .shock_width = ke_,
                                     .gaps = gaps_,
                                     .columns = model.variance_regressors.size(),
                                     .column_rows = variance_columns_.data(),
                                     .slide = lane_kernels().slide});
  const bool lags = !ar_.empty() || !ma_.empty() || !seasonal_ar_.empty() || !seasonal_ma_.empty();
  plain_ = !lags && !risk_ && at_.regression.size() == (model.mean.constant ? 1 : 0);
  const std::size_t reach =
      std::max(longest_lag(ar_, ma_), longest_lag(seasonal_ar_, seasonal_ma_));
  // Without lags deviations are shocks (0 where missing): one array serves both.
  const std::size_t stored = most == Order::value ? 0 : ke_;
  if (!plain_) dev_.resize(reach, y_.size(), stored);
  if (!seasonal_ar_.empty()) inner_.resize(reach, y_.size(), stored);
  if (!seasonal_ma_.empty()) outer_.resize(reach, y_.size(), stored);
  e_.resize(reach, y_.size(), stored);
  // The derivatives of e never change: -1 by mu where y is present.
  if (plain_ && model.mean.constant && stored > 0)
    for (std::size_t t = 0; t < y_.size(); ++t)
      e_.d(static_cast<std::ptrdiff_t>(t))[0] = T(present_[t] ? -1 : 0);
  if (!plain_)
    for (Eigen::Index t = 0; t < data.columns.rows(); ++t)
      for (Eigen::Index j = 0; j < data.columns.cols(); ++j)
        columns_.push_back(T(data.columns(t, j)));
  risk_d_.resize(ke_);
  risk_d2_.resize(packed_size(ke_));
  m1_.resize(ke_);
  m2_.resize(packed_size(ke_));
}

template <class T>
void JointLikelihood<T>::evaluate(std::span<const T> theta, Order order, Derivatives<T>& out) {
  switch (order) {
    case Order::value: pass<Order::value>(theta, out, nullptr); break;
    case Order::gradient: pass<Order::gradient>(theta, out, nullptr); break;
    case Order::scoring: pass<Order::scoring>(theta, out, nullptr); break;
    case Order::hessian: pass<Order::hessian>(theta, out, nullptr); break;
  }
}

template <class T>
std::vector<T> JointLikelihood<T>::scores(std::span<const T> theta) {
  std::vector<T> by_row(y_.size() * parameters(), T(0));
  Derivatives<T> out;
  pass<Order::gradient>(theta, out, by_row.data());
  return by_row;
}

template <class T>
bool JointLikelihood<T>::slopes(std::span<const T> theta, Slopes& out) {
  const std::size_t k = parameters();
  out = {std::vector<T>(y_.size()), std::vector<T>(y_.size()), std::vector<T>(y_.size() * k),
         std::vector<T>(y_.size() * k)};
  run_mean<Order::gradient>(theta);
  start_variance(Order::gradient, theta);
  for (std::size_t from = 0; from < y_.size(); from += kBlock) {
    const ShockBlock<T> block = shock_block(from);
    if (!run_variance<Order::gradient>(theta, block)) return false;
    for (std::size_t row = 0; row < block.rows; ++row) {
      const auto t = static_cast<std::ptrdiff_t>(row);
      out.e[from + row] = block.e[row];
      out.h[from + row] = stage_->h().at(t);
      std::copy_n(block.e1 + row * ke_, ke_, out.de.data() + (from + row) * k);
      std::copy_n(stage_->h().d(t), stage_->h().width, out.dh.data() + (from + row) * k);
    }
    stage_->shift(Order::gradient, block.rows);
  }
  return true;
}

template <class T>
bool JointLikelihood<T>::path(std::span<const T> theta, Path& path, std::optional<T> presample) {
  run_mean<Order::value>(theta);
  if (presample) m_ = *presample;
  start_variance(Order::value, theta);
  begin_law(theta, false);
  path.presample = m_;
  path.h.clear();
  path.h.reserve(y_.size());
  path.state.clear();
  for (std::size_t from = 0; from < y_.size(); from += kBlock) {
    const ShockBlock<T> block = shock_block(from);
    if (!run_variance<Order::value>(theta, block)) return false;
    run_law<Order::value>(block);
    const T* h = &stage_->h().at(0);
    path.h.insert(path.h.end(), h, h + block.rows);
    if (Rows<T>* state = stage_->state())
      path.state.insert(path.state.end(), &state->at(0), &state->at(0) + block.rows);
    stage_->shift(Order::value, block.rows);
  }
  path.log_likelihood = law_block_.sum;
  Rows<T>& deviations = dev_.value.empty() ? e_ : dev_;
  path.dev.assign(&deviations.at(0), &deviations.at(0) + y_.size());
  path.e.assign(&e_.at(0), &e_.at(0) + y_.size());
  return true;
}

template <class T>
template <Order O>
void JointLikelihood<T>::run_constant(const T& mu) {
  // Two sums give the mean of e^2 and its derivatives by mu: -2 mean(e) and 2.
  std::array<T, 4> squares{}, sums{};
  const auto take = [&](std::size_t t, std::size_t chain) {
    const T e = gaps_ && !present_[t] ? T(0) : T(y_[t] - mu);
    e_.value[t] = e;
    squares[chain] += e * e;
    sums[chain] += e;
  };
  std::size_t t = 0;
  // Four chains: an addition need not wait for the one before it.
  for (; t + 4 <= y_.size(); t += 4)
    for_each_index<4>(4, [&](auto chain) { take(t + chain, chain); });
  for (; t < y_.size(); ++t) take(t, 0);
  const auto n = static_cast<double>(observed_);
  m_ = ((squares[0] + squares[1]) + (squares[2] + squares[3])) / n;
  if (km_ > 0) {
    m1_[0] = -2 * ((sums[0] + sums[1]) + (sums[2] + sums[3])) / n;
    m2_[0] = T(2);
  }
}

template <class T>
template <Order O>
void JointLikelihood<T>::run_mean(std::span<const T> theta) {
  m_ = T(0);
  std::fill(m1_.begin(), m1_.end(), T(0));
  std::fill(m2_.begin(), m2_.end(), T(0));
  if (plain_) return run_constant<O>(at_.regression.empty() ? T(0) : theta[0]);
  const double share = 1.0 / static_cast<double>(observed_);
  if (risk_) {
    double sum = 0, squares = 0;
    for (const double y : y_) sum += std::isnan(y) ? 0 : y;
    for (const double y : y_) squares += std::isnan(y) ? 0 : (y - sum * share) * (y - sum * share);
    m_ = T(squares * share);
    return;
  }
  for (std::size_t row = 0; row < y_.size(); ++row) {
    mean_row<O>(theta, row, nullptr);
    const Row<T> at = e_.row(static_cast<std::ptrdiff_t>(row));
    const T& e = *at.value;
    m_ += e * e;
    if constexpr (O != Order::value)
      for (std::size_t j = 0; j < ke_; ++j) m1_[j] += 2 * e * at.d[j];
    if constexpr (O == Order::hessian)
      for (std::size_t j = 0, r = 0; j < ke_; ++j)
        for (std::size_t i = 0; i <= j; ++i, ++r) m2_[r] += 2 * (at.d[j] * at.d[i] + e * at.d2[r]);
  }
  m_ *= share;
  for (T& v : m1_) v *= share;
  for (T& v : m2_) v *= share;
}

template <class T>
template <Order O>
void JointLikelihood<T>::mean_row(std::span<const T> theta, std::size_t row, const Row<T>* h) {
  const std::size_t columns = at_.regression.size();
  Rows<T>& inner = seasonal_ar_.empty() ? dev_ : inner_;
  Rows<T>& outer = seasonal_ma_.empty() ? e_ : outer_;
  // row t of `into` += sum theta_p from[t - lag]
  const auto add_lags = [&](Rows<T>& into, std::ptrdiff_t t, const std::vector<int>& lags,
                            std::size_t p, Rows<T>& from) {
    for (const int lag : lags) {
      add_term<O>(into.row(t), p, theta[p], from.row(t - lag), ke_);
      ++p;
    }
  };
  // row t of `into` = from - into, or from + into
  const auto join = [&](Rows<T>& into, std::ptrdiff_t t, Rows<T>& from, double sign) {
    into.at(t) = from.at(t) + sign * into.at(t);
    if constexpr (O != Order::value)
      for (std::size_t j = 0; j < ke_; ++j) into.d(t)[j] = from.d(t)[j] + sign * into.d(t)[j];
    if constexpr (O == Order::hessian)
      for (std::size_t r = 0; r < packed_size(ke_); ++r)
        into.d2(t)[r] = from.d2(t)[r] + sign * into.d2(t)[r];
  };
  const auto t = static_cast<std::ptrdiff_t>(row);
  for (Rows<T>* rows : {&dev_, &inner, &outer, &e_}) rows->template clear<O>(t);
  if (present_[row]) {
    const T* x = columns_.data() + row * columns;
    T& dev = dev_.at(t);
    dev = y_[row];
    for (std::size_t j = 0; j < columns; ++j) {
      dev -= theta[at_.regression[j]] * x[j];
      if constexpr (O != Order::value) dev_.d(t)[at_.regression[j]] = -x[j];
    }
    if (h) {
      using std::sqrt;
      const std::size_t risk = km_ - 1;
      const bool sd = *risk_ == RiskTerm::sd;
      const T g = sd ? T(sqrt(*h->value)) : *h->value, g1 = sd ? T(0.5 / g) : T(1),
              g2 = sd ? T(-0.25 / (g * g * g)) : T(0);
      // The term's size, then its slope by the coefficient: -risk g(h).
      std::vector<T>& d = risk_d_;
      std::vector<T>& d2 = risk_d2_;
      T value = g;
      const Row<T> size{&value, d.data(), d2.data()};
      compose<O, 1>(size, {*h}, {g1}, {g2}, ke_);
      const T c = -theta[risk];
      add_scaled<O>(dev_.row(t), c, size, ke_);
      add_slope<O>(dev_.row(t), risk, -1, size, ke_);
    }
    if (!seasonal_ar_.empty()) {
      add_lags(inner, t, seasonal_ar_, at_.seasonal_ar, dev_);
      join(inner, t, dev_, -1);
    }
    add_lags(outer, t, ar_, at_.ar, inner);
    add_lags(outer, t, ma_, at_.ma, outer);
    join(outer, t, inner, -1);
    if (!seasonal_ma_.empty()) {
      add_lags(e_, t, seasonal_ma_, at_.seasonal_ma, e_);
      join(e_, t, outer, -1);
    }
  } else {
    if (!seasonal_ma_.empty()) add_lags(outer, t, seasonal_ma_, at_.seasonal_ma, e_);
    add_lags(inner, t, ar_, at_.ar, inner);
    add_lags(inner, t, ma_, at_.ma, outer);
    if (!seasonal_ma_.empty()) join(inner, t, outer, 1);
    if (!seasonal_ar_.empty()) {
      add_lags(dev_, t, seasonal_ar_, at_.seasonal_ar, dev_);
      join(dev_, t, inner, 1);
    }
  }
}

template <class T>
void JointLikelihood<T>::start_variance(Order order, std::span<const T> theta) {
  stage_->begin(order, {&m_, m1_.data(), m2_.data()}, theta.data() + km_, theta.data() + km_ + kv_);
}

template <class T>
template <Order O>
bool JointLikelihood<T>::run_variance(std::span<const T> theta, const ShockBlock<T>& block) {
  if (!risk_) return stage_->run(O, block);
  for (std::size_t row = 0; row < block.rows; ++row) {
    if (!stage_->predict(O, block, row)) return false;
    const Row<T> h = stage_->h().row(static_cast<std::ptrdiff_t>(row));
    mean_row<O>(theta, block.from + row, &h);
    stage_->absorb(O, block, row);
  }
  return true;
}

template <class T>
ShockBlock<T> JointLikelihood<T>::shock_block(std::size_t from) {
  const auto t = static_cast<std::ptrdiff_t>(from);
  return {.from = from,
          .rows = std::min(kBlock, y_.size() - from),
          .present = present_.data() + from,
          .e = &e_.at(t),
          .e1 = e_.d(t),
          .e2 = e_.d2(t)};
}

template <class T>
void JointLikelihood<T>::begin_law(std::span<const T> theta, bool want_scores) {
  law_block_.sum = T(0);
  law_block_.shape_gradient.fill(T(0));
  law_block_.shape_hessian.fill(T(0));
  law_block_.shape = theta.data() + km_ + kv_;
  law_block_.want_scores = want_scores;
}

template <class T>
template <Order O>
void JointLikelihood<T>::run_law(const ShockBlock<T>& block) {
  law_block_.rows = block.rows;
  law_block_.e = block.e;
  law_block_.h = &stage_->h().at(0);
  law_block_.present = block.present;
  law_block_.gaps = gaps_;
  law_.pass[static_cast<int>(O)](law_block_);
}

template <class T>
template <Order O>
void JointLikelihood<T>::pass(std::span<const T> theta, Derivatives<T>& out, T* scores) {
  const std::size_t k = parameters();
  out.admitted = false;
  if constexpr (O != Order::value) out.gradient.assign(k, T(0));
  if constexpr (O == Order::hessian) out.hessian.assign(packed_size(k), T(0));
  if constexpr (O == Order::scoring) out.information.assign(packed_size(k), T(0));
  begin_law(theta, scores != nullptr);
  run_mean<O>(theta);
  start_variance(O, theta);
  for (std::size_t from = 0; from < y_.size(); from += kBlock) {
    const ShockBlock<T> block = shock_block(from);
    if (!run_variance<O>(theta, block)) return;
    run_law<O>(block);
    if constexpr (O != Order::value)
      accumulate<O>(block, theta, out, scores ? scores + from * k : nullptr);
    stage_->shift(O, block.rows);
  }
  out.log_likelihood = law_block_.sum;
  if constexpr (O != Order::value)
    for (std::size_t s = 0; s < ks_; ++s)
      out.gradient[km_ + kv_ + s] += law_block_.shape_gradient[s];
  if constexpr (O == Order::hessian)
    for (std::size_t s = 0; s < ks_; ++s)
      for (std::size_t r = 0; r <= s; ++r)
        out.hessian[packed(km_ + kv_ + s, km_ + kv_ + r)] += law_block_.shape_hessian[packed(s, r)];
  out.admitted = out.log_likelihood > -std::numeric_limits<double>::infinity() &&
                 out.log_likelihood < std::numeric_limits<double>::infinity();
}

template <class T>
template <Order O>
void JointLikelihood<T>::accumulate(const ShockBlock<T>& block, std::span<const T> theta,
                                    Derivatives<T>& out, T* scores) {
  const bool three = kv_ == 3 && stage_->h().width == km_ + 3 && ke_ == km_ && !gaps_;
  if (three && km_ == 0)
    accumulate<O, 0, 3>(block, theta, out, scores);
  else if (three && km_ == 1)
    accumulate<O, 1, 4>(block, theta, out, scores);
  else
    accumulate<O, 0, 0>(block, theta, out, scores);
}

template <class T>
template <Order O, std::size_t KE, std::size_t K>
void JointLikelihood<T>::accumulate(const ShockBlock<T>& block, std::span<const T> theta,
                                    Derivatives<T>& out, T* scores) {
  const LawBlock<T>& l = law_block_;
  Rows<T>& h_rows = stage_->h();
  const std::size_t ke = K > 0 ? KE : ke_, width = K > 0 ? K : h_rows.width, k = parameters();
  const std::size_t first_shape = km_ + kv_;
  // Sums of a known width stay in registers through the block.
  std::array<T, K> g_known{};
  std::array<T, packed_size(K)> H_known{}, I_known{};
  T* g = K > 0 ? g_known.data() : out.gradient.data();
  T* H = K > 0 ? H_known.data() : out.hessian.data();
  T* I = K > 0 ? I_known.data() : out.information.data();
  LawInformation<T> info;
  if constexpr (O == Order::scoring) info = law_.information(theta.data() + first_shape);
  // M(shape s, j) and its mirror += v
  const auto add_to_shape = [&](std::vector<T>& M, std::size_t s, std::size_t j, const T& v) {
    const std::size_t at = first_shape + s;
    M[j <= at ? packed(at, j) : packed(j, at)] += j == at ? 2 * v : v;
  };
  for (std::size_t row = 0; row < block.rows; ++row) {
    if (K == 0 && gaps_ && !block.present[row]) continue;
    const T* e1 = block.e1 + row * ke;
    const T* h1 = h_rows.d(static_cast<std::ptrdiff_t>(row));
    for_each_index<K>(width, [&](auto j) {
      g[j] += j < ke ? l.lh[row] * h1[j] + l.le[row] * e1[j] : l.lh[row] * h1[j];
    });
    if (scores) {
      T* mine = scores + row * k;
      for (std::size_t j = 0; j < width; ++j) mine[j] = l.lh[row] * h1[j];
      for (std::size_t j = 0; j < ke; ++j) mine[j] += l.le[row] * e1[j];
      for (std::size_t s = 0; s < ks_; ++s) mine[first_shape + s] += l.ls[s][row];
    }
    if constexpr (O == Order::hessian) {
      const T* e2 = block.e2 + row * packed_size(ke);
      const T* h2 = h_rows.d2(static_cast<std::ptrdiff_t>(row));
      const T lh = l.lh[row], le = l.le[row], lhh = l.lhh[row], leh = l.leh[row], lee = l.lee[row];
      for_each_index<K>(width, [&](auto j) {
        const std::size_t r = packed(j, 0);
        const T by_h = lhh * h1[j], by_e = leh * h1[j];
        for (std::size_t i = 0; i <= j; ++i) H[r + i] += by_h * h1[i] + lh * h2[r + i];
        for (std::size_t i = 0; i < std::min<std::size_t>(j + 1, ke); ++i) H[r + i] += by_e * e1[i];
        if (j < ke)
          for (std::size_t i = 0; i <= j; ++i)
            H[r + i] += e1[j] * (leh * h1[i] + lee * e1[i]) + le * e2[r + i];
      });
      for (std::size_t s = 0; s < ks_; ++s) {
        for (std::size_t j = 0; j < width; ++j)
          add_to_shape(out.hessian, s, j, l.lhs[s][row] * h1[j]);
        for (std::size_t j = 0; j < ke; ++j) add_to_shape(out.hessian, s, j, l.les[s][row] * e1[j]);
      }
    }
    if constexpr (O == Order::scoring) {
      const T over_h = 1 / l.h[row];
      const T hh = info.hh * over_h * over_h, ee = info.ee * over_h;
      for_each_index<K>(width, [&](auto j) {
        const std::size_t r = packed(j, 0);
        const T by_h = hh * h1[j];
        for (std::size_t i = 0; i <= j; ++i) I[r + i] += by_h * h1[i];
        if (j < ke)
          for (std::size_t i = 0; i <= j; ++i) I[r + i] += ee * e1[j] * e1[i];
      });
      for (std::size_t s = 0; s < ks_; ++s) {
        for (std::size_t j = 0; j < width; ++j)
          add_to_shape(out.information, s, j, info.hs[s] * over_h * h1[j]);
        for (std::size_t r = 0; r <= s; ++r)
          out.information[packed(first_shape + s, first_shape + r)] += info.ss[packed(s, r)];
      }
    }
  }
  if constexpr (K > 0) {
    for (std::size_t j = 0; j < K; ++j) out.gradient[j] += g[j];
    for (std::size_t r = 0; r < packed_size(K); ++r) {
      if constexpr (O == Order::hessian) out.hessian[r] += H[r];
      if constexpr (O == Order::scoring) out.information[r] += I[r];
    }
  }
}

}  // namespace brace::inline v0

// clang 14 leaves out virtual functions that are first needed inside an explicit instantiation, so
// that the stages of the families are instantiated before it. Within brace::v0.
#define BRACE_STAGES_OF(T)                             \
  template class FamilyStage<LinearStage<T>, T>;       \
  template class FamilyStage<EgarchStage<T>, T>;       \
  template class FamilyStage<AparchStage<T>, T>;       \
  template class FamilyStage<TwoComponentStage<T>, T>; \
  template class FamilyStage<LongMemoryStage<T>, T>;   \
  template class LongMemoryStage<T>;                   \
  template class TwoComponentStage<T>
