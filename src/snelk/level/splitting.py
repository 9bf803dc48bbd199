"""Dividing triangles into a tree of boxes; compiled, see `snelk.level.columns`.

First into halves, so that few rays meet many of them (binned surface area heuristic, Wald 2007, "On
fast construction of SAH-based bounding volume hierarchies"). Halves are then gathered into nodes of
eight parts so that all nodes and triangles together cost rays the least, which is worked out for
all halves, the smallest first (Ylitie, Karras and Laine 2017, "Efficient incoherent ray traversal
on GPUs through compressed wide BVHs"). Boxes are in 32 bits, and larger than what is in them by
more than rays in 32 bits can err.
"""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door
from snelk.level.tree import (
    BINS,
    ERRS,
    INNER,
    LEAF,
    NODE,
    PARTS,
    ROOM,
    TRIANGLE,
    WIDE,
    Tree,
)

INF = float("inf")

FIRST, LAST, LEFT, RIGHT = range(4)
"""Of a half: its triangles in the order, and what it was cut into."""


def build_tree(triangles: NDArray[np.float64]) -> Tree:
    """The tree of triangles, (triangles, 3, 3) in m; without triangles, no nodes."""
    count = len(triangles)
    if not count:
        none = np.zeros(0, dtype=np.int32)
        return Tree(none.view(np.float32), none, none, np.zeros(3), 0)
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    middle = np.asarray((low.min(axis=0) + high.max(axis=0)) / 2, dtype=np.float64)
    margin = float((high.max(axis=0) - low.min(axis=0)).max()) * ERRS + 1e-9
    bounds = np.hstack([low - middle, high - middle])
    order = np.arange(count, dtype=np.int32)
    halves, shares = np.empty((2 * count, 4), np.int32), np.empty((2 * count, WIDE), np.int8)
    around, costs = np.empty((2 * count, 6)), np.empty((2 * count, WIDE))
    boxes, room = np.empty((count, ROOM), np.float32), np.empty((2 * count, 3), np.int32)
    parts, bins, found = (
        boxes.view(np.int32),
        np.empty((BINS, 7)),
        np.empty((2 * WIDE, 2), np.int32),
    )
    nodes, depth = fill(
        bounds, order, margin, boxes, parts, halves, around, costs, shares, room, bins, found
    )
    # At an address that is a multiple of 64, since a processor reads so many bytes at once.
    piece = np.empty(nodes * ROOM + 16, dtype=np.float32)
    start = -(piece.ctypes.data // 4) % 16
    own = piece[start : start + nodes * ROOM]
    own.view(np.int32)[...] = boxes[:nodes].view(np.int32).ravel()
    return Tree(own, own.view(np.int32), order, middle, depth)


@door
def fill(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    margin: float,
    boxes: NDArray[np.float32],
    parts: NDArray[np.int32],
    halves: NDArray[np.int32],
    around: NDArray[np.float64],
    costs: NDArray[np.float64],
    shares: NDArray[np.int8],
    room: NDArray[np.int32],
    bins: NDArray[np.float64],
    found: NDArray[np.int32],
) -> tuple[int, int]:
    """Fill boxes and parts; how many nodes there are, and how many are below each other.

    Args:
        bounds: (triangles, 6) lowest and highest x, y and z of each, m.
        order: (triangles,) all of them, brought into order.
        margin: By which boxes are larger, m.
        boxes: (triangles, 64) room for nodes.
        parts: (triangles, 64) the same memory.
        halves: (2 triangles, 4) for what triangles are cut into, see `FIRST`.
        around: (2 triangles, 6) for the lowest and highest x, y and z of each half, m.
        costs: (2 triangles, 8) in column n for what a half costs rays as at most n + 1 parts.
        shares: (2 triangles, 8) in column n for how many of these parts its left half gets, and 0
            if it costs no more as n parts; in column 0 for how many its left half gets if the half
            is a node, and 0 if it is a leaf.
        room: (2 triangles, 3) to work with.
        bins: (16, 7) to work with.
        found: (16, 2) to work with.
    """
    count = len(order)
    agree((count > 0,), (True,))
    agree(bounds.shape, (count, 6))
    agree(boxes.shape, parts.shape, (count, ROOM))
    agree(halves.shape + around.shape, (2 * count, 4, 2 * count, 6))
    agree(costs.shape, shares.shape, (2 * count, WIDE))
    agree(room.shape + bins.shape + found.shape, (2 * count, 3, BINS, 7, 2 * WIDE, 2))
    agree((bool((np.sort(order) == np.arange(count)).all()),), (True,))
    used = _halve(bounds, order, halves, room, bins)
    _weigh(bounds, order, halves, used, around, costs, shares)
    return _gather(halves, around, shares, margin, boxes, parts, room, found)


def _halve(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    halves: NDArray[np.int32],
    room: NDArray[np.int32],
    bins: NDArray[np.float64],
) -> int:
    """Cut triangles in two, and these, until each is alone; return how many halves there are."""
    with nogil:
        halves[0, FIRST], halves[0, LAST], halves[0, LEFT] = 0, len(order), 0
        room[0, 0] = 0
        used, waiting = 1, 1
        while waiting > 0:
            waiting -= 1
            half = room[waiting, 0]
            first, last = halves[half, FIRST], halves[half, LAST]
            halves[half, LEFT], halves[half, RIGHT] = 0, 0
            if last - first == 1:
                continue
            middle = _cut(bounds, order, bins, first, last)
            halves[half, LEFT], halves[half, RIGHT] = used, used + 1
            halves[used, FIRST], halves[used, LAST] = first, middle
            halves[used + 1, FIRST], halves[used + 1, LAST] = middle, last
            room[waiting, 0], room[waiting + 1, 0] = used + 1, used
            used, waiting = used + 2, waiting + 2
    return used


def _weigh(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    halves: NDArray[np.int32],
    used: int,
    around: NDArray[np.float64],
    costs: NDArray[np.float64],
    shares: NDArray[np.int8],
) -> None:
    """Work out what each half costs rays at least; those of a half come after it."""
    with nogil:
        for back in range(used):
            half = used - 1 - back
            left, right = halves[half, LEFT], halves[half, RIGHT]
            count = halves[half, LAST] - halves[half, FIRST]
            if left == 0:
                for axis in range(6):
                    around[half, axis] = bounds[order[halves[half, FIRST]], axis]
                surface = _half_surface(around, half)
                for n in range(WIDE):
                    costs[half, n], shares[half, n] = surface * TRIANGLE, 0
                continue
            for axis in range(3):
                around[half, axis] = min(around[left, axis], around[right, axis])
                around[half, 3 + axis] = max(around[left, 3 + axis], around[right, 3 + axis])
            surface = _half_surface(around, half)
            for n in range(1, WIDE):  # as up to n + 1 parts, of which the left half gets k + 1
                costs[half, n], shares[half, n] = INF, 0
                for k in range(n):
                    cost = costs[left, k] + costs[right, n - 1 - k]
                    if cost < costs[half, n]:
                        costs[half, n], shares[half, n] = cost, k + 1
            alone = surface * NODE + costs[half, WIDE - 1]
            leaf = surface * TRIANGLE * count if count <= LEAF else INF
            shares[half, 0] = shares[half, WIDE - 1] if alone < leaf else 0
            costs[half, 0] = min(alone, leaf)
            for n in range(1, WIDE):
                if costs[half, n - 1] <= costs[half, n]:
                    costs[half, n], shares[half, n] = costs[half, n - 1], 0


def _gather(
    halves: NDArray[np.int32],
    around: NDArray[np.float64],
    shares: NDArray[np.int8],
    margin: float,
    boxes: NDArray[np.float32],
    parts: NDArray[np.int32],
    room: NDArray[np.int32],
    found: NDArray[np.int32],
) -> tuple[int, int]:
    """Gather halves into nodes.

    `found` has the parts of a node from its start on, and what is still to be cut at its end.
    """
    with nogil:
        room[0, 0], room[0, 1], room[0, 2] = 0, 0, 1
        nodes, waiting, depth = 1, 1, 1
        while waiting > 0:
            waiting -= 1
            half, node, level = room[waiting, 0], room[waiting, 1], room[waiting, 2]
            depth = max(depth, level)
            count, uncut, share = 0, 2 * WIDE, shares[half, 0]
            if share == 0:  # all there is are a few triangles
                found[0, 0], count = half, 1
            else:
                uncut -= 2
                found[uncut, 0], found[uncut, 1] = halves[half, LEFT], share
                found[uncut + 1, 0], found[uncut + 1, 1] = halves[half, RIGHT], WIDE - share
            while uncut < 2 * WIDE:
                half, most = found[uncut, 0], found[uncut, 1]
                uncut += 1
                while most > 1 and shares[half, most - 1] == 0:
                    most -= 1
                if most == 1:
                    found[count, 0] = half
                    count += 1
                    continue
                share = shares[half, most - 1]
                uncut -= 2
                found[uncut, 0], found[uncut, 1] = halves[half, LEFT], share
                found[uncut + 1, 0], found[uncut + 1, 1] = halves[half, RIGHT], most - share
            parts[node, INNER] = 0
            for n in range(WIDE):
                own = found[n, 0] if n < count else -1
                for axis in range(6):
                    side = margin if axis >= 3 else -margin
                    nowhere = -INF if axis >= 3 else INF
                    boxes[node, axis * WIDE + n] = around[own, axis] + side if own >= 0 else nowhere
                parts[node, PARTS + n] = 0
                if own < 0:
                    continue
                first, last = halves[own, FIRST], halves[own, LAST]
                if shares[own, 0] == 0:
                    parts[node, PARTS + n] = -1 - (first * LEAF + last - first - 1)
                    continue
                parts[node, PARTS + n] = nodes * ROOM
                parts[node, INNER] |= 1 << n
                room[waiting, 0], room[waiting, 1], room[waiting, 2] = own, nodes, level + 1
                nodes, waiting = nodes + 1, waiting + 1
    return nodes, depth


def _half_surface(around: NDArray[np.float64], half: int) -> float:
    """Half of the surface of the box around a half, m2."""
    x = around[half, 3] - around[half, 0]
    y = around[half, 4] - around[half, 1]
    z = around[half, 5] - around[half, 2]
    area: float = x * y + y * z + z * x
    return area


def _cut(
    bounds: NDArray[np.float64],
    order: NDArray[np.int32],
    bins: NDArray[np.float64],
    first: int,
    last: int,
) -> int:
    """Sort some triangles so that they can be split; return where."""
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
