"""Reading recordings: tracks and noises from CSV or Parquet, checked row by row."""

from __future__ import annotations

from collections.abc import Container, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from snelk.config.fields import LONGEST
from snelk.config.models import BECOMES, Change, Clock
from snelk.config.problems import shown
from snelk.config.tabular import FileRows, read_rows
from snelk.config.words import GAITS, POSTURES, PRESENT, SENSES, TRUTHS
from snelk.errors import InputError, Problem, nearest

if TYPE_CHECKING:
    import pandas as pd

TRACK_COLUMNS = {"t": True, "id": True, "x": True, "y": True, "heading": True}
TRACK_COLUMNS |= {"z": False, "posture": False, "gait": False, "present": False}
NOISE_COLUMNS = {"t": True, "kind": True, "x": True, "y": True}
NOISE_COLUMNS |= {"reach": False, "z": False, "by": False}
THROW_COLUMNS = {"t": True, "by": True, "kind": True, "x": True, "y": True}
THROW_COLUMNS |= {"z": False, "speed": False, "reach": False}
"""Column names, and whether a file must have them."""

ALSO_CALLED = {
    "yaw": "heading", "rotation": "heading", "angle": "heading", "facing": "heading",
    "direction": "heading", "time": "t", "timestamp": "t", "seconds": "t", "name": "id",
    "actor": "id", "who": "id", "stance": "posture", "pose": "posture", "pace": "gait",
    "height": "z", "radius": "reach", "volume": "reach", "loudness": "reach", "source": "by",
    "maker": "by", "type": "kind",
}  # fmt: skip
"""What others call a column, and what it is called here."""

THROW_SPEED = 12.0
"""The fastest a thing can be thrown where a file does not say, m/s."""

CHANGE_COLUMNS = {"t": True, "of": True, "to": True}
LOG_COLUMNS = {"t": True, "agent": True, "target": False, "sense": False, "sensed": False}
LOG_COLUMNS |= {"state": False, "until": False}
LARGEST = {
    "t": 1e6,
    "until": 1e6,
    "heading": 1e6,
    "reach": LONGEST,
    "x": LONGEST,
    "y": LONGEST,
    "z": LONGEST,
}
LARGEST["speed"] = 1000.0


@dataclass(frozen=True)
class TrackData:
    """A character's recorded poses; all arrays are (samples,), with strictly rising times.

    `x`, `y`, `z` are metres, `heading` radians counter-clockwise from +x and unwrapped, so that
    it runs along the shorter arc between samples; `posture` and `gait` index `POSTURES` and
    `GAITS`, and hold from their sample to the next. A gait of -1 is not recorded.
    From a sample that is not `present` until the next the character is absent. One that is `flat`
    was recorded in plan, without heights.
    """

    t: NDArray[np.float64]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    z: NDArray[np.float64]
    heading: NDArray[np.float64]
    posture: NDArray[np.int8]
    gait: NDArray[np.int8]
    present: NDArray[np.bool_]
    flat: bool = False

    def begins(self, z: float, n: int = 0) -> tuple[float, float, float]:
        """Where it is at a sample, m; at the height `z` if it was recorded without."""
        return float(self.x[n]), float(self.y[n]), z if self.flat else float(self.z[n])


def end_of(clock: Clock, tracks: Mapping[str, TrackData]) -> float:
    """When a run ends, s: as the clock says, else with the last track."""
    if clock.end is not None:
        return clock.end
    return max((float(track.t[-1]) for track in tracks.values()), default=clock.start)


@dataclass(frozen=True)
class NoiseData:
    """Noises in order of time: arrays of (noises,), metres and seconds.

    A `reach` of NaN is that of the noise's kind; `by` is empty for nobody.
    """

    t: NDArray[np.float64]
    kind: tuple[str, ...]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    z: NDArray[np.float64]
    reach: NDArray[np.float64]
    by: tuple[str, ...]

    @classmethod
    def none(cls) -> NoiseData:
        """No noises at all."""
        empty = np.zeros(0)
        return cls(empty, (), empty, empty, empty, empty, ())

    def with_more(self, other: NoiseData) -> NoiseData:
        """Both, in the order of time; of two at the same time the earlier file's comes first."""
        order = np.argsort(np.concatenate([self.t, other.t]), kind="stable")
        kinds, bys = self.kind + other.kind, self.by + other.by
        return NoiseData(
            np.concatenate([self.t, other.t])[order],
            tuple(kinds[i] for i in order),
            np.concatenate([self.x, other.x])[order],
            np.concatenate([self.y, other.y])[order],
            np.concatenate([self.z, other.z])[order],
            np.concatenate([self.reach, other.reach])[order],
            tuple(bys[i] for i in order),
        )

    def without(self, names: Container[str]) -> NoiseData:
        """Those that some characters did not make."""
        return _of_others(self, names)


