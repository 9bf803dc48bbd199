"""Coverage: who would notice somebody at each place of a level, before anybody is there.

First the scenario is replayed without the target: everybody goes their rounds. Then a dummy of the
target's kind is put at every place, and sensed by all as they passed, tick by tick, with the
same stages of sight, touch, zones, hearing and meter that a run uses, places taking the part of
variants. So nobody reacts to the dummy: what is told is what a place is like until somebody does.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, TypeVar

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.fields import GAITS, POSTURES
from snelk.config.models import Setup
from snelk.config.recordings import NoiseData, ThrowData, TrackData
from snelk.config.scenario import Scenario, load
from snelk.engine.listening import Listening
from snelk.engine.replay import tick_times
from snelk.engine.simulation import Simulation
from snelk.engine.turns import Turns
from snelk.errors import InputError, one_of
from snelk.level.compiled import Direct
from snelk.level.level import Level
from snelk.level.rays import scratch_for
from snelk.mind.meter import REACHED, Meters, fill, meter_numbers
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.contact import SENSED, Contacts, contact_numbers, feel
from snelk.senses.hearing import Ears, Noises, hearing_numbers
from snelk.senses.light import light_numbers, shine
from snelk.senses.sight import IN_VIEW, Sight, see, sight_numbers
from snelk.senses.surroundings import Surroundings, around_of, surround
from snelk.tuning.batches import cores, in_batches

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
N = TypeVar("N", bound=tuple[Any, ...])

Progress = Callable[[int, int], None]
"""Told the places done and the places in all."""

Way = Literal["standing", "crouched", "prone", "walking"]

WAYS: tuple[Way, ...] = ("standing", "crouched", "prone", "walking")

CHUNK = 256
"""Places that are looked at together."""

MOST_PLACES = 50_000
"""More places than this are refused."""

SLACK = 1e-9


class Window(NamedTuple):
    """From when to when nobody has a place in view, s; the end is the first tick in view again."""

    start: float
    end: float


@dataclass(frozen=True)
class Coverage:
    """What a level is like for somebody at each of many places.

    Attributes:
        level: The level.
        agents: Who watches.
        target: Whose kind was put there, and how it was: one of `WAYS`.
        cell: Distance between places, m.
        x, y: (places,) the places, m.
        times: (ticks,) the times of the round that was watched, s.
        full: (places,) seconds from the beginning until the first meter is full; NaN if none is.
        by: (places,) which agent that was; -1 if none.
        highest: (places,) the highest value of any meter, 0 to 1.
        watched: (places, ticks) whether any agent has it in view.
        paths: (agent, tick, 2) where the agents went, m.
    """

    level: Level
    agents: tuple[str, ...]
    target: str
    way: Way
    cell: float
    x: Numbers
    y: Numbers
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
        """(places,) where nobody ever looks, and no meter ever rises."""
        unseen: Truths = ~self.watched.any(axis=1) & (self.highest <= 0.0)
        return unseen

    def windows(self, x: float, y: float) -> list[Window]:
        """When nobody has the place nearest to (x, y) in view.

        >>> import snelk
        >>> night = snelk.croft() / "night.toml"
        >>> found = snelk.coverage(night, target="fox", cell=4.0)
        >>> found.windows(30.0, 20.0)[0]
        Window(start=0.0, end=22.1)
        """
        return self._windows(int(np.argmin(np.hypot(self.x - x, self.y - y))))

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
        """A row per place: where, how soon it is noticed, by whom, and how much it is watched."""
        import pandas as pd

        longest = [
            max(self._windows(n), key=lambda w: w.end - w.start, default=Window(np.nan, np.nan))
            for n in range(len(self.x))
        ]
        names = np.array([*self.agents, None], dtype=object)
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
            }
        )

    @cached_property
    def zones(self) -> pd.DataFrame:
        """A row per zone with places in it, and one for all: how safe they are."""
        import pandas as pd

        rows = []
        inside = {"everywhere": np.ones(len(self.x), dtype=np.bool_)}
        for zone, _ in self.level.data.zones:
            inside[zone.name] = self.level.within(zone.name, self.x, self.y)
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
    way: Way = "standing",
    agents: Sequence[str] | None = None,
    cell: float = 1.0,
    places: NDArray[np.float64] | None = None,
    start: float | None = None,
    end: float | None = None,
    jobs: int | None = None,
    progress: Progress | None = None,
) -> Coverage:
    """Find out how soon somebody would be noticed at each place, and how much it is watched.

    Args:
        scenario: Its TOML file, or what `load` returned.
        target: Whose body and team the dummy has; it is taken out of the cast's doings. The only
            tracked character that is noticed if None.
        way: How it is there: `standing`, `crouched`, `prone`, or `walking` on the spot, with the
            speed and the footsteps of that.
        agents: Who watches; all that notice the target if None.
        cell: Distance between places, m.
        places: (places, 2) other places than a grid over the walkable ground of the level, m.
        start: From when on agents are watched on their rounds, s; meters are empty then.
        end: Until when, s; the end of the scenario if None.
        jobs: How many processes work at it; as many as there are cores if None.
        progress: Called with the places done and the places in all.

    Raises:
        InputError: A name or number is wrong, nobody notices the target, or there is no place.
    """
    scenario = scenario if isinstance(scenario, Scenario) else load(scenario)
    target = _target(scenario, target)
    one_of(way, WAYS, source="way", place="", what="way")
    if not (np.isfinite(cell) and cell > 0.0):
        raise InputError.of("cell", "", f"{cell} m", "must be above 0 m")
    watching = [a for a in scenario.setup.agents if a != target and _notices(scenario, a, target)]
    for name in agents or ():
        one_of(name, watching, source="agent", place="", what=f"agent that notices {target}")
    chosen = tuple(name for name in watching if agents is None or name in agents)
    alone = _without(scenario, target)
    level = Level.of(scenario.level)
    grid = _grid(level, cell) if places is None else np.asarray(places, dtype=np.float64)
    if grid.ndim != 2 or grid.shape[1] != 2 or len(grid) == 0 or not np.isfinite(grid).all():
        raise InputError.of("places", "", "", "must be (x, y) in m, at least one")
    if len(grid) > MOST_PLACES:
        rule = f"makes {len(grid)} places, more than {MOST_PLACES}"
        raise InputError.of("cell", "", f"{cell:g} m", rule, "use larger cells")
    rounds = _rounds(alone, start, end)
    job = _Job(alone, target, way, chosen, rounds)
    chunks = [(low, grid[low : low + CHUNK]) for low in range(0, len(grid), CHUNK)]
    found: dict[int, _Sensed] = {}
    done = 0
    for low, sensed in in_batches(_sense, job, chunks, jobs=min(jobs or cores(), len(chunks))):
        found[low] = sensed
        done += len(sensed.full)
        if progress is not None:
            progress(done, len(grid))
    every = _Sensed(
        *(np.concatenate(each) for each in zip(*(found[n] for n, _ in chunks), strict=True))
    )
    i = [list(alone.setup.cast).index(name) for name in chosen]
    paths = np.stack([rounds.poses.x[:, i], rounds.poses.y[:, i]], axis=2).transpose(1, 0, 2)
    return Coverage(
        level, chosen, target, way, cell, grid[:, 0].copy(), grid[:, 1].copy(), rounds.times,
        *every, paths,
    )  # fmt: skip


def _notices(scenario: Scenario, agent: str, target: str) -> bool:
    return scenario.setup.profile_of(agent).ever_notices(scenario.setup.cast[target].team)


def _target(scenario: Scenario, name: str | None) -> str:
    setup = scenario.setup
    noticed = [
        who
        for who in setup.cast
        if any(agent != who and _notices(scenario, agent, who) for agent in setup.agents)
    ]
    if name is None:
        tracked = [who for who in noticed if who in scenario.tracks]
        if len(tracked) != 1:
            fix = f"choose one: {', '.join(noticed)}" if noticed else "let an agent notice a team"
            raise InputError.of("target", "", "", "must be named", fix)
        return tracked[0]
    one_of(name, setup.cast, source="target", place="", what="character")
    if name not in noticed:
        rule = "nobody notices its team"
        raise InputError.of("target", "", f'"{name}"', rule, f"noticed: {', '.join(noticed)}")
    return name


def _without(scenario: Scenario, target: str) -> Scenario:
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
        noises=_of_others(noises, target),
        throws=_of_others(throws, target),
    )


M = TypeVar("M", NoiseData, ThrowData)


def _of_others(made: M, target: str) -> M:
    """What a target did not make or throw."""
    keep = [n for n, by in enumerate(made.by) if by != target]
    values: dict[str, Any] = {
        name: value[keep] if isinstance(value, np.ndarray) else tuple(value[n] for n in keep)
        for name, value in vars(made).items()
    }
    return type(made)(**values)


def _grid(level: Level, cell: float) -> Numbers:
    """Middles of cells on ground where one can stand."""
    low_x, low_y, high_x, high_y = level.bounds
    count = (high_x - low_x) * (high_y - low_y) / cell**2
    if count > 4 * MOST_PLACES:
        rule = f"makes {count:.0f} places, more than {MOST_PLACES}"
        raise InputError.of("cell", "", f"{cell:g} m", rule, "use larger cells")
    xs, ys = (
        np.round(low + cell * (np.arange(max(int((high - low) / cell), 1)) + 0.5), 9)
        for low, high in ((low_x, high_x), (low_y, high_y))
    )
    x, y = (values.ravel() for values in np.meshgrid(xs, ys))
    free = np.zeros(len(x), dtype=np.bool_)
    for part in level.ways().parts:
        free |= shapely.contains_xy(part, x, y)
    return np.stack([x[free], y[free]], axis=1)


@dataclass(frozen=True)
class _Rounds:
    """What everybody did without the target, tick by tick."""

    times: Numbers
    poses: Poses  # (tick, character) each
    awake: dict[str, Numbers]  # by sense, (tick, agent)


def _rounds(scenario: Scenario, start: float | None, end: float | None) -> _Rounds:
    simulation = Simulation(scenario)
    low = simulation.times[0] if start is None else start
    high = simulation.times[-1] if end is None else end
    rows: list[Poses] = []
    times: list[float] = []
    awake: dict[str, list[Numbers]] = {sense: [] for sense in simulation.awake}
    while not simulation.done:
        t = simulation.step()
        if low - SLACK <= t <= high + SLACK:
            times.append(t)
            rows.append(Poses(*(values[0].copy() for values in simulation.poses)))
            for sense, values in simulation.awake_then.items():
                awake[sense].append(values[0].copy())
    if not times:
        rule = f"must overlap the run, {simulation.times[0]:g} to {simulation.times[-1]:g} s"
        raise InputError.of("time", "", f"{low:g} to {high:g} s", rule)
    poses = Poses(*(np.stack(values) for values in zip(*rows, strict=True)))
    return _Rounds(np.array(times), poses, {sense: np.stack(v) for sense, v in awake.items()})


@dataclass(frozen=True)
class _Job:
    """What is the same for all places."""

    scenario: Scenario
    target: str
    way: Way
    watching: tuple[str, ...]
    rounds: _Rounds


class _Sensed(NamedTuple):
    """What became of a dummy at some places: as in `Coverage`."""

    full: Numbers
    by: NDArray[np.int64]
    highest: Numbers
    watched: Truths


def _sense(job: _Job, low: int, places: Numbers) -> tuple[int, _Sensed]:
    """Put the dummy at some places, and let everybody pass."""
    dummies = _Dummies(job, places)
    count, ticks = len(places), len(job.rounds.times)
    full, by = np.full(count, np.nan), np.full(count, -1, dtype=np.int64)
    highest, watched = np.zeros(count), np.zeros((count, ticks), dtype=np.bool_)
    for tick, (seen, value) in enumerate(dummies.pass_by()):
        watched[:, tick] = seen
        highest = np.maximum(highest, value.max(axis=1, initial=0.0))
        now = np.isnan(full) & (value >= 1.0 - REACHED).any(axis=1)
        full[now] = job.rounds.times[tick] - job.rounds.times[0]
        by[now] = value[now].argmax(axis=1)
    return low, _Sensed(np.round(full, 9), by, highest, watched)


class _Dummies:
    """Dummies at some places, each in a variant of its own."""

    def __init__(self, job: _Job, places: Numbers) -> None:
        self.job, self.places = job, places
        scenario, setup = job.scenario, job.scenario.setup
        self.level = level = Level.of(scenario.level)
        self.names, self.agents = list(setup.cast), setup.agents
        self.j, self.dt = self.names.index(job.target), setup.clock.dt
        count = len(places)
        one = [setup]
        numbers = sight_numbers(one)
        others = np.arange(len(self.names)) != self.j
        numbers.cares[:, :, others] = False  # nobody else is of interest
        contact = contact_numbers(one, [zone.name for zone, _ in scenario.level.zones])
        contact.touch_cares[:, :, others] = contact.zone_cares[:, :, others] = False
        self.watching = [self.agents.index(name) for name in job.watching]
        self.numbers = _spread(numbers, count, but=("characters",))
        self.contact = _spread(contact, count, but=("characters",))
        self.bodies = _spread(bodies_of(one), count)
        self.lights = _spread(light_numbers(one), count)
        self.meter = _spread(meter_numbers(one), count)
        around = around_of(one, level.zone_light, level.zone_background)
        self.around = _spread(around, count, but=("zone_light", "zone_background"))
        self.turns = Turns([[setup.profile_of(a).look_every for a in self.agents]], self.dt)
        self.metered = self.meter.used[0]
        self._steps = _Footsteps(job, places, self.names) if job.way == "walking" else None

    def pass_by(self) -> Iterator[tuple[Truths, Numbers]]:
        """Per tick: (places,) whether any agent sees the dummy, (places, agent) their meters."""
        job, level, j = self.job, self.level, self.j
        rounds, count = job.rounds, len(self.places)
        sight, meters = Sight.blank(self.numbers), Meters.blank(self.numbers)
        contacts = Contacts.blank(self.numbers.notices.shape)
        light = np.full((count, len(self.names)), np.nan)
        loudness = np.zeros(self.numbers.notices.shape)
        scratch = scratch_for(level.grid)
        stages = [Direct(stage) for stage in (surround, feel, shine, see, fill)]
        surroundings = Surroundings.blank(self._poses(0), self.around)
        speed = self._steps.speed if self._steps is not None else 0.0
        awake = {"sight": self.numbers.awake, "touch": self.contact.touch_awake}
        awake["zone"] = self.contact.zone_awake
        first = round((rounds.times[0] - job.scenario.setup.clock.start) / self.dt)
        for tick in range(len(rounds.times)):
            poses, before = self._poses(tick), self._poses(max(tick - 1, 0))
            for sense, values in awake.items():
                values[...] = rounds.awake[sense][tick]
            stages[0](poses, before, self.dt, level.zones, self.around, surroundings)
            surroundings.speed[:, j] = speed if tick else 0.0
            stages[1](
                poses, self.bodies, surroundings.zones, self.contact, level.solid_grid, scratch,
                contacts,
            )  # fmt: skip
            stages[2](
                poses, self.bodies, self.lights, surroundings.light, level.grid, scratch, light
            )
            looks = self.turns.at(first + tick) | (tick == 0)
            looks = np.ascontiguousarray(np.broadcast_to(looks, self.numbers.notices.shape[:2]))
            stages[3](
                poses, self.bodies, light, self.numbers, level.grid, scratch, looks, False, sight
            )
            if self._steps is not None:
                self._steps.hear(tick, poses, surroundings.background, loudness)
            stages[4](
                poses.posture, surroundings.speed, self.numbers.cones, self.numbers.range,
                self.numbers.half_fov, sight, contacts.touch, contacts.zone, loudness, self.meter,
                self.dt, meters,
            )  # fmt: skip
            a = self.watching
            seen = (sight.failed[:, a, j] == IN_VIEW).any(axis=2)
            felt = (contacts.touch[:, a, j] == SENSED) | (contacts.zone[:, a, j] == SENSED)
            value = np.where(self.metered[a], meters.value[:, a, j], (seen | felt) * 1.0)
            yield seen.any(axis=1), value

    def _poses(self, tick: int) -> Poses:
        """Everybody as they passed, and the dummy at each place."""
        way = self.job.way
        rows = (values[tick] for values in self.job.rounds.poses)
        poses = Poses(*(np.repeat(row[None], len(self.places), axis=0) for row in rows))
        poses.x[:, self.j], poses.y[:, self.j] = self.places.T
        poses.z[:, self.j], poses.heading[:, self.j] = 0.0, 0.0
        poses.posture[:, self.j] = 0 if way == "walking" else POSTURES.index(way)
        poses.gait[:, self.j] = GAITS.index("walking" if way == "walking" else "still")
        poses.present[:, self.j] = True
        return poses


class _Footsteps:
    """The footsteps of dummies that walk on the spot, and who hears them.

    They walk as fast as halfway between creeping and running, or as their profile says.
    """

    def __init__(self, job: _Job, places: Numbers, names: Sequence[str]) -> None:
        scenario, setup = job.scenario, job.scenario.setup
        self.rounds, self.j, self.dt = job.rounds, names.index(job.target), setup.clock.dt
        self.places, level = places, Level.of(scenario.level)
        steps, movement = setup.body_of(job.target).steps, _movement_of(setup, job.target)
        self.speed = 1.4
        if movement is not None:
            self.speed = movement.walking
        elif steps is not None:
            self.speed = (steps.creep_below + steps.run_above) / 2.0
        self.stride = steps.stride if steps is not None else np.inf
        factor = np.ones(len(places))
        for zone, _ in level.data.zones:
            if zone.ground is not None:
                inside = level.within(zone.name, places[:, 0], places[:, 1])
                factor[inside] = setup.grounds[zone.ground]
        self.reach = factor * (steps.walking if steps is not None else 0.0)
        count = len(places)
        hearing = hearing_numbers([setup])
        self.hearing = _spread(hearing, count, but=("seeds",))._replace(seeds=hearing.seeds * count)
        ears = Ears(
            self.hearing, _spread(bodies_of([setup]), count),
            np.array([list(names).index(agent) for agent in setup.agents], dtype=np.int32),
            names, level,
        )  # fmt: skip
        self.listening = Listening([setup] * count, ears, job.rounds.times)
        self.walked = 0.0

    def hear(self, tick: int, poses: Poses, background: Numbers, loudness: Numbers) -> None:
        """The steps since the tick before, and how loud they are to everybody."""
        self.hearing.awake[...] = self.rounds.awake["hearing"][tick]
        t = float(self.rounds.times[tick])
        before = self.walked
        self.walked += self.speed * self.dt if tick else 0.0
        ends = np.arange(int(before / self.stride) + 1, int(self.walked / self.stride + SLACK) + 1)
        made = [t - (self.walked - end * self.stride) / self.speed for end in ends]
        count = len(self.places)
        noises = _noises(self, np.repeat(made, count), np.tile(np.arange(count), len(made)))
        self.listening.step(tick, noises, poses, background)
        loudness[...] = self.listening.loudness


def _movement_of(setup: Setup, name: str) -> Any:
    profile = setup.cast[name].profile
    return setup.profiles[profile].movement if profile is not None else None


def _noises(steps: _Footsteps, t: Numbers, place: NDArray[np.intp]) -> Noises:
    none = np.full(len(t), -1, dtype=np.intp)
    x, y = steps.places[place].T if len(t) else np.zeros((2, 0))
    by = np.full(len(t), steps.j, dtype=np.intp)
    gait = np.full(len(t), GAITS.index("walking"), dtype=np.intp)
    number = np.arange(len(t), dtype=np.intp)
    return Noises(
        place.astype(np.intp), number, t.astype(np.float64), np.zeros(len(t), dtype=np.intp), gait,
        none, x.copy(), y.copy(), np.zeros(len(t)), steps.reach[place], by, none,
    )  # fmt: skip


def _spread(numbers: N, count: int, *, but: tuple[str, ...] = ()) -> N:
    """Numbers of one variant for many."""
    names: tuple[str, ...] = numbers._fields  # type: ignore[attr-defined]  # all are NamedTuples
    values = (
        value if name in but else np.repeat(value, count, axis=0)
        for name, value in zip(names, numbers, strict=True)
    )
    return type(numbers)(*values)
