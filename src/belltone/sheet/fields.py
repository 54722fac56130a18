"""The kinds of values a sheet holds, still as text, and how to find them in a model."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Final

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, WithJsonSchema

from belltone.sheet.errors import Path
from belltone.sheet.units import DIMENSIONS, Dimension

__all__ = [
    "Acceleration",
    "Angle",
    "AnyValue",
    "AreaMass",
    "AreaValue",
    "Density",
    "Entry",
    "Expansion",
    "Force",
    "Frequency",
    "Inertia",
    "Length",
    "LineMass",
    "MassValue",
    "Moment",
    "Name",
    "Number",
    "Pressure",
    "PressureGrowth",
    "SecondMoment",
    "Share",
    "Speed",
    "Stiffness",
    "Stress",
    "Temperature",
    "TurningStiffness",
    "ValueField",
    "WarmthChange",
    "value_fields",
]


@dataclass(frozen=True)
class ValueField:
    """Marks a field whose text is a value of one dimension, or arithmetic over knobs."""

    dimension: Dimension


def _text(value: Any) -> Any:
    """Numbers without quotes are taken as their text; whether a unit is missing is told later."""
    if isinstance(value, bool):
        return value
    return format(value, ".15g") if isinstance(value, int | float) else value


def _schema(name: str) -> WithJsonSchema:
    """A bare number is only ever right where nothing is measured."""
    return WithJsonSchema(
        {"type": ["string", "number"] if name == "number" else "string", "x-measures": name}
    )


def _field(name: str) -> ValueField:
    return ValueField(DIMENSIONS[name])


_TEXT: Final = BeforeValidator(_text)

Length = Annotated[str, _TEXT, _schema("length"), _field("length")]
MassValue = Annotated[str, _TEXT, _schema("mass"), _field("mass")]
Density = Annotated[str, _TEXT, _schema("density"), _field("density")]
Stress = Annotated[str, _TEXT, _schema("stress"), _field("stress")]
Frequency = Annotated[str, _TEXT, _schema("frequency"), _field("frequency")]
Speed = Annotated[str, _TEXT, _schema("speed"), _field("speed")]
Inertia = Annotated[str, _TEXT, _schema("moment of inertia"), _field("moment of inertia")]
Angle = Annotated[str, _TEXT, _schema("angle"), _field("angle")]
AreaMass = Annotated[str, _TEXT, _schema("mass per area"), _field("mass per area")]
Share = Annotated[str, _TEXT, _schema("share"), _field("share")]
Expansion = Annotated[str, _TEXT, _schema("expansion"), _field("expansion")]
Force = Annotated[str, _TEXT, _schema("force"), _field("force")]
Moment = Annotated[str, _TEXT, _schema("moment"), _field("moment")]
Pressure = Annotated[str, _TEXT, _schema("pressure"), _field("pressure")]
PressureGrowth = Annotated[str, _TEXT, _schema("pressure growth"), _field("pressure growth")]
Acceleration = Annotated[str, _TEXT, _schema("acceleration"), _field("acceleration")]
Temperature = Annotated[str, _TEXT, _schema("temperature"), _field("temperature")]
WarmthChange = Annotated[str, _TEXT, _schema("temperature change"), _field("temperature change")]
Stiffness = Annotated[str, _TEXT, _schema("stiffness"), _field("stiffness")]
TurningStiffness = Annotated[str, _TEXT, _schema("turning stiffness"), _field("turning stiffness")]
LineMass = Annotated[str, _TEXT, _schema("mass per length"), _field("mass per length")]
AreaValue = Annotated[str, _TEXT, _schema("area"), _field("area")]
SecondMoment = Annotated[
    str, _TEXT, _schema("second moment of area"), _field("second moment of area")
]
Number = Annotated[str, _TEXT, _schema("number"), _field("number")]
AnyValue = Annotated[str, _TEXT]
Name = Annotated[str, Field(min_length=1, max_length=80)]


class Entry(BaseModel):
    """A table of the sheet: frozen, and closed to keys it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True)


def value_fields(content: BaseModel) -> Iterator[tuple[Path, str, Dimension]]:
    """Walk a model and yield ``(path, text, dimension)`` of every value that measures something."""
    yield from _walk(content, ())


def _walk(model: BaseModel, path: Path) -> Iterator[tuple[Path, str, Dimension]]:
    for name, info in type(model).model_fields.items():
        value = getattr(model, name)
        here = (*path, info.alias or name)
        yield from _walk_value(value, _measures(type(model), name), here)


def _walk_value(
    value: Any, dimension: Dimension | None, path: Path
) -> Iterator[tuple[Path, str, Dimension]]:
    if isinstance(value, BaseModel):
        yield from _walk(value, path)
    elif isinstance(value, dict):
        for key, entry in value.items():
            yield from _walk_value(entry, dimension, (*path, key))
    elif isinstance(value, tuple):
        for index, entry in enumerate(value):
            yield from _walk_value(entry, dimension, (*path, index))
    elif isinstance(value, str) and dimension is not None:
        yield path, value, dimension


@cache
def _measures(model: type[BaseModel], name: str) -> Dimension | None:
    """Find the dimension in a field's annotation, however deep in a union or tuple it stands."""
    info = model.model_fields[name]
    stack: list[Any] = [*info.metadata, info.annotation]
    while stack:
        entry = stack.pop()
        if isinstance(entry, ValueField):
            return entry.dimension
        stack.extend(getattr(entry, "__metadata__", ()))
        if not (isinstance(entry, type) and issubclass(entry, BaseModel)):
            stack.extend(getattr(entry, "__args__", ()))
        if hasattr(entry, "__origin__") and hasattr(entry, "__metadata__"):
            stack.append(entry.__origin__)
    return None