@dataclass(frozen=True)
class ThrowData:
    """Thrown objects in order of time: arrays of (throws,), metres and seconds.

    `x`, `y`, `z` is where to; a `reach` of NaN is that of the noise's kind.
    """

    t: NDArray[np.float64]
    by: tuple[str, ...]
    kind: tuple[str, ...]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    z: NDArray[np.float64]
    speed: NDArray[np.float64]
    reach: NDArray[np.float64]

    def without(self, names: Container[str]) -> ThrowData:
        """What some characters did not throw."""
        return _of_others(self, names)

    @classmethod
    def none(cls) -> ThrowData:
        """Nothing thrown."""
        empty = np.zeros(0)
        return cls(empty, (), (), empty, empty, empty, empty, empty)

    def with_more(self, other: ThrowData) -> ThrowData:
        """Both, in the order of time; of two at the same time the earlier file's comes first."""
        order = np.argsort(np.concatenate([self.t, other.t]), kind="stable")
        bys, kinds = self.by + other.by, self.kind + other.kind
        numbers = {
            name: np.concatenate([getattr(self, name), getattr(other, name)])[order]
            for name in ("t", "x", "y", "z", "speed", "reach")
        }
        return ThrowData(
            by=tuple(bys[i] for i in order), kind=tuple(kinds[i] for i in order), **numbers
        )


M = TypeVar("M", NoiseData, ThrowData)


def _of_others(made: M, names: Container[str]) -> M:
    """What others than some characters made or threw."""
    keep = [n for n, by in enumerate(made.by) if by not in names]
    values: dict[str, Any] = {
        name: value[keep] if isinstance(value, np.ndarray) else tuple(value[n] for n in keep)
        for name, value in vars(made).items()
    }
    return type(made)(**values)


def read_tracks(path: Path) -> dict[str, TrackData]:
    """Read the poses of one or more characters, by id.

    Raises:
        InputError: A column is missing or unknown, a value is no number or no known word, or
            the times of an id do not rise; all problems are listed with their line.
    """
    problems: list[Problem] = []
    table = _read_table(path, TRACK_COLUMNS)
    numbers = _numbers(table, ("t", "x", "y", "heading", "z"), path, problems)
    posture = _words(table, "posture", POSTURES, path, problems)
    gait = _words(table, "gait", GAITS, path, problems)
    if "gait" not in table:
        gait[:] = -1
    present = np.ones(len(table), dtype=np.bool_)
    if "present" in table:
        present = _words(table, "present", PRESENT, path, problems, capitals=True) % 2 == 1
    by_id = table.by("id")
    for row in by_id.get("", ())[:1]:
        problems.append(Problem(str(path), table.place(row), "", "id is empty", "fill it in"))
    tracks: dict[str, TrackData] = {}
    for name, rows in by_id.items():
        t = numbers["t"][rows]
        falls = np.flatnonzero(~(np.diff(t) > 0) & np.isfinite(np.diff(t)))
        if len(falls):
            row = int(rows[falls[0] + 1])
            rule = f'times of "{name}" must rise; the previous sample is at {t[falls[0]]:g} s'
            fix = "sort by t, and remove duplicates" + _more(len(falls) - 1)
            problems.append(
                Problem(str(path), table.place(row), f"t = {t[falls[0] + 1]:g}", rule, fix)
            )
        tracks[name] = TrackData(
            t,
            numbers["x"][rows],
            numbers["y"][rows],
            numbers["z"][rows],
            np.unwrap(np.radians(numbers["heading"][rows])),
            posture[rows],
            gait[rows],
            present[rows],
            flat="z" not in table,
        )
    if problems:
        raise InputError(problems)
    return tracks


