"""Narrow elements where curved walls bend beside an edge: where they stand, and what they bring."""

from __future__ import annotations

import math

import numpy as np
import pytest
from verification.walls import plate, rectangle, shell, wall

from belltone.design.parts import SurfaceValue
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.surface_division import surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.modes.climb import Climb
from belltone.modes.level import planned
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.conftest import STEEL, held

THICK = 0.0015
LAYER = 2.5 * math.sqrt(0.12 * THICK)
TUBE = '{ at = ["120 mm", "0 mm"] }, { at = ["120 mm", "500 mm"] }'
FOLDED = TUBE + ', { at = ["200 mm", "500 mm"] }'
FLANGED = f"""
belltone = 1
{STEEL}
[modes]
count = 2
[parts.tube]
kind = "revolved"
material = "steel"
thickness = "1.5 mm"
profile = [{FOLDED}]
{held("tube.start", '"clamped"')}"""
WELDED = (
    FLANGED.replace(FOLDED, TUBE)
    + """
[parts.flange]
kind = "plate"
material = "steel"
thickness = "1.5 mm"
outline = { shape = "ring", diameter = "400 mm", bore = "240 mm" }
placement = { at = ["0 mm", "0 mm", "500 mm"] }
[[joints]]
between = [SIDES]
how = "welded"
"""
)
FIRST = 164.566
"""Hz; settled to five digits at 24 000 unknowns. Elements as long as the tube told 169.9."""


def revolved(profile: str) -> SurfaceValue:
    return wall(shell("revolved", profile, THICK))


def ends_along(value: SurfaceValue, joined: tuple[str, ...] = ()) -> list[float]:
    """Where elements of the tube end, from its far end back (m)."""
    mesh = surface_mesh(value, Discretisation(1, 2), plan_surface(value, joined=joined))
    corners = mesh.coordinates[mesh.connectivity[:, [0, 2, 6, 8]]].reshape(-1, 3)
    on_tube = np.abs(np.hypot(*corners[:, :2].T) - 0.12) < 1e-9
    return sorted({round(0.5 - float(z), 6) for z in corners[on_tube, 2]})


def test_elements_beside_a_fold_are_as_long_as_the_layer() -> None:
    # Behind the narrow one that shows the shear at an edge.
    ends = ends_along(revolved(FOLDED))
    assert ends[2] - ends[1] == pytest.approx(LAYER, abs=2e-6)


def test_the_flat_side_of_a_fold_needs_none() -> None:
    value = revolved(FOLDED)
    assert len(plan_surface(value).towards) == 1


def test_a_tight_bend_counts_as_a_fold_and_a_wide_one_does_not() -> None:
    def towards(bend: str) -> int:
        profile = FOLDED.replace('"500 mm"] },', f'"500 mm"], bend = "{bend}" }},', 1)
        return len(plan_surface(revolved(profile)).towards)

    assert towards("4 mm") == 1
    assert towards("40 mm") == 0


def test_an_edge_has_a_layer_where_it_is_joined() -> None:
    tube = revolved(TUBE)
    assert plan_surface(tube).towards == ()
    ends = ends_along(tube, ("end",))
    assert ends[2] - ends[1] == pytest.approx(LAYER, abs=2e-6)


@pytest.mark.parametrize(
    "flat",
    [
        plate(rectangle(0.4, 0.3), THICK),
        shell(
            "extruded",
            '{ at = ["-80 mm", "60 mm"] }, { at = ["-80 mm", "0 mm"] }, { at = ["80 mm", "0 mm"] }',
            THICK,
            'length = "600 mm"',
        ),
    ],
    ids=["plate", "straight fold"],
)
def test_flat_walls_have_none(flat: str) -> None:
    value = wall(flat)
    assert plan_surface(value, joined=("start", "end", "outline")).towards == ()


def test_a_plan_keeps_its_elements_in_longer_and_shorter_neighbours() -> None:
    """Counted anew for each length, they would jump half way over the tube as one grows more."""
    plan = plan_surface(revolved(TUBE), joined=("start", "end"))
    longer = np.linspace(380, 640, 131)
    meshes = [
        surface_mesh(
            revolved(TUBE.replace('"500 mm"', f'"{length} mm"')), Discretisation(1, 2), plan
        )
        for length in longer
    ]
    along = np.array(
        [mesh.coordinates[:, 2] / length for mesh, length in zip(meshes, longer, strict=True)]
    )
    assert len({mesh.counted for mesh in meshes}) == 1
    assert np.abs(np.diff(along, axis=0)).max() < 2e-3 / 500


def test_the_modes_of_a_flange_are_right_on_few_elements() -> None:
    design = evaluate(Sheet.from_text(FLANGED))
    found = solve_modes(design, request_for(design))
    assert found.flexible[0] == pytest.approx(FIRST, rel=found.errors[0])
    assert found.unknowns < 6000


@pytest.mark.parametrize("sides", ['"tube.end", "flange.bore"', '"tube", "flange"'])
def test_a_welded_flange_is_like_a_folded_one(sides: str) -> None:
    design = evaluate(Sheet.from_text(WELDED.replace("SIDES", sides)))
    climb = Climb(design, request_for(design), Progress())
    found = climb.at(planned(design, Discretisation(1, 5)), told=False).modes
    assert found.flexible[0] == pytest.approx(FIRST, rel=1e-3)
