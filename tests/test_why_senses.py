"""Answers about hearing, touch and zones: the change they name is really the limiting one."""

from __future__ import annotations

import math
from collections import Counter
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import samples
import shapely
from test_hearing import STEPS, feature, level_of

import snelk
from snelk.config.scenario import parse_override
from snelk.runs.moment import moment_of
from snelk.runs.senses import explain_declared
from snelk.senses.gates import SMELL, TOUCH, ZONE


def scene(
    folder: Path,
    *,
    share: float,
    wall: float,
    guest: str,
    overrides: dict[str, object],
    top: float = 9.0,
) -> snelk.Run:
    """A guard with ears and touch at the origin, and a wall across the way to the guest."""
    barn = feature(
        "wall", "barn", shapely.LineString([(wall, -2), (wall, 3)]), top=top, hear_through=share
    )
    yard = feature("zone", "yard", shapely.box(-30, -30, 30, 30), ground="gravel")
    profiles = (
        STEPS
        + "[profiles.watcher.touch]\nradius = 2.0\n[grounds]\ngravel = 1.3\n[noise_kinds]\nbang.reach = 6.0\n"
    )
    path = samples.write_sample(folder, track=guest, level=level_of(barn, yard), profiles=profiles)
    return snelk.run(path, overrides={"clock.dt": 0.1, **overrides})


def test_answers_about_hearing_agree_with_every_row_of_the_log(night: snelk.Run) -> None:
    rows = night.hearing[(night.hearing.target == "fox") & (night.hearing.result != "cares")]
    last = rows.drop_duplicates(["agent", "t"], keep="last")
    for row in last.iloc[::23].itertuples():
        answer = night.why(str(row.agent), "fox", at=float(row.t)).sense("hearing")
        assert answer is not None
        assert (answer.result, answer.t, answer.sensed) == (row.result, row.t, row.heard)
        gate = answer.gates[-1]
        if row.around_margin == row.around_margin:
            assert gate.margin == pytest.approx(max(row.straight_margin, row.around_margin))
        elif row.straight_margin == row.straight_margin:
            assert gate.value is not None
            assert gate.margin is not None
            assert gate.margin >= row.straight_margin - 1e-9
        # The walls that are named are those whose shares were multiplied.
        if row.through == row.through:
            named = [
                w for w, _ in night.level.data.walls if f"{w.name} {w.hear_through:g}" in gate.text
            ]
            assert math.prod(w.hear_through for w in named) == pytest.approx(row.through)


def test_the_story_tells_all_senses_in_stretches() -> None:
    keen = {"profiles.goose.hearing.acuity": 3.0, "profiles.goose.touch.radius": 6.0}
    night = snelk.run(snelk.croft() / "night.toml", overrides=keen)
    story = night.story("goose-2", "fox")
    assert [span.start for span in story] == sorted(span.start for span in story)
    assert [span for span in story if span.sense == "sight"] == night.spans("goose-2", "fox")
    noises = [span for span in story if span.sense == "hearing"]
    rows = night.hearing[(night.hearing.agent == "goose-2") & (night.hearing.target == "fox")]
    assert sum(span.noises for span in noises) == len(rows)
    heard = [span for span in noises if span.reason == "heard"]
    assert sum(span.noises for span in heard) == rows.heard.sum()
    assert max(span.strength or 0 for span in heard) == rows.strength.max()
    for one, other in pairwise(noises):  # what belongs together is one
        if (one.reason, one.wall, one.what) == (other.reason, other.wall, other.what):
            assert other.start - one.end > (2.0 if one.reason == "heard" else 10.0)
    felt = [span for span in story if span.sense == "touch"]
    contacts = night.contacts[(night.contacts.agent == "goose-2") & night.contacts.sensed]
    assert felt[0].start == contacts.t.min()
    assert min(span.nearest or 99.0 for span in felt) == contacts.distance.min()
    muffled = night.story("farmer", "fox", start=50, end=55)
    assert all(50 <= span.start <= span.end <= 55.1 for span in muffled)


