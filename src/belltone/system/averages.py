"""Ties along a line that hold in the mean over its elements, where two meshes do not match.

Tied at its nodes alone, an element of one mesh does not see what the other does between them: where
an element ends there, that is a kink, and the work of what is carried over the line does not come
out the same on both sides. Errors of frequencies then fall slowly with the order (a tube on a disc,
their elements half a length apart: 2 % at order five, 0.2 % where they match). So the ends of
elements are tied as they are, and between them all means with polynomials two orders below (C.
Bernardi, Y. Maday and A. T. Patera, "A new nonconforming approach to domain decomposition: the
mortar element method", Nonlinear PDEs and their applications, Collège de France Seminar XI, 1994).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.mesh.quadrature import gauss, lagrange, lobatto, lobatto_weights
from belltone.mesh.sites import Feet, SiteNodes

__all__ = ["Averages", "averages_of"]

Array = NDArray[np.float64]

_PANELS: Final = 4  # of an element; within one of them the other mesh may have a kink
_ON_NODE: Final = 1e-9  # what weights of other nodes come to where a station stands on a node


@dataclass(frozen=True)
class Averages:
    """Stations and points between them, their feet, and what each station's ties are means of.

    ``shares`` (stations, places) is that mean: for a station that is tied as it is, itself.
    """

    site: SiteNodes
    feet: Feet
    shares: scipy.sparse.csr_matrix


def averages_of(
    stations: SiteNodes, feet: Feet, meet: Callable[[SiteNodes], tuple[Feet, NDArray[np.bool_]]]
) -> Averages | None:
    """The means that tie a line of stations to their feet; none where nodes stand on nodes.

    ``meet`` gives the feet of further places, and which of these are joined there.
    """
    lines = stations.lines
    if lines is None or lines.shape[1] < 3:
        return None
    on_nodes = np.sort(np.abs(feet.weights), axis=1)[:, :-1].sum(axis=1) < _ON_NODE
    lines = lines[~on_nodes[lines].all(axis=1)]
    if not len(lines):
        return None
    order = lines.shape[1] - 1
    shapes, means, at_ends = _rule(order)
    between = _between(stations, lines, shapes)
    there, joined = meet(between)
    whole = joined.reshape(len(lines), -1).all(axis=1)
    if not whole.any():
        return None
    kept = np.repeat(whole, len(shapes))
    lines, between, there = lines[whole], between.some(kept), there.some(kept)
    shares = _shares(len(stations), lines, means, at_ends)
    return Averages(_together(stations, between), _both(feet, there), shares)


def _shares(
    count: int, lines: NDArray[np.intp], means: Array, at_ends: Array
) -> scipy.sparse.csr_matrix:
    """What each of ``count`` stations is a mean of: of points of its element, and of both ends."""
    points = means.shape[1]
    own = count + np.arange(len(lines) * points).reshape(len(lines), 1, points)
    inner, ends = lines[:, 1:-1, None], lines[:, None, [0, -1]]
    alone = np.setdiff1d(np.arange(count), inner)
    rows, columns, values = [alone], [alone], [np.ones(len(alone))]
    for there, parts in ((own, means), (ends, -at_ends)):
        shape = (len(lines), *parts.shape)
        rows.append(np.broadcast_to(inner, shape).ravel())
        columns.append(np.broadcast_to(there, shape).ravel())
        values.append(np.broadcast_to(parts, shape).ravel())
    entries = np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))
    return scipy.sparse.csr_matrix(entries, shape=(count, count + len(lines) * points))


@cache
def _rule(order: int) -> tuple[Array, Array, Array]:
    """Shape functions at the points of an element, and what gives the motion of its inner nodes.

    That is a mean over the points, less shares of the motion of both ends. The means are taken with
    the Lagrange polynomials of the inner nodes, and the nodes are those of a rule exact for all
    their products with shape functions: so each gives one node alone, and the ends.
    """
    nodes, weights = lobatto(order), lobatto_weights(order)
    points, sizes = gauss(order)
    panels = (2 * np.arange(_PANELS) + 1 - _PANELS) / _PANELS
    at = (panels[:, None] + points / _PANELS).ravel()
    size = np.tile(sizes / _PANELS, _PANELS)
    inner = nodes[1:-1]
    tested, _ = lagrange(inner, at)
    beyond, _ = lagrange(inner, nodes[[0, -1]])
    means = (tested * size[:, None]).T / weights[1:-1, None]
    at_ends = (beyond * weights[[0, -1], None]).T / weights[1:-1, None]
    return lagrange(nodes, at)[0], means, at_ends


def _between(stations: SiteNodes, lines: NDArray[np.intp], shapes: Array) -> SiteNodes:
    """Places on elements of a line, as stations of their nodes."""
    points = len(shapes)
    frames = np.einsum("qk,lkij->lqij", shapes, stations.frames[lines]).reshape(-1, 3, 3)
    return SiteNodes(
        np.repeat(stations.nodes[lines, 0], points, axis=0),
        np.tile(shapes, (len(lines), 1)),
        frames / np.linalg.norm(frames, axis=2, keepdims=True),
        np.zeros(len(lines) * points),
        np.einsum("qk,lkd->lqd", shapes, stations.positions[lines]).reshape(-1, 3),
    )


def _together(stations: SiteNodes, between: SiteNodes) -> SiteNodes:
    per = between.nodes.shape[1]
    weights = np.zeros((len(stations), per))
    weights[:, 0] = 1.0
    return SiteNodes(
        np.concatenate([np.repeat(stations.nodes, per, axis=1), between.nodes]),
        np.concatenate([weights, between.weights]),
        np.concatenate([stations.frames, between.frames]),
        np.concatenate([stations.shares, between.shares]),
        np.concatenate([stations.positions, between.positions]),
    )


def _both(one: Feet, other: Feet) -> Feet:
    return Feet(
        np.concatenate([one.nodes, other.nodes]),
        np.concatenate([one.weights, other.weights]),
        np.concatenate([one.positions, other.positions]),
        np.concatenate([one.reach, other.reach]),
        None
        if one.normals is None or other.normals is None
        else np.concatenate([one.normals, other.normals]),
    )
