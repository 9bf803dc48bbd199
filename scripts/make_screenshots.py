"""Draw docs/screenshots anew: every main command in a terminal window, every figure and page.

With names, only those of that name. Needs Xvfb, xterm, ImageMagick and, for pages, Chromium with
its driver (Debian: apt-get install xvfb xterm imagemagick chromium chromium-driver).
"""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd
from PIL import Image

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

SHOTS = Path(__file__).parents[1] / "docs" / "screenshots"
SNELK = Path(sys.executable).with_name("snelk")
DISPLAY = ":87"
ROWS, COLUMNS = 38, 124

TERMINALS = {
    "check": ["check", "mill/night.toml"],
    "run": [
        *("run", "croft/night.toml", "--set"),
        "profiles.dog.ladder.states.asleep.senses.hearing=0.8",
    ],
    "why": ["why", "croft/runs/night", "gander", "fox", "--at", "34"],
    "compare": ["compare", "croft/runs/night", "croft/runs/keen"],
    "verify": ["verify", "croft/night.toml", "--set", "profiles.dog.hearing.acuity=1.0"],
    "fit": ["fit", "croft/night.toml", "--budget", "100"],
    "import": [
        *("import", "game.csv", "--column", "t=ms", "--column", "id=actor", "--column", "x=X"),
        *("--column", "y=-Z", "--column", "heading=yaw", "--time", "0.001", "--length", "0.01"),
        *("--level", "croft/croft.geojson"),
    ],
}
SWEEP = [
    *("sweep", "croft/night.toml", "--seeds", "3", "--vary"),
    "profiles.dog.ladder.states.asleep.senses.hearing=0.3:0.8:6",
]
PAGES = {
    "page": (["croft/runs/night"], "#t=40&agent=goose-2&target=fox"),
}
FIGURES = {
    "sneak": [
        *("sneak", "croft/night.toml", "--to", "coop-door-north"),
        *("--ignore", "owl", "--ignore", "scarecrow"),
    ],
    "players": [
        *("players", "croft/night.toml", "--to", "hedge-gap", "--ignore", "owl"),
    ],
    "map": [
        *("plot", "map", "croft/runs/night", "--at", "66.5", "--ways"),
        *("--agent", "farmer", "--agent", "dog", "--agent", "scarecrow"),
    ],
    "ray": ["plot", "ray", "mill/runs/night", "boy", "store open", "--at", "56"],
    "parity": ["plot", "parity", "croft/runs/night", "sensed.csv"],
    "search": ["plot", "search", "croft/runs/night", "farmer"],
    "states": ["plot", "states", "croft/runs/night", "dog"],
    "timeline": ["plot", "timeline", "croft/runs/night"],
    "sweep-figure": [
        *("plot", "sweep", "sweeps/night.parquet", "--show", "dog.time_in.asleep"),
        *("--show", "dog.fox.believed_for", "--show", "expect.dog-hears-the-gravel"),
    ],
}


def shoot(words: list[str], path: Path, folder: Path, *, stand_in: str = "") -> None:
    """Run a command in a terminal window and take a picture of the screen."""
    line = "snelk " + " ".join(words)
    script = f"printf '$ %s\\n' '{line}'; {stand_in or line}; touch done; sleep 60"
    done = folder / "done"
    done.unlink(missing_ok=True)
    look = ["-fa", "DejaVu Sans Mono", "-fs", "12", "-bg", "#16181d", "-fg", "#e6e6e6", "+sb"]
    size = ["-geometry", f"{COLUMNS}x{ROWS}+0+0", "-b", "14"]
    environment = os.environ | {
        "DISPLAY": DISPLAY,
        "PATH": f"{SNELK.parent}:{os.environ['PATH']}",
        "TERM": "xterm-256color",
    }
    window = subprocess.Popen(
        ["xterm", *look, *size, "-e", "bash", "-c", script], cwd=folder, env=environment
    )
    try:
        for _ in range(3000):
            if done.exists():
                break
            time.sleep(0.1)
        time.sleep(0.5)
        subprocess.run(["import", "-window", "root", str(path)], env=environment, check=True)
    finally:
        window.kill()
        window.wait()


