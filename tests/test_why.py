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
from hypothesis import Phase, assume, example, given, settings
from hypothesis import strategies as st

import snelk
from snelk.config.models import Setup
from snelk.config.scenario import parse_override
from snelk.runs.number_changes import smallest_first
from snelk.runs.store import TABLES
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


def with_other_numbers(run: snelk.Run, setup: Setup, *, wall_top: float | None = None) -> snelk.Run:
    """The same past, that is the same tables, but another present."""
    info = {**run.info, "setup": setup.model_dump(mode="json")}
    data = run.level.data
    if wall_top is not None:
        wall, outline = data.walls[0]
        data = replace(data, walls=((wall.model_copy(update={"top": wall_top}), outline),))
    return snelk.Run(info, snelk.Level(data), tables={name: run.arrow(name) for name in TABLES})


def within_its_rule(key: str, value: float) -> bool:
    """Whether a file may hold the value."""
    rules = {
        "awake": (0, 1),
        "min_light": (0, 1),
        "min_exposure": (0, 0.999),
        "up": (0, 90),
        "down": (0, 90),
    }
    low, high = rules.get(key.rsplit(".", 1)[-1], (1e-9, 360))
    return low <= value <= high


def number(low: float, high: float) -> st.SearchStrategy[float]:
    return st.floats(low, high).map(lambda value: round(value, 3))


