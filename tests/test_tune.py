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
from queue import SimpleQueue
from typing import Any, NamedTuple
from urllib.request import urlopen

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
from snelk.page.glance import glances
from snelk.page.packing import DrawnPacker, Packer
from snelk.senses.sight import GATES
from snelk.serving.searching import Search
from snelk.tuning.here import Here
from snelk.tuning.workbench import Workbench

NIGHTS = [snelk.croft() / "night.toml", snelk.mill() / "night.toml"]
RANGE, NEAR = "profiles.goose.cones.wide.range", "profiles.hound.cones.near.range"


PLAYED = {
    "cast.fox.play": {"to": "hedge-gap", "sign": 0.2},
    "groups.keepers": {"members": ["dog", "farmer"], "apart": 0.5},
    "fairness.yard": {"target": "fox", "cell": 4.0},
}


@pytest.mark.parametrize(
    ("path", "overrides", "part"), [(NIGHTS[0], PLAYED, 0), (NIGHTS[1], {}, 1)]
)
def test_every_number_can_be_turned_within_its_slider(
    path: Path, overrides: dict[str, object], part: int
) -> None:
    bench = Workbench(path, overrides)
    scenario, found = bench.scenario, bench.numbers()
    if overrides:
        ends = {each.key: (each.least, each.most) for each in found}
        assert ends["fairness.yard.late"] == (0.0, 1.0)
        assert "groups.keepers.apart" in ends
    assert len({each.key for each in found}) == len(found) > 400
    refused = []
    for each in found:
        assert each.value == value_of(scenario.as_written, each.key), each
        assert each.least <= each.value <= each.most, each
        assert 0.0 < each.step <= each.most - each.least, each
    # Most numbers are those of several characters: of each night every eighth is tried.
    for each in found[part::8]:
        for value in (each.least, each.most):
            try:
                scenario.changed({each.key: int(value) if each.whole else value})
            except snelk.InputError:
                refused.append((each.key, value))
    # What depends on another number may be refused: so many cells of a search are too many.
    assert {key.rpartition(".")[2] for key, _ in refused} <= {"cell"}
    cone = next(each for each in found if each.key.endswith(".fov_whole"))
    assert (cone.unit, cone.high, cone.open_low) == ("deg", 360.0, True)
    assert "WHOLE angle" in cone.text


