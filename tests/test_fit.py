"""Fitting: known numbers are found again, impossible wishes are named, files stay as they were."""

from __future__ import annotations

import difflib
import json
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
import samples
import scenes
from test_cli import command
from test_expectations import FACTS

import snelk
from snelk.config.writing import rewritten, with_value, write_back
from snelk.tuning.fit import _conflicts, _rooms
from snelk.tuning.plan import Axis
from snelk.tuning.trials import UNMET, Trials

CONE = "profiles.watcher.cones.front"
METER = "profiles.watcher.meter"
TOWARDS = samples.track_of((0, 20, 1), (20, -5, 1))


def walk_towards(folder: Path) -> snelk.Scenario:
    """The guest walks at the guard, who has a meter."""
    path = samples.write_sample(folder, track=TOWARDS)
    meter = {"fill_time": 2.0, "drain_time": 5.0, "thresholds": {"wary": 0.5}}
    changes = {"clock.dt": 0.1, METER: meter, f"{CONE}.hold_range": 15.0}
    return snelk.load(path, overrides=changes)


def noises_of(folder: Path) -> snelk.Scenario:
    """Noises every second, ever farther off: the last that is heard tells the acuity."""
    noise = [{"t": n + 0.5, "kind": "thud", "by": "guest", "at": [n + 1, 0], "reach": 6.0}
             for n in range(15)]  # fmt: skip
    meter = {**FACTS[METER], "noise_gain": 0.1, "drain_after": 20.0}
    more = {"noise": noise, METER: meter, "profiles.watcher.cones": {}}
    states = {"calm": {}, "alert": {}}
    transitions = {"up": {"from": "calm", "to": "alert", "when": "meter >= 0.2"}}
    return scenes.scene(folder, states=states, transitions=transitions, more=more, end=16.0)


def search_of(folder: Path) -> snelk.Scenario:
    """The guard hears the guest once, and searches in one of several ways for some seconds."""
    states = {
        "calm": {},
        "looking": {"search": {"method": "there", "radius": 6.0, "points": 4, "give_up": 8.0}},
    }
    transitions = {
        "up": {"from": "calm", "to": "looking", "when": "heard"},
        "down": {"from": "looking", "to": "calm", "when": "search_done"},
    }
    noise = [{"t": 1.0, "kind": "thud", "by": "guest", "at": [5, 0], "reach": 20.0}]
    more = {"noise": noise, "profiles.watcher.memory": {"forget": 60.0}}
    return scenes.scene(folder, states=states, transitions=transitions, more=more, end=25.0)


SEARCH = "profiles.watcher.ladder.states.looking.search"

PROBLEMS: list[tuple[Any, dict[str, Any], dict[str, Any], dict[str, float], dict[str, float]]] = [
    (
        walk_towards,
        {f"{CONE}.range": (5.0, 14.0), f"{METER}.fill_time": (0.5, 6.0)},
        {f"{CONE}.range": 13.2, f"{METER}.fill_time": 3.4},
        {"guard.guest.first_seen": 0.05, "guard.guest.first_full": 0.05},
        {f"{CONE}.range": 0.13, f"{METER}.fill_time": 0.21},
    ),
    (
        noises_of,
        {"profiles.watcher.hearing.acuity": (0.3, 3.0), f"{METER}.noise_gain": (0.02, 0.3)},
        {"profiles.watcher.hearing.acuity": 1.9, f"{METER}.noise_gain": 0.07},
        {"guard.guest.noises_heard": 0.1, "guard.guest.highest_meter": 0.001},
        {"profiles.watcher.hearing.acuity": 0.1, f"{METER}.noise_gain": 0.01},
    ),
    (
        search_of,
        {
            f"{SEARCH}.method": ["there", "nearby", "likelihood"],
            f"{SEARCH}.points": (2, 9),
            f"{SEARCH}.give_up": (4.0, 20.0),
        },
        {f"{SEARCH}.method": "nearby", f"{SEARCH}.points": 7, f"{SEARCH}.give_up": 14.0},
        {"guard.search_time": 0.05, "guard.distance_walked": 0.01},
        {f"{SEARCH}.points": 0.0, f"{SEARCH}.give_up": 0.11},
    ),
]  # fmt: skip


@pytest.mark.parametrize(("want", "low", "high"), [("low", 13.0, 14.0), ("high", 5.0, 7.0)])
def test_a_wish_for_a_low_or_a_high_number_pulls_there(
    want: str, low: float, high: float, tmp_path: Path
) -> None:
    wish = {"wish.w": {"measure": "guard.guest.first_seen", "want": want, "within": 1.0}}
    scenario = walk_towards(tmp_path).changed(wish)
    (number,) = snelk.fit(scenario, move={f"{CONE}.range": (5.0, 14.0)}, jobs=1, budget=40).numbers
    assert low <= number.fitted <= high


