"""One tick of focus, decisions and activities; compiled, see `snelk.level.columns`.

What only a few agents need at a few ticks is done in Python between these loops.
"""

from __future__ import annotations

import numpy as np
from cython import compiled
from numpy.typing import NDArray

from snelk.body.paces import STUCK_AFTER, Moving
from snelk.body.stage import NOT_YET, BodyStage
from snelk.mind.signals import Signals
from snelk.mind.stage import DISAGREE
from snelk.senses.bodies import Poses

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.agreeing import agrees
    from snelk.body.asking import _ask
    from snelk.body.moving import _follow, _left, _move, _nearness
    from snelk.body.timing import _who_catches, _who_glances, _who_thinks
    from snelk.mind.attending import _attend

SLACK = 1e-9
"""Times this close are the same, s."""


def _perceive(
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    ignored: NDArray[np.bool_],
    tick: int,
    counts: bool,
) -> bool:
    """Update characters moved from outside, choose focuses, compute signals.

    `counts` is whether this movement counts as walked: not at the first tick. False if these arrays
    do not match.
    """
    variants, agents, targets = ignored.shape[0], ignored.shape[1], ignored.shape[2]
    rows = poses.x.shape[0]
    same: bool = (
        agrees(stage, moving)
        and variants == stage.stuck.shape[0]
        and agents == stage.stuck.shape[1]
        and targets == stage.loudness.shape[2] == poses.x.shape[1]
        and rows == stage.surroundings.speed.shape[0]
        and (rows == 1 or rows == variants)
    )
    if not same:
        return False
    if stage.any_tracked:
        _follow(moving, poses, stage.characters, stage.floors, stage.doing.goals, stage.dt, counts)
    _attend(
        poses, stage.sight.failed, stage.contacts, stage.loudness,
        stage.meters.value, stage.beliefs, ignored, stage.drawn.x, stage.drawn.y, stage.drawn.z,
        stage.drawn.meter, stage.drawn.heard, stage.focus_numbers, stage.dt, tick,
        stage.attended,
    )  # fmt: skip
    _tell_what_came(stage, stage.signals, moving)
    _ask(
        poses, stage.bodies, stage.characters, stage.surroundings.speed, stage.light,
        stage.sight.exposure, stage.meters.value, stage.told, stage.told_rank, stage.drawn,
        stage.attended, moving, stage.standing, stage.zones, stage.dt, stage.sees_me,
        stage.signals,
    )  # fmt: skip
    return True


def _tell_what_came(stage: BodyStage, signals: Signals, moving: Moving) -> None:
    """Signals about what has come of activities, of catching and of paths."""
    for v in range(signals.done.shape[0]):
        for a in range(signals.done.shape[1]):
            signals.done[v, a] = stage.doing.done[v, a]
            signals.failed[v, a] = stage.doing.failed[v, a]
            signals.search_done[v, a] = stage.search_done[v, a]
            signals.caught[v, a] = stage.has_caught[v, a]
            signals.was_caught[v, a] = stage.was_caught[v, a]
            signals.seen_to[v, a] = stage.has_seen_to[v, a]
            _close, arrived, unreachable = _nearness(moving, stage.dt, v, a)
            signals.arrived[v, a], signals.unreachable[v, a] = arrived, unreachable


def _come_to(
    stage: BodyStage, poses: Poses, moving: Moving, tick: int, time: float, waits: bool
) -> int:
    """Find who catches whom, and count agents that decide or are at the end of their path.

    NOT_YET if something is to be done before: that is to be asked with `_think_on` then.
    """
    if stage.catches:
        rows = poses.x.shape[0]
        same: bool = (rows == 1 or rows == stage.stuck.shape[0]) and (
            poses.x.shape[1] == stage.loudness.shape[2]
        )
        if not same:
            return DISAGREE
        found = _who_catches(
            poses, stage.bodies, stage.attended, stage.focus_numbers, stage.ladders,
            stage.timing, stage.reach, stage.caught,
        )  # fmt: skip
        waits = waits or found > 0
    return NOT_YET if waits else _think_on(stage, moving, tick, time)


def _think_on(stage: BodyStage, moving: Moving, tick: int, time: float) -> int:
    """Count the agents that decide, or are at the end of their path."""
    if not agrees(stage, moving):
        return DISAGREE
    return _who_thinks(moving, stage.ladders, tick, time, stage.timing)


def _go_on(stage: BodyStage, moving: Moving, tick: int) -> int:
    """Find who must not move and where all look, and move them; return how many became stuck.

    NOT_YET if somebody begins to glance: they are to be moved with `_move_on` then.
    """
    if not agrees(stage, moving):
        return DISAGREE
    found = _who_glances(
        moving, stage.ladders, stage.ladders.since, stage.signals, stage.sees_me, tick, stage.dt,
        stage.timing,
    )  # fmt: skip
    if stage.any_speeds:
        _pace_by_distance(stage, moving)
    return NOT_YET if found > 0 else _move_on(stage, moving)


def _pace_by_distance(stage: BodyStage, moving: Moving) -> None:
    """Speeds by remaining distance: linear between points, level beyond the ends."""
    for v in range(stage.stuck.shape[0]):
        for a in range(stage.stuck.shape[1]):
            state = max(stage.standing.state[v, a], 0)
            first, last = stage.speed_first[v, a, state], stage.speed_last[v, a, state] - 1
            if last < first or not moving.on_way[v, a] or not stage.timing.used[v, a]:
                continue
            left = _left(moving, v, a)
            n = first
            while n < last and left > stage.speeds[n + 1, 0]:
                n += 1
            pace = stage.speeds[n, 1]
            if n < last and left > stage.speeds[n, 0]:
                slope = stage.speeds[n + 1, 1] - pace
                slope = slope / (stage.speeds[n + 1, 0] - stage.speeds[n, 0])
                pace = slope * (left - stage.speeds[n, 0]) + pace
            moving.pace[v, a] = pace


def _move_on(stage: BodyStage, moving: Moving) -> int:
    """Move everybody; how many are stuck now that were not."""
    if not agrees(stage, moving):
        return DISAGREE
    found = 0
    _move(moving, stage.timing.state_for, stage.dt, stage.floors, stage.links)
    for v in range(stage.stuck.shape[0]):
        for a in range(stage.stuck.shape[1]):
            # Who is pushed back is known to be stuck after that: at the next tick.
            since = max(moving.stuck_for[v, a], moving.was_stuck[v, a])
            stuck = since >= STUCK_AFTER - SLACK
            newly = stuck and not stage.stuck[v, a]
            stage.stuck[v, a], stage.newly_stuck[v, a] = stuck, newly
            found += newly
    return found
