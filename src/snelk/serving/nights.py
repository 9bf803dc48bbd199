"""What the workbench page asks of the helper process: whole nights with other numbers."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from snelk.errors import InputError, SnelkError, one_line
from snelk.page.gathering import Gathered, event_pairs
from snelk.page.packing import RawPacker
from snelk.tuning.workbench import Workbench

Reply = dict[str, Any]


def tried(asked: Reply, how: Callable[[dict[str, Any]], Reply]) -> Reply:
    """The result of a message, or its error."""
    try:
        reply = how(asked)
    except InputError as error:
        reply = {"type": "error", "text": "; ".join(map(str, error.problems))}
    except SnelkError as error:
        reply = {"type": "error", "text": str(error)}
    except Exception as error:  # a mistake of Snelk's must not end what somebody tries
        text = f"{type(error).__name__} within Snelk: {one_line(str(error))[:200]}"
        reply = {"type": "error", "text": f"{text}; undo it, and please report it"}
    return {**reply, "n": asked["n"], "answers": asked["type"]}


@lru_cache(maxsize=1)
def _bench_of(path: str, overrides: str, _stamps: object) -> Workbench:
    return Workbench(path, json.loads(overrides))


def bench_of(path: str, overrides: dict[str, Any], stamps: object) -> Workbench:
    """The workbench of another process, in this one.

    Args:
        path: The scenario's file.
        overrides: Numbers overridden from the start.
        stamps: Of its files: with others it is read anew.

    Raises:
        InputError: The files are others by now.
    """
    bench = _bench_of(path, json.dumps(overrides), stamps)
    if bench.stamps != stamps:
        raise InputError.of(path, "", "", "was changed by another program", "reload it")
    return bench


def whole_night(path: str, overrides: dict[str, Any], stamps: object, asked: Reply) -> Reply:
    """The full result of a run with other numbers, computed in the helper process."""

    def whole(asked: Reply) -> Reply:
        bench, packer = bench_of(path, overrides, stamps), RawPacker()
        trial = bench.whole(asked["changes"], asked["against"])
        found = Gathered(trial.run, packer, "a")
        first = None
        if trial.comparison.first_differences:
            each = trial.comparison.first_differences[0]
            first = {"t": each.t, "agent": each.agent, "target": each.target,
                     "text": f"{each.b} (before: {each.a})"}  # fmt: skip
        return {
            "type": "whole", "facts": found.facts, "index": packer.index,
            "numbers": packer.content(), "pairs": event_pairs(trial.comparison), "first": first,
            "verdicts": [asdict(each) for each in trial.verdicts],
            "moved": [asdict(each) for each in trial.moved],
        }  # fmt: skip

    return tried(asked, whole)


def two_nights(path: str, overrides: dict[str, Any], stamps: object, asked: Reply) -> Reply:
    """A page with two runs in sync: the one compared with, and the current one."""
    from snelk.page.build import page_of  # it takes a second, and few ask for it

    def both(asked: Reply) -> Reply:
        bench = bench_of(path, overrides, stamps)
        runs = [bench.night(asked[side])[0] for side in ("against", "changes")]
        return {"type": "both", "page": page_of(*runs)}

    return tried(asked, both)


def smallest_changes(path: str, overrides: dict[str, Any], stamps: object, asked: Reply) -> Reply:
    """The smallest changes that would turn an answer."""

    def smallest(asked: Reply) -> Reply:
        bench = bench_of(path, overrides, stamps)
        about = asked["agent"], asked["target"], asked["t"]
        found = bench.smallest(asked["changes"], *about)
        return {
            "type": "smallest", "agent": about[0], "target": about[1], "t": about[2],
            "found": [asdict(each) for each in found],
        }  # fmt: skip

    return tried(asked, smallest)
