"""Coverage: how soon somebody is noticed at each position."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, cast

import typer

from snelk.cli.output import (
    Screen,
    command,
    progress_bar,
    repeated,
    say_json,
    seconds,
    table,
    wrap,
    write_table,
)
from snelk.cli.questions import From, To
from snelk.cli.scenarios import (
    Activities,
    Cluster,
    Jobs,
    Json,
    Overrides,
    ScenarioFile,
    load_scenario,
    run_files,
)
from snelk.files import claim

if TYPE_CHECKING:
    from snelk.tuning.coverage import Coverage
    from snelk.tuning.standins import Stance

Target = Annotated[
    str | None,
    typer.Option(
        "--target", metavar="NAME", help="The character to place; default: the one with a track."
    ),
]

Watching = Annotated[
    list[str] | None,
    typer.Option("--agent", metavar="AGENT", help="Count only this agent. Repeatable."),
]

HowThere = Annotated[
    str,
    typer.Option(
        "--stance", "--way", metavar="STANCE", help="standing, crouched, prone or walking."
    ),
]

Cell = Annotated[float, typer.Option("--cell", metavar="M", help="Grid spacing, m.")]


def coverage(
    scenario: ScenarioFile,
    target: Target = None,
    stance: HowThere = "standing",
    agent: Watching = None,
    cell: Cell = 1.0,
    start: From = None,
    end: To = None,
    jobs: Jobs = None,
    cluster: Cluster = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="Write every position to a .csv or .parquet file."
        ),
    ] = None,
    overrides: Overrides = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Show how soon a character is noticed at each position.

    All agents follow their routine as if the target were not there; nobody reacts to it.
    """
    if out is not None:
        claim(out, ".csv", ".parquet", ours=_is_coverage)
    found = covered(
        scenario,
        target,
        stance,
        agent,
        cell,
        start,
        end,
        jobs,
        overrides,
        activities,
        cluster=cluster,
    )
    if out is not None:
        write_table(out, found.table)
    if as_json:
        data = {"target": found.target, "stance": found.stance, "cell": found.cell}
        zones = found.zones.to_dict(orient="records")
        say_json({**data, "zones": zones, "places": found.table.to_dict(orient="records")})
        return
    _say_coverage(Screen(), found, scenario, activities)
    if out is not None:
        Screen().print(f"\nWritten to {out}")


def _is_coverage(path: Path) -> bool:
    """Whether a file looks like the places of a coverage, and not like a recording."""
    import pandas as pd
    import pyarrow.parquet as pq

    try:
        names = (
            pq.read_schema(path).names
            if path.suffix.lower() == ".parquet"
            else list(pd.read_csv(path, nrows=0))
        )
    except (OSError, ValueError):
        return False
    return names[:2] == ["x", "y"]


def covered(
    scenario: Path,
    target: str | None,
    stance: str,
    agents: list[str] | None,
    cell: float,
    start: float | None,
    end: float | None,
    jobs: int | None,
    overrides: list[str] | None,
    activities: list[Path] | None,
    cluster: str | None = None,
) -> Coverage:
    """The coverage that is asked for."""
    from snelk.tuning.coverage import coverage as look_over

    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    with progress_bar("looking at every position") as progress:
        return look_over(
            loaded, target=target, stance=cast("Stance", stance), agents=agents, cell=cell,
            start=start,
            end=end, jobs=jobs, cluster=cluster, progress=progress,
        )  # fmt: skip


def _say_coverage(
    screen: Screen, found: Coverage, scenario: Path, activities: list[Path] | None
) -> None:
    import numpy as np

    times = found.times
    screen.print(
        f"{found.target}, {found.stance}, at {len(found.x)} positions {found.cell:g} m apart, "
        f"watched from {times[0]:g} to {times[-1]:g} s"
    )
    rows = [
        [
            row["zone"], str(row["places"]), f"{row['blind']:.0%}", f"{row['watched']:.0%}",
            f"{row['noticed']:.0%}", seconds(row["soonest"]), seconds(row["median"]),
        ]
        for row in found.zones.to_dict(orient="records")
    ]  # fmt: skip
    floors = found.level.floor_names
    head = [
        "zone or floor" if floors else "zone",
        " positions",
        " blind",
        " watched",
        " noticed",
        " soonest",
        " median",
    ]
    screen.print("\n" + "\n".join(table(head, rows)))
    text = "blind: nobody ever looks there; watched: mean share of the time in view; noticed: "
    text += "where a meter gets full, and how soon after the beginning"
    screen.print(wrap(text, indent=2, first="  "))
    full = np.where(np.isnan(found.full), np.inf, found.full)
    by = [found.agents[n] for n in found.by[found.by >= 0]]
    if by:
        counts = Counter(by).most_common()
        words = ", ".join(f"{name} {count}" for name, count in counts)
        screen.print("\n" + wrap(f"First to notice: {words}", indent=2))
    partly = np.flatnonzero(~found.blind & np.isinf(full) & (found.share > 0.0))
    if len(partly):
        place = int(partly[int(np.argmax(found.share[partly]))])
        at = [float(values[place]) for values in (found.x, found.y, found.z)]
        safe = ", ".join(f"{w.start:g}–{w.end:g}" for w in found.windows(*at)[:6])
        where = f"({at[0]:g}, {at[1]:g})" + (f" on {floors[found.floor[place]]}" if floors else "")
        text = f"Most time in view without being noticed: {where}, {found.share[place]:.0%} of "
        text += "the time; " + (f"nobody looks at {safe} s" if safe else "somebody always watches")
        screen.print(wrap(text, indent=2))
    options = ["--target", found.target, "--stance", found.stance]
    options += repeated("--activities", activities)
    screen.print("\nNext\n  " + command("snelk", "plot", "coverage", scenario, *options))
    if len(floors) > 1:
        screen.print(wrap(f"  with --floor one of: {', '.join(floors)}", indent=4))
