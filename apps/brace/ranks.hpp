// SPDX-License-Identifier: Apache-2.0
// A crew of other processes, where the tool was started as several.
//
//   if (o.ranks && !o.ranks->leads()) return o.ranks->serve(plan), 0;
#pragma once

#include "brace/batch/batch.hpp"

namespace brace::app {

class Ranks : public Crew {
 public:
  // Whether this process reads and writes; the others compute.
  [[nodiscard]] virtual bool leads() const = 0;
  // Computes what the leader sends until it says that nothing is left.
  virtual void serve(const BatchPlan& plan) = 0;
};

}  // namespace brace::app
