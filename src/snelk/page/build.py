"""One self-contained HTML file of a run, or of two in sync."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import asdict
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Any

import jinja2
import shapely
from bokeh.embed import json_item
from bokeh.resources import Resources
from markupsafe import Markup

from snelk.config.models import Edge, Link, Zone
from snelk.errors import InputError, one_of
from snelk.files import claim, write_text
from snelk.page.figures import map_figure, storeys_of
from snelk.page.gathering import WORDS, Gathered, event_pairs
from snelk.page.held import facts_of
from snelk.page.packing import Packer
from snelk.plots.appearance import (
    AGENT_COLOURS,
    INK,
    LAMPLIGHT,
    LIKELY,
    NOISE,
    RANK_SHADES,
    REASON_STYLES,
    extent_of,
)
from snelk.tuning.compare import compare
from snelk.tuning.parity import parity
from snelk.tuning.standins import STANCES

if TYPE_CHECKING:
    from snelk.runs.run import Run
    from snelk.tuning.sensed import Log

LARGEST = 14_500_000
"""A page does not become larger than this, bytes: of a longer run every second tick is kept, or
every fourth, until it fits."""

PAGES = (".html", ".htm")

SCRIPTS = (
    "store",
    "feed",
    "tune",
    "rows",
    "whatif",
    "trials",
    "sightlines",
    "why",
    "map",
    "section",
    "lanes",
    "panel",
    "player",
)

HATCHES = {
    "///": "/",
    "...": ".",
    "--": "-",
    "\\\\\\": "\\",
    "oo": "o",
    "xx": "x",
}
"""Hatches of figures, and the same in Bokeh."""

SIGNS = {"o": "●", "X": "✕", "D": "◆", "s": "■", "^": "▲", "P": "✚"}

LEGEND = (
    "✓ a gate that was passed, ✗ failed, ◂ the first that failed, – cannot be asked",
    "filled dart: an agent, pointing where it faces; hollow: a character without senses",
    "hollow upright triangle: a clue, present while something is out of order",
    "full ring: the chosen agent; dashed ring: the chosen target",
    "? in a ring: believed position of a target that is out of view, in the agent's colour",
    "hollow square: search point, planned; filled: checked, on the spot or from afar",
    "brown cells: likelihood of a search; darker is likelier",
    "blue dash-dotted line: an edge; it stops feet only",
    "dotted green wall: see-through; cones are drawn as if it were not there",
)


def page_of(
    run: Run,
    other: Run | None = None,
    *,
    agent: str | None = None,
    target: str | None = None,
    log: Log | None = None,
    largest: int = LARGEST,
) -> str:
    """The HTML of a page to scrub through a run, or through two runs in sync.

    It opens from disk and asks for nothing else: numbers, figures and scripts are in it.

    Args:
        run: The run, called A where there are two.
        other: Another run, B, such as the same scenario with other numbers.
        agent: Who is chosen at first; else of the pair with the most to tell.
        target: The target shown at first.
        log: What a game sensed of the same input, to mark where it parts from the run.
        largest: The most bytes that the page may have.

    Raises:
        InputError: A name is not in the run, the runs have nothing in common, or two runs are
            to be held against one log.

    >>> import snelk
    >>> text = snelk.page_of(snelk.run(snelk.croft() / "night.toml"))
    >>> text.startswith("<!DOCTYPE html>"), len(text) < 3_000_000
    (True, True)
    """
    runs = [run] if other is None else [run, other]
    pairs = [] if other is None else event_pairs(compare(run, other))
    first = _chosen(run, agent, target)
    game = None
    if log is not None:
        if other is not None:
            rule = "can be compared with one run only"
            raise InputError.of("page", "log", "", rule, "make one page for each run")
        game = facts_of(run, log, parity(run, log))
    every = 1
    while True:
        text = _text(runs, pairs, first, every, game=game)
        if len(text) <= largest or every >= 64:
            return text
        every *= 2


def write_page(path: str | Path, run: Run, other: Run | None = None, **options: Any) -> Path:
    """Write `page_of` to a file, completely or not at all; see there for the options.

    Raises:
        InputError: As `page_of`; or the file is no .html, or cannot be written.
    """
    claim(path, *PAGES)
    return write_text(path, page_of(run, other, **options))


def feed_page_of(run: Run, address: str) -> str:
    """The HTML text of a page that goes on with what comes from a WebSocket.

    Args:
        run: What has been of the game; one tick is enough.
        address: Whence the rest comes, see `Watched`.
    """
    return _text([run], [], _first_pair(run), 1, feed=address)


def tune_page_of(run: Run, address: str, **what: Any) -> str:
    """The HTML text of a page on which numbers are tried.

    Args:
        run: The night with today's numbers.
        address: The WebSocket to say over what is tried, see `Bench`.
        what: Lists of what can be tried, by name: `numbers`, `curves`, `conditions`, `handles`;
            and which numbers `may_move`.
    """
    lists = {name: [asdict(each) for each in values] if isinstance(values, list) else values
             for name, values in what.items()}  # fmt: skip
    measures = [{"key": row.key, "unit": row.unit, "value": row.value}
                for row in run.rows("measures").each() if row.value == row.value]  # fmt: skip
    tune = {"address": address, "measures": measures, "stances": STANCES, **lists,
            "noise_kinds": list(run.setup.noise_kinds)}  # fmt: skip
    return _text([run], [], _first_pair(run), 1, tune=tune)


def _text(
    runs: list[Run], pairs: list[dict[str, Any]], first: tuple[str, str], every: int, *,
    feed: str = "", game: dict[str, Any] | None = None, tune: dict[str, Any] | None = None,
) -> str:  # fmt: skip
    packer = Packer()
    gathered = [
        Gathered(run, packer, key, every=every) for run, key in zip(runs, "ab", strict=False)
    ]
    for each in gathered:
        each.facts |= _place_of(each.run)
        each.facts["name"] = "live" if feed else each.facts["name"]
    figures = {each.key: map_figure(each.run, each.key) for each in gathered}
    facts = {
        "runs": [each.facts for each in gathered],
        "pairs": pairs or None,
        "feed": feed or None,
        "game": game,
        "tune": tune,
        "first": first,
        "index": packer.index,
        "words": WORDS,
        "ink": INK,
        "noise": NOISE,
        "lamplight": LAMPLIGHT,
        "likely": LIKELY,
        "palette": AGENT_COLOURS,
        "ranks": RANK_SHADES,
        "styles": {name: _style(name) for name in REASON_STYLES},
        "legend": LEGEND,
        "figures": {name: json_item(plot) for name, plot in figures.items()},
    }
    title = gathered[0].facts["title"]
    address = tune["address"] if tune else feed
    return _template().render(
        title=title,
        tuning=tune is not None,
        runs=[
            {"side": each.key, "letter": letter, "name": each.facts["name"]}
            for each, letter in zip(gathered, "AB" if len(gathered) > 1 else ("",), strict=False)
        ],
        reaches=f"; connect-src {address.partition('?')[0]}" if address else "",
        notes=_notes(runs, every),
        style=Markup(_asset("page.css")),
        script=Markup("\n".join(_asset(f"{name}.js") for name in SCRIPTS)),
        facts=Markup(_as_json(facts)),
        numbers=packer.text(),
        library=Markup(Resources(mode="inline", components=["bokeh"]).render_js()),
    )


def _as_json(facts: dict[str, Any]) -> str:
    """JSON that cannot end the script it stands in, whatever names are in it."""
    text = json.dumps(facts, ensure_ascii=False, separators=(",", ":"))
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def _template() -> jinja2.Template:
    return jinja2.Environment(autoescape=True, undefined=jinja2.StrictUndefined).from_string(
        _asset("page.html")
    )


def _asset(name: str) -> str:
    return (resources.files("snelk.page") / name).read_text(encoding="utf-8")


def _notes(runs: list[Run], every: int) -> str:
    step = runs[0].setup.clock.dt * every
    kept = "every tick" if every == 1 else f"one tick in {every}"
    return (
        f"{kept} and look is kept ({step:g} s), to the digits shown, poses to 1 mm; "
        "between ticks the picture is interpolated. Keys: ?"
    )


def _style(name: str) -> dict[str, Any]:
    style = REASON_STYLES[name]
    stripes = {
        "/": f"repeating-linear-gradient(135deg, {style.band} 0 3px, #fff 3px 4.5px)",
        "\\": f"repeating-linear-gradient(45deg, {style.band} 0 3px, #fff 3px 4.5px)",
        ".": f"radial-gradient(#8a7a3e 18%, {style.band} 22%) 0 0 / 4px 4px",
        "o": f"radial-gradient({style.band} 30%, #9ab 34%, {style.band} 44%) 0 0 / 6px 6px",
    }
    hatch = HATCHES.get(style.hatch, " ")
    return {
        "colour": style.colour,
        "band": style.band,
        "hatch": hatch,
        "hatchColour": style.hatch_colour,
        "dash": [] if style.line == "-" else [max(n, 1) for n in style.line[1]],
        "sign": SIGNS.get(style.mark, ""),
        "css": stripes.get(hatch, style.band),
    }


def _place_of(run: Run) -> dict[str, Any]:
    """The bounds of a map, where walls and zones are named, and edges of territories."""
    low_x, low_y, high_x, high_y = (float(value) for value in extent_of(run))
    territories = [
        {
            "agent": agent,
            "rings": [
                [[round(x, 3), round(y, 3)] for x, y in part.exterior.coords]
                for part in shapely.get_parts(run.level.zone_area(leash.zone))
            ],
        }
        for agent in run.agents
        if (leash := run.setup.cast[agent].leash) is not None
    ]
    labels = []
    things: list[tuple[Any, Any]] = [
        *run.level.data.zones,
        *run.level.data.walls,
        *run.level.data.edges,
        *run.level.data.floors,
        *run.level.data.links,
    ]
    storeys = storeys_of(run)
    for thing, geometry in things:
        point = geometry.centroid
        own = [] if isinstance(thing, Zone | Link | Edge) else storeys.get(thing.name, [])
        if isinstance(thing, Zone) and thing.floor is not None:
            own = storeys[thing.floor]
        labels.append({
            "x": point.x, "y": point.y, "text": thing.name, "size": geometry.envelope.length,
            "on": own,
        })  # fmt: skip
    return {
        "bounds": [low_x - 1.0, low_y - 1.0, high_x + 1.0, high_y + 1.0],
        "labels": labels,
        "territories": territories,
    }


def _chosen(run: Run, agent: str | None, target: str | None) -> tuple[str, str]:
    """The agent and target chosen at first, checked; never the same."""
    for name, known, what in ((agent, run.agents, "agent"), (target, run.names, "target")):
        if name is not None:
            words = "character" if what == "target" else "agent"
            one_of(name, known, source=what, place="", what=words)
    if agent is not None and agent == target:
        raise InputError.of("target", "", f'"{target}"', "nobody senses themselves")
    first = _first_pair(run)
    chosen, other = agent or first[0], target or first[1]
    if chosen == other:
        if agent is None:
            chosen = next((name for name in run.agents if name != other), chosen)
        else:
            other = next((name for name in run.names if name != chosen), other)
    return chosen, other


def _first_pair(run: Run) -> tuple[str, str]:
    """The agent and target with the most events of sight between them."""
    pairs = Counter(
        (row.agent, row.target)
        for row in run.rows("events").each()
        if row.agent in run.agents and row.target in run.names and row.agent != row.target
    )
    if pairs:
        return max(pairs, key=lambda pair: pairs[pair])
    agent = run.agents[0] if run.agents else run.names[0]
    return agent, next((name for name in run.names if name != agent), agent)
