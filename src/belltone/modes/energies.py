"""How the strain and kinetic energy of modes is shared out among the pieces of a component."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MeshValue, SurfaceValue
from belltone.geometry.skins import Skin
from belltone.mesh.faces import FaceMesh
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.level import Level
from belltone.modes.shares import MASS, REGION, SPRING, EnergyShares
from belltone.system.bodies import Body

__all__ = ["shared_energies", "strains_by_element"]

Array = NDArray[np.float64]


def strains_by_element(bodies: Sequence[Body], motions: Array) -> list[Array]:
    """Strain energy (J) of each body's elements by kind, ``(modes, elements, kinds)``."""
    return [body.elements.strain_energy(body.motions(motions)) for body in bodies]


def shared_energies(
    level: Level, strains: Sequence[Array], rigid: Array, motions: Array
) -> EnergyShares:
    """Shares of the energies of rigid modes and of those that are none, rigid ones first.

    ``rigid`` and ``motions`` ``(modes, nodes, 6)`` are at all nodes, ``strains`` those of
    `strains_by_element` of the latter.
    """
    system = level.system
    moving = np.concatenate([rigid, motions])
    strain = [
        _listed(body, own.sum(axis=2)) for body, own in zip(system.bodies, strains, strict=True)
    ]
    motion = [_listed(body, _moving(body, moving)) for body in system.bodies]
    springs = system.spring_energies(motions)
    hung = _hung(level, moving)
    whole_strain = sum((own.sum(axis=1) for own in strain), springs.sum(axis=1))
    whole_motion = sum((own.sum(axis=1) for own in motion), hung.sum(axis=1))
    regions = list(_regions(system.bodies))
    masses = level.design.masses
    none = np.zeros((len(motions), len(masses)))

    def strained(columns: Array) -> Array:
        shares = columns / np.where(whole_strain > 0, whole_strain, 1.0)[:, None]
        return np.concatenate([np.zeros((len(rigid), shares.shape[1])), shares])

    def moved(columns: Array) -> Array:
        return np.asarray(columns / np.where(whole_motion > 0, whole_motion, 1.0)[:, None])

    return EnergyShares(
        parts=tuple(body.part.name for body in system.bodies),
        part_strain=strained(np.column_stack([own.sum(axis=1) for own in strain])),
        part_motion=moved(np.column_stack([own.sum(axis=1) for own in motion])),
        places=(
            *system.spring_names,
            *(name for name, _, _ in regions),
            *(mass.name for mass in masses),
        ),
        place_pieces=(
            *(SPRING,) * len(system.spring_names),
            *(REGION,) * len(regions),
            *(MASS,) * len(masses),
        ),
        place_strain=strained(np.hstack([springs, _summed(regions, strain), none])),
        place_motion=moved(
            np.hstack([np.zeros((len(moving), springs.shape[1])), _summed(regions, motion), hung])
        ),
        element_counts=tuple(own.shape[1] for own in strain),
        element_centres=np.concatenate([_centres(body) for body in system.bodies]),
        element_strain=strained(np.hstack(strain)),
        element_motion=moved(np.hstack(motion)),
    )


def _moving(body: Body, motions: Array) -> Array:
    """Kinetic energy of a body's elements, ``(modes, elements)``, velocities being the motions."""
    own = body.motions(motions)
    elements, nodes = body.mesh.connectivity.shape
    six = own.reshape(len(motions), elements, nodes, 6)
    form = body.elements.inertia()
    return form.of_rates(six[..., :3], six[..., 3:], body.elements.directors)


def _hung(level: Level, motions: Array) -> Array:
    """Kinetic energy of what hangs on sites, ``(modes, masses)``."""
    pose = None if level.state is None else level.state.pose
    found = np.zeros((len(motions), len(level.assembly.lumps)))
    for at, lump in enumerate(level.assembly.lumps):
        size = level.assembly.size
        moved = (lump.rows(size, pose) @ motions.reshape(len(motions), size).T).T
        own = moved.reshape(len(motions), len(lump.stations), 6)
        pushed = np.einsum("sij,msj->msi", lump.inertia(pose), own)
        found[:, at] = 0.5 * np.sum(own * pushed, axis=(1, 2))
    return found


def _listed(body: Body, values: Array) -> Array:
    """Values ``(modes, elements)`` by what is listed of a body: elements, or a mesh's own faces."""
    mesh = body.mesh
    if not isinstance(mesh, FaceMesh):
        return values
    faces = len(mesh.part.faces)
    return np.array([np.bincount(mesh.face, row, faces) for row in values]).reshape(-1, faces)


def _centres(body: Body) -> Array:
    """Middles (m) of what is listed of a body."""
    mesh = body.mesh
    if not isinstance(mesh, FaceMesh):
        return np.asarray(mesh.coordinates[mesh.connectivity].mean(axis=1))
    return mesh.part.at_faces(mesh.part.points)


def _regions(bodies: Sequence[Body]) -> Iterator[tuple[str, int, NDArray[np.bool_]]]:
    """Regions of received parts that are not all of one: name, which body, and what is in each."""
    for at, body in enumerate(bodies):
        part, mesh = body.part, body.mesh
        if isinstance(part, MeshValue):
            for region in part.region_names:
                inside = np.isin(np.arange(len(part.faces)), part.areas[region])
                yield f"{part.name}.{region}", at, inside
        elif isinstance(part, SurfaceValue) and isinstance(mesh, SurfaceMesh):
            skin = part.shape
            if isinstance(skin, Skin):
                pieces = np.array([block.segment for block in mesh.blocks.blocks])
                own = skin.regions[pieces[mesh.block]]
                for number, region in enumerate(part.region_names):
                    yield f"{part.name}.{region}", at, own == number


def _summed(
    regions: Sequence[tuple[str, int, NDArray[np.bool_]]], listed: Sequence[Array]
) -> Array:
    """What regions hold, ``(modes, regions)``."""
    columns = [listed[at][:, inside].sum(axis=1) for _, at, inside in regions]
    return np.stack(columns, axis=1) if columns else np.zeros((len(listed[0]), 0))
