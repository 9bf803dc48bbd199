"""All numbers of a scenario for a game's own code, and changes made to them there.

Inheritance, defaults and what goes without saying are filled in, conditions are trees, and
everything is in the game's own units, angles and axes.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterator, Mapping
from typing import Annotated, Any, get_args, get_origin

from pydantic import BaseModel

from snelk.config.conditions import parse
from snelk.config.fields import unit_of_field
from snelk.config.foreign import TO_DEGREES, GamePlaces, GameUnits
from snelk.config.minds import ConeLimits, Ladder, State
from snelk.config.models import Body, Cone, Member, Profile, Setup
from snelk.config.nodes import (
    DEGREES,
    METRES,
    SECONDS,
    SPEED,
    WORDS_OF,
    ConditionError,
    Dimension,
    Node,
)
from snelk.config.problems import bare, checked, key_path, shown
from snelk.config.scenario import Scenario, value_of
from snelk.config.schema import DIALECT
from snelk.config.words import SENSES, SINGLE_SENSES
from snelk.errors import InputError, Problem

HEADINGS = ("facing", "blows_to")
"""The keys of directions: which way they are counted, and from where, is the game's."""

EXPORT = 1
"""The layout of what is exported; another number is another layout."""

SECTIONS = (
    "clock", "seed", "light", "background", "air", "bodies", "profiles", "noise_kinds", "grounds",
    "doors", "lights", "cast", "groups",
)  # fmt: skip
"""What is exported of a scenario: what its level, tracks and lists of events do not say."""

"""Those that an agent may have."""

PLACES = {"at": "z", "home": "home_z"}
"""Keys of places in plan, and of their heights: exported as one place in space."""

DIMENSIONS: dict[Dimension, str] = {METRES: "m", SECONDS: "s", DEGREES: "deg", SPEED: "m/s"}

Step = tuple[str | int, ...]


def export(scenario: Scenario, units: GameUnits | None = None) -> dict[str, Any]:
    """All numbers of a scenario, resolved, in the units of a game.

    Args:
        scenario: What `load` returned.
        units: The game's units, angles and axes; Snelk's if None.

    Returns:
        Plain data, as `export_schema` says.

    >>> import snelk
    >>> night = export(snelk.load(snelk.croft() / "night.toml"), GameUnits(length=0.01))
    >>> night["profiles"]["dog"]["cones"]["muzzle"]["hold_range"]
    1600.0
    """
    exporter = _Exporter(units or GameUnits())
    setup = resolved(scenario.as_written)
    found: dict[str, Any] = {"snelk_export": EXPORT, "title": setup.title}
    found["units"] = exporter.units.model_dump(mode="json")
    fields = type(setup).model_fields
    for name in SECTIONS:
        value = getattr(setup, name)
        found[name] = exporter.out(value, fields[name], (name,))
    return found


def changes_in(scenario: Scenario, exported: Mapping[str, Any]) -> dict[str, Any]:
    """What differs in an exported file from the scenario, as numbers to change by key path.

    Raises:
        InputError: It is of another layout, something is missing or new in it, or a difference
            has no place in a scenario's files.
    """
    if exported.get("snelk_export") != EXPORT:
        rule = f"is no export of layout {EXPORT}"
        raise InputError.of("export", "snelk_export", shown(exported.get("snelk_export")), rule)
    problems: list[Problem] = []
    given = checked(
        GameUnits, exported.get("units", {}), lambda key: ("export", key_path(("units", *key))),
        problems,
    )  # fmt: skip
    if given is None:
        raise InputError(problems)
    exporter, found = _Exporter(given), dict[str, Any]()
    # What was filled in goes by other numbers: where these change, it is written as it is there.
    for _ in range(MOST_ROUNDS):
        now = scenario.changed(found)
        ours = json.loads(json.dumps(export(now, given)))
        more: dict[str, Any] = {}
        for place, after in _differences(ours, exported, (), problems):
            if place[:1] in (("title",), ("units",), ("snelk_export",)):
                continue
            try:
                more |= exporter.back(place, after, exported)
            except (ConditionError, ValueError, TypeError, KeyError, IndexError) as error:
                rule = f"cannot be read: {error}"
                problems.append(Problem("export", key_path(place), shown(after), rule))
        if problems:
            raise InputError(problems)
        more = {key: _rounded(value) for key, value in more.items()}
        more = {key: value for key, value in more.items() if _is_new(now.setup, key, value)}
        if not more:
            break
        found |= more
    return found


