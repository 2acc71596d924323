// SPDX-License-Identifier: Apache-2.0
// A crew of MPI ranks: rank 0 reads and writes, the others compute. Series and results travel as
// bytes, and whoever has nothing to do sleeps instead of asking without pause.
//
//   MpiRanks ranks(argc, argv);
//   return brace::app::run_tool(argc, argv, ranks.alone() ? nullptr : &ranks);
#pragma once

#include <cstdint>
#include <list>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "ranks.hpp"

namespace brace::app {

class MpiRanks final : public Ranks {
 public:
  MpiRanks(int& argc, char**& argv);
  // Tells the others that nothing is left, and waits for them.
  ~MpiRanks() override;
  MpiRanks(const MpiRanks&) = delete;
  MpiRanks& operator=(const MpiRanks&) = delete;

  [[nodiscard]] bool alone() const { return size_ == 1; }
  [[nodiscard]] bool leads() const override { return rank_ == 0; }
  void run(BatchWork& work) override;
  void serve(const BatchPlan& plan) override;

 private:
  struct Sent;  // bytes on their way
  void send(int to, int tag, std::string bytes);
  void forget_what_arrived();
  bool receive(BatchWork* work);
  [[nodiscard]] int idlest() const;

  int rank_ = 0, size_ = 1;
  std::list<std::unique_ptr<Sent>> sent_;
  std::vector<int> under_way_;                              // jobs at each rank
  std::map<std::int64_t, std::shared_ptr<BatchJob>> jobs_;  // sent, or waiting for their turn
  std::map<std::int64_t, bool> ready_;                      // places whose result is there
};

}  // namespace brace::app
