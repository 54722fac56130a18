"""Plies turned, isotropic plies not minding it, and what layups are on average."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.sections.layups import LayupValue, PlyMaterialValue, PlyValue

CARBON = PlyMaterialValue("carbon", 1600, 138e9, 8.96e9, 0.3, 7.1e9, 7.1e9, 3.2e9, -0.3e-6, 28e-6)
STEEL = PlyMaterialValue.isotropic("steel", 7850, 200e9, 0.3, 12e-6)
ANGLES = st.floats(-math.pi, math.pi)


def test_a_ply_along_and_across_its_fibres() -> None:
    """Q11 = E1 / (1 - nu12 nu21) and so on, and the other way round after a right angle."""
    plane, shear = CARBON.stiffness_at(0.0)
    minor = 0.3 * 8.96 / 138
    bottom = 1 - 0.3 * minor
    assert plane[0] == pytest.approx([138e9 / bottom, minor * 138e9 / bottom, 0])
    assert plane[1, 1] == pytest.approx(8.96e9 / bottom)
    assert plane[2, 2] == pytest.approx(7.1e9)
    assert np.diag(shear) == pytest.approx([7.1e9, 3.2e9])
    turned, shear = CARBON.stiffness_at(math.pi / 2)
    assert turned == pytest.approx(plane[np.ix_([1, 0, 2], [1, 0, 2])], abs=10.0)
    assert np.diag(shear) == pytest.approx([3.2e9, 7.1e9])


@given(ANGLES)
def test_what_a_turn_leaves_alone(angle: float) -> None:
    """Tsai and Pagano's invariants: Q11 + Q22 + 2 Q12, and Q66 - Q12."""
    made, _ = CARBON.stiffness_at(0.0)
    turned, shear = CARBON.stiffness_at(angle)
    assert turned == pytest.approx(turned.T)
    assert turned[:2, :2].sum() == pytest.approx(made[:2, :2].sum())
    assert turned[2, 2] - turned[0, 1] == pytest.approx(made[2, 2] - made[0, 1])
    assert np.trace(shear) == pytest.approx(10.3e9)
    # A strain free of stress: what a kelvin does along the fibres, however these are turned.
    free = CARBON.expansion_at(angle)
    assert free[0] + free[1] == pytest.approx(27.7e-6)


@given(ANGLES)
def test_an_isotropic_ply_has_no_direction(angle: float) -> None:
    assert STEEL.is_isotropic
    assert not CARBON.is_isotropic
    for made, turned in zip(STEEL.stiffness_at(0.0), STEEL.stiffness_at(angle), strict=True):
        assert turned == pytest.approx(made, rel=1e-9, abs=1e-3)
    assert STEEL.expansion_at(angle) == pytest.approx([12e-6, 12e-6, 0], abs=1e-15)


def test_a_layup_is_the_mean_of_its_plies() -> None:
    layup = LayupValue((PlyValue(CARBON, 0.5), PlyValue(STEEL, 0.0)), (0.75, 0.25))
    assert layup.density == pytest.approx(0.75 * 1600 + 0.25 * 7850)
    assert layup.drilling_modulus == pytest.approx(0.75 * 7.1e9 + 0.25 * 200e9 / 2.6)
    assert not layup.single


def test_a_ply_of_unknown_expansion_does_not_grow() -> None:
    plain = PlyMaterialValue.isotropic("steel", 7850, 200e9, 0.3)
    assert not plain.expands
    assert plain.expansion_at(0.3) == pytest.approx([0, 0, 0])
