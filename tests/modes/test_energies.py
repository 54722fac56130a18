"""Where the energy of modes is: parts, springs, joints, regions of received meshes."""

from __future__ import annotations

import numpy as np
import pytest

from belltone.design.parts import MeshValue
from belltone.mesh.discretisation import Discretisation
from belltone.modes.shares import MASS, REGION
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import read_sheet
from tests.assemblies import design_of, held, joint, member, modes_of

BAR = 'shape = "solid rectangle", width = "30 mm", height = "20 mm"'


def test_a_heavy_bar_on_two_springs_has_its_energy_in_them_as_they_share_it() -> None:
    """Bouncing on springs of 3 and 1: with the mass between, they share by their stiffness."""
    soft = member("b", (0, 0, 0), (100, 0, 0), BAR)
    soft += held("b.start", '["x", "y", "turn x", "turn y", "turn z"]')
    for name, stiffness in (("b.start", 3), ("b.end", 1)):
        soft += f'[[supports]]\nsite = "{name}"\nname = "{name} spring"\n'
        soft += f'springs = {{ z = "{stiffness} N/mm" }}\n'
    found = modes_of(soft, count=1)
    assert found.held.places == ("b.start spring", "b.end spring")
    assert found.held.place_strain[0] == pytest.approx([0.75, 0.25], abs=2e-3)
    assert found.held.strained(0)[0][0] == "b.start spring"


def test_a_sprung_joint_holds_what_two_stiff_bars_do_not() -> None:
    one, two = member("a", (0, 0, 0), (200, 0, 0), BAR), member("c", (200, 0, 0), (400, 0, 0), BAR)
    soft = 'hold = ["x", "y", "z", "turn x", "turn z"]\nturning_springs = { y = "50 N*m/rad" }\n'
    found = modes_of(one, two, joint("a.end", "c.start", "sprung", soft), held("a.start"), count=1)
    (place,) = found.held.places
    assert place.startswith("joint ")
    assert found.held.place_strain[0, 0] > 0.95
    total = found.held.part_strain[0].sum() + found.held.place_strain[0].sum()
    assert total == pytest.approx(1.0, abs=1e-9)
    # The second bar swings; the first hardly moves.
    assert found.held.part_motion[0] == pytest.approx([0.0, 1.0], abs=0.01)


def test_regions_of_a_received_mesh_share_its_energy() -> None:
    sheet = read_sheet(examples_folder() / "drip_tray.toml")
    design = evaluate(sheet)
    found = solve_modes(design, ModeRequest(3, None, 0.5))
    held = found.held
    regions = [at for at, piece in enumerate(held.place_pieces) if piece == REGION]
    assert regions
    assert all(held.places[at].startswith("tray.") for at in regions)
    assert np.all(held.place_strain[:, regions] >= 0)
    assert np.all(held.place_strain[found.rigid_count :, regions].sum(axis=1) > 0.5)
    # Its elements are the file's own faces, and a region's are some of them.
    (tray,) = design.solid_parts
    assert isinstance(tray, MeshValue)
    assert held.element_counts == (len(tray.faces),)
    name = held.places[regions[0]]
    own = tray.areas[name.partition(".")[2]]
    assert held.element_strain[:, own].sum(axis=1) == pytest.approx(
        held.place_strain[:, regions[0]]
    )
    assert held.element_motion[:, own].sum(axis=1) == pytest.approx(
        held.place_motion[:, regions[0]]
    )


def test_shares_of_all_parts_are_the_whole() -> None:
    bars = member("a", (0, 0, 0), (300, 0, 0), BAR), member("c", (300, 0, 0), (300, 0, 400), BAR)
    design = design_of(*bars, joint("a.end", "c.start"), held("a.start"))
    found = solve_modes(design, ModeRequest(6, None, 1e-2))
    assert found.held.part_strain.sum(axis=1) == pytest.approx(np.ones(6))
    assert found.held.part_motion.sum(axis=1) == pytest.approx(np.ones(6))
    assert found.held.places == ()
    for part, element in (
        (found.held.part_strain, found.held.element_strain),
        (found.held.part_motion, found.held.element_motion),
    ):
        starts = np.cumsum((0, *found.held.element_counts))[:-1]
        assert np.add.reduceat(element, starts, axis=1) == pytest.approx(part)


def test_elements_of_a_cantilever_hold_what_beam_theory_says() -> None:
    """Of the first bending mode of a slender bar, by Euler and Bernoulli's shape, to both ends."""
    bar = design_of(member("b", (0, 0, 0), (1000, 0, 0), BAR), held("b.start"))
    found = solve_modes(bar, ModeRequest(1, None, 1e-4), Discretisation(8, 4))
    root = 1.8751040687
    along = np.linspace(0.0, 1.0, 8001)
    ratio = (np.cosh(root) + np.cos(root)) / (np.sinh(root) + np.sin(root))
    arc = root * along
    bent = np.cosh(arc) + np.cos(arc) - ratio * (np.sinh(arc) + np.sin(arc))
    moved = np.cosh(arc) - np.cos(arc) - ratio * (np.sinh(arc) - np.sin(arc))
    held_by = found.held
    assert held_by.element_centres[:, 0] == pytest.approx((np.arange(8) + 0.5) / 8, abs=1e-9)
    for theory, shares in ((bent, held_by.element_strain[0]), (moved, held_by.element_motion[0])):
        pieces = np.array([np.trapezoid(theory[k * 1000 : k * 1000 + 1001] ** 2) for k in range(8)])
        assert shares == pytest.approx(pieces / pieces.sum(), abs=2e-3)
    most = list(held_by.elements(0, 0.3))
    assert [held.number for held in most] == [1, 8]


def test_what_hangs_on_a_site_moves_and_strains_nothing() -> None:
    """A heavy mass at the tip of a light bar has nearly all of the motion, at its own name."""
    tip = '[[masses]]\nsite = "b.end"\nname = "tip"\nmass = "20 kg"\n'
    found = modes_of(member("b", (0, 0, 0), (400, 0, 0), BAR), held("b.start"), tip, count=1)
    held_by = found.held
    assert held_by.place_pieces == (MASS,)
    # A third of the bar's kinetic energy goes with its tip (Rayleigh: 33/140 of its mass).
    bar_mass = found.mass - 20.0
    expected = 20.0 / (20.0 + 33 / 140 * bar_mass)
    assert held_by.place_motion[0, 0] == pytest.approx(expected, abs=2e-4)
    assert held_by.place_strain[0, 0] == 0.0
    assert held_by.place_motion[0, 0] + held_by.part_motion[0, 0] == pytest.approx(1.0)
    assert [name for name, _ in held_by.strained(0)] == ["b"]


def test_rigid_modes_move_parts_by_their_masses_and_strain_nothing() -> None:
    bars = member("a", (0, 0, 0), (300, 0, 0), BAR), member("c", (300, 0, 0), (900, 0, 0), BAR)
    found = solve_modes(design_of(*bars, joint("a.end", "c.start")), ModeRequest(1, None, 1e-2))
    sliding = found.rigid_names.index("slides along x")
    assert found.held.part_motion[sliding] == pytest.approx([1 / 3, 2 / 3])
    assert np.all(found.held.part_strain[: found.rigid_count] == 0)
