"""From recorded samples to the poses at every tick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Clock, Setup
from snelk.config.recordings import TrackData, end_of
from snelk.config.words import POSTURES
from snelk.engine.clock import times_of
from snelk.level.footing import follow_floors
from snelk.senses.bodies import Poses

if TYPE_CHECKING:
    from snelk.level.level import Level

SLACK = 1e-9
"""A tick this close to a track's end still counts as inside, s."""


def tick_times(clock: Clock, tracks: Mapping[str, TrackData]) -> NDArray[np.float64]:
    """Times of all ticks, s: `start + n * dt` up to the clock's or the last track's end."""
    count = int(np.floor((end_of(clock, tracks) - clock.start) / clock.dt + 1e-6)) + 1
    return times_of(clock, max(count, 1))


def replayed_poses(
    setups: Sequence[Setup],
    tracks: Mapping[str, TrackData],
    times: NDArray[np.float64],
    level: Level,
) -> Poses:
    """Everybody's poses at all ticks: arrays of (tick, variant or 1, character).

    Who stands, or was recorded in plan, stands on the floors of the level if it has any.

    Places and headings are interpolated between samples, headings along the shorter arc; a
    posture and a gait hold until the next sample. Outside its samples a tracked character is
    absent.
    """
    names = list(setups[0].cast)
    alike = all(
        setup.cast[name].z == first.z if name in tracks else setup.cast[name] == first
        for setup in setups[1:]
        for name, first in setups[0].cast.items()
    )
    shape = (len(times), 1 if alike else len(setups), len(names))
    x, y, z, heading = (np.zeros(shape) for _ in range(4))
    posture = np.zeros(shape, dtype=np.int8)
    gait = np.full(shape, -1, dtype=np.int8)
    present = np.ones(shape, dtype=np.bool_)
    for j, name in enumerate(names):
        track = tracks.get(name)
        if track is not None:
            for out, samples in (
                (x, track.x),
                (y, track.y),
                (z, track.z),
                (heading, track.heading),
            ):
                out[:, :, j] = np.interp(times, track.t, samples)[:, None]
            last = np.searchsorted(track.t, times + SLACK, side="right") - 1
            posture[:, :, j] = track.posture[np.maximum(last, 0)][:, None]
            gait[:, :, j] = track.gait[np.maximum(last, 0)][:, None]
            inside = (times >= track.t[0] - SLACK) & (times <= track.t[-1] + SLACK)
            there = inside & track.present[np.maximum(last, 0)]
            present[:, :, j] = there[:, None]
            for v in range(shape[1] if track.flat else 0):
                z[:, v, j] = on_floors(level, setups[v].cast[name].z, x[:, v, j], y[:, v, j])
            continue
        for v in range(shape[1]):
            member = setups[v].cast[name]
            if member.at is None:
                raise ValueError(f"{name} has neither a track nor a place to stand")
            x[:, v, j], y[:, v, j] = member.at
            z[:, v, j] = level.stands_at(*member.at, member.z)
            heading[:, v, j] = np.radians(member.facing)
            posture[:, v, j] = POSTURES.index(member.posture)
    return Poses(x, y, z, heading, posture, gait, present)


def on_floors(
    level: Level, first: float, x: NDArray[np.float64], y: NDArray[np.float64]
) -> NDArray[np.float64]:
    """(ticks,) height of a character recorded without heights, from a first height, m."""
    z = np.full(len(x), first)
    follow_floors(level.floors, np.ascontiguousarray(x), np.ascontiguousarray(y), z)
    return z


def track_heights(level: Level, track: TrackData, first: float) -> NDArray[np.float64]:
    """(samples,) how high somebody is as recorded, or on the floors from a first height on, m."""
    return on_floors(level, first, track.x, track.y) if track.flat else track.z
