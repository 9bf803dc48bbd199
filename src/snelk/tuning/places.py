"""Warnings about places: tracks, walls, zones and spots."""

from __future__ import annotations

import numpy as np
import shapely

from snelk.config.conditions import parse
from snelk.config.ladders import named_by, names_in
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario
from snelk.config.steps import HEADROOM
from snelk.engine.replay import track_heights
from snelk.errors import nearest
from snelk.level.barring import too_low
from snelk.level.level import Level
from snelk.level.links import are_at
from snelk.tuning.common import Checks, Found, ever_opens, is_moved, openers

FASTEST = 15.0
"""A character that moves faster than this, m/s, more likely has a wrong unit or axis."""


HIGH = 2.0
"""Who is so far above the ground is not on it, m."""


def _track_without_character(scenario: Scenario) -> Found:
    for name in scenario.strangers:
        reason = "has a track but is not in the cast, so it is ignored"
        yield f'id "{name}"', reason, f"add it to the cast, or {nearest(name, scenario.setup.cast)}"


def _starts_inside_wall(scenario: Scenario) -> Found:
    for name, member in scenario.setup.cast.items():
        track = scenario.tracks.get(name)
        x, y, z = track.begins(member.z) if track else (*(member.at or (0, 0)), member.z)
        for wall, outline in scenario.level.walls:
            solid = "Polygon" in outline.geom_type and wall.see_through < 1.0
            if solid and wall.base <= z < wall.top and shapely.contains_xy(outline, x, y):
                reason = f"starts inside the wall {wall.name}, at ({x:.2f}, {y:.2f})"
                yield key_path(("cast", name)), reason, "move it, or check axes and units"


def _track_through_wall(scenario: Scenario) -> Found:
    walls = [
        (wall, shapely.boundary(outline) if "Polygon" in outline.geom_type else outline)
        for wall, outline in scenario.level.walls
    ]
    level = Level.of(scenario.level)
    for name, track in scenario.tracks.items():
        body = scenario.setup.body_of(name)
        tall, z = body.standing, track_heights(level, track, scenario.setup.cast[name].z)
        steps = shapely.linestrings(
            np.stack(
                [np.column_stack([track.x[i], track.y[i]]) for i in _pairs(len(track.t))], axis=1
            )
            if len(track.t) > 1
            else np.zeros((0, 2, 2))
        )
        for wall, outline in walls:
            if wall.walkable or (wall.door and ever_opens(scenario, wall.name)):
                continue
            blocks = (wall.base < z[1:] + tall) & (wall.top > z[1:] + body.climbs)
            met = shapely.intersects(steps, outline) & blocks & track.present[:-1]
            crossed = np.flatnonzero(met)
            if len(crossed):
                when = track.t[crossed[0] + 1]
                reason = f"goes through the wall {wall.name} at {when:g} s, {wall.top:g} m high"
                key = key_path(("bodies", scenario.setup.body_name_of(name), "climb"))
                fix = f"check the axes, units and the level; or raise {key}, {body.climbs:g} m"
                yield f'track "{name}"', reason, fix


def _height_left_out(scenario: Scenario) -> Found:
    """Watched zones without heights, which also contain what is far above them."""
    endless = {
        zone.name
        for zone, _ in scenario.level.zones
        if zone.base is None and zone.top is None and zone.floor is None
    }
    profiles, level = scenario.setup.profiles.values(), Level.of(scenario.level)
    watching = [p for p in profiles if p.zone_sense and endless & {*p.zone_sense.zones}]
    for name, member in scenario.setup.cast.items():
        track = scenario.tracks.get(name)
        high = abs(member.z)
        if track is not None:
            high = float(np.abs(track_heights(level, track, member.z)).max())
        noticed = any(member.team in p.teams()[("zone_sense",)] for p in watching)
        if noticed and high >= HIGH:
            reason = (
                f"is up to {high:g} m above or below the ground, where a watched zone has no end"
            )
            fix = "give the zone base and top, or a floor; or remove the team from the zone sense"
            yield key_path(("cast", name)), reason, fix


def _no_footing(scenario: Scenario) -> Found:
    """Characters that start with no floor below them, or too low a one above.

    The latter only if Snelk moves them: others may creep.
    """
    level = Level.of(scenario.level)
    for name, member in scenario.setup.cast.items():
        track, key = scenario.tracks.get(name), key_path(("cast", name))
        x, y, z = track.begins(member.z) if track else (*(member.at or (0.0, 0.0)), member.z)
        on = level.floors_at(np.array([[x, y, z]])).astype(np.intp)
        if level.data.floors and on[0] < 0:
            reason = f"starts at ({x:.2f}, {y:.2f}), {z:.2f} m up, with no floor below its feet"
            yield key, reason, "draw a floor there, or set its z to the height of the floor"
        elif level.data.floors and is_moved(scenario, name):
            for floor, low in too_low(level, on, np.array([[x, y]])):
                if low[0]:
                    reason = f"starts at ({x:.2f}, {y:.2f}) under {floor}, too low to stand under"
                    yield key, reason, f"move it, or raise {floor} to {HEADROOM:g} m above its feet"


