"""How the cost of a tick grows with agents x targets, and with wall pieces.

Everybody stands in a field of walls of 200 x 200 m; the agents see, hear and feel, and each target
makes a noise each second. Ratios are taken within one run, of mean times over many ticks; what
does not depend on the size is told apart by a scene of one agent and one target.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from ticks import PROFILES, crowd

import snelk

SENSES = (
    PROFILES
    + """
[profiles.lookout.hearing]
[profiles.lookout.touch]
radius = 1.0
[profiles.lookout.meter]
fill_time = 2.0
"""
)
SECONDS = 20.0


def tick_of(agents: int, targets: int, pieces: int) -> float:
    """Mean time of a tick, s, after the first two seconds: the best of three runs."""
    with tempfile.TemporaryDirectory() as name:
        path = crowd(Path(name), agents=agents, targets=targets, pieces=pieces, profiles=SENSES)
        noises = [
            {"t": float(t), "kind": "call", "by": f"c{agents + n}", "reach": 30.0}
            for t in np.arange(0.5, SECONDS)
            for n in range(targets)
        ]
        scenario = snelk.load(path, overrides={"clock.end": SECONDS, "noise": noises})
    best = np.inf
    for _ in range(3):
        simulation = snelk.Simulation(scenario)
        while simulation.step() < 2.0:
            pass
        first, began = simulation.tick, time.perf_counter()
        while not simulation.done:
            simulation.step()
        best = min(best, (time.perf_counter() - began) / (simulation.tick - first))
    return best


def main() -> None:
    write = sys.stdout.write
    tick_of(2, 1, 100)  # compile
    empty = tick_of(1, 1, 1000)
    write("agents x targets, 1000 pieces: time of a tick less that of 1 x 1, and its growth\n")
    before: tuple[int, float] | None = None
    for agents, targets in ((10, 4), (20, 4), (40, 4), (40, 8), (40, 16), (80, 16)):
        tick = tick_of(agents, targets, 1000) - empty
        growth = ""
        if before is not None:
            times = agents * targets / before[0]
            growth = f"{times:.0f} times the pairs: {tick / before[1]:.2f} times the time"
        write(f"{agents:4} x {targets:2}  {tick * 1e3:7.3f} ms  {growth}\n")
        before = agents * targets, tick
    write("\nwall pieces, 50 agents x 4 targets: time of a tick, and its growth\n")
    first: float | None = None
    for pieces in (100, 1000, 10_000, 50_000):
        tick = tick_of(50, 4, pieces)
        first = first or tick
        write(f"{pieces:6}  {tick * 1e3:7.3f} ms  {tick / first:.2f} times that of 100 pieces\n")


if __name__ == "__main__":
    main()
