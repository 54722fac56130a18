"""Measured frequencies: matched to modes, and fitted."""

from dataclasses import replace

import numpy as np
import pytest

from belltone.compare.fit import FitError, fit
from belltone.compare.likeness import Side
from belltone.compare.measured import ModesAtPoints, held_against, how_matched, modes_at
from belltone.exchange.fit_tables import fit_data, fit_lines, fit_rows
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Cancelled, Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.conftest import STEEL

RAIL = f"""
belltone = 1
{STEEL.replace('"200 GPa"', '"modulus"')}
[knobs.modulus]
value = "200 GPa"
from = "150 GPa"
to = "250 GPa"
[knobs.mount]
value = "2 kN/mm"
from = "0.2 kN/mm"
to = "20 kN/mm"
[knobs.tilt]
value = "40 kN*m/rad"
[knobs.width]
value = "60 mm"
from = "50 mm"
to = "70 mm"
[parts.bar]
kind = "member"
material = "steel"
length = "1.6 m"
section = {{ shape = "solid rectangle", width = "width", height = "20 mm" }}
[[supports]]
site = "bar.start"
hold = ["x", "y", "turn x", "turn z"]
springs = {{ z = "mount" }}
turning_springs = {{ y = "tilt" }}
[[supports]]
site = "bar.end"
hold = ["y"]
[modes]
count = 8
[accuracy]
divisions = 4
order = 5
"""

PLATE = f"""
belltone = 1
{STEEL}
[parts.sheet]
kind = "plate"
material = "steel"
thickness = "3 mm"
outline = {{ shape = "disc", diameter = "400 mm" }}
[[supports]]
site = "sheet.rim"
hold = "clamped"
[modes]
count = 6
[accuracy]
divisions = 1
order = 5
"""


def _side(sheet: Sheet) -> Side:
    design = evaluate(sheet)
    return Side("", design, solve_modes(design, request_for(design)))


@pytest.fixture(scope="module")
def rail() -> Side:
    return _side(Sheet.from_text(RAIL))


def _told(frequencies: list[float], kinds: tuple[str, ...] = ()) -> ModesAtPoints:
    count = len(frequencies)
    blank = np.zeros((0, 3)), np.zeros((count, 0, 3))
    return ModesAtPoints(np.array(frequencies), *blank, kinds or ("",) * count)


def test_by_order(rail: Side) -> None:
    first, second = rail.modes.flexible[:2]
    held = held_against(rail, _told([1.02 * first, 0.99 * second]))
    assert [each.number for each in held] == [1, 2]
    assert held[0].difference == pytest.approx(1 / 1.02 - 1)
    assert held[1].difference == pytest.approx(1 / 0.99 - 1)


def test_by_order_with_modes_that_were_missed(rail: Side) -> None:
    flexible = rail.modes.flexible
    told = _told([1.01 * float(flexible[at]) for at in (5, 0, 3)])
    assert [each.number for each in held_against(rail, told)] == [6, 1, 4]
    # All a tenth off, and none missed: the order says more than the frequencies.
    told = _told((1.1 * flexible[:5]).tolist())
    assert [each.number for each in held_against(rail, told)] == [1, 2, 3, 4, 5]
    # More than there are modes: the highest stay without one.
    told = _told([*flexible.tolist(), 1e4, 2e4])
    held = held_against(rail, told)
    assert [each.number for each in held[:8]] == list(range(1, 9))
    assert held[9].why == "no mode found is left for it"


def test_by_kind(rail: Side) -> None:
    kinds = rail.modes.kinds
    sideways = [at for at, kind in enumerate(kinds) if kind.startswith("bending about z")]
    upright = [at for at, kind in enumerate(kinds) if kind.startswith("bending about y")]
    told = _told(
        [
            rail.modes.flexible[sideways[0]] * 1.3,
            rail.modes.flexible[upright[1]] * 0.8,
            900.0,
            rail.modes.flexible[upright[0]] * 0.5,
        ],
        ("bending about z", "bending about y", "twist of a sail", "bending about y"),
    )
    assert how_matched(told) == "kind"
    held = held_against(rail, told)
    assert held[0].number == sideways[0] + 1
    assert [held[3].number, held[1].number] == [upright[0] + 1, upright[1] + 1]
    assert held[2].number is None
    assert held[2].why == "no mode left is “twist of a sail”"


