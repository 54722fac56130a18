"""Properties of profile, thin-walled and outlined sections against closed formulas."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.geometry.profiles import Arc, Line, Profile
from belltone.sections.rolled import (
    AngleSection,
    ChannelSection,
    Ellipse,
    ISection,
    MidlineSection,
    OutlineSection,
    StatedSection,
    TeeSection,
)
from belltone.sections.runs import Neck, Taper, TurnedProfile
from belltone.sections.simple import RectangularHollow, RoundTube, SolidRectangle, SolidRound
from belltone.sections.solid import ear_clipped, outline_moments
from belltone.sections.thin_walled import midline_walls, wall_moments

NU = 0.3
SIZES = st.floats(5e-3, 0.2)


def square(half: float) -> tuple[tuple[float, float], ...]:
    return ((-half, -half), (half, -half), (half, half), (-half, half))


@settings(max_examples=8)
@given(SIZES, SIZES)
def test_an_outlined_rectangle_is_a_rectangle(width: float, height: float) -> None:
    y, z = width / 2, height / 2
    found = OutlineSection(((-y, -z), (y, -z), (y, z), (-y, z)), 0.8).properties(NU)
    known = SolidRectangle(width, height, 0.8).properties(NU)
    for name in ("area", "second_moment_y", "second_moment_z", "shear_factor_y"):
        assert float(getattr(found, name)) == pytest.approx(float(getattr(known, name)), rel=1e-9)


@pytest.mark.parametrize("ratio", [1.0, 2.0, 5.0])
def test_finite_elements_find_torsion_and_shear_of_a_rectangle(ratio: float) -> None:
    y, z = 0.01 * ratio, 0.01
    found = OutlineSection(((-y, -z), (y, -z), (y, z), (-y, z))).properties(NU)
    known = SolidRectangle(2 * y, 2 * z).properties(NU)
    assert float(found.torsion_constant) == pytest.approx(float(known.torsion_constant), rel=1e-5)
    # E. Reissner's factor is what the energy of the shear stress gives without Poisson's ratio.
    assert float(found.shear_factor_y) == pytest.approx(5 / 6, rel=1e-5)
    assert float(found.shear_factor_z) == pytest.approx(5 / 6, rel=1e-5)
    assert abs(float(found.shear_centre_y)) < 1e-12


def test_an_outlined_triangle_twists_as_the_formula_says() -> None:
    side = 0.05
    outline = ((0.0, 0.0), (side, 0.0), (side / 2, side * math.sqrt(3) / 2))
    found = OutlineSection(outline).properties(NU)
    assert float(found.torsion_constant) == pytest.approx(math.sqrt(3) * side**4 / 80, rel=1e-6)
    assert float(found.second_moment_y) == pytest.approx(math.sqrt(3) * side**4 / 96)
    assert float(found.product_moment) == pytest.approx(0.0, abs=1e-15)


@given(st.floats(-0.3, 0.3), st.floats(-0.3, 0.3))
def test_moving_an_outline_changes_no_moment(y: float, z: float) -> None:
    here = outline_moments(square(0.02))
    there = outline_moments(tuple((a + y, b + z) for a, b in square(0.02)))
    assert there[0] == pytest.approx(here[0])
    assert there[1] == pytest.approx([y, z], abs=1e-12)
    assert there[2] == pytest.approx(here[2], rel=1e-6, abs=1e-15)


def test_ears_are_cut_off_a_hollow_outline() -> None:
    corners = np.array([(0, 0), (4, 0), (4, 4), (3, 4), (3, 1), (1, 1), (1, 4), (0, 4)], float)
    triangles = ear_clipped(corners)
    sides = corners[triangles]
    one, two = sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]
    areas = 0.5 * (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0])
    assert np.all(areas > 0)
    assert areas.sum() == pytest.approx(10.0)


def test_a_thin_ring_by_its_mid_line_is_a_tube() -> None:
    arcs = (Arc((0, 0), 0.05, 0, math.pi), Arc((0, 0), 0.05, math.pi, 2 * math.pi))
    ring = MidlineSection(Profile(arcs, True), 0.001).properties(NU)
    tube = RoundTube(0.101, 0.001).properties(NU)
    for name in ("area", "second_moment_y", "second_moment_z", "torsion_constant"):
        assert float(getattr(ring, name)) == pytest.approx(float(getattr(tube, name)), rel=2e-3)
    assert float(ring.shear_factor_y) == pytest.approx(0.5, rel=1e-3)


def test_a_slit_ring_has_its_shear_centre_opposite_the_slit() -> None:
    """Timoshenko: two radii from the centre, on the far side of the slit; open torsion."""
    arc = Arc((0, 0), 0.05, 1e-4, 2 * math.pi - 1e-4)
    slit = MidlineSection(Profile((arc,)), 0.001).properties(NU)
    assert float(slit.shear_centre_y) == pytest.approx(-0.1, rel=2e-3)
    assert float(slit.shear_centre_z) == pytest.approx(0.0, abs=1e-6)
    assert float(slit.torsion_constant) == pytest.approx(2 * math.pi * 0.05 * 1e-9 / 3, rel=1e-3)


def test_a_box_by_its_mid_line_is_the_hollow_section() -> None:
    corners = [(-0.05, -0.03), (0.05, -0.03), (0.05, 0.03), (-0.05, 0.03)]
    lines = tuple(Line(a, b) for a, b in zip(corners, [*corners[1:], corners[0]], strict=True))
    box = MidlineSection(Profile(lines, True), 0.001).properties(0.0)
    known = RectangularHollow(0.101, 0.061, 0.001).properties(0.0)
    for name in ("area", "second_moment_y", "torsion_constant", "shear_factor_y", "shear_factor_z"):
        assert float(getattr(box, name)) == pytest.approx(float(getattr(known, name)), rel=1e-3)


def test_the_shear_centre_of_a_channel() -> None:
    """Thin walls: e = 3 b² t_f / (6 b t_f + h t_w) behind the web's mid-line."""
    b, h, web, flange = 0.05, 0.1, 0.002, 0.003
    found = ChannelSection(b, h, web, flange).properties(NU)
    wide, high = b - web / 2, h - flange
    behind = 3 * wide**2 * flange / (6 * wide * flange + high * web)
    centroid = 2 * b * flange * b / 2 + (h - 2 * flange) * web * web / 2
    centroid /= 2 * b * flange + (h - 2 * flange) * web
    assert float(found.shear_centre_y) == pytest.approx(web / 2 - behind - centroid, rel=0.02)
    assert float(found.shear_centre_z) == pytest.approx(0.0, abs=1e-9)


