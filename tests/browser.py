"""A real browser for the tests of pages: headless Chromium, driven by Selenium."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest

FLAGS = (
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
)


def unpacked(raw: bytes, index: dict[str, Any]) -> dict[str, np.ndarray]:
    """What a page makes of packed numbers, see packing.py: whole parts, by name."""
    found = {}
    for name, kept in index.items():
        size = int(np.prod(kept["shape"]))
        planes = np.frombuffer(raw, np.uint8, kept["planes"] * size, kept["start"])
        planes = planes.reshape(kept["planes"], size).astype(np.int64)
        codes = sum(plane << (8 * n) for n, plane in enumerate(planes))
        steps = np.where(codes % 2, -(codes + 1) // 2, codes // 2).reshape(kept["shape"])
        found[name] = np.cumsum(steps, axis=-1)
    return found


def missing() -> str:
    """Why there is no browser to test with; empty if there is one."""
    for program in ("chromium", "chromedriver"):
        if shutil.which(program) is None:
            return f"no {program} on this machine; Debian has it in chromium and chromium-driver"
    return ""


def start_browser() -> Any:
    """A browser with an empty profile, and an empty page.

    Where SNELK_NEEDS_BROWSER is set, as in CI, a machine without one fails and does not skip.
    """
    if missing():
        if os.environ.get("SNELK_NEEDS_BROWSER"):
            pytest.fail(missing())
        pytest.skip(missing())
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for flag in (*FLAGS, f"--user-data-dir={tempfile.mkdtemp()}"):
        options.add_argument(flag)
    options.page_load_strategy = "none"  # the driver at times misses that a page has loaded
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    emptied(driver)
    return driver


def emptied(driver: Any, width: int = 1280, height: int = 800) -> None:
    """Show an empty page of that many pixels."""
    size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    _gone_to(driver, "about:blank", "return location.href === 'about:blank'")


def opened(driver: Any, page: Path, moment: str = "") -> None:
    """Open a page from disk and wait until it has drawn itself."""
    _gone_to(driver, "about:blank", "return location.href === 'about:blank'")
    ready = "return document.body && document.body.dataset.ready"
    _gone_to(driver, page.as_uri() + moment, ready)


def _gone_to(driver: Any, url: str, ready: str) -> None:
    from selenium.common.exceptions import WebDriverException

    driver.get(url)
    until = time.monotonic() + 60
    while True:
        with contextlib.suppress(WebDriverException):  # one page is just going for the other
            if driver.execute_script(ready):
                return
        assert time.monotonic() < until, f"{url} was not ready within 60 s"
        time.sleep(0.05)
