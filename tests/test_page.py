"""The replay page, in a real browser: what it shows is what the library says."""

from __future__ import annotations

import base64
import json
import random
import re
import time
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from browser import emptied, opened, unpacked
from shapely.geometry import Polygon
from test_rules import Maker

import snelk
from snelk.page.packing import Packer
from snelk.runs.conditions import Part
from snelk.runs.moment import moment_of
from snelk.runs.senses import explain_declared
from snelk.senses.gates import SMELL, TOUCH, ZONE

KEEN = {"profiles.dog.hearing.acuity": 3.0}
MARKUP = "<img src=x onerror=document.title='taken'>"


@pytest.fixture(scope="module")
def written(night: snelk.Run, tmp_path_factory: pytest.TempPathFactory) -> Path:
    return snelk.write_page(tmp_path_factory.mktemp("page") / "night.html", night)


@pytest.fixture
def page(browser: Any, written: Path) -> Any:
    opened(browser, written)
    return browser


@pytest.fixture
def same_page(_browser: Any, written: Path) -> Any:
    """The same page for all tests in a row that only ask it."""
    if _browser.current_url != written.as_uri():
        emptied(_browser)
        opened(_browser, written)
    return _browser


def choose(page: Any, agent: str, target: str, t: float) -> None:
    page.execute_script(
        "snelkPage.choose({agent: arguments[0], target: arguments[1]}); snelkPage.go(arguments[2])",
        agent, target, t,
    )  # fmt: skip


def panel(page: Any) -> list[str]:
    return page.execute_script("return document.getElementById('answer').innerText").split("\n")


def test_it_asks_for_nothing_and_complains_of_nothing(browser: Any, written: Path) -> None:
    for kind in ("performance", "browser"):
        browser.get_log(kind)  # what was so far
    opened(browser, written)
    choose(browser, "dog", "fox", 50.0)
    sent = [json.loads(entry["message"])["message"] for entry in browser.get_log("performance")]
    asked = [
        m["params"]["request"]["url"] for m in sent
        if m["method"].endswith("WillBeSent")
        and not m["params"]["documentURL"].startswith("chrome://")  # a page of the browser's own
    ]  # fmt: skip
    assert written.as_uri() in asked
    assert [url for url in asked if not url.startswith((written.as_uri(), "data:", "about:"))] == []
    said = [
        entry for entry in browser.get_log("browser") if entry["level"] not in ("INFO", "DEBUG")
    ]
    assert said == []


def test_the_slider_moves_everybody_to_where_the_tables_say(
    same_page: Any, night: snelk.Run
) -> None:
    pictures = set()
    for t in (0.0, 24.4, 40.0, 63.3, 90.0):
        same_page.execute_script(
            "const s = document.getElementById('slider'); s.value = arguments[0];"
            "s.dispatchEvent(new Event('input'))", t,
        )  # fmt: skip
        shown = same_page.execute_script("return snelkPage.maps[0].poses")
        rows = night.poses[np.isclose(night.poses.t, t)]
        for pose, row in zip(shown, rows.itertuples(), strict=True):
            assert (pose is not None) == row.present
            if pose is not None:
                assert (pose["x"], pose["y"]) == pytest.approx((row.x, row.y), abs=6e-4)
                off = (pose["heading"] - row.heading_deg + 180.0) % 360.0 - 180.0
                assert off == pytest.approx(0.0, abs=6e-3)
        assert f"{t:.2f} /" in same_page.find_element("id", "time").text
        pictures.add(same_page.execute_script("return snelkPage.maps[0].canvas.toDataURL()"))
    assert len(pictures) == 5


def leaves(part: Part) -> list[tuple[str, str]]:
    return [
        ("✓" if leaf.true else "✗", f"{leaf.text}  ({leaf.found})" if leaf.found else leaf.text)
        for leaf in part.leaves()
    ]


def in_digits(gate: snelk.Gate) -> list[str]:
    """What the panel shows of a gate with numbers: value, limit, margin."""
    if gate.value is None or gate.limit is None or gate.margin is None or gate.name == "awake":
        return []
    if gate.name == "line_of_sight":
        return [f"{gate.value:.0%} in view", f"> {gate.limit:.0%}"]
    if gate.name == "light":
        return [f"{gate.value:.2f}", f"≥ {gate.limit:g}"]
    unit, digits = (" m", 2) if gate.unit == "m" else ("°", 1)
    word = "to spare" if gate.margin >= 0 else "too much"
    return [
        f"{gate.value:.{digits}f}{unit}",
        f"≤ {gate.limit:g}{unit}",
        f"{abs(gate.margin):.{digits}f}{unit} {word}",
    ]


