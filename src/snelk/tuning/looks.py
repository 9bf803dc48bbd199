"""What an agent has at each tick of a run, to find where two runs differ."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import POSTURES
from snelk.errors import either
from snelk.runs.dense import beliefs_of
from snelk.runs.ladders import explain_ladder
from snelk.runs.rows import Rows
from snelk.runs.run import Run
from snelk.senses.gates import CONTACTS

Numbers = NDArray[np.float64]

CONTACT = either([sense.name for sense in CONTACTS])
ASPECTS = ("sight", CONTACT, "hearing", "meter", "belief", "alert state", "pose")
"""In what an agent's runs can part; of several at one tick the first causes the others."""

SAME = 1e-6
"""Numbers this close are the same."""


class Samples(NamedTuple):
    """What an agent has at each tick of a run.

    Attributes:
        times: (ticks,) s.
        names: Characters, or one empty name.
        values: (ticks, names) numbers, NaN for none; or words.
    """

    times: Numbers
    names: tuple[str, ...]
    values: NDArray[Any]


def _sensed(table: str, column: str) -> Callable[[Run, str], Samples]:
    def look(run: Run, agent: str) -> Samples:
        rows = run.rows(table).where(agent=agent)
        found = np.full((len(run.times), len(run.names)), -1.0)
        np.maximum.at(found, _where(run, rows), rows[column].astype(np.float64))
        ticks = np.arange(len(found))[:, None]
        last = np.maximum.accumulate(np.where(found >= 0.0, ticks, 0), axis=0)
        found = np.take_along_axis(found, last, axis=0)
        return Samples(run.times, run.names, np.maximum(found, 0.0))

    return look


def _heard(run: Run, agent: str) -> Samples:
    rows = run.rows("hearing").where(agent=agent)
    rows = rows.take(rows["heard"])
    rows = rows.take(rows.words("target").codes >= 0)
    found = np.zeros((len(run.times), len(run.names)))
    np.add.at(found, _where(run, rows), 1.0)
    return Samples(run.times, run.names, found)


def _meters(run: Run, agent: str) -> Samples:
    rows = run.rows("meters").where(agent=agent)
    found = np.zeros((len(run.times), len(run.names)))
    found[_where(run, rows)] = rows["value"]
    return Samples(run.times, run.names, found)


def _beliefs(run: Run, agent: str) -> Samples:
    targets = run.rows("beliefs").where(agent=agent).words("target")
    found = np.full((len(run.times), len(run.names)), np.nan, dtype=np.complex128)
    for n in set(targets.codes_in(run.names).tolist()):
        each = beliefs_of(run, agent, run.names[n])
        found[:, n] = _place(each)
    return Samples(run.times, run.names, found)


def _place(rows: Rows) -> NDArray[np.complex128]:
    """Where it is, in space, as one number."""
    found: NDArray[np.complex128] = rows["x"] + 1j * rows["y"] + 1e4 * rows["z"]
    return found


