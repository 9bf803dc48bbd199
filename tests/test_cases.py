"""Cases for a game's own code: a plain implementation passes all, and each usual mistake is caught."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from functools import cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from test_cli import command

import snelk
from snelk.config.exporting import export
from snelk.config.foreign import GameUnits
from snelk.tuning.cases import MISTAKES, cases_of

NIGHT, MILL = snelk.croft() / "night.toml", snelk.mill() / "night.toml"
POSTURES = ("standing", "crouched", "prone")


class Game:
    """A game's own sensing, written from the document of the rules alone, with one mistake or none."""

    def __init__(self, numbers: Any, mistake: str = "") -> None:
        self.numbers, self.mistake = numbers, mistake

    def has(self, mistake: str) -> bool:
        return self.mistake == mistake

    def height(self, who: Any) -> float:
        posture = "standing" if self.has("standing-only") else who.get("posture", "standing")
        return self.numbers["bodies"][who["body"]][posture]

    def eye(self, who: Any) -> list[float]:
        x, y, z = who["place"]
        share = 0.0 if self.has("from-feet") else self.numbers["bodies"][who["body"]]["eyes"]
        return [x, y, z + share * self.height(who)]

    def passes(self, start: Sequence[float], end: Sequence[float], walls: Any, key: str) -> float:
        """What share a ray lets pass: each wall is an upright face over a straight line."""
        left = 1.0
        for wall in walls:
            (ax, ay, _), (bx, by, _) = wall["from"], wall["to"]
            dx, dy = end[0] - start[0], end[1] - start[1]
            across = dx * (by - ay) - dy * (bx - ax)
            if across == 0:
                continue
            t = ((ax - start[0]) * (by - ay) - (ay - start[1]) * (bx - ax)) / across
            u = ((ax - start[0]) * dy - (ay - start[1]) * dx) / across
            z = start[2] + t * (end[2] - start[2])
            endless = self.has("endless-walls") and key == "see_through"
            if 0 < t < 1 and 0 <= u <= 1 and (endless or wall["base"] <= z <= wall["top"]):
                hedge = wall[key]
                stops = (
                    self.has("solid-hedges") and key == "see_through" and hedge < 1
                ) or self.has("deaf-behind-walls")
                left *= 0.0 if stops else hedge
        return left

    def sees(self, case: Any) -> tuple[bool, str | None, float | None]:
        cone = self.numbers["profiles"][case["profile"]]["cones"][case["cone"]]
        target, eye = case["target"], self.eye(case["agent"])
        x, y, z = target["place"]
        middle = [x, y, z + (0.0 if self.has("to-feet") else 0.5 * self.height(target))]
        held = case["was_in_view"]
        keep = (held and not self.has("no-hold")) or self.has("hold-as-gain")
        reach, whole = (
            (cone["hold_range"], cone["hold_fov_whole"])
            if keep
            else (cone["range"], cone["fov_whole"])
        )
        off = [a - b for a, b in zip(middle, eye, strict=True)]
        flat = math.hypot(off[0], off[1])
        far = flat if self.has("plan-range") else math.hypot(*off)
        bearing = abs(
            math.degrees(
                math.remainder(
                    math.atan2(off[1], off[0]) - math.radians(case["agent"]["heading"]), math.tau
                )
            )
        )
        rise = math.degrees(math.atan2(off[2], flat))
        slack = -1e-6 if self.has("exclusive-range") else 1e-9
        gates = {
            "cares": target["team"] in cone["notices"] or self.has("all-teams"),
            "range": far <= reach + slack,
            "angle": bearing <= (whole if self.has("half-angle") else whole / 2) + 1e-7,
            "elevation": -cone["down"] - 1e-7 <= rise <= cone["up"] + 1e-7,
            "light": case["light"] >= cone["min_light"] - 1e-9,
        }
        if self.has("order"):
            gates = dict(reversed(gates.items()))
        for gate, passed in gates.items():
            if not passed:
                return False, gate, None
        points = self.numbers["bodies"][target["body"]]["points"]
        if self.has("one-ray"):
            points = [[0.5, 1.0]]
        weights = sum(weight for _, weight in points)
        seen = sum(
            weight
            / weights
            * self.passes(
                eye, [x, y, z + share * self.height(target)], case["walls"], "see_through"
            )
            for share, weight in points
        )
        return (
            seen > cone["min_exposure"] + 1e-12,
            None if seen > cone["min_exposure"] + 1e-12 else "line_of_sight",
            seen,
        )

    def meter(self, case: Any) -> list[float]:
        profile = self.numbers["profiles"][case["profile"]]
        meter, cone = profile["meter"], profile["cones"][case["cone"]]
        value, gone, before, found, held = 0.0, 0.0, None, [], False

        def curve(name: str, at: float) -> float:
            points = meter[name]
            for (ax, ay), (bx, by) in pairwise(points):
                if at <= bx:
                    return ay if at <= ax else ay + (by - ay) * (at - ax) / (bx - ax)
            return points[-1][1]

        for place, present in zip(case["target"]["places"], case["target"]["present"], strict=True):
            look = {
                **case,
                "target": {**case["target"], "place": place},
                "was_in_view": held,
                "walls": [],
            }
            held, _, exposure = self.sees(look) if present else (False, "", None)
            if held:
                eye, (x, y, z) = self.eye(case["agent"]), place
                far = math.dist(eye, [x, y, z + 0.5 * self.height(case["target"])])
                off = abs(math.degrees(math.atan2(y, x)))
                speed = math.dist(place, before) / case["dt"] if before else 0.0
                share = far if self.has("curve-by-metres") else far / cone["range"]
                posture = "standing" if self.has("standing-only") else case["target"]["posture"]
                rate = (
                    curve("distance", share)
                    * curve("angle", off / (cone["fov_whole"] / 2))
                    * curve("light", case["light"])
                    * curve("motion", speed)
                    * exposure
                    * meter[posture]
                    * cone["weight"]
                )
                value = (
                    1.0
                    if far <= meter["at_once"] + 1e-9
                    else min(1.0, value + rate * case["dt"] / meter["fill_time"])
                )
                gone = 0.0
            else:
                gone += case["dt"]
                wait = 0.0 if self.has("drains-at-once") else meter["drain_after"]
                drains = min(max(gone - wait, 0.0), case["dt"])
                value = (
                    value
                    if self.has("never-drains")
                    else max(0.0, value - drains / meter["drain_time"])
                )
            before = place if present else None
            found.append(value)
        return found

    def hears(self, case: Any) -> tuple[bool, float]:
        acuity = self.numbers["profiles"][case["profile"]]["hearing"]["acuity"]
        ear, noise = self.eye({**case["agent"]}), case["noise"]
        limit = case["reach"] * acuity * (1.0 - case["background"])
        straight = (
            math.dist(ear[:2], noise[:2]) if self.has("noise-in-plan") else math.dist(ear, noise)
        )
        through = self.passes(noise, ear, case["walls"], "hear_through")
        ways = [(straight, limit * through)]
        if not self.has("through-only"):
            plan = math.dist(ear[:2], noise[:2])
            for wall in case["walls"]:  # around the nearer end of the one there is
                plan = min(
                    math.dist(ear[:2], end[:2]) + math.dist(end[:2], noise[:2])
                    for end in (wall["from"], wall["to"])
                )
            ways.append((math.hypot(plan, ear[2] - noise[2]), limit))
        best = max((1.0 - way / most if most > 0 else -1.0) for way, most in ways)
        return best >= -1e-9, max(best, 0.0)

    def takes(self, case: Any) -> int | None:
        held = reacts = -case["dt"]
        for tick, true in enumerate(case["true"]):
            if not true:
                held = held if self.has("debounce-sums") else -case["dt"]
                reacts = -case["dt"]
                continue
            held += case["dt"] * (2 if self.has("debounce-early") and held < 0 else 1)
            late = case["dt"] if self.has("debounce-late") else 0.0
            if held >= case["for"] + late - 1e-9:
                reacts += case["dt"]
                if reacts >= case["reaction"] - 1e-9:
                    return tick
        return None

    def is_right(self, case: Any) -> bool:
        right = case["right"]
        if case["kind"] == "sight":
            seen, failed, exposure = self.sees(case)
            close = right["exposure"] is None or (
                exposure is not None and abs(exposure - right["exposure"]) < 1e-6
            )
            return (seen, failed) == (right["in_view"], right["failed"]) and close
        if case["kind"] == "meter":
            return all(
                abs(one - other) < 1e-6
                for one, other in zip(self.meter(case), right["meter"], strict=True)
            )
        if case["kind"] == "hearing":
            heard, strength = self.hears(case)
            return heard == right["heard"] and abs(strength - right["strength"]) < 1e-3
        return self.takes(case) == right["taken_at"]


