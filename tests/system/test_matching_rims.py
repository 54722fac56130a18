"""Shells of revolution that are joined have as many elements along their rims as each other."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.system.division import with_plans
from tests.assemblies import design_of, frequencies_at, joint

Point = tuple[float, float]
CONE: tuple[Point, ...] = ((100, 0), (140, 80), (180, 160))


def shell(name: str, points: Sequence[Point], at: float = 0.0) -> str:
    """A shell of 1 mm, its profile's radii and heights in mm."""
    profile = ", ".join(f'{{ at = ["{radius} mm", "{z} mm"] }}' for radius, z in points)
    return (
        f'[parts.{name}]\nkind = "revolved"\nmaterial = "steel"\nthickness = "1 mm"\n'
        f'profile = [ {profile} ]\nplacement = {{ at = ["{at} mm", "0 mm", "0 mm"] }}\n'
    )


def counts(design: Design) -> list[tuple[int, ...]]:
    return [plan.counts for plan in with_plans(design, Discretisation(1, 3)).plans]


def test_a_cone_cut_in_two_settles_as_soon_as_the_whole_one() -> None:
    """With 16 elements on 8 the third pair was 9 % too high here, the fifth pair a fifth."""
    level = Discretisation(2, 3)
    whole = frequencies_at(design_of(shell("c", CONE)), level, 8)
    cut = design_of(shell("a", CONE[:2]), shell("b", CONE[1:]), joint("a", "b"))
    assert frequencies_at(cut, level, 8) == pytest.approx(whole, rel=2e-2)


def test_what_one_shell_needs_goes_on_from_joint_to_joint() -> None:
    """The wide ring asks for more elements around than the pots below and above it do."""
    low, ring, high = ((100, -150), (100, 0)), ((100, 0), (220, 40)), ((220, 40), (220, 45))
    alone = [counts(design_of(shell("a", points)))[0] for points in (low, ring, high)]
    pieces = [shell(name, points) for name, points in zip("abc", (low, ring, high), strict=True)]
    joined = counts(design_of(*pieces, joint("a.end", "b.start"), joint("c", "b")))
    around = [max(own) for own in joined]
    assert len({max(own) for own in alone}) > 1
    assert around == [max(map(max, alone))] * 3


@pytest.mark.parametrize("how", ["none", "welded"])
def test_rims_that_are_not_joined_are_left_alone(how: str) -> None:
    """Not joined at all, or at another rim than the one that would be alike."""
    one, two = CONE[:2], CONE[1:]
    alone = [counts(design_of(shell("a", points)))[0] for points in (one, two)]
    sides = ("a", "b") if how == "none" else ("a.start", "b.end")
    pieces = shell("a", one), shell("b", two)
    assert alone[0] != alone[1]
    assert counts(design_of(*pieces, joint(*sides, how=how))) == alone
