"""Thrown objects: their arc, and where and when they land.

Of the arcs that a speed limit allows, three are tried, the lowest first: the flat one at full
speed, the middle one that needs the least speed, and the high one at full speed. The first that
meets no wall is flown. The angles are those of a throw without air (any textbook of mechanics;
the least speed is that of the parabola of safety).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.config.recordings import ThrowData
from snelk.level.grid import NO_WALL
from snelk.level.level import Level
from snelk.level.rays import cast_rays
from snelk.senses.bodies import Bodies, Poses

GRAVITY = 9.80665
"""Standard gravity, m/s² (CGPM 1901)."""

ARCS = ("flat", "middle", "high")
CHORDS = 48
"""Straight pieces in which an arc is held against the walls."""

SLACK = 1e-9


class Arc(NamedTuple):
    """The arc of a throw.

    `angle` is above the horizontal, rad; `speed` in m/s at the start; `flight` in s.
    """

    name: str
    speed: float
    angle: float
    flight: float


class Flight(NamedTuple):
    """The result of one throw."""

    variant: int
    t: float
    by: int
    kind: str
    arc: Arc | None
    reason: str  # too_far, walls or absent; empty if it flew
    wall: int  # that the lowest arc met, or NO_WALL
    start: tuple[float, float, float]
    end: tuple[float, float, float]
    reach: float
    listed: int  # its place in the scenario's list, or -1 if it is from a file


def arcs_to(distance: float, rise: float, limit: float) -> list[Arc]:
    """The arcs to a place so far away and so much higher, m, under a limit of speed, m/s.

    They come lowest first; none if the limit is too low.

    >>> [(arc.name, round(float(np.degrees(arc.angle)))) for arc in arcs_to(5.0, 0.0, 10.0)]
    [('flat', 15), ('middle', 45), ('high', 75)]
    """
    distance = max(distance, 1e-6)
    slope = np.hypot(rise, distance)
    least = np.sqrt(GRAVITY * (rise + slope))
    if limit < least - SLACK:
        return []
    under = max(limit**4 - GRAVITY * (GRAVITY * distance**2 + 2.0 * rise * limit**2), 0.0)
    found = []
    for name, speed, tangent in (
        ("flat", limit, (limit**2 - np.sqrt(under)) / (GRAVITY * distance)),
        ("middle", least, (rise + slope) / distance),
        ("high", limit, (limit**2 + np.sqrt(under)) / (GRAVITY * distance)),
    ):
        angle = float(np.arctan(tangent))
        flight = distance / (speed * np.cos(angle))
        found.append(Arc(name, float(speed), angle, float(flight)))
    return found


def points_of(
    arc: Arc, start: tuple[float, float, float], end: tuple[float, float, float], pieces: int
) -> NDArray[np.float64]:
    """(pieces + 1, 3) places along an arc, m, evenly in time."""
    t = np.linspace(0.0, arc.flight, pieces + 1)
    share = t / arc.flight
    x, y = (start[n] + share * (end[n] - start[n]) for n in (0, 1))
    z = start[2] + arc.speed * np.sin(arc.angle) * t - 0.5 * GRAVITY * t**2
    return np.column_stack([x, y, z])


class Thrower:
    """Carries out throws.

    Attributes:
        flights: What became of the throws of the last tick.
        kinds: (variant,) the kinds of noise that landings make.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        recorded: ThrowData,
        level: Level,
        bodies: Bodies,
        times: NDArray[np.float64],
        opened: NDArray[np.bool_],
    ) -> None:
        self.setups, self.level, self.bodies, self.opened = setups, level, bodies, opened
        self.names = list(setups[0].cast)
        self.flights: list[Flight] = []
        spots = dict(zip(level.spot_names, level.spot_places.tolist(), strict=True))
        rows: list[tuple[int, float, str, str, tuple[float, float, float], float, float, int]] = []
        for v, setup in enumerate(setups):
            for n, t in enumerate(recorded.t):
                to = (float(recorded.x[n]), float(recorded.y[n]), float(recorded.z[n]))
                reach = float(recorded.reach[n])
                if np.isnan(reach):
                    reach = setup.noise_kinds[recorded.kind[n]].reach
                speed = float(recorded.speed[n])
                rows.append((v, float(t), recorded.by[n], recorded.kind[n], to, speed, reach, -1))
            for n, throw in enumerate(setup.throw):
                at = (*throw.at, 0.0) if throw.at is not None else spots[throw.spot or ""]
                reach = throw.reach or setup.noise_kinds[throw.kind].reach
                to = (at[0], at[1], at[2] if throw.z is None else throw.z)
                rows.append((v, throw.t, throw.by, throw.kind, to, throw.speed, reach, n))
        ticks = np.searchsorted(times + SLACK, [row[1] for row in rows])
        self._ticks = len(times)
        self._at_tick: dict[int, list[int]] = {}
        for n in np.argsort([row[1] for row in rows], kind="stable"):
            if rows[n][1] >= times[0] - SLACK:
                self._at_tick.setdefault(int(ticks[n]), []).append(int(n))
        self._rows = rows
        self.kinds = [
            tuple(dict.fromkeys(row[3] for row in rows if row[0] == v)) for v in range(len(setups))
        ]

    def next_tick(self, tick: int) -> int:
        """The first tick from one on at which anything is thrown; one after the last for never."""
        return min((each for each in self._at_tick if each >= tick), default=self._ticks)

    def step(self, tick: int, poses: Poses) -> list[Flight]:
        """Throw what is due at a tick."""
        self.flights = [self._throw(self._rows[n], poses) for n in self._at_tick.get(tick, ())]
        return self.flights

    def _throw(
        self,
        row: tuple[int, float, str, str, tuple[float, float, float], float, float, int],
        poses: Poses,
    ) -> Flight:
        v, t, name, kind, end, limit, reach, listed = row
        j, p = self.names.index(name), v if len(poses.x) > 1 else 0
        up = float(self.bodies.eyes[v, j, poses.posture[p, j]])
        start = float(poses.x[p, j]), float(poses.y[p, j]), float(poses.z[p, j]) + up
        flight = Flight(v, t, j, kind, None, "absent", NO_WALL, start, end, reach, listed)
        if not poses.present[p, j]:
            return flight
        away = float(np.hypot(end[0] - start[0], end[1] - start[1]))
        arcs = arcs_to(away, end[2] - start[2], limit)
        wall = NO_WALL
        for arc in arcs:
            points = points_of(arc, start, end, CHORDS)
            opened = self.opened[v if len(self.opened) > 1 else 0][None]
            share, walls, _ = cast_rays(
                self.level.laid_solid_grid, points[:-1].copy(), points[1:].copy(), opened
            )
            hit = np.flatnonzero(share <= 0.0)
            if len(hit) == 0:
                return flight._replace(arc=arc, reason="")
            wall = int(walls[hit[0]]) if wall == NO_WALL else wall
        return flight._replace(reason="walls" if arcs else "too_far", wall=wall)
