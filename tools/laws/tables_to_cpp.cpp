// SPDX-License-Identifier: Apache-2.0
// Writes src/laws/dickey_fuller_table.cpp from tools/laws/dickey_fuller.json.
//   tables_to_cpp tools/laws/dickey_fuller.json > src/laws/dickey_fuller_table.cpp
// tests/laws/table_test.cpp runs it and compares the bytes with the file that is checked in.
#include <fmt/format.h>

#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fputs("usage: tables_to_cpp TABLE.json\n", stderr);
    return 2;
  }
  std::ifstream in(argv[1]);
  const nlohmann::json table = nlohmann::json::parse(in);
  fmt::print(
      "// SPDX-License-Identifier: Apache-2.0\n"
      "// Written by tools/laws/tables_to_cpp from tools/laws/dickey_fuller.json, which tells "
      "where the\n"
      "// numbers come from. Do not edit.\n"
      "#include \"laws/dickey_fuller_table.hpp\"\n\nnamespace brace::laws {{\n\n"
      "const std::array<double, kSurfaceLevels> kLevels = {{{{\n");
  for (const double level : table.at("levels")) fmt::print("    {},\n", level);
  fmt::print("}}}};\n");
  const std::pair<const char*, const char*> names[] = {
      {"tau_none", "kTauNone"}, {"tau_const", "kTauConstant"}, {"tau_trend", "kTauTrend"}};
  for (const auto& [key, name] : names) {
    fmt::print("\nconst Surface {} = {{{{\n", name);
    for (const auto& row : table.at("surfaces").at(key).at("coef"))
      fmt::print("    {{{{{}, {}, {}}}}},\n", row.at(0).get<double>(), row.at(1).get<double>(),
                 row.at(2).get<double>());
    fmt::print("}}}};\n");
  }
  fmt::print("\n}}  // namespace brace::laws\n");
  return 0;
}
