"""Questions about a run: events and why."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from snelk.cli.output import Screen, command, say_json, table, wrap
from snelk.errors import InputError, one_of
from snelk.files import beside

if TYPE_CHECKING:
    from snelk.runs.answers import Answer, ConeAnswer, Gate, SenseAnswer
    from snelk.runs.conditions import Part
    from snelk.runs.ladders import LadderAnswer
    from snelk.runs.run import Run
    from snelk.runs.spans import Span

RunFolder = Annotated[Path, typer.Argument(metavar="RUN", help="Folder of a run.")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
From = Annotated[float | None, typer.Option("--from", metavar="T", help="Start time, s.")]
To = Annotated[float | None, typer.Option("--to", metavar="T", help="End time, s.")]


def events(
    run: RunFolder,
    agent: Annotated[
        str | None, typer.Option("--agent", help="Only events of this character.")
    ] = None,
    target: Annotated[
        str | None, typer.Option("--target", help="Only events about this target.")
    ] = None,
    kind: Annotated[
        str | None,
        typer.Option("--kind", help="Only events of this kind, such as saw, lost or heard."),
    ] = None,
    start: From = None,
    end: To = None,
    as_json: Json = False,
) -> None:
    """List what happened, in order of time."""
    from snelk.runs.events import EVENT_KINDS, NUMBERS
    from snelk.runs.store import open_table, read_info, read_table

    # A list needs neither a level nor what is compiled: so it is there at once.
    info, _, digests = read_info(run)
    every = read_table(open_table(run, "events", digests)).to_pylist()
    found: list[dict[str, Any]] = [
        {
            name: "" if value is None and name not in NUMBERS else value
            for name, value in row.items()
        }
        for row in every
    ]
    for name, column, known in (
        (agent, "agent", info["characters"]),
        (target, "target", info["characters"]),
        (kind, "kind", EVENT_KINDS),
    ):
        if name is not None:
            one_of(name, known, source=f"--{column}", place="", what=column)
            found = [row for row in found if row[column] == name]
    if start is not None and end is not None and end < start:
        raise InputError.of("--to", "", f"{end:g} s", f"must not be before --from, {start:g} s")
    if start is not None:
        found = [row for row in found if row["t"] >= start - 1e-9]
    if end is not None:
        found = [row for row in found if row["t"] <= end + 1e-9]
    if as_json:
        say_json(found)
        return
    lines = [wrap(row["text"], indent=12, first=f"{row['t']:8.2f} s  ") for row in found]
    print("\n".join(lines) or f"No such events; the run has {len(every)} in all.")


def why(
    run: RunFolder,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="The agent.")],
    target: Annotated[
        str | None,
        typer.Argument(metavar="TARGET", help="The target; without it, about the alert state."),
    ] = None,
    at: Annotated[float | None, typer.Option("--at", metavar="T", help="Time, s.")] = None,
    start: From = None,
    end: To = None,
    sense: Annotated[
        str | None,
        typer.Option(
            "--sense", metavar="SENSE", help="Show this sense first: sight, hearing, touch …"
        ),
    ] = None,
    as_json: Json = False,
) -> None:
    """Explain why a target was sensed or not, or a state entered.

    Why an agent did or did not see, hear, feel or smell a target, or was in an alert state. With
    --at check by check, or condition by condition, at that time; else as a list of intervals.
    """
    from snelk.runs.run import open_run
    from snelk.runs.spans import OTHER_REASONS, REASONS

    if at is not None and (start is not None or end is not None):
        raise InputError.of("why", "", "--at with --from or --to", "cannot be combined", "use one")
    if sense is not None:
        from snelk.config.words import SENSES

        one_of(sense, SENSES, source="--sense", place="", what="sense")
    opened = open_run(run)
    if target is None:
        _why_state(opened, run, agent, at, start, end, as_json)
        return
    if at is not None:
        answer = opened.why(agent, target, at=at)
        if as_json:
            say_json(answer.to_dict())
        else:
            _say_answer(Screen(), opened, run, answer, sense=sense)
        return
    spans = opened.story(agent, target, start=start, end=end)
    spans = spans if sense is None else [span for span in spans if span.sense == sense]
    if as_json:
        say_json([span.to_dict() for span in spans])
        return
    screen = Screen()
    begin = opened.times[0] if start is None else start
    finish = opened.times[-1] if end is None else end
    screen.print(f"{agent} and {target}, {begin:.2f} to {finish:.2f} s\n")
    if not spans:
        screen.print("Nothing was sensed.")
        middle = (begin + finish) / 2.0
        hint = command("snelk", "why", run, agent, target, "--at", f"{middle:.2f}")
        screen.print(f"\nWhat is missing\n  {hint}")
        return
    screen.print("\n".join(_story_lines(spans)))
    lost = (b for a, b in pairwise(s for s in spans if s.sense == "sight") if a.reason == "in_view")
    reasons = [*REASONS, *OTHER_REASONS]
    moment = next(lost, max(spans, key=lambda span: reasons.index(span.reason)))
    hint = command("snelk", "why", run, agent, target, "--at", f"{moment.start:g}")
    screen.print(f"\nGate by gate\n  {hint}")


def _why_state(
    opened: Run,
    run: Path,
    agent: str,
    at: float | None,
    start: float | None,
    end: float | None,
    as_json: bool,
) -> None:
    screen = Screen()
    if at is not None:
        answer = opened.why_state(agent, at=at)
        if as_json:
            say_json(answer.to_dict())
        else:
            _say_ladder(screen, run, answer)
        return
    one_of(agent, opened.agents, source="agent", place="", what="agent")
    rows = opened.rows("states").where(agent=agent)
    if not len(rows):
        opened.why_state(agent, at=float(opened.times[0]))  # says what is wrong
    first = float(opened.times[0]) if start is None else start
    last = float(opened.times[-1]) if end is None else end
    until = [*rows["t"].tolist()[1:], float(opened.times[-1])]
    stays = [
        {**{name: getattr(row, name) for name in rows}, "until": left}
        for row, left in zip(rows.each(), until, strict=True)
        if left >= first and row.t <= last
    ]
    if as_json:
        say_json(
            [{name: None if value == "" else value for name, value in s.items()} for s in stays]
        )
        return
    lines: list[list[str]] = []
    for stay in stays:
        why = "at the start"
        if stay["transition"]:
            why = f"{stay['transition']}: {stay['reason']}"
            why += f" (about {stay['focus']})" if stay["focus"] else ""
        lines.append([f"{stay['t']:.2f}", f"{stay['until']:.2f} s", str(stay["state"]), why])
    screen.print(f"{agent}, {first:.2f} to {last:.2f} s\n")
    text = table([" from", " to  ", "state", "why"], lines)
    indent = text[0].index("why")
    for line in text:
        screen.print(wrap(line[indent:], indent=indent, first=line[:indent]))
    hint = command("snelk", "why", run, agent, "--at", f"{stays[-1]['t']:g}" if stays else "0")
    screen.print(f"\nTransition by transition\n  {hint}")


def _say_ladder(screen: Screen, folder: Path, answer: LadderAnswer) -> None:
    screen.print(wrap(answer.headline, indent=0), style="bold")
    for transition in answer.transitions:
        mark = "✓ taken" if transition.taken else "· not taken"
        screen.print(f"\n  {transition.name} → {transition.to}: {mark}", style="bold")
        for line in _tree_lines(transition.condition, 4):
            screen.print(line)
        if transition.needs > 0.0:
            held = (
                f"true for {transition.held:.1f} s on end"
                if transition.condition.true
                else "not true now"
            )
            screen.print(f"    for {transition.needs:g} s: {held}")
        for lack in transition.missing:
            screen.print(wrap(lack, indent=13, first="    missing: "))
    if not answer.transitions:
        screen.print("\nNo transition leads out of this state.")
    if answer.focus:
        hint = command("snelk", "why", folder, answer.agent, answer.focus, "--at", f"{answer.t:g}")
        screen.print(f"\nWhat it sensed\n  {hint}")
    else:
        hint = command("snelk", "why", folder, answer.agent)
        screen.print(f"\nAll its alert states\n  {hint}")


def _tree_lines(part: Part, indent: int) -> list[str]:
    """A condition as a tree: each part and its value."""
    mark = "✓" if part.true else "✗"
    if part.kind == "leaf":
        found = f"  ({part.found})" if part.found else ""
        return [wrap(f"{part.text}{found}", indent=indent + 2, first=" " * indent + mark)]
    word = {"and": "all of", "or": "one of", "xor": "an odd number of", "not": "not"}[part.kind]
    lines = [f"{' ' * indent}{mark} {word}"]
    for each in part.parts:
        lines += _tree_lines(each, indent + 2)
    return lines


def _story_lines(spans: list[Span]) -> list[str]:
    """A table of stretches; text that does not fit continues below."""
    several = len({span.sense for span in spans}) > 1
    head = [" from", " to  ", *(["sense"] if several else []), " distance   ", "what and why"]
    rows = []
    for span in spans:
        near, far = span.nearest, span.farthest
        distance = (
            "–"
            if near is None
            else f"{near:.1f} m"
            if near == far
            else f"{near:.1f} to {far:.1f} m"
        )
        end = f"{span.end:.2f} s"
        sense = [span.sense] if several else []
        rows.append([f"{span.start:.2f}", end, *sense, distance, span.text])
    lines = table(head, rows)
    indent = lines[0].index(head[-1])
    return [wrap(line[indent:], indent=indent, first=line[:indent]) for line in lines]


def _say_answer(
    screen: Screen, run: Run, folder: Path, answer: Answer, *, sense: str | None = None
) -> None:
    first = answer.sense(sense) if sense is not None else None
    if first is not None:
        _say_sense(screen, first)
        screen.print()
    elif sense is not None and sense != "sight":
        screen.print(f"{answer.agent} has no such sense: {sense}\n", style="bold")
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
    if answer.belief is not None:
        screen.print("\n" + wrap(answer.belief.text, indent=17, first="Belief"))
    if answer.cones or not answer.senses:
        screen.print()
        _say_counterfactuals(screen, answer)
    for each in answer.senses:
        if each.sense != sense:
            _say_sense(screen, each)
    if answer.lacks:
        screen.print("\n  It has")
        for lack in answer.lacks:
            screen.print(wrap(lack, indent=6, first="    –"))
    every: list[Answer | SenseAnswer] = [answer, *answer.senses]
    changes = [c for each in every for c in (each.counterfactual, *each.others) if c and c.settable]
    if changes:
        from snelk.config.values import as_toml

        words = ["snelk", "run", run.info["scenario"]]
        for key, value in run.info["overrides"].items():
            words += ["--set", f"{key}={as_toml(value)}"]
        tried = beside(folder, "{}-tried")
        for assignment in changes[0].settable:
            words += ["--set", assignment]
        words += ["--out", str(tried)]
        screen.print(f"\nTry it\n  {command(*words)}")
    elif answer.counterfactual is None:
        hint = command("snelk", "why", folder, answer.agent, answer.target)
        screen.print(f"\nThe whole story\n  {hint}")


def _say_counterfactuals(screen: Screen, answer: Answer | SenseAnswer, *, most: int = 3) -> None:
    first = "Smallest change"
    if answer.counterfactual is None:
        screen.print(wrap(answer.no_counterfactual, indent=17, first=first))
        return
    screen.print(wrap(answer.counterfactual.text, indent=17, first=first))
    for other in answer.others[:most]:
        screen.print(wrap(other.text, indent=17, first="or"))


def _say_sense(screen: Screen, sense: SenseAnswer) -> None:
    name = sense.sense.capitalize()
    screen.print("\n" + wrap(sense.headline, indent=17, first=name), style="bold")
    for gate in sense.gates:
        _say_gate(screen, gate, margin=gate.name != "reach")
    if sense.gates:
        _say_counterfactuals(screen, sense, most=2)


def _say_cone(screen: Screen, cone: ConeAnswer) -> None:
    limits = "hold limits, in view at the look before" if cone.held else "gain limits"
    result = "in view" if cone.result == "in_view" else f"failed at {cone.result.replace('_', ' ')}"
    screen.print(f"\n  {cone.cone} cone: {result}  ({limits})")
    for gate in cone.gates:
        _say_gate(screen, gate)


def _say_gate(screen: Screen, gate: Gate, *, margin: bool = True) -> None:
    mark, style = {
        True: ("✓ pass", "cyan"),
        False: ("✗ FAIL", "bold bright_red"),
        None: ("–     ", "dim"),
    }[gate.passed]
    text = gate.text + (_margin(gate) if margin else "")
    label = f"    {mark}  {gate.name.replace('_', ' '):<15}"
    for line in wrap(text, indent=len(label), first=label).splitlines():
        screen.print(line, style=style if gate.passed is False else "")


def _margin(gate: Gate) -> str:
    from snelk.runs.conditions import deciding

    if gate.margin is None or gate.unit == "":
        return ""
    unit = "°" if gate.unit == "deg" else f" {gate.unit}"
    words = "to spare" if gate.margin >= 0 else "too much"
    digits = 1 if gate.unit == "deg" else 2
    return f": {deciding(abs(gate.margin), digits)}{unit} {words}"
