"""From a member to nodes and elements, with every named site on a node."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MemberValue
from belltone.design.place import Place
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.quadrature import lagrange, lobatto, lobatto_weights
from belltone.mesh.reading import reading_rows
from belltone.mesh.sites import Feet, SiteNodes

__all__ = ["LineMesh", "line_mesh"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_SAME_PLACE: Final = 1e-6  # share of the length; closer sites fall on one node, far below any error
_WIDEST_ARC: Final = np.pi / 2  # one element turns through no more


@dataclass(frozen=True)
class LineMesh:
    """One member as elements.

    ``stretches`` (elements, 2) are the shares of the length each runs over, ``positions`` and
    ``ups`` (elements, p+1, 3) its nodes and the section's up there.
    """

    member: MemberValue
    order: int
    stretches: Array
    coordinates: Array
    connectivity: IntArray
    positions: Array
    ups: Array

    @property
    def _local(self) -> Array:
        """Nodes of an element as shares of it."""
        return 0.5 * (lobatto(self.order) + 1)

    @property
    def unknowns(self) -> int:
        """Six unknowns a node, before anything is held."""
        return 6 * len(self.coordinates)

    @property
    def counted(self) -> tuple[tuple[int, ...], ...]:
        """Elements keep their places."""
        return ()

    @property
    def size(self) -> float:
        """Length of the member (m)."""
        return self.member.length

    def site(self, place: Place) -> SiteNodes:
        """The node of one of the member's sites, or all nodes with their share of its length."""
        if place.feature == "axis":
            return self._axis()
        share = place.along / self.member.length
        element, local = self.sample(np.array([share]))
        nodes = self.connectivity[element]
        at_nodes = self.stretches[element, :1] + np.diff(self.stretches[element]) * self._local
        nearest = int(np.argmin(np.abs(at_nodes - share)))
        if abs(at_nodes[0, nearest] - share) <= _SAME_PLACE:
            nodes, weights = nodes[:, [nearest]], np.ones((1, 1))
        else:
            weights, _ = lagrange(lobatto(self.order), local)
        return SiteNodes(
            nodes,
            weights,
            self.member.frame_at(share)[None],
            np.ones(1),
            np.einsum("sk,skd->sd", weights, self.coordinates[nodes]),
        )

    def _axis(self) -> SiteNodes:
        nodes = np.arange(len(self.coordinates))
        lengths = np.zeros(len(nodes))
        whole = np.diff(self.stretches, axis=1)
        weights = 0.5 * lobatto_weights(self.order)
        np.add.at(lengths, self.connectivity, whole * weights)
        shares = np.zeros(len(nodes))
        shares[self.connectivity] = self.stretches[:, :1] + whole * self._local
        frames = self.member.frames_at(shares)
        ones = np.ones((len(nodes), 1))
        shares = lengths / lengths.sum()
        return SiteNodes(nodes[:, None], ones, frames, shares, self.coordinates, self.connectivity)

    def sample(self, shares: Array) -> tuple[IntArray, Array]:
        """Where to read a shape at shares of the length: ``(elements, local points)``."""
        element = np.clip(np.searchsorted(self.stretches[:, 1], shares), 0, len(self.stretches) - 1)
        start, stop = self.stretches[element].T
        return element, 2 * (shares - start) / (stop - start) - 1

    def at_nodes_of(self, other: LineMesh) -> scipy.sparse.csr_matrix:
        """Rows that read a motion of this mesh at the nodes of another one of the same member."""
        own = 0.5 * (lobatto(other.order) + 1)
        shares = np.empty(len(other.coordinates))
        shares[other.connectivity] = other.stretches[:, :1] + own * np.diff(other.stretches, axis=1)
        element, local = self.sample(shares)
        weights, _ = lagrange(lobatto(self.order), local)
        return reading_rows(self.connectivity[element], weights, len(self.coordinates))

    def feet(self, points: Array) -> Feet:
        """The nearest places of the axis to points ``(n, 3)``."""
        shares = np.linspace(0.0, 1.0, 12 * len(self.stretches) + 1)
        line, _, _ = self.member.path.at(shares)
        start, run = line[:-1], np.diff(line, axis=0)
        lengths = np.maximum(np.sum(run**2, axis=1), 1e-300)
        along = np.einsum("nsd,sd->ns", points[:, None] - start, run) / lengths
        along = np.clip(along, 0.0, 1.0)
        near = start + along[..., None] * run
        piece = np.argmin(np.linalg.norm(points[:, None] - near, axis=-1), axis=1)
        rows = np.arange(len(points))
        share = shares[piece] + along[rows, piece] * (shares[1] - shares[0])
        share = self._sharpened(points, share, shares[1])
        element, local = self.sample(share)
        values, _ = lagrange(lobatto(self.order), local)
        nodes = self.connectivity[element]
        foot = np.einsum("nk,nkd->nd", values, self.positions[element])
        return Feet(nodes, values, foot, np.full(len(points), 0.5 * self.member.sections.depth))

    def _sharpened(self, points: Array, share: Array, reach: float) -> Array:
        """Newton's steps to the place where the way to the point is square to the axis."""
        if self.member.path.straight:
            return share
        low, high = np.clip(share - reach, 0, 1), np.clip(share + reach, 0, 1)
        for _ in range(8):
            places, tangents, _ = self.member.path.at(share)
            step = np.sum((points - places) * tangents, axis=1) / self.member.length
            share = np.clip(share + step, low, high)
        return share


