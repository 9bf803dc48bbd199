"""Reading a scenario and every file it names, and the checks across them."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from hashlib import blake2b
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

from snelk.config.clues import clue_problems, with_clues_placed
from snelk.config.draft import Draft, as_value, split_key
from snelk.config.expectations import expectation_problems
from snelk.config.geojson import LevelData, read_level
from snelk.config.ladders import recorded_changes_problems
from snelk.config.models import Change, Setup
from snelk.config.names import name_problems
from snelk.config.played import Played, read_played
from snelk.config.players import (
    NOTHING,
    Recorded,
    as_before_playing,
    player_problems,
    players_of,
    with_players,
)
from snelk.config.problems import shown
from snelk.config.recordings import (
    NoiseData,
    ThrowData,
    TrackData,
    end_of,
    read_changes,
    read_noises,
    read_throws,
    read_tracks,
)
from snelk.errors import InputError, Problem, nearest

MOST_TICKS = 1_000_000
"""Longer runs are refused: more likely than not a unit is wrong."""


@dataclass(frozen=True)
class Scenario:
    """A scenario, read and checked: everything a run needs, as plain data.

    Attributes:
        source: The file it came from, for messages.
        setup: Everything in its TOML files, with overrides and inheritance worked in.
        level: The level's features.
        tracks: The recorded poses of each tracked character of the cast.
        noises: The noises, in the order of time.
        throws: The things thrown, in the order of time.
        changes: The doors and lights that files say changed, in the order of time.
        played: The input of a live game, if the scenario is its record.
        overrides: The caller's overrides, as `{key path: value}`.
        strangers: Ids that the track files hold but the cast does not.
        recorded: All recordings, also of characters that are simulated players.
    """

    source: str
    setup: Setup
    level: LevelData
    tracks: Mapping[str, TrackData]
    noises: NoiseData
    throws: ThrowData
    changes: tuple[Change, ...]
    overrides: Mapping[str, Any]
    strangers: tuple[str, ...]
    draft: Draft = field(repr=False)
    recorded: Recorded = field(repr=False, default=NOTHING)
    played: Played | None = None

    @cached_property
    def as_written(self) -> Setup:
        """Its numbers by the keys of its files, with players' original profiles."""
        if not players_of(self.setup):
            return self.setup
        written = self.draft.setup([])
        assert written is not None  # as it was when it was read
        return as_before_playing(self.setup, written)

    def changed(self, overrides: Mapping[str, Any]) -> Scenario:
        """The same scenario with other numbers; level, tracks and noises are not read again.

        Args:
            overrides: New values by key path, such as ``{"profiles.dog.cones.muzzle.range": 9}``.

        Raises:
            InputError: A key path leads nowhere, a value breaks its rule, or a file is named.
        """
        if not overrides:
            return self
        problems: list[Problem] = []
        draft = self.draft.changed(overrides)
        setup = draft.setup(problems)
        if setup is not None:
            problems += clue_problems(setup, draft, self.level, self.tracks)
        left = Recorded(self.tracks, self.noises, self.throws)
        if setup is not None and not problems:
            left = left.without(players_of(setup))
            problems += player_problems(setup, draft, self.level)
        if setup is not None and not problems:
            setup = with_players(setup, self.recorded)
            setup = with_clues_placed(setup, self.level, left.tracks)
            problems += _cast_problems(setup, draft, left.tracks, self.played)
        if setup is not None and not problems:
            problems += name_problems(setup, draft, self.level, left.noises, left.throws)
            also = () if self.played is None else self.played.changes()
            changes = (*self.changes, *also)
            problems += recorded_changes_problems(setup, draft, self.level, changes)
            if _about_expectations(overrides):
                end = end_of(setup.clock, left.tracks)
                recorded = (*left.noises.kind, *left.throws.kind)
                problems += expectation_problems(setup, draft, self.level, end, recorded)
            problems += [
                Problem("overrides", key, "", "cannot be overridden", "edit the scenario file")
                for key in ("level", "tracks", "noises", "throws", "changes", "played", "use")
                if getattr(setup, key) != getattr(self.setup, key)
            ]
        if problems or setup is None:
            raise InputError(problems)
        return replace(
            self, setup=setup, draft=draft, overrides={**self.overrides, **overrides},
            tracks=left.tracks, noises=left.noises, throws=left.throws,
        )  # fmt: skip

    def check_expectations(self) -> None:
        """Make sure that all that is expected and wished for can be judged.

        Raises:
            InputError: It names what overrides have taken away.
        """
        recorded = (*self.noises.kind, *self.throws.kind)
        problems = list(
            expectation_problems(self.setup, self.draft, self.level, math.inf, recorded)
        )
        if problems:
            raise InputError(problems)

    def digests(self) -> dict[str, str]:
        """A short hash of everything that goes in but the numbers: level, tracks, noises, throws.

        >>> import snelk
        >>> sorted(snelk.load(snelk.croft() / "night.toml").digests())
        ['level', 'noises', 'throws', 'tracks.fox']
        """
        parts: dict[str, Any] = {
            "level": self.level.to_geojson(),
            "noises": self.noises,
            "throws": self.throws,
            **{f"tracks.{name}": track for name, track in self.tracks.items()},
        }
        if self.played is not None:
            given = (*self.played.noises, *self.played.effects)
            parts["played"] = [(t, each.model_dump()) for t, each in given]
        if self.changes:
            parts["changes"] = [change.model_dump() for change in self.changes]
        return {
            name: blake2b(json.dumps(part, default=_plain).encode(), digest_size=8).hexdigest()
            for name, part in parts.items()
        }


