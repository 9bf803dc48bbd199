"""Hearing: reach products, walls, ways on foot, footsteps, and what becomes of every noise."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
import samples
import shapely

import snelk
from snelk.runs.events import describe_noise

EARS = samples.SAMPLE_PROFILES + "\n[profiles.watcher.hearing]\nacuity = 1.5\n"
STEPS = EARS.replace(
    "eyes = 0.5", "eyes = 0.5\nsteps = { stride = 0.5, creeping = 1, walking = 4, running = 9 }"
)


def noise(t: float, at: list[float], reach: float = 8.0, **more: object) -> dict[str, object]:
    return {"t": t, "kind": "bang", "at": at, "reach": reach, "by": "guest", "z": 1.0, **more}


def heard_of(path: Path, *noises: dict[str, object], **changes: object) -> snelk.Run:
    named = {key.replace("__", "."): value for key, value in changes.items()}
    return snelk.run(path, overrides={"noise": list(noises), **named})


def level_of(*features: dict[str, object]) -> str:
    return json.dumps({"type": "FeatureCollection", "features": list(features)})


def feature(kind: str, name: str, shape: shapely.Geometry, **more: object) -> dict[str, object]:
    return {
        "type": "Feature",
        "properties": {"kind": kind, "name": name, **more},
        "geometry": json.loads(shapely.to_geojson(shape)),
    }


def test_a_wall_muffles_the_straight_way_and_the_way_around_it_decides(tmp_path: Path) -> None:
    wall = feature(
        "wall", "barn", shapely.LineString([(3, -4), (3, 4)]), top=5.0, hear_through=0.25
    )
    path = samples.write_sample(tmp_path, guest="at = [6, 0]", level=level_of(wall), profiles=EARS)
    # Straight it is 6 m and a quarter is left; on foot 2 * hypot(3, 4) = 10 m, over cells more.
    for reach, by_line, on_foot in (
        (24.1, True, True),
        (23.9, False, True),
        (10.8, False, True),
        (9.9, False, False),
    ):
        run = heard_of(path, noise(0.0, [6.0, 0.0], reach / 1.5))
        row = run.hearing.iloc[0]
        assert (row.straight_margin >= 0, row.around_margin >= 0) == (by_line, on_foot)
        assert row.heard == (by_line or on_foot)
        if on_foot:
            assert 10.0 <= row.around <= 10.7
            assert row.strength == pytest.approx(max(1 - 6 / (reach / 4), 1 - row.around / reach))
    text = run.why("guard", "guest", at=0.0).sense("hearing")
    assert text is not None
    assert "bang 6.6 m × acuity 1.5 × barn 0.25; on foot 10." in text.gates[-1].text


def test_what_is_out_of_hearing_and_who_does_not_listen(tmp_path: Path) -> None:
    path = samples.write_sample(
        tmp_path, track=samples.track_of((0, 5, 0), (2, 5, 0)), profiles=EARS
    )
    noises = [noise(0.5, [5.0, 0.0]), noise(1.0, [5.0, 0.0], by="guard")]
    nobodys = {key: value for key, value in noise(1.5, [3.0, 0.0]).items() if key != "by"}
    run = heard_of(path, *noises, nobodys)
    assert list(run.noises.by.astype(object).where(run.noises.by.notna(), None)) == [
        "guest",
        "guard",
        None,
    ]
    assert list(run.hearing.noise) == [0, 2]  # nobody hears themselves
    assert list(run.events[run.events.kind == "heard"].text) == [
        "guard heard guest: bang (5.0 m, strength 0.58)",
        "guard heard a bang (3.0 m, strength 0.75)",
    ]
    deaf = heard_of(path, *noises, nobodys, profiles__watcher__hearing__notices=["others"])
    assert list(deaf.hearing.result) == ["cares", "heard"]


def test_what_waits_to_be_heard_of_who_is_spawned_anew_is_nobodys(tmp_path: Path) -> None:
    """Only in that variant, and only that character's."""
    pal = 'at = [4, 0]\n[cast.pal]\nteam = "visitors"\nbody = "post"\nat = [0, 4]\n'
    path = samples.write_sample(tmp_path, guest=pal, profiles=EARS)
    over = {
        "clock.dt": 0.1, "clock.end": 3.0, "profiles.watcher.hearing.listen_every": 2.0,
        "noise_kinds": {"bang": {"reach": 30.0}},
        "noise": [noise(1.0, [4, 0], by="guest"), noise(1.1, [0, 4], by="pal")],
    }  # fmt: skip
    again = [
        {"t": 1.2, "of": "guest", "removes": True},
        {"t": 1.4, "of": "guest", "spawns": True, "at": [4, 0]},
    ]
    runs = snelk.run_batch(path, variants=[{**over, "effect": again}, over])
    heard = [run.hearing.target.astype(object).where(run.hearing.target.notna()) for run in runs]
    assert [[*map(str, each)] for each in heard] == [["nan", "pal"], ["guest", "pal"]]


