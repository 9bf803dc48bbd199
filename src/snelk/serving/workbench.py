"""The messages of the workbench page, and their replies."""

from __future__ import annotations

import asyncio
import json
import math
import secrets
from collections.abc import AsyncIterator, Callable, Coroutine, Iterator
from contextlib import suppress
from dataclasses import asdict
from typing import Any

from websockets.asyncio.server import ServerConnection
from websockets.exceptions import ConnectionClosed

from snelk.config.numbers import conditions_of, curves_of
from snelk.errors import InputError, SnelkError
from snelk.page.build import tune_page_of
from snelk.page.gathering import kept_of
from snelk.page.glance import glances
from snelk.page.packing import DrawnPacker
from snelk.serving.helper import Helper
from snelk.serving.nights import bench_of, smallest_changes, tried, two_nights, whole_night
from snelk.serving.pages import serve_page
from snelk.serving.searching import Search
from snelk.tuning.here import Here
from snelk.tuning.workbench import Workbench

LOOKS_EVERY = 0.5
"""How often it looks whether an editor has changed a file, s."""

SETTLES, HELD = 0.05, 0.8
"""So long after the last change the whole night is worked out, s: when the hand has let go, and
while it has not."""

LONG, AROUND = 1500, 3.0
"""Of a night of more ticks it is shown first what there is of it this long after the moment, s."""

RESTS = 0.15
"""So long after the pointer came to rest the places around it are worked out, s."""

TOGETHER = 96
"""So many places are worked out before it is looked whether something else was asked."""

PAGES_KEPT = 4
"""So many pages with two nights are kept."""

Reply = dict[str, Any]


