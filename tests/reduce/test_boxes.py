"""Models of several knobs against theory and whole solutions."""

import math

import numpy as np
import pytest

from belltone.mesh.discretisation import Discretisation
from belltone.modes.errors import BuckledModesError
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.level import planned
from belltone.modes.request import ModeRequest
from belltone.reading.family import DesignFamily
from belltone.reduce import boxes, spreading
from belltone.reduce.boxes import build_box
from belltone.reduce.designs import Designs, UnmodelledError
from belltone.reduce.forms import Forms
from belltone.reduce.grid import MOST_ORDERS, Grid, place_of
from belltone.reduce.model import Gap, Piece, ReducedModel, ReducedModes
from belltone.reduce.packing import pack_model, unpack_model
from belltone.sheet.document import Sheet
from tests.assemblies import held, member, plate, text_of
from tests.reduce.test_line import COARSE, WHIRLING, demo, exact_at

BEAM = (
    text_of(
        member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "d"').replace(
            '["1000 mm", "0 mm", "0 mm"]', '["l", "0 mm", "0 mm"]'
        ),
        held("b.start"),
    )
    + '\n[knobs.d]\nvalue = "20 mm"\nfrom = "10 mm"\nto = "30 mm"\n'
    + '[knobs.l]\nvalue = "1 m"\nfrom = "0.8 m"\nto = "1.6 m"\n'
)

PULLED_UP = '[preload]\nacceleration = ["0 g", "0 g", "1 g"]\n'


def modelled(
    sheet: Sheet, *knobs: str, level: Discretisation = COARSE, count: int = 6, share: float = 1.0
) -> ReducedModel:
    """The model of knobs over a share of their ranges about the middle, on one discretisation."""
    family = DesignFamily(sheet)
    design = family.at()
    ends = {}
    for name in knobs:
        low, high = (end * design.knobs[name].scale for end in design.knobs[name].range)
        off = 0.5 * (1 - share) * (high - low)
        ends[name] = low + off, high - off
    request = ModeRequest(count, None, 1e-2)
    return build_box(family, {}, ends, request, planned(design, level))


def places(model: ReducedModel, count: int) -> list[tuple[float, ...]]:
    chance = np.random.default_rng(8)
    return [tuple(chance.uniform(model.low, model.high).tolist()) for _ in range(count)]


def reduced(model: ReducedModel, *values: float) -> ReducedModes:
    found = model.at(*values)
    assert isinstance(found, ReducedModes)
    return found


CASES = {
    "the tube and the post of a frame": (demo("infeed_rail"), ("wall", "post_at"), COARSE, 0.5),
    "three knobs": (demo("filler_gantry"), ("tube", "reach", "mount"), COARSE, 0.3),
    "wall and depth of a shell": (demo("rinsing_bell"), ("wall", "depth"), COARSE, 1.0),
    "plies and twist": (demo("paddle"), ("angle", "twist"), COARSE, 1.0),
    "pull and warmth": (demo("heated_rail"), ("belt", "sun"), COARSE, 1.0),
    "both sides of a free plate": (
        Sheet.from_text(
            text_of(plate("p", 500, 400, (0, 0, 0)))
            .replace('"500 mm"', '"a"', 1)
            .replace('"400 mm"', '"b"', 1)
            + '\n[knobs.a]\nvalue = "500 mm"\nfrom = "400 mm"\nto = "800 mm"\n'
            + '[knobs.b]\nvalue = "450 mm"\nfrom = "400 mm"\nto = "500 mm"\n'
        ),
        ("a", "b"),
        COARSE,
        1.0,
    ),
}


@pytest.mark.parametrize(("sheet", "knobs", "level", "share"), CASES.values(), ids=CASES)
def test_frequencies_are_within_the_bound_and_the_error_told(
    sheet: Sheet, knobs: tuple[str, ...], level: Discretisation, share: float
) -> None:
    model = modelled(sheet, *knobs, level=level, share=share)
    for place in places(model, 6):
        found = reduced(model, *place)
        true = exact_at(sheet, model, dict(zip(knobs, place, strict=True)))
        off = np.abs(found.flexible / true[: len(found.flexible)] - 1)
        assert np.all(off <= model.bound)
        assert np.all(off <= found.errors[found.rigid_count :])


def test_a_cantilever_follows_its_diameter_and_length_as_theory_says() -> None:
    model = modelled(Sheet.from_text(BEAM), "d", "l", level=Discretisation(2, 5))
    steel = model.at(0.02, 1.0)
    assert isinstance(steel, ReducedModes)
    for diameter, length in ((0.011, 1.55), (0.02, 1.2), (0.016, 0.9)):
        found = reduced(model, diameter, length)
        expected = steel.flexible[0] * (diameter / 0.02) / length**2
        assert found.flexible[0] == pytest.approx(expected, rel=2e-3)  # shear and rotation apart


