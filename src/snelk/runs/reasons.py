"""Why: every gate of one agent and target at one time, and the change that would turn it.

The answer is worked out anew from the run's poses and numbers, with every gate tried even where
an earlier one failed: only then is it known whether a single change would be enough.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import POSTURES, Cone
from snelk.config.problems import key_path
from snelk.level.grid import build_grid
from snelk.level.level import Level
from snelk.level.rays import NO_WALL, scratch_for
from snelk.senses.sight import (
    BODY_POINTS,
    EDGE,
    GATES,
    IN_VIEW,
    Poses,
    Sight,
    SightNumbers,
    see,
    sight_numbers,
)

if TYPE_CHECKING:
    from snelk.runs.run import Run


@dataclass(frozen=True)
class Gate:
    """One gate of one cone.

    Attributes:
        name: The gate, one of `GATES`.
        passed: Whether it was passed, whatever the gates before it said; None if it cannot be
            asked because the target or the agent is not there.
        value, limit, margin: In `unit`; the margin is positive or zero where passed. None for
            gates without a number.
        key: The key of the limit in the cone, as written in the file.
        text: What was found, in words.
    """

    name: str
    passed: bool | None
    text: str
    value: float | None = None
    limit: float | None = None
    margin: float | None = None
    unit: str = ""
    key: str = ""


@dataclass(frozen=True)
class Change:
    """A single change that would have turned the answer, all else equal.

    Attributes:
        key: What to change: a key path for `--set`, or the wall's property for the level.
        needs: The limiting value; the answer turns on the side of it that `comparison` says.
        comparison: `>=`, `<=`, `<` or `>`; empty where the change is not a number.
        now: The value in this run.
        text: The change in words, with the number rounded to the safe side.
        settable: The change as `KEY=VALUE` for `--set`, with the other limit of the same kind
            where that has to follow; empty if the change is in the level.
    """

    key: str
    comparison: str
    needs: float | str
    now: float | str
    text: str
    settable: tuple[str, ...] = ()


@dataclass(frozen=True)
class ConeAnswer:
    """How one cone fared: `result` is `in_view` or the first gate that failed."""

    cone: str
    result: str
    held: bool
    gates: tuple[Gate, ...]


@dataclass(frozen=True)
class Answer:
    """Why an agent did or did not see a target at one tick.

    Attributes:
        agent, target, t: Who, whom, and the time of the tick, s.
        in_view: Whether any cone had it in view.
        headline: The answer in one line.
        cones: How each cone fared.
        wall, wall_place: The wall that stopped the ray, and where, m.
        exposure: Share of the body in view past the walls; None while absent.
        change: The smallest single change of a number that would have turned the answer, or
            None; then `no_change` says why there is none.
        others: Further single changes, larger ones last.
    """

    agent: str
    target: str
    t: float
    in_view: bool
    headline: str
    cones: tuple[ConeAnswer, ...]
    wall: str | None
    wall_place: tuple[float, float, float] | None
    exposure: float | None
    change: Change | None
    others: tuple[Change, ...]
    no_change: str

    def to_dict(self) -> dict[str, Any]:
        """The answer as plain data."""
        return asdict(self)


@dataclass(frozen=True)
class _Moment:
    """One tick of a run, ready to be asked what would be if."""

    run: Run
    tick: int
    a: int
    j: int
    poses: Poses
    numbers: SightNumbers
    held: NDArray[np.bool_]  # (cone,): in view the tick before

    def look(self, level: Level, numbers: SightNumbers | None = None) -> Sight:
        numbers = numbers or self.numbers
        sight = Sight.blank(numbers)
        sight.failed[0, self.a, self.j, self.held] = IN_VIEW
        grid = level.grid
        see(self.poses, numbers, grid, scratch_for(grid), True, sight)
        return sight


def explain(run: Run, agent: str, target: str, *, at: float) -> Answer:
    """See `Run.why`."""
    run.pair(agent, target)
    moment = _moment(run, agent, target, at)
    a, j = moment.a, moment.j
    sight = moment.look(run.level)
    profile_name = run.setup.cast[agent].profile or ""
    profile = run.setup.profiles[profile_name]
    cones = []
    for k, (name, cone) in enumerate(profile.cones.items()):
        failed = int(sight.failed[0, a, j, k])
        held = bool(moment.held[k])
        gates = _gates(moment, sight, cone, k, held, profile_name)
        cones.append(
            ConeAnswer(name, "in_view" if failed == IN_VIEW else GATES[failed], held, gates)
        )
    wall = int(sight.wall[0, a, j])
    place = [float(value) for value in sight.wall_place[0, a, j]]
    wall_name = None if wall == NO_WALL else run.level.wall_names[wall]
    in_view = any(cone.result == "in_view" for cone in cones)
    changes = _changes(moment, sight, cones, profile_name)
    t = float(run.times[moment.tick])
    exposure = float(sight.exposure[0, a, j])
    return Answer(
        agent,
        target,
        t,
        in_view,
        _headline(agent, target, t, in_view, cones, wall_name),
        tuple(cones),
        wall_name,
        None if wall == NO_WALL else (place[0], place[1], place[2]),
        None if math.isnan(exposure) else exposure,
        changes[0] if changes else None,
        tuple(changes[1:]),
        "" if changes else _no_change(in_view, cones),
    )


def _moment(run: Run, agent: str, target: str, at: float) -> _Moment:
    tick = run.tick_at(at)
    names = run.names
    rows = run.poses.iloc[tick * len(names) : (tick + 1) * len(names)]
    present = rows.present.to_numpy()

    def column(name: str) -> NDArray[np.float64]:
        values: NDArray[np.float64] = np.nan_to_num(rows[name].to_numpy(dtype=np.float64))
        return values[None]

    posture = rows.posture.cat.set_categories(list(POSTURES)).cat.codes.to_numpy().astype(np.int8)
    poses = Poses(
        column("x"),
        column("y"),
        column("z"),
        np.radians(column("heading_deg")),
        posture[None],
        present[None],
    )
    numbers = sight_numbers([run.setup])
    cones = int(numbers.cones[0, run.agents.index(agent)])
    held = np.zeros(numbers.range.shape[2], dtype=np.bool_)
    if tick > 0 and cones:
        sight = run.sight
        before = sight[(sight.agent == agent) & (sight.target == target)]
        held[:cones] = before.in_view.to_numpy()[(tick - 1) * cones : tick * cones]
    return _Moment(run, tick, run.agents.index(agent), names.index(target), poses, numbers, held)


def _gates(
    moment: _Moment, sight: Sight, cone: Cone, k: int, held: bool, profile: str
) -> tuple[Gate, ...]:
    run, a, j, numbers = moment.run, moment.a, moment.j, moment.numbers
    agent, target = run.agents[a], run.names[j]
    agent_there = bool(moment.poses.present[0, numbers.characters[a]])
    there = bool(moment.poses.present[0, j]) and agent_there
    missing = target if agent_there else agent
    gates = [Gate("present", there, "both are there" if there else f"{missing} is not there")]
    team = run.setup.cast[target].team
    cares = bool(numbers.notices[0, a, j])
    text = (
        f'"{profile}" notices team "{team}"' if cares else f'"{profile}" does not notice "{team}"'
    )
    gates.append(Gate("cares", cares, text, key="notices"))
    if not there:
        return (*gates, *(Gate(name, None, "cannot be asked") for name in GATES[2:]))
    distance = float(sight.distance[0, a, j])
    reach = float((numbers.hold_range if held else numbers.range)[0, a, k])
    key = "hold_range" if held and cone.hold_range is not None else "range"
    gates.append(
        Gate(
            "range",
            distance <= reach + EDGE,
            f"{distance:.2f} m, limit {reach:g} m",
            distance,
            reach,
            reach - distance,
            "m",
            key,
        )
    )
    off = float(sight.off[0, a, j])
    half = float((numbers.hold_half_fov if held else numbers.half_fov)[0, a, k])
    key = "hold_fov_whole" if held and cone.hold_fov_whole is not None else "fov_whole"
    whole = math.degrees(half) * 2
    gates.append(
        Gate(
            "angle",
            off <= half + EDGE,
            f"{math.degrees(off):.1f}° off, limit {whole / 2:g}° (half of {whole:g}°)",
            math.degrees(off),
            math.degrees(half),
            math.degrees(half - off),
            "deg",
            key,
        )
    )
    exposure = float(sight.exposure[0, a, j])
    wall = int(sight.wall[0, a, j])
    behind = ""
    if wall != NO_WALL:
        x, y, z = sight.wall_place[0, a, j]
        verb = "stopped" if exposure == 0.0 else "dimmed" if run.level.see_through[wall] else "cut"
        behind = f"; {verb} by {run.level.wall_names[wall]} at ({x:.2f}, {y:.2f}), {z:.2f} m up"
    gates.append(
        Gate(
            "line_of_sight",
            exposure > cone.min_exposure,
            f"{exposure:.0%} in view, needs more than {cone.min_exposure:.0%}{behind}",
            exposure,
            cone.min_exposure,
            exposure - cone.min_exposure,
            "",
            "min_exposure",
        )
    )
    return tuple(gates)


def _headline(
    agent: str, target: str, t: float, in_view: bool, cones: list[ConeAnswer], wall: str | None
) -> str:
    if in_view:
        seeing = [cone.cone for cone in cones if cone.result == "in_view"]
        plural = "cones" if len(seeing) > 1 else "cone"
        return f"{agent} has {target} in view at {t:.2f} s ({' and '.join(seeing)} {plural})"
    if not cones:
        return f"{agent} has no cone to see {target} with"
    closest = max(cones, key=lambda cone: GATES.index(cone.result))
    gate = next(gate for gate in closest.gates if gate.name == closest.result)
    reason = {
        "present": gate.text,
        "cares": gate.text,
        "range": f"too far ({gate.text}, {closest.cone} cone)",
        "angle": f"outside the {closest.cone} cone ({gate.text})",
        "line_of_sight": f"behind {wall}" if wall else "too little in view",
    }[closest.result]
    return f"{agent} does not see {target} at {t:.2f} s: {reason}"


def _changes(moment: _Moment, sight: Sight, cones: list[ConeAnswer], profile: str) -> list[Change]:
    """Single changes that turn the answer, the relatively smallest first."""
    seeing = [cone for cone in cones if cone.result == "in_view"]
    numbers = moment.run.setup.profiles[profile].cones
    found: list[tuple[float, Change]] = []
    if len(seeing) == 1:
        for gate in seeing[0].gates[2:]:
            place = ("profiles", profile, "cones", seeing[0].cone)
            found += _numeric_change(gate, numbers[seeing[0].cone], place, turn_on=False)
    elif not seeing:
        for cone in cones:
            failing = [gate for gate in cone.gates if gate.passed is not True]
            if len(failing) != 1:
                continue
            gate = failing[0]
            if gate.name == "cares":
                found.append((math.inf, _notice_change(moment, profile)))
            elif gate.name == "line_of_sight" and gate.value == 0.0:
                found += _wall_change(moment, sight, cone.cone)
            else:
                place = ("profiles", profile, "cones", cone.cone)
                found += _numeric_change(gate, numbers[cone.cone], place, turn_on=True)
    unique = {change: size for size, change in sorted(found, key=lambda item: item[0])}
    return list(unique)


def _notice_change(moment: _Moment, profile: str) -> Change:
    team = moment.run.setup.cast[moment.run.names[moment.j]].team
    teams = moment.run.setup.profiles[profile].notices
    key = key_path(("profiles", profile, "notices"))
    listed = ", ".join(f'"{name}"' for name in (*teams, team))
    text = f'seen if {key} holds "{team}"'
    return Change(key, "", team, ", ".join(teams), text, (f"{key}=[{listed}]",))


def _numeric_change(
    gate: Gate, cone: Cone, place: tuple[str, ...], *, turn_on: bool
) -> list[tuple[float, Change]]:
    """The change of the gate's own limit that turns it, with its size; none if there is none."""
    if gate.value is None or gate.limit is None:
        return []
    key, now, needs = key_path((*place, gate.key)), gate.limit, gate.value
    if gate.name == "line_of_sight":
        comparison, unit, digits = ("<" if turn_on else ">="), "", 4
        size = abs(now - needs)
    else:
        scale, unit = (2.0, "°") if gate.name == "angle" else (1.0, " m")
        needs, now = needs * scale, now * scale
        comparison, digits = (">=" if turn_on else "<"), 2
        size = abs(needs - now) / now
    rounded = _safe(needs, up=comparison == ">=", digits=digits)
    # Some limits cannot go as far as they would have to.
    if rounded <= 0.0 or (gate.name == "line_of_sight" and rounded >= 1.0):
        return []
    value = rounded
    if comparison == "<" and rounded >= needs:
        value = round(rounded - 10.0**-digits, digits)
    partner = _partner(gate.key, cone, value)
    word, sign = ("seen" if turn_on else "not seen"), ("≥" if comparison == ">=" else "<")
    text = f"{word} if {gate.key} of the {place[-1]} cone {sign} {rounded:g}{unit} (is {now:g})"
    text += f"; {'raise' if turn_on else 'lower'} {partner} with it" if partner else ""
    keys = [key, key_path((*place, partner))] if partner else [key]
    settable = tuple(f"{each}={value:g}" for each in keys)
    return [(size, Change(key, comparison, needs, now, text, settable))]