def shoot_watched(folder: Path) -> None:
    """A game of the mill on its page: it goes on, and somebody has gone back."""
    from browser import start_browser

    import snelk

    words = [SNELK, "watch", folder / "game", "--port", "0"]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        address = process.stdout.readline().split()[-1]
        scenario = snelk.load(folder / "mill" / "night.toml")
        with snelk.Live(scenario, record=folder / "game") as live:
            for n in range(550):
                for name, track in scenario.tracks.items():
                    k = int(np.searchsorted(track.t, n * live.dt + 1e-9, side="right")) - 1
                    if k >= 0:
                        place = {axis: float(getattr(track, axis)[k]) for axis in "xyz"}
                        heading, there = np.degrees(track.heading[k]), bool(track.present[k])
                        live.push(name, **place, heading_deg=heading, present=there)
                live.step()
            driver = start_browser()
            driver.get(f"{address}#t=47.5&agent=miller&target=store%20open")
            time.sleep(20.0)
            driver.save_screenshot(str(SHOTS / "watch.png"))
            driver.quit()
        process.terminate()


def write_game(folder: Path) -> None:
    """The fox as a game may record it: cm, ms, y up, yaw clockwise from forward."""
    fox = pd.read_csv(folder / "croft" / "fox.csv")
    columns = {"ms": fox.t * 1000, "actor": fox.id, "X": fox.x * 100, "Z": fox.y * 100}
    pd.DataFrame({**columns, "yaw": 90 - fox.heading}).to_csv(folder / "game.csv", index=False)


RANGE = "profiles.goose.cones.wide.range"
WIDE, TALL = 880, 550  # px, of the moving picture


def shoot_tuned(folder: Path) -> None:
    """A number of the geese turned, and somebody who stands in; a moving picture of both."""
    from browser import start_browser

    words = [SNELK, "tune", folder / "croft" / "night.toml", "--port", "0"]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        address = (process.stdout.readline() + process.stdout.readline()).split()[-1]
        driver = start_browser()
        try:
            driver.get(f"{address}#t=47.4&agent=goose-2&target=fox&set={RANGE}%3D6.5")
            time.sleep(15.0)
            stand_in = (
                "snelkPage.bench.whatif.become('stand-in'); snelkPage.bench.whatif.pinned = true;"
                "snelkPage.bench.whatif.moved(arguments[0], null)"
            )
            driver.execute_script(stand_in, [36.0, 13.0])
            time.sleep(4.0)
            driver.save_screenshot(str(SHOTS / "tune.png"))
            driver.get("about:blank")
            driver.get(f"{address}#t=47.4&agent=goose-2&target=fox")
            while not driver.execute_script("return document.body && document.body.dataset.ready"):
                time.sleep(0.2)
            time.sleep(1.0)
            pictures: list[Image.Image] = []

            def shoot(wait: float) -> None:
                time.sleep(wait)
                shot = Image.open(io.BytesIO(driver.get_screenshot_as_png())).convert("RGB")
                pictures.append(shot.resize((WIDE, TALL), Image.Resampling.LANCZOS))

            begin = "bench.whatif.become('look'); bench.become({}); snelkPage.zoom()"
            driver.execute_script(f"const {{ bench }} = snelkPage; {begin}")
            shoot(0.5)
            slider = f".number[data-key='{RANGE}'] input[type=range]"
            turn = (
                "const slider = document.querySelector(arguments[0]); slider.value = arguments[1];"
                "slider.dispatchEvent(new Event('input'))"
            )
            for value in (9.5, 9, 8.5, 8, 7.5, 7, 6.5, 6, 5.5, 5, 5.5, 6, 6.5, 7):
                driver.execute_script(turn, slider, value)
                shoot(0.9)
            driver.execute_script("snelkPage.bench.keep()")
            shoot(6.0)
            for x in (30.0, 32.0, 34.0, 36.0, 38.0):
                driver.execute_script(stand_in, [x, 13.0])
                shoot(1.5)
        finally:
            driver.quit()
            process.terminate()
    first, *rest = [each.quantize(64, dither=Image.Dither.NONE) for each in pictures]
    lasts = [700, *[160] * 14, 1800, *[500] * 4, 1500]
    first.save(SHOTS / "tune.gif", save_all=True, append_images=rest, duration=lasts, loop=0)


