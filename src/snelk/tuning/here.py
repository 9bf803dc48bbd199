"""What if somebody stood here now: who would sense it, by how much, and how soon.

A stand-in of the target's kind stands at a place from a moment on, and everybody passes as they
did in the run; the target itself is not there. Meters are empty at first, and nobody reacts, as
for `coverage`, whose stages of the senses and the meter these are.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.fields import LONGEST
from snelk.config.scenario import Scenario
from snelk.config.words import POSTURES
from snelk.errors import InputError, one_of
from snelk.level.columns import plain
from snelk.level.level import Level
from snelk.mind.meter import REACHED
from snelk.senses.sight import GATES, IN_VIEW
from snelk.tuning.coverage import MOST_PLACES, notices, places_on, rounds_of, usual_ground
from snelk.tuning.standins import STANCES, Job, Stance, StandIns, suspicions

Numbers = NDArray[np.float64]

SECONDS = 10.0
"""So long a stand-in stands at a place, s."""

HIGH = 1e6
"""Above all floors, m."""

SHADED = 1500
"""Places that a shade has, about."""


@dataclass(frozen=True)
class Noticing:
    """How an agent senses a stand-in.

    Attributes:
        agent: Its name.
        gate: The first gate that fails, of the cone that comes closest; `in_view` if none does;
            empty without cones.
        cone: That cone; empty without cones.
        exposure: The share of the body that is in view, 0 to 1; NaN where nothing asked for it.
        distance: From its eye, m; NaN while it is not there.
        felt: Whether it feels it, or senses it in a zone.
        after: Seconds until its meter is full, or until it senses it without one; None if not
            within the time.
        highest: The highest value of its meter in that time, 0 to 1; without one 1 if sensed.
    """

    agent: str
    gate: str
    cone: str
    exposure: float
    distance: float
    felt: bool
    after: float | None
    highest: float


class Shade(NamedTuple):
    """What some places are like from a moment on.

    Attributes:
        places: (places, 3), m.
        exposure: (places,) the largest share of the body that anybody has in view at once, 0 to 1.
        after: (places,) seconds until the first notices it; NaN if nobody does within the time.
    """

    places: Numbers
    exposure: Numbers
    after: Numbers


class Here:
    """A run, to be asked about places.

    Args:
        scenario: What is run.

    >>> import snelk
    >>> here = Here(snelk.load(snelk.croft() / "night.toml"))
    >>> owl = next(n for n in here.at("fox", 20.0, (16.0, 14.0)) if n.agent == "owl")
    >>> owl.gate, owl.exposure, round(owl.distance, 1)
    ('in_view', 1.0, 8.2)
    """

    def __init__(self, scenario: Scenario) -> None:
        self.scenario = scenario
        self.level = Level.of(scenario.level)
        self._rounds = rounds_of(scenario)

    def _job(self, target: str, t: float, stance: Stance, seconds: float) -> Job:
        scenario, times = self.scenario, self._rounds.times
        one_of(target, scenario.setup.cast, source="target", place="", what="character")
        one_of(stance, STANCES, source="stance", place="", what="stance")
        if not times[0] <= t <= times[-1] + scenario.setup.clock.dt:
            rule = f"must be within the run, {times[0]:g} to {times[-1]:g} s"
            raise InputError.of("t", "", f"{t:g} s", rule)
        agents = scenario.setup.agents
        watching = [a for a in agents if a != target and notices(scenario, a, target)]
        first = max(int(np.searchsorted(times, t + 1e-6, side="right")) - 1, 0)
        last = first + max(round(seconds / scenario.setup.clock.dt), 1)
        return Job(scenario, target, stance, tuple(watching), self._rounds.between(first, last))

    def stance_of(self, target: str, t: float) -> Stance:
        """How somebody is at a time, if it stands still then."""
        times, c = self._rounds.times, list(self.scenario.setup.cast).index(target)
        tick = max(int(np.searchsorted(times, t + 1e-6, side="right")) - 1, 0)
        found: Stance = POSTURES[int(self._rounds.poses.posture[tick, c])]  # type: ignore[assignment]
        return found

    def ground(self, x: float, y: float, floor: str | None = None) -> tuple[float, float, float]:
        """A place on a floor, or on the highest floor there is, m; at 0 where there is none.

        Without floors it is on the ground that most of the cast begin on.
        """
        names = list(self.level.floor_names)
        if not names:
            return x, y, usual_ground(self.scenario)
        own = floor if floor in names else self.level.floor_at(x, y, HIGH)
        return x, y, self.level.height_of(names.index(own), x, y) if own is not None else 0.0

    def at(
        self,
        target: str,
        t: float,
        place: tuple[float, ...],
        *,
        stance: Stance = "standing",
        seconds: float = SECONDS,
    ) -> list[Noticing]:
        """How each agent that notices the target senses a stand-in.

        Args:
            target: Whose body and team it has.
            t: From when on it is there, s.
            place: Where, m: (x, y), or (x, y, z).
            stance: How it is there, as for `coverage`.
            seconds: For how long.

        Raises:
            InputError: A name, a time or the place is wrong.
        """
        job = self._job(target, t, stance, seconds)
        if not all(abs(each) <= LONGEST for each in place):
            rule = f"must be a place, numbers within ±{LONGEST:g} m"
            raise InputError.of("place", "", str(place), rule)
        if not job.watching:
            return []
        at = place if len(place) == 3 else self.ground(place[0], place[1])
        stand_ins = StandIns(job, np.array([at], dtype=np.float64))
        first: list[Noticing] = []
        after: dict[str, float] = {}
        highest = dict.fromkeys(job.watching, 0.0)
        for tick, now in enumerate(stand_ins.pass_by()):
            of: Any = map(plain, now)
            sight, contacts, meters = of
            sure = suspicions(sight, contacts, meters, stand_ins.metered)
            for name, a in zip(job.watching, stand_ins.watching, strict=True):
                failed = sight.failed[0, a, 0]
                felt = bool(contacts.felt[0, a, 0])
                value = float(sure[0, a, 0])
                highest[name] = max(highest[name], value)
                if value >= 1.0 - REACHED:
                    since = job.rounds.times[tick] - job.rounds.times[0]
                    after.setdefault(name, round(float(since), 9))
                if tick:
                    continue
                cones = list(self.scenario.setup.profile_of(name).cones)
                gate, cone = _closest(failed[: len(cones)].tolist(), cones)
                exposure = float(sight.exposure[0, a, 0])
                distance = float(sight.distance[0, a, 0])
                first.append(Noticing(name, gate, cone, exposure, distance, felt, None, 0.0))
        return [
            replace(each, after=after.get(each.agent), highest=highest[each.agent])
            for each in first
        ]

    def grid(self, near: tuple[float, float], floor: str | None = None) -> Numbers:
        """(places, 3) places all over the walkable ground, those near to a place first, m.

        Args:
            near: The place, (x, y).
            floor: Those on this floor only; the highest of each place if None.
        """
        grid, names = self._grid, list(self.level.floor_names)
        if floor in names:
            grid = grid[self.level.floors_at(grid) == names.index(floor)]
        elif names:
            order = np.lexsort((-grid[:, 2], grid[:, 1], grid[:, 0]))
            grid = grid[order]
            first = np.ones(len(grid), dtype=np.bool_)
            first[1:] = (grid[1:, :2] != grid[:-1, :2]).any(axis=1)
            grid = grid[first]
        away = np.hypot(grid[:, 0] - near[0], grid[:, 1] - near[1])
        return grid[np.argsort(away, kind="stable")]

    @cached_property
    def _grid(self) -> Numbers:
        return places_on(self.level, self.cell, usual_ground(self.scenario))[:MOST_PLACES]

    @property
    def cell(self) -> float:
        """How far apart the places of a grid are, m."""
        low_x, low_y, high_x, high_y = self.level.bounds
        return max(float(np.sqrt((high_x - low_x) * (high_y - low_y) / SHADED)), 0.05)

    def shade(
        self,
        target: str,
        t: float,
        places: Numbers,
        *,
        stance: Stance = "standing",
        seconds: float = SECONDS,
    ) -> Shade:
        """What places are like; see `at`."""
        job = self._job(target, t, stance, seconds)
        count = len(places)
        exposure, after = np.zeros(count), np.full(count, np.nan)
        if not job.watching:
            return Shade(places, exposure, after)
        stand_ins = StandIns(job, places)
        who = np.array(stand_ins.watching)
        v, j = np.divmod(np.arange(count), stand_ins.each)
        for tick, now in enumerate(stand_ins.pass_by()):
            of: Any = map(plain, now)
            sight, contacts, meters = of
            sure = suspicions(sight, contacts, meters, stand_ins.metered)[:, who].max(axis=1)
            noticed = (sure[v, j] >= 1.0 - REACHED) & np.isnan(after)
            after[noticed] = round(float(job.rounds.times[tick] - job.rounds.times[0]), 9)
            if tick == 0:
                seen = (sight.failed[:, who] == IN_VIEW).any(axis=3)
                share = np.where(seen, np.nan_to_num(sight.exposure[:, who]), 0.0).max(axis=1)
                exposure = share[v, j]
        return Shade(places, exposure, after)


def _closest(failed: list[int], cones: list[str]) -> tuple[str, str]:
    """The gate at which the cone stops that comes farthest, and that cone."""
    if not cones:
        return "", ""
    if IN_VIEW in failed:
        return "in_view", cones[failed.index(IN_VIEW)]
    best = max(range(len(cones)), key=failed.__getitem__)
    return GATES[failed[best]], cones[best]
