"""How several parts move together, in words: what moves, how, and parts alike with or against.

The rules stand in ``docs/modes.md``.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.mesh.faces import FaceMesh
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.face_words import face_kinds, faces_of_mesh
from belltone.modes.grids import counted, lobes
from belltone.modes.kinds import energy_shares, kind_names_of_several
from belltone.modes.member_words import member_kinds
from belltone.modes.patterns import wall_kinds
from belltone.system.bodies import Body
from belltone.system.witness import LineWitness, SurfaceWitness, Witness
from belltone.vectors import cross

__all__ = ["assembly_kinds"]

Array = NDArray[np.float64]

_MOVES: Final = 0.8  # share of the moving mass of what a mode is said to be of
_STRAINS: Final = 0.5  # share of the strain energy it has to have, else it moves as one
_MOST: Final = 0.7  # the same of parts that are alike,
_SOME: Final = 0.3  # which bend what they stand on as well
_AS_ONE: Final = 0.95  # share of a motion that is one of a rigid body
_ON_SPRINGS: Final = 0.75
_MINOR: Final = 0.25
_TOGETHER: Final = 0.7  # cosine from which parts alike move with, or against, one another
_FIELD: Final = 0.6  # share of a motion one plain field must explain to give it a name
_ONE_WAY: Final = 0.35  # share of a motion along an axis that is its mean, in what sways
_FLAT: Final = 1e-3  # of the size
_MEMBER: Final = 0.6  # share of a frame's motion that one member of it is said to have
_TAKES_PART: Final = 0.15  # share of the motion from which one of several walls is named
_NAMED: Final = 3  # of them at most
_SPRINGS: Final = 4  # the place of springs among the mixed energies


@dataclass(frozen=True)
class _Unit:
    """What is spoken of as one: a part, a wall with its ribs, or a frame."""

    name: str
    places: tuple[int, ...]
    frame: bool = False


def assembly_kinds(
    design: Design,
    bodies: Sequence[Body],
    witness: Witness,
    read: Array,
    by_part: Array,
    shares: Array,
    strains: Sequence[Array],
) -> tuple[str, ...]:
    """Kinds of shapes ``(modes, points, 6)`` of several parts.

    ``by_part`` (modes, parts) are shares of strain energy, ``shares`` (modes, 5) those by kind,
    ``strains`` the energies of each part by its own kinds.
    """
    return _Words(design, bodies, witness, read, by_part, shares, strains).kinds()


class _Words:
    def __init__(
        self,
        design: Design,
        bodies: Sequence[Body],
        witness: Witness,
        read: Array,
        by_part: Array,
        shares: Array,
        strains: Sequence[Array],
    ) -> None:
        self._design, self._bodies, self._witness = design, bodies, witness
        self._by_part, self._shares, self._strains = by_part, shares, strains
        self._split = witness.split(read)
        self._masses = [part.masses for part in witness.parts]
        self._moving = np.column_stack(
            [
                np.sum(own[..., :3] ** 2, axis=-1) @ masses
                for own, masses in zip(self._split, self._masses, strict=True)
            ]
        )
        self._moving /= np.maximum(self._moving.sum(axis=1, keepdims=True), 1e-300)
        self._units = _units(design)
        self._alike = _alike(design, self._units, self._masses)
        self._known: dict[int, tuple[str, ...]] = {}
        names = tuple(part.name for part in design.parts)
        strained = shares.copy()
        strained[:, _SPRINGS] = 0.0
        self._plain = kind_names_of_several(
            strained, by_part, names, witness.moving(read), witness.across(read)
        )
        places = np.concatenate([part.positions for part in witness.parts])
        self._whole = _Fields(places, np.concatenate(self._masses))
        self._read = read

    def kinds(self) -> tuple[str, ...]:
        """One for each mode."""
        return tuple(self._kind(mode) for mode in range(len(self._read)))

    def _kind(self, mode: int) -> str:
        springs = float(self._shares[mode, _SPRINGS])
        if springs >= _ON_SPRINGS:
            way = self._whole.rigid(self._read[mode])
            return f"moving on its springs{f', {way}' if way else ''}"
        name = self._named(mode)
        return f"{name} with moving on its springs" if springs >= _MINOR else name

    def _named(self, mode: int) -> str:
        moving = np.array([self._moving[mode, list(unit.places)].sum() for unit in self._units])
        strains = np.array([self._by_part[mode, list(unit.places)].sum() for unit in self._units])
        if len(self._units) == 1:
            return self._of_unit(self._units[0], mode)
        for group in self._alike:
            if moving[group].sum() >= _MOST and strains[group].sum() >= _SOME:
                return self._of_alike(group, mode, moving)
        strongest = int(np.argmax(moving))
        unit = self._units[strongest]
        if moving[strongest] >= _MOVES:
            if strains[strongest] >= _STRAINS:
                return _of(self._of_unit(unit, mode), f"“{unit.name}”")
            way = self._as_one(unit, mode)
            if way:
                on = self._called(int(np.argmax(strains)))
                return f"“{unit.name}” moving as one on {on}, {way}"
        words = self._whole.words(self._read[mode])
        return words or self._of_walls(mode, moving) or self._plain[mode]

    def _of_walls(self, mode: int, moving: Array) -> str:
        """How several walls bend together, where no one of them tells; nothing of others."""
        loud = [at for at in np.argsort(-moving).tolist() if moving[at] > _TAKES_PART]
        if len(loud) < 2 or not all(self._is_wall(self._units[at]) for at in loud):
            return ""
        told = {self._of_unit(self._units[at], mode) for at in loud}
        if not all(name.startswith(("bending", "twist")) for name in told):
            return ""
        names = list(dict.fromkeys(self._called(at) for at in loud))
        kind = told.pop() if len(told) == 1 else "bending"
        return _of(kind, " and ".join(names[:_NAMED]))

    def _is_wall(self, unit: _Unit) -> bool:
        return not unit.frame and self._design.parts[unit.places[0]].is_wall

    def _of_unit(self, unit: _Unit, mode: int) -> str:
        """How a wall, a member or a frame moves by itself."""
        if unit.frame:
            places = np.concatenate([self._witness.parts[at].positions for at in unit.places])
            masses = np.concatenate([self._masses[at] for at in unit.places])
            shape = np.concatenate([self._split[at][mode] for at in unit.places])
            fields = _Fields(places, masses)
            return fields.along_a_line(shape) or fields.words(shape) or self._plain_of(unit, mode)
        at = unit.places[0]
        if at not in self._known:
            self._known[at] = self._of_part(at)
        return self._known[at][mode]

    def _plain_of(self, unit: _Unit, mode: int) -> str:
        """What strains and which way it moves; of the member that moves, if it is one."""
        kind, way = self._plain[mode].partition(" of “")[0], ""
        kind, comma, way = kind.partition(",")
        if not comma:
            way = self._plain[mode].partition(",")[2]
        moving = {at: float(self._moving[mode, at]) for at in unit.places}
        strongest = max(moving, key=lambda at: moving[at])
        whole = sum(moving.values()) or 1.0
        if moving[strongest] > _MEMBER * whole:
            kind += f" of “{self._design.parts[strongest].name.rpartition('.')[2]}”"
        return f"{kind},{way}" if way else kind

    def _of_part(self, at: int) -> tuple[str, ...]:
        part, shapes = self._witness.parts[at], self._split[at]
        mesh = self._bodies[at].mesh
        if isinstance(part, SurfaceWitness) and isinstance(mesh, SurfaceMesh):
            return wall_kinds(mesh, part, shapes)
        if isinstance(mesh, FaceMesh):
            return face_kinds(faces_of_mesh(mesh), mesh.part.at_faces(shapes[..., :3]))
        if isinstance(part, LineWitness):
            none = np.zeros((len(shapes), 1))
            return member_kinds(part, shapes, energy_shares(np.hstack([self._strains[at], none])))
        return tuple(each.partition(" of “")[0] for each in self._plain)

    def _of_alike(self, group: list[int], mode: int, moving: Array) -> str:
        """How parts that are alike move, and whether with or against one another."""
        strongest = max(group, key=lambda at: moving[at])
        name = self._of_unit(self._units[strongest], mode)
        count = len(group)
        told = _of(name, self._called(group[0]))
        fields = [self._comparable(self._units[at], mode) for at in group]
        sizes = [float(np.linalg.norm(field)) for field in fields]
        if min(sizes) < _MINOR * max(sizes):
            return f"{told}, most in “{self._units[strongest].name}”"
        cosines = np.array(
            [
                np.vdot(fields[0], field) / (sizes[0] * size)
                for field, size in zip(fields, sizes, strict=True)
            ]
        )
        if np.all(cosines > _TOGETHER):
            return f"{told}, in phase"
        if np.all(np.abs(cosines) > _TOGETHER):
            against = int(np.count_nonzero(cosines < 0))
            if count == 2:
                return f"{told}, in antiphase"
            return f"{told}, {count - against} against {against}"
        return told

    def _called(self, number: int) -> str:
        """What a unit is called: by its name, or with those it is alike to."""
        group = next((each for each in self._alike if number in each), None)
        if group is None:
            return f"“{self._units[number].name}”"
        return f"the {len(group)} “{_stem([self._units[at].name for at in group])}”"

    def _comparable(self, unit: _Unit, mode: int) -> Array:
        """The motion of a part, in the sheet's axes where parts alike stand alike."""
        at = unit.places[0]
        shape = np.asarray(self._split[at][mode][:, :3])
        part = self._design.parts[at]
        first = self._design.parts[
            next(group for group in self._alike if self._units.index(unit) in group)[0]
        ]
        axes = [each.axes for each in (first, part)]
        if np.allclose(axes[0], axes[1], atol=1e-6):
            return shape
        mirrored = np.allclose(np.abs(axes[0]), np.abs(axes[1]), atol=1e-6)
        return np.asarray(shape if mirrored else shape @ axes[1])

    def _as_one(self, unit: _Unit, mode: int) -> str:
        """Which way a part moves as a rigid body; nothing where it does not."""
        at = list(unit.places)
        places = np.concatenate([self._witness.parts[each].positions for each in at])
        masses = np.concatenate([self._masses[each] for each in at])
        shape = np.concatenate([self._split[each][mode] for each in at])
        return _Fields(places, masses).rigid(shape)


