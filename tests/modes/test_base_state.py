"""What a preload does, in real sizes: stress by textbook formulas, reactions, whirl, the store."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from belltone.compare.likeness import Side
from belltone.compare.matched import Match, compare
from belltone.design.preload import SpinValue
from belltone.exchange.preload_tables import largest_rows, within
from belltone.mesh.discretisation import Discretisation
from belltone.modes.base_state import BaseState, Largest
from belltone.modes.errors import BuckledModesError
from belltone.modes.solve import request_for, solve_modes
from belltone.modes.whirl import turning_patterns
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from tests.assemblies import modes_at
from tests.modes.test_preload_references import (
    BOTH,
    CLAMPED,
    HEAT,
    LARGE,
    SLIDING,
    SMALL,
    beam,
    force,
    held,
    loaded,
    material,
)

FIXED = "[accuracy]\ndivisions = 1\norder = 4\n"


def base_of(text: str) -> BaseState:
    design = evaluate(Sheet.from_text(text))
    base = solve_modes(design, request_for(design)).base
    assert base is not None
    return base


def largest(base: BaseState, what: str) -> float:
    return next(each.value for each in base.largest if each.what == what)


def test_a_bent_and_pulled_bar_is_stressed_as_the_textbook_says() -> None:
    """F/A + M c / I in both directions, and the deflection F L³ / 3 E I with that of shear."""
    pushed = SMALL + force("b.end", x=1000.0, y=20.0, z=-10.0)
    base = base_of(beam("20 mm", "10 mm", held("b.start", CLAMPED), pushed))
    upright, across = 0.02 * 0.01**3 / 12, 0.01 * 0.02**3 / 12
    expected = 1000 / 2e-4 + 10 * 0.005 / upright + 20 * 0.01 / across
    assert largest(base, "axial stress") == pytest.approx(expected, rel=2e-3)
    soft = 200e9 / 2.6 * 2e-4 * 5 / 6
    down = 10 / (3 * 200e9 * upright) + 10 / soft
    aside = 20 / (3 * 200e9 * across) + 20 / soft
    stretched = 1000 / (200e9 * 2e-4)
    assert base.displacements[-1, :3] == pytest.approx([stretched, aside, -down], rel=1e-6)
    assert largest(base, "axial force") == pytest.approx(1000)
    assert abs(largest(base, "moment y")) == pytest.approx(10, rel=1e-3)
    reaction = base.reactions[0]
    assert reaction.force == pytest.approx((-1000, -20, 10))
    assert reaction.moment == pytest.approx((0, -10, -20))
    assert base.imbalance < 1e-10


def test_a_tube_under_pressure_is_stretched_round_by_p_r_over_t() -> None:
    text = f"""{material(7850)}
[parts.wall]
kind = "revolved"
profile = [{{ at = ["200 mm", "0 m"] }}, {{ at = ["200 mm", "600 mm"] }}]
thickness = "4 mm"
material = "steel"
{held("wall.start", ["z"])}{held("wall.end", ["turn x", "turn y"])}
[modes]
count = 1
free = true
{FIXED}
[[preload.pressures]]
site = "wall.face"
pressure = "10 bar"
on = "inner"
follows = false
"""
    text = text.replace(held("wall.end", ["turn x", "turn y"]), held("wall.end", ["z"]))
    base = base_of(text)
    middle = np.abs(base.positions[:, 2] - 0.3) < 0.1
    assert base.forces[middle, 1] == pytest.approx(1e6 * 0.2, rel=1e-2)
    # Held along its axis it is stressed there by Poisson's ratio of that.
    assert base.forces[middle, 0] == pytest.approx(0.3e6 * 0.2, rel=3e-2)
    hoop, along = 50e6, 15e6
    mises = math.sqrt(hoop**2 - hoop * along + along**2)
    assert base.stresses[middle, :2] == pytest.approx(mises, rel=2e-2)


def test_a_heated_laminate_bows_as_classical_theory_says() -> None:
    """Two crossed plies free to move: curvature of the thermal moment, S. P. Timoshenko (1925)."""
    text = f"""belltone = 1
