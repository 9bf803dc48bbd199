"""Inputs with right answers, for the tests of a game's own sensing code.

They lie at the edges where such code goes wrong: at, just inside and just outside of every limit,
and where a usual mistake (`MISTAKES`) gives another answer. The answers are those of a simulation
of just these two, on open ground but for the walls of the case.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import shapely

from snelk.config.foreign import GamePlaces, GameUnits
from snelk.config.geojson import LevelData
from snelk.config.minds import Ladder, State, Transition
from snelk.config.models import Body, Clock, Cone, Hearing, Member, Profile, Setup, Wall
from snelk.config.recordings import NoiseData, ThrowData
from snelk.config.scenario import Scenario
from snelk.config.words import POSTURES
from snelk.engine.simulation import Simulation
from snelk.senses.hearing import HEARD
from snelk.senses.sight import GATES, IN_VIEW

CASES = 1
"""The layout of the cases; another number is another layout."""

MISTAKES = {
    "half-angle": "fov_whole is taken for half of the angle",
    "hold-as-gain": "the limits that hold a target apply before it is in view",
    "no-hold": "the limits that gain a target apply while it is in view",
    "exclusive-range": "at its very limit a range does not count",
    "plan-range": "distances are taken in plan",
    "from-feet": "rays begin at the feet",
    "to-feet": "distances and angles are taken to the feet of the target",
    "endless-walls": "walls have no top and no bottom",
    "one-ray": "only the middle of the body is looked for",
    "solid-hedges": "walls that let sight pass stop it",
    "order": "another gate than the first that fails is told",
    "standing-only": "a posture changes nothing",
    "all-teams": "everybody is noticed, of whatever team",
    "deaf-behind-walls": "a wall that muffles stops a noise",
    "through-only": "a noise comes through walls, and never around them",
    "noise-in-plan": "the distance of a noise is taken in plan",
    "drains-at-once": "a meter drains as soon as its target is out of view",
    "never-drains": "a meter does not drain",
    "curve-by-metres": "a meter's curve by distance goes by metres, not by the share of the range",
    "debounce-early": "a condition counts one tick too early",
    "debounce-late": "a condition counts one tick too late",
    "debounce-sums": "what a condition was true for before it was false counts as well",
}
"""Usual mistakes, each of which gives a wrong answer in at least one case."""

STEP_ASIDE = 0.05
"""So far from a limit is just inside or outside of it, m; at most a tenth of the limit."""

TURN_ASIDE = 0.25
"""The same of angles, degrees."""

DT = 0.1
"""Length of a tick of what takes several, s."""

APART, ROWS = 25.0, 20
"""Each case has its own ground: so many times the farthest limit from the next, in so many rows."""

Place = tuple[float, float, float]


@dataclass
class Case:
    """One input, with its right answer.

    Places are m on Snelk's axes, about the case's own origin; angles degrees counter-clockwise
    from +x.
    """

    name: str
    kind: str  # sight, meter, hearing or debounce
    profile: str
    setup: Setup = field(repr=False)
    agent: dict[str, Any] = field(default_factory=dict)
    target: dict[str, Any] = field(default_factory=dict)
    walls: list[dict[str, Any]] = field(default_factory=list)
    given: dict[str, Any] = field(default_factory=dict)
    right: dict[str, Any] = field(default_factory=dict)
    ground: tuple[float, float] = (0.0, 0.0)  # where its origin is in the level that answers it
    limit: float = 20.0  # no limit in it is farther, m


def cases_of(scenario: Scenario, units: GameUnits | None = None) -> list[dict[str, Any]]:
    """All cases of a scenario's profiles, with their right answers, in a game's units.

    Args:
        scenario: What `load` returned.
        units: The game's units, angles and axes; Snelk's if None.

    Returns:
        Plain data: first a head that says what all have in common, then the cases.

    >>> import snelk
    >>> head, *cases = cases_of(snelk.load(snelk.croft() / "night.toml"))
    >>> cases[0]["case"], cases[0]["right"]
    ('goose/wide/range/inside', {'in_view': True, 'failed': None, 'exposure': 1.0})
    """
    there = GamePlaces(units or GameUnits(), source="cases")
    setup = scenario.setup
    used = [name for name in setup.profiles if any(m.profile == name for m in setup.cast.values())]
    cases: list[Case] = []
    for name in used:
        cases += _sight_cases(setup, name)
    _answer_sight(scenario, cases)
    meters = [case for name in used for case in _meter_cases(setup, name)]
    _answer_meters(scenario, meters)
    sounds = [case for name in used for case in _hearing_cases(setup, name)]
    _answer_hearing(scenario, sounds)
    waits = list(_debounce_cases(setup, used))
    _answer_debounce(scenario, waits)
    head = {
        "snelk_cases": CASES,
        "units": there.units.model_dump(mode="json"),
        "gates": list(GATES),
        "mistakes": MISTAKES,
    }
    return [head, *(_told(case, there) for case in (*cases, *meters, *sounds, *waits))]


# Sight


def _sight_cases(setup: Setup, name: str) -> Iterator[Case]:
    profile = setup.profiles[name]
    own = next(m for m in setup.cast.values() if m.profile == name)
    body = own.body or profile.body or ""
    for cone_name, cone in profile.cones.items():
        notices = profile.notices if cone.notices is None else cone.notices
        found = _noticed(setup, notices)
        if found is None:
            continue
        team, target = found
        place = _Placer(setup, name, cone_name, cone, body, team, target)
        yield from _range_cases(place)
        yield from _angle_cases(place)
        yield from _elevation_cases(place)
        yield from _light_cases(place)
        yield from _posture_cases(place)
        yield from _wall_cases(place)
        yield place.case("team/not-noticed", team="nobody's")
        if cone.fov_whole < 350:
            yield place.case("order/range-before-angle", far=2.0 * cone.range, off=179.0)


class _Placer:
    """Puts an agent at the origin, and a target before it, as one cone has it."""

    def __init__(
        self, setup: Setup, name: str, cone_name: str, cone: Cone, body: str, team: str, target: str
    ) -> None:
        self.setup, self.name, self.cone_name, self.cone = setup, name, cone_name, cone
        self.body, self.team, self.target = body, team, target
        self.eye = setup.bodies[body].eyes * setup.bodies[body].standing
        self.mine = setup.bodies[body]

    def middle(self, posture: str) -> float:
        """How high the middle of the target is above its feet, m."""
        return self.setup.bodies[self.target].heights()[POSTURES.index(posture)] / 2.0

    @property
    def near(self) -> float:
        """A distance well within all limits, m."""
        return min(0.6 * self.cone.range, 12.0)

    def case(
        self,
        name: str,
        *,
        far: float | None = None,
        off: float = 0.0,
        up: float = 0.0,
        held: bool = False,
        posture: str = "standing",
        team: str | None = None,
        walls: Sequence[tuple[float, float, float, float]] = (),
        light: float = 1.0,
        level: bool = True,
    ) -> Case:
        """One look.

        Args:
            name: Of the case, after those of the profile and the cone.
            far: From the eye to the middle of the target, m.
            off: Degrees off the facing, to the left.
            up: Degrees above the horizontal.
            held: Whether it was in view at the look before.
            posture: The target's.
            team: The target's, if it is not noticed.
            walls: Across the ray, each by the share of it, base, top and what sight it lets pass.
            light: On the target.
            level: Whether the middle of the target is as high as the eye at `up` 0; else its feet
                are on the ground, and `far` is in plan.
        """
        far = self.near if far is None else far
        flat = far * math.cos(math.radians(up)) if level else far
        z = self.eye + far * math.sin(math.radians(up)) - self.middle(posture) if level else 0.0
        along = math.radians(off)
        target = (flat * math.cos(along), flat * math.sin(along), z)
        drawn = [
            {"from": (flat * share, -40.0, base), "to": (flat * share, 40.0, base), "base": base,
             "top": top, "see_through": passes}
            for share, base, top, passes in walls
        ]  # fmt: skip
        cone = self.cone.model_copy(update={"notices": (self.team,)})
        plain = Profile(body=self.body, notices=(self.team,), cones={self.cone_name: cone})
        cast = {
            "agent": Member(team="agent's", profile="agent", at=(0.0, 0.0)),
            "target": Member(team=team or self.team, body=self.target, at=(1.0, 0.0)),
        }
        setup = _only(self.setup, {"agent": plain}, cast).model_copy(update={"light": light})
        return Case(
            f"{self.name}/{self.cone_name}/{name}", "sight", self.name, setup,
            agent={"body": self.body, "place": (0.0, 0.0, 0.0), "heading": 0.0,
                   "posture": "standing"},
            target={"body": self.target, "team": team or self.team, "place": target,
                    "posture": posture},
            walls=drawn,
            given={"cone": self.cone_name, "was_in_view": held, "light": light},
            limit=max(20.0, self.cone.range, self.cone.hold_range or 0.0),
        )  # fmt: skip


def _around(limit: float) -> Iterator[tuple[str, float]]:
    step = min(STEP_ASIDE, 0.1 * limit)
    yield from (("inside", limit - step), ("at", limit), ("outside", limit + step))


def _range_cases(place: _Placer) -> Iterator[Case]:
    cone = place.cone
    for where, far in _around(cone.range):
        yield place.case(f"range/{where}", far=far)
    hold = cone.hold_range or cone.range
    for where, far in _around(hold):
        yield place.case(f"hold_range/{where}", far=far, held=True)
    if hold > cone.range:
        yield place.case("hold_range/not-held", far=(hold + cone.range) / 2)
    # In plan it is near enough, in space it is not.
    yield place.case("range/steep", far=1.02 * cone.range, up=min(40.0, 0.9 * cone.up))
    flat = math.sqrt(max(cone.range**2 - (place.eye - place.middle("standing")) ** 2, 0.01))
    yield place.case("range/on-the-ground", far=flat - 0.02, level=False)


def _angle_cases(place: _Placer) -> Iterator[Case]:
    cone = place.cone
    hold = cone.hold_fov_whole or cone.fov_whole
    for key, whole, held in (("fov_whole", cone.fov_whole, False), ("hold_fov_whole", hold, True)):
        half = whole / 2.0
        for where, off in (("inside", half - TURN_ASIDE), ("outside", half + TURN_ASIDE)):
            if 0.0 < off < 180.0:
                yield place.case(f"{key}/{where}-left", off=off, held=held)
                yield place.case(f"{key}/{where}-right", off=-off, held=held)
    if hold > cone.fov_whole:
        off = (hold + cone.fov_whole) / 4.0
        yield place.case("hold_fov_whole/not-held", off=off)


def _elevation_cases(place: _Placer) -> Iterator[Case]:
    for key, sign in (("up", 1.0), ("down", -1.0)):
        limit = getattr(place.cone, key)
        if limit < 89.0:
            for where, off in (("inside", limit - TURN_ASIDE), ("outside", limit + TURN_ASIDE)):
                yield place.case(f"{key}/{where}", up=sign * off)


def _light_cases(place: _Placer) -> Iterator[Case]:
    limit = place.cone.min_light
    if limit > 0.0:
        for where, light in (("inside", 0.02), ("at", 0.0), ("outside", -0.02)):
            yield place.case(f"min_light/{where}", light=min(max(limit + light, 0.0), 1.0))


def _posture_cases(place: _Placer) -> Iterator[Case]:
    """Behind a wall that hides a crouched target, but not a standing one."""
    heights = place.setup.bodies[place.target].heights()
    far = place.near
    # The ray to the top point of who stands clears it, that of who crouches does not.
    share = 0.9
    tops = [place.eye + share * (0.95 * height - place.eye) for height in heights[:2]]
    top = (tops[0] + tops[1]) / 2.0
    if abs(tops[0] - tops[1]) > 0.02 and top > 0.0:
        for posture in ("standing", "crouched"):
            wall = (share, 0.0, top, 0.0)
            yield place.case(f"posture/{posture}", far=far, posture=posture, level=False,
                             walls=[wall])  # fmt: skip


def _wall_cases(place: _Placer) -> Iterator[Case]:
    height, far = place.setup.bodies[place.target].standing, place.near
    points = place.setup.bodies[place.target].points

    def line(share: float, point: float) -> float:
        """Height of the ray to a point of the body, at a share of its length, m."""
        return place.eye + share * (point * height - place.eye)

    half = line(0.5, 0.5)
    for where, top in (("below-the-middle", half - 0.02), ("above-the-middle", half + 0.02)):
        if top > 0.0:
            yield place.case(f"wall/{where}", far=far, level=False, walls=[(0.5, 0.0, top, 0.0)])
    tall = max(line(0.5, share) for share, _ in points) + 0.05
    yield place.case("wall/tall", far=far, level=False, walls=[(0.5, 0.0, tall, 0.0)])
    yield place.case("wall/raised", far=far, level=False, walls=[(0.5, tall, tall + 1.0, 0.0)])
    low = min(0.5 * place.eye, min(line(0.1, share) for share, _ in points) - 0.02)
    if low > 0.0:
        yield place.case("wall/low-before-the-eye", far=far, level=False,
                         walls=[(0.1, 0.0, low, 0.0)])  # fmt: skip
    yield place.case("wall/hedge", far=far, level=False, walls=[(0.5, 0.0, tall, 0.6)])
    two = [(0.4, 0.0, tall + 1.0, 0.6), (0.6, 0.0, tall + 1.0, 0.5)]
    yield place.case("wall/two-hedges", far=far, level=False, walls=two)
    yield place.case("wall/glass", far=far, level=False, walls=[(0.5, 0.0, tall, 1.0)])


def _noticed(setup: Setup, notices: Sequence[str]) -> tuple[str, str] | None:
    """The first team that is noticed with the body of somebody of it; None for none."""
    for team in notices:
        for name, member in setup.cast.items():
            if member.team == team and member.clue is None:
                return team, setup.body_name_of(name)
    return None


def _only(setup: Setup, profiles: dict[str, Profile], cast: dict[str, Member]) -> Setup:
    """A setup of just these two, on open ground by day."""
    return Setup(
        level="", bodies=setup.bodies, profiles=profiles, cast=cast, noise_kinds={},
        clock=Clock(dt=DT, end=1.0),
    )  # fmt: skip


@dataclass(frozen=True)
class _Bench(Scenario):
    """A scenario whose variants are existing setups."""

    def changed(self, overrides: Any) -> Scenario:
        return replace(self, setup=overrides["setup"]) if overrides else self


def _bench(scenario: Scenario, cases: Sequence[Case], ticks: int) -> Simulation:
    """All cases as variants of one simulation, each on its own ground, that is stepped by hand."""
    walls, apart = [], APART * max(case.limit for case in cases)
    for n, case in enumerate(cases):
        case.ground = apart * (n % ROWS), apart * (n // ROWS)
        for w, wall in enumerate(case.walls):
            ends = [_shifted(case, wall[end])[:2] for end in ("from", "to")]
            made = Wall(
                kind="wall", name=f"{n}-{w}", base=wall["base"], top=wall["top"],
                see_through=wall.get("see_through", 0.0),
                hear_through=wall.get("hear_through", 0.5),
            )  # fmt: skip
            walls.append((made, shapely.LineString(ends)))
    clock = Clock(dt=DT, end=DT * ticks)
    setups = []
    for case in cases:
        cast = {
            name: m.model_copy(update={"at": case.ground}) for name, m in case.setup.cast.items()
        }
        setups.append(case.setup.model_copy(update={"clock": clock, "cast": cast}))
    bench = _Bench(
        "cases", setups[0], LevelData("cases", walls=tuple(walls)), {}, NoiseData.none(),
        ThrowData.none(), (), {}, (), scenario.draft,
    )  # fmt: skip
    variants = [{"setup": setup} for setup in setups]
    simulation = Simulation(bench, variants=variants, pushed=True)
    for n, case in enumerate(cases):
        _put(simulation, n, 0, case, case.agent, case.agent["place"])
    return simulation


def _shifted(case: Case, place: Sequence[float]) -> Place:
    """A place of a case's own ground in the level."""
    return place[0] + case.ground[0], place[1] + case.ground[1], place[2]


