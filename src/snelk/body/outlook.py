"""What an agent makes of places: could it be seen there, does it see them, can it walk there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.body.looking import look_out
from snelk.body.me import Me
from snelk.body.scene import Place

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


def free_lines(me: Me, ends: Numbers) -> Truths:
    """Which places, (places, 2), it can walk to straight from where it is."""
    walker = me.walker
    free: Truths = walker.ways.clear(np.tile(me.place, (len(ends), 1)), ends)
    free &= walker.holds(ends)
    return free


def could_be_seen(me: Me, place: Place) -> bool:
    """Whether the focus, from where it was last known, could see the agent at a place.

    The ray goes from the focus's eyes, standing, to the middle of the agent's body.
    """
    world, v = me.world, me.v
    threat, focus = me.last_known, int(world.attention.focus[v, me.a])
    if threat is None or focus < 0:
        return False
    i, poses = world.characters[me.a], world.senses.poses
    p = v if len(poses.x) > 1 else 0
    eye = poses.z[p, focus] + world.bodies.eyes[v, focus, 0]
    posture = world.motion.posture[v, me.a]
    middle = poses.z[p, i] + 0.5 * world.bodies.height[v, i, posture]
    return world.level.rays.is_free((*threat, eye), (*place, middle))


def looks_at(me: Me, places: Numbers, target: int | None = None) -> Truths:
    """Which places, (places, 2), it has in view now, well enough to see somebody there.

    Somebody would be as tall as the target, by number, or the focus.
    """
    world = me.world
    focus = int(world.attention.focus[me.v, me.a]) if target is None else target
    tall = focus if focus >= 0 else int(world.characters[me.a])
    found = np.empty(len(places), dtype=np.bool_)
    where = np.ascontiguousarray(places)
    look_out(me.v, me.a, tall, where, world.senses.laid_poses, *world.outlook, found)
    return found
