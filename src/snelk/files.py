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
