"""The four ways to search, held against each other on the same input."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from snelk.config.problems import key_path
from snelk.config.scenario import Scenario, as_scenario
from snelk.errors import InputError, one_of
from snelk.runs.run import Progress, run_batch

if TYPE_CHECKING:
    from snelk.runs.run import Run

METHODS = ("there", "nearby", "hideouts", "likelihood")


@dataclass(frozen=True)
class SearchResult:
    """What an agent's searches came to in one run.

    Attributes:
        method, seed: How it is searched, and the seed.
        searches: How many searches there were.
        found: How many of them found the target.
        seconds, walked: What they took in all, s and m.
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
    """Run a scenario with each of the four methods to search, and with each seed.

    All states of the agent's ladder that search do so by that method.

    Raises:
        InputError: Nobody has that name, or its ladder has no state that searches.
    """
    scenario = as_scenario(scenario)
    setup = scenario.setup
    one_of(agent, setup.agents, source="agent", place="", what="agent")
    ladder, name = setup.profile_of(agent).ladder, setup.cast[agent].profile or ""
    states = [state for state, each in ladder.states.items() if each.search] if ladder else []
    if not states:
        fix = "give a state of its ladder a search = { … }"
        raise InputError.of("agent", "", f'"{agent}"', "has no state that searches", fix)
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
