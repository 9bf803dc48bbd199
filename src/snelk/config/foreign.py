"""Recordings with other columns, axes, units and angles, converted to Snelk's."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator

from snelk.config.fields import Model, with_unit
from snelk.config.models import BECOMES
from snelk.config.problems import checked
from snelk.config.reading import read_toml
from snelk.config.recordings import (
    ALSO_CALLED,
    CHANGE_COLUMNS,
    LOG_COLUMNS,
    NOISE_COLUMNS,
    THROW_COLUMNS,
    TRACK_COLUMNS,
    read_changes,
    read_noises,
    read_sensed,
    read_throws,
    read_tracks,
)
from snelk.config.tabular import FileRows, read_rows
from snelk.config.words import GAITS, POSTURES, PRESENT, SENSES, TRUTHS
from snelk.errors import InputError, Problem, nearest, one_line, one_of
from snelk.files import claim, written

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]

FACING = ("facing_x", "facing_y")
"""Instead of a heading: a direction, as its parts along x and y."""

WORDED = {"posture": POSTURES, "gait": GAITS, "present": PRESENT, "to": BECOMES}
WORDED |= {"sense": SENSES, "sensed": TRUTHS}
"""Columns that hold words, and which."""

NAMED = ("id", "kind", "by", "of", "agent", "target", "state")
"""Columns that hold names of the game, which may be others here."""

HAPPENINGS = {"noises": NOISE_COLUMNS, "throws": THROW_COLUMNS, "changes": CHANGE_COLUMNS}
HAPPENINGS |= {"log": LOG_COLUMNS}
"""What else a recording may hold than tracks, and its columns."""

READS: dict[str, Callable[[Path], object]] = {
    "noises": read_noises, "throws": read_throws, "changes": read_changes, "log": read_sensed,
}  # fmt: skip

TO_DEGREES = {"deg": 1.0, "rad": 180.0 / np.pi, "turns": 360.0}
AXES = {"+x": 0.0, "+y": 90.0, "-x": 180.0, "-y": -90.0}
"""Directions in Snelk's plan, degrees counter-clockwise from +x."""

STILL = 0.05
"""Slower than this a character is taken to stand, and keeps facing where it went, m/s."""

TABLES = (".csv", ".parquet")
"""What tracks can be written as."""

Place = tuple[float, float, float]

Factor = Annotated[float, with_unit("", gt=0, le=1e9)]


class Units(Model):
    """The units and angles of a game; the default is Snelk's own."""

    length: Factor = Field(default=1.0, description="Metres in one of its units of length.")
    time: Factor = Field(default=1.0, description="Seconds in one of its units of time.")
    angle: Literal["deg", "rad", "turns"] = Field(default="deg", description="Unit of headings.")
    turn: Literal["ccw", "cw"] = Field(
        default="ccw", description="How headings grow, seen from above."
    )
    zero: str | float = Field(
        default="+x",
        description="Where heading 0 points in Snelk's plan: +x, -x, +y, -y, or degrees "
        "counter-clockwise from +x.",
    )

    @field_validator("zero")
    @classmethod
    def _is_a_direction(cls, zero: str | float) -> str | float:
        if isinstance(zero, str) and zero not in AXES:
            raise ValueError("must be +x, -x, +y, -y or degrees")
        return zero

    @property
    def zero_deg(self) -> float:
        """Where heading 0 points, degrees counter-clockwise from +x."""
        return AXES[self.zero] if isinstance(self.zero, str) else float(self.zero)

    def heading_in(self, heading: Any) -> Any:
        """Headings of the game, a number or an array, in degrees counter-clockwise from +x."""
        turn = 1.0 if self.turn == "ccw" else -1.0
        return self.zero_deg + turn * (heading * TO_DEGREES[self.angle])

    def heading_out(self, heading_deg: float) -> float:
        """A heading, degrees counter-clockwise from +x, as the game has it: -180° to below 180°."""
        turn = 1.0 if self.turn == "ccw" else -1.0
        off = (turn * (heading_deg - self.zero_deg) + 180.0) % 360.0 - 180.0
        return off / TO_DEGREES[self.angle]


