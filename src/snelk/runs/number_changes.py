"""Single numbers other than a cone's, and how far they would have to change."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from snelk.config.problems import key_path
from snelk.runs.answers import Counterfactual
from snelk.runs.standing import Scale

if TYPE_CHECKING:
    from snelk.runs.record import Record

CLEAR = 1e-6
"""A value to try is at least this far beyond the limiting one, so that no rounding decides."""

Sized = tuple[float, Counterfactual]
"""A counterfactual, and how large a change it is, by which the smallest is told."""


def smallest_first(found: Iterable[Sized]) -> list[Counterfactual]:
    """Counterfactuals, the smallest change first; of equal ones that which was found first.

    Of one number the smallest change alone: it is enough. Last digits differ between machines, and
    decide nothing.
    """
    first: dict[str, Counterfactual] = {}
    for _, each in sorted(found, key=lambda sized: round(sized[0], 9)):
        first.setdefault(each.key, each)
    return list(first.values())


def safe(value: float, *, up: bool, digits: int) -> float:
    """Round in the direction in which the answer surely turns."""
    scale = 10.0**digits
    return (math.ceil(value * scale) if up else math.floor(value * scale)) / scale


def limit_in_words(comparison: str, rounded: float, value: float, now: float, unit: str) -> str:
    """What a number has to be; of one that must only leave its limit, the value that differs.

    >>> limit_in_words("<", 4.5, 4.49, 6.0, " m"), limit_in_words("<", 4.5, 4.49, 4.5, " m")
    ('< 4.5 m (is 6)', '≤ 4.49 m (is 4.5)')
    """
    limit = rounded
    if comparison in ("<", ">") and rounded == now:
        comparison, limit = f"{comparison}=", value
    sign = {">=": "≥", "<=": "≤"}.get(comparison, comparison)
    return f"{sign} {limit:.10g}{unit} (is {now:.10g})"


def factor_counterfactual(
    place: tuple[str, ...],
    label: str,
    now: float,
    needs: float,
    *,
    word: str,
    turn_on: bool,
    rising: bool | None = None,
    least: float = 0.0,
    most: float = 100_000.0,
    unit: str = "",
    key: str = "",
) -> Sized | None:
    """A number that has to reach `needs`, or to stay clear of it; None if it cannot.

    Args:
        place: Parts of the number's key path; without any it is in the level, under `key`.
        label: What it is, in words.
        now: Its value in the run.
        needs: The limiting value.
        word: What then happens.
        turn_on: Whether the limiting value itself turns the answer, as limits are inclusive.
        rising: Whether the number has to rise; as `turn_on` if absent.
        least: The least a file may hold.
        most: The most a file may hold.
        unit: Its unit, with a blank before it.
        key: The key of a number in the level.
    """
    up = turn_on if rising is None else rising
    digits = 2 if unit else 4
    rounded = safe(needs, up=up, digits=digits)
    value = rounded
    if not turn_on and abs(rounded - needs) < CLEAR:
        value = round(rounded + (1 if up else -1) * 10.0**-digits, digits)
    if not least <= value <= most or (unit and value <= 0.0):
        return None
    comparison = {(True, True): ">=", (True, False): "<=", (False, True): ">", (False, False): "<"}[
        turn_on, up
    ]
    text = f"{word} if {label} {limit_in_words(comparison, rounded, value, now, unit)}"
    # Shares are compared by how far they move, everything else by how far in proportion.
    size = abs(needs - now) / now if most > 1.0 and now else abs(needs - now)
    path = key_path(place) if place else key
    settable = (f"{path}={value:.10g}",) if place else ()
    return size, Counterfactual(path, comparison, needs, now, text, settable)


def notice_counterfactual(
    run: Record, agent: str, target: str, sense: tuple[str, ...], word: str
) -> Sized:
    """That a sense, or the profile if the sense leaves it to that, notices one more team.

    `sense` is where the sense stands in the profile, such as `("cones", "front")`.
    """
    name = run.setup.cast[agent].profile or ""
    team = run.setup.cast[target].team
    profile = run.setup.profiles[name]
    own = profile.cones[sense[1]] if sense[0] == "cones" else getattr(profile, sense[0])
    place = ("profiles", name, *(sense if own.notices is not None else ()), "notices")
    teams = profile.teams()[sense]
    key = key_path(place)
    listed = ", ".join(f'"{each}"' for each in (*teams, team))
    text = f'{word} if {key} holds "{team}"'
    return math.inf, Counterfactual(key, "", team, ", ".join(teams), text, (f"{key}=[{listed}]",))


def awake_counterfactuals(
    scales: Sequence[Scale], needs: float, word: str, *, turn_on: bool
) -> list[Sized]:
    """How awake an agent, or one of its senses, would have to be to reach a scale of `needs`."""
    found = []
    for n, scale in enumerate(scales):
        others = math.prod(each.value for k, each in enumerate(scales) if k != n)
        if others > 0.0:
            least = needs / others
            found.append(
                factor_counterfactual(
                    scale.place, scale.label, scale.value, least,
                    word=word, turn_on=turn_on, most=1.0,
                )
            )  # fmt: skip
    return [counterfactual for counterfactual in found if counterfactual is not None]


def waking_counterfactuals(scales: Sequence[Scale], word: str, *, turn_on: bool) -> list[Sized]:
    """Which numbers alone wake a sense up that senses if it is awake at all, or put it to sleep."""
    found = []
    for n, scale in enumerate(scales):
        others = math.prod(each.value for k, each in enumerate(scales) if k != n)
        if others > 0.0 and turn_on == (scale.value <= 0.0):
            key, now = key_path(scale.place), scale.value
            comparison, sign, value = (">", ">", 0.01) if turn_on else ("<=", "≤", 0.0)
            text = f"{word} if {scale.label} {sign} 0 (is {now:.10g})"
            settable = (f"{key}={value:g}",)
            found.append((now, Counterfactual(key, comparison, 0.0, now, text, settable)))
    return found


def radius_counterfactuals(
    name: str,
    scales: Sequence[Scale],
    radius: float,
    distance: float,
    word: str,
    *,
    turn_on: bool,
) -> list[Sized]:
    """How far touch would have to reach, and how awake the agent would have to be."""
    scale = math.prod(each.value for each in scales)
    found = awake_counterfactuals(scales, distance / radius, word, turn_on=turn_on)
    if scale > 0.0:
        place, label = ("profiles", name, "touch", "radius"), f"the radius of touch of the {name}"
        counterfactual = factor_counterfactual(
            place, label, radius, distance / scale, word=word, turn_on=turn_on, unit=" m"
        )
        found += [counterfactual] if counterfactual is not None else []
    return found
