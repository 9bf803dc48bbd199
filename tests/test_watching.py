"""`snelk watch`: a page that follows a running game shows what the page of its record shows."""

from __future__ import annotations

import base64
import json
import os
import random
import re
import subprocess
import sys
import time
import urllib.error
import urllib.request
import zlib
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from browser import opened, unpacked
from test_games import shape_of
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

import snelk
from snelk.page.gathering import Gathered
from snelk.page.packing import Packer
from snelk.page.watched import LONGEST_PIECE, Watched, seconds_before
from snelk.runs.following import Following, GrowingRecord
from snelk.serving.watching import Watch

ANSWERS = """
const [moments, from, to] = arguments, run = snelkPage.runs[0], round = (v) => Number(v.toFixed(5));
const told = moments.map(([agent, target, t]) => {
  const a = run.agentNames.indexOf(agent), c = run.names.indexOf(target);
  const poses = run.names.map((_, c) => run.pose(c, t, true)).map((p) => p && [p.x, p.y, p.z, (p.heading + 36000) % 360, p.posture].map(round));
  const why = run.slot(a, c) < 0 ? "" : whyAt(run, a, c, t);
  for (const each of why ? why.ladder.transitions : []) each.held = Math.min(each.held, each.needs); // what is longer is not told
  if (why && why.senses.some((each) => each.headline.endsWith("is not kept here"))) why.senses = null;
  return { why, poses, stay: run.stay(agent, t), doors: run.doors.map((door) => isOpen(door, t)) };
});
snelkPage.choose({ agent: run.agentNames[1], target: run.names[0] });
snelkPage.lanes.show(from, to);
const lanes = {};
for (const name of ["bands", "states", "state_names", "heard", "unheard", "contacts", "reactions", "meters"]) {
  lanes[name] = snelkPage.lanes.columns[name];
}
return JSON.stringify({ told, lanes, events: snelkPage.events.rows, searches: run.searches });
"""


