"""The clock, the batch, and one tick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.scenario import Scenario
from snelk.engine.replay import replayed_poses, tick_times
from snelk.errors import InputError
from snelk.level.level import Level
from snelk.level.rays import scratch_for
from snelk.mind.meter import Meters, fill, meter_numbers
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.light import light_numbers, shine
from snelk.senses.sight import Sight, see, sight_numbers


class Simulation:
    """A batch of variants of one scenario, stepped tick by tick.

    All state has the leading axes (variant, agent, target); one ordinary run is a batch of one.

    Args:
        scenario: What to replay.
        variants: For each variant the numbers it changes, by key path; they may differ in
            anything but who is in the cast, who of them are agents, and the clock.

    Attributes:
        setups: The numbers of each variant.
        level: The level.
        names, agents: All characters, and those that sense, in the order of the cast.
        times: Times of all ticks, s.
        tick: The tick that `step` computes next.
        poses: Everybody's poses at the last computed tick.
        light: (variant, character) light on everybody at the last computed tick, 0 to 1.
        sight: What everybody's last look came to; overwritten by the next tick.
        meters: Everybody's meter for everybody; overwritten by the next tick.

    >>> import snelk
    >>> simulation = Simulation(snelk.load(snelk.croft() / "night.toml"))
    >>> simulation.step()
    0.0
    >>> simulation.sight.distance.shape == (1, len(simulation.agents), len(simulation.names))
    True
    """

    def __init__(
        self, scenario: Scenario, *, variants: Sequence[Mapping[str, Any]] = ({},)
    ) -> None:
        if not variants:
            raise InputError.of("variants", "", "[]", "must hold at least one variant")
        self.scenario = scenario
        self.setups = [scenario.changed(changes).setup for changes in variants]
        first = self.setups[0]
        for index, setup in enumerate(self.setups):
            for what in ("agents", "clock"):
                if getattr(setup, what) != getattr(first, what):
                    rule = f"variants of one batch must have the same {what}"
                    raise InputError.of("variants", f"[{index}]", "", rule, "run it apart")
            if list(setup.cast) != list(first.cast):
                rule = "variants of one batch must have the same cast"
                raise InputError.of("variants", f"[{index}]", "", rule, "run it apart")
        self.names = tuple(first.cast)
        self.agents = first.agents
        self.level = Level(scenario.level)
        self.times: NDArray[np.float64] = tick_times(first.clock, scenario.tracks)
        self.numbers = sight_numbers(self.setups)
        self.bodies = bodies_of(self.setups)
        self.lights = light_numbers(self.setups, self.level.zone_light)
        self.light = np.full((len(self.setups), len(self.names)), np.nan)
        self.tick = 0
        self._replay = replayed_poses(self.setups, scenario.tracks, self.times)
        self._scratch = scratch_for(self.level.grid)
        self.sight = Sight.blank(self.numbers)
        self.meter_numbers = meter_numbers(self.setups)
        self.meters = Meters.blank(self.numbers)
        every = [[s.profile_of(agent).look_every for agent in self.agents] for s in self.setups]
        ticks = np.rint(np.array(every, dtype=np.float64) / first.clock.dt).astype(np.int64)
        self._look_ticks = np.maximum(ticks, 1).reshape(len(self.setups), len(self.agents))
        self.poses = self._poses_at(0)

    @property
    def done(self) -> bool:
        """Whether all ticks have been computed."""
        return self.tick >= len(self.times)

    def step(self) -> float:
        """Compute one tick and return its time, s.

        Raises:
            StopIteration: All ticks have been computed.
        """
        if self.done:
            raise StopIteration(f"all {len(self.times)} ticks have been computed")
        self.poses = self._poses_at(self.tick)
        grid, scratch = self.level.grid, self._scratch
        shine(self.poses, self.bodies, self.lights, self.level.zones, grid, scratch, self.light)
        looks = self._looks()
        see(
            self.poses,
            self.bodies,
            self.light,
            self.numbers,
            grid,
            scratch,
            looks,
            False,
            self.sight,
        )
        fill(
            self.poses,
            self._speed(),
            self.numbers,
            self.sight,
            self.meter_numbers,
            self.setups[0].clock.dt,
            self.meters,
        )
        self.tick += 1
        return float(self.times[self.tick - 1])

    def _speed(self) -> NDArray[np.float64]:
        """(variant or 1, character) speed since the tick before, m/s; 0 at the first."""
        now, before = self.poses, self._poses_at(max(self.tick - 1, 0))
        moved = np.sqrt((now.x - before.x) ** 2 + (now.y - before.y) ** 2 + (now.z - before.z) ** 2)
        there = now.present & before.present
        speed: NDArray[np.float64] = np.where(there, moved / self.setups[0].clock.dt, 0.0)
        return speed

    def _looks(self) -> NDArray[np.bool_]:
        """(variant, agent): who looks at this tick. All do at the first, then staggered."""
        turn = np.arange(len(self.agents))
        looks: NDArray[np.bool_] = (self.tick - turn) % self._look_ticks == 0
        return looks | (self.tick == 0)

    def _poses_at(self, tick: int) -> Poses:
        return Poses(*(values[tick] for values in self._replay))
