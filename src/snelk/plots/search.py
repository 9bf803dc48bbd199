"""One search of an agent at four moments: plan, visits, likelihood and path."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib.lines import Line2D

from snelk.errors import InputError, one_of
from snelk.plots.appearance import FAINT, INK, agent_colours
from snelk.plots.ground import draw_level
from snelk.plots.minds import SearchArtists, draw_search_until, minds_handles
from snelk.plots.style import Drawing, room_for_panels
from snelk.runs.mind_events import OUTCOMES

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.runs.run import Run

PANELS = 4


@dataclass(frozen=True)
class SearchFigure(Drawing):
    """What `plot_search` drew.

    Attributes:
        axes: The panels, by time.
        times: The time of each panel, s.
        searches: What each panel shows of the search.
    """

    axes: list[Axes] = field(default_factory=list)
    times: list[float] = field(default_factory=list)
    searches: list[SearchArtists] = field(default_factory=list)


def plot_search(
    run: Run, agent: str, *, search: int | None = None, ax: Axes | None = None
) -> SearchFigure:
    """Draw one search of an agent in four moments.

    Args:
        run: The run.
        agent: Whose search.
        search: Which of its searches, from 0; the longest if absent.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: Nobody has that name, it never searched, or there is no such search.
    """
    one_of(agent, run.agents, source="agent", place="", what="agent")
    rows = run.searches[run.searches.agent == agent]
    if not len(rows):
        fix = "see its alert states: snelk why RUN AGENT"
        raise InputError.of("agent", "", f'"{agent}"', "did not search in this run", fix)
    lengths = rows.groupby("search").seconds.max()
    if search is None:
        search = int(str(lengths.idxmax()))
    if search not in lengths.index:
        rule = f"no such search; {agent} searched {len(lengths)} times, numbered from 0"
        raise InputError.of("search", "", str(search), rule)
    rows = rows[rows.search == search]
    start, last = float(rows.t.iloc[0]), rows.iloc[-1]
    end = float(last.t) if last.what == "ended" else float(run.times[-1])
    words = OUTCOMES.get(str(last.outcome), "still at it when the run ended")
    title = run.info["title"] or run.info["scenario"]
    title += f"   ·   {agent} searches, {rows.method.iloc[0]}: {words} after {end - start:.1f} s"
    figure = room_for_panels(title, ax)
    drawn = SearchFigure()
    colour = agent_colours(run.agents)[agent]
    asked = run.signals[(run.signals.agent == agent) & (run.signals.t <= start + 1e-9)]
    target = asked.focus.iloc[-1]
    box = _frame(run, agent, start, end, search)
    for n, t in enumerate(np.linspace(start, end, PANELS)):
        ax = figure.add_subplot(2, 2, n + 1)
        draw_level(ax, run.level, light=run.setup.light)
        drawn.axes.append(ax)
        drawn.times.append(float(t))
        drawn.searches.append(draw_search_until(ax, run, agent, search, float(t), colour))
        past = run.poses[(run.poses.t >= start) & (run.poses.t <= t + 1e-9)]
        walked = past[past.id == agent]
        here = walked.iloc[-1:]
        ax.plot(walked.x, walked.y, color=colour, lw=1.6, zorder=6)
        ax.plot(here.x, here.y, "o", ms=9, color=colour, mec="white", zorder=7)
        there = past[(past.id == target) & past.present].iloc[-1:]
        if len(there) and there.t.iloc[0] > t - 2 * run.setup.clock.dt:
            ax.plot(there.x, there.y, "D", ms=8, mfc="none", mec=INK, mew=1.6, zorder=7)
        ax.set_title(f"{t:.1f} s, {t - start:.1f} s into the search", fontsize=9.5, color=INK)
        ax.set_xlim(box[0], box[2])
        ax.set_ylim(box[1], box[3])
        ax.set_aspect("equal", adjustable="box")
        ax.tick_params(colors=INK, labelsize=8)
        for spine in ax.spines.values():
            spine.set_color(FAINT)
    for ax in drawn.axes[2:]:
        ax.set_xlabel("x, m", color=INK, fontsize=9)
    for ax in drawn.axes[::2]:
        ax.set_ylabel("y, m", color=INK, fontsize=9)
    likely = any(each.cells is not None for each in drawn.searches)
    handles = minds_handles(territory=False, search=True, likelihood=likely, throw=False)
    handles += [
        Line2D([], [], marker="o", color=colour, mec="white", ms=9, label=f"{agent}, and its way"),
        Line2D([], [], marker="D", ls="none", mfc="none", mec=INK, label=f"{target}, really"),
    ]
    figure.legend(
        handles=handles,
        loc="lower center",
        ncols=5,
        frameon=False,
        fontsize=9,
    )
    figure.subplots_adjust(left=0.05, right=0.985, top=0.9, bottom=0.1, hspace=0.2, wspace=0.1)
    return drawn


def _frame(
    run: Run, agent: str, start: float, end: float, search: int
) -> tuple[float, float, float, float]:
    """The part of the level that the search was about."""
    poses = run.poses[(run.poses.id == agent) & (run.poses.t >= start) & (run.poses.t <= end)]
    rows = run.searches[(run.searches.agent == agent) & (run.searches.search == search)]
    cells = run.likelihood[(run.likelihood.agent == agent) & (run.likelihood.search == search)]
    x = np.concatenate([poses.x, rows.x, cells.x])
    y = np.concatenate([poses.y, rows.y, cells.y])
    middle = (x.min() + x.max()) / 2, (y.min() + y.max()) / 2
    half = max(float(np.ptp(y)) / 2 + 2.0, (float(np.ptp(x)) / 2 + 2.0) / 1.75, 4.0)
    return (
        float(middle[0] - 1.75 * half),
        float(middle[1] - half),
        float(middle[0] + 1.75 * half),
        float(middle[1] + half),
    )
