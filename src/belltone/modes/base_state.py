"""What a preload does before anything vibrates: real displacements, reactions, stress."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.design.values import Design
from belltone.system.assembly import Assembly
from belltone.system.buckling import Buckling
from belltone.system.equilibrium import Equilibrium
from belltone.system.witness import Witness

__all__ = ["BaseState", "Largest", "Reaction", "base_state"]

Array = NDArray[np.float64]

_FACTORS: Final = 4
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
    """The largest value of something (in SI units), the part it is on, and where (m)."""

    what: str
    value: float
    unit: str
    part: str
    at: tuple[float, float, float]


@dataclass(frozen=True, eq=False, kw_only=True)  # compared by identity: arrays have no single truth
class BaseState:
    """The loaded state at the witness points of all parts.

    ``displacements`` (points, 6) in m and rad: these are real sizes. ``forces`` (points, 6) are
    `MEMBER_FORCES` in N and N m on members, `WALL_FORCES` in N/m and N on walls. ``stresses``
    (points, 2) in Pa: on members the largest and the least axial stress of a section, on walls the
    von Mises stress at the inner and the outer face (of received meshes, that of the membrane
    alone, twice). ``imbalance`` is what reactions leave of the load, relative to it. ``factors``
    are buckling factors, with ``shapes`` (factors, points, 6) relative, ``factor_error`` how much
    the lowest differs on a coarser mesh, relative; there are none for large
    deflection, whose state is followed instead. ``snapped`` is the share of the load at which the
    shape snapped through, if it did; ``steps`` the shares of the load it was balanced at.
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


def base_state(
    design: Design,
    assembly: Assembly,
    state: Equilibrium,
    bucklings: tuple[Buckling | None, Buckling | None],
    witness: Witness,
) -> BaseState:
    """Read a loaded state off at the witness points.

    ``bucklings`` are those of the state and, where there is one, of a coarser mesh, which tells
    how far the lowest buckling factor is settled.
    """
    assert design.preload is not None
    motions = state.motions[None]
    displacements = witness.shapes(motions)[0]
    positions = np.concatenate([part.positions for part in witness.parts])
    forces, stresses = (np.concatenate(own) for own in zip(*_stresses(state, witness), strict=True))
    factors, shapes = np.empty(0), np.zeros((0, *displacements.shape))
    factor_error = None
    found, coarser = bucklings
    if found is not None:
        factors = found.factors
        if len(factors):
            if coarser is not None:
                other = coarser.factors
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
        largest=tuple(_largest(positions, displacements, forces, stresses, parts, walls, plied)),
        large=design.preload.large,
        scale=design.preload.scale,
        snapped=state.snapped,
        steps=tuple(fraction for fraction, _ in state.history),
    )


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
        moment = given[own, 3:].sum(axis=0) + np.cross(arms, given[own, :3]).sum(axis=0)
        found.append(
            Reaction(name, _three(_clean(force, size)), _three(_clean(moment, size * extent)))
        )
        force_sum += force
        moment_sum += moment + np.cross(site.centre, force)
    load = external[:, :3].sum(axis=0)
    load_moment = external[:, 3:].sum(axis=0) + np.cross(nodes, external[:, :3]).sum(axis=0)
    left = np.linalg.norm(force_sum + load) + np.linalg.norm(moment_sum + load_moment) / extent
    return tuple(found), float(left / size)


def _clean(vector: Array, size: float) -> Array:
    """Without what is rounding next to the load."""
    return np.where(np.abs(vector) > _ROUNDING * size, vector, 0.0)


def _three(vector: Array) -> tuple[float, float, float]:
    return float(vector[0]), float(vector[1]), float(vector[2])


def _largest(
    positions: Array,
    displacements: Array,
    forces: Array,
    stresses: Array,
    parts: NDArray[np.str_],
    walls: NDArray[np.bool_],
    plied: NDArray[np.bool_],
) -> Iterator[Largest]:
    """The largest values, and where they are."""

    def most(what: str, values: Array, unit: str, where: NDArray[np.bool_]) -> Iterator[Largest]:
        if not where.any():
            return
        at = int(np.argmax(np.where(where, np.abs(values), -1.0)))
        if values[at] != 0:
            yield Largest(what, float(values[at]), unit, str(parts[at]), _three(positions[at]))

    everywhere = np.ones(len(parts), dtype=bool)
    yield from most("displacement", np.linalg.norm(displacements[:, :3], axis=1), "m", everywhere)
    plain = walls & ~plied
    yield from most("von Mises stress, inner face", stresses[:, 0], "Pa", plain)
    yield from most("von Mises stress, outer face", stresses[:, 1], "Pa", plain)
    # Of plies the same sum says which is most stressed; it is no measure of their strength.
    yield from most("equivalent stress, inner ply", stresses[:, 0], "Pa", plied)
    yield from most("equivalent stress, outer ply", stresses[:, 1], "Pa", plied)
    high, low = stresses.T
    worst: Array = np.where(np.abs(high) >= np.abs(low), high, low)
    yield from most("axial stress", worst, "Pa", ~walls)
    for names, chosen, units in (
        (MEMBER_FORCES, ~walls, ("N", "N", "N", "N*m", "N*m", "N*m")),
        (WALL_FORCES, walls, ("N/m", "N/m", "N/m", "N", "N", "N")),
    ):
        for column, (name, unit) in enumerate(zip(names, units, strict=True)):
            yield from most(name, forces[:, column], unit, chosen)
