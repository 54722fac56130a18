"""Joints between parts: what touches, what ties them, and what that does to the modes."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.system.assembly import Assembly, assemble, bodies_of
from belltone.system.contacts import contacts
from belltone.system.division import with_plans
from belltone.system.joints import JointError, meeting_of, touching
from belltone.system.rigid import sheet_motions
from tests.assemblies import (
    design_of,
    findings,
    frequencies_at,
    held,
    joint,
    member,
    modes_of,
    plate,
)

WHOLE = plate("p", 600, 400, (0, 0, 0)) + held("p.west")
LEFT = plate("a", 250, 400, (-175, 0, 0)) + held("a.west")
RIGHT = plate("b", 350, 400, (125, 0, 0))
LEVEL = Discretisation(1, 4)


def assembled(design: Design, order: int) -> Assembly:
    return Assembly(design, with_plans(design, Discretisation(1, order)))


@pytest.fixture(scope="module")
def whole() -> np.ndarray:
    return modes_of(WHOLE, count=6).flexible


@pytest.mark.parametrize("sides", [("a", "b"), ("a.east", "b.west"), ("b.west", "a")])
def test_a_cut_plate_welded_is_the_whole_one(whole: np.ndarray, sides: tuple[str, str]) -> None:
    """The meshes on both sides of the cut do not match: three elements stand against two."""
    found = modes_of(LEFT, RIGHT, joint(*sides), count=6)
    assert found.rigid_count == 0
    assert found.flexible == pytest.approx(whole, rel=1e-3)


def test_a_bracket_of_three_plates_is_one_folded_shell() -> None:
    folded = """
