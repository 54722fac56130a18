"""How alike modes of two designs are, whatever their meshes, placement and parts.

Where both designs have the same parts in the same place, points carry the same shares of them and
the signatures of both mode sets are compared as they are. Else shapes are read at the points of
the parts both have, in each part's own axes: a part that was turned, moved, mirrored or meshed
anew is the part it was. Masses that hang on them go along with the part they hang on.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, PartValue
from belltone.design.values import Design, MassValue
from belltone.modes.matching import assurance, clusters
from belltone.modes.modeset import ModeSet
from belltone.system.assembly import bodies_of
from belltone.system.kinds import kind_of
from belltone.system.witness import PartWitness, Witness

__all__ = ["Likeness", "Side", "aligned", "laid_alike", "likeness"]

Array = NDArray[np.float64]

_SAME_AXES: Final = 1e-6
_SAME_PLACE: Final = 1e-3  # of the part's size
_NEIGHBOURS: Final = 4
_SEEN: Final = 1e-3  # of a signature's length; what points move less than says nothing of sizes


@dataclass(frozen=True, eq=False)
class Side:
    """One of two designs to be compared, under a name, with its modes."""

    name: str
    design: Design
    modes: ModeSet

    @cached_property
    def witness(self) -> Witness:
        """The points at which its shapes are read."""
        bodies = bodies_of(self.design, self.modes.discretisation)
        members = sum(body.part.is_solid and not body.part.is_wall for body in bodies)
        return Witness(bodies, [kind_of(body.part).witness(body, members) for body in bodies])


@dataclass(frozen=True, eq=False)
class Likeness:
    """How alike flexible modes are.

    ``first`` (m, s) and ``second`` (n, s) are vectors whose products are 1 for the same shape.
    ``lone`` (m,) and ``second_lone`` (n,) are shares of the moving mass in parts that only one of
    both designs has; what those vectors lack in length is there.
    """

    first: NDArray[Any]
    second: NDArray[Any]
    lone: Array
    second_lone: Array

    @property
    def assurance(self) -> Array:
        """Mass-weighted modal assurance ``(m, n)``, 0 to 1."""
        return assurance(self.first, self.second)


def likeness(first: Side, second: Side) -> Likeness:
    """How alike the flexible modes of two designs are."""
    one, two = first.modes, second.modes
    if laid_alike(first, second):
        count = min(one.signatures.shape[1], two.signatures.shape[1])
        found = [modes.signatures[modes.rigid_count :] for modes in (one, two)]
        if one.signatures.shape[1] != two.signatures.shape[1]:
            found = [_unit(vectors[:, :count]) for vectors in found]
        return Likeness(
            found[0], found[1], np.zeros(len(one.flexible)), np.zeros(len(two.flexible))
        )
    return _by_parts(first, second)


def laid_alike(first: Side, second: Side) -> bool:
    """Whether points of both carry the same shares of the same parts, in the same axes."""
    one, two = first.modes, second.modes
    if one.part_names != two.part_names or one.point_counts != two.point_counts:
        return False
    for part, other in zip(first.design.parts, second.design.parts, strict=True):
        if type(part) is not type(other):
            return False
        if np.abs(part.axes - other.axes).max() > _SAME_AXES:
            return False
        shapes = [getattr(each, "shape", None) for each in (part, other)]
        if type(shapes[0]) is not type(shapes[1]):
            return False
    return _cuts(one) == _cuts(two)


def _cuts(modes: ModeSet) -> list[object]:
    """How walls are cut into the pieces that points lie on."""
    return [(plan.scheme, plan.cuts) for plan in modes.discretisation.plans]


def _by_parts(first: Side, second: Side) -> Likeness:
    witnesses = [side.witness for side in (first, second)]
    shapes = [side.modes.shapes[side.modes.rigid_count :] for side in (first, second)]
    split = [witness.split(own) for witness, own in zip(witnesses, shapes, strict=True)]
    sizes = [
        np.sum(witness.weighted(own) ** 2, axis=1)
        for witness, own in zip(witnesses, shapes, strict=True)
    ]
    hung = [_hung(side, own) for side, own in zip((first, second), sizes, strict=True)]
    places = {part.name: at for at, part in enumerate(second.design.parts)}
    vectors: list[tuple[Array, Array]] = []
    for at, part in enumerate(first.design.parts):
        there = places.get(part.name)
        if there is None or not part.is_solid:
            continue
        other = second.design.parts[there]
        if not other.is_solid:
            continue
        own, theirs = witnesses[0].parts[at], witnesses[1].parts[there]
        turn = _turned(part, other, own.positions, theirs.positions)
        read = _read(part, other, own, theirs, split[1][there], turn)
        # What a part moves by its mass there counts, read with the weights of the points here.
        mass = np.sqrt(theirs.masses.sum() / max(own.masses.sum(), 1e-300))
        vectors.append((own.weighted(split[0][at]), mass * own.weighted(read)))
        here = [each for each in _rigid(first.design) if each.place.part == part.name]
        for each in _rigid(second.design):
            same = [one for one in here if one.name == each.name]
            if each.place.part == part.name and same:
                carried = _carried(same[0], each, hung[1][each.name], turn)
                vectors.append((hung[0][each.name], carried))
                # One that hangs in one design alone does not make a mode another one.
                sizes = [
                    size + np.sum(moved**2, axis=1)
                    for size, moved in zip(sizes, vectors[-1], strict=True)
                ]
    if not vectors:
        nothing = [np.zeros((len(own), 1)) for own in shapes]
        ones = [np.ones(len(own)) for own in shapes]
        return Likeness(nothing[0], nothing[1], ones[0], ones[1])
    found = [np.hstack(each) for each in zip(*vectors, strict=True)]
    shared = [np.sum(own**2, axis=1) for own in found]
    lone = [
        np.clip(1.0 - part / np.where(size > 0, size, 1.0), 0.0, 1.0)
        for part, size in zip(shared, sizes, strict=True)
    ]
    names = {part.name for part in first.design.parts}
    if all(part.name in places for part in first.design.parts if part.is_solid):
        lone[0] = np.zeros_like(lone[0])
    if all(part.name in names for part in second.design.parts if part.is_solid):
        lone[1] = np.zeros_like(lone[1])
    units = [
        _unit(own) * np.sqrt(1.0 - away)[:, None] for own, away in zip(found, lone, strict=True)
    ]
    return Likeness(*units, *lone)


def _rigid(design: Design) -> list[MassValue]:
    """Masses that move as one body each."""
    return [hung for hung in design.masses if not hung.even]


def _hung(side: Side, points: Array) -> dict[str, Array]:
    """What masses hung on a design move by their mass, ``(modes, 6)`` by name, as large as shapes.

    It stands at the end of signatures, behind what the points move; ``points`` (modes,) is how
    much that is, squared, in the shapes.
    """
    masses = _rigid(side.design)
    whole = side.modes.signatures[side.modes.rigid_count :].real
    first = whole.shape[1] - 6 * len(masses)
    own = np.linalg.norm(whole[:, :first], axis=1)
    # Where nothing but a mass moves, it is as large as its modal mass says.
    modal = np.sqrt(side.modes.modal_masses[side.modes.rigid_count :])
    size = np.where(own > _SEEN, np.sqrt(points) / np.maximum(own, _SEEN), modal)
    tail = (whole[:, first:] * size[:, None]).reshape(len(whole), len(masses), 6)
    return {hung.name: tail[:, at] for at, hung in enumerate(masses)}


def _carried(one: MassValue, two: MassValue, moved: Array, turn: Array) -> Array:
    """What the second of two masses moves, ``(modes, 6)``, in the axes of the first one's part."""
    own, theirs = np.sqrt(np.array(one.inertia)), np.sqrt(np.array(two.inertia))
    turns = moved[:, 3:] / np.where(theirs > 0, theirs, 1.0)
    turns = np.linalg.det(turn) * turns @ turn.T
    larger = np.linalg.norm(theirs) / max(float(np.linalg.norm(own)), 1e-300)
    return np.hstack([moved[:, :3] @ turn.T, turns * own * (larger if own.any() else 0.0)])


