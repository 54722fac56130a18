"""One design of a family as projections need it, and small problems over a few vectors."""

from __future__ import annotations

import hashlib
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.level import Level
from belltone.reduce.fitting import Fitting
from belltone.reduce.forms import Forms, independent, ritz
from belltone.reduce.model import Place
from belltone.system.bodies import Body, Mesh
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.loads import gyroscopic
from belltone.system.pattern import combined
from belltone.system.products import Symmetric

__all__ = ["Judged", "Sample", "mesh_of"]

Array = NDArray[np.float64]

_BESIDE: Final = 4  # modes beyond the watched ones that are corrected with them
_OFF: Final = (1.0, 1 + 1e-6, 1 + 1e-4)  # shifts to try, where one stands on an eigenvalue


def mesh_of(bodies: Iterable[Body]) -> Hashable:
    """What tells meshes apart, whatever the places of their nodes."""

    def told(mesh: Mesh) -> Hashable:
        nodes = mesh.connectivity
        return nodes.shape, hashlib.sha256(nodes.tobytes()).digest(), mesh.counted

    return tuple(told(body.mesh) for body in bodies)


class Sample:
    """A design with its matrices over what is free; ``mesh`` tells meshes apart."""

    def __init__(self, place: Place, level: Level) -> None:
        system = level.system
        self.place, self.rigid = place, system.rigid
        self._stiffness, self._mass = system.stiffness, system.mass
        self._slides = system.coupling[:, :3]
        self.speed, self.total = 0.0, float(system.rigid_mass[0, 0])
        self._skew: scipy.sparse.csc_matrix | None = None
        if level.whirls:
            self.speed, self._skew = _turning(level)
            # Spin takes its square off the eigenvalues; this gives it back, and changes no shape.
            self._stiffness = combined(self._stiffness, self.speed**2, self._mass)
        self._products = Symmetric(self._stiffness), level.mass
        self._fitting = Fitting(system.free, level.assembly.extent)
        self.mesh = mesh_of(system.bodies)

    def fitted(self, motions: Array) -> Array:
        """Node motions by what is free here, without what moves all as one."""
        return self.clear(self._fitting(motions))

    def clear(self, reduced: Array) -> Array:
        """Vectors without what moves all as one."""
        if not self.rigid.shape[1]:
            return reduced
        return np.asarray(reduced - self.rigid @ (self.rigid.T @ (self._products[1] @ reduced)))

    def filtered(self, reduced: Array, shift: float) -> Array:
        """Vectors after one step of inverse iteration, ``(K + shift M)^-1 M``.

        Shapes of another design stretch this one, and what is stiff hides what is soft. The step
        leaves modes up to the shift nearly as they are, and takes out what lies far above it.
        """
        factor = Factor(combined(self._stiffness, shift, self._mass))
        return factor.solve(shift * (self._products[1] @ reduced))

    def forms(self, first: Array, second: Array) -> Forms:
        """Stiffness and mass between some vectors and others."""
        stiffness, mass = (first.T @ (matrix @ second) for matrix in self._products)
        skew = None if self._skew is None else first.T @ np.asarray(self._skew @ second)
        return Forms(stiffness, mass, first.T @ self._slides, skew, self.speed, self.total)

    def projected(self, reduced: Array) -> Forms:
        """Stiffness and mass over some vectors."""
        found = self.forms(reduced, reduced)
        skew = None if found.skew is None else 0.5 * (found.skew - found.skew.T)
        return Forms(
            0.5 * (found.stiffness + found.stiffness.T),
            0.5 * (found.mass + found.mass.T),
            found.slides,
            skew,
            self.speed,
            self.total,
        )

    def judged(self, vectors: NDArray[Any], values: Array, count: int) -> Judged:
        """How much one step of inverse iteration changes of ``count`` modes and some beside them.

        ``vectors`` (free, k) are approximate modes, ``values`` squares of their angular
        frequencies, ascending.
        """
        block = min(count + _BESIDE, len(values))
        values, vectors = values[:block], vectors[:, :block]
        if self._skew is not None:
            return self._whirling(vectors, values, count)
        below = _widest_gap(values, count)
        shift = 0.5 * (values[below - 1] + values[min(below, block - 1)])
        factor = self._factor(shift)
        if factor is None:
            return Judged(np.ones(count), vectors, True)
        pushed = self._products[1] @ vectors
        residual = self._products[0] @ vectors - pushed * values
        both = np.hstack([vectors, self.clear(factor.solve(residual))])
        found = self.projected(both)
        better, weights = ritz(found.stiffness, found.mass)
        shares = np.maximum(values[:count], 0) / np.maximum(better[:count], 1e-300)
        counted = factor.negatives
        lacking = counted is not None and counted != below + self.rigid.shape[1]
        return Judged(np.abs(np.sqrt(shares) - 1), both @ weights[:, :block], lacking)

    def _whirling(self, vectors: NDArray[Any], values: Array, count: int) -> Judged:
        """The same with gyroscopic forces; nobody counts whether any mode lacks."""
        skew = self._skew
        assert skew is not None
        factor = Factor(combined(self._stiffness, float(values[count - 1]), self._mass))
        real, imaginary = (np.ascontiguousarray(part) for part in (vectors.real, vectors.imag))
        angular = np.sqrt(values)

        def pushed(part: Array, other: Array, sign: float) -> Array:
            stiff = self._products[0] @ part - (self._products[1] @ part) * (values + self.speed**2)
            turned = np.asarray(skew @ other) * (2 * angular * self.speed)
            return np.asarray(stiff + sign * turned)

        left = np.hstack([pushed(real, imaginary, -1.0), pushed(imaginary, real, 1.0)])
        both = np.hstack([real, imaginary, self.clear(factor.solve(left))])
        turn = independent(self.projected(both).mass)
        better, weights = self.projected(both @ turn).modes()
        found = both @ turn @ weights[:, : len(values)]
        errors = np.abs(np.sqrt(values[:count] / better[:count]) - 1)
        return Judged(errors, np.hstack([found.real, found.imag]), False)

    def _factor(self, shift: float) -> Factor | None:
        for off in _OFF:
            try:
                return Factor(combined(self._stiffness, -shift * off, self._mass))
            except SingularShiftError:
                continue
        return None


def _turning(level: Level) -> tuple[float, scipy.sparse.csc_matrix]:
    """The speed of a spin (rad/s), and the skew matrix of its gyroscopic forces."""
    preload, state = level.design.preload, level.state
    assert preload is not None
    assert preload.spin is not None
    assert state is not None
    system = level.system
    skew = gyroscopic(level.assembly, system.bodies, state.pose, preload.spin.axis)
    return preload.turning, scipy.sparse.csc_matrix(system.free.basis.T @ skew @ system.free.basis)


def _widest_gap(values: Array, count: int) -> int:
    """How many modes lie below the widest gap behind the first ``count``; a pair is not parted."""
    behind = values[count - 1 :]
    if len(behind) < 2:
        return len(values)
    return count + int(np.argmax(np.diff(behind) / np.maximum(behind[:-1], 1e-300)))


@dataclass(frozen=True, eq=False)
class Judged:
    """What one step towards the modes of a design changed of frequencies, and the vectors then.

    ``errors`` are relative; ``lacking`` tells that there are modes the vectors do not show.
    """

    errors: Array
    vectors: Array
    lacking: bool

    @property
    def worst(self) -> float:
        """The largest error, all of it where modes are lacking."""
        return 1.0 if self.lacking else float(self.errors.max(initial=0.0))
