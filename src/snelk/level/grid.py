"""Sorting wall pieces into the cells of a uniform grid."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import ScratchColumns, agree, agree_axes, laid_out, plain
from snelk.level.filing import visit_cells, visit_cells_of_triangles

TOUCH = 1e-9
"""Length at either end of a ray in which a wall is not met, m."""

TINY = 1e-200
"""A ray that extends less than this along an axis does not cross cells that way, m."""

LEEWAY = 1e-6
"""A triangle that a ray misses in height by less than this is looked at, m."""

LAYERS = 64
"""In so many layers of height it is noted where triangles are: as many as a word has bits."""

NO_WALL = -1


CELLS_PER_PIECE = 64.0
"""Upper bound of cells per piece, so that a huge empty level cannot eat all memory."""


class Grid(NamedTuple):
    """Square cells over the walls of a level, those that stop sight apart from the others.

    The pieces of walls are filed by cell; each cell's pieces lie next to each other. Solid walls
    let nothing pass, sheer ones dim a ray and let a share of it pass. Triangles, of both, are
    filed in the same cells by where they are in plan.
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
    triangles: NDArray[np.float64]  # (triangles, 9): three places, m
    triangle_walls: NDArray[np.int32]  # (triangles,)
    triangle_starts: NDArray[np.int32]  # (rows * columns + 1,): where a cell's entries begin
    entry_triangles: NDArray[np.int32]  # (entries,): the triangle that is filed there
    entry_layers: NDArray[np.uint64]  # (entries,): the layers of height that it is in, in bits
    cell_layers: NDArray[np.uint64]  # (rows * columns,): those of all triangles of a cell
    lowest: float  # where the lowest of `LAYERS` layers begins, m
    layers_per_metre: float
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
            triangle_starts="cells",
            triangles="triangles 9",
            triangle_walls="triangles",
            entry_triangles="entries",
            entry_layers="entries",
            cell_layers="own",
            see_through="walls",
        )
        cells = self.rows * self.columns + 1
        agree(
            (cells, len(self.solid_walls), len(self.sheer_walls), len(self.entry_layers)),
            (
                len(self.solid_starts),
                self.solid_starts[-1],
                self.sheer_starts[-1],
                self.triangle_starts[-1],
            ),
        )
        agree((len(self.cell_layers) + 1,), (cells,))


Shelf = tuple[NDArray[np.int32], NDArray[np.float64], NDArray[np.int32]]
"""Where each cell's pieces begin, the pieces, and the wall each belongs to."""


Filed = tuple[
    NDArray[np.float64],
    NDArray[np.int32],
    NDArray[np.int32],
    NDArray[np.int32],
    NDArray[np.uint64],
    NDArray[np.uint64],
    float,
    float,
]
"""The fields of a `Grid` from `triangles` to `layers_per_metre`."""


class Scratch(NamedTuple):
    """Working memory of `cast_ray`, and which doors stand open."""

    met: NDArray[np.int64]  # (walls + 1,) which ray last met each wall, and a count of rays
    row: NDArray[np.int64]  # (1,) the row of `opened` that holds for the rays that are cast
    opened: NDArray[
        np.bool_
    ]  # (rows, walls) through which walls rays pass as if they were not there

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(self.opened.shape[1:], (len(self.met) - 1,))
        agree(self.row.shape, (1,))
        agree((0 <= int(self.row[0]) < len(self.opened),), (True,))


def agree_scratch(scratch: Scratch, grid: Grid, variants: int = 1) -> None:
    """Make sure that working memory is that of a grid, with a row for all variants or for each.

    Raises:
        ValueError: It is not.
    """
    own = plain(scratch)
    agree(own.met.shape, (len(plain(grid).see_through) + 1,))
    agree((len(own.opened) in (1, variants),), (True,))


