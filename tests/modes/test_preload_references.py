"""Loaded members, plates and shells against values computed without finite elements (Hz).

Closed forms, transfer matrices, Ritz and Fourier series, and collocation of the exact equations.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from verification.loaded import (
    BOTH,
    CLAMPED,
    HEAT,
    IN_PLANE,
    LARGE,
    PINNED,
    SLIDING,
    SMALL,
    WALLS,
    Wall,
    beam,
    force,
    held,
    material,
)
from verification.members import ARCH_LIMIT, arch

from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.assemblies import modes_at


def loaded(text: str) -> ModeSet:
    design = evaluate(Sheet.from_text(text))
    return modes_at(design, request_for(design))


EULER = 26318.945070  # N, of the first beam


@pytest.mark.parametrize(
    ("load", "expected", "tolerance"),
    [
        # Euler's values: shear takes 0.1 % off the buckling load, which counts tenfold at 90 %.
        (-0.9, (16.6771, 107.613, 244.324, 426.634), 0.006),
        (1.0, (72.467, 173.656, 315.554, 501.221), 0.006),
        (5.0, (122.231, 260.661, 427.304, 629.458), 0.006),
    ],
)
def test_pushed_and_pulled_clamped_beams(
    load: float, expected: tuple[float, ...], tolerance: float
) -> None:
    text = beam("40 mm", "10 mm", SLIDING, SMALL + force("b.end", load * EULER), count=4)
    assert loaded(text).flexible[:4] == pytest.approx(expected, rel=tolerance)


@pytest.mark.parametrize("load", [-0.99, -0.5, 0.5, 3.0])
def test_pinned_beams_up_to_the_buckling_load_and_far_above_in_tension(load: float) -> None:
    """Timoshenko in closed form: bending and shear in series, and the load on the whole slope."""
    supports = held("b.start", PINNED) + held("b.end", PINNED[1:]) + IN_PLANE
    bending, area, shear = 200e9 * 0.02 * 0.01**3 / 12, 2e-4, 5 / 6 * 200e9 / 2.6 * 2e-4
    wave = math.pi
    soft = bending * wave**2 / (1 + bending * wave**2 / shear)
    found = loaded(beam("20 mm", "10 mm", supports, SMALL + force("b.end", load * soft), 2))
    # Rotary inertia takes a little mass of its own.
    turning = 7850 * 0.02 * 0.01**3 / 12 * wave**2 / (1 + bending * wave**2 / shear) ** 2
    mass = 7850 * area + turning
    expected = math.sqrt((1 + load) * soft * wave**2 / mass) / (2 * math.pi)
    # The load works on the turn as well as on the slope, by the square of load over shear.
    assert found.flexible[0] == pytest.approx(expected, rel=2e-3 if load < -0.9 else 2e-4)


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        (50, (76.7845, 138.432, 250.909, 401.546, 519.073, 797.209)),
        (-100, (141.536, 182.531, 340.616, 462.718, 619.16, 865.176)),
    ],
)
def test_a_beam_heated_or_cooled_between_held_ends(
    change: float, expected: tuple[float, ...]
) -> None:
    found = loaded(beam("30 mm", "20 mm", BOTH, SMALL + HEAT.format(change), count=6))
    assert found.flexible[:6] == pytest.approx(expected, rel=2e-3)


@pytest.mark.parametrize(
    ("speed", "hub", "expected"),
    [
        (72.855032, 0.0, (14.9568, 17.0585, 59.0107, 105.741, 151.214)),
        (145.710063, 1.0, (34.3751, 38.5109, 102.892, 134.152, 206.758)),
    ],
)
def test_a_rotating_cantilever_flaps_and_swings(
    speed: float, hub: float, expected: tuple[float, ...]
) -> None:
    spin = f'spin = {{ speed = "{speed} rad/s", axis = "z", through = ["{-hub} m", "0 m", "0 m"] }}'
    found = loaded(
        beam("20 mm", "10 mm", held("b.start", CLAMPED), f"[preload]\n{spin}\n", count=6)
    )
    assert found.flexible[:5] == pytest.approx(expected, rel=5e-3)


def test_flapping_follows_the_published_table() -> None:
    """Wright, Smith, Thresher and Wang (1982): hub radius 0, speeds 0, 3, 6 and 12."""
    table = {
        0: (3.5160, 22.0345),
        3: (4.7973, 23.3203),
        6: (7.3604, 26.8091),
        12: (13.1702, 37.6031),
    }
    unit = math.sqrt(200e9 * 0.02 * 0.005**3 / 12 / (7850 * 1e-4))
    only_flap = held("b.start", CLAMPED) + held("b.axis", ["y", "turn x", "turn z"])
    for ratio, (first, second) in table.items():
        spin = f'[preload]\nspin = {{ speed = "{ratio * unit!r} rad/s", axis = "z" }}\n'
        found = loaded(beam("20 mm", "5 mm", only_flap, spin, count=3))
        expected = np.array([first, second]) * unit / (2 * math.pi)
        assert found.flexible[:2] == pytest.approx(expected, rel=2e-3)


def test_a_spinning_shaft_whirls() -> None:
    """Rayleigh's closed form with shear added; seen from the ground beside it."""
    text = f"""{material(7850)}
[parts.b]
kind = "member"
length = "1 m"
material = "steel"
section = {{ shape = "solid round", diameter = "50 mm" }}
{held("b.start", ["x", "y", "z", "turn x"])}{held("b.end", ["y", "z"])}
[preload]
spin = {{ speed = "1000 rad/s", axis = "x", gyroscopic = true, seen_from = "ground" }}
[modes]
count = 4
"""
    found = loaded(text)
    waves = dict(zip(found.flexible[:4], found.waves[:4], strict=True))
    assert list(waves.values()) == [-1, 1, -1, 1]
    # Shear takes 0.22 % and 0.9 % off both of a pair, and leaves the distance between them.
    expected = (98.7872, 99.2773, 394.242, 396.193)
    assert found.flexible[:4] == pytest.approx(expected, rel=1e-2)
    assert np.diff(found.flexible[:2]) == pytest.approx([0.4901], rel=0.02)
    assert "backward whirl" in found.kinds[0]


