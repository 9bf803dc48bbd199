"""All that one tick of focus, decisions, activities and poses reads and writes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doing import Doing
from snelk.body.standing import Standing, Timing
from snelk.level.columns import agree, plain
from snelk.level.floors import Floors
from snelk.level.links import Links
from snelk.level.zones import Zones
from snelk.mind.drawn import Drawn
from snelk.mind.memory import Beliefs
from snelk.mind.meter import Meters
from snelk.mind.programs import LadderState
from snelk.mind.signals import Attended, FocusNumbers, Signals
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight
from snelk.senses.surroundings import Surroundings

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NOT_YET, WHOSE_GROUND = -1, -3
"""Instead of a count: something is to be done before; the ground of somebody is not known yet."""


class BodyStage(NamedTuple):
    """The minds and bodies of a batch: (variant, agent) where nothing else is said."""

    dt: float  # s
    any_tracked: bool  # whether anybody is moved from outside
    characters: NDArray[np.int32]  # (agent,)
    bodies: Bodies
    zones: Zones
    floors: Floors
    links: Links
    surroundings: Surroundings
    light: Numbers  # (variant, character)
    sight: Sight
    contacts: Contacts
    loudness: Numbers  # (variant, agent, target) of what was heard at this tick
    meters: Meters
    beliefs: Beliefs
    told: Truths  # (variant, agent, target) of whom it was told at this tick
    told_rank: Numbers  # the rank of the state of who told of it; -1 if nobody did
    drawn: Drawn
    focus_numbers: FocusNumbers
    attended: Attended  # overwritten
    standing: Standing
    sees_me: Truths  # (variant, agent, watcher) overwritten
    search_done: Truths
    has_caught: Truths
    was_caught: Truths
    has_seen_to: Truths
    doing: Doing
    signals: Signals  # overwritten
    ladders: LadderState
    timing: Timing  # overwritten
    catches: bool  # whether anybody can catch
    reach: Numbers  # (variant, agent, state) how far it reaches, m; NaN for who does not catch
    caught: NDArray[np.int8]  # (variant, agent, target) CAUGHT_ON, NEWLY or 0; overwritten
    stuck: Truths  # who was stuck a tick ago; overwritten
    newly_stuck: Truths  # overwritten
    any_speeds: bool  # whether any speed goes by how much of a path is left
    speed_first: NDArray[np.int32]  # (variant, agent, state) the first of its points
    speed_last: NDArray[np.int32]  # the one behind its last
    speeds: Numbers  # (point, 2) what is left, m, and how fast it goes then, m/s

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        seen, signals = plain(self.attended).seen, plain(self.signals)
        variants, agents, targets = seen.shape
        agree(
            seen.shape, plain(self.sight).exposure.shape, plain(self.sight).failed.shape[:3],
            plain(self.contacts).touch.shape, self.loudness.shape, plain(self.meters).value.shape,
            plain(self.beliefs).x.shape, self.told.shape, self.told_rank.shape,
            plain(self.focus_numbers).may.shape, self.caught.shape,
        )  # fmt: skip
        agree(
            (variants, targets), self.light.shape, plain(self.bodies).blocks.shape,
            (variants, plain(self.surroundings).speed.shape[1]),
        )  # fmt: skip
        agree((agents,), self.characters.shape)
        agree(
            (variants, agents), signals.seen.shape, plain(self.standing).state.shape,
            plain(self.drawn).x.shape, plain(self.doing).kind.shape, self.search_done.shape,
            self.has_caught.shape, self.was_caught.shape, self.has_seen_to.shape,
            plain(self.timing).due.shape,
            plain(self.ladders).busy_until.shape, plain(self.ladders).since.shape,
            self.stuck.shape, self.newly_stuck.shape, self.reach.shape[:2],
        )  # fmt: skip
        agree(self.sees_me.shape, plain(self.standing).others.shape, (variants, agents, agents))
        agree(self.sees_me.shape, (*plain(self.timing).freeze.shape[:2], agents))
        states = plain(self.ladders).least.shape[2:]
        agree(states, plain(self.timing).freeze.shape[2:3], self.reach.shape[2:])
        agree(self.reach.shape, self.speed_first.shape, self.speed_last.shape)
        most = int(self.speed_last.max(initial=0))
        agree((most <= len(self.speeds), self.speeds.shape[1]), (True, 2))


class PlaceStage(NamedTuple):
    """Positions of characters moved from outside, and who is absent."""

    tracked: Poses  # (tick, variant or 1, character)
    characters: NDArray[np.int32]  # (agent,)
    removed: Truths  # (variant, character)
    away: Truths  # (variant, character) clues that are not there
    put: Numbers  # (variant, character, 5) x, y, z, posture, heading of who is elsewhere; else NaN

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        rows, characters = plain(self.tracked).x.shape[1:]
        agree((rows in (1, len(self.removed)), characters), (True, self.removed.shape[1]))
        agree(self.removed.shape, self.away.shape, self.put.shape[:2])
        agree((self.put.shape[2],), (5,))
        agree((int(self.characters.max(initial=-1)) < characters,), (True,))
