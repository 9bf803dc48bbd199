"""Every kind of warning: a scenario that triggers it, and the same one mended."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import pytest
import samples
import scenes
import shapely

import snelk
from snelk.config.writing import rewritten, write_back
from snelk.tuning.check import CHECKS

CONE = "profiles.watcher.cones.front"
METER = "profiles.watcher.meter"
SECOND = {"fov_whole": 60, "range": 8.0, "hold_fov_whole": 90, "hold_range": 9.0}


def names(path: Path, changes: dict[str, object] | None = None) -> list[str]:
    return [finding.name for finding in snelk.check(snelk.load(path, overrides=changes))]


@pytest.mark.parametrize(
    ("kind", "wrong", "mended"),
    [
        ("agent-without-senses", {"profiles.watcher.cones": {}}, {}),
        ("unknown-team", {"profiles.watcher.notices": ["visitors", "vistors"]}, {}),
        ("hold-below-gain", {f"{CONE}.hold_range": 9}, {f"{CONE}.hold_range": 10}),
        ("hold-below-gain", {f"{CONE}.hold_fov_whole": 80}, {f"{CONE}.hold_fov_whole": 90}),
        ("half-angle", {f"{CONE}.fov_whole": 60}, {f"{CONE}.fov_whole": 70}),
        ("cone-inside-another", {"profiles.watcher.cones.far": SECOND}, {"profiles.watcher.cones.far": SECOND | {"range": 10.5, "hold_range": 12}}),
        ("cone-inside-another", {"profiles.watcher.cones.far": SECOND}, {"profiles.watcher.cones.far": SECOND | {"weight": 2.0}}),
        ("too-dark", {"light": 0.3, f"{CONE}.min_light": 0.4}, {"light": 0.3, f"{CONE}.min_light": 0.3}),
        ("too-dark", {"light": 0.3, f"{CONE}.min_light": 0.4}, {"light": 0.3, f"{CONE}.min_light": 0.4, "cast.guard.lamp": {"light": 0.2, "reach": 5}}),
        ("at-once-beyond-range", {METER: {"fill_time": 1, "at_once": 12.5}}, {METER: {"fill_time": 1, "at_once": 12}}),
        ("at-once-beyond-range", {METER: {"fill_time": 1, "at_once": 12.5}}, {METER: {"fill_time": 1, "at_once": 12.5}, "profiles.watcher.ladder": {"states": {"keen": {"cones": {"front": {"range": 13.0, "hold_range": 13.0}}}}}}),
        ("threshold-out-of-reach", {METER: {"fill_time": 10, "thresholds": {"sure": 1}}}, {METER: {"fill_time": 1, "thresholds": {"sure": 1}}}),
        ("threshold-out-of-reach", {METER: {"fill_time": 1, "light": [[0, 0]], "thresholds": {"sure": 1}}}, {METER: {"fill_time": 1, "light": [[0, 0], [1, 1]], "thresholds": {"sure": 1}}}),
        ("looks-too-seldom", {METER: {"fill_time": 1, "drain_after": 0.5}, "profiles.watcher.look_every": 1}, {METER: {"fill_time": 1, "drain_after": 0.5}, "profiles.watcher.look_every": 0.5}),
    ],
)  # fmt: skip
def test_findings_that_numbers_trigger(
    tmp_path: Path, kind: str, wrong: dict[str, object], mended: dict[str, object]
) -> None:
    path = samples.write_sample(tmp_path, track=samples.track_of((0, 1, 1), (2, 2, 2)))
    assert names(path, wrong) == [kind]
    assert names(path, mended) == []


HOUSE = [(4, -2), (8, -2), (8, 2), (4, 2), (4, -2)]


@pytest.mark.parametrize(
    ("kind", "track", "mended"),
    [
        ("starts-inside-wall", [(0, 6, 0), (1, 6, 0.5)], [(0, 3, 0), (1, 3, 1)]),
        ("track-through-wall", [(0, 3, 0), (1, 9, 0)], [(0, 3, 0), (1, 3, 5), (2, 9, 5)]),
        ("impossible-speed", [(0, 3, 0), (1, 3, 16)], [(0, 3, 0), (1, 3, 15)]),
        ("track-without-character", [(0, 3, 0), (1, 3, 1)], None),
    ],
)
def test_findings_that_tracks_trigger(
    tmp_path: Path,
    kind: str,
    track: list[tuple[float, float, float]],
    mended: list[tuple[float, float, float]] | None,
) -> None:
    level = samples.wall_feature("house", HOUSE, top=5.0)
    level = (
        level.replace('"LineString"', '"Polygon"').replace(
            '"coordinates": [[', '"coordinates": [[['
        )[:-4]
        + "]}}]}"
    )
    assert len(json.loads(level)["features"]) == 1
    extra = "0,gest,1,1,0\n" if mended is None else ""
    path = samples.write_sample(tmp_path, track=samples.track_of(*track) + extra, level=level)
    assert names(path) == [kind]
    good = samples.track_of(*(mended or track))
    assert names(samples.write_sample(tmp_path, track=good, level=level)) == []


EARS = {"profiles.watcher.hearing": {"acuity": 1.0}}
STEPS = {"stride": 0.5, "creeping": 0.0, "walking": 3.0, "running": 6.0}
HEARD = EARS | {"bodies.post.steps": STEPS | {"creeping": 0.5}}
BANG = {"t": 1.0, "kind": "bang", "by": "guest", "reach": 5.0}
WALK = "t,id,x,y,heading,gait\n0,guest,1,1,0,creeping\n1,guest,2,2,0,walking\n2,guest,3,3,0,still\n"


@pytest.mark.parametrize(
    ("kind", "wrong", "mended"),
    [
        ("noise-nobody-hears", {"noise": [BANG]}, {"noise": [BANG], **HEARD}),
        ("noise-nobody-hears", {"noise": [BANG | {"by": "guard"}]}, {"noise": [BANG], **HEARD}),
        ("silent-gait", EARS | {"bodies.post.steps": STEPS}, HEARD),
        ("silent-gait", EARS | {"noise": [BANG]}, {"noise": [BANG], **HEARD}),
        ("nothing-to-hear", {"profiles.watcher.hearing": {"acuity": 0.0}}, HEARD),
        ("unused-noise-kind", {"noise_kinds": {"bang": {"reach": 4}}}, {"noise_kinds": {"bang": {"reach": 4}}, "noise": [{"t": 1, "kind": "bang", "at": [0, 0]}], **HEARD}),
        ("noise-while-absent", {"noise": [BANG | {"t": 3.0}], "clock.end": 4.0, **HEARD}, {"noise": [BANG | {"t": 2.0}], **HEARD}),
        ("sense-notices-nobody", {"profiles.watcher.touch": {"radius": 1, "notices": ["home"]}}, {"profiles.watcher.touch": {"radius": 1}}),
        ("looks-too-seldom", {METER: {"fill_time": 1, "drain_after": 0.5}, **HEARD, "profiles.watcher.hearing": {"listen_every": 1}}, {METER: {"fill_time": 1, "drain_after": 1}, **HEARD, "profiles.watcher.hearing": {"listen_every": 1}}),
        ("memory-too-short", {"profiles.watcher.memory": {"grace": 0.5}, "profiles.watcher.look_every": 1}, {"profiles.watcher.memory": {"grace": 1.0}, "profiles.watcher.look_every": 1}),
        ("memory-too-short", {"profiles.watcher.memory": {"grace": 1, "lead": 2, "forget": 3}}, {"profiles.watcher.memory": {"grace": 1, "lead": 2, "forget": 4}}),
        ("tells-nobody", {"profiles.watcher.tell": {}}, {"profiles.watcher.tell": {"teams": ["visitors", "home"]}, "profiles.watcher.memory": {}, "cast.guest.profile": "watcher", "profiles.watcher.notices": ["visitors", "home"]}),
        # It is within 3 m for one and a half seconds.
        ("threshold-out-of-reach", {METER: {"fill_time": 2, "thresholds": {"sure": 0.8}}, f"{CONE}.range": 3, f"{CONE}.hold_range": 3}, {METER: {"fill_time": 2, "thresholds": {"sure": 0.7}}, f"{CONE}.range": 3, f"{CONE}.hold_range": 3}),
    ],
)  # fmt: skip
def test_findings_about_noises_and_senses(
    tmp_path: Path, kind: str, wrong: dict[str, object], mended: dict[str, object]
) -> None:
    path = samples.write_sample(tmp_path, track=WALK)
    assert names(path, wrong) == [kind]
    assert names(path, mended) == []


def test_findings_about_places_and_makers_of_noise(tmp_path: Path) -> None:
    def level(**zone: object) -> str:
        places = [
            {"type": "Feature", "properties": {"kind": "zone", "name": "yard", "radius": 2, **zone}, "geometry": {"type": "Point", "coordinates": [1, 1]}},
            {"type": "Feature", "properties": {"kind": "spot", "name": "door"}, "geometry": {"type": "Point", "coordinates": [1, 1]}},
        ]  # fmt: skip
        return json.dumps({"type": "FeatureCollection", "features": places})

    path = samples.write_sample(tmp_path, track=WALK, level=level())
    assert names(path) == ["unused-zone", "unused-spot"]
    knock = {"t": 1, "kind": "knock", "spot": "door", "reach": 3}
    used = EARS | {"noise": [knock], "bodies.post.steps": STEPS | {"creeping": 1}}
    assert names(path, used) == ["unused-zone"]
    assert names(path, used | {"profiles.watcher.zone_sense": {"zones": ["yard"]}}) == []
    path = samples.write_sample(tmp_path, track=WALK, level=level(background=0.2))
    assert names(path, used) == []
    (tmp_path / "noises.csv").write_text("t,kind,x,y,reach,by\n1,bang,0,0,5,gest\n")
    path.write_text(path.read_text().replace("use =", 'noises = ["noises.csv"]\nuse ='))
    assert names(path, used) == ["noise-by-stranger"]
    assert snelk.check(snelk.load(path, overrides=used))[0].fix == 'did you mean "guest"?'


def test_low_walls_can_be_climbed(tmp_path: Path) -> None:
    track = samples.track_of((0, 3, 0), (1, 9, 0))
    for top, expected in ((1.49, []), (1.51, ["track-through-wall"])):  # the post is 2 m tall
        level = samples.wall_feature("fence", HOUSE[3:], top=top)
        path = samples.write_sample(tmp_path, track=track, level=level)
        assert names(path) == expected
    assert names(path, {"bodies.post.climb": 1.6}) == []


def test_a_cone_half_as_wide_as_its_kin_is_taken_for_a_half_angle(tmp_path: Path) -> None:
    other = '[cast.twin]\nteam = "home"\nprofile = "twin"\nat = [1, 0]\n'
    path = samples.write_sample(
        tmp_path, track=samples.track_of((0, 1, 1), (2, 2, 2)), guest=other,
        profiles=samples.SAMPLE_PROFILES + '[profiles.twin]\nlike = "watcher"\n',
    )  # fmt: skip
    cone = "profiles.twin.cones.front"
    found = snelk.check(
        snelk.load(path, overrides={f"{cone}.fov_whole": 45, f"{cone}.hold_fov_whole": 60})
    )
    assert [f.name for f in found] == ["half-angle"]
    assert found[0].reason == "45 deg is half of profiles.watcher.cones.front, 90 deg"
    assert names(path, {f"{cone}.fov_whole": 60, f"{cone}.hold_fov_whole": 80}) == []


def test_findings_about_teams(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=samples.track_of((0, 1, 1), (2, 2, 2)))
    assert names(path, {"cast.guest.team": "strangers"}) == [
        "notices-nobody",
        "unknown-team",
        "never-noticed",
    ]
    silence = {
        "silence": {
            "unknown-team": "to come",
            "never-noticed": "scenery",
            "notices-nobody": "asleep",
        }
    }
    assert names(path, {"cast.guest.team": "strangers", **silence}) == []
    with pytest.raises(
        snelk.InputError,
        match=r"silence\.unknown-teem: no such kind of warning; did you mean",
    ):
        names(path, {"silence": {"unknown-teem": "a slip"}})


STATES = {"calm": {}, "wary": {}}


def change(start: str, to: str, when: str, **more: object) -> dict[str, object]:
    return {"from": start, "to": to, "when": when, **more}


BACK = change("wary", "calm", "lost_for > 3s")
FAR = change("wary", "calm", "distance > 7m")


@pytest.mark.parametrize(
    ("kind", "wrong", "mended"),
    [
        ("state-unreachable, state-without-way-out", {"out": BACK}, {"in": change("calm", "wary", "seen"), "out": BACK}),
        ("state-without-way-out", {"in": change("calm", "wary", "seen")}, {"in": change("calm", "wary", "seen"), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "heard"), "out": BACK}, {"in": change("calm", "wary", "seen"), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "seen and distance > 12.5m"), "out": BACK}, {"in": change("calm", "wary", "seen and distance > 11.5m"), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "meter > 0.5"), "out": BACK}, {"in": change("calm", "wary", "meter < 0.5 and seen"), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "seen and lost_for > 1s"), "out": BACK}, {"in": change("calm", "wary", "seen or lost_for > 1s", **{"for": 0.5}), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "arrived or observed or search_done"), "out": BACK}, {"in": change("calm", "wary", "seen and chance(0.2)"), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", 'target.team == "home" and target.team == "visitors"'), "out": BACK}, {"in": change("calm", "wary", 'seen and target.team == "visitors"'), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "seen and not knows"), "out": BACK}, {"in": change("calm", "wary", "seen"), "out": change("wary", "calm", "not seen and not knows")}),
        ("never-true", {"in": change("calm", "wary", "not inside_territory"), "out": BACK}, {"in": change("calm", "wary", "inside_territory and seen"), "out": BACK}),
        ("transition-hidden", {"a": change("calm", "wary", "seen"), "b": change("calm", "wary", "seen and distance < 4m"), "out": BACK}, {"b": change("calm", "wary", "seen and distance < 4m"), "a": change("calm", "wary", "seen"), "out": BACK}),
        ("transition-hidden", {"a": change("calm", "wary", "distance < 6m"), "b": change("calm", "wary", "distance < 4m"), "out": FAR}, {"a": change("calm", "wary", "distance < 6m", **{"for": 1.0}), "b": change("calm", "wary", "distance < 4m"), "out": FAR}),
        ("flicker", {"in": change("calm", "wary", "distance < 6m"), "out": change("wary", "calm", "distance > 5m")}, {"in": change("calm", "wary", "distance < 5m"), "out": change("wary", "calm", "distance > 6m")}),
        ("limits-overlap", {"in": change("calm", "wary", "distance < 6m", **{"for": 1.0}), "out": change("wary", "calm", "distance > 5m")}, {"in": change("calm", "wary", "distance < 5m", **{"for": 1.0}), "out": change("wary", "calm", "distance > 6m")}),
        ("limits-overlap", {"in": change("calm", "wary", "meter >= 0 and seen", **{"for": 1.0}), "out": change("wary", "calm", "meter < 0.4")}, {"in": change("calm", "wary", "meter >= 0 and seen", **{"for": 1.0}), "out": change("wary", "calm", "not seen and meter < 0.4")}),
        ("limits-overlap", {"in": change("calm", "wary", "distance < 6m", **{"for": 1.0}), "out": change("wary", "calm", "distance > 5m")}, {"in": change("calm", "wary", "distance < 6m", **{"for": 1.0}), "out": change("wary", "calm", "distance < 5m")}),
        ("flicker", {"in": change("calm", "wary", "any_seen"), "out": change("wary", "calm", "seen")}, {"in": change("calm", "wary", "any_seen", reaction=0.5), "out": change("wary", "calm", "seen")}),
        ("never-true", {"in": change("calm", "wary", 'felt("touch") or caught'), "out": BACK}, {"in": change("calm", "wary", 'seen("front") and bearing < 9deg'), "out": BACK}),
        ("never-true", {"in": change("calm", "wary", "faces_focus and bearing > 6deg"), "out": BACK}, {"in": change("calm", "wary", "seen and faces_focus and bearing > 4deg"), "out": BACK}),
        ("flicker", {"in": change("calm", "wary", "knows"), "out": change("wary", "calm", "not seen")}, {"in": change("calm", "wary", "knows"), "out": change("wary", "calm", "not knows")}),
    ],
)  # fmt: skip
def test_findings_about_ladders(
    tmp_path: Path, kind: str, wrong: dict[str, object], mended: dict[str, object]
) -> None:
    path = samples.write_sample(tmp_path, track=samples.track_of((0, 1, 1), (2, 2, 2)))
    base = {"profiles.watcher.memory": {}}
    for transitions, expected in ((wrong, kind.split(", ")), (mended, [])):
        ladder = {"states": STATES, "transitions": transitions}
        found = names(path, {**base, "profiles.watcher.ladder": ladder})
        assert found == expected


def test_findings_about_waiting_and_activities(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=samples.track_of((0, 1, 1), (2, 2, 2)), level=LEVEL)
    ears: dict[str, object] = {
        "profiles.watcher.memory": {}, "profiles.watcher.hearing": {},
        "noise": [{"t": 1, "kind": "x", "reach": 3, "by": "guest"}],
        "silence": {"unused-spot": "for a moment", "unused-zone": "for a moment", "silent-gait": "of no matter here"},
    }  # fmt: skip

    def found(more: dict[str, object], **wait: object) -> list[str]:
        calm = change("wary", "calm", "lost_for > 3s and not heard")
        transitions = {"in": change("calm", "wary", "heard or seen"), "out": calm, **wait}
        return names(
            path,
            {
                **ears,
                "profiles.watcher.ladder": {"states": STATES, "transitions": transitions},
                **more,
            },
        )

    seldom: dict[str, object] = {
        "profiles.watcher.look_every": 1.0,
        "profiles.watcher.memory.grace": 0.0,
    }
    assert found({}, late=change("calm", "wary", "heard and not seen", **{"for": 1.0})) == [
        "transition-hidden",
        "for-on-a-moment",
    ]
    assert found(seldom, out=change("wary", "calm", "not seen", **{"for": 0.5})) == [
        "for-too-short"
    ]
    assert found(seldom, out=change("wary", "calm", "not seen", **{"for": 1.0})) == []

    # A reaction is a wait too, and each part of an `or` has to last.
    react = change("calm", "wary", "heard or seen", reaction=1.0)
    part = "1 s cannot pass for its part heard: heard is true for one tick at a time"
    assert found({}, **{"in": react}) == ["for-on-a-moment"]
    scenario = snelk.load(path, overrides={
        **ears, "profiles.watcher.ladder": {"states": STATES, "transitions": {
            "in": react, "out": change("wary", "calm", "lost_for > 3s")}}})  # fmt: skip
    assert [f.reason for f in snelk.check(scenario)] == [part]
    assert found({}, **{"in": change("calm", "wary", "seen or meter > 0.4", reaction=1.0)}) == []
    # An attribute that an effect gives can become anything.
    hit = change("calm", "wary", "own.hits >= 2")
    hurt: dict[str, object] = {"cast.guard.attributes": {"hits": 0.0}}
    assert found(hurt, **{"in": hit}) == ["never-true"]
    blow = {"effect": [{"t": 1.0, "of": "guard", "add": {"hits": 3}}]}
    assert "never-true" not in found({**hurt, **blow}, **{"in": hit})
    # What is heard or told is true for one tick at a time: it cannot lead back and forth.
    assert (
        found({}, **{"in": change("calm", "wary", "heard"), "out": change("wary", "calm", "heard")})
        == []
    )
    deaf = {"in": change("calm", "wary", "heard")}
    assert sorted(found({"noise": []}, **deaf)) == ["never-true", "nothing-to-hear"]
    own: dict[str, object] = {
        "noise": [{"t": 1, "kind": "x", "reach": 3, "by": "guard"}],
        "profiles.watcher.notices": ["visitors", "home"],
    }
    assert sorted(found(own, **deaf)) == ["never-true", "noise-nobody-hears", "nothing-to-hear"]
    # Nobody tells itself anything, nor gives itself an alarm; who forgets everything is not told.
    tells = {"profiles.watcher.tell": {"teams": ["home"]}}
    alarm = {"out": change("wary", "calm", "seen", then={"alarm": ["home"]})}
    hears = {"in": change("calm", "wary", "told")}
    assert "never-true" in found(tells, **hears)
    assert "never-true" in found({}, **alarm, **hears)
    second = {"cast.guest.profile": "watcher", "cast.guest.team": "home"}
    assert "never-true" not in found(tells | second, **hears)
    assert "never-true" not in found(second, **alarm, **hears)
    told = {"states": STATES, "transitions": {"in": change("calm", "wary", "told"), "out": BACK}}
    for memory in ({}, {"memory": {}}):
        eye = {"body": "post", "notices": ["home"], "ladder": told, **memory}
        listens: dict[str, object] = {
            "profiles.watcher.tell": {"teams": ["visitors"]},
            "profiles.watcher.notices": ["visitors", "home"],
            "cast.guest.profile": "eye", "profiles.eye": eye,
        }  # fmt: skip
        assert ("never-true" in found(listens)) == (not memory)
    # Who is observed waits for its watcher to look again.
    twin: dict[str, object] = {
        "cast.guest.profile": "eye", "profiles.eye": {
            "body": "post", "notices": ["home"], "look_every": 0.6,
            "cones": {"front": {"fov_whole": 90, "range": 9}}}}  # fmt: skip
    unseen = change("wary", "calm", "not observed", **{"for": 0.5})
    assert found(twin, out=unseen) == ["for-too-short"]
    assert found(twin, out={**unseen, "for": 0.6}) == []
    # Who only walks about needs no sense.
    walker = {"body": "post", "ladder": {"states": {"a": {}}}}
    assert found({"cast.guest.profile": "walker", "profiles.walker": walker}) == []

    def doing(state: dict[str, object], **more: object) -> list[str]:
        ladder = {"profiles.watcher.ladder.states.wary": state}
        return found({**ladder, **{key.replace("__", "."): value for key, value in more.items()}})

    assert doing({"patrol": {}}) == ["activity-lacks", "activity-lacks"]  # neither legs nor a route
    assert doing({"patrol": {}}, profiles__watcher__movement={}) == ["activity-lacks"]
    assert doing({"patrol": {"route": "round"}}, profiles__watcher__movement={}) == []
    assert doing({"flee": {}}, profiles__watcher__movement={}) == ["activity-lacks"]
    assert doing({"flee": {"spots": ["post"]}}, profiles__watcher__movement={}) == []
    hide = {"search": {"method": "hideouts"}}
    assert doing(hide, profiles__watcher__movement={}) == ["activity-lacks"]
    assert doing(hide, profiles__watcher__movement={}, cast__guard__spots=["post"]) == []
    leash: dict[str, object] = {"cast.guard.leash": {"zone": "yard"}}
    assert found(leash) == []
    assert found({**leash, "cast.guard.at": [30.0, 0.0]}) == ["outside-territory"]


LEVEL = """{"type": "FeatureCollection", "features": [
{"type": "Feature", "properties": {"kind": "route", "name": "round"}, "geometry": {"type": "LineString", "coordinates": [[0, 0], [3, 0]]}}
, {"type": "Feature", "properties": {"kind": "spot", "name": "post"}, "geometry": {"type": "Point", "coordinates": [3, 0]}}
, {"type": "Feature", "properties": {"kind": "zone", "name": "yard", "light": 1}, "geometry": {"type": "Point", "coordinates": [0, 0]}}
]}""".replace('"light": 1', '"light": 1, "radius": 5')


@pytest.mark.parametrize(
    ("kind", "states", "changes", "mended"),
    [
        ("sleeps-with-open-eyes", {"a": {"sleep": {}}}, {}, {"a": {"sleep": {}, "senses": {"sight": 0.0}}}),
        ("search-too-slow", {"a": {"search": {"method": "likelihood", "speed": 2.0}}}, {}, {"a": {"search": {"method": "likelihood", "speed": 2.0}, "pace": "running"}}),
        ("raw-flips", {"a": {}, "b": {}}, {"x": {"from": "a", "to": "b", "when": "seen"}, "y": {"from": "b", "to": "a", "when": "not seen"}}, {"a": {"least": 1.0}, "b": {}}),
        ("out-of-reach", {"a": {"go": {"spot": "cellar"}}}, {}, {"a": {"go": {"spot": "yard"}}}),
        ("roams-to-the-end", {"a": {"roam": {}}}, {}, {"a": {"roam": {"ring": [1.0, 2.0]}}}),
        ("watches-ahead", {"a": {}, "b": {}}, {"x": {"from": "a", "to": "b", "when": "seen or heard"}, "y": {"from": "b", "to": "a", "when": "lost_for > 3s"}}, {"a": {}, "b": {"face": {}}}),
        ("hold-below-gain", {"a": {"cones": {"front": {"hold_range": 3.0}}}}, {}, {"a": {"cones": {"front": {"hold_range": 13.0}}}}),
    ],
)  # fmt: skip
def test_findings_about_what_is_done(
    tmp_path: Path, kind: str, states: dict[str, object], changes: dict[str, object],
    mended: dict[str, object],
) -> None:  # fmt: skip
    features = [
        scenes.feature("wall", "house", shapely.box(4, -4, 12, 4), top=3.0),
        scenes.feature("spot", "cellar", shapely.Point(8, 0)),
        scenes.feature("spot", "yard", shapely.Point(0, 6)),
    ]
    both = [
        {
            f.name
            for f in snelk.check(scenes.scene(tmp_path, *features, states=s, transitions=changes))
        }
        for s in (states, mended)
    ]
    assert kind in both[0] - both[1]


def test_who_is_far_above_a_watched_zone_is_told(tmp_path: Path) -> None:
    yard = scenes.feature("zone", "yard", shapely.box(-9, -9, 9, 9))
    more = {"profiles.watcher.zone_sense": {"zones": ["yard"]}}
    for z, expected in ((1.0, False), (3.0, True)):
        scene = scenes.scene(tmp_path, yard, states={"a": {}}, more={**more, "cast.guest.z": z})
        assert ("height-left-out" in {f.name for f in snelk.check(scene)}) is expected


@pytest.mark.parametrize(
    ("end", "who", "reason"),
    [
        ([3, 0, 2.6], None, None), ([3, 0, 2.6], ["guard"], None),
        ([3, 0, 2.6], ["watcher"], None), ([3, 0, 2.6], ["cat"], "is for cat, but no"),
        ([9, 0, 2.6], None, "there is no floor below its last end, (9.00, 0.00), 2.60 m up"),
        ([3, 1.9, 2.6], None, "nobody can stand at its last end, (3.00, 1.90), 2.60 m up"),
    ],
)  # fmt: skip
def test_a_link_that_nobody_can_take_is_told(
    tmp_path: Path, end: list[float], who: list[str] | None, reason: str | None
) -> None:
    yard = scenes.feature("floor", "yard", shapely.box(-2, -2, 2, 2))
    loft = scenes.feature("floor", "loft", shapely.box(2, -2, 6, 2), height=2.6)
    wall = scenes.feature("wall", "wall", shapely.LineString([(2, 2), (6, 2)]), base=2.6, top=4.0)
    ladder = scenes.feature("link", "ladder", shapely.LineString([(1, 0, 0), end]))
    ladder["properties"] |= {"who": who} if who else {}
    scene = scenes.scene(tmp_path, yard, loft, wall, ladder, states={"a": {}})
    found = [f for f in snelk.check(scene) if f.name == "useless-link"]
    assert [f.reason for f in found if reason and reason in f.reason] == [f.reason for f in found]
    assert bool(found) == bool(reason)


@pytest.mark.parametrize(("high", "told"), [(0.0, False), (9e-4, False), (2e-3, True), (1.0, True)])
def test_without_floors_a_link_is_where_somebody_walks(
    tmp_path: Path, high: float, told: bool
) -> None:
    link = scenes.feature("link", "plank", shapely.LineString([(1, 0, 0), (3, 0, high)]))
    found = snelk.check(scenes.scene(tmp_path, link, states={"a": {}}))
    said = f"begins and ends at heights of 0 m and {high:g} m, but who may take it walks at 0 m"
    assert (said in {each.reason for each in found if each.name == "useless-link"}) is told


def test_who_begins_on_no_floor_or_where_it_cannot_stand_is_told(tmp_path: Path) -> None:
    yard = scenes.feature("floor", "yard", shapely.box(-99, -99, 99, 99))
    for high, x, expected in (
        (1.9, 0.0, ["cast.guard"]), (0.6, 0.0, ["cast.guard"]), (2.1, 0.0, []), (0.4, 0.0, []),
        (1.9, 5.0, []),
    ):  # fmt: skip
        shelf = scenes.feature("floor", "shelf", shapely.box(-2, -2, 2, 2), height=high)
        scene = scenes.scene(tmp_path, yard, shelf, states={"a": {}},
                             more={"cast.guard.at": [x, 0.0], "cast.guest.at": [0.0, 1.0]})  # fmt: skip
        found = [f for f in snelk.check(scene) if f.name == "no-footing"]
        assert [f.place for f in found] == expected, (high, x)  # the guest is not moved
        assert all("under shelf, too low to stand under" in f.reason for f in found)
    for z, expected in ((0.0, False), (0.4, False), (-0.5, False), (-0.6, True)):
        scene = scenes.scene(tmp_path, yard, states={"a": {}}, more={"cast.guest.z": z})
        found = {(f.name, f.place) for f in snelk.check(scene)}
        assert (("no-footing", "cast.guest") in found) is expected, z
    flat = scenes.scene(tmp_path, states={"a": {}})
    assert "no-footing" not in {f.name for f in snelk.check(flat)}


def test_keys_of_before_are_read_told_and_written_to(tmp_path: Path) -> None:
    for path in snelk.croft().glob("*.*"):
        if path.suffix in (".toml", ".csv", ".geojson"):
            text = path.read_text()
            (tmp_path / path.name).write_text(text.replace("ladder.transitions", "ladder.changes"))
    now = snelk.load(snelk.croft() / "night.toml")
    before = snelk.load(tmp_path / "night.toml")
    assert before.setup == now.setup
    told = snelk.check(before)
    text = (tmp_path / "creatures.toml").read_text()
    ladders = dict.fromkeys(re.findall(r"\[(profiles.[a-z]+.ladder.changes)", text))
    assert [t.place for t in told] == list(ladders)
    assert {(t.name, t.fix) for t in told} == {("outdated-key", "rename it to transitions")}
    # By either name they are overridden, measured and silenced.
    for name in ("changes", "transitions"):
        key = f"profiles.dog.ladder.{name}.noise.for"
        again = before.changed({key: 0.7, "wish.calm": {"measure": f"dog.{name}", "want": "low"}})
        assert again.setup.profiles["dog"].ladder.transitions["noise"].for_ == 0.7  # type: ignore[union-attr]
        (file,) = rewritten(before, {key: 0.7})
        write_back([file])
        assert "ladder.transitions" not in file.after
        assert snelk.load(tmp_path / "night.toml").setup == now.changed({key: 0.7}).setup
        write_back([replace(file, before=file.after, after=file.before)])
    ladder = {"states": STATES, "changes": {"a": change("calm", "wary", "seen"), "b": change("calm", "wary", "seen and distance < 4m"), "out": BACK}}  # fmt: skip
    path = samples.write_sample(tmp_path / "b", guest="at = [5, 0]")
    given = {"profiles.watcher.ladder": ladder}
    assert names(path, given) == ["outdated-key", "transition-hidden"]
    old = {**given, "silence": {"change-hidden": "for a reason"}}
    assert names(path, old) == ["outdated-key", "outdated-key"]
    old = {
        "wish.calm": {"measure": "dog.changes", "want": "low"},
        "expect.calm": {"measure": {"of": "farmer.changes", "at_most": 20}},
        "silence": {"change-hidden": "for a reason"},
    }
    told = [f for f in snelk.check(now.changed(old)) if f.name == "outdated-key"]
    assert [(f.place, f.fix) for f in told] == [
        ("wish.calm.measure", "write dog.transitions"),
        ("expect.calm.measure.of", "write farmer.transitions"),
        ("silence.change-hidden", "rename it to transition-hidden"),
    ]
    with pytest.raises(snelk.InputError, match=r"ladder\.changes: no such key"):
        snelk.load(path, overrides={"profiles.watcher.ladder": {**ladder, "transitions": {}}})


def test_every_kind_is_tested_and_documented() -> None:
    tests = Path(__file__).parent.glob("test_*.py")
    text = "".join(path.read_text(encoding="utf-8") for path in tests)
    documents = (Path(__file__).parents[1] / "docs" / "files.md").read_text(encoding="utf-8")
    for kind in CHECKS:
        assert re.search(f'["\\s]{kind}[",]', text), kind
        assert f"| `{kind}` |" in documents


@pytest.mark.parametrize(
    "path",
    [
        snelk.croft() / "night.toml",
        snelk.mill() / "night.toml",
        snelk.croft().parent / "starter" / "scenario.toml",
    ],
)
def test_what_snelk_brings_is_clean(path: Path) -> None:
    assert names(path) == []
