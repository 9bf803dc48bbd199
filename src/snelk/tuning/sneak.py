"""Sneaking: the least noticed path through a level, against everybody's rounds.

First the scenario is replayed without the target: the undisturbed rounds. Then all paths over
points, time steps, postures and paces are searched, with the senses and meters of a run, see
`snelk.tuning.passages`. The results are tracks, and each is replayed in the whole scenario, where
everybody may react, to test whether it holds.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import Doors
from snelk.config.models import Setup
from snelk.config.players import recorded_movement
from snelk.config.problems import key_path
from snelk.config.recordings import TrackData
from snelk.config.scenario import Scenario, as_scenario
from snelk.config.steps import STEP
from snelk.config.words import GAITS, POSTURES
from snelk.engine.replay import track_heights
from snelk.engine.simulation import Simulation
from snelk.errors import InputError, one_of
from snelk.files import claim, written
from snelk.level.level import Level
from snelk.mind.meter import REACHED
from snelk.senses.doors import light_of_zones, opened_at_first
from snelk.showing import heading, html_table, line
from snelk.tuning.batches import in_batches
from snelk.tuning.coverage import (
    check_cell,
    rounds_of,
    target_of,
    usual_cell,
    watchers,
    without,
)
from snelk.tuning.lattice import Lattice, Mode, lay_lattice
from snelk.tuning.passages import WAIT, Found, Search
from snelk.tuning.standins import Job, Rounds, movement_of, suspicions

if TYPE_CHECKING:
    import pandas as pd
    from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]
Progress = Callable[[str, int, int], None]
"""Told what is done, how much of it is done, and how much there is."""

PLACES = 600
"""So many places there are, about, if no cell is given."""

MOST_PLACES = 20_000
"""More places than this are refused."""

EXACT = 1e-9
"""A meter this near to what was promised is that."""

AGAIN = 6
"""So often at most limits are lowered as somebody reacts below them."""

MOST_PROFILES, HALVINGS = 2, 5
"""To open a level, numbers of so many profiles are tried, and each is halved in on so often."""

MOST_TOLD = 12
"""So many passages at most are told, of all searches."""

CLEARLY = 0.02
"""A passage with a meter that is lower by less than this is not told beside a sooner one."""

USUAL = ("standing:walking", "standing:running", "crouched:creeping")
"""How somebody goes if it is not told."""

Place = str | Sequence[float]


class Reaction(NamedTuple):
    """An agent entered another alert state than on its undisturbed rounds.

    Attributes:
        agent: Its name.
        t: When, s.
        state: The state it entered.
        instead_of: Its state on its undisturbed rounds.
    """

    agent: str
    t: float
    state: str
    instead_of: str


@dataclass(frozen=True)
class Passage:
    """A path through a level, in space and time.

    Attributes:
        begins, arrives: From when to when it lasts, s.
        highest: The highest meter that was promised, 0 to 1; without a meter 1 for sensed.
        agent: The agent with that meter; None if nobody notices anything.
        at: The time of that meter, s; None if it is 0, or the replay does not reach it.
        margin: Its smallest distance in plan from a cone that it was not in, m; None if nobody has
            one. Walls are ignored.
        margin_of: The agent with that cone, and the time, s.
        far: How long the path is, m.
        waits: For how long it stands still, s.
        track: It as a recording.
        promised: What the highest value of each meter was to be, by agent, 0 to 1.
        replayed: The highest meter in the replay of the whole scenario.
        reactions: Who reacted in the replay, in the order of time; each agent once.
        holds: Whether the replay gave the promised meters, within 1e-9.
        cut_short: Whether the run ended before the passage did, as somebody was caught or the like.
        meters: (agent, tick) the meters in the replay, 0 to 1.
        times: (ticks,) when that was, s.
    """

    begins: float
    arrives: float
    highest: float
    agent: str | None
    at: float | None
    margin: float | None
    margin_of: tuple[str, float] | None
    far: float
    waits: float
    track: TrackData
    promised: dict[str, float]
    replayed: dict[str, float]
    reactions: tuple[Reaction, ...]
    holds: bool
    cut_short: bool
    meters: Numbers
    times: Numbers

    @property
    def seconds(self) -> float:
        """How long it takes, s."""
        return round(self.arrives - self.begins, 9)

    def rows(self) -> list[tuple[float, float, float, float, float, str, str]]:
        """Its samples: t in s, x, y, z in m, heading in degrees, posture and gait."""
        track = self.track
        turned = np.degrees(track.heading)
        numbers = zip(track.t, track.x, track.y, track.z, turned, strict=True)
        words = [(POSTURES[p], GAITS[g]) for p, g in zip(track.posture, track.gait, strict=True)]
        rows: list[Any] = [(*map(float, of), *how) for of, how in zip(numbers, words, strict=True)]
        return rows

    def save_track(self, path: str | Path, who: str) -> Path:
        """Write it as a recording of somebody, for the `tracks` of a scenario.

        Raises:
            InputError: The place cannot be written.
        """
        import csv

        path = claim(path, ".csv")
        with written(path) as draft, draft.open("w", newline="") as file:
            write = csv.writer(file)
            write.writerow(["t", "id", "x", "y", "z", "heading", "posture", "gait"])
            write.writerows([t, who, *rest] for t, *rest in self.rows())
        return path


class Closing(NamedTuple):
    """An agent that keeps a level closed, and where and when.

    Attributes:
        agent: The agent that closes the level.
        share: Of all moves that would have been noticed, the share it would have noticed.
        places: (places, 3) where these led to, m.
        windows: From when to when, s; at most the five longest.
    """

    agent: str
    share: float
    places: Numbers
    windows: tuple[tuple[float, float], ...]


class Opening(NamedTuple):
    """A change of one number that opens a closed level.

    Attributes:
        key: Its key path.
        value: The value that opens it.
        instead_of: Its current value.
        unit: Its unit; empty for none.
        passage: A passage with it, that holds in the whole replay.
    """

    key: str
    value: float
    instead_of: float
    unit: str
    passage: Passage


class _Asked(NamedTuple):
    """The arguments of a search."""

    scenario: Scenario
    target: str
    watching: tuple[str, ...]
    start: Place | None
    to: Place
    begin: float | None
    end: float | None
    cell: float | None
    modes: tuple[str, ...]
    below: float
    unseen: bool
    kept: int


@dataclass(frozen=True)
class Passages:
    """The result of a search for the least noticed path.

    Attributes:
        scenario: The scenario, without the target's own doings.
        target: Who sneaks.
        agents: Who must not notice it.
        start, goal: The given start and goal.
        begins, ends: From when to when it could be done, s.
        cell: Distance between places, m.
        time_step: How long a move or a wait takes at least, s; all take a multiple of it.
        places: (places, 3) all places that were looked at, m.
        passages: The passages, the soonest first; each later one is noticed less.
        closings: If the last search found none that stays below the limits, who keeps the level
            closed, the busiest first.
        below: The meters that no agent was allowed to reach, by agent, 0 to 1.
        walkable: Whether there is a path, if nobody watched.
        soonest: The least time it takes if nobody watched, s; infinite if there is no path.
        proved: Whether nothing better is possible with these places, time steps and modes.
        paths: (agent, tick, 3) where agents went on their rounds, m.
        times: (ticks,) when that was, s.
        asked: The arguments of the search.
    """

    scenario: Scenario
    target: str
    agents: tuple[str, ...]
    start: str
    goal: str
    begins: float
    ends: float
    cell: float
    time_step: float
    places: Numbers
    passages: tuple[Passage, ...]
    closings: tuple[Closing, ...]
    below: dict[str, float]
    walkable: bool
    soonest: float
    proved: bool
    paths: Numbers
    times: Numbers
    asked: _Asked

    @property
    def table(self) -> pd.DataFrame:
        """A row per passage: its duration, highest meter, and by whom."""
        import pandas as pd

        return pd.DataFrame(
            [
                {
                    "arrives": each.arrives,
                    "seconds": each.seconds,
                    "highest_meter": each.highest,
                    "agent": each.agent,
                    "at": each.at,
                    "margin": each.margin,
                    "length": each.far,
                    "waits": each.waits,
                    "holds": each.holds,
                    "reacts_first": each.reactions[0].agent if each.reactions else None,
                }
                for each in self.passages
            ]
        )

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: the passages, or who closes the level."""
        rows: list[dict[str, object]] = [
            {
                "there at, s": each.arrives,
                "highest meter": each.highest,
                "of": each.agent,
                "walks, m": each.far,
                "waits, s": each.waits,
                "replay": "holds" if each.holds else "otherwise",
            }
            for each in self.passages
        ]
        closed = [{"in the way": each.agent, "share": each.share} for each in self.closings]
        title = f"{self.target} sneaks from {self.start} to {self.goal}"
        text = "one as a scenario to run: .with_track(passage); drawn: plot_sneak(…)"
        return heading(title) + html_table(rows) + html_table(closed) + line(text)

    def with_track(self, passage: Passage) -> Scenario:
        """The scenario in which the target goes a passage, to be run or shown."""
        return _with_track(self.scenario, self.target, passage.track)


