"""Modes of plates and shells: completeness, windows, rigid motions, kinds, masses, estimates."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from verification.walls import REFERENCES, held, plate, rectangle, sheet, shell

from belltone.design.values import Design
from belltone.desk.starts import starts
from belltone.mesh.discretisation import Discretisation
from belltone.modes import climb
from belltone.modes.mass_properties import mass_properties
from belltone.modes.modeset import ModeSet
from belltone.modes.refine import refine
from belltone.modes.solve import ModeRequest, request_for, solve_modes
from belltone.progress import Cancelled, Progress
from belltone.reading.family import evaluate
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.system.assembly import assemble
from belltone.system.division import with_plans
from belltone.system.lanczos import lowest_modes, window_modes
from tests.assemblies import frequencies_at, modes_at

COVER = plate(rectangle(0.6, 0.4), 0.004)
CYLINDER = shell("revolved", '{ at = ["0.15 m", "0 m"] }, { at = ["0.15 m", "0.4 m"] }', 0.002)
LEVEL = Discretisation(1, 4)
FINE = Discretisation(2, 4)


def design_of(text: str) -> Design:
    """The design of a sheet's text."""
    return evaluate(Sheet.from_text(text))


@cache
def modes_of(text: str, level: Discretisation | None = LEVEL, count: int | None = None) -> ModeSet:
    """Modes on one mesh."""
    design = design_of(text)
    request = request_for(design)
    if count is not None:
        request = replace(request, count=count)
    return solve_modes(design, request, level)


def test_a_free_wall_has_six_named_rigid_modes() -> None:
    modes = modes_of(sheet(CYLINDER, "", 4, 7850))
    assert modes.rigid_count == 6
    assert modes.kinds[0] == "rigid, slides along x"
    assert modes.complete
    system = assemble(design_of(sheet(CYLINDER, "", 4, 7850)), LEVEL)
    scale = np.abs(system.stiffness @ system.rigid).max() / system.stiffness.diagonal().max()
    assert scale < 1e-10


@pytest.mark.parametrize(
    ("supports", "names"),
    [
        (held("pinned", "west"), ("turns about “wall.west”",)),
        (held("pinned", "north"), ("turns about “wall.north”",)),
        (held("simply supported", "west", "east"), None),
        (held(("z",), "face"), ("slides along x", "slides along y", "turns about z")),
        (held(("x", "y", "z"), "south-west"), None),
    ],
)
def test_half_held_parts_are_traced(supports: str, names: tuple[str, ...] | None) -> None:
    modes = modes_of(sheet(COVER, supports, 4))
    if names is None:
        assert modes.rigid_count == 3
        return
    assert modes.rigid_names == names


def test_pairs_come_in_pairs_and_repeat() -> None:
    text = sheet(CYLINDER, held("clamped", "start"), 8, 7850)
    first, again = modes_of(text, FINE), modes_of.__wrapped__(text, FINE)
    pairs = first.flexible[:8].reshape(-1, 2)
    # Four blocks round the axis tell the two of four waves apart, by the mesh's own error.
    assert pairs[:, 0] == pytest.approx(pairs[:, 1], rel=1e-3)
    assert again.shapes == pytest.approx(first.shapes, abs=1e-6)
    # A pair is never cut: the second of equal modes comes along.
    assert len(modes_of(text, FINE, count=1).flexible) == 2


def test_more_equal_modes_than_the_solver_takes_at_once() -> None:
    # On soft springs everywhere, all slides and all turns of a wall have one frequency.
    supports = (
        '[[supports]]\nsite = "wall.face"\nhold = "free"\n'
        'springs = { x = "1 N/mm", y = "1 N/mm", z = "1 N/mm" }\n'
    )
    modes = modes_of(sheet(COVER, supports, 6))
    mass = 0.6 * 0.4 * 0.004 * 8000
    assert modes.flexible[:6] == pytest.approx(np.sqrt(1000 / mass) / (2 * np.pi), rel=1e-4)
    assert modes.kinds[0].startswith("moving on its springs")
    assert modes.complete


