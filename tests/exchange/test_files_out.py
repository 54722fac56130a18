"""What is handed over as files, read back by other packages."""

import csv
from pathlib import Path

import ezdxf
import meshio
import numpy as np
import pytest
import pyuff
from scipy import io
from scipy.sparse.linalg import eigsh

from belltone.compare.likeness import Side
from belltone.compare.measured import modes_at, motions_at
from belltone.design.values import Design
from belltone.exchange.universal import read_universal, write_universal
from belltone.files import FileError
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.conftest import Run

PLATE = """
belltone = 1
[materials.steel]
density = "7850 kg/m^3"
youngs_modulus = "200 GPa"
poisson_ratio = 0.3
[parts.cover]
kind = "plate"
material = "steel"
thickness = "4 mm"
outline = { shape = "rounded rectangle", width = "300 mm", height = "200 mm", radius = "20 mm" }
holes = [
  { name = "inlet", shape = "round", at = ["40 mm", "10 mm"], diameter = "50 mm" },
  { name = "slot", shape = "rectangular", at = ["-8 cm", "0 mm"], width = "3 cm", height = "6 cm" },
]
[sites.left]
part = "cover"
at = ["-120 mm", "90 mm"]
[sites.right]
part = "cover"
at = ["120 mm", "90 mm"]
[[supports]]
site = "cover.south"
hold = "clamped"
[modes]
count = 4
[accuracy]
target = "2 %"
"""


@pytest.fixture(scope="module")
def plate() -> Design:
    return evaluate(Sheet.from_text(PLATE))


@pytest.fixture(scope="module")
def plate_modes(plate: Design) -> ModeSet:
    return solve_modes(plate, request_for(plate))


@pytest.fixture
def plate_path(tmp_path: Path) -> Path:
    path = tmp_path / "cover.toml"
    path.write_text(PLATE, encoding="utf-8")
    return path


def test_shapes_open_in_other_programs(
    run: Run, plate_path: Path, plate: Design, plate_modes: ModeSet
) -> None:
    target = plate_path.with_name("shapes.vtu")
    code, out, err = run("export", plate_path, "--what", "shapes", "-o", target)
    assert (code, out, err) == (0, f"wrote {target}\n", "")
    mesh = meshio.read(target)
    assert {block.type for block in mesh.cells} == {"quad"}
    assert mesh.field_data["frequency (Hz)"] == pytest.approx(plate_modes.flexible, rel=1e-9)
    names = [name for name in mesh.point_data if "energy" not in name and name != "part"]
    assert len(names) == 4
    energies = [name for name in mesh.point_data if "energy" in name]
    assert [name.partition(", ")[0] for name in energies[:2]] == ["mode 01", "mode 01"]
    assert ["strain" in name for name in energies[:2]] == [True, False]
    first = mesh.point_data[names[0]]
    assert names[0].startswith("mode 01, ")
    assert names[0].endswith("(relative)")
    assert np.linalg.norm(first, axis=1).max() == pytest.approx(1.0, rel=1e-6)
    # The free edge moves, the clamped one does not, and all of it out of the plane.
    y = mesh.points[:, 1]
    assert np.abs(first[y < -0.0999]).max() < 1e-6
    assert np.abs(first[y > 0.0999, 2]).min() > 0.8
    assert np.abs(first[:, :2]).max() < 1e-6


