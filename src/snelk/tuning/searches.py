"""The four search methods, compared on the same input."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.config.problems import key_path
from snelk.config.scenario import Scenario, as_scenario
from snelk.engine.simulation import Simulation
from snelk.errors import InputError, one_of
from snelk.runs.run import Progress, run_batch
from snelk.tuning.batches import BATCH

if TYPE_CHECKING:
    from snelk.runs.run import Run

METHODS = ("there", "nearby", "hideouts", "likelihood")


@dataclass(frozen=True)
class SearchResult:
    """The result of an agent's searches in one run.

    Attributes:
        method, seed: How it is searched, and the seed.
        searches: How many searches there were.
        found: How many of them found the target.
        seconds, walked: Their total time and distance, s and m.
        outcomes: How each ended: `found`, `gave_up`, `nothing` or `broken_off`; one that was
            going on when the run ended is `open`.
        until_found: From when the first search began until one found the target, s; if none did,
            until the run's end. NaN without a search.
    """

    method: str
    seed: int
    searches: int
    found: int
    seconds: float
    walked: float
    outcomes: tuple[str, ...]
    until_found: float

    def to_dict(self) -> dict[str, Any]:
        """The result as plain data."""
        return asdict(self)


def compare_searches(
    scenario: str | Path | Scenario,
    agent: str,
    *,
    seeds: Sequence[int] = (0, 1, 2, 3, 4),
    progress: Progress | None = None,
) -> list[SearchResult]:
    """Run a scenario with each of the four search methods, and with each seed.

    All states of the agent's ladder that search do so by that method.

    Raises:
        InputError: Nobody has that name, or its ladder has no state that searches.
    """
    scenario = as_scenario(scenario)
    setup = scenario.setup
    one_of(agent, (*setup.agents, *setup.groups), source="agent", place="", what="agent")
    if agent not in setup.agents:
        rule, fix = "is a group", "use compare_company for a group"
        raise InputError.of("agent", "", f'"{agent}"', rule, fix)
    ladder, name = setup.profile_of(agent).ladder, setup.cast[agent].profile or ""
    states = [state for state, each in ladder.states.items() if each.search] if ladder else []
    if not states:
        fix = "give one of its alert states a search = { … }"
        raise InputError.of("agent", "", f'"{agent}"', "has no alert state that searches", fix)
    keys = [
        key_path(("profiles", name, "ladder", "states", state, "search", "method"))
        for state in states
    ]
    pairs = [(method, seed) for method in METHODS for seed in seeds]
    variants = [{**dict.fromkeys(keys, method), "seed": seed} for method, seed in pairs]
    runs = run_batch(scenario, variants=variants, progress=progress)
    return [_result(run, agent, *pair) for pair, run in zip(pairs, runs, strict=True)]


def _result(run: Run, agent: str, method: str, seed: int) -> SearchResult:
    rows = run.searches
    rows = rows[rows.agent == agent]
    outcomes, seconds, walked = [], 0.0, 0.0
    for _, search in rows.groupby("search"):
        last = search.iloc[-1]
        ended = last.what == "ended"
        outcomes.append(str(last.outcome) if ended else "open")
        began = float(search.t.iloc[0])
        seconds += float(last.t if ended else run.times[-1]) - began
        walked += float(last.walked)
    found, until = outcomes.count("found"), math.nan
    if outcomes:
        ends = rows[(rows.what == "ended") & (rows.outcome == "found")].t
        until = float(ends.iloc[0] if len(ends) else run.times[-1]) - float(rows.t.iloc[0])
    return SearchResult(method, seed, len(outcomes), found, seconds, walked, tuple(outcomes), until)


TOGETHER, ALONE = "together", "alone"
"""How the members of a group search: as one, or each as if the others were not."""

CLOSE = 0.5
"""Two who search are at the same point if they are no farther apart, m."""

STANDS = 0.1
"""Who is slower stands, m/s."""


@dataclass(frozen=True)
class CompanyResult:
    """The result of a group's searches in one run.

    Attributes:
        way, seed: `together` or `alone`, and the seed.
        searches: How many searches its members began.
        finder: Who found the target first; None if nobody did.
        until_found: From when the first search began until one of them found the target, s; if
            none did, until the run's end. NaN without a search.
        walked: Total distance they walked while they searched, m.
        same_point: Longest time that two of them who searched stood no more than 0.5 m
            apart, s.
    """

    way: str
    seed: int
    searches: int
    finder: str | None
    until_found: float
    walked: float
    same_point: float

    def to_dict(self) -> dict[str, Any]:
        """The result as plain data."""
        return asdict(self)


def compare_company(
    scenario: str | Path | Scenario,
    group: str,
    *,
    seeds: Sequence[int] = tuple(range(20)),
    progress: Progress | None = None,
) -> list[CompanyResult]:
    """Run a scenario with a group that shares its searches, and with each agent alone.

    Args:
        scenario: Its TOML file, or what `load` returned.
        group: One of its `groups`.
        seeds: Each is tried both ways.
        progress: Called with the runs done and the runs in all.

    Raises:
        InputError: No group has this name, or no member has a state that searches.
    """
    scenario = as_scenario(scenario)
    setup = scenario.setup
    one_of(group, setup.groups, source="group", place="", what="group")
    members = setup.groups[group].members
    ladders = [setup.profile_of(name).ladder for name in members]
    if not any(state.search for each in ladders if each for state in each.states.values()):
        fix = "give one of their alert states a search = { … }"
        raise InputError.of("group", "", f'"{group}"', "has no member that searches", fix)
    key = key_path(("groups", group, "search"))
    pairs = [(way, seed) for way in (TOGETHER, ALONE) for seed in seeds]
    found: list[CompanyResult] = []
    for low in range(0, len(pairs), BATCH):
        some = pairs[low : low + BATCH]
        variants = [{key: way == TOGETHER, "seed": seed} for way, seed in some]
        found += _searched_as(scenario, members, some, variants)
        if progress is not None:
            progress(len(found), len(pairs))
    return found


def _searched_as(
    scenario: Scenario,
    members: Sequence[str],
    pairs: Sequence[tuple[str, int]],
    variants: Sequence[dict[str, Any]],
) -> list[CompanyResult]:
    """The results of the searches of some variants."""
    simulation = Simulation(scenario, variants=variants, logged=False)
    world, count, dt = simulation.world, len(pairs), scenario.setup.clock.dt
    who = np.array([simulation.agents.index(name) for name in members])
    began, until, walked = np.full((3, count), np.nan)
    finder = np.full(count, -1)
    searches = np.zeros(count, dtype=np.int64)
    going = np.zeros((count, len(who)), dtype=np.bool_)
    before = world.motion.walked[:, who].copy()
    walked[:] = 0.0
    same = np.zeros((count, len(who), len(who)))  # for how long now, s
    longest, end = np.zeros(count), np.full(count, float(simulation.times[-1]))
    apart = ~np.eye(len(who), dtype=np.bool_)
    while not simulation.done:
        t = simulation.step()
        for note in world.notes:
            v, n = note.variant, np.flatnonzero(who == note.agent)
            if not len(n) or (simulation.last[v] >= 0 and simulation.last[v] < simulation.tick - 1):
                continue
            if note.what == "began":
                searches[v] += 1
                began[v] = np.fmin(began[v], t)
                going[v, n[0]] = True
            elif note.what == "ended":
                going[v, n[0]] = False
                if note.outcome == "found" and np.isnan(until[v]):
                    until[v], finder[v] = t, note.agent
        now = world.motion.walked[:, who]
        walked += np.where(going, now - before, 0.0).sum(axis=1)
        before = now.copy()
        x, y, z = (axis[:, who] for axis in (world.motion.x, world.motion.y, world.motion.z))
        far = np.hypot(x[:, :, None] - x[:, None, :], y[:, :, None] - y[:, None, :])
        far = np.hypot(far, z[:, :, None] - z[:, None, :])
        stands = world.motion.speed[:, who] < STANDS
        near = (
            (far <= CLOSE)
            & (stands[:, :, None] & stands[:, None, :])
            & going[:, :, None]
            & going[:, None, :]
            & apart
        )
        same = np.where(near, same + dt, 0.0)
        longest = np.maximum(longest, same.max(axis=(1, 2)))
        ended = simulation.last >= 0
        end[ended] = simulation.times[simulation.last[ended]]
    seconds = np.round(np.where(np.isnan(until), end, until) - began, 9)
    return [
        CompanyResult(
            way, seed, int(searches[v]), None if finder[v] < 0 else simulation.agents[finder[v]],
            float(seconds[v]), round(float(walked[v]), 6), round(float(longest[v]), 9),
        )
        for v, (way, seed) in enumerate(pairs)
    ]  # fmt: skip


def means_by_company(results: Sequence[CompanyResult]) -> list[dict[str, Any]]:
    """Together and alone: runs, those that searched and found, and the means of those that did."""
    rows = []
    for way in (TOGETHER, ALONE):
        chosen = [each for each in results if each.way == way]
        some = [each for each in chosen if each.searches]
        mean = float(np.mean([each.until_found for each in some])) if some else math.nan
        rows.append(
            {
                "way": way,
                "runs": len(chosen),
                "searched": len(some),
                "found": sum(each.finder is not None for each in chosen),
                "until_found": mean,
                "walked": float(np.mean([each.walked for each in some])) if some else math.nan,
                "same_point": max((each.same_point for each in chosen), default=0.0),
            }
        )
    return rows


def means_by_way(results: Sequence[SearchResult]) -> list[dict[str, Any]]:
    """Per method: runs, those in which it found the target, and how soon, the soonest first.

    `until_found` is the mean over all runs that searched, one that never found it counting until
    its end; `seconds` and `walked` are means of a search.
    """
    rows = []
    for method in METHODS:
        chosen = [result for result in results if result.method == method]
        count = sum(result.searches for result in chosen)
        until = [r.until_found for r in chosen if r.searches]
        rows.append(
            {
                "method": method,
                "runs": len(chosen),
                "searched": len(until),
                "searches": count,
                "found": sum(result.found > 0 for result in chosen),
                "until_found": sum(until) / len(until) if until else math.nan,
                "seconds": sum(r.seconds for r in chosen) / count if count else math.nan,
                "walked": sum(r.walked for r in chosen) / count if count else math.nan,
            }
        )
    return sorted(
        rows, key=lambda row: (row["until_found"] != row["until_found"], row["until_found"])
    )
