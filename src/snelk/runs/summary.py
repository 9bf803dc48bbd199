"""A run in a few lines: who sensed whom, and the final state of everybody."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from snelk.runs.record import Record


def pairs_of(run: Record) -> list[dict[str, Any]]:
    """Per agent and target it notices: seen, heard, nearest, highest meter; as the measures say."""
    measured: dict[tuple[str, str], dict[str, float]] = {}
    measures = run.rows("measures")
    of_pairs = measures.take((measures["agent"] != "") & (measures["target"] != ""))
    columns = (of_pairs[name].tolist() for name in ("agent", "target", "measure", "value"))
    for agent, target, measure, value in zip(*columns, strict=True):
        measured.setdefault((agent, target), {})[measure] = value
    near = _nearest(run)
    order = {name: n for n, name in enumerate(run.names)}
    rows = []
    for agent, target in sorted(measured, key=lambda pair: (order[pair[0]], order[pair[1]])):
        each, profile = measured[agent, target], run.setup.profile_of(agent)
        team = run.setup.cast[target].team
        senses = [place for place, teams in profile.teams().items() if team in teams]
        # Whom it can only hear, and never did, is left out.
        if each["noises_heard"] == 0 and senses == [("hearing",)]:
            continue
        first, highest = _or_none(each["first_seen"]), _or_none(each["highest_meter"])
        rows.append(
            {
                "agent": agent,
                "target": target,
                "first_seen": first,
                "in_view": each["time_in_view"],
                "times": int(each["regains"]) + (first is not None),
                "heard": int(each["noises_heard"]),
                "highest_meter": highest,
                "nearest": near.get((agent, target)),
                "sensed": not math.isnan(each["first_sensed"]),
            }
        )
    return rows


def _or_none(value: float) -> float | None:
    return None if math.isnan(value) else value


def _nearest(run: Record) -> dict[tuple[str, str], float]:
    """How near each target was that an agent had in view, m."""
    least = np.full((len(run.names), len(run.names)), np.inf)
    for sight in run.parts("sight"):
        seen = np.flatnonzero(sight["in_view"])
        a, j = (sight.words(who).codes_in(run.names)[seen] for who in ("agent", "target"))
        np.minimum.at(least, (a, j), sight["distance"][seen])
    return {
        (run.names[a], run.names[j]): float(least[a, j]) for a, j in np.argwhere(least < np.inf)
    }


def minds_of(run: Record) -> list[dict[str, Any]]:
    """Per agent with a ladder: transitions, most alert state and since when, last state, metres."""
    measures = run.rows("measures").where(measure="distance_walked").each()
    walked = {row.agent: row.value for row in measures}
    rows = []
    states = run.rows("states")
    for name in dict.fromkeys(states["agent"].tolist()):
        own = states.where(agent=name)
        top = own.row(int(own["rank"].argmax()))
        rows.append(
            {
                "agent": name,
                "transitions": len(own) - 1,
                "highest": top.state,
                "highest_at": top.t,
                "last": own.row(-1).state,
                "walked": walked[name],
            }
        )
    return rows
