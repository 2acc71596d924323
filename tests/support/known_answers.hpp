// SPDX-License-Identifier: Apache-2.0
// Known answers from tests/data/reference: a case's JSON and the series it is about.
#pragma once

#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <string>

#include "brace/brace.hpp"

namespace brace::test {

using Json = nlohmann::json;

inline std::filesystem::path reference_folder() {
  return std::filesystem::path(BRACE_SOURCE_DIR) / "tests/data/reference";
}

// The case whose file name starts with `id`, such as "o17".
inline Json known_answer(const std::string& id) {
  for (const auto& entry : std::filesystem::directory_iterator(reference_folder()))
    if (entry.path().filename().string().starts_with(id + "_") &&
        entry.path().extension() == ".json") {
      std::ifstream in(entry.path());
      return Json::parse(in);
    }
  throw std::runtime_error("no known answer " + id);
}

// Which deterministic terms a case of a unit-root test is about.
inline Deterministic terms_of(const Json& c) {
  return c["det"] == "none"       ? Deterministic::none
         : c["det"] == "constant" ? Deterministic::constant
                                  : Deterministic::trend;
}

// A case and the model line it is about.
struct Case {
  const char* id;
  const char* line;
};
inline void PrintTo(const Case& c, std::ostream* out) {
  *out << c.id << ": " << c.line;
}

// With its other column as a companion, where it has one.
inline Series series_of(const Json& answer) {
  const std::string path = (reference_folder() / answer.at("data").get<std::string>()).string();
  Series y = read_csv(path, {.value = "value"});
  std::ifstream in(path);
  std::string header;
  std::getline(in, header);
  if (header.ends_with(",x")) y.companions = {{"x", read_csv(path, {.value = "x"}).values}};
  return y;
}

// A case read, with its model: what a fixture of known answers starts from.
class KnownAnswer : public testing::TestWithParam<Case> {
 protected:
  Json answer = known_answer(GetParam().id);
  const Json& want = answer["expected"];
  const Json& tol = answer["tolerance"];
  Model model = parse_model(GetParam().line);

  double tolerance(const char* name) const { return tol.at(name); }
};

// The tolerance of a closed form.
struct Tolerance {
  double abs, rel;
  explicit Tolerance(const Json& answer)
      : abs(answer["tolerance"]["abs"]), rel(answer["tolerance"]["rel"]) {}
};

// |got - want| <= abs + rel |want|, the rule of the closed forms.
inline void expect_close(double got, double want, double abs, double rel, const std::string& what) {
  EXPECT_LE(std::abs(got - want), abs + rel * std::abs(want))
      << what << ": got " << got << ", want " << want;
}

}  // namespace brace::test
