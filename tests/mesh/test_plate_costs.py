"""What ways of cutting a plate cost, and that the cheaper one is chosen."""

from __future__ import annotations

import math

import numpy as np
import pytest

from belltone.design.parts import SurfaceValue
from belltone.desk.starts import starts
from belltone.geometry.shapes import Plate, Polygon, RoundHole
from belltone.mesh import plate_schemes
from belltone.mesh.blocks import BlockBuilder, Blocks
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.plate_blocks import openness, plate_blocks
from belltone.mesh.plate_costs import LAYER, cost
from belltone.mesh.plate_schemes import plate_scheme
from belltone.mesh.surface_division import surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet

THIN = 1e-4


def grid(columns: list[float], rows: list[float]) -> Blocks:
    builder = BlockBuilder()
    at = [[builder.point((x, y)) for x in columns] for y in rows]
    for j in range(len(rows) - 1):
        for i in range(len(columns) - 1):
            builder.quad(at[j][i], at[j][i + 1], at[j + 1][i + 1], at[j + 1][i])
    return builder.finish()


def test_it_counts_elements_beside_rims_and_takes_the_largest_block() -> None:
    blocks = grid([0, 0.1, 0.2, 0.3, 0.4], [0, 0.1, 0.2, 0.3, 0.35, 0.4])
    # A narrow element along each of four sides makes six by seven of four by five.
    assert cost(blocks, THIN) == pytest.approx(42 * (0.1**2 + 0.1**2) / 0.16)


def test_strips_as_narrow_as_the_layer_need_no_element_of_their_own() -> None:
    width = 0.9 * LAYER * 0.004
    places = [0, width, 0.1, 0.2, 0.3, 0.4 - width, 0.4]
    strips = grid(places, places)
    assert cost(strips, 0.004) == pytest.approx(36 * 2 * 0.1**2 / 0.16)
    assert cost(strips, THIN) == pytest.approx(64 * 2 * 0.1**2 / 0.16)


def test_blocks_that_would_be_divided_count_many_times() -> None:
    small = [0, 0.125, 0.25, 0.375, 0.5]
    large = [0, 0.25, 0.5]
    # Twice the size, with fewer elements, would cost less than twice as much.
    assert cost(grid(large, large), THIN) > 4 * cost(grid(small, small), THIN)


@pytest.fixture(scope="module")
def lid() -> SurfaceValue:
    text = next(start.text for start in starts() if start.title == "Inspection lid")
    (part,) = evaluate(Sheet.from_text(text)).solid_parts
    assert isinstance(part, SurfaceValue)
    return part


def test_a_lid_with_two_holes_is_cut_evenly(lid: SurfaceValue) -> None:
    """The coarsest cut has a block that is 180 mm across, and two elements across its strips."""
    mesh = surface_mesh(lid, Discretisation(1, 4), plan_surface(lid))
    assert len(mesh.connectivity) < 60
    corners = mesh.coordinates[mesh.connectivity]
    assert np.linalg.norm(np.ptp(corners, axis=1), axis=1).max() < 0.16


def hexagon(*holes: RoundHole) -> Plate:
    corners = tuple(
        (0.2 * math.cos(turn), 0.2 * math.sin(turn)) for turn in np.arange(6) * math.pi / 3
    )
    return Plate(Polygon(corners), holes)


HOLES = RoundHole("one", (0.04, 0.03), 0.04), RoundHole("two", (-0.08, -0.03), 0.025)


@pytest.mark.parametrize("plate", [hexagon(), hexagon(*HOLES)], ids=["plain", "two holes"])
def test_what_is_chosen_is_open_and_costs_less(
    plate: Plate, monkeypatch: pytest.MonkeyPatch
) -> None:
    thickness = 0.004
    chosen = plate_blocks(plate, plate_scheme(plate, thickness))
    plate_schemes.plate_scheme.cache_clear()
    monkeypatch.setattr(plate_schemes, "_COMPARED", ())
    first = plate_blocks(plate, plate_scheme(plate, thickness))
    plate_schemes.plate_scheme.cache_clear()
    assert openness(chosen) > 0.25
    assert cost(chosen, thickness) < 0.8 * cost(first, thickness)
