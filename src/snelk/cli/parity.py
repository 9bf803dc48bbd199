"""Comparing a run with what a game's own code sensed: parity."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.figures import Out
from snelk.cli.output import Screen, command, progress_bar, say_json, table, wrap
from snelk.cli.questions import Json, RunFolder
from snelk.errors import InputError
from snelk.files import beside

if TYPE_CHECKING:
    from snelk.tuning.parity import Parity

SHOWN = 12
"""Mismatches that are told without --all."""


GameLog = Annotated[
    Path, typer.Argument(metavar="LOG", help="Log of what the game's own code sensed.")
]
Words = Annotated[
    list[str] | None,
    typer.Option(
        "--word", metavar="THEIRS=OURS", help="Meaning of a state's name, such as Alert=wary."
    ),
]  # fmt: skip


def state_words(word: list[str] | None) -> dict[str, str]:
    """By the game's name of a state that of the scenario."""
    words = {}
    for text in word or ():
        theirs, equals, ours = text.partition("=")
        if not equals:
            raise InputError.of("parity", "--word", text, "must be THEIRS=OURS", "Alert=wary")
        words[theirs] = ours
    return words


def plot_parity(run: RunFolder, log: GameLog, word: Words = None, out: Out = None) -> None:
    """Draw a game's sensing log beside a run, and where they differ."""
    from snelk.plots.parity import plot_parity as draw
    from snelk.plots.style import claim_figure
    from snelk.runs.run import open_run
    from snelk.tuning.parity import parity as held_against
    from snelk.tuning.sensed import read_log

    path = claim_figure(out or beside(run, "{}-parity.png"))
    opened = open_run(run)
    says = read_log(log, opened, state_words(word))
    with progress_bar("trying numbers") as progress:
        found = held_against(opened, says, progress=progress)
    Screen().print(f"Written to {draw(opened, says, found).save(path)}")


def parity(
    run: RunFolder,
    log: GameLog,
    word: Words = None,
    every: Annotated[bool, typer.Option("--all", help="Print all mismatches.")] = False,
    as_json: Json = False,
) -> None:
    """Compare a run with a game's own sensing log.

    How often both agree per agent, sense and state; every interval in which they differ, with
    Snelk's reason and margin; and the single number that would explain most. Exits with 1 if
    they differ.
    """
    from snelk.runs.run import open_run
    from snelk.tuning.parity import parity as held_against
    from snelk.tuning.sensed import read_log

    opened = open_run(run)
    words = state_words(word)
    with progress_bar("trying numbers") as progress:
        found = held_against(opened, read_log(log, opened, words), progress=progress)
    if as_json:
        say_json(found.to_dict())
    else:
        _say(found, run, every)
    if found.mismatches:
        raise typer.Exit(1)


def _say(found: Parity, run: Path, every: bool) -> None:
    from snelk.tuning.parity import MOST_ASKED

    screen = Screen()
    if found.pairs:
        rows = [
            [p.agent, p.target, p.sense, f"{p.agree:.2%}", f"{p.ticks}", f"{p.mismatches}",
             f"{p.short}"]
            for p in found.pairs
        ]  # fmt: skip
        head = ["agent", "target", "sense", " agree", " ticks", " part", " briefly"]
        screen.print("\n".join(table(head, rows)))
        noises = any(pair.sense == "hearing" for pair in found.pairs)
        if noises:
            screen.print("  of hearing: noises that either heard, not ticks")
        what = "ticks and noises" if noises else "ticks"
        share = f"{found.agree:.2%} of all {what} agree"
        screen.print(f"\n{share}, up to {found.end:g} s", style="bold")
    if found.states:
        rows = [
            [s.agent, "–" if math.isnan(s.agree) else f"{s.agree:.2%}", f"{s.ticks}",
             "–" if s.delay is None else f"{s.delay:+.2f} s", f"{s.entered}", f"{s.missed}"]
            for s in found.states
        ]  # fmt: skip
        head = ["agent", " same state", " ticks", " game later by", " both enter", " one only"]
        screen.print("\n" + "\n".join(table(head, rows)))
    if found.mismatches:
        screen.print("\nDifferences")
        for each in found.mismatches if every else found.mismatches[:SHOWN]:
            does = "hears" if each.sense == "hearing" else "senses"
            who = f"game {does} it" if each.senses == "game" else f"Snelk {does} it"
            margin = "" if each.margin is None else f"; {each.gate} by {each.margin:+.3g}"
            text = f"{who}: {each.reason}{margin} {each.unit}".rstrip()
            until = f"–{each.end:.2f}" if each.end > each.start else ""
            when = f"  {each.start:.2f}{until} s  "
            screen.print(wrap(text, indent=max(len(when), 20), first=when))
        if len(found.mismatches) > SHOWN and not every:
            screen.print(f"  and {len(found.mismatches) - SHOWN} more: --all tells them")
        more = sum(pair.mismatches for pair in found.pairs) - len(found.mismatches)
        if more:
            words = f"  {more} more are not looked into: only the first {MOST_ASKED} of a pair are"
            screen.print(words)
        screen.print("\nLikely causes")
        for cause in found.causes:
            screen.print(wrap(cause.text, indent=2, first="  "))
        first = found.mismatches[0]
        screen.print("\nNext")
        when = f"{(first.start + first.end) / 2:.2f}"
        why = command("snelk", "why", run, first.agent, first.target, "--at", when)
        screen.print("  " + why)
    elif found.pairs:
        screen.print("They agree everywhere, except for the times of looks.")