def _put(
    simulation: Simulation, n: int, j: int, case: Case, who: dict[str, Any], place: Place
) -> None:
    given, (x, y, z) = simulation.given, _shifted(case, place)
    v = min(n, given.x.shape[1] - 1)
    given.x[0, v, j], given.y[0, v, j], given.z[0, v, j] = x, y, z
    given.heading[0, v, j] = math.radians(who.get("heading", 0.0))
    given.posture[0, v, j] = POSTURES.index(who.get("posture", "standing"))


def _answer_sight(scenario: Scenario, cases: Sequence[Case]) -> None:
    """At one tick a target that was in view is right before the agent; at the next as it says."""
    if not cases:
        return
    simulation = _bench(scenario, cases, 2)
    for n, case in enumerate(cases):
        height = case.setup.bodies[case.target["body"]].standing
        mine = case.setup.bodies[case.agent["body"]]
        _put(simulation, n, 1, case, {}, (0.5, 0.0, mine.eyes * mine.standing - height / 2.0))
        simulation.given.present[0, n, 1] = case.given["was_in_view"]
    simulation.step()
    was = (simulation.sight.failed[:, 0, 1, 0] == IN_VIEW).tolist()
    for n, case in enumerate(cases):
        _put(simulation, n, 1, case, case.target, case.target["place"])
        simulation.given.present[0, n, 1] = True
    simulation.step()
    for n, case in enumerate(cases):
        case.given["was_in_view"] = was[n]  # a cone may be too short to have had it in view
        failed = int(simulation.sight.failed[n, 0, 1, 0])
        if case.target["team"] not in case.setup.profiles["agent"].notices:
            failed = GATES.index("cares")  # such pairs are not looked at at all
        exposure = float(simulation.sight.exposure[n, 0, 1])
        case.right = {
            "in_view": failed == IN_VIEW,
            "failed": None if failed == IN_VIEW else GATES[failed],
            "exposure": None if math.isnan(exposure) else round(exposure, 9),
        }


