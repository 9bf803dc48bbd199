"""Dividing triangles into a tree of boxes; compiled, see `snelk.level.columns`.

Parts are chosen so that few rays meet many of them (binned surface area heuristic, Wald 2007, "On
fast construction of SAH-based bounding volume hierarchies"). Boxes are in 32 bits, and larger than
what is in them by more than rays in 32 bits can err.
"""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door
from snelk.level.tree import BINS, ERRS, LEAF, WIDE, Tree

INF = float("inf")


def build_tree(triangles: NDArray[np.float64]) -> Tree:
    """The tree of triangles, (triangles, 3, 3) in m; without triangles, no nodes."""
    count = len(triangles)
    if not count:
        none = np.zeros((0, WIDE), dtype=np.int32)
        boxes = np.zeros((0, 6 * WIDE), dtype=np.float32)
        return Tree(boxes, none, np.zeros(0, dtype=np.int32), np.zeros(3), 0)
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    middle = np.asarray((low.min(axis=0) + high.max(axis=0)) / 2, dtype=np.float64)
    margin = float((high.max(axis=0) - low.min(axis=0)).max()) * ERRS + 1e-9
    bounds = np.hstack([low - middle, high - middle])
    order = np.arange(count, dtype=np.int32)
    wide = np.empty((count, 6 * WIDE))
    parts = np.empty((count, WIDE), dtype=np.int32)
    room = np.empty((count + 1, 4), dtype=np.int32)
    nodes, depth = fill(bounds, order, wide, parts, room, np.empty((BINS, 7)), np.empty((WIDE, 8)))
    filled = wide[:nodes].reshape(nodes, 2, 3 * WIDE) + np.array([[-margin], [margin]])
    small = filled.reshape(nodes, 6 * WIDE).astype(np.float32)
    return Tree(small, parts[:nodes].copy(), order, middle, depth)


@door
def fill(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    boxes: NDArray[np.float64],
    parts: NDArray[np.int32],
    room: NDArray[np.int32],
    bins: NDArray[np.float64],
    own: NDArray[np.float64],
) -> tuple[int, int]:
    """Fill boxes and parts; how many nodes there are, and how many are below each other.

    Args:
        bounds: (triangles, 6) lowest and highest x, y and z of each, m.
        order: (triangles,) all of them, brought into order.
        boxes: (triangles, 48) room for nodes.
        parts: (triangles, 8) the same.
        room: (triangles + 1, 4) to work with.
        bins: (16, 7) to work with.
        own: (8, 8) to work with.
    """
    count = len(order)
    agree((count > 0,), (True,))
    agree(bounds.shape, (count, 6))
    agree(boxes.shape, (count, 6 * WIDE))
    agree(parts.shape, (count, WIDE))
    agree(room.shape, (count + 1, 4))
    agree(bins.shape + own.shape, (BINS, 7, WIDE, 8))
    agree((bool((np.sort(order) == np.arange(count)).all()),), (True,))
    return _fill(bounds, order, boxes, parts, room, bins, own)


def _fill(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    boxes: NDArray[np.float64],
    parts: NDArray[np.int32],
    room: NDArray[np.int32],
    bins: NDArray[np.float64],
    own: NDArray[np.float64],
) -> tuple[int, int]:
    """`own` has the parts of a node: first and last triangle, and their box."""
    with nogil:
        room[0, 0], room[0, 1], room[0, 2], room[0, 3] = 0, 0, len(order), 1
        nodes, waiting, depth = 1, 1, 1
        while waiting > 0:
            waiting -= 1
            node, level = room[waiting, 0], room[waiting, 3]
            depth = max(depth, level)
            own[0, 0], own[0, 1] = room[waiting, 1], room[waiting, 2]
            _bound(bounds, order, own, 0)
            count = 1
            while count < WIDE:
                best, largest = -1, -1.0
                for n in range(count):
                    half = _half(own, n)
                    if own[n, 1] - own[n, 0] > LEAF and half > largest:
                        best, largest = n, half
                if best < 0:
                    break
                middle = _cut(bounds, order, bins, own, best)
                own[count, 0], own[count, 1] = middle, own[best, 1]
                own[best, 1] = middle
                _bound(bounds, order, own, best)
                _bound(bounds, order, own, count)
                count += 1
            for n in range(WIDE):
                for axis in range(6):
                    nowhere = INF if axis < 3 else -INF
                    boxes[node, axis * WIDE + n] = own[n, 2 + axis] if n < count else nowhere
                parts[node, n] = 0
                if n >= count:
                    continue
                first, last = cast(Py_ssize_t, own[n, 0]), cast(Py_ssize_t, own[n, 1])
                if last - first <= LEAF:
                    parts[node, n] = -1 - (first * LEAF + last - first - 1)
                    continue
                parts[node, n] = nodes
                room[waiting, 0], room[waiting, 1], room[waiting, 2] = nodes, first, last
                room[waiting, 3] = level + 1
                nodes, waiting = nodes + 1, waiting + 1
    return nodes, depth


