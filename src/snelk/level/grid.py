"""Sorting wall segments into the cells of a uniform grid."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import ScratchColumns, agree, agree_axes, laid_out, plain, readable
from snelk.level.splitting import build_tree
from snelk.level.storing import visit_cells
from snelk.level.tree import ABREAST, INNER, LEAF, PARTS, ROOM, WIDE

TOUCH = 1e-9
"""Length at either end of a ray in which a wall is not met, m."""

TINY = 1e-200
"""A ray that extends less than this along an axis does not cross cells that way, m."""

NO_WALL = -1


CELLS_PER_PIECE = 64.0
"""Upper bound of cells per piece, so that a huge empty level cannot eat all memory."""


class Grid(NamedTuple):
    """Square cells over the walls of a level, those that stop sight apart from the others.

    The pieces of walls are filed by cell; each cell's pieces lie next to each other. Solid walls
    let nothing pass, sheer ones dim a ray and let a share of it pass. Triangles, of both, are
    filed in a tree of boxes.
    """

    x: float  # lower left corner, m
    y: float
    cell: float  # side of a cell, m
    per_metre: float  # cells in a metre
    columns: int
    rows: int
    solid_starts: NDArray[np.int32]  # (rows * columns + 1,): where a cell's pieces begin
    solid_pieces: NDArray[np.float64]  # (entries, 6): ax, ay, bx, by, base, top in m
    solid_walls: NDArray[np.int32]  # (entries,): the wall a piece belongs to
    sheer_starts: NDArray[np.int32]
    sheer_pieces: NDArray[np.float64]
    sheer_walls: NDArray[np.int32]
    triangles: NDArray[
        np.float64
    ]  # (9 triangles,): three places of each, m, in the order of the tree
    triangle_walls: NDArray[np.int32]  # (triangles,)
    boxes: NDArray[np.float32]  # (64 nodes,): those of a `Tree` of the triangles
    parts: NDArray[np.int32]  # (64 nodes,): the same memory
    middle: NDArray[np.float64]  # (3,)
    depth: int
    has_sheer: bool  # whether any wall, or triangle, lets a share pass
    has_triangles: bool
    see_through: NDArray[np.float64]  # (walls,): share of sight each wall lets pass

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "",
            solid_starts="cells",
            sheer_starts="cells",
            solid_pieces="solid 6",
            solid_walls="solid",
            sheer_pieces="sheer 6",
            sheer_walls="sheer",
            triangles="corners",
            triangle_walls="triangles",
            boxes="nodes",
            parts="nodes",
            middle="3",
            see_through="walls",
        )
        cells = self.rows * self.columns + 1
        agree(
            (cells, len(self.solid_walls), len(self.sheer_walls)),
            (len(self.solid_starts), self.solid_starts[-1], self.sheer_starts[-1]),
        )
        agree((len(self.boxes) > 0,), (self.has_triangles,))
        agree((len(self.triangles), len(self.parts) % ROOM), (9 * len(self.triangle_walls), 0))
        rows = self.parts.reshape(-1, ROOM)
        parts = rows[:, PARTS : PARTS + WIDE]
        inner = (rows[:, INNER, None] >> np.arange(WIDE)) & 1
        agree((bool((inner == (parts > 0)).all()),), (True,))
        leaves = -1 - parts[parts < 0]
        agree((bool((leaves // LEAF + leaves % LEAF < len(self.triangle_walls)).all()),), (True,))
        agree((bool((parts[parts > 0] % ROOM == 0).all()),), (True,))
        parts = np.where(parts > 0, parts // ROOM, 0)
        below = np.sort(parts[parts > 0])  # each node but the first is part of one
        agree(below.shape, (max(len(rows) - 1, 0),))
        agree((bool((below == np.arange(1, len(below) + 1)).all()),), (True,))
        here = np.arange(min(len(parts), 1), dtype=np.int32)
        for _ in range(self.depth):
            here = parts[here][parts[here] > 0]
        agree((len(here),), (0,))


Shelf = tuple[NDArray[np.int32], NDArray[np.float64], NDArray[np.int32]]
"""Where each cell's pieces begin, the pieces, and the wall each belongs to."""