# The meter

SEEN, GONE, BACK = 24, 50, 6
"""Ticks for which a target is in view, is gone, and is back again."""


def _meter_cases(setup: Setup, name: str) -> Iterator[Case]:
    profile = setup.profiles[name]
    if profile.meter is None or not profile.cones:
        return
    own = next(m for m in setup.cast.values() if m.profile == name)
    body = own.body or profile.body or ""
    cone_name, cone = max(profile.cones.items(), key=lambda item: item[1].range)
    found = _noticed(setup, profile.notices if cone.notices is None else cone.notices)
    if found is None:
        return
    team, target = found
    half = cone.fov_whole / 2.0
    for what, share, off, posture, speed, light in (
        ("ahead", 0.5, 0.0, "standing", 0.0, 1.0),
        ("far", 0.9, 0.0, "standing", 0.0, 1.0),
        ("aside", 0.5, 0.8 * half, "standing", 0.0, 1.0),
        ("crouched", 0.5, 0.0, "crouched", 0.0, 1.0),
        ("moving", 0.6, 0.0, "standing", 1.5, 1.0),
        ("dim", 0.5, 0.0, "standing", 0.0, max(0.3, cone.min_light)),
        ("very-near", 0.05, 0.0, "standing", 0.0, 1.0),
    ):
        places = []
        for n in range(SEEN + GONE + BACK):
            along = math.radians(off)
            x, y = share * cone.range * math.cos(along), share * cone.range * math.sin(along)
            places.append((x, y + speed * DT * (n % 10 - 5 if speed else 0), 0.0))
        cast = {
            "agent": Member(team="agent's", profile="agent", at=(0.0, 0.0)),
            "target": Member(team=team, body=target, at=(1.0, 0.0)),
        }
        only = cone.model_copy(update={"notices": (team,)})
        plain = Profile(body=body, notices=(team,), cones={cone_name: only}, meter=profile.meter)
        made = _only(setup, {"agent": plain}, cast).model_copy(update={"light": light})
        yield Case(
            f"{name}/meter/{what}", "meter", name, made,
            agent={"body": body, "place": (0.0, 0.0, 0.0), "heading": 0.0, "posture": "standing"},
            target={"body": target, "team": team, "posture": posture, "places": places,
                    "present": [not SEEN <= n < SEEN + GONE for n in range(len(places))]},
            given={"cone": cone_name, "light": light, "dt": DT}, limit=max(20.0, cone.range),
        )  # fmt: skip


