"""The alert ladder: which state every agent is in, and which change it takes.

Changes are tried in the order written; the first whose condition has been true for long enough
is taken, unless the state has to be stayed in. See docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.chance import stream_at_once
from snelk.config.conditions import Condition, Node, parse
from snelk.config.minds import Ladder
from snelk.config.models import Setup
from snelk.level.columns import laid_out
from snelk.mind.columns import CodeColumns, LadderColumns
from snelk.mind.deciding import decide
from snelk.mind.memory import SLACK
from snelk.mind.programs import BEGINS, ROW, LadderState, Table
from snelk.mind.signals import Signals

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NO_LADDER = -1
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
        with_changes = (*shape, changes)
        self._changes = LadderState(
            state=self.state,
            program=np.zeros(with_changes, dtype=np.int64),
            open=np.zeros((*shape, states, changes), dtype=np.bool_),
            wait=np.zeros(with_changes),
            reaction=np.zeros((*shape, states, changes)),
            held=np.full(with_changes, -dt),
            due=np.full(with_changes, -dt),
            news=np.zeros(with_changes, dtype=np.int8),
        )
        self._ready = np.zeros(with_changes, dtype=np.bool_)
        self.reacting: list[Due] = []
        self.dropped: list[Due] = []
        self._to = np.zeros(with_changes, dtype=np.int16)
        self._conditions: list[Condition] = []
        numbers: dict[tuple[object, ...], int] = {}
        for v, row in enumerate(self.ladders):
            for a, ladder in enumerate(row):
                if ladder is not None:
                    self._read(v, a, ladder, numbers)
        self._table = Table([name for setup in setups for name in words_of(setup)])
        self._code = self._table.code_of([condition.root for condition in self._conditions])
        self._laid_code = laid_out(CodeColumns, self._code)
        self._laid = laid_out(LadderColumns, self._changes)
        self._values = np.zeros((len(self._table.leaves), *shape))
        self._stack = np.zeros(self._table.deepest)
        self._asked: list[tuple[int, Node, int, Truths]] | None = None
        self._draws: dict[tuple[int, int], Numbers] = {}  # by condition and leaf (variant, agent)

    @property
    def words(self) -> Mapping[str, int]:
        """The numbers that stand for words in what `look_up` gives to `step`."""
        return self._table.words

    def _read(self, v: int, a: int, ladder: Ladder, numbers: dict[tuple[object, ...], int]) -> None:
        names = list(ladder.states)
        first = self.setups[v].cast[self.agents[a]].state or ladder.first_state
        self.used[v, a] = True
        self.state[v, a] = names.index(first)
        for s, (name, state) in enumerate(ladder.states.items()):
            self.least[v, a, s] = state.least
            self.interruptible[v, a, s] = state.interruptible
            self.rank[v, a, s] = ladder.rank_of(name)
        # Ladders with the same conditions in the same places share their programs.
        key = tuple((c.when, c.to, ladder.origins(c)) for c in ladder.changes.values())
        for c, change in enumerate(ladder.changes.values()):
            mine = (tuple(names), key, c)
            if mine not in numbers:
                numbers[mine] = len(self._conditions)
                self._conditions.append(parse(change.when))
            changes = self._changes
            changes.program[v, a, c] = numbers[mine]
            changes.wait[v, a, c] = change.for_
            self._to[v, a, c] = names.index(change.to)
            for s, name in enumerate(names):
                changes.open[v, a, s, c] = name in ladder.origins(change)
                changes.reaction[v, a, s, c] = ladder.reaction_of(change, name)

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
        if self._asked is None:
            self._asked = self._open_now()
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            for row, leaf, number, asked in self._asked:
                self._asking = (number, asked)
                self._values[row] = look_up(leaf)
        may = (signals.state_for >= self.at_state(self.least) - SLACK) & ~self.busy
        over = np.logical_or.reduce([getattr(signals, name) for name in OVER])
        may &= self.at_state(self.interruptible) | over
        changes = self._changes
        self.since += 1
        self.reacting, self.dropped = [], []
        if not decide(
            self._laid_code, self._values, self._stack, may, self.dt, self._laid, self._ready
        ):
            return []
        for v, a, c in np.argwhere(changes.news).tolist():
            begins = changes.news[v, a, c] == BEGINS
            (self.reacting if begins else self.dropped).append(Due(v, a, c))
        return [self._take(v, a, signals) for v, a in np.argwhere(self._ready.any(axis=2)).tolist()]

    def _take(self, v: int, a: int, signals: Signals) -> Step:
        """Go over to the state that the first change which is ready leads to."""
        able = np.flatnonzero(self._ready[v, a])
        c, before = int(able[0]), int(self.state[v, a])
        also = tuple(int(n) for n in able[1:])
        held, focus = float(self._changes.held[v, a, c]), int(signals.focus[v, a])
        after = int(self._to[v, a, c])
        self.state[v, a] = after
        self._asked = None
        self.since[v, a] = 1  # at the next tick it has been there for one
        self.entries[v, a] += 1
        self._changes.held[v, a] = self._changes.due[v, a] = -self.dt
        for draws in self._draws.values():
            draws[v, a] = np.nan
        return Step(v, a, focus, before, after, c, held, also)

    def _open_now(self) -> list[tuple[int, Node, int, Truths]]:
        """The rows to fill until somebody changes state: what, for which condition, for whom."""
        found: dict[int, tuple[int, Node, int, Truths]] = {}
        open_now = self.at_state(self._changes.open) & self.used[:, :, None]
        for number in np.unique(self._changes.program[open_now]).tolist():
            asked = (open_now & (self._changes.program == number)).any(axis=2)
            low, high = self._code.starts[number : number + 2]
            rows = self._code.numbers[low:high][self._code.steps[low:high] == ROW]
            for row in rows.astype(int).tolist():
                found.setdefault(row, (row, self._table.leaves[row], number, asked))
        return list(found.values())

    def chance(self, node: Node, odds: Numbers) -> Truths:
        """(variant, agent) what a `chance(p)` came to, drawn once for each stay in a state.

        `odds` is what p comes to at this tick, of each agent or of all.
        """
        number, asked = self._asking
        condition = self._conditions[number]
        leaf = next(n for n, each in enumerate(condition.leaves()) if each is node)
        draws = self._draws.setdefault((number, leaf), np.full(self.state.shape, np.nan))
        for v, a in np.argwhere(asked & np.isnan(draws)):
            ladder, entry = self.ladders[v][a], int(self.entries[v, a])
            c = int(np.flatnonzero(self._changes.program[v, a] == number)[0])
            name = list(ladder.changes)[c] if ladder is not None else ""
            draws[v, a] = drawn(self.setups[v].seed, self.agents[a], name, leaf, entry)
        found: Truths = draws < odds
        return found


def drawn(seed: int, agent: str, change: str, leaf: int, entry: int) -> float:
    """The number from 0 to 1 that a `chance` is compared with during a stay in a state."""
    return float(stream_at_once(seed, "chance", agent, change, leaf, entry).random())


def words_of(setup: Setup) -> list[str]:
    """The words that attributes can be: names and teams."""
    return [word for name, member in setup.cast.items() for word in (name, member.team)]