def test_a_window_far_up_holds_the_same_modes() -> None:
    text = sheet(COVER, held("clamped", "west"), 21)
    design = design_of(text)
    whole = modes_of(text, count=21)
    low, high = whole.flexible[11] * 0.999, whole.flexible[19] * 1.001
    window = solve_modes(design, ModeRequest(4, high, 0.005, low), LEVEL)
    assert window.flexible == pytest.approx(whole.flexible[11:20], rel=1e-9)
    assert window.complete
    assert window.skipped == 11
    assert window.mode(0).number == 12
    some = solve_modes(design, ModeRequest(4, None, 0.005, low), LEVEL)
    assert some.flexible[:4] == pytest.approx(whole.flexible[11:15], rel=1e-9)
    # The errors of a window are those of the whole list: matched to shapes, not to numbers.
    assert window.errors == pytest.approx(whole.errors[11:20], rel=0.5)


def test_windows_of_plain_matrices_are_counted() -> None:
    system = assemble(design_of(sheet(CYLINDER, held("clamped", "start"), 8, 7850)), LEVEL)
    parts = (system.stiffness, system.mass, system.rigid)
    whole = lowest_modes(*parts, 24)
    middle = 0.5 * (whole.values[7] + whole.values[8])
    top = 0.5 * (whole.values[19] + whole.values[20])
    found = window_modes(*parts, middle, top, 1)
    assert np.sort(found.values) == pytest.approx(whole.values[8:20], rel=1e-8)
    assert found.skipped == 8
    empty = window_modes(*parts, whole.values[7] * 1.0001, whole.values[7] * 1.0002, 3)
    assert len(empty.values) == 0
    assert empty.complete


def test_kinds_say_what_a_shape_looks_like() -> None:
    supported = modes_of(REFERENCES[0].text, Discretisation(1, 5))
    assert supported.kinds[:3] == (
        "bending, 1 × 1 half-waves",
        "bending, 2 × 1 half-waves",
        "bending, 1 × 2 half-waves",
    )
    cantilever = modes_of(sheet(COVER, held("clamped", "west"), 4))
    assert cantilever.kinds[1] == "twist about x"
    cylinder = modes_of(REFERENCES[13].text, Discretisation(2, 4))
    assert cylinder.kinds[:5:2] == ("breathing (1, 4)", "breathing (1, 5)", "breathing (1, 3)")
    disc = modes_of(REFERENCES[5].text, LEVEL)
    assert disc.kinds[0] == "bending, 0 nodal diameters, 0 nodal circles"
    assert disc.kinds[1] == "bending, 1 nodal diameter, 0 nodal circles"
    assert disc.kinds[5] == "bending, 0 nodal diameters, 1 nodal circle"
    flat = modes_of(sheet(COVER, held(("z",), "face"), 3))
    assert set(flat.kinds[3:]) == {"in-plane"}


def test_energies_masses_and_shapes() -> None:
    modes = modes_of(sheet(COVER, held("clamped", "west"), 40), count=40)
    assert modes.energy_names == ("membrane", "bending", "shear", "springs")
    assert modes.energies.sum(axis=1) == pytest.approx(1.0)
    assert modes.energies[0, 1] > 0.99
    assert np.abs(modes.shapes[..., :3]).max() <= 1.0
    assert np.linalg.norm(modes.shapes[..., :3], axis=-1).max(axis=1) == pytest.approx(1.0)
    assert modes.densities.max(axis=1) == pytest.approx(1.0)
    mass = 0.6 * 0.4 * 0.004 * 8000
    assert modes.mass == pytest.approx(mass)
    assert 0.85 * mass < modes.effective[:, 2].sum() < mass
    # A cantilever plate's first mode moves about a quarter of its mass at an amplitude of one.
    assert modes.modal_masses[0] == pytest.approx(0.25 * mass, rel=0.05)
    # Strain energy sits at the clamp, motion at the far end.
    across = modes.shapes[0, :, 2]
    assert abs(across[np.argmax(modes.densities[0])]) < 0.05


