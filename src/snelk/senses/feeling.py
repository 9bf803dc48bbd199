"""Touch and the zone sense at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import sqrt
from numpy.typing import NDArray

from snelk.level.grid import NO_WALL, Grid, Scratch
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.contact import (
    AWAKE,
    BY_TOUCH,
    BY_ZONE,
    CARES,
    FIRST_CONTACT,
    INSIDE,
    NO_ZONE,
    PRESENT,
    RADIUS,
    SENSED,
    WALL,
    ContactNumbers,
    Contacts,
)
from snelk.senses.sight import EDGE

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import cast_ray

NAN = float("nan")


def _feel(
    notices: NDArray[np.bool_],
    poses: Poses,
    bodies: Bodies,
    within: NDArray[np.bool_],
    numbers: ContactNumbers,
    awake: NDArray[np.float64],
    grid: Grid,
    scratch: Scratch,
    contacts: Contacts,
) -> None:
    agents, targets = contacts.touch.shape[1], contacts.touch.shape[2]
    for v in range(len(contacts.touch)):
        scratch.row[0] = v if len(scratch.opened) > 1 else 0
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            if not (numbers.feels[v, a] or numbers.watches[v, a]):
                continue
            i = numbers.characters[a]
            touch_awake = awake[FIRST_CONTACT + BY_TOUCH, v, a]
            zone_awake = awake[FIRST_CONTACT + BY_ZONE, v, a]
            height = bodies.height[v, i, poses.posture[p, i]]
            middle = poses.z[p, i] + 0.5 * height
            for j in range(targets):
                if not notices[v, a, j]:
                    continue
                contacts.distance[v, a, j] = NAN
                contacts.radius[v, a, j] = numbers.radius[v, a] * touch_awake
                contacts.touch[v, a, j], contacts.wall[v, a, j] = PRESENT, NO_WALL
                contacts.zone[v, a, j], contacts.zone_in[v, a, j] = PRESENT, NO_ZONE
                contacts.felt[v, a, j] = False
                contacts.fills[v, a, j, BY_TOUCH] = contacts.fills[v, a, j, BY_ZONE] = NAN
                if not (poses.present[p, i] and poses.present[p, j] and i != j):
                    continue
                dx, dy = poses.x[p, j] - poses.x[p, i], poses.y[p, j] - poses.y[p, i]
                other_height = bodies.height[v, j, poses.posture[p, j]]
                above = poses.z[p, j] - (poses.z[p, i] + height)
                below = poses.z[p, i] - (poses.z[p, j] + other_height)
                gap = max(above, below, 0.0)
                distance = sqrt(dx * dx + dy * dy + gap * gap)
                contacts.distance[v, a, j] = distance
                if not numbers.touch_cares[v, a, j]:
                    contacts.touch[v, a, j] = CARES
                elif touch_awake <= 0.0:
                    contacts.touch[v, a, j] = AWAKE
                elif distance > contacts.radius[v, a, j] + EDGE:
                    contacts.touch[v, a, j] = RADIUS
                else:
                    other = poses.z[p, j] + 0.5 * other_height
                    share, wall, _ = cast_ray(
                        grid,
                        scratch,
                        poses.x[p, i],
                        poses.y[p, i],
                        middle,
                        poses.x[p, j],
                        poses.y[p, j],
                        other,
                    )
                    contacts.wall[v, a, j] = wall
                    contacts.touch[v, a, j] = SENSED if share > 0.0 else WALL
                    if share > 0.0:
                        contacts.felt[v, a, j] = True
                        contacts.fills[v, a, j, BY_TOUCH] = numbers.rates[v, a, BY_TOUCH]
                for zone in range(within.shape[2] - 1, -1, -1):
                    if numbers.zones[v, a, zone] and within[p, j, zone]:
                        contacts.zone_in[v, a, j] = zone
                if not numbers.zone_cares[v, a, j]:
                    contacts.zone[v, a, j] = CARES
                elif zone_awake <= 0.0:
                    contacts.zone[v, a, j] = AWAKE
                elif contacts.zone_in[v, a, j] == NO_ZONE:
                    contacts.zone[v, a, j] = INSIDE
                else:
                    contacts.zone[v, a, j], contacts.felt[v, a, j] = SENSED, True
                    contacts.fills[v, a, j, BY_ZONE] = numbers.rates[v, a, BY_ZONE]
