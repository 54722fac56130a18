"""Named sites of a sheet: those every part has by itself, and the points its author named."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Final

import numpy as np

from belltone.design.parts import MemberValue, MeshValue, PartValue, PointValue, SurfaceValue
from belltone.design.place import Place
from belltone.geometry.outlines import closed_line, inside, rim_distance
from belltone.geometry.shapes import Disc, Extruded, Lofted, Plate, Revolved
from belltone.geometry.skins import Skin
from belltone.reading.numbers import Values
from belltone.reading.placement import vector
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.model import Point
from belltone.sheet.part_models import SurfacePoint

__all__ = ["SiteReader"]

_FEW: Final = 6  # so many sites are all named; of more, those with a name like it
_SLACK: Final = 1e-9  # of a length; so much over the edge is still on the part
_ALL: Final = ("along", "at", "profile", "around", "near")
_COORDINATES: Final = {
    MemberValue: ("along",),
    Plate: ("at",),
    Revolved: ("profile", "around"),
    Extruded: ("profile", "along"),
    Lofted: ("profile", "along"),
}


@dataclass
class SiteReader:
    """Finds where sites are; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values

    def read(self, parts: Sequence[PartValue], nodes: Mapping[str, Place]) -> dict[str, Place]:
        """Every site of the sheet by name; ``nodes`` are those of frames."""
        places: dict[str, Place] = dict(nodes)
        for part in parts:
            for feature in part.features:
                place = part.place_of(feature)
                places[place.site] = place
        by_name = {part.name: part for part in parts}
        for name, point in self.sheet.content.sites.items():
            if point.position is not None:
                continue
            if name in places:
                self.values.add(("sites", name), f"“{name}” is already the name of a site")
            elif point.part is None:
                self.values.add(
                    ("sites", name), "give the “part” it is on, or a “position” in space"
                )
            elif point.part not in by_name:
                known = ", ".join(f"“{part}”" for part in by_name)
                self.values.add(
                    ("sites", name, "part"), f"no part “{point.part}”; there is {known}"
                )
            elif (place_of := self._point(name, point, by_name[point.part])) is not None:
                places[name] = place_of
        return places

    def points(self) -> Iterator[PointValue]:
        """The points in space that sites give."""
        for name, point in self.sheet.content.sites.items():
            if point.position is None:
                if point.linked_to is not None:
                    self.values.add(
                        ("sites", name, "linked_to"), "only a point with a “position” is linked"
                    )
                continue
            if name in self.sheet.content.parts:
                self.values.add(("sites", name), f"“{name}” is already the name of a part")
            elif point.part is not None:
                self.values.add(
                    ("sites", name), "give either the “part” it is on, or a “position” in space"
                )
            elif point.linked_to is None:
                self.values.add(
                    ("sites", name),
                    "say which site it is rigidly “linked_to”; alone it has no mass",
                )
            else:
                yield PointValue(name, vector(self.values, ("sites", name, "position")))

    def find(self, path: Path, site: str, places: Mapping[str, Place]) -> Place | None:
        """The place of a site something at ``path`` refers to, or ``None`` with a finding."""
        if site in places:
            return places[site]
        if site not in self.sheet.content.sites:
            near = get_close_matches(site, places, n=3, cutoff=0.5) if len(places) > _FEW else ()
            names = ", ".join(f"“{name}”" for name in near or places)
            self.values.add(path, f"there is no site “{site}”; there are {names}")
        return None

    def on_part(
        self, path: Path, point: Point | SurfacePoint, part: PartValue
    ) -> tuple[int, tuple[float, float]] | None:
        """Segment and chart coordinates of a point on a surface, given at a path."""
        found = self._point("", point, part, path)
        return None if found is None else (found.segment, found.at)

    def _point(
        self, name: str, point: Point | SurfacePoint, part: PartValue, path: Path | None = None
    ) -> Place | None:
        path = ("sites", name) if path is None else path
        if isinstance(part, PointValue):
            self.values.add(path, f"“{part.name}” is a single point, which has no others on it")
            return None
        if isinstance(part, MeshValue):
            return self._on_mesh(name, path, point, part)
        shape = part.shape if isinstance(part, SurfaceValue) else None
        if isinstance(part, SurfaceValue) and isinstance(shape, Skin):
            return self._on_skin(name, path, point, part, shape)
        sort = MemberValue if shape is None else type(shape)
        wanted = _COORDINATES[sort]
        given = [key for key in _ALL if getattr(point, key, None) is not None]
        if sorted(given) != sorted(wanted):
            words = " and ".join(f"“{key}”" for key in wanted)
            self.values.add(path, f"a point of “{part.name}” is given by {words}")
            return None
        if isinstance(part, MemberValue):
            distance = self._on(path, "along", part.length, part.name)
            return None if distance is None else Place(name, part.name, distance)
        if isinstance(shape, Plate):
            return self._on_plate(name, path, part)
        assert isinstance(shape, Revolved | Extruded | Lofted)
        profile = self._on(path, "profile", shape.profile.length, f"the profile of {part.name}")
        if isinstance(shape, Revolved):
            second = self.values.numbers[(*path, "around")]
            if not -_SLACK <= second <= shape.angle + _SLACK:
                self.values.add(
                    (*path, "around"),
                    f"{np.degrees(second):g} deg is not on “{part.name}”, which turns through "
                    f"{np.degrees(shape.angle):g} deg",
                )
                return None
            along: float | None = min(max(second, 0.0), shape.angle)
        else:
            depth = shape.length if isinstance(shape, Extruded) else shape.span
            along = self._on(path, "along", depth, part.name)
        if profile is None or along is None:
            return None
        segment, share = shape.profile.place(profile)
        return Place(name, part.name, segment=segment, at=(share, along))

    def _on_mesh(
        self, name: str, path: Path, point: Point | SurfacePoint, part: MeshValue
    ) -> Place | None:
        given = [key for key in _ALL if getattr(point, key, None) is not None]
        if given != ["near"]:
            self.values.add(path, f"a point of the mesh “{part.name}” is given by “near” (x, y, z)")
            return None
        near = vector(self.values, (*path, "near"))
        away = float(np.linalg.norm(part.points - near, axis=1).min())
        if away > 0.2 * part.size:
            self.values.add(
                (*path, "near"), f"this is {away * 1e3:.4g} mm away from the mesh “{part.name}”"
            )
            return None
        return Place(name, part.name, near=(float(near[0]), float(near[1]), float(near[2])))

    def _on_skin(
        self, name: str, path: Path, point: Point | SurfacePoint, part: SurfaceValue, skin: Skin
    ) -> Place | None:
        given = [key for key in _ALL if getattr(point, key, None) is not None]
        if given != ["near"]:
            self.values.add(path, f"a point of the skin “{part.name}” is given by “near” (x, y, z)")
            return None
        near = vector(self.values, (*path, "near"))
        piece, u, v, away = skin.nearest(part.frame.T @ (near - part.origin))
        if away > 0.2 * skin.size:
            self.values.add(
                (*path, "near"), f"this is {away * 1e3:.4g} mm away from the skin “{part.name}”"
            )
            return None
        return Place(name, part.name, segment=piece, at=(u, v))

    def _on(self, path: Path, key: str, length: float, what: str) -> float | None:
        value = self.values.numbers[(*path, key)]
        if not -_SLACK * length <= value <= length * (1 + _SLACK):
            self.values.add(
                (*path, key),
                f"{value * 1e3:g} mm is not on “{what}”, which is {length * 1e3:g} mm long",
            )
            return None
        return min(max(value, 0.0), length)

    def _on_plate(self, name: str, path: Path, part: SurfaceValue) -> Place | None:
        assert isinstance(part.shape, Plate)
        at = (self.values.numbers[(*path, "at", 0)], self.values.numbers[(*path, "at", 1)])
        point = np.array([at])
        outline = part.shape.outline
        rims = [closed_line(outline)]
        holes = {hole.name: closed_line(hole) for hole in part.shape.holes}
        if isinstance(outline, Disc) and outline.bore:
            holes["bore"] = closed_line(Disc(outline.bore))
        # Circles are judged by a many-sided line, so a point on a rim is let through.
        slack = 1e-3 * float(np.ptp(rims[0], axis=0).max())
        shown = f"({at[0] * 1e3:g} mm, {at[1] * 1e3:g} mm)"
        off = not inside(point, rims[0])[0] and rim_distance(point, rims[0])[0] > slack
        if off:
            self.values.add(path, f"{shown} is not on the plate “{part.name}”")
            return None
        for hole, line in holes.items():
            if inside(point, line)[0] and rim_distance(point, line)[0] > slack:
                self.values.add(path, f"{shown} is in the hole “{hole}” of “{part.name}”")
                return None
        return Place(name, part.name, at=at)
