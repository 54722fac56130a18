"""The largest shear stresses of sections, by textbook formulas and against each other."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.geometry.profiles import Line, Profile
from belltone.sections.rolled import (
    ChannelSection,
    Ellipse,
    ISection,
    MidlineSection,
    OutlineSection,
    StatedSection,
)
from belltone.sections.runs import Taper
from belltone.sections.simple import (
    RectangularHollow,
    RoundTube,
    SectionShape,
    SolidRectangle,
    SolidRound,
)

NU = 0.3


def peaks(section: SectionShape) -> tuple[float, float, float]:
    found = section.properties(NU)
    return float(found.torsion_peak), float(found.shear_peak_y), float(found.shear_peak_z)


def rectangle(width: float, height: float) -> tuple[tuple[float, float], ...]:
    return ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height))


def test_round_sections() -> None:
    """16 T / pi d³ and 16 V / 3 pi d²; of a thin tube T / 2 pi r² t and 2 V / A."""
    d = 0.03
    shear = 16 / (3 * math.pi * d**2)
    assert peaks(SolidRound(d)) == pytest.approx((16 / (math.pi * d**3), shear, shear))
    tube = RoundTube(0.1, 0.0005)
    r, area = 0.05 - 0.00025, math.pi * (0.05**2 - 0.0495**2)
    expected = (1 / (2 * math.pi * r**2 * 0.0005), 2 / area, 2 / area)
    assert peaks(tube) == pytest.approx(expected, rel=0.02)
    assert peaks(Ellipse(d, d)) == pytest.approx(peaks(SolidRound(d)))


@pytest.mark.parametrize(
    ("ratio", "factor"), [(1.0, 0.208), (1.5, 0.231), (2.0, 0.246), (4.0, 0.282), (10.0, 0.312)]
)
def test_rectangles_in_torsion(ratio: float, factor: float) -> None:
    """T over a factor times b t² (S. Timoshenko, J. N. Goodier, Theory of Elasticity, table)."""
    for sides in ((0.01 * ratio, 0.01), (0.01, 0.01 * ratio)):
        expected = 1 / (factor * 0.01 * ratio * 0.01**2)
        assert peaks(SolidRectangle(*sides))[0] == pytest.approx(expected, rel=3e-3)


@settings(max_examples=12, deadline=None)
@given(st.floats(0.4, 2.5))
def test_an_outline_by_elements_is_the_rectangle(ratio: float) -> None:
    """Without Poisson's ratio the peak of shear is three halves of the mean at any width."""
    exact = peaks(SolidRectangle(0.02 * ratio, 0.02))
    assert peaks(OutlineSection(rectangle(0.02 * ratio, 0.02))) == pytest.approx(exact, rel=0.01)


def test_a_box_by_its_formulas_is_the_box_by_its_mid_lines() -> None:
    corners = [*rectangle(0.057, 0.037), (0.0, 0.0)]
    lines = tuple(Line(a, b) for a, b in itertools.pairwise(corners))
    found = peaks(MidlineSection(Profile(lines, closed=True), 0.003))
    assert found == pytest.approx(peaks(RectangularHollow(0.06, 0.04, 0.003)), rel=0.02)


def test_a_joist_carries_shear_in_its_web_and_twists_in_its_flange() -> None:
    """V Q / I b at the middle of the web; T t / J for open walls."""
    width, height, web, flange = 0.1, 0.2, 0.006, 0.01
    joist = ISection(width, height, web, flange)
    found = joist.properties(NU)
    half = height / 2 - flange / 2
    first_moment = width * flange * half + web * half**2 / 2
    torsion, _, up = peaks(joist)
    assert up == pytest.approx(first_moment / (float(found.second_moment_y) * web), rel=0.03)
    assert torsion == pytest.approx(flange / float(found.torsion_constant), rel=1e-6)


def test_a_force_off_the_shear_centre_twists() -> None:
    channel = ChannelSection(0.05, 0.1, 0.004, 0.005).properties(NU)
    none = np.zeros(())
    force = np.array(1.0)
    through = channel.most_shear(none, force, force * float(channel.shear_centre_y))
    assert float(through) == pytest.approx(float(channel.shear_peak_z))
    assert float(channel.most_shear(none, force, none)) > 1.5 * float(through)


def test_tapered_and_stated_sections() -> None:
    run = Taper(SolidRectangle(0.02, 0.01), SolidRectangle(0.01, 0.01))
    found = run.at(np.array([0.0, 1.0])).properties(NU)
    assert found.shear_peak_y == pytest.approx([1.5 / 2e-4, 1.5 / 1e-4])
    assert found.torsion_peak[1] == pytest.approx(1 / (0.2082 * 0.01**3), rel=1e-3)  # type: ignore[index]
    stated = StatedSection(1e-3, 2e-7, 1e-7, 5e-8).properties(NU)
    assert np.isnan(stated.most_shear(*np.ones((3, 1)))).all()
