"""Assemblies: the share of the constraints, and how fast large meshes are read."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import meshio
import numpy as np
from tests.assemblies import design_of, held, joint, plate

from belltone.geometry.received_meshes import read_faces
from belltone.mesh.discretisation import Discretisation
from belltone.system.assembly import assemble, bodies_of, work_in_ties
from belltone.system.joints import joint_ties
from belltone.system.lanczos import lowest_modes

from .walls import seconds

_LEVEL = Discretisation(1, 4)


def crate() -> list[str]:
    """Twenty plates, 4 x 5 in a plane, every pair of neighbours welded, then tied at corners."""
    pieces = [
        plate(f"p{i}{j}", 200, 150, (200 * i, 150 * j, 0)) for i in range(4) for j in range(5)
    ]
    pairs = [(f"p{i}{j}.east", f"p{i + 1}{j}.west") for i in range(3) for j in range(5)]
    pairs += [(f"p{i}{j}.north", f"p{i}{j + 1}.south") for i in range(4) for j in range(4)]
    corners = [
        (f"p{i}{j}.north-east", f"p{i + 1}{j + 1}.south-west") for i in range(3) for j in range(4)
    ]
    corners += [
        (f"p{i}{j}.south-east", f"p{i + 1}{j - 1}.north-west")
        for i in range(3)
        for j in range(1, 5)
    ]
    links = [f"p{i}{j}.north-east" for i in range(3) for j in range(4)][:5]
    corners += [(site, site.replace(site[1:3], f"{int(site[1]) + 1}{site[2]}", 1).replace(
        "north-east", "north-west")) for site in links]  # fmt: skip
    return [*pieces, *(joint(*pair) for pair in [*pairs, *corners]), held("p00.west")]


def constraints() -> None:
    """Working the ties in, against one whole solution with 20 modes."""
    design = design_of(*crate())
    bodies = {body.part.name: body for body in bodies_of(design, _LEVEL)}
    size = 6 * sum(len(body.mesh.coordinates) for body in bodies.values())

    def tie() -> None:
        rows = joint_ties(design, bodies, size).held
        work_in_ties([rows], 1.0)

    def whole() -> None:
        system = assemble(design, _LEVEL)
        lowest_modes(system.stiffness, system.mass, system.rigid, 20)

    share = seconds(tie, 2) / seconds(whole, 2)
    print(
        f"finding and working in {len(design.joints)} joints of {len(design.parts)} parts / whole "
        f"solution of {size} unknowns with 20 modes: {share:.2f}"
    )


def large_mesh() -> None:
    """Reading 100 000 faces and looking them over, against reading them alone."""
    wide, high = 260, 195
    x, y = np.meshgrid(np.linspace(0, 1, wide + 1), np.linspace(0, 1, high + 1))
    points = np.column_stack([x.ravel(), y.ravel(), 0.1 * np.sin(9 * x.ravel())])
    index = np.arange(len(points)).reshape(high + 1, wide + 1)
    a, b = index[:-1, :-1].ravel(), index[:-1, 1:].ravel()
    c, d = index[1:, 1:].ravel(), index[1:, :-1].ravel()
    triangles = np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.stl"
        meshio.write(path, meshio.Mesh(points, [("triangle", triangles)]), binary=True)
        start = time.perf_counter()
        meshio.read(path)
        alone = time.perf_counter() - start
        start = time.perf_counter()
        read_faces(path)
        whole = time.perf_counter() - start
    print(f"{len(triangles)} faces read and looked over / read alone: {whole / alone:.1f}")


def main() -> None:
    """Print all."""
    constraints()
    large_mesh()
