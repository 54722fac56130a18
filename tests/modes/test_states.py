"""Loaded states near branches, free components under load, whirl on a basis large enough."""

import re

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import ellipk

from belltone.exchange.preload_tables import buckling_text
from belltone.mesh.discretisation import Discretisation
from belltone.modes.errors import BuckledModesError
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, NoModesError
from tests.assemblies import design_of, held, member, modes_at, modes_of, plate

BAR = 'shape = "solid rectangle", width = "20 mm", height = "3 mm"'


def pressed(seed: float) -> ModeSet:
    """A pinned strip of 0.6 m pressed to one and a half times its buckling load."""
    push = 1.5 * np.pi**2 * 200e9 * 0.02 * 0.003**3 / 12 / 0.6**2
    text = (
        member("b", (0, 0, 0), (600, 0, 0), BAR)
        + '[sites.mid]\npart = "b"\nalong = "300 mm"\n'
        + held("b.start", '["x", "y", "z", "turn x", "turn z"]')
        + held("b.end", '["y", "z", "turn z"]')
        + '[preload]\ndeflection = "large"\n'
        + f'[[preload.forces]]\nsite = "b.end"\nforce = ["{-push!r} N", "0 N", "0 N"]\n'
        + f'[[preload.forces]]\nsite = "mid"\nforce = ["0 N", "0 N", "{seed} N"]\n'
    )
    return modes_at(design_of(text), ModeRequest(2, None, 1e-3), Discretisation(2, 6))


@pytest.mark.parametrize("seed", [0.02, -0.02])
def test_a_strip_bows_out_where_its_seed_points(seed: float) -> None:
    base = pressed(seed).base
    assert base is not None
    middle = base.displacements[len(base.displacements) // 2, 2]
    assert np.sign(middle) == np.sign(seed)
    # The elastica (S. P. Timoshenko and J. M. Gere, Theory of Elastic Stability, section 2.7): the
    # load is (2 K(k) / pi)² of the critical one, the rise k / K(k) of the length.
    quarter = 0.5 * np.pi * np.sqrt(1.5)
    modulus = brentq(lambda k: ellipk(k * k) - quarter, 0.1, 0.99)
    assert abs(middle) == pytest.approx(0.6 * modulus / quarter, rel=2e-3)


CYLINDER = """
[parts.c]
kind = "revolved"
material = "steel"
thickness = "2 mm"
profile = [{ at = ["100 mm", "0 mm"] }, { at = ["100 mm", "300 mm"] }]
[preload]
[[preload.pressures]]
site = "c.face"
pressure = "2 bar"
on = "inner"
"""


def test_pressure_on_a_cylinder_that_is_free_along_its_axis_is_balanced() -> None:
    found = modes_of(CYLINDER, count=4, accuracy=1e-2)
    assert found.rigid_count == 6
    bare = modes_of(CYLINDER.split("[preload]")[0], count=4, accuracy=1e-2)
    assert np.all(found.flexible[:4] > bare.flexible[:4])


def test_a_component_free_to_slide_bears_balanced_compression() -> None:
    """The same with springs too soft to count instead of nothing."""
    ends = '[preload]\n[[preload.forces]]\nsite = "b.start"\nforce = ["100 N", "0 N", "0 N"]\n'
    ends += '[[preload.forces]]\nsite = "b.end"\nforce = ["-100 N", "0 N", "0 N"]\n'
    bar = member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "15 mm"')
    turns = held("b.start", '["turn x", "turn y", "turn z"]')
    free = modes_of(bar, turns, ends, count=4)
    assert free.rigid_count == 3
    springs = '[[supports]]\nsite = "b.start"\nsprings = { x = "0.1 N/m", y = "0.1 N/m", z = '
    soft = modes_of(bar, turns, springs + '"0.1 N/m" }\n', ends, count=7)
    assert soft.flexible[3:7] == pytest.approx(free.flexible[:4], rel=1e-4)


def test_what_slides_freely_and_buckles_is_told_so() -> None:
    text = plate("p", 300, 200, (0, 0, 0)) + held("p.west", '["turn x", "turn y", "turn z"]')
    for site, push in (("west", 1e3), ("east", -1e3)):
        text += f'[[preload.forces]]\nsite = "p.{site}"\nforce = ["{push} N", "0 N", "0 N"]\n'
    with pytest.raises(BuckledModesError, match="buckled under this load"):
        modes_of(text, count=2, accuracy=2e-2)


def test_moves_that_cannot_both_be_are_told() -> None:
    text = plate("p", 300, 200, (0, 0, 0)) + held("p.east")
    text += '[[preload.moves]]\nsite = "p.west"\nz = "1 mm"\n'
    text += '[[preload.moves]]\nsite = "p.south-west"\nz = "2 mm"\n'
    with pytest.raises(NoModesError, match=r"“p.west” and “p.south-west”.*cannot both be"):
        modes_of(text, count=2, accuracy=2e-2)


def test_a_move_of_what_a_support_holds_is_told() -> None:
    """Held it stayed where it was, and the answer was that of no preload."""
    text = plate("p", 300, 200, (0, 0, 0)) + held("p.outline", '"pinned"')
    text += '[[preload.moves]]\nsite = "p.north"\nz = "1 mm"\n'
    with pytest.raises(NoModesError, match=r"“p.outline” and “p.north” are held at"):
        modes_of(text, count=2, accuracy=2e-2)


SPUN = (
    member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid rectangle", width = "50 mm", '
    'height = "30 mm"')
    + held("b.start")
    + '[preload]\nspin = { speed = "300 rad/s", axis = "z", gyroscopic = true }\n'
)  # fmt: skip


