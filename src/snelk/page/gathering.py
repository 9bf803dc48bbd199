"""The data of a page: names and limits as plain data, the rest as packed numbers."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.nodes import Node
from snelk.config.words import POSTURES, SENSES
from snelk.mind.memory import SOURCES
from snelk.mind.meter import FACTORS, STATES
from snelk.mind.signals import OVER
from snelk.page.kinds import doors_of, kinds_of
from snelk.page.packing import Packer
from snelk.runs.conditions import sides_of, unit_in, written_draw
from snelk.runs.dense import beliefs_of, contacts_of, look_ticks, looks_at, meters_of
from snelk.runs.events import describe_noise
from snelk.runs.ladders import asked_by, is_there, reactions, times_away
from snelk.runs.moment import every_look
from snelk.runs.record import ANY_FLOOR, floors_of
from snelk.runs.rows import Rows
from snelk.runs.spans import REASONS
from snelk.runs.standing import awake_of_ticks
from snelk.runs.tables import MOST_PAIRS, is_thin
from snelk.runs.turning import turns_by
from snelk.senses.bodies import blocker_codes, blockers_of
from snelk.senses.gates import CONTACTS, SIGHT, SMELL, TOUCH, ZONE
from snelk.senses.hearing import HEARING_GATES
from snelk.senses.sight import GATES, IN_VIEW

if TYPE_CHECKING:
    from snelk.runs.run import Run
    from snelk.tuning.compare import Comparison

Numbers = NDArray[Any]

SLACK = 1e-9
"""Times this close are the same, s."""

MOST_OFFERED = 60
"""Of more floors than this only those that somebody is on can be chosen."""

WORDS = {
    "gates": GATES,
    "stopped": {gate.name: [gate.pattern, gate.otherwise] for gate in SIGHT.gates},
    "limits": {
        name: {
            "unit": {"m": " m", "deg": "°"}.get(limit.unit, ""),
            "rule": limit.rule,
            "field": limit.field,
            "keys": limit.keys,
            "sides": limit.sides,
            "share": limit.share,
            "is_scaled": limit.is_scaled,
            "said": limit.said,
            "scaled": limit.scaled,
            "percent": "%" in limit.said,
            "after": limit.after,
        }
        for name, limit in SIGHT.limits.items()
    },
    "unfelt": {
        sense.name: {gate.name: sense.stopped(gate.name) for gate in sense.gates}
        for sense in CONTACTS
    },
    "sensing": {
        sense.name: [sense.told.does, sense.told.does_not]
        for sense in CONTACTS
        if sense.told is not None
    },
    "reasons": REASONS,
    "postures": POSTURES,
    "senses": SENSES,
    "factors": FACTORS,
    "meter_states": STATES,
    "sources": SOURCES,
    "hearing_gates": HEARING_GATES,
    "contact_gates": {sense.name: sense.names for sense in CONTACTS},
}
"""What the codes in packed numbers stand for, in their order."""

PRECISION: dict[str, dict[str, int]] = {
    "m": {"parts": 1000, "shown": 100},
    "deg": {"parts": 100, "shown": 10},
    "": {"parts": 100},
}
"""Into how many parts of one a number of a gate is kept, and shown, by its unit."""


class Gathered:
    """One run as a page needs it.

    Attributes:
        facts: Plain data for JSON.
        packer: The numbers; their names begin with `key`.
        along: What the last axis of each of them is: `tick`, `look`, or `row`.
        kept: By agent, about whom looks are kept.

    Args:
        every: Which ticks are kept: each so many.
        after: Only what is later than that is kept, s.
        kept: By agent, whom to keep beside those that it sensed.
    """

    def __init__(
        self, run: Run, packer: Packer, key: str, *, every: int = 1, after: float = -math.inf,
        kept: Mapping[str, Sequence[str]] | None = None,
    ) -> None:  # fmt: skip
        self.run = run
        self.packer = packer
        self.key = key
        self.after = after + SLACK
        self.ticks = np.flatnonzero(run.times > self.after)[::every]
        self.every = every
        self.facts: dict[str, Any] = {}
        self.along: dict[str, str] = {}
        self.kept = kept_of(run, kept or {})
        self._gather_names()
        self._gather_poses()
        for gather in (
            self._gather_looks,
            self._gather_meters,
            self._gather_beliefs,
            self._gather_hearing,
            self._gather_contacts,
            self._gather_noises,
            self._gather_minds,
            self._gather_searches,
            self._gather_events,
        ):
            gather()

    def _add(self, name: str, values: Any, along: str = "tick", **how: Any) -> None:
        self.packer.add(f"{self.key}.{name}", values, **how)
        self.along[name] = along

    def _new(self, name: str) -> Rows:
        """The rows of a table that are late enough."""
        rows = self.run.rows(name)
        return rows.take(rows["t"] > self.after)

    def _gather_names(self) -> None:
        run, setup = self.run, self.run.setup
        self.facts |= {
            "key": self.key,
            "title": run.info["title"] or run.info["scenario"],
            "name": run.folder.name if run.folder is not None else "in memory",
            "seed": run.info["seed"],
            "overrides": {key: str(value) for key, value in run.info["overrides"].items()},
            "start": float(run.times[0]),
            "dt": setup.clock.dt * self.every,
            "look_dt": setup.clock.dt,
            "ticks": len(self.ticks),
            "end": float(run.times[-1]),
            "names": list(run.names),
            "clues": [n for n, name in enumerate(run.names) if run.setup.cast[name].clue],
            "agents": [run.names.index(agent) for agent in run.agents],
            "teams": [setup.cast[name].team for name in run.names],
            "walls": list(blockers_of(run.level.wall_names, run.names)),
            "zones": [zone.name for zone, _ in run.level.data.zones],
            "floors": list(run.level.floor_names) if len(run.level.floor_names) > 1 else [],
            "offered": self._offered(),
            **kinds_of(setup),
            "pieces": self._opaque(run.level.pieces, run.level.piece_walls),
            "piece_names": self._opaque_names(run.level.piece_walls),
            "triangles": self._opaque(run.level.triangles, run.level.triangle_walls),
            "triangle_names": self._opaque_names(run.level.triangle_walls),
            "doors": doors_of(run.level, setup, turns_by(run, len(run.times) - 1), self.after),
        }

    def _opaque(self, blocking: NDArray[np.float64], walls: NDArray[np.int32]) -> list[Any]:
        """What lets no sight pass, and is no door."""
        level = self.run.level
        kept = (level.see_through[walls] == 0.0) & ~level.is_door[walls]
        return [[round(float(value), 3) for value in each.ravel()] for each in blocking[kept]]

    def _opaque_names(self, walls: NDArray[np.int32]) -> list[str]:
        """The walls that these belong to."""
        level = self.run.level
        kept = (level.see_through[walls] == 0.0) & ~level.is_door[walls]
        return [level.wall_names[wall] for wall in walls[kept].tolist()]

    def _open_spans(self, spans: list[list[Any]]) -> list[list[Any]]:
        """The spans, [from, to, ...], that were not over before the new part."""
        return [span for span in spans if span[1] >= self.after - 2 * SLACK]

    def _gather_poses(self) -> None:
        run, count = self.run, len(self.run.names)
        poses = run.rows("poses")
        for name, parts in (("x", 1000), ("y", 1000), ("z", 1000), ("light", 1000)):
            self._add(name, self._by_character(poses[name]), parts=parts)
        heading = self._by_character(poses["heading_deg"])
        there = ~np.isnan(heading)
        for c in range(count):  # so that it does not jump at 180 degrees
            heading[c, there[c]] = np.unwrap(heading[c, there[c]], period=360.0)
        self._add("heading", heading, parts=100)
        self._add("present", self._by_character(poses["present"]))
        if len(run.level.floor_names) > 1:
            at = np.nan_to_num(np.column_stack([poses[axis] for axis in "xyz"]))
            self._add("floor", run.level.floors_at(at).reshape(-1, count)[self.ticks].T.copy())
        posture = poses.words("posture").codes_in(POSTURES)
        self._add("posture", self._by_character(posture).clip(0))

    def _offered(self) -> list[str]:
        """The floors that one can choose; of very many those that somebody is on."""
        names, poses = self.run.level.floor_names, self.run.rows("poses")
        if len(names) <= MOST_OFFERED:
            return list(names) if len(names) > 1 else []
        at = np.column_stack([poses[axis] for axis in "xyz"])[poses["present"]]
        on = np.unique(self.run.level.floors_at(at))
        return [names[n] for n in on.tolist() if n >= 0]

    def _by_character(self, column: NDArray[Any]) -> Numbers:
        values = column.astype(np.float64).reshape(-1, len(self.run.names))
        return values[self.ticks].T.copy()

    def _gather_looks(self) -> None:
        """Every look of every agent at everybody that is kept, with all gates tried."""
        run, names = self.run, self.run.names
        self.facts["kept"] = {}
        for a, agent in enumerate(run.agents):
            cones, kept = len(run.setup.profile_of(agent).cones), self.kept[agent]
            if not cones:
                continue
            self.facts["kept"][a] = [names.index(target) for target in kept]
            new = np.flatnonzero(run.times[look_ticks(run, agent)] > self.after)[:: self.every]
            ticks = look_ticks(run, agent)[new]
            self._add(f"{a}.look", ticks, "look")
            awake = awake_of_ticks(run, agent, "sight", ticks)
            self._add(f"{a}.awake", awake, "look", parts=100_000_000)
            if not kept:
                continue
            sight, chosen = every_look(run, agent, ticks), self.facts["kept"][a]

            def pairs(values: Numbers, chosen: list[int] = chosen) -> Numbers:
                return np.moveaxis(values[:, 0, chosen], 0, -1)  # (target, ..., look)

            for limit in SIGHT.limits.values():
                values = pairs(getattr(sight, limit.field))
                values = np.degrees(values) if limit.unit == "deg" else values
                self._add(f"{a}.{limit.field}", values, "look", **PRECISION[limit.unit])
            walls = blocker_codes(pairs(sight.wall), len(run.level.wall_names))
            self._add(f"{a}.wall", walls, "look")
            self._add(f"{a}.wall_place", pairs(sight.wall_place), "look", parts=100)
            failed = [looks_at(run, agent, target).failed for target in kept]
            whole = np.stack([each.T for each in failed])  # (target, cone, look)
            held = np.zeros(whole.shape, dtype=np.bool_)
            held[:, :, 1:] = whole[:, :, :-1] == IN_VIEW
            self._add(f"{a}.result", whole[:, :, new], "look")
            self._add(f"{a}.held", held[:, :, new], "look")

    def _pairs(self, fact: str, of: Callable[[str, str], Rows]) -> list[Rows]:
        """The rows of each agent and target at the ticks kept; who they are becomes a fact."""
        frames, self.facts[fact] = [], []
        for a, agent in enumerate(self.run.agents):
            for target in self.kept[agent]:
                rows = of(agent, target)
                if len(rows):
                    frames.append(rows.take(self.ticks))
                    self.facts[fact].append((a, self.run.names.index(target)))
        return frames

    def _gather_meters(self) -> None:
        frames = self._pairs("meters", partial(meters_of, self.run))
        if not frames:
            return

        def stacked(name: str) -> Numbers:
            return np.stack([frame[name] for frame in frames])

        def coded(name: str, words: tuple[str, ...]) -> Numbers:
            return np.stack([frame.words(name).codes_in(words) for frame in frames])

        value, rate = stacked("value"), stacked("rate")
        self._add("meter.value", value, parts=1000, shown=100)
        self._add("meter.rate", rate, parts=1000, shown=100)
        self._add("meter.noise", stacked("noise"), parts=100)
        self._add("meter.state", coded("state", STATES))
        self._add("meter.sense", coded("sense", SENSES))
        factors = np.stack([stacked(f"{name}_factor") for name in FACTORS], axis=1)
        self._add("meter.factors", factors, parts=100)
        known = np.isfinite(factors).all(axis=1)
        lowest = np.where(known, np.argmin(np.nan_to_num(factors, nan=2.0), axis=1), -1)
        costs = np.take_along_axis(factors, lowest.clip(0)[:, None], axis=1)[:, 0] < 1.0
        self._add("meter.costs_most", np.where(known & costs, lowest, -1))
        agents = [self.run.agents[a] for a, _ in self.facts["meters"]]
        fill = np.array([self._fill_time(agent) for agent in agents])[:, None]
        with np.errstate(divide="ignore", invalid="ignore"):
            to_full = np.where(rate > 0, (1.0 - value) * fill / rate, np.nan)
        self._add("meter.to_full", np.where(np.isnan(to_full), -1.0, to_full), parts=10)

    def _fill_time(self, agent: str) -> float:
        meter = self.run.setup.profile_of(agent).meter
        return meter.fill_time if meter is not None else np.nan

    def _gather_beliefs(self) -> None:
        frames = self._pairs("beliefs", partial(beliefs_of, self.run))
        if not frames:
            return
        source = np.stack([frame.words("source").codes_in(SOURCES) for frame in frames])
        self._add("belief.source", source)
        for name, parts in (("x", 100), ("y", 100), ("age", 100), ("uncertainty", 10)):
            self._add(f"belief.{name}", np.stack([frame[name] for frame in frames]), parts=parts)
        if len(self.run.level.floor_names) > 1:
            self._add("belief.on", np.stack([floors_of(self.run, frame) for frame in frames]))
        error = np.stack([frame["error"] for frame in frames])
        self._add("belief.error", np.where(np.isnan(error), -1.0, error), parts=10)

    def _gather_hearing(self) -> None:
        """Every noise that was judged, by agent; of nobody's the target is -1."""
        run = self.run
        rows = self._new("hearing")
        rows = rows.take(np.lexsort((rows["t"], rows.words("agent").codes_in(run.names))))
        if is_thin(len(run.agents), len(run.names)):
            rows = rows.take(rows["heard"])
        noises = run.rows("noises").take(rows["noise"])
        kinds = [describe_noise(row.kind, row.gait, row.ground) for row in noises.each()]
        texts = list(dict.fromkeys(kinds))
        self.facts["sounds"] = texts
        self._add("heard.agent", rows.words("agent").codes_in(run.agents), "row")
        self._add("heard.target", rows.words("target").codes_in(run.names), "row")
        self._add("heard.t", rows["t"], "row", parts=1000)
        self._add("heard.what", [texts.index(kind) for kind in kinds], "row")
        self._add("heard.heard", rows["heard"], "row")
        results = rows.words("result").codes_in(("heard", *HEARING_GATES))
        self._add("heard.result", results - 1, "row")
        self._add("heard.strength", rows["strength"], "row", parts=100)
        self._add("heard.wall", rows.words("wall").codes_in(run.level.wall_names), "row")
        for name in ("straight", "straight_limit", "around", "around_limit"):
            values = rows[name]
            self._add(f"heard.{name}", np.where(np.isnan(values), -1.0, values), "row", parts=100)
        self._add("heard.x", noises["x"], "row", parts=100)
        self._add("heard.y", noises["y"], "row", parts=100)

    def _gather_contacts(self) -> None:
        zones = tuple(zone.name for zone, _ in self.run.level.data.zones)
        for sense in CONTACTS:
            name = sense.name
            frames = self._pairs(name, partial(contacts_of, self.run, sense=name))
            if not frames:
                continue

            def coded(name: str, words: tuple[str, ...], frames: list[Rows] = frames) -> Numbers:
                return np.stack([each.words(name).codes_in(words) for each in frames])

            self._add(f"{name}.result", coded("result", sense.results) - 1)
            for column in sense.told.numbers if sense.told is not None else ():
                values = np.stack([each[column] for each in frames])
                if sense is SMELL:  # without a trail there is none of them
                    values = np.where(np.isnan(values), -1.0, values)
                self._add(f"{name}.{column}", values, parts=1000, shown=100)
            if sense is ZONE:
                self._add("zone.zone", coded("zone", zones))
            elif sense is TOUCH:
                self._add("touch.wall", coded("wall", self.run.level.wall_names))

    def _gather_noises(self) -> None:
        noises = self._new("noises")
        texts = [describe_noise(row.kind, row.gait, row.ground) for row in noises.each()]
        words = list(dict.fromkeys(texts))
        self.facts["noise_words"] = words
        self._add("noise.t", noises["t"], "row", parts=1000)
        self._add("noise.what", [words.index(text) for text in texts], "row")
        self._add("noise.step", noises.equal(kind="step"), "row")
        for name in ("x", "y", "reach"):
            self._add(f"noise.{name}", noises[name], "row", parts=100)
        if len(self.run.level.floor_names) > 1:
            self._add("noise.on", floors_of(self.run, noises), "row")

    def _gather_minds(self) -> None:
        """States entered, and the values of all conditions, part by part."""
        run = self.run
        every_entry = [*run.rows("states").each()]
        self.facts["ladders"] = {}
        for agent in run.agents:
            ladder = run.setup.profile_of(agent).ladder
            if ladder is None:
                continue
            rows = [row for row in every_entry if row.agent == agent]
            entered: list[dict[str, Any]] = [
                {
                    "t": row.t,
                    "state": list(ladder.states).index(row.state),
                    "transition": row.transition,
                    "reason": row.reason,
                    "focus": row.focus,
                }
                for row in rows
            ]
            reacted = [
                [since, min(until, float(run.times[-1]))]
                for _, since, until in reactions(run, agent)
            ]
            self.facts["ladders"][agent] = {
                "entered": [entry for entry in entered if entry["t"] > self.after],
                "away": self._open_spans(_away(run, agent)),
                "reactions": self._open_spans(reacted),
                "transitions": self._conditions(agent, entered),
            }

    def _conditions(self, agent: str, entered: list[dict[str, Any]]) -> list[dict[str, Any]]:
        run, dt = self.run, self.run.setup.clock.dt
        ladder = run.setup.profile_of(agent).ladder
        assert ladder is not None
        asked = asked_by(run, agent)
        there = is_there(run, agent, asked.rows["t"])
        a = run.agents.index(agent)
        fresh = np.zeros(len(run.times), dtype=np.intp)  # the first tick in the state it is in
        for entry in (each for each in entered[1:] if each["t"] >= run.times[0]):
            first = run.tick_at(entry["t"]) + 1
            fresh[first:] = first
        found: list[dict[str, Any]] = []
        reacting = list(reactions(run, agent))
        sides: dict[str, int] = {}
        columns: list[Numbers] = []
        for n, (name, transition) in enumerate(ladder.transitions.items()):
            condition = asked.condition(name)
            leaves: list[Numbers] = []

            def tree(node: Node, name: str = name, leaves: list[Numbers] = leaves) -> Any:
                text = asked.condition(name).words_in(node)
                if not node.is_leaf:
                    return {"kind": node.kind, "text": text, "parts": [*map(tree, node.parts)]}
                leaves.append(np.broadcast_to(asked.values(node, name), fresh.shape))
                shown = []
                unit = unit_in(node)
                if node.word == "chance":  # each chance of each transition draws its own
                    shown.append({"text": f"{text} drew", "unit": "", "column": len(columns)})
                    columns.append(np.array([*map(written_draw, asked.drawn(node, name))]))
                for part_text, part in sides_of(asked.condition(name), node):
                    key = f"{part_text} {unit}"
                    if key not in sides:
                        sides[key] = len(columns)
                        columns.append(np.broadcast_to(asked.values(part, name), fresh.shape))
                    shown.append({"text": part_text, "unit": unit, "column": sides[key]})
                return {"kind": "leaf", "text": text, "leaf": len(leaves) - 1, "sides": shown}

            found.append(
                {
                    "name": name,
                    "from": list(ladder.origins(transition)),
                    "to": transition.to,
                    "for": transition.for_,
                    "tree": tree(condition.root),
                }
            )
            self._add(f"{a}.leaf.{n}", np.stack(leaves)[:, self.ticks])
            true = asked.true(name) & there
            ticks = np.arange(len(fresh))
            last_false = np.maximum.accumulate(np.where(true, -1, ticks))
            since = np.maximum(last_false + 1, fresh)
            held = np.where(true, (ticks - since).clip(0) * dt, 0.0)
            self._add(f"{a}.held.{n}", held[self.ticks], parts=1000)
            left = np.zeros(len(fresh))  # seconds left of a reaction to it
            for _, since, until in (each for each in reacting if each[0] == name):
                if since < run.times[0]:  # it is over
                    continue
                during = (run.times >= since - 1e-9) & (run.times < until - 1e-9)
                state = str(asked.rows["state"][run.tick_at(since)])
                left[during] = ladder.reaction_of(transition, state) - (run.times[during] - since)
            if left.any():
                self._add(f"{a}.reacts.{n}", left[self.ticks], parts=100)
        for n, values in enumerate(columns):
            if values.dtype.kind not in "fiub":
                words = [str(value) if value else "nobody" for value in values[self.ticks]]
                known = list(dict.fromkeys(words))
                self.facts.setdefault("texts", {})[f"{a}.side.{n}"] = known
                self._add(f"{a}.side.{n}", [known.index(word) for word in words])
                continue
            numbers = values[self.ticks].astype(np.float64)
            kind = np.where(np.isnan(numbers), 1, np.where(np.isinf(numbers), 2, 0))
            self._add(f"{a}.side.{n}", np.where(kind > 0, np.nan, numbers), parts=1000, shown=100)
            self._add(f"{a}.side.{n}.kind", np.where(numbers == -np.inf, 3, kind))
        self._gather_state(agent, a, asked.rows)
        return found

    def _gather_state(self, agent: str, a: int, rows: Any) -> None:
        """The state of an agent, its focus, and its goal."""
        run = self.run
        ladder = run.setup.profile_of(agent).ladder
        assert ladder is not None
        self._add(f"{a}.state_for", rows["state_for"][self.ticks], parts=10)
        over = np.logical_or.reduce([rows[name] for name in OVER])
        self._add(f"{a}.done", over[self.ticks])
        self._add(f"{a}.state", _codes(_texts(rows["state"]), tuple(ladder.states))[self.ticks])
        places = _texts(rows["place"])
        known = list(dict.fromkeys(place for place in places if place))
        self.facts.setdefault("places", {})[agent] = known
        self._add(f"{a}.place", _codes(places, tuple(known))[self.ticks])
        self._add(f"{a}.goes", ~np.isnan(rows["goal_x"])[self.ticks])
        for axis in ("goal_x", "goal_y"):
            self._add(f"{a}.{axis}", rows[axis][self.ticks], parts=10)
        if len(run.level.floor_names) > 1:
            on = floors_of(run, rows, ("goal_x", "goal_y", "goal_z"))
            self._add(f"{a}.goal_on", on[self.ticks])
        for axis in ("target_x", "target_y"):
            here = np.where(_codes(places, tuple(known)) >= 0, rows[axis], 0.0)
            self._add(f"{a}.{axis}", here[self.ticks], parts=10)
        self._add(f"{a}.focus", _codes(_texts(rows["focus"]), run.names)[self.ticks])

    def _gather_searches(self) -> None:
        run, steps, cells = self.run, self._new("searches"), self._new("likelihood")
        floors = len(run.level.floor_names) > 1
        on = floors_of(run, steps).tolist() if floors else [ANY_FLOOR] * len(steps)
        self.facts["searches"] = [
            {
                "t": row.t,
                "agent": run.agents.index(row.agent),
                "what": row.what,
                "x": row.x,
                "y": row.y,
                "on": here,
            }
            for row, here in zip(steps.each(), on, strict=True)
        ]
        shots: dict[tuple[str, float], list[int]] = {}
        for n, row in enumerate(cells.each()):
            shots.setdefault((row.agent, row.t), []).append(n)
        shown = []
        for n, ((agent, t), which) in enumerate(shots.items()):
            rows = cells.take(np.array(which))
            share = rows["likelihood"]
            self._add(f"likely.{n}.x", rows["x"], "row", parts=100)
            self._add(f"likely.{n}.y", rows["y"], "row", parts=100)
            self._add(f"likely.{n}.share", share / share.max(), "row", parts=50)
            if floors:
                self._add(f"likely.{n}.on", floors_of(run, rows), "row")
            shown.append({"agent": run.agents.index(agent), "t": t, "cell": rows.row(0).cell})
        self.facts["likelihoods"] = shown

    def _gather_events(self) -> None:
        self.facts["events"] = [
            {
                "t": row.t,
                "kind": row.kind,
                "agent": row.agent,
                "target": row.target,
                "text": row.text,
            }
            for row in self._new("events").each()
        ]


