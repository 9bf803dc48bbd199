"""Writing numbers back into their files, with comments and layout as they were."""

from __future__ import annotations

import difflib
import re
import tomllib
from collections.abc import Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import tomlkit

from snelk.config.draft import parts_of_key, split_key
from snelk.config.problems import key_path
from snelk.config.renamed import as_written
from snelk.config.scenario import Scenario
from snelk.errors import InputError, ReadError
from snelk.files import written


@dataclass(frozen=True)
class Rewrite:
    """A file before and after a change.

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


def rewritten(
    scenario: Scenario,
    overrides: Mapping[str, Any],
    *,
    added: Mapping[str, Sequence[Mapping[str, Any]]] | None = None,
) -> list[Rewrite]:
    """The files of a scenario with other numbers; nothing is written yet.

    A number is written where its key path leads: into the file that holds that profile or body,
    else into the scenario's own. One that was inherited or left to its default is added there.

    Args:
        scenario: As it is.
        overrides: Numbers by key path.
        added: Tables that are added at the end of the scenario's own file, by the name of the
            array that holds them, such as `noise`.

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
    for key, value in overrides.items():
        parts = tuple(split_key(key))
        source = scenario.draft.home_of(parts)
        by_file.setdefault(Path(source), {})[parts] = value
    own = Path(scenario.source)
    if added:
        by_file.setdefault(own, {})
    found = []
    for path, values in by_file.items():
        after = before = read_text(path)
        for parts, value in values.items():
            after = with_value(after, parts, value)
        for name, tables in (added or {}).items() if path == own else ():
            after = with_tables(after, name, tables)
        found.append(Rewrite(path, before, after))
    return found


def read_text(path: Path) -> str:
    """The text of a file, with its ends of lines as they are.

    Raises:
        ReadError: It cannot be read.
    """
    try:
        with path.open(encoding="utf-8", newline="") as file:
            return file.read()
    except OSError as error:
        raise ReadError.of(str(path), "", "", f"cannot be read: {error.strerror}") from None


def with_tables(text: str, name: str, tables: Sequence[Mapping[str, Any]]) -> str:
    """A TOML text with more tables at the end of one of its arrays of tables.

    >>> print(with_tables("light = 0.2", "noise", [{"t": 3.5, "kind": "clap"}]))
    light = 0.2
    <BLANKLINE>
    [[noise]]
    t = 3.5
    kind = "clap"
    <BLANKLINE>
    """
    if isinstance(tomllib.loads(text).get(name), list) and not re.search(
        rf"^\s*\[\[\s*{name}\s*\]\]", text, re.MULTILINE
    ):  # it is written in one line
        return with_value(text, (name,), [*tomllib.loads(text)[name], *map(dict, tables)])
    for each in tables:
        lines = [f"{key} = {tomlkit.item(value).as_string()}" for key, value in each.items()]
        text = "\n".join([text.rstrip("\n"), "", f"[[{name}]]", *lines, ""])
    return text


def write_back(files: list[Rewrite]) -> None:
    """Write files, all or none.

    Raises:
        InputError: One of them was changed meanwhile, or cannot be written.
    """
    with ExitStack() as drafts:
        for each in files:
            draft = drafts.enter_context(written(each.path))
            with each.path.open(encoding="utf-8", newline="") as file:
                if file.read() != each.before:
                    rule, fix = "was changed by another program", "do it again"
                    raise InputError.of(str(each.path), "", "", rule, fix)
            with draft.open("w", encoding="utf-8", newline="") as file:
                file.write(each.after)


HEADER = re.compile(r"""\s*\[(?P<path>[\w\-."' \t]+)\]\s*(#.*)?$""")
ARRAY = re.compile(r"""\s*\[\[[\w\-."' \t]+\]\]\s*(#.*)?$""")


def with_value(text: str, parts: tuple[str, ...], value: Any) -> str:
    """A TOML text with one value set; if it exists, only its characters change.

    Only the section that holds it is put together anew: of a whole text tomlkit brings tables
    into another order where some of an array stand apart.
    """
    parts = as_written(tomllib.loads(text), parts)
    sections = _sections(text)
    best, depth, there = -1, -1, False
    for n, section in enumerate(sections):
        path = _path_of(section)
        if path is None or path != parts[: len(path)]:
            continue
        holds = _holds(tomllib.loads(section), parts)
        if (holds, len(path)) > (there, depth):
            best, depth, there = n, len(path), holds
    if not there and depth <= 0 and len(parts) > 1:
        table, key = key_path(parts[:-1]), key_path(parts[-1:])
        written = tomlkit.item(value).as_string()
        return f"{text.rstrip()}\n\n[{table}]\n{key} = {written}\n"
    document = tomlkit.parse(sections[best])
    _put(document, parts, value)
    sections[best] = tomlkit.dumps(document)
    return "".join(sections)


def _sections(text: str) -> list[str]:
    """A TOML text cut before each header of a table."""
    sections = [""]
    for line in text.splitlines(keepends=True):
        is_header = HEADER.match(line.rstrip()) or ARRAY.match(line.rstrip())
        if is_header and _is_whole(sections[-1]):  # else it is a line of an array or a text
            sections.append("")
        sections[-1] += line
    return sections


def _is_whole(text: str) -> bool:
    try:
        tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return False
    return True


def _path_of(section: str) -> tuple[str, ...] | None:
    """The path in the header of a section: none at the top, None of an array of tables."""
    first = section.splitlines()[0] if section else ""
    if ARRAY.match(first):
        return None
    header = HEADER.match(first)
    return tuple(parts_of_key(header["path"].strip())) if header else ()


def _holds(table: Any, parts: tuple[str, ...]) -> bool:
    for part in parts:
        if not isinstance(table, dict) or part not in table:
            return False
        table = table[part]
    return True


def _put(document: Any, parts: tuple[str, ...], value: Any) -> None:
    """Set one value; if it exists, only its characters change."""
    here = document
    for part in parts[:-1]:
        if part not in here:
            here[part] = tomlkit.table()
        here = here[part]
    old = here.get(parts[-1])
    if isinstance(old, int) and isinstance(value, float) and value.is_integer():
        value = int(value)  # 120 stays without a point
    here[parts[-1]] = value
