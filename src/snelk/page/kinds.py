"""A scenario's numbers and doors, as plain data for a page."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

import numpy as np

from snelk.config.models import Cone, Setup
from snelk.level.level import Level
from snelk.runs.standing import arrives_within
from snelk.senses.doors import opened_at_first
from snelk.senses.gates import SIGHT

SLACK = 1e-9
"""Times this close are the same, s."""

LIMITS = [key for limit in SIGHT.limits.values() for key in limit.keys]


def kinds_of(setup: Setup) -> dict[str, Any]:
    """Profiles of the agents, bodies and lamps."""
    return {
        "profiles": {agent: _profile(setup, agent) for agent in setup.agents},
        "bodies": [
            {
                "heights": list(body.heights()),
                "eyes": body.eyes,
                "points": [share for share, _ in body.points],
            }
            for body in map(setup.body_of, setup.cast)
        ],
        "lamps": {
            name: {"reach": member.lamp.reach, "light": member.lamp.light}
            for name, member in setup.cast.items()
            if member.lamp is not None
        },
    }


def _profile(setup: Setup, agent: str) -> dict[str, Any]:
    profile = setup.profile_of(agent)
    ladder, teams = profile.ladder, profile.teams()

    def cones_of(cones: dict[str, Cone]) -> list[dict[str, Any]]:
        return [
            {
                "name": name,
                **{limit: getattr(cone, limit) for limit in LIMITS},
                "cares": sorted(teams["cones", name]),
            }
            for name, cone in cones.items()
        ]

    touches = setup.cast[agent].awake_of("touch")
    touches *= profile.touch.radius if profile.touch else 0.0
    in_states = {
        name: cones_of(profile.cones_in(state)) if state.cones else None
        for name, state in (ladder.states.items() if ladder else ())
    }
    return {
        "name": setup.cast[agent].profile,
        "cones": cones_of(profile.cones),
        "hears": profile.hearing is not None,
        "touches": touches,
        "weakest": profile.smell.weakest if profile.smell else 1.0,
        "watches": list(profile.zone_sense.zones) if profile.zone_sense else [],
        "notices": sorted({m.team for m in setup.cast.values()} & profile.noticed()),
        "meter": {"at_once": profile.meter.at_once} if profile.meter else None,
        "memory": profile.memory is not None,
        "states": [
            {
                "name": name,
                "rank": ladder.rank_of(name),
                "cones": in_states[name],
                "touches": touches * state.awake_of("touch"),
                "catch": state.catch.reach if state.catch else 0,
                "arrive": arrives_within(setup, agent, state),
                "least": state.least,
                "interruptible": state.interruptible,
            }
            for name, state in ladder.states.items()
        ]
        if ladder
        else [],
    }


def doors_of(
    level: Level, setup: Setup, turns: Iterable[tuple[str, str, float]], after: float = -math.inf
) -> list[dict[str, Any]]:
    """Each door: what of it blocks, its outline in plan, and when it stands open, s.

    Args:
        level: The level.
        setup: Which doors stand open at first.
        turns: What became of doors and lights, of which, and when, s.
        after: When it stood open before that is left out.
    """
    turned, found = list(turns), []
    for wall in np.flatnonzero(level.is_door).tolist():
        name, own = level.wall_names[wall], level.piece_walls == wall
        opens, spans = bool(opened_at_first([setup], level)[0, wall]), []
        since = -1e9
        for to, _, t in (each for each in turned if each[1] == name):
            if to == "shut" and opens:
                spans.append([since, t])
            opens, since = to == "open", t
        spans += [[since, 1e9]] if opens else []
        blocks = level.see_through[wall] == 0.0
        ends = level.triangles[level.triangle_walls == wall]
        found.append({
            "name": name,
            "lines": [[round(float(v), 3) for v in piece[:4]] for piece in level.pieces[own]],
            "pieces": level.pieces[own].round(3).tolist() if blocks else [],
            "triangles": ends.reshape(-1, 9).round(3).tolist() if blocks else [],
            "open": [span for span in spans if span[1] >= after - 2 * SLACK],
        })  # fmt: skip
    return found