def _bound(
    bounds: NDArray[np.float64], order: NDArray[np.int32], own: NDArray[np.float64], n: int
) -> None:
    """Work out the box of a part."""
    for axis in range(3):
        own[n, 2 + axis], own[n, 5 + axis] = INF, -INF
    for entry in range(cast(Py_ssize_t, own[n, 0]), cast(Py_ssize_t, own[n, 1])):
        each = order[entry]
        for axis in range(3):
            own[n, 2 + axis] = min(own[n, 2 + axis], bounds[each, axis])
            own[n, 5 + axis] = max(own[n, 5 + axis], bounds[each, 3 + axis])


def _half(own: NDArray[np.float64], n: int) -> float:
    """Half of the surface of the box of a part, m2."""
    x, y, z = own[n, 5] - own[n, 2], own[n, 6] - own[n, 3], own[n, 7] - own[n, 4]
    area: float = x * y + y * z + z * x
    return area


def _cut(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    bins: NDArray[np.float64],
    own: NDArray[np.float64],
    part: int,
) -> int:
    """Sort the triangles of a part so that it can be split; return where."""
    first, last = cast(Py_ssize_t, own[part, 0]), cast(Py_ssize_t, own[part, 1])
    best, by, where, start, end = INF, -1, 0, 0.0, 0.0
    for axis in range(3):
        low, high = INF, -INF
        for entry in range(first, last):
            middle = bounds[order[entry], axis] + bounds[order[entry], 3 + axis]
            low, high = min(low, middle), max(high, middle)
        if high <= low:
            continue
        for n in range(BINS):
            bins[n, 0] = 0.0
            for k in range(3):
                bins[n, 1 + k], bins[n, 4 + k] = INF, -INF
        for entry in range(first, last):
            each = order[entry]
            n = _bin_of(bounds, each, axis, low, high)
            bins[n, 0] += 1.0
            for k in range(3):
                bins[n, 1 + k] = min(bins[n, 1 + k], bounds[each, k])
                bins[n, 4 + k] = max(bins[n, 4 + k], bounds[each, 3 + k])
        for cut in range(1, BINS):
            left, right = _cost(bins, 0, cut), _cost(bins, cut, BINS)
            if left > 0.0 and right > 0.0 and left + right < best:
                best, by, where, start, end = left + right, axis, cut, low, high
    if by < 0:  # all have one middle
        middle_one: int = (first + last) // 2
        return middle_one
    here, there = first, last - 1
    while here <= there:
        each = order[here]
        if _bin_of(bounds, each, by, start, end) < where:
            here += 1
        else:
            order[here], order[there] = order[there], each
            there -= 1
    found: int = here
    return found


def _bin_of(bounds: NDArray[np.float64], each: int, axis: int, low: float, high: float) -> int:
    share = (bounds[each, axis] + bounds[each, 3 + axis] - low) / (high - low)
    found: int = min(cast(Py_ssize_t, share * BINS), BINS - 1)
    return found


def _cost(bins: NDArray[np.float64], first: int, last: int) -> float:
    """How many triangles there are in some bins, times half of the surface around them."""
    count = 0.0
    low_x, low_y, low_z, high_x, high_y, high_z = INF, INF, INF, -INF, -INF, -INF
    for n in range(first, last):
        if bins[n, 0] > 0.0:
            count += bins[n, 0]
            low_x, high_x = min(low_x, bins[n, 1]), max(high_x, bins[n, 4])
            low_y, high_y = min(low_y, bins[n, 2]), max(high_y, bins[n, 5])
            low_z, high_z = min(low_z, bins[n, 3]), max(high_z, bins[n, 6])
    if count == 0.0:
        return 0.0
    x, y, z = high_x - low_x, high_y - low_y, high_z - low_z
    return count * (x * y + y * z + z * x)
