"""Minds and bodies on a map: territories, paths, searches and thrown objects."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.collections import PatchCollection
from matplotlib.lines import Line2D
from matplotlib.markers import MarkerStyle
from matplotlib.patches import Circle, PathPatch, Rectangle

from snelk.engine.throws import GRAVITY
from snelk.plots.appearance import INK, LIKELY, NOISE, shares_of, shares_on
from snelk.plots.ground import outline_of
from snelk.runs.rows import Rows
from snelk.runs.standing import reaches_at

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.axes import Axes

    from snelk.runs.run import Run


@dataclass(frozen=True)
class SearchArtists:
    """What was drawn of a search.

    Attributes:
        cells: The likelihood, one square a cell, or None.
        planned, visited: The places of its points, (x, y) in m, with the artists.
    """

    cells: PatchCollection | None = None
    planned: list[tuple[float, float]] = field(default_factory=list)
    visited: list[tuple[float, float]] = field(default_factory=list)
    marks: list[Artist] = field(default_factory=list)


def draw_territories(
    ax: Axes, run: Run, agents: tuple[str, ...], colours: dict[str, str]
) -> dict[str, PathPatch]:
    """The edge of each territory, in the colour of who is bound to it."""
    drawn = {}
    for agent in agents:
        leash = run.setup.cast[agent].leash
        if leash is None:
            continue
        edge = PathPatch(
            outline_of(run.level.zone_area(leash.zone)),
            fill=False,
            ec=colours[agent],
            lw=1.6,
            ls=(0, (6, 2, 1, 2, 1, 2)),
            zorder=3.2,
        )
        ax.add_patch(edge)
        drawn[agent] = edge
    return drawn


TOUCH_LINE, CATCH_LINE, GOAL_LINE = (0, (1, 1.5)), (0, (5, 1.5)), (0, (1, 3))
"""How circles are drawn: within which an agent feels, catches, and has arrived."""


def draw_reaches(
    ax: Axes, run: Run, agents: tuple[str, ...], tick: int, poses: dict[str, Any],
    colours: dict[str, str], *, floor: str | None = None,
) -> dict[tuple[str, str], Circle]:  # fmt: skip
    """By agent and `touch`, `catch` or `arrive`: the circle within which it is so."""
    drawn = {}
    for agent in agents:
        if agent not in poses:
            continue
        pose, reaches = poses[agent], reaches_at(run, agent, tick)
        here, on = (pose.x, pose.y), run.level.floors_at(np.array([[pose.x, pose.y, pose.z]]))
        own, there = shares_of(run, np.append(on, np.int32(reaches.goal_on)), floor).tolist()
        for what, centre, share, radius, line in (
            ("touch", here, own, reaches.touch, TOUCH_LINE),
            ("catch", here, own, reaches.catch, CATCH_LINE),
            ("arrive", reaches.goal, there, reaches.arrive, GOAL_LINE),
        ):
            if centre is None or not radius:
                continue
            look: dict[str, Any] = {"alpha": share, "zorder": 5.6}
            circle = Circle(centre, radius, fill=False, ec=colours[agent], lw=1.5, ls=line, **look)
            ax.add_patch(circle)
            drawn[agent, what] = circle
            if what == "arrive":
                ax.plot(*centre, marker="x", ms=5, mew=1.2, color=colours[agent], **look)
    return drawn


def reach_handles(what: set[str]) -> list[Any]:
    """Entries of the map's legend for the circles that were drawn."""
    words = {
        "touch": ("within this it feels", TOUCH_LINE),
        "catch": ("within this it catches", CATCH_LINE),
        "arrive": ("× its goal: has arrived within", GOAL_LINE),
    }
    return [
        Line2D(
            [], [], color=INK, lw=1.5, ls=line, label=label, marker="x" if name == "arrive" else ""
        )
        for name, (label, line) in words.items()
        if name in what
    ]


def draw_ways(
    ax: Axes, run: Run, agents: tuple[str, ...], t: float, colours: dict[str, str]
) -> dict[str, Line2D]:
    """Everything that each agent has walked until a time."""
    drawn = {}
    poses = run.rows("poses")
    past = poses.take((poses["t"] <= t + 1e-9) & poses["present"])
    for agent in agents:
        rows = past.where(id=agent)
        x, y = rows["x"], rows["y"]
        if len(rows) and max(np.ptp(x), np.ptp(y)) > 0.2:
            (line,) = ax.plot(x, y, color=colours[agent], lw=0.9, alpha=0.7, zorder=3.4)
            drawn[agent] = line
    return drawn


@cache
def question_mark() -> MarkerStyle:
    """The sign of a belief. A word as a marker is laid out anew each time; this one is once."""
    return MarkerStyle("$?$")


def draw_search(
    ax: Axes, run: Run, agent: str, t: float, colour: str, *, floor: str | None = None
) -> SearchArtists | None:
    """An agent's current search: its points and likelihood; those of other floors faint."""
    rows = run.rows("searches")
    rows = rows.take(rows.equal(agent=agent) & (rows["t"] <= t + 1e-9))
    if not len(rows) or rows.row(-1).what == "ended":
        return None
    search = int(rows.row(-1).search)
    return draw_search_until(ax, run, agent, search, t, colour, floor=floor)