def test_an_equal_angle_has_equal_moments_and_a_product() -> None:
    found = AngleSection(0.05, 0.05, 0.005).properties(NU)
    assert float(found.second_moment_y) == pytest.approx(float(found.second_moment_z))
    assert float(found.product_moment) < 0
    # Both legs' flows pass through the corner, where the shear centre is.
    corner = 0.0025 - (0.05 * 0.005 * 0.025 + 0.045 * 0.005 * 0.0025) / (0.095 * 0.005)
    assert float(found.shear_centre_y) == pytest.approx(corner, rel=1e-6)
    assert float(found.shear_centre_z) == pytest.approx(corner, rel=1e-6)


@given(SIZES, SIZES)
def test_an_i_section_of_full_walls_has_the_moments_of_its_boxes(b: float, h: float) -> None:
    web, flange = 0.1 * b, 0.1 * h
    found = ISection(b, h, web, flange).properties(NU)
    inner = h - 2 * flange
    assert float(found.area) == pytest.approx(2 * b * flange + inner * web)
    assert float(found.second_moment_y) == pytest.approx(
        (b * h**3 - (b - web) * inner**3) / 12, rel=1e-9
    )
    assert float(found.second_moment_z) == pytest.approx(
        (2 * flange * b**3 + inner * web**3) / 12, rel=1e-9
    )
    assert float(found.product_moment) == pytest.approx(0, abs=1e-15)


def test_a_tee_has_its_shear_centre_in_the_flange() -> None:
    section = TeeSection(0.05, 0.05, 0.004, 0.005)
    found = section.properties(NU)
    outline, inner = section.outline()
    assert inner is None
    top = float(outline[:, 1].max())
    assert float(found.shear_centre_z) == pytest.approx(top - 0.0025, rel=1e-6)
    assert float(found.shear_centre_y) == pytest.approx(0.0, abs=1e-9)


@given(SIZES, SIZES)
def test_a_round_ellipse_is_a_circle(width: float, height: float) -> None:
    round_one = Ellipse(width, width).properties(NU)
    circle = SolidRound(width).properties(NU)
    for name in ("area", "second_moment_y", "torsion_constant", "shear_factor_y"):
        assert float(getattr(round_one, name)) == pytest.approx(float(getattr(circle, name)))
    flat = Ellipse(width, height).properties(NU)
    assert float(flat.second_moment_z) == pytest.approx(math.pi * width**3 * height / 64)


