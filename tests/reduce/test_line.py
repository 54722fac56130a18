"""Models of a knob against whole solutions, and against theory."""

import math
from collections.abc import Mapping

import numpy as np
import pytest
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation
from belltone.modes.errors import BuckledModesError
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.level import Level, planned
from belltone.modes.mass_properties import effective_masses
from belltone.modes.pairing import pair
from belltone.modes.request import ModeRequest
from belltone.modes.solution import solved
from belltone.progress import Cancelled, Progress
from belltone.reading.family import DesignFamily
from belltone.reduce import lines
from belltone.reduce.designs import UnmodelledError
from belltone.reduce.lines import build_line
from belltone.reduce.model import Gap, Piece, ReducedModel, ReducedModes
from belltone.reduce.packing import pack_model, unpack_model
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sweep.modelled import modelled_sweep
from tests.assemblies import held, joint, member, modes_at, plate, text_of
from tests.conftest import CLAMPED, bar_text
from tests.sweep.test_runner import offset_body, strip

COARSE = Discretisation(1, 3)
BOUND = 1e-3
ROUND = 'shape = "solid round", diameter = "20 mm"'


def with_knob(text: str, value: str, low: str, high: str) -> Sheet:
    knob = f'[knobs.k]\nvalue = "{value}"\nfrom = "{low}"\nto = "{high}"\n'
    return Sheet.from_text(f"{text}\n{knob}")


def modelled(
    sheet: Sheet,
    knob: str = "k",
    count: int = 8,
    level: Discretisation = COARSE,
    bound: float = BOUND,
    progress: Progress | None = None,
) -> ReducedModel:
    """The model of a knob over its range, on one discretisation."""
    family = DesignFamily(sheet)
    design = family.at()
    low, high = (end * design.knobs[knob].scale for end in design.knobs[knob].range)
    request = ModeRequest(count, None, 1e-2)
    fine = planned(design, level)
    return build_line(family, {}, knob, (low, high), request, fine, bound=bound, progress=progress)


def exact(sheet: Sheet, model: ReducedModel, value: float) -> NDArray[np.float64]:
    """Frequencies solved for at a value."""
    return exact_at(sheet, model, {model.knobs[0]: value})


def exact_at(sheet: Sheet, model: ReducedModel, turned: Mapping[str, float]) -> NDArray[np.float64]:
    """Frequencies solved for with knobs turned."""
    level = Level(DesignFamily(sheet).at(turned), model.discretisation, Progress())
    return solved(level, model.request).frequencies


def reduced(model: ReducedModel, value: float) -> ReducedModes:
    found = model.at(value)
    assert isinstance(found, ReducedModes)
    return found


def demo(name: str) -> Sheet:
    return read_sheet(demo_sheet(name))


WHIRLING = text_of(
    member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "30 mm"'),
    held("b.start"),
    '[preload]\nspin = { speed = "k", axis = "x", gyroscopic = true, seen_from = "SEEN" }\n',
    '[knobs.k]\nvalue = "900 rpm"\nfrom = "100 rpm"\nto = "900 rpm"\n',
)
WALL = plate("p", 600, 400, (0, 0, 0))
MOVING_POST = text_of(
    WALL,
    held("p.outline"),
    member("m", ("k", 0, 2), ("k", 0, 300)).replace('"k mm"', '"k"'),
    joint("m.start", "p"),
)
CASES = {
    "thickness of a frame's tube": (demo("infeed_rail"), "wall", COARSE),
    "a support that moves along a member": (demo("infeed_rail"), "post_at", COARSE),
    "thickness, through a crossing": (strip(), "t", Discretisation(2, 4)),
    "a veering": (offset_body("10 mm"), "j", Discretisation(2, 4)),
    "a hole that moves": (demo("pump_cover"), "inlet_at", COARSE),
    "the depth of a shell": (demo("rinsing_bell"), "depth", COARSE),
    "the angle of plies": (demo("paddle"), "angle", COARSE),
    "stiffness of mounts and joints": (demo("filler_gantry"), "mount", COARSE),
    "a post that moves on a plate": (
        with_knob(MOVING_POST, "60 mm", "0 mm", "120 mm"),
        "k",
        COARSE,
    ),
    "a spring from next to nothing to clamped": (
        with_knob(
            text_of(
                member("b", (0, 0, 0), (600, 0, 0), ROUND),
                held("b.start"),
                '[[supports]]\nname = "prop"\nsite = "b.end"\nsprings = { z = "k" }\n',
            ),
            "1e5 N/m",
            "1 N/m",
            "1e7 N/m",
        ),
        "k",
        Discretisation(2, 4),
    ),
    "a free plate": (
        with_knob(
            text_of(plate("p", 500, 400, (0, 0, 0)).replace('"500 mm"', '"k"', 1)),
            "500 mm",
            "400 mm",
            "800 mm",
        ),
        "k",
        COARSE,
    ),
    "a pull on a hot rail": (demo("heated_rail"), "belt", COARSE),
}