def read_noises(path: Path) -> NoiseData:
    """Read noises; like `read_tracks`, but rows may come in any order of time."""
    problems: list[Problem] = []
    table = _read_table(path, NOISE_COLUMNS)
    numbers = _numbers(table, ("t", "x", "y", "z"), path, problems)
    numbers["reach"] = _above_zero(table, "reach", np.nan, path, problems)
    if problems:
        raise InputError(problems)
    found = NoiseData(
        numbers["t"],
        tuple(_texts(table, "kind")),
        numbers["x"],
        numbers["y"],
        numbers["z"],
        numbers["reach"],
        tuple(_texts(table, "by")),
    )
    return NoiseData.none().with_more(found)


def read_throws(path: Path) -> ThrowData:
    """Read throws; rows may be in any order of time."""
    problems: list[Problem] = []
    table = _read_table(path, THROW_COLUMNS)
    numbers = _numbers(table, ("t", "x", "y", "z"), path, problems)
    numbers["reach"] = _above_zero(table, "reach", np.nan, path, problems)
    numbers["speed"] = _above_zero(table, "speed", THROW_SPEED, path, problems)
    if problems:
        raise InputError(problems)
    by, kind = (tuple(_texts(table, name)) for name in ("by", "kind"))
    return ThrowData.none().with_more(ThrowData(by=by, kind=kind, **numbers))


def read_changes(path: Path) -> tuple[Change, ...]:
    """Read changes of doors and lights, sorted by time."""
    problems: list[Problem] = []
    table = _read_table(path, CHANGE_COLUMNS)
    times = _numbers(table, ("t",), path, problems)["t"]
    becomes = _words(table, "to", BECOMES, path, problems)
    if problems:
        raise InputError(problems)
    of = _texts(table, "of")
    found = [
        Change.model_construct(t=float(times[n]), of=str(of[n]), to=BECOMES[becomes[n]])
        for n in np.argsort(times, kind="stable").tolist()
    ]
    return tuple(found)


def read_sensed(path: Path) -> pd.DataFrame:
    """Read what a game's own code sensed and decided.

    Returns:
        By where it stood in the file: columns t and until, s, NaN for no until; agent, target,
        sense (sight if not said), state, texts; and sensed: 1, 0, or -1 where it is not said. With
        an until it is 1 if not said.
    """
    import pandas as pd

    problems: list[Problem] = []
    table = _read_table(path, LOG_COLUMNS, (".csv", ".parquet", ".jsonl", ".ndjson"))
    index = pd.Index(table.places, name=table.what)
    found = pd.DataFrame({"t": _numbers(table, ("t",), path, problems)["t"]}, index)
    found["until"] = np.nan
    for name in ("agent", "target", "sense", "sensed", "state"):
        found[name] = pd.Series(_texts(table, name), index, dtype=object)
    if "until" in table:
        said = _given(table, "until")
        found.loc[said, "until"] = _numbers(table.only(said), ("until",), path, problems)["until"]
    _words(table, "sense", SENSES, path, problems, otherwise="sight")
    found.loc[found.sense == "", "sense"] = "sight"
    same = {"1.0": "1", "0.0": "0"}
    lower = [text.lower() for text in _texts(table, "sensed")]
    told = np.array([same.get(text, text) for text in lower], dtype=object)
    lasts = found.until.notna().to_numpy() & (found.target != "").to_numpy() & (told == "")
    told[lasts] = "true"
    said = told != ""
    codes = pd.Index(TRUTHS).get_indexer(pd.Index(told))
    found["sensed"] = np.where(said, codes % 2, -1)
    for row in np.flatnonzero(said & (codes < 0))[:1]:
        given, rule = f'sensed = "{told[row][:40]}"', "must be true or false"
        more = _more(int((said & (codes < 0)).sum()) - 1)
        problems.append(Problem(str(path), table.place(row), given, rule, more))
    for wrong, given, rule, fix in (
        (
            (found.target != "") & ~said,
            "",
            "has a target, but no value of sensed",
            "write true or false",
        ),
        ((found.target == "") & said, "", "has a value of sensed, but no target", "say whom"),
        (found.until <= found.t, "until", "must come after t", ""),
    ):
        for row in np.flatnonzero(wrong)[:1]:
            more = fix + _more(int(wrong.sum()) - 1)
            problems.append(Problem(str(path), table.place(row), given, rule, more))
    if problems:
        raise InputError(problems)
    return found


