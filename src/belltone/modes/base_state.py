"""What a preload does before anything vibrates: real displacements, reactions, stress."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.design.values import Design
from belltone.sheet.units import format_number
from belltone.system.assembly import Assembly
from belltone.system.balance import Equilibrium
from belltone.system.buckling import Buckling
from belltone.system.witness import Witness
from belltone.vectors import cross

__all__ = ["BaseState", "Largest", "Reaction", "base_state"]

Array = NDArray[np.float64]

_ROUNDING: Final = 1e-10  # of the load
MEMBER_FORCES = ("axial force", "shear y", "shear z", "twisting moment", "moment y", "moment z")
"""Section forces of members, by the member's own side (y) and up (z)."""
WALL_FORCES = (
    "membrane force 1",
    "membrane force 2",
    "membrane shear",
    "bending moment 1",
    "bending moment 2",
    "twisting moment",
)
"""Resultants of walls, by the part's first direction (1) and the one square to it (2)."""


@dataclass(frozen=True)
class Reaction:
    """What a support gives to the component: force (N) and moment (N m) about the site's middle."""

    name: str
    force: tuple[float, float, float]
    moment: tuple[float, float, float]


@dataclass(frozen=True)
class Largest:
    """The largest value of something (in SI units), the part it is on, and where (m).

    ``error`` is how far it may be off, in its own unit, where the next lower order was there to
    tell it from.
    """

    what: str
    value: float
    unit: str
    part: str
    at: tuple[float, float, float]
    error: float | None = None


@dataclass(frozen=True, eq=False, kw_only=True)  # compared by identity: arrays have no single truth
class BaseState:
    """The loaded state at the witness points of all parts.

    ``displacements`` (points, 6) in m and rad: these are real sizes. ``forces`` (points, 6) are
    `MEMBER_FORCES` in N and N m on members, `WALL_FORCES` in N/m and N on walls. ``stresses``
    (points, 3) in Pa: on members the largest and the least axial stress of a section and the most
    its shear stress can be, on walls the von Mises stress at the inner and the outer face (of
    received meshes, that of the membrane alone, twice). ``imbalance`` is what reactions leave of
    the load, relative to it. ``factors`` are buckling factors, with ``shapes`` (factors, points,
    6) relative, ``factor_error`` how much the lowest differs on a coarser mesh, relative; there
    are none for large deflection, whose state is followed instead. ``snapped`` is the share of the
    load at which the shape snapped through, if it did; ``steps`` the shares of the load it was
    balanced at. ``spun`` is the speed (rad/s) of a spin that is all there is of the load, else
    zero; ``gyroscopic`` tells that modes count forces which buckling factors leave out.
    """

    positions: Array
    displacements: Array
    forces: Array
    stresses: Array
    reactions: tuple[Reaction, ...]
    imbalance: float
    factors: tuple[float, ...]
    factor_error: float | None
    shapes: Array
    largest: tuple[Largest, ...]
    large: bool
    scale: float
    snapped: float | None = None
    steps: tuple[float, ...] = ()
    spun: float = 0.0
    gyroscopic: bool = False

    @property
    def critical(self) -> tuple[float, ...]:
        """Speeds (rad/s) at which a spin alone outweighs what holds the component."""
        return tuple(self.spun * math.sqrt(max(factor, 0.0)) for factor in self.factors)

    def factor_words(self, number: int, digits: int = 4) -> str:
        """A buckling factor in words: a spin's load grows with the square of its speed."""
        factor = self.factors[number]
        if self.spun:
            return f"{format_number(math.sqrt(factor), digits)} times the speed"
        return f"{format_number(factor, digits)} times the load"

    @property
    def equivalent(self) -> Array:
        """The von Mises stress ``(points,)`` (Pa), of members at most that."""
        return equivalent(self.stresses)


def equivalent(stresses: Array) -> Array:
    """Von Mises stress of what is told of points, ``(points, 3)``: of members at most that.

    Of sections whose shear stress is not known it is that of the axial stress.
    """
    axial = np.abs(stresses[:, :2]).max(axis=1)
    return np.asarray(np.sqrt(axial**2 + 3 * np.nan_to_num(stresses[:, 2]) ** 2))


