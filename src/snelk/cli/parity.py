"""The command that holds a run against what the game's own code sensed and decided: parity."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.output import Screen, command, progress_bar, say_json, table, wrap
from snelk.cli.questions import Json
from snelk.errors import InputError

if TYPE_CHECKING:
    from snelk.tuning.parity import Parity

SHOWN = 12
"""Partings that are told without --all."""


def parity(
    run: Annotated[Path, typer.Argument(metavar="RUN", help="The folder of a run.")],
    log: Annotated[Path, typer.Argument(metavar="LOG", help="What the game's own code sensed.")],
    word: Annotated[
        list[str] | None,
        typer.Option(
            "--word", metavar="THEIRS=OURS", help="A state of the game's, such as Alert=wary."
        ),
    ] = None,
    every: Annotated[bool, typer.Option("--all", help="Tell all partings.")] = False,
    as_json: Json = False,
) -> None:
    """Hold a run against a game's log of what was sensed.

    How often both agree per agent, sense and state, every stretch where they part with Snelk's
    reason and margin, and the single number that would explain most. Exits with 1 if they part.
    """
    from snelk.runs.run import open_run
    from snelk.tuning.parity import parity as held_against
    from snelk.tuning.parity import read_log

    words = {}
    for text in word or ():
        theirs, equals, ours = text.partition("=")
        if not equals:
            raise InputError.of("parity", "--word", text, "must be THEIRS=OURS", "Alert=wary")
        words[theirs] = ours
    opened = open_run(run)
    with progress_bar("trying numbers") as progress:
        found = held_against(opened, read_log(log, opened, words), progress=progress)
    if as_json:
        say_json(found.to_dict())
    else:
        _say(found, run, every)
    if found.partings:
        raise typer.Exit(1)


def _say(found: Parity, run: Path, every: bool) -> None:
    from snelk.tuning.parity import MOST_ASKED

    screen = Screen()
    if found.pairs:
        rows = [
            [p.agent, p.target, p.sense, f"{p.agree:.2%}", f"{p.ticks}", f"{p.partings}",
             f"{p.short}"]
            for p in found.pairs
        ]  # fmt: skip
        head = ["agent", "target", "sense", " agree", " ticks", " part", " briefly"]
        screen.print("\n".join(table(head, rows)))
        screen.print(f"\n{found.agree:.2%} of all ticks agree, up to {found.end:g} s", style="bold")
    if found.states:
        rows = [
            [s.agent, "–" if math.isnan(s.agree) else f"{s.agree:.2%}", f"{s.ticks}",
             "–" if s.delay is None else f"{s.delay:+.2f} s", f"{s.entered}", f"{s.missed}"]
            for s in found.states
        ]  # fmt: skip
        head = ["agent", " same state", " ticks", " game later by", " both enter", " one only"]
        screen.print("\n" + "\n".join(table(head, rows)))
    if found.partings:
        screen.print("\nWhere they part")
        for each in found.partings if every else found.partings[:SHOWN]:
            who = "game senses it" if each.senses == "game" else "Snelk senses it"
            margin = "" if each.margin is None else f"; {each.gate} by {each.margin:+.3g}"
            text = f"{who}: {each.reason}{margin} {each.unit}".rstrip()
            when = f"  {each.start:.2f}–{each.end:.2f} s  "
            screen.print(wrap(text, indent=max(len(when), 20), first=when))
        if len(found.partings) > SHOWN and not every:
            screen.print(f"  and {len(found.partings) - SHOWN} more: --all tells them")
        more = sum(pair.partings for pair in found.pairs) - len(found.partings)
        if more:
            words = f"  {more} more are not looked into: only the first {MOST_ASKED} of a pair are"
            screen.print(words)
        screen.print("\nLikely causes")
        for cause in found.causes:
            screen.print(wrap(cause.text, indent=2, first="  "))
        first = found.partings[0]
        screen.print("\nNext")
        when = f"{(first.start + first.end) / 2:.2f}"
        why = command("snelk", "why", run, first.agent, first.target, "--at", when)
        screen.print("  " + why)
    elif found.pairs:
        screen.print("They agree everywhere, but for when somebody looked.")
