"""Meshes that somebody sent: reading, cleaning, rims, folds, regions, what is wrong with them."""

import time
from pathlib import Path

import meshio
import numpy as np
import pytest

from belltone.design.parts import MeshValue
from belltone.geometry.received_meshes import MeshFileError, read_faces
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.faces import face_mesh
from belltone.modes.mass_properties import mass_properties
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.sheet.document import Sheet, read_sheet
from belltone.system.assembly import assemble
from tests.assemblies import design_of, findings, held, joint, plate, text_of

LEVEL = Discretisation(1, 3)


def flat(wide: int, high: int, length: float = 600.0, width: float = 400.0) -> tuple:
    x, y = np.meshgrid(np.linspace(0, length, wide + 1), np.linspace(0, width, high + 1))
    points = np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()])
    index = np.arange(len(points)).reshape(high + 1, wide + 1)
    corners = (index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1])
    return points, np.stack(corners, axis=-1).reshape(-1, 4)


def split(quads: np.ndarray) -> np.ndarray:
    return np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])


def written(folder: Path, name: str, points: np.ndarray, cells: list, **data: object) -> Path:
    path = folder / name
    meshio.write(path, meshio.Mesh(points, cells, **data))
    return path


def part(file: str, extra: str = "", name: str = "m") -> str:
    return (
        f'[parts.{name}]\nkind = "mesh"\nfile = "{file}"\nunit = "mm"\nmaterial = "steel"\n'
        f'thickness = "4 mm"\n{extra}\n'
    )


@pytest.mark.parametrize(
    ("name", "three"),
    [
        ("a.vtu", False),
        ("b.vtu", True),
        ("c.vtk", False),
        ("d.stl", True),
        ("e.ply", True),
        ("f.obj", True),
    ],
)
def test_formats_give_one_plate(tmp_path: Path, name: str, three: bool) -> None:
    points, quads = flat(6, 4)
    cells = [("triangle", split(quads))] if three else [("quad", quads)]
    faces = read_faces(written(tmp_path, name, points, cells))
    assert len(faces.points) == 35
    assert len(faces.faces) == (48 if three else 24)
    assert faces.pieces == 1
    assert len(faces.rims) == 1
    assert len(faces.free_edges) == 20
    assert faces.findings == ([f"{faces.merged_nodes} nodes stood at the place of others and were "
                               "merged"] if faces.merged_nodes else [])  # fmt: skip


def test_the_same_plate_from_three_files_rings_alike(tmp_path: Path) -> None:
    points, quads = flat(12, 8)
    written(tmp_path, "q.vtu", points, [("quad", quads)])
    written(tmp_path, "t.vtu", points, [("triangle", split(quads))])
    written(tmp_path, "t.stl", points, [("triangle", split(quads))])
    request = ModeRequest(6, None, 2e-2)
    exact = solve_modes(design_of(plate("p", 600, 400, (0, 0, 0))), ModeRequest(6, None, 2e-3))
    found = [
        solve_modes(design_of(part(name), folder=tmp_path), request)
        for name in ("q.vtu", "t.vtu", "t.stl")
    ]
    for modes in found:
        assert modes.rigid_count == 6
        assert modes.flexible[:6] == pytest.approx(exact.flexible[:6], rel=1.2e-2)
        # What is told of the error holds.
        off = np.abs(modes.flexible[:6] / exact.flexible[:6] - 1)
        assert np.all(off <= modes.errors[6:12] + exact.errors[6:12] + 2e-3)
    assert found[1].flexible == pytest.approx(found[2].flexible, rel=1e-6)


def test_regions_have_their_own_wall(tmp_path: Path) -> None:
    points, quads = flat(6, 4)
    tags = np.where(points[quads].mean(axis=1)[:, 0] < 300, 1, 2)
    written(tmp_path, "r.vtu", points, [("quad", quads)], cell_data={"region": [tags]})
    thick = '[parts.m.regions.2]\nthickness = "8 mm"\nmaterial = "brass"\n'
    design = design_of(part("r.vtu") + thick, folder=tmp_path)
    mesh = design.parts[0]
    assert isinstance(mesh, MeshValue)
    assert sorted(set(mesh.thickness)) == pytest.approx([0.004, 0.008])
    assert {material.name for material in mesh.materials} == {"steel", "brass"}
    brass = design.materials["brass"][0]
    assert mass_properties(design).mass == pytest.approx(0.12 * (0.004 * 7850 + 0.008 * brass))
    assert "m.region 2" in design.places
    wrong = part("r.vtu") + '[parts.m.regions.7]\nthickness = "8 mm"\n'
    assert "the file has no region “7”; there is “1”, “2”" in findings(wrong, folder=tmp_path)


