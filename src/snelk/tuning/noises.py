"""Warnings about noises: those nobody can hear, and ears that have nothing to hear."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from snelk.config.problems import key_path
from snelk.config.scenario import Scenario
from snelk.config.words import GAITS
from snelk.errors import nearest
from snelk.tuning.common import Checks, Found, openers


def _ears(scenario: Scenario, maker: str) -> list[str]:
    """The agents that listen to a character; of a noise that nobody made, all with ears."""
    return [agent for agent in scenario.setup.agents if _listens(scenario, agent, maker)]


def _listens(scenario: Scenario, agent: str, maker: str) -> bool:
    setup = scenario.setup
    profile = setup.profile_of(agent)
    if agent == maker or profile.hearing is None:
        return False
    hears = profile.hearing.acuity * setup.cast[agent].awake_of("hearing") > 0.0
    return hears and (maker == "" or setup.cast[maker].team in profile.teams()[("hearing",)])


def _made(scenario: Scenario) -> Iterator[tuple[str, str, str]]:
    """Where each noise is written, its kind, and who makes it."""
    noises, setup, cast = scenario.noises, scenario.setup, scenario.setup.cast
    for kind, by in dict.fromkeys(zip(noises.kind, noises.by, strict=True)):
        yield ", ".join(scenario.setup.noises), kind, by if by in cast else ""
    for n, noise in enumerate(scenario.setup.noise):
        yield key_path(("noise", n)), noise.kind, noise.by or ""
    for n, throw in enumerate(scenario.setup.throw):
        yield key_path(("throw", n)), throw.kind, throw.by
    for kind, by in dict.fromkeys(zip(scenario.throws.kind, scenario.throws.by, strict=True)):
        yield ", ".join(scenario.setup.throws), kind, by

    for name, door in setup.doors.items():
        makers = openers(scenario, name) if door.noise else []
        heard = [by for by in makers if _ears(scenario, by)]
        for by in heard or makers[:1]:
            yield key_path(("doors", name, "noise")), door.noise or "", by
    for name, profile in setup.profiles.items():
        for place, effects in profile.ladder.effects() if profile.ladder else ():
            for agent in setup.agents if effects.noise else ():
                if setup.cast[agent].profile == name:
                    key = key_path(("profiles", name, "ladder", *place))
                    yield key, effects.noise or "", agent


def _walkers(scenario: Scenario) -> Iterator[tuple[str, str, float]]:
    """Who moves in which recorded gait or pace, and how far a footstep then carries, m."""
    for agent in scenario.setup.agents:
        profile, steps = scenario.setup.profile_of(agent), scenario.setup.body_of(agent).steps
        if agent not in scenario.tracks and profile.movement and profile.ladder and steps:
            for pace in sorted({state.pace for state in profile.ladder.states.values()}):
                yield agent, pace, getattr(steps, pace)
    for name, track in scenario.tracks.items():
        steps = scenario.setup.body_of(name).steps
        moving = np.append(np.hypot(np.diff(track.x), np.diff(track.y)) > 1e-6, False)
        if steps is None and moving.any():
            yield name, "about", 0.0
        elif steps is not None:
            for gait in sorted(set(track.gait[moving].tolist()) - {-1, 0}):
                yield name, GAITS[gait], steps.reaches()[gait]


def _noise_nobody_hears(scenario: Scenario) -> Found:
    for place, kind, by in _made(scenario):
        if not _ears(scenario, by):
            maker = f" of {by}" if by else ""
            reason = f'no ear in this scenario can hear the "{kind}"{maker} at any distance'
            yield (
                place,
                reason,
                "give an agent hearing that notices its team, or leave out the noise",
            )


def _silent_gait(scenario: Scenario) -> Found:
    for name, gait, reach in _walkers(scenario):
        if reach <= 0.0 and _ears(scenario, name):
            body = scenario.setup.body_name_of(name)
            reason = f"{name} goes {gait} and makes no noise, though there are ears to hear it"
            if scenario.setup.bodies[body].steps is None:
                yield key_path(("bodies", body)), reason, "give the body steps"
            else:
                place = key_path(("bodies", body, "steps", gait))
                yield place, reason, "raise it above 0 m, or silence this if it is meant"


def makers_heard(scenario: Scenario, agent: str) -> set[str]:
    """Whose noises an agent could hear, at no distance; empty for noises that nobody made."""
    makers = {by for _, _, by in _made(scenario)}
    makers |= {name for name, _, reach in _walkers(scenario) if reach > 0.0}
    makers |= {
        name
        for name, track in scenario.tracks.items()
        if (track.gait < 0).any() and scenario.setup.body_of(name).steps is not None
    }
    return {maker for maker in makers if _listens(scenario, agent, maker)}


def _nothing_to_hear(scenario: Scenario) -> Found:
    for agent in scenario.setup.agents:
        hears = scenario.setup.profile_of(agent).hearing is not None
        if hears and not makers_heard(scenario, agent):
            reason = "has ears, but there is no noise that it could hear"
            fix = "give a body steps, add noises, or check acuity, awake and notices"
            yield key_path(("cast", agent)), reason, fix


def _unused_noise_kind(scenario: Scenario) -> Found:
    used = {kind for _, kind, _ in _made(scenario)}
    for name in scenario.setup.noise_kinds:
        if name not in used:
            yield key_path(("noise_kinds", name)), "no noise is of this kind", nearest(name, used)


def _noise_by_stranger(scenario: Scenario) -> Found:
    cast = scenario.setup.cast
    for by in dict.fromkeys(scenario.noises.by):
        if by and by not in cast:
            reason = "made noises but is not in the cast, so its team is unknown"
            place = f'{", ".join(scenario.setup.noises)}: by "{by}"'
            yield place, reason, nearest(by, cast)


def _noise_while_absent(scenario: Scenario) -> Found:
    for n, noise in enumerate(scenario.setup.noise):
        track = scenario.tracks.get(noise.by or "")
        if noise.at is None and noise.spot is None and track is not None:
            if not track.t[0] <= noise.t <= track.t[-1]:
                reason = f"{noise.by} is not there at {noise.t:g} s, so it is not made"
                yield key_path(("noise", n)), reason, "add at or spot, or choose another time"


CHECKS: Checks = {
    "noise-nobody-hears": _noise_nobody_hears,
    "silent-gait": _silent_gait,
    "nothing-to-hear": _nothing_to_hear,
    "unused-noise-kind": _unused_noise_kind,
    "noise-by-stranger": _noise_by_stranger,
    "noise-while-absent": _noise_while_absent,
}