def sneak(
    scenario: str | Path | Scenario,
    *,
    to: Place,
    start: Place | None = None,
    target: str | None = None,
    agents: Sequence[str] | None = None,
    ignore: Sequence[str] = (),
    begin: float | None = None,
    end: float | None = None,
    cell: float | None = None,
    modes: Sequence[str] = USUAL,
    below: float = 1.0,
    unseen: bool = True,
    kept: int = 8,
    cluster: str | None = None,
    progress: Progress | None = None,
) -> Passages:
    """Find the least noticed path from one position to another, in space and time.

    Args:
        scenario: Its TOML file, or what `load` returned.
        to: Where to: the name of a spot or a zone, or a place, (x, y) or (x, y, z) in m.
        start: Where from; where the target is at first if None.
        target: Who sneaks; its own track is left out. If None, the only character that is
            noticed, or the only tracked one of them.
        agents: Who must not notice it; all that could if None.
        ignore: Who of them may.
        begin: When it begins, s; at the beginning of the run if None.
        end: Latest arrival time, s; the end of the run if None.
        cell: Distance between places, m; such that there are about 600 if None. It is fitted to
            the walking pace.
        modes: How the target may go, each as `posture:pace`. It may wait in each of the postures.
        below: No meter may reach this, above 0 to 1.
        unseen: Whether to search again, with lower limits, where somebody reacts in the replay.
        kept: The largest number of arrivals kept for the same point and time; more are slower, and
            needed if meters of many agents compete.
        cluster: The address of a Dask scheduler; one of its workers does the search.
        progress: Called with the current step, the work done and the total.

    Returns:
        The passages: each takes longer than the one before and is noticed less.

    Raises:
        InputError: A name, a place or a number is wrong, or nobody notices the target.
    """
    scenario = as_scenario(scenario)
    target = target_of(scenario, target)
    check_cell(cell)
    if not 0.0 < below <= 1.0:
        raise InputError.of("below", "", f"{below:g}", "must be above 0, and at most 1")
    if not kept >= 1:
        raise InputError.of("kept", "", str(kept), "must be at least 1")
    chosen = watchers(scenario, target, agents, ignore)
    asked = _Asked(
        scenario, target, chosen, start, to, begin, end, cell, tuple(modes), below, unseen,
        kept,
    )  # fmt: skip
    if cluster is None:
        return _find(asked, progress or _untold)
    (found,) = in_batches(_found, asked, [()], jobs=1, cluster=cluster)
    return found


