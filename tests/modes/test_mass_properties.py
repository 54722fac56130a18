from collections.abc import Callable

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.modes.mass_properties import mass_properties
from belltone.modes.solve import ModeRequest, solve_modes
from tests.conftest import CLAMPED

BOX = 'shape = "solid rectangle", width = "40 mm", height = "20 mm"'
BODY = (
    '[[masses]]\nsite = "bar.end"\nmass = "3 kg"\noffset = ["0 mm", "50 mm", "-80 mm"]\n'
    'inertia = ["0.01 kg*m^2", "0.02 kg*m^2", "0.03 kg*m^2"]\n'
)


def test_a_bar_is_a_cuboid(bar: Callable[..., Design]) -> None:
    found = mass_properties(bar(BOX))
    mass = 7850 * 0.04 * 0.02
    assert found.mass == pytest.approx(mass, rel=1e-12)
    assert found.centre == pytest.approx([0.5, 0, 0], abs=1e-12)
    expected = mass / 12 * np.array([0.04**2 + 0.02**2, 1 + 0.02**2, 1 + 0.04**2])
    assert np.diag(found.inertia) == pytest.approx(expected, rel=1e-10)


def test_a_hung_body_counts_about_the_common_centre(bar: Callable[..., Design]) -> None:
    found = mass_properties(bar(BOX, rest=BODY))
    beam, body = 7850 * 0.04 * 0.02, 3.0
    centre = (beam * np.array([0.5, 0, 0]) + body * np.array([1, 0.05, -0.08])) / (beam + body)
    assert found.mass == pytest.approx(beam + body, rel=1e-12)
    assert found.centre == pytest.approx(centre, rel=1e-10)
    arms = [np.array([0.5, 0, 0]) - centre, np.array([1, 0.05, -0.08]) - centre]
    about_x = beam / 12 * (0.04**2 + 0.02**2) + 0.01
    about_x += sum(m * (a[1] ** 2 + a[2] ** 2) for m, a in zip((beam, body), arms, strict=True))
    assert found.inertia[0, 0] == pytest.approx(about_x, rel=1e-10)
    assert found.inertia == pytest.approx(found.inertia.T, abs=1e-12)


def test_a_free_body_moves_as_one(bar: Callable[..., Design]) -> None:
    """Rigid modes carry all of it, flexible ones nothing, in every direction."""
    design = bar(BOX, rest=BODY)
    modes = solve_modes(design, ModeRequest(4, None, 1e-3))
    whole = mass_properties(design)
    expected = [whole.mass] * 3 + list(np.diag(whole.inertia))
    assert modes.effective[:6].sum(axis=0) == pytest.approx(expected, rel=1e-9)
    assert np.abs(modes.effective[6:]).max() < 1e-9 * whole.mass


def test_effective_masses_of_a_cantilever(bar: Callable[..., Design]) -> None:
    """0.6131 and 0.1883 of the mass in the first two bending modes (Euler)."""
    modes = solve_modes(bar(BOX, "4 m", CLAMPED), ModeRequest(60, None, 1e-3))
    first, second = [i for i, k in enumerate(modes.kinds) if k.startswith("bending about y")][:2]
    assert modes.effective[first, 2] / modes.mass == pytest.approx(0.6131, abs=1e-3)
    assert modes.effective[second, 2] / modes.mass == pytest.approx(0.1883, abs=1e-3)
    assert modes.effective[first, :2] == pytest.approx([0, 0], abs=1e-9)
    share = modes.effective[:, :3].sum(axis=0) / modes.mass
    assert np.all(share < 1.0)
    assert share[2] > 0.95
    assert modes.mode(first).effective_mass[2] == pytest.approx(0.6131 * modes.mass, rel=2e-3)
