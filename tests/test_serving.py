"""`snelk serve`: messages in any units, over sockets and lines, whatever a client does."""

from __future__ import annotations

import json
import math
import os
import random
import re
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import ClientConnection, connect

import snelk
from snelk.serving.messages import messages_schema
from snelk.serving.talking import Talk, Told, written

ROOT = Path(__file__).parents[1]
NIGHT, MILL = snelk.croft() / "night.toml", snelk.mill() / "night.toml"
HELLO = {"type": "hello", "version": 1}
SCHEMA = messages_schema()
NODE = shutil.which("node")


def checked(message: Any, way: str) -> Any:
    """A message that its JSON Schema allows."""
    jsonschema.Draft202012Validator({"$defs": SCHEMA["$defs"], "$ref": f"#/$defs/{way}"}).validate(
        message
    )
    return message


class Client:
    """Somebody who talks to a game in this process."""

    def __init__(self, talk: Talk, **hello: Any) -> None:
        self.talk, self.told = talk, None
        self.welcome = self.say(**HELLO, **hello)

    def say(self, **message: Any) -> Any:
        checked(message, "to_snelk")
        return self.hear(json.dumps(message))

    def hear(self, text: str | bytes) -> Any:
        reply, self.told = self.talk.answer(text, self.told)
        return checked(json.loads(written(reply)), "from_snelk")


UNITS = [
    {},
    {"length": 0.01, "axes": {"x": "x", "y": "z", "z": "y"}, "turn": "cw", "zero": "+y"},
    {
        "length": 0.3048,
        "time": 0.001,
        "axes": {"x": "-z", "y": "-x", "z": "y"},
        "angle": "rad",
        "zero": 30.0,
    },
    {"axes": {"x": "y", "y": "-x", "z": "z"}, "angle": "turns", "turn": "cw", "zero": "-x"},
]


def as_said(units: dict[str, Any], x: float, y: float, z: float) -> list[float]:
    """A place in m as a game of these units has it, by its axes one by one."""
    found = dict.fromkeys("xyz", 0.0)
    for mine, axis in units.get("axes", {"x": "x", "y": "y", "z": "z"}).items():
        value = {"x": x, "y": y, "z": z}[mine] / units.get("length", 1.0)
        found[axis[-1]] = -value if axis.startswith("-") else value
    return [found["x"], found["y"], found["z"]]