def test_mass_properties_of_a_shell() -> None:
    whole = mass_properties(design_of(sheet(CYLINDER, "", 4, 7850)))
    mass = 7850 * 2 * np.pi * 0.15 * 0.002 * 0.4
    assert whole.mass == pytest.approx(mass, rel=1e-8)
    assert whole.centre == pytest.approx([0, 0, 0.2], abs=1e-9)
    assert whole.inertia[2, 2] == pytest.approx(mass * (0.15**2 + 0.001**2), rel=1e-6)


def test_masses_spread_rigidly_or_evenly() -> None:
    base = sheet(COVER, held("clamped", "west"), 3)
    mass = '[[masses]]\nsite = "wall.east"\nmass = "4 kg"\n'
    plain = modes_of(base).flexible
    even = modes_of(base + mass + 'spread = "even"\n').flexible
    rigid = modes_of(base + mass).flexible
    assert even[0] < plain[0]
    assert rigid[0] == pytest.approx(even[0], rel=0.02)  # the first mode hardly bends that edge
    assert rigid[2] > even[2]
    design = design_of(base + mass)
    assert mass_properties(design).mass == pytest.approx(0.6 * 0.4 * 0.004 * 8000 + 4)
    painted = base.replace(
        'thickness = "0.004 m"', 'thickness = "0.004 m"\nmass_per_area = "32 kg/m^2"'
    )
    assert modes_of(painted).flexible[:2] == pytest.approx(plain[:2] / np.sqrt(2), rel=2e-3)


def test_linear_thickness_and_a_stiff_spring() -> None:
    even = sheet(COVER, held("clamped", "west"), 3)
    changing = even.replace('"0.004 m"', '{ from = "5 mm", to = "3 mm", along = "x" }')
    found, plain = modes_of(changing), modes_of(even)
    assert found.mass == pytest.approx(plain.mass)
    assert found.flexible[0] > 1.2 * plain.flexible[0]  # thick at the root, light at the tip
    sprung = even + (
        '[[supports]]\nsite = "wall.east"\nhold = "free"\nsprings = { z = "1e9 N/m" }\n'
    )
    pinned = even + held(("z",), "east")
    assert modes_of(sprung).flexible == pytest.approx(modes_of(pinned).flexible, rel=2e-3)


def plain(text: str) -> NDArray[np.float64]:
    return frequencies_at(design_of(text), LEVEL, 8)


@settings(max_examples=4, deadline=None)
@given(st.tuples(*[st.floats(-180, 180)] * 3), st.tuples(*[st.floats(-2, 2)] * 3))
def test_turning_and_moving_the_whole_sheet_changes_nothing(
    turn: tuple[float, float, float], at: tuple[float, float, float]
) -> None:
    vane = (examples_folder() / "paddle.toml").read_text(encoding="utf-8")
    placed = vane.replace(
        'span = "320 mm"',
        f'span = "320 mm"\nplacement = {{ at = {[f"{x!r} m" for x in at]}, '
        f"turn = {[f'{x!r} deg' for x in turn]} }}".replace("'", '"'),
    )
    assert plain(placed) == pytest.approx(plain(vane), rel=5e-7)


def test_units_change_nothing() -> None:
    bell = (examples_folder() / "rinsing_bell.toml").read_text(encoding="utf-8")
    inches = (
        bell.replace('"1.2 mm"', f'"{1.2 / 25.4!r} in"')
        .replace('"0.8 mm"', f'"{0.8 / 25.4!r} in"')
        .replace('"2.5 mm"', f'"{2.5 / 25.4!r} in"')
    )
    assert plain(inches) == pytest.approx(plain(bell), rel=5e-9)


