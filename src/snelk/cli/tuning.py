"""Commands that tune: verify, compare, sweep, fit, coverage."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.output import command, console, say_json, wrap, write_text
from snelk.cli.scenarios import Activities, Changes, Json, load_scenario, run_files

if TYPE_CHECKING:
    from rich.console import Console

    from snelk.tuning.verify import Verdict


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
