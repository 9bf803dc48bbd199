"""What was sensed when: in a game's own log, in a run, and in variants of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.recordings import read_sensed
from snelk.config.scenario import Scenario
from snelk.engine.simulation import Simulation
from snelk.errors import InputError, Problem, nearest
from snelk.runs.dense import contacts_of, looks_while_there
from snelk.runs.dense import in_view as seen_at
from snelk.runs.run import Run
from snelk.senses.contact import SENSED
from snelk.senses.hearing import HEARD
from snelk.senses.sight import IN_VIEW

Truths = NDArray[np.bool_]
Numbers = NDArray[np.float64]
Pair = tuple[str, str, str]
"""An agent, a target and a sense."""
Progress = Callable[[int, int], None]

HEARING = "hearing"
"""The sense that is sensed at moments, and not for a while."""


@dataclass
class Log:
    """A game's log of what each agent sensed and decided.

    Attributes:
        pairs: By agent, target and sense, tick by tick of a run: 1, 0, or -1 for unknown.
        heard: By agent and target: when noises were heard, s.
        states: By agent, tick by tick: the alert state, or empty.
        end: End of the log, s.
    """

    pairs: dict[Pair, NDArray[np.int8]] = field(default_factory=dict)
    heard: dict[tuple[str, str], Numbers] = field(default_factory=dict)
    states: dict[str, NDArray[np.object_]] = field(default_factory=dict)
    end: float = 0.0


@dataclass
class Sensed:
    """What was sensed in a run, for the pairs of a log, at each tick.

    Attributes:
        pairs: By agent, target and sense: whether it was in view or felt at each tick.
        heard: By agent and target: when noises were heard, s.
    """

    pairs: dict[Pair, Truths]
    heard: dict[tuple[str, str], Numbers]


def read_log(path: str | Path, run: Run, words: Mapping[str, str] | None = None) -> Log:
    r"""Read a game's log of what its own code sensed and decided.

    A row is valid until its `until`, or else until the next row of the same pair or agent. If rows
    have an `until`, nothing was sensed at other times.

    Args:
        path: A .csv, .parquet or .jsonl with the columns `t` in s, `agent`; with `target` and
            `sensed` (true or false), and `sense` (sight if absent); or with `state`; and with
            `until` in s, if rows are time intervals. A row of `hearing` is one noise that was
            heard.
        run: Whose names and ticks.
        words: By the game's name of a state that of the scenario.

    Raises:
        InputError: A column or name is wrong; all that is are listed.

    >>> import snelk, tempfile
    >>> run = snelk.run(snelk.croft() / "night.toml")
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     path = Path(folder) / "log.csv"
    ...     _ = path.write_text("t,until,agent,target\n30.0,33.5,gander,fox\n")
    ...     log = read_log(path, run)
    >>> int((log.pairs["gander", "fox", "sight"] == 1).sum()), log.end
    (35, 90.0)
    """
    path, rows = Path(path), read_sensed(Path(path))
    rows["state"] = [(words or {}).get(state, state) for state in rows.state]
    problems = _unknown(rows, run, str(path))
    if problems:
        raise InputError(problems)
    log, stretches = Log(), bool(rows.until.notna().any())
    log.end = float(np.nanmax(rows[["t", "until"]].to_numpy(), initial=0.0))
    if stretches:
        log.end = float(run.times[-1])
    told = run.times <= log.end + 1e-6
    seen = rows[(rows.sensed >= 0) & (rows.sense != HEARING)]
    for key, some in seen.groupby(["agent", "target", "sense"], sort=False):
        pair: Any = key
        values = some.sensed.to_numpy(dtype=np.int8)
        log.pairs[pair] = _by_tick(some, values, run, told, np.int8(0 if stretches else -1))
    heard = rows[(rows.sensed == 1) & (rows.sense == HEARING)]
    for key, some in heard.groupby(["agent", "target"], sort=False):
        two: Any = key
        log.heard[two] = np.sort(some.t.to_numpy(dtype=np.float64))
    for agent in dict.fromkeys(rows[rows.sense == HEARING].agent):
        for target in run.names:
            if target != agent:
                log.heard.setdefault((agent, target), np.zeros(0))
    if stretches:
        blank = np.where(told, 0, -1).astype(np.int8)
        for agent, sense in dict.fromkeys(zip(seen.agent, seen.sense, strict=True)):
            for target in _noticed(run, agent):
                log.pairs.setdefault((agent, target, sense), blank)
    states = rows[rows.state != ""]
    for agent, some in states.groupby("agent", sort=False):
        names = some.state.to_numpy(dtype=object)
        log.states[str(agent)] = _by_tick(some, names, run, told, "")
    if not (log.pairs or log.heard or log.states):
        raise InputError.of(
            str(path), "", "", "contains nothing about any character", "log sensed or state"
        )
    return log


def _unknown(rows: Any, run: Run, source: str) -> list[Problem]:
    """Names that are not in the run, the first of each."""
    problems: dict[tuple[str, str], Problem] = {}

    def wrong(what: str, name: str, place: str, rule: str, fix: str) -> None:
        problems.setdefault((what, name), Problem(source, place, f'{what} = "{name}"', rule, fix))

    each = zip(rows.index, rows.agent, rows.target, rows.state, strict=True)
    for index, agent, target, state in each:
        place = f"{rows.index.name} {index}"
        if agent not in run.agents:
            wrong("agent", agent, place, "no such agent", nearest(agent, run.agents))
            continue
        if target and (target not in run.names or target == agent):
            wrong("target", target, place, "no such character", nearest(target, run.names))
        ladder = run.setup.profile_of(agent).ladder
        if state and (ladder is None or state not in ladder.states):
            fix = nearest(state, ladder.states if ladder else ()) + "; or translate it with --word"
            wrong("state", state, place, "no such alert state", fix)
    return list(problems.values())[:20]


def _by_tick(some: Any, values: NDArray[Any], run: Run, told: Truths, blank: Any) -> NDArray[Any]:
    """The values of one pair or agent at each tick; `blank` where there are none."""
    order = np.argsort(some.t.to_numpy(), kind="stable")
    since, until = (some[name].to_numpy(dtype=np.float64)[order] for name in ("t", "until"))
    at = np.searchsorted(since, run.times + 1e-6, side="right") - 1
    holds = (at >= 0) & ~(run.times > until[np.maximum(at, 0)] - 1e-6)
    found = np.where(holds, values[order][np.maximum(at, 0)], blank)
    nothing = "" if isinstance(blank, str) else np.int8(-1)
    return np.where(told, found, nothing)


def _noticed(run: Run, agent: str) -> list[str]:
    """The targets that an agent can ever sense."""
    profile, cast = run.setup.profile_of(agent), run.setup.cast
    return [name for name in run.names if name != agent and profile.ever_notices(cast[name].team)]


def sensed_in(run: Run, log: Log) -> Sensed:
    """What was sensed in a run, for the pairs of a log."""
    heard = {}
    if log.heard:
        rows = run.hearing
        rows = rows[rows.heard.to_numpy(dtype=np.bool_)]
        for agent, target in log.heard:
            mine = (rows.agent == agent) & (rows.target == target)
            heard[agent, target] = rows.t[mine].to_numpy(dtype=np.float64)
    return Sensed({pair: sensed_by(run, *pair) for pair in log.pairs}, heard)


def sensed_by(run: Run, agent: str, target: str, sense: str) -> Truths:
    """(ticks,) whether an agent had a target in view, or felt it, in a run."""
    if sense == "sight":
        looks = looks_while_there(run, agent, target)
        at = np.searchsorted(looks.ticks, np.arange(len(run.times)), side="right") - 1
        found: Truths = seen_at(looks)[np.maximum(at, 0)] & (at >= 0)
        return found
    rows = contacts_of(run, agent, target, sense)
    if not len(rows):
        return np.zeros(len(run.times), dtype=np.bool_)
    return np.array([each == "sensed" for each in rows["result"]], dtype=np.bool_)


def sensed_in_variants(
    scenario: Scenario,
    variants: Sequence[Mapping[str, Any]],
    log: Log,
    progress: Progress | None = None,
) -> list[Sensed]:
    """The same for variants, stepped together without tables."""
    simulation = Simulation(scenario, variants=variants, logged=False)
    names, agents, count = simulation.names, simulation.agents, len(simulation.times)
    chosen = {
        sense: [pair for pair in log.pairs if pair[2] == sense]
        for sense in dict.fromkeys(pair[2] for pair in log.pairs)
    }
    places = {
        sense: (
            [agents.index(agent) for agent, _, _ in pairs],
            [names.index(target) for _, target, _ in pairs],
        )
        for sense, pairs in chosen.items()
    }
    found = {
        sense: np.zeros((len(variants), count, len(pairs)), dtype=np.bool_)
        for sense, pairs in chosen.items()
    }
    heard: list[dict[tuple[str, str], list[float]]] = [
        {pair: [] for pair in log.heard} for _ in variants
    ]
    while not simulation.done:
        tick, t = simulation.tick, simulation.step()
        for sense, (a, j) in places.items():
            if sense == "sight":
                now = (simulation.sight.failed[:, a, j] == IN_VIEW).any(axis=-1)
            else:
                now = getattr(simulation.contacts, sense)[:, a, j] == SENSED
            found[sense][:, tick] = now
        judged = simulation.heard
        for n in np.flatnonzero(judged.failed == HEARD).tolist() if log.heard else ():
            by = int(judged.by[n])
            pair = agents[judged.agent[n]], names[by] if by >= 0 else ""
            if pair in log.heard:
                heard[judged.variant[n]][pair].append(t)
        if progress is not None:
            progress(tick + 1, count)
    each = []
    for v in range(len(variants)):
        last = int(simulation.last[v])
        ticks = count if last < 0 else last + 1
        seen = {
            pair: found[sense][v, :ticks, n]
            for sense, pairs in chosen.items()
            for n, pair in enumerate(pairs)
        }
        end = simulation.times[ticks - 1] + 1e-9
        times = {pair: np.array([t for t in some if t <= end]) for pair, some in heard[v].items()}
        each.append(Sensed(seen, times))
    return each