def _read(
    part: PartValue,
    other: PartValue,
    own: PartWitness,
    theirs: PartWitness,
    shapes: Array,
    turn: Array,
) -> Array:
    """Shapes ``(modes, points, 6)`` of the other part at the points of this one, turned so."""
    moved = np.concatenate(
        [shapes[..., :3] @ turn.T, np.linalg.det(turn) * shapes[..., 3:] @ turn.T], axis=-1
    )
    if isinstance(part, MemberValue) and isinstance(other, MemberValue):
        at = np.linspace(0.0, 1.0, len(own.positions)) * (len(theirs.positions) - 1)
        low = np.minimum(at.astype(int), len(theirs.positions) - 2)
        share = (at - low)[:, None]
        return np.asarray(moved[:, low] * (1 - share) + moved[:, low + 1] * share)
    here = _scaled(own.positions, own.positions)
    there = _scaled(theirs.positions @ turn.T, own.positions)
    nearest = list(range(1, min(_NEIGHBOURS, len(there)) + 1))
    away, near = (np.asarray(each) for each in scipy.spatial.cKDTree(there).query(here, k=nearest))
    weights = 1.0 / np.maximum(away, 1e-9) ** 2
    weights /= weights.sum(axis=1, keepdims=True)
    return np.asarray(np.einsum("pk,mpkd->mpd", weights, moved[:, near]))


