"""The timeline: one lane per agent and target, one band per reason."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib import patheffects
from matplotlib.lines import Line2D
from matplotlib.patches import Patch, Rectangle

from snelk.errors import InputError, one_of
from snelk.plots.appearance import (
    FAINT,
    GREEN_INK,
    INK,
    NOISE,
    REASON_STYLES,
    VERMILION,
    agent_colours,
    rank_shade,
)
from snelk.plots.style import SIZE, Drawing, new_figure, show_times
from snelk.runs.dense import meters_of
from snelk.runs.ladders import reactions
from snelk.runs.spans import REASONS, Span, spans_of, story_of
from snelk.senses.gates import CONTACTS

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.runs.rows import Rows
    from snelk.runs.run import Run

METER_HEIGHT = 0.62
"""Height of a full meter, in lanes."""

BARS = {sense.name: sense.bar for sense in CONTACTS if sense.bar is not None}
"""The bars along the top of a lane."""

LANE = 0.42
"""Least height of a lane, inches; more lanes than fit make the figure taller."""


@dataclass(frozen=True)
class TimelineArtists(Drawing):
    """What `plot_timeline` drew.

    Attributes:
        axes: Where it was drawn.
        lanes: The pairs of agent and target, from the top.
        bands: Per pair: each stretch and its rectangle.
        marks: Per pair: times at which the agent saw and lost the target, s.
        heard: Per pair: times at which the agent heard, and did not hear, a noise of the target.
        stretches: Per pair: the stretches of touch, the zone sense and smell, and their bars.
        meters: Per pair with a meter: its line, from the foot of the lane's band to its top.
        reactions: Per agent that reacts to a transition before it takes it: from when to when, s.
        states: Per agent with a ladder: each alert state, from when to when in s, and its band.
        transitions: Per agent with a ladder: the names of transitions, as far as there is room.
    """

    axes: Axes
    lanes: tuple[tuple[str, str], ...]
    bands: dict[tuple[str, str], list[tuple[Span, Rectangle]]] = field(default_factory=dict)
    marks: dict[tuple[str, str], tuple[list[float], list[float]]] = field(default_factory=dict)
    meters: dict[tuple[str, str], Line2D] = field(default_factory=dict)
    heard: dict[tuple[str, str], tuple[list[float], list[float]]] = field(default_factory=dict)
    stretches: dict[tuple[str, str], list[tuple[Span, Line2D]]] = field(default_factory=dict)
    reactions: dict[str, list[tuple[float, float, Rectangle]]] = field(default_factory=dict)
    states: dict[str, list[tuple[str, float, float, Rectangle]]] = field(default_factory=dict)
    transitions: dict[str, list[str]] = field(default_factory=dict)


def plot_timeline(
    run: Run,
    *,
    ax: Axes | None = None,
    agents: Sequence[str] | None = None,
    targets: Sequence[str] | None = None,
    start: float | None = None,
    end: float | None = None,
) -> TimelineArtists:
    """Draw when each target was in view of each agent that notices it, and why not otherwise.

    Args:
        run: The run.
        ax: Where to draw; a new figure of at least 1280 x 800 pixels if absent.
        agents: Agents to draw; all if absent.
        targets: Targets to draw; all if absent.
        start: From when on, s; the start of the run if absent.
        end: Until when, s; the end of the run if absent.

    Raises:
        InputError: A name is unknown, the times are wrong, or there is no lane to draw.
    """
    for what, chosen, known in (("agent", agents, run.agents), ("target", targets, run.names)):
        for name in chosen or ():
            one_of(name, known, source=what, place="", what=what)
    lanes = tuple(
        (agent, target)
        for agent in (agents if agents is not None else run.agents)
        for target in (targets if targets is not None else run.names)
        if agent != target and _has_lane(run, agent, target)
    )
    laddered = [
        agent
        for agent in (agents if agents is not None else run.agents)
        if run.setup.profile_of(agent).ladder is not None
    ]
    rows = _rows(lanes, laddered)
    if not lanes and not laddered:
        rule, fix = "no agent notices anybody in this run", "see: snelk check"
        raise InputError.of("timeline", "", "", rule, fix)
    if ax is None:
        title = run.info["title"] or run.info["scenario"]
        size = (SIZE[0], max(SIZE[1], 1.6 + LANE * len(rows)))
        figure, ax = new_figure(f"{title}   ·   who sensed whom", size=size)
        longest = max(len(label) for label in rows)
        left = min(0.04 + 0.0072 * longest, 0.3)
        figure.subplots_adjust(left=left, right=0.985, top=1 - 1.1 / size[1], bottom=0.62 / size[1])
    artists = TimelineArtists(ax, lanes)
    colours = agent_colours(run.agents)
    first = run.times[0] if start is None else start
    last = run.times[-1] if end is None else end
    for agent in laddered:
        _draw_states(artists, run, agent, rows[agent], first, last)
    for agent, target in lanes:
        row = rows[f"{agent} → {target}"]
        spans = spans_of(run, agent, target, start=start, end=end)
        artists.bands[agent, target] = [
            (span, _band(ax, row, span, last - first)) for span in spans
        ]
        of_pair = _within(run.rows("events").where(agent=agent, target=target), first, last)
        saw, lost = (of_pair.where(kind=kind)["t"].tolist() for kind in ("saw", "lost"))
        ax.plot(
            saw,
            [row - 0.40] * len(saw),
            "v",
            ms=6,
            color=INK,
            mec="white",
            mew=0.6,
            zorder=5,
            clip_on=False,
        )
        ax.plot(
            lost,
            [row + 0.48] * len(lost),
            "^",
            ms=6,
            mfc="white",
            mec=INK,
            mew=1.0,
            zorder=5,
            clip_on=False,
        )
        artists.marks[agent, target] = (saw, lost)
        artists.heard[agent, target] = _mark_noises(ax, run, row, agent, target, first, last)
        artists.stretches[agent, target] = [
            (span, _bar(ax, row, span))
            for span in story_of(run, agent, target, start=start, end=end)
            if span.sense in BARS
        ]
        meter = meters_of(run, agent, target)
        if len(meter):
            height = row + METER_HEIGHT * (0.5 - meter["value"])
            halo = [patheffects.withStroke(linewidth=3.0, foreground="white", alpha=0.9)]
            (line,) = ax.plot(meter["t"], height, color=INK, lw=1.3, path_effects=halo, zorder=3)
            artists.meters[agent, target] = line
    show_times(ax, first, last)
    ax.set_ylim(len(rows) - 0.5, -0.5)
    ax.set_yticks(range(len(rows)), list(rows), fontsize=10)
    for label, text in zip(ax.get_yticklabels(), rows, strict=True):
        label.set_color(colours[text.split(" → ")[0]])
        label.set_fontweight("bold")
        label.set_parse_math(False)
    ax.set_xlabel("time, s", color=INK)
    ax.tick_params(axis="x", colors=INK)
    ax.tick_params(axis="y", length=0)
    ax.grid(axis="x", color="#dddddd", lw=0.6)
    ax.set_axisbelow(True)
    for side, spine in ax.spines.items():
        spine.set_visible(side == "bottom")
        spine.set_color(FAINT)
    reasons = {span.reason for spans in artists.bands.values() for span, _ in spans}
    _legend(ax, reasons, artists)
    return artists


def _rows(lanes: tuple[tuple[str, str], ...], laddered: list[str]) -> dict[str, int]:
    """The label of each row, from the top: an agent's alert states above its lanes."""
    labels: list[str] = []
    for agent in dict.fromkeys([*laddered, *(agent for agent, _ in lanes)]):
        labels += [agent] if agent in laddered else []
        labels += [f"{a} → {b}" for a, b in lanes if a == agent]
    return {label: n for n, label in enumerate(labels)}


