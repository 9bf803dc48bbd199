"""The signals of all agents, for their conditions; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import atan2, fabs, isnan
from numpy.typing import NDArray

from snelk.body.columns import MovingColumns, StandingColumns
from snelk.body.paces import STUCK_AFTER, Moving
from snelk.body.standing import Standing
from snelk.config.nodes import FACES
from snelk.level.columns import ZoneColumns, agree, door, laid_out, plain
from snelk.level.zones import Zones
from snelk.mind.columns import AttendedColumns, DrawnColumns, SignalColumns
from snelk.mind.drawn import Drawn
from snelk.mind.signals import PLACE, Attended, Signals
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import BodyColumns, PoseColumns

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.body.moving import off_heading
    from snelk.level.lengths import hypot
    from snelk.level.within import inside

INF = float("inf")
NAN = float("nan")
DEGREES = float(180.0 / np.pi)

SLACK = 1e-9
"""Who is this close has no direction, m."""


@door
def ask(
    poses: Poses,
    bodies: Bodies,
    characters: NDArray[np.int32],
    speed: NDArray[np.float64],
    light: NDArray[np.float64],
    exposure: NDArray[np.float64],
    meter: NDArray[np.float64],
    told: NDArray[np.bool_],
    told_rank: NDArray[np.float64],
    drawn: Drawn,
    now: Attended,
    moving: Moving,
    standing: Standing,
    zones: Zones,
    dt: float,
    sees_me: NDArray[np.bool_],
    signals: Signals,
) -> None:
    """Gather the signals of one tick, but for those that activities and catches make.

    Args:
        poses: Everybody's poses.
        bodies: How tall everybody is.
        characters: (agent,) which character an agent is.
        speed: (variant or 1, character), m/s.
        light: (variant, character) that falls on everybody.
        exposure: (variant, agent, target) at the last look.
        meter: (variant, agent, target) the detection meters.
        told: (variant, agent, target) of whom it was told at this tick.
        told_rank: The rank of the state of who told of it; -1 if nobody did.
        drawn: The places that noises of nobody drew them to.
        now: What they have of their targets.
        moving: Their bodies, and the paths they are on.
        standing: Their alert states.
        zones: The zones of the level.
        dt: Length of the tick, s.
        sees_me: (variant, agent, watcher) which other agents have it in view; overwritten.
        signals: Overwritten.
    """
    agree(plain(now).seen.shape, exposure.shape, meter.shape, told.shape, told_rank.shape)
    agree(
        plain(signals).seen.shape,
        plain(now).focus.shape,
        plain(standing).state.shape,
        plain(drawn).x.shape,
    )
    agree(plain(poses).x.shape, speed.shape, (len(plain(poses).x), plain(now).seen.shape[2]))
    agree(light.shape, plain(bodies).blocks.shape, (len(plain(now).seen), plain(now).seen.shape[2]))
    agree(sees_me.shape, plain(standing).others.shape, (*plain(now).focus.shape, len(characters)))
    _ask(
        laid_out(PoseColumns, poses),
        laid_out(BodyColumns, bodies),
        characters,
        speed,
        light,
        exposure,
        meter,
        told,
        told_rank,
        laid_out(DrawnColumns, drawn),
        laid_out(AttendedColumns, now),
        laid_out(MovingColumns, moving),
        laid_out(StandingColumns, standing),
        laid_out(ZoneColumns, zones),
        dt,
        sees_me,
        laid_out(SignalColumns, signals),
    )


def _ask(
    poses: Poses,
    bodies: Bodies,
    characters: NDArray[np.int32],
    speed: NDArray[np.float64],
    light: NDArray[np.float64],
    exposure: NDArray[np.float64],
    meter: NDArray[np.float64],
    told: NDArray[np.bool_],
    told_rank: NDArray[np.float64],
    drawn: Drawn,
    now: Attended,
    moving: Moving,
    standing: Standing,
    zones: Zones,
    dt: float,
    sees_me: NDArray[np.bool_],
    signals: Signals,
) -> None:
    agents = now.seen.shape[1]
    for v in range(len(now.seen)):
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            _ask_body(moving, standing, dt, v, a, signals)
            _ask_targets(now, told, drawn, moving, v, a, signals)
            signals.inside_territory[v, a] = signals.target_inside_territory[v, a] = True
            zone = standing.territory[v, a]
            if zone >= 0:
                x, y = signals.target_x[v, a], signals.target_y[v, a]
                z = signals.target_z[v, a]
                signals.target_inside_territory[v, a] = inside(zones, zone, x, y, z)
                x, y, z = moving.x[v, a], moving.y[v, a], moving.z[v, a]
                signals.inside_territory[v, a] = inside(zones, zone, x, y, z)
            observed = False
            for watcher in range(agents):
                sees_me[v, a, watcher] = now.seen[v, watcher, characters[a]]
                observed |= sees_me[v, a, watcher] and standing.others[v, a, watcher]
            signals.observed[v, a] = observed
            i = characters[a]
            signals.own_speed[v, a] = speed[p, i]
            signals.own_height[v, a] = bodies.height[v, i, poses.posture[p, i]]
            signals.own_light[v, a] = light[v, i]
            j = now.focus[v, a]
            seen = j >= 0 and now.seen[v, a, j]
            signals.target_speed[v, a] = speed[p, j] if seen else NAN
            signals.target_height[v, a] = NAN
            if seen:
                signals.target_height[v, a] = bodies.height[v, j, poses.posture[p, j]]
            signals.target_light[v, a] = light[v, j] if seen else NAN
            shown = exposure[v, a, j] if seen else 0.0
            signals.exposure[v, a] = 0.0 if isnan(shown) else shown
            signals.meter[v, a] = meter[v, a, j] if j >= 0 else 0.0
            if j == PLACE:
                signals.meter[v, a] = drawn.meter[v, a]
            signals.told_rank[v, a] = told_rank[v, a, j] if j >= 0 else -1.0


def _ask_body(
    moving: Moving, standing: Standing, dt: float, v: int, a: int, signals: Signals
) -> None:
    """An agent's signals about itself."""
    state = max(standing.state[v, a], 0)
    signals.state[v, a] = standing.state[v, a]
    signals.entry[v, a] = standing.entries[v, a]
    signals.state_for[v, a] = standing.since[v, a] * dt
    signals.rank[v, a] = standing.rank[v, a, state]
    signals.asleep[v, a] = standing.asleep[v, a, state]
    signals.stuck[v, a] = moving.stuck_for[v, a] >= STUCK_AFTER
    x, y = moving.x[v, a], moving.y[v, a]
    rise = moving.z[v, a] - standing.home_z[v, a]
    far = hypot(x - standing.home_x[v, a], y - standing.home_y[v, a])
    signals.from_home[v, a] = far if isnan(rise) else hypot(far, rise)
    goes = moving.on_way[v, a] and moving.driven[v, a]
    signals.goal_x[v, a] = standing.goals[v, a, 0] if goes else NAN
    signals.goal_y[v, a] = standing.goals[v, a, 1] if goes else NAN
    signals.goal_z[v, a] = standing.goals[v, a, 2] if goes else NAN


