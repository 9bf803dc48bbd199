"""The alert ladder of an agent as a graph: which transitions were taken, how often and when."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from matplotlib import patheffects
from matplotlib.patches import FancyArrowPatch, FancyBboxPatch

from snelk.errors import InputError, one_of
from snelk.plots.appearance import FAINT, INK, VERMILION, rank_shade
from snelk.plots.style import Drawing, room_for_panels

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.text import Text
    from numpy.typing import NDArray

    from snelk.runs.run import Run

BOX = (0.46, 0.22)
"""Half width and half height of a state's box, in units of the axis."""

LABEL_AT = 0.4
"""How far along its arrow a transition is named, from 0 to 1."""

TIMES = 4
"""So many times of a transition are written; of more only how many."""


@dataclass(frozen=True)
class StatesArtists(Drawing):
    """What `plot_states` drew.

    Attributes:
        axes: Where it was drawn.
        boxes: Per state: its box.
        arrows: Per transition and state it leads out of: its arrow.
        labels: Per transition and state it leads out of: what is written at its arrow.
        taken: Per transition: the times at which it was taken, s.
        shares: Per state: the share of the run that was spent in it.
    """

    axes: Axes
    boxes: dict[str, FancyBboxPatch] = field(default_factory=dict)
    arrows: dict[tuple[str, str], FancyArrowPatch] = field(default_factory=dict)
    labels: dict[tuple[str, str], Text] = field(default_factory=dict)
    taken: dict[str, list[float]] = field(default_factory=dict)
    shares: dict[str, float] = field(default_factory=dict)


def plot_states(run: Run, agent: str, *, ax: Axes | None = None) -> StatesArtists:
    """Draw an agent's alert states, and the transitions between them, with how often and when.

    Args:
        run: The run.
        agent: Whose.
        ax: What it takes the place of; a new figure of 1280 x 800 pixels if absent.

    Raises:
        InputError: Nobody has that name, or the agent has no alert states.
    """
    one_of(agent, run.agents, source="agent", place="", what="agent")
    ladder = run.setup.profile_of(agent).ladder
    if ladder is None:
        fix = "its profile has no ladder"
        raise InputError.of("agent", "", f'"{agent}"', "has no alert states", fix)
    title = run.info["title"] or run.info["scenario"]
    room = room_for_panels(f"{title}   ·   alert states of {agent}", ax)
    ax = room.add_axes((0.02, 0.05, 0.62, 0.87), facecolor="#ffffff")
    artists = StatesArtists(ax)
    rows = run.rows("states").where(agent=agent)
    ends = [*rows["t"][1:], run.times[-1]]
    whole = max(float(run.times[-1] - run.times[0]), 1e-9)
    for name in ladder.states:
        spent = sum(
            e - t for t, e, s in zip(rows["t"], ends, rows["state"], strict=True) if s == name
        )
        artists.shares[name] = float(spent) / whole
    for name in ladder.transitions:
        artists.taken[name] = rows.where(transition=name)["t"].tolist()
    places = _places(list(ladder.states))
    went = Counter((row.transition, row.before) for row in rows.each())
    pairs: dict[tuple[str, str], list[str]] = {}
    for name, transition in ladder.transitions.items():
        for start in ladder.origins(transition):
            if start != transition.to:
                pairs.setdefault((start, transition.to), []).append(name)
    for (start, end), names in pairs.items():
        for n, name in enumerate(names):
            # Those that lead there and back bend apart; several of one way fan out.
            ends_at = places[start], places[end]
            _draw_arrow(artists, name, start, ends_at, 0.16 + 0.17 * n, went[name, start])
    for name, (x, y) in places.items():
        _draw_state(artists, run, agent, name, x, y)
    _write_transitions(artists, run, agent)
    _note(artists)
    ax.set_xlim(-2.05, 2.05)
    ax.set_ylim(-1.75, 1.75)
    ax.set_axis_off()
    return artists


def _places(names: list[str]) -> dict[str, tuple[float, float]]:
    """Around an ellipse, clockwise from the top left: neighbours in the ladder are neighbours."""
    angle = np.radians(135.0) - 2.0 * np.pi * np.arange(len(names)) / max(len(names), 1)
    return {
        name: (1.45 * float(np.cos(a)), 1.3 * float(np.sin(a)))
        for name, a in zip(names, angle, strict=True)
    }


