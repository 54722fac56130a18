"""The shape of a sheet: which keys there are and what each one holds, still as text.

Values that measure something stay the text their author wrote; `evaluate` turns them into
numbers. The models are frozen, so a sheet is a value; the published schema is made from them.
"""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal, get_args

from pydantic import Discriminator, Field, Tag

from belltone.sheet.fields import (
    Angle,
    AnyValue,
    Density,
    Entry,
    Expansion,
    Frequency,
    Inertia,
    Length,
    MassValue,
    Name,
    Number,
    Share,
    Speed,
    Stiffness,
    Stress,
    TurningStiffness,
)
from belltone.sheet.part_models import PartModel, Vector
from belltone.sheet.preload_models import Preload
from belltone.sheet.shown_units import ShownUnits

__all__ = [
    "FORMAT_VERSION",
    "HOLD_WORDS",
    "REPORT_PARTS",
    "Accuracy",
    "Band",
    "Content",
    "Excitation",
    "Joint",
    "Knob",
    "Mass",
    "Material",
    "Measured",
    "Modes",
    "Pattern",
    "PlyMaterial",
    "Point",
    "Report",
    "ReportPart",
    "ShownIn",
    "Source",
    "Support",
]

FORMAT_VERSION: Final = 1

Direction = Literal["x", "y", "z", "turn x", "turn y", "turn z"]
HoldWord = Literal["clamped", "pinned", "simply supported", "diaphragm", "guided", "free"]
HOLD_WORDS: Final[tuple[HoldWord, ...]] = (
    "clamped",
    "pinned",
    "simply supported",
    "diaphragm",
    "guided",
    "free",
)


class Knob(Entry):
    """A named value other values may use; the one thing a sweep or a reach turns.

    It can be had at every value between ``from`` and ``to``, or in a ``step``, or as what is in
    ``stock``. It is made within a ``tolerance`` to both sides, or with a standard ``deviation``;
    both may be shares of the value, such as “5 %”.
    """

    value: AnyValue
    start: AnyValue | None = Field(None, alias="from")
    stop: AnyValue | None = Field(None, alias="to")
    step: AnyValue | None = None
    stock: tuple[AnyValue, ...] = ()
    tolerance: AnyValue | None = None
    deviation: AnyValue | None = None
    note: str = ""


class Material(Entry):
    """An isotropic material."""

    density: Density
    youngs_modulus: Stress
    poisson_ratio: Number
    expansion: Expansion | None = None
    note: str = ""


class PlyMaterial(Entry):
    """An orthotropic material of plies; "along" and "across" go by its fibres.

    ``poisson_ratio`` is the contraction across the fibres for a pull along them; the shear
    moduli are those in the ply's plane, and through its thickness along and across the fibres.
    """

    density: Density
    modulus_along: Stress
    modulus_across: Stress
    poisson_ratio: Number
    shear_in_plane: Stress
    shear_along: Stress
    shear_across: Stress
    expansion_along: Expansion | None = None
    expansion_across: Expansion | None = None
    note: str = ""


def _material_tag(value: Any) -> str:
    keys = value if isinstance(value, dict) else type(value).model_fields
    return "ply" if "modulus_along" in keys else "isotropic"


AnyMaterial = Annotated[
    Annotated[Material, Tag("isotropic")] | Annotated[PlyMaterial, Tag("ply")],
    Discriminator(_material_tag),
]


class Point(Entry):
    """A named point of a part, in the part's own coordinates; or a point in space.

    On a member ``along`` its axis from the start; on a plate ``at`` (x, y); on shells a distance
    along the ``profile`` with one ``along`` the length or span, or ``around`` the axis; on a mesh
    ``near`` a place in the sheet's axes. Instead of a part: a ``position`` in the sheet's axes and
    a site it is rigidly ``linked_to``.
    """

    part: Name | None = None
    position: Vector | None = None
    linked_to: Name | None = None
    along: Length | None = None
    at: tuple[Length, Length] | None = None
    profile: Length | None = None
    around: Angle | None = None
    near: Vector | None = None


class Springs(Entry):
    """Stiffness against sliding along x, y, z."""

    x: Stiffness | None = None
    y: Stiffness | None = None
    z: Stiffness | None = None


class TurningSprings(Entry):
    """Stiffness against turning about x, y, z."""

    x: TurningStiffness | None = None
    y: TurningStiffness | None = None
    z: TurningStiffness | None = None


