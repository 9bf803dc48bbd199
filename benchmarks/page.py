"""A page of 15 characters over 3 minutes at 30 Hz: its size, and how long a frame takes.

Needs Chromium, its driver and Selenium; frames are measured by the page itself while it plays.
Besides the longest frame stands what an empty page of the same size needs in the same browser.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path

import pandas as pd

import snelk

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

EMPTY = """<!DOCTYPE html><body data-ready="yes"><script>
const snelkPage = { frames: [], marked: null, playing: true };
const frame = (now) => {
  if (snelkPage.marked !== null) snelkPage.frames.push(now - snelkPage.marked);
  snelkPage.marked = now;
  requestAnimationFrame(frame);
};
requestAnimationFrame(frame);
</script></body>"""


def long_night(folder: Path) -> snelk.Run:
    """The croft with three hens more, the fox at half its speed, at 30 Hz over 3 minutes."""
    for source in snelk.croft().iterdir():
        if source.suffix in (".toml", ".geojson", ".csv"):
            (folder / source.name).write_text(source.read_text())
    for name in ("fox.csv", "noises.csv"):
        table = pd.read_csv(folder / name)
        table["t"] *= 2.0
        table.to_csv(folder / name, index=False)
    hens = {
        f"cast.hen-{n}": {"team": "croft", "profile": "hen", "at": [36.0 + n, 25.0], "facing": 90.0}
        for n in (4, 5, 6)
    }
    hens = {key: {**hen, "spots": ["coop-door-east"]} for key, hen in hens.items()}
    clock = {"clock.dt": 1.0 / 30.0, "clock.end": 180.0}
    return snelk.run(folder / "night.toml", overrides={**hens, **clock})


def frames_of(driver: object, path: Path, seconds: float) -> list[float]:
    from browser import opened

    opened(driver, path)
    if path.name != "empty.html":
        driver.execute_script("snelkPage.t = 75; snelkPage.play();")  # type: ignore[attr-defined]
    time.sleep(seconds)
    frames: list[float] = driver.execute_script("return snelkPage.frames.slice(10)")  # type: ignore[attr-defined]
    return frames


def main() -> None:
    from browser import start_browser

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        run = long_night(folder)
        began = time.perf_counter()
        page = snelk.write_page(folder / "night.html", run)
        took = time.perf_counter() - began
        print(f"{len(run.names)} characters, {len(run.times)} ticks of {run.setup.clock.dt:.4f} s")
        print(f"page: {page.stat().st_size / 1e6:.1f} MB, written in {took:.1f} s")
        empty = folder / "empty.html"
        empty.write_text(EMPTY)
        driver = start_browser()
        try:
            for path, seconds in ((empty, 5.0), (page, 20.0), (empty, 5.0)):
                frames = frames_of(driver, path, seconds)
                print(
                    f"{path.name}: {len(frames)} frames, median {statistics.median(frames):.1f} ms,"
                    f" longest {max(frames):.1f} ms,"
                    f" over 33.4 ms: {sum(f > 33.4 for f in frames)}"
                )
                if path is page:
                    drawing: list[float] = driver.execute_script("return snelkPage.drawing")
                    print(
                        f"  the page's own work for a frame: median"
                        f" {statistics.median(drawing):.1f} ms, longest {max(drawing):.1f} ms"
                    )
        finally:
            driver.quit()


if __name__ == "__main__":
    main()
