"""Two runs side by side: what went in otherwise, where they part and why, what came out."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.problems import key_path, shown
from snelk.config.scenario import Scenario
from snelk.errors import InputError
from snelk.runs.ladders import explain_ladder
from snelk.runs.run import Progress, Run, run_batch

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]

NOT_COMPARED = ("title", "silence", "expect", "wish", "fit", "level", "tracks", "noises", "throws",
                "use")  # fmt: skip
"""What is written and does not change a run, or is compared by what it holds."""

KINDS = ("sight", "touch or zone", "hearing", "meter", "belief", "alert state", "pose")
"""In what an agent's runs can part; of several at one tick the first causes the others."""

SAME = 1e-6
"""Numbers this close are the same."""

NEAR = 10.0
"""Events farther apart in time than this are not the same one, s."""


@dataclass(frozen=True)
class InputDifference:
    """Something that went in otherwise: what, where, and either side's."""

    what: str  # number, level, track, noises, throws, version
    place: str
    a: str
    b: str


@dataclass(frozen=True)
class Parting:
    """The first moment at which what an agent senses, believes or does is not the same.

    Attributes:
        agent: Whose.
        t: When, s.
        kind: In what, one of `KINDS`.
        target: About whom; empty for alert states and poses.
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
    """An event of one run beside the same of the other.

    Attributes:
        status: `same`, `moved` in time, `only a` or `only b`.
        t_a, t_b: When, s; None where it is not.
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
    """Two runs, A and B, held against each other."""

    a: Run
    b: Run

    @cached_property
    def inputs(self) -> list[InputDifference]:
        """What went in otherwise: numbers first, then level, tracks, noises and throws."""
        return [*_numbers(self.a, self.b), *_level(self.a, self.b), *_recordings(self.a, self.b)]

    @cached_property
    def measures(self) -> pd.DataFrame:
        """A row per measure that either has: key, agent, target, measure, a, b, difference, unit.

        The difference is B less A; NaN where one of them has none.
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
        """The rows of `measures` that are not the same on both sides."""
        rows = self.measures
        there = rows.a.notna() & rows.b.notna()
        other = (rows.difference.abs() > SAME) | (rows.a.notna() != rows.b.notna())
        return rows[other & (there | rows.a.notna() | rows.b.notna())]

    @cached_property
    def partings(self) -> list[Parting]:
        """The first moment for each agent of both that parts, in the order of time."""
        agents = [agent for agent in self.a.agents if agent in self.b.agents]
        found = [parting for agent in agents if (parting := self._parting(agent)) is not None]
        return sorted(found, key=lambda each: (each.t, KINDS.index(each.kind)))

    @cached_property
    def events(self) -> list[EventPair]:
        """The events of both, aligned, in the order of time."""
        return _aligned(self.a.events, self.b.events)

    @cached_property
    def times(self) -> Numbers:
        """The times of ticks that both have, s."""
        found: Numbers = np.intersect1d(np.round(self.a.times, 9), np.round(self.b.times, 9))
        return found

    def differs(self, agent: str) -> NDArray[np.bool_]:
        """(times,) whether an agent's alert state, or whom it has in view, is not the same."""
        other = np.zeros(len(self.times), dtype=np.bool_)
        for look in (_states, _views):
            other |= _unlike(look(self.a, agent), look(self.b, agent), self.times).any(axis=1)
        return other

    def to_dict(self) -> dict[str, Any]:
        """All of it as plain data."""
        return {
            "a": _named(self.a),
            "b": _named(self.b),
            "inputs": [asdict(each) for each in self.inputs],
            "partings": [asdict(each) for each in self.partings],
            "measures": self.changed.to_dict(orient="records"),
            "events": [asdict(each) for each in self.events if each.status != "same"],
        }

    def _parting(self, agent: str) -> Parting | None:
        first: tuple[float, int, str] | None = None
        for n, look in enumerate(_LOOKS):
            found = _first(look(self.a, agent), look(self.b, agent), self.times)
            if found is not None and (first is None or found[0] < first[0] - SAME):
                first = found[0], n, found[1]
        if first is None:
            return None
        t, n, target = first
        a, b = (_reason(run, agent, KINDS[n], target, t) for run in (self.a, self.b))
        return Parting(agent, t, KINDS[n], target, a, b)


def compare(a: Run, b: Run) -> Comparison:
    """Hold two runs against each other.

    Raises:
        InputError: They have no tick or no agent in common.

    >>> import snelk
    >>> night = snelk.croft() / "night.toml"
    >>> keen = {"profiles.dog.hearing.acuity": 3.0}
    >>> parted = snelk.compare(snelk.run(night), snelk.run(night, changes=keen)).partings[0]
    >>> parted.agent, parted.t, parted.kind, parted.b
    ('dog', 16.3, 'hearing', 'dog heard fox creeping at 16.27 s (8.2 m, strength 0.05)')
    """
    comparison = Comparison(a, b)
    if len(comparison.times) == 0:
        raise InputError.of("compare", "", "", "the two runs have no time in common")
    if not set(a.agents) & set(b.agents):
        raise InputError.of("compare", "", "", "the two runs have no agent in common")
    return comparison


