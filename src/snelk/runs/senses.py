"""Why, for all senses but sight, for which see `reasons`."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.config.models import Smell, Touch, ZoneSense
from snelk.level.grid import NO_WALL
from snelk.level.rays import cast_rays
from snelk.runs.answers import Counterfactual, Gate, SenseAnswer
from snelk.runs.dense import contacts_of
from snelk.runs.events import describe_noise
from snelk.runs.moment import Moment, poses_at
from snelk.runs.number_changes import (
    awake_counterfactuals,
    factor_counterfactual,
    notice_counterfactual,
    radius_counterfactuals,
    smallest_first,
    waking_counterfactuals,
)
from snelk.runs.scent import Scent, scent_at, smelt_at
from snelk.runs.sounds import Sound, sound_of
from snelk.runs.standing import awake_at, awake_in_words, scales_of
from snelk.runs.turning import level_at
from snelk.senses.bodies import gap_between
from snelk.senses.contact import SMELL_GATES, TOUCH_GATES, ZONE_GATES
from snelk.senses.gates import CONTACTS, HEARING, SMELL, TOUCH, ZONE, Sense
from snelk.senses.hearing import HEARING_GATES
from snelk.senses.sight import EDGE

if TYPE_CHECKING:
    from snelk.runs.record import Record

Counterfactuals = list[tuple[float, Counterfactual]]
"""Counterfactuals of an answer, each with how large a change it is."""


def explain_senses(run: Record, moment: Moment, *, at: float) -> Iterator[SenseAnswer]:
    """The answers of the agent's other senses, at a time."""
    profile = run.setup.profile_of(run.agents[moment.a])
    if profile.hearing is not None:
        yield _hearing(run, moment, at)
    explained = {TOUCH.name: _touch, ZONE.name: _zone, SMELL.name: _smell}
    for sense in CONTACTS:
        own: Any = getattr(profile, sense.key)
        if own is not None and sense.name in explained:
            yield explained[sense.name](run, moment, own, run.tick_at(at))
        elif own is not None:
            yield explain_declared(run, moment, sense, run.tick_at(at))


def explain_declared(run: Record, moment: Moment, sense: Sense, tick: int) -> SenseAnswer:
    """The answer of a sense of contact at a tick, by no more than its declaration and its rows.

    Of gates behind the one that failed it is not known whether they would pass.
    """
    agent, target, t = run.agents[moment.a], run.names[moment.j], float(run.times[tick])
    rows = contacts_of(run, agent, target, sense.name)
    row: Any = rows.row(tick)
    there = row.result != "present"
    gates = [
        Gate("present", there, "passed" if there else sense.stopped("present")),
        _cares(run, agent, target, sense.key, "notices"),
        _awake(run, agent, sense.name, tick),
    ]
    stopped = sense.names.index(row.result) if row.result in sense.names else len(sense.gates)
    for n, gate in enumerate(sense.gates[len(gates) :], len(gates)):
        passed = None if n > stopped else n < stopped
        text, held = {None: "not asked", True: "passed", False: gate.short}[passed], gate.limit
        numbers: Any = ()
        if held is not None and passed is not None and {*held.columns} <= {*rows}:
            value, limit, margin = (getattr(row, name) for name in held.columns)
            if not math.isnan(margin):
                unit = f" {held.unit}" if held.unit else ""
                text = f"{value:.2f}{unit}, limit {limit:g}{unit}"
                numbers = (value, limit, margin, held.unit, held.rule)
        gates.append(Gate(gate.name, passed, text, *numbers))
    sensed, told = row.result == sense.sensed, sense.told
    words = (told.does if sensed else told.does_not) if told else row.result
    why = "" if sensed or row.result in ("cares", "awake") else f" ({sense.stopped(row.result)})"
    headline = f"{agent} about {target} at {t:.2f} s: {words}{why}"
    answer = _answer(sense.name, t, sensed, row.result, headline, gates, [])
    unknown = f"which number would change it is not worked out for {sense.name}; see its gates"
    return replace(answer, no_counterfactual=unknown)


