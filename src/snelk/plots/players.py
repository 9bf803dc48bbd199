"""Simulated players drawn: their paths, their outcomes, and how these depend on care."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.lines import Line2D
from matplotlib.patches import Rectangle
from matplotlib.text import Annotation

from snelk.errors import one_of
from snelk.level.level import Level
from snelk.plots.appearance import BLUE, FAINT, GREEN, INK, ORANGE, VERMILION
from snelk.plots.ground import draw_level, frame_level
from snelk.plots.style import Drawing, room_for_panels
from snelk.tuning.players import OUTCOMES

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.tuning.players import Players

LOOKS = {
    "unnoticed": (BLUE, "-", ""),
    "warned": (GREEN, (0, (6, 2)), "//"),
    "too late": (VERMILION, (0, (1, 1.5)), "xx"),
    "not there": ("#8a867c", (0, (3, 2, 1, 2)), ".."),
}
"""Colour, line and hatch of each outcome."""

MOST_WAYS = 150
"""More paths than this only blacken the map; those of the first players are drawn."""

BINS = 5

NAMED, MOST_TOLD = 0.1, 6
"""Who notices such a share of players is named on the map; so many are told of below it."""


@dataclass
class PlayersArtists(Drawing):
    """What `plot_players` drew.

    Attributes:
        axes: The map, and the bars.
        ways: The lines of paths, by outcome.
        warned: Where players were warned first.
        late: Where it was too late.
        bars: The bars by outcome, from the least care to the most.
        named: Agents that often notice players, where they mostly do.
    """

    axes: list[Axes]
    ways: dict[str, list[Line2D]] = field(default_factory=dict)
    warned: Line2D | None = None
    late: Line2D | None = None
    bars: dict[str, list[Rectangle]] = field(default_factory=dict)
    named: list[Annotation] = field(default_factory=list)


def plot_players(
    found: Players, *, floor: str | None = None, ax: Axes | None = None
) -> PlayersArtists:
    """Draw the paths and outcomes of simulated players, and outcomes by care.

    Args:
        found: What `players` returned.
        floor: Of a level with floors the one to show in full; all if None.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: The floor is unknown.
    """
    level = Level.of(found.scenario.level)
    if floor is not None:
        one_of(floor, level.floor_names, source="floor", place="", what="floor")
    title = f"{len(found.seeds)} simulated players as {found.target} to {found.goal}"
    title += f"   ·   {found.through:.0%} get through"
    figure = room_for_panels(title, ax)
    plan, bars = (
        figure.add_axes((0.045, 0.185, 0.615, 0.725)),
        figure.add_axes((0.72, 0.455, 0.26, 0.455)),
    )
    artists = PlayersArtists([plan, bars])
    draw_level(plan, level, light=found.scenario.setup.light, floor=floor)
    _draw_ways(artists, found)
    frame_level(plan, level, anchor="NW")
    rows = found.noticers.head(MOST_TOLD).to_dict(orient="records")
    lines = [f"{who['agent']}: warns {who['warned_first']} first, too late for {who['too_late']}"
             for who in rows]  # fmt: skip
    for n, text in enumerate(lines):
        place = (0.045 + 0.31 * (n // 3), 0.105 - 0.03 * (n % 3))
        figure.text(*place, text, fontsize=9.5, color=INK).set_parse_math(False)
    figure.text(0.045, 0.135, "Who notices how many players" if rows else "Nobody notices them",
                fontsize=9.5, color=INK, weight="bold")  # fmt: skip
    _draw_bars(artists, found)
    _legend(figure, found)
    return artists


def _draw_ways(artists: PlayersArtists, found: Players) -> None:
    plan, table = artists.axes[0], found.table
    for outcome in reversed(OUTCOMES):
        colour, style, _ = LOOKS[outcome]
        chosen = np.flatnonzero(table.outcome == outcome)
        for n in chosen[chosen < MOST_WAYS].tolist():
            way = found.ways[n]
            lines = plan.plot(way[:, 1], way[:, 2], color=colour, ls=style, lw=1.1, alpha=0.55,
                              zorder=5)  # fmt: skip
            artists.ways.setdefault(outcome, []).extend(lines)
    (artists.warned,) = plan.plot(
        table.warned_x, table.warned_y, "o", ms=4.5, mfc=ORANGE, mec="white", mew=0.6, zorder=6
    )
    (artists.late,) = plan.plot(
        table.too_late_x, table.too_late_y, "X", ms=6.5, mfc=VERMILION, mec="white", mew=0.6,
        zorder=6.1,
    )  # fmt: skip
    for who in found.noticers.to_dict(orient="records"):
        often = max(who["too_late"], who["warned_first"]) >= NAMED * len(table)
        if often and who["where"] is not None:
            name = plan.annotate(
                who["agent"], who["where"], xytext=(18, 12), textcoords="offset points",
                fontsize=9, color=INK, zorder=9,
                arrowprops={"arrowstyle": "-", "color": INK, "lw": 0.8},
                bbox={"boxstyle": "square,pad=0.15", "fc": "white", "ec": "none", "alpha": 0.85},
            )  # fmt: skip
            name.set_parse_math(False)
            artists.named.append(name)
    plan.plot(*found.start[:2], "o", ms=8, mfc="white", mec=INK, mew=1.6, zorder=8)
    level = Level.of(found.scenario.level)
    for goal in level.places_named(found.goal, float(found.start[2])):
        plan.plot(*goal[:2], "*", ms=14, mfc="white", mec=INK, mew=1.3, zorder=8)


def _draw_bars(artists: PlayersArtists, found: Players) -> None:
    """Shares of outcomes, by how careful players were."""
    ax, table = artists.axes[1], found.table
    low, high = float(table.care.min()), float(table.care.max())
    edges = np.linspace(low, high, BINS + 1) if high > low else np.array([low, high])
    count = len(edges) - 1
    which = np.clip(np.searchsorted(edges, table.care, side="right") - 1, 0, count - 1)
    below = np.zeros(count)
    players = np.maximum(np.bincount(which, minlength=count), 1)
    for outcome in OUTCOMES:
        colour, _, hatch = LOOKS[outcome]
        share = np.bincount(which[table.outcome == outcome], minlength=count) * 100.0 / players
        drawn = ax.bar(
            np.arange(count), share, bottom=below, width=0.86, color=colour, hatch=hatch,
            ec="white", lw=0.6, label=outcome,
        )  # fmt: skip
        artists.bars[outcome] = list(drawn)
        below += share
    words = [f"{a:.1f}–{b:.1f}" for a, b in pairwise(edges.tolist())]
    ax.set_xticks(
        np.arange(count),
        [f"{w}\n{n}" for w, n in zip(words, np.bincount(which, minlength=count), strict=True)],
    )
    ax.set_ylim(0.0, 100.0)
    ax.set_ylabel("% of the players", fontsize=9.5, color=INK)
    ax.set_xlabel("care, 0 reckless to 1; below it how many players", fontsize=9.5, color=INK)
    ax.tick_params(colors=INK, labelsize=9)
    for side in ("top", "right"):
        ax.spines[side].set_visible(False)


def _legend(figure: object, found: Players) -> None:
    share = {outcome: float((found.table.outcome == outcome).mean()) for outcome in OUTCOMES}
    words = {
        "unnoticed": "through unnoticed", "warned": "through, but warned",
        "too late": "too late, or caught", "not there": "not there when the run ends",
    }  # fmt: skip
    handles: list[Line2D | Rectangle] = [
        Rectangle((0, 0), 1, 1, fc=LOOKS[each][0], ec="white", hatch=LOOKS[each][2],
                  label=f"{words[each]}: {share[each]:.0%}")
        for each in OUTCOMES
    ]  # fmt: skip
    handles += [
        Line2D(
            [], [], color=FAINT, ls=LOOKS["unnoticed"][1], lw=1.4, label="paths: in these colours"
        ),
        Line2D([], [], marker="o", mfc=ORANGE, mec="white", ms=6, lw=0, label="warned first"),
        Line2D([], [], marker="X", mfc=VERMILION, mec="white", ms=8, lw=0, label="too late here"),
        Line2D([], [], marker="o", mfc="white", mec=INK, ms=8, lw=0, label="begins"),
        Line2D([], [], marker="*", mfc="white", mec=INK, ms=13, lw=0, label="goal"),
    ]
    place = {"loc": "upper left", "bbox_to_anchor": (0.70, 0.385), "frameon": False}
    figure.legend(handles=handles, fontsize=9.5, labelspacing=0.7, **place)  # type: ignore[attr-defined]