def test_what_drowned_a_noise_is_told_apart_from_distance_and_walls(tmp_path: Path) -> None:
    base: dict[str, object] = {
        "noise": [
            {"t": n / 10, "kind": "bang", "at": [x, 0.0], "z": 1.0, "by": "guest"}
            for n, x in ((1, 5.0), (2, 8.5), (3, 12.0))
        ]
    }
    walk = samples.track_of((0, 0, 9), (0.5, 0, 9))
    for share, background, reasons in (
        (1.0, 0.0, ["heard", "heard", "quiet"]),
        (0.4, 0.0, ["heard", "muffled", "quiet"]),  # the nearest by the way around
        (1.0, 0.3, ["heard", "drowned", "quiet"]),
    ):
        run = scene(
            tmp_path, share=share, wall=0.8, guest=walk, overrides=base | {"background": background}
        )
        spans = [span for span in run.story("guard", "guest") if span.sense == "hearing"]
        found = [span.reason for span in spans for _ in range(span.noises)]
        assert found == reasons, share


def test_what_is_declared_of_a_sense_answers_as_the_sense_itself_does() -> None:
    """So a sense of which no more is written is told of too."""
    far = {"profiles.dog.touch.radius": 20.0}
    night = snelk.run(snelk.croft() / "night.toml", overrides=far)
    seen = Counter[tuple[str, str]]()
    for agent, target, sense in (
        ("dog", "fox", TOUCH), ("dog", "fox", SMELL), ("dog", "goose-1", SMELL),
        ("bell", "fox", ZONE), ("bell", "gander", ZONE), ("dog", "gander", TOUCH),
    ):  # fmt: skip
        for at in range(0, 90, 9):
            own = night.why(agent, target, at=at).sense(sense.name)
            tick = night.tick_at(at)
            told = explain_declared(night, moment_of(night, agent, target, at), sense, tick)
            assert own is not None
            assert (told.sensed, told.result, told.sense) == (own.sensed, own.result, own.sense)
            own_gates = {gate.name: gate for gate in own.gates}
            for gate in told.gates:
                if gate.passed is not None:
                    assert own_gates[gate.name].passed == gate.passed
                    if gate.margin is not None and own_gates[gate.name].margin is not None:
                        assert gate.margin == pytest.approx(own_gates[gate.name].margin, abs=1e-9)
            failing = [gate.name for gate in told.gates if gate.passed is False]
            assert failing[-1:] == ([] if told.sensed else [told.result])
            assert sense.told is not None
            assert told.sensed == told.headline.endswith(f" s: {sense.told.does}")
            assert told.counterfactual is not None or "is not worked out" in told.no_counterfactual
            seen[sense.name, told.result] += 1
    assert len(seen) >= 7
    assert {(sense.name, "sensed") for sense in (TOUCH, ZONE, SMELL)} <= {*seen}


@pytest.mark.parametrize(
    ("agent", "sense", "key"),
    [
        ("farmer", "hearing", "profiles.farmer.hearing.notices"),
        ("bell", "zone", "profiles.bell.zone_sense.notices"),
    ],
)
def test_who_is_of_no_interest_to_a_sense_would_be_if_its_team_were_noticed(
    night: snelk.Run, agent: str, sense: str, key: str
) -> None:
    times = [t for t in np.arange(40.0, 90.0) if sensed_at(night, agent, sense, t)]
    changes: dict[str, object] = {key: ["croft"], "expect": {}, "wish": {}}
    path = snelk.croft() / "night.toml"
    deaf = snelk.run(path, overrides=changes)
    told = 0
    for t in times:
        answer = deaf.why(agent, "fox", at=t).sense(sense)
        assert answer is not None
        if answer.counterfactual is None:  # something else stands against it in this run, too
            continue
        assert (answer.result, answer.sensed) == ("cares", False)
        if sense == "zone":
            assert answer.headline.endswith(" s: of no interest")
            assert answer.gates[-1].text == "fox is in coop doorstep"
        assert (answer.counterfactual.key, answer.counterfactual.needs) == (key, "wild")
        told += 1
        setting, value = parse_override(answer.counterfactual.settable[0])
        if told == 1:
            changes[setting] = value
            assert sensed_at(snelk.run(path, overrides=changes), agent, sense, t)
    assert told >= 1


def sensed_at(run: snelk.Run, agent: str, sense: str, t: float) -> bool:
    answer = run.why(agent, "fox", at=t).sense(sense)
    return answer is not None and answer.sensed
