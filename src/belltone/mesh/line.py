"""From a design to nodes and elements, with every named site on a node."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation
from belltone.mesh.quadrature import lobatto
from belltone.mesh.sites import SiteNodes
from belltone.sheet.design import Design, MemberValue, Place

__all__ = ["LineMesh", "line_mesh"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_SAME_PLACE: Final = 1e-6  # share of the length; closer sites fall on one node, far below any error


@dataclass(frozen=True)
class LineMesh:
    """One member as elements: node coordinates, nodes of elements, and the node of each site."""

    member: MemberValue
    order: int
    stretches: Array
    coordinates: Array
    connectivity: IntArray
    site_nodes: Mapping[str, int]

    @property
    def unknowns(self) -> int:
        """Six unknowns a node, before anything is held."""
        return 6 * len(self.coordinates)

    @property
    def size(self) -> float:
        """Length of the member (m)."""
        return self.member.length

    def site(self, place: Place) -> SiteNodes:
        """The node of one of the member's sites."""
        node = np.array([self.site_nodes[place.site]])
        return SiteNodes(
            node[:, None],
            np.ones((1, 1)),
            self.member.frame[None],
            np.ones(1),
            self.coordinates[node],
        )

    def sample(self, shares: Array) -> tuple[IntArray, Array]:
        """Where to read a shape at shares of the length: ``(elements, local points)``."""
        element = np.clip(np.searchsorted(self.stretches[:, 1], shares), 0, len(self.stretches) - 1)
        start, stop = self.stretches[element].T
        return element, 2 * (shares - start) / (stop - start) - 1


def line_mesh(design: Design, member: MemberValue, discretisation: Discretisation) -> LineMesh:
    """Divide one member; every site that holds or carries something falls on a node."""
    order = discretisation.order
    used = [held.place for held in design.supports] + [hung.place for hung in design.masses]
    places = {
        place.site: place.along / member.length for place in used if place.part == member.name
    }
    breaks = [0.0]
    for share in sorted([*places.values(), 1.0]):
        if share - breaks[-1] > _SAME_PLACE:
            breaks.append(share)
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
    inner = 0.5 * (lobatto(order)[:-1] + 1)
    shares = (stretches[:, :1] + inner * (stretches[:, 1:] - stretches[:, :1])).ravel()
    shares = np.append(shares, 1.0)
    connectivity = order * np.arange(elements)[:, None] + np.arange(order + 1)[None, :]
    return LineMesh(
        member,
        order,
        stretches,
        member.start + shares[:, None] * (member.stop - member.start),
        connectivity,
        {site: int(np.argmin(np.abs(shares - share))) for site, share in places.items()},
    )
