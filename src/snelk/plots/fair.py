"""Fairness as maps: how much warning each position gives, and how often it is not enough."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.collections import PatchCollection
from matplotlib.patches import Patch

from snelk.errors import one_of
from snelk.plots.appearance import INK
from snelk.plots.coverage import HATCH, draw_cells
from snelk.plots.ground import draw_level
from snelk.plots.style import Drawing, room_for_panels

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.tuning.fair import Fairness


@dataclass
class FairnessArtists(Drawing):
    """What `plot_fair` drew.

    Attributes:
        axes: The two maps: how much warning there is at least, and how often it is not enough.
        cells: The coloured cells of both.
        never: The hatched cells: where nobody notices anything.
    """

    axes: list[Axes]
    cells: list[PatchCollection] = field(default_factory=list)
    never: list[PatchCollection] = field(default_factory=list)


def plot_fair(
    fair: Fairness, *, floor: str | None = None, ax: Axes | None = None
) -> FairnessArtists:
    """Draw positions, coloured by how much warning they give and how often they are unfair.

    Args:
        fair: What `fairness` returned.
        floor: Of a level with floors the one to show; that with the most places if absent.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: The floor is unknown.
    """
    names = fair.level.floor_names
    here = np.ones(len(fair.x), dtype=np.bool_)
    if names:
        on = fair.level.floors_at(np.stack([fair.x, fair.y, fair.z], axis=1))
        if floor is not None:
            one_of(floor, names, source="floor", place="", what="floor")
        floor = floor or names[int(np.bincount(np.maximum(on, 0)).argmax())]
        here = on == names.index(floor)
    title = f"Fairness for {fair.target}" + (f", on {floor}" if floor else "")
    title += f"   ·   {len(fair.times)} moments, {fair.share:.0%} of what is noticed is unfair"
    figure = room_for_panels(title, ax)
    table = fair.table
    noticed = table.noticed.to_numpy() > 0
    panels = (
        ("A  least warning", table.shortest_warning.to_numpy(), "s from the first sign until it is "
         "too late", "cividis_r"),
        ("B  how often unfair", np.where(noticed, 100.0 * table.unfair.to_numpy(), np.nan),
         "% of the moments at which it is noticed", "cividis"),
    )  # fmt: skip
    artists = FairnessArtists([])
    for n, (words, values, unit, colours) in enumerate(panels):
        room = (0.045 + 0.49 * n, 0.27, 0.455, 0.56)
        plan = figure.add_axes(room)
        artists.axes.append(plan)
        draw_level(plan, fair.level, light=1.0, floor=floor)
        high = 100.0 if n == 1 else float(np.nanmax(values, initial=0.0)) or 1.0
        x, y = fair.x[here], fair.y[here]
        cells, never = draw_cells(plan, x, y, fair.cell, values[here], colours, high=high)
        artists.cells.append(cells)
        artists.never.append(never)
        place = (room[0] + 0.07, room[1] - 0.085, 0.32, 0.018)
        bar = figure.colorbar(cells, cax=figure.add_axes(place), orientation="horizontal")
        bar.set_label(unit, color=INK, fontsize=9.5)
        bar.ax.tick_params(colors=INK, labelsize=9)
        plan.set_aspect("equal")
        half = fair.cell / 2
        if here.any():
            plan.set_xlim(fair.x[here].min() - half, fair.x[here].max() + half)
            plan.set_ylim(fair.y[here].min() - half, fair.y[here].max() + half)
        plan.tick_params(colors=INK, labelsize=9)
        plan.set_title(words, loc="left", fontsize=10.5, color=INK)
        plan.set_anchor("S")
        plan.text(1.0, 1.012, "x and y in m", transform=plan.transAxes, ha="right", fontsize=9,
                  color=INK)  # fmt: skip
    handles = [Patch(fc="white", ec=HATCH, hatch="////", lw=0, label="never noticed here")]
    figure.legend(handles=handles, loc="upper left", bbox_to_anchor=(0.004, 0.955), frameon=False,
                  fontsize=9.5)  # fmt: skip
    return artists
