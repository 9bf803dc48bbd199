"""Sweeping: many variants of a scenario."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from snelk.cli.output import (
    Screen,
    cell,
    command,
    progress_bar,
    repeated,
    say_json,
    table,
    wrap,
)
from snelk.cli.scenarios import (
    Activities,
    Cluster,
    Jobs,
    Json,
    Overrides,
    ScenarioFile,
    load_scenario,
    run_files,
    say_warnings,
)
from snelk.errors import UnknownNameError

if TYPE_CHECKING:
    import pandas as pd

    from snelk.tuning.reading import Want
    from snelk.tuning.sweep import Sweep

Show = Annotated[
    list[str] | None,
    typer.Option(
        "--show", metavar="KEY", help="A measure, such as farmer.fox.first_full. Repeatable."
    ),
]

Wants = Annotated[
    list[str] | None,
    typer.Option(
        "--want",
        metavar="KEY=low|high",
        help="What a measure should rather be; marks the best trade-offs. Repeatable.",
    ),
]


def sweep(
    scenario: ScenarioFile,
    vary: Annotated[
        list[str] | None,
        typer.Option(
            "--vary",
            metavar="KEY=LO:HI:N",
            help="Vary a number from LO to HI in N values, or KEY=A,B,C; with --samples "
            "KEY=LO:HI. Repeatable.",
        ),
    ] = None,
    seeds: Annotated[
        int, typer.Option("--seeds", min=1, max=100_000, help="Number of seeds to try each with.")
    ] = 1,
    samples: Annotated[
        int | None,
        typer.Option("--samples", min=1, help="Number of quasi-random points, instead of a grid."),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="The table; default: sweeps/ and the scenario's name."
        ),
    ] = None,
    show: Show = None,
    want: Wants = None,
    pick: Annotated[
        int | None,
        typer.Option(
            "--pick", metavar="N", min=0, help="Replay variant N of the table and write its run."
        ),
    ] = None,
    keep: Annotated[
        Path | None,
        typer.Option("--keep", metavar="DIR", help="Write the full run of every variant there."),
    ] = None,
    jobs: Jobs = None,
    cluster: Cluster = None,
    overrides: Overrides = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Run many variants of a scenario and measure each.

    On all cores. The same command resumes a sweep that was stopped.
    """
    from snelk.config.measures import nearest_measure
    from snelk.tuning.plan import parse_vary
    from snelk.tuning.reading import Want
    from snelk.tuning.sweep import measures_of, open_sweep
    from snelk.tuning.sweep import sweep as measure

    run_files(activities)
    place = out if out is not None else Path("sweeps") / f"{scenario.stem}.parquet"
    wants = [Want.parse(text) for text in want or ()]
    if pick is not None:
        _pick(open_sweep(place), pick, scenario)
        return
    loaded = load_scenario(scenario, overrides)
    varied = dict(parse_vary(text) for text in vary or ())
    known = measures_of(loaded, varied, seeds=seeds, samples=samples)
    for option, keys in (("--show", show or []), ("--want", [want.key for want in wants])):
        for key in keys:
            if key not in known:
                fix = nearest_measure(key, known)
                raise UnknownNameError.of(option, "", f'"{key}"', "no such measure", fix)
    say_warnings(loaded, scenario, activities)
    with progress_bar("sweeping") as progress:
        try:
            done = measure(
                loaded, varied, out=place, seeds=seeds, samples=samples, jobs=jobs,
                cluster=cluster, keep=keep,
                progress=progress,
            )  # fmt: skip
        except KeyboardInterrupt:
            typer.echo("stopped; the same command goes on from here", err=True)
            raise typer.Exit(130) from None
    shown = [done.find(key) for key in show or ()]
    if as_json:
        say_json(_sweep_as_data(done, shown, wants))
    else:
        _say_sweep(Screen(), done, shown, wants, scenario, activities)


def _pick(sweep: Sweep, variant: int, scenario: Path) -> None:
    """Replay one variant in full."""
    place = Path("runs") / f"{scenario.stem}-{variant}"
    with progress_bar("replaying"):
        sweep.pick(variant, out=place)
    screen = Screen()
    screen.print(f"Variant {variant} of {sweep.path}")
    for key, value in sweep.overrides(variant).items():
        screen.print(f"  {key} = {value}")
    screen.print(f"Written to {place}\n\nNext")
    screen.print("  " + command("snelk", "events", place))
    screen.print("  " + command("snelk", "plot", "timeline", place))


