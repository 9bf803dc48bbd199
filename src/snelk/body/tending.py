"""Places seen empty, territories, doors and clues at a tick; compiled, see `snelk.level.columns`.

What has to be done in Python, such as opening a door, is done there: here it is found at which
ticks there may be something to do, as at most there is not.
"""

from __future__ import annotations

from cython import compiled
from cython.cimports.libc.math import fabs, isnan

from snelk.body.columns import BodyStageColumns, UpkeepColumns
from snelk.body.paces import Moving
from snelk.body.stage import BodyStage
from snelk.body.standing import SLACK
from snelk.body.upkeep import (
    ABOVE,
    DOORSTEP,
    IN_ORDER,
    NO_CLUE,
    OF_A_DOOR,
    OF_A_LIGHT,
    SEEN_TO,
    STILL,
    Upkeep,
)
from snelk.config.words import POSTURES
from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import TellStageColumns
from snelk.mind.memory import GRACE, NO_BELIEF, SENSED_NOW, SMELT
from snelk.mind.stage import NEVER, TellStage
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.body.looking import look_at_all
    from snelk.body.moving import _left
    from snelk.level.lengths import hypot
    from snelk.level.within import inside

NAN = float("nan")
PRONE = POSTURES.index("prone")


@door
def mind_clues(
    upkeep: Upkeep, stage: BodyStage, tells: TellStage, poses: Poses, time: float, dt: float
) -> bool:
    """Find who sees to clues at a tick, and which clues are present at the next.

    That sees to a clue an agent in a state above its routine, whose focus is the clue, that has it
    in view or feels it, and is within its reach, as for catching, or can get no nearer.

    Args:
        upkeep: What there is of clues; `news` says what came of it.
        stage: All minds and bodies.
        tells: Who tells of what: of what has been seen to nobody does.
        poses: Everybody's poses.
        time: Of the tick, s.
        dt: Its length, s.

    Returns:
        Whether there is any news.
    """
    agree(plain(upkeep).news.shape, plain(plain(stage).attended).seen.shape)
    agree(plain(upkeep).news.shape, plain(tells).next_time.shape)
    agree(plain(upkeep).away.shape[1:], plain(poses).x.shape[1:])
    return bool(
        _mind_clues(
            laid_out(UpkeepColumns, upkeep),
            laid_out(BodyStageColumns, stage),
            laid_out(TellStageColumns, tells),
            laid_out(PoseColumns, poses),
            time,
            dt,
        )
    )


def _tend(upkeep: Upkeep, stage: BodyStage, poses: Poses, before: Poses, time: float) -> bool:
    """Look after all but clues; return whether there may be something to do in Python."""
    needs = False
    if upkeep.grows:
        needs = _outgrow(upkeep, poses)
    if upkeep.disproves and _see_empty(upkeep, stage, poses):
        needs = True
    if upkeep.any_ignores:
        _ignore(upkeep, stage, poses)
    if len(upkeep.doors) > 0 and not needs:
        needs = _concern_doors(upkeep, poses, before, time)
    return needs


def _outgrow(upkeep: Upkeep, poses: Poses) -> bool:
    """Whether anybody is outside of the ground."""
    for v in range(len(upkeep.bounds)):
        p = v if len(poses.x) > 1 else 0
        for j in range(poses.x.shape[1]):
            x, y = poses.x[p, j], poses.y[p, j]
            beside = x < upkeep.bounds[v, 0] or x > upkeep.bounds[v, 2]
            beside = beside or y < upkeep.bounds[v, 1] or y > upkeep.bounds[v, 3]
            if beside and poses.present[p, j]:
                return True
    return False


def _see_empty(upkeep: Upkeep, stage: BodyStage, poses: Poses) -> bool:
    """For how long agents have seen the places empty where they believe others; whether any drops.

    The last of somebody's targets is the place that it is drawn to.
    """
    found, places = False, upkeep.empty_for.shape[2] - 1
    for v in range(len(upkeep.empty_for)):
        p = v if len(poses.x) > 1 else 0
        for a in range(upkeep.empty_for.shape[1]):
            i = stage.characters[a]
            looks = not isnan(upkeep.seen_empty[v, a]) and poses.present[p, i]
            for j in range(places + 1):
                upkeep.is_empty[v, a, j] = False
                if not looks:
                    upkeep.empty_for[v, a, j] = 0.0
                    continue
                whom, tall = j, j
                if j < places:
                    source = stage.beliefs.source[v, a, j]
                    unseen = source != NO_BELIEF and source != SENSED_NOW
                    unseen = unseen and source != GRACE and source != SMELT
                    upkeep.spot[0, 0] = stage.beliefs.x[v, a, j]
                    upkeep.spot[0, 1] = stage.beliefs.y[v, a, j]
                    upkeep.spot[0, 2] = stage.beliefs.z[v, a, j]
                else:
                    whom, tall, unseen = -1, i, not isnan(stage.drawn.x[v, a])
                    upkeep.spot[0, 0] = stage.drawn.x[v, a]
                    upkeep.spot[0, 1] = stage.drawn.y[v, a]
                    upkeep.spot[0, 2] = stage.drawn.z[v, a]
                upkeep.looked[0] = False
                if unseen:
                    look_at_all(
                        v, a, whom, tall, upkeep.spot, poses, upkeep.outlook, upkeep.looked
                    )  # fmt: skip
                since = upkeep.empty_for[v, a, j]
                seen = upkeep.looked[0] != 0
                upkeep.empty_for[v, a, j] = since + stage.dt if seen else 0.0
                if seen and since + SLACK >= upkeep.seen_empty[v, a]:
                    upkeep.is_empty[v, a, j] = found = True
    return found


