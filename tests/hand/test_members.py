from collections.abc import Callable

import pytest

from belltone.design.values import Design
from belltone.hand.check import HandCheck
from belltone.hand.checks import hand_checks
from belltone.hand.members import wave_number
from belltone.modes.solve import ModeRequest, solve_modes
from tests.conftest import CLAMPED, held

STRIP = 'shape = "solid rectangle", width = "20 mm", height = "5 mm"'


def checks(design: Design, count: int = 12) -> dict[str, list[HandCheck]]:
    modes = solve_modes(design, ModeRequest(count, None, 1e-5))
    found: dict[str, list[HandCheck]] = {}
    for index, kind in enumerate(modes.kinds):
        told, _ = hand_checks(design, modes, index)
        if told:
            found.setdefault(kind.split(",")[0], []).append(told[0])
    return found


def test_a_slender_cantilever_agrees(bar: Callable[..., Design]) -> None:
    found = checks(bar(STRIP, rest=CLAMPED))
    first = found["bending about y"][0]
    assert "Euler cantilever" in first.formula
    assert "1.8751" in first.formula
    assert abs(first.difference) < 1e-3
    for kind, all_of_kind in found.items():
        for order, check in enumerate(all_of_kind):
            assert abs(check.difference) < 2e-3 * (order + 1) ** 2, kind


def test_a_stubby_beam_shows_what_shear_does(bar: Callable[..., Design]) -> None:
    section = 'shape = "solid rectangle", width = "50 mm", height = "100 mm"'
    found = checks(bar(section, "0.5 m", CLAMPED), 4)
    assert -0.1 < found["bending about y"][0].difference < -0.02


def test_rods_and_shafts_are_named(bar: Callable[..., Design]) -> None:
    section = 'shape = "solid round", diameter = "60 mm"'
    found = checks(bar(section, "0.4 m", CLAMPED), 16)
    assert found["twist"][0].formula.startswith("fixed-free shaft")
    assert found["axial"][0].formula.startswith("fixed-free rod")
    assert found["axial"][0].difference == pytest.approx(0, abs=1e-6)


def test_a_tip_mass(bar: Callable[..., Design]) -> None:
    body = '[[masses]]\nsite = "bar.end"\nmass = "2 kg"\n'
    found = checks(bar(STRIP, rest=CLAMPED + body), 4)
    assert "tip mass" in found["bending about y"][0].formula
    assert abs(found["bending about y"][0].difference) < 2e-3


@pytest.mark.parametrize(
    ("rest", "why"),
    [
        (
            CLAMPED + '[[masses]]\nsite = "bar.end"\nmass = "1 kg"\n'
            'offset = ["0 mm", "5 mm", "0 mm"]\n',
            "a mass hangs beside its axis",
        ),
        (CLAMPED + held("bar.axis", '["z"]'), "it is held all along"),
    ],
)
def test_where_no_formula_fits_the_reason_is_said(
    bar: Callable[..., Design], rest: str, why: str
) -> None:
    design = bar(STRIP, rest=rest)
    modes = solve_modes(design, ModeRequest(2, None, 1e-3))
    assert hand_checks(design, modes, modes.rigid_count) == ((), why)


def test_a_rigid_mode_has_no_formula(bar: Callable[..., Design]) -> None:
    design = bar(STRIP)
    modes = solve_modes(design, ModeRequest(2, None, 1e-3))
    assert hand_checks(design, modes, 0) == ((), "a rigid motion has no frequency")
    checks, _ = hand_checks(design, modes, 6)
    assert "free-free beam" in checks[0].formula


def test_ends_no_table_knows() -> None:
    assert wave_number(("sprung", "free"), 1) is None
