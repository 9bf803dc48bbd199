"""All that one tick of meters, memories, ladders and telling reads and writes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, plain
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.level.ground import GroundStage
from snelk.mind.drawn import Drawn
from snelk.mind.memory import Beliefs, MemoryNumbers, News
from snelk.mind.meter import MeterNumbers, Meters
from snelk.mind.programs import Code, Facts, LadderState
from snelk.senses.bodies import Bodies
from snelk.senses.contact import Contacts
from snelk.senses.hearing import Heard, Noises
from snelk.senses.sight import Sight, SightLimits, SightNumbers
from snelk.senses.stage import EarStage
from snelk.senses.surroundings import Surroundings

Truths = NDArray[np.bool_]

NEVER = 2**62
"""A tick that does not come."""

DISAGREE = -2
"""Instead of a count: what is given does not agree."""

NOTHING_HEARD, JUDGED, LEFT, ROOM = range(4)
"""Results for the noises of a tick: there are none; they are judged; some paths are not known; more
room is needed first.
"""

DONE_TO, WAITED = range(2)
"""Of `ListenStage.now`: the tick up to which those have heard what waits who listen seldom, or -1;
whether what was judged has waited.
"""


class MindStage(NamedTuple):
    """The meters and memories of a batch, and the results of its senses."""

    dt: float  # s
    remembers: bool  # whether anybody has a memory
    numbers: SightNumbers
    limits: SightLimits
    surroundings: Surroundings
    sight: Sight
    contacts: Contacts
    loudness: NDArray[np.float64]  # (variant, agent, target) of what was heard at this tick
    meter_numbers: MeterNumbers
    meters: Meters  # overwritten
    memory_numbers: MemoryNumbers
    heard: News  # the newest noises that were heard at this tick
    told: News  # the newest that was told
    grid: Grid  # the walls that stop a belief that is led on
    scratch: Scratch  # of the grid
    beliefs: Beliefs  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        notices, sight = plain(self.numbers).notices, plain(self.sight)
        agree(
            notices.shape, plain(self.meters).value.shape, sight.distance.shape,
            sight.failed.shape[:3], plain(self.contacts).touch.shape, self.loudness.shape,
            plain(self.beliefs).x.shape, plain(self.heard).x.shape, plain(self.told).x.shape,
        )  # fmt: skip
        agree(
            notices.shape[:2], plain(self.memory_numbers).used.shape,
            plain(self.meter_numbers).used.shape,
        )  # fmt: skip
        cones = sight.failed.shape[:2] + sight.failed.shape[3:]
        agree(plain(self.limits).range.shape, plain(self.limits).half_fov.shape, cones)
        agree(plain(self.meter_numbers).weight.shape, cones)
        agree((notices.shape[2] <= plain(self.surroundings).speed.shape[1],), (True,))
        agree_scratch(self.scratch, self.grid, len(notices))


class LadderStage(NamedTuple):
    """The ladders of a batch, with their conditions."""

    code: Code  # the conditions
    facts: Facts  # the attributes they ask for
    values: NDArray[np.float64]  # (row, variant, agent) what else they ask for that is no signal
    stack: NDArray[np.float64]  # as many numbers as lie on it at once
    ladders: LadderState  # overwritten
    ready: NDArray[np.bool_]  # (variant, agent, transition) which can be taken; overwritten
    concerned: NDArray[np.int64]  # (pair, 2) variants and agents of whom any can, or is news;
    # overwritten
    pairs: NDArray[np.int64]  # (1,) how many of them there are; overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        facts, ladders, by_agent = plain(self.facts), plain(self.ladders), self.ready.shape[:2]
        agree(facts.values.shape[:2], (len(facts.absent), by_agent[0]))
        agree(facts.characters.shape, by_agent[1:])
        agree(
            by_agent, self.values.shape[1:], ladders.busy_until.shape, ladders.since.shape,
            ladders.state.shape, ladders.least.shape[:2],
        )  # fmt: skip
        agree(self.ready.shape, ladders.held.shape, ladders.program.shape)
        rows, deepest = plain(self.code).needs()
        agree((rows <= len(self.values), deepest <= len(self.stack)), (True, True))
        agree((len(self.pairs), *self.concerned.shape), (1, by_agent[0] * by_agent[1], 2))


TELLERS, SAID_AT, MOST_MESSAGES = range(3)
"""Of `TellStage.said`: how many tell anything, at which tick, and to how many messages that can
come.
"""


class TellStage(NamedTuple):
    """Who tells about whom, and what arrives: (variant, agent), unless noted."""

    dt: float  # s
    characters: NDArray[np.int32]  # (agent,)
    bodies: Bodies
    # What one senses, hears or smells itself at this tick is told, as one believes it:
    beliefs: Beliefs
    heard: News
    contacts: Contacts
    notices: Truths  # (variant, agent, target)
    tells: Truths  # who tells at all
    passes: Truths  # who also passes on what it was told
    ears: Truths  # who has ears
    remembers: Truths  # who has a memory
    reach: NDArray[np.float64]  # of its voice, m; NaN tells all
    delay: NDArray[np.int64]  # ticks until it arrives
    every: NDArray[np.int64]  # ticks until it tells of the same target again
    audience: Truths  # (variant, agent, listener) whom it tells
    next_time: NDArray[np.int64]  # (variant, agent, target) the tick before which it does not;
    # overwritten
    passed_on: NDArray[np.float64]  # (variant, agent, target) when what it told last was so, s;
    # overwritten
    due: Truths  # (variant, agent, target) who tells of whom now; overwritten
    tellers: NDArray[np.int64]  # (tellers, 2) their variants and agents; overwritten
    said: NDArray[np.int64]  # (3,) see TELLERS to MOST_MESSAGES; overwritten
    keeps: bool  # whether what became of every teller's words is kept, or only of the last one's
    # What became of the words of each teller, or of the last one; overwritten.
    failed: NDArray[np.int8]  # (teller, listener, target) first failed gate, or TOLD_IT
    straight: NDArray[np.float64]  # (teller, listener) how far off it was, m; NaN but for a voice
    limit: NDArray[np.float64]  # (teller, listener) how far the voice carries to this ear in the
    # open, m
    wall: NDArray[np.int64]  # (teller, listener) the first wall that muffles it, or NO_WALL
    # What arrived at this tick: (variant, agent, target); overwritten.
    news: News  # the newest
    told: Truths  # of whom anything arrived
    told_rank: NDArray[np.float64]  # the highest rank of the state of who told it; -1 if nobody

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        variants, agents, targets = self.due.shape
        agree(
            self.due.shape, plain(self.beliefs).x.shape, self.next_time.shape, self.notices.shape,
            self.passed_on.shape, plain(self.heard).age.shape, plain(self.contacts).smell.shape,
            plain(self.news).x.shape, self.told.shape, self.told_rank.shape,
        )  # fmt: skip
        agree(
            (variants, agents), self.tells.shape, self.passes.shape, self.ears.shape,
            self.remembers.shape, self.reach.shape, self.delay.shape, self.every.shape,
        )  # fmt: skip
        agree(self.audience.shape, (variants, agents, agents))
        agree(plain(self.bodies).blocks.shape, (variants, targets))
        agree(self.tellers.shape, (variants * agents, 2))
        agree(self.said.shape, (3,))
        agree(self.failed.shape[1:], (agents, targets))
        of_each = len(self.failed), agents
        agree(of_each, self.straight.shape, self.limit.shape, self.wall.shape)
        agree((len(self.failed) > 0, *self.characters.shape), (True, agents))


class ListenStage(NamedTuple):
    """Noises on their way to ears: (variant, agent), unless noted."""

    ears: EarStage
    walk: GroundStage  # the ground that noises come over
    always: Truths  # who listens at each tick, to what was made at it
    seldom: Truths  # who does not
    any_seldom: bool  # whether anybody does so
    every: NDArray[np.int64]  # ticks between two turns
    last_tick: int  # at which everybody listens
    due: Truths  # who of those that listen seldom does so now; overwritten
    last: NDArray[np.int64]  # tick at which who listens seldom did so last; overwritten
    waiting: Noises  # for those that listen seldom; overwritten
    waiting_at: NDArray[np.int64]  # (noise,) the tick at which each was made; overwritten
    waiting_count: NDArray[np.int64]  # (1,) overwritten
    heard: Heard  # what became of noises at ears; overwritten
    heard_count: NDArray[np.int64]  # (1,) overwritten
    now: NDArray[np.int64]  # (2,) see DONE_TO and WAITED; overwritten
    loudness: NDArray[np.float64]  # (variant, agent, target) strengths, added up; overwritten
    news: News  # the newest that was heard of each target; overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        shape = self.always.shape
        agree(
            shape, self.seldom.shape, self.every.shape, self.due.shape, self.last.shape,
            plain(self.ears).acuity.shape, self.loudness.shape[:2],
        )  # fmt: skip
        agree(self.waiting_at.shape, plain(self.waiting).t.shape)
        agree(self.waiting_count.shape, self.heard_count.shape, (1,))
        agree(self.now.shape, (2,))
        agree(self.loudness.shape, plain(self.news).x.shape)


class DrawStage(NamedTuple):
    """What draws everybody to a place: (variant, agent)."""

    can: Truths  # who can be drawn
    error: NDArray[np.float64]  # how far off it may seem, m for each m of distance
    forget: NDArray[np.float64]  # the age at which it is forgotten, s
    meters: MeterNumbers
    loud: NDArray[np.float64]  # strengths heard at this tick, added up; overwritten
    is_loud: Truths  # (1,) whether any was heard at the last tick; overwritten
    drawn: Drawn  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(
            self.can.shape, self.error.shape, self.forget.shape, self.loud.shape,
            plain(self.meters).used.shape, plain(self.drawn).x.shape,
        )  # fmt: skip
        agree(self.is_loud.shape, (1,))
