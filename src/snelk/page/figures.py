"""The two Bokeh figures of a page, with empty sources that its script fills: map and lanes."""

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
from matplotlib.colors import to_hex

from snelk.plots.ground import LAMPLIGHT, SHEER_EDGE, WALL_SHADES, ground_colour
from snelk.plots.minds import LIKELY
from snelk.plots.style import AGENT_COLOURS, FAINT, INK, NOISE, PAPER, agent_colours

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.runs.run import Run

NAME_ROOM = 104
"""Pixels left of the lanes for the names of agents."""

FONT = "system-ui, 'DejaVu Sans', sans-serif"


def map_figure(run: Run, side: str) -> Any:
    """The level, and a renderer for everything that moves on it, by name: `a.cones`."""
    plot = _bare_figure(f"{side}.map")
    plot.background_fill_color = to_hex(ground_colour(run.setup.light))
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

    def moving(kind: str, name: str, columns: str, **how: Any) -> None:
        source = ColumnDataSource({column: [] for column in columns.split()})
        values = {column: column for column in columns.split()}
        getattr(plot, kind)(**values, source=source, name=f"{side}.{name}", **how)

    moving("patches", "light", "xs ys fill_alpha", fill_color=LAMPLIGHT, line_color=None)
    moving("rect", "likelihood", "x y width height fill_alpha", fill_color=LIKELY, line_color=None)
    moving("patches", "cones", "xs ys fill_color line_color fill_alpha", line_alpha=0.5)
    moving("patches", "beyond", "xs ys fill_color fill_alpha", line_color=None)
    _draw_territories(plot, run, side)
    _draw_walls(plot, run)
    moving("multi_line", "paths", "xs ys line_color", line_alpha=0.55, line_width=1)
    moving("multi_line", "tails", "xs ys line_color", line_alpha=0.8, line_width=2.2)
    moving("circle", "noise", "x y radius line_alpha", fill_color=None, line_color=NOISE)
    moving(
        "segment", "rays", "x0 y0 x1 y1 line_color line_dash line_width", line_alpha=0.95
    )
    moving("scatter", "ray_marks", "x y marker fill_color", size=9, line_color="white")
    moving(
        "circle", "doubt", "x y radius line_color", fill_color=None, line_dash=[4, 2]
    )
    moving("scatter", "belief", "x y line_color", size=15, fill_color="white", fill_alpha=0.6)
    moving(
        "text", "belief_marks", "x y text text_color", text_font_size="11px",
        text_align="center", text_baseline="middle", text_font={"value": FONT},
    )  # fmt: skip
    moving("scatter", "search", "x y line_color fill_color", marker="square", size=9)
    moving("scatter", "chosen", "x y line_dash", size=30, fill_color=None, line_color=INK,
           line_width=2)  # fmt: skip
    moving("patches", "bodies", "xs ys fill_color line_color", line_width=1.2)
    moving(
        "text", "names", "x y text x_offset y_offset text_color text_align text_font_size",
        text_baseline="middle", text_font={"value": FONT}, background_fill_color="white",
        background_fill_alpha=0.6,
    )  # fmt: skip
    plot.js_on_event("tap", CustomJS(code=f"snelkPage.tapped('{side}', cb_obj.x, cb_obj.y)"))
    return plot


def _bare_figure(name: str) -> Any:
    plot = figure(
        name=name, x_range=Range1d(0, 1), y_range=Range1d(0, 1), tools="", toolbar_location=None,
        sizing_mode="stretch_both", min_width=50, min_height=50, output_backend="canvas",
        border_fill_color=PAPER, outline_line_color=FAINT, min_border=4,
    )  # fmt: skip
    plot.axis.axis_line_color = FAINT
    plot.axis.major_tick_line_color = FAINT
    plot.axis.major_label_text_color = plot.axis.axis_label_text_color = INK
    plot.axis.major_label_text_font = plot.axis.axis_label_text_font = FONT
    return plot


def _draw_ground(plot: Any, run: Run) -> None:
    for zone, geometry in run.level.data.zones:
        area = geometry.buffer(zone.radius, quad_segs=32) if zone.radius else geometry
        plot.multi_polygons(
            *_rings(area),
            fill_color=LAMPLIGHT if zone.light else "#f5eed4",
            fill_alpha=float(zone.light or 0.45),
            line_color="#b3aa90",
            line_dash=[4, 3],
        )


