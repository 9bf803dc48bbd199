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
from browser import opened
from test_cli import command

import snelk
from snelk.tuning.parity import parity
from snelk.tuning.sensed import read_log, sensed_by, sensed_in, sensed_in_variants

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
    for each in found.mismatches:
        span = (run.times >= each.start - 1e-9) & (run.times <= each.end + 1e-9)
        assert (theirs[span] == (each.senses == "game")).all()
        assert (ours[span] == (each.senses == "snelk")).all()
    cause = found.causes[0]
    named, _, value = cause.change[0].partition("=")
    assert (named, low <= float(value) <= high) == (f"{FRONT}.{key}", True), cause.text
    assert cause.gains > cause.costs


def test_agreeing_and_looking_at_other_times_is_no_parting(run: snelk.Run, tmp_path: Path) -> None:
    found = parity(run, read_log(logged(run, tmp_path / "log.csv"), run))
    assert (found.agree, found.mismatches, found.causes) == (1.0, [], [])
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
    assert found.pairs[0].mismatches > 60 == len(found.mismatches)
    run.save(tmp_path / "run")
    more = found.pairs[0].mismatches - 60
    assert f"  {more} more are not looked into: only the first 60 of a pair are" in snelk_said(
        tmp_path, "parity", "run", "log.csv"
    )


def test_a_zone_is_held_as_sight_is(night: snelk.Run, tmp_path: Path) -> None:
    """By the events of the run: the bell's zone was entered and left again."""
    run = night
    entered, left = (
        run.events[(run.events.agent == "bell") & (run.events.kind == kind)].t.iloc[0]
        for kind in ("entered", "left")
    )
    rows = f"t,agent,target,sense,sensed\n0,bell,fox,zone,0\n{entered},bell,fox,zone,1\n{left + 2.0},bell,fox,zone,0\n90,bell,fox,zone,0\n"
    (tmp_path / "log.csv").write_text(rows)
    found = parity(run, read_log(tmp_path / "log.csv", run))
    (mismatch,) = found.mismatches
    assert (mismatch.start, mismatch.senses) == (pytest.approx(left), "game")
    assert mismatch.end == pytest.approx(left + 1.9)
    assert found.causes[0].change == ()


def test_variants_without_tables_sense_what_their_runs_sense(night: snelk.Run) -> None:
    scenario = snelk.load(snelk.croft() / "night.toml")
    variants = [{}, {"profiles.goose.cones.wide.range": 6.5}, {"profiles.dog.hearing.acuity": 3.0}]
    first = night
    pairs = [(a, c) for a in first.agents for c in first.names if a != c]
    blank = np.zeros(len(first.times), dtype=np.int8)
    log = snelk.Log({(*pair, each): blank for pair in pairs for each in ("sight", "touch", "zone")})
    log.heard, count = {pair: np.zeros(0) for pair in pairs}, 0
    for variant, found in zip(variants, sensed_in_variants(scenario, variants, log), strict=True):
        ours = sensed_in(snelk.run(scenario, overrides=variant) if variant else night, log)
        for pair, sensed in ours.pairs.items():
            assert (found.pairs[pair] == sensed).all(), pair
        for two, times in ours.heard.items():
            assert times.tolist() == found.heard[two].tolist(), two
            count += len(times)
    assert count > 100


def stretches(run: snelk.Run, agent: str, target: str, sense: str) -> list[dict[str, Any]]:
    """What a game that senses as a run does writes down of it: from when to when."""
    sensed = sensed_by(run, agent, target, sense)
    edges = np.flatnonzero(np.diff(sensed.astype(int), prepend=0, append=0)).reshape(-1, 2)
    who = {"agent": agent, "target": target, "sense": sense}
    dt = run.setup.clock.dt
    return [{"t": run.times[a], "until": run.times[b - 1] + dt, **who} for a, b in edges]


