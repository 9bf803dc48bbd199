"""Serving a game in any language: serve."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.addresses import Port, Token, secret_of
from snelk.cli.output import Screen, command
from snelk.cli.scenarios import Overrides, load_scenario
from snelk.errors import InputError
from snelk.waiting import look_for_garbage_as_usual

if TYPE_CHECKING:
    from snelk.serving.talking import Talk

PORT = 7420
"""Where it listens if nothing else is said."""


def serve(
    scenario: Annotated[
        list[Path],
        typer.Argument(
            metavar="SCENARIO...", help="TOML files: the first to play, then other levels."
        ),
    ],
    overrides: Overrides = None,
    stdio: Annotated[
        bool, typer.Option("--stdio", help="Use lines on standard input and output.")
    ] = False,
    port: Port = PORT,
    token: Token = None,
    record: Annotated[
        Path | None,
        typer.Option("--record", metavar="DIR", help="Record the game there, to be replayed."),
    ] = None,
    saves: Annotated[
        Path | None,
        typer.Option("--saves", metavar="DIR", help="Folder for saved games; default: in memory."),
    ] = None,
    watch: Annotated[
        bool, typer.Option("--watch", help="Show the game in the browser while it runs.")
    ] = False,
    duration: Annotated[
        float,
        typer.Option("--duration", metavar="S", min=0.001, help="Longest duration of a game, s."),
    ] = 36_000.0,
) -> None:
    """Run live with a game in any language, over JSON messages.

    The messages are described in docs/serving.md.
    """
    from snelk.serving.talking import Talk

    loaded = {}
    for path in scenario:
        if path.stem in loaded:
            rule, fix = (
                "is used twice, and a hello chooses a scenario by this name",
                "rename one of the files",
            )
            raise InputError.of("serve", "SCENARIO", path.stem, rule, fix)
        loaded[path.stem] = load_scenario(path, overrides)
    with ExitStack() as left:
        kept = record
        if watch and kept is None:
            kept = Path(left.enter_context(TemporaryDirectory(prefix="snelk-"))) / "game"
        made = secret_of(token, "serve")
        talk = Talk(
            loaded, token="" if stdio else made, record=kept, saves=saves, duration=duration
        )
        talk.keeps = record is not None
        if watch and kept is not None:
            left.enter_context(_watching(kept, 0 if stdio or port == 0 else port + 1, made, stdio))
        title = loaded[scenario[0].stem].setup.title or scenario[0].stem
        _talk(talk, title, stdio, port, made)
        talk.close()
        _say_end(talk, stdio, None if record is None else talk.records)


@contextmanager
def _watching(folder: Path, port: int, token: str, stdio: bool) -> Iterator[None]:
    """A process of its own, so that a game's frames do not wait for it."""
    ask = [sys.executable, "-m", "snelk", "watch", str(folder), "--port", str(port)]
    ask += ["--with-input"]
    to = sys.stderr if stdio else None
    with subprocess.Popen(ask, stdin=subprocess.PIPE, stdout=to, start_new_session=True) as process:
        assert process.stdin is not None
        try:
            process.stdin.write(f"{token}\n".encode())  # others can see what it is called with
            process.stdin.flush()
            yield
        finally:
            process.terminate()


def _talk(talk: Talk, title: str, stdio: bool, port: int, secret: str) -> None:
    from snelk.serving.lines import talk_in_lines

    look_for_garbage_as_usual()
    if stdio:
        print(f"Serving {title} on standard input and output", file=sys.stderr, flush=True)
        talk_in_lines(talk, sys.stdin.buffer, sys.stdout.buffer)
    else:
        from snelk.serving.local import HOST
        from snelk.serving.sockets import talk_over_sockets

        def began(at: int) -> None:
            screen = Screen()
            screen.print(f"Serving {title}", style="bold")
            screen.print(f"  address  ws://{HOST}:{at}/")
            screen.print(f"  token    {secret}")
            screen.print(f'  say      {{"type": "hello", "version": 1, "token": "{secret}"}}')
            screen.print("Only from this machine. Stop it with Ctrl-C.")
            sys.stdout.flush()

        talk_over_sockets(talk, port, began)


def _say_end(talk: Talk, stdio: bool, kept: list[Path] | None) -> None:
    to = sys.stderr if stdio else None
    if talk.live is not None and talk.live.t == talk.live.t:
        print(f"Played up to {talk.live.t:.2f} s", file=to)
    for folder in kept or ():
        replay = command("snelk", "run", folder / "scenario.toml")
        print(f"Kept in {folder}; replay it with: {replay}", file=to)
