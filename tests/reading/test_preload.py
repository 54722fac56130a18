"""The preload of a sheet: what it comes to in SI units, and what is said of a wrong one."""

from __future__ import annotations

import numpy as np
import pytest

from belltone.design.preload import PreloadValue
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from tests.conftest import STEEL

HEAD = f"""belltone = 1
{STEEL}expansion = "12 um/m/K"
[knobs.load]
value = "2 kN"
[parts.bar]
kind = "member"
material = "steel"
length = "1 m"
section = {{ shape = "solid round", diameter = "20 mm" }}
[parts.wall]
kind = "plate"
material = "steel"
thickness = "2 mm"
outline = {{ shape = "rectangle", width = "300 mm", height = "200 mm" }}
placement = {{ at = ["0 mm", "500 mm", "0 mm"] }}
[modes]
free = true
"""


def preload_of(text: str, settings: dict[str, str] | None = None) -> PreloadValue:
    found = evaluate(Sheet.from_text(HEAD + text), settings).preload
    assert found is not None
    return found


def wrong(text: str, head: str = HEAD) -> str:
    with pytest.raises(SheetError) as caught:
        evaluate(Sheet.from_text(head + text))
    return str(caught.value)


def test_loads_come_in_si_units_and_hold_knobs() -> None:
    text = """[preload]
scale = "load / (1 kN)"
acceleration = ["0 m/s^2", "0 m/s^2", "-9.81 m/s^2"]
spin = { speed = "60 rpm", axis = [0, 0, 2], through = ["1 m", "0 m", "0 m"] }
[[preload.forces]]
site = "bar.end"
force = ["-load", "0 N", "1 N"]
moment = ["0 N*m", "3 N*m", "0 N*m"]
[[preload.warmths]]
change = "20 K"
[[preload.warmths]]
part = "bar"
change = "-5 K"
[[preload.pulls]]
part = "bar"
force = "load"
[[preload.moves]]
site = "bar.start"
z = "2 mm"
turn = { y = "90 deg" }
"""
    found = preload_of(text)
    assert found.scale == 2.0
    assert found.forces[0].force == pytest.approx([-2000, 0, 1])
    assert found.forces[0].moment == pytest.approx([0, 3, 0])
    assert found.warmths == {"bar": 15.0, "wall": 20.0}
    assert found.pulls == {"bar": 2000.0}
    assert found.moves[0].values == pytest.approx([2e-3, np.pi / 2])
    assert found.moves[0].directions == pytest.approx(np.eye(6)[[2, 4]])
    assert found.spin is not None
    assert found.spin.speed == pytest.approx(2 * np.pi)
    assert found.spin.axis == pytest.approx([0, 0, 1])
    assert found.turning == pytest.approx(2 * np.pi * np.sqrt(2))
    assert preload_of(text, {"load": "1 kN"}).forces[0].force[0] == -1000


def test_pressure_grows_with_depth_and_sucks_only_when_told_to() -> None:
    text = """[[preload.pressures]]
site = "wall.face"
pressure = "1 kPa"
on = "outer"
growth = ["0 kPa/m", "0 kPa/m", "-10 kPa/m"]
level = ["0 mm", "0 mm", "0 mm"]
"""
    at = np.array([[0.0, 0.0, -0.5], [0.0, 0.0, 0.05], [0.0, 0.0, 0.5]])
    assert preload_of(text).pressures[0].at(at) == pytest.approx([-6000, -500, 0])
    sucking = preload_of(text + "suction = true\n").pressures[0]
    assert sucking.at(at) == pytest.approx([-6000, -500, 4000])


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ('[[preload.forces]]\nsite = "bar.end"\n', "give a “force”, a “moment” or both"),
        ('[[preload.forces]]\nsite = "bar.rim"\nforce = ["1 N", "0 N", "0 N"]\n', "no site"),
        (
            '[[preload.forces]]\nsite = "bar.end"\nforce = ["1 kg", "0 N", "0 N"]\n',
            "this is a mass, where a force (in N, kN, …) is needed",
        ),
        (
            '[[preload.forces]]\nsite = "bar.end"\nforce = ["5", "0 N", "0 N"]\n',
            "“5” has no unit; a force is needed: “5 N” or “5 kN”?",
        ),
        (
            '[[preload.pressures]]\nsite = "bar.end"\npressure = "1 bar"\non = "inner"\n',
            "a pressure needs the face of a wall; there is “wall.face”",
        ),
        (
            '[[preload.pressures]]\nsite = "wall.face"\npressure = "1 bar"\non = "inner"\n'
            'growth = ["0 Pa/m", "0 Pa/m", "1 Pa/m"]\n',
            "say where the pressure is as stated",
        ),
        ('[[preload.pulls]]\npart = "wall"\nforce = "1 N"\n', "only members are put in pull"),
        ('[[preload.pulls]]\npart = "bra"\nforce = "1 N"\n', "no part “bra”; there is “bar”"),
        ('[[preload.moves]]\nsite = "bar.end"\n', "say how far it moves"),
        ('[preload]\nspin = { speed = "-5 rpm" }\n', "a speed must not be negative"),
        ('[preload]\nspin = { speed = "5 rpm", axis = [0, 0, 0] }\n', "an axis needs a direction"),
        ('[preload]\nspin = { speed = "5 rpm", seen_from = "ground" }\n', "gyroscopic = true"),
        (
            '[preload]\nspin = { speed = "5 rpm", speeds = ["9 rpm", "3 rpm"] }\n',
            "the speeds must rise",
        ),
        ('[preload]\ndeflection = "huge"\n', "deflection"),
    ],
)
def test_a_wrong_load_is_named_with_what_would_be_right(text: str, message: str) -> None:
    assert message in wrong(text)


def test_warmth_needs_an_expansion() -> None:
    cold = HEAD.replace('expansion = "12 um/m/K"\n', "")
    said = wrong('[[preload.warmths]]\nchange = "20 K"\n', cold)
    assert "it is not known how far “steel” expands, of which “bar” is made" in said


def test_a_preload_that_is_not_applied_or_empty_is_none() -> None:
    text = '[preload]\napplied = false\n[[preload.pulls]]\npart = "bar"\nforce = "1 N"\n'
    assert evaluate(Sheet.from_text(HEAD + text)).preload is None
    assert evaluate(Sheet.from_text(HEAD + "[preload]\n")).preload is None
    sheet = Sheet.from_text(HEAD + text.replace("false", "true"))
    assert evaluate(sheet).preload is not None
    bare = sheet.without_preload()
    assert evaluate(bare).preload is None
    assert bare.answer_hash() != sheet.answer_hash()


def test_a_window_of_modes_and_whirl_do_not_go_together() -> None:
    spin = '[preload.spin]\nspeed = "60 rpm"\ngyroscopic = true\n'
    head = HEAD + 'above = "100 Hz"\n'
    assert "leave “above” out" in wrong(spin, head)
    assert evaluate(Sheet.from_text(head + spin.replace("gyroscopic = true", ""))).above == 100
