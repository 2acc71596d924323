// SPDX-License-Identifier: Apache-2.0
// The variance stage of a likelihood: from shocks e to variances h, block by block. A family is a
// class of four templates: `start` for the rows before the sample, `next` for the h of a row from
// the rows before it, `learn` for what the row's own shock leaves behind, `skip` for a row without
// one; FamilyStage turns them into the stage that the likelihood runs.
//
//   std::unique_ptr<VarianceStage<T>> stage = variance_stage<T>(model, setup);
//   stage->begin(order, presample, theta, shape);
//   stage->run(order, block);       // fills stage->h(), rows 0 .. block.rows - 1
//   stage->shift(order, block.rows);
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "brace/model/model.hpp"
#include "families/shock_moments.hpp"
#include "families/stages.hpp"

namespace brace::inline v0 {

// What a stage must know of the model around it. Parameters of the mean come first, then those of
// the variance, then those of the law.
struct StageSetup {
  std::size_t mean = 0, variance = 0, shocks = 0;  // parameters of each
  std::size_t shock_width = 0;                     // derivatives of e that may be non-zero
  bool gaps = false;                               // some rows are missing
  // Regressors of the variance, row by row; one a parameter, the last of the variance's.
  std::size_t columns = 0;
  const double* column_rows = nullptr;
  // out[i] = sum of w[j] x[i + j] over j < lags, for i < n, by the widest vectors of the machine.
  void (*slide)(const double* w, std::size_t lags, const double* x, std::size_t n,
                double* out) = nullptr;
};

// Shocks of one block.
template <class T>
struct ShockBlock {
  std::size_t from = 0;  // row of the series
  std::size_t rows = 0;
  const unsigned char* present = nullptr;
  T* e = nullptr;   // rows
  T* e1 = nullptr;  // rows x shock_width
  T* e2 = nullptr;  // rows x packed_size(shock_width)
};

template <class T>
class VarianceStage {
 public:
  virtual ~VarianceStage() = default;

  // Rows before the sample: m is the mean of e^2 with derivatives, shock_width wide.
  virtual void begin(Order order, const Row<T>& m, const T* theta, const T* shape) = 0;

  // h of the whole block; false as soon as one is not positive and finite.
  virtual bool run(Order order, const ShockBlock<T>& block) = 0;
  // The same row by row, where e depends on h: h of a row, then what its e leaves behind.
  virtual bool predict(Order order, const ShockBlock<T>& block, std::size_t row) = 0;
  virtual void absorb(Order order, const ShockBlock<T>& block, std::size_t row) = 0;
  // After a block, whose h is then gone.
  virtual void shift(Order order, std::size_t rows) = 0;

  // Rows of the present block; width: all derivatives of h that may be non-zero.
  Rows<T>& h() { return h_; }

  // The second state of a family that has one, such as the long-run component.
  virtual Rows<T>* state() { return nullptr; }

  // From here on with sizes |x| of shocks rounded to sqrt(x^2 + over^2), by families with a kink.
  void round_sizes(const T& over) { rounding_ = over; }

 protected:
  // The size of a shock with its derivatives: |x|, whose kink has the slope of its right side.
  struct Size {
    T value, slope, bend;
  };
  [[nodiscard]] Size size_of(const T& x) const {
    using std::sqrt;
    if (!(rounding_ > T(0))) {
      const double side = x < T(0) ? -1 : 1;
      return {side * x, T(side), T(0)};
    }
    const T size = sqrt(x * x + rounding_ * rounding_), slope = x / size;
    return {size, slope, (1 - slope * slope) / size};
  }

  Rows<T> h_;
  T rounding_ = T(0);
};

// The order of a pass as a template argument.
template <class F>
auto with_order(Order order, F&& f) {
  switch (order) {
    case Order::value: return f.template operator()<Order::value>();
    case Order::gradient: return f.template operator()<Order::gradient>();
    case Order::scoring: return f.template operator()<Order::scoring>();
    case Order::hessian: break;
  }
  return f.template operator()<Order::hessian>();
}

// Scratch rows and the loops that families share.
template <class Family, class T>
class FamilyStage : public VarianceStage<T> {
 public:
  explicit FamilyStage(const StageSetup& setup) : setup_(setup) {}

