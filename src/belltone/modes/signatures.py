"""Shapes as unit vectors whose products tell how alike modes of any two solutions are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.system.assembly import System
from belltone.system.witness import Witness
from belltone.vectors import cross

__all__ = ["moved_masses", "signatures"]

Array = NDArray[np.float64]


def signatures(design: Design, system: System, witness: Witness, motions: Array) -> Array:
    """Return mass-weighted unit vectors ``(modes, s)``; their products are modal assurances."""
    vectors = moved_masses(design, system, witness, motions)
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))


def moved_masses(design: Design, system: System, witness: Witness, motions: Array) -> Array:
    """What node motions move, by mass, ``(motions, s)``.

    Points of the part carry its mass, and lumped masses that move as one their own, at the end.
    """
    flat = [witness.weighted(witness.shapes(motions))]
    unknowns = motions.reshape(len(motions), motions.shape[1] * 6).T
    bodies = [hung for hung in design.masses if not hung.even]
    for hung, rows in zip(bodies, system.carried, strict=True):
        motion = np.asarray(rows @ unknowns).T
        centre = motion[:, :3] + cross(motion[:, 3:], np.array(hung.offset))
        flat += [np.sqrt(hung.mass) * centre, np.sqrt(np.array(hung.inertia)) * motion[:, 3:]]
    return np.hstack(flat)
