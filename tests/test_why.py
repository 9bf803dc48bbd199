"""Answers: they agree with the log, and the change they name is really the smallest."""

from __future__ import annotations

import itertools
import json
import math
import re
import subprocess
import sys
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
import samples

import snelk
from snelk.config.scenario import parse_override
from snelk.runs.number_changes import smallest_first
from snelk.senses.sight import GATES

HAIR = 1e-6


def test_stretches_cover_the_run_and_agree_with_the_log(night: snelk.Run) -> None:
    for agent in set(night.agents) - {"bell", "fox"}:  # the bell has no cones
        spans = night.spans(agent, "fox")
        assert (spans[0].start, spans[-1].end) == (0.0, 90.0)
        assert all(a.end == b.start and a.text != b.text for a, b in pairwise(spans))
        rows = night.sight[(night.sight.agent == agent) & (night.sight.target == "fox")]
        looks = rows.groupby("t").in_view.any()
        for span in spans:
            during = looks[(looks.index >= span.start) & (looks.index < span.end)]
            assert (during == (span.reason == "in_view")).all()
            assert len(during) > 0
        events = night.events[(night.events.agent == agent) & (night.events.target == "fox")]
        reasons = ["", *(span.reason for span in spans)]
        gained = [
            span.start
            for before, span in zip(reasons, spans, strict=False)
            if span.reason == "in_view" != before
        ]
        assert gained == list(events[events.kind == "saw"].t)


def test_stretches_between_two_times_are_those_of_the_run_cut_there(night: snelk.Run) -> None:
    for agent, start, end in (("gander", 26.34, 40.0), ("farmer", 30.0, 90.0), ("owl", 0.5, 60.0)):
        whole, cut = night.spans(agent, "fox"), night.spans(agent, "fox", start=start, end=end)
        start, end = (float(night.times[night.tick_at(t)]) for t in (start, end))
        last = min(end + 0.1, 90.0)
        inside = [
            replace(each, start=max(each.start, start), end=min(each.end, last))
            for each in whole
            if each.start < last - 1e-6 and each.end > start + 1e-6
        ]
        said = [
            [(each.reason, round(each.start, 6), round(each.end, 6)) for each in spans]
            for spans in (cut, inside)
        ]
        assert len(cut) >= 2
        assert said[0] == said[1], agent


def test_that_nobody_told_it_is_said_until_somebody_does(night: snelk.Run) -> None:
    told = night.table("voices")
    first = told[told.result == "told"].drop_duplicates(["listener", "target"])
    assert len(first) > 4
    for row in first.itertuples():
        said = [
            [
                text
                for text in night.why(row.listener, row.target, at=t).lacks
                if "no message" in text
            ]
            for t in (row.t - 0.1, row.t)
        ]
        assert (len(said[0]), said[1]) == (1, [])


CASE = {
    "x": 5.0,
    "reach": 8.0,
    "held": False,
    "guard_z": 0.0,
    "steep": 90.0,
    "least_light": 0.0,
    "light": 1.0,
    "awake": 1.0,
}


@pytest.mark.parametrize(
    ("other", "key"),
    [
        ({"x": 1.461, "reach": 2.267, "held": True}, "hold_range"),
        ({"awake": 0.6}, "awake"),  # too far off only as it is half asleep
        ({"reach": 5.0}, "range"),  # as far off as it sees
        ({"awake": 0.0}, "awake"),  # and as it sleeps
        ({"least_light": 0.6, "light": 0.45}, "min_light"),  # only too dark
        ({"guard_z": 1.5, "steep": 5.0}, "down"),  # only too low
    ],
)
def test_at_the_limits_what_is_named_is_another_number_and_turns_the_answer(
    other: dict[str, Any], key: str, tmp_path: Path
) -> None:
    case = {**CASE, **other}
    x, reach, held, steep = case["x"], case["reach"], case["held"], case["steep"]
    profiles = samples.SAMPLE_PROFILES.replace("\nhold_fov_whole = 120", "")
    hold = f"range = 3\nhold_range = {max(reach, 3.0)}" if held else f"range = {reach}"
    profiles = profiles.replace(
        "range = 10.0\nhold_range = 12.0",
        f"{hold}\nmin_light = {case['least_light']}\nup = {steep}\ndown = {steep}",
    )
    track = samples.track_of((0, 0.5 if held else x, 0), (0.5, x, 0))
    path = samples.write_sample(tmp_path, track=track, profiles=profiles)
    guard = f"at = [0, 0]\nz = {case['guard_z']}\nawake = {case['awake']}"
    path.write_text(f"light = {case['light']}\n" + path.read_text().replace("at = [0, 0]", guard))
    answer = snelk.run(path).why("guard", "guest", at=0.5 if held else 0.0)
    named = [*filter(None, (answer.counterfactual, *answer.others))]
    today = {"fov_whole": 90.0, **({} if held else {"range": reach})}
    assert any(change.key.endswith(key) for change in named)
    for change in named:  # `now` is what is written today, however awake it is
        word = change.key.rpartition(".")[2]
        assert change.now == pytest.approx(today.get(word, change.now))
        said, now = re.findall(r"[≥≤<>] ([\d.]+)[^(]*\(is ([\d.]+)\)", change.text)[0]
        assert float(said) != float(now), change.text
        again = snelk.run(path, overrides=dict(map(parse_override, change.settable)))
        assert again.why("guard", "guest", at=answer.t).in_view != answer.in_view, change


