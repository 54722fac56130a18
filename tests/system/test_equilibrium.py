"""Loaded states: balance, quadratic convergence, turned frames, circles, snaps, joints, meshes."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from verification.walls import Array

from belltone.mesh.discretisation import Discretisation
from belltone.modes.loaded import loaded
from belltone.progress import Cancelled, Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system import load_path as module
from belltone.system.assembly import Assembly
from belltone.system.balance import BuckledError, Equilibrium, UnbalancedError
from belltone.system.buckling import buckling
from belltone.system.equilibrium import equilibrium
from belltone.system.lanczos import lowest_modes
from belltone.system.load_path import LoadPath
from tests.assemblies import design_of, joint, member, text_of
from tests.assemblies import plate as small_plate
from tests.modes.test_preload_references import (
    BOTH,
    CLAMPED,
    HEAT,
    IN_PLANE,
    LARGE,
    PINNED,
    SMALL,
    beam,
    force,
    held,
    material,
)

STRIP = 200e9 * 0.02 * 0.005**3 / 12  # N m²


def state(text: str, divisions: int = 4, order: int = 5) -> tuple[Assembly, Equilibrium]:
    design = evaluate(Sheet.from_text(text))
    assert design.preload is not None
    assembly = Assembly(design, Discretisation(divisions, order))
    return assembly, equilibrium(assembly, design.preload, Progress())


def frequencies(found: Equilibrium, count: int = 4) -> Array:
    system = found.system
    pairs = lowest_modes(system.stiffness, system.mass, system.rigid, count)
    return np.sqrt(pairs.values) / (2 * math.pi)


def cantilever(preload: str, plane: bool = True) -> str:
    supports = held("b.start", CLAMPED) + (IN_PLANE if plane else "")
    return beam("20 mm", "5 mm", supports, preload)


@pytest.fixture
def to_the_end(monkeypatch: pytest.MonkeyPatch) -> None:
    """Iterate on until nothing but rounding is left."""
    monkeypatch.setattr(module, "_STILL", 1e-13)
    monkeypatch.setattr(module, "_NEARLY", 1e-13)


@pytest.mark.usefixtures("to_the_end")
def test_newton_converges_quadratically() -> None:
    """The tangent is exact: each residual is about the square of the one before."""
    design = evaluate(Sheet.from_text(cantilever(LARGE + force("b.end", x=-2.0, z=-20.0))))
    assert design.preload is not None
    path = LoadPath(Assembly(design, Discretisation(3, 4)), design.preload, Progress())
    path.followed()
    for sizes in path.residuals:
        last = [size for size in sizes if size > 1e-9]
        orders = [
            math.log(after / now) / math.log(now / before)
            for before, now, after in zip(last, last[1:], last[2:], strict=False)
            if after < now < before
        ]
        assert max(orders, default=2.0) > 1.7


@pytest.mark.usefixtures("to_the_end")
def test_newton_converges_quadratically_on_a_wall_under_pressure() -> None:
    """A pressure that follows a surface held all round is conservative: its tangent is exact."""
    text = plate_text("0.2 bar", "large", 'thickness = "2 mm"')
    design = evaluate(Sheet.from_text(text))
    assert design.preload is not None
    path = LoadPath(Assembly(design, Discretisation(1, 3)), design.preload, Progress())
    path.followed()
    assert max(len(sizes) for sizes in path.residuals) <= 9
    sizes = path.residuals[-1]
    assert math.log(sizes[3] / sizes[2]) / math.log(sizes[2] / sizes[1]) > 1.6


def plate_text(pressure: str, deflection: str, thickness: str = 'thickness = "4 mm"') -> str:
    edges = "".join(held(f"wall.{edge}", CLAMPED) for edge in ("west", "east", "south", "north"))
    return f"""{material(7850)}
