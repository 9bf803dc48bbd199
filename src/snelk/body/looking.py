"""Which positions an agent has in view; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import atan2, fabs, isnan
from numpy.typing import NDArray

from snelk.body.columns import OutlookColumns
from snelk.body.outlook import Outlook
from snelk.level.columns import agree, door, laid_out, plain
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns
from snelk.senses.sight import EDGE, LINE_OF_SIGHT

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.body.moving import off_heading
    from snelk.level.casting import share_past
    from snelk.level.lengths import hypot
    from snelk.senses.seeing import gate_of_cone, is_too_dark, range_of
    from snelk.senses.shining import lamp_light
    from snelk.senses.surrounding import light_at

NAN = float("nan")


@door
def look_out(
    v: int,
    a: int,
    whom: int,
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
        whom: The character that would stand there, by the cones that notice it; -1 for any.
        tall: The character who is as tall.
        places: (places, 3), m.
        poses: Everybody's poses.
        outlook: What it looks with.
        found: (places,) filled.
    """
    shape = plain(plain(outlook).numbers).notices.shape
    agree((0 <= v < shape[0], 0 <= a < shape[1], 0 <= tall < shape[2]), (True, True, True))
    agree((-1 <= whom < shape[2],), (True,))
    agree(places.shape, (len(found), 3))
    agree(plain(poses).x.shape[1:], shape[2:])
    poses, outlook = laid_out(PoseColumns, poses), laid_out(OutlookColumns, outlook)
    look_at_all(v, a, whom, tall, places, poses, outlook, found)


def look_at_all(
    v: int,
    a: int,
    whom: int,
    tall: int,
    places: NDArray[np.float64],
    poses: Poses,
    outlook: Outlook,
    found: NDArray[np.bool_],
) -> None:
    """As `look_out`."""
    p = v if len(poses.x) > 1 else 0
    i = outlook.numbers.characters[a]
    x, y, z = poses.x[p, i], poses.y[p, i], poses.z[p, i]
    eye = z + outlook.bodies.eyes[v, i, poses.posture[p, i]]
    lamp = z + 0.5 * outlook.bodies.height[v, i, poses.posture[p, i]]
    half = 0.5 * outlook.bodies.height[v, tall, 0]
    outlook.scratch.row[0] = v if len(outlook.scratch.opened) > 1 else 0
    for n in range(len(places)):
        dx, dy, to_z = places[n, 0] - x, places[n, 1] - y, places[n, 2] + half
        across = hypot(dx, dy)
        away = hypot(across, to_z - eye)
        near, off, elevation, light = False, NAN, NAN, NAN
        for k in range(outlook.numbers.cones[v, a]):
            if near or (whom >= 0 and not outlook.numbers.cares[v, a, whom, k]):
                continue
            if outlook.limits.awake[v, a] <= 0.0 or away > range_of(outlook.limits, v, a, k, False):
                continue
            if isnan(off):
                off = 0.0
                if across > EDGE:  # who is at its own place is straight ahead
                    off = fabs(off_heading(atan2(dy, dx), poses.heading[p, i]))
                elevation = atan2(to_z - eye, across)
            if gate_of_cone(outlook.limits, v, a, k, False, away, off, elevation) != LINE_OF_SIGHT:
                continue
            if isnan(light):
                light = light_at(
                    outlook.around, outlook.zones, v, places[n, 0], places[n, 1], places[n, 2]
                )
                light += lamp_light(outlook.lamps, v, i, hypot(across, to_z - lamp))
            near = not is_too_dark(outlook.limits, v, a, k, min(light, 1.0))
        if near:
            share = share_past(
                outlook.grid, outlook.scratch, x, y, eye, places[n, 0], places[n, 1], to_z
            )
            near = share > 0.0
        found[n] = near
