#!/bin/sh
# clang.sh SOURCE BINARY CLANG: builds the tool by clang, on shared libraries.
set -eu
cmake -S "$1" -B "$2" -G Ninja -DCMAKE_CXX_COMPILER="$3" -DCMAKE_BUILD_TYPE=Release -DCMAKE_CXX_FLAGS_RELEASE="-O0 -DNDEBUG" -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON \
  -DBUILD_SHARED_LIBS=ON -DCMAKE_UNITY_BUILD=ON -DCMAKE_UNITY_BUILD_BATCH_SIZE=10 -DBRACE_TESTS=OFF -DBRACE_BENCHMARKS=OFF >/dev/null
cmake --build "$2" --target brace -j 2