@pytest.mark.parametrize(
    "section",
    [
        ISection(0.05, 0.08, 0.004, 0.006),
        ChannelSection(0.04, 0.08, 0.004, 0.006),
        AngleSection(0.04, 0.06, 0.004),
        TeeSection(0.05, 0.05, 0.005, 0.006),
        OutlineSection(square(0.02)),
        MidlineSection(Profile((Line((0, 0), (0.03, 0)), Line((0.03, 0), (0.03, 0.04)))), 0.002),
    ],
)
def test_outlines_are_drawn_about_the_centroid(section: OutlineSection) -> None:
    outline, inner = section.outline()
    assert inner is None
    area, centre, second = outline_moments(tuple(map(tuple, outline.tolist())))
    found = section.properties(NU)
    # Mitred corners of a thin wall overlap by less than a wall.
    assert abs(area) == pytest.approx(float(found.area), rel=0.03)
    assert np.abs(centre).max() < 0.05 * section.depth
    assert abs(second[1, 1]) == pytest.approx(float(found.second_moment_y), rel=0.1)
    assert section.words.endswith("section") or "section" in section.words


def test_a_tapered_profile_gives_a_value_for_every_place() -> None:
    run = Taper(ISection(0.05, 0.08, 0.004, 0.006), ISection(0.05, 0.04, 0.004, 0.006))
    share = np.array([[0.0, 0.5], [0.5, 1.0]])
    found = run.at(share).properties(NU)
    assert found.area.shape == (2, 2)
    assert found.second_moment_y[0, 1] == found.second_moment_y[1, 0]
    assert found.second_moment_y[0, 0] == pytest.approx(
        float(run.start.properties(NU).second_moment_y)
    )
    assert run.depth == pytest.approx(0.08)
    assert not run.even


def test_the_law_couples_shear_and_twist_about_the_shear_centre() -> None:
    section = StatedSection(1e-3, 2e-7, 1e-7, 5e-8, 0.5, 0.5, 3e-8, 0.01, -0.02).properties(NU)
    law = section.law(2e11, 8e10)
    assert law == pytest.approx(law.T)
    # A twist about the shear centre alone needs no shear force.
    strain = np.zeros(6)
    strain[3], strain[1], strain[2] = 1.0, -0.02, -0.01
    force = law @ strain
    assert force[[1, 2]] == pytest.approx([0, 0], abs=1e-6)
    assert force[3] == pytest.approx(8e10 * 5e-8)
    assert law[4, 5] == pytest.approx(-2e11 * 3e-8)
    assert section.turning()[1, 2] == pytest.approx(-3e-8)


def test_a_contour_of_lines_arcs_and_necks() -> None:
    arc = Arc((0.1, 0.05), 0.03, math.pi, 2 * math.pi)
    segments = (
        Line((0.0, 0.05), (0.07, 0.05)),
        arc,
        Neck((0.13, 0.05), (0.2, 0.03), 0.02),
    )
    profile = TurnedProfile(segments, bore=0.01)
    assert profile.length == pytest.approx(0.2)
    assert profile.breaks == pytest.approx([0.35, 0.65])
    assert not profile.even
    at = profile.radius(np.array([0.0, 0.35, 0.5, 0.65, 1.0]))
    assert at == pytest.approx([0.05, 0.05, 0.02, 0.05, 0.03], abs=1e-9)
    neck = profile.radius(np.linspace(0.65, 1.0, 101))
    assert neck.min() == pytest.approx(0.02, rel=1e-3)
    assert float(profile.at(np.array(0.0)).properties(NU).area) == pytest.approx(
        math.pi * (0.05**2 - 0.005**2)
    )
    assert TurnedProfile((Line((0, 0.02), (1, 0.02)),)).even


def test_walls_count_their_own_thickness() -> None:
    walls = midline_walls(Profile((Line((0, 0), (0.1, 0)),)), 0.02)
    area, centre, second = wall_moments(walls)
    assert area == pytest.approx(0.002)
    assert centre == pytest.approx([0.05, 0.0])
    assert second == pytest.approx(np.diag([0.02 * 0.1**3 / 12, 0.1 * 0.02**3 / 12]))
