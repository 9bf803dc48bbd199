"""A frame of 20 characters as messages: what reading and telling it takes, beside the ticks."""

from __future__ import annotations

import json
import math
import statistics
import time

import snelk
from snelk.serving.talking import Talk, written

FRAMES = 1500


def main() -> None:
    talk = Talk(snelk.load(snelk.croft() / "night.toml"))
    hello = {"type": "hello", "version": 1, "spare": {"goose-1": 8}}
    hello |= {"moves": ["gander", "dog", "goose-1", "goose-2"]}
    hello |= {"units": {"length": 0.01, "axes": {"x": "x", "y": "z", "z": "y"}}}
    welcome, told = talk.answer(json.dumps(hello), None)
    live = talk.live
    assert live is not None
    moved = [name for name, who in welcome["characters"].items() if who["moved_by"] == "game"]
    for _ in range(8):
        spawn = {"type": "frame", "seconds": 0.1, "spawn": [{"like": "goose-1"}]}
        talk.answer(json.dumps(spawn), told)
    computed, frame = 0.0, live.frame

    def timed(seconds: float) -> list[snelk.Event]:
        nonlocal computed
        began = time.perf_counter()
        events = frame(seconds)
        computed = time.perf_counter() - began
        return events

    live.frame = timed  # type: ignore[method-assign]
    for what, seconds in (("each with a tick", 0.1), ("at 60 a second, a tick in six", 1 / 60)):
        own, ticks = [], []
        for n in range(FRAMES):
            poses = {
                name: {
                    "place": [3300 - 100 * i + 20 * math.sin(n / 30), 0, 1900 + 80 * i],
                    "heading": n % 360,
                    "posture": "crouched",
                }
                for i, name in enumerate(moved)
            }
            text = json.dumps({"type": "frame", "seconds": seconds, "poses": poses})
            began = time.perf_counter()
            reply, told = talk.answer(text, told)
            answer = written(reply)
            own.append(time.perf_counter() - began - computed)
            ticks.append(computed)
        print(
            f"{len(live.names)} characters, {len(moved)} moved by the game, {what}: "
            f"{statistics.median(own) * 1e3:.2f} ms of its own, median of {FRAMES} frames; "
            f"ticks {statistics.median(ticks) * 1e3:.2f} ms; {len(text):,} bytes in, "
            f"{len(answer):,} out"
        )


if __name__ == "__main__":
    main()
