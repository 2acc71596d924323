// SPDX-License-Identifier: Apache-2.0
// What a shared library of Brace shows: what is declared between these two.
//
//   BRACE_API_BEGIN
//   namespace brace { double answer(); }
//   BRACE_API_END
//
// Threads: macros alone.
#pragma once

#if defined(__GNUC__)
#define BRACE_API_BEGIN _Pragma("GCC visibility push(default)")
#define BRACE_API_END _Pragma("GCC visibility pop")
#else
#define BRACE_API_BEGIN
#define BRACE_API_END
#endif
