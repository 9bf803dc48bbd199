"""Why an agent was in an alert state: each transition out of it, and what it lacked."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from snelk.errors import InputError
from snelk.mind.signals import OVER
from snelk.runs.answers import written
from snelk.runs.conditions import Asked, Part, endless
from snelk.runs.turning import turns_of
from snelk.showing import heading, html_table

if TYPE_CHECKING:
    from snelk.runs.record import Record

SLACK = 1e-9


@dataclass(frozen=True)
class TransitionAnswer:
    """The state of one transition out of an alert state.

    Attributes:
        name, to: The transition, and where it leads.
        condition: Its condition as a tree, each part with its value.
        held, needs: How long the condition has been true, and how long it must be, s.
        reaction: Its reaction time, s.
        reacted: For how long the agent had been reacting to it, s; None if it was not.
        taken: Whether it was taken at this tick.
        missing: What it lacked, in words; empty if it was taken.
    """

    name: str
    to: str
    condition: Part
    held: float
    needs: float
    reaction: float
    reacted: float | None
    taken: bool
    missing: tuple[str, ...]


@dataclass(frozen=True)
class LadderAnswer:
    """Why an agent left an alert state, or stayed in it.

    Attributes:
        agent, t: Whose, and the time of the tick, s.
        state, since: The state at the tick, and when it was entered, s.
        focus: The target it acted on; empty if none.
        place: The kind of the noise that drew it to a place instead; empty if none did.
        believed: Where it believed the focus to be, or that place is, m; None without a belief.
        headline: The answer in one line.
        transitions: Every transition out of the state, in the order in which they are tried.
    """

    agent: str
    t: float
    state: str
    since: float
    focus: str
    place: str
    believed: tuple[float, float] | None
    headline: str
    transitions: tuple[TransitionAnswer, ...]

    def transition(self, name: str) -> TransitionAnswer | None:
        """The answer about one transition; None if it does not lead out of the state."""
        return next((each for each in self.transitions if each.name == name), None)

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: every transition, and what it lacks."""
        rows = [
            {"": "✓" if each.taken else "·", "transition": each.name, "to": each.to,
             "lacks": "; ".join(each.missing)}
            for each in self.transitions
        ]  # fmt: skip
        return heading(self.headline) + html_table(rows)

    def to_dict(self) -> dict[str, Any]:
        """The answer as plain data."""
        return asdict(self)


def explain_ladder(run: Record, agent: str, *, at: float) -> LadderAnswer:
    """See `Record.why_state`."""
    ladder = run.setup.profile_of(agent).ladder
    if ladder is None:
        fix = "its profile has no ladder"
        raise InputError.of("agent", "", f'"{agent}"', "has no alert states", fix)
    asked, tick = asked_by(run, agent), run.tick_at(at)
    rows, t = asked.rows, float(run.times[tick])
    state, focus = str(rows["state"][tick]), str(rows["focus"][tick])
    states = run.rows("states").where(agent=agent)
    is_first = np.arange(len(states)) == 0
    entered = states.take((states["t"] < t - SLACK) | is_first).row(-1)
    since = entered.t
    now = states.take((np.abs(states["t"] - t) < SLACK) & ~is_first)
    taken = str(now["transition"][0]) if len(now) else ""
    first = run.tick_at(since) + 1 if since > states["t"][0] else 0
    blocked = blocked_by(run, agent, state, rows, tick)
    answers, there, away = [], is_there(run, agent, rows["t"]), why_away(run, agent, t)
    reacting = {
        name: t - since
        for name, since, until in reactions(run, agent)
        if since <= t + SLACK and t < until - SLACK
    }
    for name, transition in ladder.transitions.items():
        if state not in ladder.origins(transition):
            continue
        true = asked.true(name) & there
        held = _held(true[first : tick + 1], run.setup.clock.dt)
        tree = asked.explain(name, tick)
        missing: tuple[str, ...] = ()
        reaction = ladder.reaction_of(transition, state)
        reacted = reacting.get(name)
        if name != taken:
            missing = _missing(tree, held, transition.for_, blocked, taken)
            if away and tree.true:
                missing = (away,)
            if reacted is not None and not taken:
                left = f"{written(reaction - reacted, 's')} to go"
                missing = (f"reacts for {written(reaction, 's')}, {left}",)
        answers.append(
            TransitionAnswer(
                name,
                transition.to,
                tree,
                held,
                transition.for_,
                reaction,
                reacted,
                name == taken,
                missing,
            )
        )
    x, y = float(rows["target_x"][tick]), float(rows["target_y"][tick])
    headline = f"{agent} is {state} at {t:.2f} s, for {written(t - since, 's')}"
    if taken:
        headline = f"{agent} turns from {state} to {now.row(0).state} at {t:.2f} s: {taken}"
    if away:
        headline = f"{agent} is absent at {t:.2f} s: {away}"
        return LadderAnswer(agent, t, state, since, "", "", None, headline, tuple(answers))
    place = str(rows["place"][tick])
    about = f"; focus {focus}" if focus else "; no focus"
    headline += f"; focus a {place} made by nobody, at ({x:.1f}, {y:.1f})" if place else about
    believed = None if np.isnan(x) else (x, y)
    return LadderAnswer(agent, t, state, since, focus, place, believed, headline, tuple(answers))


def asked_by(run: Record, agent: str) -> Asked:
    """All rows of the table `signals` of an agent, ready to be asked."""
    rows = run.rows("signals").where(agent=agent)
    columns = {name: rows[name] for name in rows if name != "agent"}

    def within(zone: str, x: Any, y: Any, z: Any) -> Any:
        return run.level.within(zone, x, y, z)  # the level is read when a zone is asked about

    return Asked(run.setup, within, agent, endless(columns), effects_of(run), turns_of(run))