@pytest.mark.parametrize(
    ("ends", "load", "expected"),
    [
        (PINNED, 2000, (91.8433, 137.556, 257.212, 418.947, 624.795)),
        (CLAMPED, 5000, (122.069, 190.801, 338.318, 522.427, 754.106)),
    ],
)
def test_beams_under_large_deflection(
    ends: list[str], load: float, expected: tuple[float, ...]
) -> None:
    # The reference takes strain by length, ours by its square: half a strain apart.
    supports = held("b.start", ends) + held("b.end", ends) + IN_PLANE
    found = loaded(beam("20 mm", "10 mm", supports, LARGE + force("b.axis", z=-load)))
    assert found.flexible[:5] == pytest.approx(expected, rel=1.5e-3)


def test_a_cantilever_bent_far_down() -> None:
    supports = held("b.start", CLAMPED) + IN_PLANE
    found = loaded(beam("20 mm", "5 mm", supports, LARGE + force("b.end", z=-83.333333)))
    expected = (4.95394, 24.8093, 68.1391, 136.57, 227.287)
    assert found.flexible[:5] == pytest.approx(expected, rel=2e-4)
    base = found.base
    assert base is not None
    tip = base.displacements[-1, :3]
    assert tip == pytest.approx((0.83935584 - 1, 0.0, -0.49346654), abs=5e-6)
    assert base.imbalance < 1e-8
    assert base.reactions[0].force == pytest.approx((0, 0, 83.333333), abs=1e-5)


def test_a_beam_heated_past_buckling_bows_out() -> None:
    """1.5 times the buckling temperature, von Karman's beam; a whisper of load says which way."""
    supports = BOTH + IN_PLANE
    preload = LARGE + HEAT.format(41.123352) + force("b.axis", z=-0.05)
    found = loaded(beam("20 mm", "10 mm", supports, preload))
    expected = (51.6123, 102.879, 245.439, 422.34, 651.36)
    assert found.flexible[:5] == pytest.approx(expected, rel=1e-2)


@pytest.mark.parametrize(
    ("share", "expected", "tolerance"),
    [
        (0.3, (60.5219, 84.8813, 200.36, 358.615, 563.241), 0.002),
        (0.9, (34.928, 62.7885, 181.237, 339.979, 544.927), 0.005),
    ],
)
def test_a_shallow_arch_on_its_way_to_snapping_through(
    share: float, expected: tuple[float, ...], tolerance: float
) -> None:
    found = loaded(arch(share * ARCH_LIMIT))
    assert found.flexible[:5] == pytest.approx(expected, rel=tolerance)
    assert found.base is not None
    assert found.base.snapped is None


def test_the_lowest_frequency_of_the_arch_falls_to_zero_and_it_snaps_through() -> None:
    near = loaded(arch(0.9995 * ARCH_LIMIT)).flexible[0]
    assert near < 0.2 * 60.5
    beyond = loaded(arch(1.25 * ARCH_LIMIT))
    assert beyond.base is not None
    assert beyond.base.snapped == pytest.approx(0.8, abs=0.005)
    assert beyond.base.displacements[:, 2].min() < -0.02


@pytest.mark.parametrize("wall", WALLS, ids=lambda wall: wall.name)
def test_loaded_walls(wall: Wall) -> None:
    found = loaded(wall.text)
    expected = wall.frequencies
    # The plates' values are of bending alone.
    flat = [kind.startswith("in-plane") for kind in found.kinds[found.rigid_count :]]
    bending = found.flexible[~np.array(flat)]
    assert bending[: len(expected)] == pytest.approx(expected, rel=wall.tolerance)
    assert found.base is not None
    assert found.base.imbalance < 1e-8