def test_named_sets_are_regions(tmp_path: Path) -> None:
    points, quads = flat(2, 2)
    path = tmp_path / "s.xdmf"
    mesh = meshio.Mesh(points, [("quad", quads)], cell_sets={"lid": [np.array([0, 1])]})
    mesh.write(tmp_path / "s.inp")
    faces = read_faces(tmp_path / "s.inp")
    assert list(faces.regions) == ["lid"]
    assert len(faces.regions["lid"]) == 2
    assert not path.exists()


def test_a_folded_sheet_has_a_fold_and_a_rim(tmp_path: Path) -> None:
    points, quads = flat(6, 2, 600, 200)
    points[points[:, 0] > 300, 2] = points[points[:, 0] > 300, 0] - 300
    points[points[:, 0] > 300, 0] = 300
    design = design_of(
        part(written(tmp_path, "l.vtu", points, [("quad", quads)]).name), folder=tmp_path
    )
    mesh = design.parts[0]
    assert isinstance(mesh, MeshValue)
    assert set(mesh.features) == {"face", "rim 1", "fold 1"}
    (body,) = assemble(design, LEVEL).bodies
    fold = body.site(design.places["m.fold 1"])
    assert fold.positions[:, 0] == pytest.approx(np.full(3, 0.3))
    assert fold.shares.sum() == pytest.approx(1.0)
    assert np.abs(np.linalg.det(fold.frames)) == pytest.approx(np.ones(3))


def test_bad_faces_are_put_right_and_counted(tmp_path: Path) -> None:
    points, quads = flat(4, 3)
    triangles = split(quads)
    triangles[3] = triangles[3][::-1]  # faces the other way
    double = np.concatenate([triangles, triangles[5:6], [[0, 0, 1]]])
    points = np.concatenate([points, points[7:8] + 1e-9])
    double[double == 7] = np.where(np.arange(np.count_nonzero(double == 7)) % 2, 7, len(points) - 1)
    path = written(tmp_path, "bad.vtk", points, [("triangle", double)])
    faces = read_faces(path)
    assert len(faces.faces) == 24
    assert faces.merged_nodes == 1
    assert faces.dropped_faces == 2
    assert faces.turned_faces == 1
    assert len(faces.rims) == 1
    said = " ".join(faces.findings)
    assert "1 nodes stood at the place of others" in said
    assert "1 faces were turned" in said
    normals = np.cross(
        faces.points[faces.faces[:, 1]] - faces.points[faces.faces[:, 0]],
        faces.points[faces.faces[:, 2]] - faces.points[faces.faces[:, 0]],
    )
    assert np.all(normals[:, 2] > 0) or np.all(normals[:, 2] < 0)
    warned = design_of(part("bad.vtk"), folder=tmp_path).warnings
    assert any("faces were turned" in str(warning) for warning in warned)


def test_pieces_holes_and_crowded_edges_are_told(tmp_path: Path) -> None:
    points, quads = flat(6, 4)
    holed = np.delete(quads, 8, axis=0)
    fin = np.array([[0, 0, 100.0], [100.0, 0, 100.0]])
    apart = np.array([[0, 900.0, 0], [90.0, 900.0, 0], [0, 990.0, 0]])
    extra = np.array([[0, 1, 36, 35]])
    lone = np.array([[37, 38, 39]])
    whole = np.concatenate([points, fin, apart])
    # The fin stands on an edge of the rim; a second one crowds it.
    other = np.array([[0, 1, 36, 35]])[:, [0, 1, 2, 3]]
    fin_down = np.concatenate([whole, [[0, 0, -100.0], [100.0, 0, -100.0]]])
    cells = [
        ("quad", np.concatenate([holed, extra, [[0, 1, 41, 40]]])),
        ("triangle", lone),
        ("line", np.array([[0, 1]])),
    ]
    faces = read_faces(written(tmp_path, "odd.vtu", fin_down, cells))
    assert faces.pieces == 2
    assert len(faces.crowded_edges) == 1
    assert len(faces.rims) == 3
    assert faces.lines == 1
    said = " ".join(faces.findings)
    for words in (
        "in 2 pieces",
        "1 edges belong to more than two",
        "3 rims",
    ):
        assert words in said
    assert other.shape == (1, 4)


@pytest.mark.parametrize(
    ("name", "content", "message"),
    [
        ("missing.stl", None, "cannot be read: No such file"),
        ("empty.vtu", "", "cannot be read as a mesh"),
        ("words.obj", "o nothing\n", "holds no"),
        ("strange.xyzw", "1 2 3", "cannot be read as a mesh"),
    ],
)
def test_files_that_are_no_mesh_are_named(
    tmp_path: Path, name: str, content: str | None, message: str
) -> None:
    if content is not None:
        (tmp_path / name).write_text(content, encoding="utf-8")
    with pytest.raises(MeshFileError, match=message):
        read_faces(tmp_path / name)
    said = findings(part(name), folder=tmp_path)
    assert "parts · m · file" in said
    assert name in said