@pytest.mark.parametrize("units", UNITS)
def test_a_game_in_its_own_units_gets_what_a_live_game_gets(units: dict[str, Any]) -> None:
    live = snelk.Live(NIGHT, pushed=["owl"], spare={"gander": 1})
    client = Client(Talk(snelk.load(NIGHT)), units=units, moves=["owl"], spare={"gander": 1})
    time, length = units.get("time", 1.0), units.get("length", 1.0)
    whole = {"deg": 360.0, "rad": math.tau, "turns": 1.0}[units.get("angle", "deg")]
    zero = {"+x": 0.0, "+y": 90.0, "-x": 180.0}.get(units.get("zero", "+x"), units.get("zero"))
    sign = -1.0 if units.get("turn") == "cw" else 1.0
    assert client.welcome["dt"] == pytest.approx(0.1 / time)
    assert client.welcome["characters"]["owl"]["moved_by"] == "game"
    texts, wanted = [], []
    for n in range(75):
        heading, frame = 17.0 * n, {"poses": {}, "noises": []}
        for name, x, y, z in (
            ("fox", 34.0 - 0.05 * n, 19.0, 0.0),
            ("owl", 21.0, 8.9 + 0.02 * n, 4.0),
        ):
            said, place = sign * (heading - zero) / 360.0 * whole, as_said(units, x, y, z)
            frame["poses"][name] = {"place": place, "heading": said}
            # Chance goes by the last digit, so the other game gets that as well.
            there, turned = client.told.place_in(place), client.told.units.heading_in(said)
            assert (*there, turned) == pytest.approx((x, y, z, heading), abs=1e-9)
            live.push(name, x=there[0], y=there[1], z=there[2], heading_deg=turned)
        if n == 40:
            live.noise("crack", x=30.0, y=21.0, reach=15.0)
            frame["noises"] = [
                {"kind": "crack", "place": as_said(units, 30.0, 21.0, 0.0), "reach": 15.0 / length}
            ]
        if n == 60:
            live.spawn(like="gander", x=31.0, y=16.0)
            frame["spawn"] = [{"like": "gander", "place": as_said(units, 31.0, 16.0, 0.0)}]
        wanted += [event.text for event in live.frame(0.05 / time * time)]
        reply = client.say(type="frame", seconds=0.05 / time, **frame)
        assert (reply["t"], reply["ticks"]) == (
            pytest.approx(live.t / time),
            1 if n % 2 or n == 0 else reply["ticks"],
        )
        texts += [event["text"] for event in reply["events"]]
        if reply["ticks"]:
            told = reply["agents"]["goose-1"], reply["characters"]["gander"]
    assert texts == wanted
    assert len(texts) > 20
    pose, known = live.pose("gander"), live.belief("goose-1", "fox")
    assert pose is not None
    assert known is not None
    agent, gander = told
    assert gander["place"] == pytest.approx(
        as_said(units, pose.x, pose.y, pose.z), abs=1e-6 / length
    )
    turned = sign * (pose.heading_deg - zero) / 360.0
    assert math.remainder(gander["heading"] / whole - turned, 1.0) == pytest.approx(0.0, abs=1e-9)
    assert agent["state"] == live.state("goose-1")
    assert agent["sees"] == [name for name in live.names if live.in_view("goose-1", name)]
    assert agent["meters"] == {
        name: live.meter("goose-1", name) for name in live.names if live.meter("goose-1", name) > 0
    }
    belief = agent["beliefs"]["fox"]
    assert belief["place"] == pytest.approx(
        as_said(units, known.x, known.y, known.z), abs=1e-6 / length
    )
    assert (belief["age"], belief["uncertainty"], belief["source"]) == (
        pytest.approx(known.age / time),
        pytest.approx(known.uncertainty / length),
        known.source,
    )
    why = client.say(type="why", agent="goose-2", target="fox", id="w")
    assert (why["id"], why["text"].partition(";")[0]) == ("w", live.why("goose-2", "fox").headline)
    way = client.say(
        type="path",
        who="gander",
        start=as_said(units, 36.0, 23.6, 0.0),
        goal=as_said(units, 37.0, 19.0, 0.0),
    )
    assert way["length"] * length >= math.dist((36.0, 23.6), (37.0, 19.0)) - 1e-9
    assert way["places"][-1] == pytest.approx(as_said(units, 37.0, 19.0, 0.0), abs=1e-6 / length)
    seen = client.say(type="visible", agent="goose-2")
    region = live.visible("goose-2")[0]
    corners = [corner for ring in seen["rings"] for corner in ring]
    high = live.visible("goose-2")[1]
    x, y = region.exterior.coords[0]
    assert min(
        math.dist(corner, as_said(units, x, y, high)) for corner in corners
    ) == pytest.approx(0.0, abs=1e-5 / length)


def test_all_that_is_written_about_messages_holds() -> None:
    client = Client(Talk(snelk.load(NIGHT)))
    said = set()
    text = (ROOT / "docs" / "serving.md").read_text(encoding="utf-8")
    for block in re.findall(r"```json\n(.*?)```", text, re.DOTALL):
        for line in block.splitlines():
            message = json.loads(line)
            try:
                checked(message, "to_snelk")
            except jsonschema.ValidationError:
                checked(message, "from_snelk")
                said.add(f"from {message['type']}")
                continue
            said.add(message["type"])
            reply = client.say(**message, **({"new": True} if message["type"] == "hello" else {}))
            assert reply["type"] != "error", reply
    assert said == {
        "hello",
        "frame",
        "why",
        "visible",
        "path",
        "save",
        "restore",
        "bye",
        "from welcome",
        "from frame",
        "from error",
    }


