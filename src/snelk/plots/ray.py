"""What one character sees of another, from the side: a section along the line between them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.lines import Line2D
from matplotlib.patches import Patch, Polygon

from snelk.errors import InputError
from snelk.level.section import Slice, section_of
from snelk.plots.appearance import FAINT, FLOOR_EDGE, INK, SHEER_EDGE, WALL_SHADES, agent_colours
from snelk.plots.style import Drawing, new_figure
from snelk.runs.moment import Moment, moment_of
from snelk.runs.turning import level_at
from snelk.senses.gates import SIGHT

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.runs.run import Run

BEYOND, FARTHEST = 1.5, 12.0
"""So much is drawn behind both at least, and looked at, m."""

TALLEST = 6.0
"""Heights are drawn up to so many times as large as distances."""

EARTH = "#e7e0d3"


@dataclass
class RayArtists(Drawing):
    """What `plot_ray` drew.

    Attributes:
        axes: Distance in plan from the eye to the right, height upward, m.
        rays: Of each point of the body that is looked for: the ray to it.
        slices: What the cut shows, with the patch or line of each.
        stretched: How much larger heights are drawn than distances.
    """

    axes: Axes
    rays: list[Line2D] = field(default_factory=list)
    slices: list[tuple[Slice, Any]] = field(default_factory=list)
    stretched: float = 1.0


def plot_ray(run: Run, agent: str, target: str, *, at: float, ax: Axes | None = None) -> RayArtists:
    """Draw from the side what stands between the eye of an agent and a target, and how high.

    The section goes through the centres of both. Rays go to each point of the body: solid where
    they pass, faint where walls let a share pass, and up to whatever stops them.

    Args:
        run: The run.
        agent: Who looks.
        target: At whom.
        at: The time, s; the agent's last look at or before it counts.
        ax: Where to draw; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: A name or the time is wrong, or one of both is not there.
    """
    run.pair(agent, target)
    moment = moment_of(run, agent, target, at)
    answer = run.why(agent, target, at=at)
    here, there = _places(moment)
    if not moment.poses.present[0, [moment.i, moment.j]].all():
        raise InputError.of(
            "at",
            "",
            f"{at:g} s",
            "one of the two is absent",
            "choose a time at which both are present",
        )
    title = run.info["title"] or run.info["scenario"]
    if ax is None:
        figure, ax = new_figure(f"{title}   ·   what {agent} sees of {target} at {answer.t:.2f} s")
        figure.subplots_adjust(left=0.065, right=0.985, bottom=0.17, top=0.865)
    length = max(float(np.hypot(*(there - here)[:2])), 1e-9)
    heading = moment.poses.heading[0, moment.i]
    facing = np.array([np.cos(heading), np.sin(heading)])
    along = (there - here)[:2] / length if length > 1e-6 else facing
    artists = RayArtists(ax)
    slices = section_of(
        level_at(run, moment.tick),
        tuple(here[:2]),
        tuple(here[:2] + max(length, 0.01) * along),
        beyond=FARTHEST,
    )
    slices += _blocking(moment, here[:2], along, length)
    for each in slices:
        artists.slices.append((each, _draw_slice(ax, each)))
    eye = here[2] + moment.bodies.eyes[0, moment.i, moment.poses.posture[0, moment.i]]
    _draw_rays(artists, moment, eye, length)
    _draw_bodies(ax, moment, eye, length)
    _frame(artists, moment, eye, length, slices)
    ax.set_title(answer.headline, loc="left", fontsize=11.5, color=INK, pad=9).set_parse_math(False)
    return artists


def _places(moment: Moment) -> tuple[Any, Any]:
    """Where both stand, x, y and z of their feet, m."""
    poses = moment.poses
    places = [[poses.x[0, n], poses.y[0, n], poses.z[0, n]] for n in (moment.i, moment.j)]
    return np.array(places[0]), np.array(places[1])


def _height(moment: Moment, n: int) -> float:
    return float(moment.bodies.height[0, n, moment.poses.posture[0, n]])


def _blocking(moment: Moment, start: Any, along: Any, length: float) -> list[Slice]:
    """Characters on the line whose bodies block."""
    found, poses = [], moment.poses
    for n, name in enumerate(moment.run.names):
        radius = float(moment.bodies.blocks[0, n])
        if not radius > 0.0 or n in (moment.i, moment.j) or not poses.present[0, n]:
            continue
        off = np.array([poses.x[0, n], poses.y[0, n]]) - start
        aside, ahead = float(off @ (-along[1], along[0])), float(off @ along)
        if abs(aside) >= radius or not -FARTHEST < ahead < length + FARTHEST:
            continue
        half, low = np.sqrt(radius**2 - aside**2), float(poses.z[0, n])
        sides, top = (ahead - half, ahead + half), low + _height(moment, n)
        corners = [(sides[0], low), (sides[1], low), (sides[1], top), (sides[0], top)]
        found.append(Slice(name, "body", np.array(corners), 0.0))
    return found


def _draw_slice(ax: Axes, each: Slice) -> Any:
    """A solid as an area, a wall as an upright line, a floor as a line."""
    sheer, (x, y) = each.see_through > 0.0, each.outline.T
    if each.kind == "floor":
        (line,) = ax.plot(
            x, y, color=FLOOR_EDGE, lw=3.0, ls=(0, (2, 1)) if sheer else "-", zorder=2,
            solid_capstyle="butt",
        )  # fmt: skip
        return line
    shade = next(colour for limit, colour, _ in WALL_SHADES if y.max() - y.min() <= limit)
    edge = SHEER_EDGE if sheer else "#2e2a24"
    if each.kind == "wall":
        (line,) = ax.plot(
            x, y, color=edge, lw=3.5, ls=(0, (2, 1)) if sheer else "-", zorder=3,
            solid_capstyle="butt",
        )  # fmt: skip
        return line
    patch = Polygon(
        each.outline, facecolor="#dcebd9" if sheer else shade, edgecolor=edge, lw=1.2,
        ls=(0, (2, 1)) if sheer else "-", hatch="...." if sheer else None, zorder=2.5,
    )  # fmt: skip
    ax.add_patch(patch)
    return patch


def _draw_rays(artists: RayArtists, moment: Moment, eye: float, length: float) -> None:
    """A ray to each point of the body, as far as it gets; the rest is faint."""
    ax, run = artists.axes, moment.run
    here, there = _places(moment)
    clear, stopped = SIGHT.paints["in_view"], SIGHT.paints["line_of_sight"]
    body = run.setup.body_of(run.names[moment.j])
    for n, (share, _) in enumerate(body.points):
        high = there[2] + share * _height(moment, moment.j)
        sight = level_at(run, moment.tick).sightline((*here[:2], eye), (*there[:2], high))
        part, place = 1.0, sight.place
        stops = sight.share <= 0.0 and place is not None
        for each in (slice for slice, _ in artists.slices if slice.kind == "body"):
            met = _meets(each, eye, high, length)
            if met is not None and (not stops or met < part):
                stops, part = True, met
        if sight.share <= 0.0 and place is not None:
            start, end = np.array([*here[:2], eye]), np.array([*there[:2], high])
            part = min(part, float(np.linalg.norm(place - start) / np.linalg.norm(end - start)))
        x, y = np.array([0.0, length]), np.array([eye, high])
        paint = stopped if stops else clear
        style = (0, (5, 2)) if 0.0 < sight.share < 1.0 else paint.line
        (ray,) = ax.plot(
            x * part, eye + (y - eye) * part, color=paint.colour, lw=1.6, ls=style, zorder=4
        )
        if stops:
            ax.plot(x, y, color=FAINT, lw=0.8, ls=(0, (1, 3)), zorder=3.5)
            ax.plot(
                x[1] * part, eye + (high - eye) * part, marker="X", ms=8, color=paint.colour,
                mec="white", mew=0.8, zorder=6,
            )  # fmt: skip
        ray.set_gid(f"point {n}")
        artists.rays.append(ray)


def _meets(body: Slice, eye: float, high: float, length: float) -> float | None:
    """Which share of a ray lies before a body, if it passes through that."""
    near, far = body.outline[:, 0].min() / length, body.outline[:, 0].max() / length
    low, top = body.outline[:, 1].min(), body.outline[:, 1].max()
    if near <= 0.0 and low <= eye <= top:
        return None  # whose eye is within it sees out
    rise = high - eye
    if rise == 0.0:
        first, last = (0.0, 1.0) if low <= eye <= top else (1.0, 0.0)
    else:
        first, last = sorted(((low - eye) / rise, (top - eye) / rise))
    first, last = max(first, near, 0.0), min(last, far, 1.0)
    return float(first) if first < last else None


def _draw_bodies(ax: Axes, moment: Moment, eye: float, length: float) -> None:
    """Both as bars from their feet to their heads, with the eye and the points looked for."""
    here, there = _places(moment)
    run, colours = moment.run, agent_colours(moment.run.agents)
    agent, target = run.names[moment.i], run.names[moment.j]
    for x, feet, n, name in ((0.0, here[2], moment.i, agent), (length, there[2], moment.j, target)):
        colour = colours.get(name, INK)
        top = feet + _height(moment, n)
        ax.plot([x, x], [feet, top], color=colour, lw=5, alpha=0.45, zorder=4.5,
                solid_capstyle="round")  # fmt: skip
        ax.annotate(
            name, (x, top), xytext=(0, 7), textcoords="offset points", ha="center", va="bottom",
            fontsize=11, weight="bold", color=colour, zorder=7, parse_math=False,
        )  # fmt: skip
    ax.plot(0.0, eye, marker="o", ms=8, color=colours.get(agent, INK), mec="white", zorder=7)
    for share, weight in run.setup.body_of(target).points:
        high = there[2] + share * _height(moment, moment.j)
        ax.plot(
            length, high, marker="D", ms=5.5, color="white", mec=colours.get(target, INK), zorder=7
        )
        ax.annotate(
            f"{weight:.0%}", (length, high), xytext=(9, 0), textcoords="offset points", va="center",
            fontsize=8.5, color=INK, zorder=7,
        )  # fmt: skip


def _frame(
    artists: RayArtists, moment: Moment, eye: float, length: float, slices: list[Slice]
) -> None:
    """Axes that hold all of it, the ground, names and the legend."""
    ax, (here, there) = artists.axes, _places(moment)
    tops = [here[2] + _height(moment, moment.i), there[2] + _height(moment, moment.j), eye]
    feet = [here[2], there[2]]
    near = [
        each.outline[:, 1] for each in slices
        if each.outline[:, 0].max() > -BEYOND and each.outline[:, 0].min() < length + BEYOND
    ]  # fmt: skip
    highest = max([*tops, *(float(heights.max()) for heights in near)])
    lowest = min([*feet, *(float(heights.min()) for heights in near)])
    highest, lowest = min(highest, max(tops) + 4.0), max(lowest, min(feet) - 4.0)
    room = max(highest - lowest, 1.0)
    low, high = lowest - 0.12 * room, highest + 0.2 * room
    if not moment.run.level.data.floors:
        ax.axhspan(low, 0.0, color=EARTH, zorder=1)
        ax.axhline(0.0, color=INK, lw=1.0, zorder=1.5)
    box = ax.get_window_extent()
    across = box.width / box.height * (high - low)  # as wide as heights and distances alike need
    beyond = max((across - length) / 2.0, BEYOND)
    high = max(high, low + (length + 2 * beyond) * box.height / box.width / TALLEST)
    ax.set_xlim(-beyond, length + beyond)
    ax.set_ylim(low, high)
    artists.stretched = (box.height / (high - low)) / (box.width / (length + 2 * beyond))
    named, level = set[str](), moment.run.level
    now = level_at(moment.run, moment.tick).data.walls
    stand_open = {
        wall.name
        for (wall, _), (then, _) in zip(level.data.walls, now, strict=True)
        if wall.door and wall.see_through < then.see_through
    }
    for each in sorted(slices, key=lambda each: float(each.outline[:, 0].min())):
        if each.name not in named:
            named.add(each.name)
            inside = np.clip(each.outline[:, 0], -beyond, length + beyond)
            if np.ptp(inside) == 0.0 and not -beyond < each.outline[0, 0] < length + beyond:
                continue
            x, y, side = float(inside.mean()), float(each.outline[:, 1].max()), "center"
            if each.kind == "floor":  # at its right end, away from the rays
                x, side = float(inside.max()), "right"
                y = float(np.interp(x, *each.outline[np.argsort(each.outline[:, 0])].T))
            elif each.kind == "solid" and each.see_through == 0.0 and np.ptp(inside) > 1.0:
                y = float(each.outline[:, 1].mean())  # no ray goes through it
            name = each.name
            if each.name in stand_open:
                name += ", open"
            elif each.see_through > 0.0:
                name += f", {each.see_through:.0%} passes"
            at_top = y > high - 0.05 * (high - low)
            ax.annotate(
                name, (x, min(y, high)), xytext=(0, -4 if at_top else 4),
                textcoords="offset points", ha=side, va="top" if at_top else "bottom",
                fontsize=8.5, style="italic",
                color="#4a453d", zorder=6.5, parse_math=False,
                bbox={"facecolor": "white", "alpha": 0.75, "lw": 0, "pad": 0.8},
            )  # fmt: skip
    times = "as large as distances"
    if artists.stretched > 1.05:
        times = f"{artists.stretched:.1f} times as large as distances"
    ax.set_xlabel("distance in plan from the eye, m", color=INK)
    ax.set_ylabel(f"height, m (drawn {times})", color=INK)
    ax.grid(color="#e4e4e0", lw=0.6, zorder=0)
    ax.tick_params(colors=INK)
    for spine in ax.spines.values():
        spine.set_color(FAINT)
    clear, stopped = SIGHT.paints["in_view"], SIGHT.paints["line_of_sight"]
    handles: list[Any] = [
        Line2D([], [], marker="o", ms=7, color=INK, ls="none", label="eye"),
        Line2D([], [], marker="D", ms=5.5, color="white", mec=INK, ls="none",
               label="point looked for, and its weight"),
        Line2D([], [], color=clear.colour, ls=clear.line, lw=1.6, label="passes"),
        Line2D([], [], color=clear.colour, ls=(0, (5, 2)), lw=1.6, label="passes in part"),
        Line2D([], [], color=stopped.colour, ls=stopped.line, lw=1.6, marker="X", ms=7,
               label="stopped there"),
        Patch(facecolor=WALL_SHADES[1][1], edgecolor="#2e2a24", label="solid"),
        Line2D([], [], color="#2e2a24", lw=3.5, label="upright wall"),
        Patch(facecolor="#dcebd9", edgecolor=SHEER_EDGE, hatch="....", ls="--",
              label="one sees through"),
        Line2D([], [], color=FLOOR_EDGE, lw=3.0, label="floor"),
    ]  # fmt: skip
    ax.legend(
        handles=handles, loc="upper center", bbox_to_anchor=(0.5, -0.095), ncols=5, frameon=False,
        fontsize=9, columnspacing=1.6,
    )  # fmt: skip
