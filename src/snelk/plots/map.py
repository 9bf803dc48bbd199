"""The map at a time: who is where, who sees what, and what is in the way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import shapely
from matplotlib import patheffects
from matplotlib.collections import LineCollection
from matplotlib.colors import to_rgba
from matplotlib.lines import Line2D
from matplotlib.patches import Circle, Patch, PathPatch
from matplotlib.path import Path as Outline

from snelk.config.words import POSTURES
from snelk.errors import InputError, one_of
from snelk.level.visible import visible_region
from snelk.plots.appearance import (
    DOOR,
    EDGE,
    FAINT,
    FAINTNESS,
    FLOOR,
    FLOOR_EDGE,
    INK,
    LAMPLIGHT,
    LINK,
    NOISE,
    REASON_STYLES,
    SHEER_EDGE,
    WALL_SHADES,
    agent_colours,
    extent_of,
    shares_on,
)
from snelk.plots.ground import draw_level, label_level, outline_of
from snelk.plots.labels import Labels
from snelk.plots.minds import (
    SearchArtists,
    ThrowArtists,
    draw_reaches,
    draw_search,
    draw_territories,
    draw_throws,
    draw_ways,
    minds_handles,
    question_mark,
    reach_handles,
)
from snelk.plots.scent import ScentArtists, draw_trails, trail_handles
from snelk.plots.sound import NoiseArtists, draw_noises, ear_height, noise_handles
from snelk.plots.style import Drawing, new_figure
from snelk.runs.dense import beliefs_at, not_sensed
from snelk.runs.reasons import reason_of_look
from snelk.runs.spans import REASONS
from snelk.runs.standing import awake_at, cones_at, state_at, who_is_there
from snelk.runs.turning import level_at
from snelk.senses.gates import SIGHT

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.axes import Axes

    from snelk.level.level import Level
    from snelk.runs.run import Run

CROWD = 6
"""With more agents than this hold limits are left out, and ghosts are told in fewer words."""

TAIL = 8.0
"""Length of the tail behind a character, s."""

_HALO = [patheffects.withStroke(linewidth=2.5, foreground="white", alpha=0.85)]


@dataclass(frozen=True)
class MapArtists(Drawing):
    """What `plot_map` drew, by theme, for further styling and for tests.

    Attributes:
        axes: Where it was drawn.
        cones: Per (agent, cone): the filled region in view, and the outline of the hold limits.
        rays: Per (agent, target): the reason drawn, and the line.
        ghosts: Per (agent, target) out of view: the mark at its believed position, or without a
            memory where it was last seen.
        ghost_places: Per (agent, target): that position, x and y in m, and its label; none
            on another floor than the one that is shown.
        uncertainties: Per (agent, target): the circle of the belief's uncertainty.
        bodies: Per character: its mark.
        lamps: Per bearer: its light, from the reach inwards.
        tails: Per character: its tail.
        noises: Per number in the table `noises`: what was drawn of it.
        reaches: Per (agent, `touch`, `catch` or `arrive`): the circle within which it is so.
        territories: Per agent that is bound to one: its edge.
        ways: Per agent: its whole path, if requested.
        searches: Per agent that searches: its points and likelihoods.
        throws: The arcs of things in flight.
        scent: Trails, noses and the wind.
    """

    axes: Axes
    cones: dict[tuple[str, str], list[Artist]] = field(default_factory=dict)
    rays: dict[tuple[str, str], tuple[str, Artist]] = field(default_factory=dict)
    ghosts: dict[tuple[str, str], Artist] = field(default_factory=dict)
    ghost_places: dict[tuple[str, str], tuple[float, float, str]] = field(default_factory=dict)
    uncertainties: dict[tuple[str, str], Circle] = field(default_factory=dict)
    bodies: dict[str, Artist] = field(default_factory=dict)
    lamps: dict[str, list[Artist]] = field(default_factory=dict)
    tails: dict[str, LineCollection] = field(default_factory=dict)
    noises: dict[int, NoiseArtists] = field(default_factory=dict)
    reaches: dict[tuple[str, str], Circle] = field(default_factory=dict)
    territories: dict[str, PathPatch] = field(default_factory=dict)
    ways: dict[str, Line2D] = field(default_factory=dict)
    searches: dict[str, SearchArtists] = field(default_factory=dict)
    throws: list[ThrowArtists] = field(default_factory=list)
    scent: ScentArtists = field(default_factory=ScentArtists)


def plot_map(
    run: Run,
    *,
    at: float,
    ax: Axes | None = None,
    agents: Sequence[str] | None = None,
    tail: float = TAIL,
    around: str | None = None,
    radius: float = 12.0,
    ways: bool = False,
    floor: str | None = None,
) -> MapArtists:
    """Draw the level, all characters, and who sees whom at one time.

    Args:
        run: The run.
        at: The time, s; the last tick at or before it is drawn.
        ax: Where to draw; a new figure of 1280 x 800 pixels if absent.
        agents: Agents whose cones, rays and beliefs are drawn; all if absent.
        tail: Length of the tails, s.
        around: A character to show from near, if it is there at that time.
        radius: How much of the level around it, m.
        ways: Whether to draw all that each agent has walked until then.
        floor: A floor of the level: everything on others is faint. All alike if absent.

    Raises:
        InputError: The time lies outside the run, or an agent or the floor is unknown.
    """
    tick = run.tick_at(at)
    t = float(run.times[tick])
    for name in agents or ():
        one_of(name, run.agents, source="agent", place="", what="agent")
    if around is not None:
        one_of(around, run.names, source="around", place="", what="character")
    if floor is not None:
        one_of(floor, run.level.floor_names, source="floor", place="", what="floor")
    if not (radius > 0 and np.isfinite(radius)):
        raise InputError.of("radius", "", f"{radius:g} m", "must be above 0 m")
    if not tail >= 0:
        raise InputError.of("tail", "", f"{tail:g} s", "must be 0 s or more")
    shown = tuple(agents) if agents is not None else run.agents
    if ax is None:
        title = run.info["title"] or run.info["scenario"]
        storey = "" if floor is None else f", {floor}"
        figure, ax = new_figure(f"{title}   ·   map at {t:.2f} s{storey}")
        figure.subplots_adjust(left=0.045, right=0.775, top=0.935, bottom=0.065)
    artists = MapArtists(ax)
    colours = agent_colours(run.agents)
    poses = who_is_there(run, tick)
    level = level_at(run, tick)
    draw_level(ax, level, light=run.setup.light, floor=floor)
    _draw_tails(artists, run, t, tail, colours)
    height = _height_looked_for(run, shown, poses)
    _draw_lamps(artists, run, level, poses, height)
    for agent in shown:
        if agent in poses:
            few = len(shown) <= CROWD
            _draw_cones(artists, run, level, agent, tick, poses, colours[agent], height, few)
    artists.noises.update(draw_noises(ax, run, shown, t, colours, floor=floor))
    reaches = draw_reaches(ax, run, shown, tick, poses, colours, floor=floor)
    artists.reaches.update(reaches)
    artists.territories.update(draw_territories(ax, run, shown, colours))
    if ways:
        artists.ways.update(draw_ways(ax, run, shown, t, colours))
    for agent in shown:
        search = draw_search(ax, run, agent, t, colours[agent], floor=floor)
        if search is not None:
            artists.searches[agent] = search
    artists.throws.extend(draw_throws(ax, run, t, floor=floor))
    draw_trails(artists.scent, ax, run, shown, tick, poses, colours, floor=floor)
    _draw_rays(artists, run, shown, t, poses)
    _draw_ghosts(artists, run, shown, t, colours, floor)
    _draw_bodies(artists, run, poses, colours)
    if floor is not None:
        _fade_others(artists, run, poses, floor)
    frame_map(ax, run, around=poses.get(around or ""), radius=radius)
    _write_labels(artists, run, tick, poses, colours)
    ears = ear_height(run) if artists.noises else None
    _legend(artists, run, height, ears)
    return artists


def _fade_others(artists: MapArtists, run: Run, poses: dict[str, Any], floor: str) -> None:
    """Fade characters on other floors, with their cones and paths."""
    here = {
        name for name, pose in poses.items() if run.level.floor_at(pose.x, pose.y, pose.z) == floor
    }
    faint: list[Artist] = [body for name, body in artists.bodies.items() if name not in here]
    faint += [tail for name, tail in artists.tails.items() if name not in here]
    faint += [ray for pair, (_, ray) in artists.rays.items() if not here & {*pair}]
    for (agent, _), drawn in artists.cones.items():
        faint += drawn if agent not in here else []
    for name, light in artists.lamps.items():
        faint += light if name not in here else []
    for artist in faint:
        alpha = artist.get_alpha()
        artist.set_alpha(FAINTNESS * (1.0 if not isinstance(alpha, float) else alpha))


def _draw_tails(
    artists: MapArtists, run: Run, t: float, tail: float, colours: dict[str, str]
) -> None:
    poses = run.rows("poses")
    late = (poses["t"] >= t - tail - 1e-9) & (poses["t"] <= t + 1e-9)
    recent = poses.take(late & poses["present"])
    for name in run.names:
        rows = recent.where(id=name)
        points = np.column_stack([rows["x"], rows["y"]])
        if len(points) < 2 or float(np.ptp(points, axis=0).max()) < 0.05:
            continue
        pieces = np.stack([points[:-1], points[1:]], axis=1)
        fade = np.clip(1 - (t - rows["t"][1:]) / max(tail, 1e-9), 0.05, 1)
        line = LineCollection(
            list(pieces),
            colors=[to_rgba(colours.get(name, INK), float(share)) for share in fade],
            linewidths=2.2,
            zorder=4,
            capstyle="round",
        )
        artists.axes.add_collection(line)
        artists.tails[name] = line


def _height_looked_for(run: Run, agents: Sequence[str], poses: dict[str, Any]) -> float:
    """The middle of the lowest body that an agent of these notices, m above the ground."""
    heights = []
    for agent in agents:
        profile = run.setup.profile_of(agent)
        for name, pose in poses.items():
            if profile.sees(run.setup.cast[name].team) and name != agent:
                heights.append(_body_height(run, name, pose) / 2)
    return min(heights, default=0.5)


def _body_height(run: Run, name: str, pose: Any) -> float:
    return run.setup.body_of(name).heights()[POSTURES.index(pose.posture)]


def _draw_cones(
    artists: MapArtists,
    run: Run,
    level: Level,
    agent: str,
    tick: int,
    poses: dict[str, Any],
    colour: str,
    height: float,
    hold_too: bool,
) -> None:
    pose = poses[agent]
    eye = (pose.x, pose.y, pose.z + _body_height(run, agent, pose) * run.setup.body_of(agent).eyes)
    awake = awake_at(run, agent, "sight", tick)
    if awake <= 0.0:
        return
    for name, cone in cones_at(run, agent, tick).items():
        gain = visible_region(
            level,
            eye=eye,
            heading_deg=pose.heading_deg,
            fov_whole=cone.fov_whole,
            range=cone.range * awake,
            height=pose.z + height,
        )
        hold = visible_region(
            level,
            eye=eye,
            heading_deg=pose.heading_deg,
            fov_whole=cone.hold_fov_whole or cone.fov_whole,
            range=(cone.hold_range or cone.range) * awake,
            height=pose.z + height,
        )
        ax = artists.axes
        held = shapely.union(hold.clear, hold.dimmed)
        drawn: list[Artist] = [
            ax.add_artist(
                PathPatch(
                    outline_of(gain.clear),
                    facecolor=colour,
                    edgecolor=colour,
                    lw=0.9,
                    alpha=0.20,
                    zorder=1.5,
                )
            ),
            ax.add_artist(
                PathPatch(
                    outline_of(gain.dimmed),
                    facecolor=colour,
                    edgecolor="none",
                    alpha=0.09,
                    zorder=1.5,
                )
            ),
            ax.add_artist(
                PathPatch(
                    outline_of(held),
                    facecolor="none",
                    edgecolor=colour,
                    lw=0.8,
                    ls=(0, (3, 3)),
                    alpha=0.6,
                    zorder=1.6,
                    visible=hold_too,
                )
            ),
        ]
        artists.cones[agent, name] = drawn


def _draw_lamps(
    artists: MapArtists, run: Run, level: Level, poses: dict[str, Any], height: float
) -> None:
    """The light of each lamp in four steps out to its reach, cut by walls."""
    for name, pose in poses.items():
        lamp = run.setup.cast[name].lamp
        if lamp is None:
            continue
        z = pose.z + _body_height(run, name, pose) / 2
        rings: list[Artist] = []
        for share in (1.0, 0.75, 0.5, 0.25):
            lit = visible_region(
                level,
                eye=(pose.x, pose.y, z),
                heading_deg=0.0,
                fov_whole=360.0,
                range=lamp.reach * share,
                height=pose.z + height,
            )
            patch = PathPatch(
                outline_of(lit.clear),
                facecolor=LAMPLIGHT,
                lw=0,
                alpha=0.45 * lamp.light,
                zorder=0.7,
            )
            rings.append(artists.axes.add_artist(patch))
        artists.lamps[name] = rings


def _draw_rays(
    artists: MapArtists, run: Run, agents: Sequence[str], t: float, poses: dict[str, Any]
) -> None:
    for agent in agents:
        for target in poses:
            noticed = run.setup.profile_of(agent).sees(run.setup.cast[target].team)
            if target == agent or agent not in poses or not noticed:
                continue
            reason, place = reason_of_look(run, agent, target, at=t)
            if reason in ("cares", "present", "awake"):
                continue
            style = REASON_STYLES[reason]
            a, b = poses[agent], poses[target]
            wall = place if reason == "line_of_sight" else None
            end = (b.x, b.y) if wall is None else wall
            ax = artists.axes
            (line,) = ax.plot(
                [a.x, end[0]],
                [a.y, end[1]],
                color=style.colour,
                ls=style.line,
                lw=1.8 if reason == "in_view" else 1.3,
                zorder=5,
            )
            if wall is not None:
                ax.plot(
                    *end,
                    marker=style.mark,
                    ms=7,
                    color=style.colour,
                    mec="white",
                    mew=0.8,
                    zorder=6.5,
                )
                ax.plot(
                    [end[0], b.x],
                    [end[1], b.y],
                    color=style.colour,
                    ls=(0, (1, 3)),
                    lw=0.8,
                    zorder=4.9,
                )
            else:
                share = 0.55 if reason != "in_view" else 0.86
                ax.plot(
                    a.x + share * (b.x - a.x),
                    a.y + share * (b.y - a.y),
                    marker=style.mark,
                    ms=5.5,
                    color=style.colour,
                    mec="white",
                    mew=0.8,
                    zorder=5.5,
                )
            artists.rays[agent, target] = (reason, line)


def _draw_ghosts(
    artists: MapArtists,
    run: Run,
    agents: Sequence[str],
    t: float,
    colours: dict[str, str],
    floor: str | None,
) -> None:
    """Hollow marks where an agent believes a target, or last saw it if it has no memory.

    Those on another floor than one that is shown are faint, and have no label.
    """
    for agent in agents:
        if run.setup.profile_of(agent).memory is None:
            _draw_last_seen(artists, run, agent, t, colours[agent], floor)
    now = beliefs_at(run, run.tick_at(t))
    crowded = len(agents) > CROWD
    now = now.take(not_sensed(now))
    for row, share in zip(now.each(), shares_on(run, now, floor).tolist(), strict=True):
        if row.agent not in agents:
            continue
        words = f"{row.target} to {row.agent}: {row.source.replace('_', ' ')}, {row.age:.1f} s"
        words = f"{row.agent}, {row.age:.1f} s" if crowded else words
        doubt = Circle(
            (row.x, row.y), row.uncertainty, fill=False, ec=colours[row.agent], lw=1.0,
            ls=(0, (4, 2)), alpha=0.8 * share, zorder=5.8,
        )  # fmt: skip
        artists.axes.add_artist(doubt)
        artists.uncertainties[row.agent, row.target] = doubt
        place = row.x, row.y
        _mark_ghost(artists, row.agent, row.target, place, words, colours[row.agent], share)


def _draw_last_seen(
    artists: MapArtists, run: Run, agent: str, t: float, colour: str, floor: str | None
) -> None:
    events = run.rows("events").where(agent=agent)
    past = events.take((events["t"] <= t + 1e-9) & np.isin(events["kind"], ["saw", "lost"]))
    for event in past.last_of_each("target").where(kind="lost").each():
        target = event.target
        sight = run.rows_of("sight", agent, target)
        looks = sight["t"][sight["in_view"]]
        tick = run.tick_at(float(looks[looks < event.t].max()))
        poses, n = run.rows("poses"), tick * len(run.names) + run.names.index(target)
        where, share = poses.row(n), float(shares_on(run, poses.take(slice(n, n + 1)), floor)[0])
        words = f"{target} last seen by {agent}, {t - run.times[tick]:.1f} s ago"
        _mark_ghost(artists, agent, target, (float(where.x), float(where.y)), words, colour, share)


def _mark_ghost(
    artists: MapArtists,
    agent: str,
    target: str,
    place: tuple[float, float],
    words: str,
    colour: str,
    share: float,
) -> None:
    ax, look = artists.axes, {"ls": "none", "alpha": share}
    (mark,) = ax.plot(*place, marker="o", ms=11, mfc="none", mec=colour, mew=1.4, zorder=6, **look)
    ax.plot(*place, marker=question_mark(), ms=5, color=colour, zorder=6.1, **look)
    artists.ghosts[agent, target] = mark
    artists.ghost_places[agent, target] = (*place, words if share == 1.0 else "")


CLUE_LABEL = "clue: something is out of order"


def _draw_bodies(
    artists: MapArtists, run: Run, poses: dict[str, Any], colours: dict[str, str]
) -> None:
    for name, pose in poses.items():
        ax = artists.axes
        senses = name in colours
        colour = colours.get(name, INK)
        (body,) = ax.plot(
            pose.x,
            pose.y,
            marker=mark_of(run, name, pose.heading_deg),
            ms=15 if senses else 13,
            mfc=colour if senses else "white",
            mec="white" if senses else INK,
            mew=1.3,
            ls="none",
            zorder=8,
        )
        artists.bodies[name] = body


def mark_of(run: Run, name: str, heading_deg: float) -> Outline:
    """The mark of a body, a dart that points where it faces; of a clue an upright triangle."""
    if run.setup.cast[name].clue is not None:
        return Outline(np.array([[0.0, 1.0], [-0.95, -0.7], [0.95, -0.7], [0.0, 1.0]]), closed=True)
    a = np.radians(heading_deg)
    tip = np.array([[1.0, 0.0], [-0.75, 0.65], [-0.4, 0.0], [-0.75, -0.65], [1.0, 0.0]])
    turn = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    return Outline(tip @ turn, closed=True)


def _write_labels(
    artists: MapArtists, run: Run, tick: int, poses: dict[str, Any], colours: dict[str, str]
) -> None:
    """Names of characters first, then ghosts, walls and zones as far as there is room."""
    labels = Labels(artists.axes)
    halo: dict[str, Any] = {"path_effects": _HALO, "zorder": 9}
    for pose in poses.values():
        labels.keep_free(pose.x, pose.y, radius=6)
    for tail in artists.tails.values():
        for piece in tail.get_segments()[::5]:
            labels.keep_free(*piece[0], radius=1.5)
    for x, y, _ in artists.ghost_places.values():
        labels.keep_free(x, y, radius=7)
    for noise in artists.noises.values():
        labels.keep_free(*noise.place, radius=6)
    for name, pose in poses.items():
        posture = "" if pose.posture == "standing" else f" ({pose.posture})"
        state = state_at(run, name, tick) if name in colours else ""
        text, colour = name + (f": {state}" if state else posture), colours.get(name, INK)
        labels.place(
            pose.x,
            pose.y,
            text,
            gap=9,
            needed=True,
            fontsize=9,
            weight="bold",
            color=colour,
            **halo,
        )
    small: dict[str, Any] = {"needed": True, **halo}
    for (agent, _), (x, y, words) in artists.ghost_places.items():
        if words:
            labels.place(x, y, words, gap=9, fontsize=7, color=colours[agent], **small)
    for drawn, gap in ((artists.noises.values(), 9), (artists.throws, 6)):
        for each in drawn:
            if each.text:
                labels.place(*each.place, each.text, gap=gap, fontsize=8, color=NOISE, **small)
    label_level(labels, run.level)


def frame_map(ax: Axes, run: Run, *, around: Any = None, radius: float = 12.0) -> None:
    """Show the level and all paths, or the area around one pose, with equal scales."""
    bounds = extent_of(run)
    margin = max(1.0, 0.02 * float(max(bounds[2] - bounds[0], bounds[3] - bounds[1])))
    if around is not None:
        bounds = np.array([around.x, around.y, around.x, around.y])
        margin = radius
    ax.set_xlim(
        bounds[0] - margin * (1.0 if around is None else 1.3),
        bounds[2] + margin * (1.0 if around is None else 1.3),
    )
    ax.set_ylim(bounds[1] - margin, bounds[3] + margin)
    ax.set_aspect("equal")
    ax.set_xlabel("x, m", color=INK)
    ax.set_ylabel("y, m", color=INK)
    ax.tick_params(colors=INK, labelsize=8)
    for spine in ax.spines.values():
        spine.set_color(FAINT)


def _legend(artists: MapArtists, run: Run, height: float, ears: float | None) -> None:
    ax, level, light = artists.axes, run.level, run.setup.light
    handles: list[Any] = [
        Line2D(
            [],
            [],
            color=REASON_STYLES[key].colour,
            ls=REASON_STYLES[key].line,
            marker=REASON_STYLES[key].mark,
            mec="white",
            label=words,
        )
        for key, words in REASONS.items()
        if key in (SIGHT.sensed, *SIGHT.limits)
    ]
    handles += reach_handles({what for _, what in artists.reaches})
    handles += noise_handles() if artists.noises else []
    handles += trail_handles(artists.scent)
    handles += minds_handles(
        territory=bool(artists.territories),
        search=bool(artists.searches),
        likelihood=any(each.cells is not None for each in artists.searches.values()),
        throw=bool(artists.throws),
    )
    if any(run.setup.cast[name].clue for name in artists.bodies):
        handles.append(
            Line2D([], [], marker="^", ls="none", ms=8, mfc="white", mec=INK, label=CLUE_LABEL)
        )
    handles += [
        Line2D([], [], marker=">", ls="none", ms=8, color=INK, label="agent, facing right"),
        Line2D(
            [],
            [],
            marker=">",
            ls="none",
            ms=8,
            mfc="white",
            mec=INK,
            label="character without senses",
        ),
        Line2D(
            [],
            [],
            marker="o",
            ls="none",
            ms=9,
            mfc="none",
            mec=INK,
            label="believed place (of whom, age)",
        ),
        Line2D([], [], color=INK, lw=1.0, ls=(0, (4, 2)), label="a belief's uncertainty"),
        Patch(facecolor=INK, alpha=0.2, label="cone: in view (gain limits)"),
        Patch(facecolor=INK, alpha=0.09, label="cone: seen through a wall"),
        Patch(facecolor="none", edgecolor=INK, ls="--", label="cone: hold limits, if drawn"),
        *(
            Patch(facecolor=colour, edgecolor="#2e2a24", label=f"wall, {words}")
            for _, colour, words in WALL_SHADES
        ),
        Patch(
            facecolor="#dcebd9",
            edgecolor=SHEER_EDGE,
            hatch="....",
            ls="--",
            label="wall one can see through",
        ),
        Patch(facecolor="#f6f0dc", edgecolor="#b3aa90", ls="--", label="zone"),
        Patch(facecolor=LAMPLIGHT, edgecolor="#d8c67a", label="light of a lamp, or a lit zone"),
        Patch(facecolor=FLOOR, edgecolor=FLOOR_EDGE, label="floor; hatched: it slopes"),
        Line2D([], [], marker="+", ms=5, mew=0.9, color="#777777", ls="none", label="spot"),
        Line2D([], [], color=EDGE, lw=1.4, ls=(0, (6, 2, 1, 2)), label="edge: stops feet only"),
        Line2D([], [], color=DOOR, lw=3.0, label="door; dotted: it stands open"),
        Line2D(
            [],
            [],
            color=LINK,
            lw=1.4,
            ls=(0, (1, 1)),
            marker="o",
            ms=3,
            label="link: a ladder, a drop, a jump",
        ),
    ]
    drawn = {
        "spot": level.data.spots,
        "edge: stops feet only": level.data.edges,
        "link: a ladder, a drop, a jump": level.data.links,
        "door; dotted: it stands open": [wall for wall, _ in level.data.walls if wall.door],
        "floor; hatched: it slopes": level.data.floors,
    }
    handles = [each for each in handles if drawn.get(str(each.get_label()), True)]
    ax.legend(
        handles=handles,
        loc="upper left",
        bbox_to_anchor=(1.01, 1.0),
        fontsize=8.5,
        frameon=False,
        labelspacing=0.75 if len(handles) <= 21 else max(0.75 - 0.06 * (len(handles) - 21), 0.2),
        handlelength=2.6,
        borderaxespad=0.0,
    )
    ax.text(
        1.022,
        0.0,
        "Cones are cut for a body whose\n"
        f"middle is {height:.2f} m above the\nground an agent stands on.\n"
        + (f"Noises are for an ear {ears:.2f} m up\nin the quiet.\n" if ears else "")
        + "\n"
        f"Light where no zone says\notherwise: {light:g} (0 dark, 1 day).",
        transform=ax.transAxes,
        fontsize=8,
        color="#55504a",
        va="bottom",
    )