SHAFT = (
    member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "30 mm"')
    + held("b.start", '["x", "y", "z", "turn x"]')
    + held("b.end", '["y", "z"]')
    + '[preload]\nspin = { speed = "SPEED", axis = "x" }\n'
)
BENDING = np.pi**2 * np.sqrt(200e9 / 7850) * 0.03 / 4
"""Critical speed of the shaft (rad/s), where turning outweighs its bending."""


def test_how_near_a_spin_is_to_critical_is_told_by_its_speed() -> None:
    base = modes_of(SHAFT.replace("SPEED", "200 rad/s"), count=2).base
    assert base is not None
    assert base.critical[0] == pytest.approx(BENDING, rel=2e-3)
    told = f"critical at {base.critical[0] * 30 / np.pi:.4g} rpm, 1.867 times the speed"
    assert buckling_text(base) == told
    counted = SHAFT.replace('"SPEED"', '"200 rad/s", gyroscopic = true')
    base = modes_of(counted, count=2).base
    assert base is not None
    assert buckling_text(base) == f"{told}, without gyroscopic forces"


def test_a_spin_beyond_its_critical_speed_says_which_and_what_to_do() -> None:
    fast = SHAFT.replace("SPEED", "500 rad/s")
    with pytest.raises(BuckledModesError) as caught:
        modes_of(fast, count=2)
    told = re.match(r"too fast: from (\d+) rpm on, 74\.7 % of this speed", str(caught.value))
    assert told
    assert float(told[1]) == pytest.approx(BENDING * 30 / np.pi, rel=2e-3)
    assert "“gyroscopic = true”" in str(caught.value)
    # A pull beside it is no matter of speed alone.
    pulled = fast + '[[preload.forces]]\nsite = "b.end"\nforce = ["100 N", "0 N", "0 N"]\n'
    with pytest.raises(BuckledModesError, match="buckled at"):
        modes_of(pulled, count=2)
    assert modes_of(fast.replace('"x" }', '"x", gyroscopic = true }'), count=2).flexible[0] > 0


def test_few_whirling_modes_are_as_true_as_many() -> None:
    few, many = (modes_of(SPUN, count=count, accuracy=5e-3) for count in (6, 24))
    off = np.abs(few.flexible[:6] / many.flexible[:6] - 1)
    assert np.all(off <= few.errors[:6] + many.errors[:6])
    assert few.complete is True
    assert many.complete is True


ARCH = """
[parts.b]
kind = "member"
material = "steel"
path = [{ at = ["0 mm", "0 mm", "0 mm"] },
  { at = ["1000 mm", "0 mm", "0 mm"], through = ["500 mm", "0 mm", "60 mm"] }]
section = { shape = "solid rectangle", width = "30 mm", height = "6 mm" }
"""


def test_an_arch_that_stretches_as_it_bends_bends() -> None:
    found = modes_of(ARCH, held("b.start"), held("b.end"), count=4)
    assert all(kind.startswith(("bending", "twist")) for kind in found.kinds)
    rod = modes_of(
        member("b", (0, 0, 0), (200, 0, 0)), held("b.axis", '["y", "z", "turn x"]'),
        held("b.start", '["x"]'), count=1,
    )  # fmt: skip
    assert [each.split(",")[0] for each in rod.kinds] == ["axial"]


def test_equal_modes_are_marked() -> None:
    found = modes_of(
        member("b", (0, 0, 0), (500, 0, 0), 'shape = "solid round", diameter = "20 mm"'),
        held("b.start"),
        count=3,
    )
    first, second, third = found.modes()[:3]
    assert (first.equals, second.equals) == ((2,), (1,))
    assert first.kind_words.endswith("(a pair with 2)")
    assert 1 not in third.equals


def test_an_accuracy_no_mesh_reaches_is_given_up_early() -> None:
    """A thick plate shears the more at a single corner that holds it, the finer the mesh."""
    text = plate("p", 300, 200, (0, 0, 0)).replace("4 mm", "60 mm")
    text += held("p.south-west", '["x", "y", "z"]')
    text += held("p.south-east", '["z"]') + held("p.north-east", '["z"]')
    with pytest.raises(NoModesError, match="however small the elements are"):
        modes_of(text, count=4, accuracy=2e-3)


def test_corners_hold_a_plate_in_its_plane() -> None:
    """Held at their nodes alone they gave way without limit; tied in the mean of what is near."""
    text = plate("p", 300, 200, (0, 0, 0)) + held("p.face", '["z", "turn x", "turn y"]')
    text += held("p.south-east", '["y"]') + held("p.south-west", '["x", "y"]')
    found, finer = (modes_of(text, count=2, accuracy=accuracy) for accuracy in (2e-2, 4e-3))
    assert finer.flexible == pytest.approx(found.flexible, rel=2e-2)
    assert finer.unknowns > found.unknowns
