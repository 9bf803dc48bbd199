"""One tick: of sight with 50 agents, of 50 and 200 minds; and the croft against real time."""

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

MINDS = (
    PROFILES
    + """
[profiles.lookout.hearing]
[profiles.lookout.memory]
[profiles.lookout.movement]
[profiles.lookout.meter]
fill_time = 2.0
[profiles.lookout.ladder.states.rounds]
roam = { ring = [0.0, 20.0], every = 6.0 }
[profiles.lookout.ladder.states.chase]
rank = 2
pace = "running"
look = "focus"
approach = {}
[profiles.lookout.ladder.states.search]
rank = 1
search = { method = "nearby" }
[profiles.lookout.ladder.transitions]
notice = { from = ["rounds", "search"], to = "chase", when = "meter >= 0.6" }
lose = { from = "chase", to = "search", when = "lost_for > 2s" }
give_up = { from = "search", to = "rounds", when = "search_done" }
"""
)


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


def tick_of_minds(agents: int, *, noses: bool = False) -> tuple[float, float]:
    """Median and longest of 300 ticks of so many agents that walk and think, 4 targets, s.

    With noses each of them smells the trails of all others.
    """
    smell = '[profiles.lookout.smell]\nreach = 3.0\nnotices = ["home", "visitors"]\n'
    smell += "[profiles.lookout.meter]\nfill_time = 2.0\nsmell_rate = 0.0\n"  # nobody is chased
    with tempfile.TemporaryDirectory() as name:
        plain = "[profiles.lookout.meter]\nfill_time = 2.0\n"
        profiles = MINDS.replace(plain, smell) if noses else MINDS
        path = crowd(Path(name), agents=agents, pieces=1000, profiles=profiles)
        simulation = snelk.Simulation(snelk.load(path))
    ticks = []
    for n in range(340):
        began = time.perf_counter()
        simulation.step()
        if n >= 40:  # everybody has set out once
            ticks.append(time.perf_counter() - began)
    return float(np.median(ticks)), max(ticks)


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
    for agents in (50, 200):
        median, longest = tick_of_minds(agents)
        write(
            f"{agents} agents with minds x {TARGETS} targets, 1,000 pieces: median "
            f"{median * 1e3:.2f} ms a tick, at most {longest * 1e3:.0f} ms\n"
        )
    without, noses = tick_of_minds(50)[0], tick_of_minds(50, noses=True)[0]
    write(
        f"50 agents with minds that smell each other's trails, 2,650 pairs: {noses * 1e3:.2f} ms, "
        f"{noses / without:.1f} times the same without noses\n"
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
    mill = snelk.load(snelk.mill() / "night.toml")
    snelk.run(mill)
    stepped = {}
    for name, scenario in (("croft", night), ("mill", mill)):
        stepped[name] = np.inf
        for _ in range(7):
            simulation = snelk.Simulation(scenario)
            began = time.perf_counter()
            simulation.advance(len(simulation.times))
            stepped[name] = min(stepped[name], time.perf_counter() - began)
    write(
        f"the mill, with doors and clues, stepped: {stepped['mill']:.3f} s, "
        f"{stepped['mill'] / stepped['croft']:.2f} times the croft\n"
    )
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
