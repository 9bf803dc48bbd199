"""A search for numbers on behalf of a page, in a process that can be stopped."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from multiprocessing import active_children
from typing import Any

from snelk.errors import SnelkError, one_line
from snelk.tuning.workbench import Workbench
from snelk.waiting import seldom_look_for_garbage

GRACE = 10.0
"""So long a search that was stopped may take to let go of what it holds, s."""

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
        self._told, self._stopped = told, False
        # A program of its own, so that its helpers are let go in order when it is stopped.
        self._process = subprocess.Popen(
            [sys.executable, "-m", "snelk.serving.searching"], stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, text=True, encoding="utf-8", start_new_session=True,
        )  # fmt: skip
        what = {"path": path, "overrides": overrides, "stamps": stamps, "asked": asked}
        threading.Thread(target=self._listen, args=(json.dumps(what),), daemon=True).start()

    def _listen(self, what: str) -> None:
        process, ended = self._process, False
        assert process.stdin is not None
        assert process.stdout is not None
        with process.stdout, suppress(OSError, ValueError):
            print(what, file=process.stdin, flush=True)
            for text in process.stdout:
                reply = json.loads(text)
                ended = reply["type"] != "progress"
                if not self._stopped:
                    self._told(reply)
        if not ended and not self._stopped:
            self._told({"type": "error", "text": "the search stopped; start it again"})
        process.wait()
        self._let_go()

    def stop(self) -> None:
        """Stop it, if it is still running; it ends soon."""
        self._stopped = True
        self._let_go()

    def _let_go(self) -> None:
        assert self._process.stdin is not None
        with suppress(OSError, ValueError):  # it has ended
            self._process.stdin.close()

    @property
    def runs(self) -> bool:
        """Whether its process is there, be it only to end in order."""
        return self._process.poll() is None

    def wait(self) -> int:
        """Wait until it has ended, after it was stopped; return its exit code, 0 if in order."""
        try:
            return self._process.wait(GRACE)
        except subprocess.TimeoutExpired:
            self._process.kill()
            return self._process.wait()


class _StoppedError(Exception):
    """Raised in a search that nobody waits for any more."""


def search(what: Reply, say: Callable[[Reply], None]) -> None:
    """Search for numbers, and report progress and results."""
    asked = what["asked"]

    def progress(done: int, of: int) -> None:
        say({"type": "progress", "done": done, "of": of})

    try:
        bench = Workbench(what["path"], what["overrides"])
        if json.loads(json.dumps(bench.stamps)) != what["stamps"]:
            found: Reply = {
                "type": "error",
                "text": "a file was changed by another program; reload it",
            }
        elif asked["what"] == "sweep":
            found = {"type": "swept", **bench.swept(asked["changes"], asked["move"], progress)}
        else:
            how = asked["changes"], asked["move"], asked["wish"], asked["budget"], progress
            found = {"type": "fitted", **bench.fitted(*how)}
    except SnelkError as error:
        found = {"type": "error", "text": one_line(str(error))}
    except _StoppedError:
        return
    except Exception as error:  # a mistake of Snelk's must not end what somebody tries
        text = f"{type(error).__name__} within Snelk: {one_line(str(error))[:200]}"
        found = {"type": "error", "text": f"{text}; please report it"}
    say(found)


def main() -> None:
    """Run the search given in a line on standard input, until that is closed; answer in lines."""
    seldom_look_for_garbage()
    # A helper that is stopped may leave a lock behind. joblib removes it, and warns of it; who
    # reads what `snelk tune` says can do nothing about that.
    given = os.environ.get("PYTHONWARNINGS")
    os.environ["PYTHONWARNINGS"] = ",".join(filter(None, (given, "ignore:resource_tracker")))
    line = _line()
    if not line:  # stopped before it was told what to search
        return
    stopped = threading.Event()

    def stop() -> None:
        while os.read(0, 1):
            pass
        stopped.set()
        end = time.monotonic() + GRACE
        while time.monotonic() < end:
            for each in active_children():  # whoever waits for them is told that they are gone
                each.terminate()
            time.sleep(0.1)
        os._exit(1)

    def say(reply: Reply) -> None:
        if stopped.is_set():
            raise _StoppedError
        try:
            os.write(1, json.dumps(reply).encode() + b"\n")  # nothing is left to be written later
        except BrokenPipeError:  # who asked is gone, and that is not yet told
            raise _StoppedError from None

    threading.Thread(target=stop, daemon=True).start()
    with suppress(_StoppedError):
        search(json.loads(line), say)


def _line() -> bytes:
    """The first line of standard input, and no byte more."""
    got = b""
    while not got.endswith(b"\n") and (more := os.read(0, 1)):
        got += more
    return got


if __name__ == "__main__":
    main()
