"""Work on a cluster: a local one, of which workers die, against one process."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import pytest
from test_cli import command, in_a_process

import snelk
from snelk.tuning import cluster as many
from snelk.tuning.sweep import Progress

KEY = "profiles.hound.meter.fill_time"


class Cluster(NamedTuple):
    address: str
    workers: list[subprocess.Popen[bytes]]


def started(folder: Path, count: int) -> tuple[subprocess.Popen[bytes], Cluster]:
    """A scheduler and workers, each a process of its own, as on other machines."""
    quiet = {
        "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL,
        # Who waits for a worker that was killed just then does not wait for half a minute.
        "env": {**os.environ, "DASK_DISTRIBUTED__COMM__TIMEOUTS__CONNECT": "3s"},
    }  # fmt: skip
    told = folder / "scheduler.json"
    words = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--host", "127.0.0.1",
             "--port", "0", "--no-dashboard", "--scheduler-file", str(told)]  # fmt: skip
    scheduler = subprocess.Popen(words, **quiet)  # type: ignore[call-overload]
    until = time.monotonic() + 60.0
    while not told.is_file():
        assert time.monotonic() < until
        time.sleep(0.05)
    address = json.loads(told.read_text())["address"]
    words = [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1",
             "--no-nanny", "--no-dashboard", "--local-directory", str(folder)]  # fmt: skip
    workers = [subprocess.Popen(words, **quiet) for _ in range(count)]  # type: ignore[call-overload]
    return scheduler, Cluster(address, workers)


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    scheduler, there = started(tmp_path_factory.mktemp("cluster"), 2)
    until = time.monotonic() + 60.0
    while many.threads_of(there.address) < 2:
        assert time.monotonic() < until
    yield there
    for process in (*there.workers, scheduler):
        process.kill()
        process.wait()


@pytest.fixture
def yard(tmp_path: Path) -> Path:
    command("new", "yard", cwd=tmp_path)
    return tmp_path / "yard" / "scenario.toml"


def test_every_command_comes_to_what_one_process_does(cluster: Cluster, yard: Path) -> None:
    there, folder = ("--cluster", cluster.address), yard.parent
    for words in (
        ("coverage", yard, "--target", "child", "--cell", "2", "--json"),
        ("verify", yard, "--seeds", "2", "--json"),
        ("players", yard, "--to", "exit", "--count", "26", "--json"),
        ("sneak", yard, "--target", "child", "--to", "exit", "--cell", "3.5", "--json"),
        ("fit", yard, "--move", f"{KEY}=0.2:3", "--budget", "12", "--json"),
    ):
        assert command(*words, *there, cwd=folder) == command(*words, cwd=folder)
    found = snelk.sneak(yard, target="child", to="exit", cell=4.0, below=0.02, kept=2)
    assert found.closings
    opened = snelk.openings(found, cluster=cluster.address)
    alone = snelk.openings(found)
    assert [each[:4] for each in opened] == [each[:4] for each in alone]
    assert opened


def test_a_sweep_of_which_workers_are_killed_is_the_table_of_one_process(
    cluster: Cluster, yard: Path, tmp_path: Path
) -> None:
    scenario = snelk.load(yard, overrides={"clock.dt": 0.5, "clock.end": 6.0})
    killed = []

    def kill_some(done: int, _: int) -> None:
        if done and not killed:
            killed.append(0)
            cluster.workers[0].kill()

    def sweep(name: str, **how: object) -> bytes:
        made = snelk.sweep(
            scenario,
            vary={KEY: (0.2, 3.0)},
            samples=150,
            out=tmp_path / name,
            **how,  # type: ignore[arg-type]
        )
        return made.path.read_bytes()

    def forget_some(done: int, _: int) -> None:
        """The scheduler forgets all tasks, and then the next time those that are left."""
        if done and len(forgotten) < 2:
            from distributed import Client, Future

            with Client(cluster.address) as other:
                keys = other.run_on_scheduler(lambda dask_scheduler: [*dask_scheduler.tasks])
                forgotten.append(len(keys))
                other.cancel([Future(key, other) for key in keys], force=True)

    forgotten: list[int] = []
    forget: Progress = forget_some
    kept = sweep("forgotten.parquet", cluster=cluster.address, progress=forget)
    assert min(forgotten) > 1
    kill: Progress = kill_some
    there = sweep("there.parquet", cluster=cluster.address, progress=kill)
    assert killed == [0]
    assert there == kept == sweep("alone.parquet", jobs=1)
    assert many.threads_of(cluster.address) == 1

    # It is also those bytes where the batches have other sizes, and where it was stopped before.
    def stop(done: int, _: int) -> None:
        if done >= 75:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        sweep("again.parquet", jobs=1, progress=stop)
    assert sweep("again.parquet", cluster=cluster.address) == there


WRITTEN = """import snelk
REACH = 1.5

