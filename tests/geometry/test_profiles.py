"""Profiles of lines and arcs: where they run, how corners are rounded, what cannot be drawn."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.geometry.profiles import Arc, Line, ProfileError, arc_through, rounded

SQUARE = [(0.0, 0.0), (2.0, 0.0), (2.0, 1.0), (0.0, 1.0)]
NONE = [None] * 4


def test_a_closed_profile_with_round_corners() -> None:
    profile = rounded(SQUARE, [0.2] * 4, NONE, True)
    assert profile.closed
    assert [type(piece) for piece in profile.segments] == [Line, Arc] * 4
    assert profile.length == pytest.approx(6 - 8 * 0.2 + 2 * math.pi * 0.2)
    for before, after in zip(
        profile.segments, profile.segments[1:] + profile.segments[:1], strict=True
    ):
        assert before.stop == pytest.approx(after.start)
        # It runs on in the same direction: a bend has no kink.
        ends = before.slope(np.ones(1))[0], after.slope(np.zeros(1))[0]
        one, two = (end / np.linalg.norm(end) for end in ends)
        assert one == pytest.approx(two)


def test_bends_that_just_meet_leave_no_line_between_them() -> None:
    profile = rounded(SQUARE, [0.5] * 4, NONE, True)
    assert [type(piece) for piece in profile.segments].count(Line) == 2
    assert profile.length == pytest.approx(2 * 1.0 + math.pi)


@given(
    st.floats(-3, 3),
    st.floats(-3, 3),
    st.floats(0.1, 5),
    st.floats(-3, 3),
    st.floats(0.2, 5.5),
    st.booleans(),
)
def test_an_arc_through_three_points_is_that_arc(
    x: float, y: float, radius: float, first: float, turn: float, clockwise: bool
) -> None:
    wanted = Arc((x, y), radius, first, first - turn if clockwise else first + turn)
    start, middle, stop = (tuple(point) for point in wanted.position(np.array([0.0, 0.5, 1.0])))
    found = arc_through(start, middle, stop)
    assert found.radius == pytest.approx(radius, rel=1e-6)
    assert found.length == pytest.approx(wanted.length, rel=1e-6)
    share = np.linspace(0, 1, 5)
    assert found.position(share) == pytest.approx(wanted.position(share), abs=1e-6 * (1 + radius))


def test_places_along_a_profile() -> None:
    profile = rounded([(0.0, 0.0), (1.0, 0.0), (1.0, 2.0)], [0, 0, 0], [None] * 3, False)
    assert profile.place(0.25) == (0, 0.25)
    assert profile.place(2.0) == (1, 0.5)
    assert profile.place(3.0) == (1, 1.0)


@pytest.mark.parametrize(
    ("points", "bends", "through", "closed", "says"),
    [
        ([(0.0, 0.0)], [0], [None], False, "at least 2 points"),
        ([(0.0, 0.0), (1.0, 0.0)], [0, 0], [None, None], True, "at least 3 points"),
        ([(0.0, 0.0), (0.0, 0.0)], [0, 0], [None, None], False, "same as the one before"),
        ([(0.0, 0.0), (1.0, 0.0)], [0, 0], [None, (0.5, 0.0)], False, "lie on a line"),
        (SQUARE[:3], [0, 3.0, 0], NONE[:3], False, "does not fit"),
        (SQUARE, [0.6] * 4, NONE, True, "does not fit"),
        ([(0.0, 0.0), (1.0, 0.0), (2.0, 0.0)], [0, 0.1, 0], NONE[:3], False, "no corner"),
        (SQUARE[:3], [0, 0.1, 0], [None, (1.0, 0.4), None], False, "between arcs"),
    ],
)
def test_what_cannot_be_drawn_is_named(
    points: list[tuple[float, float]],
    bends: list[float],
    through: list[tuple[float, float] | None],
    closed: bool,
    says: str,
) -> None:
    with pytest.raises(ProfileError, match=says):
        rounded(points, bends, through, closed)
