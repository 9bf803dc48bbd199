"""Clues: what is out of order, who notices it, and who has seen to it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely

import snelk

GATE = scenes.feature("wall", "gate", shapely.LineString([(5, -1), (5, 1)]), top=2.0, door=True)
HALL = scenes.feature("zone", "hall", shapely.box(2, 2, 6, 6), light=0.9)
LADDER: dict[str, Any] = {
    "states": {"stand": {}, "look": {"go": {}, "pace": "walking"}, "mend": {}},
    "transitions": {
        "notices": {"from": ["stand"], "to": "look", "when": "meter >= 1"},
        "mends": {"from": ["look"], "to": "mend", "when": "seen_to"},
        "back": {"from": ["look", "mend"], "to": "stand", "when": "not knows and state_for > 1s"},
    },
}


def turn(*rows: tuple[float, str, str]) -> list[dict[str, Any]]:
    return [{"t": t, "of": of, "to": to} for t, of, to in rows]


def scene(
    folder: Path,
    clue: dict[str, Any],
    *features: dict[str, Any],
    member: dict[str, Any] | None = None,
    end: float = 12.0,
    track: str | None = None,
    **more: Any,
) -> snelk.Scenario:
    """The guard minds signs, and there is one."""
    every = {
        "profiles.watcher.notices": ["signs"],
        "profiles.watcher.cones.front.fov_whole": 360,
        "profiles.watcher.cones.front.range": 15.0,
        "lights.hall": {"dark": 0.1},
        "doors.gate": {"who": []},
        "cast.guard.at": [0, 0],
        "cast.sign": {"team": "signs", "clue": clue, **(member or {})},
        **more,
    }
    return scenes.scene(folder, GATE, HALL, *features, end=end, track=track, more=every, **LADDER)


def told(run: snelk.Run, *kinds: str) -> list[tuple[float, str]]:
    rows = run.events[run.events.kind.isin(kinds)]
    return list(zip(rows.t, rows.text, strict=True))


def there(run: snelk.Run) -> tuple[float, float] | None:
    """From when to when the sign was there, if only once."""
    rows = run.poses[run.poses.id == "sign"]
    t = rows.t[rows.present.to_numpy()].to_numpy()
    if len(t) == 0:
        return None
    assert np.allclose(np.diff(t), 0.1)
    return float(t[0]), float(t[-1])


def test_it_is_noticed_gone_to_and_seen_to_until_it_is_so_again(tmp_path: Path) -> None:
    changes = turn((1.0, "gate", "open"), (8.0, "gate", "shut"), (9.0, "gate", "open"))
    run = snelk.run(scene(tmp_path, {"open": "gate", "reach": 1.2}, change=changes))
    (first, text), (second, _) = told(run, "seen_to")
    assert text == "guard has seen to sign at (5.0, 0.0) (look)"
    t, at, _ = scenes.guard_of(run)
    away = np.hypot(*(at - (5, 0)).T)
    assert away[np.isclose(t, first)] <= 1.2 < away[np.isclose(t, first - 0.1)]
    # What comes of it is still about it.
    assert [t for t in told(run, "changed") if "about sign" in t[1]][1][0] == pytest.approx(
        first + 0.1
    )
    # In view all the time, but no focus any more; and forgotten when it is in order.
    signals = run.signals[run.signals.agent == "guard"].set_index("t")
    assert run.why("guard", "sign", at=first + 1.0).in_view
    assert not (signals.focus[first + 0.15 : 8.1] == "sign").any()
    assert not signals.any_seen[first + 0.15 : 8.1].any()
    assert signals.any_seen[first - 1.0 : first + 0.15].all()
    assert not signals.knows[8.1:9.0].any()
    why = run.why("guard", "sign", at=7.0)
    assert f"has seen to sign at {first:.2f} s, and ignores it" in why.lacks
    assert "minds it no more" not in str(run.why("guard", "sign", at=second - 0.1))
    meters = run.meters[(run.meters.agent == "guard") & (run.meters.target == "sign")].set_index(
        "t"
    )
    assert meters.value[8.1] == 0.0
    # The guard still stands beside it: it has to notice it anew, and acts only then.
    assert second == pytest.approx(9.1 + 0.8, abs=0.21)
    assert [text.partition(" (")[0] for _, text in told(run, "changed")] == [
        f"guard: {one} → {other}"
        for one, other in [("stand", "look"), ("look", "mend"), ("mend", "stand")] * 2
    ]


def test_who_cannot_get_to_it_has_seen_to_it_as_near_as_it_gets(tmp_path: Path) -> None:
    ditch = scenes.feature("edge", "ditch", shapely.box(3, -5, 9, 5).exterior)
    changes = turn((1.0, "gate", "open"))
    run = snelk.run(scene(tmp_path, {"open": "gate"}, ditch, change=changes))
    ((t, _),) = told(run, "seen_to")
    (stood,) = [at for at, _ in told(run, "unreachable")]
    assert t == pytest.approx(stood, abs=0.11)
    # Who only feels it sees to it as well; not who stands far below it.
    near: dict[str, Any] = {"cast.guard.at": [4.0, 0.0], "member": {"at": [4.5, 0.0]}}
    blind = {**near, "profiles.watcher.cones": {}, "profiles.watcher.touch": {"radius": 2.0}}
    high, higher = ({**near, "member": {"at": [4.5, 0.0], "z": z}} for z in (3.4, 3.6))
    for more, found in ((blind, 1), (high, 1), (higher, 0)):  # 2 m tall, with a reach of 1.5 m
        run = snelk.run(scene(tmp_path, {"open": "gate"}, change=changes, **more))
        assert len(told(run, "seen_to")) == found
    # Who has no reason to act does not see to it, however near it is.
    calm = {"profiles.watcher.meter.fill_time": 3600.0, "cast.guard.at": [4.5, 0]}
    run = snelk.run(scene(tmp_path, {"open": "gate"}, change=changes, **calm))
    assert told(run, "seen_to") == []
    assert run.why("guard", "sign", at=5.0).in_view


def test_a_light_that_is_out_is_noticed_by_the_dark(tmp_path: Path) -> None:
    dim = {"light": 0.1, "profiles.watcher.cones.front.min_light": 0.5}
    changes = turn((1.0, "hall", "dark"))
    run = snelk.run(scene(tmp_path, {"dark": "hall"}, change=changes, **dim))
    assert told(run, "saw")[0][0] == pytest.approx(1.1)
    sight = run.sight[(run.sight.target == "sign") & (run.sight.t > 1.0)]
    assert (sight.light == 0.9).all()
    # Any other clue needs light to be seen by.
    run = snelk.run(scene(tmp_path, {"open": "gate"}, change=turn((1.0, "gate", "open")), **dim))
    assert told(run, "saw") == []
    assert "too dark" in run.why("guard", "sign", at=3.0).headline


def test_a_shut_door_is_seen_from_both_sides(tmp_path: Path) -> None:
    for x in (0.0, 10.0):
        run = snelk.run(scene(tmp_path, {"shut": "gate"}, end=1.0, **{"cast.guard.at": [x, 0]}))
        assert told(run, "saw")[0][0] == 0.0
    thick = scenes.feature("wall", "gate", shapely.box(5, -1, 5.2, 1), top=2.0, door=True)
    samples_of = {"team": "signs", "clue": {"shut": "gate"}}
    more = {"cast.sign": samples_of, "profiles.watcher.notices": ["signs"]}
    with pytest.raises(snelk.InputError, match=r"nobody sees its middle.*at = \[x, y\]"):
        scenes.scene(tmp_path, thick, more=more, **LADDER)
    more["cast.sign"] = {**samples_of, "at": [4.9, 0.0]}
    run = snelk.run(scenes.scene(tmp_path, thick, more=more, **LADDER))
    assert told(run, "saw")[0][0] == 0.0


def test_what_is_wrong_with_a_clue_is_told(tmp_path: Path) -> None:
    track = samples.track_of((0, 1, 1), (5, 1, 2))
    for clue, member, message in (
        ({"open": "gate", "dark": "hall"}, {}, "must have exactly one of open, shut"),
        ({"seconds": 1.0}, {}, "it has none"),
        ({"open": "gatt"}, {}, 'no such door (given: "gatt"); did you mean "gate"'),
        ({"dark": "gate"}, {}, "no such light"),
        ({"gone": "sign"}, {}, "no such character"),
        ({"still": "guest"}, {"at": [1, 1]}, "is where guest lies; leave out at"),
        ({"open": "gate"}, {"profile": "watcher"}, "is a clue, and has no senses"),
    ):
        with pytest.raises(snelk.InputError) as error:
            scene(tmp_path, clue, member=member, track=track)
        assert message in str(error.value)
    with pytest.raises(snelk.InputError, match="is a clue, and cannot be moved"):
        snelk.coverage(scene(tmp_path, {"open": "gate"}), target="sign", cell=2.0)
    live = snelk.Live(scene(tmp_path, {"open": "gate"}))
    with pytest.raises(snelk.InputError, match="is a clue, while gate is open"):
        live.push("sign", x=0.0, y=0.0, heading_deg=0.0)
    kinds = []
    for n in range(30):
        if n == 5:
            live.change("gate", "open")
        kinds += [(event.kind, n) for event in live.step() if event.kind in ("saw", "opened")]
    assert kinds == [("opened", 5), ("saw", 6)]


def test_clues_that_never_come_or_that_nobody_can_see_are_found(tmp_path: Path) -> None:
    def found(clue: dict[str, Any], *features: Any, **more: Any) -> list[tuple[str, str]]:
        member = more.pop("member", {})
        night = scene(tmp_path, clue, *features, member=member, **more)
        return [(f.name, f.reason) for f in snelk.check(night) if f.name.endswith("-clue")]

    opens = {"change": turn((1.0, "gate", "open"))}
    assert found({"open": "gate"}, **opens) == []
    ((name, reason),) = found({"open": "gate"})
    assert (name, reason) == ("idle-clue", "is there while gate is open, and nothing makes it open")
    assert found({"shut": "gate"}) == []
    assert found({"shut": "gate"}, **{"doors.gate": {"who": [], "open": True}}) != []
    assert found({"open": "gate"}, **{"doors.gate": {}}) == []  # the guard opens it
    assert found({"lit": "hall"}) == []
    assert found({"dark": "hall"})[0][0] == "idle-clue"
    assert found({"still": "guest"})[0][1].endswith("guest never lies")
    assert found({"gone": "guest"})[0][0] == "idle-clue"
    # A box all round, a place too high up, and the dark.
    box = scenes.feature("wall", "box", shapely.box(4, -2, 6, 2), top=9.0)
    reason = "nobody can see it: nothing of it is in view within 15 m from anywhere guard can be"
    stands = {"profiles.watcher.movement": None}
    assert found({"open": "gate"}, box, **opens, **stands) == [("unseen-clue", reason)]
    assert found({"open": "gate"}, member={"z": 40.0}, **opens) == [("unseen-clue", reason)]
    dark = {"light": 0.05, "profiles.watcher.cones.front.min_light": 0.2, **opens}
    assert found({"open": "gate"}, **dark) == [
        ("unseen-clue", "nobody can see it: it is too dark there for guard, light 0.05")
    ]
    assert found({"open": "gate"}, **dark, **{"profiles.watcher.touch": {"radius": 1.0}}) == []
