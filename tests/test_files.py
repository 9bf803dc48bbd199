"""What is written: whole or not at all, only where it may be, and nothing of somebody else's lost."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from test_cli import ENVIRONMENT, command, in_a_process

import snelk
from snelk import files
from snelk.level.columns import SLOW
from snelk.level.rays import cast_rays
from snelk.plots.style import save_figure
from snelk.runs import store
from snelk.runs.store import TABLES

CROFT = snelk.croft()
NIGHT = CROFT / "night.toml"


@pytest.fixture(scope="module")
def short(tmp_path_factory: pytest.TempPathFactory) -> snelk.Run:
    """Two seconds of the night, saved."""
    folder = tmp_path_factory.mktemp("short") / "night"
    return snelk.run(NIGHT, overrides={"clock.end": 2.0}, out=folder)


def inside(folder: Path) -> list[str]:
    return sorted(path.name for path in folder.iterdir())


def never(*_: object) -> None:
    raise AssertionError("was computed all the same")


def test_a_folder_that_only_looks_like_a_run_is_left_alone(
    tmp_path: Path, short: snelk.Run
) -> None:
    thesis = tmp_path / "thesis"
    thesis.mkdir()
    for text in (
        "{}",
        '{"format": 4}',
        '{"format": 4, "snelk": 1, "scenario": 1, "setup": 1, "rows": 1}',
    ):
        (thesis / "run.json").write_text(text)
        (thesis / "chapter.tex").write_text("years of work")
        said = command("run", NIGHT, "--out", "thesis", cwd=tmp_path, code=2)
        assert "exists and is not a run" in said
        assert sorted(p.name for p in thesis.iterdir()) == ["chapter.tex", "run.json"]


def test_a_rerun_keeps_what_is_not_its_own(tmp_path: Path, short: snelk.Run) -> None:
    short.save(tmp_path / "night")
    (tmp_path / "night" / "notes.md").write_text("look at 1.4 s")
    (tmp_path / "night" / "figures").mkdir()
    (tmp_path / "night" / "figures" / "a.png").write_bytes(b"1")
    snelk.run(NIGHT, overrides={"clock.end": 1.0}, out=tmp_path / "night")
    assert snelk.open_run(tmp_path / "night").times[-1] == 1.0
    assert (tmp_path / "night" / "notes.md").read_text() == "look at 1.4 s"
    assert (tmp_path / "night" / "figures" / "a.png").exists()
    assert inside(tmp_path) == ["night"]


def test_a_run_whose_place_was_just_taken_comes_back(tmp_path: Path, short: snelk.Run) -> None:
    """As if a process had been killed between the two moves."""
    done = subprocess.run(
        [sys.executable, "-c", "import os; print(os.getpid())"], capture_output=True
    )
    short.save(tmp_path / "night")
    (tmp_path / "night").rename(tmp_path / f".night.{int(done.stdout)}.ab.old")
    assert snelk.open_run(tmp_path / "night").times[-1] == 2.0
    assert inside(tmp_path) == ["night"]


def test_drafts_of_the_dead_go_and_are_never_proposed(tmp_path: Path, short: snelk.Run) -> None:
    done = subprocess.run(
        [sys.executable, "-c", "import os; print(os.getpid())"], capture_output=True
    )
    mine = files.draft_beside(tmp_path / "night")
    dead = Path(str(mine).replace(f"-{os.getpid()}-", f"-{int(done.stdout)}-"))
    for draft in (mine, dead):
        short.save(draft)
    with pytest.raises(snelk.InputError) as told:
        snelk.open_run(tmp_path / "nite")
    assert "did you mean" not in str(told.value)
    short.save(tmp_path / "night")
    assert inside(tmp_path) == sorted([mine.name, "night"])


def test_a_place_is_found_wanting_only_where_it_is_so_again_and_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A file system whose dates are coarse tells nothing of what is moved away and back.
    monkeypatch.setattr(store, "_identity", lambda _folder: (1,))
    tried: list[int] = []

    def found_after(times: int) -> str:
        tried.append(times)
        if len(tried) < times:
            raise FileNotFoundError
        return "whole"

    assert store._settled(tmp_path, lambda: found_after(store.STILL)) == "whole"
    tried.clear()
    with pytest.raises(FileNotFoundError):
        store._settled(tmp_path, lambda: found_after(store.STILL + 1))


def test_what_gave_way_is_cleared_also_while_its_place_is_being_taken(tmp_path: Path) -> None:
    aside, place = tmp_path / ".night.old", tmp_path / "night"
    aside.mkdir()
    for name in ("run.json", "notes.txt"):
        (aside / name).touch()
    later = threading.Timer(0.1, place.mkdir)
    later.start()
    store._clear_away(aside, place)
    later.join()
    assert inside(tmp_path) == ["night"]
    assert inside(place) == ["notes.txt"]


def test_many_at_once_leave_one_whole_run(tmp_path: Path, short: snelk.Run) -> None:
    wrong: list[Exception] = []

    def save() -> None:
        try:
            for _ in range(3):
                short.save(tmp_path / "night")
                assert len(snelk.open_run(tmp_path / "night").events) == len(short.events)
        except Exception as error:
            wrong.append(error)

    threads = [threading.Thread(target=save) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong
    assert inside(tmp_path) == ["night"]


def test_threads_may_read_one_run(tmp_path: Path, short: snelk.Run) -> None:
    short.save(tmp_path / "night")
    for _ in range(20):
        run = snelk.open_run(tmp_path / "night")
        with ThreadPoolExecutor(8) as threads:
            for rows in threads.map(lambda _: run.arrow("sight").num_rows, range(8)):  # noqa: B023
                assert rows == short.arrow("sight").num_rows


LINES = {
    "run SCENE --out .": "is not a run;",
    "run SCENE --out file": "is a file, not a folder",
    "run SCENE --out file/run": "cannot be written",
    f"run SCENE --out {'x' * 300}": "File name too long",
    "run SCENE --out loop/run": "Too many levels of symbolic links",
    "page RUN --out .": "unknown format",
    "page RUN --out dir.html": "is a folder, not a file",
    "plot map RUN --at 1 --out file/a.png": "cannot be written",
    "plot timeline RUN --out x.toml": "unknown format",
    "schema scenario --out SCENE": "unknown format",
    "schema scenario --out level.json": "was not written by this command",
    "verify SCENE --junit SCENE": "unknown format",
    "verify SCENE --junit notes.xml": "was not written by this command",
    "coverage SCENE --out fox.csv": "was not written by this command",
    "animate RUN --out a.avi": "unknown format",
}


@pytest.mark.parametrize("line", LINES)
def test_a_place_that_cannot_be_written_is_told_first(
    line: str, tmp_path: Path, short: snelk.Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("snelk.engine.simulation.Simulation.step", never)
    scene = tmp_path / "night.toml"
    for path in snelk.croft().iterdir():
        (tmp_path / path.name).write_bytes(path.read_bytes()) if path.is_file() else None
    (tmp_path / "file").write_text("mine")
    (tmp_path / "level.json").write_text('{"type": "FeatureCollection"}')
    (tmp_path / "notes.xml").write_text("<notes/>")
    (tmp_path / "dir.html").mkdir()
    (tmp_path / "loop").symlink_to("loop")
    before = {p: p.read_bytes() for p in tmp_path.iterdir() if p.is_file()}
    words = [{"SCENE": scene.name, "RUN": short.folder}.get(word, word) for word in line.split()]
    said = command(*words, cwd=tmp_path, code=2)
    assert LINES[line] in said
    assert said.count("\n") == 1
    assert {p: p.read_bytes() for p in tmp_path.iterdir() if p.is_file()} == before


def test_a_run_can_be_named_by_a_dot(short: snelk.Run) -> None:
    assert short.folder is not None
    for words in (("page", "."), ("plot", "timeline", "."), ("why", ".", "owl", "fox", "--at", 1)):
        command(*words, cwd=short.folder)
    assert (short.folder.parent / "night.html").is_file()
    assert (short.folder.parent / "night-timeline.png").is_file()


def test_a_figure_that_fails_leaves_the_good_one(
    tmp_path: Path, short: snelk.Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "a.png"
    axes = snelk.plot_timeline(short).axes
    save_figure(axes, path)
    good = path.read_bytes()

    def full(self: object, draft: Path, **_: object) -> None:
        draft.write_bytes(b"half")
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("matplotlib.figure.Figure.savefig", full)
    with pytest.raises(snelk.InputError, match="No space left"):
        save_figure(axes, path)
    assert path.read_bytes() == good
    assert inside(tmp_path) == ["a.png"]


@pytest.mark.parametrize(("encoding", "some"), [("ascii", 3), ("latin-1", 1), ("cp1252", 1)])
def test_answers_fit_any_encoding(encoding: str, some: int, short: snelk.Run) -> None:
    for words in (["why", "owl", "fox", "--at", "1"], ["events"], ["events", "--json"])[:some]:
        line = [words[0], str(short.folder), *words[1:]]
        done = subprocess.run(
            [sys.executable, "-m", "snelk", *line], capture_output=True, check=False,
            env=ENVIRONMENT | {"PYTHONIOENCODING": encoding, "PYTHONUTF8": "0"},
        )  # fmt: skip
        assert (done.returncode, done.stderr) == (0, b"")
        text = done.stdout.decode(encoding)
        assert text
        if "--json" in words:
            told = [event["text"] for event in json.loads(text)]
            assert told == list(short.events.text)


def copied(folder: Path, *leave: str) -> dict[str, str]:
    """A copy of the package in a checkout of its own, and the environment that takes it."""
    source = Path(snelk.__file__).parent
    shutil.copytree(source, folder / "src" / "snelk", ignore=shutil.ignore_patterns(*leave))
    (folder / "setup.py").touch()
    return ENVIRONMENT | {"PYTHONPATH": str(folder / "src")}


def test_without_machine_code_the_same_rules_run_interpreted(
    tmp_path: Path, short: snelk.Run
) -> None:
    env = copied(tmp_path, "*.so", "*.pyd")
    words = ["run", str(NIGHT), "--set", "clock.end=2", "--out", str(tmp_path / "night")]
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *words], capture_output=True, text=True, env=env, check=True
    )
    assert done.stderr.splitlines()[-1] == SLOW
    again = snelk.open_run(tmp_path / "night")
    for name in TABLES:
        assert again.arrow(name).equals(short.arrow(name)), name
    # What two seconds do not come to: somebody who searches by likelihood, and goes home.
    own, ladder = CROFT.parent / "starter" / "scenario.toml", "profiles.hound.ladder"
    search = {"search": {"method": "likelihood", "give_up": 2.0}}
    over = {
        f"{ladder}.states.looking": search,
        f"{ladder}.transitions.nothing-there.when": "state_for >= 2.5s",
    }
    here = snelk.run(own, overrides=over)
    words = ["run", str(own), "--out", str(tmp_path / "own")]
    written = '{ search = { method = "likelihood", give_up = 2.0 } }'
    words += ["--set", f"{ladder}.states.looking={written}"]
    words += ["--set", f"{ladder}.transitions.nothing-there.when=state_for >= 2.5s"]
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *words],
        capture_output=True,
        text=True,
        env=env,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    again = snelk.open_run(tmp_path / "own")
    assert {"looking", "returning"} <= {*here.states.state}
    assert len(here.likelihood)
    for name in TABLES:
        assert again.arrow(name).equals(here.arrow(name)), name
    # A game that is restored, rays that are followed at once, and a search on a large level.
    code = f"""
