"""Differences in the inputs of two runs: numbers, level, tracks, noises and throws."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from snelk.config.problems import key_path, shown
from snelk.runs.run import Run
from snelk.tuning.looks import first_unlike, poses_of

NOT_COMPARED = ("title", "silence", "expect", "wish", "fit", "level", "tracks", "noises", "throws",
                "use")  # fmt: skip
"""What is written and does not change a run, or is compared by what it holds."""


@dataclass(frozen=True)
class InputDifference:
    """A changed input: what, where, and the value on either side."""

    what: str  # number, level, track, noises, throws, version
    place: str
    a: str
    b: str


def numbers_unlike(a: Run, b: Run) -> Iterator[InputDifference]:
    """The numbers that are not the same, and the versions."""
    sides = [dict(_leaves(run.info["setup"], ())) for run in (a, b)]
    found: dict[tuple[str, ...], tuple[str, ...]] = {}
    for place in dict.fromkeys([*sides[0], *sides[1]]):
        if place[0] in NOT_COMPARED:
            continue
        one, other = (side.get(place, "–") for side in sides)
        if one != other:
            found[place] = tuple(each if each == "–" else shown(each) for each in (one, other))
    # A number that profiles have from one another is told once.
    groups: dict[tuple[object, ...], list[tuple[str, ...]]] = {}
    for place, texts in found.items():
        in_profile = place[0] == "profiles" and len(place) > 2
        groups.setdefault((place[2:], texts) if in_profile else (place,), []).append(place)
    for places in groups.values():
        names = [place[1] for place in places if len(place) > 1]
        text = key_path(places[0])
        if len(places) > 1:
            text = f"profiles.*.{key_path(places[0][2:])} of {', '.join(names)}"
        a_text, b_text = found[places[0]]
        yield InputDifference("number", text, a_text, b_text)
    if a.info["snelk"] != b.info["snelk"]:
        yield InputDifference("version", "snelk", a.info["snelk"], b.info["snelk"])


def _leaves(value: Any, place: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], Any]]:
    """Every value of nested tables with its key path; those that say nothing are left out."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from _leaves(inner, (*place, str(key)))
    elif value is not None:
        yield place, value


def level_unlike(a: Run, b: Run) -> Iterator[InputDifference]:
    """The features of the level that are not the same."""
    sides = []
    for run in (a, b):
        features = run.level.data.to_geojson()["features"]
        sides.append({(f["properties"]["kind"], f["properties"]["name"]): f for f in features})
    for key in dict.fromkeys([*sides[0], *sides[1]]):
        one, other = (side.get(key) for side in sides)
        place = f"{key[0]} {key[1]}"
        if one is None or other is None:
            there = ["–" if each is None else "is there" for each in (one, other)]
            yield InputDifference("level", place, *there)
            continue
        names = dict.fromkeys([*one["properties"], *other["properties"]])
        for name in names:
            values = [each["properties"].get(name, "–") for each in (one, other)]
            if values[0] != values[1]:
                yield InputDifference("level", f"{place}: {name}", *map(str, values))
        if one["geometry"] != other["geometry"]:
            yield InputDifference("level", f"{place}: outline", "as before", "another")
        if key[0] == "mesh" and not np.array_equal(
            a.level.data.triangles[key[1]], b.level.data.triangles[key[1]]
        ):
            yield InputDifference("level", f"{place}: triangles", "as before", "others")


def recordings_unlike(a: Run, b: Run) -> Iterator[InputDifference]:
    """The tracks, noises and throws that are not the same."""
    sides = [run.info["inputs"] for run in (a, b)]
    for name in dict.fromkeys([*sides[0], *sides[1]]):
        if name == "level" or sides[0].get(name) == sides[1].get(name):
            continue
        what, _, who = name.partition(".")
        there = ["recorded" if name in side else "–" for side in sides]
        if who and there == ["recorded", "recorded"]:
            times = np.intersect1d(np.round(a.times, 9), np.round(b.times, 9))
            first = first_unlike(poses_of(a, who), poses_of(b, who), times)
            there[1] = "another, alike at every tick"
            if first is not None:
                there[1] = f"another from {first[0]:.2f} s on"
        elif not who:
            there[1] = "others"
        yield InputDifference(what.removesuffix("s") if who else what, who or name, *there)
