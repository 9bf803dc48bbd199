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


def start_browser(width: int = 1280, height: int = 800) -> Any:
    """A browser with an empty profile and a page of that many pixels.

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
    size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    return driver


def opened(driver: Any, page: Path, moment: str = "") -> None:
    """Open a page from disk and wait until it has drawn itself."""
    from selenium.common.exceptions import WebDriverException

    for url, ready in (
        ("about:blank", "return location.href === 'about:blank'"),
        (page.as_uri() + moment, "return document.body && document.body.dataset.ready"),
    ):
        driver.get(url)
        until = time.monotonic() + 60
        while True:
            with contextlib.suppress(WebDriverException):  # one page is just going for the other
                if driver.execute_script(ready):
                    break
            assert time.monotonic() < until, f"{url} was not ready within 60 s"
            time.sleep(0.05)
