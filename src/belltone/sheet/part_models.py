"""The parts a sheet can hold, still as text: members, plates and shells."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal

from pydantic import Discriminator, Field, Tag

from belltone.sheet.fields import Angle, AreaMass, Entry, Length, Name, Number

__all__ = [
    "OUTLINE_SHAPES",
    "PART_KINDS",
    "SECTION_SHAPES",
    "VARIANT_TAGS",
    "ChangingThickness",
    "Disc",
    "Extruded",
    "HoleModel",
    "Lofted",
    "Member",
    "OutlineModel",
    "Parallelogram",
    "PartModel",
    "Placement",
    "Plate",
    "Ply",
    "Polygon",
    "ProfilePoint",
    "Rectangle",
    "RectangularHole",
    "Revolved",
    "Ring",
    "RoundHole",
    "RoundedRectangle",
    "Section",
    "SectionModel",
    "SurfaceModel",
]


class SolidRectangle(Entry):
    """Solid rectangle, ``width`` across and ``height`` up."""

    shape: Literal["solid rectangle"]
    width: Length
    height: Length
    shear_factor: Number | None = None


class SolidRound(Entry):
    """Solid circle."""

    shape: Literal["solid round"]
    diameter: Length
    shear_factor: Number | None = None


class RoundTube(Entry):
    """Circular ring of outer ``diameter`` and ``wall``."""

    shape: Literal["round tube"]
    diameter: Length
    wall: Length
    shear_factor: Number | None = None


class RectangularHollow(Entry):
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


class Member(Entry):
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


class Placement(Entry):
    """Where a plate or shell stands: its origin, and its turns about the sheet's x, y, z in order.

    The part is turned first and moved then.
    """

    at: tuple[Length, Length, Length] | None = None
    turn: tuple[Angle, Angle, Angle] | None = None


class ChangingThickness(Entry):
    """Thickness that changes evenly along one of the part's coordinates."""

    start: Length = Field(alias="from")
    stop: Length = Field(alias="to")
    along: Literal["x", "y", "profile", "around", "along"]


class Ply(Entry):
    """One ply, from the inner face outwards; ``angle`` from the part's first direction.

    The first direction is x on plates and extruded shells, the meridian on shells of revolution,
    the span on lofted ones.
    """

    material: Name
    thickness: Length
    angle: Angle = "0 deg"


def _thickness_tag(value: Any) -> str:
    return "changing" if isinstance(value, dict | ChangingThickness) else "even"


Thickness = Annotated[
    Annotated[Length, Tag("even")] | Annotated[ChangingThickness, Tag("changing")],
    Discriminator(_thickness_tag),
]


class _Surface(Entry):
    """What plates and shells have in common."""

    material: Name | None = None
    thickness: Thickness | None = None
    plies: Annotated[tuple[Ply, ...], Field(min_length=1, max_length=200)] | None = None
    face: Literal["middle", "inner", "outer"] = "middle"
    mass_per_area: AreaMass | None = None
    shear_factor: Number | None = None
    placement: Placement | None = None


class Rectangle(Entry):
    """Rectangle about the part's origin, ``width`` along x and ``height`` along y."""

    shape: Literal["rectangle"]
    width: Length
    height: Length


class RoundedRectangle(Entry):
    """Rectangle with round corners of one ``radius``."""

    shape: Literal["rounded rectangle"]
    width: Length
    height: Length
    radius: Length


class Disc(Entry):
    """Circle about the part's origin."""

    shape: Literal["disc"]
    diameter: Length


class Ring(Entry):
    """Disc with a round ``bore`` in its middle."""

    shape: Literal["ring"]
    diameter: Length
    bore: Length


class Parallelogram(Entry):
    """Parallelogram about the origin: ``width`` along x, ``side`` at an ``angle`` from x."""

    shape: Literal["parallelogram"]
    width: Length
    side: Length
    angle: Angle


class Polygon(Entry):
    """Straight sides between ``points`` (x, y), listed counter-clockwise or clockwise."""

    shape: Literal["polygon"]
    points: Annotated[tuple[tuple[Length, Length], ...], Field(min_length=3)]


OutlineModel = Rectangle | RoundedRectangle | Disc | Ring | Parallelogram | Polygon
OUTLINE_SHAPES: Final = {
    "rectangle": Rectangle,
    "rounded rectangle": RoundedRectangle,
    "disc": Disc,
    "ring": Ring,
    "parallelogram": Parallelogram,
    "polygon": Polygon,
}


class RoundHole(Entry):
    """Circular hole about a point (x, y) of the plate."""

    name: Name
    shape: Literal["round"]
    at: tuple[Length, Length]
    diameter: Length


class RectangularHole(Entry):
    """Rectangular hole about a point (x, y) of the plate, ``turned`` from x."""

    name: Name
    shape: Literal["rectangular"]
    at: tuple[Length, Length]
    width: Length
    height: Length
    turned: Angle = "0 deg"


HoleModel = RoundHole | RectangularHole


class Plate(_Surface):
    """A flat wall in its own x-y plane, with holes."""

    kind: Literal["plate"]
    outline: Annotated[OutlineModel, Field(discriminator="shape")]
    holes: tuple[Annotated[HoleModel, Field(discriminator="shape")], ...] = ()


class ProfilePoint(Entry):
    """A corner of a profile: rounded by a ``bend``, or reached by an arc ``through`` a point."""

    at: tuple[Length, Length]
    bend: Length | None = None
    through: tuple[Length, Length] | None = None


Profile = Annotated[tuple[ProfilePoint, ...], Field(min_length=2)]


class Revolved(_Surface):
    """A profile of (radius, z) turned about the part's z, from x towards y."""

    kind: Literal["revolved"]
    profile: Profile
    closed: bool = False
    turn: Angle = "360 deg"


class Extruded(_Surface):
    """A profile of (y, z) drawn along the part's x."""

    kind: Literal["extruded"]
    profile: Profile
    closed: bool = False
    length: Length


class Lofted(_Surface):
    """A wall from one profile of (y, z) to another, ``span`` apart along the part's x.

    On the way the profile turns by ``twist``, shrinks to the share ``taper``, and moves by
    ``sweep`` (y, z), all evenly.
    """

    kind: Literal["lofted"]
    profile: Profile
    profile_at_end: Profile | None = None
    closed: bool = False
    span: Length
    twist: Angle = "0 deg"
    taper: Number = "1"
    sweep: tuple[Length, Length] | None = None


SurfaceModel = Plate | Revolved | Extruded | Lofted
PartModel = Annotated[Member | SurfaceModel, Field(discriminator="kind")]
PART_KINDS: Final = {
    "member": Member,
    "plate": Plate,
    "revolved": Revolved,
    "extruded": Extruded,
    "lofted": Lofted,
}
VARIANT_TAGS: Final = frozenset(
    (*SECTION_SHAPES, *OUTLINE_SHAPES, *PART_KINDS, "round", "rectangular", "even", "changing")
)
"""Names of variants, which stand in a validator's path without being keys of the file."""
