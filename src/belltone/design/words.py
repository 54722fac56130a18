"""Parts in plain words, for sentences that state the problem."""

from __future__ import annotations

import math

from belltone.design.parts import MemberValue, MeshValue, PartValue, PointValue, SurfaceValue
from belltone.design.values import Design
from belltone.geometry.shapes import Contour, Disc, Extruded, Plate, Polygon, Revolved, extent
from belltone.geometry.skins import Skin
from belltone.sheet.units import format_number

__all__ = ["design_words", "part_words", "wall_words"]


def part_words(part: PartValue) -> str:
    """One part, such as ``600 × 400 mm plate, 3 mm thick, 1 hole``."""
    if isinstance(part, PointValue):
        return "a point in space"
    if isinstance(part, MeshValue):
        low, high = 1e3 * part.thickness.min(), 1e3 * part.thickness.max()
        thick = format_number(low, 4) + ("" if low == high else f" to {format_number(high, 4)}")
        return f"mesh of {len(part.faces)} faces, {thick} mm thick"
    if isinstance(part, MemberValue):
        bent = "" if part.path.straight else "bent or twisted "
        kind = "rib of " if part.on is not None else ""
        return f"{_mm(part.length)} mm {bent}{kind}{part.section_words}"
    return f"{_shape(part)}, {wall_words(part)}"


def design_words(design: Design) -> str:
    """The whole component: its part, or how many there are of what."""
    solid = design.solid_parts
    if len(solid) == 1:
        return part_words(solid[0])
    members = [part for part in solid if isinstance(part, MemberValue)]
    ribs = sum(part.on is not None for part in members)
    counts = (
        (len(members) - ribs, "member"),
        (ribs, "rib"),
        (len(solid) - len(members), "wall"),
    )
    return ", ".join(f"{n} {what}{'s' if n > 1 else ''}" for n, what in counts if n)


def wall_words(part: SurfaceValue) -> str:
    """The wall of a plate or shell: its thickness, or its plies."""
    thickness = part.thickness
    if len(part.layup.plies) > 1:
        return f"{len(part.layup.plies)} plies, {_mm(thickness.start)} mm thick"
    if thickness.along is not None:
        return f"{_mm(thickness.start)} to {_mm(thickness.stop)} mm thick"
    return f"{_mm(thickness.start)} mm thick"


def _shape(part: SurfaceValue) -> str:
    shape = part.shape
    if isinstance(shape, Plate):
        return _plate(shape)
    if isinstance(shape, Revolved):
        radius = max(max(piece.start[0], piece.stop[0]) for piece in shape.profile.segments)
        turn = "" if shape.full else f" over {format_number(math.degrees(shape.angle), 4)}°"
        return f"shell of revolution{turn}, up to {_mm(2 * radius)} mm across"
    if isinstance(shape, Skin):
        size = "face" if len(shape.names) == 1 else "faces"
        return f"received skin of {len(shape.names)} {size}, {_mm(shape.size)} mm corner to corner"
    along, depth = (
        ("extruded shell", shape.length)
        if isinstance(shape, Extruded)
        else ("lofted shell", shape.span)
    )
    kind = "a closed" if shape.profile.closed else "an open"
    return f"{along} of {kind} profile {_mm(shape.profile.length)} mm round, {_mm(depth)} mm long"


def _plate(shape: Plate) -> str:
    low, high = extent(shape.outline)
    width, height = high - low
    outline = shape.outline
    if isinstance(outline, Disc):
        words = f"{_mm(2 * outline.radius)} mm "
        words += f"ring with a bore of {_mm(2 * outline.bore)} mm" if outline.bore else "disc"
    elif isinstance(outline, Contour):
        words = f"plate of a contour {_mm(width)} × {_mm(height)} mm"
    else:
        sides = len(outline.corners) if isinstance(outline, Polygon) else 4
        square = not isinstance(outline, Polygon) or outline.compass
        words = f"{_mm(width)} × {_mm(height)} mm " + (
            "plate" if square else f"{sides}-sided plate"
        )
    if shape.holes:
        words += f", {len(shape.holes)} hole{'s' if len(shape.holes) > 1 else ''}"
    return words


def _mm(length: float) -> str:
    return format_number(1e3 * length, 5)