[materials.ply]
density = "1600 kg/m^3"
modulus_along = "140 GPa"
modulus_across = "10 GPa"
poisson_ratio = 0.3
shear_in_plane = "5 GPa"
shear_along = "5 GPa"
shear_across = "4 GPa"
expansion_along = "-0.5 um/m/K"
expansion_across = "30 um/m/K"
[parts.wall]
kind = "plate"
outline = {{ shape = "rectangle", width = "200 mm", height = "100 mm" }}
plies = [
  {{ material = "ply", angle = "0 deg", thickness = "0.5 mm" }},
  {{ material = "ply", angle = "90 deg", thickness = "0.5 mm" }},
]
{held("wall.south-west", CLAMPED)}
[modes]
count = 1
{FIXED}
[[preload.warmths]]
change = "50 K"
"""
    design = evaluate(Sheet.from_text(text))
    layup = design.parts[0].layup  # type: ignore[union-attr]
    stiff = np.zeros((6, 6))
    push = np.zeros(6)
    for ply, (low, high) in zip(layup.plies, ((-5e-4, 0.0), (0.0, 5e-4)), strict=True):
        plane, _ = ply.material.stiffness_at(ply.angle)
        powers = [(high**n - low**n) / n for n in (1, 2, 3)]
        stiff += np.block(
            [[plane * powers[0], plane * powers[1]], [plane * powers[1], plane * powers[2]]]
        )
        warm = plane @ ply.material.expansion_at(ply.angle) * 50
        push += np.concatenate([warm * powers[0], warm * powers[1]])
    curved = np.linalg.solve(stiff, push)[3:]
    base = solve_modes(design, request_for(design)).base
    assert base is not None
    x, y = base.positions[:, 0] + 0.1, base.positions[:, 1] + 0.05
    bow = -0.5 * curved[0] * x**2 - 0.5 * curved[1] * y**2 - 0.5 * curved[2] * x * y
    rest = base.displacements[:, 2] - bow
    # What is left is a tilt about the corner that is held.
    tilt = np.linalg.lstsq(np.column_stack([x, y, np.ones_like(x)]), rest, rcond=None)
    left = rest - np.column_stack([x, y, np.ones_like(x)]) @ tilt[0]
    assert np.abs(left).max() < 0.02 * np.abs(bow).max()


def told(before: str, after: str) -> tuple[Match, ...]:
    first, second = (
        Side(name, evaluate(Sheet.from_text(own)), loaded(own))
        for name, own in (("before", before), ("after", after))
    )
    return compare(first, second).matches


def test_modes_with_and_without_are_told_in_words() -> None:
    pulled = beam("20 mm", "10 mm", SLIDING, SMALL + force("b.end", x=5000.0), 3)
    bare = beam("20 mm", "10 mm", SLIDING, "", 3)
    changed = told(bare, pulled)
    assert [each.words for each in changed] == ["stiffens"] * 3
    back = told(pulled, bare)
    assert all(each.words == "softens" and each.change < 0 for each in back)
    same = told(bare, bare)
    assert all(each.words == "stays" for each in same)


def test_a_mode_that_changes_places_says_where_it_is_now() -> None:
    """A pull lifts the weak bending of a wide strip past its twist, which it hardly changes."""
    wide = ("120 mm", "4 mm", BOTH)
    changed = told(beam(*wide, "", 6), beam(*wide, SMALL + HEAT.format(-700), 6))
    moved = [each for each in changed if each.paired and each.number != each.number_after]
    assert moved
    assert all(str(each.number_after) in each.words for each in moved)
    paired = [each for each in changed if each.paired]
    assert all(each.change is not None and each.change > -1e-3 for each in paired)


def test_a_load_beyond_buckling_has_no_frequencies() -> None:
    text = beam("20 mm", "10 mm", SLIDING, SMALL + force("b.end", x=-20000.0), 3)
    with pytest.raises(BuckledModesError, match="buckled at") as caught:
        loaded(text)
    bending = 200e9 * 0.02 * 0.01**3 / 12
    expected = 4 * math.pi**2 * bending / 20000
    assert caught.value.fraction == pytest.approx(expected, rel=5e-3)


def test_base_states_come_back_from_the_store(tmp_path: Path) -> None:
    spin = '[preload]\nspin = { speed = "900 rpm", axis = "x", gyroscopic = true }\n'
    for preload in (LARGE + force("b.end", z=-20.0), SMALL + force("b.end", x=-9.0), spin):
        found = loaded(beam("10 mm", "10 mm", held("b.start", CLAMPED), preload, 4))
        with ResultStore(tmp_path / "r.sqlite") as store:
            store.put("key", found)
            back = store.get("key")
        assert back is not None
        assert back.waves == found.waves
        assert (back.lagging is None) == (found.lagging is None)
        assert back.base is not None
        assert found.base is not None
        assert back.base.displacements == pytest.approx(found.base.displacements)
        assert back.base.reactions == found.base.reactions
        assert back.base.largest == found.base.largest
        assert back.base.factors == found.base.factors
        assert back.base.steps == found.base.steps


@pytest.mark.parametrize("waves", [-3, -1, 0, 2, 5])
def test_waves_round_an_axis_are_counted_with_their_sign(waves: int) -> None:
    angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    out = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(24)])
    shape = np.zeros((24, 6), complex)
    shape[:, :3] = np.exp(-1j * waves * angle)[:, None] * out
    spin = SpinValue(10.0, np.array([0.0, 0.0, 1.0]), np.zeros(3))
    ((found, share),) = turning_patterns(0.2 * out, shape[None], np.ones(24), spin)
    assert found == waves
    assert share == pytest.approx(1.0)
    standing = shape + shape.conj()
    assert turning_patterns(0.2 * out, standing[None], np.ones(24), spin)[0][0] == 0


def test_what_is_largest_says_how_far_it_may_be_off() -> None:
    """Told from the next lower order, and true against far finer elements."""
    text = f"""{material(7850)}
