"""Patrols: a route, from its nearest point; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import compiled
from cython.cimports.libc.math import isnan

from snelk.body.doing import KEEP_UP, NEVER, Doing
from snelk.body.paces import NEAR, Moving
from snelk.body.patrols import (
    HERE,
    HOME,
    LOOP,
    ONCE,
    START,
    WHERE_IT_IS,
    RoundStage,
)
from snelk.senses.bodies import Poses

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.moving import _stand, _want
    from snelk.level.lengths import hypot

NAN = float("nan")


def patrol(
    moving: Moving, stage: RoundStage, poses: Poses, state: int, v: int, a: int, doing: Doing
) -> float:
    """Go to the next corner, after a pause at this one; s until it decides again."""
    first = stage.first[v, a, state]
    count, about = stage.last[v, a, state] - first, stage.about[v, a, state]
    if count > 0 and (about >= 0 or (about != WHERE_IT_IS and not stage.begun[v, a])):
        x, y, z = _centre(moving, stage, poses, about, v, a)
        doing.failed[v, a] = isnan(x)
        if isnan(x):
            _stand(moving, v, a)
            return KEEP_UP
        stage.shift[v, a, 0] = x - stage.corners[first, 0]
        stage.shift[v, a, 1] = y - stage.corners[first, 1]
        stage.shift[v, a, 2] = z - stage.corners[first, 2]
    if count == 0 or doing.done[v, a]:
        _stand(moving, v, a)
        doing.failed[v, a], doing.done[v, a] = count == 0, count != 0
        return NEVER
    if not stage.begun[v, a]:
        stage.begun[v, a] = True
        return _begin(moving, stage, state, v, a, doing)
    if moving.no_way[v, a]:
        doing.failed[v, a] = True
        return NEVER
    if not moving.at_end[v, a] and not stage.pausing[v, a]:
        return _walk(moving, stage, state, v, a, doing)
    if stage.pause[v, a, state] > 0.0 and not stage.pausing[v, a]:
        stage.pausing[v, a] = True
        return float(stage.pause[v, a, state])
    stage.pausing[v, a] = False
    _advance(stage, state, v, a, doing)
    return NEVER if doing.done[v, a] else _walk(moving, stage, state, v, a, doing)


def _centre(
    moving: Moving, stage: RoundStage, poses: Poses, about: int, v: int, a: int
) -> tuple[float, float, float]:
    """The position of a route's first corner; NaN if the character it follows is absent."""
    x, y, z = NAN, NAN, NAN
    if about >= 0:
        p = v if poses.x.shape[0] > 1 else 0
        if poses.present[p, about]:
            x, y, z = poses.x[p, about], poses.y[p, about], poses.z[p, about]
        return x, y, z
    if about == HOME:
        x, y, z = stage.home[v, a, 0], stage.home[v, a, 1], stage.home[v, a, 2]
    elif about == START:
        x, y, z = stage.start[v, a, 0], stage.start[v, a, 1], stage.start[v, a, 2]
    elif about == HERE:
        x, y, z = stage.entered[v, a, 0], stage.entered[v, a, 1], stage.entered[v, a, 2]
    if isnan(x):
        x, y = moving.x[v, a], moving.y[v, a]
    if isnan(z):
        z = moving.z[v, a]
    return x, y, z


def _corner(stage: RoundStage, state: int, v: int, a: int, n: int) -> tuple[float, float, float]:
    """Corner n of a route, as it is moved."""
    row = stage.first[v, a, state] + n
    return (
        stage.corners[row, 0] + stage.shift[v, a, 0],
        stage.corners[row, 1] + stage.shift[v, a, 1],
        stage.corners[row, 2] + stage.shift[v, a, 2],
    )


def _begin(moving: Moving, stage: RoundStage, state: int, v: int, a: int, doing: Doing) -> float:
    """To the nearest point of the route, and from there on to the corner after it."""
    count, x, y = stage.last[v, a, state] - stage.first[v, a, state], moving.x[v, a], moving.y[v, a]
    up = moving.z[v, a] if stage.heights else 0.0
    best, least, best_share, best_x, best_y, best_z = 0, -1.0, 0.0, 0.0, 0.0, 0.0
    if count == 1 or stage.about[v, a, state] >= 0:
        for n in range(count):
            px, py, pz = _corner(stage, state, v, a, n)
            away = hypot(hypot(px - x, py - y), pz - up if stage.heights else 0.0)
            if least < 0.0 or away < least - NEAR:
                best, least = n, away
        stage.at[v, a] = best
        return _walk(moving, stage, state, v, a, doing)
    loop = stage.order[v, a, state] == LOOP
    for n in range(count if loop else count - 1):
        px, py, pz = _corner(stage, state, v, a, n)
        to_x, to_y, to_z = _corner(stage, state, v, a, (n + 1) % count)
        dx, dy, dz = to_x - px, to_y - py, to_z - pz
        if not stage.heights:  # on ground without floors heights do not count
            pz, dz = 0.0, 0.0
        along = (x - px) * dx + (y - py) * dy + (up - pz) * dz
        share = along / max(dx * dx + dy * dy + dz * dz, 1e-12)
        share = min(max(share, 0.0), 1.0)
        px, py, pz = px + share * dx, py + share * dy, pz + share * dz
        away = hypot(hypot(px - x, py - y), pz - up)
        if least < 0.0 or away < least - NEAR:
            best, least, best_share, best_x, best_y, best_z = n, away, share, px, py, pz
    stage.at[v, a] = best if best_share <= NEAR else (best + 1) % count
    if least <= moving.arrive[v, a]:
        return _walk(moving, stage, state, v, a, doing)
    stage.at[v, a] -= stage.step[v, a]  # the corner that comes after where it joins the route
    _want(moving, v, a, best_x, best_y, best_z, 0.0, doing)
    stage.pausing[v, a] = doing.joins[v, a] = True  # no pause where it joins
    return NEVER


def _advance(stage: RoundStage, state: int, v: int, a: int, doing: Doing) -> None:
    """To the next corner."""
    count = stage.last[v, a, state] - stage.first[v, a, state]
    at, step = stage.at[v, a], stage.step[v, a]
    if stage.order[v, a, state] == LOOP:
        at = (at + 1) % count
    elif 0 <= at + step < count:
        at += step
    elif stage.order[v, a, state] == ONCE:
        doing.done[v, a] = True
    else:
        step = -step
        at = min(max(at + step, 0), count - 1)
    stage.at[v, a], stage.step[v, a] = at, step


def _walk(moving: Moving, stage: RoundStage, state: int, v: int, a: int, doing: Doing) -> float:
    """Walk to the corner."""
    doing.joins[v, a] = False
    x, y, z = _corner(stage, state, v, a, stage.at[v, a])
    _want(moving, v, a, x, y, z, 0.0, doing)
    return KEEP_UP if stage.about[v, a, state] >= 0 else NEVER
