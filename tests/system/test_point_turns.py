"""Points of walls turn as the wall round them does, about its normal by how it slides."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from belltone.design.values import MassValue
from belltone.elements.directors import turns
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.spots import turn_by_slides, unit_disc
from belltone.modes.request import ModeRequest
from belltone.modes.solve import solve_modes
from belltone.system.assembly import Assembly
from belltone.system.constraints import site_rows
from belltone.system.lumps import lump_of
from belltone.system.pose import Pose
from belltone.vectors import cross
from tests.assemblies import design_of, held, joint, member, modes_of, plate

HEAVY = 'mass = "0.1 kg"\ninertia = ["10 kg*mm^2", "10 kg*mm^2", "0.01 kg*m^2"]\n'
VECTOR = st.lists(st.floats(-1.5, 1.5), min_size=3, max_size=3).map(np.array)
POINT = '[sites.a]\npart = "p"\nat = ["40 mm", "20 mm"]\n'
SPOTS = POINT + '[sites.b]\npart = "q"\nat = ["40 mm", "20 mm"]\n'


def test_what_turns_on_a_spot_in_the_plane_of_a_wall_has_its_stiffness() -> None:
    """Shear alone carries a couple from a spot to a rim held round it.

    The couple grows like the fourth power of the distance from the middle of the spot, whose mean
    turn is 4/3 of that of its rim: ``C / (4 pi G t) (4 / (3 a²) - 1 / R²)``.
    """
    disc = plate("p", 120, 120, (0, 0, 0)).replace(
        'shape = "rectangle", width = "120 mm", height = "120 mm"',
        'shape = "disc", diameter = "120 mm"',
    )
    place = '[sites.a]\npart = "p"\nat = ["0 mm", "0 mm"]\n[[masses]]\nsite = "a"\n' + HEAVY
    found = modes_of(disc, held("p.rim"), place, count=1)
    shear = 200e9 / 2.6
    compliance = (4 / (3 * 0.002**2) - 1 / 0.06**2) / (4 * np.pi * shear * 0.004)
    expected = 1 / (2 * np.pi * np.sqrt(compliance * 0.01))
    assert found.flexible[0] == pytest.approx(expected, rel=2e-3 + found.errors[0])


@pytest.mark.parametrize("site", ["p.north-east", "a"])
def test_a_couple_at_a_point_is_answered(site: str) -> None:
    """Were a node's own turn what it acts on, it would give way the more, the finer the mesh."""
    place = f'{POINT}[[masses]]\nsite = "{site}"\n{HEAVY}'
    parts = plate("p", 120, 80, (0, 0, 0)), held("p.west"), place
    found = modes_of(*parts, count=3, accuracy=4e-2)
    design, level = design_of(*parts), found.discretisation
    finer = solve_modes(design, ModeRequest(3, None, 4e-2), replace(level, divisions=2))
    assert finer.flexible == pytest.approx(found.flexible, rel=found.errors.max())


@pytest.mark.parametrize(
    "parts",
    [
        (held("p.south-west"),),
        (held("p.west"), f'[[masses]]\nsite = "p.north-east"\n{HEAVY}'),
        (
            held("p.west"),
            member("m", (150, -100, 0), (150, -100, 120)),
            joint("p.south-east", "m.start"),
        ),
    ],
    ids=["clamped", "with a body", "with a post"],
)
def test_blocks_lead_down_to_a_corner_that_is_turned(parts: tuple[str, ...]) -> None:
    """There the wall bends about as sharply as round a disc; it took five to fifteen times this."""
    found = modes_of(plate("p", 300, 200, (0, 0, 0)), *parts, count=4, accuracy=5e-3)
    assert found.unknowns < 6_000


CONE = """
[parts.c]
kind = "revolved"
material = "steel"
thickness = "4 mm"
profile = [ { at = ["40 mm", "0 mm"] }, { at = ["90 mm", "80 mm"] } ]
[sites.a]
part = "c"
profile = "50 mm"
around = "20 deg"
[[masses]]
site = "a"
"""


