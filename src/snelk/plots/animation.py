"""A run as an animation: the map at each moment, and lanes with the time below."""

from __future__ import annotations

import math
import shutil
import subprocess
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

import numpy as np
from matplotlib import patheffects
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.collections import LineCollection
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Circle, PathPatch, Rectangle
from numpy.typing import NDArray
from PIL import Image

from snelk.config.words import POSTURES
from snelk.errors import InputError, one_of
from snelk.files import claim, written
from snelk.level.visible import visible_region
from snelk.plots.appearance import (
    BLUE,
    DOOR,
    FAINTNESS,
    INK,
    LAMPLIGHT,
    NOISE,
    PAPER,
    REASON_STYLES,
    VERMILION,
    agent_colours,
    rank_shade,
    shares_on,
)
from snelk.plots.ground import draw_level, outline_of
from snelk.plots.labels import Labels
from snelk.plots.map import frame_map, mark_of
from snelk.plots.minds import draw_search, draw_territories, question_mark
from snelk.runs.dense import beliefs_at, not_sensed
from snelk.runs.standing import awake_at, cones_at, state_at, who_is_there
from snelk.runs.turning import level_at

if TYPE_CHECKING:
    from matplotlib.artist import Artist

    from snelk.runs.run import Progress, Run

Picture = NDArray[np.uint8]
"""(height, width, 4): red, green, blue, opaque."""

MOVING = (".gif", ".mp4")
MOST_FRAMES = 5000
TAIL = 6.0
"""Length of the tail behind a character, s."""

HEARD_FOR = 0.6
"""How long a noise is shown, s."""

_HALO = [patheffects.withStroke(linewidth=2.5, foreground="white", alpha=0.85)]


