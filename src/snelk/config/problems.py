"""From Pydantic's errors to Snelk's: the key path, the rule with its unit, the closest name."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from types import UnionType
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel, ValidationError

from snelk.config.fields import unit_of_field
from snelk.config.minds import ACTIVITIES
from snelk.errors import Problem, nearest

M = TypeVar("M", bound=BaseModel)

Locate = Callable[[tuple[str | int, ...]], tuple[str, str]]
"""Turns the location of an error into (source, place)."""

_TYPES = {
    "float_type": "must be a number",
    "int_type": "must be a whole number",
    "string_type": "must be text in quotes",
    "tuple_type": "must be a list",
    "dict_type": "must be a table",
    "model_type": "must be a table",
    "bool_type": "must be true or false",
    "finite_number": "must be a finite number",
    "is_instance_of": "has the wrong type",
}


def checked(model: type[M], data: object, locate: Locate, problems: list[Problem]) -> M | None:
    """Validate `data`; on failure add every problem to `problems` and return None."""
    try:
        return model.model_validate(data)
    except ValidationError as error:
        known = {str(problem) for problem in problems}
        for item in error.errors(include_url=False):
            problem = _problem(model, item, locate)
            if str(problem) not in known:
                known.add(str(problem))
                problems.append(problem)
        return None


def shown(value: object) -> str:
    """A value as it is written in the files, cut to a readable length."""
    if isinstance(value, str):
        text = f'"{value}"'
    elif isinstance(value, bool):
        text = str(value).lower()
    elif isinstance(value, dict):
        text = "a table" + (f" with {', '.join(map(str, list(value)[:4]))}" if value else "")
    elif isinstance(value, list | tuple):
        text = "[" + ", ".join(shown(v) for v in value[:4]) + (", …]" if len(value) > 4 else "]")
    else:
        text = f"{value!r}"
    return text if len(text) <= 60 else text[:57] + "…"


def key_path(parts: Iterable[str | int]) -> str:
    """`("cast", "goose-1", "at", 0)` as `cast.goose-1.at[0]`."""
    path = ""
    for part in parts:
        if isinstance(part, int):
            path += f"[{part}]"
        else:
            bare = part.replace("-", "").replace("_", "").isalnum() and part.isascii()
            path += ("." if path else "") + (part if bare else f'"{part}"')
    return path


def _problem(model: type[BaseModel], item: Any, locate: Locate) -> Problem:
    kind: str = item["type"]
    place = tuple(part for part in item["loc"] if part != "[key]")
    source, path = locate(place)
    given = shown(item["input"])
    if kind == "extra_forbidden":
        name, keys = str(place[-1]), _keys(model, place[:-1])
        fix = nearest(name, keys)
        if "interruptible" in keys and isinstance(item["input"], dict):  # of an alert state
            activities = [key for key in keys if key in ACTIVITIES]
            fix = fix if "did you" in fix else f"activities: {', '.join(activities)}"
        return Problem(source, path, given, "no such key", fix)
    if kind == "missing":
        return Problem(source, path, "", "is missing", "add it")
    context = item.get("ctx", {})
    unit = _unit(model, place)
    limits = {
        "greater_than": ("above", "gt"),
        "greater_than_equal": ("at least", "ge"),
        "less_than": ("below", "lt"),
        "less_than_equal": ("at most", "le"),
    }
    if kind in limits:
        word, key = limits[kind]
        rule = f"must be {word} {context[key]:g}{unit}"
        # The other end of its range as well.
        text = repr(_annotation(model, place))
        others = ("at most", "le"), ("below", "lt")
        if key in ("le", "lt"):
            others = ("at least", "ge"), ("above", "gt")
        for other, limit in others:
            found = re.search(rf"\b{limit}=(-?[\d.]+(?:e[+-]?\d+)?)", text)
            if found is not None:
                rule += f" and {other} {float(found[1]):g}"
                break
        return Problem(source, path, given, rule)
    if kind == "value_error":
        return Problem(source, path, given, str(context["error"]))
    if kind == "literal_error":
        expected = [
            word.strip("'") for word in context["expected"].replace(" or ", ", ").split(", ")
        ]
        return Problem(source, path, given, "unknown word", nearest(str(item["input"]), expected))
    if kind == "too_short" and context.get("min_length") == 1:
        return Problem(source, path, given, "must not be empty")
    most = context.get("max_length", 2)
    if kind == "too_long" and most > 2:
        rule = "must be a list of 3 numbers" if most == 3 else f"holds more than {most:,} entries"
        return Problem(source, path, given, rule)
    if kind == "string_pattern_mismatch":
        return Problem(source, path, given, "must be letters, digits, - and _, 1 to 64 of them")
    if kind in ("too_long", "too_short"):
        return Problem(source, path, given, "must be a list of 2 numbers, [x, y] in m")
    return Problem(source, path, given, _TYPES.get(kind, item["msg"]))


def _annotation(model: Any, place: tuple[str | int, ...]) -> tuple[Any, Any]:
    """The type and the field at a location, or None."""
    here: Any = model
    field: Any = None
    for part in place:
        if isinstance(here, type) and issubclass(here, BaseModel):
            field = _field(here, str(part))
            here = bare(field.annotation) if field is not None else None
        else:  # a table of named entries, or a list
            inner = get_args(here)
            here = bare(inner[-1 if get_origin(here) is dict else 0]) if inner else None
    return here, field


def _field(model: type[BaseModel], key: str) -> Any:
    """The field of a model that is written with a key."""
    fields = model.model_fields.items()
    return next((field for name, field in fields if (field.alias or name) == key), None)


def bare(annotation: Any) -> Any:
    """A type without `| None` and without notes on it, save those of a plain number."""
    while get_origin(annotation) in (Annotated, Union, UnionType):
        inner = [a for a in get_args(annotation) if a is not type(None)]
        if get_origin(inner[0]) is None and get_origin(annotation) is Annotated:
            return annotation if inner[0] in (float, int, str) else inner[0]
        annotation = inner[0]
    return annotation


def _keys(model: Any, place: tuple[str | int, ...]) -> list[str]:
    here, _ = _annotation(model, place)
    return [field.alias or name for name, field in getattr(here, "model_fields", {}).items()]


def _unit(model: Any, place: tuple[str | int, ...]) -> str:
    here, field = _annotation(model, place)
    unit = unit_of_field(field) or unit_of_field(here)
    return f" {unit}" if unit else ""
