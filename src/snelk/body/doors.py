"""Doors that open and shut, and lights that are switched, during a run."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray

from snelk.config.models import Door, Setup
from snelk.config.steps import HEADROOM
from snelk.level.columns import plain
from snelk.level.level import Level
from snelk.mind.signals import NOBODY

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

SLACK = 1e-9
"""Times this close are the same, s."""

BY_ITSELF = "by itself"
"""What lets a door shut."""

NOBODY_IN_IT = 0.05
"""Whose middle is farther from a door than its radius and this is not in it, m."""


class Turn(NamedTuple):
    """A door or a light that changed, from the next tick on."""

    variant: int
    name: str
    is_door: bool
    is_on: bool  # open, or lit
    by: int  # agent, or NOBODY: the scenario or the game
    cause: str


class Doors:
    """How all doors and lights of all variants are now.

    Args:
        setups: The numbers of each variant.
        level: The level.
        opened: (variant, wall) which doors stand open; overwritten. What rays read.
        zone_light: (variant, zone) light inside; overwritten. What the senses read.

    Attributes:
        walls: Which walls are doors, by number.
        shuts_at: (variant, wall) when a door shuts by itself, s; infinite for never.
        changed: (variant,) whether a door was opened or shut, so that ways are others.
        opened_by: (variant, wall) the character that opened it last, or NOBODY.
        lit: (variant, zone) which zones of `lights` are switched on.
        boxes: (door, 4) least x, y and greatest x, y of each of `walls`, m.
    """

    def __init__(
        self, setups: Sequence[Setup], level: Level, opened: Truths, zone_light: Numbers
    ) -> None:
        self.setups, self.level = setups, level
        self.opened, self._zone_light = opened, zone_light
        self.walls: list[int] = np.flatnonzero(level.is_door).tolist()
        self.zones = [zone.name for zone, _ in level.data.zones]
        self.shuts_at = np.full(opened.shape, np.inf)
        self.changed = np.zeros(len(setups), dtype=np.bool_)
        self.opened_by = np.full(opened.shape, NOBODY, dtype=np.int64)
        self._outlines = {wall: level.outline_of(wall) for wall in self.walls}
        boxes = [self._outlines[wall].bounds for wall in self.walls]
        self.boxes = np.array(boxes, np.float64).reshape(-1, 4)
        self._soon: dict[tuple[int, int], bool] = {}  # doors that are about to open or shut
        self._lit_soon: dict[tuple[int, int], bool] = {}  # lights that are switched on or off
        self.lit = np.zeros((len(setups), len(self.zones)), dtype=np.bool_)
        for v, setup in enumerate(setups):
            for name, light in setup.lights.items():
                self.lit[v, self.zones.index(name)] = light.lit

    def rules_of(self, v: int, wall: int) -> Door:
        """What the scenario says of a door."""
        return self.setups[v].doors.get(self.level.wall_names[wall], Door())

    def turn(
        self, v: int, name: str, to: str, by: int, who: int, cause: str, time: float
    ) -> Turn | None:
        """Change a door or a light at the end of a tick; None if it is already in that state.

        `by` is the agent that does it, and `who` the character, or NOBODY.
        """
        is_door, is_on = to in ("open", "shut"), to in ("open", "lit")
        if is_door:
            wall = self.level.wall_names.index(name)
            if self.is_open_soon(v, wall) == is_on:
                return None
            self._soon[v, wall], self.changed[v] = is_on, True
            shuts = self.rules_of(v, wall).shuts
            self.opened_by[v, wall] = who if is_on else self.opened_by[v, wall]
            self.shuts_at[v, wall] = time + shuts if is_on and shuts is not None else np.inf
        else:
            zone = self.zones.index(name)
            if self._lit_soon.get((v, zone), bool(self.lit[v, zone])) == is_on:
                return None
            self._lit_soon[v, zone] = is_on
        return Turn(v, name, is_door, is_on, by, cause)

    def is_open_soon(self, v: int, wall: int) -> bool:
        """Whether a door is open at the next tick, as far as is known."""
        return self._soon.get((v, wall), bool(self.opened[v, wall]))

    def settle(self) -> None:
        """Let all be as it was turned, at the end of a tick."""
        for (v, wall), is_open in self._soon.items():
            self.opened[v, wall] = is_open
        for (v, zone), is_lit in self._lit_soon.items():
            self.lit[v, zone] = is_lit
            dark = self.setups[v].lights[self.zones[zone]].dark
            self._zone_light[v, zone] = self.level.zone_light[zone] if is_lit else dark
        self._soon, self._lit_soon = {}, {}

    def is_on(self, v: int, word: str, name: str) -> bool:
        """Whether a door is `open`, or a light `lit`, in one variant."""
        if word == "open":
            return bool(self.opened[v, self.level.wall_names.index(name)])
        return bool(self.lit[v, self.zones.index(name)])

    def are_on(self, word: str, name: str) -> Truths:
        """(variant,) the same in all of them."""
        return np.array([self.is_on(v, word, name) for v in range(len(self.setups))])

    def place_of(self, name: str) -> tuple[float, float, float]:
        """The middle of a door or a zone, m: of a door at its foot, of a zone on the ground."""
        level = self.level
        if name in level.wall_names:
            wall = level.wall_names.index(name)
            point = self._outlines[wall].centroid
            return point.x, point.y, float(level.base[wall])
        point, zones, n = level.zone_area(name).centroid, plain(level.zones), level.zone_index(name)
        foot = float(zones.planes[n] @ (point.x, point.y, 1.0) + zones.spans[n, 0])
        z = level.stands_at(point.x, point.y, foot if math.isfinite(foot) else 0.0)
        return point.x, point.y, z

    def opener_of(self, v: int, name: str) -> int:
        """The character that opened a door last, or NOBODY."""
        return int(self.opened_by[v, self.level.wall_names.index(name)])

    def to_shut(self, v: int, time: float, places: Numbers, radii: Numbers) -> list[str]:
        """The doors that shut by themselves now, with nobody in them.

        Args:
            v: The variant.
            time: s.
            places: (characters, 3) where those are who are there, m.
            radii: (characters,) of their bodies, m.
        """
        found = []
        for wall in self.walls:
            if self.shuts_at[v, wall] > time + SLACK:
                continue
            away = shapely.distance(self._outlines[wall], shapely.points(places[:, :2]))
            beside = (places[:, 2] < self.level.top[wall]) & (
                places[:, 2] > self.level.base[wall] - HEADROOM
            )
            if not (beside & (away < radii + NOBODY_IN_IT)).any():
                found.append(self.level.wall_names[wall])
        return found

    def may_open(self, v: int, whom: Sequence[str]) -> frozenset[int]:
        """The doors that a character with these names can open, by number."""
        rules = {wall: self.rules_of(v, wall).who for wall in self.walls}
        return frozenset(
            wall for wall, who in rules.items() if who is None or not set(who).isdisjoint(whom)
        )

    def open_for(self, v: int, whom: Sequence[str]) -> frozenset[int]:
        """The doors that do not block a character with these names, by number."""
        now = frozenset(wall for wall in self.walls if self.opened[v, wall])
        return now | self.may_open(v, whom)

    def _near(self, x: float, y: float, reach: float) -> list[int]:
        """The doors whose outline may be within a reach of a place, m."""
        return [
            wall
            for wall, (low_x, low_y, high_x, high_y) in zip(
                self.walls, self.boxes.tolist(), strict=True
            )
            if low_x - reach <= x <= high_x + reach and low_y - reach <= y <= high_y + reach
        ]

    def ahead(self, v: int, here: Numbers, way: Numbers, reach: float, radius: float) -> int:
        """The nearest shut door that a path leads through within a reach; -1 for none.

        Args:
            v: The variant.
            here: (3,) where somebody is, m.
            way: (points, 2) where it walks along, m.
            reach: How far it looks, m.
            radius: Of its body, m.
        """
        x, y, z = here.tolist()
        near = self._near(x, y, reach + radius)
        shut = [each for each in near if not self.is_open_soon(v, each)]
        if not shut or not len(way):
            return -1
        whole = shapely.LineString(np.concatenate([here[None, :2], way]))
        line = shapely.ops.substring(whole, 0.0, reach + radius)
        best, nearest = -1, np.inf
        for wall in shut:
            low, high = self.level.base[wall], self.level.top[wall]
            if not low - HEADROOM < z < high:
                continue
            away = float(shapely.distance(self._outlines[wall], shapely.Point(x, y)))
            crosses = shapely.intersects(self._outlines[wall], line)
            if crosses and away - radius <= reach and away < nearest:
                best, nearest = wall, away
        return best
