"""Elements end along lines inside a domain, whatever else lies there."""

import itertools
import tracemalloc
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from belltone.geometry.halved_quads import halved_quads
from belltone.geometry.quads import Quads, graded_quads, inner_places
from belltone.geometry.seams import Seam, cut_seams, knots, stretches
from belltone.geometry.triangles import cut_rims

Array = NDArray[np.float64]
SQUARE = np.array([(-2.0, -1.0), (2.0, -1.0), (2.0, 1.0), (-2.0, 1.0)])
ANGLES = np.linspace(0, 2 * np.pi, 33)[:-1]
HOLE = 0.3 * np.column_stack([np.cos(ANGLES), np.sin(ANGLES)])


def sides(loop: Array) -> list[Array]:
    return [np.linspace(a, b, 9) for a, b in zip(loop, np.roll(loop, -1, axis=0), strict=True)]


def line(*ends: float) -> Array:
    return np.array(ends).reshape(2, 2)


def test_what_reaches_a_rim_ends_short_of_it_and_holes_part_it() -> None:
    seams = [
        Seam((-2.0, 0.0), (1.5, 0.0), (False, True)),
        Seam((-1.0, -0.6), (-0.98, -0.6), (True, True)),
    ]
    *parts, tiny = stretches(seams, [SQUARE, HOLE], 0.2)
    wanted = [(-1.8, -0.5), (0.5, 0.9), (0.9, 1.5)]  # no room for three parts on the left
    assert [list(part[:, 0]) for part in parts] == [pytest.approx(w, abs=2e-3) for w in wanted]
    assert all(part[:, 1] == pytest.approx(np.zeros(2)) for part in parts)
    assert tiny == pytest.approx(line(-1.0, -0.6, -0.98, -0.6))  # inside, however short
    outside = Seam((-3.0, 0.0), (-2.5, 0.0), (True, True))
    assert not stretches([outside], [SQUARE, HOLE], 0.2)


def test_lines_share_the_points_where_they_meet() -> None:
    lines = [line(-1, 0, 1, 0), line(0.5, -1, 0.5, 1), line(-1, 0, -1, 1), line(0, 0, 0, 1)]
    assert [len(shares) for shares in knots(lines)] == [4, 3, 2, 2]
    found = cut_seams(lines, [(2, 1, 1), (1, 2), (1,), (3,)])
    assert len(found.points) == len(np.unique(np.round(found.points, 9), axis=0)) == 12
    ends = [found.points[list(chain)][[0, -1]] for chain in found.chains]
    assert np.array(ends) == pytest.approx(np.array(lines))
    with pytest.raises(ValueError, match="zip"):
        cut_seams(lines, [(2, 1), (1, 2), (1,), (3,)])


def edges_of(found: Quads) -> dict[frozenset[int], int]:
    uses: dict[frozenset[int], int] = {}
    for face in found.faces:
        for pair in zip(face, (*face[1:], face[0]), strict=True):
            uses[frozenset(pair)] = uses.get(frozenset(pair), 0) + 1
    return uses


def check(found: Quads, loops: list[list[Array]], lines: list[Array]) -> None:
    """The faces cover the domain once, and none lies across a line."""
    seams = cut_seams(lines, found.seams)
    still = np.concatenate([*cut_rims(loops, found.divisions), seams.points])
    points = np.concatenate([still, inner_places(found, still)])
    uses = edges_of(found)
    rim = sum(map(sum, found.divisions))
    assert sorted(uses.values()) == [1] * rim + [2] * (len(uses) - rim)
    assert set(np.ravel(found.faces)) == set(range(len(points)))
    for a, b in seams.edges:
        assert uses[frozenset((rim + a, rim + b))] == 2
    for chain, own in zip(seams.chains, lines, strict=True):
        along = sum(
            np.linalg.norm(seams.points[b] - seams.points[a]) for a, b in itertools.pairwise(chain)
        )
        assert along == pytest.approx(np.linalg.norm(own[1] - own[0]))
    corners = points[np.array(found.faces)]
    first, second = corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]
    areas = 0.5 * (first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0])
    rims = cut_rims(loops, found.divisions)
    wanted = [
        0.5 * abs(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
        for x, y in (rim.T for rim in rims)
    ]
    assert areas.sum() == pytest.approx(wanted[0] - sum(wanted[1:]))


Way = Callable[..., Quads | None]
NUMBER = st.floats(-0.75, 0.75)


@pytest.mark.parametrize("way", [graded_quads, halved_quads])
@settings(max_examples=12, deadline=None)
@given(st.lists(st.tuples(NUMBER, NUMBER, NUMBER, NUMBER), min_size=1, max_size=3))
@example([(0.0, 0.0, 0.0, 0.5), (0.0, -0.25, 0.625, 0.0)])
def test_no_quadrilateral_lies_across_a_line(
    way: Way, ends: list[tuple[float, float, float, float]]
) -> None:
    lines = [line(2 * a, b, 2 * c, d) for a, b, c, d in ends]
    lines = [each for each in lines if np.linalg.norm(each[1] - each[0]) > 0.2]
    loops = [sides(SQUARE)]
    found = way(loops, 0.8, 0.12, lines)
    if found is not None:
        check(found, loops, lines)


@pytest.mark.parametrize("way", [graded_quads, halved_quads])
def test_lines_that_are_nearly_one_are_given_up_before_they_fill_the_memory(way: Way) -> None:
    """Between their ends lie a ten-millionth of their length, which elements would grow from."""
    first, second = line(0.25, 0.11, 0.65, -0.5), line(0.25, 0.11 + 2e-8, 0.65, -0.501)
    tracemalloc.start()
    try:
        assert way([sides(SQUARE)], 0.8, 0.12, [first, second]) is None
        assert tracemalloc.get_traced_memory()[1] < 500e6
    finally:
        tracemalloc.stop()


def test_faces_cut_through_their_middles_are_found_where_pairs_do_not_come_out() -> None:
    """Two ribs side by side, nearer to each other than to anything else, beside a hole."""
    loops = [sides(SQUARE), [np.vstack([HOLE, HOLE[:1]])]]
    lines = [line(-1.5, -0.55, 1.5, -0.55), line(-1.5, -0.68, 1.5, -0.68)]
    found = halved_quads(loops, 0.8, 0.12, lines)
    assert found is not None
    check(found, loops, lines)
    assert len(found.seams) == 2
