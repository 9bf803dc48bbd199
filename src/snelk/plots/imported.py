"""What was imported, to be checked by eye: a recording on its level, or a level alone."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib import patheffects
from matplotlib.patches import Patch

from snelk.plots.appearance import AGENT_COLOURS, FAINT, FLOOR, FLOOR_EDGE, INK, WALL_SHADES
from snelk.plots.ground import draw_level, label_level
from snelk.plots.labels import Labels
from snelk.plots.style import Drawing, new_figure

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.axes import Axes
    from matplotlib.lines import Line2D

    from snelk.config.foreign import Imported
    from snelk.level.level import Level

ARROWS = 24
"""Headings drawn along a track, at most."""


@dataclass(frozen=True)
class ImportedArtists(Drawing):
    """What `plot_imported` drew: per id its path, its headings and the mark of its start."""

    axes: Axes
    ways: dict[str, Line2D] = field(default_factory=dict)
    headings: dict[str, Artist] = field(default_factory=dict)
    starts: dict[str, Line2D] = field(default_factory=dict)


def plot_imported(
    imported: Imported, *, level: Level | None = None, ax: Axes | None = None
) -> ImportedArtists:
    """Draw an imported recording, so that wrong axes, units or headings are easy to see.

    Args:
        imported: What `import_tracks` returned.
        level: The level it belongs to, drawn below it.
        ax: Where to draw; a new figure of 1280 x 800 pixels if absent.
    """
    if ax is None:
        figure, ax = new_figure(f"{imported.source}   ·   as imported")
        figure.subplots_adjust(left=0.05, right=0.97, top=0.93, bottom=0.07)
    artists = ImportedArtists(ax)
    if level is not None:
        draw_level(ax, level, light=1.0)
    halo = [patheffects.withStroke(linewidth=3, foreground="white")]
    for n, (key, rows) in enumerate(imported.tracks.groupby("id", sort=False)):
        name, colour = str(key), AGENT_COLOURS[n % len(AGENT_COLOURS)]
        x, y = rows.x.to_numpy(), rows.y.to_numpy()
        (artists.ways[name],) = ax.plot(x, y, color=colour, lw=1.8, zorder=5)
        some = np.unique(np.linspace(0, len(rows) - 1, ARROWS).astype(int))
        angle = np.radians(rows.heading.to_numpy()[some])
        artists.headings[name] = ax.quiver(
            x[some], y[some], np.cos(angle), np.sin(angle), color=colour, scale=32, width=0.0028,
            zorder=6,
        )  # fmt: skip
        (artists.starts[name],) = ax.plot(
            x[0], y[0], "o", ms=9, mfc="white", mec=colour, mew=2, zorder=7
        )
        ax.annotate(
            f"{name} starts at {rows.t.iloc[0]:g} s", (x[0], y[0]), xytext=(8, 6),
            textcoords="offset points", color=colour, fontsize=9, weight="bold", zorder=8,
            path_effects=halo, parse_math=False,
        )  # fmt: skip
    ax.set_aspect("equal", adjustable="datalim")
    ax.margins(0.06)
    ax.set_xlabel("x, m", color=INK)
    ax.set_ylabel("y, m", color=INK)
    ax.grid(color=FAINT, lw=0.4, alpha=0.6)
    ax.set_axisbelow(True)
    words = "Ring: start. Arrows: where it faces. A person walks some 1.4 m in a second."
    ax.text(
        0.99, 0.01, words, transform=ax.transAxes, ha="right", va="bottom", fontsize=9, color=INK,
        zorder=9, path_effects=halo,
    )  # fmt: skip
    return artists


def plot_level(level: Level, *, title: str = "", ax: Axes | None = None) -> Axes:
    """Draw a level alone: walls by their height, zones and spots, with their names.

    Args:
        level: The level.
        title: What the figure is headed with.
        ax: Where to draw; a new figure of 1280 x 800 pixels if absent.
    """
    if ax is None:
        figure, ax = new_figure(title)
        figure.subplots_adjust(left=0.05, right=0.97, top=0.93, bottom=0.07)
    draw_level(ax, level, light=1.0)
    ax.set_aspect("equal", adjustable="datalim")
    ax.autoscale_view()
    ax.margins(0.06)
    ax.set_xlabel("x, m", color=INK)
    ax.set_ylabel("y, m", color=INK)
    ax.grid(color=FAINT, lw=0.4, alpha=0.6)
    ax.set_axisbelow(True)
    kinds = [
        Patch(facecolor=colour, edgecolor="#2e2a24", label=f"wall, {words} from base to top")
        for _, colour, words in WALL_SHADES
    ]
    if level.data.floors:
        words = "floor; hatched: it slopes"
        kinds.append(Patch(facecolor=FLOOR, edgecolor=FLOOR_EDGE, label=words))
    ax.legend(
        handles=kinds, loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=len(kinds), fontsize=9,
        frameon=False, borderaxespad=0.3,
    )  # fmt: skip
    label_level(Labels(ax), level)
    return ax
