"""Plates and shells of a sheet worked out: shapes, walls, placement."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue, ThicknessValue
from belltone.geometry.features import shape_features
from belltone.geometry.outlines import closed_line, plate_problems
from belltone.geometry.profiles import Arc, Line, Profile
from belltone.geometry.shapes import (
    FULL_TURN,
    Contour,
    ContourHole,
    Disc,
    Extruded,
    Hole,
    Lofted,
    Outline,
    Plate,
    Polygon,
    RectangularHole,
    Revolved,
    RoundedRectangle,
    RoundHole,
    SurfaceShape,
)
from belltone.reading.materials import wall_material
from belltone.reading.numbers import Values
from belltone.reading.patterns import PlaneCopy
from belltone.reading.placement import read_placement
from belltone.reading.sections import read_profile
from belltone.sections.layups import LayupValue, PlyValue
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path

__all__ = ["SurfaceReader"]

Array = NDArray[np.float64]

_FLAT: Final = 1e-9  # breadth next to length; less is a line
_DIRECTIONS: Final = {
    "plate": ("x", "y"),
    "revolved": ("profile", "around"),
    "extruded": ("profile", "along"),
    "lofted": ("profile", "along"),
}


@dataclass
class SurfaceReader:
    """Works plates and shells out; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values
    hole_copies: Mapping[str, Sequence[PlaneCopy]]

    def read(self, name: str, part: models.SurfaceModel) -> SurfaceValue | None:
        """One plate or shell, or ``None`` with findings."""
        path: Path = ("parts", name)
        before = len(self.values.findings)
        shape = self._shape(path, part)
        wall = self._wall(path, part)
        origin, frame = read_placement(self.values, path, part.placement)
        if shape is None or wall is None or len(self.values.findings) > before:
            return None
        layup, thickness = wall
        return SurfaceValue(name, shape, layup, thickness, part.face, origin, frame)

    # -- shapes ---------------------------------------------------------------------------------

    def _shape(self, path: Path, part: models.SurfaceModel) -> SurfaceShape | None:
        if isinstance(part, models.Plate):
            return self._plate(path, part)
        profile = read_profile(self.values, (*path, "profile"), part.profile, part.closed)
        if isinstance(part, models.Revolved):
            return self._revolved(path, part, profile)
        if isinstance(part, models.Extruded):
            length = self.values.positive((*path, "length"), "a length")
            return None if profile is None else Extruded(profile, length)
        return self._lofted(path, part, profile)

    def _plate(self, path: Path, part: models.Plate) -> Plate | None:
        before = len(self.values.findings)
        outline = self._outline((*path, "outline"), part.outline)
        read = [self._hole((*path, "holes", index), hole) for index, hole in enumerate(part.holes)]
        holes = tuple(hole for hole in read if hole is not None)
        if outline is None or len(self.values.findings) > before:
            return None
        taken = set(shape_features(Plate(outline)))
        copies = [
            (index, copy.hole(hole))
            for index, hole in enumerate(holes)
            for copy in self.hole_copies.get(f"{path[1]}.{hole.name}", ())
        ]
        numbered = [*enumerate(holes), *copies]
        holes = tuple(hole for _, hole in numbered)
        for index, hole in numbered:
            if hole.name in taken:
                self.values.add(
                    (*path, "holes", index, "name"),
                    f"“{hole.name}” already names another site of this plate",
                )
            taken.add(hole.name)
        plate = Plate(outline, holes)
        for index, message in plate_problems(plate):
            at = (*path, "outline") if index < 0 else (*path, "holes", numbered[index][0])
            self.values.add(at, message)
        return plate if len(self.values.findings) == before else None

    def _outline(self, path: Path, outline: models.OutlineModel) -> Outline | None:
        size: dict[str, float] = {
            key: self.values.positive((*path, key), f"the {key}")
            for key in ("width", "height", "radius", "diameter", "bore", "side")
            if key in type(outline).model_fields
        }
        if not all(value > 0 for value in size.values()):
            return None
        if isinstance(outline, models.Rectangle):
            return _box(0.5 * size["width"], 0.5 * size["height"])
        if isinstance(outline, models.RoundedRectangle):
            return self._rounded(path, size)
        if isinstance(outline, models.Disc):
            return Disc(0.5 * size["diameter"])
        if isinstance(outline, models.Ring):
            if not size["bore"] < size["diameter"]:
                self.values.add(
                    (*path, "bore"),
                    f"a bore of {_mm(size['bore'])} leaves nothing of a ring "
                    f"{_mm(size['diameter'])} wide",
                )
                return None
            return Disc(0.5 * size["diameter"], 0.5 * size["bore"])
        if isinstance(outline, models.Parallelogram):
            return self._parallelogram(path, size)
        if isinstance(outline, models.Contour):
            return self._contour(path, outline.points)
        corners = [
            (
                self.values.numbers[(*path, "points", i, 0)],
                self.values.numbers[(*path, "points", i, 1)],
            )
            for i in range(len(outline.points))
        ]
        area = sum(
            x0 * y1 - x1 * y0
            for (x0, y0), (x1, y1) in zip(corners, corners[1:] + corners[:1], strict=True)
        )
        if _on_a_line(np.array(corners)):
            self.values.add((*path, "points"), "the points lie on one line; they outline nothing")
            return None
        clockwise = area < 0
        return Polygon(tuple(corners[::-1] if clockwise else corners), reversed=clockwise)

    def _contour(self, path: Path, points: Sequence[models.ProfilePoint]) -> Contour | None:
        """A closed line of lines and arcs, turned counter-clockwise."""
        profile = read_profile(self.values, (*path, "points"), points, closed=True)
        if profile is None:
            return None
        contour = Contour(profile.segments)
        line = closed_line(contour)
        if _on_a_line(line):
            self.values.add((*path, "points"), "the points lie on one line; they outline nothing")
            return None
        x, y = line.T
        if np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) >= 0:
            return contour
        turned = tuple(
            Line(each.stop, each.start)
            if isinstance(each, Line)
            else Arc(each.centre, each.radius, each.last, each.first)
            for each in profile.segments[::-1]
        )
        return Contour(turned, reversed=True)

    def _rounded(self, path: Path, size: dict[str, float]) -> Outline | None:
        least = min(size["width"], size["height"])
        if 2 * size["radius"] > least * 0.999:
            self.values.add(
                (*path, "radius"),
                f"corners of {_mm(size['radius'])} do not fit into {_mm(least)}; "
                f"the radius must be below {_mm(0.4995 * least)}",
            )
            return None
        return RoundedRectangle(size["width"], size["height"], size["radius"])

    def _parallelogram(self, path: Path, size: dict[str, float]) -> Outline | None:
        angle = self.values.within(
            (*path, "angle"),
            math.radians(5),
            math.radians(175),
            "an angle between 5 deg and 175 deg",
            math.pi / 2,
        )
        across = 0.5 * np.array([size["width"], 0.0])
        up = 0.5 * size["side"] * np.array([math.cos(angle), math.sin(angle)])
        corners = (-across - up, across - up, across + up, up - across)
        return Polygon(tuple((float(x), float(y)) for x, y in corners), True)

    def _hole(self, path: Path, hole: models.HoleModel) -> Hole | None:
        centre = (self.values.numbers[(*path, "at", 0)], self.values.numbers[(*path, "at", 1)])
        if isinstance(hole, models.RoundHole):
            diameter = self.values.positive((*path, "diameter"), "the diameter")
            return RoundHole(hole.name, centre, 0.5 * diameter)
        if isinstance(hole, models.ContourHole):
            rim = self._contour(path, hole.points)
            moved = None if rim is None else rim.moved(np.eye(2), np.array(centre))
            return None if moved is None else ContourHole(hole.name, centre, moved)
        return RectangularHole(
            hole.name,
            centre,
            self.values.positive((*path, "width"), "the width"),
            self.values.positive((*path, "height"), "the height"),
            self.values.numbers.get((*path, "turned"), 0.0),
        )

    def _revolved(
        self, path: Path, part: models.Revolved, profile: Profile | None
    ) -> Revolved | None:
        angle = self.values.within(
            (*path, "turn"),
            math.radians(1),
            FULL_TURN * (1 + 1e-9),
            "between 1 deg and 360 deg",
            FULL_TURN,
        )
        if profile is None:
            return None
        size = profile.length
        shares = np.linspace(0.0, 1.0, 33)
        for index, segment in enumerate(profile.segments):
            radius = segment.position(shares)[:, 0]
            first = index == 0 and not profile.closed
            last = index == len(profile.segments) - 1 and not profile.closed
            inner = radius[1 if first else 0 : -1 if last else None]
            if radius.min() < -1e-9 * size or inner.min() <= 1e-9 * size:
                self.values.add(
                    (*path, "profile"),
                    "the profile crosses the axis or runs along it; only its first and its last "
                    "point may stand on the axis, and no radius may be negative",
                )
                return None
        return Revolved(profile, min(angle, FULL_TURN))

    def _lofted(self, path: Path, part: models.Lofted, profile: Profile | None) -> Lofted | None:
        span = self.values.positive((*path, "span"), "the span")
        taper = self.values.within(
            (*path, "taper"), 0.02, 50.0, "a number between 0.02 and 50; 1 keeps the size", 1.0
        )
        end = profile
        if part.profile_at_end is not None:
            end = read_profile(
                self.values, (*path, "profile_at_end"), part.profile_at_end, part.closed
            )
        if profile is None or end is None:
            return None
        if [type(piece) for piece in profile.segments] != [type(piece) for piece in end.segments]:
            self.values.add(
                (*path, "profile_at_end"),
                f"both profiles need the same lines and arcs in the same order; the first has "
                f"{len(profile.segments)} of them and this one {len(end.segments)}",
            )
            return None
        sweep = (0.0, 0.0)
        if part.sweep is not None:
            sweep = (
                self.values.numbers[(*path, "sweep", 0)],
                self.values.numbers[(*path, "sweep", 1)],
            )
        twist = self.values.numbers.get((*path, "twist"), 0.0)
        return Lofted(profile, end, span, twist, taper, sweep)

    # -- walls ----------------------------------------------------------------------------------

    def _wall(
        self, path: Path, part: models.SurfaceModel
    ) -> tuple[LayupValue, ThicknessValue] | None:
        if (part.plies is None) == (part.thickness is None):
            self.values.add(path, "give either “thickness” with a “material”, or “plies”")
            return None
        factor = 5 / 6
        if part.shear_factor is not None:
            factor = self.values.within(
                (*path, "shear_factor"), 0.01, 1.5, "a shear factor between 0.01 and 1.5", factor
            )
        extra = self.values.numbers.get((*path, "mass_per_area"), 0.0)
        if extra < 0:
            self.values.add((*path, "mass_per_area"), "a mass per area must not be negative")
        if part.plies is not None:
            return self._laminate(path, part, part.plies, factor, extra)
        if part.material is None:
            self.values.add(path, "“material” is missing")
            return None
        material = wall_material(self.sheet, self.values, part.material, (*path, "material"))
        thickness = self._thickness(path, part)
        if material is None or thickness is None:
            return None
        return LayupValue((PlyValue(material, 0.0),), (1.0,), factor, extra), thickness

    def _laminate(
        self,
        path: Path,
        part: models.SurfaceModel,
        plies: Sequence[models.Ply],
        factor: float,
        extra: float,
    ) -> tuple[LayupValue, ThicknessValue] | None:
        if part.material is not None:
            self.values.add((*path, "material"), "plies name their own materials; leave this out")
            return None
        found: list[PlyValue] = []
        heights: list[float] = []
        for index, ply in enumerate(plies):
            here: Path = (*path, "plies", index)
            material = wall_material(self.sheet, self.values, ply.material, (*here, "material"))
            heights.append(self.values.positive((*here, "thickness"), "the thickness of a ply"))
            if material is not None:
                found.append(PlyValue(material, self.values.numbers.get((*here, "angle"), 0.0)))
        total = sum(heights)
        if len(found) < len(plies) or not total > 0:
            return None
        shares = tuple(height / total for height in heights)
        return LayupValue(tuple(found), shares, factor, extra), ThicknessValue(total, total)

    def _thickness(self, path: Path, part: models.SurfaceModel) -> ThicknessValue | None:
        here: Path = (*path, "thickness")
        if not isinstance(part.thickness, models.ChangingThickness):
            value = self.values.positive(here, "the thickness")
            return ThicknessValue(value, value)
        allowed = _DIRECTIONS[part.kind]
        if part.thickness.along not in allowed:
            self.values.add(
                (*here, "along"),
                f"“{part.thickness.along}” is no direction of this part; it has "
                f"“{allowed[0]}” and “{allowed[1]}”",
            )
            return None
        return ThicknessValue(
            self.values.positive((*here, "from"), "the thickness"),
            self.values.positive((*here, "to"), "the thickness"),
            part.thickness.along,
        )


def _box(x: float, y: float) -> Polygon:
    return Polygon(((-x, -y), (x, -y), (x, y), (-x, y)), True)


def _mm(length: float) -> str:
    return f"{1e3 * length:g} mm"


def _on_a_line(points: Array) -> bool:
    """Whether points ``(n, 2)`` lie on one line."""
    spread = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return not spread[1] > _FLAT * spread[0]
