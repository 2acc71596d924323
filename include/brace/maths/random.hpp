// SPDX-License-Identifier: Apache-2.0
// Random numbers that are the same everywhere: streams by (seed, number), and draws that do not
// depend on the standard library's distributions.
//
//   brace::maths::RandomStream stream(/*seed=*/1, /*number=*/0);
//   double z = stream.normal();
//
// Threads: a stream belongs to one thread at a time; streams of other numbers are independent.
#pragma once

#include <cstdint>
#include <random>
#include <span>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::maths {

// Random work is always split over this many streams, whatever the threads, so that results do not
// depend on them.
inline constexpr int kRandomStreams = 8;

class RandomStream {
 public:
  RandomStream(std::uint64_t seed, std::uint64_t number);

  // A stream for work that takes any number of draws: this one moves by a single one.
  RandomStream branch();

  // Uniform on (0, 1), 53 bits, never 0 or 1.
  double uniform();

  // Standard normal (Box and Muller 1958, one of the pair).
  double normal();

  // Student with nu > 2 degrees of freedom scaled to unit variance, by Bailey (1994), whose method
  // is exact and takes two uniforms whatever nu:  t = sqrt(nu (u^(-2/nu) - 1)) cos(2 pi v).
  double student(double nu);

  // The same laws several times as fast, for millions of draws: a ziggurat (Boost's), a gamma of
  // scale 1 by Marsaglia and Tsang (2000), and Student as a normal over the root of a gamma.
  double quick_normal();
  double quick_gamma(double shape);
  double quick_student(double nu);
  void quick_student(double nu, std::span<double> out);

 private:
  // A gamma of shape d + 1/3 > 1, over d, with c = 1 / sqrt(9 d).
  double gamma_over(double d, double c);

  std::mt19937_64 engine_;
};

}  // namespace brace::inline v0::maths
BRACE_API_END