SLOT = np.dtype([
    # For triangles: where the ray begins and how far it leads, m; from which share of it on it
    # counts, and how much it leans.
    *((name, np.float64, (3,)) for name in ("start", "along")),
    *((name, np.float64) for name in ("first", "lean_u", "lean_v")),
    # What was found: where it was stopped; the share of it that passes other walls, and where it
    # was dimmed first; the walls that did it. Then which of many rays it is.
    *((name, np.float64) for name in ("at", "share", "dimmed_at")),
    *((name, np.intp) for name in ("wall", "dimmed_by", "number")),
    # In 32 bits, for boxes: where it begins, from the middle of the tree, m; the share of it that
    # leads 1 m along each axis; the share of it that is of interest.
    *((name, np.float32) for name in ("from_x", "from_y", "from_z", "per_x", "per_y", "per_z")),
    ("reach", np.float32),
    # Where in the row of a node the sides are through which it enters; the node that is looked into
    # next, and how many are held for later; the axis along which it extends most, or -1.
    *((name, np.int32) for name in ("near_x", "near_y", "near_z", "node", "held", "most")),
    ("spare", np.int32),  # so that the next record begins where a processor reads it best
])  # fmt: skip
"""What is kept of a ray that is followed through the tree."""


class Scratch(NamedTuple):
    """Working memory of `cast_ray`, and which doors stand open."""

    waiting: NDArray[np.int32]  # (16 n,) nodes whose parts are still to be looked into, and after
    # each a bit for each of these parts: the first of each ray, then the second, and so on
    slots: Any  # (8,) a `SLOT` for each ray that is followed at a time
    met: NDArray[np.int64]  # (1 or 8, walls + 1) which ray last met each wall, and a count of rays:
    # of the first slot, or of each
    row: NDArray[np.int64]  # (1,) the row of `opened` that holds for the rays that are cast
    opened: NDArray[
        np.bool_
    ]  # (rows, walls) through which walls rays pass as if they were not there

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(self.opened.shape[1:], (self.met.shape[1] - 1,))
        agree((len(self.met) in (1, ABREAST),), (True,))
        agree(self.row.shape, (1,))
        agree(self.slots.shape, (ABREAST,))
        agree((0 <= int(self.row[0]) < len(self.opened),), (True,))


def agree_scratch(scratch: Scratch, grid: Grid, variants: int = 1) -> None:
    """Make sure that working memory is that of a grid, with a row for all variants or for each.

    Raises:
        ValueError: It is not.
    """
    own = plain(scratch)
    agree(own.met.shape[1:], (len(plain(grid).see_through) + 1,))
    agree((len(own.opened) in (1, variants),), (True,))
    agree((len(own.waiting) >= 2 * ABREAST * plain(grid).depth,), (True,))


def scratch_for(
    grid: Grid,
    opened: NDArray[np.bool_] | None = None,
    *,
    also: Grid | None = None,
    abreast: bool = False,
) -> Scratch:
    """Working memory for rays through a grid, or two; nothing stands open if None.

    With `abreast` there is room for several rays at a time, also where any is dimmed.
    """
    walls = len(plain(grid).see_through)
    if opened is None:
        opened = np.zeros((1, walls), dtype=np.bool_)
    rows = ABREAST if abreast and plain(grid).has_sheer else 1
    met, row = np.zeros((rows, walls + 1), dtype=np.int64), np.zeros(1, dtype=np.int64)
    room = 2 * ABREAST * max(plain(each).depth for each in (grid, also or grid))
    waiting, slots = np.zeros(room, dtype=np.int32), readable(np.zeros(ABREAST, SLOT))
    return laid_out(ScratchColumns, Scratch(waiting, slots, met, row, opened))


