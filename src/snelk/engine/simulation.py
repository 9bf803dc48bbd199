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
from snelk.senses.sight import Poses, Sight, see, sight_numbers


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
        sight: What everybody saw at the last computed tick; overwritten by the next.

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
        self.tick = 0
        self._replay = replayed_poses(self.setups, scenario.tracks, self.times)
        self._scratch = scratch_for(self.level.grid)
        self.sight = Sight.blank(self.numbers)
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
        see(self.poses, self.numbers, self.level.grid, self._scratch, False, self.sight)
        self.tick += 1
        return float(self.times[self.tick - 1])

    def _poses_at(self, tick: int) -> Poses:
        return Poses(*(values[tick] for values in self._replay))