def _units(design: Design) -> list[_Unit]:
    """Parts, walls with the ribs on them, and frames."""
    at = {part.name: place for place, part in enumerate(design.parts)}
    owners: dict[str, list[int]] = {}
    frames: dict[str, list[int]] = {}
    only_members = len(design.members) == len(design.solid_parts)
    for part in design.solid_parts:
        if part.on is not None and part.on in at:
            owners.setdefault(part.on, []).append(at[part.name])
        elif part.within is not None:
            frames.setdefault(part.within, []).append(at[part.name])
        elif part.name not in owners:
            owners.setdefault(part.name, [])
    found = [_Unit(name, (at[name], *ribs)) for name, ribs in owners.items() if name in at]
    found += [_Unit(name, tuple(places), True) for name, places in frames.items()]
    if only_members and not frames and _joined(design) and not _some_alike(design):
        return [_Unit("frame", tuple(at[part.name] for part in design.members), True)]
    return found


def _joined(design: Design) -> bool:
    """Whether members joined end to end are spoken of as a frame."""
    return any(not joint.implied for joint in design.joints)


def _some_alike(design: Design) -> bool:
    """Whether some members are alike, and so better spoken of one by one."""
    words = [(part.section_words, round(part.length, 9)) for part in design.members]
    return len(set(words)) < len(words)


