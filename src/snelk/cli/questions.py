"""Commands that ask a run: events and why."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.output import command, console, say_json, table, wrap
from snelk.errors import InputError, one_of

if TYPE_CHECKING:
    from rich.console import Console

    from snelk.runs.answers import Answer, ConeAnswer, Gate
    from snelk.runs.run import Run

RunFolder = Annotated[Path, typer.Argument(metavar="RUN", help="The folder of a run.")]
Json = Annotated[bool, typer.Option("--json", help="Print the answer as JSON.")]
From = Annotated[float | None, typer.Option("--from", metavar="T", help="Not before, s.")]
To = Annotated[float | None, typer.Option("--to", metavar="T", help="Not after, s.")]


def events(
    run: RunFolder,
    agent: Annotated[str | None, typer.Option("--agent", help="Only of this character.")] = None,
    target: Annotated[str | None, typer.Option("--target", help="Only about this one.")] = None,
    kind: Annotated[
        str | None, typer.Option("--kind", help="Only appeared, saw, lost, rose, fell or vanished.")
    ] = None,
    start: From = None,
    end: To = None,
    as_json: Json = False,
) -> None:
    """List what happened, in the order of time."""
    from snelk.runs.events import EVENT_KINDS
    from snelk.runs.run import open_run

    opened = open_run(run)
    found = opened.events
    for name, column, known in (
        (agent, "agent", opened.names),
        (target, "target", opened.names),
        (kind, "kind", EVENT_KINDS),
    ):
        if name is not None:
            one_of(name, known, source=f"--{column}", place="", what=column)
            found = found[found[column] == name]
    if start is not None and end is not None and end < start:
        raise InputError.of("--to", "", f"{end:g} s", f"must not be before --from, {start:g} s")
    if start is not None:
        found = found[found.t >= start - 1e-9]
    if end is not None:
        found = found[found.t <= end + 1e-9]
    if as_json:
        say_json(found.to_dict(orient="records"))
        return
    screen = console()
    for row in found.itertuples():
        screen.print(f"{row.t:8.2f} s  {row.text}")
    if not len(found):
        screen.print(f"No such events; the run has {len(opened.events)} in all.")


def why(
    run: RunFolder,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="Who looks.")],
    target: Annotated[str, typer.Argument(metavar="TARGET", help="Who is looked for.")],
    at: Annotated[float | None, typer.Option("--at", metavar="T", help="At this time, s.")] = None,
    start: From = None,
    end: To = None,
    as_json: Json = False,
) -> None:
    """Tell why an agent did or did not see a target.

    With --at gate by gate at that time, else the story from when to when.
    """
    from snelk.runs.run import open_run
    from snelk.runs.spans import REASONS

    if at is not None and (start is not None or end is not None):
        raise InputError.of("why", "", "--at with --from or --to", "asks two things", "use one")
    opened = open_run(run)
    if at is not None:
        answer = opened.why(agent, target, at=at)
        if as_json:
            say_json(answer.to_dict())
        else:
            _say_answer(console(), opened, run, answer)
        return
    spans = opened.spans(agent, target, start=start, end=end)
    if as_json:
        say_json([span.to_dict() for span in spans])
        return
    screen = console()
    screen.print(f"{agent} and {target}, {spans[0].start:.2f} to {spans[-1].end:.2f} s\n")
    rows = [
        [
            f"{span.start:.2f}",
            f"{span.end:.2f} s",
            span.text,
            "–" if span.nearest is None else f"{span.nearest:.1f} to {span.farthest:.1f} m",
        ]
        for span in spans
    ]
    screen.print("\n".join(table([" from", " to  ", "what and why", " distance"], rows)))
    lost = (b for a, b in pairwise(spans) if a.reason == "in_view")
    moment = next(lost, max(spans, key=lambda span: list(REASONS).index(span.reason)))
    hint = command("snelk", "why", run, agent, target, "--at", f"{moment.start:g}")
    screen.print(f"\nGate by gate\n  {hint}")


def _say_answer(screen: Console, run: Run, folder: Path, answer: Answer) -> None:
    screen.print(wrap(answer.headline, indent=0), style="bold")
    for cone in answer.cones:
        _say_cone(screen, cone)
    if answer.meter is not None:
        screen.print("\n" + wrap(answer.meter.text, indent=17, first="Meter"))
        if answer.meter.factors:
            product = " × ".join(
                f"{name} {value:.2f}" for name, value in answer.meter.factors.items()
            )
            screen.print(wrap(product, indent=17))
    screen.print()
    if answer.change is None:
        screen.print(wrap(answer.no_change, indent=17, first="Smallest change"))
    else:
        screen.print(wrap(answer.change.text, indent=17, first="Smallest change"))
        for other in answer.others[:3]:
            screen.print(wrap(other.text, indent=17, first="or"))
    settable = next((c for c in (answer.change, *answer.others) if c and c.settable), None)
    if settable:
        words = ["snelk", "run", run.info["scenario"]]
        for key, value in run.info["changes"].items():
            words += ["--set", f"{key}={value}"]
        tried = folder.with_name(f"{folder.name}-tried")
        for assignment in settable.settable:
            words += ["--set", assignment]
        words += ["--out", str(tried)]
        screen.print(f"\nTry it\n  {command(*words)}")
    elif answer.change is None:
        hint = command("snelk", "why", folder, answer.agent, answer.target)
        screen.print(f"\nThe whole story\n  {hint}")


def _say_cone(screen: Console, cone: ConeAnswer) -> None:
    limits = "hold limits, in view at the look before" if cone.held else "gain limits"
    result = "in view" if cone.result == "in_view" else f"failed at {cone.result.replace('_', ' ')}"
    screen.print(f"\n  {cone.cone} cone: {result}  ({limits})")
    for gate in cone.gates:
        mark, style = {
            True: ("✓ pass", "cyan"),
            False: ("✗ FAIL", "bold bright_red"),
            None: ("–     ", "dim"),
        }[gate.passed]
        text = gate.text + _margin(gate)
        label = f"    {mark}  {gate.name.replace('_', ' '):<15}"
        lines = wrap(text, indent=len(label), first=label).splitlines()
        for line in lines:
            screen.print(line, style=style if gate.passed is False else None)


def _margin(gate: Gate) -> str:
    if gate.margin is None or gate.unit == "":
        return ""
    unit = "°" if gate.unit == "deg" else f" {gate.unit}"
    words = "to spare" if gate.margin >= 0 else "too much"
    digits = 1 if gate.unit == "deg" else 2
    return f": {abs(gate.margin):.{digits}f}{unit} {words}"
