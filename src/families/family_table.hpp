// SPDX-License-Identifier: Apache-2.0
// The table of variance families. A new one is a file beside this, its line here, and its type in
// the variant Variance (brace/model/model.hpp), by which a model names it:
//
//   with_family(model.variance, []<class Family>(std::type_identity<Family>) { ... });
//
// A file holds the kernel, Family::Stage<T> (variance_stage.hpp), and what the engine must know
// beyond it (VarianceFamily in variance_family.hpp).
#pragma once

#include <type_traits>
#include <variant>

#include "families/aparch.hpp"
#include "families/egarch.hpp"
#include "families/linear.hpp"
#include "families/long_memory.hpp"
#include "families/two_components.hpp"

namespace brace::inline v0 {

// Which family's file serves a member of Variance.
template <class Member>
struct FamilyOf : std::type_identity<LinearFamily> {};  // steady, arch, garch, igarch, gjr, ewma
template <>
struct FamilyOf<Egarch> : std::type_identity<EgarchFamily> {};
template <>
struct FamilyOf<Aparch> : std::type_identity<AparchFamily> {};
template <>
struct FamilyOf<TwoComponents> : std::type_identity<TwoComponentFamily> {};
template <>
struct FamilyOf<LongMemory> : std::type_identity<LongMemoryFamily> {};

// Calls `use` with the type of the family that serves `variance`.
template <class Use>
decltype(auto) with_family(const Variance& variance, Use&& use) {
  return std::visit(
      [&]<class Member>(const Member&) -> decltype(auto) {
        return use(std::type_identity<typename FamilyOf<Member>::type>{});
      },
      variance);
}

}  // namespace brace::inline v0
