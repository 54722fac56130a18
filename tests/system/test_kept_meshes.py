"""Walls that a knob leaves as they are: divided and worked out once for a family of designs."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.elements.surface import SurfaceElements
from belltone.keeping import fingerprint
from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import Level, planned
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.system import kept_meshes
from belltone.system.pattern import Structure
from tests.assemblies import held, plate, text_of

COARSE = Discretisation(1, 3)
RIB = """
[parts.r]
kind = "rib"
on = "p"
material = "steel"
from = { at = ["-100 mm", "30 mm"] }
to = { at = ["100 mm", "30 mm"] }
section = { shape = "solid rectangle", width = "5 mm", height = "tall" }
"""
SHEET = (
    text_of(
        plate("p", 300, 200, (0, 0, 0)).replace('"4 mm"', '"wall"'),
        RIB,
        '[sites.spot]\npart = "p"\nat = ["60 mm", "-40 mm"]\n',
        '[[masses]]\nsite = "spot"\nmass = "heavy"\n',
        held("p.outline", '"simply supported"'),
        held("p.west", '["x", "y"]'),
    )
    + '[knobs]\nwall = { value = "4 mm" }\ntall = { value = "12 mm" }\nheavy = { value = "1 kg" }\n'
)
PRESSED = SHEET.replace(RIB, "") + (
    '[preload]\ndeflection = "large"\n'
    '[[preload.pressures]]\nsite = "p.face"\npressure = "1 kPa"\non = "inner"\n'
)


@pytest.fixture
def work(monkeypatch: pytest.MonkeyPatch) -> Counter[str]:
    """How often walls are divided, and their stiffness worked out."""
    found: Counter[str] = Counter()
    divide, stiffen = kept_meshes.surface_mesh, SurfaceElements.stiffness

    def divided(*given: Any, **named: Any) -> Any:
        found["divided"] += 1
        return divide(*given, **named)

    def stiffened(own: SurfaceElements) -> Any:
        found["stiffened"] += 1
        return stiffen(own)

    monkeypatch.setattr(kept_meshes, "surface_mesh", divided)
    monkeypatch.setattr(SurfaceElements, "stiffness", stiffened)
    return found


class Family:
    """Levels of a sheet's designs that share what they can."""

    def __init__(self, text: str) -> None:
        self.family = DesignFamily(Sheet.from_text(text))
        self.level = planned(self.family.at({}), COARSE)
        self.shared: dict[Discretisation, Structure] = {}

    def at(self, shared: bool = True, **turned: float) -> Level:
        structures = self.shared if shared else {}
        return Level(self.family.at(turned), self.level, Progress(), structures)


def test_what_a_knob_leaves_alone_is_worked_out_once(work: Counter[str]) -> None:
    family = Family(SHEET)
    for mass in (0.5, 1.0, 2.0):
        family.at(heavy=mass)
    for height in (0.01, 0.014):
        family.at(tall=height)
    assert work == {"divided": 1, "stiffened": 1}


def test_a_value_that_comes_back_brings_its_wall_back(work: Counter[str]) -> None:
    family = Family(SHEET)
    for wall in (3e-3, 4e-3, 5e-3):
        for height in (0.01, 0.014):
            family.at(wall=wall, tall=height)
    assert work == {"divided": 3, "stiffened": 3}
    family.at(wall=3e-3)
    assert work == {"divided": 3, "stiffened": 3}


@pytest.mark.parametrize("text", [SHEET, PRESSED], ids=["as made", "pressed"])
def test_shared_matrices_are_those_of_a_design_alone(text: str) -> None:
    family = Family(text)
    family.at(wall=4e-3, heavy=2.0)
    family.at(wall=3e-3)
    for turned in ({"wall": 4e-3, "tall": 0.015}, {"heavy": 0.3}):
        shared, alone = family.at(**turned), family.at(shared=False, **turned)
        for one, other in (
            (shared.system.stiffness, alone.system.stiffness),
            (shared.system.mass, alone.system.mass),
        ):
            assert abs(one - other).max() <= 1e-12 * abs(other).max()


def test_all_walls_of_a_large_assembly_are_kept(work: Counter[str]) -> None:
    plates = [plate(f"p{number}", 100, 50, (0, 0, 20 * number)) for number in range(30)]
    mass = '[[masses]]\nsite = "p0.west"\nmass = "heavy"\n'
    family = Family(text_of(*plates, mass) + '[knobs]\nheavy = { value = "1 kg" }\n')
    for heavy in (0.5, 1.0):
        family.at(heavy=heavy)
    assert work == {"divided": 30, "stiffened": 30}


def test_matrices_of_large_walls_are_not_kept(
    work: Counter[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(kept_meshes, "_ROOM", 1000)
    family = Family(SHEET)
    for mass in (0.5, 1.0, 2.0):
        family.at(heavy=mass)
    assert work["stiffened"] == 3


@given(
    st.recursive(
        st.one_of(st.floats(), st.integers(), st.text(max_size=3), st.booleans(), st.none()),
        lambda inner: st.lists(inner, max_size=3),
        max_leaves=6,
    )
)
def test_a_fingerprint_tells_the_last_digit(value: object) -> None:
    assert fingerprint(value) == fingerprint(value)
    for other in ([value], (value, value), str(value) + "x"):
        assert fingerprint(value) != fingerprint(other)
    number = np.array([1.0, 2.0])
    assert fingerprint(number) == fingerprint(number.copy())
    assert fingerprint(number) != fingerprint(np.nextafter(number, 3.0))
    assert fingerprint(number) != fingerprint(number[:, None])
    with pytest.raises(TypeError, match="object has no fingerprint"):
        fingerprint(object())


DESCRIBED = [path for path in examples_folder().glob("*.toml") if "file = " not in path.read_text()]


@pytest.mark.parametrize("path", sorted(DESCRIBED), ids=lambda own: own.stem)
def test_every_wall_has_a_fingerprint(path: Path) -> None:
    walls = evaluate(read_sheet(path)).surfaces
    again = evaluate(read_sheet(path)).surfaces
    assert [fingerprint(wall) for wall in walls] == [fingerprint(wall) for wall in again]
