"""A scenario's TOML while it is assembled: its values, and where each key was written."""

from __future__ import annotations

import copy
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from snelk.config.minds import ACTIVITIES
from snelk.config.models import Setup
from snelk.config.problems import checked, key_path, shown
from snelk.config.reading import read_toml
from snelk.config.renamed import bring_up_to_date, today
from snelk.errors import InputError, Problem, UnknownNameError, nearest

Raw = dict[str, Any]
Place = tuple[str | int, ...]

SECTIONS = ("bodies", "profiles", "noise_kinds", "grounds")
"""The tables that a file in `use` may hold."""

DEEPEST_KEY, DEEPEST_VALUE = 16, 32
"""Parts of a key path, and tables and lists in one another, at most."""

LONGEST_LINE = 50
"""Profiles that are like one another in a row, at most."""

NAMED = (*SECTIONS, "cast")
"""Tables whose entries must be there before an override can reach into them."""


class Draft:
    """The merged TOML of a scenario and the files it uses.

    Attributes:
        source: The scenario's file, for messages.
        raw: What is written, merged, before inheritance.
        outdated: Keys that were written by the names that they had before.
        names: What alert ladders can refer to, by kind, once that was checked.
    """

    def __init__(self, source: str, raw: Raw, origins: Mapping[Place, str]) -> None:
        self.source = source
        self.raw = raw
        self._origins = dict(origins)  # keys that were not written in the scenario's own file
        # By place two tables and what came of merging them: these two are not merged again.
        self._merged: dict[Place, tuple[Any, Any, Any]] = {}
        self.outdated: list[tuple[str, ...]] = []
        self.names: dict[str, list[str]] = {}
        self._base: Draft | None = None  # what this one was made of
        self._whole: tuple[Raw, Setup] | None = None  # with inheritance worked in, and checked

    @classmethod
    def read(cls, path: Path, problems: list[Problem]) -> Draft:
        """Read a scenario and the files in its `use`.

        Problems of the latter are added to `problems`; `InputError` is raised if the scenario
        itself cannot be read.
        """
        draft = cls(str(path), _read(path), {})
        draft.outdated = bring_up_to_date(draft.raw)
        use = draft.raw.get("use", [])
        if not isinstance(use, list) or not all(isinstance(name, str) for name in use):
            return draft  # the check of the whole says so
        for name in use:
            try:
                extra = _read(path.parent / name)
            except InputError as error:
                problems += error.problems
            else:
                draft.outdated += bring_up_to_date(extra)
                problems += draft._take_in(str(path.parent / name), extra)
        return draft

    def _take_in(self, source: str, extra: Raw) -> Iterator[Problem]:
        for section, entries in extra.items():
            if section not in SECTIONS or not isinstance(entries, dict):
                rule = f"a file in use holds only the tables {', '.join(SECTIONS)}"
                yield Problem(source, section, shown(entries), rule, nearest(section, SECTIONS))
                continue
            own = self.raw.setdefault(section, {})
            if not isinstance(own, dict):
                continue
            for name, entry in entries.items():
                if name in own:
                    first = self._origins.get((section, name), self.source)
                    rule, fix = f"is already defined in {first}", "rename one of the two"
                    yield Problem(source, key_path((section, name)), "", rule, fix)
                    continue
                own[name] = entry
                self._origins[section, name] = source

    def changed(self, overrides: Mapping[str, Any]) -> Draft:
        """The draft with values written over it, by key path.

        Raises:
            InputError: A key path is malformed or leads through a value or an unknown name.
        """
        # What is not written to is shared with the draft that this one comes from.
        draft = Draft(self.source, dict(self.raw), self._origins)
        draft._base, draft._merged = self, dict(self._merged)
        for key, value in overrides.items():
            parts = split_key(key)
            here: Any = draft.raw
            for depth, part in enumerate(parts[:-1]):
                place = key_path(parts[: depth + 1])
                if part not in here and depth == 1 and parts[0] in NAMED:
                    raise UnknownNameError.of(
                        "overrides", place, "", "no such name", nearest(part, here)
                    )
                inner = here.get(part, {})
                if not isinstance(inner, dict):
                    raise InputError.of("overrides", place, shown(inner), "is a value, not a table")
                here[part] = here = dict(inner)
            if parts[0] == "grounds" and len(parts) == 2 and parts[1] not in here:
                place, fix = key_path(parts), nearest(parts[1], here)
                raise UnknownNameError.of("overrides", place, "", "no such name", fix)
            if len(parts) == 4 and parts[0] in ("cast", "bodies") and parts[2] == "attributes":
                known = draft.attributes()
                if known and parts[3] not in known:
                    place, fix = key_path(parts), nearest(parts[3], known)
                    raise InputError.of(
                        "overrides", place, "", "no character has this attribute", fix
                    )
            here[parts[-1]] = copy.deepcopy(value)
            draft._origins[tuple(parts)] = "overrides"
        draft.outdated = [*self.outdated]
        if any(isinstance(value, dict) for value in overrides.values()):
            draft.outdated += bring_up_to_date(draft.raw)
        return draft

    def checked_before(self) -> tuple[Setup, dict[str, list[str]]] | None:
        """The whole that this one was made of, and the names in it, if it was checked."""
        base = self._base
        return None if base is None or base._whole is None else (base._whole[1], base.names)

    def attributes(self) -> set[str]:
        """The attributes that anybody of the cast, or any body, is written to have."""
        found: set[str] = set()
        for section in ("cast", "bodies"):
            for entry in _tables(self.raw.get(section)).values():
                found |= set(_tables({"": entry.get("attributes")}).get("", {}))
        return found

    def setup(self, problems: list[Problem]) -> Setup | None:
        """The whole, checked, with inheritance worked in; None if there are problems."""
        found: list[Problem] = []
        full = dict(self.raw)
        profiles = self.raw.get("profiles", {})
        orphans: set[str] = set()
        if isinstance(profiles, dict):
            full["profiles"] = {
                name: self._inherit(name, profiles, (), found, orphans) for name in profiles
            }
        inherited = len(found)
        setup = checked(Setup, self._with_what_is_checked(full), self.locate, found)
        # What a profile lacks because its parent is missing is not worth telling.
        found[inherited:] = [
            problem
            for problem in found[inherited:]
            if not (
                problem.rule == "is missing"
                and any(problem.place.startswith(key_path(("profiles", n))) for n in orphans)
            )
        ]
        found += self._wrong_names()
        problems += found
        self._whole = None if found or setup is None else (full, setup)
        return None if found else setup

    def _with_what_is_checked(self, full: Raw) -> Raw:
        """The whole scenario, reusing parts that were checked before and are identical."""
        whole = self._base._whole if self._base is not None else None
        if whole is None:
            return full
        known: Raw = {}
        for section, now in full.items():
            was, checked_before = whole[0].get(section), getattr(whole[1], section, None)
            known[section] = checked_before if now is was else _reused(was, now, checked_before)
        return known

    def locate(self, place: Place) -> tuple[str, str]:
        """Where a key was really written: the file, or `overrides`, and the key path there."""
        if len(place) > 2 and place[0] == "profiles":
            place = (*place[:1], self._owner_of(place), *place[2:])
        for depth in range(len(place), 0, -1):
            origin = self._origins.get(place[:depth])
            if origin is not None:
                return origin, key_path(place)
        return self.source, key_path(place)

    def _owner_of(self, place: Place) -> str:
        """The profile in which a key of a profile is written: itself, or one that it is like.

        Of a key that is nowhere, the nearest with most of the tables that it would be in.
        """
        profiles, line = _tables(self.raw.get("profiles")), str(place[1])
        owner, deepest, passed = line, 0, {line}
        while line in profiles:
            depth, here = 2, profiles[line]
            while depth < len(place) and isinstance(here, dict) and place[depth] in here:
                here, depth = here[str(place[depth])], depth + 1
            if depth > deepest:
                owner, deepest = line, depth
            line = str(profiles[line].get("like"))
            if depth == len(place) or not isinstance(here, dict) or line in passed:
                break
            passed.add(line)
        return owner

    def home_of(self, parts: Sequence[str]) -> str:
        """The file into which the value of a key path belongs: that of its profile or body."""
        for depth in range(len(parts), 0, -1):
            origin = self._origins.get(tuple(parts[:depth]))
            if origin is not None and origin != "overrides":
                return origin
        return self.source

    def _inherit(
        self,
        name: str,
        profiles: Raw,
        heirs: tuple[str, ...],
        problems: list[Problem],
        orphans: set[str],
    ) -> Any:
        """A profile with the keys of its parent, the grandparent and so on worked in."""
        own = profiles[name]
        parent = own.get("like") if isinstance(own, dict) else None
        if parent is None:
            return own
        source, place = self.locate(("profiles", name, "like"))
        problem = None
        if not isinstance(parent, str) or parent not in profiles:
            fix = nearest(str(parent), [other for other in profiles if other != name])
            problem = Problem(source, place, shown(parent), "no such profile", fix)
        elif parent in (*heirs, name):
            chain = " like ".join((*heirs, name, parent))
            problem = Problem(source, place, chain, "profiles inherit in a circle", "cut it")
        elif len(heirs) >= LONGEST_LINE:
            rule = f"more than {LONGEST_LINE} profiles are like one another in a row"
            problem = Problem(source, place, shown(parent), rule, "use fewer parents")
        if problem is not None:
            orphans.update((*heirs, name))
            if not any(known.rule == problem.rule and name in orphans for known in problems):
                problems.append(problem)
            return {key: value for key, value in own.items() if key != "like"}
        base = self._inherit(parent, profiles, (*heirs, name), problems, orphans)
        return self._merge(base, own, ("profiles", name))

    def _merge(self, base: Any, own: Any, place: Place) -> Any:
        """`own` over `base`, table by table."""
        if not (isinstance(base, dict) and isinstance(own, dict)):
            return own
        known = self._merged.get(place)
        if known is not None and known[0] is base and known[1] is own:
            return known[2]
        merged = dict(base)
        if place[2:-1] == ("ladder", "states") and any(key in own for key in ACTIVITIES):
            # Another activity takes the place of the one that it would have.
            merged = {
                key: value for key, value in base.items() if key not in ACTIVITIES or key in own
            }
        for key, value in own.items():
            merged[key] = self._merge(merged[key], value, (*place, key)) if key in merged else value
        self._merged[place] = base, own, merged
        return merged

    def _wrong_names(self) -> Iterator[Problem]:
        """Bodies and profiles that are referred to but are not there."""
        for section, keys in (("cast", ("profile", "body")), ("profiles", ("body",))):
            for name, entry in _tables(self.raw.get(section)).items():
                for key in keys:
                    wanted = _tables({name: entry}).get(name, {}).get(key)
                    known = self.raw.get("profiles" if key == "profile" else "bodies", {})
                    if isinstance(wanted, str) and isinstance(known, dict) and wanted not in known:
                        source, place = self.locate((section, name, key))
                        fix = nearest(wanted, known)
                        yield Problem(source, place, shown(wanted), f"no such {key}", fix)


