"""Numbers written back into the files they came from, with comments and layout as they were."""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import tomlkit

from snelk.config.draft import split_key
from snelk.config.scenario import Scenario
from snelk.errors import InputError


@dataclass(frozen=True)
class Rewrite:
    """A file as it is and as it would be.

    Attributes:
        path: The file.
        before, after: Its text.
    """

    path: Path
    before: str
    after: str

    @property
    def difference(self) -> str:
        """The lines that differ, as a unified diff."""
        name = str(self.path)
        lines = difflib.unified_diff(
            self.before.splitlines(keepends=True), self.after.splitlines(keepends=True), name, name,
            n=1,
        )  # fmt: skip
        return "".join(lines)


def rewritten(scenario: Scenario, changes: Mapping[str, Any]) -> list[Rewrite]:
    """The files of a scenario with other numbers; nothing is written yet.

    A number is written where its key path leads: into the file that holds that profile or body,
    else into the scenario's own. One that was inherited or left to its default is added there.

    Raises:
        InputError: A file cannot be read.

    >>> import snelk
    >>> night = snelk.load(snelk.croft() / "night.toml")
    >>> print(rewritten(night, {"cast.dog.awake": 0.9})[0].difference.split("@@")[2].strip())
    facing = -60
    -awake = 0.85          # an old dog: all its senses reach less far
    +awake = 0.9          # an old dog: all its senses reach less far
     senses = { hearing = 0.9 }
    """
    by_file: dict[Path, dict[tuple[str, ...], Any]] = {}
    for key, value in changes.items():
        parts = tuple(split_key(key))
        source = scenario.draft.home_of(parts)
        by_file.setdefault(Path(source), {})[parts] = value
    found = []
    for path, values in by_file.items():
        try:
            with path.open(encoding="utf-8", newline="") as file:
                before = file.read()
        except OSError as error:
            raise InputError.of(str(path), "", "", f"cannot be read: {error.strerror}") from None
        document = tomlkit.parse(before)
        for parts, value in values.items():
            _put(document, parts, value)
        found.append(Rewrite(path, before, tomlkit.dumps(document)))
    return found


def write_back(files: list[Rewrite]) -> None:
    """Write files, all or none.

    Raises:
        InputError: One of them was changed meanwhile, or cannot be written.
    """
    drafts = [each.path.with_name(f".{each.path.name}.draft") for each in files]
    try:
        for each, draft in zip(files, drafts, strict=True):
            with each.path.open(encoding="utf-8", newline="") as file:
                if file.read() != each.before:
                    rule, fix = "was changed meanwhile", "do it again"
                    raise InputError.of(str(each.path), "", "", rule, fix)
            with draft.open("w", encoding="utf-8", newline="") as file:
                file.write(each.after)
        for each, draft in zip(files, drafts, strict=True):
            draft.replace(each.path)
    except OSError as error:
        rule = f"cannot be written: {error.strerror}"
        raise InputError.of(str(files[0].path), "", "", rule) from None
    finally:
        for draft in drafts:
            draft.unlink(missing_ok=True)


def _put(document: Any, parts: tuple[str, ...], value: Any) -> None:
    """Set one value; only its own letters change if it is there."""
    here = document
    for part in parts[:-1]:
        if part not in here:
            here[part] = tomlkit.table()
        here = here[part]
    old = here.get(parts[-1])
    if isinstance(old, int) and isinstance(value, float) and value.is_integer():
        value = int(value)  # 120 stays without a point
    here[parts[-1]] = value