@pytest.mark.parametrize("path", NIGHTS)
def test_what_is_shown_at_once_is_what_the_tables_say(
    path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("snelk.engine.copies.FIRST", 16)  # so that tables of copies have to grow
    scenario, rnd = snelk.load(path), random.Random(3)
    numbers = [each for each in numbers_of(scenario.setup) if ".cones." in each.key]
    some = rnd.sample(numbers, 3)
    changes = {each.key: each.least + 0.4 * (each.most - each.least) for each in some}
    tried = scenario.changed(changes)
    whole = Packer()
    kept = kept_of(snelk.run(scenario), {})
    gathered = Gathered(snelk.run(tried), whole, "a")
    shots = [each["t"] for each in gathered.facts["likelihoods"]]
    until = next(iter(shots), 30.0)  # when something is there for a tick only
    half, glance = glances(tried, Packer, "a", kept, first_until=until)
    quick = glance.packer
    shown, told = (unpacked(b"".join(each._pieces), each.index) for each in (quick, whole))
    assert {"a.x", "a.0.result", "a.meter.value", "a.belief.source", "a.heard.t"} <= set(shown)
    ticks = half.facts["ticks"]
    assert (ticks, half.facts["end"]) == (round(until / 0.1) + 1, glance.facts["end"])
    first = unpacked(b"".join(half.packer._pieces), half.packer.index)
    for name in ("a.x", "a.meter.value", "a.belief.source"):  # so far it is the same
        assert (first[name] == shown[name][..., :ticks]).all()
    blocked = 0
    pairs = {
        "meter": "meters",
        "belief": "beliefs",
        "touch": "touch",
        "zone": "zone",
        "smell": "smell",
    }
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


def test_what_is_only_drawn_is_packed_whole() -> None:
    packer, most = DrawnPacker(), 2**30 - 1
    rows = {
        "bools": ([True, False, True], [1, 0, 1], "i1"), "few": ([-128, 5], [-128, 5], "i1"),
        "low": ([-3.2, 0.5], [-320, 50], "i2"), "high": ([[0.106], [400.0]], [[11], [40000]], "i4"),
        "none": ([np.nan, -2.0, np.inf, -np.inf], [0, -200, 0, 0], "i2"),
        "far": ([1e9, -1e9], [most, -most - 1], "i4"), "empty": ([], [], "i1"),
    }  # fmt: skip
    for name, (values, _, _) in rows.items():
        given = np.array(values, dtype=np.int8 if name == "few" else None)
        packer.add(name, given, parts=100)
    content = packer.content()
    for name, (_, kept, kind) in rows.items():
        at = packer.index[name]
        found = np.frombuffer(content, f"<{kind}", int(np.prod(at["shape"])), at["start"])
        assert (at["kind"], found.reshape(at["shape"]).tolist()) == (kind, kept), name
        assert at["start"] % 4 == 0


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
    """Half of the croft's night: a change of it is worked out in half of the time."""
    shutil.copytree(snelk.croft(), folder, ignore=shutil.ignore_patterns("*.py", "__pycache__"))
    scenario = folder / "night.toml"
    half = scenario.read_text().replace("\nend = 90.0", "\nend = 45.0")
    scenario.write_text(half.partition("[expect.dog-hears-the-gravel]")[0])
    return scenario


def beginning_in(folder: Path) -> Path:
    """A night of a few seconds, where nothing but a number matters."""
    shutil.copytree(snelk.croft().parent / "starter", folder)
    return folder / "scenario.toml"


class Bench(NamedTuple):
    scenario: Path
    address: str


@pytest.fixture(scope="module")
def bench(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Bench]:
    """A night of a few seconds that is tuned; for tests that write nothing."""
    scenario = beginning_in(tmp_path_factory.mktemp("bench") / "first")
    with tuning(scenario) as address:
        yield Bench(scenario, address)


def test_drags_end_in_the_night_that_a_run_with_these_numbers_is(
    browser: Any, tmp_path: Path, bench: Bench
) -> None:
    (scenario, address), rnd = bench, random.Random(8)
    hound = "profiles.hound"
    keys = [NEAR, f"{hound}.hearing.acuity", f"{hound}.meter.fill_time", "cast.hound.awake"]
    browser.get(f"{address}#t=4&agent=hound&target=child")
    until(
        browser,
        "document.body && document.body.dataset.ready && snelkPage.bench.socket.readyState === 1",
    )
    assert browser.execute_async_script(  # of a rehearsal nothing is shown
        "const [done] = arguments, { bench } = snelkPage, take = bench.takeNight.bind(bench);"
        "bench.takeNight = (night, numbers) => { take(night, numbers); bench.takeNight = take;"
        " done([night.n, bench.shown, bench.delays.length, snelkPage.run.partial === true]); };"
        "bench.rehearse();"
    ) == [0, 0, 0, False]
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
    moments = [(rnd.choice(names[0]), rnd.choice(names[1]), rnd.uniform(0, 12)) for _ in range(200)]
    asked = [each for each in moments if each[0] != each[1]], 2.0, 11.0
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
    scenario = beginning_in(tmp_path / "first")
    kinds = scenario.with_name("creatures.toml")
    before = kinds.read_text()
    with tuning(scenario) as address:
        browser.get(address)
        until(
            browser,
            "document.body && document.body.dataset.ready && snelkPage.bench.socket.readyState === 1",
        )
        browser.execute_script("snelkPage.bench.become(arguments[0])", {NEAR: 6.0})
        until(browser, "document.body.dataset.tried === '1'")
        news = browser.execute_script("return document.getElementById('tune-news').innerText")
        assert "first difference at" in news
        assert "2 of 2 expectations are met" in news
        browser.execute_script("snelkPage.bench.turn(arguments[0], -1, true)", NEAR)
        status = browser.execute_script("return document.getElementById('tune-status').textContent")
        assert f"{NEAR} must be above 0" in status
        # An editor has changed the file meanwhile: it is said, and nothing is written over it.
        kinds.write_text(before.replace("fov_whole = 120", "fov_whole = 110", 1))
        until(browser, "!document.getElementById('tune-outdated').hidden")
        browser.execute_script(
            "snelkPage.bench.say({type: 'write', changes: arguments[0]})", {NEAR: 6.0}
        )
        until(
            browser,
            "document.getElementById('tune-status').textContent.includes('was changed by another program')",
        )
        assert kinds.read_text() == before.replace("fov_whole = 120", "fov_whole = 110", 1)
        browser.execute_script(
            "document.body.dataset.old = 1; document.getElementById('tune-take').click()"
        )
        until(
            browser,
            "document.body && document.body.dataset.ready && !document.body.dataset.old && snelkPage.bench.socket.readyState === 1",
        )
        browser.execute_script("snelkPage.bench.become(arguments[0])", {NEAR: 6.0})
        browser.execute_script("document.getElementById('tune-write').click()")
        until(browser, "document.getElementById('tune-diff').open")
        shown = browser.execute_script("return document.getElementById('tune-lines').innerText")
        assert "-range = 7.0" in shown
        assert "+range = 6.0" in shown
        browser.execute_script(
            "document.body.dataset.old = 1; document.getElementById('tune-do-write').click()"
        )
        until(browser, "document.body && document.body.dataset.ready && !document.body.dataset.old")
        value = "return snelkPage.bench.byKey.get(arguments[0]).value"
        assert browser.execute_script(value, NEAR) == 6.0
        assert browser.execute_script("return snelkPage.bench.changes") == {}
        # Somebody else writes: what is tried here stays.
        until(browser, "snelkPage.bench.socket.readyState === 1")
        browser.execute_script(
            "document.body.dataset.old = 1; snelkPage.bench.become({'cast.hound.awake': 0.123456789})"
        )
        with connect(address.replace("http", "ws").replace("?", "feed?"), max_size=None) as other:
            other.send(json.dumps({"type": "write", "changes": {"light": 0.3}}))
            assert json.loads(other.recv(timeout=20))["type"] == "written"
        until(browser, "document.body && document.body.dataset.ready && !document.body.dataset.old")
        assert browser.execute_script(value, "light") == 0.3
        until(browser, "'cast.hound.awake' in snelkPage.bench.changes")
        kept = browser.execute_script("return snelkPage.bench.changes")
        assert kept == {"cast.hound.awake": 0.123456789}
    after = kinds.read_text()
    lines = zip(
        before.replace("fov_whole = 120", "fov_whole = 110", 1).split("\n"),
        after.split("\n"),
        strict=True,
    )
    assert [(a.split("#")[0].strip(), b.split("#")[0].strip()) for a, b in lines if a != b] == [
        ("range = 7.0", "range = 6.0")
    ]
    assert tomllib.loads(after)["profiles"]["hound"]["cones"]["near"]["range"] == 6.0


def at_place(browser: Any, x: float, y: float) -> list[float]:
    """Where a place of the map is in the window, px."""
    found: list[float] = browser.execute_script(
        "const m = snelkPage.maps[0], b = m.canvas.getBoundingClientRect();"
        "return [b.x + m.px(arguments[0]), b.y + m.py(arguments[1])]", x, y,
    )  # fmt: skip
    return found


def mouse(browser: Any, kind: str, x: float, y: float) -> None:
    button = "none" if kind == "mouseMoved" else "left"
    browser.execute_cdp_cmd("Input.dispatchMouseEvent", {
        "type": kind, "x": x, "y": y, "button": button, "clickCount": 1,
        "buttons": 0 if kind == "mouseReleased" else 1,
    })  # fmt: skip


def drag(browser: Any, start: list[float], end: list[float]) -> None:
    for kind, x, y in (("mousePressed", *start), ("mouseMoved", *end), ("mouseReleased", *end)):
        mouse(browser, kind, x, y)


def test_what_if_here_and_all_that_can_be_changed_by_hand(browser: Any, bench: Bench) -> None:
    scenario, address = bench
    changes = "return snelkPage.bench.changes"
    browser.get(f"{address}#t=3&agent=hound&target=child")
    until(
        browser,
        "document.body && document.body.dataset.ready && snelkPage.bench.socket.readyState === 1",
    )
    # The pointer asks who would sense a child there; the answer is the library's.
    browser.execute_script("snelkPage.bench.whatif.become('stand-in')")
    # Also after the window has got another size.
    size = {"width": 1280, "height": 780, "deviceScaleFactor": 1, "mobile": False}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    for x in (5.5, 6.5, 7.5):  # as a hand does, until the map lies still
        mouse(browser, "mouseMoved", *at_place(browser, x, 3.6))
        time.sleep(0.3)
    at = "snelkPage.bench.whatif.told && Math.abs(snelkPage.bench.whatif.told.place[0] - 7.5) < 0.1"
    until(browser, f"{at} && snelkPage.bench.whatif.shades.length > 2")
    told = browser.execute_script("return snelkPage.bench.whatif.told")
    here = Here(snelk.load(scenario))
    found = here.at("child", 3.0, tuple(told["place"]), stance="crouched")
    shown = [(each["agent"], each["gate"], each["after"]) for each in told["noticing"]]
    assert shown == [(each.agent, each.gate, each.after) for each in found]
    words = browser.execute_script("return document.getElementById('readout').innerText")
    assert "child, crouched, at (7.5, 3.6) m from 3.0 s on" in words
    assert "hound\tyes (near)\t100%" in words
    first = browser.execute_script("return snelkPage.bench.whatif.shades[0]")
    places = np.column_stack([first["x"], first["y"], np.zeros(len(first["x"]))])
    shade = here.shade("child", 3.0, places, stance="crouched")
    assert first["exposure"] == shade.exposure.round(3).tolist()
    # A noise is dropped, a corner is dragged; each is one step that is undone.
    browser.execute_script("snelkPage.bench.whatif.become('noise')")
    drag(browser, *[at_place(browser, 3.0, 8.0)] * 2)
    noise = browser.execute_script(changes)["+noise"][0]
    assert noise["at"] == pytest.approx([3.0, 8.0], abs=0.1)
    assert noise["t"] == 3.0
    heard = "document.querySelector('#tune-rows p.quiet').textContent"
    until(browser, f"{heard}.includes('heard') || {heard}.includes('nobody')")
    # Whatever a hand is at stays when it is told anew who heard it.
    assert browser.execute_async_script(
        "const [done] = arguments, { bench } = snelkPage, { trials } = bench;"
        "const input = document.querySelector('#tune-rows input'), told = trials.told.bind(trials);"
        "trials.told = (...each) => { trials.told = told; told(...each);"
        " setTimeout(() => done(input.isConnected && document.querySelectorAll('#tune-rows p.quiet').length === 1)); };"
        "bench.rest();"
    )
    browser.execute_script("snelkPage.bench.whatif.become('move')")
    key = "level.wall.hedge.0"
    x, y = browser.execute_script("return snelkPage.bench.today.get(arguments[0])", key)
    drag(browser, at_place(browser, x, y), at_place(browser, x + 1.5, y))
    assert browser.execute_script(changes)[key] == pytest.approx([x + 1.5, y], abs=0.1)
    browser.execute_script("snelkPage.bench.step(-1)")
    assert set(browser.execute_script(changes)) == {"+noise"}
    browser.execute_script("snelkPage.bench.step(1); snelkPage.choose({agent: 'hound'})")
    # A curve is dragged by its point, a condition edited; what is wrong with it is said there.
    curve = "profiles.hound.meter.distance"
    dot = browser.execute_script(
        "const row = document.querySelector(`.curve[data-key='${arguments[0]}']`);"
        "row.scrollIntoView(); const b = row.querySelector('[data-n=\"1\"]').getBoundingClientRect();"
        "return [b.x + b.width / 2, b.y + b.height / 2]", curve,
    )  # fmt: skip
    drag(browser, dot, [dot[0], dot[1] - 20])
    dragged = browser.execute_script(changes)[curve]
    assert dragged[0] == [0.3, 1.0]
    assert dragged[1][1] > 0.45
    when = "profiles.hound.ladder.transitions"
    text = (
        "const row = document.querySelector(`.condition[data-key^='${arguments[0]}']`),"
        " area = row.querySelector('textarea'); area.value = arguments[1];"
        "area.dispatchEvent(new Event('input')); return row.dataset.key"
    )
    # What is typed stays where it is, also if a night arrives meanwhile and all is drawn anew.
    again = "area.focus(); area.setSelectionRange(2, 3); snelkPage.bench.rows.draw(); return"
    browser.execute_script(text.replace("return", again), when, "metre > 0.4")
    until(browser, "document.querySelector('.condition.wrong')")
    area = "const at = document.activeElement; return [at.value, at.selectionStart, at.isConnected]"
    assert browser.execute_script(area) == ["metre > 0.4", 2, True]
    said = browser.execute_script("return document.querySelector('.condition.wrong').innerText")
    assert 'did you mean "meter"' in said
    condition = browser.execute_script(text, when, "meter > 0.4")
    until(browser, "!document.querySelector('.condition.wrong')")
    browser.execute_script("snelkPage.bench.keep()")
    # What is tried is kept as a trial, and another is held against it.
    last = browser.execute_script("return snelkPage.bench.asked")
    until(browser, f"document.body.dataset.tried === '{last}'")
    browser.execute_script("snelkPage.bench.trials.keep('nosy hound')")
    browser.execute_script("snelkPage.bench.become({}); snelkPage.go(0.5)")
    until(browser, "snelkPage.bench.trials.list[0].met !== undefined")
    # The smallest changes are buttons: one turns the answer.
    last = browser.execute_script("return snelkPage.bench.asked")
    until(browser, f"document.body.dataset.tried === '{last}'")
    until(browser, "document.querySelector('.offers button')")
    browser.execute_script("document.querySelector('.offers button').click()")
    offered = browser.execute_script(changes)
    assert offered
    # A search goes on by itself, is stopped, and is begun anew.
    search = (
        "const f = snelkPage.bench.finder; f.lines.value = arguments[0];"
        "f.measure.value = 'hound.child.first_full'; f.toward.value = '4'; f.begin(arguments[1])"
    )
    browser.execute_script("snelkPage.bench.become({})")
    browser.execute_script(search, "profiles.hound.meter.fill_time = [0.5, 4]", "fit")
    until(browser, "snelkPage.bench.finder.bar.value > 0")
    browser.execute_script("snelkPage.bench.finder.stop()")
    browser.execute_script(search, "profiles.hound.meter.fill_time = [1.0, 3.0, 2.0]", "sweep")
    until(browser, "document.querySelectorAll('#find-found button').length === 3")
    browser.execute_script("document.querySelectorAll('#find-found button')[1].click()")
    assert browser.execute_script(changes) == {"profiles.hound.meter.fill_time": 3.0}
    browser.execute_script(
        "window.open = () => null; snelkPage.bench.openBoth(snelkPage.bench.trials.list[0].changes)"
    )
    until(browser, "snelkPage.bench.both")
    with urlopen(browser.execute_script("return snelkPage.bench.both").split("#")[0]) as page:
        assert b"canvas-b" in page.read()
    browser.execute_script("snelkPage.bench.trials.draw(); snelkPage.bench.step(-1)")
    trial = browser.execute_script("return snelkPage.bench.trials.list[0].changes")
    # A door opens at a click; a second one at the same moment takes that back.
    clicks = browser.execute_script(
        "const { bench } = snelkPage, said = [], door = { name: 'x', lines: [[5, 5, 8, 5]], open: [],"
        " pieces: [], triangles: [] };"
        "snelkPage.run.doors = [door]; bench.whatif.become('move');"
        "bench.set = (key, value) => { said.push(value.map((each) => each.to)); bench.changes = { [key]: value }; };"
        "for (let n = 0; n < 2; n++) bench.whatif.pressed([6.5, 5]); return said"
    )
    assert clicks == [["open"], []]
    assert trial.keys() == {"+noise", key, curve, condition}


def test_a_search_that_nobody_waits_for_ends_in_order(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("LOKY_MAX_CPU_COUNT", "2")
    bench = Workbench(beginning_in(tmp_path / "first"))
    moved = {"profiles.hound.meter.fill_time": [0.5 + 0.1 * n for n in range(24)]}
    asked = {"what": "sweep", "changes": {"clock.end": 60_000.0}, "move": moved}
    told: SimpleQueue[dict[str, Any]] = SimpleQueue()
    search = Search(str(bench.path), bench.overrides, bench.stamps, asked, told.put)
    time.sleep(1.5)  # in the midst of work that takes much longer than a stopped search may
    search.stop()
    assert search.wait() == 0  # not by force, which leaves what is shared between processes behind
    assert not search.runs
    assert told.empty()
    # The same when nobody reads what it says any more, and on one processor, where it works itself.
    words = [sys.executable, "-m", "snelk.serving.searching"]
    for end, reads, cores in ((12.0, False, "2"), (3000.0, True, "1")):
        asked["changes"] = {"clock.end": end}
        what = {"path": str(bench.path), "overrides": {}, "stamps": bench.stamps, "asked": asked}
        with subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
            env={**os.environ, "LOKY_MAX_CPU_COUNT": cores},
        ) as process:  # fmt: skip
            assert process.stdin is not None
            assert process.stdout is not None
            assert process.stderr is not None
            print(json.dumps(what), file=process.stdin, flush=True)
            assert json.loads(process.stdout.readline())["type"] == "progress"
            (process.stdin if reads else process.stdout).close()
            assert (process.wait(60), process.stderr.read()) == (0, "")
            assert not reads or "swept" not in process.stdout.read()


def test_strangers_and_nonsense_are_turned_away(bench: Bench) -> None:
    address = bench.address
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
                '{"type": "try", "n": 4, "changes": {"profiles.hond.x": 3}}',
                'did you mean "hound"',
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
        page.send(json.dumps({"type": "try", "n": 0}))  # a rehearsal, of which no more is told
        part = page.recv(timeout=30)
        assert b'"type":"glance"' in part[: 4 + int.from_bytes(part[:4], "little")]
        with pytest.raises(TimeoutError):
            page.recv(timeout=1.0)


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
    assert trial.comparison.first_differences
    assert {each.name for each in trial.verdicts} == set(workbench.scenario.setup.expect)
