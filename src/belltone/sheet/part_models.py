"""The parts a sheet can hold, still as text: members, plates and shells."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal

from pydantic import Discriminator, Field, Tag

from belltone.sheet.fields import (
    Angle,
    AreaMass,
    AreaValue,
    Entry,
    Length,
    LineMass,
    Name,
    Number,
    SecondMoment,
)

__all__ = [
    "OUTLINE_SHAPES",
    "PART_KINDS",
    "SECTION_SHAPES",
    "VARIANT_TAGS",
    "AnyPart",
    "ChangingThickness",
    "Disc",
    "Extruded",
    "Frame",
    "FrameMember",
    "HoleModel",
    "Lofted",
    "Member",
    "MeshPart",
    "OutlineModel",
    "Parallelogram",
    "PartModel",
    "PathPoint",
    "Placement",
    "Plate",
    "Ply",
    "Polygon",
    "ProfilePoint",
    "ReceivedPart",
    "Rectangle",
    "RectangularHole",
    "Revolved",
    "Rib",
    "Ring",
    "RoundHole",
    "RoundedRectangle",
    "Section",
    "SectionModel",
    "SkinPart",
    "SurfaceModel",
    "SurfacePoint",
    "Turned",
    "TurnedPoint",
    "Vector",
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


class Ellipse(Entry):
    """Solid ellipse, ``width`` across and ``height`` up."""

    shape: Literal["ellipse"]
    width: Length
    height: Length
    shear_factor: Number | None = None


class IProfile(Entry):
    """Two flanges of ``width`` and thickness ``flange``, a ``web`` between them; outer height."""

    shape: Literal["i profile"]
    width: Length
    height: Length
    web: Length
    flange: Length
    shear_factor: Number | None = None


class ChannelProfile(Entry):
    """A ``web`` upright, and two flanges of outer ``width`` from it to the side's direction."""

    shape: Literal["channel"]
    width: Length
    height: Length
    web: Length
    flange: Length
    shear_factor: Number | None = None


class AngleProfile(Entry):
    """Two legs of one ``wall``: outer ``width`` to the side, outer ``height`` up."""

    shape: Literal["angle"]
    width: Length
    height: Length
    wall: Length
    shear_factor: Number | None = None


class TeeProfile(Entry):
    """A flange of ``width`` and thickness ``flange`` on top, a ``web`` below; outer height."""

    shape: Literal["tee"]
    width: Length
    height: Length
    web: Length
    flange: Length
    shear_factor: Number | None = None


class ProfilePoint(Entry):
    """A corner of a profile: rounded by a ``bend``, or reached by an arc ``through`` a point."""

    at: tuple[Length, Length]
    bend: Length | None = None
    through: tuple[Length, Length] | None = None


Profile = Annotated[tuple[ProfilePoint, ...], Field(min_length=2)]


class ThinWalled(Entry):
    """An even ``wall`` along a mid-line in (side, up), open or closed."""

    shape: Literal["thin-walled"]
    profile: Profile
    closed: bool = False
    wall: Length
    shear_factor: Number | None = None


class SolidOutline(Entry):
    """Solid inside straight sides between ``points`` (side, up)."""

    shape: Literal["solid outline"]
    points: Annotated[tuple[tuple[Length, Length], ...], Field(min_length=3, max_length=120)]
    shear_factor: Number | None = None


class StatedProperties(Entry):
    """A section by its properties about its centroid; y is the side, z is up."""

    shape: Literal["properties"]
    area: AreaValue
    second_moment_y: SecondMoment
    second_moment_z: SecondMoment
    torsion_constant: SecondMoment
    shear_factor_y: Number = "5/6"
    shear_factor_z: Number = "5/6"
    product_moment: SecondMoment = "0 mm^4"
    shear_centre: tuple[Length, Length] | None = None


SectionModel = (
    SolidRectangle
    | SolidRound
    | RoundTube
    | RectangularHollow
    | Ellipse
    | IProfile
    | ChannelProfile
    | AngleProfile
    | TeeProfile
    | ThinWalled
    | SolidOutline
    | StatedProperties
)
Section = Annotated[SectionModel, Field(discriminator="shape")]
SECTION_SHAPES: Final = {
    "solid rectangle": SolidRectangle,
    "solid round": SolidRound,
    "round tube": RoundTube,
    "rectangular hollow": RectangularHollow,
    "ellipse": Ellipse,
    "i profile": IProfile,
    "channel": ChannelProfile,
    "angle": AngleProfile,
    "tee": TeeProfile,
    "thin-walled": ThinWalled,
    "solid outline": SolidOutline,
    "properties": StatedProperties,
}