def _ignore(upkeep: Upkeep, stage: BodyStage, poses: Poses) -> None:
    """Targets outside of the territory of agents that do not care about those."""
    for v in range(len(upkeep.ignored)):
        p = v if len(poses.x) > 1 else 0
        for a in range(upkeep.ignored.shape[1]):
            zone = stage.standing.territory[v, a]
            for j in range(upkeep.ignored.shape[2]):
                upkeep.ignored[v, a, j] = False
                if not upkeep.ignores[v, a] or zone < 0:
                    continue
                x, y = stage.beliefs.x[v, a, j], stage.beliefs.y[v, a, j]
                z = stage.beliefs.z[v, a, j]
                if isnan(x) or upkeep.is_empty[v, a, j]:
                    if not poses.present[p, j]:
                        continue
                    x, y, z = poses.x[p, j], poses.y[p, j], poses.z[p, j]
                upkeep.ignored[v, a, j] = not inside(upkeep.outlook.zones, zone, x, y, z)


def _concern_doors(upkeep: Upkeep, poses: Poses, before: Poses, time: float) -> bool:
    """Whether anybody has come near a shut door, or a door is due to open or to shut."""
    if upkeep.next_opening[0] <= time + SLACK:
        return True
    for v in range(len(upkeep.opened)):
        p, any_shut = v if len(poses.x) > 1 else 0, False
        for d in range(len(upkeep.doors)):
            wall = upkeep.doors[d]
            if upkeep.shuts_at[v, wall] <= time + SLACK:
                return True
            any_shut = any_shut or not upkeep.opened[v, wall]
        if not any_shut:
            continue
        for j in range(poses.x.shape[1]):
            moves = poses.present[p, j] and before.present[p, j]
            dx, dy = poses.x[p, j] - before.x[p, j], poses.y[p, j] - before.y[p, j]
            if moves and (dx != 0.0 or dy != 0.0):
                reach = hypot(dx, dy) + DOORSTEP + upkeep.radii[v, j]
                if _is_near(upkeep, v, poses.x[p, j], poses.y[p, j], reach):
                    return True
    return False


def _come_to_doors(upkeep: Upkeep, stage: BodyStage, moving: Moving) -> bool:
    """Whether any agent comes near a shut door on the path that it is on now."""
    if len(upkeep.doors) == 0:
        return False
    for v in range(len(upkeep.opened)):
        for a in range(len(stage.characters)):
            if moving.driven[v, a] and moving.on_way[v, a] and moving.link[v, a] < 0:
                # One that is open now may be shut from the next tick on.
                if upkeep.turned[v] or _comes_to(
                    upkeep, moving, v, a, stage.characters[a], stage.dt
                ):
                    return True
    return False


def _comes_to(upkeep: Upkeep, moving: Moving, v: int, a: int, i: int, dt: float) -> bool:
    """Whether an agent on its path comes near a shut door, also one that a link leads through."""
    reach, halt = moving.pace[v, a] * dt + DOORSTEP, moving.halt[v, a]
    if _is_near(upkeep, v, moving.x[v, a], moving.y[v, a], reach + upkeep.radii[v, i]):
        return True
    if halt < 0 or _left(moving, v, a) - moving.beyond[v, a, halt] > reach:
        return False
    link = int(moving.points[v, a, halt + 1, 3])
    for n in range(upkeep.link_starts[link], upkeep.link_starts[link + 1]):
        if not upkeep.opened[v, upkeep.link_doors[n]]:
            return True
    return False


def _is_crowded(upkeep: Upkeep, moving: Moving) -> bool:
    """Whether any two are closer than they keep apart, or were at the last tick."""
    for v in range(len(upkeep.apart)):
        for a in range(upkeep.apart.shape[1]):
            for b in range(a):
                dx, dy = moving.x[v, a] - moving.x[v, b], moving.y[v, a] - moving.y[v, b]
                near = upkeep.apart[v, a, b] - hypot(dx, dy) > SLACK
                if upkeep.passing[v, a, b]:
                    return True
                if near and fabs(moving.z[v, a] - moving.z[v, b]) < ABOVE:
                    return True
    return False