[parts.p]
kind = "extruded"
material = "steel"
thickness = "4 mm"
length = "300 mm"
profile = [
  { at = ["0 mm", "0 mm"] }, { at = ["200 mm", "0 mm"] },
  { at = ["200 mm", "150 mm"] }, { at = ["80 mm", "150 mm"] },
]
"""
    turned = ', turn = ["90 deg", "0 deg", "0 deg"]'
    base = plate("base", 300, 200, (150, 100, 0))
    wall = plate("wall", 300, 150, (150, 200, 75), turned)
    top = plate("top", 300, 120, (150, 140, 150))
    joints = joint("base", "wall") + joint("wall", "top")
    one = modes_of(folded, held("p.first side"), count=6).flexible
    three = modes_of(base, wall, top, joints, held("base.south"), count=6).flexible
    assert three == pytest.approx(one, rel=2e-3)


def test_nothing_decided_is_not_joined() -> None:
    system = assemble(design_of(LEFT, RIGHT), LEVEL)
    assert len(system.rigid_names) == 6
    assert all(name.startswith("“b” ") for name in system.rigid_names)
    none = assemble(design_of(LEFT, RIGHT, joint("a", "b", "none")), LEVEL)
    assert none.rigid_names == system.rigid_names


def test_a_hinge_turns_about_its_edge_and_is_named() -> None:
    design = design_of(LEFT, RIGHT, joint("a.east", "b.west", "hinged"))
    system = assemble(design, LEVEL)
    assert system.rigid_names == (
        "mechanism: “b” turns about y, let by the joint “a.east – b.west”",
    )
    forces = np.asarray(system.stiffness @ system.rigid)
    assert np.abs(forces).max() < 1e-7 * abs(system.stiffness).max()


def test_a_hinge_that_swings_against_a_stop_is_held() -> None:
    pieces = (LEFT, RIGHT, joint("a.east", "b.west", "hinged"), held("b.east", '["z"]'))
    assert assemble(design_of(*pieces), LEVEL).rigid_names == ()


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_a_pin_leaves_its_own_axis_free(axis: str) -> None:
    arm = member("arm", (0, 0, 0), (300, 0, 0))
    post = member("post", (0, 0, -400), (0, 0, 0))
    pin = joint("arm.start", "post.end", "hinged", f'axis = "{axis}"')
    system = assemble(design_of(post, arm, pin, held("post.start")), LEVEL)
    assert len(system.rigid_names) == 1
    assert f"“arm” turns about {axis}" in system.rigid_names[0]


def test_a_ball_leaves_three() -> None:
    arm = member("arm", (0, 0, 0), (300, 0, 0))
    post = member("post", (0, 0, -400), (0, 0, 0))
    ball = joint("arm.start", "post.end", "hinged")
    system = assemble(design_of(post, arm, ball, held("post.start")), LEVEL)
    assert len(system.rigid_names) == 3


def test_springs_reach_from_nothing_to_a_weld(whole: np.ndarray) -> None:
    """Frequencies rise with every spring, from those of loose parts to those of one plate."""
    last = np.zeros(4)
    for power in (-2, 1, 4, 7, 12):
        stiff = 10.0**power
        springs = ", ".join(f'{axis} = "{stiff * 1e3} N/m"' for axis in "xyz")
        turning = ", ".join(f'{axis} = "{stiff} N*m/rad"' for axis in "xyz")
        extra = f"springs = {{ {springs} }}\nturning_springs = {{ {turning} }}"
        design = design_of(LEFT, RIGHT, joint("a.east", "b.west", "sprung", extra))
        assert assemble(design, LEVEL).rigid_names == ()
        found = frequencies_at(design, LEVEL, 4)
        assert np.all(found >= last * (1 - 1e-6))
        last = found
    assert last == pytest.approx(whole[:4], rel=2e-3)
    # So weak that a part hangs on them: its mass bounces on the whole joint's spring.
    weak = 'springs = { x = "1000 N/m", y = "1000 N/m", z = "1000 N/m" }\n'
    weak += 'turning_springs = { x = "100 N*m/rad", y = "100 N*m/rad", z = "100 N*m/rad" }'
    hanging = design_of(LEFT, RIGHT, joint("a.east", "b.west", "sprung", weak))
    mass = 0.35 * 0.4 * 0.004 * 7850
    bounce = np.sqrt(1000 / mass) / (2 * np.pi)
    assert np.min(np.abs(frequencies_at(hanging, LEVEL, 6) / bounce - 1)) < 2e-2


def test_a_sprung_joint_may_hold_some_directions() -> None:
    extra = 'springs = { z = "1e6 N/m" }\nhold = ["x", "y", "turn x", "turn y", "turn z"]'
    system = assemble(design_of(LEFT, RIGHT, joint("a.east", "b.west", "sprung", extra)), LEVEL)
    assert system.rigid_names == ()
    missing = extra.replace(', "turn y"', "")
    loose = assemble(design_of(LEFT, RIGHT, joint("a.east", "b.west", "sprung", missing)), LEVEL)
    # A line of springs along z still stops a turn about x, but none about the line itself.
    assert loose.rigid_names == (
        "mechanism: “b” turns about y, let by the joint “a.east – b.west”",
    )


SEATS = '[sites.one]\npart = "low"\nat = ["-30 mm", "0 mm"]\n'
SEATS += '[sites.two]\npart = "low"\nat = ["80 mm", "0 mm"]\n'
LAPPED = plate("low", 300, 200, (0, 0, 0)) + plate("high", 300, 200, (100, 0, 4)) + SEATS


def test_spots_join_less_than_a_weld_and_more_than_nothing() -> None:
    spots = joint("low", "high", "spots", 'spots = ["one", "two"]\nradius = "8 mm"')
    few = design_of(LAPPED, held("low.west"), spots)
    assert assemble(few, LEVEL).rigid_names == ()
    at_spots = frequencies_at(few, LEVEL, 1)
    wide = design_of(LAPPED, held("low.west"), spots.replace("8 mm", "30 mm"))
    at_wide = frequencies_at(wide, LEVEL, 1)
    welded = design_of(LAPPED, held("low.west"), joint("low", "high"))
    all_along = frequencies_at(welded, LEVEL, 1)
    assert at_spots[0] < at_wide[0] * 1.001
    assert at_spots[0] < all_along[0]
    assert at_spots[0] > 0.5 * all_along[0]


def test_one_spot_carries_all_six_motions() -> None:
    spot = joint("low", "high", "spots", 'spots = ["one"]\nradius = "8 mm"')
    assert assemble(design_of(LAPPED, held("low.west"), spot), LEVEL).rigid_names == ()


def test_a_post_stands_on_a_plate() -> None:
    """A member's end has an area on a wall: it is joined in all six motions, twist included."""
    post = member("post", (0, 0, 2), (0, 0, 300))
    floor = plate("floor", 400, 400, (0, 0, 0))
    design = design_of(floor, post, joint("post.start", "floor"), held("floor.outline"))
    assert assemble(design, LEVEL).rigid_names == ()
    found = solve_modes(design, ModeRequest(4, None, 2e-2))
    cantilever = modes_of(member("post", (0, 0, 2), (0, 0, 300)), held("post.start"), count=2)
    assert found.flexible[0] < cantilever.flexible[0]
    assert found.flexible[0] > 0.2 * cantilever.flexible[0]


def test_a_rigid_link_reaches_any_distance() -> None:
    """A body on a point linked to a bar's end is the same body with that offset."""
    bar = member("bar", (0, 0, 0), (500, 0, 0)) + held("bar.start")
    linked = '[sites.hub]\nposition = ["600 mm", "0 mm", "80 mm"]\nlinked_to = "bar.end"\n'
    hung = '[[masses]]\nsite = "{}"\nmass = "2 kg"\ninertia = "0.01 kg*m^2"\n{}'
    one = modes_of(bar, linked, hung.format("hub", ""), count=4, accuracy=1e-4)
    offset = 'offset = ["100 mm", "0 mm", "80 mm"]\n'
    two = modes_of(bar, hung.format("bar.end", offset), count=4, accuracy=1e-4)
    assert one.flexible == pytest.approx(two.flexible, rel=1e-8)
    assert one.kinds == two.kinds


