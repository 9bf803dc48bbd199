"""Noises on the map: how far each carries, cut by walls, and who heard it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.colors import to_rgb
from matplotlib.lines import Line2D
from matplotlib.patches import Circle, Patch
from numpy.typing import NDArray

from snelk.config.steps import STEP
from snelk.config.words import POSTURES
from snelk.level.rays import shares_past
from snelk.plots.appearance import INK, NOISE, shares_of, shares_on
from snelk.runs.events import describe_noise
from snelk.runs.turning import level_at
from snelk.senses.hearing import LIFT, UNDERFOOT

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.axes import Axes

    from snelk.level.level import Level
    from snelk.runs.rows import Row, Rows
    from snelk.runs.run import Run

RECENT = 1.0
"""Noises of the last so many seconds are drawn; of each maker and kind only the last."""

FINENESS = 81
"""Points along each side of the square over which a noise is worked out."""


@dataclass
class NoiseArtists:
    """What was drawn of one noise.

    Attributes:
        text: What it was; empty if it is on another floor than the one that is shown.
        place: Where, x and y in m.
        mark: Its mark; filled if anybody shown heard it.
        ring: Its reach in the open.
        through, around: Outlines of where it is heard straight, and by a path on foot.
        ears: Per agent that heard it: the line to its ear.
    """

    text: str
    place: tuple[float, float]
    mark: Line2D
    ring: Circle
    through: Artist
    around: Artist
    ears: dict[str, Line2D] = field(default_factory=dict)


def draw_noises(
    ax: Axes, run: Run, agents: Sequence[str], t: float, colours: dict[str, str],
    *, floor: str | None = None,
) -> dict[int, NoiseArtists]:  # fmt: skip
    """Draw the noises of the last moment, by their number in the table `noises`.

    Those on another floor than one that is shown are faint, and have no label; not so a line to
    an ear that is on it.
    """
    noises, judged = run.rows("noises"), run.rows("hearing")
    recent = noises.take((noises["t"] > t - RECENT) & (noises["t"] <= t + 1e-9))
    heard = judged.take(judged["heard"] & (judged["t"] <= t + 1e-9))
    heard = heard.take(np.isin(heard["agent"], agents))
    drawn: dict[int, NoiseArtists] = {}
    recent = recent.last_of_each("by", "kind")
    for row, share in zip(recent.each(), shares_on(run, recent, floor).tolist(), strict=True):
        by = heard.take(heard["noise"] == row.noise)
        drawn[int(row.noise)] = _draw_noise(ax, run, row, by, colours, share, floor)
    return drawn


def ear_height(run: Run) -> float:
    """How high the ears of the agents are on average while they stand, m."""
    bodies = [run.setup.body_of(agent) for agent in run.agents]
    heights = [body.heights()[POSTURES.index("standing")] * body.eyes for body in bodies]
    return float(np.mean(heights)) if heights else 1.0


def _usual_ground(run: Run) -> float:
    """How high the feet of the agents are in the middle of all moments, m."""
    poses = run.rows("poses")
    z = poses["z"][np.isin(poses["id"], run.agents) & ~np.isnan(poses["z"])]
    return float(np.median(z)) if len(z) else 0.0


def carried(
    run: Run, source: tuple[float, float, float], reach: float, level: Level
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """How far inside its limit an ordinary ear is at each place about a noise.

    Returns x and y, (places,), m, and over (y, x) what is left of the reach on the straight path
    and on foot, m: 0 at the limit, negative beyond.
    """
    x = np.linspace(source[0] - 1.02 * reach, source[0] + 1.02 * reach, FINENESS)
    y = np.linspace(source[1] - 1.02 * reach, source[1] + 1.02 * reach, FINENESS)
    places = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    ground = run.level.footing(*source) if run.level.data.floors else _usual_ground(run)
    up = ear_height(run) + (0.0 if np.isnan(ground) else ground)
    ears = np.column_stack([places, np.full(len(places), up)])
    start = np.broadcast_to(np.add(source, (0.0, 0.0, LIFT)), ears.shape).copy()
    through = shares_past(level.sound_grid, start, ears)
    straight = np.sqrt(((ears - start) ** 2).sum(axis=1))
    limit = np.full(len(places), reach)
    feet = np.column_stack([places, np.full(len(places), source[2])])  # as high as it sounds
    start[:, 2] += UNDERFOOT - STEP  # as high as feet would be on the floor of the noise
    lower = min(source[2], float(ground))
    walked = level.sound_ways_through(frozenset(), lower).distance(start, feet, limit)
    rise = ears[:, 2] - source[2]
    on_foot = np.hypot(np.where(np.isinf(walked), 2 * reach, walked), rise)
    shape = (FINENESS, FINENESS)
    return x, y, (reach * through - straight).reshape(shape), (reach - on_foot).reshape(shape)


def _draw_noise(
    ax: Axes, run: Run, noise: Row, heard: Rows, colours: dict[str, str], share: float,
    floor: str | None,
) -> NoiseArtists:  # fmt: skip
    ring = Circle(
        (noise.x, noise.y), noise.reach, fill=False, ec=NOISE, lw=0.7, ls=(0, (1, 3)), alpha=share,
        zorder=4.2,
    )  # fmt: skip
    ax.add_artist(ring)
    x, y, straight, on_foot = carried(
        run, (noise.x, noise.y, noise.z), noise.reach, level_at(run, run.tick_at(noise.t))
    )
    ax.contourf(
        x, y, np.maximum(straight, on_foot), levels=[0.0, np.inf], colors=[NOISE],
        alpha=0.10 * share, zorder=1.4,
    )  # fmt: skip
    edge: dict[str, Any] = {
        "levels": [0.0], "colors": [NOISE], "linewidths": 1.3, "alpha": share, "zorder": 4.3,
    }  # fmt: skip
    through = ax.contour(x, y, straight, **edge)
    around = ax.contour(x, y, on_foot, linestyles="--", **edge)
    (mark,) = ax.plot(
        noise.x,
        noise.y,
        marker="*",
        ms=11,
        mfc=NOISE if len(heard) else "white",
        mec="white" if len(heard) else NOISE,
        mew=1.0 if len(heard) else 1.4,
        ls="none",
        alpha=share,
        zorder=8.5,
    )
    text = describe_noise(noise.kind, noise.gait, noise.ground)
    maker = f"{noise.by}: " if noise.by and noise.kind != "step" else ""
    text = maker + text if share == 1.0 else ""
    artists = NoiseArtists(text, (noise.x, noise.y), mark, ring, through, around)
    for row in heard.each():
        tick = run.tick_at(row.t)
        pose = run.rows("poses").row(tick * len(run.names) + run.names.index(row.agent))
        own = shares_of(run, run.level.floors_at(np.array([[pose.x, pose.y, pose.z]])), floor)
        (line,) = ax.plot(
            [noise.x, pose.x], [noise.y, pose.y], color=colours[row.agent], lw=1.6,
            ls=(0, (0.6, 1.6)), dash_capstyle="round", alpha=max(share, own[0]), zorder=5.2,
        )  # fmt: skip
        artists.ears[row.agent] = line
    return artists


def noise_handles() -> list[Any]:
    """What the legend says about noises."""
    star: dict[str, Any] = {"marker": "*", "ls": "none", "ms": 11.0}
    region = Patch(facecolor=(*to_rgb(NOISE), 0.12), edgecolor=NOISE)
    region.set_label("heard by an ordinary ear")
    return [
        Line2D([], [], color=NOISE, mec="white", label="noise, heard", **star),
        Line2D([], [], color=NOISE, mfc="white", label="noise, not heard", **star),
        region,
        Line2D([], [], color=NOISE, ls="--", label="… by a way around walls"),
        Line2D([], [], color=INK, ls=(0, (0.6, 1.6)), lw=1.6, label="heard by this agent"),
    ]