class Support(Entry):
    """What a site is held by: a word for the usual cases, a list of directions, springs.

    Words go by the site's own axes; directions and springs by the sheet's axes unless
    ``axes = "own"``. A member's own axes are along it, its side and its up; an edge's run along it,
    out of the wall, and along the wall's normal. Springs on an edge or a face are the whole
    site's, spread evenly.
    """

    site: Name
    hold: HoldWord | Annotated[tuple[Direction, ...], Field(min_length=1)] = "free"
    springs: Springs | None = None
    turning_springs: TurningSprings | None = None
    axes: Literal["own", "sheet"] | None = None
    name: str = ""


class Joint(Entry):
    """What is between two parts, or two sites, that touch.

    ``welded`` along all that touches; ``hinged`` about an ``axis``, or about the edge the joint
    runs along, or freely at a point; at ``spots`` (points of either part) of a ``radius``;
    ``sprung`` by springs for the whole joint, holding nothing but what ``hold`` lists; or ``none``.
    They meet where the open gap is within ``tolerance``.
    """

    between: tuple[Name, Name]
    how: Literal["welded", "hinged", "spots", "sprung", "none"]
    axis: Literal["x", "y", "z"] | tuple[float, float, float] | None = None
    spots: tuple[Name, ...] = ()
    radius: Length | None = None
    springs: Springs | None = None
    turning_springs: TurningSprings | None = None
    hold: tuple[Direction, ...] = ()
    axes: Literal["own", "sheet"] = "sheet"
    tolerance: Length = "1 mm"
    name: str = ""


class Pattern(Entry):
    """Copies of a part, a rib, a hole (“plate.hole”) or a named mass; ``count`` with the first.

    In a row every ``step``; round an axis through ``angle`` in all (a full turn is shared evenly);
    or mirrored. Parts go by the sheet's axes, everything on a surface by the surface's own
    coordinates. What joins the first to other parts joins the copies likewise.
    """

    of: Name
    count: Number = "2"
    step: tuple[Length, ...] | None = None
    about: Literal["x", "y", "z"] | None = None
    angle: Angle = "360 deg"
    mirror: Literal["x", "y", "z"] | None = None
    through: tuple[Length, ...] | None = None


class Mass(Entry):
    """A rigid body hung on a site: mass, inertia about its own centre, centre from the site.

    On an edge or a face it is one rigid body that moves the whole site as one, unless ``spread``
    is ``even``: then the mass lies along the site like sand and stiffens nothing.
    """

    site: Name
    mass: MassValue
    inertia: Inertia | tuple[Inertia, Inertia, Inertia] | None = None
    offset: tuple[Length, Length, Length] | None = None
    spread: Literal["rigid", "even"] = "rigid"
    name: str = ""


class Band(Entry):
    """A fixed band of excitation; modes whose kind begins with one of ``spares`` may be in it.

    So may, where it shakes ``along`` an axis, those whose effective mass along it is less than
    ``least`` of the whole.
    """

    name: Name
    start: Frequency = Field(alias="from")
    stop: Frequency = Field(alias="to")
    spares: tuple[str, ...] = ()
    along: Literal["x", "y", "z"] | None = None
    least: Share = "1 %"


class Source(Entry):
    """Something that turns: it excites at every order of its speed or speed range.

    Modes whose kind begins with one of ``spares`` it does not shake, nor, where it shakes ``along``
    an axis, those whose effective mass along it is less than ``least`` of the whole.
    """

    name: Name
    speed: Speed | tuple[Speed, Speed]
    orders: Annotated[tuple[Annotated[float, Field(gt=0)], ...], Field(min_length=1)] = (1.0,)
    spares: tuple[str, ...] = ()
    along: Literal["x", "y", "z"] | None = None
    least: Share = "1 %"


class ModeOf(Entry):
    """A mode by what it does: the ``place``-th, from the lowest, of those whose kind begins so.

    Without a ``kind`` of all.
    """

    kind: str = ""
    place: Annotated[int, Field(ge=1, le=200)] = 1


class Target(Entry):
    """Where a mode is to stand: at a ``frequency``, or so many ``times`` the frequency of another.

    It may be off by a frequency ``within``, else by a share ``tolerance``. ``apart`` is the share
    by which every other mode keeps away from where it stands.
    """

    mode: ModeOf = Field(default_factory=ModeOf)
    frequency: Frequency | None = None
    times: Number | None = None
    of: ModeOf | None = None
    within: Frequency | None = None
    tolerance: Share = "0.1 %"
    apart: Share | None = None
    name: str = ""