def base_state(
    design: Design,
    assembly: Assembly,
    state: Equilibrium,
    bucklings: tuple[Buckling | None, Buckling | None],
    witness: Witness,
    coarser: tuple[Equilibrium, Witness] | None = None,
) -> BaseState:
    """Read a loaded state off at the witness points.

    ``bucklings`` are those of the state and, where there is one, of a coarser mesh, which tells
    how far the lowest buckling factor is settled; ``coarser`` tells so of displacements and
    stress.
    """
    assert design.preload is not None
    positions = np.concatenate([part.positions for part in witness.parts])
    displacements, forces, stresses = read = _read(state, witness)
    below = None if coarser is None else _read(*coarser)
    factors, shapes = np.empty(0), np.zeros((0, *displacements.shape))
    factor_error = None
    found, lower = bucklings
    if found is not None:
        factors = found.factors
        if len(factors):
            if lower is not None:
                other = lower.factors
                factor_error = abs(float(other[0] / factors[0]) - 1) if len(other) else 1.0
            shapes = witness.shapes(state.system.node_motions(found.shapes))
            reach = witness.reach(shapes).max(axis=1)
            shapes = shapes / np.where(reach > 0, reach, 1.0)[:, None, None]
    reactions, imbalance = _reactions(design, assembly, state)
    parts = np.repeat([part.name for part in design.parts], witness.counts)
    laminates = [isinstance(part, SurfaceValue) and not part.layup.single for part in design.parts]
    plied = np.repeat(laminates, witness.counts)
    walls = np.repeat([part.is_wall or not part.is_solid for part in design.parts], witness.counts)
    return BaseState(
        positions=positions,
        displacements=displacements,
        forces=forces,
        stresses=stresses,
        reactions=reactions,
        imbalance=imbalance,
        factors=tuple(float(factor) for factor in factors),
        factor_error=factor_error,
        shapes=shapes,
        largest=tuple(_largest(positions, read, below, parts, walls, plied)),
        large=design.preload.large,
        scale=design.preload.scale,
        snapped=state.snapped,
        steps=tuple(fraction for fraction, _ in state.history),
        spun=design.preload.turning if design.preload.spins_alone else 0.0,
        gyroscopic=design.preload.spin is not None and design.preload.spin.gyroscopic,
    )


def _read(state: Equilibrium, witness: Witness) -> tuple[Array, Array, Array]:
    """Displacements, resultants and stresses at the points of all parts."""
    forces, stresses = (np.concatenate(own) for own in zip(*_stresses(state, witness), strict=True))
    return witness.shapes(state.motions[None])[0], forces, stresses


def _stresses(state: Equilibrium, witness: Witness) -> Iterator[tuple[Array, Array]]:
    """Resultants and stresses at the points of each part."""
    whole = None if state.pose is not None else state.motions[None]
    bodies = state.system.bodies
    for body, part, (heat, pull) in zip(bodies, witness.parts, state.initial, strict=True):
        motions = None if whole is None else body.motions(whole)[0]
        yield part.stressed(body.elements, motions, heat, pull)