@pytest.mark.parametrize(
    ("key", "number", "sense"),
    [
        ("profiles.dog.hearing.acuity", 0.7, "hearing"),
        ("profiles.dog.hearing.acuity", 1.6, "hearing"),
        ("profiles.dog.touch.radius", 2.6, "touch"),
        ("profiles.dog.touch.radius", 0.6, "touch"),
    ],
)
def test_ears_and_touch_are_held_too(key: str, number: float, sense: str, tmp_path: Path) -> None:
    """A dog awake beside whom the fox goes by; a game whose dog has another number."""
    senses = "[profiles.watcher.hearing]\nacuity = 1.0\n[profiles.watcher.touch]\nradius = 1.5\n"
    senses += "[bodies.post.steps]\nstride = 0.5\ncreeping = 2.5\nwalking = 5.0\nrunning = 6.0\n"
    sample = samples.write_sample(
        tmp_path,
        track="t,id,x,y,heading\n" + "".join(
            f"{0.5 * n},guest,{4 * math.sin(n * 0.21):.3f},{2 * math.sin(n * 0.05):.3f},0\n"
            for n in range(240)
        ),
        profiles=samples.SAMPLE_PROFILES + senses,
    )  # fmt: skip
    key = key.replace("dog", "watcher")
    run, game = snelk.run(sample), snelk.run(sample, overrides={key: number})
    if sense == "touch":
        rows = stretches(game, "guard", "guest", "touch")
    else:
        heard = game.hearing[game.hearing.heard]
        rows = [
            {"t": t, "agent": "guard", "target": "guest", "sense": "hearing", "sensed": "true"}
            for t in heard.t
        ]
    pd.DataFrame(rows).to_csv(tmp_path / "log.csv", index=False)
    log = read_log(tmp_path / "log.csv", run)
    found = parity(run, log)
    assert len(found.mismatches) > 3
    assert {each.senses for each in found.mismatches} == {"game" if number > 1.5 else "snelk"}
    cause = found.causes[0]
    named, _, value = cause.change[0].partition("=")
    assert (named, float(value)) == (key, pytest.approx(number, abs=0.1 * number)), cause.text
    assert cause.explains >= 0.9 * len(found.mismatches)
    if sense == "hearing":
        assert found.pairs[0].ticks == max(len(rows), int(run.hearing.heard.sum()))
    # The same numbers: nothing is apart, also where only stretches are told.
    same = parity(game, read_log(tmp_path / "log.csv", game))
    assert (same.agree, same.mismatches) == (1.0, [])


def test_a_log_of_stretches_says_that_nothing_was_sensed_otherwise(
    run: snelk.Run, tmp_path: Path
) -> None:
    rows = stretches(run, "guard", "guest", "sight")
    frame = pd.DataFrame(rows)
    frame.to_csv(tmp_path / "log.csv", index=False)
    assert parity(run, read_log(tmp_path / "log.csv", run)).agree == 1.0
    frame[1:].to_csv(tmp_path / "log.csv", index=False)
    (missing,) = parity(run, read_log(tmp_path / "log.csv", run)).mismatches
    assert (missing.start, missing.senses) == (pytest.approx(rows[0]["t"]), "snelk")
    assert missing.end == pytest.approx(rows[0]["until"] - 0.5)


def test_who_is_not_in_a_log_of_stretches_was_not_sensed(night: snelk.Run, tmp_path: Path) -> None:
    """And where a log ends early, what was heard later is no mismatch."""
    run = night
    rows = [*stretches(run, "fox", "dog", "sight"), *stretches(run, "gander", "fox", "sight")]
    pd.DataFrame(rows).to_csv(tmp_path / "log.csv", index=False)
    found = parity(run, read_log(tmp_path / "log.csv", run))
    missed = {(each.target, each.senses) for each in found.mismatches}
    assert missed == {("farmer", "snelk"), ("scarecrow", "snelk"), ("bell", "snelk")}
    heard = run.hearing[run.hearing.heard & (run.hearing.agent == "farmer")].dropna(subset="target")
    heard = heard[heard.target == "fox"]
    frame = pd.DataFrame({"t": heard.t, "agent": "farmer", "target": "fox", "sensed": True})
    early = frame.assign(sense="hearing")[frame.t <= frame.t.iloc[4]]
    early.to_csv(tmp_path / "log.csv", index=False)
    log = read_log(tmp_path / "log.csv", run)
    assert {pair: len(times) for pair, times in log.heard.items() if len(times)} == {
        ("farmer", "fox"): len(early)
    }
    assert {target for _, target in log.heard} == {*run.names} - {"farmer"}
    some = parity(run, log)
    counts = [pair.ticks for pair in some.pairs if pair.target == "fox"]
    assert (counts, len(heard) > 8) == ([len(early)], True)