def _hearing(run: Record, moment: Moment, at: float) -> SenseAnswer:
    agent, target = run.agents[moment.a], run.names[moment.j]
    rows = run.rows("hearing").where(agent=agent, target=target)
    past = rows.take(rows["t"] <= run.times[run.tick_at(at)] + 1e-9)
    if len(past) == 0:
        later = f"; the first is judged at {rows.row(0).t:.2f} s" if len(rows) else ""
        yet = f"since {run.times[0]:.2f} s" if run.first_tick else "yet"
        words = f"{agent} has not heard {target}: it has made no noise {yet}{later}"
        silent = "no number: there is no noise to hear"
        return SenseAnswer("hearing", at, False, "silent", words, (), None, (), silent)
    row = past.row(-1)
    noise, tick = run.rows("noises").row(row.noise), run.tick_at(row.t)
    sound = sound_of(run, moment.a, noise, tick, around=row.around)
    gates = _hearing_gates(run, agent, target, sound, tick)
    result = next((gate.name for gate in gates if gate.passed is not True), "heard")
    heard = result == "heard"
    failing = [gate.name for gate in gates if gate.passed is False]
    found: Counterfactuals = []
    if gates[0].passed:
        if failing == ["cares"]:
            found.append(notice_counterfactual(run, agent, target, ("hearing",), "heard"))
        elif heard or set(failing) <= {"awake", "reach"}:
            found += _hearing_counterfactuals(run, agent, sound, tick, turn_on=not heard)
    what = describe_noise(sound.kind, sound.gait, sound.ground)
    words = f"{agent} {'heard' if heard else 'did not hear'} {target} at {row.t:.2f} s: {what}"
    if heard:
        words += f" (strength {row.strength:.2f})"
    elif result == "reach":
        words += f", {sound.straight:.1f} m away, carries {sound.straight_limit:.1f} m"
    return _answer("hearing", float(row.t), heard, result, words, gates, found)


def _hearing_gates(
    run: Record, agent: str, target: str, sound: Sound, tick: int
) -> tuple[Gate, ...]:
    there = sound.present
    gates = [
        Gate("present", there, f"{agent} is there" if there else f"{agent} is not there"),
        _cares(run, agent, target, "hearing", "listens to"),
        _awake(run, agent, "hearing", tick),
    ]
    if not there:
        return (*gates, Gate(HEARING_GATES[-1], None, "cannot be asked"))
    by_line = sound.straight_limit - sound.straight
    on_foot = sound.limit - sound.around
    text = f"straight {sound.straight:.2f} m, carries {sound.straight_limit:.2f} m: "
    text += sound.product(walls=True)
    foot = "no way on foot" if math.isinf(sound.around) else f"on foot {sound.around:.2f} m"
    text += f"; {foot}, carries {sound.limit:.2f} m"
    line_is_better = by_line >= on_foot
    value, limit = (
        (sound.straight, sound.straight_limit) if line_is_better else (sound.around, sound.limit)
    )
    margin = max(by_line, on_foot)
    passed = sound.limit > 0.0 and margin >= -EDGE
    held = HEARING.limit("reach")
    return (
        *gates,
        Gate("reach", passed, text, value, limit, margin, held.unit, held.rule, "acuity"),
    )


