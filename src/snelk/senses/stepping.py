"""The footsteps of whoever moves: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled, nogil
from numpy.typing import NDArray

from snelk.level.columns import ZoneColumns, agree, door, laid_out, plain
from snelk.level.zones import Zones
from snelk.senses.bodies import Poses
from snelk.senses.columns import NoiseColumns, PoseColumns
from snelk.senses.hearing import NO_GROUND, Noises

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.within import inside


@door
def count_strides(
    moved: NDArray[np.float64],
    stride: NDArray[np.float64],
    walked: NDArray[np.float64],
    ended: NDArray[np.int64],
) -> int:
    """How many strides end at a tick.

    Args:
        moved: (variant or 1, character) how far everybody went, m; negative for who was not there.
        stride: (variant, character), m.
        walked: (variant, character) since the last stride ended, m; overwritten.
        ended: (variant, character) how many of theirs; overwritten.
    """
    agree(stride.shape, walked.shape, ended.shape, (len(stride), moved.shape[1]))
    return _count_strides(moved, stride, walked, ended)


@door
def make_steps(
    poses: Poses,
    before: Poses,
    t: float,
    dt: float,
    stride: NDArray[np.float64],
    reaches: NDArray[np.float64],
    speeds: NDArray[np.float64],
    zones: Zones,
    zone_ground: NDArray[np.int64],
    loudness: NDArray[np.float64],
    walked: NDArray[np.float64],
    moved: NDArray[np.float64],
    ended: NDArray[np.int64],
    start: int,
    steps: Noises,
) -> int:
    """Each step where its stride ended, on the way in a straight line since the tick before.

    They are written to `steps` from row `start` on, but for those that make no noise; returned is
    the row after the last.
    """
    agree(stride.shape, walked.shape, ended.shape, reaches.shape[:2], speeds.shape[:2])
    agree(plain(poses).x.shape, plain(before).x.shape, (len(moved), stride.shape[1]))
    agree(zone_ground.shape, (len(plain(zones).circles),))
    agree((0 <= start <= len(plain(steps).t) - int(ended.sum()),), (True,))
    return _make_steps(
        laid_out(PoseColumns, poses),
        laid_out(PoseColumns, before),
        t,
        dt,
        stride,
        reaches,
        speeds,
        laid_out(ZoneColumns, zones),
        zone_ground,
        loudness,
        walked,
        moved,
        ended,
        start,
        laid_out(NoiseColumns, steps),
    )


def _count_strides(
    moved: NDArray[np.float64],
    stride: NDArray[np.float64],
    walked: NDArray[np.float64],
    ended: NDArray[np.int64],
) -> int:
    found = 0
    with nogil:
        for v in range(len(stride)):
            p = v if len(moved) > 1 else 0
            for j in range(stride.shape[1]):
                far = walked[v, j] + moved[p, j] if moved[p, j] >= 0.0 else 0.0
                walked[v, j] = far
                ended[v, j] = cast(Py_ssize_t, far / stride[v, j])
                found += ended[v, j]
    return found


def _make_steps(
    poses: Poses,
    before: Poses,
    t: float,
    dt: float,
    stride: NDArray[np.float64],
    reaches: NDArray[np.float64],
    speeds: NDArray[np.float64],
    zones: Zones,
    zone_ground: NDArray[np.int64],
    loudness: NDArray[np.float64],
    walked: NDArray[np.float64],
    moved: NDArray[np.float64],
    ended: NDArray[np.int64],
    start: int,
    steps: Noises,
) -> int:
    n = start
    with nogil:
        for v in range(len(stride)):
            p = v if len(poses.x) > 1 else 0
            for j in range(stride.shape[1]):
                if ended[v, j] == 0:
                    continue
                gait = before.gait[p, j]
                if gait < 0:
                    speed = moved[p, j] / dt
                    gait = 1 if speed < speeds[v, j, 0] else 3 if speed > speeds[v, j, 1] else 2
                begun = walked[v, j] - moved[p, j]
                for nth in range(1, ended[v, j] + 1):
                    share = (nth * stride[v, j] - begun) / moved[p, j]
                    x = before.x[p, j] + share * (poses.x[p, j] - before.x[p, j])
                    y = before.y[p, j] + share * (poses.y[p, j] - before.y[p, j])
                    ground = NO_GROUND
                    for zone in range(len(zone_ground)):
                        if zone_ground[zone] != NO_GROUND and inside(zones, zone, x, y):
                            ground = zone_ground[zone]
                    reach = reaches[v, j, gait]
                    if ground != NO_GROUND:
                        reach *= loudness[v, ground]
                    if not reach > 0.0:
                        continue
                    steps.variant[n], steps.by[n] = v, j
                    steps.kind[n], steps.number[n], steps.listed[n] = 0, -1, -1
                    steps.t[n] = t + (share - 1.0) * dt
                    steps.x[n], steps.y[n] = x, y
                    steps.z[n] = before.z[p, j] + share * (poses.z[p, j] - before.z[p, j])
                    steps.gait[n], steps.ground[n] = gait, ground
                    steps.reach[n] = reach
                    n += 1
                walked[v, j] -= ended[v, j] * stride[v, j]
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
    with nogil:
        for n in range(count):  # they come nearly in order
            v, t, at = made.variant[n], made.t[n], n
            while at > 0 and _comes_after(made, order[at - 1], v, t):
                order[at] = order[at - 1]
                at -= 1
            order[at] = n
        for n in range(count):
            m = order[n]
            v = made.variant[m]
            noises.variant[n], noises.number[n] = v, numbered[v]
            numbered[v] += 1
            noises.t[n], noises.kind[n], noises.gait[n] = made.t[m], made.kind[m], made.gait[m]
            noises.ground[n], noises.reach[n] = made.ground[m], made.reach[m]
            noises.x[n], noises.y[n], noises.z[n] = made.x[m], made.y[m], made.z[m]
            noises.by[n], noises.listed[n] = made.by[m], made.listed[m]


def _comes_after(made: Noises, n: int, v: int, t: float) -> bool:
    """Whether a noise comes after those of a variant and a time."""
    if made.variant[n] != v:
        return bool(made.variant[n] > v)
    return bool(made.t[n] > t)
