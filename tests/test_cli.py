"""The command line as a process."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

import snelk

ENVIRONMENT = {
    key: value for key, value in os.environ.items() if key not in ("FORCE_COLOR", "COLUMNS")
}


def command(*words: object, cwd: Path, code: int = 0) -> str:
    """Run `snelk` and return what it printed: on standard error if it failed."""
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *map(str, words)],
        cwd=cwd,
        capture_output=True,
        text=True,
        env=ENVIRONMENT | {"PYTHONWARNINGS": "error::ResourceWarning"},
        check=False,
    )
    assert done.returncode == code, done.stderr
    assert "Traceback" not in done.stderr
    assert "\x1b" not in done.stdout
    return done.stderr if code else done.stdout


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, str]:
    folder = tmp_path_factory.mktemp("demo")
    return folder, command("demo", cwd=folder)


def test_demo_writes_runs_draws_and_lists(demo: tuple[Path, str]) -> None:
    folder, text = demo
    assert "   36.90 s  dog lost fox: behind hay-1" in text.splitlines()
    for name in re.findall(r"croft/\S+\.(?:toml|png)", text):
        assert (folder / name).is_file(), name
    pictures = list((folder / "croft" / "runs").glob("*.png"))
    assert len(pictures) == 2
    assert all(
        picture.read_bytes()[16:24] == b"\0\0\5\0\0\0\3 " for picture in pictures
    )  # 1280x800
    first = text.split("Next\n")[1].splitlines()[0].split()[1:]
    assert "behind hay-1" in command(*first, cwd=folder)


def test_demo_keeps_files_that_were_changed(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    path = folder / "croft" / "creatures.toml"
    original = path.read_text()
    path.write_text(original.replace("range = 14.0", "range = 15.0"))
    text = command("demo", cwd=folder)
    assert "kept croft/creatures.toml" in text
    assert "range = 15.0" in path.read_text()
    path.write_text(original)
    command("run", "croft/night.toml", "--out", "croft/runs/night", cwd=folder)


def test_the_starter_runs_as_it_is(tmp_path: Path) -> None:
    hint = command("new", "mine", cwd=tmp_path).split("Next\n")[1].split()[1:]
    assert "hound" in command(*hint, cwd=tmp_path)
    assert "No errors; nothing to warn of." in command("check", "mine/scenario.toml", cwd=tmp_path)
    story = command("why", "runs/scenario", "hound", "child", cwd=tmp_path)
    assert "blocked by low-wall" in story
    assert command("new", "mine", cwd=tmp_path, code=2).startswith("error: mine: is there already")


def test_run_with_changes_and_events_with_filters(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    key = "profiles.goose.cones.wide.range"
    words = ("run", "croft/night.toml", "--set", f"{key}=16", "--set", "clock.dt=0.2")
    text = command(*words, "--out", "wider", cwd=folder)
    assert f"  changed: {key} = 16" in text
    assert "381 ticks of 0.2 s" in text
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
    assert summary["pairs"][0] == {
        "agent": "dog", "target": "fox", "first_seen": 32.3, "in_view": pytest.approx(13.3),
        "times": 2, "heard": 11, "nearest": pytest.approx(9.736, abs=1e-3), "highest_meter": pytest.approx(0.56, abs=0.01),
    }  # fmt: skip


def test_why_tells_gate_by_gate_what_the_library_says(demo: tuple[Path, str]) -> None:
    folder, _ = demo
    words = ("why", "croft/runs/night", "gander", "fox", "--at", 50)
    text = command(*words, cwd=folder)
    answer = snelk.open_run(folder / "croft/runs/night").why("gander", "fox", at=50)
    assert answer.change is not None
    assert answer.headline in text
    assert answer.change.text in " ".join(text.split())
    assert all(len(line) <= 80 for line in text.split("Try it")[0].splitlines())
    assert json.loads(command(*words, "--json", cwd=folder)) == json.loads(
        json.dumps(answer.to_dict())
    )
    retry = text.split("Try it\n")[1].split()[1:]
    command(*retry, cwd=folder)
    after = snelk.open_run(folder / retry[-1]).why("gander", "fox", at=50)
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
    }
    assert {span["sense"] for span in spans} == {"sight", "hearing"}
    story = command("why", "croft/runs/night", "goose-2", "fox", cwd=folder)
    assert all(len(line) <= 80 for line in story.splitlines())
    assert " touch " in story


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
    assert "goose.wide   260° (±130°)" in command("check", "croft/night.toml", cwd=folder)
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
        ("run croft", "error: croft: is a folder, not a file; name a file in it: creatures.toml, night.toml"),
        ("run croft/night.toml --set profiles.gose.like=x", 'error: changes: profiles.gose: no such name; did you mean "goose"?'),
        ("run croft/night.toml --set dt", 'error: --set: must be KEY=VALUE (given: "dt"); such as clock.dt=0.02'),
        ("run croft/night.toml --out croft", "error: croft: exists and is not a run of Snelk; choose another place for the run"),
        ("events croft/runs/nigt", 'error: croft/runs/nigt: no such run; did you mean "night"?'),
        ("events croft/runs/night --kind sow", 'error: --kind: no such kind (given: "sow"); did you mean "saw"?'),
        ("why croft/runs/night dog fox --at 99", "error: time: must lie within the run, 0 to 76 s (given: 99 s)"),
        ("why croft/runs/night dog fox --at 9 --to 10", "error: why: asks two things (given: --at with --from or --to); use one"),
        ("plot map croft/runs/night --at 3 --out x.doc", "error: x.doc: unknown format (given: .doc); use .png, .svg or .pdf"),
        ("schema levels", 'error: schema: KIND: no such kind (given: "levels"); did you mean "level"?'),
    ],
)  # fmt: skip
def test_a_mistake_is_one_line_and_exit_2(demo: tuple[Path, str], words: str, line: str) -> None:
    before = sorted(demo[0].rglob("*"))
    assert command(*words.split(), cwd=demo[0], code=2).splitlines() == [line]
    assert sorted(demo[0].rglob("*")) == before