[parts.wall]
kind = "plate"
outline = {{ shape = "rectangle", width = "400 mm", height = "300 mm" }}
{thickness}
material = "steel"
{edges}
[preload]
deflection = "{deflection}"
[[preload.pressures]]
site = "wall.face"
pressure = "{pressure}"
on = "inner"
"""


@pytest.mark.parametrize(
    "text",
    [
        cantilever("{}" + force("b.end", x=1e-3, z=-1e-3)),
        plate_text("1 Pa", "{}"),
    ],
    ids=["member", "wall"],
)
def test_with_little_load_large_deflection_is_small_deflection(text: str) -> None:
    found = []
    for kind in ("small", "large"):
        words = text.replace("{}", f'[preload]\ndeflection = "{kind}"\n', 1)
        if text.startswith(material(7850)[:5]) and "[[preload.pressures]]" in text:
            words = text.replace('deflection = "{}"', f'deflection = "{kind}"')
        found.append(state(words, 2, 3)[1])
    small, large = found
    most = np.abs(small.motions[:, :3]).max()
    assert large.motions[:, :3] == pytest.approx(small.motions[:, :3], abs=2e-5 * most)
    assert frequencies(large) == pytest.approx(frequencies(small), rel=1e-6)


def test_an_end_moment_rolls_a_strip_into_a_circle() -> None:
    moment = (
        f'[[preload.forces]]\nsite = "b.end"\nmoment = ["0 N*m", "{2 * math.pi * STRIP!r} N*m", '
        '"0 N*m"]\n'
    )
    _, found = state(cantilever(LARGE + moment), 6, 5)
    tip = found.motions[-1, :3] + [1.0, 0.0, 0.0]
    assert tip == pytest.approx([0.0, 0.0, 0.0], abs=1e-5)
    # Half way along the circle stands opposite, one diameter away.
    assert np.abs(found.motions[:, 2]).max() == pytest.approx(1 / math.pi, rel=1e-3)


@pytest.mark.parametrize(("load", "deflection"), [(1.0, 0.30172), (10.0, 0.81061)])
def test_the_elastica_under_a_tip_load(load: float, deflection: float) -> None:
    """Bisshopp and Drucker (1945)."""
    _, found = state(cantilever(LARGE + force("b.end", z=-load * STRIP)), 4, 5)
    assert -found.motions[-1, 2] == pytest.approx(deflection, rel=3e-4)


@pytest.mark.parametrize("deflection", ["small", "large"])
@given(angle=st.floats(-3.0, 3.0))
@settings(max_examples=4)
def test_turning_the_whole_problem_changes_nothing(deflection: str, angle: float) -> None:
    """A bent member, loaded and spun, as made and turned about y together with its loads."""

    def found(turn: float) -> Array:
        c, s = math.cos(turn), math.sin(turn)

        def place(x: float, y: float, z: float, unit: str) -> str:
            turned = (c * x + s * z, y, -s * x + c * z)
            return "[" + ", ".join(f'"{part!r} {unit}"' for part in turned) + "]"

        axis = (s, 0.0, c)
        text = f"""{material(7850)}
[parts.b]
kind = "member"
path = [{{ at = {place(0, 0, 0, "m")} }}, {{ at = {place(0.5, 0, 0, "m")}, bend = "100 mm" }},
  {{ at = {place(0.5, 0.4, 0, "m")} }}]
up = [{s!r}, 0.0, {c!r}]
material = "steel"
section = {{ shape = "solid rectangle", width = "20 mm", height = "6 mm" }}
{held("b.start", CLAMPED)}
[preload]
deflection = "{deflection}"
acceleration = {place(0, 0, -9.81, "m/s^2")}
spin = {{ speed = "300 rpm", axis = [{axis[0]!r}, {axis[1]!r}, {axis[2]!r}] }}
[[preload.forces]]
site = "b.end"
force = {place(5, 0, -20, "N")}
"""
        return frequencies(state(text, 1, 3)[1])

    assert found(angle) == pytest.approx(found(0.0), rel=1e-7)


def test_a_perfect_strip_pushed_past_its_buckling_load_says_so() -> None:
    supports = held("b.start", PINNED) + held("b.end", PINNED[1:]) + IN_PLANE
    euler = math.pi**2 * STRIP
    for deflection in ("small", "large"):
        text = beam(
            "20 mm",
            "5 mm",
            supports,
            f'[preload]\ndeflection = "{deflection}"\n' + force("b.end", x=-euler / 0.83),
        )
        design = evaluate(Sheet.from_text(text))
        assert design.preload is not None
        assembly = Assembly(design, Discretisation(3, 4))
        if deflection == "small":
            found = equilibrium(assembly, design.preload, Progress())
            factors = buckling(
                found.elastic, found.stress_stiffness, found.elastic_factor, 3, Progress()
            ).factors
            assert factors == pytest.approx(0.83 * np.array([1, 4, 9]), rel=4e-3)
            continue
        with pytest.raises(BuckledError, match=r"buckled at 83(\.\d)? % of this load") as caught:
            equilibrium(assembly, design.preload, Progress())
        assert caught.value.fraction == pytest.approx(0.83, abs=0.003)


def test_a_plate_buckles_as_timoshenko_says() -> None:
    """k = 4 for a square simply supported plate pushed along one direction."""
    edges = "".join(
        held(f"wall.{edge}", "simply supported") for edge in ("west", "east", "south", "north")
    )
    thick, size = 0.004, 0.6
    stiff = 200e9 * thick**3 / 12 / (1 - 0.09)
    critical = 4 * stiff * math.pi**2 / size
    text = f"""{material(7850)}
