"""Entries of elements go to their places, and neighbours share where these are."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from unittest import mock

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import sparse
from verification.walls import held, plate, rectangle, sheet

from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import Level, planned
from belltone.modes.request import ModeRequest
from belltone.modes.solution import solved
from belltone.modes.solve import solve
from belltone.progress import Cancelled, Progress
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet
from belltone.system import factor, pattern
from belltone.system.assembly import Assembly
from belltone.system.elimination import eliminate
from belltone.system.factor import Factor, elimination_order
from belltone.system.pattern import Places, Reduction, Structure, combined

COUNT = 5  # nodes
Draw = Callable[..., Any]


def dense(nodes: list[np.ndarray], matrices: list[np.ndarray]) -> np.ndarray:
    whole = np.zeros((6 * COUNT, 6 * COUNT))
    for own, blocks in zip(nodes, matrices, strict=True):
        for connected, matrix in zip(own, blocks, strict=True):
            at = (6 * connected[:, None] + np.arange(6)).ravel()
            whole[np.ix_(at, at)] += matrix
    return whole


def elements(seed: int) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """Two sorts of elements over five nodes, with symmetric matrices."""
    random = np.random.default_rng(seed)
    nodes = [np.array([random.permutation(COUNT)[:size] for _ in range(3)]) for size in (2, 3)]
    matrices = []
    for own in nodes:
        size = 6 * own.shape[1]
        half = random.standard_normal((len(own), size, size))
        matrices.append(half + half.swapaxes(1, 2))
    return nodes, matrices


@given(st.integers(0, 10_000), st.data())
def test_a_matrix_is_the_sum_of_its_elements_over_what_ties_leave(
    seed: int, data: st.DataObject
) -> None:
    nodes, matrices = elements(seed)
    places = Places(nodes, COUNT)
    whole = dense(nodes, matrices)
    assert places.whole(matrices).toarray() == pytest.approx(whole, abs=1e-12)
    # Some unknowns are held, others follow others; a spring stands beside.
    rows = sparse.lil_matrix((4, 6 * COUNT + 1))
    for row in range(4):
        used = data.draw(st.lists(st.integers(0, 6 * COUNT - 1), min_size=1, max_size=3))
        for unknown in used:
            rows[row, unknown] = 1.0 + row
    free = eliminate(sparse.csr_matrix(rows), np.ones(6 * COUNT))
    spring = sparse.csc_matrix(
        ([3.0, -3.0, -3.0, 3.0], ([0, 0, 17, 17], [0, 17, 0, 17])), whole.shape
    )
    basis = free.basis.toarray()
    for few in (pattern._FEW, 0):  # few are worked in densely
        with mock.patch.object(pattern, "_FEW", few):
            filled = Reduction(places, free, [spring]).filled(matrices, free, spring)
        assert filled.toarray() == pytest.approx(basis.T @ (whole + spring) @ basis, abs=1e-9)
        assert np.all(np.diff(filled.indices[filled.indptr[0] : filled.indptr[1]]) > 0)


def test_a_structure_is_kept_while_it_fits() -> None:
    nodes, _ = elements(1)
    structure = Structure()
    places = structure.places(nodes, COUNT)
    assert structure.places([own.copy() for own in nodes], COUNT) is places
    none = sparse.csr_matrix((0, 6 * COUNT + 1))
    free = eliminate(none, np.ones(6 * COUNT))
    kept = structure.reduction(places, free, [])
    assert structure.reduction(places, eliminate(none, np.ones(6 * COUNT)), []) is kept
    held_one = sparse.csr_matrix(([1.0], ([0], [4])), (1, 6 * COUNT + 1))
    other = structure.reduction(places, eliminate(held_one, np.ones(6 * COUNT)), [])
    assert other is not kept
    # Where knobs go back and forth, what they come back to is known.
    assert structure.reduction(places, free, []) is kept
    assert structure.places(nodes[:1], COUNT) is not places


def test_few_patterns_are_kept_where_they_are_large(monkeypatch: pytest.MonkeyPatch) -> None:
    nodes, _ = elements(1)
    structure = Structure()
    places = structure.places(nodes, COUNT)
    ties = [
        eliminate(sparse.csr_matrix(([1.0], ([0], [at])), (1, 6 * COUNT + 1)), np.ones(6 * COUNT))
        for at in range(4)
    ]
    made = [structure.reduction(places, free, []) for free in ties]
    assert [structure.reduction(places, free, []) for free in ties] == made
    monkeypatch.setattr(pattern, "_KEPT_ENTRIES", 1)
    again = [structure.reduction(places, free, []) for free in ties]
    assert again[0] is made[0]
    assert again[1] is not made[1]
    assert structure.reduction(places, ties[-1], []) is again[-1]


def test_sums_of_matrices_of_one_pattern_keep_it() -> None:
    one = sparse.csc_matrix(np.array([[1.0, 2.0], [2.0, 5.0]]))
    other = sparse.csc_matrix(np.array([[1.0, 1.0], [1.0, 1.0]]))
    summed = combined(one, -2.0, other)
    assert summed.nnz == 4  # entries that cancel stay
    assert summed.toarray() == pytest.approx(one.toarray() - 2 * other.toarray())
    unlike = combined(one, 3.0, sparse.identity(2, format="csc"))
    assert unlike.toarray() == pytest.approx(one.toarray() + 3 * np.eye(2))


def grid(size: int, weight: float) -> sparse.csc_matrix:
    """Springs between the neighbours of a square, four unknowns at each place."""
    line = sparse.diags_array([-np.ones(size - 1), 2.5 * np.ones(size), -np.ones(size - 1)],
                              offsets=[-1, 0, 1])  # fmt: skip
    eye = sparse.identity(size)
    return sparse.csc_matrix(
        sparse.kron(sparse.kron(line, eye) + sparse.kron(eye, line), np.ones((4, 4)))
        + weight * sparse.identity(4 * size**2)
    )


def test_matrices_of_one_pattern_stand_side_by_side() -> None:
    if factor._pardiso() is None:
        pytest.skip("the other library keeps nothing")
    matrices = [grid(20, weight) for weight in (1.0, 2.0, 3.0)]
    factors = [Factor(matrix) for matrix in matrices]
    analyses = {id(each._backend._analysis) for each in factors}  # type: ignore[union-attr]
    assert len(analyses) == 1
    right = np.random.default_rng(2).standard_normal((1600, 3))
    for _ in range(2):
        for matrix, each in zip(matrices, factors, strict=True):
            assert matrix @ each.solve(right) == pytest.approx(right, abs=1e-9)
    # Beyond what one analysis holds another is made, and what is let go makes room.
    more = [Factor(matrices[0]) for _ in range(2 * factor._SIDE_BY_SIDE)]
    for each in more:
        assert matrices[0] @ each.solve(right) == pytest.approx(right, abs=1e-9)


def test_the_order_of_elimination_names_every_unknown_once() -> None:
    entry = factor._pardiso()
    if entry is None:
        pytest.skip("the other library orders by itself")
    order = elimination_order(grid(20, 1.0), entry)
    assert sorted(order) == list(range(1, 1601))
    # Unknowns of one place have the same neighbours and stay together.
    place = (order - 1) // 4
    assert np.count_nonzero(np.diff(place)) == 399


WALL = Sheet.from_text(
    sheet(plate(rectangle(0.4, 0.3), 0.002), held("clamped", "west"), 4).replace('"0.002 m"', '"t"')
    + '[knobs.t]\nvalue = "2 mm"\n'
)


def test_neighbours_share_one_structure_and_one_analysis(monkeypatch: pytest.MonkeyPatch) -> None:
    made: list[object] = []

    class Counted(factor._Analysis):
        def __init__(self, *arguments: Any) -> None:
            made.append(self)
            super().__init__(*arguments)

    monkeypatch.setattr(factor, "_Analysis", Counted)
    monkeypatch.setattr(factor, "_kept", [])
    family = DesignFamily(WALL)
    design = family.at()
    level, request = planned(design, Discretisation(2, 4)), ModeRequest(4, None, 5e-3)
    near = None
    structures = set()
    for value in (2e-3, 2.1e-3, 2.2e-3):
        found = solve(family.at({"t": value}), request, level, told=False, near=near)
        near = found.solution
        structures.add(id(near.level.assembly._structure._reductions[0]))
        fresh = solved(Level(family.at({"t": value}), level, Progress()), request)
        assert found.modes.flexible == pytest.approx(fresh.frequencies, rel=1e-7)
    assert len(structures) == 1
    if factor._pardiso() is not None:
        assert len(made) == 1


def test_a_ribbed_wall_that_grows_keeps_the_way_of_its_ties(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Of coefficients that are as large rounding would choose which goes, anew each time."""
    made: list[object] = []

    class Counted(Reduction):
        def __init__(self, *arguments: Any) -> None:
            made.append(self)
            super().__init__(*arguments)

    monkeypatch.setattr(pattern, "Reduction", Counted)
    wall = sheet(plate(rectangle(0.5, 0.3), 0.003), held("clamped", "west"), 4)
    wall = wall.replace('"0.003 m"', '"t"')
    text = (
        wall
        + """
[[parts.wall.holes]]
name = "hole"
shape = "round"
at = ["80 mm", "0 mm"]
diameter = "90 mm"

[parts.rib]
kind = "rib"
on = "wall"
material = "steel"
from = { at = ["-250 mm", "-90 mm"] }
to = { at = ["250 mm", "-90 mm"] }
section = { shape = "solid rectangle", width = "4 mm", height = "25 mm" }

[knobs.t]
value = "3 mm"
"""
    )
    family = DesignFamily(Sheet.from_text(text))
    level = planned(family.at(), Discretisation(1, 4))
    structure = Structure()
    for thick in np.linspace(0.002, 0.0036, 8):
        Assembly(family.at({"t": thick}), level, structure).system()
    assert len(made) <= 3


def test_a_stop_is_heard_between_the_steps_of_an_assembly() -> None:
    text = sheet(plate(rectangle(0.4, 0.3), 0.002), held("clamped", "west"), 4)
    design = DesignFamily(Sheet.from_text(text)).at()
    level = planned(design, Discretisation(1, 3))
    asked = 0

    def counted(limit: int) -> Progress:
        def stop() -> bool:
            nonlocal asked
            asked += 1
            return asked > limit

        return Progress(asked=stop)

    Assembly(design, level, progress=counted(1000)).system()
    steps = asked
    assert steps >= 8
    for limit in range(steps):
        asked = 0
        with pytest.raises(Cancelled):
            Assembly(design, level, progress=counted(limit)).system()
        assert asked == limit + 1  # and nothing went on after it
