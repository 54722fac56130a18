"""Blocks that end along circles inside plates: which circles, and what blocks are in them."""

from __future__ import annotations

import itertools
import math
from collections import Counter
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.profiles import Arc
from belltone.geometry.seams import Ring, Seam, circle_through
from belltone.geometry.shapes import Disc, Plate, Polygon, RectangularHole, RoundHole
from belltone.mesh import plate_schemes
from belltone.mesh.blocks import SIDES, BlockBuilder, Blocks, Piece
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.plate_blocks import openness, plate_blocks
from belltone.mesh.plate_rings import Nest, add_core, nests
from belltone.mesh.plate_schemes import plate_scheme
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.system.division import mesh_bodies, welds_unfollowed, with_plans
from tests.assemblies import design_of, frequencies_at, held, joint, plate

THICK = 0.003
SQUARE = Polygon(((-0.2, -0.15), (0.2, -0.15), (0.2, 0.15), (-0.2, 0.15)))
MIDDLE = Ring((0.0, 0.0), 0.06)
HOLE = RoundHole("h", (0.0, 0.0), 0.04)


def area(blocks: Blocks) -> float:
    """By Gauss points of each block's own map."""
    points, weights = np.polynomial.legendre.leggauss(12)
    u, v = (axis.ravel() for axis in np.meshgrid(0.5 * (points + 1), 0.5 * (points + 1)))
    weight = 0.25 * np.outer(weights, weights).ravel()
    step, total = 1e-6, 0.0
    for block in blocks.blocks:
        along = (block.chart(u + step, v) - block.chart(u - step, v)) / (2 * step)
        up = (block.chart(u, v + step) - block.chart(u, v - step)) / (2 * step)
        total += float(weight @ (along[:, 0] * up[:, 1] - along[:, 1] * up[:, 0]))
    return total


def cut(shape: Plate, *seams: Ring | Seam) -> Blocks:
    return plate_blocks(shape, plate_scheme(shape, THICK, seams), seams)


def stands_on(blocks: Blocks, ring: Ring) -> float:
    """The angle (rad) that sides of blocks take up of a circle, each but once."""
    found: dict[tuple[int, int], float] = {}
    line = np.linspace(0.0, 1.0, 7)
    still = np.zeros(7)
    along = ((line, still), (still + 1, line), (line, still + 1), (still, line))
    for block in blocks.blocks:
        for (a, b), at in zip(SIDES, along, strict=True):
            away = block.chart(*at) - ring.centre
            if np.abs(np.linalg.norm(away, axis=1) - ring.radius).max() < 1e-9:
                turn = np.unwrap(np.arctan2(away[:, 1], away[:, 0]))
                found[edge_key(block.vertices[a], block.vertices[b])] = abs(turn[-1] - turn[0])
    return sum(found.values())


def test_a_circle_is_told_from_other_chains_of_points() -> None:
    turns = np.linspace(0.3, 0.3 + 2 * math.pi, 33)
    wheel = np.column_stack([np.cos(turns), np.sin(turns)])
    found = circle_through(wheel * 0.04 + (0.1, -0.2))
    assert found is not None
    assert (*found.centre, found.radius) == pytest.approx((0.1, -0.2, 0.04), abs=1e-12)
    assert circle_through(wheel[:-3]) is None  # not closed
    assert circle_through(wheel * (1.0, 1.01)) is None
    assert circle_through(np.array(SQUARE.corners + SQUARE.corners[:1])) is None


@pytest.mark.parametrize(
    ("shape", "seams", "wanted"),
    [
        (Plate(SQUARE), [MIDDLE], (Nest((0,)),)),
        (Plate(SQUARE, (HOLE,)), [MIDDLE], (Nest((0,), 0),)),
        (Plate(Disc(0.2, 0.05)), [MIDDLE], (Nest((0,), -1),)),
        (Plate(SQUARE), [MIDDLE, Ring((0.0, 0.0), 0.1)], (Nest((1, 0)),)),
        (Plate(SQUARE), [MIDDLE, Ring((0.13, 0.0), 0.05)], (Nest((0,)), Nest((1,)))),
        (Plate(SQUARE, (HOLE,)), [MIDDLE, Ring((0.05, 0.0), 0.06)], None),  # they cross
        (Plate(SQUARE, (RectangularHole("h", (0.0, 0.0), 0.02, 0.02),)), [MIDDLE], None),
        (
            Plate(SQUARE, (RoundHole("a", (0.02, 0), 0.01), RoundHole("b", (-0.02, 0), 0.01))),
            [MIDDLE],
            None,
        ),
        (Plate(SQUARE), [MIDDLE, Seam((0.0, 0.0), (0.1, 0.0), (True, True))], None),
        (Plate(SQUARE), [MIDDLE, Seam((0.06, 0.0), (0.2, 0.0), (True, False))], (Nest((0,)),)),
    ],
)
def test_what_lies_in_a_circle(
    shape: Plate, seams: list[Ring | Seam], wanted: tuple[Nest, ...] | None
) -> None:
    assert nests(shape, seams) == wanted


