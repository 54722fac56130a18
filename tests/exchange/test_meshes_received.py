"""Sheets from meshes: lines as members, regions chosen, curved cells, rims sewn, revisions."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import meshio
import numpy as np
import pytest

from belltone.design.parts import MeshValue
from belltone.errors import UserError
from belltone.exchange.arriving import Choices, Kind, arrived, kind_of
from belltone.exchange.mesh_sheets import guessed_unit
from belltone.exchange.revisions import RevisionError, revised
from belltone.geometry.received_meshes import MeshFileError, read_faces
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet
from tests import solids
from tests.conftest import Run

SIDE = 5


def _grid(scale: float = 100.0, shift: float = 0.0) -> tuple[list[tuple[float, ...]], list[Any]]:
    line = [scale * k for k in range(SIDE)]
    points: list[tuple[float, ...]] = [(x + shift, y, 0.0) for y in line for x in line]
    quads = [
        (j * SIDE + i, j * SIDE + i + 1, (j + 1) * SIDE + i + 1, (j + 1) * SIDE + i)
        for j in range(SIDE - 1)
        for i in range(SIDE - 1)
    ]
    return points, quads


def _table(path: Path) -> Path:
    """A table top with four legs, each of two lines, and a stiffener along its middle."""
    points, quads = _grid()
    legs: list[tuple[int, int]] = []
    for corner in (0, SIDE - 1, SIDE * SIDE - 1, SIDE * (SIDE - 1)):
        x, y, _ = points[corner]
        points += [(x, y, -150.0), (x, y, -300.0)]
        legs += [(corner, len(points) - 2), (len(points) - 2, len(points) - 1)]
    stiff = [(2 * SIDE + i, 2 * SIDE + i + 1) for i in range(SIDE - 1)]
    data = {
        "group": [np.ones(len(quads), int), np.array([7] * len(legs) + [8] * len(stiff))],
        "colour": [np.arange(len(quads)) % 2, np.zeros(len(legs) + len(stiff), int)],
    }
    cells = [("quad", np.array(quads)), ("line", np.array(legs + stiff))]
    meshio.Mesh(np.array(points), cells, cell_data=data).write(path)
    return path


def test_lines_become_members_welded_to_the_walls(tmp_path: Path) -> None:
    path = _table(tmp_path / "table.vtu")
    arrival, sheet = arrived(path, Choices(thickness="3 mm"), tmp_path)
    assert "“table_members”: 5 straight members between 10 nodes, in regions 7, 8" in arrival.found
    frame = sheet.content.parts["table_members"]
    assert list(frame.members) == ["7_1", "7_2", "7_3", "7_4", "8_1"]  # type: ignore[union-attr]
    design = evaluate(sheet)
    assert {part.length for part in design.parts[1:]} == {0.3, 0.4}  # type: ignore[union-attr]
    assert len(sheet.content.joints) == 5
    assert design.warnings == () or all("lines" not in str(w) for w in design.warnings)
    changed = sheet.with_value(
        ("parts", "table_members", "members", "8_1", "section"),
        {"shape": "solid round", "diameter": "12 mm"},
    )
    assert evaluate(changed).part_of("table_members.8_1").section_words == "solid round section"  # type: ignore[union-attr]


def test_a_mesh_of_lines_alone_is_a_frame(tmp_path: Path) -> None:
    path = tmp_path / "wire.vtk"
    points = np.array([(0, 0, 0), (1, 0, 0), (2, 0, 0), (2, 1, 0), (0, 1, 0)], float)
    lines = np.array([(0, 1), (1, 2), (2, 3), (3, 4), (4, 0), (0, 4)])
    meshio.Mesh(points, [("line", lines)]).write(path)
    arrival, sheet = arrived(path, Choices(unit="m"), tmp_path)
    assert "“wire”: 4 straight members between 4 nodes" in arrival.found
    assert [part.length for part in evaluate(sheet).parts] == pytest.approx([2, 1, 2, 1])  # type: ignore[union-attr]
    with pytest.raises(MeshFileError, match="but 6 lines, which become members"):
        read_faces(path)


def test_regions_by_any_data_and_what_is_chosen(tmp_path: Path) -> None:
    path = _table(tmp_path / "table.vtu")
    assert list(read_faces(path).regions) == ["1"]
    assert list(read_faces(path, "colour").regions) == ["0", "1"]
    with pytest.raises(MeshFileError, match="no data “weight” of its cells; there is “group”"):
        read_faces(path, "weight")
    _, sheet = arrived(path, Choices(regions_by="colour"), tmp_path)
    named = sheet.with_value(("parts", "table", "regions", "0", "thickness"), "5 mm")
    thickness = evaluate(named).part_of("table").thickness  # type: ignore[union-attr]
    assert sorted(set(thickness.tolist())) == pytest.approx([0.001, 0.005])  # type: ignore[union-attr]


@pytest.mark.parametrize("kind", ["triangle6", "quad8", "quad9"])
def test_curved_cells_follow_the_nodes_between_their_corners(kind: str, tmp_path: Path) -> None:
    """A quarter of a tube in one row of cells: its area is nearer than that of flat cells."""
    count, radius, length = 3, 100.0, 120.0
    angles = np.linspace(0, math.pi / 2, 2 * count + 1)
    rows = [
        [(radius * math.cos(a), radius * math.sin(a), z) for a in angles]
        for z in (0.0, length / 2, length)
    ]
    points = np.array([point for row in rows for point in row])
    wide = len(angles)
    cells = []
    for k in range(count):
        a = 2 * k
        corner = [a, a + 2, 2 * wide + a + 2, 2 * wide + a]
        mids = [a + 1, wide + a + 2, 2 * wide + a + 1, wide + a]
        middle = wide + a + 1
        if kind == "triangle6":
            cells.append([*corner[:3], mids[0], mids[1], middle])
            cells.append([corner[0], corner[2], corner[3], middle, mids[2], mids[3]])
        else:
            cells.append([*corner, *mids, *([middle] if kind == "quad9" else [])])
    path = tmp_path / "shell.vtu"
    meshio.Mesh(points, [(kind, np.array(cells))]).write(path)
    faces = read_faces(path)
    assert faces.curved_cells == len(cells)
    flat = faces.points[faces.faces]
    areas = 0.5 * np.linalg.norm(np.cross(flat[:, 2] - flat[:, 0], flat[:, 3] - flat[:, 1]), axis=1)
    exact = 0.5 * math.pi * radius * length
    chords = 2 * count * 2 * radius * math.sin(math.pi / 8 / count) * length
    assert areas.sum() == pytest.approx(chords, rel=1e-3 if kind == "quad8" else 1e-9)
    assert areas.sum() == pytest.approx(exact, rel=4e-3)


def test_rims_that_nearly_meet_are_told_and_sewn(tmp_path: Path) -> None:
    points, quads = _grid()
    more, _ = _grid(shift=400.3)
    both = points + more
    cells = np.array([*quads, *[tuple(n + len(points) for n in quad) for quad in quads]])
    path = tmp_path / "two.vtu"
    meshio.Mesh(np.array(both), [("quad", cells)]).write(path)
    apart = read_faces(path)
    assert apart.pieces == 2
    assert apart.near_nodes[0] == 2 * SIDE
    assert apart.near_nodes[1] == pytest.approx(0.3)
    assert any("“sew” joins them" in line for line in apart.findings)
    sewn = read_faces(path, None, 0.5)
    assert (sewn.pieces, sewn.sewn_nodes) == (1, SIDE)
    text = (
        'belltone = 1\n[parts.a]\nkind = "mesh"\nfile = "two.vtu"\nunit = "mm"\nsew = "0.5 mm"\n'
        'material = "structural steel"\nthickness = "2 mm"\n[modes]\nfree = true\n'
    )
    design = evaluate(Sheet.from_text(text, tmp_path))
    assert len(design.part_of("a").points) == 2 * SIDE * SIDE - SIDE  # type: ignore[union-attr]


def test_solid_cells_and_closed_surfaces_are_told(tmp_path: Path) -> None:
    path = tmp_path / "block.vtu"
    points = np.array([(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1)], float)
    block = np.array([[0, 1, 3, 2, 4, 5, 7, 6]])
    meshio.Mesh(points, [("hexahedron", block)]).write(path)
    with pytest.raises(MeshFileError, match="but 1 solid cells; walls are faces"):
        read_faces(path)
    sides = np.array(
        [(0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (0, 2, 6, 4), (1, 3, 7, 5)]
    )
    meshio.Mesh(points, [("quad", sides)]).write(path)
    assert any("closed all round" in line for line in read_faces(path).findings)


@pytest.mark.parametrize(("size", "unit"), [(0.5, "m"), (300.0, "mm"), (900.0, "mm"), (12.0, "cm")])
def test_a_likely_unit_is_guessed_and_said(size: float, unit: str, tmp_path: Path) -> None:
    path = tmp_path / "a.vtu"
    points = size / math.sqrt(2) * np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)])
    meshio.Mesh(points, [("quad", np.array([(0, 1, 2, 3)]))]).write(path)
    found, words = guessed_unit(path)
    assert found == unit
    assert "the file states no unit" in words


def test_what_files_are(tmp_path: Path) -> None:
    outline, frame = tmp_path / "a.csv", tmp_path / "b.csv"
    outline.write_text("x (mm), y\n0,0\n1,0\n1,1\n", encoding="utf-8")
    frame.write_text("a,0,0,0\nb,1,0,0\nm,a,b\n", encoding="utf-8")
    assert kind_of(outline) is Kind.POINTS
    assert kind_of(frame) is Kind.FRAME
    assert kind_of(tmp_path / "x.STP") is Kind.SOLIDS
    assert kind_of(tmp_path / "x.doc") is None
    with pytest.raises(UserError, match=r"“x.doc” is none of the files a sheet can begin with"):
        arrived(tmp_path / "x.doc", Choices(), tmp_path)


def test_a_table_may_name_sections_and_materials(run: Run, tmp_path: Path) -> None:
    table = tmp_path / "frame.csv"
    rows = ["name, x (mm), y, z", "a,0,0,0", "b,500,0,0", "c,500,400,0"]
    table.write_text(
        "\n".join([*rows, "m1,a,b,solid rectangle 40 x 20,titanium alloy", "m2,b,c"]),
        encoding="utf-8",
    )
    arrival, sheet = arrived(table, Choices(), tmp_path)
    member = sheet.content.parts["frame"].members["m1"]  # type: ignore[union-attr]
    assert (member.section.width, member.material) == ("40 mm", "titanium alloy")  # type: ignore[union-attr]
    assert any("the sections of 1 are not in the table" in line for line in arrival.doubts)
    table.write_text("\n".join([*rows, "m1,a,b,solid rectangle 40"]), encoding="utf-8")
    code, _, err = run("frame", table)
    assert code == 1
    assert "line 5: a solid rectangle has 2 sizes, width, height, where" in err
    table.write_text("\n".join([*rows, "m1,a,b,girder 40"]), encoding="utf-8")
    assert (
        "“girder 40” is no section; write its shape and its sizes in mm" in run("frame", table)[2]
    )


# -- revisions ------------------------------------------------------------------------------------


def _bracket(tmp_path: Path) -> Path:
    solids.write_step(tmp_path / "a.step", solids.bracket(holes=[(20, 40), (60, 40)]))
    path = tmp_path / "bracket.toml"
    path.write_text(
        'belltone = 1\n[parts.bracket]\nkind = "skin"\nfile = "a.step"\n'
        'material = "structural steel"\n[parts.bracket.regions."face 2"]\nthickness = "3 mm"\n'
        '[parts.bracket.holes."hole 1"]\ndiameter = "11 mm"\n'
        '[[supports]]\nsite = "bracket.hole 1"\nhold = "clamped"\n'
        '[[supports]]\nsite = "bracket.hole 2"\nhold = ["x", "y", "z"]\n'
        '[[masses]]\nsite = "bracket.edge 3"\nmass = "0.2 kg"\n',
        encoding="utf-8",
    )
    return path


def test_a_revision_keeps_supports_where_holes_count_otherwise(run: Run, tmp_path: Path) -> None:
    path = _bracket(tmp_path)
    body = solids.bracket(holes=[(20, 40), (60, 41)], back=44)
    solids.write_step(tmp_path / "b.step", solids.cut(body, solids.cylinder(7, 10, (40, 40, -3))))
    new = tmp_path / "newer.toml"
    code, _, err = run("revise", path, tmp_path / "b.step", "-o", new)
    assert code == 0, err
    assert "“bracket.hole 1” is “bracket.hole 2” now" in err
    assert "new on “bracket”: hole 1" in err
    content = read_sheet(new).content
    assert [support.site for support in content.supports] == ["bracket.hole 2", "bracket.hole 3"]
    assert content.parts["bracket"].regions["face 2"].thickness == "3 mm"  # type: ignore[union-attr]
    assert content.parts["bracket"].holes["hole 2"].diameter == "11 mm"  # type: ignore[union-attr]
    assert evaluate(read_sheet(new)).warnings == ()


def test_what_a_revision_has_no_place_for_is_told(tmp_path: Path) -> None:
    sheet = read_sheet(_bracket(tmp_path))
    solids.write_step(tmp_path / "b.step", solids.bracket(holes=[(20, 40)]))
    found = revised(sheet, "a.step", tmp_path / "b.step")
    assert "“bracket.hole 2” is gone, or no longer like it was" in found.told
    assert any(
        line.startswith("taken out, since its site is gone: supports 2: site bracket.hole 2")
        for line in found.told
    )
    assert [support.site for support in found.sheet.content.supports] == ["bracket.hole 1"]
    with pytest.raises(RevisionError, match=r"“c.step” is no file of this sheet"):
        revised(sheet, "c.step", tmp_path / "b.step")


def test_a_mesh_is_revised_by_its_rims(tmp_path: Path) -> None:
    points, quads = _grid()
    first = [quad for number, quad in enumerate(quads) if number != 5]
    meshio.Mesh(np.array(points), [("quad", np.array(first))]).write(tmp_path / "a.vtu")
    second = [quad for number, quad in enumerate(quads) if number not in (5, 15)]
    meshio.Mesh(np.array(points), [("quad", np.array(second))]).write(tmp_path / "b.vtu")
    text = (
        'belltone = 1\n[parts.a]\nkind = "mesh"\nfile = "a.vtu"\nunit = "mm"\n'
        'material = "structural steel"\nthickness = "2 mm"\n'
        '[[supports]]\nsite = "a.rim 2"\nhold = "clamped"\n'
    )
    found = revised(Sheet.from_text(text, tmp_path), "a.vtu", tmp_path / "b.vtu")
    assert "“a”: 3 of 3 sites found again" in found.told
    assert found.sheet.content.supports[0].site == "a.rim 2"
    assert found.sheet.content.parts["a"].file == "b.vtu"  # type: ignore[union-attr]


def test_files_are_found_from_wherever_a_sheet_is_saved(tmp_path: Path) -> None:
    points, quads = _grid()
    meshio.Mesh(np.array(points), [("quad", np.array(quads))]).write(tmp_path / "a.vtu")
    text = (
        'belltone = 1\n[parts.a]\nkind = "mesh"\nfile = "a.vtu"\nunit = "mm"\n'
        'material = "structural steel"\nthickness = "2 mm"\n'
    )
    sheet = Sheet.from_text(text, tmp_path)
    deeper = tmp_path / "one" / "two"
    deeper.mkdir(parents=True)
    moved = sheet.for_folder(deeper)
    assert moved.content.parts["a"].file == "../../a.vtu"  # type: ignore[union-attr]
    assert moved.answer_hash() == sheet.answer_hash()
    assert sheet.for_folder(tmp_path).text == sheet.text
    anywhere = sheet.with_value(("parts", "a", "file"), str(tmp_path / "a.vtu"))
    assert anywhere.for_folder(tmp_path).content.parts["a"].file == "a.vtu"  # type: ignore[union-attr]


def test_a_mesh_too_fine_is_made_coarser_and_keeps_its_outline(tmp_path: Path) -> None:
    """A plate of 14 400 faces: what stands for it has its size, its corners and its frequencies."""
    line = np.linspace(0, 600, 121)
    x, y = (each.ravel() for each in np.meshgrid(line, 0.5 * line))
    rows = np.arange(121 * 121).reshape(121, 121)
    quads = np.stack([rows[:-1, :-1], rows[:-1, 1:], rows[1:, 1:], rows[1:, :-1]], axis=-1)
    path = tmp_path / "fine.vtu"
    sides = {"half": [(quads[..., 0].ravel() % 121 >= 60).astype(int)]}
    points = np.column_stack([x, y, np.zeros(len(x))])
    meshio.Mesh(points, [("quad", quads.reshape(-1, 4))], cell_data=sides).write(path)
    arrival, sheet = arrived(path, Choices(unit="mm", thickness="3 mm"), tmp_path)
    assert any("14400 faces were made" in line for line in arrival.doubts)
    text = sheet.text.replace('coarser = "6 mm"', 'coarser = "25 mm"')
    assert text != sheet.text
    design = evaluate(Sheet.from_text(text + "[modes]\ncount = 4\nfree = true\n", tmp_path))
    mesh = design.part_of("fine")
    assert isinstance(mesh, MeshValue)
    assert 200 < len(mesh.points) < 400
    assert np.ptp(mesh.points, axis=0) == pytest.approx([0.6, 0.3, 0.0], abs=1e-9)
    for corner in ((0, 0, 0), (0.6, 0, 0), (0.6, 0.3, 0), (0, 0.3, 0)):
        assert np.linalg.norm(mesh.points - corner, axis=1).min() < 1e-9
    assert set(mesh.areas) == {"face", "region 0", "region 1"}
    plate = (
        'belltone = 1\n[parts.a]\nkind = "plate"\nmaterial = "structural steel"\n'
        'thickness = "3 mm"\n'
        'outline = { shape = "rectangle", width = "600 mm", height = "300 mm" }\n'
        "[modes]\ncount = 4\nfree = true\n"
    )
    found, own = (
        solve_modes(each, replace(request_for(each), accuracy=3e-2)).frequencies[6:10]
        for each in (design, evaluate(Sheet.from_text(plate)))
    )
    assert found == pytest.approx(own, rel=1e-2)


def test_a_first_look_at_a_mesh_is_within_what_it_says(tmp_path: Path) -> None:
    """Coarse enough that the mesh's own error is seen; its first step is of the same mesh."""
    points, quads = _grid()
    meshio.Mesh(np.array(points), [("quad", np.array(quads))]).write(tmp_path / "a.vtu")
    text = (
        'belltone = 1\n[parts.a]\nkind = "mesh"\nfile = "a.vtu"\nunit = "mm"\n'
        'material = "structural steel"\nthickness = "4 mm"\n[modes]\ncount = 4\nfree = true\n'
    )
    design = evaluate(Sheet.from_text(text, tmp_path))
    looks: list[ModeSet] = []
    watching = Progress(viewer=looks.append)
    last = solve_modes(design, request_for(design), progress=watching)
    assert looks
    for look in looks:
        known = look.frequencies[6:10]
        off = np.abs(known / last.frequencies[6:10] - 1)
        assert (off <= look.errors[6:10] + last.errors[6:10]).all()
        assert look.errors[6:10].max() > 1e-3


