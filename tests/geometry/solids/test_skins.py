"""Skins of bodies: sides of walls, thickness, names, and the middle surface."""

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from belltone.geometry.skins import NODES
from belltone.geometry.solids.kernel import CadFileError, read_solids
from belltone.geometry.solids.skins import ReceivedSkin, received_skin
from belltone.geometry.solids.walls import find_walls
from tests import solids


def skins_of(tmp_path: Path, *bodies: Any) -> list[ReceivedSkin]:
    found = []
    for number, solid in enumerate(
        read_solids(solids.write_step(tmp_path / "part.step", *bodies)), start=1
    ):
        walls, pieces = find_walls(solid)
        found += [
            received_skin(walls, piece, number, count)
            for count, piece in enumerate(pieces, start=1)
        ]
    return found


def thicknesses(skin: ReceivedSkin) -> set[float]:
    return {round(1e3 * value, 6) for value in skin.thickness.ravel().tolist()}


def test_a_bracket_is_one_skin_over_its_bend_with_its_exact_volume(tmp_path: Path) -> None:
    body = solids.bracket(holes=[(20, 40), (60, 40)])
    (skin,) = skins_of(tmp_path, body)
    assert skin.names == ("face 1", "face 2", "face 3")
    assert thicknesses(skin) == {2.0}
    assert skin.folds == frozenset()
    holes = [note for name, note in skin.notes.items() if name.startswith("hole")]
    assert [note.words for note in holes] == ["round, 10 mm"] * 2
    assert holes[0].centre == pytest.approx((0.02, 0.04, 0.0), abs=1e-9)
    # Outer faces: they lie on z = 0, y = 0 and the greater radius of the bend.
    assert skin.places[..., 2].min() == pytest.approx(0.0, abs=1e-12)
    solid = read_solids(tmp_path / "part.step")[0]
    assert skin.volume() == pytest.approx(solid.volume, rel=1e-10)


def test_the_middle_surface_lies_half_a_wall_within(tmp_path: Path) -> None:
    (skin,) = skins_of(tmp_path, solids.tube(radius=30, length=100, wall=2))
    middle, thick = skin.middle()
    assert np.allclose(thick, 0.002, rtol=1e-9)
    share = np.linspace(0, 1, 23)
    for piece in range(len(skin.vertices)):
        places, normals = middle.locate(piece, share, share[::-1])
        assert np.hypot(*places[:, :2].T) == pytest.approx(np.full(23, 0.029), rel=1e-8)
        assert np.sum(normals[:, :2] * places[:, :2], axis=1) == pytest.approx(
            np.full(23, 0.029), rel=1e-7
        )
    assert middle.area == pytest.approx(2 * math.pi * 0.029 * 0.1, rel=1e-8)


def test_sharp_walls_meet_on_the_line_both_middles_share(tmp_path: Path) -> None:
    (skin,) = skins_of(tmp_path, solids.tray(100, 60, 40, 2))
    assert len(skin.names) == 5
    assert len([name for name in skin.edges if name.startswith("fold")]) == 8
    middle, _ = skin.middle()
    corners = np.concatenate(
        [
            middle.locate(piece, np.array([0.0, 1, 1, 0]), np.array([0.0, 0, 1, 1]))[0]
            for piece in range(len(skin.vertices))
        ]
    )
    assert corners.min(axis=0) == pytest.approx([0.001, 0.001, 0.001], abs=1e-10)
    assert corners.max(axis=0) == pytest.approx([0.099, 0.059, 0.04], abs=1e-10)


def test_stated_thicknesses_keep_the_outer_faces(tmp_path: Path) -> None:
    (skin,) = skins_of(tmp_path, solids.tray(100, 60, 40, 2))
    middle, thick = skin.middle({"face 1": 0.004})
    assert thick.max() == pytest.approx(0.004)
    floor = np.flatnonzero(skin.regions == 0)[0]
    half = np.array([0.5])
    assert middle.locate(int(floor), half, half)[0][0, 2] == pytest.approx(0.002, abs=1e-10)
    assert middle.share(int(floor), half, half) == pytest.approx([1.0])


def test_many_pieces_at_once_are_each_by_itself(tmp_path: Path) -> None:
    (skin,) = skins_of(tmp_path, solids.tray(100, 60, 40, 2))
    middle, _ = skin.middle({"face 1": 0.004})
    pieces = np.array([3, 0, 0, 4, 3, 3, 1])  # some once, some twice, one three times
    u, v = np.linspace(0, 1, 7), np.linspace(0.8, 0.1, 7)
    places, normals = middle.locate(pieces, u, v)
    shares = middle.share(pieces, u, v)
    for at, piece in enumerate(pieces.tolist()):
        place, normal = middle.locate(piece, u[at : at + 1], v[at : at + 1])
        assert places[at] == pytest.approx(place[0], abs=1e-15)
        assert normals[at] == pytest.approx(normal[0], abs=1e-14)
        assert shares[at] == pytest.approx(middle.share(piece, u[at : at + 1], v[at : at + 1])[0])


