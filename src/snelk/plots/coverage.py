"""Coverage as maps: time until somebody is noticed at each position, and time in view."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.collections import PatchCollection
from matplotlib.colors import Normalize
from matplotlib.lines import Line2D
from matplotlib.patches import Patch, Rectangle

from snelk.errors import InputError, one_of
from snelk.plots.appearance import INK, agent_colours
from snelk.plots.ground import draw_level
from snelk.plots.style import Drawing, room_for_panels

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from numpy.typing import NDArray

    from snelk.tuning.coverage import Coverage

HATCH = "#9a9a9a"


@dataclass
class CoverageArtists(Drawing):
    """What `plot_coverage` drew.

    Attributes:
        axes: The two maps: time until noticed, and time in view.
        cells: The coloured cells of both.
        never: The hatched cells: where no meter gets full, and where nobody ever looks.
        paths: Per agent that moved: its path, in the first map.
    """

    axes: list[Axes]
    cells: list[PatchCollection] = field(default_factory=list)
    never: list[PatchCollection] = field(default_factory=list)
    paths: dict[str, Line2D] = field(default_factory=dict)


def plot_coverage(
    coverage: Coverage, *, floor: str | None = None, ax: Axes | None = None
) -> CoverageArtists:
    """Draw the positions of a coverage, coloured by how soon somebody is noticed there.

    Args:
        coverage: The coverage.
        floor: Of a level with floors the one to show; that with the most places if absent.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: The floor is unknown, or nobody can stand on it.
    """
    floor, here = _shown(coverage, floor)
    title = f"Safety of {coverage.target}, {coverage.stance}"
    title += f", on {floor}" if floor else ""
    title += f"   ·   {coverage.times[0]:g} to {coverage.times[-1]:g} s"
    figure = room_for_panels(title, ax)
    # Beside each other, or a wide level above each other: a map and its colours below it.
    wide = np.ptp(coverage.x[here]) >= 2.2 * np.ptp(coverage.y[here])
    rooms = [(0.05, 0.585, 0.93, 0.28), (0.05, 0.15, 0.93, 0.28)]
    if not wide:
        rooms = [(0.045 + 0.49 * n, 0.27, 0.455, 0.56) for n in range(2)]
    axes = [figure.add_axes(room) for room in rooms]
    artists = CoverageArtists(axes)
    panels = (
        (coverage.full, "seconds until a meter is full", "cividis"),
        (
            np.where(coverage.blind, np.nan, 100.0 * coverage.share),
            "% of the time in view",
            "cividis_r",
        ),
    )
    for n, (ax, (values, words, colours)) in enumerate(zip(axes, panels, strict=True)):
        draw_level(ax, coverage.level, light=1.0, floor=floor)
        high = float(np.nanmax(values, initial=0.0)) or 1.0  # the same on every floor
        x, y = coverage.x[here], coverage.y[here]
        cells, never = draw_cells(ax, x, y, coverage.cell, values[here], colours, high=high)
        artists.cells.append(cells)
        artists.never.append(never)
        left, low, width, _ = rooms[n]
        place = (left + 0.15 * width, low - 0.085, 0.7 * width, 0.018)
        bar = figure.colorbar(cells, cax=figure.add_axes(place), orientation="horizontal")
        bar.set_label(words, color=INK, fontsize=9.5)
        bar.ax.tick_params(colors=INK, labelsize=9)
        ax.set_aspect("equal")
        half = coverage.cell / 2
        ax.set_xlim(coverage.x[here].min() - half, coverage.x[here].max() + half)
        ax.set_ylim(coverage.y[here].min() - half, coverage.y[here].max() + half)
        ax.tick_params(colors=INK, labelsize=9)
        ax.set_title(("A  time until noticed", "B  time in view")[n], loc="left",
                     fontsize=10.5, color=INK)  # fmt: skip
        ax.set_anchor("S")
        ax.text(1.0, 1.012, "x and y in m", transform=ax.transAxes, ha="right", fontsize=9,
                color=INK)  # fmt: skip
    _draw_paths(artists, coverage, floor)
    _legend(figure)
    return artists


def _shown(coverage: Coverage, floor: str | None) -> tuple[str | None, NDArray[np.bool_]]:
    """The floor that is shown, and which places are on it."""
    names = coverage.level.floor_names
    if floor is not None:
        one_of(floor, names, source="floor", place="", what="floor")
    elif names:
        floor = names[int(np.bincount(np.maximum(coverage.floor, 0)).argmax())]
    here = np.ones(len(coverage.x), dtype=np.bool_)
    if floor is not None:
        here = coverage.floor == names.index(floor)
        if not here.any():
            rule = "has no position on it where somebody can stand"
            raise InputError.of("floor", "", f'"{floor}"', rule, "use a smaller --cell")
    return floor, here


def draw_cells(
    ax: Axes,
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    cell: float,
    values: NDArray[np.float64],
    colours: str,
    *,
    high: float | None = None,
) -> tuple[PatchCollection, PatchCollection]:
    """Cells by value, from 0 to the highest or `high`; and those without one, hatched."""
    half, most = cell / 2, high or float(np.nanmax(values, initial=0.0)) or 1.0
    there = ~np.isnan(values)
    squares = [
        Rectangle((at - half, up - half), 2 * half, 2 * half) for at, up in zip(x, y, strict=True)
    ]
    cells = PatchCollection(
        [square for square, yes in zip(squares, there, strict=True) if yes],
        cmap=colours, norm=Normalize(0.0, max(most, 1e-9)), lw=0, alpha=0.85, zorder=1.0,
    )  # fmt: skip
    cells.set_array(values[there])
    never = PatchCollection(
        [square for square, yes in zip(squares, there, strict=True) if not yes],
        fc="white", ec=HATCH, hatch="////", lw=0, zorder=1.0,
    )  # fmt: skip
    for some in (cells, never):
        ax.add_collection(some)
    return cells, never


def _draw_paths(artists: CoverageArtists, coverage: Coverage, floor: str | None) -> None:
    """Where the agents went, as far as it was on the floor that is shown."""
    colours = agent_colours(coverage.agents)
    for n, agent in enumerate(coverage.agents):
        way = coverage.paths[n][:, :2].copy()
        if floor is not None:
            on = coverage.level.ways().sheets_at(coverage.paths[n])
            way[on != coverage.level.floor_names.index(floor)] = np.nan
        if np.isnan(way[:, 0]).all():
            continue
        first = way[int(np.argmax(~np.isnan(way[:, 0])))]
        for ax in artists.axes:
            ax.plot(*first, "o", ms=6, color=colours[agent], mec="white", mew=1.0, zorder=6)
            ax.annotate(
                agent, first, xytext=(5, 3), textcoords="offset points", fontsize=7.5, color=INK,
                zorder=7, parse_math=False,
                bbox={"boxstyle": "square,pad=0.08", "fc": "white", "ec": "none", "alpha": 0.75},
            )  # fmt: skip
            if float((np.nanmax(way, axis=0) - np.nanmin(way, axis=0)).max()) > 0.3:
                (line,) = ax.plot(way[:, 0], way[:, 1], color="white", lw=2.6, zorder=4.5)
                (line,) = ax.plot(way[:, 0], way[:, 1], color=colours[agent], lw=1.2, zorder=4.6)
                artists.paths[agent] = line


def _legend(figure: Any) -> None:
    handles = [
        Patch(fc="white", ec=HATCH, hatch="////", lw=0, label="A: never noticed   B: blind spot"),
        Line2D([], [], marker="o", color=INK, mec="white", lw=1.2, label="agent and its round"),
    ]
    figure.legend(handles=handles, loc="upper left", bbox_to_anchor=(0.004, 0.955), ncols=2,
                  frameon=False, fontsize=9.5)  # fmt: skip
