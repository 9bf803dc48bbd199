"""A game that is played elsewhere, computed again as its record grows."""

from __future__ import annotations

import math
import os
from collections import deque
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from snelk.config.played import Line, line_of
from snelk.config.scenario import MOST_TICKS, Scenario
from snelk.config.words import GAITS, POSTURES
from snelk.errors import InputError, ReadError
from snelk.runs.events import Event
from snelk.runs.keeping import SCENARIO, TICKS
from snelk.runs.live import Live
from snelk.runs.run import Run
from snelk.runs.tables import event_table

WHOLE = ("states", "effects", "turns", "searches")
"""Tables, beside the events, that are kept of the whole game: they have a row only when something
changes, and what was long ago still counts."""


class Following(Live):
    """A game that is computed after its record.

    Args:
        scenario: That of the record.
        names: Whom the record places: those of its first tick.
        remembers: How many seconds of all tables it keeps.
    """

    def __init__(self, scenario: Scenario, names: Sequence[str], *, remembers: float) -> None:
        dt = scenario.setup.clock.dt
        super().__init__(scenario, pushed=names, duration=dt * MOST_TICKS, remembers=remembers)
        self._parts: dict[str, list[pa.Table]] = {name: [] for name in WHOLE}
        self._happened: list[Event] = []  # since the last stretch
        self._parts["events"] = [event_table([])]
        self._told = -math.inf

    def take(self, line: Line) -> None:
        """Compute the next tick, with what the game put in at it.

        Raises:
            InputError: It is not the next tick of this game.
        """
        simulation = self._simulation
        if simulation.done or abs(simulation.times[simulation.tick] - line.t) > 1e-9:
            rule = f"is not the next tick; the previous one is at {self.t:g} s"
            raise InputError.of("record", "", f"t = {line.t:g}", rule)
        given = simulation.given
        for name, (x, y, z, heading, posture, gait, present) in line.poses.items():
            j = self.names.index(name)
            given.x[0, 0, j], given.y[0, 0, j], given.z[0, 0, j] = x, y, z
            given.heading[0, 0, j] = heading
            given.posture[0, 0, j] = POSTURES.index(posture)
            given.gait[0, 0, j] = -1 if gait is None else GAITS.index(gait)
            given.present[0, 0, j] = present
        for noise in line.noises:
            self.noise(
                noise.kind, x=noise.x, y=noise.y, z=noise.z, reach=noise.reach, by=noise.by
            )  # fmt: skip
        for effect in line.effects:
            self._do(effect)
        self._happened += self.step()

    @property
    def untold(self) -> float:
        """How many seconds have been computed that `stretch` has not given yet."""
        start = self.setup.clock.start - self.dt
        return 0.0 if math.isnan(self.t) else self.t - max(self._told, start)

    def stretch(self, before: float) -> tuple[Run, float]:
        """The new part since the last call, as a run; and the time after which it is new, s.

        The run begins `before` seconds earlier. Its events, alert states, effects, searches, doors
        and lights are those of the whole game.
        """
        after, count = self._told, math.ceil((self.untold + before) / self.dt)
        found = self._recent.run(self._simulation, max(count, 1))
        for name in WHOLE:
            rows = found.arrow(name)
            self._parts[name].append(rows.filter(rows["t"].to_numpy() > after + 1e-9))
        self._parts["events"].append(event_table(self._happened))
        self._happened = []
        self._told = self.t
        tables = {name: found.arrow(name) for name in found.info["rows"]}
        whole = {name: pa.concat_tables(parts) for name, parts in self._parts.items()}
        self._parts = {name: [table.combine_chunks()] for name, table in whole.items()}
        return Run(found.info, self._simulation.level, tables=tables | whole), after


class GrowingRecord:
    """The lines of a record, as they are written.

    Args:
        folder: Of the record.
    """

    def __init__(self, folder: Path) -> None:
        self.folder, self._path = folder, folder / TICKS
        self._rest, self._count = b"", 0
        self._whole: deque[bytes] = deque()
        self._file: BinaryIO | None = None

    @property
    def scenario(self) -> Path:
        """The scenario that is played."""
        return self.folder / SCENARIO

    def lines(self, most: int) -> Iterator[Line]:
        """The complete new lines, up to a number of bytes.

        Lines that are not taken come again the next time.

        Raises:
            ChangedRecordError: The game restored a saved game: start again.
            InputError: A line is broken, or it cannot be read.
        """
        try:
            # It stays open, so that no other file gets its number.
            self._file = self._file or self._path.open("rb")
            if self._path.stat().st_ino != os.fstat(self._file.fileno()).st_ino:
                raise ChangedRecordError
            content = b"" if self._whole else self._file.read(most)
        except FileNotFoundError:
            return
        except OSError as error:
            rule = f"cannot be read: {error.strerror}"
            raise ReadError.of(str(self._path), "", "", rule) from None
        *whole, self._rest = (self._rest + content).split(b"\n")
        self._whole.extend(whole)
        while self._whole:
            row = self._whole.popleft()
            self._count += 1
            if self._count > 1:
                yield line_of(row.decode(errors="replace"), str(self._path), self._count)

    def close(self) -> None:
        """Nothing more is read."""
        if self._file is not None:
            self._file.close()


class ChangedRecordError(Exception):
    """A record has changed: its game restored a saved game."""