def _hearing_counterfactuals(
    run: Record, agent: str, sound: Sound, tick: int, *, turn_on: bool
) -> Counterfactuals:
    """All single factors of how far the noise carries that could decide alone."""
    setup = run.setup
    profile_name = setup.cast[agent].profile or ""
    hearing = setup.profiles[profile_name].hearing
    if hearing is None:
        return []
    word = "heard" if turn_on else "not heard"
    scales = scales_of(run, agent, "hearing", tick)
    scale = math.prod(each.value for each in scales)
    unscaled = sound.reach * (1.0 - sound.background)  # limit = unscaled * acuity * scale
    found: Counterfactuals = []

    # The limit in the open from which on it is heard, on the better of both ways.
    line = sound.straight / sound.through if sound.through > 0.0 else math.inf
    needed = min(line, sound.around)

    def add(place: tuple[str, ...], label: str, now: float, needs: float, **limits: Any) -> None:
        counterfactual = factor_counterfactual(
            place, label, now, needs, word=word, turn_on=turn_on, **limits
        )
        if counterfactual is not None:
            found.append(counterfactual)

    if not math.isfinite(needed) or needed <= 0.0:
        return found
    if unscaled > 0.0:
        place: tuple[str, ...] = ("profiles", profile_name, "hearing", "acuity")
        if scale > 0.0:
            label = f"acuity of the {profile_name}"
            add(place, label, hearing.acuity, needed / (unscaled * scale), most=100.0)
        if hearing.acuity > 0.0:
            needs = needed / (unscaled * hearing.acuity)
            found += awake_counterfactuals(scales, needs, word, turn_on=turn_on)
    rest = scale * hearing.acuity * (1.0 - sound.background)
    if rest > 0.0 and sound.reach > 0.0:
        if sound.reach_place:
            needs = needed / (rest * sound.loudness)
            add(
                sound.reach_place,
                f"the reach of {sound.reach_label}",
                sound.own_reach,
                needs,
                unit=" m",
            )
        if sound.ground and sound.own_reach > 0.0:
            place = ("grounds", sound.ground)
            add(
                place,
                f"grounds.{sound.ground}",
                sound.loudness,
                needed / (rest * sound.own_reach),
                most=100.0,
            )
    found += _background_counterfactual(sound, needed, word, turn_on=turn_on)
    found += _wall_counterfactuals(sound, word, turn_on=turn_on)
    return found


def _background_counterfactual(
    sound: Sound, needed: float, word: str, *, turn_on: bool
) -> Counterfactuals:
    """How quiet it would have to be at the ear, or how loud."""
    if sound.background >= 1.0 or sound.limit <= 0.0:
        return []
    needs = 1.0 - needed * (1.0 - sound.background) / sound.limit
    if sound.background_zone is None:
        place: tuple[str, ...] = ("background",)
        label = "background of the scenario"
    else:
        place = ()
        label = f"background of {sound.background_zone}"
    counterfactual = factor_counterfactual(
        place, label, sound.background, needs, word=word, turn_on=turn_on, rising=not turn_on,
        least=0.0, most=1.0, key=f"{sound.background_zone}.background",
    )  # fmt: skip
    return [] if counterfactual is None else [counterfactual]


def _wall_counterfactuals(sound: Sound, word: str, *, turn_on: bool) -> Counterfactuals:
    """How much one wall on the straight path would have to let through, if that decides."""
    if sound.limit <= 0.0 or (not turn_on and sound.around <= sound.limit + EDGE):
        return []
    found = []
    for wall, share in sound.walls:
        others = math.prod(s for w, s in sound.walls if w != wall)
        if others <= 0.0:
            continue
        counterfactual = factor_counterfactual(
            (), f"hear_through of {wall}", share, sound.straight / (sound.limit * others),
            word=word, turn_on=turn_on, most=1.0, key=f"{wall}.hear_through",
        )  # fmt: skip
        if counterfactual is not None:
            found.append(counterfactual)
    return found