@snelk.activity("pace about")
def pace(me):
    if me.t > FROM:
        raise ValueError("no more")
    return snelk.Move(to=(me.home[0] + me.chance.normal(0.0, REACH), me.home[1]), again=0.2)
"""


def test_activities_of_ones_own_go_to_other_machines(cluster: Cluster, yard: Path) -> None:
    creatures = yard.parent / "creatures.toml"
    call = 'call = { activity = "pace about" }  #'
    creatures.write_text(creatures.read_text().replace("stand = {}", call))
    own = yard.parent / "own.py"
    words = ["sweep", yard, "--vary", f"{KEY}=0.5:3:60", "--activities", own, "--json"]
    for name, how in (("there", ("--cluster", cluster.address)), ("here", ("--jobs", "1"))):
        own.write_text(WRITTEN.replace("FROM", "99"))
        command(*words, *how, "--out", f"{name}.parquet", cwd=yard.parent)
        own.write_text(WRITTEN.replace("FROM", "4.1"))
        said = command(*words, *how, "--out", "faulty.parquet", cwd=yard.parent, code=2)
        assert said.startswith(f"error: {own}:7: activity ")
        assert 'activity "pace about" of hound at 4.2 s: raised ValueError: no more;' in said
    tables = [(yard.parent / f"{name}.parquet").read_bytes() for name in ("there", "here")]
    assert tables[0] == tables[1]


def test_what_is_wrong_with_a_cluster_is_told_in_a_line(
    yard: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, cluster: Cluster
) -> None:
    words = ["sweep", str(yard), "--vary", f"{KEY}=1,2", "--out", "s.parquet", "--cluster"]
    code, said, complained = in_a_process([*words, "127.0.0.1:9"], tmp_path)
    assert (code, said) == (2, "")
    assert complained.strip() == (
        "error: --cluster: no Dask scheduler answers there (given: 127.0.0.1:9); "
        "start one: dask scheduler, then on each machine dask worker ADDRESS"
    )
    assert "no Dask scheduler" in command(*words, "nowhere", cwd=tmp_path, code=2)
    monkeypatch.setattr(many, "version", lambda _: "0.0.7")
    assert "has another Snelk than this one, 0.0.7" in command(
        *words, cluster.address, cwd=tmp_path, code=2
    )
    monkeypatch.undo()

    def cut_off(*_: object) -> None:
        raise ConnectionResetError("in the middle of a question")

    monkeypatch.setattr(many, "_look_over", cut_off)
    with pytest.raises(ConnectionResetError):  # what the work itself raised
        many.threads_of(cluster.address)
    monkeypatch.setattr(many, "_answers", lambda _: False)
    with pytest.raises(snelk.InputError, match="no longer answers"):
        many.threads_of(cluster.address)
    monkeypatch.undo()
    monkeypatch.setattr(many, "ANSWERS_WITHIN", 2.0)
    for worker in cluster.workers:
        worker.kill()
        worker.wait()
    assert "has no workers" in command(*words, cluster.address, cwd=tmp_path, code=2)
    assert not (tmp_path / "s.parquet").exists()
