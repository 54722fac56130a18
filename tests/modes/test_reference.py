"""Frequencies against theory: closed forms and values computed without finite elements."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.hand.members import wave_number
from belltone.mesh.discretisation import Discretisation
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from tests.conftest import CLAMPED, held

E, RHO, NU = 200e9, 7850.0, 0.3
G = E / (2 * (1 + NU))
RECTANGLE = 'shape = "solid rectangle", width = "{} mm", height = "{} mm"'
EXACT = 1e-6  # accuracy asked for, far below every tolerance here


THIN_STRIP = [19.5669, 122.54, 161.793, 342.735, 358.586, 670.543, 969.683, 1075.76]
THICK_STRIP = [26.0869, 161.793, 163.284, 456.306, 468.968, 891.634, 969.683, 1406.9]
STUBBY = [
    269.655, 443.329, 1616.14, 2123.51, 2484.05, 4206.29, 4250.69, 6098.51, 6370.53, 7710.61,
]  # fmt: skip
TUBE = [
    570.967, 570.967, 1427.65, 1427.65, 1565.18, 2499.03, 2499.03, 2523.77, 3130.35, 3669.77,
]  # fmt: skip
TUBE_SECTION = 'shape = "round tube", diameter = "100 mm", wall = "5 mm", shear_factor = 0.53'


def solve(design: Design, count: int = 10, accuracy: float = EXACT) -> ModeSet:
    return solve_modes(design, ModeRequest(count, None, accuracy))


def of_kind(modes: ModeSet, kind: str) -> NDArray[np.float64]:
    found = [
        f for f, k in zip(modes.frequencies, modes.kinds, strict=True) if k.split(",")[0] == kind
    ]
    return np.array(found)


def test_stubby_cantilever(bar: Callable[..., Design]) -> None:
    """Exact transfer-matrix determinant of the Timoshenko beam, with torsion and the rod."""
    modes = solve(bar(RECTANGLE.format(50, 30), "0.3 m", CLAMPED))
    kinds = ("bending about y", "bending about z", "bending about y", "twist", "bending about z",
             "axial", "bending about y", "bending about z", "twist", "bending about y")  # fmt: skip
    assert modes.frequencies == pytest.approx(STUBBY, rel=1e-4)
    assert tuple(each.split(",")[0] for each in modes.kinds) == kinds
    assert modes.complete


@pytest.mark.parametrize("accuracy", [2e-2, 5e-3, 1e-3, 1e-4])
@pytest.mark.parametrize("case", ["stubby cantilever", "free tube", "thin strip", "thick strip"])
def test_estimates_hold_against_exact_values(
    bar: Callable[..., Design], case: str, accuracy: float
) -> None:
    """True errors against transfer-matrix values, which are printed to six digits."""
    design, expected = {
        "stubby cantilever": (bar(RECTANGLE.format(50, 30), "0.3 m", CLAMPED), STUBBY),
        "free tube": (bar(TUBE_SECTION), TUBE),
        "thin strip": (bar(RECTANGLE.format(50, 6), "0.5 m", CLAMPED), THIN_STRIP),
        "thick strip": (bar(RECTANGLE.format(50, 8), "0.5 m", CLAMPED), THICK_STRIP),
    }[case]
    modes = solve(design, len(expected), accuracy)
    found = modes.flexible[: len(expected)]
    true = np.abs(found / np.array(expected) - 1)
    estimates = modes.errors[modes.rigid_count :][: len(expected)]
    digits = 5e-6  # half a unit of the sixth digit, at worst
    assert np.all(true <= estimates + digits)


def test_free_tube(bar: Callable[..., Design]) -> None:
    modes = solve(bar(TUBE_SECTION))
    assert modes.rigid_count == 6
    assert np.all(modes.frequencies[:6] == 0)
    assert modes.flexible[:10] == pytest.approx(TUBE, rel=1e-4)
    assert len(modes.flexible) == 11  # the tenth is one of a pair, and a pair is not cut


@pytest.mark.parametrize(
    ("thickness", "expected"),
    [
        (6, THIN_STRIP),
        (8, THICK_STRIP),
    ],
)
def test_cantilever_strip(
    bar: Callable[..., Design], thickness: int, expected: list[float]
) -> None:
    modes = solve(bar(RECTANGLE.format(50, thickness), "0.5 m", CLAMPED), 8)
    assert modes.frequencies == pytest.approx(expected, rel=1e-4)


def test_body_off_the_axis_couples_bending_and_twist(bar: Callable[..., Design]) -> None:
    """Euler values; the shaft is slender, so shear changes them by less than 0.1 %."""
    for inertia, expected in (
        (0.1, [20.1481, 20.1727, 22.6124]),
        (0.12, [20.0652, 20.1727, 20.7283]),
    ):
        body = (
            f'[[masses]]\nsite = "bar.end"\nmass = "1 kg"\noffset = ["0 mm", "10 mm", "0 mm"]\n'
            f'inertia = ["{inertia} kg*m^2", "0.001 kg*m^2", "0.001 kg*m^2"]\n'
        )
        modes = solve(bar('shape = "solid round", diameter = "20 mm"', "0.6 m", CLAMPED + body), 3)
        assert modes.frequencies == pytest.approx(expected, rel=1e-3)


def test_tip_body_with_offset_along_the_axis(bar: Callable[..., Design]) -> None:
    body = (
        '[[masses]]\nsite = "bar.end"\nmass = "2 kg"\noffset = ["60 mm", "0 mm", "0 mm"]\n'
        'inertia = ["0.01 kg*m^2", "0.01 kg*m^2", "0.01 kg*m^2"]\n'
    )
    modes = solve(bar(RECTANGLE.format(30, 20), "0.8 m", CLAMPED + body), 10)
    # Euler; for the second mode on, shear and rotary inertia lower the true value visibly.
    assert of_kind(modes, "bending about y")[:1] == pytest.approx([13.2116], rel=1e-3)
    assert of_kind(modes, "bending about y")[:3] == pytest.approx(
        [13.2116, 98.9637, 278.813], rel=6e-3
    )


def test_two_span_beam(bar: Callable[..., Design]) -> None:
    """Euler values by exact dynamic stiffness; a slender beam comes within its shear's share."""
    rest = (
        held("bar.start", '"pinned"')
        + '[sites.mid]\npart = "bar"\nalong = "1.2 m"\n'
        + held("mid", '["z"]')
        + held("bar.end", '["z"]')
    )
    modes = solve(bar(RECTANGLE.format(40, 20), "2 m", rest), 14)
    found = of_kind(modes, "bending about y")[:4]
    assert found == pytest.approx([38.7728, 89.1387, 148.398, 286.101], rel=5e-3)