def _alike(design: Design, units: Sequence[_Unit], masses: Sequence[Array]) -> list[list[int]]:
    """Groups of two or more units that are the same thing."""
    groups: dict[tuple[object, ...], list[int]] = {}
    for number, unit in enumerate(units):
        if len(unit.places) > 1 or unit.frame:
            continue
        part = design.parts[unit.places[0]]
        size = float(masses[unit.places[0]].sum())
        key = (type(part), part.sort, float(f"{size:.8g}"), len(masses[unit.places[0]]))
        groups.setdefault(key, []).append(number)
    return [group for group in groups.values() if len(group) > 1]


def _of(kind: str, what: str) -> str:
    """A kind said of something: its name first, then how many half-waves."""
    if " of “" in kind:
        return kind
    head, comma, tail = kind.partition(",")
    return f"{head} of {what}{comma}{tail}"


def _stem(names: Sequence[str]) -> str:
    """What names have in common, or the first of them."""
    letters = itertools.takewhile(lambda own: len(set(own)) == 1, zip(*names, strict=False))
    stem = "".join(own[0] for own in letters).rstrip(" _-0123456789")
    return stem if len(stem) > 1 else names[0]


class _Fields:
    """Plain motions of a whole component: sliding, swaying, turning, racking, stretching."""

    def __init__(self, places: Array, masses: Array) -> None:
        self._roots = np.sqrt(masses)[:, None]
        centre = masses @ places / max(float(masses.sum()), 1e-300)
        self._arms = places - centre
        self._extent = np.ptp(places, axis=0)
        self._size = float(np.linalg.norm(self._extent)) or 1.0

    def _explained(self, fields: Sequence[Array], moved: Array) -> float:
        """Share of a motion ``(points, 3)`` that some fields together make up."""
        basis = np.stack([(self._roots * field).ravel() for field in fields], axis=1)
        wanted = (self._roots * moved).ravel()
        whole = float(wanted @ wanted)
        axes, strengths, _ = np.linalg.svd(basis, full_matrices=False)
        axes = axes[:, strengths > 1e-9 * max(float(strengths.max(initial=0.0)), 1e-300)]
        return float(np.sum((axes.T @ wanted) ** 2)) / whole if whole > 0 else 0.0

    def _along(self, axis: int, by: Array | None = None) -> Array:
        field = np.zeros_like(self._arms)
        field[:, axis] = 1.0 if by is None else by
        return field

    def _about(self, axis: int, by: Array | None = None) -> Array:
        turned = cross(np.eye(3)[axis], self._arms)
        return turned if by is None else turned * by[:, None]

    def rigid(self, shape: Array) -> str:
        """Which way a rigid body moves; nothing where the motion is not one of a rigid body."""
        moved = shape[:, :3]
        slides = [self._along(axis) for axis in range(3)]
        turns = [self._about(axis) for axis in range(3)]
        if self._explained([*slides, *turns], moved) < _AS_ONE:
            return ""
        ways = [(self._explained([field], moved), f"along {'xyz'[at]}") for at, field in
                enumerate(slides)]  # fmt: skip
        ways += [
            (self._explained([field], moved), f"turning about {'xyz'[at]}")
            for at, field in enumerate(turns)
        ]
        share, words = max(ways)
        return words if share > 0.5 else ""

    def words(self, shape: Array) -> str:
        """What a whole component does, where one plain field tells most of it."""
        moved = shape[:, :3]
        ways: list[tuple[float, str]] = []
        for axis in range(3):
            name = "xyz"[axis]
            others = [self._arms[:, other] for other in range(3) if other != axis]
            sway = [self._along(axis), *(self._along(axis, by) for by in others)]
            own, weight = moved[:, axis], self._roots[:, 0] ** 2
            mean = float(weight @ own) ** 2 / max(float(weight.sum() * (weight @ own**2)), 1e-300)
            if mean >= _ONE_WAY:
                ways.append((self._explained(sway, moved), f"swaying along {name}"))
            twist = [self._about(axis), self._about(axis, self._arms[:, axis])]
            ways.append((self._explained(twist, moved), f"twist about {name}"))
            stretch = [self._along(axis, self._arms[:, axis])]
            ways.append((self._explained(stretch, moved), f"stretching along {name}"))
        for one, two in ((0, 1), (0, 2), (1, 2)):
            rack = [self._along(one, self._arms[:, two]) + self._along(two, self._arms[:, one])]
            plane = f"{'xyz'[one]}-{'xyz'[two]}"
            ways.append((self._explained(rack, moved), f"racking in the {plane} plane"))
        share, words = max(ways)
        return words if share >= _FIELD else ""

    def along_a_line(self, shape: Array) -> str:
        """How members that stand in one line bend; nothing where they do not."""
        order = np.argsort(self._extent)
        if self._extent[order[1]] > _FLAT * self._size:
            return ""
        axis = int(order[2])
        moved = shape[np.argsort(self._arms[:, axis]), :3]
        sizes = np.sum(moved**2, axis=0)
        way = int(np.argmax(sizes))
        waves = counted(lobes(moved[:, way]), "half-wave")
        name = "stretching" if way == axis else "bending"
        return f"{name} along {'xyz'[way]}, {waves}"
