"""A run as arrays, for who wants to see it at once: without the tables that have most rows."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.engine.simulation import Simulation
from snelk.mind.memory import uncertainty
from snelk.runs.measures import Measurer
from snelk.runs.recorder import RECORDED_SENSES, Block, Kept, Recorder
from snelk.runs.run import Run, info_of
from snelk.runs.tables import pose_table


class Dense(NamedTuple):
    """What every tick came to of every pair, in arrays of (tick, agent, target, ...)."""

    awake: NDArray[np.float64]  # (tick, agent): of sight
    failed: NDArray[np.int8]  # (tick, agent, target, cone): first failed gate, or IN_VIEW
    wall: NDArray[np.int32]
    wall_place: NDArray[np.float64]  # (tick, agent, target, 3), m
    meter: NDArray[np.float64]
    source: NDArray[np.int8]  # of a belief, or NO_BELIEF
    believed_x: NDArray[np.float64]  # m
    believed_y: NDArray[np.float64]
    uncertainty: NDArray[np.float64]  # m
    touch: NDArray[np.int8]  # first failed gate, or SENSED
    zone: NDArray[np.int8]


class _Keeper(Recorder):
    """A recorder that keeps arrays in place of the tables that have most rows."""

    def __init__(self, simulation: Simulation, into: Kept) -> None:
        super().__init__(simulation, [into])
        self.parts: list[Dense] = []

    def _add_dense(self, v: int, block: Block) -> None:
        times, sight, poses, meters, contacts, beliefs = block
        every: Any = block[1:]
        none = (each._make(values[:0] for values in each) for each in every)
        super()._add_dense(v, Block(times[:0], *none))  # their columns, without rows
        light = self._light[: len(times), v]
        self._into[v].add("poses", pose_table(self.simulation.names, v, times, poses, light))
        doubt = uncertainty(self.simulation.memory_numbers, beliefs)
        awake = self._awake[RECORDED_SENSES[0]][: len(times), v].copy()
        values: Any = (
            sight.failed, sight.wall, sight.wall_place, meters.value, beliefs.source,
            beliefs.x, beliefs.y, doubt, contacts.touch, contacts.zone,
        )  # fmt: skip
        self.parts.append(Dense(awake, *(each[:, v].copy() for each in values)))


def quick_run(simulation: Simulation) -> tuple[Run, Dense]:
    """Step a simulation of one variant to its end.

    Returns:
        The run, whose tables `sight`, `meters`, `contacts`, `beliefs` and `measures` are empty;
        and what would be in the first four.
    """
    kept = Kept()
    keeper = _Keeper(simulation, kept)
    none = Measurer(simulation).measured().table(0)[:0]
    while not simulation.done:
        keeper.keep(simulation.step())
    keeper.finish()
    kept.add("measures", none)
    tables = kept.tables()
    rows = {name: table.num_rows for name, table in tables.items()}
    run = Run(info_of(simulation, 0, {}, rows), simulation.level, tables=tables)
    parts: Any = zip(*keeper.parts, strict=True)
    return run, Dense(*map(np.concatenate, parts))