def test_a_mesh_is_revised_as_the_sheet_reads_it(tmp_path: Path) -> None:
    """Two halves that are sewn have one rim, and the wall of a region follows its name."""
    points, quads = _grid()
    more, _ = _grid(shift=400.3)
    both = np.array(points + more)
    cells = np.array([*quads, *[tuple(n + len(points) for n in quad) for quad in quads]])
    half = {"half": [np.repeat([0, 1], len(quads))]}
    for name in ("a.vtu", "b.vtu"):
        meshio.Mesh(both, [("quad", cells)], cell_data=half).write(tmp_path / name)
    text = (
        'belltone = 1\n[knobs]\nreach = { value = "0.5 mm" }\n'
        '[parts.a]\nkind = "mesh"\nfile = "a.vtu"\nunit = "mm"\nsew = "reach"\n'
        'material = "structural steel"\nthickness = "2 mm"\n[parts.a.regions.1]\n'
        'thickness = "3 mm"\n[[supports]]\nsite = "a.rim 1"\nhold = "clamped"\n'
    )
    found = revised(Sheet.from_text(text, tmp_path), "a.vtu", tmp_path / "b.vtu")
    assert "“a”: 4 of 4 sites found again" in found.told
    assert found.sheet.content.parts["a"].regions["1"].thickness == "3 mm"  # type: ignore[union-attr]
    assert evaluate(found.sheet).part_of("a").thickness.max() == pytest.approx(0.003)  # type: ignore[union-attr]