@pytest.mark.parametrize(("sheet", "knob", "level"), CASES.values(), ids=CASES)
def test_frequencies_are_within_the_bound_and_the_error_told(
    sheet: Sheet, knob: str, level: Discretisation
) -> None:
    model = modelled(sheet, knob, level=level)
    random = np.random.default_rng(7)
    told_right = 0
    values = model.low[0] + (model.high[0] - model.low[0]) * random.random(8)
    for value in values:
        found, wanted = reduced(model, float(value)), exact(sheet, model, float(value))
        off = np.abs(found.flexible / wanted - 1)
        assert off.max() <= BOUND
        assert found.errors.max() <= BOUND
        told_right += np.count_nonzero(off <= found.errors[found.rigid_count :])
    assert told_right >= 0.95 * len(values) * model.request.count


def test_a_model_takes_few_solutions() -> None:
    for sheet, knob in ((demo("pump_cover"), "thickness"), (demo("infeed_rail"), "wall")):
        assert modelled(sheet, knob).solutions <= 3


def test_bending_crosses_the_other_bending_where_theory_says() -> None:
    sheet = strip()
    model = modelled(sheet, "t", 6, Discretisation(2, 5))
    sweep = modelled_sweep(sheet, DesignFamily(sheet).at(), model.along("t"))
    flap = max(sweep.branches, key=lambda own: own.frequencies[-1] / own.frequencies[0])
    climbing = [own for own in sweep.branches if own.frequencies[-1] > 1.9 * own.frequencies[0]]
    level = [own for own in sweep.branches if own.frequencies[-1] < 1.05 * own.frequencies[0]]
    assert flap in climbing
    second, edgewise = climbing[1], level[0]
    place = np.interp(0.0, second.frequencies - edgewise.frequencies, sweep.values)
    # Slender bars: frequencies go with the height across, and with 1.875^2 and 4.694^2.
    assert place == pytest.approx(50 * (1.8751 / 4.6941) ** 2, rel=0.01)
    assert edgewise.certainty > 0.99


def test_a_plate_grows_longer_as_theory_says() -> None:
    part = plate("p", 400, 400, (0, 0, 0)).replace('"400 mm"', '"k"', 1)
    sheet = with_knob(
        text_of(part, held("p.outline", '["x", "y", "z"]')), "500 mm", "400 mm", "800 mm"
    )
    model = modelled(sheet, count=5, level=Discretisation(2, 5))
    stiff, heavy = 200e9 * 0.004**3 / (12 * (1 - 0.3**2)), 7850 * 0.004
    for width in (0.43, 0.6, 0.77):
        waves = sorted((m / width) ** 2 + (n / 0.4) ** 2 for m in range(1, 6) for n in range(1, 6))
        theory = math.pi / 2 * math.sqrt(stiff / heavy) * np.array(waves[:5])
        # Soft edges and shear take a little off what theory says of a hundredfold thin plate.
        off = reduced(model, width).flexible / theory - 1
        assert np.all((off > -7e-3) & (off < 0))


def test_a_round_bar_becomes_oval_and_its_pairs_part() -> None:
    section = 'shape = "ellipse", width = "20 mm", height = "k"'
    sheet = with_knob(bar_text(section, "0.6 m", CLAMPED), "22 mm", "20 mm", "30 mm")
    model = modelled(sheet, count=6, level=Discretisation(2, 5))
    even = reduced(model, 0.020).flexible
    assert even[0::2][:2] == pytest.approx(even[1::2][:2], rel=1e-6)
    odd = reduced(model, 0.025).flexible
    assert odd[1] / odd[0] == pytest.approx(1.25, rel=5e-3)