class Excitation(Entry):
    """What shakes the component, and how far from it every mode must stay."""

    margin: Share = "10 %"
    bands: tuple[Band, ...] = ()
    sources: tuple[Source, ...] = ()


class Accuracy(Entry):
    """The largest error allowed in any frequency; or, an expert's choice, divisions and order.

    ``divisions`` counts a member's elements between neighbouring sites, and multiplies those of a
    plate or shell. Errors are told either way.
    """

    target: Share = "0.5 %"
    divisions: Annotated[int, Field(ge=1, le=200)] | None = None
    order: Annotated[int, Field(ge=1, le=8)] | None = None


class Modes(Entry):
    """Which modes are wanted: the lowest, all up to a frequency, or those in a window.

    Those up to the highest excitation are found in any case, unless a window is given with
    ``above``: then the modes from there up to ``up_to`` are found, or ``count`` of them.
    """

    count: Annotated[int, Field(ge=1, le=200)] = 12
    above: Frequency | None = None
    up_to: Frequency | None = None
    free: bool = False


class MeasuredMode(Entry):
    """A natural frequency that was measured, with the ``kind`` of its mode where that is known.

    Or the ``mode`` it belongs to, by its number.
    """

    frequency: Frequency
    kind: str = ""
    mode: Annotated[int, Field(ge=1, le=200)] | None = None
    note: str = ""


class Measured(Entry):
    """What was measured: frequencies listed here, or read from a ``file`` beside the sheet.

    They are matched to modes by ``shape`` where points were measured, else by the ``kind`` said of
    them, else by their ``order``.
    """

    file: str | None = None
    modes: tuple[MeasuredMode, ...] = ()
    match: Literal["shape", "kind", "order"] | None = None


ReportPart = Literal[
    "component",
    "excitation",
    "verdict",
    "modes",
    "shapes",
    "one knob",
    "two knobs",
    "variants",
    "preload",
    "by hand",
    "measured",
    "proposal",
    "tolerances",
    "grounds",
]
REPORT_PARTS: Final[tuple[ReportPart, ...]] = get_args(ReportPart)


class Report(Entry):
    """What a report of the sheet holds, and who made it.

    ``knobs`` are those of its maps: the first of one knob, both of two. Without ``contents``
    it holds what is there and quickly found; without ``variants`` all that are pinned.
    """

    contents: tuple[ReportPart, ...] | None = None
    knobs: tuple[Name, ...] = ()
    variants: tuple[Name, ...] | None = None
    author: str = ""
    note: str = ""


class ShownIn(Entry):
    """The units values are shown in, where they are not shown as they were typed."""

    length: Literal["mm", "in"] | None = None
    frequency: Literal["Hz", "rpm"] | None = None
    mass: Literal["kg", "lb"] | None = None


class Content(Entry):
    """A whole sheet."""

    belltone: Literal[1]
    title: str = ""
    note: str = ""
    knobs: dict[str, Knob] = Field(default_factory=dict)
    materials: dict[str, AnyMaterial] = Field(default_factory=dict)
    parts: Annotated[dict[str, PartModel], Field(min_length=1)]
    sites: dict[str, Point] = Field(default_factory=dict)
    joints: tuple[Joint, ...] = ()
    patterns: tuple[Pattern, ...] = ()
    supports: tuple[Support, ...] = ()
    masses: tuple[Mass, ...] = ()
    preload: Preload | None = None
    excitation: Excitation = Field(default_factory=Excitation)
    targets: tuple[Target, ...] = ()
    accuracy: Accuracy = Field(default_factory=Accuracy)
    modes: Modes = Field(default_factory=Modes)
    measured: Measured | None = None
    report: Report = Field(default_factory=Report)
    shown_in: ShownIn = Field(default_factory=ShownIn)

    @property
    def shown_units(self) -> ShownUnits:
        """The units to show values in."""
        chosen = self.shown_in
        return ShownUnits(chosen.length or "", chosen.frequency or "", chosen.mass or "")

    def free_site(self, stem: str) -> str:
        """A name for a new point: the stem with the first number that is free."""
        number = 1
        while f"{stem}_{number}" in self.sites:
            number += 1
        return f"{stem}_{number}"
