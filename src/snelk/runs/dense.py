"""Tables of pairs, tick by tick, also where nothing was written because nothing was to be said.

A table has no rows of an agent and a target that its senses never notice, and none that would only
repeat from afar what the row before said (docs/tables.md). What they would have held is put
together again here, and nowhere else.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import POSTURES
from snelk.engine.turns import Turns
from snelk.mind.memory import SOURCES, doubt
from snelk.runs.standing import awake_of_ticks
from snelk.senses.bodies import bodies_of, gap_between
from snelk.senses.sight import GATES, IN_VIEW, RESULTS

if TYPE_CHECKING:
    import pandas as pd

    from snelk.runs.run import Run

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


def look_ticks(run: Run, agent: str) -> Ticks:
    """The ticks at which an agent looks."""
    every = [[run.setup.profile_of(name).look_every for name in run.agents]]
    turns, a = Turns(every, run.setup.clock.dt), run.agents.index(agent)
    ticks = np.arange(len(run.times))
    mine = (ticks - a) % turns.ticks[0, a] == 0
    mine[:1] = True
    return np.flatnonzero(mine)


def looks_at(run: Run, agent: str, target: str) -> Looks:
    """Every look of an agent with cones at a target."""
    ticks, cones = look_ticks(run, agent), len(run.setup.profile_of(agent).cones)
    rows = run.pairs("sight", agent, target)
    there = both_there(run, agent, target)[ticks]
    failed = np.where(there, GATES.index("cares"), GATES.index("present")).astype(np.int8)
    failed = np.repeat(failed[:, None], cones, axis=1)
    walls = np.full(len(ticks), "", dtype=object)
    distance = np.where(there, distances(run, agent, target)[ticks], np.nan)
    if len(rows):
        at = np.searchsorted(ticks, run.ticks_of(rows.t.to_numpy()[::cones]))
        codes = rows.result.cat.set_categories(list(RESULTS)).cat.codes.to_numpy() - 1
        written = np.full(len(ticks), -1, dtype=np.intp)
        written[at] = np.arange(len(at))
        written = np.maximum.accumulate(written)
        failed = codes.reshape(-1, cones)[written].astype(np.int8)
        named = rows.wall.astype(object).where(rows.wall.notna(), "").to_numpy()
        walls = named.reshape(-1, cones)[written, 0]
        distance[at] = rows.distance.to_numpy().reshape(-1, cones)[:, 0]
    return Looks(ticks, failed, distance, walls)


def in_view(looks: Looks) -> NDArray[np.bool_]:
    """(looks,) whether any cone had the target in view."""
    found: NDArray[np.bool_] = (looks.failed == IN_VIEW).any(axis=1)
    return found


def meters_of(run: Run, agent: str, target: str) -> pd.DataFrame:
    """A row per tick of a meter; none if the agent has no meter for that target."""
    profile, team = run.setup.profile_of(agent), run.setup.cast[target].team
    if profile.meter is None or not profile.ever_notices(team) or agent == target:
        return run.meters.iloc[:0]
    rows = _every_tick(run, run.pairs("meters", agent, target), agent, target)
    rows[["value", "rate", "noise"]] = rows[["value", "rate", "noise"]].fillna(0.0)
    rows["state"] = rows.state.astype(object).where(rows.state.notna(), "empty")
    return rows


def beliefs_of(run: Run, agent: str, target: str) -> pd.DataFrame:
    """A row per tick of a belief; none if the agent has no memory for that target."""
    profile, team = run.setup.profile_of(agent), run.setup.cast[target].team
    memory = profile.memory
    if memory is None or not profile.ever_notices(team) or agent == target:
        return run.beliefs.iloc[:0]
    rows = run.pairs("beliefs", agent, target)
    every = _every_tick(run, rows, agent, target)
    if len(rows) == 0:
        return every
    ticks = run.ticks_of(rows.t.to_numpy())
    last = np.searchsorted(ticks, np.arange(len(every)), side="right") - 1
    stands = (last >= 0) & every.source.isna().to_numpy()
    stood = rows.iloc[last.clip(0)].reset_index(drop=True)
    stands &= stood.source.notna().to_numpy()
    grown = _grown(run, stood, every.t.to_numpy())
    every["source"] = every.source.astype(object).where(~stands, stood.source.astype(object))
    for name in ("x", "y", "age", "uncertainty", "error"):
        every[name] = np.where(stands, grown[name], every[name].to_numpy())
    return every


def beliefs_at(run: Run, tick: int) -> pd.DataFrame:
    """The beliefs of all pairs at a tick, of those that believe something."""
    rows = run.beliefs
    rows = rows[rows.t <= run.times[tick] + 1e-9]
    rows = rows.drop_duplicates(["agent", "target"], keep="last")
    rows = rows[rows.source.notna()].sort_values(["agent", "target"])
    return _grown(run, rows, np.full(len(rows), run.times[tick]))


def _grown(run: Run, rows: pd.DataFrame, times: Numbers) -> pd.DataFrame:
    """Beliefs that have stood still since their rows, as they are at times, older and less sure."""
    grown = rows.copy()
    since = times - rows.t.to_numpy()
    grown["t"], grown["age"] = times, rows.age + since
    code = rows.source.cat.set_categories(list(SOURCES)).cat.codes.to_numpy()
    for agent in rows.agent.unique():
        memory = run.setup.profile_of(str(agent)).memory
        if memory is not None:
            mine = (rows.agent == agent).to_numpy()
            now, then = (
                doubt(code[mine], each.age[mine].to_numpy(), 0.0, memory.grace, memory.spread)
                for each in (grown, rows)
            )
            grown.loc[mine, "uncertainty"] += now - then
    for target in rows.target.unique():
        those = (rows.target == target).to_numpy()
        place, ticks = _columns(run, str(target))[0], run.ticks_of(times[those])
        off = [grown[axis].to_numpy()[those] - place[axis][ticks] for axis in "xy"]
        grown.loc[those, "error"] = np.hypot(*off)
    return grown


def contacts_of(run: Run, agent: str, target: str, sense: str) -> pd.DataFrame:
    """A row per tick of `touch` or the `zone` sense; none if the agent has no such sense."""
    rows = run.pairs("contacts", agent, target)
    rows = rows[rows.sense == sense]
    profile = run.setup.profile_of(agent)
    if agent == target or (profile.touch if sense == "touch" else profile.zone_sense) is None:
        return rows
    every = _every_tick(run, rows, agent, target)
    if len(rows) == 0:  # it never notices that team
        there = both_there(run, agent, target)
        every["result"] = np.where(there, "cares", "present")
    for name in ("sensed", "result", "wall", "zone"):
        written = rows[name].astype(object).set_axis(run.ticks_of(rows.t.to_numpy()))
        if len(rows):
            every[name] = written.reindex(range(len(run.times)), method="ffill").to_numpy()
    every["sensed"] = every.sensed.astype(object).fillna(False).astype(bool)
    if sense == "touch" and profile.touch is not None:
        known = every.distance.notna().to_numpy()
        apart = np.where(both_there(run, agent, target), between(run, agent, target), np.nan)
        every["distance"] = np.where(known, every.distance.to_numpy(), apart)
        awake = awake_of_ticks(run, agent, sense, np.arange(len(run.times)))
        every["distance_limit"] = profile.touch.radius * awake
        every["distance_margin"] = every.distance_limit - every.distance
    every["sense"] = sense
    return every


def _every_tick(run: Run, rows: pd.DataFrame, agent: str, target: str) -> pd.DataFrame:
    """Rows of a pair, with ones for the other ticks that tell no more than whose they are."""
    found = rows.set_axis(run.ticks_of(rows.t.to_numpy())).reindex(range(len(run.times)))
    found["t"], found["agent"], found["target"] = run.times, agent, target
    return found


def both_there(run: Run, agent: str, target: str) -> NDArray[np.bool_]:
    """(ticks,) whether both are present."""
    present = run.poses.present.to_numpy().reshape(-1, len(run.names))
    both: NDArray[np.bool_] = (
        present[:, run.names.index(agent)] & present[:, run.names.index(target)]
    )
    return both


def distances(run: Run, agent: str, target: str) -> Numbers:
    """(ticks,) from the agent's eye to the middle of the target's body, m."""
    bodies, (mine, other) = bodies_of([run.setup]), _columns(run, agent, target)
    eye = mine["z"] + bodies.eyes[0, run.names.index(agent), mine["posture"]]
    middle = other["z"] + 0.5 * bodies.height[0, run.names.index(target), other["posture"]]
    found: Numbers = np.sqrt(
        (other["x"] - mine["x"]) ** 2 + (other["y"] - mine["y"]) ** 2 + (middle - eye) ** 2
    )
    return found


def between(run: Run, agent: str, target: str) -> Numbers:
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


def _columns(run: Run, *names: str) -> list[dict[str, Any]]:
    """The poses of some characters: (ticks,) x, y, z and the number of the posture."""
    poses, count = run.poses, len(run.names)
    posture = poses.posture.cat.set_categories(list(POSTURES)).cat.codes.to_numpy().clip(0)
    found = []
    for name in names:
        n = run.names.index(name)
        columns = {axis: poses[axis].to_numpy().reshape(-1, count)[:, n] for axis in "xyz"}
        found.append({**columns, "posture": posture.reshape(-1, count)[:, n]})
    return found