@pytest.mark.parametrize(
    ("body", "count", "walls"),
    [
        (solids.tee(), 2, [{3.0}, {2.0}]),
        (solids.cap(), 1, [{2.0}]),
        (solids.prism([(0, 0), (100, 0), (50, 90), (50, 30)], 2), 1, [{2.0}]),
        (solids.cut(solids.tray(), solids.cylinder(6, 10, (30, 30, -2))), 1, [{2.0}]),
        (solids.cut(solids.tube(), solids.cylinder(8, 100, (0, 0, 50), (1, 0, 0))), 1, [{2.0}]),
    ],
    ids=["tee", "cap", "dart", "tray with a hole", "tube with a hole"],
)
def test_walls_are_found_once(
    body: Any, count: int, walls: list[set[float]], tmp_path: Path
) -> None:
    skins = skins_of(tmp_path, body)
    assert [thicknesses(skin) for skin in skins] == walls
    assert len(skins) == count
    solid = read_solids(tmp_path / "part.step")[0]
    # Rims that are cut aslant are the only thing a skin leaves out.
    assert sum(skin.volume() for skin in skins) == pytest.approx(solid.volume, rel=2e-3)


def test_blocks_meet_at_shared_vertices(tmp_path: Path) -> None:
    (skin,) = skins_of(tmp_path, solids.bracket(holes=[(20, 40), (60, 40)]))
    at = {0: (0, 0), 1: (0, -1), 2: (-1, -1), 3: (-1, 0)}
    places: dict[int, list[np.ndarray]] = {}
    for piece, ring in enumerate(skin.vertices.tolist()):
        for corner, vertex in enumerate(ring):
            places.setdefault(vertex, []).append(skin.places[(piece, *at[corner])])
    assert max(float(np.ptp(each, axis=0).max()) for each in places.values()) < 1e-9
    assert len(NODES) == skin.places.shape[1]


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (solids.casting(), r"not thin: at \(.*\) mm it is"),
        (solids.box((0, 0, 0), (100, 50, 40)), r"not thin: at \(.*\) mm it is 40 mm thick"),
        (solids.cut(solids.ball(50), solids.ball(48)), "two poles"),
    ],
    ids=["casting", "block", "ball"],
)
def test_what_is_not_thin_is_told_with_the_place(body: Any, words: str, tmp_path: Path) -> None:
    with pytest.raises(CadFileError, match=words):
        skins_of(tmp_path, body)


def test_several_bodies_and_what_is_kept_of_them(tmp_path: Path) -> None:
    lower, upper = solids.box((0, 0, 0), (100, 60, 2)), solids.box((0, 0, 2), (100, 60, 3))
    skins = skins_of(tmp_path, lower, upper)
    assert [(skin.body, skin.piece) for skin in skins] == [(1, 1), (2, 1)]
    again = ReceivedSkin.unpacked(skins[1].packed())
    assert again.notes == skins[1].notes
    assert again.edges == skins[1].edges
    assert thicknesses(again) == {3.0}


def test_a_wall_that_tapers_keeps_its_thickness_everywhere(tmp_path: Path) -> None:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Pnt, gp_Vec

    outline = BRepBuilderAPI_MakePolygon()
    for x, z in ((0, 0), (100, 0), (100, 2), (0, 4)):
        outline.Add(gp_Pnt(x, 0, z))
    outline.Close()
    wedge = BRepPrimAPI_MakePrism(
        BRepBuilderAPI_MakeFace(outline.Wire()).Face(), gp_Vec(0, 60, 0)
    ).Shape()
    (skin,) = skins_of(tmp_path, wedge)
    assert skin.thickness.min() == pytest.approx(0.002, rel=0.01)
    assert skin.thickness.max() == pytest.approx(0.004, rel=0.01)
    assert skin.uneven == ()
    solid = read_solids(tmp_path / "part.step")[0]
    assert skin.volume() == pytest.approx(solid.volume, rel=2e-3)


def test_points_of_a_skin_are_found_by_where_they_are_near(tmp_path: Path) -> None:
    (skin,) = skins_of(tmp_path, solids.bracket(holes=[(20, 40), (60, 40)]))
    middle, _ = skin.middle()
    piece, u, v, away = middle.nearest(np.array([0.04, 0.02, -0.01]))
    place = middle.locate(piece, np.array([u]), np.array([v]))[0][0]
    assert place == pytest.approx([0.04, 0.02, 0.001], abs=1e-9)
    assert away == pytest.approx(0.011, abs=1e-9)
    # Over a hole the nearest place is on its rim.
    piece, u, v, away = middle.nearest(np.array([0.02, 0.04, 0.001]))
    assert away == pytest.approx(0.005, rel=1e-3)
