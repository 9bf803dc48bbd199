"""Fairness: how much warning a level gives, and whether that is enough."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, cast

import typer

from snelk.cli.covering import HowThere, Target, Watching
from snelk.cli.output import (
    Screen,
    progress_bar,
    say_json,
    seconds,
    table,
    wrap,
    write_table,
)
from snelk.cli.scenarios import (
    Activities,
    Jobs,
    Json,
    Overrides,
    ScenarioFile,
    load_scenario,
    run_files,
)
from snelk.cli.sneaking import Figure, Floor, Ignored, claim_drawing
from snelk.errors import InputError
from snelk.files import claim

if TYPE_CHECKING:
    from snelk.tuning.fair import Fairness
    from snelk.tuning.standins import Stance

SLACK = 1e-12
"""So that no rounding decides."""

Cell = Annotated[
    float | None,
    typer.Option(
        "--cell",
        metavar="M",
        help="Grid spacing, m; default: such that there are about 800 positions.",
    ),
]
Every = Annotated[
    float, typer.Option("--every", metavar="S", help="Seconds between two moments tried.")
]
Within = Annotated[
    float, typer.Option("--within", metavar="S", help="How long to watch at each, s.")
]
Sign = Annotated[
    str,
    typer.Option(
        "--sign",
        metavar="VALUE",
        help="Meter value that warns the player, or the name of a threshold.",
    ),
]
Late = Annotated[
    str,
    typer.Option(
        "--late", metavar="VALUE", help="Meter value at which it is too late, or a threshold."
    ),
]
Signs = Annotated[
    list[str] | None,
    typer.Option(
        "--signs",
        metavar="STATE",
        help="An alert state that warns as well; then everybody reacts. Repeatable.",
    ),
]
React = Annotated[
    float, typer.Option("--react", metavar="S", help="Reaction time of the player, s.")
]
Pace = Annotated[
    str,
    typer.Option(
        "--pace", metavar="PACE", help="Pace on the way to cover: creeping, walking or running."
    ),
]
Hold = Annotated[
    float, typer.Option("--hold", metavar="S", help="How long cover has to stay out of view, s.")
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
    signs: Signs = None,
    react: React = 0.5,
    pace: Pace = "running",
    hold: Hold = 1.0,
    most: Annotated[
        float | None,
        typer.Option(
            "--most", metavar="SHARE", help="Exit with 1 if more than this share is unfair."
        ),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="Write every position to a .csv or .parquet file."
        ),
    ] = None,
    figure: Figure = None,
    floor: Floor = None,
    overrides: Overrides = None,
    activities: Activities = None,
    jobs: Jobs = None,
    as_json: Json = False,
) -> None:
    """Find where a player is noticed with too little warning.

    How long it takes from the first warning sign until it is too late, and whether cover is
    within reach in that time.
    """
    from snelk.tuning.batches import cores
    from snelk.tuning.fair import fairness

    if most is not None and not 0.0 <= most <= 1.0:
        raise InputError.of("--most", "", f"{most:g}", "must be from 0 to 1")
    if out is not None:
        claim(out, ".csv", ".parquet")
    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    claim_drawing(loaded, figure, floor)
    with progress_bar("trying every position") as progress:
        found = fairness(
            loaded, target=target, stance=cast("Stance", stance), agents=agent,
            ignore=ignore or (), cell=cell, every=every, within=within, sign=_meter(sign),
            late=_meter(late), signs=signs or (), react=react, pace=pace, hold=hold,
            jobs=jobs or cores(), progress=progress,
        )  # fmt: skip
    if out is not None:
        write_table(out, found.table)
    if figure is not None:
        from snelk.plots.fair import plot_fair

        plot_fair(found, floor=floor).save(figure)
    if as_json:
        say_json(
            {
                "target": found.target,
                "agents": list(found.agents),
                "cell": found.cell,
                "sign": found.sign,
                "late": found.late,
                "signs": list(found.signs),
                "moments": found.times.tolist(),
                "unfair": found.share,
                "zones": found.zones.to_dict(orient="records"),
                "places": found.table.to_dict(orient="records"),
            }
        )
    else:
        screen = Screen()
        _say_fairness(screen, found, most)
        for place in (out, figure):
            if place is not None:
                screen.print(f"Written to {place}")
        if figure is None:
            text = "Next: --figure FILE draws both as maps, --out FILE writes "
            screen.print("\n" + wrap(text + "every position", indent=2))
    if most is not None and found.share > most + SLACK:
        raise typer.Exit(1)


def _meter(text: str) -> float | str:
    """A meter as it is written: a number, or the name of a threshold."""
    try:
        return float(text)
    except ValueError:
        return text


def _told(limits: dict[str, float]) -> str:
    """The limits of all agents as short text."""
    some = sorted({value for value in limits.values() if value < float("inf")})
    return " or ".join(f"{value:g}" for value in some)


def _say_fairness(screen: Screen, found: Fairness, most: float | None) -> None:
    text = (
        f"{found.target} at {len(found.x)} positions {found.cell:g} m apart and {len(found.times)} "
    )
    text += f"moments. A meter of {_told(found.sign)} is the sign, {_told(found.late)} is too "
    text += "late. "
    if found.signs:
        text += f"The states {', '.join(found.signs)} warn, too, and everybody reacts. "
    text += f"It takes {found.react:g} s to see the sign; then {found.target} goes for cover "
    text += f"{found.pace}, at {found.speed:g} m/s"
    screen.print(wrap(text, indent=2))
    rows = [
        [
            row["zone"], str(row["places"]), f"{row['noticed']:.0%}", seconds(row["shortest"]),
            seconds(row["median"]), f"{row['unfair']:.0%}",
        ]
        for row in found.zones.to_dict(orient="records")
    ]  # fmt: skip
    head = ["zone", " positions", " noticed", " least warning", " median", " unfair"]
    screen.print("\n" + "\n".join(table(head, rows)))
    text = (
        "noticed: share of positions and moments at which it gets too late; warning: time from the "
    )
    text += "sign until then; unfair: share of these at which no cover is in reach in time"
    screen.print(wrap(text, indent=2, first="  "))
    if found.worst is not None:
        screen.print("\n" + wrap(f"For example {found.example}. Cover is farther away", indent=2))
    if most is not None:
        verdict = "no more than" if found.share <= most + SLACK else "MORE THAN"
        screen.print(wrap(f"{found.share:.1%} is unfair: {verdict} {most:.1%}", indent=2))