def _reused(was: Any, now: Any, checked_before: Any) -> Any:
    """A table in which all that is the very same as before is what was checked then.

    What is equal may be of another type.
    """
    tables = isinstance(was, dict) and isinstance(now, dict)
    if not (tables and isinstance(checked_before, dict | BaseModel)):
        return now
    found: Raw = {}
    for key, value in now.items():
        found[key] = value
        if not isinstance(value, dict) or key not in was:
            continue
        if isinstance(checked_before, dict):
            part = checked_before.get(key)
        else:
            part = getattr(checked_before, key, None)
        if value is was[key]:
            found[key] = part if isinstance(part, dict | BaseModel) else value
        else:
            found[key] = _reused(was[key], value, part)
    return found


def _tables(value: Any) -> dict[str, Raw]:
    """The entries of a table that are tables themselves."""
    entries = value if isinstance(value, dict) else {}
    return {name: entry for name, entry in entries.items() if isinstance(entry, dict)}


def _read(path: Path) -> Raw:
    raw = read_toml(path)
    if too_deep(raw):
        rule = f"nests tables and lists deeper than {DEEPEST_VALUE}"
        raise InputError.of(str(path), "", "", rule, "use fewer levels")
    return raw


def split_key(key: str) -> list[str]:
    """A dotted key path as TOML reads it, quoted parts included, with the names of today."""
    return today(parts_of_key(key))


