"""Pages and animations of a run."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Annotated
from urllib.parse import urlencode

import typer

from snelk.cli.output import Screen, progress_bar
from snelk.cli.parity import Words, state_words
from snelk.cli.questions import From, RunFolder, To
from snelk.cli.scenarios import say_warnings
from snelk.errors import InputError
from snelk.files import beside, claim

if TYPE_CHECKING:
    from snelk.runs.run import Run


def page(
    run: RunFolder,
    other: Annotated[
        Path | None,
        typer.Argument(metavar="RUN_B", help="Another run, shown beside it in sync."),
    ] = None,
    agent: Annotated[
        str | None, typer.Option("--agent", metavar="AGENT", help="Agent selected at first.")
    ] = None,
    target: Annotated[
        str | None, typer.Option("--target", metavar="NAME", help="Target selected at first.")
    ] = None,
    at: Annotated[
        float | None, typer.Option("--at", metavar="T", help="Time at which the page opens, s.")
    ] = None,
    log: Annotated[
        Path | None,
        typer.Option("--log", metavar="LOG", help="A game's sensing log; marks where both differ."),
    ] = None,
    word: Words = None,
    out: Annotated[
        Path | None,
        typer.Option("--out", metavar="FILE", help="An .html file; default: beside the run."),
    ] = None,
) -> None:
    """Write an HTML page for scrubbing through a run.

    The map, timeline and events of a run, or of two runs in sync, and why for any moment. One
    file that needs nothing else, and no network.
    """
    from snelk.page.build import PAGES, write_page
    from snelk.runs.run import open_run

    second = "" if other is None else f"-{beside(other, '{}').name}"
    path = claim(out or beside(run, f"{{}}{second}.html"), *PAGES)
    opened = open_run(run)
    another = None if other is None else open_run(other)
    if at is not None:
        opened.tick_at(at)
    _say_warnings(opened)
    says = None
    if log is not None:
        from snelk.tuning.sensed import read_log

        says = read_log(log, opened, state_words(word))
    with progress_bar("writing the page"):
        write_page(path, opened, another, agent=agent, target=target, log=says)
    screen = Screen()
    screen.print(f"Written to {path} ({path.stat().st_size / 1e6:.1f} MB)")
    moment = "" if at is None else "#" + urlencode({"t": f"{at:g}"})
    screen.print(f"\nOpen it in a browser; ? lists the keys\n  {path.resolve().as_uri()}{moment}")


def _say_warnings(run: Run) -> None:
    """What `snelk check` warns of in a run's scenario, if that is still there as it was."""
    from snelk.config.scenario import load

    try:
        loaded = load(run.info["scenario"], overrides=run.info["overrides"])
        if loaded.digests() == run.info["inputs"]:
            say_warnings(loaded, run.info["scenario"])
    except InputError:
        return


def animate(
    run: RunFolder,
    start: From = None,
    end: To = None,
    speed: Annotated[
        float, typer.Option("--speed", metavar="X", help="Playback speed, times real time.")
    ] = 1.0,
    fps: Annotated[
        float, typer.Option("--fps", metavar="N", help="Frames per second, 1 to 60.")
    ] = 10.0,
    size: Annotated[
        str, typer.Option("--size", metavar="WxH", help="Width and height in pixels.")
    ] = "960x640",
    target: Annotated[
        str | None,
        typer.Option("--target", metavar="NAME", help="Target that the timeline is about."),
    ] = None,
    floor: Annotated[
        str | None,
        typer.Option(
            "--floor", metavar="NAME", help="Highlight this floor; all else is drawn faint."
        ),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="A .gif or .mp4 file; default: a .gif beside the run."
        ),
    ] = None,
) -> None:
    """Export part of a run as an animation.

    The map with a timeline, as a GIF, or as an MP4 where ffmpeg is installed.
    """
    from snelk.plots.animation import MOVING
    from snelk.plots.animation import animate as draw
    from snelk.runs.run import open_run

    sides = re.fullmatch(r"(\d{1,5})x(\d{1,5})", size)
    if sides is None:
        raise InputError.of("--size", "", f'"{size}"', "must be width x height", "such as 960x640")
    path = claim(out or beside(run, "{}.gif"), *MOVING)
    with progress_bar("drawing pictures") as progress:
        draw(
            open_run(run),
            path,
            start=start,
            end=end,
            speed=speed,
            fps=fps,
            floor=floor,
            size=(int(sides[1]), int(sides[2])),
            target=target,
            progress=progress,
        )
    Screen().print(f"Written to {path} ({path.stat().st_size / 1e6:.1f} MB)")
