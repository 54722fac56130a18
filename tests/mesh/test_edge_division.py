"""Where elements end along block edges: as many for every neighbour of a design, moved smoothly."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.mesh.discretisation import GROWTH
from belltone.mesh.edge_division import EdgeDivision

SIZES = st.sampled_from([0.0, 0.5, 3.0, 8.0])
DIVISIONS = st.builds(
    EdgeDivision,
    count=st.integers(1, 6),
    times=st.integers(1, 3),
    marks=st.just([]) | st.just([(0.31, 0.0)]) | st.just([(0.4, 0.02), (0.7, 0.01)]),
    rims=st.tuples(st.booleans(), st.booleans()),
    sizes=st.tuples(SIZES, SIZES),
)
THIN = st.floats(1e-3, 0.08)


@given(DIVISIONS, THIN, THIN)
def test_neighbours_have_as_many_elements(
    division: EdgeDivision, thin: float, planned: float
) -> None:
    breaks = division.breaks(thin, planned)
    assert len(breaks) == len(division.breaks(planned, planned))
    assert breaks[0] == 0
    assert breaks[-1] == 1
    assert np.diff(breaks).min() > 1e-4


@given(DIVISIONS, THIN, THIN)
def test_elements_move_with_the_edge_and_never_jump(
    division: EdgeDivision, thin: float, planned: float
) -> None:
    moved = division.breaks(thin * (1 + 1e-6), planned) - division.breaks(thin, planned)
    assert np.abs(moved).max() < 2e-5


def test_as_planned_they_begin_as_long_as_asked_and_grow() -> None:
    breaks = EdgeDivision(1, 1, [], (False, False), (4.0, 0.0)).breaks(0.005, 0.005)
    assert breaks[:3] == pytest.approx([0, 0.02, 0.02 * GROWTH])
    narrow = EdgeDivision(1, 1, [], (True, False), (4.0, 0.0)).breaks(0.005, 0.005)
    assert narrow[:3] == pytest.approx([0, 0.005, 0.005 + 0.02 * GROWTH])


def test_a_thicker_neighbour_has_them_longer_as_long_as_there_is_room() -> None:
    division = EdgeDivision(1, 1, [], (False, False), (4.0, 0.0))
    small, large = (division.breaks(thin, 0.005)[1] for thin in (0.0055, 0.05))
    assert small == pytest.approx(4 * 0.0055, rel=3e-3)
    assert 0.1 < large < 4 * 0.05
