"""Reading files: text, TOML and JSON, with every error that a file can have."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path
from typing import Any

from snelk.errors import ReadError, nearest

MOST_BYTES = 1_000_000_000
"""Of one file that is read."""


def read_text(path: Path, *, kind: str = "") -> str:
    """The text of a file in UTF-8, without a byte-order mark.

    Raises:
        ReadError: There is no such file, it is a folder, or no text.
    """
    source = str(path)
    try:
        return read_bytes(path, kind=kind).decode("utf-8-sig")
    except ReadError:
        raise
    except ValueError:  # what is no text
        source = source if source.isprintable() else repr(source)
        rule, fix = "cannot be read as text in UTF-8", "save it as UTF-8"
        raise ReadError.of(source, "", "", rule, fix) from None


def read_bytes(path: Path, *, kind: str = "") -> bytes:
    """The content of a file.

    Raises:
        ReadError: There is no such file, it is a folder, or it is too large.
    """
    source = str(path)
    try:
        if path.is_dir():
            inside = sorted(p.name for p in path.glob(f"*{kind or '.*'}"))
            fix = f"use a file in it: {', '.join(inside[:4])}" if inside else "name a file"
            raise ReadError.of(source, "", "", "is a folder, not a file", fix)
        if path.exists() and not path.is_file():
            raise ReadError.of(source, "", "", "is not a regular file", "use a regular file")
        if path.is_file() and path.stat().st_size > MOST_BYTES:
            rule = f"is larger than {MOST_BYTES // 1_000_000} MB"
            raise ReadError.of(source, "", "", rule, "split it into smaller ones")
        return path.read_bytes()
    except ReadError:
        raise
    except FileNotFoundError:
        raise no_such_file(path) from None
    except OSError as error:
        raise ReadError.of(source, "", "", f"cannot be read: {error.strerror}") from None
    except ValueError:  # a path that cannot be one
        source = source if source.isprintable() else repr(source)
        raise ReadError.of(source, "", "", "is not a valid path", "check the path") from None


def read_toml(path: Path) -> dict[str, Any]:
    """A TOML file.

    Raises:
        ReadError: It cannot be read, or is no TOML.
    """
    text = read_text(path, kind=".toml")
    try:
        return tomllib.loads(text)
    except (ValueError, RecursionError) as error:
        raise ReadError.of(str(path), "", "", f"is not valid TOML: {error}") from None


def read_json(path: Path) -> Any:
    """A JSON file.

    Raises:
        ReadError: It cannot be read, or is no JSON.
    """
    text = read_text(path, kind="json")
    try:
        return json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ReadError.of(str(path), "", "", f"is not valid JSON: {error}") from None


def no_such_file(path: Path) -> ReadError:
    """The error for a missing file, with the closest name of an existing one."""
    try:
        beside = [p.name for p in path.parent.glob(f"*{path.suffix}") if p.name[0] != "."]
    except (OSError, ValueError):
        beside = []
    fix = nearest(path.name, beside) if beside else "check the path"
    return ReadError.of(str(path), "", "", "no such file", fix)
