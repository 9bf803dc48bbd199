"""How long a start takes beyond that of a bare interpreter."""

from __future__ import annotations

import subprocess
import sys
import time

TURNS = 9


def best(*words: str) -> float:
    def once() -> float:
        began = time.perf_counter()
        subprocess.run([sys.executable, *words], check=True, stdout=subprocess.DEVNULL)
        return time.perf_counter() - began

    return min(once() for _ in range(TURNS))


def main() -> None:
    bare = best("-c", "pass")
    sys.stdout.write(f"bare interpreter  {bare:.3f} s\n")
    for label, words in (
        ("import snelk", ("-c", "import snelk")),
        ("snelk --help", ("-m", "snelk", "--help")),
    ):
        sys.stdout.write(f"{label:16}  {best(*words) - bare:.3f} s more\n")


if __name__ == "__main__":
    main()
