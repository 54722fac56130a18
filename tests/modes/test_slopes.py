"""Slopes of frequencies against differences of whole solutions."""

import numpy as np
import pytest
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import Level, planned
from belltone.modes.matching import clusters
from belltone.modes.request import ModeRequest
from belltone.modes.slopes import slopes_of_knob
from belltone.modes.solution import Solution, solved
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from tests.assemblies import held, joint, member, plate, text_of

REQUEST = ModeRequest(6, None, 1e-2)
COARSE = Discretisation(1, 3)


def demo(name: str) -> Sheet:
    return read_sheet(demo_sheet(name))


def with_knob(text: str, value: str) -> Sheet:
    return Sheet.from_text(f'{text}\n[knobs.k]\nvalue = "{value}"\n')


PLATE = plate("p", 600, 400, (0, 0, 0))
SPIN = '[preload]\nspin = { speed = "k", axis = "x", gyroscopic = true, seen_from = "SEEN" }\n'
SHAFT = (
    member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "30 mm"')
    + held("b.start", '["x", "y", "z", "turn x"]')
    + held("b.end", '["y", "z"]')
)
CASES = {
    "thickness of a frame's tube, springs and masses": (demo("infeed_rail"), "wall"),
    "a site that moves along a member": (demo("infeed_rail"), "post_at"),
    "a mass that moves on a wall": (demo("pump_cover"), "inlet_at"),
    "the angle of plies": (demo("paddle"), "angle"),
    "equal frequencies of a free square plate": (
        with_knob(text_of(plate("p", 400, 400, (0, 0, 0)).replace('"400 mm"', '"k"', 1)), "400 mm"),
        "k",
    ),
    "a post that moves on a plate": (
        with_knob(
            text_of(
                PLATE,
                held("p.outline"),
                member("m", ("k", 0, 2), ("k", 0, 300)).replace('"k mm"', '"k"'),
                joint("m.start", "p"),
            ),
            "60 mm",
        ),
        "k",
    ),
    "a joint on springs": (
        with_knob(
            text_of(
                plate("a", 250, 400, (-175, 0, 0)),
                plate("b", 350, 400, (125, 0, 0)),
                held("a.west"),
                joint("a.east", "b.west", "sprung", 'springs = { z = "k" }\nhold = ["x", "y"]'),
            ),
            "1e5 N/m",
        ),
        "k",
    ),
    "warmth of a plate under pressure": (
        with_knob(
            text_of(
                PLATE,
                held("p.outline"),
                '[[preload.pressures]]\nsite = "p.face"\npressure = "2 kPa"\non = "inner"\n',
                '[[preload.warmths]]\nchange = "k"\n',
            ).replace("poisson_ratio = 0.3", 'poisson_ratio = 0.3\nexpansion = "12 um/m/K"'),
            "-8 K",
        ),
        "k",
    ),
    "large deflection": (
        with_knob(
            text_of(
                member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "8 mm"'),
                held("b.start"),
                '[preload]\ndeflection = "large"\n',
                '[[preload.forces]]\nsite = "b.end"\nforce = ["0 N", "0 N", "k"]\n',
            ),
            "20 N",
        ),
        "k",
    ),
    "spin seen from the shaft": (
        with_knob(text_of(SHAFT, SPIN.replace("SEEN", "part")), "100 rad/s"),
        "k",
    ),
    "spin seen from the ground": (
        with_knob(text_of(SHAFT, SPIN.replace("SEEN", "ground")), "100 rad/s"),
        "k",
    ),
}


def solution_of(sheet: Sheet, knob: str, value: float, level: Discretisation) -> Solution:
    return solved(Level(turned(sheet, knob, value), level, Progress()), REQUEST)


def turned(sheet: Sheet, knob: str, value: float) -> Design:
    return evaluate(sheet, {knob: evaluate(sheet).knobs[knob].exact_text(value)})


