"""One discretisation that serves several designs, and walls divided in places."""

from __future__ import annotations

from dataclasses import replace

from belltone.mesh.discretisation import Discretisation, SurfacePlan, fine_enough


def chosen(order: int, *times: tuple[int, ...], divisions: int = 1) -> Discretisation:
    plans = tuple(SurfacePlan(None, (1,) * len(own), times=own) for own in times)
    return Discretisation(divisions, order, plans)


def test_the_finest_of_all_serves() -> None:
    many = chosen(4, (2, 2, 4), (1, 1))
    found = fine_enough([many, chosen(6, (1, 1, 1), (1, 1)), chosen(3, (1, 1, 1), (1, 1))])
    assert found == many
    high = chosen(8, (1, 1, 1), (1, 1))
    assert fine_enough([many, high, chosen(3, (1, 1, 1), (1, 1))]) == high


def test_blocks_are_those_of_the_middle() -> None:
    middle = chosen(4, (1, 2, 1))
    found = fine_enough([chosen(4, (1, 8), divisions=2), middle, chosen(4, (1, 1, 1))])
    assert found.divisions == 2
    assert found.plans[0].times == (8, 8, 8)
    assert found.plans[0].counts == middle.plans[0].counts


def test_members_alone_have_no_plans() -> None:
    assert fine_enough([Discretisation(1, 6), Discretisation(2, 4)]) == Discretisation(2, 6)


def test_the_finest_divisions_serve_everywhere() -> None:
    assert chosen(4, (1, 4), (), divisions=2).finest == 8
    assert chosen(4, ()).finest == 1
    assert Discretisation(3, 5).finest == 3


def test_divided_as_often_everywhere() -> None:
    """What was divided in places is made as fine in all others."""
    plans = (SurfacePlan(None, (1, 1)), SurfacePlan(None, (2,)))
    bare = Discretisation(1, 4, plans)
    assert bare.even
    assert bare.finer().even
    one = replace(bare, plans=(replace(plans[0], times=(2, 1)), plans[1]))
    assert not one.even
    assert [plan.times for plan in one.evened().plans] == [(2, 2), (2,)]
    assert one.evened().even
    assert not replace(bare, plans=(replace(plans[0], times=(2, 2)), plans[1])).even