def _touch(run: Record, moment: Moment, touch: Touch, tick: int) -> SenseAnswer:
    setup, agent, target = run.setup, run.agents[moment.a], run.names[moment.j]
    i, j, poses, bodies = moment.i, moment.j, poses_at(run, tick), moment.bodies
    both = [bool(poses.present[0, n]) for n in (i, j)]
    gates = [
        _both_there(agent, target, both),
        _cares(run, agent, target, "touch", "feels"),
        _awake(run, agent, "touch", tick),
    ]
    found: Counterfactuals = []
    scales = scales_of(run, agent, "touch", tick)
    scale, distance = math.prod(each.value for each in scales), math.nan
    if all(both):
        low = poses.z[0]
        high = low + [bodies.height[0, n, p] for n, p in enumerate(poses.posture[0])]
        plan = np.hypot(poses.x[0, i] - poses.x[0, j], poses.y[0, i] - poses.y[0, j])
        gap = gap_between(low[i], high[i], low[j], high[j])
        distance = float(np.hypot(plan, gap))
        limit = touch.radius * scale
        text = f"{distance:.2f} m, limit {limit:g} m"
        text += f" ({touch.radius:g} m at {scale:.0%} awake)" if scale < 1.0 else ""
        text += f", {gap:.2f} m of it in height" if gap > 0.0 else ""
        near = distance <= limit + EDGE
        held = TOUCH.limit("radius")
        margin = held.margin(distance, limit)
        gates.append(Gate("radius", near, text, distance, limit, margin, held.unit, held.rule))
        ends = [
            [
                poses.x[0, n],
                poses.y[0, n],
                poses.z[0, n] + bodies.height[0, n, poses.posture[0, n]] / 2,
            ]
            for n in (i, j)
        ]
        share, wall, _ = cast_rays(
            level_at(run, tick).solid_grid, np.array(ends[:1]), np.array(ends[1:])
        )
        name = "" if wall[0] == NO_WALL else run.level.wall_names[wall[0]]
        gates.append(
            Gate(
                "wall",
                bool(share[0] > 0),
                f"{name} between them" if name else "no wall between them",
            )
        )
    else:
        gates += [Gate(name, None, "cannot be asked") for name in TOUCH_GATES[3:]]
    result = next((gate.name for gate in gates if gate.passed is not True), "sensed")
    failing = [gate.name for gate in gates if gate.passed is False]
    if all(both):
        turn_on = result != "sensed"
        word = "felt" if turn_on else "not felt"
        if failing == ["cares"]:
            found.append(notice_counterfactual(run, agent, target, ("touch",), "felt"))
        elif set(failing) <= {"awake", "radius"}:
            name = setup.cast[agent].profile or ""
            found += radius_counterfactuals(
                name, scales, touch.radius, distance, word, turn_on=turn_on
            )
    verb = "feels" if result == "sensed" else "does not feel"
    reason = "" if result == "sensed" else f": {TOUCH.stopped(result)}"
    words = f"{agent} {verb} {target} at {run.times[tick]:.2f} s{reason}"
    return _answer("touch", float(run.times[tick]), result == "sensed", result, words, gates, found)


def _zone(run: Record, moment: Moment, sense: ZoneSense, tick: int) -> SenseAnswer:
    agent, target = run.agents[moment.a], run.names[moment.j]
    both = [bool(poses_at(run, tick).present[0, n]) for n in (moment.i, moment.j)]
    gates = [
        _both_there(agent, target, both),
        _cares(run, agent, target, "zone_sense", "watches for"),
        _awake(run, agent, "zone", tick),
    ]
    if all(both):
        rows = contacts_of(run, agent, target, "zone")
        zone = rows["zone"][tick] if len(rows) else ""
        text = (
            f"{target} is in {zone}" if zone else f"{target} is not in {' or '.join(sense.zones)}"
        )
        gates.append(Gate("inside", bool(zone), text))
    else:
        gates.append(Gate(ZONE_GATES[-1], None, "cannot be asked"))
    result = next((gate.name for gate in gates if gate.passed is not True), "sensed")
    found: Counterfactuals = []
    failing = [gate.name for gate in gates if gate.passed is not True]
    if failing == ["cares"]:
        found.append(notice_counterfactual(run, agent, target, ("zone_sense",), "sensed"))
    elif failing in ([], ["awake"]):
        word, scales = "sensed" if failing else "not sensed", scales_of(run, agent, "zone", tick)
        found += waking_counterfactuals(scales, word, turn_on=bool(failing))
    verb = "senses" if result == "sensed" else "does not sense"
    why = gates[-1].text if result in ("sensed", "inside") else ZONE.stopped(result)
    words = f"{agent} {verb} {target} at {run.times[tick]:.2f} s: {why}"
    return _answer("zone", float(run.times[tick]), result == "sensed", result, words, gates, found)


