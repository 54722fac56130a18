"""Copies of parts, ribs, holes and masses."""

import math

import numpy as np
import pytest

from belltone.design.parts import MemberValue, SurfaceValue
from belltone.geometry.shapes import Plate
from belltone.mesh.discretisation import Discretisation
from belltone.modes.mass_properties import mass_properties, part_masses
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.assembly import assemble
from tests.assemblies import STEEL, design_of, findings, joint, member, plate, text_of

LEG = member("leg", (100, 0, 0), (100, 0, 300))


def pattern(of: str, rest: str) -> str:
    return f'[[patterns]]\nof = "{of}"\n{rest}\n'


def test_a_row() -> None:
    design = design_of(LEG, pattern("leg", 'count = 3\nstep = ["50 mm", "0 mm", "10 mm"]'))
    assert [part.name for part in design.parts] == ["leg", "leg 2", "leg 3"]
    third = design.part_of("leg 3")
    assert isinstance(third, MemberValue)
    assert third.start == pytest.approx([0.2, 0.0, 0.02])
    assert "leg 3.end" in design.places


@pytest.mark.parametrize(
    ("rest", "last"),
    [
        ('count = 4\nabout = "z"', (0.0, -0.1)),
        ('count = 3\nabout = "z"\nangle = "90 deg"', (0.0, 0.1)),
        ('count = 2\nabout = "z"\nthrough = ["50 mm", "0 mm", "0 mm"]', (0.0, 0.0)),
    ],
)
def test_a_ring(rest: str, last: tuple[float, float]) -> None:
    design = design_of(LEG, pattern("leg", rest))
    part = design.parts[-1]
    assert isinstance(part, MemberValue)
    assert part.start[:2] == pytest.approx(last, abs=1e-12)


def test_a_mirror_image_weighs_the_same_on_the_other_side() -> None:
    post = plate("post", 100, 60, (200, 30, 0), ', turn = ["20 deg", "10 deg", "0 deg"]')
    design = design_of(post, pattern("post", 'mirror = "x"'))
    whole = mass_properties(design)
    assert whole.centre[0] == pytest.approx(0.0, abs=1e-12)
    masses = part_masses(design)
    assert masses["post"] == pytest.approx(masses["post 2"])
    image = design.part_of("post 2")
    assert isinstance(image, SurfaceValue)
    assert np.linalg.det(image.frame) == pytest.approx(-1.0)


def test_a_mirrored_laminate_turns_its_fibres_the_other_way() -> None:
    ply = STEEL.replace("steel", "cloth").replace("youngs_modulus", "modulus_along")
    ply = ply.replace(
        "poisson_ratio = 0.3",
        'modulus_across = "8 GPa"\npoisson_ratio = 0.3\nshear_in_plane = "4 GPa"\n'
        'shear_along = "4 GPa"\nshear_across = "3 GPa"',
    ).replace("200 GPa", "120 GPa")
    wall = plate("wall", 200, 100, (200, 0, 0)).replace('material = "steel"\n', "")
    wall = wall.replace(
        'thickness = "4 mm"',
        'plies = [{ material = "cloth", thickness = "2 mm", angle = "30 deg" }]',
    )
    design = design_of(ply, wall, pattern("wall", 'mirror = "x"'))
    image = design.part_of("wall 2")
    assert isinstance(image, SurfaceValue)
    assert image.layup.plies[0].angle == pytest.approx(math.radians(-30))
    # Mirrored, each half rings at the same frequencies.
    system = assemble(design, Discretisation(1, 3))
    halves = [body.elements.matrices()[0].trace(axis1=1, axis2=2).sum() for body in system.bodies]
    assert halves[0] == pytest.approx(halves[1], rel=1e-9)


