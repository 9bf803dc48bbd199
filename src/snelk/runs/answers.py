"""The parts of an answer to *why*."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import Any

from snelk.showing import heading, html_table, line, lines


@dataclass(frozen=True)
class Gate:
    """One gate of one cone.

    Attributes:
        name: The gate, one of `GATES`.
        passed: Whether it was passed, whatever the gates before it said; None if it cannot be
            asked because the target or the agent is not there.
        value, limit, margin: In `unit`; the margin is positive or zero where passed. None for
            gates without a number.
        rule: How the value must compare with the limit: `<=`, `>=` or `>`.
        key: The key of the limit in the cone, as written in the file.
        scale: The factor from that key to the limit: 0.5 for a whole angle.
        text: What was found, in words.
    """

    name: str
    passed: bool | None
    text: str
    value: float | None = None
    limit: float | None = None
    margin: float | None = None
    unit: str = ""
    rule: str = "<="
    key: str = ""
    scale: float = 1.0


@dataclass(frozen=True)
class Counterfactual:
    """A counterfactual: one change that would have changed the answer, with everything else equal.

    Attributes:
        key: What to change: a key path for `--set`, or the wall's property for the level.
        needs: The limiting value; the answer changes on the side given by `comparison`.
        comparison: `>=`, `<=`, `<` or `>`; empty where it is not a number.
        now: The value in this run.
        text: The change in words, with the number rounded to the safe side.
        settable: The change as `KEY=VALUE` for `--set`, with the other limit of the pair if that
            has to change as well; empty if it is in the level.
    """

    key: str
    comparison: str
    needs: float | str
    now: float | str
    text: str
    settable: tuple[str, ...] = ()


@dataclass(frozen=True)
class ConeAnswer:
    """The result of one cone: `result` is `in_view` or the first gate that failed."""

    cone: str
    result: str
    held: bool
    gates: tuple[Gate, ...]


@dataclass(frozen=True)
class MeterAnswer:
    """The value of the detection meter, and what made it fill so fast or so slowly.

    Attributes:
        value, rate: 0 to 1, and how fast it fills; 1 fills in the profile's `fill_time`.
        state: `empty`, `filling`, `at_once`, `heard`, `holding` or `draining`.
        factors: What the rate is a product of; empty while nothing is in view.
        costs_most: The factor that slows it most; empty if none is below 1.
        to_full: Seconds until it is full if nothing changes; None if it does not fill.
        text: All that in words.
    """

    value: float
    rate: float
    state: str
    factors: dict[str, float]
    costs_most: str
    to_full: float | None
    text: str


@dataclass(frozen=True)
class BeliefAnswer:
    """Where an agent believed a target to be.

    Attributes:
        source: `sensed`, `grace`, `lead`, `last_known`, `heard` or `told`; empty without a belief.
        place: x and y, m; None without a belief.
        age: How old it was, s.
        uncertainty: Radius in which it believed the target to be, m.
        error: Its distance from the true position, m; None while the target was absent.
        text: All that in words.
    """

    source: str
    place: tuple[float, float] | None
    age: float | None
    uncertainty: float | None
    error: float | None
    text: str


@dataclass(frozen=True)
class SenseAnswer:
    """The result of hearing, touch, the zone sense or smell.

    Attributes:
        sense: `hearing`, `touch`, `zone` or `smell`.
        t: When it was judged, s: for hearing when the last noise until then was.
        sensed: Whether it sensed the target.
        result: `sensed` or `heard`, the first gate that failed, or `silent`: no noise yet.
        headline: The answer in one line.
        gates: All gates, each tried whatever the ones before it said.
        counterfactual, others, no_counterfactual: As in `Answer`, for this sense.
    """

    sense: str
    t: float
    sensed: bool
    result: str
    headline: str
    gates: tuple[Gate, ...]
    counterfactual: Counterfactual | None
    others: tuple[Counterfactual, ...]
    no_counterfactual: str


@dataclass(frozen=True)
class Answer:
    """Why an agent did or did not see, hear or feel a target at one tick.

    Attributes:
        agent, target, t: The agent, the target, and the time of the tick, s.
        in_view: Whether any cone had it in view.
        headline: The answer in one line.
        cones: The result of each cone.
        wall, wall_place: The wall that stopped the ray, and where, m.
        exposure: Share of the body in view past the walls; None while absent.
        counterfactual: The smallest change of one number that would have changed the answer, or
            None; then `no_counterfactual` says why there is none.
        others: Further counterfactuals, the largest change last.
        meter: The detection meter at the time asked for, or None if the agent has none.
        senses: The results of the agent's other senses.
        belief: Where it believed the target to be, or None if it has no memory.
        lacks: What the agent lacks, in words: senses, a meter, a memory,
            a transition that its state could take, a focus on this target.
    """

    agent: str
    target: str
    t: float
    in_view: bool
    headline: str
    cones: tuple[ConeAnswer, ...]
    wall: str | None
    wall_place: tuple[float, float, float] | None
    exposure: float | None
    counterfactual: Counterfactual | None
    others: tuple[Counterfactual, ...]
    no_counterfactual: str
    meter: MeterAnswer | None = None
    senses: tuple[SenseAnswer, ...] = ()
    belief: BeliefAnswer | None = None
    lacks: tuple[str, ...] = ()

    def sense(self, name: str) -> SenseAnswer | None:
        """The answer of a sense but sight, by name; None if the agent has no such sense."""
        return next((answer for answer in self.senses if answer.sense == name), None)

    def to_dict(self) -> dict[str, Any]:
        """The answer as plain data."""
        return asdict(self)

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: every gate, and the smallest changes."""
        parts = [heading(self.headline)]
        for cone in self.cones:
            parts.append(line(f"{cone.cone} cone: {cone.result.replace('_', ' ')}"))
            parts.append(html_table(map(_gate_row, cone.gates)))
        texts = [each.text for each in (self.counterfactual, *self.others) if each is not None]
        parts.append(lines(texts or [self.no_counterfactual]))
        if self.meter is not None:
            parts.append(line(f"meter: {self.meter.text}"))
        if self.belief is not None:
            parts.append(line(f"belief: {self.belief.text}"))
        for sense in self.senses:
            parts += [heading(sense.headline), html_table(map(_gate_row, sense.gates))]
            if sense.counterfactual is not None:
                parts.append(line(sense.counterfactual.text))
        return "".join(parts)


def _gate_row(gate: Gate) -> dict[str, Any]:
    mark = {True: "✓", False: "✗", None: "–"}[gate.passed]
    return {"": mark, "gate": gate.name.replace("_", " "), "found": gate.text}


def written(value: float, unit: str) -> str:
    """A number with its unit: `2.1 s`; `–` if missing."""
    if math.isnan(value):
        return "–"
    if math.isinf(value):
        return "endless" if value > 0 else "-endless"
    text = f"{value:.2f}" if abs(value) < 100 else f"{value:.1f}"
    text = text.rstrip("0").rstrip(".")
    return f"{text} {unit}".strip()