Vector = tuple[Length, Length, Length]


class Placement(Entry):
    """Where a part stands: its origin, and its turns about the sheet's x, y, z in order.

    The part is turned first and moved then.
    """

    at: tuple[Length, Length, Length] | None = None
    turn: tuple[Angle, Angle, Angle] | None = None


class PathPoint(Entry):
    """A point of a path: rounded by a ``bend``, or reached by an arc ``through`` a third point."""

    at: Vector
    bend: Length | None = None
    through: Vector | None = None


class Member(Entry):
    """A member along x, between two points, or along a path; one section, or tapered to another.

    ``up`` is the direction the section's height points to at the start (global z where that is
    possible); round bends it is carried without rolling, and ``twist`` turns it evenly on the way.
    """

    kind: Literal["member"]
    material: Name
    length: Length | None = None
    start: Vector | None = Field(None, alias="from")
    stop: Vector | None = Field(None, alias="to")
    path: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=400)] | None = None
    closed: bool = False
    up: tuple[float, float, float] | None = None
    twist: Angle = "0 deg"
    section: Section
    section_at_end: Section | None = None
    mass_per_length: LineMass | None = None
    placement: Placement | None = None


class TurnedPoint(Entry):
    """A point of a turned contour: a place along the axis and the radius there.

    It is reached straight, by an arc ``through`` (along, radius), or by a neck of the least radius
    ``throat`` that follows a hyperbolic cosine.
    """

    at: Length
    radius: Length
    through: tuple[Length, Length] | None = None
    throat: Length | None = None


class Turned(Entry):
    """A solid of revolution about x: its contour from the first point on, and a ``bore``."""

    kind: Literal["turned"]
    material: Name
    contour: Annotated[tuple[TurnedPoint, ...], Field(min_length=2)]
    bore: Length | None = None
    mass_per_length: LineMass | None = None
    placement: Placement | None = None


class FrameMember(Entry):
    """A straight member between two nodes; what it leaves out is the frame's.

    ``hinged`` ends turn freely, but do not roll about the member.
    """

    start: Name = Field(alias="from")
    stop: Name = Field(alias="to")
    section: Section | None = None
    material: Name | None = None
    up: tuple[float, float, float] | None = None
    hinged: tuple[Literal["start", "end"], ...] = ()
    mass_per_length: LineMass | None = None


class Frame(Entry):
    """Straight members between named nodes.

    Ends that meet within ``tolerance`` are welded, and so is an end that meets another member on
    its way; what comes near without meeting is reported.
    """

    kind: Literal["frame"]
    material: Name
    section: Section
    tolerance: Length = "1 mm"
    nodes: Annotated[dict[str, Vector], Field(min_length=2)]
    members: Annotated[dict[str, FrameMember], Field(min_length=1)]
    placement: Placement | None = None


class SurfacePoint(Entry):
    """A point of a plate or shell in its own coordinates.

    On a plate ``at`` (x, y); on shells a distance along the ``profile`` with one ``along`` the
    length or span, or ``around`` the axis.
    """

    at: tuple[Length, Length] | None = None
    profile: Length | None = None
    along: Length | None = None
    around: Angle | None = None


class Rib(Entry):
    """A member laid on a plate or shell from one point of it to another, welded all along.

    It stands on the ``outer`` face (the one the normal points out of) or the ``inner`` one, unless
    ``offset`` says how far its centroid is from the middle of the wall. Its height points out of
    the wall.
    """

    kind: Literal["rib"]
    on: Name
    material: Name
    start: SurfacePoint = Field(alias="from")
    stop: SurfacePoint = Field(alias="to")
    section: Section
    side: Literal["outer", "inner"] = "outer"
    offset: Length | None = None
    mass_per_length: LineMass | None = None


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
    points: Annotated[tuple[tuple[Length, Length], ...], Field(min_length=3, max_length=150)]


