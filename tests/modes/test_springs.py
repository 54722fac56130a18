"""Supports on springs: against theory, and from nothing to rigid."""

import math
from collections.abc import Callable

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.hand.checks import hand_checks
from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.system.assembly import assemble
from tests.conftest import CLAMPED, bar_text, held

SECTION = 'shape = "solid rectangle", width = "40 mm", height = "20 mm"'


def sprung(site: str, springs: str, kind: str = "springs", rest: str = "") -> str:
    return f'[[supports]]\nsite = "{site}"\n{kind} = {{ {springs} }}\n{rest}'


def test_free_beam_on_two_end_springs(bar: Callable[..., Design]) -> None:
    """Exact dynamic stiffness of the Euler beam; motion in the x-z plane."""
    rest = sprung("bar.start", 'z = "1e5 N/m"', rest='hold = ["y", "turn x", "turn z"]\n')
    rest += sprung("bar.end", 'z = "200 N/mm"')
    modes = solve_modes(bar(SECTION, "1.2 m", rest), ModeRequest(12, None, 1e-5))
    assert modes.rigid_names == ("slides along x",)
    in_plane = [
        float(f)
        for f, k, e in zip(modes.frequencies, modes.kinds, modes.energies, strict=True)
        if not k.startswith("rigid") and e[2] + e[4] > 0.5
    ]
    assert in_plane[:4] == pytest.approx([22.204, 50.4955, 98.1358, 209.212], rel=3e-3)
    # What shear and rotary inertia take from the third bending of this beam.
    assert in_plane[4] == pytest.approx(394.718, rel=7e-3)
    assert modes.kinds[1].startswith("moving on its springs")


def test_a_stiff_body_on_springs_is_a_textbook_oscillator(bar: Callable[..., Design]) -> None:
    """Springs so soft that the bar moves as one: bounce and pitch, and a roll about its axis."""
    block = 'shape = "solid rectangle", width = "100 mm", height = "100 mm"'
    rest = "".join(
        sprung(site, 'x = "50 N/m", y = "50 N/m", z = "50 N/m"')
        for site in ("bar.start", "bar.end")
    )
    rest += sprung("bar.start", 'x = "3 N*m"', "turning_springs")
    design = bar(block, "1 m", rest)
    modes = solve_modes(design, ModeRequest(6, None, 1e-6))
    mass = 7850 * 0.01
    assert modes.rigid_count == 0
    roll = mass * (0.1**2 + 0.1**2) / 12
    pitch = mass * (1 + 0.1**2) / 12
    expected = sorted(
        math.sqrt(ratio) / (2 * math.pi)
        for ratio in (*[100 / mass] * 3, 3 / roll, *[100 * 0.25 / pitch] * 2)
    )
    assert modes.frequencies[:6] == pytest.approx(expected, rel=1e-4)
    assert all(kind == "moving on its springs" for kind in modes.kinds[:6])
    for index in range(6):
        checks, _ = hand_checks(design, modes, index)
        assert abs(checks[-1].difference) < 1e-3


@pytest.mark.parametrize(("stiffness", "like"), [(1e-6, "free"), (1e14, "held")])
def test_from_nothing_to_rigid(bar: Callable[..., Design], stiffness: float, like: str) -> None:
    tip = sprung("bar.end", f'z = "{stiffness:g} N/m"')
    found = solve_modes(bar(SECTION, "1 m", CLAMPED + tip), ModeRequest(6, None, 1e-6))
    limit = CLAMPED + (held("bar.end", '["z"]') if like == "held" else "")
    expected = solve_modes(bar(SECTION, "1 m", limit), ModeRequest(6, None, 1e-6))
    assert found.frequencies[:6] == pytest.approx(expected.frequencies[:6], rel=1e-6)


def test_stiffer_springs_never_lower_a_frequency(bar: Callable[..., Design]) -> None:
    before = np.zeros(8)
    for stiffness in (0, 1e2, 1e4, 1e6, 1e8):
        tip = sprung("bar.end", f'z = "{stiffness:g} N/m", y = "{stiffness:g} N/m"')
        design = bar(SECTION, "1 m", CLAMPED + tip)
        found = solve_modes(design, ModeRequest(8, None, 1e-6), Discretisation(3, 6)).frequencies[
            :8
        ]
        assert np.all(found >= before * (1 - 1e-9))
        before = found


def test_springs_may_go_by_the_members_own_axes() -> None:
    points = 'from = ["0 m", "0 m", "0 m"]\nto = ["0 m", "0.8 m", "0.6 m"]'
    own = sprung("bar.end", 'x = "1 kN/m"', rest='axes = "own"\n')
    text = bar_text(SECTION, rest=own).replace('length = "1 m"', points)
    for given, axis in ((text, [0, 0.8, 0.6]), (text.replace('axes = "own"\n', ""), [1.0, 0, 0])):
        system = assemble(evaluate(Sheet.from_text(given)), Discretisation(1, 3))
        row = system.spring_rows.toarray()[0]
        assert row[-6:] == pytest.approx([*axis, 0, 0, 0])
        assert not row[:-6].any()
        assert system.spring_stiffness == pytest.approx([1000.0])


@pytest.mark.parametrize(
    ("support", "says"),
    [
        ('springs = { z = "-1 N/m" }', "must not be negative"),
        ('springs = { z = "1 N*m/rad" }', "where a stiffness \\(in N/mm"),
        ('turning_springs = { z = "1 N/m" }', "where a turning stiffness"),
        ('springs = { w = "1 N/m" }', "there is no key “w”"),
        ("", "give “hold”, “springs” or “turning_springs”"),
        ('springs = { z = "100" }', "“100” has no unit; a stiffness is needed: “100 N/mm”"),
    ],
)
def test_bad_springs_are_explained(support: str, says: str) -> None:
    text = bar_text(SECTION, rest=f'[[supports]]\nsite = "bar.end"\n{support}\n')
    with pytest.raises(SheetError, match=says):
        evaluate(Sheet.from_text(text))