def _found(asked: _Asked) -> Passages:
    """The result, computed in another process."""
    return _find(asked, _untold)


def openings(
    found: Passages,
    *,
    jobs: int = 1,
    cluster: str | None = None,
    progress: Progress | None = None,
) -> tuple[Opening, ...]:
    """Find the smallest changes of one number that open a closed level.

    Those of the profiles that are most in the way are tried: how far and how wide they see, how
    fast their meters fill, and how well they hear. Each is halved in on in five halvings.

    Args:
        found: A search without a passage that holds.
        jobs: How many processes share the numbers.
        cluster: The address of a Dask scheduler, whose workers are used instead.
        progress: Called with the current step, the work done and the total.

    Returns:
        The changes, the smallest first; none if no single one opens it, or if it is open.
    """
    setup, told = found.asked.scenario.setup, progress or _untold
    if any(each.holds for each in found.passages) or not found.walkable:
        return ()
    profiles = dict.fromkeys(setup.cast[each.agent].profile for each in found.closings)
    numbers = [
        each for name in list(profiles)[:MOST_PROFILES] if name for each in _numbers(setup, name)
    ]
    tried: dict[int, Opening | None] = {}
    tasks = [(n, number) for n, number in enumerate(numbers)]
    told("trying numbers", 0, len(tasks))
    for n, opening in in_batches(
        _opening_of, found.asked, tasks, jobs=min(jobs, len(tasks)), cluster=cluster
    ):
        tried[n] = opening
        told("trying numbers", len(tried), len(tasks))
    opened = [each for _, each in sorted(tried.items()) if each is not None]
    return tuple(sorted(opened, key=lambda each: abs(np.log(each.value / each.instead_of))))


