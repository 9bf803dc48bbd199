"""Spoil what each reader reads until told to stop; print what went wrong, each kind once.

python scripts/fuzz.py [READER] [--cases N] [--from SEED]
"""

from __future__ import annotations

import argparse
import re
import signal
import sys
import tempfile
import time
import warnings
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from fuzzing import READERS, read_all

HANGS = 20
"""Seconds after which a case counts as one that hangs."""


def main() -> None:
    words = argparse.ArgumentParser()
    words.add_argument("reader", nargs="?", choices=READERS)
    words.add_argument("--cases", type=int, default=100_000)
    words.add_argument("--from", dest="first", type=int, default=0)
    given = words.parse_args()
    warnings.simplefilter("ignore")
    faults = 0
    for name in [given.reader] if given.reader else list(READERS):
        found: Counter[str] = Counter()
        start = time.perf_counter()
        with tempfile.TemporaryDirectory() as folder:
            read_all(READERS[name], given.first, Path(folder))  # compiles what is compiled
            for seed in range(given.first, given.first + given.cases):
                signal.alarm(HANGS)
                wrong = read_all(READERS[name], seed, Path(folder))
                signal.alarm(0)
                kind = re.sub(r"\d+(?=.*\()", "N", wrong)  # but for the line of code
                if wrong and kind not in found:
                    print(f"{name} {seed}: {wrong}", flush=True)
                found[kind] += bool(wrong)
        took = time.perf_counter() - start
        faults += sum(found.values())
        print(f"{name}: {given.cases} cases in {took:.0f} s, {sum(found.values())} faults")
    sys.exit(1 if faults else 0)


def hangs(*_: object) -> None:
    raise TimeoutError("hangs")


if __name__ == "__main__":
    signal.signal(signal.SIGALRM, hangs)
    main()
