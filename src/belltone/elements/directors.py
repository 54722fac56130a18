"""Nodes with directors: how they turn, and energies that are quadratic in them.

A node has a position r and directors d, fixed unit vectors that turn with it. All strains of the
kernels are quadratic in r and d, and so is the kinetic energy; an energy that is

    1/2 sum over nodes i, j of  uu_ij r_i.r_j + 2 ud_ij r_i.d_j + dd_ij d_i.d_j

needs nothing but those numbers for its forces and its exact second variation. A rotation vector t
turns a director by ``d + t x d + 1/2 t x (t x d)``, which adds the last term of the second
variation: with g the force on a director, ``1/2 (g d' + d g') - (g.d) 1`` (J. C. Simo, D. D. Fox
and M. S. Rifai, "On a stress resultant geometrically exact shell model III", Comput. Methods Appl.
Mech. Eng. 79 (1990) 21-70, for one director).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.vectors import cross

__all__ = [
    "DirectorForm",
    "Stressed",
    "cross_matrices",
    "grown",
    "torques",
    "turning_stiffness",
    "turns",
    "unturned",
]

Array = NDArray[np.float64]


def cross_matrices(vectors: Array) -> Array:
    """Matrices ``(..., 3, 3)`` that take b to ``vector x b``."""
    result = np.zeros((*vectors.shape, 3))
    for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        result[..., i, j] = -vectors[..., k]
        result[..., j, i] = vectors[..., k]
    return result


def grown(a: Array, da: Array, b: Array, db: Array) -> Array:
    """How much a.b grows when both change, without differences of large numbers."""
    return np.asarray(np.sum(a * db + da * b + da * db, axis=-1))


def turns(vectors: Array) -> Array:
    """Rotation matrices ``(..., 3, 3)`` of rotation vectors (rad), after O. Rodrigues (1840)."""
    angles = np.linalg.norm(vectors, axis=-1)[..., None, None]
    crossed = cross_matrices(vectors)
    # sin a / a and (1 - cos a) / a², both smooth at zero.
    one = np.sinc(angles / np.pi)
    two = 0.5 * np.sinc(0.5 * angles / np.pi) ** 2
    return np.asarray(np.eye(3) + one * crossed + two * (crossed @ crossed))


def unturned(matrices: Array) -> Array:
    """Rotation vectors ``(..., 3)`` (rad) of rotation matrices, angles below a half turn."""
    axial = 0.5 * np.stack(
        [
            matrices[..., 2, 1] - matrices[..., 1, 2],
            matrices[..., 0, 2] - matrices[..., 2, 0],
            matrices[..., 1, 0] - matrices[..., 0, 1],
        ],
        axis=-1,
    )
    sine = np.linalg.norm(axial, axis=-1)
    cosine = 0.5 * (np.trace(matrices, axis1=-2, axis2=-1) - 1)
    angle = np.arctan2(sine, cosine)
    return np.asarray(axial / np.sinc(angle / np.pi)[..., None])


def turning_stiffness(moments: Array) -> Array:
    """Second variation ``(..., 3, 3)`` from turning directors that carry forces.

    ``moments`` are the sums of ``g d'`` (force times director transposed) at each node.
    """
    even = 0.5 * (moments + np.swapaxes(moments, -1, -2))
    trace = np.trace(moments, axis1=-2, axis2=-1)[..., None, None]
    return np.asarray(even - trace * np.eye(3))


def torques(moments: Array) -> Array:
    """Torques ``(..., 3)``, the sums of ``d x g``, of the same sums of ``g d'``."""
    return np.stack(
        [
            moments[..., 2, 1] - moments[..., 1, 2],
            moments[..., 0, 2] - moments[..., 2, 0],
            moments[..., 1, 0] - moments[..., 0, 1],
        ],
        axis=-1,
    )


@dataclass(frozen=True)
class Stressed:
    """What stress does to elements: ``forces`` ``(elements, d)`` and ``stiffness`` ``(.., d, d)``.

    Forces are those that hold the stress in balance; the stiffness is the part of the tangent that
    comes from stress alone.
    """

    forces: Array
    stiffness: Array


