import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from belltone.sections.simple import (
    RectangularHollow,
    RoundTube,
    SectionShape,
    SolidRectangle,
    SolidRound,
)

SIZES = st.floats(1e-3, 1.0)


def polygon_moments(corners: NDArray[np.float64]) -> tuple[float, float, float]:
    """Area and second moments about y and z of a polygon about its centroid, by Green's theorem."""
    y, z = corners.T
    y1, z1 = np.roll(y, -1), np.roll(z, -1)
    cross = y * z1 - y1 * z
    area = cross.sum() / 2
    about_y = (cross * (z**2 + z * z1 + z1**2)).sum() / 12
    about_z = (cross * (y**2 + y * y1 + y1**2)).sum() / 12
    return float(area), float(about_y), float(about_z)


@given(SIZES, SIZES, st.floats(0.01, 0.49))
def test_areas_and_moments_agree_with_the_outline(width: float, height: float, part: float) -> None:
    wall = part * min(width, height)
    shapes = (SolidRectangle(width, height), RectangularHollow(width, height, wall))
    for shape in shapes:
        outer, inner = shape.outline()
        expected = np.array(polygon_moments(outer))
        if inner is not None:
            expected -= np.array(polygon_moments(inner))
        found = shape.properties(0.3)
        assert (found.area, found.second_moment_y, found.second_moment_z) == pytest.approx(
            tuple(expected), rel=1e-9
        )


def test_rectangle_torsion_series() -> None:
    # Timoshenko and Goodier, art. 109: 0.1406 for the square, 1/3 for the thin strip.
    assert SolidRectangle(1.0, 1.0).properties(0.3).torsion_constant == pytest.approx(
        0.140577, rel=1e-5
    )
    assert SolidRectangle(0.05, 0.03).properties(0.3).torsion_constant == pytest.approx(
        2.816262e-7, rel=1e-6
    )
    thin = SolidRectangle(1.0, 1e-3).properties(0.3).torsion_constant
    assert thin == pytest.approx(1e-9 / 3, rel=1e-3)


@given(SIZES, SIZES)
def test_torsion_does_not_care_which_side_is_up(width: float, height: float) -> None:
    one = SolidRectangle(width, height).properties(0.3).torsion_constant
    other = SolidRectangle(height, width).properties(0.3).torsion_constant
    assert one == pytest.approx(other, rel=1e-12)


def test_round_sections() -> None:
    solid, tube = SolidRound(0.1).properties(0.3), RoundTube(0.1, 0.005).properties(0.3)
    assert solid.torsion_constant == pytest.approx(math.pi * 0.1**4 / 32)
    assert tube.area == pytest.approx(math.pi / 4 * (0.1**2 - 0.09**2))
    # Cowper 1966: solid 6(1+v)/(7+6v); the thin tube tends to 2(1+v)/(4+3v).
    assert solid.shear_factor_y == pytest.approx(6 * 1.3 / 8.8)
    thin = RoundTube(0.1, 1e-6).properties(0.3)
    assert thin.shear_factor_y == pytest.approx(2 * 1.3 / 4.9, rel=1e-4)


def test_thin_box_torsion_tends_to_bredt() -> None:
    width, height, wall = 0.2, 0.1, 1e-5
    bredt = 2 * wall * (width * height) ** 2 / (width + height)
    box = RectangularHollow(width, height, wall).properties(0.3)
    assert box.torsion_constant == pytest.approx(bredt, rel=1e-3)
    # Cowper's thin square box, v = 0.3, is 0.436.
    square = RectangularHollow(0.1, 0.1, 1e-5).properties(0.3)
    assert square.shear_factor_y == pytest.approx(20 * 1.3 / (48 + 39 * 0.3), rel=1e-6)


def test_a_stated_shear_factor_wins() -> None:
    assert RoundTube(0.1, 0.005, 0.53).properties(0.3).shear_factor_z == pytest.approx(0.53)


@pytest.mark.parametrize(
    ("start", "stop"),
    [
        (SolidRectangle(0.05, 0.03), SolidRectangle(0.02, 0.01)),
        (RoundTube(0.1, 0.005), RoundTube(0.05, 0.002)),
        (RectangularHollow(0.06, 0.04, 0.003), RectangularHollow(0.03, 0.02, 0.001)),
        (SolidRound(0.05), SolidRound(0.01)),
    ],
)
def test_a_taper_blends_dimensions(start: SectionShape, stop: SectionShape) -> None:
    shares = np.array([0.0, 0.5, 1.0])
    blended = start.blend(stop, shares).properties(0.3)
    middle = type(start)(
        **{
            name: 0.5 * (value + getattr(stop, name))
            for name, value in start.__dict__.items()
            if name != "shear_factor"
        }
    )
    expected = [shape.properties(0.3).torsion_constant for shape in (start, middle, stop)]
    assert blended.torsion_constant == pytest.approx(np.array(expected, float), rel=1e-12)
    assert blended.shear_factor_y.shape == (3,)
