"""The smallest change that would have changed an answer; see docs/calculations.md."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from snelk.config.models import Cone
from snelk.config.problems import key_path
from snelk.level.level import Level
from snelk.runs.answers import ConeAnswer, Counterfactual, Gate
from snelk.runs.moment import Moment
from snelk.runs.number_changes import (
    CLEAR,
    awake_counterfactuals,
    limit_in_words,
    notice_counterfactual,
    safe,
    smallest_first,
)
from snelk.runs.standing import cone_place, cones_at, scales_of
from snelk.runs.turning import level_at
from snelk.senses.gates import SIGHT
from snelk.senses.sight import EDGE, Sight

Places = Callable[[str], tuple[str, ...]]
"""Where each limit of a cone stands that held at a moment."""


def counterfactuals_of(
    moment: Moment, sight: Sight, cones: list[ConeAnswer]
) -> list[Counterfactual]:
    """The counterfactuals of an answer, the relatively smallest change first."""
    seeing = [cone for cone in cones if cone.result == "in_view"]
    agent = moment.run.agents[moment.a]
    numbers = cones_at(moment.run, agent, moment.tick)

    def places_of(cone: str) -> Places:
        return lambda key: (*cone_place(moment.run, agent, moment.tick, cone, key), key)

    found: list[tuple[float, Counterfactual]] = []
    if len(seeing) == 1:
        place = places_of(seeing[0].cone)
        for gate in seeing[0].gates[3:]:
            found += _numeric_counterfactual(gate, numbers[seeing[0].cone], place, turn_on=False)
        found += _awake_counterfactuals(moment, seeing[0], turn_on=False)
    elif not seeing:
        for cone in cones:
            failing = [gate for gate in cone.gates if gate.passed is not True]
            if {gate.name for gate in failing} <= {"awake", "range"}:
                found += _awake_counterfactuals(moment, cone, turn_on=True)
            if len(failing) != 1:
                continue
            gate = failing[0]
            if gate.name == "cares":
                target = moment.run.names[moment.j]
                sense = ("cones", cone.cone)
                found.append(notice_counterfactual(moment.run, agent, target, sense, "seen"))
            elif gate.name == "line_of_sight" and gate.value == 0.0:
                found += _wall_counterfactual(moment, sight, cone.cone)
            else:
                place = places_of(cone.cone)
                found += _numeric_counterfactual(gate, numbers[cone.cone], place, turn_on=True)
    return smallest_first(found)


def _awake_counterfactuals(
    moment: Moment, cone: ConeAnswer, *, turn_on: bool
) -> list[tuple[float, Counterfactual]]:
    """How awake the agent would have to be, if only that decides the range."""
    agent = moment.run.agents[moment.a]
    gate = next(gate for gate in cone.gates if gate.name == "range")
    k = list(moment.run.setup.profile_of(agent).cones).index(cone.cone)
    limits = moment.limits.hold_range if moment.held[k] else moment.limits.range
    if gate.value is None:
        return []
    needs = gate.value / float(limits[0, moment.a, k])
    word = "seen" if turn_on else "not seen"
    scales = scales_of(moment.run, agent, "sight", moment.tick)
    return awake_counterfactuals(scales, needs, word, turn_on=turn_on)


def _numeric_counterfactual(
    gate: Gate, cone: Cone, place: Places, *, turn_on: bool
) -> list[tuple[float, Counterfactual]]:
    """The change of the gate's own limit that turns it, with its size; none if there is none."""
    if gate.value is None or gate.limit is None:
        return []
    if gate.scale == 0.0:
        return []
    key = key_path(place(gate.key))
    now, needs = gate.limit / gate.scale, gate.value / gate.scale
    # For a limit that the value must not pass it has to reach the value, else stay clear of it.
    comparison = {
        "<=": (">=", "<"),
        ">=": ("<=", ">"),
        ">": ("<", ">="),
    }[gate.rule][0 if turn_on else 1]
    unit = {"m": " m", "deg": "°", "": ""}[gate.unit]
    digits = 2 if unit else 4
    size = abs(needs - now) / now if unit and now else abs(needs - now)
    rounded = safe(needs, up=comparison in (">=", ">"), digits=digits)
    step = 10.0**-digits
    value = rounded
    if comparison == "<" and rounded > needs - CLEAR:
        value = round(rounded - step, digits)
    elif comparison == ">" and rounded < needs + CLEAR:
        value = round(rounded + step, digits)
    # Some limits cannot go as far as they would have to.
    lowest, most = SIGHT.limit(gate.name).can_be
    if not lowest <= value <= most:
        return []
    partner = _partner(gate.key, cone, value)
    word = "seen" if turn_on else "not seen"
    named = f"{gate.key} of the {place(gate.key)[-2]} cone"
    text = f"{word} if {named} {limit_in_words(comparison, rounded, value, now, unit)}"
    text += f"; {'raise' if turn_on else 'lower'} {partner} with it" if partner else ""
    keys = [key, key_path(place(partner))] if partner else [key]
    settable = tuple(f"{each}={value:.10g}" for each in keys)
    return [(size, Counterfactual(key, comparison, needs, now, text, settable))]


