"""What a game sensed beside what a run sensed: two bands for each pair, and the mismatches."""

from __future__ import annotations

import itertools
import textwrap
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.lines import Line2D
from matplotlib.patches import Patch, Rectangle

from snelk.errors import InputError
from snelk.plots.appearance import BLUE, FAINT, GAME, INK, VERMILION, agent_colours, rank_shade
from snelk.plots.style import SIZE, Drawing, new_figure, show_times
from snelk.tuning.sensed import HEARING, sensed_in

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from snelk.runs.run import Run
    from snelk.tuning.parity import Parity
    from snelk.tuning.sensed import Log

LANE = 0.5
"""Least height of a lane, inches; more lanes than fit make the figure taller."""

MOST_LANES = 40
"""Lanes that are drawn: those that part most."""

NUMBERS = "①②③④⑤"
MOST_CAUSES = len(NUMBERS)
"""Causes that are told below."""

SNELK = BLUE


@dataclass(frozen=True)
class ParityArtists(Drawing):
    """What `plot_parity` drew.

    Attributes:
        axes: Where it was drawn.
        lanes: The subject of each lane, from the top: agent, target and sense; or agent, "" and
            `state`.
        left_out: How many lanes there was no room for; those that agree best.
        game, snelk: Per lane the stretches that each has it sensed, from when to when in s.
        mismatches: Per lane the rectangles of where they part, and the number of the cause below;
            0 for none.
        causes: The texts below.
    """

    axes: Axes
    lanes: tuple[tuple[str, str, str], ...]
    left_out: int
    game: dict[tuple[str, str, str], list[tuple[float, float]]] = field(default_factory=dict)
    snelk: dict[tuple[str, str, str], list[tuple[float, float]]] = field(default_factory=dict)
    mismatches: dict[tuple[str, str, str], list[tuple[Rectangle, int]]] = field(
        default_factory=dict
    )
    causes: list[str] = field(default_factory=list)


def plot_parity(run: Run, log: Log, parity: Parity, *, ax: Axes | None = None) -> ParityArtists:
    """Draw what a game sensed above what the run sensed, for each pair, and the mismatches.

    Args:
        run: The run.
        log: What `read_log` returned.
        parity: What `parity` returned of both.
        ax: Where to draw; a new figure of at least 1280 x 800 pixels if absent.

    Raises:
        InputError: There is nothing to draw: neither ever sensed anybody.
    """
    ours = sensed_in(run, log)
    apart = {(p.agent, p.target, p.sense): 1.0 - p.agree for p in parity.pairs}
    pairs = [
        key for key in apart if apart[key] > 0.0 or (key in log.pairs and ours.pairs[key].any())
    ]
    states = {(s.agent, "", "state"): 1.0 - s.agree for s in parity.states}
    every = apart | states
    chosen = sorted([*pairs, *states], key=lambda key: -every[key])[:MOST_LANES]
    lanes = tuple(key for key in [*pairs, *states] if key in chosen)
    if not lanes:
        raise InputError.of("parity", "", "", "neither ever sensed anybody", "see: snelk check")
    causes = [cause.text for cause in parity.causes[:MOST_CAUSES]]
    told = [
        line
        for n, text in enumerate(causes, 1)
        for line in textwrap.wrap(f"{NUMBERS[n - 1]}  {text}", 150, subsequent_indent="    ")
    ]
    if ax is None:
        title = f"{run.info['title'] or run.info['scenario']}   ·   the game and Snelk"
        if parity.pairs:
            title += f": {parity.agree:.2%} of what was sensed agrees"
        height = max(SIZE[1], 2.2 + LANE * len(lanes) + 0.19 * len(told))
        figure, ax = new_figure(title, size=(SIZE[0], height))
        longest = max(len(_label(lane)) for lane in lanes)
        left, low = min(0.05 + 0.0066 * longest, 0.3), 0.85 + 0.19 * len(told)
        figure.subplots_adjust(
            left=left, right=0.93, top=1 - 1.05 / height, bottom=low / height
        )  # fmt: skip
        note = "\n".join(told)
        figure.text(
            0.012, 0.1 / height, note, ha="left", va="bottom", fontsize=9, color=INK,
            linespacing=1.35,
        ).set_parse_math(False)  # fmt: skip
    artists = ParityArtists(ax, lanes, len(pairs) + len(states) - len(lanes), causes=causes)
    for row, lane in enumerate(lanes):
        _draw_lane(artists, run, log, parity, ours, row, lane)
        share = f"{1.0 - every[lane]:.1%}" if every[lane] == every[lane] else "–"
        ax.text(
            1.008, row, share, transform=ax.get_yaxis_transform(), va="center", fontsize=9,
            color=INK,
        )  # fmt: skip
    _finish(ax, run, lanes, parity)
    return artists


def _label(lane: tuple[str, str, str]) -> str:
    agent, target, sense = lane
    return f"{agent}: state" if not target else f"{agent} → {target}: {sense}"


