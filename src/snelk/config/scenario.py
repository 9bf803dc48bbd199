"""Reading a scenario: TOML files, changed numbers, inheritance, and the checks across files."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from snelk.config.geojson import LevelData, read_level
from snelk.config.models import Body, Profile, Setup
from snelk.config.problems import Locate, checked, key_path, shown
from snelk.config.recordings import NoiseData, TrackData, read_noises, read_tracks
from snelk.errors import InputError, Problem, nearest

Raw = dict[str, Any]


@dataclass(frozen=True)
class Scenario:
    """A scenario as read and checked: what a run needs, in plain data.

    Attributes:
        source: The file it came from, for messages.
        setup: Everything in its TOML files, with changes and inheritance worked in.
        level: The level's features.
        tracks: The recorded poses of each tracked character of the cast.
        noises: The noises, in the order of time.
        changes: What was changed by the caller, as `{key path: value}`.
        strangers: Ids that the track files hold but the cast does not.
    """

    source: str
    setup: Setup
    level: LevelData
    tracks: Mapping[str, TrackData]
    noises: NoiseData
    changes: Mapping[str, Any] = field(default_factory=dict)
    strangers: tuple[str, ...] = ()
    raw: Mapping[str, Any] = field(default_factory=dict, repr=False)

    def changed(self, changes: Mapping[str, Any]) -> Scenario:
        """The same scenario with other numbers; level, tracks and noises are not read again.

        Raises:
            InputError: A key path leads nowhere or a value breaks its rule.
        """
        if not changes:
            return self
        raw = json.loads(json.dumps(self.raw))
        places = _apply(raw, changes)
        setup = _setup(raw, places, self.source)
        problems = [*_cast_problems(setup, self.source, self.tracks)]
        fixed = ("level", "tracks", "noises", "use")
        problems += [
            Problem(
                f"change {key}", "", "", f'"{key}" cannot be changed', "edit the scenario's file"
            )
            for key in fixed
            if getattr(setup, key) != getattr(self.setup, key)
        ]
        if problems:
            raise InputError(problems)
        return Scenario(
            self.source,
            setup,
            self.level,
            self.tracks,
            self.noises,
            {**self.changes, **changes},
            self.strangers,
            raw,
        )


def load(path: str | Path, *, changes: Mapping[str, Any] | None = None) -> Scenario:
    """Read a scenario and every file it names.

    Args:
        path: The scenario's TOML file.
        changes: Numbers to change, by key path, for example
            ``{"profiles.goose.cones.wide.range": 9.4}``.

    Raises:
        InputError: Anything is missing, unknown or out of range; all that is wrong is listed.
    """
    path = Path(path)
    raw = _read_toml(path)
    places: dict[tuple[str, ...], str] = {}
    problems: list[Problem] = []
    _take_in_used(raw, path, places, problems)
    if problems:
        raise InputError(problems)
    original = json.loads(json.dumps(raw))
    places.update(_apply(raw, changes or {}))
    try:
        setup = _setup(raw, places, str(path))
    except InputError as error:
        # The files that the scenario names are read all the same, to tell everything at once.
        problems += error.problems
        _read_named(original, path, problems, error)
        raise InputError(problems) from None
    level, tracks, noises = _read_named(raw, path, problems, None)
    if problems or level is None:
        raise InputError(problems)
    problems += _cast_problems(setup, str(path), tracks)
    if problems:
        raise InputError(problems)
    return Scenario(
        str(path),
        setup,
        level,
        {name: tracks[name] for name in setup.cast if name in tracks},
        noises,
        dict(changes or {}),
        tuple(name for name in tracks if name not in setup.cast),
        raw,
    )


def parse_change(text: str) -> tuple[str, Any]:
    """`KEY=VALUE` as written on the command line; the value is TOML, or else plain text.

    >>> parse_change("profiles.goose.cones.wide.range=9.4")
    ('profiles.goose.cones.wide.range', 9.4)
    >>> parse_change("cast.fox.team=wild")
    ('cast.fox.team', 'wild')
    """
    key, equals, value = text.partition("=")
    if not equals or not key.strip():
        raise InputError.of("--set", "", f'"{text}"', "must be KEY=VALUE", "such as clock.dt=0.02")
    try:
        return key.strip(), tomllib.loads(f"value = {value}")["value"]
    except tomllib.TOMLDecodeError:
        return key.strip(), value.strip()


def _read_toml(path: Path) -> Raw:
    source = str(path)
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        beside = [p.name for p in path.parent.glob("*.toml")] if path.parent.is_dir() else []
        fix = nearest(path.name, beside) if beside else "check the path"
        raise InputError.of(source, "", "", "no such file", fix) from None
    except IsADirectoryError:
        inside = sorted(p.name for p in path.glob("*.toml"))
        fix = f"name a file in it: {', '.join(inside[:4])}" if inside else "name a TOML file"
        raise InputError.of(source, "", "", "is a folder, not a file", fix) from None
    except UnicodeDecodeError:
        raise InputError.of(source, "", "", "is not text in UTF-8", "save it as UTF-8") from None
    except OSError as error:
        raise InputError.of(source, "", "", f"cannot be read: {error.strerror}") from None
    except tomllib.TOMLDecodeError as error:
        raise InputError.of(source, "", "", f"is not valid TOML: {error}") from None


def _take_in_used(
    raw: Raw, path: Path, places: dict[tuple[str, ...], str], problems: list[Problem]
) -> None:
    """Merge the bodies and profiles of the files in `use`, remembering where each came from."""
    use = raw.get("use", [])
    if not isinstance(use, list) or not all(isinstance(name, str) for name in use):
        problems.append(Problem(str(path), "use", shown(use), "must be a list of file names"))
        return
    for name in use:
        used = path.parent / name
        try:
            extra = _read_toml(used)
        except InputError as error:
            problems += error.problems
            continue
        for section, entries in extra.items():
            if section not in ("bodies", "profiles") or not isinstance(entries, dict):
                rule = "holds only the tables bodies and profiles"
                fix = nearest(section, ("bodies", "profiles"))
                problems.append(Problem(str(used), section, shown(entries), rule, fix))
                continue
            own = raw.setdefault(section, {})
            for entry, body in entries.items():
                if not isinstance(own, dict) or entry in own:
                    first = places.get((section, entry), str(path))
                    rule, fix = f"is already defined in {first}", "rename one of the two"
                    where = key_path((section, entry))
                    problems.append(Problem(str(used), where, "", rule, fix))
                    continue
                own[entry] = body
                places[section, entry] = str(used)


def _apply(raw: Raw, changes: Mapping[str, Any]) -> dict[tuple[str, ...], str]:
    """Write each change into `raw`; the places say which keys were written by which change."""
    places = {}
    for key, value in changes.items():
        try:
            tree: Any = tomllib.loads(f"{key} = 0")
        except tomllib.TOMLDecodeError:
            fix = "such as profiles.goose.cones.wide.range"
            raise InputError.of(f"change {key}", "", "", "is not a key path", fix) from None
        parts: list[str] = []
        while isinstance(tree, dict):
            parts.append(next(iter(tree)))
            tree = tree[parts[-1]]
        here = raw
        for depth, part in enumerate(parts[:-1]):
            if (
                part not in here
                and depth > 0
                and parts[depth - 1] in ("cast", "profiles", "bodies")
            ):
                place, fix = key_path(parts[: depth + 1]), nearest(part, here)
                raise InputError.of(f"change {key}", place, "", "no such name", fix)
            here = here.setdefault(part, {})
            if not isinstance(here, dict):
                place = key_path(parts[: depth + 1])
                raise InputError.of(f"change {key}", place, shown(here), "is a value, not a table")
        here[parts[-1]] = value
        places[tuple(parts)] = f"change {key}"
    return places


def _setup(raw: Raw, places: Mapping[tuple[str, ...], str], source: str) -> Setup:
    """Work inheritance in and check the whole."""
    problems: list[Problem] = []
    full = dict(raw)
    owners: dict[tuple[str, ...], tuple[str, ...]] = {}
    profiles = raw.get("profiles", {})
    if isinstance(profiles, dict):
        locate = _locator(places, owners, source)
        full["profiles"] = {
            name: _inherit(name, profiles, (), owners, problems, locate) for name in profiles
        }
    setup = checked(Setup, full, _locator(places, owners, source), problems)
    if problems or setup is None:
        raise InputError(problems)
    return setup


def _inherit(
    name: str,
    profiles: Raw,
    heirs: tuple[str, ...],
    owners: dict[tuple[str, ...], tuple[str, ...]],
    problems: list[Problem],
    locate: Locate,
) -> Any:
    """A profile with the keys of its parent, the grandparent and so on worked in."""
    own = profiles[name]
    parent = own.get("like") if isinstance(own, dict) else None
    if parent is None:
        return own
    source, place = locate(("profiles", name, "like"))
    if not isinstance(parent, str) or parent not in profiles:
        fix = nearest(str(parent), [p for p in profiles if p != name])
        problems.append(Problem(source, place, shown(parent), "no such profile", fix))
        return {k: v for k, v in own.items() if k != "like"}
    if parent in (*heirs, name):
        chain = " like ".join((*heirs, name, parent))
        problem = Problem(source, place, chain, "profiles inherit in a circle", "cut it")
        if not any(p.rule == problem.rule for p in problems):
            problems.append(problem)
        return {k: v for k, v in own.items() if k != "like"}
    base = _inherit(parent, profiles, (*heirs, name), owners, problems, locate)
    return _merge(base, own, ("profiles", parent), ("profiles", name), owners)


def _merge(
    base: Any,
    own: Any,
    base_place: tuple[str, ...],
    place: tuple[str, ...],
    owners: dict[tuple[str, ...], tuple[str, ...]],
) -> Any:
    """`own` over `base`, table by table; `owners` says where an inherited key was written."""
    if not (isinstance(base, dict) and isinstance(own, dict)):
        return own
    merged = dict(base)
    for key in base:
        if key not in own:
            owners[(*place, key)] = owners.get((*base_place, key), (*base_place, key))
    for key, value in own.items():
        merged[key] = (
            _merge(base[key], value, (*base_place, key), (*place, key), owners)
            if key in base
            else value
        )
    return merged


def _locator(
    places: Mapping[tuple[str, ...], str],
    owners: Mapping[tuple[str, ...], tuple[str, ...]],
    source: str,
) -> Locate:
    """Where a key of the whole was really written: the file or change, and the key path there."""

    def locate(place: tuple[str | int, ...]) -> tuple[str, str]:
        for depth in range(len(place), 0, -1):
            owner = owners.get(tuple(map(str, place[:depth])))
            if owner is not None:
                return locate((*owner, *place[depth:]))
        for depth in range(len(place), 0, -1):
            origin = places.get(tuple(map(str, place[:depth])))
            if origin is not None:
                return origin, key_path(place)
        return source, key_path(place)

    return locate


def _read_named(
    raw: Raw, path: Path, problems: list[Problem], earlier: InputError | None
) -> tuple[LevelData | None, dict[str, TrackData], NoiseData]:
    """Read the level, tracks and noises; problems are added, not raised."""
    level: LevelData | None = None
    tracks: dict[str, TrackData] = {}
    noises = NoiseData.none()
    if isinstance(raw.get("level"), str):
        try:
            level = read_level(path.parent / raw["level"])
        except InputError as error:
            problems += error.problems
    elif earlier is None:
        problems.append(Problem(str(path), "level", "", "is missing", "name a GeoJSON file"))
    sources: dict[str, Path] = {}
    for name in _file_names(raw.get("tracks")):
        try:
            for who, track in read_tracks(path.parent / name).items():
                if who in tracks:
                    rule = f"has a track in {sources[who]} already"
                    fix = "leave one of the two out"
                    problems.append(Problem(str(path.parent / name), f'id "{who}"', "", rule, fix))
                tracks[who] = track
                sources[who] = path.parent / name
        except InputError as error:
            problems += error.problems
    for name in _file_names(raw.get("noises")):
        try:
            noises = noises.with_more(read_noises(path.parent / name))
        except InputError as error:
            problems += error.problems
    return level, tracks, noises


def _file_names(value: Any) -> list[str]:
    return [name for name in value if isinstance(name, str)] if isinstance(value, list) else []


def _cast_problems(setup: Setup, source: str, tracks: Mapping[str, TrackData]) -> Iterable[Problem]:
    """What is wrong between the cast and what it refers to."""
    kinds: tuple[tuple[str, Mapping[str, Body] | Mapping[str, Profile]], ...] = (
        ("profile", setup.profiles),
        ("body", setup.bodies),
    )
    for name, member in setup.cast.items():
        place = key_path(("cast", name))
        for key, known in kinds:
            wanted = getattr(member, key)
            if wanted is not None and wanted not in known:
                fix = nearest(wanted, known)
                yield Problem(source, f"{place}.{key}", f'"{wanted}"', f"no such {key}", fix)
        profile = setup.profiles.get(member.profile) if member.profile else None
        if member.body is None and (profile is None or profile.body is None):
            rule, fix = "has no body", f"add body = … ({nearest(name, setup.bodies)})"
            if profile is not None or member.profile is None:
                yield Problem(source, place, "", rule, fix)
        if member.at is None and name not in tracks:
            free = [track for track in tracks if track not in setup.cast]
            fix = f"add at = [x, y], or a track ({nearest(name, free)})"
            yield Problem(source, place, "", "has neither a track nor a place to stand", fix)
        if member.at is not None and name in tracks:
            rule, fix = "has both a track and a place to stand", "leave one of the two out"
            yield Problem(source, f"{place}.at", shown(member.at), rule, fix)
    for name, profile in setup.profiles.items():
        if profile.body is not None and profile.body not in setup.bodies:
            place, fix = key_path(("profiles", name, "body")), nearest(profile.body, setup.bodies)
            yield Problem(source, place, f'"{profile.body}"', "no such body", fix)
    end = setup.clock.end
    if end is not None and end < setup.clock.start:
        rule = f"must be at least clock.start, {setup.clock.start:g} s"
        yield Problem(source, "clock.end", f"{end:g}", rule)
    if end is None and not tracks:
        rule, fix = "is needed where there are no tracks", "add end = … seconds"
        yield Problem(source, "clock.end", "", rule, fix)
