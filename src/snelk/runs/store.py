"""Run folders: either complete or absent, with digests of what was written."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, TypeVar

import pyarrow as pa
import pyarrow.parquet as pq

from snelk.errors import InputError, ReadError, WriteError, nearest
from snelk.files import (
    ELSEWHERE,
    cannot_write,
    claim,
    clear_drafts,
    draft_beside,
    is_running,
)

T = TypeVar("T")

FORMAT = 8
"""Raised when a run of an older Snelk can no longer be read."""

TABLES = (
    "poses",
    "sight",
    "hearing",
    "contacts",
    "meters",
    "beliefs",
    "voices",
    "noises",
    "throws",
    "signals",
    "states",
    "effects",
    "turns",
    "searches",
    "likelihood",
    "events",
    "measures",
)

NOTES, LEVEL = "run.json", "level.geojson"

KNOWN = (NOTES, LEVEL, *(f"{name}.parquet" for name in TABLES))
"""The files of a run. All else in its folder is somebody's, and is kept."""

AGAIN = "run the scenario again: snelk run"

HELD = 32_000_000
"""Bytes of tables that a run that was just written holds in memory at most."""

GROUP = 16_384
"""Rows that are written together, and are in memory until they are so many."""

MANY = 500_000
"""Tables of more values are read by several threads."""

TRIES = 200
"""So often the place of a run is tried to be taken while others write to it too."""

STILL = 3
"""So often in a row a run must be found wanting, at a place where nothing moves, to be so.

Once is not enough: a run can be moved away and back, or another take its place under the same
number, within one tick of the clock by which a file system dates what is moved.
"""


def claim_run(folder: str | Path) -> Path:
    """Make sure that a run can be written to a folder, before it is replayed.

    Raises:
        InputError: There is something at that place that is no run, or it cannot be written.
    """
    folder = Path(folder)
    return _settled(folder, lambda: _claim(folder))


def _claim(folder: Path) -> Path:
    whole = Path(os.path.realpath(folder))
    try:
        there = whole.is_dir()
    except (OSError, ValueError) as error:
        raise cannot_write(folder, error) from None
    if there:
        if any(whole.iterdir()) and not _is_ours(whole):
            rule, fix = "exists and is not a run", "choose another folder for the run"
            raise WriteError.of(str(folder), "", "", rule, fix)
        if whole == whole.parent or whole.samefile(Path.cwd()):
            rule = "is the current folder, and cannot be replaced"
            raise WriteError.of(str(folder), "", "", rule, "choose a folder inside it")
        claim(whole.parent / "run", source=None)
    else:
        claim(folder)
        if whole.exists():
            raise WriteError.of(str(folder), "", "", "is a file, not a folder", ELSEWHERE)
    return folder


