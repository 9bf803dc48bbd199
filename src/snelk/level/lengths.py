"""Lengths, worked out alike by loops and in Python; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import compiled

if not compiled:  # else it is a part of each loop that asks, by the .pxd
    from math import sqrt

    def hypot(x: float, y: float) -> float:
        """The length of (x, y); all machines round roots alike, but not a library's lengths."""
        return sqrt(x * x + y * y)