@pytest.mark.parametrize("problem", PROBLEMS, ids=["sight", "hearing", "search"])
def test_known_numbers_are_found_again(problem: Any, tmp_path: Path) -> None:
    make, move, truth, measures, near = problem
    scenario = make(tmp_path)
    run = snelk.run(scenario, overrides=truth)
    wishes = {
        f"w{n}": {"measure": key, "toward": run.measure(key), "within": within}
        for n, (key, within) in enumerate(measures.items())
    }
    made = scenario.changed({"wish": wishes})
    assert any(goal.met is False for goal in goals_of(made))  # today's numbers do not meet them
    found = snelk.fit(made, move=move, jobs=1)
    assert found.met, [goal for goal in found.goals if not goal.met]
    fitted = {number.key: number.fitted for number in found.numbers}
    for key, value in truth.items():
        if isinstance(value, str):
            assert fitted[key] == value
        else:
            assert fitted[key] == pytest.approx(value, abs=near[key] + 1e-9), key
    again = snelk.run(scenario, overrides=found.overrides)
    for key, within in measures.items():
        assert again.measure(key) == pytest.approx(run.measure(key), abs=within + 1e-9)


def goals_of(scenario: snelk.Scenario) -> tuple[Any, ...]:
    """How today's numbers fare: nothing may move but what changes nothing."""
    return snelk.fit(scenario, move={"cast.guest.z": [0.0]}, jobs=1).goals


def test_what_counts_as_no_worse_is_a_hundredth_more() -> None:
    as_good = partial(Trials.as_good, None)  # type: ignore[arg-type]
    for unmet in (0.0, UNMET):  # with expectations met, and not
        assert as_good(unmet) == pytest.approx(unmet + 1e-9, abs=1e-12 if not unmet else 1e-6)
        for loss in (0.3, 7.0):
            assert as_good(unmet + loss) == pytest.approx(unmet + 1.01 * loss, rel=1e-12)
    assert as_good(-7.0) == pytest.approx(-6.93)


@pytest.mark.parametrize(("share", "mean"), [(1.0, 1.55), (0.5, 0.6), (0.6, 3.2 / 3), (0.25, 0.2)])
def test_an_expectation_counts_with_the_seeds_it_needs_and_a_wish_with_all(
    share: float, mean: float
) -> None:
    wish = SimpleNamespace(toward=5.0, within=0.5)
    trials = SimpleNamespace(seeds=4, expectations=[SimpleNamespace(share=share)], wishes=[wish])
    offs, values = (
        [[3.0, 0.0], [0.2, 0.0], [1.0, 0.0], [2.0, 0.0]],
        [[0, 3], [0, 6], [0, 4], [0, 9]],
    )
    over, value = Trials._over_seeds(trials, np.stack([offs, values], axis=1))  # type: ignore[arg-type]
    assert over.tolist() == pytest.approx([mean, 0.0])
    assert value.tolist() == pytest.approx([mean, 5.5])


def test_of_two_that_miss_as_much_the_one_nearer_to_its_wishes_is_less_off() -> None:
    given = {"weights": np.array([1.0, 2.0, 3.0]), "expectations": [None]}
    trials = SimpleNamespace(**given, _endless=np.array([False, False, True]))
    loss = partial(Trials.loss_of, trials)
    assert loss(np.array([0.0, 0.5, -4.0])) == pytest.approx(2.0 * 0.25 - 12.0)
    near, far = loss(np.array([0.5, 1.0, 0.0])), loss(np.array([0.5, 2.0, 0.0]))
    assert 1e9 < near < far < loss(np.array([0.6, 0.0, 0.0]))


def test_goals_conflict_if_one_is_missed_and_what_helps_it_harms_the_other() -> None:
    share = np.linspace(0.0, 1.0, 9)
    tried = np.stack([share, 1.0 - share, np.zeros(9), share**2, 1.2 - share], axis=1)
    trials = SimpleNamespace(
        names=["early", "late", "easy", "soon", "never"], tried_offs=lambda: tried,
        endless_at=lambda _: False,
    )  # fmt: skip

    def found(*offs: float) -> list[tuple[str, str, bool]]:
        given = _conflicts(trials, np.array(offs))  # type: ignore[arg-type]
        assert all(each.against == pytest.approx(-1.0) for each in given)
        return [(each.a, each.b, each.never_both) for each in given]

    assert found(0.0, 0.0, 0.0, 0.0, 0.0) == []
    assert found(0.5, 0.0, 0.0, 0.0, 0.0) == [("early", "late", True), ("early", "never", False)]
    assert found(0.0, 0.0, 0.5, 0.0, 0.0) == []
    assert ("late", "soon", True) in found(0.0, 0.5, 0.0, 0.0, 0.0)