Axis = Literal["x", "y", "z", "-x", "-y", "-z"]


class GameAxes(Model):
    """Which axis of the game each axis of Snelk is: x and y of the plan, y left of x, and z up."""

    x: Axis = Field(default="x", description="The game's axis that is Snelk's x.")
    y: Axis = Field(default="y", description="The same of y.")
    z: Axis = Field(default="z", description="The same of z, which is up.")


class GameUnits(Units):
    """The units, angles and axes of the game; the default is Snelk's own."""

    axes: GameAxes = Field(default=GameAxes(), description="The axes.")


class GamePlaces:
    """From a game's places to Snelk's, and back.

    Args:
        units: The game's units, angles and axes.
        source: What names them, for messages.

    Raises:
        InputError: They do not name each of its axes once.

    >>> there = GamePlaces(GameUnits(length=0.01, axes=GameAxes(x="x", y="z", z="y")))
    >>> there.place_in((100.0, 20.0, 300.0)), there.place_out((1.0, 3.0, 0.5))
    ((1.0, 3.0, 0.2), (100.0, 50.0, 300.0))
    """

    def __init__(self, units: GameUnits, *, source: str = "units") -> None:
        self.units = units
        axes = (units.axes.x, units.axes.y, units.axes.z)
        if sorted(axis[-1] for axis in axes) != ["x", "y", "z"]:
            rule, fix = "must use each of the game's axes once", "such as x, z, y"
            raise InputError.of(source, "units.axes", ", ".join(axes), rule, fix)
        signs = [-1.0 if axis[0] == "-" else 1.0 for axis in axes]
        self._from = ["xyz".index(axis[-1]) for axis in axes]
        self._to = [self._from.index(n) for n in range(3)]
        self._times = [sign * units.length for sign in signs]
        self._over = [signs[n] / units.length for n in self._to]

    def place_in(self, place: Sequence[float]) -> Place:
        """A place of the game in m, on Snelk's axes."""
        (i, j, k), (x, y, z) = self._from, self._times
        return place[i] * x, place[j] * y, place[k] * z

    def place_out(self, place: Sequence[float]) -> Place:
        """A place in m on Snelk's axes as the game has it."""
        (i, j, k), (x, y, z) = self._to, self._over
        return place[i] * x, place[j] * y, place[k] * z


class Conventions(Units):
    """Units, axes and angles of a game's recording; whatever is left out is as in Snelk.

    `columns` says for each column of a track what it is called there; a leading minus turns an
    axis round: `y = "-pos.z"`.
    """

    columns: dict[str, str] = Field(default={}, description="Names of the columns in the file.")
    name: str = Field(
        default="", description="The character it belongs to, if the file has no ids."
    )
    from_zero: bool = Field(default=False, description="Whether the first time becomes 0 s.")
    begin: float = Field(
        default=0.0, description="Time in the file that becomes 0 s, in its own unit."
    )
    words: dict[str, dict[str, str]] = Field(
        default={},
        description="Meaning of words, by column. For posture, gait, present, to, "
        "sense and sensed: Snelk's word; for id, kind, by, of, agent, "
        "target and state: the name in the scenario.",
    )


@dataclass(frozen=True)
class Imported:
    """A recording in Snelk's columns, metres, seconds and degrees.

    Attributes:
        source: The file it came from.
        conventions: How that was read.
        tracks: Columns `t`, `id`, `x`, `y`, `heading`, and `z`, `posture`, `gait`, `present` as
            far as known; by id, then by time.
        heading_from: `column`, `facing` or `motion`.
        begin: The time of the game that became 0 s, in its own unit.
    """

    source: str
    conventions: Conventions
    tracks: pd.DataFrame
    heading_from: str
    begin: float = 0.0

    def write(self, path: str | Path) -> Path:
        """Write it as a track file, .csv or .parquet, and read that again to be sure.

        Raises:
            InputError: The format is unknown, the place cannot be written, or the result is no
                proper track; then nothing is left there.
        """
        return _write(self.tracks, path, read_tracks, self.source)


