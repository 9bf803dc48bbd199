"""The command line as a process."""

from __future__ import annotations

import contextlib
import io
import json
import os
import re
import shutil
import struct
import subprocess
import sys
from pathlib import Path

import pytest
from test_rules import Maker

import snelk
from snelk.cli.start import main

ENVIRONMENT = {
    key: value for key, value in os.environ.items() if key not in ("FORCE_COLOR", "COLUMNS")
}


def command(*words: object, cwd: Path, code: int = 0, process: bool = False) -> str:
    """Run `snelk` and return what it printed: on standard error if it failed.

    As a process of its own where that is what is tested; else through the same entry point in
    this one, as each start costs seconds.
    """
    run = in_a_process if process else in_this_process
    found, said, complained = run([str(word) for word in words], cwd)
    assert found == code, complained
    assert "Traceback" not in complained
    assert "\x1b" not in said
    return complained if code else said


def in_a_process(words: list[str], cwd: Path) -> tuple[int, str, str]:
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *words],
        cwd=cwd,
        capture_output=True,
        text=True,
        env=ENVIRONMENT | {"PYTHONWARNINGS": "error::ResourceWarning"},
        check=False,
    )
    return done.returncode, done.stdout, done.stderr


def in_this_process(words: list[str], cwd: Path) -> tuple[int, str, str]:
    said, complained, code = io.StringIO(), io.StringIO(), 0
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(sys, "argv", ["snelk", *words])
        patch.chdir(cwd)
        for name in ("FORCE_COLOR", "COLUMNS"):
            patch.delenv(name, raising=False)
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(complained):
            try:
                main()
            except SystemExit as end:
                code = end.code if isinstance(end.code, int) else 0
    return code, said.getvalue(), complained.getvalue()


@pytest.fixture(scope="module")
def demo(demos: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, str]:
    folder = tmp_path_factory.mktemp("demo")
    shutil.copytree(demos / "croft", folder / "croft")
    return folder, (demos / "croft.txt").read_text(encoding="utf-8")


def test_wrong_words_are_told_in_a_line_with_what_is_meant(demo: tuple[Path, str]) -> None:
    folder, run = demo[0], "croft/runs/night"
    for words, expected in (
        (["evnts", run], 'no such command (given: "evnts"); did you mean "events"?'),
        (["map", run, "--at", "3"], f"use snelk plot map {run} --at 3"),
        ([run], f"use snelk events {run}"),
        (["croft/night.toml"], "use snelk run croft/night.toml"),
        (["plot", run], f"use snelk plot timeline {run}"),
        (["plot", "tiemline", run], 'no such figure (given: "tiemline"); did you mean "timeline"?'),
        (["plot", "croft"], "known: compare, coverage, map"),
        (["why"], "why: missing argument 'RUN'; see snelk why --help"),
        (["run", "--sett", "x"], 'run: no such option (given: "--sett"); did you mean "--set"?'),
        (["why", run, "dog", "--at", "soon"], 'number (given: "soon"); see snelk why --help'),
        (
            ["why", run, "dog", "--at=soon"],
            'error: snelk why: --at: must be a number (given: "soon")',
        ),
        (["fit", run, "--budget", "2.5"], "error: snelk fit: --budget: must be a whole number"),
        (["plot", "map", run, "--out"], "plot map: option '--out' requires an argument; see snelk"),
        (["events", run, "dog"], "unexpected extra argument(s) (dog); see snelk events --help"),
        (["--versoin"], 'snelk: no such option (given: "--versoin"); did you mean "--version"?'),
    ):
        (line,) = command(*words, cwd=folder, code=2).splitlines()
        assert line.startswith("error: snelk")
        assert expected in line
    for words in ([], ["plot"]):
        assert command(*words, cwd=folder).startswith(" ".join(["Usage: snelk", *words]))


def test_demo_writes_runs_draws_and_lists(demo: tuple[Path, str]) -> None:
    folder, text = demo
    assert "   39.50 s  goose-1 lost fox: behind hay-3" in text.splitlines()
    assert "   50.40 s  dog: asleep → pricked-up (noise, about fox)" in text.splitlines()
    for name in re.findall(r"croft/\S+\.(?:toml|png)", text):
        assert (folder / name).is_file(), name
    pictures = list((folder / "croft" / "runs").glob("*.png"))
    assert len(pictures) == 2
    for picture in pictures:  # 1280 wide, and at least 800 high
        width, height = struct.unpack(">II", picture.read_bytes()[16:24])
        assert width == 1280
        assert height >= 800
    first = text.split("Next\n")[1].splitlines()[0].split()[1:]
    assert "does not see fox" in command(*first, cwd=folder)