def test_two_weakly_coupled_beams_veer_by_what_the_spring_says() -> None:
    across = member("b", (500, -500, 0), (500, 0, 0), ROUND).replace('"-500 mm"', '"-k"')
    sheet = with_knob(
        text_of(
            member("a", (0, 0, 0), (500, 0, 0), ROUND),
            across,
            held("a.start"),
            held("b.start"),
            joint("a.end", "b.end", "sprung", 'springs = { z = "2 N/mm" }'),
        ),
        "500 mm",
        "470 mm",
        "530 mm",
    )
    model = modelled(sheet, count=4, level=Discretisation(2, 4))
    alone = 1.8751**2 * math.sqrt(200e9 * 0.01**2 / (4 * 7850)) / 0.5**2 / (2 * math.pi)
    mass = 7850 * math.pi * 0.01**2 * 0.5
    # Equal ones move up and down alike, or stretch the spring: then w² is 8 k / m more.
    raised = math.sqrt(alone**2 + 8 * 2000 / mass / (2 * math.pi) ** 2)
    middle = reduced(model, 0.5).flexible
    assert middle[0] == pytest.approx(alone, rel=3e-3)
    assert middle[3] == pytest.approx(raised, rel=3e-3)
    gaps = [
        float(np.ptp(reduced(model, float(length)).flexible[[0, 3]]))
        for length in np.linspace(model.low[0], model.high[0], 61)
    ]
    assert min(gaps) == pytest.approx(raised - alone, rel=0.05)
    assert np.argmin(gaps) == pytest.approx(30, abs=3)


def test_heat_softens_a_bar_until_it_buckles() -> None:
    sheet = with_knob(
        text_of(
            member(
                "b",
                (0, 0, 0),
                (600, 0, 0),
                'shape = "solid rectangle", width = "20 mm", height = "5 mm"',
            ),
            held("b.start"),
            held("b.end"),
            '[[preload.warmths]]\npart = "b"\nchange = "k"\n',
        ).replace("poisson_ratio = 0.3", 'poisson_ratio = 0.3\nexpansion = "12 um/m/K"'),
        "5 K",
        "1 K",
        "60 K",
    )
    model = modelled(sheet, count=3, level=Discretisation(2, 5))
    last = model.pieces[-1]
    assert isinstance(last, Gap)
    assert last.failure.reason is Reason.BUCKLED
    # Clamped: 4 pi^2 E I / L^2 = E A alpha T.
    theory = 4 * math.pi**2 * (0.005**2 / 12) / 0.6**2 / 12e-6
    assert last.low[0] == pytest.approx(theory, rel=0.02)
    failed = model.at(0.5 * (last.low[0] + model.high[0]))
    assert isinstance(failed, PointFailure)
    assert failed.buckled
    with pytest.raises(BuckledModesError):
        exact(sheet, model, 0.5 * (last.low[0] + model.high[0]))
    # Squares of the lowest frequency fall nearly along a line to zero there.
    square = [reduced(model, share * theory).flexible[0] ** 2 for share in (0.1, 0.5, 0.9)]
    assert square[1] / square[0] == pytest.approx(0.5 / 0.9, rel=0.05)
    assert square[2] / square[0] == pytest.approx(0.1 / 0.9, rel=0.1)


def test_large_deflection_is_modelled_too() -> None:
    text = text_of(
        member(
            "b",
            (0, 0, 0),
            (600, 0, 0),
            'shape = "solid rectangle", width = "20 mm", height = "5 mm"',
        ),
        held("b.start"),
        held("b.axis", '["y", "turn x"]'),
        '[preload]\ndeflection = "large"\n[[preload.forces]]\nsite = "b.end"\n'
        'force = ["0 N", "0 N", "k"]\n',
    )
    sheet = with_knob(text, "20 N", "5 N", "60 N")
    model = modelled(sheet, count=4, level=Discretisation(2, 4))
    assert all(isinstance(piece, Piece) for piece in model.pieces)
    for value in np.random.default_rng(3).uniform(model.low[0], model.high[0], 5):
        wanted = exact(sheet, model, float(value))
        assert reduced(model, float(value)).flexible == pytest.approx(wanted, rel=BOUND)


