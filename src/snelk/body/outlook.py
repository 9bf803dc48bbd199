"""What agents look at places with, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

from snelk.level.columns import agree, plain
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.level.zones import Zones
from snelk.senses.bodies import Bodies
from snelk.senses.light import LightNumbers
from snelk.senses.sight import SightLimits, SightNumbers
from snelk.senses.surroundings import Around


class Outlook(NamedTuple):
    """How far everybody sees, and all that stands or shines between; see `look_out`."""

    bodies: Bodies  # how tall everybody is
    numbers: SightNumbers
    limits: SightLimits  # of everybody's cones
    around: Around  # the light where zones say so, and where none does
    lamps: LightNumbers  # everybody's; of light the place's and its own lamp's count
    zones: Zones
    grid: Grid  # the walls
    scratch: Scratch  # of the grid

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        variants, _agents, characters = plain(self.numbers).notices.shape
        agree(
            (variants, characters), plain(self.lamps).lamp.shape,
            plain(self.bodies).height.shape[:2],
        )  # fmt: skip
        agree(plain(self.around).zone_background.shape, (len(plain(self.zones).circles),))
        agree(plain(self.around).light.shape, (variants,))
        agree_scratch(self.scratch, self.grid, variants)