def test_the_mill_is_a_demonstration_too(demos: Path, tmp_path: Path) -> None:
    shutil.copytree(demos / "mill", tmp_path / "mill")
    text = (demos / "mill.txt").read_text(encoding="utf-8")
    assert (
        "   49.10 s  miller raised an alarm: 1 of millers learn of sack gone" in text.splitlines()
    )
    for name in re.findall(r"mill/\S+\.(?:toml|png|html)", text):
        assert (tmp_path / name).is_file(), name
    first = text.split("Next\n")[1].splitlines()[0].split()[1:]
    assert "does not see mouse" in command(*first, cwd=tmp_path)
    assert "9 expectations, all hold" in command("verify", "mill/night.toml", cwd=tmp_path)
    # A moment in which nothing happens to anybody, on any floor.
    night = tmp_path / "mill" / "night.toml"
    short = re.sub(r"(?m)^end = .*$", "end = 2.5", night.read_text()).partition("\n[expect.")[0]
    night.write_text(short)
    assert "map at 2.50 s" in command("demo", "mill", cwd=tmp_path)
    said = command("demo", "there", cwd=tmp_path, code=2)
    assert said.startswith(
        'error: demo: NAME: no such demonstration (given: "there"); known: croft, mill'
    )


def test_demo_keeps_files_that_were_changed(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    path = folder / "croft" / "creatures.toml"
    original = path.read_text()
    path.write_text(original.replace("range = 14.0", "range = -1.0"))
    said = command("demo", cwd=folder, code=2)
    assert said.startswith("error: croft/creatures.toml: profiles.")
    assert "must be above 0 m and at most 100000 (given: -1.0)" in said
    assert "range = -1.0" in path.read_text()
    path.write_text(original)
    # Half a second, in which nothing happens.
    night = folder / "croft" / "night.toml"
    whole = night.read_text()
    short = whole.partition("# What has been agreed")[0].replace("\nend = 90.0", "\nend = 0.5")
    night.write_text(short)
    text = command("demo", cwd=folder)
    assert "kept croft/night.toml" in text
    assert "map at 0.50 s" in text
    assert night.read_text() == short
    night.write_text(whole)
    command("run", "croft/night.toml", "--out", "croft/runs/night", cwd=folder)


@pytest.mark.parametrize("words", [(), ("plot",)])
def test_help_says_what_each_command_does_in_80_columns(words: tuple[str], tmp_path: Path) -> None:
    said = command(*words, "--help", cwd=tmp_path, process=True)
    listed = said.partition("Commands:\n")[2].splitlines()
    assert len(listed) >= 5
    assert all(line.endswith(".") and not line.endswith("...") for line in listed)
    assert all(len(line) <= 80 for line in listed)


def test_the_starter_runs_as_it_is(tmp_path: Path) -> None:
    hint = command("new", "mine", cwd=tmp_path, process=True).split("Next\n")[1].split()[1:]
    assert "hound" in command(*hint, cwd=tmp_path)
    assert "No errors; no warnings." in command("check", "mine/scenario.toml", cwd=tmp_path)
    story = command("why", "runs/scenario", "hound", "child", cwd=tmp_path)
    assert "blocked by low-wall" in story
    said = command("new", "mine", cwd=tmp_path, code=2, process=True)
    assert said.startswith("error: mine: is already present")


def test_run_with_overrides_and_events_with_filters(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    key = "profiles.goose.cones.wide.range"
    words = ("run", "croft/night.toml", "--set", f"{key}=16", "--set", "clock.dt=0.2")
    text = command(*words, "--out", "wider", cwd=folder)
    assert f"  changed: {key} = 16" in text
    assert "451 ticks of 0.2 s" in text
    found = json.loads(
        command(
            "events",
            "wider",
            "--agent",
            "goose-1",
            "--kind",
            "saw",
            "--to",
            40,
            "--json",
            cwd=folder,
        )
    )
    assert {(event["agent"], event["kind"]) for event in found} == {("goose-1", "saw")}
    assert all(event["t"] <= 40 for event in found)
    summary = json.loads(command("run", "croft/night.toml", "--out", "again", "--json", cwd=folder))
    assert summary["run"] == "again"
    night = snelk.open_run(folder / "again")
    dog = next(p for p in summary["pairs"] if (p["agent"], p["target"]) == ("dog", "fox"))
    saw = night.events[(night.events.agent == "dog") & (night.events.kind == "saw")]
    meter = night.meters[(night.meters.agent == "dog") & (night.meters.target == "fox")]
    assert (dog["first_seen"], dog["times"]) == (saw.t.iloc[0], len(saw))
    assert dog["highest_meter"] == meter.value.max() > 0.5
    farmer = next(m for m in summary["minds"] if m["agent"] == "farmer")
    states = night.states[night.states.agent == "farmer"]
    assert (farmer["transitions"], farmer["last"]) == (len(states) - 1, states.state.iloc[-1])
    assert farmer["highest"] == "running-after"


def test_why_tells_gate_by_gate_what_the_library_says(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    words = ("why", "croft/runs/night", "gander", "fox", "--at", 34)
    text = command(*words, cwd=folder)
    answer = snelk.open_run(folder / "croft/runs/night").why("gander", "fox", at=34)
    assert answer.counterfactual is not None
    assert answer.headline in " ".join(text.split())
    assert answer.counterfactual.text in " ".join(text.split())
    assert all(len(line) <= 80 for line in text.split("Try it")[0].splitlines())
    assert json.loads(command(*words, "--json", cwd=folder)) == json.loads(
        json.dumps(answer.to_dict())
    )
    retry = text.split("Try it\n")[1].split()[1:]
    command(*retry, cwd=folder)
    after = snelk.open_run(folder / retry[-1]).why("gander", "fox", at=34)
    assert after.in_view != answer.in_view
    spans = json.loads(
        command("why", "croft/runs/night", "gander", "fox", "--from", 30, "--json", cwd=folder)
    )
    assert spans[0]["start"] == 30
    assert {span["reason"] for span in spans if span["sense"] == "sight"} == {
        "line_of_sight",
        "in_view",
        "angle",
        "range",
        "present",
    }
    assert {span["sense"] for span in spans} == {"sight", "hearing"}
    story = command("why", "croft/runs/night", "goose-2", "fox", cwd=folder)
    assert all(len(line) <= 80 for line in story.splitlines())
    assert " hearing " in story


def test_why_tells_about_alert_states(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    night = snelk.open_run(folder / "croft/runs/night")
    text = command("why", "croft/runs/night", "hen-1", "--at", 31, cwd=folder)
    answer = night.why_state("hen-1", at=31)
    assert text.startswith(answer.headline)
    for change in answer.transitions:
        assert f"{change.name} → {change.to}" in text
        for lack in change.missing:
            assert lack in " ".join(text.split())
    assert all(len(line) <= 80 for line in text.splitlines())
    data = json.loads(command("why", "croft/runs/night", "hen-1", "--at", 31, "--json", cwd=folder))
    assert data == json.loads(json.dumps(answer.to_dict()))
    story = command("why", "croft/runs/night", "dog", cwd=folder)
    assert story.count("sniffing") == (night.states.state == "sniffing").sum() == 1
    stays = json.loads(
        command("why", "croft/runs/night", "dog", "--from", 60, "--json", cwd=folder)
    )
    assert [stay["state"] for stay in stays] == ["sniffing", "turning-in", "asleep"]
    assert "has no alert states" in command("why", "croft/runs/night", "bell", cwd=folder, code=2)


def test_searches_are_compared(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    words = ("searches", "croft/night.toml", "farmer", "--seeds", 2)
    data = json.loads(command(*words, "--json", cwd=folder))
    assert {row["method"] for row in data["ways"]} == {"there", "nearby", "hideouts", "likelihood"}
    soonest = [row["until_found"] for row in data["ways"]]
    assert soonest == sorted(soonest)
    assert [(r["method"], r["seed"]) for r in data["runs"]][:3] == [
        ("there", 0),
        ("there", 1),
        ("nearby", 0),
    ]
    alone = snelk.run(
        folder / "croft/night.toml",
        overrides={"profiles.farmer.ladder.states.searching.search.method": "nearby", "seed": 1},
    )
    rows = alone.searches[alone.searches.agent == "farmer"]
    ended = rows[rows.what == "ended"]
    result = next(r for r in data["runs"] if (r["method"], r["seed"]) == ("nearby", 1))
    assert result["outcomes"][: len(ended)] == list(ended.outcome)
    assert result["found"] == (ended.outcome == "found").sum() == 1
    first, second = (each for _, each in rows.groupby("search"))  # which the run's end cuts off
    took = first.t.iloc[-1] - first.t.iloc[0]
    assert (first.outcome.iloc[-1], result["until_found"]) == ("found", pytest.approx(took))
    assert result["seconds"] == pytest.approx(took + alone.times[-1] - second.t.iloc[0])
    assert result["walked"] == pytest.approx(first.walked.iloc[-1] + second.walked.iloc[-1])
    text = command(*words[:-1], 1, cwd=folder)
    assert re.search(r"likelihood +\d of \d +\d+\.\d\d s +\d+ +\d+\.\d\d s +\d+\.\d m", text)
    assert "has no alert state that searches" in command(
        "searches", "croft/night.toml", "owl", cwd=folder, code=2
    )


def test_activities_of_ones_own_come_from_a_file(tmp_path: Path) -> None:
    command("new", "mine", cwd=tmp_path)
    scene = tmp_path / "mine" / "scenario.toml"
    (tmp_path / "acts.py").write_text(
        "import snelk\n@snelk.activity('pace')\ndef pace(me):\n    return snelk.Move(to=(0.0, 0.0))\n"
    )
    (tmp_path / "bad.py").write_text("1 / 0\n")
    ladder = '{ states = { out = { call = { activity = "pace" } } } }'
    words = (
        "run",
        scene,
        "--set",
        f"profiles.hound.ladder={ladder}",
        "--set",
        "profiles.hound.movement={}",
    )
    assert "no such activity is registered" in command(*words, cwd=tmp_path, code=2)
    assert "cannot be run: ZeroDivisionError" in command(
        *words, "--activities", "bad.py", cwd=tmp_path, code=2
    )
    assert "out" in command(*words, "--activities", "acts.py", cwd=tmp_path)


def test_plots_are_written_where_asked(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    command(
        "plot",
        "map",
        "croft/runs/night",
        "--at",
        40,
        "--around",
        "fox",
        "--out",
        "m.svg",
        cwd=folder,
    )
    assert (folder / "m.svg").read_text().startswith("<?xml")
    text = command("plot", "timeline", "croft/runs/night", "--agent", "dog", cwd=folder)
    assert (folder / text.split()[-1]).stat().st_size > 10_000


def test_check_shows_whole_angles_and_warns(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    text = command("check", "croft/night.toml", cwd=folder)
    assert re.search(r"goose\.wide +260° \(±130°\)", text)
    assert re.search(r"dog +sniffing +search +walking +chasing, turning-in", text)
    change = "profiles.goose.cones.wide.hold_range=1"
    text = command("check", "croft/night.toml", "--set", change, "--json", cwd=folder)
    assert [w["name"] for w in json.loads(text)["warnings"]] == ["hold-below-gain"]
    command("check", "croft/night.toml", "--set", change, "--strict", cwd=folder, code=1)


def test_schema_can_be_printed_and_written(tmp_path: Path) -> None:
    printed = command("schema", "level", cwd=tmp_path)
    command("schema", "level", "--out", "level.json", cwd=tmp_path)
    assert json.loads(printed) == json.loads((tmp_path / "level.json").read_text())


@pytest.mark.parametrize(
    ("words", "line"),
    [
        ("run nite.toml", "error: nite.toml: no such file; check the path"),
        ("run croft", "error: croft: is a folder, not a file; use a file in it: creatures.toml, night.toml"),
        ("run croft/night.toml --set profiles.gose.like=x", 'error: overrides: profiles.gose: no such name; did you mean "goose"?'),
        ("run croft/night.toml --set dt", 'error: --set: must be KEY=VALUE (given: "dt"); such as clock.dt=0.02'),
        ("run croft/night.toml --out croft", "error: croft: exists and is not a run; choose another folder for the run"),
        ("events croft/runs/nigt", 'error: croft/runs/nigt: no such run; did you mean "night"?'),
        ("events croft/runs/night --kind sow", 'error: --kind: no such kind (given: "sow"); did you mean "saw"?'),
        ("why croft/runs/night dog fox --at 99", "error: time: must lie within the run, 0 to 90 s (given: 99 s)"),
        ("why croft/runs/night dog fox --at 9 --to 10", "error: why: cannot be combined (given: --at with --from or --to); use one"),
        ("plot map croft/runs/night --at 3 --out x.doc", "error: x.doc: unknown format (given: .doc); use .png, .svg, .pdf, .jpg or .webp"),
        ("schema levels", 'error: schema: KIND: no such kind of file (given: "levels"); did you mean "level"?'),
    ],
)  # fmt: skip
def test_a_mistake_is_one_line_and_exit_2(demo: tuple[Path, str], words: str, line: str) -> None:
    before = sorted(demo[0].rglob("*"))
    assert command(*words.split(), cwd=demo[0], code=2).splitlines() == [line]
    assert sorted(demo[0].rglob("*")) == before


@pytest.mark.parametrize("seed", [0, 7])
def test_of_random_scenes_all_is_told_and_drawn_too(seed: int, tmp_path: Path) -> None:
    """Such as trails that have faded for every nose, and texts that are wider than a table."""
    Maker(seed).scene(tmp_path)
    said = command("check", "scene.toml", cwd=tmp_path)
    command("run", "scene.toml", "--out", "night", cwd=tmp_path)
    run = snelk.open_run(tmp_path / "night")
    said += command("events", "night", cwd=tmp_path)
    for t in run.times[:: len(run.times) // 4].tolist():
        agent, target = run.agents[0], run.names[-1]
        told = command("why", "night", agent, target, "--at", t, cwd=tmp_path)
        said += told.split("Try it")[0]
        command("plot", "map", "night", "--at", t, "--out", f"{t}.png", cwd=tmp_path)
    assert all(len(line) <= 80 for line in said.splitlines())
    assert not re.search(r"\b(nan|inf|None)\b", said)