def test_the_place_heard_errs_in_proportion_to_distance_and_by_its_own_chance(
    tmp_path: Path,
) -> None:
    path = samples.write_sample(
        tmp_path, track=samples.track_of((0, 5, 0), (30, 5, 0)), profiles=EARS
    )
    noises = [noise(n / 20, [6.0, 0.0], 20.0) for n in range(400)]
    key = {"profiles__watcher__hearing__place_error": 0.1, "clock__dt": 0.05, "clock__end": 20.0}
    found = heard_of(path, *noises, **key).hearing
    off = np.concatenate([found.x - 6.0, found.y])
    assert abs(off.mean()) < 4 * 0.6 / math.sqrt(800)
    assert off.std() == pytest.approx(0.6, rel=0.12)
    assert heard_of(path, *noises, **key).hearing.x.equals(found.x)
    assert not heard_of(path, *noises, seed=1, **key).hearing.x.equals(found.x)
    # Another noise, made by somebody else, changes the errors of none of these.
    more = heard_of(path, noise(0.01, [3.0, 0.0], by="guard"), *noises, **key).hearing
    np.testing.assert_array_equal(more.x, found.x)
    # Nor do the last digits of a time, which are not the same on all machines.
    late = [noise(n / 20 - 1e-12, [6.0, 0.0], 20.0) for n in range(1, 400)]
    np.testing.assert_array_equal(heard_of(path, *late, **key).hearing.x, found.x[1:])
    late = [noise(n / 20 - 1e-5, [6.0, 0.0], 20.0) for n in range(1, 400)]
    assert (heard_of(path, *late, **key).hearing.x.to_numpy() != found.x[1:]).all()
    # Variants have errors in common, but for their seed and for how far they err.
    wide = "profiles.watcher.hearing.place_error"
    variants: list[dict[str, object]] = [{}, {"seed": 1}, {wide: 0.3}, {"seed": 1, wide: 0.3}]
    night = snelk.load(
        path, overrides={"noise": noises, "clock.dt": 0.05, "clock.end": 1.0, wide: 0.1}
    )
    together = [run.hearing for run in snelk.run_batch(night, variants=variants)]
    for variant, rows in zip(variants, together, strict=True):
        assert rows.equals(snelk.run(night.changed(variant)).hearing), variant
    np.testing.assert_allclose(together[2].x - 6.0, 3.0 * (together[0].x - 6.0))


def test_kinds_files_and_spots_say_reach_and_place(tmp_path: Path) -> None:
    door = feature("spot", "door", shapely.Point(2, 0))
    path = samples.write_sample(
        tmp_path,
        guest="at = [5, 0]",
        level=level_of(door),
        profiles=EARS + "[noise_kinds]\nknock.reach = 7.0\n",
    )
    (tmp_path / "noises.csv").write_text(
        "t,kind,x,y,reach,by\n0.5,knock,1,0,,guest\n0,crash,1,0,3,\n"
    )
    path.write_text(path.read_text().replace("use =", 'noises = ["noises.csv"]\nuse ='))
    run = snelk.run(
        path,
        overrides={
            "noise": [
                {"t": 0, "kind": "knock", "spot": "door"},
                {"t": 0.5, "kind": "thud", "by": "guest", "reach": 2.0},
            ]
        },
    )
    rows = run.noises[["t", "kind", "x", "reach", "reach_key"]].to_numpy().tolist()
    assert rows == [
        [0.0, "crash", 1.0, 3.0, ""],
        [0.0, "knock", 2.0, 7.0, "noise_kinds.knock.reach"],
        [0.5, "knock", 1.0, 7.0, "noise_kinds.knock.reach"],
        [0.5, "thud", 5.0, 2.0, "noise[1].reach"],
    ]


