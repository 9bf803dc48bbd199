"""One tick of a run put together again, to ask what would be if."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import POSTURES
from snelk.level.level import Level
from snelk.level.rays import scratch_for
from snelk.senses.sight import IN_VIEW, Poses, Sight, SightNumbers, see, sight_numbers

if TYPE_CHECKING:
    from snelk.runs.run import Run


@dataclass(frozen=True)
class Moment:
    """One tick of a run, ready to be asked what would be if."""

    run: Run
    tick: int
    a: int
    j: int
    poses: Poses
    numbers: SightNumbers
    held: NDArray[np.bool_]  # (cone,): in view the tick before

    def look(self, level: Level, numbers: SightNumbers | None = None) -> Sight:
        """Ask every gate at this moment, with another level or other numbers if given."""
        numbers = numbers or self.numbers
        sight = Sight.blank(numbers)
        sight.failed[0, self.a, self.j, self.held] = IN_VIEW
        grid = level.grid
        see(self.poses, numbers, grid, scratch_for(grid), True, sight)
        return sight


def moment_of(run: Run, agent: str, target: str, at: float) -> Moment:
    """The last tick at or before a time, from the run's poses and the tick before it."""
    tick = run.tick_at(at)
    names = run.names
    rows = run.poses.iloc[tick * len(names) : (tick + 1) * len(names)]
    present = rows.present.to_numpy()

    def column(name: str) -> NDArray[np.float64]:
        values: NDArray[np.float64] = np.nan_to_num(rows[name].to_numpy(dtype=np.float64))
        return values[None]

    posture = rows.posture.cat.set_categories(list(POSTURES)).cat.codes.to_numpy().astype(np.int8)
    poses = Poses(
        column("x"),
        column("y"),
        column("z"),
        np.radians(column("heading_deg")),
        posture[None],
        present[None],
    )
    numbers = sight_numbers([run.setup])
    cones = int(numbers.cones[0, run.agents.index(agent)])
    held = np.zeros(numbers.range.shape[2], dtype=np.bool_)
    if tick > 0 and cones:
        sight = run.sight
        before = sight[(sight.agent == agent) & (sight.target == target)]
        held[:cones] = before.in_view.to_numpy()[(tick - 1) * cones : tick * cones]
    return Moment(run, tick, run.agents.index(agent), names.index(target), poses, numbers, held)
