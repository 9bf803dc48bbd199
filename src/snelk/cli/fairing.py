"""Fairness: how much warning a level gives, and whether it is enough."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, cast

import typer

from snelk.cli.covering import HowThere, Target
from snelk.cli.output import (
    Screen,
    command,
    progress_bar,
    say_json,
    seconds,
    table,
    wrap,
    write_table,
)
from snelk.cli.scenarios import Activities, Json, Overrides, ScenarioFile, load_scenario, run_files
from snelk.cli.sneaking import Ignored
from snelk.files import claim

if TYPE_CHECKING:
    from snelk.tuning.dummies import Stance
    from snelk.tuning.fair import Fairness

Watching = Annotated[
    list[str] | None,
    typer.Option("--agent", metavar="AGENT", help="Only these watch. Can be repeated."),
]
Cell = Annotated[
    float | None,
    typer.Option("--cell", metavar="M", help="Distance between places, m; else about 800 places."),
]
Every = Annotated[float, typer.Option("--every", metavar="S", help="A moment every so many s.")]
Within = Annotated[float, typer.Option("--within", metavar="S", help="Watched for so long, s.")]
Sign = Annotated[
    str,
    typer.Option("--sign", metavar="VALUE", help="The meter that warns; or a threshold."),
]
Late = Annotated[
    str, typer.Option("--late", metavar="VALUE", help="The meter that is too late; or a threshold.")
]
React = Annotated[
    float, typer.Option("--react", metavar="S", help="How long a player takes to see the sign, s.")
]
Pace = Annotated[
    str, typer.Option("--pace", metavar="PACE", help="To cover: creeping, walking or running.")
]
Hold = Annotated[
    float, typer.Option("--hold", metavar="S", help="For so long cover is out of view, s.")
]


def fair(
    scenario: ScenarioFile,
    target: Target = None,
    stance: HowThere = "standing",
    agent: Watching = None,
    ignore: Ignored = None,
    cell: Cell = None,
    every: Every = 5.0,
    within: Within = 10.0,
    sign: Sign = "0.3",
    late: Late = "1",
    react: React = 0.5,
    pace: Pace = "running",
    hold: Hold = 1.0,
    most: Annotated[
        float | None,
        typer.Option("--most", metavar="SHARE", help="Fail, with code 1, if more is unfair."),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option("--out", metavar="FILE", help="Write every place to a .csv or .parquet."),
    ] = None,
    overrides: Overrides = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Tell where somebody is noticed with too little warning.

    How long it is from the first sign until it is too late, and whether cover is near enough.
    """
    if out is not None:
        claim(out, ".csv", ".parquet")
    run_files(activities)
    found = weighed(
        scenario, target, stance, agent, ignore, cell, every, within, sign, late, react, pace, hold,
        overrides,
    )  # fmt: skip
    if out is not None:
        write_table(out, found.table)
    too_much = most is not None and found.share > most + 1e-12
    if as_json:
        say_json(
            {
                "target": found.target,
                "agents": list(found.agents),
                "cell": found.cell,
                "sign": found.sign,
                "late": found.late,
                "moments": found.times.tolist(),
                "unfair": found.share,
                "zones": found.zones.to_dict(orient="records"),
                "places": found.table.to_dict(orient="records"),
            }
        )
    else:
        _say_fairness(Screen(), found, scenario, most)
        if out is not None:
            Screen().print(f"\nWritten to {out}")
    if too_much:
        raise typer.Exit(1)


def plot_fair(
    scenario: ScenarioFile,
    target: Target = None,
    stance: HowThere = "standing",
    agent: Watching = None,
    ignore: Ignored = None,
    cell: Cell = None,
    every: Every = 5.0,
    within: Within = 10.0,
    sign: Sign = "0.3",
    late: Late = "1",
    react: React = 0.5,
    pace: Pace = "running",
    hold: Hold = 1.0,
    floor: Annotated[
        str | None, typer.Option("--floor", metavar="NAME", help="Which; the largest if absent.")
    ] = None,
    overrides: Overrides = None,
    out: Annotated[
        Path | None,
        typer.Option("--out", metavar="FILE", help="A .png, .svg or .pdf; else below runs/."),
    ] = None,
) -> None:
    """Draw where there is too little warning.

    How much there is at least at each place, and how often cover is too far away.
    """
    from snelk.plots.fair import plot_fair as draw
    from snelk.plots.style import claim_figure

    place = claim_figure(out or Path("runs") / f"{scenario.stem}-fair.png")
    found = weighed(
        scenario, target, stance, agent, ignore, cell, every, within, sign, late, react, pace, hold,
        overrides,
    )  # fmt: skip
    Screen().print(f"Written to {draw(found, floor=floor).save(place)}")