def test_a_sense_that_is_only_declared_is_told_of_as_why_does(
    same_page: Any, night: snelk.Run
) -> None:
    ask = """
const run = snelkPage.runs[0], [sense, agent, target, t] = arguments;
return declaredAt(run, sense, run.agentNames.indexOf(agent), run.names.indexOf(target), t).headline;
"""
    told = set()
    for sense, agent in ((TOUCH, "goose-1"), (ZONE, "bell"), (SMELL, "dog")):
        for t in np.linspace(0.0, 90.0, 16).tolist():
            moment, tick = moment_of(night, agent, "fox", t), night.tick_at(t)
            answer = explain_declared(night, moment, sense, tick)
            assert same_page.execute_script(ask, sense.name, agent, "fox", t) == answer.headline
            told.add((sense.name, answer.result))
    assert len(told) >= 5


def hold_panel(page: Any, run: snelk.Run, moments: Sequence[tuple[str, str, float]]) -> int:
    """What the panel tells is what `why` tells; how many numbers that were."""
    asked = 0
    for agent, target, t in moments:
        choose(page, agent, target, float(t))
        answer = run.why(agent, target, at=float(t))
        text = [re.sub("[ \xa0]+", " ", line).strip() for line in panel(page)]
        rows = page.execute_script(
            "return [...document.querySelectorAll('#answer tr[data-gate]')].map(r =>"
            "[r.dataset.gate, ...[...r.children].map(c => c.innerText)])"
        )
        gates = [gate for cone in answer.cones for gate in cone.gates]
        assert len(rows) >= len(gates)
        for row, gate in zip(rows, gates, strict=False):  # those of the other senses follow
            assert row[0] == gate.name
            assert row[1][0] == {True: "✓", False: "✗", None: "–"}[gate.passed], (agent, target, t)
            for shown, wanted in zip(row[3:], in_digits(gate), strict=False):
                assert shown.startswith(wanted), (agent, target, t, gate)
                asked += 1
        assert text[0] == answer.headline
        if answer.meter is not None:
            assert answer.meter.text in text
            for name, value in answer.meter.factors.items():
                assert any(f"{name} {value:.2f}" in line for line in text)
        if answer.belief is not None:
            assert answer.belief.text in text
        for sense in answer.senses:  # how far a noise carries is not kept of all
            told = sense.headline.partition(", carries")[0]
            assert any(line.startswith(told) for line in text), (sense.headline, text)
        if run.setup.profile_of(agent).ladder is not None:
            state = run.why_state(agent, at=float(t))
            assert state.headline in text
            for change in state.transitions:
                word = "taken" if change.taken else "not taken"
                assert any(f"{change.name} → {change.to}: {word}" in line for line in text)
                for mark, words in leaves(change.condition):
                    line = f"{mark} {words}".replace("  ", " ")
                    assert line in text, (agent, t, change.name)
    return asked


def test_the_panel_tells_what_why_tells(same_page: Any, night: snelk.Run) -> None:
    chance = random.Random(11)
    moments = [
        (agent, target, night.times[chance.randrange(len(night.times))])
        for agent in night.agents
        for target in chance.sample([n for n in night.names if n != agent], 2)
    ] + [("goose-2", "fox", 40.0), ("dog", "fox", 56.0), ("farmer", "fox", 65.0)]
    assert hold_panel(same_page, night, moments) > 250


def test_of_random_scenes_too(browser: Any, tmp_path: Path) -> None:
    """Such as beliefs by smell, doors in the way, and ticks of an eighth of a second."""
    asked = 0
    for seed in (1, 2, 5):
        (folder := tmp_path / str(seed)).mkdir()
        Maker(seed).scene(folder)
        run, chance = snelk.run(folder / "scene.toml"), random.Random(seed)
        opened(browser, snelk.write_page(folder / "page.html", run))
        pairs = [(a, b) for a in run.agents for b in run.names if a != b]
        asked += hold_panel(browser, run, [(*pair, chance.choice(run.times)) for pair in pairs])
    assert asked > 100


