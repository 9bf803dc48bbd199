"""Whose turn it is to decide, to glance, to catch; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled
from cython.cimports.libc.math import floor
from numpy.typing import NDArray

from snelk.body.columns import MovingColumns, TimingColumns
from snelk.body.paces import AT_FOCUS, GLANCES, Moving
from snelk.body.standing import CAUGHT_ON, NEWLY, SLACK, Timing
from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import AttendedColumns, FocusNumberColumns, LadderColumns, SignalColumns
from snelk.mind.programs import LadderState
from snelk.mind.signals import Attended, FocusNumbers, Signals
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import BodyColumns, PoseColumns

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.lengths import hypot
    from snelk.mind.deciding import is_busy


@door
def who_thinks(moving: Moving, ladders: LadderState, tick: int, time: float, timing: Timing) -> int:
    """Agents whose time to decide has come or whose path is over, and their number.

    Args:
        moving: Everybody's ways.
        ladders: Everybody's alert states.
        tick: The index of the tick.
        time: Its time, s.
        timing: `due` and `at_end` are overwritten.
    """
    agree(plain(moving).x.shape, plain(ladders).busy_until.shape, plain(timing).due.shape)
    return _who_thinks(
        laid_out(MovingColumns, moving),
        laid_out(LadderColumns, ladders),
        tick,
        time,
        laid_out(TimingColumns, timing),
    )


@door
def who_glances(
    moving: Moving,
    ladders: LadderState,
    since: NDArray[np.int64],
    signals: Signals,
    sees_me: NDArray[np.bool_],
    tick: int,
    dt: float,
    timing: Timing,
) -> int:
    """Who must not move, where everybody looks, and whose next glance is due, and how many.

    Args:
        moving: Everybody's bodies; who must not move, and the place looked at, are overwritten.
        ladders: Everybody's alert states.
        since: (variant, agent) ticks since that was entered.
        signals: Where the focus is believed to be.
        sees_me: (variant, agent, watcher) which other agents have it in view.
        tick: The index of the tick.
        dt: Its length, s.
        timing: `fresh`, `glanced` and `state_for` are overwritten.
    """
    agree(plain(moving).x.shape, since.shape, plain(signals).seen.shape, plain(timing).due.shape)
    agree(sees_me.shape, plain(timing).freeze.shape[:2] + plain(timing).freeze.shape[3:])
    agree(plain(timing).due.shape, sees_me.shape[:2], plain(ladders).state.shape)
    return _who_glances(
        laid_out(MovingColumns, moving),
        laid_out(LadderColumns, ladders),
        since,
        laid_out(SignalColumns, signals),
        sees_me,
        tick,
        dt,
        laid_out(TimingColumns, timing),
    )


@door
def who_catches(
    poses: Poses,
    bodies: Bodies,
    now: Attended,
    numbers: FocusNumbers,
    ladders: LadderState,
    timing: Timing,
    reach: NDArray[np.float64],
    caught: NDArray[np.int8],
) -> int:
    """Which targets are within reach and in view, and how many of them were not a tick ago.

    Args:
        poses: Everybody's poses.
        bodies: How tall everybody is.
        now: What they have of their targets.
        numbers: Which targets they can catch.
        ladders: Everybody's alert states.
        timing: Who has one.
        reach: (variant, agent, state) how far they reach, m; NaN for who does not catch.
        caught: (variant, agent, target) CAUGHT_ON, NEWLY or 0; overwritten.
    """
    agree(plain(now).seen.shape, caught.shape, plain(numbers).may.shape)
    agree(caught.shape[:2], reach.shape[:2], plain(ladders).state.shape, plain(timing).used.shape)
    agree(caught.shape[2:], plain(poses).x.shape[1:], plain(bodies).height.shape[1:2])
    return _who_catches(
        laid_out(PoseColumns, poses),
        laid_out(BodyColumns, bodies),
        laid_out(AttendedColumns, now),
        laid_out(FocusNumberColumns, numbers),
        laid_out(LadderColumns, ladders),
        laid_out(TimingColumns, timing),
        reach,
        caught,
    )


def _who_thinks(
    moving: Moving, ladders: LadderState, tick: int, time: float, timing: Timing
) -> int:
    found = 0
    for v in range(len(moving.x)):
        for a in range(moving.x.shape[1]):
            timing.due[v, a] = timing.at_end[v, a] = False
            if not timing.used[v, a] or timing.ended[v]:
                continue
            at_end = moving.at_end[v, a] or moving.no_way[v, a]
            at_end = at_end and not timing.thought_there[v, a]
            timing.at_end[v, a] = at_end
            time_is_up = time >= timing.next_thought[v, a] - SLACK
            busy = is_busy(ladders, tick, v, a)
            due = (time_is_up or at_end) and not busy
            timing.due[v, a] = due
            found += due or at_end
    return found


def _who_glances(
    moving: Moving,
    ladders: LadderState,
    since: NDArray[np.int64],
    signals: Signals,
    sees_me: NDArray[np.bool_],
    tick: int,
    dt: float,
    timing: Timing,
) -> int:
    found = 0
    for v in range(len(moving.x)):
        for a in range(moving.x.shape[1]):
            state = max(ladders.state[v, a], 0)
            still = is_busy(ladders, tick, v, a)
            for watcher in range(sees_me.shape[2]):
                still |= sees_me[v, a, watcher] and timing.freeze[v, a, state, watcher]
            moving.still[v, a] = still
            if moving.look[v, a] == AT_FOCUS:
                moving.look_x[v, a] = signals.target_x[v, a]
                moving.look_y[v, a] = signals.target_y[v, a]
            state_for = max(since[v, a] - 1, 0) * dt
            timing.state_for[v, a] = state_for
            number = -1
            if moving.look[v, a] == GLANCES:
                number = cast(Py_ssize_t, floor(state_for / moving.period[v, a] + SLACK))
            fresh = number >= 0 and number != timing.glanced[v, a]
            timing.fresh[v, a], timing.glanced[v, a] = fresh, number
            found += fresh
    return found


def _who_catches(
    poses: Poses,
    bodies: Bodies,
    now: Attended,
    numbers: FocusNumbers,
    ladders: LadderState,
    timing: Timing,
    reach: NDArray[np.float64],
    caught: NDArray[np.int8],
) -> int:
    found = 0
    for v in range(len(caught)):
        p = v if len(poses.x) > 1 else 0
        for a in range(caught.shape[1]):
            i = numbers.characters[a]
            far = reach[v, a, max(ladders.state[v, a], 0)]
            low = poses.z[p, i]
            high = low + bodies.height[v, i, poses.posture[p, i]]
            for j in range(caught.shape[2]):
                near, there = False, poses.present[p, i] and poses.present[p, j]
                minds = there and numbers.may[v, a, j] and timing.used[v, a]
                if minds and (now.seen[v, a, j] or caught[v, a, j] != 0):
                    # Of bodies above one another the gap between them counts as well.
                    bottom = poses.z[p, j]
                    top = bottom + bodies.height[v, j, poses.posture[p, j]]
                    gap = max(bottom - high, low - top, 0.0)
                    dx, dy = poses.x[p, j] - poses.x[p, i], poses.y[p, j] - poses.y[p, i]
                    near = hypot(hypot(dx, dy), gap) <= far + SLACK
                is_new = near and caught[v, a, j] == 0  # then it is in view
                caught[v, a, j] = 0
                if near:
                    caught[v, a, j] = NEWLY if is_new else CAUGHT_ON
                found += is_new
    return found