class Animation:
    """The pictures of a run, one for each time asked for.

    Attributes:
        figure: The figure that is drawn anew for each.
        target: About whom the strip of lanes tells.
        shown: The artists of the last picture that are not the same in all, by theme.
    """

    def __init__(
        self,
        run: Run,
        *,
        start: float,
        end: float,
        target: str,
        size: tuple[int, int],
        floor: str | None = None,
    ) -> None:
        self.run, self.floor = run, floor
        self._here: set[str] | None = None  # who is on the floor that is shown
        self.window = start, end
        self.target = target
        self.colours = agent_colours(run.agents)
        self.figure = Figure(figsize=(size[0] / 100, size[1] / 100), dpi=100, facecolor=PAPER)
        self.canvas = cast(Any, FigureCanvasAgg(self.figure))
        self.shown: dict[str, list[Artist]] = {}
        self._regions: dict[tuple[str, str], tuple[Any, Any]] = {}
        lanes = min(0.34, (12.0 * len(run.agents) + 34.0) / size[1])
        left = 9.0 * min(max(map(len, run.agents), default=4), 14) / size[0] + 8 / size[0]
        self.map = self.figure.add_axes((0.05, lanes + 0.065, 0.94, 0.885 - lanes))
        self.lanes = self.figure.add_axes((left, 30 / size[1], 0.99 - left, lanes - 34 / size[1]))
        self._draw_ground()
        self._draw_lanes()
        self.canvas.draw()
        self._background = self.canvas.copy_from_bbox(self.figure.bbox)

    def picture(self, t: float) -> Picture:
        """The picture at a time, s."""
        self.canvas.restore_region(self._background)
        tick = self.run.tick_at(t)
        self._level = level_at(self.run, tick)
        poses = who_is_there(self.run, tick)
        before = {*self.map.get_children(), *self.lanes.get_children()}
        self.shown = {}
        if self.floor is not None:
            level = self.run.level
            on = {name: level.floor_at(pose.x, pose.y, pose.z) for name, pose in poses.items()}
            self._here = {name for name, floor in on.items() if floor == self.floor}
        self._doors()
        self._lamps(poses)
        self._cones(poses, tick)
        self._tails(t)
        self._noises(t)
        self._rays(poses, tick)
        self._beliefs(tick)
        for agent in self.run.agents:
            draw_search(self.map, self.run, agent, t, self.colours[agent], floor=self.floor)
        self._bodies(poses)
        self._names(poses, tick)
        title = self.run.info["title"] or self.run.info["scenario"]
        storey = "" if self.floor is None else f", {self.floor}"
        words = self.figure.text(
            0.012, 0.985, f"{title}   ·   {t:.1f} s{storey}", va="top", fontsize=11, weight="bold",
            color=INK, parse_math=False,
        )  # fmt: skip
        self._keep("cursor", self.lanes.axvline(t, color=VERMILION, lw=1.8, zorder=6))
        # Sorted as a whole figure is; removed again afterwards.
        fresh = [
            each
            for axes in (self.map, self.lanes)
            for each in axes.get_children()
            if each not in before
        ]
        for artist in sorted(fresh, key=lambda each: each.get_zorder()):
            (artist.axes or self.map).draw_artist(artist)
        self.figure.draw_artist(words)
        picture = np.asarray(self.canvas.buffer_rgba()).copy()
        for artist in (*fresh, words):
            artist.remove()
        return picture

    def _keep(self, theme: str, artist: Artist, *whose: str) -> None:
        """Keep what was drawn; faint if it belongs to characters on other floors."""
        self.shown.setdefault(theme, []).append(artist)
        if whose and self._here is not None and self._here.isdisjoint(whose):
            alpha = artist.get_alpha()
            artist.set_alpha(FAINTNESS * (1.0 if not isinstance(alpha, float) else alpha))

    def _draw_ground(self) -> None:
        level = self.run.level
        doors = frozenset(np.array(level.wall_names)[level.is_door].tolist())
        # Doors as if all stood open; those that are shut are drawn over it picture by picture.
        bare = level.as_turned(doors, ()) if doors else level
        draw_level(self.map, bare, light=self.run.setup.light, floor=self.floor)
        draw_territories(self.map, self.run, self.run.agents, self.colours)
        frame_map(self.map, self.run)
        self.map.set_ylabel("y, m", labelpad=0)
        self.map.set_xlabel("x, m", labelpad=0)
        self.map.tick_params(labelsize=7)
        for axis in (self.map.xaxis, self.map.yaxis):
            axis.label.set_fontsize(8)

    def _draw_lanes(self) -> None:
        """Alert states of each agent, darker by rank, and a bar while it has the target in view."""
        run, (start, end) = self.run, self.window
        for row, agent in enumerate(run.agents):
            states = run.rows("states").where(agent=agent)
            times = [*states["t"].clip(start, end), end]
            for (a, b), rank in zip(pairwise(times), states["rank"], strict=True):
                if b > a:
                    self.lanes.add_patch(
                        Rectangle(
                            (a, row - 0.45), b - a, 0.9, fc=rank_shade(int(rank)), ec=INK, lw=0.3
                        )
                    )
            if agent != self.target:
                for span in run.spans(agent, self.target, start=start, end=end):
                    if span.reason == "in_view":
                        bar = Rectangle((span.start, row), span.end - span.start, 0.45, fc=BLUE)
                        self.lanes.add_patch(bar)
        self.lanes.set_xlim(start, end)
        self.lanes.set_ylim(len(run.agents) - 0.5, -0.5)
        self.lanes.set_yticks(range(len(run.agents)), [name[:14] for name in run.agents])
        for label in self.lanes.get_yticklabels():
            label.set_parse_math(False)
        self.lanes.tick_params(labelsize=7, length=2, colors=INK, pad=2)
        words = f"time, s     shade: alert state, darker is higher     bar: {self.target} in view"
        self.lanes.set_xlabel(words, fontsize=7.5, labelpad=1, color=INK, parse_math=False)

    def _region(self, name: tuple[str, str], **how: Any) -> Any:
        """What is seen, kept as long as the eye neither moves nor turns."""
        kept = self._regions.get(name)
        if kept is None or kept[0] != (self._level, how):
            region = outline_of(visible_region(self._level, **how).clear)
            kept = self._regions[name] = (self._level, how), region
        return kept[1]

    def _doors(self) -> None:
        """The doors that are shut."""
        for wall, outline in self._level.data.walls:
            if wall.door and wall.see_through < 1.0:
                patch = PathPatch(
                    outline_of(outline), edgecolor=DOOR, facecolor="none", lw=3.5, zorder=3.2
                )
                self._keep("doors", self.map.add_patch(patch))

    def _height(self, name: str, pose: Any) -> float:
        return self.run.setup.body_of(name).heights()[POSTURES.index(pose.posture)]

    def _cones(self, poses: dict[str, Any], tick: int) -> None:
        setup = self.run.setup
        for agent in self.run.agents:
            awake = awake_at(self.run, agent, "sight", tick) if agent in poses else 0.0
            if awake <= 0.0:
                continue
            pose, profile = poses[agent], setup.profile_of(agent)
            middles = [
                self._height(name, each) / 2
                for name, each in poses.items()
                if name != agent and profile.sees(setup.cast[name].team)
            ]
            up = self._height(agent, pose) * setup.body_of(agent).eyes
            for name, cone in cones_at(self.run, agent, tick).items():
                outline = self._region(
                    (agent, name),
                    eye=(float(pose.x), float(pose.y), float(pose.z) + up),
                    heading_deg=float(pose.heading_deg),
                    fov_whole=cone.fov_whole,
                    range=cone.range * awake,
                    height=float(pose.z) + min(middles, default=0.5),
                )
                patch = PathPatch(
                    outline, fc=self.colours[agent], ec=self.colours[agent], lw=0.7, alpha=0.16,
                    zorder=1.5,
                )  # fmt: skip
                self._keep("cones", self.map.add_artist(patch), agent)

    def _lamps(self, poses: dict[str, Any]) -> None:
        for name, pose in poses.items():
            lamp = self.run.setup.cast[name].lamp
            if lamp is None:
                continue
            z = float(pose.z) + self._height(name, pose) / 2
            for share in (1.0, 0.5):
                outline = self._region(
                    (name, f"lamp {share}"), eye=(float(pose.x), float(pose.y), z), heading_deg=0.0,
                    fov_whole=360.0, range=lamp.reach * share, height=z,
                )  # fmt: skip
                patch = PathPatch(outline, fc=LAMPLIGHT, lw=0, alpha=0.5 * lamp.light, zorder=0.7)
                self._keep("lamps", self.map.add_artist(patch), name)

    def _tails(self, t: float) -> None:
        count, last = len(self.run.names), self.run.tick_at(t)
        first = max(last - round(TAIL / self.run.setup.clock.dt), 0)
        recent = self.run.rows("poses").take(slice(first * count, (last + 1) * count))
        recent = recent.take(recent["present"])
        for name in self.run.names:
            rows = recent.where(id=name)
            points = np.column_stack([rows["x"], rows["y"]])
            if len(points) > 1 and float(np.ptp(points, axis=0).max()) > 0.05:
                colour = self.colours.get(name, INK)
                line = LineCollection([points], colors=colour, linewidths=2, alpha=0.7, zorder=4)
                self._keep("tails", self.map.add_artist(line), name)

    def _noises(self, t: float) -> None:
        noises = self.run.rows("noises")
        recent = noises.take((noises["t"] > t - HEARD_FOR) & (noises["t"] <= t + 1e-9))
        shares = shares_on(self.run, recent, self.floor).tolist()
        for row, share in zip(recent.each(), shares, strict=True):
            fade = 1.0 - (t - row.t) / HEARD_FOR
            ring = Circle(
                (row.x, row.y), row.reach, fill=False, ec=NOISE, lw=1.2, ls=(0, (2, 2)),
                alpha=max(fade, 0.15) * share, zorder=5.5,
            )  # fmt: skip
            self._keep("noises", self.map.add_artist(ring))

    def _rays(self, poses: dict[str, Any], tick: int) -> None:
        """Who has whom in view at the last look."""
        sight, t = self.run.rows("sight"), self.run.times[tick]
        recent = sight.take((sight["t"] <= t + 1e-9) & (sight["t"] > t - 1.0))
        style = REASON_STYLES["in_view"]
        last = recent.last_of_each("agent", "target", "cone")
        seen = last.take(last["in_view"])
        for agent, target in dict.fromkeys(zip(seen["agent"], seen["target"], strict=True)):
            if agent in poses and target in poses:
                a, b = poses[agent], poses[target]
                line = Line2D([a.x, b.x], [a.y, b.y], color=style.colour, lw=1.4, zorder=5)
                self._keep("rays", self.map.add_artist(line), agent, target)

    def _beliefs(self, tick: int) -> None:
        now = beliefs_at(self.run, tick)
        now = now.take(not_sensed(now))
        shares = shares_on(self.run, now, self.floor).tolist()
        for row, share in zip(now.each(), shares, strict=True):
            colour, look = self.colours[row.agent], {"alpha": share}
            doubt = Circle(
                (row.x, row.y), row.uncertainty, fill=False, ec=colour, lw=0.9, ls=(0, (4, 2)),
                zorder=5.8, **look,
            )  # fmt: skip
            self._keep("uncertainties", self.map.add_artist(doubt))
            x, y = [row.x], [row.y]
            mark = Line2D(
                x, y, marker="o", ms=9, mfc="white", mec=colour, mew=1.2, zorder=6, **look
            )
            self._keep("beliefs", self.map.add_artist(mark))
            self.map.add_artist(
                Line2D(x, y, marker=question_mark(), ms=4, color=colour, zorder=6.1, **look)
            )

    def _bodies(self, poses: dict[str, Any]) -> None:
        for name, pose in poses.items():
            senses = name in self.colours
            body = Line2D(
                [pose.x], [pose.y], marker=mark_of(self.run, name, pose.heading_deg), ms=12,
                mfc=self.colours.get(name, "white"), mec="white" if senses else INK, mew=1.1,
                ls="none", zorder=8,
            )  # fmt: skip
            self._keep("bodies", self.map.add_artist(body), name)

    def _names(self, poses: dict[str, Any], tick: int) -> None:
        labels = Labels(self.map)
        for pose in poses.values():
            labels.keep_free(pose.x, pose.y, radius=5)
        for name, pose in poses.items():
            state = state_at(self.run, name, tick) if name in self.colours else ""
            style: dict[str, Any] = {
                "fontsize": 8, "weight": "bold", "color": self.colours.get(name, INK), "zorder": 9,
                "path_effects": _HALO,
            }  # fmt: skip
            whole = f"{name}: {state}" if state else name
            if labels.place(pose.x, pose.y, whole, gap=8, needed=False, **style) is None:
                labels.place(pose.x, pose.y, name, gap=8, needed=True, **style)