def _above_zero(
    table: FileRows, name: str, otherwise: float, path: Path, problems: list[Problem]
) -> NDArray[np.float64]:
    """A column of numbers above 0 that may be missing, or empty in some rows."""
    found = np.full(len(table), otherwise)
    if name in table:
        given = _given(table, name)
        found[given] = _numbers(table.only(given), (name,), path, problems)[name]
    for row in np.flatnonzero(found <= 0)[:1]:
        rule = f"{name} must be above 0 {'m/s' if name == 'speed' else 'm'}"
        problems.append(Problem(str(path), table.place(row), f"{name} = {found[row]:g}", rule))
    return found


def _read_table(
    path: Path, columns: dict[str, bool], formats: tuple[str, ...] = (".csv", ".parquet")
) -> FileRows:
    source = str(path)
    table = read_rows(path, *formats)
    problems = []
    for name in table.columns:
        if name not in columns:
            meant = ALSO_CALLED.get(name.lower())
            fix = f'did you mean "{meant}"?' if meant in columns else nearest(name, columns)
            fix += "; or leave out the column"
            problems.append(Problem(source, "columns", f'"{name}"', "no such column", fix))
    for name, needed in columns.items():
        if needed and name not in table:
            problems.append(Problem(source, "columns", "", f'column "{name}" is missing', "add it"))
    if problems:
        raise InputError(problems)
    return table


def _numbers(
    table: FileRows, names: tuple[str, ...], path: Path, problems: list[Problem]
) -> dict[str, NDArray[np.float64]]:
    found = {}
    for name in names:
        if name not in table:
            found[name] = np.zeros(len(table))
            continue
        values = table.numbers(name)
        largest = LARGEST[name]
        bad = np.flatnonzero(~(np.abs(values) <= largest) | ((name == "t") & (values < 0)))
        if len(bad):
            given = f"{name} = {shown(table.value(name, bad[0]))}".replace('"', "")
            low = "0" if name == "t" else f"-{largest:g}"
            rule = f"must be a number from {low} to {largest:g}"
            line = table.place(bad[0])
            problems.append(Problem(str(path), line, given, rule, _more(len(bad) - 1)))
            values = np.where(np.isin(np.arange(len(values)), bad), np.nan, values)
        found[name] = values
    return found


def _words(
    table: FileRows,
    name: str,
    words: tuple[str, ...],
    path: Path,
    problems: list[Problem],
    *,
    otherwise: str | None = None,
    capitals: bool = False,
) -> NDArray[np.int8]:
    """Which of some words each row has in a column; the first if there is no such column.

    Args:
        table: The rows.
        name: Of the column.
        words: Those that it may have.
        path: For the problems.
        problems: Are added to.
        otherwise: The word that an empty field means; none if None.
        capitals: Whether the words may be written in capitals.
    """
    if name not in table:
        return np.zeros(len(table), dtype=np.int8)
    values = table.texts(name)
    codes = {word: n for n, word in enumerate(words)}
    if otherwise is not None:
        codes[""] = codes[otherwise]
    read = [codes.get(value.lower() if capitals else value, -1) for value in values]
    found = np.array(read, dtype=np.int8)
    bad = np.flatnonzero(found < 0)
    if len(bad):
        word = values[bad[0]]
        given, fix = f'{name} = "{word[:40]}"', nearest(word, words) + _more(len(bad) - 1)
        problems.append(Problem(str(path), table.place(bad[0]), given, "unknown word", fix))
    return found


def _texts(table: FileRows, name: str) -> list[str]:
    """A column as text; empty if it is missing."""
    return table.texts(name) if name in table else [""] * len(table)


def _given(table: FileRows, name: str) -> NDArray[np.bool_]:
    """In which rows a field is not empty."""
    return np.array([text != "" for text in table.texts(name)], dtype=np.bool_)


def _more(count: int) -> str:
    return f" (and {count} more like it)" if count > 0 else ""
