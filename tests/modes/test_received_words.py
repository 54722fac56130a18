"""What modes of received meshes are called: flat, folded, and of revolution."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet
from tests.assemblies import held, text_of
from tests.geometry.test_received_meshes import flat, part, split, written

Mesh = tuple[np.ndarray, np.ndarray]


def kinds(folder: Path, mesh: Mesh, count: int, rest: str = "", **data: object) -> list[str]:
    return list(modes(folder, mesh, count, rest, **data).kinds)


def modes(folder: Path, mesh: Mesh, count: int, rest: str = "", **data: object) -> ModeSet:
    points, cells = mesh
    sort = "triangle" if cells.shape[1] == 3 else "quad"
    written(folder, "m.vtu", points, [(sort, cells)], **data)
    path = folder / "s.toml"
    path.write_text(text_of(part("m.vtu"), rest), encoding="utf-8")
    found = solve_modes(evaluate(read_sheet(path)), ModeRequest(count, None, 0.5))
    return found.picked(np.arange(found.rigid_count, len(found)))


def folded(*angles_and_widths: tuple[float, float], length: float = 300.0) -> Mesh:
    """A strip of flats along y, one behind another at angles (degrees), in squares of 10 mm."""
    line = [np.zeros(2)]
    for angle, width in angles_and_widths:
        way = np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))])
        line += [line[-1] + way * 10 * step for step in range(1, round(width / 10) + 1)]
    x, z = np.array(line).T
    y = np.linspace(0.0, length, round(length / 10) + 1)
    grid = np.arange(len(x) * len(y)).reshape(len(x), len(y))
    points = np.column_stack([np.repeat(x, len(y)), np.tile(y, len(x)), np.repeat(z, len(y))])
    corners = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
    return points, np.stack(corners, axis=-1).reshape(-1, 4)


@pytest.mark.parametrize("three", [False, True])
def test_a_flat_mesh_counts_half_waves_as_a_plate_does(tmp_path: Path, three: bool) -> None:
    """Simply supported, 600 by 400: by G. B. Warburton's order of m²/a² + n²/b²."""
    points, quads = flat(24, 16)
    found = kinds(
        tmp_path,
        (points, split(quads) if three else quads),
        5,
        held("m.rim 1", '"simply supported"'),
    )
    assert found == [f"bending, {m} × {n} half-waves" for m, n in
                     ((1, 1), (2, 1), (1, 2), (3, 1), (2, 2))]  # fmt: skip


def test_a_folded_mesh_says_which_flat_bends(tmp_path: Path) -> None:
    """A wide flange clamped at the bend's far end, thick beside a narrow one that goes along."""
    found = modes(tmp_path, folded((0, 200), (90, 40)), 3, held("m.rim 1", '"clamped"'))
    assert found.kinds[0].startswith("bending of the flat across z")
    found = modes(tmp_path, folded((0, 40), (90, 200)), 2)
    assert any("of the flat across x" in kind for kind in found.kinds)


def test_flats_that_face_alike_are_told_apart_by_their_places(tmp_path: Path) -> None:
    """A box section: its walls breathe together, each named by where it is."""
    sides = (0, 150), (90, 150), (180, 150), (270, 150)
    points, quads = folded(*sides, length=150.0)
    # Close the section: the last line of nodes is the first one again.
    rows = 16
    points, quads = points[:-rows], np.where(quads >= len(points) - rows, quads % rows, quads)
    found = kinds(tmp_path, (points, quads), 8)
    told = " ".join(found)
    for where in ("across z at 0 mm", "across z at 150 mm", "across x at 0 mm"):
        assert where in told


def test_a_region_that_is_a_flat_gives_it_its_name(tmp_path: Path) -> None:
    points, quads = folded((0, 200), (90, 60))
    labels = np.where(points[quads][:, :, 2].mean(axis=1) > 0, 2, 1)
    found = kinds(
        tmp_path,
        (points, quads),
        3,
        held("m.rim 1", '"clamped"'),
        cell_data={"part": [labels]},
    )
    assert found[0].startswith("bending of region 1")


def test_a_tube_of_facets_breathes_like_a_tube(tmp_path: Path) -> None:
    sides = 48
    angles = np.linspace(0.0, 2 * np.pi, sides, endpoint=False)
    z = np.linspace(0.0, 300.0, 13)
    grid = np.arange(sides * len(z)).reshape(len(z), sides)
    ring = np.column_stack([100 * np.cos(angles), 100 * np.sin(angles)])
    points = np.column_stack([np.tile(ring, (len(z), 1)), np.repeat(z, sides)])
    after = np.roll(grid, -1, axis=1)
    quads = np.stack([grid[:-1], after[:-1], after[1:], grid[1:]], axis=-1).reshape(-1, 4)
    found = kinds(tmp_path, (points, quads), 4)
    # Free: the oval without, then with, a tilt along it (Rayleigh's and Love's modes).
    assert found == ["breathing (1, 2)", "breathing (1, 2)", "breathing (2, 2)", "breathing (2, 2)"]
