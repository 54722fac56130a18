"""Ribs of a sheet worked out: members laid on a plate or shell."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, PartValue, SurfaceValue
from belltone.design.values import JointSide, JointValue
from belltone.geometry.features import AXIS
from belltone.geometry.paths import MemberPath, Piece, Straight, Traced
from belltone.geometry.shapes import Plate
from belltone.geometry.skins import Skin
from belltone.reading.members import MemberReader
from belltone.reading.numbers import Values
from belltone.reading.patterns import PlaneCopy
from belltone.reading.sections import read_section
from belltone.reading.sites import SiteReader
from belltone.sections.runs import Taper
from belltone.sheet import part_models as models
from belltone.sheet.errors import Path

__all__ = ["RibReader", "rib_joint"]

Array = NDArray[np.float64]
Spot = tuple[int, tuple[float, float]]


@dataclass
class RibReader:
    """Works ribs out; what is wrong goes to the values' findings."""

    values: Values
    members: MemberReader
    sites: SiteReader

    def read(
        self,
        name: str,
        rib: models.Rib,
        parts: Mapping[str, PartValue],
        copies: Sequence[PlaneCopy],
    ) -> list[MemberValue]:
        """A rib and its copies; fewer with findings."""
        path: Path = ("parts", name)
        wall = parts.get(rib.on)
        if not isinstance(wall, SurfaceValue):
            known = [part.name for part in parts.values() if isinstance(part, SurfaceValue)]
            names = ", ".join(f"“{known_name}”" for known_name in known) or "none"
            self.values.add(
                (*path, "on"), f"there is no plate or shell “{rib.on}”; there is {names}"
            )
            return []
        if isinstance(wall.shape, Skin):
            self.values.add(
                (*path, "on"),
                f"“{rib.on}” is a received skin, which has no coordinates a rib could run along; "
                "put a member on it and join it instead",
            )
            return []
        section = read_section(self.values, (*path, "section"), rib.section)
        material = self.members.material(path, rib.material)
        line_mass = self.members.line_mass(path)
        ends = [
            self.sites.on_part((*path, key), point, wall)
            for key, point in (("from", rib.start), ("to", rib.stop))
        ]
        if section is None or material is None or ends[0] is None or ends[1] is None:
            return []
        if ends[0] == ends[1]:
            self.values.add((*path, "to"), "a rib must end elsewhere than it starts")
            return []
        offset = self.values.numbers.get((*path, "offset"))
        stands = -float(section.outline()[0][:, 1].min())
        laid = _Laid(wall, 1.0 if rib.side == "outer" else -1.0, offset, stands)
        found: list[MemberValue] = []
        for number, start, stop in self._all(path, wall, ends[0], ends[1], copies):
            run = MemberPath(laid.pieces(start, stop))
            title = name if number == 1 else f"{name} {number}"
            sections = Taper(section, section)
            found.append(MemberValue(title, run, sections, material, line_mass, on=wall.name))
        return found

    def _all(
        self,
        path: Path,
        wall: SurfaceValue,
        start: Spot,
        stop: Spot,
        copies: Sequence[PlaneCopy],
    ) -> list[tuple[int, Spot, Spot]]:
        """The rib's own ends and those of its copies, as many as are on the wall."""
        found = [(1, start, stop)]
        for copy in copies:
            moved = [_moved(wall, spot, copy) for spot in (start, stop)]
            if moved[0] is None or moved[1] is None:
                self.values.add(path, f"copy {copy.number} is not on “{wall.name}” any more")
                break
            found.append((copy.number, moved[0], moved[1]))
        return found


def _moved(wall: SurfaceValue, spot: Spot, copy: PlaneCopy) -> Spot | None:
    if isinstance(wall.shape, Plate):
        return 0, copy.at(spot[1])
    assert not isinstance(wall.shape, Skin)
    profile = wall.shape.profile
    lengths = [0.0, *itertools.accumulate(piece.length for piece in profile.segments)]
    along = lengths[spot[0]] + spot[1][0] * profile.segments[spot[0]].length
    first, second = copy.at((along, spot[1][1]))
    if not -1e-9 <= first <= profile.length * (1 + 1e-9):
        return None
    segment, share = profile.place(min(max(first, 0.0), profile.length))
    return segment, (share, second)


@dataclass(frozen=True)
class _Laid:
    """A member on one side of a wall, its centroid ``offset`` from the middle or on the face."""

    wall: SurfaceValue
    side: float
    offset: float | None
    stands: float

    def pieces(self, start: Spot, stop: Spot) -> tuple[Piece, ...]:
        """The way from one point of the wall to another, straight in the wall's coordinates."""
        shape = self.wall.shape
        if isinstance(shape, Plate):
            flat = np.array([start[1], stop[1]])
            places, ups = self.at(0, *flat.T)
            if self.wall.thickness.along is None:
                return (Straight(places[0], places[1], ups[0]),)
            return (self._traced(0, flat[0], flat[1]),)
        assert not isinstance(shape, Skin)
        lengths = [0.0, *itertools.accumulate(piece.length for piece in shape.profile.segments)]
        from_along, to_along = (
            lengths[segment] + at[0] * shape.profile.segments[segment].length
            for segment, at in (start, stop)
        )
        if abs(to_along - from_along) < 1e-12 * shape.profile.length:
            return (
                self._traced(start[0], np.array(start[1]), np.array([start[1][0], stop[1][1]])),
            )
        inner = [at for at in lengths[1:-1] if min(from_along, to_along) < at - 1e-12]
        inner = [at for at in inner if at + 1e-12 < max(from_along, to_along)]
        cuts = sorted([from_along, *inner, to_along], reverse=to_along < from_along)
        pieces: list[Piece] = []
        for low, high in itertools.pairwise(cuts):
            segment, _ = shape.profile.place(0.5 * (low + high))
            length = shape.profile.segments[segment].length
            ends = [
                np.array(
                    [
                        (at - lengths[segment]) / length,
                        start[1][1]
                        + (at - from_along) / (to_along - from_along) * (stop[1][1] - start[1][1]),
                    ]
                )
                for at in (low, high)
            ]
            pieces.append(self._traced(segment, ends[0], ends[1]))
        return tuple(pieces)

    def _traced(self, segment: int, start: Array, stop: Array) -> Traced:
        def trace(share: Array) -> tuple[Array, Array]:
            places = start + share[:, None] * (stop - start)
            return self.at(segment, *places.T)

        return Traced(trace)

    def at(self, segment: int, first: Array, second: Array) -> tuple[Array, Array]:
        """Centroid and up of the rib over places of the wall."""
        middle, normals, _, thickness = self.wall.locate(segment, first, second)
        away = self.offset if self.offset is not None else 0.5 * thickness + self.stands
        ups = self.side * normals
        return middle + np.broadcast_to(away, thickness.shape)[:, None] * ups, ups


def rib_joint(rib: MemberValue) -> JointValue:
    """What welds a rib to its wall, all along."""
    axis = rib.place_of(AXIS)
    sides = JointSide(rib.name, axis), JointSide(rib.on or "")
    return JointValue(f"{rib.name} – {rib.on}", *sides, "welded", np.inf, implied=True)