def _reactions(
    design: Design, assembly: Assembly, state: Equilibrium
) -> tuple[tuple[Reaction, ...], float]:
    """What supports and set displacements give, and what is left of the whole balance.

    The residual of every node is what something holds it with; nodes of a site that several hold
    count for the first of them. Springs give what they are stretched by.
    """
    given = -state.residual.reshape(-1, 6)
    nodes = assembly.coordinates + (0.0 if state.pose is None else state.pose.displacements)
    springs = assembly.supports
    sprung = springs.sprung.T @ (
        springs.stiffness * np.asarray(springs.sprung @ state.motions.ravel())
    )
    given = given - sprung.reshape(-1, 6)
    # Joints and rigid bodies balance within the component; what is left is what holds it.
    moves = () if design.preload is None else design.preload.moves
    named = [(support.name, support.place) for support in design.supports if support.holds]
    known = {place for _, place in named}
    named += [
        (f"{move.place.site}, moved", move.place) for move in moves if move.place not in known
    ]
    external, extent = state.forces.reshape(-1, 6), max(assembly.extent, 1e-12)
    size = max(
        float(np.abs(external[:, :3]).sum()),
        float(np.abs(given[:, :3]).sum()),
        float(np.abs(external[:, 3:]).sum() + np.abs(given[:, 3:]).sum()) / extent,
        1e-300,
    )
    taken = np.zeros(len(nodes), dtype=bool)
    found: list[Reaction] = []
    force_sum, moment_sum = np.zeros(3), np.zeros(3)
    for name, place in named:
        site = assembly.by_name[place.part].site(place)
        own = np.unique(site.nodes)
        own = own[~taken[own]]
        taken[own] = True
        force = given[own, :3].sum(axis=0)
        arms = nodes[own] - site.centre
        moment = given[own, 3:].sum(axis=0) + cross(arms, given[own, :3]).sum(axis=0)
        found.append(
            Reaction(name, _three(_clean(force, size)), _three(_clean(moment, size * extent)))
        )
        force_sum += force
        moment_sum += moment + cross(site.centre, force)
    load = external[:, :3].sum(axis=0)
    load_moment = external[:, 3:].sum(axis=0) + cross(nodes, external[:, :3]).sum(axis=0)
    left = np.linalg.norm(force_sum + load) + np.linalg.norm(moment_sum + load_moment) / extent
    return tuple(found), float(left / size)


def _clean(vector: Array, size: float) -> Array:
    """Without what is rounding next to the load."""
    return np.where(np.abs(vector) > _ROUNDING * size, vector, 0.0)


def _three(vector: Array) -> tuple[float, float, float]:
    return float(vector[0]), float(vector[1]), float(vector[2])


def _largest(
    positions: Array,
    found: tuple[Array, Array, Array],
    below: tuple[Array, Array, Array] | None,
    parts: NDArray[np.str_],
    walls: NDArray[np.bool_],
    plied: NDArray[np.bool_],
) -> Iterator[Largest]:
    """The largest values, and where they are.

    What the next lower order has there instead, or as its own largest, tells how far they may be
    off: the order above is nearer the truth than that, unless there is none, as at a sharp corner.
    """
    everywhere = np.ones(len(parts), dtype=bool)
    chosen = {"walls": walls & ~plied, "plies": plied, "members": ~walls, "all": everywhere}
    chosen["wall forces"] = walls
    lower = None if below is None else dict(_measured(*below))
    for (what, unit, where), values in _measured(*found):
        here = chosen[where]
        if not here.any():
            continue
        at = int(np.argmax(np.where(here, np.abs(values), -1.0)))
        value = float(values[at])
        if value == 0:
            continue
        error = None
        if lower is not None:
            other = lower[what, unit, where]
            largest = float(np.abs(other[here]).max())
            error = max(abs(float(other[at]) - value), abs(largest - abs(value)))
        yield Largest(what, value, unit, str(parts[at]), _three(positions[at]), error)


def _measured(
    displacements: Array, forces: Array, stresses: Array
) -> Iterator[tuple[tuple[str, str, str], Array]]:
    """What is told of a state: a name, its unit and what it is told of, and values at points."""
    yield ("displacement", "m", "all"), np.linalg.norm(displacements[:, :3], axis=1)
    yield ("von Mises stress, inner face", "Pa", "walls"), stresses[:, 0]
    yield ("von Mises stress, outer face", "Pa", "walls"), stresses[:, 1]
    # Of plies the same sum says which is most stressed; it is no measure of their strength.
    yield ("equivalent stress, inner ply", "Pa", "plies"), stresses[:, 0]
    yield ("equivalent stress, outer ply", "Pa", "plies"), stresses[:, 1]
    high, low, shear = stresses.T
    yield ("axial stress", "Pa", "members"), np.where(np.abs(high) >= np.abs(low), high, low)
    yield ("shear stress, at most", "Pa", "members"), np.nan_to_num(shear)
    yield ("von Mises stress, at most", "Pa", "members"), equivalent(stresses)
    for names, where, units in (
        (MEMBER_FORCES, "members", ("N", "N", "N", "N*m", "N*m", "N*m")),
        (WALL_FORCES, "wall forces", ("N/m", "N/m", "N/m", "N", "N", "N")),
    ):
        for column, (name, unit) in enumerate(zip(names, units, strict=True)):
            yield (name, unit, where), forces[:, column]