[parts.wall]
kind = "plate"
outline = {{ shape = "rectangle", width = "600 mm", height = "600 mm" }}
thickness = "4 mm"
material = "steel"
{edges}{held("wall.west", ["x"])}{held("wall.south-west", ["y"])}
{SMALL}{force("wall.east", x=-critical)}
"""
    _, found = state(text, 1, 4)
    factors = buckling(found.elastic, found.stress_stiffness, found.elastic_factor, 1, Progress())
    assert factors.factors[0] == pytest.approx(1.0, rel=2e-3)
    assert factors.count >= 1


def test_a_set_displacement_is_kept_and_pulls() -> None:
    move = '[[preload.moves]]\nsite = "b.end"\nx = "0.5 mm"\n'
    for deflection in (SMALL, LARGE):
        assembly, found = state(beam("20 mm", "10 mm", BOTH, deflection + move), 2, 3)
        assert found.motions[-1, 0] == pytest.approx(5e-4)
        pull = found.residual.reshape(-1, 6)[-1, 0]
        assert pull == pytest.approx(-200e9 * 2e-4 * 5e-4, rel=1e-3)
    assert assembly.size == len(found.motions) * 6


def test_a_pull_between_held_ends_is_the_tension() -> None:
    pull = '[[preload.pulls]]\npart = "b"\nforce = "2 kN"\n'
    _, found = state(beam("20 mm", "10 mm", BOTH, SMALL + pull), 2, 3)
    assert abs(found.residual.reshape(-1, 6)[0, 0]) == pytest.approx(2000, rel=1e-9)
    _, heated = state(beam("20 mm", "10 mm", BOTH, SMALL + HEAT.format(-2000 / 480)), 2, 3)
    assert frequencies(found) == pytest.approx(frequencies(heated), rel=1e-9)


OFFSET = """[[masses]]
site = "middle"
mass = "2 kg"
offset = ["0 mm", "0 mm", "-300 mm"]
"""
LINKED = """[sites.weight]
position = ["0 mm", "0 mm", "-300 mm"]
linked_to = "middle"
[[masses]]
site = "weight"
mass = "2 kg"
"""


@pytest.mark.parametrize("hung", [OFFSET, LINKED], ids=["off its site", "on a linked point"])
def test_a_hanging_weight_swings(hung: str) -> None:
    """A weight on an arm below what turns freely: its weight stiffens the swing as a pendulum's."""
    text = f"""{material(7850)}
[parts.b]
kind = "member"
from = ["-5 mm", "0 mm", "0 mm"]
to = ["5 mm", "0 mm", "0 mm"]
material = "steel"
section = {{ shape = "solid round", diameter = "2 mm" }}
[sites.middle]
part = "b"
along = "5 mm"
{held("middle", PINNED)}{hung}
[preload]
acceleration = ["0 m/s^2", "0 m/s^2", "-9.81 m/s^2"]
"""
    _, found = state(text, 1, 3)
    expected = math.sqrt(9.81 / 0.3) / (2 * math.pi)
    assert frequencies(found, 1)[0] == pytest.approx(expected, rel=2e-3)


def test_a_free_spinning_ring_keeps_its_balance_and_stiffens() -> None:
    """A thin ring spun about its axis is under the even tension of rho A (R W)²."""
    speed, radius = 400.0, 0.3
    text = f"""{material(7850)}
[parts.b]
kind = "member"
closed = true
path = [
  {{ at = ["{radius} m", "0 m", "0 m"], through = ["0 m", "{-radius} m", "0 m"] }},
  {{ at = ["{-radius} m", "0 m", "0 m"], through = ["0 m", "{radius} m", "0 m"] }},
]
material = "steel"
section = {{ shape = "solid round", diameter = "10 mm" }}
[preload]
spin = {{ speed = "{speed} rad/s", axis = "z" }}
[modes]
free = true
"""
    assembly, found = state(text, 1, 6)
    area = math.pi * 0.005**2
    grown = 7850 * (speed * radius) ** 2 / 200e9 * radius
    out = found.motions[:, :3] + assembly.coordinates
    assert np.linalg.norm(out, axis=1) == pytest.approx(radius + grown, rel=2e-4)
    elements = assembly.bodies[0].elements
    forces = elements.section_forces(  # type: ignore[attr-defined]
        assembly.bodies[0].motions(found.motions[None])[0], 0.0
    )
    assert forces[..., 0] == pytest.approx(7850 * area * (speed * radius) ** 2, rel=2e-3)