def animate(
    run: Run,
    path: str | Path,
    *,
    start: float | None = None,
    end: float | None = None,
    speed: float = 1.0,
    fps: float = 10.0,
    size: tuple[int, int] = (960, 640),
    target: str | None = None,
    floor: str | None = None,
    progress: Progress | None = None,
) -> Path:
    """Write part of a run as an animation: a GIF or, with ffmpeg, an MP4.

    Args:
        run: The run.
        path: A .gif or .mp4.
        start: From when, s; the whole run if absent.
        end: Until when, s.
        speed: Seconds of the run in a second of the picture, 0.01 to 100.
        fps: Pictures a second, 1 to 60.
        size: Width and height in pixels, each 240 to 4000 and, for MP4, made even.
        target: About whom the lanes tell; who was seen most if absent.
        floor: A floor of the level: everything on others is faint. All alike if absent.
        progress: Called after each picture with the number done and the number in all.

    Raises:
        InputError: A number is out of range, there would be too many pictures, the name is
            unknown, ffmpeg is missing, or the file cannot be written.

    >>> import snelk
    >>> import tempfile
    >>> run = snelk.run(snelk.croft() / "night.toml", overrides={"clock.end": 2.0})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     made = animate(run, f"{folder}/night.gif", start=0.0, end=1.0, fps=2, size=(400, 300))
    ...     made.stat().st_size > 10_000
    True
    """
    path = Path(path)
    start = float(run.times[0]) if start is None else start
    end = float(run.times[-1]) if end is None else end
    for t in (start, end):
        run.tick_at(t)
    times = _moments(start, end, speed, fps)
    for side in size:
        _within("size", side, 240, 4000, "pixels")
    if target is None:
        target = _most_seen(run)
    one_of(target, run.names, source="target", place="", what="character")
    if floor is not None:
        one_of(floor, run.level.floor_names, source="floor", place="", what="floor")
    kind = claim(path, *MOVING).suffix.lower()
    if kind == ".mp4":
        size = size[0] // 2 * 2, size[1] // 2 * 2
        if shutil.which("ffmpeg") is None:
            rule = "needs ffmpeg, which was not found"
            raise InputError.of(str(path), "", ".mp4", rule, "install ffmpeg, or write a .gif")
    film = Animation(run, start=start, end=end, target=target, size=size, floor=floor)

    def pictures() -> Iterator[Picture]:
        for n, t in enumerate(times, start=1):
            yield film.picture(t)
            if progress is not None:
                progress(n, len(times))

    with written(path) as draft:
        if kind == ".gif":
            _write_gif(draft, pictures(), fps)
        else:
            _write_mp4(draft, pictures(), fps, size)
    return path


