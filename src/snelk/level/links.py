"""Links: ladders, drops and jumps, which connect places that nobody can walk between."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.level.columns import LinkColumns, agree_axes, laid_out

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.config.models import Link

USUAL = 1.0
"""How fast a link is taken that does not say how long it takes, m/s."""

SAME_HEIGHT = 1e-3
"""On ground without floors both ends of a link are this close to the walker's height, m."""


class Links(NamedTuple):
    """Links, each in one direction; those of both follow upon each other."""

    ends: NDArray[np.float64]  # (links, 6): from x, y, z to x, y, z, m
    lengths: NDArray[np.float64]  # (links,) in space, m
    seconds: NDArray[np.float64]  # (links,) that it takes
    feature: NDArray[np.int32]  # (links,) which of the level's links it is

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "links", ends="links 6")


def build_links(links: Sequence[tuple[Link, BaseGeometry]]) -> Links:
    """Pack links into arrays; compiled, as loops read them."""
    ends, seconds, feature = [np.zeros((0, 6))], [], []
    for n, (link, line) in enumerate(links):
        a, b = shapely.get_coordinates(line, include_z=True)
        ways = [(a, b)] if link.one_way else [(a, b), (b, a)]
        ends += [np.concatenate(way)[None] for way in ways]
        takes = link.seconds or float(np.linalg.norm(b - a)) / USUAL
        seconds += [takes] * len(ways)
        feature += [n] * len(ways)
    both = np.ascontiguousarray(np.concatenate(ends))
    lengths = np.linalg.norm(both[:, 3:] - both[:, :3], axis=1)
    found = Links(both, lengths, np.array(seconds, float), np.array(feature, dtype=np.int32))
    return laid_out(LinkColumns, found)


def are_at(ends: NDArray[np.float64], z: float) -> bool:
    """Whether both ends of a link, (6,) or (2, 3) in m, are on ground at a height, m."""
    return bool((np.abs(ends.reshape(2, 3)[:, 2] - z) <= SAME_HEIGHT).all())


def crosses(ends: NDArray[np.float64], wall: BaseGeometry, base: float, top: float) -> bool:
    """Whether a link, (6,) in m, leads through a wall, straight from end to end."""
    (x, y, z), (to_x, to_y, to_z) = ends[:3], ends[3:]
    far = float(np.hypot(to_x - x, to_y - y))
    line = shapely.LineString([(x, y), (to_x, to_y)]) if far > 0.0 else shapely.Point(x, y)
    met = shapely.intersection(line, wall)
    if met.is_empty:
        return False
    share = np.array([0.0, 1.0])
    if far > 0.0:
        share = np.hypot(*(shapely.get_coordinates(met) - (x, y)).T) / far
    heights = z + share * (to_z - z)
    return bool(heights.min() < top and heights.max() >= base)
