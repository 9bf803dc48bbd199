"""Commands that draw a run."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from snelk.cli.comparing import compared
from snelk.cli.covering import Cell, HowThere, Target, covered
from snelk.cli.output import Screen, file_name
from snelk.cli.questions import From, RunFolder, To
from snelk.cli.scenarios import Activities, Jobs, Overrides, ScenarioFile
from snelk.cli.sweeping import Show, Wants
from snelk.files import beside

Out = Annotated[
    Path | None,
    typer.Option(
        "--out", metavar="FILE", help="A .png, .svg or .pdf file; default: beside the run."
    ),
]
Agents = Annotated[
    list[str] | None,
    typer.Option("--agent", metavar="AGENT", help="Only this agent. Repeatable."),
]
Targets = Annotated[
    list[str] | None,
    typer.Option("--target", metavar="NAME", help="Only this target. Repeatable."),
]


def plot_map(
    run: RunFolder,
    at: Annotated[float, typer.Option("--at", metavar="T", help="Time, s.")],
    agent: Agents = None,
    around: Annotated[
        str | None, typer.Option("--around", metavar="NAME", help="Zoom in on this character.")
    ] = None,
    radius: Annotated[
        float, typer.Option("--radius", metavar="M", help="Radius shown around it, m.")
    ] = 12.0,
    ways: Annotated[bool, typer.Option("--ways", help="Draw all paths walked until then.")] = False,
    floor: Annotated[
        str | None,
        typer.Option(
            "--floor", metavar="NAME", help="Highlight this floor; all else is drawn faint."
        ),
    ] = None,
    out: Out = None,
) -> None:
    """Draw the level at one moment: who can see what, and whom.

    Cones clipped by walls, sight rays by result, recent paths, and where targets are believed
    to be.
    """
    from snelk.plots.map import plot_map as draw
    from snelk.plots.style import claim_figure
    from snelk.runs.run import open_run

    near = "".join(f"-{file_name(name)}" for name in (around, floor) if name)
    path = claim_figure(out or beside(run, f"{{}}-map-{at:.2f}s{near}.png"))
    how: dict[str, Any] = {"around": around, "radius": radius, "ways": ways, "floor": floor}
    artists = draw(open_run(run), at=at, agents=agent, **how)
    Screen().print(f"Written to {artists.save(path)}")


def plot_meter(
    run: RunFolder,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="Whose meter.")],
    target: Annotated[str, typer.Argument(metavar="TARGET", help="For whom.")],
    out: Out = None,
) -> None:
    """Draw a detection meter over time, and what filled it."""
    from snelk.plots.meter import plot_meter as draw
    from snelk.plots.style import claim_figure
    from snelk.runs.run import open_run

    name = f"{{}}-meter-{file_name(agent)}-{file_name(target)}.png"
    path = claim_figure(out or beside(run, name))
    artists = draw(open_run(run), agent, target)
    Screen().print(f"Written to {artists.save(path)}")


def plot_ray(
    run: RunFolder,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="The agent.")],
    target: Annotated[str, typer.Argument(metavar="TARGET", help="At whom.")],
    at: Annotated[float, typer.Option("--at", metavar="T", help="Time, s.")],
    out: Out = None,
) -> None:
    """Draw a side view of the line of sight to a target.

    A vertical section of the level along that line: walls, floors, and how far each ray gets.
    """
    from snelk.plots.ray import plot_ray as draw
    from snelk.plots.style import claim_figure
    from snelk.runs.run import open_run

    name = f"{{}}-ray-{file_name(agent)}-{file_name(target)}-{at:.2f}s.png"
    path = claim_figure(out or beside(run, name))
    artists = draw(open_run(run), agent, target, at=at)
    Screen().print(f"Written to {artists.save(path)}")


def plot_states(
    run: RunFolder,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="Whose alert states.")],
    out: Out = None,
) -> None:
    """Draw an agent's alert states as a graph.

    With how often and when each transition was taken, and which never were.
    """
    from snelk.plots.states import plot_states as draw
    from snelk.plots.style import claim_figure
    from snelk.runs.run import open_run

    path = claim_figure(out or beside(run, f"{{}}-states-{file_name(agent)}.png"))
    artists = draw(open_run(run), agent)
    Screen().print(f"Written to {artists.save(path)}")


def plot_search(
    run: RunFolder,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="Who searched.")],
    search: Annotated[
        int | None,
        typer.Option(
            "--search", metavar="N", help="Number of the search, from 0; default: the longest."
        ),
    ] = None,
    out: Out = None,
) -> None:
    """Draw a search at four moments.

    The planned and visited positions, and how likely the target was thought to be where.
    """
    from snelk.plots.search import plot_search as draw
    from snelk.plots.style import claim_figure
    from snelk.runs.run import open_run

    path = claim_figure(out or beside(run, f"{{}}-search-{file_name(agent)}.png"))
    drawn = draw(open_run(run), agent, search=search)
    Screen().print(f"Written to {drawn.save(path)}")


def plot_timeline(
    run: RunFolder,
    agent: Agents = None,
    target: Targets = None,
    start: From = None,
    end: To = None,
    out: Out = None,
) -> None:
    """Draw who sensed whom over time, and why not."""
    from snelk.plots.style import claim_figure
    from snelk.plots.timeline import plot_timeline as draw
    from snelk.runs.run import open_run

    path = claim_figure(out or beside(run, "{}-timeline.png"))
    artists = draw(open_run(run), agents=agent, targets=target, start=start, end=end)
    Screen().print(f"Written to {artists.save(path)}")


def plot_coverage(
    scenario: ScenarioFile,
    target: Target = None,
    stance: HowThere = "standing",
    agent: Agents = None,
    cell: Cell = 1.0,
    start: From = None,
    end: To = None,
    jobs: Jobs = None,
    floor: Annotated[
        str | None,
        typer.Option("--floor", metavar="NAME", help="Floor to draw; default: the largest."),
    ] = None,
    overrides: Overrides = None,
    activities: Activities = None,
    out: Out = None,
) -> None:
    """Draw how soon a character is noticed where, as a map."""
    from snelk.plots.coverage import plot_coverage as draw
    from snelk.plots.style import claim_figure

    which = "-".join(file_name(name) for name in (stance, floor) if name)
    place = claim_figure(out or Path("runs") / f"{scenario.stem}-coverage-{which}.png")
    found = covered(scenario, target, stance, agent, cell, start, end, jobs, overrides, activities)
    Screen().print(f"Written to {draw(found, floor=floor).save(place)}")


def plot_compare(
    runs: Annotated[
        list[Path],
        typer.Argument(
            metavar="RUN_A RUN_B", help="Two runs; or a scenario, with --set against itself."
        ),
    ],
    overrides: Overrides = None,
    activities: Activities = None,
    agent: Agents = None,
    start: From = None,
    end: To = None,
    out: Out = None,
) -> None:
    """Draw two runs over each other, with the differences marked."""
    from snelk.plots.compare import plot_compare as draw
    from snelk.plots.style import claim_figure

    place = claim_figure(out or beside(runs[-1], "{}-compared.png"))
    comparison = compared(runs, overrides, activities)
    artists = draw(comparison, agents=agent, start=start, end=end)
    Screen().print(f"Written to {artists.save(place)}")


def plot_sweep(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="The table of a sweep.")],
    show: Show = None,
    want: Wants = None,
    out: Out = None,
) -> None:
    """Draw a sweep: how measures depend on the numbers varied.

    A line with a band for one number, a heat map for two, parallel axes for more.
    """
    from snelk.plots.style import claim_figure
    from snelk.plots.sweep import plot_sweep as draw
    from snelk.tuning.reading import Want
    from snelk.tuning.sweep import open_sweep

    place = claim_figure(out or beside(table, "{}.png"))
    artists = draw(
        open_sweep(table), show=show or (), wants=[Want.parse(text) for text in want or ()]
    )
    Screen().print(f"Written to {artists.save(place)}")