def test_last_digits_do_not_decide_which_change_is_named_first() -> None:
    sizes = {"reach": 1.0 + 1e-13, "acuity": 1.0, "wall": 0.5 + 1e-6, "door": 0.5}
    found: Any = [(size, SimpleNamespace(key=key)) for key, size in sizes.items()]
    assert [each.key for each in smallest_first(found)] == ["door", "wall", "reach", "acuity"]


@pytest.mark.parametrize(
    ("at", "words"),
    [
        ("[-12, 0]", "in the front cone range and angle fail together"),
        ("[5, 0]\n[cast.more]\nteam = 'visitors'\nbody = 'post'\nat = [1, 1]", "not seen if"),
    ],
)
def test_says_so_when_no_single_number_is_enough(tmp_path: Path, at: str, words: str) -> None:
    answer = snelk.run(samples.write_sample(tmp_path, guest=f"at = {at}")).why(
        "guard", "guest", at=0
    )
    assert words in (
        answer.counterfactual.text if answer.counterfactual else answer.no_counterfactual
    )


def test_two_cones_that_see_leave_no_single_change(night: snelk.Run) -> None:
    both = night.sight[(night.sight.agent == "farmer") & night.sight.in_view].t.value_counts()
    answer = night.why("farmer", "fox", at=float(both[both == 2].index.min()))
    assert answer.counterfactual is None
    assert answer.no_counterfactual == "no single number: 2 cones see it (far, near)"


@pytest.mark.parametrize(
    ("agent", "target", "at", "message"),
    [
        (
            "fxo",
            "dog",
            1,
            r'agent: no such character \(given: "fxo"\); did you mean "fox"\?',
        ),
        ("dog", "cat", 1, r'target: no such character \(given: "cat"\)'),
        ("dog", "dog", 1, "target: nobody senses themselves"),
        ("dog", "fox", 99, r"time: must lie within the run, 0 to 90 s \(given: 99 s\)"),
        ("dog", "fox", math.nan, "time: must lie within the run"),
    ],
)
def test_wrong_questions(
    night: snelk.Run, agent: str, target: str, at: float, message: str
) -> None:
    with pytest.raises(snelk.InputError, match=message):
        night.why(agent, target, at=at)


def test_all_gates_are_told_also_of_who_is_not_there(night: snelk.Run) -> None:
    absent = 0
    for agent, target in itertools.permutations(night.names, 2):
        if agent not in night.agents:
            continue
        for cone in night.why(agent, target, at=89.0).cones:
            assert [gate.name for gate in cone.gates] == list(GATES)
            absent += cone.gates[0].passed is False
    assert absent > 3


def test_answers_are_plain_data(night: snelk.Run) -> None:
    data = json.loads(json.dumps(night.why("gander", "fox", at=34.0).to_dict()))
    assert data["counterfactual"]["key"] == "profiles.gander.cones.wide.fov_whole"
    assert data["cones"][0]["result"] == "angle"


SLOW = ("cython", "pandas", "scipy", "matplotlib", "rich", "numpy.ma", "shapely", "lark")
"""What takes long to load, and is not needed for each question."""


@pytest.mark.parametrize(
    ("question", "answer", "loaded"),
    [
        ("events RUN --kind caught", "events; the run has", []),
        ("why RUN farmer fox --at 65", "farmer does not see fox at 65.00 s: ", ["shapely"]),
        ("why RUN farmer --at 40", "farmer is indoors at 40.00 s", ["lark"]),
        ("why RUN bell fox", "in coop doorstep", []),
        ("why RUN dog", "asleep", []),
        ("run NIGHT --out RUN-2", "Written to", ["numpy.ma", "shapely", "lark"]),
    ],
)
def test_a_question_loads_no_more_than_it_needs(
    night: snelk.Run, tmp_path: Path, question: str, answer: str, loaded: list[str]
) -> None:
    night.save(tmp_path / "night")
    asked = question.replace("RUN", str(tmp_path / "night"))
    words = ["snelk", *asked.replace("NIGHT", str(snelk.croft() / "night.toml")).split()]
    code = (
        "import sys; from snelk.cli.start import main\n"
        f"sys.argv = {words!r}\n"
        "try:\n    main()\n"
        "except SystemExit:\n    pass\n"
        f"print([name for name in {SLOW} if name in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert answer in done.stdout
    assert done.stdout.splitlines()[-1] == str(loaded)
