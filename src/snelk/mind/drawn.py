"""The positions of noises made by nobody that drew agents, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree_axes

Numbers = NDArray[np.float64]


class Drawn(NamedTuple):
    """The place that a noise of nobody drew every agent to: (variant, agent)."""

    x: Numbers  # where the noise was heard, m; NaN where nothing draws it
    y: Numbers
    z: Numbers
    age: Numbers  # since when, s ago
    blur: Numbers  # how far off that may be, m
    meter: Numbers  # how much it draws, 0 to 1
    quiet: Numbers  # s since such a noise was heard
    heard: NDArray[np.bool_]  # at this tick
    kind: NDArray[np.int32]  # the noise, index of the noise maker's words; -1 for none

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents")

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Drawn:
        """Nothing draws anybody."""
        x, y, z, age, blur = np.full((5, *shape), np.nan)
        meter, quiet = np.zeros((2, *shape))
        heard, kind = np.zeros(shape, dtype=np.bool_), np.full(shape, -1, dtype=np.int32)
        return cls(x, y, z, age, blur, meter, quiet, heard, kind)