@contextmanager
def watching(folder: Path, code: str = "") -> Iterator[str]:
    """The address of a page that another process serves."""
    start = f"{code}\nfrom snelk.cli.start import main\nmain()"
    ask = [sys.executable, "-c", start, "watch", str(folder), "--port", "0"]
    with subprocess.Popen(ask, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        said = process.stdout.readline()
        try:
            yield re.findall(r"http://\S+", said)[0]
        finally:
            process.terminate()


def play(live: snelk.Live, seed: int, seconds: float) -> None:
    """Frames at random, in a game in which much happens."""
    rnd, until = random.Random(seed), live.t + seconds if live.ticks else seconds
    doors = [wall.name for wall, _ in live._scenario.level.walls if wall.door]
    while live.ticks == 0 or live.t < until:
        shape_of(rnd, live, doors, list(live.setup.lights))
        live.frame(rnd.choice([0.016, 0.1, 0.35]))


def flat(value: Any, path: str = "") -> dict[str, Any]:
    """All that is in it, each by its path: so that a difference can be read."""
    if isinstance(value, list | dict):
        inside = value.items() if isinstance(value, dict) else enumerate(value)
        return {k: v for key, each in inside for k, v in flat(each, f"{path}/{key}").items()}
    return {path: value}


def shown_up_to(browser: Any, t: float) -> None:
    until = time.monotonic() + 60
    script = "return document.body && !document.body.dataset.old && window.snelkPage"
    script += " && snelkPage.feed && snelkPage.feed.began && snelkPage.end"
    while (browser.execute_script(script) or -1.0) < t - 1e-6:
        assert time.monotonic() < until, browser.execute_script(script)
        time.sleep(0.05)


@pytest.mark.parametrize(("path", "most", "seed"), [("mill", 600, 1), ("croft", 120, 3)])
def test_every_piece_says_what_the_record_says(
    path: str, most: int, seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also of a game of more pairs than are told of at every tick."""
    monkeypatch.setattr("snelk.runs.tables.MOST_PAIRS", most)
    folder, rnd = tmp_path / "game", random.Random(seed)
    with snelk.Live(getattr(snelk, path)() / "night.toml", record=folder) as live:
        play(live, seed, 4.0)
    run, packer = snelk.run(folder / "scenario.toml"), Packer()
    whole = Gathered(run, packer, "a")
    told = unpacked(b"".join(packer._pieces), packer.index)
    record = GrowingRecord(folder)
    lines = list(record.lines(1 << 30))
    record.close()
    scenario = snelk.load(folder / "scenario.toml")
    remembers = seconds_before(scenario.setup) + LONGEST_PIECE
    game = Following(scenario, list(lines[0].poses), remembers=remembers)
    watched, compared = None, Counter[str]()
    for line in lines:
        game.take(line)
        if watched is None:
            watched = Watched(game)
        elif rnd.random() < 0.1 or line is lines[-1]:
            watched.add()
    assert watched is not None
    pairs = {
        "meter": "meters",
        "belief": "beliefs",
        "touch": "touch",
        "zone": "zone",
        "smell": "smell",
    }
    for piece in map(json.loads, watched.pieces):
        numbers = unpacked(zlib.decompress(base64.b64decode(piece["numbers"])), piece["index"])
        ticks = piece["first"] + np.arange(numbers["a.present"].shape[-1])
        there = told["a.present"][:, ticks] == 1
        for name, along in piece["along"].items():
            first, _, what = name.partition(".")
            tells = what in SAME or what.startswith("leaf.") or name in ("x", "y", "z")
            if along == "row" or not tells:
                continue
            values, other, at = numbers[f"a.{name}"], told[f"a.{name}"], ticks
            if along == "look":
                looks = numbers[f"a.{first}.look"] + piece["window"]
                at = np.searchsorted(told[f"a.{first}.look"], looks)
                ours, theirs = piece["kept"][first], whole.facts["kept"][int(first)]
                values = looks if what == "look" else values
            elif first in pairs:
                ours, theirs = (
                    [tuple(pair) for pair in facts[pairs[first]]] for facts in (piece, whole.facts)
                )
            if first in pairs or (what in ("result", "held", "wall") and values.ndim > 1):
                both = [pair for pair in ours if pair in theirs]
                values = values[[ours.index(pair) for pair in both]]
                other = other[[theirs.index(pair) for pair in both]]
            same = values == other[..., at]
            assert (same | ~there if name in ("x", "y", "z") else same).all(), (
                name,
                piece["start"],
            )
            compared[what or name] += same.size
    assert min(compared[what] for what in (*SAME, "x", "leaf.0")) > 100


SAME = (
    *("look", "awake", "result", "held", "wall", "value", "rate", "noise", "sense", "source"),
    *("state", "state_for", "done", "goes", "focus"),
)
"""Numbers of a page that say something at every tick or look; others only while they are shown."""


THIN = "import snelk.runs.tables as t, snelk.page.watched as w; t.MOST_PAIRS = 120; w.MOST_HELD = 60_000"


@pytest.mark.parametrize(("path", "code"), [(snelk.mill(), ""), (snelk.croft(), THIN)])
def test_a_page_that_follows_a_game_is_the_page_of_its_record(
    path: Path, code: str, browser: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if code:
        monkeypatch.setattr("snelk.runs.tables.MOST_PAIRS", 120)
    folder, rnd = tmp_path / "game", random.Random(5)
    live = snelk.Live(path / "night.toml", record=folder)
    with watching(folder, code) as address:
        for seed in range(3):  # it comes in several pieces, and the page is opened in between
            play(live, seed, 2.6)
            if seed == 1:
                browser.get(address)
            if seed >= 1:
                shown_up_to(browser, live.t)
        if not code:
            saved, end = live.save(), live.t
            play(live, 9, 1.5)
            shown_up_to(browser, live.t)
            browser.execute_script("document.body.dataset.old = 'yes'")
            live.restore(saved)  # what was played since is gone; the page begins anew
            play(live, 10, 1.5)
            assert end < live.t < end + 2.0
            shown_up_to(browser, live.t)
        early = browser.execute_script("return snelkPage.start")
        browser.execute_script("snelkPage.feed.most = arguments[0]", 1 if code else 1e9)
        play(live, 11, 3.0)
        shown_up_to(browser, live.t)
        live.close()
        names = [(a, c) for a in live.agents for c in live.names if a != c]
        start = browser.execute_script("return snelkPage.start")
        assert (start > early > 0.0) if code else start == 0.0  # of long ago not all is held
        moments = [
            (*rnd.choice(names), round(rnd.uniform(start, live.t), 2))
            for _ in range(120 if code else 60)
        ]
        asked = [*moments, *((a, c, round(live.t, 3)) for a, c in names)], start + 2.0, live.t - 5.0
        followed = json.loads(browser.execute_script(ANSWERS, *asked))
    run = snelk.run(folder / "scenario.toml")
    opened(browser, snelk.write_page(tmp_path / "record.html", run))
    recorded = json.loads(browser.execute_script(ANSWERS, *asked))
    assert followed["events"] == recorded["events"]
    for one, other, moment in zip(followed["told"], recorded["told"], asked[0], strict=True):
        if not code or (one["why"] and other["why"]):
            if one["why"] and one["why"]["senses"] is None:
                other["why"]["senses"] = None
            if code and one["why"] and one["why"]["belief"]:  # grown from another row: by 1e-15
                one["why"]["belief"] = one["why"]["belief"]["source"]
                other["why"]["belief"] = other["why"]["belief"]["source"]
            assert flat(one) == flat(other), moment
    assert sum(bool(one["why"]) for one in followed["told"]) > (20 if code else 60)
    assert followed["searches"] == recorded["searches"]
    whole = ("states", "state_names", "reactions", "heard") if code else recorded["lanes"]
    for name in whole:
        columns = recorded["lanes"][name]
        assert followed["lanes"][name] == columns, name


def asked(address: str, **headers: str) -> tuple[int, str]:
    request = urllib.request.Request(address, headers=headers)
    try:
        with urllib.request.urlopen(request, timeout=10) as reply:
            return reply.status, reply.read().decode()
    except urllib.error.HTTPError as error:
        return error.code, error.read().decode()


def test_only_who_knows_the_address_may_watch(tmp_path: Path) -> None:
    with watching(tmp_path / "game") as address:
        place, token = address.split("?token=")
        port = place.split(":")[2].strip("/")
        assert asked(address) == (200, asked(address.replace("127.0.0.1", "localhost"))[1])
        assert "No game has begun yet" in asked(address)[1]
        for url, headers in (
            (place, {}),
            (f"{place}?token={token}x", {}),
            (address, {"Host": f"elsewhere.example:{port}"}),
        ):
            status, text = asked(url, **headers)
            assert (status, "begun" in text) == (403, False), url
        assert asked(f"{place}other?token={token}")[0] == 404
        with snelk.Live(snelk.mill() / "night.toml", record=tmp_path / "game") as live:
            play(live, 1, 1.0)
        until = time.monotonic() + 30
        while "No game" in asked(address)[1]:
            assert time.monotonic() < until
        text = asked(address)[1]
        assert f"connect-src ws://127.0.0.1:{port}/feed" in text
        feed = f"ws://127.0.0.1:{port}/feed?token={token}"
        for wrong, origin in ((feed, "http://elsewhere.example"), (feed + "x", None)):
            with pytest.raises(InvalidStatus, match="403"):
                connect(wrong, origin=origin)
        with connect(feed, origin=place.strip("/")) as page:
            assert json.loads(page.recv(timeout=10))["start"] == 0.0


def looked(watch: Watch, until: Any) -> Watch:
    end = time.monotonic() + 60
    while not until(watch):
        assert time.monotonic() < end, watch.broken
        watch.look()
        time.sleep(0.01)
    return watch


def test_what_is_no_game_or_breaks_off_is_said(tmp_path: Path) -> None:
    (tmp_path / "else").mkdir()
    (tmp_path / "else" / "file.txt").write_text("of something else")
    for path in (tmp_path / "else", tmp_path / "else" / "file.txt"):
        with pytest.raises(
            snelk.InputError, match=r"does not contain the record of a game; use the DIR"
        ):
            Watch(path)
    folder = tmp_path / "game"
    watch = Watch(folder)
    assert not watch.look()
    with snelk.Live(snelk.mill() / "night.toml", record=folder) as live:
        play(live, 1, 3.0)
        assert watch.watched is None
        looked(watch, lambda watch: watch.watched and "saw" in "".join(watch.watched.pieces))
    with snelk.Live(snelk.mill() / "night.toml", record=tmp_path / "game-2") as live:
        play(live, 2, 1.0)
        looked(watch, lambda watch: watch.game == 2)  # a game begun anew
    with (tmp_path / "game-2" / "played.jsonl").open("a") as file:
        file.write('{"t": 99.0}\n')
    assert "t = 99" in looked(watch, lambda watch: watch.broken).broken
    watch.close()


def test_a_served_game_is_watched_and_leaves_nothing_behind(tmp_path: Path) -> None:
    serve = [sys.executable, "-m", "snelk", "serve", str(snelk.croft() / "night.toml"), "--watch"]
    hello = {"type": "hello", "version": 1}
    frame = {"type": "frame", "seconds": 0.5}
    with subprocess.Popen(
        [*serve, "--stdio"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        stderr=subprocess.PIPE, env={**os.environ, "TMPDIR": str(tmp_path)},
    ) as process:  # fmt: skip
        assert process.stdin is not None
        assert process.stdout is not None
        assert process.stderr is not None
        process.stdin.write(json.dumps(hello) + "\n" + json.dumps(frame) + "\n")
        process.stdin.flush()
        assert json.loads(process.stdout.readline())["record"] is False
        until = (line for line in process.stderr if "http://" in line)
        address = re.findall(r"http://\S+", next(until))[0]
        end = time.monotonic() + 30
        while "snelkPage" not in asked(address)[1]:
            assert time.monotonic() < end
            time.sleep(0.1)
        assert list(tmp_path.glob("snelk-*/game/played.jsonl"))
        process.stdin.close()
        assert process.wait(timeout=20) == 0
    assert list(tmp_path.glob("snelk-*")) == []
    with pytest.raises(urllib.error.URLError):
        asked(address)
