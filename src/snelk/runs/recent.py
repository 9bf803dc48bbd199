"""The last seconds of a live game as a run, to ask it why."""

from __future__ import annotations

from collections import deque
from typing import Any

import numpy as np

from snelk.config.models import Door
from snelk.engine.simulation import Simulation
from snelk.runs.measures import Measurer
from snelk.runs.recorder import RECORDED_SENSES, Kept, Recorder
from snelk.runs.run import Run, info_of
from snelk.runs.ticks import Tick, tick_of
from snelk.runs.turning import AT_FIRST
from snelk.senses.hearing import Heard, Noises

PIECES = ("sight", "poses", "meters", "contacts", "beliefs", "signals")
"""The arrays of a tick that lie in one piece of memory each."""


class Recent:
    """Some ticks of a simulation of one variant, the last ones.

    Args:
        ticks: How many; none if 0.
    """

    def __init__(self, ticks: int) -> None:
        self._ticks: deque[Tick] = deque(maxlen=ticks)
        self._layouts: dict[str, _Layout] = {}

    def keep(self, simulation: Simulation, t: float) -> None:
        """Keep the simulation's last tick, in place of the oldest."""
        if not self._ticks.maxlen:
            return
        tick = tick_of(simulation, t)
        if not self._layouts:
            self._layouts = {name: _Layout(getattr(tick, name)) for name in PIECES}
        pieces = {name: getattr(tick, name)[0].base.copy() for name in PIECES}
        awake = {sense: tick.awake[sense].copy() for sense in RECORDED_SENSES}
        self._ticks.append(tick._replace(**pieces, light=tick.light.copy(), awake=awake))

    def _whole(self, tick: Tick) -> Tick:
        """A tick that was kept, with its arrays."""
        layouts = self._layouts.items()
        return tick._replace(**{name: layout.over(getattr(tick, name)) for name, layout in layouts})

    def run(self, simulation: Simulation, last: int | None = None) -> Run:
        """These ticks as a run, or the last ones; at least one."""
        some = list(self._ticks) if last is None else list(self._ticks)[-last:]
        # At the first of them everybody counts as looking, so that what it saw last is told.
        piece: Any = some[0].sight
        some[0] = some[0]._replace(sight=piece.copy())
        ticks, kept = [self._whole(tick) for tick in some], Kept()
        first = ticks[0]
        first.sight.looked[...] = True
        recorder = Recorder(simulation, [kept], first=first)
        made = [tick.noises for tick in ticks if tick.noises is not None]
        noises: Noises = _joined(made or [Noises.blank(0)])
        _, once = np.unique(noises.noise, return_index=True)
        noises = noises.of(once)
        for n, tick in enumerate(ticks):
            heard = tick.heard and _of_these(tick.heard, noises)
            recorder.keep_tick(tick._replace(noises=None if n else noises, heard=heard))
        recorder.finish()
        measurer = Measurer(simulation, follows=False)
        kept.add("measures", measurer.measured().table(0))
        tables = kept.tables()
        rows = {name: table.num_rows for name, table in tables.items()}
        info = info_of(simulation, 0, {}, rows)
        info["ticks"], info["setup"]["clock"]["start"] = len(ticks), first.t
        info["first_tick"] = recorder.first_tick
        for row in tables["turns"].to_pylist():  # how doors and lights were then is as at first
            if row["cause"] == AT_FIRST and row["kind"] == "door":
                door = info["setup"]["doors"].setdefault(row["of"], Door().model_dump(mode="json"))
                door["open"] = row["to"] == "open"
            elif row["cause"] == AT_FIRST:
                info["setup"]["lights"][row["of"]]["lit"] = row["to"] == "lit"
        return Run(info, simulation.level, tables=tables)


def _joined(parts: list[Any]) -> Any:
    return type(parts[0])(*map(np.concatenate, zip(*parts, strict=True)))


def _of_these(heard: Heard, noises: Noises) -> Heard:
    """The results of some noises, numbered in their order."""
    known = np.isin(heard.noise, noises.noise)
    parts: Any = (values[known] for values in heard)
    some: Any = Heard(*parts)
    return some._replace(noise=np.searchsorted(noises.noise, some.noise))  # type: ignore[no-any-return]


class _Layout:
    """The layout of arrays in one piece of memory, see `in_one`, to copy only that."""

    def __init__(self, values: Any) -> None:
        self._make, start = values._make, values[0].base.ctypes.data
        self._arrays = [(a.shape, a.dtype, a.ctypes.data - start, a.strides) for a in values]

    def over(self, piece: Any) -> Any:
        """The arrays over a copy of the piece."""
        return self._make(
            np.ndarray(shape, dtype, piece, offset, strides)
            for shape, dtype, offset, strides in self._arrays
        )
