"""How long it takes until one knows more about the croft's night, relative to replaying it."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import snelk
from snelk.plots.map import plot_map
from snelk.tuning.check import check

TURNS = 7


def best(work: Callable[[], object]) -> float:
    def once() -> float:
        began = time.perf_counter()
        work()
        return time.perf_counter() - began

    return min(once() for _ in range(TURNS))


def main() -> None:
    night = snelk.load(snelk.croft() / "night.toml")
    runs = [snelk.run(night), snelk.run(night, overrides={"profiles.dog.hearing.acuity": 3.0})]
    alone = best(lambda: snelk.run(night))
    sys.stdout.write(f"one run of the croft, all tables in memory  {alone:.3f} s\n")
    with tempfile.TemporaryDirectory() as folder:
        for label, work in (
            ("what looks wrong in it", lambda: check(night)),
            ("where two runs part, and why", lambda: snelk.compare(*runs).first_differences),
            (
                "a map of one moment, as PNG",
                lambda: plot_map(runs[0], at=58.0).save(Path(folder) / "map.png"),
            ),
        ):
            took = best(work)
            sys.stdout.write(f"{label:42}  {took:.3f} s, {took / alone:.2f} of a run\n")


if __name__ == "__main__":
    main()
