"""Messages as lines of standard input and output, for a game that starts Snelk itself."""

from __future__ import annotations

from typing import IO

from snelk.serving.talking import LONGEST_MESSAGE, Talk, Told, written


def talk_in_lines(talk: Talk, given: IO[bytes], said: IO[bytes]) -> None:
    """Answer each line with a line, until there are no more."""
    told: Told | None = None
    while line := given.readline(LONGEST_MESSAGE + 2):
        if not line.endswith(b"\n") and len(line) > LONGEST_MESSAGE:
            while (rest := given.readline(LONGEST_MESSAGE)) and not rest.endswith(b"\n"):
                pass
        if not line.strip():
            continue
        reply, told = talk.answer(line, told)
        try:
            said.write(written(reply).encode() + b"\n")
            said.flush()
        except BrokenPipeError:  # nobody listens any more
            return