def test_the_room_of_a_number_ends_where_the_first_goal_is_missed() -> None:
    def offs(points: Any) -> Any:  # met from 0.23 to 0.61; never met
        beyond = np.maximum(np.abs(points[:, :1] - 0.42) - 0.19, 0.0)
        return np.concatenate([beyond, np.ones_like(beyond)], axis=1)

    axis = Axis("range", (), 10.0, 20.0, False)
    trials = SimpleNamespace(axes=[axis], names=["seen", "never"], offs=offs)
    ((low, high, names),) = _rooms(trials, np.array([0.5]), np.array([0.0, 1.0]))  # type: ignore[arg-type]
    assert 12.3 <= low < 12.35
    assert 16.05 < high <= 16.1
    assert names == ("seen",)


def test_an_impossible_set_is_named(tmp_path: Path) -> None:
    scenario = walk_towards(tmp_path).changed(
        {
            "wish.early": {"measure": "guard.guest.first_seen", "toward": 6.0, "within": 0.2},
            "wish.late": {"measure": "guard.guest.first_seen", "toward": 9.0, "within": 0.2},
            "wish.never": {"measure": "guard.guest.losses", "toward": 50.0, "within": 1.0},
            "wish.easy": {"measure": "guard.guest.caught", "toward": 0.0},
        }
    )
    told: list[tuple[int, int]] = []
    found = snelk.fit(
        scenario, move={f"{CONE}.range": (5.0, 14.0)}, budget=150, jobs=1,
        progress=lambda *each: told.append(each),
    )  # fmt: skip
    assert not found.met
    assert told == sorted(told)
    assert (told[0][0] > 0, told[-1]) == (True, (150, 150))
    goals = {goal.name: goal for goal in found.goals}
    assert goals["wish.easy"].met
    assert not goals["wish.never"].met
    assert goals["wish.never"].nearest > 10  # no numbers come near
    assert goals["wish.early"].nearest == goals["wish.late"].nearest == 0.0
    worst = found.conflicts[0]
    assert {worst.a, worst.b} == {"wish.early", "wish.late"}
    assert worst.never_both


def test_as_little_changes_as_can_be(tmp_path: Path) -> None:
    scenario = walk_towards(tmp_path).changed(
        {
            "expect.seen": {
                "agent": "guard", "notices": {"target": "guest", "threshold": "wary", "before": 8.0}
            }
        }
    )  # fmt: skip
    move = {f"{CONE}.range": (5.0, 14.0), f"{CONE}.fov_whole": (30.0, 120.0)}
    found = snelk.fit(scenario, move=move, jobs=1)
    assert found.met
    range_, fov = found.numbers
    assert fov.fitted == fov.today  # it has nothing to do with it
    # Half full a second after it comes into view: by 7.1 s at the latest, the guest being
    # sqrt(11.1² + 1) m off.
    assert range_.fitted == pytest.approx(11.17, abs=0.15)
    assert range_.holds_to is not None
    assert range_.breaks == ("expect.seen",)
    # What holds already is left alone.
    done = snelk.fit(
        scenario, move={f"{METER}.drain_time": (1.0, 9.0), f"{CONE}.range": (11.5, 14)}
    )
    assert done.overrides.keys() <= {f"{CONE}.range"}


def test_written_back_only_the_numbers_differ(tmp_path: Path) -> None:
    for path in snelk.croft().glob("*.*"):
        if path.suffix in (".toml", ".csv", ".geojson"):
            (tmp_path / path.name).write_bytes(path.read_bytes())
    changes = {
        "profiles.dog.cones.muzzle.range": 11.5,
        "profiles.dog.ladder.states.asleep.senses.hearing": 0.62,
        "profiles.goose.cones.wide.fov_whole": 250.0,
        "cast.dog.awake": 0.9,
        "profiles.dog.ladder.states.sniffing.search.method": "likelihood",
    }
    night = snelk.load(tmp_path / "night.toml")
    files = rewritten(night, changes)
    assert {each.path.name for each in files} == {"night.toml", "creatures.toml"}
    lines = [
        line
        for each in sorted(files, key=lambda each: each.path, reverse=True)
        for line in difflib.ndiff(each.before.splitlines(), each.after.splitlines())
        if line[0] in "+-"
    ]
    assert lines == [
        "- awake = 0.85          # an old dog: all its senses reach less far",
        "+ awake = 0.9          # an old dog: all its senses reach less far",
        "- fov_whole = 260",
        "+ fov_whole = 250",
        "- range = 14.0",
        "+ range = 11.5",
        "- senses = { sight = 0.0, hearing = 0.5 }",
        "+ senses = { sight = 0.0, hearing = 0.62 }",
        '- search = { method = "nearby", radius = 7.0, points = 5, point_time = 1.2, give_up = 16.0 }',
        '+ search = { method = "likelihood", radius = 7.0, points = 5, point_time = 1.2, give_up = 16.0 }',
    ]
    write_back(files)
    assert snelk.load(tmp_path / "night.toml").setup == night.changed(changes).setup
    # An inherited number is written where the key path says, not where it was inherited from.
    (heir,) = rewritten(night, {"profiles.hen.meter.fill_time": 3.0})
    heir.path.write_text(heir.after)
    again = snelk.load(tmp_path / "night.toml").setup
    assert again.profiles["hen"].meter.fill_time == 3.0  # type: ignore[union-attr]
    assert again.profiles["goose"].meter.fill_time == 2.0  # type: ignore[union-attr]
    with pytest.raises(snelk.InputError, match="was changed by another program"):
        write_back([heir])


