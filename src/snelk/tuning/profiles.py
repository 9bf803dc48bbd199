"""Warnings about profiles: whom they notice, their cones and their meters."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from snelk.config.models import CURVES, Cone, Profile
from snelk.config.problems import key_path
from snelk.config.renamed import FINDINGS, MEASURES, today
from snelk.config.scenario import Scenario
from snelk.config.words import SINGLE_SENSES
from snelk.engine.replay import replayed_poses, tick_times
from snelk.errors import either, nearest
from snelk.level.level import Level
from snelk.tuning.common import Checks, Found, is_moved, used_cones, used_meters, used_profiles


def _agent_without_senses(scenario: Scenario) -> Found:
    for name in scenario.setup.agents:
        profile = scenario.setup.profile_of(name)
        if not profile.teams() and profile.ladder is None:
            reason = f'its profile "{scenario.setup.cast[name].profile}" has no sense'
            fix = f"add a {either(('cone', *SINGLE_SENSES))}"
            yield key_path(("cast", name)), reason, fix


def _notices_nobody(scenario: Scenario) -> Found:
    cast = scenario.setup.cast
    teams = sorted({member.team for member in cast.values()})
    for name in scenario.setup.agents:
        profile = scenario.setup.profile_of(name)
        others = {member.team for other, member in cast.items() if other != name}
        if not profile.teams() and not profile.notices:
            continue  # it is not meant to sense anybody
        if not any(profile.ever_notices(team) for team in others):
            listed = dict.fromkeys(team for each in profile.teams().values() for team in each)
            reason = (
                f"notices {', '.join(listed) or 'no team'}, and no other character belongs to that"
            )
            yield key_path(("cast", name)), reason, f"teams here: {', '.join(teams)}"


def _unknown_team(scenario: Scenario) -> Found:
    teams = {member.team for member in scenario.setup.cast.values()}
    for name, profile in used_profiles(scenario).items():
        senses = {("profiles", name, *place): named for place, named in _own_teams(profile)}
        for place, named in {("profiles", name): profile.notices, **senses}.items():
            for team in named:
                if team not in teams:
                    key = key_path((*place, "notices"))
                    yield (
                        key,
                        f'team "{team}" has no members in this scenario',
                        nearest(team, teams),
                    )


def _own_teams(profile: Profile) -> Iterator[tuple[tuple[str, ...], tuple[str, ...]]]:
    """The senses with their own list of teams."""
    for place, teams in profile.teams().items():
        sense = profile.cones[place[1]] if place[0] == "cones" else getattr(profile, place[0])
        if sense.notices is not None:
            yield place, teams


def _sense_notices_nobody(scenario: Scenario) -> Found:
    cast = scenario.setup.cast
    for agent in scenario.setup.agents:
        profile = scenario.setup.profile_of(agent)
        others = {member.team for name, member in cast.items() if name != agent}
        for place, teams in _own_teams(profile):
            if not others.intersection(teams):
                key = key_path(("profiles", cast[agent].profile or "", *place, "notices"))
                reason = (
                    f"notices {', '.join(teams) or 'no team'}, and {agent} meets nobody of them"
                )
                yield key, reason, f"teams here: {', '.join(sorted(others))}"


def _never_noticed(scenario: Scenario) -> Found:
    profiles = used_profiles(scenario).values()
    noticed = {t for p in profiles for teams in [p.notices, *p.teams().values()] for t in teams}
    noticed -= {t for t in noticed if not any(p.ever_notices(t) for p in profiles)}
    clues = [member.clue.what[1] for member in scenario.setup.cast.values() if member.clue]
    for name, member in scenario.setup.cast.items():
        if member.profile is None and member.team not in noticed and name not in clues:
            reason = f'no profile notices its team "{member.team}", and it has no senses itself'
            fix = f"let a profile notice it, or {nearest(member.team, noticed)}"
            yield key_path(("cast", name)), reason, fix


def _hold_below_gain(scenario: Scenario) -> Found:
    for place, cone in used_cones(scenario):
        for key, unit in (("range", "m"), ("fov_whole", "deg")):
            gain, hold = getattr(cone, key), getattr(cone, f"hold_{key}")
            if hold is not None and hold < gain:
                reason = f"{hold:g} {unit} is less than {key}, {gain:g} {unit}"
                yield (
                    f"{place}.hold_{key}",
                    reason,
                    "so a target would flicker; make it at least as large",
                )


def _half_angle(scenario: Scenario) -> Found:
    def is_half(angle: float, other: float) -> bool:
        return 1.9 * angle <= other <= 2.1 * angle

    whole = "use the whole angle from edge to edge"
    cones = list(used_cones(scenario))
    for place, cone in cones:
        hold = cone.hold_fov_whole
        if hold is not None and is_half(cone.fov_whole, hold):
            reason = f"{cone.fov_whole:g} deg is half of hold_fov_whole, {hold:g} deg"
            yield f"{place}.fov_whole", reason, whole
            continue
        # Cones of one name in several profiles are kin; by the end of its key path it is told.
        name = place.rpartition(".cones.")[2]
        kin = [(p, c) for p, c in cones if p != place and p.endswith(f".cones.{name}")]
        doubles = [(p, c) for p, c in kin if is_half(cone.fov_whole, c.fov_whole)]
        if kin and len(doubles) == len(kin):
            other, double = doubles[0]
            reason = f"{cone.fov_whole:g} deg is half of {other}, {double.fov_whole:g} deg"
            yield f"{place}.fov_whole", reason, whole


def _cone_inside_another(scenario: Scenario) -> Found:
    def covers(a: Cone, b: Cone) -> bool:
        """Whether `a` sees, and holds, all that `b` does, and fills the meter as fast."""
        wide = ("range", "fov_whole", "up", "down", "weight")
        holds = all(
            (getattr(a, f"hold_{key}") or getattr(a, key))
            >= (getattr(b, f"hold_{key}") or getattr(b, key))
            for key in wide[:2]
        )
        least = all(getattr(a, key) <= getattr(b, key) for key in ("min_light", "min_exposure"))
        return holds and least and all(getattr(a, key) >= getattr(b, key) for key in wide)

    for name, profile in used_profiles(scenario).items():
        for inner, cone in profile.cones.items():
            for outer, other in profile.cones.items():
                if inner != outer and covers(other, cone) and not covers(cone, other):
                    place = key_path(("profiles", name, "cones", inner))
                    reason = f'sees nothing that the cone "{outer}" does not also see'
                    yield place, reason, "make it wider or longer, or remove it"


def _too_dark(scenario: Scenario) -> Found:
    setup = scenario.setup
    places = [setup.light, *(z.light for z, _ in scenario.level.zones if z.light is not None)]
    lamps = [member.lamp.light for member in setup.cast.values() if member.lamp]
    brightest = min(max(places) + sum(lamps), 1.0)
    for place, cone in used_cones(scenario):
        if cone.min_light > brightest:
            reason = f"{cone.min_light:g} is more than any light in the scenario, {brightest:g}"
            yield f"{place}.min_light", reason, "lower it, or add light"


def _at_once_beyond_range(scenario: Scenario) -> Found:
    for place, profile, meter in used_meters(scenario):
        ranges = [max(cone.range, cone.hold_range or 0.0) for cone in profile.every_cone()]
        if ranges and meter.at_once > max(ranges):
            reason = f"{meter.at_once:g} m is larger than the range of all cones, {max(ranges):g} m"
            yield f"{place}.at_once", reason, "so everything in view fills the meter at once"


def _threshold_out_of_reach(scenario: Scenario) -> Found:
    moved = {name for name in scenario.setup.agents if is_moved(scenario, name)}
    for agent in scenario.setup.agents:
        profile = scenario.setup.profile_of(agent)
        meter = profile.meter
        # What noises, touch, zones and trails add cannot be told before the run.
        others = any(getattr(profile, key) is not None for key in SINGLE_SENSES)
        if meter is None or meter.at_once > 0.0 or others or moved:
            continue
        rate = max((cone.weight for cone in profile.cones.values()), default=0.0)
        rate *= max(meter.standing, meter.crouched, meter.prone)
        for name in CURVES:
            rate *= max(factor for _, factor in getattr(meter, name))
        seconds = _longest_in_range(scenario, agent)
        most = min(rate * seconds / meter.fill_time, 1.0)
        for name, limit in meter.thresholds.items():
            if limit > most + 1e-9:
                reason = f"{limit:g} is out of reach: {seconds:.1f} s in range fill to {most:.2f}"
                place = ("profiles", scenario.setup.cast[agent].profile or "", "meter")
                fix = "reduce fill_time, raise curves and factors, or increase the range"
                yield key_path((*place, "thresholds", name)), f"for {agent} {reason}", fix


def _longest_in_range(scenario: Scenario, agent: str) -> float:
    """The longest that anybody of interest is within the range of the agent's widest cone, s."""
    setup, names = scenario.setup, list(scenario.setup.cast)
    profile, times = setup.profile_of(agent), tick_times(setup.clock, scenario.tracks)
    reach = max((max(c.range, c.hold_range or 0.0) for c in profile.every_cone()), default=0.0)
    reach *= setup.cast[agent].awake_of("sight")
    level, i = Level.of(scenario.level), names.index(agent)
    poses = replayed_poses([setup], scenario.tracks, times, level)
    longest = 0.0
    for j, name in enumerate(names):
        if j != i and profile.sees(setup.cast[name].team):
            x, y = poses.x[:, 0, j] - poses.x[:, 0, i], poses.y[:, 0, j] - poses.y[:, 0, i]
            both = poses.present[:, 0, j] & poses.present[:, 0, i]
            longest = max(longest, float((both & (np.hypot(x, y) <= reach)).sum()))
    return longest * setup.clock.dt