@pytest.mark.parametrize(
    ("ratio", "roots"),
    [(0.5, (3.82379, 18.3173, 47.2648)), (0.1, (4.63073, 14.9308, 32.8331))],
)
def test_tapered_cantilever(
    bar: Callable[..., Design], ratio: float, roots: tuple[float, ...]
) -> None:
    """Height falling linearly to ``ratio``, even width: B. Downs, J. Appl. Mech. 44 (1977)."""
    end = RECTANGLE.format(40, 10 * ratio)
    modes = solve(bar(RECTANGLE.format(40, 10), "2 m", CLAMPED, taper=end), 10)
    unit = math.sqrt(E * 0.01**2 / 12 / RHO) / (2 * math.pi * 4)
    assert of_kind(modes, "bending about y")[:3] == pytest.approx(np.array(roots) * unit, rel=1e-3)


ENDS = [
    ("clamped", "free"),
    ("clamped", "clamped"),
    ("free", "free"),
    ("pinned", "pinned"),
    ("clamped", "pinned"),
    ("clamped", "guided"),
    ("guided", "guided"),
    ("pinned", "guided"),
    ("pinned", "free"),
    ("guided", "free"),
]


@pytest.mark.parametrize("ends", ENDS)
def test_slender_beams_follow_euler(bar: Callable[..., Design], ends: tuple[str, str]) -> None:
    """A beam 400 times longer than high: shear lowers the first modes by less than 0.05 %."""
    rest = held("bar.start", f'"{ends[0]}"') + held("bar.end", f'"{ends[1]}"')
    modes = solve(bar(RECTANGLE.format(20, 5), "2 m", rest), 8)
    found = of_kind(modes, "bending about y")[:3]
    bending = math.sqrt(E * 0.005**2 / 12 / RHO) / (2 * math.pi * 4)
    expected = [bending * (wave_number(ends, order) or 0) ** 2 for order in (1, 2, 3)]
    assert found == pytest.approx(expected, rel=5e-4)


@pytest.mark.parametrize(
    ("ends", "value"),
    [(("clamped", "free"), (1.875104, 4.694091, 7.854757)),
     (("free", "free"), (4.730041, 7.853205, 10.995608)),
     (("clamped", "pinned"), (3.926602, 7.068583))],
)  # fmt: skip
def test_roots_are_the_textbooks(ends: tuple[str, str], value: tuple[float, ...]) -> None:
    found = [wave_number(ends, order) for order in range(1, len(value) + 1)]
    assert found == pytest.approx(value, abs=1e-6)


