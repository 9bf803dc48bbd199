"""The recorded input of a live game: a JSON Lines file that a scenario can name.

The first line identifies the file; each line after it is one tick: changed poses, noises and
effects. An incomplete last line is ignored.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from snelk.config.fields import LONGEST, Coordinate, Length, Model, Name, with_unit
from snelk.config.ladders import effect_problems
from snelk.config.models import Change, Effect, Setup
from snelk.config.problems import checked, key_path, shown
from snelk.config.reading import read_text
from snelk.config.recordings import TrackData
from snelk.config.words import GAITS, POSTURES
from snelk.errors import InputError, Problem, nearest

PLAYED = 1
"""The layout of these files; another number is another layout."""

Time = Annotated[float, with_unit("s", ge=0, le=1e6)]
Heading = Annotated[float, with_unit("rad", ge=-LONGEST, le=LONGEST)]
Pose = tuple[
    Coordinate,
    Coordinate,
    Coordinate,
    Heading,
    Literal["standing", "crouched", "prone"],
    Literal["still", "creeping", "walking", "running"] | None,
    bool,
]


class Sound(Model):
    """A noise that a game made."""

    kind: Name = Field(description="What it was.")
    x: Coordinate = Field(description="Where, m.")
    y: Coordinate = Field(description="Where, m.")
    z: Coordinate = Field(description="Where, m.")
    reach: Length = Field(description="How far it carries to an ordinary ear in the open, m.")
    by: Name | None = Field(default=None, description="Who made it; nobody if absent.")


class Line(Model):
    """The input of a game at one tick."""

    t: Time = Field(description="The tick, s.")
    poses: dict[Name, Annotated[Pose, Field(strict=False)]] = Field(
        default={},
        description="Characters that changed since the previous tick: x, y, z in m, "
        "heading in rad counter-clockwise from +x, posture, gait or null,"
        " and whether it is present.",
    )
    noises: Annotated[tuple[Sound, ...], Field(strict=False)] = Field(
        default=(), description="Noises, in the order in which they were made."
    )
    effects: Annotated[tuple[Effect | Change, ...], Field(strict=False)] = Field(
        default=(), description="Effects on characters, doors and lights, in that order."
    )


@dataclass(frozen=True)
class Played:
    """The input of a live game.

    Attributes:
        source: The file.
        end: Its last tick, s.
        tracks: The poses that the game set, at each tick.
        noises: Its noises, by time in s.
        effects: Its effects, by time in s.
    """

    source: str
    end: float
    tracks: Mapping[str, TrackData]
    noises: Sequence[tuple[float, Sound]]
    effects: Sequence[tuple[float, Effect | Change]]

    def changes(self) -> tuple[Change, ...]:
        """The doors and lights that it changed."""
        return tuple(each for _, each in self.effects if isinstance(each, Change))

    def problems(self, setup: Setup) -> Iterator[Problem]:
        """Characters, attributes and states that are named but are not there."""
        whose = [name for name in self.tracks if name not in setup.cast]
        makers = [noise.by for _, noise in self.noises if noise.by is not None]
        whose += [name for name in makers if name not in setup.cast]
        effects = [each for _, each in self.effects if isinstance(each, Effect)]
        whose += [each.of for each in effects if each.of not in setup.cast]
        for name in dict.fromkeys(whose):
            fix = nearest(name, setup.cast)
            yield Problem(self.source, "", shown(name), "no such character", fix)
        named = {name for each in effects for name in (*each.set, *each.add)}
        for name in sorted(named - set(setup.attributes)):
            fix = nearest(name, setup.attributes)
            yield Problem(self.source, "", shown(name), "no such attribute", fix)
        for each in effects:
            yield from effect_problems(setup, each, self.source, "effects")


def line_of(row: str, source: str, n: int) -> Line:
    """One line of such a file after its first.

    Raises:
        InputError: It is broken.
    """
    problems: list[Problem] = []
    found = _line_of(row, n, source, problems)
    place = f"line {n}"
    line = None if problems else checked(Line, found, partial(_where, source, place), problems)
    if line is None:
        raise InputError(problems)
    return line


def read_played(path: Path) -> Played:
    """Read the recorded input of a live game.

    Raises:
        InputError: It cannot be read, is of another layout, or a line in it is broken; the last
            line may be cut short.
    """
    source, text = str(path), read_text(path, kind=".jsonl")
    whole, _, cut = text.rpartition("\n")
    problems: list[Problem] = []
    lines = [_line_of(row, n, source, problems) for n, row in enumerate(whole.split("\n"), 1)]
    first = lines[0] if lines else None
    if not problems and (not isinstance(first, dict) or first.get("played") != PLAYED):
        rule = f'must begin with {{"played": {PLAYED}}}, as a live game writes it'
        problems.append(Problem(source, "line 1", (whole or cut)[:40], rule))
    ticks: list[Line] = []
    for n, row in enumerate(lines[1:] if not problems else (), 2):
        place = f"line {n}"
        line = checked(Line, row, partial(_where, source, place), problems)
        if line is None:
            continue
        if ticks and line.t <= ticks[-1].t:
            rule = f"times must rise; the previous tick is at {ticks[-1].t:g} s"
            problems.append(Problem(source, place, f"t = {line.t:g}", rule))
        ticks.append(line)
    if not ticks and not problems:
        problems.append(
            Problem(source, "", "", "holds no tick", "let the game run for one tick more")
        )
    if problems:
        raise InputError(problems)
    return Played(
        source,
        ticks[-1].t,
        _tracks_of(ticks),
        [(line.t, noise) for line in ticks for noise in line.noises],
        [(line.t, effect) for line in ticks for effect in line.effects],
    )


def _line_of(row: str, n: int, source: str, problems: list[Problem]) -> Any:
    try:
        return json.loads(row)
    except (ValueError, RecursionError) as error:
        if len(problems) < 20:
            problems.append(Problem(source, f"line {n}", row[:40], f"is not valid JSON: {error}"))
        return None


def _where(source: str, line: str, key: tuple[str | int, ...]) -> tuple[str, str]:
    return source, f"{line}: {key_path(key)}" if key else line


def _tracks_of(ticks: Sequence[Line]) -> dict[str, TrackData]:
    """The poses of all at each tick; absent characters are where they will appear."""
    names = dict.fromkeys(name for line in ticks for name in line.poses)
    t = np.array([line.t for line in ticks])
    found = {}
    for name in names:
        given = [(n, line.poses[name]) for n, line in enumerate(ticks) if name in line.poses]
        starts = np.array([n for n, _ in given])
        held = np.maximum(np.searchsorted(starts, np.arange(len(t)), side="right") - 1, 0)
        x, y, z, heading = np.array([pose[:4] for _, pose in given], dtype=np.float64).T[:, held]
        posture = np.array([POSTURES.index(pose[4]) for _, pose in given], dtype=np.int8)
        gait = np.array(
            [-1 if pose[5] is None else GAITS.index(pose[5]) for _, pose in given], dtype=np.int8
        )
        present = np.array([pose[6] for _, pose in given], dtype=np.bool_)[held]
        present &= np.arange(len(t)) >= starts[0]
        found[name] = TrackData(t, x, y, z, heading, posture[held], gait[held], present)
    return found