def test_cones_are_cut_as_the_library_cuts_them(same_page: Any, night: snelk.Run) -> None:
    chance = np.random.default_rng(5)
    x0, y0, x1, y1 = night.level.bounds
    for n in range(40):
        eye = [
            float(chance.uniform(x0, x1)),
            float(chance.uniform(y0, y1)),
            float(chance.uniform(0.2, 3)),
        ]
        heading, fov = float(chance.uniform(-180, 180)), float(chance.choice([30, 110, 250, 360]))
        height, reach = float(chance.uniform(0.1, 2.0)), float(chance.uniform(5, 40))
        inside = [
            w
            for w, outline in night.level.data.walls
            if outline.buffer(0.05).contains(shapely.Point(eye[:2]))
        ]
        if inside:
            continue
        seen = same_page.execute_script(
            "const [e, a, f, r, h] = arguments[0];"
            "return visible(snelkPage.run.pieces, snelkPage.run.triangles, {x: e[0], y: e[1], z: e[2]}, a, f, r, h)",
            [eye, heading, fov, reach, height],
        )  # fmt: skip
        wanted = snelk.visible_region(
            night.level,
            eye=tuple(eye),
            heading_deg=heading,
            fov_whole=fov,
            range=reach,
            height=height,
        )
        wanted_area = shapely.union(wanted.clear, wanted.dimmed)
        parts = [
            Polygon(p).buffer(0)
            for p in ([seen["outline"]] if seen["outline"] else []) + seen["beyond"]
        ]
        found = shapely.union_all(parts)
        # Arcs are drawn in steps of at most 4 degrees, which costs 0.08 % of a sector.
        unlike = shapely.symmetric_difference(found, wanted_area, grid_size=1e-6).area
        assert unlike <= 0.002 * wanted.sector.area + 0.05, n


def test_numbers_are_unpacked_as_they_were_packed(same_page: Any) -> None:
    chance = np.random.default_rng(3)
    arrays = {
        "walk": (np.cumsum(chance.normal(0, 0.02, (3, 4, 50)), axis=-1), 1000),
        "jumps": (chance.uniform(-1e6, 1e6, (2, 30)), 1000),
        "few": (chance.integers(-2, 3, 200).astype(float), 1),
        "one": (np.array([7.25]), 100),
        "none": (np.zeros((0,)), 10),
    }
    packer = Packer()
    for name, (values, parts) in arrays.items():
        packer.add(name, values, parts=parts)
    found = same_page.execute_async_script(
        "const done = arguments[2]; unpack(arguments[0], arguments[1]).then(all => done("
        "Object.fromEntries(Object.entries(all).map(([k, v]) => [k, [...v.values].map(x => x / v.parts)]))))",
        packer.text(), packer.index,
    )  # fmt: skip
    for name, (values, parts) in arrays.items():
        assert np.allclose(found[name], values.ravel(), atol=0.5 / parts + 1e-9), name


def test_every_part_of_a_condition_comes_to_what_it_does_in_the_library(
    browser: Any, tmp_path: Path
) -> None:
    whens = ("seen xor heard xor state_for >= 1s", "not (seen and meter > 0.5) or state_for < 2s")
    transitions = {
        f"c{n}": {"from": "a", "to": "b", "when": w, "for": 99} for n, w in enumerate(whens)
    }
    track = samples.track_of((0, 90, 0), (0.5, 5, 0), (4, 5, 0))
    states: dict[str, Any] = {"a": {}, "b": {}}
    run = snelk.run(
        scenes.scene(
            tmp_path,
            states=states,
            transitions=transitions,
            track=track,
            end=5.0,
            more={"effect": [{"t": 3.9, "of": "guard", "removes": True}]},
        )
    )
    opened(browser, snelk.write_page(tmp_path / "page.html", run))
    words = {"and": "all of", "or": "one of", "xor": "an odd number of", "not": "not"}
    truths: set[tuple[str, bool]] = set()

    def groups(part: Part) -> list[str]:
        if not part.parts:
            return []
        truths.add((part.kind, part.true))
        inner = [line for each in part.parts for line in groups(each)]
        return [f"{'✓' if part.true else '✗'} {words[part.kind]}", *inner]

    for t in (0.2, 0.7, 1.2, 1.6, 2.4, 3.7):
        choose(browser, "guard", "guest", t)
        shown = [line.strip() for line in panel(browser)]
        wanted = [g for c in run.why_state("guard", at=t).transitions for g in groups(c.condition)]
        assert [line for line in shown if line[2:] in words.values()] == wanted, t
    assert len(truths) == 8
    choose(browser, "guard", "guest", 4.5)  # it is absent
    gone, shown = run.why_state("guard", at=4.5), "\n".join(panel(browser))
    reasons = [each.missing for each in gone.transitions if each.condition.true]
    assert gone.headline in shown
    assert set(reasons) == {("was removed at 3.90 s (the scenario)",)}
    assert shown.count(reasons[0][0]) == 1 + len(reasons)