def _is_ours(folder: Path) -> bool:
    """Whether a folder holds a run that Snelk wrote: notes with a form, and its tables."""
    try:
        info = json.loads((folder / NOTES).read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return False
    return (
        isinstance(info, dict)
        and isinstance(info.get("format"), int)
        and {"snelk", "scenario", "setup", "rows"} <= set(info)
        and (folder / LEVEL).is_file()
    )


class Draft:
    """A run that is being written, beside its final place.

    Rows go to disk as they come, in groups, so that memory does not grow with a run.

    Attributes:
        rows: How many each table has so far.
    """

    def __init__(self, folder: Path, place: Path) -> None:
        self.rows: dict[str, int] = {}
        self._folder, self._place = folder, place
        self._writers: dict[str, pq.ParquetWriter] = {}
        self._waiting: dict[str, list[pa.Table]] = {}

    def add(self, name: str, rows: pa.Table) -> None:
        """Add rows to a table.

        Raises:
            InputError: They cannot be written.
        """
        self.rows[name] = self.rows.get(name, 0) + rows.num_rows
        waiting = self._waiting.setdefault(name, [])
        waiting.append(rows)
        if sum(part.num_rows for part in waiting) >= GROUP:
            whole = pa.concat_tables(waiting)
            full = whole.num_rows // GROUP * GROUP
            self._write(name, whole.slice(0, full))
            self._waiting[name] = [whole.slice(full)]

    def _write(self, name: str, rows: pa.Table) -> None:
        with _told(self._folder):
            if name not in self._writers:
                self._writers[name] = pq.ParquetWriter(
                    self._place / f"{name}.parquet",
                    rows.schema,
                    compression="zstd",
                    compression_level=6,
                )
            self._writers[name].write_table(rows, row_group_size=GROUP)

    def finish(self, info: Mapping[str, Any], level: Mapping[str, Any]) -> None:
        """Write the rest, the level, and run.json.

        Raises:
            InputError: It cannot be written.
        """
        for name, waiting in self._waiting.items():
            self._write(name, pa.concat_tables(waiting))
        with _told(self._folder):
            for writer in self._writers.values():
                writer.close()
            (self._place / LEVEL).write_text(json.dumps(level), encoding="utf-8")
            files = {path.name: _digest(path) for path in sorted(self._place.iterdir())}
            notes = {**info, "files": files}
            notes["whole"] = _digest_of(notes)
            text = json.dumps(notes, indent=1) + "\n"
            (self._place / NOTES).write_text(text, encoding="utf-8")

    def tables(self) -> dict[str, pq.ParquetFile]:
        """The written tables, even if the folder is replaced.

        They are in memory, or if they are large on disk, in files that stay open.
        """
        paths = {name: self._place / f"{name}.parquet" for name in self.rows}
        with _told(self._folder):
            large = sum(path.stat().st_size for path in paths.values()) > HELD
            if large and os.name == "posix":  # elsewhere what is open cannot be moved
                return {name: _opened(pa.OSFile(str(path))) for name, path in paths.items()}
            read = {name: path.read_bytes() for name, path in paths.items()}
        return {name: _opened(pa.BufferReader(data)) for name, data in read.items()}

    def let_go(self) -> None:
        """Close the files of a run that will not be finished."""
        for writer in self._writers.values():
            with suppress(OSError, pa.ArrowException):
                writer.close()


@contextmanager
def writing_run(folder: Path) -> Iterator[Draft]:
    """Write a run beside its final place, and move it there when it is finished.

    An earlier run at that place gives way; files in its folder that are not Snelk's are kept. A
    folder that is anything else is left alone.

    Raises:
        InputError: There is something else at that place, or it cannot be written.
    """
    claim_run(folder)
    place = Path(os.path.realpath(folder))
    path = draft_beside(place)
    draft = Draft(folder, path)
    try:
        with _told(folder):
            path.mkdir(parents=True)
            clear_drafts(place.parent)
            _mend(place)
        yield draft
        with _told(folder):
            _take_place(path, place)
    finally:
        draft.let_go()
        shutil.rmtree(path, ignore_errors=True)


@contextmanager
def _told(folder: Path) -> Iterator[None]:
    """Raise a one-line error for what cannot be written."""
    try:
        yield
    except OSError as error:
        raise cannot_write(folder, error) from None


def _take_place(draft: Path, place: Path) -> None:
    """Move a run to its place. The one that was there goes only when the new one stands."""
    for number in range(TRIES):
        aside = _aside(place)
        try:
            with suppress(FileNotFoundError):
                place.rename(aside)
            draft.rename(place)
        except OSError:
            if number == TRIES - 1:
                raise
            time.sleep(0.01)  # another process has just put its run there
            continue
        finally:
            if aside.exists() and not place.exists():
                with suppress(OSError):
                    aside.rename(place)
            _clear_away(aside, place)
        return


def _aside(place: Path) -> Path:
    """A unique name for a run that is replaced."""
    return place.with_name(f".{place.name[:180]}.{os.getpid()}.{os.urandom(4).hex()}.old")


def _clear_away(aside: Path, place: Path) -> None:
    """Remove a replaced run; files that are not Snelk's move to the new one.

    Another process may just be putting its own run there, so it is tried until it is done.
    """
    for _ in range(TRIES):
        if place.is_dir():
            with suppress(OSError):
                for path in aside.iterdir():
                    if path.name in KNOWN:
                        path.unlink()
                    elif not os.path.lexists(place / path.name):
                        path.rename(place / path.name)
                kept = any(os.path.lexists(place / path.name) for path in aside.iterdir())
                if not kept:
                    aside.rmdir()
                return
        if not aside.is_dir():
            return
        time.sleep(0.01)


def _mend(place: Path) -> None:
    """Put back a run whose place a process took that was killed before its own stood there."""
    for aside in place.parent.glob(f".{place.name[:180]}.*.old"):
        number = aside.name.split(".")[-3]
        if number.isdigit() and not is_running(int(number)):
            with suppress(OSError):
                if not place.exists():
                    aside.rename(place)
            _clear_away(aside, place)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, lambda: hashlib.blake2b(digest_size=16)).hexdigest()