import numpy as np, snelk
from snelk.level.rays import cast_rays
live = snelk.Live({str(NIGHT)!r})
live.step()
live.restore(live.save())
live.step()
ends = np.random.default_rng(4).uniform((0, 0, 0), (60, 45, 3), (2, 200, 3))
grid = snelk.Simulation(snelk.load({str(NIGHT)!r})).level.grid
print(grid.has_triangles, live.readout(), [each.tolist() for each in cast_rays(grid, *ends)])
snelk.level.ways.WHOLE = 0
over = {over | {f"{ladder}.states.looking": {"search": {"method": "nearby", "give_up": 2.0}}}}
print("planned" in list(snelk.run({str(own)!r}, overrides=over).searches.what))
"""
    said = [
        subprocess.run([sys.executable, "-c", code], capture_output=True, env=each, check=True)
        for each in (env, ENVIRONMENT)
    ]
    assert said[0].stdout == said[1].stdout
    assert said[0].stdout.startswith(b"True ")
    assert said[0].stdout.endswith(b"True\n")
    # And such as catches: each loop by itself, of the cases that it is tried with every 33rd.
    loops = [Path(__file__).with_name(f"test_{name}.py") for name in ("loops", "walks", "rules")]
    words = [sys.executable, "-m", "pytest", "-q", "-x", "--assert=plain", "-p", "no:cacheprovider"]
    words += [
        *map(str, loops),
        "-k",
        "not crowded and not another_size",
    ]  # which take longer than all others
    few = {**env, "SNELK_EVERY": "33"}
    done = subprocess.run(words, capture_output=True, text=True, env=few, check=False)
    assert done.returncode == 0, done.stdout


def test_machine_code_of_other_sources_is_not_used(tmp_path: Path) -> None:
    env = copied(tmp_path)
    words = [sys.executable, "-m", "snelk", "check", str(NIGHT)]
    assert subprocess.run(words, capture_output=True, env=env, check=False).returncode == 0
    rule = tmp_path / "src" / "snelk" / "level" / "within.py"
    rule.write_text(rule.read_text().replace("<= radius", "< radius"))
    done = subprocess.run(words, capture_output=True, text=True, env=env, check=False)
    assert done.returncode == 2
    assert done.stderr == (
        "error: snelk: its loops were built from other sources; build them with: pip install -e .\n"
    )


def test_an_array_that_a_loop_cannot_read_is_refused_at_the_door(short: snelk.Run) -> None:
    grid = short.level.grid
    start = np.zeros((4, 3))
    for wrong, told in (
        (start.astype(np.float32), "dtype mismatch"),
        (np.zeros((8, 3))[::2], "not C-contiguous"),
        (np.zeros((5, 3)), r"do not match: \(4, 3\), \(5, 3\)"),
    ):
        with pytest.raises(ValueError, match=told):
            cast_rays(grid, start, wrong)


@pytest.mark.skipif(os.name != "posix", reason="processes are looked at as POSIX has them")
def test_workers_end_with_a_sweep_that_was_killed(tmp_path: Path) -> None:
    words = [
        "sweep", str(NIGHT), "--vary", "profiles.dog.hearing.acuity=0.5:2:200", "--jobs", "2",
        "--out", "a.parquet",
    ]  # fmt: skip
    sweep = subprocess.Popen(
        [sys.executable, "-m", "snelk", *words], cwd=tmp_path, stdout=subprocess.PIPE
    )
    workers: set[int] = set()
    deadline = time.monotonic() + 60
    while len(workers) < 2 and time.monotonic() < deadline:
        time.sleep(0.2)
        workers = {
            int(stat.parent.name)
            for stat in Path("/proc").glob("[0-9]*/stat")
            if _is_child(stat, sweep.pid)
        }
    assert len(workers) >= 2
    time.sleep(2.0)
    sweep.kill()
    assert sweep.stdout is not None
    with sweep.stdout:
        sweep.stdout.read()  # ends only when nobody holds the pipe any more
    sweep.wait()
    deadline = time.monotonic() + 20
    while any(files.is_running(each) for each in workers) and time.monotonic() < deadline:
        time.sleep(0.2)
    assert not any(files.is_running(each) for each in workers)


def _is_child(stat: Path, parent: int) -> bool:
    try:
        fields = stat.read_text().rpartition(")")[2].split()
    except OSError:
        return False
    return int(fields[1]) == parent and fields[0] != "Z"


def test_an_import_does_not_shift_columns_or_read_names_as_numbers(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("t,id,x,y\n0,007,1,2\n1,NA,3,4\n")
    made = snelk.import_tracks(tmp_path / "a.csv").tracks
    assert sorted(made.id) == ["007", "NA"]
    (tmp_path / "b.csv").write_text("t,id,x,y\n0,fox,1,2\n\n1,fox,3,4,5\n")
    said = command("import", "b.csv", cwd=tmp_path, code=2)
    assert "b.csv: line 4: must have 4 fields, as the first line has names (given: 5)" in said


def test_changed_activities_make_another_sweep(tmp_path: Path) -> None:
    scene = tmp_path / "mine"
    command("new", "mine", cwd=tmp_path)
    words = [
        "sweep", scene / "scenario.toml", "--vary", "bodies.child.eyes=0.8,0.9", "--out", "a.parquet",
        "--show", "hound.distance_walked", "--json", "--activities", "acts.py",
        "--set", "profiles.hound.movement={}", "--set", "expect={}", "--set", "wish={}",
        "--set", 'profiles.hound.ladder={states={pace={call={activity="pace"}}}}',
    ]  # fmt: skip
    walked = []
    for far in (1.0, 4.0):
        (tmp_path / "acts.py").write_text(
            f"import snelk\n@snelk.activity('pace')\ndef pace(me):\n"
            f"    return snelk.Move(to=(me.home[0] + {far}, me.home[1]))\n"
        )
        code, said, wrong = in_a_process([str(word) for word in words], tmp_path)
        assert code == 0, wrong
        walked.append(json.loads(said)["points"][0]["hound.distance_walked"])
    assert walked[1] > walked[0] + 1.0