def test_cutting_faces_keeps_area_and_neighbours(tmp_path: Path) -> None:
    points, quads = flat(3, 2)
    cells = [("quad", quads[:4]), ("triangle", split(quads[4:]))]
    written(tmp_path, "mixed.vtu", points, cells)
    design = design_of(part("mixed.vtu"), folder=tmp_path)
    mesh = design.parts[0]
    assert isinstance(mesh, MeshValue)
    for cuts in (1, 2, 3):
        cut = face_mesh(mesh, cuts)
        corners = cut.coordinates[cut.connectivity]
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        areas = 0.5 * np.linalg.norm(cross, axis=1) * cut.weights
        assert areas.sum() == pytest.approx(0.24)
        assert len(np.unique(np.round(cut.coordinates, 9), axis=0)) == len(cut.coordinates)
        assert len(cut.coordinates) >= (3 * cuts + 1) * (2 * cuts + 1)
        rim = cut.site(design.places["m.rim 1"])
        assert len(rim) == 10 * cuts
        assert cut.site(design.places["m.face"]).shares.sum() == pytest.approx(1.0)


def test_feet_on_faces_are_the_nearest_places(tmp_path: Path) -> None:
    points, quads = flat(5, 4)
    written(tmp_path, "q.vtu", points, [("quad", quads)])
    mesh = design_of(part("q.vtu"), folder=tmp_path).parts[0]
    assert isinstance(mesh, MeshValue)
    cut = face_mesh(mesh, 2)
    random = np.random.default_rng(5)
    at = random.uniform([-0.1, -0.1, -0.2], [0.7, 0.5, 0.2], size=(200, 3))
    feet = cut.feet(at)
    wanted = np.clip(at, [0, 0, 0], [0.6, 0.4, 0])
    wanted[:, 2] = 0.0
    assert feet.positions == pytest.approx(wanted, abs=1e-9)
    read = np.einsum("nk,nkd->nd", feet.weights, cut.coordinates[feet.nodes])
    assert read == pytest.approx(feet.positions, abs=1e-12)
    assert feet.reach == pytest.approx(np.full(200, 0.002))


def test_a_received_mesh_is_held_loaded_and_joined(tmp_path: Path) -> None:
    points, quads = flat(6, 4)
    written(tmp_path, "q.vtu", points, [("quad", quads)])
    seat = '[sites.seat]\npart = "m"\nnear = ["300 mm", "200 mm", "5 mm"]\n'
    hung = '[[masses]]\nsite = "seat"\nmass = "3 kg"\n'
    beside = plate("p", 200, 400, (700, 200, 0))
    pieces = (part("q.vtu"), seat, hung, beside, joint("m", "p"), held("p.east"))
    design = design_of(*pieces, folder=tmp_path)
    system = assemble(design, LEVEL)
    assert system.rigid_names == ()
    assert mass_properties(design).mass == pytest.approx(0.32 * 0.004 * 7850 + 3.0)
    wrong = seat.replace('near = ["300 mm", "200 mm", "5 mm"]', 'at = ["1 mm", "2 mm"]')
    assert "is given by “near”" in findings(part("q.vtu"), wrong, folder=tmp_path)
    away = seat.replace("300 mm", "3000 mm")
    assert "away from the mesh" in findings(part("q.vtu"), away, folder=tmp_path)


def test_an_answer_belongs_to_the_file_as_it_was(tmp_path: Path) -> None:
    points, quads = flat(6, 4)
    path = written(tmp_path, "q.vtu", points, [("quad", quads)])
    sheet = Sheet.from_text(text_of(part("q.vtu")), tmp_path)
    before = sheet.answer_hash()
    assert before == sheet.answer_hash()
    time.sleep(0.01)
    written(tmp_path, "q.vtu", points * 1.5, [("quad", quads)])
    assert sheet.answer_hash() != before
    assert path.exists()


def test_a_sheet_knows_the_folder_it_was_read_from(tmp_path: Path) -> None:
    points, quads = flat(2, 2)
    written(tmp_path, "q.vtu", points, [("quad", quads)])
    path = tmp_path / "sheet.toml"
    path.write_text(text_of(part("q.vtu")), encoding="utf-8")
    sheet = read_sheet(path)
    assert sheet.with_value(("title",), "again").folder == tmp_path.resolve()