def test_slopes_are_those_of_the_frequencies_told() -> None:
    model = modelled(Sheet.from_text(BEAM), "d", "l")
    place = (0.021, 1.1)
    (piece,) = model.pieces
    assert isinstance(piece, Piece)
    slopes = piece.slopes(place, reduced(model, *place))
    steps = 1e-4 * np.array(place)
    for number, step in enumerate(steps):
        sides = [np.array(place) for _ in range(2)]
        sides[0][number] -= step
        sides[1][number] += step
        below, above = (reduced(model, *side).flexible for side in sides)
        assert slopes[number] == pytest.approx((above - below) / (2 * step), rel=1e-5)


def test_shapes_and_kinds_come_with_frequencies() -> None:
    model = modelled(Sheet.from_text(BEAM), "d", "l")
    found = reduced(model, 0.02, 1.0)
    piece = model.piece_at(0.02, 1.0)
    assert isinstance(piece, Piece)
    assert len(piece.motions(found)) == len(found)
    assert all("bending" in kind for kind in found.kinds[:2])


def test_a_line_through_a_model_is_the_model_there() -> None:
    model = modelled(Sheet.from_text(BEAM), "d", "l")
    line = model.along("l", {"d": 0.015, "l": 1.0})
    assert (line.knob, line.low, line.high) == ("l", 0.8, 1.6)
    assert line == model.along("l", {"d": 0.015})
    found = line.at(1.3)
    assert isinstance(found, ReducedModes)
    assert found.flexible == pytest.approx(reduced(model, 0.015, 1.3).flexible)


def test_beyond_buckling_it_says_so_along_the_whole_edge() -> None:
    sheet = demo("heated_rail")
    family = DesignFamily(sheet)
    request = ModeRequest(4, None, 1e-2)
    level = planned(family.at(), COARSE)
    ends = {"belt": (0.0, 20e3), "sun": (0.0, 400.0)}
    model = build_box(family, {}, ends, request, level)
    warmths = np.linspace(0.0, 400.0, 81)
    for belt in (0.0, 9e3, 20e3):
        told = [model.at(belt, sun) for sun in warmths]
        buckled = [isinstance(own, PointFailure) and own.buckled for own in told]
        assert buckled == sorted(buckled)
        edge = buckled.index(True)
        assert len(exact_at(sheet, model, {"belt": belt, "sun": warmths[edge - 1]}))
        with pytest.raises(BuckledModesError):
            exact_at(sheet, model, {"belt": belt, "sun": warmths[edge]})


def test_where_the_mesh_changes_across_a_knob_there_are_pieces() -> None:
    model = modelled(demo("infeed_rail"), "wall", "post_at")
    pieces = [own for own in model.pieces if isinstance(own, Piece)]
    assert len(pieces) > 1
    assert all(own.low[0] == model.low[0] and own.high[0] == model.high[0] for own in pieces)
    assert sum(own.high[1] - own.low[1] for own in model.pieces) == pytest.approx(
        model.high[1] - model.low[1], rel=0.02
    )


def test_the_length_and_the_wall_of_a_jointed_tube_take_one_piece() -> None:
    """Its elements grow from the joint: as many for every length, or the model would end there."""
    tube = """
[parts.tube]
kind = "revolved"
material = "steel"
thickness = "wall"
profile = [{ at = ["50 mm", "0 mm"] }, { at = ["62 mm", "long"] }]
[[joints]]
between = ["tube.start", "disc"]
how = "hinged"
[knobs.wall]
value = "3 mm"
from = "2.4 mm"
to = "3.6 mm"
[knobs.long]
value = "220 mm"
from = "176 mm"
to = "264 mm"
"""
    disc = plate("disc", 160, 140, (0, 0, 0))
    sheet = Sheet.from_text(text_of(disc, held("disc.west")) + tube)
    model = modelled(sheet, "wall", "long", count=4)
    assert len(model.pieces) == 1
    assert isinstance(model.pieces[0], Piece)
    for place in places(model, 2):
        true = exact_at(sheet, model, dict(zip(("wall", "long"), place, strict=True)))
        assert reduced(model, *place).flexible == pytest.approx(true[:4], rel=model.bound)


def test_where_no_design_has_an_answer_that_is_why_there_is_no_model() -> None:
    sheet = Sheet.from_text(BEAM.replace('"clamped"', '["x", "y"]') + PULLED_UP)
    with pytest.raises(UnmodelledError, match="the preload is not balanced"):
        modelled(sheet, "d", "l")


