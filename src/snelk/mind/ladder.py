"""The alert ladder: the state of each agent, and the transition it takes.

Transitions are tried in the order written; the first whose condition has been true for long enough
is taken, unless the state has to be stayed in. See docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import Condition, parse
from snelk.config.minds import Ladder
from snelk.config.models import Setup
from snelk.config.nodes import WORDS_OF
from snelk.indices import where
from snelk.level.columns import laid_out
from snelk.mind.columns import CodeColumns, FactColumns, LadderColumns, LadderStageColumns
from snelk.mind.evaluation import chance_of_stay
from snelk.mind.programs import BEGINS, NO_WORD, Code, Facts, LadderState, Table
from snelk.mind.signals import NOBODY, Signals
from snelk.mind.stage import LadderStage

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NO_LADDER = -1

NO_TRANSITION = -1
"""Instead of a transition: it came in, or was put into the state by the game."""


class Step(NamedTuple):
    """A transition that was taken."""

    variant: int
    agent: int
    focus: int  # the target acted on, or NOBODY
    before: int  # the state left, or NO_LADDER: it came in
    after: int  # the state entered
    transition: int  # index of the transition within the ladder, or NO_TRANSITION
    held: float  # s that its condition had been true on end
    also: tuple[int, ...]  # later transitions that could have been taken as well


class Due(NamedTuple):
    """A transition that an agent begins to react to, or has to let go by."""

    variant: int
    agent: int
    transition: int


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
        attributes: By name (variant, character) as they are now; NaN for who has none.
        tick: The index of the tick that was last computed, from 0; -1 before.
        out: (variant, agent) who has been taken out, and does nothing for good.
        reacting: The transitions that agents began to react to at this tick.
        dropped: Those whose reaction was cut off, as they could be taken no more.
        laid: All of them as compiled loops read them.
        busy_until: (variant, agent) the tick before which it does nothing.
        facts: The attributes of all characters, as compiled loops read them.
        stage: All that deciding reads and writes, as compiled loops read it.
        asked: What conditions ask for that is no signal, and the rows for it.
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
        states = max((len(ladder.states) for ladder in every), default=1)
        transitions = max((len(ladder.transitions) for ladder in every), default=0)
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
        with_transitions = (*shape, transitions)
        self._transitions = LadderState(
            state=self.state,
            program=np.zeros(with_transitions, dtype=np.int64),
            open=np.zeros((*shape, states, transitions), dtype=np.bool_),
            wait=np.zeros(with_transitions),
            reaction=np.zeros((*shape, states, transitions)),
            held=np.full(with_transitions, -dt),
            due=np.full(with_transitions, -dt),
            news=np.zeros(with_transitions, dtype=np.int8),
            least=self.least,
            interruptible=self.interruptible,
            since=self.since,
            busy_until=self.busy_until,
            out=self.out,
        )
        self._ready = np.zeros(with_transitions, dtype=np.bool_)
        self._concerned = np.zeros((self.state.size, 2), dtype=np.int64)
        self._pairs = np.zeros(1, dtype=np.int64)
        self.reacting: list[Due] = []
        self.dropped: list[Due] = []
        self._to = np.zeros(with_transitions, dtype=np.int16)
        self._conditions: list[Condition] = []
        numbers: dict[tuple[object, ...], int] = {}
        for v, row in enumerate(self.ladders):
            for a, ladder in enumerate(row):
                if ladder is not None and not (v > 0 and self._is_that_of(v - 1, v, a)):
                    self._read(v, a, ladder, numbers)
        self._read_conditions()

    def _is_that_of(self, before: int, v: int, a: int) -> bool:
        """Copy from an earlier variant with the same ladder, if there is one."""
        name, cast = self.agents[a], [self.setups[n].cast for n in (before, v)]
        if self.ladders[before][a] is not self.ladders[v][a] or cast[0][name] is not cast[1][name]:
            return False
        read = self._transitions
        for values in (
            self.used, self.state, self.least, self.interruptible, self.rank, self._to,
            read.program, read.wait, read.open, read.reaction,
        ):  # fmt: skip
            values[v, a] = values[before, a]
        return True

    def _read_conditions(self) -> None:
        setups, names = self.setups, list(self.setups[0].cast)
        words = [word for setup in setups for word in words_of(setup)]
        known = sorted({name for setup in setups for name in setup.attributes})
        self._table = Table(words, known)
        self._code = self._table.code_of(self._conditions)
        values = np.full((len(self._table.attributes), len(setups), len(names)), np.nan)
        number = self._table.words
        for v, setup in enumerate(setups):
            for j, name in enumerate(names):
                for n, attribute in enumerate(known):
                    values[n, v, j] = setup.attributes_of(name).get(attribute, np.nan)
                said = {"team": setup.cast[name].team, "name": name}
                values[len(known) :, v, j] = [number[said[word]] for word in WORDS_OF]
        self.attributes = dict(zip(known, values, strict=False))
        absent = [*(np.nan for _ in known), *(NO_WORD for _ in WORDS_OF)]
        characters = [names.index(agent) for agent in self.agents]
        facts = Facts(values, np.array(absent, np.float64), np.array(characters, np.int32))
        self.facts = laid_out(FactColumns, facts)
        self.laid = laid_out(LadderColumns, self._transitions)
        self._values = np.zeros((len(self._table.leaves), *self.state.shape))
        stage = LadderStage(
            laid_out(CodeColumns, self._code), self.facts, self._values,
            np.zeros(self._table.deepest), self.laid, self._ready, self._concerned, self._pairs,
        )  # fmt: skip
        self.stage = laid_out(LadderStageColumns, stage)
        leaves = enumerate(self._table.leaves)
        self.asked = [(row, leaf) for row, leaf in leaves if leaf.word != "chance"]
        self._chances: dict[tuple[int, int], list[tuple[int, str, Any]]] = {}
        for v, a in where(self.used):
            ladder = self.ladders[v][a]
            draws = [self._table.draws[c] for c in self._transitions.program[v, a].tolist()]
            named = enumerate(ladder.transitions if ladder else ())
            found = [(c, name, draws[c]) for c, name in named if draws[c]]
            if found:
                self._chances[v, a] = found
            self._draw(v, a)

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
        origins = [ladder.origins(each) for each in ladder.transitions.values()]
        every = zip(ladder.transitions.values(), origins, strict=True)
        key = tuple((each.when, each.to, own) for each, own in every)
        for c, transition in enumerate(ladder.transitions.values()):
            mine = (tuple(names), key, c)
            if mine not in numbers:
                numbers[mine] = len(self._conditions)
                self._conditions.append(parse(transition.when))
            transitions = self._transitions
            transitions.program[v, a, c] = numbers[mine]
            transitions.wait[v, a, c] = transition.for_
            self._to[v, a, c] = names.index(transition.to)
            for s, name in enumerate(names):
                transitions.open[v, a, s, c] = name in origins[c]
                transitions.reaction[v, a, s, c] = ladder.reaction_of(transition, name)

    @property
    def kept(self) -> LadderState:
        """All state that lasts from tick to tick."""
        return self._transitions

    @property
    def ready(self) -> Truths:
        """(variant, agent, transition) which can be taken at this tick: the first of them is."""
        return self._ready

    @property
    def leads_to(self) -> NDArray[np.int16]:
        """(variant, agent, transition) the state that each leads to."""
        return self._to

    def leads_above(self, v: int, a: int, rank: float) -> bool:
        """Whether the transition that somebody takes at this tick leads above a rank."""
        ready = self._ready[v, a].nonzero()[0]
        return bool(len(ready) and self.rank[v, a, self._to[v, a, ready[0]]] > rank)

    @property
    def busy(self) -> Truths:
        """(variant, agent) who is busy at this tick."""
        return (self.tick < self.busy_until) | self.out

    def at_state(self, values: NDArray[Any]) -> NDArray[Any]:
        """(variant, agent) values of each agent's current state, from (variant, agent, state)."""
        first = np.arange(self.state.size).reshape(self.state.shape) * values.shape[2]
        found: NDArray[Any] = values.take(first + np.maximum(self.state, 0))
        return found

    def rank_of(self, v: int, a: int) -> float:
        """The rank of the state that an agent is in."""
        return float(self.rank[v, a, max(int(self.state[v, a]), 0)])

    def ranks(self) -> Numbers:
        """(variant, agent) the rank of the state that each is in."""
        return self.at_state(self.rank)

    def begin(self, tick: int) -> None:
        """A tick begins, at which nobody has reacted to anything yet."""
        self.tick = tick
        if self.reacting or self.dropped:
            self.reacting, self.dropped = [], []

    def take(self, signals: Signals) -> list[Step]:
        """Take the transitions that loops have found ready at this tick; see `deciding.decide`."""
        news, taken = self._transitions.news, []
        for v, a in self._concerned[: int(self._pairs[0])].tolist():
            for c, what in enumerate(news[v, a].tolist()):
                if what:
                    (self.reacting if what == BEGINS else self.dropped).append(Due(v, a, c))
            ready = self._ready[v, a].nonzero()[0].tolist()
            if ready:
                taken.append(self._take(v, a, ready, signals))
        return taken

    def _take(self, v: int, a: int, ready: list[int], signals: Signals) -> Step:
        """Go over to the state that the first transition which is ready leads to."""
        c, *also = ready
        before, after = int(self.state[v, a]), int(self._to[v, a, c])
        held, focus = float(self._transitions.held[v, a, c]), int(signals.focus[v, a])
        self._go_over(v, a, after)
        return Step(v, a, focus, before, after, c, held, tuple(also))

    def _go_over(self, v: int, a: int, after: int) -> None:
        self.state[v, a] = after
        self.since[v, a] = 1  # at the next tick it has been there for one
        self.entries[v, a] += 1
        self._transitions.held[v, a] = self._transitions.due[v, a] = -self.dt
        self._draw(v, a)

    def put(self, v: int, a: int, name: str) -> Step:
        """Put somebody into a state from outside, or into its first one if that has no name."""
        ladder, before = self.ladders[v][a], int(self.state[v, a])
        assert ladder is not None
        first = self.setups[v].cast[self.agents[a]].state or ladder.first_state
        after = list(ladder.states).index(name or first)
        self._go_over(v, a, after)
        self.busy_until[v, a] = 0
        if not name:
            self.since[v, a] = 0
        return Step(v, a, NOBODY, before if name else NO_LADDER, after, NO_TRANSITION, np.nan, ())

    def programs_of(self, conditions: Sequence[Condition]) -> tuple[Code, Table]:
        """Conditions without chance as programs, and the table of what they ask for."""
        words = [word for word in self._table.words if word]
        table = Table(words, tuple(self.attributes))
        return table.code_of(conditions), table

    def _draw(self, v: int, a: int) -> None:
        """Draw what the chances of an agent's state are compared with, once for each stay."""
        for c, name, draws in self._chances.get((v, a), ()):
            if self._transitions.open[v, a, self.state[v, a], c]:
                seed, entry = self.setups[v].seed, int(self.entries[v, a])
                for row, leaf in draws:
                    self._values[row, v, a] = chance_of_stay(
                        seed, self.agents[a], name, leaf, entry
                    )


def words_of(setup: Setup) -> list[str]:
    """The words that attributes can have: names and teams."""
    return [word for name, member in setup.cast.items() for word in (name, member.team)]