@pytest.mark.parametrize("deflection", ["small", "large"])
def test_a_load_that_swings_a_hinged_arm_is_refused(deflection: str) -> None:
    """Left out unknowns would hold it, as if there were a support."""
    hinged = held("arm.start", ["x", "y", "z", "turn x", "turn z"])
    arm = member("arm", (0, 0, 0), (400, 0, 0)) + hinged
    load = f'[preload]\ndeflection = "{deflection}"\nacceleration = ["0 g", "0 g", "-1 g"]\n'
    with pytest.raises(UnbalancedError, match="under it the component turns about y"):
        state(text_of(arm, load))


def test_a_load_that_swings_one_of_two_parts_names_it_and_what_lets_it() -> None:
    arms = member("arm", (0, 0, 0), (400, 0, 0)) + member("rod", (400, 0, 0), (800, 0, 0))
    pin = joint("arm.end", "rod.start", "hinged", 'axis = ["0", "1", "0"]')
    load = '[preload]\nacceleration = ["0 g", "0 g", "-1 g"]\n'
    words = "under it “rod” turns about y, let by the joint “arm.end – rod.start”, and nothing"
    with pytest.raises(UnbalancedError, match=words):
        state(text_of(arms, held("arm.start", "clamped"), pin, load))


def test_what_nothing_holds_is_refused_with_the_motion_named() -> None:
    text = beam("20 mm", "10 mm", held("b.start", ["y", "z"]), SMALL + force("b.end", x=5.0))
    with pytest.raises(UnbalancedError, match="under it the component slides along x, and nothing"):
        state(text)


def test_parts_welded_with_an_arm_between_them_turn_together() -> None:
    """A post on the end of a strip, tied with an offset: bent far, the arm turns with the strip."""
    pieces = (
        member(
            "strip",
            (0, 0, 0),
            (1000, 0, 0),
            'shape = "solid rectangle", width = "20 mm", height = "5 mm"',
        ),
        member("post", (1000, 0, 60), (1000, 0, 160)),
        joint("strip.end", "post.start", "welded", 'tolerance = "80 mm"'),
        held("strip.start", CLAMPED),
        LARGE + force("strip.end", z=-60.0),
    )
    whole = "\n".join(["belltone = 1", material(7850).split("\n", 1)[1], *pieces])
    assembly, found = state(whole, 2, 4)
    strip, post = assembly.bodies
    moved = assembly.coordinates + found.motions[:, :3]
    arm = moved[post.first] - moved[strip.nodes.stop - 1]
    assert np.linalg.norm(arm) == pytest.approx(0.06, rel=1e-6)
    angle = found.motions[strip.nodes.stop - 1, 4]
    assert angle > 0.3
    assert arm == pytest.approx([0.06 * math.sin(angle), 0, 0.06 * math.cos(angle)], abs=1e-6)


def test_a_welded_pair_of_plates_under_load_is_one_plate() -> None:
    halves = (
        small_plate("one", 200, 200, (100, 100, 0)),
        small_plate("two", 200, 200, (300, 100, 0)),
        joint("one.east", "two.west"),
        held("one.west", CLAMPED),
        force("two.east", x=2e5),
    )
    whole = (small_plate("one", 400, 200, (200, 100, 0)), held("one.west", CLAMPED))
    text = material(7850)
    _, joined = state(text + "\n".join(halves), 1, 4)
    _, one = state(text + "\n".join([*whole, force("one.east", x=2e5)]), 1, 5)
    assert frequencies(joined, 3) == pytest.approx(frequencies(one, 3), rel=3e-3)


BEARING = """
[parts.tube]
kind = "revolved"
material = "steel"
thickness = "4 mm"
profile = [ { at = ["30 mm", "0 mm"] }, { at = ["30 mm", "600 mm"] } ]
[[supports]]
site = "tube.end"
hold = ["x", "y"]
axes = "sheet"
[[masses]]
site = "tube.end"
mass = "0.1 kg"
inertia = "100 kg*mm^2"
"""


