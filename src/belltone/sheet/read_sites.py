"""Named sites of a sheet: those every part has by itself, and the points its author named."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Final

import numpy as np

from belltone.sheet.design import MemberValue, PartValue, Place, SurfaceValue
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.model import Point
from belltone.sheet.outlines import closed_line, inside, rim_distance
from belltone.sheet.shapes import Disc, Extruded, Lofted, Plate, Revolved
from belltone.sheet.values import Values

__all__ = ["SiteReader"]

_FEW: Final = 6  # so many sites are all named; of more, those with a name like it
_SLACK: Final = 1e-9  # of a length; so much over the edge is still on the part
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

    def read(self, parts: Sequence[PartValue]) -> dict[str, Place]:
        """Every site of the sheet by name."""
        places: dict[str, Place] = {}
        for part in parts:
            places |= {place.site: place for place in _own_places(part)}
        by_name = {part.name: part for part in parts}
        for name, point in self.sheet.content.sites.items():
            if name in places:
                self.values.add(("sites", name), f"“{name}” is already the name of a site")
            elif point.part not in by_name:
                known = ", ".join(f"“{part}”" for part in by_name)
                self.values.add(
                    ("sites", name, "part"), f"no part “{point.part}”; there is {known}"
                )
            elif (place := self._point(name, point, by_name[point.part])) is not None:
                places[name] = place
        return places

    def find(self, path: Path, site: str, places: Mapping[str, Place]) -> Place | None:
        """The place of a site something at ``path`` refers to, or ``None`` with a finding."""
        if site in places:
            return places[site]
        if site not in self.sheet.content.sites:
            near = get_close_matches(site, places, n=3, cutoff=0.5) if len(places) > _FEW else ()
            names = ", ".join(f"“{name}”" for name in near or places)
            self.values.add(path, f"there is no site “{site}”; there are {names}")
        return None

    def _point(self, name: str, point: Point, part: PartValue) -> Place | None:
        path: Path = ("sites", name)
        sort = type(part.shape) if isinstance(part, SurfaceValue) else MemberValue
        wanted = _COORDINATES[sort]
        given = [
            key for key in ("along", "at", "profile", "around") if getattr(point, key) is not None
        ]
        if sorted(given) != sorted(wanted):
            words = " and ".join(f"“{key}”" for key in wanted)
            self.values.add(path, f"a point of “{part.name}” is given by {words}")
            return None
        if isinstance(part, MemberValue):
            distance = self._on(path, "along", part.length, part.name)
            return None if distance is None else Place(name, part.name, distance)
        if isinstance(part.shape, Plate):
            return self._on_plate(name, path, part)
        profile = self._on(
            path, "profile", part.shape.profile.length, f"the profile of {part.name}"
        )
        if isinstance(part.shape, Revolved):
            second = self.values.numbers[(*path, "around")]
            if not -_SLACK <= second <= part.shape.angle + _SLACK:
                self.values.add(
                    (*path, "around"),
                    f"{np.degrees(second):g} deg is not on “{part.name}”, which turns through "
                    f"{np.degrees(part.shape.angle):g} deg",
                )
                return None
            along: float | None = min(max(second, 0.0), part.shape.angle)
        else:
            shape = part.shape
            depth = shape.length if isinstance(shape, Extruded) else shape.span
            along = self._on(path, "along", depth, part.name)
        if profile is None or along is None:
            return None
        segment, share = part.shape.profile.place(profile)
        return Place(name, part.name, segment=segment, at=(share, along))

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


def _own_places(part: PartValue) -> list[Place]:
    if isinstance(part, MemberValue):
        return [
            Place(f"{part.name}.start", part.name, 0.0),
            Place(f"{part.name}.end", part.name, part.length),
        ]
    return [
        Place(f"{part.name}.{feature}", part.name, feature=feature) for feature in part.features
    ]