def _answer_meters(scenario: Scenario, cases: Sequence[Case]) -> None:
    if not cases:
        return
    simulation = _bench(scenario, cases, SEEN + GONE + BACK + 1)
    simulation.given.present[0, :, 1] = False  # at first, so that it comes from nowhere
    simulation.step()
    values: list[list[float]] = [[] for _ in cases]
    for tick in range(SEEN + GONE + BACK):
        for n, case in enumerate(cases):
            _put(simulation, n, 1, case, case.target, case.target["places"][tick])
            simulation.given.present[0, n, 1] = case.target["present"][tick]
        simulation.step()
        for n, value in enumerate(simulation.meters.value[:, 0, 1].tolist()):
            values[n].append(round(value, 9))
    for case, found in zip(cases, values, strict=True):
        case.right = {"meter": found}


# Hearing


def _hearing_cases(setup: Setup, name: str) -> Iterator[Case]:
    profile = setup.profiles[name]
    if profile.hearing is None or profile.hearing.acuity <= 0.0:
        return
    own = next(m for m in setup.cast.values() if m.profile == name)
    body = own.body or profile.body or ""
    ear = setup.bodies[body].eyes * setup.bodies[body].standing
    reach = 20.0
    limit = reach * profile.hearing.acuity

    def case(
        what: str, far: float, up: float = 0.0, *, walls: Sequence[dict[str, Any]] = (),
        background: float = 0.0,
    ) -> Case:  # fmt: skip
        """A noise so far off in plan, and so much higher than the ear, m."""
        update = {"listen_every": 0.0, "place_error": 0.0, "of_nobody": True}
        hearing: Hearing = profile.hearing.model_copy(update=update)
        plain = Profile(body=body, notices=(), hearing=hearing)
        cast = {
            "agent": Member(team="agent's", profile="agent", at=(0.0, 0.0)),
            "target": Member(team="nobody's", body=body, at=(1.0, 0.0)),
        }
        made = _only(setup, {"agent": plain}, cast)
        return Case(
            f"{name}/hearing/{what}", "hearing", name,
            made.model_copy(update={"background": background}),
            agent={"body": body, "place": (0.0, 0.0, 0.0), "heading": 0.0, "posture": "standing"},
            walls=list(walls),
            given={"noise": (far, 0.0, ear + up), "reach": reach, "background": background},
            limit=max(20.0, limit),
        )  # fmt: skip

    def wall(share: float, half: float, passes: float) -> dict[str, Any]:
        x = share * far
        return {"from": (x, -half, 0.0), "to": (x, half, 0.0), "base": 0.0, "top": 50.0,
                "hear_through": passes}  # fmt: skip

    for where, far in _around(limit):
        yield case(f"reach/{where}", far)
    yield case("reach/above", 0.8 * limit, 0.8 * limit)
    for where, far in _around(0.5 * limit):
        yield case(f"through/{where}", far, walls=[wall(0.5, 10.0 * far, 0.5)])
    far = 0.5 * limit
    yield case("around/short-wall", far, walls=[wall(0.5, 0.2 * far, 0.05)])
    yield case("around/too-long", far, walls=[wall(0.5, 3.0 * far, 0.05)])
    for where, far in _around(0.7 * limit):
        yield case(f"background/{where}", far, background=0.3)


