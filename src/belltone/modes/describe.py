"""All that is told of modes: kinds, energies, shapes, masses, and the loaded state."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.surface import SurfaceMesh
from belltone.modes.assembly_words import assembly_kinds
from belltone.modes.base_state import base_state
from belltone.modes.energies import shared_energies, strains_by_element
from belltone.modes.kinds import (
    MEMBER_ENERGIES,
    MIXED_ENERGIES,
    WALL_ENERGIES,
    energy_shares,
    mixed_energies,
    wall_kind_names,
    wall_shares,
)
from belltone.modes.level import Level
from belltone.modes.mass_properties import effective_masses
from belltone.modes.member_words import member_kinds
from belltone.modes.modeset import ModeSet
from belltone.modes.patterns import wall_kinds
from belltone.modes.signatures import signatures
from belltone.modes.solution import Solution
from belltone.system.buckling import Buckling
from belltone.system.witness import LineWitness, SurfaceWitness, Witness

__all__ = ["kinds_of", "mode_set", "other_way"]

Array = NDArray[np.float64]

_MOVES: Final = 1e-6  # below this a member only twists, and its rotation gives the sign


def mode_set(fine: Solution, errors: Array, lower: Level | None, buckled: bool = True) -> ModeSet:
    """All about the modes of a solution; ``lower`` is the level below, if it was loaded too.

    Buckling factors are found only where ``buckled`` is asked.
    """
    level = fine.level
    design, system, witness = level.design, level.system, level.witness
    rigid = len(system.rigid_names)
    rigid_motions, motions = (
        system.node_motions(vectors) for vectors in (system.rigid, fine.shapes)
    )
    strains = strains_by_element(system.bodies, motions)
    names, energies, kinds = _kinds(fine, motions, strains)
    shapes, scales = _relative(
        witness, np.concatenate([witness.shapes(rigid_motions), witness.shapes(motions)])
    )
    lagging = None
    if fine.lagging is not None:
        behind = witness.shapes(system.node_motions(fine.lagging))
        lagging = np.concatenate([np.zeros((rigid, *behind.shape[1:])), behind])
        lagging = lagging * scales[:, None, None]
        kinds = tuple(map(_with_whirl, kinds, fine.waves))
    densities = witness.densities(motions)
    effective = effective_masses(system, np.hstack([system.rigid, fine.shapes]))
    mass = float(system.rigid_mass[0, 0])
    base = None
    if level.state is not None:
        bucklings: tuple[Buckling | None, Buckling | None] = (None, None)
        if buckled:
            bucklings = (level.buckling, None if lower is None else lower.buckling)
        coarser = None
        if lower is not None and lower.state is not None:
            coarser = lower.state, lower.witness
        base = base_state(design, level.assembly, level.state, bucklings, witness, coarser)
    return ModeSet(
        frequencies=np.concatenate([np.zeros(rigid), fine.frequencies]),
        errors=np.concatenate([np.zeros(rigid), errors]),
        rigid_names=system.rigid_names,
        kinds=tuple(f"rigid, {name}" for name in system.rigid_names) + kinds,
        energy_names=names,
        energies=np.concatenate([np.zeros((rigid, len(names))), energies]),
        # Vectors have a modal mass of one, so the scale to amplitude one says the rest.
        modal_masses=scales**2 * np.concatenate([np.ones(rigid), fine.modal_masses]),
        effective=effective,
        swings=effective[:, :3] / mass,
        shapes=shapes,
        densities=np.concatenate([np.zeros((rigid, densities.shape[1])), densities]),
        motion_densities=witness.motion_densities(shapes),
        # Signs as those of the shapes, so that shapes may be mixed as their signatures are.
        signatures=np.sign(scales)[:, None]
        * np.concatenate([signatures(design, system, witness, rigid_motions), fine.signatures]),
        discretisation=level.discretisation,
        unknowns=system.unknowns,
        complete=fine.complete,
        mass=mass,
        part_names=tuple(part.name for part in design.parts),
        point_counts=witness.counts,
        held=shared_energies(level, strains, rigid_motions, motions),
        skipped=fine.skipped,
        lagging=lagging,
        waves=(0,) * rigid + (fine.waves or (0,) * len(fine.frequencies)),
        base=base,
    )


def kinds_of(solution: Solution) -> tuple[str, ...]:
    """The kinds of the modes asked for."""
    system = solution.level.system
    motions = system.node_motions(solution.shapes)
    kinds = _kinds(solution, motions, strains_by_element(system.bodies, motions))[2]
    return tuple(map(_with_whirl, kinds, solution.waves)) if solution.waves else kinds


def _kinds(
    fine: Solution, motions: Array, by_element: Sequence[Array]
) -> tuple[tuple[str, ...], Array, tuple[str, ...]]:
    """Names of the energies, their shares, and the kind of each mode."""
    design, system, witness = fine.level.design, fine.level.system, fine.level.witness
    strains = [own.sum(axis=1) for own in by_element]
    springs = system.spring_energy(motions)[:, None]
    solid = [part.name for part in design.solid_parts]
    if len(solid) == 1 and not design.has_received:
        at = [body.part.name for body in system.bodies].index(solid[0])
        own = np.column_stack([strains[at], springs])
        part, mesh = witness.parts[at], system.bodies[at].mesh
        if isinstance(part, SurfaceWitness) and isinstance(mesh, SurfaceMesh):
            shares = wall_shares(own)
            patterns = wall_kinds(mesh, part, witness.split(witness.shapes(motions))[at])
            return WALL_ENERGIES, shares, wall_kind_names(shares, patterns)
        shares = energy_shares(own)
        assert isinstance(part, LineWitness)
        kinds = member_kinds(part, witness.split(witness.shapes(motions))[at], shares)
        return MEMBER_ENERGIES, shares, kinds
    mixed = sum(mixed_energies(own) for own in strains)
    shares = wall_shares(np.column_stack([mixed, springs]))
    read = witness.shapes(motions)
    totals = [own.sum(axis=1) for own in strains]
    by_part = wall_shares(np.column_stack([*totals, springs]))[:, :-1]
    kinds = assembly_kinds(design, system.bodies, witness, read, by_part, shares, strains)
    return MIXED_ENERGIES, shares, kinds


def other_way(kind: str) -> str:
    """What a whirling mode is called where it is seen to go the other way."""
    for way, other in (("forward", "backward"), ("backward", "forward")):
        if kind.endswith(f"{way} whirl"):
            return f"{kind.removesuffix(f'{way} whirl')}{other} whirl"
    return kind


def _with_whirl(kind: str, waves: int) -> str:
    if not waves:
        return kind
    return f"{kind}, {'forward' if waves > 0 else 'backward'} whirl"


def _relative(witness: Witness, shapes: Array) -> tuple[Array, Array]:
    """Scale so that what moves most moves by one, the first large part positive.

    Returns the shapes and the factors they were multiplied by, signs included.
    """
    reach = witness.reach(shapes)
    largest = reach.max(axis=1)
    factors = 1.0 / np.where(largest > 0, largest, 1.0)
    shapes = shapes * factors[:, None, None]
    flat = np.where(
        np.abs(shapes[..., :3]).max(axis=(1, 2), keepdims=True) >= _MOVES,
        shapes[..., :3],
        shapes[..., 3:],
    ).reshape(len(shapes), 3 * shapes.shape[1])
    first = np.argmax(np.abs(flat) >= 0.5 * np.abs(flat).max(axis=1, keepdims=True), axis=1)
    signs = np.sign(flat[np.arange(len(flat)), first])
    signs = np.where(signs == 0, 1.0, signs)
    return shapes * signs[:, None, None], factors * signs