def test_error_estimates_are_honest_on_the_references() -> None:
    """True errors lie below their estimates and above a tenth of them in nine of ten."""
    good = total = below = 0
    for case in REFERENCES[3:16:5]:
        design = design_of(case.text)
        request = request_for(design)
        modes = solve_modes(design, request)
        level = modes.discretisation
        count = min(len(modes.flexible), len(case.frequencies))
        finer = replace(level.finer(), order=min(level.order + 1, 6))
        fine = frequencies_at(design, finer, count)
        true = np.abs(modes.flexible[:count] / fine - 1)
        stated = modes.errors[modes.rigid_count :][:count]
        below += int(np.count_nonzero(true <= stated))
        good += int(np.count_nonzero((true <= stated) & (true >= 0.1 * stated)))
        total += count
    assert below >= 0.9 * total
    assert good >= 0.8 * total


ELL = ((0, 0), (0.6, 0), (0.6, 0.3), (0.3, 0.3), (0.3, 0.6), (0, 0.6))
HALVED = ((0, 0), (0.3, 0), (0.6, 0), (0.6, 0.4), (0, 0.4))


@pytest.mark.parametrize(
    ("corners", "support", "most"),
    [
        (ELL, held("pinned", "outline"), 12_000),
        (ELL, held("clamped", "outline"), 7_000),
        (HALVED, held("clamped", "edge 1"), 3_000),
    ],
    ids=["pinned", "clamped", "clamped along half an edge"],
)
def test_moments_without_bound_are_answered_honestly_on_few_elements(
    corners: tuple[tuple[float, float], ...], support: str, most: int
) -> None:
    """No order on large elements shows them, at inward corners and where a support ends."""
    points = ", ".join(f'["{x} m", "{y} m"]' for x, y in corners)
    design = design_of(sheet(plate(f'shape = "polygon", points = [{points}]', 0.004), support, 3))
    modes = solve_modes(design, replace(request_for(design), accuracy=2e-2))
    assert modes.unknowns < most
    level = modes.discretisation
    twice = tuple(
        replace(plan, times=tuple(2 * plan.divided(number) for number in range(len(plan.counts))))
        for plan in level.plans
    )
    fine = frequencies_at(design, replace(level, order=level.order + 1, plans=twice), 3)
    true = np.abs(modes.flexible[:3] / fine - 1)
    assert np.all(true <= modes.errors[:3])
    assert modes.errors[0] < 30 * true[0]


def test_refining_a_wall_pairs_its_modes() -> None:
    design = evaluate(read_sheet(examples_folder() / "paddle.toml"))
    found = refine(design, request_for(design))
    stated = found.modes.errors
    assert np.count_nonzero(np.abs(found.changes) <= stated) >= len(stated) - 1
    assert found.finer.unknowns > 2 * found.modes.unknowns


def test_fixed_divisions_and_low_orders_tell_their_errors() -> None:
    text = sheet(COVER, held("clamped", "west"), 4)
    true = frequencies_at(design_of(text), Discretisation(3, 6), 8)
    for order, divisions in ((1, 8), (2, 4)):
        fixed = text + f"[accuracy]\ndivisions = {divisions}\norder = {order}\n"
        modes = modes_of(fixed, None)
        assert modes.discretisation.order == order
        exact = true[: len(modes.flexible)]
        assert np.all(np.abs(modes.flexible / exact - 1) <= modes.errors)


