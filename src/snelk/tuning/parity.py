"""A game's own log of what its agents sensed and decided, held against a run of the same input."""

from __future__ import annotations

import itertools
import math
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from snelk.config.problems import key_path
from snelk.config.scenario import Scenario, load, parse_override
from snelk.config.tabular import read_rows
from snelk.errors import InputError, Problem, nearest
from snelk.runs.dense import contacts_of, looks_at
from snelk.runs.dense import in_view as seen_at
from snelk.runs.run import Run, run_batch

SENSES = ("sight", "touch", "zone")
"""What a log may say is sensed, at each moment."""

COLUMNS = {"t": True, "agent": True, "target": False, "sense": False, "sensed": False}
COLUMNS |= {"state": False}

SLACK = 0.15
"""What parts for no longer than this, s, is a matter of when somebody looked."""

MOST_ASKED, ASKED_OF_EACH, MOST_TRIED = 60, 5, 30
"""Partings that are looked into, moments of each, and single numbers that are tried."""

LATEST = 5.0
"""A state that is entered later than this after the other side did is another one, s."""

EXPLAINED = 0.9
"""A parting is explained if so much of it agrees."""

Truths = NDArray[np.bool_]
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class Parting:
    """A stretch in which the game and Snelk do not agree about one pair.

    Attributes:
        agent, target, sense: Of whom.
        start, end: Its first and last tick, s.
        senses: `game` or `snelk`: who has it sensed there.
        reason: What Snelk says of its middle.
        gate: The gate that decides there; empty if it is in view.
        margin: By how much, in the gate's unit; None without a number.
        unit: Of the margin.
    """

    agent: str
    target: str
    sense: str
    start: float
    end: float
    senses: str
    reason: str
    gate: str
    margin: float | None
    unit: str


@dataclass(frozen=True)
class PairParity:
    """How often both agree about one pair: `agree` of `ticks`; and in how many stretches not."""

    agent: str
    target: str
    sense: str
    ticks: int
    agree: float
    partings: int
    short: int  # stretches of no more than SLACK, which are not told


@dataclass(frozen=True)
class StateParity:
    """How often an agent is in the same state, and how much later the game enters them, s."""

    agent: str
    ticks: int
    agree: float
    delay: float | None  # mean; None where no state is entered on both sides
    entered: int  # states that both entered
    missed: int  # that only one of them entered


@dataclass(frozen=True)
class Cause:
    """Partings that one number explains, or that have a gate in common and none explains.

    Attributes:
        profile, gate, senses: Whose they are mostly, by which gate, and who has it sensed.
        partings: How many there are of these.
        explains: How many partings, of whatever kind, the number explains.
        change: That number, as `KEY=VALUE`; some where limits follow each other; empty for none.
        now: What the first of them is in the run.
        gains, costs: Ticks that would agree and do not today, and the other way round.
        margin: The largest margin among them; None without a number.
        unit: Of the margin.
    """

    profile: str
    gate: str
    senses: str
    partings: int
    explains: int
    change: tuple[str, ...]
    now: float | str | None
    gains: int
    costs: int
    margin: float | None
    unit: str

    @property
    def text(self) -> str:
        """All that in words."""
        who = {
            "game": "the game senses, Snelk does not",
            "snelk": "Snelk senses, the game does not",
        }
        near = f", all within {abs(self.margin):.3g} {self.unit}".rstrip() if self.margin else ""
        what = f"{self.partings} of {self.profile} by {self.gate or 'view'}: "
        what += f"{who[self.senses]}{near}"
        if not self.change:
            return f"{what}; no single number explains them"
        key, _, value = self.change[0].partition("=")
        also = f" (with {', '.join(self.change[1:])})" if self.change[1:] else ""
        return f"{what}; {key} = {value} instead of {self.now}{also} would explain {self.explains}"