def _draw_states(
    artists: TimelineArtists, run: Run, agent: str, row: int, first: float, last: float
) -> None:
    """A band per alert state, taller and darker with its rank, and the transitions between them."""
    ladder = run.setup.profile_of(agent).ladder
    assert ladder is not None
    ranks = [ladder.rank_of(name) for name in ladder.states]
    states = run.rows("states").where(agent=agent)
    ends = [*states["t"][1:], run.times[-1]]
    artists.states[agent], artists.transitions[agent] = [], []
    for _, since, until in reactions(run, agent):
        since, until = max(since, first), min(until, last)
        if until > since:
            bar = Rectangle(
                (since, row + 0.32), until - since, 0.1, fc=VERMILION, ec="white", lw=0.5, zorder=3
            )
            artists.axes.add_patch(bar)
            artists.reactions.setdefault(agent, []).append((since, until, bar))
    letters = 178 / max(last - first, 1e-9)  # that fit into a second at this size
    free = first
    for begin, end, name, transition in zip(
        states["t"], ends, states["state"], states["transition"], strict=True
    ):
        begin, end = max(float(begin), first), min(float(end), last)
        if end <= begin and begin > first:
            continue
        rank = ladder.rank_of(name)
        height = 0.34 + 0.42 * rank / max(max(ranks), 1)
        band = Rectangle(
            (begin, row + 0.42 - height), end - begin, height,
            fc=rank_shade(rank), ec=INK, lw=0.5, zorder=2,
        )  # fmt: skip
        artists.axes.add_patch(band)
        artists.states[agent].append((str(name), begin, end, band))
        text = str(name)
        if transition and len(name) + len(transition) + 3 <= (end - begin) * letters:
            text = f"{transition} ▸ {name}"
            artists.transitions[agent].append(transition)
        if len(text) <= (end - begin) * letters and begin >= free:
            artists.axes.text(
                begin + 1.0 / letters, row + 0.25, text, fontsize=7.5, va="center",
                color="white" if rank >= 4 else INK, zorder=4, parse_math=False,
            )  # fmt: skip


def _within(rows: Rows, first: float, last: float) -> Rows:
    """The rows of a time."""
    return rows.take((rows["t"] >= first - 1e-9) & (rows["t"] <= last + 1e-9))