def line_mesh(
    member: MemberValue, along: Iterable[float], discretisation: Discretisation
) -> LineMesh:
    """Divide one member; every place ``along`` it (m) that holds or carries something is a node."""
    order, path = discretisation.order, member.path
    wished = [place / member.length for place in along]
    corners = [*path.breaks[1:-1], *member.sections.breaks]
    breaks = [0.0]
    for share in sorted([*wished, *corners, *_bow_breaks(member), 1.0]):
        if share - breaks[-1] > _SAME_PLACE:
            breaks.append(float(share))
    # A site a hair before the end stands for the end.
    breaks[-1] = 1.0
    ends = np.concatenate(
        [
            np.linspace(low, high, discretisation.divisions, endpoint=False)
            for low, high in itertools.pairwise(breaks)
        ]
        + [np.array([1.0])]
    )
    stretches = np.column_stack([ends[:-1], ends[1:]])
    elements = len(stretches)
    local = 0.5 * (lobatto(order) + 1)
    shares = stretches[:, :1] + local * np.diff(stretches, axis=1)
    positions = np.empty((elements, order + 1, 3))
    ups = np.empty_like(positions)
    for element, row in enumerate(shares):
        piece = path.piece_at(float(row.mean()))
        positions[element], _, ups[element] = path.locate(piece, row)
    connectivity = order * np.arange(elements)[:, None] + np.arange(order + 1)[None, :]
    count = order * elements + 1
    if path.closed:
        connectivity[-1, -1], count = 0, count - 1
    coordinates = np.empty((count, 3))
    coordinates[connectivity] = positions
    return LineMesh(member, order, stretches, coordinates, connectivity, positions, ups)


def _bow_breaks(member: MemberValue) -> list[float]:
    """Shares that cut wide arcs, so that no element turns through more than a quarter turn."""
    found: list[float] = []
    for number, (low, high) in enumerate(itertools.pairwise(member.path.breaks)):
        _, tangents, _ = member.path.locate(number, np.linspace(low, high, 33))
        turned = np.arccos(np.clip(np.sum(tangents[:-1] * tangents[1:], axis=1), -1, 1)).sum()
        parts = max(1, int(np.ceil(turned / _WIDEST_ARC - 1e-6)))
        found += list(np.linspace(low, high, parts + 1)[1:-1])
    return found