def _partner(key: str, cone: Cone, value: float) -> str:
    """The gain limit that a hold limit must not fall below, or the hold limit that it passes.

    Without it the target would flicker in and out of view in the run that tries the counterfactual.
    """
    if not key.removeprefix("hold_").startswith(("range", "fov")):
        return ""
    gain = key.removeprefix("hold_")
    hold = f"hold_{gain}"
    if key == hold:
        return gain if value < getattr(cone, gain) else ""
    limit = getattr(cone, hold, None)
    return hold if limit is not None and value > limit else ""


def _wall_counterfactual(
    moment: Moment, sight: Sight, cone_name: str
) -> list[tuple[float, Counterfactual]]:
    """How low the blocking wall would have to be, if that is enough."""
    run, a, j = moment.run, moment.a, moment.j
    level = level_at(run, moment.tick)
    wall = int(sight.wall[0, a, j])
    if wall < 0:  # nothing, or somebody's body
        return []
    agent = run.agents[a]
    least = cones_at(run, agent, moment.tick)[cone_name].min_exposure
    for height in _crossing_heights(moment, wall):
        if height <= level.base[wall] or height > level.top[wall]:
            continue
        lowered = _lowered(level, wall, height)
        if float(moment.look(lowered).exposure[0, a, j]) > least:
            now, name = float(level.top[wall]), level.wall_names[wall]
            shown = safe(height, up=False, digits=2)
            text = f"seen if the top of {name} < {shown:g} m (is {now:g})"
            return [
                (
                    (now - height) / now if now > 0 else 1.0,
                    Counterfactual(f"{name}.top", "<", height, now, text),
                )
            ]
    return []


def _crossing_heights(moment: Moment, wall: int) -> list[float]:
    """Heights at which the rays to the body points cross a wall, the highest first, m."""
    level, poses, bodies = moment.run.level, moment.poses, moment.bodies
    i, j = moment.i, moment.j
    eye = float(poses.z[0, i] + bodies.eyes[0, i, poses.posture[0, i]])
    start = np.array([poses.x[0, i], poses.y[0, i]])
    toward = np.array([poses.x[0, j], poses.y[0, j]]) - start
    faces = level.pieces[level.piece_walls == wall]
    a, along = faces[:, 0:2] - start, faces[:, 2:4] - faces[:, 0:2]
    cross = toward[0] * along[:, 1] - toward[1] * along[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        at = (a[:, 0] * along[:, 1] - a[:, 1] * along[:, 0]) / cross
        on = (a[:, 0] * toward[1] - a[:, 1] * toward[0]) / cross
    at = at[(at > 0) & (at < 1) & (on >= -EDGE) & (on <= 1 + EDGE)]
    body = float(bodies.height[0, j, poses.posture[0, j]])
    points = moment.run.setup.body_of(moment.run.names[j]).points
    ends = [float(poses.z[0, j]) + body * share for share, _ in points]
    return sorted({float(eye + t * (end - eye)) for end in ends for t in at}, reverse=True)


def _lowered(level: Level, wall: int, top: float) -> Level:
    """The level with one wall lowered to just below a height."""
    walls = list(level.data.walls)
    own, outline = walls[wall]
    walls[wall] = own.model_copy(update={"top": top - EDGE}), outline
    return Level(replace(level.data, walls=tuple(walls), derived={}))