def test_a_link_makes_an_edge_one_body() -> None:
    wall = plate("w", 300, 200, (0, 0, 0)) + held("w.west")
    linked = '[sites.hub]\nposition = ["200 mm", "0 mm", "0 mm"]\nlinked_to = "w.east"\n'
    hung = '[[masses]]\nsite = "{}"\nmass = "1 kg"\n{}'
    offset = 'offset = ["50 mm", "0 mm", "0 mm"]\n'
    one = solve_modes(
        design_of(wall, linked, hung.format("hub", "")), ModeRequest(3, None, 1e-2), LEVEL
    )
    two = solve_modes(
        design_of(wall, hung.format("w.east", offset)), ModeRequest(3, None, 1e-2), LEVEL
    )
    assert one.flexible == pytest.approx(two.flexible, rel=1e-7)


def test_touching_pairs_are_found_and_told_apart() -> None:
    far = plate("c", 100, 100, (0, 0, 60))
    near = plate("d", 100, 400, (354, 0, 0))
    decided = joint("a", "b")
    found = contacts(design_of(LEFT, RIGHT, far, near, decided))
    pairs = {(each.first, each.second): each for each in found}
    assert set(pairs) == {("a", "b"), ("b", "d")}
    welded = pairs[("a", "b")]
    assert welded.touches
    assert welded.decided
    assert welded.length == pytest.approx(0.4, rel=1e-6)
    missed = pairs[("b", "d")]
    assert not missed.touches
    assert missed.gap == pytest.approx(4e-3, rel=1e-6)
    assert not missed.decided


def test_parts_inside_each_others_thickness_touch() -> None:
    bodies = bodies_of(design_of(LAPPED), LEVEL)
    met = touching(bodies[0], bodies[1], 1e-4)
    assert met
    assert max(float(each.gaps.max()) for each in met) < 1e-9
    lifted = bodies_of(design_of(LAPPED.replace('"4 mm"]', '"4.5 mm"]')), LEVEL)
    assert not touching(lifted[0], lifted[1], 1e-4)
    assert touching(lifted[0], lifted[1], 6e-4)


def test_a_joint_of_parts_that_do_not_meet_is_refused() -> None:
    design = design_of(LEFT, plate("b", 350, 400, (135, 0, 0)), joint("a", "b"))
    with pytest.raises(JointError, match="are 10 mm apart, and it reaches over 1 mm"):
        assemble(design, LEVEL)
    with pytest.raises(JointError, match="joins nothing"):
        solve_modes(design, ModeRequest(2, None, 1e-2))
    wider = design_of(
        LEFT,
        plate("b", 350, 400, (135, 0, 0)),
        joint("a", "b", extra='tolerance = "12 mm"'),
    )
    assert assemble(wider, LEVEL).rigid_names == ()


def test_a_gap_just_as_wide_as_a_joint_reaches_over_is_joined() -> None:
    """Whatever rounding says: it would be told that 1 mm is wider than 1 mm."""
    across = ', turn = ["0 deg", "90 deg", "0 deg"]'
    floor = plate("floor", 30, 30, (0, 0, 0)).replace("4 mm", "1 mm")
    wall = plate("wall", 300, 30, (-15, 0, 151.5), across).replace("4 mm", "1 mm")
    assert assemble(design_of(floor, wall, joint("floor", "wall")), LEVEL).rigid.shape[1] == 6
    higher = wall.replace("151.5 mm", "151.501 mm")
    with pytest.raises(JointError, match="joins nothing"):
        assemble(design_of(floor, higher, joint("floor", "wall")), LEVEL)


def test_the_finer_side_follows_the_coarser() -> None:
    design = design_of(LEFT, RIGHT, joint("a.east", "b.west"))
    by_name = {body.part.name: body for body in bodies_of(design, LEVEL)}
    (met,) = meeting_of(design.joints[0], by_name)
    assert met.driving.part.name == "a"
    assert met.length == pytest.approx(1.0)
    assert met.stations.positions == pytest.approx(met.feet.positions, abs=1e-9)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (joint("a", "c"), "there is no site “c”"),
        (joint("a", "a.east"), "both sides are on the part “a”"),
        (joint("a", "b", "spots"), "the “radius” of spots must be greater than zero"),
        (joint("a", "b", "spots", 'radius = "5 mm"'), "name the points where the spots are"),
        (joint("a", "b", "spots", 'radius = "5 mm"\nspots = ["a.east"]'), "“a.east” is no point"),
        (joint("a", "b", "sprung"), "a sprung joint needs “springs”"),
        (joint("a", "b", "welded", 'springs = { x = "1 N/m" }'), "belong to a joint that is “spr"),
        (joint("a", "b", "welded", 'axis = "x"'), "only a hinge has an axis"),
        (joint("a", "b", "hinged", "axis = [0.0, 0.0, 0.0]"), "points nowhere"),
        (joint("a", "b", "welded", 'tolerance = "-1 mm"'), "must not be negative"),
        (joint("a", "b", "glued"), "“glued” is not one of"),
    ],
)
def test_what_is_wrong_with_a_joint_is_named(text: str, message: str) -> None:
    assert message in findings(LEFT, RIGHT, text)