def _partner(key: str, cone: Cone, value: float) -> str:
    """The gain limit that a hold limit must not fall below, or the hold limit that it passes.

    Without it the target would flicker in and out of view in the run that tries the change.
    """
    gain = key.removeprefix("hold_")
    hold = f"hold_{gain}"
    if key == hold:
        return gain if value < getattr(cone, gain) else ""
    limit = getattr(cone, hold, None)
    return hold if limit is not None and value > limit else ""


def _safe(value: float, *, up: bool, digits: int) -> float:
    """Round in the direction in which the answer surely turns."""
    scale = 10.0**digits
    return (math.ceil(value * scale) if up else math.floor(value * scale)) / scale


def _wall_change(moment: _Moment, sight: Sight, cone_name: str) -> list[tuple[float, Change]]:
    """How low the wall in the way would have to be, if lowering it alone is enough."""
    run, a, j = moment.run, moment.a, moment.j
    level = run.level
    wall = int(sight.wall[0, a, j])
    if wall == NO_WALL:
        return []
    agent = run.agents[a]
    profile = run.setup.profiles[run.setup.cast[agent].profile or ""]
    least = profile.cones[cone_name].min_exposure
    for height in _crossing_heights(moment, wall):
        if height <= level.base[wall] or height > level.top[wall]:
            continue
        lowered = _lowered(level, wall, height)
        if float(moment.look(lowered).exposure[0, a, j]) > least:
            now, name = float(level.top[wall]), level.wall_names[wall]
            shown = _safe(height, up=False, digits=2)
            text = f"seen if the top of {name} < {shown:g} m (is {now:g})"
            return [
                (
                    (now - height) / now if now > 0 else 1.0,
                    Change(f"{name}.top", "<", height, now, text),
                )
            ]
    return []


