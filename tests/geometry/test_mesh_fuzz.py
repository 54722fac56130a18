"""Meshes of any faces and any bytes: looked over and solved, or refused in words."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.geometry.received_meshes import MeshFileError, read_faces
from belltone.mesh.discretisation import Discretisation
from belltone.modes.mass_properties import mass_properties
from belltone.modes.solve import ModeRequest, NoModesError, solve_modes
from belltone.sheet.errors import SheetError
from tests.assemblies import design_of

MESH = '[parts.m]\nkind = "mesh"\nfile = "m.obj"\nunit = "mm"\nmaterial = "steel"\n'
MESH += 'thickness = "2 mm"\n'
LEVEL = Discretisation(1, 3)


def outcome(folder: Path, extra: str = "") -> str:
    """What becomes of the mesh in a folder."""
    try:
        design = design_of(MESH, extra, folder=folder)
        assert mass_properties(design).mass > 0
        found = solve_modes(design, ModeRequest(2, None, 0.5), LEVEL)
    except (SheetError, NoModesError) as error:
        return str(error)
    assert not np.isnan(found.frequencies).any()
    return "solved"


def write(folder: Path, points: list[tuple[int, int, int]], faces: list[list[int]]) -> None:
    rows = [f"v {x} {y} {z}" for x, y, z in points]
    rows += ["f " + " ".join(map(str, face)) for face in faces]
    (folder / "m.obj").write_text("\n".join(rows), encoding="utf-8")


SQUARE = [(0, 0, 0), (50, 0, 0), (50, 40, 0), (0, 40, 0)]


@pytest.mark.parametrize("faces", [[[1, 2, 3, 4]], [[1, 2, 3]], [[1, 2, 3], [1, 3, 4]]])
def test_a_mesh_of_one_or_two_faces(tmp_path: Path, faces: list[list[int]]) -> None:
    write(tmp_path, SQUARE, faces)
    assert outcome(tmp_path) == "solved"


def test_a_mesh_in_two_pieces_of_which_one_is_held(tmp_path: Path) -> None:
    apart = [(x + 200, y, z) for x, y, z in SQUARE]
    write(tmp_path, [*SQUARE, *apart], [[1, 2, 3, 4], [5, 6, 7, 8]])
    held = '[[supports]]\nsite = "m.rim 1"\nhold = "clamped"\n'
    design = design_of(MESH, held, folder=tmp_path)
    found = solve_modes(design, ModeRequest(2, None, 0.5), LEVEL)
    assert found.rigid_count == 6


@pytest.mark.fuzz
@settings(max_examples=settings.default.max_examples // 8, deadline=None)
@given(
    st.lists(st.tuples(*[st.integers(-3, 3)] * 3), min_size=3, max_size=9),
    st.lists(st.lists(st.integers(-4, 9), min_size=3, max_size=4), min_size=1, max_size=8),
)
def test_any_faces(
    tmp_path_factory: pytest.TempPathFactory,
    points: list[tuple[int, int, int]],
    faces: list[list[int]],
) -> None:
    folder = tmp_path_factory.mktemp("mesh")
    write(folder, [(10 * x, 10 * y, 10 * z) for x, y, z in points], faces)
    assert outcome(folder)


@pytest.mark.fuzz
@given(st.sampled_from(["obj", "stl", "ply", "vtk", "vtu", "inp", "off"]), st.binary(max_size=300))
def test_any_bytes(tmp_path_factory: pytest.TempPathFactory, ending: str, data: bytes) -> None:
    path = tmp_path_factory.mktemp("bytes") / f"m.{ending}"
    path.write_bytes(data)
    try:
        found = read_faces(path)
    except MeshFileError as error:
        told = str(error)
        assert path.name in told or "faces" in told
    else:
        assert len(found.faces)