def kept_of(run: Run, before: Mapping[str, Sequence[str]]) -> dict[str, list[str]]:
    """The targets a page shows for each agent: all, or in large casts those it ever sensed.

    Args:
        run: The run.
        before: By agent, whom to tell of beside those: they come first.
    """
    others = {agent: [name for name in run.names if name != agent] for agent in run.agents}
    if not is_thin(len(run.agents), len(run.names)):
        return others
    told = _told(run, MOST_PAIRS - sum(map(len, before.values())))
    return {
        agent: [
            *before.get(agent, ()),
            *(n for n in names if (agent, n) in told and n not in before.get(agent, ())),
        ]
        for agent, names in others.items()
    }


def _told(run: Run, most: int) -> set[tuple[str, str]]:
    """The pairs that a page of a large cast shows: those longest in view."""
    counts: Counter[tuple[str, str]] = Counter()
    for name, sensed in (("sight", "in_view"), ("contacts", "sensed"), ("hearing", "heard")):
        rows = run.rows(name)
        rows = rows.take(rows[sensed])
        counts.update(zip(rows["agent"].tolist(), rows["target"].tolist(), strict=True))
    return {pair for pair, _ in counts.most_common(max(most, 0))}


def _codes(column: Any, words: tuple[str, ...]) -> Numbers:
    """Where each word stands among these; -1 for none."""
    place = {word: n for n, word in enumerate(words)}
    return np.array([place.get(word, -1) for word in column])


def _texts(values: Numbers) -> list[str]:
    return [str(value) for value in values]


def _away(run: Run, agent: str) -> list[list[Any]]:
    """When an agent is absent, removed or not yet spawned, and why."""
    far = 1e9
    return [[max(a, -far), min(b, far), why] for a, b, why in times_away(run, agent)]


def event_pairs(comparison: Comparison) -> list[dict[str, Any]]:
    """The events of two runs, aligned, as plain data."""
    return [
        {
            "t": pair.t,
            "t_a": pair.t_a,
            "t_b": pair.t_b,
            "status": pair.status,
            "kind": pair.kind,
            "agent": pair.agent,
            "target": pair.target,
            "text": pair.text,
        }
        for pair in comparison.events
    ]
