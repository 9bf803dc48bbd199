"""All that one tick of the senses, of footsteps and of ears reads and writes, except poses."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import GAITS, SENSES
from snelk.level.columns import agree, plain
from snelk.level.floors import Floors
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.level.zones import Zones
from snelk.senses.bodies import Bodies
from snelk.senses.contact import ContactNumbers, Contacts
from snelk.senses.light import LightNumbers
from snelk.senses.sight import Sight, SightLimits, SightNumbers
from snelk.senses.surroundings import Around, Surroundings
from snelk.senses.trails import AirNumbers, Trails

Numbers = NDArray[np.float64]


class SenseStage(NamedTuple):
    """The senses of a batch: its numbers, the level, and the results of the last tick.

    Targets are the first of all characters: in a run all of them, for coverage the stand-in alone.
    """

    dt: float  # s
    asked: int  # what sight is asked for: see `see`
    everybody: NDArray[np.int32]  # those whose surroundings and light are asked for, by index
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
    scratch: Scratch  # of the grids
    sight: Sight  # overwritten
    contact_numbers: ContactNumbers
    awake: Numbers  # (sense, variant, agent)
    contacts: Contacts  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        numbers, around = plain(self.numbers), plain(self.around)
        surroundings = plain(self.surroundings)
        variants, agents, targets = numbers.notices.shape
        characters = self.light.shape[1]
        inside = (self.everybody >= 0) & (self.everybody < characters)
        agree((bool(inside.all()), targets <= characters), (True, True))
        agree(
            (variants, characters), self.light.shape, surroundings.light.shape,
            plain(self.lights).lamp.shape, plain(self.bodies).blocks.shape,
        )  # fmt: skip
        agree(around.light.shape, (variants,))
        agree(
            surroundings.zones.shape[2:], around.zone_background.shape,
            (len(plain(self.zones).circles),), plain(self.contact_numbers).zones.shape[2:],
        )  # fmt: skip
        agree(surroundings.zones.shape[:2], surroundings.moved.shape)
        agree(numbers.notices.shape, plain(self.sight).distance.shape)
        agree(numbers.notices.shape, plain(self.contacts).touch.shape)
        agree(plain(self.limits).range.shape, (variants, agents, numbers.cares.shape[3]))
        agree((len(SENSES), variants, agents), self.awake.shape)
        agree(plain(self.contact_numbers).touch_cares.shape, numbers.notices.shape)
        agree_scratch(self.scratch, self.grid, len(self.light))
        agree_scratch(self.scratch, self.solid_grid, len(self.light))


class SmellStage(NamedTuple):
    """The trails of a batch, and its noses."""

    used: bool  # whether there is any nose
    notices: NDArray[np.bool_]  # (variant, agent, target)
    bodies: Bodies
    surroundings: Surroundings
    air: AirNumbers
    trails: Trails  # overwritten
    numbers: ContactNumbers
    awake: Numbers  # (variant, agent)
    grid: Grid  # what holds a scent back
    scratch: Scratch  # of the grid
    contacts: Contacts  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        air, trails, within = plain(self.air), plain(self.trails), plain(self.surroundings).zones
        agree(self.notices.shape, plain(self.contacts).smell.shape)
        agree(self.notices.shape, plain(self.numbers).smell_cares.shape)
        agree(self.notices.shape[:2], self.awake.shape)
        agree(air.scent.shape, trails.first.shape, plain(self.bodies).blocks.shape)
        agree(air.scent.shape, (len(self.notices), within.shape[1]))
        agree((air.scent.shape[1],), self.notices.shape[2:])
        agree(air.zone_wind.shape, within.shape[2:], plain(self.numbers).zones.shape[2:])
        agree_scratch(self.scratch, self.grid, len(self.notices))


class StepStage(NamedTuple):
    """The footsteps of a batch: (variant, character) where nothing else is said."""

    dt: float  # s
    moved: Numbers  # (variant or 1, character) since a tick ago, m; negative for who was not there
    stride: Numbers  # m
    reaches: Numbers  # (variant, character, gait) of a step, m
    speeds: Numbers  # (variant, character, 2) creeps below the first, runs above the second, m/s
    zones: Zones
    zone_ground: NDArray[np.int64]  # (zone,) its ground by index, or NO_GROUND
    loudness: Numbers  # (variant, ground) how many times as far steps carry on it
    walked: Numbers  # since the last stride ended, m; overwritten
    ended: NDArray[np.int64]  # strides that ended at this tick; overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        stride = self.stride
        agree(stride.shape, self.walked.shape, self.ended.shape, self.speeds.shape[:2])
        agree(stride.shape, self.reaches.shape[:2], (len(stride), self.moved.shape[1]))
        agree((len(self.moved) in (1, len(stride)), self.speeds.shape[2]), (True, 2))
        agree(self.zone_ground.shape, (len(plain(self.zones).circles),))
        grounds = int(self.zone_ground.max(initial=-1)) < self.loudness.shape[1]
        agree((len(self.loudness), grounds), (len(stride), True))
        agree(self.reaches.shape[2:], (len(GAITS),))


ALL_ALIKE, APART = -2, -1
"""Instead of a ground: all variants have the same; they differ, and are asked one by one."""


class EarStage(NamedTuple):
    """Everybody's ears: (variant, agent) where nothing else is said."""

    characters: NDArray[np.int32]  # (agent,)
    bodies: Bodies
    acuity: Numbers
    awake: Numbers
    cares: NDArray[np.bool_]  # (variant, agent, maker); the last maker is nobody
    error: Numbers  # how far off noises may seem, m for each m of distance
    sound_grid: Grid
    feet_grid: Grid
    low: float  # without floors, between these heights of ground the paths on foot are those of
    high: float  # 0, m
    scratch: Scratch  # of both
    floors: Floors
    way_of: NDArray[np.int32]  # (variant,) by which of the grounds its noises come on foot
    which: NDArray[np.int32]  # (1,) the ground that is asked about, ALL_ALIKE or APART

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        variants, targets = plain(self.bodies).blocks.shape
        by_agent = (variants, len(self.characters))
        agree(by_agent, self.acuity.shape, self.awake.shape, self.error.shape)
        agree((*by_agent, targets + 1), self.cares.shape)
        agree((variants, 1), (len(self.way_of), len(self.which)))
        agree_scratch(self.scratch, self.sound_grid, variants)
        agree_scratch(self.scratch, self.feet_grid, variants)
