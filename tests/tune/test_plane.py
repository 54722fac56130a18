"""Planes of two knobs, read off their model."""

import numpy as np
import pytest

from belltone.design.values import BandValue
from belltone.mesh.discretisation import Discretisation
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet
from belltone.tune.bands import stand
from belltone.tune.plane import Plane, least_margins, planes
from tests.assemblies import held, member, text_of
from tests.reduce.test_boxes import BEAM, modelled

BANDS = (BandValue("mains", 47.0, 53.0), BandValue("pump", 90.0, 100.0))


@pytest.fixture(scope="module")
def found() -> list[Plane]:
    """A cantilever over its diameter and length, coarse first."""
    model = modelled(Sheet.from_text(BEAM), "d", "l", level=Discretisation(1, 5), count=4)
    return list(planes(model, Progress()))


def test_planes_come_coarse_first_and_agree_where_they_share_a_place(found: list[Plane]) -> None:
    assert [len(own.across) for own in found] == [10, 20, 40]
    assert [own.whole for own in found] == [False, False, True]
    for own in found:
        assert own.frequencies[0, 0] == pytest.approx(found[-1].frequencies[0, 0], rel=1e-12)
        assert own.frequencies[-1, -1] == pytest.approx(found[-1].frequencies[-1, -1], rel=1e-12)
    plane = found[-1]
    assert not plane.failed.any()
    assert not plane.unknown.any()
    # Thicker and shorter is stiffer; the first goes with the diameter over the length squared.
    first = plane.frequencies[:, :, 0]
    scaled = first * (plane.up[:, None] ** 2) / plane.across[None, :]
    assert np.ptp(scaled) < 0.02 * scaled.mean()


def test_least_margins_are_those_of_every_mode_and_band(found: list[Plane]) -> None:
    plane = found[0]
    margins = least_margins(plane, BANDS)
    for row, column in ((0, 0), (3, 7), (9, 9), (5, 5)):
        standings = [stand(each, BANDS, 0.05) for each in plane.frequencies[row, column]]
        expected = min(own.separation for own in standings if own is not None)
        assert margins[row, column] == pytest.approx(expected, abs=1e-12)
    assert (margins < 0).any()
    assert np.isnan(least_margins(plane, ())).all()


def test_a_finer_plane_keeps_what_is_known_and_is_near_it_between(found: list[Plane]) -> None:
    fine = found[1].finer(3)
    assert fine.frequencies[::3, ::3] == pytest.approx(found[1].frequencies, rel=1e-14)
    assert fine.across[::3] == pytest.approx(found[1].across)
    known = DesignFamily(Sheet.from_text(BEAM)).at().knobs["d"]
    assert fine.across[0] == pytest.approx(known.range[0] * known.scale)
    first = fine.frequencies[:, :, 0]
    scaled = first * (fine.up[:, None] ** 2) / fine.across[None, :]
    assert np.ptp(scaled) < 0.03 * scaled.mean()


# A bar whose two bendings change places where it is as wide as it is tall.
FLAT = (
    text_of(
        member("b", (0, 0, 0), (600, 0, 0), 'shape = "solid rectangle", width = "w", height = "t"'),
        held("b.start"),
    )
    + '[knobs.w]\nvalue = "16 mm"\nfrom = "14 mm"\nto = "26 mm"\n'
    + '[knobs.t]\nvalue = "20 mm"\nfrom = "18 mm"\nto = "22 mm"\n'
)


def test_a_mode_is_followed_over_the_map_where_it_changes_places() -> None:
    model = modelled(Sheet.from_text(FLAT), "w", "t", level=Discretisation(1, 5), count=4)
    for plane in planes(model, Progress(), here=(0.016, 0.020)):
        sideways, upright = plane.of_track(0), plane.of_track(1)
        # Each goes with its own thickness alone, whichever of the two is lower.
        for values, own in ((sideways, plane.across[None, :]), (upright, plane.up[:, None])):
            scaled = values / own
            assert np.isfinite(values).all()
            assert np.ptp(scaled) < 0.01 * scaled.mean()
        lower = plane.frequencies[:, :, 0]
        assert lower == pytest.approx(np.minimum(sideways, upright), rel=1e-9)
        fine = plane.of_track(0, 3)
        assert fine[::3, ::3] == pytest.approx(sideways, rel=1e-12)
