"""Two runs one above the other: alert states, meters, targets in view; differences marked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib import patheffects
from matplotlib.lines import Line2D
from matplotlib.patches import Patch, Rectangle
from numpy.typing import NDArray

from snelk.errors import one_of
from snelk.plots.appearance import BLUE, FAINT, INK, VERMILION, agent_colours, rank_shade
from snelk.plots.style import SIZE, Drawing, new_figure, show_times
from snelk.runs.dense import look_ticks

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.runs.run import Run
    from snelk.tuning.compare import Comparison

LANE = 0.56
"""Least height of an agent's pair of lanes, inches."""

HALF = 0.31
"""Height of one run's lane, in pairs of lanes."""

LETTERS = 178
"""Letters that fit across the figure at the size of the states' names."""


@dataclass
class ComparisonArtists(Drawing):
    """What `plot_compare` drew.

    Attributes:
        axes: Where.
        rows: The agents, from the top.
        states: Per agent and run, `a` or `b`: each state, from when to when in s, and its band.
        meters: Per agent and run: its fullest meter over time.
        differences: Per agent: from when to when it differs, s.
        first_differences: Per agent: when the runs part, s.
    """

    axes: Axes
    rows: tuple[str, ...]
    states: dict[tuple[str, str], list[tuple[str, float, float, Rectangle]]] = field(
        default_factory=dict
    )
    meters: dict[tuple[str, str], Line2D] = field(default_factory=dict)
    differences: dict[str, list[tuple[float, float]]] = field(default_factory=dict)
    first_differences: dict[str, float] = field(default_factory=dict)


def plot_compare(
    comparison: Comparison,
    *,
    agents: Sequence[str] | None = None,
    start: float | None = None,
    end: float | None = None,
    ax: Axes | None = None,
) -> ComparisonArtists:
    """Draw each agent twice, run A above run B, and mark the differences.

    Args:
        comparison: The two runs.
        agents: Agents to draw; all that both runs have if absent.
        start: From when on, s; the start of both runs if absent.
        end: Until when, s; the end of both if absent.
        ax: Where to draw; a new figure of at least 1280 x 800 pixels if absent.

    Raises:
        InputError: A name is unknown.
    """
    a, b = comparison.a, comparison.b
    known = [name for name in a.agents if name in b.agents]
    for name in agents or ():
        one_of(name, known, source="agent", place="", what="agent of both runs")
    rows = tuple(agents or known)
    title = f"{a.info['title'] or a.info['scenario']}   ·   two runs compared"
    size = (SIZE[0], max(SIZE[1], 1.7 + LANE * len(rows)))
    if ax is None:
        figure, ax = new_figure(title, size=size)
        left = min(0.055 + 0.0072 * max(map(len, rows)), 0.3)
        figure.subplots_adjust(left=left, right=0.985, top=1 - 1.35 / size[1], bottom=0.6 / size[1])
        for n, (letter, run) in enumerate((("A", a), ("B", b))):
            figure.text(0.012, 1 - (0.42 + 0.2 * n) / size[1], f"{letter}  {_named(run)}",
                        fontsize=9.5, va="top", color=INK, parse_math=False)  # fmt: skip
    else:
        heads = [f"{title}", f"A  {_named(a)}", f"B  {_named(b)}"]
        ax.set_title("\n".join(heads), loc="left", fontsize=9, color=INK, pad=28,
                     parse_math=False)  # fmt: skip
    artists = ComparisonArtists(ax, rows)
    first = min(a.times[0], b.times[0]) if start is None else start
    last = max(a.times[-1], b.times[-1]) if end is None else end
    first_differences = {
        difference.agent: difference for difference in comparison.first_differences
    }
    colours = agent_colours(a.agents)
    for row, agent in enumerate(rows):
        ax.axhline(row + 0.5, color="#cfcfcb", lw=0.8)
        _mark_differences(artists, comparison, agent, row)
        for side, run, top in (("a", a, row - 0.40), ("b", b, row + 0.09)):
            _draw_states(artists, run, agent, side, top, first, last)
            _draw_view(ax, run, agent, top)
            _draw_meter(artists, run, agent, side, top)
            if run.times[-1] < last - 1e-9:
                ax.plot([run.times[-1]] * 2, [top, top + HALF], color=INK, lw=2.2, zorder=4)
            ax.text(first - 0.004 * (last - first), top + HALF / 2, side.upper(), fontsize=8,
                    ha="right", va="center", color=INK)  # fmt: skip
        if agent in first_differences:
            artists.first_differences[agent] = first_differences[agent].t
            ax.plot(first_differences[agent].t, row, "D", ms=6, color=VERMILION, mec="white",
                    zorder=6, clip_on=False)  # fmt: skip
    show_times(ax, first, last)
    ax.set_ylim(len(rows) - 0.5, -0.5)
    ax.set_yticks(range(len(rows)), rows, fontsize=10)
    ax.tick_params(axis="y", length=0, pad=18)
    for label, name in zip(ax.get_yticklabels(), rows, strict=True):
        label.set_color(colours[name])
        label.set_fontweight("bold")
        label.set_parse_math(False)
    ax.set_xlabel("time, s", color=INK)
    ax.tick_params(axis="x", colors=INK)
    ax.grid(axis="x", color="#dddddd", lw=0.6)
    ax.set_axisbelow(True)
    for side, spine in ax.spines.items():
        spine.set_visible(side == "bottom")
        spine.set_color(FAINT)
    _legend(ax)
    return artists