def build_grid(
    pieces: NDArray[np.float64],
    walls: NDArray[np.int32],
    see_through: NDArray[np.float64],
    triangles: NDArray[np.float64] | None = None,
    triangle_walls: NDArray[np.int32] | None = None,
    *,
    cell: float | None = None,
    doors: NDArray[np.bool_] | None = None,
) -> Grid:
    """Sort what blocks into a `Grid`.

    Pieces are (pieces, 6) rows of ax, ay, bx, by, base, top in m, triangles (triangles, 3, 3)
    places in m. Pieces without length and triangles without area hide nothing and are left out, as
    are walls one sees through fully (`see_through` 1). The side of a cell, `cell`, is by default so
    long that there is about one piece a cell, within half and twice the median length of a piece:
    the best of those tried on the levels of benchmarks/line_of_sight.py. `doors` tells which walls
    may stand open.
    """
    doors = np.zeros(len(see_through), dtype=np.bool_) if doors is None else doors
    if triangles is None or triangle_walls is None:
        triangles, triangle_walls = np.zeros((0, 3, 3)), np.zeros(0, np.int32)
    length = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
    kept = (length > TOUCH) & (see_through[walls] < 1.0)
    pieces, walls, length = pieces[kept], walls[kept], length[kept]
    sides = triangles[:, [1, 2, 0]] - triangles
    area = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1)
    own = (area > TOUCH * TOUCH) & (see_through[triangle_walls] < 1.0)
    triangles, triangle_walls = triangles[own], triangle_walls[own]
    tree = build_tree(triangles)
    filed = (
        np.ascontiguousarray(triangles[tree.order].reshape(-1)),
        np.ascontiguousarray(triangle_walls[tree.order]),
        tree.boxes, tree.parts, tree.middle, tree.depth,
    )  # fmt: skip
    which = np.concatenate([walls, triangle_walls])
    has_sheer = bool((see_through[which] > 0.0).any() or doors[which].any())
    rest = (*filed, has_sheer, len(triangles) > 0, see_through)
    if len(length) == 0:
        shelf = np.zeros(1, np.int32), np.zeros((0, 6)), np.zeros(0, np.int32)
        return Grid._make((0.0, 0.0, 1.0, 1.0, 0, 0, *shelf, *shelf, *rest))
    ends = pieces[:, 0:4].reshape(-1, 2)
    low, high = ends.min(axis=0), ends.max(axis=0)
    extent = np.maximum(high - low, 1e-3)
    if cell is None:
        spacing = float(np.sqrt(extent[0] * extent[1] / len(pieces)))
        median = _median(length)
        cell = min(max(0.85 * spacing, 0.5 * median), 2.0 * median)
        cell = max(cell, spacing / np.sqrt(CELLS_PER_PIECE), float(extent.max()) / 4096.0)
    low = low - cell * 1e-3
    columns, rows = (int(n) for n in np.ceil((high + cell * 1e-3 - low) / cell))
    solid = (see_through[walls] == 0.0) & ~doors[walls]
    frame = (float(low[0]), float(low[1]), cell, columns, rows)
    shelf, sheer = (_file(pieces[these], walls[these], *frame) for these in (solid, ~solid))
    x, y, cell, columns, rows = frame
    return Grid._make((x, y, cell, 1.0 / cell, columns, rows, *shelf, *sheer, *rest))


def _median(values: NDArray[np.float64]) -> float:
    """NumPy's own loads its masked arrays, which takes longer than all that is done here."""
    middle = ((len(values) - 1) // 2, len(values) // 2)
    return float(np.partition(values, middle)[list(middle)].mean())


def _file(
    pieces: NDArray[np.float64],
    walls: NDArray[np.int32],
    x: float,
    y: float,
    cell: float,
    columns: int,
    rows: int,
) -> Shelf:
    """File every piece under each cell it touches, in the order given."""
    starts, order = _order(visit_cells, pieces, x, y, cell, columns, rows)
    return starts, np.ascontiguousarray(pieces[order]), np.ascontiguousarray(walls[order])


def _order(
    visit: Callable[..., None],
    pieces: NDArray[np.float64],
    x: float,
    y: float,
    cell: float,
    columns: int,
    rows: int,
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Where each cell's entries begin, and which piece each entry is."""
    pieces = np.ascontiguousarray(pieces)
    counts = np.zeros(columns * rows, dtype=np.int32)
    visit(pieces, x, y, cell, columns, rows, counts, np.zeros(0, dtype=np.int32))
    starts = np.zeros(columns * rows + 1, dtype=np.int32)
    np.cumsum(counts, out=starts[1:])
    order = np.empty(starts[-1], dtype=np.int32)
    visit(pieces, x, y, cell, columns, rows, starts[:-1].copy(), order)
    return starts, order
