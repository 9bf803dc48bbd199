"""The times of ticks."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from snelk.config.models import Clock


def times_of(clock: Clock, ticks: int) -> NDArray[np.float64]:
    """Times of a number of ticks from the start, s, without rounding errors of binary fractions."""
    return np.round(clock.start + np.arange(ticks, dtype=np.float64) * clock.dt, 9)
