"""Zones, background and light at each character's position, at each tick; compiled."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import isnan, sqrt
from numpy.typing import NDArray

from snelk.level.columns import ZoneColumns, agree, door, laid_out, plain
from snelk.level.zones import Zones
from snelk.senses.bodies import Poses
from snelk.senses.columns import AroundColumns, PoseColumns, SurroundingColumns
from snelk.senses.surroundings import Around, Surroundings

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.within import inside


@door
def surround(
    poses: Poses,
    before: Poses,
    dt: float,
    zones: Zones,
    around: Around,
    whom: NDArray[np.int32],
    surroundings: Surroundings,
) -> None:
    """One tick; if several zones contain a position, the last in the file with the property counts.

    `before` are the poses a tick of `dt` seconds ago; `whom` are the characters it is asked of.
    """
    agree((bool((whom >= 0).all() and (whom < plain(poses).x.shape[1]).all()),), (True,))
    agree(
        plain(poses).x.shape,
        plain(before).x.shape,
        plain(surroundings).zones.shape[:2],
        plain(surroundings).moved.shape,
    )
    agree(
        plain(surroundings).zones.shape[2:],
        plain(around).zone_background.shape,
        (len(plain(zones).circles),),
    )
    agree(plain(surroundings).light.shape, (len(plain(around).light), plain(poses).x.shape[1]))
    _surround(
        laid_out(PoseColumns, poses),
        laid_out(PoseColumns, before),
        dt,
        laid_out(ZoneColumns, zones),
        laid_out(AroundColumns, around),
        whom,
        laid_out(SurroundingColumns, surroundings),
    )


def _surround(
    poses: Poses,
    before: Poses,
    dt: float,
    zones: Zones,
    around: Around,
    whom: NDArray[np.int32],
    surroundings: Surroundings,
) -> None:
    for p in range(len(poses.x)):
        for n in range(len(whom)):
            j = whom[n]
            for zone in range(len(around.zone_background)):
                within = inside(zones, zone, poses.x[p, j], poses.y[p, j], poses.z[p, j])
                surroundings.zones[p, j, zone] = within
            surroundings.speed[p, j], surroundings.moved[p, j] = 0.0, -1.0
            if poses.present[p, j] and before.present[p, j]:
                dx, dy = poses.x[p, j] - before.x[p, j], poses.y[p, j] - before.y[p, j]
                dz = poses.z[p, j] - before.z[p, j]
                surroundings.moved[p, j] = sqrt(dx * dx + dy * dy)
                surroundings.speed[p, j] = sqrt(dx * dx + dy * dy + dz * dz) / dt
    for v in range(len(surroundings.light)):
        p = v if len(poses.x) > 1 else 0
        for n in range(len(whom)):
            j = whom[n]
            background = around.background[v]
            for zone in range(len(around.zone_background)):
                says = not isnan(around.zone_background[zone])
                if says and surroundings.zones[p, j, zone]:
                    background = around.zone_background[zone]
            surroundings.background[v, j] = background
            surroundings.light[v, j] = light_at(
                around, zones, v, poses.x[p, j], poses.y[p, j], poses.z[p, j]
            )


def light_at(around: Around, zones: Zones, v: int, x: float, y: float, z: float) -> float:
    """The light of a position: the last zone in the file that contains it and has a light."""
    light: float = around.light[v]
    for zone in range(len(around.zone_background)):
        if not isnan(around.zone_light[v, zone]) and inside(zones, zone, x, y, z):
            light = around.zone_light[v, zone]
    return light