def _smell(run: Record, moment: Moment, smell: Smell, tick: int) -> SenseAnswer:
    agent, target, t = run.agents[moment.a], run.names[moment.j], float(run.times[tick])
    row: Any = contacts_of(run, agent, target, "smell").row(tick)
    # What only repeats is left out of the table, as is what a nose would smell that does not care.
    left_out = row.result in SMELL_GATES[3:] and math.isnan(row.strength)
    if left_out or row.result == "cares":
        smelt = smelt_at(run, agent, target, tick)
        row = row if smelt is None else SimpleNamespace(result=row.result, **smelt)
    scales = scales_of(run, agent, "smell", tick)
    scale = math.prod(each.value for each in scales)
    scent = scent_at(run, agent, target, tick)
    gates = [
        _trail_there(run, agent, target, row.result, tick),
        _cares(run, agent, target, "smell", "smells"),
        _awake(run, agent, "smell", tick),
    ]
    if row.result in ("sensed", "cares", "strength", "reach") and not math.isnan(row.strength):
        held = SMELL.limit("strength")
        strong = bool(row.strength >= smell.weakest)
        text = f"strength {row.strength:.2g}, needs {smell.weakest:g}: left {row.age:.1f} s ago at "
        text += f"({row.x:.1f}, {row.y:.1f})"
        margin = held.margin(row.strength, smell.weakest)
        gates.append(
            Gate("strength", strong, text, row.strength, smell.weakest, margin, held.unit,
                 held.rule, "weakest")
        )  # fmt: skip
        held = SMELL.limit("reach")
        near = bool(row.distance <= row.distance_limit + EDGE)
        text = f"{row.distance:.2f} m off, limit {row.distance_limit:.2f} m: "
        text += _smell_product(row, smell, scale, scent)
        gates.append(
            Gate("reach", near, text, row.distance, row.distance_limit, row.distance_margin,
                 held.unit, held.rule, "reach")
        )  # fmt: skip
    elif row.result == "cares" and scent is None and not run.first_tick:
        gates.append(Gate("strength", False, f"{target} has left no trail"))
        gates.append(Gate("reach", None, "cannot be asked"))
    else:
        gates += [Gate(name, None, "cannot be asked") for name in SMELL_GATES[3:]]
    found: Counterfactuals = []
    if [gate.name for gate in gates if gate.passed is not True] == ["cares"]:
        found.append(notice_counterfactual(run, agent, target, ("smell",), "smelt"))
    elif scent is not None and gates[1].passed and row.result != "present":
        found += _smell_counterfactuals(
            run, agent, target, smell, scent, scales, turn_on=row.result != "sensed"
        )
    verb = "smells" if row.result == "sensed" else "does not smell"
    words = f"{agent} {verb} the trail of {target} at {t:.2f} s"
    if row.result == "sensed":
        words += f": it was here {row.age:.1f} s ago" if row.age > 0.0 else ": it is here"
    else:
        words += f": {SMELL.stopped(row.result)}"
    answer = _answer("smell", t, row.result == "sensed", row.result, words, gates, found)
    if row.result == "cares" and gates[3].passed is None and scale > 0.0:
        unknown = f"not known: poses before {run.times[0]:.2f} s, and so its trail, are not kept"
        return replace(answer, no_counterfactual=unknown)
    return answer


def _trail_there(run: Record, agent: str, target: str, result: str, tick: int) -> Gate:
    if not poses_at(run, tick).present[0, run.names.index(agent)]:
        return Gate("present", False, f"{agent} is not there")
    if result == "present":
        body = run.setup.body_name_of(target)
        why = f": scent of {body} is 0" if run.setup.body_of(target).scent <= 0.0 else ""
        return Gate("present", False, f"{target} has left no trail{why}")
    if result == "cares":  # it does not matter whether there is a trail
        return Gate("present", True, f"{agent} is there")
    return Gate("present", True, f"{target} has left a trail")


def _smell_product(row: Any, smell: Smell, scale: float, scent: Scent | None) -> str:
    """`reach 6 m × strength 0.84 × awake 0.5 × wind 0.9 × past hedge 0.4`."""
    parts = [f"reach {smell.reach:g} m", f"strength {row.strength:.2g}"]
    if scale != 1.0:
        parts.append(f"awake {scale:.3g}")
    if scent is None:  # of an older moment of a game
        rest = smell.reach * row.strength * scale
        label = f"wind and {row.wall}" if row.wall else "wind"
        factors = [(label, row.distance_limit / rest if rest > 0.0 else 1.0)]
    else:
        n = scent.at_age(row.age)
        factors = [("wind", float(scent.wind[n]))]
        factors += [(f"past {row.wall}", float(scent.through[n]))] if row.wall else []
    parts += [f"{label} {value:.2g}" for label, value in factors if abs(value - 1.0) > 1e-9]
    return " × ".join(parts)


