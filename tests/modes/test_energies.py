"""Where the energy of modes is: parts, springs, joints, regions of received meshes."""

from __future__ import annotations

import numpy as np
import pytest

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
    assert found.places == ("b.start spring", "b.end spring")
    assert found.place_energies[0] == pytest.approx([0.75, 0.25], abs=2e-3)
    assert found.where(0)[0][0] == "b.start spring"


def test_a_sprung_joint_holds_what_two_stiff_bars_do_not() -> None:
    one, two = member("a", (0, 0, 0), (200, 0, 0), BAR), member("c", (200, 0, 0), (400, 0, 0), BAR)
    soft = 'hold = ["x", "y", "z", "turn x", "turn z"]\nturning_springs = { y = "50 N*m/rad" }\n'
    found = modes_of(one, two, joint("a.end", "c.start", "sprung", soft), held("a.start"), count=1)
    (place,) = found.places
    assert place.startswith("joint ")
    assert found.place_energies[0, 0] > 0.95
    total = found.part_energies[0].sum() + found.place_energies[0].sum()
    assert total == pytest.approx(1.0, abs=1e-9)
    # The second bar swings; the first hardly moves.
    assert found.part_motions[0] == pytest.approx([0.0, 1.0], abs=0.01)


def test_regions_of_a_received_mesh_share_its_energy() -> None:
    sheet = read_sheet(examples_folder() / "drip_tray.toml")
    design = evaluate(sheet)
    found = solve_modes(design, ModeRequest(3, None, 0.5))
    assert found.places
    assert all(name.startswith("tray.") for name in found.places)
    assert np.all(found.place_energies >= 0)
    assert np.all(found.place_energies[found.rigid_count :].sum(axis=1) > 0.5)


def test_shares_of_all_parts_are_the_whole() -> None:
    bars = member("a", (0, 0, 0), (300, 0, 0), BAR), member("c", (300, 0, 0), (300, 0, 400), BAR)
    design = design_of(*bars, joint("a.end", "c.start"), held("a.start"))
    found = solve_modes(design, ModeRequest(6, None, 1e-2))
    assert found.part_energies.sum(axis=1) == pytest.approx(np.ones(6))
    assert found.part_motions.sum(axis=1) == pytest.approx(np.ones(6))
    assert found.places == ()
