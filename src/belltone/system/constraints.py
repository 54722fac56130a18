"""Held motions, worked in by keeping only the motions the supports permit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, sparse

from belltone.sheet.design import SupportValue

__all__ = ["held_rows", "permitted_motions"]

Array = NDArray[np.float64]


def held_rows(
    supports: Sequence[SupportValue], site_nodes: Mapping[str, int], with_springs: bool = False
) -> tuple[list[int], list[Array]]:
    """Gather the held directions ``(k, 6)`` of each node that has any; supports may share one.

    ``with_springs`` takes sprung directions too: they permit motion, but none that is rigid.
    """
    at_node: dict[int, list[Array]] = {}
    for held in supports:
        rows = [held.directions] + ([held.spring_directions] if with_springs else [])
        if sum(map(len, rows)):
            at_node.setdefault(site_nodes[held.place.site], []).extend(rows)
    nodes = sorted(at_node)
    return nodes, [np.vstack(at_node[node]) for node in nodes]


def permitted_motions(size: int, nodes: Sequence[int], rows: Sequence[Array]) -> sparse.csc_matrix:
    """Return an orthonormal basis ``(size, permitted)`` of what the held rows leave free.

    Directions need not be along the axes, and may be held twice over.
    """
    blocks: dict[int, Array] = {
        node: linalg.null_space(held) for node, held in zip(nodes, rows, strict=True)
    }
    free = np.eye(6)
    return sparse.csc_matrix(
        sparse.block_diag([blocks.get(node, free) for node in range(size // 6)], format="csc")
    )
