"""Coverage: who would notice somebody at each position of a level.

First the scenario is replayed without the target: the undisturbed rounds. Then a stand-in of the
target's kind is put at every position, and sensed at every tick with the same stages of sight,
touch, zones, hearing and meter that a run uses, with positions as variants. So nobody reacts to
the stand-in: the result is valid until somebody does.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.recordings import TrackData
from snelk.config.scenario import Scenario, as_scenario
from snelk.engine.replay import tick_times
from snelk.engine.simulation import Simulation
from snelk.errors import InputError, one_of
from snelk.level.level import Level
from snelk.senses.bodies import Poses
from snelk.tuning.batches import in_batches, workers

if TYPE_CHECKING:
    import pandas as pd

from snelk.tuning.standins import STANCES, Job, Rounds, Sensed, Stance, sense

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

Progress = Callable[[int, int], None]
"""Told the places done and the places in all."""

CHUNK, SMALLEST = 1024, 64
"""Places that are looked at together at most, and what is not worth being shared out."""

MOST_PLACES = 50_000
"""More places than this are refused."""

SLACK = 1e-9


class Window(NamedTuple):
    """A time in which nobody has a position in view, s; it ends at the first tick in view again."""

    start: float
    end: float


@dataclass(frozen=True)
class Coverage:
    """How soon somebody is noticed at each of many positions of a level.

    Attributes:
        level: The level.
        agents: The agents that watch.
        target: Whose kind was placed there, and its stance: one of `STANCES`.
        cell: Distance between places, m.
        x, y, z: (places,) the places, m.
        floor: (places,) the floor that each is on, by number; -1 for none, 0 without floors.
        times: (ticks,) the times of the round that was watched, s.
        full: (places,) seconds from the beginning until the first meter is full; NaN if none is.
        by: (places,) which agent that was; -1 if none.
        highest: (places,) the highest value of any meter, 0 to 1.
        watched: (places, ticks) whether any agent has it in view.
        paths: (agent, tick, 3) where the agents went, m.
    """

    level: Level
    agents: tuple[str, ...]
    target: str
    stance: Stance
    cell: float
    x: Numbers
    y: Numbers
    z: Numbers
    floor: NDArray[np.int32]
    times: Numbers
    full: Numbers
    by: NDArray[np.int64]
    highest: Numbers
    watched: Truths
    paths: Numbers

    @cached_property
    def share(self) -> Numbers:
        """(places,) the share of the ticks in which any agent has it in view."""
        found: Numbers = self.watched.mean(axis=1)
        return found

    @property
    def blind(self) -> Truths:
        """(positions,) where nobody ever looks, and no meter ever rises."""
        unseen: Truths = ~self.watched.any(axis=1) & (self.highest <= 0.0)
        return unseen

    def windows(self, x: float, y: float, z: float = 0.0) -> list[Window]:
        """When nobody has the place nearest to (x, y, z) in view, m.

        >>> import snelk
        >>> night = snelk.croft() / "night.toml"
        >>> found = snelk.coverage(night, target="fox", cell=4.0)
        >>> found.windows(30.0, 20.0)[0]
        Window(start=5.3, end=7.5)
        """
        away = np.hypot(np.hypot(self.x - x, self.y - y), self.z - z)
        return self._windows(int(np.argmin(away)))

    def _windows(self, place: int) -> list[Window]:
        free = np.concatenate([[False], ~self.watched[place], [False]])
        edges = np.flatnonzero(np.diff(free.astype(np.int8)))
        dt = self.times[1] - self.times[0] if len(self.times) > 1 else 0.0
        ends = np.append(self.times, round(float(self.times[-1] + dt), 9))
        return [
            Window(float(self.times[low]), float(ends[high]))
            for low, high in zip(edges[::2], edges[1::2], strict=True)
        ]

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row per place: where, time until noticed, by whom, and time in view."""
        import pandas as pd

        longest = [
            max(self._windows(n), key=lambda w: w.end - w.start, default=Window(np.nan, np.nan))
            for n in range(len(self.x))
        ]
        names = np.array([*self.agents, None], dtype=object)
        floors = np.array([*self.level.floor_names, None], dtype=object)
        return pd.DataFrame(
            {
                "x": self.x,
                "y": self.y,
                "full": self.full,
                "by": names[self.by],
                "highest_meter": self.highest,
                "watched": self.share,
                "blind": self.blind,
                "window_start": [window.start for window in longest],
                "window_end": [window.end for window in longest],
                "z": self.z,
                "floor": floors[self.floor] if self.level.floor_names else None,
            }
        )

    @cached_property
    def zones(self) -> pd.DataFrame:
        """A row per zone and floor with places in it, and one for all: how safe they are."""
        import pandas as pd

        rows = []
        inside = {"everywhere": np.ones(len(self.x), dtype=np.bool_)}
        for zone, _ in self.level.data.zones:
            inside[zone.name] = self.level.within(zone.name, self.x, self.y, self.z)
        for n, name in enumerate(self.level.floor_names):
            inside.setdefault(name, self.floor == n)  # a zone of that name goes before
        for name, chosen in inside.items():
            if not chosen.any():
                continue
            full = self.full[chosen]
            some = full[~np.isnan(full)]
            rows.append(
                {
                    "zone": name,
                    "places": int(chosen.sum()),
                    "blind": float(self.blind[chosen].mean()),
                    "watched": float(self.share[chosen].mean()),
                    "noticed": len(some) / len(full),
                    "soonest": float(some.min()) if len(some) else np.nan,
                    "median": float(np.median(some)) if len(some) else np.nan,
                }
            )
        return pd.DataFrame(rows)