def _draw_walls(plot: Any, run: Run) -> None:
    for wall, geometry in run.level.data.walls:
        shade = next(colour for limit, colour, _ in WALL_SHADES if wall.top - wall.base <= limit)
        sheer = wall.see_through > 0
        if "Polygon" in geometry.geom_type:
            plot.multi_polygons(
                *_rings(geometry),
                fill_color="#dcebd9" if sheer else shade,
                line_color=SHEER_EDGE if sheer else "#2e2a24",
                line_dash=[2, 1] if sheer else "solid",
                hatch_pattern="." if sheer else None,
                hatch_color=SHEER_EDGE,
                hatch_scale=6.0,
            )
            continue
        for part in shapely.get_parts(geometry):
            x, y = np.asarray(part.coords).T
            plot.line(x, y, line_color=SHEER_EDGE if sheer else "#2e2a24", line_width=4)
            plot.line(x, y, line_color="#dcebd9" if sheer else shade, line_width=2.4)


def _draw_territories(plot: Any, run: Run, side: str) -> None:
    colours = agent_colours(run.agents)
    rows: dict[str, list[Any]] = {"xs": [], "ys": [], "line_color": []}
    for agent in run.agents:
        leash = run.setup.cast[agent].leash
        if leash is not None:
            for part in shapely.get_parts(run.level.zone_area(leash.zone)):
                x, y = np.asarray(part.exterior.coords).T
                rows["xs"].append(x)
                rows["ys"].append(y)
                rows["line_color"].append(colours[agent])
    plot.multi_line(
        "xs", "ys", line_color="line_color", line_width=2, line_dash=[6, 2, 1, 2],
        source=ColumnDataSource(rows), name=f"{side}.territory",
    )  # fmt: skip


def _rings(geometry: BaseGeometry) -> tuple[list[Any], list[Any]]:
    """A geometry as `multi_polygons` takes it: one of it, its parts, each with its rings."""
    parts = [
        [np.asarray(ring.coords) for ring in (part.exterior, *part.interiors)]
        for part in shapely.get_parts(geometry)
    ]
    x, y = ([[[ring[:, axis] for ring in part] for part in parts]] for axis in (0, 1))
    return x, y


def lanes_figure() -> Any:
    """A lane for each agent; its rows and everything in them come from the page's script."""
    plot = _bare_figure("lanes")
    plot.min_border_left, plot.min_border_right = NAME_ROOM, 14
    plot.min_border_top = 2
    plot.yaxis.visible = False
    plot.xaxis.axis_label = "time, s"
    plot.xaxis.axis_label_text_font_size = plot.xaxis.major_label_text_font_size = "10px"
    plot.xaxis.axis_label_standoff, plot.xaxis.axis_label_text_font_style = 0, "normal"
    plot.xaxis.minor_tick_line_color = None
    plot.ygrid.grid_line_color = None
    plot.background_fill_color = "#ffffff"

    def filled(kind: str, name: str, columns: str, **how: Any) -> None:
        source = ColumnDataSource({column: [] for column in columns.split()})
        values = {column: column for column in columns.split()}
        getattr(plot, kind)(**values, source=source, name=f"lanes.{name}", **how)

    filled("quad", "chosen", "left right bottom top", fill_color="#fff6d6", line_color=None)
    filled(
        "quad", "bands",
        "left right bottom top fill_color hatch_pattern hatch_color", line_color=None,
        hatch_scale=6.0, hatch_weight=0.8,
    )  # fmt: skip
    filled("quad", "states", "left right bottom top fill_color", line_color=INK, line_width=0.5)
    filled("quad", "differ", "left right bottom top", fill_color="#1a1a1a", line_color=None)
    filled(
        "text", "state_names", "x y text text_color", x_offset=3, text_baseline="middle",
        text_font_size="9px", text_font={"value": FONT},
    )  # fmt: skip
    filled("segment", "heard", "x0 y0 x1 y1", line_color=NOISE, line_width=1.8)
    filled("scatter", "unheard", "x y", size=2, fill_color=NOISE, fill_alpha=0.5, line_color=None)
    filled("quad", "contacts", "left right bottom top", fill_color="#00694d", line_color=None)
    filled("multi_line", "meters", "xs ys", line_color=INK, line_width=1.3)
    plot.js_on_event("tap", CustomJS(code="snelkPage.laneTapped(cb_obj.x, cb_obj.y)"))
    return plot


def palette() -> list[str]:
    """The colours of agents, in the order of the cast."""
    return list(AGENT_COLOURS)
