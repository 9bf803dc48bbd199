"""Hearing: the gates between a noise and an ear; see docs/calculations.md.

Noises are events, few in a tick, so this stage works on arrays of (noise, ear) pairs.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.chance import stream_at_once
from snelk.config.models import Setup
from snelk.level.compiled import Direct, compiled, inlined
from snelk.level.level import Level
from snelk.level.rays import NO_WALL, Grid, cast_ray, scratch_for
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.sight import EDGE

HEARING_GATES = ("present", "cares", "awake", "reach")
"""The gates in the order in which they are tried."""

HEARING_RESULTS = ("heard", *HEARING_GATES)

HEARD = -1
PRESENT, CARES, AWAKE, REACH = range(len(HEARING_GATES))

NOBODY = -1
"""Maker of a noise that no character made."""

BY_KIND, IN_FILE = -1, -2
"""Where a noise's reach is written, if not in the scenario's own list of noises."""

Numbers = NDArray[np.float64]
Codes = NDArray[np.intp]


class HearingNumbers(NamedTuple):
    """The numbers of everybody's hearing; see `hearing_numbers`."""

    used: NDArray[np.bool_]  # (variant, agent): whether it has ears at all
    acuity: Numbers  # (variant, agent)
    awake: Numbers  # (variant, agent): scales acuity
    cares: NDArray[np.bool_]  # (variant, agent, maker); the last maker is nobody
    place_error: Numbers  # (variant, agent), m per m
    seeds: tuple[int, ...]  # (variant,)


class Noises(NamedTuple):
    """Some noises, as arrays of equal length."""

    variant: Codes
    number: Codes  # of all noises of its variant, in the order in which they were made
    t: Numbers  # s
    kind: Codes  # index of the simulation's noise_words
    gait: Codes  # of a footstep: index of GAITS, else -1
    ground: Codes  # of a footstep: index of the simulation's ground_words, else -1
    x: Numbers  # m
    y: Numbers
    z: Numbers
    reach: Numbers  # m, to an ordinary ear in the open
    by: Codes  # index of the character who made it, or NOBODY
    listed: Codes  # where its reach is written: BY_KIND, IN_FILE, or its place in the list

    def of(self, chosen: NDArray[np.generic]) -> Noises:
        """Some of these, by mask or index."""
        return Noises(*(values[chosen] for values in self))


class Heard(NamedTuple):
    """What became of noises at ears, as arrays of (pairs,); what no gate asked for is NaN."""

    variant: Codes
    number: Codes  # of the noise
    agent: Codes
    by: Codes
    failed: NDArray[np.int8]  # first failed gate, or HEARD
    acuity: Numbers  # of the ear, times how awake it is
    background: Numbers  # at the ear, 0 to 1
    limit: Numbers  # how far it carries to this ear in the open, m
    straight: Numbers  # distance in a straight line, m
    through: Numbers  # share of the limit that walls on that line let pass
    wall: Codes  # the first wall that muffles, or NO_WALL
    ear: Numbers  # (pairs, 2) place of the ear in plan, m
    height: Numbers  # of the ear above the noise, m
    around: Numbers  # length of the way on foot, m; infinite if beyond the limit
    strength: Numbers  # 1 at the source to 0 at the limit; 0 if not heard
    x: Numbers  # the place heard, m; NaN if not heard
    y: Numbers

    @classmethod
    def none(cls) -> Heard:
        """Nothing to hear."""
        return cls.blank(*np.zeros((4, 0), dtype=np.intp))

    @classmethod
    def blank(cls, variant: Codes, number: Codes, agent: Codes, by: Codes) -> Heard:
        """Pairs of which nothing is known yet."""
        size = len(variant)
        failed = np.empty(size, dtype=np.int8)
        wall = np.full(size, NO_WALL, dtype=np.intp)
        acuity, background, limit, straight, through, height, around, strength, x, y = np.full(
            (10, size), np.nan
        )
        strength[:] = 0.0
        ear = np.full((size, 2), np.nan)
        return cls(
            *(variant, number, agent, by, failed, acuity, background, limit, straight),
            *(through, wall, ear, height, around, strength, x, y),
        )


def hearing_numbers(setups: Sequence[Setup]) -> HearingNumbers:
    """Pack the ears of every agent of every variant into arrays."""
    agents, names = setups[0].agents, list(setups[0].cast)
    shape = (len(setups), len(agents))
    used = np.zeros(shape, dtype=np.bool_)
    acuity, awake, error = np.zeros(shape), np.ones(shape), np.zeros(shape)
    cares = np.zeros((*shape, len(names) + 1), dtype=np.bool_)
    for v, setup in enumerate(setups):
        for a, agent in enumerate(agents):
            profile = setup.profile_of(agent)
            if profile.hearing is None:
                continue
            noticed = profile.teams()[("hearing",)]
            used[v, a], acuity[v, a] = True, profile.hearing.acuity
            awake[v, a] = setup.cast[agent].awake_of("hearing")
            error[v, a] = profile.hearing.place_error
            cares[v, a] = [*(setup.cast[name].team in noticed for name in names), True]
    return HearingNumbers(used, acuity, awake, cares, error, tuple(s.seed for s in setups))