class Bench:
    """A workbench that pages talk to; it computes one run at a time.

    Args:
        workbench: The scenario.

    Attributes:
        version: How often the files were read again.
        outdated: Whether an editor has changed one of them since.
        lock: Held while something is worked out here.
    """

    def __init__(self, workbench: Workbench) -> None:
        self.workbench = workbench
        self.version = 0
        self.outdated = False
        self.lock = asyncio.Lock()
        self._kept = kept_of(workbench.today, {})
        self._here: tuple[str, Here] | None = None
        self._helper = Helper()
        self._pages: dict[str, str] = {}
        self._searches: list[Search] = []

    def page(self, address: str) -> str:
        """The HTML text of the page."""
        bench = self.workbench
        written = bench.scenario.as_written
        return tune_page_of(
            bench.today,
            address,
            numbers=bench.numbers(),
            curves=curves_of(written),
            conditions=conditions_of(written),
            handles=bench.handles(),
            may_move=bench.may_move(),
        )

    def ready(self, asked: dict[str, list[str]]) -> str:
        """The HTML of a page made before, by its address.

        Raises:
            InputError: There is none, or not any more.
        """
        name = asked.get("page", [""])[0]
        if name not in self._pages:
            fix = "open it again from the workbench page"
            raise InputError.of("address", "page", f'"{name}"', "no longer exists", fix)
        return self._pages[name]

    def keep_page(self, text: str) -> str:
        """Keep a page, among the last few, and return its name."""
        name = secrets.token_urlsafe(8)
        self._pages[name] = text
        while len(self._pages) > PAGES_KEPT:
            del self._pages[next(iter(self._pages))]
        return name

    def look(self) -> float:
        """Notice changes by an editor; return the time until the next check, s."""
        if not self.lock.locked():  # else it is this process that writes
            self.outdated = self.workbench.is_outdated
        return LOOKS_EVERY

    def begin(self, asked: Reply, told: Callable[[Reply], None]) -> Search:
        """Begin a search for numbers; see `Search`."""
        bench = self.workbench
        search = Search(str(bench.path), bench.overrides, bench.stamps, asked, told)
        self._searches = [each for each in self._searches if each.runs] + [search]
        return search

    def close(self) -> None:
        """Stop computing, and wait until all that computed has ended."""
        for each in self._searches:
            each.stop()
        self._helper.stop()
        for each in self._searches:
            each.wait()

    async def talk(self, client: ServerConnection) -> None:
        """Answer a page until it goes away."""
        bench = self.workbench
        self._helper.prepare(bench_of, str(bench.path), bench.overrides, bench.stamps)
        await Talk(self, client).go_on()

    def glances(self, asked: Reply) -> Iterator[Reply]:
        """The quick part of a run with other numbers; a long run first up to a moment."""
        tried = self.workbench.tried(asked["changes"])
        times, t = len(self.workbench.today.times), asked["t"]
        until = t + AROUND if t is not None and times > LONG else math.inf
        packers: list[DrawnPacker] = []

        def packer() -> DrawnPacker:
            packers.append(DrawnPacker())
            return packers[-1]

        how: Any = {"rays_of": asked["agent"] or "", "first_until": until}
        for found in glances(tried, packer, "a", self._kept, **how):
            yield {
                "type": "glance", "facts": found.facts, "index": packers[-1].index,
                "numbers": packers[-1].content(), "more": not found.simulation.done,
            }  # fmt: skip

    def here(self, asked: Reply) -> Here:
        """A night to be asked about places; that of the same changes is kept."""
        key = json.dumps(asked["changes"], sort_keys=True)
        if self._here is None or self._here[0] != key:
            self._here = key, Here(self.workbench.tried(asked["changes"]))
        return self._here[1]

    def noticed(self, asked: Reply) -> Reply:
        """Who would sense somebody at a position."""
        here, target, t = self.here(asked), asked["target"], asked["t"]
        stance = asked["stance"] or here.stance_of(target, t)
        place = here.ground(asked["x"], asked["y"], asked["floor"])
        found = here.at(target, t, place, stance=stance)
        return {
            "type": "here", "place": place, "stance": stance, "target": target, "t": t,
            "noticing": [_plain(asdict(each)) for each in found],
        }  # fmt: skip

    def give_way(self) -> None:
        """Pause the helper process until the current change is drawn."""
        self._helper.give_way()

    async def elsewhere(self, work: Callable[..., Reply], asked: Reply) -> Reply:
        """Compute something in the helper process."""
        bench = self.workbench
        known = str(bench.path), bench.overrides, bench.stamps
        try:
            reply: Reply = await self._helper.ask(work, *known, asked)
        except SnelkError as error:
            text = f"{error}; change something again"
            return {"type": "error", "text": text, "n": asked["n"], "answers": asked["type"]}
        return reply

    async def act(self, message: Reply) -> Reply:
        """Show or write the changed files, or read them again."""

        def show(asked: Reply) -> Reply:
            files = self.workbench.rewritten(asked["changes"])
            return {"type": "shown", "difference": "\n".join(each.difference for each in files)}

        def write(asked: Reply) -> Reply:
            paths = self.workbench.write(asked["changes"])
            self._renew()
            return {"type": "written", "files": [str(path) for path in paths]}

        def take_in(_: Reply) -> Reply:
            self.workbench.take_in()
            self._renew()
            return {"type": "taken in"}

        acts = {"show": show, "write": write, "take in": take_in}
        async with self.lock:
            reply = await asyncio.to_thread(tried, message, acts[message["type"]])
            self.outdated = self.workbench.is_outdated
        return reply

    def _renew(self) -> None:
        self._kept, self._here = kept_of(self.workbench.today, {}), None
        self.version += 1