def effects_of(run: Record) -> tuple[tuple[float, str, str, float], ...]:
    """(t, who, attribute, value) the attributes that changed during a run."""
    rows = run.rows("effects")
    return tuple((row.t, row.who, row.attribute, row.value) for row in rows.each() if row.attribute)


def times_away(run: Record, who: str) -> list[tuple[float, float, str]]:
    """(after, until, why) when a character is absent: not yet spawned, removed, or by its track.

    s; it is not there at ticks later than `after`, up to and with `until`.
    """
    found = _times_taken_out(run, who)
    rows = run.rows("poses").where(id=who)
    t, gone = rows["t"], ~rows["present"].astype(np.bool_)
    for a, b, _ in found:
        gone &= ~_is_within(t, a, b)
    steps = np.flatnonzero(np.diff(np.concatenate([[False], gone, [False]]).astype(np.int8)))
    for first, end in steps.reshape(-1, 2).tolist():
        why = f"vanished at {t[first]:.2f} s" if first else "has not appeared yet"
        after = float(t[first - 1]) if first else -math.inf
        found.append((after, float(t[end - 1]) if end < len(t) else math.inf, why))
    return sorted(found)


def _times_taken_out(run: Record, who: str) -> list[tuple[float, float, str]]:
    """The same, of those that are not yet spawned, or removed."""
    found: list[tuple[float, float, str]] = []
    since, why = -math.inf, "has not been spawned yet" if run.setup.cast[who].absent else ""
    for change in run.rows("effects").where(who=who).each():
        if change.attribute:
            continue
        if why:
            found.append((since, change.t, why))
        gone = change.value < 0.5
        why = f"was removed at {change.t:.2f} s ({change.cause})" if gone else ""
        since = change.t
    return [*found, (since, math.inf, why)] if why else found


def why_away(run: Record, who: str, t: float) -> str:
    """Why a character is absent at a time; empty if neither removed nor still to be spawned."""
    return next((why for a, b, why in times_away(run, who) if _is_within(t, a, b)), "")


def is_there(run: Record, who: str, t: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(times,) whether a character is present."""
    found = np.ones(len(t), dtype=np.bool_)
    for a, b, _ in times_away(run, who):
        found &= ~_is_within(t, a, b)
    return found


def _is_within(t: Any, after: float, until: float) -> Any:
    """Whether times, s, are in such a span."""
    return (after + SLACK < t) & (t <= until + SLACK)


def _held(true: Any, dt: float) -> float:
    """How long a condition had been true at the last of these ticks, s."""
    false = np.flatnonzero(~true)
    ticks = len(true) - (int(false[-1]) + 1 if len(false) else 0)
    return max(ticks - 1, 0) * dt


def reactions(run: Record, agent: str) -> Iterator[tuple[str, float, float]]:
    """(transition, from, to) when an agent was reacting to transitions that it could take, s."""
    rows = run.rows("events").where(agent=agent)
    begun: dict[str, float] = {}
    for kind, transition, t in zip(
        rows["kind"], rows["transition"], rows["t"].tolist(), strict=True
    ):
        if kind == "reacts":
            begun[transition] = t
        if kind not in ("ignored", "changed"):
            continue
        for name in [transition] if kind == "ignored" else list(begun):
            if name in begun:
                yield name, begun.pop(name), t
    for name, since in begun.items():
        yield name, since, float("inf")


def blocked_by(run: Record, agent: str, state: str, rows: Any, tick: int) -> str:
    """What keeps an agent in a state whatever its conditions say; empty if nothing does."""
    ladder = run.setup.profile_of(agent).ladder
    assert ladder is not None
    away = why_away(run, agent, float(rows["t"][tick]))
    if away:
        return away
    settings, been = ladder.states[state], float(rows["state_for"][tick])
    if been < settings.least - SLACK:
        return f"stays {settings.least:g} s at least, has been there {written(been, 's')}"
    if not settings.interruptible and not any(rows[name][tick] for name in OVER):
        return "cannot be interrupted before its activity is done"
    entered = run.rows("states").where(agent=agent)
    entered = entered.take(entered["t"] < rows["t"][tick] - SLACK)
    if len(entered) and entered["before"][-1]:
        sleep = ladder.states[entered["before"][-1]].sleep
        if sleep is not None and been < sleep.wake_time - SLACK:
            return f"is still waking up, {sleep.wake_time - been:.1f} s to go"
    return ""


def _missing(tree: Part, held: float, needs: float, blocked: str, taken: str) -> tuple[str, ...]:
    if not tree.true:
        return tuple(dict.fromkeys(lacking(tree, wanted=True)))
    if held < needs - SLACK:
        return (f"true for {written(held, 's')}, needs {written(needs, 's')}",)
    if blocked:
        return (blocked,)
    return (f"{taken} comes first",) if taken else ("was tried, and not needed",)


def lacking(part: Part, *, wanted: bool) -> list[str]:
    """The parts that would have to differ."""
    if part.true == wanted:
        return []
    if part.kind == "leaf":
        if wanted:
            return [part.missing or f"{part.text} is false"]
        return [f"{part.found or part.text} is true"]
    inner = wanted if part.kind != "not" else not wanted
    if part.kind == "xor":
        return [
            f"{part.text}: "
            + " and ".join(f"{p.text} is {str(p.true).lower()}" for p in part.parts)
        ]
    found = [text for each in part.parts for text in lacking(each, wanted=inner)]
    if (part.kind == "or") == wanted and len(found) > 1:
        return [" or ".join(found)]
    return found
