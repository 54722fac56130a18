import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import linear_sum_assignment

from belltone.design.values import Design
from belltone.modes.kinds import energy_shares, kind_names
from belltone.modes.matching import assurance, clusters, paired
from belltone.modes.pairing import pair
from belltone.modes.solve import ModeRequest, solve_modes
from tests.conftest import CLAMPED


def match(
    first: np.ndarray, second: np.ndarray, frequencies: np.ndarray, expected: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    return paired(assurance(first, second), frequencies, expected)


def orthonormal(count: int, size: int = 12) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    return np.linalg.qr(np.random.default_rng(1).standard_normal((size, count)))[0].T


@given(st.permutations(range(6)))
def test_modes_are_found_wherever_they_went(order: list[int]) -> None:
    shapes = orthonormal(6)
    partners, certainty = match(shapes, -shapes[order], np.arange(1.0, 7.0), np.ones(6))
    assert [order[partner] for partner in partners] == list(range(6))
    assert certainty == pytest.approx(np.ones(6))


@given(st.floats(0, 2 * np.pi))
def test_a_turned_pair_is_recognised(angle: float) -> None:
    shapes = orthonormal(3)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    turned = np.vstack([shapes[:1], turn @ shapes[1:]])
    partners, certainty = match(
        shapes, turned, np.array([1.0, 2.0, 2.0]), np.array([1.0, 2.0, 2.0])
    )
    assert partners[0] == 0
    assert set(partners[1:]) == {1, 2}
    assert certainty == pytest.approx(np.ones(3))


def test_the_frequency_foreseen_breaks_a_tie() -> None:
    shapes = orthonormal(2)
    mixed = np.array([shapes[0] + shapes[1], shapes[0] - shapes[1]]) / np.sqrt(2)
    partners, certainty = match(shapes, mixed, np.array([10.0, 12.0]), np.array([12.0, 10.0]))
    assert list(partners) == [1, 0]
    assert certainty == pytest.approx([0.5, 0.5])


def test_fewer_partners_than_modes() -> None:
    shapes = orthonormal(3)
    partners, _ = match(shapes, shapes[:1], np.array([1.0]), np.ones(3))
    assert list(partners) == [0, -1, -1]
    assert match(shapes[:0], shapes, np.ones(3), np.ones(0))[0].size == 0


@given(st.integers(0, 2**32 - 1), st.integers(1, 7), st.integers(0, 3), st.floats(0.05, 1.0))
def test_partners_are_those_alike_most_in_all(
    seed: int, rows: int, more: int, mixed: float
) -> None:
    """Whether each is most like another one, or several are like the same."""
    random = np.random.default_rng(seed)
    columns = rows + more
    alike = (1 - mixed) * np.eye(rows, columns)[:, random.permutation(columns)]
    alike = alike + mixed * random.random((rows, columns))
    frequencies = 10.0 * 1.5 ** np.arange(columns)
    partners, certainty = paired(alike, frequencies, np.full(rows, 1e6))
    place, best = linear_sum_assignment(-np.clip(alike, 0, 1))
    assert certainty.sum() == pytest.approx(np.clip(alike, 0, 1)[place, best].sum())
    assert len(set(partners)) == rows


def test_assurance_is_one_for_itself_and_nothing_for_others() -> None:
    shapes = orthonormal(4)
    assert assurance(shapes, shapes) == pytest.approx(np.eye(4), abs=1e-14)


def test_clusters_group_equal_frequencies() -> None:
    groups = clusters(np.array([1.0, 1.00001, 2.0, 3.0, 3.0, 3.0]))
    assert [(g.start, g.stop) for g in groups] == [(0, 2), (2, 3), (3, 6)]
    assert clusters(np.empty(0)) == []


def test_a_pair_that_a_coarse_mesh_splits_is_recognised_within_a_gap() -> None:
    shapes = orthonormal(3)
    turned = np.array(
        [shapes[0], 0.6 * shapes[1] + 0.8 * shapes[2], 0.8 * shapes[1] - 0.6 * shapes[2]]
    )
    alike = assurance(shapes[1:2], turned)
    parts = alike, np.array([1.0, 2.0, 2.001]), np.array([2.0])
    assert paired(*parts)[1][0] < 0.7
    partners, certainty = paired(*parts, 1e-3)
    assert partners[0] in (1, 2)
    assert certainty[0] == pytest.approx(1.0)


def test_a_pair_split_by_the_other_mesh_is_recognised_where_either_may_be_mixed() -> None:
    shapes = orthonormal(3)
    turned = np.array(
        [shapes[0], 0.6 * shapes[1] + 0.8 * shapes[2], 0.8 * shapes[1] - 0.6 * shapes[2]]
    )
    parts = assurance(turned, shapes), np.array([1.0, 2.0, 2.1]), np.array([1.0, 2.0, 2.001])
    assert paired(*parts, 1e-3)[1][1:].max() < 0.7
    partners, certainty = paired(*parts, 1e-3, either=True)
    assert partners.tolist() == [0, 1, 2]
    assert certainty == pytest.approx(1.0)


def test_half_of_a_pair_is_not_taken_for_all_of_it() -> None:
    shapes = orthonormal(3)
    # Only one shape of the pair is there at all, turned into both.
    turned = np.array([shapes[0] + shapes[2], shapes[0] - shapes[2]]) / math.sqrt(2)
    parts = assurance(turned, shapes[:2]), np.array([2.0, 2.001]), np.array([2.0, 2.001])
    assert sorted(paired(*parts, 1e-3, either=True)[1]) == pytest.approx([0.5, 1.0])


def test_kinds_follow_the_energy() -> None:
    # axial, shear y, shear z, twist, about y, about z, springs
    energies = np.array(
        [
            [0, 0, 1, 0, 9, 0, 0],
            [0, 1, 0, 0, 0, 9, 0],
            [0, 0, 0, 5, 0, 0, 0],
            [7, 0, 0, 3, 0, 0, 0],
            [0, 0, 0, 0, 1, 0, 9],
            [0.0] * 7,
        ]
    )
    shares = energy_shares(energies)
    assert shares[0] == pytest.approx([0, 0, 1, 0, 0])
    along = np.tile([1.0, 0.0, 0.0], (len(shares), 1))
    assert kind_names(shares, along)[:5] == (
        "bending about y",
        "bending about z",
        "twist",
        "axial with twist",
        "moving on its springs",
    )
    assert np.all(np.isfinite(shares))
    # What stretches while it moves up bends about y, sideways about z.
    up, aside = (np.tile(way, (len(shares), 1)) for way in ([0, 0, 1.0], [0, 1.0, 0]))
    assert kind_names(shares, up)[3] == "bending about y with stretching"
    assert kind_names(shares, aside)[3] == "bending about z with stretching"


def test_shapes_match_when_a_mass_is_hung_on(bar: Callable[..., Design]) -> None:
    section = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'
    request = ModeRequest(6, None, 1e-3)
    bare = solve_modes(bar(section, rest=CLAMPED), request)
    body = '[[masses]]\nsite = "bar.end"\nmass = "0.2 kg"\n'
    laden = solve_modes(bar(section, rest=CLAMPED + body), request)
    partners, certainty = pair(bare, laden)
    assert list(partners[:4]) == [0, 1, 2, 3]
    assert certainty[:4].min() > 0.9


def test_shapes_match_across_sizes_and_meshes(bar: Callable[..., Design]) -> None:
    section = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'
    request = ModeRequest(6, None, 1e-3)
    short = solve_modes(bar(section, "0.5 m", CLAMPED), request)
    long = solve_modes(bar(section, "2 m", CLAMPED), request)
    partners, certainty = pair(short, long, range(4), long.flexible[:4])
    assert certainty[:2] == pytest.approx([1, 1], abs=0.01)
    for place, partner in enumerate(partners[:2]):
        assert short.kinds[place] == long.kinds[partner]
