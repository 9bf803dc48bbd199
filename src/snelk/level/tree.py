"""A tree of boxes over triangles, for rays.

Each node has up to eight parts, each with the box around it: nodes, or up to `LEAF` triangles.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

WIDE, LEAF, BINS = 8, 2, 16
"""Parts of a node, triangles of a leaf, places at which a part may be cut."""

ERRS = 2.0**-21
"""Boxes are larger by so much of the size of all: four times what they and rays can err."""


class Tree(NamedTuple):
    """Boxes over triangles."""

    boxes: NDArray[np.float32]  # (nodes, 48): of 8 parts the lowest x, y, z, the highest x, y, z, m
    parts: NDArray[
        np.int32
    ]  # (nodes, 8): a node; -1 - n for a leaf: n is LEAF times its first triangle,
    # in the order, and how many follow
    order: NDArray[np.int32]  # (triangles,): in which they are filed
    middle: NDArray[np.float64]  # (3,): where boxes count from, m
    depth: int  # nodes below each other