def _where(run: Run, rows: Rows) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The ticks of rows, and the characters that they are about."""
    return run.ticks_of(rows["t"]), rows.words("target").codes_in(run.names)


def states_of(run: Run, agent: str) -> Samples:
    """The state entered by each tick, as its name."""
    rows = run.rows("states").where(agent=agent)
    entered = np.zeros(len(run.times), dtype=np.intp)
    entered[run.ticks_of(rows["t"])] = np.arange(len(rows)) + 1  # of several at once the last
    names = np.append("", rows["state"])[np.maximum.accumulate(entered)]
    return Samples(run.times, ("",), names[:, None])


def poses_of(run: Run, agent: str) -> Samples:
    """Where a character is, and how, as one number."""
    rows = run.rows("poses").where(id=agent)
    heading = 1e3 * np.exp(1j * np.radians(rows["heading_deg"]))
    posture = 1e6 * rows.words("posture").codes_in(POSTURES)
    return Samples(rows["t"], ("",), (_place(rows) + heading + posture)[:, None])


views_of = _sensed("sight", "in_view")

LOOKS = (views_of, _sensed("contacts", "sensed"), _heard, _meters, _beliefs, states_of, poses_of)
"""What an agent has at each tick, in the order of `ASPECTS`."""


def unlike(a: Samples, b: Samples, times: Numbers) -> NDArray[np.bool_]:
    """(times, names of both in order) where two differ; sparse samples stay valid."""
    names = _names_of(a, b)
    ours, theirs = (_at(each, times, names) for each in (a, b))
    if ours.dtype == object:
        other: NDArray[np.bool_] = ours != theirs
        return other
    far = np.abs(np.nan_to_num(ours) - np.nan_to_num(theirs)) > SAME
    unlike: NDArray[np.bool_] = far | (np.isnan(ours) != np.isnan(theirs))
    return unlike


def _names_of(a: Samples, b: Samples) -> list[str]:
    return sorted({*a.names, *b.names})


def _at(each: Samples, times: Numbers, names: list[str]) -> NDArray[Any]:
    """(times, names) the last samples before each time, or at it."""
    none = "" if each.values.dtype == object else np.nan
    found = np.full((len(times), len(names)), none, dtype=each.values.dtype)
    last = np.searchsorted(np.round(each.times, 9), times, side="right") - 1
    there = last >= 0
    for n, name in enumerate(each.names):
        found[there, names.index(name)] = each.values[last[there], n]
    return found


def first_unlike(a: Samples, b: Samples, times: Numbers) -> tuple[float, str] | None:
    """The first time at which two are not the same, and in which column."""
    other = unlike(a, b, times)
    if not other.any():
        return None
    tick = int(np.argmax(other.any(axis=1)))
    return float(times[tick]), _names_of(a, b)[int(np.argmax(other[tick]))]


def reason_at(run: Run, agent: str, kind: str, target: str, t: float) -> str:
    """How it was in one run at a time, and why."""
    if kind == "alert state":
        return _state_reason(run, agent, t)
    if kind == "pose":
        row = run.rows("poses").row(run.tick_at(t) * len(run.names) + run.names.index(agent))
        up = f", {row.z:.2f} m up" if row.z else ""
        where = f"at ({row.x:.2f}, {row.y:.2f}){up}, facing {row.heading_deg:.1f}°, {row.posture}"
        state = run.state_at(agent, t)
        return f"{where}; {state}" if state else where
    answer = run.why(agent, target, at=t)
    if kind == "meter" and answer.meter is not None:
        factors = ", ".join(
            f"{name} ×{f:.2f}" for name, f in answer.meter.factors.items() if f != 1
        )
        meter = run.setup.profile_of(agent).meter
        full = f"fill_time {meter.fill_time:g} s" if meter is not None else ""
        return f"{answer.meter.text} ({', '.join(part for part in (full, factors) if part)})"
    if kind == "belief" and answer.belief is not None:
        z = beliefs_of(run, agent, target).row(run.tick_at(t)).z
        up = f", {z:.2f} m up" if answer.belief.place and z else ""
        return answer.belief.text.replace(")", f"){up}", 1)
    contacts = tuple(sense.name for sense in CONTACTS)
    wanted = {"hearing": ("hearing",), CONTACT: contacts}.get(kind, ())
    lines = [sense.headline for sense in answer.senses if sense.sense in wanted]
    return "; ".join(lines) or answer.headline


def _state_reason(run: Run, agent: str, t: float) -> str:
    for row in run.rows("states").where(agent=agent).each():
        if not row.transition or abs(row.t - t) >= SAME:
            continue
        return f"{row.before} → {row.state} ({row.transition}): {row.reason}"
    if run.setup.profile_of(agent).ladder is None:
        return "it has no alert ladder"
    answer = explain_ladder(run, agent, at=t)
    lacked = [f"{c.name} lacked {'; '.join(c.missing)}" for c in answer.transitions]
    return f"stays {answer.state}: {' | '.join(lacked)}" if lacked else f"stays {answer.state}"
