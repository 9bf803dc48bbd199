"""Commands that tune: verify, compare, sweep, fit, coverage."""

from __future__ import annotations

import math
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, cast

import typer

from snelk.cli.output import (
    command,
    console,
    progress_bar,
    say_json,
    seconds,
    table,
    wrap,
    write_table,
    write_text,
)
from snelk.cli.questions import From, To
from snelk.cli.scenarios import (
    Activities,
    Changes,
    Json,
    ScenarioFile,
    load_scenario,
    run_files,
)
from snelk.errors import InputError

if TYPE_CHECKING:
    import pandas as pd
    from rich.console import Console

    from snelk.tuning.compare import Comparison
    from snelk.tuning.coverage import Coverage, Way
    from snelk.tuning.fit import FitResult
    from snelk.tuning.reading import Want
    from snelk.tuning.sweep import Sweep
    from snelk.tuning.verify import Verdict

Show = Annotated[
    list[str] | None,
    typer.Option(
        "--show", metavar="KEY", help="A measure, such as farmer.fox.first_full. Can be repeated."
    ),
]
Target = Annotated[
    str | None,
    typer.Option("--target", metavar="NAME", help="Who would be there; the tracked one if absent."),
]
Watching = Annotated[
    list[str] | None,
    typer.Option("--agent", metavar="AGENT", help="Only these watch. Can be repeated."),
]
HowThere = Annotated[
    str, typer.Option("--way", metavar="WAY", help="standing, crouched, prone or walking.")
]
Cell = Annotated[float, typer.Option("--cell", metavar="M", help="Distance between places, m.")]
Jobs = Annotated[int | None, typer.Option("--jobs", min=1, help="Processes; one a core if absent.")]
Wants = Annotated[
    list[str] | None,
    typer.Option(
        "--want",
        metavar="KEY=low|high",
        help="What a measure should rather be; marks the best trade-offs. Can be repeated.",
    ),
]


