"""The Bokeh figure of a page: the ground of a map."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import shapely
from bokeh.models import (
    ColumnDataSource,
    CustomJS,
    PanTool,
    Range1d,
    WheelZoomTool,
)
from bokeh.plotting import figure

from snelk.plots.appearance import (
    EDGE,
    FAINT,
    FLOOR,
    FLOOR_EDGE,
    INK,
    LAMPLIGHT,
    LINK,
    PAPER,
    SHEER_EDGE,
    WALL_SHADES,
    ground_colour,
    is_sheer,
)

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.runs.run import Run

FONT = "system-ui, 'DejaVu Sans', sans-serif"


def map_figure(run: Run, side: str) -> Any:
    """The ground of the map of a run; what moves on it is drawn above it by map.js."""
    plot = _bare_figure(f"{side}.map")
    plot.background_fill_color = "#{:02x}{:02x}{:02x}".format(
        *(round(255 * part) for part in ground_colour(run.setup.light))
    )
    plot.xaxis.axis_label, plot.yaxis.axis_label = "x, m", "y, m"
    for axis in (plot.xaxis[0], plot.yaxis[0]):
        axis.axis_label_text_font_size = axis.major_label_text_font_size = "10px"
        axis.axis_label_standoff, axis.axis_label_text_font_style = 0, "normal"
        axis.minor_tick_line_color = None
    plot.grid.grid_line_color = None
    pan, wheel = PanTool(), WheelZoomTool(zoom_on_axis=False)
    plot.add_tools(pan, wheel)
    plot.toolbar.active_drag, plot.toolbar.active_scroll = pan, wheel
    _draw_ground(plot, run)
    _draw_walls(plot, run)
    plot.js_on_event(
        "tap", CustomJS(code=f"snelkPage.tapped('{side}', cb_obj.x, cb_obj.y, cb_obj.modifiers)")
    )
    return plot


def _bare_figure(name: str) -> Any:
    plot = figure(
        name=name, x_range=Range1d(start=0, end=1), y_range=Range1d(start=0, end=1),
        tools="", toolbar_location=None,
        sizing_mode="stretch_both", min_width=50, min_height=50, output_backend="canvas",
        border_fill_color=PAPER, outline_line_color=FAINT, min_border=4,
    )  # fmt: skip
    plot.axis.axis_line_color = FAINT
    plot.axis.major_tick_line_color = FAINT
    plot.axis.major_label_text_color = plot.axis.axis_label_text_color = INK
    plot.axis.major_label_text_font = plot.axis.axis_label_text_font = FONT
    return plot


def _draw_ground(plot: Any, run: Run) -> None:
    """All zones at once: Bokeh takes its time for each renderer, not for each polygon."""
    rows: dict[str, Any] = {name: [] for name in ("xs", "ys", "fill_color", "fill_alpha")}
    floors: dict[str, Any] = {name: [] for name in ("xs", "ys", "hatch_pattern")}
    level, order = run.level, np.argsort(run.level.floors.spans[:, 1], kind="stable")
    for n in order:
        _add_polygons(floors, level.data.floors[n][1])
        floors["hatch_pattern"].append("/" if np.ptp(level.floors.spans[n]) else " ")
    names = level.floor_names
    if floors["xs"]:
        drawn = {name: name for name in floors}
        faint = _fades(floors, run, [[int(n)] for n in order], [0.45] * len(order))
        plot.multi_polygons(
            **drawn, fill_color=FLOOR, line_color=FLOOR_EDGE, hatch_color=FLOOR_EDGE,
            source=ColumnDataSource(floors),
            **{"fill_alpha": 0.45, "hatch_alpha": faint.get("fill_alpha", 0.5), **faint},
        )  # fmt: skip
    for zone, geometry in run.level.data.zones:
        area = geometry.buffer(zone.radius, quad_segs=32) if zone.radius else geometry
        _add_polygons(rows, area)
        rows["fill_color"].append(LAMPLIGHT if zone.light else "#f5eed4")
        rows["fill_alpha"].append(float(zone.light or 0.45))
    drawn = {name: name for name in rows}
    on = [zone.floor for zone, _ in run.level.data.zones]
    storeys = [[] if floor is None else [names.index(floor)] for floor in on]
    faint = _fades(rows, run, storeys, rows["fill_alpha"])
    plot.multi_polygons(
        **drawn | faint, line_color="#b3aa90", line_dash=[4, 3], source=ColumnDataSource(rows)
    )


def _fades(
    rows: dict[str, Any], run: Run, storeys: list[list[int]], fill: list[float]
) -> dict[str, Any]:
    """Let the page fade other floors: data for a glyph.

    `storeys` are the floors that each row belongs to, by number; none for all.
    """
    if len(run.level.floor_names) < 2:
        return {}
    rows |= {"storeys": storeys, "own_fill": list(fill), "fill_alpha": list(fill)}
    rows["line_alpha"] = [1.0] * len(storeys)
    return {"fill_alpha": "fill_alpha", "line_alpha": "line_alpha", "name": "ground"}


def storeys_of(run: Run) -> dict[str, list[int]]:
    """The floors, by number, that walls, floors and zones belong to; those of all are left out."""
    names = run.level.floor_names
    found = {name: [n] for n, name in enumerate(names)}
    on = [{*run.level.standing_on(name)} for name in names]
    for number, (wall, _) in enumerate(run.level.data.walls):
        # What stands on no floor belongs to none.
        found[wall.name] = [n for n, walls in enumerate(on) if number in walls] or [-1]
    return found


def _draw_walls(plot: Any, run: Run) -> None:
    """Solid walls, walls one can see through, and walls that are lines: each kind at once."""
    rows: dict[str, dict[str, Any]] = {
        kind: {"xs": [], "ys": [], "fill_color": []} for kind in ("solid", "sheer", "line")
    }
    standing: dict[str, list[list[int]]] = {kind: [] for kind in rows}
    storeys = storeys_of(run)
    for wall, geometry in run.level.data.walls:
        if wall.door:
            continue  # drawn as it stands, by the page
        shade = next(colour for limit, colour, _ in WALL_SHADES if wall.top - wall.base <= limit)
        sheer = is_sheer(run.level, wall)
        own = storeys[wall.name]
        if "Polygon" in geometry.geom_type:
            standing["sheer" if sheer else "solid"].append(own)
            kept = rows["sheer" if sheer else "solid"]
            _add_polygons(kept, geometry)
            kept["fill_color"].append("#dcebd9" if sheer else shade)
            continue
        for part in shapely.get_parts(geometry):
            x, y = np.asarray(part.coords).T
            standing["line"].append(own)
            rows["line"]["xs"].append(x)
            rows["line"]["ys"].append(y)
            rows["line"]["fill_color"].append(SHEER_EDGE if sheer else shade)
    for kind, how in (
        ("solid", {"line_color": "#2e2a24"}),
        ("sheer", {"line_color": SHEER_EDGE, "line_dash": [2, 1], "hatch_pattern": ".",
                   "hatch_color": SHEER_EDGE, "hatch_scale": 6.0}),
    ):  # fmt: skip
        if rows[kind]["xs"]:
            faint = _fades(rows[kind], run, standing[kind], [1.0] * len(standing[kind]))
            source = ColumnDataSource(rows[kind])
            plot.multi_polygons("xs", "ys", fill_color="fill_color", source=source, **how, **faint)
    edges: dict[str, Any] = {"xs": [], "ys": []}
    for _, geometry in run.level.data.edges:
        lines = shapely.boundary(geometry) if "Polygon" in geometry.geom_type else geometry
        for part in shapely.get_parts(lines):
            x, y = np.asarray(part.coords).T
            edges["xs"].append(x)
            edges["ys"].append(y)
    if edges["xs"]:
        plot.multi_line(
            "xs", "ys", line_color=EDGE, line_width=1.6, line_dash=[6, 2, 1, 2],
            source=ColumnDataSource(edges),
        )  # fmt: skip
    ends = [shapely.get_coordinates(geometry) for _, geometry in run.level.data.links]
    if ends:
        xs, ys = [list(each[:, 0]) for each in ends], [list(each[:, 1]) for each in ends]
        plot.multi_line(xs, ys, line_color=LINK, line_width=1.6, line_dash=[2, 2])
        plot.scatter(
            np.concatenate(xs), np.concatenate(ys), size=5, fill_color=LINK, line_color=LINK
        )
    if rows["line"]["xs"]:
        faint = _fades(rows["line"], run, standing["line"], [1.0] * len(standing["line"]))
        faint.pop("fill_alpha", None)
        source = ColumnDataSource(rows["line"])
        for width, colour in ((4, "#2e2a24"), (2.4, "fill_color")):
            plot.multi_line("xs", "ys", line_color=colour, line_width=width, source=source, **faint)


def _add_polygons(rows: dict[str, Any], geometry: BaseGeometry) -> None:
    """One more geometry as `multi_polygons` takes it: its parts, each with its rings."""
    parts = [
        [np.asarray(ring.coords) for ring in (part.exterior, *part.interiors)]
        for part in shapely.get_parts(geometry)
    ]
    rows["xs"].append([[ring[:, 0] for ring in part] for part in parts])
    rows["ys"].append([[ring[:, 1] for ring in part] for part in parts])
