"""Parts in plain words, for sentences that state the problem."""

from __future__ import annotations

import math

from belltone.design.parts import MemberValue, MeshValue, PartValue, PointValue, SurfaceValue
from belltone.design.values import Design
from belltone.geometry.shapes import Contour, Disc, Extruded, Plate, Polygon, Revolved, extent
from belltone.geometry.skins import Skin
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.sheet.units import format_number

__all__ = ["design_words", "part_words", "wall_words"]


def part_words(part: PartValue, shown: ShownUnits = AS_TYPED) -> str:
    """One part in shown units, such as ``600 × 400 mm plate, 3 mm thick, 1 hole``."""
    if isinstance(part, PointValue):
        return "a point in space"
    if isinstance(part, MeshValue):
        low, high = float(part.thickness.min()), float(part.thickness.max())
        thick = shown.length_text(high, 4)
        if low != high:
            thick = f"{shown.number(low, 'length', 4)} to {thick}"
        return f"mesh of {len(part.faces)} faces, {thick} thick"
    if isinstance(part, MemberValue):
        bent = "" if part.path.straight else "bent or twisted "
        kind = "rib of " if part.on is not None else ""
        return f"{shown.length_text(part.length, 5)} {bent}{kind}{part.section_words}"
    return f"{_shape(part, shown)}, {wall_words(part, shown)}"


def design_words(design: Design) -> str:
    """The whole component: its part, or how many there are of what."""
    solid = design.solid_parts
    if len(solid) == 1:
        return part_words(solid[0], design.shown)
    members = len(design.members)
    ribs = sum(part.on is not None for part in solid)
    counts = (
        (members - ribs, "member"),
        (ribs, "rib"),
        (len(solid) - members, "wall"),
    )
    return ", ".join(f"{n} {what}{'s' if n > 1 else ''}" for n, what in counts if n)


def wall_words(part: SurfaceValue, shown: ShownUnits = AS_TYPED) -> str:
    """The wall of a plate or shell: its thickness, or its plies."""
    thickness = part.thickness
    thick = f"{shown.length_text(thickness.start, 5)} thick"
    if len(part.layup.plies) > 1:
        return f"{len(part.layup.plies)} plies, {thick}"
    if thickness.along is not None:
        low = shown.number(thickness.start, "length", 5)
        return f"{low} to {shown.length_text(thickness.stop, 5)} thick"
    return thick


def _shape(part: SurfaceValue, shown: ShownUnits) -> str:
    shape = part.shape
    if isinstance(shape, Plate):
        return _plate(shape, shown)
    if isinstance(shape, Revolved):
        radius = max(max(piece.start[0], piece.stop[0]) for piece in shape.profile.segments)
        turn = "" if shape.full else f" over {format_number(math.degrees(shape.angle), 4)}°"
        return f"shell of revolution{turn}, up to {shown.length_text(2 * radius, 5)} across"
    if isinstance(shape, Skin):
        size = "face" if len(shape.names) == 1 else "faces"
        across = shown.length_text(shape.size, 5)
        return f"received skin of {len(shape.names)} {size}, {across} corner to corner"
    along, depth = (
        ("extruded shell", shape.length)
        if isinstance(shape, Extruded)
        else ("lofted shell", shape.span)
    )
    kind = "a closed" if shape.profile.closed else "an open"
    around = shown.length_text(shape.profile.length, 5)
    return f"{along} of {kind} profile {around} round, {shown.length_text(depth, 5)} long"


def _plate(shape: Plate, shown: ShownUnits) -> str:
    low, high = extent(shape.outline)
    width, height = (float(each) for each in high - low)
    size = f"{shown.number(width, 'length', 5)} × {shown.length_text(height, 5)}"
    outline = shape.outline
    if isinstance(outline, Disc):
        bore = shown.length_text(2 * outline.bore, 5)
        words = f"{shown.length_text(2 * outline.radius, 5)} "
        words += f"ring with a bore of {bore}" if outline.bore else "disc"
    elif isinstance(outline, Contour):
        words = f"plate of a contour {size}"
    else:
        sides = len(outline.corners) if isinstance(outline, Polygon) else 4
        square = not isinstance(outline, Polygon) or outline.compass
        words = f"{size} " + ("plate" if square else f"{sides}-sided plate")
    if shape.holes:
        words += f", {len(shape.holes)} hole{'s' if len(shape.holes) > 1 else ''}"
    return words