def _sweep_as_data(sweep: Sweep, shown: list[str], wants: list[Want]) -> dict[str, Any]:
    from snelk.tuning.reading import movers, points_of, tradeoffs_of

    points = points_of(sweep)
    columns = ["variant", *sweep.keys, *(shown or [want.key for want in wants])]
    best = tradeoffs_of(sweep, wants) if wants else points.iloc[:0]
    return {
        "table": str(sweep.path),
        "variants": sweep.plan.count,
        "seeds": list(sweep.plan.seeds),
        "varied": {axis.key: vars(axis) for axis in sweep.plan.axes},
        "movers": [vars(mover) for mover in movers(sweep)],
        "points": points[columns].to_dict(orient="records"),
        "best": best[columns].to_dict(orient="records"),
    }


def _say_sweep(
    screen: Screen,
    sweep: Sweep,
    shown: list[str],
    wants: list[Want],
    scenario: Path,
    activities: list[Path] | None,
) -> None:
    from snelk.tuning.reading import movers, points_of, tradeoffs_of

    plan = sweep.plan
    several = f", each with {len(plan.seeds)} seeds" if len(plan.seeds) > 1 else ""
    screen.print(sweep.info["title"] or str(scenario))
    screen.print(f"  {plan.points} variants{several}")
    for axis in plan.axes:
        today = sweep.info["today"].get(axis.key)
        note = "" if today is None else f" (today {today})"
        if axis.values and len(axis.values) <= 6:
            how = ", ".join(str(value) for value in axis.values)
        elif axis.values:
            how = f"{axis.values[0]} to {axis.values[-1]}, {len(axis.values)} values"
        else:
            how = f"{axis.low:g} to {axis.high:g}, drawn"
        screen.print(wrap(f"{axis.key}: {how}{note}", indent=4, first="  "))
    screen.print(
        f"Written to {sweep.path}: {plan.count} rows, {len(sweep.measures)} measures and "
        "expectations"
    )
    points = points_of(sweep)
    if shown:
        _say_points(screen, sweep, points, shown, "")
    if wants:
        heading = "Best trade-offs"
        _say_points(screen, sweep, tradeoffs_of(sweep, wants), [w.key for w in wants], heading)
    found = movers(sweep)
    if found and not shown and not wants:
        screen.print(
            "\nWhat each number changes most: correlation, and from lowest to highest value"
        )
        for key in sweep.keys:
            rows = [
                [m.measure, f"{m.together:+.2f}", f"{m.low:.3g}", f"{m.high:.3g}",
                 sweep.unit(m.measure)]
                for m in found
                if m.number == key
            ]  # fmt: skip
            screen.print(f"  {key}")
            screen.print("\n".join(table(["", " ", " ", " ", ""], rows, indent=4)[1:]))
        screen.print(wrap(
            "The correlation is Spearman's; for text, it is the share of the variance.",
            indent=2, first="  ",
        ))  # fmt: skip
    elif not shown and not wants:
        screen.print("\nNo measure changed, or there are too few variants to tell.")
    key = next(iter([*shown, *(w.key for w in wants), *(m.measure for m in found)]), "length")
    number = int(points.variant.iloc[len(points) // 2])
    screen.print("\nNext")
    screen.print("  " + command("snelk", "plot", "sweep", sweep.path, "--show", key))
    words = ["snelk", "sweep", str(scenario), "--out", str(sweep.path), "--pick", str(number)]
    screen.print("  " + command(*words, *repeated("--activities", activities)))


MOST_ROWS = 24
"""Of more points than this only the first are printed; the table has all."""


def _say_points(
    screen: Screen, sweep: Sweep, points: pd.DataFrame, keys: list[str], heading: str
) -> None:
    """A table of points: variant, numbers and measures, named by letters to fit the width."""
    screen.print("\n" + heading if heading else "")
    columns = [*sweep.keys, *keys]
    letters = [chr(ord("a") + n) for n in range(len(columns))]
    for letter, key in zip(letters, columns, strict=True):
        unit = sweep.unit(key)
        screen.print(wrap(f"{key}{f', {unit}' if unit else ''}", indent=6, first=f"  {letter}  "))
    rows = [
        [str(int(row[0])), *(cell(value) for value in row[1:])]
        for row in points[["variant", *columns]].head(MOST_ROWS).itertuples(index=False)
    ]
    screen.print("\n".join(table([" variant", *(f" {letter}" for letter in letters)], rows)))
    if len(points) > MOST_ROWS:
        screen.print(f"  and {len(points) - MOST_ROWS} more in the table")
