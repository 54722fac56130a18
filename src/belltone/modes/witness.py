"""Shapes read off at fixed points of the part, so that any two solutions can be compared."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import lagrange, lobatto
from belltone.sheet.design import Design
from belltone.system.assembly import System

__all__ = ["PART_LENGTH", "STATIONS", "carried_motions", "sample_shapes", "signatures"]

Array = NDArray[np.float64]

STATIONS: Final[Array] = np.linspace(0.0, 1.0, 129)
"""Shares of the length at which shapes are read: 64 half-waves are still told apart."""


PART_LENGTH: Final = 6 * len(STATIONS)
"""So many entries of a signature are the part's own; those of lumped masses follow."""


def sample_shapes(system: System, motions: Array) -> Array:
    """Read node motions ``(modes, nodes, 6)`` at the stations: ``(modes, stations, 6)``."""
    mesh = system.mesh
    element, local = mesh.sample(STATIONS)
    values, _ = lagrange(lobatto(mesh.order), local)
    local_motions = motions[:, mesh.connectivity[element]]
    return np.asarray(np.einsum("si,msid->msd", values, local_motions, optimize=True))


def carried_motions(design: Design, system: System, motions: Array) -> Array:
    """Motions of the nodes that carry lumped masses: ``(modes, masses, 6)``."""
    nodes = [system.mesh.site_nodes[hung.place.site] for hung in design.masses]
    return motions[:, nodes]


def signatures(design: Design, shapes: Array, carried: Array) -> Array:
    """Return mass-weighted unit vectors ``(modes, s)``; their products are modal assurances.

    Stations carry the member's mass and rotary inertia, lumped masses their own.
    """
    member = design.members[0]
    section = member.section_at(STATIONS).properties(member.material.poisson_ratio)
    weights = np.full(len(STATIONS), 1.0 / (len(STATIONS) - 1))
    weights[[0, -1]] *= 0.5
    line = weights * member.length * member.material.density
    turning = np.column_stack(
        [
            section.second_moment_y + section.second_moment_z,
            section.second_moment_y,
            section.second_moment_z,
        ]
    )
    pieces = [
        shapes[..., :3] * np.sqrt(line * section.area)[:, None],
        (shapes[..., 3:] @ member.frame.T) * np.sqrt(line[:, None] * turning),
    ]
    flat = [piece.reshape(len(shapes), 3 * len(STATIONS)) for piece in pieces]
    for place, hung in enumerate(design.masses):
        motion = carried[:, place]
        centre = motion[:, :3] + np.cross(motion[:, 3:], np.array(hung.offset))
        flat += [np.sqrt(hung.mass) * centre, np.sqrt(np.array(hung.inertia)) * motion[:, 3:]]
    vectors = np.hstack(flat)
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return vectors / np.where(lengths > 0, lengths, 1.0)
