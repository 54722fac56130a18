"""Patterns of a sheet worked out: where the copies of a part, a rib, a hole or a mass stand."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import PartValue
from belltone.design.place import Place
from belltone.design.values import JointSide, JointValue
from belltone.geometry.shapes import ContourHole, Hole, RoundHole
from belltone.reading.numbers import Values
from belltone.reading.placement import turn_about
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.model import Pattern

__all__ = ["PatternReader", "PlaneCopy", "SpaceCopy", "copied_joints", "moved_place"]

Array = NDArray[np.float64]

_MOST: int = 500
_WHOLE = 1e-9


@dataclass(frozen=True)
class SpaceCopy:
    """A copy turned (or mirrored) about the sheet's origin and moved then; counted from 2."""

    number: int
    turn: Array
    move: Array

    def part(self, part: PartValue) -> PartValue:
        """The copy of a part."""
        return part.mapped(f"{part.name} {self.number}", self.turn, self.move)


@dataclass(frozen=True)
class PlaneCopy:
    """A copy on a surface: its own coordinates turned or mirrored and moved; counted from 2."""

    number: int
    turn: Array
    move: Array

    def at(self, place: tuple[float, float]) -> tuple[float, float]:
        """A place of the copy."""
        first, second = self.turn @ np.array(place) + self.move
        return float(first), float(second)

    def hole(self, hole: Hole) -> Hole:
        """The copy of a hole."""
        name, centre = f"{hole.name} {self.number}", self.at(hole.centre)
        if isinstance(hole, RoundHole):
            return replace(hole, name=name, centre=centre)
        if isinstance(hole, ContourHole):
            return replace(hole, name=name, centre=centre, rim=hole.rim.moved(self.turn, self.move))
        turned = math.atan2(self.turn[1, 0], self.turn[0, 0])
        if np.linalg.det(self.turn) < 0:
            # A mirrored rectangle is the same rectangle turned the other way.
            return replace(hole, name=name, centre=centre, turned=turned - hole.turned)
        return replace(hole, name=name, centre=centre, turned=turned + hole.turned)


