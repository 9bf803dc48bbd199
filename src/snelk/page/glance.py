"""What a page shows of a run at first: all that moves, and none of the numbers of *why*."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.page.gathering import Gathered
from snelk.page.packing import Packer
from snelk.runs.dense import look_ticks
from snelk.senses.bodies import blocker_codes
from snelk.senses.sight import GATES

if TYPE_CHECKING:
    from snelk.runs.quick import Dense
    from snelk.runs.run import Run


class Glance(Gathered):
    """As `Gathered`, of a run whose largest tables are arrays; conditions are left out.

    Args:
        run, dense: What `quick_run` returned.
    """

    def __init__(self, run: Run, dense: Dense, packer: Packer, key: str) -> None:
        self._dense = dense
        super().__init__(run, packer, key)

    def _kept_of(self, agent: str) -> list[str]:
        return [name for name in self.run.names if name != agent]

    def _gather_looks(self) -> None:
        run, dense = self.run, self._dense
        self.facts["kept"] = {}
        there = self._by_character(run.poses.present) > 0.5
        for a, agent in enumerate(run.agents):
            kept = [run.names.index(name) for name in self.kept[agent]]
            self.facts["kept"][a] = kept
            cones = len(run.setup.profile_of(agent).cones)
            if not cones:
                continue
            ticks = look_ticks(run, agent)
            self._add(f"{a}.look", ticks, "look")
            self._add(f"{a}.awake", dense.awake[ticks, a], "look", parts=100_000_000)

            def pairs(values: Any, ticks: Any = ticks, a: int = a, kept: Any = kept) -> Any:
                return np.moveaxis(values[ticks, a][:, kept], 0, -1)

            results = pairs(dense.failed)[:, :cones].copy()
            self_there = there[run.names.index(agent), ticks]
            for n, c in enumerate(kept):  # of whom it never notices nothing is worked out
                if not run.setup.profile_of(agent).ever_notices(run.setup.cast[run.names[c]].team):
                    both = self_there & there[c, ticks]
                    results[n] = np.where(both, GATES.index("cares"), GATES.index("present"))
            self._add(f"{a}.result", results, "look")
            walls = blocker_codes(pairs(dense.wall), len(run.level.wall_names))
            self._add(f"{a}.wall", walls, "look")
            self._add(f"{a}.wall_place", pairs(dense.wall_place), "look", parts=100)

    def _chosen(self, has: str) -> tuple[list[tuple[int, int]], Any]:
        """Pairs of which an agent has something, and a way to lay out arrays of them."""
        run, found = self.run, list[tuple[int, int]]()
        for a, agent in enumerate(run.agents):
            profile = run.setup.profile_of(agent)
            if getattr(profile, has) is None:
                continue
            for name in self.kept[agent]:
                if profile.ever_notices(run.setup.cast[name].team):
                    found.append((a, run.names.index(name)))
        who, whom = ([pair[n] for pair in found] for n in (0, 1))
        return found, lambda values: values[:, who, whom].T

    def _gather_meters(self) -> None:
        self.facts["meters"], laid = self._chosen("meter")
        if self.facts["meters"]:
            self._add("meter.value", laid(self._dense.meter), parts=1000, shown=100)

    def _gather_beliefs(self) -> None:
        self.facts["beliefs"], laid = self._chosen("memory")
        if not self.facts["beliefs"]:
            return
        dense = self._dense
        self._add("belief.source", laid(dense.source))
        self._add("belief.x", laid(dense.believed_x), parts=100)
        self._add("belief.y", laid(dense.believed_y), parts=100)
        self._add("belief.uncertainty", laid(dense.uncertainty), parts=10)

    def _gather_contacts(self) -> None:
        for sense, has in (("touch", "touch"), ("zone", "zone_sense")):
            self.facts[sense], laid = self._chosen(has)
            if self.facts[sense]:
                self._add(f"{sense}.result", laid(getattr(self._dense, sense)))

    def _conditions(self, agent: str, _entered: list[dict[str, Any]]) -> list[dict[str, Any]]:
        rows = self.run.rows("signals").where(agent=agent)
        self._gather_state(agent, self.run.agents.index(agent), rows)
        return []