def _rounded(value: Any) -> Any:
    """Numbers without rounding errors of unit conversion."""
    if isinstance(value, float):
        return float(f"{value:.12g}")
    return [_rounded(each) for each in value] if isinstance(value, list | tuple) else value


def _is_new(setup: Setup, key: str, value: Any) -> bool:
    """Whether a value is another than is written, or left to its default."""
    before = value_of(setup, key)
    return _rounded(before) != value or isinstance(before, bool) != isinstance(value, bool)


MOST_ROUNDS = 6
"""So often what was filled in is looked at again."""


def resolved(setup: Setup) -> Setup:
    """A setup in which all that goes without saying is written."""
    bodies = {name: _body(body) for name, body in setup.bodies.items()}
    profiles = {name: _profile(profile) for name, profile in setup.profiles.items()}
    cast = {name: _member(setup, name) for name in setup.cast}
    update = {"bodies": bodies, "profiles": profiles, "cast": cast}
    return setup.model_copy(update=update)


def export_schema() -> dict[str, Any]:
    """The JSON Schema of an export.

    >>> export_schema()["title"]
    'Snelk export'
    """
    whole = Setup.model_json_schema(mode="serialization")
    definitions = {name: _as_exported(name, each) for name, each in whole["$defs"].items()}
    part = {"$ref": "#/$defs/Condition"}
    shapes: list[dict[str, Any]] = [
        {"number": {"type": "number"}}, {"text": {"type": "string"}},
        {"signal": {"type": "string"}}, {"attribute": {"type": "string"}},
        {"call": {"type": "string"}, "name": {"type": "string"}},
        {"call": {"const": "chance"}, "share": {"type": "number"}},
        {"op": {"type": "string"}, "of": {"type": "array", "items": part, "minItems": 1}},
        {
            "op": {"type": "string"}, "of": {"type": "array", "items": part, "minItems": 2},
            "in": {"const": "m, s, deg"},
        },
    ]  # fmt: skip
    definitions["Condition"] = {
        "description": "A condition: an operator with what it is of, or a number, a signal, an "
        "attribute, a text or a call. Numbers beside a signal are in the game's units; where "
        "`in` says so, signals and numbers are in m, s and deg.",
        "anyOf": [
            {"type": "object", "properties": each, "required": list(each),
             "additionalProperties": False}
            for each in shapes
        ],
    }  # fmt: skip
    properties: dict[str, Any] = {
        "snelk_export": {"const": EXPORT},
        "title": {"type": "string"},
        "units": GameUnits.model_json_schema(ref_template="#/$defs/{model}"),
    }
    definitions |= properties["units"].pop("$defs", {})
    properties |= {name: _loose(whole["properties"][name]) for name in SECTIONS}
    return {
        "$schema": DIALECT,
        "title": "Snelk export",
        "type": "object",
        "properties": properties,
        "required": list(properties),
        "additionalProperties": False,
        "$defs": definitions,
    }


LIMITS = (
    "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "default", "minLength", "unit",
)  # fmt: skip
"""What a schema of files says, and is otherwise in a game's units."""


