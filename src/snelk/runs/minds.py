"""Tables of alert states, signals, searches and throws."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.body.searching import Note, Snapshot
from snelk.config.conditions import TRUTHS
from snelk.engine.simulation import Simulation
from snelk.engine.throws import Flight
from snelk.mind.ladder import Step
from snelk.mind.signals import Signals
from snelk.runs.asked import Asked
from snelk.runs.tables import numbers_of, words_of
from snelk.senses.bodies import Poses
from snelk.senses.sight import IN_VIEW, Sight

Numbers = NDArray[np.float64]

STRING = pa.string()
STATE_COLUMNS = {
    "t": pa.float64(),
    "agent": STRING,
    "change": STRING,
    "before": STRING,
    "state": STRING,
    "rank": pa.int64(),
    "focus": STRING,
    "place": STRING,
    "held": pa.float64(),
    "reason": STRING,
    "also": STRING,
}
TEXTS = ("state", "focus", "place", "observers", "agent")
"""Columns of the table `signals` that hold words."""

SEARCH_COLUMNS = {
    "t": pa.float64(),
    "agent": STRING,
    "search": pa.int64(),
    "way": STRING,
    "what": STRING,
    "point": pa.int64(),
    "x": pa.float64(),
    "y": pa.float64(),
    "likelihood": pa.float64(),
    "outcome": STRING,
    "seconds": pa.float64(),
    "walked": pa.float64(),
}
THROW_COLUMNS = {
    "t": pa.float64(),
    "by": STRING,
    "kind": STRING,
    "arc": STRING,
    "reason": STRING,
    "wall": STRING,
    "speed": pa.float64(),
    "angle_deg": pa.float64(),
    "lands": pa.float64(),
    **{f"{end}_{axis}": pa.float64() for end in ("from", "to") for axis in "xyz"},
}


def signal_table(
    simulation: Simulation,
    v: int,
    times: Numbers,
    signals: Signals,
    sight: Sight,
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
        "place": words_of(column(signals.place), simulation.maker.words),
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
    }
    return pa.table(columns)


def _finite(values: Numbers) -> Numbers:
    return np.where(np.isinf(values), np.nan, values)


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
    codes = np.zeros((len(seen), len(who)), dtype=np.int64)
    texts: list[str | None] = [None]
    known: dict[bytes, int] = {}
    for n, k in np.argwhere(seen.any(axis=1)):
        key = seen[n, :, k].tobytes()
        if key not in known:
            known[key] = len(texts)
            watchers = np.flatnonzero(seen[n, :, k])
            texts.append(", ".join(simulation.agents[w] for w in watchers))
        codes[n, k] = known[key]
    return pa.array([texts[code] for code in codes.ravel()], STRING)


def state_rows(
    simulation: Simulation, v: int, signals: pa.Table, taken: Sequence[tuple[float, Step]]
) -> list[tuple[object, ...]]:
    """The first state of every agent, and each change with its reason."""
    world, setup = simulation.world, simulation.setups[v]
    rows: list[tuple[object, ...]] = []
    for a in np.flatnonzero(world.ladders.used[v]):
        ladder = world.ladders.ladders[v][a]
        assert ladder is not None
        agent = simulation.agents[a]
        first = setup.cast[agent].state or ladder.first_state
        start, rank = float(simulation.times[0]), ladder.rank_of(first)
        rows.append((start, agent, None, None, first, rank, None, None, None, None, None))
    # A tick has a row for each agent with a ladder, in their order.
    who = np.flatnonzero(world.ladders.used[v]).tolist()
    tick = np.rint((np.array([t for t, _ in taken]) - simulation.times[0]) / setup.clock.dt)
    places = [int(n) * len(who) + who.index(s.agent) for n, (_, s) in zip(tick, taken, strict=True)]
    frame = signals.take(pa.array(places, pa.int64())).to_pydict()
    for n, (t, step) in enumerate(taken):
        ladder = world.ladders.ladders[v][step.agent]
        assert ladder is not None
        agent, names = simulation.agents[step.agent], list(ladder.states)
        changes = list(ladder.changes)
        row = plain({name: values[n : n + 1] for name, values in frame.items()})
        asked = Asked(setup, simulation.level, agent, row)
        tree = asked.explain(changes[step.change], 0)
        reason = "; ".join(tree.reasons())
        also = ", ".join(changes[c] for c in step.also) or None
        focus = simulation.names[step.focus] if step.focus >= 0 else None
        after = names[step.after]
        rows.append(
            (
                *(t, agent, changes[step.change], names[step.before], after),
                *(ladder.rank_of(after), focus, frame["place"][n], step.held),
                *(reason or None, also),
            )
        )
    return rows


def plain(columns: dict[str, Any]) -> dict[str, NDArray[Any]]:
    """Columns of the table `signals` as arrays: endless distances and times are infinite again."""
    found: dict[str, NDArray[Any]] = {}
    for name, values in columns.items():
        if name in TEXTS:
            found[name] = np.array([v if isinstance(v, str) else "" for v in values], dtype=object)
        elif name in ("distance", "lost_for"):
            numbers = np.array(values, dtype=np.float64)
            found[name] = np.where(np.isnan(numbers), np.inf, numbers)
        else:
            found[name] = np.array(values)
            if found[name].dtype == object:
                found[name] = found[name].astype(np.float64)
    return found


def search_rows(simulation: Simulation, notes: Sequence[Note]) -> list[tuple[object, ...]]:
    """Each line of the searches' logs."""
    began: dict[tuple[int, int], float] = {}
    rows: list[tuple[object, ...]] = []
    ways: dict[tuple[int, int], str] = {}
    for note in notes:
        agent = simulation.agents[note.agent]
        key = (note.agent, note.number)
        if note.what == "began":
            began[key], ways[key] = note.t, note.way
        rows.append(
            (
                *(note.t, agent, note.number, ways[key], note.what),
                None if note.point < 0 else note.point,
                *(note.x, note.y, note.likelihood, note.outcome or None),
                *(round(note.t - began[key], 9), note.walked),
            )
        )
    return rows


def likelihood_table(simulation: Simulation, snapshots: Sequence[Snapshot]) -> pa.Table:
    """A row per snapshot and cell that may hold the target."""
    parts = []
    for shot in snapshots:
        some = shot.share > 1e-4
        centres = shot.likelihood.centres[some]
        count = int(some.sum())
        parts.append(
            pa.table(
                {
                    "t": np.full(count, shot.t),
                    "agent": pa.array([simulation.agents[shot.agent]] * count, STRING),
                    "search": np.full(count, shot.number),
                    "x": centres[:, 0].copy(),
                    "y": centres[:, 1].copy(),
                    "likelihood": shot.share[some],
                    "cell": np.full(count, shot.likelihood.cell),
                }
            )
        )
    empty = pa.table(
        {
            "t": pa.array([], pa.float64()),
            "agent": pa.array([], STRING),
            "search": pa.array([], pa.int64()),
            **{name: pa.array([], pa.float64()) for name in ("x", "y", "likelihood", "cell")},
        }
    )
    return pa.concat_tables([empty, *parts])


def throw_rows(simulation: Simulation, flights: Sequence[Flight]) -> list[tuple[object, ...]]:
    """What became of each throw."""
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


def table_of(columns: dict[str, Any], rows: Sequence[tuple[object, ...]]) -> pa.Table:
    """Rows as a table; a number that is NaN is null."""
    values = zip(*rows, strict=True) if rows else [()] * len(columns)
    return pa.table(
        {
            name: pa.array([None if x != x else x for x in column], type=kind)
            for (name, kind), column in zip(columns.items(), values, strict=True)
        }
    )