@pytest.mark.parametrize("pieces", [4, 6, 8, 10, 12, 16])
def test_a_core_covers_its_disc(pieces: int) -> None:
    builder = BlockBuilder()
    turns = np.linspace(-0.75 * math.pi, 1.25 * math.pi, pieces + 1)
    rim = [builder.point(0.5 * np.array([math.cos(t), math.sin(t)])) for t in turns[:-1]]
    for a, b, low, high in zip(rim, [*rim[1:], rim[0]], turns, turns[1:], strict=False):
        builder.curve(a, b, Piece(Arc((0.0, 0.0), 0.5, low, high)))
    add_core(builder, rim, Ring((0.0, 0.0), 0.5))
    blocks = builder.finish()
    assert area(blocks) == pytest.approx(math.pi * 0.25, rel=1e-9)
    assert openness(blocks) > 0.4


def test_a_disc_has_no_odd_rim() -> None:
    builder = BlockBuilder()
    rim = [builder.point([math.cos(t), math.sin(t)]) for t in np.arange(5) * 0.4 * math.pi]
    with pytest.raises(ValueError, match="5 pieces of a rim"):
        add_core(builder, rim, Ring((0.0, 0.0), 1.0))


@settings(max_examples=25)
@given(
    x=st.floats(-0.1, 0.1),
    y=st.floats(-0.06, 0.06),
    radius=st.floats(0.015, 0.07),
    inner=st.sampled_from(["nothing", "hole", "ring", "ring and hole"]),
)
def test_blocks_end_along_circles(x: float, y: float, radius: float, inner: str) -> None:
    rings = [Ring((x, y), radius)]
    holes: tuple[RoundHole, ...] = ()
    if "ring" in inner:
        rings.append(Ring((x, y), 0.7 * radius))
    if "hole" in inner:
        holes = (RoundHole("h", (x, y), 0.5 * radius),)
    shape = Plate(SQUARE, holes)
    blocks = cut(shape, *rings)
    for ring in rings:
        assert stands_on(blocks, ring) == pytest.approx(2 * math.pi, rel=1e-9)
    assert openness(blocks) > 0.15
    whole = 0.4 * 0.3 - sum(math.pi * hole.radius**2 for hole in holes)
    assert area(blocks) == pytest.approx(whole, rel=1e-6)
    uses = Counter(
        edge_key(block.vertices[a], block.vertices[b]) for block in blocks.blocks for a, b in SIDES
    )
    rims = {edge_key(*pair) for name in ("outline", "h") for pair in blocks.edges.get(name, ())}
    assert {edge for edge, count in uses.items() if count == 1} == rims
    assert set(uses.values()) == {1, 2}
    sides = {"outline", "edge 1", "edge 2", "edge 3", "edge 4"}
    assert set(blocks.edges) == sides | {hole.name for hole in holes}


def test_several_circles_and_a_line_that_ends_on_one() -> None:
    one, two = Ring((-0.1, 0.0), 0.04), Ring((0.09, 0.03), 0.05)
    line = Seam((-0.06, 0.0), (0.04, 0.03), (True, True))
    blocks = cut(Plate(SQUARE), one, two, line)
    assert stands_on(blocks, one) == pytest.approx(2 * math.pi)
    assert stands_on(blocks, two) == pytest.approx(2 * math.pi)
    assert area(blocks) == pytest.approx(0.12, rel=1e-6)


