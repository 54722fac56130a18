"""Skins in a sheet: sites, points, thickness by face, and what is wrong with them."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from belltone.design.parts import SurfaceValue
from belltone.geometry.skins import Skin
from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.system.assembly import bodies_of
from tests import solids

Make = Callable[[str], Sheet]


@pytest.fixture
def make(tmp_path: Path) -> Make:
    """A sheet of a bracket with two holes; more of its text as asked for."""
    solids.write_step(tmp_path / "holder.step", solids.bracket(holes=[(20, 40), (60, 40)]))
    head = (
        'belltone = 1\n[parts.holder]\nkind = "skin"\nfile = "holder.step"\n'
        'material = "structural steel"\n'
    )
    return lambda more: Sheet.from_text(f"{head}{more}\n[modes]\nfree = true\n", tmp_path)


def test_sites_have_their_lengths_and_places(make: Make) -> None:
    design = evaluate(make(""))
    (body,) = bodies_of(design, Discretisation(1, 4))
    hole = body.mesh.site(design.places["holder.hole 1"])
    assert hole.centre == pytest.approx([0.02, 0.04, 0.001], abs=1e-6)
    assert np.linalg.norm(hole.positions - hole.centre, axis=1) == pytest.approx(
        np.full(len(hole), 0.005), rel=1e-6
    )
    # Own axes of a rim: along it, out of the wall in its plane, and the normal away from the body.
    assert np.abs(hole.frames[:, 2] @ [0, 0, 1.0]) == pytest.approx(np.ones(len(hole)), rel=1e-9)
    foot = body.mesh.site(design.places["holder.face 1"])
    assert foot.positions[:, 2] == pytest.approx(np.full(len(foot), 0.001), abs=1e-9)


def test_a_point_is_given_by_where_it_is_near(make: Make) -> None:
    point = '[sites.spot]\npart = "holder"\nnear = ["40 mm", "20 mm", "0 mm"]\n'
    design = evaluate(make(point))
    (body,) = bodies_of(design, Discretisation(1, 4))
    spot = body.mesh.site(design.places["spot"])
    assert spot.centre == pytest.approx([0.04, 0.02, 0.001], abs=1e-9)
    with pytest.raises(SheetError, match=r"mm away from the skin “holder”"):
        evaluate(make(point.replace('"0 mm"', '"900 mm"')))
    with pytest.raises(SheetError, match="a point of the skin “holder” is given by “near”"):
        evaluate(make('[sites.spot]\npart = "holder"\nat = ["40 mm", "20 mm"]\n'))


def test_thickness_by_face_and_for_all(make: Make) -> None:
    assert evaluate(make("")).part_of("holder").thickness.mean == pytest.approx(0.002)  # type: ignore[union-attr]
    thick = evaluate(make('thickness = "3 mm"')).part_of("holder")
    assert isinstance(thick, SurfaceValue)
    assert (thick.thickness.start, thick.thickness.along) == (pytest.approx(0.003), None)
    by_face = '[parts.holder.regions."face 2"]\nthickness = "4 mm"\n'
    both = evaluate(make(by_face)).part_of("holder")
    assert isinstance(both, SurfaceValue)
    assert (both.thickness.start, both.thickness.stop) == pytest.approx((0.002, 0.004))
    with pytest.raises(SheetError, match="the skin has no “face 9”; there is “face 1”, “face 2”"):
        evaluate(make(by_face.replace("face 2", "face 9")))


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ("body = 2", "“holder.step” holds 1 body"),
        ("piece = 2", r"the walls of body 1 are in 1 piece"),
        ('thickness = "0 mm"', "the thickness must be greater than zero"),
        ('mass_per_area = "-1 kg/m^2"', "a mass per area must not be negative"),
    ],
)
def test_what_is_wrong_is_told_at_its_place(make: Make, more: str, words: str) -> None:
    with pytest.raises(SheetError, match=words):
        evaluate(make(more))


def test_ribs_do_not_stand_on_skins_and_that_is_said(make: Make) -> None:
    rib = (
        '[parts.rib]\nkind = "rib"\non = "holder"\nmaterial = "structural steel"\n'
        'from = { at = ["0 mm", "0 mm"] }\nto = { at = ["10 mm", "0 mm"] }\n'
        'section = { shape = "solid rectangle", width = "3 mm", height = "10 mm" }\n'
    )
    with pytest.raises(SheetError, match="put a member on it and join it instead"):
        evaluate(make(rib))


def test_a_file_that_is_not_there_or_no_part(make: Make, tmp_path: Path) -> None:
    sheet = make("")
    with pytest.raises(SheetError, match="cannot be read: No such file"):
        evaluate(sheet.with_value(("parts", "holder", "file"), "gone.step"))
    (tmp_path / "none.step").write_text("none", encoding="utf-8")
    with pytest.raises(SheetError, match=r"“none.step” is no STEP file, or a damaged one"):
        evaluate(sheet.with_value(("parts", "holder", "file"), "none.step"))


def test_the_hash_follows_the_file_and_not_its_name(make: Make, tmp_path: Path) -> None:
    sheet = make("")
    other = tmp_path / "copy.step"
    other.write_bytes((tmp_path / "holder.step").read_bytes())
    renamed = sheet.with_value(("parts", "holder", "file"), "copy.step")
    assert renamed.answer_hash() == sheet.answer_hash()
    solids.write_step(other, solids.bracket())
    assert renamed.answer_hash() != sheet.answer_hash()


def test_round_holes_of_flat_faces_take_another_diameter(make: Make, tmp_path: Path) -> None:
    body = solids.cut(solids.box((0, 0, 0), (200, 100, 3)), solids.cylinder(10, 9, (120, 50, -3)))
    solids.write_step(tmp_path / "holder.step", body)
    wider = '[parts.holder.holes."hole 1"]\ndiameter = "44 mm"\n'
    design = evaluate(make(wider))
    wall = design.part_of("holder")
    assert isinstance(wall, SurfaceValue)
    assert isinstance(wall.shape, Skin)
    assert wall.shape.area == pytest.approx(0.02 - np.pi * 0.022**2, rel=1e-7)
    (mesh,) = bodies_of(design, Discretisation(1, 4))
    rim = mesh.mesh.site(design.places["holder.hole 1"])
    away = np.linalg.norm(rim.positions - [0.12, 0.05, 0.0015], axis=1)
    assert away == pytest.approx(np.full(len(rim), 0.022), rel=1e-6)
    own = (
        'belltone = 1\n[parts.a]\nkind = "plate"\nmaterial = "structural steel"\n'
        'thickness = "3 mm"\n'
        'outline = { shape = "rectangle", width = "200 mm", height = "100 mm" }\n'
        '[[parts.a.holes]]\nname = "h"\nshape = "round"\nat = ["20 mm", "0 mm"]\n'
        'diameter = "44 mm"\n[modes]\nfree = true\n'
    )
    one, two = (
        solve_modes(each, replace(request_for(each), accuracy=3e-3, count=4)).frequencies[6:10]
        for each in (design, evaluate(Sheet.from_text(own)))
    )
    assert one == pytest.approx(two, rel=1e-3)
    narrow = evaluate(make(wider.replace("44 mm", "6 mm"))).part_of("holder")
    assert narrow.shape.area == pytest.approx(0.02 - np.pi * 0.003**2, rel=1e-6)  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("name", "diameter", "words"),
    [
        ("hole 1", "60 mm", r"“hole 1” can be 2 mm to [\d.]+ mm wide"),
        ("hole 1", "0 mm", "the diameter must be greater than zero"),
        ("rim 1", "10 mm", "“rim 1” is no round hole in a flat face; there is “hole 1”, “hole 2”"),
    ],
)
def test_diameters_that_do_not_fit_are_told(
    make: Make, name: str, diameter: str, words: str
) -> None:
    with pytest.raises(SheetError, match=words):
        evaluate(make(f'[parts.holder.holes."{name}"]\ndiameter = "{diameter}"\n'))