def _digest_of(notes: Mapping[str, Any]) -> str:
    plain = {name: value for name, value in notes.items() if name != "whole"}
    text = json.dumps(plain, sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def read_info(folder: Path) -> tuple[dict[str, Any], dict[str, Any], dict[str, str]]:
    """`run.json`, the level and the digests of a run's files, as they were written.

    Raises:
        InputError: The folder is missing, is no run, is damaged, or was written by a Snelk of
            another form.
    """
    return _settled(folder, lambda: _read_info(folder))


def _settled(folder: Path, action: Callable[[], T]) -> T:
    """The result of an action, while no other process replaces a run."""
    still = 0
    for _ in range(TRIES):
        before = _identity(folder)
        try:
            return action()
        except (InputError, FileNotFoundError):
            place = Path(os.path.realpath(folder))
            moving = before and any(place.parent.glob(f".{place.name[:180]}.*.old"))
            still = 0 if moving or _identity(folder) != before else still + 1
            if still == STILL:
                raise
            time.sleep(0.01)
    return action()


def _identity(folder: Path) -> tuple[int, ...]:
    """The identity of a folder, to notice that it was replaced; empty if missing.

    The number of one that is gone may be given to the next: so when it was moved counts too.
    """
    try:
        found = folder.stat()
    except (OSError, ValueError):
        return ()
    return found.st_ino, found.st_ctime_ns, found.st_mtime_ns


def _read_info(folder: Path) -> tuple[dict[str, Any], dict[str, Any], dict[str, str]]:
    source = str(folder)
    try:
        if not folder.exists():
            _await(Path(os.path.realpath(folder)))
        there, is_run = folder.exists(), (folder / NOTES).is_file()
    except (OSError, ValueError):
        there, is_run = False, False
    if not is_run:
        if not there:
            fix = nearest(folder.name, _runs_in(folder.parent)) if _runs_in(folder.parent) else ""
            raise ReadError.of(source, "", "", "no such run", fix or "make one: snelk run SCENARIO")
        fix = "use the folder that snelk run printed"
        raise ReadError.of(source, "", "", "is not a run folder", fix)
    try:
        info = json.loads((folder / NOTES).read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        info = None
    if not isinstance(info, dict) or not isinstance(info.get("format"), int):
        raise _damaged(folder / NOTES)
    if info["format"] != FORMAT:
        rule = f"was written in format {info['format']}; this Snelk reads format {FORMAT}"
        raise ReadError.of(source, "", "", rule, AGAIN)
    if info.get("whole") != _digest_of(info):
        raise _damaged(folder / NOTES)
    digests = info.pop("files")
    del info["whole"]
    return info, json.loads(_read(folder / LEVEL, digests)), digests


def _await(place: Path) -> None:
    """Wait for a run that another process is just about to put to its place."""
    for _ in range(TRIES):
        _mend(place)
        if place.exists() or not any(place.parent.glob(f".{place.name[:180]}.*.old")):
            return
        time.sleep(0.01)


def _runs_in(folder: Path) -> list[str]:
    """The runs in a folder, without drafts."""
    try:
        found = [path.parent.name for path in folder.glob(f"*/{NOTES}")]
    except OSError:
        return []
    return [name for name in found if not name.startswith(".")]


def open_table(folder: Path, name: str, digests: Mapping[str, str]) -> pq.ParquetFile:
    """One table of a run, which is known to be as it was written.

    Raises:
        InputError: The table is missing or damaged.
    """
    data = _settled(folder, lambda: _read(folder / f"{name}.parquet", digests))
    return _opened(pa.BufferReader(data))


def _opened(file: pa.NativeFile) -> pq.ParquetFile:
    """A table. Several threads may read it, as nothing is read ahead."""
    # Not read_table, which takes half a second to import what it does not need here.
    return pq.ParquetFile(file, pre_buffer=False)


def read_table(table: pq.ParquetFile, *columns: str) -> pa.Table:
    """The columns of a table that are named, or all."""
    many = table.metadata.num_rows * table.metadata.num_columns > MANY
    return table.read(list(columns) or None, use_threads=many)


def _read(path: Path, digests: Mapping[str, str]) -> bytes:
    """A file of a run, held against the digest that was taken when it was written."""
    try:
        data = path.read_bytes()
    except OSError:
        data = b""
    found = hashlib.blake2b(data, digest_size=16).hexdigest()
    if found == digests.get(path.name):
        return data
    try:  # another process may just have put another run there
        now = json.loads((path.parent / NOTES).read_text(encoding="utf-8"))["files"]
    except (OSError, ValueError, KeyError, TypeError):
        now = dict(digests)
    if now != digests:
        rule, fix = "was replaced by another run", "do it again"
        raise ReadError.of(str(path.parent), "", "", rule, fix)
    raise _damaged(path)


def _damaged(path: Path) -> ReadError:
    return ReadError.of(str(path), "", "", "is missing, or was changed after Snelk wrote it", AGAIN)