@pytest.mark.parametrize(
    ("site", "message"),
    [
        ('position = ["0 m", "0 m", "0 m"]', "say which site it is rigidly “linked_to”"),
        ('part = "a"\nposition = ["0 m", "0 m", "0 m"]\nlinked_to = "a.east"', "give either the"),
        ('part = "a"\nat = ["0 m", "0 m"]\nlinked_to = "a.east"', "only a point with a “position”"),
        ('position = ["0 m", "0 m", "0 m"]\nlinked_to = "hub"', "cannot be linked to itself"),
        ('at = ["0 m", "0 m"]', "give the “part” it is on, or a “position” in space"),
    ],
)
def test_what_is_wrong_with_a_linked_point_is_named(site: str, message: str) -> None:
    assert message in findings(LEFT, f"[sites.hub]\n{site}\n")


def test_an_edge_that_leads_away_is_not_tied_by_its_last_bit() -> None:
    """Of walls that meet in a corner, what lies along each other is tied, and nothing beside it.

    The bottom of one wall is as near to the other as both are thick for its last bit. Tied there, a
    long element of the floor beside it was held as rigid all along, and rigid motions were lost.
    """
    up = ', turn = ["90 deg", "0 deg", "0 deg"]'
    across = ', turn = ["0 deg", "90 deg", "0 deg"]'
    floor = plate("floor", 98, 58, (50, 30, 1))
    west = plate("west", 39, 58, (1, 30, 20.5), across)
    south = plate("south", 98, 39, (50, 1, 20.5), up)
    joints = (joint("floor", "west"), joint("floor", "south"), joint("west", "south"))
    design = design_of(*(each.replace("4 mm", "2 mm") for each in (floor, west, south)), *joints)
    for order in (3, 4):
        assembly = assembled(design, order)
        for each in design.joints:
            (met,) = meeting_of(each, assembly.by_name)
            assert met.length == pytest.approx(1.0)
        free = assembly.free()
        moved = sheet_motions(assembly.coordinates - assembly.coordinates.mean(axis=0))
        assert np.abs(free.basis @ free.reduced(moved) - moved).max() < 1e-11


@given(
    some.lists(some.integers(30, 300), min_size=3, max_size=3),
    some.integers(1, 8),
    some.lists(some.sampled_from(("west", "east", "south", "north")), min_size=2, unique=True),
    some.booleans(),
)
@settings(max_examples=8)
def test_a_welded_box_moves_as_one(
    sizes: list[int], thick: int, names: list[str], pierced: bool
) -> None:
    """Whatever its walls and however thick: ties leave every rigid motion as it is."""
    length, width, height = sizes
    up = ', turn = ["90 deg", "0 deg", "0 deg"]'
    across = ', turn = ["0 deg", "90 deg", "0 deg"]'
    floor = plate("floor", length, width, (0, 0, 0))
    if pierced:
        across_it = f'diameter = "{min(length, width) / 4} mm"'
        hole = f'{{ name = "h", shape = "round", at = ["1 mm", "0 mm"], {across_it} }}'
        floor = floor.replace("outline", f"holes = [{hole}]\noutline", 1)
    walls = {
        "west": plate("west", height, width, (-length / 2, 0, height / 2), across),
        "east": plate("east", height, width, (length / 2, 0, height / 2), across),
        "south": plate("south", length, height, (0, -width / 2, height / 2), up),
        "north": plate("north", length, height, (0, width / 2, height / 2), up),
    }
    sides = [name for name in names if name in ("west", "east")]
    fronts = [name for name in names if name not in sides]
    joints = [joint("floor", name) for name in names]
    joints += [joint(*both) for both in itertools.product(sides, fronts)]
    own = f'thickness = "{thick} mm"'
    each = (floor, *map(walls.get, names))
    parts = (part.replace('thickness = "4 mm"', own) for part in each)
    assembly = assembled(design_of(*parts, *joints), 3)
    free = assembly.free()
    moved = sheet_motions(assembly.coordinates)
    assert np.abs(free.basis @ free.reduced(moved) - moved).max() < 1e-9
