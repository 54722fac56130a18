"""Meshes of walls that designs of a family share, and matrices of their elements."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.keeping import fingerprint, newest
from belltone.mesh.blocks import Blocks
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.grading import HardPlace
from belltone.mesh.surface import Imprint, SurfaceMesh
from belltone.mesh.surface_division import surface_mesh
from belltone.system.bodies import Body

__all__ = ["KeptMeshes", "matrices_of"]

Array = NDArray[np.float64]

_MESHES: Final = 1, 1000  # at least and at most, for room ends them before
_ROOM: Final = 10_000_000  # numbers of meshes and element matrices, eight bytes each
_OF_A_NODE: Final = 9  # its number, director, first axis and thickness in an element, about


@dataclass(eq=False)
class _Kept:
    """A mesh, what it was made of, and the masses and stiffnesses of its elements once wanted."""

    plan: SurfacePlan
    made_of: bytes
    mesh: SurfaceMesh
    matrices: tuple[Array, Array] | None = None

    @property
    def entries(self) -> int:
        nodes = self.mesh.connectivity.size * _OF_A_NODE
        return nodes if self.matrices is None else nodes + sum(own.size for own in self.matrices)


class KeptMeshes:
    """The walls last divided: a knob that turns something else leaves them as they are.

    So does one of several knobs while another turns. As many are kept as there is room for; element
    matrices are of small walls only.
    """

    def __init__(self) -> None:
        self._kept: list[_Kept] = []

    def mesh(
        self,
        wall: SurfaceValue,
        discretisation: Discretisation,
        plan: SurfacePlan,
        marks: Sequence[Imprint] = (),
        places: Sequence[HardPlace] = (),
        blocks: Blocks | None = None,
    ) -> SurfaceMesh:
        """One wall divided by a plan; as `surface_mesh`, which raises what cannot be."""
        # What hangs at a place decides where a plan has small elements, and nothing after that.
        alike = [replace(place, mass=0.0) for place in places]
        sizes = discretisation.divisions, discretisation.order
        made_of = fingerprint(wall, sizes, marks, alike)
        known = next(
            (each for each in self._kept if each.made_of == made_of and each.plan == plan), None
        )
        if known is None:
            found = surface_mesh(wall, discretisation, plan, marks, places, blocks)
            known = _Kept(plan, made_of, found)
        self._keep(known)
        return known.mesh

    def matrices(self, body: Body) -> tuple[Array, Array]:
        """Those of the elements of a body as it was made, not as it was posed since."""
        known = next((each for each in self._kept if each.mesh is body.mesh), None)
        if known is None:
            return matrices_of(body)
        found = known.matrices or matrices_of(body)
        if sum(own.size for own in found) <= _ROOM:
            known.matrices = found
            self._keep(known)
        return found

    def _keep(self, used: _Kept) -> None:
        self._kept = newest(used, self._kept, _ROOM, *_MESHES)


def matrices_of(body: Body) -> tuple[Array, Array]:
    """Mass and stiffness of the elements of a body, each ``(elements, d, d)``."""
    elements = body.elements
    return elements.inertia().hessian(elements.directors), elements.stiffness()
