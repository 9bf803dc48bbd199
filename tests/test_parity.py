"""A game's own log held against a run: what was done otherwise there is found, and named."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
import samples
from test_cli import command

import snelk
from snelk.tuning.parity import parity, read_log, sensed_by

FRONT = "profiles.watcher.cones.front"


def walk(folder: Path) -> Path:
    """A guard who stands, and a guest who walks to and fro through its cone for 200 s."""
    rows = "t,id,x,y,heading\n"
    for n in range(400):
        x = 8 + 7 * math.sin(n * 0.13) * math.cos(n * 0.017)
        rows += f"{n * 0.5},guest,{x:.4f},{9 * math.sin(n * 0.071 + 1):.4f},0\n"
    return samples.write_sample(folder, track=rows)


def logged(run: snelk.Run, path: Path, *, every: int = 1, **more: Any) -> Path:
    """What a game that senses as a run does writes down."""
    seen = sensed_by(run, "guard", "guest", "sight")
    frame = pd.DataFrame({"t": run.times, "agent": "guard", "target": "guest", "sensed": seen})
    frame.assign(**more)[::every].to_csv(path, index=False)
    return path


@pytest.fixture(scope="module")
def run(tmp_path_factory: pytest.TempPathFactory) -> snelk.Run:
    return snelk.run(walk(tmp_path_factory.mktemp("walk")))


@pytest.mark.parametrize(
    ("key", "number", "low", "high"),
    [
        ("range", 9.0, 8.5, 9.2),
        ("range", 11.5, 11.0, 12.0),
        ("fov_whole", 100.0, 95.0, 105.0),
        ("fov_whole", 60.0, 55.0, 70.0),
        ("hold_range", 10.0, 10.0, 10.5),
        ("hold_fov_whole", 90.0, 90.0, 95.0),
    ],
)
def test_a_number_that_is_another_there_is_named(
    run: snelk.Run, tmp_path: Path, key: str, number: float, low: float, high: float
) -> None:
    game = snelk.run(run.info["scenario"], overrides={f"{FRONT}.{key}": number})
    found = parity(run, read_log(logged(game, tmp_path / "log.csv"), run))
    ours, theirs = (sensed_by(each, "guard", "guest", "sight") for each in (run, game))
    assert found.agree == pytest.approx(1.0 - (ours != theirs).mean())
    for each in found.partings:
        span = (run.times >= each.start - 1e-9) & (run.times <= each.end + 1e-9)
        assert (theirs[span] == (each.senses == "game")).all()
        assert (ours[span] == (each.senses == "snelk")).all()
    cause = found.causes[0]
    named, _, value = cause.change[0].partition("=")
    assert (named, low <= float(value) <= high) == (f"{FRONT}.{key}", True), cause.text
    assert cause.gains > cause.costs


def test_agreeing_and_looking_at_other_times_is_no_parting(run: snelk.Run, tmp_path: Path) -> None:
    found = parity(run, read_log(logged(run, tmp_path / "log.csv"), run))
    assert (found.agree, found.partings, found.causes) == (1.0, [], [])
    # Rows hold until the next; what was before the first and after the last is not known.
    frame = pd.read_csv(tmp_path / "log.csv")
    changes = frame[frame.sensed != frame.sensed.shift()]
    pd.concat([changes, frame.tail(1)])[1:].to_csv(tmp_path / "changes.csv", index=False)
    some = parity(run, read_log(tmp_path / "changes.csv", run))
    assert (some.agree, some.pairs[0].ticks) == (
        1.0,
        int((run.times >= changes.t.iloc[1] - 1e-6).sum()),
    )


def test_more_partings_than_are_looked_into_are_said(run: snelk.Run, tmp_path: Path) -> None:
    frame = pd.DataFrame({"t": run.times, "agent": "guard", "target": "guest"})
    frame.assign(sensed=(np.arange(len(frame)) // 2) % 2 == 0).to_csv(
        tmp_path / "log.csv", index=False
    )
    found = parity(run, read_log(tmp_path / "log.csv", run))
    assert found.pairs[0].partings > 60 == len(found.partings)
    run.save(tmp_path / "run")
    more = found.pairs[0].partings - 60
    assert f"  {more} more are not looked into: only the first 60 of a pair are" in snelk_said(
        tmp_path, "parity", "run", "log.csv"
    )


def test_a_zone_is_held_as_sight_is(tmp_path: Path) -> None:
    """By the events of the run: the bell's zone was entered and left again."""
    run = snelk.run(snelk.croft() / "night.toml")
    entered, left = (
        run.events[(run.events.agent == "bell") & (run.events.kind == kind)].t.iloc[0]
        for kind in ("entered", "left")
    )
    rows = f"t,agent,target,sense,sensed\n0,bell,fox,zone,0\n{entered},bell,fox,zone,1\n{left + 2.0},bell,fox,zone,0\n90,bell,fox,zone,0\n"
    (tmp_path / "log.csv").write_text(rows)
    found = parity(run, read_log(tmp_path / "log.csv", run))
    (parting,) = found.partings
    assert (parting.start, parting.senses) == (pytest.approx(left), "game")
    assert parting.end == pytest.approx(left + 1.9)
    assert found.causes[0].change == ()


