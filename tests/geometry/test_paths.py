"""Curves in space: where they run, which way, and how the section is carried."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.geometry.paths import Bow, MemberPath, Traced, first_up, space_path
from belltone.geometry.profiles import ProfileError

X, Y, Z = np.eye(3)
PLACES = st.tuples(*[st.floats(-1, 1)] * 3).map(np.array)


def bent(radius: float) -> MemberPath:
    points = [np.zeros(3), X, X + Y, X + Y + Z]
    return space_path(points, [0, radius, radius, 0], [None] * 4, None)


def test_bends_shorten_the_way() -> None:
    sharp, round_one = bent(0.0), bent(0.2)
    assert sharp.length == pytest.approx(3.0)
    assert round_one.length == pytest.approx(3.0 - 2 * (2 * 0.2 - math.pi / 2 * 0.2))
    assert len(sharp.pieces) == 3
    assert len(round_one.pieces) == 5
    assert not round_one.straight


@given(st.floats(0.01, 0.45))
def test_a_path_is_whole_and_its_axes_are_square(radius: float) -> None:
    path = bent(radius)
    shares = np.linspace(0, 1, 201)
    places, tangents, ups = path.at(shares)
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.max() < 1.01 * path.length / 200
    assert np.linalg.norm(tangents, axis=1) == pytest.approx(np.ones(201))
    assert np.sum(tangents * ups, axis=1) == pytest.approx(np.zeros(201), abs=1e-12)
    assert places[0] == pytest.approx([0, 0, 0])
    assert places[-1] == pytest.approx([1, 1, 1])


def test_a_bend_in_one_plane_keeps_what_stands_out_of_it() -> None:
    path = space_path([np.zeros(3), X, X + Y], [0, 0.3, 0], [None] * 3, Z)
    _, _, ups = path.at(np.linspace(0, 1, 50))
    assert ups == pytest.approx(np.tile(Z, (50, 1)))


def test_the_section_is_carried_round_a_sharp_corner_without_rolling() -> None:
    path = space_path([np.zeros(3), X, X + Z], [0, 0, 0], [None] * 3, Z)
    _, tangents, ups = path.at(np.array([0.25, 0.75]))
    assert tangents == pytest.approx(np.array([X, Z]))
    assert ups == pytest.approx(np.array([Z, -X]))


def test_an_arc_runs_over_its_third_point() -> None:
    middle = np.array([1.0, 1.0, 0.0]) / math.sqrt(2)
    path = space_path([X, Y], [0, 0], [None, middle], None)
    assert path.length == pytest.approx(math.pi / 2)
    (bow,) = path.pieces
    assert isinstance(bow, Bow)
    assert bow.centre == pytest.approx([0, 0, 0], abs=1e-12)
    places, tangents, _ = path.at(np.array([0.0, 0.5, 1.0]))
    assert places == pytest.approx(np.array([X, middle, Y]))
    assert tangents[0] == pytest.approx(Y)


def test_a_ring_closes() -> None:
    ring = space_path([X, -X], [0, 0], [-Y, Y], Z, closed=True)
    assert ring.length == pytest.approx(2 * math.pi)
    places, tangents, _ = ring.at(np.array([0.0, 0.25, 0.5, 1.0]))
    assert places[0] == pytest.approx(places[-1])
    assert tangents[0] == pytest.approx(tangents[-1])


def test_a_twist_turns_the_section_evenly() -> None:
    path = space_path([np.zeros(3), X], [0, 0], [None, None], Z, twist=math.pi / 2)
    _, _, ups = path.at(np.array([0.0, 0.5, 1.0]))
    assert ups[0] == pytest.approx(Z)
    assert ups[1] == pytest.approx((Z - Y) / math.sqrt(2))
    assert ups[2] == pytest.approx(-Y)


@given(PLACES.filter(lambda v: np.linalg.norm(v) > 0.1))
def test_first_up_is_square_to_the_way(run: np.ndarray) -> None:
    tangent = run / np.linalg.norm(run)
    up = first_up(tangent, None)
    assert up @ tangent == pytest.approx(0, abs=1e-12)
    assert np.linalg.norm(up) == pytest.approx(1.0)


def test_what_cannot_be_drawn_is_told() -> None:
    with pytest.raises(ValueError, match="must not point along"):
        first_up(X, 3 * X)
    none = [None] * 3
    for points, bends, through, message in (
        ([X, X, Y], [0, 0, 0], none, "same as the one before"),
        ([0 * X, X, X + 0.1 * Y], [0, 0.5, 0], none, "does not fit"),
        ([0 * X, X, 2 * X], [0, 0.1, 0], none, "no corner to round"),
        ([0 * X, X, Y], [0, 0, 0], [None, 0.5 * X, None], "lie on a line"),
        ([0 * X, X, Y], [0, 0.1, 0], [None, Y, None], "between arcs"),
        ([0 * X, X, X + Y, Y], [0, 0.8, 0.8, 0], [None] * 4, "fit"),
    ):
        with pytest.raises(ProfileError, match=message):
            space_path(points, bends, through, None)


@given(st.floats(-3, 3), PLACES)
def test_mapping_a_path_moves_every_place(angle: float, move: np.ndarray) -> None:
    turn = np.array(
        [[math.cos(angle), -math.sin(angle), 0], [math.sin(angle), math.cos(angle), 0], [0, 0, 1]]
    )
    mirror = np.diag([-1.0, 1, 1])
    for matrix in (turn, turn @ mirror):
        path = bent(0.2)
        mapped = path.mapped(matrix, move)
        shares = np.linspace(0, 1, 23)
        before, after = path.at(shares), mapped.at(shares)
        assert after[0] == pytest.approx(before[0] @ matrix.T + move, abs=1e-12)
        assert after[1] == pytest.approx(before[1] @ matrix.T, abs=1e-12)
        assert after[2] == pytest.approx(before[2] @ matrix.T, abs=1e-12)


def test_a_traced_curve_finds_its_own_tangent() -> None:
    def trace(share: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        angle = share * math.pi
        out = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
        return 2 * out, out

    piece = Traced(trace)
    assert piece.length == pytest.approx(2 * math.pi, rel=1e-4)
    _, tangents, ups = piece.locate(np.array([0.0, 0.5, 1.0]))
    assert tangents == pytest.approx(np.array([Y, -X, -Y]), abs=1e-5)
    assert ups == pytest.approx(np.array([X, Y, -X]), abs=1e-5)
    moved = MemberPath((piece,)).mapped(np.eye(3), Z).at(np.array([0.0]))
    assert moved[0][0] == pytest.approx([2, 0, 1])