def parts_of_key(key: str) -> list[str]:
    """A dotted key path as it is written."""
    return [*_parts_of_key(key)]


@lru_cache(maxsize=1024)  # the same few keys are given for every variant
def _parts_of_key(key: str) -> tuple[str, ...]:
    parts: list[str] = []
    try:
        tree: Any = tomllib.loads(f"{key} = 0") if "\n" not in key else {}
        while isinstance(tree, dict) and len(tree) == 1 and len(parts) <= DEEPEST_KEY:
            part, tree = next(iter(tree.items()))
            parts.append(part)
    except (ValueError, RecursionError):
        tree = None
    if tree != 0 or isinstance(tree, bool):
        fix = "write it like profiles.goose.cones.wide.range"
        raise InputError.of("overrides", "", f'"{key[:80]}"', "is not a key path", fix)
    return tuple(parts)


def as_value(text: str) -> Any:
    """A value written as TOML; anything else is text.

    >>> as_value("[1, 2]"), as_value("walking")
    ([1, 2], 'walking')
    """
    try:
        found = tomllib.loads(f"value = {text}") if "\n" not in text else {}
    except (ValueError, RecursionError):
        found = {}
    plain = len(found) == 1 and not too_deep(found)
    return found["value"] if plain else text.strip()


def too_deep(value: Any) -> bool:
    """Whether lists and tables are nested deeper than anybody needs."""
    level = [value]
    for _ in range(DEEPEST_VALUE):
        level = [
            part
            for each in level
            if isinstance(each, dict | list)
            for part in (each.values() if isinstance(each, dict) else each)
        ]
        if not level:
            return False
    return True