def draw_search_until(
    ax: Axes, run: Run, agent: str, search: int, t: float, colour: str,
    *, floor: str | None = None,
) -> SearchArtists:  # fmt: skip
    """The points and likelihoods of one search as they stood at a time; of other floors faint."""
    rows = run.rows("searches")
    until = (rows["search"] == search) & (rows["t"] <= t + 1e-9)
    rows = rows.take(rows.equal(agent=agent) & until)
    moved = np.flatnonzero(np.isin(rows["what"], ["began", "moved"]))
    rows = rows.take(slice(moved[-1], None)) if len(moved) else rows
    marks: list[Artist] = []
    planned, planned_shares = _points(run, rows, floor, "planned")
    visited, visited_shares = _points(run, rows, floor, "visited", "looked")
    for (x, y), share in zip(planned, planned_shares, strict=True):
        marks += ax.plot(x, y, "s", ms=7, mfc="white", mec=colour, mew=1.4, alpha=share, zorder=6.2)
    for n, ((x, y), share) in enumerate(zip(visited, visited_shares, strict=True), start=1):
        marks += ax.plot(x, y, "s", ms=9, mfc=colour, mec="white", mew=0.8, alpha=share, zorder=6.3)
        marks.append(
            ax.text(
                x, y, str(n), color="white", fontsize=6, ha="center", va="center", zorder=6.4,
                weight="bold", alpha=share,
            )
        )  # fmt: skip
    cells = _draw_cells(ax, run, agent, search, t, floor)
    return SearchArtists(cells, planned, visited, marks)


def _points(
    run: Run, rows: Rows, floor: str | None, *kinds: str
) -> tuple[list[tuple[float, float]], list[float]]:
    """The points of some kinds of rows, and how much of each is left on the floor that is shown."""
    rows = rows.take(np.isin(rows["what"], kinds))
    shares = shares_on(run, rows, floor).tolist()
    return list(zip(rows["x"].tolist(), rows["y"].tolist(), strict=True)), shares


def _draw_cells(
    ax: Axes, run: Run, agent: str, search: int, t: float, floor: str | None
) -> PatchCollection | None:
    shots = run.rows("likelihood")
    until = (shots["search"] == search) & (shots["t"] <= t + 1e-9)
    shots = shots.take(shots.equal(agent=agent) & until)
    if not len(shots):
        return None
    now = shots.take(shots["t"] == shots["t"].max())
    half = float(now["cell"][0]) / 2.0
    places = np.stack([now["x"], now["y"]], axis=1)
    squares = [Rectangle((x - half, y - half), 2 * half, 2 * half) for x, y in places]
    share = now["likelihood"]
    alpha = np.clip(0.12 + 0.78 * share / share.max(), 0.0, 0.9) * shares_on(run, now, floor)
    cells = PatchCollection(squares, facecolor=LIKELY, edgecolor="none", zorder=2.6)
    cells.set_alpha(alpha)
    ax.add_collection(cells)
    return cells


@dataclass(frozen=True)
class ThrowArtists:
    """An arc that was drawn: its line, its middle in m, and its label, if it has one."""

    line: Line2D
    place: tuple[float, float]
    text: str


def draw_throws(
    ax: Axes, run: Run, t: float, *, shown_for: float = 2.5, floor: str | None = None
) -> list[ThrowArtists]:
    """Arcs of things in flight or landed a moment ago, seen from above, with their tops.

    Of a map of one floor, those that neither begin nor end there are faint, and have no label.
    """
    drawn = []
    throws = run.rows("throws")
    recent = throws.take((throws["t"] <= t + 1e-9) & (throws["lands"] >= t - shown_for))
    ends = [
        shares_on(run, recent, floor, [f"{end}_{axis}" for axis in "xyz"]) for end in ("from", "to")
    ]
    for row, share in zip(recent.each(), np.maximum(*ends).tolist(), strict=True):
        (line,) = ax.plot(
            [row.from_x, row.to_x], [row.from_y, row.to_y], color=NOISE, lw=1.2,
            ls=(0, (2, 2)), alpha=share, zorder=6,
        )  # fmt: skip
        middle = (row.from_x + row.to_x) / 2, (row.from_y + row.to_y) / 2
        text = f"{row.kind}, {row.arc} arc, {_top_of(row):.1f} m high" if share == 1.0 else ""
        drawn.append(ThrowArtists(line, middle, text))
    return drawn


def _top_of(row: Any) -> float:
    """The highest point of an arc, m."""
    up = float(row.speed) * np.sin(np.radians(float(row.angle_deg)))
    flight = float(row.lands - row.t)
    at = min(max(up / GRAVITY, 0.0), flight)
    top: float = float(row.from_z) + up * at - 0.5 * GRAVITY * at**2
    return top


def minds_handles(*, territory: bool, search: bool, likelihood: bool, throw: bool) -> list[Any]:
    """Entries of the map's legend for what was drawn."""
    handles: list[Any] = []
    if territory:
        line = Line2D([], [], color=INK, lw=1.6, ls=(0, (6, 2, 1, 2, 1, 2)))
        line.set_label("edge of a territory")
        handles.append(line)
    if search:
        for fill, words in (("white", "planned in a search"), (INK, "visited, in order")):
            mark = Line2D([], [], marker="s", ls="none", ms=7, mfc=fill, mec=INK, mew=1.2)
            mark.set_label(words)
            handles.append(mark)
    if likelihood:
        handles.append(Rectangle((0, 0), 1, 1, fc=LIKELY, alpha=0.6, label="likelier: darker"))
    if throw:
        handles.append(Line2D([], [], color=NOISE, lw=1.2, ls=(0, (2, 2)), label="thrown"))
    return handles
