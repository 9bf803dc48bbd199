"""Why: every gate of one agent and target at one time, and what would change the answer.

The answer is worked out anew from the run's poses and numbers, with every gate tried even where
an earlier one failed: only then is it known whether a single counterfactual would be enough.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.config.models import Cone
from snelk.level.grid import NO_WALL
from snelk.mind.meter import FACTORS
from snelk.runs.answers import Answer, BeliefAnswer, ConeAnswer, Gate, MeterAnswer, written
from snelk.runs.counterfactuals import counterfactuals_of
from snelk.runs.dense import beliefs_of, meters_of
from snelk.runs.moment import Moment, moment_of
from snelk.runs.senses import explain_senses
from snelk.runs.standing import awake_in_words, cones_at
from snelk.runs.turning import level_at, since_when
from snelk.senses.bodies import blocker_codes, blockers_of
from snelk.senses.gates import SENSES, SIGHT, Limit
from snelk.senses.sight import EDGE, GATES, IN_VIEW, Sight

if TYPE_CHECKING:
    from snelk.runs.record import Record

FEW = 5
"""Of more who would tell the agent only so many are named."""


def explain(run: Record, agent: str, target: str, *, at: float) -> Answer:
    """See `Record.why`."""
    run.pair(agent, target)
    moment = moment_of(run, agent, target, at)
    a, j = moment.a, moment.j
    sight = moment.look(level_at(run, moment.tick))
    profile_name = run.setup.cast[agent].profile or ""
    cones = []
    for k, (name, cone) in enumerate(cones_at(run, agent, moment.tick).items()):
        failed = int(sight.failed[0, a, j, k])
        held = bool(moment.held[k])
        gates = _gates(moment, sight, cone, k, held, profile_name)
        cones.append(
            ConeAnswer(name, "in_view" if failed == IN_VIEW else GATES[failed], held, gates)
        )
    wall = int(sight.wall[0, a, j])
    place = [float(value) for value in sight.wall_place[0, a, j]]
    wall_name = None if wall == NO_WALL else _blocker(run, wall)
    in_words = None if wall == NO_WALL else _in_the_way(run, wall, moment.tick)
    in_view = any(cone.result == "in_view" for cone in cones)
    counterfactuals = counterfactuals_of(moment, sight, cones)
    t = float(run.times[moment.tick])
    exposure = float(sight.exposure[0, a, j])
    return Answer(
        agent,
        target,
        t,
        in_view,
        _headline(agent, target, t, in_view, cones, in_words),
        tuple(cones),
        wall_name,
        None if wall == NO_WALL else (place[0], place[1], place[2]),
        None if math.isnan(exposure) else exposure,
        counterfactuals[0] if counterfactuals else None,
        tuple(counterfactuals[1:]),
        "" if counterfactuals else _no_counterfactual(in_view, cones),
        _meter(run, agent, target, at),
        tuple(explain_senses(run, moment, at=at)),
        _belief(run, agent, target, at),
        tuple(_lacks(run, agent, target, at)),
    )


def reason_of_look(
    run: Record, agent: str, target: str, *, at: float
) -> tuple[str, tuple[float, float] | None]:
    """What `explain` finds of the last look only, and at once: a reason as in `Span.reason`.

    That is "in_view", or of the cone that came farthest the gate that failed. And the place, in
    plan, of the wall that was in the way, if any was.
    """
    moment = moment_of(run, agent, target, at)
    sight = moment.look(level_at(run, moment.tick))
    a, j, cones = moment.a, moment.j, len(run.setup.profile_of(agent).cones)
    failed = sight.failed[0, a, j, :cones].tolist()
    x, y, _ = sight.wall_place[0, a, j].tolist()
    place = None if sight.wall[0, a, j] == NO_WALL else (x, y)
    return "in_view" if IN_VIEW in failed else GATES[max(failed, default=0)], place


def _lacks(run: Record, agent: str, target: str, at: float) -> Iterator[str]:
    """What an agent lacks for something to happen."""
    member, profile = run.setup.cast[agent], run.setup.profile_of(agent)
    name, team = member.profile, run.setup.cast[target].team
    for what, there, key in (
        *((sense.lack, bool(getattr(profile, sense.key)), sense.key) for sense in SENSES),
        ("no meter", profile.meter is not None, "meter"),
        ("no memory", profile.memory is not None, "memory"),
    ):
        if not there:
            yield f"{what}: its profile {name} has no {key}"
    if not profile.ever_notices(team):
        yield f'no sense that notices team "{team}": see notices of the profile {name}'
    words = run.rows("voices").where(listener=agent, target=target)
    time = run.times[run.tick_at(at)]
    words = words.take(words["t"] <= time + 1e-9)
    yield from _on_its_way(words, time)
    if len(words) and not words.equal(result="told").any():
        yield _not_told(words.row(-1))
    elif profile.memory is not None and len(words) == 0:
        tellers = [
            other
            for other in run.agents
            if other != agent
            and (tell := run.setup.profile_of(other).tell) is not None
            and member.team in (tell.teams or (run.setup.cast[other].team,))
        ]
        if tellers:
            reach = [run.setup.profile_of(other).tell for other in tellers[:FEW]]
            far = ", ".join(
                f"{other} (to all)" if tell is None or tell.reach is None
                else f"{other} (its voice carries {tell.reach:g} m)"
                for other, tell in zip(tellers, reach, strict=False)
            )  # fmt: skip
            far += f" and {len(tellers) - FEW} more" if len(tellers) > FEW else ""
            yield f"no message about {target} so far: none of these sensed it and told: {far}"
        else:
            yield f"nobody would tell it: no profile has a tell for team {member.team}"
    if profile.ladder is not None:
        now = run.rows("signals").where(agent=agent).row(run.tick_at(at))
        seen_to = _seen_to(run, agent, target, at)
        if seen_to is not None:
            yield f"has seen to {target} at {seen_to:.2f} s, and ignores it"
        elif now.focus != target:
            noise = f"a {now.place} made by nobody" if now.place else "nobody"
            on = now.focus or noise
            yield f"{target} is not its focus: {on} is, and conditions are about the focus"
        if not any(
            now.state in profile.ladder.origins(c) for c in profile.ladder.transitions.values()
        ):
            yield f"no transition out of its state {now.state}"


def _seen_to(run: Record, agent: str, target: str, at: float) -> float | None:
    """When an agent saw to a clue that has been there since; None if it did not."""
    events = run.rows("events").take(run.rows("events")["t"] <= at + 1e-9)
    times = events.where(kind="seen_to", agent=agent, target=target)["t"]
    over = events.where(kind="vanished", agent=target)["t"]
    if len(times) == 0 or (len(over) and over[-1] > times[-1]):
        return None
    return float(times[-1])


def _on_its_way(words: Any, time: float) -> Iterator[str]:
    """The message for the agent that arrives next, if any has not yet."""
    told = words.where(result="told")
    told = told.take(~(told["arrives"] <= time + 1e-9))
    if len(told):
        when = np.where(np.isnan(told["arrives"]), np.inf, told["arrives"])
        row = told.row(int(np.argmin(when)))
        arrives = "after the end" if np.isinf(when.min()) else f"at {when.min():.2f} s"
        said = f"a message about {row.target} on its way: {row.teller} told it at {row.t:.2f} s"
        yield f"{said}, it arrives {arrives}"


def _not_told(row: Any) -> str:
    """Why the last message for the agent did not arrive."""
    said = (
        f"no message about {row.target}: what {row.teller} told at {row.t:.2f} s did not arrive, "
    )
    if row.result == "reach":
        behind = f" behind {row.wall}" if row.wall else ""
        far = f"{row.straight:.1f} m off{behind}"
        return said + f"as {row.listener} was {far}, and the voice carries {row.limit:.1f} m"
    why = {
        "present": "was not there",
        "memory": "has no memory",
        "cares": f"does not notice {row.target}",
        "ears": "has no ears, and it was a voice",
        "awake": "slept",
    }
    return said + f"as {row.listener} {why[row.result]}"


def _belief(run: Record, agent: str, target: str, at: float) -> BeliefAnswer | None:
    """Where the agent believed the target to be at a tick."""
    rows = beliefs_of(run, agent, target)
    if len(rows) == 0:
        return None
    row = rows.row(run.tick_at(at))
    if not row.source:
        return BeliefAnswer("", None, None, None, None, f"none: {agent} has no belief")
    error = None if math.isnan(row.error) else float(row.error)
    words = {
        "sensed": "senses it",
        "grace": f"still knows, {written(row.age, 's')} after the loss",
        "lead": f"extrapolated for {written(row.age, 's')} since the loss",
        "last_known": f"last known {written(row.age, 's')} ago",
        "heard": f"heard {written(row.age, 's')} ago",
        "told": f"told, {written(row.age, 's')} old",
        "smelt": f"smelt, {written(row.age, 's')} old",
    }[row.source]
    text = f"({row.x:.2f}, {row.y:.2f}), {words}"
    if row.source not in ("sensed", "grace"):
        text += f", ±{row.uncertainty:.1f} m"
        text += "" if error is None else f"; {error:.1f} m off"
    return BeliefAnswer(
        row.source, (row.x, row.y), float(row.age), float(row.uncertainty), error, text
    )


def _meter(run: Record, agent: str, target: str, at: float) -> MeterAnswer | None:
    """The meter at a tick, with what slows it."""
    meter = run.setup.profile_of(agent).meter
    rows = meters_of(run, agent, target)
    if meter is None or len(rows) == 0:
        return None
    row = rows.row(run.tick_at(at))
    value, rate, state = row.value, row.rate, row.state
    factors = {name: float(getattr(row, f"{name}_factor")) for name in FACTORS}
    if row.sense != "sight":
        factors = {}
    lowest = min(factors, key=lambda name: factors[name], default="")
    costs_most = lowest if lowest and factors[lowest] < 1.0 else ""
    to_full = (1.0 - value) * meter.fill_time / rate if state == "filling" and rate > 0 else None
    text = f"{value:.2f}, {state.replace('_', ' ')}"
    if state == "filling" and value >= 1.0:
        text = f"{value:.2f}, full; it would fill at rate {rate:.2f}"
    elif state == "filling":
        text += f" at rate {rate:.2f}" + (" by the zone sense" if row.sense == "zone" else "")
        text += " and never full this way" if to_full is None else ""
        text += f": full in {to_full:.1f} s if nothing changes" if to_full else ""
        text += f"; {costs_most} costs most, ×{factors[costs_most]:.2f}" if costs_most else ""
    elif state == "at_once":
        text += ": felt" if row.sense == "touch" else f": within {meter.at_once:g} m"
    text += f"; a noise added {row.noise:.2f}" if row.noise > 0 else ""
    return MeterAnswer(value, rate, state, factors, costs_most, to_full, text)


def _gates(
    moment: Moment, sight: Sight, cone: Cone, k: int, held: bool, profile: str
) -> tuple[Gate, ...]:
    """All gates of one cone, each tried whatever the ones before it said."""
    run, a, j = moment.run, moment.a, moment.j
    numbers, limits = moment.numbers, moment.limits
    agent, target = run.agents[a], run.names[j]
    agent_there = bool(moment.poses.present[0, moment.i])
    there = bool(moment.poses.present[0, j]) and agent_there
    missing = target if agent_there else agent
    team, cares = run.setup.cast[target].team, bool(numbers.cares[0, a, j, k])
    awake = float(limits.awake[0, a])
    clue = run.setup.cast[missing].clue
    absent = f"{missing} is not there" + (f": it is there {clue.in_words}" if clue else "")
    gates = [
        Gate("present", there, "both are there" if there else absent),
        Gate(
            "cares",
            cares,
            f'"{profile}" {"notices" if cares else "does not notice"} team "{team}"',
            key="notices",
        ),
        Gate(
            "awake",
            awake > 0.0,
            awake_in_words(run, agent, "sight", moment.tick),
            awake,
            0.0,
            awake,
            rule=">",
        ),
    ]
    if not there:
        return (*gates, *(Gate(name, None, "cannot be asked") for name in GATES[3:]))
    behind = _behind(moment, sight, float(sight.exposure[0, a, j]))
    for name, limit in SIGHT.limits.items():
        value = float(getattr(sight, limit.field)[0, a, j])
        value = math.degrees(value) if limit.unit == "deg" else value
        other = limit.is_second(value, held) and getattr(cone, limit.keys[1]) is not None
        key = limit.keys[1 if other else 0]
        own = float(getattr(cone, key)) * limit.share
        text = limit.explain(value, own, awake, behind)
        scale = awake if limit.is_scaled else limit.share
        gates.append(_limit(name, limit, text, abs(value), own, key=key, scale=scale))
    return tuple(gates)


def _limit(
    name: str, held: Limit, text: str, value: float, own: float, *, key: str, scale: float
) -> Gate:
    """A gate with a number, passed as the stage of sight passes it."""
    limit = own * scale if held.is_scaled else own
    unit, rule = held.unit, held.rule
    if rule == "<=":
        passed = value <= limit + (math.degrees(EDGE) if unit == "deg" else EDGE)
    else:
        passed = value > limit or (rule == ">=" and value >= limit - EDGE)
    margin = held.margin(value, limit)
    return Gate(name, passed, text, value, limit, margin, unit, rule, key, scale)


def _blocker(run: Record, wall: int) -> str:
    """The name of the wall or character that blocks."""
    walls = run.level.wall_names
    return blockers_of(walls, run.names)[int(blocker_codes(np.array(wall), len(walls)))]


def _in_the_way(run: Record, wall: int, tick: int) -> str:
    """The same in words, for a door with the time since it was shut."""
    name = _blocker(run, wall)
    if not (0 <= wall < len(run.level.is_door) and run.level.is_door[wall]):
        return name
    since = since_when(run, tick, name)
    return f"{name}, shut" + ("" if math.isnan(since) else f" since {since:g} s")


def _behind(moment: Moment, sight: Sight, exposure: float) -> str:
    wall, level = int(sight.wall[0, moment.a, moment.j]), moment.run.level
    if wall == NO_WALL:
        return ""
    x, y, z = sight.wall_place[0, moment.a, moment.j]
    dims = wall >= 0 and level.see_through[wall]
    verb = "stopped" if exposure == 0.0 else "dimmed" if dims else "cut"
    by = _in_the_way(moment.run, wall, moment.tick)
    return f"; {verb} by {by} at ({x:.2f}, {y:.2f}), {z:.2f} m up"


def _headline(
    agent: str, target: str, t: float, in_view: bool, cones: list[ConeAnswer], wall: str | None
) -> str:
    if in_view:
        seeing = [cone.cone for cone in cones if cone.result == "in_view"]
        plural = "cones" if len(seeing) > 1 else "cone"
        return f"{agent} has {target} in view at {t:.2f} s ({' and '.join(seeing)} {plural})"
    if not cones:
        return f"{agent} has no cone that notices {target}"
    closest = max(cones, key=lambda cone: GATES.index(cone.result))
    gate = next(gate for gate in closest.gates if gate.name == closest.result)
    reason = gate.text  # who is not there, or which team is of no interest
    if gate.name not in ("present", "cares"):
        facts = {"cone": closest.cone, "numbers": gate.text, "wall": wall or ""}
        reason = SIGHT.stopped(gate.name, **facts)
    return f"{agent} does not see {target} at {t:.2f} s: {reason}"


def _no_counterfactual(in_view: bool, cones: list[ConeAnswer]) -> str:
    if in_view:
        seeing = [cone.cone for cone in cones if cone.result == "in_view"]
        return f"no single number: {len(seeing)} cones see it ({', '.join(seeing)})"
    if not cones:
        return "the profile has no cones"
    if cones[0].result == "present":
        return "no number: an absent target cannot be seen"
    fewest = min(cones, key=lambda cone: sum(gate.passed is False for gate in cone.gates))
    failing = [gate for gate in fewest.gates if gate.passed is False]
    if len(failing) == 1:
        return "no single number of the profile, and no lower top of that wall"
    names = " and ".join(gate.name.replace("_", " ") for gate in failing)
    return f"no single number: in the {fewest.cone} cone {names} fail together"
