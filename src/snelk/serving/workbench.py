"""What a page says on which numbers are tried, and what it is answered."""

from __future__ import annotations

import asyncio
import json
import signal
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from contextlib import suppress
from dataclasses import asdict
from functools import lru_cache
from multiprocessing import get_context
from typing import Any

from websockets.asyncio.server import ServerConnection
from websockets.exceptions import ConnectionClosed

from snelk.errors import InputError, SnelkError, one_line
from snelk.page.build import event_pairs, tune_page_of
from snelk.page.gathering import Gathered
from snelk.page.glance import Glance
from snelk.page.packing import RawPacker
from snelk.serving.pages import serve_page
from snelk.tuning.workbench import Workbench

LOOKS_EVERY = 0.5
"""How often it looks whether an editor has changed a file, s."""

SETTLES = 0.12
"""So long after the last change the whole night is worked out, s."""

Reply = dict[str, Any]


class Bench:
    """A workbench that pages talk to; one night is worked out at a time.

    Args:
        workbench: The scenario.
    """

    def __init__(self, workbench: Workbench) -> None:
        self.workbench = workbench
        self.version = 0
        self.outdated = False
        self._lock = asyncio.Lock()
        self._pool = ProcessPoolExecutor(
            1, mp_context=get_context("spawn"), initializer=_leave_ctrl_c_to_others
        )  # fmt: skip

    def page(self, address: str) -> str:
        """The HTML text of the page."""
        return tune_page_of(self.workbench.today, address, self.workbench.numbers())

    def look(self) -> float:
        """Notice what an editor has changed; how long to wait until the next look, s."""
        if not self._lock.locked():  # else it is this process that writes
            self.outdated = self.workbench.is_outdated
        return LOOKS_EVERY

    def close(self) -> None:
        """Nothing more is worked out."""
        self._pool.shutdown(wait=False, cancel_futures=True)

    async def talk(self, client: ServerConnection) -> None:
        """Answer a page until it goes away: of what comes while it works only the latest."""
        newest: list[Reply] = []
        more = asyncio.Event()

        async def listen() -> None:
            async for text in client:
                message = _read(text)
                if message is None:
                    await client.send(json.dumps({"type": "error", "text": "no such message"}))
                    continue
                if message["type"] != "try":
                    await client.send(json.dumps(await self._act(message)))
                    continue
                newest[:] = [message]
                more.set()

        listening = asyncio.create_task(listen())
        whole: asyncio.Task[None] | None = None
        try:
            version, told = self.version, False
            while not listening.done():
                waiting = asyncio.create_task(more.wait())
                await asyncio.wait(
                    {waiting, listening}, timeout=LOOKS_EVERY, return_when=asyncio.FIRST_COMPLETED
                )
                waiting.cancel()
                if self.version != version:
                    await client.send(json.dumps({"type": "anew"}))
                    return
                if self.outdated != told:
                    told = self.outdated
                    await client.send(json.dumps({"type": "outdated", "is": told}))
                if more.is_set():
                    more.clear()
                    if whole is not None:
                        whole.cancel()
                    asked = newest[0]
                    async with self._lock:
                        reply = await asyncio.to_thread(_tried, asked, self._glance)
                    await client.send(_written(reply))
                    if reply["type"] != "error":
                        whole = asyncio.create_task(self._whole_later(client, asked))
        finally:
            listening.cancel()
            if whole is not None:
                whole.cancel()

    async def _whole_later(self, client: ServerConnection, asked: Reply) -> None:
        """All of the night, if nothing newer comes for a while."""
        await asyncio.sleep(SETTLES)
        loop, bench = asyncio.get_running_loop(), self.workbench
        try:
            reply = await loop.run_in_executor(
                self._pool, whole_night, str(bench.path), bench.overrides, bench.stamps, asked
            )  # fmt: skip
        except (BrokenExecutor, OSError) as error:
            rule = f"the process that works out the reasons is gone: {error}"
            reply = {"type": "error", "text": f"{rule}; start snelk tune again"}
        with suppress(ConnectionClosed):
            await client.send(_written(reply))

    def _glance(self, changes: dict[str, Any]) -> Reply:
        packer = RawPacker()
        found = Glance(*self.workbench.quick(changes), packer, "a")
        return {
            "type": "glance", "facts": found.facts, "index": packer.index,
            "numbers": packer.content(),
        }  # fmt: skip

    async def _act(self, message: Reply) -> Reply:
        """Show or write what would be in the files, or read them anew."""

        def show(changes: dict[str, Any]) -> Reply:
            files = self.workbench.rewritten(changes)
            return {"type": "shown", "difference": "\n".join(each.difference for each in files)}

        def write(changes: dict[str, Any]) -> Reply:
            paths = self.workbench.write(changes)
            self.version += 1
            return {"type": "written", "files": [str(path) for path in paths]}

        def take_in(_changes: dict[str, Any]) -> Reply:
            self.workbench.take_in()
            self.version += 1
            return {"type": "taken in"}

        acts = {"show": show, "write": write, "take in": take_in}
        async with self._lock:
            reply = await asyncio.to_thread(_tried, message, acts[message["type"]])
            self.outdated = self.workbench.is_outdated
        return reply


