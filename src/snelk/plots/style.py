"""Sizes, formats and titles that all figures share."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from matplotlib.figure import Figure, SubFigure

from snelk.files import claim, written
from snelk.plots.appearance import INK, PAPER

if TYPE_CHECKING:
    from matplotlib.axes import Axes

SIZE = (12.8, 8.0)
"""Size of a figure, inches; 1280 x 800 pixels at `DPI`."""

DPI = 100

FORMATS = (".png", ".svg", ".pdf", ".jpg", ".webp")


class Drawing:
    """What a plot has drawn.

    Attributes:
        axes: Where: one, or several panels.
    """

    axes: Any

    def save(self, path: str | Path) -> Path:
        """Write the whole figure, for example ``night.png``; the suffix gives the format.

        Raises:
            InputError: The format is unknown, or the file cannot be written.
        """
        first = self.axes[0] if isinstance(self.axes, list) else self.axes
        return save_figure(first, Path(path))


def new_figure(title: str, *, size: tuple[float, float] = SIZE) -> tuple[Figure, Axes]:
    """A figure with one axis, in the style of all."""
    figure = Figure(figsize=size, dpi=DPI, facecolor=PAPER)
    axes = figure.add_subplot()
    axes.set_facecolor("#ffffff")
    figure.suptitle(
        title, x=0.012, y=0.985, ha="left", va="top", fontsize=13, color=INK, weight="bold"
    ).set_parse_math(False)
    return figure, axes


def show_times(axes: Axes, first: float, last: float) -> None:
    """Let an axis go from the first time to the last, s; of a moment alone that is said."""
    room = 0.0 if last > first else 0.5
    axes.set_xlim(first - room, last + room)
    if room:
        axes.text(
            0.5, 0.95, f"only one moment, {first:g} s: see the map of it", ha="center", va="top",
            color=INK, transform=axes.transAxes,
        )  # fmt: skip


def room_for_panels(title: str, ax: Axes | None) -> Figure | SubFigure:
    """Where several panels are drawn: a figure of their own, or in the place of an axis."""
    if ax is None:
        figure, first = new_figure(title)
        first.remove()
        return figure
    whole, spec = ax.get_figure(), ax.get_subplotspec()
    if whole is None:
        raise ValueError("the axis does not belong to a figure")
    if spec is None:  # it stands freely
        left, low, width, height = ax.get_position().bounds
        across, up = (left, width, 1.0 - left - width), (1.0 - low - height, height, low)
        ratios = [[max(share, 1e-9) for share in shares] for shares in (across, up)]
        spec = whole.add_gridspec(3, 3, width_ratios=ratios[0], height_ratios=ratios[1])[1, 1]
    ax.remove()
    room = whole.add_subfigure(spec)
    room.suptitle(
        title, x=0.012, y=0.985, ha="left", va="top", fontsize=10.5, color=INK, weight="bold"
    ).set_parse_math(False)
    return room


def save_figure(axes: Axes, path: Path) -> Path:
    """Write the figure of an axis; the suffix says the format.

    Raises:
        InputError: The format is unknown, or the file cannot be written.
    """
    figure = axes.get_figure(root=True)
    if figure is None:
        raise ValueError("the axis does not belong to a figure")
    with written(claim_figure(path)) as draft:
        figure.savefig(draft, facecolor=figure.get_facecolor())
    return path


def claim_figure(path: Path) -> Path:
    """Make sure that a figure can be written to a place, before it is drawn.

    Raises:
        InputError: The format is unknown, or the file cannot be written.
    """
    return claim(path, *FORMATS)
