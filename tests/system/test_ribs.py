"""Ribs weld where they stand, wherever that is; what ends inside a wall states its error."""

from dataclasses import replace

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.system.assembly import bodies_of
from belltone.system.constraints import hinged_tie, mean_motion
from belltone.system.division import mesh_bodies, welds_unfollowed, with_plans
from belltone.system.joints import meeting_of
from tests.assemblies import design_of, frequencies_at, held, joint, modes_at, plate

COARSE = Discretisation(1, 4)
PLATE = plate("p", 300, 200, (0, 0, 0)) + held("p.outline")


def rib(start: tuple[float, float], stop: tuple[float, float], section: str) -> str:
    ends = [f'{{ at = ["{x} mm", "{y} mm"] }}' for x, y in (start, stop)]
    return (
        f'[parts.rib]\nkind = "rib"\non = "p"\nmaterial = "steel"\nfrom = {ends[0]}\n'
        f'to = {ends[1]}\nsection = {{ shape = "solid rectangle", {section} }}\n'
    )


SMALL = 'width = "5 mm", height = "5 mm"'


@pytest.fixture(scope="module")
def bare() -> np.ndarray:
    return modes_at(design_of(PLATE), ModeRequest(3, None, 1e-2), COARSE).flexible


@pytest.mark.parametrize(
    ("start", "stop"),
    [
        ((-100, 0), (100, 0)),  # as long as the short edges, and between them
        ((0, -90), (0, 90)),
        ((-145, 30), (145, 30)),
        ((-60, -97), (60, -97)),  # beside an edge that is longer
        ((-150, 0), (150, 0)),
        ((-50, -50), (50, 60)),
        ((20, 10), (60, 10)),
    ],
)
def test_a_rib_stiffens_the_plate_it_stands_on(
    bare: np.ndarray, start: tuple[float, float], stop: tuple[float, float]
) -> None:
    """It can take away no more than its mass does, and never has modes of its own far below."""
    design = design_of(PLATE, rib(start, stop, SMALL))
    found = modes_at(design, ModeRequest(3, None, 1e-2), COARSE).flexible
    whole = 0.3 * 0.2 * 0.004
    added = 2.5e-5 * np.hypot(stop[0] - start[0], stop[1] - start[1]) / 1e3
    # All of its mass where the plate moves most: four times the mean of a clamped plate's mode.
    assert found[0] > bare[0] / np.sqrt(1 + 6 * added / whole)
    assert found[0] < 1.6 * bare[0]


def test_a_rib_is_the_same_as_a_plate_on_edge() -> None:
    """A stout rib across most of the plate, and the same as a wall that stands on its edge."""
    as_member = design_of(PLATE, rib((-100, 0), (100, 0), SMALL))
    wall = plate("w", 200, 5, (0, 0, 4.5), ', turn = ["90 deg", "0 deg", "0 deg"]')
    wall = wall.replace('thickness = "4 mm"', 'thickness = "5 mm"')
    as_wall = design_of(PLATE, wall, joint("w.south", "p"))
    fine = Discretisation(1, 5)
    one, two = (frequencies_at(design, fine, 3) for design in (as_member, as_wall))
    assert one == pytest.approx(two, rel=6e-3)


def test_a_free_plate_with_a_rib_inside_agrees_with_ritz() -> None:
    """A Ritz series of high order gives 70.51, 151.95 and 159.23 Hz; the error stated covers it."""
    text = plate("p", 600, 400, (0, 0, 0)).replace('"4 mm"', '"5 mm"')
    text += rib((-200, 0), (200, 0), 'width = "6 mm", height = "30 mm"')
    found = solve_modes(design_of(text), ModeRequest(3, None, 1e-2), Discretisation(1, 5))
    exact = np.array([70.51, 151.95, 159.23])
    off = np.abs(found.flexible[:3] / exact - 1)
    assert off.max() < 8e-3
    # The reference has four digits.
    assert np.all(off < found.errors[found.rigid_count :][:3] + 1e-4)