def test_who_vanishes_between_two_looks_is_not_in_view_on_the_page_either(
    browser: Any, tmp_path: Path
) -> None:
    rows = [(0, 1), (1, 0), (1.5, 1), (2, 0), (4, 1), (6, 1)]
    track = "t,id,x,y,heading,present\n" + "".join(f"{t},guest,5,0,0,{p}\n" for t, p in rows)
    path = samples.write_sample(tmp_path, track=track)
    run = snelk.run(path, overrides={"profiles.watcher.look_every": 3.0})
    opened(browser, snelk.write_page(tmp_path / "page.html", run))
    for t in (0.5, 1.0, 1.5, 2.0, 2.5, 3.5, 6.0):
        choose(browser, "guard", "guest", t)
        answer = run.why("guard", "guest", at=t)
        assert panel(browser)[0] == answer.headline
        there = any(line.startswith("From the side") for line in panel(browser))
        assert there == answer.in_view, t
    bands = browser.execute_script("return snelkPage.lanes.columns.bands")
    spans = run.spans("guard", "guest")
    assert bands["left"] == [span.start for span in spans]
    assert bands["right"][:-1] == [span.end for span in spans][:-1]


def test_an_event_a_lane_and_the_map_lead_to_the_moment(page: Any, night: snelk.Run) -> None:
    lost = night.events[night.events.kind == "lost"].iloc[3]
    page.find_element("id", "filter").send_keys(lost.text)
    rows = page.find_elements("css selector", "#event-list button")
    assert {row.text.split("\n")[-1] for row in rows} == {lost.text}
    rows[0].click()
    assert f"{lost.t:.2f} /" in page.find_element("id", "time").text
    assert panel(page)[0].startswith(f"{lost.agent} does not see {lost.target} at {lost.t:.2f} s")

    page.execute_script(
        "const f = document.getElementById('filter'); f.value = ''; f.dispatchEvent(new Event('input'))"
    )
    choose(page, "farmer", "fox", 63.95)
    past = night.events[night.events.t <= 63.95]
    latest = list(past.text[past.t == past.t.max()])
    marked = page.find_elements("css selector", "#event-list .now")
    assert [row.text.split("\n")[-1] for row in marked] == latest
    box = page.find_element("id", "event-list").rect
    assert box["y"] <= marked[0].rect["y"] <= box["y"] + box["height"] - 20

    lane = night.agents.index("farmer")
    x, y = page.execute_script(
        "const l = snelkPage.lanes, b = l.canvas.getBoundingClientRect();"
        "return [b.x + l.left + l.inner * 65 / 90, b.y + l.py(arguments[0] + 0.5)]", lane,
    )  # fmt: skip
    click(page, x, y)
    assert page.find_element("id", "agent").get_attribute("value") == "farmer"
    assert page.execute_script("return snelkPage.t") == pytest.approx(65.0, abs=0.2)

    for name, place, shift in (("dog", "agent", 0), ("gander", "target", 8)):
        x, y = page.execute_script(
            "const m = snelkPage.maps[0], p = m.poses[m.run.names.indexOf(arguments[0])],"
            " b = m.canvas.getBoundingClientRect(); return [b.x + m.px(p.x), b.y + m.py(p.y)]", name,
        )  # fmt: skip
        click(page, x, y, modifiers=shift)
        assert page.find_element("id", place).get_attribute("value") == name


def click(page: Any, x: float, y: float, *, modifiers: int = 0) -> None:
    for kind in ("mousePressed", "mouseReleased"):
        page.execute_cdp_cmd(
            "Input.dispatchMouseEvent",
            {
                "type": kind,
                "x": x,
                "y": y,
                "button": "left",
                "clickCount": 1,
                "modifiers": modifiers,
            },
        )
    page.execute_async_script("setTimeout(arguments[0], 400)")


