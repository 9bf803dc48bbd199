"""The meter of one agent for one target over time, with what made it fill."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import cycle
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.collections import PolyCollection
from matplotlib.colors import Normalize
from matplotlib.patches import Patch

from snelk.errors import InputError
from snelk.mind.meter import FACTORS
from snelk.plots.appearance import BLUE, FAINT, GREEN, INK, NOISE, ORANGE, PURPLE, SKY, VERMILION
from snelk.plots.style import Drawing, room_for_panels, show_times
from snelk.runs.dense import meters_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.image import AxesImage
    from matplotlib.lines import Line2D

    from snelk.runs.run import Run

STATE_LOOK = {"holding": ("#dcdcd8", "///", "holding"), "draining": ("#f0f0ee", "...", "draining")}
SENSE_LOOK = {
    "zone": ("#b5d8c8", "xx", "filled by the zone sense"),
    "touch": ("#7fb89f", "**", "full at once by touch"),
}
CONE_LOOK = (
    (SKY, ""),
    (ORANGE, "\\\\\\"),
    (GREEN, "xx"),
    (PURPLE, "++"),
    (VERMILION, "oo"),
    (BLUE, "--"),
)
"""Colour and hatch of what a cone filled, in the order of the profile."""


@dataclass
class MeterArtists(Drawing):
    """What `plot_meter` drew.

    Attributes:
        axes: The meter, above.
        strips: The factors, below: one row each, in the order of `FACTORS`.
        line: The value over time.
        thresholds: Per threshold: its line.
        areas: Per cone, `zone`, `touch`, `holding` and `draining`: the filled stretches.
        noises: The marks where a noise added to it; None where none did.
    """

    axes: Axes
    strips: AxesImage
    line: Line2D
    thresholds: dict[str, Line2D] = field(default_factory=dict)
    areas: dict[str, PolyCollection] = field(default_factory=dict)
    noises: Line2D | None = None


def plot_meter(run: Run, agent: str, target: str, *, ax: Axes | None = None) -> MeterArtists:
    """Draw an agent's meter for a target over time, and the factors behind it.

    Args:
        run: The run.
        agent: Whose meter.
        target: For whom.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: A name is wrong, or the agent has no meter for that target.
    """
    run.pair(agent, target)
    profile = run.setup.profile_of(agent)
    rows = meters_of(run, agent, target)
    if profile.meter is None or len(rows) == 0:
        rule = f"{agent} has no meter for {target}"
        fix = "give its profile a meter, and add the team to its notices"
        raise InputError.of("meter", "", "", rule, fix)
    title = run.info["title"] or run.info["scenario"]
    figure = room_for_panels(f"{title}   ·   {agent}'s meter for {target}", ax)
    ax = figure.add_axes((0.105, 0.42, 0.785, 0.45), facecolor="#ffffff")
    below = figure.add_axes((0.105, 0.085, 0.785, 0.27))
    t, value = rows["t"], rows["value"]
    (line,) = ax.plot(t, value, color=INK, lw=1.8, zorder=4)
    dt = run.setup.clock.dt
    image = below.imshow(
        np.stack([rows[f"{name}_factor"] for name in FACTORS]),
        aspect="auto",
        interpolation="nearest",
        cmap="cividis",
        norm=Normalize(0.0, 1.5),
        extent=(t[0] - dt / 2, t[-1] + dt / 2, len(FACTORS) - 0.5, -0.5),
    )
    artists = MeterArtists(ax, image, line)
    handles: list[Any] = []
    looks = [
        *(
            (rows.equal(cone=name), name, *look, f"filled by the {name} cone")
            for name, look in zip(profile.cones, cycle(CONE_LOOK), strict=False)
        ),
        *((rows.equal(sense=name), name, *look) for name, look in SENSE_LOOK.items()),
        *((rows.equal(state=name), name, *look) for name, look in STATE_LOOK.items()),
    ]
    for where, name, colour, hatch, words in looks:
        if name in SENSE_LOOK and not where.any():
            continue
        where[:-1] |= where[1:]  # from the tick before on, so that stretches meet
        area = ax.fill_between(
            t, value, where=where, facecolor=colour, edgecolor="white", hatch=hatch, lw=0, zorder=2
        )
        artists.areas[name] = area
        handles.append(Patch(facecolor=colour, edgecolor="white", hatch=hatch, label=words))
    noisy = rows["noise"] > 0.0
    if noisy.any():
        (artists.noises,) = ax.plot(
            t[noisy], value[noisy], marker="*", ms=9, color=NOISE, mec="white", ls="none", zorder=5
        )
        artists.noises.set_label("a noise added to it")
        handles.append(artists.noises)
    for name, limit in profile.meter.thresholds.items():
        artists.thresholds[name] = ax.axhline(
            limit, color=VERMILION, lw=1.1, ls=(0, (5, 3)), zorder=3
        )
        ax.text(
            1.008,
            limit,
            f"{name} {limit:g}",
            transform=ax.get_yaxis_transform(),
            va="center",
            color=VERMILION,
            parse_math=False,
            fontsize=9.5,
        )
    ax.set_ylim(0, 1.03)
    ax.set_ylabel("meter, 0 to 1", color=INK)
    legend = ax.legend(
        handles=handles,
        loc="lower left",
        bbox_to_anchor=(0, 1.01),
        ncols=5,
        frameon=False,
        fontsize=9,
        borderaxespad=0.1,
    )
    for label in legend.get_texts():
        label.set_parse_math(False)
    ax.grid(axis="x", color="#dddddd", lw=0.6)
    for axes in (ax, below):
        show_times(axes, t[0], t[-1])
        axes.tick_params(colors=INK)
        for spine in axes.spines.values():
            spine.set_color(FAINT)
    ax.tick_params(labelbottom=False)
    below.set_facecolor("#ffffff")
    below.set_yticks(range(len(FACTORS)), FACTORS, fontsize=9.5)
    below.set_xlabel("time, s", color=INK)
    bar = figure.colorbar(image, cax=figure.add_axes((0.905, 0.085, 0.014, 0.27)), extend="max")
    bar.set_label("factor (1: neutral; blank: not in view)", fontsize=8.5, color=INK)
    bar.ax.tick_params(colors=INK, labelsize=8.5)
    return artists
