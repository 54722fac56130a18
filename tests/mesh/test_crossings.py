"""Ribs end their elements where those of their walls end."""

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as some

from belltone.design.parts import MemberValue
from belltone.mesh.crossings import crossings
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.feet import ElementFinder
from belltone.mesh.surface import SurfaceMesh
from belltone.system.division import mesh_bodies
from tests.assemblies import design_of, plate

HOLE = 'holes = [{ name = "h", shape = "round", at = ["60 mm", "0 mm"], diameter = "60 mm" }]\n'
PIERCED = plate("p", 300, 200, (0, 0, 0)).replace("outline", f"{HOLE}outline", 1)


def away(wall: SurfaceMesh, element: int, places: np.ndarray) -> np.ndarray:
    """How far places over a flat wall are from one of its elements, in its plane (m)."""
    finder = ElementFinder(wall.coordinates[wall.connectivity[[element]]], wall.order)
    return np.linalg.norm((places - finder.nearest(places)[2])[:, :2], axis=1)


@example((-30.0, -0.5), (95.0, 0.0))
@settings(max_examples=12, deadline=None)
@given(
    some.tuples(some.floats(-145, -30), some.floats(-95, 95)),
    some.tuples(some.floats(95, 145), some.floats(-95, 95)),
)
def test_where_it_passes_to_another_element_it_is_divided(
    start: tuple[float, float], stop: tuple[float, float]
) -> None:
    """On the wall, that is: over the hole it stays in one piece."""
    rim = [f'{{ at = ["{x} mm", "{y} mm"] }}' for x, y in (start, stop)]
    text = (
        f'[parts.r]\nkind = "rib"\non = "p"\nmaterial = "steel"\nfrom = {rim[0]}\nto = {rim[1]}\n'
        'section = { shape = "solid rectangle", width = "4 mm", height = "20 mm" }\n'
    )
    design = design_of(PIERCED, text)
    member = design.part_of("r")
    assert isinstance(member, MemberValue)
    wall = next(mesh for _, mesh in mesh_bodies(design, Discretisation(1, 4)))
    assert isinstance(wall, SurfaceMesh)
    found = np.array(crossings(member, wall)) / member.length
    shares = np.linspace(0.0, 1.0, 601)
    places, tangents, ups = member.path.at(shares)
    # A hair to its side, for where it runs along the sides of elements.
    element, _, feet = wall.locate_points(places + 3e-7 * np.cross(ups, tangents))
    over = np.linalg.norm((places - feet)[:, :2], axis=1) < 2e-6
    passes = np.flatnonzero((np.diff(element) != 0) & over[:-1] & over[1:])
    ends = np.concatenate([[0.0], found, [1.0]])
    for at in passes.tolist():
        near = ends[(ends > shares[at] - 0.01) & (ends < shares[at + 1] + 0.01)]
        assert len(near)
        divided = member.path.at(near)[0]
        # The one it leaves ends there, and the one it comes to; a third may lie between.
        for each in element[[at, at + 1]].tolist():
            assert away(wall, each, divided).min() < 2e-5
    inside = np.linalg.norm(member.path.at(found)[0][:, :2] - [0.06, 0.0], axis=1)
    assert inside.min() > 0.0299
