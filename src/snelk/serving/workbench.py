"""What a page says on which numbers are tried, and what it is answered."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from websockets.asyncio.server import ServerConnection

from snelk.errors import InputError, SnelkError
from snelk.page.build import event_pairs, tune_page_of
from snelk.page.gathering import Gathered
from snelk.page.glance import Glance
from snelk.page.packing import Packer
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
        self._page = ""

    def page(self, address: str) -> str:
        """The HTML text of the page."""
        return tune_page_of(self.workbench.today, address, self.workbench.numbers())

    def look(self) -> float:
        """Notice what an editor has changed; how long to wait until the next look, s."""
        self.outdated = self.workbench.is_outdated
        return LOOKS_EVERY

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
                    await self._answer(client, newest[0], more)
        finally:
            listening.cancel()

    async def _answer(self, client: ServerConnection, asked: Reply, more: asyncio.Event) -> None:
        """The night at once, and all of it as soon as nothing newer has come for a while."""
        async with self._lock:
            reply = await asyncio.to_thread(self._tried, asked, self._glance)
        await client.send(json.dumps(reply))
        if reply["type"] == "error":
            return
        try:
            await asyncio.wait_for(more.wait(), SETTLES)
        except TimeoutError:
            async with self._lock:
                whole = await asyncio.to_thread(self._tried, asked, self._whole)
            await client.send(json.dumps(whole))

    @staticmethod
    def _tried(asked: Reply, how: Callable[[dict[str, Any]], Reply]) -> Reply:
        """What a message comes to, or what is wrong with it."""
        try:
            reply = how(asked["changes"])
        except InputError as error:
            reply = {"type": "error", "text": "; ".join(map(str, error.problems))}
        except SnelkError as error:
            reply = {"type": "error", "text": str(error)}
        return {**reply, "n": asked.get("n")}

    def _glance(self, changes: dict[str, Any]) -> Reply:
        packer = Packer()
        found = Glance(*self.workbench.quick(changes), packer, "a")
        return {
            "type": "glance", "facts": found.facts, "index": packer.index,
            "numbers": packer.text(1),
        }  # fmt: skip

    def _whole(self, changes: dict[str, Any]) -> Reply:
        trial, packer = self.workbench.whole(changes), Packer()
        found = Gathered(trial.run, packer, "a")
        partings = trial.comparison.partings
        first = None
        if partings:
            each = partings[0]
            first = {"t": each.t, "agent": each.agent, "target": each.target,
                     "text": f"{each.b} (before: {each.a})"}  # fmt: skip
        return {
            "type": "whole", "facts": found.facts, "index": packer.index,
            "numbers": packer.text(1), "pairs": event_pairs(trial.comparison), "first": first,
            "verdicts": [asdict(each) for each in trial.verdicts],
            "moved": [asdict(each) for each in trial.moved],
        }  # fmt: skip

    async def _act(self, message: Reply) -> Reply:
        """Show or write what would be in the files, or read them anew."""

        def show(changes: dict[str, Any]) -> Reply:
            self.workbench.scenario.changed(changes)
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
            reply = await asyncio.to_thread(self._tried, message, acts[message["type"]])
            self.outdated = self.workbench.is_outdated
        return reply


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
        await serve_page(port, token, bench.page, bench.talk, began, bench.look)

    asyncio.run(served())