def test_keys_do_what_the_help_says(page: Any) -> None:
    body = page.find_element("css selector", "body")
    choose(page, "dog", "fox", 20.0)
    time = "return snelkPage.t"
    for key, wanted in (("\ue014", 20.1), ("\ue012", 20.0), ("\ue010", 90.0), ("\ue011", 0.0)):
        body.send_keys(key)
        assert page.execute_script(time) == pytest.approx(wanted)
    body.send_keys("n")
    first = page.execute_script("return snelkPage.events.times[0]")
    assert page.execute_script(time) == pytest.approx(first)
    body.send_keys(" ")
    page.execute_async_script("setTimeout(arguments[0], 500)")
    assert page.execute_script("return snelkPage.playing")
    body.send_keys(" ")
    stopped = page.execute_script(time)
    assert stopped > first + 0.1
    assert not page.execute_script("return snelkPage.playing")
    body.send_keys("?")
    assert "play or pause" in page.find_element("id", "keys").text


def test_layers_switch(page: Any) -> None:
    # Everything but a search by likelihood is on the map at this moment.
    choose(page, "farmer", "fox", 66.5)
    led = page.execute_script("return snelkPage.maps[0].drawn")
    page.find_element("id", "alike").click()
    time.sleep(0.5)  # the map has less room
    drawn = page.execute_script("return snelkPage.maps[0].drawn")
    whole = page.execute_script("return snelkPage.maps[0].canvas.toDataURL()")
    layers = page.execute_script("return Object.keys(LAYERS)")
    assert set(layers) <= set(drawn)
    for layer in layers:
        button = page.find_element("css selector", f"[data-layer={layer}]")
        button.click()
        assert button.get_attribute("aria-pressed") == "false"
        assert layer not in page.execute_script("return snelkPage.maps[0].drawn")
        assert page.execute_script("return snelkPage.maps[0].canvas.toDataURL()") != whole
        button.click()
    assert page.execute_script("return snelkPage.maps[0].canvas.toDataURL()") == whole
    page.find_element("id", "alike").click()
    time.sleep(0.5)
    assert page.execute_script("return snelkPage.maps[0].drawn") == led
    assert led["cones"] < drawn["cones"]


def test_the_canvas_lies_over_the_ground_whatever_grows_beside_the_map(page: Any) -> None:
    """While nothing plays, too: what is drawn on it would lie beside the walls."""
    for height in ("90px", ""):
        page.execute_script(
            "document.getElementById('controls').style.height = arguments[0]", height
        )
        time.sleep(0.5)
        frame, drawn, scales = page.execute_script(
            "const m = snelkPage.maps[0], { left, top, width, height } = m.view.frame.bbox, s = m.canvas.style;"
            "const { x_range: x, y_range: y } = m.plot;"
            "return [[left, top, width, height], [s.left, s.top, s.width, s.height].map(parseFloat),"
            " [m.perMetreX * (x.end - x.start) / width, m.perMetreY * (y.end - y.start) / height]]"
        )
        assert drawn == pytest.approx(frame, abs=0.1)
        assert scales == pytest.approx([1.0, 1.0])


def test_nothing_overlaps_or_is_cut_off(page: Any, written: Path) -> None:
    choose(page, "farmer", "fox", 66.5)
    boxes = page.execute_script(
        "return ['header', '#maps', '#controls', '#lanes', '#why', '#events', 'footer'].map(s => {"
        "const b = document.querySelector(s).getBoundingClientRect();"
        "return [b.left, b.top, b.right, b.bottom]})"
    )
    for n, one in enumerate(boxes):
        assert one[0] >= 0
        assert one[1] >= 0
        assert one[2] <= 1280
        assert one[3] <= 800
        for other in boxes[n + 1 :]:
            clear = (
                one[2] <= other[0] or other[2] <= one[0] or one[3] <= other[1] or other[3] <= one[1]
            )
            assert clear, (one, other)
    wide = page.execute_script(
        "return [...document.querySelectorAll('header, h1, #runs, #layers, #controls, #lane-head,"
        " #lane-legend, .choose, #answer, #answer td, #event-list, footer, #notes')]"
        ".filter(e => e.scrollWidth > e.clientWidth + 1 && e.clientWidth).map(e => e.id || e.tagName)"
    )
    assert wide == []


