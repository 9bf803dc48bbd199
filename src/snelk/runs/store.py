"""Runs on disk: a folder that is either whole or not there."""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from snelk.errors import InputError, nearest

FORMAT = 4
"""Raised when a run of an older Snelk can no longer be read."""

TABLES = (
    "poses",
    "sight",
    "hearing",
    "contacts",
    "meters",
    "beliefs",
    "noises",
    "throws",
    "signals",
    "states",
    "searches",
    "likelihood",
    "events",
    "measures",
)


def write_run(
    folder: Path, info: Mapping[str, Any], level: Mapping[str, Any], tables: Mapping[str, pa.Table]
) -> None:
    """Write a run beside its final place and move it there when it is complete.

    An earlier run at that place is replaced; a folder that is anything else is left alone.

    Raises:
        InputError: There is something else at that place, or it cannot be written.
    """
    source = str(folder)
    if folder.exists() and not (folder / "run.json").is_file():
        if not folder.is_dir() or any(folder.iterdir()):
            rule, fix = "exists and is not a run of Snelk", "choose another place for the run"
            raise InputError.of(source, "", "", rule, fix)
    draft = folder.with_name(f".{folder.name}.{os.getpid()}.draft")
    aside = folder.with_name(f".{folder.name}.{os.getpid()}.old")
    try:
        draft.mkdir(parents=True)
        for name, table in tables.items():
            pq.write_table(table, draft / f"{name}.parquet", compression="zstd")
        (draft / "level.geojson").write_text(json.dumps(level), encoding="utf-8")
        (draft / "run.json").write_text(json.dumps(info, indent=1) + "\n", encoding="utf-8")
        if folder.exists():
            folder.rename(aside)
        draft.rename(folder)
    except OSError as error:
        if aside.exists() and not folder.exists():
            aside.rename(folder)
        rule = f"cannot be written: {error.strerror or error}"
        raise InputError.of(source, "", "", rule, "choose another place for the run") from None
    finally:
        shutil.rmtree(draft, ignore_errors=True)
        shutil.rmtree(aside, ignore_errors=True)


def read_info(folder: Path) -> tuple[dict[str, Any], dict[str, Any]]:
    """`run.json` and the level of a run.

    Raises:
        InputError: The folder is missing, is no run, or was written by a newer Snelk.
    """
    source = str(folder)
    if not (folder / "run.json").is_file():
        if not folder.exists():
            near = folder.parent
            runs = [p.parent.name for p in near.glob("*/run.json")] if near.is_dir() else []
            fix = nearest(folder.name, runs) if runs else "make one with: snelk run SCENARIO"
            raise InputError.of(source, "", "", "no such run", fix)
        fix = "name the folder that snelk run printed"
        raise InputError.of(source, "", "", "is not the folder of a run", fix)
    try:
        info = json.loads((folder / "run.json").read_text(encoding="utf-8"))
        level = json.loads((folder / "level.geojson").read_text(encoding="utf-8"))
        form = info["format"]
    except (OSError, ValueError, KeyError, TypeError):
        raise InputError.of(source, "", "", "is a damaged run", "make it again") from None
    if form != FORMAT:
        rule = f"was written in form {form}; this Snelk reads form {FORMAT}"
        raise InputError.of(source, "", "", rule, "make it again with: snelk run")
    return info, level


def read_table(folder: Path, name: str) -> pa.Table:
    """One table of a run.

    Raises:
        InputError: The table is missing or damaged.
    """
    path = folder / f"{name}.parquet"
    try:
        return pq.read_table(path)
    except (OSError, pa.ArrowInvalid):
        raise InputError.of(
            str(path), "", "", "is missing or damaged", "make the run again"
        ) from None