def test_lanes_show_what_each_has_heard_and_its_states(night: snelk.Run, tmp_path: Path) -> None:
    heard = night.hearing[night.hearing.heard & (night.hearing.agent == "farmer")]
    ours = heard[heard.target == "fox"].t.tolist()
    theirs = [t for n, t in enumerate(ours) if n % 3]
    states = night.states[night.states.agent == "dog"]
    shown = states[:-1]  # its last transition is none of the game's
    rows = [{"t": t, "target": "fox", "sense": "hearing", "sensed": 1} for t in theirs]
    frame = pd.DataFrame([row | {"agent": "farmer"} for row in rows])
    other = shown[["t", "state"]].assign(agent="dog")
    log_path = tmp_path / "log.csv"
    pd.concat([frame, other]).sort_values("t").to_csv(log_path, index=False)
    log = read_log(log_path, night)
    drawn = snelk.plot_parity(night, log, parity(night, log))
    lane = ("farmer", "fox", "hearing")
    assert [start for start, _ in drawn.game[lane]] == theirs
    assert [start for start, _ in drawn.snelk[lane]] == ours
    for found, times, last in ((drawn.snelk, states.t, 90.0), (drawn.game, shown.t, log.end)):
        bands = found["dog", "", "state"]
        assert [start for start, _ in bands] == pytest.approx(times.tolist())
        assert [end for _, end in bands] == pytest.approx([*times[1:], last + 0.1])


def test_a_log_of_a_game_is_imported_drawn_and_on_the_page(
    run: snelk.Run, tmp_path: Path, browser: Any
) -> None:
    game = snelk.run(run.info["scenario"], overrides={f"{FRONT}.range": 9.0})
    frame = pd.DataFrame(stretches(game, "guard", "guest", "sight"))
    theirs = {"ms": frame.t * 1000 + 4000, "end": frame.until * 1000 + 4000, "npc": "GUARD_7"}
    pd.DataFrame({**theirs, "of": "Player", "how": "EYES"}).to_csv(tmp_path / "g.csv", index=False)
    words = ["agent.GUARD_7=guard", "target.Player=guest", "sense.EYES=sight"]
    columns = ["t=ms", "until=end", "agent=npc", "target=of", "sense=how"]
    said = command(
        "import", "g.csv", "--as", "log", "--time", "0.001", "--begin", "4000",
        *(word for each in columns for word in ("--column", each)),
        *(word for each in words for word in ("--word", each)), "--out", "log.csv", cwd=tmp_path,
    )  # fmt: skip
    assert "snelk parity RUN log.csv" in said
    log = read_log(tmp_path / "log.csv", run)
    assert (
        log.pairs["guard", "guest", "sight"] == sensed_by(game, "guard", "guest", "sight")
    ).all()
    found = parity(run, log)
    drawn = snelk.plot_parity(run, log, found)
    (lane,) = drawn.lanes
    assert [each[0] for each in drawn.game[lane]] == pytest.approx(list(frame.t))
    assert len(drawn.mismatches[lane]) == len(found.mismatches)
    assert drawn.mismatches[lane][0][1] == 1
    drawn.save(tmp_path / "parity.png")
    opened(browser, snelk.write_page(tmp_path / "page.html", run, log=log))
    each = found.mismatches[0]
    browser.execute_script("snelkPage.go(arguments[0])", (each.start + each.end) / 2)
    told = browser.execute_script("return document.getElementById('answer').innerText")
    assert f"≠ The game: does not have it in view. {found.causes[0].text}" in told
    browser.execute_script("snelkPage.go(arguments[0])", float(frame.t[0]) + 0.2)
    told = browser.execute_script("return document.getElementById('answer').innerText")
    assert "= The game: has it in view" in told
    script = """
const lanes = (name) => snelkPage.lanes.columns[name];
return [Array.from(lanes("apart").left), Array.from(lanes("game").right),
  snelkPage.events.rows.filter((row) => row.kind === "mismatch").length]"""
    apart, until, events = browser.execute_script(script)
    assert apart == pytest.approx([each.start for each in found.mismatches])
    assert until == pytest.approx(list(frame.until))
    assert events == len(found.mismatches)
    with pytest.raises(snelk.InputError, match="can be compared with one run only"):
        snelk.page_of(run, game, log=log)


def test_states_are_held_with_their_delays(night: snelk.Run, tmp_path: Path) -> None:
    run = night
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
        ("t,agent,target\n0,guard,guest\n", "has a target, but no value of sensed"),
        ("t,agent,target,sensed,sense\n0,guard,guest,1,taste\n", "unknown word (given: sense"),
        ("t,agent\n0,guard\n", "contains nothing about any character"),
        ("t,who\n0,guard\n", 'column "agent" is missing'),
        ("t,agent,state\nx,guard,calm\n", "must be a number from 0"),
    ):
        (tmp_path / "wrong.csv").write_text(rows)
        assert said in command("parity", "run", "wrong.csv", cwd=tmp_path, code=2)


def snelk_said(folder: Path, *words: str) -> str:
    from test_cli import in_this_process

    code, said, complained = in_this_process(list(words), folder)
    assert (code, complained) == (1, "")
    return said
