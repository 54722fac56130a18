"""Thousands of designs close together: all frequencies of each, in a fraction of a millisecond."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.failure import PointFailure
from belltone.modes.matching import clusters
from belltone.progress import Progress
from belltone.reduce.model import Gap, Piece, ReducedModel
from belltone.tune.spreading import evenly

__all__ = ["Cloud", "CloudError", "cloud_of"]

Array = NDArray[np.float64]

_KEPT: Final = 1e-7  # of the largest, in mass; what modes about the design are made of less is left
_CHUNK: Final = 250  # designs at once
_MORE: Final = 2  # times as many places as there are coefficients
_GROUP: Final = 1e-6  # relative gap of frequencies that are equal


class CloudError(Exception):
    """There is no model of the designs asked for; the message says why."""


@dataclass(frozen=True, eq=False)
class Cloud:
    """Stiffness and mass over the modes about a design, as polynomials of the knobs.

    ``middle`` and ``half`` (knobs,) are in base units; ``stiffness`` and ``mass`` (terms, s, s)
    the coefficients; ``nominal`` (modes,) the frequencies (Hz) at the middle and ``shapes``
    (s, modes) what those are made of.
    """

    middle: Array
    half: Array
    stiffness: Array
    mass: Array
    nominal: Array
    shapes: Array

    def frequencies(self, values: Array, progress: Progress) -> Array:
        """Frequencies (n, modes) in Hz at values (n, knobs) in base units, mode by mode by shape.

        Raises `CloudError` where a design buckles.
        """
        found = np.empty((len(values), len(self.nominal)))
        groups = clusters(self.nominal, _GROUP)
        shares = (values - self.middle) / np.where(self.half > 0, self.half, 1.0)
        for start in range(0, len(values), _CHUNK):
            progress.report(start, len(values), "designs within the tolerances")
            own = slice(start, start + _CHUNK)
            terms = _terms(shares[own])
            stiffness, mass = (
                np.tensordot(terms, table, axes=1) for table in (self.stiffness, self.mass)
            )
            lower = np.linalg.cholesky(mass)
            half = np.linalg.solve(lower, stiffness)
            squares, vectors = np.linalg.eigh(np.linalg.solve(lower, half.transpose(0, 2, 1)))
            if np.any(squares[:, 0] <= 0):
                raise CloudError("some designs within the tolerances have buckled")
            known = lower.transpose(0, 2, 1) @ self.shapes
            alike = (vectors.transpose(0, 2, 1) @ known) ** 2
            for at, row in enumerate(alike):
                places, modes = scipy.optimize.linear_sum_assignment(-row)
                order = places[np.argsort(modes)]
                for group in groups:
                    order[group] = np.sort(order[group])
                found[start + at] = np.sqrt(squares[at, order]) / (2 * np.pi)
        return found


def _terms(shares: Array) -> Array:
    """All products of knobs up to the second power, and cubes (n, terms)."""
    count = shares.shape[1]
    ones = np.ones((len(shares), 1))
    pairs = [
        shares[:, [a]] * shares[:, [b]]
        for a, b in itertools.combinations_with_replacement(range(count), 2)
    ]
    return np.hstack([ones, shares, *pairs, shares**3])


def cloud_of(model: ReducedModel, middle: Array, half: Array) -> Cloud:
    """The cloud about a design of a model, over which its knobs go ``half`` to both sides.

    Both in base units, in the order of the model's knobs. Raises `CloudError`.
    """
    pieces = {id(piece): piece for piece in _pieces(model, middle, half)}
    only = next(iter(pieces.values()))
    if len(pieces) > 1 or not isinstance(only, Piece):
        raise CloudError("the model of the knobs has a gap or a seam within the tolerances")
    request = model.request
    vectors: list[Array] = []
    count = len(only.errors)
    for place in _axes(middle, half):
        found = only.at(tuple(place), request)
        if isinstance(found, PointFailure):
            raise CloudError(found.detail)
        if np.iscomplexobj(found.weights):
            raise CloudError("tolerances of whirling modes are not followed yet")
        count = min(count, len(found.flexible))
        vectors.append(only.tables.at(*place).modes()[1][:, :count])
    here = only.tables.at(*middle)
    stacked = np.hstack([own[:, :count] for own in vectors])
    sizes, turns = np.linalg.eigh(stacked.T @ here.mass @ stacked)
    kept = sizes > _KEPT * sizes[-1]
    basis = stacked @ (turns[:, kept] / np.sqrt(sizes[kept]))
    terms = _terms(np.zeros((1, len(middle)))).shape[1]
    spread = _spread(len(middle), _MORE * terms)
    forms = [only.tables.at(*(middle + half * share)).turned(basis) for share in spread]
    fitted = [
        _fitted(spread, np.array([getattr(own, name) for own in forms]))
        for name in ("stiffness", "mass")
    ]
    middle_forms = replace(here.turned(basis), stiffness=fitted[0][0], mass=fitted[1][0])
    squares, shapes = middle_forms.modes()
    nominal = np.sqrt(squares[:count]) / (2 * np.pi)
    return Cloud(middle, half, fitted[0], fitted[1], nominal, shapes[:, :count])


def _fitted(spread: Array, tables: Array) -> Array:
    flat = tables.reshape(len(tables), -1)
    found, *_ = np.linalg.lstsq(_terms(spread), flat, rcond=None)
    return np.asarray(found.reshape(-1, *tables.shape[1:]))


def _axes(middle: Array, half: Array) -> Iterator[Array]:
    yield middle
    for number in range(len(middle)):
        for side in (-1.0, 1.0):
            place = middle.copy()
            place[number] += side * half[number]
            yield place


def _spread(knobs: int, count: int) -> Array:
    """The middle, the ends of each knob, the corners of few, and places evenly between."""
    axes = np.array(list(_axes(np.zeros(knobs), np.ones(knobs))))
    between = 2 * evenly(knobs, count) - 1
    corners = np.array(list(itertools.product((-1.0, 1.0), repeat=min(knobs, 4))))
    corners = np.pad(corners, ((0, 0), (0, knobs - corners.shape[1])))
    return np.vstack([axes, corners, between])


def _pieces(model: ReducedModel, middle: Array, half: Array) -> Iterator[Piece | Gap | None]:
    yield model.piece_at(*middle)
    for corner in itertools.product((-1.0, 1.0), repeat=len(middle)):
        yield model.piece_at(*(middle + np.array(corner) * half * (1 - 1e-9)))