def test_what_is_said_to_be_a_mode_is_that(rail: Side) -> None:
    told = replace(_told([10.0, 20.0, 30.0]), numbers=(None, 1, 99))
    held = held_against(rail, told, "order")
    assert [each.number for each in held] == [2, 1, None]
    assert held[2].why == "there is no mode 99"


def test_by_shape_at_a_few_points_of_one_direction(rail: Side) -> None:
    """Frequencies in the wrong order and a noisy shape of one direction find their modes."""
    positions = np.column_stack([np.linspace(0.05, 1.55, 9), np.zeros((9, 2))])
    own = modes_at(rail, positions)
    upright = [at for at, kind in enumerate(rail.modes.kinds) if "about y" in kind][:3]
    noise = np.random.default_rng(4).normal(0, 0.05, (3, 9))
    shapes = np.full((4, 9, 3), np.nan)
    shapes[:3, :, 2] = own.shapes[upright][:, :, 2] * np.array([[3.0], [-0.2], [1.0]]) + noise * 0.2
    shapes[3, :, 2] = np.array([1, -1, 1, -1, 1, -1, 1, -1, 1.0])
    frequencies = own.frequencies[upright] * np.array([1.15, 0.9, 1.1])
    told = ModesAtPoints(np.append(frequencies, 333.0), positions, shapes, ("",) * 4)
    assert how_matched(told) == "shape"
    held = held_against(rail, told)
    assert [each.number for each in held[:3]] == [at + 1 for at in upright]
    assert all(each.assurance is not None and each.assurance > 0.9 for each in held[:3])
    assert held[3].number is None
    assert held[3].why.startswith("most like mode ")


def test_a_pair_is_known_however_it_is_turned() -> None:
    disc = _side(Sheet.from_text(PLATE))
    angle = np.radians(np.arange(0, 360, 30.0))
    positions = 0.12 * np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    turned = np.zeros((1, 12, 3))
    turned[0, :, 2] = np.cos(angle - 0.4)  # one nodal diameter, along no axis
    told = ModesAtPoints(np.array([disc.modes.flexible[1]]), positions, turned, ("",))
    (held,) = held_against(disc, told)
    assert held.number in (2, 3)
    assert held.assurance == pytest.approx(1.0, abs=0.01)


def _measured(changed: dict[str, str], noise: float, kinds: bool = False) -> ModesAtPoints:
    """Made-up frequencies of a design, with scatter, and what each mode does if asked."""
    sheet = Sheet.from_text(RAIL).with_values(
        {("knobs", name, "value"): text for name, text in changed.items()}
    )
    modes = _side(sheet).modes
    scatter = np.random.default_rng(11).normal(0, noise, len(modes))
    said = tuple(" ".join(kind.split(",")[0].split()[:3]) for kind in modes.kinds)
    return _told((modes.flexible * (1 + scatter)).tolist(), said if kinds else ())


def test_known_stiffnesses_are_found_again() -> None:
    told = _measured({"mount": "0.9 kN/mm", "modulus": "188 GPa"}, 0.0)
    found = fit(Sheet.from_text(RAIL), told, ["mount", "modulus"], 0.002)
    mount, modulus = found.knobs
    assert mount.after == pytest.approx(0.9, rel=2e-3)
    assert modulus.after == pytest.approx(188.0, rel=2e-3)
    assert mount.told
    assert modulus.told
    assert not found.unexplained
    assert max(abs(each.difference or 1) for each in found.after) < 1e-3
    assert max(abs(each.difference or 1) for each in found.before) > 0.02
    assert found.sheet.content.knobs["mount"].value == found.texts["mount"]
    assert found.solutions <= 9


