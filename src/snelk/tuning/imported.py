"""Whether an imported recording makes sense: figures of each track, and likely errors."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.foreign import AXES, STILL, Imported
from snelk.level.level import Level

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]

FASTEST, SLOWEST = 15.0, 0.05
"""Hardly anybody on foot moves faster, or as a whole slower, m/s."""

AGREES = 25.0
"""A mean angle between heading and motion up to this is no sign of a wrong zero, degrees."""

STEADY = 0.75
"""Angles are steady if the length of their mean vector is at least this (Fisher 1993, "Statistical
Analysis of Circular Data", 2.3), 0 to 1."""

VARIANTS = {
    "x and y swapped": ("y", "x"),
    "x turned round": ("-x", "y"),
    "y turned round": ("x", "-y"),
    "both turned round": ("-x", "-y"),
    "x and y swapped, then x turned round": ("-y", "x"),
    "x and y swapped, then y turned round": ("y", "-x"),
    "x and y swapped and turned round": ("-y", "-x"),
}
"""Other ways to take the axes, by what they do: what would become x and y."""


@dataclass(frozen=True)
class TrackFigures:
    """One track in figures.

    Attributes:
        id: Whose.
        samples: How many.
        start, end: Times of its first and last sample, s.
        step: The median time from sample to sample, s.
        x, y: Least and largest, m.
        way: Length of its path, m.
        speed, top_speed: Median while it moves, and the speed that one sample in fifty exceeds,
            m/s; NaN for a single sample.
        off_motion: Mean angle from where it goes to where it faces while it moves, degrees,
            counter-clockwise; NaN if it does not move.
        steadiness: 0 if that angle is anything, 1 if it is always the same.
    """

    id: str
    samples: int
    start: float
    end: float
    step: float
    x: tuple[float, float]
    y: tuple[float, float]
    way: float
    speed: float
    top_speed: float
    off_motion: float
    steadiness: float


@dataclass(frozen=True)
class Misplaced:
    """How much of a recording cannot be in a level: shares of its samples, 0 to 1."""

    outside: float
    in_walls: float

    @property
    def wrong(self) -> float:
        """The share of samples at impossible positions."""
        return self.outside + self.in_walls


def figures_of(imported: Imported) -> list[TrackFigures]:
    """The figures of each track, in the order of the ids.

    >>> from snelk.config.foreign import Conventions
    >>> import pandas as pd
    >>> walk = pd.DataFrame({"t": [0.0, 1.0, 2.0], "id": "fox", "x": [0.0, 1.5, 3.0], "y": 0.0,
    ...     "heading": 90.0})
    >>> found = figures_of(Imported("game.csv", Conventions(), walk, "column"))[0]
    >>> found.speed, found.way, round(found.off_motion)
    (1.5, 3.0, 90)
    """
    found = []
    for name, rows in imported.tracks.groupby("id", sort=False):
        t, x, y = (rows[column].to_numpy(dtype=np.float64) for column in ("t", "x", "y"))
        speed, motion = _motion_of(rows)
        moving = speed > STILL
        off, steadiness = _mean_angle((rows.heading.to_numpy()[:-1] - motion)[moving])
        found.append(
            TrackFigures(
                str(name), len(rows), float(t[0]), float(t[-1]),
                float(np.median(np.diff(t))) if len(t) > 1 else float("nan"),
                (float(x.min()), float(x.max())), (float(y.min()), float(y.max())),
                float(np.hypot(np.diff(x), np.diff(y)).sum()),
                float(np.median(speed[moving])) if moving.any() else 0.0,
                float(np.quantile(speed, 0.98)) if len(speed) else float("nan"),
                off, steadiness,
            )
        )  # fmt: skip
    return found


def misplaced_in(imported: Imported, level: Level, *, x: str = "x", y: str = "y") -> Misplaced:
    """How much of the tracks cannot be in a level; axes as one wants them: `x="-y"`."""
    points = np.column_stack([_axis(imported, x), _axis(imported, y)])
    x0, y0, x1, y1 = level.bounds
    inside = (
        (points[:, 0] >= x0) & (points[:, 0] <= x1) & (points[:, 1] >= y0) & (points[:, 1] <= y1)
    )
    solid = shapely.union_all(
        [
            outline
            for (_, outline), stops in zip(level.data.walls, level.stops_at(0.0), strict=False)
            if stops and "Polygon" in outline.geom_type
        ]
    )
    walls = np.zeros(len(points), dtype=np.bool_)
    if not solid.is_empty:
        shapely.prepare(solid)
        walls = shapely.contains_xy(solid, points[:, 0], points[:, 1])
    return Misplaced(float(np.mean(~inside)), float(np.mean(walls & inside)))


def import_warnings(imported: Imported, level: Level | None = None) -> list[str]:
    """Signs that the conventions are wrong, each with what to try; empty if there are none.

    Speeds tell wrong units, the angle between headings and motion a wrong zero or turn, and the
    level wrong axes.
    """
    figures = figures_of(imported)
    found = [*_warnings_about_units(imported, figures), *_warnings_about_headings(imported)]
    if level is not None:
        found += _warnings_about_axes(imported, level)
    return found


def _warnings_about_units(imported: Imported, figures: list[TrackFigures]) -> list[str]:
    found = []
    length, time = imported.conventions.length, imported.conventions.time
    fast = max(figures, key=lambda each: np.nan_to_num(each.top_speed))
    if fast.top_speed > FASTEST:
        words = f"{fast.id} moves at up to {fast.top_speed:.4g} m/s"
        fix = f"--length {length / 100:g} if lengths are hundredths of what was said"
        if all(each.step < 0.005 for each in figures if each.samples > 1):
            fix = f"--time {time * 1000:g} if times are 1000 times what was said"
        found.append(f"{words}, faster than anybody on foot: try {fix}")
    gaps = [each for each in figures if each.samples > 1 and each.step >= 2.0]
    if gaps:
        words = f"{gaps[0].id} has a sample only every {gaps[0].step:g} s"
        found.append(f"{words}: try --time {time / 1000:g} if times are in ms")
    elif all(0.0 < each.way < 0.5 * SLOWEST * (each.end - each.start) for each in figures):
        words = f"nobody goes farther than {max(each.way for each in figures):.3g} m"
        found.append(f"{words}: try --length {length * 100:g}")
    return found


def _warnings_about_headings(imported: Imported) -> list[str]:
    if imported.heading_from != "column":
        return []
    offs, mirrored = [], []
    for _, rows in imported.tracks.groupby("id", sort=False):
        speed, motion = _motion_of(rows)
        heading, moving = rows.heading.to_numpy()[:-1], speed > STILL
        offs.append((heading - motion)[moving])
        mirrored.append((2 * imported.conventions.zero_deg - heading - motion)[moving])
    count = sum(map(len, offs))
    off, length = _mean_angle(np.concatenate(offs))
    other, other_length = _mean_angle(np.concatenate(mirrored))
    turn = "cw" if imported.conventions.turn == "ccw" else "ccw"
    if length < STEADY and other_length >= max(STEADY, length + 0.2):
        fix = f"--turn {turn}"
        if abs(other) > AGREES:
            fix += f" {_zero(imported.conventions.zero_deg - other)}"
        return [f"headings turn against the motion: try {fix}"]
    if length >= STEADY and abs(off) > AGREES:
        side = "left" if off > 0 else "right"
        words = f"headings point {abs(off):.0f}° to the {side} of the motion throughout"
        if abs(off) > 155.0:
            words = "headings point backwards throughout"
        return [f"{words}: try {_zero(imported.conventions.zero_deg - off)}"]
    if length < 0.3 and count > 20:
        return ["headings do not match the motion: try --angle rad, or another column"]
    return []


def _warnings_about_axes(imported: Imported, level: Level) -> list[str]:
    now = misplaced_in(imported, level)
    if now.wrong < 0.02:
        return []
    tries = {
        words: misplaced_in(imported, level, x=x, y=y).wrong for words, (x, y) in VARIANTS.items()
    }
    best = min(tries, key=lambda words: tries[words])
    where = (
        f"{now.outside:.0%} of the samples lie outside of the level, {now.in_walls:.0%} in walls"
    )
    if tries[best] < now.wrong - 0.02:
        return [f"{where}: with {best} it would be {tries[best]:.0%}"]
    return [f"{where}: another length, or the origin of the level is elsewhere"]


def _zero(degrees: float) -> str:
    """`--zero +y`, the nearest axis if that is near."""
    turned = (degrees + 180.0) % 360.0 - 180.0
    near = min(AXES, key=lambda axis: abs((turned - AXES[axis] + 180.0) % 360.0 - 180.0))
    off = abs((turned - AXES[near] + 180.0) % 360.0 - 180.0)
    return f"--zero={near}" if off <= 20.0 else f"--zero={turned:.0f}"


def _motion_of(rows: pd.DataFrame) -> tuple[Numbers, Numbers]:
    """From each sample to the next: how fast it goes, m/s, and where to, degrees."""
    t, x, y = (np.diff(rows[name].to_numpy(dtype=np.float64)) for name in ("t", "x", "y"))
    with np.errstate(divide="ignore", invalid="ignore"):
        speed: Numbers = np.hypot(x, y) / t
    return speed, np.degrees(np.arctan2(y, x))


def _mean_angle(degrees: Numbers) -> tuple[float, float]:
    """The mean direction, degrees, and the length of the mean vector, 0 to 1; NaN of none."""
    if not len(degrees):
        return float("nan"), float("nan")
    mean: Any = np.mean(np.exp(1j * np.radians(degrees)))
    return float(np.degrees(np.angle(mean))), float(np.abs(mean))


def _axis(imported: Imported, name: str) -> Numbers:
    sign = -1.0 if name.startswith("-") else 1.0
    values: Numbers = sign * imported.tracks[name.removeprefix("-")].to_numpy(dtype=np.float64)
    return values