class Talk:
    """The conversation with one page: of messages during work only the latest is answered.

    Args:
        bench: The workbench.
        client: The page.
    """

    def __init__(self, bench: Bench, client: ServerConnection) -> None:
        self.bench, self.client = bench, client
        self._newest: dict[str, Reply] = {}  # what was asked and not yet answered, by type
        self._more = asyncio.Event()
        self._whole: asyncio.Task[None] | None = None
        self._search: Search | None = None
        self._tasks: set[asyncio.Task[None]] = set()
        self._shades: AsyncIterator[Reply] | None = None
        self._rests = False  # whether the pointer has to rest before they are told

    async def go_on(self) -> None:
        """Answer until the page disconnects, or has to be reloaded."""
        listening = asyncio.create_task(self._listen())
        version, told = self.bench.version, False
        try:
            while not listening.done():
                if not self._newest:
                    await self._wait(listening)
                if self.bench.version != version:
                    await self._say({"type": "anew"})
                    return
                if self.bench.outdated != told:
                    told = self.bench.outdated
                    await self._say({"type": "outdated", "is": told})
                if "try" in self._newest:
                    await self._try(self._newest.pop("try"))
                elif "here" in self._newest:
                    await self._here(self._newest.pop("here"))
                elif self._shades is not None:
                    await self._shade()
        finally:
            listening.cancel()
            if self._whole is not None:
                self._whole.cancel()
            if self._search is not None:
                self._search.stop()

    async def _wait(self, listening: asyncio.Task[None]) -> None:
        """Wait for the next message, or some time; only a moment while a shade is sent."""
        waiting = asyncio.create_task(self._more.wait())
        first = asyncio.FIRST_COMPLETED
        wait = LOOKS_EVERY if self._shades is None else RESTS if self._rests else 0.0
        self._rests = False
        await asyncio.wait({waiting, listening}, timeout=wait, return_when=first)
        waiting.cancel()
        self._more.clear()

    async def _listen(self) -> None:
        async for text in self.client:
            message = _read(text)
            if message is None:
                await self._say({"type": "error", "text": "no such message"})
            elif message["type"] in ("try", "here"):
                self._newest[message["type"]] = message
                self._more.set()
            elif message["type"] == "rest":
                self._work_out(message, SETTLES)
            elif message["type"] == "smallest":
                self._later(self._ask(message))
            elif message["type"] == "both":
                self._later(self._both(message))
            elif message["type"] == "search":
                self._begin(message)
            elif message["type"] == "stop":
                self._stop()
            else:
                await self._say(await self.bench.act(message))

    async def _say(self, reply: Reply) -> None:
        with suppress(ConnectionClosed):
            await self.client.send(_written(reply))

    async def _try(self, asked: Reply) -> None:
        """Show a night, and compute all of it a little later; of a rehearsal, 0, only its start."""
        self._shades = None
        if self._whole is not None:
            self._whole.cancel()
        self.bench.give_way()
        parts = self.bench.glances(asked)
        reply: Reply = {"more": True}
        while reply.get("more"):
            async with self.bench.lock:
                reply = await asyncio.to_thread(tried, asked, lambda _: next(parts))
            await self._say(dict(reply))
            if asked["n"] == 0:
                return
        if reply["type"] != "error":
            self._work_out(asked, HELD if asked["held"] else SETTLES)

    def _work_out(self, asked: Reply, wait: float) -> None:
        if self._whole is not None:
            self._whole.cancel()

        async def later() -> None:
            await asyncio.sleep(wait)
            await self._say(await self.bench.elsewhere(whole_night, asked))

        self._whole = asyncio.create_task(later())

    def _later(self, work: Coroutine[Any, Any, None]) -> None:
        """Answer in the background."""
        task = asyncio.create_task(work)
        self._tasks.add(task)  # else it may be thrown away before it is done
        task.add_done_callback(self._tasks.discard)

    async def _both(self, asked: Reply) -> None:
        reply = await self.bench.elsewhere(two_nights, asked)
        if reply["type"] == "both":
            reply["page"] = self.bench.keep_page(reply["page"])
        await self._say(reply)

    async def _ask(self, asked: Reply) -> None:
        await self._say(await self.bench.elsewhere(smallest_changes, asked))

    async def _here(self, asked: Reply) -> None:
        """Send who would sense somebody at a position, and then the shade around it."""
        async with self.bench.lock:
            reply = await asyncio.to_thread(tried, asked, self.bench.noticed)
        await self._say(reply)
        self._shades = None if reply["type"] == "error" else self._shades_of(asked, reply)
        self._rests = True

    async def _shades_of(self, asked: Reply, noticed: Reply) -> AsyncIterator[Reply]:
        """What places are like, those near to one first."""
        here, x, y = self.bench.here(asked), asked["x"], asked["y"]
        grid = await asyncio.to_thread(here.grid, (x, y), asked["floor"])
        for first in range(0, len(grid), TOGETHER):
            some = grid[first : first + TOGETHER]
            async with self.bench.lock:
                found = await asyncio.to_thread(
                    here.shade, asked["target"], asked["t"], some, stance=noticed["stance"]
                )
            yield {
                "type": "shade", "n": asked["n"], "first": first == 0, "cell": here.cell,
                "x": found.places[:, 0].round(3).tolist(),
                "y": found.places[:, 1].round(3).tolist(),
                "exposure": found.exposure.round(3).tolist(),
                "after": [_finite(each) for each in found.after.tolist()],
            }  # fmt: skip

    async def _shade(self) -> None:
        """Send the next part of the shade."""
        shades, self._rests = self._shades, False
        if shades is None:
            return
        with suppress(SnelkError):  # what is wrong was told with the place
            async for reply in shades:
                await self._say(reply)
                return
        self._shades = None

    def _begin(self, asked: Reply) -> None:
        """Begin a search for numbers; there is one at a time."""
        self._stop()
        loop = asyncio.get_running_loop()

        def told(reply: Reply) -> None:
            asyncio.run_coroutine_threadsafe(
                self._say({**reply, "n": asked["n"], "answers": "search"}), loop
            )

        self._search = self.bench.begin(asked, told)

    def _stop(self) -> None:
        if self._search is not None:
            self._search.stop()
        self._search = None


