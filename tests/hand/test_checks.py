"""Textbook values against the solver: members as lines, rings, plates, discs, cylinders.

Both sides share nothing but the design, so each holds the other.
"""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from belltone.design.values import Design
from belltone.hand.check import HandCheck
from belltone.hand.checks import hand_checks
from belltone.hand.discs import disc_roots
from belltone.hand.one_line import OneLine, PointOnLine, frequencies
from belltone.hand.plates import _rectangle_values
from belltone.mesh.discretisation import Discretisation
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from tests.assemblies import design_of, held, joint, member, modes_at, plate

BAR = 'shape = "solid rectangle", width = "30 mm", height = "20 mm"'
RAIL = member("b", (0, 0, 0), (800, 0, 0), BAR)
PINNED = held("b.start", '["x", "y", "z", "turn x"]') + held("b.end", '["y", "z"]')
RING = """
[parts.b]
kind = "member"
material = "steel"
path = [
  { at = ["200 mm", "0 mm", "0 mm"], through = ["0 mm", "-200 mm", "0 mm"] },
  { at = ["-200 mm", "0 mm", "0 mm"], through = ["0 mm", "200 mm", "0 mm"] },
]
closed = true
section = { shape = "solid rectangle", width = "10 mm", height = "14 mm" }
"""
TUBE = """
[parts.w]
kind = "revolved"
material = "steel"
thickness = "1 mm"
profile = [{ at = ["100 mm", "0 mm"] }, { at = ["100 mm", "300 mm"] }]
"""
TAPERED = RAIL.replace(
    'height = "20 mm" }',
    'height = "20 mm" }\nsection_at_end = { shape = "solid rectangle", width = "30 mm", '
    'height = "10 mm" }',
)
HORN = """
[parts.b]
kind = "turned"
material = "steel"
contour = [
  { at = "0 mm", radius = "30 mm" }, { at = "60 mm", radius = "30 mm" },
  { at = "60.001 mm", radius = "15 mm" }, { at = "130 mm", radius = "15 mm" },
]
"""


def flat(outline: str) -> str:
    return f"""
[parts.w]
kind = "plate"
material = "steel"
thickness = "2 mm"
outline = {{ {outline} }}
"""


PLATE = flat('shape = "rectangle", width = "500 mm", height = "400 mm"')
DISC = flat('shape = "disc", diameter = "400 mm"')
ANNULUS = flat('shape = "ring", diameter = "400 mm", bore = "150 mm"')
SPUN = '[preload.spin]\nspeed = "500 rpm"\naxis = "z"\n'
TIP = '[[masses]]\nsite = "b.end"\nmass = "2 kg"\n'
BED = '[[supports]]\nsite = "b.axis"\nsprings = { x = "2 N/mm", y = "3 N/mm", z = "1 N/mm" }\n'
ON_PLATE = '[[masses]]\nsite = "w.face"\nmass = "1 kg"\nspread = "even"\n'
UNEVEN = '{ from = "2 mm", to = "4 mm", along = "x" }'
POST = member("r", (0, 0, 0), (0, 0, 300)) + joint("r.start", "w")
MIDDLE = '[sites.m]\npart = "b"\nalong = "300 mm"\n[[masses]]\nsite = "m"\nmass = "2 kg"\n'


def solved(*pieces: str, count: int = 5) -> tuple[Design, ModeSet]:
    design = design_of(*pieces)
    return design, modes_at(design, ModeRequest(count, None, 1e-3), Discretisation(2, 6))


def told(design: Design, modes: ModeSet) -> list[tuple[HandCheck, ...]]:
    found = []
    for index in range(modes.rigid_count, len(modes)):
        checks, why = hand_checks(design, modes, index)
        assert bool(checks) != bool(why)
        found.append(checks)
    return found