def test_states_are_held_with_their_delays(tmp_path: Path) -> None:
    run = snelk.run(snelk.croft() / "night.toml")
    rows = run.states[run.states.agent == "dog"]
    late = np.where(rows.transition.notna(), 0.3, 0.0)
    names = rows.state.replace({"chasing": "HUNT"})
    log = pd.DataFrame({"t": rows.t + late, "agent": "dog", "state": names})
    pd.concat([log, pd.DataFrame({"t": [90.0], "agent": "dog", "state": names.iloc[-1:]})]).to_csv(
        tmp_path / "log.csv", index=False
    )
    with pytest.raises(snelk.InputError, match='state = "HUNT"'):
        read_log(tmp_path / "log.csv", run)
    (state,) = parity(run, read_log(tmp_path / "log.csv", run, {"HUNT": "chasing"})).states
    assert state.delay == pytest.approx(0.3, abs=0.11)  # to the tick
    assert (state.entered, state.missed) == (len(rows) - 1, 0)
    assert state.agree == pytest.approx(1.0 - 3 * (len(rows) - 1) / len(run.times), abs=0.01)


def test_on_the_command_line(run: snelk.Run, tmp_path: Path) -> None:
    run.save(tmp_path / "run")
    game = snelk.run(run.info["scenario"], overrides={f"{FRONT}.range": 9.0})
    logged(game, tmp_path / "log.csv")
    said = command("parity", "run", "log.csv", cwd=tmp_path, code=1)
    assert said == ""  # nothing is complained of: it is an answer
    told = json.loads(snelk_said(tmp_path, "parity", "run", "log.csv", "--json"))
    assert told["causes"][0]["change"] == [f"{FRONT}.range=9"]
    text = snelk_said(tmp_path, "parity", "run", "log.csv")
    assert f"{FRONT}.range = 9 instead of 10.0 would explain 2" in " ".join(text.split())
    assert all(len(line) <= 80 for line in text.splitlines())
    logged(run, tmp_path / "same.csv")
    assert "They agree everywhere" in command("parity", "run", "same.csv", cwd=tmp_path)
    for rows, said in (
        (
            "t,agent,target,sensed\n0,gard,guest,1\n",
            'line 2: no such agent (given: agent = "gard"); did you mean "guard"?',
        ),
        ("t,agent,target,sensed\n0,guard,guest,maybe\n", "must be true or false"),
        ("t,agent,target\n0,guard,guest\n", "has a target without sensed"),
        ("t,agent,target,sensed,sense\n0,guard,guest,1,smell\n", "cannot be held against a run"),
        ("t,agent\n0,guard\n", "says nothing of anybody"),
        ("t,who\n0,guard\n", 'column "agent" is missing'),
        ("t,agent,state\nx,guard,calm\n", "is no number"),
    ):
        (tmp_path / "wrong.csv").write_text(rows)
        assert said in command("parity", "run", "wrong.csv", cwd=tmp_path, code=2)


def snelk_said(folder: Path, *words: str) -> str:
    from test_cli import in_this_process

    code, said, complained = in_this_process(list(words), folder)
    assert (code, complained) == (1, "")
    return said