@dataclass(frozen=True)
class Parity:
    """A run held against a game's log."""

    pairs: list[PairParity]
    states: list[StateParity]
    partings: list[Parting]
    causes: list[Cause]
    end: float

    @property
    def agree(self) -> float:
        """Share of all ticks of all pairs that agree; NaN without any."""
        ticks = sum(pair.ticks for pair in self.pairs)
        return sum(p.agree * p.ticks for p in self.pairs) / ticks if ticks else float("nan")

    def to_dict(self) -> dict[str, Any]:
        """It as plain data."""
        causes = [{**asdict(each), "text": each.text} for each in self.causes]
        return {**asdict(self), "agree": self.agree, "causes": causes}


@dataclass
class Log:
    """What a game says of each pair and agent, tick by tick of a run: 1, 0, or -1 where nothing."""

    pairs: dict[tuple[str, str, str], NDArray[np.int8]] = field(default_factory=dict)
    states: dict[str, NDArray[np.object_]] = field(default_factory=dict)
    end: float = 0.0


def read_log(path: str | Path, run: Run, words: Mapping[str, str] | None = None) -> Log:
    """Read a game's log: what holds at a time holds until the next row of the same pair or agent.

    Args:
        path: A .csv, .parquet or .jsonl with the columns `t` in s, `agent`; with `target` and
            `sensed` (true or false), and `sense` (sight if absent); or with `state`. A row may
            say both.
        run: Whose names and ticks.
        words: By the game's name of a state that of the scenario.

    Raises:
        InputError: A column or name is wrong; all that is are listed.
    """
    path, words = Path(path), words or {}
    frame = read_rows(path, ".csv", ".parquet", ".jsonl", ".ndjson")
    problems = [
        Problem(str(path), "columns", f'"{name}"', "no such column", nearest(str(name), COLUMNS))
        for name in frame.columns
        if name not in COLUMNS
    ]
    problems += [
        Problem(str(path), "columns", "", f'column "{name}" is missing', "add it")
        for name, must in COLUMNS.items()
        if must and name not in frame
    ]
    if problems:
        raise InputError(problems)
    t = pd.to_numeric(frame.t, errors="coerce").to_numpy(dtype=np.float64)
    log, last = Log(end=float(np.nanmax(t, initial=0.0))), run.times
    gathered: dict[tuple[str, ...], list[tuple[float, Any]]] = {}
    for n, (index, row) in enumerate(frame.iterrows()):
        place = f"{frame.index.name} {index}"

        def wrong(given: str, rule: str, fix: str = "", place: str = place) -> None:
            if len(problems) < 20:
                problems.append(Problem(str(path), place, given, rule, fix))

        if not np.isfinite(t[n]):
            wrong(f"t = {row.t}", "is no number")
            continue
        agent, target = _text(row.get("agent")), _text(row.get("target"))
        sense, sensed = _text(row.get("sense")) or "sight", _text(row.get("sensed")).lower()
        state = words.get(_text(row.get("state")), _text(row.get("state")))
        if agent not in run.agents:
            wrong(f'agent = "{agent}"', "no such agent", nearest(agent, run.agents))
            continue
        if target and sensed:
            if target not in run.names or target == agent:
                wrong(f'target = "{target}"', "no such character", nearest(target, run.names))
            elif sense not in SENSES:
                wrong(f'sense = "{sense}"', "cannot be held against a run", nearest(sense, SENSES))
            elif sensed not in TRUTH:
                wrong(f'sensed = "{sensed}"', "must be true or false")
            else:
                gathered.setdefault((agent, target, sense), []).append((t[n], TRUTH[sensed]))
        elif target or sensed:
            wrong("", "has a target without sensed, or the other way round", "fill in both")
        if state:
            ladder = run.setup.profile_of(agent).ladder
            if ladder is None or state not in ladder.states:
                fix = nearest(state, ladder.states if ladder else ()) + "; or map it with --word"
                wrong(f'state = "{state}"', "no such alert state", fix)
            gathered.setdefault((agent,), []).append((t[n], state))
    if problems:
        raise InputError(problems)
    if not gathered:
        raise InputError.of(str(path), "", "", "says nothing of anybody", "log sensed or state")
    for key, rows in gathered.items():
        rows.sort(key=lambda row: row[0])
        since = np.array([row[0] for row in rows])
        at = np.searchsorted(since, last + 1e-6, side="right") - 1
        known = (at >= 0) & (last <= log.end + 1e-6)
        values = np.array([row[1] for row in rows], dtype=object)[np.maximum(at, 0)]
        if len(key) == 1:
            log.states[key[0]] = np.where(known, values, "")
        else:
            log.pairs[key[0], key[1], key[2]] = np.where(known, values, -1).astype(np.int8)
    return log


