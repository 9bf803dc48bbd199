"""The command that lets a game in any language play: serve."""

from __future__ import annotations

import secrets
import sys
from pathlib import Path
from typing import Annotated

import typer

from snelk.cli.output import Screen, command
from snelk.cli.scenarios import load_scenario
from snelk.errors import InputError
from snelk.waiting import look_for_garbage_as_usual

PORT = 7420
"""Where it listens if nothing else is said."""


def serve(
    scenario: Annotated[Path, typer.Argument(metavar="SCENARIO", help="The scenario's TOML file.")],
    overrides: Annotated[
        list[str] | None,
        typer.Option("--set", metavar="KEY=VALUE", help="Change a number; repeatable."),
    ] = None,
    stdio: Annotated[
        bool, typer.Option("--stdio", help="Talk in lines on standard input and output.")
    ] = False,
    port: Annotated[
        int,
        typer.Option("--port", metavar="N", min=0, max=65535, help="0 for any that is free."),
    ] = PORT,
    token: Annotated[
        str | None,
        typer.Option("--token", metavar="TEXT", help="What clients have to say; made up if not."),
    ] = None,
    record: Annotated[
        Path | None,
        typer.Option("--record", metavar="DIR", help="Keep the game there, to be replayed."),
    ] = None,
    saves: Annotated[
        Path | None,
        typer.Option("--saves", metavar="DIR", help="Write saved games there; else in memory."),
    ] = None,
    duration: Annotated[
        float,
        typer.Option("--duration", metavar="S", min=0.001, help="The longest game, s."),
    ] = 36_000.0,
) -> None:
    """Let a game in any language play, in JSON messages.

    docs/serving.md tells what can be said.
    """
    from snelk.serving.lines import talk_in_lines
    from snelk.serving.talking import Talk

    loaded = load_scenario(scenario, overrides)
    if token is not None and not token:
        raise InputError.of("serve", "--token", "", "must not be empty", "leave it out")
    secret = "" if stdio else token or secrets.token_urlsafe(16)
    talk = Talk(loaded, token=secret, record=record, saves=saves, duration=duration)
    look_for_garbage_as_usual()
    title = loaded.setup.title or scenario.stem
    if stdio:
        print(f"Serving {title} on standard input and output", file=sys.stderr, flush=True)
        talk_in_lines(talk, sys.stdin.buffer, sys.stdout.buffer)
    else:
        from snelk.serving.sockets import HOST, talk_over_sockets

        def began(at: int) -> None:
            screen = Screen()
            screen.print(f"Serving {title}", style="bold")
            screen.print(f"  address  ws://{HOST}:{at}/")
            screen.print(f"  token    {secret}")
            screen.print(f'  say      {{"type": "hello", "version": 1, "token": "{secret}"}}')
            screen.print("Only from this machine. Stop it with Ctrl-C.")
            sys.stdout.flush()

        talk_over_sockets(talk, port, began)
    _say_end(talk.live is not None, 0.0 if talk.live is None else talk.live.t, stdio)
    talk.close()
    for folder in talk.records:
        replay = command("snelk", "run", folder / "scenario.toml")
        print(f"Kept in {folder}; replay it with: {replay}", file=sys.stderr if stdio else None)


def _say_end(played: bool, t: float, stdio: bool) -> None:
    if played and t == t:
        print(f"Played up to {t:.2f} s", file=sys.stderr if stdio else None)
