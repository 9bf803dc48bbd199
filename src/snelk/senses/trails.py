"""Scent trails, and the air in which they fade; see docs/calculations.md.

A trail is a row of places where feet were. The newest moves along while it is less than `SPACING`
off the place before; where feet go farther it stays, and another begins.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes
from snelk.level.level import Level
from snelk.senses.contact import ContactNumbers

Numbers = NDArray[np.float64]

SPACING = 0.5
"""So far apart are the places of a trail, m."""

AT_FIRST = 64
"""There is room for so many places of each trail, at first."""


class AirNumbers(NamedTuple):
    """How strong trails are, and how they fade: (variant, character) where nothing else is said."""

    leaves: NDArray[np.bool_]  # whether it leaves a trail that any nose of the variant minds
    scent: Numbers  # how strong its trail is
    weakest: Numbers  # (variant,) below this no nose of the variant minds it
    fades: Numbers  # (variant,) halvings in a second where no wind blows
    thins: Numbers  # (variant,) how many more times as many in the whole wind
    wind_x: Numbers  # (variant,) by this power of e it is smelt farther off towards +x
    wind_y: Numbers
    zone_wind: Numbers  # (zone,) share of the wind inside; NaN where it does not say
    zone_scent: Numbers  # (zone,) share of its strength that a trail has; NaN likewise

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants",
            leaves="variants characters",
            scent="variants characters",
            zone_wind="zones",
            zone_scent="zones",
        )


class Trails(NamedTuple):
    """The places of all trails, oldest first: (variant, character, place)."""

    x: Numbers  # m
    y: Numbers
    z: Numbers  # of the feet
    t: Numbers  # when it was there, s
    scent: Numbers  # how strong it was at first
    wind: Numbers  # share of the wind that blows there
    strength: Numbers  # how strong it is now
    first: NDArray[np.int64]  # (variant, character) where the oldest stands; the rows are rings
    size: NDArray[np.int64]  # (variant, character)
    longest: NDArray[np.int64]  # (1,) how many places the longest has

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants characters places",
            first="variants characters",
            size="variants characters",
            longest="1",
        )

    @classmethod
    def blank(cls, variants: int, characters: int, room: int = AT_FIRST) -> Trails:
        """Nobody has left any."""
        shape = (variants, characters)
        places = (np.full((*shape, room), np.nan) for _ in range(7))
        first, size = np.zeros((2, *shape), dtype=np.int64)
        parts: list[Any] = [*places, first, size, np.zeros(1, dtype=np.int64)]
        return cls(*parts)

    def with_room(self) -> Trails:
        """The same trails with twice the room."""
        variants, characters, room = self.x.shape
        wider = Trails.blank(variants, characters, 2 * room)
        order = (self.first[:, :, None] + np.arange(room)) % room
        for values, into in zip(self[:7], wider[:7], strict=True):
            into[:, :, :room] = np.take_along_axis(values, order, axis=2)
        wider.size[...], wider.longest[...] = self.size, self.longest
        return wider

    def forget(self, v: int, j: int) -> None:
        """Let somebody's trail be gone, as that of another begins."""
        self.size[v, j] = 0

    def of(self, v: int, j: int) -> dict[str, Any]:
        """The places of a trail, oldest first, as columns."""
        room = self.x.shape[2]
        order = (self.first[v, j] + np.arange(self.size[v, j])) % room
        names = ("x", "y", "z", "t", "wind", "strength")
        return {name: getattr(self, name)[v, j, order] for name in names}


def air_numbers(setups: Sequence[Setup], level: Level, contacts: ContactNumbers) -> AirNumbers:
    """Pack the trails' scents and the air of every variant into arrays."""
    scent = np.array([[s.body_of(name).scent for name in s.cast] for s in setups], dtype=np.float64)
    scent = scent.reshape(len(setups), -1)
    noses = contacts.smells[:, :, None] & contacts.smell_cares
    air = [setup.air for setup in setups]
    wind = np.array([each.wind for each in air], dtype=np.float64)
    turned = np.radians([each.blows_to for each in air])
    carries = np.array([each.carries for each in air]) * wind
    weakest = np.where(contacts.smells, contacts.weakest, 1.0).min(axis=1, initial=1.0)
    return AirNumbers(
        noses.any(axis=1) & (scent > 0.0),
        scent,
        weakest,
        1.0 / np.array([each.half_life for each in air], dtype=np.float64),
        np.array([each.thins for each in air]) * wind,
        carries * np.cos(turned),
        carries * np.sin(turned),
        level.zone_wind,
        level.zone_scent,
    )
