"""Settings that all tests share."""

from __future__ import annotations

import gc
import os
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

import snelk
from snelk.runs.run import run as replay
from snelk.waiting import seldom_look_for_garbage

# Tests keep all processors busy by themselves: work is spread over several processes only where
# this is what is tested, and a test says so.
os.environ.setdefault("LOKY_MAX_CPU_COUNT", "1")

LOOPS = {path.with_suffix(".py") for path in (Path(__file__).parent / "src").rglob("*.pxd")}


def pytest_ignore_collect(collection_path: Path) -> bool | None:
    """Examples in docstrings are taken from sources; of a compiled loop the module is another."""
    return collection_path in LOOPS or None


LONG = tuple(
    f"tests/test_{name}.py"
    for name in (
        "documents", "watching", "tune", "walks", "sneak", "cluster", "players", "serving", "page",
        "files", "games", "rays", "workbench", "plots", "cli", "house", "rules", "loops",
    )
)  # fmt: skip
"""Files that take long: they begin first, so that no worker ends long after the others."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put the files that take long first; within a file nothing is moved.

    Of tests that are repeated interpreted, which takes long, only every so many are run.
    """
    items[:] = items[:: int(os.environ.get("SNELK_EVERY", "1"))]
    order = {name: n for n, name in enumerate(LONG)}
    items.sort(key=lambda item: order.get(item.nodeid.split("::")[0], len(order)))


def pytest_collection_finish() -> None:
    """What has been imported by now stays: nobody has to look through it for what is left over."""
    gc.collect()
    gc.freeze()
    seldom_look_for_garbage()


# The same cases every time, so that a test does not fail for one and pass for another; new ones
# are tried with SNELK_NEW_CASES=1.
settings.register_profile("same", derandomize=True, deadline=None)
settings.register_profile("new", derandomize=False, deadline=None)
settings.load_profile("new" if os.environ.get("SNELK_NEW_CASES") else "same")


@pytest.fixture(scope="session")
def night() -> snelk.Run:
    """The night at the croft, replayed once for all tests that only ask it."""
    return replay(snelk.croft() / "night.toml")


@pytest.fixture(scope="session")
def demos(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with both demonstrations, as `snelk demo` leaves them, and what it printed.

    As each takes seconds, they are made once for all workers: copy what is to be changed.
    """
    from test_cli import command

    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "demos"
    try:
        folder.mkdir()
    except FileExistsError:  # another worker makes them
        until = time.monotonic() + 120
        while not (folder / "made").exists():
            assert time.monotonic() < until
            time.sleep(0.1)
        return folder
    for name in ("croft", "mill"):
        said = command("demo", name, cwd=folder, process=name == "croft")
        (folder / f"{name}.txt").write_text(said, encoding="utf-8")
    (folder / "made").touch()
    return folder


@pytest.fixture(scope="session")
def _browser() -> Iterator[Any]:
    from browser import start_browser

    driver = start_browser()
    yield driver
    driver.quit()


@pytest.fixture
def browser(_browser: Any) -> Iterator[Any]:
    """A browser that shows nothing yet, with a page of 1280 x 800 pixels."""
    from browser import emptied

    emptied(_browser)
    yield _browser
    emptied(_browser)  # what is not looked at any more does not go on


def pytest_xdist_auto_num_workers() -> int:
    """One more than there are processors, as tests wait for browsers and other processes."""
    return (os.cpu_count() or 1) + 1


@pytest.fixture(autouse=True)
def _same_night(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Examples in docstrings that replay the night as it is are given that one."""
    if not isinstance(request.node, pytest.DoctestItem):
        return

    def run(scenario: Any, **how: Any) -> snelk.Run:
        if how or scenario != snelk.croft() / "night.toml":
            return replay(scenario, **how)
        found: snelk.Run = request.getfixturevalue("night")
        return found

    monkeypatch.setattr(snelk, "run", run)