TRUTH = {"true": 1, "1": 1, "1.0": 1, "yes": 1, "false": 0, "0": 0, "0.0": 0, "no": 0}


def _text(value: Any) -> str:
    return "" if value is None or value != value else str(value).strip()


def parity(run: Run, log: Log, *, progress: Progress | None = None) -> Parity:
    """Hold a run against a game's log of the same input.

    Raises:
        InputError: The scenario of the run cannot be read any more, to try numbers.
    """
    pairs, partings = [], list[Parting]()
    for (agent, target, sense), says in log.pairs.items():
        ours = sensed_by(run, agent, target, sense)
        known = says >= 0
        apart = known & (ours != (says == 1))
        found, short = [], 0
        for first, last in _stretches(apart, says):
            if run.times[last] - run.times[first] <= SLACK:
                short += 1
                continue
            found.append((first, last))
        partings += [
            _parting(run, agent, target, sense, first, last, bool(says[first] == 1))
            for first, last in found[:MOST_ASKED]
        ]
        share = float((~apart & known).sum() / max(known.sum(), 1))
        pairs.append(PairParity(agent, target, sense, int(known.sum()), share, len(found), short))
    states = [_states(run, agent, says) for agent, says in log.states.items()]
    causes = _causes(run, log, partings, progress)
    return Parity(pairs, states, partings, causes, log.end)


def sensed_by(run: Run, agent: str, target: str, sense: str) -> Truths:
    """(ticks,) whether an agent had a target in view, or felt it, in a run."""
    if sense == "sight":
        looks = looks_at(run, agent, target)
        at = np.searchsorted(looks.ticks, np.arange(len(run.times)), side="right") - 1
        found: Truths = seen_at(looks)[np.maximum(at, 0)] & (at >= 0)
        return found
    rows = contacts_of(run, agent, target, sense)
    return np.array([each == "sensed" for each in rows["result"]], dtype=np.bool_)


def _stretches(apart: Truths, says: NDArray[np.int8]) -> list[tuple[int, int]]:
    """(first, last) ticks of each stretch in which both part in the same way."""
    code = np.where(apart, says + 1, 0)
    edges = np.flatnonzero(np.diff(code, prepend=0, append=0))
    return [(int(a), int(b) - 1) for a, b in itertools.pairwise(edges) if code[a] > 0]