def _draw_lane(
    artists: ParityArtists, run: Run, log: Log, parity: Parity, ours: Any, row: int,
    lane: tuple[str, str, str],
) -> None:  # fmt: skip
    ax, (agent, target, sense) = artists.axes, lane
    top, middle, low = row - 0.36, row, row + 0.36
    artists.game[lane], artists.snelk[lane], artists.mismatches[lane] = [], [], []
    if sense == "state":
        entered = run.rows("states").where(agent=agent)
        names = np.array([str(each) for each in entered["state"]], dtype=object)
        at = np.searchsorted(run.ticks_of(entered["t"]), np.arange(len(run.times)), side="right")
        for where, words, kept in (
            (top, log.states[agent], artists.game),
            (middle, names[at - 1], artists.snelk),
        ):
            kept[lane] += _draw_states(ax, run, agent, where, words)
    elif sense == HEARING:
        for where, times, colour, kept in (
            (top, log.heard[agent, target], GAME, artists.game),
            (middle, ours.heard[agent, target], SNELK, artists.snelk),
        ):
            ax.vlines(times, where, where + 0.34, color=colour, lw=1.4, zorder=3)
            kept[lane] += [(float(t), float(t)) for t in times]
    else:
        for where, sensed, colour, kept in (
            (top, log.pairs[lane] == 1, GAME, artists.game),
            (middle, ours.pairs[lane], SNELK, artists.snelk),
        ):
            for first, last in _stretches(run, sensed):
                ax.add_patch(Rectangle((first, where), last - first, 0.34, fc=colour, zorder=2))
                kept[lane].append((first, last))
    ax.axhline(middle - 0.01, color=FAINT, lw=0.5, zorder=1)
    least = 0.004 * float(run.times[-1] - run.times[0])
    for mismatch in parity.mismatches:
        if (mismatch.agent, mismatch.target, mismatch.sense) != lane:
            continue
        width = max(mismatch.end - mismatch.start, least)
        begin = (mismatch.start + mismatch.end - width) / 2
        number = next(
            (n for n, each in enumerate(parity.causes, 1) if mismatch in each.explained), 0
        )
        box = Rectangle(
            (begin, top - 0.05), width, low - top + 0.1, fc="none", ec=VERMILION, lw=1.2,
            hatch="////", alpha=0.8, zorder=4,
        )  # fmt: skip
        ax.add_patch(box)
        if 0 < number <= MOST_CAUSES:
            ax.annotate(
                NUMBERS[number - 1], (begin + width / 2, low), xytext=(0, -2),
                textcoords="offset points", ha="center", va="top", fontsize=9, color=VERMILION,
                weight="bold", zorder=6, annotation_clip=True,
            )  # fmt: skip
        artists.mismatches[lane].append((box, number))


def _stretches(run: Run, sensed: Any) -> list[tuple[float, float]]:
    edges = np.flatnonzero(np.diff(sensed.astype(np.int8), prepend=0, append=0)).reshape(-1, 2)
    dt = run.setup.clock.dt
    return [(float(run.times[a]), float(run.times[b - 1]) + dt) for a, b in edges]


def _draw_states(
    ax: Axes, run: Run, agent: str, where: float, words: Any
) -> list[tuple[float, float]]:
    ladder = run.setup.profile_of(agent).ladder
    assert ladder is not None
    edges = [0, *(np.flatnonzero(words[1:] != words[:-1]) + 1).tolist(), len(words)]
    found = []
    for first, last in itertools.pairwise(edges):
        state = str(words[first])
        if not state:
            continue
        start, end = float(run.times[first]), float(run.times[last - 1]) + run.setup.clock.dt
        shade = rank_shade(ladder.rank_of(state))
        ax.add_patch(
            Rectangle((start, where), end - start, 0.34, fc=shade, ec="white", lw=0.5, zorder=2)
        )
        found.append((start, end))
        if end - start > 0.013 * len(state) * float(run.times[-1] - run.times[0]) / 1.2:
            dark = ladder.rank_of(state) >= 4
            ax.text(
                start, where + 0.18, f" {state}", fontsize=7, va="center",
                color="white" if dark else INK, zorder=3, clip_on=True,
            ).set_parse_math(False)  # fmt: skip
    return found


def _finish(ax: Axes, run: Run, lanes: tuple[tuple[str, str, str], ...], parity: Parity) -> None:
    colours = agent_colours(run.agents)
    show_times(ax, float(run.times[0]), float(run.times[-1]))
    ax.set_ylim(len(lanes) - 0.4, -0.6)
    ax.set_yticks(range(len(lanes)), [_label(lane) for lane in lanes], fontsize=9)
    for label, lane in zip(ax.get_yticklabels(), lanes, strict=True):
        label.set_color(colours[lane[0]])
        label.set_parse_math(False)
    if parity.end < run.times[-1] - 1e-6:
        ax.axvspan(parity.end, float(run.times[-1]), color=FAINT, alpha=0.4, lw=0)
    ax.set_xlabel("time, s", color=INK)
    ax.tick_params(axis="x", colors=INK)
    ax.tick_params(axis="y", length=0)
    ax.grid(axis="x", color="#dddddd", lw=0.6)
    ax.set_axisbelow(True)
    for side, spine in ax.spines.items():
        spine.set_visible(side == "bottom")
        spine.set_color(FAINT)
    handles: list[Any] = [
        Patch(fc=GAME, label="above: the game senses it"),
        Patch(fc=SNELK, label="below: Snelk senses it"),
        Patch(fc="none", ec=VERMILION, hatch="////", label="they part; number: cause below"),
        Line2D([], [], color="none", label="right: how much agrees"),
    ]
    if parity.end < run.times[-1] - 1e-6:
        handles.append(Patch(fc=FAINT, alpha=0.4, label="the log tells nothing any more"))
    ax.legend(
        handles=handles, loc="lower left", bbox_to_anchor=(0.0, 1.005), ncols=5, frameon=False,
        fontsize=9, handlelength=1.6, columnspacing=1.4, borderaxespad=0.2,
    )  # fmt: skip