def _looks_too_seldom(scenario: Scenario) -> Found:
    for place, profile, meter in used_meters(scenario):
        listen_every = profile.hearing.listen_every if profile.hearing else 0.0
        for key, every in (("look_every", profile.look_every), ("listen_every", listen_every)):
            if every > meter.drain_after > 0.0:
                reason = f"{meter.drain_after:g} s is shorter than {key}, {every:g} s"
                fix = f"so the meter drains in between; raise drain_after, or reduce {key}"
                yield f"{place}.drain_after", reason, fix


def _memory_too_short(scenario: Scenario) -> Found:
    for name, profile in used_profiles(scenario).items():
        memory = profile.memory
        if memory is not None and profile.look_every > memory.grace > 0.0:
            reason = f"{memory.grace:g} s is shorter than look_every, {profile.look_every:g} s"
            fix = "so it ends before the next look; make it longer, or 0"
            yield key_path(("profiles", name, "memory", "grace")), reason, fix
        if memory is not None and memory.forget <= memory.grace + memory.lead:
            reason = f"{memory.forget:g} s is not longer than grace and lead together"
            fix = "so nothing is left to remember; make it longer"
            yield key_path(("profiles", name, "memory", "forget")), reason, fix


def _tells_nobody(scenario: Scenario) -> Found:
    setup = scenario.setup
    for agent in setup.agents:
        profile = setup.profile_of(agent)
        if profile.tell is None:
            continue
        place = key_path(("profiles", setup.cast[agent].profile or "", "tell"))
        if profile.memory is None:
            yield place, f"{agent} has no memory, so it has nothing to tell", "give it a memory"
            continue
        teams = profile.tell.teams or (setup.cast[agent].team,)
        others = [
            setup.profile_of(name)
            for name in setup.agents
            if name != agent and setup.cast[name].team in teams
        ]
        by_voice = profile.tell.reach is not None
        if not any(p.memory and (p.hearing or not by_voice) for p in others):
            reason = f"{agent} tells {', '.join(teams)}, but no other agent there could know of it"
            fix = "those who are told need a memory" + (
                ", and hearing for a voice" if by_voice else ""
            )
            yield place, reason, fix


