"""What an agent has at each tick of a run, to find where two runs differ."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from snelk.runs.dense import beliefs_of
from snelk.runs.ladders import explain_ladder
from snelk.runs.run import Run
from snelk.senses.gates import CONTACTS

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]

CONTACT = "touch, zone or smell"
ASPECTS = ("sight", CONTACT, "hearing", "meter", "belief", "alert state", "pose")
"""In what an agent's runs can part; of several at one tick the first causes the others."""

SAME = 1e-6
"""Numbers this close are the same."""


def _sensed(table: str, column: str) -> Callable[[Run, str], pd.DataFrame]:
    def look(run: Run, agent: str) -> pd.DataFrame:
        rows = run.table(table)
        rows = rows[rows.agent == agent]
        found: pd.DataFrame = rows.groupby(["t", "target"], observed=True)[column].any().unstack()
        return _at_every_tick(run, found.astype(np.float64).ffill(), 0.0)

    return look


def _heard(run: Run, agent: str) -> pd.DataFrame:
    rows = run.hearing
    rows = rows[(rows.agent == agent) & rows.heard]
    counts: pd.DataFrame = rows.groupby(["t", "target"], observed=True).size().unstack()
    ticks = np.round(counts.index.to_numpy(dtype=np.float64), 9)
    return counts.set_axis(ticks).reindex(run.times)  # NaN where nothing was heard


def _meters(run: Run, agent: str) -> pd.DataFrame:
    rows = run.meters
    found: pd.DataFrame = rows[rows.agent == agent].pivot(
        index="t", columns="target", values="value"
    )
    return _at_every_tick(run, found, 0.0, last=False)


def _beliefs(run: Run, agent: str) -> pd.DataFrame:
    rows = run.beliefs
    rows = rows[rows.agent == agent]
    if not len(rows):
        return _at_every_tick(run, rows.pivot(index="t", columns="target", values="x"), np.nan)
    found = {}
    for target in rows.target.unique():
        each = beliefs_of(run, agent, target)
        found[target] = each["x"] + 1j * each["y"]
    import pandas as pd

    return _at_every_tick(run, pd.DataFrame(found, index=run.times), np.nan, last=False)


def _at_every_tick(
    run: Run, found: pd.DataFrame, otherwise: float, *, last: bool = True
) -> pd.DataFrame:
    """A row per tick and a column per character.

    Where there is no row the last one stands, or `otherwise`.
    """
    ticks = run.ticks_of(found.index.to_numpy(dtype=np.float64))
    found = found.set_axis(ticks).reindex(range(len(run.times)), method="ffill" if last else None)
    found = found.reindex(columns=list(run.names)).set_axis(run.times)
    return found if np.isnan(otherwise) else found.fillna(otherwise)


def states_of(run: Run, agent: str) -> pd.DataFrame:
    """The state entered by each tick, as its name."""
    rows = run.states
    rows = rows[rows.agent == agent][["t", "state"]].rename(columns={"state": ""})
    found: pd.DataFrame = rows.drop_duplicates("t", keep="last").set_index("t")
    return found.reindex(run.times).ffill()


def poses_of(run: Run, agent: str) -> pd.DataFrame:
    """Where a character is, and how, as one number."""
    rows = run.poses
    rows = rows[rows.id == agent]
    place = rows.x + 1j * rows.y + 1e3 * np.exp(1j * np.radians(rows.heading_deg))
    posture = rows.posture.astype(str).map({"standing": 0.0, "crouched": 1e6, "prone": 2e6})
    found: pd.DataFrame = (place + posture).set_axis(rows.t).to_frame("")
    return found


views_of = _sensed("sight", "in_view")

LOOKS = (views_of, _sensed("contacts", "sensed"), _heard, _meters, _beliefs, states_of, poses_of)
"""What an agent has at each tick, in the order of `ASPECTS`."""


def unlike(a: pd.DataFrame, b: pd.DataFrame, times: Numbers) -> NDArray[np.bool_]:
    """(times, columns) where two tables differ; sparse samples stay valid."""
    columns = sorted({*a.columns, *b.columns})
    if not columns:
        return np.zeros((len(times), 1), dtype=np.bool_)
    sides = []
    for table in (a, b):
        table = table.set_axis(np.round(table.index.to_numpy(dtype=np.float64), 9))
        table = table.reindex(columns=columns)
        sides.append(table.reindex(times, method="ffill").to_numpy())
    if sides[0].dtype == object or sides[1].dtype == object:
        words = [np.where(side != side, "", side).astype(str) for side in sides]
        other: NDArray[np.bool_] = words[0] != words[1]
        return other
    gone = [np.isnan(side) for side in sides]
    far = np.abs(np.nan_to_num(sides[0]) - np.nan_to_num(sides[1])) > SAME
    unlike: NDArray[np.bool_] = far | (gone[0] != gone[1])
    return unlike


def first_unlike(a: pd.DataFrame, b: pd.DataFrame, times: Numbers) -> tuple[float, str] | None:
    """The first time at which two tables are not the same, and in which column."""
    other = unlike(a, b, times)
    if not other.any():
        return None
    tick = int(np.argmax(other.any(axis=1)))
    column = sorted({*a.columns, *b.columns})[int(np.argmax(other[tick]))]
    return float(times[tick]), str(column)


def reason_at(run: Run, agent: str, kind: str, target: str, t: float) -> str:
    """How it was in one run at a time, and why."""
    if kind == "alert state":
        return _state_reason(run, agent, t)
    if kind == "pose":
        row = run.poses[(run.poses.id == agent)].iloc[run.tick_at(t)]
        where = f"at ({row.x:.2f}, {row.y:.2f}), facing {row.heading_deg:.1f}°, {row.posture}"
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
        return answer.belief.text
    contacts = tuple(sense.name for sense in CONTACTS)
    wanted = {"hearing": ("hearing",), CONTACT: contacts}.get(kind, ())
    lines = [sense.headline for sense in answer.senses if sense.sense in wanted]
    return "; ".join(lines) or answer.headline


def _state_reason(run: Run, agent: str, t: float) -> str:
    rows = run.states
    rows = rows[(rows.agent == agent) & ((rows.t - t).abs() < SAME) & rows.transition.notna()]
    if len(rows):
        row = rows.iloc[0]
        return f"{row.before} → {row.state} ({row.transition}): {row.reason}"
    if run.setup.profile_of(agent).ladder is None:
        return "it has no alert ladder"
    answer = explain_ladder(run, agent, at=t)
    lacked = [f"{c.name} lacked {'; '.join(c.missing)}" for c in answer.transitions]
    return f"stays {answer.state}: {' | '.join(lacked)}" if lacked else f"stays {answer.state}"
