"""Reach of several modes by several knobs: each known by its shape, wherever its number goes."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from belltone.design.values import ModeName
from belltone.modes.modeset import Spectrum
from belltone.modes.pairing import pair
from belltone.modes.solve import request_for
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.tune.following import Followed
from belltone.tune.reach import ReachError, reach
from belltone.tune.together import reach_together, wanted_at, wanted_times
from tests.assemblies import modes_at
from tests.tune.test_clearing import bar, per_millimetre

Array = NDArray[np.float64]

BOTH = ("wide", "tall")


def values(sheet: Sheet) -> tuple[float, float]:
    knobs = evaluate(sheet).knobs
    return knobs["wide"].value, knobs["tall"].value


def test_a_mode_that_passes_another_is_known_beyond_it() -> None:
    first = per_millimetre()[0]
    sheet = bar([], wide=22.0, tall=20.0)
    found = reach_together(sheet, [wanted_at(1, 26 * first, 1e-3 * first)], BOTH)
    assert found.cleared.best.clear
    # The bending by the height goes past that by the width, which nothing asks to move.
    assert values(found.cleared.best.sheet) == pytest.approx((22, 26), abs=0.02)
    (stands,) = found.stands
    assert (stands.asked, stands.number) == (1, 2)
    assert stands.frequency == pytest.approx(26 * first, abs=1e-3 * first)
    assert stands.words == "as mode 2"


def test_two_modes_change_places() -> None:
    first = per_millimetre()[0]
    sheet = bar([], wide=25.0, tall=20.0)
    targets = [wanted_at(1, 31 * first, 0.01 * first), wanted_at(2, 23 * first, 0.01 * first)]
    found = reach_together(sheet, targets, BOTH)
    assert values(found.cleared.best.sheet) == pytest.approx((23, 31), abs=0.02)
    assert [each.number for each in found.stands] == [2, 1]


def test_a_ratio_is_of_the_modes_meant_and_others_keep_off() -> None:
    first = per_millimetre()[0]
    sheet = bar([], wide=25.0, tall=20.0)
    found = reach_together(sheet, [wanted_times(2, 0.8, 1, 1e-3)], BOTH)
    wide, tall = values(found.cleared.best.sheet)
    assert wide / tall == pytest.approx(0.8, abs=2e-3)
    one, other = found.stands
    assert (one.asked, one.number, other.asked, other.number) == (2, 1, 1, 2)
    # The other mode stands at 26, and has to give way: the nearest is below by a tenth.
    sheet = bar([], wide=26.0, tall=20.0)
    found = reach_together(sheet, [wanted_at(1, 25 * first, 0.01 * first, apart=0.1)], BOTH)
    assert found.cleared.best.clear
    wide, tall = values(found.cleared.best.sheet)
    assert tall == pytest.approx(25, abs=0.05)
    assert wide == pytest.approx(27.5, abs=0.05)


def test_what_is_reached_is_what_small_steps_lead_to(rail: Sheet) -> None:
    """A mode that gradually does something else, on the way that both knobs go at once."""
    target = wanted_at(10, 540.0, 0.5)
    found = reach_together(rail, [target], ("wall", "post_at"))
    assert found.cleared.best.clear
    (stands,) = found.stands
    assert stands.was.startswith("axial with bending")
    family = DesignFamily(rail)
    ends = [evaluate(sheet).knobs for sheet in (rail, found.cleared.best.sheet)]
    place, last = 9, found.cleared.present.modes
    discretisation = last.discretisation
    for share in np.linspace(0.0, 1.0, 13)[1:]:
        design = family.at(
            {
                name: (1 - share) * ends[0][name].base + share * ends[1][name].base
                for name in ("wall", "post_at")
            }
        )
        own = modes_at(design, request_for(design, 4), discretisation)
        (place,), (sure,) = pair(last, own, [place])
        assert sure > 0.8
        last = own
    assert stands.number == place + 1


def test_questions_without_an_answer_say_why() -> None:
    first = per_millimetre()[0]
    sheet = bar([])
    with pytest.raises(ReachError, match="above 0 Hz"):
        wanted_at(1, 0.0)
    with pytest.raises(ReachError, match="tolerance must be a frequency above 0 Hz"):
        wanted_at(1, 10.0, 0.0)
    with pytest.raises(ReachError, match="tolerance must be a share above 0"):
        wanted_times(1, 2.0, 2, 0.0)
    with pytest.raises(ReachError, match="ratio must be above 0"):
        wanted_times(1, 0.0, 2)
    with pytest.raises(ReachError, match="mode 2 cannot be tuned to a ratio to itself"):
        wanted_times(2, 2.0, 2)
    with pytest.raises(ReachError, match=r"there is no mode 99; there are modes 1 to \d+$"):
        reach_together(sheet, [wanted_at(99, 20 * first)], BOTH)
    with pytest.raises(ReachError, match="each mode can have one target"):
        reach_together(sheet, [wanted_at(1, 20 * first), wanted_at(1, 21 * first)], BOTH)
    far = reach_together(sheet, [wanted_at(1, 90 * first)], BOTH)
    assert not far.cleared.best.clear
    assert values(far.cleared.best.sheet)[1] == pytest.approx(40)
    assert any("“tall” stands at its end, 40 mm" in each for each in far.cleared.binding)


def test_modes_of_a_list_that_begins_above_a_frequency(
    rail: Sheet, workers: ProcessPoolExecutor
) -> None:
    """They are numbered as listed, and reached by one knob and by several."""
    above = Sheet.from_text(rail.text.replace("count = 10", 'count = 4\nabove = "60 Hz"'))
    one = reach(above, 4, 105.0, "wall", workers, 0.1)
    assert one.number == 4
    assert one.frequency == pytest.approx(105.0, abs=0.1)
    with pytest.raises(ReachError, match="there is no mode 2; there are modes 3 to"):
        reach(above, 2, 60.0, "wall", workers)
    with pytest.raises(ReachError, match="there is no mode 99; there are modes 3 to"):
        reach_together(above, [wanted_at(99, 60.0)], ("wall", "post_at"))
    found = reach_together(above, [wanted_at(4, 105.0, 0.1)], ("wall", "post_at"))
    (stands,) = found.stands
    assert found.cleared.best.clear
    assert stands.frequency == pytest.approx(105.0, abs=0.1)


def turned(place: float, frequencies: tuple[float, float] = (10.0, 20.0)) -> Spectrum:
    """Two modes that have all but changed their shapes when the knob is at its other end."""
    turn = 0.9 * place * np.pi / 2
    shapes = [[np.cos(turn), np.sin(turn), 0.0], [-np.sin(turn), np.cos(turn), 0.0]]
    return Spectrum(
        frequencies=np.array(frequencies),
        errors=np.zeros(2),
        rigid_names=(),
        kinds=("mixed", "mixed"),
        signatures=np.array(shapes),
        swings=np.zeros((2, 3)),
        mass=1.0,
    )


def test_a_far_step_is_taken_by_way_of_places_between() -> None:
    looked: list[float] = []

    def look(place: Array) -> Spectrum:
        looked.append(float(place[0]))
        return turned(float(place[0]))

    start, end = np.array([0.0]), np.array([1.0])
    followed = Followed([2, 1], start, turned(0.0))
    assert followed.at(np.array([0.2]), turned(0.2), look) == (1, 0)
    assert not looked  # surely known at once
    # At once each would be taken for the other.
    (other, one), _ = pair(turned(0.0), turned(1.0))
    assert (other, one) == (1, 0)
    assert followed.at(end, turned(1.0), look) == (1, 0)
    assert len(looked) > 1
    assert min(looked) > 0.2  # it goes on from the nearest place known
    told = len(looked)
    assert followed.at(end, turned(1.0), look) == (1, 0)
    assert len(looked) == told


def test_where_nothing_is_like_it_a_mode_is_lost_and_found_again() -> None:
    followed = Followed([1], np.array([0.0]), turned(0.0))
    gone = replace(turned(0.0), signatures=np.array([[0.0, 0.0, 1.0], [0.0, 0.0, 1.0]]))
    assert followed.at(np.array([0.5]), gone, lambda _: gone) == (-1,)
    assert followed.known((-1,))(ModeName("", 1)) is None
    # What is beyond is held against a place where it is known, however far.
    assert followed.at(np.array([0.6]), turned(0.0), lambda _: None) == (0,)


def test_of_equal_modes_the_combination_goes_on() -> None:
    followed = Followed([1], np.array([0.0]), turned(0.0))
    equal = turned(0.5, (15.0, 15.0))  # turned by half, as any solver may have them
    assert followed.at(np.array([0.1]), equal, lambda _: None) in [(0,), (1,)]
    beyond = turned(0.0, (10.0, 20.0))
    assert followed.at(np.array([0.2]), beyond, lambda _: None) == (0,)


def test_an_exact_answer_settles_a_place() -> None:
    followed = Followed([1], np.array([0.0]), turned(0.0))
    swapped = replace(turned(0.0), signatures=turned(0.0).signatures[::-1])
    assert followed.settle(np.array([0.3]), swapped) == (1,)
    assert followed.at(np.array([0.3]), turned(0.0), lambda _: None) == (1,)
