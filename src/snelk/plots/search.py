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

STOREY = 1.5
"""If the heights of a search differ by more, m, each panel shows the floor that the agent is on."""


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
    rows = run.rows("searches").where(agent=agent)
    if not len(rows):
        fix = "see its alert states: snelk why RUN AGENT"
        raise InputError.of("agent", "", f'"{agent}"', "did not search in this run", fix)
    lengths: dict[int, float] = {}
    for row in rows.each():
        lengths[int(row.search)] = max(row.seconds, lengths.get(int(row.search), 0.0))
    if search is None:
        search = max(sorted(lengths), key=lambda each: lengths[each])
    if search not in lengths:
        rule = f"no such search; {agent} searched {len(lengths)} times, numbered from 0"
        raise InputError.of("search", "", str(search), rule)
    rows = rows.take(rows["search"] == search)
    first, last = rows.row(0), rows.row(-1)
    start, end = first.t, last.t if last.what == "ended" else float(run.times[-1])
    words = OUTCOMES.get(last.outcome, "still at it when the run ended")
    title = run.info["title"] or run.info["scenario"]
    title += f"   ·   {agent} searches, {first.method}: {words} after {end - start:.1f} s"
    figure = room_for_panels(title, ax)
    drawn = SearchFigure()
    colour = agent_colours(run.agents)[agent]
    signals, poses = run.rows("signals").where(agent=agent), run.rows("poses")
    target = signals.take(signals["t"] <= start + 1e-9).row(-1).focus
    box = _frame(run, agent, start, end, search)
    several = "z" in rows and np.ptp(rows["z"]) > STOREY
    for n, t in enumerate(np.linspace(start, end, PANELS)):
        ax = figure.add_subplot(2, 2, n + 1)
        past = poses.take((poses["t"] >= start) & (poses["t"] <= t + 1e-9))
        walked = past.where(id=agent)
        here = walked.row(-1)
        floor = run.level.floor_at(here.x, here.y, here.z) if several else None
        draw_level(ax, run.level, light=run.setup.light, floor=floor)
        drawn.axes.append(ax)
        drawn.times.append(float(t))
        drawn.searches.append(
            draw_search_until(ax, run, agent, search, float(t), colour, floor=floor)
        )
        ax.plot(walked["x"], walked["y"], color=colour, lw=1.6, zorder=6)
        ax.plot(here.x, here.y, "o", ms=9, color=colour, mec="white", zorder=7)
        there = past.take(past.equal(id=target) & past["present"])
        if len(there) and there.row(-1).t > t - 2 * run.setup.clock.dt:
            x, y = there.row(-1).x, there.row(-1).y
            ax.plot(x, y, "D", ms=8, mfc="none", mec=INK, mew=1.6, zorder=7)
        when = f"{t:.1f} s, {t - start:.1f} s into the search" + (f", on {floor}" if floor else "")
        ax.set_title(when, fontsize=9.5, color=INK)
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
    poses = run.rows("poses").where(id=agent)
    shown = [poses.take((poses["t"] >= start) & (poses["t"] <= end))]
    for name in ("searches", "likelihood"):
        rows = run.rows(name).where(agent=agent)
        shown.append(rows.take(rows["search"] == search))
    x, y = (np.concatenate([each[axis] for each in shown]) for axis in ("x", "y"))
    middle = (x.min() + x.max()) / 2, (y.min() + y.max()) / 2
    half = max(float(np.ptp(y)) / 2 + 2.0, (float(np.ptp(x)) / 2 + 2.0) / 1.75, 4.0)
    return (
        float(middle[0] - 1.75 * half),
        float(middle[1] - half),
        float(middle[0] + 1.75 * half),
        float(middle[1] + half),
    )
