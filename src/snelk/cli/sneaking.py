"""Sneaking: the least noticed path through a level."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.output import (
    Screen,
    command,
    progress_bar,
    say_json,
    table,
    wrap,
)
from snelk.cli.scenarios import (
    Activities,
    Cluster,
    Json,
    Overrides,
    ScenarioFile,
    load_scenario,
    run_files,
)
from snelk.errors import one_of

if TYPE_CHECKING:
    from snelk.config.scenario import Scenario
    from snelk.tuning.sneak import Opening, Passage, Passages, Place

Start = Annotated[
    str | None,
    typer.Option(
        "--from", metavar="PLACE", help="Start: a spot, a zone or X,Y[,Z]; default: where it is."
    ),
]
Goal = Annotated[
    str, typer.Option("--to", metavar="PLACE", help="Goal: a spot, a zone or X,Y[,Z] in m.")
]
Whom = Annotated[
    str | None,
    typer.Option(
        "--target", metavar="NAME", help="Character to move; default: the one with a track."
    ),
]
Matters = Annotated[
    list[str] | None,
    typer.Option("--agent", metavar="AGENT", help="Only this agent must not notice. Repeatable."),
]
Ignored = Annotated[
    list[str] | None,
    typer.Option("--ignore", metavar="AGENT", help="This agent may notice. Repeatable."),
]
Begin = Annotated[float | None, typer.Option("--begin", metavar="T", help="Start time, s.")]
End = Annotated[float | None, typer.Option("--end", metavar="T", help="Latest arrival time, s.")]
Cell = Annotated[
    float | None,
    typer.Option(
        "--cell",
        metavar="M",
        help="Grid spacing, m; default: such that there are about 600 positions.",
    ),
]
Modes = Annotated[
    list[str] | None,
    typer.Option(
        "--mode",
        metavar="POSTURE:PACE",
        help="An allowed posture and pace, such as crouched:walking. Repeatable.",
    ),
]
Below = Annotated[
    float,
    typer.Option("--below", metavar="VALUE", help="Meter value that must not be reached, 0 to 1."),
]
Figure = Annotated[
    Path | None,
    typer.Option("--figure", metavar="FILE", help="Draw it to a .png, .svg or .pdf file."),
]
Floor = Annotated[
    str | None,
    typer.Option("--floor", metavar="NAME", help="Floor that the figure highlights."),
]
Kept = Annotated[int, typer.Option("--keep", metavar="N", help="Paths kept per position and time.")]


def sneak(
    scenario: ScenarioFile,
    to: Goal,
    start: Start = None,
    target: Whom = None,
    agent: Matters = None,
    ignore: Ignored = None,
    begin: Begin = None,
    end: End = None,
    cell: Cell = None,
    mode: Modes = None,
    below: Below = 1.0,
    kept: Kept = 8,
    out: Annotated[
        Path | None,
        typer.Option("--out", metavar="DIR", help="Write each path there, as a run and a track."),
    ] = None,
    figure: Figure = None,
    floor: Floor = None,
    opening: Annotated[
        bool,
        typer.Option(
            "--opening", help="If there is no path, find the smallest change that opens one; slow."
        ),
    ] = False,
    overrides: Overrides = None,
    activities: Activities = None,
    cluster: Cluster = None,
    as_json: Json = False,
) -> None:
    """Find the path through a level that is noticed least.

    In space and time, against the routines of all who watch; then replayed with all reactions.
    """
    from snelk.runs.store import claim_run
    from snelk.tuning.sneak import MOST_TOLD, USUAL, openings
    from snelk.tuning.sneak import sneak as search

    if out is not None:
        for n in range(1, MOST_TOLD + 1):
            claim_run(out / f"passage-{n}")
    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    claim_drawing(loaded, figure, floor)
    with progress_bar("trying every path") as bar:
        found = search(
            loaded, to=place_of(to), start=None if start is None else place_of(start),
            target=target, agents=agent, ignore=ignore or (), begin=begin, end=end, cell=cell,
            modes=mode or USUAL, below=below, kept=kept, cluster=cluster,
            progress=_without_words(bar),
        )  # fmt: skip
    opened: tuple[Opening, ...] = ()
    if opening:
        with progress_bar("trying numbers") as bar:
            opened = openings(found, cluster=cluster, progress=_without_words(bar))
    written = _written(found, out, figure, floor)
    if as_json:
        changes = [{**each._asdict(), "passage": each.passage.arrives} for each in opened]
        say_json({**_as_data(found), **({"openings": changes} if opening else {})})
        return
    screen = Screen()
    _say_passages(screen, found)
    if opening:
        _say_openings(screen, found, opened)
    screen.print()
    for each in written:
        screen.print(f"Written to {each}")
    left = [] if out is None else sorted(path.name for path in out.glob("passage-*"))
    left = [name for name in left if Path(out or "", name) not in written]
    if left:
        screen.print(wrap(f"Of an earlier search there are still {', '.join(left)}", indent=2))
    if out is not None and found.passages:
        last = out / f"passage-{len(found.passages)}"
        screen.print("\nNext\n  " + command("snelk", "page", last))
    elif found.passages:
        text = "Next: --out DIR writes each path as a run, to look at and ask about; "
        screen.print(wrap(text + "--figure FILE draws it", indent=2))


def claim_drawing(loaded: Scenario, figure: Path | None, floor: str | None) -> None:
    """Make sure that a figure can be written, before computing.

    Raises:
        InputError: The floor is unknown, or the figure cannot be written.
    """
    from snelk.level.level import Level

    if figure is not None:
        from snelk.plots.style import claim_figure

        claim_figure(figure)
    if floor is not None:
        names = Level.of(loaded.level).floor_names
        one_of(floor, names, source="--floor", place="", what="floor")


def _written(
    found: Passages, out: Path | None, figure: Path | None, floor: str | None
) -> list[Path]:
    """Write the requested runs, tracks and figure."""
    from snelk.runs.run import run

    written: list[Path] = []
    for n, passage in enumerate(found.passages if out is not None else (), start=1):
        assert out is not None
        run(found.with_track(passage), out=out / f"passage-{n}")
        track = passage.save_track(out / f"passage-{n}.csv", found.target)
        written += [out / f"passage-{n}", track]
    if figure is not None:
        from snelk.plots.sneak import plot_sneak

        written.append(plot_sneak(found, floor=floor).save(figure))
    return written


def _without_words(
    bar: Callable[[int, int], None] | None,
) -> Callable[[str, int, int], None] | None:
    return None if bar is None else lambda _, done, whole: bar(done, whole)


def place_of(text: str) -> Place:
    """A place as it is written: numbers, or a name."""
    try:
        return tuple(float(part) for part in text.split(","))
    except ValueError:
        return text


def _say_passages(screen: Screen, found: Passages) -> None:
    begins, ends = found.begins, found.ends
    text = f"{found.target} sneaks from {found.start} to {found.goal}, between {begins:g} and "
    text += (
        f"{ends:g} s: {len(found.places)} positions {found.cell:.3g} m apart, moves and waits of "
    )
    text += f"{found.time_step:g} s or a multiple"
    screen.print(wrap(text, indent=2))
    screen.print(wrap(f"Must not notice it: {', '.join(found.agents)}", indent=2))
    if found.passages:
        rows = [_row(n, each) for n, each in enumerate(found.passages, start=1)]
        head = [
            "",
            "arrives",
            " takes",
            " walks",
            " waits",
            "  highest meter",
            "  replay",
        ]
        screen.print("\n" + "\n".join(table(head, rows)))
        text = "highest meter: 0 nobody notices anything, 1 somebody is sure; replay: whether the "
        text += "whole scenario, where everybody may react, gives the same result"
        screen.print(wrap(text, indent=2, first="  "))
        screen.print()
        for n, each in enumerate(found.passages, start=1):
            if each.reactions:
                text = ", ".join(
                    f"{r.agent} at {r.t:g} s ({r.state} instead of {r.instead_of})"
                    for r in each.reactions[:3]
                )
                more = len(each.reactions) - 3
                text += f" and {more} more" if more > 0 else ""
                screen.print(wrap(f"{n}: reacts {text}", indent=5, first="  "))
            if each.margin is not None and each.margin_of is not None and each.highest <= 0.0:
                who, t = each.margin_of
                text = f"{n}: nearest to a cone at {t:g} s: {each.margin:.2f} m off {who}'s in plan"
                screen.print(wrap(text, indent=5, first="  "))
    if not found.walkable:
        text = f"No path: {found.goal} cannot be reached on foot, even if nobody watches. "
        text += "Where a gap is narrow, try a smaller --cell"
        screen.print("\n" + wrap(text, indent=2))
    elif not found.passages and not found.closings:
        text = f"Not enough time: it takes at least {found.soonest:g} s at least, whoever watches"
        screen.print("\n" + wrap(text, indent=2))
    elif found.closings:
        _say_closed(screen, found)
    elif not any(each.holds for each in found.passages):
        text = "None of them holds: somebody reacts, and no meter limit was found below which it "
        text += "does not. Try --agent or --ignore for others, or --below"
        screen.print("\n" + wrap(text, indent=2))
    elif not found.proved:
        text = "There may be better ones: where many paths led to one position at one moment, some "
        text += "were left out. --keep 24 leaves out fewer, and takes longer"
        screen.print("\n" + wrap(text, indent=2))


def _row(n: int, each: Passage) -> list[str]:
    by = "" if each.agent is None else f" {each.agent}"
    by += "" if each.at is None else f" at {each.at:g} s"
    held = "holds"
    if each.cut_short:
        held = "run ends before"
    elif not each.holds:
        held = f"{max(each.replayed.values()):.2f} instead"
    return [
        str(n), f"{each.arrives:g} s", f" {each.seconds:g} s", f" {each.far:.1f} m",
        f" {each.waits:g} s", f"  {each.highest:.2f}{by}", f"  {held}",
    ]  # fmt: skip


def _say_closed(screen: Screen, found: Passages) -> None:
    """Print who is in the way, where and when."""
    text = "No path on which nobody notices or reacts. In the way of moves that nobody "
    screen.print("\n" + wrap(text + "else noticed before:", indent=2))
    for each in found.closings[:5]:
        when = ", ".join(f"{low:g}–{high:g}" for low, high in each.windows)
        low, high = each.places[:, :2].min(axis=0), each.places[:, :2].max(axis=0)
        where = f"x {low[0]:.1f} to {high[0]:.1f}, y {low[1]:.1f} to {high[1]:.1f} m"
        text = f"{each.agent} {each.share:.0%}: {len(each.places)} positions in {where}; {when} s"
        screen.print(wrap(text, indent=4, first="  "))
    text = f"Try --ignore {found.closings[0].agent}, or --opening for a number that opens it"
    screen.print(wrap(text, indent=2))


def _say_openings(screen: Screen, found: Passages, opened: tuple[Opening, ...]) -> None:
    screen.print()
    if not opened:
        text = "No single number of the agents that are most in the way opens it."
        text = text if found.closings else "No agent closes it, so there is nothing to open."
        screen.print(wrap(text, indent=2))
    for each in opened:
        text = f"Opens with {each.key} = {each.value:g} {each.unit}".rstrip()
        text += f" instead of {each.instead_of:g}: there at {each.passage.arrives:g} s, highest "
        screen.print(wrap(text + f"{each.passage.highest:.2f}", indent=4, first="  "))


def _as_data(found: Passages) -> dict[str, object]:
    return {
        "target": found.target,
        "agents": list(found.agents),
        "from": found.start,
        "to": found.goal,
        "cell": found.cell,
        "time_step": found.time_step,
        "places": len(found.places),
        "walkable": found.walkable,
        "soonest": found.soonest,
        "proved": found.proved,
        "below": found.below,
        "passages": [
            {
                "begins": each.begins,
                "arrives": each.arrives,
                "highest_meter": each.highest,
                "agent": each.agent,
                "at": each.at,
                "margin": each.margin,
                "margin_of": each.margin_of,
                "length": each.far,
                "waits": each.waits,
                "holds": each.holds,
                "cut_short": each.cut_short,
                "promised": each.promised,
                "replayed": each.replayed,
                "reactions": [each._asdict() for each in each.reactions],
                "track": [list(row) for row in each.rows()],
            }
            for each in found.passages
        ],
        "closings": [
            {
                "agent": each.agent,
                "share": each.share,
                "places": each.places.tolist(),
                "windows": [list(window) for window in each.windows],
            }
            for each in found.closings
        ],
    }
