"""Names, units and limits that all models share.

Lengths are metres, times seconds, angles degrees. A field of view is the whole angle from edge
to edge, never half of it: that is why its key is called `fov_whole`.
"""

from typing import Annotated, Any, get_args, get_origin

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

LONGEST = 100_000.0
"""Largest length accepted, m: beyond it a unit is surely wrong."""


def _printable(name: str) -> str:
    if not name or name != name.strip() or not name.isprintable() or len(name) > 80:
        raise ValueError("must be 1 to 80 printable characters without spaces at the ends")
    return name


def with_unit(unit: str, **limits: Any) -> Any:
    """A field with limits, and the unit that errors name."""
    return Field(json_schema_extra={"unit": unit}, **limits)


def unit_of_field(field: Any) -> str:
    """The unit of the numbers of a field or type, or of those it contains; empty for none.

    >>> unit_of_field(Length | None), unit_of_field(tuple[Seconds, ...]), unit_of_field(Share)
    ('m', 's', '')
    """
    if isinstance(field, FieldInfo):
        extra = field.json_schema_extra
        unit = str(extra.get("unit", "")) if isinstance(extra, dict) else ""
        parts = (field.annotation,)
    else:  # what annotates a type comes before it
        unit, parts = "", get_args(field)
        parts = parts[::-1] if get_origin(field) is Annotated else parts
    return unit or next(filter(None, map(unit_of_field, parts)), "")


Name = Annotated[str, AfterValidator(_printable)]
Length = Annotated[float, with_unit("m", gt=0, le=LONGEST)]
Coordinate = Annotated[float, with_unit("m", ge=-LONGEST, le=LONGEST)]
WholeAngle = Annotated[
    float,
    with_unit(
        "deg",
        gt=0,
        le=360,
        description="WHOLE angle from edge to edge in degrees: 120 means 60 to either side.",
    ),
]
Names = Annotated[tuple[Name, ...], Field(strict=False)]  # TOML gives a list
FileNames = Annotated[tuple[str, ...], Field(strict=False)]
Place = Annotated[tuple[Coordinate, Coordinate], Field(strict=False)]
Share = Annotated[float, with_unit("", ge=0, le=1)]
Elevation = Annotated[float, with_unit("deg", ge=0, le=90)]


Factor = Annotated[float, with_unit("", ge=0, le=100)]
Seconds = Annotated[float, with_unit("s", ge=0, le=3600)]
Reach = Annotated[float, with_unit("m", ge=0, le=LONGEST)]
Speed = Annotated[float, with_unit("m/s", ge=0, le=1000)]


class Model(BaseModel):
    """Frozen, strict about types, and without room for unknown keys."""

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        strict=True,
        allow_inf_nan=False,
        defer_build=True,  # what is never read with is never built: a start takes less long
    )
