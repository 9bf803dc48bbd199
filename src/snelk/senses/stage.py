"""All that one tick of the senses reads and writes, beside everybody's poses."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, plain
from snelk.level.grid import Grid
from snelk.level.zones import Zones
from snelk.senses.bodies import Bodies
from snelk.senses.contact import ContactNumbers, Contacts
from snelk.senses.light import LightNumbers
from snelk.senses.sight import Sight, SightLimits, SightNumbers
from snelk.senses.surroundings import Around, Surroundings

Numbers = NDArray[np.float64]


class SenseStage(NamedTuple):
    """The senses of a batch: its numbers, the level, and what the last tick came to."""

    dt: float  # s
    asked: int  # what sight is asked for: see `see`
    everybody: NDArray[np.int32]  # (character,) their numbers
    bodies: Bodies
    zones: Zones
    around: Around
    surroundings: Surroundings  # overwritten
    lights: LightNumbers
    light: Numbers  # (variant, character) overwritten
    numbers: SightNumbers
    limits: SightLimits
    grid: Grid
    solid_grid: Grid
    scratch: NDArray[np.int64]  # of the grids
    sight: Sight  # overwritten
    contact_numbers: ContactNumbers
    touch_awake: Numbers  # (variant, agent)
    zone_awake: Numbers  # (variant, agent)
    contacts: Contacts  # overwritten

    def check(self) -> None:
        """Make sure that its arrays fit each other; see `agree`."""
        numbers, around = plain(self.numbers), plain(self.around)
        surroundings = plain(self.surroundings)
        variants, agents, targets = numbers.notices.shape
        agree(self.everybody.shape, (targets,))
        inside = (self.everybody >= 0) & (self.everybody < targets)
        agree((bool(inside.all()),), (True,))
        agree(
            (variants, targets), self.light.shape, surroundings.light.shape,
            plain(self.lights).lamp.shape, plain(self.bodies).blocks.shape,
        )  # fmt: skip
        agree(around.light.shape, (variants,))
        agree(
            surroundings.zones.shape[2:], around.zone_light.shape,
            (len(plain(self.zones).circles),), plain(self.contact_numbers).zones.shape[2:],
        )  # fmt: skip
        agree(surroundings.zones.shape[:2], surroundings.moved.shape)
        agree(numbers.notices.shape, plain(self.sight).distance.shape)
        agree(numbers.notices.shape, plain(self.contacts).touch.shape)
        agree(plain(self.limits).range.shape, (variants, agents, numbers.cares.shape[3]))
        agree((variants, agents), self.touch_awake.shape, self.zone_awake.shape)
        agree(plain(self.contact_numbers).touch_cares.shape, numbers.notices.shape)
        walls = (len(plain(self.grid).see_through) + 1,)
        agree(self.scratch.shape, walls, (len(plain(self.solid_grid).see_through) + 1,))