def _moments(start: float, end: float, speed: float, fps: float) -> Sequence[float]:
    _within("speed", speed, 0.01, 100.0, "times")
    _within("fps", fps, 1.0, 60.0, "frames per second")
    if end <= start:
        rule = "must come after the start"
        raise InputError.of("end", "", f"{end:g} s", rule, f"the start is {start:g} s")
    count = math.floor((end - start) / speed * fps + 1e-9) + 1
    if count > MOST_FRAMES:
        fix = "choose a shorter part, a higher speed or fewer frames per second"
        rule = f"would be more than {MOST_FRAMES:,} pictures"
        raise InputError.of("animate", "", f"{count:,} pictures", rule, fix)
    return [start + n * speed / fps for n in range(count)]


def _within(name: str, value: float, least: float, most: float, unit: str) -> None:
    if not least <= value <= most:
        rule = f"must be {least:g} to {most:g}"
        raise InputError.of(name, "", f"{value:g} {unit}", rule)


def _most_seen(run: Run) -> str:
    sight = run.rows("sight")
    counts = Counter(sight["target"][sight["in_view"]].tolist())
    return min(counts, key=lambda name: (-counts[name], name), default=run.names[0])


def _write_gif(path: Path, pictures: Iterator[Picture], fps: float) -> None:
    """Write a GIF; its times are hundredths of a second, and rounding is carried over."""
    first = Image.fromarray(next(pictures)).convert("RGB").quantize(255)
    rest = (
        Image.fromarray(each).convert("RGB").quantize(palette=first, dither=Image.Dither.NONE)
        for each in pictures
    )
    frames = [first, *rest]
    ends = [round(100 * (n + 1) / fps) * 10 for n in range(len(frames))]
    durations = [b - a for a, b in pairwise([0, *ends])]
    first.save(
        path, format="GIF", save_all=True, append_images=frames[1:], duration=durations, loop=0
    )


def _write_mp4(path: Path, pictures: Iterator[Picture], fps: float, size: tuple[int, int]) -> None:
    words = [
        "ffmpeg", "-y", "-loglevel", "error", "-f", "rawvideo", "-pix_fmt", "rgba",
        "-s", f"{size[0]}x{size[1]}", "-r", f"{fps:g}", "-i", "-", "-an", "-c:v", "libx264",
        "-pix_fmt", "yuv420p", "-movflags", "+faststart", "-f", "mp4", str(path),
    ]  # fmt: skip
    with subprocess.Popen(words, stdin=subprocess.PIPE, stderr=subprocess.PIPE) as encoder:
        assert encoder.stdin is not None
        assert encoder.stderr is not None
        try:
            for picture in pictures:
                encoder.stdin.write(picture.tobytes())
            encoder.stdin.close()
        except BrokenPipeError:
            pass  # it says why
        said = encoder.stderr.read().decode(errors="replace").strip()
    if encoder.returncode != 0:
        raise OSError(None, f"ffmpeg: {said.splitlines()[-1] if said else 'failed'}")
