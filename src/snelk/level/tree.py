"""A tree of boxes over triangles, for rays.

Each node has up to eight parts, each with the box around it: nodes, or up to `LEAF` triangles.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

WIDE, LEAF, BINS = 8, 2, 16
"""Parts of a node, triangles of a leaf, places at which a part may be cut."""

PARTS, INNER, ROOM = 6 * WIDE, 7 * WIDE, 64
"""In the row of a node: where its parts come after their boxes, then a bit for each that is a node,
and how long the row is: four times what a processor reads at once."""

NODE, TRIANGLE = 1.0, 0.6
"""What it costs to look into a node, and at a triangle, as measured."""

ERRS = 2.0**-21
"""Boxes are larger by so much of the size of all: four times what they and rays can err."""

ABREAST = 8
"""How many rays are followed at a time."""


class Tree(NamedTuple):
    """Boxes over triangles."""

    boxes: NDArray[np.float32]  # (64 nodes,): of the 8 parts of each the lowest x, y, z, then the
    # highest x, y, z, m
    parts: NDArray[np.int32]  # the same memory, from `PARTS` on: where the row of a node begins, or
    # -1 - n for a leaf: n is LEAF times its first triangle, in the order, and how many follow
    order: NDArray[np.int32]  # (triangles,): in which they are filed
    middle: NDArray[np.float64]  # (3,): where boxes count from, m
    depth: int  # nodes below each other
