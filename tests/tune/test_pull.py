from collections.abc import Callable

import pytest

from belltone.design.values import Design
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.tune.pull import pulls
from tests.conftest import CLAMPED, bar_text


def test_pulls_follow_the_powers_of_theory() -> None:
    """Bending of a slender bar: frequency as height, and as length to the power of minus two."""
    section = 'shape = "solid rectangle", width = "20 mm", height = "h"'
    rest = CLAMPED + '[knobs.h]\nvalue = "5 mm"\n[knobs.span]\nvalue = "2 m"\n'
    text = bar_text(section, "1 m", rest).replace('length = "1 m"', 'length = "span"')
    sheet = Sheet.from_text(text)
    design = evaluate(sheet)
    solved = solve(design, request_for(design))
    modes, found = solved.modes, pulls(sheet, solved.solution)
    first = next(i for i, k in enumerate(modes.kinds) if k.startswith("bending about y"))
    sideways = next(i for i, k in enumerate(modes.kinds) if k.startswith("bending about z"))
    assert found["h"].frequencies[first] == pytest.approx(1.0, abs=1e-3)
    assert found["h"].frequencies[sideways] == pytest.approx(0.0, abs=1e-3)
    assert found["h"].mass == pytest.approx(1.0, abs=1e-6)
    assert found["span"].frequencies[first] == pytest.approx(-2.0, abs=1e-3)


def test_knobs_that_cannot_be_turned_are_left_out(rail: Sheet, bar: Callable[..., Design]) -> None:
    sheet = rail.with_values(
        {
            ("knobs", "half", "value"): "wall/2",
            ("knobs", "nothing", "value"): "0 mm",
            ("sites", "drive_seat", "along"): "reach",
            ("knobs", "reach", "value"): "2.2 m",
        }
    )
    design = evaluate(sheet)
    assert set(pulls(sheet, solve(design, request_for(design)).solution)) == {"wall", "post_at"}
