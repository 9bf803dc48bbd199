"""Which positions an agent has in view; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import atan2, fabs
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, ZoneColumns, agree, door, laid_out, plain
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.level.zones import Zones
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    LightColumns,
    PoseColumns,
    SightLimitColumns,
    SightNumberColumns,
)
from snelk.senses.light import LightNumbers
from snelk.senses.sight import SightLimits, SightNumbers
from snelk.senses.surroundings import Around

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.body.moving import off_heading
    from snelk.level.casting import share_past
    from snelk.level.lengths import hypot
    from snelk.senses.shining import lamp_light
    from snelk.senses.surrounding import light_at

SLACK = 1e-9
"""Light this close to what is needed is enough."""


@door
def look_out(
    v: int,
    a: int,
    tall: int,
    places: NDArray[np.float64],
    poses: Poses,
    bodies: Bodies,
    numbers: SightNumbers,
    limits: SightLimits,
    around: Around,
    lamps: LightNumbers,
    zones: Zones,
    grid: Grid,
    scratch: Scratch,
    found: NDArray[np.bool_],
) -> None:
    """Which places an agent has in view, well enough to see somebody there.

    Args:
        v: Its variant.
        a: The agent.
        tall: The character that would stand there.
        places: (places, 3), m.
        poses: Everybody's poses.
        bodies: How tall everybody is.
        numbers: Everybody's sight.
        limits: The limits of everybody's cones.
        around: The light where zones say so, and where none does.
        lamps: Everybody's; of light the place's and its own lamp's count.
        zones: The zones of the level.
        grid: Its walls.
        scratch: Of the grid.
        found: (places,) filled.
    """
    shape = plain(numbers).notices.shape
    agree((0 <= v < shape[0], 0 <= a < shape[1], 0 <= tall < shape[2]), (True, True, True))
    agree(places.shape, (len(found), 3))
    agree(plain(lamps).lamp.shape, (shape[0], plain(poses).x.shape[1]), (shape[0], shape[2]))
    agree(plain(bodies).height.shape[:2], plain(lamps).lamp.shape)
    agree(plain(around).zone_background.shape, (len(plain(zones).circles),))
    agree(plain(around).light.shape, shape[:1])
    agree_scratch(scratch, grid, plain(numbers).notices.shape[0])
    look_at_all(
        v,
        a,
        tall,
        places,
        laid_out(PoseColumns, poses),
        laid_out(BodyColumns, bodies),
        laid_out(SightNumberColumns, numbers),
        laid_out(SightLimitColumns, limits),
        laid_out(AroundColumns, around),
        laid_out(LightColumns, lamps),
        laid_out(ZoneColumns, zones),
        laid_out(GridColumns, grid),
        scratch,
        found,
    )


def look_at_all(
    v: int,
    a: int,
    tall: int,
    places: NDArray[np.float64],
    poses: Poses,
    bodies: Bodies,
    numbers: SightNumbers,
    limits: SightLimits,
    around: Around,
    lamps: LightNumbers,
    zones: Zones,
    grid: Grid,
    scratch: Scratch,
    found: NDArray[np.bool_],
) -> None:
    """As `look_out`."""
    p = v if len(poses.x) > 1 else 0
    i = numbers.characters[a]
    x, y = poses.x[p, i], poses.y[p, i]
    eye = poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]]
    half = 0.5 * bodies.height[v, tall, 0]
    scratch.row[0] = v if len(scratch.opened) > 1 else 0
    for n in range(len(places)):
        dx, dy = places[n, 0] - x, places[n, 1] - y
        away = hypot(dx, dy)
        near, off, light = False, -1.0, -1.0
        for k in range(numbers.cones[v, a]):
            reach = limits.range[v, a, k] * limits.awake[v, a]
            if away > reach:
                continue
            if off < 0.0:
                off = fabs(off_heading(atan2(dy, dx), poses.heading[p, i]))
            if off <= limits.half_fov[v, a, k]:
                if light < 0.0:
                    light = light_at(around, zones, v, places[n, 0], places[n, 1], places[n, 2])
                    light = min(light + lamp_light(lamps, v, i, away), 1.0)
                near |= light >= limits.min_light[v, a, k] - SLACK
        if near:
            share = share_past(
                grid, scratch, x, y, eye, places[n, 0], places[n, 1], places[n, 2] + half
            )
            near = share > 0.0
        found[n] = near
