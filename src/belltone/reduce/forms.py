"""Small matrices over a basis: their modes, and their values between places."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.whirl import whirls

__all__ = ["Forms", "Tables", "barycentric", "combined", "independent", "interpolated", "ritz"]

Array = NDArray[np.float64]

_LIGHT: Final = 1e-5  # of the largest mass to energy; what has less is no mode that counts
_SAME: Final = 1e-10  # relative squared length of a vector that says nothing new


@dataclass(frozen=True, eq=False)
class Forms:
    """Stiffness and mass over a basis (r, r), and where gyroscopic forces act ``skew``.

    ``slides`` (r, 3) are the mass that ties the basis to motions of everything along x, y and z.
    With these, ``speed`` is that of the spin (rad/s), and its square times the mass is in the
    stiffness, where spin softening has taken it out. ``total`` is the mass of the design (kg).
    With ``shift`` (rad²/s²) times the mass the stiffness is an energy no vector lacks.
    """

    stiffness: Array
    mass: Array
    slides: Array
    skew: Array | None = None
    speed: float = 0.0
    total: float = 0.0
    shift: float = 0.0

    @property
    def energy(self) -> Array:
        """What vectors are compared by: stiffness, and mass times the shift."""
        return np.asarray(self.stiffness + self.shift * self.mass)

    def modes(self) -> tuple[Array, NDArray[Any]]:
        """Squares of angular frequencies ascending, and modes in the basis of a modal mass of one.

        What is so stiff that its mass says nothing is left out. Modes that whirl are complex.
        Raises `WhirlError` where one grows by itself.
        """
        values, weights = self._still_modes()
        if self.skew is None:
            return values, weights
        found = whirls(values - self.speed**2, weights, self.skew, self.speed)
        return found.angular**2, weights @ found.weights

    def _still_modes(self) -> tuple[Array, Array]:
        # Interpolated, the mass of what is very stiff may come out below nothing, which is no mode
        # but the error of a small number; seen against the energy it stays small.
        if self.shift > 0:
            with contextlib.suppress(scipy.linalg.LinAlgError):  # buckled beyond the shift
                inverse, weights = scipy.linalg.eigh(self.mass, self.energy)
                kept = np.flatnonzero(inverse > _LIGHT * inverse[-1])[::-1]
                inverse, weights = inverse[kept], weights[:, kept]
                return 1 / inverse - self.shift, weights / np.sqrt(inverse)
        return ritz(self.stiffness, self.mass)

    def turned(self, turn: Array) -> Forms:
        """The same over combinations of the basis."""
        skew = None if self.skew is None else turn.T @ self.skew @ turn
        stiffness, mass = turn.T @ self.stiffness @ turn, turn.T @ self.mass @ turn
        slides = turn.T @ self.slides
        return replace(self, stiffness=stiffness, mass=mass, slides=slides, skew=skew)

    def swings(self, weights: NDArray[Any]) -> Array:
        """Effective masses of modes along x, y and z, ``(modes, 3)``, as shares of all."""
        tied = np.abs(weights.conj().T @ self.slides) ** 2
        heavy = np.sum(weights.conj() * (self.mass @ weights), axis=0).real
        return np.asarray(tied / (np.maximum(heavy, 1e-300) * self.total)[:, None])

    def with_more(self, across: Forms, own: Forms) -> Forms:
        """The same over more vectors: ``across`` is between these and those, ``own`` over those."""
        skew = None
        if self.skew is not None and across.skew is not None and own.skew is not None:
            skew = np.block([[self.skew, across.skew], [-across.skew.T, own.skew]])
        stiffness = np.block(
            [[self.stiffness, across.stiffness], [across.stiffness.T, own.stiffness]]
        )
        mass = np.block([[self.mass, across.mass], [across.mass.T, own.mass]])
        slides = np.vstack([self.slides, own.slides])
        return replace(self, stiffness=stiffness, mass=mass, slides=slides, skew=skew)


@dataclass(frozen=True, eq=False)
class Tables:
    """Forms at some values of a knob, ``stiffness``, ``mass``, ``skew`` (n, r, r), and numbers.

    ``slides`` (n, r, 3), ``speeds``, ``totals`` (n,) and ``shift`` are as of `Forms`. Between the
    values by the barycentric formula of J.-P. Berrut and L. N. Trefethen, SIAM Review 46 (2004)
    501-517.
    """

    places: Array
    stiffness: Array
    mass: Array
    slides: Array
    skew: Array | None
    speeds: Array
    totals: Array
    shift: float

    @classmethod
    def of(cls, places: Sequence[float], forms: Sequence[Forms]) -> Tables:
        """The tables of forms at places."""
        skews = [own.skew for own in forms if own.skew is not None]
        return cls(
            np.array(places),
            np.array([own.stiffness for own in forms]),
            np.array([own.mass for own in forms]),
            np.array([own.slides for own in forms]),
            np.array(skews) if skews else None,
            np.array([own.speed for own in forms]),
            np.array([own.total for own in forms]),
            forms[0].shift,
        )

    def without_last(self) -> Tables:
        """All places but the last."""
        skew = None if self.skew is None else self.skew[:-1]
        first = self.places[:-1], self.stiffness[:-1], self.mass[:-1], self.slides[:-1]
        return Tables(*first, skew, self.speeds[:-1], self.totals[:-1], self.shift)

    def at(self, *values: float) -> Forms:
        """The forms at the one value of the knob, between the places."""
        (value,) = values
        stiffness, mass, slides = (
            interpolated(self.places, table, value)
            for table in (self.stiffness, self.mass, self.slides)
        )
        skew = None if self.skew is None else interpolated(self.places, self.skew, value)
        speed, total = (
            float(interpolated(self.places, own, value)) for own in (self.speeds, self.totals)
        )
        return Forms(stiffness, mass, slides, skew, speed, total, self.shift)


def barycentric(places: Array) -> Array:
    """Weights of the polynomial through values at ``places``, up to a factor of all."""
    apart = places[:, None] - places[None, :]
    np.fill_diagonal(apart, 1.0)
    # Logarithms, since products of many differences leave the range of numbers.
    sizes = -np.log(np.abs(apart)).sum(axis=1)
    return np.asarray(np.prod(np.sign(apart), axis=1) * np.exp(sizes - sizes.max()))


def interpolated(places: Array, table: Array, value: float) -> Array:
    """A table known at some places, at a value between them."""
    apart = value - places
    there = np.flatnonzero(apart == 0)
    if len(there):
        return np.asarray(table[there[0]])
    weights = barycentric(places) / apart
    return combined(weights / weights.sum(), table)


def combined(shares: Array, table: Array) -> Array:
    """The sum of the entries (n, ...) of a table, each by its share."""
    # One product of a row and a matrix; `tensordot` takes several times as long for so few.
    return np.asarray((shares @ table.reshape(len(table), -1)).reshape(table.shape[1:]))


def independent(gram: Array, lengths: Array | None = None, least: float = _SAME) -> Array:
    """Combinations ``(k, r)`` of vectors that are orthonormal, without what says nothing new.

    ``gram`` (k, k) are their products; ``lengths`` (k,) squares to compare with, where they are not
    the vectors' own; what has less than the ``least`` share of them is left out.
    """
    sizes = np.sqrt(np.maximum(np.diag(gram) if lengths is None else lengths, 1e-300))
    squares, turn = scipy.linalg.eigh(gram / np.outer(sizes, sizes))
    kept = squares > least * (squares[-1] if lengths is None else 1.0)
    return np.asarray((turn[:, kept] / np.sqrt(squares[kept])) / sizes[:, None])


def ritz(stiffness: Array, mass: Array) -> tuple[Array, Array]:
    """Eigenvalues ascending, and combinations of a modal mass of one."""
    spread = independent(mass)
    values, weights = scipy.linalg.eigh(spread.T @ stiffness @ spread)
    return values, spread @ weights