def test_the_loaded_state(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "bar.toml"
    path.write_text(
        PLATE + '[preload]\nforces = [{ site = "cover.north", force = ["0 N", "2 kN", "0 N"] }]\n',
        encoding="utf-8",
    )
    target = tmp_path / "state.vtu"
    assert run("export", path, "--what", "state", "-o", target)[0] == 0
    mesh = meshio.read(target)
    pulled = mesh.point_data["displacement (m)"][:, 1].max()
    assert 2e3 * 0.2 / (200e9 * 0.3 * 4e-3) < pulled < 5e-6
    assert mesh.point_data["von Mises stress (Pa)"].max() > 2e3 / (0.3 * 4e-3)
    code, _, err = run("export", path, "--set", "preload.scale=0", "--what", "state", "-o", target)
    assert code == 1
    assert "no loaded state to write" in err


@pytest.mark.parametrize("ending", ["stl", "ply", "obj", "vtu"])
def test_the_surface_has_its_area(run: Run, plate_path: Path, ending: str) -> None:
    target = plate_path.with_name(f"cover.{ending}")
    assert run("export", plate_path, "--what", "surface", "-o", target)[0] == 0
    mesh = meshio.read(target)
    scale = 1e-3 if ending != "vtu" else 1.0
    points = mesh.points.astype(float) * scale
    area = 0.0
    for block in mesh.cells:
        for corners in ((0, 1, 2), (0, 2, 3))[: block.data.shape[1] - 2]:
            a, b, c = (points[block.data[:, corner]] for corner in corners)
            area += 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
    exact = 0.3 * 0.2 - (4 - np.pi) * 0.02**2 - np.pi * 0.025**2 - 0.03 * 0.06
    assert area == pytest.approx(exact, rel=1e-3)
    if ending in ("stl", "ply", "obj"):
        assert b"lengths in mm" in target.read_bytes()


def test_a_plate_is_drawn_by_exact_lines(run: Run, plate_path: Path) -> None:
    target = plate_path.with_name("cover.dxf")
    assert run("export", plate_path, "--what", "outline", "-o", target)[0] == 0
    drawing = ezdxf.readfile(target)  # type: ignore[attr-defined]
    assert drawing.units == 4  # mm
    assert not drawing.audit().errors
    rim, inlet, slot = drawing.modelspace()
    assert (inlet.dxf.center.x, inlet.dxf.center.y, inlet.dxf.radius) == (40.0, 10.0, 25.0)
    assert slot.closed
    assert rim.dxf.layer == "cover"
    flat = np.array([(p.x, p.y) for p in ezdxf.path.make_path(rim).flattening(1e-4)])
    assert np.ptp(flat, axis=0) == pytest.approx([300.0, 200.0])
    x, y = flat[:-1].T
    shoelace = 0.5 * abs(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
    assert shoelace == pytest.approx(300 * 200 - (4 - np.pi) * 20**2, rel=1e-5)


def test_edges_in_space(run: Run, rail_path: Path) -> None:
    target = rail_path.with_name("rail.dxf")
    assert run("export", rail_path, "--what", "outline", "--unit", "m", "-o", target)[0] == 0
    drawing = ezdxf.readfile(target)  # type: ignore[attr-defined]
    assert drawing.units == 6  # m
    lines = [np.array([v.dxf.location for v in line.vertices]) for line in drawing.modelspace()]
    assert max(line[:, 0].max() for line in lines) == pytest.approx(2.4, abs=0.4)


def test_matrices_give_the_frequencies(run: Run, plate_path: Path, plate_modes: ModeSet) -> None:
    target = plate_path.with_name("cover.mtx")
    code, out, _ = run("export", plate_path, "--what", "matrices", "-o", target)
    assert code == 0
    assert len(out.splitlines()) == 4
    stiffness = io.mmread(plate_path.with_name("cover-stiffness.mtx")).tocsc()
    mass = io.mmread(plate_path.with_name("cover-mass.mtx")).tocsc()
    found = np.sqrt(eigsh(stiffness, 4, mass, sigma=0.0)[0]) / (2 * np.pi)
    assert found == pytest.approx(plate_modes.flexible, rel=1e-6)
    to_nodes = io.mmread(plate_path.with_name("cover-to-nodes.mtx"))
    with plate_path.with_name("cover-unknowns.csv").open(encoding="utf-8") as stream:
        unknowns = list(csv.DictReader(stream))
    assert len(unknowns) == stiffness.shape[0] == to_nodes.shape[1]
    lowest = min(float(row["y (m)"]) for row in unknowns)
    assert lowest > -0.0999  # what is clamped has no unknowns
    row = unknowns[7]
    full = 6 * (int(row["node"]) - 1) + ["x", "y", "z", "turn x", "turn y", "turn z"].index(
        row["motion"]
    )
    assert to_nodes.tocsr()[full].toarray().ravel().tolist() == np.eye(len(unknowns))[7].tolist()


def test_a_series_over_a_knob(run: Run, rail_path: Path) -> None:
    target = rail_path.with_name("walls.pvd")
    over = ("--over", "wall=3 mm:5 mm:3")
    code, out, _ = run("export", rail_path, "--what", "shapes", *over, "-o", target)
    assert code == 0
    files = [Path(line.removeprefix("wrote ")) for line in out.splitlines()]
    assert files[-1] == target
    text = target.read_text(encoding="utf-8")
    assert 'timestep="3.0"' in text
    assert "wall, in mm" in text
    first, last = (meshio.read(file) for file in (files[0], files[-2]))
    assert list(first.point_data) == list(last.point_data)
    assert next(iter(first.point_data)).startswith("branch 01, ")


def test_universal_there_and_back(run: Run, plate_path: Path, plate_modes: ModeSet) -> None:
    target = plate_path.with_name("cover.unv")
    sites = ("--at", "left", "--at", "right", "--at", "cover.north")
    assert run("export", plate_path, "--what", "shapes", *sites, "-o", target)[0] == 0
    types = pyuff.UFF(str(target)).get_set_types().astype(int).tolist()
    assert types == [164, 15, 55, 55, 55, 55]
    told = read_universal(target)
    assert told.frequencies == pytest.approx(plate_modes.flexible, rel=1e-5)
    assert told.positions.shape == (3, 3)
    bending = told.shapes[0][:, 2]
    assert bending[0] == pytest.approx(bending[1], rel=0.05)
    twist = told.shapes[1][:, 2]
    assert twist[0] == pytest.approx(-twist[1], rel=0.2)
    code, _, err = run("export", plate_path, "--what", "shapes", "--at", "nowhere", "-o", target)
    assert code == 1
    assert "“nowhere” is no site of this sheet" in err


def test_points_beside_the_axis_turn_with_the_section(rail: Sheet) -> None:
    design = evaluate(rail)
    side = Side("rail", design, solve_modes(design, request_for(design)))
    own = modes_at(side)
    axis = own.positions[[40]]
    on = motions_at(side, axis)
    off = motions_at(side, axis + np.array([[0.0, 0.0, 0.02]]))
    turns = side.modes.shapes[side.modes.rigid_count :, 40, 3:]
    assert on[:, 0] == pytest.approx(own.shapes[:, 40], abs=1e-12)
    assert off[:, 0] - on[:, 0] == pytest.approx(np.cross(turns, [0, 0, 0.02]), abs=1e-3)


def test_units_and_phases_of_a_universal_file(tmp_path: Path) -> None:
    path = tmp_path / "tap.unv"
    file = pyuff.UFF(str(path))
    nodes = [4, 9]
    file.write_sets(
        pyuff.prepare_164(units_code=5, units_description="mm", temp_mode=1, length=1e3,
                          force=1.0, temp=1.0, temp_offset=0.0),
        mode="add")  # fmt: skip
    file.write_sets(
        pyuff.prepare_2411(node_nums=nodes, def_cs=[0, 0], disp_cs=[0, 0], color=[1, 1],
                           x=[0.0, 250.0], y=[0.0, 0.0], z=[0.0, 5.0]),
        mode="add")  # fmt: skip
    shape = np.array([1.0, -0.5]) * np.exp(0.7j)
    file.write_sets(
        pyuff.prepare_55(model_type=1, analysis_type=3, data_ch=2, spec_data_type=8, data_type=5,
                         n_data_per_node=3, load_case=1, mode_n=1, eig=-3.0 + 2j * np.pi * 50,
                         modal_a=0j, modal_b=0j, node_nums=nodes, r1=0 * shape, r2=0 * shape,
                         r3=shape, id1="a", id2="b", id3="c", id4="d", id5="e"),
        mode="add")  # fmt: skip
    told = read_universal(path)
    assert told.positions[1] == pytest.approx([0.25, 0, 0.005])
    assert told.frequencies[0] == pytest.approx(50.0, rel=1e-3)
    assert told.shapes[0][1, 2] / told.shapes[0][0, 2] == pytest.approx(-0.5)


def test_what_is_no_universal_file(tmp_path: Path) -> None:
    path = tmp_path / "x.unv"
    path.write_text("nothing of the sort\n")
    with pytest.raises(FileError, match=r"x\.unv"):
        read_universal(path)


def test_modes_there_and_back(tmp_path: Path, plate: Design, plate_modes: ModeSet) -> None:
    told = modes_at(Side("cover", plate, plate_modes))
    write_universal(told, tmp_path / "all.unv")
    again = read_universal(tmp_path / "all.unv")
    assert again.positions == pytest.approx(told.positions, abs=1e-6)
    assert again.shapes == pytest.approx(told.shapes, abs=1e-5)


@pytest.mark.parametrize(
    ("what", "name", "words"),
    [
        ("shapes", "x.stl", "its ending must be .vtu or .unv or .pvd"),
        ("matrices", "x", "its ending must be .mtx"),
        ("shapes", "x.pvd", "need “--over KNOB=START:STOP:POINTS”"),
    ],
)
def test_endings_say_what_is_written(
    run: Run, plate_path: Path, what: str, name: str, words: str
) -> None:
    code, out, err = run("export", plate_path, "--what", what, "-o", plate_path.with_name(name))
    assert (code, out) == (1, "")
    assert words in err


def test_no_input_is_replaced(run: Run, plate_path: Path) -> None:
    for name in ("cover.toml", "cover.variants.toml", "cover.results.sqlite"):
        plate_path.with_name(name).touch()
        code, _, err = run(
            "export", plate_path, "--what", "shapes", "-o", plate_path.with_name(name)
        )
        assert code == 1
        assert "would replace" in err


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        (("export", "--what", "state", "-o", "x.vtu"), "no loaded state to write"),
        (("picture", "--what", "stress", "-o", "x.png"), "there is no loaded state"),
        (("picture", "--what", "one knob", "-o", "x.png"), "it needs a knob;"),
        (("picture", "--what", "two knobs", "-o", "x.svg"), "it needs a band and two knobs"),
        (("tables", "--what", "tolerances, one knob", "-o", "x.csv"), "none of these tables"),
    ],
)
def test_what_a_sheet_has_not_is_told_before_anything_is_solved(
    run: Run,
    plate_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    asked: tuple[str, ...],
    words: str,
) -> None:
    def solve(*_: object) -> ModeSet:
        raise AssertionError("solved")

    monkeypatch.setattr("belltone.exchange.gathered.known_or_solved", solve)
    command, *rest, target = asked
    code, _, err = run(command, plate_path, *rest, plate_path.with_name(target))
    assert code == 1
    assert words in err
