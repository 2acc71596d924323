// SPDX-License-Identifier: Apache-2.0
// Room for the series that the exact likelihood filters, handed on from one likelihood to the next.
//
//   struct Work : FilterBuffers { explicit Work(Index n) : FilterBuffers(FilterBuffers::take(n)) {}
//   }; ~Work() { give_back(std::move(*this)); }
#pragma once

#include <Eigen/Core>
#include <utility>
#include <vector>

namespace brace::inline v0 {

// One value a row each. Asked for anew by each of many short fits they took a quarter of their
// time.
struct FilterBuffers {
  Eigen::VectorXd z, w, e0, e, u, v1, u2, v2, response, response2;

  static FilterBuffers take(Eigen::Index n) {
    std::vector<FilterBuffers>& spare = kept();
    FilterBuffers rows;
    if (!spare.empty()) {
      rows = std::move(spare.back());
      spare.pop_back();
    }
    for (Eigen::VectorXd* v :
         {&rows.z, &rows.w, &rows.e0, &rows.e, &rows.u, &rows.v1, &rows.u2, &rows.v2})
      v->resize(n);
    for (Eigen::VectorXd* v : {&rows.response, &rows.response2}) v->resize(n + 1);
    return rows;
  }
  static void give_back(FilterBuffers rows) {
    constexpr std::size_t kSpare = 3;
    constexpr Eigen::Index kLong = 50'000;
    if (rows.z.size() <= kLong && kept().size() < kSpare) kept().push_back(std::move(rows));
  }

 private:
  static std::vector<FilterBuffers>& kept() {
    thread_local std::vector<FilterBuffers> spare;
    return spare;
  }
};

}  // namespace brace::inline v0
