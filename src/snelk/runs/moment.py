"""One look of a run, rebuilt to try other numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import POSTURES
from snelk.level.grid import scratch_for
from snelk.level.level import Level
from snelk.runs.dense import looks_at, looks_while_there
from snelk.runs.standing import awake_at, cones_at
from snelk.runs.turning import level_at
from snelk.senses.bodies import Bodies, Poses, bodies_of
from snelk.senses.light import light_numbers
from snelk.senses.seeing import see
from snelk.senses.shining import shine
from snelk.senses.sight import (
    EVERY_GATE,
    IN_VIEW,
    LIMITS,
    Sight,
    SightLimits,
    SightNumbers,
    limits_of,
    sight_limits,
    sight_numbers,
)
from snelk.senses.surrounding import surround
from snelk.senses.surroundings import Surroundings, around_of

if TYPE_CHECKING:
    from snelk.runs.record import Record


@dataclass(frozen=True)
class Moment:
    """One look of an agent, ready to be asked what would be if.

    Attributes:
        run: The run it is of.
        tick: The tick of the look.
        a, j: Index of the agent among the agents, and of the target among all.
        poses, bodies, numbers, limits: As the stage of sight takes them, for one variant.
        held: (cone,) whether the target was in view at the look before.
    """

    run: Record
    tick: int
    a: int
    j: int
    poses: Poses
    bodies: Bodies
    numbers: SightNumbers
    limits: SightLimits
    held: NDArray[np.bool_]

    @property
    def i(self) -> int:
        """Index of the agent among all characters."""
        return int(self.numbers.characters[self.a])

    def look(self, level: Level) -> Sight:
        """Ask every gate at this moment, in the level as it was then or in another."""
        sight = Sight.blank(self.numbers)
        sight.failed[0, self.a, self.j, self.held] = IN_VIEW
        looks = np.zeros(sight.looked.shape, dtype=np.bool_)
        looks[0, self.a] = True
        light = np.full((1, len(self.run.names)), np.nan)
        lights = light_numbers([self.run.setup], self.run.level.lit)
        around = around_of([self.run.setup], level, level.zone_light[None].copy())
        here = Surroundings.blank(self.poses, around)
        grid, scratch = level.grid, scratch_for(level.grid)
        everybody = np.arange(self.poses.x.shape[1], dtype=np.int32)
        surround(self.poses, self.poses, 1.0, level.zones, around, everybody, here)
        shine(self.poses, self.bodies, lights, here.light, everybody, grid, scratch, light)
        see(
            self.poses, self.bodies, light, self.numbers, self.limits, grid, scratch, looks,
            EVERY_GATE, sight,
        )  # fmt: skip
        return sight


def every_look(run: Record, agent: str, ticks: NDArray[np.intp]) -> Sight:
    """An agent's looks at ticks of a run, every gate tried.

    The variant axis is that of ticks, and the one agent is number 0.

    What was in view at the previous look, and so which gate failed first, is not known here; the
    table `sight` has it.
    """
    count, variants = len(run.names), len(ticks)
    poses = run.rows("poses")

    def column(name: str) -> NDArray[np.float64]:
        whole: NDArray[np.float64] = np.nan_to_num(poses[name])
        return whole.reshape(-1, count)[ticks]

    posture = poses.words("posture").codes_in(POSTURES)
    there = Poses(
        column("x"),
        column("y"),
        column("z"),
        np.radians(column("heading_deg")),
        posture.reshape(-1, count)[ticks].astype(np.int8),
        np.full((variants, count), -1, dtype=np.int8),
        poses["present"].reshape(-1, count)[ticks],
    )
    one, a = sight_numbers([run.setup]), run.agents.index(agent)

    def of_one(values: NDArray[Any]) -> Any:
        return np.repeat(values[:, a : a + 1], variants, axis=0)

    numbers = SightNumbers(one.characters[a : a + 1], *map(of_one, one[1:]))
    limits = SightLimits(*map(of_one, sight_limits([run.setup])))
    one_body: Any = bodies_of([run.setup])
    bodies = Bodies(*(np.repeat(values, variants, axis=0) for values in one_body))
    sight = Sight.blank(numbers)
    looks = np.zeros(sight.looked.shape, dtype=np.bool_)
    looks[...] = True
    levels = [level_at(run, int(tick)) for tick in ticks]
    for level in dict.fromkeys(levels):
        these = np.array([each is level for each in levels])
        asked, grid = looks & these[:, None], level.grid
        see(
            there, bodies, column("light"), numbers, limits, grid, scratch_for(grid), asked,
            EVERY_GATE, sight,
        )  # fmt: skip
    return sight


def moment_of(run: Record, agent: str, target: str, at: float) -> Moment:
    """The agent's last look at or before a time, and what was in view at the look before.

    If either has become absent since, it is the tick at which that was.
    """
    tick = run.tick_at(at)
    numbers, limits = sight_numbers([run.setup]), sight_limits([run.setup])
    cones = int(numbers.cones[0, run.agents.index(agent)])
    held = np.zeros(numbers.cares.shape[3], dtype=np.bool_)
    if cones:
        ticks = looks_while_there(run, agent, target).ticks
        tick = int(ticks[max(int(np.searchsorted(ticks, tick, side="right")) - 1, 0)])
        looks = looks_at(run, agent, target)
        before = int(np.searchsorted(looks.ticks, tick)) - 1
        if before >= 0:
            held[:cones] = looks.failed[before] == IN_VIEW
    a, j = run.agents.index(agent), run.names.index(target)
    limits.awake[0, a] = awake_at(run, agent, "sight", tick)
    for k, cone in enumerate(cones_at(run, agent, tick).values()):
        for name, limit in zip(LIMITS, limits_of(cone), strict=True):
            getattr(limits, name)[0, a, k] = limit
    poses, bodies = poses_at(run, tick), bodies_of([run.setup])
    return Moment(run, tick, a, j, poses, bodies, numbers, limits, held)


def poses_at(run: Record, tick: int) -> Poses:
    """Everybody's poses at a tick, as the stages take them."""
    count = len(run.names)
    rows = run.rows("poses").take(slice(tick * count, (tick + 1) * count))

    def column(name: str) -> NDArray[np.float64]:
        values: NDArray[np.float64] = np.nan_to_num(rows[name])
        return values[None]

    posture = rows.words("posture").codes_in(POSTURES).astype(np.int8)
    return Poses(
        column("x"),
        column("y"),
        column("z"),
        np.radians(column("heading_deg")),
        posture[None],
        np.full((1, count), -1, dtype=np.int8),
        rows["present"][None],
    )