def compare_changed(
    scenario: Scenario, changes: Mapping[str, Any], *, progress: Progress | None = None
) -> Comparison:
    """Replay a scenario as it is and with changes, and hold the runs against each other."""
    return compare(*run_batch(scenario, variants=[{}, changes], progress=progress))


def _named(run: Run) -> dict[str, Any]:
    folder = None if run.folder is None else str(run.folder)
    names = ("scenario", "title", "changes", "seed", "snelk")
    return {"folder": folder, **{name: run.info[name] for name in names}}


# What went in.


def _numbers(a: Run, b: Run) -> Iterator[InputDifference]:
    sides = [dict(_leaves(run.info["setup"], ())) for run in (a, b)]
    found: dict[tuple[str, ...], tuple[str, ...]] = {}
    for place in dict.fromkeys([*sides[0], *sides[1]]):
        if place[0] in NOT_COMPARED:
            continue
        one, other = (side.get(place, "–") for side in sides)
        if one != other:
            found[place] = tuple(each if each == "–" else shown(each) for each in (one, other))
    # A number that profiles have from one another is told once.
    groups: dict[tuple[object, ...], list[tuple[str, ...]]] = {}
    for place, texts in found.items():
        in_profile = place[0] == "profiles" and len(place) > 2
        groups.setdefault((place[2:], texts) if in_profile else (place,), []).append(place)
    for places in groups.values():
        names = [place[1] for place in places if len(place) > 1]
        text = key_path(places[0])
        if len(places) > 1:
            text = f"profiles.*.{key_path(places[0][2:])} of {', '.join(names)}"
        a_text, b_text = found[places[0]]
        yield InputDifference("number", text, a_text, b_text)
    if a.info["snelk"] != b.info["snelk"]:
        yield InputDifference("version", "snelk", a.info["snelk"], b.info["snelk"])


