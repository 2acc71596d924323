// SPDX-License-Identifier: Apache-2.0
// The bodies of likelihood.hpp, apart from it so that one file compiles them for double and tests
// can compile them for a differentiating type.
#pragma once

#include <stdexcept>

#include "model/law/normal.hpp"
#include "model/law/student.hpp"
#include "model/likelihood.hpp"
#include "model/variance/garch11.hpp"
#include "model/variance/linear.hpp"

namespace brace {

// A member of a family is one header and one line here.
template <class T>
LawKernel<T> law_kernel(const Shocks& shocks) {
  if (std::holds_alternative<Normal>(shocks))
    return {{normal_law<Order::value, T>, normal_law<Order::gradient, T>,
             normal_law<Order::scoring, T>, normal_law<Order::hessian, T>},
            normal_information<T>};
  if (std::holds_alternative<Student>(shocks))
    return {{student_law<Order::value, T>, student_law<Order::gradient, T>,
             student_law<Order::scoring, T>, student_law<Order::hessian, T>},
            student_information<T>};
  throw std::logic_error("law_kernel: unbuilt law");
}

// The most fitted models have a kernel of their own: garch e1 h1 without gaps, zero or constant
// mean.
template <class T>
VarianceKernel<T> variance_kernel(const Model& model, bool gaps) {
  const Variance& variance = model.variance;
  if (const auto* garch = std::get_if<Garch>(&variance); garch && *garch == Garch{} && !gaps) {
    const std::size_t km = parameter_names(model).mean.size();
    if (km == 0)
      return {{garch11_variance<Order::value, 0, T>, garch11_variance<Order::gradient, 0, T>,
               garch11_variance<Order::scoring, 0, T>, garch11_variance<Order::hessian, 0, T>}};
    if (km == 1)
      return {{garch11_variance<Order::value, 1, T>, garch11_variance<Order::gradient, 1, T>,
               garch11_variance<Order::scoring, 1, T>, garch11_variance<Order::hessian, 1, T>}};
  }
  if (std::holds_alternative<Steady>(variance) || std::holds_alternative<Arch>(variance) ||
      std::holds_alternative<Garch>(variance))
    return {{linear_variance<Order::value, T>, linear_variance<Order::gradient, T>,
             linear_variance<Order::scoring, T>, linear_variance<Order::hessian, T>}};
  throw std::logic_error("variance_kernel: unbuilt family");
}

inline std::size_t longest_lag(const std::vector<int>& a, const std::vector<int>& b) {
  return static_cast<std::size_t>(std::max(a.empty() ? 0 : a.back(), b.empty() ? 0 : b.back()));
}

template <class T>
Likelihood<T>::Likelihood(const Model& model, const MeanData& data)
    : y_(data.change),
      at_(mean_positions(model)),
      ar_(model.mean.ar),
      ma_(model.mean.ma),
      seasonal_ar_(model.mean.seasonal_ar),
      seasonal_ma_(model.mean.seasonal_ma),
      law_(law_kernel<T>(model.shocks)) {
  if (const std::vector<int>* lags = brace::shock_lags(model.variance)) shock_lags_ = *lags;
  if (const std::vector<int>* lags = brace::variance_lags(model.variance)) variance_lags_ = *lags;
  const ParameterNames names = parameter_names(model);
  km_ = names.mean.size();
  kv_ = names.variance.size();
  ks_ = names.shocks.size();
  present_.resize(y_.size());
  for (std::size_t t = 0; t < y_.size(); ++t) {
    present_[t] = !std::isnan(y_[t]);
    observed_ += present_[t];
  }
  gaps_ = observed_ < y_.size();
  variance_ = variance_kernel<T>(model, gaps_);
  const bool lags = !ar_.empty() || !ma_.empty() || !seasonal_ar_.empty() || !seasonal_ma_.empty();
  plain_ = !lags && at_.regression.size() == (model.mean.constant ? 1 : 0);
  const std::size_t reach =
      std::max(longest_lag(ar_, ma_), longest_lag(seasonal_ar_, seasonal_ma_));
  // Without lags deviations are shocks (0 where missing): one array serves both.
  if (!plain_) dev_.resize(reach, y_.size(), km_);
  if (!seasonal_ar_.empty()) inner_.resize(reach, y_.size(), km_);
  if (!seasonal_ma_.empty()) outer_.resize(reach, y_.size(), km_);
  e_.resize(reach, y_.size(), km_);
  const std::size_t variance_reach =
      std::max<std::size_t>(1, longest_lag(shock_lags_, variance_lags_));
  h_.resize(variance_reach, kBlock, km_ + kv_);
  q_.resize(variance_reach, kBlock, gaps_ ? km_ + kv_ : km_);
  // The derivatives of e never change: -1 by mu where y is present.
  if (plain_ && model.mean.constant)
    for (std::size_t t = 0; t < y_.size(); ++t)
      e_.d(static_cast<std::ptrdiff_t>(t))[0] = T(present_[t] ? -1 : 0);
  if (!plain_)
    for (Eigen::Index t = 0; t < data.columns.rows(); ++t)
      for (Eigen::Index j = 0; j < data.columns.cols(); ++j)
        columns_.push_back(T(data.columns(t, j)));
  m1_.resize(km_);
  m2_.resize(packed_size(km_));
}

template <class T>
void Likelihood<T>::evaluate(std::span<const T> theta, Order order, Derivatives<T>& out) {
  switch (order) {
    case Order::value: pass<Order::value>(theta, out, nullptr); break;
    case Order::gradient: pass<Order::gradient>(theta, out, nullptr); break;
    case Order::scoring: pass<Order::scoring>(theta, out, nullptr); break;
    case Order::hessian: pass<Order::hessian>(theta, out, nullptr); break;
  }
}

template <class T>
std::vector<T> Likelihood<T>::scores(std::span<const T> theta) {
  std::vector<T> by_row(y_.size() * parameters(), T(0));
  Derivatives<T> out;
  pass<Order::gradient>(theta, out, by_row.data());
  return by_row;
}

template <class T>
bool Likelihood<T>::path(std::span<const T> theta, Path& path, std::optional<T> presample) {
  run_mean<Order::value>(theta);
  if (presample) m_ = *presample;
  start_variance<Order::value>();
  path.presample = m_;
  path.h.clear();
  for (std::size_t from = 0; from < y_.size(); from += kBlock) {
    VarianceBlock<T> block = variance_block(theta, from);
    if (!variance_.pass[0](block)) return false;
    path.h.insert(path.h.end(), &h_.at(0), &h_.at(0) + block.rows);
    h_.template shift<Order::value>(block.rows);
    q_.template shift<Order::value>(block.rows);
  }
  Rows<T>& deviations = dev_.value.empty() ? e_ : dev_;
  path.dev.assign(&deviations.at(0), &deviations.at(0) + y_.size());
  path.e.assign(&e_.at(0), &e_.at(0) + y_.size());
  return true;
}

template <class T>
template <Order O>
void Likelihood<T>::run_constant(const T& mu) {
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
void Likelihood<T>::run_mean(std::span<const T> theta) {
  const std::size_t pairs = packed_size(km_), columns = at_.regression.size();
  m_ = T(0);
  std::fill(m1_.begin(), m1_.end(), T(0));
  std::fill(m2_.begin(), m2_.end(), T(0));
  if (plain_) return run_constant<O>(columns > 0 ? theta[0] : T(0));
  Rows<T>& inner = seasonal_ar_.empty() ? dev_ : inner_;
  Rows<T>& outer = seasonal_ma_.empty() ? e_ : outer_;
  const auto clear = [&](Rows<T>& rows, std::ptrdiff_t t) {
    rows.at(t) = T(0);
    if constexpr (O != Order::value) std::fill_n(rows.d(t), km_, T(0));
    if constexpr (O == Order::hessian) std::fill_n(rows.d2(t), pairs, T(0));
  };
  // row t of `into` += sum theta_p from[t - lag]
  const auto add_lags = [&](Rows<T>& into, std::ptrdiff_t t, const std::vector<int>& lags,
                            std::size_t p, Rows<T>& from) {
    for (const int lag : lags) {
      const auto s = t - lag;
      add_term<O>(into.at(t), into.d(t), into.d2(t), p, theta[p], from.at(s), from.d(s), from.d2(s),
                  km_);
      ++p;
    }
  };
  // row t of `into` = from - into, or from + into
  const auto join = [&](Rows<T>& into, std::ptrdiff_t t, Rows<T>& from, double sign) {
    into.at(t) = from.at(t) + sign * into.at(t);
    if constexpr (O != Order::value)
      for (std::size_t j = 0; j < km_; ++j) into.d(t)[j] = from.d(t)[j] + sign * into.d(t)[j];
    if constexpr (O == Order::hessian)
      for (std::size_t r = 0; r < pairs; ++r) into.d2(t)[r] = from.d2(t)[r] + sign * into.d2(t)[r];
  };
  for (std::size_t row = 0; row < y_.size(); ++row) {
    const auto t = static_cast<std::ptrdiff_t>(row);
    for (Rows<T>* rows : {&dev_, &inner, &outer, &e_}) clear(*rows, t);
    if (present_[row]) {
      const T* x = columns_.data() + row * columns;
      T& dev = dev_.at(t);
      dev = y_[row];
      for (std::size_t j = 0; j < columns; ++j) {
        dev -= theta[at_.regression[j]] * x[j];
        if constexpr (O != Order::value) dev_.d(t)[at_.regression[j]] = -x[j];
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
    const T& e = e_.at(t);
    m_ += e * e;
    if constexpr (O != Order::value)
      for (std::size_t j = 0; j < km_; ++j) m1_[j] += 2 * e * e_.d(t)[j];
    if constexpr (O == Order::hessian)
      for (std::size_t j = 0, r = 0; j < km_; ++j)
        for (std::size_t i = 0; i <= j; ++i, ++r)
          m2_[r] += 2 * (e_.d(t)[j] * e_.d(t)[i] + e * e_.d2(t)[r]);
  }
  const double share = 1.0 / static_cast<double>(observed_);
  m_ *= share;
  for (T& v : m1_) v *= share;
  for (T& v : m2_) v *= share;
}

template <class T>
template <Order O>
void Likelihood<T>::start_variance() {
  for (Rows<T>* rows : {&h_, &q_})
    for (auto t = -static_cast<std::ptrdiff_t>(rows->history); t < 0; ++t) {
      rows->at(t) = m_;
      if constexpr (O != Order::value) {
        std::fill_n(rows->d(t), rows->width, T(0));
        std::copy(m1_.begin(), m1_.end(), rows->d(t));
      }
      if constexpr (O == Order::hessian) {
        std::fill_n(rows->d2(t), packed_size(rows->width), T(0));
        std::copy(m2_.begin(), m2_.end(), rows->d2(t));
      }
    }
}

template <class T>
VarianceBlock<T> Likelihood<T>::variance_block(std::span<const T> theta, std::size_t from) {
  const auto t = static_cast<std::ptrdiff_t>(from);
  return {.rows = std::min(kBlock, y_.size() - from),
          .mean_width = km_,
          .gaps = gaps_,
          .present = present_.data() + from,
          .e = &e_.at(t),
          .e1 = e_.d(t),
          .e2 = e_.d2(t),
          .theta = theta.data() + km_,
          .h = &h_,
          .q = &q_,
          .shock_lags = &shock_lags_,
          .variance_lags = &variance_lags_};
}

template <class T>
template <Order O>
void Likelihood<T>::pass(std::span<const T> theta, Derivatives<T>& out, T* scores) {
  const std::size_t k = parameters();
  out.admitted = false;
  if constexpr (O != Order::value) out.gradient.assign(k, T(0));
  if constexpr (O == Order::hessian) out.hessian.assign(packed_size(k), T(0));
  if constexpr (O == Order::scoring) out.information.assign(packed_size(k), T(0));
  law_block_.sum = T(0);
  law_block_.shape_gradient.fill(T(0));
  law_block_.shape_hessian.fill(T(0));
  law_block_.shape = theta.data() + km_ + kv_;
  law_block_.want_scores = scores != nullptr;
  run_mean<O>(theta);
  start_variance<O>();
  for (std::size_t from = 0; from < y_.size(); from += kBlock) {
    VarianceBlock<T> block = variance_block(theta, from);
    if (!variance_.pass[static_cast<int>(O)](block)) return;
    law_block_.rows = block.rows;
    law_block_.e = block.e;
    law_block_.h = &h_.at(0);
    law_block_.present = block.present;
    law_block_.gaps = gaps_;
    law_.pass[static_cast<int>(O)](law_block_);
    if constexpr (O != Order::value)
      accumulate<O>(block, theta, out, scores ? scores + from * k : nullptr);
    h_.template shift<O>(block.rows);
    q_.template shift<O>(block.rows);
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
void Likelihood<T>::accumulate(const VarianceBlock<T>& block, std::span<const T> theta,
                               Derivatives<T>& out, T* scores) {
  if (!gaps_ && km_ == 0 && kv_ == 3)
    accumulate<O, 0, 3>(block, theta, out, scores);
  else if (!gaps_ && km_ == 1 && kv_ == 3)
    accumulate<O, 1, 4>(block, theta, out, scores);
  else
    accumulate<O, 0, 0>(block, theta, out, scores);
}

template <class T>
template <Order O, std::size_t KM, std::size_t K>
void Likelihood<T>::accumulate(const VarianceBlock<T>& block, std::span<const T> theta,
                               Derivatives<T>& out, T* scores) {
  const LawBlock<T>& l = law_block_;
  const std::size_t km = K > 0 ? KM : km_, width = K > 0 ? K : km_ + kv_, k = parameters();
  // Sums of a known width stay in registers through the block.
  std::array<T, K> g_known{};
  std::array<T, packed_size(K)> H_known{}, I_known{};
  T* g = K > 0 ? g_known.data() : out.gradient.data();
  T* H = K > 0 ? H_known.data() : out.hessian.data();
  T* I = K > 0 ? I_known.data() : out.information.data();
  LawInformation<T> info;
  if constexpr (O == Order::scoring) info = law_.information(theta.data() + width);
  for (std::size_t row = 0; row < block.rows; ++row) {
    if (K == 0 && gaps_ && !block.present[row]) continue;
    const T* e1 = block.e1 + row * km;
    const T* h1 = h_.d(static_cast<std::ptrdiff_t>(row));
    for_each_index<K>(width, [&](auto j) {
      g[j] += j < km ? l.lh[row] * h1[j] + l.le[row] * e1[j] : l.lh[row] * h1[j];
    });
    if (scores) {
      T* mine = scores + row * k;
      for (std::size_t j = 0; j < width; ++j) mine[j] = l.lh[row] * h1[j];
      for (std::size_t j = 0; j < km; ++j) mine[j] += l.le[row] * e1[j];
      for (std::size_t s = 0; s < ks_; ++s) mine[width + s] = l.ls[s][row];
    }
    if constexpr (O == Order::hessian) {
      const T* e2 = block.e2 + row * packed_size(km);
      const T* h2 = h_.d2(static_cast<std::ptrdiff_t>(row));
      const T lh = l.lh[row], le = l.le[row], lhh = l.lhh[row], leh = l.leh[row], lee = l.lee[row];
      for_each_index<K>(width, [&](auto j) {
        const std::size_t r = packed(j, 0);
        const T by_h = lhh * h1[j], by_e = leh * h1[j];
        for (std::size_t i = 0; i <= j; ++i) H[r + i] += by_h * h1[i] + lh * h2[r + i];
        for (std::size_t i = 0; i < std::min<std::size_t>(j + 1, km); ++i) H[r + i] += by_e * e1[i];
        if (j < km)
          for (std::size_t i = 0; i <= j; ++i)
            H[r + i] += e1[j] * (leh * h1[i] + lee * e1[i]) + le * e2[r + i];
      });
      for (std::size_t s = 0; s < ks_; ++s) {
        T* of_shape = out.hessian.data() + packed(width + s, 0);
        for (std::size_t j = 0; j < width; ++j) of_shape[j] += l.lhs[s][row] * h1[j];
        for (std::size_t j = 0; j < km; ++j) of_shape[j] += l.les[s][row] * e1[j];
      }
    }
    if constexpr (O == Order::scoring) {
      const T over_h = 1 / l.h[row];
      const T hh = info.hh * over_h * over_h, ee = info.ee * over_h;
      for_each_index<K>(width, [&](auto j) {
        const std::size_t r = packed(j, 0);
        const T by_h = hh * h1[j];
        for (std::size_t i = 0; i <= j; ++i) I[r + i] += by_h * h1[i];
        if (j < km)
          for (std::size_t i = 0; i <= j; ++i) I[r + i] += ee * e1[j] * e1[i];
      });
      for (std::size_t s = 0; s < ks_; ++s) {
        T* of_shape = out.information.data() + packed(width + s, 0);
        for (std::size_t j = 0; j < width; ++j) of_shape[j] += info.hs[s] * over_h * h1[j];
        for (std::size_t r = 0; r <= s; ++r) of_shape[width + r] += info.ss[packed(s, r)];
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

}  // namespace brace
