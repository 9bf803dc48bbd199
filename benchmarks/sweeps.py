"""Sweeping the croft on all cores, in times of one run alone with its tables; and memory."""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from pathlib import Path

from joblib import cpu_count
from joblib.externals.loky import get_reusable_executor

import snelk

VARY = {
    "profiles.dog.cones.muzzle.range": (6.0, 20.0),
    "profiles.goose.cones.wide.range": (5.0, 12.0),
    "profiles.guardian.meter.fill_time": (0.5, 5.0),
    "profiles.farmer.movement.running": (1.4, 4.0),
    "profiles.dog.ladder.states.asleep.senses.hearing": (0.2, 1.0),
}


def one_run(night: snelk.Scenario) -> float:
    begin = time.perf_counter()
    snelk.run(night)
    return time.perf_counter() - begin


def main(variants: int) -> None:
    night = snelk.load(snelk.croft() / "night.toml")
    one_run(night)
    before = one_run(night)
    with tempfile.TemporaryDirectory() as folder:
        begin = time.perf_counter()
        snelk.sweep(night, VARY, samples=variants, out=Path(folder) / "night.parquet")
        took = time.perf_counter() - begin
    alone = (before + one_run(night)) / 2
    get_reusable_executor().shutdown()
    own, most = (
        resource.getrusage(who).ru_maxrss / 1e6
        for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
    )
    print(f"one run of the croft alone, with all tables: {alone:.2f} s")
    print(
        f"{variants} variants on {cpu_count()} cores: {took:.1f} s, {took / alone:.1f} times that"
    )
    print(f"so {variants * alone / took:.1f} times better than one after another")
    print(f"memory: {own:.2f} GB here, {most:.2f} GB in the largest of the other processes")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
