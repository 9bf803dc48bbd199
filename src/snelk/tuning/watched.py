"""The results of stand-ins that are watched, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, plain
from snelk.mind.meter import Meters
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight

Numbers = NDArray[np.float64]


class WatchStage(NamedTuple):
    """What all agents sense of the stand-ins, and the results: (position,)."""

    sight: Sight
    contacts: Contacts
    meters: Meters
    agents: NDArray[np.int32]  # (agent,) who watches
    metered: NDArray[np.bool_]  # (agent,) who of them has a meter
    full: Numbers  # when it was noticed, s; NaN for not yet; this and all else is overwritten
    by: NDArray[np.int64]  # which of those who watch noticed it; -1 for nobody
    highest: Numbers  # the highest value of any meter
    watched: NDArray[np.bool_]  # (tick, place) whether anybody had it in view

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        shape = plain(self.meters).value.shape
        agree(shape, plain(self.sight).failed.shape[:3], plain(self.contacts).touch.shape)
        agree(self.full.shape, self.by.shape, self.highest.shape, self.watched.shape[1:])
        agree(self.agents.shape, self.metered.shape)
        inside = (self.agents >= 0) & (self.agents < shape[1])
        room = len(self.full) <= shape[0] * shape[2]
        agree((bool(inside.all()), room), (True, True))
