"""A search for numbers on behalf of a page, in a process that can be stopped."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from typing import Any

from snelk.errors import SnelkError, one_line
from snelk.tuning.batches import end_with
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
        self._told, self._stopped = told, False
        # A program of its own, so that its helpers are let go in order when it is ended.
        self._process = subprocess.Popen(
            [sys.executable, "-m", "snelk.serving.searching"], stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, text=True, encoding="utf-8", start_new_session=True,
        )  # fmt: skip
        what = {"path": path, "overrides": overrides, "stamps": stamps, "asked": asked}
        threading.Thread(
            target=self._listen, args=(json.dumps({**what, "parent": os.getpid()}),), daemon=True
        ).start()

    def _listen(self, what: str) -> None:
        process, ended = self._process, False
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            process.stdin.write(what)
            process.stdin.close()
            for text in process.stdout:
                reply = json.loads(text)
                ended = reply["type"] != "progress"
                if not self._stopped:
                    self._told(reply)
        except (OSError, ValueError):
            ended = False
        if not ended and not self._stopped:
            self._told({"type": "error", "text": "the search stopped; start it again"})
        process.wait()

    def stop(self) -> None:
        """Stop it, if it is still running."""
        self._stopped = True
        if self._process.poll() is None:
            self._process.terminate()


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
    except Exception as error:  # a mistake of Snelk's must not end what somebody tries
        text = f"{type(error).__name__} within Snelk: {one_line(str(error))[:200]}"
        found = {"type": "error", "text": f"{text}; please report it"}
    say(found)


def main() -> None:
    """Run the search given on standard input, and answer in lines."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    what = json.loads(sys.stdin.read())
    end_with(what["parent"])
    search(what, lambda reply: print(json.dumps(reply), flush=True))


if __name__ == "__main__":
    main()
