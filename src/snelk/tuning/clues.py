"""Clues that never come, and clues that nobody can notice."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import BECOMES, Door, Light, Member
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario
from snelk.config.words import POSTURES
from snelk.engine.replay import track_heights
from snelk.level.columns import plain
from snelk.level.level import Level
from snelk.level.rays import shares_past
from snelk.tuning.common import Checks, Found

Numbers = NDArray[np.float64]

AROUND, NEAREST = 48, 0.3
"""In so many directions, and from so near on, m, one looks for a place that a clue is seen from."""

RINGS = 24
"""At so many distances."""

MOST = 200
"""So many places along a track."""

PRONE = POSTURES.index("prone")


def _clues(scenario: Scenario) -> Iterator[tuple[str, Member, str, str]]:
    """Every clue: its name, itself, what is out of order, and where."""
    for name, member in scenario.setup.cast.items():
        if member.clue is not None:
            yield name, member, *member.clue.what


def _idle_clue(scenario: Scenario) -> Found:
    """Clues whose condition can never hold."""
    for name, _, word, of in _clues(scenario):
        why = _never(scenario, word, of)
        if why:
            fix = "make that happen, or leave out the clue"
            yield key_path(("cast", name)), f"is there {why[0]}, and {why[1]}", fix


def _never(scenario: Scenario, word: str, of: str) -> tuple[str, str] | None:
    """When a clue would be there, and why that never is so; None if it may be."""
    setup = scenario.setup
    changes = [*setup.change, *scenario.changes]
    turned = {(change.of, change.to) for change in changes}
    removes = {effect.of for effect in setup.effect if effect.removes}
    for each in setup.profiles.values():
        for _, effects in each.ladder.effects() if each.ladder else ():
            turned |= set(effects.turns.items())
            removes |= set(setup.cast) if effects.removes is not None else set()
    if word in BECOMES:
        door, light = setup.doors.get(of, Door()), setup.lights.get(of, Light())
        at_first = {"open": door.open, "shut": not door.open, "lit": light.lit}
        at_first["dark"] = not light.lit
        by_itself = word == "open" and (door.who is None or bool(door.who))
        by_itself |= word == "shut" and door.shuts is not None
        if at_first[word] or by_itself or (of, word) in turned:
            return None
        return f"while {of} is {word}", f"nothing makes it {word}"
    member, track = setup.cast[of], scenario.tracks.get(of)
    profile = setup.profile_of(of) if member.profile else None
    moves = track is not None or (profile is not None and profile.movement is not None)
    if word == "gone":
        ok = moves or of in removes
        return None if ok else (f"while {of} is gone", f"{of} stands where it is all the time")
    states = profile.ladder.states.values() if profile and profile.ladder else ()
    lies = member.posture == "prone" or any(state.posture_in == "prone" for state in states)
    lies |= track is not None and bool((track.posture == PRONE).any())
    return None if lies else (f"while {of} lies still", f"{of} never lies")


def _unseen_clue(scenario: Scenario) -> Found:
    """Clues that nobody could have in view from anywhere."""
    setup, level = scenario.setup, Level.of(scenario.level)
    for name, member, word, _ in _clues(scenario):
        if word == "still" or member.at is None:  # it is wherever somebody lies
            continue
        senses: dict[str, set[str]] = {}  # by agent, those that notice its team
        for agent in setup.agents:
            teams = setup.profile_of(agent).teams().items()
            senses[agent] = {sense for (sense, *_), team in teams if member.team in team}
        seers = [agent for agent, noticing in senses.items() if "cones" in noticing]
        feels = any(noticing & {"touch", "zone_sense"} for noticing in senses.values())
        if not seers or feels:  # nobody who cares at all is another finding
            continue
        why = {_unseen_by(scenario, level, agent, name) for agent in seers}
        if "" not in why:
            fix = "give it another position, at = [x, y] and z, or make it visible"
            yield key_path(("cast", name)), f"nobody can see it: {' and '.join(sorted(why))}", fix


def _unseen_by(scenario: Scenario, level: Level, agent: str, name: str) -> str:
    """Why an agent could see a clue from nowhere on the ground; empty if it could."""
    setup, member = scenario.setup, scenario.setup.cast[name]
    profile, body, (x, y) = setup.profile_of(agent), setup.body_of(name), member.at or (0.0, 0.0)
    teams = profile.notices
    cones = [each for each in profile.every_cone() if member.team in (each.notices or teams)]
    lamps = any(each.lamp is not None for each in setup.cast.values())
    dark = member.clue is not None and member.clue.dark
    z = level.stands_at(x, y, member.z)
    if not lamps and not dark:
        light = _light_at(scenario, level, x, y, z)
        bright = [cone for cone in cones if cone.min_light <= light]
        if not bright:
            return f"it is too dark there for {agent}, light {light:g}"
        cones = bright
    reach = max(cone.range for cone in cones)
    eyes = [height * setup.body_of(agent).eyes for height in setup.body_of(agent).heights()]
    opened = level.is_door[None, :].copy()
    if member.clue is not None and member.clue.shut is not None:
        opened[0, level.wall_names.index(member.clue.shut)] = False
    feet = _where(scenario, level, agent, (x, y), reach)
    for up in dict.fromkeys(eyes):
        start = feet + np.array([0.0, 0.0, up])
        for share, weight in body.points:
            end = np.tile([x, y, z + share * body.standing], (len(start), 1))
            near = np.linalg.norm(start - end, axis=1) <= reach
            if weight <= 0.0 or not near.any():
                continue
            if (shares_past(level.grid, start[near], end[near], opened) > 0.0).any():
                return ""
    return f"nothing of it is in view within {reach:g} m from anywhere {agent} can be"


def _where(
    scenario: Scenario, level: Level, agent: str, at: tuple[float, float], reach: float
) -> Numbers:
    """(places, 3) of an agent's feet, m, from which it may see a place.

    Along its track; where it stands; or, if it moves by itself, on all ground around.
    """
    member, track = scenario.setup.cast[agent], scenario.tracks.get(agent)
    own = np.array([[*(member.at or member.home or (0.0, 0.0)), member.z]])
    if track is not None:
        z = track_heights(level, track, member.z)
        own = np.column_stack([track.x, track.y, z])[:: -(-len(track.t) // MOST)]
    if track is not None or scenario.setup.profile_of(agent).movement is None:
        up = own[:, 2] if not level.data.floors else [level.stands_at(*each) for each in own]
        return np.column_stack([own[:, :2], up])
    angle = np.arange(AROUND) * (2.0 * np.pi / AROUND)
    far = np.geomspace(min(NEAREST, reach / 2.0), reach, RINGS)[:, None]
    x, y = (at[0] + far * np.cos(angle)).ravel(), (at[1] + far * np.sin(angle)).ravel()
    if not level.data.floors:
        return np.column_stack([x, y, np.full(len(x), member.z)])
    heights = np.unique(plain(level.floors).spans[:, 1])
    found = {
        (a, b, level.footing(a, b, height))
        for a, b in zip(x.tolist(), y.tolist(), strict=True)
        for height in heights.tolist()
    }
    places: Numbers = np.array(sorted(found)).reshape(-1, 3)
    return places[~np.isnan(places[:, 2])]


def _light_at(scenario: Scenario, level: Level, x: float, y: float, z: float) -> float:
    """The brightest that a place ever is, without lamps."""
    light = scenario.setup.light
    place = np.array([x]), np.array([y]), np.array([z])
    for zone, _ in level.data.zones:
        if zone.light is not None and level.within(zone.name, *place)[0]:
            switch = scenario.setup.lights.get(zone.name)
            light = zone.light if switch is None else max(zone.light, switch.dark)
    return light


CHECKS: Checks = {"idle-clue": _idle_clue, "unseen-clue": _unseen_clue}