@pytest.mark.parametrize(
    "parts",
    [
        (plate("p", 300, 200, (0, 0, 0)), plate("q", 99, 80, (0, 0, 4)), SPOTS, joint("a", "b")),
        (plate("p", 300, 200, (0, 0, 0)), f'[[masses]]\nsite = "p.south-west"\n{HEAVY}'),
        (CONE + HEAVY,),
        (
            plate("p", 300, 200, (0, 0, 0)),
            plate("q", 99, 80, (-110, 0, 4)),
            '[sites.a]\npart = "p"\nat = ["-149 mm", "20 mm"]\n',
            '[sites.b]\npart = "q"\nat = ["-39 mm", "20 mm"]\n',
            joint("a", "b"),
        ),
    ],
    ids=["two plates", "corner", "cone", "over a rim"],
)
def test_moving_as_one_costs_nothing(parts: tuple[str, ...]) -> None:
    found = solve_modes(design_of(*parts), ModeRequest(3, None, 1e-2), Discretisation(1, 3))
    assert found.rigid_count == 6


@pytest.fixture(scope="module")
def whole() -> Assembly:
    """A plate with a place on it."""
    return Assembly(design_of(plate("p", 300, 200, (0, 0, 0)), POINT), Discretisation(1, 3))


@given(VECTOR, VECTOR, st.sampled_from(["a", "p.south-west"]))
def test_what_has_moved_as_one_has_turned_as_much_everywhere(
    whole: Assembly, turn: NDArray[np.float64], speed: NDArray[np.float64], name: str
) -> None:
    """Both what a place has turned by, and how fast it turns from there on."""
    (rotation,) = turns(turn[None])
    site = whole.by_name["p"].site(whole.design.places[name])
    made = whole.coordinates
    now = made @ rotation.T
    pose = Pose(now - made, np.broadcast_to(rotation, (len(made), 3, 3)))
    rows = site_rows(site, np.eye(6), False, whole.size, pose).toarray()
    assert rows[3:, -1] == pytest.approx(turn, abs=1e-9)
    motion = np.hstack([cross(speed, now), np.broadcast_to(speed, now.shape)]).ravel()
    assert rows[3:, :-1] @ motion == pytest.approx(speed, abs=1e-9)


@given(VECTOR)
def test_what_hangs_on_a_place_goes_where_the_wall_does(
    whole: Assembly, turn: NDArray[np.float64]
) -> None:
    """Also where the nodes' own turns about the normal, which hold nothing, say otherwise."""
    rotation, aside = turns(np.array([turn, [0.0, 0.0, 1e-3]]))
    made = whole.coordinates
    pose = Pose(made @ rotation.T - made, np.broadcast_to(rotation @ aside, (len(made), 3, 3)))
    hung = MassValue(
        name="motor",
        place=whole.design.places["a"],
        even=False,
        mass=0.1,
        inertia=(1e-5, 1e-5, 1e-2),
        offset=(0.01, 0.02, 0.03),
    )
    lump = lump_of(hung, whole.by_name["p"].site(hung.place))
    directors = lump.directors(pose)[0, 0]
    assert pytest.approx(rotation, abs=1e-8) == directors.T
    assert lump.positions(pose)[0, 0] == pytest.approx(rotation @ [0.04, 0.02, 0.0], abs=1e-8)


@given(st.floats(-1, 1), st.integers(1, 3))
def test_a_turn_is_that_of_all_slides_together(turn: float, closer: int) -> None:
    places = np.column_stack([unit_disc(closer), np.zeros(len(unit_disc(closer)))])
    axis = np.array([0.0, 0.0, 1.0])
    slides = turn * cross(axis, places) + np.array([0.3, -0.2, 0.1])
    # Stretching all ways turns nothing.
    slides += 0.5 * places
    assert np.sum(turn_by_slides(places, axis) * slides) == pytest.approx(turn, abs=1e-12)