def test_the_command_shows_first_and_writes_only_when_told(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=TOWARDS)
    wish = '\n[wish.sooner]\nmeasure = "guard.guest.first_seen"\ntoward = 6.0\nwithin = 0.6\n'
    path.write_text(path.read_text() + wish)
    before = {each: each.read_text() for each in tmp_path.iterdir() if each.is_file()}
    options = ["--move", f"{CONE}.range=8:14", "--jobs", "1"]
    command("fit", path, "--move", f"{CONE}.range=5:7", "--jobs", "1", cwd=tmp_path, code=1)
    said = command("fit", path, *options, cwd=tmp_path)
    assert "All goals are met; 1 of 1 numbers change" in said
    assert "-range = 10.0" in said
    assert {each: each.read_text() for each in before} == before
    data = json.loads(command("fit", path, *options, "--json", cwd=tmp_path))
    fitted = data["numbers"][0]["fitted"]
    assert f"+range = {fitted}" in data["difference"]
    said = command("fit", path, *options, "--write", cwd=tmp_path)
    assert "Written to" in said
    changed = [each.name for each, text in before.items() if each.read_text() != text]
    assert changed == ["kinds.toml"]
    assert f"range = {fitted}\n" in (tmp_path / "kinds.toml").read_text()
    assert "changes nothing" not in command("fit", path, *options, cwd=tmp_path)


@pytest.mark.parametrize(
    ("move", "error"),
    [
        ({}, "no number may move"),
        ({f"{CONE}.range": (9.0, 3.0)}, "low must be below high"),
        ({f"{CONE}.rnage": (3.0, 9.0)}, 'did you mean "range"'),
        ({"seed": (1, 5)}, "cannot be fitted"),
        ({"clock.dt": (0.1, 0.5)}, "cannot be fitted"),
        ({f"{CONE}.range": (-3.0, 9.0)}, "must be above 0 m"),
    ],
)
def test_mistakes_are_told(tmp_path: Path, move: dict[str, Any], error: str) -> None:
    wish = {"wish.w": {"measure": "guard.guest.first_seen", "want": "low"}}
    scenario = walk_towards(tmp_path).changed(wish)
    with pytest.raises(snelk.InputError, match=error):
        snelk.fit(scenario, move=move)
    with pytest.raises(snelk.InputError, match="expects nothing and wishes nothing"):
        snelk.fit(walk_towards(tmp_path / "b"), move={f"{CONE}.range": (3.0, 9.0)})


TOML = """# top
[noise_kinds]                     # how far
chain.reach = 10.0   # clank

[profiles.x.meter]
points = [
  [0.0, 1.0],   # near
  [1.0, 0.3],
]
fill_time = 2    # whole
[[noise]]
t = 1.0
[profiles.x.cones.a]
range = 3.0
[[noise]]
t = 2.0
"""


@pytest.mark.parametrize(
    ("key", "value", "old", "new"),
    [
        ("noise_kinds.chain.reach", 12.5, "chain.reach = 10.0", "chain.reach = 12.5"),
        ("profiles.x.meter.fill_time", 3.0, "fill_time = 2 ", "fill_time = 3 "),
        ("profiles.x.cones.a.range", 4.25, "range = 3.0", "range = 4.25"),
        ("profiles.x.meter.drain_after", 1.5, "# whole\n", "# whole\ndrain_after = 1.5\n"),
        (
            "profiles.y.meter.drain_after",
            1.5,
            "t = 2.0\n",
            "t = 2.0\n\n[profiles.y.meter]\ndrain_after = 1.5\n",
        ),
        ("seed", 4, "# top\n", "# top\nseed = 4\n"),
    ],
)
def test_a_number_goes_where_its_key_path_leads(key: str, value: Any, old: str, new: str) -> None:
    assert with_value(TOML, tuple(key.split(".")), value) == TOML.replace(old, new)
