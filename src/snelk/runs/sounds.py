"""One noise at one pair of ears, rebuilt to explain it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.config.steps import STEP as FOOTSTEP
from snelk.config.words import STEP
from snelk.level.rays import shares_past
from snelk.runs.moment import poses_at
from snelk.runs.standing import awake_at
from snelk.runs.turning import level_at
from snelk.senses.bodies import bodies_of
from snelk.senses.hearing import LIFT, UNDERFOOT
from snelk.senses.surrounding import surround
from snelk.senses.surroundings import Surroundings, around_of

if TYPE_CHECKING:
    from snelk.runs.record import Record


@dataclass(frozen=True)
class Sound:
    """A noise at an ear, and every factor of how far it carries to there.

    Attributes:
        present: Whether the agent is there; if not, distances are NaN.
        kind, gait, ground: What made it; gait and ground of a footstep, else empty.
        own_reach: What is written for its kind or gait, m.
        loudness: Factor of the ground; 1 for what is no footstep.
        reach_place: Where the reach is written, as parts of a key path, if `--set` can change it.
        acuity: Of the ear, times how awake it is.
        background, background_zone: Noise at the ear, and the zone that says so, if any.
        straight, around: Lengths of both ways, m.
        through: Share that walls on the straight path let pass.
        walls: Those walls, by name, with the share of each.
    """

    present: bool
    kind: str
    gait: str
    ground: str
    own_reach: float
    loudness: float
    reach_place: tuple[str, ...]
    acuity: float
    background: float
    background_zone: str | None
    straight: float
    around: float
    through: float
    walls: tuple[tuple[str, float], ...]

    @property
    def reach(self) -> float:
        """How far it carries to an ordinary ear in the open, m."""
        return self.own_reach * self.loudness

    @property
    def limit(self) -> float:
        """How far it carries to this ear in the open, m."""
        return self.reach * self.acuity * (1.0 - self.background)

    @property
    def straight_limit(self) -> float:
        """How far it carries to this ear along the straight path, m."""
        return self.limit * self.through

    @property
    def reach_label(self) -> str:
        """What the reach belongs to, in words."""
        return f"{self.gait} steps" if self.gait else self.kind

    def product(self, *, walls: bool) -> str:
        """`walking 4 m × gravel 2.2 × acuity 1.53 × barn 0.2`."""
        parts = [f"{self.gait or self.kind} {self.own_reach:g} m"]
        if self.ground:
            parts.append(f"{self.ground} {self.loudness:g}")
        parts.append(f"acuity {self.acuity:.3g}")
        if self.background > 0.0:
            name = self.background_zone or "background"
            parts.append(f"{name} {1.0 - self.background:.3g}")
        if walls:
            parts += [f"{name} {share:g}" for name, share in self.walls]
        return " × ".join(parts)


def sound_of(run: Record, a: int, noise: Any, tick: int, *, around: float = math.nan) -> Sound:
    """A row of the table `noises` at the ears of an agent at a tick.

    `around` is the length of the way on foot, m, where the run knows it; NaN to look for it.
    """
    setup, level, agent = run.setup, level_at(run, tick), run.agents[a]
    i = run.names.index(agent)
    poses, bodies = poses_at(run, tick), bodies_of([setup])
    hearing = setup.profile_of(agent).hearing
    gait, ground, own = noise.gait, noise.ground, noise.reach
    place: tuple[str, ...] = ()
    if noise.kind == STEP and gait:
        body = setup.body_name_of(noise.by)
        steps, place = setup.bodies[body].steps, ("bodies", body, "steps", gait)
        own = getattr(steps, gait) if steps is not None else 0.0
    elif noise.reach_key.startswith("noise_kinds"):
        own, place = setup.noise_kinds[noise.kind].reach, ("noise_kinds", noise.kind, "reach")
    present = bool(poses.present[0, i])
    source = (float(noise.x), float(noise.y), float(noise.z))
    up = float(bodies.eyes[0, i, poses.posture[0, i]])
    ear = (float(poses.x[0, i]), float(poses.y[0, i]), float(poses.z[0, i]) + up)
    from_above = (*source[:2], source[2] + LIFT)
    start, end = np.array([from_above]), np.array([ear])
    straight = through = math.nan
    walls: list[int] = []
    if present:
        straight = math.dist(source, ear)
        through = float(shares_past(level.sound_grid, start, end)[0])
        walls = [w for w in level.walls_between(from_above, ear) if level.hear_through[w] < 1.0]
        if math.isnan(around):
            feet = np.array([[*ear[:2], float(poses.z[0, i])]])
            below = source[2] + UNDERFOOT - FOOTSTEP  # as high as feet would be on its floor
            start = np.array([[*source[:2], below]])
            lower = min(source[2], float(poses.z[0, i]))
            ways = level.sound_ways_through(frozenset(), lower)
            walked = ways.distance(start, feet, np.array([np.inf]))
            rise = level.above_floor(*ear, feet[0, 2]) - level.above_floor(*source, below)
            around = math.hypot(float(walked[0]), rise)
    surrounding = around_of([setup], level, level.zone_light[None].copy())
    here = Surroundings.blank(poses, surrounding)
    everybody = np.arange(poses.x.shape[1], dtype=np.int32)
    surround(poses, poses, 1.0, level.zones, surrounding, everybody, here)
    return Sound(
        present,
        noise.kind,
        gait,
        ground,
        own,
        setup.grounds[ground] if ground else 1.0,
        place,
        (hearing.acuity if hearing else 0.0) * awake_at(run, agent, "hearing", tick),
        float(here.background[0, i]),
        _zone_that_says(run, (*ear[:2], float(poses.z[0, i]))),
        straight,
        around,
        through,
        tuple((level.wall_names[w], float(level.hear_through[w])) for w in walls),
    )


def _zone_that_says(run: Record, feet: tuple[float, float, float]) -> str | None:
    """The last zone of the file about a listener that says its background noise."""
    x, y, z = (np.array(value) for value in feet)
    says = [zone.name for zone, _ in run.level.data.zones if zone.background is not None]
    about = [name for name in says if run.level.within(name, x, y, z)]
    return about[-1] if about else None