def write_log(folder: Path) -> None:
    """What a game whose geese see less far writes down, from when to when."""
    import snelk
    from snelk.tuning.sensed import sensed_by

    other = {"profiles.goose.cones.wide.range": 6.5}
    run, rows = snelk.run(folder / "croft" / "night.toml", overrides=other), []
    for agent in ("gander", "goose-1", "goose-2", "farmer"):
        sensed = sensed_by(run, agent, "fox", "sight")
        edges = np.flatnonzero(np.diff(sensed.astype(int), prepend=0, append=0)).reshape(-1, 2)
        rows += [
            {"t": run.times[a], "until": run.times[b - 1] + 0.1, "agent": agent, "target": "fox"}
            for a, b in edges
        ]
        states = run.states[run.states.agent == agent]
        rows += states[["t", "agent", "state"]].to_dict("records")
    pd.DataFrame(rows).to_csv(folder / "sensed.csv", index=False)


def shoot_pages(wanted: list[str], folder: Path) -> None:
    """Open pages in a browser of 1280 x 800 and take a picture of each."""
    from browser import opened, start_browser

    driver = start_browser()
    try:
        for shot, (runs, moment) in PAGES.items():
            if not wanted or shot in wanted:
                words = [SNELK, "page", *runs, "--out", f"{shot}.html"]
                subprocess.run(words, cwd=folder, check=True, stdout=subprocess.DEVNULL)
                opened(driver, folder / f"{shot}.html", moment)
                time.sleep(0.5)
                driver.save_screenshot(str(SHOTS / f"{shot}.png"))
    finally:
        driver.quit()


def main(wanted: list[str]) -> None:
    for tool in ("Xvfb", "xterm", "import"):
        if shutil.which(tool) is None:
            sys.exit(f"{tool} is not installed; see the top of this file")
    SHOTS.mkdir(parents=True, exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"])
    try:
        time.sleep(1.0)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            subprocess.run([SNELK, "demo"], cwd=folder, check=True, stdout=subprocess.DEVNULL)
            words = [SNELK, "demo", "mill"]
            subprocess.run(words, cwd=folder, check=True, stdout=subprocess.DEVNULL)
            keen = "profiles.dog.ladder.states.asleep.senses.hearing=0.8"
            words = ["run", "croft/night.toml", "--set", keen, "--out", "croft/runs/keen"]
            subprocess.run([SNELK, *words], cwd=folder, check=True, stdout=subprocess.DEVNULL)
            write_game(folder)
            write_log(folder)
            if not wanted or "tune" in wanted:
                shoot_tuned(folder)
            if not wanted or "watch" in wanted:
                shoot_watched(folder)
            if not wanted or set(wanted) & set(PAGES):
                shoot_pages(wanted, folder)
            for shot, words in TERMINALS.items():
                if not wanted or shot in wanted:
                    shown = "head -n 30 out; echo …; tail -n 4 out"
                    long = f"{' '.join(['snelk', *words])} > out; {shown}"
                    stand_in = long if shot == "check" else ""
                    shoot(words, SHOTS / f"{shot}.png", folder, stand_in=stand_in)
            for shot, words in FIGURES.items():
                if wanted and shot not in wanted:
                    continue
                if shot == "sweep-figure":
                    subprocess.run([SNELK, *SWEEP], cwd=folder, check=True)
                option = "--figure" if words[0] != "plot" else "--out"
                out = [option, str(SHOTS / f"{shot}.png")]
                subprocess.run([SNELK, *words, *out], cwd=folder, check=True)
    finally:
        screen.terminate()
        screen.wait()


if __name__ == "__main__":
    main(sys.argv[1:])
