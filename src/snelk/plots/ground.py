"""The ground of a map: walls by height and see-through, zones, spots, and their names."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import shapely
from matplotlib.colors import to_rgb
from matplotlib.patches import PathPatch
from matplotlib.path import Path as Outline

from snelk.plots.appearance import (
    DOOR,
    DOOR_AREA,
    EDGE,
    FAINTNESS,
    FLOOR,
    FLOOR_EDGE,
    INK,
    LAMPLIGHT,
    LINK,
    SHEER_EDGE,
    WALL_SHADES,
    ground_colour,
    is_sheer,
)

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from shapely.geometry.base import BaseGeometry

    from snelk.config.models import Wall
    from snelk.level.level import Level
    from snelk.plots.labels import Labels


MOST_NAMED = 120
"""Of more walls than this, or more floors, only the largest have their names on a map."""


def outline_of(geometry: BaseGeometry) -> Outline:
    """Polygons with holes, or lines, as one Matplotlib path."""
    rings: list[Outline] = []
    for part in shapely.get_parts(geometry):
        if part.geom_type == "Polygon":
            rings += [
                Outline(np.asarray(r.coords)[:, :2], closed=True)
                for r in (part.exterior, *part.interiors)
            ]
        elif part.geom_type in ("LineString", "LinearRing"):
            rings.append(Outline(np.asarray(part.coords)))
    return Outline.make_compound_path(*rings) if rings else Outline(np.zeros((0, 2)))


def draw_level(ax: Axes, level: Level, *, light: float, floor: str | None = None) -> None:
    """Draw zones, walls and spots, on ground as bright as the light there.

    With a floor, what does not belong to it is faint.
    """
    ax.set_facecolor(ground_colour(light))
    before = {*ax.patches}
    _draw_zones_and_floors(ax, level)
    others = [*ax.patches]
    kept = {*range(len(level.wall_names))} if floor is None else {*level.standing_on(floor)}
    _draw_walls(ax, level, kept)
    if floor is not None:
        zones = [zone.floor for zone, _ in level.data.zones]
        order = np.argsort(level.floors.spans[:, 1], kind="stable")
        belongs = [*zones, *(level.floor_names[n] for n in order)]
        drawn = [each for each in others if each not in before]
        for patch, name in zip(drawn, belongs, strict=True):
            if name != floor and name is not None:
                patch.set_alpha(FAINTNESS)


def frame_level(ax: Axes, level: Level, *, anchor: str) -> None:
    """Show the whole level, 1 m about it, with its unit; `anchor` is the corner it keeps to."""
    low_x, low_y, high_x, high_y = level.bounds
    ax.set_xlim(low_x - 1.0, high_x + 1.0)
    ax.set_ylim(low_y - 1.0, high_y + 1.0)
    ax.set_aspect("equal", anchor=anchor)
    ax.tick_params(colors=INK, labelsize=9)
    text = "x and y in m"
    ax.text(1.0, 1.012, text, transform=ax.transAxes, ha="right", fontsize=9, color=INK)


def _draw_zones_and_floors(ax: Axes, level: Level) -> None:
    for zone, geometry in level.data.zones:
        area = geometry.buffer(zone.radius, quad_segs=32) if zone.radius else geometry
        ax.add_patch(
            PathPatch(
                outline_of(area),
                facecolor=(*to_rgb(LAMPLIGHT), zone.light)
                if zone.light
                else (0.96, 0.93, 0.83, 0.45),
                edgecolor="#b3aa90",
                lw=0.8,
                ls=(0, (4, 3)),
                zorder=0.5,
            )
        )
    for n in np.argsort(level.floors.spans[:, 1], kind="stable"):
        ax.add_patch(
            PathPatch(
                outline_of(level.data.floors[n][1]), facecolor=(*to_rgb(FLOOR), 0.45),
                edgecolor=FLOOR_EDGE, lw=0.9, zorder=0.3,
                hatch=None if np.ptp(level.floors.spans[n]) == 0.0 else "////",
            )
        )  # fmt: skip


def _draw_walls(ax: Axes, level: Level, kept: set[int]) -> None:
    """Walls, edges and spots; those that are not kept are faint."""
    for n, (wall, geometry) in enumerate(level.data.walls):
        alpha = None if n in kept else FAINTNESS
        if wall.door:
            is_open = wall.see_through == 1.0
            patch = PathPatch(
                outline_of(geometry), edgecolor=DOOR, lw=1.4 if is_open else 3.5, zorder=3.2,
                facecolor=DOOR_AREA if "Polygon" in geometry.geom_type and not is_open else "none",
                ls=(0, (1, 2)) if is_open else "-", alpha=alpha,
            )  # fmt: skip
            ax.add_patch(patch)
            continue
        shade = next(colour for limit, colour, _ in WALL_SHADES if wall.top - wall.base <= limit)
        sheer = is_sheer(level, wall)
        edge = SHEER_EDGE if sheer else "#2e2a24"
        filled = "Polygon" in geometry.geom_type
        patch = PathPatch(
            outline_of(geometry),
            facecolor=(shade if not sheer else "#dcebd9") if filled else "none",
            edgecolor=edge if filled or sheer else shade,
            lw=1.0 if filled else 3.5,
            ls=(0, (2, 1)) if sheer else "-",
            hatch="...." if sheer and filled else None,
            zorder=3,
            alpha=alpha,
        )
        ax.add_patch(patch)
        if not filled and not sheer:
            ax.add_patch(
                PathPatch(
                    outline_of(geometry),
                    facecolor="none",
                    edgecolor="#2e2a24",
                    lw=0.7,
                    zorder=3.1,
                    alpha=alpha,
                )
            )
    for _, geometry in level.data.edges:
        patch = PathPatch(
            outline_of(geometry), facecolor="none", edgecolor=EDGE, lw=1.4, ls=(0, (6, 2, 1, 2)),
            zorder=2.9,
        )  # fmt: skip
        ax.add_patch(patch)
    for link, geometry in level.data.links:
        (x, y), (to_x, to_y) = shapely.get_coordinates(geometry)
        ax.plot(
            [x, to_x], [y, to_y], color=LINK, lw=1.4, ls=(0, (1, 1)), marker="o", ms=3, zorder=3.2
        )
        ax.annotate(
            "", (to_x, to_y), (x, y), zorder=3.2,
            arrowprops={"arrowstyle": "->" if link.one_way else "<->", "color": LINK, "lw": 1.2},
        )  # fmt: skip
    for spot, geometry in level.data.spots:
        ((x, y),) = shapely.get_coordinates(geometry)
        ax.plot(
            x,
            y,
            marker="+",
            ms=5,
            mew=0.9,
            color="#777777",
            zorder=3.3,
            gid=spot.name,
        )


def label_level(labels: Labels, level: Level) -> None:
    """Names of walls and zones, as far as there is room; of very many only the largest have one."""
    for n in _largest([geometry for _, geometry in level.data.walls]):
        _label_wall(labels, *level.data.walls[n])
    for edge, geometry in level.data.edges:
        middle = geometry.centroid
        if "Polygon" not in geometry.geom_type:
            middle = geometry.interpolate(0.5, normalized=True)
        labels.place(
            middle.x, middle.y, edge.name, gap=4, needed=False, zorder=3.4, fontsize=7.5,
            style="italic", color=EDGE,
        )  # fmt: skip
    spans = np.array(level.floors.spans).tolist()
    for n in _largest([geometry for _, geometry in level.data.floors]):
        (floor, geometry), (low, high) = level.data.floors[n], spans[n]
        place = shapely.point_on_surface(shapely.force_2d(geometry))
        height = f"{low:g} m" if low == high else f"{low:g} to {high:g} m"
        labels.place(
            place.x, place.y, f"{floor.name}, {height}", gap=0, needed=False, zorder=3.4,
            fontsize=7.5, style="italic", color="#7a5230",
        )  # fmt: skip
    for link, geometry in level.data.links:
        (x, y), (to_x, to_y) = ends = shapely.get_coordinates(geometry)
        at = (ends[0] + ends[1]) / 2.0
        if abs(to_y - y) > abs(to_x - x):  # one up the map most often crosses a wall
            at = ends[ends[:, 1].argmax()]
        labels.place(
            at[0], at[1], link.name, gap=5, needed=False, zorder=3.4, fontsize=7.5, color=LINK
        )
    for zone, geometry in level.data.zones:
        area = geometry.buffer(zone.radius) if zone.radius else geometry
        x, y = area.centroid.x, area.bounds[1] + 0.3
        place = shapely.Point(x, y) if area.contains(shapely.Point(x, y)) else area.centroid
        style: dict[str, Any] = {
            "fontsize": 7.5,
            "style": "italic",
            "color": "#6b6147",
            "zorder": 3.4,
        }
        labels.place(place.x, place.y, zone.name, gap=2, needed=False, **style)


def _largest(shapes: list[BaseGeometry]) -> list[int]:
    """Which of some shapes are named: all but of very many, in their order."""
    if len(shapes) <= MOST_NAMED:
        return list(range(len(shapes)))
    boxes = shapely.bounds(shapes)
    sizes = np.hypot(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1])
    largest: list[int] = np.sort(np.argsort(-sizes, kind="stable")[:MOST_NAMED]).tolist()
    return largest


def _label_wall(labels: Labels, wall: Wall, geometry: BaseGeometry) -> None:
    """Inside if it is roomy, beside if it is upright, else below."""
    low_x, low_y, high_x, high_y = geometry.bounds
    width, depth = high_x - low_x, high_y - low_y
    x, y, gap, side, colour = (low_x + high_x) / 2, low_y, 3.0, 1, "#4a453d"
    if "Polygon" not in geometry.geom_type:
        middle = geometry.interpolate(0.5, normalized=True)
        x, y, gap = middle.x, middle.y, 5.0
    elif width > 4 and depth > 2 and wall.see_through == 0:
        x, y, gap, colour = geometry.centroid.x, geometry.centroid.y, 0.0, "white"
    elif depth > 2 * width:
        x, y, side = high_x, geometry.centroid.y, 2
    labels.place(
        x, y, wall.name, gap=gap, needed=False, first=side, fontsize=7, color=colour, zorder=3.5
    )