def _opening_of(
    asked: _Asked, n: int, number: tuple[str, str, float, float]
) -> tuple[int, Opening | None]:
    """The smallest change of one number that opens the level, by halving; and which it is."""
    key, unit, now, most = number
    best = None
    low, high = 0.0, 1.0  # shares, by factors, of the largest change
    for turn in range(HALVINGS + 1):
        share = 1.0 if turn == 0 else (low + high) / 2.0
        value = float(f"{now * most**share:.4g}")
        passage = _opened_by(asked, key, value)
        if passage is None and turn == 0:
            break
        low, high = (share, high) if passage is None else (low, share)
        best = best if passage is None else Opening(key, value, now, unit, passage)
    return n, best


def _opened_by(asked: _Asked, key: str, value: float) -> Passage | None:
    """A passage that holds with a number changed."""
    try:
        scenario = asked.scenario.changed({key: value})
    except InputError:
        return None  # beyond what that number may be
    tried = _find(asked._replace(scenario=scenario, kept=min(asked.kept, 4)), _untold, enough=True)
    return next((each for each in tried.passages if each.holds), None)


def _numbers(setup: Setup, name: str) -> Iterator[tuple[str, str, float, float]]:
    """Numbers of a profile that keep a level closed: key, unit, value, and the factor to try."""
    profile = setup.profiles[name]
    for cone, of in profile.cones.items():
        yield key_path(("profiles", name, "cones", cone, "range")), "m", of.range, 0.2
        yield key_path(("profiles", name, "cones", cone, "fov_whole")), "°", of.fov_whole, 0.2
    if profile.meter is not None:
        key = key_path(("profiles", name, "meter", "fill_time"))
        yield key, "s", profile.meter.fill_time, 5.0
    if profile.hearing is not None and profile.hearing.acuity > 0.0:
        yield key_path(("profiles", name, "hearing", "acuity")), "", profile.hearing.acuity, 0.1


def _find(asked: _Asked, told: Progress, *, enough: bool = False) -> Passages:
    """Run the search; with `enough` it ends with the first passage."""
    scenario, target, chosen = asked.scenario, asked.target, asked.watching
    alone = without(scenario, target)
    told("replaying the undisturbed rounds", 0, 1)
    rounds = rounds_of(alone)
    first, last = _ticks(rounds, asked.begin, asked.end)
    whom = _Who(scenario, alone, target, chosen, rounds)
    going = whom.modes(asked.modes)
    lattice, ticks = whom.lattice(asked.start, asked.to, asked.cell, going)
    agents = scenario.setup.agents
    limits = np.full(len(agents), np.inf)
    limits[[agents.index(name) for name in chosen]] = asked.below - REACHED
    passages: list[Passage] = []
    job = Job(alone, target, "standing", chosen, rounds)
    search: Search | None = None
    found: list[Found] = []
    for turn in range(AGAIN if asked.unseen else 1):
        search = Search(
            job, lattice, going, ticks=ticks, first=first, last=last, limits=limits,
            kept=asked.kept, may_open=whom.may_open, enough=enough,
        )  # fmt: skip
        what = "trying every path" if turn == 0 else "searching again, as somebody reacted"
        found = search.run(partial(told, what))
        new = [whom.replayed(each, search, first) for each in _telling(found)]
        known = {_key(each.track) for each in passages}
        passages += [each for each in new if _key(each.track) not in known]
        lower = whom.lower(limits, [each for each in new if not each.holds])
        if (lower == limits).all():
            break
        limits = lower
    assert search is not None  # there is at least one turn
    shown = _best(passages)
    i = [list(alone.setup.cast).index(name) for name in chosen]
    went = [values[:, i] for values in (rounds.poses.x, rounds.poses.y, rounds.poses.z)]
    return Passages(
        alone, target, chosen, _words(asked.start) or "its start", _words(asked.to),
        float(rounds.times[first]), float(rounds.times[last]), lattice.cell,
        round(ticks * scenario.setup.clock.dt, 9), lattice.places, shown,
        whom.closings(search, rounds) if not found else (),
        {name: float(limits[agents.index(name)]) for name in chosen},
        bool(np.isfinite(search.soonest)), round(search.soonest, 9), not search.trimmed,
        np.stack(went, axis=2).transpose(1, 0, 2), rounds.times, asked,
    )  # fmt: skip


