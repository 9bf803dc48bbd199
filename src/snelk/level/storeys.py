"""How floors are connected: which can be walked to from which, and where they end.

In plan the outlines of all floors divide the ground into faces, with one or more floors above each.
A face of a floor can be walked on if no other floor is too close above it. Two floors are connected
along an edge of a face if they are within a step of each other there.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.config.steps import STEP
from snelk.level.columns import plain
from snelk.level.floors import Floors

Numbers = NDArray[np.float64]

FINE = 1e-6
"""Corners this close are one, m."""

SNAP = 2e-6
"""What is this close to the rim of a floor is on it, m: corners are rounded to half of that."""

LEVEL = 1e-6
"""Heights this close are one, m."""

FAR = 1e4
"""Lines at which one floor is so much above another are cut off so far from the middle, m."""


class Storeys(NamedTuple):
    """Where each floor can be walked on, and what is at its ends.

    Pieces are lines in plan: ax, ay, bx, by, m.
    """

    areas: tuple[BaseGeometry, ...]  # of each floor
    ends: tuple[Numbers, ...]  # of each floor, (pieces, 4): there it ends, or is too low to go on
    lows: tuple[Numbers, ...]  # those of them at which something is in the way of a body
    seams: Numbers  # (seams, 4): there one can go on from the floor to their left to another one
    from_floor: NDArray[np.int32]  # (seams,)
    to_floor: NDArray[np.int32]  # (seams,)


def build_storeys(floors: Floors, areas: Sequence[BaseGeometry], headroom: float) -> Storeys:
    """How floors are connected, for a body with a headroom.

    Args:
        floors: Their planes.
        areas: Their areas in plan.
        headroom: Between two floors less than this apart nobody goes, m; at least a step.
    """
    planes = np.array(plain(floors).planes)
    areas = [shapely.set_precision(shapely.force_2d(area), FINE) for area in areas]
    near = shapely.STRtree(areas).query(areas, predicate="dwithin", distance=SNAP)
    lines = _snapped([shapely.boundary(area) for area in areas], near)
    lines += _levels(planes, np.array(areas, dtype=object), near[:, near[0] > near[1]], headroom)
    noded = shapely.union_all(lines, grid_size=FINE)
    faces = shapely.orient_polygons(shapely.get_parts(shapely.polygonize([noded])))
    middles = shapely.get_coordinates(shapely.point_on_surface(faces))
    stacks, walked = _walked(planes, areas, middles, headroom)
    over: list[list[BaseGeometry]] = [[] for _ in areas]
    for face, here in zip(faces, walked, strict=True):
        for n in here:
            over[n].append(face)
    found = [shapely.union_all(each) for each in over]
    beside: dict[tuple[tuple[float, ...], tuple[float, ...]], list[tuple[int, bool]]] = {}
    for face, polygon in enumerate(faces):
        for ring in (polygon.exterior, *polygon.interiors):
            corners = [tuple(corner) for corner in shapely.get_coordinates(ring).tolist()]
            for a, b in pairwise(corners):
                beside.setdefault((min(a, b), max(a, b)), []).append((face, a < b))
    ends: list[list[tuple[float, ...]]] = [[] for _ in areas]
    lows: list[list[tuple[float, ...]]] = [[] for _ in areas]
    seams: list[tuple[float, ...]] = []
    joins: list[tuple[int, int]] = []
    for (a, b), sides in sorted(beside.items()):
        for face, onward in sides:
            others = [each for each, _ in sides if each != face]
            there, stack = (walked[others[0]], stacks[others[0]]) if others else ([], [])
            for floor in walked[face]:
                if floor in there:
                    continue
                to = _joined(planes, floor, there, a, b)
                if to < 0:
                    ends[floor].append((*a, *b))
                    if _is_low(planes, floor, stack, headroom, a, b):
                        lows[floor].append((*a, *b))
                else:
                    seams.append((*a, *b) if onward else (*b, *a))
                    joins.append((floor, to))
    pairs = np.array(joins, dtype=np.int32).reshape(-1, 2)
    return Storeys(
        tuple(found),
        tuple(np.array(pieces, dtype=np.float64).reshape(-1, 4) for pieces in ends),
        tuple(np.array(pieces, dtype=np.float64).reshape(-1, 4) for pieces in lows),
        np.array(seams, dtype=np.float64).reshape(-1, 4),
        np.ascontiguousarray(pairs[:, 0]),
        np.ascontiguousarray(pairs[:, 1]),
    )


def _snapped(lines: list[BaseGeometry], near: NDArray[np.intp]) -> list[BaseGeometry]:
    """Outlines snapped to corners of others that are on them within rounding."""
    corners: list[list[BaseGeometry]] = [[] for _ in lines]
    for n, m in near[:, near[0] != near[1]].T.tolist():
        corners[n].append(shapely.extract_unique_points(lines[m]))
    return [
        shapely.snap(line, shapely.union_all(own), SNAP) if own else line
        for line, own in zip(lines, corners, strict=True)
    ]


def _levels(
    planes: Numbers, areas: NDArray[Any], pairs: NDArray[np.intp], headroom: float
) -> list[BaseGeometry]:
    """Lines at which one floor is a step, the headroom, or nothing above another.

    Only those that cross what both of a pair have in common; who only touch need none where they
    are level.
    """
    slopes = planes[pairs[0]] - planes[pairs[1]]
    sloping = slopes[:, :2].any(axis=1)
    pairs, slopes = pairs[:, sloping], slopes[sloping]
    around = shapely.buffer(areas, SNAP, join_style="mitre")
    common = shapely.intersection(areas[pairs[0]], around[pairs[1]])
    corners, of = shapely.get_coordinates(common, return_index=True)
    rises = (corners * slopes[of, :2]).sum(axis=1) + slopes[of, 2]
    low, high = np.full(len(slopes), np.inf), np.full(len(slopes), -np.inf)
    np.minimum.at(low, of, rises - LEVEL)
    np.maximum.at(high, of, rises + LEVEL)
    level = (low <= 0.0) & (high >= 0.0)
    level[level] = shapely.area(shapely.intersection(*areas[pairs[:, level]])) > 0.0
    found = []
    for height in (STEP, headroom, -STEP, -headroom, 0.0):
        crosses = level if height == 0.0 else (low <= height) & (high >= height)
        for (n, m), apart in zip(pairs[:, crosses].T, slopes[crosses], strict=True):
            near = shapely.buffer(
                shapely.intersection(shapely.envelope(areas[n]), shapely.envelope(areas[m])), 1.0
            )
            middle = shapely.get_coordinates(shapely.centroid(near))[0]
            steep = float(np.hypot(apart[0], apart[1]))
            along = np.array([-apart[1], apart[0]]) / steep * FAR
            # The place nearest to the middle at which the one is so much above the other.
            foot = middle + apart[:2] * (height - apart[2] - middle @ apart[:2]) / steep**2
            line = shapely.intersection(shapely.LineString([foot - along, foot + along]), near)
            found += [line] if not line.is_empty else []
    return found


def strip_of(area: BaseGeometry, over: Numbers, low: float, high: float) -> BaseGeometry:
    """The part of an area in which a plane, (3,), is between two heights, both included."""
    if over[0] == 0.0 == over[1]:
        return area if low <= over[2] <= high else shapely.Polygon()
    steep = float(np.hypot(over[0], over[1]))
    uphill, middle = over[:2] / steep, shapely.get_coordinates(shapely.centroid(area))[0]
    here = float(over[:2] @ middle + over[2])
    ends = [np.clip((height - here) / steep, -FAR, FAR) for height in (low, high)]
    across = np.array([-uphill[1], uphill[0]]) * FAR
    corners = [middle + end * uphill + side * across for end in ends for side in (-1.0, 1.0)]
    strip = shapely.Polygon([corners[n] for n in (0, 1, 3, 2)])
    return shapely.intersection(area, strip)


def _walked(
    planes: Numbers, areas: Sequence[BaseGeometry], places: Numbers, headroom: float
) -> tuple[list[list[int]], list[list[int]]]:
    """Which floors there are at each of some places, and which are walked on, by number."""
    at, under = shapely.STRtree(areas).query(shapely.points(places), predicate="within")
    heights = (planes[under, :2] * places[at]).sum(axis=1) + planes[under, 2]
    order = np.lexsort((-under, heights, at))
    starts = np.searchsorted(at[order], np.arange(len(places) + 1))
    stacks, found = [], []
    for low, high in pairwise(starts.tolist()):
        stack, height = under[order[low:high]].tolist(), heights[order[low:high]]
        free = [
            floor
            for k, floor in enumerate(stack)
            if k == len(stack) - 1 or height[k + 1] - height[k] >= headroom
        ]
        stacks.append(stack)
        found.append(free)
    return stacks, found


def _is_low(
    planes: Numbers,
    floor: int,
    stack: Sequence[int],
    headroom: float,
    a: Sequence[float],
    b: Sequence[float],
) -> bool:
    """Whether floors beyond an edge block walking on a floor."""
    ends = np.array([(*a, 1.0), (*b, 1.0)])
    above = [ends @ (planes[other] - planes[floor]) for other in stack if other != floor]
    between = [rise.max() > STEP + FINE and rise.min() < headroom - FINE for rise in above]
    return floor in stack or any(between)


def _joined(
    planes: Numbers, floor: int, others: Sequence[int], a: Sequence[float], b: Sequence[float]
) -> int:
    """The highest of other floors that is within a step all along an edge; -1 for none."""
    ends = np.array([(*a, 1.0), (*b, 1.0)])
    own, best, highest = ends @ planes[floor], -1, -np.inf
    for other in others:
        height = ends @ planes[other]
        if (np.abs(height - own) <= STEP + FINE).all() and height.mean() > highest:
            best, highest = other, float(height.mean())
    return best
