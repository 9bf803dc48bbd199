"""The alert ladder: which state every agent is in, and which change it takes.

Changes are tried in the order written; the first whose condition has been true for long enough
is taken, unless the state has to be stayed in. See docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.chance import stream_at_once
from snelk.config.conditions import Condition, Node, parse
from snelk.config.minds import Ladder
from snelk.config.models import Setup
from snelk.mind.evaluation import Evaluator, evaluator
from snelk.mind.signals import Signals

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NO_LADDER = -1
SLACK = 1e-9
"""Times this close are the same, s."""


OVER = ("done", "failed", "unreachable", "stuck")
"""Signals, any of which lets a state be left that cannot be interrupted."""


class Step(NamedTuple):
    """A change of state that was taken."""

    variant: int
    agent: int
    focus: int  # the target acted on, or NOBODY
    before: int  # the state left
    after: int  # the state entered
    change: int  # number of the change within the ladder
    held: float  # s that its condition had been true on end
    also: tuple[int, ...]  # later changes that could have been taken as well


class Due(NamedTuple):
    """A change that an agent begins to react to, or has to let go by."""

    variant: int
    agent: int
    change: int


class Program(NamedTuple):
    """Agents whose ladders have the same states and conditions."""

    who: Truths  # (variant, agent)
    conditions: tuple[Condition, ...]
    evaluators: tuple[Evaluator, ...]


class Ladders:
    """Everybody's alert states.

    Args:
        setups: The numbers of each variant.
        dt: Length of a tick, s.

    Attributes:
        used: (variant, agent) who has a ladder.
        state: (variant, agent) the state each is in, or NO_LADDER.
        since: (variant, agent) ticks since it was entered.
        entries: (variant, agent) how many states were entered before this one.
        tick: The number of the tick that was last computed, from 0; -1 before.
        out: (variant, agent) who has been taken out, and does nothing for good.
        reacting: The changes that agents began to react to at this tick.
        dropped: Those whose reaction was cut off, as they could be taken no more.
        busy_until: (variant, agent) the tick before which it does nothing.
    """

    def __init__(self, setups: Sequence[Setup], dt: float) -> None:
        self.setups = setups
        self.dt = dt
        self.agents = setups[0].agents
        self.ladders: list[list[Ladder | None]] = [
            [setup.profile_of(agent).ladder for agent in self.agents] for setup in setups
        ]
        every = [ladder for row in self.ladders for ladder in row if ladder is not None]
        shape = (len(setups), len(self.agents))
        self._v, self._a = np.arange(shape[0])[:, None], np.arange(shape[1])
        states = max((len(ladder.states) for ladder in every), default=1)
        changes = max((len(ladder.changes) for ladder in every), default=0)
        self.used = np.zeros(shape, dtype=np.bool_)
        self.state = np.full(shape, NO_LADDER, dtype=np.int16)
        self.since = np.zeros(shape, dtype=np.int64)
        self.entries = np.zeros(shape, dtype=np.int64)
        self.tick = -1
        self.busy_until = np.zeros(shape, dtype=np.int64)
        self.out = np.zeros(shape, dtype=np.bool_)
        self.least = np.zeros((*shape, states))
        self.interruptible = np.ones((*shape, states), dtype=np.bool_)
        self.rank = np.zeros((*shape, states))
        self._wait = np.zeros((*shape, changes))
        self._from = np.zeros((*shape, states, changes), dtype=np.bool_)
        self._reaction = np.zeros((*shape, states, changes))
        self._due = np.full((*shape, changes), -dt)  # for how long it could have been taken, s
        self.reacting: list[Due] = []
        self.dropped: list[Due] = []
        self._to = np.zeros((*shape, changes), dtype=np.int16)
        self._held = np.full((*shape, changes), -dt)
        shapes: dict[tuple[object, ...], list[tuple[int, int]]] = {}
        for v, row in enumerate(self.ladders):
            for a, ladder in enumerate(row):
                if ladder is not None:
                    self._read(v, a, ladder)
                    key = tuple((c.when, c.to, ladder.origins(c)) for c in ladder.changes.values())
                    shapes.setdefault((tuple(ladder.states), key), []).append((v, a))
        self._programs = []
        for places in shapes.values():
            who = np.zeros(shape, dtype=np.bool_)
            who[tuple(np.array(places).T)] = True
            written = self.ladders[places[0][0]][places[0][1]]
            assert written is not None
            conditions = tuple(parse(change.when) for change in written.changes.values())
            evaluators = tuple(evaluator(condition.root) for condition in conditions)
            self._programs.append(Program(who, conditions, evaluators))
        self._asked: list[tuple[Program, int, Truths]] | None = None
        self._draws: dict[tuple[int, int], Numbers] = {}  # by change and leaf (variant, agent)

    def _read(self, v: int, a: int, ladder: Ladder) -> None:
        names = list(ladder.states)
        first = self.setups[v].cast[self.agents[a]].state or ladder.first_state
        self.used[v, a] = True
        self.state[v, a] = names.index(first)
        for s, (name, state) in enumerate(ladder.states.items()):
            self.least[v, a, s] = state.least
            self.interruptible[v, a, s] = state.interruptible
            self.rank[v, a, s] = ladder.rank_of(name)
        for c, change in enumerate(ladder.changes.values()):
            self._wait[v, a, c] = change.for_
            self._to[v, a, c] = names.index(change.to)
            for s, name in enumerate(names):
                self._from[v, a, s, c] = name in ladder.origins(change)
                self._reaction[v, a, s, c] = ladder.reaction_of(change, name)

    @property
    def busy(self) -> Truths:
        """(variant, agent) who does nothing at this tick."""
        return (self.tick < self.busy_until) | self.out

    def at_state(self, values: NDArray[Any]) -> NDArray[Any]:
        """(variant, agent) of values of (variant, agent, state): that of the state each is in."""
        found: NDArray[Any] = values[self._v, self._a, np.maximum(self.state, 0)]
        return found

    def step(self, signals: Signals, look_up: Callable[[Node], NDArray[Any]]) -> list[Step]:
        """Take the changes of one tick.

        Args:
            signals: What can be asked for.
            look_up: Gives the values, (variant, agent), of what is asked for; see `evaluate`.
        """
        self.tick += 1
        true = np.zeros(self._wait.shape, dtype=np.bool_)
        if self._asked is None:
            self._asked = self._open_now()
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            for program, c, asked in self._asked:
                self._asking = (c, program.conditions[c], asked)
                true[:, :, c] |= asked & program.evaluators[c](look_up)
        self._held = np.where(true, np.maximum(self._held, -self.dt) + self.dt, -self.dt)
        ready = true & (self._held >= self._wait - SLACK)
        may = (signals.state_for >= self.at_state(self.least) - SLACK) & ~self.busy
        over = np.logical_or.reduce([getattr(signals, name) for name in OVER])
        may &= self.at_state(self.interruptible).astype(np.bool_) | over
        ready &= may[:, :, None]
        ready = self._react(ready)
        taken = []
        self.since += 1
        for v, a in np.argwhere(ready.any(axis=2)):
            able = np.flatnonzero(ready[v, a])
            c, before = int(able[0]), int(self.state[v, a])
            also = tuple(int(n) for n in able[1:])
            held, focus = float(self._held[v, a, c]), int(signals.focus[v, a])
            after = int(self._to[v, a, c])
            taken.append(Step(int(v), int(a), focus, before, after, c, held, also))
            self.state[v, a] = after
            self._asked = None
            self.since[v, a] = 1  # at the next tick it has been there for one
            self.entries[v, a] += 1
            self._held[v, a] = self._due[v, a] = -self.dt
            for draws in self._draws.values():
                draws[v, a] = np.nan
        return taken

    def _react(self, due: Truths) -> Truths:
        """(variant, agent, change) which of those that could be taken have been reacted to."""
        waits = self.at_state(self._reaction)
        was = self._due > -self.dt + SLACK
        self._due = np.where(due, np.maximum(self._due, -self.dt) + self.dt, -self.dt)
        ready: Truths = due & (self._due >= waits - SLACK)
        self.reacting = [Due(*each) for each in np.argwhere(due & ~was & ~ready).tolist()]
        self.dropped = [Due(*each) for each in np.argwhere(was & ~due).tolist()]
        return ready

    def _open_now(self) -> list[tuple[Program, int, Truths]]:
        """The conditions to ask for, and of whom, as long as nobody changes state."""
        open_now = self.at_state(self._from) & self.used[:, :, None]
        every = (
            (program, c, open_now[:, :, c] & program.who)
            for program in self._programs
            for c in range(len(program.conditions))
        )
        return [(program, c, asked) for program, c, asked in every if asked.any()]

    def chance(self, node: Node, odds: Numbers) -> Truths:
        """(variant, agent) what a `chance(p)` came to, drawn once for each stay in a state.

        `odds` is what p comes to at this tick, of each agent or of all.
        """
        c, condition, asked = self._asking
        leaf = next(n for n, each in enumerate(condition.leaves()) if each is node)
        draws = self._draws.setdefault((c, leaf), np.full(self.state.shape, np.nan))
        for v, a in np.argwhere(asked & np.isnan(draws)):
            ladder, entry = self.ladders[v][a], int(self.entries[v, a])
            name = list(ladder.changes)[c] if ladder is not None else ""
            draws[v, a] = drawn(self.setups[v].seed, self.agents[a], name, leaf, entry)
        found: Truths = draws < odds
        return found


def drawn(seed: int, agent: str, change: str, leaf: int, entry: int) -> float:
    """The number from 0 to 1 that a `chance` is compared with during a stay in a state."""
    return float(stream_at_once(seed, "chance", agent, change, leaf, entry).random())