@pytest.mark.parametrize("path", [NIGHT, MILL])
def test_whatever_is_played_replies_are_as_their_schema_says(path: Path) -> None:
    """Who is there and is not, in frames of all lengths; with questions about whoever it is."""
    rnd, scenario = random.Random(4), snelk.load(path)
    client = Client(Talk(scenario), spare={"boy": 1} if path == MILL else {"gander": 1})
    names, cast = list(scenario.tracks), list(scenario.setup.cast)
    for n in range(60):
        poses = {
            name: {
                "place": [rnd.uniform(0, 12), rnd.uniform(0, 8), 0],
                "present": rnd.random() < 0.7,
            }
            for name in names
            if rnd.random() < 0.2
        }
        frame: dict[str, Any] = {"poses": poses, "spawn": [], "remove": []}
        if n % 9 == 4:
            frame["noises"] = [{"kind": "bang", "place": [rnd.uniform(0, 12), 4, 0], "reach": 20}]
        if n % 7 == 3:
            frame[rnd.choice(["spawn", "remove"])] = [rnd.choice(cast)]
        frame["spawn"] = [{"name": name} for name in frame["spawn"]]
        reply = client.say(type="frame", seconds=rnd.choice([0.02, 0.1, 0.4]), **frame)
        assert reply["type"] == "frame" or frame["spawn"] or frame["remove"], reply
        if reply.get("over"):
            client.say(**HELLO, new=True)
        agent, target = rnd.choice(scenario.setup.agents), rnd.choice(cast)
        if n % 25 == 20 and agent != target:
            assert client.say(type="why", agent=agent, target=target)["type"] == "answer"


def test_a_game_goes_on_in_the_next_level(tmp_path: Path) -> None:
    both = {"night": snelk.load(NIGHT), "mill": snelk.load(MILL)}
    talk = Talk(both, record=tmp_path / "record")
    client = Client(talk, spare={"gander": 1})
    assert (client.welcome["scenario"], "gander" in client.welcome["characters"]) == ("night", True)
    for message, said in (
        ({"scenario": "mill"}, "is not the scenario that is being played"),
        ({"scenario": "mil", "new": True}, 'did you mean "mill"'),
    ):
        assert said in client.say(**HELLO, **message)["text"]
    client.say(type="frame", seconds=1, spawn=[{"like": "gander"}])
    effects = [{"of": "farmer", "state": "looking"}, {"of": "goose-1", "state": "wary"}]
    client.say(type="frame", seconds=0.2, effects=effects, remove=["hen-1"])
    there = client.say(**HELLO, scenario="night", new=True, carries=True, spare={"gander": 1})
    assert (there["game"], there["t"]) == ("new", None)
    agents = client.say(type="frame", seconds=0.1)["agents"]
    states = [agents[name]["state"] for name in ("farmer", "goose-1", "goose-2")]
    assert states == ["looking", "wary", "grazing"]
    assert ("hen-1" in agents, "gander-2" in agents) == (False, True)
    other = client.say(**HELLO, scenario="mill", new=True, carries=True)
    assert (other["scenario"], "miller" in other["characters"]) == ("mill", True)
    client.say(type="frame", seconds=1)
    assert client.say(**HELLO)["scenario"] == "mill"
    talk.close()
    kept = [snelk.run(folder / "scenario.toml") for folder in talk.records]
    assert [len(run.times) for run in kept] == [13, 2, 11]
    assert kept[1].state_at("farmer", 0.1) == "looking"


def test_after_its_end_a_game_says_how_to_begin_another() -> None:
    client = Client(Talk(snelk.load(NIGHT), duration=0.3))
    assert client.say(type="frame", seconds=0.5)["over"] is True
    late = client.say(type="frame", seconds=0.1)
    assert (
        late["text"]
        == 'frame: came after the end of the game (given: 0.3 s); send hello again with "new": true'
    )
    assert client.say(**HELLO, new=True)["game"] == "new"
    assert client.say(type="frame", seconds=0.1)["ticks"] == 2


