"""Tables of alert states, signals, searches and throws."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import compress
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.body.outcomes import GIVEN
from snelk.config.minds import Ladder
from snelk.config.models import Door
from snelk.config.nodes import FELT_BY, TRUTHS
from snelk.level.grid import NO_WALL
from snelk.mind.ladder import NO_LADDER, NO_TRANSITION
from snelk.mind.messages import TELL_RESULTS
from snelk.mind.sharing import Saying
from snelk.mind.signals import Signals
from snelk.runs.arrow import (
    NUMBER,
    STRING,
    WHOLE,
    array_of,
    numbers_of,
    table_of,
    texts_of,
    words_of,
)  # fmt: skip
from snelk.runs.conditions import Asked, endless, joined
from snelk.runs.rows import Rows
from snelk.runs.tables import kinds_of
from snelk.runs.turning import AT_FIRST
from snelk.senses.bodies import Poses
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.sight import IN_VIEW, Sight

if TYPE_CHECKING:
    from snelk.body.doors import Turn
    from snelk.body.outcomes import Effect
    from snelk.body.scene import Note, Snapshot
    from snelk.engine.simulation import Simulation
    from snelk.engine.throws import Flight
    from snelk.mind.ladder import Step
    from snelk.runs.ticks import Tick

Numbers = NDArray[np.float64]

STATE_COLUMNS = {
    "t": NUMBER,
    "agent": STRING,
    "transition": STRING,
    "before": STRING,
    "state": STRING,
    "rank": WHOLE,
    "focus": STRING,
    "place": STRING,
    "held": NUMBER,
    "reason": STRING,
    "also": STRING,
}

SEARCH_COLUMNS = {
    "t": NUMBER,
    "agent": STRING,
    "search": WHOLE,
    "method": STRING,
    "what": STRING,
    "point": WHOLE,
    "x": NUMBER,
    "y": NUMBER,
    "z": NUMBER,
    "likelihood": NUMBER,
    "outcome": STRING,
    "seconds": NUMBER,
    "walked": NUMBER,
}
VOICE_COLUMNS = {
    "t": NUMBER,
    "teller": STRING,
    "listener": STRING,
    "target": STRING,
    "by": STRING,
    "result": STRING,
    "arrives": NUMBER,
    "straight": NUMBER,
    "limit": NUMBER,
    "wall": STRING,
}
EFFECT_COLUMNS = {
    "t": NUMBER,
    "who": STRING,
    "attribute": STRING,
    "before": NUMBER,
    "value": NUMBER,
    "by": STRING,
    "cause": STRING,
}
TURN_COLUMNS = {
    "t": NUMBER,
    "of": STRING,
    "kind": STRING,
    "to": STRING,
    "by": STRING,
    "cause": STRING,
}
THROW_COLUMNS = {
    "t": NUMBER,
    "by": STRING,
    "kind": STRING,
    "arc": STRING,
    "reason": STRING,
    "wall": STRING,
    "speed": NUMBER,
    "angle_deg": NUMBER,
    "lands": NUMBER,
    **{f"{end}_{axis}": NUMBER for end in ("from", "to") for axis in "xyz"},
}


def signal_table(
    simulation: Simulation,
    v: int,
    times: Numbers,
    signals: Signals,
    sight: Sight,
    contacts: Contacts,
    poses: Poses,
) -> pa.Table:
    """A row per tick and agent with a ladder: all that conditions could ask for."""
    world = simulation.world
    who = np.flatnonzero(world.ladders.used[v])
    states = [list(ladder.states) if ladder else [] for ladder in world.ladders.ladders[v]]
    words = list(dict.fromkeys(name for row in states for name in row))
    code = np.full((len(states), max(map(len, states), default=0) + 1), -1)
    for a, row in enumerate(states):
        code[a, : len(row)] = [words.index(name) for name in row]

    def column(values: NDArray[Any]) -> NDArray[Any]:
        return values[:, v][:, who].ravel()

    p = v if poses.x.shape[1] > 1 else 0
    i = simulation.numbers.characters[who]
    columns: dict[str, Any] = {
        "t": np.repeat(times, len(who)),
        "agent": words_of(np.tile(who, len(times)), simulation.agents),
        "state": words_of(code[who[None, :], signals.state[:, v][:, who]].ravel(), words),
        "focus": words_of(column(signals.focus), simulation.names),
        "entry": column(signals.entry),
        "place": kinds_of(simulation, v, column(signals.place)),
        "cones": _cones(simulation, v, who, signals, sight),
        "felt_by": _felt_by(v, who, signals, contacts),
        "observers": _observers(simulation, who, sight.failed[:, v], poses.present[:, p]),
    }
    columns |= {name: column(getattr(signals, name)) for name in TRUTHS}
    columns |= {
        name: numbers_of(_finite(column(getattr(signals, name))))
        for name in Signals._fields[Signals._fields.index("meter") :]
    }
    columns |= {
        "x": numbers_of(poses.x[:, p][:, i].ravel()),
        "y": numbers_of(poses.y[:, p][:, i].ravel()),
        "z": numbers_of(poses.z[:, p][:, i].ravel()),
    }
    return table_of(columns)


def _finite(values: Numbers) -> Numbers:
    return np.where(np.isinf(values), np.nan, values)


def _cones(
    simulation: Simulation, v: int, who: NDArray[np.intp], signals: Signals, sight: Sight
) -> pa.Array:
    """The cones of which each agent has its focus in view, by name."""
    names = [list(simulation.setups[v].profile_of(agent).cones) for agent in simulation.agents]
    focus = np.maximum(signals.focus[:, v][:, who], 0)  # (tick, agent)
    ticks = np.arange(len(focus))[:, None]
    seen = sight.failed[ticks, v, who, focus] == IN_VIEW  # (tick, agent, cone)
    seen &= signals.seen[:, v][:, who, None]
    return _listed(seen, [names[a] for a in who])


def _felt_by(v: int, who: NDArray[np.intp], signals: Signals, contacts: Contacts) -> pa.Array:
    """The senses of contact by which each agent feels its focus."""
    focus = np.maximum(signals.focus[:, v][:, who], 0)
    ticks = np.arange(len(focus))[:, None]
    felt = np.stack(
        [getattr(contacts, sense)[ticks, v, who, focus] == SENSED for sense in FELT_BY], axis=2
    )
    felt &= signals.felt[:, v][:, who, None]
    return _listed(felt, [list(FELT_BY)] * len(who))


def _listed(some: NDArray[np.bool_], names: Sequence[Sequence[str]]) -> pa.Array:
    """(tick, agent) the names, of each agent its own, of those that are true; null if none is."""
    texts: list[str | None] = [None]
    codes = np.zeros(some.shape[:2], dtype=np.int64)
    known: dict[tuple[int, bytes], int] = {}
    for n, k in np.argwhere(some.any(axis=2)):
        key = int(k), some[n, k].tobytes()
        if key not in known:
            known[key] = len(texts)
            texts.append(joined(compress(names[int(k)], some[n, k])))
        codes[n, k] = known[key]
    return texts_of(texts).take(array_of(codes.ravel()))


def _observers(
    simulation: Simulation,
    who: NDArray[np.intp],
    failed: NDArray[np.int8],
    present: NDArray[np.bool_],
) -> pa.Array:
    """Who has each agent in view, by name."""
    j = simulation.numbers.characters[who]
    seen = (failed[:, :, j] == IN_VIEW).any(axis=3)  # (tick, watcher, agent)
    seen &= present[:, None, j]
    return _listed(seen.transpose(0, 2, 1), [simulation.agents] * len(who))


def first_states(
    simulation: Simulation, v: int, first: Tick | None = None
) -> list[tuple[object, ...]]:
    """The first state of every agent; of a run that begins later that of its first tick."""
    world, setup = simulation.world, simulation.setups[v]
    rows: list[tuple[object, ...]] = []
    for a in np.flatnonzero(world.ladders.used[v]):
        ladder = world.ladders.ladders[v][a]
        assert ladder is not None
        agent = simulation.agents[a]
        state, start = setup.cast[agent].state or ladder.first_state, float(simulation.times[0])
        if first is not None:
            state, start = list(ladder.states)[int(first.signals.state[v, a])], first.t
        rank = ladder.rank_of(state)
        rows.append((start, agent, None, None, state, rank, None, None, None, None, None))
    return rows


def transition_rows(
    simulation: Simulation,
    v: int,
    signals: pa.Table,
    first: int,
    taken: Sequence[tuple[float, Step]],
    effects: Sequence[tuple[object, ...]],
    turns: Sequence[tuple[float, Turn]],
) -> list[tuple[object, ...]]:
    """Each transition with its reason; `signals` are those of the ticks from number `first` on."""
    world, setup = simulation.world, simulation.setups[v]
    rows: list[tuple[object, ...]] = []
    # A tick has a row for each agent with a ladder, in their order.
    who = np.flatnonzero(world.ladders.used[v]).tolist()
    tick = np.rint((np.array([t for t, _ in taken]) - simulation.times[first]) / setup.clock.dt)
    places = [int(n) * len(who) + who.index(s.agent) for n, (_, s) in zip(tick, taken, strict=True)]
    asking = endless(Rows.of(signals.take(array_of(np.array(places, dtype=np.int64)))))
    changed: Any = tuple((*row[:3], row[4]) for row in effects if row[2])
    turned = tuple((t, each.name, each.is_door, each.is_on) for t, each in turns)
    for n, (t, step) in enumerate(taken):
        ladder = world.ladders.ladders[v][step.agent]
        assert ladder is not None
        agent, names = simulation.agents[step.agent], list(ladder.states)
        transitions = list(ladder.transitions)
        if step.transition == NO_TRANSITION:
            rows.append(outside_row(t, agent, ladder, step))
            continue
        asked = Asked(setup, simulation.level.within, agent, asking, changed, turned)
        tree = asked.explain(transitions[step.transition], n)
        reason = "; ".join(tree.reasons())
        also = ", ".join(transitions[c] for c in step.also) or None
        focus = simulation.names[step.focus] if step.focus >= 0 else None
        after = names[step.after]
        rows.append(
            (
                *(t, agent, transitions[step.transition], names[step.before], after),
                *(ladder.rank_of(after), focus, asking["place"][n] or None, step.held),
                *(reason or None, also),
            )
        )
    return rows


def outside_row(t: float, agent: str, ladder: Ladder, step: Step) -> tuple[object, ...]:
    """A character that was spawned, or put into a state by the game."""
    names = list(ladder.states)
    before, after = None if step.before == NO_LADDER else names[step.before], names[step.after]
    reason = GIVEN if before else f"is spawned ({GIVEN})"
    return t, agent, None, before, after, ladder.rank_of(after), None, None, None, reason, None


def voice_rows(
    simulation: Simulation, t: float, saying: Saying, some: NDArray[np.bool_]
) -> list[tuple[object, ...]]:
    """The result of a message for each listener and target."""
    agents, names, times = simulation.agents, simulation.names, simulation.times
    arrives = float(times[saying.arrives]) if saying.arrives < len(times) else np.nan
    rows: list[tuple[object, ...]] = []
    for n, m in np.argwhere(some).tolist():
        wall = int(saying.wall[n])
        result = TELL_RESULTS[int(saying.failed[n, m]) + 1]
        rows.append(
            (
                *(t, agents[saying.teller], agents[int(saying.listeners[n])]),
                *(names[int(saying.targets[m])], saying.by, result),
                arrives if result == "told" else np.nan,
                *(float(saying.straight[n]), float(saying.limit[n])),
                simulation.level.wall_names[wall] if wall != NO_WALL else None,
            )
        )
    return rows


def effect_rows(
    simulation: Simulation, effects: Sequence[tuple[float, Effect]]
) -> list[tuple[object, ...]]:
    """Changed attributes, spawned and removed characters."""
    return [
        (
            *(t, simulation.names[each.who], each.attribute or None, each.before, each.value),
            *(simulation.agents[each.by] if each.by >= 0 else None, each.cause),
        )
        for t, each in effects
    ]


def turn_rows(
    simulation: Simulation,
    v: int,
    turns: Sequence[tuple[float, Turn]],
    began: float | None = None,
) -> list[tuple[object, ...]]:
    """How each door and light is at first, or when a run began later, and each that changed."""
    setup, level, start = simulation.setups[v], simulation.level, float(simulation.times[0])
    opens = {name: setup.doors.get(name, Door()).open for name in level.wall_names}
    are_lit = {name: each.lit for name, each in setup.lights.items()}
    if began is not None:
        start, doors = began, simulation.world.doors
        opens = {name: bool(doors.are_on("open", name)[v]) for name in level.wall_names}
        are_lit = {name: bool(doors.are_on("lit", name)[v]) for name in are_lit}
        for _, turn in reversed(turns):  # what has changed since is taken back
            (opens if turn.is_door else are_lit)[turn.name] = not turn.is_on
    found = [
        (level.wall_names[wall], "door", "open" if opens[level.wall_names[wall]] else "shut")
        for wall in np.flatnonzero(level.is_door)
    ]
    found += [(name, "light", "lit" if is_lit else "dark") for name, is_lit in are_lit.items()]
    rows: list[tuple[object, ...]] = [(start, *each, None, AT_FIRST) for each in found]
    for t, each in turns:
        words = ("shut", "open") if each.is_door else ("dark", "lit")
        by = simulation.agents[each.by] if each.by >= 0 else None
        kind = "door" if each.is_door else "light"
        rows.append((t, each.name, kind, words[each.is_on], by, each.cause))
    return rows


class Searches:
    """The lines of the searches' logs, as rows."""

    def __init__(self, simulation: Simulation) -> None:
        self._agents = simulation.agents
        self._begun: dict[tuple[int, int], Note] = {}  # the first note of each that goes on

    def rows(self, notes: Sequence[Note]) -> list[tuple[object, ...]]:
        """The rows of new notes."""
        found: list[tuple[object, ...]] = []
        for note in notes:
            key = (note.agent, note.search)
            first = self._begun.setdefault(key, note)
            if note.what == "ended":
                del self._begun[key]
            found.append(
                (
                    *(note.t, self._agents[note.agent], note.search, first.method, note.what),
                    None if note.point < 0 else note.point,
                    *(note.x, note.y, note.z, note.likelihood, note.outcome or None),
                    *(round(note.t - first.t, 9), note.walked),
                )
            )
        return found