def _answer_hearing(scenario: Scenario, cases: Sequence[Case]) -> None:
    if not cases:
        return
    simulation = _bench(scenario, cases, 2)
    simulation.given.present[0, :, 1] = False
    for n, case in enumerate(cases):
        place = _shifted(case, case.given["noise"])
        simulation.maker.give("noise", place, case.given["reach"], None, variant=n)
    simulation.step()
    heard = simulation.heard
    for n, case in enumerate(cases):
        (row,) = np.flatnonzero(heard.variant == n).tolist()
        case.right = {
            "heard": bool(heard.failed[row] == HEARD),
            "strength": round(float(heard.strength[row]), 9),
        }


# How long a condition has to be true


def _debounce_cases(setup: Setup, used: Sequence[str]) -> Iterator[Case]:
    """For each `for` and reaction of the scenario: when a condition is true, and when not."""
    pairs: dict[tuple[float, float], str] = {}
    for name in used:
        ladder = setup.profiles[name].ladder
        for key, each in ladder.transitions.items() if ladder is not None else ():
            for state in ladder.origins(each) if ladder is not None else ():
                reaction = ladder.reaction_of(each, state) if ladder is not None else 0.0
                pairs.setdefault((each.for_, reaction), f"{name}/{key}")
    for (for_, reaction), name in pairs.items():
        ticks = math.ceil(for_ / DT - 1e-9) + math.ceil(reaction / DT - 1e-9)
        if ticks > 300:
            continue
        for what, pattern in (
            ("on-end", [True] * (ticks + 3)),
            ("broken", [True] * ticks + [False] + [True] * (ticks + 3)),
            ("late", [False] * 3 + [True] * (ticks + 3)),
        ):
            yield Case(
                f"{name}/debounce/{what}", "debounce", name.partition("/")[0],
                _debounce_setup(setup, for_, reaction),
                agent={"body": "case", "place": (0.0, 0.0, 0.0)},
                given={"for": for_, "reaction": reaction, "dt": DT, "true": pattern},
            )  # fmt: skip


