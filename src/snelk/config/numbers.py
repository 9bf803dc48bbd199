"""The numbers of a scenario that can be changed: unit, range and description of each."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, get_args, get_origin

import annotated_types
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from snelk.config.fields import unit_of_field
from snelk.config.models import Meter, Setup
from snelk.config.problems import key_path

LEFT_OUT = ("clock", "seed", "expect", "wish", "fit", "silence", "changes", "noises", "throws")
"""Parts of a scenario that are no matter of feeling."""


@dataclass(frozen=True)
class Number:
    """A number that can be changed.

    Attributes:
        key: Its key path, as for `--set`.
        value: Its current value.
        unit: Empty for one without.
        low, high: The least and the most that is allowed; None without a limit.
        open_low: Whether it has to be above the least.
        whole: Whether it has to be a whole number.
        least, most, step: Of a slider: a range around the current value, and a sensible step.
        text: Its meaning.
    """

    key: str
    value: float
    unit: str
    low: float | None
    high: float | None
    open_low: bool
    whole: bool
    least: float
    most: float
    step: float
    text: str


@dataclass(frozen=True)
class Curve:
    """A curve that can be dragged: points [x, y] between which it is straight.

    Attributes:
        key: Its key path.
        points: As they are now.
        x, y: What its axes are, with units.
        far: How far the axis of x goes, at least.
        text: Its meaning.
    """

    key: str
    points: list[list[float]]
    x: str
    y: str
    far: float
    text: str


AXES = {
    "distance": ("share of the cone's range", 1.0),
    "angle": ("share of half the field of view", 1.0),
    "light": ("light on the target", 1.0),
    "motion": ("its speed, m/s", 5.0),
}
"""What a meter's curves go by, and how far."""


def curves_of(setup: Setup) -> list[Curve]:
    """The curves of all meters, and speeds by remaining distance, as written.

    >>> import snelk
    >>> found = curves_of(snelk.load(snelk.croft() / "night.toml").setup)
    >>> next(each.points for each in found if each.key == "profiles.owl.meter.distance")
    [[0.3, 1.0], [1.0, 0.35]]
    """
    found = []
    for name, profile in setup.profiles.items():
        for curve, (x, far) in AXES.items() if profile.meter is not None else ():
            points = [[*map(float, point)] for point in getattr(profile.meter, curve)]
            text = Meter.model_fields[curve].description or ""
            far = max(far, points[-1][0])
            place = key_path(("profiles", name, "meter", curve))
            found.append(Curve(place, points, x, "factor of the meter's rate", far, text))
        for state, of in profile.ladder.states.items() if profile.ladder else ():
            if of.speeds is not None:
                points = [[*map(float, point)] for point in of.speeds]
                place = key_path(("profiles", name, "ladder", "states", state, "speeds"))
                text, far = "Speed by remaining distance to the goal.", 1.5 * points[-1][0] + 1.0
                found.append(Curve(place, points, "way left, m", "m/s", far, text))
    return found


@dataclass(frozen=True)
class Asked:
    """A condition that can be edited: its key path, and its text now."""

    key: str
    value: str


def conditions_of(setup: Setup) -> list[Asked]:
    """The conditions of all ladders' transitions.

    >>> import snelk
    >>> found = conditions_of(snelk.load(snelk.croft() / "night.toml").setup)
    >>> found[0].key
    'profiles.goose.ladder.transitions.something-stirs.when'
    """
    return [
        Asked(key_path(("profiles", name, "ladder", "transitions", each, "when")), transition.when)
        for name, profile in setup.profiles.items()
        if profile.ladder is not None
        for each, transition in profile.ladder.transitions.items()
    ]


def numbers_of(setup: Setup) -> list[Number]:
    """All numbers of a scenario that can be changed, in the order written.

    >>> import snelk
    >>> setup = snelk.load(snelk.croft() / "night.toml").setup
    >>> found = {each.key: each for each in numbers_of(setup)}["profiles.goose.cones.wide.range"]
    >>> found.most, found.unit
    (20.0, 'm')
    """
    return list(_in_model(setup, ()))