def test_pinned_timoshenko_beam_is_exact(bar: Callable[..., Design]) -> None:
    """Both spectra of the pinned Timoshenko beam from its quadratic (S. P. Timoshenko 1921)."""
    height, length, factor = 0.1, 0.5, 5 / 6
    rest = held("bar.start", '"pinned"') + held("bar.end", '["y", "z", "turn x"]')
    modes = solve(bar(RECTANGLE.format(30, 100), "0.5 m", rest), 12)
    radius = height**2 / 12
    expected = []
    for waves in range(1, 4):
        k = waves * math.pi / length
        a = RHO * radius / (factor * G)
        b = -(1 + k**2 * radius * (1 + E / (factor * G)))
        c = E * radius * k**4 / RHO
        square = (-b - math.sqrt(b**2 - 4 * a * c)) / (2 * a)
        expected.append(math.sqrt(square) / (2 * math.pi))
    assert of_kind(modes, "bending about y")[:3] == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize(
    ("rest", "waves"),
    [(CLAMPED, (0.5, 1.5)), (CLAMPED + held("bar.end", '"clamped"'), (1, 2)), ("", (1, 2))],
)
def test_rods_and_shafts(bar: Callable[..., Design], rest: str, waves: tuple[float, ...]) -> None:
    modes = solve(bar('shape = "solid round", diameter = "60 mm"', "0.4 m", rest), 24)
    along, twist = math.sqrt(E / RHO), math.sqrt(G / RHO)
    for kind, speed in (("axial", along), ("twist", twist)):
        expected = [wave * speed / (2 * 0.4) for wave in waves]
        found = of_kind(modes, kind)[: len(expected)]
        assert found == pytest.approx(expected[: len(found)], rel=1e-6)
        assert len(found) >= 1


def test_heavy_tip_mass_with_inertia(bar: Callable[..., Design]) -> None:
    """Static stiffness of the tip and a body so heavy that the bar's own mass is nothing."""
    body = (
        '[[masses]]\nsite = "bar.end"\nmass = "2000 kg"\n'
        'inertia = ["5 kg*m^2", "5 kg*m^2", "5 kg*m^2"]\n'
    )
    modes = solve(bar(RECTANGLE.format(30, 30), "1 m", CLAMPED + body), 6)
    area, moment = 9e-4, 0.03**4 / 12
    flexibility = np.array([[1 / 3, 1 / 2], [1 / 2, 1.0]]) / (E * moment)
    flexibility[0, 0] += 1 / (5 / 6 * G * area)
    squares = np.linalg.eigvals(np.linalg.inv(flexibility @ np.diag([2000.0, 5.0])))
    expected = np.sort(np.sqrt(squares)) / (2 * math.pi)
    # What is left is the bar's mass: 7 kg x 0.24 of 2000 kg, half of it in the frequency.
    assert of_kind(modes, "bending about y")[:1] == pytest.approx(expected[:1], rel=6e-4)


@pytest.mark.parametrize("order", [3, 4, 5])
def test_orders_converge_as_theory_says(bar: Callable[..., Design], order: int) -> None:
    """Halving the elements divides a frequency's error by about 2^(2p)."""
    design = bar(RECTANGLE.format(50, 30), "0.3 m", CLAMPED)
    exact = solve_modes(design, ModeRequest(4, None, 1e-9), Discretisation(8, 8)).frequencies[2]
    errors = [
        abs(solve_modes(design, ModeRequest(4, None, 1.0), Discretisation(n, order)).frequencies[2]
            / exact - 1)
        for n in (2, 4)
    ]  # fmt: skip
    rate = math.log2(errors[0] / errors[1])
    assert rate == pytest.approx(2 * order, abs=0.9)


def test_no_locking_however_slender(bar: Callable[..., Design]) -> None:
    """A span of ten thousand heights, two elements of order 4."""
    design = bar(RECTANGLE.format(1, 0.1), "1 m", CLAMPED)
    modes = solve_modes(design, ModeRequest(1, None, 1.0), Discretisation(2, 4))
    expected = 1.875104**2 / (2 * math.pi) * math.sqrt(E * 1e-8 / 12 / RHO)
    assert modes.frequencies[0] == pytest.approx(expected, rel=1e-4)