@dataclass(frozen=True)
class DirectorForm:
    """An energy quadratic in positions and directors of the nodes of elements.

    ``uu`` is ``(elements, n, n)``, ``ud`` ``(elements, n, n, k)`` with the node of the position
    first, ``dd`` ``(elements, n, n, k, k)``, for k directors a node. Products of vectors are
    taken with ``along`` (3, 3) between them: a projection, or the skew matrix of an axis.
    """

    uu: Array
    ud: Array
    dd: Array
    along: Array | None = None

    def scaled(self, factor: float) -> DirectorForm:
        """The energy times a factor."""
        return DirectorForm(factor * self.uu, factor * self.ud, factor * self.dd, self.along)

    def _kept(self, vectors: Array) -> Array:
        return vectors if self.along is None else vectors @ self.along

    def gradient(self, positions: Array, directors: Array) -> tuple[Array, Array]:
        """Forces ``(elements, n, 3)`` on nodes and the sums of ``g d'`` there."""
        count = directors.shape[2]
        forces = np.matmul(self.uu, positions)
        pulls = []
        for k in range(count):
            forces += np.matmul(self.ud[..., k], directors[:, :, k])
            pull = np.matmul(self.ud[..., k].swapaxes(1, 2), positions)
            for m in range(count):
                pull += np.matmul(self.dd[..., k, m], directors[:, :, m])
            pulls.append(self._kept(pull))
        moments = np.einsum("kena,enkb->enab", np.stack(pulls), directors)
        return self._kept(forces), np.asarray(moments)

    def pulled(self, vector: Array, directors: Array) -> tuple[Array, Array]:
        """Forces and sums of ``g d'`` of a pull (3,) along every velocity, as of weight."""
        forces = self.uu.sum(axis=2)[..., None] * vector
        pulls = self.ud.sum(axis=1)[..., None] * vector
        return forces, np.asarray(np.einsum("enka,enkb->enab", pulls, directors))

    def of_rates(self, velocities: Array, turning: Array, directors: Array) -> Array:
        """The energy of each element, ``(modes, elements)``, of velocities of its nodes.

        ``velocities`` and ``turning``, the rates of rotation, are ``(modes, elements, n, 3)``.
        """
        assert self.along is None  # as that of mass has
        modes, elements, nodes, _ = velocities.shape

        def flat(vectors: Array) -> Array:
            return vectors.transpose(1, 2, 0, 3).reshape(elements, nodes, 3 * modes)

        def work(first: Array, second: Array) -> Array:
            shaped = (first * second).reshape(elements, nodes, modes, 3)
            return np.asarray(np.sum(shaped, axis=(1, 3)))

        moved = flat(velocities)
        turned = [flat(cross(turning, directors[:, :, k])) for k in range(directors.shape[2])]
        total = work(moved, np.matmul(self.uu, moved))
        for k, first in enumerate(turned):
            total += 2 * work(moved, np.matmul(self.ud[..., k], first))
            for m, second in enumerate(turned):
                if self.dd[..., k, m].any():
                    total += work(first, np.matmul(self.dd[..., k, m], second))
        return np.asarray(0.5 * total.T)

    def moved_as_one(self, positions: Array, directors: Array) -> Array:
        """The form's matrix (6, 6) for motions of everything as one body about the origin."""
        mass = float(self.uu.sum())
        first = np.einsum("eij,ejx->x", self.uu, positions)
        first += np.einsum("eijk,ejkx->x", self.ud, directors)
        mixed = np.einsum("eijk,eix,ejky->xy", self.ud, positions, directors, optimize=True)
        second = np.einsum("eij,eix,ejy->xy", self.uu, positions, positions, optimize=True)
        second += mixed + mixed.T
        second += np.einsum("eijkm,eikx,ejmy->xy", self.dd, directors, directors, optimize=True)
        arm = cross_matrices(first)
        result = np.zeros((6, 6))
        result[:3, :3] = mass * np.eye(3)
        result[:3, 3:], result[3:, :3] = -arm, arm
        result[3:, 3:] = np.trace(second) * np.eye(3) - second
        return result

    def hessian(self, directors: Array, moments: Array | None = None) -> Array:
        """Second variation ``(elements, 6n, 6n)`` by translations and rotations.

        Without ``moments`` (those of `gradient`) the part from turning directors is left out, so
        that it is the plain matrix of the quadratic form in small motions, such as a mass.
        """
        elements, nodes, count, _ = directors.shape
        along = np.eye(3) if self.along is None else self.along
        turning = -cross_matrices(directors)  # t x d
        kept = np.matmul(along, turning)
        result = np.zeros((elements, nodes, 6, nodes, 6))
        result[..., :3, :, :3] = self.uu[:, :, None, :, None] * along[:, None, :]
        mixed = np.zeros((elements, nodes, 3, nodes, 3))
        both = np.zeros((elements, nodes, 3, nodes, 3))
        for k in range(count):
            turned = kept[:, :, k].transpose(0, 2, 1, 3)[:, None]
            mixed += self.ud[:, :, None, :, None, k] * turned
            for m in range(count):
                if not self.dd[..., k, m].any():
                    continue
                pair = _pairs(turning[:, :, k], kept[:, :, m])
                both += self.dd[:, :, None, :, None, k, m] * pair
        result[:, :, :3, :, 3:] = mixed
        # A skew product (that of gyroscopic forces) changes its sign with the order.
        sign = -1.0 if np.array_equal(along, -along.T) else 1.0
        result[:, :, 3:, :, :3] = sign * mixed.transpose(0, 3, 4, 1, 2)
        if moments is not None:
            at = np.arange(nodes)
            both[:, at, :, at] += turning_stiffness(moments).swapaxes(0, 1)
        result[:, :, 3:, :, 3:] = both
        return result.reshape(elements, 6 * nodes, 6 * nodes)


def _pairs(first: Array, second: Array) -> Array:
    """Products ``W_i' W_j`` of all pairs of nodes, ``(elements, n, 3, n, 3)``."""
    elements, nodes = first.shape[:2]
    one = first.transpose(0, 2, 1, 3).reshape(elements, 3, 3 * nodes)
    two = second.transpose(0, 2, 1, 3).reshape(elements, 3, 3 * nodes)
    product = np.matmul(one.swapaxes(1, 2), two)
    return np.asarray(product.reshape(elements, nodes, 3, nodes, 3))