def _is_near(upkeep: Upkeep, v: int, x: float, y: float, reach: float) -> bool:
    """Whether the box around a shut door is within a reach."""
    for d in range(len(upkeep.doors)):
        beside = x < upkeep.boxes[d, 0] - reach or x > upkeep.boxes[d, 2] + reach
        beside = beside or y < upkeep.boxes[d, 1] - reach or y > upkeep.boxes[d, 3] + reach
        if not beside and not upkeep.opened[v, upkeep.doors[d]]:
            return True
    return False


def _mind_clues(
    upkeep: Upkeep, stage: BodyStage, tells: TellStage, poses: Poses, time: float, dt: float
) -> bool:
    found = False
    for v in range(len(upkeep.news)):
        for j in range(upkeep.news.shape[2]):
            for a in range(upkeep.news.shape[1]):
                # What `seen_to` leads to at the next tick is still about the clue.
                stage.attended.seen_to[v, a, j] = upkeep.seen_to[v, a, j]
                upkeep.news[v, a, j] = 0
                if upkeep.clue[v, j] != NO_CLUE and _sees_to(upkeep, stage, poses, v, a, j):
                    upkeep.seen_to[v, a, j] = found = True
                    upkeep.news[v, a, j] = SEEN_TO
            if upkeep.clue[v, j] == NO_CLUE:
                continue
            is_so = _is_so(upkeep, poses, v, j)
            if not is_so:
                upkeep.since[v, j] = NAN
                for a in range(upkeep.news.shape[1]):
                    if upkeep.seen_to[v, a, j]:
                        upkeep.seen_to[v, a, j], found = False, True
                        upkeep.news[v, a, j] += IN_ORDER
                        stage.attended.seen_to[v, a, j] = False
            elif isnan(upkeep.since[v, j]):
                upkeep.since[v, j] = time
            appears = upkeep.since[v, j] + upkeep.seconds[v, j] - SLACK
            upkeep.away[v, j] = not is_so or time + dt < appears
        for a in range(upkeep.news.shape[1]):
            for j in range(upkeep.news.shape[2]):
                # Meanwhile it is when it would tell again, and NEVER more.
                if upkeep.seen_to[v, a, j] and tells.next_time[v, a, j] < NEVER:
                    tells.next_time[v, a, j] += NEVER
                elif not upkeep.seen_to[v, a, j] and tells.next_time[v, a, j] >= NEVER:
                    tells.next_time[v, a, j] -= NEVER
    return found


def _sees_to(upkeep: Upkeep, stage: BodyStage, poses: Poses, v: int, a: int, j: int) -> bool:
    """Whether an agent sees to a clue at this tick, and has not done so before."""
    if stage.attended.focus[v, a] != j or upkeep.seen_to[v, a, j]:
        return False
    rank = stage.standing.rank[v, a, max(stage.standing.state[v, a], 0)]
    p, i = v if len(poses.x) > 1 else 0, stage.characters[a]
    senses = stage.attended.seen[v, a, j] or stage.attended.felt[v, a, j]
    if not rank > upkeep.routine_rank[v, a] or not senses or not poses.present[p, i]:
        return False
    low, bottom = poses.z[p, i], poses.z[p, j]
    high = low + stage.bodies.height[v, i, poses.posture[p, i]]
    top = bottom + stage.bodies.height[v, j, poses.posture[p, j]]
    gap = max(bottom - high, low - top, 0.0)
    away = hypot(poses.x[p, j] - poses.x[p, i], poses.y[p, j] - poses.y[p, i])
    near: bool = hypot(away, gap) <= upkeep.reach[v, j] + SLACK
    return near or stage.signals.unreachable[v, a]


def _is_so(upkeep: Upkeep, poses: Poses, v: int, j: int) -> bool:
    """Whether what a clue is of is out of order."""
    kind, of = upkeep.clue[v, j], upkeep.clue_of[v, j]
    if kind == OF_A_DOOR:
        return upkeep.opened[v, of] == upkeep.clue_on[v, j]
    if kind == OF_A_LIGHT:
        return upkeep.lit[v, of] == upkeep.clue_on[v, j]
    p = v if len(poses.x) > 1 else 0
    x, y, z = poses.x[p, of], poses.y[p, of], poses.z[p, of]
    there = poses.present[p, of] and not upkeep.removed[v, of]
    if kind != STILL:  # GONE
        away = hypot(hypot(x - poses.x[p, j], y - poses.y[p, j]), z - poses.z[p, j])
        return not there or away > upkeep.within[v, j] + SLACK
    lies = fabs(upkeep.lay[v, j, 0] - x) <= SLACK and fabs(upkeep.lay[v, j, 1] - y) <= SLACK
    lies = lies and fabs(upkeep.lay[v, j, 2] - z) <= SLACK  # of nowhere it is not
    upkeep.lay[v, j, 0], upkeep.lay[v, j, 1], upkeep.lay[v, j, 2] = x, y, z
    if not there:  # who comes in has not lain there
        upkeep.lay[v, j, 0] = NAN
    if not there or poses.posture[p, of] != PRONE or not lies:
        return False
    upkeep.put[v, j, 0], upkeep.put[v, j, 1], upkeep.put[v, j, 2] = x, y, z
    upkeep.put[v, j, 3] = PRONE
    return True
