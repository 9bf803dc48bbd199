"""Passages on the map, and below them the meters along one of them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.lines import Line2D

from snelk.errors import InputError, one_of
from snelk.level.level import Level
from snelk.plots.appearance import AGENT_COLOURS, FAINT, INK, VERMILION, agent_colours
from snelk.plots.ground import draw_level, frame_level
from snelk.plots.style import Drawing, room_for_panels, show_times

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.tuning.sneak import Passage, Passages

LOOKS = ("-", (0, (5, 2)), (0, (1, 1.5)), (0, (6, 2, 1, 2)), (0, (3, 1, 1, 1, 1, 1)), "-")
"""How the lines of passages differ beside their colours."""

CROSSES = ("x", "+", "1", "2")
"""Marks of those who are in the way most."""

EVERY = 5.0
"""Marks on a passage are so far apart in time, s."""


@dataclass
class SneakArtists(Drawing):
    """What `plot_sneak` drew.

    Attributes:
        axes: The map, and the meters below.
        passages: The line of each passage on the map.
        meters: Of the passage that is shown below, the line of each agent's meter.
        closed: Where somebody is in the way, if there is no passage that holds.
    """

    axes: list[Axes]
    passages: list[Line2D] = field(default_factory=list)
    meters: dict[str, Line2D] = field(default_factory=dict)
    closed: dict[str, Line2D] = field(default_factory=dict)


def plot_sneak(
    found: Passages, *, which: int | None = None, floor: str | None = None, ax: Axes | None = None
) -> SneakArtists:
    """Draw the passages that were found, and the meters along one of them.

    Args:
        found: What `sneak` returned.
        which: The passage whose meters are shown, from 1; the last, least noticed one if None.
        floor: Of a level with floors the one to show in full; all if None.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: The floor or the passage is unknown.
    """
    level = Level.of(found.scenario.level)
    if floor is not None:
        one_of(floor, level.floor_names, source="floor", place="", what="floor")
    count = len(found.passages)
    if which is not None and not 1 <= which <= count:
        rule = f"must be one of the passages, 1 to {count}" if count else "there is no passage"
        raise InputError.of("which", "", str(which), rule)
    shown = count if which is None else which
    title = f"{found.target} sneaks from {found.start} to {found.goal}"
    figure = room_for_panels(title, ax)
    axes = [
        figure.add_axes((0.05, 0.265, 0.70, 0.655)),
        figure.add_axes((0.05, 0.075, 0.70, 0.115)),
    ]
    artists = SneakArtists(axes)
    plan, below = axes
    draw_level(plan, level, light=found.scenario.setup.light, floor=floor)
    _draw_agents(plan, found)
    for n, passage in enumerate(found.passages):
        artists.passages.append(_draw_passage(plan, passage, n, chosen=n + 1 == shown))
    holds = any(each.holds for each in found.passages)
    if not holds:
        _draw_closings(artists, found)
    frame_level(plan, level, anchor="SW")
    if count:
        _draw_meters(artists, found, found.passages[shown - 1], shown)
    else:
        below.set_axis_off()
    _legend(figure, artists, found, shown)
    return artists


def _draw_agents(ax: Axes, found: Passages) -> None:
    """The rounds of all agents, and their starts."""
    colours = agent_colours(found.agents)
    for n, agent in enumerate(found.agents):
        way = found.paths[n][:, :2]
        if float(np.ptp(way, axis=0).max()) > 0.3:
            ax.plot(way[:, 0], way[:, 1], color="white", lw=2.2, zorder=4.2)
            ax.plot(way[:, 0], way[:, 1], color=colours[agent], lw=0.9, alpha=0.8, zorder=4.3)
        ax.plot(*way[0], "s", ms=5.5, color=colours[agent], mec="white", mew=0.9, zorder=6)
        ax.annotate(
            agent, way[0], xytext=(5, 3), textcoords="offset points", fontsize=8, color=INK,
            zorder=7, parse_math=False,
            bbox={"boxstyle": "square,pad=0.08", "fc": "white", "ec": "none", "alpha": 0.75},
        )  # fmt: skip


def _draw_passage(ax: Axes, passage: Passage, n: int, *, chosen: bool) -> Line2D:
    track, colour = passage.track, AGENT_COLOURS[n % len(AGENT_COLOURS)]
    wide = 2.6 if chosen else 1.5
    ax.plot(track.x, track.y, color="white", lw=wide + 2.0, zorder=5)
    (line,) = ax.plot(track.x, track.y, color=colour, lw=wide, ls=LOOKS[n % len(LOOKS)], zorder=5.1)
    if chosen:
        marks = np.arange(np.ceil(passage.begins / EVERY) * EVERY, passage.arrives, EVERY)
        x, y = np.interp(marks, track.t, track.x), np.interp(marks, track.t, track.y)
        ax.plot(x, y, "o", ms=4.5, color=colour, mec="white", mew=0.8, zorder=6)
        last = (np.nan, np.nan)
        for t, place in zip(marks, zip(x, y, strict=True), strict=True):
            if np.hypot(place[0] - last[0], place[1] - last[1]) < 1.2:
                continue  # it waits: one word is enough
            last = place
            ax.annotate(f"{t:g}", place, xytext=(4, -9), textcoords="offset points", fontsize=7.5,
                        color=colour, zorder=7)  # fmt: skip
        if passage.at is not None:
            there = [float(np.interp(passage.at, track.t, each)) for each in (track.x, track.y)]
            ax.plot(*there, "X", ms=10, color=VERMILION, mec="white", mew=1.0, zorder=8)
    ax.plot(track.x[0], track.y[0], "o", ms=8, mfc="white", mec=INK, mew=1.6, zorder=8)
    ax.plot(track.x[-1], track.y[-1], "*", ms=14, mfc="white", mec=INK, mew=1.3, zorder=8)
    return line


def _draw_closings(artists: SneakArtists, found: Passages) -> None:
    colours = agent_colours(found.agents)
    for closing, mark in zip(found.closings, CROSSES, strict=False):
        x, y = closing.places[:, 0], closing.places[:, 1]
        (artists.closed[closing.agent],) = artists.axes[0].plot(
            x, y, mark, ms=6, mew=1.3, color=colours[closing.agent], zorder=5.5
        )


def _draw_meters(artists: SneakArtists, found: Passages, passage: Passage, shown: int) -> None:
    ax, colours = artists.axes[1], agent_colours(found.agents)
    busy = np.argsort(-passage.meters.max(axis=1, initial=0.0), kind="stable")
    for place, n in enumerate(busy.tolist()):
        agent, values = found.agents[n], passage.meters[n]
        if not values.any() or place >= len(AGENT_COLOURS):
            continue
        (artists.meters[agent],) = ax.plot(
            passage.times, values, color=colours[agent], lw=1.5, ls=LOOKS[place % len(LOOKS)],
            label=agent,
        )  # fmt: skip
    ax.axhline(passage.highest, color=FAINT, lw=1.0, ls=(0, (4, 3)))
    ax.text(
        passage.begins, min(passage.highest + 0.03, 0.92), f" promised: {passage.highest:.2f}",
        fontsize=8.5, color=INK, va="bottom",
    )  # fmt: skip
    said, room = -np.inf, 0.09 * (passage.arrives - passage.begins)
    for reaction in passage.reactions:
        ax.axvline(reaction.t, color=FAINT, lw=1.0)
        if reaction.t < said + room:
            continue  # its name would lie over another
        said = reaction.t
        ax.text(reaction.t, 1.03, f" {reaction.agent}", fontsize=8, color=INK, va="bottom",
                rotation=25).set_parse_math(False)  # fmt: skip
    show_times(ax, passage.begins, passage.arrives)
    ax.set_ylim(0.0, 1.02)
    ax.set_ylabel("meter, 0 to 1", fontsize=9.5, color=INK)
    ax.set_xlabel("s", fontsize=9.5, color=INK)
    ax.tick_params(colors=INK, labelsize=9)
    ax.grid(color="#e6e3dc", lw=0.7)
    words = "nobody's meter rises" if not artists.meters else "in the replay with all reactions"
    words += "; vertical lines: who reacts" if passage.reactions else ""
    ax.text(1.0, 1.03, f"passage {shown}: {words}", transform=ax.transAxes, ha="right",
            fontsize=9.5, color=INK)  # fmt: skip


def _legend(figure: object, artists: SneakArtists, found: Passages, shown: int) -> None:
    """What the lines are, to the right."""
    handles: list[Line2D] = []
    for n, (line, passage) in enumerate(zip(artists.passages, found.passages, strict=True)):
        by = f", {passage.agent}" if passage.agent else ""
        held = "" if passage.holds else "\nbut somebody reacts"
        text = f"{n + 1}: there at {passage.arrives:g} s\nhighest {passage.highest:.2f}{by}{held}"
        handles.append(Line2D([], [], color=line.get_color(), ls=LOOKS[n % len(LOOKS)], lw=2.2,
                              label=text))  # fmt: skip
    handles += [
        Line2D([], [], marker="o", mfc="white", mec=INK, ms=8, lw=0, label="begins"),
        Line2D([], [], marker="*", mfc="white", mec=INK, ms=13, lw=0, label="arrives"),
    ]
    if found.passages:
        mark = Line2D([], [], marker="o", color=INK, mec="white", ms=6, lw=0, label="each 5 s")
        handles.append(mark)
    if found.passages and found.passages[shown - 1].at is not None:
        handles.append(Line2D([], [], marker="X", color=VERMILION, mec="white", ms=10, lw=0,
                              label="most noticed here"))  # fmt: skip
    handles.append(Line2D([], [], marker="s", color=INK, mec="white", ms=6, lw=1.0,
                          label="who watches,\nand its round"))  # fmt: skip
    for agent, line in artists.closed.items():
        handles.append(Line2D([], [], marker=line.get_marker(), color=line.get_color(), mew=1.3,
                              ms=7, lw=0, label=f"no way for {agent}"))  # fmt: skip
    place = {"loc": "upper left", "bbox_to_anchor": (0.765, 0.93), "frameon": False}
    legend = figure.legend(handles=handles, fontsize=9.5, labelspacing=0.9, **place)  # type: ignore[attr-defined]
    for text in legend.get_texts():
        text.set_parse_math(False)
    if artists.meters:
        beside = {"loc": "upper left", "bbox_to_anchor": (0.765, 0.225), "frameon": False}
        handles = list(artists.meters.values())
        figure.legend(handles=handles, fontsize=9.5, title="whose meter", **beside)  # type: ignore[attr-defined]