def _write(
    rows: pd.DataFrame, path: str | Path, read: Callable[[Path], object], source: str
) -> Path:
    """Write rows as a table, if they can be read again."""
    path = claim(path, *TABLES, source=source)
    with written(path) as draft:
        if path.suffix.lower() == ".csv":
            rows.to_csv(draft, index=False, float_format="%.9g")
        else:
            rows.to_parquet(draft, index=False)
        try:
            read(draft)
        except InputError as error:
            # Its lines are not those of the source: rows have been sorted.
            there = (Problem(source, "", p.given, p.rule, p.fix) for p in error.problems)
            raise InputError(there) from None
    return path


def read_conventions(path: str | Path) -> Conventions:
    """Read a TOML file of conventions.

    Raises:
        InputError: The file is missing or broken, or a key or value is wrong.
    """
    return conventions_from(read_toml(Path(path)), source=str(path))


def conventions_from(raw: Mapping[str, Any], *, source: str = "conventions") -> Conventions:
    """Check conventions given as plain data.

    >>> conventions_from({"columns": {"x": "pos_x", "y": "-pos_z"}, "length": 0.01}).length
    0.01
    """
    problems: list[Problem] = []
    found = checked(Conventions, raw, lambda p: (source, ".".join(map(str, p))), problems)
    every = (TRACK_COLUMNS, *HAPPENINGS.values())
    known = tuple(dict.fromkeys((*(name for each in every for name in each), *FACING)))
    for name in found.columns if found is not None else ():
        if name not in known:
            meant = ALSO_CALLED.get(name.lower())
            fix = f'did you mean "{meant}"?' if meant in known else nearest(name, known)
            problems.append(Problem(source, "columns", f'"{name}"', "no such column", fix))
    for name, said in found.words.items() if found is not None else ():
        if name in NAMED:
            continue
        if name not in WORDED:
            fix = nearest(name, (*WORDED, *NAMED))
            problems.append(Problem(source, "words", f'"{name}"', "has no words", fix))
            continue
        for word, meant in said.items():
            # Of truths capitals do not matter, as in a track.
            if (meant.lower() if name in ("present", "sensed") else meant) not in WORDED[name]:
                place, fix = f"words.{name}.{one_line(word)[:40]}", nearest(meant, WORDED[name])
                rule = f"is not a value of {name}"
                problems.append(Problem(source, place, f'"{meant[:40]}"', rule, fix))
    if problems or found is None:
        raise InputError(problems)
    return found


def import_tracks(
    path: str | Path, conventions: Conventions | Mapping[str, Any] | None = None
) -> Imported:
    r"""Read a game's recording and convert it to tracks.

    Args:
        path: A .csv, .parquet or .jsonl (JSON Lines; parts of nested values are named with dots,
            `pos.x` or `pos.0`).
        conventions: How it is written; as `Conventions` or plain data of the same keys.

    Raises:
        InputError: The file cannot be read, a column is not there or not made of numbers, or a
            convention is wrong.

    Headings become `zero + value` if they grow counter-clockwise, else `zero - value`. Without
    headings and facings, everybody faces the direction of movement.

    >>> import tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     path = Path(folder) / "game.csv"
    ...     _ = path.write_text("ms,east,north,yaw\n0,0,0,90\n500,100,0,90\n")
    ...     done = import_tracks(path, {"name": "fox", "length": 0.01, "time": 0.001, "zero": "+y",
    ...         "turn": "cw", "columns": {"t": "ms", "x": "east", "y": "north", "heading": "yaw"}})
    >>> done.tracks.iloc[-1].to_dict()
    {'t': 0.5, 'id': 'fox', 'x': 1.0, 'y': 0.0, 'heading': 0.0}
    """
    import pandas as pd

    path = Path(path)
    if not isinstance(conventions, Conventions):
        conventions = conventions_from(conventions or {})
    table = read_rows(path, ".csv", ".parquet", ".jsonl", ".ndjson")
    reader = _Columns(table, conventions, str(path))
    tracks = pd.DataFrame({"t": reader.times()})
    begin = conventions.begin
    if conventions.from_zero and len(tracks):
        begin += float(tracks.t.min()) / conventions.time
        tracks["t"] -= tracks.t.min()
    tracks["id"] = reader.ids()
    for axis in ("x", "y", "z"):
        if axis != "z" or reader.has("z"):
            tracks[axis] = reader.numbers(axis) * conventions.length
    for word in ("posture", "gait", "present"):
        if reader.has(word):
            tracks[word] = reader.words(word)
    heading, how = _headings(reader, conventions)
    tracks.insert(4, "heading", heading)
    reader.raise_problems()
    tracks = tracks.sort_values(["id", "t"], kind="stable", ignore_index=True)
    if how == "motion":
        tracks["heading"] = _along_motion(tracks)
    tracks["heading"] = (tracks.heading + 180.0) % 360.0 - 180.0
    return Imported(str(path), conventions, tracks, how, begin)


