"""A search for numbers that a page asked for, in a process of its own that can be stopped."""

from __future__ import annotations

import signal
import threading
from collections.abc import Callable
from multiprocessing import get_context
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from snelk.errors import SnelkError, one_line
from snelk.tuning.workbench import Workbench

Reply = dict[str, Any]


class Search:
    """A fit or a sweep that goes on until it is done or stopped.

    Args:
        path, overrides, stamps: The workbench, see `bench_of`.
        asked: The message.
        told: Told its progress, and in the end what was found or what is wrong; from another
            thread.
    """

    def __init__(
        self, path: str, overrides: dict[str, Any], stamps: object, asked: Reply,
        told: Callable[[Reply], None],
    ) -> None:  # fmt: skip
        context = get_context("spawn")
        self._ours, theirs = context.Pipe(duplex=False)
        self._process: BaseProcess = context.Process(
            target=_search, args=(theirs, path, overrides, stamps, asked), daemon=False
        )
        self._told, self._stopped = told, False
        self._process.start()
        theirs.close()
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        ended = False
        while not ended:
            try:
                reply = self._ours.recv()
            except (EOFError, OSError):
                break
            ended = reply["type"] != "progress"
            if not self._stopped:
                self._told(reply)
        if not ended and not self._stopped:
            self._told({"type": "error", "text": "the search broke off; begin it again"})
        self._process.join()

    def stop(self) -> None:
        """End it, if it still goes on; nothing more is told."""
        self._stopped = True
        if self._process.is_alive():
            self._process.terminate()


def _search(
    pipe: Connection, path: str, overrides: dict[str, Any], stamps: object, asked: Reply
) -> None:
    """Find numbers, and tell how it goes."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)

    def progress(done: int, of: int) -> None:
        pipe.send({"type": "progress", "done": done, "of": of})

    try:
        bench = Workbench(path, overrides)
        if bench.stamps != stamps:
            found: Reply = {"type": "error", "text": "a file was changed meanwhile; take it in"}
        elif asked["what"] == "sweep":
            found = {"type": "swept", **bench.swept(asked["changes"], asked["move"], progress)}
        else:
            how = asked["changes"], asked["move"], asked["wish"], asked["budget"], progress
            found = {"type": "fitted", **bench.fitted(*how)}
    except SnelkError as error:
        found = {"type": "error", "text": one_line(str(error))}
    except Exception as error:  # a mistake of Snelk's must not end what somebody tries
        text = f"{type(error).__name__} within Snelk: {one_line(str(error))[:200]}"
        found = {"type": "error", "text": f"{text}; please report it"}
    pipe.send(found)
    pipe.close()
