"""A run in a few lines: who sensed whom, and the final state of everybody."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from snelk.runs.record import Record


def pairs_of(run: Record) -> list[dict[str, Any]]:
    """Per agent and target it notices: seen, heard, nearest, highest meter; as the measures say."""
    measures = run.measures
    pairs = measures[(measures.agent != "") & (measures.target != "") & measures.target.notna()]
    wide = pairs.pivot(index=["agent", "target"], columns="measure", values="value")
    near = _nearest(run)
    order = {name: n for n, name in enumerate(run.names)}
    rows = []
    for agent, target in sorted(wide.index, key=lambda pair: (order[pair[0]], order[pair[1]])):
        each, profile = wide.loc[(agent, target)], run.setup.profile_of(agent)
        team = run.setup.cast[target].team
        senses = [place for place, teams in profile.teams().items() if team in teams]
        # Whom it can only hear, and never did, is left out.
        if each.noises_heard == 0 and senses == [("hearing",)]:
            continue
        first = None if math.isnan(each.first_seen) else float(each.first_seen)
        rows.append(
            {
                "agent": agent,
                "target": target,
                "first_seen": first,
                "in_view": float(each.time_in_view),
                "times": int(each.regains) + (first is not None),
                "heard": int(each.noises_heard),
                "highest_meter": None if math.isnan(each.highest_meter) else each.highest_meter,
                "nearest": near.get((agent, target)),
                "sensed": not math.isnan(each.first_sensed),
            }
        )
    return rows


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
    walked = run.measures[run.measures.measure == "distance_walked"].set_index("agent").value
    rows = []
    for name, states in run.states.groupby("agent", sort=False):
        top = states.iloc[int(states["rank"].to_numpy().argmax())]
        rows.append(
            {
                "agent": str(name),
                "transitions": len(states) - 1,
                "highest": str(top.state),
                "highest_at": float(top.t),
                "last": str(states.state.iloc[-1]),
                "walked": float(walked[name]),
            }
        )
    return rows
