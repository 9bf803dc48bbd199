"""A sweep: a line with a band for one number, a map for two, parallel axes for more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.collections import LineCollection
from matplotlib.colors import Normalize
from matplotlib.lines import Line2D
from numpy.typing import NDArray

from snelk.errors import InputError
from snelk.plots.appearance import BLACK, BLUE, FAINT, INK, SKY, VERMILION
from snelk.plots.style import Drawing, room_for_panels
from snelk.tuning.reading import ENOUGH, Want, movers, points_of, tradeoffs_of
from snelk.tuning.sweep import Sweep

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure, SubFigure

MOST_PANELS = 4
COLOURS = "cividis"
WORTH_NAMING = 3
"""Of more best trade-offs at one place than this only so many have their number written there."""

BOX = {"boxstyle": "square,pad=0.1", "fc": "white", "ec": "none", "alpha": 0.8}

LABEL = 0.06
"""Height of such a label, as a share of the axis."""


@dataclass
class SweepArtists(Drawing):
    """What `plot_sweep` drew.

    Attributes:
        axes: The panels, the first of all above.
        lines: Per measure: its mean over the seeds, where one number is varied.
        bands: Per measure: from least to most over the seeds.
        cells: Per measure: the values of a map, (rows, columns), where two are varied.
        rows: The variants' lines, where more are varied.
        best: The first variants of the best trade-offs.
    """

    axes: list[Axes]
    lines: dict[str, Line2D] = field(default_factory=dict)
    bands: dict[str, Any] = field(default_factory=dict)
    cells: dict[str, NDArray[np.float64]] = field(default_factory=dict)
    rows: LineCollection | None = None
    best: list[int] = field(default_factory=list)


def plot_sweep(
    sweep: Sweep,
    *,
    show: Sequence[str] = (),
    wants: Sequence[Want] = (),
    ax: Axes | None = None,
) -> SweepArtists:
    """Draw how measures depend on the numbers that were varied.

    Args:
        sweep: The sweep.
        show: The measures; if none, those wanted, and else those that were moved most.
        wants: What measures should rather be: the best trade-offs between them are marked.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: There is no such measure, or nothing was moved.
    """
    shown = [sweep.find(key) for key in show] or [sweep.find(want.key) for want in wants]
    if not shown:
        shown = list(dict.fromkeys(m.measure for m in movers(sweep, most=1)))
    if not shown:
        rule, fix = "no measure changed", "choose one with --show"
        if sweep.plan.points < ENOUGH:
            rule = f"has {sweep.plan.points} settings; it takes {ENOUGH} to tell what changes what"
        raise InputError.of(str(sweep.path), "", "", rule, fix)
    shown = list(dict.fromkeys(shown))[:MOST_PANELS]
    best = tradeoffs_of(sweep, wants) if wants else points_of(sweep).iloc[:0]
    seeds = len(sweep.plan.seeds)
    means = f", means of {seeds} seeds" if seeds > 1 else ""
    title = f"{sweep.info['title'] or sweep.info['scenario']}   ·   {sweep.plan.points} variants"
    figure = room_for_panels(title + means, ax)
    if len(sweep.keys) == 1 and _is_number(sweep, sweep.keys[0]):
        artists = _lines(figure, sweep, shown, best)
    elif len(sweep.keys) == 2 and sweep.plan.samples is None:
        artists = _maps(figure, sweep, shown, best)
    else:
        artists = _parallel(figure, sweep, shown, best)
    artists.best = [int(n) for n in best.variant]
    if wants:
        words = ", ".join(f"{want.key} {'high' if want.high else 'low'}" for want in wants)
        note = f"★ best trade-offs of: {words}"
        figure.text(0.988, 0.962, note, ha="right", va="top", fontsize=9.5, color=INK,
                    parse_math=False)  # fmt: skip
    return artists


def _is_number(sweep: Sweep, key: str) -> bool:
    return sweep.table[key].dtype.kind in "if"


def _label(sweep: Sweep, key: str) -> str:
    unit = sweep.unit(key)
    return f"{key}, {unit}" if unit else key


def _today(sweep: Sweep, key: str) -> Any:
    return sweep.info["today"].get(key)


def _lines(
    figure: Figure | SubFigure, sweep: Sweep, shown: list[str], best: pd.DataFrame
) -> SweepArtists:
    key = sweep.keys[0]
    figure.subplots_adjust(left=0.09, right=0.97, top=0.9, bottom=0.09, hspace=0.22)
    panels = [figure.add_subplot(len(shown), 1, n + 1) for n in range(len(shown))]
    artists = SweepArtists(panels)
    groups = sweep.table.groupby(key)
    today = _today(sweep, key)
    for n, (ax, name) in enumerate(zip(panels, shown, strict=True)):
        mean, low, high = (getattr(groups[name], how)() for how in ("mean", "min", "max"))
        if len(sweep.plan.seeds) > 1:
            artists.bands[name] = ax.fill_between(
                mean.index, low, high, color=SKY, alpha=0.35, lw=0, label="least to most"
            )
        (artists.lines[name],) = ax.plot(
            mean.index, mean, "o-", color=BLUE, ms=4.5, lw=1.6, label="mean"
        )
        if isinstance(today, int | float):
            ax.axvline(today, color=INK, lw=1.0, ls=(0, (5, 3)), label=f"today, {today:g}")
        if len(best):
            ax.plot(best[key], best[name], "*", ms=13, color=VERMILION, mec="white", zorder=5,
                    label="best trade-off", ls="none")  # fmt: skip
        missing = int(groups[name].count().eq(0).sum())
        note = f"   (none with {missing} of {len(mean)} values)" if missing else ""
        ax.set_title(_label(sweep, name) + note, loc="left", fontsize=10.5, color=INK,
                     parse_math=False)  # fmt: skip
        _tidy(ax)
        ax.tick_params(labelbottom=n == len(shown) - 1)
        ax.margins(x=0.02)
    panels[-1].set_xlabel(key, color=INK, parse_math=False)
    panels[0].legend(loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=4, frameon=False,
                     fontsize=9, borderaxespad=0.2)  # fmt: skip
    return artists


def _maps(
    figure: Figure | SubFigure, sweep: Sweep, shown: list[str], best: pd.DataFrame
) -> SweepArtists:
    across, up = sweep.keys
    shown = shown[:2]
    points = points_of(sweep)
    grid = figure.add_gridspec(
        1, len(shown), left=0.09, right=0.96, top=0.87, bottom=0.1, wspace=0.34
    )
    panels = [figure.add_subplot(grid[0, n]) for n in range(len(shown))]
    artists = SweepArtists(panels)
    columns, rows = (list(dict.fromkeys(points[key])) for key in (across, up))
    for ax, name in zip(panels, shown, strict=True):
        cells = points.pivot(index=up, columns=across, values=name).loc[rows, columns].to_numpy()
        artists.cells[name] = cells
        image = ax.imshow(cells, origin="lower", aspect="auto", cmap=COLOURS)
        ax.set_facecolor("#eeeeee")
        bar = figure.colorbar(image, ax=ax, fraction=0.05, pad=0.03)
        bar.set_label(_label(sweep, name), color=INK, fontsize=9.5, parse_math=False)
        bar.ax.tick_params(colors=INK, labelsize=9)
        for axis, values in ((ax.xaxis, columns), (ax.yaxis, rows)):
            step = -(-len(values) // 10)
            words = [f"{v:g}" if isinstance(v, int | float) else str(v) for v in values]
            axis.set_ticks(range(0, len(values), step), words[::step])
        _write_cells(ax, cells, image.norm)
        ax.set_xlabel(across, color=INK, parse_math=False, fontsize=9.5)
        ax.set_ylabel(up, color=INK, parse_math=False, fontsize=9.5)
        for row in best.itertuples(index=False):
            place = columns.index(row[1]), rows.index(row[2])
            ax.plot(place[0] + 0.32, place[1] + 0.3, "*", ms=12, color=VERMILION, mec="white")
        today = _today(sweep, across), _today(sweep, up)
        if today[0] in columns and today[1] in rows:
            ax.plot(columns.index(today[0]), rows.index(today[1]), "s", ms=26, mfc="none",
                    mec=BLACK, mew=1.6)  # fmt: skip
        ax.tick_params(colors=INK, labelsize=9)
    note = "a square marks today's numbers; grey: there is none"
    figure.text(0.012, 0.94, note, fontsize=9.5, va="top", color=INK)
    return artists


def _write_cells(ax: Axes, cells: NDArray[np.float64], norm: Any) -> None:
    """The values in the cells, where there is room."""
    if cells.size > 150:
        return
    for row, column in np.ndindex(*cells.shape):
        value = cells[row, column]
        if not np.isnan(value):
            ax.text(column, row, f"{value:.3g}", ha="center", va="center", fontsize=8.5,
                    color="white" if norm(value) < 0.55 else INK)  # fmt: skip


def _parallel(
    figure: Figure | SubFigure, sweep: Sweep, shown: list[str], best: pd.DataFrame
) -> SweepArtists:
    points, names = points_of(sweep), [*sweep.keys, *shown]
    ax = figure.add_axes((0.055, 0.2, 0.86, 0.66))
    scales = [_scale(points[name]) for name in names]
    heights = np.stack([scale.heights for scale in scales], axis=1)
    value = points[shown[0]].to_numpy(dtype=np.float64)
    order = np.argsort(value, kind="stable")
    norm = Normalize(np.nanmin(value), np.nanmax(value))
    lines = [np.column_stack([np.arange(len(names)), row]) for row in heights[order]]
    width = 0.6 if len(lines) > 300 else 1.0
    rows = LineCollection(lines, cmap=COLOURS, norm=norm, lw=width, alpha=0.55, zorder=2)
    rows.set_array(value[order])
    ax.add_collection(rows)
    artists = SweepArtists([ax], rows=rows)
    starred = np.flatnonzero(points.variant.isin(best.variant))
    ends: dict[float, list[str]] = {}
    for row in starred:
        ax.plot(range(len(names)), heights[row], "*-", color=VERMILION, ms=9, mec="white", lw=2.0,
                zorder=4)  # fmt: skip
        end = round(float(heights[row, -1]) / LABEL) * LABEL
        ends.setdefault(end, []).append(str(int(points.variant.iloc[row])))
    for end, numbers in ends.items():
        more = ", …" if len(numbers) > WORTH_NAMING else ""
        named = ", ".join(numbers[:WORTH_NAMING])
        text = f"variant{'s' if len(numbers) > 1 else ''}\n{named}{more}"
        ax.text(len(names) - 1 + 0.03, end, text, va="center", fontsize=8.5, color=VERMILION)
    for n, (name, scale) in enumerate(zip(names, scales, strict=True)):
        ax.axvline(n, color=INK, lw=1.1, zorder=3)
        for height, text in scale.ticks:
            ax.text(n - 0.02, height, text, ha="right", va="center", fontsize=8.5, color=INK,
                    zorder=5, parse_math=False,
                    bbox=BOX)  # fmt: skip
        measure = n >= len(sweep.keys)
        ax.text(n, -0.045, _folded(_label(sweep, name) if measure else name), ha="center",
                va="top", fontsize=9, color=INK, parse_math=False,
                weight="bold" if measure else "normal")  # fmt: skip
    ax.set_xlim(-0.15, len(names) - 1 + (0.3 if len(starred) else 0.08))
    ax.set_ylim(-0.02, 1.02)
    ax.axis("off")
    figure.text(0.012, 0.935, "numbers that were varied, then measures (bold); a line is a variant",
                fontsize=9.5, va="top", color=INK)  # fmt: skip
    bar = figure.colorbar(rows, cax=figure.add_axes((0.935, 0.2, 0.012, 0.66)))
    bar.set_label(_label(sweep, shown[0]), color=INK, fontsize=9, parse_math=False)
    bar.solids.set_alpha(1.0)  # type: ignore[union-attr]  # a colour bar of lines has it
    bar.ax.tick_params(colors=INK, labelsize=8.5)
    return artists


@dataclass(frozen=True)
class _Scale:
    """Heights, 0 to 1, of values on a vertical axis, and its ticks."""

    heights: NDArray[np.floating]
    ticks: list[tuple[float, str]]


def _scale(values: pd.Series[Any]) -> _Scale:
    if values.dtype.kind in "if":
        low, high = float(values.min()), float(values.max())
        width = high - low or 1.0
        ticks = [(share, f"{low + share * width:.3g}") for share in (0.0, 0.25, 0.5, 0.75, 1.0)]
        return _Scale((values.to_numpy(dtype=np.float64) - low) / width, ticks)
    words = sorted(set(values.astype(str)))
    places = {word: n / max(len(words) - 1, 1) for n, word in enumerate(words)}
    heights = values.astype(str).map(places).to_numpy(dtype=np.float64)
    return _Scale(heights, [(height, word) for word, height in places.items()])


def _folded(key: str) -> str:
    """A key path over several lines."""
    lines = [""]
    for part in key.split("."):
        if lines[-1] and len(lines[-1]) + len(part) > 15:
            lines.append("")
        lines[-1] += ("." if lines[-1] or len(lines) > 1 else "") + part
    return "\n".join(lines)


def _tidy(ax: Axes) -> None:
    ax.grid(color="#dddddd", lw=0.6)
    ax.set_axisbelow(True)
    ax.tick_params(colors=INK)
    for side, spine in ax.spines.items():
        spine.set_visible(side in ("left", "bottom"))
        spine.set_color(FAINT)
