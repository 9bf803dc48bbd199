"""A record of a run: the tables of one replay, in memory or in a folder."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.measures import find_measure
from snelk.config.models import Setup
from snelk.engine.clock import times_of
from snelk.errors import InputError, one_of
from snelk.runs.events import NUMBERS
from snelk.runs.rows import Rows
from snelk.runs.store import (
    LEVEL,
    TABLES,
    open_table,
    read_table,
)

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa
    import pyarrow.parquet as pq

    from snelk.level.level import Level

LARGE = 1 << 32
"""More than there are names, so that two numbers make one."""


class Record:
    """One replay of a scenario: its inputs and its tables.

    Attributes:
        info: What `run.json` holds: scenario, numbers, overrides, seed, versions, counts.
        folder: Where the run lies, or None if it was never written.
        setup: All numbers of the run.
    """

    def __init__(
        self,
        info: Mapping[str, Any],
        level: Level | Mapping[str, Any],
        *,
        tables: Mapping[str, pa.Table] | None = None,
        folder: Path | None = None,
        digests: Mapping[str, str] | None = None,
        files: Mapping[str, pq.ParquetFile] | None = None,
    ) -> None:
        self.info = info
        self._level = level
        self.folder = folder
        self.setup = Setup.model_validate_json(json.dumps(info["setup"]))
        self._times: NDArray[np.float64] | None = None
        self._digests = dict(digests or {})
        self._tables: dict[str, pa.Table] = dict(tables or {})
        self._files: dict[str, pq.ParquetFile] = dict(files or {})
        self._frames: dict[str, pd.DataFrame] = {}
        self._rows: dict[str, Rows] = {}
        self._groups: dict[str, tuple[NDArray[np.int64], NDArray[np.intp]]] = {}

    def __getstate__(self) -> dict[str, Any]:
        """The data another process needs: open files become tables, the rest is made there."""
        tables = {**{name: self.arrow(name) for name in self._files}, **self._tables}
        made: dict[str, Any] = {"_files": {}, "_rows": {}, "_groups": {}}
        level = self.level.data.to_geojson()
        return {**self.__dict__, "_level": level, "_tables": tables, **made}

    def __repr__(self) -> str:
        times = self.times
        where = self.folder if self.folder is not None else "in memory"
        return f"<Run of {self.info['scenario']}: {times[0]:g} to {times[-1]:g} s, {where}>"

    @property
    def level(self) -> Level:
        """Its level."""
        if isinstance(self._level, Mapping):  # as it was read: a story does without it
            from snelk.config.geojson import level_from
            from snelk.level.level import Level

            source = str((self.folder or Path()) / LEVEL)
            self._level = Level(level_from(self._level, source=source))
        return self._level

    @property
    def names(self) -> tuple[str, ...]:
        """All characters, in the order of the cast."""
        return tuple(self.setup.cast)

    @property
    def agents(self) -> tuple[str, ...]:
        """The characters that sense, in the order of the cast."""
        return self.setup.agents

    @property
    def times(self) -> NDArray[np.float64]:
        """Times of all ticks, s; they cannot be written to."""
        if self._times is None:
            self._times = times_of(self.setup.clock, self.info["ticks"])
            self._times.flags.writeable = False
        return self._times

    @property
    def events(self) -> pd.DataFrame:
        """What happened, in order of time."""
        return self.table("events")

    @property
    def measures(self) -> pd.DataFrame:
        """A row per measure: of the run, of an agent, or of an agent and a target."""
        return self.table("measures")

    def measure(self, key: str) -> float:
        """One measure, such as `farmer.fox.first_full`; NaN if there is none in this run.

        >>> import snelk
        >>> snelk.run(snelk.croft() / "night.toml").measure("dog.fox.times_seen")
        Traceback (most recent call last):
        snelk.errors.UnknownNameError: measure: no such measure (given: "dog.fox.times_seen"); \