def _parting(
    run: Run, agent: str, target: str, sense: str, first: int, last: int, game: bool
) -> Parting:
    middle = run.times[(first + last) // 2]
    answer = run.why(agent, target, at=float(middle))
    gate, margin, unit, reason = "", None, "", answer.headline
    if sense == "sight" and answer.cones:
        # The cone that came closest: the one whose failed gate is farthest down the row.
        best = max(answer.cones, key=lambda cone: sum(g.passed is True for g in cone.gates))
        failed = [each for each in best.gates if each.passed is False]
        if failed:
            gate, margin, unit = failed[0].name, failed[0].margin, failed[0].unit
        elif not game:
            numeric = [g for g in best.gates if g.margin is not None and g.limit]
            least = min(numeric, key=lambda g: abs(g.margin / g.limit), default=None)  # type: ignore[operator]
            if least is not None:
                gate, margin, unit = least.name, least.margin, least.unit
    elif sense != "sight":
        other = answer.sense(sense)
        reason = other.headline if other is not None else f"{agent} has no such sense"
        gate = "" if other is None or other.sensed else other.result
    ends = float(run.times[first]), float(run.times[last])
    return Parting(agent, target, sense, *ends, "game" if game else "snelk", reason, gate,
                   None if margin is None else float(margin), unit)  # fmt: skip


def _states(run: Run, agent: str, says: NDArray[np.object_]) -> StateParity:
    rows = run.rows("states").where(agent=agent)
    entered = run.ticks_of(rows["t"])
    names = np.array([str(each) for each in rows["state"]], dtype=object)
    ours = names[np.searchsorted(entered, np.arange(len(run.times)), side="right") - 1]
    known = says != ""
    moves = [
        (run.times[n], says[n])
        for n in np.flatnonzero(known)
        if n and says[n] != says[n - 1] and says[n - 1] != ""
    ]
    left = [(t, state) for t, state in zip(rows["t"], names, strict=True) if t > run.times[0]]
    left = [(t, state) for t, state in left if known[run.tick_at(float(t))]]
    delays, missed = [], 0
    for t, state in moves:
        near = [each for each in left if each[1] == state and abs(each[0] - t) <= LATEST]
        if not near:
            missed += 1
            continue
        best = min(near, key=lambda each: abs(each[0] - t))
        left.remove(best)
        delays.append(float(t - best[0]))
    share = float((ours == says)[known].mean()) if known.any() else float("nan")
    mean = float(np.mean(delays)) if delays else None
    return StateParity(agent, int(known.sum()), share, mean, len(delays), missed + len(left))


def _causes(run: Run, log: Log, partings: list[Parting], progress: Progress | None) -> list[Cause]:
    """Partings by likely cause: first what the number explains that makes most ticks agree."""
    tried = _tried(run, [p for p in partings if p.sense == "sight"][:MOST_ASKED])
    results: dict[tuple[str, ...], tuple[list[Parting], int, int]] = {}
    if tried:
        scenario = load(run.info["scenario"], overrides=run.info["overrides"])
        tried = {change: now for change, now in tried.items() if _can_be(scenario, change)}
        variants = [dict(map(parse_override, change)) for change in tried]
        runs = run_batch(scenario, variants=variants, progress=progress)
        results = {
            change: _explained(run, other, log, partings)
            for change, other in zip(tried, runs, strict=True)
        }
    left, found = list(partings), []
    while left:
        best = max(
            results,
            key=lambda change: (results[change][1] - results[change][2], -_digits(change[0])),
            default=None,
        )
        explained, gains, costs = results.pop(best) if best is not None else ([], 0, 0)
        mine = [each for each in left if each in explained]
        if best is None or gains <= costs:
            break
        if mine:
            found.append(_cause(run, mine, best, tried[best], gains, costs))
            left = [each for each in left if each not in mine]
    groups: dict[tuple[str, str, str], list[Parting]] = {}
    for each in left:
        groups.setdefault(_kind(run, each), []).append(each)
    rest = [_cause(run, some, (), None, 0, 0) for some in groups.values()]
    return [*found, *sorted(rest, key=lambda cause: -cause.partings)]


def _digits(change: str) -> int:
    """How many digits a number has but for zeros at its ends: the fewer the rounder it is."""
    return len(change.partition("=")[2].replace(".", "").strip("0"))


def _can_be(scenario: Scenario, change: tuple[str, ...]) -> bool:
    """Whether a scenario may have such a number."""
    try:
        scenario.changed(dict(map(parse_override, change)))
    except InputError:
        return False
    return True


def _kind(run: Run, parting: Parting) -> tuple[str, str, str]:
    return run.setup.cast[parting.agent].profile or "", parting.gate, parting.senses


def _cause(
    run: Run, some: list[Parting], change: tuple[str, ...], now: float | str | None, gains: int,
    costs: int,
) -> Cause:  # fmt: skip
    (profile, gate, senses), count = Counter(_kind(run, each) for each in some).most_common(1)[0]
    alike = [each for each in some if _kind(run, each) == (profile, gate, senses)]
    margins = [each.margin for each in alike if each.margin is not None]
    margin = max(margins, key=abs) if margins else None
    unit = next((each.unit for each in alike if each.unit), "")
    explains = len(some) if change else 0
    return Cause(profile, gate, senses, count, explains, change, now, gains, costs, margin, unit)


def _tried(run: Run, partings: list[Parting]) -> dict[tuple[str, ...], float | str]:
    """Numbers that turn some moment of some parting, each with what it is now.

    They are those that the gates were held against, as round as the moments allow. Of each key
    some are tried from the smallest to the largest, the most frequent keys first.
    """
    counts: Counter[str] = Counter()
    values: dict[str, set[float]] = {}
    now: dict[str, float] = {}
    for each in partings:
        times = np.linspace(each.start, each.end, ASKED_OF_EACH)
        profile = run.setup.cast[each.agent].profile or ""
        for at in dict.fromkeys(run.times[run.tick_at(float(t))] for t in times):
            for cone in run.why(each.agent, each.target, at=float(at)).cones:
                written = run.setup.profiles[profile].cones[cone.cone]
                for gate in cone.gates:
                    if gate.value is None or gate.name not in ROUND or not gate.scale:
                        continue
                    if (each.senses == "game") == (gate.passed is True):
                        continue  # it would not turn it
                    key = gate.key.removeprefix("hold_")
                    need = gate.value / gate.scale
                    for name in (key, f"hold_{key}"):
                        if not hasattr(written, name):
                            continue
                        place = key_path(("profiles", profile, "cones", cone.cone, name))
                        before = getattr(written, name)
                        now[place] = getattr(written, key) if before is None else before
                        counts[place] += 1
                        values.setdefault(place, set()).update(
                            _rounded(need, ROUND[gate.name], up=each.senses == "game")
                            if gate.rule == "<="
                            else _rounded(need, ROUND[gate.name], up=each.senses != "game")
                        )
    found: dict[tuple[str, ...], float | str] = {}
    share = max(MOST_TRIED // max(len(counts), 1), 6)
    for place, _ in counts.most_common():
        numbers = sorted(values[place])
        picked = np.unique(np.linspace(0, len(numbers) - 1, min(share, len(numbers))).astype(int))
        found |= {(f"{place}={numbers[n]:g}",): now[place] for n in picked.tolist()}
    return dict(list(found.items())[:MOST_TRIED])


ROUND = {"range": 0.5, "angle": 5.0, "elevation": 5.0, "light": 0.05, "line_of_sight": 0.05}
"""Gates whose numbers may be otherwise, and what a designer would round such a number to."""


def _rounded(need: float, step: float, *, up: bool) -> list[float]:
    """A number and the next round one on its far side."""
    to = math.ceil if up else math.floor
    return [round(to(need / fine) * fine, 6) for fine in (step / 10.0, step)]


def _explained(
    run: Run, other: Run, log: Log, partings: list[Parting]
) -> tuple[list[Parting], int, int]:
    """What agrees in another run: the partings that are none any more, and ticks won and lost."""
    explained, gains, costs = list[Parting](), 0, 0
    for (agent, target, sense), says in log.pairs.items():
        before, now = (sensed_by(each, agent, target, sense) for each in (run, other))
        count = min(len(before), len(now))
        right, known = (says == 1)[:count], (says >= 0)[:count]
        was, becomes = before[:count] == right, now[:count] == right
        gains += int((~was & becomes & known).sum())
        costs += int((was & ~becomes & known).sum())
        for each in partings:
            if (each.agent, each.target, each.sense) == (agent, target, sense):
                span = slice(run.tick_at(each.start), run.tick_at(each.end) + 1)
                if becomes[span].size and becomes[span].mean() >= EXPLAINED:
                    explained.append(each)
    return explained, gains, costs
