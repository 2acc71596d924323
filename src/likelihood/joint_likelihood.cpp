// SPDX-License-Identifier: Apache-2.0
// The joint likelihood in double. Covered by tests/likelihood/likelihood_test.cpp.
#include "likelihood/joint_passes.hpp"

namespace brace::inline v0 {

// clang 14 leaves out virtual functions that are first needed inside an explicit instantiation, so
// that the stages of the families are instantiated before it.
template class FamilyStage<LinearStage<double>, double>;
template class FamilyStage<EgarchStage<double>, double>;
template class FamilyStage<AparchStage<double>, double>;
template class FamilyStage<TwoComponentStage<double>, double>;
template class FamilyStage<LongMemoryStage<double>, double>;
template class TwoComponentStage<double>;

template class JointLikelihood<double>;

}  // namespace brace::inline v0
