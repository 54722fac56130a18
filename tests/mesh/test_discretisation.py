"""One discretisation that serves several designs."""

from __future__ import annotations

from belltone.mesh.discretisation import Discretisation, SurfacePlan, fine_enough


def chosen(order: int, *times: tuple[int, ...], divisions: int = 1) -> Discretisation:
    plans = tuple(SurfacePlan(None, (1,) * len(own), times=own) for own in times)
    return Discretisation(divisions, order, plans)


def test_each_class_is_divided_as_often_as_any_design_asks() -> None:
    found = fine_enough(
        [chosen(4, (1, 2, 4), (1, 1)), chosen(5, (2, 1, 1), (1, 1)), chosen(3, (1, 1, 1), (1, 1))]
    )
    assert found.order == 5
    assert found.plans[0].times == (2, 2, 4)
    assert found.plans[1].times == ()


def test_other_blocks_count_by_what_they_divide_most() -> None:
    middle = chosen(4, (1, 2, 1), divisions=2)
    found = fine_enough([chosen(4, (1, 4)), middle, chosen(4, (1, 1, 1))])
    assert found.divisions == 2
    assert found.plans[0].times == (4, 4, 4)
    assert found.plans[0].counts == middle.plans[0].counts


def test_members_alone_have_no_plans() -> None:
    assert fine_enough([Discretisation(1, 4), Discretisation(2, 6)]) == Discretisation(2, 6)


def test_the_finest_divisions_serve_everywhere() -> None:
    assert chosen(4, (1, 4), (), divisions=2).finest == 8
    assert chosen(4, ()).finest == 1
    assert Discretisation(3, 5).finest == 3