def _finite(value: Any) -> Any:
    """A number, or None for NaN."""
    return None if isinstance(value, float) and not math.isfinite(value) else value


def _plain(facts: dict[str, Any]) -> dict[str, Any]:
    return {name: _finite(value) for name, value in facts.items()}


def _written(reply: Reply) -> str | bytes:
    """A reply as it is sent: if it has numbers the length of its facts, the facts, the numbers."""
    numbers = reply.pop("numbers", None)
    text = json.dumps(reply, separators=(",", ":"))
    if numbers is None:
        return text
    facts = text.encode()
    facts += b" " * (-len(facts) % 4)
    return len(facts).to_bytes(4, "little") + facts + bytes(numbers)


NUMBER, TEXT = (int, float), (str,)

MESSAGES: dict[str, dict[str, tuple[type, ...]]] = {
    "try": {},
    "rest": {},
    "here": {"t": NUMBER, "x": NUMBER, "y": NUMBER, "target": TEXT},
    "smallest": {"t": NUMBER, "agent": TEXT, "target": TEXT},
    "both": {},
    "search": {"what": TEXT, "move": (dict,)},
    "stop": {},
    "show": {},
    "write": {},
    "take in": {},
}
"""What a page may say, and what each has to hold beside `changes`."""

OTHERWISE = {"n": None, "held": False, "floor": None, "stance": None, "wish": None,
             "budget": 200, "agent": None, "t": None}  # fmt: skip
"""What is so where it is not said."""

MOST_CHANGES = 1000


def _read(text: str | bytes) -> Reply | None:
    """A message, if it is one."""
    try:
        found = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError):
        return None
    kind = found.get("type") if isinstance(found, dict) else None
    if not isinstance(kind, str) or kind not in MESSAGES:
        return None
    message = {**OTHERWISE, "changes": {}, "against": {}, **found}
    if not (_are_changes(message["changes"]) and _are_changes(message["against"])):
        return None
    fits = all(type(message.get(name)) in types for name, types in MESSAGES[kind].items())
    fits &= all(type(message[name]) in (str, type(None)) for name in ("floor", "stance", "agent"))
    fits &= type(message["t"]) in (int, float, type(None))
    fits &= type(message["budget"]) is int and type(message["wish"]) in (dict, type(None))
    return message if fits else None


def _are_changes(found: Any) -> bool:
    if not isinstance(found, dict) or len(found) > MOST_CHANGES:
        return False
    return all(type(each) in (int, float, str, list) for each in found.values())


def _no_number(text: str) -> float:
    raise ValueError(text)


def tune_on_a_page(
    workbench: Workbench, port: int, token: str, began: Callable[[int], None]
) -> None:
    """Serve the page until the process is asked to stop, with Ctrl-C or by a signal.

    Raises:
        InputError: The port is taken or not allowed.
    """

    async def served() -> None:
        bench = Bench(workbench)
        try:
            pages = {"/both": bench.ready}
            await serve_page(port, token, bench.page, bench.talk, began, bench.look, pages)
        finally:
            bench.close()

    asyncio.run(served())