def likelihood_table(simulation: Simulation, snapshots: Sequence[Snapshot]) -> pa.Table:
    """A row per snapshot and cell that may hold the target."""
    parts = [_likelihood_rows("", np.nan, 0, np.zeros((0, 3)), np.zeros(0), np.nan)]
    for shot in snapshots:
        some = shot.share > 1e-4
        agent, where = simulation.agents[shot.agent], shot.likelihood
        parts.append(
            _likelihood_rows(
                agent, shot.t, shot.search, where.centres[some], shot.share[some], where.cell
            )
        )
    return pa.concat_tables(parts)


def _likelihood_rows(
    agent: str, t: float, search: int, centres: Numbers, share: Numbers, cell: float
) -> pa.Table:
    count = len(share)
    return table_of(
        {
            "t": np.full(count, t),
            "agent": texts_of([agent] * count),
            "search": np.full(count, search),
            "x": centres[:, 0].copy(),
            "y": centres[:, 1].copy(),
            "z": centres[:, 2].copy(),
            "likelihood": share,
            "cell": np.full(count, cell),
        }
    )


def throw_rows(simulation: Simulation, flights: Sequence[Flight]) -> list[tuple[object, ...]]:
    """The result of each throw."""
    rows: list[tuple[object, ...]] = []
    for flight in flights:
        arc = flight.arc
        wall = simulation.level.wall_names[flight.wall] if flight.wall >= 0 else None
        rows.append(
            (
                *(flight.t, simulation.names[flight.by], flight.kind),
                *(arc.name if arc else None, flight.reason or None, wall),
                *((arc.speed, float(np.degrees(arc.angle))) if arc else (None, None)),
                flight.t + arc.flight if arc else None,
                *flight.start,
                *flight.end,
            )
        )
    return rows