def _useless_link(scenario: Scenario) -> Found:
    """Links that nobody of the cast can take."""
    setup, level = scenario.setup, Level.of(scenario.level)
    walkers = [
        (setup.body_of(name).radius, set(setup.names_of(name)), member.z)
        for name, member in setup.cast.items()
        if is_moved(scenario, name)
    ]
    doors = frozenset(np.flatnonzero(level.is_door).tolist())
    for link, line in scenario.level.links:
        whose = link.who
        may = [each for each in walkers if whose is None or not each[1].isdisjoint(whose)]
        place, ends = f'link "{link.name}"', shapely.get_coordinates(line, include_z=True)
        if whose and not may:
            reason = f"is for {' and '.join(whose)}, but no moved character has such a name"
            yield (
                place,
                reason,
                "use names of characters or profiles in `who`, or leave it out for all",
            )
            continue
        if may and not (level.data.floors or any(are_at(ends, z) for _, _, z in may)):
            walk = " or ".join(sorted({f"{z:g} m" for _, _, z in may}))
            up = f"{ends[0, 2]:g} m and {ends[1, 2]:g} m"
            reason = f"begins and ends at heights of {up}, but who may take it walks at {walk}"
            yield place, reason, "give both ends that height, or draw floors"
            continue
        for which, end in zip(("first", "last"), ends, strict=True):
            at = f"its {which} end, ({end[0]:.2f}, {end[1]:.2f}), {end[2]:.2f} m up"
            if np.isnan(level.footing(*end)):
                yield place, f"there is no floor below {at}", "move the end onto a floor"
            elif may and all(
                level.ways(clearance=radius, who=who, z=z, opened=doors).part_on(end) < 0
                for radius, who, z in may
            ):
                reason = f"nobody can stand at {at}"
                yield place, reason, "move it away from walls and low ceilings"


def _idle(scenario: Scenario) -> Found:
    """Doors that nobody opens and nothing turns, and lights that nothing turns."""
    setup = scenario.setup
    turned = {change.of for change in (*setup.change, *scenario.changes)}
    for profile in setup.profiles.values():
        for _, effects in profile.ladder.effects() if profile.ladder else ():
            turned |= {*effects.turns}
    for wall, _ in scenario.level.walls:
        if wall.door and wall.name not in turned and not openers(scenario, wall.name):
            reason = "is a door that nobody can open and nothing changes"
            fix = f"add a [[change]] of it, or let somebody into doors.{wall.name}.who"
            yield f'wall "{wall.name}"', reason, fix
    for name in setup.lights:
        if name not in turned:
            yield (
                key_path(("lights", name)),
                "nothing switches it",
                "add a [[change]], or leave out the light",
            )


def _pairs(count: int) -> tuple[slice, slice]:
    return slice(0, count - 1), slice(1, count)


def _impossible_speed(scenario: Scenario) -> Found:
    for name, track in scenario.tracks.items():
        speed = np.hypot(np.diff(track.x), np.diff(track.y)) / np.diff(track.t)
        speed = np.where(track.present[:-1], speed, 0.0)
        if len(speed) and speed.max() > FASTEST:
            n = int(speed.argmax())
            reason = f"moves at {speed[n]:.0f} m/s at {track.t[n]:g} s"
            yield f'track "{name}"', reason, "check the units: metres and seconds"


def _named_in_ladders(scenario: Scenario) -> set[str]:
    """Zones and spots that alert ladders name."""
    found: set[str] = set()
    for profile in scenario.setup.profiles.values():
        if profile.ladder is None:
            continue
        for state in profile.ladder.states.values():
            found |= {name for _, _, names in named_by(state) for name in names}
        for transition in profile.ladder.transitions.values():
            found |= {word for _, word in names_in(parse(transition.when))}
    return found


def _unused_zone(scenario: Scenario) -> Found:
    profiles = scenario.setup.profiles.values()
    watched = {name for p in profiles if p.zone_sense for name in p.zone_sense.zones}
    watched |= {m.leash.zone for m in scenario.setup.cast.values() if m.leash is not None}
    watched |= _named_in_ladders(scenario)
    for zone, _ in scenario.level.zones:
        says = zone.light, zone.background, zone.ground, zone.wind, zone.scent
        if zone.name not in watched and all(value is None for value in says):
            reason = "has no properties, and no profile, ladder or leash names it"
            fix = "give it light, background, ground, wind or scent, use it, or remove it"
            yield f'zone "{zone.name}"', reason, fix


def _unused_spot(scenario: Scenario) -> Found:
    setup = scenario.setup
    named = {noise.spot for noise in setup.noise} | {throw.spot for throw in setup.throw}
    named |= {spot for member in setup.cast.values() for spot in member.spots}
    named |= _named_in_ladders(scenario)
    for spot, _ in scenario.level.spots:
        if spot.name not in named:
            yield f'spot "{spot.name}"', "nothing uses it", "use it, or remove it"


CHECKS: Checks = {
    "track-without-character": _track_without_character,
    "starts-inside-wall": _starts_inside_wall,
    "track-through-wall": _track_through_wall,
    "impossible-speed": _impossible_speed,
    "height-left-out": _height_left_out,
    "no-footing": _no_footing,
    "useless-link": _useless_link,
    "idle-door": _idle,
    "unused-zone": _unused_zone,
    "unused-spot": _unused_spot,
}