def test_holes_are_repeated_in_the_plate() -> None:
    text = plate("p", 600, 200, (0, 0, 0))
    text += '[[parts.p.holes]]\nname = "eye"\nshape = "round"\nat = ["-200 mm", "0 mm"]\n'
    text += 'diameter = "60 mm"\n'
    design = design_of(text, pattern("p.eye", 'count = 3\nstep = ["200 mm", "0 mm"]'))
    part = design.parts[0]
    assert isinstance(part, SurfaceValue)
    assert isinstance(part.shape, Plate)
    assert [hole.name for hole in part.shape.holes] == ["eye", "eye 2", "eye 3"]
    assert part.shape.holes[2].centre == pytest.approx((0.2, 0.0))
    assert "p.eye 2" in design.places
    over = findings(text, pattern("p.eye", 'count = 5\nstep = ["200 mm", "0 mm"]'))
    assert "parts · p · holes 1" in over


def test_masses_are_repeated_on_a_wall() -> None:
    text = plate("p", 600, 200, (0, 0, 0))
    text += '[sites.seat]\npart = "p"\nat = ["-200 mm", "0 mm"]\n'
    text += '[[masses]]\nsite = "seat"\nmass = "2 kg"\nname = "motor"\n'
    design = design_of(text, pattern("motor", 'mirror = "x"'))
    assert [hung.name for hung in design.masses] == ["motor", "motor 2"]
    assert design.masses[1].place.at == pytest.approx((0.2, 0.0))
    alone = design_of(text)
    assert mass_properties(design).mass == pytest.approx(mass_properties(alone).mass + 2.0)


def test_a_count_may_be_a_knob() -> None:
    text = text_of(
        '[knobs]\nlegs = { value = "3", from = "1", to = "6" }',
        LEG,
        pattern("leg", 'count = "legs"\nabout = "z"'),
    )
    sheet = Sheet.from_text(text)
    assert len(evaluate(sheet).parts) == 3
    assert len(evaluate(sheet, {"legs": "5"}).parts) == 5
    with pytest.raises(Exception, match=r"2\.5 is no number of copies"):
        evaluate(sheet, {"legs": "2.5"})


def test_copies_are_joined_as_the_first_is() -> None:
    top = plate("top", 400, 400, (0, 0, 300))
    ring = pattern("leg", 'count = 4\nabout = "z"')
    design = design_of(LEG, top, joint("leg.end", "top"), ring)
    assert [each.name for each in design.joints] == [
        "leg.end – top",
        "leg.end – top 2",
        "leg.end – top 3",
        "leg.end – top 4",
    ]
    system = assemble(design, Discretisation(1, 3))
    assert len(system.rigid_names) == 6


def test_two_patterns_of_one_count_are_joined_number_by_number() -> None:
    foot = member("foot", (100, 0, 0), (160, 0, 0))
    rings = pattern("leg", 'count = 3\nabout = "z"') + pattern("foot", 'count = 3\nabout = "z"')
    design = design_of(LEG, foot, joint("leg.start", "foot.start"), rings)
    pairs = [(each.first.part, each.second.part) for each in design.joints]
    assert ("leg 2", "foot 2") in pairs or ("foot 2", "leg 2") in pairs
    assert len(pairs) == 3


@pytest.mark.parametrize(
    ("of", "rest", "message"),
    [
        ("arm", 'count = 2\nabout = "z"', "there is no part, hole or mass “arm”"),
        ("leg", "count = 2", "give one of “step”, “about” or “mirror”"),
        ("leg", 'step = ["1 mm", "2 mm"]', "3 lengths are needed here"),
        ("leg", 'mirror = "x"\nabout = "z"', "give one of"),
        ("leg", 'count = 0\nabout = "z"', "0 is no number of copies"),
        ("leg", 'about = "z"\nthrough = ["1 mm"]', "3 lengths are needed"),
    ],
)
def test_what_is_wrong_with_a_pattern_is_named(of: str, rest: str, message: str) -> None:
    assert message in findings(LEG, pattern(of, rest))
