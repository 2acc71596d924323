#compdef brace brace-mpi
# SPDX-License-Identifier: Apache-2.0
# zsh completion for brace: the tool itself says what may stand where.
local -a given lines offered shown
local line word files="" more="" longest=0
given=("${(@Q)words[2,CURRENT]}")
lines=("${(@f)$(${(Q)words[1]/#\~/$HOME} offer -- "${given[@]}" 2>/dev/null)}")
for line in $lines; do
  case $line in
    '<file>') files=yes ;;
    '<more>') more=yes ;;
    *)
      word=${line%%$'\t'*}
      offered+=("$word")
      ((${#word} > longest)) && longest=${#word}
      ;;
  esac
done
for line in $lines; do
  case $line in
    '<file>' | '<more>') ;;
    *$'\t'*) shown+=("${(r:longest:)${line%%$'\t'*}}  ${line#*$'\t'}") ;;
    *) shown+=("$line") ;;
  esac
done
if (($#offered)); then
  if [[ $more == yes ]]; then
    compadd -S '' -l -d shown -a offered
  else
    compadd -l -d shown -a offered
  fi
fi
[[ $files == yes ]] && _files
