"""Tables of pairs at every tick, also where repeated rows were left out.

A table has no rows of an agent and a target that its senses never notice, and no repeated rows in
large casts (docs/tables.md). They are rebuilt here, and nowhere else.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import POSTURES, SENSE_KEYS
from snelk.mind.memory import GRACE, SENSED_NOW, SOURCES, doubt
from snelk.runs.rows import Rows, Values, Words
from snelk.runs.standing import awake_of_ticks
from snelk.senses.bodies import bodies_of, gap_between
from snelk.senses.sight import GATES, IN_VIEW, RESULTS
from snelk.senses.turns import Turns

if TYPE_CHECKING:
    from snelk.runs.record import Record

Numbers = NDArray[np.float64]
Ticks = NDArray[np.intp]


class Looks(NamedTuple):
    """Every look of an agent at a target.

    Attributes:
        ticks: (looks,) at which tick each was.
        failed: (looks, cone) the first gate that failed, or IN_VIEW.
        distance: (looks,) from the eye to the middle of the body, m; NaN while either is absent.
        walls: (looks,) the wall in the way; empty for none.
    """

    ticks: Ticks
    failed: NDArray[np.int8]
    distance: Numbers
    walls: NDArray[np.object_]


def look_ticks(run: Record, agent: str) -> Ticks:
    """The ticks at which an agent looks."""
    every = [[run.setup.profile_of(name).look_every for name in run.agents]]
    turns, a = Turns(every, run.setup.clock.dt), run.agents.index(agent)
    ticks = np.arange(len(run.times))
    mine = (ticks + run.first_tick - a) % turns.ticks[0, a] == 0
    mine[:1] = True
    return np.flatnonzero(mine)


def looks_at(run: Record, agent: str, target: str) -> Looks:
    """Every look of an agent with cones at a target."""
    ticks, cones = look_ticks(run, agent), len(run.setup.profile_of(agent).cones)
    rows = run.rows_of("sight", agent, target)
    there = both_there(run, agent, target)[ticks]
    failed = np.where(there, GATES.index("cares"), GATES.index("present")).astype(np.int8)
    failed = np.repeat(failed[:, None], cones, axis=1)
    walls = np.full(len(ticks), "", dtype=object)
    distance = np.where(there, distances(run, agent, target)[ticks], np.nan)
    if len(rows):
        at = np.searchsorted(ticks, run.ticks_of(rows["t"][::cones]))
        codes = rows.words("result").codes_in(RESULTS) - 1
        written = np.full(len(ticks), -1, dtype=np.intp)
        written[at] = np.arange(len(at))
        written = np.maximum.accumulate(written)
        failed = codes.reshape(-1, cones)[written].astype(np.int8)
        walls = rows["wall"].reshape(-1, cones)[written, 0]
        distance[at] = rows["distance"].reshape(-1, cones)[:, 0]
    return Looks(ticks, failed, distance, walls)


def looks_while_there(run: Record, agent: str, target: str) -> Looks:
    """Every look at a target, and each tick between two looks at which either becomes absent.

    What a look finds holds until the next, or until then.
    """
    looks, there = looks_at(run, agent, target), both_there(run, agent, target)
    goes = np.append(False, there[:-1] & ~there[1:])
    goes[looks.ticks] = False
    gone = np.flatnonzero(goes)
    order = np.argsort(np.append(looks.ticks, gone))
    absent = np.full((len(gone), looks.failed.shape[1]), GATES.index("present"), dtype=np.int8)
    return Looks(
        np.append(looks.ticks, gone)[order],
        np.concatenate([looks.failed, absent])[order],
        np.append(looks.distance, np.full(len(gone), np.nan))[order],
        np.append(looks.walls, np.full(len(gone), "", dtype=object))[order],
    )


def in_view(looks: Looks) -> NDArray[np.bool_]:
    """(looks,) whether any cone had the target in view."""
    found: NDArray[np.bool_] = (looks.failed == IN_VIEW).any(axis=1)
    return found


def meters_of(run: Record, agent: str, target: str) -> Rows:
    """A row per tick of a meter; none if the agent has no meter for that target."""
    profile, team = run.setup.profile_of(agent), run.setup.cast[target].team
    if profile.meter is None or not profile.ever_notices(team) or agent == target:
        return run.rows("meters").take(slice(0))
    rows = run.rows_of("meters", agent, target)
    at = run.ticks_of(rows["t"])
    every = _every_tick(run, rows, at, agent, target)
    numbers = {name: every[name].copy() for name in ("value", "rate", "noise")}
    state = np.full(len(run.times), "empty", dtype=object)
    state[at] = rows["state"]
    for values in numbers.values():
        values[np.isnan(values)] = 0.0
    return every.changed(**numbers, state=Words.of(state))


def beliefs_of(run: Record, agent: str, target: str) -> Rows:
    """A row per tick of a belief; none if the agent has no memory for that target."""
    profile, team = run.setup.profile_of(agent), run.setup.cast[target].team
    memory = profile.memory
    if memory is None or not profile.ever_notices(team) or agent == target:
        return run.rows("beliefs").take(slice(0))
    rows = run.rows_of("beliefs", agent, target)
    ticks = run.ticks_of(rows["t"])
    every = _every_tick(run, rows, ticks, agent, target)
    if len(rows) == 0:
        return every
    last = np.searchsorted(ticks, np.arange(len(every)), side="right") - 1
    stood = rows.take(last.clip(0))
    source, before = every.words("source"), stood.words("source")
    stands = (last >= 0) & (source.codes < 0) & (before.codes >= 0)
    grown = _grown(run, stood, every["t"])
    return every.changed(
        source=Words(np.where(stands, before.codes, source.codes), source.known),
        **{
            name: np.where(stands, grown[name], every[name])
            for name in ("x", "y", "z", "age", "uncertainty", "error")
            if name in every
        },
    )


def beliefs_at(run: Record, tick: int) -> Rows:
    """The beliefs of all pairs at a tick, of those that believe something."""
    rows = run.rows("beliefs")
    rows = rows.take(rows["t"] <= run.times[tick] + 1e-9)
    # Of each pair the last one, and the pairs by agent and target.
    keys = [rows.words(who).codes_in(sorted(run.names)) for who in ("target", "agent")]
    order = np.lexsort((np.arange(len(rows)), *keys))
    pairs = np.stack(keys)[:, order]
    last = np.append((pairs[:, 1:] != pairs[:, :-1]).any(axis=0), len(order) > 0)
    rows = rows.take(order[last[: len(order)]])
    rows = rows.take(rows.words("source").codes >= 0)
    return _grown(run, rows, np.full(len(rows), run.times[tick]))


def not_sensed(beliefs: Rows) -> NDArray[np.bool_]:
    """(rows,) whether a target is believed somewhere and is not sensed, nor has just been."""
    now = beliefs.equal(source=SOURCES[SENSED_NOW]) | beliefs.equal(source=SOURCES[GRACE])
    return (beliefs.words("source").codes >= 0) & ~now


def _grown(run: Record, rows: Rows, times: Numbers) -> Rows:
    """Beliefs that have stood still since their rows, as they are at times, older and less sure."""
    age = rows["age"] + (times - rows["t"])
    unsure, error = rows["uncertainty"].copy(), rows["error"].copy()
    code = rows.words("source").codes_in(SOURCES)
    agents, targets = (rows.words(who) for who in ("agent", "target"))
    for a in set(agents.codes.tolist()):
        memory = run.setup.profile_of(agents.known[a]).memory
        if memory is not None:
            mine = agents.codes == a
            now, then = (
                doubt(code[mine], each[mine], 0.0, memory.grace, memory.spread)
                for each in (age, rows["age"])
            )
            unsure[mine] += now - then
    for j in set(targets.codes.tolist()):
        those = targets.codes == j
        place, ticks = _columns(run, targets.known[j])[0], run.ticks_of(times[those])
        off = [rows[axis][those] - place[axis][ticks] for axis in "xy"]
        error[those] = np.hypot(*off)
    return rows.changed(t=times, age=age, uncertainty=unsure, error=error)


def contacts_of(run: Record, agent: str, target: str, sense: str) -> Rows:
    """A row per tick of `touch`, the `zone` sense or `smell`; none if it has no such sense."""
    rows = run.rows_of("contacts", agent, target).where(sense=sense)
    profile = run.setup.profile_of(agent)
    if agent == target or getattr(profile, SENSE_KEYS[sense]) is None:
        return rows
    count, at, there = len(run.times), run.ticks_of(rows["t"]), both_there(run, agent, target)
    every = _every_tick(run, rows, at, agent, target)
    changed: dict[str, Values | Words] = {"sense": Words.alike(sense, count)}
    if len(rows) == 0:  # it never notices that team
        changed["result"] = Words(np.where(there, 0, 1), ("cares", "present"))
        if sense == "zone" and profile.zone_sense is not None:
            changed["zone"] = _zones_of(run, target, profile.zone_sense.zones, there)
    else:
        last = np.searchsorted(at, np.arange(count), side="right") - 1
        for name in ("result", "wall", "zone"):
            words = rows.words(name)
            changed[name] = Words(np.where(last >= 0, words.codes[last], -1), words.known)
        changed["sensed"] = (last >= 0) & rows["sensed"][last]
    if sense == "touch" and profile.touch is not None:
        apart = np.where(there, between(run, agent, target), np.nan)
        distance = np.where(np.isnan(every["distance"]), apart, every["distance"])
        limit = profile.touch.radius * awake_of_ticks(run, agent, sense, np.arange(count))
        changed |= {
            "distance": distance,
            "distance_limit": limit,
            "distance_margin": limit - distance,
        }
    return every.changed(**changed)


def _zones_of(run: Record, target: str, zones: Sequence[str], there: NDArray[np.bool_]) -> Words:
    """(ticks,) the zone that somebody is in, the first of the level if several; empty for none."""
    known = tuple(zone.name for zone, _ in run.level.data.zones if zone.name in zones)
    (at,), codes = _columns(run, target), np.full(len(there), -1)
    for n in reversed(range(len(known))):
        codes[there & run.level.within(known[n], at["x"], at["y"], at["z"])] = n
    return Words(codes, known)


def _every_tick(run: Record, rows: Rows, at: Ticks, agent: str, target: str) -> Rows:
    """Rows of a pair at these ticks, with empty rows where there are none."""
    count = len(run.times)
    found: dict[str, Values | Words] = {}
    for name in rows:
        column = rows.column(name)
        if isinstance(column, Words):
            codes = np.full(count, -1, dtype=np.intp)
            codes[at] = column.codes
            found[name] = Words(codes, column.known)
        else:
            values = np.full(count, False if column.dtype == np.bool_ else np.nan)
            values[at] = column
            found[name] = values
    whose = {"agent": Words.alike(agent, count), "target": Words.alike(target, count)}
    return Rows({**found, **whose, "t": run.times})


def both_there(run: Record, agent: str, target: str) -> NDArray[np.bool_]:
    """(ticks,) whether both are present."""
    present = run.rows("poses")["present"].reshape(-1, len(run.names))
    both: NDArray[np.bool_] = (
        present[:, run.names.index(agent)] & present[:, run.names.index(target)]
    )
    return both


def distances(run: Record, agent: str, target: str) -> Numbers:
    """(ticks,) from the agent's eye to the middle of the target's body, m."""
    bodies, (mine, other) = bodies_of([run.setup]), _columns(run, agent, target)
    eye = mine["z"] + bodies.eyes[0, run.names.index(agent), mine["posture"]]
    middle = other["z"] + 0.5 * bodies.height[0, run.names.index(target), other["posture"]]
    found: Numbers = np.sqrt(
        (other["x"] - mine["x"]) ** 2 + (other["y"] - mine["y"]) ** 2 + (middle - eye) ** 2
    )
    return found


def between(run: Record, agent: str, target: str) -> Numbers:
    """(ticks,) between two bodies as touch takes it: in plan, and over the gap in height, m."""
    height, (mine, other) = bodies_of([run.setup]).height[0], _columns(run, agent, target)
    tops = [
        each["z"] + height[run.names.index(name), each["posture"]]
        for name, each in ((agent, mine), (target, other))
    ]
    gap = gap_between(mine["z"], tops[0], other["z"], tops[1])
    plan = np.hypot(other["x"] - mine["x"], other["y"] - mine["y"])
    found: Numbers = np.hypot(plan, gap)
    return found


def _columns(run: Record, *names: str) -> list[dict[str, Any]]:
    """The poses of some characters: (ticks,) x, y, z and the index of the posture."""
    poses, count = run.rows("poses"), len(run.names)
    posture = poses.words("posture").codes_in(POSTURES).clip(0)
    found = []
    for name in names:
        n = run.names.index(name)
        columns = {axis: poses[axis].reshape(-1, count)[:, n] for axis in "xyz"}
        found.append({**columns, "posture": posture.reshape(-1, count)[:, n]})
    return found
