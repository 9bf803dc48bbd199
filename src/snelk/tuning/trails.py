"""Warnings about trails: noses with nothing to smell, and trails that cannot be followed."""

from __future__ import annotations

import math

from snelk.config.models import Air
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario
from snelk.senses.trails import SPACING
from snelk.tuning.common import Checks, Found, used_profiles


def _nothing_to_smell(scenario: Scenario) -> Found:
    setup = scenario.setup
    for agent in setup.agents:
        profile = setup.profile_of(agent)
        if profile.smell is None:
            continue
        teams = profile.teams()[("smell",)]
        leaves = [
            name
            for name, member in setup.cast.items()
            if name != agent and member.team in teams and setup.body_of(name).scent > 0.0
        ]
        if not leaves:
            reason = "can smell, but nobody it notices leaves a trail"
            yield key_path(("cast", agent)), reason, "check its notices, and the scent of bodies"


def _trail_in_pieces(scenario: Scenario) -> Found:
    for name, profile in used_profiles(scenario).items():
        smell = profile.smell
        if smell is None:
            continue
        near = smell.reach * smell.weakest
        if near < SPACING / 2.0:
            reason = f"smells what has faded to {smell.weakest:g} within {near:.2g} m only, and the"
            reason += f" places of a trail are {SPACING:g} m apart: it smells it in pieces"
            fix = f"raise weakest to {math.ceil(1e4 * SPACING / 2.0 / smell.reach) / 1e4:g}"
            yield key_path(("profiles", name, "smell")), reason, fix + ", or reach"


def _nose_without_memory(scenario: Scenario) -> Found:
    for name, profile in used_profiles(scenario).items():
        if profile.smell is not None and profile.memory is None:
            reason = "can smell but has no memory, so it cannot follow trails"
            yield key_path(("profiles", name)), reason, "give it a memory"


def _trail_forgotten(scenario: Scenario) -> Found:
    setup = scenario.setup
    for name, profile in used_profiles(scenario).items():
        smell, memory = profile.smell, profile.memory
        if smell is None or memory is None:
            continue
        teams = profile.teams()[("smell",)]
        scents = [
            setup.body_of(other).scent for other, each in setup.cast.items() if each.team in teams
        ]
        lasts = _lasts(setup.air, max(scents, default=0.0), smell.weakest)
        if lasts > memory.forget:
            reason = f"smells what is up to {lasts:.0f} s old, and forgets what is older than "
            reason += f"{memory.forget:g} s as soon as it is off the trail"
            fix = f"raise memory.forget to {math.ceil(lasts):g}, or smell.weakest"
            yield key_path(("profiles", name)), reason, fix


def _lasts(air: Air, scent: float, weakest: float) -> float:
    """How long a trail is smelt in the whole wind, s."""
    if scent <= weakest:
        return 0.0
    return air.half_life * math.log2(scent / weakest) / (1.0 + air.thins * air.wind)


def _air_without_nose(scenario: Scenario) -> Found:
    given = scenario.setup.air.model_fields_set
    if given and not any(profile.smell for profile in used_profiles(scenario).values()):
        reason = f"says {', '.join(sorted(given))}, and nobody has a nose"
        yield "air", reason, "give a profile smell, or remove it"


CHECKS: Checks = {
    "nothing-to-smell": _nothing_to_smell,
    "trail-in-pieces": _trail_in_pieces,
    "nose-without-memory": _nose_without_memory,
    "trail-forgotten": _trail_forgotten,
    "air-without-nose": _air_without_nose,
}