@pytest.mark.parametrize(
    ("changes", "line"),
    [
        ({"noise": [{"t": 0, "kind": "bnag", "at": [0, 0]}], "noise_kinds": {"bang": {"reach": 3}}}, 'noise[0].kind: no such kind of noise (given: "bnag"); did you mean "bang"?; or give it a reach'),
        ({"noise": [noise(0, [0, 0], by="gest")]}, 'noise[0].by: no such character (given: "gest"); did you mean "guest"?'),
        ({"noise": [noise(0, [0, 0], spot="door")]}, 'noise[0].spot: no such spot (given: "door")'),
        ({"noise": [{"t": 0, "kind": "bang", "reach": 2}]}, "noise[0]: has no position; add at = [x, y], a spot, or by"),
        ({"noise": [noise(-1, [0, 0])]}, "noise[0].t: must be at least 0 s and at most 1e+06 (given: -1)"),
        ({"profiles.watcher.zone_sense": {"zones": ["yrad"]}}, 'profiles.watcher.zone_sense.zones[0]: no such zone (given: "yrad")'),
        ({"profiles.watcher.zone_sense": {"zones": []}}, "profiles.watcher.zone_sense.zones: must not be empty (given: [])"),
        ({"cast.guard.senses": {"hering": 1}}, 'cast.guard.senses.hering: unknown word (given: "hering"); did you mean "hearing"?'),
        ({"bodies.post.points": [[2, 1]]}, "bodies.post.points: heights must be shares from 0 to 1, and weights 0 to 1000 (given: [[2, 1]])"),
        ({"bodies.post.steps": {"stride": 0, "creeping": 1, "walking": 1, "running": 1}}, "bodies.post.steps.stride: must be at least 0.01 m and at most 100 (given: 0)"),
    ],
)  # fmt: skip
def test_mistakes_about_senses(tmp_path: Path, changes: dict[str, object], line: str) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]", profiles=EARS)
    with pytest.raises(snelk.InputError) as caught:
        snelk.load(path, overrides=changes)
    assert line in str(caught.value)


def test_who_hears_steps_is_told_of_their_gait_and_ground() -> None:
    run = snelk.run(snelk.mill() / "night.toml")
    events, noises, grounds = run.events[run.events.kind == "heard"], run.noises, set()
    for event in events.itertuples():
        mine = (run.hearing.agent == event.agent) & run.hearing.heard
        judged = run.hearing[mine & (run.hearing.t == event.t)]
        told = noises.loc[judged.noise[judged.target.astype(object).fillna("") == event.target]]
        assert event.noise in {
            describe_noise(*(each if isinstance(each, str) else "" for each in row))
            for row in zip(told.kind, told.gait, told.ground, strict=True)
        }
        grounds |= {*told.ground.dropna()} if "on" in event.noise.split() else set()
    assert next(iter(run.setup.grounds)) in grounds


def test_of_noises_at_once_the_first_of_somebody_and_the_last_of_nobody_count(
    tmp_path: Path,
) -> None:
    path = samples.write_sample(tmp_path, guest="at = [9, 9]", profiles=EARS)
    mine, nobodys = ([5.0, 0.0], [0.0, 5.0]), ([3.0, 3.0], [-3.0, 3.0])
    nobody = [(1.0, nobodys[0]), (1.0, nobodys[1]), (3.3, nobodys[0])]
    noises = [noise(1.0, at, 7.0) for at in mine]
    noises += [{"t": t, "kind": "bang", "at": at, "z": 1.0, "reach": 8.0} for t, at in nobody]
    run = heard_of(
        path, *noises, clock__dt=0.1, clock__end=6.0, profiles__watcher__memory={"forget": 2.0},
        profiles__watcher__meter={"fill_time": 1.0, "drain_after": 0.5, "drain_time": 1.0, "noise_gain": 0.1},
        profiles__watcher__ladder={"states": {"a": {}}},
    )  # fmt: skip
    believed = run.beliefs[(run.beliefs.t == 1.0) & (run.beliefs.target == "guest")].iloc[0]
    assert [believed.x, believed.y] == mine[0]
    signals, strength = run.signals.set_index("t"), 1.0 - math.hypot(3.0, 3.0) / 12.0
    assert [signals.target_x[1.0], signals.target_y[1.0]] == nobodys[1]
    # Both filled its meter, which is empty again when the place is forgotten.
    assert signals.meter[1.0] == pytest.approx(0.1 * 2.0 * strength)
    assert (signals.place[3.3], signals.meter[3.3]) == ("bang", pytest.approx(0.1 * strength))
