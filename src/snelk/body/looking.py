"""Which positions an agent has in view; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import atan2, fabs
from numpy.typing import NDArray

from snelk.body.columns import OutlookColumns
from snelk.body.outlook import Outlook
from snelk.level.columns import agree, door, laid_out, plain
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns

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
    outlook: Outlook,
    found: NDArray[np.bool_],
) -> None:
    """Which places an agent has in view, well enough to see somebody there.

    Args:
        v: Its variant.
        a: The agent.
        tall: The character that would stand there.
        places: (places, 3), m.
        poses: Everybody's poses.
        outlook: What it looks with.
        found: (places,) filled.
    """
    shape = plain(plain(outlook).numbers).notices.shape
    agree((0 <= v < shape[0], 0 <= a < shape[1], 0 <= tall < shape[2]), (True, True, True))
    agree(places.shape, (len(found), 3))
    agree(plain(poses).x.shape[1:], shape[2:])
    poses, outlook = laid_out(PoseColumns, poses), laid_out(OutlookColumns, outlook)
    look_at_all(v, a, tall, places, poses, outlook, found)


def look_at_all(
    v: int,
    a: int,
    tall: int,
    places: NDArray[np.float64],
    poses: Poses,
    outlook: Outlook,
    found: NDArray[np.bool_],
) -> None:
    """As `look_out`."""
    p = v if len(poses.x) > 1 else 0
    i = outlook.numbers.characters[a]
    x, y = poses.x[p, i], poses.y[p, i]
    eye = poses.z[p, i] + outlook.bodies.eyes[v, i, poses.posture[p, i]]
    half = 0.5 * outlook.bodies.height[v, tall, 0]
    outlook.scratch.row[0] = v if len(outlook.scratch.opened) > 1 else 0
    for n in range(len(places)):
        dx, dy = places[n, 0] - x, places[n, 1] - y
        away = hypot(dx, dy)
        near, off, light = False, -1.0, -1.0
        for k in range(outlook.numbers.cones[v, a]):
            reach = outlook.limits.range[v, a, k] * outlook.limits.awake[v, a]
            if away > reach:
                continue
            if off < 0.0:
                off = fabs(off_heading(atan2(dy, dx), poses.heading[p, i]))
            if off <= outlook.limits.half_fov[v, a, k]:
                if light < 0.0:
                    light = light_at(
                        outlook.around, outlook.zones, v, places[n, 0], places[n, 1], places[n, 2]
                    )
                    light = min(light + lamp_light(outlook.lamps, v, i, away), 1.0)
                near |= light >= outlook.limits.min_light[v, a, k] - SLACK
        if near:
            share = share_past(
                outlook.grid, outlook.scratch, x, y, eye,
                places[n, 0], places[n, 1], places[n, 2] + half,
            )  # fmt: skip
            near = share > 0.0
        found[n] = near