def hostile(rnd: random.Random) -> str | bytes:
    """A message that nobody should send."""
    things: list[Any] = [
        None,
        True,
        -1,
        1e300,
        10**40,
        "fox",
        "",
        "\u0000",
        "x" * 300,
        [],
        {},
        [[[]]],
        {"a": {}},
        "../../etc",
        [1, 2, 3],
    ]
    fine = {
        "frame": {"type": "frame", "seconds": 0.1, "poses": {"fox": {"place": [1, 2, 3], "heading": 0}}, "noises": [{"kind": "bang", "place": [0, 0, 0], "reach": 3}], "turns": [{"of": "gate", "to": "open"}], "effects": [{"of": "fox", "add": {"hits": 1}}], "spawn": [{"name": "gander", "place": [1, 2, 3]}], "remove": ["fox"]},
        "hello": {**HELLO, "token": "t", "units": {"length": 1, "axes": {"x": "x"}}, "moves": ["dog"], "spare": {"fox": 3}, "new": True},
        "why": {"type": "why", "agent": "dog", "target": "fox"},
        "path": {"type": "path", "who": "dog", "start": [0, 0, 0], "goal": [1, 1, 0]},
        "visible": {"type": "visible", "agent": "dog", "height": 1},
        "save": {"type": "save", "name": "a"},
        "restore": {"type": "restore", "name": "b"},
    }  # fmt: skip

    def broken(value: Any, depth: int = 0) -> Any:
        if depth and rnd.random() < 0.2:
            return rnd.choice(things)
        if isinstance(value, dict):
            found = {
                key: broken(each, depth + 1) for key, each in value.items() if rnd.random() > 0.05
            }
            return found | ({"more": 1} if rnd.random() < 0.05 else {})
        return [broken(each, depth + 1) for each in value] if isinstance(value, list) else value

    kind = rnd.choice(list(fine))
    message = {
        **broken(fine[kind]),
        "wrong": 1,
    }  # no message knows this key: each of them is refused
    text = json.dumps(message)
    how = rnd.random()
    if how < 0.1:
        return text[: rnd.randrange(len(text))]
    if how < 0.15:
        return bytes(rnd.randrange(256) for _ in range(rnd.randrange(60)))
    if how < 0.2:
        return "[" * rnd.randrange(100_000)
    return (
        text if how < 0.9 else text.replace("1", rnd.choice(["NaN", "-Infinity", "1e999", '"1"']))
    )


def test_thousands_of_hostile_messages_change_nothing(tmp_path: Path) -> None:
    talk = Talk(snelk.load(NIGHT), token="t", record=tmp_path / "record")
    client = Client(talk, token="t", spare={"gander": 1})
    for n in range(30):
        client.say(type="frame", seconds=0.1, poses={"fox": {"place": [33 - 0.1 * n, 19, 0]}})
    assert talk.live is not None
    before, log = talk.live.save(), (tmp_path / "record" / "played.jsonl").read_bytes()
    rnd = random.Random(1)
    for _ in range(2_500):
        reply, told = talk.answer(hostile(rnd), client.told)
        assert reply["type"] == "error", reply
        assert 0 < len(reply["text"].splitlines()[0]) < 5000
        assert told is client.told
    assert talk.live.save() == before
    assert (tmp_path / "record" / "played.jsonl").read_bytes() == log
    assert sorted(path.name for path in tmp_path.iterdir()) == ["record"]
    talk.close()


REFUSED_WHOLE: list[tuple[dict[str, Any], str]] = [
    ({"poses": {"fxo": {"place": [1, 2, 3]}}}, 'push: no such character (given: "fxo"); did you mean "fox"?'),
    ({"poses": {"dog": {"place": [1, 2, 3]}}}, 'push: is moved by Snelk (given: "dog")'),
    ({"poses": {"fox": {"place": [1e7, 2, 3]}}}, "push: fox.x: must be a number within ±100000 (given: 1e+07)"),
    ({"noises": [{"kind": "bang", "place": [1, 2, 3]}]}, 'noise: no such kind of noise without a reach (given: "bang")'),
    ({"turns": [{"of": "gate", "to": "open"}]}, 'change: of: no such door (given: "gate")'),
    ({"effects": [{"of": "fox", "add": {"hits": 1}}]}, "effect: add: no such attribute"),
    ({"effects": [{"of": "dog", "state": "awake"}]}, "set_state: dog: no such alert state"),
    ({"spawn": [{"name": "fox"}]}, "spawn: is already present"),
    ({"remove": ["foks"]}, 'effect: of: no such character (given: "foks"); did you mean "fox"?'),
    ({"seconds": 100}, "frame: seconds: must be above 0 and at most 60 s (given: 100 s)"),
]  # fmt: skip


