# SPDX-License-Identifier: Apache-2.0
# fish completion for brace: the tool itself says what may stand where.
function __brace_offers
    set -l given (commandline -opc)
    set -l program $given[1]
    set -e given[1]
    for line in ($program offer -- $given (commandline -ct) 2>/dev/null)
        switch $line
            case '<more>'
            case '<file>'
                __fish_complete_path (commandline -ct)
            case '*'
                echo $line
        end
    end
end
complete -c brace -f -a '(__brace_offers)'
complete -c brace-mpi -f -a '(__brace_offers)'