def test_with_noise_they_are_found_within_what_is_said() -> None:
    told = _measured({"mount": "0.9 kN/mm", "modulus": "188 GPa"}, 0.003)
    found = fit(Sheet.from_text(RAIL), told, ["mount", "modulus"], 0.003)
    for knob, true in zip(found.knobs, (0.9, 188.0), strict=True):
        assert knob.after == pytest.approx(true, abs=4 * knob.deviation)
        assert knob.deviation < 0.1 * true


def test_what_the_knob_cannot_explain_is_told() -> None:
    """A wider and so heavier bar measured: upright, softer springs do the same."""
    told = _measured({"width": "66 mm"}, 0.0, kinds=True)  # two modes change places
    found = fit(Sheet.from_text(RAIL), told, ["mount", "tilt"], 0.002)
    assert found.unexplained
    assert all("about y" not in each.kind for each in found.unexplained)
    assert any(line.startswith("not explained: ") for line in fit_lines(found))
    mount, tilt = found.knobs
    assert mount.after == pytest.approx(2.0 / 1.1, rel=5e-3)  # a heavier and stiffer bar
    assert tilt.after == pytest.approx(40.0 / 1.1, rel=5e-3)


def test_a_knob_nothing_is_measured_of_stays() -> None:
    """One axial and sideways mode say nothing of a spring that stands upright."""
    sheet = Sheet.from_text(RAIL)
    side = _side(sheet)
    place = next(at for at, kind in enumerate(side.modes.kinds) if "about z" in kind)
    told = replace(_told([1.01 * side.modes.flexible[place]]), numbers=(place + 1,))
    found = fit(sheet, told, ["mount", "modulus"], 0.001)
    mount, modulus = found.knobs
    assert mount.after == pytest.approx(2.0, rel=1e-3)
    assert not mount.told
    assert modulus.after == pytest.approx(200 * 1.01**2, rel=1e-3)
    assert fit_rows(found)[0][-1] == "what was measured says little of it"


def test_knobs_known_only_together() -> None:
    text = RAIL.replace('density = "7850 kg/m^3"', 'density = "density"').replace(
        "[knobs.mount]", '[knobs.density]\nvalue = "7850 kg/m^3"\n[knobs.mount]', 1
    )
    sheet = Sheet.from_text(text)
    side = _side(sheet)
    sideways = [at for at, kind in enumerate(side.modes.kinds) if "about z" in kind][:2]
    told = replace(
        _told([0.98 * side.modes.flexible[at] for at in sideways]),
        numbers=tuple(at + 1 for at in sideways),
    )
    found = fit(sheet, told, ["modulus", "density"], 0.001)
    assert found.alike == (("density", "modulus"),)
    # The least change of both: half of it by each.
    modulus, density = found.knobs
    assert modulus.after / 200 == pytest.approx(0.98, rel=3e-3)
    assert density.after / 7850 == pytest.approx(1 / 0.98, rel=3e-3)
    assert fit_data(found)["only_together"] == [["density", "modulus"]]


def test_a_range_is_kept() -> None:
    told = _measured({"modulus": "130 GPa"}, 0.0)
    found = fit(Sheet.from_text(RAIL), told, ["modulus"], 0.002)
    (modulus,) = found.knobs
    assert modulus.after == pytest.approx(150.0)
    assert modulus.at_end
    assert "at an end of its range" in fit_rows(found)[0][-1]
    assert found.unexplained


def test_what_cannot_be_fitted() -> None:
    sheet = Sheet.from_text(RAIL)
    told = _told([20.0])
    with pytest.raises(FitError, match="there is no knob “colour”; there are: “modulus”"):
        fit(sheet, told, ["colour"], 0.01)
    with pytest.raises(FitError, match="name a knob"):
        fit(sheet, told, [], 0.01)
    with pytest.raises(FitError, match="nothing was measured"):
        fit(sheet, _told([]), ["mount"], 0.01)
    with pytest.raises(FitError, match="nothing to fit: no mode left is “wobble”"):
        fit(sheet, _told([20.0], ("wobble",)), ["mount"], 0.01)


def test_a_fit_is_stopped() -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        fit(Sheet.from_text(RAIL), _told([20.0]), ["mount"], 0.01, progress=progress)
