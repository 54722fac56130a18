"""Input that is wrong, too large or contradictory ends in one message that names it."""

import math
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.errors import UserError
from belltone.modes.solve import ModeRequest, NoModesError, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import DIMENSIONS
from tests.assemblies import design_of, findings, frame, held, joint, member, plate, text_of

BAR = member("b", (0, 0, 0), (1000, 0, 0))
TWO = plate("a", 250, 400, (-175, 0, 0)) + plate("b", 350, 400, (125, 0, 0))


def round_points(count: int) -> str:
    turns = (2 * math.pi * k / count for k in range(count))
    return ", ".join(f'["{100 * math.cos(t):.4f} mm", "{100 * math.sin(t):.4f} mm"]' for t in turns)


def outlined(points: str) -> str:
    return plate("p", 1, 1, (0, 0, 0)).replace(
        'shape = "rectangle", width = "1 mm", height = "1 mm"',
        f'shape = "polygon", points = [{points}]',
    )


MOVES = '[[preload.moves]]\nsite = "b.end"\nz = "1 mm"\n'
SECTION = f'shape = "solid outline", points = [{round_points(500)}]'
CASES = {
    "two moves of one site": (
        BAR + held("b.start") + MOVES + MOVES.replace("1 mm", "2 mm"),
        "“b.end” are one site, and z of it is set twice",
    ),
    "welded and not": (
        TWO + joint("a", "b") + joint("b", "a", "none"),
        "“b – a” says “none” and “a – b” says “welded” of the same pair",
    ),
    "said twice": (TWO + joint("a", "b") + joint("a", "b"), "say the same; keep one"),
    "not one joint of a pair": (
        TWO + joint("a.east", "b.west") + joint("a", "b", "none"),
        "of the same pair",
    ),
    "a frame that joins its own ends": (
        frame({"o": (0, 0, 0), "e": (1000, 0, 0)}, {"m": 'from = "o", to = "e"'})
        .replace("[parts.f.nodes]", 'tolerance = "10 m"\n[parts.f.nodes]', 1),
        "would join the two ends of a member that is 1000 mm long",
    ),
    "thickness beyond all": (
        plate("p", 3, 2, (0, 0, 0)).replace('"4 mm"', '"1e300 mm"'),
        "“1e300 mm” is too large: at most 100000 m",
    ),
    "points on a line": (
        outlined('["0 mm", "0 mm"], ["1 mm", "1 mm"], ["3 mm", "3 mm"]'),
        "the points lie on one line",
    ),
    "a polygon of thousands": (outlined(round_points(2000)), "more than 150 points are too many"),
    "a section of thousands": (
        member("b", (0, 0, 0), (9, 0, 0), SECTION),
        "more than 120 points are too many",
    ),
    "a spring like nothing": (
        BAR + '[[supports]]\nsite = "b.start"\nsprings = { x = "1e-9 N/m" }\n',
        "a spring of 1e-09 N/m holds nothing",
    ),
    "a scale beyond all": (BAR + held("b.start") + '[preload]\nscale = "1e300"\n', "too large"),
    "a table where a list is": (BAR.replace("from = [", 'up = "z"\nfrom = ['), "list in square"),
    "a bare key twice": (BAR + "key = 3\n", "there is no key “key” here"),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_what_is_wrong_is_named(case: str) -> None:
    text, words = CASES[case]
    assert words in findings(text)


def test_no_key_is_offered_instead_of_itself() -> None:
    told = findings(BAR.replace("kind =", 'points = "x"\nkind ='))
    assert "did you mean “points”" not in told


def test_numbers_no_computer_reads_are_told() -> None:
    with pytest.raises(SheetError, match="a number in the sheet cannot be read"):
        Sheet.from_text(text_of(BAR).replace("free = true", "count = " + "9" * 5000))


def test_a_knob_named_like_a_unit_gives_one_message() -> None:
    text = BAR.replace('width = "20 mm"', 'width = "mm"') + '[knobs.mm]\nvalue = "3 mm"\n'
    told = findings(text)
    assert "“mm” is a unit, so it cannot name a knob" in told
    assert len(told.splitlines()) == 1


def test_the_limits_of_poisson_are_those_told() -> None:
    for ratio, good in (("-0.99", True), ("-1", False), ("0.499", True), ("0.5", False)):
        text = text_of(BAR).replace("poisson_ratio = 0.3", f"poisson_ratio = {ratio}")
        if good:
            evaluate(Sheet.from_text(text))
        else:
            with pytest.raises(SheetError, match=re.escape("from -0.99 to 0.499")):
                evaluate(Sheet.from_text(text))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (BAR + held("b.axis"), "nothing is left that could vibrate"),
        (
            plate("p", 300, 200, (0, 0, 0)) + held("p.outline")
            + '[[masses]]\nsite = "p.face"\nmass = "1 kg"\n',
            "nothing is left that could vibrate",
        ),
        (
            BAR.replace('"20 mm"', '"1e-9 m"') + held("b.start"),
            "holds numbers too far apart",
        ),
        (
            member("c", (3000, 0, 0), (4000, 0, 0)) + BAR + joint("b.end", "c.start"),
            "2000 mm apart, and it reaches over 1 mm|1980 mm apart, and it reaches over 1 mm",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_solved_says_so_at_once(text: str, words: str) -> None:
    with pytest.raises(UserError, match=words):
        solve_modes(design_of(text), ModeRequest(4, None, 1e-2))


def test_a_frequency_with_thousands_of_modes_below_it_is_refused() -> None:
    with pytest.raises(NoModesError, match="more than 500 modes lie up to 1000000 Hz"):
        solve_modes(design_of(plate("p", 300, 200, (0, 0, 0))), ModeRequest(1, 1e6, 1e-2))


def test_an_empty_window_is_an_answer() -> None:
    for text in (BAR, plate("p", 300, 200, (0, 0, 0)) + held("p.west")):
        found = solve_modes(design_of(text), ModeRequest(4, 62.0, 1e-2, 60.0))
        assert len(found.flexible) == 0
        assert found.complete is True


def test_an_inertia_no_body_has_is_questioned() -> None:
    hung = '[[masses]]\nsite = "b.end"\nmass = "1 kg"\n'
    hung += 'inertia = ["0 kg*m^2", "0 kg*m^2", "5 kg*m^2"]\n'
    warnings = design_of(BAR, hung).warnings
    assert any("about z it is more than about the two other axes" in str(w) for w in warnings)
    thin = hung.replace('["0 kg*m^2", "0', '["5 kg*m^2", "0')
    assert not any("inertia" in str(warning) for warning in design_of(BAR, thin).warnings)


@pytest.mark.parametrize(
    ("text", "dimension", "value"),
    [
        ("1.2e-5 1/K", "expansion", 1.2e-5),
        ("1.2e-5 /K", "expansion", 1.2e-5),
        ("6.7e-6 /degF", "expansion", 6.7e-6 * 1.8),
        ("-1 g", "acceleration", -9.80665),
        ("2 g", "mass", 2e-3),
        ("3 lbf", "force", 13.344664845781498),
        ("1 lbm", "mass", 0.45359237),
        ("1 slug", "mass", 14.593902937206),
        ("29 Mpsi", "stress", 29e6 * 6894.757293168361),
        ("30 ksi", "stress", 30e3 * 6894.757293168361),
        ("0.284 lb/in^3", "density", 7861.092937697687),
        ("68 degF", "temperature", 293.15),
        ("20 degC", "temperature", 293.15),
        ("90 degF", "temperature change", 50.0),
        ("90 degC", "temperature change", 90.0),
    ],
)
def test_units_of_the_trade(text: str, dimension: str, value: float) -> None:
    assert plain_value(text, DIMENSIONS[dimension]) == pytest.approx(value, rel=1e-12)


def test_a_weight_density_is_told_with_the_mass_density_it_would_be() -> None:
    text = text_of(BAR).replace('"7850 kg/m^3"', '"0.284 lbf/in^3"')
    with pytest.raises(SheetError, match=re.escape("“7861.1 kg/m^3”")):
        evaluate(Sheet.from_text(text))
    with pytest.raises(PlainValueError, match="two numbers with no sign"):
        plain_value("5 mm 3", DIMENSIONS["length"])


def test_a_warming_between_two_temperatures() -> None:
    warm = '[preload]\n[[preload.warmths]]\nfrom = "68 degF"\nto = "120 degC"\n'
    expands = BAR + '[materials.steel2]\ndensity = "1 kg/m^3"\nyoungs_modulus = "1 GPa"\n'
    text = text_of(expands + "poisson_ratio = 0.3\n", warm).replace(
        "poisson_ratio = 0.3", 'poisson_ratio = 0.3\nexpansion = "1.2e-5 1/K"', 1
    )
    preload = evaluate(Sheet.from_text(text)).preload
    assert preload is not None
    assert preload.warmths["b"] == pytest.approx(100.0)
    with pytest.raises(SheetError, match="both “from” and “to”"):
        evaluate(Sheet.from_text(text.replace('from = "68 degF"\n', "")))


VALUES = st.one_of(
    st.sampled_from(["", "0", "-1", "0.3", "nan", "inf", "1e-300", "1e400", "true", "[]", "{}"]),
    st.tuples(
        st.floats(allow_nan=False, allow_infinity=False),
        st.sampled_from(["mm", "m", "kg", "GPa", "Hz", "", "deg", "N/m", "mm mm", "%", "rpm*K"]),
    ).map(lambda pair: f"{pair[0]!r} {pair[1]}"),
    st.text(max_size=8),
)
KEYS = (
    ("parts", "b", "section", "width"),
    ("parts", "b", "from", 0),
    ("materials", "steel", "density"),
    ("materials", "steel", "poisson_ratio"),
    ("supports", 0, "site"),
    ("supports", 0, "hold"),
    ("modes", "count"),
    ("modes", "up_to"),
    ("accuracy", "target"),
    ("knobs", "k", "value"),
    ("masses", 0, "mass"),
    ("preload", "scale"),
)
FULL = text_of(
    BAR, held("b.start"), '[[masses]]\nsite = "b.end"\nmass = "1 kg"\n',
    '[knobs.k]\nvalue = "3 mm"\n', "[accuracy]\n",
    '[preload]\nacceleration = ["0 m/s^2", "0 m/s^2", "-1 g"]\n',
)  # fmt: skip


def test_the_sheet_that_is_fuzzed_is_good() -> None:
    found = solve_modes(evaluate(Sheet.from_text(FULL)), ModeRequest(2, None, 0.05))
    assert len(found.flexible) >= 2


@pytest.mark.fuzz
@given(st.lists(st.tuples(st.sampled_from(KEYS), VALUES), min_size=1, max_size=3))
def test_any_value_is_solved_or_refused_in_words(edits: list[tuple[tuple[str, ...], str]]) -> None:
    """Never an error of the program's own, whatever a field holds."""
    try:
        sheet = Sheet.from_text(FULL)
        for path, value in edits:
            sheet = sheet.with_value(path, value)
        design = evaluate(sheet)
        found = solve_modes(design, ModeRequest(2, None, 0.05))
    except UserError as error:
        told = str(error)
    else:
        assert not any(math.isnan(frequency) for frequency in found.frequencies)
        told = "good"
    assert told
    assert "_q" not in told


def test_what_is_next_to_nothing_is_nothing() -> None:
    moved = plate("p", 300, 200, (1e-64, -1e-200, 0))
    (part,) = design_of(moved).parts
    assert list(part.origin) == [0, 0, 0]
    assert "the thickness must be greater than zero" in findings(
        moved.replace('"4 mm"', '"1e-64 mm"')
    )