@dataclass(frozen=True)
class ImportedRows:
    """Noises, throws, changes or sensing logs, in Snelk's columns, metres and seconds.

    Attributes:
        source: The file they came from.
        what: `noises`, `throws`, `changes` or `log`.
        rows: Their columns as a scenario's files have them, by time.
    """

    source: str
    what: str
    rows: pd.DataFrame

    def write(self, path: str | Path) -> Path:
        """Write them as a file of a scenario, .csv or .parquet, and read it again to be sure.

        Raises:
            InputError: As `Imported.write`.
        """
        return _write(self.rows, path, READS[self.what], self.source)


def import_rows(
    path: str | Path, what: str, conventions: Conventions | Mapping[str, Any] | None = None
) -> ImportedRows:
    """Read a game's noises, throws, changes of doors and lights, or sensing log.

    Args:
        path: As for `import_tracks`.
        what: `noises` (columns t, kind, x, y; z, reach, by), `throws` (t, by, kind, x, y; z,
            speed, reach), `changes` (t, of, to), or `log`, for `parity` (t, agent; until, target,
            sense, sensed, state).
        conventions: As for `import_tracks`; columns that are not of these are left aside.

    Raises:
        InputError: As `import_tracks`; or `from_zero` was given, which would not match the tracks
            of the same session.
    """
    import pandas as pd

    one_of(what, HAPPENINGS, source="import", place="as", what="kind of recording")
    path = Path(path)
    if not isinstance(conventions, Conventions):
        conventions = conventions_from(conventions or {})
    if conventions.from_zero:
        fix = "give the time that becomes 0 with begin: the first time of the tracks"
        raise InputError.of(str(path), "from_zero", "", "can be used for tracks only", fix)
    columns = HAPPENINGS[what]
    table = read_rows(path, ".csv", ".parquet", ".jsonl", ".ndjson")
    reader = _Columns(table, conventions, str(path), columns)
    rows = pd.DataFrame({"t": reader.times()})
    for name in columns:
        if name == "t" or not reader.has(name):
            continue
        if name in ("x", "y", "z"):
            rows[name] = reader.numbers(name) * conventions.length
        elif name == "until":
            rows[name] = (reader.numbers(name, gaps=True) - conventions.begin) * conventions.time
        elif name in ("reach", "speed"):
            over = conventions.time if name == "speed" else 1.0
            rows[name] = reader.numbers(name, gaps=True) * conventions.length / over
        else:
            rows[name] = reader.words(name)
    reader.raise_problems()
    return ImportedRows(str(path), what, rows.sort_values("t", kind="stable", ignore_index=True))


def _headings(reader: _Columns, conventions: Conventions) -> tuple[Numbers, str]:
    if reader.has("heading"):
        return conventions.heading_in(reader.numbers("heading")), "column"
    if all(map(reader.has, FACING)):
        x, y = (reader.numbers(name) for name in FACING)
        return np.degrees(np.arctan2(y, x)), "facing"
    return np.zeros(len(reader.table)), "motion"