def test_a_frame_is_carried_out_whole_or_not_at_all() -> None:
    """What is right in it comes first, so that it would have been done."""
    talk = Talk(snelk.load(NIGHT))
    client = Client(talk)
    client.say(type="frame", seconds=0.1, poses={"fox": {"place": [33, 19, 0]}})
    assert talk.live is not None
    before = talk.live.save()
    for more, said in REFUSED_WHOLE:
        frame: dict[str, Any] = {"type": "frame", "seconds": 0.1, "remove": ["owl"]}
        frame["poses"] = {"fox": {"place": [20, 19, 0], "jumps": True}}
        frame["noises"] = [{"kind": "crash", "place": [30, 19, 0], "reach": 50}]
        for key, value in more.items():
            frame[key] = {**frame[key], **value} if isinstance(value, dict) else value
        assert said in client.say(**frame)["text"]
        assert talk.live.save() == before, said


@contextmanager
def served(*words: object) -> Iterator[tuple[subprocess.Popen[str], str]]:
    """`snelk serve` as a process, and its address."""
    command = [sys.executable, "-m", "snelk", "serve", "--port", "0", *map(str, words)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stderr is not None
    try:
        head = [process.stdout.readline() for _ in range(5)]
        assert "Serving" in head[0], process.stderr.read()
        yield process, head[1].split()[-1]
    finally:
        process.kill()
        process.communicate()


def said_over(client: ClientConnection, **message: Any) -> Any:
    client.send(json.dumps(message))
    return checked(json.loads(client.recv()), "from_snelk")


def test_an_event_upstairs_is_told_of_upstairs() -> None:
    run = snelk.run(MILL, overrides={"clock.end": 24.0})
    client = Client(Talk(snelk.load(MILL)), units=UNITS[1])
    events = [
        each
        for _ in range(24)
        for each in client.say(type="frame", seconds=1.0 / UNITS[1].get("time", 1.0))["events"]
    ]
    told = [each["place"] for each in events if each["kind"] == "reached"]
    rows = run.events[run.events.kind == "reached"]
    assert {*rows.z} == {0.0, 2.8}
    for place, row in zip(told, rows.itertuples(), strict=True):
        assert place == pytest.approx(as_said(UNITS[1], row.x, row.y, row.z), abs=1e-6)


def test_clients_come_and_go_over_sockets_and_the_record_replays(tmp_path: Path) -> None:
    with served(
        MILL, "--token", "secret", "--record", tmp_path / "record", "--saves", tmp_path / "saves"
    ) as (process, address):
        with pytest.raises(InvalidStatus, match="403"):  # a page of another site
            connect(address, origin="http://somewhere.example")
        events = []
        with connect(address) as one, connect(address) as other:
            assert "is not the right token" in said_over(one, **HELLO, token="sesame")["text"]
            assert (
                "must be a hello: it comes first" in said_over(one, type="frame", seconds=1)["text"]
            )
            assert said_over(one, **HELLO, token="secret", moves=["cat"])["game"] == "new"
            assert (
                said_over(other, **HELLO, token="secret", units={"length": 0.01})["game"]
                == "goes on"
            )
            for n in range(60):
                client, scale = (one, 1) if n % 3 else (other, 100)
                poses = {"thief": {"place": [scale * (13 - 0.05 * n), scale * 6, 0]}}
                events += said_over(client, type="frame", seconds=0.07, poses=poses)["events"]
            one.send(b"\xff\xfe broken")
            assert json.loads(one.recv())["type"] == "error"
            one.send("x" * 5_000_000)
            with pytest.raises(ConnectionClosed):
                one.recv()
        with connect(address) as again:
            assert (
                "started with other moves"
                in said_over(again, **HELLO, token="secret", moves=["boy"])["text"]
            )
            welcome = said_over(again, **HELLO, token="secret")
            assert (welcome["game"], welcome["t"]) == ("goes on", pytest.approx(4.2))
            assert said_over(again, type="save", name="slot")["t"] == pytest.approx(4.2)
            first = [said_over(again, type="frame", seconds=0.1)["events"] for _ in range(20)]
            said_over(again, type="restore", name="slot")
            assert [
                said_over(again, type="frame", seconds=0.1)["events"] for _ in range(20)
            ] == first
            events += [event for frame in first for event in frame]
            assert "no such" in said_over(again, type="restore", name="other")["text"]
        process.send_signal(signal.SIGTERM)
        rest, complained = process.communicate(timeout=20)
        assert (process.returncode, complained) == (0, "")
        assert "replay it with: snelk run" in rest
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    assert [event["text"] for event in events] == list(run.events.text)
    assert len(events) > 3
    with served(MILL) as (_, address):
        port = address.rstrip("/").rpartition(":")[2]
        with pytest.raises(AssertionError, match="cannot be opened"), served(MILL, "--port", port):
            pass


@pytest.mark.skipif(
    NODE is None and not os.environ.get("SNELK_NEEDS_BROWSER"), reason="needs Node.js"
)
def test_a_game_in_javascript_plays_and_its_record_replays(tmp_path: Path) -> None:
    command = [
        str(NODE),
        str(ROOT / "examples" / "a_game_in_javascript.mjs"),
        sys.executable,
        "-m",
        "snelk",
        "serve",
        str(MILL),
        "--stdio",
        "--record",
        str(tmp_path / "record"),
    ]
    done = subprocess.run(command, capture_output=True, text=True, check=True, timeout=120)
    assert done.stdout == (ROOT / "examples" / "a_game_in_javascript.out").read_text(
        encoding="utf-8"
    )
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    told = [line[9:] for line in done.stdout.splitlines() if " s  " in line]
    wanted = run.events[
        run.events.kind.isin(["changed", "opened", "heard"]) & (run.events.t <= 16.0)
    ]
    assert told == list(wanted.text)
    assert {"spawned"} <= set(run.events.kind)
    assert run.times[-1] == pytest.approx(16.5)  # what was loaded away is not in it


def test_lines_end_when_nobody_says_anything_more(tmp_path: Path) -> None:
    said = b"".join(
        line + b"\n"
        for line in (
            json.dumps({**HELLO, "id": 1}).encode(), b"", b"\xff\xfe", b"x" * 3_000_000,
            json.dumps({"type": "frame", "seconds": 0.3, "id": 2}).encode(),
        )
    )  # fmt: skip
    command = [
        sys.executable,
        "-m",
        "snelk",
        "serve",
        str(NIGHT),
        "--stdio",
        "--record",
        str(tmp_path / "r"),
    ]
    done = subprocess.run(
        command, input=said + b'{"type": "fra', capture_output=True, check=True, timeout=60
    )
    replies = [checked(json.loads(line), "from_snelk") for line in done.stdout.splitlines()]
    assert [reply["type"] for reply in replies] == ["welcome", "error", "error", "frame", "error"]
    assert (replies[0]["id"], replies[3]["id"], replies[3]["ticks"]) == (1, 2, 4)
    assert b"Played up to 0.30 s" in done.stderr
    again = subprocess.run(command, input=b"", capture_output=True, check=False, timeout=60)
    assert again.returncode == 2
    assert b"is not empty; choose another folder, or empty this one" in again.stderr
    assert again.stderr.count(b"\n") == 1


@settings(max_examples=50, deadline=None)
@given(
    st.permutations(["x", "y", "z"]),
    st.tuples(*[st.booleans()] * 3),
    st.tuples(*[st.floats(-1e5, 1e5)] * 3),
    st.floats(1e-3, 1e3),
    st.sampled_from(["deg", "rad", "turns"]),
    st.sampled_from(["ccw", "cw"]),
    st.floats(-360, 360),
    st.floats(-1e3, 1e3),
)
def test_units_lead_there_and_back(
    axes: Any,
    turned: Any,
    place: Any,
    length: float,
    angle: Any,
    turn: Any,
    zero: float,
    heading: float,
) -> None:
    from snelk.config.foreign import GameUnits

    named = {
        mine: ("-" if back else "") + axis
        for mine, back, axis in zip("xyz", turned, axes, strict=True)
    }
    units = GameUnits.model_validate(
        {"axes": named, "length": length, "angle": angle, "turn": turn, "zero": zero}
    )
    told = Told(units)
    assert told.place_out(told.place_in(place)) == pytest.approx(place, rel=1e-12)
    assert math.dist(told.place_in(place), (0, 0, 0)) == pytest.approx(
        length * math.dist(place, (0, 0, 0)), rel=1e-9
    )
    back = units.heading_out(units.heading_in(heading))
    whole = {"deg": 360.0, "rad": math.tau, "turns": 1.0}[angle]
    assert abs(math.remainder(back - heading, whole)) < 1e-8 * whole
    assert -whole / 2 - 1e-9 <= back < whole / 2
