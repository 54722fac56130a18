"""The shape of a sheet: which keys there are and what each one holds, still as text.

Values that measure something stay the text their author wrote; `evaluate` turns them into
numbers. The models are frozen, so a sheet is a value; the published schema is made from them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, WithJsonSchema

from belltone.sheet.errors import Path
from belltone.sheet.units import DIMENSIONS, Dimension

__all__ = [
    "FORMAT_VERSION",
    "HOLD_WORDS",
    "SECTION_SHAPES",
    "Accuracy",
    "Band",
    "Content",
    "Excitation",
    "Knob",
    "Mass",
    "Material",
    "Member",
    "Modes",
    "Point",
    "Section",
    "SectionModel",
    "Source",
    "Support",
    "ValueField",
    "value_fields",
]

FORMAT_VERSION: Final = 1

Direction = Literal["x", "y", "z", "turn x", "turn y", "turn z"]
HoldWord = Literal["clamped", "pinned", "guided", "free"]
HOLD_WORDS: Final[tuple[HoldWord, ...]] = ("clamped", "pinned", "guided", "free")


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
Density = Annotated[
    str, BeforeValidator(_text), _schema("density"), ValueField(DIMENSIONS["density"])
]
Stress = Annotated[str, _TEXT, _schema("stress"), _field("stress")]
Frequency = Annotated[
    str, BeforeValidator(_text), _schema("frequency"), ValueField(DIMENSIONS["frequency"])
]
Speed = Annotated[str, _TEXT, _schema("speed"), _field("speed")]
Inertia = Annotated[
    str,
    BeforeValidator(_text),
    _schema("moment of inertia"),
    ValueField(DIMENSIONS["moment of inertia"]),
]
Share = Annotated[str, _TEXT, _schema("share"), _field("share")]
Stiffness = Annotated[str, _TEXT, _schema("stiffness"), _field("stiffness")]
TurningStiffness = Annotated[str, _TEXT, _schema("turning stiffness"), _field("turning stiffness")]
Number = Annotated[str, _TEXT, _schema("number"), _field("number")]
AnyValue = Annotated[str, _TEXT]
Name = Annotated[str, Field(min_length=1, max_length=80)]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True)


class Knob(_Part):
    """A named value other values may use; the one thing a sweep or a reach turns."""

    value: AnyValue
    start: AnyValue | None = Field(None, alias="from")
    stop: AnyValue | None = Field(None, alias="to")
    note: str = ""


class Material(_Part):
    """An isotropic material."""

    density: Density
    youngs_modulus: Stress
    poisson_ratio: Number
    note: str = ""


class SolidRectangle(_Part):
    """Solid rectangle, ``width`` across and ``height`` up."""

    shape: Literal["solid rectangle"]
    width: Length
    height: Length
    shear_factor: Number | None = None


class SolidRound(_Part):
    """Solid circle."""

    shape: Literal["solid round"]
    diameter: Length
    shear_factor: Number | None = None


class RoundTube(_Part):
    """Circular ring of outer ``diameter`` and ``wall``."""

    shape: Literal["round tube"]
    diameter: Length
    wall: Length
    shear_factor: Number | None = None


class RectangularHollow(_Part):
    """Rectangular hollow section of outer ``width`` and ``height`` and even ``wall``."""

    shape: Literal["rectangular hollow"]
    width: Length
    height: Length
    wall: Length
    shear_factor: Number | None = None


SectionModel = SolidRectangle | SolidRound | RoundTube | RectangularHollow
Section = Annotated[SectionModel, Field(discriminator="shape")]
SECTION_SHAPES: Final = {
    "solid rectangle": SolidRectangle,
    "solid round": SolidRound,
    "round tube": RoundTube,
    "rectangular hollow": RectangularHollow,
}


class Member(_Part):
    """A straight member: a length along x, or two points; a section, tapered to another if given.

    ``up`` is the direction the section's height points to (global z where that is possible).
    """

    kind: Literal["member"]
    material: Name
    length: Length | None = None
    start: tuple[Length, Length, Length] | None = Field(None, alias="from")
    stop: tuple[Length, Length, Length] | None = Field(None, alias="to")
    up: tuple[float, float, float] | None = None
    section: Section
    section_at_end: Section | None = None


class Point(_Part):
    """A named point on a member, ``along`` its axis from the start."""

    part: Name
    along: Length


class Springs(_Part):
    """Stiffness against sliding along x, y, z."""

    x: Stiffness | None = None
    y: Stiffness | None = None
    z: Stiffness | None = None


class TurningSprings(_Part):
    """Stiffness against turning about x, y, z."""

    x: TurningStiffness | None = None
    y: TurningStiffness | None = None
    z: TurningStiffness | None = None


class Support(_Part):
    """What a site is held by: a word for the usual cases, a list of directions, springs.

    Words go by the member's own axes; directions and springs by the sheet's axes unless
    ``axes = "own"``.
    """

    site: Name
    hold: HoldWord | Annotated[tuple[Direction, ...], Field(min_length=1)] = "free"
    springs: Springs | None = None
    turning_springs: TurningSprings | None = None
    axes: Literal["own", "sheet"] | None = None
    name: str = ""


class Mass(_Part):
    """A rigid body hung on a site: mass, inertia about its own centre, centre from the site."""

    site: Name
    mass: MassValue
    inertia: Inertia | tuple[Inertia, Inertia, Inertia] | None = None
    offset: tuple[Length, Length, Length] | None = None
    name: str = ""


class Band(_Part):
    """A fixed band of excitation."""

    name: Name
    start: Frequency = Field(alias="from")
    stop: Frequency = Field(alias="to")


class Source(_Part):
    """Something that turns: it excites at every order of its speed or speed range."""

    name: Name
    speed: Speed | tuple[Speed, Speed]
    orders: Annotated[tuple[Annotated[float, Field(gt=0)], ...], Field(min_length=1)] = (1.0,)


class Excitation(_Part):
    """What shakes the component, and how far from it every mode must stay."""

    margin: Share = "10 %"
    bands: tuple[Band, ...] = ()
    sources: tuple[Source, ...] = ()


class Accuracy(_Part):
    """The largest error allowed in any frequency; or, an expert's choice, divisions and order.

    ``divisions`` counts the elements between neighbouring sites. Errors are told either way.
    """

    target: Share = "0.5 %"
    divisions: Annotated[int, Field(ge=1, le=200)] | None = None
    order: Annotated[int, Field(ge=3, le=8)] | None = None


class Modes(_Part):
    """Which modes are wanted; those up to the highest excitation are found in any case."""

    count: Annotated[int, Field(ge=1, le=200)] = 12
    up_to: Frequency | None = None
    free: bool = False


class Content(_Part):
    """A whole sheet."""

    belltone: Literal[1]
    title: str = ""
    note: str = ""
    knobs: dict[str, Knob] = Field(default_factory=dict)
    materials: dict[str, Material] = Field(default_factory=dict)
    parts: Annotated[dict[str, Member], Field(min_length=1)]
    sites: dict[str, Point] = Field(default_factory=dict)
    supports: tuple[Support, ...] = ()
    masses: tuple[Mass, ...] = ()
    excitation: Excitation = Field(default_factory=Excitation)
    accuracy: Accuracy = Field(default_factory=Accuracy)
    modes: Modes = Field(default_factory=Modes)


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
