// SPDX-License-Identifier: Apache-2.0
// What a shared library of Brace shows: everything in a namespace that is marked so.
//
//   namespace brace BRACE_API { double answer(); }
#pragma once

#if defined(__GNUC__)
#define BRACE_API __attribute__((visibility("default")))
#else
#define BRACE_API
#endif
