"""What an agent makes of places: could it be seen there, does it see them, can it walk there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.body.me import Me, Place

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
    ends = np.array([[*threat, eye]]), np.array([[*place, middle]])
    share, _, _ = world.level.rays.cast(*ends)
    return bool(share[0] > 0.0)


def looks_at(me: Me, places: Numbers, target: int | None = None) -> Truths:
    """Which places, (places, 2), it has in view now, well enough to see somebody there.

    Somebody would be as tall as the target, by number, or the focus; of light the zone's and its
    own lamp's count.
    """
    world, v, a = me.world, me.v, me.a
    poses, numbers, i = world.senses.poses, world.numbers, world.characters[a]
    p = v if len(poses.x) > 1 else 0
    dx, dy = (places - (poses.x[p, i], poses.y[p, i])).T
    away = np.hypot(dx, dy)
    off = np.abs((np.arctan2(dy, dx) - poses.heading[p, i] + np.pi) % (2 * np.pi) - np.pi)
    light = _light_at(me, places, away)
    near = np.zeros(len(places), dtype=np.bool_)
    for k in range(int(numbers.cones[v, a])):
        reach = numbers.range[v, a, k] * numbers.awake[v, a]
        lit = light >= numbers.min_light[v, a, k] - 1e-9
        near |= (away <= reach) & (off <= numbers.half_fov[v, a, k]) & lit
    seen = np.flatnonzero(near)
    eye = poses.z[p, i] + world.bodies.eyes[v, i, poses.posture[p, i]]
    start = np.tile([poses.x[p, i], poses.y[p, i], eye], (len(seen), 1))
    focus = int(world.attention.focus[v, a]) if target is None else target
    middle = poses.z[p, i] + 0.5 * world.bodies.height[v, focus if focus >= 0 else i, 0]
    end = np.column_stack([places[seen], np.full(len(seen), middle)])
    share, _, _ = world.level.rays.cast(start, end)
    near[seen] = share > 0.0
    return near


def _light_at(me: Me, places: Numbers, away: Numbers) -> Numbers:
    """The light at places so far away, m."""
    setup, level = me.world.setups[me.v], me.world.level
    light = np.full(len(places), setup.light)
    for zone, _ in level.data.zones:
        if zone.light is not None:
            light[level.within(zone.name, places[:, 0], places[:, 1])] = zone.light
    lamp = setup.cast[me.name].lamp
    if lamp is not None:
        light += lamp.light * np.clip(1.0 - away / lamp.reach, 0.0, 1.0)
    lit: Numbers = np.minimum(light, 1.0)
    return lit