def _crossing_heights(moment: _Moment, wall: int) -> list[float]:
    """Heights at which the rays to the body points cross a wall, the highest first, m."""
    level, poses, numbers = moment.run.level, moment.poses, moment.numbers
    i, j = int(numbers.characters[moment.a]), moment.j
    eye = float(poses.z[0, i] + numbers.eyes[0, i, poses.posture[0, i]])
    start = np.array([poses.x[0, i], poses.y[0, i]])
    toward = np.array([poses.x[0, j], poses.y[0, j]]) - start
    faces = level.pieces[level.piece_walls == wall]
    a, along = faces[:, 0:2] - start, faces[:, 2:4] - faces[:, 0:2]
    cross = toward[0] * along[:, 1] - toward[1] * along[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        at = (a[:, 0] * along[:, 1] - a[:, 1] * along[:, 0]) / cross
        on = (a[:, 0] * toward[1] - a[:, 1] * toward[0]) / cross
    at = at[(at > 0) & (at < 1) & (on >= -EDGE) & (on <= 1 + EDGE)]
    body = float(numbers.height[0, j, poses.posture[0, j]])
    ends = [float(poses.z[0, j]) + body * share for share, _ in BODY_POINTS]
    return sorted({float(eye + t * (end - eye)) for end in ends for t in at}, reverse=True)


def _lowered(level: Level, wall: int, top: float) -> Level:
    """The level with one wall lowered to just below a height."""
    lowered = Level(level.data)
    lowered.pieces = level.pieces.copy()
    lowered.pieces[level.piece_walls == wall, 5] = top - EDGE
    lowered.grid = build_grid(lowered.pieces, lowered.piece_walls, lowered.see_through)
    return lowered


def _no_change(in_view: bool, cones: list[ConeAnswer]) -> str:
    if in_view:
        seeing = [cone.cone for cone in cones if cone.result == "in_view"]
        return f"no single number: {len(seeing)} cones see it ({', '.join(seeing)})"
    if not cones:
        return "the profile has no cones"
    if cones[0].result == "present":
        return "no number: nobody can be seen who is not there"
    fewest = min(cones, key=lambda cone: sum(gate.passed is False for gate in cone.gates))
    failing = [gate for gate in fewest.gates if gate.passed is False]
    if len(failing) == 1:
        return "no number of the profile, and no lower top of that one wall alone"
    names = " and ".join(gate.name.replace("_", " ") for gate in failing)
    return f"no single number: in the {fewest.cone} cone {names} fail together"