def test_two_lapped_plates_on_two_spots() -> None:
    """In their plane spots hold as the discs they are: 88.2, 96.2 and 104.9 Hz (own series)."""
    low = plate("a", 500, 300, (0, 0, 0))
    high = plate("b", 400, 250, (0, 0, 3.5)).replace('"4 mm"', '"3 mm"')
    seats = '[sites.one]\npart = "a"\nat = ["-100 mm", "0 mm"]\n'
    seats += '[sites.two]\npart = "a"\nat = ["120 mm", "30 mm"]\n'
    spots = joint("a", "b", "spots", 'spots = ["one", "two"]\nradius = "10 mm"')
    design = design_of(low, high, seats, spots)
    found = frequencies_at(design, Discretisation(1, 6), 3)
    assert found == pytest.approx([88.2, 96.2, 104.9], rel=2e-3)


def test_the_mean_motion_of_a_disc_asks_nothing_of_drilling() -> None:
    design = design_of(plate("p", 300, 200, (0, 0, 0)))
    body = bodies_of(design, COARSE)[0]
    angles = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    # Off the middle of its ring, so that a turn of the ring moves the point.
    centre = np.array([0.02, 0.01, 0.0])
    ring = np.stack([0.01 * np.cos(angles), 0.01 * np.sin(angles), 0 * angles], axis=1)
    count = 6 * len(body.mesh.coordinates)
    rows = mean_motion(body.feet(ring), centre, count)
    assert np.abs(rows[:, 5::6].toarray()).max() < 1e-12
    turned = np.zeros((len(body.mesh.coordinates), 6))
    turned[:, 0], turned[:, 1] = -body.mesh.coordinates[:, 1], body.mesh.coordinates[:, 0]
    found = rows @ turned.ravel()
    assert found == pytest.approx([-centre[1], centre[0], 0, 0, 0, 1], abs=1e-9)


def test_a_hinge_ties_all_but_the_turn_about_its_edge() -> None:
    sides = plate("a", 250, 400, (-175, 0, 0)), plate("b", 350, 400, (125, 0, 0))
    design = design_of(*sides, joint("a.east", "b.west", "hinged"))
    bodies = {body.part.name: body for body in bodies_of(design, COARSE)}
    meeting = meeting_of(design.joints[0], bodies)[0]
    tie = hinged_tie(meeting.stations, meeting.feet, 10_000)
    for station in range(len(meeting.stations)):
        turns = tie.spatial[station, :, 3:]
        assert np.abs(turns @ [0, 1, 0]).max() < 1e-12  # about the edge, along y
        assert np.linalg.norm(turns @ [1, 0, 0]) == pytest.approx(1.0)  # across it


HOLE = 'holes = [{ name = "h", shape = "round", at = ["60 mm", "0 mm"], diameter = "60 mm" }]\n'
PIERCED = PLATE.replace("outline", f"{HOLE}outline", 1)
TALL = 'width = "4 mm", height = "20 mm"'


def beside(design: Design, start: tuple[float, float], stop: tuple[float, float]) -> float:
    """How far a rib is from the edges of its wall's elements, at the worst place of it (mm)."""
    wall = meshed(design)
    order = wall.order + 1
    grid = wall.connectivity.reshape(-1, order, order)
    edges = np.concatenate([grid[:, 0], grid[:, -1], grid[:, :, 0], grid[:, :, -1]])
    first, last = (1e3 * wall.coordinates[end.ravel(), :2] for end in (edges[:, :-1], edges[:, 1:]))
    shares = np.linspace(0.01, 0.99, 41)[:, None]
    points = start + shares * np.subtract(stop, start)
    run = last - first
    share = np.einsum("nmd,md->nm", points[:, None] - first, run) / np.sum(run**2, axis=1)
    feet = first + np.clip(share, 0, 1)[..., None] * run
    return float(np.linalg.norm(points[:, None] - feet, axis=2).min(axis=1).max())


def meshed(design: Design, level: Discretisation = COARSE) -> SurfaceMesh:
    mesh = {part.name: mesh for part, mesh in mesh_bodies(design, level)}["p"]
    assert isinstance(mesh, SurfaceMesh)
    return mesh