def _leaves(value: Any, place: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], Any]]:
    """Every value of nested tables with its key path; those that say nothing are left out."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from _leaves(inner, (*place, str(key)))
    elif value is not None:
        yield place, value


def _level(a: Run, b: Run) -> Iterator[InputDifference]:
    sides = []
    for run in (a, b):
        features = run.level.data.to_geojson()["features"]
        sides.append({(f["properties"]["kind"], f["properties"]["name"]): f for f in features})
    for key in dict.fromkeys([*sides[0], *sides[1]]):
        one, other = (side.get(key) for side in sides)
        place = f"{key[0]} {key[1]}"
        if one is None or other is None:
            there = ["–" if each is None else "is there" for each in (one, other)]
            yield InputDifference("level", place, *there)
            continue
        names = dict.fromkeys([*one["properties"], *other["properties"]])
        for name in names:
            values = [each["properties"].get(name, "–") for each in (one, other)]
            if values[0] != values[1]:
                yield InputDifference("level", f"{place}: {name}", *map(str, values))
        if one["geometry"] != other["geometry"]:
            yield InputDifference("level", f"{place}: outline", "as before", "another")


def _recordings(a: Run, b: Run) -> Iterator[InputDifference]:
    sides = [run.info["inputs"] for run in (a, b)]
    for name in dict.fromkeys([*sides[0], *sides[1]]):
        if name == "level" or sides[0].get(name) == sides[1].get(name):
            continue
        what, _, who = name.partition(".")
        there = ["recorded" if name in side else "–" for side in sides]
        if who and there == ["recorded", "recorded"]:
            times = np.intersect1d(np.round(a.times, 9), np.round(b.times, 9))
            first = _first(_poses(a, who), _poses(b, who), times)
            there[1] = "another, alike at every tick"
            if first is not None:
                there[1] = f"another from {first[0]:.2f} s on"
        elif not who:
            there[1] = "others"
        yield InputDifference(what.removesuffix("s") if who else what, who or name, *there)


# Where they part. What an agent has at each tick is a table by time, a column per target.


def _sensed(table: str, column: str) -> Callable[[Run, str], pd.DataFrame]:
    def look(run: Run, agent: str) -> pd.DataFrame:
        rows = run.table(table)
        rows = rows[rows.agent == agent]
        found: pd.DataFrame = rows.groupby(["t", "target"], observed=True)[column].any().unstack()
        return found.astype(np.float64)

    return look


def _heard(run: Run, agent: str) -> pd.DataFrame:
    rows = run.hearing
    rows = rows[(rows.agent == agent) & rows.heard]
    counts: pd.DataFrame = rows.groupby(["t", "target"], observed=True).size().unstack()
    ticks = np.round(counts.index.to_numpy(dtype=np.float64), 9)
    return counts.set_axis(ticks).reindex(run.times)  # NaN where nothing was heard


def _meters(run: Run, agent: str) -> pd.DataFrame:
    rows = run.meters
    found: pd.DataFrame = rows[rows.agent == agent].pivot(
        index="t", columns="target", values="value"
    )
    return found


def _beliefs(run: Run, agent: str) -> pd.DataFrame:
    rows = run.beliefs
    rows = rows[rows.agent == agent]
    x, y = (rows.pivot(index="t", columns="target", values=axis) for axis in ("x", "y"))
    found: pd.DataFrame = x + 1j * y
    return found


def _states(run: Run, agent: str) -> pd.DataFrame:
    """The state entered by each tick, as its name."""
    rows = run.states
    rows = rows[rows.agent == agent][["t", "state"]].rename(columns={"state": ""})
    found: pd.DataFrame = rows.drop_duplicates("t", keep="last").set_index("t")
    return found.reindex(run.times).ffill()


def _poses(run: Run, agent: str) -> pd.DataFrame:
    rows = run.poses
    rows = rows[rows.id == agent]
    place = rows.x + 1j * rows.y + 1e3 * np.exp(1j * np.radians(rows.heading_deg))
    posture = rows.posture.astype(str).map({"standing": 0.0, "crouched": 1e6, "prone": 2e6})
    found: pd.DataFrame = (place + posture).set_axis(rows.t).to_frame("")
    return found


_views = _sensed("sight", "in_view")

_LOOKS = (_views, _sensed("contacts", "sensed"), _heard, _meters, _beliefs, _states, _poses)
"""What an agent has at each tick, in the order of `KINDS`."""


def _unlike(a: pd.DataFrame, b: pd.DataFrame, times: Numbers) -> NDArray[np.bool_]:
    """(times, columns) where two tables are not the same; what is sampled seldom stands."""
    columns = sorted({*a.columns, *b.columns})
    if not columns:
        return np.zeros((len(times), 1), dtype=np.bool_)
    sides = []
    for table in (a, b):
        table = table.set_axis(np.round(table.index.to_numpy(dtype=np.float64), 9))
        table = table.reindex(columns=columns)
        sides.append(table.reindex(times, method="ffill").to_numpy())
    if sides[0].dtype == object or sides[1].dtype == object:
        words = [np.where(side != side, "", side).astype(str) for side in sides]
        other: NDArray[np.bool_] = words[0] != words[1]
        return other
    gone = [np.isnan(side) for side in sides]
    far = np.abs(np.nan_to_num(sides[0]) - np.nan_to_num(sides[1])) > SAME
    unlike: NDArray[np.bool_] = far | (gone[0] != gone[1])
    return unlike


def _first(a: pd.DataFrame, b: pd.DataFrame, times: Numbers) -> tuple[float, str] | None:
    """The first time at which two tables are not the same, and in which column."""
    other = _unlike(a, b, times)
    if not other.any():
        return None
    tick = int(np.argmax(other.any(axis=1)))
    column = sorted({*a.columns, *b.columns})[int(np.argmax(other[tick]))]
    return float(times[tick]), str(column)


def _reason(run: Run, agent: str, kind: str, target: str, t: float) -> str:
    """How it was in one run at a time, and why."""
    if kind == "alert state":
        return _state_reason(run, agent, t)
    if kind == "pose":
        row = run.poses[(run.poses.id == agent)].iloc[run.tick_at(t)]
        where = f"at ({row.x:.2f}, {row.y:.2f}), facing {row.heading_deg:.1f}°, {row.posture}"
        state = run.state_at(agent, t)
        return f"{where}; {state}" if state else where
    answer = run.why(agent, target, at=t)
    if kind == "meter" and answer.meter is not None:
        factors = ", ".join(
            f"{name} ×{f:.2f}" for name, f in answer.meter.factors.items() if f != 1
        )
        meter = run.setup.profile_of(agent).meter
        full = f"fill_time {meter.fill_time:g} s" if meter is not None else ""
        return f"{answer.meter.text} ({', '.join(part for part in (full, factors) if part)})"
    if kind == "belief" and answer.belief is not None:
        return answer.belief.text
    wanted = {"hearing": ("hearing",), "touch or zone": ("touch", "zone")}.get(kind, ())
    lines = [sense.headline for sense in answer.senses if sense.sense in wanted]
    return "; ".join(lines) or answer.headline


def _state_reason(run: Run, agent: str, t: float) -> str:
    rows = run.states
    rows = rows[(rows.agent == agent) & ((rows.t - t).abs() < SAME) & rows.change.notna()]
    if len(rows):
        row = rows.iloc[0]
        return f"{row.before} → {row.state} ({row.change}): {row.reason}"
    if run.setup.profile_of(agent).ladder is None:
        return "it has no alert ladder"
    answer = explain_ladder(run, agent, at=t)
    lacked = [f"{c.name} lacked {'; '.join(c.missing)}" for c in answer.changes]
    return f"stays {answer.state}: {' | '.join(lacked)}" if lacked else f"stays {answer.state}"


# What came out.


def _aligned(a: pd.DataFrame, b: pd.DataFrame) -> list[EventPair]:
    """The events of both: those of the same words but for numbers are paired by time."""
    groups: dict[tuple[str, ...], tuple[list[Any], list[Any]]] = {}
    for side, events in enumerate((a, b)):
        for row in events.itertuples():
            names = ("kind", "agent", "target", "threshold", "noise", "zone", "state", "change")
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
