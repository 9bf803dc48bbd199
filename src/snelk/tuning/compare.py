"""Two runs side by side: changed inputs, first differences and why, and results."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.scenario import Scenario
from snelk.errors import InputError
from snelk.runs.run import Progress, Run, run_batch
from snelk.showing import heading, html_table, line

if TYPE_CHECKING:
    import pandas as pd

    from snelk.runs.rows import Rows

from snelk.tuning.inputs import InputDifference, level_unlike, numbers_unlike, recordings_unlike
from snelk.tuning.looks import (
    ASPECTS,
    LOOKS,
    SAME,
    Numbers,
    first_unlike,
    reason_at,
    states_of,
    unlike,
    views_of,
)

NEAR = 10.0
"""Events farther apart in time than this are not the same one, s."""


@dataclass(frozen=True)
class FirstDifference:
    """The first moment at which an agent senses, believes or does something else.

    Attributes:
        agent: Whose.
        t: When, s.
        kind: In what, one of `ASPECTS`.
        target: The target; empty for alert states and poses.
        a, b: How it was on either side, and why, in words.
    """

    agent: str
    t: float
    kind: str
    target: str
    a: str
    b: str


@dataclass(frozen=True)
class EventPair:
    """An event of one run and the matching event of the other.

    Attributes:
        status: `same`, `moved` in time, `only a` or `only b`.
        t_a, t_b: Its times, s; None if it is missing.
        kind, agent, target: Of the event.
        text: In words, as on side A if it is there.
    """

    status: str
    t_a: float | None
    t_b: float | None
    kind: str
    agent: str
    target: str
    text: str

    @property
    def t(self) -> float:
        """When it is first there, s."""
        return min(t for t in (self.t_a, self.t_b) if t is not None)


@dataclass(frozen=True)
class Comparison:
    """A comparison of two runs, A and B."""

    a: Run
    b: Run

    @cached_property
    def inputs(self) -> list[InputDifference]:
        """Changed inputs: numbers first, then level, tracks, noises and throws."""
        return [
            *numbers_unlike(self.a, self.b),
            *level_unlike(self.a, self.b),
            *recordings_unlike(self.a, self.b),
        ]

    @cached_property
    def measures(self) -> pd.DataFrame:
        """A row per measure that either has: key, agent, target, measure, a, b, difference, unit.

        The difference is B minus A; NaN where one of them has none.
        """
        import pandas as pd

        words = ["key", "agent", "target", "measure", "unit"]
        sides = [run.measures.set_index("key") for run in (self.a, self.b)]
        known = pd.concat([side.reset_index() for side in (self.a.measures, self.b.measures)])
        rows = known.drop_duplicates("key")[words].reset_index(drop=True)
        rows["a"], rows["b"] = (side.value.reindex(rows.key).to_numpy() for side in sides)
        rows["difference"] = rows.b - rows.a
        return rows

    @property
    def changed(self) -> pd.DataFrame:
        """The rows of `measures` that differ."""
        rows = self.measures
        there = rows.a.notna() & rows.b.notna()
        other = (rows.difference.abs() > SAME) | (rows.a.notna() != rows.b.notna())
        return rows[other & (there | rows.a.notna() | rows.b.notna())]

    @cached_property
    def first_differences(self) -> list[FirstDifference]:
        """The first moment for each agent of both that parts, in the order of time."""
        agents = [agent for agent in self.a.agents if agent in self.b.agents]
        found = [
            difference
            for agent in agents
            if (difference := self._first_difference(agent)) is not None
        ]
        return sorted(found, key=lambda each: (each.t, ASPECTS.index(each.kind)))

    @cached_property
    def events(self) -> list[EventPair]:
        """The events of both, aligned, in the order of time."""
        return _aligned(self.a.rows("events"), self.b.rows("events"))

    @cached_property
    def times(self) -> Numbers:
        """The times of ticks that both have, s."""
        found: Numbers = np.intersect1d(np.round(self.a.times, 9), np.round(self.b.times, 9))
        return found

    def differs(self, agent: str) -> NDArray[np.bool_]:
        """(times,) whether an agent's alert state, or the targets it has in view, differ."""
        other = np.zeros(len(self.times), dtype=np.bool_)
        for look in (states_of, views_of):
            other |= unlike(look(self.a, agent), look(self.b, agent), self.times).any(axis=1)
        return other

    def to_dict(self) -> dict[str, Any]:
        """All of it as plain data."""
        return {
            "a": _named(self.a),
            "b": _named(self.b),
            "inputs": [asdict(each) for each in self.inputs],
            "first_differences": [asdict(each) for each in self.first_differences],
            "measures": self.changed.to_dict(orient="records"),
            "events": [asdict(each) for each in self.events if each.status != "same"],
        }

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: changed inputs, first differences, results."""
        parted = [
            {"t, s": each.t, "agent": each.agent, "A": each.a, "B": each.b}
            for each in self.first_differences
        ]
        columns = ["key", "a", "b", "difference", "unit"]
        moved: Any = self.changed[columns].to_dict(orient="records")
        return "".join([
            heading(f"A: {_in_words(self.a)}; B: {_in_words(self.b)}"),
            html_table(asdict(each) for each in self.inputs),
            html_table(parted) or line("They are the same, as far as both go."),
            html_table(moved),
        ])  # fmt: skip

    def _first_difference(self, agent: str) -> FirstDifference | None:
        first: tuple[float, int, str] | None = None
        for n, look in enumerate(LOOKS):
            found = first_unlike(look(self.a, agent), look(self.b, agent), self.times)
            if found is not None and (first is None or found[0] < first[0] - SAME):
                first = found[0], n, found[1]
        if first is None:
            return None
        t, n, target = first
        a, b = (reason_at(run, agent, ASPECTS[n], target, t) for run in (self.a, self.b))
        return FirstDifference(agent, t, ASPECTS[n], target, a, b)


def compare(a: Run, b: Run) -> Comparison:
    """Compare two runs.

    Raises:
        InputError: They have no tick or no agent in common.

    >>> import snelk
    >>> night = snelk.croft() / "night.toml"
    >>> keen = {"profiles.dog.hearing.acuity": 3.0}
    >>> found = snelk.compare(snelk.run(night), snelk.run(night, overrides=keen))
    >>> parted = found.first_differences[0]
    >>> parted.agent, parted.t, parted.kind, parted.b
    ('dog', 25.8, 'hearing', 'dog heard fox at 25.80 s: pebble (strength 0.26)')
    """
    comparison = Comparison(a, b)
    if len(comparison.times) == 0:
        raise InputError.of("compare", "", "", "the two runs share no time")
    if not set(a.agents) & set(b.agents):
        raise InputError.of("compare", "", "", "the two runs share no agent")
    return comparison


def compare_overridden(
    scenario: str | Path | Scenario,
    overrides: Mapping[str, Any],
    *,
    progress: Progress | None = None,
) -> Comparison:
    """Replay a scenario as it is and with overrides, and compare the runs."""
    return compare(*run_batch(scenario, variants=[{}, overrides], progress=progress))


def _named(run: Run) -> dict[str, Any]:
    folder = None if run.folder is None else str(run.folder)
    names = ("scenario", "title", "overrides", "seed", "snelk")
    return {"folder": folder, **{name: run.info[name] for name in names}}


def _in_words(run: Run) -> str:
    changed = ", ".join(f"{key} = {value}" for key, value in run.info["overrides"].items())
    return f"{run.info['title'] or run.info['scenario']}{f' with {changed}' if changed else ''}"


def _aligned(a: Rows, b: Rows) -> list[EventPair]:
    """The events of both runs: those with equal text, except numbers, are paired by time."""
    groups: dict[tuple[str, ...], tuple[list[Any], list[Any]]] = {}
    for side, events in enumerate((a, b)):
        for row in events.each():
            names = ("kind", "agent", "target", "threshold", "noise", "zone", "state", "transition")
            key = tuple(str(getattr(row, name)) for name in names)
            groups.setdefault(key, ([], []))[side].append(row)
    found = []
    for ours, theirs in groups.values():
        for one, other in _paired([row.t for row in ours], [row.t for row in theirs]):
            row = ours[one] if one is not None else theirs[other or 0]
            t_a = None if one is None else float(ours[one].t)
            t_b = None if other is None else float(theirs[other].t)
            if t_a is not None and t_b is not None:
                status = "same" if abs(t_a - t_b) < SAME else "moved"
            else:
                status = "only b" if t_a is None else "only a"
            found.append(EventPair(status, t_a, t_b, row.kind, row.agent, row.target, row.text))
    return sorted(found, key=lambda pair: (pair.t, pair.status))


def _paired(a: list[float], b: list[float]) -> list[tuple[int | None, int | None]]:
    """Two rows of times aligned in order, so that gaps and shifts together are least.

    A time left alone costs as much as half of `NEAR` s (Needleman and Wunsch 1970, "A general
    method applicable to the search for similarities", J. Mol. Biol. 48).

    >>> _paired([1.0, 5.0], [5.2, 30.0])
    [(0, None), (1, 0), (None, 1)]
    """
    cost = np.zeros((len(a) + 1, len(b) + 1))
    cost[:, 0], cost[0] = np.arange(len(a) + 1) * NEAR / 2, np.arange(len(b) + 1) * NEAR / 2
    for i, t in enumerate(a):
        for j, u in enumerate(b):
            alone = min(cost[i, j + 1], cost[i + 1, j]) + NEAR / 2
            cost[i + 1, j + 1] = min(cost[i, j] + abs(t - u), alone)
    i, j = len(a), len(b)
    pairs: list[tuple[int | None, int | None]] = []
    while i or j:
        together = i and j and math.isclose(
            cost[i, j], cost[i - 1, j - 1] + abs(a[i - 1] - b[j - 1]), abs_tol=1e-12
        )  # fmt: skip
        if together:
            i, j = i - 1, j - 1
            pairs.append((i, j))
        elif i and (not j or cost[i - 1, j] <= cost[i, j - 1]):
            i -= 1
            pairs.append((i, None))
        else:
            j -= 1
            pairs.append((None, j))
    return pairs[::-1]
