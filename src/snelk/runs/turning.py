"""How doors stood and lights were at a time of a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from snelk.senses.doors import light_of_zones, opened_at_first

if TYPE_CHECKING:
    from snelk.level.level import Level
    from snelk.runs.record import Record

TURNS = {"opened": "opened", "shut": "shut", "lit": "was lit", "darkened": "went dark"}
"""What becomes of doors and lights, as events and in words."""

SLACK = 1e-9
"""Times this close are the same, s."""


def turns_by(run: Record, tick: int) -> Iterator[tuple[str, str, float]]:
    """(event, door or zone, when) of all that opened, shut, was lit or went dark by a tick."""
    if not (run.level.is_door.any() or run.setup.lights):
        return
    rows, time = run.rows("events"), run.times[tick]
    for kind, door, zone, t in zip(
        rows["kind"], rows["wall"], rows["zone"], rows["t"].tolist(), strict=True
    ):
        if kind in TURNS and t < time - SLACK:  # it holds from the next tick on
            yield kind, zone if kind in ("lit", "darkened") else door, t


def level_at(run: Record, tick: int) -> Level:
    """The level as it was at a tick: without doors that stood open, with lights as they were."""
    level, setup = run.level, run.setup
    if not (level.is_door.any() or setup.lights):
        return level
    opened = {level.wall_names[n] for n in np.flatnonzero(opened_at_first([setup], level)[0])}
    names = [zone.name for zone, _ in level.data.zones]
    light = dict(zip(names, light_of_zones([setup], level)[0].tolist(), strict=True))
    for kind, name, _ in turns_by(run, tick):
        if kind == "opened":
            opened.add(name)
        elif kind == "shut":
            opened.discard(name)
        else:
            own = float(level.zone_light[level.zone_index(name)])
            light[name] = own if kind == "lit" else setup.lights[name].dark
    changed = {name: light[name] for name in setup.lights}
    return level.as_turned(frozenset(opened), tuple(sorted(changed.items())))


def since_when(run: Record, tick: int, door: str) -> float:
    """Since when a door has stood as it did at a tick, s; NaN if from the beginning."""
    found = [t for _, name, t in turns_by(run, tick) if name == door]
    return found[-1] if found else float("nan")
