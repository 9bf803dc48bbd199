"""The trail of one character at one nose, rebuilt from a run to explain it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import POSTURES
from snelk.level.grid import NO_WALL, scratch_for
from snelk.level.level import Level
from snelk.level.within import which_inside
from snelk.runs.moment import poses_at
from snelk.runs.standing import awake_at
from snelk.runs.turning import level_at
from snelk.senses.bodies import Bodies, Poses, bodies_of
from snelk.senses.contact import Contacts, contact_numbers
from snelk.senses.smelling import leave_since, smell, sniff
from snelk.senses.trails import AirNumbers, Trails, air_numbers

if TYPE_CHECKING:
    from snelk.runs.record import Record

Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Scent:
    """A trail at a nose at a tick: (places,), the oldest first, also what has faded.

    Attributes:
        age: How long ago, s.
        strength: How strong it is there now.
        halvings: How often it has halved since.
        wind: How many times as far off it is smelt in the wind: a factor.
        through: The share that walls let pass.
        away: How far off the nose that is, m.
    """

    age: Numbers
    strength: Numbers
    halvings: Numbers
    wind: Numbers
    through: Numbers
    away: Numbers

    def needs(self) -> Numbers:
        """(places,) how far a nose has to reach to smell each place, m; infinite behind walls."""
        reach = self.strength * self.wind * self.through  # of a nose that reaches 1 m
        with np.errstate(divide="ignore", invalid="ignore"):
            found: Numbers = np.where(reach > 0.0, self.away / reach, np.inf)
        return found

    def at_age(self, age: float) -> int:
        """Which place is of this age, s."""
        return int(np.argmin(np.abs(self.age - age)))


def trail_at(run: Record, target: str, tick: int) -> tuple[Trails, AirNumbers] | None:
    """A character's trail at a tick with all that has faded, and the air; None if not known.

    It is known if the run has all poses from its start.
    """
    if run.first_tick > 0:
        return None
    setup, level, j = run.setup, run.level, run.names.index(target)
    zones = [zone.name for zone, _ in level.data.zones]
    air = air_numbers([setup], level, contact_numbers([setup], zones))
    one = slice(j, j + 1)
    air = air._replace(
        leaves=air.scent[:, one] > 0.0, scent=air.scent[:, one].copy(), weakest=np.zeros(1)
    )
    rows, count = run.rows("poses"), len(run.names)

    def column(values: Any) -> Any:
        return np.ascontiguousarray(values.reshape(-1, count)[: tick + 1, one])

    x, y, z = (np.nan_to_num(column(rows[name])).astype(np.float64) for name in "xyz")
    posture = column(rows.words("posture").codes_in(POSTURES).astype(np.int8))
    present = column(rows["present"]).astype(np.bool_)
    within = np.zeros((len(x), 1, len(zones)), dtype=np.bool_)
    places = np.ascontiguousarray(np.concatenate([x, y, z], axis=1))
    for zone in range(len(zones)):
        inside = np.zeros(len(places), dtype=np.bool_)
        which_inside(level.zones, zone, places, inside)
        within[:, 0, zone] = inside
    events = run.rows("events")
    spawned = events["t"][events.equal(kind="spawned", agent=target)]
    begins = np.flatnonzero(np.isin(run.times[: len(x)], spawned)) + 1  # the trail of another
    gait, heading = np.full(x.shape, -1, dtype=np.int8), np.zeros(x.shape)
    poses = Poses(x, y, z, heading, posture, gait, present)
    trails, n = Trails.blank(1, 1), 0
    for end in (*begins.tolist(), len(x)):
        while n < end:
            now = poses._make(values[n:end] for values in poses)
            n += leave_since(run.times[n:end], now, within[n:end], air, trails)
            if n < end:
                trails = trails.with_room()
        if end in begins:
            trails.forget(0, 0)
    return trails, air


def _of(characters: list[int], given: Any) -> Any:
    """A named tuple of what some characters are or do."""
    return given._make(np.ascontiguousarray(values[:, characters]) for values in given)


@dataclass(frozen=True)
class _AtNose:
    """A nose as number 0 and who left the trail as number 1, at a tick."""

    poses: Poses
    bodies: Bodies
    air: AirNumbers
    trails: Trails
    level: Level


def _at_nose(run: Record, agent: str, target: str, tick: int) -> _AtNose | None:
    found = trail_at(run, target, tick)
    if found is None:
        return None
    trails, air = found
    two = [run.names.index(agent), run.names.index(target)]
    both = {
        name: np.ascontiguousarray(np.repeat(values, 2, axis=1))
        for name, values in trails._asdict().items()
        if name != "longest"
    }
    air = air._replace(
        leaves=np.repeat(air.leaves, 2, axis=1), scent=np.repeat(air.scent, 2, axis=1)
    )
    bodies: Bodies = _of(two, bodies_of([run.setup]))
    return _AtNose(
        _of(two, poses_at(run, tick)), bodies, air, trails._replace(**both), level_at(run, tick)
    )


def smelt_at(run: Record, agent: str, target: str, tick: int) -> dict[str, Any] | None:
    """What a nose smelt of a trail at a tick, as columns of `contacts`; None if unknown.

    Or would smell, if it notices no such team. Tables of many characters leave out what only
    repeats.
    """
    at = _at_nose(run, agent, target, tick)
    if at is None:
        return None
    zones = [zone.name for zone, _ in run.level.data.zones]
    every, a = contact_numbers([run.setup], zones), run.agents.index(agent)
    j = run.names.index(target)
    numbers = every.of_agent(a).of_targets([j, j])
    numbers = numbers._replace(smell_cares=np.ones_like(numbers.smell_cares))
    contacts = Contacts.blank((1, 1, 2))
    grid = at.level.scent_grid
    awake = np.array([[awake_at(run, agent, "smell", tick)]])
    smell(
        float(run.times[tick]), np.ones((1, 1, 2), dtype=np.bool_), at.poses, at.bodies, at.air,
        at.trails, numbers, awake, grid, scratch_for(grid), contacts,
    )  # fmt: skip
    pair, wall = (0, 0, 1), int(contacts.scent_wall[0, 0, 1])
    limit, away = float(contacts.limit[pair]), float(contacts.away[pair])
    return {
        "distance": away, "distance_limit": limit, "distance_margin": limit - away,
        "strength": float(contacts.strength[pair]), "age": float(contacts.scent_age[pair]),
        "x": float(contacts.scent_x[pair]), "y": float(contacts.scent_y[pair]),
        "z": float(contacts.scent_z[pair]),
        "wall": "" if wall == NO_WALL else at.level.wall_names[wall],
    }  # fmt: skip


def scent_at(run: Record, agent: str, target: str, tick: int) -> Scent | None:
    """A trail at a nose at a tick; None if it is not known, or there is none."""
    at = _at_nose(run, agent, target, tick)
    if at is None or at.trails.size[0, 1] == 0:
        return None
    asked, grid = np.zeros((int(at.trails.size[0, 1]), 3)), at.level.scent_grid
    sniff((0, 1), at.poses, at.bodies, at.air, at.trails, grid, scratch_for(grid), asked)
    places = at.trails.of(0, 1)
    away, wind, through = asked.T
    strength, age = places["strength"], run.times[tick] - places["t"]
    halvings = age * at.air.fades[0] * (1.0 + at.air.thins[0] * places["wind"])
    return Scent(age, strength, halvings, wind, through, away)