def load(path: str | Path, *, overrides: Mapping[str, Any] | None = None) -> Scenario:
    """Read a scenario and every file it names.

    Args:
        path: The scenario's TOML file.
        overrides: Numbers to change, by key path, for example
            ``{"profiles.goose.cones.wide.range": 9.4}``.

    Raises:
        InputError: Anything is missing, unknown or out of range; all that is wrong is listed.

    >>> import snelk
    >>> snelk.load(snelk.croft() / "night.toml").setup.clock.dt
    0.1
    """
    path = Path(path)
    problems: list[Problem] = []
    draft = Draft.read(path, problems).changed(overrides or {})
    played = _read_played(draft.raw, path, problems)
    clock = draft.raw.get("clock", {})
    if played is not None and isinstance(clock, dict) and "end" not in clock:
        draft = draft.changed({"clock.end": played.end})
    # If a file in use is broken, complaints about what it should have held would mislead.
    setup = draft.setup(problems) if not problems else None
    level, tracks, noises, throws = _read_named(draft.raw, path, problems)
    changes = _read_changes(draft.raw, path, problems)
    tracks |= played.tracks if played is not None else {}
    if setup is not None and level is not None and not problems:
        problems += clue_problems(setup, draft, level, tracks)
    recorded = left = Recorded(tracks, noises, throws)
    if setup is not None and level is not None and not problems:
        left = recorded.without(players_of(setup))
        problems += player_problems(setup, draft, level)
    if setup is not None and level is not None and not problems:
        setup = with_players(setup, recorded)
        setup = with_clues_placed(setup, level, left.tracks)
        problems += _cast_problems(setup, draft, left.tracks, played)
    if setup is not None and level is not None and not problems:
        problems += name_problems(setup, draft, level, left.noises, left.throws)
        also = () if played is None else played.changes()
        problems += recorded_changes_problems(setup, draft, level, (*changes, *also))
        # What is changed for a try, such as the end of the run, may leave expectations behind.
        if not overrides or _about_expectations(overrides):
            end, kinds = end_of(setup.clock, left.tracks), (*noises.kind, *throws.kind)
            problems += expectation_problems(setup, draft, level, end, kinds)
    if problems or setup is None or level is None:
        raise InputError(problems)
    return Scenario(
        str(path),
        setup,
        level,
        {name: left.tracks[name] for name in setup.cast if name in left.tracks},
        left.noises,
        left.throws,
        changes,
        dict(overrides or {}),
        tuple(name for name in tracks if name not in setup.cast),
        draft,
        recorded,
        played,
    )


def as_scenario(given: str | Path | Scenario) -> Scenario:
    """A scenario that was loaded, or the one in a TOML file."""
    return given if isinstance(given, Scenario) else load(given)


def value_of(setup: Setup, key: str) -> Any:
    """The value at a key path of a setup, inherited and default ones too; None if there is none.

    >>> import snelk
    >>> night = snelk.load(snelk.croft() / "night.toml").setup
    >>> value_of(night, "profiles.gander.meter.fill_time")
    2.0
    """
    here: Any = setup
    for part in split_key(key):
        if isinstance(here, BaseModel):
            fields = type(here).model_fields.items()
            name = next((name for name, field in fields if (field.alias or name) == part), None)
            here = getattr(here, name) if name is not None else None
        elif isinstance(here, Mapping):
            here = here.get(part)
        else:
            return None
    return here


def parse_override(text: str) -> tuple[str, Any]:
    """`KEY=VALUE` as written on the command line; the value is TOML, or else plain text.

    >>> parse_override("profiles.goose.cones.wide.range=9.4")
    ('profiles.goose.cones.wide.range', 9.4)
    >>> parse_override("cast.fox.team=wild")
    ('cast.fox.team', 'wild')
    """
    key, equals, value = text.partition("=")
    if not equals or not key.strip():
        raise InputError.of("--set", "", f'"{text}"', "must be KEY=VALUE", "such as clock.dt=0.02")
    return key.strip(), as_value(value)