def test_what_does_not_meet_the_bound_is_left_to_whole_solutions(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(boxes, "_MOST_TRIED", 5)
    model = modelled(demo("infeed_rail"), "wall", "post_at")
    gaps = [own for own in model.pieces if isinstance(own, Gap)]
    assert gaps
    assert all(own.failure.reason is Reason.UNMET for own in gaps)
    middle = tuple((0.5 * np.add(gaps[0].low, gaps[0].high)).tolist())
    assert model.at(*middle) is None


def test_spin_and_size_of_a_whirling_shaft() -> None:
    text = WHIRLING.replace("SEEN", "part").replace('"30 mm"', '"d"')
    sheet = Sheet.from_text(text + '[knobs.d]\nvalue = "30 mm"\nfrom = "20 mm"\nto = "40 mm"\n')
    model = modelled(sheet, "k", "d")
    for place in places(model, 3):
        found = reduced(model, *place)
        true = exact_at(sheet, model, dict(zip(("k", "d"), place, strict=True)))
        assert found.flexible == pytest.approx(true[: len(found.flexible)], rel=model.bound)


def test_knobs_without_a_model_are_named() -> None:
    with pytest.raises(UnmodelledError, match="“ribs” is a number of things"):
        modelled(demo("ribbed_cover"), "wall", "ribs")


def test_a_packed_model_says_the_same() -> None:
    model = modelled(Sheet.from_text(BEAM), "d", "l")
    again = unpack_model(pack_model(model))
    assert (again.knobs, again.low, again.high) == (model.knobs, model.low, model.high)
    for place in places(model, 4):
        assert np.array_equal(reduced(again, *place).flexible, reduced(model, *place).flexible)


def test_what_is_so_stiff_that_its_mass_is_a_rounding_makes_no_mode() -> None:
    stiffness, mass = np.diag([1.0, 4.0, 9.0, 1e6]), np.diag([1.0, 1.0, 1.0, -1e-9])
    forms = Forms(stiffness, mass, np.zeros((4, 3)), shift=4.0)
    values, weights = forms.modes()
    assert values == pytest.approx([1.0, 4.0, 9.0])
    assert np.abs(weights.T @ mass @ weights) == pytest.approx(np.eye(3), abs=1e-12)


def test_what_has_buckled_beyond_the_shift_is_told_all_the_same() -> None:
    forms = Forms(np.diag([-9.0, 1.0]), np.eye(2), np.zeros((2, 3)), shift=4.0)
    assert forms.modes()[0] == pytest.approx([-9.0, 1.0])


def test_whole_ranges_of_plies_and_twist_take_few_designs(monkeypatch: pytest.MonkeyPatch) -> None:
    made: list[Designs] = []

    def kept(*given: object, **named: object) -> Designs:
        made.append(Designs(*given, **named))
        return made[-1]

    monkeypatch.setattr(boxes, "Designs", kept)
    model = modelled(demo("paddle"), "angle", "twist")
    assert len(model.pieces) == 1
    assert made[0].tried <= 70
    assert model.solutions <= 4


@pytest.mark.parametrize(
    ("missed", "endless"),
    [
        ([200.0, 160.0, 31.0, 18.0], False),  # too few to tell
        ([200.0, 160.0, 31.0, 18.0, 2.4], False),
        ([100.0, 400.0, 100.0, 25.0, 6.0], False),
        ([1500.0, 920.0, 670.0, 340.0, 250.0], True),
        ([2000.0, 900.0, 710.0, 280.0, 67.0, 240.0], True),
        ([10.0 * 0.5**order for order in range(11)], True),  # as many as there may be
    ],
)
def test_a_grid_that_would_not_end_is_told_soon(missed: list[float], endless: bool) -> None:
    assert spreading._endless(missed) is endless


def test_a_grid_shows_polynomials_of_its_orders_exactly() -> None:
    low, high = (1.0, -2.0), (3.0, 5.0)

    def forms(x: float, y: float) -> Forms:
        value = 1 + x * y + 0.3 * x**3 - y**2
        return Forms(np.array([[value]]), np.array([[2 + x * y]]), np.array([[x, y, value]]))

    orders = [(0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2), (3, 0)]
    grid = Grid.begun(low, high, orders[0], forms(*place_of(orders[0], low, high)))
    for each in orders[1:]:
        grid = grid.with_more(each, forms(*place_of(each, low, high)))
    for place in ((1.3, 4.2), (2.9, -1.1)):
        assert grid.at(*place).stiffness == pytest.approx(forms(*place).stiffness, rel=1e-12)
        assert grid.at(*place).mass == pytest.approx(forms(*place).mass, rel=1e-12)
        assert grid.at(*place).slides == pytest.approx(forms(*place).slides, rel=1e-12)


def test_places_of_a_grid_lie_apart_and_between_the_ends() -> None:
    found = [place_of((order,), (2.0,), (4.0,))[0] for order in range(MOST_ORDERS)]
    assert found[:3] == [3.0, 2.0, 4.0]
    assert len(set(found)) == MOST_ORDERS
    assert min(found) == 2.0
    assert max(found) == 4.0
    assert min(np.diff(sorted(found))) > 0.05 / math.pi**2