def _tried(asked: Reply, how: Callable[[dict[str, Any]], Reply]) -> Reply:
    """What a message comes to, or what is wrong with it."""
    try:
        reply = how(asked["changes"])
    except InputError as error:
        reply = {"type": "error", "text": "; ".join(map(str, error.problems))}
    except SnelkError as error:
        reply = {"type": "error", "text": str(error)}
    except Exception as error:  # a mistake of Snelk's must not end what somebody tries
        text = f"{type(error).__name__} within Snelk: {one_line(str(error))[:200]}"
        reply = {"type": "error", "text": f"{text}; undo it, and please report it"}
    return {**reply, "n": asked.get("n")}


def _leave_ctrl_c_to_others() -> None:
    """Ctrl-C reaches all processes of a terminal; it is the page's that ends the others."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


@lru_cache(maxsize=1)
def _bench_of(path: str, overrides: str, _stamps: object) -> Workbench:
    return Workbench(path, json.loads(overrides))


def whole_night(path: str, overrides: dict[str, Any], stamps: object, asked: Reply) -> Reply:
    """All that a night with other numbers comes to: in a process of its own, beside the glances.

    Args:
        path: The scenario's file.
        overrides: Numbers that are otherwise from the beginning.
        stamps: Of its files: with others it is read anew.
        asked: The message.
    """

    def whole(changes: dict[str, Any]) -> Reply:
        bench = _bench_of(path, json.dumps(overrides), stamps)
        if bench.stamps != stamps:
            raise InputError.of(path, "", "", "was changed meanwhile", "take it in")
        trial, packer = bench.whole(changes), RawPacker()
        found = Gathered(trial.run, packer, "a")
        first = None
        if trial.comparison.partings:
            each = trial.comparison.partings[0]
            first = {"t": each.t, "agent": each.agent, "target": each.target,
                     "text": f"{each.b} (before: {each.a})"}  # fmt: skip
        return {
            "type": "whole", "facts": found.facts, "index": packer.index,
            "numbers": packer.content(), "pairs": event_pairs(trial.comparison), "first": first,
            "verdicts": [asdict(each) for each in trial.verdicts],
            "moved": [asdict(each) for each in trial.moved],
        }  # fmt: skip

    return _tried(asked, whole)


def _written(reply: Reply) -> str | bytes:
    """A reply as it is sent: if it has numbers the length of its facts, the facts, the numbers."""
    numbers = reply.pop("numbers", None)
    text = json.dumps(reply, separators=(",", ":"))
    if numbers is None:
        return text
    facts = text.encode()
    facts += b" " * (-len(facts) % 4)
    return len(facts).to_bytes(4, "little") + facts + bytes(numbers)


def _read(text: str | bytes) -> Reply | None:
    """A message, if it is one."""
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        return None
    fits = isinstance(found, dict) and found.get("type") in ("try", "show", "write", "take in")
    changes = found.get("changes", {}) if fits else None
    if not isinstance(changes, dict) or len(changes) > 1000:
        return None
    numbers = all(type(each) in (int, float) for each in changes.values())
    return {**found, "changes": changes} if numbers else None


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
            await serve_page(port, token, bench.page, bench.talk, began, bench.look)
        finally:
            bench.close()

    asyncio.run(served())