def test_shapes_hold_what_is_held_and_move_as_solved() -> None:
    sheet = demo("infeed_rail")
    model = modelled(sheet, "wall")
    value = 0.5 * (model.low[0] + model.high[0])
    found, piece = reduced(model, value), model.piece_at(value)
    assert isinstance(piece, Piece)
    design = DesignFamily(sheet).at({"wall": value})
    level = Level(design, model.discretisation, Progress())
    true = solved(level, model.request)
    shapes = level.witness.shapes(level.system.node_motions(true.shapes)).reshape(8, -1)
    told = piece.motions(found)[found.rigid_count :].reshape(8, -1)
    common = np.abs(np.einsum("mi,mi->m", shapes, told))
    lengths = np.linalg.norm(shapes, axis=1) * np.linalg.norm(told, axis=1)
    # Seven digits are kept of the basis, and the last mode is the worst of a small basis.
    assert common / lengths == pytest.approx(np.ones(8), abs=2e-3)
    # Signatures weigh motions by the masses of the design the model was begun from.
    alike = np.einsum("mi,mi->m", found.signatures[-8:], true.signatures) ** 2
    assert alike.min() > 0.97


@pytest.mark.parametrize(
    ("name", "knob", "off"), [("infeed_rail", "wall", 1e-4), ("cap_chute", "sheet", 2e-3)]
)
def test_what_modes_move_along_each_axis_is_told(name: str, knob: str, off: float) -> None:
    """Effective masses as shares of the whole, as those of solved designs."""
    sheet = demo(name)
    model = modelled(sheet, knob)
    for share in (0.3, 0.8):
        value = model.low[0] + share * (model.high[0] - model.low[0])
        found = reduced(model, value)
        level = Level(DesignFamily(sheet).at({knob: value}), model.discretisation, Progress())
        true = solved(level, model.request)
        masses = effective_masses(level.system, true.shapes)[:, :3]
        masses /= level.system.rigid_mass[0, 0]
        assert found.swings[found.rigid_count :] == pytest.approx(masses, abs=off)


def test_kinds_go_with_the_shape() -> None:
    sheet = strip()
    model = modelled(sheet, "t", 6, Discretisation(2, 4))
    low, high = reduced(model, 0.0052), reduced(model, 0.0098)
    assert low.kinds[1] != low.kinds[2]
    assert {low.kinds[1], low.kinds[2]} == {high.kinds[1], high.kinds[2]}
    assert low.kinds[1] == high.kinds[2]