def verify(
    scenarios: Annotated[
        list[Path], typer.Argument(metavar="SCENARIO…", help="The scenarios' TOML files.")
    ],
    seeds: Annotated[
        int | None,
        typer.Option("--seeds", min=1, max=1000, help="Try each with so many seeds."),
    ] = None,
    junit: Annotated[
        Path | None, typer.Option("--junit", metavar="FILE", help="Write JUnit XML there.")
    ] = None,
    changes: Changes = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Hold scenarios against what they expect; exit with 1 if it fails."""
    from snelk.tuning.verify import junit as as_junit
    from snelk.tuning.verify import verify as hold

    run_files(activities)
    loaded = {path: load_scenario(path, changes) for path in scenarios}
    found = {path: hold(scenario, seeds=seeds) for path, scenario in loaded.items()}
    if junit is not None:
        write_text(junit, as_junit({str(path): verdicts for path, verdicts in found.items()}))
    failed = any(not verdict.met for verdicts in found.values() for verdict in verdicts)
    if as_json:
        say_json(
            {str(path): [each.to_dict() for each in verdicts] for path, verdicts in found.items()}
        )
    else:
        screen = console()
        for n, (path, verdicts) in enumerate(found.items()):
            if n:
                screen.print()
            _say_verdicts(screen, path, verdicts, changes or [])
        if junit is not None:
            screen.print(f"\nWritten to {junit}")
    if failed:
        raise typer.Exit(1)


def sweep(
    scenario: ScenarioFile,
    vary: Annotated[
        list[str] | None,
        typer.Option(
            "--vary",
            metavar="KEY=LO:HI:N",
            help="Vary a number from LO to HI in N values, or KEY=A,B,C; with --samples "
            "KEY=LO:HI. Can be repeated.",
        ),
    ] = None,
    seeds: Annotated[
        int, typer.Option("--seeds", min=1, max=100_000, help="Try each with so many seeds.")
    ] = 1,
    samples: Annotated[
        int | None,
        typer.Option("--samples", min=1, help="Draw so many quasi-random points, not the grid."),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="The table; else sweeps/ and the scenario's name."
        ),
    ] = None,
    show: Show = None,
    want: Wants = None,
    pick: Annotated[
        int | None,
        typer.Option("--pick", metavar="N", min=0, help="Replay variant N of the table in full."),
    ] = None,
    keep: Annotated[
        Path | None,
        typer.Option("--keep", metavar="DIR", help="Write every variant's whole run there."),
    ] = None,
    jobs: Jobs = None,
    changes: Changes = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Measure many variants of a scenario, on all cores.

    The same command goes on with a sweep that was stopped.
    """
    from snelk.tuning.plan import parse_vary
    from snelk.tuning.reading import Want
    from snelk.tuning.sweep import open_sweep
    from snelk.tuning.sweep import sweep as measure

    run_files(activities)
    place = out if out is not None else Path("sweeps") / f"{scenario.stem}.parquet"
    wants = [Want.parse(text) for text in want or ()]
    if pick is not None:
        _pick(open_sweep(place), pick, scenario)
        return
    loaded = load_scenario(scenario, changes)
    varied = dict(parse_vary(text) for text in vary or ())
    with progress_bar("sweeping") as progress:
        try:
            done = measure(
                loaded, varied, out=place, seeds=seeds, samples=samples, jobs=jobs, keep=keep,
                progress=progress,
            )  # fmt: skip
        except KeyboardInterrupt:
            typer.echo("stopped; the same command goes on from here", err=True)
            raise typer.Exit(130) from None
    shown = [done.find(key) for key in show or ()]
    if as_json:
        say_json(_sweep_as_data(done, shown, wants))
    else:
        _say_sweep(console(), done, shown, wants, scenario)


def _pick(sweep: Sweep, variant: int, scenario: Path) -> None:
    """Replay one variant in full."""
    place = Path("runs") / f"{scenario.stem}-{variant}"
    with progress_bar("replaying"):
        sweep.pick(variant, out=place)
    screen = console()
    screen.print(f"Variant {variant} of {sweep.path}")
    for key, value in sweep.changes(variant).items():
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
    screen: Console, sweep: Sweep, shown: list[str], wants: list[Want], scenario: Path
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
        screen.print("\nWhat each number moves most: together, and from least to most")
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
            "Together is Spearman's rank correlation, of words the share of the variance.",
            indent=2, first="  ",
        ))  # fmt: skip
    elif not shown and not wants:
        screen.print("\nNo measure was moved, or there are too few variants to tell.")
    key = next(iter([*shown, *(w.key for w in wants), *(m.measure for m in found)]), "length")
    number = int(points.variant.iloc[len(points) // 2])
    screen.print("\nNext")
    screen.print("  " + command("snelk", "plot", "sweep", sweep.path, "--show", key))
    words = ("snelk", "sweep", scenario, "--out", sweep.path, "--pick", str(number))
    screen.print("  " + command(*words))


MOST_ROWS = 24
"""Of more points than this only the first are printed; the table has all."""


def _say_points(
    screen: Console, sweep: Sweep, points: pd.DataFrame, keys: list[str], heading: str
) -> None:
    """A table of points: variant, numbers and measures, named by letters to fit the width."""
    screen.print("\n" + heading if heading else "")
    columns = [*sweep.keys, *keys]
    letters = [chr(ord("a") + n) for n in range(len(columns))]
    for letter, key in zip(letters, columns, strict=True):
        unit = sweep.unit(key)
        screen.print(wrap(f"{key}{f', {unit}' if unit else ''}", indent=6, first=f"  {letter}  "))
    rows = [
        [str(int(row[0])), *(_cell(value) for value in row[1:])]
        for row in points[["variant", *columns]].head(MOST_ROWS).itertuples(index=False)
    ]
    screen.print("\n".join(table([" variant", *(f" {letter}" for letter in letters)], rows)))
    if len(points) > MOST_ROWS:
        screen.print(f"  and {len(points) - MOST_ROWS} more in the table")


def _cell(value: Any) -> str:
    if isinstance(value, str | bool):
        return str(value)
    return "–" if math.isnan(value) else f"{value:.4g}"


def compare(
    runs: Annotated[
        list[Path],
        typer.Argument(
            metavar="RUN_A RUN_B", help="Two runs; or a scenario, with --set against itself."
        ),
    ],
    changes: Changes = None,
    activities: Activities = None,
    everything: Annotated[
        bool, typer.Option("--all", help="Print all measures and events that differ.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Tell what differs between two runs, from when on, and why."""
    comparison = compared(runs, changes, activities)
    if as_json:
        say_json(comparison.to_dict())
        return
    _say_comparison(console(), comparison, runs, changes or [], everything=everything)


def compared(
    runs: list[Path], changes: list[str] | None, activities: list[Path] | None
) -> Comparison:
    """The comparison that is asked for: of two runs, or of a scenario with and without changes."""
    from snelk.config.scenario import parse_change
    from snelk.runs.run import open_run
    from snelk.tuning.compare import compare as hold
    from snelk.tuning.compare import compare_changed

    if len(runs) == 2 and not changes:
        return hold(open_run(runs[0]), open_run(runs[1]))
    if len(runs) != 1 or runs[0].suffix != ".toml" or not changes:
        given = command(*runs)
        rule, fix = "needs two runs, or one scenario and --set", "snelk compare RUN_A RUN_B"
        raise InputError.of("compare", "", given, rule, fix)
    run_files(activities)
    loaded = load_scenario(runs[0], None)
    with progress_bar("replaying twice") as progress:
        return compare_changed(
            loaded, dict(parse_change(text) for text in changes), progress=progress
        )


def coverage(
    scenario: ScenarioFile,
    target: Target = None,
    way: HowThere = "standing",
    agent: Watching = None,
    cell: Cell = 1.0,
    start: From = None,
    end: To = None,
    jobs: Jobs = None,
    out: Annotated[
        Path | None,
        typer.Option("--out", metavar="FILE", help="Write every place to a .csv or .parquet."),
    ] = None,
    changes: Changes = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Tell how soon somebody is noticed at each place.

    Everybody goes their rounds as if the target were not there, and nobody reacts to it.
    """
    found = covered(scenario, target, way, agent, cell, start, end, jobs, changes, activities)
    if out is not None:
        write_table(out, found.table)
    if as_json:
        data = {"target": found.target, "way": found.way, "cell": found.cell}
        zones = found.zones.to_dict(orient="records")
        say_json({**data, "zones": zones, "places": found.table.to_dict(orient="records")})
        return
    _say_coverage(console(), found, scenario)
    if out is not None:
        console().print(f"\nWritten to {out}")


def covered(
    scenario: Path,
    target: str | None,
    way: str,
    agents: list[str] | None,
    cell: float,
    start: float | None,
    end: float | None,
    jobs: int | None,
    changes: list[str] | None,
    activities: list[Path] | None,
) -> Coverage:
    """The coverage that is asked for."""
    from snelk.tuning.coverage import coverage as look_over

    run_files(activities)
    loaded = load_scenario(scenario, changes)
    with progress_bar("looking at every place") as progress:
        return look_over(
            loaded, target=target, way=cast("Way", way), agents=agents, cell=cell, start=start,
            end=end, jobs=jobs, progress=progress,
        )  # fmt: skip


def _say_coverage(screen: Console, found: Coverage, scenario: Path) -> None:
    import numpy as np

    times = found.times
    screen.print(
        f"{found.target}, {found.way}, at {len(found.x)} places {found.cell:g} m apart, watched "
        f"from {times[0]:g} to {times[-1]:g} s"
    )
    rows = [
        [
            row["zone"], str(row["places"]), f"{row['blind']:.0%}", f"{row['watched']:.0%}",
            f"{row['noticed']:.0%}", seconds(row["soonest"]), seconds(row["median"]),
        ]
        for row in found.zones.to_dict(orient="records")
    ]  # fmt: skip
    head = ["zone", " places", " blind", " watched", " noticed", " soonest", " median"]
    screen.print("\n" + "\n".join(table(head, rows)))
    text = "blind: nobody ever looks there; watched: mean share of the time in view; noticed: "
    text += "where a meter gets full, and how soon after the beginning"
    screen.print(wrap(text, indent=2, first="  "))
    full = np.where(np.isnan(found.full), np.inf, found.full)
    by = [found.agents[n] for n in found.by[found.by >= 0]]
    if by:
        counts = Counter(by).most_common()
        words = ", ".join(f"{name} {count}" for name, count in counts)
        screen.print("\n" + wrap(f"Who is first: {words}", indent=2))
    partly = np.flatnonzero(~found.blind & np.isinf(full) & (found.share > 0.0))
    if len(partly):
        place = int(partly[int(np.argmax(found.share[partly]))])
        x, y = float(found.x[place]), float(found.y[place])
        safe = ", ".join(f"{w.start:g}–{w.end:g}" for w in found.windows(x, y)[:6])
        text = f"Watched most without being noticed: ({x:g}, {y:g}), {found.share[place]:.0%} of "
        text += f"the time; nobody looks at {safe} s"
        screen.print(wrap(text, indent=2))
    options = ("--target", found.target, "--way", found.way)
    screen.print("\nNext\n  " + command("snelk", "plot", "coverage", scenario, *options))


def fit(
    scenario: ScenarioFile,
    move: Annotated[
        list[str] | None,
        typer.Option(
            "--move",
            metavar="KEY=LO:HI",
            help="A number that may move, or KEY=A,B,C; else those of [fit.move]. Can be repeated.",
        ),
    ] = None,
    seeds: Annotated[
        int | None, typer.Option("--seeds", min=1, max=1000, help="Average over so many seeds.")
    ] = None,
    budget: Annotated[
        int, typer.Option("--budget", min=1, help="Try about so many variants at most.")
    ] = 2000,
    write: Annotated[
        bool, typer.Option("--write", help="Write the numbers into the files, after showing how.")
    ] = False,
    jobs: Jobs = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Find numbers that meet expectations and wishes.

    They change as little as they can, and are only written with --write. Exits with 1 if an aim
    is not met.
    """
    from snelk.config.writing import write_back
    from snelk.tuning.fit import fit as find
    from snelk.tuning.plan import parse_vary

    run_files(activities)
    loaded = load_scenario(scenario, None)
    given = dict(parse_vary(text) for text in move or ()) or None
    with progress_bar("fitting") as progress:
        result = find(loaded, move=given, seeds=seeds, budget=budget, jobs=jobs, progress=progress)
    files = result.files()
    screen = console()
    if as_json:
        say_json({**result.to_dict(), "difference": "".join(each.difference for each in files)})
    else:
        _say_fit(screen, result)
        for each in files:
            screen.print("\n" + each.difference.rstrip())
    if write and files:
        write_back(files)
        if not as_json:
            screen.print(f"\nWritten to {', '.join(str(each.path) for each in files)}")
    if not as_json:
        screen.print("\nNext")
        if files and not write:
            sets = [_set(key, value) for key, value in result.changes.items()]
            screen.print("  " + command("snelk", "compare", scenario, *_each("--set", sets)))
            again = _each("--move", move or [])
            again += ["--seeds", str(seeds)] if seeds is not None else []
            again += ["--budget", str(budget)] if budget != 2000 else []
            screen.print("  " + command("snelk", "fit", scenario, *again, "--write"))
        else:
            screen.print("  " + command("snelk", "verify", scenario))
    if not result.met:
        raise typer.Exit(1)


def _each(option: str, values: list[str]) -> list[str]:
    """An option with each of some values."""
    return [word for value in values for word in (option, value)]


def _set(key: str, value: Any) -> str:
    text = f'"{value}"' if isinstance(value, str) else str(value).lower()
    return f"{key}={text}"


def _say_fit(screen: Console, result: FitResult) -> None:
    unmet = [aim for aim in result.aims if aim.met is False]
    seeds = f"{result.seeds} seeds each" if result.seeds > 1 else "one seed"
    screen.print(f"{result.tried} variants tried, {seeds}")
    count = f"{len(unmet)} of {len(result.aims)} aims are not met" if unmet else "All aims are met"
    changed = len(result.changes)
    screen.print(
        f"{count}; {changed} of {len(result.numbers)} numbers change "
        f"(loss {result.loss_before:.4g} → {result.loss_after:.4g})\n"
    )
    for number in result.numbers:
        moved = (
            f"{number.today} → {number.fitted}"
            if number.today != number.fitted
            else (f"{number.today}, as today")
        )
        screen.print(wrap(f"{number.key}: {moved}", indent=4, first="  "))
        if number.holds_from is not None and number.holds_to is not None:
            breaks = f"; beyond that breaks {', '.join(number.breaks)}" if number.breaks else ""
            text = f"may go from {number.holds_from:.4g} to {number.holds_to:.4g}{breaks}"
            screen.print(wrap(text, indent=6))
    screen.print()
    for aim in result.aims:
        mark = {True: "ok", False: "FAIL", None: "–"}[aim.met]
        came = f"{aim.before:.4g} → {aim.after:.4g}"
        if aim.name.startswith("expect."):
            came = "met" if aim.met else f"off by {aim.off:.3g}"
        never = ""
        if aim.met is False:
            never = (
                "; some numbers met it, but not with the others"
                if aim.nearest <= 1e-9
                else f"; within these limits it cannot be met: off by {aim.nearest:.3g} at best"
            )
        screen.print(wrap(f"{aim.name}: {aim.sentence}; {came}{never}", indent=6, first=mark))
    if result.fights:
        screen.print("\nIn each other's way")
    for fight in result.fights[:5]:
        how = "each can be met, but no numbers met both" if fight.never_both else "pull apart"
        text = f"{fight.a} and {fight.b}: {how} ({fight.against:+.2f} together)"
        screen.print(wrap(text, indent=4, first="  "))


FEW = 20
"""So many measures and events that differ are printed without --all."""


def _say_comparison(
    screen: Console, found: Comparison, runs: list[Path], changes: list[str], *, everything: bool
) -> None:
    sides = [str(run) for run in runs] if len(runs) == 2 else [str(runs[0]), " ".join(changes)]
    for letter, side in zip("AB", sides, strict=True):
        screen.print(wrap(side, indent=3, first=letter))
    screen.print("\nWhat went in otherwise")
    for each in found.inputs:
        screen.print(wrap(f"{each.place}: {each.a} → {each.b}", indent=4, first="  "))
    if not found.inputs:
        screen.print("  nothing")
    ends = [float(run.times[-1]) for run in (found.a, found.b)]
    if ends[0] != ends[1]:
        letter, run = ("A", found.a) if ends[0] < ends[1] else ("B", found.b)
        caught = run.events[run.events.kind == "caught"].text
        why = f": {caught.iloc[-1]}" if run.info["ended_by_catch"] else ""
        text = f"{letter} ended at {min(ends):.2f} s{why}; the other went on to {max(ends):.2f} s."
        screen.print("\n" + wrap(text, indent=0))
    screen.print("\nWhere they part")
    for parting in found.partings:
        about = f" of {parting.target}" if parting.target else ""
        screen.print(f"  {parting.t:8.2f} s  {parting.agent}: {parting.kind}{about}")
        for letter, text in (("A", parting.a), ("B", parting.b)):
            screen.print(wrap(text, indent=16, first=f"{'':13}{letter}"))
    agents = [agent for agent in found.a.agents if agent in found.b.agents]
    never = [name for name in agents if name not in {parting.agent for parting in found.partings}]
    if never:
        screen.print(wrap(f"never: {', '.join(never)}", indent=4, first="  "))
    _say_changed(screen, found, everything=everything)
    _say_event_pairs(screen, found, everything=everything)
    if len(runs) == 2:
        first = next(iter(found.partings), None)
        screen.print("\nNext\n  " + command("snelk", "plot", "compare", *runs))
        if first is not None:
            words = ("snelk", "why", runs[1], first.agent, first.target)
            screen.print("  " + command(*(w for w in words if w), "--at", f"{first.t:g}"))


def _say_changed(screen: Console, found: Comparison, *, everything: bool) -> None:
    rows = found.changed
    screen.print(f"\nWhat came out: {len(rows)} of {len(found.measures)} measures differ")
    order = {parting.agent: n for n, parting in enumerate(found.partings)}
    rank = [order.get(name, len(order)) if isinstance(name, str) else -1 for name in rows.agent]
    size = rows.difference.abs() / rows[["a", "b"]].abs().max(axis=1)
    rows = rows.assign(rank=rank, size=-size.fillna(2.0))
    rows = rows.sort_values(["rank", "size"], kind="stable")
    if not everything:
        rows = rows.groupby("agent", sort=False, dropna=False).head(4).head(FEW)
    lines = [
        [key, _cell(one), _cell(other), "" if math.isnan(more) else f"{more:+.4g}", unit]
        for key, one, other, more, unit in zip(
            rows.key, rows.a, rows.b, rows.difference, rows.unit, strict=True
        )
    ]
    if lines:
        screen.print("\n".join(table(["measure", " A", " B", " B less A", "unit"], lines)))
    if len(lines) < len(found.changed):
        screen.print(f"  and {len(found.changed) - len(lines)} more: --all")


def _say_event_pairs(screen: Console, found: Comparison, *, everything: bool) -> None:
    counts = Counter(pair.status for pair in found.events)
    words = (
        f"{counts['same']} the same, {counts['moved']} at another time, {counts['only a']} only "
        f"in A, {counts['only b']} only in B"
    )
    screen.print(f"\nEvents: {words}")
    other = [pair for pair in found.events if pair.status != "same"]
    for pair in other if everything else other[:FEW]:
        mark = {"moved": "~", "only a": "A", "only b": "B"}[pair.status]
        moved = ""
        if pair.t_a is not None and pair.t_b is not None:
            moved = f" ({pair.t_b - pair.t_a:+.2f} s in B)"
        screen.print(wrap(pair.text + moved, indent=15, first=f"  {pair.t:8.2f} s {mark}"))
    if not everything and len(other) > FEW:
        screen.print(f"  and {len(other) - FEW} more: --all")


def _say_verdicts(screen: Console, path: Path, verdicts: list[Verdict], changes: list[str]) -> None:
    failing = [verdict for verdict in verdicts if not verdict.met]
    count = f"{len(failing)} fail" if failing else "all hold"
    screen.print(f"{path}: {len(verdicts)} expectations, {count}\n")
    for verdict in verdicts:
        seeds = f" ({verdict.held} of {verdict.seeds} seeds)" if verdict.seeds > 1 else ""
        text = f"{verdict.name}: {verdict.sentence}; {verdict.found}{seeds}"
        screen.print(wrap(text, indent=6, first="ok" if verdict.met else "FAIL"))
        if verdict.met:
            continue
        failure = verdict.failures[0]
        for line in failure.why:
            screen.print(wrap(line, indent=8))
        out = path.parent / "runs" / f"{verdict.name}-{failure.seed}"
        sets = [word for change in (*changes, f"seed={failure.seed}") for word in ("--set", change)]
        screen.print(f"        {command('snelk', 'run', path, *sets, '--out', out)}")
        if failure.ask:
            screen.print(f"        {command('snelk', 'why', out, *failure.ask)}")
