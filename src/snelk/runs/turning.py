"""Doors and lights at a time of a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from snelk.level.level import Level
    from snelk.runs.record import Record

TURNS = {"opened": "opened", "shut": "shut", "lit": "was lit", "darkened": "went dark"}
"""What becomes of doors and lights, as events and in words."""

AT_FIRST = "at first"
"""What caused a door or a light to be as it is at the beginning."""

SLACK = 1e-9
"""Times this close are the same, s."""


def turns_by(run: Record, tick: int) -> Iterator[tuple[str, str, float]]:
    """(new state, door or zone, time) of all changes of doors and lights."""
    time = run.times[tick]
    for row in run.rows("turns").each():
        # It holds from the next tick on.
        if row.cause != AT_FIRST and row.t < time - SLACK:
            yield row.to, row.of, row.t


def turns_of(run: Record) -> tuple[tuple[float, str, bool, bool], ...]:
    """(t, name, whether it is a door, whether it is open or lit) of all doors and lights."""
    return tuple(
        (t, name, to in ("open", "shut"), to in ("open", "lit"))
        for to, name, t in turns_by(run, len(run.times) - 1)
    )


def level_at(run: Record, tick: int) -> Level:
    """The level as it was at a tick: without doors that stood open, with lights as they were."""
    from snelk.senses.doors import light_of_zones, opened_at_first

    level, setup = run.level, run.setup
    if not (level.is_door.any() or setup.lights):
        return level
    opened = {level.wall_names[n] for n in np.flatnonzero(opened_at_first([setup], level)[0])}
    names = [zone.name for zone, _ in level.data.zones]
    light = dict(zip(names, light_of_zones([setup], level)[0].tolist(), strict=True))
    for to, name, _ in turns_by(run, tick):
        if to == "open":
            opened.add(name)
        elif to == "shut":
            opened.discard(name)
        else:
            own = float(level.zone_light[level.zone_index(name)])
            light[name] = own if to == "lit" else setup.lights[name].dark
    changed = {name: light[name] for name in setup.lights}
    return level.as_turned(frozenset(opened), tuple(sorted(changed.items())))


def since_when(run: Record, tick: int, door: str) -> float:
    """Since when a door has stood as it did at a tick, s; NaN if from the beginning."""
    found = [t for _, name, t in turns_by(run, tick) if name == door]
    return found[-1] if found else float("nan")
