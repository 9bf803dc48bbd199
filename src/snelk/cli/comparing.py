"""Comparing two runs."""

from __future__ import annotations

import math
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.output import (
    Screen,
    cell,
    command,
    progress_bar,
    say_json,
    table,
    wrap,
)
from snelk.cli.scenarios import (
    Activities,
    Json,
    Overrides,
    load_scenario,
    run_files,
)
from snelk.errors import InputError

if TYPE_CHECKING:
    from snelk.tuning.compare import Comparison


def compare(
    runs: Annotated[
        list[Path],
        typer.Argument(
            metavar="RUN_A RUN_B", help="Two runs; or a scenario, with --set against itself."
        ),
    ],
    overrides: Overrides = None,
    activities: Activities = None,
    everything: Annotated[
        bool, typer.Option("--all", help="Print all measures and events that differ.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Compare two runs: what differs, from when on, and why."""
    comparison = compared(runs, overrides, activities)
    if as_json:
        say_json(comparison.to_dict())
        return
    _say_comparison(Screen(), comparison, runs, overrides or [], everything=everything)


def compared(
    runs: list[Path], overrides: list[str] | None, activities: list[Path] | None
) -> Comparison:
    """The comparison that is asked for: of two runs, or of a scenario with overrides."""
    from snelk.config.scenario import parse_override
    from snelk.runs.run import open_run
    from snelk.tuning.compare import compare as hold
    from snelk.tuning.compare import compare_overridden

    if len(runs) == 2 and not overrides:
        return hold(open_run(runs[0]), open_run(runs[1]))
    if len(runs) != 1 or runs[0].suffix != ".toml" or not overrides:
        given = command(*runs)
        rule, fix = "needs two runs, or one scenario and --set", "snelk compare RUN_A RUN_B"
        raise InputError.of("compare", "", given, rule, fix)
    run_files(activities)
    loaded = load_scenario(runs[0], None)
    with progress_bar("replaying twice") as progress:
        return compare_overridden(
            loaded, dict(parse_override(text) for text in overrides), progress=progress
        )


FEW = 8
"""So many measures and events that differ are printed without --all."""


def _say_comparison(
    screen: Screen, found: Comparison, runs: list[Path], overrides: list[str], *, everything: bool
) -> None:
    sides = [str(run) for run in runs] if len(runs) == 2 else [str(runs[0]), " ".join(overrides)]
    for letter, side in zip("AB", sides, strict=True):
        screen.print(wrap(side, indent=3, first=letter))
    screen.print("\nChanged inputs")
    for each in found.inputs:
        screen.print(wrap(f"{each.place}: {each.a} → {each.b}", indent=4, first="  "))
    if not found.inputs:
        screen.print("  nothing")
    ends = [float(run.times[-1]) for run in (found.a, found.b)]
    if ends[0] != ends[1]:
        letter, run = ("A", found.a) if ends[0] < ends[1] else ("B", found.b)
        caught = run.rows("events").where(kind="caught")
        why = f": {caught.row(-1).text}" if run.info["ended_by_catch"] else ""
        text = f"{letter} ended at {min(ends):.2f} s{why}; the other went on to {max(ends):.2f} s."
        screen.print("\n" + wrap(text, indent=0))
    screen.print("\nFirst differences")
    for difference in found.first_differences:
        about = f" of {difference.target}" if difference.target else ""
        screen.print(f"  {difference.t:8.2f} s  {difference.agent}: {difference.kind}{about}")
        for letter, text in (("A", difference.a), ("B", difference.b)):
            screen.print(wrap(text, indent=16, first=f"{'':13}{letter}"))
    agents = [agent for agent in found.a.agents if agent in found.b.agents]
    differing = {each.agent for each in found.first_differences}
    never = [name for name in agents if name not in differing]
    if never:
        screen.print(wrap(f"never: {', '.join(never)}", indent=4, first="  "))
    _say_changed(screen, found, everything=everything)
    _say_event_pairs(screen, found, everything=everything)
    if len(runs) == 2:
        first = next(iter(found.first_differences), None)
        screen.print("\nNext\n  " + command("snelk", "plot", "compare", *runs))
        if first is not None:
            words = ("snelk", "why", runs[1], first.agent, first.target)
            screen.print("  " + command(*(w for w in words if w), "--at", f"{first.t:g}"))


def _say_changed(screen: Screen, found: Comparison, *, everything: bool) -> None:
    rows = found.changed
    screen.print(f"\nResults: {len(rows)} of {len(found.measures)} measures differ")
    order = {difference.agent: n for n, difference in enumerate(found.first_differences)}
    rank = [order.get(name, len(order)) if isinstance(name, str) else -1 for name in rows.agent]
    size = rows.difference.abs() / rows[["a", "b"]].abs().max(axis=1)
    rows = rows.assign(rank=rank, size=-size.fillna(2.0))
    rows = rows.sort_values(["rank", "size"], kind="stable")
    if not everything:
        rows = rows.groupby("agent", sort=False, dropna=False).head(2).head(FEW)
    lines = [
        [key, cell(one), cell(other), "" if math.isnan(more) else f"{more:+.4g}", unit]
        for key, one, other, more, unit in zip(
            rows.key, rows.a, rows.b, rows.difference, rows.unit, strict=True
        )
    ]
    if lines:
        screen.print("\n".join(table(["measure", " A", " B", " B − A", "unit"], lines)))
    if len(lines) < len(found.changed):
        screen.print(f"  and {len(found.changed) - len(lines)} more: --all")


def _say_event_pairs(screen: Screen, found: Comparison, *, everything: bool) -> None:
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