def _along_motion(tracks: pd.DataFrame) -> Numbers:
    """The direction of movement at each sample; while standing, the last one."""
    import pandas as pd

    found = np.zeros(len(tracks))
    for _, rows in tracks.groupby("id", sort=False):
        if len(rows) < 2:
            continue
        t, x, y = (rows[name].to_numpy() for name in "txy")
        dt = np.maximum(np.diff(t, append=2 * t[-1] - t[-2]), 1e-9)
        dx, dy = np.diff(x, append=2 * x[-1] - x[-2]), np.diff(y, append=2 * y[-1] - y[-2])
        heading = pd.Series(
            np.where(np.hypot(dx, dy) / dt > STILL, np.degrees(np.arctan2(dy, dx)), np.nan)
        )
        found[rows.index] = heading.ffill().bfill().fillna(0.0)
    return found


class _Columns:
    """The columns of a foreign file under Snelk's names; errors are collected."""

    def __init__(
        self,
        table: FileRows,
        conventions: Conventions,
        source: str,
        columns: Mapping[str, bool] | None = None,
    ) -> None:
        self.table = table
        self.conventions = conventions
        self.source = source
        self.problems: list[Problem] = []
        every = (*TRACK_COLUMNS, *FACING) if columns is None else tuple(columns)
        named = {
            name: there
            for name, there in conventions.columns.items()
            if columns is None or name in every
        }
        own = [name for name in every if name in table and name not in named]
        self.names = {**{name: name for name in own}, **named}
        for name, there in named.items():
            if there.lstrip("-") not in table and there not in table:
                fix = nearest(there.lstrip("-"), list(table.columns))
                rule = f"has no such column for {name}"
                self.problems.append(Problem(source, "", f'"{there}"', rule, fix))
        needed = ["t", "x", "y"] + ([] if conventions.name else ["id"])
        if columns is not None:
            needed = [name for name, must in columns.items() if must]
        for name in needed:
            if name not in self.names:
                there = ", ".join(list(table.columns)[:20])
                fix = f"name it with --column {name}=NAME; there are {there}"
                if name == "id":
                    fix += "; or name its character with --name"
                rule = f'has no column "{name}"'
                self.problems.append(Problem(source, "columns", "", rule, fix))
        self.raise_problems()

    def raise_problems(self) -> None:
        if self.problems:
            raise InputError(self.problems)

    def has(self, name: str) -> bool:
        return name in self.names

    def _column(self, name: str) -> tuple[str, float]:
        """The name of a column in the file, and its sign."""
        there = self.names[name]
        if there in self.table:
            return there, 1.0
        return there.removeprefix("-"), -1.0

    def times(self) -> Numbers:
        """The times, s."""
        return (self.numbers("t") - self.conventions.begin) * self.conventions.time

    def numbers(self, name: str, *, gaps: bool = False) -> Numbers:
        """A column of numbers; NaN for empty fields, if they are allowed."""
        column, sign = self._column(name)
        values = self.table.numbers(column)
        empty = np.zeros(len(values), dtype=np.bool_)
        if gaps:
            empty[:] = [text == "" for text in self.table.texts(column)]
        bad = np.flatnonzero(~np.isfinite(values) & ~empty)
        if len(bad):
            more = f" (and {len(bad) - 1} more like it)" if len(bad) > 1 else ""
            given = f"{self.names[name]} = {str(self.table.value(column, bad[0]))[:40]!r}"
            rule = f"is not a number{more}"
            self.problems.append(Problem(self.source, self.table.place(bad[0]), given, rule))
        return sign * values

    def ids(self) -> Sequence[str]:
        if not self.has("id"):
            return [self.conventions.name] * len(self.table)
        return self.words("id")

    def words(self, name: str) -> Sequence[str]:
        known = self.conventions.words.get(name, {})
        return [known.get(value, value) for value in self.table.texts(self._column(name)[0])]
