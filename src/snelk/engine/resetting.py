"""The state of one character, so that it can be reset when the character is spawned again."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.world import World
from snelk.engine.listening import Listening
from snelk.engine.noises import NoiseMaker
from snelk.level.columns import plain
from snelk.mind.memory import Beliefs
from snelk.mind.meter import Meters
from snelk.mind.places import Places
from snelk.mind.sharing import Sharing
from snelk.mind.signals import NOBODY
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight

GOES_ON = {"begun", "entries", "out", "points", "beyond"}
"""What is counted for the whole run, told elsewhere, or only room: it is not set back."""


class Keepers(NamedTuple):
    """All that keep anything of characters from tick to tick."""

    world: World
    listening: Listening
    sharing: Sharing
    maker: NoiseMaker
    places: Places
    sight: Sight
    meters: Meters
    contacts: Contacts
    beliefs: Beliefs


class Slots:
    """The first state of all characters, to reset one of them.

    Args:
        keepers: Who keep it, at the beginning of a simulation.
    """

    def __init__(self, keepers: Keepers) -> None:
        self._keepers = keepers
        self._first = {name: array.copy() for name, _, array in kept_of(keepers)}

    def renew(self, v: int, j: int, tick: int) -> None:
        """Set back all that a character knows and does, and all that others have of it.

        Messages to it or about it no longer arrive.
        """
        world, a = self._keepers.world, self._keepers.world.agent_of(j)
        characters = len(world.names)
        for name, axes, now in kept_of(self._keepers):
            first = self._first[name]
            if axes == "character":
                now[v, j] = first[v, j]
                continue
            if a != NOBODY:
                now[v, a] = first[v, a]
            if axes == "target" and now.shape[2] in (characters, characters + 1):
                now[v, :, j] = first[v, :, j]
            elif axes == "watcher" and a != NOBODY:
                now[v, :, a] = first[v, :, a]
        focus = world.attention.focus[v]
        focus[focus == j] = NOBODY
        self._keepers.sharing.going.drop(v, j, a)
        self._keepers.listening.forget_maker(v, j)
        if a != NOBODY:
            self._keepers.listening.begin(v, a, tick)


def kept_of(keepers: Keepers) -> Iterator[tuple[str, str, NDArray[Any]]]:
    """The name and the arrays of all that is kept of characters from tick to tick.

    Between them is told what its axes after the variant are: an `agent`, an agent and its
    `target`, an agent and its `watcher`, or a `character`.
    """
    world, listening, sharing = keepers.world, keepers.listening, keepers.sharing
    agents = {
        "motion": world.motion.now,
        "doing": world.thinking.doing,
        "timing": world.timing,
        "ladder": world.ladders.kept,
        **{f"stage {n}": stage for n, stage in enumerate(world.thinking.stages)},
        "drawn": keepers.places.drawn,
    }
    pairs = {
        "sight": keepers.sight,
        "meters": keepers.meters,
        "contacts": keepers.contacts,
        "beliefs": keepers.beliefs,
        "heard": listening.news,
        "told": sharing.news,
        "attended": world.attention.now,
    }
    shape = world.ladders.used.shape
    for axes, groups in (("agent", agents), ("target", pairs)):
        for group, given in groups.items():
            arrays: Any = plain(given)
            for field, array in zip(type(arrays)._fields, arrays, strict=True):
                if isinstance(array, np.ndarray) and array.shape[:2] == shape:
                    if field not in GOES_ON and array.flags.writeable:
                        yield f"{group} {field}", axes if array.ndim > 2 else "agent", array
    for name, array in world.kept.items():
        yield name, "agent", array
    tells, steps = plain(sharing.stage), plain(keepers.maker.steps)
    yield "last listened", "agent", plain(listening.stage).last
    yield "sees me", "watcher", world.sees_me
    yield "caught", "target", world.caught
    yield "seen empty", "target", world.empty_for
    yield "loudness", "target", listening.loudness
    yield "tells again", "target", tells.next_time
    yield "passed on", "target", tells.passed_on
    yield "tells", "target", tells.due
    yield "was told", "target", sharing.told
    yield "was told rank", "target", sharing.told_rank
    yield "seen to", "target", world.clues.seen_to
    yield "walked", "character", steps.walked
    yield "strides", "character", steps.ended
