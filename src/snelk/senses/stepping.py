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
    steps: Noises,
) -> None:
    """Each step where its stride ended, on the way in a straight line since the tick before."""
    agree(stride.shape, walked.shape, ended.shape, reaches.shape[:2], speeds.shape[:2])
    agree(plain(poses).x.shape, plain(before).x.shape, (len(moved), stride.shape[1]))
    agree(zone_ground.shape, (len(plain(zones).circles),))
    agree(plain(steps).t.shape, (int(ended.sum()),))
    _make_steps(
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
    steps: Noises,
) -> None:
    with nogil:
        n = 0
        for v in range(len(stride)):
            p = v if len(poses.x) > 1 else 0
            for j in range(stride.shape[1]):
                if ended[v, j] == 0:
                    continue
                gait = before.gait[p, j]
                if gait < 0:
                    speed = moved[p, j] / dt
                    gait = 1 if speed < speeds[v, j, 0] else 3 if speed > speeds[v, j, 1] else 2
                start = walked[v, j] - moved[p, j]
                for nth in range(1, ended[v, j] + 1):
                    share = (nth * stride[v, j] - start) / moved[p, j]
                    x = before.x[p, j] + share * (poses.x[p, j] - before.x[p, j])
                    y = before.y[p, j] + share * (poses.y[p, j] - before.y[p, j])
                    ground = NO_GROUND
                    for zone in range(len(zone_ground)):
                        if zone_ground[zone] != NO_GROUND and inside(zones, zone, x, y):
                            ground = zone_ground[zone]
                    reach = reaches[v, j, gait]
                    steps.variant[n], steps.by[n] = v, j
                    steps.t[n] = t + (share - 1.0) * dt
                    steps.x[n], steps.y[n] = x, y
                    steps.z[n] = before.z[p, j] + share * (poses.z[p, j] - before.z[p, j])
                    steps.gait[n], steps.ground[n] = gait, ground
                    steps.reach[n] = reach if ground == NO_GROUND else reach * loudness[v, ground]
                    n += 1
                walked[v, j] -= ended[v, j] * stride[v, j]
