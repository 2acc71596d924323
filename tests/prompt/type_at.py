#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Types at an interactive shell and prints what it shows:

    type_at.py 'bash --norc -i' 'source brace.bash\\n' 'brace insp\\t' ...

Each word is typed as it stands (\\n, \\t and \\x01 are keys) once the shell has been still for a while.
"""
import os
import pty
import select
import sys
import time


def still(fd, shown, seconds):
    """Reads until nothing has come for that long."""
    end = time.time() + 20
    while time.time() < end:
        ready, _, _ = select.select([fd], [], [], seconds)
        if not ready:
            return
        try:
            piece = os.read(fd, 65536)
        except OSError:
            return
        if not piece:
            return
        shown.append(piece)


pid, fd = pty.fork()
if pid == 0:
    os.environ.update(TERM="dumb", PS1="> ", PROMPT="> ", HISTFILE="/dev/null")
    words = sys.argv[1].split()
    os.execvp(words[0], words)
shown = []
still(fd, shown, 1.0)
for keys in sys.argv[2:]:
    os.write(fd, keys.encode().decode("unicode_escape").encode())
    # What a tab asks for is computed by another program.
    still(fd, shown, 1.5 if keys.endswith("\\t") else 0.5)
os.write(fd, b"exit\n")
still(fd, shown, 0.7)
os.close(fd)
sys.stdout.buffer.write(b"".join(shown))