def _debounce_setup(setup: Setup, for_: float, reaction: float) -> Setup:
    """Two states, and a condition that is true while the other is in view."""
    turns = {"from": ["before"], "to": "after", "when": "seen", "for": for_, "reaction": reaction}
    ladder = Ladder(
        states={"before": State(), "after": State()},
        transitions={"turns": Transition.model_validate(turns)},
    )
    cone = Cone(fov_whole=360.0, range=50.0)
    plain = Profile(body="case", notices=("others",), cones={"all": cone}, ladder=ladder)
    cast = {
        "agent": Member(team="agent's", profile="agent", at=(0.0, 0.0)),
        "target": Member(team="others", body="case", at=(5.0, 0.0)),
    }
    made = _only(setup, {"agent": plain}, cast)
    return made.model_copy(update={"bodies": {**made.bodies, "case": Body(standing=1.8)}})


def _answer_debounce(scenario: Scenario, cases: Sequence[Case]) -> None:
    if not cases:
        return
    most = max(len(case.given["true"]) for case in cases)
    simulation = _bench(scenario, cases, most)
    taken: list[int | None] = [None] * len(cases)
    for tick in range(most):
        for n, case in enumerate(cases):
            pattern = case.given["true"]
            _put(simulation, n, 1, case, {}, (5.0, 0.0, 0.0))
            simulation.given.present[0, n, 1] = tick < len(pattern) and pattern[tick]
        simulation.step()
        for step in simulation.world.taken:
            if tick < len(cases[step.variant].given["true"]):
                taken[step.variant] = tick
    for case, tick_taken in zip(cases, taken, strict=True):
        case.right = {"taken_at": tick_taken}