@pytest.mark.parametrize("wall", [PLATE, PIERCED])
@pytest.mark.parametrize(
    ("start", "stop"),
    [
        ((-100, -60), (100, -60)),  # along the sides
        ((-100, -60), (10, 40)),  # across the grain
        ((-100, -70), (110, -45)),  # close to a rim
        ((20, 75), (110, 75)),
    ],
)
def test_elements_end_along_a_rib_that_ends_inside(
    wall: str, start: tuple[float, float], stop: tuple[float, float]
) -> None:
    design = design_of(wall, rib(start, stop, TALL))
    assert beside(design, start, stop) < 0.02
    plans = with_plans(design, COARSE).plans
    assert not welds_unfollowed(design, plans)
    # At its ends elements are at most three times as large as wanted, twice the thickness.
    mesh = meshed(design)
    for end in (start, stop):
        near = np.linalg.norm(1e3 * mesh.coordinates[:, :2] - end, axis=1).argmin()
        element = np.flatnonzero((mesh.connectivity == near).any(axis=1))
        corners = 1e3 * mesh.coordinates[mesh.connectivity[element]][:, [0, 4, 24, 20]]
        sides = np.linalg.norm(np.diff(corners, axis=1), axis=2)
        assert sides.max() < 1.5 * 3 * 8


def test_ribs_that_cross_are_followed_where_they_do() -> None:
    ends = [((-110, -60), (90, 50)), ((-90, 60), (60, -70))]
    ribs = [rib(*each, TALL).replace("parts.rib", f"parts.r{n}") for n, each in enumerate(ends)]
    design = design_of(PLATE, *ribs)
    assert max(beside(design, *each) for each in ends) < 0.02


def test_a_rib_that_ends_inside_takes_few_elements_and_states_its_error() -> None:
    """The same blocks with elements of the next order are the judge."""
    text = plate("p", 500, 300, (0, 0, 0)).replace('"4 mm"', '"3 mm"') + held("p.outline")
    text += rib((-180, -80), (150, 60), 'width = "4 mm", height = "25 mm"')
    found = solve_modes(design_of(text), ModeRequest(4, None, 5e-3))
    used = found.discretisation
    judge = frequencies_at(design_of(text), replace(used, order=used.order + 1), 4)
    assert found.unknowns < 20_000
    off = np.abs(found.flexible[:4] / judge - 1)
    assert np.all(off < found.errors[:4])
    assert np.all(found.errors[:4] <= 5e-3)


@pytest.mark.parametrize(
    ("start", "stop"),
    [
        ((-150, -60), (150, -60)),  # beside the hole
        ((-150, -80), (150, 70)),  # across it
        ((-150, 0), (150, 0)),
    ],
)
def test_a_rib_from_rim_to_rim_states_its_error(
    start: tuple[float, float], stop: tuple[float, float]
) -> None:
    """As told from one order to the next it is a fifth of what it is where nothing follows it."""
    design = design_of(PIERCED, rib(start, stop, TALL))
    plans = with_plans(design, COARSE).plans
    assert not welds_unfollowed(design, plans)
    rough, fine = (
        solve_modes(design, ModeRequest(3, None, 1e-2), Discretisation(1, order, plans))
        for order in (3, 4)
    )
    off = np.abs(rough.flexible[:3] / fine.flexible[:3] - 1)
    assert np.all(off < rough.errors[:3])
    assert np.all(fine.errors[:3] < rough.errors[:3])


def test_nothing_joins_a_rib_over_a_hole() -> None:
    design = design_of(PIERCED, rib((-150, 10), (150, 10), TALL))
    bodies = {body.part.name: body for body in bodies_of(design, COARSE)}
    met = meeting_of(next(j for j in design.joints if "rib" in j.parts), bodies)[0]
    away = np.linalg.norm(met.feet.positions[:, :2] - [0.06, 0.0], axis=1)
    assert away.min() == pytest.approx(0.03, abs=1e-5)
    beside = met.stations.positions[:, :2] - met.feet.positions[:, :2]
    assert np.abs(beside).max() < 1e-5


def test_a_mesh_made_along_a_rib_follows_it_until_it_no_longer_can() -> None:
    """The same blocks for a rib that has moved; where it is no longer inside, others."""
    design = design_of(PIERCED, rib((-100, -60), (10, 40), TALL))
    planned = with_plans(design, COARSE)
    for step in (2.0, -4.0):
        ends = (-100 + step, -60), (10 + step, 40 - step)
        moved = design_of(PIERCED, rib(*ends, TALL))
        meshes = [meshed(each, planned) for each in (design, moved)]
        blocks = [[block.vertices for block in mesh.blocks.blocks] for mesh in meshes]
        assert blocks[0] == blocks[1]
        assert beside(moved, *ends) < 0.02
    gone = design_of(PIERCED, rib((-150, -60), (150, -60), TALL))
    assert len(list(mesh_bodies(gone, planned))) == 2