def _ask_targets(
    now: Attended,
    told: NDArray[np.bool_],
    drawn: Drawn,
    moving: Moving,
    v: int,
    a: int,
    signals: Signals,
) -> None:
    """An agent's signals about its focus, and about any target."""
    any_seen, any_heard, any_felt, any_told = False, drawn.heard[v, a], False, False
    any_smelt = False
    for j in range(now.seen.shape[2]):
        any_seen |= now.seen[v, a, j]
        any_heard |= now.heard[v, a, j]
        any_felt |= now.felt[v, a, j]
        any_smelt |= now.smelt[v, a, j]
        if told[v, a, j] and not now.seen_to[v, a, j]:
            any_told = True
    signals.any_seen[v, a], signals.any_heard[v, a] = any_seen, any_heard
    signals.any_felt[v, a], signals.any_told[v, a] = any_felt, any_told
    signals.any_smelt[v, a] = any_smelt
    j = now.focus[v, a]
    x, y, z = NAN, NAN, NAN
    signals.focus[v, a], signals.place[v, a] = j, -1
    signals.seen[v, a], signals.heard[v, a] = False, False
    signals.felt[v, a], signals.told[v, a] = False, False
    signals.smelt[v, a], signals.scent_age[v, a] = False, INF
    signals.lost_for[v, a], signals.seen_for[v, a] = INF, 0.0
    if j >= 0:
        x, y, z = now.x[v, a, j], now.y[v, a, j], now.z[v, a, j]
        signals.seen[v, a], signals.heard[v, a] = now.seen[v, a, j], now.heard[v, a, j]
        signals.felt[v, a], signals.told[v, a] = now.felt[v, a, j], told[v, a, j]
        signals.smelt[v, a], signals.scent_age[v, a] = now.smelt[v, a, j], now.scent_age[v, a, j]
        signals.lost_for[v, a] = now.lost_for[v, a, j]
        signals.seen_for[v, a] = now.seen_for[v, a, j]
    elif j == PLACE:
        x, y, z = drawn.x[v, a], drawn.y[v, a], drawn.z[v, a]
        signals.place[v, a], signals.heard[v, a] = drawn.kind[v, a], drawn.heard[v, a]
    dx, dy = x - moving.x[v, a], y - moving.y[v, a]
    away = hypot(hypot(dx, dy), z - moving.z[v, a])
    signals.target_x[v, a], signals.target_y[v, a], signals.target_z[v, a] = x, y, z
    signals.knows[v, a] = not isnan(x)
    signals.distance[v, a] = INF if isnan(away) else away
    signals.bearing[v, a] = _off_facing(dx, dy, moving.heading[v, a])
    signals.faces_focus[v, a] = signals.bearing[v, a] <= FACES


def _off_facing(x: float, y: float, heading: float) -> float:
    """How far off a heading the direction (x, y) is, degrees; 0 where there is none."""
    if isnan(x):
        return NAN
    if not hypot(x, y) > SLACK:
        return 0.0
    return float(fabs(off_heading(atan2(y, x), heading)) * DEGREES)
