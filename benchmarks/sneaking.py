"""What sneaking, fairness and simulated players take, as ratios to one run with all tables."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from typing import Any

import snelk


def best(work: Callable[[], Any], turns: int) -> float:
    def once() -> float:
        began = time.perf_counter()
        work()
        return time.perf_counter() - began

    return min(once() for _ in range(turns))


def main() -> None:
    night, harmless = snelk.croft() / "night.toml", ["owl", "scarecrow"]
    snelk.run(night)
    alone = best(lambda: snelk.run(night), 5)
    sys.stdout.write(f"one run of the croft with all tables: {alone:.2f} s\n")
    for words, work, turns in (
        ("sneaking to the coop's north, unnoticed",
         lambda: snelk.sneak(night, to="coop-door-north", ignore=harmless), 2),
        ("sneaking to its east, where all watch",
         lambda: snelk.sneak(night, to="coop-door-east", ignore=harmless), 1),
        ("fairness", lambda: snelk.fairness(night, ignore=harmless), 2),
        ("a hundred simulated players, in one process",
         lambda: snelk.players(night, to="hedge-gap", ignore=["owl"]), 2),
    ):  # fmt: skip
        took = best(work, turns)
        sys.stdout.write(f"{words}: {took:.1f} s, {took / alone:.0f} times that\n")


if __name__ == "__main__":
    main()
