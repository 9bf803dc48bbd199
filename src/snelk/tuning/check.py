"""Looking a scenario over before it is run: what is allowed, but surely not meant.

Each kind of finding has a short, stable name, by which a scenario can silence it with a reason.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import shapely

from snelk.config.models import CURVES, Cone, Meter, Profile
from snelk.config.problems import key_path
from snelk.config.scenario import end_of
from snelk.errors import InputError, nearest

if TYPE_CHECKING:
    from snelk.config.scenario import Scenario

FASTEST = 15.0
"""A character that moves faster than this, m/s, more likely has a wrong unit or axis."""


@dataclass(frozen=True)
class Finding:
    """Something that is allowed but makes sensing go silently wrong.

    Attributes:
        name: Short, stable name of the kind of finding.
        place: Where it is: a key path or a name.
        reason: What is wrong with it.
        fix: What to do about it.
    """

    name: str
    place: str
    reason: str
    fix: str

    def __str__(self) -> str:
        return f"{self.name}: {self.place}: {self.reason}; {self.fix}"


def check(scenario: Scenario) -> list[Finding]:
    """Everything suspicious in a scenario that has been read without errors.

    Kinds that its `silence` names are left out.

    Raises:
        InputError: `silence` names a kind that does not exist.

    >>> import snelk
    >>> check(snelk.load(snelk.croft() / "night.toml"))
    []
    """
    silence = scenario.setup.silence
    for name in silence:
        if name not in KINDS:
            place, fix = key_path(("silence", name)), nearest(name, KINDS)
            raise InputError.of(scenario.source, place, "", "no such kind of finding", fix)
    return [
        Finding(name, *found)
        for name, look in KINDS.items()
        if name not in silence
        for found in look(scenario)
    ]


Found = Iterator[tuple[str, str, str]]
"""Place, reason and fix of each finding of a kind."""


def _used_profiles(scenario: Scenario) -> dict[str, Profile]:
    setup = scenario.setup
    names = dict.fromkeys(setup.cast[agent].profile or "" for agent in setup.agents)
    return {name: setup.profiles[name] for name in names}


def _used_cones(scenario: Scenario) -> Iterator[tuple[str, Cone]]:
    for name, profile in _used_profiles(scenario).items():
        for cone_name, cone in profile.cones.items():
            yield key_path(("profiles", name, "cones", cone_name)), cone


def _used_meters(scenario: Scenario) -> Iterator[tuple[str, Profile, Meter]]:
    for name, profile in _used_profiles(scenario).items():
        if profile.meter is not None:
            yield key_path(("profiles", name, "meter")), profile, profile.meter


def _track_without_character(scenario: Scenario) -> Found:
    for name in scenario.strangers:
        reason = "is recorded in a track but is not in the cast, so it is left out"
        yield f'id "{name}"', reason, f"add it to the cast, or {nearest(name, scenario.setup.cast)}"


def _agent_without_senses(scenario: Scenario) -> Found:
    for name in scenario.setup.agents:
        if not scenario.setup.profile_of(name).cones:
            profile = scenario.setup.cast[name].profile
            yield key_path(("cast", name)), f'its profile "{profile}" has no cones', "add a cone"


def _notices_nobody(scenario: Scenario) -> Found:
    cast = scenario.setup.cast
    teams = sorted({member.team for member in cast.values()})
    for name in scenario.setup.agents:
        notices = scenario.setup.profile_of(name).notices
        if not any(other != name and member.team in notices for other, member in cast.items()):
            reason = f"notices {', '.join(notices) or 'no team'}, and nobody else belongs to that"
            yield key_path(("cast", name)), reason, f"teams here: {', '.join(teams)}"


def _unknown_team(scenario: Scenario) -> Found:
    teams = {member.team for member in scenario.setup.cast.values()}
    for name, profile in _used_profiles(scenario).items():
        for team in profile.notices:
            if team not in teams:
                place = key_path(("profiles", name, "notices"))
                yield place, f'team "{team}" has no member here', nearest(team, teams)


def _never_noticed(scenario: Scenario) -> Found:
    noticed = {team for p in _used_profiles(scenario).values() for team in p.notices}
    for name, member in scenario.setup.cast.items():
        if member.profile is None and member.team not in noticed:
            reason = (
                f'no profile here notices its team "{member.team}", and it senses nothing itself'
            )
            fix = f"let a profile notice it, or {nearest(member.team, noticed)}"
            yield key_path(("cast", name)), reason, fix


def _hold_below_gain(scenario: Scenario) -> Found:
    for place, cone in _used_cones(scenario):
        for key, unit in (("range", "m"), ("fov_whole", "deg")):
            gain, hold = getattr(cone, key), getattr(cone, f"hold_{key}")
            if hold is not None and hold < gain:
                reason = f"{hold:g} {unit} is less than {key}, {gain:g} {unit}"
                yield (
                    f"{place}.hold_{key}",
                    reason,
                    "a target would flicker; make it at least as large",
                )


def _half_angle(scenario: Scenario) -> Found:
    for place, cone in _used_cones(scenario):
        hold = cone.hold_fov_whole
        if hold is not None and 1.9 * cone.fov_whole <= hold <= 2.1 * cone.fov_whole:
            reason = f"{cone.fov_whole:g} deg is half of hold_fov_whole, {hold:g} deg"
            yield f"{place}.fov_whole", reason, "write the whole angle from edge to edge"


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

    for name, profile in _used_profiles(scenario).items():
        for inner, cone in profile.cones.items():
            for outer, other in profile.cones.items():
                if inner != outer and covers(other, cone) and not covers(cone, other):
                    place = key_path(("profiles", name, "cones", inner))
                    reason = f'sees nothing that the cone "{outer}" does not see as well'
                    yield place, reason, "make it wider or longer, or leave it out"


def _too_dark(scenario: Scenario) -> Found:
    setup = scenario.setup
    places = [setup.light, *(z.light for z, _ in scenario.level.zones if z.light is not None)]
    lamps = [member.lamp.light for member in setup.cast.values() if member.lamp]
    brightest = min(max(places) + sum(lamps), 1.0)
    for place, cone in _used_cones(scenario):
        if cone.min_light > brightest:
            reason = f"{cone.min_light:g} is more than any light here, {brightest:g}"
            yield f"{place}.min_light", reason, "lower it, or add light"


def _at_once_beyond_range(scenario: Scenario) -> Found:
    for place, profile, meter in _used_meters(scenario):
        ranges = [max(cone.range, cone.hold_range or 0.0) for cone in profile.cones.values()]
        if ranges and meter.at_once > max(ranges):
            reason = f"{meter.at_once:g} m is beyond all its cones, {max(ranges):g} m"
            yield f"{place}.at_once", reason, "everything in view would fill the meter at once"


def _threshold_out_of_reach(scenario: Scenario) -> Found:
    clock = scenario.setup.clock
    seconds = end_of(clock, scenario.tracks) - clock.start + clock.dt
    for place, profile, meter in _used_meters(scenario):
        rate = max((cone.weight for cone in profile.cones.values()), default=0.0)
        rate *= max(meter.standing, meter.crouched, meter.prone)
        for name in CURVES:
            rate *= max(factor for _, factor in getattr(meter, name))
        most = min(rate * seconds / meter.fill_time, 1.0)
        for name, limit in meter.thresholds.items():
            if limit > most + 1e-9 and meter.at_once == 0.0:
                reason = (
                    f"{limit:g} cannot be reached: in {seconds:g} s it fills to {most:.2f} at most"
                )
                fix = "shorten fill_time, or raise the curves and factors"
                yield f"{place}.thresholds.{name}", reason, fix


def _looks_too_seldom(scenario: Scenario) -> Found:
    for place, profile, meter in _used_meters(scenario):
        if profile.look_every > meter.hold > 0.0:
            reason = f"{meter.hold:g} s is shorter than look_every, {profile.look_every:g} s"
            fix = "one look that misses makes it drain; hold longer or look more often"
            yield f"{place}.hold", reason, fix


def _starts_inside_wall(scenario: Scenario) -> Found:
    for name, member in scenario.setup.cast.items():
        track = scenario.tracks.get(name)
        x, y, z = (
            (track.x[0], track.y[0], track.z[0]) if track else (*(member.at or (0, 0)), member.z)
        )
        for wall, outline in scenario.level.walls:
            solid = "Polygon" in outline.geom_type and wall.see_through < 1.0
            if solid and wall.base <= z < wall.top and shapely.contains_xy(outline, x, y):
                reason = f"starts inside the wall {wall.name}, at ({x:.2f}, {y:.2f})"
                yield key_path(("cast", name)), reason, "move it, or check the axes and units"


def _track_through_wall(scenario: Scenario) -> Found:
    walls = [
        (wall, shapely.boundary(outline) if "Polygon" in outline.geom_type else outline)
        for wall, outline in scenario.level.walls
    ]
    for name, track in scenario.tracks.items():
        tall = scenario.setup.body_of(name).standing
        steps = shapely.linestrings(
            np.stack(
                [np.column_stack([track.x[i], track.y[i]]) for i in _pairs(len(track.t))], axis=1
            )
            if len(track.t) > 1
            else np.zeros((0, 2, 2))
        )
        for wall, outline in walls:
            # Nobody climbs over what is a metre, or twice as high as they are.
            blocks = (wall.base < track.z[1:] + tall) & (
                wall.top > track.z[1:] + max(2 * tall, 1.0)
            )
            crossed = np.flatnonzero(shapely.intersects(steps, outline) & blocks)
            if len(crossed):
                when = track.t[crossed[0] + 1]
                reason = f"goes through the wall {wall.name} at {when:g} s"
                yield f'track "{name}"', reason, "check the axes, units and the level"


def _pairs(count: int) -> tuple[slice, slice]:
    return slice(0, count - 1), slice(1, count)


def _impossible_speed(scenario: Scenario) -> Found:
    for name, track in scenario.tracks.items():
        speed = np.hypot(np.diff(track.x), np.diff(track.y)) / np.diff(track.t)
        if len(speed) and speed.max() > FASTEST:
            n = int(speed.argmax())
            reason = f"moves at {speed[n]:.0f} m/s at {track.t[n]:g} s"
            yield f'track "{name}"', reason, "check the units, metres and seconds"


KINDS: dict[str, Callable[[Scenario], Found]] = {
    "track-without-character": _track_without_character,
    "agent-without-senses": _agent_without_senses,
    "notices-nobody": _notices_nobody,
    "unknown-team": _unknown_team,
    "never-noticed": _never_noticed,
    "hold-below-gain": _hold_below_gain,
    "half-angle": _half_angle,
    "cone-inside-another": _cone_inside_another,
    "too-dark": _too_dark,
    "at-once-beyond-range": _at_once_beyond_range,
    "threshold-out-of-reach": _threshold_out_of_reach,
    "looks-too-seldom": _looks_too_seldom,
    "starts-inside-wall": _starts_inside_wall,
    "track-through-wall": _track_through_wall,
    "impossible-speed": _impossible_speed,
}
"""Every kind of finding, by its name."""
