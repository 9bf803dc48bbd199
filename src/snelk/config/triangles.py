"""Triangles of meshes: a table beside the level, one row each, with the name of the mesh."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.fields import LONGEST
from snelk.config.problems import shown
from snelk.errors import InputError, Problem, ReadError

CORNERS = tuple(f"{corner}{axis}" for corner in "abc" for axis in "xyz")
"""The columns of the corners of a triangle, m."""

MOST = 1_000_000
"""Of one level."""

Triangles = Mapping[str, NDArray[np.float64]]
"""By mesh its triangles, (triangles, 3, 3) places in m."""


def read_triangles(path: Path) -> dict[str, NDArray[np.float64]]:
    """Read triangles from Parquet: columns `mesh` and `ax`, `ay`, `az`, `bx` to `cz`, in m.

    Raises:
        InputError: The file cannot be read, a column is missing, or a value is no number.
    """
    from snelk.config.tabular import read_rows

    rows = read_rows(path, ".parquet")
    missing = [name for name in ("mesh", *CORNERS) if name not in rows]
    if missing:
        rule = f'column "{missing[0]}" is missing'
        raise ReadError.of(str(path), "columns", "", rule, f"needs mesh, {', '.join(CORNERS)}")
    if len(rows) > MOST:
        rule = f"has {len(rows):,} triangles, more than {MOST:,}"
        raise InputError.of(str(path), "", "", rule, "leave out triangles that nobody can see")
    corners = np.stack([rows.numbers(name) for name in CORNERS], axis=1).reshape(-1, 3, 3)
    wild = np.argwhere(~(np.abs(corners) <= LONGEST))
    if len(wild):
        row, corner, axis = wild[0].tolist()
        name = CORNERS[corner * 3 + axis]
        given, where = shown(rows.value(name, row)), f"row {row}: {name}"
        rule = f"must be a number within ±{LONGEST:g}"
        raise InputError.of(str(path), where, given, rule, "check the unit of length")
    return {name: corners[places] for name, places in sorted(rows.by("mesh").items())}


def write_triangles(triangles: Triangles, path: Path) -> None:
    """Write triangles as `read_triangles` reads them."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    names = [name for name, own in triangles.items() for _ in range(len(own))]
    corners = np.concatenate([np.zeros((0, 3, 3)), *triangles.values()]).reshape(-1, 9)
    columns: dict[str, Any] = {"mesh": pa.array(names, pa.string()).dictionary_encode()}
    columns |= {name: corners[:, n] for n, name in enumerate(CORNERS)}
    pq.write_table(pa.table(columns), path)


def triangles_in(
    given: Any, folder: Path | None, source: str, problems: list[Problem]
) -> dict[str, NDArray[np.float64]]:
    """Those that a level names: a file beside it, or by mesh lists of nine numbers."""
    if given is None:
        return {}
    if isinstance(given, str) and folder is not None:
        try:
            return read_triangles(folder / given)
        except InputError as error:
            problems += error.problems
            return {}
    found = {}
    try:
        for name, rows in given.items():
            found[str(name)] = np.array(rows, dtype=np.float64).reshape(-1, 3, 3)
            if not (np.abs(found[str(name)]) <= LONGEST).all():
                raise ValueError
    except (AttributeError, TypeError, ValueError):
        rule = (
            "must name a .parquet file beside the level, or give nine numbers per triangle, by mesh"
        )
        problems.append(Problem(source, "triangles", shown(given)[:60], rule))
    return found