def _untold(what: str, done: int, whole: int) -> None:
    """Nobody wants to know how far it is."""


def _ticks(rounds: Rounds, begin: float | None, end: float | None) -> tuple[int, int]:
    """The ticks between which it is done."""
    times = rounds.times
    low, high = times[0] if begin is None else begin, times[-1] if end is None else end
    first = int(np.searchsorted(times, low - 1e-6))
    last = int(np.searchsorted(times, high + 1e-6)) - 1
    if not (np.isfinite(low) and np.isfinite(high)) or not first < last:
        rule = f"must leave some time within the run, {times[0]:g} to {times[-1]:g} s"
        raise InputError.of("time", "", f"{low:g} to {high:g} s", rule)
    return first, last


@dataclass(frozen=True)
class _Who:
    """The character that sneaks, and the agents that watch."""

    scenario: Scenario
    alone: Scenario
    target: str
    watching: tuple[str, ...]
    rounds: Rounds

    def modes(self, words: Sequence[str]) -> list[Mode]:
        """The modes, and one to wait in for each of their postures."""
        paces, found = paces_of(self.scenario, self.target), []
        for word in words:
            posture, _, pace = word.partition(":")
            one_of(posture, POSTURES, source="mode", place=word, what="posture")
            one_of(pace, tuple(paces), source="mode", place=word, what="pace")
            found.append(Mode(posture, pace, paces[pace]))
        if not found:
            raise InputError.of(
                "modes", "", "", "must have at least one entry, such as standing:walking"
            )
        return found + [
            Mode(each, "still", 0.0) for each in dict.fromkeys(m.posture for m in found)
        ]

    def lattice(
        self, start: Place | None, to: Place, cell: float | None, modes: list[Mode]
    ) -> tuple[Lattice, int]:
        """The grid, and the number of ticks of a time step."""
        setup, level = self.scenario.setup, Level.of(self.scenario.level)
        body, member = setup.body_of(self.target), setup.cast[self.target]
        ever: NDArray[np.bool_] = np.array(self.rounds.opened.any(axis=0))
        ever[list(self.may_open)] = True
        starts, _ = self._places(level, "start", self._begins(level) if start is None else start)
        ends, zone = self._places(level, "to", to)
        plan = np.concatenate([starts[:, :2], ends[:, :2]])
        if level.has_features:
            plan = np.concatenate([plan, np.reshape(level.bounds, (2, 2))])
        (low_x, low_y), (high_x, high_y) = plan.min(axis=0).tolist(), plan.max(axis=0).tolist()
        ways = level.ways(
            clearance=body.radius, within=member.leash.zone if member.leash else None,
            bounds=(low_x, low_y, high_x, high_y), z=float(starts[0, 2]),
            who=setup.names_of(self.target),
            opened=frozenset(np.flatnonzero(ever).tolist()),
        )  # fmt: skip
        here = starts[0]
        part = ways.part_at(here)
        at = _stood(level, ways.nearest(here, part, stays=True)) if part >= 0 else here
        if part < 0 or not _is_near(at, here, body.radius):
            fix = f"the nearest position where it can is {_words(at)}" if part >= 0 else ""
            words = _words(here if start is None else start)
            raise InputError.of("start", "", words, f"is where {self.target} cannot stand", fix)
        here, goals = at, np.zeros((0, 3))
        near = np.array([_stood(level, ways.nearest(each, part)) for each in ends])
        near = near[[_is_near(a, b, body.radius) for a, b in zip(near, ends, strict=True)]]
        if zone is not None:
            goals = near[level.within(zone, *near.T)]  # a small zone may hold no place of the grid
        elif len(near):
            goals = near
        else:
            rule = f"cannot be reached on foot by {self.target}"
            at = _stood(level, ways.nearest(ends[0], part))
            fix = f"the nearest position that can be reached is {_words(at)}"
            raise InputError.of("to", "", _words(to), rule, fix)
        given = self._cell(ways.areas, cell)
        speed = max(
            (m.speed for m in modes if m.pace == "walking"), default=max(m.speed for m in modes)
        )
        dt = setup.clock.dt
        ticks = max(round(given / (2.0 * speed * dt)), 1)
        fitted = 2.0 * speed * dt * ticks
        size = fitted if 0.6 <= fitted / given <= 1.5 else given
        return lay_lattice(level, ways, size, here, goals, zone, body.radius), ticks

    @cached_property
    def may_open(self) -> tuple[int, ...]:
        """The doors that it may open, by number."""
        one, level = [self.scenario.setup], Level.of(self.scenario.level)
        doors = Doors(one, level, opened_at_first(one, level), light_of_zones(one, level))
        return tuple(sorted(doors.may_open(0, one[0].names_of(self.target))))

    def _cell(self, areas: Sequence[BaseGeometry], cell: float | None) -> float:
        if cell is None:
            return usual_cell(areas, PLACES)
        whole = float(sum(area.area for area in areas))
        if whole / cell**2 > MOST_PLACES:
            rule = f"makes {whole / cell**2:.0f} places, more than {MOST_PLACES}"
            raise InputError.of("cell", "", f"{cell:g} m", rule, "use a larger cell")
        return cell

    def _begins(self, level: Level) -> Place:
        track, member = self.scenario.tracks.get(self.target), self.scenario.setup.cast[self.target]
        if track is not None:
            z = float(track_heights(level, track, member.z)[0])
            return float(track.x[0]), float(track.y[0]), z
        if member.at is None:
            raise InputError.of("start", "", "", f"must be given, as {self.target} has no place")
        return (*member.at, level.stands_at(*member.at, member.z))

    def _places(self, level: Level, what: str, place: Place) -> tuple[Numbers, str | None]:
        """(positions, 3) in m, for a zone one on each floor, and its name."""
        z = self.scenario.setup.cast[self.target].z
        if isinstance(place, str):
            zones = [zone.name for zone, _ in level.data.zones]
            one_of(place, [*level.spot_names, *zones], source=what, place="", what="spot or zone")
            found = level.places_named(place, z)
            if not len(found):
                raise InputError.of(what, "", f'"{place}"', "is a zone without a floor")
            return found, None if place in level.spot_names else place
        given: Numbers = np.asarray(place, dtype=np.float64)
        if given.shape not in ((2,), (3,)) or not np.isfinite(given).all():
            rule = "must be a spot, a zone, or (x, y) or (x, y, z) in m"
            raise InputError.of(what, "", str(place), rule)
        x, y = given[:2].tolist()
        full = given if len(given) == 3 else np.array([x, y, level.stands_at(x, y, z)])
        return full[None], None

    def replayed(self, found: Found, search: Search, first: int) -> Passage:
        """A passage, as the whole scenario makes of it."""
        track, far, waits = _track(found, search, self.rounds.times)
        simulation = Simulation(_with_track(self.alone, self.target, track))
        setup, rounds = self.alone.setup, self.rounds
        agents, j = setup.agents, list(setup.cast).index(self.target)
        whom = np.array([agents.index(name) for name in self.watching])
        metered = np.array([setup.profile_of(name).meter is not None for name in agents])
        last = search.tick_of(found.layer)
        values: list[Numbers] = []
        reactions: dict[str, Reaction] = {}
        margin, nearest = np.inf, None
        own = agents.index(self.target) if self.target in agents else -1
        while not simulation.done and simulation.tick <= last:
            tick, t = simulation.tick, simulation.step()
            if tick < first:
                continue
            sure = suspicions(simulation.sight, simulation.contacts, simulation.meters, metered)
            values.append(sure[0, whom, j].copy())
            away = _off_cones(simulation, whom, j)
            if away.min() < margin:
                margin, nearest = float(away.min()), (self.watching[int(away.argmin())], t)
            states = np.maximum(simulation.world.signals.state[0], 0)
            for a in np.flatnonzero(states != rounds.states[tick]).tolist():
                if a != own and agents[a] not in reactions:
                    names = list(setup.profile_of(agents[a]).ladder.states)  # type: ignore[union-attr]
                    now, then = names[int(states[a])], names[int(rounds.states[tick][a])]
                    reactions[agents[a]] = Reaction(agents[a], t, now, then)
        meters = np.array(values).T.reshape(len(whom), -1)
        times = rounds.times[first : first + meters.shape[1]]
        highest = meters.max(axis=1, initial=0.0)
        promised = np.array([found.highest[a] for a in whom])
        cut_short = meters.shape[1] < last - first + 1
        n, best = int(np.argmax(promised)), float(promised.max(initial=0.0))
        at = None
        holds = not cut_short and bool((np.abs(highest - promised) <= EXACT).all())
        if best > 0.0 and holds:
            at = float(times[int(np.argmax(meters[n] >= meters[n].max() - 1e-12))])
        return Passage(
            float(rounds.times[first]), float(rounds.times[last]), best,
            self.watching[n] if best > 0.0 else None, at,
            margin if nearest else None, nearest, far, waits, track,
            dict(zip(self.watching, promised.tolist(), strict=True)),
            dict(zip(self.watching, highest.tolist(), strict=True)),
            tuple(sorted(reactions.values(), key=lambda each: each.t)),
            holds, cut_short, meters, times,
        )  # fmt: skip

    def lower(self, limits: Numbers, broken: list[Passage]) -> Numbers:
        """Lower limits for agents that reacted, from the meters at which they did."""
        lower, agents = limits.copy(), self.scenario.setup.agents
        for passage in broken:
            for reaction in passage.reactions:
                if reaction.agent not in self.watching:
                    continue
                n, a = self.watching.index(reaction.agent), agents.index(reaction.agent)
                until = int(np.searchsorted(passage.times, reaction.t + 1e-6))
                value = float(passage.meters[n, :until].max(initial=0.0))
                if 0.0 < value < lower[a]:
                    lower[a] = value
                    break  # what comes after may come of this
        return lower

    def closings(self, search: Search, rounds: Rounds) -> tuple[Closing, ...]:
        """The agents that stopped moves, where and when."""
        whole = sum(map(len, search.refused.values()))
        found = []
        seconds = search.ticks * self.alone.setup.clock.dt
        for a, moves in search.refused.items():
            at = np.array(sorted(set(moves)))
            times = np.unique(rounds.times[at[:, 1]])
            cuts = np.flatnonzero(np.diff(times) > 2.5 * seconds)
            lows, highs = times[np.append(0, cuts + 1)], times[np.append(cuts, len(times) - 1)]
            longest = np.sort(np.argsort(lows - highs, kind="stable")[:5])
            windows = tuple((float(lows[n]), float(highs[n])) for n in longest)
            places = search.lattice.places[np.unique(at[:, 0])]
            name = self.alone.setup.agents[a]
            found.append(Closing(name, len(moves) / whole, places, windows))
        return tuple(sorted(found, key=lambda each: -each.share))