  void begin(Order order, const Row<T>& m, const T* theta, const T* shape) override {
    theta_ = theta;
    shape_ = shape;
    with_order(order, [&]<Order O>() {
      presample_.template clear<O>(0);
      *presample_.row(0).value = *m.value;
      if constexpr (O != Order::value) std::copy_n(m.d, setup_.shock_width, presample_.d(0));
      if constexpr (O == Order::hessian)
        std::copy_n(m.d2, packed_size(setup_.shock_width), presample_.d2(0));
      family().template start<O>(presample_.row(0));
    });
  }
  bool run(Order order, const ShockBlock<T>& block) override {
    return with_order(order, [&]<Order O>() {
      for (std::size_t row = 0; row < block.rows; ++row) {
        if (!step<O>(block, row)) return false;
        take<O>(block, row);
      }
      return true;
    });
  }
  bool predict(Order order, const ShockBlock<T>& block, std::size_t row) override {
    return with_order(order, [&]<Order O>() { return step<O>(block, row); });
  }
  void absorb(Order order, const ShockBlock<T>& block, std::size_t row) override {
    with_order(order, [&]<Order O>() { take<O>(block, row); });
  }
  void shift(Order order, std::size_t rows) override {
    with_order(order, [&]<Order O>() { shift_all<O>(rows); });
  }

 protected:
  using VarianceStage<T>::h_;

  // Rows of a family, shifted together; h is one of them.
  void own(Rows<T>& rows, std::size_t history, std::size_t width) {
    rows.resize(history, kBlock, width);
    all_.push_back(&rows);
  }
  void own_scratch(std::size_t width) {
    presample_.resize(0, 1, width);
    shock_.resize(0, 1, width);
  }
  // The presample value in every row before the sample.
  template <Order O>
  static void fill_before(Rows<T>& rows, const Row<T>& with) {
    for (auto t = -static_cast<std::ptrdiff_t>(rows.history); t < 0; ++t) {
      rows.at(t) = *with.value;
      if constexpr (O != Order::value) std::copy_n(with.d, rows.width, rows.d(t));
      if constexpr (O == Order::hessian) std::copy_n(with.d2, packed_size(rows.width), rows.d2(t));
    }
  }
  // q = e^2, and its derivatives, `width` wide.
  template <Order O>
  static void square(const Row<T>& q, const Row<T>& shock, std::size_t width) {
    const T& e = *shock.value;
    *q.value = e * e;
    if constexpr (O != Order::value)
      for (std::size_t j = 0; j < width; ++j) q.d[j] = 2 * e * shock.d[j];
    if constexpr (O == Order::hessian)
      for (std::size_t j = 0, r = 0; j < width; ++j)
        for (std::size_t i = 0; i <= j; ++i, ++r)
          q.d2[r] = 2 * (shock.d[j] * shock.d[i] + e * shock.d2[r]);
  }
  // Row t of `rows` = h: the expectation of e^2 where e is missing.
  template <Order O>
  void expect_square(Rows<T>& rows, std::ptrdiff_t t) {
    rows.template clear<O>(t);
    add_scaled<O>(rows.row(t), T(1), h_.row(t), h_.width);
  }
  // row += sum over regressors of coefficient times value.
  template <Order O>
  void add_columns(const Row<T>& row, const ShockBlock<T>& block, std::size_t at) const {
    const double* x = setup_.column_rows + (block.from + at) * setup_.columns;
    for (std::size_t c = 0; c < setup_.columns; ++c) {
      const std::size_t own = setup_.variance - setup_.columns + c;
      *row.value += x[c] * theta_[own];
      if constexpr (O != Order::value) row.d[setup_.mean + own] += x[c];
    }
  }

  StageSetup setup_;
  const T* theta_ = nullptr;  // the variance parameters
  const T* shape_ = nullptr;
  Rows<T> presample_, shock_;  // one row, as wide as h

  // h of a row, false where it is not positive and finite; then what the row's shock leaves behind.
  template <Order O>
  bool step(const ShockBlock<T>& block, std::size_t row) {
    const auto t = static_cast<std::ptrdiff_t>(row);
    family().template next<O>(t, block, row);
    const T& h = h_.at(t);
    return h > T(0) && h < T(std::numeric_limits<double>::max());
  }
  template <Order O>
  void take(const ShockBlock<T>& block, std::size_t row) {
    const auto t = static_cast<std::ptrdiff_t>(row);
    if (setup_.gaps && !block.present[row]) return family().template skip<O>(t);
    // e with its derivatives as wide as h's
    const std::size_t narrow = setup_.shock_width;
    shock_.at(0) = block.e[row];
    if constexpr (O != Order::value) std::copy_n(block.e1 + row * narrow, narrow, shock_.d(0));
    if constexpr (O == Order::hessian)
      std::copy_n(block.e2 + row * packed_size(narrow), packed_size(narrow), shock_.d2(0));
    family().template learn<O>(t, shock_.row(0));
  }

 private:
  Family& family() { return static_cast<Family&>(*this); }

  template <Order O>
  void shift_all(std::size_t rows) {
    for (Rows<T>* each : all_) each->template shift<O>(rows);
  }

  std::vector<Rows<T>*> all_;
};

}  // namespace brace::inline v0