@pytest.mark.parametrize(
    "pieces",
    [
        (RAIL, held("b.start")),
        (RAIL, PINNED),
        (RAIL, held("b.start"), '[[masses]]\nsite = "b.end"\nmass = "2 kg"\n'),
        (RAIL, PINNED, MIDDLE),
        (RAIL, held("b.start"), '[[supports]]\nsite = "b.end"\nsprings = { z = "20 N/mm" }\n'),
        (RAIL, BED),
        (RAIL, PINNED, '[[preload.forces]]\nsite = "b.end"\nforce = ["20 kN", "0 N", "0 N"]\n'),
        (RAIL, PINNED, '[[preload.forces]]\nsite = "b.end"\nforce = ["-40 kN", "0 N", "0 N"]\n'),
        (TAPERED, held("b.start")),
    ],
    ids=["cantilever", "pinned", "tip mass", "mass within", "end spring", "bed", "pulled",
         "pressed", "tapered"],
)  # fmt: skip
def test_lines_agree_with_the_solver(pieces: tuple[str, ...]) -> None:
    """One-dimensional theory with shear is the solver's own theory: what is left is its error."""
    design, modes = solved(*pieces)
    for checks in told(design, modes):
        best = checks[-1]
        assert abs(best.difference) < 3e-4, best
        assert all(abs(each.difference) < 0.012 for each in checks)
        assert all(each.source and each.assumes for each in checks)


def test_several_fit_a_cantilever_with_a_tip_mass() -> None:
    design, modes = solved(RAIL, held("b.start"), '[[masses]]\nsite = "b.end"\nmass = "2 kg"\n')
    first = told(design, modes)[0]
    assert [each.formula.split(",")[0] for each in first] == [
        "cantilever with tip mass",
        "Euler beam by one-dimensional theory",
        "beam with shear and rotary inertia",
    ]


def test_a_rotating_cantilever_flaps_and_lags() -> None:
    spin = '[preload.spin]\nspeed = "2000 rpm"\naxis = "z"\nthrough = ["-100 mm", "0 mm", "0 mm"]\n'
    design, modes = solved(RAIL, held("b.start"), spin)
    at_rest, still = solved(RAIL, held("b.start"))
    for checks in told(design, modes):
        assert abs(checks[-1].difference) < 2e-4
    # Flapping stiffens by more than lagging: the spin takes its own square from the lag.
    flap, lag = (
        next(f for f, k in zip(own.flexible, own.kinds, strict=True) if k.startswith(kind))
        for own, kind in ((modes, "bending about y"), (modes, "bending about z"))
    )
    lower, upper = still.flexible[0], still.flexible[1]
    assert flap**2 - lower**2 > lag**2 - upper**2
    assert at_rest.preload is None


def test_a_wire_is_a_string() -> None:
    wire = member("b", (0, 0, 0), (800, 0, 0), 'shape = "solid round", diameter = "1 mm"')
    pull = '[[preload.forces]]\nsite = "b.end"\nforce = ["100 N", "0 N", "0 N"]\n'
    design, modes = solved(wire, PINNED, pull, count=4)
    first = told(design, modes)[0]
    assert first[0].formula.startswith("string, f = 1/(2L)·√(N/ρA)")
    assert 0 < first[0].difference < 0.01


def test_a_heated_held_bar_is_under_its_own_thrust() -> None:
    hot = RAIL.replace('"steel"', '"warm"') + (
        '[materials.warm]\ndensity = "7850 kg/m^3"\nyoungs_modulus = "200 GPa"\n'
        'poisson_ratio = 0.3\nexpansion = "12 um/m/K"\n[[preload.warmths]]\npart = "b"\n'
        'change = "30 K"\n'
    )
    design, modes = solved(hot, held("b.start"), held("b.end"))
    first = told(design, modes)[0]
    force = 200e9 * 600e-6 * 12e-6 * 30
    assert f"N = -{force:.0f} N" in first[0].formula
    assert abs(first[-1].difference) < 1e-4


def test_a_stepped_resonator_by_one_dimensional_theory() -> None:
    design, modes = solved(HORN, count=6)
    axial = [at for at, kind in enumerate(modes.kinds) if kind.startswith("axial")]
    checks, _ = hand_checks(design, modes, axial[0])
    assert checks[0].formula.startswith("rod by one-dimensional theory, of uneven section")
    assert abs(checks[0].difference) < 1e-4


def test_rings_in_and_out_of_their_plane() -> None:
    design, modes = solved(RING, count=6)
    for checks in told(design, modes):
        assert -6e-3 < checks[0].difference < 0


EDGES = ("west", "south", "east", "north")
HOLDS = {"C": '"clamped"', "S": '"simply supported"'}


@pytest.mark.parametrize(
    "letters", ["CCCC", "SSSS", "CFFF", "FFFF", "CSCF", "CSFF", "SCSC", "FSCS"]
)
def test_rectangular_plates(letters: str) -> None:
    supports = [
        held(f"w.{edge}", HOLDS[letter])
        for edge, letter in zip(EDGES, letters, strict=True)
        if letter != "F"
    ]
    design, modes = solved(PLATE, *supports)
    for checks in told(design, modes):
        assert "-".join(letters) in checks[0].formula
        assert -4e-3 < checks[0].difference < 1e-4  # a wall that shears is the softer one