@pytest.mark.parametrize("name", CASES)
def test_slopes_are_those_of_differences(name: str) -> None:
    sheet, knob = CASES[name]
    design = evaluate(sheet)
    value = design.knobs[knob].value
    order = COARSE if design.has_walls else Discretisation(2, 4)
    level = planned(design, order)
    here = solution_of(sheet, knob, value, level)
    family = DesignFamily(sheet)
    found = slopes_of_knob(family, {}, knob, here)
    scale = design.knobs[knob].scale

    def difference(width: float) -> NDArray[np.float64]:
        low, high = (
            solution_of(sheet, knob, value + side * width, level).frequencies for side in (-1, 1)
        )
        count = clusters(here.frequencies[: min(len(low), len(high))])[-1].start
        for group in clusters(here.frequencies[:count]):
            low[group] = low[group][::-1]  # equal ones part, and the lowest slope is last there
        return (high[:count] - low[:count]) / (2 * width)

    # Richardson's extrapolation takes the error of differences to the fourth power of the step.
    # Loaded states are found to a tolerance of their own, so they are looked at farther apart.
    width = (1e-3 if design.preload is None else 1e-2) * value
    wide, narrow = difference(2 * width), difference(width)
    exact = (4 * narrow - wide) / 3
    # A state under a large deflection is found to a tolerance that shows.
    close = 5e-6 if design.preload is not None and design.preload.large else 1e-6
    told = found.frequencies[: len(exact)] * scale * value / here.frequencies[: len(exact)]
    known = exact * value / here.frequencies[: len(exact)]
    assert told == pytest.approx(known, abs=close * max(1.0, np.abs(known).max()))


@pytest.mark.parametrize(("name", "knob"), [("heated_rail", "sun"), ("pump_cover", "inlet_at")])
def test_at_zero_a_hair_is_one_of_the_range(name: str, knob: str) -> None:
    sheet = demo(name)
    design = evaluate(sheet)
    level = planned(design, COARSE if design.has_walls else Discretisation(2, 4))
    here = solution_of(sheet, knob, 0.0, level)
    own = design.knobs[knob]
    found = slopes_of_knob(DesignFamily(sheet), {knob: 0.0}, knob, here)
    width = 2e-3 * own.range[1]
    low, high = (solution_of(sheet, knob, side * width, level).frequencies for side in (-1, 1))
    count = min(len(low), len(high), 4)
    known = (high[:count] - low[:count]) / (2 * width)
    told = found.frequencies[:count] * own.scale
    assert told == pytest.approx(known, rel=1e-3, abs=1e-3 * np.abs(known).max())


def test_a_knob_at_zero_without_a_range_is_named() -> None:
    sheet, knob = CASES["warmth of a plate under pressure"]
    cold = sheet.with_value(("knobs", knob, "value"), "0 K")
    level = planned(evaluate(cold), COARSE)
    here = solution_of(cold, knob, 0.0, level)
    with pytest.raises(UserError, match="“k” is zero and has no range; state its “from” and “to”"):
        slopes_of_knob(DesignFamily(cold), {}, knob, here)


def test_mass_and_buckling_factors_have_slopes() -> None:
    """A strut's factor goes with the inertia of its section and against its load."""
    strut = text_of(
        member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "k"'),
        held("b.start"),
        '[[preload.forces]]\nsite = "b.end"\nforce = ["-20 N", "0 N", "0 N"]\n',
    )
    sheet = with_knob(strut, "8 mm")
    here = solution_of(sheet, "k", 8.0, Discretisation(2, 4))
    found = slopes_of_knob(DesignFamily(sheet), {}, "k", here)
    mass = np.pi / 4 * 0.008**2 * 7850
    assert found.mass == pytest.approx(2 * mass / 0.008, rel=1e-6)
    assert here.level.buckling is not None
    factors = here.level.buckling.factors
    # Shear takes a little off the fourth power.
    assert found.factors[:2] * 0.008 / factors[:2] == pytest.approx([4, 4], rel=1e-3)
