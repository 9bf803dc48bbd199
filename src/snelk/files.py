"""Writing files: completely, or not at all.

A file is written beside its final path, under a unique name, and moved there when complete. What a
killed process left behind is removed by the next one that writes there.
"""

from __future__ import annotations

import errno
import hashlib
import os
import platform
import re
import shutil
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from snelk.errors import WriteError

_HOST = hashlib.blake2b(platform.node().encode(), digest_size=4).hexdigest()
_DRAFT = re.compile(rf"\.snelk-{_HOST}-(\d+)-[0-9a-f]+(\..*)?")

LONGEST_NAME = 255
"""Of a file, in bytes: what common file systems take."""

ELSEWHERE = "choose another path with --out"


def cannot_write(path: Path, error: Exception) -> WriteError:
    """The error for a path that cannot be written."""
    reason = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return WriteError.of(str(path), "", "", f"cannot be written: {reason}", ELSEWHERE)


def claim(
    path: str | Path,
    *suffixes: str,
    source: str | Path | None = None,
    ours: Callable[[Path], bool] | None = None,
) -> Path:
    """Make sure that a file can be written at a place, before anything is computed for it.

    Args:
        path: Where it is to be.
        suffixes: The endings that say a format which can be written; any if none are given.
        source: An input file that must not be overwritten.
        ours: Whether a file that is there already is of the kind that would be written. If not,
            it stays.

    Raises:
        WriteError: Its folder cannot be made or written to, it is no plain file, or one of the
            above does not hold.
    """
    path, given = Path(path), str(path)
    if suffixes and path.suffix.lower() not in suffixes:
        *most, last = suffixes
        rule = "unknown format"
        fix = f"use {', '.join(most)} or {last}" if most else f"use {last}"
        raise WriteError.of(given, "", path.suffix, rule, fix)
    try:
        there = _stat(path)
        if not path.name or path.name == ".." or (there and stat.S_ISDIR(there.st_mode)):
            raise WriteError.of(given, "", "", "is a folder, not a file", "use a file in it")
        if there is not None and not stat.S_ISREG(there.st_mode):
            raise WriteError.of(given, "", "", "is not a regular file", "choose another path")
        _claim_folder(path.absolute().parent, path)
        if there is not None and source is not None and path.samefile(source):
            rule, fix = "is an input of this command, and would be overwritten", ELSEWHERE
            raise WriteError.of(given, "", "", rule, fix)
        if there is not None and there.st_size and ours is not None and not ours(path):
            rule = "exists, was not written by this command, and would be overwritten"
            raise WriteError.of(given, "", "", rule, "choose another path, or remove it")
    except WriteError:
        raise
    except (OSError, ValueError) as error:
        raise cannot_write(path, error) from None
    return path


def _stat(path: Path) -> os.stat_result | None:
    """The status of a path; None if it does not exist."""
    if max(len(os.fsencode(part)) for part in ("", *path.parts)) > LONGEST_NAME:
        raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG))
    try:
        return path.stat()
    except FileNotFoundError:
        return None


def _claim_folder(folder: Path, path: Path) -> None:
    """Make sure that a draft can be written in a folder, which need not exist yet."""
    while not os.path.lexists(folder):
        folder = folder.parent
    if not folder.is_dir():
        rule = f"cannot be written: {folder} is a file, not a folder"
        raise WriteError.of(str(path), "", "", rule, "choose another path")
    if not os.access(folder, os.W_OK | os.X_OK):
        raise PermissionError(13, f"no right to write in {folder}")


@contextmanager
def written(path: str | Path) -> Iterator[Path]:
    """A draft to write to; at the end it becomes the file, or is removed.

    The draft has the suffix of the file. A link is followed, so that what it leads to is replaced.

    Raises:
        WriteError: It cannot be written there.
    """
    path = Path(path)
    final = Path(os.path.realpath(path))
    draft = draft_beside(final, path.suffix)
    try:
        final.parent.mkdir(parents=True, exist_ok=True)
        clear_drafts(final.parent)
        yield draft
        draft.replace(final)
    except OSError as error:
        raise cannot_write(path, error) from None
    finally:
        with suppress(OSError):
            draft.unlink(missing_ok=True)


def write_text(path: str | Path, text: str) -> Path:
    """Write a text file in UTF-8, with its line ends as they are.

    Raises:
        WriteError: It cannot be written there.
    """
    with written(path) as draft, draft.open("w", encoding="utf-8", newline="") as file:
        file.write(text)
    return Path(path)


def draft_beside(path: Path, suffix: str = "") -> Path:
    """A unique name beside a path."""
    return path.parent / f".snelk-{_HOST}-{os.getpid()}-{os.urandom(4).hex()}{suffix or '.draft'}"


def clear_drafts(folder: Path) -> None:
    """Remove what processes that are no more left half done in a folder."""
    for path in folder.glob(f".snelk-{_HOST}-*"):
        match = _DRAFT.fullmatch(path.name)
        if match is None or is_running(int(match[1])):
            continue
        with suppress(OSError):
            if path.is_dir() and not path.is_symlink():
                shutil.rmtree(path)
            else:
                path.unlink()


def is_running(process: int) -> bool:
    """Whether a process with this number runs on this machine; if unknown, yes."""
    if os.name != "posix":
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def beside(folder: Path, name: str) -> Path:
    """A path beside a folder or file: `name`, with `{}` for its name.

    >>> beside(Path("runs/night"), "{}-map.png").as_posix()
    'runs/night-map.png'
    """
    whole = folder if folder.name and folder.name != ".." else folder.resolve()
    return whole.parent / name.replace("{}", whole.stem if whole.is_file() else whole.name)