def _off_cones(simulation: Simulation, whom: NDArray[np.intp], j: int) -> Numbers:
    """(agents,) how far somebody is off everybody's nearest cone in plan, m; infinite in one."""
    poses, limits, p = simulation.poses, simulation.limits, 0
    if not poses.present[p, j]:
        return np.full(len(whom), np.inf)
    c = simulation.numbers.characters[whom]
    x, y = poses.x[p, j] - poses.x[p, c], poses.y[p, j] - poses.y[p, c]
    far = np.hypot(x, y)[:, None]
    off = np.arctan2(y, x) - poses.heading[p, c]
    off = np.abs((off + np.pi) % (2.0 * np.pi) - np.pi)[:, None]
    reach = limits.range[0, whom] * limits.awake[0, whom][:, None]
    beyond = np.clip(off - limits.half_fov[0, whom], 0.0, np.pi / 2.0)
    along, aside = far * np.cos(beyond), far * np.sin(beyond)
    away = np.hypot(np.maximum(along - reach, 0.0), aside)
    used = np.arange(away.shape[1]) < simulation.numbers.cones[0, whom][:, None]
    away[~used | (reach <= 0.0)] = np.inf
    away[away <= 0.0] = np.inf
    found: Numbers = away.min(axis=1, initial=np.inf)
    found[~poses.present[p, c]] = np.inf
    return found


