"""Is it fair: how long somebody has from the first sign until too late, and to where.

At each of many moments a stand-in is put at every place, as for `coverage`: everybody goes their
rounds, meters are empty, and nobody reacts; but where alert states are signs, everybody does. A
meter that reaches the **sign** tells a player that somebody is about to notice; one that reaches
**late** that it is too late. In between the player can run for **cover**: a place that nobody has
in view for a while, from when it is there or waits there until then.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.scenario import Scenario, as_scenario
from snelk.errors import InputError, one_of
from snelk.level.columns import plain
from snelk.level.level import Level
from snelk.mind.meter import REACHED
from snelk.showing import heading, html_table, line
from snelk.tuning.batches import BATCH, in_batches
from snelk.tuning.coverage import (
    check_cell,
    places_on,
    rounds_of,
    sensed_at,
    target_of,
    usual_cell,
    usual_ground,
    watchers,
    without,
)
from snelk.tuning.lattice import joined
from snelk.tuning.reacting import Reacted, when_reacted
from snelk.tuning.sneak import paces_of
from snelk.tuning.standins import STANCES, Job, Stance, StandIns, suspicions

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]
Progress = Callable[[int, int], None]

PLACES, MOST_PLACES = 800, 5000
"""So many places there are, about, if no cell is given; more than so many are refused."""

PLACES_REACTED = 200
"""So many there are if everybody reacts: then each place and moment is a run."""

SLACK = 1e-9


@dataclass(frozen=True)
class Fairness:
    """How much warning a level gives, and whether that is enough.

    Attributes:
        level: The level.
        target: The character whose kind was placed there.
        agents: The agents that watch.
        cell: Distance between places, m.
        sign, late: By agent, the meters that are the first sign, and too late, 0 to 1; infinite
            for an agent that has no threshold of the name given.
        signs: Alert states that are also a sign.
        react: Reaction time of a player to a sign, s.
        pace, speed: Its pace on the way to cover, and the speed of that pace, m/s.
        hold: How long cover has to stay out of view, s.
        x, y, z: (places,) the places, m.
        times: (moments,) when stand-ins were placed, s.
        warned: (moments, places) seconds from then until the first sign; NaN if there is none.
        lost: (moments, places) seconds until it is too late; NaN if it never is.
        by: (moments, places) index of the agent with that meter; -1 for none.
        needed: (moments, places) seconds from the sign until it can be in cover; NaN if it cannot.
    """

    level: Level
    target: str
    agents: tuple[str, ...]
    cell: float
    sign: dict[str, float]
    late: dict[str, float]
    signs: tuple[str, ...]
    react: float
    pace: str
    speed: float
    hold: float
    x: Numbers
    y: Numbers
    z: Numbers
    times: Numbers
    warned: Numbers
    lost: Numbers
    by: NDArray[np.int64]
    needed: Numbers

    @cached_property
    def warning(self) -> Numbers:
        """(moments, places) seconds from the first sign until too late; NaN if never."""
        found: Numbers = np.round(self.lost - self.warned, 9)
        return found

    @cached_property
    def unfair(self) -> NDArray[np.bool_]:
        """(moments, places) whether it is too late before one can be in cover."""
        in_time = self.needed <= self.warning + SLACK
        found: NDArray[np.bool_] = ~np.isnan(self.lost) & ~in_time
        return found

    @property
    def share(self) -> float:
        """The share that is unfair, of all places and moments at which one is noticed; 0 to 1."""
        noticed = int((~np.isnan(self.lost)).sum())
        return float(self.unfair.sum() / noticed) if noticed else 0.0

    @cached_property
    def worst(self) -> tuple[int, int] | None:
        """The moment and place, by index, with the least warning of those that are unfair.

        Of those where there is any warning; None if there is no such.
        """
        some = self.unfair & (self.warning > 0.0)
        if not some.any():
            return None
        values: Numbers = np.where(some, self.warning, np.inf)
        n, p = np.unravel_index(int(values.argmin()), values.shape)
        return int(n), int(p)

    @property
    def example(self) -> str:
        """The worst case in words; empty if there is none."""
        if self.worst is None:
            return ""
        n, p = self.worst
        text = f"at ({self.x[p]:g}, {self.y[p]:g}) from {self.times[n]:g} s on: the first sign "
        text += f"comes after {self.warned[n, p]:g} s, and {self.warning[n, p]:g} s later it is "
        return text + f"too late, by the meter of {self.agents[int(self.by[n, p])]}"

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: its zones."""
        rows = [
            {
                "zone": str(row["zone"]),
                "noticed": f"{row['noticed']:.0%}",
                "least warning, s": row["shortest"],
                "median, s": row["median"],
                "unfair": f"{row['unfair']:.0%}",
            }
            for row in self.zones.to_dict(orient="records")
        ]
        title = f"Fairness for {self.target}: {self.share:.0%} of what is noticed is unfair"
        return heading(title) + html_table(rows) + line("all places: .table; drawn: plot_fair(…)")

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row per place: how often one is noticed, with how much warning, how often unfair."""
        import pandas as pd

        noticed = ~np.isnan(self.lost)
        count = noticed.sum(axis=0)
        warning = np.where(noticed, self.warning, np.nan)
        some = count > 0
        shortest, median = np.full((2, len(self.x)), np.nan)
        shortest[some] = np.nanmin(warning[:, some], axis=0)
        median[some] = np.nanmedian(warning[:, some], axis=0)
        unfair = self.unfair.sum(axis=0)
        return pd.DataFrame(
            {
                "x": self.x,
                "y": self.y,
                "z": self.z,
                "noticed": count / len(self.times),
                "shortest_warning": shortest,
                "median_warning": median,
                "unfair": np.divide(unfair, count, out=np.zeros(len(count)), where=some),
            }
        )

    @cached_property
    def zones(self) -> pd.DataFrame:
        """A row per zone with places in it, and one for all of them."""
        import pandas as pd

        inside = {"everywhere": np.ones(len(self.x), dtype=np.bool_)}
        for zone, _ in self.level.data.zones:
            inside[zone.name] = self.level.within(zone.name, self.x, self.y, self.z)
        rows = []
        for name, chosen in inside.items():
            if not chosen.any():
                continue
            lost, unfair = self.lost[:, chosen], self.unfair[:, chosen]
            noticed = ~np.isnan(lost)
            warning = self.warning[:, chosen][noticed]
            rows.append(
                {
                    "zone": name,
                    "places": int(chosen.sum()),
                    "noticed": float(noticed.mean()),
                    "shortest": float(warning.min()) if len(warning) else np.nan,
                    "median": float(np.median(warning)) if len(warning) else np.nan,
                    "unfair": float(unfair.sum() / noticed.sum()) if noticed.any() else 0.0,
                }
            )
        return pd.DataFrame(rows)


def fairness(
    scenario: str | Path | Scenario,
    *,
    target: str | None = None,
    agents: Sequence[str] | None = None,
    ignore: Sequence[str] = (),
    stance: Stance = "standing",
    cell: float | None = None,
    every: float = 5.0,
    within: float = 10.0,
    sign: float | str = 0.3,
    late: float | str = 1.0,
    signs: Sequence[str] = (),
    react: float = 0.5,
    pace: str = "running",
    hold: float = 1.0,
    jobs: int = 1,
    progress: Progress | None = None,
) -> Fairness:
    """Find where and when somebody is noticed with too little warning to get away.

    Args:
        scenario: Its TOML file, or what `load` returned.
        target: Who it is about; as for `coverage`.
        agents: Who watches; all that notice the target if None.
        ignore: Who of them does not count.
        stance: The stance of the target, as for `coverage`.
        cell: Distance between places, m; such that there are about 800 if None, with `signs` 200.
        every: Time between two moments tried, s.
        within: How long each is watched, s.
        sign: The meter at which a player is warned, 0 to below `late`; or the name of a threshold
            of the agents' meters. An agent without such a threshold, or without a meter, gives no
            sign before it is too late.
        late: The meter at which it is too late, at most 1, or the name of a threshold; for an
            agent without that it never is.
        signs: Alert states that warn a player as well, by name. With any, everybody reacts to who
            stands there: each place and moment is a run, and to be caught is too late, too.
        react: How long a player takes to see the sign, s.
        pace: How it goes for cover: `creeping`, `walking` or `running`.
        hold: For how long cover has to be out of everybody's view, s.
        jobs: How many processes work at it where everybody reacts.
        progress: Called with the work done and the total.

    Raises:
        InputError: A name or a number is wrong, or nobody notices the target.
    """
    scenario = as_scenario(scenario)
    target = target_of(scenario, target)
    for name, value, least in (("every", every, 0.0), ("within", within, 0.0)):
        if not (np.isfinite(value) and value > least):
            raise InputError.of(name, "", f"{value:g} s", "must be above 0 s")
    for name, value in (("react", react), ("hold", hold)):
        if not (np.isfinite(value) and value >= 0.0):
            raise InputError.of(name, "", f"{value:g} s", "must be at least 0 s")
    one_of(stance, STANCES, source="stance", place="", what="stance")
    paces = paces_of(scenario, target)
    one_of(pace, tuple(paces), source="pace", place="", what="pace")
    check_cell(cell)
    chosen = watchers(scenario, target, agents, ignore)
    signs_at = _limits(scenario, chosen, "sign", sign)
    lates = _limits(scenario, chosen, "late", late)
    for name, low, high in zip(chosen, signs_at, lates, strict=True):
        if not (low >= 0.0 and high > 0.0) or (low >= high and np.isfinite(low)):
            rule = f"must be below what is too late, {high:g} for {name}"
            raise InputError.of("sign", "", f"{low:g}", rule)
    level, ground = Level.of(scenario.level), usual_ground(scenario)
    if cell is None:
        count = PLACES_REACTED if signs else PLACES
        cell = round(usual_cell(level.ways(z=ground).areas, count), 2)
    places = places_on(level, cell, ground)
    if len(places) > MOST_PLACES:
        rule = f"makes {len(places)} places, more than {MOST_PLACES}"
        raise InputError.of("cell", "", f"{cell:g} m", rule, "use a larger cell")
    alone = without(scenario, target)
    rounds = rounds_of(alone)
    seen = sensed_at(Job(alone, target, stance, chosen, rounds), places)
    dt = scenario.setup.clock.dt
    ticks = max(round(within / dt), 1)
    step = max(round(every / dt), 1)
    firsts = range(0, len(rounds.times), step)
    away = _ways_between(level, places, cell, paces[pace] * within)
    shape = (len(firsts), len(places))
    warned, lost, needed = (np.full(shape, np.nan) for _ in range(3))
    by = np.full(shape, -1, dtype=np.int64)
    if signs:
        if stance == "walking":
            rule, fix = "is not known where everybody reacts", "say standing, crouched or prone"
            raise InputError.of("stance", "", "walking", rule, fix)
        reacted = Reacted(
            scenario, target, stance, chosen, signs_at, lates, _known_states(scenario, signs),
            ticks,
        )  # fmt: skip
        tasks = [
            (first, low, places[low : low + BATCH])
            for first in firsts
            for low in range(0, len(places), BATCH)
        ]
        found = in_batches(when_reacted, reacted, tasks, jobs=min(jobs, len(tasks)))
        for done, (first, low, *one) in enumerate(found):
            n, those = firsts.index(first), slice(low, low + BATCH)
            warned[n, those], lost[n, those], by[n, those] = one
            if progress is not None:
                progress(done + 1, len(tasks))
    for n, first in enumerate(firsts):
        if not signs:
            job = Job(alone, target, stance, chosen, rounds.between(first, first + ticks))
            warned[n], lost[n], by[n] = _when(job, places, signs_at, lates)
            if progress is not None:
                progress(n + 1, len(firsts))
        times = (first, warned[n], lost[n])
        needed[n] = cover(seen.watched, times, away, paces[pace], react, hold, dt)
    x, y, z = (values.copy() for values in places.T)
    return Fairness(
        level, target, chosen, cell, dict(zip(chosen, signs_at.tolist(), strict=True)),
        dict(zip(chosen, lates.tolist(), strict=True)), tuple(signs), react, pace, paces[pace],
        hold, x, y, z, rounds.times[list(firsts)], warned, lost, by, needed,
    )  # fmt: skip


def _limits(scenario: Scenario, agents: Sequence[str], what: str, given: float | str) -> Numbers:
    """(agents,) a meter, or that of a threshold by its name; infinite where there is none."""
    if not isinstance(given, str):
        if not 0.0 <= given <= 1.0:
            raise InputError.of(what, "", f"{given:g}", "must be from 0 to 1")
        return np.full(len(agents), float(given))
    meters = [scenario.setup.profile_of(name).meter for name in agents]
    known = dict.fromkeys(name for meter in meters if meter for name in meter.thresholds)
    one_of(given, known, source=what, place="", what="threshold")
    return np.array([m.thresholds.get(given, np.inf) if m else np.inf for m in meters])


def _known_states(scenario: Scenario, signs: Sequence[str]) -> tuple[str, ...]:
    """Alert states by their names."""
    setup = scenario.setup
    profiles = [setup.profile_of(name) for name in setup.agents]
    known = dict.fromkeys(state for p in profiles if p.ladder for state in p.ladder.states)
    for sign in signs:
        one_of(sign, known, source="signs", place="", what="alert state")
    return tuple(signs)


def _ways_between(level: Level, places: Numbers, cell: float, limit: float) -> Any:
    """(positions, positions) lengths of paths, m; infinite beyond a limit."""
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import dijkstra

    ways = level.ways(z=float(places[0, 2]))
    a, b, length = joined(ways, places, ways.sheets_at(places), cell)
    count = len(places)
    graph = csr_matrix((length, (a, b)), shape=(count, count))
    return dijkstra(graph, directed=False, limit=limit)


def _when(
    job: Job, places: Numbers, sign: Numbers, late: Numbers
) -> tuple[Numbers, Numbers, NDArray[np.int64]]:
    """When each position gives the first sign, and when it is too late there, s; and by whom."""
    stand_ins = StandIns(job, places)
    who, count = np.array(stand_ins.watching), len(places)
    v, j = np.divmod(np.arange(count), stand_ins.each)
    warned, lost = np.full((2, count), np.nan)
    by = np.full(count, -1, dtype=np.int64)
    times = job.rounds.times - job.rounds.times[0]
    for tick, now in enumerate(stand_ins.pass_by()):
        of: Any = map(plain, now)
        sight, contacts, meters = of
        here = suspicions(sight, contacts, meters, stand_ins.metered)[:, who][v, :, j]
        over = here >= late - REACHED
        warns = over | (here >= np.maximum(sign, SLACK) - REACHED)
        for reached, when in ((warns, warned), (over, lost)):
            new = np.isnan(when) & reached.any(axis=1)
            when[new] = round(float(times[tick]), 9)
            if when is lost:
                by[new] = np.where(over[new], here[new], -1.0).argmax(axis=1)
        if not np.isnan(lost).any():
            break
    return warned, lost, by


def cover(
    watched: NDArray[np.bool_], times: tuple[int, Numbers, Numbers], away: Any, speed: float,
    react: float, hold: float, dt: float,
) -> Numbers:  # fmt: skip
    """Time from the sign until cover can be reached, s; NaN if never.

    Only what comes before it is too late is looked for.
    """
    first, warned, lost = times
    found = np.full(len(warned), np.nan)
    # Of each tick and place the next tick from which on nobody looks for long enough.
    ticks, end = max(round(hold / dt), 1), watched.shape[1]
    free = np.full(len(watched), 2**31)
    then_free = np.empty((end + 1, len(watched)), dtype=np.int64)
    then_free[end] = end  # after the end nobody looks
    for tick in range(end - 1, -1, -1):
        free = np.where(watched[:, tick], 0, free + 1)
        then_free[tick] = np.where(free >= ticks, tick, then_free[tick + 1])
    for p in np.flatnonzero(~np.isnan(lost)).tolist():
        budget = lost[p] - warned[p] + SLACK
        takes = react + away[p] / speed
        near = np.flatnonzero(takes <= budget)
        arrives = first + np.ceil((warned[p] + takes[near]) / dt - 1e-6).astype(np.int64)
        arrives = np.minimum(arrives, end)
        then = then_free[arrives, near]
        waits = (then - first) * dt - warned[p]
        needed = np.where(then == arrives, takes[near], waits)
        best = needed.min(initial=np.inf)
        if best <= budget:
            found[p] = round(float(best), 9)
    return found
