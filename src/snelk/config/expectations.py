"""Errors in expectations, wishes and limits."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from snelk.config.conditions import parse
from snelk.config.draft import Draft, Place
from snelk.config.geojson import LevelData
from snelk.config.goals import (
    STATEMENTS,
    Expectation,
    Holding,
    Interval,
    MeasureBetween,
    MeterUnder,
    Notices,
    Reaches,
    Stays,
)
from snelk.config.ladders import names_in
from snelk.config.measures import find_measure
from snelk.config.models import Setup
from snelk.config.nodes import ConditionError
from snelk.config.problems import shown
from snelk.errors import InputError, Problem, nearest


def expectation_problems(
    setup: Setup, draft: Draft, level: LevelData, end: float, recorded: Iterable[str] = ()
) -> Iterator[Problem]:
    """Errors in expectations, wishes and limits.

    `end` is of the run, s; `recorded` are the kinds of noise in recordings.
    """
    for name, expectation in setup.expect.items():
        yield from _of_expectation(setup, draft, level, end, name, expectation, tuple(recorded))
    for name, wish in setup.wish.items():
        source, place = draft.locate(("wish", name))
        yield from _measure_problem(setup, wish.measure, source, f"{place}.measure")
        if (wish.toward is None) == (wish.want is None):
            fix = 'write toward = 2.5, or want = "low" or "high"'
            yield Problem(source, place, "", "must have one of toward and want", fix)
    yield from _fairness_problems(setup, draft)
    for key, limits in setup.fit.move.items():
        source, place = draft.locate(("fit", "move", key))
        by_limits = limits.low is not None and limits.high is not None
        if limits.choices is not None and limits.low is None and limits.high is None:
            if not limits.choices:
                yield Problem(source, place, "[]", "must have at least one choice")
        elif limits.choices is not None or not by_limits:
            yield Problem(source, place, "", "must have low and high, or choices")
        elif limits.low is not None and limits.high is not None and limits.low >= limits.high:
            given = f"{limits.low:g}, {limits.high:g}"
            yield Problem(source, place, given, "low must be below high")


def _fairness_problems(setup: Setup, draft: Draft) -> Iterator[Problem]:
    """Errors in fairness tests: unknown targets, and thresholds that no meter has."""
    meters = [setup.profile_of(agent).meter for agent in setup.agents]
    thresholds = dict.fromkeys(name for meter in meters if meter for name in meter.thresholds)
    for name, asked in setup.fairness.items():
        source, place = draft.locate(("fairness", name))
        if name in setup.agents:
            yield Problem(source, place, "", "is the name of an agent, too", "rename it")
        known = (("target", (asked.target,), list(setup.cast), "character"),
                 ("ignore", asked.ignore, list(setup.agents), "agent"))  # fmt: skip
        for key, names, there, what in known:
            for each in names:
                if each is not None and each not in there:
                    fix = nearest(each, there)
                    yield Problem(source, f"{place}.{key}", shown(each), f"no such {what}", fix)
        for key in ("sign", "late"):
            value = getattr(asked, key)
            if isinstance(value, str) and value not in thresholds:
                fix = nearest(value, thresholds)
                yield Problem(source, f"{place}.{key}", shown(value), "no such threshold", fix)


def _measure_problem(setup: Setup, key: str, source: str, place: str) -> Iterator[Problem]:
    try:
        find_measure(setup, key, source=source, place=place)
    except InputError as error:
        yield from error.problems


def _of_expectation(
    setup: Setup,
    draft: Draft,
    level: LevelData,
    end: float,
    name: str,
    expectation: Expectation,
    recorded: tuple[str, ...],
) -> Iterator[Problem]:
    own: Place = ("expect", name)
    source, place = draft.locate(own)
    said = [key for key in STATEMENTS if getattr(expectation, key) is not None]
    if len(said) != 1:
        fix = f"choose one of {', '.join(STATEMENTS)}"
        yield Problem(source, place, ", ".join(said), "must contain exactly one statement", fix)
        return
    written = [key for key in ("agent", "any_of", "each_of") if getattr(expectation, key)]
    statement = getattr(expectation, said[0])
    at = f"{place}.{said[0]}"
    if isinstance(statement, MeasureBetween):
        if written:
            rule, fix = "cannot be used with a measure", "the key of the measure names the agent"
            yield Problem(source, f"{place}.{written[0]}", "", rule, fix)
        yield from _measure_problem(setup, statement.of, source, f"{at}.of")
        low, high = statement.at_least, statement.at_most
        if low is None and high is None:
            yield Problem(source, at, "", "must have at_least or at_most")
        elif low is not None and high is not None and low > high:
            yield Problem(source, at, f"{low:g}, {high:g}", "at_least must not be above at_most")
        return
    if len(written) != 1:
        fix = "write agent, any_of or each_of"
        yield Problem(source, place, ", ".join(written), "must say who it is about", fix)
        return
    yield from _of_since(setup, source, at, expectation, statement, recorded)
    after, before = statement.after or 0.0, statement.before
    if before is not None and before < after:
        yield Problem(source, at, f"{after:g}, {before:g}", "before must not be below after")
    if after > end:
        rule = f"must not lie after the end of the run, {end:g} s"
        yield Problem(source, f"{at}.after", f"{after:g}", rule)
    for agent in expectation.who:
        key = f"{place}.{written[0]}"
        if agent not in setup.agents:
            fix = nearest(agent, setup.agents)
            yield Problem(source, key, shown(agent), "no such agent", fix)
        else:
            yield from _of_agent(setup, source, at, agent, statement, level)


def _of_since(
    setup: Setup,
    source: str,
    at: str,
    expectation: Expectation,
    statement: Interval,
    recorded: tuple[str, ...],
) -> Iterator[Problem]:
    """Errors in the moment from which an expectation counts."""
    since = statement.since
    if since is None:
        if statement.within is not None:
            rule, fix = "needs a moment to count from", "add since = { seen = … }, or write before"
            yield Problem(source, f"{at}.within", f"{statement.within:g}", rule, fix)
        return
    if not since.what:
        fix = "write exactly one of seen, state and noise"
        yield Problem(source, f"{at}.since", "", "must name exactly one moment", fix)
        return
    known: dict[str, list[str]] = {"seen": list(setup.cast), "noise": _noises_of(setup, recorded)}
    if since.of is not None and since.of not in setup.agents:
        fix = nearest(since.of, setup.agents)
        yield Problem(source, f"{at}.since.of", shown(since.of), "no such agent", fix)
        return
    for agent in [since.of] if since.of else expectation.who:
        ladder = setup.profile_of(agent).ladder if agent in setup.agents else None
        known["state"] = list(ladder.states) if ladder else []
        name = getattr(since, since.what)
        if name not in known[since.what]:
            what = {"seen": "character", "noise": "kind of noise", "state": "alert state"}
            rule = f"no such {what[since.what]}"
            rule += f" of {agent}" if since.what == "state" else ""
            fix = nearest(name, known[since.what])
            yield Problem(source, f"{at}.since.{since.what}", shown(name), rule, fix)


def _noises_of(setup: Setup, recorded: tuple[str, ...]) -> list[str]:
    """The kinds of noise that are known by name."""
    listed = [each.kind for each in setup.noise] + [each.kind for each in setup.throw]
    return list(dict.fromkeys([*setup.noise_kinds, *listed, *recorded, "step"]))


def _of_agent(
    setup: Setup, source: str, at: str, agent: str, statement: Interval, level: LevelData
) -> Iterator[Problem]:
    """Errors in a statement about one agent."""
    profile = setup.profile_of(agent)
    if isinstance(statement, Notices | MeterUnder):
        others = [name for name in setup.cast if name != agent]
        noticed = [n for n in others if profile.ever_notices(setup.cast[n].team)]
        if statement.target not in noticed:
            given, fix = shown(statement.target), nearest(statement.target, noticed)
            yield Problem(source, f"{at}.target", given, f"{agent} notices nobody so named", fix)
    if isinstance(statement, MeterUnder) and profile.meter is None:
        yield Problem(source, at, "", f"{agent} has no meter", "choose another agent")
    if isinstance(statement, Notices) and statement.threshold is not None:
        known = profile.meter.thresholds if profile.meter is not None else {}
        if statement.threshold not in known:
            given, fix = shown(statement.threshold), nearest(statement.threshold, known)
            rule = f"no such threshold of {agent}"
            yield Problem(source, f"{at}.threshold", given, rule, fix)
    ladder = profile.ladder
    if isinstance(statement, Reaches | Stays | Holding) and ladder is None:
        yield Problem(source, at, "", f"{agent} has no alert ladder", "choose another agent")
    elif isinstance(statement, Reaches | Stays) and ladder is not None:
        if statement.state not in ladder.states:
            given, fix = shown(statement.state), nearest(statement.state, ladder.states)
            yield Problem(source, f"{at}.state", given, f"no such alert state of {agent}", fix)
    elif isinstance(statement, Holding):
        yield from _of_condition(setup, source, f"{at}.when", statement.when, level, profile.cones)


def _of_condition(
    setup: Setup, source: str, place: str, text: str, level: LevelData, cones: Iterable[str]
) -> Iterator[Problem]:
    try:
        condition = parse(text)
    except ConditionError as error:
        rule = f"column {error.column + 1}: {error.rule}"
        yield Problem(source, place, shown(text), rule, error.fix)
        return
    if any(node.kind == "call" and node.word == "chance" for node in condition.root.walk()):
        rule, fix = "chance cannot be used in an expectation", "use seeds and share"
        yield Problem(source, place, shown(text), rule, fix)
    known = {
        "zone": [zone.name for zone, _ in level.zones],
        "team": [member.team for member in setup.cast.values()],
        "character": list(setup.cast),
        "attribute": list(setup.attributes),
        "cone": list(cones),
        "door": [wall.name for wall, _ in level.walls if wall.door],
        "light": list(setup.lights),
    }
    for what, name in names_in(condition):
        if name not in known[what]:
            fix = nearest(name, known[what])
            yield Problem(source, place, shown(name), f"no such {what}", fix)
