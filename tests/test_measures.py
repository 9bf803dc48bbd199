"""Measures, against counting in the tables of the run."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
import samples
import scenes
from test_rules import Maker

import snelk
from snelk.config.measures import MEASURES, addresses_of
from snelk.runs.measures import measure_batch

NIGHT = snelk.croft() / "night.toml"
CAUGHT = {"profiles.dog.ladder.states.asleep.senses.hearing": 0.8}


@pytest.fixture(scope="module", params=[{}, CAUGHT, {"seed": 11}, 11, 16, 20, 21, 31, 32], ids=str)
def run(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> snelk.Run:
    if isinstance(request.param, dict):
        return snelk.run(NIGHT, overrides=request.param)
    folder = tmp_path_factory.mktemp("random")
    Maker(request.param).scene(folder)
    return snelk.run(folder / "scene.toml")


def runs_of(true: np.ndarray) -> list[tuple[int, int]]:
    """From which index to before which, for truths on end."""
    found, start = [], None
    for n, each in enumerate([*true, False]):
        if each and start is None:
            start = n
        if not each and start is not None:
            found.append((start, n))
            start = None
    return found


def of_pair(run: snelk.Run, agent: str, target: str) -> dict[str, float]:
    """The measures of a pair, counted in the tables."""
    dt, times = run.setup.clock.dt, run.times
    profile = run.setup.profile_of(agent)

    def rows(name: str) -> pd.DataFrame:
        table = run.table(name)
        return table[(table.agent == agent) & (table.target == target)]

    watches, there = (run.poses[run.poses.id == who].present.to_numpy() for who in (agent, target))
    looks = rows("sight").groupby("t").in_view.any().reindex(times).astype(float)
    looks[~(watches & there)] = 0.0  # a look stands until either is absent
    seen = looks.ffill().fillna(0.0).to_numpy() > 0
    contacts = rows("contacts")
    contacts = contacts[contacts.sensed]
    smelt = contacts.sense == "smell"
    touched = np.isin(times, contacts.t[~smelt])
    heard = rows("hearing")
    heard = heard[heard.heard]
    meter = rows("meters").value.to_numpy()
    beliefs = rows("beliefs")
    sensed = sorted([*times[seen | touched], *heard.t, *contacts.t[smelt]])
    if profile.meter is not None:
        lowest = min(profile.meter.thresholds.values(), default=2e-9)
        noticed, full = times[meter >= lowest - 1e-9], times[meter >= 1 - 1e-9]
        highest = meter.max()
    else:
        noticed, full, highest = sensed, times[seen | touched], math.nan

    def first(moments: object) -> float:
        return next(iter(moments), math.nan)  # type: ignore[call-overload]

    turns = [(n, seen[n]) for n in range(len(seen)) if seen[n] != (seen[n - 1] if n else False)]
    wait = first(full) - first(times[seen])
    unseen = [high - low for low, high in runs_of(there & ~seen)]
    errors = beliefs.error.dropna()
    events = run.events
    caught = events[(events.kind == "caught") & (events.agent == agent) & (events.target == target)]
    return {
        "first_sensed": first(sensed),
        "first_seen": first(times[seen]),
        "first_noticed": first(noticed),
        "first_full": first(full),
        "view_to_full": wait if wait >= -1e-9 else math.nan,
        "time_in_view": seen.sum() * dt,
        "longest_unseen": max(unseen, default=0) * dt,
        "losses": sum(not now for _, now in turns),
        "regains": sum(now for _, now in turns) - (1 if seen.any() else 0),
        "view_flicker": sum((b[0] - a[0]) * dt <= 1 + 1e-9 for a, b in zip(turns, turns[1:])),  # noqa: B905, RUF007
        "highest_meter": highest,
        "near_miss": math.nan if len(noticed) else highest,
        "noises_heard": len(heard),
        "believed_for": beliefs.source.notna().sum() * dt,
        "mean_belief_error": errors.mean() if len(errors) else math.nan,
        "worst_belief_error": errors.max() if len(errors) else math.nan,
        "caught": len(caught),
    }  # fmt: skip


def of_agent(run: snelk.Run, agent: str) -> dict[str, float]:
    """The measures of an agent, counted in the tables."""
    poses = run.poses[run.poses.id == agent]
    walked = np.hypot(poses.x.diff(), poses.y.diff()).sum()
    ladder = run.setup.profile_of(agent).ladder
    if ladder is None:
        names = [name for name, kind in MEASURES.items() if kind.of == "agent"]
        return dict.fromkeys(names, math.nan) | {"distance_walked": walked}
    states = run.states[run.states.agent == agent].reset_index(drop=True)
    taken = states[states.transition.notna()]
    signals = run.signals[run.signals.agent == agent].set_index("t")
    false = flicker = 0
    for n, row in taken.iterrows():
        before = states.iloc[n - 1]
        back = isinstance(before.transition, str) and before.before == row.state
        flicker += back and row.t - before.t <= 1 + 1e-9
        now = signals.loc[row.t]
        if row["rank"] <= ladder.rank_of(row.before) or not isinstance(row.focus, str):
            continue
        if now.seen or now.felt:
            continue
        other = run.poses[(run.poses.id == row.focus) & (run.poses.t == row.t)].iloc[0]
        off = math.dist((now.target_x, now.target_y, now.target_z), (other.x, other.y, other.z))
        false += not other.present or off > 5.0
    searches = run.searches[run.searches.agent == agent]
    took = []
    for _, search in searches.groupby("search"):
        ends = search[search.what == "ended"].t
        took.append((ends.iloc[0] if len(ends) else run.times[-1]) - search.t.iloc[0])
    outcomes = searches.outcome.dropna().tolist()
    stuck = run.events[(run.events.kind == "stuck") & (run.events.agent == agent)]
    return {
        "false_alarms": false,
        "transitions": len(taken),
        "flicker": flicker,
        "highest_rank": states["rank"].max(),
        "searches": len(took),
        "search_time": sum(took),
        "longest_search": max(took, default=0.0),
        "searches_found": outcomes.count("found"),
        "searches_given_up": outcomes.count("gave_up") + outcomes.count("nothing"),
        "distance_walked": walked,
        "times_stuck": len(stuck),
    }


def test_every_measure_is_what_the_tables_say(run: snelk.Run) -> None:
    found = run.measures.set_index("key").value.to_dict()
    wanted: dict[str, float] = {"length": run.times[-1] - run.times[0]}
    caught = run.events[run.events.kind == "caught"].t.tolist()
    wanted |= {"catches": len(caught), "caught_at": caught[0] if caught else math.nan}
    for agent in run.agents:
        wanted |= {f"{agent}.{name}": value for name, value in of_agent(run, agent).items()}
        ladder = run.setup.profile_of(agent).ladder
        asked = run.signals[run.signals.agent == agent].state.tolist()
        for state in ladder.states if ladder else ():
            wanted[f"{agent}.time_in.{state}"] = asked.count(state) * run.setup.clock.dt
        for target in run.names:
            team = run.setup.cast[target].team
            if target != agent and run.setup.profile_of(agent).ever_notices(team):
                pair = of_pair(run, agent, target)
                wanted |= {f"{agent}.{target}.{name}": value for name, value in pair.items()}
    assert found.keys() == wanted.keys()
    for key, value in wanted.items():
        assert found[key] == pytest.approx(value, abs=1e-6, nan_ok=True), key
    usual = {name for name, each in MEASURES.items() if each.of not in ("player", "fairness")}
    assert {address.measure for address in addresses_of([run.setup])} == usual


def test_false_alarms_and_flicker_of_a_made_scene(tmp_path: Path) -> None:
    # A noise of the guest's where it is not; the guard looks up for a moment, again and again.
    more = {
        "noise": [{"t": t, "kind": "thud", "by": "guest", "at": [5, 0], "reach": 9} for t in (2, 5)]
    }
    scenario = scenes.scene(
        tmp_path,
        states={"calm": {}, "alert": {}},
        transitions={
            "up": {"from": "calm", "to": "alert", "when": "heard"},
            "down": {"from": "alert", "to": "calm", "when": "state_for >= 0.5"},
        },
        more=more,
    )
    run = snelk.run(scenario)
    assert run.measure("guard.false_alarms") == 2
    assert run.measure("guard.flicker") == 2
    # With the guest where the noise came from it is no false alarm.
    near = snelk.run(scenario, overrides={"cast.guest.at": [6, 3], "profiles.watcher.cones": {}})
    assert near.measure("guard.false_alarms") == 0


def test_a_variant_measures_the_same_with_others_as_alone(tmp_path: Path) -> None:
    night = snelk.load(NIGHT, overrides={"clock.start": 44.0, "clock.end": 62.0})
    variants = [{}, CAUGHT, {"seed": 3}, {"profiles.owl.notices": ["wild", "keepers"]}]
    together = measure_batch(night, variants=variants)
    for v, changes in enumerate(variants):
        alone = measure_batch(night, variants=[changes])
        values = dict(zip(together.keys, together.values[v], strict=True))
        for key, value in zip(alone.keys, alone.values[0], strict=True):
            np.testing.assert_array_equal(values.pop(key), value, err_msg=key)
        assert np.isnan(list(values.values())).all()  # what only others can have


@pytest.mark.parametrize(
    ("key", "words"),
    [
        ("guard.guest.first_ful", 'did you mean "guard.guest.first_full"'),
        ("gaurd.guest.first_full", 'did you mean "guard.guest.first_full"'),
        ("guest.guard.first_full", "no such measure"),
        ("q", "of the run: length, catches, caught_at; AGENT. and one of: false_alarms, "),
    ],
)
def test_a_wrong_key_is_answered_with_the_nearest(tmp_path: Path, key: str, words: str) -> None:
    run = snelk.run(samples.write_sample(tmp_path, guest="at = [5, 0]"))
    with pytest.raises(snelk.InputError, match=words):
        run.measure(key)