class Contour(Entry):
    """Lines and arcs through ``points`` (x, y), counter-clockwise or clockwise, closed.

    A point may be rounded by a ``bend``, or reached by an arc ``through`` another point.
    """

    shape: Literal["contour"]
    points: Annotated[tuple[ProfilePoint, ...], Field(min_length=2, max_length=150)]


OutlineModel = Rectangle | RoundedRectangle | Disc | Ring | Parallelogram | Polygon | Contour
OUTLINE_SHAPES: Final = {
    "rectangle": Rectangle,
    "rounded rectangle": RoundedRectangle,
    "disc": Disc,
    "ring": Ring,
    "parallelogram": Parallelogram,
    "polygon": Polygon,
    "contour": Contour,
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


class ContourHole(Entry):
    """A hole of lines and arcs through ``points``, from its own origin ``at`` (x, y)."""

    name: Name
    shape: Literal["contour"]
    at: tuple[Length, Length] = ("0 mm", "0 mm")
    points: Annotated[tuple[ProfilePoint, ...], Field(min_length=2, max_length=150)]


HoleModel = RoundHole | RectangularHole | ContourHole


class Plate(_Surface):
    """A flat wall in its own x-y plane, with holes."""

    kind: Literal["plate"]
    outline: Annotated[OutlineModel, Field(discriminator="shape")]
    holes: Annotated[
        tuple[Annotated[HoleModel, Field(discriminator="shape")], ...], Field(max_length=60)
    ] = ()


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


class RegionWall(Entry):
    """What one region of a mesh is made of; what it leaves out is the mesh's."""

    thickness: Length | None = None
    material: Name | None = None


class MeshPart(Entry):
    """A mesh read from a ``file`` beside the sheet; ``unit`` is the length its numbers are in.

    Triangles and quadrilaterals become walls about the faces. ``regions`` by the names or numbers
    the file gives them, or those of the data it calls ``regions_by``. Nodes of free edges as near
    as ``sew`` become one; faces of a mesh too fine to be solved are made as large as ``coarser``.
    """

    kind: Literal["mesh"]
    file: Annotated[str, Field(min_length=1)]
    unit: Literal["mm", "cm", "m", "in"]
    material: Name
    thickness: Length
    regions_by: Name | None = None
    sew: Length | None = None
    coarser: Length | None = None
    regions: dict[str, RegionWall] = Field(default_factory=dict)
    placement: Placement | None = None


class SkinRegion(Entry):
    """How thick the wall under one face of a skin is."""

    thickness: Length


class SkinHole(Entry):
    """How wide a round hole in a flat face of a skin is, in place of what the file has."""

    diameter: Length


class SkinPart(Entry):
    """The walls of a body in a CAD ``file`` (STEP, IGES or BREP) beside the sheet.

    ``body`` and ``piece`` count what is in the file. The outer faces stay where the file has them;
    the wall lies within, as thick as measured, or of the ``thickness`` stated, for all or by face
    in ``regions``. ``holes`` gives round holes in flat faces another ``diameter``.
    """

    kind: Literal["skin"]
    file: Annotated[str, Field(min_length=1)]
    body: Annotated[int, Field(ge=1)] = 1
    piece: Annotated[int, Field(ge=1)] = 1
    material: Name
    thickness: Length | None = None
    regions: dict[str, SkinRegion] = Field(default_factory=dict)
    holes: dict[str, SkinHole] = Field(default_factory=dict)
    mass_per_area: AreaMass | None = None
    placement: Placement | None = None


SurfaceModel = Plate | Revolved | Extruded | Lofted
ReceivedPart = MeshPart | SkinPart
"""Parts read from a file beside the sheet."""
AnyPart = Member | Turned | Frame | Rib | MeshPart | SkinPart | SurfaceModel
PartModel = Annotated[AnyPart, Field(discriminator="kind")]
PART_KINDS: Final = {
    "member": Member,
    "turned": Turned,
    "frame": Frame,
    "rib": Rib,
    "mesh": MeshPart,
    "skin": SkinPart,
    "plate": Plate,
    "revolved": Revolved,
    "extruded": Extruded,
    "lofted": Lofted,
}
VARIANT_TAGS: Final = frozenset(
    (*SECTION_SHAPES, *OUTLINE_SHAPES, *PART_KINDS, "round", "rectangular", "even", "changing")
)
"""Names of variants, which stand in a validator's path without being keys of the file."""
