#!/bin/sh
# A program outside the project, built by each compiler for each instruction set that this machine runs, prints the
# same: flags.sh STAGE SOURCE COMPILER... ; STAGE is where the library is installed. BRACE_FLAGS has the flags.
set -eu
stage=$1
source=$2
shift 2
pc=$(find "$stage" -name brace-core.pc)
PKG_CONFIG_PATH=$(dirname "$pc")
export PKG_CONFIG_PATH
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
built=0
for compiler in "$@"; do
  for flags in "" ${BRACE_FLAGS:--march=x86-64-v3 -march=native}; do
    case $flags in
      -march=x86-64-v3) grep -qw avx2 /proc/cpuinfo || continue ;;
    esac
    # shellcheck disable=SC2046,SC2086  # words of flags
    "$compiler" -std=c++20 -O2 $flags "$source" -o "$work/program" $(pkg-config --cflags --libs brace-core)
    "$work/program" > "$work/now" || { echo "$compiler $flags: the program failed"; exit 1; }
    [ -e "$work/first" ] || cp "$work/now" "$work/first"
    cmp "$work/first" "$work/now" || { echo "$compiler $flags: another result"; exit 1; }
    built=$((built + 1))
  done
done
cat "$work/first"
echo "$built programs"