def coverage(
    scenario: str | Path | Scenario,
    *,
    target: str | None = None,
    stance: Stance = "standing",
    agents: Sequence[str] | None = None,
    cell: float = 1.0,
    places: NDArray[np.float64] | None = None,
    start: float | None = None,
    end: float | None = None,
    jobs: int | None = None,
    cluster: str | None = None,
    progress: Progress | None = None,
) -> Coverage:
    """Find out how soon somebody would be noticed at each position, and how long it is in view.

    Args:
        scenario: Its TOML file, or what `load` returned.
        target: Whose body and team the stand-in has; it is taken out of the cast's doings. If None,
            the only character that is noticed, or the only tracked one of them.
        stance: How it is there: `standing`, `crouched`, `prone`, or `walking` on the spot, with the
            speed and the footsteps of that.
        agents: Who watches; all that notice the target if None.
        cell: Distance between places, m.
        places: (places, 2 or 3) other places than a grid over the walkable ground of the level,
            all its floors, m; without heights they are on the ground that most of the cast begin
            on, and with floors at 0 m.
        start: From when on agents are watched on their rounds, s; meters are empty then.
        end: Until when, s; the end of the scenario if None.
        jobs: How many processes work at it; as many as there are cores if None.
        cluster: The address of a Dask scheduler, whose workers are used instead.
        progress: Called with the places done and the places in all.

    Raises:
        InputError: A name or number is wrong, nobody notices the target, or there is no place.
    """
    scenario = as_scenario(scenario)
    target = target_of(scenario, target)
    one_of(stance, STANCES, source="stance", place="", what="stance")
    check_cell(cell)
    chosen = watchers(scenario, target, agents)
    alone = without(scenario, target)
    level = Level.of(scenario.level)
    ground = usual_ground(scenario)
    grid = places_on(level, cell, ground) if places is None else np.asarray(places, np.float64)
    if (
        grid.ndim != 2
        or grid.shape[1] not in (2, 3)
        or not len(grid)
        or not np.isfinite(grid).all()
    ):
        raise InputError.of("places", "", "", "must be (x, y) or (x, y, z) in m, at least one")
    if grid.shape[1] == 2:
        grid = np.column_stack([grid, np.full(len(grid), ground)])
    if len(grid) > MOST_PLACES:
        rule = f"makes {len(grid)} places, more than {MOST_PLACES}"
        raise InputError.of("cell", "", f"{cell:g} m", rule, "use a larger cell")
    rounds = rounds_of(alone, start, end)
    job = Job(alone, target, stance, chosen, rounds)
    every = sensed_at(job, grid, jobs=workers(jobs, cluster), cluster=cluster, progress=progress)
    i = [list(alone.setup.cast).index(name) for name in chosen]
    went = [values[:, i] for values in (rounds.poses.x, rounds.poses.y, rounds.poses.z)]
    paths = np.stack(went, axis=2).transpose(1, 0, 2)
    x, y, z = (values.copy() for values in grid.T)
    return Coverage(
        level, chosen, target, stance, cell, x, y, z,
        level.ways().sheets_at(grid), rounds.times, *every, paths,
    )  # fmt: skip