def test_all_edge_combinations_of_a_square_plate_against_tabulated_values() -> None:
    """Leissa 1973, table C: first λ of square plates, ν = 0.3."""
    known = {
        "SSSS": 19.7392, "SCSC": 28.9509, "SCSS": 23.6463, "SSSF": 11.6845, "SCSF": 12.6874,
        "SFSF": 9.6314, "CCCC": 35.992, "CCCS": 31.829, "CCCF": 24.020, "CCSS": 27.056,
        "CCSF": 17.615, "CCFF": 6.9421, "CSCF": 23.460, "CSSF": 16.865, "CSFF": 5.3639,
        "CFCF": 22.272, "CFSF": 15.285, "CFFF": 3.4917, "SSFF": 3.3687, "SFFF": 6.6480,
        "FFFF": 13.489,
    }  # fmt: skip
    words = {"C": "clamped", "S": "simply supported", "F": "free"}
    assert len(known) == 21
    for letters, value in known.items():
        found = _rectangle_values(tuple(words[letter] for letter in letters), 1.0, 0.3)
        # Those of the table are upper bounds, by products of beams' shapes.
        assert 0.99 * value < found[0] < 1.0005 * value, letters


def test_turning_a_plate_round_changes_nothing() -> None:
    for sides in itertools.islice(
        itertools.product(("clamped", "simply supported", "free"), repeat=4), 0, 81, 7
    ):
        wide = _rectangle_values(sides, 1.5, 0.3)[:4]
        tall = _rectangle_values(sides[1:] + sides[:1], 1 / 1.5, 0.3)[:4]
        assert wide == pytest.approx(tall * 1.5**2, rel=1e-5)


@pytest.mark.parametrize(
    ("part", "supports"),
    [
        (DISC, held("w.rim")),
        (DISC, held("w.rim", '"simply supported"')),
        (DISC, ""),
        (ANNULUS, ""),
        (ANNULUS, held("w.bore")),
    ],
    ids=["clamped disc", "supported disc", "free disc", "free annulus", "annulus on a hub"],
)
def test_discs_and_annuli(part: str, supports: str) -> None:
    design, modes = solved(part, supports, count=7)
    for checks in told(design, modes):
        assert -6e-3 < checks[0].difference < 1e-4


def test_disc_parameters_as_tabulated() -> None:
    """Leissa 1969, tables 2.1 to 2.5: λ², ν = 0.3 (free: 0.33)."""
    clamped = [disc_roots(n, "clamped", "", 0.0, 0.3)[0] ** 2 for n in range(3)]
    assert clamped == pytest.approx([10.2158, 21.26, 34.88], rel=1e-3)
    free = [disc_roots(n, "free", "", 0.0, 0.33)[0] ** 2 for n in (2, 0, 3, 1)]
    assert free == pytest.approx([5.253, 9.084, 12.23, 20.52], rel=2e-3)
    assert disc_roots(0, "simply supported", "", 0.0, 0.3)[0] ** 2 == pytest.approx(4.977, rel=0.01)


@pytest.mark.parametrize(
    ("supports", "least"),
    [
        (held("w.start", '"diaphragm"') + held("w.end", '"diaphragm"'), -1.5e-3),
        ("", -8e-3),
    ],
    ids=["diaphragms", "free"],
)
def test_cylinders(supports: str, least: float) -> None:
    design = design_of(TUBE, supports)
    modes = modes_at(design, ModeRequest(6, None, 1e-3), Discretisation(2, 6))
    for checks in told(design, modes):
        assert least < checks[0].difference < 1e-4


def cap(degrees: float, thickness: str) -> str:
    """A sphere of 100 mm to its middle, or as much of it round its top."""
    half, end = np.radians(0.5 * degrees), np.radians(degrees)
    points = [
        f'["{100 * np.sin(angle):.12f} mm", "{100 * np.cos(angle):.12f} mm"]'
        for angle in (half, end)
    ]
    return TUBE.replace('"1 mm"', f'"{thickness}"').replace(
        'profile = [{ at = ["100 mm", "0 mm"] }, { at = ["100 mm", "300 mm"] }]',
        f'profile = [{{ at = ["0 mm", "100 mm"] }}, {{ at = {points[1]}, through = {points[0]} }}]',
    )


