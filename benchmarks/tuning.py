"""How soon a number that is turned is seen: `snelk tune` with the croft, in a browser.

Needs Chromium, its driver and Selenium. A number is turned 60 times, with a pause after each as
long as its picture took, and then 60 times without: each time as soon as the last is drawn; all
that three times, or as often as said. Beside stand the same night alone and what a whole run of
it takes, in this process. Other users of a machine slow it down: what a night takes just before
and just after each series says how busy it was.
"""

from __future__ import annotations

import contextlib
import os
import re
import signal
import statistics
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import snelk
from snelk.page.gathering import kept_of
from snelk.page.glance import glances
from snelk.page.packing import DrawnPacker

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

NIGHT = snelk.croft() / "night.toml"
RANGE = "profiles.goose.cones.wide.range"
DRAG = """
const [pause, count, done] = arguments, { bench } = snelkPage;
bench.delays.length = 0;
let n = 0;
const turn = () => {
  if (n++ === count) { done(bench.delays); return; }
  const asked = performance.now(), seen = bench.delays.length;
  bench.turn("RANGE", 5 + (n % 17) * 0.4, false);
  const wait = () => {
    if (bench.delays.length === seen) { setTimeout(wait, 2); return; }
    setTimeout(turn, pause ? performance.now() - asked : 0);
  };
  wait();
};
turn();
""".replace("RANGE", RANGE)


def told(name: str, delays: list[float], alone: list[float]) -> None:
    delays.sort()
    middle, most = statistics.median(delays), delays[int(0.95 * len(delays))]
    night = statistics.mean(alone)
    text = f"{middle:4.0f} ms, 95 % within {most:.0f} ms, {middle / night:.1f} nights"
    print(f"{name:24}{text}; a night {alone[0]:.0f}, then {alone[1]:.0f} ms", flush=True)


def stepped(scenario: snelk.Scenario) -> float:
    """What a night takes, ms."""
    began = time.perf_counter()
    simulation = snelk.Simulation(scenario)
    while not simulation.done:
        simulation.step()
    return 1000 * (time.perf_counter() - began)


def main() -> None:
    """Measure, and print."""
    series = int(sys.argv[1]) if len(sys.argv) > 1 else 3
    scenario = snelk.load(NIGHT)
    nights = [scenario.changed({RANGE: 5.0 + 0.4 * n}) for n in range(12)]
    kept = kept_of(snelk.run(scenario), {})
    times: dict[str, list[float]] = {"alone": [], "glance": [], "whole": []}
    for tried in nights:
        times["alone"].append(stepped(tried))
        began = time.perf_counter()
        list(glances(tried, DrawnPacker, "a", kept))
        times["glance"].append(1000 * (time.perf_counter() - began))
        began = time.perf_counter()
        snelk.run(tried)
        times["whole"].append(1000 * (time.perf_counter() - began))
    alone = statistics.median(times["alone"])
    for name, text in (
        ("alone", "a night of the croft, stepped"),
        ("glance", "the same as a page shows it at once"),
        ("whole", "the same as a run with all tables"),
    ):
        middle = statistics.median(times[name])
        print(f"{text:46}{middle:6.0f} ms, {middle / alone:.1f} nights")

    from browser import start_browser

    ask = [sys.executable, "-m", "snelk", "tune", str(NIGHT), "--port", "0"]
    with subprocess.Popen(ask, stdout=subprocess.PIPE, text=True, start_new_session=True) as server:
        assert server.stdout is not None
        address = re.findall(r"http://\S+", server.stdout.readline() + server.stdout.readline())[0]
        driver: Any = start_browser()
        try:
            driver.get(f"{address}#t=40&agent=gander&target=fox")
            ready = "return document.body && document.body.dataset.ready"
            while not driver.execute_script(ready):
                time.sleep(0.1)
            time.sleep(1.0)
            driver.set_script_timeout(100)
            around = [statistics.median(map(stepped, nights))]
            for n in range(2 * series):
                delays = driver.execute_async_script(DRAG, n % 2 == 0, 60)
                around.append(statistics.median(map(stepped, nights)))
                name = "turned again at once" if n % 2 else "turned, drawn, a pause"
                told(name, delays, around[-2:])
        finally:
            driver.quit()
            with contextlib.suppress(OSError):
                os.killpg(server.pid, signal.SIGINT)


if __name__ == "__main__":
    main()
