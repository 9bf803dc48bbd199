"""How long a start, and a question to a run, takes beyond the start of a bare interpreter."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import snelk

TURNS = 9
ENVIRONMENT = {**os.environ, "PYTHONDONTWRITEBYTECODE": ""}
"""As for users: modules are compiled to bytecode once, not at each start."""


def best(*words: str) -> float:
    def once() -> float:
        began = time.perf_counter()
        done = [sys.executable, *words]
        subprocess.run(done, check=True, stdout=subprocess.DEVNULL, env=ENVIRONMENT)
        return time.perf_counter() - began

    return min(once() for _ in range(TURNS))


def main() -> None:
    bare = best("-c", "pass")
    sys.stdout.write(f"bare interpreter  {bare:.3f} s\n")
    arrays = best("-c", "import numpy") - bare
    sys.stdout.write(f"import numpy      {arrays:.3f} s more\n")
    with tempfile.TemporaryDirectory() as folder:
        run = str(Path(folder) / "night")
        snelk.run(snelk.croft() / "night.toml", out=run)
        for label, words in (
            ("import snelk", ("-c", "import snelk")),
            ("snelk --help", ("-m", "snelk", "--help")),
            ("events", ("-m", "snelk", "events", run)),
            ("why, a story", ("-m", "snelk", "why", run, "farmer", "fox")),
            ("why, a moment", ("-m", "snelk", "why", run, "farmer", "fox", "--at", "65")),
            ("why, a state", ("-m", "snelk", "why", run, "farmer", "--at", "65")),
        ):
            more = best(*words) - bare
            times = f"{more / arrays:.1f} times numpy's"
            sys.stdout.write(f"{label:16}  {more:.3f} s more, {times}\n")


if __name__ == "__main__":
    main()
