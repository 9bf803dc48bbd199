"""A page that follows a running game, for people on this machine."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Callable
from pathlib import Path

from websockets.asyncio.server import ServerConnection

from snelk.config.scenario import load
from snelk.errors import InputError
from snelk.page.watched import LONGEST_PIECE, Watched, seconds_before
from snelk.runs.following import ChangedRecordError, Following, GrowingRecord
from snelk.serving.pages import serve_page

LOOKS_EVERY, SENDS_EVERY = 0.05, 0.3
"""How often it looks for what was played, and the least between two pieces, s."""

AT_ONCE = 0.1
"""How long it computes before it looks after its pages, s."""

WAITS = """<!DOCTYPE html><html lang="en"><head><meta charset="utf-8">
<meta http-equiv="refresh" content="1"><title>Snelk waits</title></head>
<body style="font: 15px system-ui, sans-serif; margin: 3em; color: #22252a; background: #fbfaf7">
<h1 style="font-size: 20px">No game has begun yet</h1>
<p>This page looks again every second. It shows the game as soon as its first frame is played.</p>
</body></html>
"""


class Watch:
    """The recorded game in a folder, and the data for its pages.

    Args:
        folder: Where it is, or will be, kept; of a game begun anew the record is beside it.

    Attributes:
        watched: What pages are told; None before a game has begun.
        game: How many games there have been; a page shows one.
        broken: What is wrong with the record; empty if nothing is.

    Raises:
        InputError: The folder holds something else.
    """

    def __init__(self, folder: Path) -> None:
        self._first = folder
        self._number, self.game = 1, 0
        self.watched: Watched | None = None
        self.broken = ""
        self._following: Following | None = None
        self._record = GrowingRecord(folder)
        self._sent = -1e9
        empty = not folder.exists() or (folder.is_dir() and not any(folder.iterdir()))
        if not empty and not self._record.scenario.is_file():
            rule, fix = (
                "does not contain the record of a game",
                "use the DIR of snelk serve --record DIR",
            )
            raise InputError.of(str(folder), "", "", rule, fix)

    @property
    def waits(self) -> bool:
        """Whether no game has begun yet."""
        return self.watched is None and not self._record.scenario.is_file()

    def look(self) -> bool:
        """Compute what has been played since, for a short time; whether there is more."""
        if self.broken:
            return False
        try:
            return self._look()
        except ChangedRecordError:
            self._begin(self._record.folder)
            return True
        except InputError as error:
            self.broken = str(error.problems[0])
            return False

    def close(self) -> None:
        """Nothing more is read."""
        self._record.close()

    def _look(self) -> bool:
        after = self._folder(self._number + 1)
        if after.is_dir():
            self._number += 1
            self._begin(after)
        until, behind = time.monotonic() + AT_ONCE, False
        for line in self._record.lines(1 << 16):
            if self._following is None:
                scenario = load(self._record.scenario)
                remembers = seconds_before(scenario.setup) + LONGEST_PIECE
                self._following = Following(scenario, list(line.poses), remembers=remembers)
            self._following.take(line)
            behind = True
            if self.watched is None:
                self.watched = Watched(self._following)
                self.game += 1
            elif self._following.untold >= LONGEST_PIECE - 1.0:
                self._tell()
            if time.monotonic() > until:
                break
        if self.watched is not None and self._following is not None and self._following.untold > 0:
            if time.monotonic() >= self._sent:
                self._tell()
        return behind

    def _tell(self) -> None:
        assert self.watched is not None
        began = time.monotonic()
        self.watched.add()
        # Where a piece takes long to lay out, half the time is for the game.
        self._sent = began + max(SENDS_EVERY, 2.0 * (time.monotonic() - began))

    def _begin(self, folder: Path) -> None:
        self._record.close()
        self._record = GrowingRecord(folder)
        self._following = self.watched = None

    def _folder(self, n: int) -> Path:
        return self._first if n == 1 else self._first.with_name(f"{self._first.name}-{n}")


def show_to_pages(
    watch: Watch, port: int, token: str, began: Callable[[int], None], ends: Callable[[], bool]
) -> None:
    """Serve the page until the process is asked to stop, with Ctrl-C or by a signal.

    Args:
        watch: The game.
        port: Of this machine; any free one if 0.
        token: What the address of the page has to hold.
        began: Told the port, once the page can be opened.
        ends: Asked now and then whether to stop.

    Raises:
        InputError: The port is taken or not allowed.
    """
    asyncio.run(_show(watch, port, token, began, ends))


async def _show(
    watch: Watch, port: int, token: str, began: Callable[[int], None], ends: Callable[[], bool]
) -> None:
    def page(feed: str) -> str:
        if watch.watched is None:
            return watch.broken + "\n" if watch.broken else WAITS
        return watch.watched.page(feed)

    async def talk(client: ServerConnection) -> None:
        await _tell_page(watch, client)

    def each() -> float | None:
        if ends():
            return None
        return 0.0 if watch.look() else LOOKS_EVERY

    await serve_page(port, token, page, talk, began, each)


async def _tell_page(watch: Watch, page: ServerConnection) -> None:
    """Send a page all that comes of its game, until another begins."""
    game, told = watch.game, 0
    while page.close_code is None:
        if watch.game != game or watch.watched is None:
            await page.send(json.dumps({"anew": True}))
            return
        pieces = watch.watched.pieces
        while told < len(pieces):
            await page.send(pieces[told])
            told += 1
        if watch.broken:
            await page.send(json.dumps({"over": watch.broken}))
            return
        await asyncio.sleep(LOOKS_EVERY)