@cache
def handed_over(path: Path) -> tuple[Any, Any]:
    """The numbers and the cases of a scenario, as a game reads them."""
    scenario = snelk.load(path)
    return json.loads(json.dumps(export(scenario))), json.loads(json.dumps(cases_of(scenario)))[1:]


def wrong_of(path: Path, mistake: str = "") -> list[str]:
    numbers, cases = handed_over(path)
    game = Game(numbers, mistake)
    return [case["case"] for case in cases if not game.is_right(case)]


@pytest.mark.parametrize("path", [NIGHT, MILL])
def test_a_plain_implementation_of_the_rules_passes_all_cases(path: Path) -> None:
    assert wrong_of(path) == []


@pytest.mark.parametrize("mistake", MISTAKES)
def test_each_usual_mistake_gives_a_wrong_answer(mistake: str) -> None:
    assert any(wrong_of(path, mistake) for path in (NIGHT, MILL))


def test_cases_in_a_games_units_are_the_same_cases() -> None:
    scenario = snelk.load(NIGHT)
    units = GameUnits.model_validate(
        {
            "length": 0.01,
            "time": 0.001,
            "axes": {"x": "x", "y": "z", "z": "y"},
            "turn": "cw",
            "zero": "+y",
        }
    )
    ours, theirs = cases_of(scenario), cases_of(scenario, units)
    assert len(ours) == len(theirs) > 300
    for one, other in zip(ours[1:], theirs[1:], strict=True):
        assert (one["case"], one["right"]) == (other["case"], other["right"])
        for who in ("agent", "target"):
            for place in (one.get(who, {}).get("place"),):
                if place is not None:
                    x, y, z = place
                    assert other[who]["place"] == pytest.approx([100 * x, 100 * z, 100 * y])
        for wall, again in zip(one.get("walls", ()), other.get("walls", ()), strict=True):
            assert again["top"] == pytest.approx(100.0 * wall["top"])
        if "heading" in one["agent"]:
            assert other["agent"]["heading"] == pytest.approx(90.0)
        for key, factor in (
            ("reach", 100.0),
            ("dt", 1000.0),
            ("for", 1000.0),
            ("reaction", 1000.0),
        ):
            assert (key in one) == (key in other)
            if key in one:
                assert other[key] == pytest.approx(factor * one[key])


def test_on_the_command_line(tmp_path: Path) -> None:
    said = command("cases", NIGHT, "--length", "0.01", cwd=tmp_path)
    assert "Written to night.cases.jsonl\n  273 of sight, 42 of meter" in said
    assert all(len(line) <= 80 for line in said.splitlines())
    head, *cases = [
        json.loads(line)
        for line in (tmp_path / "night.cases.jsonl").read_text(encoding="utf-8").splitlines()
    ]
    assert (head["snelk_cases"], head["mistakes"], head["units"]["length"]) == (1, MISTAKES, 0.01)
    assert len(cases) == 408
    assert len({case["case"] for case in cases}) == len(cases)
    (tmp_path / "mine.jsonl").write_text("{}\n")
    assert "was not written by this command" in command(
        "cases", NIGHT, "--out", "mine.jsonl", cwd=tmp_path, code=2
    )