def sensed_at(
    job: Job,
    places: NDArray[np.float64],
    *,
    jobs: int = 1,
    cluster: str | None = None,
    progress: Progress | None = None,
) -> Sensed:
    """What is sensed of a stand-in at each of some places, (places, 3) in m; as for `coverage`."""
    count = -(-len(places) // (CHUNK * jobs)) * jobs  # as many for each
    size = max(-(-len(places) // count), SMALLEST)
    chunks = [(low, places[low : low + size]) for low in range(0, len(places), size)]
    found: dict[int, Sensed] = {}
    done = 0
    for low, sensed in in_batches(sense, job, chunks, jobs=min(jobs, len(chunks)), cluster=cluster):
        found[low] = sensed
        done += len(sensed.full)
        if progress is not None:
            progress(done, len(places))
    every = zip(*(found[low] for low, _ in chunks), strict=True)
    return Sensed(*(np.concatenate(each) for each in every))


def notices(scenario: Scenario, agent: str, target: str) -> bool:
    """Whether an agent ever notices the team of a character."""
    return scenario.setup.profile_of(agent).ever_notices(scenario.setup.cast[target].team)


def watchers(
    scenario: Scenario, target: str, agents: Sequence[str] | None, ignore: Sequence[str] = ()
) -> tuple[str, ...]:
    """Those of the agents that notice a target who count: these, or all, but for some.

    Raises:
        InputError: Somebody named does not notice it, or nobody is left.
    """
    setup = scenario.setup
    every = [a for a in setup.agents if a != target and notices(scenario, a, target)]
    for name in (*(agents or ()), *ignore):
        one_of(name, every, source="agent", place="", what=f"agent that notices {target}")
    chosen = [a for a in every if (agents is None or a in agents) and a not in ignore]
    if not chosen and ignore:
        raise InputError.of("ignore", "", ", ".join(ignore), "leaves no agent that watches")
    return tuple(chosen)


def check_cell(cell: float | None) -> None:
    """Make sure that places can be so far apart, m, if it is said.

    Raises:
        InputError: It is no number above 0.
    """
    if cell is not None and not (np.isfinite(cell) and cell > 0.0):
        raise InputError.of("cell", "", f"{cell:g} m", "must be above 0 m")


def usual_cell(areas: Sequence[Any], count: int) -> float:
    """The spacing of about this many positions on some areas, m."""
    return max(float(np.sqrt(sum(area.area for area in areas) / count)), 0.05)


def target_of(scenario: Scenario, name: str | None) -> str:
    """The target: by name, or the only one that is noticed, or the only one with a track."""
    setup = scenario.setup
    noticed = [
        who
        for who, member in setup.cast.items()
        if member.clue is None
        if any(agent != who and notices(scenario, agent, who) for agent in setup.agents)
    ]
    if name is None:
        tracked = [who for who in noticed if who in scenario.tracks or setup.cast[who].play]
        tracked = noticed if len(noticed) == 1 else tracked
        if len(tracked) != 1:
            fix = (
                f"choose one: {', '.join(noticed)}"
                if noticed
                else "add the team to an agent's notices"
            )
            raise InputError.of("target", "", "", "must be named", fix)
        return tracked[0]
    one_of(name, setup.cast, source="target", place="", what="character")
    if setup.cast[name].clue is not None:
        raise InputError.of("target", "", f'"{name}"', "is a clue, and cannot be moved")
    if name not in noticed:
        rule = "no agent notices its team"
        raise InputError.of("target", "", f'"{name}"', rule, f"noticed: {', '.join(noticed)}")
    return name


def without(scenario: Scenario, target: str) -> Scenario:
    """The scenario with the target never there, and none of its noises."""
    setup, noises, throws = scenario.setup, scenario.noises, scenario.throws
    member = setup.cast[target].model_copy(update={"at": None})
    setup = setup.model_copy(
        update={
            "cast": {**setup.cast, target: member},
            "noise": tuple(noise for noise in setup.noise if noise.by != target),
            "throw": tuple(throw for throw in setup.throw if throw.by != target),
        }
    )
    one = np.zeros(1)
    never = TrackData(
        one, one, one, one, one, np.zeros(1, np.int8), np.full(1, -1, np.int8), np.zeros(1, bool)
    )
    end = float(tick_times(scenario.setup.clock, scenario.tracks)[-1])
    clock = setup.clock.model_copy(update={"end": end})
    setup = setup.model_copy(update={"clock": clock})
    return replace(
        scenario,
        setup=setup,
        tracks={**scenario.tracks, target: never},
        noises=noises.without((target,)),
        throws=throws.without((target,)),
    )


def usual_ground(scenario: Scenario) -> float:
    """The height at which most of the cast begin, m; the lowest, if as many do. 0 with floors."""
    if scenario.level.floors:
        return 0.0
    tracks, cast = scenario.tracks, scenario.setup.cast
    counts = Counter(
        tracks[name].begins(member.z)[2] if name in tracks else member.z
        for name, member in cast.items()
        if member.clue is None
    )
    most = max(counts.values(), default=0)
    return min((z for z, count in counts.items() if count == most), default=0.0)


def places_on(level: Level, cell: float, ground: float) -> Numbers:
    """(positions, 3) centres of cells where one can stand, on every floor.

    `ground` is the height of ground without floors, m.

    Raises:
        InputError: There are too many, or none.
    """
    low_x, low_y, high_x, high_y = level.bounds
    count = (high_x - low_x) * (high_y - low_y) / cell**2
    if count > 4 * MOST_PLACES:
        rule = f"makes {count:.0f} places, more than {MOST_PLACES}"
        raise InputError.of("cell", "", f"{cell:g} m", rule, "use a larger cell")
    xs, ys = (
        np.round(low + cell * (np.arange(max(int((high - low) / cell), 1)) + 0.5), 9)
        for low, high in ((low_x, high_x), (low_y, high_y))
    )
    x, y = (values.ravel() for values in np.meshgrid(xs, ys))
    ways, found = level.ways(z=ground), [np.zeros((0, 3))]
    for sheet in np.unique(ways.area_sheets).tolist():
        free = ways.may_stand(-1, sheet, np.stack([x, y], axis=1).astype(np.float64))
        plan: Any = np.stack([x[free], y[free]], axis=1)
        found.append(np.column_stack([plan, ways.heights_on(sheet, plan, ground)]))
    places = np.concatenate(found)
    if not len(places):
        rule = "leaves no cell whose centre can be stood on"
        raise InputError.of("cell", "", f"{cell:g} m", rule, "use a smaller cell")
    return places


def rounds_of(scenario: Scenario, start: float | None = None, end: float | None = None) -> Rounds:
    """What everybody does in a scenario between two times, s.

    Raises:
        InputError: No tick is between the two.
    """
    simulation = Simulation(scenario)
    low = simulation.times[0] if start is None else start
    high = simulation.times[-1] if end is None else end
    rows: list[Poses] = []
    times: list[float] = []
    states: list[NDArray[np.int16]] = []
    awake: dict[str, list[Numbers]] = {sense: [] for sense in simulation.awake}
    opened, lit, first = [], [], 0
    while not simulation.done:
        stood, light = simulation.opened[0].copy(), simulation.around.zone_light[0].copy()
        t = simulation.step()
        if low - SLACK <= t <= high + SLACK:
            first = simulation.tick - 1 if not times else first
            times.append(t)
            rows.append(Poses(*(values[0].copy() for values in simulation.poses)))
            for sense, values in simulation.awake_then.items():
                awake[sense].append(values[0].copy())
            states.append(np.maximum(simulation.world.signals.state[0], 0))
            opened.append(stood)
            lit.append(light)
    if not times:
        rule = f"must overlap the run, {simulation.times[0]:g} to {simulation.times[-1]:g} s"
        raise InputError.of("time", "", f"{low:g} to {high:g} s", rule)
    poses = Poses(*(np.stack(values) for values in zip(*rows, strict=True)))
    scales = {sense: np.stack(values) for sense, values in awake.items()}
    return Rounds(
        np.array(times), poses, scales, np.stack(states), np.stack(opened), np.stack(lit), first
    )