def tube(name: str, radius: int, length: int, at: str = "0 mm") -> str:
    ends = ", ".join(f'{{ at = ["{radius} mm", "{z} mm"] }}' for z in (0, length))
    return (
        f'[parts.{name}]\nkind = "revolved"\nmaterial = "steel"\nthickness = "3 mm"\n'
        f'profile = [ {ends} ]\nplacement = {{ at = ["{at}", "0 mm", "0 mm"] }}\n'
    )


WALL = plate("p", 400, 300, (0, 0, 0)).replace('"4 mm"', '"3 mm"') + held("p.outline")


def test_a_tube_on_a_plate_stands_between_a_plate_with_a_hole_and_a_disc() -> None:
    """The same welded of three parts, whose rims are where the circle is."""
    whole = design_of(WALL, tube("t", 60, 100), joint("t.start", "p"))
    hole = 'holes = [ { name = "h", shape = "round", at = ["0 mm", "0 mm"], diameter = "120 mm" } ]'
    outer = WALL.replace("[[supports]]", f"{hole}\n[[supports]]")
    disc = (
        '[parts.d]\nkind = "plate"\nmaterial = "steel"\nthickness = "3 mm"\n'
        'outline = { shape = "disc", diameter = "120 mm" }\n'
    )
    parts = design_of(
        outer, disc, tube("t", 60, 100), joint("d.rim", "p.h"), joint("t.start", "p.h")
    )
    one, two = (frequencies_at(design, Discretisation(1, 4), 4) for design in (whole, parts))
    assert one == pytest.approx(two, rel=2e-3)


def test_a_tube_on_a_plate_takes_few_elements() -> None:
    """Across a circle inside elements, bending has a kink they cannot follow: 179 000 unknowns."""
    design = design_of(WALL, tube("t", 60, 100), joint("t.start", "p"))
    found = solve_modes(design, ModeRequest(3, None, 2e-2))
    assert found.unknowns < 8_000
    assert np.max(found.errors) < 2e-2


def test_feet_where_blocks_would_be_wedges_have_circles_round_them(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """About a tube off the middle, blocks that lead to feet near the corners are nearly shut."""
    asked: list[tuple[object, ...]] = []
    for name in ("quads", "graded_quads"):
        way = getattr(plate_schemes, name)

        def counted(*given: object, name: str = name, way: Any = way) -> Any:
            asked.append((name, *map(repr, given)))
            return way(*given)

        monkeypatch.setattr(plate_schemes, name, counted)
    spots = [(x, y) for x in (-180, 180) for y in (-130, 130)]
    feet = "".join(
        f'[sites.f{n}]\npart = "p"\nat = ["{x} mm", "{y} mm"]\n' + held(f"f{n}")
        for n, (x, y) in enumerate(spots)
    )
    bare = WALL.split("[[supports]]")[0]
    design = design_of(bare, feet, tube("t", 60, 100, "60 mm"), joint("t.start", "p"))
    level = with_plans(design, Discretisation(1, 2))
    plan = level.plans[0]
    assert len(plan.spots) == 4
    assert all(0.008 < radius < 0.02 for _, radius in plan.spots)
    assert plan.scheme is not None
    assert len(plan.scheme.nests) == 5
    mesh = next(mesh_bodies(design, level))[1]
    assert isinstance(mesh, SurfaceMesh)
    assert openness(mesh.blocks) > 0.15
    # Many ways are tried, from more than one place, and none of them twice.
    assert len(set(asked)) == len(asked) > 10


def test_tubes_on_both_sides_are_one_circle() -> None:
    both = [tube("t", 60, 100), tube("u", 60, 100), joint("t.start", "p"), joint("u.start", "p")]
    design = design_of(WALL, *both)
    plans = with_plans(design, Discretisation(1, 2)).plans
    assert plans[0].scheme is not None
    assert plans[0].scheme.nests == (Nest((0,)),)
    assert not welds_unfollowed(design, plans)


def test_a_circle_that_reaches_over_a_rim_is_no_seam() -> None:
    design = design_of(WALL, tube("t", 60, 100, "180 mm"), joint("t.start", "p"))
    plans = with_plans(design, Discretisation(1, 2)).plans
    assert plans[0].scheme is not None
    assert plans[0].scheme.nests == ()
    assert list(itertools.chain(*(plan.cuts for plan in plans))) == []