def _named(run: Run) -> str:
    name = str(run.folder) if run.folder is not None else run.info["scenario"]
    overrides = ", ".join(f"{key} = {value}" for key, value in run.info["overrides"].items())
    text = f"{name}: {overrides}" if overrides else name
    return text if len(text) <= 150 else text[:149] + "…"


def _mark_differences(
    artists: ComparisonArtists, comparison: Comparison, agent: str, row: int
) -> None:
    """A strip between both lanes where the alert state or the view differs."""
    times, other = comparison.times, comparison.differs(agent)
    artists.differences[agent] = []
    for begin, end in _stretches(other):
        t, u = float(times[begin]), float(times[min(end, len(times) - 1)])
        artists.differences[agent].append((t, u))
        artists.axes.add_patch(
            Rectangle(
                (t, row - 0.08), u - t, 0.16, fc="#fbe3d5", ec=VERMILION, hatch="/////", lw=0.7,
                zorder=3.2,
            )
        )  # fmt: skip


def _stretches(true: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """From which index to before which, for every row of truths on end."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], true, [False]]).astype(int)))
    return [(int(low), int(high)) for low, high in zip(edges[::2], edges[1::2], strict=True)]


def _draw_states(
    artists: ComparisonArtists, run: Run, agent: str, side: str, top: float, first: float,
    last: float,
) -> None:  # fmt: skip
    found = artists.states.setdefault((agent, side), [])
    ladder = run.setup.profile_of(agent).ladder
    if ladder is None:
        return
    states = run.rows("states").where(agent=agent)
    letters = LETTERS / max(last - first, 1e-9)
    for t, until, name in zip(
        states["t"], [*states["t"][1:], run.times[-1]], states["state"], strict=True
    ):
        begin, end = max(float(t), first), min(float(until), last)
        if end <= begin:
            continue
        rank = ladder.rank_of(name)
        band = Rectangle((begin, top), end - begin, HALF, fc=rank_shade(rank), ec=INK, lw=0.5,
                         zorder=2)  # fmt: skip
        artists.axes.add_patch(band)
        found.append((str(name), begin, end, band))
        if len(name) + 1 <= (end - begin) * letters:
            artists.axes.text(
                begin + 0.5 / letters, top + 0.13, name, fontsize=7.5, va="center",
                color="white" if rank >= 4 else INK, zorder=4, parse_math=False,
            )  # fmt: skip


def _draw_view(ax: Axes, run: Run, agent: str, top: float) -> None:
    """A line along the foot of a lane while any target is in view."""
    rows = run.rows("sight").where(agent=agent)
    if not len(rows):
        return
    seen, looks = np.zeros(len(run.times), dtype=np.bool_), look_ticks(run, agent)
    seen[run.ticks_of(rows["t"][rows["in_view"]])] = True
    times = np.append(run.times[looks], run.times[-1])
    for begin, end in _stretches(seen[looks]):
        ax.plot([times[begin], times[end]], [top + HALF - 0.03] * 2, color=BLUE, lw=2.6,
                solid_capstyle="butt", zorder=3.5)  # fmt: skip


def _draw_meter(artists: ComparisonArtists, run: Run, agent: str, side: str, top: float) -> None:
    """The fullest of an agent's meters, from the foot of its lane to the top."""
    rows = run.rows("meters").where(agent=agent)
    if len(rows):
        fullest = np.zeros(len(run.times))
        np.maximum.at(fullest, run.ticks_of(rows["t"]), rows["value"])
        halo = [patheffects.withStroke(linewidth=2.6, foreground="white", alpha=0.9)]
        (artists.meters[agent, side],) = artists.axes.plot(
            run.times, top + HALF * (1.0 - fullest), color=INK, lw=1.1, path_effects=halo,
            zorder=3,
        )  # fmt: skip


def _legend(ax: Axes) -> None:
    handles = [
        Patch(fc=rank_shade(2), ec=INK, lw=0.5, label="alert state"),
        Line2D([], [], color=INK, lw=1.1, label="fullest meter"),
        Line2D([], [], color=BLUE, lw=2.6, label="somebody in view"),
        Patch(fc="#fbe3d5", ec=VERMILION, hatch="/////", lw=0.7, label="state or view differs"),
        Line2D([], [], marker="D", color=VERMILION, mec="white", ls="none", label="the runs part"),
        Line2D([], [], color=INK, lw=2.2, label="end of a run"),
    ]
    ax.legend(handles=handles, loc="lower left", bbox_to_anchor=(0.0, 1.003), ncols=len(handles),
              fontsize=8.8, frameon=False, borderaxespad=0.1)  # fmt: skip