def _in_model(model: BaseModel, place: tuple[str, ...]) -> Iterator[Number]:
    for name, info in type(model).model_fields.items():
        if not place and name in LEFT_OUT:
            continue
        key, value = info.alias or name, getattr(model, name)
        yield from _in_value(value, (*place, key), info.annotation, info)


def _in_value(
    value: Any, place: tuple[str, ...], annotation: Any, info: FieldInfo | None
) -> Iterator[Number]:
    if isinstance(value, BaseModel):
        yield from _in_model(value, place)
    elif isinstance(value, Mapping):
        kinds = [each for each in _alternatives(annotation) if get_origin(each) is dict]
        inner = get_args(kinds[0])[1] if kinds else Any
        for name, each in value.items():
            if isinstance(name, str) and (*place, name) != (
                "bodies",
                "clue",
            ):  # that is not written
                yield from _in_value(each, (*place, name), inner, None)
    elif isinstance(value, int | float) and not isinstance(value, bool):
        if math.isfinite(value):
            yield _number(value, place, annotation, info)


def _alternatives(annotation: Any) -> Iterator[Any]:
    """A type, or those of a union, without what annotates them."""
    if get_origin(annotation) is Annotated:
        yield from _alternatives(get_args(annotation)[0])
    elif get_origin(annotation) is not None and get_origin(annotation) is not dict:
        for each in get_args(annotation):
            yield from _alternatives(each)
    else:
        yield annotation


def _said_of(annotation: Any) -> Iterator[Any]:
    """All that annotates a type or a part of it."""
    if get_origin(annotation) is Annotated:
        inner, *said = get_args(annotation)
        yield from said
        yield from _said_of(inner)
    elif get_origin(annotation) is not None and get_origin(annotation) is not dict:
        for each in get_args(annotation):
            yield from _said_of(each)


def _number(
    value: float, place: tuple[str, ...], annotation: Any, info: FieldInfo | None
) -> Number:
    said = [*(info.metadata if info else ()), *([info] if info else ()), *_said_of(annotation)]
    unit = next(filter(None, map(unit_of_field, (info, annotation))), "")
    text, low, high, open_low, open_high = "", None, None, False, False
    for each in said:
        if isinstance(each, FieldInfo):
            text = text or each.description or ""
        for one in each.metadata if isinstance(each, FieldInfo) and each is not info else [each]:
            if isinstance(one, annotated_types.Gt) and low is None:
                low, open_low = float(one.gt), True  # type: ignore[arg-type]
            elif isinstance(one, annotated_types.Ge) and low is None:
                low = float(one.ge)  # type: ignore[arg-type]
            elif isinstance(one, annotated_types.Lt) and high is None:
                high, open_high = float(one.lt), True  # type: ignore[arg-type]
            elif isinstance(one, annotated_types.Le) and high is None:
                high = float(one.le)  # type: ignore[arg-type]
    kinds = list(_alternatives(annotation))
    whole = isinstance(value, int) and int in kinds and float not in kinds
    most = _round(2.5 * abs(value)) if value else 1.0
    if high is not None and (most > high or high <= 1.0 or (unit == "deg" and high <= 360.0)):
        most = high
    least = -most if value < 0 or (low is not None and low < 0.0 and unit == "deg") else 0.0
    least = max(least, low) if low is not None else least
    step = _round((most - least) / 100.0)
    step = max(step, 1.0) if whole else step
    if open_low and least == low:
        least = min(step, most)
    if open_high and most == high:
        most -= step
    return Number(
        key_path(place), float(value), unit, low, high, open_low, whole, least, max(most, value),
        step, " ".join(text.split()),
    )  # fmt: skip


def _round(value: float) -> float:
    """The next number up with one digit, which is 1, 2 or 5."""
    if value <= 0.0:
        return 0.01
    digits = 10.0 ** math.floor(math.log10(value))
    return float(next(each * digits for each in (1, 2, 5, 10) if each * digits >= value - 1e-12))
