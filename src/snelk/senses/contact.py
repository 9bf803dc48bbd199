"""Touch, the zone sense and smell.

Bodies touch if the distance between them is at most the radius and no wall that one cannot walk
through stands between their middles. The distance is that in plan, and of bodies above one another
also over the gap between them. The gates are those of docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Meter, Setup
from snelk.level.columns import agree_axes, in_one
from snelk.level.grid import NO_WALL
from snelk.senses.gates import CONTACTS, SENSES, SMELL, TOUCH, ZONE

TOUCH_GATES, ZONE_GATES, SMELL_GATES = TOUCH.names, ZONE.names, SMELL.names
"""The gates in the order in which they are tried."""

SENSED = -1
PRESENT, CARES, AWAKE, RADIUS, WALL = range(len(TOUCH_GATES))
INSIDE = 3
STRENGTH, REACH = 3, 4
NO_ZONE = -1
BY_TOUCH, BY_ZONE, BY_SMELL = range(len(CONTACTS))
"""The senses of contact by their number, as in `Contacts.fills`."""

FIRST_CONTACT = SENSES.index(TOUCH)
"""The number of the first of them among all senses."""

AT_ONCE = float("inf")
"""The rate of what fills a meter at once."""

OF_TARGETS = ("touch_cares", "zone_cares", "smell_cares")
"""The numbers of contacts that are of a pair."""


class ContactNumbers(NamedTuple):
    """The numbers of everybody's senses of contact; see `contact_numbers`."""

    characters: NDArray[np.int32]  # (agent,): which character the agent is
    feels: NDArray[np.bool_]  # (variant, agent): whether it has a sense of touch
    radius: NDArray[np.float64]  # (variant, agent), m
    touch_cares: NDArray[np.bool_]  # (variant, agent, target)
    watches: NDArray[np.bool_]  # (variant, agent): whether it has a zone sense
    zones: NDArray[np.bool_]  # (variant, agent, zone)
    zone_cares: NDArray[np.bool_]  # (variant, agent, target)
    smells: NDArray[np.bool_]  # (variant, agent): whether it has a nose
    smell_cares: NDArray[np.bool_]  # (variant, agent, target)
    reach: NDArray[np.float64]  # (variant, agent) of its nose, m
    weakest: NDArray[np.float64]  # (variant, agent): the strength that it smells at least
    rates: NDArray[np.float64]  # (variant, agent, contact): 1 fills a meter in fill_time

    def has(self, v: int) -> NDArray[np.bool_]:
        """(agent, contact) who has which of these senses in a variant."""
        return np.stack([self.feels[v], self.watches[v], self.smells[v]], axis=1)

    def of_agent(self, a: int) -> ContactNumbers:
        """Those of one agent, who is the first character."""
        numbers = {
            name: np.ascontiguousarray(values[:, a : a + 1])
            for name, values in self._asdict().items()
            if name != "characters"
        }
        return ContactNumbers(characters=np.zeros(1, dtype=np.int32), **numbers)

    def of_targets(self, targets: Sequence[int] | NDArray[np.intp]) -> ContactNumbers:
        """The same of other targets: of these, each as often as it is named."""
        every = {name: getattr(self, name)[:, :, targets] for name in OF_TARGETS}
        return self._replace(**{name: values.copy() for name, values in every.items()})

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            characters="agents",
            touch_cares="variants agents targets",
            zones="variants agents zones",
            zone_cares="variants agents targets",
            smell_cares="variants agents targets",
            rates=f"variants agents {len(CONTACTS)}",
        )


