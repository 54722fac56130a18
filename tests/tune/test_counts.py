"""Clearing by numbers of things, of which there is no design between whole numbers."""

from __future__ import annotations

import pytest

from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.plan import PlanError
from belltone.tune.bands import verdict
from belltone.tune.clearing import clear
from belltone.tune.search import Aim
from belltone.tune.together import reach_together, wanted_at
from tests.assemblies import held, joint, member

WEIGHT = 'shape = "solid rectangle", width = "60 mm", height = "60 mm"'


def bar(low: float, high: float, upto: int = 4, now: int = 2) -> Sheet:
    """A bar that carries one to four weights in a row."""
    return Sheet.from_text(
        "\n".join(
            [
                "belltone = 1",
                '[materials.steel]\ndensity = "7850 kg/m^3"\nyoungs_modulus = "200 GPa"',
                "poisson_ratio = 0.3\n",
                '[knobs]\ntall = { value = "20 mm", from = "10 mm", to = "40 mm" }',
                f'weights = {{ value = "{now}", from = "1", to = "{upto}" }}',
                member(
                    "bar",
                    (0, 0, 0),
                    (2000, 0, 0),
                    'shape = "solid rectangle", width = "40 mm", height = "tall"',
                ),
                member("weight", (800, 0, 0), (800, 0, 100), WEIGHT),
                joint("bar", "weight.start"),
                '[[patterns]]\nof = "weight"\ncount = "weights"',
                'step = ["300 mm", "0 mm", "0 mm"]\n',
                held("bar.start"),
                '[excitation]\nmargin = "2 %"\n[[excitation.bands]]\nname = "drive"',
                f'from = "{low} Hz"\nto = "{high} Hz"\n',
                "[accuracy]\ndivisions = 1\norder = 4\n[modes]\ncount = 2\n",
            ]
        )
    )


def lowest(weights: float, tall: float) -> float:
    """The lowest frequency (Hz) of such a bar."""
    design = DesignFamily(bar(1.0, 2.0)).at({"weights": weights, "tall": tall / 1000})
    return float(solve_modes(design, request_for(design)).flexible[0])


def knobs(sheet: Sheet) -> tuple[float, float]:
    found = evaluate(sheet).knobs
    return found["weights"].value, found["tall"].value


def test_which_knobs_are_numbers_of_things() -> None:
    family = DesignFamily(bar(3.2, 3.9))
    assert family.counts("weights")
    assert not family.counts("tall")
    # At the end of what there is, one fewer tells.
    assert DesignFamily(bar(3.2, 3.9, now=4, upto=5)).counts("weights")
    # One is all there can be of a share, and no number of things.
    text = bar(3.2, 3.9).text.replace("[knobs]", '[knobs]\nfull = { value = "1" }')
    share = DesignFamily(Sheet.from_text(text.replace('"tall"', '"tall * (1 + sqrt(1 - full))"')))
    assert share.read({"full": 1.37}) is None
    assert share.read({"full": 0.5}) is not None
    assert not share.counts("full")


def test_by_a_number_of_things_alone_the_nearest_is_taken() -> None:
    told: list[str] = []
    sheet = bar(3.2, 3.9)
    found = clear(
        sheet, ["weights"], progress=Progress(listener=lambda *step: told.append(step[2]))
    )
    # Three stand in the band, too; one lifts the mode over it.
    assert lowest(2, 20) < 3.9 < lowest(1, 20)
    assert 3.2 < lowest(3, 20) < 3.9
    assert knobs(found.best.sheet) == (1, 20)
    assert found.best.clear
    assert found.best.texts == {"weights": "1"}
    assert found.best.change == pytest.approx(1 / 3)
    assert found.solutions == 2  # three weights are no nearer
    assert any(text.startswith("weights 1: ") for text in told)
    design = evaluate(found.best.sheet)
    assert verdict(solve_modes(design, request_for(design)), design.bands, 0.02).clear
    costs = clear(sheet, ["weights"], margins=(0.02, 0.2)).trade
    # Nearer than a fifth stand all but four weights' lowest mode.
    assert costs == ((0.02, pytest.approx(1 / 3)), (0.2, None))


def test_with_other_knobs_the_least_of_all_is_found() -> None:
    sheet = bar(1.0, 3.9)
    least = clear(sheet, ["weights", "tall"])
    weights, tall = knobs(least.best.sheet)
    assert least.best.clear
    # Another weight fewer is a third of the range; a little taller does.
    assert weights == 2
    assert lowest(2, tall) == pytest.approx(3.9 * 1.02, rel=2e-3)
    assert least.best.change == pytest.approx((tall - 20) / 30, rel=1e-6)
    light = clear(sheet, ["weights", "tall"], Aim.MASS)
    weights, tall = knobs(light.best.sheet)
    assert light.best.clear
    assert weights == 1
    assert lowest(1, tall) == pytest.approx(3.9 * 1.02, rel=2e-3)
    assert light.best.told["mass"] < least.best.told["mass"]
    assert light.present.texts == {"tall": "20 mm", "weights": "2"}
    # Where the nearest does not do, farther ones are looked at: twenty millimetres is all there is.
    short = sheet.with_values({("knobs", "tall", "to"): "20 mm"})
    few = clear(short, ["weights", "tall"])
    assert few.best.clear
    assert knobs(few.best.sheet)[0] == 1


def test_what_has_no_answer_is_told_and_the_others_are_kept() -> None:
    found = clear(bar(3.2, 3.9, upto=6), ["weights"], Aim.MARGIN)
    # The sixth would stand beyond the end of the bar.
    assert found.best.clear
    assert found.solutions == 5
    assert len(found.binding) == 1
    assert "with weights 6 there is no answer" in found.binding[0]
    best = max((lowest(n, 20), n) for n in (1, 2, 3, 4, 5) if not 3.2 < lowest(n, 20) < 3.9)
    assert knobs(found.best.sheet)[0] in (best[1], 5)


def test_too_many_and_what_cannot_be_followed() -> None:
    sheet = bar(3.2, 3.9, upto=400)
    with pytest.raises(PlanError, match=r"“weights” can be 400 numbers of things.*to 24 at most"):
        clear(sheet, ["weights"])
    with pytest.raises(PlanError, match="“weights” is a number of things: with another one"):
        reach_together(bar(3.2, 3.9), [wanted_at(1, 5.0)], ["weights", "tall"])