@dataclass
class PatternReader:
    """Works patterns out; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values

    def space_copies(self) -> dict[str, list[SpaceCopy]]:
        """Copies of whole parts, by the part's name."""
        found: dict[str, list[SpaceCopy]] = {}
        for path, pattern in self._of("part"):
            for number, turn, move in self._placed(path, pattern, 3):
                found.setdefault(pattern.of, []).append(SpaceCopy(number, turn, move))
        return found

    def plane_copies(self, sort: str) -> dict[str, list[PlaneCopy]]:
        """Copies on surfaces, by the name of what is copied: ``rib``, ``hole`` or ``mass``."""
        found: dict[str, list[PlaneCopy]] = {}
        for path, pattern in self._of(sort):
            around = self._turns_around(pattern)
            for number, turn, move in self._placed(path, pattern, 2, around):
                found.setdefault(pattern.of, []).append(PlaneCopy(number, turn, move))
        return found

    def _of(self, sort: str) -> Iterator[tuple[Path, Pattern]]:
        for index, pattern in enumerate(self.sheet.content.patterns):
            path: Path = ("patterns", index)
            if self._sort(pattern.of) == sort:
                yield path, pattern
            elif self._sort(pattern.of) is None:
                known = [*self.sheet.content.parts]
                known += [mass.name for mass in self.sheet.content.masses if mass.name]
                names = ", ".join(f"“{name}”" for name in known)
                self.values.add(
                    (*path, "of"),
                    f"there is no part, hole or mass “{pattern.of}”; there are {names}, and holes "
                    "as “plate.hole”",
                )

    def _sort(self, name: str) -> str | None:
        content = self.sheet.content
        if name in content.parts:
            return "rib" if isinstance(content.parts[name], models.Rib) else "part"
        for key, part in content.parts.items():
            if isinstance(part, models.Plate) and any(
                name == f"{key}.{hole.name}" for hole in part.holes
            ):
                return "hole"
        return "mass" if any(mass.name == name for mass in content.masses) else None

    def _turns_around(self, pattern: Pattern) -> bool:
        """Whether what is copied stands on a shell of revolution, whose second coordinate turns."""
        content = self.sheet.content
        part = content.parts.get(pattern.of)
        on = part.on if isinstance(part, models.Rib) else None
        for mass in content.masses:
            if mass.name == pattern.of and mass.site in content.sites:
                on = content.sites[mass.site].part
        return isinstance(content.parts.get(on or ""), models.Revolved)

    def _placed(
        self, path: Path, pattern: Pattern, size: int, around: bool = False
    ) -> list[tuple[int, Array, Array]]:
        given = [key for key in ("step", "about", "mirror") if getattr(pattern, key) is not None]
        if len(given) != 1:
            self.values.add(path, "give one of “step”, “about” or “mirror”")
            return []
        count = self._count(path)
        through = np.zeros(size)
        if pattern.through is not None:
            if len(pattern.through) != size:
                self.values.add((*path, "through"), f"{size} lengths are needed here")
                return []
            through = self._lengths((*path, "through"), size)
        if pattern.step is not None:
            if len(pattern.step) != size:
                self.values.add((*path, "step"), f"{size} lengths are needed here")
                return []
            step = self._lengths((*path, "step"), size)
            return [(k + 1, np.eye(size), k * step) for k in range(1, count)]
        if pattern.mirror is not None:
            axis = "xyz".index(pattern.mirror)
            if axis >= size:
                self.values.add((*path, "mirror"), "on a surface, mirror across “x” or “y”")
                return []
            turn = np.eye(size)
            turn[axis, axis] = -1.0
            return [(2, turn, through - turn @ through)]
        angle = self.values.numbers.get((*path, "angle"), 2 * math.pi)
        full = abs(abs(angle) - 2 * math.pi) < 1e-9
        share = angle / (count if full else max(1, count - 1))
        if around:
            return [(k + 1, np.eye(2), np.array([0.0, k * share])) for k in range(1, count)]
        turns = [turn_about("xyz".index(pattern.about or "z"), k * share) for k in range(1, count)]
        if size == 2:
            turns = [turn_about(2, k * share)[:2, :2] for k in range(1, count)]
        return [(k, turn, through - turn @ through) for k, turn in enumerate(turns, start=2)]

    def _lengths(self, path: Path, size: int) -> Array:
        return np.array([self.values.numbers.get((*path, axis), 0.0) for axis in range(size)])

    def _count(self, path: Path) -> int:
        wished = self.values.numbers.get((*path, "count"), 2.0)
        count = round(wished)
        if abs(wished - count) > _WHOLE or not 1 <= count <= _MOST:
            self.values.add(
                (*path, "count"), f"{wished:g} is no number of copies; 1 to {_MOST} are possible"
            )
            return 1
        return count


def copied_joints(joints: list[JointValue], copies: dict[str, list[SpaceCopy]]) -> list[JointValue]:
    """The joints of copies: what joins the first of a pattern joins the others likewise.

    The other side is its own copy of the same number where it has one; else the other part,
    wherever the copy touches it.
    """
    result: list[JointValue] = []
    for joint in joints:
        for name in sorted(joint.parts & copies.keys()):
            first_is = joint.first.part == name
            own, other = (joint.first, joint.second) if first_is else (joint.second, joint.first)
            if other.part in copies and other.part < name:
                continue
            for copy in copies[name]:
                ours = _on_copy(own, copy.number)
                theirs = JointSide(other.part)
                if other.part in copies:
                    if all(each.number != copy.number for each in copies[other.part]):
                        continue
                    theirs = _on_copy(other, copy.number)
                elif other.place is not None and other.place.feature is not None:
                    theirs = other
                spots = tuple(
                    replace(spot, part=ours.part, site=f"{spot.site} {copy.number}")
                    for spot in joint.spots
                    if spot.part == name
                )
                axis = None if joint.axis is None else copy.turn @ joint.axis
                result.append(
                    replace(
                        joint,
                        name=f"{joint.name} {copy.number}",
                        first=ours,
                        second=theirs,
                        spots=spots,
                        axis=axis,
                    )
                )
    return result


def _on_copy(side: JointSide, number: int) -> JointSide:
    part = f"{side.part} {number}"
    if side.place is None:
        return JointSide(part)
    site = side.place.site.replace(side.part, part, 1)
    return JointSide(part, replace(side.place, part=part, site=site))


def moved_place(place: Place, copy: PlaneCopy, name: str) -> Place:
    """A point site of a surface moved to a copy."""
    return replace(place, site=name, at=copy.at(place.at))