def test_a_dear_level_is_not_solved_for_a_narrower_error_alone(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What one order brought is no longer missing, which may be enough to know."""
    design = design_of(next(each.text for each in starts() if each.title == "Splash plate"))
    told = []
    for dear, highest in ((10_000, 6), (0, 5)):
        monkeypatch.setattr(climb, "_DEAR", dear)
        climbed = climb.Climb(design, request_for(design), Progress())
        fine, errors = climbed.to_accuracy()
        assert fine.order == 5
        assert max(level.order for level in climbed._levels) == highest
        told.append(errors)
    narrow, wide = told
    assert np.all(wide <= design.accuracy)
    assert narrow.max() < 0.2 * wide.max()
    found = modes_at(design, request_for(design), fine).flexible
    true = modes_at(design, request_for(design), replace(fine, order=7)).flexible
    assert np.all(np.abs(found / true[: len(found)] - 1) <= wide)


def spotted() -> climb.Climb:
    """A small plate on a large one, at four spots."""
    text = PLATE_ON_PLATE + "".join(
        f'[sites.s{n}]\npart = "low"\nat = ["{x} mm", "{y} mm"]\n'
        for n, (x, y) in enumerate([(-72, -45), (72, -45), (72, 45), (-72, 45)])
    )
    design = evaluate(Sheet.from_text(text))
    return climb.Climb(design, request_for(design), Progress())


PLATE_ON_PLATE = """belltone = 1
[parts.low]
kind = "plate"
material = "structural steel"
thickness = "1.5 mm"
outline = { shape = "rectangle", width = "600 mm", height = "250 mm" }
[parts.high]
kind = "plate"
material = "structural steel"
thickness = "1.5 mm"
outline = { shape = "rectangle", width = "200 mm", height = "125 mm" }
placement = { at = ["0 mm", "0 mm", "1.5 mm"] }
[[joints]]
between = ["low", "high"]
how = "spots"
spots = ["s0", "s1", "s2", "s3"]
radius = "5 mm"
[[supports]]
site = "low.outline"
hold = "clamped"
[modes]
count = 8
"""


def test_several_walls_are_not_all_divided_for_a_mode_the_first_look_does_not_show() -> None:
    climbed = spotted()
    plans = with_plans(climbed.design, Discretisation(1, 3)).plans
    first = Discretisation(1, 3, plans)
    errors = climbed.errors(first)
    assert errors.max() >= 1
    assert not climbed._too_large(None, first, errors)
    assert climbed._too_large(None, replace(first, order=4), errors)


def test_where_dividing_brought_nothing_the_rest_is_divided_before_it_is_refused() -> None:
    climbed = spotted()
    plans = with_plans(climbed.design, Discretisation(1, 5)).plans
    low, high = plans
    one = Discretisation(1, 5, (replace(low, times=(2,) * len(low.counts)), high))
    accuracy, before = climbed.request.accuracy, {5: np.array([8 * climbed.request.accuracy])}
    stays = climb._stays_near(before, None, one, np.array([7 * accuracy]), accuracy)
    assert stays == pytest.approx(7 * accuracy)
    assert not one.even
    climbed._rest = True
    again = climbed._finer(one)
    assert again.even
    assert again.finest == 2
    assert climb._stays_near(before, None, again, np.array([0.5 * accuracy]), accuracy) == 0


def test_a_first_look_comes_before_the_last_answer_and_is_within_what_it_says() -> None:
    text = sheet(plate(rectangle(0.4, 0.3), 0.004), held("clamped", "west"), 6)
    design = evaluate(Sheet.from_text(text))
    looks: list[ModeSet] = []
    found = solve_modes(design, request_for(design), progress=Progress(viewer=looks.append))
    assert looks
    for look in looks:
        assert look.complete is None
        away = np.abs(look.flexible[:6] / found.flexible[:6] - 1)
        assert np.all(away <= look.errors[:6] + found.errors[:6])
    assert looks[-1].errors.max() <= looks[0].errors.max()
    assert looks[0].unknowns < found.unknowns
    # Whoever does not look gets the very same.
    alone = solve_modes(design, request_for(design))
    assert np.array_equal(alone.flexible, found.flexible)


def test_a_look_can_end_the_work() -> None:
    text = sheet(plate(rectangle(0.4, 0.3), 0.004), held("clamped", "west"), 6)
    design = evaluate(Sheet.from_text(text))
    progress = Progress()
    watching = replace(progress, viewer=lambda _: progress.cancel())
    with pytest.raises(Cancelled):
        solve_modes(design, request_for(design), progress=watching)