def _draw_state(
    artists: StatesArtists, run: Run, agent: str, name: str, x: float, y: float
) -> None:
    ladder = run.setup.profile_of(agent).ladder
    assert ladder is not None
    state, rank = ladder.states[name], ladder.rank_of(name)
    first = name == (run.setup.cast[agent].state or ladder.first_state)
    box = FancyBboxPatch(
        (x - BOX[0], y - BOX[1]),
        2 * BOX[0],
        2 * BOX[1],
        boxstyle="round,pad=0.02,rounding_size=0.08",
        fc=rank_shade(rank),
        ec=INK,
        lw=2.4 if first else 1.0,
        zorder=4,
    )
    artists.axes.add_patch(box)
    artists.boxes[name] = box
    ink = "white" if rank >= 4 else INK
    lines = [
        (name, 0.085, 10.5, "bold"),
        (", ".join(filter(None, (state.activity, state.pace_in))), -0.03, 8.5, "normal"),
        (f"rank {rank}  ·  {artists.shares[name]:.0%} of the time", -0.135, 8.0, "normal"),
    ]
    for text, up, size, weight in lines:
        artists.axes.text(
            x, y + up, text, ha="center", va="center", fontsize=size, weight=weight, color=ink,
            zorder=5, parse_math=False,
        )  # fmt: skip


def _draw_arrow(
    artists: StatesArtists,
    name: str,
    start: str,
    ends: tuple[tuple[float, float], tuple[float, float]],
    bend: float,
    times: int,
) -> None:
    """An arrow from state to state: the transition's name, and how often it was taken there."""
    one, other = (np.array(end) for end in ends)
    a, b = _edge(one, other), _edge(other, one)
    along = b - a
    arrow = FancyArrowPatch(
        tuple(a),
        tuple(b),
        connectionstyle=f"arc3,rad={bend}",
        arrowstyle="-|>",
        mutation_scale=15,
        lw=1.0 + 0.9 * min(times, 4),
        ls="-" if times else (0, (4, 3)),
        color=VERMILION if times else FAINT,
        shrinkA=2,
        shrinkB=2,
        zorder=3 if times else 2,
    )
    artists.axes.add_patch(arrow)
    artists.arrows[name, start] = arrow
    # Named outside its bend, and before half of its path: there and back are well apart.
    out = np.array([along[1], -along[0]])
    place = (1 - LABEL_AT) * a + LABEL_AT * b + 2 * LABEL_AT * (1 - LABEL_AT) * bend * out
    side = np.sign(np.round(out / np.hypot(*out))).astype(int)
    halo = [patheffects.withStroke(linewidth=3.0, foreground="white")]
    text = artists.axes.text(
        float(place[0]), float(place[1]), f"{name} ×{times}" if times else name,
        fontsize=8.2, ha=("center", "left", "right")[side[0]],
        va=("center", "bottom", "top")[side[1]], color="#8a3c00" if times else "#6e6e6e",
        weight="bold" if times else "normal", zorder=6,
        path_effects=halo, parse_math=False,
    )  # fmt: skip
    artists.labels[name, start] = text


def _edge(centre: NDArray[np.float64], toward: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the straight line from the middle of a box leaves it."""
    along = toward - centre
    scale = min(
        (BOX[0] + 0.03) / max(abs(float(along[0])), 1e-9),
        (BOX[1] + 0.03) / max(abs(float(along[1])), 1e-9),
        1.0,
    )
    return centre + scale * along


def _write_transitions(artists: StatesArtists, run: Run, agent: str) -> None:
    """Beside the graph: each transition with its condition, how often and when it was taken."""
    ladder = run.setup.profile_of(agent).ladder
    assert ladder is not None
    figure = artists.axes.get_figure()
    if figure is None:
        return
    lines: list[tuple[str, str, str]] = []
    for name, transition in ladder.transitions.items():
        times = artists.taken[name]
        when = ", ".join(f"{t:.1f}" for t in times[:TIMES])
        when += f" and {len(times) - TIMES} more" if len(times) > TIMES else ""
        note = f"taken {len(times)}×: {when} s" if times else "never taken"
        wait = f"  for {transition.for_:g} s" if transition.for_ else ""
        wait += f"  reaction {transition.reaction:g} s" if transition.reaction else ""
        lines.append((f"{name} → {transition.to}", f"{transition.when}{wait}", note))
    step = min(0.094, 0.86 / max(len(lines), 1))
    figure.text(
        0.655,
        0.925,
        "Transitions, in the order they are tried",
        fontsize=9.5,
        color=INK,
        weight="bold",
    )
    for n, (head, condition, note) in enumerate(lines):
        y = 0.895 - n * step
        taken = not note.startswith("never")
        ink = "#8a3c00" if taken else "#6e6e6e"
        for text, down, size, colour, weight in (
            (head, 0.0, 8.8, INK, "bold"),
            (_cut(condition, 62), 0.024, 7.6, INK, "normal"),
            (note, 0.046, 7.6, ink, "normal"),
        ):
            figure.text(
                0.655, y - down, text, fontsize=size, color=colour, weight=weight, va="top",
                parse_math=False,
            )  # fmt: skip


def _note(artists: StatesArtists) -> None:
    """What lines and boxes mean."""
    words = (
        "Thick edge: the first state. The darker, the higher the rank. "
        "Solid arrows were taken, thicker if more often; dashed ones never."
    )
    artists.axes.text(
        0.0, 0.0, words, transform=artists.axes.transAxes, fontsize=8.2, color=INK, va="bottom"
    )


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
