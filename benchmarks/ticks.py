"""One tick of sight: 50 agents, 4 targets, 3,000 wall pieces; and the croft against real time."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

import snelk

AGENTS, TARGETS, PIECES, SIZE = 50, 4, 3000, 200.0

PROFILES = """
[bodies.adult]
standing = 1.8
[profiles.lookout]
body = "adult"
notices = ["visitors"]
[profiles.lookout.cones.far]
fov_whole = 70
range = 40.0
[profiles.lookout.cones.near]
fov_whole = 180
range = 12.0
"""


def crowd(
    folder: Path,
    *,
    agents: int = AGENTS,
    targets: int = TARGETS,
    pieces: int = PIECES,
    profiles: str = PROFILES,
) -> Path:
    """Agents and targets that stand at random in a field of walls, as a scenario."""
    rng = np.random.default_rng(2)
    features = []
    for n in range(pieces):
        x, y, a = *rng.uniform(0, SIZE, 2), rng.uniform(0, 2 * np.pi)
        dx, dy = 1.25 * np.cos(a), 1.25 * np.sin(a)
        features.append(
            {
                "type": "Feature",
                "properties": {"kind": "wall", "name": f"w{n}", "top": 1.0 + n % 3},
                "geometry": {
                    "type": "LineString",
                    "coordinates": [[x - dx, y - dy], [x + dx, y + dy]],
                },
            }
        )
    (folder / "level.geojson").write_text(
        json.dumps({"type": "FeatureCollection", "features": features})
    )
    (folder / "kinds.toml").write_text(profiles)
    lines = [
        'level = "level.geojson"',
        'use = ["kinds.toml"]',
        "[clock]",
        "dt = 0.05",
        "end = 50.0",
    ]
    for n in range(agents + targets):
        x, y = rng.uniform(60, 140, 2)
        kind = (
            'team = "home"\nprofile = "lookout"'
            if n < agents
            else 'team = "visitors"\nbody = "adult"'
        )
        lines.append(
            f"[cast.c{n}]\n{kind}\nat = [{x:.2f}, {y:.2f}]\nfacing = {rng.uniform(-180, 180):.1f}"
        )
    (folder / "scene.toml").write_text("\n".join(lines))
    return folder / "scene.toml"


def main() -> None:
    write = sys.stdout.write
    with tempfile.TemporaryDirectory() as name:
        simulation = snelk.Simulation(snelk.load(crowd(Path(name))))
    simulation.step()
    ticks = []
    while not simulation.done:
        began = time.perf_counter()
        simulation.step()
        ticks.append(time.perf_counter() - began)
    rays = int(np.isfinite(simulation.sight.exposure).sum()) * 3
    write(
        f"{AGENTS} agents x {TARGETS} targets (of {AGENTS + TARGETS} characters), 2 cones each, "
        f"{PIECES} pieces, {rays} rays: median {np.median(ticks) * 1e3:.3f} ms a tick\n"
    )
    night = snelk.load(snelk.croft() / "night.toml")
    snelk.run(night)
    best = np.inf
    for _ in range(7):
        began = time.perf_counter()
        done = snelk.run(night)
        best = min(best, time.perf_counter() - began)
    span = done.times[-1] - done.times[0]
    write(
        f"the croft, all tables: {best:.3f} s for {span:g} s, {span / best:.0f} times real time\n"
    )
    alone = best
    for count in (10, 100):
        variants = [{"profiles.goose.cones.wide.range": 5 + n / 50} for n in range(count)]
        simulation = snelk.Simulation(night, variants=variants)
        simulation.step()
        began = time.perf_counter()
        while not simulation.done:
            simulation.step()
        together = time.perf_counter() - began
        write(
            f"{count:3} variants stepped together, no tables: {together:.3f} s, "
            f"{together / alone:.1f} times one run with tables\n"
        )


if __name__ == "__main__":
    main()
