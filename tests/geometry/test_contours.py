"""Plates and holes of lines and arcs, against the shapes they stand for."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.design.values import Design
from belltone.geometry.outlines import closed_line, contour_problem
from belltone.geometry.profiles import Arc, Line
from belltone.geometry.shapes import Contour, ContourHole, Plate
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.system.kinds import place_lines
from tests.conftest import STEEL

ROUND = "[knobs.r]\nvalue = '50 mm'\n"
CLAMPED = "[[supports]]\nsite = '%s'\nhold = 'clamped'\n"
BOX = [("-200 mm", "-150 mm"), ("200 mm", "-150 mm"), ("200 mm", "150 mm"), ("-200 mm", "150 mm")]
SLOT = (
    'points = [{ at = ["-30 mm", "-10 mm"], through = ["-40 mm", "0 mm"] }, '
    '{ at = ["30 mm", "-10 mm"] }, { at = ["30 mm", "10 mm"], through = ["40 mm", "0 mm"] }, '
    '{ at = ["-30 mm", "10 mm"] }]'
)


def _text(outline: str, rest: str = "", hold: str = "plate.outline") -> str:
    return (
        f"belltone = 1\n{STEEL}{ROUND}[parts.plate]\nkind = 'plate'\nmaterial = 'steel'\n"
        f"thickness = '3 mm'\noutline = {{ {outline} }}\n{rest}\n{CLAMPED % hold}"
        "[modes]\ncount = 4\n[accuracy]\ntarget = '0.5 %'\n"
    )


def _bent(corners: list[tuple[str, str]]) -> str:
    points = ", ".join(f'{{ at = ["{x}", "{y}"], bend = "r" }}' for x, y in corners)
    return f'shape = "contour", points = [{points}]'


def _design(outline: str, rest: str = "", hold: str = "plate.outline") -> Design:
    return evaluate(Sheet.from_text(_text(outline, rest, hold)))


def _frequencies(design: Design) -> Any:
    return solve_modes(design, request_for(design)).flexible


def _plate(design: Design) -> Plate:
    shape = design.parts[0].shape  # type: ignore[union-attr]
    assert isinstance(shape, Plate)
    return shape


@pytest.fixture(scope="module")
def rounded() -> Any:
    size = 'width = "400 mm", height = "300 mm", radius = "r"'
    return _frequencies(_design(f'shape = "rounded rectangle", {size}'))


@pytest.mark.parametrize("corners", [BOX, BOX[::-1]])
def test_bent_corners_are_a_rounded_rectangle(rounded: Any, corners: Any) -> None:
    assert _frequencies(_design(_bent(corners))) == pytest.approx(rounded, rel=3e-3)


def test_four_arcs_are_a_disc() -> None:
    s = "106.066017178"
    points = [
        (("150", "0"), (s, f"-{s}")),
        (("0", "150"), (s, s)),
        (("-150", "0"), (f"-{s}", s)),
        (("0", "-150"), (f"-{s}", f"-{s}")),
    ]
    told = ", ".join(
        f'{{ at = ["{x} mm", "{y} mm"], through = ["{p} mm", "{q} mm"] }}'
        for (x, y), (p, q) in points
    )
    disc = _frequencies(_design('shape = "disc", diameter = "300 mm"'))
    assert _frequencies(_design(f'shape = "contour", points = [{told}]')) == pytest.approx(
        disc, rel=3e-3
    )


def test_a_hole_of_any_shape() -> None:
    """A rectangular hole drawn point by point is that hole; a slot has its exact area."""
    box = 'shape = "rectangle", width = "400 mm", height = "300 mm"'
    plain = '[[parts.plate.holes]]\nname = "h"\nshape = "rectangular"\nat = ["30 mm", "20 mm"]\n'
    drawn = '[[parts.plate.holes]]\nname = "h"\nshape = "contour"\nat = ["30 mm", "20 mm"]\n'
    corners = [(-60, -30), (60, -30), (60, 30), (-60, 30)]
    points = ", ".join(f'{{ at = ["{x} mm", "{y} mm"] }}' for x, y in corners)
    one = _design(box, plain + 'width = "120 mm"\nheight = "60 mm"\n')
    two = _design(box, drawn + f"points = [{points}]\n")
    assert _frequencies(two) == pytest.approx(_frequencies(one), rel=4e-3)
    slot = _design(box, drawn + SLOT + "\n")
    (hole,) = _plate(slot).holes
    assert isinstance(hole, ContourHole)
    x, y = closed_line(hole.rim).T
    area = 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
    assert area == pytest.approx(0.06 * 0.02 + math.pi * 0.01**2, rel=2e-3)
    lines = np.concatenate(place_lines(slot.parts[0], slot.places["plate.h"]))
    assert lines[:, 0].min() == pytest.approx(0.03 - 0.04)
    assert lines[:, 1].max() == pytest.approx(0.02 + 0.01)


@pytest.mark.parametrize(("corners", "edge"), [(BOX, "edge 3"), (BOX[::-1], "edge 5")])
def test_sides_are_numbered_as_they_were_listed(corners: Any, edge: str) -> None:
    """Of a bent corner the arc is a side too; the east side is the same whichever way round."""
    design = _design(_bent(corners), hold=f"plate.{edge}")
    (line,) = place_lines(design.parts[0], design.places[f"plate.{edge}"])
    assert np.ptp(line[:, 0]) < 1e-9 or np.ptp(line[:, 1]) < 1e-9
    assert {f"plate.corner {n}" for n in range(1, 9)} <= set(design.places)


def test_a_pattern_copies_a_drawn_hole() -> None:
    box = 'shape = "rectangle", width = "400 mm", height = "300 mm"'
    hole = '[[parts.plate.holes]]\nname = "h"\nshape = "contour"\nat = ["-100 mm", "50 mm"]\n'
    mirrored = _design(box, hole + SLOT + '\n[[patterns]]\nof = "plate.h"\nmirror = "y"\n')
    first, second = _plate(mirrored).holes
    one, two = (closed_line(each.rim) for each in (first, second))  # type: ignore[union-attr]
    assert np.sort(two[:, 1]) == pytest.approx(np.sort(-one[:, 1]))
    for line in (one, two):
        x, y = line.T
        assert np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) > 0


def test_knobs_turn_contours() -> None:
    family = DesignFamily(Sheet.from_text(_text(_bent(BOX))))
    small, large = (_plate(family.at({"r": radius})).outline for radius in (0.02, 0.1))
    radii = [
        {round(each.radius, 9) for each in outline.segments if isinstance(each, Arc)}
        for outline in (small, large)
        if isinstance(outline, Contour)
    ]
    assert radii == [{0.02}, {0.1}]


@pytest.mark.parametrize(
    ("points", "words"),
    [
        ([(0, 0), (200, 100), (200, 0), (0, 100)], "the contour crosses itself at (100 mm, 50 mm)"),
        ([(0, 0), (100, 0), (200, 0)], "lie on one line"),
        ([(0, 0), (0, 0), (200, 0), (100, 90)], "the same as the one before it"),
    ],
)
def test_what_is_no_contour(points: Any, words: str) -> None:
    told = ", ".join(f'{{ at = ["{x} mm", "{y} mm"] }}' for x, y in points)
    with pytest.raises(SheetError) as caught:
        _design(f'shape = "contour", points = [{told}]')
    assert words in str(caught.value)


@given(st.floats(-3, 3), st.booleans(), st.floats(-1, 1), st.floats(-1, 1), st.floats(0.1, 2.5))
def test_moving_keeps_shape_and_sense(
    angle: float, mirrored: bool, right: float, up: float, sweep: float
) -> None:
    start = (math.cos(sweep), math.sin(sweep))
    contour = Contour((Line((0, 0), (1, 0)), Arc((0, 0), 1.0, 0.0, sweep), Line(start, (0, 0))))
    c, s = math.cos(angle), math.sin(angle)
    turn = np.array([[c, -s], [s, c]]) @ np.diag([1.0, -1.0 if mirrored else 1.0])
    moved = contour.moved(turn, np.array([right, up]))
    assert contour_problem(moved) is None
    ends = [(each.stop, after.start) for each, after in
            zip(moved.segments, moved.segments[1:] + moved.segments[:1], strict=True)]  # fmt: skip
    for one, other in ends:
        assert one == pytest.approx(other, abs=1e-12)
    line = closed_line(moved)
    area = 0.5 * float(
        np.sum(line[:, 0] * np.roll(line[:, 1], -1) - line[:, 1] * np.roll(line[:, 0], -1))
    )
    assert area == pytest.approx(0.5 * sweep, rel=2e-3)
    there = closed_line(contour) @ turn.T + np.array([right, up])
    away = np.linalg.norm(there[:, None] - line[None], axis=2).min(axis=1)
    assert away.max() < 0.05