def scratch_for(grid: Grid, opened: NDArray[np.bool_] | None = None) -> Scratch:
    """Working memory for rays through a grid; nothing stands open if None."""
    walls = len(plain(grid).see_through)
    if opened is None:
        opened = np.zeros((1, walls), dtype=np.bool_)
    met, row = np.zeros(walls + 1, dtype=np.int64), np.zeros(1, dtype=np.int64)
    return laid_out(ScratchColumns, Scratch(met, row, opened))


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
    the best of those tried on the levels of benchmarks/line_of_sight.py. A triangle counts as a
    quarter of a piece, with its longest side in plan. `doors` tells which walls may stand open.
    """
    doors = np.zeros(len(see_through), dtype=np.bool_) if doors is None else doors
    if triangles is None or triangle_walls is None:
        triangles, triangle_walls = np.zeros((0, 3, 3)), np.zeros(0, np.int32)
    length = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
    kept = (length > TOUCH) & (see_through[walls] < 1.0)
    pieces, walls, length = pieces[kept], walls[kept], length[kept]
    corners = triangles.reshape(-1, 9)
    if len(corners):
        sides = triangles[:, [1, 2, 0]] - triangles
        area = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1)
        own = (area > TOUCH * TOUCH) & (see_through[triangle_walls] < 1.0)
        corners, triangle_walls = corners[own], triangle_walls[own]
        longest = np.hypot(sides[own, :, 0], sides[own, :, 1]).max(axis=1)
        length = np.concatenate([length, np.maximum(longest, TOUCH)])
    if len(length) == 0:
        shelf = np.zeros(1, np.int32), np.zeros((0, 6)), np.zeros(0, np.int32)
        filed = _filed_triangles(corners, triangle_walls, 0.0, 0.0, 1.0, 0, 0)
        fields = (0.0, 0.0, 1.0, 1.0, 0, 0, *shelf, *shelf, *filed, False, False, see_through)
        return Grid._make(fields)
    ends = np.concatenate([pieces[:, 0:4].reshape(-1, 2), corners.reshape(-1, 3)[:, :2]])
    low, high = ends.min(axis=0), ends.max(axis=0)
    extent = np.maximum(high - low, 1e-3)
    if cell is None:
        spacing = float(np.sqrt(extent[0] * extent[1] / (len(pieces) + len(corners) / 4.0)))
        median = _median(length)
        cell = min(max(0.85 * spacing, 0.5 * median), 2.0 * median)
        cell = max(cell, spacing / np.sqrt(CELLS_PER_PIECE), float(extent.max()) / 4096.0)
    low = low - cell * 1e-3
    columns, rows = (int(n) for n in np.ceil((high + cell * 1e-3 - low) / cell))
    solid = (see_through[walls] == 0.0) & ~doors[walls]
    frame = (float(low[0]), float(low[1]), cell, columns, rows)
    shelf, sheer = (_file(pieces[these], walls[these], *frame) for these in (solid, ~solid))
    which = np.concatenate([walls, triangle_walls])
    has_sheer = bool((see_through[which] > 0.0).any() or doors[which].any())
    x, y, cell, columns, rows = frame
    lattice = (x, y, cell, 1.0 / cell, columns, rows)
    filed = _filed_triangles(corners, triangle_walls, *frame)
    fields = (*lattice, *shelf, *sheer, *filed, has_sheer, len(corners) > 0, see_through)
    return Grid._make(fields)


def _filed_triangles(corners: NDArray[np.float64], walls: NDArray[np.int32], *frame: Any) -> Filed:
    """Those fields of a `Grid` that are about triangles, (triangles, 9) in m."""
    starts, order = _order(visit_cells_of_triangles, corners, *frame)
    heights = corners.reshape(-1, 3, 3)[:, :, 2]
    lowest, highest = heights.min(initial=np.inf), heights.max(initial=-np.inf)
    per_metre = LAYERS / max(highest - lowest, 1e-3) if len(corners) else 0.0
    lowest = lowest if len(corners) else 0.0
    layer = np.clip((heights - lowest) * per_metre, 0, LAYERS - 1).astype(np.uint64)
    one, two = np.uint64(1), np.uint64(2)
    own = (two << layer.max(axis=1, initial=0)) - (one << layer.min(axis=1, initial=LAYERS - 1))
    entries = own[order]
    cells = np.zeros(len(starts) - 1, dtype=np.uint64)
    np.bitwise_or.at(cells, np.repeat(np.arange(len(cells)), np.diff(starts)), entries)
    corners = np.ascontiguousarray(corners)
    return corners, walls, starts, order, entries, cells, float(lowest), float(per_metre)


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
