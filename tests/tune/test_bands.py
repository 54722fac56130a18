from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.design.values import BandValue, Design
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.tune.bands import forbidden, least_separation, spared_words, stand, verdict
from tests.conftest import CLAMPED

BAND = BandValue("pump", 100.0, 120.0)


@pytest.mark.parametrize(
    ("frequency", "place", "separation"),
    [
        (50.0, "clear", 0.5),
        (90.0, "clear", 0.1),
        (95.0, "margin", 0.05),
        (100.0, "inside", 0.0),
        (110.0, "inside", -10 / 120),
        (126.0, "margin", 0.05),
        (132.0, "clear", 0.1),
        (240.0, "clear", 1.0),
    ],
)
def test_places(frequency: float, place: str, separation: float) -> None:
    found = stand(frequency, (BAND,), 0.1)
    assert found is not None
    assert found.place == place
    assert found.separation == pytest.approx(separation)
    assert (found.below, found.above) == pytest.approx((90, 132))


def test_the_worst_band_is_named() -> None:
    near = BandValue("near", 130.0, 131.0)
    found = stand(110.0, (near, BAND), 0.1)
    assert found is not None
    assert found.band is BAND
    assert stand(1.0, (), 0.1) is None


def test_a_band_from_nothing() -> None:
    low = BandValue("footfall", 0.0, 8.0)
    found = stand(4.0, (low,), 0.1)
    assert found is not None
    assert found.place == "inside"


@given(st.floats(1, 1e3), st.floats(1, 1e3), st.floats(1e-3, 0.5), st.floats(1, 2e3))
def test_clear_means_outside_the_widened_band(
    low: float, width: float, margin: float, frequency: float
) -> None:
    band = BandValue("band", low, low + width)
    below, above = forbidden(band, margin)
    found = stand(frequency, (band,), margin)
    assert found is not None
    assert (found.place == "clear") == (frequency <= below or frequency >= above)


def test_the_verdict_lists_modes_by_number(bar: Callable[..., Design]) -> None:
    section = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'
    modes = solve_modes(bar(section, rest=CLAMPED), ModeRequest(4, None, 1e-3))
    first, second = modes.flexible[:2]
    bands = (BandValue("a", first - 1, first + 1), BandValue("b", second * 1.05, second * 1.06))
    found = verdict(modes, bands, 0.1)
    assert [number for number, _ in found.inside] == [1]
    assert [number for number, _ in found.margin] == [2]
    assert not found.clear
    assert verdict(modes, (), 0.1).clear
    assert np.all(modes.flexible > 0)


def test_a_band_does_not_shake_what_it_spares() -> None:
    sparing = BandValue("pump", 100.0, 120.0, ("twist", "axial"))
    assert stand(110.0, (sparing,), 0.1, "twist with bending about z") is None
    found = stand(110.0, (sparing,), 0.1, "bending about z")
    assert found is not None
    assert found.place == "inside"


def test_a_band_along_an_axis_shakes_what_moves_mass_that_way(bar: Callable[..., Design]) -> None:
    """A cantilever: bending about y moves it along z, and along nothing else."""
    section = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'
    modes = solve_modes(bar(section, rest=CLAMPED), ModeRequest(4, None, 1e-3))
    assert [kind.partition(",")[0] for kind in modes.kinds[:2]] == [
        "bending about y",
        "bending about z",
    ]
    # The first mode of a cantilever moves 61.3 % of its mass (Blevins, table 8-1).
    assert modes.swings[0] == pytest.approx([0, 0, 0.613], abs=2e-3)
    around = [(f - 1, f + 1) for f in modes.flexible[:2].tolist()]
    for along, wanted in ((None, [1, 2]), (0, []), (1, [2]), (2, [1])):
        bands = [BandValue("b", *ends, along=along, least=0.01) for ends in around]
        found = verdict(modes, bands, 0.0)
        assert [number for number, _ in found.inside] == wanted
        nearest = least_separation(modes, bands[:1])
        if along == 0:
            assert nearest is None
    # Of the second bending 18.8 % move: with a share of 30 % only the first is shaken.
    second = float(modes.flexible[[k.startswith("bending about y, 2") for k in modes.kinds]][0])
    for least, clear in ((0.1, False), (0.3, True)):
        band = BandValue("b", second - 1, second + 1, along=2, least=least)
        assert verdict(modes, (band,), 0.0).clear is clear


def test_what_is_not_known_to_move_counts_as_shaken() -> None:
    band = BandValue("b", 100.0, 120.0, along=2, least=0.05)
    assert band.shakes("twist")
    assert not band.shakes("twist", (1.0, 1.0, 0.04))
    assert spared_words(band) == "what moves less than 5 % of the mass along z"