def test_a_rim_that_is_one_body_may_lean_though_it_is_held_all_round() -> None:
    """As made most ties of its nodes repeat others; leaning, they would not quite, and stop it."""
    shaft = member(
        "shaft", (0, 0, 0), (0, 0, 600), 'shape = "round tube", diameter = "64 mm", wall = "4 mm"'
    )
    found = []
    for part, name in ((BEARING, "tube"), (shaft + BEARING.split('"600 mm"] } ]')[1], "shaft")):
        text = part.replace("tube.end", f"{name}.end") + held(f"{name}.start", CLAMPED)
        text += (
            '[preload]\ndeflection = "large"\nacceleration = ["20 m/s^2", "0 m/s^2", "0 m/s^2"]\n'
        )
        own = Assembly(design_of(text), Discretisation(1, 5))
        assert own.design.preload is not None
        loaded_state = equilibrium(own, own.design.preload, Progress())
        assert loaded_state.pose is not None
        assert len(own.free(loaded_state.pose).kept) == len(own.free().kept)
        found.append(frequencies(loaded_state, 2))
    assert found[0] == pytest.approx(found[1], rel=5e-3)


def test_following_stops_when_asked() -> None:
    progress = Progress()
    told: list[int] = []

    def listen(done: int, total: int, text: str) -> None:
        told.append(done)
        assert "of the preload" in text
        if done > 30:
            progress.cancel()

    progress = Progress(listen)
    design = evaluate(Sheet.from_text(cantilever(LARGE + force("b.end", z=-80.0))))
    assert design.preload is not None
    with pytest.raises(Cancelled):
        loaded(Assembly(design, Discretisation(2, 3)), design.preload, progress)
    assert told == sorted(told)


def test_a_shallow_cap_snaps_through() -> None:
    """A clamped cap bulges inwards under pressure, its lowest frequency falling on the way."""

    def cap(pressure: float) -> str:
        return f"""{material(7850)}
[parts.cap]
kind = "revolved"
profile = [{{ at = ["0 mm", "2.5 mm"] }},
  {{ at = ["100 mm", "0 mm"], through = ["50 mm", "1.8757 mm"] }}]
thickness = "1 mm"
material = "steel"
{held("cap.end", CLAMPED)}
[preload]
deflection = "large"
[[preload.pressures]]
site = "cap.face"
pressure = "{pressure} bar"
on = "inner"
"""

    light = frequencies(state(cap(0.1), 1, 3)[1], 1)[0]
    near = frequencies(state(cap(0.3), 1, 3)[1], 1)[0]
    assert near < light
    _, beyond = state(cap(1.5), 1, 3)
    assert beyond.snapped is not None
    assert 0.1 < beyond.snapped < 0.9
    assert np.abs(beyond.motions[:, 2]).max() > 0.003


def begun(text: str, near: tuple[Assembly, Equilibrium], order: int = 3) -> Equilibrium:
    design = evaluate(Sheet.from_text(text))
    assert design.preload is not None
    assembly = Assembly(design, Discretisation(1, order))
    other, known = near
    onward = known.onward
    own = None if onward is None else assembly.motions_from(other, onward[None])[0]
    return equilibrium(assembly, design.preload, Progress(), begun=own)


def test_a_large_deflection_is_begun_from_that_on_other_elements() -> None:
    text = plate_text("0.2 bar", "large", 'thickness = "2 mm"')
    coarse = state(text, 1, 3)
    followed = state(text, 1, 4)[1]
    found = begun(text, coarse, 4)
    assert len(found.history) == 1
    assert len(followed.history) > 2
    assert found.motions == pytest.approx(followed.motions, abs=1e-6 * np.abs(found.motions).max())
    assert frequencies(found) == pytest.approx(frequencies(followed), rel=1e-6)


def test_a_large_deflection_is_begun_from_that_of_a_neighbour() -> None:
    known = state(plate_text("0.2 bar", "large", 'thickness = "2 mm"'), 1, 3)
    text = plate_text("0.21 bar", "large", 'thickness = "1.95 mm"')
    found, followed = begun(text, known), state(text, 1, 3)[1]
    assert len(found.history) == 1
    assert found.motions == pytest.approx(followed.motions, abs=1e-6 * np.abs(found.motions).max())


def test_a_state_that_is_not_close_by_is_followed_from_the_start() -> None:
    known = state(plate_text("-0.2 bar", "large", 'thickness = "2 mm"'), 1, 3)
    text = plate_text("0.2 bar", "large", 'thickness = "2 mm"')
    found = begun(text, known)
    assert len(found.history) > 2
    assert found.motions == pytest.approx(state(text, 1, 3)[1].motions, rel=1e-9)