def weighed(
    scenario: Path,
    target: str | None,
    stance: str,
    agents: list[str] | None,
    ignore: list[str] | None,
    cell: float | None,
    every: float,
    within: float,
    sign: str,
    late: str,
    react: float,
    pace: str,
    hold: float,
    overrides: list[str] | None,
) -> Fairness:
    """The fairness that is asked for."""
    from snelk.tuning.fair import fairness

    loaded = load_scenario(scenario, overrides)
    with progress_bar("standing at every place") as progress:
        return fairness(
            loaded, target=target, stance=cast("Stance", stance), agents=agents,
            ignore=ignore or (), cell=cell, every=every, within=within,
            sign=_meter(sign), late=_meter(late),
            react=react, pace=pace, hold=hold, progress=progress,
        )  # fmt: skip


def _meter(text: str) -> float | str:
    """A meter as it is written: a number, or the name of a threshold."""
    try:
        return float(text)
    except ValueError:
        return text


def _told(limits: dict[str, float]) -> str:
    """Meters of all agents in few words."""
    some = sorted({value for value in limits.values() if value < float("inf")})
    return " or ".join(f"{value:g}" for value in some)


def _say_fairness(screen: Screen, found: Fairness, scenario: Path, most: float | None) -> None:
    text = f"{found.target} at {len(found.x)} places {found.cell:g} m apart and {len(found.times)} "
    text += (
        f"moments. A meter of {_told(found.sign)} is the sign, of {_told(found.late)} too late; "
    )
    text += "it takes "
    text += f"{found.react:g} s to see the sign, then it goes for cover {found.pace}, at "
    text += f"{found.speed:g} m/s"
    screen.print(wrap(text, indent=2))
    rows = [
        [
            row["zone"], str(row["places"]), f"{row['noticed']:.0%}", seconds(row["shortest"]),
            seconds(row["median"]), f"{row['unfair']:.0%}",
        ]
        for row in found.zones.to_dict(orient="records")
    ]  # fmt: skip
    head = ["zone", " places", " noticed", " least warning", " median", " unfair"]
    screen.print("\n" + "\n".join(table(head, rows)))
    text = "noticed: share of places and moments at which it gets too late; warning: from the sign "
    text += "until then; unfair: share of these at which no cover is in reach before"
    screen.print(wrap(text, indent=2, first="  "))
    worst = _worst(found)
    if worst:
        screen.print()
        screen.print(wrap(worst, indent=2))
    if most is not None:
        verdict = "no more than" if found.share <= most + 1e-12 else "MORE THAN"
        screen.print(wrap(f"{found.share:.1%} is unfair: {verdict} {most:.1%}", indent=2))
    screen.print(
        "\nNext\n  " + command("snelk", "plot", "fair", scenario, "--target", found.target)
    )


def _worst(found: Fairness) -> str:
    """The place and moment with some warning, but the least in proportion to what is needed."""
    import numpy as np

    some = found.unfair & (found.warning > 0.0)
    if not some.any():
        return ""
    values: Any = np.where(some, found.warning, np.inf)
    n, p = np.unravel_index(int(values.argmin()), values.shape)
    text = f"For example at ({found.x[p]:g}, {found.y[p]:g}) from {found.times[n]:g} s on: "
    text += f"{found.agents[int(found.by[n, p])]} gives a sign after {found.warned[n, p]:g} s, and "
    text += f"{found.warning[n, p]:g} s later it is too late; cover is farther away"
    return text