def _read_named(
    raw: Mapping[str, Any], path: Path, problems: list[Problem]
) -> tuple[LevelData | None, dict[str, TrackData], NoiseData, ThrowData]:
    """Read the level, tracks, noises and throws; problems are added, not raised."""
    level: LevelData | None = None
    tracks: dict[str, TrackData] = {}
    noises, throws = NoiseData.none(), ThrowData.none()
    if isinstance(raw.get("level"), str):
        try:
            level = read_level(path.parent / raw["level"])
        except InputError as error:
            problems += error.problems
    sources: dict[str, Path] = {}
    for name in _file_names(raw.get("tracks")):
        try:
            for who, track in read_tracks(path.parent / name).items():
                if who in tracks:
                    rule = f"has a track in {sources[who]} already"
                    fix = "leave out one of the two"
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
    for name in _file_names(raw.get("throws")):
        try:
            throws = throws.with_more(read_throws(path.parent / name))
        except InputError as error:
            problems += error.problems
    return level, tracks, noises, throws


def _read_changes(
    raw: Mapping[str, Any], path: Path, problems: list[Problem]
) -> tuple[Change, ...]:
    """Read the doors and lights that changed; problems are added, not raised."""
    found: list[Change] = []
    for name in _file_names(raw.get("changes")):
        try:
            found += read_changes(path.parent / name)
        except InputError as error:
            problems += error.problems
    return tuple(sorted(found, key=lambda change: change.t))


def _read_played(raw: Mapping[str, Any], path: Path, problems: list[Problem]) -> Played | None:
    """Read the input of a live game; problems are added, not raised."""
    if not isinstance(raw.get("played"), str):
        return None
    try:
        return read_played(path.parent / raw["played"])
    except InputError as error:
        problems += error.problems
        return None


def _about_expectations(overrides: Mapping[str, Any]) -> bool:
    return any(key.partition(".")[0] in ("expect", "wish", "fit", "fairness") for key in overrides)


def _plain(value: Any) -> Any:
    """Arrays and dataclasses as JSON can hold them."""
    return value.tolist() if isinstance(value, np.ndarray) else vars(value)


def _file_names(value: Any) -> list[str]:
    return [name for name in value if isinstance(name, str)] if isinstance(value, list) else []


def _cast_problems(
    setup: Setup, draft: Draft, tracks: Mapping[str, TrackData], played: Played | None
) -> Iterator[Problem]:
    """Errors between the cast, the tracks and the clock."""
    placed = played.tracks if played is not None else {}
    for name, member in setup.cast.items():
        source, place = draft.locate(("cast", name))
        profile = setup.profiles[member.profile] if member.profile is not None else None
        if member.body is None and (profile is None or profile.body is None):
            fix = f"add body = … ({nearest(name, setup.bodies)})"
            yield Problem(source, place, "", "has no body", fix)
        if member.at is None and name not in tracks:
            free = [track for track in tracks if track not in setup.cast]
            fix = f"add at = [x, y], or a track ({nearest(name, free)})"
            yield Problem(source, place, "", "has neither a track nor a position", fix)
        if member.at is not None and name in tracks and name not in placed:
            rule, fix = "has both a track and a position", "leave out one of the two"
            yield Problem(source, f"{place}.at", shown(member.at), rule, fix)
    if played is not None:
        yield from played.problems(setup)
    clock = setup.clock
    source, place = draft.locate(("clock", "end"))
    if clock.end is not None and clock.end < clock.start:
        rule = f"must be at least clock.start, {clock.start:g} s"
        yield Problem(source, place, f"{clock.end:g}", rule)
    for n, effect in enumerate(setup.effect):
        if effect.at is not None and effect.of in tracks:
            source, place = draft.locate(("effect", n))
            rule, fix = f"{effect.of} has a track, which says where it is", "leave at out"
            yield Problem(source, f"{place}.at", shown(effect.at), rule, fix)
    source, place = draft.locate(("clock", "end"))
    if clock.end is None and not tracks:
        rule, fix = "is required if there are no tracks", "add end = … seconds"
        yield Problem(source, place, "", rule, fix)
        return
    ticks = (end_of(clock, tracks) - clock.start) / clock.dt
    if ticks > MOST_TICKS:
        rule = f"makes {ticks:.0f} ticks, more than {MOST_TICKS}"
        yield Problem(source, "clock", "", rule, "raise dt, or choose an earlier end")
