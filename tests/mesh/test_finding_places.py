"""The block of a wall a place of its chart falls on."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from verification.walls import plate, wall

from belltone.mesh import blocks
from belltone.mesh.blocks import Blocks, find_place
from belltone.mesh.surface_plan import plan_surface, surface_blocks

SCALE = np.ones(2)
CORNERS = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


def disc() -> Blocks:
    """A square core with four blocks round it."""
    value = wall(plate('shape = "disc", diameter = "200 mm"', 0.004))
    return surface_blocks(value, plan_surface(value).scheme)


DISC = disc()


@given(st.floats(0, 0.0999), st.floats(0, 2 * np.pi))
def test_a_place_is_found_where_its_block_has_it(radius: float, angle: float) -> None:
    target = radius * np.array([np.cos(angle), np.sin(angle)])
    number, u, v = find_place(DISC.blocks, 0, target, SCALE)
    assert min(u, v) >= 0
    assert max(u, v) <= 1
    there = DISC.blocks[number].chart(np.array([u]), np.array([v]))[0]
    assert there == pytest.approx(target, abs=1e-9)


def test_a_place_inside_a_block_is_looked_for_on_that_alone(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    looked = 0

    def counted(*parts: object) -> tuple[float, float, float]:
        nonlocal looked
        looked += 1
        return place_on(*parts)  # type: ignore[arg-type]

    place_on = blocks.place_on
    monkeypatch.setattr(blocks, "place_on", counted)
    for block in DISC.blocks:
        place = block.chart(np.array([0.3]), np.array([0.6]))[0]
        assert DISC.blocks[find_place(DISC.blocks, 0, place, SCALE)[0]] is block
    assert looked == len(DISC.blocks)


def test_of_blocks_that_share_a_place_the_first_has_it() -> None:
    for block in DISC.blocks:
        for vertex, (u, v) in zip(block.vertices, CORNERS, strict=True):
            first = min(n for n, each in enumerate(DISC.blocks) if vertex in each.vertices)
            place = block.chart(np.array([u]), np.array([v]))[0]
            assert find_place(DISC.blocks, 0, place, SCALE)[0] == first