class Contacts(NamedTuple):
    """The results of touch, the zone sense and smell: (variant, agent, target)."""

    distance: NDArray[np.float64]  # in plan, and over the gap in height, m; NaN while absent
    radius: NDArray[np.float64]  # how far off it may be to be felt, m
    touch: NDArray[np.int8]  # the first gate of touch that failed, or SENSED
    wall: NDArray[np.int32]  # the wall in between, or NO_WALL
    zone: NDArray[np.int8]  # the first gate of the zone sense that failed, or SENSED
    zone_in: NDArray[np.int32]  # the first watched zone the target is in, or NO_ZONE
    smell: NDArray[np.int8]  # the first gate of smell that failed, or SENSED
    # Of the freshest place of its trail that is smelt, or that comes nearest to it; NaN without:
    strength: NDArray[np.float64]  # how strong it is there
    scent_age: NDArray[np.float64]  # how long ago it was there, s
    scent_x: NDArray[np.float64]  # where its feet were, m
    scent_y: NDArray[np.float64]
    scent_z: NDArray[np.float64]
    away: NDArray[np.float64]  # how far off the nose that is, m
    limit: NDArray[np.float64]  # how far off it could be, m
    scent_wall: NDArray[np.int32]  # the first wall in between that holds it back, or NO_WALL
    felt: NDArray[np.bool_]  # whether touch or the zone sense has it: one knows where it is
    # (variant, agent, target, contact): how fast each sense of contact fills the meter; AT_ONCE, or
    # NaN of one that does not have it:
    fills: NDArray[np.float64]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self, "variants agents targets", fills=f"variants agents targets {len(CONTACTS)}"
        )

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Contacts:
        """Nobody felt, nobody in a zone, nobody smelt."""
        parts: list[Any] = [
            *np.full((2, *shape), np.nan),
            np.full(shape, PRESENT, dtype=np.int8),
            np.full(shape, NO_WALL, dtype=np.int32),
            np.full(shape, PRESENT, dtype=np.int8),
            np.full(shape, NO_ZONE, dtype=np.int32),
            np.full(shape, PRESENT, dtype=np.int8),
            *np.full((7, *shape), np.nan),
            np.full(shape, NO_WALL, dtype=np.int32),
            np.zeros(shape, dtype=np.bool_),
            np.full((*shape, len(CONTACTS)), np.nan),
        ]
        return in_one(cls(*parts))


def contact_numbers(setups: Sequence[Setup], zone_names: Sequence[str]) -> ContactNumbers:
    """Pack touch, the zone sense and smell of every agent of every variant into arrays."""
    agents, names = setups[0].agents, list(setups[0].cast)
    shape = (len(setups), len(agents))
    numbers = ContactNumbers(
        np.array([names.index(agent) for agent in agents], dtype=np.int32),
        np.zeros(shape, dtype=np.bool_),
        np.zeros(shape),
        np.zeros((*shape, len(names)), dtype=np.bool_),
        np.zeros(shape, dtype=np.bool_),
        np.zeros((*shape, len(zone_names)), dtype=np.bool_),
        np.zeros((*shape, len(names)), dtype=np.bool_),
        np.zeros(shape, dtype=np.bool_),
        np.zeros((*shape, len(names)), dtype=np.bool_),
        np.zeros(shape),
        np.ones(shape),
        np.full((*shape, len(CONTACTS)), AT_ONCE),
    )
    for v, setup in enumerate(setups):
        teams = [setup.cast[name].team for name in names]
        for a, agent in enumerate(agents):
            profile, noticed = setup.profile_of(agent), setup.profile_of(agent).teams()
            meter = profile.meter or Meter(fill_time=1.0)
            numbers.rates[v, a, BY_ZONE] = meter.zone_rate
            numbers.rates[v, a, BY_SMELL] = meter.smell_rate
            if profile.touch is not None:
                numbers.feels[v, a], numbers.radius[v, a] = True, profile.touch.radius
                numbers.touch_cares[v, a] = [team in noticed[("touch",)] for team in teams]
            if profile.zone_sense is not None:
                numbers.watches[v, a] = True
                numbers.zones[v, a] = [name in profile.zone_sense.zones for name in zone_names]
                numbers.zone_cares[v, a] = [team in noticed[("zone_sense",)] for team in teams]
            if profile.smell is not None:
                numbers.smells[v, a], numbers.reach[v, a] = True, profile.smell.reach
                numbers.weakest[v, a] = profile.smell.weakest
                numbers.smell_cares[v, a] = [team in noticed[("smell",)] for team in teams]
    return numbers
