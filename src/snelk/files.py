"""Writing files: whole, or not at all."""

from __future__ import annotations

from pathlib import Path

from snelk.errors import InputError


def write_text(path: Path, text: str) -> None:
    """Write a text file by way of a draft beside it, so that no half of it is ever there.

    Raises:
        InputError: It cannot be written there.
    """
    draft = path.with_name(f".{path.name}.draft")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        draft.write_text(text, encoding="utf-8")
        draft.replace(path)
    except OSError as error:
        draft.unlink(missing_ok=True)
        rule, fix = f"cannot be written: {error.strerror}", "choose another place"
        raise InputError.of(str(path), "", "", rule, fix) from None


def keep_source(path: Path, source: str | Path) -> None:
    """Make sure that what is made of a file does not take its place.

    Raises:
        InputError: Both are the same file.
    """
    if path.exists() and Path(source).exists() and path.samefile(source):
        rule, fix = "is what is read, and would be lost", "choose another place with --out"
        raise InputError.of(str(path), "", "", rule, fix)
