"""Who is seen and lost, and each agent's focus; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import AttendedColumns, BeliefColumns, FocusNumberColumns
from snelk.mind.memory import HEARD, NO_BELIEF, SENSED_NOW, SMELT, TOLD, Beliefs
from snelk.mind.meter import REACHED
from snelk.mind.signals import FARTHEST, NOBODY, PLACE, RULES, Attended, FocusNumbers
from snelk.senses.bodies import Poses
from snelk.senses.columns import ContactColumns, PoseColumns
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.sight import IN_VIEW

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.lengths import hypot

INF = float("inf")
NAN = float("nan")

BY_NEAREST, BY_FIRST = RULES.index("nearest"), RULES.index("first")
BY_ATTRIBUTE = RULES.index("attribute")


@door
def attend(
    poses: Poses,
    failed: NDArray[np.int8],
    contacts: Contacts,
    loudness: NDArray[np.float64],
    meter: NDArray[np.float64],
    beliefs: Beliefs,
    ignored: NDArray[np.bool_],
    place_x: NDArray[np.float64],
    place_y: NDArray[np.float64],
    place_z: NDArray[np.float64],
    place_meter: NDArray[np.float64],
    place_heard: NDArray[np.bool_],
    numbers: FocusNumbers,
    dt: float,
    tick: int,
    now: Attended,
) -> None:
    """One tick of everybody's attention.

    Args:
        poses: Everybody's poses.
        failed: (variant, agent, target, cone) the first gate of sight that failed, or IN_VIEW.
        contacts: What touch, the zone sense and smell came to.
        loudness: (variant, agent, target) strengths of the noises heard at this tick.
        meter: (variant, agent, target) the detection meters.
        beliefs: What everybody believes.
        ignored: (variant, agent, target) who is not worth a focus.
        place_x: (variant, agent) the place that a noise of nobody drew it to, m, or NaN.
        place_y: The same.
        place_z: The same.
        place_meter: How much that draws.
        place_heard: Whether such a noise was heard at this tick.
        numbers: What a focus is chosen by.
        dt: Length of the tick, s.
        tick: Its index.
        now: Overwritten.
    """
    agree(plain(now).seen.shape, failed.shape[:3], plain(contacts).touch.shape)
    agree(plain(now).seen.shape, loudness.shape)
    agree(
        plain(now).seen.shape,
        meter.shape,
        ignored.shape,
        plain(beliefs).x.shape,
        plain(numbers).may.shape,
    )
    agree(
        plain(now).focus.shape,
        place_x.shape,
        place_y.shape,
        place_z.shape,
        place_meter.shape,
        place_heard.shape,
    )
    agree(plain(poses).x.shape, (len(plain(poses).x), plain(now).seen.shape[2]))
    _attend(
        laid_out(PoseColumns, poses),
        failed,
        laid_out(ContactColumns, contacts),
        loudness,
        meter,
        laid_out(BeliefColumns, beliefs),
        ignored,
        place_x,
        place_y,
        place_z,
        place_meter,
        place_heard,
        laid_out(FocusNumberColumns, numbers),
        dt,
        tick,
        laid_out(AttendedColumns, now),
    )


def _attend(
    poses: Poses,
    failed: NDArray[np.int8],
    contacts: Contacts,
    loudness: NDArray[np.float64],
    meter: NDArray[np.float64],
    beliefs: Beliefs,
    ignored: NDArray[np.bool_],
    place_x: NDArray[np.float64],
    place_y: NDArray[np.float64],
    place_z: NDArray[np.float64],
    place_meter: NDArray[np.float64],
    place_heard: NDArray[np.bool_],
    numbers: FocusNumbers,
    dt: float,
    tick: int,
    now: Attended,
) -> None:
    agents, targets = now.seen.shape[1], now.seen.shape[2]
    for v in range(len(now.seen)):
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            for j in range(targets):
                if not numbers.may[v, a, j]:  # all stays as it is: nothing
                    continue
                there = poses.present[p, j] and not now.seen_to[v, a, j]
                seen = False
                for k in range(failed.shape[3]):
                    seen |= failed[v, a, j, k] == IN_VIEW
                seen &= there
                felt = contacts.felt[v, a, j] and there
                smelt = contacts.smell[v, a, j] == SENSED and not now.seen_to[v, a, j]
                now.smelt[v, a, j] = smelt
                now.scent_age[v, a, j] = contacts.scent_age[v, a, j] if smelt else INF
                sensed = seen or felt
                now.felt[v, a, j] = felt
                now.heard[v, a, j] = loudness[v, a, j] > 0.0
                now.lost_for[v, a, j] = 0.0 if sensed else now.lost_for[v, a, j] + dt
                on_end = seen and now.was_seen[v, a, j]
                now.seen_for[v, a, j] = now.seen_for[v, a, j] + dt if on_end else 0.0
                now.seen[v, a, j] = seen
                now.was_seen[v, a, j] = seen
                if numbers.remembers[v, a]:
                    source = beliefs.source[v, a, j]
                    now.x[v, a, j], now.y[v, a, j] = beliefs.x[v, a, j], beliefs.y[v, a, j]
                    now.z[v, a, j] = beliefs.z[v, a, j]
                    sensed = source in (SENSED_NOW, HEARD, TOLD, SMELT)
                    if isnan(beliefs.x[v, a, j]):
                        now.known_x[v, a, j], now.known_y[v, a, j] = NAN, NAN
                        now.known_z[v, a, j] = NAN
                else:
                    now.x[v, a, j] = poses.x[p, j] if sensed else NAN
                    now.y[v, a, j] = poses.y[p, j] if sensed else NAN
                    now.z[v, a, j] = poses.z[p, j] if sensed else NAN
                if sensed:  # or something new was heard, told or smelt of it
                    now.known_x[v, a, j], now.known_y[v, a, j] = now.x[v, a, j], now.y[v, a, j]
                    now.known_z[v, a, j] = now.z[v, a, j]
            _choose(
                poses, p, meter, beliefs, ignored, place_x[v, a], place_y[v, a],
                place_z[v, a], place_meter[v, a], place_heard[v, a], numbers, tick, now, v, a,
            )  # fmt: skip


def _choose(
    poses: Poses,
    p: int,
    meter: NDArray[np.float64],
    beliefs: Beliefs,
    ignored: NDArray[np.bool_],
    place_x: float,
    place_y: float,
    place_z: float,
    place_meter: float,
    place_heard: bool,
    numbers: FocusNumbers,
    tick: int,
    now: Attended,
    v: int,
    a: int,
) -> None:
    """The best by the ladder's rule, then the nearest, then the first by name; it sticks.

    Behind the targets stands the place that a noise of nobody drew the agent to.
    """
    last = now.seen.shape[2]
    i = numbers.characters[a]
    most, anybody = -INF, False
    for j in range(last + 1):
        if j < last and not numbers.may[v, a, j]:
            continue
        if j == last:
            x, y, z, full, sensed = place_x, place_y, place_z, place_meter, place_heard
            candidate = not isnan(place_x)
        else:
            x, y, z, full = now.x[v, a, j], now.y[v, a, j], now.z[v, a, j], meter[v, a, j]
            sensed = now.seen[v, a, j] or now.felt[v, a, j]
            candidate = sensed or now.heard[v, a, j] or now.smelt[v, a, j] or full > REACHED
            candidate = candidate or beliefs.source[v, a, j] != NO_BELIEF
            candidate = candidate and not ignored[v, a, j] and not now.seen_to[v, a, j]
        if not candidate:
            now.first[v, a, j], now.value[v, a, j] = INF, -INF
            continue
        anybody = True
        away = hypot(hypot(x - poses.x[p, i], y - poses.y[p, i]), z - poses.z[p, i])
        now.away[v, a, j] = INF if isnan(away) else away
        value = full
        if not numbers.metered[v, a]:  # then who is sensed counts as full
            value = 1.0 if sensed else 0.0
        now.first[v, a, j] = min(now.first[v, a, j], tick)
        if numbers.rule[v, a] == BY_NEAREST:
            value = -now.away[v, a, j] if now.away[v, a, j] < INF else -FARTHEST
        elif numbers.rule[v, a] == BY_FIRST:
            value = -now.first[v, a, j]
        elif numbers.rule[v, a] == BY_ATTRIBUTE:
            value = numbers.worth[v, a, j]
        now.value[v, a, j], now.sensed[v, a, j] = value, sensed
        most = max(most, value)
    if not poses.present[p, i]:  # then it keeps its focus
        return
    if not anybody:
        now.focus[v, a] = NOBODY
        return
    nearest = INF
    for j in range(last + 1):
        if now.value[v, a, j] >= most - REACHED:
            nearest = min(nearest, now.away[v, a, j])
    chosen, first_name = -1, last + 1
    for j in range(last + 1):
        name = numbers.by_name[j] if j < last else last
        if (
            now.value[v, a, j] >= most - REACHED
            and now.away[v, a, j] <= nearest + REACHED
            and name < first_name
        ):
            chosen, first_name = j, name
    focus = now.focus[v, a]
    held_at = last if focus == PLACE else focus
    if focus != NOBODY and now.value[v, a, held_at] > -INF and numbers.stick[v, a] > 0.0:
        held = now.value[v, a, held_at]
        # A focus that is not sensed gives way to one that is, and is as good.
        other = not now.sensed[v, a, held_at] and now.sensed[v, a, chosen]
        if most <= held + numbers.stick[v, a] + REACHED and not (other and most >= held - REACHED):
            return
    now.focus[v, a] = PLACE if chosen == last else chosen
