"""Reading recordings: tracks and noises from CSV or Parquet, checked row by row."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from snelk.config.fields import GAITS, LONGEST, POSTURES
from snelk.config.problems import shown
from snelk.errors import InputError, Problem, nearest

TRACK_COLUMNS = {"t": True, "id": True, "x": True, "y": True, "heading": True}
TRACK_COLUMNS |= {"z": False, "posture": False, "gait": False, "present": False}
NOISE_COLUMNS = {"t": True, "kind": True, "x": True, "y": True}
NOISE_COLUMNS |= {"reach": False, "z": False, "by": False}
THROW_COLUMNS = {"t": True, "by": True, "kind": True, "x": True, "y": True}
THROW_COLUMNS |= {"z": False, "speed": False, "reach": False}
"""Column names, and whether a file must have them."""

THROW_SPEED = 12.0
"""The fastest a thing can be thrown where a file does not say, m/s."""

LARGEST = {"t": 1e6, "heading": 1e6, "reach": LONGEST, "x": LONGEST, "y": LONGEST, "z": LONGEST}
LARGEST["speed"] = 1000.0


@dataclass(frozen=True)
class TrackData:
    """A character's recorded poses; all arrays are (samples,), times strictly rising.

    `x`, `y`, `z` are metres, `heading` radians counter-clockwise from +x and unwrapped, so that
    it runs along the shorter arc between samples; `posture` and `gait` index `POSTURES` and
    `GAITS`, and hold from their sample to the next. A gait of -1 is not recorded.
    From a sample that is not `present` until the next the character is absent.
    """

    t: NDArray[np.float64]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    z: NDArray[np.float64]
    heading: NDArray[np.float64]
    posture: NDArray[np.int8]
    gait: NDArray[np.int8]
    present: NDArray[np.bool_]


@dataclass(frozen=True)
class NoiseData:
    """Noises in the order of time: arrays of (noises,), metres and seconds.

    A `reach` of NaN is that of the noise's kind; `by` is empty where nobody made it.
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