did you mean "dog.fox.first_seen"?
        """
        find_measure(self.setup, key, source="measure")
        rows = self.measures
        return float(rows.value[rows.key == key].iloc[0])

    @property
    def sight(self) -> pd.DataFrame:
        """A row per agent, target, cone and tick: each gate's value, limit and margin."""
        return self.table("sight")

    @property
    def meters(self) -> pd.DataFrame:
        """A row per tick, agent with a meter and target it notices: value, rate and factors."""
        return self.table("meters")

    @property
    def beliefs(self) -> pd.DataFrame:
        """A row per tick, agent with a memory and target: its believed position and the error."""
        return self.table("beliefs")

    @property
    def signals(self) -> pd.DataFrame:
        """A row per tick and agent with a ladder: all that conditions could ask for."""
        return self.table("signals")

    @property
    def searches(self) -> pd.DataFrame:
        """What searches planned and visited, and how they ended."""
        return self.table("searches")

    @property
    def likelihood(self) -> pd.DataFrame:
        """Where searches took their targets to be, once a second."""
        return self.table("likelihood")

    @property
    def throws(self) -> pd.DataFrame:
        """The things that were thrown: their arcs, or why there was none."""
        return self.table("throws")

    @property
    def states(self) -> pd.DataFrame:
        """Each agent's first alert state, and a row per transition, with its reason."""
        return self.table("states")

    @property
    def poses(self) -> pd.DataFrame:
        """A row per character and tick."""
        return self.table("poses")

    @property
    def hearing(self) -> pd.DataFrame:
        """A row per noise and agent with ears: both paths with their limits, and the result."""
        return self.table("hearing")

    @property
    def contacts(self) -> pd.DataFrame:
        """A row per tick, agent with touch, a zone sense or a nose, and target."""
        return self.table("contacts")

    @property
    def noises(self) -> pd.DataFrame:
        """The noises of the run, footsteps among them, in the order in which they were made."""
        return self.table("noises")

    def table(self, name: str) -> pd.DataFrame:
        """One table of the run as a DataFrame; see docs/tables.md for the columns."""
        one_of(name, TABLES, source="run", place="table", what="table")
        if name not in self._frames:
            frame = self.arrow(name).to_pandas()
            if name == "events":
                words = [name for name in frame if name not in NUMBERS]
                frame[words] = frame[words].fillna("")
            self._frames[name] = frame
        return self._frames[name]

    def pairs(self, name: str, agent: str, target: str) -> pd.DataFrame:
        """The rows of a table about one agent and target, in the order of time."""
        frame: pd.DataFrame = self.arrow(name).take(self._of_pair(name, agent, target)).to_pandas()
        return frame

    def rows(self, name: str) -> Rows:
        """One table of the run as NumPy columns, without pandas.

        >>> import snelk
        >>> states = snelk.run(snelk.croft() / "night.toml").rows("states").where(agent="dog")
        >>> states["state"].tolist()[:3], states.row(-1).t
        (['asleep', 'pricked-up', 'chasing'], 76.4)
        """
        if name not in self._rows:
            one_of(name, TABLES, source="run", place="table", what="table")
            table = self._tables[name] if name in self._tables else self._file(name)
            self._rows[name] = Rows.of(table)
        return self._rows[name]

    def parts(self, name: str) -> Iterator[Rows]:
        """The rows of a table piece by piece, so that a long run need not fit into memory."""
        if name in self._tables:
            yield self.rows(name)
            return
        file = self._file(name)
        for group in range(file.num_row_groups):
            yield Rows.of(file, group=group)

    def rows_of(self, name: str, agent: str, target: str) -> Rows:
        """What `rows` gives, of one agent and target."""
        return self.rows(name).take(self._of_pair(name, agent, target))

    def _of_pair(self, name: str, agent: str, target: str) -> NDArray[np.intp]:
        """The numbers of the rows of a table about one agent and target."""
        agents, targets = (self.rows(name).words(who) for who in ("agent", "target"))
        if name not in self._groups:
            key = agents.codes.astype(np.int64) * LARGE + targets.codes
            order = np.argsort(key, kind="stable")
            self._groups[name] = key[order], order
        keys, order = self._groups[name]
        if agent not in agents.known or target not in targets.known:
            return order[:0]
        wanted = agents.known.index(agent) * LARGE + targets.known.index(target)
        low, high = np.searchsorted(keys, [wanted, wanted + 1])
        return order[low:high]

    @property
    def first_tick(self) -> int:
        """The number of its first tick in its game; 0 but for the last seconds of a live one."""
        return int(self.info.get("first_tick", 0))

    def ticks_of(self, times: NDArray[np.float64]) -> NDArray[np.intp]:
        """The numbers of ticks, by their times, s."""
        clock = self.setup.clock
        found: NDArray[np.intp] = np.rint((times - clock.start) / clock.dt).astype(np.intp)
        return found

    def arrow(self, name: str) -> pa.Table:
        """One table of the run as an Arrow table."""
        one_of(name, TABLES, source="run", place="table", what="table")
        if name not in self._tables:
            self._tables[name] = read_table(self._file(name))
        return self._tables[name]

    def _file(self, name: str) -> pq.ParquetFile:
        """One table of the run as it was written."""
        if name not in self._files:
            if self.folder is None:
                raise InputError.of("run", name, "", "has no such table in memory")
            self._files[name] = open_table(self.folder, name, self._digests)
        return self._files[name]

    def tick_at(self, t: float) -> int:
        """The last tick at or before a time, s.

        Raises:
            InputError: The time lies outside the run.
        """
        times = self.times
        if not times[0] - 1e-6 <= t <= times[-1] + self.setup.clock.dt:
            rule = f"must lie within the run, {times[0]:g} to {times[-1]:g} s"
            raise InputError.of("time", "", f"{t:g} s", rule)
        return max(int(np.searchsorted(times, t + 1e-6, side="right")) - 1, 0)

    def pair(self, agent: str, target: str) -> None:
        """Raise `InputError` unless `agent` senses in this run and `target` is somebody else."""
        one_of(agent, self.names, source="agent", place="", what="character")
        if agent not in self.agents:
            fix = f"agents: {', '.join(self.agents) or 'none'}"
            raise InputError.of(
                "agent", "", f'"{agent}"', "has no profile, so it has no senses", fix
            )
        one_of(target, self.names, source="target", place="", what="character")
        if agent == target:
            raise InputError.of("target", "", f'"{target}"', "nobody senses themselves")


ANY_FLOOR = -2
"""Instead of the number of a floor: of a run of before its table had heights."""


def floors_of(run: Record, rows: Rows, axes: Sequence[str] = "xyz") -> NDArray[np.int32]:
    """The floor, by number, that the place of each row of a table is on; -1 for none."""
    if axes[2] not in rows:
        return np.full(len(rows), ANY_FLOOR, dtype=np.int32)
    return run.level.floors_at(np.nan_to_num(np.column_stack([rows[axis] for axis in axes])))