class Ears:
    """Everybody's ears in one level.

    Args:
        numbers: The ears.
        bodies: How high they are.
        characters: (agent,) which character an agent is.
        names: Names of all characters, for the streams of chance.
        level: Whose walls muffle and are in the way.
    """

    def __init__(
        self,
        numbers: HearingNumbers,
        bodies: Bodies,
        characters: NDArray[np.int32],
        names: Sequence[str],
        level: Level,
    ) -> None:
        self.numbers = numbers
        self.bodies = bodies
        self.characters = characters
        self.names = names
        self.level = level
        self._scratch = scratch_for(level.sound_grid)
        self._at_ears = Direct(at_ears)

    def judge(
        self, noises: Noises, judged: NDArray[np.bool_], poses: Poses, background: Numbers
    ) -> Heard:
        """Judge noises at ears.

        Args:
            noises: The noises.
            judged: (noise, agent) which noise is judged at whose ears.
            poses: Where everybody is.
            background: (variant, character) background noise everybody is in, 0 to 1.
        """
        n, a = map(np.ascontiguousarray, np.nonzero(judged))
        heard = Heard.blank(noises.variant[n], noises.number[n], a, noises.by[n])
        numbers, level = self.numbers, self.level
        self._at_ears(
            noises, n, a, self.characters, poses, self.bodies, background, numbers.acuity,
            numbers.awake, numbers.cares, level.sound_grid, level.plan_grid, self._scratch, heard,
        )  # fmt: skip
        # Both ways are known but for those on foot that are not straight.
        bent = np.flatnonzero(~np.isnan(heard.through) & np.isnan(heard.around))
        if len(bent):
            self._walk_around(heard, bent, noises, n[bent])
        for pair in np.flatnonzero(heard.failed == HEARD):
            self._place(heard, int(pair), noises, int(n[pair]))
        return heard

    def _walk_around(self, heard: Heard, bent: Codes, noises: Noises, n: Codes) -> None:
        """Find the ways around walls, and decide again where they are better."""
        limit = heard.limit[bent]
        start = np.stack([noises.x[n], noises.y[n]], axis=1)
        walked = self.level.ways().around(start, heard.ear[bent], limit + EDGE)
        around = np.hypot(walked, heard.height[bent])
        heard.around[bent] = np.where(around <= limit + EDGE, around, np.inf)
        reached = bent[np.isfinite(heard.around[bent])]
        by_foot = 1.0 - heard.around[reached] / heard.limit[reached]
        heard.strength[reached] = np.maximum(heard.strength[reached], by_foot)
        heard.failed[reached] = HEARD

    def _place(self, heard: Heard, pair: int, noises: Noises, n: int) -> None:
        """Where a noise seems to come from: its place, and an error that grows with distance."""
        v, a = heard.variant[pair], heard.agent[pair]
        heard.x[pair], heard.y[pair] = noises.x[n], noises.y[n]
        spread = self.numbers.place_error[v, a] * heard.straight[pair]
        if spread > 0.0:
            by, agent = int(heard.by[pair]), self.names[self.characters[a]]
            maker = self.names[by] if by != NOBODY else ""
            # Named by maker and time, so that another noise does not change the error of this.
            t = float(noises.t[n])
            chance = stream_at_once(self.numbers.seeds[v], "hearing", agent, maker, t)
            off_x, off_y = chance.standard_normal(2) * spread
            heard.x[pair] += off_x
            heard.y[pair] += off_y


@inlined
def strength_of(distance: float, limit: float) -> float:
    """How strong a noise arrives: 1 at no distance, falling to 0 at the limit; NaN beyond."""
    if limit <= 0.0 or distance > limit + EDGE:
        return np.nan
    return min(max(1.0 - distance / limit, 0.0), 1.0)


@compiled
def at_ears(
    noises: Noises,
    of_noise: Codes,
    of_agent: Codes,
    characters: NDArray[np.int32],
    poses: Poses,
    bodies: Bodies,
    background: Numbers,
    acuity: Numbers,
    awake: Numbers,
    cares: NDArray[np.bool_],
    sound_grid: Grid,
    plan_grid: Grid,
    scratch: NDArray[np.int64],
    heard: Heard,
) -> None:
    """The gates of each pair of noise and agent, and both ways where the reach has to decide.

    A way on foot that is not straight is left to be found: it stays NaN.
    """
    for pair in range(len(of_noise)):
        n, a = of_noise[pair], of_agent[pair]
        v = noises.variant[n]
        p = v if len(poses.x) > 1 else 0
        i = characters[a]
        if not poses.present[p, i]:
            heard.failed[pair] = PRESENT
            continue
        ear_z = poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]]
        x, y, z = noises.x[n], noises.y[n], noises.z[n]
        dx, dy, dz = poses.x[p, i] - x, poses.y[p, i] - y, ear_z - z
        straight = np.sqrt(dx * dx + dy * dy + dz * dz)
        heard.straight[pair], heard.height[pair] = straight, dz
        heard.ear[pair, 0], heard.ear[pair, 1] = poses.x[p, i], poses.y[p, i]
        heard.acuity[pair] = acuity[v, a] * awake[v, a]
        heard.background[pair] = background[v, i]
        limit = noises.reach[n] * heard.acuity[pair] * (1.0 - heard.background[pair])
        heard.limit[pair] = limit
        if not cares[v, a, noises.by[n]]:
            heard.failed[pair] = CARES
        elif awake[v, a] <= 0.0:
            heard.failed[pair] = AWAKE
        else:
            heard.failed[pair] = REACH
            if limit > 0.0 and straight <= limit + EDGE:
                to_x, to_y = poses.x[p, i], poses.y[p, i]
                share, wall, _ = cast_ray(sound_grid, scratch, x, y, z, to_x, to_y, ear_z)
                heard.through[pair], heard.wall[pair] = share, wall
                free, _, _ = cast_ray(plan_grid, scratch, x, y, 0.0, to_x, to_y, 0.0)
                strength = strength_of(straight, limit * share)
                if free > 0.0:
                    heard.around[pair] = straight
                    strength = strength_of(straight, limit)
                if not np.isnan(strength):
                    heard.failed[pair], heard.strength[pair] = HEARD, strength
