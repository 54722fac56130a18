"""Ribs end their elements where those of their walls end."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as some

from belltone.design.parts import MemberValue
from belltone.mesh.crossings import crossings
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.surface import SurfaceMesh
from belltone.system.division import mesh_bodies
from tests.assemblies import design_of, plate

HOLE = 'holes = [{ name = "h", shape = "round", at = ["60 mm", "0 mm"], diameter = "60 mm" }]\n'
PIERCED = plate("p", 300, 200, (0, 0, 0)).replace("outline", f"{HOLE}outline", 1)


@settings(max_examples=12, deadline=None)
@given(
    some.tuples(some.floats(-145, -30), some.floats(-95, 95)),
    some.tuples(some.floats(95, 145), some.floats(-95, 95)),
)
def test_where_it_passes_to_another_element_it_is_divided(
    start: tuple[float, float], stop: tuple[float, float]
) -> None:
    """On the wall, that is: over the hole it stays in one piece."""
    ends = [f'{{ at = ["{x} mm", "{y} mm"] }}' for x, y in (start, stop)]
    text = (
        f'[parts.r]\nkind = "rib"\non = "p"\nmaterial = "steel"\nfrom = {ends[0]}\nto = {ends[1]}\n'
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
    element, _, feet = wall.locate_points(places + 1e-6 * np.cross(ups, tangents))
    over = np.linalg.norm((places - feet)[:, :2], axis=1) < 2e-6
    passes = (np.diff(element) != 0) & over[:-1] & over[1:]
    passes[[0, -1]] = False  # at its ends it is divided anyway
    for low, high in zip(shares[:-1][passes], shares[1:][passes], strict=True):
        assert np.any((found > low - 1e-5) & (found < high + 1e-5))
    inside = np.linalg.norm(member.path.at(found)[0][:, :2] - [0.06, 0.0], axis=1)
    assert inside.min() > 0.0299
