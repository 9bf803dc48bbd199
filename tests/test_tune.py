"""`snelk tune`: what a page shows while numbers are turned is what a run with them shows."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import time
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from browser import opened, unpacked
from test_watching import ANSWERS, flat
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

import snelk
from snelk.config.numbers import numbers_of
from snelk.config.scenario import value_of
from snelk.page.gathering import Gathered, kept_of
from snelk.page.glance import Glance
from snelk.page.packing import Packer
from snelk.senses.sight import GATES
from snelk.tuning.workbench import Workbench

NIGHTS = [snelk.croft() / "night.toml", snelk.mill() / "night.toml"]
RANGE = "profiles.goose.cones.wide.range"


@pytest.mark.parametrize("path", NIGHTS)
def test_every_number_can_be_turned_within_its_slider(path: Path) -> None:
    scenario = snelk.load(path)
    found = numbers_of(scenario.setup)
    assert len({each.key for each in found}) == len(found) > 400
    refused = []
    for each in found:
        assert each.value == value_of(scenario.setup, each.key), each
        assert each.least <= each.value <= each.most, each
        assert 0.0 < each.step <= each.most - each.least, each
        for value in (each.value, each.least, each.most):
            try:
                scenario.changed({each.key: int(value) if each.whole else value})
            except snelk.InputError:
                refused.append((each.key, value))
    # What depends on another number may be refused: so many cells of a search are too many.
    assert [key.rpartition(".")[2] for key, _ in refused] in ([], ["cell"])
    cone = next(each for each in found if each.key.endswith(".fov_whole"))
    assert (cone.unit, cone.high, cone.open_low) == ("deg", 360.0, True)
    assert "WHOLE angle" in cone.text


@pytest.mark.parametrize("path", NIGHTS)
def test_what_is_shown_at_once_is_what_the_tables_say(path: Path) -> None:
    scenario, rnd = snelk.load(path), random.Random(3)
    numbers = [each for each in numbers_of(scenario.setup) if ".cones." in each.key]
    some = rnd.sample(numbers, 3)
    changes = {each.key: each.least + 0.4 * (each.most - each.least) for each in some}
    tried = scenario.changed(changes)
    quick, whole = Packer(), Packer()
    glance = Glance(tried, quick, "a", kept_of(snelk.run(scenario), {}))
    gathered = Gathered(snelk.run(tried), whole, "a")
    shown, told = (unpacked(b"".join(each._pieces), each.index) for each in (quick, whole))
    assert {"a.x", "a.0.result", "a.meter.value", "a.belief.source", "a.heard.t"} <= set(shown)
    blocked = 0
    pairs = {"meter": "meters", "belief": "beliefs", "touch": "touch", "zone": "zone"}
    for name, values in shown.items():
        fact = pairs.get(name.split(".")[1])
        if re.fullmatch(r"a\.\d+\.wall.*", name):  # asked for only where nothing else decides
            result = told[f"a.{name.split('.')[1]}.result"]
            decides = (result.max(axis=1) == GATES.index("line_of_sight")) & (result >= 0).all(
                axis=1
            )
            ours, theirs = (np.moveaxis(each, -1, 1)[decides] for each in (values, told[name]))
            assert (ours == theirs).all(), name
            blocked += int(decides.sum())
        elif fact is None:
            assert values.tolist() == told[name].tolist(), name
        if fact is None:
            continue
        of, ours = ([tuple(pair) for pair in each.facts[fact]] for each in (gathered, glance))
        both = [pair for pair in of if pair in ours]
        mine = values[[ours.index(pair) for pair in both]]
        theirs = told[name][[of.index(pair) for pair in both]]
        if name.endswith(".result"):  # who never notices somebody never feels it
            rest = [n for n, pair in enumerate(of) if pair not in ours]
            assert not (told[name][rest] == -1).any(), name
        elif fact == "beliefs" and not name.endswith("source"):  # where there is none it is nothing
            known = told["a.belief.source"] >= 0
            mine, theirs = mine[known], theirs[known]
        assert len(both) > 0
        assert (mine == theirs).all(), name
    assert blocked > 100
    same = ("doors", "profiles", "bodies", "lamps", "kept", "likelihoods")
    for key in same:
        assert json.dumps(glance.facts[key]) == json.dumps(gathered.facts[key]), key
    for agent, ladder in gathered.facts["ladders"].items():
        entered = [(each["t"], each["state"]) for each in ladder["entered"]]
        end = gathered.facts["end"]  # what is entered then never holds
        shown_of = glance.facts["ladders"][agent]["entered"]
        assert [(each["t"], each["state"]) for each in shown_of] == [
            each for each in entered if each[0] < end
        ]
    searches = [[each | {"t": 0} for each in of.facts["searches"]] for of in (glance, gathered)]
    assert str(searches[0]).replace("None", "nan") == str(searches[1])


@contextmanager
def tuning(scenario: Path) -> Iterator[str]:
    """The address of a workbench that another process serves until somebody presses Ctrl-C."""
    ask = [sys.executable, "-m", "snelk", "tune", str(scenario), "--port", "0"]
    with subprocess.Popen(
        ask, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, start_new_session=True
    ) as process:
        assert process.stdout is not None
        said = process.stdout.readline() + process.stdout.readline()
        try:
            yield re.findall(r"http://\S+", said)[0]
        finally:
            os.killpg(process.pid, signal.SIGINT)
        _, complained = process.communicate(timeout=30)
        assert (process.returncode, complained) == (0, "")


def until(browser: Any, script: str) -> Any:
    end = time.monotonic() + 60
    while not (found := browser.execute_script(f"return {script}")):
        assert time.monotonic() < end, script
        time.sleep(0.05)
    return found


def croft_in(folder: Path) -> Path:
    shutil.copytree(snelk.croft(), folder, ignore=shutil.ignore_patterns("*.py", "__pycache__"))
    return folder / "night.toml"


def test_drags_end_in_the_night_that_a_run_with_these_numbers_is(
    browser: Any, tmp_path: Path
) -> None:
    scenario, rnd = croft_in(tmp_path / "croft"), random.Random(8)
    keys = [RANGE, "profiles.dog.hearing.acuity", "profiles.hen.meter.fill_time", "cast.dog.awake"]
    with tuning(scenario) as address:
        browser.get(f"{address}#t=40&agent=gander&target=fox")
        until(
            browser,
            "document.body && document.body.dataset.ready && snelkPage.bench.socket.readyState === 1",
        )
        for n in range(16):
            browser.execute_script(
                "const [key, share, last] = arguments, number = snelkPage.bench.byKey.get(key);"
                "snelkPage.bench.turn(key, number.least + share * (number.most - number.least), last)",
                rnd.choice(keys), rnd.random(), n % 8 == 7,
            )  # fmt: skip
            time.sleep(rnd.choice([0.0, 0.02, 0.2]))
        last = browser.execute_script("return snelkPage.bench.asked")
        until(browser, f"document.body.dataset.tried === '{last}'")
        changes = browser.execute_script("return snelkPage.bench.changes")
        assert browser.execute_script("return snelkPage.bench.history.length") == 3
        names = browser.execute_script("return [snelkPage.run.agentNames, snelkPage.run.names]")
        moments = [
            (rnd.choice(names[0]), rnd.choice(names[1]), rnd.uniform(0, 90)) for _ in range(200)
        ]
        asked = [each for each in moments if each[0] != each[1]], 20.0, 70.0
        script = ANSWERS.replace(
            "snelkPage.lanes.show",
            "snelkPage.bench.against = snelkPage.bench.changes; snelkPage.lanes.show",
        )
        shown = json.loads(browser.execute_script(script, *asked))
        # Back to the numbers of the files, step by step, and there again.
        for by, place in ((-1, 0), (1, 2)):
            for _ in range(2):
                browser.execute_script(
                    "snelkPage.bench.base = snelkPage.bench.base || snelkPage.run; snelkPage.bench.step(arguments[0])",
                    by,
                )
            assert browser.execute_script("return snelkPage.bench.place") == place
        assert browser.execute_script("return snelkPage.bench.changes") == changes
        link = browser.current_url
        browser.get("about:blank")
        until(browser, "location.href === 'about:blank'")
        browser.get(link)  # holds all that is tried
        until(browser, "window.snelkPage && snelkPage.bench && snelkPage.bench.asked === 1")
        found = browser.execute_script("return snelkPage.bench.changes")
        assert found == pytest.approx(changes, rel=1e-5)
    run = snelk.run(scenario, overrides=changes)
    opened(browser, snelk.write_page(tmp_path / "page.html", run))
    told = json.loads(browser.execute_script(ANSWERS, *asked))
    for one, other, moment in zip(shown["told"], told["told"], asked[0], strict=True):
        assert flat(one) == flat(other), moment
    for name, columns in told["lanes"].items():
        assert shown["lanes"][name] == columns, name
    assert [(e["t_b"], e["text"]) for e in shown["events"] if e["status"] in ("same", "only b")]


def test_numbers_are_written_when_one_says_so_and_nothing_is_lost(
    browser: Any, tmp_path: Path
) -> None:
    scenario = croft_in(tmp_path / "croft")
    kinds = scenario.with_name("creatures.toml")
    before = kinds.read_text()
    with tuning(scenario) as address:
        browser.get(address)
        until(
            browser,
            "document.body && document.body.dataset.ready && snelkPage.bench.socket.readyState === 1",
        )
        browser.execute_script("snelkPage.bench.become(arguments[0])", {RANGE: 7.0})
        until(browser, "document.body.dataset.tried === '1'")
        news = browser.execute_script("return document.getElementById('tune-news').innerText")
        assert "first otherwise at" in news
        assert "13 of 13 expectations are met" in news
        browser.execute_script("snelkPage.bench.turn(arguments[0], -1, true)", RANGE)
        status = browser.execute_script("return document.getElementById('tune-status').textContent")
        assert f"{RANGE} must be above 0" in status
        # An editor has changed the file meanwhile: it is said, and nothing is written over it.
        kinds.write_text(before.replace("fov_whole = 260", "fov_whole = 250", 1))
        until(browser, "!document.getElementById('tune-outdated').hidden")
        browser.execute_script(
            "snelkPage.bench.say({type: 'write', changes: arguments[0]})", {RANGE: 7.0}
        )
        until(
            browser,
            "document.getElementById('tune-status').textContent.includes('was changed meanwhile')",
        )
        assert kinds.read_text() == before.replace("fov_whole = 260", "fov_whole = 250", 1)
        browser.execute_script(
            "document.body.dataset.old = 1; document.getElementById('tune-take').click()"
        )
        until(
            browser,
            "document.body && document.body.dataset.ready && !document.body.dataset.old && snelkPage.bench.socket.readyState === 1",
        )
        browser.execute_script("snelkPage.bench.become(arguments[0])", {RANGE: 7.0})
        browser.execute_script("document.getElementById('tune-write').click()")
        until(browser, "document.getElementById('tune-diff').open")
        shown = browser.execute_script("return document.getElementById('tune-lines').innerText")
        assert "-range = 8.0" in shown
        assert "+range = 7.0" in shown
        browser.execute_script(
            "document.body.dataset.old = 1; document.getElementById('tune-do-write').click()"
        )
        until(browser, "document.body && document.body.dataset.ready && !document.body.dataset.old")
        value = "return snelkPage.bench.byKey.get(arguments[0]).value"
        assert browser.execute_script(value, RANGE) == 7.0
        assert browser.execute_script("return snelkPage.bench.changes") == {}
        # Somebody else writes: what is tried here stays.
        until(browser, "snelkPage.bench.socket.readyState === 1")
        browser.execute_script(
            "document.body.dataset.old = 1; snelkPage.bench.become({'cast.dog.awake': 0.123456789})"
        )
        with connect(address.replace("http", "ws").replace("?", "feed?"), max_size=None) as other:
            other.send(json.dumps({"type": "write", "changes": {"light": 0.3}}))
            assert json.loads(other.recv(timeout=20))["type"] == "written"
        until(browser, "document.body && document.body.dataset.ready && !document.body.dataset.old")
        assert browser.execute_script(value, "light") == 0.3
        until(browser, "'cast.dog.awake' in snelkPage.bench.changes")
        kept = browser.execute_script("return snelkPage.bench.changes")
        assert kept == {"cast.dog.awake": 0.123456789}
    after = kinds.read_text()
    lines = zip(
        before.replace("fov_whole = 260", "fov_whole = 250", 1).split("\n"),
        after.split("\n"),
        strict=True,
    )
    assert [(a.split("#")[0].strip(), b.split("#")[0].strip()) for a, b in lines if a != b] == [
        ("range = 8.0", "range = 7.0")
    ]
    assert tomllib.loads(after)["profiles"]["goose"]["cones"]["wide"]["range"] == 7.0


def test_strangers_and_nonsense_are_turned_away(tmp_path: Path) -> None:
    with tuning(croft_in(tmp_path / "croft")) as address:
        place, token = address.split("?token=")
        feed = f"{place.replace('http', 'ws')}feed?token={token}"
        for wrong, origin in ((feed, "http://elsewhere.example"), (feed + "x", None)):
            with pytest.raises(InvalidStatus, match="403"):
                connect(wrong, origin=origin)
        with connect(feed, origin=place.strip("/"), max_size=None) as page:
            for message, said in (
                ("no JSON", "no such message"),
                ('{"type": "erase"}', "no such message"),
                ('{"type": "try", "changes": {"light": "much"}}', "light: must be a number"),
                ('{"type": "try", "changes": {"light": {}}}', "no such message"),
                ('{"type": "try", "changes": {"light": NaN}}', "no such message"),
                ('{"type": "try", "changes": {"level": 3}}', "level"),
                (
                    '{"type": "try", "n": 4, "changes": {"profiles.gose.x": 3}}',
                    'did you mean "goose"',
                ),
                ('{"type": "write", "changes": {"light": 7}}', "light"),
            ):
                page.send(message)
                reply = json.loads(page.recv(timeout=20))
                assert (reply["type"], said in reply["text"]) == ("error", True), reply
            page.send(json.dumps({"type": "try", "n": 9, "changes": {"light": 0.3}}))
            parts = [page.recv(timeout=30) for _ in range(2)]
            lengths = [4 + int.from_bytes(part[:4], "little") for part in parts]
            first, second = (json.loads(part[4:n]) for part, n in zip(parts, lengths, strict=True))
            assert (first["type"], second["type"], second["n"]) == ("glance", "whole", 9)


def test_a_workbench_keeps_what_it_had_when_a_file_is_broken(tmp_path: Path) -> None:
    scenario = croft_in(tmp_path / "croft")
    workbench = Workbench(scenario)
    today = workbench.today
    kinds = scenario.with_name("creatures.toml")
    kinds.write_text(kinds.read_text() + "\n[profiles.goose")
    assert workbench.is_outdated
    with pytest.raises(snelk.InputError, match="not valid TOML"):
        workbench.take_in()
    assert workbench.today is today
    trial = workbench.whole({RANGE: 6.0})
    assert trial.comparison.partings
    assert {each.name for each in trial.verdicts} == set(workbench.scenario.setup.expect)
