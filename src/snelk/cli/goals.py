"""Expectations and wishes: verify and fit."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from snelk.cli.output import (
    Screen,
    command,
    progress_bar,
    repeated,
    say_json,
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
from snelk.files import claim, write_text

if TYPE_CHECKING:
    from snelk.tuning.fit import FitResult
    from snelk.tuning.verify import Verdict


def verify(
    scenarios: Annotated[
        list[Path], typer.Argument(metavar="SCENARIO…", help="The scenarios' TOML files.")
    ],
    seeds: Annotated[
        int | None,
        typer.Option("--seeds", min=1, max=1000, help="Number of seeds to try each with."),
    ] = None,
    junit: Annotated[
        Path | None,
        typer.Option("--junit", metavar="FILE", help="Also write the result as JUnit XML."),
    ] = None,
    overrides: Overrides = None,
    activities: Activities = None,
    jobs: Jobs = None,
    cluster: Cluster = None,
    as_json: Json = False,
) -> None:
    """Test scenarios against their expectations.

    Exits with 1 if any expectation fails.
    """
    from snelk.tuning.batches import cores
    from snelk.tuning.verify import junit as as_junit
    from snelk.tuning.verify import verify as hold

    if junit is not None:
        claim(junit, ".xml", ours=lambda path: b"<testsuites" in path.read_bytes()[:4096])
    run_files(activities)
    loaded = {path: load_scenario(path, overrides) for path in scenarios}
    for path, scenario in loaded.items():
        say_warnings(scenario, path, activities)
    found = {
        path: hold(scenario, seeds=seeds, jobs=jobs or cores(), cluster=cluster)
        for path, scenario in loaded.items()
    }
    if junit is not None:
        write_text(junit, as_junit({str(path): verdicts for path, verdicts in found.items()}))
    failed = any(not verdict.met for verdicts in found.values() for verdict in verdicts)
    if as_json:
        say_json(
            {str(path): [each.to_dict() for each in verdicts] for path, verdicts in found.items()}
        )
    else:
        screen = Screen()
        for n, (path, verdicts) in enumerate(found.items()):
            if n:
                screen.print()
            _say_verdicts(screen, path, verdicts, overrides or [], activities)
        if junit is not None:
            screen.print(f"\nWritten to {junit}")
    if failed:
        raise typer.Exit(1)


def _say_verdicts(
    screen: Screen,
    path: Path,
    verdicts: list[Verdict],
    overrides: list[str],
    activities: list[Path] | None,
) -> None:
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
        how = repeated("--set", (*overrides, f"seed={failure.seed}"))
        how += repeated("--activities", activities)
        screen.print(f"        {command('snelk', 'run', path, *how, '--out', out)}")
        if failure.ask:
            screen.print(f"        {command('snelk', 'why', out, *failure.ask)}")


def fit(
    scenario: ScenarioFile,
    move: Annotated[
        list[str] | None,
        typer.Option(
            "--move",
            metavar="KEY=LO:HI",
            help="A number to change, or KEY=A,B,C; default: those of [fit.move]. Repeatable.",
        ),
    ] = None,
    seeds: Annotated[
        int | None,
        typer.Option("--seeds", min=1, max=1000, help="Number of seeds to average over."),
    ] = None,
    budget: Annotated[
        int, typer.Option("--budget", min=1, help="Maximum number of variants to try, about.")
    ] = 2000,
    write: Annotated[
        bool,
        typer.Option(
            "--write", help="Write the numbers into the files, after showing the changes."
        ),
    ] = False,
    jobs: Jobs = None,
    cluster: Cluster = None,
    overrides: Overrides = None,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Search for numbers that meet the expectations and wishes.

    They change as little as possible, and are only written with --write. Exits with 1 if a goal
    is not met.
    """
    from snelk.config.writing import write_back
    from snelk.tuning.fit import fit as find
    from snelk.tuning.plan import parse_vary

    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    given = dict(parse_vary(text) for text in move or ()) or None
    with progress_bar("fitting") as progress:
        result = find(
            loaded,
            move=given,
            seeds=seeds,
            budget=budget,
            jobs=jobs,
            cluster=cluster,
            progress=progress,
        )
    files = result.files()
    screen = Screen()
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
        files_of = repeated("--activities", activities)
        if files and not write:
            sets = [*(overrides or []), *(_set(k, v) for k, v in result.overrides.items())]
            screen.print(
                "  " + command("snelk", "compare", scenario, *repeated("--set", sets), *files_of)
            )
            again = [*repeated("--set", overrides), *repeated("--move", move), *files_of]
            again += ["--seeds", str(seeds)] if seeds is not None else []
            again += ["--budget", str(budget)] if budget != 2000 else []
            screen.print("  " + command("snelk", "fit", scenario, *again, "--write"))
        else:
            sets = repeated("--set", overrides)
            screen.print("  " + command("snelk", "verify", scenario, *sets, *files_of))
    if not result.met:
        raise typer.Exit(1)


def _set(key: str, value: Any) -> str:
    text = f'"{value}"' if isinstance(value, str) else str(value).lower()
    return f"{key}={text}"


def _say_fit(screen: Screen, result: FitResult) -> None:
    unmet = [goal for goal in result.goals if goal.met is False]
    seeds = f"{result.seeds} seeds each" if result.seeds > 1 else "one seed"
    screen.print(f"{result.tried} variants tried, {seeds}")
    count = (
        f"{len(unmet)} of {len(result.goals)} goals are not met" if unmet else "All goals are met"
    )
    changed = len(result.overrides)
    screen.print(
        f"{count}; {changed} of {len(result.numbers)} numbers change "
        f"({result.off_before} → {result.off_after})\n"
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
    met = [goal.name for goal in result.goals if goal.met]
    if met:
        screen.print(wrap(", ".join(met), indent=6, first="ok"))
    for goal in result.goals:
        if goal.met:
            continue
        came = f"{goal.before:.4g} → {goal.after:.4g}"
        if goal.name.startswith("expect."):
            came = f"off by {goal.off:.3g}"
        never = ""
        if goal.met is False:
            never = (
                "; some numbers met it, but not together with the others"
                if goal.nearest <= 1e-9
                else f"; it cannot be met within these limits: off by {goal.nearest:.3g} at best"
            )
        mark = "–" if goal.met is None else "FAIL"
        screen.print(wrap(f"{goal.name}: {goal.sentence}; {came}{never}", indent=6, first=mark))
    if result.conflicts:
        screen.print("\nConflicts")
    for conflict in result.conflicts[:5]:
        how = "each can be met, but not both" if conflict.never_both else "pull apart"
        text = f"{conflict.a} and {conflict.b}: {how} ({conflict.against:+.2f} together)"
        screen.print(wrap(text, indent=4, first="  "))
