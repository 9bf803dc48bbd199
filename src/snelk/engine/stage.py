"""All that ticks read and write, and the current phase, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.escapes import FlightStage
from snelk.body.named import NamedSignals
from snelk.body.paces import Moving
from snelk.body.patrols import RoundStage
from snelk.body.roams import RoamStage
from snelk.body.searches import SearchStage
from snelk.body.stage import BodyStage, PlaceStage
from snelk.body.upkeep import Upkeep
from snelk.config.words import SENSES
from snelk.engine.copies import CopyStage
from snelk.engine.followed import JudgeStage
from snelk.engine.tally import CountStage
from snelk.level.columns import agree, plain
from snelk.level.ground import GroundStage
from snelk.mind.messages import Messages
from snelk.mind.stage import DrawStage, LadderStage, ListenStage, MindStage, TellStage
from snelk.senses.bodies import Poses
from snelk.senses.hearing import Heard, Noises
from snelk.senses.stage import SenseStage, SmellStage, StepStage

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
Codes = NDArray[np.int64]

(
    TICK, PHASE, NOISES_AT, ACTIVE, BEGUN, PREPARES, WAITS, FINISHES, OVER, HALTS, COUNT,
) = range(11)  # fmt: skip
"""Of `TickStage.at`: the tick that is computed next or now, and how far; the first tick at which
Python makes noises; whether minds and bodies do anything, have begun to, have anything to look
after, and wait for Python before they think; whether Python has to end the tick; whether the run is
over; whether loops stop after a tick at which anything was told; how many are left to Python.
"""

(
    BEGINS, SMELLS, WALKS, MAKES, HEARS, TAKES_IN, ARRIVES, MINDS, ATTENDS, COMES_TO, THINKS_ON,
    THINKS, ACTS, FINDS_WAYS, TELLS_NEWS, RESTS, COMES_BY, MOVES, MOVES_ON, IS_STUCK, TELLS,
    SAYS, PASSES_ON, ENDS, IS_DONE,
) = range(25)  # fmt: skip
"""What a tick does, in this order, by index: the phase that it is in."""

(
    NOTHING, BAD, GATHER, ROOM_FOR_NOISES, ROOM_FOR_EARS, JUDGE, MISPLACE, ROOM_FOR_MESSAGES,
    PREPARE, TAKE, CATCH, TELL_ENDS, ASK, FIND_WAYS, TELL_NEWS, GLANCE, TELL_STUCK, FINISH,
    ROOM_FOR_VOICES, JUDGE_VOICES, ROOM_FOR_TRAILS, ROOM_FOR_COPIES, TELL_CLUES, BEGIN_TO_OPEN,
) = range(24)  # fmt: skip
"""What is left to Python, by index; BAD: arrays do not agree."""


class TickStage(NamedTuple):
    """What ticks read and write: (variant, agent) where nothing else is said."""

    dt: float  # s
    times: Numbers  # (tick,) s
    at: Codes  # (11,) see TICK to COUNT; overwritten
    next_effect: Numbers  # (1,) s: when the game does something to a character
    is_pushed: bool  # whether a game says where those are who are moved from outside
    placed: PlaceStage
    even_poses: Poses  # those of even ticks; overwritten
    odd_poses: Poses  # the same of odd ones
    even_room: Poses  # the same as `even_poses`, to be written
    odd_room: Poses
    moving: Moving  # overwritten
    look_every: Codes  # ticks between two looks
    looks: Truths  # who looks now; overwritten
    senses: SenseStage  # overwritten, as all stages
    smells: SmellStage
    steps: StepStage
    made: Noises  # those of the tick, in the order in which they are made; overwritten
    made_count: Codes  # (1,) overwritten
    noises: Noises  # the same in the order of variants and of time; overwritten
    noises_made_at: Codes  # (noise,) the tick; overwritten
    noises_count: Codes  # (1,) overwritten
    order: Codes  # (noise,) room to put them in order
    numbered: Codes  # (variant,) how many there were so far; overwritten
    listens: ListenStage
    draws: DrawStage
    any_drawn: bool  # whether anybody can be drawn to a place
    tells: TellStage
    any_tells: bool  # whether anybody tells
    voices: Noises  # those of this tick; overwritten
    voices_count: Codes  # (1,) overwritten
    voiced: Heard  # what became of them at ears; overwritten
    voiced_count: Codes  # (1,) overwritten
    going: Messages  # those that are on their way; overwritten
    going_count: Codes  # (1,) overwritten
    came: Messages  # those that arrive; overwritten
    came_count: Codes  # (1,) overwritten
    minds: MindStage
    awake: Numbers  # (sense, variant, agent) how awake each sense is
    awake_then: Numbers  # the same at this tick; overwritten
    bodies: BodyStage
    ignored: Truths  # (variant, agent, target) who is not worth a focus
    named: NamedSignals
    upkeep: Upkeep
    ladders: LadderStage
    roams: RoamStage
    rounds: RoundStage
    flights: FlightStage
    searches: SearchStage
    walks: list[GroundStage]  # the grounds that somebody walks on; overwritten
    counts: list[CountStage]  # the measures that ticks are added to; overwritten
    judges: list[JudgeStage]  # the expectations that ticks are held against; overwritten
    copies: CopyStage  # what is kept of ticks

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        shape = self.looks.shape
        agree(shape, self.look_every.shape, self.awake.shape[1:], self.ignored.shape[:2])
        agree(self.awake.shape, self.awake_then.shape, (len(SENSES), *shape))
        agree((len(self.at), *self.next_effect.shape), (COUNT + 1, 1))
        agree((1,), self.made_count.shape, self.noises_count.shape, self.going_count.shape)
        agree((1,), self.came_count.shape, self.voices_count.shape, self.voiced_count.shape)
        agree(plain(self.noises).t.shape, self.noises_made_at.shape)
        agree(self.order.shape, plain(self.made).t.shape)
        agree(self.numbered.shape, shape[:1])
        rooms = (self.odd_poses, self.even_room, self.odd_room)
        agree(plain(self.even_poses).x.shape, *(plain(room).x.shape for room in rooms))
        agree(plain(self.bodies).sees_me.shape[:2], plain(self.moving).x.shape, shape)
        agree(plain(self.ladders).ready.shape[:2], plain(self.searches).state.shape, shape)
        agree(plain(self.minds).loudness.shape, self.ignored.shape)
        agree(plain(self.named).which.shape[1:], shape)
        agree(plain(self.upkeep).news.shape, plain(self.tells).next_time.shape, self.ignored.shape)
        links = plain(plain(self.bodies).links).lengths
        agree(plain(self.upkeep).link_starts.shape, (len(links) + 1,))
        facts = plain(plain(self.ladders).facts)
        agree((facts.values.shape[2],), self.ignored.shape[2:])
        agree(plain(self.placed).removed.shape, (shape[0], *self.ignored.shape[2:]))
        agree(plain(self.placed).characters.shape, facts.characters.shape, shape[1:])
        agree(plain(self.listens).always.shape, plain(self.draws).can.shape, shape)
        agree(plain(self.tells).tells.shape, shape)
        same = plain(self.listens).heard_count.shape, (1,)
        agree(*same)
        for counts in map(plain, self.counts):
            agree(counts.loudness.shape, self.ignored.shape)
            agree(counts.last.shape, shape[:1])
        for judged in map(plain, self.judges):
            agree(judged.loudness.shape, self.ignored.shape)
