"""Footsteps; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.senses.bodies import Poses
from snelk.senses.columns import NoiseColumns, PoseColumns, StepStageColumns
from snelk.senses.hearing import NO_GROUND, Noises
from snelk.senses.sight import EDGE
from snelk.senses.stage import StepStage

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.within import inside


@door
def make_steps(
    stage: StepStage, poses: Poses, before: Poses, t: float, start: int, steps: Noises
) -> int:
    """Each footstep where its stride ended, on the straight line since the last tick.

    Args:
        stage: How many strides ended; how far all have walked since is overwritten.
        poses: Everybody's poses.
        before: Everybody's poses a tick ago.
        t: The time of the tick, s.
        start: They are written from this row on, but for those that make no noise.
        steps: Overwritten.

    Returns:
        The row after the last.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _make_steps(
        laid_out(StepStageColumns, stage), laid_out(PoseColumns, poses),
        laid_out(PoseColumns, before), t, start, laid_out(NoiseColumns, steps),
    )  # fmt: skip
    if found < 0:
        raise ValueError("poses do not match the steps, or there is too little room for noises")
    return found


@door
def count_strides(stage: StepStage) -> int:
    """How many strides end at a tick; how far all have walked, and whose end, is overwritten."""
    return _count_strides(laid_out(StepStageColumns, stage))


def _count_strides(stage: StepStage) -> int:
    """How many strides end at a tick."""
    moved, found = stage.moved, 0
    for v in range(stage.stride.shape[0]):
        p = v if moved.shape[0] > 1 else 0
        for j in range(stage.stride.shape[1]):
            far = stage.walked[v, j] + moved[p, j] if moved[p, j] >= 0.0 else 0.0
            stage.walked[v, j] = far
            stage.ended[v, j] = cast(Py_ssize_t, far / stage.stride[v, j] + EDGE)
            found += stage.ended[v, j]
    return found


def _make_steps(
    stage: StepStage, poses: Poses, before: Poses, t: float, start: int, steps: Noises
) -> int:
    rows, characters, n = poses.x.shape[0], poses.x.shape[1], start
    same: bool = (
        rows == before.x.shape[0] == stage.moved.shape[0]
        and characters == before.x.shape[1] == stage.stride.shape[1]
    )
    if not same or start < 0:
        return -1
    for v in range(stage.stride.shape[0]):
        p = v if rows > 1 else 0
        for j in range(characters):
            if stage.ended[v, j] == 0:
                continue
            if n + stage.ended[v, j] > steps.t.shape[0]:
                return -1
            gait = before.gait[p, j]
            if gait < 0:
                speed = stage.moved[p, j] / stage.dt
                slow, fast = speed < stage.speeds[v, j, 0], speed > stage.speeds[v, j, 1]
                gait = 1 if slow else 3 if fast else 2
            begun = stage.walked[v, j] - stage.moved[p, j]
            for nth in range(1, stage.ended[v, j] + 1):
                share = min((nth * stage.stride[v, j] - begun) / stage.moved[p, j], 1.0)
                x = before.x[p, j] + share * (poses.x[p, j] - before.x[p, j])
                y = before.y[p, j] + share * (poses.y[p, j] - before.y[p, j])
                z = before.z[p, j] + share * (poses.z[p, j] - before.z[p, j])
                ground = NO_GROUND
                for zone in range(stage.zone_ground.shape[0]):
                    says = stage.zone_ground[zone] != NO_GROUND
                    if says and inside(stage.zones, zone, x, y, z):
                        ground = stage.zone_ground[zone]
                reach = stage.reaches[v, j, gait]
                if ground != NO_GROUND:
                    reach *= stage.loudness[v, ground]
                if not reach > 0.0:
                    continue
                steps.variant[n], steps.by[n] = v, j
                steps.kind[n], steps.noise[n], steps.listed[n] = 0, -1, -1
                steps.t[n] = t + (share - 1.0) * stage.dt
                steps.x[n], steps.y[n] = x, y
                steps.z[n] = z
                steps.gait[n], steps.ground[n], steps.reach[n] = gait, ground, reach
                n += 1
            stage.walked[v, j] -= stage.ended[v, j] * stage.stride[v, j]
    return n


@door
def put_in_order(
    made: Noises,
    count: int,
    order: NDArray[np.int64],
    numbered: NDArray[np.int64],
    noises: Noises,
) -> None:
    """The noises of a tick by variant, those of one in the order of time, with their numbers.

    Args:
        made: The noises.
        count: How many there are.
        order: (noise,) overwritten.
        numbered: (variant,) how many noises each has had; overwritten.
        noises: Overwritten.
    """
    agree((0 <= count <= min(len(plain(made).t), len(plain(noises).t), len(order)),), (True,))
    _put_in_order(
        laid_out(NoiseColumns, made), count, order, numbered, laid_out(NoiseColumns, noises)
    )


def _put_in_order(
    made: Noises,
    count: int,
    order: NDArray[np.int64],
    numbered: NDArray[np.int64],
    noises: Noises,
) -> None:
    for n in range(count):  # they come nearly in order
        v, t, at = made.variant[n], made.t[n], n
        while at > 0 and _comes_after(made, order[at - 1], v, t):
            order[at] = order[at - 1]
            at -= 1
        order[at] = n
    for n in range(count):
        _copy(made, order[n], noises, n)
        v = noises.variant[n]
        noises.noise[n] = numbered[v]
        numbered[v] += 1


def _comes_after(made: Noises, n: int, v: int, t: float) -> bool:
    """Whether a noise comes after those of a variant and a time."""
    if made.variant[n] != v:
        return bool(made.variant[n] > v)
    return bool(made.t[n] > t)


def _copy(made: Noises, m: int, noises: Noises, n: int) -> None:
    noises.variant[n], noises.noise[n] = made.variant[m], made.noise[m]
    noises.t[n], noises.kind[n], noises.gait[n] = made.t[m], made.kind[m], made.gait[m]
    noises.ground[n], noises.reach[n] = made.ground[m], made.reach[m]
    noises.x[n], noises.y[n], noises.z[n] = made.x[m], made.y[m], made.z[m]
    noises.by[n], noises.listed[n] = made.by[m], made.listed[m]


def append(
    noises: Noises,
    made_at: NDArray[np.int64],
    end: int,
    more: Noises,
    more_at: NDArray[np.int64],
    count: int,
    start: int,
) -> None:
    """Write some noises, and the ticks at which they were made, behind others.

    Args:
        noises: Overwritten from row `end` on; there is room.
        made_at: The same.
        end: The first row that is written.
        more: What is written; it may be the same noises, of which some are moved to the front.
        more_at: The same.
        count: The row of `more` after the last that is written.
        start: The first.
    """
    for n in range(start, count):
        _copy(more, n, noises, end + n - start)
        made_at[end + n - start] = more_at[n]
