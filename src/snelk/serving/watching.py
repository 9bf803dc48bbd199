"""A page that follows a game while it is played, served to whoever is on this machine."""

from __future__ import annotations

import asyncio
import hmac
import http
import json
import signal
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

from websockets.asyncio.server import ServerConnection, serve
from websockets.datastructures import Headers
from websockets.exceptions import ConnectionClosed
from websockets.http11 import Request, Response

from snelk.config.scenario import load
from snelk.errors import InputError
from snelk.page.watched import LONGEST_PIECE, Watched, seconds_before
from snelk.runs.following import ChangedRecordError, Following, GrowingRecord

HOST = "127.0.0.1"
"""Of this machine only: nobody else on the net comes near it."""

MOST_PAGES = 8
"""That watch at once."""

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
    """The game in a folder where it is kept, and what pages are told of it.

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
        if folder.exists() and not self._record.scenario.is_file() and any(folder.iterdir()):
            rule, fix = "holds no game that is kept", "name the DIR of snelk serve --record DIR"
            raise InputError.of(str(folder), "", "", rule, fix)

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
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM):
        with suppress(NotImplementedError):  # where the system has no such signals
            loop.add_signal_handler(number, stop.set)
    pages: set[ServerConnection] = set()
    own = ""

    def answer(_: ServerConnection, request: Request) -> Response | None:
        asked, host = urlsplit(request.path), request.headers.get("Host", "")
        given = parse_qs(asked.query).get("token", [""])[0]
        # By another name than its own it would be another site's page that asks.
        if host not in (own, own.replace(HOST, "localhost")):
            return _reply(403, "text/plain", f"ask http://{own}/\n")
        if not hmac.compare_digest(given.encode(), token.encode()):
            return _reply(403, "text/plain", "the address has to end with the token as printed\n")
        if asked.path == "/feed":
            same = request.headers.get("Origin") in (None, f"http://{host}")
            return None if same else _reply(403, "text/plain", "is of another site\n")
        if asked.path != "/":
            return _reply(404, "text/plain", "no such page\n")
        if watch.watched is None:
            return _reply(200, "text/html", WAITS if not watch.broken else watch.broken + "\n")
        feed = f"ws://{host}/feed?token={token}"
        return _reply(200, "text/html", watch.watched.page(feed))

    async def one(page: ServerConnection) -> None:
        if len(pages) >= MOST_PAGES:
            await page.close(1013, f"{MOST_PAGES} pages are open already")
            return
        pages.add(page)
        with suppress(ConnectionClosed):
            await _tell_page(watch, page)
        pages.discard(page)

    try:
        server = await serve(one, HOST, port, process_request=answer, max_size=1000)
    except (OSError, OverflowError) as error:
        rule = f"cannot be opened: {getattr(error, 'strerror', None) or error}"
        fix = "choose another --port, or 0 for any that is free"
        raise InputError.of("watch", "port", str(port), rule, fix) from None
    async with server:
        at = next(iter(server.sockets)).getsockname()[1]
        own = f"{HOST}:{at}"
        began(at)
        while not stop.is_set() and not ends():
            wait = 0.0 if watch.look() else LOOKS_EVERY
            with suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), max(wait, 0.001))


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


def _reply(status: int, kind: str, text: str) -> Response:
    content = text.encode()
    headers = Headers([
        ("Content-Type", f"{kind}; charset=utf-8"), ("Content-Length", str(len(content))),
        ("Cache-Control", "no-store"), ("Referrer-Policy", "no-referrer"),
        ("X-Content-Type-Options", "nosniff"), ("Connection", "close"),
    ])  # fmt: skip
    return Response(status, http.HTTPStatus(status).phrase, headers, content)
