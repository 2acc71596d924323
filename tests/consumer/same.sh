#!/bin/sh
# same.sh SOURCE TOOL OTHER: two builds of the tool print the same.
set -eu
cd "$1"
kelp="data/kelp-fibre.csv --value settle --drop-zero volume"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
same() {
  "$tool" "$@" > "$work/one"
  "$other" "$@" > "$work/two"
  cmp "$work/one" "$work/two" || { diff "$work/one" "$work/two"; exit 1; }
}
tool=$2
other=$3
same unitroot $kelp
same inspect $kelp --returns log
same fit $kelp --returns log --model 'const / garch / student'
same fit $kelp --returns log --model 'const ar1 / egarch / ged'
same forecast $kelp --returns log --model 'const / gjr / student' --horizon 3
same search data/lamp-oil.csv --transform log --season 12 --most-ar 1 --most-ma 1
same season data/ferry-freight.csv --returns log --overnight mark
