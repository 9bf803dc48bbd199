"""The floors of a level as bodies with some clearance find them, and the seams between them.

A door that turns changes its own floor and the seams there; all others are laid out only once.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from itertools import product
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.level.growing import APART, grown, less_rim, shrunk, united
from snelk.level.outlines import lines_of, outlines_of, outward_corners, polygons_of
from snelk.level.storeys import Storeys

Numbers = NDArray[np.float64]

BEND = 0.5
"""So far apart, or less, paths from floor to floor may bend where the slope changes, m."""

LITTLE = 0.005
"""Where a bend makes a path shorter by no larger share than this, it is left out."""

MOST_BENDS = 1000
"""At so many places at most paths may bend where the slope changes."""


class Sheet:
    """One floor, for a body with some clearance.

    Attributes:
        lines: (lines, 4) what is in the way, m.
        free: Where the middle of the body may be.
        corners: (corners, 2) where paths turn, m.
        sides: (corners, 2, 2) the outlines beside them.
        areas: The polygons of `free`.
    """

    def __init__(
        self,
        area: BaseGeometry,
        stops: Sequence[BaseGeometry],
        ends: Numbers,
        clearance: float,
        within: BaseGeometry | None,
    ) -> None:
        """Lay it out, given what is in the way on it and where it ends."""
        blocks = grown(stops, max(clearance - APART, 0.0))
        outer = grown(stops, max(clearance, 2 * APART))
        if within is not None:
            blocks.append(shapely.difference(area, within))
            outer.append(shapely.difference(area, shapely.buffer(within, -APART)))
        # Walls as they are stay lines, for which a union of areas would be no use.
        whole = [united(blocks)] if clearance > 2 * APART else blocks
        self.lines = np.concatenate([outlines_of(whole), ends])
        self.free = shapely.difference(area, united(outer))
        corners, sides = outward_corners(united(outer + grown(lines_of(ends), 2 * APART)))
        inside = shapely.contains_xy(shapely.buffer(area, APART / 2), corners)
        self.corners, self.sides = corners[inside], sides[inside]
        self.areas = polygons_of(self.free)

    @cached_property
    def inner(self) -> list[BaseGeometry]:
        """Each area a little smaller."""
        return [less_rim(area) for area in self.areas]

    @cached_property
    def near(self) -> list[BaseGeometry]:
        """Each area a little larger, so that it reaches over its seams."""
        return [shrunk(area, -2 * APART) for area in self.areas]

    @cached_property
    def all_near(self) -> BaseGeometry:
        """All of the floor a little larger."""
        return shrunk(self.free, -2 * APART)


class Bends(NamedTuple):
    """Where a path can bend at a seam."""

    looked_at: int  # so many places along it
    places: Numbers  # (bends, 2) those to both sides where one can stand, m


class Sheets:
    """All that has been laid out of the floors of a level.

    Args:
        storeys: How the floors are connected.
        planes: (floors, 3) a, b, c of z = a x + b y + c.
    """

    def __init__(self, storeys: Storeys, planes: Numbers) -> None:
        self.storeys, self.planes = storeys, planes
        self._laid: dict[tuple[Any, ...], Sheet] = {}
        self._joined: dict[tuple[int, Sheet, Sheet], tuple[tuple[int, int], ...]] = {}
        self._bends_at: dict[tuple[int, Sheet, Sheet], Bends] = {}
        pairs = zip(storeys.from_floor.tolist(), storeys.to_floor.tolist(), strict=True)
        self._pairs = [*pairs]
        self._seams = lines_of(storeys.seams)
        gains = np.array([_gain(planes[a, :2], planes[b, :2]) for a, b in self._pairs])
        # Of very uneven ground only the seams at which the slope changes most have bends.
        most_first = np.argsort(-gains, kind="stable").tolist()
        self._bent = {n: None for n in most_first if gains[n] > LITTLE}

    def lay(
        self,
        walls: Sequence[Sequence[BaseGeometry]],
        clearance: float,
        within: Sequence[BaseGeometry] | None,
    ) -> list[Sheet]:
        """Each floor, given the walls on it and the territory that is not left there."""
        return [
            self._sheet(n, walls[n], clearance, None if within is None else within[n])
            for n in range(len(self.storeys.areas))
        ]

    def _sheet(
        self, n: int, walls: Sequence[BaseGeometry], clearance: float, within: BaseGeometry | None
    ) -> Sheet:
        key = n, clearance, *(shapely.to_wkb(each) for each in (within, *walls))
        if key not in self._laid:
            stops = [*walls, *lines_of(self.storeys.lows[n] if clearance > 0.0 else [])]
            area, ends = self.storeys.areas[n], self.storeys.ends[n]
            self._laid[key] = Sheet(area, stops, ends, clearance, within)
        return self._laid[key]

    def bends(self, sheets: Sequence[Sheet]) -> tuple[Numbers, NDArray[np.int32]]:
        """(bends, 2) where paths can bend as the slope changes, m, and the floor of each."""
        places, floors, room = [np.zeros((0, 2))], [np.zeros(0, np.int32)], MOST_BENDS
        for n in self._bent:
            if room <= 0:
                break
            looked_at, found = self._bends_of(n, *(sheets[floor] for floor in self._pairs[n]))
            room -= looked_at
            places.append(found)
            floors.append(np.full(len(found), self._pairs[n][0], dtype=np.int32))
        return np.concatenate(places), np.concatenate(floors)

    def parts(self, sheets: Sequence[Sheet]) -> tuple[list[int], list[int]]:
        """Of the areas of all floors, one after the other, the floor and the part of the ground."""
        counts = [len(sheet.areas) for sheet in sheets]
        first = np.cumsum([0, *counts]).tolist()
        part = np.arange(first[-1])
        for n, (floor, other) in enumerate(self._pairs):
            for a, b in self._joins(n, sheets[floor], sheets[other]):
                ours, theirs = part[first[floor] + a], part[first[other] + b]
                part[part == max(ours, theirs)] = min(ours, theirs)
        on = np.repeat(np.arange(len(sheets)), counts).tolist()
        return on, np.unique(part, return_inverse=True)[1].tolist()

    def _joins(self, n: int, here: Sheet, there: Sheet) -> tuple[tuple[int, int], ...]:
        """Areas of a floor and of another one between which one crosses a seam."""
        key = n, here, there
        if key not in self._joined:
            self._joined[key] = tuple(
                (a, b)
                for a, b in product(self._beside(n, here), self._beside(n, there))
                if shapely.intersection(
                    self._seams[n], shapely.intersection(here.near[a], there.near[b])
                ).length > 5 * APART
            )  # fmt: skip
        return self._joined[key]

    def _beside(self, n: int, sheet: Sheet) -> list[int]:
        """The areas of a floor that a seam touches."""
        touches: list[int] = np.flatnonzero(shapely.intersects(self._seams[n], sheet.near)).tolist()
        return touches

    def _bends_of(self, n: int, here: Sheet, there: Sheet) -> Bends:
        """Where a path can bend at a seam."""
        key = n, here, there
        if key not in self._bends_at:
            places = self._beside_seam(n, here, there)
            stands = shapely.contains_xy(here.free, places)
            self._bends_at[key] = Bends(len(places) // 2, places[stands])
        return self._bends_at[key]

    def _beside_seam(self, n: int, here: Sheet, there: Sheet) -> Numbers:
        """(places, 2) to both sides of a seam where it is open, m."""
        found: list[Numbers] = []
        both = shapely.intersection(here.all_near, there.all_near)
        for piece in shapely.get_parts(shapely.intersection(self._seams[n], both)):
            length = float(piece.length)
            if length <= 8 * APART:
                continue
            a, b = shapely.get_coordinates(piece)[[0, -1]]
            aside = np.array([a[1] - b[1], b[0] - a[0]]) / length * APART
            count = max(int(np.ceil(length / BEND)), 1)
            # So far from its ends that what lies aside is not in the way of a body.
            end = 4 * APART / length
            for share in np.clip(np.linspace(0.0, 1.0, count + 1), end, 1 - end):
                found += [a + share * (b - a) + aside, a + share * (b - a) - aside]
        return np.array(found).reshape(-1, 2)


def _gain(slope: Numbers, other: Numbers) -> float:
    """The largest share by which bending at a change of slope can shorten a path.

    So much longer than in plan is a path up a slope g: sqrt(1 + g^2). By two slopes that differs at
    most by their difference times g / sqrt(1 + g^2); who goes along the seam gains that.
    """
    steepest = max(float(slope @ slope), float(other @ other)) ** 0.5
    differs = float(np.hypot(*(slope - other)))
    return float(differs * steepest / np.hypot(1.0, steepest))