def _told(case: Case, there: GamePlaces) -> dict[str, Any]:
    """A case in the game's units."""
    units = there.units
    length, time = 1.0 / units.length, 1.0 / units.time

    def spot(place: Place) -> list[float]:
        return list(there.place_out(place))

    agent = {**case.agent, "place": spot(case.agent["place"])}
    if "heading" in agent:
        agent["heading"] = units.heading_out(case.agent["heading"])
    target = dict(case.target)
    if "place" in target:
        target["place"] = spot(target["place"])
    if "places" in target:
        target["places"] = [spot(place) for place in target["places"]]
    walls = [
        {**wall, "from": spot(wall["from"]), "to": spot(wall["to"]), "base": wall["base"] * length,
         "top": wall["top"] * length}
        for wall in case.walls
    ]  # fmt: skip
    given = dict(case.given)
    for key, factor in (("reach", length), ("dt", time), ("for", time), ("reaction", time)):
        if key in given:
            given[key] = given[key] * factor
    if "noise" in given:
        given["noise"] = spot(given["noise"])
    found: dict[str, Any] = {
        "case": case.name,
        "kind": case.kind,
        "profile": case.profile,
        "agent": agent,
    }
    found |= {"target": target} if target else {}
    found |= {"walls": walls} if case.kind in ("sight", "hearing") else {}
    return {**found, **given, "right": case.right}
