"""Held and tied motions, worked in by keeping only the motions the supports permit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from belltone.mesh.sites import SiteNodes
from belltone.system.rigid import sheet_motions

__all__ = ["merged", "permitted_motions", "site_motion", "site_rows"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_SAME: Final = 1e-9  # relative; directions closer than this are one, told apart only by rounding


def site_rows(site: SiteNodes, directions: Array, own: bool, size: int) -> sparse.csr_matrix:
    """Motions along directions ``(k, 6)`` of each station, as rows on all unknowns.

    ``own`` directions go by each station's own axes, others by the sheet's. Rows run over the
    directions of the first station, then of the next.
    """
    count = len(directions)
    spatial = np.broadcast_to(directions, (len(site), count, 6))
    if own:
        turned = [
            np.einsum("kj,sjc->skc", directions[:, first : first + 3], site.frames)
            for first in (0, 3)
        ]
        spatial = np.concatenate(turned, axis=-1)
    stations, per = site.nodes.shape
    values = site.weights[:, None, :, None] * spatial[:, :, None, :]
    columns = np.broadcast_to(
        (6 * site.nodes[:, None, :, None] + np.arange(6)), (stations, count, per, 6)
    )
    rows = np.broadcast_to(np.arange(stations * count).reshape(stations, count, 1, 1), values.shape)
    entries = (values.ravel(), (rows.ravel(), columns.ravel()))
    matrix = sparse.csr_matrix(sparse.coo_matrix(entries, shape=(stations * count, size)))
    matrix.eliminate_zeros()
    return matrix


def site_motion(site: SiteNodes, size: int) -> sparse.csr_matrix:
    """The motion (6 rows) at the centre of a site that moves as one, on all unknowns."""
    first = SiteNodes(
        site.nodes[:1], site.weights[:1], site.frames[:1], np.ones(1), site.positions[:1]
    )
    at_station = site_rows(first, np.eye(6), False, size)
    x, y, z = site.centre - site.positions[0]
    carry = np.eye(6)
    carry[:3, 3:] = [[0.0, z, -y], [-z, 0.0, x], [y, -x, 0.0]]
    return sparse.csr_matrix(carry @ at_station)


def merged(groups: Sequence[IntArray]) -> list[IntArray]:
    """Join groups of nodes that share any; each is given and returned as sorted node numbers."""
    left = [set(map(int, group)) for group in groups]
    done: list[set[int]] = []
    while left:
        group = left.pop()
        touching = [other for other in left if other & group]
        if touching:
            left = [other for other in left if other not in touching]
            left.append(group.union(*touching))
        else:
            done.append(group)
    return [np.array(sorted(group)) for group in done]


def permitted_motions(
    coordinates: Array, held: sparse.csr_matrix, rigid_groups: Sequence[IntArray]
) -> sparse.csc_matrix:
    """Return an orthonormal basis ``(size, permitted)`` of what is left free.

    ``held`` has a row for each motion that must be zero; they need not be along the axes, and may
    repeat one another. The nodes of each rigid group move as one body.
    """
    free = _tied(coordinates, rigid_groups)
    rows = sparse.csr_matrix(held @ free)
    touched = np.unique(rows.indices[np.abs(rows.data) > 0]).astype(np.intp)
    if not len(touched):
        return free
    local = sparse.csr_matrix(rows[:, touched])
    count, label = connected_components(abs(local).T @ abs(local), directed=False)
    order: IntArray = np.argsort(label, kind="stable")
    starts = np.searchsorted(label[order], np.arange(count + 1))
    of_row = np.full(local.shape[0], -1)
    filled = np.diff(local.indptr) > 0
    of_row[filled] = label[local.indices[local.indptr[:-1][filled]]]
    row_order = np.argsort(of_row, kind="stable")
    row_starts = np.searchsorted(of_row[row_order], np.arange(count + 1))
    blocks: list[tuple[IntArray, Array]] = []
    place = np.empty(len(touched), dtype=np.intp)
    for group in range(count):
        columns = order[starts[group] : starts[group + 1]]
        here = row_order[row_starts[group] : row_starts[group + 1]]
        place[columns] = np.arange(len(columns))
        dense = np.zeros((len(here), len(columns)))
        for at, row in enumerate(here):
            entries = slice(local.indptr[row], local.indptr[row + 1])
            dense[at, place[local.indices[entries]]] = local.data[entries]
        blocks.append((touched[columns], _null_space(dense)))
    return sparse.csc_matrix(free @ _assembled(free.shape[1], touched, blocks))


def _null_space(rows: Array) -> Array:
    """Orthonormal motions ``(n, left)`` that every row leaves alone."""
    _, strength, turn = np.linalg.svd(rows, full_matrices=True)
    held = int(np.count_nonzero(strength > _SAME * strength.max(initial=0.0)))
    return np.asarray(turn[held:].T)


def _assembled(
    size: int, touched: IntArray, blocks: Sequence[tuple[IntArray, Array]]
) -> sparse.csc_matrix:
    """Identity on the untouched columns, then one column for each motion a block leaves."""
    untouched = np.setdiff1d(np.arange(size), touched)
    rows, columns, values = [untouched], [np.arange(len(untouched))], [np.ones(len(untouched))]
    next_column = len(untouched)
    for places, block in blocks:
        wide = block.shape[1]
        if wide:
            rows.append(np.repeat(places, wide))
            columns.append(np.tile(np.arange(next_column, next_column + wide), len(places)))
            values.append(block.ravel())
            next_column += wide
    entries = (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns)))
    matrix = sparse.csc_matrix(sparse.coo_matrix(entries, shape=(size, next_column)))
    # Unknowns keep near their neighbours, which the ordering of the factorisation likes.
    first = np.array([matrix.indices[start] for start in matrix.indptr[:-1]])
    return sparse.csc_matrix(matrix[:, np.argsort(first, kind="stable")])


def _tied(coordinates: Array, groups: Sequence[IntArray]) -> sparse.csc_matrix:
    """Orthonormal motions with the nodes of each group moving as one rigid body."""
    size = 6 * len(coordinates)
    if not groups:
        return sparse.csc_matrix(sparse.identity(size, format="csc"))
    tied = np.unique(np.concatenate(list(groups)))
    loose = np.setdiff1d(np.arange(len(coordinates)), tied)
    unknowns = (6 * loose[:, None] + np.arange(6)).ravel()
    pieces = [
        sparse.csc_matrix(
            (np.ones(len(unknowns)), (unknowns, np.arange(len(unknowns)))),
            shape=(size, len(unknowns)),
        )
    ]
    for group in groups:
        motions = sheet_motions(coordinates[group] - coordinates[group].mean(axis=0))
        columns, _ = np.linalg.qr(motions)
        places = (6 * group[:, None] + np.arange(6)).ravel()
        entries = (columns.ravel(), (np.repeat(places, 6), np.tile(np.arange(6), len(places))))
        pieces.append(sparse.csc_matrix(sparse.coo_matrix(entries, shape=(size, 6))))
    return sparse.csc_matrix(sparse.hstack(pieces, format="csc"))