[parts.wall]
kind = "plate"
outline = {{ shape = "rectangle", width = "400 mm", height = "300 mm" }}
thickness = "4 mm"
material = "steel"
{held("wall.outline", CLAMPED)}
[preload]
[[preload.pressures]]
site = "wall.face"
pressure = "0.2 bar"
on = "inner"
"""
    plain = base_of(text + "[accuracy]\ndivisions = 1\norder = 4\n")
    design = evaluate(Sheet.from_text(text))
    fine = modes_at(design, request_for(design), Discretisation(2, 6)).base
    assert fine is not None
    told = 0
    for each in plain.largest:
        if each.what in ("displacement", "von Mises stress, inner face", "bending moment 1"):
            assert each.error is not None
            assert 0 < each.error < 0.2 * abs(each.value)
            assert abs(abs(each.value) - abs(largest(fine, each.what))) <= each.error
            told += 1
    assert told == 3
    row = next(row for row in largest_rows(plain) if row[0] == "displacement")
    assert row[2].endswith("%")


def test_stress_at_a_point_that_carries_all_is_called_a_peak() -> None:
    value = Largest("von Mises stress, inner face", 1e8, "Pa", "wall", (0, 0, 0), 4e7)
    assert within(value) == "a peak, not settled"
    assert within(replace(value, error=None)) == ""


def test_a_member_is_stressed_by_twist_and_shear_too() -> None:
    """16 T / pi d³ and 4 V / 3 A, with the bending stress as von Mises has it."""
    d, moment, up = 0.02, 12.0, -300.0
    pushed = SMALL + force("b.end", z=up)
    pushed += f'moment = ["{moment} N*m", "0 N*m", "0 N*m"]\n'
    text = beam("20 mm", "20 mm", held("b.start", CLAMPED), pushed)
    solid = 'shape = "solid rectangle", width = "20 mm", height = "20 mm"'
    base = base_of(text.replace(solid, 'shape = "solid round", diameter = "20 mm"'))
    shear = 16 * moment / (math.pi * d**3) + 4 * abs(up) / (3 * math.pi * d**2 / 4)
    bending = 32 * abs(up) * 1.0 / (math.pi * d**3)
    assert largest(base, "shear stress, at most") == pytest.approx(shear, rel=1e-3)
    expected = math.sqrt(bending**2 + 3 * shear**2)
    assert largest(base, "von Mises stress, at most") == pytest.approx(expected, rel=1e-2)
    assert base.equivalent.max() == pytest.approx(expected, rel=1e-2)


def test_forward_whirl_is_drawn_round_with_the_spin() -> None:
    """A rotor's points go round as its waves say: with the spin where these are positive."""
    rotor = f"""{material(7850)}
[parts.s]
kind = "member"
material = "steel"
start = ["0 mm", "0 mm", "0 mm"]
stop = ["0 mm", "0 mm", "600 mm"]
section = {{ shape = "solid round", diameter = "30 mm" }}
[[masses]]
site = "s.end"
mass = "4 kg"
inertia = ["0.03 kg*m^2", "0.03 kg*m^2", "0.06 kg*m^2"]
{held("s.start", "clamped")}
[preload.spin]
speed = "3000 rpm"
axis = "z"
gyroscopic = true
[modes]
count = 6
"""
    found = loaded(rotor)
    assert found.lagging is not None
    assert {1, -1} <= set(found.waves)
    for waves, shape, lagging in zip(found.waves, found.shapes, found.lagging, strict=True):
        if waves:
            farthest = int(np.argmax(np.sum(shape[:, :3] ** 2 + lagging[:, :3] ** 2, axis=1)))
            # From the shape to where it is a quarter of a period later.
            turn = np.cross(shape[farthest, :3], -lagging[farthest, :3])[2]
            assert np.sign(turn) == np.sign(waves)