def paces_of(scenario: Scenario, target: str) -> dict[str, float]:
    """How fast somebody creeps, walks and runs, m/s.

    As its profile says; else as it was recorded, in the median; else as is usual.
    """
    movement = movement_of(scenario.setup, target)
    movement = movement or recorded_movement(scenario.tracks.get(target))
    return {pace: float(getattr(movement, pace)) for pace in ("creeping", "walking", "running")}


def _telling(found: list[Found]) -> list[Found]:
    """The passages that differ clearly: of those about as much noticed the soonest."""
    shown: list[Found] = []
    for each in found:
        if not shown or each.peak < shown[-1].peak - CLEARLY or each is found[-1]:
            shown.append(each)
    while len(shown) > 6:
        gaps = [a.peak - b.peak for a, b in pairwise(shown)]
        del shown[1 + int(np.argmin(gaps[:-1]))]  # the later of two, but never the last
    return shown


def _best(passages: list[Passage]) -> tuple[Passage, ...]:
    """The passages that hold, if any, without dominated ones; the fastest first."""
    some = [each for each in passages if each.holds] or passages
    shown: list[Passage] = []
    for each in sorted(some, key=lambda p: (p.arrives, p.highest)):
        if not shown or each.highest < shown[-1].highest:
            shown.append(each)
    return tuple(shown[:MOST_TOLD])


