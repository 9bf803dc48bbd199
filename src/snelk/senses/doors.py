"""The state of doors and lights, for the senses."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Door, Setup
from snelk.level.level import Level

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


def opened_at_first(setups: Sequence[Setup], level: Level) -> Truths:
    """(variant, wall) which doors stand open at first; one row where there are no doors."""
    if not level.is_door.any():
        return np.zeros((1, len(level.wall_names)), dtype=np.bool_)
    opened = np.zeros((len(setups), len(level.wall_names)), dtype=np.bool_)
    for wall in np.flatnonzero(level.is_door).tolist():
        for v, setup in enumerate(setups):
            opened[v, wall] = setup.doors.get(level.wall_names[wall], Door()).open
    return opened


def light_of_zones(setups: Sequence[Setup], level: Level) -> Numbers:
    """(variant, zone) light inside at first; NaN where a zone does not say."""
    found = np.tile(level.zone_light, (len(setups), 1))
    for n, (zone, _) in enumerate(level.data.zones):
        for v, setup in enumerate(setups):
            switch = setup.lights.get(zone.name)
            if switch is not None and not switch.lit:
                found[v, n] = switch.dark
    return found