def _as_exported(name: str, given: dict[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = _loose(given)
    for key in ("like", "groups", *(PLACES.values() if name == "Member" else ())):
        found.get("properties", {}).pop(key, None)
    three = {"type": "array", "items": {"type": "number"}, "minItems": 3, "maxItems": 3}
    if name == "Member":
        for key in PLACES:
            found["properties"][key] = {"anyOf": [three, {"type": "null"}]}
    if name == "Transition":
        found["properties"]["when"] = {"$ref": "#/$defs/Condition"}
    if "properties" in found:
        optional = {"cones"} if name == "State" else set()
        found["required"] = [key for key in found["properties"] if key not in optional]
    return found


def _loose(given: Any) -> Any:
    """A schema without limits and defaults."""
    if isinstance(given, dict):
        kept = {key: each for key, each in given.items() if key not in LIMITS}
        names = kept.get("properties")
        found = {key: _loose(each) for key, each in kept.items() if key != "properties"}
        if names is not None:
            found["properties"] = {key: _loose(each) for key, each in names.items()}
        return found
    return [_loose(each) for each in given] if isinstance(given, list) else given


def _body(body: Body) -> Body:
    _, crouched, prone = body.heights()
    filled = {"crouched": crouched, "prone": prone, "climb": body.climbs}
    return body.model_copy(update=filled)


def _cone(cone: Cone, notices: tuple[str, ...]) -> Cone:
    return cone.model_copy(
        update={
            "hold_fov_whole": cone.hold_fov_whole or cone.fov_whole,
            "hold_range": cone.hold_range or cone.range,
            "notices": notices if cone.notices is None else cone.notices,
        }
    )


def _profile(profile: Profile) -> Profile:
    update: dict[str, Any] = {"like": None}
    update["cones"] = {n: _cone(cone, profile.notices) for n, cone in profile.cones.items()}
    for name in SINGLE_SENSES:
        sense = getattr(profile, name)
        if sense is not None and sense.notices is None:
            update[name] = sense.model_copy(update={"notices": profile.notices})
    if profile.ladder is not None:
        update["ladder"] = _ladder(profile, profile.ladder)
    return profile.model_copy(update=update)


def _ladder(profile: Profile, ladder: Ladder) -> Ladder:
    states = {name: _state(profile, ladder, name, s) for name, s in ladder.states.items()}
    transitions = {
        name: each.model_copy(update={"from_": tuple(ladder.origins(each))})
        for name, each in ladder.transitions.items()
    }
    update = {"first": ladder.first_state, "states": states, "transitions": transitions}
    return ladder.model_copy(update={**update, "groups": {}})


def _state(profile: Profile, ladder: Ladder, name: str, state: State) -> State:
    update: dict[str, Any] = {
        "rank": ladder.rank_of(name),
        "posture": state.posture_in,
        "reaction": ladder.reaction if state.reaction is None else state.reaction,
        "senses": {sense: dict(state.senses).get(sense, 1.0) for sense in SENSES},
    }
    cones = {each: _cone(cone, ()) for each, cone in profile.cones_in(state).items()}
    update["cones"] = {
        each: ConeLimits(**{key: getattr(cones[each], key) for key in ConeLimits.model_fields})
        for each in state.cones
    }
    if state.search is not None and state.search.speed is None:
        speed = profile.memory.spread if profile.memory is not None else 0.0
        update["search"] = state.search.model_copy(update={"speed": speed or 1.0})
    return state.model_copy(update=update)


def _member(setup: Setup, name: str) -> Member:
    member = setup.cast[name]
    state = member.state
    if member.profile is not None and state is None:
        ladder = setup.profiles[member.profile].ladder
        state = ladder.first_state if ladder is not None else None
    return member.model_copy(
        update={
            "body": setup.body_name_of(name),
            "home": member.home or member.at,
            "home_z": member.z if member.home_z is None else member.home_z,
            "state": state,
            "senses": {sense: dict(member.senses).get(sense, 1.0) for sense in SENSES},
            "attributes": setup.attributes_of(name),
        }
    )


class _Exporter(GamePlaces):
    """From Snelk's values to the game's, by the units that models say, and back."""

    def __init__(self, units: GameUnits) -> None:
        super().__init__(units, source="export")
        length, time = 1.0 / units.length, 1.0 / units.time
        angle = 1.0 / TO_DEGREES[units.angle]
        self._factors = {
            "m": length, "s": time, "deg": angle, "m/s": length / time, "deg/s": angle / time,
            "m/s2": length / time**2, "s/m": time / length,
        }  # fmt: skip

    def factor(self, unit: str) -> float:
        """How many of the game's units one of Snelk's is."""
        return self._factors.get(unit, 1.0)

    def out(self, value: Any, annotation: Any, place: Step) -> Any:
        """A value of a model as the game has it."""
        if value is None or isinstance(value, str | bool):
            return parse_out(self, str(value)) if place[-1] == "when" and value else value
        if isinstance(value, BaseModel):
            return self._model(value, place)
        if isinstance(value, Mapping):
            inner = _inner(annotation, -1)
            return {key: self.out(each, inner, (*place, key)) for key, each in value.items()}
        if isinstance(value, tuple | list):
            units = _units_of_pairs(place)
            return [
                self.out(each, _inner(annotation, min(n, 1)), (*place, n)) if units is None
                else [x * self.factor(units[0]), y * self.factor(units[1])]
                for n, (each, x, y) in enumerate((each, *_two(each)) for each in value)
            ]  # fmt: skip
        if place[-1] in HEADINGS:
            return self.units.heading_out(value)
        unit = unit_of_field(annotation)
        return value if isinstance(value, int) and not unit else value * self.factor(unit)

    def _model(self, model: BaseModel, place: Step) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for name, field in type(model).model_fields.items():
            key, value = field.alias or name, getattr(model, name)
            is_member = isinstance(model, Member)
            if name in ("like", "groups") or (is_member and name in PLACES.values()):
                continue
            if is_member and name in PLACES and value is not None:
                found[key] = list(self.place_out((*value, getattr(model, PLACES[name]) or 0.0)))
                continue
            if name == "cones" and isinstance(model, State) and not value:
                continue  # those of the profile
            found[key] = self.out(value, field, (*place, key))
        return found

    def back(self, place: Step, value: Any, whole: Mapping[str, Any]) -> dict[str, Any]:
        """A value of the game at a place of the export as numbers to change by key path."""
        names = [part for part in place if isinstance(part, str)]
        field, last = _field_at(place), names[-1]
        if last in PLACES and place[0] == "cast":
            spot = whole
            for part in place[: place.index(last) + 1]:
                spot = spot[part]  # type: ignore[index]
            x, y, z = self.place_in(spot)  # type: ignore[arg-type]
            owner = place[: place.index(last)]
            return {
                key_path((*owner, last)): [x, y],
                key_path((*owner, PLACES[last])): z,
            }
        if last in HEADINGS:
            return {key_path(place): self.units.heading_in(value)}
        if "when" in names:
            at = place[: place.index("when") + 1]
            tree: Any = whole
            for part in at:
                tree = tree[part]
            return {key_path(at): text_of(self, tree)}
        if any(isinstance(part, int) for part in place):  # a list is written as a whole
            at = place[: next(n for n, part in enumerate(place) if isinstance(part, int))]
            given: Any = whole
            for part in at:
                given = given[part]
            units = _units_of_pairs((*at, 0))
            unit = unit_of_field(_field_at(at))
            return {key_path(at): _scaled(given, units, 1.0 / self.factor(unit), self.factor)}
        if isinstance(value, float | int) and not isinstance(value, bool):
            unit = unit_of_field(field)
            return {key_path(place): value / self.factor(unit) if unit else value}
        return {key_path(place): value}


def _two(value: Any) -> tuple[Any, Any]:
    """Both values of a pair; None and None if it is no pair."""
    return tuple(value) if isinstance(value, tuple | list) and len(value) == 2 else (None, None)


def _scaled(
    given: Any, units: tuple[str, str] | None, over: float, factor: Callable[[str], float]
) -> Any:
    if not isinstance(given, list):
        number = isinstance(given, float | int) and not isinstance(given, bool)
        return given * over if number else given
    if units is not None and len(given) == 2 and not isinstance(given[0], list):
        return [value / factor(unit) for value, unit in zip(given, units, strict=True)]
    return [_scaled(each, units, over, factor) for each in given]


def _units_of_pairs(place: Step) -> tuple[str, str] | None:
    """The units of lists of pairs that have no model of their own."""
    names = [part for part in place if isinstance(part, str)]
    if names[-2:] == ["meter", "motion"]:
        return "m/s", ""
    if names[-1] == "speeds":
        return "m", "m/s"
    return None


def _inner(annotation: Any, n: int) -> Any:
    """The type of the items of a list or table."""
    held = getattr(annotation, "annotation", annotation)
    while get_origin(held) is Annotated or (get_args(held) and type(None) in get_args(held)):
        held = get_args(held)[0]
    inner = [each for each in get_args(held) if each is not Ellipsis]
    return inner[min(n, len(inner) - 1)] if inner else annotation


def _field_at(place: Step) -> Any:
    """The field of the models that a place leads to."""
    here: Any = Setup
    field: Any = None
    for part in place:
        if isinstance(here, type) and issubclass(here, BaseModel):
            fields = here.model_fields.items()
            field = next((f for name, f in fields if (f.alias or name) == part), None)
            if field is None:
                raise KeyError(part)
            here = bare(field.annotation)
        else:
            inner = get_args(here)
            here = bare(inner[-1 if get_origin(here) is dict else 0]) if inner else here
    return field


def _differences(
    ours: Any, theirs: Any, place: Step, problems: list[Problem]
) -> Iterator[tuple[Step, Any]]:
    """(place, theirs) of all that differs."""
    if isinstance(ours, dict) and isinstance(theirs, Mapping) and "when" not in place:
        for key in theirs:
            if key not in ours:
                rule = "was not in the export"
                fix = "add it to the scenario first, then export again"
                problems.append(Problem("export", key_path((*place, key)), "", rule, fix))
        for key, value in ours.items():
            if key not in theirs:
                if value is None or value is False or value in ({}, []):
                    continue  # not used, and maybe not known yet when it was exported
                rule = "is missing"
                problems.append(Problem("export", key_path((*place, key)), "", rule, "add it"))
            else:
                yield from _differences(value, theirs[key], (*place, key), problems)
    elif isinstance(ours, float | int) and isinstance(theirs, float | int):
        same = ours == theirs or math.isclose(ours, theirs, rel_tol=1e-9, abs_tol=1e-12)
        if not same or isinstance(ours, bool) != isinstance(theirs, bool):
            yield place, theirs
    elif isinstance(ours, list) and isinstance(theirs, list) and len(ours) == len(theirs):
        for n, (one, other) in enumerate(zip(ours, theirs, strict=True)):
            found = next(_differences(one, other, (*place, n), problems), None)
            if found is not None:
                yield found
                return
    elif ours != theirs:
        yield place, theirs


def parse_out(exporter: _Exporter, text: str) -> dict[str, Any]:
    """A condition as a tree of plain data."""
    return _tree(exporter, parse(text).root)


def _tree(exporter: _Exporter, node: Node, unit: str = "") -> dict[str, Any]:
    if node.kind == "number":
        return {"number": node.value * exporter.factor(unit)}
    if node.kind == "text":
        return {"text": node.word}
    if node.kind in ("signal", "attribute"):
        return {node.kind: node.word}
    if node.kind == "call" and node.word == "chance":
        return {"call": "chance", "share": node.value}
    if node.kind == "call":
        return {"call": node.word, "name": node.parts[0].word}
    if node.kind == "minus":
        return {"op": "minus", "of": [_tree(exporter, node.parts[0], unit)]}
    if node.kind in ("sum", "product"):
        found: dict[str, Any] = _tree(exporter, node.parts[0])
        for op, part in zip(node.word, node.parts[1:], strict=True):
            found = {"op": op, "of": [found, _tree(exporter, part)]}
        return found
    if node.kind == "compare":
        units = [DIMENSIONS.get(part.dimension, "") for part in node.parts]
        plain = all(_is_plain(part) for part in node.parts)
        unit = next((each for each in units if each), "") if plain else ""
        found = {"op": node.word, "of": [_tree(exporter, part, unit) for part in node.parts]}
        if not plain and any(_in_units(part) for part in node.walk()):
            found["in"] = "m, s, deg"
        return found
    return {"op": node.kind, "of": [_tree(exporter, part) for part in node.parts]}


def _is_plain(node: Node) -> bool:
    """Whether it is one number, signal, attribute or text, so that its unit can be changed."""
    kinds = ("number", "signal", "attribute", "text")
    return node.kind in kinds or (node.kind == "minus" and node.parts[0].kind == "number")


def _in_units(node: Node) -> bool:
    return node.dimension in DIMENSIONS


def text_of(exporter: _Exporter, tree: Mapping[str, Any]) -> str:
    """A condition as it is written, of a tree of plain data.

    Raises:
        ValueError: It is no condition.
    """
    text = _text(exporter, tree)
    parse(text)
    return text


def _text(exporter: _Exporter, tree: Any, unit: str = "") -> str:
    if not isinstance(tree, Mapping):
        raise ValueError(f"{shown(tree)} is no part of a condition")
    if "number" in tree:
        return f"{float(tree['number']) / exporter.factor(unit):.12g}"
    if "text" in tree:
        return f'"{tree["text"]}"'
    if "signal" in tree or "attribute" in tree:
        return str(tree.get("signal", tree.get("attribute")))
    if "call" in tree:
        inner = f"{tree['share']:.12g}" if tree["call"] == "chance" else f'"{tree["name"]}"'
        return f"{tree['call']}({inner})"
    op, of = str(tree.get("op")), tree.get("of", [])
    if op in ("and", "or", "xor"):
        return "(" + f" {op} ".join(_text(exporter, each) for each in of) + ")"
    if op in ("not", "minus"):
        return f"({'not ' if op == 'not' else '-'}{_text(exporter, of[0], unit)})"
    left, right = of
    unit = "" if "in" in tree or op in "+-*/" else _unit_of(left) or _unit_of(right)
    one, other = (_text(exporter, each, unit) for each in (left, right))
    return f"{one} {op} {other}" if op not in "+-*/" else f"({one} {op} {other})"


def _unit_of(tree: Any) -> str:
    """The unit of a signal or an attribute of a tree; empty for none."""
    if not isinstance(tree, Mapping):
        return ""
    word = tree.get("signal", tree.get("attribute"))
    if word is None or str(word).partition(".")[2] in WORDS_OF:
        return ""
    node = parse(f"{word} > 0").root.parts[0]
    return DIMENSIONS.get(node.dimension, "")