def _stood(level: Level, place: Numbers) -> Numbers:
    """A position, (3,) in m, at the height of the floor there."""
    x, y, z = place.tolist()
    return np.array([x, y, level.stands_at(x, y, z)])


def _is_near(at: Numbers, wanted: Numbers, radius: float) -> bool:
    """Whether a position is close enough to the wanted one: on that floor, beside a wall."""
    plan, up = float(np.hypot(*(at[:2] - wanted[:2]))), float(abs(at[2] - wanted[2]))
    return plan <= radius + 0.01 and up <= STEP


def _key(track: TrackData) -> bytes:
    return track.t.tobytes() + track.x.tobytes() + track.y.tobytes() + track.posture.tobytes()


def _words(place: Place | Numbers | None) -> str:
    if place is None or isinstance(place, str):
        return place or ""
    return f"({', '.join(f'{float(each):.7g}' for each in place)})"


def _with_track(scenario: Scenario, target: str, track: TrackData) -> Scenario:
    return replace(scenario, tracks={**scenario.tracks, target: track})


def _track(found: Found, search: Search, times: Numbers) -> tuple[TrackData, float, float]:
    """A passage as a recording; how far it goes, m, and for how long it stands still, s."""
    lattice, modes = search.lattice, search.modes
    rows: list[tuple[float, float, float, float, float, int, int]] = []
    floors, heading, far, waits = bool(lattice.level.data.floors), 0.0, 0.0, 0.0
    posture = POSTURES.index(modes[found.moments[0].mode].posture)
    for before, after in pairwise(found.moments):
        mode, first = modes[after.mode], search.tick_of(before.layer)
        ticks = search.tick_of(after.layer) - first
        way = np.repeat(lattice.places[before.place][None], ticks + 1, axis=0)
        if after.move != WAIT:
            way = lattice.along(np.array([after.move]), ticks)[0]
            x, y = way[-1, :2] - way[0, :2]
            heading += (np.arctan2(y, x) - heading + np.pi) % (2.0 * np.pi) - np.pi
            far += float(lattice.moves.length[after.move])
        else:
            waits += float(times[first + ticks] - times[first])
        # A posture is that of a move from its first tick on, a gait from its beginning on.
        gait = GAITS.index(mode.pace)
        then = POSTURES.index(mode.posture)
        at = range(ticks) if floors else range(1 if then == posture else min(2, ticks))
        for n in at:
            rows.append((times[first + n], *way[n], heading, then if n else posture, gait))
        posture = then
    end = found.moments[-1]
    still = GAITS.index("still")
    rows.append(
        (times[search.tick_of(end.layer)], *lattice.places[end.place], heading, posture, still)
    )
    t, x, y, z, turned, postures, gaits = np.array(rows, dtype=np.float64).T
    track = TrackData(
        t.copy(), x.copy(), y.copy(), z.copy(), turned.copy(), postures.astype(np.int8),
        gaits.astype(np.int8), np.ones(len(t), dtype=np.bool_), flat=False,
    )  # fmt: skip
    return track, far, round(waits, 9)