def _outdated_key(scenario: Scenario) -> Found:
    """A name that is another today; it goes on being read for a version."""
    for place in scenario.draft.outdated:
        name = today(place)[-1]
        yield key_path(place), f"is called {name} now", f"rename it to {name}"
    setup = scenario.setup
    measures: list[tuple[tuple[str, ...], str]] = [
        (("wish", name, "measure"), wish.measure) for name, wish in setup.wish.items()
    ]
    for name, said in setup.expect.items():
        if said.measure is not None:
            measures.append((("expect", name, "measure", "of"), said.measure.of))
    for place, key in measures:
        of, _, measure = key.rpartition(".")
        if of and measure in MEASURES:
            name = MEASURES[measure]
            yield key_path(place), f"{measure} is called {name} now", f"write {of}.{name}"
    for finding in setup.silence:
        if finding in FINDINGS:
            name = FINDINGS[finding]
            yield key_path(("silence", finding)), f"is called {name} now", f"rename it to {name}"


CHECKS: Checks = {
    "outdated-key": _outdated_key,
    "agent-without-senses": _agent_without_senses,
    "notices-nobody": _notices_nobody,
    "sense-notices-nobody": _sense_notices_nobody,
    "unknown-team": _unknown_team,
    "never-noticed": _never_noticed,
    "hold-below-gain": _hold_below_gain,
    "half-angle": _half_angle,
    "cone-inside-another": _cone_inside_another,
    "too-dark": _too_dark,
    "at-once-beyond-range": _at_once_beyond_range,
    "threshold-out-of-reach": _threshold_out_of_reach,
    "looks-too-seldom": _looks_too_seldom,
    "memory-too-short": _memory_too_short,
    "tells-nobody": _tells_nobody,
}