def _smell_counterfactuals(
    run: Record, agent: str, target: str, smell: Smell, scent: Scent, scales: list[Any], *,
    turn_on: bool,
) -> Counterfactuals:  # fmt: skip
    """All single numbers that decide alone whether any place of the trail is smelt.

    Each place needs a number of its own; that of the place that needs least counts.
    """
    word = "smelt" if turn_on else "not smelt"
    name, body = run.setup.cast[agent].profile or "", run.setup.body_name_of(target)
    scale = math.prod(each.value for each in scales)
    strong, needs = scent.strength >= smell.weakest, scent.needs()
    near = needs <= smell.reach * scale + EDGE
    found: list[Any] = []

    def add(place: tuple[str, ...], label: str, now: float, needed: Any, **how: Any) -> None:
        least = float(np.nanmin(needed, initial=np.inf))
        if math.isfinite(least):
            found.append(
                factor_counterfactual(place, label, now, least, word=word, turn_on=turn_on, **how)
            )

    if strong.any() and scale > 0.0:
        place: tuple[str, ...] = ("profiles", name, "smell", "reach")
        add(place, f"the reach of smell of the {name}", smell.reach, needs[strong] / scale,
            unit=" m")  # fmt: skip
    least = float(needs[strong].min(initial=np.inf))
    if math.isfinite(least):
        found += awake_counterfactuals(scales, least / smell.reach, word, turn_on=turn_on)
    if near.any():
        # A trail that is weaker, or stronger, than all that is near enough.
        strongest = float(scent.strength[near].max())
        place = ("profiles", name, "smell", "weakest")
        found.append(
            factor_counterfactual(
                place, f"weakest of smell of the {name}", smell.weakest, strongest, word=word,
                turn_on=turn_on, rising=not turn_on, least=0.001, most=1.0,
            )
        )  # fmt: skip
    if scale > 0.0:
        # By how much the trail would have to be stronger, at each of its places.
        with np.errstate(divide="ignore", invalid="ignore"):
            more = np.maximum(needs / (smell.reach * scale), smell.weakest / scent.strength)
            spare = scent.halvings - np.log2(more)  # halvings it may have had
            half_life = run.setup.air.half_life
            lives = np.where(spare > 0.0, half_life * scent.halvings / spare, np.inf)
        scent_now = run.setup.body_of(target).scent
        add(("bodies", body, "scent"), f"scent of the {body}", scent_now, scent_now * more,
            most=100.0)  # fmt: skip
        fresh = more[scent.halvings <= 0.0]
        if turn_on or not (fresh <= 1.0).any():
            add(("air", "half_life"), "half_life of the air", half_life,
                np.where(scent.halvings > 0.0, lives, np.inf), unit=" s", most=1e6)  # fmt: skip
    return [each for each in found if each is not None]


def _answer(
    sense: str,
    t: float,
    sensed: bool,
    result: str,
    headline: str,
    gates: list[Gate] | tuple[Gate, ...],
    found: Counterfactuals,
) -> SenseAnswer:
    counterfactuals = smallest_first(found)
    failing = [gate.name for gate in gates if gate.passed is False]
    if counterfactuals:
        none = ""
    elif len(failing) > 1:
        none = f"no single number: {' and '.join(failing)} fail together"
    else:
        none = "no single number changes this"
    return SenseAnswer(
        sense, t, sensed, result, headline, tuple(gates),
        counterfactuals[0] if counterfactuals else None, tuple(counterfactuals[1:]), none,
    )  # fmt: skip


def _both_there(agent: str, target: str, both: list[bool]) -> Gate:
    missing = " and ".join(
        name for name, there in zip((agent, target), both, strict=True) if not there
    )
    return Gate("present", all(both), f"{missing} is not there" if missing else "both are there")


def _cares(run: Record, agent: str, target: str, sense: str, verb: str) -> Gate:
    name = run.setup.cast[agent].profile or ""
    team = run.setup.cast[target].team
    cares = team in run.setup.profiles[name].teams()[(sense,)]
    text = f'"{name}" {verb} team "{team}"' if cares else f'"{name}" does not notice team "{team}"'
    return Gate("cares", cares, text, key="notices")


def _awake(run: Record, agent: str, sense: str, tick: int) -> Gate:
    awake, words = awake_at(run, agent, sense, tick), awake_in_words(run, agent, sense, tick)
    return Gate("awake", awake > 0.0, words, awake, 0.0, awake, rule=">")