def _has_lane(run: Run, agent: str, target: str) -> bool:
    """Whether a pair is worth a lane: by sight, touch, zone or smell always, by ear if heard."""
    team = run.setup.cast[target].team
    senses = [
        place[0] for place, teams in run.setup.profile_of(agent).teams().items() if team in teams
    ]
    if senses == ["hearing"]:
        return bool(run.rows_of("hearing", agent, target)["heard"].any())
    return bool(senses)


def _band(ax: Axes, row: int, span: Span, whole: float) -> Rectangle:
    style = REASON_STYLES[span.reason]
    height = 0.62 if span.reason == "in_view" else 0.40
    band = Rectangle(
        (span.start, row - height / 2),
        span.end - span.start,
        height,
        facecolor=style.band,
        edgecolor=style.hatch_colour if style.hatch else "none",
        hatch=style.hatch or None,
        lw=0,
        zorder=2,
    )
    ax.add_patch(band)
    words = ", ".join(span.cones) if span.reason == "in_view" else span.wall
    room = (span.end - span.start) / max(whole, 1e-9) * 178  # letters at this size
    if words and len(words) <= room:
        ax.text(
            (span.start + span.end) / 2,
            row,
            words,
            ha="center",
            va="center",
            parse_math=False,
            fontsize=7.5,
            color="white" if span.reason == "in_view" else INK,
            bbox=None
            if span.reason == "in_view"
            else {"boxstyle": "square,pad=0.12", "fc": style.band, "ec": "none"},
            zorder=4,
        )
    return band


def _mark_noises(
    ax: Axes, run: Run, row: int, agent: str, target: str, first: float, last: float
) -> tuple[list[float], list[float]]:
    """A stroke for each noise that was heard, a dot for each that was not; return the times."""
    rows = _within(run.rows_of("hearing", agent, target), first, last)
    heard = rows["t"][rows["heard"]].tolist()
    unheard = rows["t"][np.isin(rows["result"], ["reach", "awake"])].tolist()
    low = row + 0.37
    ax.plot(unheard, [low] * len(unheard), ".", ms=3, color=NOISE, alpha=0.55, zorder=4.4)
    ax.plot(heard, [low] * len(heard), "|", ms=9, mew=1.8, color=NOISE, zorder=4.5)
    return heard, unheard


def _bar(ax: Axes, row: int, span: Span) -> Line2D:
    """A bar along the top of the lane, with the mark of its sense at both ends."""
    mark = BARS[span.sense].mark
    (bar,) = ax.plot(
        [span.start, span.end], [row - 0.25] * 2, marker=mark, ms=5, mew=1.4, color=GREEN_INK,
        mfc="white", lw=2.2, zorder=4.6,
    )  # fmt: skip
    return bar


def _legend(ax: Axes, reasons: set[str], artists: TimelineArtists) -> None:
    notes = {"in_view": " (cone)", "line_of_sight": " (by wall)"}
    handles: list[Patch | Line2D] = [
        Patch(
            facecolor=REASON_STYLES[key].band,
            edgecolor=REASON_STYLES[key].hatch_colour if REASON_STYLES[key].hatch else "#cccccc",
            hatch=REASON_STYLES[key].hatch or None,
            label=words + notes.get(key, ""),
        )
        for key, words in REASONS.items()
        if key in reasons
    ]
    handles += [
        Line2D([], [], marker="v", ls="none", color=INK, label="saw"),
        Line2D([], [], marker="^", ls="none", mfc="white", mec=INK, label="lost"),
    ]
    if any(heard for heard, _ in artists.heard.values()):
        handles.append(
            Line2D([], [], marker="|", ls="none", ms=9, mew=1.8, color=NOISE, label="heard")
        )
    if any(unheard for _, unheard in artists.heard.values()):
        handles.append(Line2D([], [], marker=".", ls="none", ms=4, color=NOISE, label="not heard"))
    senses = {span.sense for each in artists.stretches.values() for span, _ in each}
    for sense, (mark, words, *_) in BARS.items():
        if sense in senses:
            bar = Line2D([], [], color=GREEN_INK, marker=mark, ms=5, mfc="white", lw=2.2)
            bar.set_label(words)
            handles.append(bar)
    if artists.states:
        band = Patch(facecolor=rank_shade(2), edgecolor=INK, lw=0.5)
        band.set_label("transition ▸ alert state")
        handles.append(band)
    if artists.reactions:
        handles.append(Patch(facecolor=VERMILION, edgecolor="white", label="reacts"))
    if artists.meters:
        handles.append(Line2D([], [], color=INK, lw=1.3, label="meter"))
    ax.legend(
        handles=handles,
        loc="lower left",
        bbox_to_anchor=(0.0, 1.005),
        ncols=len(handles) if len(handles) <= 9 else (len(handles) + 1) // 2,
        fontsize=8.8,
        frameon=False,
        borderaxespad=0.1,
        columnspacing=1.2,
        handlelength=1.9,
    )
