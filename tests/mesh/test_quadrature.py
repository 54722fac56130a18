import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.mesh.quadrature import by_degree, gauss, lagrange, lobatto

ORDERS = st.integers(1, 9)


@given(ORDERS)
def test_gauss_points_integrate_their_degree(count: int) -> None:
    points, weights = gauss(count)
    for degree in range(2 * count):
        exact = 2 / (degree + 1) if degree % 2 == 0 else 0.0
        assert weights @ points**degree == pytest.approx(exact, abs=1e-13)


@given(ORDERS, st.lists(st.floats(-1, 1), min_size=9, max_size=9))
def test_parts_by_degree_add_up(count: int, factors: list[float]) -> None:
    points, weights = gauss(count)
    values = np.polynomial.polynomial.polyval(points, factors[:count])
    parts = by_degree(count) @ values
    assert np.sum(parts**2) == pytest.approx(weights @ values**2, abs=1e-12)
    # What has a lower degree has nothing in the highest.
    lower = np.polynomial.polynomial.polyval(points, [*factors[: count - 1], 0.0])
    assert (by_degree(count) @ lower)[-1] == pytest.approx(0.0, abs=1e-13)


@given(ORDERS)
def test_lobatto_points_hold_the_ends_and_are_symmetric(order: int) -> None:
    points = lobatto(order)
    assert len(points) == order + 1
    assert points[0] == -1
    assert points[-1] == 1
    assert points == pytest.approx(-points[::-1], abs=1e-14)
    assert np.all(np.diff(points) > 0)


def test_known_lobatto_points() -> None:
    assert lobatto(3)[1] == pytest.approx(-np.sqrt(1 / 5))
    assert lobatto(4)[1] == pytest.approx(-np.sqrt(3 / 7))


@given(ORDERS, st.lists(st.floats(-1, 1), min_size=1, max_size=6))
def test_shape_functions_reproduce_polynomials(order: int, places: list[float]) -> None:
    nodes, points = lobatto(order), np.array(places)
    values, slopes = lagrange(nodes, points)
    for degree in range(order + 1):
        assert values @ nodes**degree == pytest.approx(points**degree, abs=1e-11)
        exact = degree * points ** max(0, degree - 1)
        assert slopes @ nodes**degree == pytest.approx(exact, abs=1e-9)
