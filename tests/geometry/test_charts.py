"""Charts: positions, normals to the right of the profile, and first directions in the wall."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from belltone.geometry.charts import chart_of
from belltone.geometry.profiles import Arc, Line, Profile
from belltone.geometry.shapes import (
    Extruded,
    Lofted,
    Plate,
    Polygon,
    Revolved,
    SurfaceShape,
    thickness_share,
)

LINE = Profile((Line((0.3, 0.0), (0.5, 0.4)),))
ARC = Profile((Arc((0.0, 0.0), 0.5, 0.2, 1.3),))
TIP = Profile((Arc((0.1, 0.0), 0.4, 0.3, 1.1),))
SHAPES: dict[str, SurfaceShape] = {
    "plate": Plate(Polygon(((0, 0), (1, 0), (1, 1), (0, 1)), True)),
    "cone": Revolved(LINE),
    "bowl": Revolved(ARC),
    "channel": Extruded(ARC, 0.8),
    "vane": Lofted(ARC, TIP, 0.8, 0.6, 0.7, (0.1, -0.05)),
}


@pytest.mark.parametrize("name", SHAPES)
def test_normals_and_first_directions_fit_the_surface(name: str) -> None:
    chart = chart_of(SHAPES[name])
    first, second = np.array([0.2, 0.5, 0.9]), np.array([0.1, 0.4, 0.7])
    step = 1e-6
    here = chart.locate(0, first, second)
    slopes = [
        (chart.locate(0, first + a, second + b).positions - here.positions) / step
        for a, b in ((step, 0.0), (0.0, step))
    ]
    assert np.linalg.norm(here.normals, axis=1) == pytest.approx(1.0)
    assert np.linalg.norm(here.first_axes, axis=1) == pytest.approx(1.0)
    for slope in slopes:
        lengths = np.linalg.norm(slope, axis=1)
        assert np.abs(np.sum(slope * here.normals, axis=1) / lengths).max() < 1e-5
    # The first direction runs along a plate's x, a meridian, or the length of a drawn shell.
    along = slopes[1] if name in ("channel", "vane") else slopes[0]
    cosine = np.sum(along * here.first_axes, axis=1) / np.linalg.norm(along, axis=1)
    assert cosine == pytest.approx(1.0, abs=1e-5)


def test_a_loft_begins_and_ends_on_its_profiles() -> None:
    shape = SHAPES["vane"]
    assert isinstance(shape, Lofted)
    share = np.linspace(0, 1, 5)
    chart = chart_of(shape)
    root = chart.locate(0, share, np.zeros(5)).positions
    assert root[:, 1:] == pytest.approx(ARC.segments[0].position(share))
    tip = chart.locate(0, share, np.full(5, 0.8)).positions
    turn = np.array([[np.cos(0.6), -np.sin(0.6)], [np.sin(0.6), np.cos(0.6)]])
    wanted = 0.7 * TIP.segments[0].position(share) @ turn.T + [0.1, -0.05]
    assert tip[:, 1:] == pytest.approx(wanted)
    assert tip[:, 0] == pytest.approx(0.8)


@pytest.mark.parametrize("name", ["cone", "channel", "vane"])
def test_many_segments_at_once_are_each_by_itself(name: str) -> None:
    bent = Profile((Line((0.2, -0.3), (0.3, 0.0)), LINE.segments[0]))
    tip = Profile((Line((0.1, -0.2), (0.2, 0.0)), TIP.segments[0]))
    shape = SHAPES[name]
    ends = {"profile": bent} | ({"profile_at_end": tip} if isinstance(shape, Lofted) else {})
    chart = chart_of(replace(shape, **ends))  # type: ignore[type-var]
    which = np.array([1, 0, 0, 1, 1])
    first, second = np.linspace(0, 1, 5), np.linspace(0.1, 0.6, 5)
    found = chart.locate(which, first, second)
    for number in (0, 1):
        own = which == number
        alone = chart.locate(number, first[own], second[own])
        for field in ("positions", "normals", "first_axes"):
            assert np.array_equal(getattr(found, field)[own], getattr(alone, field))
    shares = thickness_share(replace(shape, **ends), "profile", which, first, second)  # type: ignore[type-var]
    length = [segment.length for segment in bent.segments]
    along = np.where(which == 1, length[0] + first * length[1], first * length[0])
    assert shares == pytest.approx(along / sum(length))
