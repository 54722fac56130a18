"""Stiffness and mass as they were solved, in Matrix Market files, with what each unknown is."""

from __future__ import annotations

from pathlib import Path
from typing import Final

import numpy as np
import scipy

from belltone.design.values import Design
from belltone.exchange.tables import as_csv
from belltone.files import write_text, writing
from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import Level
from belltone.progress import Progress
from belltone.system.loads import gyroscopic

__all__ = ["matrix_files", "write_matrices"]

_MOTIONS: Final = ("x", "y", "z", "turn x", "turn y", "turn z")


def matrix_files(path: Path) -> list[Path]:
    """All files that may be written beside a path."""
    names = [f"{path.stem}-{what}.mtx" for what in ("stiffness", "mass", "to-nodes", "gyroscopic")]
    return [path.with_name(name) for name in (*names, f"{path.stem}-unknowns.csv")]


def write_matrices(
    design: Design, discretisation: Discretisation, path: Path, progress: Progress
) -> list[Path]:
    """Write the matrices of one design at one discretisation; returns the files.

    Beside ``path`` come “-stiffness” and “-mass” (SI units; over the unknowns that supports and
    joints leave free, stress and loads in the stiffness), “-to-nodes”, which takes these unknowns
    to all six of every node, and “-unknowns.csv”, which says where each is. Where the component
    spins, “-gyroscopic” goes with the velocities. Raises ``OSError``, ``NoModesError``.
    """
    level = Level(design, discretisation, progress)
    system, name = level.system, path.stem
    basis = system.free.basis
    told = {
        "stiffness": (system.stiffness, "stiffness in N/m, N and N m"),
        "mass": (system.mass, "mass in kg, kg m and kg m^2"),
        "to-nodes": (basis, "motions of all nodes (six each: m, rad) from the free unknowns"),
    }
    if level.whirls:
        assert design.preload is not None
        assert design.preload.spin is not None
        assert level.state is not None
        skew = gyroscopic(level.assembly, system.bodies, level.state.pose, design.preload.spin.axis)
        reduced = 2 * design.preload.turning * (basis.T @ skew @ basis)
        told["gyroscopic"] = (reduced, "gyroscopic forces by velocity, in N s/m, N s and N m s")
    written = []
    for what, (matrix, words) in told.items():
        progress.check()
        file = path.with_name(f"{name}-{what}.mtx")
        with writing(file) as place, place.open("wb") as stream:
            scipy.io.mmwrite(
                stream,
                scipy.sparse.coo_matrix(matrix),
                comment=f" {words}",
                symmetry="symmetric" if what in ("stiffness", "mass") else "general",
            )
        written.append(file)
    positions = np.concatenate([body.mesh.coordinates for body in system.bodies])
    parts = [body.part.name for body in system.bodies for _ in body.mesh.coordinates]
    rows = []
    for number, full in enumerate(system.free.kept.tolist(), start=1):
        node, motion = divmod(full, len(_MOTIONS))
        place_of = (repr(float(value)) for value in positions[node])
        rows.append((str(number), str(node + 1), parts[node], _MOTIONS[motion], *place_of))
    table = path.with_name(f"{name}-unknowns.csv")
    heads = ("unknown", "node", "part", "motion", "x (m)", "y (m)", "z (m)")
    write_text(as_csv(heads, rows), table)
    return [*written, table]
