"""What figures and pages have in common: colours, marks, and how much of a level they show.

The colours are those of Okabe and Ito (2008), "Color Universal Design", safe for colour-blind
readers. Nothing is told by colour alone: every kind has a mark, a hatch or a line style of its own.
Pages need no drawing library, so none is imported here.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from snelk.runs.record import ANY_FLOOR, floors_of
from snelk.senses.gates import QUIET, SIGHT, Paint

if TYPE_CHECKING:
    from snelk.config.models import Wall
    from snelk.level.level import Level
    from snelk.runs.rows import Rows
    from snelk.runs.run import Run

BLACK, ORANGE, SKY, GREEN = "#1a1a1a", "#e69f00", "#56b4e9", "#009e73"
YELLOW, BLUE, VERMILION, PURPLE = "#f0e442", "#0072b2", "#d55e00", "#cc79a7"
NOISE, GREEN_INK = "#9c2f7f", "#00694d"
"""Purple and green, darkened until they can be read on paper."""

PAPER, INK, FAINT = "#fbfaf7", "#22252a", QUIET

GAME = "#d98e32"
"""What a game sensed, where it is compared with Snelk."""

AGENT_COLOURS = (BLUE, VERMILION, "#007a5a", "#a8447f", "#946200", "#2a7fae", BLACK)
"""Okabe and Ito's, some darkened until they can be read as text on paper."""

REASON_STYLES = {**SIGHT.paints, "blind": Paint(FAINT, "#ffffff", "", (0, (1, 6)), "")}
"""How each reason is drawn: as a ray on the map and as a band in the timeline."""

RANK_SHADES = ("#eef0f1", "#d3e4ef", "#a3cbe3", "#63a6cf", "#2a7fae", "#0b5688")
"""Bands of alert states by rank, paler to darker; the names are written beside."""

LIKELY = "#7a3b00"
"""Where a search takes its target to be: the darker the likelier."""

WALL_SHADES = (
    (1.0, "#c9c2b4", "up to 1 m"),
    (2.0, "#978e7e", "up to 2 m"),
    (np.inf, "#5d564b", "higher"),
)
"""Walls by the height of their top above their base: limit in m, colour, words."""

FAINTNESS = 0.18
"""How much is left of what does not belong to the floor that is shown."""

LAMPLIGHT = "#fff0b3"
SHEER_EDGE = "#3d7a4a"
EDGE = "#2a6f97"
FLOOR, FLOOR_EDGE = "#f3e4d7", "#b08968"
LINK, DOOR, DOOR_AREA = "#5b2d8a", "#a5370c", "#a5370c55"


def agent_colours(agents: tuple[str, ...]) -> dict[str, str]:
    """A colour for each agent, in the order of the cast; names tell apart those beyond seven."""
    return {name: AGENT_COLOURS[n % len(AGENT_COLOURS)] for n, name in enumerate(agents)}


def rank_shade(rank: int) -> str:
    """The colour of a band of this rank."""
    return RANK_SHADES[min(max(rank, 0), len(RANK_SHADES) - 1)]


def ground_colour(light: float) -> tuple[float, float, float]:
    """Paper white by day, blue grey in the dark."""
    dark, day = np.array([0.80, 0.83, 0.89]), np.ones(3)
    red, green, blue = dark + (day - dark) * min(max(light, 0.0), 1.0)
    return float(red), float(green), float(blue)


def is_sheer(level: Level, wall: Wall) -> bool:
    """Whether one sees through a wall; not if its triangles block, for which it only stands."""
    return wall.see_through > 0 and not (level.data.meshes and wall.see_through == 1.0)


def shares_on(
    run: Run, rows: Rows, floor: str | None, axes: Sequence[str] = "xyz"
) -> NDArray[np.float64]:
    """How much is left of each row of a table on a map of one floor, or of all; see `shares_of`."""
    return shares_of(run, floors_of(run, rows, axes), floor)


def shares_of(run: Run, floors: NDArray[np.int32], floor: str | None) -> NDArray[np.float64]:
    """How much is left of what is on floors, by number: 1 on the one shown, else `FAINTNESS`."""
    if floor is None:
        return np.ones(len(floors))
    here = [ANY_FLOOR, run.level.floor_names.index(floor)]
    return np.where(np.isin(floors, here), 1.0, FAINTNESS)


def extent_of(run: Run) -> NDArray[np.float64]:
    """Smallest x, y and largest x, y of the level and of all paths, m."""
    bounds = np.array(run.level.bounds)
    poses = run.rows("poses")
    there = np.column_stack([poses["x"], poses["y"]])[poses["present"]]
    if len(there):
        low, high = there.min(axis=0), there.max(axis=0)
        empty = not run.level.has_features
        bounds[:2] = low if empty else np.minimum(bounds[:2], low)
        bounds[2:] = high if empty else np.maximum(bounds[2:], high)
    return bounds