def _scaled(places: Array, like: Array) -> Array:
    """Places as shares of their extent; along which a part is flat, as that of its size."""
    low, high = places.min(axis=0), places.max(axis=0)
    size = float(np.linalg.norm(np.ptp(like, axis=0))) or 1.0
    extent = np.where(high - low > _SAME_PLACE * size, high - low, size)
    return np.asarray((places - low) / extent)


def _turned(part: PartValue, other: PartValue, places: Array, theirs: Array) -> Array:
    """The turn, or mirroring, that takes the other part's motions into the axes of this one."""
    turn = part.axes @ other.axes.T
    if len(places) != len(theirs):
        return np.asarray(turn)
    here, there = (own - own.mean(axis=0) for own in (places, theirs))
    size = float(np.linalg.norm(here)) or 1.0
    if np.linalg.norm(there @ turn.T - here) < _SAME_PLACE * size:
        return np.asarray(turn)
    # W. Kabsch, Acta Cryst. A 32 (1976) 922; mirrored ones are as welcome here.
    left, strengths, right = np.linalg.svd(here.T @ there)
    found = left @ right
    flat = strengths[2] < 1e-9 * strengths[0]
    if not flat and np.linalg.norm(there @ found.T - here) < _SAME_PLACE * size:
        return np.asarray(found)
    return np.asarray(turn)


def _product(first: NDArray[Any], second: NDArray[Any]) -> Array:
    """Products ``(m, n)`` of signatures; of whirling ones as they stand at the beginning."""
    return np.asarray((first @ second.conj().T).real)


def _unit(vectors: NDArray[Any]) -> NDArray[Any]:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))


def aligned(
    first: Side, second: Side, partners: NDArray[np.intp], found: Likeness
) -> tuple[Side, Side, Likeness]:
    """Both sides with equal modes turned so that partners look the same, and signs alike.

    Shapes of equal frequency may be mixed at will; those of the ``second`` are mixed to look like
    their ``partners`` (places among its flexible modes, -1 for none), those of the first where only
    the first has equal ones. Energies of mixed shapes are left as they were.
    """
    turn_first = np.eye(len(first.modes.flexible))
    turn_second = np.eye(len(second.modes.flexible))
    products = _product(found.first, found.second)
    for group in clusters(second.modes.flexible):
        rows = [
            (int(place), int(partner))
            for place, partner in enumerate(partners)
            if group.start <= partner < group.stop
        ]
        _mix(turn_second, group, [partner for _, partner in rows], products[[p for p, _ in rows]])
    for group in clusters(first.modes.flexible):
        rows = [
            (place, int(partners[place]))
            for place in range(group.start, group.stop)
            if partners[place] >= 0
        ]
        apart = {
            at
            for at, other in enumerate(clusters(second.modes.flexible))
            for _, partner in rows
            if other.start <= partner < other.stop
        }
        if len(apart) < 2:
            continue
        theirs = (turn_second @ found.second)[[partner for _, partner in rows]]
        wanted = _product(theirs, found.first)
        _mix(turn_first, group, [place for place, _ in rows], wanted)
    one, two = turn_first @ found.first, turn_second @ found.second
    # Signs: the second's follow the first's.
    for place, partner in enumerate(partners):
        if partner >= 0 and np.vdot(one[place], two[partner]).real < 0:
            turn_second[partner] *= -1.0
            two[partner] *= -1.0
    return (
        _mixed(first, turn_first),
        _mixed(second, turn_second),
        Likeness(one, two, found.lone, found.second_lone),
    )


def _mix(turn: Array, group: slice, rows: list[int], wanted: Array) -> None:
    """Set rows of a turn so that modes of a group come nearest to what is ``wanted`` (k, n)."""
    count = group.stop - group.start
    if count < 2 or not rows:
        return
    span = wanted[:, group]
    # Orthogonal Procrustes: P. H. Schönemann, Psychometrika 31 (1966) 1. With fewer partners than
    # modes, the rest of the group fills what is left.
    left, _, right = np.linalg.svd(span, full_matrices=True)
    nearest = left @ right[: len(rows)]
    rest = [place for place in range(group.start, group.stop) if place not in rows]
    turn[rows, group] = nearest
    turn[rest, group] = right[len(rows) :]


def _mixed(side: Side, turn: Array) -> Side:
    if np.array_equal(turn, np.eye(len(turn))):
        return side
    modes = side.modes
    whole = np.eye(len(modes))
    whole[modes.rigid_count :, modes.rigid_count :] = turn
    lagging = None if modes.lagging is None else np.tensordot(whole, modes.lagging, 1)
    shapes = np.tensordot(whole, modes.shapes, 1)
    return replace(
        side,
        modes=replace(modes, shapes=shapes, signatures=whole @ modes.signatures, lagging=lagging),
    )