def test_where_the_bound_is_out_of_reach_the_model_says_so(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    # Undivided, the moving support needs more than so many designs.
    monkeypatch.setattr(lines, "_NARROWEST", 0.6)
    model = modelled(demo("infeed_rail"), "post_at", bound=1e-8)
    gaps = [piece for piece in model.pieces if isinstance(piece, Gap)]
    assert 0 < len(gaps) < len(model.pieces)
    assert all(gap.failure.reason is Reason.UNMET for gap in gaps)
    assert model.at(0.5 * (gaps[0].low[0] + gaps[0].high[0])) is None


def test_counts_and_windows_have_no_model() -> None:
    with pytest.raises(UnmodelledError, match="whole numbers"):
        modelled(demo("ribbed_cover"), "ribs")
    family = DesignFamily(demo("infeed_rail"))
    window = ModeRequest(3, 900.0, 1e-2, above=200.0)
    with pytest.raises(UnmodelledError, match="above a frequency"):
        build_line(family, {}, "wall", (0.002, 0.006), window, COARSE)


def test_whirling_modes_part_and_cross_as_the_spin_rises() -> None:
    sheet = Sheet.from_text(WHIRLING.replace("SEEN", "part"))
    model = modelled(sheet, count=6, level=Discretisation(2, 4))
    assert all(isinstance(piece, Piece) for piece in model.pieces)
    for value in np.random.default_rng(5).uniform(model.low[0], model.high[0], 6):
        found, wanted = reduced(model, float(value)), exact(sheet, model, float(value))
        assert found.flexible == pytest.approx(wanted, rel=BOUND)
    # In turning axes a round shaft's pairs part by twice the speed, to first order.
    still, turning = reduced(model, model.low[0]), reduced(model, model.high[0])
    assert still.flexible[1] - still.flexible[0] < turning.flexible[1] - turning.flexible[0]
    apart = (turning.flexible[1] - turning.flexible[0]) / (model.high[0] / (2 * math.pi))
    assert apart == pytest.approx(2.0, rel=0.02)
    assert {-1, 1} <= set(turning.waves)


def test_whirls_seen_from_the_ground_are_those_of_a_solution() -> None:
    """From half the speed at which the spin overtakes the lowest forward whirl to thrice it."""
    text = WHIRLING.replace("SEEN", "ground").replace('to = "900 rpm"', 'to = "4500 rpm"')
    sheet = Sheet.from_text(text)
    model = modelled(sheet, count=6, level=Discretisation(2, 4))
    assert all(isinstance(piece, Piece) for piece in model.pieces)
    lowest = reduced(model, model.low[0]).flexible[1]
    family = DesignFamily(sheet)
    for share in (0.5, 0.9, 1.1, 3.0):
        speed = 2 * math.pi * share * lowest
        found = reduced(model, speed)
        design = family.at({"k": speed})
        wanted = modes_at(design, ModeRequest(6, None, 1e-2), model.discretisation)
        assert len(found.flexible) == 6
        assert found.flexible == pytest.approx(wanted.flexible, rel=BOUND)
        assert np.all(found.errors < 10 * BOUND)
        assert found.kinds == wanted.kinds
        assert found.waves == wanted.waves
        piece = model.piece_at(speed)
        assert isinstance(piece, Piece)
        step = 1e-3 * speed
        below, above = (reduced(model, speed + side * step).flexible for side in (-1, 1))
        slopes = piece.slopes((speed,), found)[0]
        most = float(np.abs(slopes).max())
        assert slopes == pytest.approx((above - below) / (2 * step), abs=1e-3 * most)
        # The shape goes the way it is seen to.
        (partners, certainty) = pair(found, wanted)
        assert partners.tolist() == list(range(6))
        assert certainty.min() > 0.99
    again = reduced(unpack_model(pack_model(model)), speed)
    assert again.flexible == pytest.approx(found.flexible)


def test_a_pattern_the_turning_axes_overtake_is_known_again() -> None:
    sheet = Sheet.from_text(
        WHIRLING.replace("SEEN", "part").replace('to = "900 rpm"', 'to = "4500 rpm"')
    )
    model = modelled(sheet, count=4, level=Discretisation(2, 4))
    slow, fast = reduced(model, model.low[0]), reduced(model, model.high[0])
    assert slow.kinds[0].endswith("forward whirl") or slow.kinds[1].endswith("forward whirl")
    assert "mixed" not in fast.kinds
    # Faster than it whirls, the shaft's lowest forward whirl is left behind.
    assert fast.waves.count(-1) == slow.waves.count(-1) + 1


def test_no_value_with_an_answer_is_told() -> None:
    sheet = with_knob(
        bar_text('shape = "round tube", diameter = "20 mm", wall = "k"', "1 m", CLAMPED),
        "2 mm",
        "12 mm",
        "15 mm",
    )
    with pytest.raises(UnmodelledError, match="wall"):
        modelled(sheet)


def test_what_grows_is_shown_and_a_stop_is_heard() -> None:
    seen: list[ReducedModel] = []
    model = modelled(demo("infeed_rail"), "post_at", progress=Progress(viewer=seen.append))
    assert len(seen) == len(model.pieces)
    assert all(isinstance(each, ReducedModel) for each in seen)
    progress = Progress(lambda done, *_: progress.cancel() if done > 2 else None)
    with pytest.raises(Cancelled):
        modelled(demo("infeed_rail"), "post_at", progress=progress)


def test_a_model_is_the_same_after_being_kept() -> None:
    model = modelled(demo("infeed_rail"), "post_at")
    again = unpack_model(pack_model(model))
    assert (again.low, again.high, again.bound) == (model.low, model.high, model.bound)
    assert again.discretisation == model.discretisation
    for value in np.linspace(model.low[0], model.high[0], 7):
        one, two = reduced(model, float(value)), reduced(again, float(value))
        assert np.array_equal(one.frequencies, two.frequencies)
        assert one.kinds == two.kinds
        assert np.array_equal(one.errors, two.errors)