@dataclass(frozen=True)
class ThrowData:
    """Things thrown, in the order of time: arrays of (throws,), metres and seconds.

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


def read_tracks(path: Path) -> dict[str, TrackData]:
    """Read the poses of one or more characters, by id.

    Raises:
        InputError: A column is missing or unknown, a value is no number or no known word, or
            the times of an id do not rise; all problems are listed with their line.
    """
    problems: list[Problem] = []
    frame = _read_table(path, TRACK_COLUMNS)
    numbers = _numbers(frame, ("t", "x", "y", "heading", "z"), path, problems)
    posture = _words(frame, "posture", POSTURES, path, problems)
    gait = _words(frame, "gait", GAITS, path, problems)
    if "gait" not in frame:
        gait[:] = -1
    present = np.ones(len(frame), dtype=np.bool_)
    if "present" in frame:
        frame["present"] = frame["present"].astype(str).str.strip().str.lower()
        present = _words(frame, "present", ("0", "1", "false", "true"), path, problems) % 2 == 1
    ids = frame["id"].astype(str).str.strip()
    for row in np.flatnonzero(ids == "")[:1]:
        problems.append(Problem(str(path), _line(path, row), "", "id is empty", "fill it in"))
    tracks: dict[str, TrackData] = {}
    for name, group in ids.groupby(ids, sort=False):
        rows = group.index.to_numpy()
        t = numbers["t"][rows]
        falls = np.flatnonzero(~(np.diff(t) > 0) & np.isfinite(np.diff(t)))
        if len(falls):
            row = int(rows[falls[0] + 1])
            rule = f'times of "{name}" must rise; the sample before is at {t[falls[0]]:g} s'
            fix = "sort by t and drop doubles" + _more(len(falls) - 1)
            problems.append(
                Problem(str(path), _line(path, row), f"t = {t[falls[0] + 1]:g}", rule, fix)
            )
        tracks[str(name)] = TrackData(
            t,
            numbers["x"][rows],
            numbers["y"][rows],
            numbers["z"][rows],
            np.unwrap(np.radians(numbers["heading"][rows])),
            posture[rows],
            gait[rows],
            present[rows],
        )
    if problems:
        raise InputError(problems)
    return tracks


def read_noises(path: Path) -> NoiseData:
    """Read noises; like `read_tracks`, but rows may come in any order of time."""
    problems: list[Problem] = []
    frame = _read_table(path, NOISE_COLUMNS)
    numbers = _numbers(frame, ("t", "x", "y", "z"), path, problems)
    numbers["reach"] = _above_zero(frame, "reach", np.nan, path, problems)
    if problems:
        raise InputError(problems)
    by = frame["by"] if "by" in frame else pd.Series([""] * len(frame))
    by = by.where(by.notna(), "").astype(str).str.strip()
    found = NoiseData(
        numbers["t"],
        tuple(frame["kind"].astype(str).str.strip()),
        numbers["x"],
        numbers["y"],
        numbers["z"],
        numbers["reach"],
        tuple(by),
    )
    return NoiseData.none().with_more(found)


def read_throws(path: Path) -> ThrowData:
    """Read things thrown; rows may come in any order of time."""
    problems: list[Problem] = []
    frame = _read_table(path, THROW_COLUMNS)
    numbers = _numbers(frame, ("t", "x", "y", "z"), path, problems)
    numbers["reach"] = _above_zero(frame, "reach", np.nan, path, problems)
    numbers["speed"] = _above_zero(frame, "speed", THROW_SPEED, path, problems)
    if problems:
        raise InputError(problems)
    by, kind = (tuple(frame[name].astype(str).str.strip()) for name in ("by", "kind"))
    return ThrowData.none().with_more(ThrowData(by=by, kind=kind, **numbers))


def _above_zero(
    frame: pd.DataFrame, name: str, otherwise: float, path: Path, problems: list[Problem]
) -> NDArray[np.float64]:
    """A column of numbers above 0 that may be missing, or empty in some rows."""
    found = np.full(len(frame), otherwise)
    if name in frame:
        given = (frame[name].notna() & (frame[name].astype(str).str.strip() != "")).to_numpy()
        found[given] = _numbers(frame[given], (name,), path, problems)[name]
    for row in np.flatnonzero(found <= 0)[:1]:
        rule = f"{name} must be above 0 {'m/s' if name == 'speed' else 'm'}"
        problems.append(Problem(str(path), _line(path, row), f"{name} = {found[row]:g}", rule))
    return found


def _read_table(path: Path, columns: dict[str, bool]) -> pd.DataFrame:
    source = str(path)
    suffix = path.suffix.lower()
    if suffix not in (".csv", ".parquet"):
        raise InputError.of(source, "", "", "must be a .csv or .parquet file")
    try:
        if suffix == ".parquet":
            frame = pd.read_parquet(path)
        else:
            frame = pd.read_csv(path, dtype=str, keep_default_na=False, skipinitialspace=True)
    except FileNotFoundError:
        beside = [p.name for p in path.parent.glob(f"*{suffix}")] if path.parent.is_dir() else []
        fix = nearest(path.name, beside) if beside else "check the path"
        raise InputError.of(source, "", "", "no such file", fix) from None
    except pd.errors.EmptyDataError:
        first = ",".join(column for column, must in columns.items() if must)
        rule, fix = "is empty", f"it needs a first line with {first}"
        raise InputError.of(source, "", "", rule, fix) from None
    except (OSError, ValueError) as error:
        first = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise InputError.of(source, "", "", f"cannot be read: {first}") from None
    frame.columns = frame.columns.astype(str).str.strip()
    problems = []
    for name in frame.columns:
        if name not in columns:
            fix = f"{nearest(name, columns)}; or leave the column out"
            problems.append(Problem(source, "columns", f'"{name}"', "no such column", fix))
    for name, needed in columns.items():
        if needed and name not in frame:
            problems.append(Problem(source, "columns", "", f'column "{name}" is missing', "add it"))
    if frame.columns.has_duplicates:
        problems.append(Problem(source, "columns", "", "two columns have the same name"))
    if problems:
        raise InputError(problems)
    if len(frame) == 0:
        raise InputError.of(source, "", "", "has no rows", "record something, or leave it out")
    return frame.reset_index(drop=True)


def _numbers(
    frame: pd.DataFrame, names: tuple[str, ...], path: Path, problems: list[Problem]
) -> dict[str, NDArray[np.float64]]:
    found = {}
    for name in names:
        if name not in frame:
            found[name] = np.zeros(len(frame))
            continue
        values = pd.to_numeric(frame[name], errors="coerce").to_numpy(dtype=np.float64)
        largest = LARGEST[name]
        bad = np.flatnonzero(~(np.abs(values) <= largest) | ((name == "t") & (values < 0)))
        if len(bad):
            given = f"{name} = {shown(frame[name].iloc[bad[0]])}".replace('"', "")
            low = "0" if name == "t" else f"-{largest:g}"
            rule = f"must be a number from {low} to {largest:g}"
            line = _line(path, frame.index[bad[0]])
            problems.append(Problem(str(path), line, given, rule, _more(len(bad) - 1)))
            values = np.where(np.isin(np.arange(len(values)), bad), np.nan, values)
        found[name] = values
    return found


def _words(
    frame: pd.DataFrame, name: str, words: tuple[str, ...], path: Path, problems: list[Problem]
) -> NDArray[np.int8]:
    if name not in frame:
        return np.zeros(len(frame), dtype=np.int8)
    values = frame[name].astype(str).str.strip()
    codes = pd.Index(words).get_indexer(pd.Index(values)).astype(np.int8)
    bad = np.flatnonzero(codes < 0)
    if len(bad):
        given = f'{name} = "{values.iloc[bad[0]]}"'
        fix = nearest(values.iloc[bad[0]], words) + _more(len(bad) - 1)
        problems.append(Problem(str(path), _line(path, bad[0]), given, "unknown word", fix))
    return codes


def _line(path: Path, row: int | np.integer) -> str:
    return f"line {int(row) + 2}" if path.suffix.lower() == ".csv" else f"row {int(row)}"


def _more(count: int) -> str:
    return f" (and {count} more like it)" if count > 0 else ""
