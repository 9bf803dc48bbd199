"""The named parts of conditions, such as `seen("front")`, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree

SEEN_BY, FELT_BY, OBSERVED_BY, IN_ZONE, TARGET_IN_ZONE, IS_ON = range(6)
"""Kinds by index: the focus is in view of a cone; it is felt by touch or in a zone; somebody of a
team sees the agent; the agent, or its focus, is in a zone; a door stands open, or a light is lit.
"""

NAMED = {
    "seen": SEEN_BY,
    "felt": FELT_BY,
    "observed_by": OBSERVED_BY,
    "in_zone": IN_ZONE,
    "target_in_zone": TARGET_IN_ZONE,
    "open": IS_ON,
    "lit": IS_ON,
}
"""The same by the word they are written with."""

TOUCH, ZONE = 0, 1
"""By what the focus is felt, by index."""


class NamedSignals(NamedTuple):
    """Named signals, each with the row that its values are written to."""

    kind: NDArray[np.int8]  # (signal,) of NAMED
    row: NDArray[np.int32]  # (signal,)
    zone: NDArray[np.int32]  # (signal,) index of a zone, or -1
    which: NDArray[np.int32]  # (signal, variant, agent) index of the cone, or -1; TOUCH or ZONE;
    # for `observed_by`, 1 for those of the team; 1 for what is open or lit, overwritten

    @classmethod
    def blank(cls, count: int, shape: tuple[int, ...]) -> NamedSignals:
        """A table of this size."""
        return cls(
            np.zeros(count, dtype=np.int8),
            np.zeros(count, dtype=np.int32),
            np.full(count, -1, dtype=np.int32),
            np.full((count, *shape), -1, dtype=np.int32),
        )

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(self.kind.shape, self.row.shape, self.zone.shape, (len(self.which),))
        needs = (self.kind == IN_ZONE) | (self.kind == TARGET_IN_ZONE)
        agree((bool((self.zone[needs] >= 0).all()), bool((self.row >= 0).all())), (True, True))