@given(
    x=number(-14, 14),
    y=number(-14, 14),
    reach=number(2, 15),
    fov=number(10, 350),
    least=st.sampled_from([0.0, 0.2, 0.6]),
    top=number(0.1, 1.9),
    wall=number(1, 6),
    held=st.booleans(),
    guard_z=st.sampled_from([0.0, 1.5, -1.5]),
    steep=st.sampled_from([5.0, 20.0, 90.0]),
    least_light=st.sampled_from([0.0, 0.3, 0.6]),
    light=st.sampled_from([0.3, 0.45, 1.0]),
    awake=st.sampled_from([1.0, 0.6]),
)
# Each case replays several scenarios, so a failure is told as it was found, not made smaller.
@settings(max_examples=24, deadline=None, phases=[Phase.explicit, Phase.generate])
@example(
    x=1.461, y=0.0, reach=2.267, fov=90.0, least=0.0, top=1.0, wall=6.0, held=True,
    guard_z=0.0, steep=90.0, least_light=0.0, light=1.0, awake=1.0,
)  # fmt: skip
@example(  # too far off only as it is half asleep
    x=5.0, y=0.0, reach=8.0, fov=90.0, least=0.0, top=1.0, wall=6.0, held=False,
    guard_z=0.0, steep=90.0, least_light=0.0, light=1.0, awake=0.6,
)  # fmt: skip
@example(  # as far off as it sees
    x=5.0, y=0.0, reach=5.0, fov=90.0, least=0.0, top=1.0, wall=6.0, held=False,
    guard_z=0.0, steep=90.0, least_light=0.0, light=1.0, awake=1.0,
)  # fmt: skip
@example(  # and as it sleeps
    x=5.0, y=0.0, reach=8.0, fov=90.0, least=0.0, top=1.0, wall=6.0, held=False,
    guard_z=0.0, steep=90.0, least_light=0.0, light=1.0, awake=0.0,
)  # fmt: skip
@example(  # only too dark
    x=5.0, y=0.0, reach=8.0, fov=90.0, least=0.0, top=1.0, wall=6.0, held=False,
    guard_z=0.0, steep=90.0, least_light=0.6, light=0.45, awake=1.0,
)  # fmt: skip
@example(  # only too low
    x=5.0, y=0.0, reach=8.0, fov=90.0, least=0.0, top=1.0, wall=6.0, held=False,
    guard_z=1.5, steep=5.0, least_light=0.0, light=1.0, awake=1.0,
)  # fmt: skip
def test_a_hair_beyond_the_named_change_turns_the_answer_and_a_hair_short_does_not(
    tmp_path_factory: pytest.TempPathFactory,
    x: float,
    y: float,
    reach: float,
    fov: float,
    least: float,
    top: float,
    wall: float,
    held: bool,
    guard_z: float,
    steep: float,
    least_light: float,
    light: float,
    awake: float,
) -> None:
    assume(math.hypot(x, y) > 0.5)
    folder = tmp_path_factory.mktemp("why")
    profiles = samples.SAMPLE_PROFILES.replace(
        "fov_whole = 90\nhold_fov_whole = 120", f"fov_whole = {fov}"
    )
    hold = f"range = 3\nhold_range = {max(reach, 3.0)}" if held else f"range = {reach}"
    profiles = profiles.replace(
        "range = 10.0\nhold_range = 12.0",
        f"{hold}\nmin_exposure = {least}\nmin_light = {least_light}\nup = {steep}\ndown = {steep}",
    )
    outline = [(wall, -20.0), (wall, 20.0)]
    level = samples.wall_feature("wall", outline, top=top)
    track = (
        samples.track_of((0, 0.5, 0), (0.5, x, y))
        if held
        else samples.track_of((0, x, y), (1, x, y))
    )
    path = samples.write_sample(folder, track=track, level=level, profiles=profiles)
    guard = f"at = [0, 0]\nz = {guard_z}\nawake = {awake}"
    path.write_text(f"light = {light}\n" + path.read_text().replace("at = [0, 0]", guard))
    at = 0.5 if held else 0.0
    run = snelk.run(path)
    answer = run.why("guard", "guest", at=at)
    named = [*filter(None, (answer.counterfactual, *answer.others))]
    today = {"fov_whole": fov, **({} if held else {"range": reach})}
    for change in named:  # what is written today, however awake it is
        word = change.key.rpartition(".")[2]
        assert change.now == pytest.approx(today.get(word, change.now))
    failing = {gate.name for gate in answer.cones[0].gates if gate.passed is not True}
    near = guard_z == 0.0 and math.hypot(x, y) < reach - 0.01
    if near and failing and failing <= {"awake", "range"}:
        assert [change.key for change in named if change.key.endswith("awake")]
    ends = {"light": "min_light", "elevation": "down"}
    if failing in ({"light"}, {"elevation"}) and guard_z >= 0.0:  # what alone turns it is named
        assert any(change.key.endswith(ends[next(iter(failing))]) for change in named)
    for change in named:
        assert isinstance(change.needs, float)
        said, now = re.findall(r"[≥≤<>] ([\d.]+)[^(]*\(is ([\d.]+)\)", change.text)[0]
        assert float(said) != float(now), change.text
        hair = HAIR if change.comparison in (">=", ">") else -HAIR
        beyond, short = change.needs + hair, change.needs - hair
        for value, turned in ((beyond, True), (short, False)):
            if change.key == "wall.top":
                changed = with_other_numbers(run, run.setup, wall_top=value)
            elif within_its_rule(change.key, value):
                setup = snelk.load(path, overrides={change.key: value}).setup
                changed = with_other_numbers(run, setup)
            else:
                continue
            again = changed.why("guard", "guest", at=at)
            assert (again.in_view != answer.in_view) == turned, (change, value)
        if change.settable:
            again = snelk.run(path, overrides=dict(map(parse_override, change.settable)))
            assert again.why("guard", "guest", at=at).in_view != answer.in_view, change


def test_noticing_another_team_is_a_change_too(tmp_path: Path) -> None:
    profiles = samples.SAMPLE_PROFILES.replace('["visitors"]', '["strangers"]')
    path = samples.write_sample(tmp_path, guest="at = [5, 0]", profiles=profiles)
    answer = snelk.run(path).why("guard", "guest", at=0)
    assert answer.counterfactual is not None
    changes = dict(map(parse_override, answer.counterfactual.settable))
    assert changes == {"profiles.watcher.notices": ["strangers", "visitors"]}
    assert snelk.run(path, overrides=changes).why("guard", "guest", at=0).in_view


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
