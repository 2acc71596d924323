// SPDX-License-Identifier: Apache-2.0
// Writes src/laws/response_surfaces_table.inc from the tables of tools/laws.
//   tables_to_cpp
//   tools/laws/{dickey_fuller,exp_f,bai_perron,rho,gls,gls_maic,two_breaks,quarter,month}.json >
//   FILE
// A test runs it and compares the bytes with the file that is checked in.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

namespace {

using Json = nlohmann::ordered_json;

void print_numbers(const std::string& name, const std::vector<double>& x) {
  fmt::print("\nconst double {}[] = {{\n", name);
  constexpr std::size_t kALine = 8;
  for (std::size_t i = 0; i < x.size(); i += kALine)
    fmt::print(
        "    {},\n",
        fmt::join(x.begin() + static_cast<std::ptrdiff_t>(i),
                  x.begin() + static_cast<std::ptrdiff_t>(std::min(i + kALine, x.size())), ", "));
  fmt::print("}};\n");
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) {
    std::fputs("usage: tables_to_cpp TABLE.json...\n", stderr);
    return 2;
  }
  fmt::print(
      "// SPDX-License-Identifier: Apache-2.0\n"
      "// Written by tools/laws/tables_to_cpp from tools/laws/*.json, which tell where the "
      "numbers\n"
      "// come from; src/laws/response_surfaces.cpp takes them in. Do not edit.\n");
  std::string list;
  for (int file = 1; file < argc; ++file) {
    std::ifstream in(argv[file]);
    const Json table = Json::parse(in);
    const std::string levels = fmt::format("kLevels{}", file);
    print_numbers(levels, table.at("levels"));
    for (const auto& [name, surface] : table.at("surfaces").items()) {
      std::vector<double> flat;
      for (const std::vector<double> row : surface.at("coef"))
        flat.insert(flat.end(), row.begin(), row.end());
      print_numbers(name + "_coefficients", flat);
      print_numbers(name + "_exponents", surface.at("exponents"));
      list +=
          fmt::format("    {{\"{0}\", {1}, {0}_exponents, {0}_coefficients, {2}, {3}, {4}}},\n",
                      name, levels, surface.at("T_range").at(0).get<int>(),
                      surface.at("T_range").at(1).get<int>(), surface.at("floor").get<double>());
    }
  }
  fmt::print("\nconst ResponseSurface kAll[] = {{\n{}}};\n", list);
  return 0;
}
