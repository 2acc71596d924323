// SPDX-License-Identifier: Apache-2.0
// What a shell may offer for the word being typed: commands, options, words of closed sets, columns
// of the file already typed, terms of a model line. The shells' scripts (prompt/completion) ask by
// `brace offer -- WORD...`.
//
//   offers_for(commands, {"fit", "kelp.csv", "--value", "se"}).words     // {"settle", ""}
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "command.hpp"

namespace brace::app {

struct Offer {
  std::string word, what;
};
struct Offers {
  std::vector<Offer> words;
  bool files = false;    // names of files too
  bool goes_on = false;  // no blank after the word: more of it follows
};

// `words`: those after `brace`, as typed; the last is the one being typed, perhaps empty.
[[nodiscard]] Offers offers_for(const std::deque<Command>& commands,
                                std::vector<std::string> words);

}  // namespace brace::app
