"""What came of an expectation so far, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]

SLACK = 1e-9
"""Times and numbers this close are the same."""


class Followed(NamedTuple):
    """What came of an expectation so far: (variant,) where nothing else is said."""

    since: Numbers  # (variant, agent): when what it counts from happened, s; -inf for always
    first: Numbers  # when it first came true, s
    end: Numbers  # the last tick that was followed, s
    true_at: Numbers  # when it first was true within its span, s
    false_at: Numbers  # when it first was not
    true: Numbers  # ticks within its span at which it was true
    false: Numbers  # and at which it was not
    gap: Numbers  # the least that it fell short by
    gap_at: Numbers  # when, s
    most: Numbers  # the largest value
    most_at: Numbers  # when, s

    @classmethod
    def blank(cls, since: Numbers) -> Followed:
        """Nothing yet."""
        count = len(since)
        first, end, true_at, false_at, gap_at, most_at = np.full((6, count), np.nan)
        true, false = np.zeros((2, count))
        gap, most = np.full(count, np.inf), np.full(count, -np.inf)
        return cls(since, first, end, true_at, false_at, true, false, gap, gap_at, most, most_at)