def test_names_are_text_whatever_is_in_them(browser: Any, tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    text = path.read_text().replace("[cast.guest]", f'[cast."{MARKUP}"]')
    path.write_text(f'title = "</script><b>&amp; a night"\n{text}')
    run = snelk.run(path)
    opened(browser, snelk.write_page(tmp_path / "named.html", run))
    choose(browser, "guard", MARKUP, 0.0)
    assert browser.find_elements("css selector", "img, h1 b") == []
    assert browser.title.startswith(run.info["title"])
    assert MARKUP in panel(browser)[0]
    assert MARKUP in browser.find_element("id", "target").text
    said = [entry for entry in browser.get_log("browser") if entry["level"] == "SEVERE"]
    assert said == []


def test_two_runs_share_one_clock_and_differences_are_marked(
    browser: Any, night: snelk.Run, tmp_path: Path
) -> None:
    keen = snelk.run(snelk.croft() / "night.toml", overrides=KEEN)
    opened(browser, snelk.write_page(tmp_path / "two.html", night, keen))
    choose(browser, "dog", "fox", 29.0)
    for n, run in enumerate((night, keen)):
        poses = browser.execute_script(f"return snelkPage.maps[{n}].poses")
        row = run.poses[(run.poses.id == "dog") & np.isclose(run.poses.t, 29.0)].iloc[0]
        pose = poses[run.names.index("dog")]
        assert (pose["x"], pose["y"]) == pytest.approx((row.x, row.y), abs=6e-4)
    lines = panel(browser)
    assert lines[0] == night.why("dog", "fox", at=29.0).headline
    assert f"≠ B: {keen.why('dog', 'fox', at=29.0).headline}" in lines

    end = min(night.times[-1], keen.times[-1])
    times = night.times[night.times <= end + 1e-9]
    differ = np.zeros(len(times), dtype=bool)
    for tick, t in enumerate(times):
        differ[tick] = night.state_at("dog", t) != keen.state_at("dog", t)
    meters = [
        run.meters[(run.meters.agent == "dog") & (run.meters.target == "fox")].value.to_numpy()
        for run in (night, keen)
    ]
    differ |= np.abs(meters[0][: len(times)] - meters[1][: len(times)]) > 0.021
    marks = browser.execute_script(
        "const s = snelkPage.lanes.columns.differ;"
        "return s.left.map((l, n) => [l, s.right[n], s.bottom[n]])"
    )
    row = night.agents.index("dog") + 1
    for t in times[differ]:
        assert any(left - 1e-6 <= t <= right + 1e-6 for left, right, low in marks if low == row), t
    first = min(left for left, _, low in marks if low == row)
    assert first >= 25.8 - 0.11  # from the pebble on, that only the keen dog hears
    statuses = browser.execute_script("return snelkPage.events.rows.map(r => r.status)")
    assert statuses == [pair.status for pair in snelk.compare(night, keen).events]


def test_what_is_kept_rounds_as_the_number_itself() -> None:
    chance = np.random.default_rng(8)
    edges = np.round(chance.uniform(-50, 50, 5_000), 2) + 0.005  # as a track in mm has them
    values = np.concatenate([chance.uniform(-50, 50, 20_000), edges])
    packer = Packer()
    packer.add("x", values, parts=1000, shown=100)
    raw = zlib.decompress(base64.b64decode(packer.text()))
    kept = unpacked(raw, packer.index)["x"] / 1000
    assert np.abs(kept - values).max() < 0.0016
    assert [float(f"{k:.2f}") for k in kept] == [float(f"{v:.2f}") for v in values]
    # To the nearest mm alone some would show another cm: the test would see it.
    assert any(f"{round(v, 3):.2f}" != f"{v:.2f}" for v in values)


def test_a_long_run_is_thinned_until_it_fits(night: snelk.Run) -> None:
    whole = snelk.page_of(night)
    fewer = snelk.page_of(night, largest=len(whole) - 20_000)
    assert len(fewer) <= len(whole) - 20_000
    assert "every tick and look is kept" in whole
    assert "one tick in 2 and look is kept (0.2 s)" in fewer


@pytest.mark.parametrize(
    ("options", "problem"),
    [
        ({"agent": "goose1"}, 'agent: no such agent (given: "goose1"); did you mean "goose-1"?'),
        ({"agent": "dog", "target": "dog"}, 'target: nobody senses themselves (given: "dog")'),
        (
            {"target": "fxo"},
            'target: no such character (given: "fxo"); did you mean "fox"?',
        ),
    ],
)
def test_a_wrong_name_is_told(night: snelk.Run, options: dict[str, str], problem: str) -> None:
    with pytest.raises(snelk.InputError) as told:
        snelk.page_of(night, **options)
    assert str(told.value) == problem