def test_a_cap_may_be_told_in_rounded_numbers() -> None:
    design = design_of(cap(60, "1 mm").replace("86.602540378444 mm", "86.6 mm"))
    modes = solve_modes(design, ModeRequest(1, None, 5e-2))
    ((check,), _) = hand_checks(design, modes, modes.rigid_count)
    assert check.formula == "free spherical cap without stretching, n = 2"


def test_a_sphere() -> None:
    """Five modes of degree 2 and seven of degree 3, mixed at will: each is told its degree."""
    design = design_of(cap(180, "1 mm"))
    modes = solve_modes(design, ModeRequest(12, None, 5e-4))
    found = told(design, modes)
    degrees = [checks[0].formula for checks in found]
    assert degrees == 5 * ["sphere of degree n = 2, lower branch"] + 7 * [
        "sphere of degree n = 3, lower branch"
    ]
    assert max(abs(checks[0].difference) for checks in found) < 1e-4


def test_free_caps_stretch_in_a_strip_along_their_rim_alone() -> None:
    """What they lose by it falls with the root of the thickness."""
    off = {}
    for thickness in ("1 mm", "0.1 mm"):
        design = design_of(cap(60, thickness))
        modes = solve_modes(design, ModeRequest(4, None, 2e-3))
        off[thickness] = [checks[0].difference for checks in told(design, modes)]
    assert all(-0.06 < each < 0 for each in off["1 mm"])
    ratio = np.array(off["1 mm"]) / off["0.1 mm"]
    assert ratio == pytest.approx(np.full(4, np.sqrt(10)), rel=0.25)


@pytest.mark.parametrize(("degrees", "thickness"), [(10, "0.5 mm"), (20, "1 mm"), (30, "1 mm")])
def test_shallow_clamped_caps(degrees: float, thickness: str) -> None:
    design = design_of(cap(degrees, thickness), held("w.end"))
    modes = solve_modes(design, ModeRequest(7, None, 5e-3))
    found = [hand_checks(design, modes, at)[0] for at in range(7)]
    known = [checks[0].difference for checks in found if checks]
    assert len(known) >= 4
    assert max(map(abs, known)) < 0.045


@pytest.mark.parametrize(
    ("pieces", "why"),
    [
        ((plate("w", 500, 400, (0, 0, 0)), POST), "several parts are joined"),
        ((PLATE, ON_PLATE), "it carries a mass"),
        ((PLATE.replace('"2 mm"', UNEVEN),), "its wall is layered or uneven"),
        ((TUBE, held("w.start")), "its ends are neither free nor both on diaphragms"),
        ((cap(45, "1 mm"), held("w.end")), "the cap is not shallow"),
        (
            (cap(25, "1 mm"), held("w.end", '"diaphragm"')),
            "the rim of the cap is neither free nor clamped",
        ),
        ((RING, held("b.start")), "the ring is held, loaded, or carries something"),
        ((RAIL, held("b.start"), SPUN, TIP), "a mass turns with it"),
    ],
)  # fmt: skip
def test_what_no_table_has_says_why(pieces: tuple[str, ...], why: str) -> None:
    design = design_of(*pieces)
    modes = solve_modes(design, ModeRequest(1, None, 5e-2))
    assert hand_checks(design, modes, modes.rigid_count) == ((), why)


def test_one_line_gives_what_is_known_exactly() -> None:
    """A clamped rod, a pinned beam under a thrust, and a mass on a spring held by a light beam."""
    one = np.ones_like
    rod = OneLine(2.0, mass=one, stretching=one, points=[PointOnLine(0.0, held=(0,))])
    assert frequencies(rod, 3) == pytest.approx([0.125, 0.375, 0.625], rel=1e-10)
    thrust = 0.75 * np.pi**2
    pinned = [PointOnLine(0.0, held=(0,)), PointOnLine(1.0, held=(0,))]
    beam = OneLine(1.0, mass=one, bending=one, pull=lambda at: -thrust * one(at), points=pinned)
    exact = [np.sqrt((n * np.pi) ** 4 - thrust * (n * np.pi) ** 2) / (2 * np.pi) for n in (1, 2)]
    assert frequencies(beam, 2) == pytest.approx(exact, rel=1e-10)
    gone = OneLine(1.0, mass=one, bending=one, pull=lambda at: -11.0 * one(at), points=pinned)
    assert frequencies(gone, 1)[0] > exact[0]  # what has buckled is left out
