# SPDX-License-Identifier: Apache-2.0
# bash completion for brace: the tool itself says what may stand where.
_brace() {
  local whole="" word line lines=() words=() i
  # The shell parts words at = and :; put them together again.
  for ((i = 1; i <= COMP_CWORD; i++)); do
    word=${COMP_WORDS[i]}
    if ((i > 1)) && [[ $word == [=:]* || ${COMP_WORDS[i - 1]} == [=:] ]]; then
      words[${#words[@]} - 1]+=$word
    else
      words+=("$word")
    fi
  done
  whole=${words[${#words[@]} - 1]}
  local cur=${COMP_WORDS[COMP_CWORD]}
  [[ $cur == [=:] ]] && cur=""
  local before=${whole%"$cur"} quote=""
  case $cur in \'* | \"*) quote=${cur:0:1} ;; esac
  mapfile -t lines < <("${COMP_WORDS[0]/#\~/$HOME}" offer -- "${words[@]}" 2>/dev/null)
  COMPREPLY=()
  for line in "${lines[@]}"; do
    case $line in
      "<file>")
        compopt -o filenames 2>/dev/null
        mapfile -t -O ${#COMPREPLY[@]} COMPREPLY < <(compgen -f -- "${cur#"$quote"}")
        ;;
      "<more>") compopt -o nospace 2>/dev/null ;;
      *)
        word=${line%%$'\t'*}
        word=${word#"$before"}
        [[ -z $quote ]] && printf -v word %q "$word"
        COMPREPLY+=("$word")
        ;;
    esac
  done
}
complete -F _brace brace brace-mpi
