"""Clues: entries of the cast that are present only while something is out of order."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import shapely

from snelk.config.draft import Draft
from snelk.config.geojson import LevelData, plane_of
from snelk.config.models import CLUE_BODY, Body, Clue, Member, Setup
from snelk.config.problems import shown
from snelk.config.recordings import TrackData
from snelk.errors import Problem, nearest

OF_BODIES = ("still", "gone")
"""What is out of order with a character."""

Spot3 = tuple[float, float, float]


def clue_problems(
    setup: Setup, draft: Draft, level: LevelData, tracks: Mapping[str, TrackData]
) -> Iterator[Problem]:
    """Errors in the clues of a cast."""
    solid = [w.name for w, outline in level.walls if outline.geom_type.endswith("Polygon")]
    doors = [wall.name for wall, _ in level.walls if wall.door]
    known = {
        **dict.fromkeys(("open", "shut"), ("door", doors)),
        **dict.fromkeys(("lit", "dark"), ("light", list(setup.lights))),
        **dict.fromkeys(OF_BODIES, ("character", [n for n, m in setup.cast.items() if not m.clue])),
    }
    for name, member in setup.cast.items():
        if member.clue is None:
            continue
        source, place = draft.locate(("cast", name, "clue"))
        word, of = member.clue.what
        what, there = known[word]
        if of not in there:
            fix = nearest(of, there) or f"the scenario has no {what}"
            yield Problem(source, f"{place}.{word}", shown(of), f"no such {what}", fix)
        if member.profile is not None:
            rule, fix = "is a clue, and has no senses", "leave out profile, or clue"
            yield Problem(source, draft.locate(("cast", name))[1], "", rule, fix)
        if name in tracks:
            rule, fix = "is a clue, and has a track", "leave out one of the two"
            yield Problem(source, draft.locate(("cast", name))[1], "", rule, fix)
        if word == "still" and member.at is not None:
            rule, fix = f"is where {of} lies", "leave out at"
            yield Problem(source, f"{draft.locate(('cast', name))[1]}.at", "", rule, fix)
        if word == "shut" and of in solid and member.at is None:
            rule = f"{of} is drawn as an area, and nobody sees its middle while it is shut"
            yield Problem(source, place, "", rule, "say where it is seen, at = [x, y]")


def with_clues_placed(setup: Setup, level: LevelData, tracks: Mapping[str, TrackData]) -> Setup:
    """The same numbers, with a place and a body for each clue that does not say them."""
    if not any(member.clue for member in setup.cast.values()):
        return setup
    cast, bodies = dict(setup.cast), dict(setup.bodies)
    for name, member in setup.cast.items():
        if member.clue is None:
            continue
        body = member.body
        if body is None and member.clue.what[0] in OF_BODIES:
            body = setup.body_name_of(member.clue.what[1])
        if body is None:
            body = CLUE_BODY
            bodies.setdefault(CLUE_BODY, Body(standing=1.0, radius=0.05, scent=0.0))
        x, y, z = _place_of(member.clue, setup, level, tracks)
        # What is out of order in the level has a height; `at` alone moves it in plan only.
        z = member.z if "z" in member.model_fields_set else z
        at = (x, y) if member.at is None else member.at
        cast[name] = member.model_copy(update={"body": body, "at": at, "z": z})
    return setup.model_copy(update={"cast": cast, "bodies": bodies})


def _place_of(clue: Clue, setup: Setup, level: LevelData, tracks: Mapping[str, TrackData]) -> Spot3:
    """Position of what is out of order, or its first position, m."""
    word, of = clue.what
    if word in OF_BODIES:
        member: Member = setup.cast[of]
        if of in tracks:
            return tracks[of].begins(member.z)
        return *(member.at or member.home or (0.0, 0.0)), member.z
    if word in ("open", "shut"):
        wall, outline = next(each for each in level.walls if each[0].name == of)
        part = max(shapely.get_parts(outline), key=lambda each: each.length)
        is_line = part.geom_type == "LineString"
        middle = part.interpolate(0.5, normalized=True) if is_line else part.centroid
        return middle.x, middle.y, wall.base
    zone, area = next(each for each in level.zones if each[0].name == of)
    middle = area.centroid if area.covers(area.centroid) else area.representative_point()
    z = zone.base or 0.0
    if zone.floor is not None:
        floor, outline = next(each for each in level.floors if each[0].name == zone.floor)
        z = floor.height or 0.0
        if outline.has_z:
            plane = plane_of(shapely.get_coordinates(outline, include_z=True))
            z = float(plane @ [middle.x, middle.y, 1.0])
    return middle.x, middle.y, z
