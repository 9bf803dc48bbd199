"""Trails on the map: their places by strength, how far noses smell, and the wind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.lines import Line2D
from matplotlib.patches import FancyArrowPatch
from numpy.typing import NDArray

from snelk.plots.appearance import INK, shares_of
from snelk.runs.dense import contacts_of
from snelk.runs.scent import trail_at
from snelk.runs.standing import awake_at

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.collections import PathCollection

    from snelk.runs.run import Run

SCENT = "#7a4b1e"
TRAIL_LABEL = "trail, smaller as it fades"
NOSE_LABEL = "a fresh trail is smelt within this"
SMELT_LABEL = "the place of it that is smelt"


@dataclass(frozen=True)
class ScentArtists:
    """What was drawn of trails.

    Attributes:
        trails: Per character whose trail anybody minds: its places, the oldest first.
        noses: Per agent: within this it smells a fresh trail, in the wind there is.
        smelt: Per (agent, target): from the nose to the place that it smells.
        wind: The arrow of the wind, where any blows.
    """

    trails: dict[str, PathCollection] = field(default_factory=dict)
    noses: dict[str, Line2D] = field(default_factory=dict)
    smelt: dict[tuple[str, str], Line2D] = field(default_factory=dict)
    wind: list[FancyArrowPatch] = field(default_factory=list)


def draw_trails(
    artists: ScentArtists, ax: Axes, run: Run, agents: Sequence[str], tick: int,
    poses: dict[str, Any], colours: dict[str, str], *, floor: str | None = None,
) -> None:  # fmt: skip
    """Draw all that noses of these agents mind, at a tick; on other floors than one faint."""
    setup = run.setup

    def shares(x: Any, y: Any, z: Any) -> NDArray[np.float64]:
        return shares_of(run, run.level.floors_at(np.column_stack([x, y, z])), floor)

    weakest: dict[str, float] = {}
    for agent in agents:
        smell = setup.profile_of(agent).smell
        if smell is None or agent not in poses:
            continue
        teams = setup.profile_of(agent).teams()[("smell",)]
        reach, pose = smell.reach * awake_at(run, agent, "smell", tick), poses[agent]
        own = shares(pose.x, pose.y, pose.z)[0]
        if reach > 0.0:
            nose = _draw_nose(ax, run, pose, reach, colours[agent])
            nose.set_alpha(own)
            artists.noses[agent] = nose
        for target in (n for n, each in setup.cast.items() if each.team in teams and n != agent):
            weakest[target] = min(weakest.get(target, 1.0), smell.weakest)
            rows = contacts_of(run, agent, target, "smell")
            if len(rows) and rows.row(tick).sensed:
                row = rows.row(tick)
                (line,) = ax.plot(
                    [pose.x, row.x], [pose.y, row.y], color=SCENT, lw=1.4,
                    ls=(0, (1, 1.2)), marker="D", ms=6, mfc="white", mec=SCENT, mew=1.4,
                    markevery=[1], alpha=max(own, *shares(row.x, row.y, row.z)), zorder=6,
                )  # fmt: skip
                artists.smelt[agent, target] = line
    for target, least in weakest.items():
        found = trail_at(run, target, tick)
        if found is None or found[0].size[0, 0] == 0:
            continue
        places = found[0].of(0, 0)
        strong = places["strength"] >= least
        if not strong.any():
            continue
        size = 4.0 + 26.0 * np.clip(places["strength"][strong], 0.0, 1.0)
        x, y, z = (places[axis][strong] for axis in "xyz")
        dots = ax.scatter(x, y, s=size, color=SCENT, lw=0.0, zorder=3.6)
        dots.set_alpha((0.55 * shares(x, y, z)).tolist())
        artists.trails[target] = dots
    if artists.noses and setup.air.wind > 0.0:
        artists.wind.append(_draw_wind(ax, setup.air.wind, setup.air.blows_to))


def _draw_nose(ax: Axes, run: Run, pose: Any, reach: float, colour: str) -> Line2D:
    """Where a fresh trail would be smelt: farther against the wind, which carries it here."""
    air = run.setup.air
    turn = np.linspace(0.0, 2.0 * np.pi, 181)
    against = -np.cos(turn - np.radians(air.blows_to))
    far = reach * np.exp(air.carries * air.wind * against)
    (line,) = ax.plot(
        pose.x + far * np.cos(turn), pose.y + far * np.sin(turn), color=colour, lw=1.2,
        ls=(0, (5, 1.5, 1, 1.5)), zorder=2.5, scalex=False, scaley=False,
    )  # fmt: skip
    return line


def _draw_wind(ax: Axes, wind: float, blows_to: float) -> FancyArrowPatch:
    """An arrow in the upper left corner of the map, where the wind blows to."""
    a = np.radians(blows_to)
    box = ax.get_window_extent()
    wide, high = 30.0 / box.width, 30.0 / box.height
    middle = np.array([1.6 * wide, 1.0 - 1.9 * high])
    along = np.array([wide * np.cos(a), high * np.sin(a)])
    arrow = FancyArrowPatch(
        tuple(middle - along), tuple(middle + along), transform=ax.transAxes,
        arrowstyle="-|>,head_length=6,head_width=4", color=INK, lw=2.0, zorder=12,
    )  # fmt: skip
    ax.add_patch(arrow)
    ax.text(
        middle[0], middle[1] - 1.9 * high, f"wind {wind:g} m/s", transform=ax.transAxes,
        ha="left" if middle[0] < 3 * wide else "center", va="center", fontsize=8, color=INK,
        zorder=12,
        bbox={"boxstyle": "round,pad=0.2", "fc": "white", "ec": "none", "alpha": 0.75},
    ).set_x(0.4 * wide)  # fmt: skip
    return arrow


def trail_handles(artists: ScentArtists) -> list[Line2D]:
    """What the legend says of trails."""
    handles = []
    if artists.trails:
        dot = Line2D([], [], color=SCENT, marker=".", ls="none", ms=8, alpha=0.7)
        dot.set_label(TRAIL_LABEL)
        handles.append(dot)
    if artists.noses:
        handles.append(
            Line2D([], [], color=INK, lw=1.2, ls=(0, (5, 1.5, 1, 1.5)), label=NOSE_LABEL)
        )
    if artists.smelt:
        diamond = Line2D([], [], color=SCENT, lw=1.4, ls=(0, (1, 1.2)), marker="D", mfc="white")
        diamond.set_label(SMELT_LABEL)
        handles.append(diamond)
    return handles
